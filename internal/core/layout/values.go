package layout

import (
	"errors"
	"fmt"
	"strings"
	"time"

	"wobin/internal/core/code"
	"wobin/internal/core/quantity"
	"wobin/internal/core/tabular"
)

// Errors of ParseTime; the text is the end of a sentence that begins with the value.
var (
	ErrNotTime   = errors.New("is not a time. Write it as 2026-11-21 06:00 or 2026-11-21T06:00:00+01:00")
	ErrNoTime    = errors.New("is in an hour that the clock left out there. Write the time with its offset, as in 2026-03-29T01:30:00+00:00")
	ErrTwoTimes  = errors.New("is in an hour that the clock had twice there. Write the time with its offset, as in 2026-10-25T02:30:00+02:00")
	ErrTimeRange = errors.New("is not within the years 1900 to 2200")
)

// ParseTime reads RFC 3339, or YYYY-MM-DD HH:MM[:SS] (a T may stand for the space) in the given zone. It gives
// Unix time in nanoseconds.
func ParseTime(s string, zone *time.Location) (int64, error) {
	if t, err := time.Parse(time.RFC3339, s); err == nil {
		return inRange(t)
	}
	var local time.Time
	var err error
	s = strings.Replace(s, "T", " ", 1)
	for _, form := range []string{"2006-01-02 15:04", "2006-01-02 15:04:05"} {
		if local, err = time.Parse(form, s); err == nil {
			break
		}
	}
	if err != nil {
		return 0, ErrNotTime
	}
	var found []time.Time
	for _, probe := range []time.Duration{-26 * time.Hour, 26 * time.Hour} {
		_, offset := local.Add(probe).In(zone).Zone()
		t := local.Add(-time.Duration(offset) * time.Second)
		if _, there := t.In(zone).Zone(); there == offset && (len(found) == 0 || !found[0].Equal(t)) {
			found = append(found, t)
		}
	}
	switch len(found) {
	case 0:
		return 0, ErrNoTime
	case 2:
		return 0, ErrTwoTimes
	}
	return inRange(found[0])
}

func inRange(t time.Time) (int64, error) {
	if y := t.Year(); y < 1900 || y > 2200 {
		return 0, ErrTimeRange
	}
	return t.UnixNano(), nil
}

// cells reads the fields of one row and gathers what is wrong with them.
type cells struct {
	m        *Mapping
	file     string
	row      int
	cells    [][]byte
	problems *Problems
	bad      bool
}

func newCells(m *Mapping, file string, p *Problems) *cells {
	return &cells{m: m, file: file, problems: p}
}

// get gives a cell's text, trimmed. The index is the column's, -1 for none.
func (c *cells) get(column int) []byte {
	if column < 0 || column >= len(c.cells) {
		return nil
	}
	b := c.cells[column]
	if len(b) == 0 {
		return nil
	}
	if f, l := b[0], b[len(b)-1]; f > ' ' && f < 0x80 && l > ' ' && l < 0x80 {
		return b
	}
	return []byte(code.Trim(string(b)))
}

func (c *cells) wrong(f Field, kind string, value []byte, format string, args ...any) {
	c.bad = true
	column := ""
	for _, x := range c.m.Columns {
		if x.Field == f {
			column = tabular.ColumnName(x.Index)
		}
	}
	c.problems.Add(Problem{File: c.file, Sheet: c.m.SheetName, Row: c.row, Column: column, Field: f,
		Value: short(value), Kind: kind, Text: fmt.Sprintf(format, args...)})
}

func (c *cells) quantity(f Field, column int) (q quantity.Quantity, given bool) {
	b := c.get(column)
	if len(b) == 0 {
		return 0, false
	}
	q, err := quantity.Parse(b)
	if err != nil {
		c.wrong(f, numberKind(err), b, "%q %v", short(b), err)
	}
	return q, true
}

func numberKind(err error) string {
	switch err {
	case quantity.ErrPlaces:
		return "too many places"
	case quantity.ErrTooLarge:
		return "too large"
	}
	return "not a number"
}

// short cuts a value for a message; the file has the whole of it.
func short(b []byte) string {
	s := strings.ToValidUTF8(string(b), "\ufffd")
	if r := []rune(s); len(r) > 60 {
		return string(r[:60]) + "…"
	}
	return s
}

// times reads times, remembering the last text, since neighbouring rows mostly have the same.
type times struct {
	zone *time.Location
	last string
	at   int64
	err  error
}

func (t *times) parse(b []byte) (int64, error) {
	if string(b) != t.last || t.last == "" {
		t.last = string(b)
		t.at, t.err = ParseTime(t.last, t.zone)
	}
	return t.at, t.err
}
