package layout

import (
	"bytes"
	"fmt"
	"slices"
	"strings"

	"wobin/internal/core/code"
)

// Aside is rows that are no lines, and were passed over: totals, notes, headers that come again.
type Aside struct {
	What string // "totals", "notes", "headers that come again", "rows that the filter leaves out"
	N    int
	Rows []int // the first of them
}

// Said gives how many there are and what they are, as in 1 total or 3 totals.
func (a Aside) Said() string {
	what := a.What
	if a.N == 1 {
		first, rest, _ := strings.Cut(what, " ")
		if what = strings.TrimSuffix(first, "s"); rest != "" {
			what += " " + strings.Replace(rest, "that come again", "that comes again", 1)
		}
	}
	return fmt.Sprintf("%d %s", a.N, what)
}

const hiddenRows = "hidden rows"

const filtered = "rows that the row filter leaves out"

var totals = squeezed(
	words(
		"total, totals, grand total, sub total, subtotal, sum, sum total, overall, overall total, total quantity, total value, report total, page total, summe, gesamt, gesamtsumme, totaal, somme, suma, totale, end of report, end of list",
	),
)

var totalParts = partsOf("total, totals, subtotal, grandtotal, summe, gesamt, gesamtsumme, zwischensumme, totaal, subtotaal, suma, somme, soustotal")

// isTotal tells whether a text is a word for a total, alone or among others: "Total QUAY", "Report total: 2 items".
func isTotal(text string) bool {
	if slices.Contains(totals, squeeze(text)) {
		return true
	}
	parts := parted(text)
	return has(parts, totalParts) || slices.Contains(parts, "forward") && has(parts, []string{"carried", "brought"})
}

// resembles tells what a row is that names no item: a total, a note, the header again; "" for a line, be it right or
// wrong.
func (m *Mapping) resembles(row []string) string {
	at := func(f Field) string {
		if s := m.sources[f]; s != nil && s.column >= 0 && s.column < len(row) {
			return row[s.column]
		}
		return ""
	}
	id := at(m.Identity)
	if m.Kind == Places {
		id = at(Bin)
		if id == "" {
			id = at(Warehouse)
		}
	}
	if id != "" {
		if h := m.header(m.Identity); !m.NoHeader && id == code.Trim(h) && m.sameAsHeader(row) {
			return "headers that come again"
		}
		if isTotal(id) && at(Bin) == "" && at(Lot) == "" && at(Description) == "" && (at(Warehouse) == "" || at(Warehouse) == id) {
			return "totals"
		}
		return ""
	}
	if at(RowCode) != "" {
		return ""
	}
	numbers, filled, total := false, 0, false
	names := at(Bin) != "" || at(Lot) != "" || at(Serial) != ""
	for i, text := range row {
		if text == "" {
			continue
		}
		filled++
		total = total || isTotal(text) && (!names || text == at(Bin))
		for _, s := range m.sources {
			numbers = numbers || s.column == i && s.spec.Form == Number
		}
	}
	switch {
	case total:
		return "totals"
	case !numbers && filled <= 3:
		return "notes"
	}
	return ""
}

func (m *Mapping) sameAsHeader(row []string) bool {
	for i := range m.Columns[:min(m.shape.width, len(m.Columns))] { // not those behind the file's own
		if m.Columns[i].Field != "" && (i >= len(row) || row[i] != code.Trim(m.Columns[i].Header)) {
			return false
		}
	}
	return true
}

// pass tells whether the row in hand is no line, and notes it.
func (c *cells) pass() bool {
	m := c.m
	if m.takeAside {
		return false
	}
	id := m.namer
	if id == nil || id.column < 0 {
		return false
	}
	// The plain case: a name that can be no total and is not the header.
	if id.column < len(c.cells) {
		if text := c.cells[id.column]; len(text) > 2 && len(text) != m.namerHead && text[0] > ' ' && text[0] < 0x80 && !maybeTotal(text) {
			return false
		}
	}
	row := make([]string, len(c.cells))
	for i, b := range c.cells {
		row[i] = string(trimmed(b))
	}
	what := m.resembles(row)
	if what == "" {
		return false
	}
	m.note(what, c.row)
	return true
}

// maybeTotal looks at the first three letters, and at texts of several words.
func maybeTotal(text []byte) bool {
	switch string([]byte{text[0] | 0x20, text[1] | 0x20, text[2] | 0x20}) {
	case "tot", "sub", "sum", "gra", "ove", "rep", "pag", "ges", "som", "end":
		return isTotal(string(text))
	}
	return bytes.IndexByte(text, ' ') >= 0 && isTotal(string(text))
}

func (m *Mapping) note(what string, row int) {
	a := m.aside[what]
	if a == nil {
		a = &Aside{What: what}
		m.aside[what] = a
	}
	if a.N++; len(a.Rows) < 20 {
		a.Rows = append(a.Rows, row)
	}
}

// AsText is how many rows have cells that are written as ="text", and were read as that text.
func (m *Mapping) AsText() int {
	if a := m.aside[wrapped]; a != nil {
		return a.N
	}
	return 0
}

// PassedOver lists the rows that were passed over, by what they are.
func (m *Mapping) PassedOver() (out []Aside) {
	for _, what := range []string{"totals", "notes", "headers that come again", blockRows, hiddenRows, filtered} {
		if a := m.aside[what]; a != nil {
			out = append(out, *a)
		}
	}
	return out
}
