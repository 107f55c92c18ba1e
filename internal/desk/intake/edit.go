package intake

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"wobin/internal/core/field"
	"wobin/internal/core/layout"
	"wobin/internal/core/quantity"
	"wobin/internal/core/recognise"
	"wobin/internal/core/tabular"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/store"
)

// What is changed in a list by hand is an intake like every other: the changes are written as a small file, which is read, checked and
// taken in by the rules of all files, stands on the time line, and is undone there.

// Edit is what is changed by hand of items or places that are there. Fields that are the key (the SKU; warehouse and bin) tell of which; an
// empty cell of another one clears it.
type Edit struct {
	Kind   field.Kind    `json:"kind" enum:"items,places"`
	Fields []field.Field `json:"fields" minItems:"2" maxItems:"40"`
	Rows   [][]string    `json:"rows" minItems:"1" maxItems:"1000" doc:"a cell for each of the fields"`
	Saw    *string       `json:"saw,omitempty" doc:"what stood in the last field of a single row when it was opened; where something else stands by now, it is refused"`
}

// keysOf are the fields that tell which row of a list is meant.
var keysOf = map[field.Kind][]field.Field{
	field.Items:  {field.SKU},
	field.Places: {field.Warehouse, field.Bin},
	field.Stock: {
		field.Warehouse,
		field.Bin,
		field.SKU,
		field.Lot,
		field.Serial,
		field.Holding,
		field.RecordID,
		field.Quantity,
		field.Reserved,
		field.RecordedAt,
	},
}

// ByHand is the name of the file of changes that were made by hand.
const ByHand = "changed by hand, %s.csv"

// Edit changes items or places that are there. It refuses, with the words of the check, what no file could bring in.
func (d *Room) Edit(ctx context.Context, p desk.Person, key string, e Edit) (out count.TakenIn, err error) {
	if e.Kind == field.Stock {
		return out, desk.RefuseAs(desk.Invalid, "kind", "Recorded stock is not changed by hand; what a unit of it costs is, by itself.")
	}
	once := desk.Key{Text: key, Body: e}
	if used, err := d.Answered(ctx, p, []desk.Act{desk.TakeIn}, once, &out); used || err != nil {
		return out, err
	}
	if e.Saw != nil && len(e.Rows) == 1 {
		if err := d.sawAll(ctx, &e); err != nil {
			return out, err
		}
	}
	return d.edit(ctx, p, once, e)
}

// sawAll refuses a change of what somebody else changed since it was seen: nothing is overwritten unseen.
func (d *Room) sawAll(ctx context.Context, e *Edit) error {
	tx, row, last := d.Store.Read(ctx), e.Rows[0], len(e.Fields)-1
	now := ""
	switch {
	case e.Kind == field.Items && e.Fields[0] == field.SKU && len(row) > 1:
		var i store.Item
		if err := tx.Where("sku = ?", row[0]).Limit(1).Find(&i).Error; err != nil || i.ID == 0 {
			return err // that it is not there is told by the check
		}
		var err error
		if now, err = textOf(&i, e.Fields[last]); err != nil {
			return err
		}
	case e.Kind == field.Places && e.Fields[last] == field.Zone && len(row) == 3:
		err := tx.Raw("SELECT b.zone FROM bins b JOIN warehouses w ON w.id = b.warehouse_id WHERE w.code = ? AND b.code = ?", row[0], row[1]).
			Scan(&now).Error
		if err != nil {
			return err
		}
	default:
		return nil
	}
	if now != *e.Saw {
		return desk.RefuseAs(desk.Changed, "saw", "Meanwhile it was changed to %q. Look at it again.", now)
	}
	return nil
}

// textOf is what a field of an item says, as lists show it.
func textOf(i *store.Item, f field.Field) (string, error) {
	if name, is := f.Attribute(); is {
		kept := map[string]string{}
		if i.Attributes == "" {
			return "", nil
		}
		err := json.Unmarshal([]byte(i.Attributes), &kept)
		return kept[name], err
	}
	switch f {
	case field.UnitCost:
		if i.Cost == nil {
			return "", nil
		}
		return quantity.Cost(*i.Cost).String(), nil
	case field.Active:
		return map[bool]string{true: "yes", false: "no"}[i.Active], nil
	case field.Barcode:
		return strings.Join(count.Barcodes(i.Barcode, i.Barcodes), " "), nil
	}
	return map[field.Field]string{field.Description: i.Description, field.Unit: i.Unit, field.Category: i.Category, field.Class: i.Class,
		field.Nature: i.Nature, field.Tracking: i.Tracking, field.FurtherSKU: i.FurtherSKU, field.RecordID: i.RecordID,
		field.Parent: i.Parent}[f], nil
}

func (d *Room) edit(ctx context.Context, p desk.Person, once desk.Key, e Edit) (out count.TakenIn, err error) {
	if err := desk.Allow(p, desk.TakeIn); err != nil {
		return out, err
	}
	keys, isKnown := keysOf[e.Kind]
	if !isKnown {
		return out, desk.RefuseAs(desk.Invalid, "kind", "Items and places are changed by hand, not %s.", e.Kind)
	}
	l := layout.Layout{Kind: e.Kind, Rows: "change"}
	header := []string{}
	for i, f := range e.Fields {
		_, attribute := f.Attribute()
		name := string(f)
		spec := field.SpecOf(e.Kind, f)
		switch {
		case slices.Contains(e.Fields[:i], f) || spec == nil && !(attribute && e.Kind == field.Items):
			return out, desk.RefuseAs(desk.Invalid, "fields", "%s of %s cannot be changed so.", f, e.Kind)
		case spec != nil:
			name = spec.Heading()
		}
		c := layout.Choice{Column: tabular.ColumnName(i), Header: name, Field: f}
		if !slices.Contains(keys, f) && field.Clears(e.Kind, f) {
			c.Empty = "clear"
		}
		l.Columns, header = append(l.Columns, c), append(header, name)
	}
	for _, k := range keys {
		if !slices.Contains(e.Fields, k) {
			return out, desk.RefuseAs(desk.Invalid, "fields", "Say which of the %s: %s is missing.", e.Kind, k)
		}
	}
	text := tabular.AppendRow(nil, ',', append(header, recognise.ListHeader)...)
	for n, r := range e.Rows {
		if len(r) != len(e.Fields) {
			return out, desk.RefuseAs(desk.Invalid, "rows", "Row %d has %d cells for %d fields.", n+1, len(r), len(e.Fields))
		}
		row := make([]string, 0, len(r)+1)
		for _, c := range r {
			row = append(row, tabular.Safe(c))
		}
		text = tabular.AppendRow(text, ',', append(row, "changed by hand")...)
	}
	choices := Choices{Layout: "-", Zone: "UTC", Sheets: map[string]SheetChoice{"0": {Use: "yes", Layout: l}}}
	dr, err := d.upload(ctx, p, fmt.Sprintf(ByHand, e.Kind), bytes.NewReader(text), choices, true)
	if err != nil {
		return out, err
	}
	if why := dr.wrong(len(e.Rows)); why != "" {
		_ = d.drop(dr.ID)
		return out, desk.RefuseAs(desk.Invalid, "rows", "%s", why)
	}
	out, err = d.takeIn(ctx, p, dr.ID, once, 0)
	if err != nil {
		_ = d.drop(dr.ID)
	}
	return out, err
}

// wrong says what is in the way of taking a draft of changes in; "" where nothing is.
func (out *Draft) wrong(rows int) string {
	for _, g := range out.Problems {
		if len(g.List) > 0 {
			return desk.SentenceOf(fmt.Errorf("%s", g.List[0].Brief))
		}
	}
	switch e := &out.Effect; {
	case out.Blocked != "":
		return out.Blocked
	case e.Left > 0:
		return "It is not there any more. Look at the list again."
	case e.Changed+e.Unchanged != rows:
		return "What is to be changed cannot be told apart. Look at the list again."
	}
	return ""
}

// Costing corrects the unit costs of lines of recorded stock, and nothing else of them.
type Costing struct {
	Set   int64      `json:"set" doc:"the recorded stock that was looked at"`
	Lines []CostLine `json:"lines" minItems:"1" maxItems:"1000"`
}

// CostLine is what a unit of a line costs.
type CostLine struct {
	Pos  int64          `json:"pos"`
	Cost *quantity.Cost `json:"cost" doc:"null: none is known"`
}

// Recost corrects unit costs of recorded stock. The quantities are those that are recorded: where newer stock was taken in since the lines
// were looked at, it is refused.
func (d *Room) Recost(ctx context.Context, p desk.Person, house int64, key string, c Costing) (out count.TakenIn, err error) {
	if err := desk.Allow(p, desk.TakeIn); err != nil {
		return out, err
	}
	once := desk.Key{Text: key, Body: c}
	if used, err := d.Answered(ctx, p, []desk.Act{desk.TakeIn}, once, &out); used || err != nil {
		return out, err
	}
	within, end, err := d.Store.Snapshot(ctx)
	if err != nil {
		return out, err
	}
	e, err := d.recosted(within, p, house, c)
	end()
	if err != nil {
		return out, err
	}
	return d.edit(ctx, p, once, e)
}

// recosted writes lines as they are recorded, with other costs.
func (d *Room) recosted(ctx context.Context, p desk.Person, house int64, c Costing) (e Edit, err error) {
	tx, h, err := d.RecordedOf(ctx, p, house)
	if err != nil {
		return e, err
	}
	if h.SetID != c.Set {
		return e, desk.RefuseAs(desk.Changed, "set", "Newer stock of %s was taken in meanwhile. Look at the lines again.", h.Code)
	}
	var set store.StockSet
	if err := tx.Limit(1).Find(&set, h.SetID).Error; err != nil {
		return e, err
	}
	e = Edit{Kind: field.Stock, Fields: append(slices.Clone(keysOf[field.Stock]), field.UnitCost)}
	recorded := desk.Instant(set.RecordedAt).Format(time.RFC3339Nano)
	costs, at := map[int64]string{}, make([]int64, 0, len(c.Lines))
	for _, l := range c.Lines {
		if _, twice := costs[l.Pos]; twice {
			return e, desk.RefuseAs(desk.Invalid, "lines", "Line %d is named twice.", l.Pos)
		}
		costs[l.Pos], at = "", append(at, l.Pos)
		if l.Cost != nil {
			costs[l.Pos] = l.Cost.String()
		}
	}
	list, err := json.Marshal(at)
	if err != nil {
		return e, err
	}
	var rows []struct {
		Code, Sku, Lot, Serial, Holding, RecordID string
		Pos, Quantity                             int64
		Reserved                                  *int64
	}
	err = tx.Raw(`SELECT l.pos, b.code, i.sku, l.lot, l.serial, l.holding, l.record_id, l.quantity, l.reserved FROM stock_lines l
		JOIN bins b ON b.id = l.bin_id JOIN items i ON i.id = l.item_id
		WHERE l.set_id = ? AND l.pos IN (SELECT value FROM json_each(?)) ORDER BY l.pos`, set.ID, string(list)).Scan(&rows).Error
	if err != nil {
		return e, err
	}
	if len(rows) != len(at) {
		return e, desk.Missing("One of the lines")
	}
	for _, r := range rows {
		reserved := ""
		if r.Reserved != nil {
			reserved = quantity.Quantity(*r.Reserved).String()
		}
		e.Rows = append(e.Rows, []string{h.Code, r.Code, r.Sku, r.Lot, r.Serial, r.Holding, r.RecordID, quantity.Quantity(r.Quantity).String(),
			reserved, recorded, costs[r.Pos]})
	}
	return e, nil
}
