package layout

import (
	"bytes"
	"context"
	"encoding/json"
	"slices"
	"strings"
	"time"

	"wobin/internal/core/code"
	"wobin/internal/core/stock"
	"wobin/internal/core/tabular"
)

// Reading says how a file is read.
type Reading struct {
	Zone     *time.Location               // of times without an offset
	Context  context.Context              // ends the reading early; nil for none
	Progress func(rows int, part float64) // called now and then; nil for none
	Known    *Known                       // what the records know; nil: codes are taken as they are
	Layout   *Layout                      // what was settled; nil for nothing
	// Lead gives the SKU of the item that something else identifies, where Known does not; nil: what identifies it
	// stands for the SKU.
	Lead  func(by Field, text string) (sku string, many bool)
	Mends Mends // cells put right by hand
	// Halves: a large text of recorded stock is read from its beginning and from its middle at the same time.
	Halves bool
	// UnitsAsGiven: units are carried along and not compared, where files are held against each other as they stand.
	UnitsAsGiven bool
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

// reading reads a file by the forms that its sample told, and once more where all its values tell otherwise.
func reading[T any](f *tabular.File, m *Mapping, p *Problems, read func(p *Problems) (T, error)) (T, error) {
	for first := true; ; first = false {
		q := &Problems{Most: p.Most}
		m.begin()
		out, err := read(q)
		if err == nil && m.decide(f) && first {
			continue
		}
		p.Append(q)
		return out, err
	}
}

// begin forgets what an earlier reading noted.
func (m *Mapping) begin() {
	m.aside, m.textRow = map[string]*Aside{}, 0
	m.namer, m.namerHead = m.sources[m.Identity], -1
	if m.Kind == Places {
		m.namer = m.sources[Warehouse]
	}
	if m.namer != nil && m.namer.column >= 0 && !m.NoHeader {
		m.namerHead = len(code.Trim(m.Columns[m.namer.column].Header))
	}
	for _, s := range m.sources {
		s.votes, s.dayVotes, s.read = evidence{}, dateEvidence{}, false
	}
}

// table reads the rows below the header and calls row for each; cells c holds them. expect
// is told about how many there will be, where they are many. It gives the number of rows.
func (r Reading) table(f *tabular.File, m *Mapping, p *Problems, expect func(rows int), row func(c *cells)) (int, error) {
	rows, err := f.Rows(m.Sheet)
	if err != nil {
		return 0, err
	}
	defer rows.Close()
	w := r.walk(f, m, p, rows)
	err = w.on(expect, row)
	return w.count, err
}

// walk goes over the rows below the header.
type walk struct {
	r     Reading
	m     *Mapping
	rows  *tabular.Rows
	c     *cells
	last  [][]byte // what the columns filled down had last
	in    [][]byte // what holds in the block in hand
	turn  [][]byte // the row in hand for one of its places across
	count int
}

func (r Reading) walk(f *tabular.File, m *Mapping, p *Problems, rows *tabular.Rows) *walk {
	if r.Context == nil {
		r.Context = context.Background()
	}
	w := &walk{r: r, m: m, rows: rows, c: &cells{m: m, file: f.Name, problems: p, known: r.Known}, last: make([][]byte, len(m.fill))}
	for _, b := range m.block {
		w.in = append(w.in, []byte(b.before))
	}
	return w
}

// on goes on to the end of the rows.
func (w *walk) on(expect func(rows int), row func(c *cells)) error {
	m, c := w.m, w.c
	for {
		n, in, ok := w.rows.Next()
		if !ok {
			return w.rows.Err()
		}
		c.row, c.cells, c.kinds = n, in, w.rows.Kinds()
		if c.row <= m.HeaderRow {
			continue
		}
		if m.Part { // it was written for people: what a spreadsheet program would run was marked as text
			for i := range c.cells {
				c.cells[i] = tabular.Unsafe(c.cells[i])
			}
		}
		if m.leaveHidden && w.rows.Hidden() {
			m.note(hiddenRows, c.row)
			continue
		}
		if w.r.Mends[c.row] != nil {
			c.cells = w.r.Mends.mended(c.row, c.cells, c.kinds)
		}
		if blank(c.cells) {
			continue
		}
		c.bad, c.failed = false, c.failed[:0]
		aside := len(m.block) > 0 && w.headsBlock() || c.pass()
		for i, at := range m.fill {
			if at < len(c.cells) && len(trimmed(c.cells[at])) > 0 {
				w.last[i] = slices.Clone(c.cells[at])
			} else if !aside {
				for at >= len(c.cells) {
					c.cells = append(c.cells, nil)
				}
				c.cells[at] = w.last[i]
			}
		}
		if aside {
			continue
		}
		if !c.fits() {
			w.count++
			continue
		}
		w.inBlock()
		if m.filter != nil {
			take, err := m.filter.formula.True(labelled{c, m.filter.labels})
			if err != nil {
				c.wrong("", "formula", nil, "the row filter cannot be worked out: %v", err)
				w.count++
				continue
			}
			if !take {
				m.note(filtered, c.row)
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
			if w.r.Progress != nil {
				w.r.Progress(w.count, w.rows.Progress())
			}
			if err := w.r.Context.Err(); err != nil {
				return err
			}
		}
	}
}

func blank(cells [][]byte) bool {
	for _, c := range cells {
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

// keySources are the sources of a key's parts, and of what else may name the item.
type keySources struct {
	parts  [stock.Parts]*Source
	others []*Source
	by     Field // what identifies the item
}

var keyFields = [stock.Parts]Field{Warehouse, Bin, SKU, Lot, Serial, Holding}

func keysOf(m *Mapping) (k keySources) {
	for p, f := range keyFields {
		k.parts[p] = m.sources[f]
	}
	if k.by = m.Identity; k.by != SKU {
		k.parts[stock.SKU] = m.sources[k.by]
	}
	for _, f := range []Field{FurtherSKU, Barcode, ItemID} {
		if f != k.by && m.sources[f] != nil && k.by == SKU {
			k.others = append(k.others, m.sources[f])
		}
	}
	return k
}

// Kinds of texts of a key that are asked about, and what is said of them.
const (
	nothing   = "word for nothing"
	severalIn = "several in one cell"
)

var oddities = map[string]string{
	nothing:   "%q may stand for nothing. Say that it does, or that it is a code",
	severalIn: "%q holds several codes in one cell. Give each its own row with its own figure, or say that it is one code",
}

// look notes a text of a key that may be no code, or several.
func (c *cells) look(p stock.Part, id stock.ID, b []byte) {
	why := ""
	switch {
	case c.m.Has(RowCode): // it proves the line
		return
	case len(b) > 2 && len(b) < 12 && nothingWord(b):
		why = nothing
	case bytes.Contains(b, []byte(", ")), bytes.IndexByte(b, ';') > 0, bytes.IndexByte(b, '\n') > 0:
		parts := strings.FieldsFunc(strings.ReplaceAll(string(b), ", ", ";"), func(r rune) bool { return r == ';' || r == '\n' })
		if _, is := c.known.Set(keyFields[p]).Find(string(b)); len(parts) > 1 && !is {
			why = severalIn
		}
	}
	if why == "" || c.m.meant[Match{Field: keyFields[p], From: string(b), Do: "new"}] {
		return
	}
	if c.odd[p] == nil {
		c.odd[p] = map[stock.ID]string{}
	}
	c.odd[p][id] = why
}

// nothingWord tells whether a text is one that programs write for nothing.
func nothingWord(b []byte) bool {
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
						b = markAlternate(o.spec.Field, b)
						break
					}
				}
			} else if at.by != SKU {
				b = markAlternate(at.by, b)
			}
		}
		if c.known == nil { // codes are taken as they are
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
			c.wrong(keyFields[p], why, b, oddities[why], short(b))
		}
	}
	if k[stock.SKU] == 0 && (c.m.Kind != Counts || len(c.get(c.m.sources[RowCode])) == 0) {
		c.wrong(SKU, "empty", nil, "is empty. Every row names its item")
	}
	return k
}

// attribute is a column that is kept as it is.
type attribute struct {
	name   string
	source *Source
}

// attributes lists the columns that are kept, of the item or of the line, by name.
func (m *Mapping) attributes(of string) (out []attribute) {
	for f, s := range m.sources {
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
