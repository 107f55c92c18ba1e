package cause

import (
	"cmp"
	"fmt"
	"slices"

	"wobin/internal/core/quantity"
	"wobin/internal/core/stock"
)

// mostPairs is up to how many short and over lines of a group every one is held against every other; beyond it each is held against its
// nearest and those of equal quantity alone.
const mostPairs = 2048

// nearest is against how many others each line is held then.
const nearest = 6

// pairs gives what explains two lines at once, one short and one over.
func (f *finder) pairs() (out []Explanation) {
	take := func(x Explanation, more int64) {
		if x.Grade != None {
			x.Drop = -1
			out = append(out, f.made(x, more))
		}
	}
	f.inGroups(func(k stock.Key) stock.Key { k[stock.Bin] = 0; return k }, func(a, b int32) bool {
		return f.Lines[a].Key[stock.Bin] != f.Lines[b].Key[stock.Bin]
	}, func(short, over int32) { take(f.misplaced(int(short), int(over))) })
	f.inGroups(func(k stock.Key) stock.Key { k[stock.Lot], k[stock.Serial] = 0, 0; return k }, func(a, b int32) bool {
		return f.Lines[a].Key[stock.Lot] != f.Lines[b].Key[stock.Lot] && f.Lines[a].Key[stock.Serial] == f.Lines[b].Key[stock.Serial]
	}, func(short, over int32) { take(f.wrongLot(int(short), int(over))) })
	f.inGroups(func(k stock.Key) stock.Key { k[stock.SKU], k[stock.Lot], k[stock.Serial] = 0, 0, 0; return k }, func(a, b int32) bool {
		x, y := &f.Lines[a], &f.Lines[b]
		q, equal := part(x, y)
		return x.Key[stock.SKU] != y.Key[stock.SKU] && (equal || q >= 4*quantity.Scale && q*10 >= max(-x.Variance, y.Variance)*8)
	}, func(short, over int32) { take(f.mistaken(int(short), int(over))) })
	return out
}

// inGroups holds the short lines of every group against the over ones.
func (f *finder) inGroups(of func(stock.Key) stock.Key, fits func(short, over int32) bool, take func(short, over int32)) {
	groups := map[stock.Key][]int32{}
	for _, n := range f.order {
		k := of(f.Lines[n].Key)
		groups[k] = append(groups[k], n)
	}
	for _, n := range f.order { // in the order of their first lines, so that the order of the input changes nothing
		k := of(f.Lines[n].Key)
		group := groups[k]
		if group == nil || group[0] != n {
			continue
		}
		delete(groups, k)
		var short, over []int32
		for _, m := range group {
			if f.Lines[m].Variance < 0 {
				short = append(short, m)
			} else if f.Lines[m].Variance > 0 {
				over = append(over, m)
			}
		}
		if len(short) == 0 || len(over) == 0 {
			continue
		}
		if len(short)*len(over) <= mostPairs {
			for _, s := range short {
				for _, o := range over {
					if fits(s, o) {
						take(s, o)
					}
				}
			}
			continue
		}
		f.nearestOf(short, over, fits, take)
	}
}

// nearestOf holds each short line of a large group against the over ones that stand next to it in the order of keys, and against those
// of equal quantity that do.
func (f *finder) nearestOf(short, over []int32, fits func(short, over int32) bool, take func(short, over int32)) {
	equal := map[quantity.Quantity][]int32{}
	for _, o := range over {
		equal[f.Lines[o].Variance] = append(equal[f.Lines[o].Variance], o)
	}
	for _, s := range short {
		held := map[int32]bool{}
		for _, list := range [][]int32{equal[-f.Lines[s].Variance], over} {
			at, _ := slices.BinarySearchFunc(list, f.rank[s], func(o, rank int32) int { return cmp.Compare(f.rank[o], rank) })
			n := 0
			for d := 0; n < nearest && (at-d-1 >= 0 || at+d < len(list)); d++ {
				for _, i := range []int{at - d - 1, at + d} {
					if i >= 0 && i < len(list) && !held[list[i]] && fits(s, list[i]) {
						held[list[i]] = true
						n++
						take(s, list[i])
					}
				}
				if d > 64 {
					break
				}
			}
		}
	}
}

// part is what a short line and an over one have in common; equal tells whether they are the same.
func part(short, over *Line) (q quantity.Quantity, equal bool) {
	q = min(-short.Variance, over.Variance)
	return q, short.Variance == -over.Variance
}

// misplaced: the same goods are missing in one bin, and too many in another.
func (f *finder) misplaced(s, o int) (x Explanation, more int64) {
	short, over := &f.Lines[s], &f.Lines[o]
	q, equal := part(short, over)
	larger := max(-short.Variance, over.Variance)
	away := f.near.between(short.Key, over.Key)
	near := away <= sameBay+5
	found := !over.Row && over.Expected == 0
	// That a loss and a gain of an item come to the same by chance is likely for a few pieces alone.
	grade := Weak
	switch {
	case equal && (q >= 3*quantity.Scale || q > quantity.Scale && (near || found) || near && found || short.Key[stock.Serial] != 0):
		grade = Strong
	case equal, found, near && q*2 >= larger, q >= 4*quantity.Scale && q*10 >= larger*8:
		grade = Fair
	}
	how := fmt.Sprintf("%s short here, %s over in %s, %s", short.Variance.Abs(), over.Variance, f.Codes[stock.Bin].Text(over.Key[stock.Bin]),
		f.near.words(short.Key, over.Key))
	if found {
		how = fmt.Sprintf("%s short here, %s found in %s, %s", short.Variance.Abs(), over.Variance, f.Codes[stock.Bin].Text(over.Key[stock.Bin]),
			f.near.words(short.Key, over.Key))
	}
	if short.Key[stock.Lot] != 0 {
		how += ", the same lot"
	}
	if more = int64(max(0, 40-4*(away-1))); found {
		more += 20
	}
	return Explanation{Cause: Misplaced, Grade: grade, Line: s, Other: o, Quantity: -q, How: how}, more
}

// wrongLot: one lot is missing in a bin, and another of the same item is too many there.
func (f *finder) wrongLot(s, o int) (x Explanation, more int64) {
	short, over := &f.Lines[s], &f.Lines[o]
	q, equal := part(short, over)
	how := fmt.Sprintf("lot %s is %s short and lot %s %s over in this bin", f.lot(short), short.Variance.Abs(), f.lot(over), over.Variance)
	if equal {
		more = 40
	}
	return Explanation{Cause: WrongLot, Grade: gradeIf(equal, Strong, Fair), Line: s, Other: o, Quantity: -q, How: how}, more
}

func (f *finder) lot(l *Line) string {
	if l.Key[stock.Lot] == 0 {
		return "(none)"
	}
	return f.Codes[stock.Lot].Text(l.Key[stock.Lot])
}

// mistaken: one item is missing in a bin, and as many of another one are too many.
func (f *finder) mistaken(s, o int) (x Explanation, more int64) {
	short, over := &f.Lines[s], &f.Lines[o]
	a, b := short.Key[stock.SKU], over.Key[stock.SKU]
	q, equal := part(short, over)
	points, by := likeness(f.Codes[stock.SKU].Text(a), f.Codes[stock.SKU].Text(b), f.item(a), f.item(b))
	grade := Weak
	switch {
	case !equal: // goods may be missing beside it
		grade = gradeIf(points >= 75, Fair, None)
	case points >= 60 && (q >= 2*quantity.Scale || points >= 90):
		grade = Strong
	case points >= 50, q >= 2*quantity.Scale: // that two variances of a bin are the same by chance is seldom, but for single pieces
		grade = Fair
	}
	how := fmt.Sprintf("%s short here, and %s of %s over in this bin", short.Variance.Abs(), over.Variance, f.Codes[stock.SKU].Text(b))
	if by != "" {
		how += "; " + by
	}
	return Explanation{Cause: MistakenItem, Grade: grade, Line: s, Other: o, Quantity: -q, How: how}, int64(points) * 6 / 10
}
