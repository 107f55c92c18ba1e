package recognise

import (
	"fmt"
	"maps"
	"slices"

	"wobin/internal/core/code"
	"wobin/internal/core/field"
	"wobin/internal/core/form"
	"wobin/internal/core/layout"
	"wobin/internal/core/problem"
	"wobin/internal/core/tabular"
)

// flagParts are parts of headers of a column of counts that marks some of them.
var flagParts = partsOf("ok, okay, checked, check, correct, same, agree, agrees, agreed, match, matches, verified, estimated, estimate, complete, completed, " +
	"partial, recount, recounted, final, void, cancelled, invalid, doubtful, status, done, approved, rejected, geprüft, geschätzt, vérifié, estimé, " +
	"gecontroleerd, revisado")

// askFlags asks about columns that mark some counts: they may say that nothing else has to be written, or that a count does not stand.
func (m *Mapping) askFlags(s *sample, given *layout.Layout) {
	if m.Kind != field.Counts || m.NoHeader {
		return
	}
	counted := m.At(field.Counted)
	for i := range m.Columns {
		c := &m.Columns[i]
		x := s.column(m, i)
		if c.Field != "" || c.settled || m.used(i) || x.filled == 0 || x.numbers == x.filled || len(x.values) > 4 ||
			!HasPart(field.Parted(c.Header), flagParts) {
			continue
		}
		letter := tabular.ColumnName(i)
		a := Ask{What: "marks", Column: letter, Example: s.example(m, i),
			Text: fmt.Sprintf("Column %s, %q, marks some counts with %s. What does that mean?", letter, code.Trim(c.Header),
				problem.List(slices.Sorted(maps.Keys(x.values)), 4))}
		if recorded := m.At(field.Recorded); recorded >= 0 && counted >= 0 {
			a.Options = append(a.Options, Option{Label: "Marked rows were counted as they are recorded, where no count is written",
				Set: layout.Choice{Field: field.Counted, Formula: fmt.Sprintf(`IF(AND(%s = ""; %s <> ""); %s; %s)`, m.Label(counted), m.Label(i),
					m.Label(recorded), m.Label(counted))}})
		}
		for _, v := range slices.Sorted(maps.Keys(x.values)) {
			a.Options = append(a.Options, Option{Label: fmt.Sprintf("Leave rows with %s out", v),
				File: layout.Layout{Filter: m.without(i, []string{v}, given.Filtered())}})
		}
		a.Options = append(a.Options, Option{Label: "Nothing that changes a count", Set: layout.Choice{Column: letter, Field: field.PassedOver}})
		m.Asks = append(m.Asks, a)
	}
}

// askTimes sees a second column of times beside the one that is taken.
func (m *Mapping) askTimes(s *sample) {
	if m.Kind == field.Stock {
		m.askHappened(s)
		return
	}
	f := map[field.Kind]field.Field{field.Movements: field.At, field.Counts: field.CountedAt}[m.Kind]
	at := m.At(f)
	if m.NoHeader || f == "" || at < 0 || m.Columns[at].settled {
		return
	}
	for i := range m.Columns {
		c := &m.Columns[i]
		parts := field.Parted(c.Header)
		if c.Field != "" || c.settled || m.used(i) || m.asked(i) || !HasPart(parts, timeParts) || HasPart(parts, harmlessParts) || m.repeats(s, i) {
			continue
		}
		x, dates := s.column(m, i), 0
		for v, n := range x.values {
			if _, ok := form.TakeDate(v); ok {
				dates += n
			}
		}
		if x.filled == 0 || dates*10 < x.filled*9 {
			continue
		}
		m.Asks = append(m.Asks, Ask{What: "which time", Column: tabular.ColumnName(at), Field: f,
			Text:    fmt.Sprintf("Columns %s hold times. Which of them says when it happened?", m.letters([]int{at, i})),
			Options: []Option{m.itIs(f, at), m.itIs(f, i)}})
		return
	}
}

// askHappened sees times of day, another in each row, in what reads as recorded stock: it may be movements.
func (m *Mapping) askHappened(s *sample) {
	if m.NoHeader || m.Has(field.RecordedAt) {
		return
	}
	for i := range m.Columns {
		c := &m.Columns[i]
		if c.Field != "" || c.settled || m.used(i) || HasPart(field.Parted(c.Header), harmlessParts) {
			continue
		}
		x, clocks := s.column(m, i), 0
		for v, n := range x.values {
			if d, ok := form.TakeDate(v); ok && d.HasTime {
				clocks += n
			}
		}
		if x.filled < 2 || len(x.values)*2 < x.filled || clocks*10 < x.filled*9 {
			continue
		}
		letter := tabular.ColumnName(i)
		m.Asks = append(m.Asks, Ask{What: "happened", Column: letter, Example: s.example(m, i),
			Text: fmt.Sprintf("Column %s, %q, holds a time for each row, such as %s. Are these movements rather than what is on hand?", letter,
				code.Trim(c.Header), s.example(m, i)),
			Options: []Option{
				{Label: "Movements: it is when they happened", Set: layout.Choice{Column: letter, Field: field.At}, File: layout.Layout{Kind: field.Movements}},
				{Label: "It is what is on hand: the time is when the figures were true", Set: layout.Choice{Column: letter, Field: field.RecordedAt}},
				{Label: "It is what is on hand: the time is not needed", Set: layout.Choice{Column: letter, Field: field.PassedOver}},
			}})
		return
	}
}
