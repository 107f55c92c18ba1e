package layout

import (
	"fmt"
	"slices"
	"strings"

	"wobin/internal/core/code"
	"wobin/internal/core/tabular"
)

// Column is one column of a table and what it was taken for.
type Column struct {
	Index  int    // from 0
	Header string // as the file has it
	Field  Field  // empty where the column is passed over
	Why    string
}

// Mapping is what was made of a table: its kind, its sheet, its header row and its columns.
type Mapping struct {
	Kind      Kind
	Sheet     int
	SheetName string
	HeaderRow int // as a spreadsheet shows it
	Columns   []Column
	Head      map[string]string // what stands above the header as label and value, labels squeezed
	score     int
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

// Has tells whether a column was taken for the field.
func (m *Mapping) Has(f Field) bool { return m.At(f) >= 0 }

// Set takes a column for another field, or for none; whatever had the field before loses it.
func (m *Mapping) Set(index int, f Field) {
	for i := range m.Columns {
		c := &m.Columns[i]
		if c.Index == index {
			c.Field, c.Why = f, "chosen by hand"
		} else if c.Field == f && f != "" {
			c.Field, c.Why = "", "its field was given to another column by hand"
		}
	}
}

const headerSearch = 40 // rows in which the header is looked for

// Recognise finds, among all sheets and the kinds asked for, the header row that fits best. It errs with
// *tabular.Error where the file cannot be read; where no header fits, the mapping of the first sheet says what
// is missing through Check.
func Recognise(f *tabular.File, kinds ...Kind) (*Mapping, error) {
	var best *Mapping
	for s := range f.Sheets {
		m, err := RecogniseSheet(f, s, kinds...)
		if err != nil {
			if len(f.Sheets) > 1 {
				continue
			}
			return nil, err
		}
		if best == nil || m.score > best.score {
			best = m
		}
	}
	if best == nil {
		return nil, &tabular.Error{File: f.Name, Text: "holds no sheet that can be read"}
	}
	return best, nil
}

// RecogniseSheet does the same for one sheet.
func RecogniseSheet(f *tabular.File, sheet int, kinds ...Kind) (*Mapping, error) {
	rows, err := f.Rows(sheet)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var top [][]string
	var numbers []int
	for len(top) < headerSearch {
		n, cells, ok := rows.Next()
		if !ok {
			break
		}
		row := make([]string, len(cells))
		for i, c := range cells {
			row[i] = code.Trim(string(c))
		}
		top, numbers = append(top, row), append(numbers, n)
	}
	if err := rows.Err(); err != nil {
		return nil, err
	}
	best := &Mapping{Kind: kinds[0], Sheet: sheet, SheetName: f.Sheets[sheet], score: -1}
	for i, row := range top {
		for _, k := range kinds {
			m := mapHeaders(k, row)
			if m.score > best.score {
				m.Sheet, m.SheetName, m.HeaderRow = sheet, f.Sheets[sheet], numbers[i]
				m.Head = headOf(top[:i])
				best = m
			}
		}
	}
	return best, nil
}

// headOf reads labels and their values above the header: the cell right of a label that ends in a colon or
// stands alone with it.
func headOf(rows [][]string) map[string]string {
	head := map[string]string{}
	for _, r := range rows {
		var filled []string
		for _, c := range r {
			if c != "" {
				filled = append(filled, c)
			}
		}
		if len(filled) >= 1 {
			label, value := filled[0], ""
			if len(filled) > 1 {
				value = filled[1]
			} else if l, v, ok := strings.Cut(label, ":"); ok {
				label, value = l, code.Trim(v)
			}
			if k := squeeze(label); k != "" && head[k] == "" {
				head[k] = value
			}
		}
	}
	return head
}

func mapHeaders(k Kind, headers []string) *Mapping {
	m := &Mapping{Kind: k}
	taken := map[Field]int{}
	m.Columns = make([]Column, len(headers))
	for i, h := range headers {
		m.Columns[i] = Column{Index: i, Header: h}
	}
	give := func(i int, f Field, why string) {
		m.Columns[i].Field, m.Columns[i].Why = f, why
		taken[f] = i
	}
	// The field's own name goes before other words, and those before weak ones.
	for pass := range 3 {
		for i, h := range headers {
			w := squeeze(h)
			if w == "" || m.Columns[i].Field != "" {
				continue
			}
			for _, s := range catalogue[k] {
				var fits bool
				switch pass {
				case 0:
					fits = w == squeeze(string(s.Field))
				case 1:
					fits = slices.Contains(s.Words, w)
				case 2:
					fits = slices.Contains(s.Weak, w)
				}
				if !fits {
					continue
				}
				if other, gone := taken[s.Field]; gone {
					if m.Columns[i].Why == "" {
						m.Columns[i].Why = fmt.Sprintf("reads as %s too, which was taken from column %s", strings.ToLower(s.Title), tabular.ColumnName(other))
					}
					continue
				}
				if pass == 2 {
					give(i, s.Field, fmt.Sprintf("%q may mean %s, and no other column does", h, strings.ToLower(s.Title)))
				} else {
					give(i, s.Field, fmt.Sprintf("the header %q means %s", h, strings.ToLower(s.Title)))
				}
				break
			}
		}
	}
	for i := range m.Columns {
		if c := &m.Columns[i]; c.Field == "" && c.Why == "" {
			c.Why = "no field goes by this header; passed over"
		}
	}
	for f := range taken {
		m.score += 10
		if s := spec(k, f); s.Required {
			m.score += 35
		} else if f == RowCode || f == Category || f == Nature || f == Barcode || f == Reserved || f == Available || f == Reference {
			m.score += 8 // tells the kinds apart
		}
	}
	if len(taken) < 2 && !(len(taken) == len(headers) && len(taken) > 0) {
		m.score = -1
		if len(taken) == 1 {
			m.score = 1
		}
	}
	return m
}

// Check finds what keeps the mapping from being used: no header, a required column missing.
func (m *Mapping) Check(file string) []Problem {
	at := Problem{File: file, Sheet: m.SheetName}
	if m.HeaderRow == 0 || m.score < 1 && len(m.Columns) == 0 {
		at.Kind, at.Text = "no header", fmt.Sprintf("no row among the first %d reads as the header of a %s file. Give the columns names such as %s", headerSearch, m.Kind, strings.Join(required(m.Kind), ", "))
		return []Problem{at}
	}
	at.Row = m.HeaderRow
	var out []Problem
	for _, s := range catalogue[m.Kind] {
		if !s.Required || m.Has(s.Field) {
			continue
		}
		p := at
		p.Field, p.Kind = s.Field, "column missing"
		p.Text = "no column for it. Name one " + examples(s)
		if s.Field == Quantity && m.Kind == Stock {
			switch av, rs := m.Has(Available), m.Has(Reserved); {
			case av && rs:
				continue // on hand is their sum
			case av:
				p.Text = "no column says what is on hand; \"" + m.Columns[m.At(Available)].Header + "\" is what is left after reservations. Add on hand, or reserved"
			}
		}
		out = append(out, p)
	}
	return out
}

func required(k Kind) (names []string) {
	for _, s := range catalogue[k] {
		if s.Required {
			names = append(names, string(s.Field))
		}
	}
	return names
}

func examples(s Spec) string {
	names := []string{string(s.Field)}
	for _, w := range s.Words {
		if w != squeeze(string(s.Field)) && len(names) < 3 {
			names = append(names, w)
		}
	}
	return strings.Join(names, ", ")
}
