// Package report sums a count up.
package report

import (
	"cmp"
	"context"
	"slices"
	"sync"
	"time"

	"wobin/internal/core/quantity"
	"wobin/internal/core/statement"
	"wobin/internal/core/variance"
	"wobin/internal/desk"
	"wobin/internal/desk/adjustments"
	"wobin/internal/desk/count"
	"wobin/internal/desk/variances"
	"wobin/internal/store"
)

// Room is the use case of the report.
type Room struct {
	*desk.Desk
	variances   *variances.Room
	adjustments *adjustments.Room

	mu      sync.Mutex
	classes map[int64]keptClasses // by count
}

// New makes the room over variances, the largest of which it lists, and adjustments, whose postings and proof it tells.
func New(d *desk.Desk, v *variances.Room, a *adjustments.Room) *Room {
	return &Room{Desk: d, variances: v, adjustments: a}
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
	Count          count.Stages     `json:"count"`
	Figures        FiguresView      `json:"figures"`
	Posted         variance.Sums    `json:"posted"`
	PostedN        int              `json:"posted_lines"`
	Zones          []ReportPart     `json:"zones"`
	Categories     []ReportPart     `json:"categories"`
	Counters       []ReportPart     `json:"counters"`
	Reasons        []ReportReason   `json:"reasons"`
	Classes        []ReportPart     `json:"classes"`
	Causes         []ReportCause    `json:"causes" doc:"of the variances, by likely cause"`
	Spread         statement.Spread `json:"spread" doc:"how the value of all variances is spread"`
	Recounts       ReportRecounts   `json:"recounts"`
	ByRule         int              `json:"by_rule" doc:"how many decisions rules have made"`
	Earlier        []CountAmong     `json:"earlier" doc:"counts of the same warehouse, the earliest first, this one last"`
	From           *time.Time       `json:"from" doc:"when the first line was counted"`
	UpTo           *time.Time       `json:"up_to" doc:"and the last"`
	UncountedValue quantity.Money   `json:"uncounted_value" doc:"of what is expected where nothing was counted"`
	Largest        []HeavyLine      `json:"largest"`
	Deciders       []string         `json:"deciders"`
	Sample         *SampleView      `json:"sample" doc:"what a sample says about the lines that it was drawn from"`
	CutOff         []count.CutOff   `json:"cut_off" doc:"what was on its way when the count was frozen"`
}

// ReportReason is what was accepted for one reason.
type ReportReason struct {
	Code    string        `json:"code"`
	Name    string        `json:"name"`
	Account string        `json:"account"`
	Lines   int           `json:"lines"`
	Sums    variance.Sums `json:"sums"`
}

// ReportCause is the variances of one likely cause.
type ReportCause struct {
	Cause string        `json:"cause" doc:"empty: nothing speaks for any"`
	Lines int           `json:"lines"`
	Sums  variance.Sums `json:"sums"`
}

// ReportRecounts tells how often the first count was right.
type ReportRecounts struct {
	Lines int `json:"lines" doc:"counted again"`
	Right int `json:"right" doc:"of them, right at first: with the variance of the last count"`
}

// HeavyLine is one of the heaviest variances.
type HeavyLine struct {
	count.VarianceLine
	State string `json:"state" doc:"what was decided, in a word or two"`
	By    string `json:"by" doc:"who decided; empty where nobody did"`
}

// Report gives the figures of a count.
func (d *Room) Report(ctx context.Context, p desk.Person, countID int64) (r Report, err error) {
	c, err := d.Judge(ctx, p, countID)
	if err != nil {
		return r, err
	}
	if r.Count, err = count.StagesOf(c); err != nil {
		return r, err
	}
	if r.CutOff, err = count.CutOffs(c.Tx, countID, 0); err != nil {
		return r, err
	}
	all, err := count.TallyOf(c.Tx, c.ID)
	if err != nil {
		return r, err
	}
	r.Figures = viewFigures(all.Figures)
	if r.Sample, err = sampled(c.Tx, c.Count); err != nil {
		return r, err
	}
	for sort, into := range map[string]*[]ReportPart{store.PartZone: &r.Zones, store.PartCategory: &r.Categories,
		store.PartCounter: &r.Counters} {
		*into = []ReportPart{}
		err := store.EachTally(c.Tx, c.ID, sort, nil, func(t *store.PartTally) error {
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
	deciders, err := store.Deciders(c.Tx, countID)
	if err != nil {
		return r, err
	}
	r.Deciders = append([]string{}, deciders...)
	if err := d.more(ctx, p, c, &r); err != nil {
		return r, err
	}
	return r, nil
}

// listedParts is how many zones, categories or counters a report lists, those with the largest variances.
const listedParts = 500

// sent fills in what went out and what waits to, by reason.
func (r *Report) sent(c *desk.Seen) error {
	reasons := map[string]*ReportReason{}
	of := func(code string) *ReportReason {
		if reasons[code] == nil {
			reasons[code] = &ReportReason{Code: code, Name: code}
		}
		return reasons[code]
	}
	add := func(x *ReportReason, lines int, s variance.Sums) error {
		if x.Lines += lines; !x.Sums.Merge(s) {
			return count.TooMuch()
		}
		return nil
	}
	posted, err := store.PostedReasons(c.Tx, c.ID)
	if err != nil {
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
			return count.TooMuch()
		}
		if err := add(of(x.Reason), x.Lines, s); err != nil {
			return err
		}
	}
	err = store.EachTally(c.Tx, c.ID, store.PartReason, nil, func(t *store.PartTally) error {
		if t.Accepted == 0 {
			return nil
		}
		return add(of(t.Name), t.Accepted, t.AcceptedSums)
	})
	if err != nil {
		return err
	}
	names, err := store.Reasons(c.Tx)
	if err != nil {
		return err
	}
	for _, n := range names {
		if x := reasons[n.Code]; x != nil {
			x.Name, x.Account = n.Name, n.Account
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
