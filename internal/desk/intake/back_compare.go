package intake

import (
	"cmp"
	"fmt"
	"slices"

	"wobin/internal/core/code"
	"wobin/internal/core/counting"
	"wobin/internal/core/quantity"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/store"
)

// revise holds the counts against the entries that stand now, with the sheets of the count.
func (b *backDraft) revise(w *desk.Work, sheets map[int]store.Sheet, numbers map[int64]int) (counting.Revision, error) {
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
		more, err := count.StandingOf(w, b.count, s.Positions(), numbers)
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
	moved := false
	for _, s := range sheets {
		moved = moved || s.Rows() > s.Lines
	}
	if moved { // a row belongs to the sheet that it is on now, whichever it was counted on
		on := [2]func(int64) (store.Sheet, bool){count.OnSheet(sheets, 1), count.OnSheet(sheets, 2)}
		for i := range stands {
			if x := &stands[i]; x.Parcel == 0 && x.Sheet != 0 && x.Round <= 2 {
				if now, has := on[x.Round-1](x.Pos); has {
					x.Sheet = now.Number
				}
			}
		}
	}
	if b.count.Rounds == 2 || slices.ContainsFunc(b.counts.Counts, func(c counting.Count) bool { return c.Round >= store.FirstRecount }) {
		b.stands = stands
	}
	return counting.Revise(b.counts, stands, b.timed), nil
}

// compareBack holds the counts against the entries that stand.
func (d *Room) compareBack(
	w *desk.Work, dr *draft, b *backDraft, sheets map[int]store.Sheet, numbers map[int64]int, out *SheetOfFile,
) error {
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
	r, err := b.revise(w, sheets, numbers)
	if err != nil {
		return err
	}
	b.revised = r
	v.Added, v.Revised, v.Unchanged, v.Missing, v.Again = len(r.Added), len(r.Revised), r.Unchanged, len(r.Missing), len(r.Again)
	for _, x := range r.Revised[:min(len(r.Revised), 200)] {
		v.Revisions = append(
			v.Revisions,
			Revision{back.Name(x.Count), x.Count.Row, x.Before.Quantity, x.Count.Quantity, b.stays[x.Count.Row]},
		)
	}
	for _, x := range r.Revised {
		if b.stays[x.Count.Row] {
			v.Revised--
		}
	}
	if v.Off, err = d.off(w, dr, b); err != nil {
		return err
	}
	for i := range back.Counts {
		if n := &back.Counts[i]; n.ByHand && n.Replaces >= 0 && len(v.Hand) < 200 {
			v.Hand = append(v.Hand, HandRow{back.Name(n), n.Row, n.Quantity, n.Pos < 0})
		}
	}
	b.askSamePerson(dr, out)
	b.stands = nil
	if err := d.askMissing(w, dr, b, out); err != nil {
		return err
	}
	d.askAgain(dr, b, out)
	switch out.answered("again" + b.mark) {
	case leave:
		v.Added -= len(r.Again)
	case inTray:
		v.Added -= len(r.Again)
		v.Tray = len(r.Again)
	case count.Replace:
		for _, x := range r.Again {
			v.Withdrawn += len(x.Before)
		}
	}
	if out.answered("missing"+b.mark) == withdraw {
		v.Withdrawn += len(r.Missing)
	}
	e := &out.Effect
	e.Tray += v.Tray
	e.Added, e.Changed, e.Unchanged, e.Gone = e.Added+v.Added, e.Changed+v.Revised, e.Unchanged+v.Unchanged, e.Gone+v.Withdrawn
	return nil
}

// off holds the counts of a file against what was frozen, for whoever may know of that.
func (d *Room) off(w *desk.Work, dr *draft, b *backDraft) (*Off, error) {
	if blind, err := desk.BlindIn(w.Tx, dr.person, b.count.WarehouseID); err != nil || blind {
		return nil, err
	}
	all := b.counts.Counts
	order := make([]int32, 0, len(all)) // those of known lines, by their lines: a file may have a million
	for i := range all {
		if c := &all[i]; c.Pos >= 0 && c.Round == all[0].Round {
			order = append(order, int32(i))
		}
	}
	if len(order) == 0 {
		return nil, nil
	}
	slices.SortFunc(order, func(a, b int32) int { return cmp.Compare(all[a].Pos, all[b].Pos) })
	pos := func(at int) int64 { return all[order[at]].Pos }
	lines := store.Positions{From: pos(0), To: pos(len(order)-1) + 1}
	if len(order) <= 1000 {
		for i := range order {
			if n := len(lines.Some); n == 0 || lines.Some[n-1] != pos(i) {
				lines.Some = append(lines.Some, pos(i))
			}
		}
	}
	out, at, ok := &Off{}, 0, true
	add := func(into *quantity.Quantity, n int64) {
		sum, is := quantity.Add(*into, quantity.Quantity(n))
		*into, ok = sum, ok && is
	}
	err := store.Frozen(w.Tx, b.count.ID, lines, func(line, recorded int64) {
		for at < len(order) && pos(at) < line {
			at++
		}
		if at == len(order) || pos(at) != line {
			return
		}
		is := quantity.Quantity(0)
		for ; at < len(order) && pos(at) == line; at++ { // parcels of a line add up
			add(&is, int64(all[order[at]].Quantity))
		}
		diff, fine := quantity.Add(is, -quantity.Quantity(recorded))
		ok = ok && fine
		out.Lines++
		switch {
		case diff > 0:
			out.Off++
			add(&out.Over, int64(diff))
		case diff < 0:
			out.Off++
			add(&out.Short, int64(diff))
		}
	})
	if err != nil || !ok { // what is too much to add up is refused where it is worked out
		return nil, err
	}
	return out, nil
}

// askSamePerson asks about lines that the same person counted in both of two rounds, which are by different people.
func (b *backDraft) askSamePerson(dr *draft, out *SheetOfFile) {
	if len(b.stands) == 0 {
		return
	}
	type of struct {
		pos   int64
		round int
	}
	by := map[of]string{}
	for _, s := range b.stands {
		if !s.Withdrawn {
			by[of{s.Pos, s.Round}] = code.Fold(s.Counter)
		}
	}
	var rows []CheckRow
	n := 0
	for i := range b.counts.Counts {
		c := &b.counts.Counts[i]
		who := code.Fold(c.Counter)
		before := c.Round <= 2 && by[of{c.Pos, 3 - c.Round}] == who
		for round := 1; round < c.Round && c.Round >= store.FirstRecount; round++ {
			before = before || by[of{c.Pos, round}] == who
		}
		if who != "" && before {
			if n++; len(rows) < listedChecks {
				rows = append(rows, CheckRow{c.Row, b.counts.Name(c), c.Counter})
			}
		}
	}
	if n == 0 {
		return
	}
	for range n - len(rows) { // told by number alone
		rows = append(rows, CheckRow{})
	}
	b.ask(out, &dr.choices, Check{What: "same person", Rows: rows,
		Text: desk.Plural(
			n,
			"line of it was",
			"lines of it were",
		) + " counted by the same person in another round. Rounds are by different people.",
		Options: []CheckOption{{asItIs, "Take them as they are"}}})
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
		row := CheckRow{0, count.LineName(w.Tx, b.count, m.Pos), m.Quantity.String() + " stands"}
		rows = append(rows, row)
		b.view.Gone = append(b.view.Gone, HandRow{row.Line, 0, m.Quantity, false})
	}
	for range len(r.Missing) - len(rows) { // told by number alone
		rows = append(rows, CheckRow{})
	}
	n := len(r.Missing)
	if !r.Revises || b.some {
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
			{inTray, "Let them wait in the tray, each to be decided there"},
		}})
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
		case n.At < b.freezes.At(n.Pos):
			if at := b.freezes.At(n.Pos); at != b.count.FrozenAt {
				row.Text += ", frozen " + desk.Instant(at).Format("2006-01-02 15:04 MST")
			}
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
