package layout

import (
	"bytes"
	"errors"
	"fmt"
	"strings"
	"time"

	"wobin/internal/core/code"
	"wobin/internal/core/formula"
	"wobin/internal/core/quantity"
	"wobin/internal/core/tabular"
)

// Source is where a field's text comes from: a column, a formula over columns, or the same text in every row.
type Source struct {
	spec     Spec
	column   int      // -1 where it is worked out
	instead  []byte   // of an empty cell: the default, or the fixed text
	nothing  []string // texts that stand for an empty cell
	clear    bool     // an empty cell clears what is there
	numbers  Numbers
	dates    Dates
	settled  bool // the number's or date's form was settled, not found out
	formula  *formula.Formula
	labels   []label
	votes    evidence // of all values that were read
	dayVotes dateEvidence
	read     bool // values of it were read
}

// label is a column that a formula names.
type label struct {
	column  int
	numbers *Numbers
	dates   *Dates // nil where the column is not one of dates
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

// compile reads a formula and finds the columns that it names. It gives what is wrong with it, nil where nothing is.
func (s *Source) compile(text string, m *Mapping) *formula.Error {
	f, labels, err := compile(text, m)
	if err != nil {
		return err
	}
	s.formula, s.labels = f, labels
	return nil
}

func compile(text string, m *Mapping) (*formula.Formula, []label, *formula.Error) {
	f, err := formula.Parse(text)
	var wrong *formula.Error
	if errors.As(err, &wrong) {
		return nil, nil, wrong
	}
	labels := make([]label, len(f.Labels))
	for i, name := range f.Labels {
		at := m.find(&Choice{Header: name, Column: name})
		if at < 0 && len(name) <= 2 {
			at = m.find(&Choice{Column: name})
		}
		if at < 0 {
			start := strings.Index(text, "'"+strings.ReplaceAll(name, "'", "''"))
			return nil, nil, &formula.Error{At: len([]rune(text[:max(start, 0)])), Text: fmt.Sprintf("the file has no column %q", name)}
		}
		labels[i].column = at
	}
	return f, labels, nil
}

// link gives the columns that a formula names their number forms.
func (s *Source) link(m *Mapping) { link(s.labels, m) }

func link(labels []label, m *Mapping) {
	for i := range labels {
		l := &labels[i]
		for _, src := range m.sources {
			if src.column == l.column && src.spec.Form == Number {
				l.numbers = &src.numbers
			}
			if src.column == l.column && src.spec.Form == Time {
				l.dates = &src.dates
			}
		}
		if l.numbers == nil {
			l.numbers = &Numbers{} // decided from the sample
		}
	}
}

// rowFilter is a formula that is true for the rows to be taken.
type rowFilter struct {
	formula *formula.Formula
	labels  []label
	wrong   *formula.Error
}

func newFilter(text string, m *Mapping) *rowFilter {
	f := &rowFilter{}
	f.formula, f.labels, f.wrong = compile(text, m)
	link(f.labels, m)
	return f
}

// labelled gives a formula the cells of the row in hand.
type labelled struct {
	c      *cells
	labels []label
}

func (l labelled) Text(n int) string {
	at := l.labels[n].column
	if at >= len(l.c.cells) {
		return ""
	}
	return string(plainCell(l.c.cells[at]))
}

func (l labelled) Number(n int) (string, bool) {
	at := l.labels[n].column
	if at < len(l.c.kinds) && l.c.kinds[at] == tabular.NumberCell {
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

// work works the source's formula out for the row in hand.
func (c *cells) work(s *Source) []byte {
	text, err := s.formula.Text(labelled{c, s.labels})
	if err != nil {
		c.wrong(s.spec.Field, "formula", nil, "its formula cannot be worked out: %v", err)
		c.failed = append(c.failed, s.spec.Field)
		return nil
	}
	return []byte(code.Trim(text))
}

// quantity reads a number of the row; given is false where the cell is empty.
func (c *cells) quantity(s *Source) (q quantity.Quantity, given bool) {
	b := c.get(s)
	if len(b) == 0 {
		return 0, false
	}
	if s.numbers.Decimal != "," { // the plain case
		if q, err := quantity.Parse(b); err == nil {
			c.vote(s, b)
			return q, true
		}
	}
	b, failed := c.number(s, b)
	if failed {
		return 0, true
	}
	q, bad := quantity.Parse(b)
	if bad != nil {
		c.wrong(s.spec.Field, numberKind(bad), b, "%q %v", short(b), bad)
	}
	return q, true
}

// cost reads a unit cost of the row.
func (c *cells) cost(s *Source) (cost quantity.Cost, rounded, given bool) {
	b := c.get(s)
	if len(b) == 0 {
		return 0, false, false
	}
	if s.numbers.Decimal != "," {
		if cost, rounded, err := quantity.ParseCost(b); err == nil {
			c.vote(s, b)
			return cost, rounded, true
		}
	}
	b, failed := c.number(s, b)
	if failed {
		return 0, false, true
	}
	cost, rounded, bad := quantity.ParseCost(b)
	if bad != nil {
		c.wrong(s.spec.Field, numberKind(bad), b, "%q %v", short(b), bad)
	}
	return cost, rounded, true
}

// numeric tells whether the cell is a number by its kind, or by a formula, so that its form is none of the column's.
func (c *cells) numeric(s *Source) bool {
	return s.column < 0 || s.column < len(c.kinds) && c.kinds[s.column] == tabular.NumberCell
}

// vote takes a plain decimal in for the column's form.
func (c *cells) vote(s *Source, b []byte) {
	s.read = true
	at := bytes.IndexByte(b, '.')
	switch {
	case at < 0 || c.numeric(s):
	case len(b)-at != 4 && s.votes.point > 0: // the plain case of add
		s.votes.point++
	default:
		s.votes.add(bytes.TrimLeft(b, "+-"))
	}
}

// number gives the plain decimal that a cell holds. Where the column's form cannot read it, the problem is told and
// failed is true.
func (c *cells) number(s *Source, b []byte) (plain []byte, failed bool) {
	s.read = true
	if c.numeric(s) {
		return b, false
	}
	if w, ok := takeApart(string(b)); ok {
		s.votes.add([]byte(w.core))
	}
	text, kind, why := s.numbers.parse(string(b))
	if kind != "" {
		c.wrong(s.spec.Field, kind, b, "%q %s", short(b), why)
		return nil, true
	}
	return []byte(text), false
}
