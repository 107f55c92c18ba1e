package recognise

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"wobin/internal/core/code"
	"wobin/internal/core/field"
	"wobin/internal/core/form"
	"wobin/internal/core/layout"
	"wobin/internal/core/problem"
	"wobin/internal/core/tabular"
)

// questions asks what neither headers nor contents tell.
func (m *Mapping) questions(s *sample, given *layout.Layout, known *Known) {
	if at := m.At(field.Quantity); m.Kind == field.Stock && at >= 0 && m.Columns[at].weak &&
		field.NewHeading(m.Columns[at].Header).Nearly(field.SpecOf(field.Stock, field.Quantity).AsUnclear) &&
		!m.Has(field.Available) {
		m.Asks = append(m.Asks, Ask{What: "on hand", Column: tabular.ColumnName(at), Field: field.Quantity,
			Text: fmt.Sprintf(
				"Column %s is headed %q. Does it say what is on hand, reserved pieces included, or what is available, without them?",
				tabular.ColumnName(at),
				m.Columns[at].Header,
			),
			Options: []Option{
				{Label: "It is what is on hand", Set: layout.Choice{Field: field.Quantity}},
				{Label: "It is what is available", Set: layout.Choice{Field: field.Available}},
			}})
	}
	for of, src := range m.Sources {
		if src.Spec.Form != field.Time || src.Column < 0 || src.Dates.Time != "" {
			continue
		}
		bare, example := 0, ""
		for i, row := range s.rows {
			if s.numbers[i] > m.HeaderRow && src.Column < len(row) {
				if d, ok := form.TakeDate(row[src.Column]); ok && !d.HasTime {
					bare, example = bare+1, row[src.Column]
				}
			}
		}
		if bare == 0 {
			continue
		}
		if of == field.RecordedAt { // a balance is struck when the day is over
			src.Dates.Time = "24:00"
			continue
		}
		var options []Option
		if clock := s.clockColumn(m, src.Column); clock >= 0 { // date and time stand side by side
			options = append(
				options,
				Option{
					Label: fmt.Sprintf("The time stands in column %s", tabular.ColumnName(clock)),
					Set:   layout.Choice{Field: of, Formula: m.Label(src.Column) + ` & " " & ` + m.Label(clock)},
				},
			)
		}
		m.Asks = append(
			m.Asks,
			Ask{
				What:   "time of day",
				Column: tabular.ColumnName(src.Column),
				Field:  of,
				Text: fmt.Sprintf(
					"Dates in column %s have no time of day, such as %s. Which time is meant?",
					tabular.ColumnName(src.Column),
					example,
				),
				Options: append(
					options,
					Option{Label: "The beginning of the day", Set: layout.Choice{Dates: form.Dates{Time: "00:00"}}},
					Option{Label: "Noon", Set: layout.Choice{Dates: form.Dates{Time: "12:00"}}},
					Option{Label: "The end of the day", Set: layout.Choice{Dates: form.Dates{Time: "24:00"}}},
				),
			},
		)
	}
	m.askLevels(s)
	m.askPointZero(s)
	m.tellApart(s)
	m.askRivals(s)
	sign := m.askSign(s)
	if sign == "" {
		m.askDirection(s)
	}
	m.askPrice()
	m.askQualified()
	m.askPriceUnit(s)
	m.askUndone(s, given)
	m.askFlags(s, given)
	m.askTimes(s)
	m.askEveryPlace(s, given)
	m.askAbove(s, given)
	m.askOpening(s, given)
	m.askSelected(s, given)
	m.askOtherTable(s, given)
	m.askSums(s, given)
	m.askNamed(s)
	m.askAboveWarehouse()
	m.askHidden(s, given)
	m.askHiddenColumns(s)
	m.askTogether(s, known)
	m.askNature(s, given)
	m.offerFill(s)
	m.askCases(s)
	m.askAcross(s, known)
	m.askWarehouse(s, known)
	m.askCodes(s)
	m.askPassed(s)
	m.askLeft(s)
	m.Asks = slices.DeleteFunc(m.Asks, func(a Ask) bool { // what we worked out ourselves is no question
		i := tabular.ColumnAt(a.Column)
		return i >= 0 && i < len(m.Columns) && m.derived(i) || sign != "" && a.Column == sign && a.What != "sign"
	})
	slices.SortStableFunc(m.Asks, func(a, b Ask) int { return strings.Compare(a.Column+a.What, b.Column+b.What) })
}

// rivalled are the fields of which a second column that means the same is asked about, where the two differ.
var rivalled = []field.Field{
	field.Quantity,
	field.Counted,
	field.UnitCost,
	field.Warehouse,
	field.Bin,
	field.SKU,
	field.Lot,
	field.Serial,
	field.Holding,
	field.Unit,
	field.Reserved,
	field.Available,
	field.CountedAt,
	field.At,
	field.Counter,
	field.RecordedAt,
}

// askRivals sees a second column whose header means a field as much as that of the first, and which says otherwise.
func (m *Mapping) askRivals(s *sample) {
	if m.NoHeader || m.Kind == field.Places {
		return
	}
	cell := func(row []string, i int) string {
		if i < len(row) {
			return row[i]
		}
		return ""
	}
	for _, of := range rivalled {
		sp, at := field.SpecOf(m.Kind, of), m.At(of)
		if sp == nil || at < 0 || m.Columns[at].settled || m.Kind == field.Items && of != field.UnitCost && of != field.SKU {
			continue
		}
		if h := field.NewHeading(m.Columns[at].Header); !h.Nearly(sp.AsWords) && h.Squeezed != field.Squeeze(string(of)) {
			continue
		}
		ask := Ask{What: "which column", Column: tabular.ColumnName(at), Field: of, Options: []Option{m.itIs(of, at)}}
		for i := range m.Columns {
			c := &m.Columns[i]
			if i == at || c.Field != "" || c.settled || m.used(i) || !field.NewHeading(c.Header).Nearly(sp.AsWords) ||
				of == field.SKU && s.prose(m, i) {
				continue
			}
			for n, row := range s.rows {
				if s.numbers[n] > m.HeaderRow && cell(row, i) != "" && cell(row, i) != cell(row, at) {
					ask.Options = append(ask.Options, m.itIs(of, i))
					break
				}
			}
		}
		if len(ask.Options) < 2 {
			continue
		}
		ask.Text = fmt.Sprintf("%d columns read as %s, and they differ. Which of them is it?", len(ask.Options), strings.ToLower(sp.Title))
		if sp.Form == field.Number && of != field.UnitCost {
			sum := make([]string, len(ask.Options))
			for i, o := range ask.Options {
				sum[i] = m.Label(tabular.ColumnAt(o.Set.Column))
			}
			ask.Options = append(
				ask.Options,
				Option{Label: "They are parts, to be added up", Set: layout.Choice{Field: of, Formula: strings.Join(sum, " + ")}},
			)
		}
		m.Asks = append(m.Asks, ask)
	}
}

// prose tells whether the values of a column are words rather than codes.
func (s *sample) prose(m *Mapping, column int) bool {
	x := s.column(m, column)
	spaced := 0
	for v, n := range x.values {
		if strings.Contains(v, " ") || !strings.ContainsAny(v, "0123456789") {
			spaced += n
		}
	}
	return spaced*2 > x.filled
}

// itIs is the answer that a column is a field.
func (m *Mapping) itIs(f field.Field, column int) Option {
	letter := tabular.ColumnName(column)
	return Option{
		Label: fmt.Sprintf("Column %s, %q", letter, m.Columns[column].Header),
		Set:   layout.Choice{Column: letter, Header: code.Trim(m.Columns[column].Header), Field: f},
	}
}

var outWords = field.SqueezeAll(
	field.Words(
		"issue, issued, issues, goods issue, out, outbound, sale, sales, sold, ship, shipped, shipment, shipping, pick, picked, picking, consumption, consumed, usage, used, delivery, delivered, dispatch, withdrawal, transfer out, scrap, write-off, return to supplier, ausgang, abgang",
	),
)

// minusSigns are the texts by which a column of signs says that a number is below zero.
var minusSigns = []string{"-", "−", "–", "(-)"}

// askSign sees a column that holds nothing but signs beside numbers of which some that it calls negative are not. It tells
// whether it asked.
func (m *Mapping) askSign(s *sample) (column string) {
	of := quantityOf(m.Kind)
	at := m.At(of)
	if m.NoHeader || at < 0 || m.Columns[at].settled || m.Kind == field.Items || m.Kind == field.Places {
		return ""
	}
	for i := range m.Columns {
		if m.Columns[i].Field != "" || m.Columns[i].settled || m.used(i) {
			continue
		}
		minus := ""
		only := true
		for v := range s.column(m, i).values {
			if slices.Contains(minusSigns, v) {
				minus = v
			} else if v != "+" && v != "(+)" {
				only = false
			}
		}
		if minus == "" || !only || !s.unsigned(m, i, at) {
			continue
		}
		letter, q := tabular.ColumnName(i), m.Label(at)
		m.Asks = append(m.Asks, Ask{What: "sign", Column: letter, Field: of, Example: minus,
			Text: fmt.Sprintf("Column %s holds signs alone, and the numbers in column %s have none. Are those beside a %s below zero?", letter,
				tabular.ColumnName(at), minus),
			Options: []Option{
				{Label: fmt.Sprintf("Yes: numbers beside a %s are below zero", minus),
					Set: layout.Choice{Field: of, Formula: fmt.Sprintf(`IF(%s = "%s"; -%s; %s)`, m.Label(i), minus, q, q)}},
				{Label: "No: the numbers are signed as they stand", Set: layout.Choice{Column: letter, Field: field.PassedOver}},
			}})
		return letter
	}
	return ""
}

// unsigned tells whether a number beside a minus in another column has no minus of its own.
func (s *sample) unsigned(m *Mapping, sign, number int) bool {
	for n, row := range s.rows {
		if s.numbers[n] <= m.HeaderRow || sign >= len(row) || number >= len(row) || !slices.Contains(minusSigns, row[sign]) {
			continue
		}
		if w, ok := form.TakeApart(row[number]); ok && !w.Negative && strings.ContainsAny(w.Core, "123456789") {
			return true
		}
	}
	return false
}

// askDirection sees movements of which none is below zero beside a column that says which way they went.
func (m *Mapping) askDirection(s *sample) {
	at := m.At(field.Quantity)
	if m.Kind != field.Movements || at < 0 || m.Columns[at].settled {
		return
	}
	for v := range s.column(m, at).values {
		if w, ok := form.TakeApart(v); ok && w.Negative {
			return
		}
	}
	kinds := -1 // a column that may say the direction in words that are not known
	for i := range m.Columns {
		if m.Columns[i].Field != "" || m.Columns[i].settled {
			continue
		}
		var out []string
		c := s.column(m, i)
		if len(c.values) > 12 {
			continue
		}
		if kinds < 0 && len(c.values) > 1 && (HasPart(field.Parted(m.Columns[i].Header), kindParts) || signs(c)) {
			kinds = i
		}
		if c.numbers > 0 {
			continue
		}
		for v := range c.values {
			if slices.Contains(outWords, field.Squeeze(v)) {
				out = append(out, v)
			}
		}
		if len(out) == 0 {
			continue
		}
		slices.Sort(out)
		tests := make([]string, len(out))
		for k, v := range out {
			tests[k] = m.Label(i) + `="` + strings.ReplaceAll(v, `"`, `""`) + `"`
		}
		test := tests[0]
		if len(tests) > 1 {
			test = "OR(" + strings.Join(tests, "; ") + ")"
		}
		qty := m.Label(at)
		m.Asks = append(m.Asks, Ask{What: "direction", Column: tabular.ColumnName(at), Field: field.Quantity,
			Text: fmt.Sprintf(
				"No quantity is below zero, and column %s says %s. Do these take stock out?",
				tabular.ColumnName(i),
				problem.List(out, 4),
			),
			Options: []Option{
				{
					Label: fmt.Sprintf("Yes: rows with %s are below zero", problem.List(out, 4)),
					Set:   layout.Choice{Field: field.Quantity, Formula: fmt.Sprintf("IF(%s; -%s; %s)", test, qty, qty)},
				},
				{Label: "No: the quantities are signed as they stand", Set: layout.Choice{Field: field.Quantity}},
			}})
		return
	}
	if kinds < 0 || m.Transfers() {
		return
	}
	// Each of its values may take stock out; several that do are said as a formula.
	values := slices.Sorted(maps.Keys(s.column(m, kinds).values))
	qty := m.Label(at)
	a := Ask{What: "direction", Column: tabular.ColumnName(at), Field: field.Quantity,
		Text: fmt.Sprintf("No quantity is below zero, and column %s tells kinds of movement: %s. Which of them take stock out?",
			tabular.ColumnName(kinds), problem.List(values, 6)),
		Options: []Option{{Label: "None: the quantities are signed as they stand", Set: layout.Choice{Field: field.Quantity}}}}
	for _, v := range values[:min(len(values), 6)] {
		a.Options = append(a.Options, Option{Label: fmt.Sprintf("Rows with %s are below zero", v),
			Set: layout.Choice{
				Field:   field.Quantity,
				Formula: fmt.Sprintf(`IF(%s = "%s"; -%s; %s)`, m.Label(kinds), strings.ReplaceAll(v, `"`, `""`), qty, qty),
			}})
	}
	a.Options = append(a.Options, Option{Label: "All of them", Set: layout.Choice{Field: field.Quantity, Formula: "-" + qty}})
	m.Asks = append(m.Asks, a)
}

// signs tells whether a column holds one of two short signs in each row, such as D and C, or + and -.
func signs(x *contents) bool {
	if len(x.values) != 2 {
		return false
	}
	for v := range x.values {
		if len(v) > 3 || strings.ContainsAny(v, "0123456789") {
			return false
		}
	}
	return true
}

var kindParts = partsOf(
	"type, kind, transaction, movement, code, reason, direction, action, sense, art, bewegungsart, tipo, soort, mouvement",
)

// clockColumn finds a column of times of day that is no field yet, -1 where there is none.
func (s *sample) clockColumn(m *Mapping, dates int) int {
	for i := range m.Columns {
		if i == dates || m.Columns[i].Field != "" {
			continue
		}
		clocks, filled := 0, 0
		for v, n := range s.column(m, i).values {
			if filled += n; strings.Contains(v, ":") {
				if _, _, _, ok := form.ReadClock(v); ok {
					clocks += n
				}
			}
		}
		if filled > 0 && clocks*10 >= filled*9 {
			return i
		}
	}
	return -1
}

// Label is how a formula names a column.
func (m *Mapping) Label(column int) string {
	name := tabular.ColumnName(column)
	if h := code.Trim(m.Columns[column].Header); !m.NoHeader && h != "" {
		name = h
	}
	return "'" + strings.ReplaceAll(name, "'", "''") + "'"
}

// offerFill sees groups of which the first row alone is filled in. Where a place is empty in much of the file it has
// to be said what that means; elsewhere it is offered.
func (m *Mapping) offerFill(s *sample) {
	lines := make([][]string, 0, len(s.rows))
	for n, row := range s.rows {
		if s.numbers[n] > m.HeaderRow && m.Resembles(row) == "" {
			lines = append(lines, row)
		}
	}
	for i := range m.Columns {
		c := &m.Columns[i]
		if c.choice.Fill == "down" {
			m.Fill = append(m.Fill, i)
		}
		if c.choice.Fill == "as is" {
			if m.Stays == nil {
				m.Stays = map[field.Field]bool{}
			}
			m.Stays[c.Field] = true
		}
		if c.choice.Fill != "" || c.choice.Default != "" ||
			c.Field != field.Warehouse && c.Field != field.Zone && c.Field != field.Bin && c.Field != field.SKU && c.Field != field.Category &&
				c.Field != field.Description {
			continue
		}
		empty, filled, first, example := 0, 0, 0, ""
		for _, row := range lines {
			if i < len(row) && row[i] != "" {
				if filled++; example == "" {
					example = row[i]
				}
			} else if empty++; filled == 0 {
				first++
			}
		}
		place := c.Field == field.Warehouse || c.Field == field.Bin || c.Field == field.SKU
		if empty < 2 || filled == 0 || first > 0 || empty*20 < filled || !place && empty*2 < filled {
			continue
		}
		options := []Option{{Label: fmt.Sprintf("Fill down: rows below %q are %q too", example, example), Set: layout.Choice{Fill: "down"}}}
		if c.Field != field.Warehouse { // which always has a name
			options = append(options, Option{Label: "They are empty as they stand", Set: layout.Choice{Fill: "as is"}})
		}
		m.Asks = append(
			m.Asks,
			Ask{
				What:   "fill down",
				Column: tabular.ColumnName(i),
				Field:  c.Field,
				Optional: c.Field != field.Warehouse && c.Field != field.Bin || empty*4 < filled ||
					m.Kind == field.Movements && c.Field == field.Bin, // movements are often without bins
				Text: fmt.Sprintf(
					"Column %s (%s) is empty in %d rows below rows that have it, as where only the first row of a group is filled in.",
					tabular.ColumnName(i),
					Title(m.Kind, c.Field),
					empty,
				),
				Options: options,
			},
		)
	}
}

// Unsettled are the questions that keep a file from being taken as it is where nobody is there to answer them, as problems of its
// header. Here a point is decimal, an empty cell is empty and a field's own name goes before others, as the contract of the commands on
// files alone has it; so other columns of a file whose item and quantity go by theirs are none of their business.
func (m *Mapping) Unsettled(file string) (out []problem.Problem) {
	named := m.Named(field.SKU) && (m.Named(field.Quantity) || m.Named(field.Counted))
	for _, a := range m.Asks {
		if !a.Optional && a.What != "fill down" && a.What != "direction" &&
			(a.What != "decimal" || !strings.Contains(a.Example, ".")) &&
			(a.What != "which column" || !m.Named(a.Field)) && (a.What != "passed over" && a.What != "no stock" || !named) {
			out = append(out, problem.Problem{File: file, Sheet: m.SheetName, Row: m.HeaderRow, Field: a.Field, Kind: "not plain",
				Text: strings.ToLower(a.Text[:1]) + a.Text[1:] + " Say so in a layout (--layout)"})
		}
	}
	return out
}
