package read

import (
	"slices"
	"strings"

	"wobin/internal/core/code"
	"wobin/internal/core/field"
	"wobin/internal/core/form"
	"wobin/internal/core/problem"
	"wobin/internal/core/quantity"
	"wobin/internal/core/recognise"
	"wobin/internal/core/stock"
	"wobin/internal/core/tabular"
)

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
	Told
	Codes    stock.Codes
	RowCodes stock.Names
	Counters stock.Names
	Counts   []Count
	Unfilled int // rows without an item and a count, as sheets have to be filled in
	Rows     int
	Values   []Value
	Left     int
	Packed   Packed // rows in packs
}

// Counts reads counts. An empty counted cell is no entry; a count below zero is a problem, and so is a row code
// that fails its check.
func (r Reading) Counts(f *tabular.File, m *recognise.Mapping, p *problem.Problems) (*CountFile, error) {
	return reading(r, f, m, p, (*pass).counts)
}

func (r *pass) counts() (*CountFile, error) {
	m, p := r.m, r.problems
	s := &CountFile{}
	at := r.keys()
	src := r.sources
	rowCode, counted, when, who, round := src[field.RowCode], src[field.Counted], src[field.CountedAt], src[field.Counter], src[field.Round]
	clock := times{zone: r.Zone, source: when}
	judge := r.settler()
	measure := units{
		idle:    r.UnitsAsGiven,
		measure: r.measures(),
		judge:   judge,
		codes:   &s.Codes,
		source:  src[field.Unit],
		names:   &stock.Names{},
	}
	var refused []refusedKey
	plain := m.Has(field.RowCode) // sheets mark texts that a spreadsheet would run
	measure.sums = plain
	var err error
	s.Rows, err = r.table(func(n int) { s.Counts = slices.Grow(s.Counts, n) }, func(c *cells) {
		n := Count{Row: int32(c.row), Round: 1}
		if plain {
			for i := range c.Cells {
				c.Cells[i] = tabular.Unsafe(c.Cells[i])
			}
		}
		if c.unfilled(&at, rowCode, counted) {
			s.Unfilled++
			return
		}
		n.Key = c.key(&at, &s.Codes)
		item := n.Key[stock.SKU] // by which its units are known
		if v := c.get(rowCode); r.RowItem != nil && len(v) > 0 {
			if sku := r.RowItem(string(v)); sku != "" {
				item = s.Codes[stock.SKU].Intern([]byte(sku))
			}
		}
		n.Quantity, n.Given = measure.quantity(c, counted, item)
		if n.Given && !c.bad && n.Quantity < 0 {
			c.wrong(
				field.Counted,
				"below zero",
				c.get(counted),
				"%q is below zero. Nothing can be counted less than 0",
				problem.Short(c.get(counted)),
			)
		}
		if size := measure.read(c, item); size != 1 && n.Given {
			was := n.Quantity
			n.Quantity = measure.turn(c, field.Counted, was, size)
			measure.tell(c, was, n.Quantity, size, measure.names.Intern(c.get(src[field.Unit])))
		}
		if v := c.get(rowCode); len(v) > 0 {
			if !code.Checked(string(v)) {
				c.wrong(
					field.RowCode,
					"row code fails its check",
					v,
					"%q fails its check. Copy the code from the sheet again, or empty the cell to go by bin and SKU",
					problem.Short(v),
				)
			}
			n.RowCode = s.RowCodes.Intern([]byte(strings.ToUpper(string(v))))
		}
		if v := c.get(when); len(v) > 0 {
			var err error
			if n.At, err = clock.parse(v); err != nil {
				c.wrong(field.CountedAt, form.TimeKind(err), v, "%q %v", problem.Short(v), err)
			}
			n.Timed = true
		}
		n.Counter = s.Counters.Intern(c.get(who))
		if v := c.get(round); len(v) > 0 {
			q, err := quantity.Parse(v)
			if err != nil || q%quantity.Scale != 0 || q < quantity.Scale || q > 99*quantity.Scale {
				c.wrong(
					field.Round,
					"not a round",
					v,
					"%q is not a round. Write 1 for the first count, 2 for the recount",
					problem.Short(v),
				)
			}
			n.Round = int32(q / quantity.Scale)
		}
		if c.bad {
			refused = append(refused, refusedKey{n.Key, c.row})
		} else {
			s.Counts = append(s.Counts, n)
		}
	})
	if err != nil {
		return s, err
	}
	if err := fewHouses(r, &s.Codes); err != nil {
		return s, err
	}
	judge.refused(r.file.Name, &s.Codes, refused, p)
	if keep, _ := settleKeys(judge, r.file.Name, &s.Codes, s.Counts, func(n *Count) (*stock.Key, int) { return &n.Key, int(n.Row) },
		p); keep != nil {
		s.Counts = keepRows(s.Counts, keep)
	}
	if keep := placed(r, s.Counts, &s.Codes, func(n *Count) (*stock.Key, int, bool) {
		return &n.Key, int(n.Row), n.RowCode != 0 || !n.Given
	}, stock.Warehouse, stock.Bin); keep != nil {
		s.Counts = keepRows(s.Counts, keep)
	}
	if keep := oddRows(r, s.Counts, &s.Codes, func(n *Count) (*stock.Key, int) { return &n.Key, int(n.Row) }); keep != nil {
		s.Counts = keepRows(s.Counts, keep)
	}
	s.countsTwice(r, judge)
	s.Values, s.Left, s.Packed = judge.list(), judge.left, measure.packed
	return s, nil
}

// unfilled tells whether the row in hand is one to be filled in that was not: it names no item, and nothing was counted, or 0 to say that
// the bin is empty.
func (c *cells) unfilled(at *keySources, rowCode, counted *reader) bool {
	if n := c.get(counted); len(c.get(rowCode)) > 0 || len(n) > 0 && string(n) != "0" || len(c.get(at.parts[stock.SKU])) > 0 {
		return false
	}
	for _, o := range at.others {
		if len(c.get(o)) > 0 {
			return false
		}
	}
	return true
}
