package report

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"wobin/internal/core/cause"
	"wobin/internal/core/quantity"
	"wobin/internal/core/statement"
	"wobin/internal/core/stock"
	"wobin/internal/core/variance"
	"wobin/internal/desk"
	"wobin/internal/desk/adjustments"
	"wobin/internal/desk/count"
	"wobin/internal/store"
)

// Statement gives a count as a manager signs it, for paper and for a workbook.
func (d *Room) Statement(ctx context.Context, p desk.Person, countID int64) (*statement.Statement, error) {
	r, err := d.Report(ctx, p, countID)
	if err != nil {
		return nil, err
	}
	c, err := d.Judge(ctx, p, countID)
	if err != nil {
		return nil, err
	}
	day := func(t time.Time) string { return t.UTC().Format("2006-01-02 15:04 MST") }
	s := &statement.Statement{
		Title:    r.Count.Name,
		Figures:  r.Figures.Figures,
		Posted:   r.Posted,
		PostedN:  r.PostedN,
		Recounts: statement.Recounts(r.Recounts),
	}
	s.Facts = [][2]string{
		{"warehouse", r.Count.Warehouse},
		{"state", r.Count.State},
		{"frozen", fmt.Sprintf("%s, of stock recorded %s, by %s", day(r.Count.FrozenAt),
			day(r.Count.RecordedAt), r.Count.Person)},
	}
	if r.From != nil && r.UpTo != nil {
		s.Facts = append(s.Facts, [2]string{"counted", day(*r.From) + " to " + day(*r.UpTo)})
	}
	people := []string{}
	for _, x := range r.Counters {
		people = append(people, x.Name)
	}
	slices.Sort(people)
	s.Facts = append(s.Facts, [2]string{"counted by", strings.Join(people, ", ")})
	if len(r.Deciders) > 0 {
		s.Facts = append(s.Facts, [2]string{"decided by", strings.Join(r.Deciders, ", ")})
	}
	if len(r.CutOff) > 0 {
		s.Facts = append(s.Facts, [2]string{"cut-off", fmt.Sprintf("%d entries of what was on its way at the freeze", len(r.CutOff))})
	}
	if r.Sample != nil {
		s.Notes = append(s.Notes, r.Sample.Words)
	}
	parts := func(title string, list []ReportPart) {
		if len(list) < 1 {
			return
		}
		out := statement.Parts{Title: title}
		for _, x := range list {
			out.List = append(out.List, statement.Part{Name: x.Name, Figures: x.Figures.Figures})
		}
		out.Sort()
		s.Parts = append(s.Parts, out)
	}
	parts("By zone", r.Zones)
	parts("By class", r.Classes)
	parts("By category", r.Categories)
	parts("By counter", r.Counters)
	for _, x := range r.Reasons {
		s.Reasons = append(s.Reasons, statement.Sum{Code: x.Code, Name: x.Name, Account: x.Account, Lines: x.Lines, Sums: x.Sums})
	}
	for _, x := range r.Causes {
		s.Causes = append(s.Causes, statement.Sum{Code: x.Cause, Name: statement.CauseName(x.Cause), Lines: x.Lines, Sums: x.Sums})
	}
	s.Spread = r.Spread
	for i := range r.Largest {
		l := &r.Largest[i]
		x := statement.Line{
			Bin:         l.Bin,
			SKU:         l.SKU,
			Lot:         strings.TrimSpace(l.Lot + " " + l.Serial),
			Description: l.Description,
			Expected:    l.Expected,
			Cause:       cause.Cause(l.Cause).Word(),
			Decision:    l.State,
			By:          l.By,
		}
		if l.Recorded != nil {
			x.Recorded = *l.Recorded
		}
		if l.Counted != nil {
			x.Counted = *l.Counted
		}
		if l.Variance != nil {
			x.Variance = *l.Variance
		}
		if l.Value != nil {
			x.Value, x.Valued = *l.Value, true
		}
		s.Heaviest = append(s.Heaviest, x)
	}
	for _, x := range []struct {
		name string
		n    int
	}{{"undecided", r.Count.Open}, {"held", r.Count.Held}, {"accepted, not sent", r.Count.Accepted}, {"uncounted lines", r.Count.Uncounted - r.Count.Zeroed}} {
		if x.n > 0 {
			s.Left = append(s.Left, [2]string{x.name, fmt.Sprint(x.n)})
		}
	}
	if r.Count.Uncounted > r.Count.Zeroed {
		s.Left = append(s.Left, [2]string{"their expected value", r.UncountedValue.String()})
	}
	posted, err := d.adjustments.Postings(ctx, p, countID)
	if err != nil {
		return nil, err
	}
	proof, err := d.adjustments.Proof(ctx, p, countID)
	if err != nil {
		return nil, err
	}
	for _, x := range posted {
		s.Postings = append(
			s.Postings,
			statement.Posting{Number: x.Number, Day: cmp.Or(x.Day, x.At.Format(time.DateOnly)), Reference: x.Reference, By: x.Person,
				Agreed: x.AgreedBy, Lines: x.Lines, Proof: provedWord(x, proof),
				Sums: variance.Sums{Over: x.Over, Short: x.Short, Net: x.Over + x.Short, Gross: x.Gross}},
		)
	}
	earlier, err := d.earlier(c)
	if err != nil {
		return nil, err
	}
	for _, x := range earlier {
		e := statement.Earlier{Name: x.Name, Day: x.FrozenAt.Format(time.DateOnly), Net: x.Net, Gross: x.Gross}
		if x.Accuracy != nil {
			e.Accuracy, e.Known = *x.Accuracy, true
		}
		s.Earlier = append(s.Earlier, e)
	}
	return s, nil
}

// provedWord says in a few words what became of a posting.
func provedWord(x adjustments.PostingView, proof []adjustments.PostingProof) string {
	switch x.Kind {
	case store.Reversal:
		return fmt.Sprintf("takes %d back", x.Of)
	case store.Unlanded:
		return fmt.Sprintf("of %d, not landed", x.Of)
	}
	for _, p := range proof {
		if p.Number != x.Number {
			continue
		}
		switch t := p.Tally; {
		case p.Lost:
			return "cannot be told"
		case t.Unseen > 0:
			return "not proved yet"
		case t.Landed == t.Sent:
			return "all landed"
		case p.Noted > 0:
			return fmt.Sprintf("%d of %d landed, %d noted as missing", t.Landed, t.Sent, p.Noted)
		default:
			return fmt.Sprintf("%d of %d landed", t.Landed, t.Sent)
		}
	}
	return ""
}

// CountAmong is a count of the same warehouse.
type CountAmong struct {
	ID       int64           `json:"id"`
	Name     string          `json:"name"`
	FrozenAt time.Time       `json:"frozen_at"`
	Counted  int             `json:"counted"`
	Accuracy *quantity.Money `json:"accuracy"`
	Net      quantity.Money  `json:"net"`
	Gross    quantity.Money  `json:"gross"`
}

// listedEarlier is how many counts are listed, and listedHabits how many of each that comes back.
const (
	listedEarlier = 12
	listedHabits  = 15
)

// earlier lists the counts of the warehouse up to this one, the earliest first.
func (d *Room) earlier(c *desk.Seen) ([]CountAmong, error) {
	rows, err := store.EarlierCounts(c.Tx, c.Count, listedEarlier)
	if err != nil {
		return nil, err
	}
	slices.Reverse(rows)
	out := make([]CountAmong, len(rows))
	for i, r := range rows {
		t, err := count.TallyOf(c.Tx, r.ID)
		if err != nil {
			return nil, err
		}
		v := viewFigures(t.Figures)
		out[i] = CountAmong{r.ID, r.Name, desk.Instant(r.FrozenAt), t.Counted, v.Accuracy, t.Values.Net, t.Values.Gross}
	}
	return out, nil
}

// Habit is an item, bin or cause that comes back from count to count.
type Habit struct {
	Name   string         `json:"name"`
	Text   string         `json:"text"`
	Counts int            `json:"counts" doc:"in how many counts"`
	Lines  int            `json:"lines"`
	Gross  quantity.Money `json:"gross"`
}

// Habits is what comes back over the counts of a warehouse.
type Habits struct {
	Items  []Habit `json:"items" doc:"items that were off in several counts"`
	Bins   []Habit `json:"bins"`
	Causes []Habit `json:"causes" doc:"causes that were accepted"`
}

// Habits tells what comes back over the last counts of the warehouse of a count.
func (d *Room) Habits(ctx context.Context, p desk.Person, countID int64) (h Habits, err error) {
	h = Habits{Items: []Habit{}, Bins: []Habit{}, Causes: []Habit{}}
	c, err := d.Judge(ctx, p, countID)
	if err != nil {
		return h, err
	}
	list, err := d.earlier(c)
	if err != nil {
		return h, err
	}
	ids := []int64{}
	for _, x := range list {
		if _, err := d.Judge(ctx, p, x.ID); err == nil {
			ids = append(ids, x.ID)
		}
	}
	for _, x := range []struct {
		again func(tx *store.Tx, counts []int64, most int) ([]store.Again, error)
		into  *[]Habit
	}{{store.ItemsAgain, &h.Items}, {store.BinsAgain, &h.Bins}, {store.CausesAgain, &h.Causes}} {
		rows, err := x.again(c.Tx, ids, listedHabits)
		if err != nil {
			return h, err
		}
		for _, r := range rows {
			*x.into = append(*x.into, Habit{r.Name, r.Text, r.Counts, r.Lines, quantity.Money(r.Gross)})
		}
	}
	for i := range h.Causes {
		h.Causes[i].Text = cause.Cause(h.Causes[i].Name).Name()
	}
	return h, nil
}

// recounts tells how often the first count was right of the lines that were counted again.
func recounts(c *desk.Seen) (r ReportRecounts, err error) {
	lines := map[int64]*variance.Input{}
	picked, err := store.PickedLines(c.Tx, c.ID)
	if err != nil || len(picked) == 0 {
		return r, err
	}
	for _, pos := range picked {
		lines[pos] = &variance.Input{}
	}
	positions := store.Near(picked)
	err = store.Standing(c.Tx, c.ID, positions, func(e *store.Entry) error {
		if l := lines[e.Pos]; l != nil && !e.Withdrawn { // what was withdrawn is no round
			l.Entries = append(l.Entries, variance.Entry{Quantity: quantity.Quantity(e.Quantity), At: e.CountedAt, Round: e.Round})
		}
		return nil
	})
	if err != nil {
		return r, err
	}
	err = store.EachCountMove(c.Tx, c.ID, positions, func(m store.CountMove) error {
		if l := lines[m.Pos]; l != nil {
			l.Movements = append(l.Movements, stock.Movement{Quantity: quantity.Quantity(m.Quantity), At: m.Happened()})
		}
		return nil
	})
	if err != nil {
		return r, err
	}
	for _, pos := range picked {
		recounted, right, err := lines[pos].FirstRight()
		if err != nil {
			return r, err
		}
		if recounted {
			r.Lines++
		}
		if right {
			r.Right++
		}
	}
	return r, nil
}
