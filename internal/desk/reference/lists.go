package reference

import (
	"context"
	"encoding/base64"
	"strconv"
	"strings"
	"time"

	"wobin/internal/core/quantity"
	"wobin/internal/desk"
	"wobin/internal/store"
)

// ItemLine is an item in the list of all.
type ItemLine struct {
	ID          int64             `json:"id"`
	SKU         string            `json:"sku"`
	Description string            `json:"description"`
	Unit        string            `json:"unit"`
	Cost        *quantity.Cost    `json:"cost"`
	Category    string            `json:"category"`
	Class       string            `json:"class"`
	Nature      string            `json:"nature" enum:"stocked,service,parent"`
	Active      bool              `json:"active"`
	Tracking    string            `json:"tracking"`
	Parent      string            `json:"parent"`
	FurtherSKU  string            `json:"further_sku"`
	RecordID    string            `json:"record_id"`
	Barcodes    []string          `json:"barcodes"`
	Packs       []ItemPack        `json:"packs"`
	Attributes  map[string]string `json:"attributes"`
}

// ItemFilter narrows the list of items. Text is words that are all in its codes, description, category or attributes.
type ItemFilter struct {
	Text, Category, Class, After string
	Limit                        int
}

// ItemsPage is a page of items in the natural order of their SKUs.
type ItemsPage struct {
	Lines []ItemLine `json:"lines"`
	Next  string     `json:"next"`
}

// Matching gives what FTS5 is asked for words that are all in it, each as a word's beginning; "" where the text has no letter or digit.
func Matching(text string) string {
	var out []string
	for _, w := range strings.FieldsFunc(text, func(r rune) bool { return r == ' ' || r == '"' || r < ' ' }) {
		if strings.IndexFunc(w, func(r rune) bool {
			return r >= '0' && r <= '9' || r >= 'A' && r <= 'Z' || r >= 'a' && r <= 'z' || r > 127
		}) >= 0 {
			out = append(out, `"`+w+`"*`)
		}
	}
	return strings.Join(out, " ")
}

// Items lists items.
func (d *Room) Items(ctx context.Context, p desk.Person, f ItemFilter) (page ItemsPage, err error) {
	page.Lines = []ItemLine{}
	if err := desk.Allow(p, desk.Look); err != nil {
		return page, err
	}
	tx := d.Store.Read(ctx)
	q := store.ItemQuery{Words: Matching(f.Text), Category: f.Category, Class: f.Class, Most: (&desk.Filter{Limit: f.Limit}).PageSize()}
	if q.Words == "" && strings.TrimSpace(f.Text) != "" {
		return page, nil
	}
	if f.After != "" {
		if q.After, err = base64.RawURLEncoding.DecodeString(f.After); err != nil {
			return page, desk.RefuseAs(desk.Invalid, "after", "The page is not one of this list.")
		}
	}
	rows, err := store.Items(tx, q)
	if err != nil {
		return page, err
	}
	for i := range rows {
		var v Item
		v.Attributes, v.Barcodes, v.Packs = map[string]string{}, []string{}, []ItemPack{}
		if err := v.known(&rows[i]); err != nil {
			return page, err
		}
		page.Lines = append(page.Lines, ItemLine{v.ID, v.SKU, v.Description, v.Unit, v.Cost, v.Category, v.Class, v.Nature, v.Active, v.Tracking,
			v.Parent, v.FurtherSKU, v.RecordID, v.Barcodes, v.Packs, v.Attributes})
	}
	if len(rows) == q.Most {
		page.Next = base64.RawURLEncoding.EncodeToString(rows[len(rows)-1].SortKey)
	}
	return page, nil
}

// PlaceLine is a bin in the list of all.
type PlaceLine struct {
	ID        int64  `json:"id"`
	House     int64  `json:"house"`
	Warehouse string `json:"warehouse"`
	Name      string `json:"name" doc:"of the warehouse"`
	Zone      string `json:"zone"`
	Bin       string `json:"bin"`
	Lines     int    `json:"lines" doc:"recorded there"`
}

// PlacesPage is a page of bins, by warehouse and in natural order.
type PlacesPage struct {
	Lines []PlaceLine `json:"lines"`
	Next  string      `json:"next"`
}

// PlaceFilter narrows the list of bins. Text is words that are all in its code, zone or warehouse.
type PlaceFilter struct {
	House       int64
	Text, After string
	Limit       int
}

// Places lists bins.
func (d *Room) Places(ctx context.Context, p desk.Person, f PlaceFilter) (page PlacesPage, err error) {
	page.Lines = []PlaceLine{}
	if err := desk.Allow(p, desk.Look); err != nil {
		return page, err
	}
	tx := d.Store.Read(ctx)
	q := store.PlaceQuery{Warehouse: f.House, Words: strings.Fields(f.Text), Most: (&desk.Filter{Limit: f.Limit}).PageSize()}
	if f.After != "" {
		house, text, _ := strings.Cut(f.After, ".")
		id, err := strconv.ParseInt(house, 10, 64)
		key, err2 := base64.RawURLEncoding.DecodeString(text)
		if err != nil || err2 != nil {
			return page, desk.RefuseAs(desk.Invalid, "after", "The page is not one of this list.")
		}
		q.AfterWarehouse, q.After = id, key
	}
	rows, err := store.Places(tx, q)
	if err != nil {
		return page, err
	}
	for _, r := range rows {
		page.Lines = append(page.Lines, PlaceLine{r.ID, r.House, r.Warehouse, r.Name, r.Zone, r.Bin, r.Lines})
	}
	if len(rows) == q.Most {
		last := rows[len(rows)-1]
		page.Next = strconv.FormatInt(last.House, 10) + "." + base64.RawURLEncoding.EncodeToString(last.SortKey)
	}
	return page, nil
}

// MovementLine is a movement in the list of all.
type MovementLine struct {
	ID          int64             `json:"id"`
	Warehouse   string            `json:"warehouse"`
	Bin         string            `json:"bin" doc:"empty where it named none"`
	SKU         string            `json:"sku"`
	Description string            `json:"description"`
	Unit        string            `json:"unit"`
	Lot         string            `json:"lot"`
	Serial      string            `json:"serial"`
	Holding     string            `json:"holding"`
	Quantity    quantity.Quantity `json:"quantity"`
	At          time.Time         `json:"at"`
	Reference   string            `json:"reference"`
	File        string            `json:"file" doc:"that it came in"`
}

// MovementsPage is a page of movements, those that were taken in last first.
type MovementsPage struct {
	Lines []MovementLine `json:"lines"`
	Next  string         `json:"next"`
}

// Movements lists movements. While a blind count runs its counters may not see them, for they tell what is expected.
func (d *Room) Movements(ctx context.Context, p desk.Person, f PlaceFilter) (page MovementsPage, err error) {
	page.Lines = []MovementLine{}
	if err := desk.Allow(p, desk.Look); err != nil {
		return page, err
	}
	tx := d.Store.Read(ctx)
	if err := desk.UnlessBlind(tx, p, f.House, "see movements"); err != nil {
		return page, err
	}
	q := store.MovementQuery{Warehouse: f.House, Words: strings.Fields(f.Text), Most: (&desk.Filter{Limit: f.Limit}).PageSize()}
	if f.After != "" {
		if q.Before, err = strconv.ParseInt(f.After, 10, 64); err != nil {
			return page, desk.RefuseAs(desk.Invalid, "after", "The page is not one of this list.")
		}
	}
	rows, err := store.Movements(tx, q)
	if err != nil {
		return page, err
	}
	for _, r := range rows {
		page.Lines = append(page.Lines, MovementLine{r.ID, r.Warehouse, r.Bin, r.Sku, r.Description, r.Unit, r.Lot, r.Serial, r.Holding,
			quantity.Quantity(r.Quantity), desk.Instant(r.At), r.Reference, r.File})
	}
	if len(rows) == q.Most {
		page.Next = strconv.FormatInt(rows[len(rows)-1].ID, 10)
	}
	return page, nil
}
