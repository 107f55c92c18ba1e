// Package variance holds counted against recorded: what was expected at the moment of counting, how far the
// count is off, whether that is let pass, and the figures over many lines. It works on plain values only.
package variance

import (
	"wobin/internal/core/quantity"
	"wobin/internal/core/stock"
)

// Status is what came of a line.
type Status string

// The statuses of a line.
const (
	Uncounted Status = "uncounted"
	Match     Status = "match"
	Tolerated Status = "tolerated"
	Found     Status = "found"
	Over      Status = "over"
	Short     Status = "short"
)

// Tolerance is how much variance is let pass; each limit is optional (nil) and included.
type Tolerance struct {
	Quantity *quantity.Quantity
	Percent  *quantity.Quantity // millionths of a percent of |expected|
	Value    *quantity.Money
}

// Within tells whether a variance is let pass. A variance without a value is never within a value limit.
func (t Tolerance) Within(variance, expected quantity.Quantity, value quantity.Money, valued bool) bool {
	if t.Quantity == nil && t.Percent == nil && t.Value == nil {
		return variance == 0
	}
	if t.Value != nil && (!valued || value.Abs() > *t.Value) {
		return false
	}
	if t.Quantity == nil && t.Percent == nil {
		return true
	}
	return (t.Quantity != nil && variance.Abs() <= *t.Quantity) ||
		(t.Percent != nil && quantity.WithinPercent(variance, expected, *t.Percent))
}

// Entry is one counted quantity of a line. Entries that were replaced are not given to Evaluate.
type Entry struct {
	Quantity quantity.Quantity
	At       int64 // Unix nanoseconds, 0 where it is not known
	Round    int
}

// Input is all that a line's variance follows from.
type Input struct {
	Recorded  quantity.Quantity
	Row       bool // there is a recorded row
	Cost      quantity.Cost
	Costed    bool
	Frozen    int64 // Unix nanoseconds
	Movements []stock.Movement
	Entries   []Entry
	Latest    int64 // the latest counting time of the run, the freeze where nothing was counted
}

// Result is a line's variance.
type Result struct {
	Moved          quantity.Quantity
	Expected       quantity.Quantity
	Counted        quantity.Quantity // of the standing round
	Variance       quantity.Quantity
	Value          quantity.Money
	CountedAt      int64
	Round          int
	Status         Status
	Valued         bool
	MovedMeanwhile bool // a movement lies between the first and the last entry
}

// Evaluate works out a line. It errs with quantity.ErrTooLarge where a sum or a value is out of range.
func Evaluate(in *Input, tol Tolerance) (r Result, err error) {
	first, last := int64(0), int64(0)
	counted := false
	for i := range in.Entries {
		e := &in.Entries[i]
		if counted && e.Round < r.Round {
			continue
		}
		if !counted || e.Round > r.Round {
			counted, r.Round, r.Counted, first, last = true, e.Round, 0, e.At, e.At
		}
		var ok bool
		if r.Counted, ok = quantity.Add(r.Counted, e.Quantity); !ok {
			return r, quantity.ErrTooLarge
		}
		first, last = min(first, e.At), max(last, e.At)
	}
	upTo := in.Latest
	if counted {
		upTo = last
	}
	r.Moved = stock.Moved(in.Movements, in.Frozen, upTo)
	var ok bool
	if r.Expected, ok = quantity.Add(in.Recorded, r.Moved); !ok {
		return r, quantity.ErrTooLarge
	}
	if !counted {
		r.Status = Uncounted
		return r, nil
	}
	r.CountedAt = last
	if r.Variance, ok = quantity.Add(r.Counted, -r.Expected); !ok {
		return r, quantity.ErrTooLarge
	}
	for _, m := range in.Movements {
		if m.At > first && m.At <= last {
			r.MovedMeanwhile = true
		}
	}
	if in.Costed {
		r.Valued = true
		if r.Value, err = quantity.Value(r.Variance, in.Cost); err != nil {
			return r, err
		}
	}
	switch {
	case r.Variance == 0:
		r.Status = Match
	case !r.MovedMeanwhile && tol.Within(r.Variance, r.Expected, r.Value, r.Valued):
		r.Status = Tolerated
	case !in.Row && len(in.Movements) == 0 && r.Counted > 0:
		r.Status = Found
	case r.Variance > 0:
		r.Status = Over
	default:
		r.Status = Short
	}
	return r, nil
}

// Sums are values added up: over and short apart, net, and gross (the absolutes).
type Sums struct {
	Over  quantity.Money `json:"over"`
	Short quantity.Money `json:"short"` // never above zero
	Net   quantity.Money `json:"net"`
	Gross quantity.Money `json:"gross"`
}

// Add takes one line's variance and value in.
func (s *Sums) Add(variance quantity.Quantity, value quantity.Money) {
	switch {
	case variance > 0:
		s.Over += value
	case variance < 0:
		s.Short += value
	}
	s.Net += value
	s.Gross += value.Abs()
}

// Merge takes other sums in.
func (s *Sums) Merge(o Sums) {
	s.Over += o.Over
	s.Short += o.Short
	s.Net += o.Net
	s.Gross += o.Gross
}

// Figures are the figures of a count.
type Figures struct {
	RecordedLines   int  `json:"recorded_lines"`
	RecordedCounted int  `json:"recorded_counted"` // recorded lines with an entry
	Counted         int  `json:"counted"`          // lines with an entry
	Uncounted       int  `json:"uncounted"`
	Match           int  `json:"match"`
	Tolerated       int  `json:"tolerated"`
	Over            int  `json:"over"`
	Short           int  `json:"short"`
	Found           int  `json:"found"`
	Unvalued        int  `json:"unvalued"` // lines without a known cost
	Values          Sums `json:"values"`
}

// Add takes a line in.
func (f *Figures) Add(in *Input, r *Result) {
	if in.Row {
		f.RecordedLines++
	}
	if !in.Costed {
		f.Unvalued++
	}
	if r.Status == Uncounted {
		f.Uncounted++
		return
	}
	f.Counted++
	if in.Row {
		f.RecordedCounted++
	}
	switch r.Status {
	case Match:
		f.Match++
	case Tolerated:
		f.Tolerated++
	case Over:
		f.Over++
	case Short:
		f.Short++
	case Found:
		f.Found++
	}
	f.Values.Add(r.Variance, r.Value)
}

// Merge takes other figures in.
func (f *Figures) Merge(o Figures) {
	f.RecordedLines += o.RecordedLines
	f.RecordedCounted += o.RecordedCounted
	f.Counted += o.Counted
	f.Uncounted += o.Uncounted
	f.Match += o.Match
	f.Tolerated += o.Tolerated
	f.Over += o.Over
	f.Short += o.Short
	f.Found += o.Found
	f.Unvalued += o.Unvalued
	f.Values.Merge(o.Values)
}

// Coverage is recorded lines with an entry ÷ recorded lines in percent; ok is false over nothing.
func (f *Figures) Coverage() (quantity.Money, bool) {
	return quantity.Ratio(f.RecordedCounted, f.RecordedLines)
}

// Accuracy is (match + tolerated) ÷ lines with an entry in percent (IRA); ok is false over nothing.
func (f *Figures) Accuracy() (quantity.Money, bool) {
	return quantity.Ratio(f.Match+f.Tolerated, f.Counted)
}
