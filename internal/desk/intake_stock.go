package desk

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"time"

	"wobin/internal/core/layout"
	"wobin/internal/core/quantity"
	"wobin/internal/core/reconcile"
	"wobin/internal/core/stock"
	"wobin/internal/store"
)

// stockDraft is a stock file held against the records: the stock as it would be after the intake, and what has to be
// made for it.
type stockDraft struct {
	file       *layout.StockFile
	after      *stock.Book
	order      []uint32
	recordedAt int64
	houses     []houseRun         // the warehouses of the file, in natural order; those that end up without a line come last
	loaded     []*store.Warehouse // those of them with recorded stock
	bins       []binRun           // in the same order
	itemIDs    []int64            // by the SKU's number in after
	newBins    []store.Bin
	newItems   []store.Item
	items      itemsDraft // known items whose attributes change
}

// houseRun is a warehouse and where its lines begin in the order.
type houseRun struct {
	from  int
	house *store.Warehouse
	made  bool
}

// binRun is a bin and where its lines begin in the order.
type binRun struct {
	from int
	id   int64
}

// lookStock reads the file and works out the stock that would follow.
func (d *Desk) lookStock(ctx context.Context, dr *draft, pt *part, r layout.Reading, rec *records, out *Draft) error {
	f, err := r.Stock(dr.table, pt.mapping, &pt.problems)
	if err != nil {
		return err
	}
	s, v, m := &stockDraft{file: f}, pt.view, pt.mapping
	given := m.Given(pt.given)
	pt.stock, v.Rows, v.Effect.Left = s, f.Rows, f.Left
	v.values(f.Values, layout.Stock)
	v.packed(f.Packed)
	// Where nothing is recorded the lines need only their order, and keys that come twice stand side by side in it.
	if rec.empty {
		if s.order = f.Book.Order(); f.Book.Twice(s.order) {
			s.order = nil
		}
		for _, x := range []struct {
			part stock.Part
			word string
		}{{stock.Warehouse, "warehouses"}, {stock.Bin, "bins"}, {stock.SKU, "SKUs"}} {
			if a, b, n := f.Book.Codes[x.part].Alike(); n > 0 {
				v.Assumed = append(v.Assumed, fmt.Sprintf("The %s %s and %s differ in case only and are kept apart%s.", x.word, a, b, others(n-1)))
			}
		}
	}
	if s.order == nil {
		s.doubles(dr, pt, given)
	}
	if f.CostsRounded > 0 {
		v.Assumed = append(v.Assumed, fmt.Sprintf("%d unit costs had more than 6 decimal places and were rounded to 6.", f.CostsRounded))
	}
	if !f.ReservedKnown {
		v.Assumed = append(v.Assumed, "No column says what is reserved, so the quantity is taken for on hand, and nothing is known to be reserved.")
	}
	if err := d.stockTime(dr, pt, out, r.Zone); err != nil {
		return err
	}
	if err := d.stockAfter(ctx, dr, pt, rec); err != nil {
		return err
	}
	if err := d.stockNews(ctx, dr, pt, rec); err != nil {
		return err
	}
	if len(f.Book.Lines) == 0 && v.Blocked == "" {
		v.Blocked = "There is no row in it that could be taken in."
	}
	return rec.err
}

// others says how many more there are.
func others(n int) string {
	if n == 0 {
		return ""
	}
	return ", as " + plural(n, "other is", "others are")
}

// doubles finds keys that come twice: summed where that was settled, else a problem with the later row.
func (s *stockDraft) doubles(dr *draft, pt *part, given *layout.Layout) {
	f, v := s.file, pt.view
	doubles := f.Book.Index()
	if len(doubles) == 0 {
		return
	}
	if given.Doubles == "sum" {
		if row, ok := reconcile.AddUp(f.Book, doubles); !ok {
			pt.problems.Add(pt.mapping.Problem(dr.name, int(row), layout.Quantity, "too large", "", "the sum of the rows with this key is too large"))
		}
		v.Assumed = append(v.Assumed, plural(len(doubles), "row was", "rows were")+" summed with an earlier row of the same key.")
	} else {
		gone := map[int]bool{}
		for _, x := range doubles {
			first, again := &f.Book.Lines[x[0]], &f.Book.Lines[x[1]]
			pt.problems.Add(pt.mapping.Problem(dr.name, int(again.Row), layout.SKU, "duplicate key", f.Book.Codes[stock.SKU].Text(again.Key[stock.SKU]), fmt.Sprintf("%s comes twice, first in row %d. Sum rows of the same key, or take one out", keyText(&f.Book.Codes, again.Key), first.Row)).With(int(first.Row)))
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

// stockTime settles when the stock was recorded.
func (d *Desk) stockTime(dr *draft, pt *part, out *Draft, zone *time.Location) error {
	s, v := pt.stock, pt.view
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
		v.Blocked, out.Asks = fmt.Sprintf("Rows %d and %d were recorded at different times. Say when the figures were true.", f.AtRow, f.OtherAtRow), "recorded_at"
	default:
		out.Asks = "recorded_at"
		if at, text, ok := pt.mapping.TimeAbove(zone); ok {
			s.recordedAt = at
			v.Assumed = append(v.Assumed, fmt.Sprintf("Above the table stands %q; the figures are taken to be of %s.", text, time.Unix(0, at).In(zone).Format("2 January 2006, 15:04")))
			return nil
		}
		s.recordedAt = d.now().UnixNano()
		v.Assumed = append(v.Assumed, "No column says when the figures were true; they are taken to be of this moment.")
	}
	return nil
}

// stockAfter lays the file over what is recorded in its warehouses and counts the effect.
func (d *Desk) stockAfter(ctx context.Context, dr *draft, pt *part, rec *records) error {
	s, e := pt.stock, &pt.view.Effect
	file := s.file.Book
	given := pt.mapping.Given(pt.given)
	if rec.empty && given.Quantity != "take" {
		// Nothing recorded: the file's own book serves, unless codes differ in case only.
		s.after = file
		e.Added = len(file.Lines)
		if given.Rows == "change" {
			e.Added, e.Left, file.Lines, s.order = 0, e.Left+len(file.Lines), nil, nil
		}
		if s.order == nil {
			s.order = s.after.Order()
		}
		return nil
	}
	inFile := make([]bool, file.Codes[stock.Warehouse].Len())
	for i := range file.Lines {
		inFile[file.Lines[i].Key[stock.Warehouse]] = true
	}
	// What is recorded, as a book of its own, so that codes of the file resolve against it.
	before := &stock.Book{}
	for code := range rec.warehouses {
		before.Codes[stock.Warehouse].Intern([]byte(code))
	}
	loaded := map[int64]bool{} // two spellings of the file may be one warehouse
	for id, is := range inFile {
		if !is {
			continue
		}
		code := file.Codes[stock.Warehouse].Text(stock.ID(id))
		if n, ok := before.Codes[stock.Warehouse].Find(code); ok && n != 0 || code == "" {
			if h := rec.warehouses[before.Codes[stock.Warehouse].Text(n)]; h != nil && h.SetID != 0 && !loaded[h.ID] {
				loaded[h.ID] = true
				s.loaded = append(s.loaded, h)
			}
		}
	}
	if err := rec.load(ctx, d.store, before, s.loaded); err != nil {
		return err
	}
	for sku := range rec.items { // items without stock resolve too
		before.Codes[stock.SKU].Intern([]byte(sku))
	}
	for _, bins := range rec.bins { // and bins
		for code := range bins {
			before.Codes[stock.Bin].Intern([]byte(code))
		}
	}
	t := stock.Taking{Only: given.Extent == "only" || given.Quantity == "add" || given.Quantity == "take" || pt.mapping.Part && given.Extent == "", Rows: given.Rows, Quantity: given.Quantity}
	for _, c := range given.Columns {
		t.Clear = t.Clear || c.Field == layout.UnitCost && c.Empty == "clear"
	}
	if pt.mapping.Part && given.Extent == "" {
		pt.view.Assumed = append(pt.view.Assumed, "A column says why its rows were refused, so it is taken for some lines only, not for the whole stock.")
	}
	s.after = before
	lay(dr, pt, before, file, t, e)
	s.order = before.Order()
	return nil
}

// lay merges the file into what is recorded, counting and exemplifying what becomes of the lines.
func lay(dr *draft, pt *part, before, file *stock.Book, t stock.Taking, e *Effect) {
	places := map[stock.ID]*EffectPlace{}
	at := func(k stock.Key) *EffectPlace {
		p := places[k[stock.Warehouse]]
		if p == nil {
			p = &EffectPlace{Warehouse: before.Codes[stock.Warehouse].Text(k[stock.Warehouse])}
			places[k[stock.Warehouse]] = p
		}
		return p
	}
	examples := map[string]int{}
	example := func(what string, k stock.Key, was, is *stock.Line) {
		if examples[what]++; examples[what] > 5 {
			return
		}
		x := EffectExample{What: what, Line: keyText(&before.Codes, k)}
		if was != nil {
			x.Before = stateText(was)
		}
		if is != nil {
			x.After = stateText(is)
		}
		e.Examples = append(e.Examples, x)
	}
	below := 0
	stock.Merge(before, file, t, func(what stock.What, was, is, of *stock.Line, first int32) {
		if is != nil && is.Recorded < 0 && what != stock.Passed && (t.Quantity == "add" || t.Quantity == "take") {
			below++
		}
		switch what {
		case stock.Added:
			e.Added++
			at(is.Key).Added++
			example("added", is.Key, nil, is)
		case stock.Changed:
			e.Changed++
			at(is.Key).Changed++
			example("changed", is.Key, was, is)
		case stock.Unchanged:
			e.Unchanged++
			at(is.Key).Unchanged++
		case stock.Gone:
			e.Gone++
			at(was.Key).Gone++
			example("gone", was.Key, was, nil)
			if v, err := quantity.Value(was.Recorded, was.Cost); was.Costed && err == nil {
				e.goneMoney += v
			} else {
				e.goneUnvalued++
			}
		case stock.Passed:
			e.Left++
		case stock.Clash: // two spellings in the file turned out to be one code that is recorded
			pt.problems.Add(pt.mapping.Problem(dr.name, int(of.Row), layout.SKU, "duplicate key", file.Codes[stock.SKU].Text(of.Key[stock.SKU]), fmt.Sprintf("%s is, but for its case, the same as row %d. Take one out", keyText(&file.Codes, of.Key), first)).With(int(first)))
		case stock.TooLarge:
			pt.problems.Add(pt.mapping.Problem(dr.name, int(of.Row), layout.Quantity, "too large", "", "the sum with what is recorded is too large"))
		}
	})
	e.tellGone()
	if below > 0 {
		pt.view.Assumed = append(pt.view.Assumed, plural(below, "line goes", "lines go")+" below zero.")
	}
	for _, p := range places {
		e.Places = append(e.Places, *p)
	}
	slices.SortFunc(e.Places, func(a, b EffectPlace) int { return compareCodes(a.Warehouse, b.Warehouse) })
}

// tellGone says what the lines that go are worth.
func (e *Effect) tellGone() {
	if e.Gone == 0 {
		return
	}
	e.GoneValue = e.goneMoney.String()
	if e.goneUnvalued > 0 {
		e.GoneValue += fmt.Sprintf(" (%s without a cost)", plural(e.goneUnvalued, "line", "lines"))
	}
}

// load takes the recorded lines of warehouses into a book. Row is 1 for each, to be told from lines of the file.
func (rec *records) load(ctx context.Context, s *store.Store, into *stock.Book, houses []*store.Warehouse) error {
	sets := make([]int64, len(houses))
	for i, h := range houses {
		sets[i] = h.SetID
	}
	var lines int
	if err := s.Read(ctx).Raw("SELECT coalesce(sum(lines), 0) FROM stock_sets WHERE id IN ?", sets).Scan(&lines).Error; err != nil {
		return err
	}
	into.Lines = slices.Grow(into.Lines, lines)
	codes := &into.Codes
	var k stock.Key
	name := func(p stock.Part, text string) {
		if k[p] = 0; text != "" {
			k[p] = codes[p].Intern([]byte(text))
		}
	}
	items, itemAt := make([]string, rec.lastItem+1), make([]stock.ID, rec.lastItem+1) // by number: each is named once
	for sku, id := range rec.items {
		items[id] = sku
	}
	for _, h := range houses {
		bins := make(map[int64]string, len(rec.bins[h.ID]))
		for code, p := range rec.bins[h.ID] {
			bins[p.id] = code
		}
		name(stock.Warehouse, h.Code)
		last := int64(-1) // a bin's lines stand together
		err := s.EachStockLine(ctx, h.SetID, func(r *store.StockLine) {
			if r.BinID != last {
				last = r.BinID
				name(stock.Bin, bins[last])
			}
			if k[stock.SKU] = itemAt[r.ItemID]; k[stock.SKU] == 0 {
				name(stock.SKU, items[r.ItemID])
				itemAt[r.ItemID] = k[stock.SKU]
			}
			name(stock.Lot, r.Lot)
			name(stock.Serial, r.Serial)
			name(stock.Holding, r.Holding)
			l := stock.Line{Key: k, Recorded: quantity.Quantity(r.Quantity), Row: 1}
			if r.Reserved != nil {
				l.Reserved, l.HasReserved = quantity.Quantity(*r.Reserved), true
			}
			if r.Cost != nil {
				l.Cost, l.Costed = quantity.Cost(*r.Cost), true
			}
			if r.RecordID != "" {
				into.SetRecordID(&l, []byte(r.RecordID))
			}
			if r.Attributes != "" {
				into.SetKept(&l, []byte(r.Attributes))
			}
			into.Lines = append(into.Lines, l)
		})
		if err != nil {
			return err
		}
	}
	return nil
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

// stockNews walks over the lines in their order, gives numbers to what has to be made, and lists it.
func (d *Desk) stockNews(ctx context.Context, dr *draft, pt *part, rec *records) error {
	s, v := pt.stock, pt.view
	rec.last = len(dr.parts) == 1 // each bin and item comes once in the order, so it is not looked for again
	made := s.houseRuns(rec)
	if rec.last { // the two ask for nothing in common
		broke := make(chan any, 1)
		go func() {
			defer func() { broke <- recover() }()
			s.itemNews(rec)
		}()
		s.binNews(rec)
		if r := <-broke; r != nil {
			panic(r) // where it is caught
		}
	} else {
		s.binNews(rec)
		s.itemNews(rec)
	}
	for _, h := range s.loaded {
		if !slices.ContainsFunc(s.houses, func(x houseRun) bool { return x.house.ID == h.ID }) {
			s.houses = append(s.houses, houseRun{from: len(s.order), house: h})
		}
	}
	if err := d.itemAttributes(ctx, s); err != nil {
		return err
	}
	for _, n := range []struct {
		n         int
		one, many string
	}{{made, "new warehouse", "new warehouses"}, {len(s.newBins), "new bin", "new bins"}, {len(s.newItems), "new item", "new items"}, {len(s.items.after), "item with other attributes", "items with other attributes"}} {
		if n.n > 0 {
			v.Effect.New = append(v.Effect.New, plural(n.n, n.one, n.many))
		}
	}
	for _, other := range dr.parts { // a workbook may hold a sheet for each warehouse, but none in two sheets
		if other == pt || other.stock == nil {
			continue
		}
		for _, h := range s.houses {
			if slices.ContainsFunc(other.stock.houses, func(x houseRun) bool { return x.house.ID == h.house.ID }) {
				v.Blocked = fmt.Sprintf("Warehouse %s stands in the sheet %q too. Take in one of the two, and the other one by itself.", h.house.Code, other.view.Name)
			}
		}
	}
	return nil
}

// houseRuns finds or makes the warehouses, and gives how many are made.
func (s *stockDraft) houseRuns(rec *records) (made int) {
	b := s.after
	for at, n := range s.order {
		w := b.Lines[n].Key[stock.Warehouse]
		if at > 0 && b.Lines[s.order[at-1]].Key[stock.Warehouse] == w {
			continue
		}
		code := b.Codes[stock.Warehouse].Text(w)
		run := houseRun{from: at, house: rec.warehouses[code]}
		if run.house == nil {
			run.house, run.made = rec.newHouse(code), true
			made++
		}
		s.houses = append(s.houses, run)
	}
	return made
}

// binNews finds or makes the bins.
func (s *stockDraft) binNews(rec *records) {
	b, zones, house := s.after, s.zones(), 0
	var last stock.ID
	for at, n := range s.order {
		k := &b.Lines[n].Key
		newHouse := house < len(s.houses) && s.houses[house].from == at
		if newHouse {
			house++
		} else if k[stock.Bin] == last {
			continue
		}
		last = k[stock.Bin]
		id, code := s.houses[house-1].house.ID, b.Codes[stock.Bin].Text(last)
		run := binRun{from: at}
		if p := rec.bins[id][code]; p != nil {
			run.id = p.id
		} else {
			bin := rec.newBin(id, code, zones[[2]stock.ID{k[stock.Warehouse], last}])
			run.id = bin.ID
			s.newBins = append(s.newBins, bin)
		}
		s.bins = append(s.bins, run)
	}
}

// itemNews finds or makes the items. New ones are numbered in natural order, so that they are written one behind the
// other, to their index too; each takes what its first line says of it.
func (s *stockDraft) itemNews(rec *records) {
	b := s.after
	codes := &b.Codes[stock.SKU]
	first := make([]uint32, codes.Len()) // line + 1
	for _, n := range s.order {
		if sku := b.Lines[n].Key[stock.SKU]; first[sku] == 0 {
			first[sku] = n + 1
		}
	}
	s.itemIDs = make([]int64, len(first))
	type unknown struct {
		sku stock.ID
		key []byte
	}
	var made []unknown
	for sku, line := range first {
		if line == 0 {
			continue
		}
		text := codes.Text(stock.ID(sku))
		if s.itemIDs[sku] = rec.items[text]; s.itemIDs[sku] == 0 {
			made = append(made, unknown{stock.ID(sku), sortKey(text)})
		}
	}
	slices.SortFunc(made, func(a, b unknown) int { return bytes.Compare(a.key, b.key) })
	s.newItems = make([]store.Item, len(made))
	for i, u := range made {
		l, text := &b.Lines[first[u.sku]-1], codes.Text(u.sku)
		item := &s.newItems[i]
		*item = store.Item{ID: rec.newItem(text), SKU: text, SortKey: u.key, Description: b.Descriptions.Text(l.Description), Unit: b.Units.Text(l.Unit), Nature: "stocked", Active: true}
		if l.Costed {
			c := int64(l.Cost)
			item.Cost = &c
		}
		s.itemIDs[u.sku] = item.ID
	}
}

// zones gives the zones of the file's bins by their numbers in after.
func (s *stockDraft) zones() map[[2]stock.ID]string {
	if s.after == s.file.Book || len(s.file.Zones) == 0 {
		return s.file.Zones
	}
	out := map[[2]stock.ID]string{}
	for k, z := range s.file.Zones {
		w, ok1 := s.after.Codes[stock.Warehouse].Find(s.file.Book.Codes[stock.Warehouse].Text(k[0]))
		b, ok2 := s.after.Codes[stock.Bin].Find(s.file.Book.Codes[stock.Bin].Text(k[1]))
		if ok1 && ok2 {
			out[[2]stock.ID{w, b}] = z
		}
	}
	return out
}

// itemAttributes lays the attributes that the file keeps with items over those that they have.
func (d *Desk) itemAttributes(ctx context.Context, s *stockDraft) error {
	if len(s.file.ItemKept) == 0 {
		return nil
	}
	kept := map[int64]string{} // by item
	var ids []int64
	for sku, attributes := range s.file.ItemKept {
		n, ok := s.after.Codes[stock.SKU].Find(s.file.Book.Codes[stock.SKU].Text(sku))
		if id := s.itemIDs[n]; ok && id != 0 {
			kept[id] = attributes
			ids = append(ids, id)
		}
	}
	for i := range s.newItems {
		s.newItems[i].Attributes = kept[s.newItems[i].ID]
	}
	s.items.before = map[int64]store.Item{}
	slices.Sort(ids)
	for len(ids) > 0 {
		some := ids[:min(len(ids), 500)]
		ids = ids[len(some):]
		var items []store.Item
		if err := d.store.Read(ctx).Where("id IN ?", some).Find(&items).Error; err != nil {
			return err
		}
		for _, it := range items {
			var more map[string]string
			if err := json.Unmarshal([]byte(kept[it.ID]), &more); err != nil {
				return err
			}
			now := it
			var err error
			if now.Attributes, err = withAttributes(it.Attributes, more); err != nil {
				return err
			}
			if now.Attributes != it.Attributes {
				s.items.before[it.ID] = it
				s.items.after = append(s.items.after, now)
			}
		}
	}
	return nil
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
