package desk

import (
	"context"
	"fmt"
	"slices"
	"time"

	"gorm.io/gorm"

	"wobin/internal/core/layout"
	"wobin/internal/core/quantity"
	"wobin/internal/core/reconcile"
	"wobin/internal/core/stock"
	"wobin/internal/store"
)

// stockDraft is a stock file held against the records: the stock as it would be after the intake.
type stockDraft struct {
	file       *layout.StockFile
	after      *stock.Book
	order      []uint32
	recordedAt int64
	warehouses map[stock.ID]*store.Warehouse // by number in after; ID 0 is new
	touched    []stock.ID                    // warehouses of the file, in natural order
	places     *places
}

// places are the warehouses, bins and items of the records, by code.
type places struct {
	warehouses map[string]*store.Warehouse
	bins       map[int64]map[string]int64 // by warehouse
	items      map[string]int64
	lastBin    int64
	lastItem   int64
	lastHouse  int64
}

func loadPlaces(tx *gorm.DB) (*places, error) {
	p := &places{warehouses: map[string]*store.Warehouse{}, bins: map[int64]map[string]int64{}, items: map[string]int64{}}
	var houses []store.Warehouse
	if err := tx.Find(&houses).Error; err != nil {
		return nil, err
	}
	for i := range houses {
		p.warehouses[houses[i].Code] = &houses[i]
		p.lastHouse = max(p.lastHouse, houses[i].ID)
	}
	rows, err := tx.Raw("SELECT id, warehouse_id, code FROM bins").Rows()
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var id, house int64
		var code string
		if err := rows.Scan(&id, &house, &code); err != nil {
			return nil, err
		}
		if p.bins[house] == nil {
			p.bins[house] = map[string]int64{}
		}
		p.bins[house][code] = id
		p.lastBin = max(p.lastBin, id)
	}
	if err := rows.Err(); err != nil {
		return nil, err
	}
	items, err := tx.Raw("SELECT id, sku FROM items").Rows()
	if err != nil {
		return nil, err
	}
	defer items.Close()
	for items.Next() {
		var id int64
		var sku string
		if err := items.Scan(&id, &sku); err != nil {
			return nil, err
		}
		p.items[sku] = id
		p.lastItem = max(p.lastItem, id)
	}
	return p, items.Err()
}

// lookStock reads the file and works out the stock that would follow.
func (d *Desk) lookStock(ctx context.Context, dr *draft, r layout.Reading, out *Draft) error {
	f, err := r.Stock(dr.table, dr.mapping, &dr.problems)
	if err != nil {
		return err
	}
	s := &stockDraft{file: f}
	dr.stock, out.Rows = s, f.Rows
	if doubles := f.Book.Index(); len(doubles) > 0 {
		if dr.choices.AddUp {
			if row, ok := reconcile.AddUp(f.Book, doubles); !ok {
				dr.problems.Add(layout.Problem{File: dr.name, Sheet: dr.mapping.SheetName, Row: int(row), Field: layout.Quantity, Kind: "too large", Text: "the sum of the rows with this key is too large"})
			}
			out.Assumed = append(out.Assumed, fmt.Sprintf("%d rows were summed with an earlier row of the same key.", len(doubles)))
		} else {
			gone := map[int]bool{}
			for _, x := range doubles {
				first, again := &f.Book.Lines[x[0]], &f.Book.Lines[x[1]]
				dr.problems.Add(layout.Problem{File: dr.name, Sheet: dr.mapping.SheetName, Row: int(again.Row), Field: layout.SKU, Kind: "duplicate key", Value: f.Book.Codes[stock.SKU].Text(again.Key[stock.SKU]),
					Text: fmt.Sprintf("%s comes twice, first in row %d. Sum rows of the same key, or take one out", keyText(&f.Book.Codes, again.Key), first.Row)})
				gone[x[1]] = true
			}
			kept := f.Book.Lines[:0]
			for i := range f.Book.Lines {
				if !gone[i] {
					kept = append(kept, f.Book.Lines[i])
				}
			}
			f.Book.Lines = kept
			f.Book.Index()
		}
	}
	if f.CostsRounded > 0 {
		out.Assumed = append(out.Assumed, fmt.Sprintf("%d unit costs had more than 6 decimal places and were rounded to 6.", f.CostsRounded))
	}
	if !f.ReservedKnown {
		out.Assumed = append(out.Assumed, "No column says what is reserved, so the quantity is taken for on hand, and nothing is known to be reserved.")
	}
	if err := d.stockTime(dr, s, out, r.Zone); err != nil {
		return err
	}
	if err := d.stockAfter(ctx, dr, s, out); err != nil {
		return err
	}
	if len(f.Book.Lines) == 0 && out.Blocked == "" {
		out.Blocked = "There is no row in it that could be taken in."
	}
	return nil
}

// stockTime settles when the stock was recorded.
func (d *Desk) stockTime(dr *draft, s *stockDraft, out *Draft, zone *time.Location) error {
	switch f := s.file; {
	case dr.choices.RecordedAt != "":
		at, err := layout.ParseTime(dr.choices.RecordedAt, zone)
		if err != nil {
			return refuse("%q %v.", dr.choices.RecordedAt, err)
		}
		s.recordedAt = at
	case f.AtRow > 0 && f.OtherAtRow == 0:
		s.recordedAt = f.At
	case f.OtherAtRow > 0:
		out.Blocked, out.Asks = fmt.Sprintf("Rows %d and %d were recorded at different times. Say when the figures were true.", f.AtRow, f.OtherAtRow), "recorded_at"
	default:
		s.recordedAt = d.now().UnixNano()
		out.Asks = "recorded_at"
		out.Assumed = append(out.Assumed, "No column says when the figures were true; they are taken to be of this moment.")
	}
	return nil
}

// stockAfter merges the file with what is recorded in its warehouses and counts the effect.
func (d *Desk) stockAfter(ctx context.Context, dr *draft, s *stockDraft, out *Draft) error {
	tx := d.store.Read(ctx)
	var err error
	if s.places, err = loadPlaces(tx); err != nil {
		return err
	}
	file := s.file.Book
	s.warehouses = map[stock.ID]*store.Warehouse{}
	inFile := map[stock.ID]bool{}
	for i := range file.Lines {
		inFile[file.Lines[i].Key[stock.Warehouse]] = true
	}
	// What is recorded, as a book of its own, so that codes of the file resolve against it.
	before := &stock.Book{}
	for _, h := range s.places.warehouses {
		before.Codes[stock.Warehouse].Intern([]byte(h.Code))
	}
	loaded := map[int64]bool{} // two spellings of the file may be one warehouse
	for id := range inFile {
		code := file.Codes[stock.Warehouse].Text(id)
		if n, ok := before.Codes[stock.Warehouse].Find(code); ok && n != 0 || code == "" {
			if h := s.places.warehouses[before.Codes[stock.Warehouse].Text(n)]; h != nil && h.SetID != 0 && !loaded[h.ID] {
				loaded[h.ID] = true
				if err := loadSet(tx, before, h); err != nil {
					return err
				}
			}
		}
	}
	for sku := range s.places.items { // items without stock resolve too
		before.Codes[stock.SKU].Intern([]byte(sku))
	}
	// Two spellings in the file may turn out to be one code that is recorded.
	clash := func(l *stock.Line, first int32) {
		dr.problems.Add(layout.Problem{File: dr.name, Sheet: dr.mapping.SheetName, Row: int(l.Row), Field: layout.SKU, Kind: "duplicate key", Value: file.Codes[stock.SKU].Text(l.Key[stock.SKU]),
			Text: fmt.Sprintf("%s is, but for its case, the same as row %d. Take one out", keyText(&file.Codes, l.Key), first)})
	}
	if len(before.Lines) == 0 {
		// Nothing recorded: the file's own book serves, unless codes differ in case only.
		s.after = file
		out.Effect.Added = len(file.Lines)
		if len(s.places.warehouses)+len(s.places.items) > 0 {
			s.after = merged(before, file, dr.choices.Only, out, clash)
		}
	} else {
		s.after = merged(before, file, dr.choices.Only, out, clash)
	}
	s.order = s.after.Order()
	seen := map[stock.ID]bool{}
	for _, n := range s.order {
		if id := s.after.Lines[n].Key[stock.Warehouse]; !seen[id] {
			seen[id] = true
			s.touched = append(s.touched, id)
			if h := s.places.warehouses[s.after.Codes[stock.Warehouse].Text(id)]; h != nil {
				s.warehouses[id] = h
			} else {
				s.warehouses[id] = &store.Warehouse{Code: s.after.Codes[stock.Warehouse].Text(id)}
			}
		}
	}
	d.stockNews(s, out)
	return nil
}

// loadSet adds a warehouse's recorded lines to a book. Row is 1 for each, to be told from lines of the file.
func loadSet(tx *gorm.DB, b *stock.Book, h *store.Warehouse) error {
	rows, err := tx.Raw(`SELECT b.code, i.sku, l.lot, l.serial, l.holding, l.record_id, l.quantity, l.reserved, l.cost FROM stock_lines l
		JOIN bins b ON b.id = l.bin_id JOIN items i ON i.id = l.item_id WHERE l.set_id = ? ORDER BY l.pos`, h.SetID).Rows()
	if err != nil {
		return err
	}
	defer rows.Close()
	var key [stock.Parts][]byte
	key[stock.Warehouse] = []byte(h.Code)
	for rows.Next() {
		var record []byte
		var qty int64
		var reserved, cost *int64
		if err := rows.Scan(&key[stock.Bin], &key[stock.SKU], &key[stock.Lot], &key[stock.Serial], &key[stock.Holding], &record, &qty, &reserved, &cost); err != nil {
			return err
		}
		l := stock.Line{Recorded: quantity.Quantity(qty), Row: 1}
		for p := range key {
			l.Key[p] = b.Codes[p].Intern(key[p])
		}
		if reserved != nil {
			l.Reserved, l.HasReserved = quantity.Quantity(*reserved), true
		}
		if cost != nil {
			l.Cost, l.Costed = quantity.Cost(*cost), true
		}
		b.SetRecordID(&l, record)
		b.Lines = append(b.Lines, l)
	}
	return rows.Err()
}

// merged gives the stock after the intake, counting and exemplifying what changes. clash is told of a row whose key
// an earlier row of the file had already; the row is left out.
func merged(before, file *stock.Book, only bool, out *Draft, clash func(l *stock.Line, first int32)) *stock.Book {
	e := &out.Effect
	places := map[stock.ID]*EffectPlace{}
	at := func(k stock.Key) *EffectPlace {
		p := places[k[stock.Warehouse]]
		if p == nil {
			p = &EffectPlace{Warehouse: before.Codes[stock.Warehouse].Text(k[stock.Warehouse])}
			places[k[stock.Warehouse]] = p
		}
		return p
	}
	example := func(what string, k stock.Key, was, is string) {
		n := 0
		for _, x := range e.Examples {
			if x.What == what {
				n++
			}
		}
		if n < 5 {
			e.Examples = append(e.Examples, EffectExample{what, keyText(&before.Codes, k), was, is})
		}
	}
	before.Index()
	recorded := len(before.Lines)
	kept := make([]bool, recorded)
	to := before.Codes.Adopt(&file.Codes)
	descriptions, units := before.Descriptions.Adopt(&file.Descriptions), before.Units.Adopt(&file.Units)
	e.Added = 0
	rows := make(map[int]int32, len(file.Lines)) // of the file, by line
	for i := range file.Lines {
		l := file.Lines[i]
		record := file.RecordID(&file.Lines[i])
		l.Key = to.Key(l.Key)
		l.Description, l.Unit = descriptions[l.Description], units[l.Unit]
		n := before.Ensure(l.Key)
		if first, twice := rows[n]; twice {
			clash(&file.Lines[i], first)
			continue
		}
		rows[n] = l.Row
		old := &before.Lines[n]
		switch {
		case n >= recorded:
			e.Added++
			at(l.Key).Added++
			example("added", l.Key, "", stateText(&l))
		case sameStock(old, &l) && (record == "" || before.RecordID(old) == record):
			e.Unchanged++
			at(l.Key).Unchanged++
		default:
			e.Changed++
			at(l.Key).Changed++
			example("changed", l.Key, stateText(old), stateText(&l))
		}
		if n < recorded {
			kept[n] = true
		}
		if record == "" {
			record = before.RecordID(old)
		}
		before.Lines[n] = l
		before.SetRecordID(&before.Lines[n], []byte(record))
	}
	if !only {
		lines := before.Lines[:0]
		for n := range before.Lines {
			if n < recorded && !kept[n] {
				k := before.Lines[n].Key
				e.Gone++
				at(k).Gone++
				example("gone", k, stateText(&before.Lines[n]), "")
				continue
			}
			lines = append(lines, before.Lines[n])
		}
		before.Lines = lines
		before.Index()
	}
	for _, p := range places {
		e.Places = append(e.Places, *p)
	}
	slices.SortFunc(e.Places, func(a, b EffectPlace) int { return compareCodes(a.Warehouse, b.Warehouse) })
	return before
}

func sameStock(a, b *stock.Line) bool {
	return a.Recorded == b.Recorded && a.Costed == b.Costed && a.Cost == b.Cost && a.HasReserved == b.HasReserved && a.Reserved == b.Reserved
}

func stateText(l *stock.Line) string {
	s := l.Recorded.String()
	if l.HasReserved && l.Reserved != 0 {
		s += ", " + l.Reserved.String() + " reserved"
	}
	if l.Costed {
		s += " at " + l.Cost.String()
	}
	return s
}

// stockNews lists what has to be made.
func (d *Desk) stockNews(s *stockDraft, out *Draft) {
	houses, bins, items := 0, map[[2]stock.ID]bool{}, map[stock.ID]bool{}
	for _, id := range s.touched {
		if s.warehouses[id].ID == 0 {
			houses++
		}
	}
	codes := &s.after.Codes
	for i := range s.after.Lines {
		k := s.after.Lines[i].Key
		bk := [2]stock.ID{k[stock.Warehouse], k[stock.Bin]}
		if _, seen := bins[bk]; !seen {
			_, known := s.places.bins[s.warehouses[bk[0]].ID][codes[stock.Bin].Text(bk[1])]
			bins[bk] = !known
		}
		if _, seen := items[k[stock.SKU]]; !seen {
			_, known := s.places.items[codes[stock.SKU].Text(k[stock.SKU])]
			items[k[stock.SKU]] = !known
		}
	}
	for _, n := range []struct {
		n         int
		one, many string
	}{{houses, "new warehouse", "new warehouses"}, {countTrue(bins), "new bin", "new bins"}, {countTrue(items), "new item", "new items"}} {
		if n.n > 0 {
			out.Effect.New = append(out.Effect.New, plural(n.n, n.one, n.many))
		}
	}
}

func countTrue[K comparable](m map[K]bool) (n int) {
	for _, v := range m {
		if v {
			n++
		}
	}
	return n
}

// keyText names a key as people do.
func keyText(c *stock.Codes, k stock.Key) string {
	t := c.Texts(k)
	s := ""
	for p, part := range []string{"", "", "", "lot ", "serial ", ""} {
		if t[p] == "" {
			continue
		}
		if s != "" {
			s += " · "
		}
		s += part + t[p]
	}
	return s
}
