package read

import (
	"bytes"
	"fmt"
	"slices"
	"strings"

	"wobin/internal/core/column"
	"wobin/internal/core/recognise"
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

// What rows are that are passed over, beside what a mapping says that they resemble.
const (
	hiddenRows = "hidden rows"
	filtered   = "rows that the row filter leaves out"
	blockRows  = "headings of blocks"
	wrapped    = "rows with cells written as =\"text\""
)

// pass tells whether the row in hand is no line, and notes it.
func (c *cells) pass() bool {
	r, m := c.in, c.in.m
	if m.TakeAside {
		return false
	}
	id := r.namer
	if id == nil || id.Column < 0 {
		return false
	}
	// The plain case: a name that can be no total and is not the header.
	if id.Column < len(c.Cells) {
		if text := c.Cells[id.Column]; len(text) > 2 && !slices.Contains(r.namerHead, len(text)) && text[0] > ' ' && text[0] < 0x80 &&
			!maybeTotal(text) {
			return false
		}
	}
	row := make([]string, len(c.Cells))
	for i, b := range c.Cells {
		row[i] = string(column.Trimmed(b))
	}
	what := m.Resembles(row)
	if what == "" {
		return false
	}
	r.note(what, c.row)
	return true
}

// maybeTotal looks at the first three letters, and at texts of several words.
func maybeTotal(text []byte) bool {
	switch string([]byte{text[0] | 0x20, text[1] | 0x20, text[2] | 0x20}) {
	case "tot", "sub", "sum", "gra", "ove", "rep", "ges", "som", "end":
		return recognise.IsTotal(string(text))
	case "pag", "sei", "bla", "feu", "she", "con", "pri", "pá": // perhaps what stands between pages
		return true
	}
	return bytes.IndexByte(text, ' ') >= 0 && recognise.IsTotal(string(text))
}

// note counts a row that is passed over.
func (r *pass) note(what string, row int) {
	a := r.aside[what]
	if a == nil {
		a = &Aside{What: what}
		r.aside[what] = a
	}
	if a.N++; len(a.Rows) < 20 {
		a.Rows = append(a.Rows, row)
	}
}

// passedOver lists the rows that were passed over, by what they are, and how many have cells that are written as ="text".
func (r *pass) passedOver() (out []Aside, asText int) {
	for _, what := range []string{"totals", "notes", "headers that come again", blockRows, hiddenRows, filtered} {
		if a := r.aside[what]; a != nil {
			out = append(out, *a)
		}
	}
	if a := r.aside[wrapped]; a != nil {
		asText = a.N
	}
	return out, asText
}
