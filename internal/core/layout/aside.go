package layout

import (
	"slices"

	"wobin/internal/core/code"
)

var totals = squeezed(
	words(
		"total, totals, grand total, sub total, subtotal, sum, sum total, overall, overall total, total quantity, total value, report total, page total, summe, gesamt, gesamtsumme, totaal, somme, suma, totale, end of report, end of list",
	),
)

var totalParts = partsOf("total, totals, subtotal, grandtotal, summe, gesamt, gesamtsumme, zwischensumme, totaal, subtotaal, suma, somme, soustotal")

// isTotal tells whether a text is a word for a total, alone or among others: "Total QUAY", "Report total: 2 items".
func isTotal(text string) bool {
	if slices.Contains(totals, squeeze(text)) {
		return true
	}
	parts := parted(text)
	return has(parts, totalParts) || slices.Contains(parts, "forward") && has(parts, []string{"carried", "brought"})
}

// resembles tells what a row is that names no item: a total, a note, the header again; "" for a line, be it right or
// wrong.
func (m *Mapping) resembles(row []string) string {
	at := func(f Field) string {
		if s := m.sources[f]; s != nil && s.column >= 0 && s.column < len(row) {
			return row[s.column]
		}
		return ""
	}
	id := at(m.Identity)
	if m.Kind == Places {
		id = at(Bin)
		if id == "" {
			id = at(Warehouse)
		}
	}
	if id != "" {
		if h := m.header(m.Identity); !m.NoHeader && id == code.Trim(h) && m.sameAsHeader(row) {
			return "headers that come again"
		}
		if isTotal(id) && at(Bin) == "" && at(Lot) == "" && at(Description) == "" && (at(Warehouse) == "" || at(Warehouse) == id) {
			return "totals"
		}
		return ""
	}
	if at(RowCode) != "" {
		return ""
	}
	numbers, filled, total := false, 0, false
	names := at(Bin) != "" || at(Lot) != "" || at(Serial) != ""
	for i, text := range row {
		if text == "" {
			continue
		}
		filled++
		total = total || isTotal(text) && (!names || text == at(Bin))
		for _, s := range m.sources {
			numbers = numbers || s.column == i && s.spec.Form == Number
		}
	}
	switch {
	case total:
		return "totals"
	case !numbers && filled <= 3:
		return "notes"
	}
	return ""
}

func (m *Mapping) sameAsHeader(row []string) bool {
	for i := range m.Columns[:min(m.shape.width, len(m.Columns))] { // not those behind the file's own
		if m.Columns[i].Field != "" && (i >= len(row) || row[i] != code.Trim(m.Columns[i].Header)) {
			return false
		}
	}
	return true
}
