package cause

import (
	"cmp"
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"wobin/internal/core/quantity"
	"wobin/internal/core/stock"
)

// drawn makes a small count in which much can explain much: few bins, items and quantities.
func drawn(t *rapid.T) *Input {
	in := &Input{Codes: &stock.Codes{}, Counted: 100}
	w := in.Codes[stock.Warehouse].Intern([]byte("W"))
	seen := map[stock.Key]bool{}
	n := rapid.IntRange(1, 9).Draw(t, "lines")
	var rows []Row
	for range n {
		key := stock.Key{stock.Warehouse: w,
			stock.Bin: in.Codes[stock.Bin].Intern([]byte(fmt.Sprintf("A-%02d-1", rapid.IntRange(1, 4).Draw(t, "bin")))),
			stock.SKU: in.Codes[stock.SKU].Intern([]byte(fmt.Sprintf("ROPE%d", rapid.IntRange(1, 3).Draw(t, "item")))),
			stock.Lot: in.Codes[stock.Lot].Intern([]byte(fmt.Sprintf("L%d", rapid.IntRange(1, 2).Draw(t, "lot"))))}
		if seen[key] {
			continue
		}
		seen[key] = true
		l := Line{
			Key:      key,
			Row:      rapid.Bool().Draw(t, "row"),
			Expected: quantity.Quantity(rapid.IntRange(0, 6).Draw(t, "expected")*5) * quantity.Scale,
			Cost:     quantity.Cost(rapid.IntRange(0, 3).Draw(t, "cost")) * quantity.Scale,
		}
		l.Variance = quantity.Quantity(rapid.SampledFrom([]int{-10, -5, -3, 3, 5, 10}).Draw(t, "variance")) * quantity.Scale
		l.Counted = l.Expected + l.Variance
		if l.Counted < 0 {
			continue
		}
		in.Lines = append(in.Lines, l)
		rows = append(rows, Row{Line: int32(len(in.Lines) - 1), Expected: l.Expected, Counted: l.Counted, Given: true})
	}
	var off []int32
	for i := range rows {
		off = append(off, int32(i))
	}
	in.Sheets = []Sheet{{Len: len(rows), Off: off, Row: func(i int) Row { return rows[i] }}}
	return in
}

func (f *finder) total(of []Explanation) (n int64) {
	for i := range of {
		n += f.weigh(&of[i])
	}
	return n
}

// oneAfterTheOther takes the heaviest explanation whose lines are free, and again.
func oneAfterTheOther(f *finder, singles, pairs []Explanation, slips []slip) (total int64) {
	var all [][]Explanation
	for i := range singles {
		if singles[i].Grade != None {
			all = append(all, singles[i:i+1])
		}
	}
	for i := range pairs {
		all = append(all, pairs[i:i+1])
	}
	for i := range slips {
		all = append(all, slips[i].explanations)
	}
	slices.SortStableFunc(all, func(a, b []Explanation) int { return cmp.Compare(f.total(b), f.total(a)) })
	used := map[int]bool{-1: false}
	for _, of := range all {
		if slices.ContainsFunc(of, func(x Explanation) bool { return used[x.Line] || used[x.Other] }) {
			continue
		}
		for _, x := range of {
			if used[x.Line] = true; x.Other >= 0 {
				used[x.Other] = true
			}
		}
		total += f.total(of)
	}
	return total
}

// heaviestOfAll tries every choice.
func heaviestOfAll(f *finder, singles, pairs []Explanation, n int, used []bool) int64 {
	for n < len(f.Lines) && used[n] {
		n++
	}
	if n >= len(f.Lines) {
		return 0
	}
	used[n] = true
	best := f.weigh(&singles[n]) + heaviestOfAll(f, singles, pairs, n+1, used)
	for i := range pairs {
		x := &pairs[i]
		other := -1
		if x.Line == n {
			other = x.Other
		} else if x.Other == n {
			other = x.Line
		}
		if other < 0 || used[other] {
			continue
		}
		used[other] = true
		best = max(best, f.weigh(x)+heaviestOfAll(f, singles, pairs, n+1, used))
		used[other] = false
	}
	used[n] = false
	return best
}

// No line is in two explanations; what is chosen is never worth less than taking the heaviest one after the other, and without slipped
// rows nothing is worth more; the order in which the lines come changes nothing.
func TestAssignment(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		in := drawn(t)
		f := newFinder(in)
		singles := make([]Explanation, len(in.Lines))
		for n := range in.Lines {
			f.alone(n, func(x *Explanation) {
				if f.weigh(x) > f.weigh(&singles[n]) {
					singles[n] = *x
				}
			})
		}
		pairs, slips := f.pairs(), f.slippedRows()
		found := Find(in)
		used := map[int]bool{}
		for _, x := range found {
			for _, n := range []int{x.Line, x.Other} {
				if n >= 0 {
					require.False(t, used[n], "a line is in two explanations")
					used[n] = true
				}
			}
			l := &in.Lines[x.Line]
			require.NotZero(t, x.Quantity)
			require.Equal(t, l.Variance < 0, x.Quantity < 0)
			require.LessOrEqual(t, x.Quantity.Abs(), l.Variance.Abs(), "more is explained than there is")
			if x.Other >= 0 {
				require.Negative(t, x.Quantity)
				require.LessOrEqual(t, x.Quantity.Abs(), in.Lines[x.Other].Variance)
			}
		}
		require.GreaterOrEqual(t, f.total(found), oneAfterTheOther(f, singles, pairs, slips))
		if len(slips) == 0 {
			require.Equal(t, heaviestOfAll(f, singles, pairs, 0, make([]bool, len(in.Lines))), f.total(found))
		}
		// Shuffled: the sheet keeps its order.
		order := rapid.Permutation(indexes(len(in.Lines))).Draw(t, "order")
		other := *in
		other.Lines = make([]Line, len(order))
		to := make([]int32, len(order))
		for at, from := range order {
			other.Lines[at], to[from] = in.Lines[from], int32(at)
		}
		sheet := in.Sheets[0]
		other.Sheets = []Sheet{{Len: sheet.Len, Off: sheet.Off, Row: func(i int) Row {
			r := sheet.Row(i)
			if r.Line >= 0 {
				r.Line = to[r.Line]
			}
			return r
		}}}
		text := func(in *Input, of []Explanation) (out []string) {
			for i := range of {
				out = append(out, string(of[i].Append(nil, in)))
			}
			return out
		}
		require.Equal(t, text(in, found), text(&other, Find(&other)))
	})
}

func indexes(n int) []int {
	out := make([]int, n)
	for i := range out {
		out[i] = i
	}
	return out
}

// Large groups are solved one after the other and improved: never worse than that alone, and never with a line in two.
func TestImproved(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		n := rapid.IntRange(1, 12).Draw(t, "lines")
		var group []edge
		for s := range n {
			for o := range n {
				if rapid.Bool().Draw(t, "edge") {
					group = append(group, edge{int32(s), int32(100 + o), int32(len(group)), int64(rapid.IntRange(1, 20).Draw(t, "gain"))})
				}
			}
		}
		if len(group) == 0 {
			return
		}
		sum := func(of []edge) (total int64) {
			lines := map[int32]bool{}
			for _, e := range of {
				require.False(t, lines[e.short] || lines[e.over])
				lines[e.short], lines[e.over] = true, true
				total += e.gain
			}
			return total
		}
		order := slices.Clone(group)
		slices.SortStableFunc(order, func(a, b edge) int { return cmp.Compare(b.gain, a.gain) })
		simple, taken := int64(0), map[int32]bool{}
		for _, e := range order {
			if !taken[e.short] && !taken[e.over] {
				taken[e.short], taken[e.over] = true, true
				simple += e.gain
			}
		}
		require.GreaterOrEqual(t, sum(improved(group)), simple)
		require.GreaterOrEqual(t, sum(augmented(group)), sum(improved(group)))
	})
}

func TestEdits(t *testing.T) {
	for pair, want := range map[[2]string]int{{"ROPE12", "ROPE14"}: 1, {"ROPE12", "ROPE21"}: 1, {"AB", "AB"}: 0, {"ABC", "AC"}: 1,
		{"ABCD", "WXYZ"}: 3,
		{"", "A"}:        1, {"4006381333931", "4006381333913"}: 1, {"abc", "cba"}: 2} {
		require.Equal(t, want, edits(pair[0], pair[1], 2), "%v", pair)
	}
}
