package recognise

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"wobin/internal/core/code"
	"wobin/internal/core/field"
	"wobin/internal/core/layout"
	"wobin/internal/core/problem"
	"wobin/internal/core/tabular"
)

// askHidden asks about rows that are hidden in the workbook, as a filter leaves them: who looks at it does not see them.
func (m *Mapping) askHidden(s *sample, given *layout.Layout) {
	hidden := slices.DeleteFunc(slices.Clone(s.hidden), func(row int) bool { return row <= m.HeaderRow })
	if len(hidden) == 0 || given.Hidden != "" {
		return
	}
	m.Asks = append(m.Asks, Ask{What: "hidden rows", Column: tabular.ColumnName(0),
		Text: fmt.Sprintf("%s of the sheet, first row %d, %s hidden in the workbook, as by a filter. Are they meant?",
			problem.Count(len(hidden), "row", "rows"), hidden[0], map[bool]string{true: "is", false: "are"}[len(hidden) == 1]),
		Options: []Option{
			{Label: "Yes: take them like the others", File: layout.Layout{Hidden: "take"}},
			{Label: "No: leave hidden rows out", File: layout.Layout{Hidden: "leave"}},
		}})
}

// askHiddenColumns asks about figures in columns that are hidden in the workbook: who made it may have put them away.
func (m *Mapping) askHiddenColumns(s *sample) {
	for i := range m.Columns[:min(len(m.Columns), len(s.columns))] {
		c := &m.Columns[i]
		sp := field.SpecOf(m.Kind, c.Field)
		if !s.columns[i] || c.settled || m.NoHeader || sp == nil || sp.Form != field.Number && sp.Form != field.Time {
			continue
		}
		letter := tabular.ColumnName(i)
		m.Asks = append(m.Asks, Ask{What: "hidden column", Column: letter, Field: c.Field, Example: s.example(m, i),
			Text: fmt.Sprintf("Column %s, %q, reads as %s and is hidden in the workbook. Is it meant?", letter, code.Trim(c.Header), strings.ToLower(sp.Title)),
			Options: []Option{
				{Label: "Yes: it is the " + strings.ToLower(sp.Title), Set: layout.Choice{Column: letter, Field: c.Field}},
				{Label: "No: pass it over", Set: layout.Choice{Column: letter, Field: field.PassedOver}},
			}})
	}
}

// plainSheet are names that spreadsheet programs and exports give to sheets, which are none of warehouses.
var plainSheet = regexp.MustCompile(
	`(?i)^(sheet|table|tabelle|feuil|feuille|blad|hoja|data|export|report|stock|items|inventory|bestand|lines)? ?\d*$`,
)

// mostHouses is how many known warehouses a question offers.
const mostHouses = 12

// askWarehouse asks which warehouse a file is of that does not say it: one of those that are known, those that know its bins first, or
// a new one. Without records nothing is asked.
func (m *Mapping) askWarehouse(s *sample, k *Known) {
	if k == nil || k.Blank || m.HeaderRow == 0 && !m.NoHeader || m.Kind != field.Stock && m.Kind != field.Movements ||
		m.Has(field.Warehouse) ||
		m.Transfers() ||
		slices.ContainsFunc(m.Asks, func(a Ask) bool { return a.What == "together" || a.What == "places across" }) {
		return
	}
	bins := map[string]int{}
	if at := m.At(field.Bin); at >= 0 {
		bins = s.column(m, at).values
	}
	names := slices.Clone(setOf(k, field.Warehouse).Texts())
	code.Sort(names)
	knows := map[string]int{}
	for _, h := range names {
		if k.Bins == nil {
			break
		}
		set := k.Bins(h)
		for b := range bins {
			if _, ok := set.Find(b); ok {
				knows[h]++
			}
		}
	}
	slices.SortStableFunc(names, func(a, b string) int { return knows[b] - knows[a] })
	a := Ask{What: "warehouse", Field: field.Warehouse, Text: "Nothing in it says which warehouse it is of. Which one?"}
	is := func(label, name string) {
		a.Options = append(a.Options, Option{Label: label, Set: layout.Choice{Field: field.Warehouse, Fixed: name}})
	}
	_, known := setOf(k, field.Warehouse).Find(m.SheetName)
	sheet := m.SheetName
	if known || sheet != "" && !plainSheet.MatchString(sheet) && len(sheet) <= 40 {
		label := fmt.Sprintf("%s, as the sheet is called", sheet)
		if !known {
			label = fmt.Sprintf("A new one, %s, as the sheet is called", sheet)
		}
		is(label, sheet)
	}
	for _, h := range names[:min(len(names), mostHouses)] {
		switch {
		case h == sheet || h == "":
		case knows[h] > 0:
			is(fmt.Sprintf("%s, which has %d of its %s", h, knows[h], problem.Count(len(bins), "bin", "bins")), h)
		default:
			is(h, h)
		}
	}
	if _, had := setOf(k, field.Warehouse).Find("MAIN"); !had {
		is("A new one, MAIN (or work the field out, to give another name)", "MAIN")
	}
	m.Asks = append(m.Asks, a)
}
