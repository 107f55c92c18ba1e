// Package read turns the rows of a table that was recognised into typed records and problems. What one reading votes and notes is its
// own, so that a mapping can be read any number of times, at the same time too.
package read

import (
	"bytes"
	"context"
	"encoding/json"
	"slices"
	"strings"
	"time"

	"wobin/internal/core/column"
	"wobin/internal/core/field"
	"wobin/internal/core/layout"
	"wobin/internal/core/problem"
	"wobin/internal/core/recognise"
	"wobin/internal/core/stock"
	"wobin/internal/core/tabular"
)

// Reading says how a file is read.
type Reading struct {
	Zone     *time.Location               // of times without an offset
	Context  context.Context              // ends the reading early; nil for none
	Progress func(rows int, part float64) // called now and then; nil for none
	Known    *recognise.Known             // what the records know; nil: codes are taken as they are
	Layout   *layout.Layout               // what was settled; nil for nothing
	// Lead gives the SKU of the item that something else identifies, where Known does not; nil: what identifies it
	// stands for the SKU.
	Lead  func(by field.Field, text string) (sku string, many bool)
	Mends Mends // cells put right by hand
	// Halves: a large text of recorded stock is read from its beginning and from its middle at the same time.
	Halves bool
	// Measure gives how many base units one of a unit is for an item, where Known does not.
	Measure func(sku, unit string) (size int64, base string, known bool)
	// RowItem gives the SKU of the line that a row code stands for, "" where it is none; nil: rows name their items themselves.
	RowItem func(rowCode string) (sku string)
	// Example is the row of a template that shows how it is filled in: one that still says just that is refused. Nil for none.
	Example []string
	// UnitsAsGiven: units are carried along and not compared, where files are held against each other as they stand.
	UnitsAsGiven bool
}

// measures gives how units are known.
func (r *Reading) measures() func(sku, unit string) (size int64, base string, known bool) {
	if r.Measure == nil && r.Known != nil {
		return r.Known.Measure
	}
	return r.Measure
}

// Mends are cells that were put right by hand, by row and column (from 0). The file itself stays as it is: a mend
// counts only while the cell still says what it said when it was mended.
type Mends map[int]map[int]Mend

// Mend is one cell put right.
type Mend struct{ Was, Is string }

// mended gives the cells of a row with its mends.
func (x Mends) mended(row int, cells [][]byte, kinds []tabular.CellKind) [][]byte {
	for at, mend := range x[row] {
		for at >= len(cells) {
			cells = append(cells, nil)
		}
		if string(cells[at]) != mend.Was {
			continue
		}
		cells[at] = []byte(mend.Is)
		if at < len(kinds) {
			kinds[at] = tabular.TextCell
		}
	}
	return cells
}

// Told is what reading a file told beside its records.
type Told struct {
	// Mapping is the mapping as all values tell it: the forms of its numbers and dates, and what is asked about them.
	Mapping *recognise.Mapping
	Skipped []Skipped // rows that are no lines
	AsText  int       // rows with cells that are written as ="text", and were read as that text
}

func (t *Told) told() *Told { return t }

// pass is one reading of a file from its beginning to its end: what it reads, and what it notes on the way.
type pass struct {
	Reading
	file      *tabular.File
	m         *recognise.Mapping
	problems  *problem.Problems
	sources   map[field.Field]*reader
	skipped   map[recognise.Skip]*Skipped
	header    int       // the row of the header, 0 where the reading begins below it
	namer     *reader   // the column that names the row's item, by which totals and notes are told from lines
	namerHead []int     // the lengths of what stands in its header
	serials   []*reader // those of the serial and of the quantity, where cells of several serials are parted
	textRow   int       // the row that was noted last for its cells written as ="text"
}

// reader reads the cells of a source, and keeps what they tell of its form.
type reader struct {
	*column.Source
	column.Heard
}

// reading reads a file by the forms that its sample told, and once more where all its values tell otherwise.
func reading[T interface{ told() *Told }](
	r Reading,
	f *tabular.File,
	m *recognise.Mapping,
	p *problem.Problems,
	read func(in *pass) (T, error),
) (T, error) {
	for first := true; ; first = false {
		in := r.pass(f, m, &problem.Problems{Most: p.Most})
		out, err := read(in)
		if err == nil {
			changed := false
			if m, changed = m.Hearing(f, in.heard()); changed && first {
				continue
			}
		}
		p.Append(in.problems)
		t := out.told()
		t.Mapping = m
		t.Skipped, t.AsText = in.told()
		return out, err
	}
}

// pass begins a reading.
func (r Reading) pass(f *tabular.File, m *recognise.Mapping, p *problem.Problems) *pass {
	in := &pass{Reading: r, file: f, m: m, problems: p, header: m.HeaderRow,
		sources: map[field.Field]*reader{}, skipped: map[recognise.Skip]*Skipped{}}
	if in.Context == nil {
		in.Context = context.Background()
	}
	for f, s := range m.Sources {
		in.sources[f] = &reader{Source: s}
	}
	in.namer = in.sources[m.Identity]
	if m.Kind == field.Places {
		in.namer = in.sources[field.Warehouse]
	}
	total := in.sources[field.Quantity]
	if m.Kind == field.Counts {
		total = in.sources[field.Counted]
	}
	if serial := in.sources[field.Serial]; m.Given(r.Layout).Serials == "split" && serial != nil && total != nil &&
		serial.Column >= 0 && total.Column >= 0 {
		in.serials = []*reader{serial, total}
	}
	for _, row := range m.HeadRows {
		if in.namer != nil && in.namer.Column >= 0 && in.namer.Column < len(row) {
			in.namerHead = append(in.namerHead, len(row[in.namer.Column]))
		}
	}
	return in
}

// heard gives what the values told of the forms of their fields.
func (r *pass) heard() map[field.Field]*column.Heard {
	out := map[field.Field]*column.Heard{}
	for f, s := range r.sources {
		out[f] = &s.Heard
	}
	return out
}

// table reads the rows below the header and calls row for each; cells c holds them. expect
// is told about how many there will be, where they are many. It gives the number of rows.
func (r *pass) table(expect func(rows int), row func(c *cells)) (int, error) {
	rows, err := r.file.Rows(r.m.Sheet)
	if err != nil {
		return 0, err
	}
	defer rows.Close()
	w := r.walk(rows)
	err = w.on(expect, row)
	return w.count, err
}

// walk goes over the rows below the header.
type walk struct {
	in    *pass
	rows  *tabular.Rows
	c     *cells
	last  [][]byte // what the columns filled down had last
	block [][]byte // what holds in the block in hand
	turn  [][]byte // the row in hand for one of its places across
	count int
}

func (r *pass) walk(rows *tabular.Rows) *walk {
	w := &walk{in: r, rows: rows, c: &cells{in: r}, last: make([][]byte, len(r.m.Fill))}
	for _, b := range r.m.Blocks {
		w.block = append(w.block, []byte(b.Before))
	}
	return w
}

// on goes on to the end of the rows.
func (w *walk) on(expect func(rows int), row func(c *cells)) error {
	r, m, c := w.in, w.in.m, w.c
	for {
		n, in, ok := w.rows.Next()
		if !ok {
			return w.rows.Err()
		}
		c.row, c.Cells, c.Kinds = n, in, w.rows.Kinds()
		if c.row <= r.header {
			continue
		}
		if m.Part { // it was written for people: what a spreadsheet program would run was marked as text
			for i := range c.Cells {
				c.Cells[i] = tabular.Unsafe(c.Cells[i])
			}
		}
		if m.LeaveHidden && w.rows.Hidden() {
			r.note(recognise.Hidden, c.row)
			continue
		}
		if r.Mends[c.row] != nil {
			c.Cells = r.Mends.mended(c.row, c.Cells, c.Kinds)
		}
		if c.Blank() {
			continue
		}
		c.bad, c.failed = false, c.failed[:0]
		aside := len(m.Blocks) > 0 && w.headsBlock() || c.pass()
		for i, at := range m.Fill {
			if at < len(c.Cells) && !m.Nothing(at, column.Trimmed(c.Cells[at])) {
				w.last[i] = slices.Clone(c.Cells[at])
			} else if !aside {
				for at >= len(c.Cells) {
					c.Cells = append(c.Cells, nil)
				}
				c.Cells[at] = w.last[i]
			}
		}
		if aside {
			continue
		}
		if !c.fits() {
			w.count++
			continue
		}
		if r.Example != nil && c.says(r.Example) {
			c.wrong("", "example row", nil, "is the example of the template as it stood. Write over it, or take the row out")
			w.count++
			continue
		}
		w.inBlock()
		if m.Filter != nil {
			take, err := m.Filter.Takes(&c.Row)
			if err != nil {
				c.wrong("", "formula", nil, "the row filter cannot be worked out: %v", err)
				w.count++
				continue
			}
			if !take {
				r.note(recognise.Filtered, c.row)
				continue
			}
		}
		w.each(row)
		if w.count++; w.count == 4096 { // from here on it is worth making room for the rest at once
			if part := w.rows.Progress(); part > 0 && part < 1 {
				expect(int(float64(w.count)/part*1.05) + 64)
			}
		}
		if w.count&0x3fff == 0 {
			if r.Progress != nil {
				r.Progress(w.count, w.rows.Progress())
			}
			if err := r.Context.Err(); err != nil {
				return err
			}
		}
	}
}

// says tells whether the row in hand holds just some texts.
func (c *cells) says(texts []string) bool {
	for i, t := range texts {
		if i >= len(c.Cells) && t != "" || i < len(c.Cells) && string(column.Trimmed(c.Cells[i])) != t {
			return false
		}
	}
	return true
}

// keySources are the sources of a key's parts, and of what else may name the item.
type keySources struct {
	parts  [stock.Parts]*reader
	others []*reader
	by     field.Field // what identifies the item
}

func (r *pass) keys() (k keySources) {
	m := r.m
	for p, f := range recognise.KeyFields {
		k.parts[p] = r.sources[f]
	}
	if k.by = m.Identity; k.by != field.SKU {
		k.parts[stock.SKU] = r.sources[k.by]
	}
	for _, f := range []field.Field{field.FurtherSKU, field.Barcode, field.ItemID} {
		if f != k.by && r.sources[f] != nil && k.by == field.SKU {
			k.others = append(k.others, r.sources[f])
		}
	}
	return k
}

// Kinds of texts of a key that are asked about, and what is said of them.
const (
	WordForNothing = "word for nothing"
	SeveralInOne   = "several in one cell"
	// AnotherSpelling is the kind of problem of a new code that stands elsewhere in the file in small or large letters.
	AnotherSpelling = "another spelling"
)

var oddities = map[string]string{
	WordForNothing: "%q may stand for nothing. Say that it does, or that it is a code",
	SeveralInOne:   "%q holds several codes in one cell. Give each its own row with its own figure, or say that it is one code",
}

// look notes a text of a key that may be no code, or several.
func (c *cells) look(p stock.Part, id stock.ID, b []byte) {
	why := ""
	switch {
	case c.in.m.Has(field.RowCode): // it proves the line
		return
	case len(b) > 2 && len(b) < 12 && NothingWord(b):
		why = WordForNothing
	case bytes.Contains(b, []byte(", ")), bytes.IndexByte(b, ';') > 0, bytes.IndexByte(b, '\n') > 0, p == stock.Serial && bytes.IndexByte(b, ',') > 0:
		parts := severalCodes(b)
		if _, is := c.in.Known.Set(recognise.KeyFields[p]).Find(string(b)); len(parts) > 1 && !is {
			why = SeveralInOne
		}
	}
	if why == "" || c.in.m.Meant[layout.Match{Field: recognise.KeyFields[p], From: string(b), Do: "new"}] {
		return
	}
	if c.odd[p] == nil {
		c.odd[p] = map[stock.ID]string{}
	}
	c.odd[p][id] = why
}

// NothingWord tells whether a text is one that programs write for nothing.
func NothingWord(b []byte) bool {
	switch b[0] | 0x20 {
	case 'n', '<' | 0x20, '(' | 0x20, '[' | 0x20, 'u', 'k', 's', 'g':
		switch strings.ToLower(strings.Trim(string(b), "<>()[]")) {
		case "null", "nil", "none", "n/a", "nan", "n.a.", "undefined", "keine", "sans", "geen":
			return true
		}
	}
	return false
}

func (c *cells) key(at *keySources, codes *stock.Codes) (k stock.Key) {
	for p, s := range at.parts {
		if s == nil {
			continue
		}
		b := c.get(s)
		if stock.Part(p) == stock.SKU {
			if len(b) == 0 {
				for _, o := range at.others {
					if b = c.get(o); len(b) > 0 {
						b = markAlternate(o.Spec.Field, b)
						break
					}
				}
			} else if at.by != field.SKU {
				b = markAlternate(at.by, b)
			}
		}
		if c.in.Known == nil { // codes are taken as they are
			k[p] = codes[p].Intern(b)
			continue
		}
		before := codes[p].Len()
		if k[p] = codes[p].Intern(b); codes[p].Len() > before { // each text is looked at once
			c.look(stock.Part(p), k[p], b)
		}
		if c.odd[p] == nil {
			continue
		}
		if why := c.odd[p][k[p]]; why != "" {
			c.wrong(recognise.KeyFields[p], why, b, oddities[why], problem.Short(b))
		}
	}
	if k[stock.SKU] == 0 && (c.in.m.Kind != field.Counts || len(c.get(c.in.sources[field.RowCode])) == 0) {
		c.wrong(field.SKU, "empty", nil, "is empty. Every row names its item")
	}
	return k
}

// attribute is a column that is kept as it is.
type attribute struct {
	name   string
	source *reader
}

// attributes lists the columns that are kept, of the item or of the line, by name.
func (r *pass) attributes(of string) (out []attribute) {
	for f, s := range r.sources {
		if name, ok := strings.CutPrefix(string(f), of); ok {
			out = append(out, attribute{name, s})
		}
	}
	slices.SortFunc(out, func(a, b attribute) int { return strings.Compare(a.name, b.name) })
	return out
}

// kept appends the attributes of the row as a JSON object, names in order; nothing where all are empty.
func (c *cells) kept(b []byte, attributes []attribute) []byte {
	start := len(b)
	for _, a := range attributes {
		v := c.get(a.source)
		if len(v) == 0 {
			continue
		}
		sign := byte(',')
		if len(b) == start {
			sign = '{'
		}
		name, _ := json.Marshal(a.name)
		value, _ := json.Marshal(string(v))
		b = append(append(append(append(b, sign), name...), ':'), value...)
	}
	if len(b) > start {
		b = append(b, '}')
	}
	return b
}
