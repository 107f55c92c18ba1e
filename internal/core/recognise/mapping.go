package recognise

import (
	"fmt"
	"slices"

	"wobin/internal/core/code"
	"wobin/internal/core/column"
	"wobin/internal/core/field"
	"wobin/internal/core/layout"
	"wobin/internal/core/problem"
	"wobin/internal/core/tabular"
)

// Column is one column of a table and what it was taken for.
type Column struct {
	Index   int         // from 0
	Header  string      // as the file has it
	Field   field.Field // empty where the column is passed over
	Why     string
	settled bool // by hand or by a layout
	weak    bool // the header may mean something else
	stacked bool // by what stands in several rows of the header
	choice  layout.Choice
	rival   *rival // what else it reads as; nil for nothing
}

// Worked is a field that is worked out by a formula, or the same in every row.
type Worked struct {
	Field  field.Field
	choice layout.Choice
	above  bool // it stands above the table
	// What is wrong with its formula: a place (characters from 0) and a text; empty where it is sound.
	Wrong string
	At    int
}

// Choice gives what was settled about it.
func (w *Worked) Choice() layout.Choice { return w.choice }

// Ask is a question about a column that the file itself does not answer. Optional ones offer a choice only.
type Ask struct {
	What     string // "on hand", "decimal", "dates", "time of day", "fill down"
	Column   string // the letter; empty for a field that is worked out
	Field    field.Field
	Text     string
	Example  string
	Options  []Option
	Optional bool
}

// Option is one answer: what it settles about the column, and about others, or about the file as a whole.
type Option struct {
	Label string
	Set   layout.Choice
	Also  []layout.Choice
	File  layout.Layout
}

// Answer is what an answer to a question settles.
func (m *Mapping) Answer(a *Ask, o *Option) layout.Layout {
	l := o.File
	for _, c := range append([]layout.Choice{o.Set}, o.Also...) {
		if c.Idle() {
			continue
		}
		if !c.Worked() {
			if c.Column == "" {
				c.Column = a.Column
			}
			if at := tabular.ColumnAt(c.Column); !m.NoHeader && at >= 0 && at < len(m.Columns) {
				c.Header = code.Trim(m.Columns[at].Header)
			}
		}
		l.Columns = append(l.Columns, c)
	}
	return l
}

// Mapping is what was made of a table: its kind, its sheet, its header row and its columns.
type Mapping struct {
	Kind      field.Kind
	Sheet     int
	SheetName string
	HeaderRow int // as a spreadsheet shows it; 0 where there is none
	// HeaderRows is how many rows the header has, the last of them HeaderRow, and HeadRows what stands in them.
	HeaderRows int
	HeadRows   [][]string
	NamesRow   int // the lowest of them that names columns; units may stand below it
	NoHeader   bool
	WhyHeader  string
	WhyKind    string
	Columns    []Column
	Worked     []Worked
	Head       map[string]string // what stands above the header as label and value, labels squeezed
	Asks       []Ask
	Identity   field.Field // what identifies the item
	// RowCodesProve: it was settled that the row codes say which lines they are, where what stands beside them is damaged.
	RowCodesProve bool
	Codes         bool // codes are made for new items that are known by name alone
	Layout        *layout.Layout
	Part          bool // a column says that the file holds some rows alone: those that were refused, or some of a list of ours
	Listed        bool // it was taken out of a list of ours
	Sources       map[field.Field]*column.Source
	Filter        *column.Filter
	Fill          []int
	Stays         map[field.Field]bool // fields of which an empty cell was said to be empty as it stands
	score         int
	head          header
	Shape         rowShape
	Meant         map[layout.Match]bool // texts that were said to be right as they are
	Blocks        []Block
	Turned        *AcrossRows
	Apart         []Apart // columns that tell rows of one key apart
	offered       []int   // columns that a question about places across is about
	LeaveHidden   bool    // rows that are hidden in the workbook
	TakeAside     bool    // rows that read as totals and notes are lines
}

// Want is what is known before a table is looked at.
type Want struct {
	Kinds   []field.Kind     // what it may be; empty for any
	Given   *layout.Layout   // what was settled; nil for nothing
	Layouts []*layout.Layout // saved ones, one of which may fit
	Known   *Known           // nil for nothing
}

func (w *Want) given() *layout.Layout {
	if w.Given == nil {
		return &layout.Layout{}
	}
	return w.Given
}

// At gives the column of a field, -1 where there is none.
func (m *Mapping) At(f field.Field) int {
	for _, c := range m.Columns {
		if c.Field == f {
			return c.Index
		}
	}
	return -1
}

// Fields are the fields of the columns, in their order; empty for one that is passed over.
func (m *Mapping) Fields() (out []field.Field) {
	for _, c := range m.Columns {
		out = append(out, c.Field)
	}
	return out
}

// Has tells whether the field comes in, from a column or worked out.
func (m *Mapping) Has(f field.Field) bool { return m.Sources[f] != nil }

// Named tells whether the field's column goes by the field's own name, as in quantity.
func (m *Mapping) Named(f field.Field) bool {
	return field.Squeeze(m.header(f)) == field.Squeeze(string(f))
}

// header is what stands in the first row of a worked-out or file column of the field, for messages.
func (m *Mapping) header(f field.Field) string {
	if at := m.At(f); at >= 0 {
		return m.Columns[at].Header
	}
	return string(f)
}

// Given is the layout in force: what was settled, over the saved layout that the file was recognised by.
func (m *Mapping) Given(given *layout.Layout) *layout.Layout {
	if given == nil {
		given = &layout.Layout{}
	}
	if m.Layout != nil {
		return given.Over(m.Layout)
	}
	return given
}

// find gives the column that a choice is about, -1 where the file has none.
func (m *Mapping) find(c *layout.Choice) int {
	if c.Header != "" && !m.NoHeader {
		at := -1
		for i := range m.Columns {
			if code.Trim(m.Columns[i].Header) == c.Header && (at < 0 || tabular.ColumnName(i) == c.Column) {
				at = i
			}
		}
		if at < 0 {
			for i := range m.Columns {
				if at < 0 && field.Squeeze(m.Columns[i].Header) == field.Squeeze(c.Header) {
					at = i
				}
			}
		}
		return at
	}
	for i := range m.Columns {
		if tabular.ColumnName(i) == c.Column {
			return i
		}
	}
	return -1
}

// apply takes columns for what they were settled to be; whatever had a field before loses it.
func (m *Mapping) apply(given *layout.Layout, layout bool) {
	why := "chosen by hand"
	for n := range given.Columns {
		c := &given.Columns[n]
		if m.Layout != nil && n < len(m.Layout.Columns) {
			why = fmt.Sprintf("as in the layout %q", m.Layout.Name)
		} else {
			why = "chosen by hand"
		}
		if _, attribute := c.Field.Attribute(); c.Field != "" && c.Field != field.PassedOver && !attribute &&
			field.SpecOf(m.Kind, c.Field) == nil {
			continue // a field of another kind
		}
		if c.Worked() {
			m.free(c.Field, "its field is worked out")
			m.Worked = slices.DeleteFunc(m.Worked, func(w Worked) bool { return w.Field == c.Field })
			m.Worked = append(m.Worked, Worked{Field: c.Field, choice: *c})
			continue
		}
		at := m.find(c)
		if at < 0 {
			continue
		}
		x := &m.Columns[at]
		if c.Field != "" {
			f := c.Field
			if f == field.PassedOver {
				f = ""
			}
			if f != "" {
				m.free(f, "its field was given to another column")
				m.Worked = slices.DeleteFunc(m.Worked, func(w Worked) bool { return w.Field == f })
			}
			x.Field, x.Why, x.settled, x.weak = f, why, true, false
		}
		x.choice.Merge(c)
	}
}

func (m *Mapping) free(f field.Field, why string) {
	for i := range m.Columns {
		if c := &m.Columns[i]; c.Field == f {
			c.Field, c.Why, c.settled = "", why, true
		}
	}
}

// Nothing tells whether a cell of a column is empty, or holds a text that stands for an empty one.
func (m *Mapping) Nothing(column int, cell []byte) bool {
	return len(cell) == 0 || column < len(m.Columns) && m.Columns[column].choice.Nothing != nil &&
		slices.Contains(m.Columns[column].choice.Nothing, string(cell))
}

// Heads are the headers as they are compared, by which sheets of one shape are told.
func (m *Mapping) Heads() (out []string) {
	for i := range m.Columns {
		out = append(out, field.Squeeze(m.Columns[i].Header))
	}
	return out
}

// Problem is a problem with a field of a row, with the column that the field comes from.
func (m *Mapping) Problem(file string, row int, f field.Field, kind, value, text string) problem.Problem {
	column := ""
	if s := m.Sources[f]; s != nil && s.Column >= 0 {
		column = tabular.ColumnName(s.Column)
	} else if f == field.SKU && m.Sources[m.Identity] != nil && m.Sources[m.Identity].Column >= 0 {
		column = tabular.ColumnName(m.Sources[m.Identity].Column)
	}
	return problem.Problem{
		File:   file,
		Sheet:  m.SheetName,
		Row:    row,
		Column: column,
		Field:  f,
		Value:  problem.Short([]byte(value)),
		Kind:   kind,
		Text:   text,
	}
}

// Transfers tells whether the rows say from where to where something was moved.
func (m *Mapping) Transfers() bool {
	return m.Has(field.FromHouse) || m.Has(field.FromBin) || m.Has(field.ToHouse) || m.Has(field.ToBin)
}

// called gives the column that a formula calls by its header or its letter, -1 where there is none.
func (m *Mapping) called(name string) int {
	at := m.find(&layout.Choice{Header: name, Column: name})
	if at < 0 && len(name) <= 2 {
		at = m.find(&layout.Choice{Column: name})
	}
	return at
}
