package intake

import (
	"context"
	"fmt"

	"gorm.io/gorm"

	"wobin/internal/core/field"
	"wobin/internal/core/read"
	"wobin/internal/core/stock"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/store"
)

// movesDraft is a movements file held against places, items and the movements known.
type movesDraft struct {
	values []read.Value
	added  []store.Movement
}

// lookMovements reads movements. One that is recorded already, by reference, key, quantity and time, is unchanged.
func (d *Room) lookMovements(ctx context.Context, dr *draft, pt *part, r read.Reading, rec *records, _ *Draft) error {
	f, err := r.Movements(dr.table, pt.mapping, &pt.problems)
	pt.hear(f.Told)
	if err != nil {
		return err
	}
	v := pt.view
	v.Rows, v.Effect.Left = f.Rows, f.Left
	v.values(f.Values, field.Movements)
	v.packed(f.Packed)
	x := &movesDraft{values: f.Values}
	pt.content = x
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
	bins, skus := rec.known().Set(field.Bin), rec.known().Set(field.SKU)
	items := make([]int64, f.Codes[stock.SKU].Len())
	for i := range items {
		if sku, ok := skus.Find(f.Codes[stock.SKU].Text(stock.ID(i))); ok {
			items[i] = rec.items[sku]
		}
	}
	where, err := d.placing(ctx, f, houses, items, rec)
	if err != nil {
		return err
	}
	e := &v.Effect
	for _, m := range f.Movements {
		wrong := func(part stock.Part, field field.Field, remedy string) {
			value := f.Codes[part].Text(m.Key[part])
			pt.problems.Add(
				pt.mapping.Problem(
					dr.name,
					m.Row,
					field,
					"unknown "+string(field),
					value,
					fmt.Sprintf("%q is not known. %s", value, remedy),
				),
			)
		}
		house := houses[m.Key[stock.Warehouse]]
		if house == nil {
			wrong(stock.Warehouse, field.Warehouse, "Match it to a known one, or leave its rows out")
			continue
		}
		text := func(p stock.Part) string { return f.Codes[p].Text(m.Key[p]) }
		lot, serial, holding := where.names(house.ID, m.Key)
		row := store.Movement{
			WarehouseID: house.ID,
			Lot:         lot,
			Serial:      serial,
			Holding:     holding,
			Quantity:    int64(m.Quantity),
			At:          m.At,
			Reference:   m.Reference,
		}
		if c := text(stock.Bin); c != "" {
			at := rec.bins[house.ID][c]
			if known, ok := bins.Find(c); at == nil && ok {
				at = rec.bins[house.ID][known]
			}
			if at == nil {
				wrong(stock.Bin, field.Bin, "It is no bin of "+house.Code+". Match it, or leave its rows out")
				continue
			}
			row.BinID = at.id
		}
		if row.ItemID = items[m.Key[stock.SKU]]; row.ItemID == 0 {
			wrong(stock.SKU, field.SKU, "Match it to a known item, take the items in first, or leave its rows out")
			continue
		}
		if row.BinID == 0 {
			bin, several := where.only(house.ID, row.ItemID, m.Key)
			if bin == 0 {
				text := fmt.Sprintf("is empty, and no bin of %s holds %s. Name the bin", house.Code, keyText(&f.Codes, m.Key))
				if several != "" {
					text = fmt.Sprintf(
						"is empty, and %s lies in several bins of %s (%s). Name the bin",
						keyText(&f.Codes, m.Key),
						house.Code,
						several,
					)
				}
				pt.problems.Add(pt.mapping.Problem(dr.name, m.Row, field.Bin, "bin not plain", "", text))
				continue
			}
			row.BinID = bin
		}
		if row.Reference != "" && seen[row] {
			e.Unchanged++
			continue
		}
		e.Added++
		x.added = append(x.added, row)
		if e.Added <= 5 {
			e.Examples = append(
				e.Examples,
				EffectExample{
					"added",
					keyText(&f.Codes, m.Key),
					"",
					fmt.Sprintf("%s at %s", m.Quantity, desk.Moment(m.At).Format("2006-01-02 15:04 MST")),
				},
			)
		}
	}
	if len(f.Movements) == 0 {
		v.Blocked = "There is no row in it that could be taken in."
	}
	return rec.err
}

// movementsAt gives the recorded movements of the time that a file covers.
func (d *Room) movementsAt(ctx context.Context, f *read.MovementFile) (map[store.Movement]bool, error) {
	seen := map[store.Movement]bool{}
	if len(f.Movements) == 0 {
		return seen, nil
	}
	from, to := f.Movements[0].At, f.Movements[0].At
	for _, m := range f.Movements {
		from, to = min(from, m.At), max(to, m.At)
	}
	var before []store.Movement
	if err := d.Store.Read(ctx).Where("at BETWEEN ? AND ?", from, to).Find(&before).Error; err != nil {
		return nil, err
	}
	for _, m := range before {
		m.ID, m.IntakeID = 0, 0
		seen[m] = true
	}
	return seen, nil
}

// write appends the movements, and places them on the lines of running counts.
func (x *movesDraft) write(w *desk.Work, intake int64) error {
	for i := range x.added {
		x.added[i].IntakeID = intake
	}
	if err := store.Batch(w.DB, x.added); err != nil {
		return err
	}
	return count.MovedIn(w, intake)
}

func movementsStanding(_ *gorm.DB, r *store.Intake) (standing, error) {
	return standing{puts: "takes " + desk.Plural(r.Added, "movement", "movements") + " away"}, nil
}

// placed finds where movements belong by what is recorded now: which bin, where they name none, and how the records spell
// their lots, serials and holdings.
type placed struct {
	books map[int64]*stock.Book // by warehouse
	to    map[int64]stock.Mapping
	held  map[int64]map[stock.Key][]int
	bins  map[int64]map[string]*place
	file  *stock.Codes
}

// placing reads what is recorded in the warehouses of movements that leave something open.
func (d *Room) placing(
	ctx context.Context,
	f *read.MovementFile,
	houses []*store.Warehouse,
	items []int64,
	rec *records,
) (*placed, error) {
	p := &placed{
		books: map[int64]*stock.Book{},
		to:    map[int64]stock.Mapping{},
		held:  map[int64]map[stock.Key][]int{},
		bins:  rec.bins,
		file:  &f.Codes,
	}
	open := map[*store.Warehouse][]stock.Key{}
	for _, m := range f.Movements {
		h := houses[m.Key[stock.Warehouse]]
		if h == nil || items[m.Key[stock.SKU]] == 0 {
			continue
		}
		if m.Key[stock.Bin] == 0 || m.Key[stock.Lot] != 0 || m.Key[stock.Serial] != 0 || m.Key[stock.Holding] != 0 {
			open[h] = append(open[h], m.Key)
		}
	}
	for h, keys := range open {
		b := &stock.Book{}
		for sku := range rec.items {
			b.Codes[stock.SKU].Intern([]byte(sku))
		}
		b.Codes[stock.Warehouse].Intern([]byte(h.Code))
		if h.SetID != 0 {
			if err := rec.load(ctx, d.Store, b, []*store.Warehouse{h}); err != nil {
				return nil, err
			}
		}
		to, binless := b.Codes.Adopt(&f.Codes), map[stock.Key]bool{}
		house, _ := b.Codes[stock.Warehouse].Exact(h.Code)
		for _, k := range keys {
			if k[stock.Bin] == 0 {
				x := to.Key(k)
				x[stock.Warehouse] = house
				binless[x] = true
			}
		}
		p.books[h.ID], p.to[h.ID], p.held[h.ID] = b, to, b.Holders(binless)
	}
	return p, nil
}

// names gives lot, serial and holding as the records spell them.
func (p *placed) names(house int64, k stock.Key) (lot, serial, holding string) {
	b := p.books[house]
	if b == nil {
		return "", "", ""
	}
	to := p.to[house]
	x := to.Key(k)
	return b.Codes[stock.Lot].Text(x[stock.Lot]), b.Codes[stock.Serial].Text(x[stock.Serial]), b.Codes[stock.Holding].Text(x[stock.Holding])
}

// only gives the bin that a movement without one belongs to: the only one of its warehouse that holds its key, or where
// stock lies without bins, the bin without a code. Where there are several they are named.
func (p *placed) only(house, item int64, k stock.Key) (bin int64, several string) {
	b, to := p.books[house], p.to[house]
	x := to.Key(k)
	for key := range p.held[house] {
		x[stock.Warehouse] = key[stock.Warehouse]
		break
	}
	held := p.held[house][x]
	code := func(n int) string { return b.Codes[stock.Bin].Text(b.Lines[n].Key[stock.Bin]) }
	switch len(held) {
	case 0:
		if without := p.bins[house][""]; without != nil {
			return without.id, ""
		}
		return 0, ""
	case 1:
		return p.bins[house][code(held[0])].id, ""
	}
	for i, n := range held[:min(len(held), 4)] {
		if i > 0 {
			several += ", "
		}
		several += code(n)
	}
	return 0, several
}
