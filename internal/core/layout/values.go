package layout

import (
	"bytes"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"wobin/internal/core/code"
	"wobin/internal/core/known"
	"wobin/internal/core/stock"
	"wobin/internal/core/tabular"
)

// Errors of ParseTime; the text is the end of a sentence that begins with the value.
var (
	ErrNotTime  = errors.New("is not a time. Write it as 2026-11-21 06:00 or 2026-11-21T06:00:00+01:00")
	ErrNoTime   = errors.New("is in an hour that the clock left out there. Write the time with its offset, as in 2026-03-29T01:30:00+00:00")
	ErrTwoTimes = errors.New(
		"is in an hour that the clock had twice there. Write the time with its offset, as in 2026-10-25T02:30:00+02:00",
	)
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
	kinds    []tabular.CellKind
	problems *Problems
	known    *Known
	odd      [stock.Parts]map[stock.ID]string // texts of keys that may be no code
	bad      bool
	failed   []Field      // of this row, whose cells hold nothing that could be read
	turned   *turnedPlace // the place across that is in hand
}

// get gives a field's text, trimmed; nil where it is empty or has no source.
func (c *cells) get(s *Source) []byte {
	if s == nil {
		return nil
	}
	if s.formula != nil {
		return c.work(s)
	}
	if s.column < 0 || s.column >= len(c.cells) {
		return s.instead
	}
	raw := c.cells[s.column]
	b := trimmed(raw)
	if len(b) == 0 || s.nothing != nil && slices.Contains(s.nothing, string(b)) {
		return s.instead
	}
	switch {
	case raw[0] == '=' && len(b) < len(raw):
		if c.m.textRow != c.row {
			c.m.textRow = c.row
			c.m.note(wrapped, c.row)
		}
	case s.spec.Form == Text: // words are taken as they stand
	case (b[0] == '#' || b[0] == 'E') && known.SheetError(string(b)):
		return c.fail(s, b, "is the error of a formula in the spreadsheet. Put the formula right there, or mend the cell")
	case b[0] == '=' && c.kinds != nil:
		return c.fail(
			s,
			b,
			"is a formula whose result is not in the workbook. Open it in the spreadsheet program and save it again, or mend the cell",
		)
	}
	return b
}

const wrapped = "rows with cells written as =\"text\""

// fail tells, once, that a cell holds nothing that could be read.
func (c *cells) fail(s *Source, b []byte, why string) []byte {
	if f := s.spec.Field; !slices.Contains(c.failed, f) {
		c.wrong(f, "formula in the file", b, "%q %s", short(b), why)
		c.failed = append(c.failed, f)
	}
	return nil
}

// plainCell takes off what makes a text of a cell for a spreadsheet program: ="00412" and '00412 are 00412.
func plainCell(b []byte) []byte {
	switch {
	case len(b) > 2 && b[0] == '\'' && b[1] >= '0' && b[1] <= '9':
		return b[1:]
	case len(b) > 3 && b[0] == '=' && b[1] == '"' && b[len(b)-1] == '"':
		return bytes.ReplaceAll(b[2:len(b)-1], []byte(`""`), []byte(`"`))
	}
	return b
}

func trimmed(b []byte) []byte {
	if len(b) == 0 {
		return nil
	}
	if f, l := b[0], b[len(b)-1]; f <= ' ' || f >= 0x80 || l <= ' ' || l >= 0x80 {
		b = []byte(code.Trim(string(b)))
	}
	if len(b) > 0 && (b[0] == '=' || b[0] == '\'') {
		return plainCell(b)
	}
	return b
}

func (c *cells) wrong(f Field, kind string, value []byte, format string, args ...any) {
	c.wrongWith(0, f, kind, value, format, args...)
}

// wrongWith notes a problem that is about another row, too.
func (c *cells) wrongWith(also int, f Field, kind string, value []byte, format string, args ...any) {
	c.bad = true
	if kind == "empty" && (slices.Contains(c.failed, f) || f == SKU && slices.Contains(c.failed, c.m.Identity)) {
		return // it is told already why nothing is there
	}
	p := c.m.Problem(c.file, c.row, f, kind, string(value), fmt.Sprintf(format, args...)).With(also)
	if s := c.m.sources[f]; s != nil && s.column >= 0 {
		p.Column = c.letter(s)
	}
	c.problems.Add(p)
}

// Problem is a problem with a field of a row, with the column that the field comes from.
func (m *Mapping) Problem(file string, row int, f Field, kind, value, text string) Problem {
	column := ""
	if s := m.sources[f]; s != nil && s.column >= 0 {
		column = tabular.ColumnName(s.column)
	} else if f == SKU && m.sources[m.Identity] != nil && m.sources[m.Identity].column >= 0 {
		column = tabular.ColumnName(m.sources[m.Identity].column)
	}
	return Problem{File: file, Sheet: m.SheetName, Row: row, Column: column, Field: f, Value: short([]byte(value)), Kind: kind, Text: text}
}

// short cuts a value for a message; the file has the whole of it.
func short(b []byte) string {
	s := strings.ToValidUTF8(string(b), "\ufffd")
	if r := []rune(s); len(r) > 60 {
		return string(r[:60]) + "…"
	}
	return s
}

// times reads the times of a column, remembering the last text, since neighbouring rows mostly have the same.
type times struct {
	zone   *time.Location
	source *Source
	first  string // text that was read
	last   string
	at     int64
	err    error
	seen   map[string]*timeRead // a million rows hold few different times, in whatever order
}

// timeRead is what a text was read as, and what it tells of the order of dates.
type timeRead struct {
	text string
	at   int64
	err  error
	says dateEvidence
}

// mostTimes is how many different texts are remembered.
const mostTimes = 8192

func (t *times) parse(b []byte) (int64, error) {
	if string(b) != t.last || t.last == "" {
		if r, had := t.seen[string(b)]; had {
			t.last, t.at, t.err = r.text, r.at, r.err
			t.source.read = true
			if r.says.even > 0 { // which of them is the example hangs on their order
				t.source.dayVotes.add(r.text)
			} else {
				t.source.dayVotes.join(&r.says)
			}
			return t.at, t.err
		}
		if t.last = string(b); t.first == "" {
			t.first = t.last
		}
		t.at, t.err = t.source.dates.parse(t.last, t.zone)
		t.source.read = true
		t.source.dayVotes.add(t.last)
		if t.seen == nil {
			t.seen = map[string]*timeRead{}
		}
		if len(t.seen) < mostTimes {
			r := &timeRead{text: t.last, at: t.at, err: t.err}
			r.says.add(t.last)
			t.seen[t.last] = r
		}
	}
	return t.at, t.err
}
