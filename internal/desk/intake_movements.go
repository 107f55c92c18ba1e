package desk

import (
	"context"
	"fmt"

	"gorm.io/gorm"

	"wobin/internal/core/layout"
	"wobin/internal/core/stock"
	"wobin/internal/store"
)

// movesDraft is a movements file held against places, items and the movements known.
type movesDraft struct {
	added []store.Movement
}

// lookMovements reads movements. One that is recorded already, by reference, key, quantity and time, is unchanged.
func (d *Desk) lookMovements(ctx context.Context, dr *draft, r layout.Reading, out *Draft) error {
	f, err := r.Movements(dr.table, dr.mapping, &dr.problems)
	if err != nil {
		return err
	}
	out.Rows = f.Rows
	tx := d.store.Read(ctx)
	known, err := loadPlaces(tx)
	if err != nil {
		return err
	}
	var codes stock.Codes
	for c := range known.warehouses {
		codes[stock.Warehouse].Intern([]byte(c))
	}
	for _, bins := range known.bins {
		for c := range bins {
			codes[stock.Bin].Intern([]byte(c))
		}
	}
	for c := range known.items {
		codes[stock.SKU].Intern([]byte(c))
	}
	var before []store.Movement
	if err := tx.Find(&before).Error; err != nil {
		return err
	}
	seen := map[store.Movement]bool{}
	for _, m := range before {
		m.ID, m.IntakeID = 0, 0
		seen[m] = true
	}
	x := &movesDraft{}
	dr.moves = x
	e := &out.Effect
	for _, m := range f.Movements {
		t := f.Codes.Texts(m.Key)
		wrong := func(field layout.Field, value string) {
			dr.problems.Add(layout.Problem{File: dr.name, Sheet: dr.mapping.SheetName, Row: m.Row, Field: field, Kind: "unknown " + string(field), Value: value,
				Text: fmt.Sprintf("%q is not known. Take in the stock or the items first, or leave this row out", value)})
		}
		find := func(p stock.Part) string {
			id, ok := codes[p].Find(t[p])
			if !ok {
				return ""
			}
			return codes[p].Text(id)
		}
		house := known.warehouses[find(stock.Warehouse)]
		if house == nil && t[stock.Warehouse] == "" && len(known.warehouses) == 1 {
			for _, h := range known.warehouses {
				house = h
			}
		}
		if house == nil {
			wrong(layout.Warehouse, t[stock.Warehouse])
			continue
		}
		row := store.Movement{WarehouseID: house.ID, Lot: t[stock.Lot], Serial: t[stock.Serial], Holding: t[stock.Holding], Quantity: int64(m.Quantity), At: m.At, Reference: m.Reference}
		if t[stock.Bin] != "" {
			if row.BinID = known.bins[house.ID][find(stock.Bin)]; row.BinID == 0 {
				wrong(layout.Bin, t[stock.Bin])
				continue
			}
		}
		if row.ItemID = known.items[find(stock.SKU)]; row.ItemID == 0 {
			wrong(layout.SKU, t[stock.SKU])
			continue
		}
		if row.Reference != "" && seen[row] {
			e.Unchanged++
			continue
		}
		e.Added++
		x.added = append(x.added, row)
		if e.Added <= 5 {
			e.Examples = append(e.Examples, EffectExample{"added", keyText(&f.Codes, m.Key), "", fmt.Sprintf("%s at %s", m.Quantity, moment(m.At).Format("2006-01-02 15:04 MST"))})
		}
	}
	if len(f.Movements) == 0 {
		out.Blocked = "There is no row in it that could be taken in."
	}
	return nil
}

func (d *Desk) takeMovements(ctx context.Context, p Person, dr *draft, key string) (TakenIn, error) {
	backup, err := d.safely(ctx, dr)
	if err != nil {
		return TakenIn{}, err
	}
	var touched []int64
	out, err := once(d, ctx, key, func(tx *gorm.DB) (TakenIn, error) {
		in, err := d.newIntake(tx, p, dr, backup)
		if err != nil {
			return TakenIn{}, err
		}
		for i := range dr.moves.added {
			dr.moves.added[i].IntakeID = in.ID
		}
		if err := store.Batch(tx, dr.moves.added); err != nil {
			return TakenIn{}, err
		}
		touched, err = d.recomputeMoved(tx, in.ID)
		return takenIn(in), err
	})
	for _, c := range touched {
		d.Events.Tell(Event{What: "count", Count: c})
	}
	return out, err
}

// undoMovements takes an intake's movements away and works out again what followed from them.
func (d *Desk) undoMovements(tx *gorm.DB, intake int64) error {
	var moved []store.Movement
	if err := tx.Where("intake_id = ?", intake).Find(&moved).Error; err != nil {
		return err
	}
	if err := tx.Exec("DELETE FROM movements WHERE intake_id = ?", intake).Error; err != nil {
		return err
	}
	return d.recomputeWarehouses(tx, moved)
}

// recomputeMoved works out again the running counts of the warehouses that an intake's movements belong to.
func (d *Desk) recomputeMoved(tx *gorm.DB, intake int64) ([]int64, error) {
	var counts []int64
	err := tx.Raw("SELECT DISTINCT c.id FROM counts c JOIN movements m ON m.warehouse_id = c.warehouse_id WHERE m.intake_id = ? AND c.state = ? AND m.at > c.frozen_at", intake, store.Running).Scan(&counts).Error
	for _, c := range counts {
		if err == nil {
			err = d.recompute(tx, c, nil)
		}
	}
	return counts, err
}

func (d *Desk) recomputeWarehouses(tx *gorm.DB, moved []store.Movement) error {
	houses := map[int64]bool{}
	for _, m := range moved {
		houses[m.WarehouseID] = true
	}
	for h := range houses {
		var counts []int64
		if err := tx.Raw("SELECT id FROM counts WHERE warehouse_id = ? AND state = ?", h, store.Running).Scan(&counts).Error; err != nil {
			return err
		}
		for _, c := range counts {
			if err := d.recompute(tx, c, nil); err != nil {
				return err
			}
		}
	}
	return nil
}
