package recognise

import (
	"fmt"
	"slices"
	"strings"
	"unicode"

	"wobin/internal/core/code"
	"wobin/internal/core/field"
	"wobin/internal/core/layout"
	"wobin/internal/core/problem"
	"wobin/internal/core/tabular"
)

// Parts of headers that name levels between warehouse and bin: what bins stand in, and what is within one. A bin's code is made of them
// from the outside in.
var (
	outerParts = partsOf(
		"company, site, building, hall, floor, storey, zone, area, section, room, department, aisle, row, block, " +
			"gebäude, halle, etage, stockwerk, geschoss, abteilung, reihe, gang, bâtiment, étage, allée, gebouw, verdieping, edificio, planta, piso, pasillo",
	)
	innerParts = partsOf("sublocation, sub, bay, shelf, level, tier, position, slot, compartment, ebene, fach, niveau, estante, nivel")
)

// Questions about levels: whether one is part of the bin's code, and whether a bin is made of them.
const (
	AsksLevel  = "level"
	AsksMadeOf = "bins of levels"
)

// levelAt tells whether a column that nothing was made of names a level between warehouse and bin, by its header.
func (m *Mapping) levelAt(i int) bool {
	c := &m.Columns[i]
	if c.Field != "" || c.settled || m.aside(i) || m.NoHeader {
		return false
	}
	parts := field.BareParts(c.Header + " " + m.overhead(i))
	others := slices.DeleteFunc(slices.Clone(parts), func(p string) bool {
		return slices.Contains(outerParts, p) || slices.Contains(innerParts, p)
	})
	return len(others) < len(parts) && !HasPart(others, harmlessParts)
}

// levelsAmong gives the headers that name levels between warehouse and bin, two different ones of them at most: as Aisle and Bay beside
// Row.
func levelsAmong(headers []string) []string {
	out := []string{}
	for _, h := range headers {
		if len(out) < 2 && !slices.Contains(out, h) {
			if parts := field.BareParts(h); (HasPart(parts, outerParts) || HasPart(parts, innerParts)) && !HasPart(parts, harmlessParts) {
				out = append(out, h)
			}
		}
	}
	return out
}

// mostLevels is how many levels a file may have between warehouse and bin.
const mostLevels = 12

// levelColumns gives the columns that name levels between warehouse and bin and nothing else was made of.
func (m *Mapping) levelColumns() (out []int) {
	for i := range m.Columns {
		if len(out) < mostLevels && m.levelAt(i) {
			out = append(out, i)
		}
	}
	return out
}

// within tells whether a level is one within bins rather than around them.
func (m *Mapping) within(i int) bool {
	return HasPart(field.BareParts(m.Columns[i].Header), innerParts)
}

// placed are the kinds whose rows lie in bins.
var placed = []field.Kind{field.Stock, field.Counts, field.Movements, field.Places}

// levels settles what needs no question about levels between warehouse and bin: where nothing says bins, zones are the places that are
// counted; a level that tells no bins apart is the zone, or is kept beside the line.
func (m *Mapping) levels(s *sample, given *layout.Layout) {
	if !slices.Contains(placed, m.Kind) || m.NoHeader ||
		slices.ContainsFunc(given.Columns, func(c layout.Choice) bool { return c.Field == field.Bin }) {
		return
	}
	worked := func(f field.Field) bool {
		return slices.ContainsFunc(m.Worked, func(w Worked) bool { return w.Field == f })
	}
	if at := m.At(field.Zone); at >= 0 && m.At(field.Bin) < 0 && !worked(field.Bin) && m.Turned == nil &&
		len(m.levelColumns()) == 0 && s.column(m, at).filled > 0 {
		m.Worked = append(m.Worked, Worked{Field: field.Bin, choice: layout.Choice{Field: field.Bin, Formula: m.Label(at)}})
		return
	}
	if m.At(field.Bin) < 0 {
		return
	}
	for _, i := range m.levelColumns() {
		c := &m.Columns[i]
		if s.column(m, i).filled == 0 || len(m.fallTogether(s, i)) > 0 || m.fewBins(s) {
			continue
		}
		why := ""
		switch {
		case m.At(field.Zone) < 0 && !worked(field.Zone) && !m.within(i):
			c.Field, why = field.Zone, "it tells no bins of one code apart: it is the zone"
		case m.Kind == field.Stock && code.Trim(c.Header) != "":
			c.Field, why = field.Field(field.LineAttribute+code.Trim(c.Header)), "it tells no bins of one code apart: it is kept beside the line"
		}
		if why != "" {
			c.Why = why
		}
	}
}

// fewBins tells whether a file has too few bins to say whether its codes stand for one place each: some bare numbers.
func (m *Mapping) fewBins(s *sample) bool {
	x := s.column(m, m.At(field.Bin))
	return len(x.values) < 10 && !slices.ContainsFunc(keys(x.values), func(v string) bool {
		return len(v) > 3 || strings.ContainsFunc(v, unicode.IsLetter)
	})
}

// underTwo is a bin that stands under two values of a level.
type underTwo struct{ bin, one, other string }

// fallTogether gives the bins that a level tells apart.
func (m *Mapping) fallTogether(s *sample, level int) (out []underTwo) {
	cell := func(row []string, i int) string {
		if i >= 0 && i < len(row) {
			return row[i]
		}
		return ""
	}
	first, told := map[[2]string]string{}, map[[2]string]bool{}
	for n, row := range s.rows {
		bin := cell(row, m.At(field.Bin))
		value := cell(row, level)
		if s.numbers[n] <= m.HeaderRow || bin == "" || value == "" || m.Resembles(row) != "" {
			continue
		}
		k := [2]string{cell(row, m.At(field.Warehouse)), bin}
		if one, had := first[k]; !had {
			first[k] = value
		} else if one != value && !told[k] {
			told[k] = true
			out = append(out, underTwo{bin, one, value})
		}
	}
	return out
}

// askLevels asks about levels that tell bins of one code apart: these would be one place. Where nothing says bins, it asks what a bin is
// made of.
func (m *Mapping) askLevels(s *sample) {
	if !slices.Contains(placed, m.Kind) {
		return
	}
	if m.At(field.Bin) < 0 {
		if !m.Has(field.Bin) {
			m.askMadeOf(s)
		}
		return
	}
	for _, i := range m.levelColumns() {
		if m.used(i) || m.asked(i) {
			continue
		}
		bins := m.fallTogether(s, i)
		if len(bins) == 0 {
			continue
		}
		at, letter, name := m.At(field.Bin), tabular.ColumnName(i), code.Trim(m.Columns[i].Header)
		a := Ask{What: AsksLevel, Column: letter, Field: field.Bin, Example: bins[0].bin,
			Text: fmt.Sprintf("Column %s, %q, tells bins of one code apart: %s is under %s and under %s. Is it part of the bin's code?", letter, name,
				problem.Short([]byte(bins[0].bin)), problem.Short([]byte(bins[0].one)), problem.Short([]byte(bins[0].other)))}
		inFront := Option{Label: fmt.Sprintf("Yes, in front of it: %s-%s", bins[0].one, bins[0].bin), Set: m.joined(field.Bin, []int{i, at}),
			Also: m.besideLine(i, at)}
		behind := Option{Label: fmt.Sprintf("Yes, behind it: %s-%s", bins[0].bin, bins[0].one), Set: m.joined(field.Bin, []int{at, i}),
			Also: m.besideLine(i, at)}
		if a.Options = []Option{inFront, behind}; m.within(i) {
			a.Options = []Option{behind, inFront}
		}
		a.Options = append(a.Options, Option{
			Label: fmt.Sprintf("No: bins of one code are one place, wherever they are; %s %s in one",
				problem.Count(len(bins), "code", "codes"), map[bool]string{true: "falls", false: "fall"}[len(bins) == 1]),
			Set: layout.Choice{Column: letter, Field: field.PassedOver}})
		m.Asks = append(m.Asks, a)
	}
}

// askMadeOf asks whether bins are made of the levels of a file that names no bins.
func (m *Mapping) askMadeOf(s *sample) {
	var at []int
	example := ""
	for _, i := range m.levelColumns() {
		if m.asked(i) || s.column(m, i).filled == 0 {
			continue
		}
		at = append(at, i)
		if example != "" {
			example += "-"
		}
		example += s.example(m, i)
	}
	if len(at) == 0 || m.Kind == field.Places {
		return
	}
	var names []string
	var pass []layout.Choice
	for _, i := range at {
		names = append(names, code.Trim(m.Columns[i].Header))
		pass = append(pass, layout.Choice{Column: tabular.ColumnName(i), Field: field.PassedOver})
	}
	a := Ask{What: AsksMadeOf, Column: tabular.ColumnName(at[0]), Field: field.Bin, Example: example,
		Text: fmt.Sprintf("No column holds bins. %s say where things lie. Is a bin made of them?", strings.Join(names, ", "))}
	if len(at) == 1 {
		a.Text = fmt.Sprintf("No column holds bins. Is %s the bin?", names[0])
	}
	all := Option{Label: "Yes: " + example, Set: m.joined(field.Bin, at), Also: m.besideLine(at...)}
	a.Options = []Option{all}
	if outer := at[0]; len(at) > 1 && m.At(field.Zone) < 0 && !m.within(outer) {
		_, rest, _ := strings.Cut(example, "-")
		inZone := Option{Label: fmt.Sprintf("Yes, within the zone %s: %s", s.example(m, outer), rest), Set: m.joined(field.Bin, at[1:]),
			Also: append([]layout.Choice{{Column: tabular.ColumnName(outer), Field: field.Zone}}, m.besideLine(at[1:]...)...)}
		a.Options = append(a.Options, inZone)
	}
	a.Options = append(a.Options, Option{Label: "No, they are not needed: there are no bins", Set: pass[0], Also: pass[1:]})
	m.offered = append(m.offered, at...)
	m.Asks = append(m.Asks, a)
}

// besideLine keeps columns that a code is made of beside the lines too, so that they can come back apart.
func (m *Mapping) besideLine(columns ...int) (out []layout.Choice) {
	if m.Kind != field.Stock {
		return nil
	}
	for _, i := range columns {
		if name := code.Trim(m.Columns[i].Header); name != "" {
			out = append(out, layout.Choice{Column: tabular.ColumnName(i), Field: field.Field(field.LineAttribute + name)})
		}
	}
	return out
}

// joined makes a field of several columns, parted by hyphens; an empty one leaves no hyphen.
func (m *Mapping) joined(f field.Field, columns []int) layout.Choice {
	text := m.Label(columns[0])
	for _, i := range columns[1:] {
		next := m.Label(i)
		text = fmt.Sprintf(`%s & IF(OR(%s = ""; %s = ""); ""; "-") & %s`, text, m.Label(columns[0]), next, next)
	}
	return layout.Choice{Field: f, Formula: text}
}
