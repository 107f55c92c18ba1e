package layout

import (
	"fmt"
	"slices"
	"strings"

	"wobin/internal/core/known"
	"wobin/internal/core/quantity"
	"wobin/internal/core/tabular"
)

// Known is what the records know, against which contents are recognised, matched and mended.
type Known struct {
	// Blank: the records are not at hand, so that nothing is unknown; what the file itself tells is told all the same.
	Blank bool
	Sets  map[Field]*known.Set // warehouses, zones, bins, SKUs, barcodes, units, categories
	// Bins gives the bins of one warehouse, nil where it is new. A bin is judged by those of its own warehouse.
	Bins func(warehouse string) *known.Set
	// Lead gives the SKU of the item that another field identifies; many is true where several items have it.
	Lead func(by Field, text string) (sku string, many bool)
	// Measure gives how many base units one of a unit is for an item: 1 for its own, base; 0 where the unit is none of
	// the item's. known is false where the item, or its unit, is not known. nil: no item's unit is known.
	Measure func(sku, unit string) (size int64, base string, known bool)
}

// Set gives the known texts of a field; a nil Known knows nothing.
func (k *Known) Set(f Field) *known.Set {
	if k == nil {
		return nil
	}
	return k.Sets[f]
}

// contents are the different values of a column in the sample.
type contents struct {
	values  map[string]int
	filled  int
	numbers int
	gtins   int
	digits  int // those with a digit
	numeric int // those that are numbers in any form
}

// column gathers the values of a column below the header.
func (s *sample) column(m *Mapping, at int) *contents {
	c := &contents{values: map[string]int{}}
	for i, row := range s.rows {
		if s.numbers[i] <= m.HeaderRow || at >= len(row) || row[at] == "" {
			continue
		}
		c.filled++
		c.values[row[at]]++
		if _, err := quantity.Parse(row[at]); err == nil {
			c.numbers++
		}
		if strings.ContainsAny(row[at], "0123456789") {
			c.digits++
		}
		if _, ok := takeApart(row[at]); ok {
			c.numeric++
		}
		if gtin(row[at]) {
			c.gtins++
		}
	}
	return c
}

// gtin tells whether a text is a barcode number whose check digit holds (GS1 General Specifications, 7.9).
func gtin(s string) bool {
	if n := len(s); n != 8 && n != 12 && n != 13 && n != 14 {
		return false
	}
	sum := 0
	for i := range len(s) {
		d := int(s[len(s)-1-i] - '0')
		if d < 0 || d > 9 {
			return false
		}
		if i%2 == 1 {
			d *= 3
		}
		sum += d
	}
	return sum%10 == 0
}

// of counts how many of the values a set knows.
func (c *contents) of(set *known.Set) int {
	n := 0
	for v := range c.values {
		if _, ok := set.Find(v); ok {
			n++
		}
	}
	return n
}

// told are the fields that contents can tell, those that say most first.
var told = []Field{SKU, Barcode, Bin, Warehouse, FurtherSKU, Zone, Unit, Category}

// contents decides what headers leave open: a column whose header may mean this or that, and columns whose header
// says nothing but whose values the records know.
func (s *sample) contents(m *Mapping, w Want) {
	cache := map[int]*contents{}
	col := func(i int) *contents {
		if cache[i] == nil {
			cache[i] = s.column(m, i)
		}
		return cache[i]
	}
	knows := func(i int, f Field) (hits, all int) {
		c := col(i)
		return c.of(w.Known.Set(f)), len(c.values)
	}
	// "Location" alone is a warehouse or a bin.
	for i := range m.Columns {
		c := &m.Columns[i]
		if !c.weak || c.Field != Warehouse && c.Field != Bin {
			continue
		}
		other := Bin
		if c.Field == Bin {
			other = Warehouse
		}
		if m.At(other) >= 0 || spec(m.Kind, other) == nil {
			continue
		}
		mine, all := knows(i, c.Field)
		theirs, _ := knows(i, other)
		x := col(i)
		switch {
		case all == 0:
		case mine*2 > all && mine >= theirs:
			c.Why = fmt.Sprintf("%d of its %d values are known %s", mine, all, plural(c.Field))
		case theirs*2 > all:
			c.Field, c.Why = other, fmt.Sprintf("%d of its %d values are known %s", theirs, all, plural(other))
		case c.Field == Warehouse && (all > 12 && all*4 > x.filled || all > 2 && all*2 > x.filled && x.digits*10 >= x.filled*8):
			c.Field, c.Why = Bin, fmt.Sprintf("%d different values in %d rows are bins rather than warehouses", all, x.filled)
		case c.Field == Bin && all <= 6 && x.filled >= all*8 && !slices.ContainsFunc(keys(x.values),
			func(v string) bool { return strings.ContainsAny(v, "0123456789") }):
			c.Field, c.Why = Warehouse, fmt.Sprintf("%d different values in %d rows are warehouses rather than bins", all, x.filled)
		}
	}
	s.nameOrCode(m, w)
	if w.Known == nil {
		return
	}
	for _, f := range told {
		if spec(m.Kind, f) == nil || w.Known.Set(f).Len() == 0 {
			continue
		}
		at := m.At(f)
		if at >= 0 && (!m.Columns[at].weak && f != SKU) {
			continue
		}
		best, share, seen := -1, 0.0, 0
		for i := range m.Columns {
			c := &m.Columns[i]
			if c.Field != "" && !(c.weak && i != at) && i != at {
				continue
			}
			if hits, all := knows(i, f); all > 0 && hits*10 >= all*8 && (hits >= 2 || f == Warehouse || len(s.rows) < 6) &&
				float64(hits)/float64(all) > share &&
				col(i).filled*2 > len(s.rows)/4 {
				best, share, seen = i, float64(hits)/float64(all), all
			}
		}
		if best < 0 || best == at {
			continue
		}
		if at >= 0 { // a header names another column: it stays unless none of its values is known
			if hits, _ := knows(at, f); hits > 0 {
				continue
			}
			old := &m.Columns[at]
			old.Field, old.Why = "", fmt.Sprintf(
				"reads as %s, but its values are not known and those of column %s are",
				title(m.Kind, f),
				tabular.ColumnName(best),
			)
			if f == SKU && m.At(Description) < 0 {
				old.Field = Description
			}
		}
		c := &m.Columns[best]
		c.Field, c.weak, c.Why = f, false, fmt.Sprintf("%d of its %d values are known %s", int(share*float64(seen)+0.5), seen, plural(f))
	}
	if f := Barcode; spec(m.Kind, f) != nil && m.At(f) < 0 {
		for i := range m.Columns {
			if c, x := &m.Columns[i], col(i); c.Field == "" && x.filled >= 3 && x.gtins*10 >= x.filled*9 {
				c.Field, c.Why = f, "its values are barcode numbers whose check digit holds"
				break
			}
		}
	}
}

// nameOrCode sees an item column that holds words, beside a column of codes whose header alone says less.
func (s *sample) nameOrCode(m *Mapping, w Want) {
	at := m.At(SKU)
	if at < 0 || m.NoHeader || m.Columns[at].settled || !has(parted(m.Columns[at].Header), partsOf("item, product, article, part, material, artikel, artículo")) {
		return
	}
	sp := spec(m.Kind, SKU)
	x := s.column(m, at)
	if hits := x.of(w.Known.Set(SKU)); x.filled < 2 || hits > 0 || !s.prose(m, at) {
		return
	}
	for i := range m.Columns {
		c := &m.Columns[i]
		if i == at || c.Field != "" && c.Field != Description && !c.weak || s.prose(m, i) {
			continue
		}
		y := s.column(m, i)
		if h := newHeading(c.Header); !h.nearly(sp.weak) && !h.nearly(sp.words) || y.filled*10 < x.filled*9 {
			continue
		}
		was := &m.Columns[at]
		if was.Field = ""; m.At(Description) < 0 || m.At(Description) == i {
			was.Field, was.Why = Description, fmt.Sprintf("its values are words, and those of column %s are codes", tabular.ColumnName(i))
		}
		c.Field, c.weak, c.Why = SKU, false, fmt.Sprintf("its values are codes, and those of column %s are words", tabular.ColumnName(at))
		return
	}
}

func keys(m map[string]int) (out []string) {
	for k := range m {
		out = append(out, k)
	}
	return out
}

func title(k Kind, f Field) string {
	if s := spec(k, f); s != nil {
		return s.Title
	}
	return string(f)
}

func plural(f Field) string {
	if f == SKU {
		return "SKUs"
	}
	if f == Category {
		return "categories"
	}
	return strings.ReplaceAll(string(f), "_", " ") + "s"
}

// confirms tells whether the contents put a field where a header has it by its plain word: then the row is a header,
// however little else of it is known.
func (m *Mapping) confirms(header *Mapping) bool {
	for i := range header.Columns[:min(len(header.Columns), len(m.Columns))] {
		if c := &header.Columns[i]; c.Field != "" && !c.weak && m.Columns[i].Field == c.Field {
			return true
		}
	}
	return false
}

// worded tells whether the first row holds words that nothing knows and that stand nowhere again, where all that
// stands below one of them is known.
func (s *sample) worded(m *Mapping, w Want) bool {
	found := false
	for i, word := range s.rows[0] {
		x, f := s.column(m, i), m.Columns[i].Field
		set := w.Known.Set(f)
		if _, is := set.Find(word); is || x.values[word] > 1 || strings.ContainsAny(word, "0123456789") || word == "" && f != "" {
			return false
		}
		found = found || f != "" && x.filled > 3 && x.of(set) == len(x.values)-1
	}
	return found
}

// byContent makes a mapping of a table whose header, where it has one at all, says too little, from what its columns
// hold; nil where it has no rows. named is what the words say.
func (s *sample) byContent(w Want, named *Mapping) *Mapping {
	if len(s.rows) == 0 {
		return nil
	}
	k := w.Kinds[0]
	if w.given().Kind != "" {
		k = w.given().Kind
	} else if slices.Contains(w.Kinds, Stock) {
		k = Stock
	}
	m := &Mapping{
		Kind:      k,
		NoHeader:  true,
		WhyHeader: "no row reads as a header; the columns go by their letters",
		WhyKind:   "what its columns hold",
	}
	width := 0
	for _, r := range s.rows {
		width = max(width, len(r))
	}
	for i := range width {
		m.Columns = append(m.Columns, Column{Index: i, Why: "nothing tells what it is; passed over"})
	}
	s.contents(m, w)
	if w.given().Header == 0 {
		row := slices.Index(s.numbers, named.HeaderRow)
		why := ""
		if row < 0 || !m.confirms(named) {
			if row = -1; s.worded(m, w) {
				row, why = 0, "the first row holds words, where the rows below it hold what is known"
			}
		}
		if row >= 0 {
			m = s.headed(mapHeaders(k, s.rows[row]), row)
			if m.WhyKind = "what its columns hold"; why != "" {
				m.WhyHeader = why
			}
			m.score = 0
			s.contents(m, w)
		}
	}
	q := Quantity
	if k == Counts {
		q = Counted
	}
	var numeric []int
	for i := range m.Columns {
		if c := s.column(m, i); m.Columns[i].Field == "" && c.filled > 0 && c.numbers == c.filled {
			numeric = append(numeric, i)
		}
	}
	if len(numeric) == 1 && spec(k, q) != nil && m.At(SKU) >= 0 {
		m.Columns[numeric[0]].Field, m.Columns[numeric[0]].Why = q, "it is the only column of numbers"
	}
	for i := range m.Columns {
		if f := m.Columns[i].Field; f != "" {
			m.score += 10
			if spec(k, f).Required {
				m.score += 35
			}
		}
	}
	return m
}

// texts gives the texts of a column below the header that are no numbers by the kind of their cells.
func (s *sample) texts(m *Mapping, at int, do func(text string)) {
	for i, row := range s.rows {
		if s.numbers[i] <= m.HeaderRow || at >= len(row) || row[at] == "" ||
			at < len(s.kinds[i]) && s.kinds[i][at] == tabular.NumberCell {
			continue
		}
		do(row[at])
	}
}

// numbersOf takes the numbers of a column in for its form.
func (s *sample) numbersOf(m *Mapping, at int, e *evidence) {
	s.texts(m, at, func(t string) {
		if w, ok := takeApart(t); ok {
			e.add([]byte(w.core))
		}
	})
}

// decideOwn settles the forms of columns that only formulas read.
func (s *sample) decideOwn(m *Mapping, labels []label) {
	for i := range labels {
		if l := &labels[i]; l.own {
			var e evidence
			s.numbersOf(m, l.column, &e)
			l.numbers.Decimal, _, _ = e.decide()
		}
	}
}

// forms settles the forms of numbers and dates from the sample; the whole of the values decides once they are read.
func (s *sample) forms(f *tabular.File, m *Mapping) {
	told := map[Field]*heard{}
	for field, src := range m.sources {
		if src.column < 0 {
			continue
		}
		h := &heard{read: true}
		told[field] = h
		switch src.spec.Form {
		case Number:
			s.numbersOf(m, src.column, &h.votes)
		case Time:
			s.texts(m, src.column, h.dayVotes.add)
		}
	}
	m.decide(f, told)
	for _, src := range m.sources {
		s.decideOwn(m, src.labels)
	}
	if m.filter != nil {
		s.decideOwn(m, m.filter.labels)
	}
}

// hearing gives the mapping as it is by what all values of a file told of their forms, and tells whether the form of a column is
// another now.
func (m *Mapping) hearing(f *tabular.File, told map[Field]*heard) (now *Mapping, changed bool) {
	out := *m
	out.Columns, out.Asks, out.sources = slices.Clone(m.Columns), slices.Clone(m.Asks), map[Field]*Source{}
	for field, src := range m.sources {
		own := *src
		out.sources[field] = &own
	}
	for _, src := range out.sources {
		src.labels = relink(src.labels, out.sources)
	}
	if m.filter != nil {
		own := *m.filter
		own.labels = relink(own.labels, out.sources)
		out.filter = &own
	}
	changed = out.decide(f, told)
	return &out, changed
}

// decide settles the form of every column of numbers or dates that was not settled by hand, from what its values told. It tells
// whether one of them changed.
func (m *Mapping) decide(f *tabular.File, told map[Field]*heard) (changed bool) {
	// A column whose own values are even goes with the file's other columns, and with what parts its cells.
	var file evidence
	for _, h := range told {
		file.point += min(h.votes.point, 1)
		file.comma += min(h.votes.comma, 1)
	}
	m.Asks = slices.DeleteFunc(m.Asks, func(a Ask) bool {
		h := told[a.Field]
		return (a.What == "decimal" || a.What == "dates") && h != nil && h.read
	})
	for field, src := range m.sources {
		h := told[field]
		switch {
		case h == nil || !h.read || src.column < 0 && src.spec.Form != Time:
		case src.spec.Form == Number && !src.settled:
			decimal, why, sure := h.votes.decide()
			if !sure && h.votes.point == 0 && h.votes.comma == 0 {
				switch {
				case file.point > file.comma:
					decimal, why, sure = ".", "the other columns write a decimal point", true
				case file.comma > file.point:
					decimal, why, sure = ",", "the other columns write a decimal comma", true
				case f.Kind == tabular.Text && f.Dialect.Delimiter == ',' && strings.Contains(h.votes.example, "."):
					decimal, why, sure = ".", "a comma parts the cells, so the decimal sign is a point", true
				}
			}
			if !sure {
				m.Asks = append(
					m.Asks,
					Ask{
						What:    "decimal",
						Example: h.votes.example,
						Column:  tabular.ColumnName(src.column),
						Field:   field,
						Text:    fmt.Sprintf("In column %s %s.", tabular.ColumnName(src.column), why),
						Options: []Option{
							{Label: "Decimal point: " + shown(h.votes.example, "."), Set: Choice{Numbers: Numbers{Decimal: "."}}},
							{Label: "Decimal comma: " + shown(h.votes.example, ","), Set: Choice{Numbers: Numbers{Decimal: ","}}},
						},
					},
				)
			}
			if old := src.numbers.Decimal; old != decimal && (old != "" || decimal != ".") {
				changed = true
			}
			src.numbers.Decimal = decimal
			m.because(src, why)
		case src.spec.Form == Time && !src.settled:
			order, why, sure := h.dayVotes.decide()
			if !sure {
				m.Asks = append(m.Asks, m.whichOrder(field, src, why, h.dayVotes.example))
			}
			if old := src.dates.Order; old != order && (old != "" || order != "ymd") {
				changed = true
			}
			src.dates.Order = order
			m.because(src, why)
		}
	}
	slices.SortStableFunc(m.Asks, func(a, b Ask) int { return strings.Compare(a.Column+a.What, b.Column+b.What) })
	return changed
}

// whichOrder asks for the order of a column's dates, or of those that a formula gives.
func (m *Mapping) whichOrder(field Field, src *Source, why, example string) Ask {
	day, month := Choice{}, Choice{}
	a := Ask{What: "dates", Field: field, Text: fmt.Sprintf("In what is worked out for %s %s.", strings.ToLower(src.spec.Title), why)}
	if src.column >= 0 {
		a.Column = tabular.ColumnName(src.column)
		a.Text = fmt.Sprintf("In column %s %s.", a.Column, why)
	} else {
		for i := range m.Worked {
			if m.Worked[i].Field == field {
				day, month = m.Worked[i].choice, m.Worked[i].choice
			}
		}
	}
	day.Order, month.Order = "dmy", "mdy"
	a.Options = []Option{{Label: "Day first: " + inWords(example, "dmy"), Set: day}, {Label: "Month first: " + inWords(example, "mdy"), Set: month}}
	return a
}

// because adds the reason for a column's form to the reason for its field.
func (m *Mapping) because(src *Source, why string) {
	if src.column < 0 {
		return
	}
	c := &m.Columns[src.column]
	c.Why, _, _ = strings.Cut(c.Why, "; ")
	if why != "" {
		c.Why += "; " + why
	}
}

func shown(example, decimal string) string {
	if w, ok := takeApart(example); ok {
		if p, ok := w.plain(decimal); ok {
			return example + " is " + p
		}
	}
	return example
}

func inWords(example, order string) string {
	d, ok := takeDate(example)
	if !ok {
		return example
	}
	day, month := d.n[0], d.n[1]
	if order == "mdy" {
		day, month = month, day
	}
	if month < 1 || month > 12 {
		return example
	}
	return fmt.Sprintf(
		"%s is %d %s",
		example,
		day,
		[...]string{"January", "February", "March", "April", "May", "June", "July", "August", "September", "October", "November",
			"December"}[month-1],
	)
}
