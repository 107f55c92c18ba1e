package recognise

import (
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strings"

	"wobin/internal/core/code"
	"wobin/internal/core/field"
	"wobin/internal/core/layout"
	"wobin/internal/core/problem"
	"wobin/internal/core/tabular"
)

var inBrackets = regexp.MustCompile(`^[^()\[\]]+ ?[(\[][^()\[\]]+[)\]]$`)

// askTogether sees cells that hold a bin and its warehouse together: NORTH/Rack 2/Shelf 1, or A-01-1 (NORTH).
func (m *Mapping) askTogether(s *sample, k *Known) {
	at := m.At(field.Bin)
	if at < 0 && m.At(field.Warehouse) >= 0 && m.Columns[m.At(field.Warehouse)].weak {
		at = m.At(field.Warehouse)
	}
	if at < 0 || m.NoHeader || m.Columns[at].settled || m.Kind == field.Places ||
		m.At(field.Warehouse) >= 0 && m.At(field.Warehouse) != at ||
		m.Has(field.Warehouse) && m.At(field.Warehouse) < 0 {
		return
	}
	x := s.column(m, at)
	if x.filled < 2 || x.of(k.Set(field.Bin)) > 0 {
		return
	}
	here, letter := m.Label(at), tabular.ColumnName(at)
	ask := func(example, house, bin string) {
		m.Asks = append(m.Asks, Ask{What: "together", Column: letter, Field: field.Bin, Example: example,
			Text: fmt.Sprintf("Column %s seems to hold warehouses and bins together, such as %s. Are they to be parted?", letter, example),
			Options: []Option{
				{
					Label: fmt.Sprintf("Part them: %s", partedAs(example)),
					Set:   layout.Choice{Field: field.Warehouse, Formula: house}, Also: []layout.Choice{{Field: field.Bin, Formula: bin}},
				},
				{Label: "They are bins as they stand", Set: layout.Choice{Column: letter, Field: field.Bin}},
			}})
	}
	count := func(first func(v string) string) (n int, firsts map[string]int) {
		firsts = map[string]int{}
		for v, rows := range x.values {
			if f := first(v); f != "" {
				n += rows
				firsts[f] += rows
			}
		}
		return n, firsts
	}
	example := s.example(m, at)
	if n, houses := count(func(v string) string {
		if !inBrackets.MatchString(v) {
			return ""
		}
		return v[strings.IndexAny(v, "(["):]
	}); n*10 >= x.filled*9 && len(houses)*2 <= max(x.filled, 4) {
		open := `FIND("` + string(example[strings.IndexAny(example, "([")]) + `"; ` + here + `)`
		ask(
			example,
			fmt.Sprintf("MID(%s; %s + 1; LEN(%s) - %s - 1)", here, open, here, open),
			fmt.Sprintf("TRIM(LEFT(%s; %s - 1))", here, open),
		)
		return
	}
	for _, sign := range []string{"/", "\\", ">", "|", ":"} {
		n, houses := count(func(v string) string {
			first, rest, ok := strings.Cut(v, sign)
			first = strings.TrimSpace(first)
			if _, is := k.Set(field.Warehouse).Find(first); !ok || rest == "" || !is && !word(first) {
				return ""
			}
			return first
		})
		if n*10 < x.filled*9 || len(houses)*2 > max(x.filled, 4) && len(houses) > 6 {
			continue
		}
		find := `FIND("` + sign + `"; ` + here + `)`
		ask(example, fmt.Sprintf("TRIM(LEFT(%s; %s - 1))", here, find), fmt.Sprintf("TRIM(MID(%s; %s + 1; LEN(%s)))", here, find, here))
		return
	}
}

// word tells whether a text has three letters in a row, as names of warehouses have and parts of bins mostly have not.
func word(s string) bool {
	n := 0
	for _, r := range s {
		if r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' || r > 0x7f {
			if n++; n == 3 {
				return true
			}
			continue
		}
		n = 0
	}
	return false
}

// partedAs shows an example in its two parts.
func partedAs(example string) string {
	if i := strings.IndexAny(example, "(["); i > 0 && inBrackets.MatchString(example) {
		return fmt.Sprintf("warehouse %s, bin %s", strings.Trim(example[i:], "()[]"), strings.TrimSpace(example[:i]))
	}
	i := strings.IndexAny(example, "/\\>|:")
	return fmt.Sprintf("warehouse %s, bin %s", strings.TrimSpace(example[:i]), strings.TrimSpace(example[i+1:]))
}

// answered tells whether every value of a column is a word whose meaning is known.
func answered(x *contents) bool {
	for v := range x.values {
		_, nature := field.Natures[field.Squeeze(v)]
		_, truth := field.Truths[field.Squeeze(v)]
		if !nature && !truth {
			return false
		}
	}
	return true
}

// askWhichStock asks which rows are stock by the words of a column that is headed as one that tells it, where none of them is known.
func (m *Mapping) askWhichStock(column int, x *contents, given *layout.Layout) {
	letter := tabular.ColumnName(column)
	values := slices.Sorted(maps.Keys(x.values))
	a := Ask{What: "no stock", Column: letter,
		Text: fmt.Sprintf(
			"Column %s, %q, says %s. Is all of it stock that is counted?",
			letter,
			code.Trim(m.Columns[column].Header),
			problem.List(values, 6),
		),
		Options: []Option{{Label: "Yes: all rows are stock", Set: layout.Choice{Column: letter, Field: field.PassedOver}}}}
	for _, v := range values {
		a.Options = append(
			a.Options,
			Option{
				Label: fmt.Sprintf("Leave rows with %s out", v),
				File:  layout.Layout{Filter: m.without(column, []string{v}, given.Filtered())},
			},
		)
	}
	m.Asks = append(m.Asks, a)
}

// askNature sees rows of recorded stock that a column calls no stock: services, parents, items that are no longer kept.
func (m *Mapping) askNature(s *sample, given *layout.Layout) {
	if m.Kind != field.Stock || m.NoHeader {
		return
	}
	for i := range m.Columns {
		c := &m.Columns[i]
		if c.Field != "" || c.settled || m.used(i) {
			continue
		}
		x := s.column(m, i)
		active := field.NewHeading(c.Header).Nearly(field.SpecOf(field.Items, field.Active).AsWords) ||
			field.NewHeading(c.Header).Nearly(field.SpecOf(field.Items, field.Nature).AsWords)
		if len(x.values) > 12 || x.numbers > 0 && !active {
			continue
		}
		var out []string
		for v := range x.values {
			n := field.Natures[field.Squeeze(v)]
			is, told := field.Truths[field.Squeeze(v)]
			if n != "" && n != "stocked" || active && told && !is {
				out = append(out, v)
			}
		}
		if len(out) == 0 && active && len(x.values) > 1 && len(x.values) <= 8 && x.numbers == 0 && !answered(x) &&
			!HasPart(field.Parted(c.Header), statusParts) {
			m.askWhichStock(i, x, given)
			return
		}
		if len(out) == 0 || len(out) == len(x.values) && !active {
			continue
		}
		slices.Sort(out)
		letter := tabular.ColumnName(i)
		m.Asks = append(m.Asks, Ask{What: "no stock", Column: letter,
			Text: fmt.Sprintf("Column %s says %s of some rows. Are these stock that is counted?", letter, problem.List(out, 4)),
			Options: []Option{
				{
					Label: fmt.Sprintf("No: leave rows with %s out", problem.List(out, 4)),
					File:  layout.Layout{Filter: m.without(i, out, given.Filtered())},
				},
				{Label: "Yes: they are stock like the others", Set: layout.Choice{Column: letter, Field: field.PassedOver}},
			}})
		return
	}
}
