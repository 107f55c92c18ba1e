// Package steps undoes what somebody did in a count, by what the record says of it.
package steps

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"time"

	"wobin/internal/core/undo"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/store"
)

// Room is the use cases of one's own steps.
type Room struct{ *desk.Desk }

// New makes the room.
func New(d *desk.Desk) *Room { return &Room{d} }

// Step is something that a person did in a count.
type Step struct {
	ID     int64     `json:"id" doc:"its number in the record"`
	At     time.Time `json:"at"`
	Words  string    `json:"words" doc:"what it was"`
	Undone bool      `json:"undone"`
	Old    bool      `json:"old" doc:"of another shift: it is undone by choosing it, not by a key alone"`
	Why    string    `json:"why" doc:"why it is not undone from here, and how it is instead; empty where it can be"`
}

// byKey is how long a step is undone by a key alone; who comes back on another day does not mean the last one of then.
const byKey = 12 * time.Hour

// mostSteps is how many of one's steps are listed.
const mostSteps = 20

// act is what the record tells of by one word.
type act struct {
	needs desk.Act                 // to do it, and to undo it
	table string                   // whose rows it appends, where undoing it appends the rows of before
	words func(said detail) string // what it was
	why   string                   // why it is not undone from here; empty where it is
}

// detail is what the record says of a step, of all acts together.
type detail struct {
	Kind, Reason, Counter, Cause     string
	Lines, Added, Revised, Withdrawn int

	line string // the only line that it was about; empty where there are others
}

// of says what a step was about: its only line, or how many.
func (d detail) of(many string) string { return cmp.Or(d.line, many) }

// acts are the acts in a count by their words in the record, each with its opposite or the reason for having none here.
var acts = map[string]act{
	"decided": {needs: desk.Decide, table: "decisions", words: func(d detail) string {
		what := map[string]string{store.Accept: "accepted", store.Hold: "held", "": "decision withdrawn"}[d.Kind]
		if d.Reason != "" {
			what += " for " + d.Reason
		}
		return d.of(desk.Plural(d.Lines, "line", "lines")) + " " + what
	}},
	"counts typed": {needs: desk.Enter, table: "entries", words: func(d detail) string {
		if d.Added+d.Revised == 0 {
			return d.of(desk.Plural(d.Withdrawn, "count", "counts")) + " withdrawn"
		}
		return d.of(desk.Plural(d.Added+d.Revised, "count", "counts")) + " typed"
	}},
	"count withdrawn": {needs: desk.Enter, table: "entries", words: func(d detail) string { return d.of("a count") + " withdrawn" }},

	"uncounted means zero":    {needs: desk.Decide, why: "Under Counting, let these uncounted lines be left."},
	"uncounted left":          {needs: desk.Decide, why: "Under Counting, let these uncounted lines mean zero."},
	"cause accepted":          {needs: desk.Decide, why: "Withdraw the decision with U, or in the line's history let its movement be as booked."},
	"causes accepted":         {needs: desk.Decide, why: "Withdraw the decisions with U, or in a line's history let its movement be as booked."},
	"cut-off as booked":       {needs: desk.Decide, why: "Accept its cause again."},
	"noted":                   {needs: desk.Decide, why: "A note stays with its line, as all that was said of it. Add another one."},
	"evidence kept":           {needs: desk.Decide, why: "Evidence stays with its line."},
	"round chosen":            {needs: desk.Decide, why: "In the line's history, choose another round, or none."},
	"rule of rounds":          {needs: desk.Decide, why: "Choose the rule of before under Counting."},
	"unit cost corrected":     {needs: desk.Decide, why: "Correct it again: what it was stands in the record."},
	"sent elsewhere":          {needs: desk.Decide, why: "Answer it anew under Variances: the latest answer stands."},
	"recount":                 {needs: desk.Decide, why: "Under Sheets, withdraw the recount."},
	"recount dropped":         {needs: desk.Decide, why: "Have the lines counted again, with R and G under Variances."},
	"counts taken in":         {needs: desk.Enter, why: "Under Counting, undo the returned file."},
	"counts taken back":       {needs: desk.Enter, why: "Take the file in again."},
	"handed out":              {needs: desk.Enter, why: "Under Sheets, take the sheets back."},
	"handed out as planned":   {needs: desk.Enter, why: "Under Sheets, take the sheets back."},
	"sheets taken back":       {needs: desk.Enter, why: "Hand the sheets out again."},
	"sheets out again":        {needs: desk.Enter, why: "Under Sheets, take the sheets back."},
	"sheet checked":           {needs: desk.Enter, why: "Whatever is typed on the sheet now ends that."},
	"sheet typed again":       {needs: desk.Enter, why: "Nothing of it stands but where it agrees."},
	"put into the tray":       {needs: desk.Enter, why: "Under Counting, drop it from the tray."},
	"entered from the tray":   {needs: desk.Enter, why: "In the line's history, withdraw the count."},
	"dropped from the tray":   {needs: desk.Enter, why: "Under Counting, take it up again."},
	"taken up again":          {needs: desk.Enter, why: "Under Counting, drop it from the tray."},
	"cut-off noted":           {needs: desk.Decide, why: "Under Plan, withdraw it."},
	"cut-off withdrawn":       {needs: desk.Decide, why: "Note it again under Plan."},
	"lines added":             {needs: desk.Plan, why: "Under Sheets, let go of the sheets that were made of them."},
	"lines let go":            {needs: desk.Plan, why: "Under Sheets, take the lines up again."},
	"lines taken up":          {needs: desk.Plan, why: "Under Sheets, let go of them."},
	"sheets cut anew":         {needs: desk.Plan, why: "Cut them anew under Sheets."},
	"sheet parted":            {needs: desk.Plan, why: "Cut them anew under Sheets."},
	"frozen":                  {needs: desk.Plan, why: "Under Plan, discard the count as long as nothing is done in it."},
	"count renamed":           {needs: desk.Plan, why: "Rename it again under Plan."},
	"finished":                {needs: desk.Plan, why: "On the Report, open it again."},
	"reopened":                {needs: desk.Plan, why: "On the Report, finish it."},
	"asked to agree":          {needs: desk.SendOut, why: "Under Adjustments, take the request back."},
	"sent out":                {needs: desk.SendOut, why: "What was sent is not unsent. Under Adjustments, reverse the posting."},
	"not landed":              {needs: desk.SendOut, why: "Send the lines out again under Adjustments."},
	"written into the folder": {needs: desk.SendOut, why: "Files that were written stay: who takes them in may have them already."},
}

// Steps lists what the person did last in a count, the latest first.
func (d *Room) Steps(ctx context.Context, p desk.Person, countID int64) ([]Step, error) {
	c, err := d.See(ctx, p, countID)
	if err != nil {
		return nil, err
	}
	links, err := store.StepsOf(c.Tx, c.ID, p.Name, mostSteps)
	if err != nil {
		return nil, err
	}
	undone, err := store.UndoneIn(c.Tx, c.ID)
	if err != nil {
		return nil, err
	}
	out := make([]Step, len(links))
	for i, l := range links {
		words, err := wordsOf(c.Tx, c.Count, &l)
		if err != nil {
			return nil, err
		}
		out[i] = Step{ID: l.ID, At: desk.Instant(l.At), Words: words, Undone: isUndone(undone, l.ID), Why: acts[l.What].why}
		out[i].Old = d.Now().Sub(out[i].At) > byKey
		if a, known := acts[l.What]; !known || a.table == "" && a.why == "" {
			out[i].Why = "It is not undone from here."
		}
	}
	return out, nil
}

// wordsOf says what a step was, and of which line where it was one.
func wordsOf(tx *store.Tx, c *store.Count, l *store.Link) (string, error) {
	a := acts[l.What]
	if a.words == nil {
		return l.What, nil
	}
	var said detail
	if err := json.Unmarshal([]byte(l.Detail), &said); err != nil {
		return "", err
	}
	run, _, err := rowsOf(l, nil, a.table)
	if err != nil {
		return "", err
	}
	if run.From == run.To {
		pos, err := store.LineOfRow(tx, a.table, run.From)
		if err != nil {
			return "", err
		}
		said.line = count.LineName(tx, c, pos)
	}
	return a.words(said), nil
}

// Undo undoes a step of the person's own: what it changed is as it was before, by rows of their own, and nothing is deleted. Where others
// built upon it, it is refused as a whole. It gives what it was.
func (d *Room) Undo(ctx context.Context, p desk.Person, countID, step int64) (Step, error) {
	if err := desk.Allow(p, desk.Enter); err != nil { // who may enter nothing may decide nothing either
		return Step{}, err
	}
	c, err := d.See(ctx, p, countID)
	if err != nil {
		return Step{}, err
	}
	link, err := store.LinkOf(c.Tx, step)
	if err != nil {
		return Step{}, err
	}
	if err := oneOfTheName(c.Tx, p); err != nil {
		return Step{}, err
	}
	a, known := acts[link.What]
	var of struct{ Count int64 }
	switch err := json.Unmarshal([]byte(link.Detail), &of); {
	case link.ID == 0 || err != nil || of.Count != c.ID:
		return Step{}, desk.Missing("The step")
	case link.Person != p.Name:
		return Step{}, desk.Refuse("That was %s, not you.", link.Person)
	case !known || a.table == "":
		return Step{}, desk.Refuse("%s: that is not undone from here. %s", link.What, a.why)
	}
	return desk.Do(ctx, d.Desk, p, a.needs, desk.Key{}, func(w *desk.Work) (out Step, err error) {
		c, err := w.Running(countID)
		if err != nil {
			return out, err
		}
		undone, err := store.UndoneIn(w.Tx, c.ID)
		if err != nil {
			return out, err
		}
		if isUndone(undone, step) {
			return out, desk.RefuseAs(desk.Changed, "step", "It is undone already.")
		}
		if a.table == "decisions" {
			err = undecide(w, c, &link, undone)
		} else {
			err = unenter(w, c, &link, undone)
		}
		if err != nil {
			return out, err
		}
		words, err := wordsOf(w.Tx, c, &link)
		if err != nil {
			return out, err
		}
		out = Step{ID: link.ID, At: desk.Instant(link.At), Words: words, Undone: true}
		return out, w.Say(store.StepUndone, map[string]any{"count": c.ID, "step": link.ID, "was": link.What})
	})
}

// oneOfTheName refuses to tell whose step one was where two people have a name: the record tells people by it.
func oneOfTheName(tx *store.Tx, p desk.Person) error {
	all, err := store.Staff(tx)
	if err != nil {
		return err
	}
	same := 0
	for _, x := range all {
		if x.Name == p.Name {
			same++
		}
	}
	if same > 1 {
		return desk.Refuse("%s people here are called %s, and the record tells steps by names. Undo it by hand, or let the owner tell you apart.",
			strconv.Itoa(same), p.Name)
	}
	return nil
}

// rowsOf gives the rows of a table that a step appended, from 1 to 0 where it appended none, and those of steps that were undone and of
// their undoing.
func rowsOf(link *store.Link, undone []store.UndoneStep, table string) (run undo.Range, aside []undo.Range, err error) {
	rows := func(covers []store.Covered) (of []undo.Range) {
		for _, c := range covers {
			if c.Table == table {
				of = append(of, undo.Range{From: c.From, To: c.To})
			}
		}
		return of
	}
	for _, u := range undone {
		aside = append(aside, rows(u.Covers)...)
	}
	covers, err := link.CoveredBy()
	if own := rows(covers); len(own) > 0 {
		return own[0], aside, err
	}
	return undo.Range{From: 1}, aside, err
}

// isUndone tells whether a step was undone.
func isUndone(undone []store.UndoneStep, step int64) bool {
	return slices.ContainsFunc(undone, func(u store.UndoneStep) bool { return u.Step == step })
}

// builtUpon refuses to undo a step of which something else stands now.
func builtUpon(tx *store.Tx, c *store.Count, later []int64) error {
	more := ""
	if n := len(later) - 1; n > 0 {
		more = fmt.Sprintf(" and %s", desk.Plural(n, "other line", "other lines"))
	}
	return desk.RefuseAs(desk.Changed, "step", "%s%s changed since, so it is not undone as a whole. Nothing was undone.",
		count.LineName(tx, c, later[0]), more)
}

// decidedBefore gives the decisions that stood before those of a step, by their lines, and the lines that were decided anew since.
func decidedBefore(
	w *desk.Work, c *store.Count, link *store.Link, undone []store.UndoneStep,
) (was map[int64]*store.Decision, later []int64, err error) {
	run, aside, err := rowsOf(link, undone, "decisions")
	if err != nil {
		return nil, nil, err
	}
	rows, err := store.DecisionsBeside(w.Tx, c.ID, run.From, run.To)
	if err != nil {
		return nil, nil, err
	}
	by, all := make(map[int64]*store.Decision, len(rows)), make([]undo.Row[int64], len(rows))
	for i := range rows {
		by[rows[i].ID], all[i] = &rows[i], undo.Row[int64]{ID: rows[i].ID, Key: rows[i].Pos}
	}
	before, later := undo.Before(all, run, aside)
	was = make(map[int64]*store.Decision, len(before))
	for pos, id := range before {
		if x := by[id]; x != nil && (x.Kind == store.Accept || x.Kind == store.Hold) {
			was[pos] = x
		} else {
			was[pos] = &store.Decision{}
		}
	}
	return was, later, nil
}

// undecide lets the decisions stand that stood before those of a step.
func undecide(w *desk.Work, c *store.Count, link *store.Link, undone []store.UndoneStep) error {
	was, later, err := decidedBefore(w, c, link, undone)
	if err != nil {
		return err
	}
	if len(later) > 0 {
		return builtUpon(w.Tx, c, later)
	}
	return decideAgain(w, c, was)
}

// decideAgain decides lines as they were decided before.
func decideAgain(w *desk.Work, c *store.Count, was map[int64]*store.Decision) error {
	positions := map[count.Decision][]int64{}
	for pos, x := range was {
		k := count.Decision{Kind: x.Kind, Reason: x.Reason}
		positions[k] = append(positions[k], pos)
	}
	var all []store.Decision
	for k, list := range positions {
		lines, err := count.LinesAt(w, c, list)
		if err != nil {
			return err
		}
		some, err := count.Decided(w, c, lines, k)
		if err != nil {
			return err
		}
		all = append(all, some...)
	}
	slices.SortFunc(all, func(a, b store.Decision) int { return cmp.Compare(a.Pos, b.Pos) })
	return count.AppendDecisions(w, all)
}

// slot is where an entry stands.
type slot struct {
	pos, parcel int64
	round       int
}

// unenter lets the entries stand that stood before those of a step, and the decisions that fell by it, where they are about the same
// figures again.
func unenter(w *desk.Work, c *store.Count, link *store.Link, undone []store.UndoneStep) error {
	run, aside, err := rowsOf(link, undone, "entries")
	if err != nil {
		return err
	}
	rows, err := store.EntriesBeside(w.Tx, c.ID, run.From, run.To)
	if err != nil {
		return err
	}
	by, last, all := make(map[int64]*store.Entry, len(rows)), map[slot]*store.Entry{}, make([]undo.Row[slot], len(rows))
	for i := range rows {
		e := &rows[i]
		k := slot{e.Pos, e.Parcel, e.Round}
		by[e.ID], last[k], all[i] = e, e, undo.Row[slot]{ID: e.ID, Key: k}
	}
	before, later := undo.Before(all, run, aside)
	if len(later) > 0 {
		positions := make([]int64, len(later))
		for i, k := range later {
			positions[i] = k.pos
		}
		return builtUpon(w.Tx, c, positions)
	}
	back := make([]store.Entry, 0, len(before))
	for k, id := range before {
		stands := last[k]
		n := store.Entry{CountID: c.ID, Pos: k.pos, SheetID: stands.SheetID, Round: k.round, Parcel: k.parcel, Replaces: stands.ID,
			Withdrawn: true, CountedAt: stands.CountedAt, Counter: w.Person.Name, Person: w.Person.Name, At: w.Now}
		if was := by[id]; was != nil {
			n.Quantity, n.Withdrawn, n.CountedAt, n.Since = was.Quantity, was.Withdrawn, was.CountedAt, was.Since
			n.Counter, n.SheetID = was.Counter, was.SheetID
		}
		back = append(back, n)
	}
	fell, _, err := decidedBefore(w, c, link, undone)
	if err != nil {
		return err
	}
	if _, _, err = count.Enter(w, c, back, nil); err != nil {
		return err
	}
	maps.DeleteFunc(fell, func(_ int64, x *store.Decision) bool { return x.Kind == "" })
	if len(fell) == 0 {
		return nil
	}
	lines, err := count.LinesAt(w, c, slices.Collect(maps.Keys(fell)))
	if err != nil {
		return err
	}
	for i := range lines {
		if l, was := &lines[i], fell[lines[i].Pos]; l.Queue != store.QueueOpen || was.Quantity == nil || *was.Quantity != l.Rest {
			delete(fell, l.Pos)
		}
	}
	return decideAgain(w, c, fell)
}
