// Package recognise makes out what a table is: its kind, its header row, which column is which field and in what form, and what
// has to be asked. What it hands over, a Mapping, does not change any more; what reading all of its values tells is another Mapping.
package recognise

import (
	"fmt"
	"slices"
	"strings"
	"sync"
	"unicode"

	"wobin/internal/core/code"
	"wobin/internal/core/column"
	"wobin/internal/core/field"
	"wobin/internal/core/formula"
	"wobin/internal/core/layout"
	"wobin/internal/core/problem"
	"wobin/internal/core/stock"
	"wobin/internal/core/tabular"
)

// KeyFields are the fields that the parts of a key come from.
var KeyFields = [stock.Parts]field.Field{field.Warehouse, field.Bin, field.SKU, field.Lot, field.Serial, field.Holding}

const (
	headerSearch = 40    // rows in which the header is looked for
	sampleRows   = 2_000 // rows whose contents decide
	refusedWord  = "whyrefused"
	listWord     = "wobinlist"
)

// WhyRefused is the header of the column that says why a row was refused, in files of refused rows.
const WhyRefused = "Why refused"

// ListHeader is the header of the column that names the list that a file was taken out of, in files that we write of our lists. Such a
// file holds some rows of it.
const ListHeader = "Wobin list"

// Derived are the headers of columns of our lists that are worked out from others, so that no file brings them in.
var Derived = []string{"Value", "Lines", "Lines recorded", "File", "Item", "Recorded", "Moved", "Expected", "Variance", "Status", "Likely cause",
	"Still open", "Decided", "Reason", "Sent", "Description", "Unit", "Unit cost", "Packs", ListHeader}

// derived tells whether a column is one of a list of ours that no file brings in.
func (m *Mapping) derived(i int) bool {
	return m.Listed && m.Columns[i].Field == "" && slices.Contains(Derived, m.Columns[i].Header)
}

// aside tells whether a column is one of those that we add to files ourselves, for people.
func (m *Mapping) aside(i int) bool {
	return field.Squeeze(m.Columns[i].Header) == refusedWord || m.derived(i)
}

// File finds, among all sheets and the kinds asked for, the header row that fits best. It errs with
// *tabular.Error where the file cannot be read; where no header fits, the mapping of the first sheet says what
// is missing through Check.
func File(f *tabular.File, w Want) (*Mapping, error) {
	var best *Mapping
	for s := range f.Sheets {
		if name := w.given().Sheet; name != "" && len(f.Sheets) > 1 && slices.Contains(f.Sheets, name) && f.Sheets[s] != name {
			continue
		}
		m, err := Sheet(f, s, w)
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

// sample is the first rows of a table, as text.
type sample struct {
	rows    [][]string
	numbers []int
	kinds   [][]tabular.CellKind
	whole   bool   // all rows of the table are in it
	hidden  []int  // numbers of rows that are hidden in the workbook
	columns []bool // which columns are hidden in it
	// headings are texts that were compared as headers.
	headings map[string]field.Heading
	gathered map[below]*contents // columns that were gathered
}

// below is a column below a header.
type below struct{ header, at int }

func readSample(f *tabular.File, sheet int) (*sample, error) {
	rows, err := f.Rows(sheet)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	s := &sample{}
	for len(s.rows) < sampleRows+headerSearch {
		n, cells, ok := rows.Next()
		if !ok {
			s.whole = true
			break
		}
		row := make([]string, len(cells))
		for i, c := range cells {
			row[i] = string(column.Trimmed(c))
		}
		s.rows, s.numbers = append(s.rows, row), append(s.numbers, n)
		s.kinds = append(s.kinds, slices.Clone(rows.Kinds()))
		if rows.Hidden() {
			s.hidden = append(s.hidden, n)
		}
	}
	s.columns = rows.HiddenColumns()
	return s, rows.Err()
}

// Sheet does the same for one sheet.
func Sheet(f *tabular.File, sheet int, w Want) (*Mapping, error) {
	if len(w.Kinds) == 0 {
		w.Kinds = field.Kinds
	}
	s, err := readSample(f, sheet)
	if err != nil {
		return nil, err
	}
	best := s.byHeader(w)
	if best.score < 60 && !best.titled() && w.given().Header == 0 || w.given().Header < 0 {
		if m := s.byContent(w, best); m != nil && (w.given().Header < 0 || m.score >= 45 && m.score > best.score) {
			best = m
		}
	}
	if best.NoHeader || best.score < 45 && w.given().Header == 0 {
		if m := s.byColumns(w, best); m != nil {
			best = m
		}
	}
	s.widen(best)
	best.Sheet, best.SheetName = sheet, f.Sheets[sheet]
	best.settle(f, s, w)
	return best, nil
}

// byColumns finds the saved layout of a file without a header whose columns hold what is known to be in them; nil where
// none fits.
func (s *sample) byColumns(w Want, named *Mapping) (best *Mapping) {
	most := 0
	for _, l := range w.Layouts {
		if l.Header >= 0 || !slices.Contains(w.Kinds, l.Kind) || w.given().Kind != "" && w.given().Kind != l.Kind {
			continue
		}
		m := s.byContent(Want{Kinds: []field.Kind{l.Kind}, Known: w.Known, Given: &layout.Layout{Kind: l.Kind, Header: -1}}, named)
		if m == nil {
			continue
		}
		if n := s.agree(m, l); n > most {
			m.score, m.Layout = 1000+n, l
			m.WhyKind = fmt.Sprintf("its columns hold what those of the layout %q do", l.Name)
			best, most = m, n
		}
	}
	return best
}

// agree counts the columns whose contents are known to be what a layout has there; 0 where one is known to be something
// else, is missing, or holds words where the layout has numbers.
func (s *sample) agree(m *Mapping, l *layout.Layout) (n int) {
	for i := range l.Columns {
		c := &l.Columns[i]
		if c.Column == "" || c.Field == "" || c.Field == field.PassedOver || c.Formula != "" {
			continue
		}
		at := slices.IndexFunc(m.Columns, func(x Column) bool { return tabular.ColumnName(x.Index) == c.Column })
		if at < 0 {
			return 0
		}
		sp, is := field.SpecOf(l.Kind, c.Field), m.Columns[at].Field
		switch {
		case is == c.Field:
			n++
		case is != "":
			return 0
		case sp != nil && sp.Form == field.Number:
			for _, row := range s.rows {
				if at < len(row) && row[at] != "" && !strings.ContainsAny(row[at], "0123456789") {
					return 0
				}
			}
		}
	}
	return n
}

// byHeader finds the header row, the kind and the columns by words.
func (s *sample) byHeader(w Want) *Mapping {
	given := w.given()
	kinds := w.Kinds
	if given.Kind != "" {
		kinds = []field.Kind{given.Kind}
	}
	best := &Mapping{Kind: kinds[0], score: -1}
	for i := range s.rows[:min(len(s.rows), headerSearch)] {
		for _, h := range s.headers(i, given.HeaderRows) {
			if given.Header > 0 && s.numbers[h.last] != given.Header && s.numbers[i] != given.Header {
				continue
			}
			if m := s.underHeader(h, w, kinds); m.score > best.score || best.beside(m) {
				best = m
			}
		}
	}
	return best
}

// underHeader makes the best mapping of a table below a header.
func (s *sample) underHeader(h header, w Want, kinds []field.Kind) *Mapping {
	if l, fit := shape(w.Layouts, kinds, h.texts); l != nil {
		m := mapHeaders(l.Kind, h)
		m.score, m.Layout = 1000+int(fit*100), l
		m.WhyKind = fmt.Sprintf("the file has the shape of the layout %q", l.Name)
		return s.headed(m, h)
	}
	best := &Mapping{Kind: kinds[0], score: -2}
	for _, k := range kinds {
		m := mapHeaders(k, h)
		if w.given().Header > 0 && m.score < 1 {
			m.score = 1
		}
		if m.score > best.score {
			best = m
		}
	}
	return s.headed(best, h)
}

// beside tells whether another mapping, whose header has further rows above that of m, goes before it: what stands above tells some
// columns apart from what they are called, and the items are still named.
func (m *Mapping) beside(other *Mapping) bool {
	if other.NamesRow != m.NamesRow || other.HeaderRows <= m.HeaderRows || m.Layout != nil {
		return false
	}
	if other.score >= m.score && (other.sure() > m.sure() || other.sure() == m.sure() && other.stacked() > m.stacked()) {
		return true
	}
	named := func(m *Mapping) bool { return m.At(field.SKU) >= 0 || m.At(field.Description) >= 0 }
	return other.head.groups && named(m) && named(other) && m.At(field.SKU) == other.At(field.SKU)
}

// stacked is how many columns are fields by what stands in several rows of their header.
func (m *Mapping) stacked() (n int) {
	for i := range m.Columns {
		if m.Columns[i].Field != "" && m.Columns[i].stacked {
			n++
		}
	}
	return n
}

// sure is how many columns are fields beyond doubt.
func (m *Mapping) sure() (n int) {
	for i := range m.Columns {
		if c := &m.Columns[i]; c.Field != "" && !c.weak {
			n++
		}
	}
	return n
}

// titled tells whether the row is a header beyond doubt, even where a field that every file needs is not in it: it may
// have to be worked out from others.
func (m *Mapping) titled() bool {
	sure, digits := m.sure(), false
	for i := range m.Columns {
		digits = digits || strings.ContainsAny(m.Columns[i].Header, "0123456789")
	}
	return sure >= 3 || sure == 2 && !digits
}

func (s *sample) headed(m *Mapping, h header) *Mapping {
	m.HeaderRow, m.HeaderRows, m.NamesRow, m.head = s.numbers[h.last], h.last-h.first+1, s.numbers[h.names], h
	m.Head = headOf(s.rows[:h.first])
	m.HeadRows = s.rows[h.first : h.last+1]
	if h.first > 0 && s.numbers[h.first-1] == s.numbers[h.first]-1 && s.groupsAbove(s.rows[h.first-1], h.texts) {
		m.head.over = s.rows[h.first-1]
	}
	m.WhyHeader = h.why(s)
	return m
}

// shape finds the saved layout whose headers fit a row best.
func shape(layouts []*layout.Layout, kinds []field.Kind, row []string) (best *layout.Layout, fit float64) {
	for _, l := range layouts {
		if x := l.Fits(row); x >= 0.6 && x > fit && slices.Contains(kinds, l.Kind) {
			best, fit = l, x
		}
	}
	return best, fit
}

// mapHeaders takes columns for fields of a kind by what they are called.
func mapHeaders(k field.Kind, of header) *Mapping {
	headers := of.texts
	m := &Mapping{Kind: k}
	taken := map[field.Field]int{}
	var levels []string // asked for where a header may be one of them
	m.Columns = make([]Column, len(headers))
	for i, h := range headers {
		m.Columns[i] = Column{Index: i, Header: h}
		switch field.Squeeze(h) {
		case listWord:
			m.Part, m.Listed = true, true
		case refusedWord:
			m.Part = true
		}
	}
	if m.Listed { // our lists name attributes as layouts do
		for i, h := range headers {
			if name, is := strings.CutPrefix(h, field.ItemAttribute); is && name != "" && k == field.Items {
				m.Columns[i].Field, m.Columns[i].Why = field.Field(h), "an attribute of items, by its header"
			}
		}
	}
	// The field's own name goes before other words, these before words in another form, those before unclear ones, and those
	// before weak ones.
	fields := field.Fields(k)
	for pass := range 5 {
		for i, h := range headers {
			w, under := of.heads[i], of.lone[i]
			if w.Squeezed == "" || m.Columns[i].Field != "" {
				continue
			}
			whole, lone := meaningOf(k, h, w), meaning{}
			if of.alone[i] != "" {
				lone = meaningOf(k, of.alone[i], under)
			}
			if (whole.any|lone.any)&(1<<pass) == 0 {
				continue
			}
			for n := range fields {
				s := &fields[n]
				whole := whole.has(n, pass)
				if !whole && !lone.has(n, pass) {
					continue
				}
				if s.Field == field.RowCode && pass >= 3 {
					if levels == nil {
						levels = levelsAmong(headers)
					}
					if slices.ContainsFunc(levels, func(other string) bool { return other != h }) {
						continue // a row of racks
					}
				}
				c := &m.Columns[i]
				if other, gone := taken[s.Field]; gone {
					if c.rival == nil {
						c.rival = &rival{s, other} // put into words for the mapping that is taken
					}
					continue
				}
				c.Field, taken[s.Field], c.stacked = s.Field, i, whole && of.first < of.names && !slices.Contains(of.lowest, h)
				switch pass {
				case 4:
					c.Why, c.weak = fmt.Sprintf("%q may mean %s, and no other column does", h, strings.ToLower(s.Title)), true
				case 3:
					c.Why, c.weak = fmt.Sprintf("%q may mean %s", h, strings.ToLower(s.Title)), true
				default:
					c.Why = fmt.Sprintf("the header %q means %s", h, strings.ToLower(s.Title))
				}
				break
			}
		}
	}
	for i := range m.Columns {
		if c := &m.Columns[i]; c.Field == "" && c.Why == "" && c.rival == nil {
			c.Why = "no field goes by this header; passed over"
			switch {
			case field.Squeeze(c.Header) == refusedWord:
				c.Why = "says why its rows were refused; passed over"
			case field.Squeeze(c.Header) == listWord:
				c.Why = "names the list that the file was taken out of; passed over"
			case m.derived(i):
				c.Why = "worked out by Wobin from other columns; passed over"
			}
		}
	}
	m.weigh(taken)
	for i := range m.Columns { // what a group makes something else of tells the kind all the same
		if of.under[i] == "" || m.Columns[i].Field != "" {
			continue
		}
		under := meaningOf(k, of.under[i], field.NewHeading(of.under[i]))
		if under.any&(1<<nearly) == 0 {
			continue
		}
		for n, s := range field.Fields(k) {
			if _, had := taken[s.Field]; !had && under.has(n, nearly) {
				if m.score += 8; s.Required {
					m.score += 30
				}
				taken[s.Field] = i
				break
			}
		}
	}
	m.WhyKind = fmt.Sprintf("its headers are those of a %s file", k)
	return m
}

// rival is a field that a column reads as too, and the column that it was taken from.
type rival struct {
	field *field.Spec
	from  int
}

// tellRivals says of columns that read as fields which were taken from others that they do.
func (m *Mapping) tellRivals() {
	for i := range m.Columns {
		if c := &m.Columns[i]; c.rival != nil && c.Field == "" && c.Why == "" {
			c.Why = fmt.Sprintf("reads as %s too, which was taken from column %s", strings.ToLower(c.rival.field.Title), tabular.ColumnName(c.rival.from))
		}
	}
}

// nearly is the bit of a meaning that tells whether a header goes by the words of a field, behind those of the passes.
const nearly = 5

// meaning tells, for each field of a kind, in which passes a header means it, as bits; and in which it means any.
type meaning struct {
	of  []uint8
	any uint8
}

func (m meaning) has(fieldAt, pass int) bool { return m.of != nil && m.of[fieldAt]&(1<<pass) != 0 }

// said is a header as one of a kind.
type said struct {
	kind field.Kind
	text string
}

// meanings are those of the headers that were read last. The first rows of every file are held against the words of every kind, and files
// of one sort come one after the other with the same headers.
var meanings struct {
	sync.Mutex
	of map[said]meaning
}

// keptMeanings is how many of them are kept.
const keptMeanings = 16 << 10

func meaningOf(k field.Kind, text string, h field.Heading) meaning {
	key := said{k, text}
	meanings.Lock()
	m, had := meanings.of[key]
	meanings.Unlock()
	if had {
		return m
	}
	if !strings.ContainsFunc(text, unicode.IsLetter) { // no field goes by a number
		return meaning{}
	}
	fields := field.Fields(k)
	m.of = make([]uint8, len(fields))
	for i := range fields {
		for pass := range 5 {
			if reads(text, h, &fields[i], pass) {
				m.of[i] |= 1 << pass
			}
		}
		if h.Nearly(fields[i].AsWords) {
			m.of[i] |= 1 << nearly
		}
		m.any |= m.of[i]
	}
	if len(text) > 100 { // no header is so long
		return m
	}
	meanings.Lock()
	defer meanings.Unlock()
	if meanings.of == nil || len(meanings.of) >= keptMeanings {
		meanings.of = map[said]meaning{}
	}
	meanings.of[key] = m
	return m
}

// reads tells whether a header means a field, the surer ways in the earlier passes.
func reads(text string, h field.Heading, s *field.Spec, pass int) bool {
	switch pass {
	case 0:
		return strings.EqualFold(code.Trim(text), string(s.Field)) // letter by letter: "Item id" is the SKU, item_id is not
	case 1:
		return h.Exactly(s.AsWords)
	case 2:
		return h.Nearly(s.AsWords) || s.Form == field.Text && h.Loosely(s.AsWords)
	case 3:
		return h.Nearly(s.AsUnclear) || h.Loosely(s.AsWords)
	}
	return h.Nearly(s.AsWeak)
}

// countParts are parts of headers that say that something was counted.
var countParts = partsOf("count, counted, gezählt, compté, geteld, contado")

// telling are the fields that tell the kinds of file apart.
var telling = []field.Field{
	field.RowCode, field.Category, field.Nature, field.Barcode, field.Reserved, field.Available, field.Reference, field.PackSize, field.Parent,
	field.Tracking, field.HouseName,
}

// weigh tells how much a row reads as the header of the mapping's kind, by the fields that its cells were taken for.
func (m *Mapping) weigh(taken map[field.Field]int) {
	k := m.Kind
	for f := range taken {
		m.score += 10
		if field.SpecOf(k, f).Required {
			m.score += 35
		} else if counted := m.At(field.Counted); f == field.Remark && counted >= 0 && m.Columns[counted].weak &&
			m.At(field.RowCode) < 0 && m.At(field.CountedAt) < 0 {
			m.score -= 10 // a note makes no counts of stock
		} else if slices.Contains(telling, f) {
			m.score += 8 // tells the kinds apart
		}
	}
	for _, s := range field.Fields(k) {
		_, has := taken[s.Field]
		byName := s.Field == field.SKU && m.At(field.Description) >= 0 && (m.At(field.Quantity) >= 0 || m.At(field.Counted) >= 0)
		if s.Required && !has && !byName {
			m.score -= 15
		}
	}
	if at := m.At(field.Counted); k == field.Counts && at >= 0 && HasPart(field.Parted(m.Columns[at].Header), countParts) {
		m.score += 5 // what is headed Count was counted
	}
	if k == field.Places { // what names items or quantities is no list of places
		for i := range m.Columns {
			w := field.NewHeading(m.Columns[i].Header)
			if w.Exactly(field.SpecOf(field.Stock, field.SKU).AsWords) || w.Exactly(field.SpecOf(field.Stock, field.Quantity).AsWords) ||
				w.Exactly(field.SpecOf(field.Stock, field.Barcode).AsWords) {
				m.score -= 20
			}
		}
	}
	if k == field.Stock && m.At(field.Quantity) < 0 && m.At(field.Available) >= 0 {
		m.score += 30
	}
	if k != field.Places && m.At(field.SKU) < 0 && (m.At(field.Barcode) >= 0 || m.At(field.FurtherSKU) >= 0 || m.At(field.ItemID) >= 0) {
		m.score += 30
	}
	if len(taken) < 2 && !(len(taken) == len(m.Columns) && len(taken) > 0) {
		m.score = -1
		for f := range taken {
			if m.score = 1; field.SpecOf(k, f).Required {
				m.score = 2
			}
		}
	}
}

// settle applies what was given, decides what the contents decide, and asks what nothing decides.
func (m *Mapping) settle(f *tabular.File, s *sample, w Want) {
	given := w.given()
	if m.Layout != nil {
		given = given.Over(m.Layout)
	}
	m.tellRivals()
	s.contents(m, w)
	m.above()
	m.apply(given, m.Layout != nil && w.Given == nil)
	m.shaped(f, s, given)
	m.blocks(s)
	m.turn(given.Across)
	m.levels(s, given)
	m.severalBarcodes(s, given)
	m.Sources = map[field.Field]*column.Source{}
	for i := range m.Columns {
		c := &m.Columns[i]
		if c.Field != "" {
			m.Sources[c.Field] = column.NewSource(m.Kind, c.Field, i, c.choice)
		}
	}
	for i := range m.Worked {
		x := &m.Worked[i]
		src := column.NewSource(m.Kind, x.Field, -1, x.choice)
		if x.choice.Formula != "" {
			if wrong := src.Compile(x.choice.Formula, m.called); wrong != nil {
				x.Wrong, x.At = wrong.Text, wrong.At
			}
		}
		m.Sources[x.Field] = src
	}
	for _, src := range m.Sources { // formulas read numbers as their columns have them
		column.Link(src.Labels, m.Sources)
	}
	if given.Filtered() != "" {
		m.Filter = column.NewFilter(given.Filtered(), m.called, m.Sources)
	}
	m.Identity = given.Identify
	if m.Identity == "" || !m.Has(m.Identity) {
		for _, id := range []field.Field{field.SKU, field.FurtherSKU, field.Barcode, field.ItemID, field.Description} {
			if m.Has(id) {
				m.Identity = id
				break
			}
		}
	}
	for _, x := range given.Matches {
		if x.Do == "new" {
			if m.Meant == nil {
				m.Meant = map[layout.Match]bool{}
			}
			m.Meant[x] = true
		}
	}
	m.RowCodesProve, m.Codes = given.RowCodes == "prove", given.Codes != ""
	m.TakeAside, m.LeaveHidden = given.Aside == "take", given.Hidden == "leave"
	for i := range m.Columns {
		if i < len(s.columns) && s.columns[i] {
			m.Columns[i].Why += "; it is hidden in the workbook"
		}
	}
	s.forms(f, m)
	m.questions(s, given, w.Known)
}

// Check finds what keeps the mapping from being used: no header, a required column missing, a formula that cannot be
// read.
func (m *Mapping) Check(file string) []problem.Problem {
	at := problem.Problem{File: file, Sheet: m.SheetName}
	if !m.NoHeader && (m.HeaderRow == 0 || m.score < 1 && len(m.Columns) == 0) {
		at.Kind, at.Text = "no header", fmt.Sprintf(
			"no row among the first %d reads as the header of a %s file. Give the columns names such as %s",
			headerSearch,
			m.Kind,
			strings.Join(required(m.Kind), ", "),
		)
		return []problem.Problem{at}
	}
	at.Row = m.HeaderRow
	var out []problem.Problem
	for _, s := range field.Fields(m.Kind) {
		if !s.Required || m.Has(s.Field) ||
			m.Kind == field.Movements && s.Field == field.Quantity && (m.Has(field.QuantityIn) || m.Has(field.QuantityOut)) {
			continue
		}
		p := at
		p.Field, p.Kind = s.Field, "column missing"
		p.Text = "no column for it. Name one " + examples(s)
		if s.Field == field.SKU && m.Kind == field.Counts && m.Has(field.RowCode) {
			continue // the row code says which line it is
		}
		if s.Field == field.SKU && m.Identity != "" && (m.Identity != field.Description || m.Kind != field.Items || m.Codes) {
			continue // the item is known by something else
		}
		if s.Field == field.Quantity && m.Kind == field.Stock {
			switch av, rs := m.Has(field.Available), m.Has(field.Reserved); {
			case av && rs:
				continue // on hand is their sum
			case av:
				p.Text = "no column says what is on hand; \"" + m.header(
					field.Available,
				) + "\" is what is left after reservations. Add on hand, or reserved"
			}
		}
		out = append(out, p)
	}
	for i := range m.Worked {
		if w := &m.Worked[i]; w.Wrong != "" {
			p := at
			p.Row, p.Field, p.Kind, p.Text = 0, w.Field, "formula", "its formula: "+(&formula.Error{At: w.At, Text: w.Wrong}).Error()
			out = append(out, p)
		}
	}
	if m.Filter != nil && m.Filter.Wrong != nil {
		p := at
		p.Row, p.Kind, p.Text = 0, "formula", "the row filter: "+m.Filter.Wrong.Error()
		out = append(out, p)
	}
	return out
}

func required(k field.Kind) (names []string) {
	for _, s := range field.Fields(k) {
		if s.Required {
			names = append(names, string(s.Field))
		}
	}
	return names
}

func examples(s field.Spec) string {
	names := []string{string(s.Field)}
	for _, w := range s.Words {
		if field.Squeeze(w) != field.Squeeze(string(s.Field)) && len(names) < 3 {
			names = append(names, w)
		}
	}
	return strings.Join(names, ", ")
}
