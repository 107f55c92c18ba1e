package intake

import (
	"cmp"
	"context"
	"database/sql/driver"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"gorm.io/gorm"

	"wobin/internal/core/code"
	"wobin/internal/core/counting"
	"wobin/internal/core/field"
	"wobin/internal/core/form"
	"wobin/internal/core/quantity"
	"wobin/internal/core/read"
	"wobin/internal/core/stock"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/store"
)

// backDraft is a file of counts held against the sheets of its count.
type backDraft struct {
	values  []read.Value
	count   *store.Count
	freezes *count.Freezes
	counts  *counting.Back
	timed   bool                      // times stand in the file, not in an answer
	revised counting.Revision         // as it was looked at
	keys    map[string]count.FoundKey // bin and item of keys that the count does not have yet
	view    *BackView
	touched []int               // numbers of the sheets
	stands  []counting.Standing // while it is looked at
	doubts  []count.NewDoubt    // rows that are to wait in the tray
	again   []count.NewDoubt    // those of them that are counted elsewhere already
	stays   map[int]bool        // rows of the file that do not replace the count that stands
	// further are those of other counts, where a file spans several warehouses that are counted at the same time.
	further []*backDraft
	some    bool   // it was taken out of a list of ours, so it holds some rows alone
	mark    string // what sets its questions apart from those of the others; empty for the first
}

// all are the counts that the file is held against.
func (b *backDraft) all() []*backDraft {
	if b.count == nil {
		return nil
	}
	return append([]*backDraft{b}, b.further...)
}

// BackView is what a returned file would do.
type BackView struct {
	Count     int64      `json:"count"`
	CountName string     `json:"count_name"`
	Sheets    []string   `json:"sheets" doc:"codes of the sheets whose rows it holds, the first of them"`
	SheetsN   int        `json:"sheets_n" doc:"how many sheets there are"`
	Added     int        `json:"added" doc:"new counts"`
	Revised   int        `json:"revised" doc:"counts that replace earlier ones of the same row"`
	Unchanged int        `json:"unchanged"`
	Withdrawn int        `json:"withdrawn" doc:"counts that are taken back, since it was settled so"`
	Missing   int        `json:"missing" doc:"counts of its sheets that stand and that it has no more"`
	Again     int        `json:"again" doc:"new counts of lines that are counted elsewhere already"`
	Tray      int        `json:"tray" doc:"of these, those that wait in the tray, since it was settled so"`
	Empty     int        `json:"empty" doc:"rows without a count; they stay as they are"`
	ByHand    int        `json:"by_hand" doc:"rows that the sheet did not have"`
	By        string     `json:"by"`
	Revisions []Revision `json:"revisions"`
	Hand      []HandRow  `json:"hand"`
	Gone      []HandRow  `json:"gone" doc:"counts that the file has no more, the first of them"`
	Off       *Off       `json:"off" doc:"what it is off from what was frozen; none for whoever must not know that"`
}

// Off tells by how much the counts of a file are off from what was recorded when the count was frozen, so that a wrong column is noticed.
type Off struct {
	Lines int               `json:"lines" doc:"lines of which a quantity was frozen and that it counts"`
	Off   int               `json:"off" doc:"how many of them it counts otherwise"`
	Over  quantity.Quantity `json:"over"`
	Short quantity.Quantity `json:"short" doc:"below zero"`
}

// Revision is a count that would be replaced.
type Revision struct {
	Line   string            `json:"line"`
	Row    int               `json:"row"`
	Before quantity.Quantity `json:"before"`
	After  quantity.Quantity `json:"after"`
	Stays  bool              `json:"stays" doc:"it was said that the earlier count stays"`
}

// HandRow is a row that was added by hand.
type HandRow struct {
	Line     string            `json:"line"`
	Row      int               `json:"row"`
	Quantity quantity.Quantity `json:"quantity"`
	New      bool              `json:"new" doc:"the count has no such line; it is found stock"`
}

// countOf tells which count a file of counts belongs to: what the person says, else the one that its row codes name. Where
// they name several, the one with most rows; nothing is picked where two have as many.
func countOf(chosen int64, head counting.Head, rows map[int]int) (id int64, tie bool) {
	if chosen != 0 {
		return chosen, false
	}
	most := 0
	for c, n := range rows {
		switch {
		case n > most:
			id, most, tie = int64(c), n, false
		case n == most:
			tie = true
		}
	}
	if id == 0 {
		id = int64(head.Count)
	}
	return id, tie
}

// lookBack understands a file of counts: sheets that came back, or counts without row codes for a chosen count.
func (d *Room) lookBack(ctx context.Context, dr *draft, pt *part, r read.Reading, rec *records, out *Draft) error {
	v := pt.view
	f, err := d.readCounts(ctx, dr, pt, r)
	if err != nil {
		return err
	}
	v.Rows, v.Effect.Left = f.Rows, f.Left
	v.values(f.Values, field.Counts)
	pt.content = &backDraft{values: f.Values} // their remedies do not wait for the count
	head := counting.ReadHead(dr.name, pt.mapping, r, &pt.problems)
	tx := d.Store.Read(ctx)
	found, err := d.countsOf(tx, dr, pt, f, head, out)
	if err != nil || v.Blocked != "" {
		return err
	}
	var first *backDraft
	for _, x := range found {
		b, err := d.lookCount(tx, dr, pt, r, rec, x, head, out)
		if err != nil {
			return err
		}
		b.values = f.Values
		if first == nil {
			first, pt.content = b, b
			continue
		}
		first.further = append(first.further, b)
	}
	if n := v.Effect; n.Added+n.Changed+n.Unchanged+n.Gone == 0 && first.missing() == 0 && pt.problems.Rows == 0 && v.Blocked == "" {
		v.Blocked = "There is no count in it that could be taken in."
	}
	if v.Blocked == "" {
		v.Blocked = pt.tooDoubtful()
	}
	return nil
}

// missing is how many counts stand that the file has no more.
func (b *backDraft) missing() (n int) {
	for _, x := range b.all() {
		n += x.view.Missing
	}
	return n
}

// countFile is the rows of a file that belong to a count.
type countFile struct {
	count *store.Count
	file  *read.CountFile
}

// countsOf tells which counts the rows of a file belong to: the one that was chosen or that its row codes name, else the running ones of
// the warehouses that its rows name. It blocks the sheet where that cannot be told.
func (d *Room) countsOf(tx *gorm.DB, dr *draft, pt *part, f *read.CountFile, head counting.Head, out *Draft) ([]countFile, error) {
	v := pt.view
	id, tie := countOf(dr.choices.Count, head, counting.RowsIn(f))
	if tie {
		v.Blocked, out.Asks = "Its rows belong to several counts. Choose the count whose rows are to be taken in; those of the others can be dropped again.", "count"
		return nil, nil
	}
	if id == 0 {
		found, err := d.countsOfHouses(tx, dr, pt, f)
		if len(found) == 0 && err == nil {
			v.Blocked, out.Asks = "No row has a row code, so the file does not say which count it belongs to. Choose the count.", "count"
		}
		return found, err
	}
	c, err := desk.CountRow(tx, id)
	if errors.Is(err, desk.ErrNotFound) {
		v.Blocked = fmt.Sprintf("Its row codes belong to count number %d, which is not here.", id)
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	if c.State != store.Running {
		v.Blocked = fmt.Sprintf("The count %q is finished. Nothing more can be taken in for it.", c.Name)
		return nil, nil
	}
	return []countFile{{c, f}}, nil
}

// countsOfHouses finds for each warehouse that rows name its running count; none where a warehouse has several, or no row names one.
// Rows of a warehouse that is not counted now are problems.
func (d *Room) countsOfHouses(tx *gorm.DB, dr *draft, pt *part, f *read.CountFile) (found []countFile, err error) {
	if !pt.mapping.Has(field.Warehouse) {
		return nil, nil
	}
	var running []store.Count
	if err := tx.Where("state = ?", store.Running).Order("id").Find(&running).Error; err != nil {
		return nil, err
	}
	of := map[string][]int{} // running counts by the code of their warehouse
	for i := range running {
		h, err := desk.WarehouseRow(tx, running[i].WarehouseID)
		if err != nil {
			return nil, err
		}
		of[code.Fold(h.Code)] = append(of[code.Fold(h.Code)], i)
	}
	at := map[int]int{} // by running count, its place in found
	lost := map[stock.ID]bool{}
	for _, n := range f.Counts {
		house := n.Key[stock.Warehouse]
		counts := of[code.Fold(f.Codes[stock.Warehouse].Text(house))]
		switch {
		case house == 0 || len(counts) > 1:
			return nil, nil // it has to be said
		case len(counts) == 0:
			lost[house] = true
			continue
		}
		i, had := at[counts[0]]
		if !had {
			i = len(found)
			at[counts[0]] = i
			part := *f
			part.Counts = nil
			found = append(found, countFile{&running[counts[0]], &part})
		}
		found[i].file.Counts = append(found[i].file.Counts, n)
	}
	if len(found) == 0 {
		return nil, nil
	}
	for _, n := range f.Counts {
		if house := n.Key[stock.Warehouse]; lost[house] {
			name := f.Codes[stock.Warehouse].Text(house)
			pt.problems.Add(pt.mapping.Problem(dr.name, int(n.Row), field.Warehouse, "not counted now", name,
				fmt.Sprintf("no count of %s is running. Begin one, or leave its rows out", name)))
		}
	}
	for _, x := range found {
		pt.view.Assumed = append(pt.view.Assumed, fmt.Sprintf("%s for %q, the running count of the warehouse.",
			desk.Plural(len(x.file.Counts), "row is", "rows are"), x.count.Name))
	}
	return found, nil
}

// lookCount holds the rows of a file that belong to a count against it.
func (d *Room) lookCount(
	tx *gorm.DB,
	dr *draft,
	pt *part,
	r read.Reading,
	rec *records,
	x countFile,
	head counting.Head,
	out *Draft,
) (*backDraft, error) {
	v, c := pt.view, x.count
	h, err := desk.WarehouseRow(tx, c.WarehouseID)
	if err != nil {
		return nil, err
	}
	b := &backDraft{count: c, keys: map[string]count.FoundKey{}, timed: dr.choices.CountedAt == "", stays: map[int]bool{},
		some: pt.mapping.Listed}
	for _, row := range dr.choices.sheet(v.Number).Stays {
		b.stays[row] = true
	}
	if len(v.Backs) > 0 {
		b.mark = fmt.Sprintf(" %d", c.ID)
	}
	w := &desk.Work{Tx: tx}
	sheets, byID, err := count.SheetsOf(w, c)
	if err != nil {
		return nil, err
	}
	numbers := counting.SheetsIn(x.file)[int(c.ID)]
	if head.Sheet != 0 && !slices.Contains(numbers, head.Sheet) {
		numbers = append(slices.Clone(numbers), head.Sheet)
	}
	frozen, err := frozenOf(tx, c, h, sheets, numbers)
	if err != nil {
		return nil, err
	}
	find := finder{
		tx:    tx,
		count: c.ID,
		set:   c.SetID,
		house: h,
		year:  d.Now().Year(),
		units: pt.mapping.Has(field.Unit),
		rec:   rec,
		known: rec.known(),
		made:  b.keys,
	}
	if b.freezes, err = count.FreezesOf(tx, c); err != nil {
		return nil, err
	}
	frozen.Elsewhere = find.line
	frozen.Holder = func(sheet int) string { return sheets[sheet].Counter }
	if said := cutSince(sheets, numbers, frozen); said != "" {
		v.Assumed = append(v.Assumed, said)
	}
	back := counting.TakeBack(dr.name, pt.mapping.SheetName, pt.mapping, x.file, frozen, head, &pt.problems)
	if find.err != nil { // a row that could not be looked up must not pass for new
		return nil, find.err
	}
	if back.Held > 0 {
		v.Assumed = append(v.Assumed, desk.Plural(back.Held, "count names nobody who counted: it is by whoever has its sheet.",
			"counts name nobody who counted: they are by whoever has their sheet."))
	}
	if find.only > 0 {
		v.Assumed = append(
			v.Assumed,
			desk.Plural(
				find.only,
				"count names no lot, serial or holding and was taken for the only one that is recorded in its bin.",
				"counts name no lot, serial or holding; each was taken for the only one that is recorded in its bin.",
			),
		)
	}
	b.counts = back
	if back.Untimed > 0 {
		if dr.choices.CountedAt == "" {
			v.Blocked, out.Asks = fmt.Sprintf(
				"%d counts do not say when they were counted, neither in their rows nor in the head of the sheet. Say when.",
				back.Untimed,
			), "counted_at"
		} else {
			at, err := form.ParseTime(dr.choices.CountedAt, r.Zone)
			if err != nil {
				return nil, desk.RefuseAs(desk.Invalid, "counted_at", "%q %v.", dr.choices.CountedAt, err)
			}
			for i := range back.Counts {
				if n := &back.Counts[i]; !n.Timed {
					n.At, n.Timed = at, true
				}
			}
		}
	}
	d.askTimes(dr, v, b)
	return b, d.compareBack(w, dr, b, sheets, byID, v)
}

// frozenOf gives the lines of some sheets of a count, for proving their rows. A sheet that was longer once stands for the rows that its row
// codes were given for.
func frozenOf(tx *gorm.DB, c *store.Count, h *store.Warehouse, sheets map[int]store.Sheet, numbers []int) (*counting.Frozen, error) {
	f := &counting.Frozen{Count: int(c.ID), Book: &stock.Book{}}
	type stretch struct {
		from, to int64 // of positions
		start    int   // where they begin in the book
	}
	var stretches []stretch
	for _, n := range numbers {
		s, is := sheets[n]
		switch {
		case !is || s.Rows() == 0:
		case s.Recount(): // lines that stand near to one another are read together, with those between them
			for _, pos := range s.Positions().Some {
				if k := len(stretches) - 1; k >= 0 && pos >= stretches[k].from && pos-stretches[k].to < 200 {
					stretches[k].to = max(stretches[k].to, pos+1)
				} else {
					stretches = append(stretches, stretch{from: pos, to: pos + 1})
				}
			}
		default:
			stretches = append(stretches, stretch{from: s.First, to: s.First + int64(s.Rows())})
		}
	}
	slices.SortFunc(stretches, func(a, b stretch) int { return cmp.Or(cmp.Compare(a.from, b.from), cmp.Compare(b.to, a.to)) })
	house := f.Book.Codes[stock.Warehouse].Intern([]byte(h.Code))
	code := func(p stock.Part, v driver.Value) stock.ID {
		t, _ := v.(string)
		return f.Book.Codes[p].Intern([]byte(t))
	}
	read := int64(0) // a line that stands in two stretches is read once
	for i := range stretches {
		x := &stretches[i]
		x.from = max(x.from, read)
		x.start = len(f.Book.Lines)
		err := store.Each(
			tx,
			`SELECT l.pos, b.code, i.sku, l.lot, l.serial, l.holding FROM count_lines l JOIN bins b ON b.id = l.bin_id JOIN items i ON i.id = l.item_id
				WHERE l.count_id = ? AND l.pos >= ? AND l.pos < ? ORDER BY l.pos`,
			[]driver.Value{c.ID, x.from, x.to},
			func(v []driver.Value) error {
				f.Positions = append(f.Positions, v[0].(int64))
				f.Book.Lines = append(f.Book.Lines, stock.Line{Key: stock.Key{house, code(stock.Bin, v[1]), code(stock.SKU, v[2]),
					code(stock.Lot, v[3]), code(stock.Serial, v[4]), code(stock.Holding, v[5])}, Row: 1})
				return nil
			},
		)
		if err != nil {
			return nil, err
		}
		read = max(read, x.to)
	}
	stretches = slices.DeleteFunc(stretches, func(x stretch) bool { return x.from >= x.to })
	cut, again := false, false
	for _, n := range numbers {
		s := sheets[n]
		cut, again = cut || s.Rows() > s.Lines, again || s.Recount()
	}
	if c.Rounds == 2 || again {
		f.RoundOf = func(sheet int) int {
			s := sheets[sheet]
			return s.InRound()
		}
	}
	f.RowAt = func(sheet, row int) int {
		s, is := sheets[sheet]
		if !is || row > s.Rows() {
			return -1
		}
		pos := s.PosOf(row)
		at, has := slices.BinarySearchFunc(stretches, pos, func(x stretch, pos int64) int {
			switch {
			case x.to <= pos:
				return -1
			case x.from > pos:
				return 1
			}
			return 0
		})
		if !has {
			return -1
		}
		return stretches[at].start + int(pos-stretches[at].from)
	}
	if cut {
		on := [2]func(int64) (store.Sheet, bool){count.OnSheet(sheets, 1), count.OnSheet(sheets, 2)}
		f.SheetOf = func(sheet, row int) int {
			s, is := sheets[sheet]
			if is && row <= s.Rows() && !s.Recount() {
				if now, has := on[s.InRound()-1](s.First + int64(row) - 1); has {
					return now.Number
				}
			}
			return sheet
		}
	}
	return f, nil
}

// readCounts reads the counts. Rows of our own sheets are proved by their codes, so their bins and items are taken as
// they stand; in other files what is not known is told at once for all rows alike.
func (d *Room) readCounts(ctx context.Context, dr *draft, pt *part, r read.Reading) (*read.CountFile, error) {
	failed := func() error { return nil }
	if pt.mapping.Has(field.RowCode) {
		r.Measure, r.Known = r.Known.Measure, nil
		r.RowItem, failed = d.rowItems(ctx)
	}
	f, err := r.Counts(dr.table, pt.mapping, &pt.problems)
	if err == nil {
		err = failed()
	}
	pt.hear(f.Told)
	if err == nil {
		pt.view.packed(f.Packed)
	}
	return f, err
}

// rowItems finds the item of a row code, of whatever count; sheets are looked up as they come. failed gives what went wrong with that.
func (d *Room) rowItems(ctx context.Context) (item func(rowCode string) string, failed func() error) {
	tx := d.Store.Read(ctx)
	type sheet struct{ count, number int }
	known := map[sheet][]string{}
	var wrong error
	look := func(x sheet) (rows []string, err error) {
		var on store.Sheet
		if err := tx.Where("count_id = ? AND number = ?", x.count, x.number).Limit(1).Find(&on).Error; err != nil || on.ID == 0 {
			return nil, err
		}
		on.Lines = on.Rows() // as long as its codes stand for
		where, args := on.Where("l.pos")
		err = tx.Raw("SELECT i.sku FROM count_lines l JOIN items i ON i.id = l.item_id WHERE l.count_id = ? AND "+where+" ORDER BY l.pos",
			append([]any{x.count}, args...)...).Scan(&rows).Error
		return rows, err
	}
	item = func(rowCode string) string {
		c, number, row, ok := counting.ParseCode(rowCode)
		if !ok || row == 0 {
			return ""
		}
		rows, had := known[sheet{c, number}]
		if !had {
			var err error
			if rows, err = look(sheet{c, number}); err != nil && wrong == nil {
				wrong = err
			}
			known[sheet{c, number}] = rows
		}
		if row > len(rows) {
			return ""
		}
		return rows[row-1]
	}
	return item, func() error { return wrong }
}

// cutSince tells which of the sheets of a file were cut anew since, so that their rows are on others now.
func cutSince(sheets map[int]store.Sheet, numbers []int, f *counting.Frozen) string {
	var old, gone []string
	for _, n := range numbers {
		switch s := sheets[n]; {
		case s.State == store.LetGo:
			gone = append(gone, strconv.Itoa(n))
		case s.Rows() > s.Lines:
			old = append(old, strconv.Itoa(n))
		}
	}
	var said []string
	sheet := func(n []string) string {
		if len(n) == 1 {
			return "Sheet " + n[0]
		}
		return "Of sheets " + strings.Join(n, ", ") + " each"
	}
	if len(old) > 0 {
		said = append(
			said,
			sheet(old)+" was cut anew or parted since it was written. Its rows are taken as those of the sheets that they are on now.",
		)
	}
	if len(gone) > 0 {
		said = append(
			said,
			sheet(gone)+" was let go out of the count. Its rows are taken as counted beside it, and held against what was recorded.",
		)
	}
	return strings.Join(said, " ")
}
