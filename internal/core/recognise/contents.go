package recognise

import (
	"fmt"
	"slices"
	"strings"

	"wobin/internal/core/column"
	"wobin/internal/core/field"
	"wobin/internal/core/form"
	"wobin/internal/core/known"
	"wobin/internal/core/layout"
	"wobin/internal/core/quantity"
	"wobin/internal/core/tabular"
)

// Known is what the records know, against which contents are recognised, matched and mended.
type Known struct {
	// Blank: the records are not at hand, so that nothing is unknown; what the file itself tells is told all the same.
	Blank bool
	Sets  map[field.Field]*known.Set // warehouses, zones, bins, SKUs, barcodes, units, categories
	// Bins gives the bins of one warehouse, nil where it is new. A bin is judged by those of its own warehouse.
	Bins func(warehouse string) *known.Set
	// Lead gives the SKU of the item that another field identifies; many is true where several items have it.
	Lead func(by field.Field, text string) (sku string, many bool)
	// Pack tells of a barcode that it is that of a pack, and of which one, such as "bx of 25"; is is false where it is not. nil: no pack's
	// barcode is known.
	Pack func(barcode string) (pack string, is bool)
	// Measure gives how many base units one of a unit is for an item: 1 for its own, base; 0 where the unit is none of
	// the item's. known is false where the item, or its unit, is not known. nil: no item's unit is known.
	Measure func(sku, unit string) (size int64, base string, known bool)
}

// Set gives the known texts of a field; a nil Known knows nothing.
func (k *Known) Set(f field.Field) *known.Set {
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
	digits  int  // those with a digit
	numeric int  // those that are numbers in any form
	counter bool // they are numbers that rise from row to row, as row numbers do
}

// column gathers the values of a column below the header, once. Nobody writes into them.
func (s *sample) column(m *Mapping, at int) *contents {
	if c := s.gathered[below{m.HeaderRow, at}]; c != nil {
		return c
	}
	c := &contents{values: map[string]int{}}
	if s.gathered == nil {
		s.gathered = map[below]*contents{}
	}
	s.gathered[below{m.HeaderRow, at}] = c
	rises, last := true, ""
	for i, row := range s.rows {
		if s.numbers[i] <= m.HeaderRow || at >= len(row) || row[at] == "" {
			continue
		}
		if rises = rises && (last == "" || len(row[at]) > len(last) || len(row[at]) == len(last) && row[at] > last); rises {
			last = row[at]
		}
		c.filled++
		c.values[row[at]]++
	}
	for text, n := range c.values {
		if _, err := quantity.Parse(text); err == nil {
			c.numbers += n
		}
		if strings.ContainsAny(text, "0123456789") {
			c.digits += n
		}
		if form.Figure(text) {
			c.numeric += n
		}
		if gtin(text) {
			c.gtins += n
		}
	}
	c.counter = rises && c.filled > 1 && c.numbers == c.filled && !strings.Contains(last, ".")
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
var told = []field.Field{field.SKU, field.Barcode, field.Bin, field.Warehouse, field.FurtherSKU, field.Zone, field.Unit, field.Category}

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
	knows := func(i int, f field.Field) (hits, all int) {
		c := col(i)
		return c.of(w.Known.Set(f)), len(c.values)
	}
	// "Location" alone is a warehouse or a bin.
	for i := range m.Columns {
		c := &m.Columns[i]
		if !c.weak || c.Field != field.Warehouse && c.Field != field.Bin {
			continue
		}
		other := field.Bin
		if c.Field == field.Bin {
			other = field.Warehouse
		}
		if m.At(other) >= 0 || field.SpecOf(m.Kind, other) == nil {
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
		case c.Field == field.Warehouse && (all > 12 && all*4 > x.filled || all > 2 && all*2 > x.filled && x.digits*10 >= x.filled*8):
			c.Field, c.Why = field.Bin, fmt.Sprintf("%d different values in %d rows are bins rather than warehouses", all, x.filled)
		case c.Field == field.Bin && all <= 6 && x.filled >= all*8 && !slices.ContainsFunc(keys(x.values),
			func(v string) bool { return strings.ContainsAny(v, "0123456789") }):
			c.Field, c.Why = field.Warehouse, fmt.Sprintf("%d different values in %d rows are warehouses rather than bins", all, x.filled)
		}
	}
	s.nameOrCode(m, w)
	// A pack that is called by a number alone is one of so many.
	if at := m.At(field.PackUnit); at >= 0 && m.At(field.PackSize) < 0 {
		if x := col(at); x.filled > 0 && x.numbers == x.filled {
			m.Columns[at].Field, m.Columns[at].Why = field.PackSize, "its values are numbers: how many base units each pack holds"
		}
	}
	if w.Known == nil {
		return
	}
	for _, f := range told {
		if field.SpecOf(m.Kind, f) == nil || w.Known.Set(f).Len() == 0 {
			continue
		}
		at := m.At(f)
		if at >= 0 && (!m.Columns[at].weak && f != field.SKU) {
			continue
		}
		best, share, seen := -1, 0.0, 0
		for i := range m.Columns {
			c := &m.Columns[i]
			if c.Field != "" && !(c.weak && i != at) && i != at {
				continue
			}
			if hits, all := knows(i, f); all > 0 && hits*10 >= all*8 && (hits >= 2 || f == field.Warehouse || len(s.rows) < 6) &&
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
				Title(m.Kind, f),
				tabular.ColumnName(best),
			)
			if f == field.SKU && m.At(field.Description) < 0 {
				old.Field = field.Description
			}
		}
		c := &m.Columns[best]
		c.Field, c.weak, c.Why = f, false, fmt.Sprintf("%d of its %d values are known %s", int(share*float64(seen)+0.5), seen, plural(f))
	}
	if f := field.Barcode; field.SpecOf(m.Kind, f) != nil && m.At(f) < 0 {
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
	at := m.At(field.SKU)
	if at < 0 || m.NoHeader || m.Columns[at].settled ||
		!HasPart(field.Parted(m.Columns[at].Header), partsOf("item, product, article, part, material, artikel, artículo")) {
		return
	}
	sp := field.SpecOf(m.Kind, field.SKU)
	x := s.column(m, at)
	if hits := x.of(w.Known.Set(field.SKU)); x.filled < 2 || hits > 0 || !s.prose(m, at) {
		return
	}
	for i := range m.Columns {
		c := &m.Columns[i]
		if i == at || c.Field != "" && c.Field != field.Description && !c.weak || s.prose(m, i) {
			continue
		}
		y := s.column(m, i)
		if h := field.NewHeading(c.Header); !h.Nearly(sp.AsWeak) && !h.Nearly(sp.AsWords) || y.filled*10 < x.filled*9 {
			continue
		}
		was := &m.Columns[at]
		if was.Field = ""; m.At(field.Description) < 0 || m.At(field.Description) == i {
			was.Field, was.Why = field.Description, fmt.Sprintf(
				"its values are words, and those of column %s are codes",
				tabular.ColumnName(i),
			)
		}
		c.Field, c.weak, c.Why = field.SKU, false, fmt.Sprintf(
			"its values are codes, and those of column %s are words",
			tabular.ColumnName(at),
		)
		return
	}
}

func keys(m map[string]int) (out []string) {
	for k := range m {
		out = append(out, k)
	}
	return out
}

// Title is the name of a field as people read it.
func Title(k field.Kind, f field.Field) string {
	if s := field.SpecOf(k, f); s != nil {
		return s.Title
	}
	return string(f)
}

func plural(f field.Field) string {
	if f == field.SKU {
		return "SKUs"
	}
	if f == field.Category {
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
	} else if slices.Contains(w.Kinds, field.Stock) {
		k = field.Stock
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
			h := s.headers(row, 1)[0]
			m = s.headed(mapHeaders(k, h), h)
			if m.WhyKind = "what its columns hold"; why != "" {
				m.WhyHeader = why
			}
			m.score = 0
			s.contents(m, w)
		}
	}
	q := field.Quantity
	if k == field.Counts {
		q = field.Counted
	}
	var numeric []int
	for i := range m.Columns {
		if c := s.column(m, i); m.Columns[i].Field == "" && c.filled > 0 && c.numbers == c.filled {
			numeric = append(numeric, i)
		}
	}
	if len(numeric) == 1 && field.SpecOf(k, q) != nil && m.At(field.SKU) >= 0 {
		m.Columns[numeric[0]].Field, m.Columns[numeric[0]].Why = q, "it is the only column of numbers"
	}
	for i := range m.Columns {
		if f := m.Columns[i].Field; f != "" {
			m.score += 10
			if field.SpecOf(k, f).Required {
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
func (s *sample) numbersOf(m *Mapping, at int, e *form.Evidence) {
	s.texts(m, at, func(t string) {
		if w, ok := form.TakeApart(t); ok {
			e.Add([]byte(w.Core))
		}
	})
}

// decideOwn settles the forms of columns that only formulas read.
func (s *sample) decideOwn(m *Mapping, labels []column.Label) {
	for i := range labels {
		if l := &labels[i]; l.Own {
			var e form.Evidence
			s.numbersOf(m, l.Column, &e)
			l.Numbers.Decimal, _, _ = e.Decide()
		}
	}
}

// forms settles the forms of numbers and dates from the sample; the whole of the values decides once they are read.
func (s *sample) forms(f *tabular.File, m *Mapping) {
	told := map[field.Field]*column.Heard{}
	for of, src := range m.Sources {
		if src.Column < 0 {
			continue
		}
		h := &column.Heard{Read: true}
		told[of] = h
		switch src.Spec.Form {
		case field.Number:
			s.numbersOf(m, src.Column, &h.Votes)
		case field.Time:
			s.texts(m, src.Column, h.DayVotes.Add)
		}
	}
	m.decide(f, told)
	for _, src := range m.Sources {
		s.decideOwn(m, src.Labels)
	}
	if m.Filter != nil {
		s.decideOwn(m, m.Filter.Labels)
	}
}

// Hearing gives the mapping as it is by what all values of a file told of their forms, and tells whether the form of a column is
// another now.
func (m *Mapping) Hearing(f *tabular.File, told map[field.Field]*column.Heard) (now *Mapping, changed bool) {
	out := *m
	out.Columns, out.Asks, out.Sources = slices.Clone(m.Columns), slices.Clone(m.Asks), map[field.Field]*column.Source{}
	for of, src := range m.Sources {
		own := *src
		out.Sources[of] = &own
	}
	for _, src := range out.Sources {
		src.Labels = column.Relink(src.Labels, out.Sources)
	}
	if m.Filter != nil {
		own := *m.Filter
		own.Labels = column.Relink(own.Labels, out.Sources)
		out.Filter = &own
	}
	changed = out.decide(f, told)
	return &out, changed
}

// decide settles the form of every column of numbers or dates that was not settled by hand, from what its values told. It tells
// whether one of them changed.
func (m *Mapping) decide(f *tabular.File, told map[field.Field]*column.Heard) (changed bool) {
	kind, dialect := f.Of(m.Sheet)
	// A column whose own values are even goes with the file's other columns, and with what parts its cells.
	var file form.Evidence
	for _, h := range told {
		file.Point += min(h.Votes.Point, 1)
		file.Comma += min(h.Votes.Comma, 1)
	}
	m.Asks = slices.DeleteFunc(m.Asks, func(a Ask) bool {
		h := told[a.Field]
		return (a.What == "decimal" || a.What == "dates") && h != nil && h.Read
	})
	for of, src := range m.Sources {
		h := told[of]
		switch {
		case h == nil || !h.Read || src.Column < 0 && src.Spec.Form != field.Time:
		case src.Spec.Form == field.Number && !src.Settled:
			decimal, why, sure := h.Votes.Decide()
			if !sure && h.Votes.Point == 0 && h.Votes.Comma == 0 {
				switch {
				case file.Point > file.Comma:
					decimal, why, sure = ".", "the other columns write a decimal point", true
				case file.Comma > file.Point:
					decimal, why, sure = ",", "the other columns write a decimal comma", true
				case kind == tabular.Text && dialect.Delimiter == ',' && strings.Contains(h.Votes.Example, "."):
					decimal, why, sure = ".", "a comma parts the cells, so the decimal sign is a point", true
				}
			}
			if !sure {
				m.Asks = append(
					m.Asks,
					Ask{
						What:    "decimal",
						Example: h.Votes.Example,
						Column:  tabular.ColumnName(src.Column),
						Field:   of,
						Text:    fmt.Sprintf("In column %s %s.", tabular.ColumnName(src.Column), why),
						Options: []Option{
							{
								Label: "Decimal point: " + shown(h.Votes.Example, "."),
								Set:   layout.Choice{Numbers: form.Numbers{Decimal: "."}},
							},
							{
								Label: "Decimal comma: " + shown(h.Votes.Example, ","),
								Set:   layout.Choice{Numbers: form.Numbers{Decimal: ","}},
							},
						},
					},
				)
			}
			if old := src.Numbers.Decimal; old != decimal && (old != "" || decimal != ".") {
				changed = true
			}
			src.Numbers.Decimal = decimal
			m.because(src, why)
		case src.Spec.Form == field.Time && !src.Settled:
			order, why, sure := h.DayVotes.Decide()
			if !sure {
				m.Asks = append(m.Asks, m.whichOrder(of, src, why, h.DayVotes.Example))
			}
			if old := src.Dates.Order; old != order && (old != "" || order != "ymd") {
				changed = true
			}
			src.Dates.Order = order
			m.because(src, why)
		}
	}
	slices.SortStableFunc(m.Asks, func(a, b Ask) int { return strings.Compare(a.Column+a.What, b.Column+b.What) })
	return changed
}

// whichOrder asks for the order of a column's dates, or of those that a formula gives.
func (m *Mapping) whichOrder(of field.Field, src *column.Source, why, example string) Ask {
	day, month := layout.Choice{}, layout.Choice{}
	a := Ask{What: "dates", Field: of, Text: fmt.Sprintf("In what is worked out for %s %s.", strings.ToLower(src.Spec.Title), why)}
	if src.Column >= 0 {
		a.Column = tabular.ColumnName(src.Column)
		a.Text = fmt.Sprintf("In column %s %s.", a.Column, why)
	} else {
		for i := range m.Worked {
			if m.Worked[i].Field == of {
				day, month = m.Worked[i].choice, m.Worked[i].choice
			}
		}
	}
	day.Order, month.Order = "dmy", "mdy"
	a.Options = []Option{
		{Label: "Day first: " + inWords(example, "dmy"), Set: day},
		{Label: "Month first: " + inWords(example, "mdy"), Set: month},
	}
	return a
}

// because adds the reason for a column's form to the reason for its field.
func (m *Mapping) because(src *column.Source, why string) {
	if src.Column < 0 {
		return
	}
	c := &m.Columns[src.Column]
	c.Why, _, _ = strings.Cut(c.Why, "; ")
	if why != "" {
		c.Why += "; " + why
	}
}

func shown(example, decimal string) string {
	if w, ok := form.TakeApart(example); ok {
		if p, ok := w.Plain(decimal); ok {
			return example + " is " + p
		}
	}
	return example
}

func inWords(example, order string) string {
	d, ok := form.TakeDate(example)
	if !ok {
		return example
	}
	day, month := d.Parts[0], d.Parts[1]
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
