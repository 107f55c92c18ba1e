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
	values []layout.Value
	added  []store.Movement
}

// lookMovements reads movements. One that is recorded already, by reference, key, quantity and time, is unchanged.
func (d *Desk) lookMovements(ctx context.Context, dr *draft, pt *part, r layout.Reading, rec *records) error {
	f, err := r.Movements(dr.table, pt.mapping, &pt.problems)
	if err != nil {
		return err
	}
	v := pt.view
	v.Rows, v.Effect.Left = f.Rows, f.Left
	v.values(f.Values, layout.Movements)
	v.packed(f.Packed)
	x := &movesDraft{values: f.Values}
	pt.moves = x
	seen, err := d.movementsAt(ctx, f)
	if err != nil {
		return err
	}
	// Each code is looked up once, however many rows have it.
	houses := make([]*store.Warehouse, f.Codes[stock.Warehouse].Len())
	for i := range houses {
		houses[i] = rec.house(f.Codes[stock.Warehouse].Text(stock.ID(i)))
	}
	if houses[0] == nil && len(rec.warehouses) == 1 {
		for _, h := range rec.warehouses {
			houses[0] = h
		}
	}
	bins, skus := rec.known().Set(layout.Bin), rec.known().Set(layout.SKU)
	items := make([]int64, f.Codes[stock.SKU].Len())
	for i := range items {
		if sku, ok := skus.Find(f.Codes[stock.SKU].Text(stock.ID(i))); ok {
			items[i] = rec.items[sku]
		}
	}
	e := &v.Effect
	for _, m := range f.Movements {
		wrong := func(part stock.Part, field layout.Field, remedy string) {
			value := f.Codes[part].Text(m.Key[part])
			pt.problems.Add(pt.mapping.Problem(dr.name, m.Row, field, "unknown "+string(field), value, fmt.Sprintf("%q is not known. %s", value, remedy)))
		}
		house := houses[m.Key[stock.Warehouse]]
		if house == nil {
			wrong(stock.Warehouse, layout.Warehouse, "Match it to a known one, or leave its rows out")
			continue
		}
		text := func(p stock.Part) string { return f.Codes[p].Text(m.Key[p]) }
		row := store.Movement{WarehouseID: house.ID, Lot: text(stock.Lot), Serial: text(stock.Serial), Holding: text(stock.Holding), Quantity: int64(m.Quantity), At: m.At, Reference: m.Reference}
		if c := text(stock.Bin); c != "" {
			at := rec.bins[house.ID][c]
			if known, ok := bins.Find(c); at == nil && ok {
				at = rec.bins[house.ID][known]
			}
			if at == nil {
				wrong(stock.Bin, layout.Bin, "It is no bin of "+house.Code+". Match it, or leave its rows out")
				continue
			}
			row.BinID = at.id
		}
		if row.ItemID = items[m.Key[stock.SKU]]; row.ItemID == 0 {
			wrong(stock.SKU, layout.SKU, "Match it to a known item, take the items in first, or leave its rows out")
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
		v.Blocked = "There is no row in it that could be taken in."
	}
	return rec.err
}

// movementsAt gives the recorded movements of the time that a file covers.
func (d *Desk) movementsAt(ctx context.Context, f *layout.MovementFile) (map[store.Movement]bool, error) {
	seen := map[store.Movement]bool{}
	if len(f.Movements) == 0 {
		return seen, nil
	}
	from, to := f.Movements[0].At, f.Movements[0].At
	for _, m := range f.Movements {
		from, to = min(from, m.At), max(to, m.At)
	}
	var before []store.Movement
	if err := d.store.Read(ctx).Where("at BETWEEN ? AND ?", from, to).Find(&before).Error; err != nil {
		return nil, err
	}
	for _, m := range before {
		m.ID, m.IntakeID = 0, 0
		seen[m] = true
	}
	return seen, nil
}

// writeMovements appends movements.
func writeMovements(tx *gorm.DB, x *movesDraft, intake int64) error {
	for i := range x.added {
		x.added[i].IntakeID = intake
	}
	return store.Batch(tx, x.added)
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
