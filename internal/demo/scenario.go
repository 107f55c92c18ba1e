// Package demo is the demo scenario: a ship chandler on an invented island, generated from a seed so that every
// run shows the same data. It makes files as a record system would export them and sheets as people would return
// them, and takes them in through the desk as a person would.
package demo

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"time"

	"wobin/internal/core/code"
	"wobin/internal/core/quantity"
	"wobin/internal/core/tabular"
)

// When the scenario happens, in UTC, for who looks at it on the days behind Base: a count that ended, one that is in its middle, and an
// export of today's morning or of a morning before it.
var (
	Base       = time.Date(2026, 11, 24, 0, 0, 0, 0, time.UTC)
	loftFreeze = time.Date(2026, 11, 2, 5, 30, 0, 0, time.UTC)
	quayFreeze = time.Date(2026, 11, 20, 6, 0, 0, 0, time.UTC)
	newExport  = time.Date(2026, 11, 23, 5, 45, 0, 0, time.UTC)
)

// shiftFor is how far the scenario is moved for a day on which it is made: whole weeks, so that people work on working days, and to the
// last week at whose begin nothing of it lies ahead.
func shiftFor(today time.Time) time.Duration {
	const week = 7 * 24 * time.Hour
	d := today.Sub(Base)
	if d < 0 {
		d -= week - 1
	}
	return d / week * week
}

type item struct {
	sku, name, unit, category, class, nature, barcode string
	cost                                              quantity.Cost
	active                                            bool
	pack                                              int64
	tracked                                           string // lot, serial or nothing
	decimal                                           bool
}

type place struct{ house, zone, bin string }

type line struct {
	place
	item                         *item
	lot, serial, holding, record string
	quantity, reserved           quantity.Quantity
}

// Scenario is the chandler's stock as its record system has it.
type Scenario struct {
	rng   *rand.Rand
	items []*item
	bins  []place
	lines []line
	// When its counts were frozen, and the newest export was written.
	loftFreeze, quayFreeze, newExport time.Time
}

// New makes the scenario from a seed, with dates around a day.
func New(seed uint64, today time.Time) *Scenario {
	s := &Scenario{rng: rand.New(rand.NewPCG(seed, 1851))}
	by := shiftFor(today)
	s.loftFreeze, s.quayFreeze, s.newExport = loftFreeze.Add(by), quayFreeze.Add(by), newExport.Add(by)
	s.makeItems()
	s.makeBins()
	s.makeLines()
	return s
}

func cents(n int) quantity.Cost { return quantity.Cost(n) * 10_000 }

func whole(n int) quantity.Quantity { return quantity.Quantity(n) * quantity.Scale }

func (s *Scenario) makeItems() {
	add := func(prefix, category, unit string, n int, name func(i int) string, low, high int, more func(*item, int)) {
		for i := range n {
			it := &item{
				sku:      fmt.Sprintf("%s-%04d", prefix, 100+i*7%9000+i),
				name:     name(i),
				unit:     unit,
				category: category,
				class:    []string{"A", "B", "B", "C", "C", "C"}[s.rng.IntN(6)],
				nature:   "stocked",
				active:   s.rng.IntN(60) != 0,
				cost:     cents(low + s.rng.IntN(high-low)),
				pack:     1,
			}
			digits := fmt.Sprintf("29%010d", 4_100_000_000+int64(len(s.items))*37)
			sum := 0
			for k, c := range digits {
				sum += int(c-'0') * (1 + 2*(k%2))
			}
			it.barcode = fmt.Sprintf("%s%d", digits, (10-sum%10)%10)
			if more != nil {
				more(it, i)
			}
			s.items = append(s.items, it)
		}
	}
	pick := func(list ...string) func(i int) string { return func(i int) string { return list[i%len(list)] } }
	colours := pick("white", "navy", "red", "black", "grey", "green", "tan")
	add("ROP", "Ropes", "m", 160, func(i int) string {
		return fmt.Sprintf(
			"%s %d mm %s",
			pick("Braided mooring line", "Three-strand rope", "Halyard", "Dock line", "Anchor warp", "Shock cord")(i),
			4+2*(i%14),
			colours(i/3),
		)
	}, 45, 900, func(it *item, _ int) { it.decimal = true })
	add("SHK", "Shackles", "ea", 190, func(i int) string {
		return fmt.Sprintf(
			"%s %d mm %s",
			pick("Bow shackle", "D shackle", "Twist shackle", "Snap hook", "Swivel")(i),
			4+i%17,
			pick("galvanised", "stainless", "black")(i/5),
		)
	}, 80, 2400, func(it *item, _ int) { it.pack = 25 })
	add("PNT", "Paint", "ea", 130, func(i int) string {
		return fmt.Sprintf(
			"%s %s %s",
			pick("Antifouling", "Deck paint", "Varnish", "Primer", "Bilge paint", "Thinner")(i),
			colours(i/2),
			pick("0.75 l", "2.5 l", "5 l")(i/4),
		)
	}, 900, 9800, func(it *item, _ int) { it.tracked, it.pack = "lot", 6 })
	add("FLR", "Flares", "ea", 40, func(i int) string {
		return fmt.Sprintf(
			"%s %s",
			pick("Hand flare", "Parachute rocket", "Smoke float", "Line thrower")(i),
			pick("red", "white", "orange", "green")(i/4),
		)
	}, 1200, 14000, func(it *item, _ int) { it.tracked = "lot" })
	add("RAD", "Radios", "ea", 24, func(i int) string {
		return fmt.Sprintf("%s, model %d", pick("Handheld radio, floating", "Fixed radio", "Distress beacon", "Receiver")(i), 3+i)
	}, 14000, 62000, func(it *item, _ int) { it.tracked = "serial" })
	add("CHT", "Charts", "ea", 120, func(i int) string {
		return fmt.Sprintf(
			"Chart %s %s",
			pick("Sandling Sound", "Port Merrow", "Outer Skerries", "Gull Bank", "Harrow Reach", "Tarn Narrows")(i),
			pick("north", "south", "approaches", "harbour plan")(i/6),
		)
	}, 1900, 3600, nil)
	add("ANC", "Anchors", "ea", 46, func(i int) string {
		return fmt.Sprintf("%s anchor %d kg", pick("Plough", "Grapnel", "Stockless", "Mushroom")(i), 2+i*2)
	}, 3500, 58000, nil)
	add("FEN", "Fenders", "ea", 90, func(i int) string {
		return fmt.Sprintf("%s fender %d cm %s", pick("Round", "Long", "Flat")(i), 20+5*(i%12), colours(i))
	}, 900, 8900, nil)
	add("BLK", "Blocks", "ea", 130, func(i int) string {
		return fmt.Sprintf("%s block %d mm", pick("Single", "Double", "Snatch", "Cheek", "Ratchet")(i), 20+4*(i%20))
	}, 1100, 15500, nil)
	add("FIT", "Fittings", "ea", 222, func(i int) string {
		return fmt.Sprintf(
			"%s %s",
			pick("Cleat", "Fairlead", "Hinge", "Deck eye", "Hose clip", "Through-hull", "Seacock", "Grommet")(i),
			pick("small", "medium", "large", "heavy")(i/8),
		)
	}, 60, 4800, func(it *item, _ int) { it.pack = 10 })
	add("SRV", "Services", "h", 18, func(i int) string {
		return pick("Rigging hours", "Splicing hours", "Survey hours")(i) + fmt.Sprintf(", rate %d", i/3+1)
	}, 3500, 8200, func(it *item, _ int) { it.nature, it.active = "service", true })
	add(
		"SET",
		"Mooring sets",
		"ea",
		30,
		func(i int) string { return fmt.Sprintf("Mooring set, boats to %d m", 6+i) },
		5000,
		30000,
		func(it *item, _ int) { it.nature, it.active = "parent", true },
	)
}

func (s *Scenario) makeBins() {
	for a, zone := range []string{"Ropes", "Ropes", "Hardware", "Hardware", "Hardware", "Paint store", "Paint store", "Front"} {
		for bay := 1; bay <= 12; bay++ {
			for level := 1; level <= 5; level++ {
				s.bins = append(s.bins, place{"QUAY", zone, fmt.Sprintf("%c-%02d-%d", 'A'+a, bay, level)})
			}
		}
	}
	for r, zone := range []string{"North side", "North side", "South side", "South side", "Chart room"} {
		for bay := 1; bay <= 54; bay++ {
			s.bins = append(s.bins, place{"LOFT", zone, fmt.Sprintf("%c%02d", "NPSTC"[r], bay)})
		}
	}
	for row := 1; row <= 9; row++ {
		for bay := 1; bay <= 16; bay++ {
			s.bins = append(s.bins, place{"YARD", "Yard", fmt.Sprintf("Y%d/%02d", row, bay)})
		}
	}
	for _, b := range []string{"SLIPWAY", "COLD BOX", "GATE"} {
		s.bins = append(s.bins, place{"YARD", "Yard", b})
	}
}

func (s *Scenario) makeLines() {
	seen := map[string]bool{}
	put := func(p place, it *item) {
		if seen[p.house+p.bin+it.sku] {
			return
		}
		seen[p.house+p.bin+it.sku] = true
		l := line{place: p, item: it}
		n := 1 + s.rng.IntN(60)
		if it.pack > 1 {
			n = int(it.pack) * (1 + s.rng.IntN(12))
			n -= s.rng.IntN(int(it.pack))
		}
		l.quantity = whole(n)
		switch {
		case it.decimal:
			l.quantity = quantity.Quantity(s.rng.IntN(4000)+40) * 50_000 * 2
		case it.tracked == "lot":
			l.lot = fmt.Sprintf("L%02d-%03d", 25+s.rng.IntN(2), 100+s.rng.IntN(800))
		case it.tracked == "serial":
			for k := range 1 + s.rng.IntN(4) {
				one := l
				one.serial = fmt.Sprintf("SN%06d", 300_000+len(s.lines)*3+k)
				one.quantity = whole(1)
				s.lines = append(s.lines, one)
			}
			return
		}
		if s.rng.IntN(8) == 0 {
			l.reserved = whole(1 + s.rng.IntN(3))
			if l.reserved > l.quantity {
				l.reserved = l.quantity
			}
		}
		if p.house == "YARD" && s.rng.IntN(20) == 0 {
			l.holding = "consigned"
		}
		s.lines = append(s.lines, l)
	}
	zones := map[string][]string{
		"Ropes":       {"Ropes", "Fenders"},
		"Hardware":    {"Shackles", "Blocks", "Fittings"},
		"Paint store": {"Paint", "Flares"},
		"Front":       {"Charts", "Radios", "Fittings", "Flares"},
		"North side": {
			"Fenders",
			"Ropes",
			"Blocks",
		},
		"South side": {"Shackles", "Fittings"},
		"Chart room": {"Charts"},
		"Yard":       {"Anchors", "Ropes", "Fenders"},
	}
	by := map[string][]*item{}
	for _, it := range s.items {
		by[it.category] = append(by[it.category], it)
	}
	for len(s.lines) < 3440 {
		p := s.bins[s.rng.IntN(len(s.bins))]
		if s.rng.IntN(14) == 0 && p.bin[len(p.bin)-1] == '4' {
			continue // a few bins stay thin
		}
		cats := zones[p.zone]
		list := by[cats[s.rng.IntN(len(cats))]]
		put(p, list[s.rng.IntN(len(list))])
	}
	for i, it := range append(by["Services"], by["Mooring sets"]...) {
		p := s.bins[420+i] // booked to shelves at the front, with nothing there to count
		s.lines = append(s.lines, line{place: p, item: it})
	}
	slices.SortFunc(s.lines, func(a, b line) int {
		for _, c := range []int{strings.Compare(a.house, b.house), code.Compare(a.bin, b.bin), code.Compare(a.item.sku, b.item.sku),
			strings.Compare(a.lot, b.lot), strings.Compare(a.serial, b.serial), strings.Compare(a.holding, b.holding)} {
			if c != 0 {
				return c
			}
		}
		return 0
	})
	s.lines = slices.CompactFunc(s.lines, func(a, b line) bool {
		return a.place == b.place && a.item == b.item && a.lot == b.lot && a.serial == b.serial && a.holding == b.holding
	})
	for i := range s.lines {
		s.lines[i].record = fmt.Sprintf("%06d", 210_000+i*3)
	}
}

// ItemFile is the export of the items.
func (s *Scenario) ItemFile() []byte {
	b := tabular.AppendRow(
		nil,
		',',
		"Item code",
		"Description",
		"Base unit",
		"Unit cost",
		"Item group",
		"ABC class",
		"Type",
		"Active",
		"Barcode",
	)
	for _, it := range s.items {
		active := "yes"
		if !it.active {
			active = "no"
		}
		b = tabular.AppendRow(b, ',', it.sku, it.name, it.unit, it.cost.String(), it.category, it.class, it.nature, active, it.barcode)
	}
	return b
}

// StockFile is the export of the stock of some warehouses, as at a time.
func (s *Scenario) StockFile(at time.Time, lines []line) []byte {
	b := tabular.AppendRow(
		nil,
		',',
		"Row id",
		"Warehouse",
		"Zone",
		"Bin",
		"Item code",
		"Description",
		"Lot",
		"Serial",
		"Ownership",
		"Unit",
		"On hand",
		"Reserved",
		"Unit cost",
		"As at",
	)
	for _, l := range lines {
		cost := l.item.cost.String()
		if l.item.category == "Charts" && l.item.class == "C" {
			cost = "" // never given one
		}
		b = tabular.AppendRow(
			b,
			',',
			l.record,
			l.house,
			l.zone,
			l.bin,
			l.item.sku,
			l.item.name,
			l.lot,
			l.serial,
			l.holding,
			l.item.unit,
			l.quantity.String(),
			l.reserved.String(),
			cost,
			at.Format("2006-01-02T15:04:05Z"),
		)
	}
	return b
}

func (s *Scenario) of(houses ...string) (out []line) {
	for _, l := range s.lines {
		if slices.Contains(houses, l.house) {
			out = append(out, l)
		}
	}
	return out
}
