package recognise

import (
	"slices"

	"wobin/internal/core/field"
	"wobin/internal/core/form"
	"wobin/internal/core/layout"
	"wobin/internal/core/tabular"
)

// rowShape is what the rows of a table look like, by which rows are told that have cells too many or too few.
type rowShape struct {
	Width   int    // cells of the header row; 0 where there is none
	Exact   bool   // there are rows that have just as many
	Full    bool   // rows mostly have all of them, so that one whose cells look moved is told
	Every   bool   // they all do, or end in empty cells where they have nothing, so that a shorter one lacks a cell
	Short   bool   // it was settled that what a shorter one lacks is its last cells, which are empty
	Words   []bool // by column: it holds no number in any full row
	Numbers []int  // columns that numbers are read from, in order
	Breaks  bool   // it is delimited text, whose cells of several lines may have swallowed rows
	Join    bool   // cells of numbers that were parted are put together
}

// shaped finds the shape of the table's rows in the sample.
func (m *Mapping) shaped(f *tabular.File, s *sample, given *layout.Layout) {
	if m.NoHeader {
		return
	}
	h := &m.Shape
	h.Width, h.Join, h.Short = len(m.Columns), given.Parted == "join", given.Short == "empty"
	for i := range m.Columns {
		if x := field.SpecOf(m.Kind, m.Columns[i].Field); x != nil && x.Form == field.Number {
			h.Numbers = append(h.Numbers, i)
		}
	}
	if kind, _ := f.Of(m.Sheet); kind != tabular.Text {
		return
	}
	h.Breaks = given.Breaks != "keep"
	rows, full, ended := 0, 0, 0
	h.Words = make([]bool, h.Width)
	filled := make([]int, h.Width)
	for i := range h.Words {
		h.Words[i] = true
	}
	for n, row := range s.rows {
		if some := slices.DeleteFunc(slices.Clone(row), func(v string) bool { return v == "" }); s.numbers[n] <= m.HeaderRow ||
			len(some) < 2 {
			continue // notes and headings of blocks
		}
		if rows++; len(row) != h.Width {
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
			if _, ok := form.TakeApart(v); ok {
				h.Words[i] = false
			}
		}
	}
	for i := range h.Words {
		h.Words[i] = h.Words[i] && filled[i] >= 3
	}
	h.Exact = full > 0
	h.Full = full >= 3 && full*4 >= rows*3
	h.Every = full >= 3 && (ended > 0 || rows-full <= max(rows/10, 1))
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
