package lists

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"wobin/internal/core/code"
	"wobin/internal/core/field"
	"wobin/internal/core/listing"
	"wobin/internal/desk"
	"wobin/internal/desk/recorded"
	"wobin/internal/desk/reference"
	"wobin/internal/store"
)

// The columns of lists by which a screen calls them. Those that are fields of a kind of file have its headers.

// of is a column of a field.
func of(k field.Kind, key string, f field.Field) listing.Column {
	s := field.SpecOf(k, f)
	return listing.Column{Key: key, Header: s.Heading(), Number: s.Form == field.Number}
}

// always is a column of a field that is part of the key.
func always(k field.Kind, key string, f field.Field) listing.Column {
	c := of(k, key, f)
	c.Always = true
	return c
}

// figure is a column of a number that no file brings in.
func figure(key, header string) listing.Column {
	return listing.Column{Key: key, Header: header, Number: true}
}

// word is a column of a text that no file brings in.
func word(key, header string) listing.Column { return listing.Column{Key: key, Header: header} }

// text gives a figure, "" where there is none.
func text[T fmt.Stringer](q *T) string {
	if q == nil {
		return ""
	}
	return (*q).String()
}

// pageSize is how many lines are read at a time.
const pageSize = 1000

func (d *Room) list(ctx context.Context, p desk.Person, a *Asking) (*list, error) {
	a.Filter.Limit = pageSize
	switch a.List {
	case "stock":
		return d.stock(ctx, p, a)
	case "stock-by-item":
		return d.stockByItem(ctx, p, a)
	case "items":
		return d.items(ctx, p, a)
	case "places":
		return d.places(p, a), nil
	case "movements":
		return d.movements(p, a), nil
	case "variances":
		return d.lines(ctx, p, a)
	}
	return d.record(p, a), nil
}

// house gives the code of a warehouse and when its stock was recorded.
func (d *Room) house(ctx context.Context, p desk.Person, id int64) (code, at string, err error) {
	all, err := d.recorded.Warehouses(ctx, p)
	if err != nil {
		return "", "", err
	}
	i := slices.IndexFunc(all, func(w recorded.WarehouseView) bool { return w.ID == id })
	if i < 0 {
		return "", "", desk.Missing("The warehouse")
	}
	return all[i].Code, instant(all[i].RecordedAt), nil
}

func (d *Room) stock(ctx context.Context, p desk.Person, a *Asking) (*list, error) {
	house, at, err := d.house(ctx, p, a.House)
	if err != nil {
		return nil, err
	}
	const k = field.Stock
	return &list{"Recorded stock " + house, []listing.Column{
		always(k, "house", field.Warehouse), of(k, "zone", field.Zone), always(k, "bin", field.Bin), always(k, "sku", field.SKU),
		of(k, "item", field.Description), always(k, "lot", field.Lot), always(k, "lot", field.Serial), always(k, "holding", field.Holding),
		always(k, "record", field.RecordID), of(k, "hand", field.Quantity), always(k, "res", field.Reserved), of(k, "av", field.Available),
		of(k, "unit", field.Unit), of(k, "cost", field.UnitCost), figure("value", "Value"), always(k, "at", field.RecordedAt),
	}, func(ctx context.Context, after string) (rows [][]string, next string, err error) {
		f := a.Filter
		f.After = after
		page, err := d.recorded.Recorded(ctx, p, a.House, f)
		for i := range page.Lines {
			l := &page.Lines[i]
			rows = append(rows, []string{house, l.Zone, l.Bin, l.SKU, l.Description, l.Lot, l.Serial, l.Holding, l.RecordID, l.OnHand.String(),
				text(l.Reserved), text(l.Available), l.Unit, text(l.Cost), text(l.Value), at})
		}
		return rows, page.Next, err
	}}, nil
}

func (d *Room) stockByItem(ctx context.Context, p desk.Person, a *Asking) (*list, error) {
	house, at, err := d.house(ctx, p, a.House)
	if err != nil {
		return nil, err
	}
	const k = field.Stock
	return &list{"Recorded stock " + house + " by item", []listing.Column{
		always(k, "house", field.Warehouse), always(k, "sku", field.SKU), of(k, "item", field.Description), figure("bins", "Lines"),
		of(
			k,
			"hand",
			field.Quantity,
		), of(k, "res", field.Reserved), of(k, "av", field.Available), of(k, "unit", field.Unit), figure("value", "Value"),
		always(k, "at", field.RecordedAt),
	}, func(ctx context.Context, after string) (rows [][]string, next string, err error) {
		f := a.Filter
		f.After = after
		page, err := d.recorded.RecordedItems(ctx, p, a.House, f)
		for i := range page.Lines {
			l := &page.Lines[i]
			rows = append(rows, []string{house, l.SKU, l.Description, fmt.Sprint(l.Bins), l.OnHand.String(), text(l.Reserved), text(l.Available),
				l.Unit, text(l.Value), at})
		}
		return rows, page.Next, err
	}}, nil
}

// items have a row for the item and each of its first pack; further packs are rows of their own that name it, as files of items have them.
func (d *Room) items(ctx context.Context, p desk.Person, a *Asking) (*list, error) {
	const k = field.Items
	columns := []listing.Column{
		always(k, "sku", field.SKU), of(k, "item", field.Description), of(k, "unit", field.Unit), of(k, "cost", field.UnitCost),
		of(k, "category", field.Category), of(k, "class", field.Class), of(k, "nature", field.Nature), of(k, "active", field.Active),
		of(k, "barcodes", field.Barcode), of(k, "packs", field.PackUnit), of(k, "packs", field.PackSize), of(k, "further", field.FurtherSKU),
		of(k, "record", field.RecordID), of(k, "tracking", field.Tracking), of(k, "parent", field.Parent),
	}
	names, err := store.ItemAttributes(d.Store.Read(ctx))
	if err != nil {
		return nil, err
	}
	code.Sort(names)
	for _, n := range names {
		columns = append(columns, word(field.ItemAttribute+n, field.ItemAttribute+n))
	}
	return &list{"Items", columns, func(ctx context.Context, after string) (rows [][]string, next string, err error) {
		page, err := d.reference.Items(
			ctx,
			p,
			reference.ItemFilter{Text: a.Filter.Text, Category: a.Category, Class: a.Class, After: after, Limit: pageSize},
		)
		for i := range page.Lines {
			l := &page.Lines[i]
			row := []string{
				l.SKU,
				l.Description,
				l.Unit,
				text(l.Cost),
				l.Category,
				l.Class,
				l.Nature,
				map[bool]string{true: "yes", false: "no"}[l.Active],
				strings.Join(l.Barcodes, " "),
				"",
				"",
				l.FurtherSKU,
				l.RecordID,
				l.Tracking,
				l.Parent,
			}
			for _, n := range names {
				row = append(row, l.Attributes[n])
			}
			rows = append(rows, row)
			for n, pack := range l.Packs {
				if n > 0 {
					row = make([]string, len(columns))
					row[0] = l.SKU
					rows = append(rows, row)
				}
				row[9], row[10] = pack.Unit, pack.Holds.String()
			}
		}
		return rows, page.Next, err
	}}, nil
}

func (d *Room) places(p desk.Person, a *Asking) *list {
	const k = field.Places
	return &list{"Places", []listing.Column{
		always(k, "house", field.Warehouse), of(k, "name", field.HouseName), of(k, "zone", field.Zone), always(k, "bin", field.Bin),
		figure("lines", "Lines recorded"),
	}, func(ctx context.Context, after string) (rows [][]string, next string, err error) {
		page, err := d.reference.Places(ctx, p, reference.PlaceFilter{House: a.House, Text: a.Filter.Text, After: after, Limit: pageSize})
		for _, l := range page.Lines {
			rows = append(rows, []string{l.Warehouse, l.Name, l.Zone, l.Bin, fmt.Sprint(l.Lines)})
		}
		return rows, page.Next, err
	}}
}

func (d *Room) movements(p desk.Person, a *Asking) *list {
	const k = field.Movements
	return &list{"Movements", []listing.Column{
		always(k, "house", field.Warehouse), always(k, "bin", field.Bin), always(k, "sku", field.SKU), word("item", "Item"),
		always(k, "lot", field.Lot), always(k, "lot", field.Serial), always(k, "holding", field.Holding), always(k, "quantity", field.Quantity),
		word("unit", "Unit"), always(k, "at", field.At), always(k, "reference", field.Reference), word("file", "File"),
	}, func(ctx context.Context, after string) (rows [][]string, next string, err error) {
		page, err := d.reference.Movements(ctx, p, reference.PlaceFilter{House: a.House, Text: a.Filter.Text, After: after, Limit: pageSize})
		for i := range page.Lines {
			l := &page.Lines[i]
			rows = append(rows, []string{l.Warehouse, l.Bin, l.SKU, l.Description, l.Lot, l.Serial, l.Holding, l.Quantity.String(), l.Unit,
				instant(&l.At), l.Reference, l.File})
		}
		return rows, page.Next, err
	}}
}

// lines are the variances of a count; with the row codes it can come back as counts.
func (d *Room) lines(ctx context.Context, p desk.Person, a *Asking) (*list, error) {
	c, err := d.Judge(ctx, p, a.Count)
	if err != nil {
		return nil, err
	}
	house, _, err := d.house(ctx, p, c.WarehouseID)
	if err != nil {
		return nil, err
	}
	const k = field.Counts
	return &list{"Variances of " + c.Name, []listing.Column{
		always(k, "code", field.RowCode), always(k, "house", field.Warehouse), of(k, "zone", field.Zone), always(k, "bin", field.Bin),
		always(k, "sku", field.SKU), word("item", "Description"), always(k, "lot", field.Lot), always(k, "lot", field.Serial),
		always(k, "holding", field.Holding), word("unit", "Unit"), figure("rec", "Recorded"), figure("mov", "Moved"), figure("exp", "Expected"),
		of(
			k,
			"cnt",
			field.Counted,
		), figure("var", "Variance"), word("status", "Status"), word("status", "Likely cause"), figure("cost", "Unit cost"),
		figure("value", "Value"), figure("rest", "Still open"), of(k, "counter", field.Counter), of(k, "counter", field.CountedAt),
		word("dec", "Decided"), word("dec", "Reason"), figure("sent", "Sent"),
	}, func(ctx context.Context, after string) (rows [][]string, next string, err error) {
		f := a.Filter
		f.After = after
		page, err := d.variances.Variances(ctx, p, a.Count, f)
		for i := range page.Lines {
			l := &page.Lines[i]
			rows = append(rows, []string{l.RowCode, house, l.Zone, l.Bin, l.SKU, l.Description, l.Lot, l.Serial, l.Holding, l.Unit, text(l.Recorded),
				l.Moved.String(), l.Expected.String(), text(l.Counted), text(l.Variance), l.Status, l.Cause, text(l.Cost), text(l.Value), text(l.Rest),
				l.Counter, instant(l.CountedAt), l.Queue, l.Reason, l.Sent.String()})
		}
		return rows, page.Next, err
	}}, nil
}

func (d *Room) record(p desk.Person, a *Asking) *list {
	return &list{"Record", []listing.Column{
		figure("number", "Number"), word("at", "At"), word("person", "Person"), word("what", "What"), figure("count", "Count"),
		word("details", "Details"), word("hash", "SHA-256"),
	}, func(ctx context.Context, after string) (rows [][]string, next string, err error) {
		f := a.Record
		f.After = after
		page, err := d.safety.Record(ctx, p, f)
		for i := range page.Entries {
			e := &page.Entries[i]
			rows = append(
				rows,
				[]string{fmt.Sprint(e.ID), instant(&e.At), e.Person, e.What, fmt.Sprint(e.Count), strings.Join(e.Details, "; "), e.Hash},
			)
		}
		return rows, page.Next, err
	}}
}
