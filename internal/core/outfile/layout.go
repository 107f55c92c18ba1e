// Package outfile describes the files that a record system takes in, as a layout, and writes adjustment lines as it says: delimited text
// in any form, or workbooks. What a layout cannot say of a line is a problem with a remedy, and nothing is written; nothing is ever cut.
// The package knows nothing of counts or of what was decided.
package outfile

import (
	"bytes"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"wobin/internal/core/adjust"
	"wobin/internal/core/formula"
	"wobin/internal/core/tabular"
)

// SchemaName is what a layout written as JSON names as its schema.
const SchemaName = "adjustment-layout.schema.json"

// Layout describes the files of a posting.
type Layout struct {
	Schema    string   `json:"$schema,omitempty"`
	Name      string   `json:"name" maxLength:"120"`
	Form      string   `json:"form,omitempty" enum:"text,workbook," doc:"delimited text, or a workbook"`
	Delimiter string   `json:"delimiter,omitempty" maxLength:"1" doc:"of text: the sign between cells; left out: a comma"`
	Quotes    string   `json:"quotes,omitempty" enum:"needed,always,never," doc:"of text: which cells stand in quotes"`
	Encoding  string   `json:"encoding,omitempty" doc:"of text: how letters stand in bytes, such as UTF-8 or Windows-1252"`
	Mark      bool     `json:"mark,omitempty" doc:"of text in UTF-8 or UTF-16: a byte order mark stands in front"`
	LineEnd   string   `json:"line_end,omitempty" enum:"lf,crlf,"`
	OpenEnd   bool     `json:"open_end,omitempty" doc:"the last row has no line end"`
	Sheet     string   `json:"sheet,omitempty" maxLength:"31" doc:"of a workbook: the name of its sheet"`
	Titles    []string `json:"titles,omitempty" maxItems:"20" doc:"rows above the header, a text each"`
	NoHeader  bool     `json:"no_header,omitempty"`
	Columns   []Column `json:"columns" maxItems:"200"`
	Decimal   string   `json:"decimal,omitempty" enum:"point,comma," doc:"the sign before decimals"`
	// Transfers says what becomes of two lines that are one transfer: two rows, one row from the one to the other, rows of transfers
	// alone, or no rows.
	Transfers    string   `json:"transfers,omitempty" enum:"two rows,one row,alone,left," doc:"two lines that are one transfer: two rows, one row, nothing but such rows, or left out"`
	Per          []string `json:"per,omitempty" maxItems:"3" doc:"a file for each warehouse, reason, document"`
	DocumentRows int      `json:"document_rows,omitempty" minimum:"0" doc:"the most rows of a document; 0: any"`
	FileRows     int      `json:"file_rows,omitempty" minimum:"0" doc:"the most rows of a file; 0: any"`
	FileName     string   `json:"file_name,omitempty" maxLength:"120" doc:"with {count}, {warehouse}, {reason}, {document}, {reference}, {date} and {part} in it"`
}

// Column is one column of a file out. It holds a field, a formula over fields, or the same text in every row.
type Column struct {
	Header  string `json:"header"`
	Field   Field  `json:"field,omitempty"`
	Formula string `json:"formula,omitempty" maxLength:"4000" doc:"in place of a field: a formula over fields, named in single quotes: 'difference' * -1"`
	Fixed   string `json:"fixed,omitempty" maxLength:"1000" doc:"in place of a field: the same text in every row"`

	Decimal string            `json:"decimal,omitempty" enum:"point,comma," doc:"in place of the layout's own"`
	Places  *int              `json:"places,omitempty" minimum:"0" maximum:"6" doc:"so many decimals, no more and no fewer; left out: as many as there are"`
	Plus    bool              `json:"plus,omitempty" doc:"numbers above zero have a plus sign"`
	Minus   string            `json:"minus,omitempty" enum:"front,behind,brackets,"`
	Pack    string            `json:"pack,omitempty" maxLength:"40" doc:"the quantity in packs of this name, in place of base units"`
	Date    string            `json:"date,omitempty" maxLength:"60" doc:"with YYYY, YY, MM, DD, hh, mm and ss in it; left out: as RFC 3339"`
	Empty   string            `json:"empty,omitempty" maxLength:"40" doc:"what stands where there is nothing"`
	Needed  bool              `json:"needed,omitempty" doc:"a line that has nothing here is refused"`
	Longest int               `json:"longest,omitempty" minimum:"0" doc:"the most characters; a longer text is refused, never cut"`
	Cell    string            `json:"cell,omitempty" enum:"text,number,date," doc:"of a workbook: what its cells are"`
	Values  map[string]string `json:"values,omitempty" doc:"what is written in the place of values"`
}

// Decode reads a layout from JSON, refusing what no layout has. It errs with a sentence.
func Decode(b []byte) (*Layout, error) {
	l := &Layout{}
	d := json.NewDecoder(bytes.NewReader(b))
	d.DisallowUnknownFields()
	if err := d.Decode(l); err != nil {
		return nil, fmt.Errorf("it is no adjustment layout: %w", err)
	}
	return l, l.Valid()
}

// Valid tells what is wrong with a layout, whatever lines it is for. It errs with a sentence.
func (l *Layout) Valid() error {
	oneOf := func(name, value string, words ...string) error {
		if value != "" && !slices.Contains(words, value) {
			return fmt.Errorf("%s: %q is none of %s", name, value, strings.Join(words, ", "))
		}
		return nil
	}
	for _, x := range []struct {
		name, value string
		words       []string
	}{
		{"form", l.Form, []string{"text", "workbook"}}, {"quotes", l.Quotes, []string{"needed", "always", "never"}},
		{"line_end", l.LineEnd, []string{"lf", "crlf"}}, {"decimal", l.Decimal, []string{"point", "comma"}},
		{"transfers", l.Transfers, []string{"two rows", "one row", "alone", "left"}},
	} {
		if err := oneOf(x.name, x.value, x.words...); err != nil {
			return err
		}
	}
	if l.Encoding != "" && !slices.Contains(tabular.Encodings(), tabular.Encoding(l.Encoding)) {
		return fmt.Errorf("encoding: %q is not known", l.Encoding)
	}
	if len(l.Delimiter) > 1 || strings.ContainsAny(l.Delimiter, "\"\r\n") || l.Delimiter == l.decimal(nil) && l.quotes() == "never" {
		return fmt.Errorf("delimiter: %q cannot stand between cells", l.Delimiter)
	}
	for _, p := range l.Per {
		if err := oneOf("per", p, "warehouse", "reason", "document"); err != nil {
			return err
		}
	}
	if l.DocumentRows < 0 || l.FileRows < 0 {
		return fmt.Errorf("the most rows are not below zero")
	}
	if strings.ContainsAny(l.Sheet, `:\/?*[]`) || len([]rune(l.Sheet)) > 31 {
		return fmt.Errorf(`sheet: %q is no name of a sheet: it has at most 31 characters, and none of : \ / ? * [ ]`, l.Sheet)
	}
	if len(l.Columns) == 0 {
		return fmt.Errorf("there is no column yet")
	}
	identified, quantified := false, false
	for n := range l.Columns {
		c := &l.Columns[n]
		identifies, quantifies, err := c.valid()
		if err != nil {
			return fmt.Errorf("column %d, %s: %w", n+1, c.Header, err)
		}
		identified, quantified = identified || identifies, quantified || quantifies
	}
	switch {
	case !identified:
		return fmt.Errorf("no column names the item: add one with its SKU, a further SKU, its barcode, its description or the record's id")
	case !quantified:
		return fmt.Errorf("no column says how much: add one with the difference, in and out, the new balance or what was counted")
	case l.has(QuantityIn) != l.has(QuantityOut):
		return fmt.Errorf("quantity in and quantity out go together: add the other one, or take the difference")
	case l.has(Amount) && !l.has(Direction):
		return fmt.Errorf("the amount has no sign: add a column with the direction, or take the difference")
	case (l.Transfers == "one row" || l.Transfers == "alone") && !l.has(ToBin):
		return fmt.Errorf("a transfer in one row says where it goes: add a column with the bin that it goes to")
	case (l.Transfers == "one row" || l.Transfers == "alone") && (l.has(Balance) || l.has(Counted)):
		return fmt.Errorf("a transfer in one row says what goes over: take the difference or the amount, not a balance or what was counted")
	}
	return nil
}

// has tells whether a column holds a field, or a formula that asks for it.
func (l *Layout) has(f Field) bool {
	return slices.ContainsFunc(l.Columns, func(c Column) bool { return slices.Contains(c.asks(), f) })
}

// AsksAttributes tells whether a column asks for an attribute of a kind: field.LineAttribute or field.ItemAttribute.
func (l *Layout) AsksAttributes(of string) bool {
	return slices.ContainsFunc(l.Columns, func(c Column) bool {
		return slices.ContainsFunc(c.asks(), func(f Field) bool { return strings.HasPrefix(string(f), of) })
	})
}

// asks gives the fields that a column asks for.
func (c *Column) asks() (out []Field) {
	if c.Field != "" {
		return []Field{c.Field}
	}
	if c.Formula == "" {
		return nil
	}
	f, err := formula.Parse(c.Formula)
	if err != nil {
		return nil
	}
	for _, label := range f.Labels {
		out = append(out, named(label))
	}
	return out
}

func (c *Column) valid() (identifies, quantifies bool, err error) {
	if n := len(c.Field) > 0; (n && (c.Formula != "" || c.Fixed != "")) || c.Formula != "" && c.Fixed != "" {
		return false, false, fmt.Errorf("it holds a field, a formula or a fixed text, not several of them")
	}
	if c.Formula != "" {
		f, err := formula.Parse(c.Formula)
		if err != nil {
			return false, false, fmt.Errorf("the formula cannot be read: %w", err)
		}
		for _, label := range f.Labels {
			if named(label) == "" {
				return false, false, fmt.Errorf("the formula names %q, which is no field", label)
			}
		}
	}
	if c.Field != "" && SpecOf(c.Field) == nil {
		return false, false, fmt.Errorf("%q is no field", c.Field)
	}
	for _, f := range c.asks() {
		s := SpecOf(f)
		identifies, quantifies = identifies || s.Identifies, quantifies || s.Quantifies
	}
	if c.Places != nil && (*c.Places < 0 || *c.Places > 6) {
		return false, false, fmt.Errorf("a number has 0 to 6 decimals")
	}
	if c.Longest < 0 {
		return false, false, fmt.Errorf("the longest text is not below zero")
	}
	for _, x := range [][]string{{"decimal", c.Decimal, "point", "comma"}, {"minus", c.Minus, "front", "behind", "brackets"},
		{"cell", c.Cell, "text", "number", "date"}} {
		if x[1] != "" && !slices.Contains(x[2:], x[1]) {
			return false, false, fmt.Errorf("%s: %q is none of %s", x[0], x[1], strings.Join(x[2:], ", "))
		}
	}
	if _, err := datePattern(c.Date); err != nil {
		return false, false, err
	}
	return identifies, quantifies, nil
}

func (l *Layout) delimiter() byte {
	if l.Delimiter == "" {
		return ','
	}
	return l.Delimiter[0]
}

func (l *Layout) quotes() string {
	if l.Quotes == "" {
		return "needed"
	}
	return l.Quotes
}

// decimal is the sign before decimals in a column.
func (l *Layout) decimal(c *Column) string {
	sign := l.Decimal
	if c != nil && c.Decimal != "" {
		sign = c.Decimal
	}
	if sign == "comma" {
		return ","
	}
	return "."
}

// Workbook tells whether the files are workbooks.
func (l *Layout) Workbook() bool { return l.Form == "workbook" }

// Mode is what the layout's files say of lines, which decides which lines go out: all that were counted where they say nothing else.
func (l *Layout) Mode() adjust.Mode {
	switch {
	case l.has(Difference) || l.has(Amount):
		return adjust.Difference
	case l.has(QuantityIn):
		return adjust.InOut
	case l.has(Balance):
		return adjust.Balance
	}
	return adjust.Counted
}
