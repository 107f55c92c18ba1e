package read

import (
	"bytes"
	"fmt"
	"slices"
	"strings"

	"wobin/internal/core/code"
	"wobin/internal/core/column"
	"wobin/internal/core/field"
	"wobin/internal/core/form"
	"wobin/internal/core/known"
	"wobin/internal/core/problem"
	"wobin/internal/core/quantity"
	"wobin/internal/core/recognise"
	"wobin/internal/core/stock"
	"wobin/internal/core/tabular"
)

// cells reads the fields of one row and gathers what is wrong with them.
type cells struct {
	column.Row
	in     *pass
	row    int
	odd    [stock.Parts]map[stock.ID]string // texts of keys that may be no code
	bad    bool
	failed []field.Field          // of this row, whose cells hold nothing that could be read
	turned *recognise.TurnedPlace // the place across that is in hand
}

// get gives a field's text, trimmed; nil where it is empty or has no source.
func (c *cells) get(s *reader) []byte {
	if s == nil {
		return nil
	}
	if s.Formula != nil {
		return c.work(s)
	}
	if s.Column < 0 || s.Column >= len(c.Cells) {
		return s.Instead
	}
	raw := c.Cells[s.Column]
	b := column.Trimmed(raw)
	if len(b) == 0 || s.Nothing != nil && slices.Contains(s.Nothing, string(b)) {
		return s.Instead
	}
	switch {
	case raw[0] == '=' && len(b) < len(raw):
		if c.in.textRow != c.row {
			c.in.textRow = c.row
			c.in.note(wrapped, c.row)
		}
	case len(b) > MaxCode && (s.Spec.Limited() || s.Spec.Field == field.Serial && !bytes.ContainsAny(b, ",;|\n")):
		return c.long(s, b)
	case s.Spec.Form == field.Text: // words are taken as they stand
	case (b[0] == '#' || b[0] == 'E') && known.SheetError(string(b)):
		return c.fail(s, b, "is the error of a formula in the spreadsheet. Put the formula right there, or mend the cell")
	case s.Column < len(c.Kinds) && c.Kinds[s.Column] == tabular.FormulaCell:
		return c.fail(
			s,
			b,
			"is a formula whose result is not in the workbook. Open it in the spreadsheet program and save it again, or mend the cell",
		)
	}
	return b
}

// MaxCode is how many bytes a code has at most, and every other text that is looked up or compared.
const MaxCode = 200

// tooLong is the kind of problem of a text that is longer.
const tooLong = "too long"

// long refuses a text that is too long for what it stands for.
func (c *cells) long(s *reader, b []byte) []byte {
	if f := s.Spec.Field; !slices.Contains(c.failed, f) {
		c.wrong(f, tooLong, []byte(problem.Short(b)), "%q is %d bytes long, and no %s has more than %d. Likely it stands in the wrong column",
			problem.Short(b), len(b), strings.ToLower(s.Spec.Title), MaxCode)
		c.failed = append(c.failed, f)
	}
	return nil
}

// fail tells, once, that a cell holds nothing that could be read.
func (c *cells) fail(s *reader, b []byte, why string) []byte {
	if f := s.Spec.Field; !slices.Contains(c.failed, f) {
		c.wrong(f, "formula in the file", b, "%q %s", problem.Short(b), why)
		c.failed = append(c.failed, f)
	}
	return nil
}

func (c *cells) wrong(f field.Field, kind string, value []byte, format string, args ...any) {
	c.wrongWith(0, f, kind, value, format, args...)
}

// wrongWith notes a problem that is about another row, too.
func (c *cells) wrongWith(also int, f field.Field, kind string, value []byte, format string, args ...any) {
	c.bad = true
	if kind == "empty" && (slices.Contains(c.failed, f) || f == field.SKU && slices.Contains(c.failed, c.in.m.Identity)) {
		return // it is told already why nothing is there
	}
	p := c.in.m.Problem(c.in.file.Name, c.row, f, kind, string(value), fmt.Sprintf(format, args...)).With(also)
	if s := c.in.sources[f]; s != nil && s.Column >= 0 {
		p.Column = c.letter(s)
	}
	c.in.problems.Add(p)
}

// work works the source's formula out for the row in hand.
func (c *cells) work(s *reader) []byte {
	text, err := s.Source.Work(&c.Row)
	if err != nil {
		c.wrong(s.Spec.Field, "formula", nil, "its formula cannot be worked out: %v", err)
		c.failed = append(c.failed, s.Spec.Field)
		return nil
	}
	return []byte(code.Trim(text))
}

// quantity reads a number of the row; given is false where the cell is empty.
func (c *cells) quantity(s *reader) (q quantity.Quantity, given bool) {
	b := c.get(s)
	if len(b) == 0 {
		return 0, false
	}
	if s.Numbers.Decimal != "," { // the plain case
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
		c.wrong(s.Spec.Field, form.NumberKind(bad), b, "%q %v", problem.Short(b), bad)
	}
	return q, true
}

// cost reads a unit cost of the row.
func (c *cells) cost(s *reader) (cost quantity.Cost, rounded, given bool) {
	b := c.get(s)
	if len(b) == 0 {
		return 0, false, false
	}
	if s.Numbers.Decimal != "," {
		if cost, rounded, err := quantity.ParseCost(b); err == nil {
			c.vote(s, b)
			return c.noLess(s, cost, b), rounded, true
		}
	}
	b, failed := c.number(s, b)
	if failed {
		return 0, false, true
	}
	cost, rounded, bad := quantity.ParseCost(b)
	c.noLess(s, cost, b)
	if bad != nil {
		c.wrong(s.Spec.Field, form.NumberKind(bad), b, "%q %v", problem.Short(b), bad)
	}
	return cost, rounded, true
}

// noLess refuses a cost below zero, where files are taken in.
func (c *cells) noLess(s *reader, cost quantity.Cost, b []byte) quantity.Cost {
	if cost < 0 && c.in.Known != nil {
		c.wrong(s.Spec.Field, "cost below zero", b, "%q is below zero. What a unit costs is never less than 0", problem.Short(b))
	}
	return cost
}

// vote takes a plain decimal in for the column's form.
func (c *cells) vote(s *reader, b []byte) {
	if s.Read = true; !c.Numeric(s.Source) {
		s.Hear(b)
	}
}

// number gives the plain decimal that a cell holds. Where the column's form cannot read it, the problem is told and
// failed is true.
func (c *cells) number(s *reader, b []byte) (plain []byte, failed bool) {
	s.Read = true
	if c.Numeric(s.Source) {
		return b, false
	}
	if w, ok := form.TakeApart(string(b)); ok {
		s.Votes.Add([]byte(w.Core))
	}
	text, kind, why := s.Numbers.Parse(string(b))
	if kind != "" {
		c.wrong(s.Spec.Field, kind, b, "%q %s", problem.Short(b), why)
		return nil, true
	}
	return []byte(text), false
}
