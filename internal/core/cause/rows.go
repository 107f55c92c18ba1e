package cause

import (
	"cmp"
	"fmt"
	"slices"

	"wobin/internal/core/quantity"
)

// slip is rows of a sheet that hold the figures of their neighbours: step is -1 for those of the row above, 1 for those below.
type slip struct {
	explanations []Explanation
	weight       int64
	first        int32 // the rank of its first line
}

// slippedRows looks for stretches of rows whose counts are what their neighbours are expected to be. One row within may be off: goods
// are missing in slipped rows, too.
func (f *finder) slippedRows() (out []slip) {
	for si := range f.Sheets {
		sheet := &f.Sheets[si]
		for _, step := range []int{-1, 1} {
			fits := func(i int) bool {
				if i < 0 || i >= sheet.Len || i+step < 0 || i+step >= sheet.Len {
					return false
				}
				r := sheet.Row(i)
				if !r.Given {
					return false
				}
				n := sheet.Row(i + step)
				return r.Counted == n.Expected && n.Expected > 0
			}
			end := -1
			for k, seed := range sheet.Off {
				from := int(seed)
				if alone := (k == 0 || seed-sheet.Off[k-1] > 4) && (k+1 == len(sheet.Off) || sheet.Off[k+1]-seed > 4); alone {
					continue // a stretch has several
				}
				if from < end || !fits(from) {
					continue
				}
				for from-1 >= end && fits(from-1) { // rows that are all the same as their neighbours are no variances
					from--
				}
				off := 0
				to := int(seed) + 1
				for ; fits(to) || off == 0 && fits(to+1) && fits(to+2); to++ {
					if !fits(to) {
						off++
					}
				}
				if end = to; to-from < 3 {
					continue
				}
				if s, is := f.slipped(sheet, from, to, step); is {
					out = append(out, s)
				}
			}
		}
	}
	slices.SortFunc(out, func(a, b slip) int { return cmp.Or(cmp.Compare(b.weight, a.weight), cmp.Compare(a.first, b.first)) })
	return out
}

// slipped makes the explanation of a stretch, where three rows of it at least are off by it.
func (f *finder) slipped(sheet *Sheet, from, to, step int) (s slip, is bool) {
	off, first := 0, true
	var one quantity.Quantity
	several := false
	for i := from; i < to; i++ {
		if r := sheet.Row(i); r.Line >= 0 && r.Counted == sheet.Row(i+step).Expected {
			if off++; first {
				one, first = r.Counted, false
			}
			several = several || r.Counted != one
		}
	}
	if to-from < 3 || off < 2 || !several {
		return s, false
	}
	grade := gradeIf(off >= 3, Strong, Fair)
	side := map[int]string{-1: "above", 1: "below"}[step]
	s.first = -1
	for i := from; i < to; i++ {
		r := sheet.Row(i)
		if r.Line < 0 {
			continue
		}
		l := &f.Lines[r.Line]
		want := sheet.Row(i + step).Expected
		q := want - l.Expected // what of the variance the slip explains
		if q == 0 || (q < 0) != (l.Variance < 0) {
			continue
		}
		if q.Abs() > l.Variance.Abs() {
			q = l.Variance
		}
		x := Explanation{Cause: RowSlip, Grade: grade, Line: int(r.Line), Other: -1, Drop: -1, Quantity: q,
			How: fmt.Sprintf(
				"%d rows one below the other hold what the row %s is expected to be; here %s for %s",
				to-from,
				side,
				r.Counted,
				l.Expected,
			)}
		if back := i - step; back >= 0 && back < sheet.Len && sheet.Row(back).Given { // there its own count stands
			x.Offered, x.Offers = sheet.Row(back).Counted, true
		}
		f.made(&x, 0)
		s.weight += f.weigh(&x)
		s.explanations = append(s.explanations, x)
		if rank := f.rank[r.Line]; s.first < 0 || rank < s.first {
			s.first = rank
		}
	}
	return s, len(s.explanations) >= 2
}
