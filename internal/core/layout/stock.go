package layout

import (
	"fmt"
	"slices"

	"wobin/internal/core/quantity"
	"wobin/internal/core/stock"
	"wobin/internal/core/tabular"
)

// StockFile is the recorded stock that a file holds.
type StockFile struct {
	Book          *stock.Book
	Rows          int
	HasAt         bool // every row has its time
	At            int64
	AtRow         int // the first row with that time
	OtherAtRow    int // the first row with another time, 0 where all agree
	NoAtRow       int // the first row without a time
	CostsRounded  int // unit costs that had more than six places
	Zones         map[[2]stock.ID]string
	ReservedKnown bool
	Barcodes      map[string]stock.ID // to the SKU, where the file has both; 0 where several have it
	ItemKept      map[stock.ID]string // attributes of items, by SKU
	Values        []Value             // codes that the records do not know, or that were settled
	Left          int                 // rows left out because they were settled so
	Packed        Packed              // rows in packs
}

// Stock reads recorded stock. Problems with rows go to p; err is a file that cannot be read on. Where on hand
// has no column it is available plus reserved; where a row has all three they must agree.
func (r Reading) Stock(f *tabular.File, m *Mapping, p *Problems) (*StockFile, error) {
	return reading(f, m, p, func(p *Problems) (*StockFile, error) { return r.stock(f, m, p) })
}

func (r Reading) stock(f *tabular.File, m *Mapping, p *Problems) (*StockFile, error) {
	s := &StockFile{Book: &stock.Book{}, Zones: map[[2]stock.ID]string{}}
	b := s.Book
	at := keysOf(m)
	src := m.sources
	qty, res, avail, cost := src[Quantity], src[Reserved], src[Available], src[UnitCost]
	descr, unit, rec, when, zone, bar := src[Description], src[Unit], src[RecordID], src[RecordedAt], src[Zone], src[Barcode]
	s.ReservedKnown = res != nil || (avail != nil && qty != nil)
	clock := times{zone: r.Zone, source: when}
	judge := r.settler(m)
	ofLine, ofItem := m.attributes(LineAttribute), m.attributes(ItemAttribute)
	var kept []byte
	var refused []refusedKey
	lastUnit, lastID := "", stock.ID(0)
	measure := units{idle: r.UnitsAsGiven, judge: judge, codes: &b.Codes, names: &b.Units}
	var err error
	s.Rows, err = r.table(f, m, p, func(n int) { b.Lines = slices.Grow(b.Lines, n) }, func(c *cells) {
		l := stock.Line{Row: int32(c.row), Key: c.key(&at, &b.Codes)}
		var given bool
		l.Recorded, given = c.quantity(qty)
		reserved, hasReserved := c.quantity(res)
		available, hasAvailable := c.quantity(avail)
		switch {
		case !given && hasReserved && hasAvailable:
			var ok bool
			if l.Recorded, ok = quantity.Add(reserved, available); !ok {
				c.wrong(Quantity, "too large", nil, "available %s plus reserved %s is too large", available, reserved)
			}
			given = true
		case given && hasReserved && hasAvailable && !c.bad && l.Recorded != reserved+available:
			c.wrong(Quantity, "does not add up", c.get(qty), "on hand %s is not available %s plus reserved %s", l.Recorded, available, reserved)
		case given && hasAvailable && !hasReserved:
			reserved, hasReserved = l.Recorded-available, true
		}
		if !given {
			c.wrong(Quantity, "empty", nil, "is empty. Write 0 where nothing is on hand")
		}
		l.Reserved, l.HasReserved = reserved, hasReserved
		var rounded bool
		if l.Cost, rounded, l.Costed = c.cost(cost); rounded {
			s.CostsRounded++
		}
		if descr != nil {
			l.Description = b.Descriptions.Intern(c.get(descr))
		}
		if unit != nil {
			if v := c.get(unit); string(v) == lastUnit { // neighbouring rows mostly have the same, and it is known
				l.Unit = lastID
			} else {
				t, ok := judge.text(c, Unit, string(v))
				if !ok {
					c.bad = true
				}
				l.Unit = b.Units.Intern([]byte(t))
				if lastUnit = ""; ok && t == string(v) && judge.judge(Unit, t) == nil {
					lastUnit, lastID = t, l.Unit
				}
			}
			if size := measure.size(c, l.Key[stock.SKU], l.Unit); size != 1 {
				was := l.Recorded
				l.Recorded, l.Reserved = measure.turn(c, Quantity, l.Recorded, size), measure.turn(c, Reserved, l.Reserved, size)
				var rounded bool
				if l.Cost, rounded = l.Cost.Per(size); rounded {
					s.CostsRounded++
				}
				measure.tell(c, was, l.Recorded, size, l.Unit)
				l.Unit = 0 // the line is in the item's own unit now
			}
		}
		if rec != nil {
			b.SetRecordID(&l, c.get(rec))
		}
		if zone != nil {
			if z, ok := judge.text(c, Zone, string(c.get(zone))); !ok {
				c.bad = true
			} else if z != "" {
				k := [2]stock.ID{l.Key[stock.Warehouse], l.Key[stock.Bin]}
				if s.Zones[k] != z {
					s.Zones[k] = z
				}
			}
		}
		if bar != nil && m.Identity == SKU {
			if v := c.get(bar); len(v) > 0 {
				if s.Barcodes == nil {
					s.Barcodes = map[string]stock.ID{}
				}
				if k, had := s.Barcodes[string(v)]; !had {
					s.Barcodes[string(v)] = l.Key[stock.SKU]
				} else if k != l.Key[stock.SKU] {
					s.Barcodes[string(v)] = 0
				}
			}
		}
		if ofLine != nil {
			kept = c.kept(kept[:0], ofLine)
			b.SetKept(&l, kept)
		}
		if ofItem != nil {
			if kept = c.kept(kept[:0], ofItem); len(kept) > 0 {
				if s.ItemKept == nil {
					s.ItemKept = map[stock.ID]string{}
				}
				s.ItemKept[l.Key[stock.SKU]] = string(kept)
			}
		}
		if v := c.get(when); len(v) > 0 {
			t, err := clock.parse(v)
			switch {
			case err != nil:
				c.wrong(RecordedAt, timeKind(err), v, "%q %v", short(v), err)
			case s.AtRow == 0:
				s.At, s.AtRow = t, c.row
			case t != s.At && s.OtherAtRow == 0:
				s.OtherAtRow = c.row
			}
		} else if s.NoAtRow == 0 {
			s.NoAtRow = c.row
		}
		if c.bad {
			refused = append(refused, refusedKey{l.Key, c.row})
		} else {
			b.Lines = append(b.Lines, l)
		}
	})
	s.HasAt = s.AtRow > 0 && s.NoAtRow == 0
	if err != nil {
		return s, err
	}
	judge.refused(f.Name, &b.Codes, refused, p)
	if keep, to := settleKeys(judge, f.Name, &b.Codes, b.Lines, func(l *stock.Line) (*stock.Key, int) { return &l.Key, int(l.Row) }, p); keep != nil {
		b.Lines = keepRows(b.Lines, keep)
		zones := map[[2]stock.ID]string{}
		for k, z := range s.Zones {
			now := to(stock.Key{stock.Warehouse: k[0], stock.Bin: k[1]})
			zones[[2]stock.ID{now[stock.Warehouse], now[stock.Bin]}] = z
		}
		s.Zones = zones
		items := map[stock.ID]string{}
		for k, v := range s.ItemKept {
			items[to(stock.Key{stock.SKU: k})[stock.SKU]] = v
		}
		s.ItemKept = items
	}
	if r.Known != nil && m.Has(Serial) {
		s.serials(f.Name, m, p)
	}
	s.Values, s.Left, s.Packed = judge.list(), judge.left, measure.packed
	return s, nil
}

// keepRows leaves the rows that are kept.
func keepRows[R any](rows []R, keep []bool) []R {
	out := rows[:0]
	for i := range rows {
		if keep[i] {
			out = append(out, rows[i])
		}
	}
	return out
}

// serials finds serials that stand in two lines, or with more than one piece.
func (s *StockFile) serials(file string, m *Mapping, p *Problems) {
	type one struct{ sku, serial stock.ID }
	first := map[one]int{}
	keep := make([]bool, len(s.Book.Lines))
	for i := range s.Book.Lines {
		l := &s.Book.Lines[i]
		keep[i] = true
		serial := l.Key[stock.Serial]
		if serial == 0 || l.Recorded == 0 {
			continue
		}
		text := s.Book.Codes[stock.Serial].Text(serial)
		if l.Recorded != quantity.Scale {
			p.Add(m.Problem(file, int(l.Row), Quantity, "serial with a quantity", l.Recorded.String(), fmt.Sprintf("serial %s has a quantity of %s. One serial is one piece", short([]byte(text)), l.Recorded)))
			keep[i] = false
			continue
		}
		k := one{l.Key[stock.SKU], serial}
		if row, twice := first[k]; twice {
			p.Add(m.Problem(file, int(l.Row), Serial, "serial twice", text, fmt.Sprintf("%q of %s stands in row %d too. One piece is in one place", short([]byte(text)), s.Book.Codes[stock.SKU].Text(k.sku), row)).With(row))
			keep[i] = false
			continue
		}
		first[k] = int(l.Row)
	}
	s.Book.Lines = keepRows(s.Book.Lines, keep)
}
