package cause

import (
	"fmt"
	"slices"

	"wobin/internal/core/quantity"
	"wobin/internal/core/stock"
)

// alone gives what may explain a line without another one. What it gives is valid until it gives the next.
func (f *finder) alone(n int, give func(x *Explanation)) {
	l := &f.Lines[n]
	if l.Variance == 0 {
		return
	}
	add := func(x Explanation, more int64) {
		if x.Grade == None {
			return
		}
		if x.Line, x.Other = n, -1; x.Quantity == 0 {
			x.Quantity = l.Variance
		}
		if x.Cause != CountedTwice {
			x.Drop = -1
		}
		f.made(&x, more)
		give(&x)
	}
	if l.Expected < 0 {
		add(Explanation{Cause: NegativeRecord, Grade: Strong, How: fmt.Sprintf("the records expect %s here", signed(l.Expected))}, 0)
	}
	add(countedTwice(l), 0)
	if f.Packs != nil {
		add(packSlip(l, f.Packs(l.Key[stock.SKU])), 0)
	}
	add(keySlip(l), 0)
	add(cutOff(l, f.Frozen), 0)
	add(f.elsewhere(l))
}

// packSlip looks for counted × pack = expected, or counted = expected × pack. That a loss comes to just that is the less likely the
// larger pack and figures are.
func packSlip(l *Line, packs []quantity.Quantity) (x Explanation) {
	if l.Expected <= 0 || l.Counted <= 0 {
		return x
	}
	for _, p := range packs {
		size := int64(p / quantity.Scale)
		if p%quantity.Scale != 0 || size < 2 {
			continue
		}
		how, grade := "", None
		few, err := quantity.Times(l.Counted, size)
		many, err2 := quantity.Times(l.Expected, size)
		rest := l.Expected % p // loose ones beside whole packs
		switch {
		case err && few == l.Expected:
			grade = gradeIf(size >= 6 || l.Expected >= 20*quantity.Scale, Strong, Fair)
			how = fmt.Sprintf("%s × the pack of %d is the expected %s", l.Counted, size, l.Expected)
		case err2 && many == l.Counted:
			grade = gradeIf(l.Variance >= 5*quantity.Scale, Strong, Fair)
			how = fmt.Sprintf("the expected %s × the pack of %d is %s", l.Expected, size, l.Counted)
		case rest > 0 && l.Expected/p >= 2 && l.Expected%quantity.Scale == 0 && l.Counted == l.Expected/p*quantity.Scale+rest:
			grade = Fair
			how = fmt.Sprintf("%d packs of %d and %s loose are the expected %s", l.Expected/p, size, rest, l.Expected)
		}
		if grade > x.Grade {
			x = Explanation{Cause: PackSlip, Grade: grade, Offered: l.Expected, Offers: true, How: how}
		}
	}
	return x
}

func gradeIf(is bool, then, otherwise Grade) Grade {
	if is {
		return then
	}
	return otherwise
}

// countedTwice looks for an entry without which the line is as expected.
func countedTwice(l *Line) (x Explanation) {
	v := l.Variance
	if v <= 0 || len(l.Entries) < 2 || l.Expected <= 0 {
		return x
	}
	for i, e := range l.Entries {
		twin := slices.IndexFunc(l.Entries, func(o Entry) bool { return o.Quantity == e.Quantity })
		same := twin != i // an earlier one is equal
		off := (v - e.Quantity).Abs()
		y := Explanation{Cause: CountedTwice, Drop: i}
		switch {
		case e.Quantity <= 0:
			continue
		case off == 0 && same:
			y.Grade, y.How = Strong, fmt.Sprintf("%s was entered twice, and %s are expected", e.Quantity, l.Expected)
		case off == 0 && len(l.Entries) == 2 && apart(l.Entries):
			y.Grade, y.How = Strong, fmt.Sprintf(
				"two people counted it, %s and %s, and %s are expected",
				l.Entries[0].Quantity,
				l.Entries[1].Quantity,
				l.Expected,
			)
		case off == 0:
			y.Grade, y.How = Fair, fmt.Sprintf("without the entry of %s it is the expected %s", e.Quantity, l.Expected)
		case v == l.Expected && len(l.Entries) == 2:
			y.Grade, y.How = Fair, fmt.Sprintf(
				"%s and %s are together twice the expected %s",
				l.Entries[0].Quantity,
				l.Entries[1].Quantity,
				l.Expected,
			)
		case same && off*5 <= e.Quantity:
			y.Grade, y.How = gradeIf(off*10 <= e.Quantity && len(l.Entries) == 2, Strong, Fair),
				fmt.Sprintf("%s was entered twice, and %s are expected", e.Quantity, l.Expected)
		case same && len(l.Entries) == 2 && apart(l.Entries) && off*3 <= e.Quantity:
			y.Grade, y.How = Fair, fmt.Sprintf("two people counted it, %s each, and %s are expected", e.Quantity, l.Expected)
		case len(l.Entries) == 2 && apart(l.Entries) && off*5 <= e.Quantity && (l.Counted-e.Quantity-l.Expected).Abs()*5 <= l.Expected:
			y.Grade, y.How = Fair, fmt.Sprintf(
				"two people counted it, %s and %s, and %s are expected",
				l.Entries[0].Quantity,
				l.Entries[1].Quantity,
				l.Expected,
			)
		default:
			continue
		}
		if y.Quantity = min(e.Quantity, v); v == l.Expected {
			y.Quantity = v
		}
		if y.Grade > x.Grade {
			x = y
		}
	}
	return x
}

// apart tells whether two different people are named.
func apart(e []Entry) bool {
	return e[0].Counter != e[1].Counter && e[0].Counter != 0 && e[1].Counter != 0
}

const hour = int64(3600) * 1_000_000_000

// cutOff looks for a movement near the time of counting, of just the quantity of the variance: one that was booked before the goods
// moved, or after.
func cutOff(l *Line, frozen int64) (x Explanation) {
	if l.CountedAt == 0 {
		return x
	}
	for i := range l.Movements {
		m := &l.Movements[i]
		var away int64
		how := ""
		switch {
		case m.At > l.CountedAt && m.Quantity == l.Variance:
			away = m.At - l.CountedAt
			how = fmt.Sprintf("%s were booked %s after it was counted", signed(m.Quantity), span(away))
		case m.At <= l.CountedAt && m.At > frozen && m.Quantity == -l.Variance:
			away = max(l.First-m.At, 0)
			how = fmt.Sprintf("%s were booked %s before it was counted", signed(m.Quantity), span(away))
			if away == 0 {
				how = fmt.Sprintf("%s were booked while it was counted", signed(m.Quantity))
			}
		default:
			continue
		}
		grade := None
		large := m.Quantity.Abs() >= 4*quantity.Scale
		switch {
		case away <= 4*hour:
			grade = gradeIf(large, Strong, Fair)
		case away <= 26*hour:
			grade = gradeIf(large, Strong, Fair)
			if away > 12*hour {
				grade = Fair
			}
		case away <= 72*hour:
			grade = Weak
		}
		if grade > x.Grade || grade == x.Grade && grade != None && nearer(m, x.Move, l.CountedAt) {
			x = Explanation{Cause: CutOff, Grade: grade, Move: m, How: how, Offered: l.Counted, Offers: true}
		}
	}
	return x
}

func nearer(a, b *stock.Movement, at int64) bool {
	x, y := distanceOf(a.At, at), distanceOf(b.At, at)
	return x < y || x == y && a.At < b.At
}

func distanceOf(a, b int64) int64 { return max(a-b, b-a) }

// span says how long something is, as people do.
func span(ns int64) string {
	switch minutes := (ns + 30*1_000_000_000) / (60 * 1_000_000_000); {
	case minutes < 1:
		return "less than a minute"
	case minutes < 120:
		return plural(minutes, "minute")
	case minutes < 48*60:
		return plural((minutes+30)/60, "hour")
	default:
		return plural((minutes+720)/1440, "day")
	}
}

func plural(n int64, word string) string {
	if n == 1 {
		return "1 " + word
	}
	return fmt.Sprintf("%d %ss", n, word)
}

// signed writes a quantity with its sign.
func signed(q quantity.Quantity) string {
	switch {
	case q > 0:
		return "+" + q.String()
	case q < 0:
		return "−" + q.Abs().String()
	}
	return "0"
}

// inOf is an item in a warehouse, of whatever lot.
type inOf struct{ warehouse, sku stock.ID }

// elsewhere looks for another bin that holds the item and was not counted, where the line is short: of the same lot before others, and
// the nearest before those far away. Where much is uncounted it says little that this bin is.
func (f *finder) elsewhere(l *Line) (x Explanation, more int64) {
	if l.Variance >= 0 {
		return x, 0
	}
	best := f.nearestPlace(l, f.places[ItemOf(l.Key)])
	if best < 0 {
		best = f.nearestPlace(l, f.anyLot[inOf{l.Key[stock.Warehouse], l.Key[stock.SKU]}])
	}
	if best < 0 {
		return x, 0
	}
	p := &f.Places[best]
	if f.Uncounted*10 <= f.Counted {
		more = 50 + int64(max(0, 40-4*f.near().between(l.Key, p.Key)))
	}
	return Explanation{Cause: PlaceUncounted, Grade: Fair, Place: p,
		How: fmt.Sprintf("%s, %s, holds %s of it and was not counted", f.Codes[stock.Bin].Text(p.Key[stock.Bin]), f.near().words(l.Key, p.Key),
			p.Expected)}, more
}

// findPlaces sorts the uncounted places by their items, in the order of their keys.
func (f *finder) findPlaces() {
	f.places, f.anyLot = map[ItemIn][]int32{}, map[inOf][]int32{}
	order := make([]int32, len(f.Places))
	for i := range order {
		order[i] = int32(i)
	}
	slices.SortFunc(order, func(a, b int32) int {
		x, y := &f.Places[a], &f.Places[b]
		return f.compare(x.Key, x.Order, y.Key, y.Order)
	})
	for _, i := range order {
		k := f.Places[i].Key
		f.places[ItemOf(k)] = append(f.places[ItemOf(k)], i)
		any := inOf{k[stock.Warehouse], k[stock.SKU]}
		f.anyLot[any] = append(f.anyLot[any], i)
	}
}

// nearestPlace gives the nearest of places in the order of their keys, of those that stand next to a line in it; -1 for none.
func (f *finder) nearestPlace(to *Line, places []int32) int {
	const side = 16
	best, nearest := -1, 0
	at, _ := slices.BinarySearchFunc(places, to, func(i int32, l *Line) int {
		return f.compare(f.Places[i].Key, f.Places[i].Order, l.Key, l.Order)
	})
	for _, i := range places[max(0, at-side):min(len(places), at+side)] { // of two as near, the first in order
		p := f.Places[i].Key
		if p[stock.Bin] == to.Key[stock.Bin] {
			continue
		}
		if away := f.near().between(to.Key, p); best < 0 || away < nearest {
			best, nearest = int(i), away
		}
	}
	return best
}
