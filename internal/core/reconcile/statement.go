package reconcile

import (
	"cmp"
	"fmt"
	"slices"
	"time"

	"wobin/internal/core/adjust"
	"wobin/internal/core/cause"
	"wobin/internal/core/quantity"
	"wobin/internal/core/read"
	"wobin/internal/core/statement"
	"wobin/internal/core/stock"
	"wobin/internal/core/variance"
)

// Statement sums the run up, as a manager signs it. title names it.
func (r *Result) Statement(title string) (*statement.Statement, error) {
	r.found()
	s := &statement.Statement{Title: title, Figures: r.Figures, Posted: r.Posted, PostedN: r.AdjustmentLines, Notes: r.Notes}
	day := func(at int64) string { return time.Unix(0, at).In(r.opt.Zone).Format("2006-01-02 15:04 MST") }
	if r.frozen != 0 {
		s.Facts = append(s.Facts, [2]string{"recorded as at", day(r.frozen)})
	}
	if r.latest != 0 && r.latest != r.frozen {
		s.Facts = append(s.Facts, [2]string{"counted up to", day(r.latest)})
	}
	s.Facts = append(s.Facts, [2]string{"files", r.files})
	items := map[string]*read.Item{}
	for i := range r.known {
		items[r.known[i].SKU] = &r.known[i]
	}
	// Causes by line: of a pair both lines.
	why := map[int32]cause.Cause{}
	for i := range r.explained {
		e := &r.explained[i]
		why[r.causes.Lines[e.Line].Order] = e.Cause
		if e.Other >= 0 {
			why[r.causes.Lines[e.Other].Order] = e.Cause
		}
	}
	var (
		by = []*parted{{title: "By warehouse"}, {title: "By zone"}, {title: "By category"}, {title: "By counter"}}
		// what is off, by its value
		values  []int64
		gross   quantity.Money
		heavy   []int
		causes  = map[string]*statement.Sum{}
		reasons = map[string]*statement.Sum{}
		zero    quantity.Money
	)
	into := func(m map[string]*statement.Sum, code, name string, q quantity.Quantity, v quantity.Money) bool {
		x := m[code]
		if x == nil {
			x = &statement.Sum{Code: code, Name: name}
			m[code] = x
		}
		x.Lines++
		return x.Sums.Add(q, v)
	}
	for n := range r.book.Lines {
		l, res := &r.book.Lines[n], &r.results[n]
		f := variance.FiguresOf(l.Row > 0, l.Costed, res)
		key := r.book.Codes.Texts(l.Key)
		category := ""
		if it := items[key[stock.SKU]]; it != nil {
			category = it.Category
		}
		names := [4]string{key[stock.Warehouse], r.zones[[2]stock.ID{l.Key[stock.Warehouse], l.Key[stock.Bin]}], category, ""}
		if res.Status != variance.Uncounted {
			a, _ := r.line(n, nil)
			names[3] = a.Counter
		}
		fits := true
		for i, p := range by {
			if i == 3 && res.Status == variance.Uncounted {
				continue
			}
			fits = fits && p.add(names[i], f)
		}
		if r.posted[n] != 0 {
			code := adjust.Reason(res.Status, res.Variance)
			fits = fits && into(reasons, code, code, res.Variance, res.Value)
		}
		if res.Status != variance.Uncounted && res.Valued && res.Value != 0 {
			values = append(values, int64(res.Value.Abs()))
			sum, ok := quantity.AddMoney(gross, res.Value.Abs())
			gross, fits = sum, fits && ok
		}
		switch res.Status {
		case variance.Tolerated:
			if r.opt.Causes {
				code := statement.WithinTolerance
				fits = fits && into(causes, code, statement.CauseName(code), res.Variance, res.Value)
			}
		case variance.Over, variance.Short, variance.Found:
			heavy = append(heavy, n)
			if r.opt.Causes {
				c := why[int32(n)]
				fits = fits && into(causes, string(c), c.Name(), res.Variance, res.Value)
			}
		}
		if res.Status == variance.Uncounted && l.Costed {
			if v, err := quantity.Value(res.Expected, l.Cost); err == nil {
				zero, _ = quantity.AddMoney(zero, v)
			}
		}
		if !fits {
			return nil, fmt.Errorf("the sum of the values %w", quantity.ErrTooLarge)
		}
	}
	for _, p := range by {
		if len(p.list) > 1 {
			s.Parts = append(s.Parts, p.sorted())
		}
	}
	s.Spread = statement.SpreadOf(values, gross)
	s.Reasons, s.Causes = summed(reasons), summed(causes)
	weight := func(n int) quantity.Money { return r.results[n].Value.Abs() }
	slices.SortStableFunc(heavy, func(a, b int) int { return cmp.Compare(weight(b), weight(a)) })
	for _, n := range heavy[:min(len(heavy), statement.Top)] {
		l, res := &r.book.Lines[n], &r.results[n]
		key := r.book.Codes.Texts(l.Key)
		x := statement.Line{
			Bin:         key[stock.Bin],
			SKU:         key[stock.SKU],
			Lot:         key[stock.Lot],
			Description: r.book.Descriptions.Text(l.Description),
			Recorded:    l.Recorded,
			Expected:    res.Expected,
			Counted:     res.Counted,
			Variance:    res.Variance,
			Value:       res.Value,
			Valued:      res.Valued,
		}
		if it := items[x.SKU]; it != nil && x.Description == "" {
			x.Description = it.Description
		}
		if c, is := why[int32(n)]; is {
			x.Cause = c.Word()
		}
		if r.posted[n] != 0 {
			x.Decision = adjust.Reason(res.Status, res.Variance)
		}
		s.Heaviest = append(s.Heaviest, x)
	}
	if r.Figures.Uncounted > 0 {
		s.Left = append(s.Left, [2]string{"uncounted lines", fmt.Sprint(r.Figures.Uncounted)}, [2]string{"their expected value", zero.String()})
	}
	return s, nil
}

// parted gathers figures by the name of a part.
type parted struct {
	title string
	list  []statement.Part
	at    map[string]int
}

func (p *parted) add(name string, f variance.Figures) bool {
	if p.at == nil {
		p.at = map[string]int{}
	}
	i, had := p.at[name]
	if !had {
		i = len(p.list)
		p.at[name] = i
		p.list = append(p.list, statement.Part{Name: name})
	}
	return p.list[i].Figures.Merge(f)
}

func (p *parted) sorted() statement.Parts {
	out := statement.Parts{Title: p.title, List: p.list}
	out.Sort()
	return out
}

// summed gives sums in the order of their gross value.
func summed(of map[string]*statement.Sum) (out []statement.Sum) {
	for _, x := range of {
		out = append(out, *x)
	}
	slices.SortFunc(out, func(a, b statement.Sum) int {
		return cmp.Or(cmp.Compare(b.Sums.Gross, a.Sums.Gross), cmp.Compare(a.Code, b.Code))
	})
	return out
}
