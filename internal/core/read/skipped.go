package read

import (
	"bytes"
	"slices"

	"wobin/internal/core/column"
	"wobin/internal/core/recognise"
)

// Skipped is rows that are no lines, by why they are not.
type Skipped struct {
	Why  recognise.Skip
	N    int
	Rows []int // the first of them
}

// Words gives how many there are and what they are, as in 1 total or 3 totals.
func (s Skipped) Words() string { return s.Why.Words(s.N) }

// wrapped notes rows with cells that are written as ="text". They are not skipped.
const wrapped recognise.Skip = "wrapped"

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

// note counts a row that is skipped.
func (r *pass) note(why recognise.Skip, row int) {
	a := r.skipped[why]
	if a == nil {
		a = &Skipped{Why: why}
		r.skipped[why] = a
	}
	if a.N++; len(a.Rows) < 20 {
		a.Rows = append(a.Rows, row)
	}
}

// told lists the rows that were skipped, by why, and how many have cells that are written as ="text".
func (r *pass) told() (out []Skipped, asText int) {
	for _, why := range recognise.Skips {
		if a := r.skipped[why]; a != nil {
			out = append(out, *a)
		}
	}
	if a := r.skipped[wrapped]; a != nil {
		asText = a.N
	}
	return out, asText
}
