package intake

import (
	"context"
	"fmt"
	"slices"
	"time"

	"wobin/internal/core/field"
	"wobin/internal/core/form"
	"wobin/internal/core/layout"
	"wobin/internal/core/plausible"
	"wobin/internal/core/quantity"
	"wobin/internal/core/read"
	"wobin/internal/core/stock"
	"wobin/internal/desk"
	"wobin/internal/store"
)

// stockDraft is a stock file held against the records: the stock as it would be after the intake, and what has to be
// made for it.
type stockDraft struct {
	file       *read.StockFile
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
	sets       []built    // once they are being written
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
func (d *Room) lookStock(ctx context.Context, dr *draft, pt *part, r read.Reading, rec *records, out *Draft) error {
	f, err := r.Stock(dr.table, pt.mapping, &pt.problems)
	pt.hear(f.Told)
	if err != nil {
		return err
	}
	s, v, m := &stockDraft{file: f}, pt.view, pt.mapping
	given := m.Given(pt.given)
	pt.content, v.Rows, v.Effect.Left = s, f.Rows, f.Left
	v.values(f.Values, field.Stock)
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
				v.Assumed = append(
					v.Assumed,
					fmt.Sprintf("The %s %s and %s differ in case only and are kept apart%s.", x.word, a, b, others(n-1)),
				)
			}
		}
	}
	if s.order == nil {
		s.doubles(dr, pt, given)
	}
	if f.CostsRounded > 0 {
		v.Assumed = append(v.Assumed, fmt.Sprintf("%d unit costs had more than 6 decimal places and were rounded to 6.", f.CostsRounded))
	}
	shared := 0
	for _, sku := range f.Barcodes {
		if sku == 0 {
			shared++
		}
	}
	if shared > 0 {
		v.Assumed = append(
			v.Assumed,
			desk.Plural(shared, "barcode stands", "barcodes stand")+" beside several items, and so names none of them.",
		)
	}
	if !f.ReservedKnown {
		v.Assumed = append(
			v.Assumed,
			"No column says what is reserved, so the quantity is taken for on hand, and nothing is known to be reserved.",
		)
	}
	if err := d.stockTime(dr, pt, out, r.Zone); err != nil {
		return err
	}
	d.askMoment(dr, pt)
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
	return ", as " + desk.Plural(n, "other is", "others are")
}

// doubles finds keys that come twice: summed where that was settled, else a problem with the later row.
func (s *stockDraft) doubles(dr *draft, pt *part, given *layout.Layout) {
	f, v := s.file, pt.view
	doubles := f.Book.Index()
	if len(doubles) == 0 {
		return
	}
	if given.Doubles == "sum" {
		if row, ok := stock.AddUp(f.Book, doubles); !ok {
			pt.problems.Add(
				pt.mapping.Problem(dr.name, int(row), field.Quantity, "too large", "", "the sum of the rows with this key is too large"),
			)
		}
		v.Assumed = append(v.Assumed, desk.Plural(len(doubles), "row was", "rows were")+" summed with an earlier row of the same key.")
	} else {
		gone := map[int]bool{}
		for _, x := range doubles {
			first, again := &f.Book.Lines[x[0]], &f.Book.Lines[x[1]]
			pt.problems.Add(pt.mapping.Problem(dr.name, int(again.Row), field.SKU, "duplicate key",
				f.Book.Codes[stock.SKU].Text(again.Key[stock.SKU]), fmt.Sprintf("%s comes twice, first in row %d. Sum rows of the same key, or take one out", keyText(&f.Book.Codes, again.Key), first.Row)).With(int(first.Row)))
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
func (d *Room) stockTime(dr *draft, pt *part, out *Draft, zone *time.Location) error {
	s, v := pt.stock(), pt.view
	switch f := s.file; {
	case dr.choices.RecordedAt != "":
		at, err := form.ParseTime(dr.choices.RecordedAt, zone)
		if err != nil {
			return desk.Refuse("%q %v.", dr.choices.RecordedAt, err)
		}
		s.recordedAt = at
	case f.AtRow > 0 && f.OtherAtRow == 0:
		s.recordedAt = f.At
	case f.OtherAtRow > 0:
		v.Blocked, out.Asks = fmt.Sprintf(
			"Rows %d and %d were recorded at different times. Say when the figures were true.",
			f.AtRow,
			f.OtherAtRow,
		), "recorded_at"
	default:
		out.Asks = "recorded_at"
		if at, text, ok := pt.mapping.TimeAbove(zone); ok {
			s.recordedAt = at
			v.Assumed = append(
				v.Assumed,
				fmt.Sprintf(
					"Above the table stands %q; the figures are taken to be of %s.",
					text,
					time.Unix(0, at).In(zone).Format("2 January 2006, 15:04"),
				),
			)
			return nil
		}
		s.recordedAt = d.Now().UnixNano()
		if text, ok := form.DateIn(dr.name); ok {
			at, err := form.ReadTime(text, "24:00", zone)
			if err == nil {
				s.recordedAt = min(at, s.recordedAt)
				v.Assumed = append(v.Assumed, fmt.Sprintf("The file's name says %s; the figures are taken to be of %s.",
					text, time.Unix(0, s.recordedAt).In(zone).Format("2 January 2006, 15:04")))
				return nil
			}
		}
		v.Assumed = append(v.Assumed, "No column says when the figures were true; they are taken to be of this moment.")
	}
	return nil
}

// stockAfter lays the file over what is recorded in its warehouses and counts the effect.
func (d *Room) stockAfter(ctx context.Context, dr *draft, pt *part, rec *records) error {
	s, e := pt.stock(), &pt.view.Effect
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
	if err := rec.load(ctx, d.Store, before, s.loaded); err != nil {
		return err
	}
	e.Recorded = len(before.Lines)
	if err := d.askOlder(ctx, dr, pt); err != nil {
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
	t := stock.Taking{
		InDoubt: s.file.InDoubt,
		Only: given.Extent == "only" || given.Extent == "" && dr.choices.Checks[checkKey("part", pt.sheet)] == inPart ||
			given.Quantity == "add" ||
			given.Quantity == "take" ||
			pt.mapping.Part && given.Extent == "",
		Rows:     given.Rows,
		Quantity: given.Quantity,
	}
	for _, c := range given.Columns {
		t.Clear = t.Clear || c.Field == field.UnitCost && c.Empty == "clear"
	}
	if pt.mapping.Part && given.Extent == "" {
		why := "A column says why its rows were refused, so it is taken for some lines only, not for the whole stock."
		if pt.mapping.Listed {
			why = "It was taken out of a list here, so it is taken for some lines only, not for the whole stock."
		}
		pt.view.Assumed = append(pt.view.Assumed, why)
	}
	s.after = before
	categories, err := rec.categories()
	if err != nil {
		return err
	}
	extent := newExtent(before, rec, categories)
	lay(dr, pt, before, file, t, e, extent)
	if given.Extent == "" && !pt.mapping.Part && given.Quantity != "add" && given.Quantity != "take" {
		extent.ask(dr, pt, s.file)
	}
	s.order = before.Order()
	return nil
}

// askOlder asks about stock that is older than what is recorded.
func (d *Room) askOlder(ctx context.Context, dr *draft, pt *part) error {
	var rows []CheckRow
	s := pt.stock()
	for _, h := range s.loaded {
		var set store.StockSet
		if err := d.Store.Read(ctx).Limit(1).Find(&set, h.SetID).Error; err != nil {
			return err
		}
		if set.RecordedAt > s.recordedAt {
			rows = append(rows, CheckRow{0, h.Code, "recorded as at " + desk.Instant(set.RecordedAt).Format("2006-01-02 15:04 MST")})
		}
	}
	if len(rows) > 0 && pt.view.Blocked == "" {
		pt.view.ask(&dr.choices, Check{What: "older", Rows: rows,
			Text: fmt.Sprintf(
				"The figures are of %s, older than what is recorded already. Taking them in puts the older ones in force.",
				desk.Instant(s.recordedAt).Format("2006-01-02 15:04 MST"),
			),
			Options: []CheckOption{{asItIs, "Put the older figures in force"}}})
	}
	return nil
}

// lay merges the file into what is recorded, counting and exemplifying what becomes of the lines.
func lay(dr *draft, pt *part, before, file *stock.Book, t stock.Taking, e *Effect, extent *extent) {
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
	var quantities, costs plausible.Tens
	compare := func(was, is *stock.Line) {
		if t.Quantity != "add" && t.Quantity != "take" {
			quantities.Add(int64(was.Recorded), int64(is.Recorded))
		}
		costs.Add(int64(was.Cost), int64(is.Cost)) // one that is not known is 0, which says nothing
	}
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
			extent.has(&was.Key)
			compare(was, is)
			e.Changed++
			at(is.Key).Changed++
			example("changed", is.Key, was, is)
		case stock.Unchanged:
			extent.has(&is.Key)
			compare(is, is)
			e.Unchanged++
			at(is.Key).Unchanged++
		case stock.InDoubt:
			if was == nil {
				extent.unknown++
				break
			}
			extent.has(&was.Key)
			e.Doubt++
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
			pt.problems.Add(
				pt.mapping.Problem(dr.name, int(of.Row), field.SKU, "duplicate key", file.Codes[stock.SKU].Text(of.Key[stock.SKU]),
					fmt.Sprintf("%s is, but for its case, the same as row %d. Take one out", keyText(&file.Codes, of.Key), first)).
					With(int(first)),
			)
		case stock.TooLarge:
			pt.problems.Add(
				pt.mapping.Problem(dr.name, int(of.Row), field.Quantity, "too large", "", "the sum with what is recorded is too large"),
			)
		}
	})
	e.tellGone()
	pt.view.askTenfold(&dr.choices, tenfold, "The quantities", &quantities)
	pt.view.askTenfold(&dr.choices, tenfoldCost, "The unit costs", &costs)
	if below > 0 {
		pt.view.Assumed = append(pt.view.Assumed, desk.Plural(below, "line goes", "lines go")+" below zero.")
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
		e.GoneValue += fmt.Sprintf(" (%s without a cost)", desk.Plural(e.goneUnvalued, "line", "lines"))
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
