package recognise

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"wobin/internal/core/code"
	"wobin/internal/core/field"
	"wobin/internal/core/form"
	"wobin/internal/core/layout"
	"wobin/internal/core/problem"
	"wobin/internal/core/quantity"
	"wobin/internal/core/tabular"
)

// number is a figure in words of a header, such as 100 in "per 100".
var number = regexp.MustCompile(`\d+`)

// thousands are ways to write in a header that figures are in thousands.
var thousands = []string{"000", "000s", "thousand", "thousands", "in thousands", "tsd", "in tsd", "k", "1000", "x 1000", "x1000"}

// askQualified asks about columns whose header says in brackets what may make them something else: Qty (ordered), Qty (CS), Cost (per
// 100).
func (m *Mapping) askQualified() {
	for i := range m.Columns {
		c := &m.Columns[i]
		if c.Field == "" || c.settled || m.NoHeader {
			continue
		}
		sp := field.SpecOf(m.Kind, c.Field)
		h := field.NewHeading(c.Header)
		if sp == nil || sp.Form == field.Text || h.Qualified == "" || h.Nearly(sp.AsWords) || h.Nearly(sp.AsWeak) || h.Nearly(sp.AsUnclear) ||
			field.NewHeading(h.Qualified).Nearly(append(slices.Clone(sp.AsWords), sp.AsWeak...)) {
			continue
		}
		letter, here := tabular.ColumnName(i), m.Label(i)
		is := Option{Label: "It is the " + strings.ToLower(sp.Title), Set: layout.Choice{Column: letter, Field: c.Field}}
		ask := Ask{What: "in brackets", Column: letter, Field: c.Field,
			Text: fmt.Sprintf("Column %s is headed %q. Is it the %s all the same?", letter, code.Trim(c.Header), strings.ToLower(sp.Title))}
		in := strings.ToLower(strings.Trim(h.Qualified, "' "))
		n := number.FindString(in)
		switch {
		case sp.Form != field.Number:
		case form.Within(form.PackSigns, in) && c.Field != field.UnitCost:
			ask.Text = fmt.Sprintf("Column %s is headed %q. Are its figures in packs?", letter, code.Trim(c.Header))
			is.Label = "No: they are in the item's own unit"
			if !m.Has(field.Unit) {
				ask.Options = append(ask.Options, Option{
					Label: fmt.Sprintf("Yes: in %s, which each item has as its pack", h.Qualified),
					Set:   layout.Choice{Column: letter, Field: c.Field}, Also: []layout.Choice{{Field: field.Unit, Fixed: h.Qualified}},
				})
			}
		case slices.Contains(thousands, in):
			ask.Options = append(ask.Options, Option{Label: "It is in thousands", Set: layout.Choice{Field: c.Field, Formula: here + " * 1000"}})
		case n != "" && n != "0" && n != "1" && len(n) < 7 && c.Field == field.UnitCost:
			ask.Options = append(ask.Options, Option{
				Label: fmt.Sprintf("It is the cost of %s", n), Set: layout.Choice{Field: c.Field, Formula: here + " / " + n},
			})
		}
		ask.Options = append(ask.Options, is,
			Option{Label: "It is something else, and not needed", Set: layout.Choice{Column: letter, Field: field.PassedOver}})
		m.Asks = append(m.Asks, ask)
	}
}

// perParts are parts of headers of a column that says for how many a cost or price is.
var perParts = partsOf("unit, units, per, qty, quantity, base, basis, einheit, preiseinheit, unité, eenheid, unidad, for")

// askPriceUnit asks about a column that says for how many units a cost is: 410 for 100 is 4.1.
func (m *Mapping) askPriceUnit(s *sample) {
	cost := m.At(field.UnitCost)
	if cost < 0 || m.NoHeader || m.Columns[cost].settled {
		return
	}
	for i := range m.Columns {
		c := &m.Columns[i]
		parts := field.Parted(c.Header)
		if c.Field != "" || c.settled || m.used(i) || len(parts) > 3 ||
			!slices.Contains(parts, "preiseinheit") && (!HasPart(parts, append(slices.Clone(priceParts), "cost", "costs", "kosten")) || !HasPart(parts, perParts)) {
			continue
		}
		x := s.column(m, i)
		more := false
		for v := range x.values {
			more = more || v != "1" && number.FindString(v) == v
		}
		if !more || x.numbers != x.filled {
			continue
		}
		letter := tabular.ColumnName(i)
		m.Asks = append(m.Asks, Ask{What: "price unit", Column: letter, Field: field.UnitCost, Example: s.example(m, i),
			Text: fmt.Sprintf("Column %s, %q, may say for how many units the cost in column %s is.", letter, code.Trim(c.Header), tabular.ColumnName(cost)),
			Options: []Option{
				{
					Label: "Yes: the cost is divided by it",
					Set: layout.Choice{Field: field.UnitCost, Formula: fmt.Sprintf(`IF(OR(%s = ""; %s = ""); %s; %s / %s)`,
						m.Label(cost), m.Label(i), m.Label(cost), m.Label(cost), m.Label(i))},
				},
				{Label: "No: the cost is that of one unit", Set: layout.Choice{Column: letter, Field: field.PassedOver}},
			}})
		return
	}
}

// undone are words of a column of movements that say that one did not happen.
var undone = field.SqueezeAll(field.Words("cancelled, canceled, cancel, void, voided, reversed, deleted, planned, draft, open, pending, rejected, error, failed, " +
	"not posted, unposted, on hold, storniert, geplant, offen, annulé, prévu, geannuleerd, gepland, anulado, pendiente"))

// askUndone sees movements that a column calls cancelled or planned: they may not have happened.
func (m *Mapping) askUndone(s *sample, given *layout.Layout) {
	if m.Kind != field.Movements || m.NoHeader {
		return
	}
	for i := range m.Columns {
		c := &m.Columns[i]
		if c.Field != "" || c.settled || m.used(i) {
			continue
		}
		x := s.column(m, i)
		if len(x.values) > 12 || x.filled == 0 {
			continue
		}
		flag := slices.Contains(undone, field.Squeeze(c.Header)) // headed Cancelled, with a mark where one is
		var out []string
		for v := range x.values {
			no, told := field.Truths[field.Squeeze(v)]
			if slices.Contains(undone, field.Squeeze(v)) || flag && (!told || no) {
				out = append(out, v)
			}
		}
		if len(out) == 0 {
			continue
		}
		slices.Sort(out)
		letter := tabular.ColumnName(i)
		m.Asks = append(m.Asks, Ask{What: "no movement", Column: letter,
			Text: fmt.Sprintf("Column %s, %q, says %s of some rows. Did these movements happen?", letter, code.Trim(c.Header), problem.List(out, 4)),
			Options: []Option{
				{Label: fmt.Sprintf("No: leave rows with %s out", problem.List(out, 4)), File: layout.Layout{Filter: m.without(i, out, given.Filtered())}},
				{Label: "Yes: they count like the others", Set: layout.Choice{Column: letter, Field: field.PassedOver}},
			}})
		return
	}
}

// without is a filter that leaves out the rows in which a column says one of some texts, beside what is filtered already.
func (m *Mapping) without(column int, texts []string, filter string) string {
	tests := make([]string, len(texts))
	for k, v := range texts {
		tests[k] = m.Label(column) + ` <> "` + strings.ReplaceAll(v, `"`, `""`) + `"`
	}
	if filter != "" {
		tests = append(tests, filter)
	}
	if len(tests) == 1 {
		return tests[0]
	}
	return "AND(" + strings.Join(tests, "; ") + ")"
}

// everyPlace are words that stand for all places together.
var everyPlace = field.SqueezeAll(field.Words("all, all warehouses, all locations, all sites, all stores, total, totals, sum, overall, company, gesamt, alle, alle lager, " +
	"tous, total général, totaal, todos, todas, suma, subtotal, sub total, summe, zwischensumme, gesamtsumme, sous total, somme, subtotaal"))

// askEveryPlace sees rows of all places together beside rows of each.
func (m *Mapping) askEveryPlace(s *sample, given *layout.Layout) {
	for _, f := range []field.Field{field.Warehouse, field.Zone, field.Bin, field.SKU} {
		at := m.At(f)
		if m.Kind != field.Stock || at < 0 || m.NoHeader || m.used(at) || m.Columns[at].settled {
			continue
		}
		places := map[string]bool{}
		for n, row := range s.rows {
			if s.numbers[n] > m.HeaderRow && at < len(row) && row[at] != "" && m.Resembles(row) == "" {
				places[row[at]] = true
			}
		}
		for v := range places {
			if !slices.Contains(everyPlace, field.Squeeze(v)) || len(places) < 2 {
				continue
			}
			letter := tabular.ColumnName(at)
			what, one := "places", "a place"
			if f == field.SKU {
				what, one = "items", "an item"
			}
			m.Asks = append(m.Asks, Ask{What: "all places", Column: letter, Field: f,
				Text: fmt.Sprintf("Column %s says %q of some rows and names %s in others. Are these rows the sums of the others?", letter, v, what),
				Options: []Option{
					{Label: fmt.Sprintf("Yes: leave rows with %s out", v), File: layout.Layout{Filter: m.without(at, []string{v}, given.Filtered())}},
					{Label: fmt.Sprintf("No: %s is %s", v, one), Set: layout.Choice{Column: letter, Field: f}},
				}})
			break
		}
	}
}

// askAbove sees rows above the header that are lines like those below it.
func (m *Mapping) askAbove(s *sample, given *layout.Layout) {
	if m.NoHeader || given.Header > 0 {
		return
	}
	lines, first := 0, 0
	for n, row := range s.rows {
		if s.numbers[n] > m.HeaderRow-max(m.HeaderRows, 1) {
			break
		}
		filled, numbers := 0, 0
		for i := range m.Columns {
			if i >= len(row) || row[i] == "" {
				continue
			}
			filled++
			if sp := field.SpecOf(m.Kind, m.Columns[i].Field); sp != nil && sp.Form == field.Number {
				if _, ok := form.TakeApart(row[i]); ok {
					numbers++
				}
			}
		}
		if numbers > 0 && filled*3 >= len(m.Columns)*2 && filled > 2 {
			if lines++; first == 0 {
				first = s.numbers[n]
			}
		}
	}
	if lines == 0 {
		return
	}
	m.Asks = append(m.Asks, Ask{What: "rows above", Column: tabular.ColumnName(0),
		Text: fmt.Sprintf("%s above the header, first row %d, %s like the lines below it and would be passed over. Is row %d the header?",
			problem.Count(lines, "row", "rows"), first, map[bool]string{true: "looks", false: "look"}[lines == 1], m.HeaderRow),
		Options: []Option{
			{Label: "Yes: what stands above it is not needed", File: layout.Layout{Header: m.HeaderRow}},
			{Label: "No: the file has no header", File: layout.Layout{Header: -1}},
		}})
}

// askLeft asks about the columns of a file of which little else than the item was made out.
func (m *Mapping) askLeft(s *sample) {
	if m.Kind != field.Items || m.NoHeader || m.Part {
		return
	}
	taken := 0
	for i := range m.Columns {
		if m.Columns[i].Field != "" {
			taken++
		}
	}
	if taken+len(m.Worked) > 1 {
		return
	}
	for i := range m.Columns {
		c := &m.Columns[i]
		x := s.column(m, i)
		if c.Field != "" || c.settled || m.used(i) || m.asked(i) || x.filled == 0 || m.aside(i) {
			continue
		}
		letter := tabular.ColumnName(i)
		m.Asks = append(m.Asks, Ask{What: "passed over", Column: letter, Example: s.example(m, i),
			Text: fmt.Sprintf("Little of this file was made out: column %s, %q, is passed over, such as %s. What is it?",
				letter, code.Trim(c.Header), s.example(m, i)),
			Options: []Option{
				{Label: "It is the description", Set: layout.Choice{Field: field.Description}},
				{Label: "It is the category", Set: layout.Choice{Field: field.Category}},
				{Label: "It is the unit", Set: layout.Choice{Field: field.Unit}},
				{Label: "It is a second code of the item", Set: layout.Choice{Field: field.FurtherSKU}},
				{Label: "It is what is on hand: the file is recorded stock", Set: layout.Choice{Field: field.Quantity}, File: layout.Layout{Kind: field.Stock}},
				{Label: "It is not needed", Set: layout.Choice{Column: letter, Field: field.PassedOver}},
			}})
	}
}

// Parts of headers of quantities that are parts of one: in packs, in single pieces, and what a pack holds.
var (
	caseParts = partsOf("case, cases, cs, carton, cartons, ctn, ctns, box, boxes, bx, pack, packs, outer, outers, pallet, pallets, karton, kartons")
	eachParts = partsOf("each, eaches, ea, loose, single, singles, piece, pieces, pcs, pc, units, remainder, stück, pièces, stuks, unidades")
	sizeParts = partsOf("size, per, content, contents, factor, conversion, holds")
)

// askCases sees quantities in cases and in single pieces beside one another, where no column is the whole.
func (m *Mapping) askCases(s *sample) {
	kind := m.Kind
	if kind == field.Items {
		kind = field.Stock
	}
	total := quantityOf(kind)
	if at := m.At(total); m.NoHeader || kind != field.Stock && kind != field.Counts || m.Has(total) && (at < 0 || !m.Columns[at].weak) {
		return
	}
	packs, pieces, size := -1, -1, -1
	for i := range m.Columns {
		c := &m.Columns[i]
		words := field.BareParts(c.Header)
		sized := c.Field == field.PackSize || strings.Contains(strings.ToLower(c.Header), "per ") || HasPart(words, sizeParts)
		if c.settled || m.used(i) || c.Field != "" && c.Field != field.PackSize && c.Field != total && c.Field != field.PackUnit && !c.weak {
			continue
		}
		if x := s.column(m, i); x.filled == 0 || x.numeric*2 < x.filled {
			continue
		}
		switch {
		case sized && size < 0 && (HasPart(words, caseParts) || c.Field == field.PackSize):
			size = i
		case sized:
		case HasPart(words, caseParts) && packs < 0:
			packs = i
		case HasPart(words, eachParts) && pieces < 0:
			pieces = i
		}
	}
	if packs < 0 || pieces < 0 {
		return
	}
	a := Ask{What: "cases and pieces", Column: tabular.ColumnName(packs), Field: total,
		Text: fmt.Sprintf("Columns %s hold quantities in packs and in single pieces. What is the whole quantity?", m.letters([]int{packs, pieces}))}
	if size >= 0 {
		a.Options = append(a.Options, Option{
			Label: fmt.Sprintf("Column %s times column %s, plus column %s", tabular.ColumnName(packs), tabular.ColumnName(size), tabular.ColumnName(pieces)),
			Set:   layout.Choice{Field: total, Formula: fmt.Sprintf("%s * %s + %s", m.Label(packs), m.Label(size), m.Label(pieces))},
			File:  layout.Layout{Kind: kind},
		})
	}
	for _, at := range []int{pieces, packs} {
		other := packs + pieces - at
		o := Option{Label: fmt.Sprintf("Column %s alone; column %s says the same in another unit, or is not needed", tabular.ColumnName(at), tabular.ColumnName(other)),
			Set:  layout.Choice{Column: tabular.ColumnName(at), Field: total},
			Also: []layout.Choice{{Column: tabular.ColumnName(other), Field: field.PassedOver}}, File: layout.Layout{Kind: kind}}
		if size >= 0 {
			o.Also = append(o.Also, layout.Choice{Column: tabular.ColumnName(size), Field: field.PassedOver})
		}
		a.Options = append(a.Options, o)
	}
	m.Asks = append(m.Asks, a)
	m.offered = append(m.offered, packs, pieces)
	if size >= 0 {
		m.offered = append(m.offered, size)
	}
}

// opening are words of a column of movements that say that a row is a balance.
var opening = field.SqueezeAll(field.Words("opening, opening balance, opening stock, initial, initial stock, balance, balance forward, brought forward, closing, closing " +
	"balance, stocktake, count, anfangsbestand, eröffnung, saldo, solde, solde initial, beginsaldo, saldo inicial"))

// askOpening sees rows among movements that a column calls balances: they moved nothing.
func (m *Mapping) askOpening(s *sample, given *layout.Layout) {
	if m.Kind != field.Movements || m.NoHeader {
		return
	}
	for i := range m.Columns {
		c := &m.Columns[i]
		if m.used(i) || c.Field != "" && c.Field != field.Reference {
			continue
		}
		var out []string
		x := s.column(m, i)
		for v := range x.values {
			if slices.Contains(opening, field.Squeeze(v)) {
				out = append(out, v)
			}
		}
		if len(out) == 0 || len(out) == len(x.values) {
			continue
		}
		slices.Sort(out)
		letter := tabular.ColumnName(i)
		keep := layout.Choice{Column: letter, Field: field.PassedOver}
		if c.Field != "" {
			keep.Field = c.Field
		}
		if c.settled {
			continue
		}
		m.Asks = append(m.Asks, Ask{What: "balance", Column: letter,
			Text: fmt.Sprintf("Column %s, %q, says %s of some rows. Are these balances rather than movements?", letter, code.Trim(c.Header), problem.List(out, 4)),
			Options: []Option{
				{Label: fmt.Sprintf("Yes: leave rows with %s out", problem.List(out, 4)), File: layout.Layout{Filter: m.without(i, out, given.Filtered())}},
				{Label: "No: they moved stock like the others", Set: keep},
			}})
		return
	}
}

// selected are words above a table that say that it was cut down.
var selected = regexp.MustCompile(`(?i)\b(filter|filters|filtered|selection|selected|criteria|where|only|auswahl|nur|filtre|sélection|filtro|selección|selectie|alleen)\b`)

// askSelected sees words above the table that say that only some of the stock is in it.
func (m *Mapping) askSelected(s *sample, given *layout.Layout) {
	if m.Kind != field.Stock || m.NoHeader || given.Extent != "" {
		return
	}
	for n, row := range s.rows {
		if s.numbers[n] > m.HeaderRow-max(m.HeaderRows, 1) {
			return
		}
		text := strings.Join(filledOf(row), " ")
		if !selected.MatchString(text) {
			continue
		}
		m.Asks = append(m.Asks, Ask{What: "selection", Column: tabular.ColumnName(0),
			Text: fmt.Sprintf("Above the table stands %q. Does it hold all stock of its warehouses all the same?", problem.Short([]byte(text))),
			Options: []Option{
				{Label: "Only some lines: what is not in it stays as recorded", File: layout.Layout{Extent: "only"}},
				{Label: "All of it: what is not in it is gone", File: layout.Layout{Extent: "whole"}},
			}})
		return
	}
}

// askOtherTable sees another table above the header.
func (m *Mapping) askOtherTable(s *sample, given *layout.Layout) {
	if m.NoHeader || given.Header > 0 {
		return
	}
	for n, row := range s.rows {
		if s.numbers[n] >= m.HeaderRow-max(m.HeaderRows, 1) {
			return
		}
		h := s.headers(n, 1)[0]
		for _, k := range field.Kinds {
			x := mapHeaders(k, h)
			if !x.titled() || n+1 >= len(s.rows) || len(filledOf(s.rows[n+1])) < len(filledOf(row)) {
				continue
			}
			m.Asks = append(m.Asks, Ask{What: "another table", Column: tabular.ColumnName(0),
				Text: fmt.Sprintf("Above the header, in row %d, another table begins: %s. Which of them is to be taken in?", s.numbers[n],
					problem.Both(filledOf(row), 4)),
				Options: []Option{
					{Label: fmt.Sprintf("The one below row %d", m.HeaderRow), File: layout.Layout{Header: m.HeaderRow}},
					{Label: fmt.Sprintf("The one below row %d", s.numbers[n]), File: layout.Layout{Header: s.numbers[n], Kind: k}},
				}})
			return
		}
	}
}

// askSums sees rows without a place whose quantity is the sum of the rows that follow or go before, as where items or groups stand above
// their bins.
func (m *Mapping) askSums(s *sample, given *layout.Layout) {
	place, total := m.At(field.Bin), m.At(quantityOf(m.Kind))
	if place < 0 {
		place = m.At(field.Warehouse)
	}
	if m.Kind != field.Stock || m.NoHeader || place < 0 || total < 0 || m.used(place) || m.Columns[place].settled || m.Columns[place].choice.Fill != "" {
		return
	}
	var before, after []int // rows without a place that sum those behind them, or before them
	bare := 0
	type run struct{ row, sum, n int64 }
	number := func(row []string) (int64, bool) {
		if total >= len(row) {
			return 0, false
		}
		q, err := quantity.Parse([]byte(row[total]))
		return int64(q), err == nil
	}
	var open, done run
	end := func() {
		if open.row > 0 && open.n > 0 && open.sum == 0 {
			before = append(before, int(open.row))
		}
	}
	for n, row := range s.rows {
		if s.numbers[n] <= m.HeaderRow || m.Resembles(row) != "" {
			continue
		}
		q, ok := number(row)
		if !ok {
			return
		}
		if place < len(row) && row[place] != "" {
			open.sum, open.n = open.sum-q, open.n+1
			done.sum, done.n = done.sum+q, done.n+1
			continue
		}
		end()
		if bare++; done.n > 0 && done.sum == q {
			after = append(after, s.numbers[n])
		}
		open, done = run{row: int64(s.numbers[n]), sum: q}, run{}
	}
	end()
	rows := before
	if len(after) > len(before) {
		rows = after
	}
	if bare == 0 || len(rows)*2 <= bare || bare == 1 && len(s.rows) < 5 {
		return
	}
	letter := tabular.ColumnName(place)
	test := m.Label(place) + ` <> ""`
	if given.Filtered() != "" {
		test = "AND(" + test + "; " + given.Filtered() + ")"
	}
	no := Option{Label: "No: they are stock without a place", Set: layout.Choice{Column: letter, Field: m.Columns[place].Field, Fill: "as is"}}
	if m.Columns[place].Field == field.Warehouse {
		no.Label = "No: they are stock whose warehouse is to be said"
	}
	m.Asks = append(m.Asks, Ask{What: "sums", Column: letter,
		Text: fmt.Sprintf("%s without a place in column %s, first row %d, %s what the rows beside them come to. Are they sums?",
			problem.Count(bare, "row", "rows"), letter, rows[0], map[bool]string{true: "says", false: "say"}[bare == 1]),
		Options: []Option{
			{Label: "Yes: leave rows without a place out", File: layout.Layout{Filter: test}},
			no,
		}})
}

// askNamed sees a column of words for the SKU beside one of codes for the description.
func (m *Mapping) askNamed(s *sample) {
	sku, name := m.At(field.SKU), m.At(field.Description)
	if m.NoHeader || sku < 0 || name < 0 || m.Columns[sku].settled || m.Columns[name].settled || !s.prose(m, sku) || s.prose(m, name) {
		return
	}
	x, y := s.column(m, sku), s.column(m, name)
	spaced := 0
	for v, n := range x.values {
		if strings.Contains(v, " ") {
			spaced += n
		}
	}
	if spaced*2 < x.filled || y.filled*10 < x.filled*9 || len(y.values)*10 < y.filled*9 || y.filled < 2 {
		return
	}
	m.Asks = append(m.Asks, Ask{What: "which column", Column: tabular.ColumnName(sku), Field: field.SKU,
		Text: fmt.Sprintf("Column %s is headed %q and holds words; column %s, %q, holds codes. Which of them is the SKU?",
			tabular.ColumnName(sku), code.Trim(m.Columns[sku].Header), tabular.ColumnName(name), code.Trim(m.Columns[name].Header)),
		Options: []Option{
			m.itIs(field.SKU, sku),
			{Label: m.itIs(field.SKU, name).Label, Set: m.itIs(field.SKU, name).Set, Also: []layout.Choice{m.itIs(field.Description, sku).Set}},
		}})
}

// askCodes asks how items without codes are to be known.
func (m *Mapping) askCodes(s *sample) {
	if m.Kind != field.Items || m.NoHeader || m.Codes || m.Identity != field.Description || m.Has(field.SKU) {
		return
	}
	at := m.At(field.Description)
	if at < 0 {
		return
	}
	m.Asks = append(m.Asks, Ask{What: "codes", Column: tabular.ColumnName(at), Field: field.SKU, Example: s.example(m, at),
		Text: "No column holds codes, so the items are known by their names alone. Are codes to be made for those that are new?",
		Options: []Option{
			{Label: "Yes: of the letters and digits of the name", File: layout.Layout{Codes: "{name}"}},
			{Label: "Yes: numbered, N-0001 and so on", File: layout.Layout{Codes: "N-{n}"}},
		}})
}
