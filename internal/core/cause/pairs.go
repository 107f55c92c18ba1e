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
			f.made(&x, more)
			out = append(out, x)
		}
	}
	// Lines of a bin, and of an item in it, stand together in the order of keys; those of an item in all bins are put together.
	byItem := f.byItem()
	f.inGroups(byItem, func(a, b *Line) bool { return ItemOf(a.Key) == ItemOf(b.Key) }, func(a, b *Line) bool {
		return a.Key[stock.Bin] != b.Key[stock.Bin]
	}, func(short, over int32) { take(f.misplaced(int(short), int(over))) })
	sameBin := func(a, b *Line) bool {
		return a.Key[stock.Warehouse] == b.Key[stock.Warehouse] && a.Key[stock.Bin] == b.Key[stock.Bin]
	}
	f.inGroups(f.order, func(a, b *Line) bool { return sameBin(a, b) && a.Key[stock.SKU] == b.Key[stock.SKU] }, func(a, b *Line) bool {
		return a.Key[stock.Lot] != b.Key[stock.Lot] && a.Key[stock.Serial] == b.Key[stock.Serial] && a.Key[stock.Holding] == b.Key[stock.Holding]
	}, func(short, over int32) { take(f.wrongLot(int(short), int(over))) })
	f.inGroups(f.order, sameBin, func(a, b *Line) bool {
		q, equal := part(a, b)
		return a.Key[stock.SKU] != b.Key[stock.SKU] && a.Key[stock.Holding] == b.Key[stock.Holding] &&
			(equal || q >= 4*quantity.Scale && q*10 >= max(-a.Variance, b.Variance)*8)
	}, func(short, over int32) { take(f.mistaken(int(short), int(over))) })
	return out
}

// byItem gives the lines by their items and what has to be the same beside these, and among those in the order of their keys.
func (f *finder) byItem() []int32 {
	keys := make([]uint64, len(f.order))
	for rank, n := range f.order {
		keys[rank] = uint64(f.Lines[n].Key[stock.SKU])<<32 | uint64(rank)
	}
	slices.Sort(keys)
	out := make([]int32, len(keys))
	for i, k := range keys {
		out[i] = f.order[uint32(k)]
	}
	for from := 0; from < len(out); {
		to, mixed := from+1, false
		first := ItemOf(f.Lines[out[from]].Key)
		for ; to < len(out) && f.Lines[out[to]].Key[stock.SKU] == first.sku; to++ {
			mixed = mixed || ItemOf(f.Lines[out[to]].Key) != first
		}
		if mixed {
			slices.SortFunc(out[from:to], func(a, b int32) int {
				x, y := ItemOf(f.Lines[a].Key), ItemOf(f.Lines[b].Key)
				return cmp.Or(cmp.Compare(x.warehouse, y.warehouse), cmp.Compare(x.lot, y.lot), cmp.Compare(x.serial, y.serial),
					cmp.Compare(x.holding, y.holding), cmp.Compare(f.rank[a], f.rank[b]))
			})
		}
		from = to
	}
	return out
}

// inGroups holds the short lines of every group, which stands together in an order, against the over ones.
func (f *finder) inGroups(order []int32, same, fits func(a, b *Line) bool, take func(short, over int32)) {
	var short, over []int32
	for from := 0; from < len(order); {
		short, over = short[:0], over[:0]
		first, to := &f.Lines[order[from]], from
		for ; to < len(order) && same(first, &f.Lines[order[to]]); to++ {
			if n := order[to]; f.Lines[n].Variance < 0 {
				short = append(short, n)
			} else if f.Lines[n].Variance > 0 {
				over = append(over, n)
			}
		}
		switch from = to; {
		case len(short) == 0 || len(over) == 0:
		case len(short)*len(over) > mostPairs:
			f.nearestOf(short, over, fits, take)
		default:
			for _, s := range short {
				for _, o := range over {
					if fits(&f.Lines[s], &f.Lines[o]) {
						take(s, o)
					}
				}
			}
		}
	}
}

// nearestOf holds each short line of a large group against the over ones that stand next to it in the order of keys, and against those
// of equal quantity that do.
func (f *finder) nearestOf(short, over []int32, fits func(a, b *Line) bool, take func(short, over int32)) {
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
					if i >= 0 && i < len(list) && !held[list[i]] && fits(&f.Lines[s], &f.Lines[list[i]]) {
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
	away := f.near().between(short.Key, over.Key)
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
		f.near().words(short.Key, over.Key))
	if found {
		how = fmt.Sprintf("%s short here, %s found in %s, %s", short.Variance.Abs(), over.Variance, f.Codes[stock.Bin].Text(over.Key[stock.Bin]),
			f.near().words(short.Key, over.Key))
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
	points, by := likeness(f.Codes[stock.SKU].Text(a), f.Codes[stock.SKU].Text(b), f.item(short), f.item(over))
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
