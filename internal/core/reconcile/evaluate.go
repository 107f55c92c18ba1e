package reconcile

import (
	"bufio"
	"encoding/json"
	"fmt"
	"io"
	"runtime"
	"sync"

	"wobin/internal/core/adjust"
	"wobin/internal/core/field"
	"wobin/internal/core/problem"
	"wobin/internal/core/quantity"
	"wobin/internal/core/stock"
	"wobin/internal/core/tabular"
	"wobin/internal/core/variance"
)

const chunk = 16 << 10 // lines worked on at a time by one worker

// inChunks calls work for pieces of n lines on all cores, and then last for each piece in order.
func inChunks[T any](n int, work func(from, to int) T, last func(T) error) error {
	pieces := (n + chunk - 1) / chunk
	out := make([]chan T, pieces)
	for i := range out {
		out[i] = make(chan T, 1)
	}
	ahead := make(chan struct{}, 2*runtime.GOMAXPROCS(0))
	var wg sync.WaitGroup
	defer wg.Wait()
	stop := make(chan struct{})
	defer close(stop)
	wg.Add(1)
	go func() {
		defer wg.Done()
		for i := range pieces {
			select {
			case ahead <- struct{}{}:
			case <-stop:
				return
			}
			wg.Add(1)
			go func() {
				defer wg.Done()
				out[i] <- work(i*chunk, min((i+1)*chunk, n))
			}()
		}
	}()
	for i := range out {
		v := <-out[i]
		<-ahead
		if err := last(v); err != nil {
			return err
		}
	}
	return nil
}

// input gathers what a line's variance follows from. buf is reused for the entries.
func (r *Result) input(n int, buf []variance.Entry) variance.Input {
	l := &r.book.Lines[n]
	in := variance.Input{
		Recorded:  l.Recorded,
		Row:       l.Row > 0,
		Cost:      l.Cost,
		Costed:    l.Costed,
		Frozen:    r.frozen,
		Latest:    r.latest,
		Movements: r.movements[n],
		Entries:   buf[:0],
	}
	switch r.opt.Uncounted {
	case ZeroAll:
		in.Zero = true
	case ZeroInCountedBins:
		in.Zero = r.countedBins[[2]stock.ID{l.Key[stock.Warehouse], l.Key[stock.Bin]}]
	}
	for k := r.inputs[n].first; k != 0; k = r.entries[k-1].next {
		e := &r.entries[k-1]
		in.Entries = append(in.Entries, variance.Entry{Quantity: e.quantity, At: e.at, From: e.from, Round: int(e.round)})
	}
	return in
}

// evaluate works out all lines and their figures.
func (r *run) evaluate() {
	r.rules = adjust.Rules{Mode: r.opt.Mode, PostTolerated: r.opt.PostTolerated}
	wanted := map[stock.ID]bool{}
	for i := range r.book.Lines {
		if l := &r.book.Lines[i]; l.Row == 0 {
			wanted[l.Key[stock.SKU]] = true
		}
	}
	own := r.itemCosts()
	costs := r.book.Costs(wanted, own)
	for i := range r.book.Lines {
		if l := &r.book.Lines[i]; l.Row == 0 || !l.Costed && len(own) > 0 {
			c := costs.Of(l)
			l.Cost, l.Costed = c.Cost, c.Known
			if l.Row > 0 && c.Known {
				r.leaning++
			}
		}
	}
	r.sort()
	r.results, r.posted = make([]variance.Result, len(r.book.Lines)), make([]uint8, len(r.book.Lines))
	type part struct {
		figures  variance.Figures
		posted   variance.Sums
		lines    int
		problems []problem.Problem
		off      []int32 // with a variance
		open     []int32 // not counted, with stock
	}
	_ = inChunks(len(r.book.Lines), func(from, to int) (p part) {
		var buf []variance.Entry
		for n := from; n < to; n++ {
			in := r.input(n, buf)
			buf = in.Entries
			res, err := variance.Evaluate(&in, r.opt.Tolerance)
			if err != nil {
				p.problems = append(
					p.problems,
					r.lineProblem(n, "too large", fmt.Sprintf("%s: a sum or value %v", r.keyText(r.book.Lines[n].Key), err)),
				)
				continue
			}
			r.results[n] = res
			if r.opt.Causes {
				switch res.Status {
				case variance.Over, variance.Short, variance.Found:
					p.off = append(p.off, int32(n))
				case variance.Uncounted:
					if res.Expected > 0 {
						p.open = append(p.open, int32(n))
					}
				}
			}
			if !p.figures.Add(&in, &res) {
				p.problems = append(
					p.problems,
					r.lineProblem(
						n,
						"too large",
						fmt.Sprintf("%s: the sum of the values up to here %v", r.keyText(r.book.Lines[n].Key), quantity.ErrTooLarge),
					),
				)
				continue
			}
			if r.rules.Goes(res.Status, res.Zeroed) {
				line, fits := r.line(n, in.Movements)
				if !fits {
					p.problems = append(
						p.problems,
						r.lineProblem(
							n,
							"too large",
							fmt.Sprintf("%s: the sum of the movements since %v", r.keyText(r.book.Lines[n].Key), quantity.ErrTooLarge),
						),
					)
					continue
				}
				if r.opt.Mode == adjust.Balance {
					if b, err := line.Balance(); err != nil {
						p.problems = append(
							p.problems,
							r.lineProblem(
								n,
								"balance below zero",
								fmt.Sprintf(
									"the balance of %s would be %s: %s counted, and %s moved since. Look for a movement that is not booked",
									r.keyText(r.book.Lines[n].Key),
									b,
									line.Counted,
									line.After,
								),
							),
						)
						continue
					}
				}
				r.posted[n] = 1
				p.lines++
				if !p.posted.Add(line.Variance, line.Value) {
					p.problems = append(
						p.problems,
						r.lineProblem(
							n,
							"too large",
							fmt.Sprintf("%s: the sum of the values that go out %v", r.keyText(r.book.Lines[n].Key), quantity.ErrTooLarge),
						),
					)
				}
			}
		}
		return p
	}, func(p part) error {
		if !r.Figures.Merge(p.figures) || !r.Posted.Merge(p.posted) {
			r.problems.Add(
				problem.Problem{
					File:  r.in.Stock.Name,
					Field: field.UnitCost,
					Kind:  "too large",
					Text:  "the sum of all values " + quantity.ErrTooLarge.Error(),
				},
			)
		}
		r.AdjustmentLines += p.lines
		r.off, r.open = append(r.off, p.off...), append(r.open, p.open...)
		for _, x := range p.problems {
			r.problems.Add(x)
		}
		return nil
	})
}

// itemCosts are the unit costs that the items file gives, by SKU.
func (r *run) itemCosts() map[stock.ID]quantity.Cost {
	out := map[stock.ID]quantity.Cost{}
	for i := range r.known {
		it := &r.known[i]
		if sku, found := r.book.Codes[stock.SKU].Find(it.SKU); found && it.Given[field.UnitCost] {
			out[sku] = it.Cost
		}
	}
	return out
}

// sort puts the lines, and what hangs on them, in their final order, so that all later passes go straight on.
func (r *run) sort() {
	order := r.book.Order()
	lines, inputs := make([]stock.Line, len(order)), make([]lineInput, len(order))
	movements := make(map[int][]stock.Movement, len(r.movements))
	for to, from := range order {
		lines[to], inputs[to] = r.book.Lines[from], r.inputs[from]
		if len(r.movements) > 0 {
			if m := r.movements[int(from)]; m != nil {
				movements[to] = m
			}
		}
	}
	r.book.Lines, r.inputs, r.movements = lines, inputs, movements
	if r.opt.Causes {
		to := make([]int32, len(order))
		for at, from := range order {
			to[from] = int32(at)
		}
		for _, rows := range r.rows {
			for i := range rows {
				if rows[i].line > 0 {
					rows[i].line = to[rows[i].line-1] + 1
				}
			}
		}
	}
}

func (r *run) lineProblem(n int, kind, text string) problem.Problem {
	if row := r.book.Lines[n].Row; row > 0 {
		return problem.Problem{
			File:  r.in.Stock.Name,
			Sheet: r.maps.stock.SheetName,
			Row:   int(row),
			Field: field.Quantity,
			Kind:  kind,
			Text:  text,
		}
	}
	if k := r.inputs[n].first; k > 0 {
		e := &r.entries[k-1]
		return problem.Problem{
			File:  r.in.Counts[e.file].Name,
			Sheet: r.maps.counts[e.file].SheetName,
			Row:   int(e.row),
			Field: field.Counted,
			Kind:  kind,
			Text:  text,
		}
	}
	return problem.Problem{File: r.in.Movements.Name, Field: field.Quantity, Kind: kind, Text: text}
}

// line makes the adjustment of line n. ok is false where the movements since are too many to be summed.
func (r *Result) line(n int, movements []stock.Movement) (a adjust.Line, ok bool) {
	l, res := &r.book.Lines[n], &r.results[n]
	a = adjust.Line{
		Unit:      r.book.Units.Text(l.Unit),
		RecordID:  r.book.RecordID(l),
		Key:       r.book.Codes.Texts(l.Key),
		Counted:   res.Counted,
		Variance:  res.Variance,
		Cost:      l.Cost,
		Costed:    l.Costed,
		Value:     res.Value,
		Valued:    res.Valued,
		Reason:    adjust.Reason(res.Status, res.Variance),
		CountedAt: res.CountedAt,
	}
	a.After, ok = stock.After(movements, a.CountedAt)
	for k := r.inputs[n].first; k != 0; k = r.entries[k-1].next {
		if e := &r.entries[k-1]; int(e.round) == res.Round && e.at == res.CountedAt {
			a.Counter = r.counters.Text(e.counter)
		}
	}
	return a, ok
}

// VariancesHeader is the first row of variances.csv.
const VariancesHeader = "warehouse,bin,sku,lot,serial,holding,record_id,description,unit,recorded,moved,expected,counted,variance,unit_cost,value,status,moved_while_counting\n"

// WriteVariances writes every line, sorted by warehouse, bin, SKU, lot and serial.
func (r *Result) WriteVariances(w io.Writer) error {
	quoted := func(text string) string { return string(append(tabular.AppendCell(nil, text, ','), ',')) }
	var codes [stock.Parts][]string
	for p := range codes {
		codes[p] = r.book.Codes[p].Each(quoted)
	}
	descriptions, units := r.book.Descriptions.Each(quoted), r.book.Units.Each(quoted)
	return r.write(w, VariancesHeader, func(b []byte, n int) []byte {
		l, res := &r.book.Lines[n], &r.results[n]
		for p := range l.Key {
			b = append(b, codes[p][l.Key[p]]...)
		}
		b = append(tabular.AppendCell(b, r.book.RecordID(l), ','), ',')
		b = append(b, descriptions[l.Description]...)
		b = append(b, units[l.Unit]...)
		b = append(quantity.AppendDecimal(b, int64(l.Recorded)), ',')
		b = append(quantity.AppendDecimal(b, int64(res.Moved)), ',')
		b = append(quantity.AppendDecimal(b, int64(res.Expected)), ',')
		counted := res.Status != variance.Uncounted
		if counted {
			b = append(quantity.AppendDecimal(b, int64(res.Counted)), ',')
			b = append(quantity.AppendDecimal(b, int64(res.Variance)), ',')
		} else {
			b = append(b, ',', ',')
		}
		if l.Costed {
			b = quantity.AppendDecimal(b, int64(l.Cost))
		}
		b = append(b, ',')
		if counted && res.Valued {
			b = res.Value.Append(b)
		}
		b = append(b, ',')
		b = append(append(b, res.Status...), ',')
		if res.MovedMeanwhile {
			b = append(b, "yes"...)
		}
		return append(b, '\n')
	})
}

// WriteAdjustments writes the lines that go out, in the same order.
func (r *Result) WriteAdjustments(w io.Writer) error {
	return r.write(w, adjust.Header(r.opt.Mode), func(b []byte, n int) []byte {
		if r.posted[n] == 0 {
			return b
		}
		a, _ := r.line(n, r.movements[n])
		return a.Append(b, r.opt.Mode)
	})
}

func (r *Result) write(w io.Writer, header string, line func(b []byte, n int) []byte) error {
	out := bufio.NewWriterSize(w, 1<<20)
	if _, err := out.WriteString(header); err != nil {
		return err
	}
	var free sync.Pool
	err := inChunks(len(r.book.Lines), func(from, to int) []byte {
		var b []byte
		if used, _ := free.Get().(*[]byte); used != nil {
			b = (*used)[:0]
		}
		for n := from; n < to; n++ {
			b = line(b, n)
		}
		return b
	}, func(b []byte) error {
		_, err := out.Write(b)
		free.Put(&b)
		return err
	})
	if err != nil {
		return err
	}
	return out.Flush()
}

// Summary is the result as one JSON object.
func (r *Result) Summary() ([]byte, error) {
	f := &r.Figures
	ratio := func(m quantity.Money, ok bool) json.RawMessage {
		if !ok {
			return json.RawMessage("null")
		}
		return json.RawMessage(m.String())
	}
	return json.MarshalIndent(struct {
		RecordedLines   int             `json:"recorded_lines"`
		Counted         int             `json:"counted"`
		Uncounted       int             `json:"uncounted"`
		Match           int             `json:"match"`
		Tolerated       int             `json:"tolerated"`
		Over            int             `json:"over"`
		Short           int             `json:"short"`
		Found           int             `json:"found"`
		CoveragePct     json.RawMessage `json:"coverage_pct"`
		AccuracyPct     json.RawMessage `json:"accuracy_pct"`
		OverValue       quantity.Money  `json:"over_value"`
		ShortValue      quantity.Money  `json:"short_value"`
		NetValue        quantity.Money  `json:"net_value"`
		GrossValue      quantity.Money  `json:"gross_value"`
		PostedOver      quantity.Money  `json:"posted_over_value"`
		PostedShort     quantity.Money  `json:"posted_short_value"`
		PostedNet       quantity.Money  `json:"posted_net_value"`
		PostedGross     quantity.Money  `json:"posted_gross_value"`
		Unvalued        int             `json:"unvalued"`
		AdjustmentLines int             `json:"adjustment_lines"`
	}{
		f.RecordedLines, f.Counted, f.Uncounted, f.Match, f.Tolerated, f.Over, f.Short, f.Found,
		ratio(f.Coverage()), ratio(f.Accuracy()), f.Values.Over, f.Values.Short, f.Values.Net, f.Values.Gross,
		r.Posted.Over, r.Posted.Short, r.Posted.Net, r.Posted.Gross, f.Unvalued, r.AdjustmentLines,
	}, "", "  ")
}
