// Package layout is what is settled about a file, and saved: which column is which field, in what form, what values stand for, and what is
// done with the rest. It knows nothing of the file itself.
package layout

import (
	"bytes"
	"encoding/json"
	"fmt"
	"reflect"
	"slices"
	"strings"

	"wobin/internal/core/code"
	"wobin/internal/core/field"
	"wobin/internal/core/form"
	"wobin/internal/core/formula"
	"wobin/internal/core/known"
)

// Across says that a table has items down and places across: each of its columns becomes lines of its own.
type Across struct {
	Place   field.Field    `json:"place" enum:"warehouse,zone,bin" doc:"what the columns are"`
	Columns []AcrossColumn `json:"columns"`
}

// AcrossColumn is the figures of one place.
type AcrossColumn struct {
	Column string      `json:"column,omitempty" doc:"the column's letter; it counts where no header is given"`
	Header string      `json:"header,omitempty"`
	Name   string      `json:"name" doc:"the place"`
	Field  field.Field `json:"field,omitempty" doc:"what the figures are; left out: the quantity"`
}

// SchemaName is what a layout written as JSON names as its schema.
const SchemaName = "layout.schema.json"

// Layout describes a file: which column is which field, and in what form. It may be sparse: what it leaves out is
// found out from the file. So the same type says what a person settled about one file, and, filled in, how all
// files of that shape are read.
type Layout struct {
	Schema     string      `json:"$schema,omitempty"`
	Name       string      `json:"name,omitempty" maxLength:"120"`
	Kind       field.Kind  `json:"kind,omitempty" enum:"stock,items,movements,counts,places," doc:"what the file is about"`
	Delimiter  string      `json:"delimiter,omitempty" maxLength:"4" doc:"the sign between cells of delimited text"`
	Encoding   string      `json:"encoding,omitempty" doc:"how letters stand in bytes, such as UTF-8 or Windows-1252"`
	Sheet      string      `json:"sheet,omitempty" doc:"the name of a workbook's sheet; left out: the one whose header fits"`
	Header     int         `json:"header,omitempty" doc:"the row of the header; -1: there is none; left out: it is looked for"`
	HeaderRows int         `json:"header_rows,omitempty" minimum:"0" maximum:"4" doc:"how many rows the header has; left out: it is found out"`
	Headers    []string    `json:"headers,omitempty" doc:"the whole header row, by which a file of the same shape is known"`
	Columns    []Choice    `json:"columns,omitempty"`
	Across     *Across     `json:"across,omitempty" doc:"items stand down and places across: each of these columns becomes lines of its own"`
	Filter     string      `json:"filter,omitempty" maxLength:"4000" doc:"a formula that is true for the rows to be taken"`
	Identify   field.Field `json:"identify,omitempty" doc:"the field that identifies the item; left out: SKU where there is one"`
	Matches    []Match     `json:"matches,omitempty" doc:"what values that the records do not know stand for"`
	Repairs    []Repair    `json:"repairs,omitempty" doc:"damage that is repaired wherever only one original is possible"`
	Aside      string      `json:"aside,omitempty" enum:"pass,take," doc:"rows that read as totals, notes and repeated headers: passed over, or taken as lines"`
	Hidden     string      `json:"hidden,omitempty" enum:"take,leave," doc:"rows that are hidden in a workbook: taken like the others, or left out"`
	RowCodes   string      `json:"row_codes,omitempty" enum:"prove," doc:"counts: the row codes prove the lines, where SKUs, bins and lots beside them are damaged"`
	Serials    string      `json:"serials,omitempty" enum:"refuse,split," doc:"cells that hold several serials: refused, or each becomes a line of its own with one piece, where there are as many as the quantity"`
	Short      string      `json:"short,omitempty" enum:"refuse,empty," doc:"rows with fewer cells than the others: refused, or what they lack are their last cells, which are empty"`
	Parted     string      `json:"parted,omitempty" enum:"refuse,join," doc:"rows with cells beyond the header: refused, or the two parts of a number that is not in quotes put together where one way is possible"`
	Rows       string      `json:"rows,omitempty" enum:"both,add,change," doc:"which rows are taken: new ones and changes, only new ones, only changes"`
	Extent     string      `json:"extent,omitempty" enum:"whole,only," doc:"stock: the whole stock of its warehouses, or only the lines in it"`
	Quantity   string      `json:"quantity,omitempty" enum:"replace,add,take," doc:"stock: its quantities replace, are added to, or are taken from what is there"`
	Doubles    string      `json:"doubles,omitempty" enum:"refuse,sum,keep,skip," doc:"several rows alike; stock, of one key: refused or summed; movements of one reference, item, quantity and time, and counts without row codes that are equal in everything: refused, kept each for itself, or the later ones left out"`
	Breaks     string      `json:"breaks,omitempty" enum:"refuse,keep," doc:"cells of delimited text that hold what reads as several rows, as where a quotation mark is left open: refused, or kept as texts of several lines"`
	Odd        string      `json:"odd,omitempty" enum:"refuse,keep," doc:"codes that hardly are what they seem to be (other hyphens, signs that are not seen, letters of two alphabets, ditto marks, several bins, exponents): refused, or right as they stand"`
	Describes  string      `json:"describes,omitempty" enum:"refuse,first," doc:"stock: items that rows describe in two ways: the later rows are refused, or the first description holds"`
	NewItems   string      `json:"new_items,omitempty" enum:"make,skip,refuse," doc:"stock: items that are not known"`
	Codes      string      `json:"codes,omitempty" maxLength:"60" doc:"new items that are known by name alone: the pattern of the codes that are made for them; {name} is the letters and digits of the name, {n} a number"`
}

// Choice is what is settled about one column, or about a field that is worked out.
type Choice struct {
	Column  string      `json:"column,omitempty" doc:"the column's letter; it counts where no header is given"`
	Header  string      `json:"header,omitempty" doc:"the column's header"`
	Field   field.Field `json:"field,omitempty" doc:"a field of the kind, line.NAME or item.NAME for an attribute, or - to pass the column over"`
	Formula string      `json:"formula,omitempty" maxLength:"4000" doc:"in place of a column: a formula over others, named by their headers in single quotes"`
	Fixed   string      `json:"fixed,omitempty" maxLength:"1000" doc:"in place of a column: the same value in every row"`
	Default string      `json:"default,omitempty" maxLength:"1000" doc:"the value of empty cells"`
	Fill    string      `json:"fill,omitempty" enum:"down,as is," doc:"down: an empty cell has the value of the row above"`
	Nothing []string    `json:"nothing,omitempty" doc:"texts that stand for an empty cell"`
	Empty   string      `json:"empty,omitempty" enum:"leave,clear," doc:"what an empty cell does to a value that is there"`
	form.Numbers
	form.Dates
}

// Match says what a value stands for.
type Match struct {
	Field field.Field `json:"field"`
	From  string      `json:"from" doc:"the value in the file"`
	Do    string      `json:"do" enum:"match,new,skip" doc:"match: it is the value in to; new: it is right as it is; skip: its rows are left out"`
	To    string      `json:"to,omitempty"`
}

// Repair lets a kind of damage be repaired in a field.
type Repair struct {
	Field  field.Field  `json:"field"`
	Damage known.Damage `json:"damage"`
	Way    string       `json:"way,omitempty" enum:"day first,month first," doc:"codes that turned into dates: where several originals are possible, the one that was read this way"`
}

// Decode reads a layout from JSON, refusing what no layout has. It errs with a sentence.
func Decode(b []byte) (*Layout, error) {
	l := &Layout{}
	d := json.NewDecoder(bytes.NewReader(b))
	d.DisallowUnknownFields()
	if err := d.Decode(l); err != nil {
		return nil, fmt.Errorf("it is no layout: %w", err)
	}
	return l, l.Valid()
}

// Valid tells what is wrong with a layout, whatever file it is for: unknown words, fields of other kinds, formulas
// that cannot be read.
func (l *Layout) Valid() error {
	oneOf := func(name, value string, words ...string) error {
		if value != "" && !slices.Contains(words, value) {
			return fmt.Errorf("%s: %q is none of %s", name, value, strings.Join(words, ", "))
		}
		return nil
	}
	if l.Kind != "" && !slices.Contains(field.Kinds, l.Kind) {
		return fmt.Errorf("kind: %q is none of places, items, stock, movements and counts", l.Kind)
	}
	for _, mode := range l.modes() {
		if err := oneOf(mode.name, *mode.say, mode.words...); err != nil {
			return err
		}
	}
	if l.Codes != "" && !strings.Contains(l.Codes, "{name}") && !strings.Contains(l.Codes, "{n}") {
		return fmt.Errorf("codes: %q has neither {name} nor {n} in it, so all items would have one code", l.Codes)
	}
	if l.Filtered() != "" {
		if _, err := formula.Parse(l.Filter); err != nil {
			return fmt.Errorf("filter: %w", err)
		}
	}
	for i := range l.Columns {
		c := &l.Columns[i]
		name := c.name()
		for _, err := range []error{oneOf(name+": decimal", c.Decimal, ".", ","), oneOf(name+": order", c.Order, "ymd", "dmy", "mdy"),
			oneOf(name+": parts", c.Parts, "whole", "add"), oneOf(name+": epoch", c.Epoch, "s", "ms"), oneOf(name+": fill", c.Fill, "down", "as is"), oneOf(name+": empty", c.Empty, "leave", "clear")} {
			if err != nil {
				return err
			}
		}
		if c.Time != "" {
			if _, _, _, ok := form.ReadClock(c.Time); !ok {
				return fmt.Errorf("%s: time: %q is no time of day such as 06:00 or 24:00", name, c.Time)
			}
		}
		if _, attribute := c.Field.Attribute(); l.Kind != "" && c.Field != "" && c.Field != field.PassedOver && !attribute &&
			field.SpecOf(l.Kind, c.Field) == nil {
			return fmt.Errorf("%s: a %s file has no field %q", name, l.Kind, c.Field)
		}
		if c.Formula != "" {
			if _, err := formula.Parse(c.Formula); err != nil {
				return fmt.Errorf("%s: formula: %w", name, err)
			}
		}
		if (c.Formula != "" || c.Fixed != "") && (c.Field == "" || c.Field == field.PassedOver) {
			return fmt.Errorf("%s: a worked-out column needs a field", name)
		}
	}
	for _, m := range l.Matches {
		if err := oneOf("matches: do", m.Do, "match", "new", "skip"); err != nil || m.Do == "" {
			return fmt.Errorf("matches: %q is none of match, new and skip", m.Do)
		}
	}
	return nil
}

// Idle tells whether the choice settles nothing.
func (c *Choice) Idle() bool {
	says := *c
	says.Column, says.Header = "", ""
	return reflect.ValueOf(says).IsZero()
}

func (c *Choice) name() string {
	switch {
	case c.Header != "":
		return fmt.Sprintf("column %q", c.Header)
	case c.Column != "":
		return "column " + c.Column
	}
	return fmt.Sprintf("field %q", c.Field)
}

// Worked tells whether the choice is a field that is worked out.
func (c *Choice) Worked() bool { return c.Formula != "" || c.Fixed != "" }

// Fits tells how well a header row is of a layout's shape, from 0 (not at all) to 1 (the same headers, whatever their
// order). Every column that the layout uses must be there.
func (l *Layout) Fits(headers []string) float64 {
	if l.Header < 0 {
		return 0
	}
	have := map[string]bool{}
	for _, h := range headers {
		if w := field.Squeeze(h); w != "" {
			have[w] = true
		}
	}
	for i := range l.Columns {
		if c := &l.Columns[i]; c.Header != "" && c.Field != field.PassedOver && !have[field.Squeeze(c.Header)] {
			return 0
		}
	}
	both, all := 0, len(have)
	seen := map[string]bool{}
	for _, h := range l.Headers {
		w := field.Squeeze(h)
		if w == "" || seen[w] {
			continue
		}
		if seen[w] = true; have[w] {
			both++
		} else {
			all++
		}
	}
	if all == 0 {
		return 0
	}
	return float64(both) / float64(all)
}

// Settle lays a further answer over what was settled before. An answer about a column goes with earlier ones about the
// same column; a worked-out field whose formula and fixed text are both empty is taken back; a filter of a single space
// is none.
func (l *Layout) Settle(more *Layout) {
	if more.Kind != "" && more.Kind != l.Kind {
		l.Kind, l.Columns, l.Identify = more.Kind, nil, "" // fields of another kind
	}
	if more.Header != 0 && more.Header != l.Header {
		l.Header, l.Columns = more.Header, nil
	}
	l.lay(more)
	l.Columns = slices.Clone(l.Columns)
	for i := range more.Columns {
		c := more.Columns[i]
		if c.Column == "" && c.Header == "" {
			l.Columns = slices.DeleteFunc(l.Columns, func(x Choice) bool { return x.Worked() && x.Field == c.Field })
			if c.Worked() {
				l.Columns = append(l.Columns, c)
			}
			continue
		}
		at := slices.IndexFunc(l.Columns, func(x Choice) bool { return !x.Worked() && x.Column == c.Column && x.Header == c.Header })
		if at < 0 {
			l.Columns = append(l.Columns, c)
			continue
		}
		if l.Columns[at].Merge(&c); c.Field != "" {
			l.Columns[at].Field = c.Field
			// The latest answer about a field counts, so it stands last.
			x := l.Columns[at]
			l.Columns = append(slices.Delete(l.Columns, at, at+1), x)
		}
	}
	for _, m := range more.Matches {
		l.Matches = slices.DeleteFunc(slices.Clone(l.Matches), func(x Match) bool { return x.Field == m.Field && x.From == m.From })
		if m.Do != "" {
			l.Matches = append(l.Matches, m)
		}
	}
	for _, r := range more.Repairs {
		if !slices.Contains(l.Repairs, r) {
			l.Repairs = append(l.Repairs, r)
		}
	}
}

// mode is one word about the file as a whole.
type mode struct {
	name  string
	say   *string
	words []string // those that it may be
}

// modes are the words about the file as a whole.
func (l *Layout) modes() []mode {
	return []mode{
		{"aside", &l.Aside, []string{"pass", "take"}},
		{"hidden", &l.Hidden, []string{"take", "leave"}},
		{"row_codes", &l.RowCodes, []string{"prove"}},
		{"serials", &l.Serials, []string{"refuse", "split"}},
		{"short", &l.Short, []string{"refuse", "empty"}},
		{"parted", &l.Parted, []string{"refuse", "join"}},
		{"rows", &l.Rows, []string{"both", "add", "change"}},
		{"extent", &l.Extent, []string{"whole", "only"}},
		{"quantity", &l.Quantity, []string{"replace", "add", "take"}},
		{"doubles", &l.Doubles, []string{"refuse", "sum", "keep", "skip"}},
		{"breaks", &l.Breaks, []string{"refuse", "keep"}},
		{"odd", &l.Odd, []string{"refuse", "keep"}},
		{"describes", &l.Describes, []string{"refuse", "first"}},
		{"new_items", &l.NewItems, []string{"make", "skip", "refuse"}},
	}
}

// lay lays what another layout says of the file as a whole over what this one says.
func (l *Layout) lay(more *Layout) {
	theirs := more.modes()
	for i, mine := range l.modes() {
		if say := *theirs[i].say; say != "" {
			*mine.say = code.Trim(say)
		}
	}
	if more.Filter != "" {
		l.Filter = more.Filter
	}
	if more.Codes != "" {
		l.Codes = more.Codes
	}
	if more.Identify != "" {
		l.Identify = more.Identify
	}
	if more.HeaderRows != 0 {
		l.HeaderRows = more.HeaderRows
	}
	if more.Across != nil {
		l.Across = more.Across
	}
}

// Filtered is the formula for the rows to be taken; a filter of a single space takes one out that another layout has.
func (l *Layout) Filtered() string { return code.Trim(l.Filter) }

// Over gives a layout laid over another: what it settles, as by hand, goes before what the other, as a saved one, says.
func (l *Layout) Over(base *Layout) *Layout {
	out := *base
	if l.Kind != "" {
		out.Kind = l.Kind
	}
	out.Header = l.Header // titles come and go
	out.lay(l)
	if l.Kind != "" && base.Kind != "" && l.Kind != base.Kind { // the fields of another kind say nothing here
		out.Columns, out.Identify = slices.Clone(l.Columns), l.Identify
		return &out
	}
	out.Columns = append(slices.Clone(base.Columns), l.Columns...)
	out.Matches = append(slices.Clone(l.Matches), base.Matches...)
	out.Repairs = append(slices.Clone(base.Repairs), l.Repairs...)
	return &out
}

// Merge lays a later choice about the same column over an earlier one.
func (c *Choice) Merge(top *Choice) {
	set := func(into *string, v string) {
		if v != "" {
			*into = v
		}
	}
	set(&c.Default, top.Default)
	set(&c.Fill, top.Fill)
	set(&c.Empty, top.Empty)
	c.Numbers.Merge(&top.Numbers)
	set(&c.Order, top.Order)
	set(&c.Time, top.Time)
	set(&c.Epoch, top.Epoch)
	c.Serial = c.Serial || top.Serial
	c.Nothing = form.Further(c.Nothing, top.Nothing)
}
