// Package reference is the use cases of looking things up: items with all that is known of them, and whatever goes by a text.
package reference

import (
	"context"
	"encoding/json"
	"errors"
	"time"

	"wobin/internal/core/quantity"
	"wobin/internal/core/read"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/desk/recorded"
	"wobin/internal/store"
)

// Room is the use cases of looking things up.
type Room struct {
	*desk.Desk
	recorded *recorded.Room
}

// New makes the room.
func New(d *desk.Desk, r *recorded.Room) *Room { return &Room{Desk: d, recorded: r} }

// Item is an item with all that is known of it.
type Item struct {
	ID          int64             `json:"id"`
	SKU         string            `json:"sku"`
	Description string            `json:"description"`
	Unit        string            `json:"unit"`
	Cost        *quantity.Cost    `json:"cost" doc:"of one unit; null where none is known"`
	Category    string            `json:"category"`
	Class       string            `json:"class"`
	Nature      string            `json:"nature" enum:"stocked,service,parent"`
	Active      bool              `json:"active"`
	Tracking    string            `json:"tracking" doc:"lot or serial; empty for neither"`
	Parent      string            `json:"parent"`
	RecordID    string            `json:"record_id"`
	FurtherSKU  string            `json:"further_sku"`
	Barcodes    []string          `json:"barcodes"`
	Packs       []ItemPack        `json:"packs"`
	Attributes  map[string]string `json:"attributes"`
	Places      []ItemPlace       `json:"places" doc:"the warehouses that have lines of it"`
	Hidden      []string          `json:"hidden" doc:"warehouses in which whoever asks may not see what is recorded, as a blind count runs"`
	Counts      []ItemCount       `json:"counts" doc:"what the latest 20 counts said of it, the latest first"`
	Sent        []ItemSent        `json:"sent" doc:"what went out for it of these counts, the latest first"`
	Changes     []ItemChange      `json:"changes" doc:"what intakes changed of it, the latest first"`
	Large       []string          `json:"large" doc:"large counts, of which only the bins are told in which the item lies now or was found"`
}

// ItemPack is a pack of an item.
type ItemPack struct {
	Unit    string            `json:"unit"`
	Holds   quantity.Quantity `json:"holds" doc:"how much of the item's unit"`
	Barcode string            `json:"barcode"`
}

// ItemPlace is what is recorded of an item in a warehouse.
type ItemPlace struct {
	House int64                   `json:"house"`
	Code  string                  `json:"code"`
	At    time.Time               `json:"at" doc:"as of when"`
	Lines []recorded.RecordedLine `json:"lines" doc:"the first of them"`
	More  int                     `json:"more" doc:"how many are not listed"`
	Sum   quantity.Quantity       `json:"sum"`
}

// ItemCount is what a count said of a line of an item.
type ItemCount struct {
	Count    int64             `json:"count"`
	Pos      int64             `json:"pos"`
	Name     string            `json:"name"`
	Bin      string            `json:"bin"`
	Lot      string            `json:"lot"`
	Serial   string            `json:"serial"`
	Holding  string            `json:"holding"`
	At       time.Time         `json:"at" doc:"when it was counted"`
	Counter  string            `json:"counter"`
	Expected quantity.Quantity `json:"expected"`
	Counted  quantity.Quantity `json:"counted"`
	Variance quantity.Quantity `json:"variance"`
	Reason   string            `json:"reason"`
}

// ItemSent is what a posting said of a line of an item.
type ItemSent struct {
	Count    int64             `json:"count"`
	Name     string            `json:"name"`
	Posting  int               `json:"posting"`
	At       time.Time         `json:"at"`
	Bin      string            `json:"bin"`
	Quantity quantity.Quantity `json:"quantity"`
	Value    *quantity.Money   `json:"value"`
	Reason   string            `json:"reason"`
}

// listed is how many lines of a warehouse, counts and postings of an item are listed.
const listed = 100

// Item gives an item by its SKU. What is recorded, counted and sent out is left out for whoever counts blind in that warehouse.
func (d *Room) Item(ctx context.Context, p desk.Person, sku string) (v Item, err error) {
	v = Item{Barcodes: []string{}, Packs: []ItemPack{}, Attributes: map[string]string{}, Places: []ItemPlace{}, Hidden: []string{},
		Counts: []ItemCount{}, Sent: []ItemSent{}, Changes: []ItemChange{}, Large: []string{}}
	if err := desk.Allow(p, desk.Look); err != nil {
		return v, err
	}
	tx := d.Store.Read(ctx)
	row, err := store.ItemBySKU(tx, sku)
	if err != nil {
		return v, err
	}
	if row.ID == 0 {
		return v, desk.Missing("The item")
	}
	if err := v.known(&row); err != nil {
		return v, err
	}
	if err := v.changes(tx, &row); err != nil {
		return v, err
	}
	houses, err := store.Warehouses(tx)
	if err != nil {
		return v, err
	}
	var seen, lying []int64
	for i := range houses {
		h := &houses[i]
		lines, more, sum, err := d.recorded.ItemLines(ctx, p, h.ID, row.ID, listed)
		if errors.Is(err, desk.ErrMayNot) {
			v.Hidden = append(v.Hidden, h.Code)
			continue
		}
		if err != nil {
			return v, err
		}
		seen = append(seen, h.ID)
		if len(lines) > 0 {
			set, err := store.SetOf(tx, h.SetID)
			if err != nil {
				return v, err
			}
			for _, l := range lines {
				lying = append(lying, l.BinID)
			}
			v.Places = append(v.Places, ItemPlace{h.ID, h.Code, desk.Instant(set.RecordedAt), lines, more, sum})
		}
	}
	return v, v.history(tx, seen, lying)
}

// known fills in what the records say of the item itself.
func (v *Item) known(row *store.Item) error {
	v.ID, v.SKU, v.Description, v.Unit, v.Cost = row.ID, row.SKU, row.Description, row.Unit, (*quantity.Cost)(row.Cost)
	v.Category, v.Class, v.Nature, v.Active = row.Category, row.Class, row.Nature, row.Active
	v.Tracking, v.Parent, v.RecordID, v.FurtherSKU = row.Tracking, row.Parent, row.RecordID, row.FurtherSKU
	v.Barcodes = append(v.Barcodes, count.Barcodes(row.Barcode, row.Barcodes)...)
	if row.Packs != "" {
		var packs []read.Pack
		if err := json.Unmarshal([]byte(row.Packs), &packs); err != nil {
			return err
		}
		for _, x := range packs {
			v.Packs = append(v.Packs, ItemPack{x.Unit, x.Size, x.Barcode})
		}
	}
	if row.Attributes == "" {
		return nil
	}
	return json.Unmarshal([]byte(row.Attributes), &v.Attributes)
}

// scanned is how many lines a count has that are gone through for an item; in a larger one the bins are looked into in which it lies
// now, and what was found.
const scanned = 50_000

// latest is how many counts are looked into.
const latest = 20

// history fills in what the latest counts of some warehouses said of an item, and what went out. lying are the bins in which it lies now.
func (v *Item) history(tx *store.Tx, houses, lying []int64) error {
	counts, err := store.CountsOfItem(tx, v.ID, houses, latest)
	if err != nil {
		return err
	}
	for _, c := range counts {
		var bins []int64
		if c.Lines > scanned {
			v.Large = append(v.Large, c.Name)
			bins = append([]int64{}, lying...)
		}
		rows, err := store.ItemLines(tx, c.ID, v.ID, bins, listed)
		if err != nil {
			return err
		}
		for _, r := range rows {
			if r.Entries > 0 && r.Pending == 0 && len(v.Counts) < listed {
				v.Counts = append(v.Counts, ItemCount{c.ID, r.Pos, c.Name, r.Bin, r.Lot, r.Serial, r.Holding, desk.Instant(r.CountedAt), r.Counter,
					quantity.Quantity(r.Expected), quantity.Quantity(r.Counted), quantity.Quantity(r.Variance), r.Reason})
			}
			if r.Postings == 0 || len(v.Sent) >= listed {
				continue
			}
			went, err := store.SentLines(tx, c.ID, r.Pos)
			if err != nil {
				return err
			}
			for _, w := range went {
				v.Sent = append(v.Sent, ItemSent{c.ID, c.Name, w.Number, desk.Instant(w.At), r.Bin, quantity.Quantity(w.Variance),
					(*quantity.Money)(w.Value), w.Reason})
			}
		}
	}
	return nil
}
