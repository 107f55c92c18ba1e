// Package column is where the text of a field comes from in each row: a cell, a formula over cells, or a fixed text; and which rows are
// taken. It knows nothing of what a table is recognised by.
package column

import (
	"bytes"
	"errors"
	"fmt"
	"strings"
	"time"

	"wobin/internal/core/code"
	"wobin/internal/core/field"
	"wobin/internal/core/form"
	"wobin/internal/core/formula"
	"wobin/internal/core/layout"
	"wobin/internal/core/tabular"
)

// Source is where a field's text comes from: a column, a formula over columns, or the same text in every row. It does not change
// once its file was recognised.
type Source struct {
	Spec    field.Spec
	Column  int      // -1 where it is worked out
	Instead []byte   // of an empty cell: the default, or the fixed text
	Nothing []string // texts that stand for an empty cell
	Clear   bool     // an empty cell clears what is there
	Numbers form.Numbers
	Dates   form.Dates
	Settled bool // the number's or date's form was settled, not found out
	Formula *formula.Formula
	Labels  []Label
}

// Label is a column that a formula names.
type Label struct {
	Column  int
	Numbers *form.Numbers
	Own     bool        // no field comes from the column, so that its form is known from the sample alone
	dates   *form.Dates // nil where the column is not one of dates
}

// Heard is what the values of a source tell of its form.
type Heard struct {
	Votes    form.Evidence
	DayVotes form.DateEvidence
	Read     bool // values of it were read
}

// Hear takes a plain decimal in for the column's form.
func (h *Heard) Hear(b []byte) {
	at := bytes.IndexByte(b, '.')
	switch {
	case at < 0:
	case len(b)-at != 4 && h.Votes.Point > 0: // the plain case of add
		h.Votes.Point++
	default:
		h.Votes.Add(bytes.TrimLeft(b, "+-"))
	}
}

// NewSource makes the source of a field; an attribute is a text.
func NewSource(k field.Kind, f field.Field, column int, c layout.Choice) *Source {
	s := &Source{Column: column, Numbers: c.Numbers, Dates: c.Dates, Clear: c.Empty == "clear", Nothing: c.Nothing}
	if x := field.SpecOf(k, f); x != nil {
		s.Spec = *x
	} else {
		name, _ := f.Attribute()
		s.Spec = field.Spec{Field: f, Title: name, Form: field.Text}
	}
	if c.Fixed != "" {
		s.Instead = []byte(code.Trim(c.Fixed))
	} else if c.Default != "" {
		s.Instead = []byte(code.Trim(c.Default))
	}
	s.Settled = s.Spec.Form == field.Number && c.Decimal != "" || s.Spec.Form == field.Time && c.Order != ""
	return s
}

// Compile reads the source's formula and finds the columns that it names. It gives what is wrong with it, nil where nothing is.
func (s *Source) Compile(text string, find func(name string) int) *formula.Error {
	f, labels, err := compile(text, find)
	if err != nil {
		return err
	}
	s.Formula, s.Labels = f, labels
	return nil
}

// compile reads a formula; find gives the column of a name, -1 where there is none.
func compile(text string, find func(name string) int) (*formula.Formula, []Label, *formula.Error) {
	f, err := formula.Parse(text)
	var wrong *formula.Error
	if errors.As(err, &wrong) {
		return nil, nil, wrong
	}
	labels := make([]Label, len(f.Labels))
	for i, name := range f.Labels {
		at := find(name)
		if at < 0 {
			start := strings.Index(text, "'"+strings.ReplaceAll(name, "'", "''"))
			return nil, nil, &formula.Error{At: len([]rune(text[:max(start, 0)])), Text: fmt.Sprintf("the file has no column %q", name)}
		}
		labels[i].Column = at
	}
	return f, labels, nil
}

// Link gives the columns that a formula names the forms of the sources that read them.
func Link(labels []Label, sources map[field.Field]*Source) {
	for i := range labels {
		l := &labels[i]
		if !l.Own {
			l.Numbers = nil
		}
		for _, src := range sources {
			if src.Column == l.Column && src.Spec.Form == field.Number {
				l.Numbers, l.Own = &src.Numbers, false
			}
			if src.Column == l.Column && src.Spec.Form == field.Time {
				l.dates = &src.Dates
			}
		}
		if l.Numbers == nil {
			l.Numbers, l.Own = &form.Numbers{}, true
		}
	}
}

// Relink gives a copy of what a formula names, linked to other sources.
func Relink(labels []Label, sources map[field.Field]*Source) []Label {
	labels = append([]Label(nil), labels...)
	Link(labels, sources)
	return labels
}

// Filter is a formula that is true for the rows to be taken.
type Filter struct {
	formula *formula.Formula
	Labels  []Label
	Wrong   *formula.Error
}

// NewFilter reads the formula of a filter. What is wrong with it stands in Wrong.
func NewFilter(text string, find func(name string) int, sources map[field.Field]*Source) *Filter {
	f := &Filter{}
	f.formula, f.Labels, f.Wrong = compile(text, find)
	Link(f.Labels, sources)
	return f
}

// Takes tells whether a row is to be taken.
func (f *Filter) Takes(row *Row) (bool, error) { return f.formula.True(labelled{row, f.Labels}) }

// Work works the source's formula out for a row.
func (s *Source) Work(row *Row) (string, error) { return s.Formula.Text(labelled{row, s.Labels}) }

// Row is the cells of one row and their kinds; kinds is nil where the file has none.
type Row struct {
	Cells [][]byte
	Kinds []tabular.CellKind
}

// Numeric tells whether the source's cell is a number by its kind, or by a formula, so that its form is none of the column's.
func (r *Row) Numeric(s *Source) bool {
	return s.Column < 0 || s.Column < len(r.Kinds) && r.Kinds[s.Column] == tabular.NumberCell
}

// Blank tells whether nothing stands in the row.
func (r *Row) Blank() bool {
	for _, c := range r.Cells {
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
	labels []Label
}

// Text gives the cell that label n of the formula names.
func (l labelled) Text(n int) string {
	at := l.labels[n].Column
	if at >= len(l.row.Cells) {
		return ""
	}
	return string(plainCell(l.row.Cells[at]))
}

// Number gives the same as a plain decimal, by the form of its column.
func (l labelled) Number(n int) (string, bool) {
	at := l.labels[n].Column
	if at < len(l.row.Kinds) && l.row.Kinds[at] == tabular.NumberCell {
		return l.Text(n), true
	}
	plain, problem, _ := l.labels[n].Numbers.Parse(l.Text(n))
	return plain, problem == ""
}

// Date reads a cell of a column of dates by its form; another column's where the year stands first.
func (l labelled) Date(n int) (at time.Time, ok bool) {
	x, text := l.labels[n], l.Text(n)
	dates := form.Dates{Order: "ymd"}
	if x.dates != nil {
		dates = *x.dates
	}
	if d, is := form.TakeDate(text); !is || x.dates == nil && d.Long != 0 {
		return at, false
	}
	dates.Time = "00:00" // a day by itself begins
	ns, err := dates.Parse(text, time.UTC)
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

// Trimmed gives the text of a cell without what stands around it.
func Trimmed(b []byte) []byte {
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
