package layout

import (
	"fmt"
	"slices"
	"strings"

	"wobin/internal/core/tabular"
)

// rowShape is what the rows of a table look like, by which rows are told that have cells too many or too few.
type rowShape struct {
	width   int    // cells of the header row; 0 where there is none
	exact   bool   // there are rows that have just as many
	full    bool   // rows mostly have all of them, so that one whose cells look moved is told
	every   bool   // they all do, or end in empty cells where they have nothing, so that a shorter one lacks a cell
	short   bool   // it was settled that what a shorter one lacks is its last cells, which are empty
	words   []bool // by column: it holds no number in any full row
	numbers []int  // columns that numbers are read from, in order
	join    bool   // cells of numbers that were parted are put together
}

// shaped finds the shape of the table's rows in the sample.
func (m *Mapping) shaped(f *tabular.File, s *sample, given *Layout) {
	if m.NoHeader {
		return
	}
	h := &m.shape
	h.width, h.join, h.short = len(m.Columns), given.Parted == "join", given.Short == "empty"
	for i := range m.Columns {
		if x := spec(m.Kind, m.Columns[i].Field); x != nil && x.Form == Number {
			h.numbers = append(h.numbers, i)
		}
	}
	if f.Kind != tabular.Text {
		return
	}
	rows, full, ended := 0, 0, 0
	h.words = make([]bool, h.width)
	filled := make([]int, h.width)
	for i := range h.words {
		h.words[i] = true
	}
	for n, row := range s.rows {
		if some := slices.DeleteFunc(slices.Clone(row), func(v string) bool { return v == "" }); s.numbers[n] <= m.HeaderRow || len(some) < 2 {
			continue // notes and headings of blocks
		}
		if rows++; len(row) != h.width {
			continue
		}
		full++
		if row[len(row)-1] == "" {
			ended++
		}
		for i, v := range row {
			if v == "" {
				continue
			}
			filled[i]++
			if _, ok := takeApart(v); ok {
				h.words[i] = false
			}
		}
	}
	for i := range h.words {
		h.words[i] = h.words[i] && filled[i] >= 3
	}
	h.exact = full > 0
	h.full = full >= 3 && full*4 >= rows*3
	h.every = full >= 3 && (ended > 0 || rows-full <= max(rows/10, 1))
}

// fits tells whether the row in hand has the cells of the header, and says so where it has not. Numbers that were parted are put
// together where that was settled and one way is possible.
func (c *cells) fits() bool {
	h := &c.m.shape
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
	for _, i := range c.m.shape.numbers {
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
	h := &c.m.shape
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
			for _, s := range c.m.sources {
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

// widen gives the mapping columns without a name where every row goes beyond the header.
func (s *sample) widen(m *Mapping) {
	if m.NoHeader || m.HeaderRow == 0 {
		return
	}
	least, rows := 0, 0
	for n, row := range s.rows {
		w := len(row)
		for w > 0 && row[w-1] == "" {
			w--
		}
		if s.numbers[n] <= m.HeaderRow || w < 2 {
			continue
		}
		if rows++; rows == 1 || w < least {
			least = w
		}
	}
	for rows > 1 && len(m.Columns) < least {
		m.Columns = append(m.Columns, Column{Index: len(m.Columns), Why: "it has no name; passed over"})
	}
}
