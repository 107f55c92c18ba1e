package recognise

import (
	"fmt"
	"slices"
	"strings"

	"wobin/internal/core/field"
	"wobin/internal/core/layout"
	"wobin/internal/core/tabular"
)

// Parts of headers of further barcodes of an item: the barcode's name with a number, or a word for another one.
var (
	barcodeParts = partsOf("barcode, barcodes, ean, gtin, upc, strichcode")
	furtherParts = partsOf("second, third, secondary, alternate, alternative, alt, additional, further, other, extra, weitere, weiterer, autre, otro, extra")
)

// severalBarcodes takes further columns of barcodes together with the first: an item has as many as it comes with.
func (m *Mapping) severalBarcodes(s *sample, given *layout.Layout) {
	first := m.At(field.Barcode)
	if m.Kind != field.Items || m.NoHeader || first < 0 ||
		slices.ContainsFunc(given.Columns, func(c layout.Choice) bool { return c.Field == field.Barcode }) {
		return
	}
	all := []string{m.Label(first)}
	for i := range m.Columns {
		c := &m.Columns[i]
		if c.Field != "" || c.settled || s.column(m, i).filled == 0 || !furtherBarcode(c.Header) {
			continue
		}
		all = append(all, m.Label(i))
		c.Why = "a further barcode of the item, taken with the first"
	}
	if len(all) == 1 {
		return
	}
	c := &m.Columns[first]
	c.Field, c.Why = "", "the first barcode of the item, taken with the further ones"
	m.Worked = append(m.Worked, Worked{Field: field.Barcode, choice: layout.Choice{Field: field.Barcode, Formula: strings.Join(all, ` & " " & `)}})
}

// furtherBarcode tells whether a header is that of a further barcode, as Barcode 2, and of nothing else, as that of a pack.
func furtherBarcode(header string) bool {
	parts := field.BareParts(header)
	others := slices.DeleteFunc(slices.Clone(parts), func(p string) bool { return slices.Contains(barcodeParts, p) })
	return len(others) > 0 && len(others) < len(parts) && !slices.ContainsFunc(others, func(p string) bool {
		return strings.Trim(p, "0123456789") != "" && !slices.Contains(furtherParts, p) && p != "code" && p != "no" && p != "number"
	})
}

// AsksPointZero is the question about codes that end in .0 throughout.
const AsksPointZero = "point zero"

// askPointZero asks about codes that all end in .0, as a program wrote them that took them for numbers.
func (m *Mapping) askPointZero(s *sample) {
	for i := range m.Columns {
		c := &m.Columns[i]
		sp := field.SpecOf(m.Kind, c.Field)
		if c.Field == "" || c.settled || sp == nil || sp.Form != field.Code {
			continue
		}
		x := s.column(m, i)
		example, all := "", x.filled > 0
		for v := range x.values {
			whole, is := strings.CutSuffix(v, ".0")
			all = all && is && whole != "" && strings.Trim(whole, "0123456789") == ""
			example = v
		}
		if !all {
			continue
		}
		letter, here := tabular.ColumnName(i), m.Label(i)
		m.Asks = append(m.Asks, Ask{What: AsksPointZero, Column: letter, Field: c.Field, Example: example,
			Text: fmt.Sprintf("All codes in column %s end in .0, such as %s, as a program writes numbers. Are they codes without it?", letter, example),
			Options: []Option{
				{Label: "Yes: " + strings.TrimSuffix(example, ".0"), Set: layout.Choice{Field: c.Field,
					Formula: fmt.Sprintf(`IF(RIGHT(%s; 2) = ".0"; LEFT(%s; LEN(%s) - 2); %s)`, here, here, here, here)}},
				{Label: "No: they are right as they stand", Set: layout.Choice{Column: letter, Field: c.Field}},
			}})
	}
}
