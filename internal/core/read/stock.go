package read

import (
	"fmt"
	"maps"
	"slices"

	"wobin/internal/core/field"
	"wobin/internal/core/form"
	"wobin/internal/core/problem"
	"wobin/internal/core/quantity"
	"wobin/internal/core/recognise"
	"wobin/internal/core/stock"
	"wobin/internal/core/tabular"
)

// StockFile is the recorded stock that a file holds.
type StockFile struct {
	Told
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
	InDoubt       []stock.Key         // of rows that were refused and yet name their line
	Unread        int                 // rows that were refused and name none
	Packed        Packed              // rows in packs
}

// Stock reads recorded stock. Problems with rows go to p; err is a file that cannot be read on. Where on hand
// has no column it is available plus reserved; where a row has all three they must agree.
func (r Reading) Stock(f *tabular.File, m *recognise.Mapping, p *problem.Problems) (*StockFile, error) {
	return reading(r, f, m, p, (*pass).stock)
}

// stockRows makes lines of the rows of a stretch of the file.
type stockRows struct {
	*StockFile
	qty, res, avail, cost, descr, unit, rec, when, zone, bar *reader
	key                                                      keySources
	clock                                                    times
	judge                                                    *settler
	measure                                                  units
	ofLine, ofItem                                           []attribute
	kept                                                     []byte
	refused                                                  []refusedKey
	described                                                []stock.ID // by SKU
	lastUnit                                                 string     // neighbouring rows mostly have the same, and it is known
	lastUnitID                                               stock.ID
}

func (r *pass) stockRows() *stockRows {
	b := &stock.Book{}
	x := &stockRows{
		StockFile: &StockFile{Book: b, Zones: map[[2]stock.ID]string{}},
		key:       r.keys(),
		judge:     r.settler(),
		ofLine:    r.attributes(field.LineAttribute),
		ofItem:    r.attributes(field.ItemAttribute),
	}
	src := r.sources
	x.qty, x.res, x.avail, x.cost = src[field.Quantity], src[field.Reserved], src[field.Available], src[field.UnitCost]
	x.descr, x.unit, x.rec = src[field.Description], src[field.Unit], src[field.RecordID]
	x.when, x.zone, x.bar = src[field.RecordedAt], src[field.Zone], src[field.Barcode]
	x.ReservedKnown = x.res != nil || x.avail != nil && x.qty != nil
	x.clock = times{zone: r.Zone, source: x.when}
	x.measure = units{idle: r.UnitsAsGiven, measure: r.measures(), judge: x.judge, codes: &b.Codes, names: &b.Units}
	if r.m.Identity != field.SKU { // it leads to the item itself
		x.bar = nil
	}
	return x
}

func (x *stockRows) grow(n int) { x.Book.Lines = slices.Grow(x.Book.Lines, n) }

// row takes the row in hand.
func (x *stockRows) row(c *cells) {
	b := x.Book
	l := stock.Line{Row: int32(c.row), Key: c.key(&x.key, &b.Codes)}
	x.numbers(c, &l)
	if x.descr != nil {
		l.Description = x.description(c.get(x.descr), l.Key[stock.SKU])
	}
	if x.unit != nil {
		x.measured(c, &l)
	}
	if x.rec != nil {
		b.SetRecordID(&l, c.get(x.rec))
	}
	if x.zone != nil {
		if z, ok := x.judge.text(c, field.Zone, string(c.get(x.zone))); !ok {
			c.bad = true
		} else if z != "" {
			k := [2]stock.ID{l.Key[stock.Warehouse], l.Key[stock.Bin]}
			if x.Zones[k] != z {
				x.Zones[k] = z
			}
		}
	}
	if x.bar != nil {
		if v := c.get(x.bar); len(v) > 0 {
			x.barcode(string(v), l.Key[stock.SKU])
		}
	}
	if x.ofLine != nil {
		x.kept = c.kept(x.kept[:0], x.ofLine)
		b.SetKept(&l, x.kept)
	}
	if x.ofItem != nil {
		if x.kept = c.kept(x.kept[:0], x.ofItem); len(x.kept) > 0 {
			if x.ItemKept == nil {
				x.ItemKept = map[stock.ID]string{}
			}
			x.ItemKept[l.Key[stock.SKU]] = string(x.kept)
		}
	}
	if v := c.get(x.when); len(v) > 0 {
		t, err := x.clock.parse(v)
		if err != nil {
			c.wrong(field.RecordedAt, form.TimeKind(err), v, "%q %v", problem.Short(v), err)
		} else {
			x.at(t, c.row)
		}
	} else if x.NoAtRow == 0 {
		x.NoAtRow = c.row
	}
	if c.bad {
		x.refused = append(x.refused, refusedKey{l.Key, c.row})
	} else {
		b.Lines = append(b.Lines, l)
	}
}

// description gives the number of a description, which is mostly that of the item's row before.
func (x *stockRows) description(text []byte, sku stock.ID) stock.ID {
	for int(sku) >= len(x.described) {
		x.described = append(x.described, 0)
	}
	d := &x.described[sku]
	if x.Book.Descriptions.Text(*d) != string(text) {
		*d = x.Book.Descriptions.Intern(text)
	}
	return *d
}

// numbers reads the quantities and the cost of a row.
func (x *stockRows) numbers(c *cells, l *stock.Line) {
	var given bool
	if x.unit == nil {
		l.Recorded, given = x.measure.quantity(c, x.qty, l.Key[stock.SKU])
	} else {
		l.Recorded, given = c.quantity(x.qty)
	}
	reserved, hasReserved := c.quantity(x.res)
	available, hasAvailable := c.quantity(x.avail)
	switch {
	case !given && hasReserved && hasAvailable:
		var ok bool
		if l.Recorded, ok = quantity.Add(reserved, available); !ok {
			c.wrong(field.Quantity, "too large", nil, "available %s plus reserved %s is too large", available, reserved)
		}
		given = true
	case given && hasReserved && hasAvailable && !c.bad && l.Recorded != reserved+available:
		c.wrong(
			field.Quantity,
			"does not add up",
			c.get(x.qty),
			"on hand %s is not available %s plus reserved %s",
			l.Recorded,
			available,
			reserved,
		)
	case given && hasAvailable && !hasReserved:
		reserved, hasReserved = l.Recorded-available, true
	}
	if !given {
		c.wrong(field.Quantity, "empty", nil, "is empty. Write 0 where nothing is on hand")
	}
	l.Reserved, l.HasReserved = reserved, hasReserved
	var rounded bool
	if l.Cost, rounded, l.Costed = c.cost(x.cost); rounded {
		x.CostsRounded++
	}
}

// measured reads the unit of a row and turns packs into base units.
func (x *stockRows) measured(c *cells, l *stock.Line) {
	b := x.Book
	if v := c.get(x.unit); string(v) == x.lastUnit {
		l.Unit = x.lastUnitID
	} else {
		t, ok := x.judge.text(c, field.Unit, string(v))
		if !ok {
			c.bad = true
		}
		l.Unit = b.Units.Intern([]byte(t))
		if x.lastUnit, x.lastUnitID = "", 0; ok && t == string(v) && x.judge.judge(field.Unit, t) == nil {
			x.lastUnit, x.lastUnitID = t, l.Unit
		}
	}
	size := x.measure.size(c, l.Key[stock.SKU], l.Unit)
	if size == 1 {
		return
	}
	was := l.Recorded
	l.Recorded, l.Reserved = x.measure.turn(c, field.Quantity, l.Recorded, size), x.measure.turn(c, field.Reserved, l.Reserved, size)
	var rounded bool
	if l.Cost, rounded = l.Cost.Per(size); rounded {
		x.CostsRounded++
	}
	x.measure.tell(c, was, l.Recorded, size, l.Unit)
	l.Unit = 0 // the line is in the item's own unit now
}

func (x *stockRows) barcode(text string, sku stock.ID) {
	if x.Barcodes == nil {
		x.Barcodes = map[string]stock.ID{}
	}
	if k, had := x.Barcodes[text]; !had {
		x.Barcodes[text] = sku
	} else if k != sku {
		x.Barcodes[text] = 0
	}
}

// at takes the time of a row.
func (x *stockRows) at(t int64, row int) {
	switch {
	case x.AtRow == 0:
		x.At, x.AtRow = t, row
	case t != x.At && x.OtherAtRow == 0:
		x.OtherAtRow = row
	}
}

func (r *pass) stock() (*StockFile, error) {
	m, p := r.m, r.problems
	x := r.stockRows()
	var err error
	x.Rows, err = r.halves(x)
	s, b, judge := x.StockFile, x.Book, x.judge
	s.HasAt = s.AtRow > 0 && s.NoAtRow == 0
	if err != nil {
		return s, err
	}
	if err := fewHouses(r, &b.Codes); err != nil {
		return s, err
	}
	judge.refused(r.file.Name, &b.Codes, x.refused, p)
	if keep, to := settleKeys(judge, r.file.Name, &b.Codes, b.Lines, func(l *stock.Line) (*stock.Key, int) { return &l.Key, int(l.Row) },
		p); keep != nil {
		s.doubt(keep, p)
		b.Lines = keepRows(b.Lines, keep)
		zones := map[[2]stock.ID]string{}
		// Where two codes turn out to be one, the one that came later in the file has the last word.
		for _, k := range slices.SortedFunc(maps.Keys(s.Zones), func(a, b [2]stock.ID) int { return slices.Compare(a[:], b[:]) }) {
			now := to(stock.Key{stock.Warehouse: k[0], stock.Bin: k[1]})
			zones[[2]stock.ID{now[stock.Warehouse], now[stock.Bin]}] = s.Zones[k]
		}
		s.Zones = zones
		items := map[stock.ID]string{}
		for _, k := range slices.Sorted(maps.Keys(s.ItemKept)) {
			items[to(stock.Key{stock.SKU: k})[stock.SKU]] = s.ItemKept[k]
		}
		s.ItemKept = items
	}
	if keep := placed(r, b.Lines, &b.Codes, func(l *stock.Line) (*stock.Key, int, bool) { return &l.Key, int(l.Row), false },
		stock.Warehouse, stock.Bin); keep != nil {
		s.doubt(keep, p)
		b.Lines = keepRows(b.Lines, keep)
	}
	if keep := oddRows(r, b.Lines, &b.Codes, func(l *stock.Line) (*stock.Key, int) { return &l.Key, int(l.Row) }); keep != nil {
		s.doubt(keep, p)
		b.Lines = keepRows(b.Lines, keep)
	}
	s.describedAlike(r)
	if r.Known != nil && m.Has(field.Serial) {
		s.serials(r.file.Name, m, p)
	}
	for _, x := range x.refused {
		s.InDoubt = append(s.InDoubt, x.key)
	}
	s.Unread = max(p.Rows-len(s.InDoubt), 0)
	s.Values, s.Left, s.Packed = judge.list(), judge.left, x.measure.packed
	return s, nil
}

// doubt takes the keys of rows that are refused, and not left out.
func (s *StockFile) doubt(keep []bool, p *problem.Problems) {
	for i := range s.Book.Lines {
		if l := &s.Book.Lines[i]; !keep[i] {
			if _, refused := p.Refused(int(l.Row)); refused {
				s.InDoubt = append(s.InDoubt, l.Key)
			}
		}
	}
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
func (s *StockFile) serials(file string, m *recognise.Mapping, p *problem.Problems) {
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
			p.Add(
				m.Problem(
					file,
					int(l.Row),
					field.Quantity,
					"serial with a quantity",
					l.Recorded.String(),
					fmt.Sprintf("serial %s has a quantity of %s. One serial is one piece", problem.Short([]byte(text)), l.Recorded),
				),
			)
			keep[i] = false
			continue
		}
		k := one{sku: l.Key[stock.SKU], serial: serial}
		if row, twice := first[k]; twice {
			p.Add(
				m.Problem(file, int(l.Row), field.Serial, "serial twice", text, fmt.Sprintf("%q of %s stands in row %d too. One piece is in one place",
					problem.Short([]byte(text)), s.Book.Codes[stock.SKU].Text(k.sku), row)).
					With(row),
			)
			keep[i] = false
			continue
		}
		first[k] = int(l.Row)
	}
	s.doubt(keep, p)
	s.Book.Lines = keepRows(s.Book.Lines, keep)
}
