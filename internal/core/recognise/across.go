package recognise

import (
	"fmt"
	"slices"
	"strings"

	"wobin/internal/core/code"
	"wobin/internal/core/field"
	"wobin/internal/core/known"
	"wobin/internal/core/layout"
	"wobin/internal/core/problem"
	"wobin/internal/core/tabular"
)

// AcrossRows is how a row with places across becomes lines.
type AcrossRows struct {
	Place  int // the column that the place is put into, behind those of the file
	Groups []TurnedPlace
	found  layout.Across // what of it the file has
	lost   []string      // names of places that it has not
}

// TurnedPlace is one line of such a row: its place, and for each column behind those of the file where its figure stands.
type TurnedPlace struct {
	Name    []byte
	From    []int // columns of the file
	Figures []int // columns behind those of the file
}

// quantityOf is the field of a kind that a figure stands for where nothing else is said.
func quantityOf(k field.Kind) field.Field {
	if k == field.Counts {
		return field.Counted
	}
	return field.Quantity
}

// turn makes columns of the places across that were settled.
func (m *Mapping) turn(a *layout.Across) {
	if a == nil || field.SpecOf(m.Kind, a.Place) == nil || m.Kind == field.Items || m.Kind == field.Places {
		return
	}
	t := &AcrossRows{Place: len(m.Columns), found: layout.Across{Place: a.Place}}
	at := map[field.Field]int{}
	add := func(f field.Field, why string) int {
		m.free(f, "its field comes from the columns of places")
		m.Worked = slices.DeleteFunc(m.Worked, func(w Worked) bool { return w.Field == f })
		m.Columns = append(m.Columns, Column{Index: len(m.Columns), Field: f, settled: true, Why: why})
		return len(m.Columns) - 1
	}
	of := map[string]int{}
	for _, c := range a.Columns {
		from := m.find(&layout.Choice{Column: c.Column, Header: c.Header})
		if from < 0 {
			t.lost = append(t.lost, c.Name)
			continue
		}
		t.found.Columns = append(t.found.Columns, c)
		f := c.Field
		if f == "" {
			f = quantityOf(m.Kind)
		}
		if len(t.Groups) == 0 {
			add(a.Place, "the headers of columns say it: each column of a place becomes lines of its own")
		}
		if _, had := at[f]; !had {
			at[f] = add(f, "the figures below the headers of places")
		}
		x := &m.Columns[from]
		x.Field, x.settled, x.Why = "", true, fmt.Sprintf(
			"the %s of %s: its figures become lines of their own",
			strings.ToLower(Title(m.Kind, f)),
			c.Name,
		)
		n, had := of[c.Name]
		if !had {
			n = len(t.Groups)
			of[c.Name], t.Groups = n, append(t.Groups, TurnedPlace{Name: []byte(c.Name)})
		}
		g := &t.Groups[n]
		g.From, g.Figures = append(g.From, from), append(g.Figures, at[f])
	}
	if len(t.Groups) > 0 {
		m.Turned = t
	}
}

// Turns tells whether each cell of a column becomes a line of its own.
func (m *Mapping) Turns(column int) bool {
	return m.Turned != nil && slices.ContainsFunc(m.Turned.Groups, func(g TurnedPlace) bool { return slices.Contains(g.From, column) })
}

// askAcrossAgain sees that a file has other places across than was settled: further ones would be passed over, and those that it has
// not are named.
func (m *Mapping) askAcrossAgain(s *sample) {
	t := m.Turned
	further := Ask{What: "places across"}
	with, none := t.found, Option{Label: "They are not needed"}
	with.Columns = slices.Clone(with.Columns)
	var heads []string
	for i := range m.Columns[:m.Shape.Width] {
		c := &m.Columns[i]
		x := s.column(m, i)
		if c.settled || c.Field != "" || m.used(i) || IsTotal(c.Header) || x.filled == 0 || x.numeric*10 < x.filled*8 ||
			HasPart(field.Parted(c.Header), harmlessParts) {
			continue
		}
		h, letter := code.Trim(m.Columns[i].Header), tabular.ColumnName(i)
		name, of := placeAndMeasure(m.Kind, h)
		with.Columns = append(with.Columns, layout.AcrossColumn{Column: letter, Header: h, Name: name, Field: of})
		none.Also = append(none.Also, layout.Choice{Column: letter, Field: field.PassedOver})
		heads, m.offered = append(heads, h), append(m.offered, i)
		if further.Column == "" {
			further.Column = letter
		}
	}
	if len(heads) > 0 {
		further.Text = fmt.Sprintf(
			"%s hold figures too, and were not among the places across. Are they further places?",
			problem.Both(heads, 4),
		)
		further.Options = []Option{{Label: "Yes: their figures become lines like the others", File: layout.Layout{Across: &with}}, none}
		m.Asks = append(m.Asks, further)
	}
	if len(t.lost) > 0 {
		m.Asks = append(m.Asks, Ask{What: "places missing", Column: tabular.ColumnName(0),
			Text: fmt.Sprintf(
				"The columns of %s, which were places across, are not in this file. Is it read without them?",
				problem.Both(t.lost, 4),
			),
			Options: []Option{{Label: "Yes: nothing of them changes", File: layout.Layout{Across: &t.found}}}})
	}
}

// askAcross sees a table with items down and places across: figures below several headers that say no field.
func (m *Mapping) askAcross(s *sample, known *Known) {
	if m.Turned != nil {
		m.askAcrossAgain(s)
		return
	}
	if m.NoHeader || m.Kind == field.Places || m.Kind == field.Movements || m.At(field.SKU) < 0 && m.At(field.Description) < 0 {
		return
	}
	if q := m.At(quantityOf(m.Kind)); m.Kind != field.Items && q >= 0 && !m.Columns[q].weak {
		return
	}
	var found []int
	for i := range m.Columns {
		c := &m.Columns[i]
		if c.settled || c.Field != "" || m.used(i) || field.Squeeze(c.Header) == "" || IsTotal(c.Header) || slices.Contains(m.offered, i) {
			continue
		}
		x := s.column(m, i)
		if x.filled == 0 || x.numeric*10 < x.filled*8 || HasPart(field.Parted(c.Header), harmlessParts) {
			continue
		}
		found = append(found, i)
	}
	if len(found) < 2 {
		return
	}
	kind := m.Kind
	if kind == field.Items {
		kind = field.Stock
	}
	place, sure := m.placeAcross(kind, found, known)
	if place == "" {
		return
	}
	across := func(f field.Field) layout.Layout {
		a := &layout.Across{Place: f}
		for _, i := range found {
			h := code.Trim(m.Columns[i].Header)
			name, of := placeAndMeasure(kind, h)
			a.Columns = append(a.Columns, layout.AcrossColumn{Column: tabular.ColumnName(i), Header: h, Name: name, Field: of})
		}
		return layout.Layout{Kind: kind, Across: a}
	}
	names := across(field.Warehouse).Across
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
			problem.Both(heads, 4),
		)}
	for _, f := range []field.Field{field.Warehouse, field.Bin} {
		label := fmt.Sprintf("Warehouses: each figure becomes a line of its warehouse (%s)", problem.Both(heads, 3))
		if f == field.Bin {
			label = fmt.Sprintf("Bins: each figure becomes a line of its bin (%s)", problem.Both(heads, 3))
		}
		if at := m.At(f); (!sure || f == place) && (at < 0 || m.Columns[at].weak) {
			ask.Options = append(ask.Options, Option{Label: label, File: across(f)})
		}
	}
	if m.Kind == kind {
		sum := make([]string, len(found))
		for i, at := range found {
			sum[i] = m.Label(at)
		}
		ask.Options = append(ask.Options, Option{Label: "Parts of the quantity: they are added up",
			Set: layout.Choice{Field: quantityOf(kind), Formula: strings.Join(sum, " + ")}})
	}
	none := Option{Label: "They are not needed"}
	for _, i := range found {
		none.Also = append(none.Also, layout.Choice{Column: tabular.ColumnName(i), Field: field.PassedOver})
	}
	ask.Options = append(ask.Options, none)
	m.Asks = append(m.Asks, ask)
	m.offered = append(m.offered, found...)
}

// letters lists columns.
func (m *Mapping) letters(columns []int) string {
	names := make([]string, len(columns))
	for i, c := range columns {
		names[i] = tabular.ColumnName(c)
	}
	return problem.Both(names, 6)
}

// placeAcross tells what headers across are, and whether the records know them as that; "" where they are figures of one place.
func (m *Mapping) placeAcross(kind field.Kind, columns []int, k *Known) (f field.Field, sure bool) {
	for _, f := range []field.Field{field.Warehouse, field.Bin} {
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
		if parts := field.Parted(name); !HasPart(parts, figureParts) && !HasPart(parts, placeParts) ||
			m.At(field.Bin) < 0 && len(parts) > 1 && !HasPart(parts, figureParts) {
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
		return field.Bin, false
	}
	return field.Warehouse, false
}

func setOf(k *Known, f field.Field) *known.Set {
	if k == nil {
		return nil
	}
	return k.Set(f)
}

// placeAndMeasure parts a header such as "NORTH on hand" into the place and what its figures are.
func placeAndMeasure(k field.Kind, header string) (name string, f field.Field) {
	for _, f := range []field.Field{field.Reserved, field.Available, quantityOf(k)} {
		s := field.SpecOf(k, f)
		if s == nil {
			continue
		}
		fields, by := strings.Fields(header), " "
		if len(fields) == 1 {
			fields, by = strings.Split(header, "_"), "_"
		}
		for n := len(fields) - 1; n > 0; n-- {
			if measures(fields[n:], s, k) {
				return strings.Trim(strings.Join(fields[:n], by), "-–:/_ "), fieldUnless(f, quantityOf(k))
			}
			if measures(fields[:n], s, k) {
				return strings.Trim(strings.Join(fields[n:], by), "-–:/_ "), fieldUnless(f, quantityOf(k))
			}
		}
	}
	return header, ""
}

// measureParts are words that say by themselves, beside the name of a place, that figures are what is there.
var measureParts = partsOf("stock, inventory, balance, bestand, voorraad, existencias")

// measures tells whether words beside the name of a place say that the figures are those of a field.
func measures(words []string, s *field.Spec, k field.Kind) bool {
	return field.NewHeading(strings.Join(words, " ")).Nearly(s.AsWords) ||
		s.Field == quantityOf(k) && len(words) == 1 && HasPart(field.BareParts(words[0]), measureParts)
}

// fieldUnless gives a field but where it goes without saying.
func fieldUnless(f, plain field.Field) field.Field {
	if f == plain {
		return ""
	}
	return f
}
