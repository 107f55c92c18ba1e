package intake

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"gorm.io/gorm"

	"wobin/internal/core/field"
	"wobin/internal/core/quantity"
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
	said   []int64 // movements that are recorded already, and that this file says, too
}

// lookMovements reads movements. A movement is the same as a recorded one by its key, quantity, time and reference, so a file
// that was taken in before, or that overlaps with one, adds only what it has more often than any of them. Where nothing but a
// date tells equal ones apart it is asked whether they are the same.
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
	stands, err := d.movementsAt(ctx, f)
	if err != nil {
		return err
	}
	sha, err := dr.sum()
	if err != nil {
		return err
	}
	before, err := takenBefore(d.Store.Read(ctx), sha)
	if err != nil {
		return err
	}
	var doubtful []doubtfulMove
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
		if ids := stands[row]; len(ids) > 0 {
			if m.Day && row.Reference == "" && before == nil {
				doubtful = append(doubtful, doubtfulMove{row, ids[0], m.Row, keyText(&f.Codes, m.Key)})
			} else {
				x.said = append(x.said, ids[0])
				e.Unchanged++
			}
			stands[row] = ids[1:]
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
	if before != nil {
		v.Assumed = append(v.Assumed, fmt.Sprintf("The very same file was taken in already, as intake %d by %s on %s. What it says stands once.",
			before.ID, before.Person, desk.Instant(before.At).Format("2006-01-02 15:04 MST")))
	}
	x.askDoubtful(dr, v, doubtful)
	if err := d.tellLate(ctx, v, x); err != nil {
		return err
	}
	if len(f.Movements) == 0 {
		v.Blocked = "There is no row in it that could be taken in."
	}
	return rec.err
}

// doubtfulMove is a movement that equals a recorded one but for the time of day, which neither has.
type doubtfulMove struct {
	row   store.Movement
	is    int64 // the recorded one
	inRow int
	name  string
}

// sameMoves is the check that asks about them, and its answers.
const (
	sameMoves = "same movements"
	theSame   = "same"
	further   = "further"
)

// askDoubtful asks whether movements that equal recorded ones are the same.
func (x *movesDraft) askDoubtful(dr *draft, v *SheetOfFile, list []doubtfulMove) {
	if len(list) == 0 {
		return
	}
	rows := make([]CheckRow, len(list))
	for i, m := range list {
		rows[i] = CheckRow{m.inRow, m.name, fmt.Sprintf("%s on %s", quantity.Quantity(m.row.Quantity), desk.Instant(m.row.At).Format(time.DateOnly))}
	}
	v.ask(&dr.choices, Check{What: sameMoves, Rows: rows,
		Text: desk.Plural(len(list), "movement of it equals one", "movements of it equal some") +
			" of another file, and has neither a reference nor a time of day that would tell them apart. Are they the same?",
		Options: []CheckOption{
			{theSame, "They are the same: each stands once"},
			{further, "They are further ones: each is added"},
		}})
	for _, m := range list {
		if v.answered(sameMoves) == further {
			x.added = append(x.added, m.row)
			v.Effect.Added++
		} else {
			x.said = append(x.said, m.is)
			v.Effect.Unchanged++
		}
	}
}

// tellLate names the movements of the file that happened before the freeze of a running count of their lines, and so change
// nothing in it: what was recorded then had them already, or it lacks them.
func (d *Room) tellLate(ctx context.Context, v *SheetOfFile, x *movesDraft) error {
	tx := d.Store.Read(ctx)
	var counts []store.Count
	if err := tx.Where("state = ?", store.Running).Order("id").Find(&counts).Error; err != nil {
		return err
	}
	for i := range counts {
		c := &counts[i]
		of := map[count.FoundKey][]store.Movement{}
		bins := map[int64]bool{}
		for _, m := range x.added {
			if m.WarehouseID == c.WarehouseID && m.At <= c.FrozenAt {
				k := count.FoundKey{Bin: m.BinID, Item: m.ItemID, Lot: m.Lot, Serial: m.Serial, Holding: m.Holding}
				of[k], bins[m.BinID] = append(of[k], m), true
			}
		}
		if len(of) == 0 {
			continue
		}
		lines, n, err := count.Late(tx, c, of, bins)
		if err != nil {
			return err
		}
		if n > 0 {
			v.Assumed = append(v.Assumed, fmt.Sprintf("%s before the freeze of %q (%s) and %s nothing in it: the stock that it was frozen from "+
				"has them already, or lacks them for good. %s.", desk.Plural(n, "movement happened", "movements happened"), c.Name,
				desk.Instant(c.FrozenAt).Format("2006-01-02 15:04 MST"), map[bool]string{true: "changes", false: "change"}[n == 1],
				strings.Join(lines, "; ")))
		}
	}
	return nil
}

// takenBefore gives the intake that stands and took in a file of just these bytes; nil for none.
func takenBefore(tx *gorm.DB, sha string) (*store.Intake, error) {
	var r store.Intake
	if err := tx.Where("file_sha = ? AND state = ?", sha, store.Taken).Order("id").Limit(1).Find(&r).Error; err != nil || r.ID == 0 {
		return nil, err
	}
	return &r, nil
}

// movementsAt gives the numbers of the recorded movements of the time that a file covers, by what they say.
func (d *Room) movementsAt(ctx context.Context, f *read.MovementFile) (map[store.Movement][]int64, error) {
	seen := map[store.Movement][]int64{}
	if len(f.Movements) == 0 {
		return seen, nil
	}
	from, to := f.Movements[0].At, f.Movements[0].At
	for _, m := range f.Movements {
		from, to = min(from, m.At), max(to, m.At)
	}
	var before []store.Movement
	if err := d.Store.Read(ctx).Where("at BETWEEN ? AND ?", from, to).Order("id").Find(&before).Error; err != nil {
		return nil, err
	}
	for _, m := range before {
		id := m.ID
		m.ID, m.IntakeID = 0, 0
		seen[m] = append(seen[m], id)
	}
	return seen, nil
}

// write appends the movements, and places them on the lines of running counts.
func (x *movesDraft) write(w *desk.Work, intake int64) error {
	for i := range x.added {
		x.added[i].IntakeID = intake
	}
	if err := store.Batch(w.Tx, x.added); err != nil {
		return err
	}
	said, err := json.Marshal(x.said)
	if err != nil {
		return err
	}
	if err := w.Exec(`INSERT INTO movement_sources SELECT intake_id, id FROM movements WHERE intake_id = ?
		UNION SELECT ?, m.id FROM json_each(?) j JOIN movements m ON m.id = j.value`, intake, intake, string(said)).Error; err != nil {
		return err
	}
	return count.MovedIn(w, intake)
}

func movementsStanding(tx *gorm.DB, r *store.Intake) (standing, error) {
	var alone, too int
	err := tx.Raw(`SELECT coalesce(sum(others = 0), 0), coalesce(sum(others > 0), 0) FROM
		(SELECT (SELECT count(*) FROM movement_sources o WHERE o.movement_id = s.movement_id AND o.intake_id <> s.intake_id) AS others
		FROM movement_sources s WHERE s.intake_id = ?)`, r.ID).Row().Scan(&alone, &too)
	puts := "takes " + desk.Plural(alone, "movement", "movements") + " away"
	if too > 0 {
		puts += "; " + desk.Plural(too, "movement that another file says stays", "movements that other files say stay")
	}
	return standing{puts: puts}, err
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
