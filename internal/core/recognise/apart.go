package recognise

import (
	"fmt"
	"slices"
	"strings"

	"wobin/internal/core/code"
	"wobin/internal/core/field"
	"wobin/internal/core/layout"
	"wobin/internal/core/tabular"
)

// Apart is what tells rows of one key apart: columns that are passed over and differ wherever rows have one key. Ways are what they may be,
// the likeliest first.
type Apart struct {
	Columns []int
	Ways    []Way
}

// Way is one thing that such columns may be, as the end of a sentence, and what settles that.
type Way struct {
	Is  string
	Set []layout.Choice
}

// Parts of headers that say what it is that tells rows of one key apart.
var (
	pieceParts   = partsOf("asset, serial, tag, imei, chassis, vin, seriennummer, série, serie")
	variantParts = partsOf("colour, color, size, variant, variation, model, style, revision, version, farbe, größe, variante, ausführung, couleur, taille, kleur, maat")
	holdingParts = partsOf("owner, ownership, condition, quality, grade, status, state, project, customer, eigentümer, zustand, qualität")
)

// mostApart is how many columns together are tried.
const mostApart = 3

// tellApart finds the columns that are passed over and differ wherever rows have one key: each by itself, else two or three together.
func (m *Mapping) tellApart(s *sample) {
	if m.Kind != field.Stock || m.NoHeader {
		return
	}
	groups := m.sameKey(s)
	if len(groups) == 0 {
		return
	}
	var some []int // that differ somewhere
	for i := range m.Columns {
		if c := &m.Columns[i]; c.Field != "" || m.used(i) || m.aside(i) || m.levelAt(i) {
			continue
		}
		if x := s.column(m, i); x.numbers*10 >= x.filled*9 {
			continue // figures
		}
		switch all, any := s.differ(groups, []int{i}); {
		case all:
			m.Apart = append(m.Apart, m.apart(s, i))
		case any:
			some = append(some, i)
		}
	}
	if len(m.Apart) > 0 || len(some) < 2 || len(some) > 12 {
		return
	}
	for n := 2; n <= min(mostApart, len(some)); n++ {
		if at := s.together(groups, some, n); at != nil {
			m.Apart = append(m.Apart, m.apart(s, at...))
			return
		}
	}
}

// sameKey gives the rows that have a key in common with others, by their places in the sample.
func (m *Mapping) sameKey(s *sample) (out [][]int) {
	by := map[string][]int{}
	for n, row := range s.rows {
		if s.numbers[n] > m.HeaderRow && cellAt(row, m.At(m.Identity)) != "" {
			k := ""
			for _, f := range append(slices.Clone(KeyFields[:]), m.Identity) {
				k += cellAt(row, m.At(f)) + "\x00"
			}
			by[k] = append(by[k], n)
		}
	}
	for _, rows := range by {
		if len(rows) > 1 {
			out = append(out, rows)
		}
	}
	return out
}

func cellAt(row []string, i int) string {
	if i >= 0 && i < len(row) {
		return row[i]
	}
	return ""
}

// differ tells whether columns together differ between all rows of each group, and whether they differ anywhere.
func (s *sample) differ(groups [][]int, columns []int) (all, any bool) {
	all = true
	for _, rows := range groups {
		seen := map[string]bool{}
		for _, n := range rows {
			k := ""
			for _, i := range columns {
				k += cellAt(s.rows[n], i) + "\x00"
			}
			seen[k] = true
		}
		all, any = all && len(seen) == len(rows), any || len(seen) > 1
	}
	return all, any
}

// together gives the first n of some columns that tell all rows apart; nil where none do.
func (s *sample) together(groups [][]int, some []int, n int) []int {
	var try func(taken, rest []int) []int
	try = func(taken, rest []int) []int {
		if len(taken) == n {
			if all, _ := s.differ(groups, taken); all {
				return taken
			}
			return nil
		}
		for i := range rest {
			if at := try(append(slices.Clone(taken), rest[i]), rest[i+1:]); at != nil {
				return at
			}
		}
		return nil
	}
	return try(nil, some)
}

// apart says what columns that tell rows apart may be.
func (m *Mapping) apart(s *sample, columns ...int) Apart {
	a := Apart{Columns: columns}
	sku := m.At(m.Identity)
	example := cellAt(s.firstOf(m), sku)
	for _, i := range columns {
		example += "-" + cellAt(s.firstOf(m), i)
	}
	part := Way{fmt.Sprintf("part of the SKU: %s", strings.TrimRight(example, "-")), []layout.Choice{m.joined(field.SKU, append([]int{sku}, columns...))}}
	if len(columns) > 1 {
		a.Ways = []Way{part}
		return a
	}
	i := columns[0]
	parts := field.BareParts(m.Columns[i].Header)
	fields := []field.Field{field.Lot, field.Serial, field.Holding}
	switch {
	case HasPart(parts, pieceParts):
		fields = []field.Field{field.Serial, field.Lot, field.Holding}
	case HasPart(parts, holdingParts):
		fields = []field.Field{field.Holding, field.Lot, field.Serial}
	}
	for _, f := range fields {
		if !m.Has(f) {
			a.Ways = []Way{{"the " + strings.ToLower(Title(m.Kind, f)), []layout.Choice{{Column: tabular.ColumnName(i),
				Header: code.Trim(m.Columns[i].Header), Field: f}}}}
			break
		}
	}
	if m.Identity == field.SKU {
		if a.Ways = append(a.Ways, part); HasPart(parts, variantParts) {
			slices.Reverse(a.Ways)
		}
	}
	return a
}

// firstOf is the first row below the header.
func (s *sample) firstOf(m *Mapping) []string {
	for n, row := range s.rows {
		if s.numbers[n] > m.HeaderRow && m.Resembles(row) == "" && cellAt(row, m.At(m.Identity)) != "" {
			return row
		}
	}
	return nil
}
