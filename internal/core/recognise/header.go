package recognise

import (
	"fmt"
	"slices"
	"strings"

	"wobin/internal/core/field"
	"wobin/internal/core/form"
)

// header is what stands at the head of a table: one row, or several that are read together.
type header struct {
	first, last int             // places in the sample
	names       int             // the lowest row of names; units may stand below it
	texts       []string        // what each column is called: what stands in it, from above to below
	alone       []string        // the lowest text by itself, where what stands above it says nothing else; "" elsewhere
	under       []string        // the lowest text, below a group that says something else; "" elsewhere
	lowest      []string        // the row of names as it stands
	over        []string        // the row right above it, which is no part of it; nil where there is none
	heads       []field.Heading // texts as they are compared
	lone        []field.Heading // alone as they are compared
	groups      bool            // what stands above says of some columns what they are
}

// mostHeaderRows is how many rows a header may have, units below it not counted.
const mostHeaderRows = 3

// neutral are parts of groups above columns that say nothing else than the columns do.
var neutral = partsOf(
	"item, items, article, product, material, part, stock, inventory, data, detail, details, information, info, general, master, " +
		"basic, place, storage, identification, codes, quantities, quantity, figures, figure, recorded, current, record, records, line, lines, valuation, " +
		"value, cost, costs, count, header, main, artikel, artikeldaten, stammdaten, bestand, bestände, mengen, lagerort, daten, kosten, wert, article, " +
		"données, général, valeur, artikelgegevens, voorraad, gegevens, artículo, datos, existencias, valor, warehouse, bin, location, site, system",
)

// headers gives what the header may be whose lowest row of names is row i, one of a single row first.
func (s *sample) headers(i int, given int) []header {
	out := s.stacks(i, given)
	for k := range out {
		h := &out[k]
		for at := range h.texts {
			h.heads, h.lone = append(h.heads, s.heading(h.texts[at])), append(h.lone, s.heading(h.alone[at]))
		}
	}
	return out
}

// heading is a text as headers are compared; each is taken apart once.
func (s *sample) heading(text string) field.Heading {
	h, had := s.headings[text]
	if !had {
		if s.headings == nil {
			s.headings = map[string]field.Heading{}
		}
		h = field.NewHeading(text)
		s.headings[text] = h
	}
	return h
}

// stacks gives the same, not yet compared.
func (s *sample) stacks(i int, given int) (out []header) {
	row := s.rows[i]
	out = append(
		out,
		header{first: i, last: i, names: i, lowest: row, texts: row, alone: withoutTable(row), under: make([]string, len(row))},
	)
	for n := 1; n < mostHeaderRows && i-n >= 0 && s.numbers[i-n] == s.numbers[i]-n && s.groupsAbove(s.rows[i-n], row) && given != 1; n++ {
		above := out[len(out)-1]
		out = append(out, stacked(s.rows[i-n], above, false), stacked(s.rows[i-n], above, true))
	}
	if given > 0 {
		out = slices.DeleteFunc(out, func(h header) bool { return h.last-h.first+1 != given && len(out) > 1 })
	}
	if given == 1 || i+1 >= len(s.rows) || s.numbers[i+1] != s.numbers[i]+1 || !unitsRow(s.rows[i+1]) {
		return out
	}
	for k := range out { // the units stand in brackets behind the names
		h := &out[k]
		h.last, h.texts = i+1, slices.Clone(h.texts)
		h.alone = slices.Clone(h.alone)
		for at, unit := range s.rows[i+1] {
			if unit = strings.Trim(unit, "()[] "); unit == "" || at >= len(h.texts) {
				continue
			}
			if h.texts[at] += " (" + unit + ")"; h.alone[at] != "" {
				h.alone[at] += " (" + unit + ")"
			}
		}
	}
	return out
}

// groupsAbove tells whether a row right above the names of columns may name groups of them, or be the first part of their names.
func (s *sample) groupsAbove(row, names []string) bool {
	filled := 0
	for at, text := range row {
		if text == "" {
			continue
		}
		coded := text[0] > '9' && !strings.ContainsAny(text, " /.") // W1, NORTH-2
		if filled++; len(text) > 40 || strings.Contains(text, ":") || strings.ContainsAny(text, "0123456789") && !coded ||
			at >= len(names) {
			return false
		}
	}
	for _, name := range names {
		if _, number := form.TakeApart(name); number {
			return false // a line of the table
		}
	}
	return filled > 0
}

// stacked puts a row above the names of columns. Where it holds groups, a group stands in the first of its columns, as
// merged cells have it; else each of its cells is the beginning of the name below it. A name that has nothing below it
// is one of its own.
func stacked(row []string, below header, groups bool) header {
	h := header{first: below.first - 1, last: below.last, names: below.names, lowest: below.lowest, groups: below.groups}
	group, name := "", ""
	for at := range max(len(row), len(below.texts)) {
		top, under := "", ""
		if at < len(row) {
			top = row[at]
		}
		if at < len(below.texts) {
			under = below.texts[at]
		}
		switch {
		case top != "" && under != "":
			group = top
		case top != "" || !groups:
			group = ""
		}
		switch name = ""; {
		case under == "":
			h.add(top, "", "")
			continue
		case group == "":
			h.add(under, "", "")
			continue
		case strings.HasSuffix(group, "-") && top != "": // a word that is parted at the end of its line
			name = strings.TrimSuffix(group, "-") + under
		default:
			name = group + " " + under
		}
		alone, other := "", ""
		if groups && !slices.ContainsFunc(field.Parted(group), func(p string) bool { return !slices.Contains(neutral, p) }) {
			alone = under
		} else if groups {
			h.groups, other = true, under
		}
		h.add(name, alone, other)
	}
	return h
}

func (h *header) add(text, alone, under string) {
	h.texts, h.alone, h.under = append(h.texts, text), append(h.alone, alone), append(h.under, under)
}

// units are the words of a row that says in what the figures below are.
var units = field.SqueezeAll(
	field.Words(
		"ea, each, pcs, pc, piece, pieces, st, stk, stck, stück, stuks, unit, units, uom, m, metre, meter, mtr, cm, mm, kg, g, l, " +
			"lt, ltr, litre, liter, bx, box, boxes, cs, case, cases, ctn, carton, cartons, pk, pack, packs, pal, pallet, pallets, dz, doz, dozen, eur, usd, gbp, " +
			"chf, sek, nok, dkk, cad, aud, €, $, £, %, no, text, code, date, number, string, integer, decimal, days, rolls, roll, set, sets, pair, pairs",
	),
)

// unitsRow tells whether a row below the names holds units and nothing else.
func unitsRow(row []string) bool {
	filled := 0
	for _, text := range row {
		if text = strings.Trim(text, "()[] "); text == "" {
			continue
		}
		if filled++; text != "€" && text != "$" && text != "£" && text != "%" && !slices.Contains(units, field.Squeeze(text)) {
			return false
		}
	}
	return filled > 0 && (len(row) < 2 || filled < len(row))
}

// why says which rows the header is.
func (h *header) why(s *sample) string {
	from, to := s.numbers[h.first], s.numbers[h.last]
	title := ""
	if from > 1 {
		title = "; what stands above is a title"
	}
	switch {
	case from == to && to == 1:
		return "the first row reads as a header"
	case from == to:
		return fmt.Sprintf("row %d reads as a header; what stands above it is a title", to)
	case to == from+1:
		return fmt.Sprintf("rows %d and %d read together as a header%s", from, to, title)
	}
	return fmt.Sprintf("rows %d to %d read together as a header%s", from, to, title)
}

// withoutTable gives the names of columns without that of the table in front of all of them: stock.item_code is item_code. Where they have
// none it gives empty texts.
func withoutTable(row []string) []string {
	out := make([]string, len(row))
	table, _, _ := strings.Cut(row[0], ".")
	if table == "" || len(row) < 2 {
		return out
	}
	for _, name := range row {
		if before, rest, ok := strings.Cut(name, "."); !ok || before != table || rest == "" || strings.ContainsAny(rest, " .") {
			return out
		}
	}
	for i, name := range row {
		out[i] = name[len(table)+1:]
	}
	return out
}
