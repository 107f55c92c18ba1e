package cause

import (
	"cmp"
	"slices"
)

// assign chooses explanations so that no line is in two of them and what is explained weighs the most. Stretches of slipped rows are
// chosen first, by their weight; over what is left, where every explanation is of one line or of a short and an over one, the choice is
// the heaviest matching of short and over lines, exact within groups of lines that hang together up to mostExact. Where taking the
// heaviest one after the other, or leaving the stretches out, comes to more, that is taken.
func (f *finder) assign(singles, pairs []Explanation, slips []slip) []Explanation {
	best, most := f.matched(singles, pairs, slips)
	if len(slips) > 0 {
		if other, n := f.matched(singles, pairs, nil); n > most {
			best, most = other, n
		}
		if other, n := f.oneByOne(singles, pairs, slips); n > most {
			best = other
		}
	}
	slices.SortFunc(best, func(a, b Explanation) int { return cmp.Compare(f.rank[a.Line], f.rank[b.Line]) })
	return best
}

// mostExact is up to how many pairs a group of lines is solved exactly.
const mostExact = 3000

// matched chooses stretches first, then the heaviest matching.
func (f *finder) matched(singles, pairs []Explanation, slips []slip) (out []Explanation, total int64) {
	used := make([]bool, len(f.Lines))
	for _, s := range slips {
		if slices.ContainsFunc(s.explanations, func(x Explanation) bool { return used[x.Line] }) {
			continue
		}
		for _, x := range s.explanations {
			used[x.Line] = true
			out = append(out, x)
		}
		total += s.weight
	}
	// An edge is worth what it is more than what its two lines are worth by themselves.
	alone := make([]int64, len(f.Lines))
	for n := range singles {
		if !used[n] {
			alone[n] = f.weigh(&singles[n])
		}
	}
	var edges []edge
	for i := range pairs {
		x := &pairs[i]
		if used[x.Line] || used[x.Other] {
			continue
		}
		if gain := f.weigh(x) - alone[x.Line] - alone[x.Other]; gain > 0 {
			edges = append(edges, edge{f.rank[x.Line], f.rank[x.Other], int32(i), gain})
		}
	}
	slices.SortFunc(edges, func(a, b edge) int {
		return cmp.Or(cmp.Compare(a.short, b.short), cmp.Compare(a.over, b.over), cmp.Compare(b.gain, a.gain), cmp.Compare(a.pair, b.pair))
	})
	for _, group := range groupsOf(edges, len(f.Lines)) {
		for _, e := range heaviest(group) {
			x := pairs[e.pair]
			used[x.Line], used[x.Other] = true, true
			total += f.weigh(&x)
			out = append(out, x)
		}
	}
	for n := range singles {
		if !used[n] && singles[n].Grade != None {
			out = append(out, singles[n])
			total += alone[n]
		}
	}
	return out, total
}

// oneByOne takes the heaviest explanation whose lines are free, and again.
func (f *finder) oneByOne(singles, pairs []Explanation, slips []slip) (out []Explanation, total int64) {
	type choice struct {
		of     []Explanation
		weight int64
		first  int32
	}
	var all []choice
	for n := range singles {
		if singles[n].Grade != None {
			all = append(all, choice{singles[n : n+1], f.weigh(&singles[n]), f.rank[n]})
		}
	}
	for i := range pairs {
		all = append(all, choice{pairs[i : i+1], f.weigh(&pairs[i]), f.rank[pairs[i].Line]})
	}
	for i := range slips {
		all = append(all, choice{slips[i].explanations, slips[i].weight, slips[i].first})
	}
	slices.SortStableFunc(all, func(a, b choice) int { return cmp.Or(cmp.Compare(b.weight, a.weight), cmp.Compare(a.first, b.first)) })
	used := make([]bool, len(f.Lines))
	for _, c := range all {
		if slices.ContainsFunc(c.of, func(x Explanation) bool { return used[x.Line] || x.Other >= 0 && used[x.Other] }) {
			continue
		}
		for _, x := range c.of {
			if used[x.Line] = true; x.Other >= 0 {
				used[x.Other] = true
			}
		}
		out, total = append(out, c.of...), total+c.weight
	}
	return out, total
}

// edge is a pair that is worth more than its lines by themselves; its ends are ranks of lines.
type edge struct {
	short, over, pair int32
	gain              int64
}

// groupsOf parts edges into groups of lines that hang together, and leaves the best of several between two lines alone. edges are in order.
func groupsOf(edges []edge, lines int) [][]edge {
	root := make([]int32, lines)
	for i := range root {
		root[i] = int32(i)
	}
	find := func(n int32) int32 {
		for root[n] != n {
			root[n] = root[root[n]]
			n = root[n]
		}
		return n
	}
	for _, e := range edges {
		if a, b := find(e.short), find(e.over); a != b {
			root[max(a, b)] = min(a, b)
		}
	}
	at := map[int32]int{}
	var out [][]edge
	for i, e := range edges {
		if i > 0 && edges[i-1].short == e.short && edges[i-1].over == e.over {
			continue
		}
		r := find(e.short)
		n, had := at[r]
		if !had {
			n = len(out)
			at[r] = n
			out = append(out, nil)
		}
		out[n] = append(out[n], e)
	}
	return out
}

// heaviest gives the edges of the heaviest matching of a group.
func heaviest(group []edge) []edge {
	if len(group) == 1 {
		return group
	}
	if len(group) > mostExact {
		return improved(group)
	}
	return augmented(group)
}

// augmented finds the heaviest matching by augmenting paths, the one that gains the most first, until none gains (the primal method for
// the assignment problem; Ahuja, Magnanti and Orlin, Network Flows, 1993, chapter 12). The longest path is found by relaxing all edges
// until nothing changes: after the best of every path there is no cycle that gains.
func augmented(group []edge) []edge {
	shorts, overs := map[int32]int{}, map[int32]int{}
	number := func(in map[int32]int, n int32) int {
		i, had := in[n]
		if !had {
			i = len(in)
			in[n] = i
		}
		return i
	}
	type arc struct {
		s, o int
		gain int64
	}
	arcs := make([]arc, len(group))
	for i, e := range group {
		arcs[i] = arc{number(shorts, e.short), number(overs, e.over), e.gain}
	}
	matchS, matchO := make([]int, len(shorts)), make([]int, len(overs)) // the arc that each is in; -1 for none
	for i := range matchS {
		matchS[i] = -1
	}
	for i := range matchO {
		matchO[i] = -1
	}
	const none = int64(-1) << 60
	toS, toO, from := make([]int64, len(shorts)), make([]int64, len(overs)), make([]int, len(overs))
	for {
		for i := range toS {
			if toS[i] = none; matchS[i] < 0 {
				toS[i] = 0
			}
		}
		for i := range toO {
			toO[i], from[i] = none, -1
		}
		for changed := true; changed; {
			changed = false
			for i, a := range arcs {
				if matchS[a.s] == i || toS[a.s] == none {
					continue
				}
				if g := toS[a.s] + a.gain; g > toO[a.o] {
					toO[a.o], from[a.o], changed = g, i, true
					if back := matchO[a.o]; back >= 0 {
						if g := g - arcs[back].gain; g > toS[arcs[back].s] {
							toS[arcs[back].s] = g
						}
					}
				}
			}
		}
		end, gain := -1, int64(0)
		for o := range toO {
			if matchO[o] < 0 && toO[o] > gain {
				end, gain = o, toO[o]
			}
		}
		if end < 0 {
			break
		}
		for o := end; ; {
			i := from[o]
			s := arcs[i].s
			before := matchS[s]
			matchS[s], matchO[o] = i, i
			if before < 0 {
				break
			}
			o = arcs[before].o
		}
	}
	var out []edge
	for _, i := range matchS {
		if i >= 0 {
			out = append(out, group[i])
		}
	}
	return out
}

// improved takes the heaviest edges one after the other and then puts an edge in the place of those that it meets while that gains.
func improved(group []edge) []edge {
	order := make([]int, len(group))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(group[b].gain, group[a].gain) })
	of := map[int32]int{} // by line: the edge that it is in
	has := func(n int32) int64 {
		if i, is := of[n]; is {
			return group[i].gain
		}
		return 0
	}
	take := func(i int) {
		e := &group[i]
		for _, n := range []int32{e.short, e.over} {
			if before, is := of[n]; is {
				delete(of, group[before].short)
				delete(of, group[before].over)
			}
		}
		of[e.short], of[e.over] = i, i
	}
	for pass := 0; pass < 8; pass++ {
		gained := false
		for _, i := range order {
			e := &group[i]
			if in, is := of[e.short]; is && in == i {
				continue
			}
			if e.gain > has(e.short)+has(e.over) {
				take(i)
				gained = true
			}
		}
		if !gained {
			break
		}
	}
	chosen := map[int]bool{}
	for _, i := range of {
		chosen[i] = true
	}
	var out []edge
	for i := range group {
		if chosen[i] {
			out = append(out, group[i])
		}
	}
	return out
}
