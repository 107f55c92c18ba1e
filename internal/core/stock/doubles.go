package stock

import "wobin/internal/core/quantity"

// AddUp sums the lines whose key comes twice, as Index gives them, and leaves each key once, with the record id and the
// attributes of its first row. What is reserved is summed where any row knows it. Where their costs differ the sum carries
// the average by quantity, exact and rounded once at six places, half away from zero; where one of them is unknown, or
// nothing can be averaged, the first known cost stays. ok is false where a sum is too large, at the given row; the book is
// unchanged then.
func AddUp(b *Book, doubles [][2]int) (badRow int32, ok bool) {
	type sum struct {
		line    Line
		average quantity.Average
		weighed bool
	}
	sums, gone := map[int]*sum{}, make([]bool, len(b.Lines))
	for _, d := range doubles {
		s, y := sums[d[0]], &b.Lines[d[1]]
		if s == nil {
			s = &sum{line: b.Lines[d[0]], weighed: b.Lines[d[0]].Costed}
			s.weighed = s.weighed && s.average.Add(s.line.Recorded, s.line.Cost)
			sums[d[0]] = s
		}
		x := &s.line
		if s.weighed = s.weighed && y.Costed && s.average.Add(y.Recorded, y.Cost); !x.Costed {
			x.Cost, x.Costed = y.Cost, y.Costed
		}
		var fits [2]bool
		x.Recorded, fits[0] = quantity.Add(x.Recorded, y.Recorded)
		x.Reserved, fits[1] = quantity.Add(x.Reserved, y.Reserved)
		if x.HasReserved = x.HasReserved || y.HasReserved; !fits[0] || !fits[1] {
			return y.Row, false
		}
		gone[d[1]] = true
	}
	for n, s := range sums {
		if c, good := s.average.Cost(); good && s.weighed {
			s.line.Cost = c
		}
		b.Lines[n] = s.line
	}
	kept := b.Lines[:0]
	for i := range b.Lines {
		if !gone[i] {
			kept = append(kept, b.Lines[i])
		}
	}
	b.Lines = kept
	b.Index()
	return 0, true
}
