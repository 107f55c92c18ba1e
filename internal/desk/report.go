package desk

import (
	"cmp"
	"context"
	"slices"

	"wobin/internal/core/quantity"
	"wobin/internal/core/variance"
	"wobin/internal/store"
)

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
