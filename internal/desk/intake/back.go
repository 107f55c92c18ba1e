package intake

import (
	"context"
	"database/sql/driver"
	"errors"
	"fmt"
	"slices"

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
	counts  *counting.Back
	timed   bool                      // times stand in the file, not in an answer
	revised counting.Revision         // as it was looked at
	keys    map[string]count.FoundKey // bin and item of keys that the count does not have yet
	view    *BackView
	touched []int // numbers of the sheets
	// further are those of other counts, where a file spans several warehouses that are counted at the same time.
	further []*backDraft
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
	Empty     int        `json:"empty" doc:"rows without a count; they stay as they are"`
	ByHand    int        `json:"by_hand" doc:"rows that the sheet did not have"`
	By        string     `json:"by"`
	Revisions []Revision `json:"revisions"`
	Hand      []HandRow  `json:"hand"`
	Gone      []HandRow  `json:"gone" doc:"counts that the file has no more, the first of them"`
}

// Revision is a count that would be replaced.
type Revision struct {
	Line   string            `json:"line"`
	Row    int               `json:"row"`
	Before quantity.Quantity `json:"before"`
	After  quantity.Quantity `json:"after"`
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
	if n := v.Effect; n.Added+n.Changed+n.Unchanged+n.Gone == 0 && first.missing() == 0 && v.Blocked == "" {
		v.Blocked = "There is no count in it that could be taken in."
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
	b := &backDraft{count: c, keys: map[string]count.FoundKey{}, timed: dr.choices.CountedAt == ""}
	if len(v.Backs) > 0 {
		b.mark = fmt.Sprintf(" %d", c.ID)
	}
	w := &desk.Work{DB: tx}
	sheets, _, err := count.SheetsOf(w, c)
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
	find := finder{tx: tx, count: c.ID, house: h, year: d.Now().Year(), rec: rec, known: rec.known(), made: b.keys}
	frozen.Elsewhere = find.line
	back := counting.TakeBack(dr.name, pt.mapping.SheetName, pt.mapping, x.file, frozen, head, &pt.problems)
	if find.err != nil { // a row that could not be looked up must not pass for new
		return nil, find.err
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
	return b, d.compareBack(w, dr, b, sheets, v)
}

// ask asks about what the file does to this count, named where the file belongs to several.
func (b *backDraft) ask(v *SheetOfFile, c *Choices, x Check) {
	if b.mark != "" {
		x.What, x.Text = x.What+b.mark, b.count.Name+": "+x.Text
	}
	v.ask(c, x)
}

// askTimes asks about counting times that can hardly be: before the freeze, or still to come.
func (d *Room) askTimes(dr *draft, v *SheetOfFile, b *backDraft) {
	var early, future []CheckRow
	now := d.Now().UnixNano()
	for i := range b.counts.Counts {
		n := &b.counts.Counts[i]
		if !n.Timed {
			continue
		}
		row := CheckRow{n.Row, b.counts.Name(n), desk.Instant(n.At).Format("2006-01-02 15:04 MST")}
		switch {
		case n.At < b.count.FrozenAt:
			early = append(early, row)
		case n.At > now:
			future = append(future, row)
		}
	}
	option := []CheckOption{{asItIs, "Take the times as they are"}}
	if n := len(early); n > 0 {
		b.ask(v,
			&dr.choices,
			Check{
				What: "early",
				Text: fmt.Sprintf(
					"%s before the freeze (%s), so movements from before it would be missing. Correct the times, or say that they are right.",
					desk.Plural(n, "count was made", "counts were made"),
					desk.Instant(b.count.FrozenAt).Format("2006-01-02 15:04 MST"),
				),
				Options: option,
				Rows:    early,
			},
		)
	}
	if n := len(future); n > 0 {
		b.ask(v,
			&dr.choices,
			Check{
				What: "future",
				Text: desk.Plural(
					n,
					"counting time is",
					"counting times are",
				) + " still to come. Correct the times, or say that they are right.",
				Options: option,
				Rows:    future,
			},
		)
	}
}

// frozenOf gives the lines of some sheets of a count, for proving their rows.
func frozenOf(tx *gorm.DB, c *store.Count, h *store.Warehouse, sheets map[int]store.Sheet, numbers []int) (*counting.Frozen, error) {
	f := &counting.Frozen{Count: int(c.ID), Book: &stock.Book{}}
	starts := make(map[int]int, len(numbers)) // by sheet: its first line in the book
	slices.Sort(numbers)
	house := f.Book.Codes[stock.Warehouse].Intern([]byte(h.Code))
	code := func(p stock.Part, v driver.Value) stock.ID {
		t, _ := v.(string)
		return f.Book.Codes[p].Intern([]byte(t))
	}
	for _, n := range numbers {
		if s, is := sheets[n]; is {
			starts[n] = len(f.Book.Lines)
			err := store.Each(
				tx,
				`SELECT l.pos, b.code, i.sku, l.lot, l.serial, l.holding FROM count_lines l JOIN bins b ON b.id = l.bin_id JOIN items i ON i.id = l.item_id
				WHERE l.count_id = ? AND l.pos >= ? AND l.pos < ? ORDER BY l.pos`,
				[]driver.Value{c.ID, s.First, s.First + int64(s.Lines)},
				func(v []driver.Value) error {
					f.Positions = append(f.Positions, v[0].(int64))
					f.Book.Lines = append(
						f.Book.Lines,
						stock.Line{
							Key: stock.Key{
								house,
								code(stock.Bin, v[1]),
								code(stock.SKU, v[2]),
								code(stock.Lot, v[3]),
								code(stock.Serial, v[4]),
								code(stock.Holding, v[5]),
							},
							Row: 1,
						},
					)
					return nil
				},
			)
			if err != nil {
				return nil, err
			}
		}
	}
	f.RowAt = func(sheet, row int) int {
		start, is := starts[sheet]
		if !is || row > sheets[sheet].Lines {
			return -1
		}
		return start + row - 1
	}
	return f, nil
}

// readCounts reads the counts. Rows of our own sheets are proved by their codes, so their bins and items are taken as
// they stand; in other files what is not known is told at once for all rows alike.
func (d *Room) readCounts(ctx context.Context, dr *draft, pt *part, r read.Reading) (*read.CountFile, error) {
	if pt.mapping.Has(field.RowCode) {
		r.Measure, r.RowItem, r.Known = r.Known.Measure, d.rowItems(ctx), nil
	}
	f, err := r.Counts(dr.table, pt.mapping, &pt.problems)
	pt.hear(f.Told)
	if err == nil {
		pt.view.packed(f.Packed)
	}
	return f, err
}

// rowItems finds the item of a row code, of whatever count; sheets are looked up as they come.
func (d *Room) rowItems(ctx context.Context) func(rowCode string) string {
	tx := d.Store.Read(ctx)
	type sheet struct{ count, number int }
	known := map[sheet][]string{}
	return func(rowCode string) string {
		c, number, row, ok := counting.ParseCode(rowCode)
		if !ok || row == 0 {
			return ""
		}
		rows, had := known[sheet{c, number}]
		if !had {
			// What cannot be looked up is told when the rows are proved.
			_ = tx.Raw(`SELECT i.sku FROM sheets s JOIN count_lines l ON l.count_id = s.count_id AND l.pos >= s.first AND l.pos < s.first + s.lines
				JOIN items i ON i.id = l.item_id WHERE s.count_id = ? AND s.number = ? ORDER BY l.pos`, c, number).Scan(&rows).Error
			known[sheet{c, number}] = rows
		}
		if row > len(rows) {
			return ""
		}
		return rows[row-1]
	}
}

// revise holds the counts against the entries that stand now.
func (b *backDraft) revise(w *desk.Work) (counting.Revision, error) {
	sheets, numbers, err := count.SheetsOf(w, b.count)
	if err != nil {
		return counting.Revision{}, err
	}
	var positions []int64
	for i := range b.counts.Counts {
		c := &b.counts.Counts[i]
		c.Parcel, c.Replaces = 0, 0
		if c.Pos >= 0 {
			positions = append(positions, c.Pos)
		}
	}
	slices.Sort(positions)
	stands, err := count.StandingOf(w, b.count, store.Near(append([]int64{0}, slices.Compact(positions)...)), numbers)
	if err != nil {
		return counting.Revision{}, err
	}
	seen := make(map[int64]bool, len(stands))
	for _, s := range stands {
		seen[s.ID] = true
	}
	for _, n := range b.touched { // what the file has no more stands on its sheets
		s := sheets[n]
		more, err := count.StandingOf(w, b.count, store.Positions{From: s.First, To: s.First + int64(s.Lines)}, numbers)
		if err != nil {
			return counting.Revision{}, err
		}
		var found []int64 // rows that were added to it by hand stand on lines of other sheets, or of none
		if err := w.Raw("SELECT DISTINCT pos FROM entries WHERE count_id = ? AND sheet_id = ? AND sheet_id <> 0 AND parcel <> 0", b.count.ID,
			s.ID).Scan(&found).Error; err != nil {
			return counting.Revision{}, err
		}
		if len(found) > 0 {
			hand, err := count.StandingOf(w, b.count, store.Positions{Some: found}, numbers)
			if err != nil {
				return counting.Revision{}, err
			}
			more = append(more, hand...)
		}
		for _, x := range more {
			if !seen[x.ID] {
				seen[x.ID] = true
				stands = append(stands, x)
			}
		}
	}
	return counting.Revise(b.counts, stands, b.timed), nil
}

// compareBack holds the counts against the entries that stand.
func (d *Room) compareBack(w *desk.Work, dr *draft, b *backDraft, sheets map[int]store.Sheet, out *SheetOfFile) error {
	back := b.counts
	v := &BackView{
		Count:     b.count.ID,
		CountName: b.count.Name,
		Sheets:    []string{},
		SheetsN:   len(back.Sheets),
		Empty:     back.Empty,
		ByHand:    back.ByHand,
		By:        back.By,
		Revisions: []Revision{},
		Hand:      []HandRow{},
		Gone:      []HandRow{},
	}
	b.view, out.Backs = v, append(out.Backs, v)
	for _, n := range back.Sheets {
		if len(v.Sheets) < 200 {
			v.Sheets = append(v.Sheets, sheets[n].Code)
		}
		b.touched = append(b.touched, n)
	}
	r, err := b.revise(w)
	if err != nil {
		return err
	}
	b.revised = r
	v.Added, v.Revised, v.Unchanged, v.Missing, v.Again = len(r.Added), len(r.Revised), r.Unchanged, len(r.Missing), len(r.Again)
	for _, x := range r.Revised[:min(len(r.Revised), 200)] {
		v.Revisions = append(v.Revisions, Revision{back.Name(x.Count), x.Count.Row, x.Before.Quantity, x.Count.Quantity})
	}
	for i := range back.Counts {
		if n := &back.Counts[i]; n.ByHand && n.Replaces >= 0 && len(v.Hand) < 200 {
			v.Hand = append(v.Hand, HandRow{back.Name(n), n.Row, n.Quantity, n.Pos < 0})
		}
	}
	if err := d.askMissing(w, dr, b, out); err != nil {
		return err
	}
	d.askAgain(dr, b, out)
	switch out.answered("again" + b.mark) {
	case leave:
		v.Added -= len(r.Again)
	case count.Replace:
		for _, x := range r.Again {
			v.Withdrawn += len(x.Before)
		}
	}
	if out.answered("missing"+b.mark) == withdraw {
		v.Withdrawn += len(r.Missing)
	}
	e := &out.Effect
	e.Added, e.Changed, e.Unchanged, e.Gone = e.Added+v.Added, e.Changed+v.Revised, e.Unchanged+v.Unchanged, e.Gone+v.Withdrawn
	return nil
}

// askMissing names counts of the file's sheets that it has no more; where it is a later version of them it is asked what
// becomes of them.
func (d *Room) askMissing(w *desk.Work, dr *draft, b *backDraft, out *SheetOfFile) error {
	r := &b.revised
	if len(r.Missing) == 0 {
		return nil
	}
	var rows []CheckRow
	for _, m := range r.Missing[:min(len(r.Missing), listedChecks)] {
		row := CheckRow{0, count.LineName(w, b.count, m.Pos), m.Quantity.String() + " stands"}
		rows = append(rows, row)
		b.view.Gone = append(b.view.Gone, HandRow{row.Line, 0, m.Quantity, false})
	}
	for range len(r.Missing) - len(rows) { // told by number alone
		rows = append(rows, CheckRow{})
	}
	n := len(r.Missing)
	if !r.Revises {
		out.Assumed = append(
			out.Assumed,
			desk.Plural(
				n,
				"count of its sheets stands already and is not in it; it stays",
				"counts of its sheets stand already and are not in it; they stay",
			)+" as taken in or typed before.",
		)
		return nil
	}
	b.ask(out, &dr.choices, Check{What: "missing", Rows: rows,
		Text: "It is a later version of a sheet, and " + desk.Plural(
			n,
			"row that was counted before is empty or missing in it",
			"rows that were counted before are empty or missing in it",
		) + ". Say whether these counts are withdrawn or stay.",
		Options: []CheckOption{
			{withdraw, "Withdraw " + desk.Plural(n, "count", "counts")},
			{leave, "Leave " + desk.Plural(n, "count as it is", "counts as they are")},
		}})
	return nil
}

// askAgain asks about counts of lines that are counted elsewhere already.
func (d *Room) askAgain(dr *draft, b *backDraft, out *SheetOfFile) {
	r := &b.revised
	n := len(r.Again)
	if n == 0 {
		return
	}
	var rows []CheckRow
	for _, x := range r.Again[:min(n, listedChecks)] {
		row := CheckRow{Row: x.Count.Row, Line: b.counts.Name(x.Count), Text: x.Count.Quantity.String() + " here"}
		for _, s := range x.Before {
			row.Text += ", " + s.Quantity.String() + " before"
		}
		rows = append(rows, row)
	}
	for range n - len(rows) { // told by number alone
		rows = append(rows, CheckRow{})
	}
	b.ask(out, &dr.choices, Check{What: "again", Rows: rows,
		Text: desk.Plural(
			n,
			"line of it is counted already, in another sheet or file",
			"lines of it are counted already, in other sheets or files",
		) + ". The same stock counted twice must not add up; two parcels of it must.",
		Options: []CheckOption{
			{count.Replace, "The new count stands alone"},
			{count.AddUp, "Both add up"},
			{leave, "Leave the new count out"},
		}})
}
