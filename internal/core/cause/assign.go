package cause

import (
	"cmp"
	"slices"
)

// assign chooses explanations so that no line is in two of them and what is explained weighs the most. Where every explanation is of one
// line or of a short and an over one, that is the heaviest matching of short and over lines, exact within groups of lines that hang
// together up to mostExact. Where stretches of slipped rows are in a group they are chosen first, by their weight; where leaving them out
// comes to more, or taking the heaviest of all one after the other, that is taken.
func (f *finder) assign(singles, pairs []Explanation, slips []slip) (out []Explanation) {
	c := &choosing{
		finder:  f,
		singles: singles,
		pairs:   pairs,
		slips:   slips,
		used:    make([]bool, len(f.Lines)),
		alone:   make([]int64, len(f.Lines)),
	}
	for n := range singles {
		c.alone[n] = f.weigh(&singles[n])
	}
	chosen := make([]*Explanation, len(f.Lines)) // by the rank of their lines
	count := 0
	for _, g := range c.groups() {
		best, most := c.matched(g, g.slips)
		if len(g.slips) > 0 {
			if other, n := c.matched(g, nil); n > most {
				best, most = other, n
			}
			if other, n := c.oneByOne(g); n > most {
				best = other
			}
		}
		for i := range best {
			x := &best[i]
			if c.used[x.Line] = true; x.Other >= 0 {
				c.used[x.Other] = true
			}
			chosen[f.rank[x.Line]] = x
		}
		count += len(best)
	}
	for n := range singles {
		if !c.used[n] && singles[n].Grade != None {
			chosen[f.rank[n]] = &singles[n]
			count++
		}
	}
	out = make([]Explanation, 0, count)
	for _, x := range chosen {
		if x != nil {
			out = append(out, *x)
		}
	}
	return out
}

// mostExact is up to how many pairs a group of lines is solved exactly.
const mostExact = 3000

// choosing is the choice of explanations.
type choosing struct {
	*finder
	singles, pairs []Explanation
	slips          []slip
	used           []bool
	alone          []int64 // by line: what it is worth by itself
}

// group is lines that hang together by pairs and slipped rows.
type group struct {
	pairs, slips []int32
	lines        []int32 // those of slips, each once; lines of pairs alone are not listed
}

// groups parts pairs and slips into groups, in the order of their first lines.
func (c *choosing) groups() []*group {
	root := make([]int32, len(c.Lines)) // by rank
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
	join := func(a, b int32) {
		if a, b = find(a), find(b); a != b {
			root[max(a, b)] = min(a, b)
		}
	}
	for i := range c.pairs {
		join(c.rank[c.pairs[i].Line], c.rank[c.pairs[i].Other])
	}
	for _, s := range c.slips {
		for _, x := range s.explanations {
			join(c.rank[x.Line], s.first)
		}
	}
	at := map[int32]*group{}
	var out []*group
	of := func(rank int32) *group {
		r := find(rank)
		g := at[r]
		if g == nil {
			g = &group{}
			at[r] = g
			out = append(out, g)
		}
		return g
	}
	for i := range c.pairs {
		g := of(c.rank[c.pairs[i].Line])
		g.pairs = append(g.pairs, int32(i))
	}
	for i := range c.slips {
		g := of(c.slips[i].first)
		g.slips = append(g.slips, int32(i))
		for _, x := range c.slips[i].explanations {
			g.lines = append(g.lines, int32(x.Line))
		}
	}
	for _, g := range out {
		slices.Sort(g.lines)
		g.lines = slices.Compact(g.lines)
	}
	return out
}

// matched chooses slips first, then the heaviest matching of what is left. Its worth is what it is more than all lines by themselves.
func (c *choosing) matched(g *group, slips []int32) (out []Explanation, gain int64) {
	var taken map[int]bool
	if len(slips) > 0 {
		taken = map[int]bool{}
	}
	for _, i := range slips {
		s := &c.slips[i]
		if slices.ContainsFunc(s.explanations, func(x Explanation) bool { return taken[x.Line] }) {
			continue
		}
		for _, x := range s.explanations {
			taken[x.Line] = true
			gain -= c.alone[x.Line]
		}
		out, gain = append(out, s.explanations...), gain+s.weight
	}
	var edges []edge
	for _, i := range g.pairs {
		x := &c.pairs[i]
		if taken[x.Line] || taken[x.Other] {
			continue
		}
		if more := c.weigh(x) - c.alone[x.Line] - c.alone[x.Other]; more > 0 {
			edges = append(edges, edge{c.rank[x.Line], c.rank[x.Other], i, more})
		}
	}
	slices.SortFunc(edges, func(a, b edge) int {
		return cmp.Or(cmp.Compare(a.short, b.short), cmp.Compare(a.over, b.over), cmp.Compare(b.gain, a.gain))
	})
	edges = slices.CompactFunc(edges, func(a, b edge) bool { return a.short == b.short && a.over == b.over })
	for _, e := range heaviest(edges) {
		out, gain = append(out, c.pairs[e.pair]), gain+e.gain
	}
	return out, gain
}

// oneByOne takes the heaviest explanation of a group whose lines are free, and again.
func (c *choosing) oneByOne(g *group) (out []Explanation, gain int64) {
	type choice struct {
		of     []Explanation
		weight int64
		first  int32
	}
	var all []choice
	lines := slices.Clone(g.lines)
	for _, i := range g.pairs {
		x := &c.pairs[i]
		all = append(all, choice{c.pairs[i : i+1], c.weigh(x), c.rank[x.Line]})
		lines = append(lines, int32(x.Line), int32(x.Other))
	}
	slices.Sort(lines)
	for _, n := range slices.Compact(lines) {
		if c.singles[n].Grade != None {
			all = append(all, choice{c.singles[n : n+1], c.alone[n], c.rank[n]})
		}
	}
	for _, i := range g.slips {
		all = append(all, choice{c.slips[i].explanations, c.slips[i].weight, c.slips[i].first})
	}
	slices.SortStableFunc(all, func(a, b choice) int { return cmp.Or(cmp.Compare(b.weight, a.weight), cmp.Compare(a.first, b.first)) })
	taken := map[int]bool{}
	for _, x := range all {
		if slices.ContainsFunc(x.of, func(x Explanation) bool { return taken[x.Line] || x.Other >= 0 && taken[x.Other] }) {
			continue
		}
		gain += x.weight
		for _, y := range x.of {
			if taken[y.Line], gain = true, gain-c.alone[y.Line]; y.Other >= 0 {
				taken[y.Other], gain = true, gain-c.alone[y.Other]
			}
		}
		out = append(out, x.of...)
	}
	return out, gain
}

// edge is a pair that is worth more than its lines by themselves; its ends are ranks of lines.
type edge struct {
	short, over, pair int32
	gain              int64
}

// heaviest gives the edges of the heaviest matching of a group.
func heaviest(group []edge) []edge {
	if len(group) < 2 {
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
