package recorded

import (
	"context"
	"encoding/base64"
	"strconv"
	"strings"

	"wobin/internal/core/quantity"
	"wobin/internal/core/stock"
	"wobin/internal/desk"
	"wobin/internal/store"
)

// RecordedLine is one line of recorded stock.
type RecordedLine struct {
	Pos         int64              `json:"pos"`
	BinID       int64              `json:"bin_id"`
	Bin         string             `json:"bin"`
	Zone        string             `json:"zone"`
	SKU         string             `json:"sku"`
	Description string             `json:"description"`
	Lot         string             `json:"lot"`
	Serial      string             `json:"serial"`
	Holding     string             `json:"holding"`
	RecordID    string             `json:"record_id"`
	Unit        string             `json:"unit"`
	OnHand      quantity.Quantity  `json:"on_hand"`
	Reserved    *quantity.Quantity `json:"reserved"`
	Available   *quantity.Quantity `json:"available"`
	Cost        *quantity.Cost     `json:"cost"`
	CostOf      string             `json:"cost_of" enum:",item" doc:"whose cost it is: its own, or the item's, as the line brought none"`
	Value       *quantity.Money    `json:"value"`
	Bins        int                `json:"bins" doc:"by item: the lines that it has"`
	BinIDs      []int64            `json:"bin_ids" doc:"by item: where it lies"`
}

// RecordedPage is one page of recorded stock.
type RecordedPage struct {
	Lines []RecordedLine `json:"lines"`
	Next  string         `json:"next" doc:"empty at the end"`
	Set   int64          `json:"set" doc:"the recorded stock that the lines are of"`
}

// Recorded lists the recorded stock of a warehouse by bin.
func (d *Room) Recorded(ctx context.Context, p desk.Person, houseID int64, f desk.Filter) (page RecordedPage, err error) {
	page.Lines = []RecordedLine{}
	tx, h, err := d.RecordedOf(ctx, p, houseID)
	if err != nil {
		return page, err
	}
	page.Set = h.SetID
	after, _ := strconv.ParseInt(f.After, 10, 64)
	rows, err := store.RecordedLines(tx, h.SetID, after, f.Bins, f.Text, f.PageSize())
	if err != nil {
		return page, err
	}
	if page.Lines, err = linesOf(rows); err != nil {
		return page, err
	}
	if n := len(page.Lines); n == f.PageSize() {
		page.Next = strconv.FormatInt(page.Lines[n-1].Pos+1, 10)
	}
	return page, nil
}

// linesOf gives rows as they are told.
func linesOf(rows []store.RecordedRow) ([]RecordedLine, error) {
	out := make([]RecordedLine, 0, len(rows))
	for _, r := range rows {
		l := RecordedLine{
			Pos:         r.Pos,
			BinID:       r.BinID,
			Bin:         r.Bin,
			Zone:        r.Zone,
			SKU:         r.Sku,
			Description: r.Description,
			Lot:         r.Lot,
			Serial:      r.Serial,
			Holding:     r.Holding,
			RecordID:    r.RecordID,
			Unit:        r.Unit,
			OnHand:      quantity.Quantity(r.Quantity),
		}
		l.setReserved(r.Reserved)
		cost := stock.LineCost(store.CostingOf(r.Cost, stock.CostOfLine), store.CostingOf(r.ItemCost, stock.CostOfItem))
		if cost.Known {
			v, err := quantity.Value(l.OnHand, cost.Cost)
			if err != nil {
				return nil, err
			}
			l.Cost, l.Value, l.CostOf = &cost.Cost, &v, cost.From.String()
		}
		out = append(out, l)
	}
	return out, nil
}

// ItemLines gives the recorded lines of an item in a warehouse, the first most of them, how many more there are, and what all of them come
// to.
func (d *Room) ItemLines(
	ctx context.Context,
	p desk.Person,
	houseID, item int64,
	most int,
) (lines []RecordedLine, more int, sum quantity.Quantity, err error) {
	tx, h, err := d.RecordedOf(ctx, p, houseID)
	if err != nil {
		return nil, 0, 0, err
	}
	all, err := store.RecordedItemOf(tx, h.SetID, item)
	if err != nil || all.Lines == 0 {
		return nil, 0, 0, err
	}
	set, err := d.SetOf(ctx, tx, h.SetID)
	if err != nil {
		return nil, 0, 0, err
	}
	at := set.positionsOf(item)
	first := at[:min(most, len(at))]
	rows, err := store.RecordedAt(tx, h.SetID, first)
	if err != nil {
		return nil, 0, 0, err
	}
	lines, err = linesOf(rows)
	return lines, len(at) - len(first), quantity.Quantity(all.Quantity), err
}

func (l *RecordedLine) setReserved(r *int64) {
	if r == nil {
		return
	}
	res := quantity.Quantity(*r)
	l.Reserved = &res
	if av, ok := quantity.Add(l.OnHand, -res); ok {
		l.Available = &av
	}
}

// RecordedItems lists the recorded stock of a warehouse by item.
func (d *Room) RecordedItems(ctx context.Context, p desk.Person, houseID int64, f desk.Filter) (page RecordedPage, err error) {
	page.Lines = []RecordedLine{}
	tx, h, err := d.RecordedOf(ctx, p, houseID)
	if err != nil {
		return page, err
	}
	var after []byte
	if f.After != "" {
		if after, err = base64.RawURLEncoding.DecodeString(f.After); err != nil {
			return page, desk.Refuse("The page is not one of this list.")
		}
	}
	var some []int64
	if len(f.Bins) > 0 {
		set, err := d.SetOf(ctx, tx, h.SetID)
		if err != nil {
			return page, err
		}
		some = set.itemsIn(f.Bins)
	}
	rows, err := store.RecordedItems(tx, h.SetID, after, some, strings.Fields(f.Text), f.PageSize())
	if err != nil {
		return page, err
	}
	bins := map[int64][]int64{}
	for _, r := range rows {
		bins[r.ItemID] = []int64{}
	}
	if len(rows) > 0 {
		set, err := d.SetOf(ctx, tx, h.SetID)
		if err != nil {
			return page, err
		}
		set.binsOf(bins)
	}
	for _, r := range rows {
		l := RecordedLine{
			BinIDs:      bins[r.ItemID],
			Pos:         r.ItemID,
			SKU:         r.Sku,
			Description: r.Description,
			Unit:        r.Unit,
			OnHand:      quantity.Quantity(r.Quantity),
			Value:       (*quantity.Money)(r.Value),
			Cost:        (*quantity.Cost)(r.Cost),
			Bins:        r.Lines,
		}
		l.setReserved(r.Reserved)
		page.Lines = append(page.Lines, l)
	}
	if len(rows) == f.PageSize() {
		page.Next = base64.RawURLEncoding.EncodeToString(rows[len(rows)-1].SortKey)
	}
	return page, nil
}
