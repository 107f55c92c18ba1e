package read

import (
	"bytes"
	"fmt"
	"slices"
	"strings"

	"wobin/internal/core/column"
	"wobin/internal/core/field"
	"wobin/internal/core/form"
	"wobin/internal/core/problem"
	"wobin/internal/core/quantity"
	"wobin/internal/core/recognise"
	"wobin/internal/core/tabular"
)

// fits tells whether the row in hand has the cells of the header, and says so where it has not. Numbers that were parted are put
// together where that was settled and one way is possible.
func (c *cells) fits() bool {
	h := &c.in.m.Shape
	if h.Breaks && c.swallowed() {
		return false
	}
	n := len(c.Cells)
	if n == h.Width || h.Width == 0 {
		return true
	}
	if n < h.Width {
		if !h.Full && !h.Every {
			return true
		}
		for i, b := range c.Cells {
			if h.Words[i] && len(b) > 0 && b[0] != ' ' {
				if _, number := form.TakeApart(string(b)); number {
					c.wrong(
						"",
						"cells missing",
						nil,
						"has %s where the header has %d, and a number stands in column %s, which else holds none. "+
							"Put in the cell that is missing",
						problem.Count(n, "cell", "cells"),
						h.Width,
						tabular.ColumnName(i),
					)
					return false
				}
			}
		}
		if h.Every && !h.Short {
			c.wrong("", "cells missing", []byte("last"), "has %s where the header has %d, and the other rows have all of theirs. "+
				"Put in the cell that is missing", problem.Count(n, "cell", "cells"), h.Width)
			return false
		}
		return true
	}
	for n > h.Width && !h.Exact && len(column.Trimmed(c.Cells[n-1])) == 0 { // where the others have just as many, an empty one is one too many
		n--
	}
	if n == h.Width {
		return true
	}
	joined := c.joined(n)
	if joined != nil && h.Join {
		c.Cells = append(c.Cells[:0:0], joined...)
		return true
	}
	value, why := "", "A column may have no name, or a sign that parts cells stands in one of them"
	if joined != nil {
		var numbers []string
		for _, i := range h.Numbers {
			numbers = append(numbers, string(joined[i]))
		}
		value = strings.Join(numbers, " and ")
	}
	if c.digitsBeyond(n) {
		why = "Likely a decimal or thousands sign parted a number that is not in quotes. Write the file anew with quotes, or mend the row"
	}
	c.wrong("", "cells beyond the header", []byte(value), "has %d cells where the header has %d. %s", n, h.Width, why)
	return false
}

// RowsInCell is the kind of problem of a row in which a quotation mark is opened and closed only rows later.
const RowsInCell = "rows in one cell"

// swallowed tells whether a cell of the row in hand holds what reads as rows, and says so: whole lines with as many cells as
// the header, or a first and a last line that are the rest and the beginning of such a row.
func (c *cells) swallowed() bool {
	h := &c.in.m.Shape
	_, dialect := c.in.file.Of(c.in.m.Sheet)
	for i, b := range c.Cells {
		if h.Width < 2 || i >= h.Width || bytes.IndexByte(b, '\n') < 0 {
			continue
		}
		lines := bytes.Split(b, []byte{'\n'})
		signs := func(n int) int { return bytes.Count(lines[n], []byte{dialect.Delimiter}) }
		last := len(lines) - 1
		whole := 0
		for n := 1; n < last; n++ {
			if signs(n) == h.Width-1 {
				whole++
			}
		}
		if whole == 0 && (last > 1 || signs(0) != h.Width-1-i || signs(last)+len(c.Cells)-1-i != h.Width-1) {
			continue
		}
		c.wrong("", RowsInCell, b, "holds what reads as %d rows in column %s: a quotation mark is opened there and closed only lines later. "+
			"Double the quotation marks inside of texts, or take that one out", len(lines), tabular.ColumnName(i))
		return true
	}
	return false
}

// digitsBeyond tells whether digits stand side by side where numbers are read from, or behind them.
func (c *cells) digitsBeyond(n int) bool {
	for _, i := range c.in.m.Shape.Numbers {
		if i+1 < n && digits(c.Cells[i], true) && digits(c.Cells[i+1], false) {
			return true
		}
	}
	return false
}

// digits tells whether a cell holds digits alone, behind a minus where it may.
func digits(b []byte, minus bool) bool {
	b = column.Trimmed(b)
	if minus && len(b) > 1 && b[0] == '-' {
		b = b[1:]
	}
	return len(b) > 0 && !slices.ContainsFunc(b, func(x byte) bool { return x < '0' || x > '9' })
}

// joined puts the first n cells of the row in hand into the columns of the header by putting a number's two parts together, where
// exactly one way is possible; else nil. Three digits behind the sign may be thousands as well, so that is no such way.
func (c *cells) joined(n int) (out [][]byte) {
	h := &c.in.m.Shape
	ways := 0
	row := make([][]byte, 0, h.Width)
	var put func(at, from int)
	put = func(at, from int) {
		if ways > 1 {
			return
		}
		if at == h.Width {
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
		row = append(row, c.Cells[from])
		put(at+1, from+1)
		row = row[:len(row)-1]
		if from+1 < n && slices.Contains(h.Numbers, at) && digits(c.Cells[from], true) && digits(c.Cells[from+1], false) {
			sign := "."
			for _, s := range c.in.sources {
				if s.Column == at && s.Numbers.Decimal == "," {
					sign = ","
				}
			}
			if len(column.Trimmed(c.Cells[from+1])) == 3 {
				ways = 2
				return
			}
			row = append(row, fmt.Appendf(nil, "%s%s%s", column.Trimmed(c.Cells[from]), sign, column.Trimmed(c.Cells[from+1])))
			put(at+1, from+2)
			row = row[:len(row)-1]
		}
	}
	if n-h.Width > len(h.Numbers) || !h.Exact { // where every row has more it is a at without a name
		return nil
	}
	put(0, 0)
	if ways != 1 {
		return nil
	}
	for _, i := range h.Numbers { // a number column holds a number in the only way
		if b := column.Trimmed(out[i]); len(b) > 0 {
			if _, ok := form.TakeApart(string(b)); !ok {
				return nil
			}
		}
	}
	return out
}

// each gives the row in hand once; or, with places across, once for each place that has a figure; or, where its cell of serials holds
// several, once for each of them with one piece.
func (w *walk) each(row func(c *cells)) {
	if w.in.serials == nil || !w.eachSerial(row) {
		w.eachPlace(row)
	}
}

// eachSerial gives the row in hand once for each serial, where its cell holds several; it tells whether it does.
func (w *walk) eachSerial(row func(c *cells)) bool {
	c := w.c
	serial, total := w.in.serials[0], w.in.serials[1]
	if serial.Column >= len(c.Cells) || total.Column >= len(c.Cells) {
		return false
	}
	texts := severalCodes(c.Cells[serial.Column])
	if len(texts) < 2 {
		return false
	}
	base := c.Cells
	count, given := c.quantity(total)
	if c.bad || !given || count != q(len(texts)) {
		if !c.bad {
			c.wrong(field.Serial, "serials and quantity", base[serial.Column], "%q holds %d serials where the quantity is %s. Give each piece its serial",
				problem.Short(base[serial.Column]), len(texts), count)
		}
		return true
	}
	if c.Kinds != nil {
		c.Kinds = slices.Clone(c.Kinds)
		c.Kinds[total.Column] = tabular.NumberCell
	}
	for _, text := range texts {
		c.bad, c.failed = false, c.failed[:0]
		c.Cells = append(w.turn[:0], base...)
		w.turn = c.Cells
		c.Cells[serial.Column], c.Cells[total.Column] = []byte(text), []byte("1")
		row(c)
	}
	return true
}

// q is a whole number as a quantity.
func q(n int) quantity.Quantity { return quantity.Quantity(n) * quantity.Scale }

// severalCodes parts a cell that lists codes; one text where it holds one.
func severalCodes(b []byte) []string {
	parts := strings.FieldsFunc(string(b), func(r rune) bool { return r == ',' || r == ';' || r == '\n' || r == '\r' || r == '|' })
	out := parts[:0]
	for _, p := range parts {
		if p = strings.TrimSpace(p); p != "" {
			out = append(out, p)
		}
	}
	return out
}

// eachPlace gives the row in hand once, or, with places across, once for each place that has a figure.
func (w *walk) eachPlace(row func(c *cells)) {
	t, c := w.in.m.Turned, w.c
	if t == nil {
		row(c)
		return
	}
	width := len(w.in.m.Columns)
	for len(c.Cells) < width {
		c.Cells = append(c.Cells, nil)
	}
	if c.Kinds != nil {
		for len(c.Kinds) < width {
			c.Kinds = append(c.Kinds, tabular.TextCell)
		}
	}
	base := c.Cells
	for i := range t.Groups {
		g := &t.Groups[i]
		filled := false
		c.bad, c.failed = false, c.failed[:0]
		c.Cells = append(w.turn[:0], base...)
		w.turn = c.Cells
		for _, at := range g.Figures {
			c.Cells[at] = nil
		}
		for n, from := range g.From {
			c.Cells[g.Figures[n]] = base[from]
			if c.Kinds != nil {
				c.Kinds[g.Figures[n]] = c.Kinds[from]
			}
			filled = filled || len(column.Trimmed(base[from])) > 0
		}
		if !filled {
			continue
		}
		c.Cells[t.Place], c.turned = g.Name, g
		row(c)
	}
	c.turned = nil
}

// letter gives the column of the file that a source of the row in hand is read from.
func (c *cells) letter(s *reader) string {
	at := s.Column
	if c.turned != nil {
		for n, f := range c.turned.Figures {
			if f == at {
				at = c.turned.From[n]
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
	for _, b := range c.Cells {
		if len(b) > 0 {
			few++
		}
	}
	if few <= 2 {
		row := make([]string, len(c.Cells))
		for i, b := range c.Cells {
			row[i] = string(column.Trimmed(b))
		}
		if f, value := w.in.m.Heading(row); f != "" {
			for i := range w.in.m.Blocks {
				if w.in.m.Blocks[i].Field == f {
					w.block[i] = []byte(value)
					w.in.note(recognise.BlockHeads, c.row)
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
	for i := range w.in.m.Blocks {
		at := w.in.m.Blocks[i].Column
		for len(c.Cells) <= at {
			c.Cells = append(c.Cells, nil)
			if c.Kinds != nil {
				c.Kinds = append(c.Kinds, tabular.TextCell)
			}
		}
		c.Cells[at] = w.block[i]
	}
}
