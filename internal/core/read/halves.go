package read

import (
	"context"
	"fmt"
	"math"
	"sync"
	"sync/atomic"

	"wobin/internal/core/code"
	"wobin/internal/core/form"
	"wobin/internal/core/problem"
	"wobin/internal/core/stock"
)

// worthHalves is how many bytes a text has at least, to be read in halves.
var worthHalves int64 = 4 << 20

// halves reads recorded stock into x and gives the number of rows. A large text is read from its middle on at the same
// time; the second half counts only where the first one ends exactly at its beginning, and where nothing in it hangs
// on a row of the first. Else the first reader goes on through it, so that the result is the same in every case.
func (r *pass) halves(x *stockRows) (int, error) {
	rows, err := r.file.Rows(r.m.Sheet)
	if err != nil {
		return 0, err
	}
	defer rows.Close()
	second := r.second()
	if second == nil {
		w := r.walk(rows)
		err = w.on(x.grow, x.row)
		return w.count, err
	}
	defer second.end()
	x.judge.lock = &second.known
	r.Progress = second.progress(r.Progress)
	w := r.walk(rows)
	rows.Until(second.from)
	if err = w.on(x.grow, x.row); err != nil {
		return w.count, err
	}
	at, row := rows.At()
	if at == second.from && row >= r.header && second.wait() == nil && x.fits(second.x) {
		return w.count + second.join(r, x, row), nil
	}
	second.stop()
	rows.Until(0)
	err = w.on(x.grow, x.row)
	return w.count, err
}

// second is the second half of a text while it is read.
type second struct {
	from  int64 // where it begins, in bytes
	in    *pass
	x     *stockRows
	walk  *walk
	known sync.Mutex // what the records know is asked by one reader at a time
	stop  context.CancelFunc
	done  chan error
	rows  atomic.Int64
	part  atomic.Uint64 // bits of the part that was read
}

// second begins to read the second half; nil where the file is read in one.
func (r *pass) second() *second {
	if m := r.m; !r.Halves || len(m.Fill) > 0 || len(m.Blocks) > 0 || len(r.Mends) > 0 || m.Given(r.Layout).Codes != "" { // they ask for what stands before a row
		return nil
	}
	from := r.file.Middle(worthHalves)
	if from == 0 {
		return nil
	}
	s := &second{from: from, done: make(chan error, 1)}
	own := r.Reading
	own.Context, s.stop = context.WithCancel(r.Context)
	own.Progress = func(rows int, part float64) {
		s.rows.Store(int64(rows))
		s.part.Store(math.Float64bits(part))
	}
	s.in = own.pass(r.file, r.m, &problem.Problems{Most: r.problems.Most})
	s.in.header = 0
	s.x = s.in.stockRows()
	s.x.judge.lock = &s.known
	s.walk = s.in.walk(r.file.RowsFrom(from))
	go func() {
		defer func() { // what brings it down brings the first reader down too, where it is caught
			if r := recover(); r != nil {
				s.done <- fmt.Errorf("the second half cannot be read: %v", r)
			}
		}()
		s.done <- s.walk.on(s.x.grow, s.x.row)
	}()
	return s
}

// wait waits for the end of the half.
func (s *second) wait() error {
	err := <-s.done
	s.done <- nil // for end
	return err
}

// end gives the half up, where it is not at its end yet.
func (s *second) end() {
	s.stop()
	<-s.done
}

// progress adds the rows of both halves.
func (s *second) progress(tell func(rows int, part float64)) func(rows int, part float64) {
	if tell == nil {
		return nil
	}
	return func(rows int, part float64) {
		tell(rows+int(s.rows.Load()), min(part+math.Float64frombits(s.part.Load())/2, 1))
	}
}

// fits tells whether the rows of another half would have been read the same after those of x.
func (x *stockRows) fits(other *stockRows) bool {
	if other.measure.clash {
		return false
	}
	// What is new may be written much like something that is new in the first half.
	for f, texts := range other.judge.made {
		for _, text := range texts.Texts() {
			for _, n := range x.judge.made[f].Close(text) {
				if n != text {
					return false
				}
			}
		}
	}
	// Where nothing is known of an item, its first row of the file says in which unit all of them are.
	for id, f := range other.measure.first {
		if f.unit == 0 {
			continue
		}
		sku, seen := x.Book.Codes[stock.SKU].Exact(other.Book.Codes[stock.SKU].Text(stock.ID(id)))
		if !seen || int(sku) >= len(x.measure.first) {
			continue
		}
		if first := x.measure.first[sku]; first.unit != 0 &&
			code.Fold(x.Book.Units.Text(first.unit)) != code.Fold(other.Book.Units.Text(f.unit)) {
			return false
		}
	}
	return true
}

// join takes the second half in behind the first, which ended in the row before. It gives the number of its rows.
func (s *second) join(r *pass, x *stockRows, before int) int {
	r.problems.Behind(s.in.problems, before)
	for why, a := range s.in.skipped {
		for _, row := range a.Rows {
			r.note(why, row+before)
		}
		r.skipped[why].N += a.N - len(a.Rows)
	}
	for f, own := range s.in.sources {
		r.sources[f].Votes.Join(&own.Votes)
		r.sources[f].DayVotes.Join(&own.DayVotes)
		r.sources[f].Read = r.sources[f].Read || own.Read
	}
	x.join(s.x, before)
	return s.walk.count
}

// join takes the lines of another half in behind those of x.
func (x *stockRows) join(y *stockRows, before int) {
	to := x.Book.Join(y.Book, before)
	for _, r := range y.refused {
		x.refused = append(x.refused, refusedKey{to.Key(r.key), r.row + before})
	}
	for k, z := range y.Zones {
		now := to.Key(stock.Key{stock.Warehouse: k[0], stock.Bin: k[1]})
		x.Zones[[2]stock.ID{now[stock.Warehouse], now[stock.Bin]}] = z
	}
	for text, sku := range y.Barcodes {
		if sku == 0 { // of several
			x.barcode(text, 0)
			x.Barcodes[text] = 0
			continue
		}
		x.barcode(text, to[stock.SKU][sku])
	}
	if len(y.ItemKept) > 0 && x.ItemKept == nil {
		x.ItemKept = map[stock.ID]string{}
	}
	for sku, kept := range y.ItemKept {
		x.ItemKept[to.Key(stock.Key{stock.SKU: sku})[stock.SKU]] = kept
	}
	x.CostsRounded += y.CostsRounded
	if y.AtRow > 0 {
		x.at(y.At, y.AtRow+before)
	}
	if y.OtherAtRow > 0 && x.OtherAtRow == 0 {
		x.OtherAtRow = y.OtherAtRow + before
	}
	if y.NoAtRow > 0 && x.NoAtRow == 0 {
		x.NoAtRow = y.NoAtRow + before
	}
	if y.clock.first != "" && y.clock.first == x.clock.last { // the run of one text across the middle is one piece of evidence
		var twice form.DateEvidence
		twice.Add(y.clock.first)
		x.when.DayVotes.Less(&twice)
	}
	x.judge.join(y.judge, before)
	if x.measure.packed.Rows == 0 && y.measure.packed.Rows > 0 {
		x.measure.packed.First, x.measure.packed.Was = y.measure.packed.First+before, y.measure.packed.Was
	}
	x.measure.packed.Rows += y.measure.packed.Rows
}
