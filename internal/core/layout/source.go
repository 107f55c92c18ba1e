package layout

import (
	"bytes"
	"errors"
	"fmt"
	"strings"
	"time"

	"wobin/internal/core/code"
	"wobin/internal/core/formula"
	"wobin/internal/core/tabular"
)

// Source is where a field's text comes from: a column, a formula over columns, or the same text in every row. It does not change
// once its file was recognised.
type Source struct {
	spec    Spec
	column  int      // -1 where it is worked out
	instead []byte   // of an empty cell: the default, or the fixed text
	nothing []string // texts that stand for an empty cell
	clear   bool     // an empty cell clears what is there
	numbers Numbers
	dates   Dates
	settled bool // the number's or date's form was settled, not found out
	formula *formula.Formula
	labels  []label
}

// label is a column that a formula names.
type label struct {
	column  int
	numbers *Numbers
	own     bool   // no field comes from the column, so that its form is known from the sample alone
	dates   *Dates // nil where the column is not one of dates
}

// heard is what the values of a source tell of its form.
type heard struct {
	votes    evidence
	dayVotes dateEvidence
	read     bool // values of it were read
}

// hear takes a plain decimal in for the column's form.
func (h *heard) hear(b []byte) {
	at := bytes.IndexByte(b, '.')
	switch {
	case at < 0:
	case len(b)-at != 4 && h.votes.point > 0: // the plain case of add
		h.votes.point++
	default:
		h.votes.add(bytes.TrimLeft(b, "+-"))
	}
}

// newSource makes the source of a field; an attribute is a text.
func newSource(k Kind, f Field, column int, c Choice) *Source {
	s := &Source{column: column, numbers: c.Numbers, dates: c.Dates, clear: c.Empty == "clear", nothing: c.Nothing}
	if x := spec(k, f); x != nil {
		s.spec = *x
	} else {
		name, _ := f.Attribute()
		s.spec = Spec{Field: f, Title: name, Form: Text}
	}
	if c.Fixed != "" {
		s.instead = []byte(code.Trim(c.Fixed))
	} else if c.Default != "" {
		s.instead = []byte(code.Trim(c.Default))
	}
	s.settled = s.spec.Form == Number && c.Decimal != "" || s.spec.Form == Time && c.Order != ""
	return s
}

// compile reads the source's formula and finds the columns that it names. It gives what is wrong with it, nil where nothing is.
func (s *Source) compile(text string, find func(name string) int) *formula.Error {
	f, labels, err := compile(text, find)
	if err != nil {
		return err
	}
	s.formula, s.labels = f, labels
	return nil
}

// compile reads a formula; find gives the column of a name, -1 where there is none.
func compile(text string, find func(name string) int) (*formula.Formula, []label, *formula.Error) {
	f, err := formula.Parse(text)
	var wrong *formula.Error
	if errors.As(err, &wrong) {
		return nil, nil, wrong
	}
	labels := make([]label, len(f.Labels))
	for i, name := range f.Labels {
		at := find(name)
		if at < 0 {
			start := strings.Index(text, "'"+strings.ReplaceAll(name, "'", "''"))
			return nil, nil, &formula.Error{At: len([]rune(text[:max(start, 0)])), Text: fmt.Sprintf("the file has no column %q", name)}
		}
		labels[i].column = at
	}
	return f, labels, nil
}

// link gives the columns that a formula names the forms of the sources that read them.
func link(labels []label, sources map[Field]*Source) {
	for i := range labels {
		l := &labels[i]
		if !l.own {
			l.numbers = nil
		}
		for _, src := range sources {
			if src.column == l.column && src.spec.Form == Number {
				l.numbers, l.own = &src.numbers, false
			}
			if src.column == l.column && src.spec.Form == Time {
				l.dates = &src.dates
			}
		}
		if l.numbers == nil {
			l.numbers, l.own = &Numbers{}, true
		}
	}
}

// relink gives a copy of what a formula names, linked to other sources.
func relink(labels []label, sources map[Field]*Source) []label {
	labels = append([]label(nil), labels...)
	link(labels, sources)
	return labels
}

// rowFilter is a formula that is true for the rows to be taken.
type rowFilter struct {
	formula *formula.Formula
	labels  []label
	wrong   *formula.Error
}

func newFilter(text string, find func(name string) int, sources map[Field]*Source) *rowFilter {
	f := &rowFilter{}
	f.formula, f.labels, f.wrong = compile(text, find)
	link(f.labels, sources)
	return f
}

// takes tells whether a row is to be taken.
func (f *rowFilter) takes(row *Row) (bool, error) { return f.formula.True(labelled{row, f.labels}) }

// work works the source's formula out for a row.
func (s *Source) work(row *Row) (string, error) { return s.formula.Text(labelled{row, s.labels}) }

// Row is the cells of one row and their kinds; kinds is nil where the file has none.
type Row struct {
	cells [][]byte
	kinds []tabular.CellKind
}

// numeric tells whether the source's cell is a number by its kind, or by a formula, so that its form is none of the column's.
func (r *Row) numeric(s *Source) bool {
	return s.column < 0 || s.column < len(r.kinds) && r.kinds[s.column] == tabular.NumberCell
}

// blank tells whether nothing stands in the row.
func (r *Row) blank() bool {
	for _, c := range r.cells {
		for i, b := range c {
			if b == ' ' || b == '\t' {
				continue
			}
			if b < 0x80 && b > ' ' || code.Trim(string(c[i:])) != "" {
				return false
			}
			break
		}
	}
	return true
}

// labelled gives a formula the cells of a row.
type labelled struct {
	row    *Row
	labels []label
}

func (l labelled) Text(n int) string {
	at := l.labels[n].column
	if at >= len(l.row.cells) {
		return ""
	}
	return string(plainCell(l.row.cells[at]))
}

func (l labelled) Number(n int) (string, bool) {
	at := l.labels[n].column
	if at < len(l.row.kinds) && l.row.kinds[at] == tabular.NumberCell {
		return l.Text(n), true
	}
	plain, problem, _ := l.labels[n].numbers.parse(l.Text(n))
	return plain, problem == ""
}

// Date reads a cell of a column of dates by its form; another column's where the year stands first.
func (l labelled) Date(n int) (at time.Time, ok bool) {
	x, text := l.labels[n], l.Text(n)
	dates := Dates{Order: "ymd"}
	if x.dates != nil {
		dates = *x.dates
	}
	if d, is := takeDate(text); !is || x.dates == nil && d.long != 0 {
		return at, false
	}
	dates.Time = "00:00" // a day by itself begins
	ns, err := dates.parse(text, time.UTC)
	return time.Unix(0, ns).UTC(), err == nil
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

// trimmed gives the text of a cell without what stands around it.
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
