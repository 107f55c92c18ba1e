package read

import (
	"errors"
	"fmt"

	"wobin/internal/core/code"
	"wobin/internal/core/field"
	"wobin/internal/core/form"
	"wobin/internal/core/problem"
	"wobin/internal/core/quantity"
	"wobin/internal/core/stock"
	"wobin/internal/core/sum"
)

// Packed tells of the rows whose numbers were in packs and were turned into base units.
type Packed struct {
	Rows  int
	First int    // the first of them, 0 where there is none
	Was   string // its quantity, its unit and what they became
}

// Example tells the first of the rows: which row, and what became of it.
func (p Packed) Example() string { return fmt.Sprintf("row %d: %s", p.First, p.Was) }

// units tells for each row how many base units one of the row's unit is. A quantity in boxes must never be taken for
// one in pieces: for an item that the records know, the unit is the item's own or one of its packs; for another one
// all rows of the file are in the unit of the first.
type units struct {
	idle    bool
	measure func(sku, unit string) (size int64, base string, known bool)
	judge   *settler
	codes   *stock.Codes
	source  *reader
	names   *stock.Names
	first   []firstUnit // by SKU
	clash   bool        // a row was refused for the unit of the first one
	packed  Packed
	sums    bool // they are counts on sheets of ours, which may be written as sums; elsewhere these are asked about
}

// firstUnit is what the first good row of a SKU said.
type firstUnit struct {
	unit stock.ID
	row  int32
	size int64
}

// sizeOf gives how many base units one of a unit is for an item; known is false where nothing is known of the item's units.
func (u *units) sizeOf(item, unit string) (size int64, base string, known bool) {
	if u.measure == nil {
		return 1, "", false
	}
	u.judge.ask(func() {
		if k := u.judge.known; k != nil {
			if is, ok := k.Set(field.SKU).Find(item); ok {
				item = is
			}
		}
		size, base, known = u.measure(item, unit)
	})
	return size, base, known
}

// size gives how many base units one of the unit is in which the row counts its SKU; 1 where the row names no unit.
func (u *units) size(c *cells, sku, unit stock.ID) int64 {
	if u.idle || unit == 0 || sku == 0 {
		return 1
	}
	for int(sku) >= len(u.first) {
		u.first = append(u.first, firstUnit{})
	}
	if f := &u.first[sku]; f.unit == unit {
		return f.size
	}
	text, name := u.names.Text(unit), u.codes[stock.SKU].Text(sku)
	if !u.judge.idle(field.SKU) {
		if v := u.judge.judge(field.SKU, name); v != nil && v.to != "" {
			name = v.to
		}
	}
	size, base, known := int64(1), "", false
	if s, b, is := u.sizeOf(name, text); is {
		size, base, known = s, b, true
	}
	f := &u.first[sku]
	switch {
	case known && size == 0:
		c.wrong(
			field.Unit,
			"not a unit of the item",
			[]byte(text),
			"%q is neither the unit of %s (%s) nor one of its packs. Correct it, or give the item its pack first",
			problem.Short([]byte(text)),
			name,
			base,
		)
		return 1
	case !known && f.unit != 0 && code.Fold(u.names.Text(f.unit)) != code.Fold(text):
		u.clash = true
		c.wrong(
			field.Unit,
			"another unit",
			[]byte(text),
			"%q is not the unit of %s in row %d, %q, and no pack of that item is known. Put both in one unit, or give the item its pack first",
			problem.Short([]byte(text)),
			name,
			f.row,
			u.names.Text(f.unit),
		)
		return 1
	case f.unit == 0:
		*f = firstUnit{unit, int32(c.row), size}
	}
	return size
}

// read is size for rows whose unit is no part of what is kept.
func (u *units) read(c *cells, sku stock.ID) int64 {
	if u.idle || u.source == nil {
		return 1
	}
	return u.size(c, sku, u.names.Intern(c.get(u.source)))
}

// turn gives a quantity in base units.
func (u *units) turn(c *cells, f field.Field, q quantity.Quantity, size int64) quantity.Quantity {
	if size == 1 || c.bad {
		return q
	}
	out, ok := quantity.Times(q, size)
	if !ok {
		c.wrong(f, "too large", nil, "%s packs of %d are too many", q, size)
	}
	return out
}

// tell counts a row that was turned.
func (u *units) tell(c *cells, from, to quantity.Quantity, size int64, unit stock.ID) {
	if size == 1 || c.bad {
		return
	}
	if u.packed.Rows++; u.packed.Rows == 1 {
		u.packed.First, u.packed.Was = c.row, fmt.Sprintf("%s %s of %d became %s", from, u.names.Text(unit), size, to)
	}
}

// quantity reads a quantity beside which its unit may stand: 2 BX of an item whose box is known is so many of its own unit.
func (u *units) quantity(c *cells, src *reader, sku stock.ID) (q quantity.Quantity, given bool) {
	if u.sums && src != nil {
		if q, is := u.summed(c, src, sku); is {
			return q, true
		}
	}
	if u.idle || u.measure == nil || src == nil || sku == 0 {
		return c.quantity(src)
	}
	b := c.get(src)
	if src.Numbers.Parts == "add" {
		if q, is := u.added(c, src, b, sku); is {
			return q, true
		}
	}
	if n := len(b); n == 0 || b[n-1] >= '0' && b[n-1] <= '9' && b[0] < 'A' {
		return c.quantity(src)
	}
	w, ok := form.TakeApart(string(b))
	if !ok || w.Sign == "" || src.Numbers.Lets(w.Sign) {
		return c.quantity(src)
	}
	size, _, known := u.sizeOf(u.codes[stock.SKU].Text(sku), w.Sign)
	if !known || size == 0 {
		return c.quantity(src)
	}
	numbers := src.Numbers
	numbers.Signs = append(numbers.Signs[:len(numbers.Signs):len(numbers.Signs)], w.Sign)
	plain, wrong, why := numbers.Parse(string(b))
	src.Read = true
	src.Votes.Add([]byte(w.Core))
	if wrong != "" {
		c.wrong(src.Spec.Field, wrong, b, "%q %s", problem.Short(b), why)
		return 0, true
	}
	was, err := quantity.Parse(plain)
	if err != nil {
		c.wrong(src.Spec.Field, form.NumberKind(err), b, "%q %v", problem.Short(b), err)
		return 0, true
	}
	q = u.turn(c, src.Spec.Field, was, size)
	u.tell(c, was, q, size, u.names.Intern([]byte(w.Sign)))
	return q, true
}

// summed works out a count that is written as a sum, such as 12*24+7, or in packs, such as 3bx+5; is is false where the cell holds
// something else, which is read and mended like any number.
func (u *units) summed(c *cells, src *reader, sku stock.ID) (q quantity.Quantity, is bool) {
	b := c.get(src)
	if !sum.Is(string(b)) {
		return 0, false
	}
	var packs sum.Packs
	if !u.idle && u.measure != nil && sku != 0 {
		packs = func(unit string) (int64, bool) {
			size, _, known := u.sizeOf(u.codes[stock.SKU].Text(sku), unit)
			return size, known && size > 0
		}
	}
	q, err := sum.Of(string(b), src.Numbers.Decimal, packs)
	if err != nil {
		var e *sum.Error
		if errors.As(err, &e) && (e.Kind == sum.Nothing || e.Kind == sum.NotExact || e.Kind == sum.TooLarge) {
			src.Read = true
			c.wrong(field.Counted, e.Kind, b, "%q %s", problem.Short(b), e.Text)
			return 0, true
		}
		return 0, false
	}
	src.Read = true
	return q, true
}

// added adds up several quantities in a cell, packs by what they hold; is is false where the cell holds one.
func (u *units) added(c *cells, src *reader, b []byte, sku stock.ID) (sum quantity.Quantity, is bool) {
	parts := src.Numbers.Several(string(b))
	if len(parts) < 2 {
		return 0, false
	}
	src.Read = true
	for _, part := range parts {
		size, base, known := int64(1), "", false
		if part.Sign != "" {
			size, base, known = u.sizeOf(u.codes[stock.SKU].Text(sku), part.Sign)
		}
		if part.Sign != "" && (!known || size == 0) {
			c.wrong(src.Spec.Field, "not a unit of the item", b, "%q: %s is not known as a unit or pack of the item%s. Give the item its pack first",
				problem.Short(b), part.Sign, map[bool]string{true: ", which is kept in " + base}[base != ""])
			return 0, true
		}
		q, err := quantity.Parse([]byte(part.Plain))
		if err != nil {
			c.wrong(src.Spec.Field, form.NumberKind(err), b, "%q %v", problem.Short(b), err)
			return 0, true
		}
		q = u.turn(c, src.Spec.Field, q, size)
		var ok bool
		if sum, ok = quantity.Add(sum, q); !ok {
			c.wrong(src.Spec.Field, "too large", b, "%q is too large", problem.Short(b))
			return 0, true
		}
	}
	return sum, true
}
