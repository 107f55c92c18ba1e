// Package countsim simulates a count: a warehouse that trades while it is counted, goods that are truly lost and gained, and faults of
// counting of every kind, of each of which is known what it is. It writes the files that wobin reconcile takes, and tells how many of the
// faults were rightly named.
package countsim

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"time"

	"wobin/internal/core/cause"
)

// Size says how large a simulated count is.
type Size struct {
	Items, Aisles, Bays, Levels int
	// Of a thousand lines: those with a true gain or loss, and those at which a fault is planted.
	True, Faults int
}

// Usual is a count of about 20,000 lines.
var Usual = Size{Items: 6000, Aisles: 20, Bays: 40, Levels: 4, True: 35, Faults: 35}

// proportions are how often each fault is made, of a hundred.
var proportions = []struct {
	cause cause.Cause
	of    int
}{
	{cause.KeySlip, 20}, {cause.Misplaced, 20}, {cause.MistakenItem, 12}, {cause.PackSlip, 11}, {cause.CutOff, 10}, {cause.CountedTwice, 8},
	{cause.WrongLot, 7}, {cause.PlaceUncounted, 6}, {cause.NegativeRecord, 3}, {cause.RowSlip, 3},
}

// Key names a line.
type Key struct{ Bin, SKU, Lot string }

// Count is a simulated count: its files, and what is true of it.
type Count struct {
	Stock, Counts, Movements, Items string
	// Planted are the faults by the line at which each shows: of a pair the short one.
	Planted map[Key]cause.Cause
	// Differ are lines with nothing but a true gain or loss.
	Differ map[Key]bool
}

type item struct {
	sku, description, barcode, category string
	packs                               []int
	lots                                bool
	family, cost, typical               int
}

type line struct {
	Key
	item               *item
	bin                int
	recorded, physical int
	moves              []move
	counted            []int // the entries; none: uncounted
	blank              bool
	added              bool // no recorded row
	touched, really    bool
	at                 int // minutes after the freeze
	counter            string
	sheet              int
	second             string // who counted it again
	booked             []move // movements that are booked at another time than they happened
	slipped            bool
}

type move struct{ at, quantity int }

// Make simulates a count.
func Make(seed uint64, size Size) *Count {
	s := &sim{rng: rand.New(rand.NewPCG(seed, 0x5eed)), size: size, at: map[Key]*line{}}
	s.stockUp()
	s.trade()
	s.differ()
	s.schedule()
	s.plant()
	s.count()
	return s.write()
}

type sim struct {
	rng   *rand.Rand
	size  Size
	bins  []string
	items []*item
	lines []*line // in walking order
	byBin map[int][]*line
	of    map[*item][]*line
	at    map[Key]*line
	out   Count
}

func (s *sim) n(from, to int) int        { return from + s.rng.IntN(to-from+1) }
func (s *sim) chance(of, all int) bool   { return s.rng.IntN(all) < of }
func pick[T any](s *sim, from []T) (x T) { return from[s.rng.IntN(len(from))] }

var (
	things = []string{
		"rope",
		"shackle",
		"block",
		"cleat",
		"paint",
		"varnish",
		"hook",
		"chain",
		"fender",
		"lamp",
		"bolt",
		"nut",
		"washer",
		"pump",
		"hose",
	}
	kinds = []string{"galvanised", "stainless", "brass", "nylon", "bronze", "black", "white", "braided", "heavy", "light"}
)

// stockUp makes items in families, and puts them into bins.
func (s *sim) stockUp() {
	for a := range s.size.Aisles {
		for b := range s.size.Bays {
			for l := range s.size.Levels {
				s.bins = append(s.bins, fmt.Sprintf("%s-%02d-%d", aisle(a), b+1, l+1))
			}
		}
	}
	taken := map[string]bool{}
	for len(s.items) < s.size.Items {
		thing, kind := pick(s, things), pick(s, kinds)
		base, members := fmt.Sprintf("%s-%04d", strings.ToUpper(thing[:2]), s.n(1000, 9999)), s.n(1, 5)
		if taken[base] {
			continue
		}
		taken[base] = true
		for m := range members {
			if len(s.items) == s.size.Items {
				break
			}
			it := &item{family: len(s.items) - m, cost: s.n(20, 9000)}
			it.sku = fmt.Sprintf("%s-%02d", base, (m+1)*2)
			it.description = fmt.Sprintf("%s %s %d mm", kind, thing, (m+1)*2)
			it.barcode = ean(400000000000 + int64(len(s.items)))
			it.category = thing
			it.lots = thing == "paint" || thing == "varnish"
			for _, p := range []int{6, 10, 12, 24, 50, 100} {
				if s.chance(1, 5) {
					it.packs = append(it.packs, p)
				}
			}
			it.typical = pick(s, []int{3, 8, 8, 20, 20, 40, 120, 400})
			s.items = append(s.items, it)
		}
	}
	s.byBin, s.of = map[int][]*line{}, map[*item][]*line{}
	for _, it := range s.items {
		home := s.rng.IntN(len(s.bins))
		for n := s.n(1, 6); n > 0; n-- {
			bin := home
			if home = (home + s.n(1, 60)) % len(s.bins); s.chance(1, 3) {
				home = s.rng.IntN(len(s.bins))
			}
			lots := []string{""}
			if it.lots {
				lots = nil
				for k := s.n(1, 3); k > 0; k-- {
					lots = append(lots, fmt.Sprintf("L%d", 100+it.cost%50+k))
				}
			}
			for _, lot := range lots {
				s.add(it, bin, lot, max(1, s.n(it.typical/3, it.typical*2)), false)
			}
		}
		if f := s.items[it.family]; f != it && len(s.of[f]) > 0 && s.chance(1, 2) && it.lots == f.lots && !it.lots { // families lie together
			s.add(it, s.of[f][0].bin, "", s.n(1, it.typical*2), false)
		}
	}
	for bin := range s.bins {
		s.lines = append(s.lines, s.byBin[bin]...)
	}
}

func aisle(n int) string {
	if n < 26 {
		return string(rune('A' + n))
	}
	return string(rune('A'+n/26-1)) + string(rune('A'+n%26))
}

func ean(n int64) string {
	text, sum := fmt.Sprintf("%012d", n), 0
	for i, c := range text {
		sum += int(c-'0') * (1 + 2*(i%2))
	}
	return text + string(rune('0'+(10-sum%10)%10))
}

func (s *sim) add(it *item, bin int, lot string, quantity int, found bool) *line {
	k := Key{s.bins[bin], it.sku, lot}
	if l := s.at[k]; l != nil {
		return nil
	}
	l := &line{Key: k, item: it, bin: bin, recorded: quantity, physical: quantity, added: found}
	s.at[k] = l
	s.byBin[bin], s.of[it] = append(s.byBin[bin], l), append(s.of[it], l)
	return l
}

// trade lets goods come and go while the count goes on.
func (s *sim) trade() {
	for _, l := range s.lines {
		if !s.chance(1, 8) {
			continue
		}
		for n := s.n(1, 3); n > 0; n-- {
			q := s.n(1, max(1, l.recorded/4))
			if s.chance(2, 3) {
				q = -q
			}
			l.moves = append(l.moves, move{s.n(5, 900), q})
		}
	}
}

// differ lets goods be lost and gained: mostly few, now and then many.
func (s *sim) differ() {
	for _, l := range s.lines {
		if !s.chance(s.size.True, 1000) {
			continue
		}
		d := s.n(1, 3)
		switch {
		case s.chance(1, 12):
			d = s.n(1, l.recorded)
		case s.chance(1, 3):
			d = s.n(1, max(2, l.recorded/8))
		}
		if d > l.physical || s.chance(2, 5) {
			l.physical += d
		} else {
			l.physical -= d
		}
		l.really = true
	}
}

// schedule lets people walk through the bins, a sheet each.
func (s *sim) schedule() {
	people := []string{"Ada", "Bo", "Cy", "Dee", "Eve"}
	sheet, n, at := 0, 0, 60
	who := people[0]
	for _, l := range s.lines {
		if n++; n > 60 {
			n, sheet = 0, sheet+1
			who = people[sheet%len(people)]
			at = 60 + (sheet/len(people)*70)%700
		}
		if n%2 == 0 {
			at++
		}
		l.sheet, l.counter, l.at = sheet, who, at
	}
}

// present is what of a line lies there at a time.
func (l *line) present() int {
	q := l.physical
	for _, m := range l.moves {
		if m.at <= l.at {
			q += m.quantity
		}
	}
	return q
}

// expected is what the records expect when it was counted.
func (l *line) expected() int {
	q := l.recorded
	for _, m := range append(append([]move{}, l.moves...), l.booked...) {
		if m.at <= l.at {
			q += m.quantity
		}
	}
	return q
}

func (s *sim) free(l *line) bool {
	return !l.touched && !l.really && l.present() > 0 && l.present() == l.expected()
}

// plant makes faults at lines that nothing else is wrong with.
func (s *sim) plant() {
	s.out.Planted = map[Key]cause.Cause{}
	want := len(s.lines) * s.size.Faults / 1000
	for tries := 0; len(s.out.Planted) < want && tries < want*40; tries++ {
		roll, of := s.rng.IntN(100), cause.KeySlip
		for _, p := range proportions {
			if roll -= p.of; roll < 0 {
				of = p.cause
				break
			}
		}
		i := s.rng.IntN(len(s.lines))
		if l := s.lines[i]; s.free(l) && !l.added {
			s.fault(of, l, i)
		}
	}
}

func (s *sim) planted(l *line, c cause.Cause) {
	l.touched = true
	s.out.Planted[l.Key] = c
}

func (s *sim) fault(c cause.Cause, l *line, i int) {
	have := l.present()
	switch c {
	case cause.KeySlip:
		if wrong := s.slip(have); wrong != have && wrong >= 0 {
			l.counted = []int{wrong}
			s.planted(l, c)
		}
	case cause.PackSlip:
		if len(l.item.packs) == 0 {
			return
		}
		p := pick(s, l.item.packs)
		switch {
		case have%p == 0 && s.chance(4, 5):
			l.counted = []int{have / p}
		case have < 30 && s.chance(1, 3):
			l.counted = []int{have * p}
		default:
			return
		}
		s.planted(l, c)
	case cause.CountedTwice:
		if l.counted = []int{have, have}; s.chance(1, 2) {
			l.second = "Fay"
		}
		s.planted(l, c)
	case cause.NegativeRecord:
		l.recorded -= have + s.n(1, max(1, have))
		if l.expected() < 0 {
			s.planted(l, c)
		} else {
			l.recorded += l.present() - l.expected()
		}
	case cause.CutOff:
		// Goods that came or went, and were booked later than they did, or earlier.
		q := s.n(1, max(2, have/2))
		if s.chance(1, 2) {
			q = -min(q, have)
		}
		if s.chance(1, 2) { // they moved before it was counted, and were booked after
			l.physical += q
			l.booked = append(l.booked, move{l.at + s.n(1, 180), q})
		} else { // booked before, moved after
			if have+q < 0 || l.at < 30 {
				return
			}
			l.booked = append(l.booked, move{l.at - s.n(1, min(120, l.at-2)), q})
		}
		s.planted(l, c)
	case cause.Misplaced:
		s.misplace(l, have)
	case cause.PlaceUncounted:
		for _, o := range s.of[l.item] {
			if o != l && o.Lot == l.Lot && s.free(o) && have > 1 {
				q := s.n(max(1, have/3), have)
				l.physical -= q
				o.physical += q
				o.blank, o.touched = true, true
				s.planted(l, c)
				return
			}
		}
	case cause.WrongLot:
		for _, o := range s.byBin[l.bin] {
			if o != l && o.item == l.item && s.free(o) {
				q := s.n(max(1, have/4), have)
				l.counted, o.counted, o.touched = []int{have - q}, []int{o.present() + q}, true
				s.planted(l, c)
				return
			}
		}
	case cause.MistakenItem:
		for _, o := range s.byBin[l.bin] {
			if o.item != l.item && o.item.family == l.item.family && s.free(o) {
				q := s.n(max(1, have/4), have)
				l.counted, o.counted, o.touched = []int{have - q}, []int{o.present() + q}, true
				s.planted(l, c)
				return
			}
		}
	case cause.RowSlip:
		s.slipRows(i)
	}
}

// slip is a figure as hands get it wrong; the same where there is nothing to get wrong.
func (s *sim) slip(n int) int {
	text := fmt.Sprint(n)
	at := s.rng.IntN(len(text))
	switch s.rng.IntN(5) {
	case 0: // swapped
		if at+1 < len(text) && text[0] != '0' && !(at == 0 && text[1] == '0') {
			text = text[:at] + text[at+1:at+2] + text[at:at+1] + text[at+2:]
		}
	case 1: // missing
		if len(text) > 1 && !(at == 0 && text[1] == '0') {
			text = text[:at] + text[at+1:]
		}
	case 2: // doubled
		text = text[:at] + text[at:at+1] + text[at:]
	case 3: // wrong
		if len(text) > 1 {
			text = text[:at] + string(rune('1'+s.rng.IntN(9))) + text[at+1:]
		}
	default: // the decimal place
		text += "0"
	}
	out := 0
	fmt.Sscan(text, &out)
	return out
}

// misplace puts goods of a line into another bin, mostly a near one.
func (s *sim) misplace(l *line, have int) {
	q := s.n(1, have)
	if s.chance(1, 2) {
		q = have
	}
	bin := l.bin + s.n(1, 3*s.size.Levels)
	if s.chance(1, 4) {
		bin = s.rng.IntN(len(s.bins))
	}
	if bin >= len(s.bins) || bin == l.bin {
		return
	}
	to := s.at[Key{s.bins[bin], l.SKU, l.Lot}]
	if to == nil {
		if to = s.add(l.item, bin, l.Lot, 0, true); to == nil {
			return
		}
		to.at, to.counter, to.sheet = l.at+30, l.counter, l.sheet
		s.lines = append(s.lines, to)
	} else if !s.free(to) {
		return
	}
	to.touched = true
	l.physical -= q
	to.physical += q
	s.planted(l, cause.Misplaced)
}

// slipRows writes the counts of a few rows beside the next ones.
func (s *sim) slipRows(i int) {
	n := s.n(3, 7)
	if i+n+1 >= len(s.lines) {
		return
	}
	for _, l := range s.lines[i : i+n+1] {
		if l.touched || l.sheet != s.lines[i].sheet || l.blank || l.added {
			return
		}
	}
	step := 1 // each row has the count of the one above
	if s.chance(1, 2) {
		step = -1
	}
	for k := range n {
		to, of := s.lines[i+1+k], s.lines[i+k]
		if step < 0 {
			to, of = of, to
		}
		to.counted, to.slipped = []int{max(of.present(), 0)}, true
	}
	for _, l := range s.lines[i : i+n+1] {
		l.touched = true
		if l.slipped && l.counted[0] != l.expected() {
			s.out.Planted[l.Key] = cause.RowSlip
		}
	}
	if end := s.lines[i]; step > 0 {
		end.blank = true
	} else {
		s.lines[i+n].blank = true
	}
}

// count lets the rest be counted as it is.
func (s *sim) count() {
	s.out.Differ = map[Key]bool{}
	for _, l := range s.lines {
		if l.counted == nil && !l.blank && (l.touched || !s.chance(1, 100)) {
			l.counted = []int{max(l.present(), 0)}
		}
		if l.really && !l.touched && len(l.counted) > 0 && l.counted[0] != l.expected() {
			s.out.Differ[l.Key] = true
		}
	}
}

var freeze = time.Date(2026, 11, 20, 6, 0, 0, 0, time.UTC)

func clock(minutes int) string {
	return freeze.Add(time.Duration(minutes) * time.Minute).Format(time.RFC3339)
}

// write writes the files.
func (s *sim) write() *Count {
	var stock, counts, moves, items strings.Builder
	stock.WriteString("warehouse,bin,sku,lot,description,quantity,unit_cost,recorded_at\n")
	moves.WriteString("warehouse,bin,sku,lot,quantity,at,reference\n")
	reference := 0
	for _, l := range s.lines {
		if !l.added {
			fmt.Fprintf(&stock, "W,%s,%s,%s,%s,%d,%d.%02d,%s\n", l.Bin, l.SKU, l.Lot, l.item.description, l.recorded, l.item.cost/100,
				l.item.cost%100, clock(0))
		}
		for _, m := range append(l.moves, l.booked...) {
			reference++
			fmt.Fprintf(&moves, "W,%s,%s,%s,%d,%s,D%d\n", l.Bin, l.SKU, l.Lot, m.quantity, clock(m.at), reference)
		}
	}
	counts.WriteString("warehouse,bin,sku,lot,counted,counted_at,counter\n")
	for _, l := range s.lines {
		if len(l.counted) == 0 {
			if !l.added {
				fmt.Fprintf(&counts, "W,%s,%s,%s,,,\n", l.Bin, l.SKU, l.Lot)
			}
			continue
		}
		for i, q := range l.counted {
			who := l.counter
			if i > 0 && l.second != "" {
				who = l.second
			}
			fmt.Fprintf(&counts, "W,%s,%s,%s,%d,%s,%s\n", l.Bin, l.SKU, l.Lot, q, clock(l.at+i), who)
		}
	}
	items.WriteString("sku,description,barcode,category,pack\n")
	for _, it := range s.items {
		packs := it.packs
		if len(packs) == 0 {
			packs = []int{0}
		}
		for _, p := range packs {
			size := ""
			if p > 0 {
				size = fmt.Sprint(p)
			}
			fmt.Fprintf(&items, "%s,%s,%s,%s,%s\n", it.sku, it.description, it.barcode, it.category, size)
		}
	}
	s.out.Stock, s.out.Counts, s.out.Movements, s.out.Items = stock.String(), counts.String(), moves.String(), items.String()
	return &s.out
}
