package layout

import (
	"slices"

	"wobin/internal/core/quantity"
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
}

// MovementFile is what a movements file holds.
type MovementFile struct {
	Codes     stock.Codes
	Movements []Movement
	Rows      int
	Values    []Value
	Left      int
	Packed    Packed // rows in packs
}

// Movements reads movements. A reference that comes twice with the same key, quantity and time is a problem.
func (r Reading) Movements(f *tabular.File, m *Mapping, p *Problems) (*MovementFile, error) {
	return reading(f, m, p, func(p *Problems) (*MovementFile, error) { return r.movements(f, m, p) })
}

func (r Reading) movements(f *tabular.File, m *Mapping, p *Problems) (*MovementFile, error) {
	s := &MovementFile{}
	at := keysOf(m)
	qty, when, ref := m.sources[Quantity], m.sources[At], m.sources[Reference]
	clock := times{zone: r.Zone, source: when}
	judge := r.settler(m)
	measure := units{idle: r.UnitsAsGiven, judge: judge, codes: &s.Codes, source: m.sources[Unit], names: &stock.Names{}}
	var refused []refusedKey
	type same struct {
		key       stock.Key
		quantity  quantity.Quantity
		at        int64
		reference string
	}
	seen, doubles := map[same]int{}, m.Given(r.Layout).Doubles
	var err error
	s.Rows, err = r.table(f, m, p, func(n int) { s.Movements = slices.Grow(s.Movements, n) }, func(c *cells) {
		x := Movement{Row: c.row, Key: c.key(&at, &s.Codes), Reference: string(c.get(ref))}
		var given bool
		if x.Quantity, given = c.quantity(qty); !given {
			c.wrong(Quantity, "empty", nil, "is empty. Every movement has a quantity")
		}
		if size := measure.read(c, x.Key[stock.SKU]); size != 1 {
			was := x.Quantity
			x.Quantity = measure.turn(c, Quantity, was, size)
			measure.tell(c, was, x.Quantity, size, measure.names.Intern(c.get(m.sources[Unit])))
		}
		if v := c.get(when); len(v) == 0 {
			c.wrong(At, "empty", nil, "is empty. Every movement has the time at which it happened")
		} else if t, err := clock.parse(v); err != nil {
			c.wrong(At, timeKind(err), v, "%q %v", short(v), err)
		} else {
			x.At = t
		}
		if c.bad {
			refused = append(refused, refusedKey{x.Key, c.row})
			return
		}
		if x.Reference != "" {
			k := same{x.Key, x.Quantity, x.At, x.Reference}
			switch first, twice := seen[k]; {
			case !twice || doubles == "keep":
			case doubles == "skip":
				judge.left++
				return
			default:
				c.wrong(
					Reference,
					"movement twice",
					[]byte(x.Reference),
					"%q comes twice with the same item, quantity and time, first in row %d",
					short([]byte(x.Reference)),
					first,
				)
				return
			}
			seen[k] = c.row
		}
		s.Movements = append(s.Movements, x)
	})
	if err != nil {
		return s, err
	}
	judge.refused(f.Name, &s.Codes, refused, p)
	if keep, _ := settleKeys(judge, f.Name, &s.Codes, s.Movements, func(x *Movement) (*stock.Key, int) { return &x.Key, x.Row },
		p); keep != nil {
		s.Movements = keepRows(s.Movements, keep)
	}
	s.Values, s.Left, s.Packed = judge.list(), judge.left, measure.packed
	return s, nil
}
