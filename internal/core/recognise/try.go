package recognise

import (
	"errors"

	"wobin/internal/core/column"
	"wobin/internal/core/formula"
	"wobin/internal/core/tabular"
)

// Tried is what a formula comes to in one row: a result, or what is wrong there.
type Tried struct {
	Row    int    `json:"row"`
	Result string `json:"result"`
	Wrong  string `json:"wrong"`
}

// Try works a formula out for the first rows of a table, while it is typed. It errs with *formula.Error where the
// formula cannot be read or names a column that the file has not.
func (m *Mapping) Try(f *tabular.File, text string, most int) ([]Tried, error) {
	src := &column.Source{Column: -1}
	if wrong := src.Compile(text, m.called); wrong != nil {
		return nil, wrong
	}
	column.Link(src.Labels, m.Sources)
	s, err := readSample(f, m.Sheet)
	if err != nil {
		return nil, err
	}
	s.decideOwn(m, src.Labels)
	var out []Tried
	var c column.Row
	for n, row := range s.rows {
		if s.numbers[n] <= m.HeaderRow || m.Resembles(row) != "" {
			continue
		}
		if len(out) == most {
			break
		}
		c.Kinds, c.Cells = s.kinds[n], c.Cells[:0]
		for _, t := range row {
			c.Cells = append(c.Cells, []byte(t))
		}
		x := Tried{Row: s.numbers[n]}
		if x.Result, err = src.Work(&c); err != nil {
			x.Wrong = err.Error()
		}
		out = append(out, x)
	}
	return out, nil
}

// IsFormulaError gives the place and text of a formula's error.
func IsFormulaError(err error) (at int, text string, ok bool) {
	var e *formula.Error
	if errors.As(err, &e) {
		return e.At, e.Text, true
	}
	return 0, "", false
}
