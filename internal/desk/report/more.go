package report

import (
	"cmp"
	"context"
	"maps"
	"slices"

	"wobin/internal/core/quantity"
	"wobin/internal/core/statement"
	"wobin/internal/core/variance"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/store"
)

// more fills in what is not kept as tallies.
func (d *Room) more(ctx context.Context, p desk.Person, c *desk.Seen, r *Report) (err error) {
	page, err := d.variances.Variances(ctx, p, c.ID, desk.Filter{Limit: statement.Top})
	if err != nil {
		return err
	}
	who := map[int64]string{}
	for _, l := range page.Lines {
		who[l.Pos] = ""
	}
	if err := lastDeciders(c, who); err != nil {
		return err
	}
	r.Largest = []HeavyLine{}
	for _, l := range page.Lines {
		h := HeavyLine{VarianceLine: l, By: who[l.Pos]}
		switch {
		case l.Queue == "accepted":
			h.State = "accepted"
		case l.Queue == "held":
			h.State = "held"
		case l.Queue == "open" && l.Postings > 0:
			h.State = "open again"
		case l.Queue == "open":
			h.State, h.By = "not decided", ""
		case l.Postings > 0:
			h.State = "sent"
		}
		if l.Reason != "" {
			h.State += ", " + l.Reason
		}
		r.Largest = append(r.Largest, h)
	}
	if r.Causes, err = d.causes(ctx, p, c.ID); err != nil {
		return err
	}
	if r.Earlier, err = d.earlier(c); err != nil {
		return err
	}
	rules, err := store.RuleDecisions(c.Tx, c.ID)
	if err != nil {
		return err
	}
	r.ByRule = int(rules)
	k, err := d.wholeOf(c)
	if err != nil {
		return err
	}
	r.Classes, r.UncountedValue, r.From, r.UpTo = k.classes, k.uncounted, desk.Moment(k.from), desk.Moment(k.upTo)
	r.Spread, r.Recounts = k.spread, k.recounts
	if k.tolerated.Lines > 0 {
		r.Causes = append(r.Causes, k.tolerated)
	}
	return nil
}

// lastDeciders finds who decided last about lines.
func lastDeciders(c *desk.Seen, who map[int64]string) error {
	last, err := store.LastDecisions(c.Tx, c.ID, slices.Collect(maps.Keys(who)))
	for _, x := range last {
		if who[x.Pos] = x.Person; x.Rule != "" {
			who[x.Pos] = "rule " + x.Rule
		}
	}
	return err
}

// causes gives the variances by likely cause.
func (d *Room) causes(ctx context.Context, p desk.Person, id int64) ([]ReportCause, error) {
	list, err := d.variances.Causes(ctx, p, id)
	out := make([]ReportCause, 0, len(list))
	for _, x := range list {
		what := x.Cause
		if what == "none" {
			what = ""
		}
		out = append(out, ReportCause{what, x.Lines, variance.Sums{Over: x.Over, Short: x.Short, Net: x.Over + x.Short, Gross: x.Gross}})
	}
	return out, err
}

// keptClasses is what has to be gathered from all lines of a count, at a version of it.
type keptClasses struct {
	version    int64
	classes    []ReportPart
	uncounted  quantity.Money
	from, upTo int64
	spread     statement.Spread
	tolerated  ReportCause // variances that are let pass, which no cause is looked for of
	recounts   ReportRecounts
}

// wholeOf gathers what no tally has from all lines of a count, once for each version of it.
func (d *Room) wholeOf(c *desk.Seen) (k keptClasses, err error) {
	d.mu.Lock()
	defer d.mu.Unlock()
	version := d.Version(c.ID)
	if k, had := d.classes[c.ID]; had && k.version == version {
		return k, nil
	}
	k = keptClasses{version: version, classes: []ReportPart{}}
	class := map[int64]string{}
	if err := store.ItemClasses(c.Tx, c.ID, func(item int64, is string) { class[item] = is }); err != nil {
		return k, err
	}
	by := map[string]*variance.Figures{}
	var values []int64
	gross := quantity.Money(0)
	k.tolerated.Cause = statement.WithinTolerance
	err = store.EachCountLine(c.Tx, c.ID, store.Positions{From: 0, To: 1 << 62}, func(l *store.CountLine) error {
		if l.CountedAt != 0 && l.Entries > 0 {
			if k.from == 0 || l.CountedAt < k.from {
				k.from = l.CountedAt
			}
			k.upTo = max(k.upTo, l.CountedAt)
		}
		state := count.LineState(l)
		if state.Gone {
			return nil
		}
		if state.Result.Status == variance.Uncounted && l.Cost != nil && !state.Result.Zeroed {
			v, err := quantity.Value(quantity.Quantity(l.Expected), quantity.Cost(*l.Cost))
			sum, ok := quantity.AddMoney(k.uncounted, v)
			if k.uncounted = sum; err != nil || !ok {
				return count.TooMuch()
			}
		}
		if state.Result.Status != variance.Uncounted && state.Result.Valued && state.Result.Value != 0 {
			values = append(values, int64(state.Result.Value.Abs()))
			sum, ok := quantity.AddMoney(gross, state.Result.Value.Abs())
			if gross = sum; !ok {
				return count.TooMuch()
			}
		}
		if state.Result.Status == variance.Tolerated {
			if k.tolerated.Lines++; !k.tolerated.Sums.Add(state.Result.Variance, state.Result.Value) {
				return count.TooMuch()
			}
		}
		name := class[l.ItemID]
		f := by[name]
		if f == nil {
			f = &variance.Figures{}
			by[name] = f
		}
		if t := state.Of(); !f.Merge(t.Figures) {
			return count.TooMuch()
		}
		return nil
	})
	if err != nil {
		return k, err
	}
	if len(by) > 1 || by[""] == nil {
		for name, f := range by {
			k.classes = append(k.classes, ReportPart{name, viewFigures(*f)})
		}
	}
	k.spread = statement.SpreadOf(values, gross)
	if k.recounts, err = recounts(c); err != nil {
		return k, err
	}
	slices.SortFunc(k.classes, func(a, b ReportPart) int { return cmp.Compare(a.Name, b.Name) })
	if d.classes == nil || len(d.classes) > 50 {
		d.classes = map[int64]keptClasses{}
	}
	d.classes[c.ID] = k
	return k, nil
}
