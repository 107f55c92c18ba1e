package layout

import (
	"context"
	"slices"
	"strings"
	"time"

	"wobin/internal/core/code"
	"wobin/internal/core/quantity"
	"wobin/internal/core/stock"
	"wobin/internal/core/tabular"
)

// Reading says how a file is read.
type Reading struct {
	Zone     *time.Location               // of times without an offset
	Context  context.Context              // ends the reading early; nil for none
	Progress func(rows int, part float64) // called now and then; nil for none
}

// table opens the rows below the header and calls row for each; cells c holds them. expect
// is told about how many there will be, where they are many. It gives the number of rows.
func (r Reading) table(f *tabular.File, m *Mapping, p *Problems, expect func(rows int), row func(c *cells)) (int, error) {
	if r.Context == nil {
		r.Context = context.Background()
	}
	rows, err := f.Rows(m.Sheet)
	if err != nil {
		return 0, err
	}
	defer rows.Close()
	c := newCells(m, f.Name, p)
	count := 0
	for {
		var ok bool
		if c.row, c.cells, ok = rows.Next(); !ok {
			break
		}
		if c.row <= m.HeaderRow || blank(c.cells) {
			continue
		}
		c.bad = false
		row(c)
		if count++; count == 4096 { // from here on it is worth making room for the rest at once
			if part := rows.Progress(); part > 0 && part < 1 {
				expect(int(float64(count)/part*1.05) + 64)
			}
		}
		if count&0xffff == 0 {
			if r.Progress != nil {
				r.Progress(count, rows.Progress())
			}
			if err := r.Context.Err(); err != nil {
				return count, err
			}
		}
	}
	return count, rows.Err()
}

func blank(cells [][]byte) bool {
	for _, c := range cells {
		for _, b := range c {
			if b != ' ' && b != '\t' {
				return false
			}
		}
	}
	return true
}

// keyColumns are the columns of a key's parts.
type keyColumns [stock.Parts]int

var keyFields = [stock.Parts]Field{Warehouse, Bin, SKU, Lot, Serial, Holding}

func keysOf(m *Mapping) (k keyColumns) {
	for p, f := range keyFields {
		k[p] = m.At(f)
	}
	return k
}

func (c *cells) key(at *keyColumns, codes *stock.Codes) (k stock.Key) {
	for p, column := range at {
		if column >= 0 {
			k[p] = codes[p].Intern(c.get(column))
		}
	}
	if k[stock.SKU] == 0 {
		c.wrong(SKU, "empty", nil, "is empty. Every row names its item")
	}
	return k
}

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
}

// Stock reads recorded stock. Problems with rows go to p; err is a file that cannot be read on. Where on hand
// has no column it is available plus reserved; where a row has all three they must agree.
func (r Reading) Stock(f *tabular.File, m *Mapping, p *Problems) (*StockFile, error) {
	s := &StockFile{Book: &stock.Book{}, Zones: map[[2]stock.ID]string{}}
	b := s.Book
	at := keysOf(m)
	qty, res, avail, cost := m.At(Quantity), m.At(Reserved), m.At(Available), m.At(UnitCost)
	descr, unit, rec, when, zone := m.At(Description), m.At(Unit), m.At(RecordID), m.At(RecordedAt), m.At(Zone)
	s.ReservedKnown = res >= 0 || (avail >= 0 && qty >= 0)
	clock := times{zone: r.Zone}
	var err error
	s.Rows, err = r.table(f, m, p, func(n int) { b.Lines = slices.Grow(b.Lines, n) }, func(c *cells) {
		l := stock.Line{Row: int32(c.row), Key: c.key(&at, &b.Codes)}
		var given bool
		l.Recorded, given = c.quantity(Quantity, qty)
		reserved, hasReserved := c.quantity(Reserved, res)
		available, hasAvailable := c.quantity(Available, avail)
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
		if v := c.get(cost); len(v) > 0 {
			var rounded bool
			var err error
			if l.Cost, rounded, err = quantity.ParseCost(v); err != nil {
				c.wrong(UnitCost, numberKind(err), v, "%q %v", short(v), err)
			}
			if l.Costed = true; rounded {
				s.CostsRounded++
			}
		}
		if descr >= 0 {
			l.Description = b.Descriptions.Intern(c.get(descr))
		}
		if unit >= 0 {
			l.Unit = b.Units.Intern(c.get(unit))
		}
		if rec >= 0 {
			b.SetRecordID(&l, c.get(rec))
		}
		if zone >= 0 {
			if z := c.get(zone); len(z) > 0 {
				k := [2]stock.ID{l.Key[stock.Warehouse], l.Key[stock.Bin]}
				if s.Zones[k] != string(z) {
					s.Zones[k] = string(z)
				}
			}
		}
		if v := c.get(when); len(v) > 0 {
			t, err := clock.parse(v)
			switch {
			case err != nil:
				c.wrong(RecordedAt, "not a time", v, "%q %v", short(v), err)
			case s.AtRow == 0:
				s.At, s.AtRow = t, c.row
			case t != s.At && s.OtherAtRow == 0:
				s.OtherAtRow = c.row
			}
		} else if s.NoAtRow == 0 {
			s.NoAtRow = c.row
		}
		if !c.bad {
			b.Lines = append(b.Lines, l)
		}
	})
	s.HasAt = s.AtRow > 0 && s.NoAtRow == 0
	return s, err
}

// Count is one row of a counts file.
type Count struct {
	Key      stock.Key // numbers of the file's own codes
	Quantity quantity.Quantity
	At       int64 // Unix nanoseconds
	Round    int32
	RowCode  stock.ID
	Counter  stock.ID
	Row      int32
	Given    bool // the counted cell is filled; an empty one is no entry
	Timed    bool // At is known
}

// CountFile is what a counts file holds.
type CountFile struct {
	Codes    stock.Codes
	RowCodes stock.Names
	Counters stock.Names
	Counts   []Count
	Rows     int
}

// Counts reads counts. An empty counted cell is no entry; a count below zero is a problem, and so is a row code
// that fails its check.
func (r Reading) Counts(f *tabular.File, m *Mapping, p *Problems) (*CountFile, error) {
	s := &CountFile{}
	at := keysOf(m)
	rowCode, counted, when, who, round := m.At(RowCode), m.At(Counted), m.At(CountedAt), m.At(Counter), m.At(Round)
	clock := times{zone: r.Zone}
	plain := m.Has(RowCode) // sheets mark texts that a spreadsheet would run
	var err error
	s.Rows, err = r.table(f, m, p, func(n int) { s.Counts = slices.Grow(s.Counts, n) }, func(c *cells) {
		n := Count{Row: int32(c.row), Round: 1}
		if plain {
			for i := range c.cells {
				c.cells[i] = tabular.Unsafe(c.cells[i])
			}
		}
		n.Key = c.key(&at, &s.Codes)
		n.Quantity, n.Given = c.quantity(Counted, counted)
		if n.Given && !c.bad && n.Quantity < 0 {
			c.wrong(Counted, "below zero", c.get(counted), "%q is below zero. Nothing can be counted less than 0", short(c.get(counted)))
		}
		if v := c.get(rowCode); len(v) > 0 {
			if !code.Checked(string(v)) {
				c.wrong(RowCode, "row code fails its check", v, "%q fails its check. Copy the code from the sheet again, or empty the cell to go by bin and SKU", short(v))
			}
			n.RowCode = s.RowCodes.Intern([]byte(strings.ToUpper(string(v))))
		}
		if v := c.get(when); len(v) > 0 {
			var err error
			if n.At, err = clock.parse(v); err != nil {
				c.wrong(CountedAt, "not a time", v, "%q %v", short(v), err)
			}
			n.Timed = true
		}
		n.Counter = s.Counters.Intern(c.get(who))
		if v := c.get(round); len(v) > 0 {
			q, err := quantity.Parse(v)
			if err != nil || q%quantity.Scale != 0 || q < quantity.Scale || q > 99*quantity.Scale {
				c.wrong(Round, "not a round", v, "%q is not a round. Write 1 for the first count, 2 for the recount", short(v))
			}
			n.Round = int32(q / quantity.Scale)
		}
		if !c.bad {
			s.Counts = append(s.Counts, n)
		}
	})
	return s, err
}

// Movement is one row of a movements file.
type Movement struct {
	Key       stock.Key
	Quantity  quantity.Quantity
	At        int64
	Reference string
	Row       int
}

// MovementFile is what a movements file holds.
type MovementFile struct {
	Codes     stock.Codes
	Movements []Movement
	Rows      int
}

// Movements reads movements. A reference that comes twice with the same key, quantity and time is a problem.
func (r Reading) Movements(f *tabular.File, m *Mapping, p *Problems) (*MovementFile, error) {
	s := &MovementFile{}
	at := keysOf(m)
	qty, when, ref := m.At(Quantity), m.At(At), m.At(Reference)
	clock := times{zone: r.Zone}
	type same struct {
		key       stock.Key
		quantity  quantity.Quantity
		at        int64
		reference string
	}
	seen := map[same]int{}
	var err error
	s.Rows, err = r.table(f, m, p, func(n int) { s.Movements = slices.Grow(s.Movements, n) }, func(c *cells) {
		x := Movement{Row: c.row, Key: c.key(&at, &s.Codes), Reference: string(c.get(ref))}
		var given bool
		if x.Quantity, given = c.quantity(Quantity, qty); !given {
			c.wrong(Quantity, "empty", nil, "is empty. Every movement has a quantity")
		}
		if v := c.get(when); len(v) == 0 {
			c.wrong(At, "empty", nil, "is empty. Every movement has the time at which it happened")
		} else if t, err := clock.parse(v); err != nil {
			c.wrong(At, "not a time", v, "%q %v", short(v), err)
		} else {
			x.At = t
		}
		if c.bad {
			return
		}
		if x.Reference != "" {
			k := same{x.Key, x.Quantity, x.At, x.Reference}
			if first, twice := seen[k]; twice {
				c.wrong(Reference, "movement twice", []byte(x.Reference), "%q comes twice with the same item, quantity and time, first in row %d", short([]byte(x.Reference)), first)
				return
			}
			seen[k] = c.row
		}
		s.Movements = append(s.Movements, x)
	})
	return s, err
}

// Item is one row of an item file. Has tells which cells were filled.
type Item struct {
	SKU, Description, Unit, Category, Class, Barcode, RecordID string
	Cost                                                       quantity.Cost
	Nature                                                     string // stocked, service or parent
	Active                                                     bool
	Row                                                        int
	Costed, HasNature, HasActive                               bool
}

// Items reads items. A SKU that comes twice is a problem that names both rows.
func (r Reading) Items(f *tabular.File, m *Mapping, p *Problems) ([]Item, int, error) {
	var items []Item
	col := func(f Field) int { return m.At(f) }
	skus := map[string]int{}
	rows, err := r.table(f, m, p, func(n int) { items = slices.Grow(items, n) }, func(c *cells) {
		text := func(f Field) string { return string(c.get(col(f))) }
		it := Item{Row: c.row, SKU: text(SKU), Description: text(Description), Unit: text(Unit), Category: text(Category),
			Class: text(Class), Barcode: text(Barcode), RecordID: text(RecordID), Active: true, Nature: "stocked"}
		if it.SKU == "" {
			c.wrong(SKU, "empty", nil, "is empty. Every row names its item")
		} else if first, twice := skus[it.SKU]; twice {
			c.wrong(SKU, "duplicate key", []byte(it.SKU), "%q comes twice, first in row %d", short([]byte(it.SKU)), first)
		} else {
			skus[it.SKU] = c.row
		}
		if v := c.get(col(UnitCost)); len(v) > 0 {
			var err error
			if it.Cost, _, err = quantity.ParseCost(v); err != nil {
				c.wrong(UnitCost, numberKind(err), v, "%q %v", short(v), err)
			}
			it.Costed = true
		}
		if v := text(Nature); v != "" {
			it.HasNature = true
			switch squeeze(v) {
			case "stocked", "stock", "yes", "y", "true", "1", "goods", "product", "inventory", "item":
			case "service", "services", "no", "n", "false", "0", "nonstock", "labour", "labor":
				it.Nature = "service"
			case "parent", "group", "grouping", "header", "variantparent":
				it.Nature = "parent"
			default:
				c.wrong(Nature, "unknown word", []byte(v), "%q is none of stocked, service and parent", short([]byte(v)))
			}
		}
		if v := text(Active); v != "" {
			it.HasActive = true
			switch squeeze(v) {
			case "yes", "y", "true", "1", "active":
			case "no", "n", "false", "0", "inactive", "discontinued", "archived":
				it.Active = false
			default:
				c.wrong(Active, "unknown word", []byte(v), "%q is neither yes nor no", short([]byte(v)))
			}
		}
		if !c.bad {
			items = append(items, it)
		}
	})
	return items, rows, err
}
