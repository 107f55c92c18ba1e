package read

import (
	"slices"

	"wobin/internal/core/field"
	"wobin/internal/core/form"
	"wobin/internal/core/problem"
	"wobin/internal/core/quantity"
	"wobin/internal/core/recognise"
	"wobin/internal/core/stock"
	"wobin/internal/core/tabular"
)

// Movement is one row of a movements file.
type Movement struct {
	Key       stock.Key
	Quantity  quantity.Quantity
	At        int64
	Reference string
	Row       int
	Day       bool // only the day is known on which it happened; At has the time of day that was settled for all of them
}

// MovementFile is what a movements file holds.
type MovementFile struct {
	Told
	Codes     stock.Codes
	Movements []Movement
	Rows      int
	Values    []Value
	Left      int
	Packed    Packed // rows in packs
}

// Movements reads movements. A reference that comes twice with the same key, quantity and time is a problem.
func (r Reading) Movements(f *tabular.File, m *recognise.Mapping, p *problem.Problems) (*MovementFile, error) {
	return reading(r, f, m, p, (*pass).movements)
}

func (r *pass) movements() (*MovementFile, error) {
	m, p := r.m, r.problems
	s := &MovementFile{}
	at := r.keys()
	qty, when, ref := r.sources[field.Quantity], r.sources[field.At], r.sources[field.Reference]
	clock := times{zone: r.Zone, source: when}
	judge := r.settler()
	measure := units{
		idle:    r.UnitsAsGiven,
		measure: r.measures(),
		judge:   judge,
		codes:   &s.Codes,
		source:  r.sources[field.Unit],
		names:   &stock.Names{},
	}
	var refused []refusedKey
	type same struct {
		key       stock.Key
		quantity  quantity.Quantity
		at        int64
		reference string
	}
	seen, doubles := map[same]int{}, m.Given(r.Layout).Doubles
	var err error
	take := func(c *cells, x Movement) {
		if x.Reference != "" {
			k := same{key: x.Key, quantity: x.Quantity, at: x.At, reference: x.Reference}
			switch first, twice := seen[k]; {
			case !twice || doubles == "keep":
			case doubles == "skip":
				judge.left++
				return
			default:
				c.wrong(
					field.Reference,
					"movement twice",
					[]byte(x.Reference),
					"%q comes twice with the same item, quantity and time, first in row %d",
					problem.Short([]byte(x.Reference)),
					first,
				)
				return
			}
			seen[k] = c.row
		}
		s.Movements = append(s.Movements, x)
	}
	between := r.transfer()
	s.Rows, err = r.table(func(n int) { s.Movements = slices.Grow(s.Movements, n) }, func(c *cells) {
		x := Movement{Row: c.row, Key: c.key(&at, &s.Codes), Reference: string(c.get(ref))}
		x.Quantity = c.moved(qty)
		if size := measure.read(c, x.Key[stock.SKU]); size != 1 {
			was := x.Quantity
			x.Quantity = measure.turn(c, field.Quantity, was, size)
			measure.tell(c, was, x.Quantity, size, measure.names.Intern(c.get(r.sources[field.Unit])))
		}
		if v := c.get(when); len(v) == 0 {
			c.wrong(field.At, "empty", nil, "is empty. Every movement has the time at which it happened")
		} else if t, err := clock.parse(v); err != nil {
			c.wrong(field.At, form.TimeKind(err), v, "%q %v", problem.Short(v), err)
		} else {
			x.At = t
			if when.Source != nil && when.Dates.Time != "" {
				d, is := form.TakeDate(string(v))
				x.Day = is && !d.HasTime
			}
		}
		ends := c.ends(between, x, &s.Codes)
		if c.bad {
			refused = append(refused, refusedKey{x.Key, c.row})
			return
		}
		for _, x := range ends {
			take(c, x)
		}
	})
	if err != nil {
		return s, err
	}
	if err := fewHouses(r, &s.Codes); err != nil {
		return s, err
	}
	judge.refused(r.file.Name, &s.Codes, refused, p)
	if keep, _ := settleKeys(judge, r.file.Name, &s.Codes, s.Movements, func(x *Movement) (*stock.Key, int) { return &x.Key, x.Row },
		p); keep != nil {
		s.Movements = keepRows(s.Movements, keep)
	}
	if keep := placed(r, s.Movements, &s.Codes, func(x *Movement) (*stock.Key, int, bool) { return &x.Key, x.Row, false },
		stock.Warehouse); keep != nil {
		s.Movements = keepRows(s.Movements, keep)
	}
	if keep := oddRows(r, s.Movements, &s.Codes, func(x *Movement) (*stock.Key, int) { return &x.Key, x.Row }); keep != nil {
		s.Movements = keepRows(s.Movements, keep)
	}
	s.Values, s.Left, s.Packed = judge.list(), judge.left, measure.packed
	return s, nil
}

// moved reads the quantity of a movement: signed, or from a column of what came in and one of what went out.
func (c *cells) moved(qty *reader) quantity.Quantity {
	q, given := c.quantity(qty)
	if qty != nil {
		if !given {
			c.wrong(field.Quantity, "empty", nil, "is empty. Every movement has a quantity")
		}
		return q
	}
	in, came := c.quantity(c.in.sources[field.QuantityIn])
	out, went := c.quantity(c.in.sources[field.QuantityOut])
	switch {
	case !came && !went:
		c.wrong(field.QuantityIn, "empty", nil, "and out are empty. Every movement has a quantity")
	case came && went && in != 0 && out != 0:
		c.wrong(field.QuantityIn, "both ways", nil, "is %s and out is %s in one row. Give each a row of its own", in, out)
	case in < 0 || out < 0:
		c.wrong(field.QuantityIn, "below zero", nil, "and out are written above zero; the column says the direction")
	}
	return in - out
}

// transfer are the readers of where a movement came from and where it went; nil where the file has none.
func (r *pass) transfer() []*reader {
	if !r.m.Transfers() {
		return nil
	}
	return []*reader{r.sources[field.FromHouse], r.sources[field.FromBin], r.sources[field.ToHouse], r.sources[field.ToBin]}
}

// ends gives the movements of a row: of a transfer one out of where it came from and one into where it went, at the same time and
// of the same reference; an end that the row does not name is none. Else the movement itself.
func (c *cells) ends(between []*reader, x Movement, codes *stock.Codes) (out []Movement) {
	if between == nil {
		return []Movement{x}
	}
	if x.Quantity < 0 {
		c.wrong(
			field.Quantity,
			"below zero",
			nil,
			"%s is below zero, where the row says from where to where. Write transfers above zero",
			x.Quantity,
		)
	}
	for i, sign := range []quantity.Quantity{-1, 1} {
		house, bin := c.get(between[2*i]), c.get(between[2*i+1])
		if len(house) == 0 && len(bin) == 0 {
			continue
		}
		y := x
		y.Quantity = sign * x.Quantity
		if len(house) > 0 {
			y.Key[stock.Warehouse] = codes[stock.Warehouse].Intern(house)
		}
		y.Key[stock.Bin] = codes[stock.Bin].Intern(bin)
		out = append(out, y)
	}
	if len(out) == 0 {
		c.wrong(field.FromBin, "empty", nil, "and to are empty. Say where it came from or where it went")
	}
	return out
}
