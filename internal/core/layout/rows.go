package layout

import (
	"fmt"
	"slices"
	"strings"

	"wobin/internal/core/tabular"
)

// fits tells whether the row in hand has the cells of the header, and says so where it has not. Numbers that were parted are put
// together where that was settled and one way is possible.
func (c *cells) fits() bool {
	h := &c.in.m.shape
	n := len(c.cells)
	if n == h.width || h.width == 0 {
		return true
	}
	if n < h.width {
		if !h.full && !h.every {
			return true
		}
		for i, b := range c.cells {
			if h.words[i] && len(b) > 0 && b[0] != ' ' {
				if _, number := takeApart(string(b)); number {
					c.wrong("", "cells missing", nil, "has %s where the header has %d, and a number stands in column %s, which else holds none. "+
						"Put in the cell that is missing", count(n, "cell", "cells"), h.width, tabular.ColumnName(i))
					return false
				}
			}
		}
		if h.every && !h.short {
			c.wrong("", "cells missing", []byte("last"), "has %s where the header has %d, and the other rows have all of theirs. "+
				"Put in the cell that is missing", count(n, "cell", "cells"), h.width)
			return false
		}
		return true
	}
	for n > h.width && !h.exact && len(trimmed(c.cells[n-1])) == 0 { // where the others have just as many, an empty one is one too many
		n--
	}
	if n == h.width {
		return true
	}
	joined := c.joined(n)
	if joined != nil && h.join {
		c.cells = append(c.cells[:0:0], joined...)
		return true
	}
	value, why := "", "A column may have no name, or a sign that parts cells stands in one of them"
	if joined != nil {
		var numbers []string
		for _, i := range h.numbers {
			numbers = append(numbers, string(joined[i]))
		}
		value = strings.Join(numbers, " and ")
	}
	if c.digitsBeyond(n) {
		why = "Likely a decimal or thousands sign parted a number that is not in quotes. Write the file anew with quotes, or mend the row"
	}
	c.wrong("", "cells beyond the header", []byte(value), "has %d cells where the header has %d. %s", n, h.width, why)
	return false
}

// digitsBeyond tells whether digits stand side by side where numbers are read from, or behind them.
func (c *cells) digitsBeyond(n int) bool {
	for _, i := range c.in.m.shape.numbers {
		if i+1 < n && digits(c.cells[i], true) && digits(c.cells[i+1], false) {
			return true
		}
	}
	return false
}

// digits tells whether a cell holds digits alone, behind a minus where it may.
func digits(b []byte, minus bool) bool {
	b = trimmed(b)
	if minus && len(b) > 1 && b[0] == '-' {
		b = b[1:]
	}
	return len(b) > 0 && !slices.ContainsFunc(b, func(x byte) bool { return x < '0' || x > '9' })
}

// joined puts the first n cells of the row in hand into the columns of the header by putting a number's two parts together, where
// exactly one way is possible; else nil. Three digits behind the sign may be thousands as well, so that is no such way.
func (c *cells) joined(n int) (out [][]byte) {
	h := &c.in.m.shape
	ways := 0
	row := make([][]byte, 0, h.width)
	var put func(column, from int)
	put = func(column, from int) {
		if ways > 1 {
			return
		}
		if column == h.width {
			if from == n {
				if ways++; ways == 1 {
					out = slices.Clone(row)
				}
			}
			return
		}
		if from >= n {
			return
		}
		row = append(row, c.cells[from])
		put(column+1, from+1)
		row = row[:len(row)-1]
		if from+1 < n && slices.Contains(h.numbers, column) && digits(c.cells[from], true) && digits(c.cells[from+1], false) {
			sign := "."
			for _, s := range c.in.sources {
				if s.column == column && s.numbers.Decimal == "," {
					sign = ","
				}
			}
			if len(trimmed(c.cells[from+1])) == 3 {
				ways = 2
				return
			}
			row = append(row, fmt.Appendf(nil, "%s%s%s", trimmed(c.cells[from]), sign, trimmed(c.cells[from+1])))
			put(column+1, from+2)
			row = row[:len(row)-1]
		}
	}
	if n-h.width > len(h.numbers) || !h.exact { // where every row has more it is a column without a name
		return nil
	}
	put(0, 0)
	if ways != 1 {
		return nil
	}
	for _, i := range h.numbers { // a number column holds a number in the only way
		if b := trimmed(out[i]); len(b) > 0 {
			if _, ok := takeApart(string(b)); !ok {
				return nil
			}
		}
	}
	return out
}

// each gives the row in hand once, or, with places across, once for each place that has a figure.
func (w *walk) each(row func(c *cells)) {
	t, c := w.in.m.turned, w.c
	if t == nil {
		row(c)
		return
	}
	width := len(w.in.m.Columns)
	for len(c.cells) < width {
		c.cells = append(c.cells, nil)
	}
	if c.kinds != nil {
		for len(c.kinds) < width {
			c.kinds = append(c.kinds, tabular.TextCell)
		}
	}
	base := c.cells
	for i := range t.groups {
		g := &t.groups[i]
		filled := false
		c.bad, c.failed = false, c.failed[:0]
		c.cells = append(w.turn[:0], base...)
		w.turn = c.cells
		for _, at := range g.figures {
			c.cells[at] = nil
		}
		for n, from := range g.from {
			c.cells[g.figures[n]] = base[from]
			if c.kinds != nil {
				c.kinds[g.figures[n]] = c.kinds[from]
			}
			filled = filled || len(trimmed(base[from])) > 0
		}
		if !filled {
			continue
		}
		c.cells[t.place], c.turned = g.name, g
		row(c)
	}
	c.turned = nil
}

// letter gives the column of the file that a source of the row in hand is read from.
func (c *cells) letter(s *reader) string {
	at := s.column
	if c.turned != nil {
		for n, f := range c.turned.figures {
			if f == at {
				at = c.turned.from[n]
			}
		}
	}
	if at >= len(c.in.m.Columns) || at < 0 {
		return ""
	}
	return tabular.ColumnName(at)
}

// headsBlock notes what the row in hand says for the lines below it, and tells that it is no line.
func (w *walk) headsBlock() bool {
	c := w.c
	few := 0
	for _, b := range c.cells {
		if len(b) > 0 {
			few++
		}
	}
	if few <= 2 {
		row := make([]string, len(c.cells))
		for i, b := range c.cells {
			row[i] = string(trimmed(b))
		}
		if f, value := w.in.m.heading(row); f != "" {
			for i := range w.in.m.block {
				if w.in.m.block[i].field == f {
					w.block[i] = []byte(value)
					w.in.note(blockRows, c.row)
					return true
				}
			}
		}
	}
	return false
}

// inBlock gives the row in hand what holds for its block.
func (w *walk) inBlock() {
	c := w.c
	for i := range w.in.m.block {
		at := w.in.m.block[i].column
		for len(c.cells) <= at {
			c.cells = append(c.cells, nil)
			if c.kinds != nil {
				c.kinds = append(c.kinds, tabular.TextCell)
			}
		}
		c.cells[at] = w.block[i]
	}
}
