package recognise

import (
	"regexp"
	"slices"
	"unicode"

	"wobin/internal/core/field"
	"wobin/internal/core/problem"
)

var totals = field.SqueezeAll(
	field.Words(
		"total, totals, grand total, sub total, subtotal, sum, sum total, overall, overall total, total quantity, total value, report total, page total, summe, gesamt, gesamtsumme, totaal, somme, suma, totale, end of report, end of list",
	),
)

var totalParts = partsOf(
	"total, totals, subtotal, grandtotal, summe, gesamt, gesamtsumme, zwischensumme, totaal, subtotaal, suma, somme, soustotal",
)

// longestLabel is how many bytes a cell has at most that says what a row is.
const longestLabel = 500

// IsTotal tells whether a text is a word for a total, alone or among others: "Total QUAY", "Report total: 2 items".
// One that is longer than a label is none.
func IsTotal(text string) bool {
	if len(text) > longestLabel || !hasWord(text) {
		return false
	}
	if slices.Contains(totals, field.Squeeze(text)) {
		return true
	}
	parts := field.Parted(text)
	return HasPart(parts, totalParts) || slices.Contains(parts, "forward") && HasPart(parts, []string{"carried", "brought"})
}

// hasWord tells whether a text has three letters, as every word for a total does. Most cells are numbers and codes.
func hasWord(text string) bool {
	letters := 0
	for _, r := range text {
		if unicode.IsLetter(r) {
			if letters++; letters == 3 {
				return true
			}
		}
	}
	return false
}

// Skip is why a row is no line of a table, and is skipped; empty for a line.
type Skip string

// The reasons. The first three are found by Resembles, the others while rows are read.
const (
	Totals       Skip = "totals"
	Notes        Skip = "notes"
	HeadersAgain Skip = "headers" // those that come again, as on the next page of a list
	BlockHeads   Skip = "blocks"  // headings of blocks
	Hidden       Skip = "hidden"
	Filtered     Skip = "filtered" // left out by the row filter
)

// Skips lists the reasons in the order in which they are told.
var Skips = []Skip{Totals, Notes, HeadersAgain, BlockHeads, Hidden, Filtered}

var skipped = map[Skip][2]string{
	Totals: {"total", "totals"}, Notes: {"note", "notes"}, HeadersAgain: {"header that comes again", "headers that come again"},
	BlockHeads: {"heading of a block", "headings of blocks"}, Hidden: {"hidden row", "hidden rows"},
	Filtered: {"row that the row filter leaves out", "rows that the row filter leaves out"},
}

// Words names n rows that are skipped for a reason: 1 total, 3 totals.
func (s Skip) Words(n int) string { return problem.Count(n, skipped[s][0], skipped[s][1]) }

// Resembles tells what a row is that names no item: a total, a note, the header again; "" for a line, be it right or
// wrong.
func (m *Mapping) Resembles(row []string) Skip {
	at := func(f field.Field) string {
		if s := m.Sources[f]; s != nil && s.Column >= 0 && s.Column < len(row) {
			return row[s.Column]
		}
		return ""
	}
	if m.sameAsHeader(row) {
		return HeadersAgain
	}
	if some := filledOf(row); len(some) == 1 && pageNote.MatchString(some[0]) {
		return Notes
	}
	id := at(m.Identity)
	if m.Kind == field.Places {
		id = at(field.Bin)
		if id == "" {
			id = at(field.Warehouse)
		}
	}
	if id != "" {
		if IsTotal(id) && at(field.Bin) == "" && at(field.Lot) == "" && at(field.Description) == "" &&
			(at(field.Warehouse) == "" || at(field.Warehouse) == id) {
			return Totals
		}
		return ""
	}
	if at(field.RowCode) != "" {
		return ""
	}
	numbers, filled, total := false, 0, false
	names := at(field.Bin) != "" || at(field.Lot) != "" || at(field.Serial) != ""
	for i, text := range row {
		if text == "" {
			continue
		}
		filled++
		total = total || IsTotal(text) && (!names || text == at(field.Bin))
		for _, s := range m.Sources {
			numbers = numbers || s.Column == i && s.Spec.Form == field.Number
		}
	}
	switch {
	case total:
		return Totals
	case !numbers && filled <= 3 && !(names && filled > 1):
		return Notes
	}
	return ""
}

// sameAsHeader tells whether a row is one of the header's, as on the next page of a list.
func (m *Mapping) sameAsHeader(row []string) bool {
	return slices.ContainsFunc(m.HeadRows, func(head []string) bool {
		some := false
		for i := range m.Columns[:min(m.Shape.Width, len(m.Columns))] { // not those behind the file's own
			is, was := "", ""
			if i < len(row) {
				is = row[i]
			}
			if i < len(head) {
				was = head[i]
			}
			if is != was && (m.Columns[i].Field != "" || was == "") {
				return false
			}
			some = some || was != "" && is == was
		}
		return some
	})
}

// pageNote is what stands by itself between the pages of a list.
var pageNote = regexp.MustCompile(`(?i)^(page|seite|página|pagina|blad|feuille|sheet) *:? *\d+( *(of|von|de|van|sur|/) *\d+)?$|^(continued|printed by|end of page)\b`)

// filledOf gives the cells of a row that hold something.
func filledOf(row []string) []string {
	return slices.DeleteFunc(slices.Clone(row), func(c string) bool { return c == "" })
}
