// Package standin is a simulated record system: it keeps stock, sells and receives at random, exports stock and movements, and takes in
// adjustment files in a strict format of its own. Beside what its records say it knows the truth: what is really there. Time comes in as
// a value and chance from a seed, so a world can be played again; it is kept as JSON.
package standin

import (
	"cmp"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"slices"
	"time"

	"wobin/internal/core/code"
	"wobin/internal/core/quantity"
	"wobin/internal/core/tabular"
)

// Site is the warehouse of the simulated record system.
const Site = "DOCK"

// Line is one line of its stock: quantities in millionths.
type Line struct {
	Bin, SKU, Lot string
	ID            string        // its number in the records
	Record        int64         // by what is booked
	Truth         int64         // what is really there
	Cost          quantity.Cost // of one
}

// Item is one of its items.
type Item struct {
	SKU, Description, Unit string
	Cost                   quantity.Cost
	Lots                   []string // of those that are kept by lot
	Step                   int64    // the smallest quantity that is sold, in millionths
}

// Movement is something that came in, went out, or was carried over. At is when it happened, Booked when the records heard of it.
type Movement struct {
	Line      int // its number
	Quantity  int64
	At        int64
	Booked    int64
	Reference string
}

// World is the record system and the house that it is about.
type World struct {
	Seed      uint64
	Now       int64 // Unix nanoseconds
	Late      bool  // some of what happens is booked hours later
	Items     []Item
	Bins      []string
	Lines     []*Line
	Movements []Movement
	Waiting   []Movement // that the records have not heard of
	Documents map[string]bool
	Slips     map[int][]int64 // by line: how far wrong counts of it were off
	Serial    int
	Dice      []byte // the state of chance

	dice *rand.PCG
	at   map[[3]string]int
}

// NewWorld makes a world of a seed, whose records are about right: of some lines another quantity is there than they say, some lie in
// another bin, some under another lot.
func NewWorld(seed uint64, now time.Time, bins int) *World {
	w := &World{Seed: seed, Now: now.UnixNano(), Documents: map[string]bool{}, dice: rand.NewPCG(seed, 2026)}
	r := w.rand()
	nouns := []string{"Rope", "Shackle", "Block", "Cleat", "Paint", "Lamp", "Pump", "Fender", "Chain", "Anchor", "Buoy", "Winch"}
	for i := range max(6, bins/2) {
		it := Item{SKU: fmt.Sprintf("%s-%04d", []string{"RP", "HW", "PT"}[i%3], 100+7*i), Unit: "ea", Step: quantity.Scale,
			Description: fmt.Sprintf("%s %d mm", nouns[i%len(nouns)], 4+2*(i%20)), Cost: quantity.Cost(1_000_000 + r.Int64N(90_000_000))}
		if i%11 == 3 {
			it.Unit, it.Step = "m", quantity.Scale/2
		}
		if i%5 == 2 {
			it.Lots = []string{fmt.Sprintf("L26-%03d", i), fmt.Sprintf("L26-%03d", i+400)}
		}
		w.Items = append(w.Items, it)
	}
	for i := range bins {
		w.Bins = append(w.Bins, fmt.Sprintf("%c-%02d-%d", 'A'+i/40, i/4%10+1, i%4+1))
	}
	for i, bin := range w.Bins {
		for range 1 + r.IntN(3) {
			it := &w.Items[r.IntN(len(w.Items))]
			lot := ""
			if it.Lots != nil {
				lot = it.Lots[r.IntN(len(it.Lots))]
			}
			if _, had := w.find(bin, it.SKU, lot); had || i%9 == 8 {
				continue // some bins are empty
			}
			l := w.line(bin, it.SKU, lot)
			l.Record = it.Step * (4 + r.Int64N(80))
			l.Truth = l.Record
		}
	}
	for _, l := range slices.Clone(w.Lines) {
		it := w.item(l.SKU)
		n := it.Step * (1 + r.Int64N(6))
		switch p := r.IntN(100); {
		case p < 12: // lost, broken, taken
			l.Truth = max(0, l.Truth-n)
		case p < 18: // more than anybody knows
			l.Truth += n
		case p < 23: // put down in another bin
			n = min(n, l.Truth)
			l.Truth -= n
			w.line(w.Bins[r.IntN(len(w.Bins))], l.SKU, l.Lot).Truth += n
		case p < 27 && len(it.Lots) > 1: // or under another lot
			n = min(n, l.Truth)
			l.Truth -= n
			w.line(l.Bin, l.SKU, it.Lots[(slices.Index(it.Lots, l.Lot)+1)%len(it.Lots)]).Truth += n
		}
	}
	return w
}

func (w *World) rand() *rand.Rand {
	if w.dice == nil {
		w.dice = rand.NewPCG(w.Seed, 2026)
		_ = w.dice.UnmarshalBinary(w.Dice)
	}
	return rand.New(w.dice)
}

func (w *World) item(sku string) *Item {
	i := slices.IndexFunc(w.Items, func(it Item) bool { return it.SKU == sku })
	return &w.Items[i]
}

func (w *World) find(bin, sku, lot string) (int, bool) {
	if w.at == nil {
		w.at = map[[3]string]int{}
		for i, l := range w.Lines {
			w.at[[3]string{l.Bin, l.SKU, l.Lot}] = i
		}
	}
	i, had := w.at[[3]string{bin, sku, lot}]
	return i, had
}

// line gives the line of a key, and makes it where there is none.
func (w *World) line(bin, sku, lot string) *Line {
	i, had := w.find(bin, sku, lot)
	if !had {
		i = len(w.Lines)
		w.Lines = append(w.Lines, &Line{Bin: bin, SKU: sku, Lot: lot, ID: fmt.Sprintf("%06d", 100_000+i), Cost: w.item(sku).Cost})
		w.at[[3]string{bin, sku, lot}] = i
	}
	return w.Lines[i]
}

// Trade lets time go on to a moment, in which so many things happen an hour: something is sold, comes in, or is carried over. What is
// booked meanwhile is booked.
func (w *World) Trade(to int64, anHour float64) {
	r := w.rand()
	for hour := float64(time.Hour); anHour > 0; {
		next := w.Now + int64(hour/anHour*r.ExpFloat64()) + 1
		if next > to {
			break
		}
		w.book(next)
		w.Now = next
		w.happen(r)
	}
	w.book(to)
	w.Now = max(w.Now, to)
}

// happen lets one thing happen now.
func (w *World) happen(r *rand.Rand) {
	w.Serial++
	l := w.Lines[r.IntN(len(w.Lines))]
	it := w.item(l.SKU)
	n := it.Step * (1 + r.Int64N(9))
	booked := w.Now
	if w.Late && r.IntN(5) == 0 {
		booked += int64(time.Duration(20+r.IntN(400)) * time.Minute)
	}
	move := func(l *Line, n int64, kind string) {
		i, _ := w.find(l.Bin, l.SKU, l.Lot)
		l.Truth += n
		w.Waiting = append(w.Waiting, Movement{i, n, w.Now, booked, fmt.Sprintf("%s-%05d", kind, w.Serial)})
	}
	switch p := r.IntN(10); {
	case p < 6:
		if n = min(n, l.Truth-l.Truth%it.Step); n > 0 {
			move(l, -n, "SO")
		}
	case p < 8:
		move(l, n, "PO")
	default:
		to := w.line(w.Bins[r.IntN(len(w.Bins))], l.SKU, l.Lot)
		if n = min(n, l.Truth-l.Truth%it.Step); n > 0 && to != l {
			move(l, -n, "TR")
			move(to, n, "TR")
		}
	}
	w.book(w.Now)
}

// book books what the records hear of up to a moment.
func (w *World) book(upTo int64) {
	slices.SortStableFunc(w.Waiting, func(a, b Movement) int { return cmp.Compare(a.Booked, b.Booked) })
	n := 0
	for ; n < len(w.Waiting) && w.Waiting[n].Booked <= upTo; n++ {
		w.Lines[w.Waiting[n].Line].Record += w.Waiting[n].Quantity
	}
	w.Movements = append(w.Movements, w.Waiting[:n]...)
	w.Waiting = slices.Clone(w.Waiting[n:])
}

// sorted gives the lines in the order of their bins.
func (w *World) sorted() []*Line {
	out := slices.Clone(w.Lines)
	slices.SortFunc(out, func(a, b *Line) int {
		return cmp.Or(code.Compare(a.Bin, b.Bin), code.Compare(a.SKU, b.SKU), code.Compare(a.Lot, b.Lot))
	})
	return out
}

// ExportStock is the stock by the records, as at now. Lines of which nothing is recorded are in it.
func (w *World) ExportStock() []byte {
	b := tabular.AppendRow(
		nil,
		',',
		"warehouse",
		"bin",
		"sku",
		"description",
		"lot",
		"unit",
		"quantity",
		"unit_cost",
		"recorded_at",
		"record_id",
	)
	for _, l := range w.sorted() {
		it := w.item(l.SKU)
		b = tabular.AppendRow(b, ',', Site, l.Bin, l.SKU, it.Description, l.Lot, it.Unit, quantity.Quantity(l.Record).String(), l.Cost.String(),
			time.Unix(0, w.Now).UTC().Format(time.RFC3339Nano), l.ID)
	}
	return b
}

// ExportMovements is what was booked after one moment and up to now, by when it happened. Adjustments are not among it.
func (w *World) ExportMovements(after int64) []byte {
	b := tabular.AppendRow(nil, ',', "warehouse", "bin", "sku", "lot", "quantity", "at", "reference")
	for _, m := range w.Movements {
		if m.Booked <= after {
			continue
		}
		l := w.Lines[m.Line]
		b = tabular.AppendRow(
			b,
			',',
			Site,
			l.Bin,
			l.SKU,
			l.Lot,
			quantity.Quantity(m.Quantity).String(),
			time.Unix(0, m.At).UTC().Format(time.RFC3339Nano),
			m.Reference,
		)
	}
	return b
}

// Off lists the lines of which the records say something else than is there.
func (w *World) Off() (out []*Line) {
	for _, l := range w.sorted() {
		if l.Record != l.Truth {
			out = append(out, l)
		}
	}
	return out
}

// Save gives the world as JSON, and Load takes it.
func (w *World) Save() ([]byte, error) {
	w.rand()
	var err error
	if w.Dice, err = w.dice.MarshalBinary(); err != nil {
		return nil, err
	}
	return json.Marshal(w)
}

// Load gives the world that Save gave.
func Load(b []byte) (*World, error) {
	w := &World{}
	return w, json.Unmarshal(b, w)
}

// At gives a line, and makes it where there is none.
func (w *World) At(bin, sku, lot string) *Line {
	if slices.IndexFunc(w.Items, func(it Item) bool { return it.SKU == sku }) < 0 {
		return &Line{Bin: bin, SKU: sku, Lot: lot}
	}
	return w.line(bin, sku, lot)
}

// In gives the lines of a bin.
func (w *World) In(bin string) (out []*Line) {
	for _, l := range w.sorted() {
		if l.Bin == bin {
			out = append(out, l)
		}
	}
	return out
}

// Slip gives a wrong count of a line, one time in so many; 0: never. It is never what the records say, so that somebody looks again.
func (w *World) Slip(l *Line, oneIn int) (quantity int64, is bool) {
	r := w.rand()
	if oneIn == 0 || r.IntN(oneIn) != 0 {
		return 0, false
	}
	it := w.item(l.SKU)
	expected := l.Record
	i, _ := w.find(l.Bin, l.SKU, l.Lot)
	for _, m := range w.Waiting { // what happened and will be booked is expected then, too
		if m.Line == i {
			expected += m.Quantity
		}
	}
	for {
		switch r.IntN(3) {
		case 0:
			quantity = l.Truth * 10
		case 1:
			quantity = max(0, l.Truth-it.Step*(1+r.Int64N(9)))
		default:
			quantity = l.Truth + it.Step*(1+r.Int64N(9))
		}
		// Two people do not make the same mistake.
		if off := quantity - l.Truth; off != 0 && quantity != expected && !slices.Contains(w.Slips[i], off) {
			if w.Slips == nil {
				w.Slips = map[int][]int64{}
			}
			w.Slips[i] = append(w.Slips[i], off)
			return quantity, true
		}
	}
}

// ExportPlaces lists the bins.
func (w *World) ExportPlaces() []byte {
	b := tabular.AppendRow(nil, ',', "warehouse", "bin")
	for _, bin := range w.Bins {
		b = tabular.AppendRow(b, ',', Site, bin)
	}
	return b
}

// ExportItems lists the items.
func (w *World) ExportItems() []byte {
	b := tabular.AppendRow(nil, ',', "sku", "description", "unit", "unit cost", "tracking")
	for _, it := range w.Items {
		tracking := ""
		if it.Lots != nil {
			tracking = "lot"
		}
		b = tabular.AppendRow(b, ',', it.SKU, it.Description, it.Unit, it.Cost.String(), tracking)
	}
	return b
}
