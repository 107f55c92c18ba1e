package layout

import (
	"fmt"
	"slices"
	"strings"

	"wobin/internal/core/code"
	"wobin/internal/core/known"
	"wobin/internal/core/tabular"
)

// Across says that a table has items down and places across: each of its columns becomes lines of its own.
type Across struct {
	Place   Field          `json:"place" enum:"warehouse,zone,bin" doc:"what the columns are"`
	Columns []AcrossColumn `json:"columns"`
}

// AcrossColumn is the figures of one place.
type AcrossColumn struct {
	Column string `json:"column,omitempty" doc:"the column's letter; it counts where no header is given"`
	Header string `json:"header,omitempty"`
	Name   string `json:"name" doc:"the place"`
	Field  Field  `json:"field,omitempty" doc:"what the figures are; left out: the quantity"`
}

// turned is how a row with places across becomes lines.
type turned struct {
	place  int // the column that the place is put into, behind those of the file
	groups []turnedPlace
	found  Across   // what of it the file has
	lost   []string // names of places that it has not
}

// turnedPlace is one line of such a row: its place, and for each column behind those of the file where its figure stands.
type turnedPlace struct {
	name    []byte
	from    []int // columns of the file
	figures []int // columns behind those of the file
}

// quantityOf is the field of a kind that a figure stands for where nothing else is said.
func quantityOf(k Kind) Field {
	if k == Counts {
		return Counted
	}
	return Quantity
}

// turn makes columns of the places across that were settled.
func (m *Mapping) turn(a *Across) {
	if a == nil || spec(m.Kind, a.Place) == nil || m.Kind == Items || m.Kind == Places {
		return
	}
	t := &turned{place: len(m.Columns), found: Across{Place: a.Place}}
	at := map[Field]int{}
	add := func(f Field, why string) int {
		m.free(f, "its field comes from the columns of places")
		m.Worked = slices.DeleteFunc(m.Worked, func(w Worked) bool { return w.Field == f })
		m.Columns = append(m.Columns, Column{Index: len(m.Columns), Field: f, settled: true, Why: why})
		return len(m.Columns) - 1
	}
	of := map[string]int{}
	for _, c := range a.Columns {
		from := m.find(&Choice{Column: c.Column, Header: c.Header})
		if from < 0 {
			t.lost = append(t.lost, c.Name)
			continue
		}
		t.found.Columns = append(t.found.Columns, c)
		f := c.Field
		if f == "" {
			f = quantityOf(m.Kind)
		}
		if len(t.groups) == 0 {
			add(a.Place, "the headers of columns say it: each column of a place becomes lines of its own")
		}
		if _, had := at[f]; !had {
			at[f] = add(f, "the figures below the headers of places")
		}
		x := &m.Columns[from]
		x.Field, x.settled, x.Why = "", true, fmt.Sprintf(
			"the %s of %s: its figures become lines of their own",
			strings.ToLower(title(m.Kind, f)),
			c.Name,
		)
		n, had := of[c.Name]
		if !had {
			n = len(t.groups)
			of[c.Name], t.groups = n, append(t.groups, turnedPlace{name: []byte(c.Name)})
		}
		g := &t.groups[n]
		g.from, g.figures = append(g.from, from), append(g.figures, at[f])
	}
	if len(t.groups) > 0 {
		m.turned = t
	}
}

// askAcrossAgain sees that a file has other places across than was settled: further ones would be passed over, and those that it has
// not are named.
func (m *Mapping) askAcrossAgain(s *sample) {
	t := m.turned
	further := Ask{What: "places across"}
	with, none := t.found, Option{Label: "They are not needed"}
	with.Columns = slices.Clone(with.Columns)
	var heads []string
	for i := range m.Columns[:m.shape.width] {
		c := &m.Columns[i]
		x := s.column(m, i)
		if c.settled || c.Field != "" || m.used(i) || isTotal(c.Header) || x.filled == 0 || x.numeric*10 < x.filled*8 || has(parted(c.Header), harmlessParts) {
			continue
		}
		h, letter := code.Trim(m.Columns[i].Header), tabular.ColumnName(i)
		name, field := placeAndMeasure(m.Kind, h)
		with.Columns = append(with.Columns, AcrossColumn{Column: letter, Header: h, Name: name, Field: field})
		none.Also = append(none.Also, Choice{Column: letter, Field: PassedOver})
		heads, m.offered = append(heads, h), append(m.offered, i)
		if further.Column == "" {
			further.Column = letter
		}
	}
	if len(heads) > 0 {
		further.Text = fmt.Sprintf("%s hold figures too, and were not among the places across. Are they further places?", both(heads, 4))
		further.Options = []Option{{Label: "Yes: their figures become lines like the others", File: Layout{Across: &with}}, none}
		m.Asks = append(m.Asks, further)
	}
	if len(t.lost) > 0 {
		m.Asks = append(m.Asks, Ask{What: "places missing", Column: tabular.ColumnName(0),
			Text:    fmt.Sprintf("The columns of %s, which were places across, are not in this file. Is it read without them?", both(t.lost, 4)),
			Options: []Option{{Label: "Yes: nothing of them changes", File: Layout{Across: &t.found}}}})
	}
}

// askAcross sees a table with items down and places across: figures below several headers that say no field.
func (m *Mapping) askAcross(s *sample, known *Known) {
	if m.turned != nil {
		m.askAcrossAgain(s)
		return
	}
	if m.NoHeader || m.Kind == Places || m.Kind == Movements || m.At(SKU) < 0 && m.At(Description) < 0 {
		return
	}
	if q := m.At(quantityOf(m.Kind)); m.Kind != Items && q >= 0 && !m.Columns[q].weak {
		return
	}
	var found []int
	for i := range m.Columns {
		c := &m.Columns[i]
		if c.settled || c.Field != "" || m.used(i) || squeeze(c.Header) == "" || isTotal(c.Header) {
			continue
		}
		x := s.column(m, i)
		if x.filled == 0 || x.numeric*10 < x.filled*8 || has(parted(c.Header), harmlessParts) {
			continue
		}
		found = append(found, i)
	}
	if len(found) < 2 {
		return
	}
	kind := m.Kind
	if kind == Items {
		kind = Stock
	}
	place, sure := m.placeAcross(kind, found, known)
	if place == "" {
		return
	}
	across := func(f Field) Layout {
		a := &Across{Place: f}
		for _, i := range found {
			h := code.Trim(m.Columns[i].Header)
			name, field := placeAndMeasure(kind, h)
			a.Columns = append(a.Columns, AcrossColumn{Column: tabular.ColumnName(i), Header: h, Name: name, Field: field})
		}
		return Layout{Kind: kind, Across: a}
	}
	names := across(Warehouse).Across
	var heads []string
	for i := range names.Columns {
		if n := names.Columns[i].Name; !slices.Contains(heads, n) {
			heads = append(heads, n)
		}
	}
	ask := Ask{What: "places across", Column: tabular.ColumnName(found[0]),
		Text: fmt.Sprintf(
			"Columns %s hold figures below %s, as where items stand down and places across. What are these?",
			m.letters(found),
			both(heads, 4),
		)}
	for _, f := range []Field{Warehouse, Bin} {
		label := fmt.Sprintf("Warehouses: each figure becomes a line of its warehouse (%s)", both(heads, 3))
		if f == Bin {
			label = fmt.Sprintf("Bins: each figure becomes a line of its bin (%s)", both(heads, 3))
		}
		if at := m.At(f); (!sure || f == place) && (at < 0 || m.Columns[at].weak) {
			ask.Options = append(ask.Options, Option{Label: label, File: across(f)})
		}
	}
	if m.Kind == kind {
		sum := make([]string, len(found))
		for i, at := range found {
			sum[i] = m.label(at)
		}
		ask.Options = append(ask.Options, Option{Label: "Parts of the quantity: they are added up",
			Set: Choice{Field: quantityOf(kind), Formula: strings.Join(sum, " + ")}})
	}
	none := Option{Label: "They are not needed"}
	for _, i := range found {
		none.Also = append(none.Also, Choice{Column: tabular.ColumnName(i), Field: PassedOver})
	}
	ask.Options = append(ask.Options, none)
	m.Asks = append(m.Asks, ask)
	m.offered = found
}

// letters lists columns.
func (m *Mapping) letters(columns []int) string {
	names := make([]string, len(columns))
	for i, c := range columns {
		names[i] = tabular.ColumnName(c)
	}
	return both(names, 6)
}

// placeAcross tells what headers across are, and whether the records know them as that; "" where they are figures of one place.
func (m *Mapping) placeAcross(kind Kind, columns []int, k *Known) (f Field, sure bool) {
	for _, f := range []Field{Warehouse, Bin} {
		hits := 0
		for _, i := range columns {
			name, _ := placeAndMeasure(kind, code.Trim(m.Columns[i].Header))
			if _, ok := setOf(k, f).Find(name); ok {
				hits++
			}
		}
		if hits*2 > len(columns) {
			return f, true
		}
	}
	words, coded := 0, 0
	for _, i := range columns {
		h := m.Columns[i].Header
		name, _ := placeAndMeasure(kind, code.Trim(h))
		if parts := parted(name); !has(parts, figureParts) && !has(parts, placeParts) ||
			m.At(Bin) < 0 && len(parts) > 1 && !has(parts, figureParts) {
			words++
		}
		if strings.ContainsAny(name, "0123456789") {
			coded++
		}
	}
	switch {
	case words*10 < len(columns)*8:
		return "", false
	case coded*2 > len(columns):
		return Bin, false
	}
	return Warehouse, false
}

func setOf(k *Known, f Field) *known.Set {
	if k == nil {
		return nil
	}
	return k.Set(f)
}

// placeAndMeasure parts a header such as "NORTH on hand" into the place and what its figures are.
func placeAndMeasure(k Kind, header string) (name string, f Field) {
	for _, f := range []Field{Reserved, Available, quantityOf(k)} {
		s := spec(k, f)
		if s == nil {
			continue
		}
		fields := strings.Fields(header)
		for n := len(fields) - 1; n > 0; n-- {
			if newHeading(strings.Join(fields[n:], " ")).nearly(s.words) {
				return strings.Trim(strings.Join(fields[:n], " "), "-–:/ "), fieldUnless(f, quantityOf(k))
			}
			if newHeading(strings.Join(fields[:n], " ")).nearly(s.words) {
				return strings.Trim(strings.Join(fields[n:], " "), "-–:/ "), fieldUnless(f, quantityOf(k))
			}
		}
	}
	return header, ""
}

// fieldUnless gives a field but where it goes without saying.
func fieldUnless(f, plain Field) Field {
	if f == plain {
		return ""
	}
	return f
}
