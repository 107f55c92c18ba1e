package layout

import (
	"fmt"
	"slices"

	"wobin/internal/core/code"
	"wobin/internal/core/tabular"
)

// Column is one column of a table and what it was taken for.
type Column struct {
	Index   int    // from 0
	Header  string // as the file has it
	Field   Field  // empty where the column is passed over
	Why     string
	settled bool // by hand or by a layout
	weak    bool // the header may mean something else
	choice  Choice
}

// Worked is a field that is worked out by a formula, or the same in every row.
type Worked struct {
	Field  Field
	choice Choice
	// What is wrong with its formula: a place (characters from 0) and a text; empty where it is sound.
	Wrong string
	At    int
}

// Choice gives what was settled about it.
func (w *Worked) Choice() Choice { return w.choice }

// Ask is a question about a column that the file itself does not answer. Optional ones offer a choice only.
type Ask struct {
	What     string // "on hand", "decimal", "dates", "time of day", "fill down"
	Column   string // the letter; empty for a field that is worked out
	Field    Field
	Text     string
	Example  string
	Options  []Option
	Optional bool
}

// Option is one answer: what it settles about the column, and about others, or about the file as a whole.
type Option struct {
	Label string
	Set   Choice
	Also  []Choice
	File  Layout
}

// Answer is what an answer to a question settles.
func (m *Mapping) Answer(a *Ask, o *Option) Layout {
	l := o.File
	for _, c := range append([]Choice{o.Set}, o.Also...) {
		if c.empty() {
			continue
		}
		if !c.worked() {
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
	Kind      Kind
	Sheet     int
	SheetName string
	HeaderRow int // as a spreadsheet shows it; 0 where there is none
	NoHeader  bool
	WhyHeader string
	WhyKind   string
	Columns   []Column
	Worked    []Worked
	Head      map[string]string // what stands above the header as label and value, labels squeezed
	Asks      []Ask
	Identity  Field // what identifies the item
	// RowCodesProve: it was settled that the row codes say which lines they are, where what stands beside them is damaged.
	RowCodesProve bool
	Layout        *Layout
	Part          bool // a column says why its rows were refused: the file holds only those
	sources       map[Field]*Source
	filter        *rowFilter
	fill          []int
	score         int
	aside         map[string]*Aside
	namer         *Source // the column that names the row's item, by which totals and notes are told from lines
	namerHead     int     // the length of its header, -1 where there is none
	textRow       int     // the row that was noted last for its cells written as ="text"
	shape         rowShape
	meant         map[Match]bool // texts that were said to be right as they are
	block         []block
	turned        *turned
	apart         []int // columns that tell rows of one key apart
	offered       []int // columns that a question about places across is about
	leaveHidden   bool  // rows that are hidden in the workbook
	takeAside     bool  // rows that read as totals and notes are lines
}

// Want is what is known before a table is looked at.
type Want struct {
	Kinds   []Kind    // what it may be; empty for any
	Given   *Layout   // what was settled; nil for nothing
	Layouts []*Layout // saved ones, one of which may fit
	Known   *Known    // nil for nothing
}

func (w *Want) given() *Layout {
	if w.Given == nil {
		return &Layout{}
	}
	return w.Given
}

// At gives the column of a field, -1 where there is none.
func (m *Mapping) At(f Field) int {
	for _, c := range m.Columns {
		if c.Field == f {
			return c.Index
		}
	}
	return -1
}

// Has tells whether the field comes in, from a column or worked out.
func (m *Mapping) Has(f Field) bool { return m.sources[f] != nil }

// Named tells whether the field's column goes by the field's own name, as in quantity.
func (m *Mapping) Named(f Field) bool { return squeeze(m.header(f)) == squeeze(string(f)) }

// header is what stands in the first row of a worked-out or file column of the field, for messages.
func (m *Mapping) header(f Field) string {
	if at := m.At(f); at >= 0 {
		return m.Columns[at].Header
	}
	return string(f)
}

// Given is the layout in force: what was settled, over the saved layout that the file was recognised by.
func (m *Mapping) Given(given *Layout) *Layout {
	if given == nil {
		given = &Layout{}
	}
	if m.Layout != nil {
		return given.Over(m.Layout)
	}
	return given
}

// find gives the column that a choice is about, -1 where the file has none.
func (m *Mapping) find(c *Choice) int {
	if c.Header != "" && !m.NoHeader {
		at := -1
		for i := range m.Columns {
			if code.Trim(m.Columns[i].Header) == c.Header && (at < 0 || tabular.ColumnName(i) == c.Column) {
				at = i
			}
		}
		if at < 0 {
			for i := range m.Columns {
				if at < 0 && squeeze(m.Columns[i].Header) == squeeze(c.Header) {
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
func (m *Mapping) apply(given *Layout, layout bool) {
	why := "chosen by hand"
	for n := range given.Columns {
		c := &given.Columns[n]
		if m.Layout != nil && n < len(m.Layout.Columns) {
			why = fmt.Sprintf("as in the layout %q", m.Layout.Name)
		} else {
			why = "chosen by hand"
		}
		if _, attribute := c.Field.Attribute(); c.Field != "" && c.Field != PassedOver && !attribute && spec(m.Kind, c.Field) == nil {
			continue // a field of another kind
		}
		if c.worked() {
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
			if f == PassedOver {
				f = ""
			}
			if f != "" {
				m.free(f, "its field was given to another column")
				m.Worked = slices.DeleteFunc(m.Worked, func(w Worked) bool { return w.Field == f })
			}
			x.Field, x.Why, x.settled, x.weak = f, why, true, false
		}
		x.choice.merge(c)
	}
}

func (m *Mapping) free(f Field, why string) {
	for i := range m.Columns {
		if c := &m.Columns[i]; c.Field == f {
			c.Field, c.Why, c.settled = "", why, true
		}
	}
}

// Heads are the headers as they are compared, by which sheets of one shape are told.
func (m *Mapping) Heads() (out []string) {
	for i := range m.Columns {
		out = append(out, squeeze(m.Columns[i].Header))
	}
	return out
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

// transfers tells whether the rows say from where to where something was moved.
func (m *Mapping) transfers() bool {
	return m.Has(FromHouse) || m.Has(FromBin) || m.Has(ToHouse) || m.Has(ToBin)
}

// called gives the column that a formula calls by its header or its letter, -1 where there is none.
func (m *Mapping) called(name string) int {
	at := m.find(&Choice{Header: name, Column: name})
	if at < 0 && len(name) <= 2 {
		at = m.find(&Choice{Column: name})
	}
	return at
}
