package desk

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"time"

	"wobin/internal/core/quantity"
	"wobin/internal/core/variance"
	"wobin/internal/store"
)

// ReasonView is a reason code.
type ReasonView struct {
	Code    string `json:"code"`
	Name    string `json:"name"`
	Account string `json:"account"`
}

// Reasons lists the reason codes.
func (d *Desk) Reasons(ctx context.Context, p Person) ([]ReasonView, error) {
	if err := allow(p, Look); err != nil {
		return nil, err
	}
	var rows []store.Reason
	err := d.store.Read(ctx).Order("code").Find(&rows).Error
	out := make([]ReasonView, len(rows))
	for i, r := range rows {
		out[i] = ReasonView(r)
	}
	return out, err
}

// Decided is the last word on a decision.
type Decided struct {
	Lines int `json:"lines"`
}

// linesAt loads lines of a count by their places; one that is missing, or asked for twice, is an error.
func (w *Work) linesAt(c *store.Count, places []int64) ([]store.CountLine, error) {
	sorted := slices.Clone(places)
	slices.Sort(sorted)
	if sorted = slices.Compact(sorted); len(sorted) != len(places) || len(places) == 0 {
		return nil, refuseAs(Invalid, "lines", "Name each line once.")
	}
	lines := make([]store.CountLine, 0, len(sorted))
	for some := range slices.Chunk(sorted, stretch) {
		err := store.EachCountLine(
			w.DB,
			c.ID,
			store.Positions{Some: some},
			func(l *store.CountLine) error { lines = append(lines, *l); return nil },
		)
		if err != nil {
			return nil, err
		}
	}
	if len(lines) != len(places) {
		return nil, missing("A line")
	}
	return lines, nil
}

func (w *Work) knownReason(reason string) error {
	if reason == "" {
		return nil
	}
	var n int64
	if err := w.Model(&store.Reason{}).Where("code = ?", reason).Count(&n).Error; err != nil {
		return err
	}
	if n == 0 {
		return refuseAs(Invalid, "reason", "%q is no reason code.", reason)
	}
	return nil
}

// Decide accepts or holds what is open of lines, or takes an earlier decision back (kind ""). All of them or none.
func (d *Desk) Decide(ctx context.Context, p Person, countID int64, places []int64, kind, reason string) (Decided, error) {
	return Do(ctx, d, p, Decide, Key{}, func(w *Work) (out Decided, err error) {
		if kind != "" && kind != store.Accept && kind != store.Hold {
			return out, refuseAs(Invalid, "kind", "A decision is accept or hold.")
		}
		c, err := w.Running(countID)
		if err != nil {
			return out, err
		}
		if err := w.knownReason(reason); err != nil {
			return out, err
		}
		lines, err := w.linesAt(c, places)
		if err != nil {
			return out, err
		}
		t := newTallying(w, c)
		if len(lines) > 2000 {
			if err := t.preload(); err != nil {
				return out, err
			}
		}
		rows := make([]store.Decision, len(lines))
		for i := range lines {
			l := &lines[i]
			if l.Queue == store.NotQueued {
				if l.Postings > 0 {
					return out, refuse("%s went out already, and nothing of it is open.", w.lineName(c, l.Pos))
				}
				return out, refuse("%s has no variance to decide.", w.lineName(c, l.Pos))
			}
			before := *l
			rest := l.Rest
			rows[i] = store.Decision{CountID: c.ID, Pos: l.Pos, Kind: kind, Reason: reason, Person: p.Name, At: w.Now, Quantity: &rest}
			l.Decision, l.Reason = kind, reason
			l.Enqueue(lineState(l))
			if err := t.move(&before, l, false); err != nil {
				return out, err
			}
		}
		if err := store.UpdateCountLines(w.DB, c.ID, lines); err != nil {
			return out, err
		}
		if err := t.write(); err != nil {
			return out, err
		}
		out.Lines = len(rows)
		if err := w.appendDecisions(rows); err != nil {
			return out, err
		}
		return out, w.Say("decided", map[string]any{"count": c.ID, "kind": kind, "reason": reason, "lines": len(rows)})
	})
}

// appendDecisions appends decisions, and lets the work's word cover them.
func (w *Work) appendDecisions(rows []store.Decision) error {
	if len(rows) == 0 {
		return nil
	}
	if err := store.Batch(w.DB, rows); err != nil {
		return err
	}
	return w.Cover("decisions", rows[0].ID, rows[len(rows)-1].ID)
}

// Uncounted is what it would come to that uncounted means zero, for some lines of a count.
type Uncounted struct {
	Lines    int            `json:"lines" doc:"uncounted lines of which something is expected"`
	Zeroed   int            `json:"zeroed" doc:"lines that were settled to be zero already"`
	Value    quantity.Money `json:"value" doc:"what they would lose, never above zero but where less than nothing is expected"`
	Unvalued int            `json:"unvalued"`
}

// UncountedPart says which uncounted lines are meant: of a zone, some of them, or all.
type UncountedPart struct {
	Zone  *string `json:"zone,omitempty" doc:"left out: all zones"`
	Lines []int64 `json:"lines,omitempty" maxItems:"100000" doc:"these lines alone"`
}

// SeeUncounted tells what it would come to that uncounted means zero.
func (d *Desk) SeeUncounted(ctx context.Context, p Person, countID int64, part UncountedPart) (u Uncounted, err error) {
	c, err := d.judge(ctx, p, countID)
	if err != nil {
		return u, err
	}
	w := &Work{DB: c.tx, desk: d}
	lines, zeroed, err := w.uncounted(c.Count, part)
	if err != nil {
		return u, err
	}
	u.Zeroed = len(zeroed)
	err = u.add(lines)
	return u, err
}

func (u *Uncounted) add(lines []store.CountLine) error {
	for i := range lines {
		l := &lines[i]
		if u.Lines++; l.Cost == nil {
			u.Unvalued++
			continue
		}
		v, err := quantity.Value(quantity.Quantity(-l.Expected), quantity.Cost(*l.Cost))
		ok := err == nil
		if ok {
			u.Value, ok = quantity.AddMoney(u.Value, v)
		}
		if !ok {
			return tooMuch()
		}
	}
	return nil
}

// uncounted gives the uncounted lines of a part: those of which something is expected, and those that were settled to be
// zero already.
func (w *Work) uncounted(c *store.Count, part UncountedPart) (lines, zeroed []store.CountLine, err error) {
	q, args := "SELECT l.pos FROM count_lines l JOIN bins b ON b.id = l.bin_id WHERE l.count_id = ? AND l.status = 'uncounted' AND (l.expected <> 0 OR l.zeroed = 1)", []any{
		c.ID,
	}
	if part.Zone != nil {
		q, args = q+" AND b.zone = ?", append(args, *part.Zone)
	}
	if part.Lines != nil {
		b, err := json.Marshal(part.Lines)
		if err != nil {
			return nil, nil, err
		}
		q, args = q+" AND l.pos IN (SELECT value FROM json_each(?))", append(args, string(b))
	}
	var places []int64
	if err := w.Raw(q+" ORDER BY l.pos", args...).Scan(&places).Error; err != nil {
		return nil, nil, err
	}
	for some := range slices.Chunk(places, stretch) {
		err := store.EachCountLine(w.DB, c.ID, store.Positions{Some: some}, func(l *store.CountLine) error {
			if l.Zeroed {
				zeroed = append(zeroed, *l)
			} else {
				lines = append(lines, *l)
			}
			return nil
		})
		if err != nil {
			return nil, nil, err
		}
	}
	return lines, zeroed, nil
}

// SetZero settles that uncounted means zero for the uncounted lines of a part, or takes that back. Their variances are open
// then, as those of counted lines, and want a decision. expect is the number of lines that the person saw.
func (d *Desk) SetZero(ctx context.Context, p Person, countID int64, part UncountedPart, zero bool, expect int) (Decided, error) {
	return Do(ctx, d, p, Decide, Key{}, func(w *Work) (out Decided, err error) {
		c, err := w.Running(countID)
		if err != nil {
			return out, err
		}
		kind := store.Zero
		lines, zeroed, err := w.uncounted(c, part)
		if err != nil {
			return out, err
		}
		if !zero {
			kind, lines = store.Leave, zeroed
		}
		if len(lines) != expect {
			return out, refuseAs(Changed, "lines", "It is %s now, not %d. Look at it again.", plural(len(lines), "line", "lines"), expect)
		}
		if len(lines) == 0 {
			return out, refuse("There is no uncounted line here that this would change.")
		}
		places, rows := make([]int64, len(lines)), make([]store.Decision, len(lines))
		for i := range lines {
			l := &lines[i]
			places[i] = l.Pos
			q := -l.Expected
			rows[i] = store.Decision{CountID: c.ID, Pos: l.Pos, Kind: kind, Person: p.Name, At: w.Now, Quantity: &q}
		}
		b, err := json.Marshal(places)
		if err != nil {
			return out, err
		}
		if err := w.Exec("UPDATE count_lines SET zeroed = ? WHERE count_id = ? AND pos IN (SELECT value FROM json_each(?))", zero, c.ID,
			string(b)).Error; err != nil {
			return out, err
		}
		if err := w.workOut(c, places, false); err != nil {
			return out, err
		}
		if err := w.appendDecisions(rows); err != nil {
			return out, err
		}
		out.Lines = len(lines)
		return out, w.Say(
			"uncounted "+map[bool]string{true: "means zero", false: "left"}[zero],
			map[string]any{"count": c.ID, "lines": len(lines), "zone": part.Zone},
		)
	})
}

// HistoryEvent is one thing that happened to a line.
type HistoryEvent struct {
	At       time.Time          `json:"at"`
	What     string             `json:"what" enum:"freeze,movement,entry,withdrawal,decision,posting"`
	Quantity *quantity.Quantity `json:"quantity"`
	Level    *quantity.Quantity `json:"level" doc:"what was expected to be there then"`
	Text     string             `json:"text"`
	Replaced bool               `json:"replaced"`
	Entry    int64              `json:"entry" doc:"of a count that stands: its number, by which it can be withdrawn"`
}

// LineHistory is the history of a line on one time axis.
type LineHistory struct {
	Line   VarianceLine   `json:"line"`
	Events []HistoryEvent `json:"events"`
	Others []VarianceLine `json:"others" doc:"the item's other lines in this count, the first of them"`
	More   int            `json:"more" doc:"how many of them are not listed"`
}

// History tells what happened to a line of a count.
func (d *Desk) History(ctx context.Context, p Person, countID, pos int64) (h LineHistory, err error) {
	h.Events, h.Others = []HistoryEvent{}, []VarianceLine{}
	c, err := d.judge(ctx, p, countID)
	if err != nil {
		return h, err
	}
	tx := c.tx
	var row varianceRow
	if err := tx.Raw(varianceRows+" AND l.pos = ?", c.ID, pos).Scan(&row).Error; err != nil {
		return h, err
	}
	if row.Pos == 0 || row.Status == store.Gone {
		return h, missing("The line")
	}
	h.Line = row.view(0)
	if err := d.otherLines(ctx, c, &row, &h); err != nil {
		return h, err
	}
	level := *h.Line.Recorded
	at := func(ns int64, what string, q *int64, text string, replaced bool, entry int64) {
		e := HistoryEvent{At: instant(ns), What: what, Quantity: (*quantity.Quantity)(q), Text: text, Replaced: replaced, Entry: entry}
		if what != "decision" {
			l := level
			e.Level = &l
		}
		h.Events = append(h.Events, e)
	}
	recorded := int64(level)
	at(c.FrozenAt, "freeze", &recorded, "frozen", false, 0)
	var m []store.CountMove
	if err := store.EachCountMove(tx, c.ID, store.Positions{Some: []int64{pos}}, func(x store.CountMove) error {
		m = append(m,
			x)
		return nil
	}); err != nil {
		return h, err
	}
	moved := func(upTo int64) {
		for len(m) > 0 && m[0].At <= upTo {
			q := m[0].Quantity
			if sum, ok := quantity.Add(level, quantity.Quantity(q)); ok {
				level = sum
			}
			at(m[0].At, "movement", &q, "moved", false, 0)
			m = m[1:]
		}
	}
	var entries []store.Entry
	if err := tx.Where("count_id = ? AND pos = ?", c.ID, pos).Order("counted_at, id").Find(&entries).Error; err != nil {
		return h, err
	}
	replaced := map[int64]bool{}
	for _, e := range entries {
		replaced[e.Replaces] = true
	}
	for _, e := range entries {
		moved(e.CountedAt)
		q, what := e.Quantity, "entry"
		text := e.Counter
		if slot := slotName(c.ID, &row.CountLine, &e, row.Number, row.First); slot != "" && slot != h.Line.RowCode {
			text += ", " + slot
		}
		if e.Withdrawn {
			what, text = "withdrawal", "withdrawn by "+e.Person
			at(e.At, what, nil, text, true, 0)
			continue
		}
		standing := int64(0)
		if !replaced[e.ID] {
			standing = e.ID
		}
		at(e.CountedAt, what, &q, text, replaced[e.ID], standing)
	}
	moved(1<<63 - 1)
	var decisions []store.Decision
	if err := tx.Where("count_id = ? AND pos = ?", c.ID, pos).Order("id").Find(&decisions).Error; err != nil {
		return h, err
	}
	for _, x := range decisions {
		text := map[string]string{store.Accept: "accepted", store.Hold: "held", "": "taken back", store.Zero: "uncounted means zero",
			store.Leave: "uncounted is left"}[x.Kind]
		if x.Reason != "" {
			text += ", " + x.Reason
		}
		at(x.At, "decision", x.Quantity, fmt.Sprintf("%s by %s", text, x.Person), false, 0)
	}
	var sent []struct {
		At, Variance int64
		Number       int
		Reason       string
	}
	if err := tx.Raw("SELECT p.at, p.number, l.variance, l.reason FROM posting_lines l JOIN postings p ON p.id = l.posting_id WHERE p.count_id = ? AND l.pos = ? ORDER BY p.number", c.ID, pos).Scan(&sent).Error; err != nil {
		return h, err
	}
	for _, x := range sent {
		q := x.Variance
		at(x.At, "posting", &q, fmt.Sprintf("sent out in posting %d, %s", x.Number, x.Reason), false, 0)
	}
	return h, nil
}

// listedOthers is how many of an item's other lines are listed.
const listedOthers = 100

// otherLines finds the other lines of an item in a count: where the frozen set has it, and where it was found.
func (d *Desk) otherLines(ctx context.Context, c *Seen, row *varianceRow, h *LineHistory) error {
	set, err := d.setOf(ctx, c.tx, c.SetID)
	if err != nil {
		return err
	}
	bins := map[int64][]int64{row.ItemID: {}}
	set.binsOf(bins)
	b, err := json.Marshal(bins[row.ItemID])
	if err != nil {
		return err
	}
	where := `l.pos IN (SELECT pos FROM count_lines INDEXED BY count_lines_bin WHERE count_id = ? AND item_id = ? AND bin_id IN (SELECT value FROM json_each(?))
		UNION SELECT pos FROM count_lines INDEXED BY count_lines_found_item WHERE count_id = ? AND item_id = ? AND has_row = 0)`
	args := []any{c.ID, row.ItemID, row.Pos, c.ID, row.ItemID, string(b), c.ID, row.ItemID}
	if len(set.bins) == 0 { // the set of an old count may be gone
		where, args = "1 = 1", args[:3]
	}
	var others []varianceRow
	if err := c.tx.Raw(varianceRows+" AND l.item_id = ? AND l.pos <> ? AND l.status <> 'gone' AND "+where+" ORDER BY l.pos LIMIT 100",
		args...).Scan(&others).Error; err != nil {
		return err
	}
	for i := range others {
		h.Others = append(h.Others, others[i].view(0))
	}
	if len(others) == listedOthers {
		h.More = max(len(bins[row.ItemID])-1-len(others), 0)
	}
	return nil
}

// FiguresView are the figures of a count or a part of it.
type FiguresView struct {
	variance.Figures
	Coverage *quantity.Money `json:"coverage"`
	Accuracy *quantity.Money `json:"accuracy"`
}

func viewFigures(f variance.Figures) FiguresView {
	v := FiguresView{Figures: f}
	if x, ok := f.Coverage(); ok {
		v.Coverage = &x
	}
	if x, ok := f.Accuracy(); ok {
		v.Accuracy = &x
	}
	return v
}

// ReportPart is the figures of one zone, category, or counter.
type ReportPart struct {
	Name    string      `json:"name"`
	Figures FiguresView `json:"figures"`
}

// Report is what a manager signs.
type Report struct {
	Count      StageLine      `json:"count"`
	Figures    FiguresView    `json:"figures"`
	Posted     variance.Sums  `json:"posted"`
	PostedN    int            `json:"posted_lines"`
	Zones      []ReportPart   `json:"zones"`
	Categories []ReportPart   `json:"categories"`
	Counters   []ReportPart   `json:"counters"`
	Reasons    []ReportReason `json:"reasons"`
	Largest    []VarianceLine `json:"largest"`
	Deciders   []string       `json:"deciders"`
}

// ReportReason is what was accepted for one reason.
type ReportReason struct {
	Code  string        `json:"code"`
	Name  string        `json:"name"`
	Lines int           `json:"lines"`
	Sums  variance.Sums `json:"sums"`
}

// Report gives the figures of a count.
func (d *Desk) Report(ctx context.Context, p Person, countID int64) (r Report, err error) {
	c, err := d.judge(ctx, p, countID)
	if err != nil {
		return r, err
	}
	if r.Count, err = stageLine(c); err != nil {
		return r, err
	}
	all, err := tallyOf(c.tx, c.ID)
	if err != nil {
		return r, err
	}
	r.Figures = viewFigures(all.Figures)
	for sort, into := range map[string]*[]ReportPart{store.PartZone: &r.Zones, store.PartCategory: &r.Categories,
		store.PartCounter: &r.Counters} {
		*into = []ReportPart{}
		err := store.EachTally(c.tx, c.ID, sort, nil, func(t *store.PartTally) error {
			if t.Lines != 0 {
				*into = append(*into, ReportPart{t.Name, viewFigures(t.Figures)})
			}
			return nil
		})
		if err != nil {
			return r, err
		}
		slices.SortStableFunc(*into, func(a, b ReportPart) int { return cmp.Compare(b.Figures.Values.Gross, a.Figures.Values.Gross) })
		if n := len(*into); n > listedParts {
			*into = (*into)[:listedParts]
		}
	}
	if err := r.sent(c); err != nil {
		return r, err
	}
	largest, err := d.Variances(ctx, p, countID, Filter{Limit: 8})
	if err != nil {
		return r, err
	}
	r.Largest, r.Deciders = largest.Lines, []string{}
	return r, c.tx.Raw("SELECT DISTINCT person FROM decisions WHERE count_id = ? ORDER BY 1", countID).Scan(&r.Deciders).Error
}

// listedParts is how many zones, categories or counters a report lists, those with the largest variances.
const listedParts = 500

// sent fills in what went out and what waits to, by reason.
func (r *Report) sent(c *Seen) error {
	reasons := map[string]*ReportReason{}
	of := func(code string) *ReportReason {
		if reasons[code] == nil {
			reasons[code] = &ReportReason{Code: code, Name: code}
		}
		return reasons[code]
	}
	add := func(x *ReportReason, lines int, s variance.Sums) error {
		if x.Lines += lines; !x.Sums.Merge(s) {
			return tooMuch()
		}
		return nil
	}
	var posted []store.PostingReason
	if err := c.tx.Raw("SELECT r.* FROM posting_reasons r JOIN postings p ON p.id = r.posting_id WHERE p.count_id = ?",
		c.ID).Scan(&posted).Error; err != nil {
		return err
	}
	for _, x := range posted {
		s := variance.Sums{
			Over:  quantity.Money(x.Over),
			Short: quantity.Money(x.Short),
			Net:   quantity.Money(x.Over + x.Short),
			Gross: quantity.Money(x.Gross),
		}
		if r.PostedN += x.Lines; !r.Posted.Merge(s) {
			return tooMuch()
		}
		if err := add(of(x.Reason), x.Lines, s); err != nil {
			return err
		}
	}
	err := store.EachTally(c.tx, c.ID, store.PartReason, nil, func(t *store.PartTally) error {
		if t.Accepted == 0 {
			return nil
		}
		return add(of(t.Name), t.Accepted, t.AcceptedSums)
	})
	if err != nil {
		return err
	}
	var names []store.Reason
	if err := c.tx.Find(&names).Error; err != nil {
		return err
	}
	for _, n := range names {
		if x := reasons[n.Code]; x != nil {
			x.Name = n.Name
		}
	}
	r.Reasons = []ReportReason{}
	for code, x := range reasons {
		if code == "" {
			x.Name = "No reason given"
		}
		r.Reasons = append(r.Reasons, *x)
	}
	slices.SortFunc(r.Reasons, func(a, b ReportReason) int {
		return cmp.Or(cmp.Compare(b.Sums.Gross, a.Sums.Gross), cmp.Compare(a.Code, b.Code))
	})
	return nil
}
