package recognise

import (
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"wobin/internal/core/code"
	"wobin/internal/core/field"
	"wobin/internal/core/form"
	"wobin/internal/core/layout"
)

// headed by words: what stands above a table, or in rows of its own between its lines, may say the place of what follows.

// labelled words of places, which may stand above a table or a block of lines.
var blockFields = []field.Field{field.Warehouse, field.Zone, field.Bin}

// asAt finds a time in a title: Stock list as at 30/11/2026 18:00.
var asAt = regexp.MustCompile(
	`(?i)(?:^|\s)(?:as at|as of|per|stand|stichtag|status at|printed on|exported on|date|au|peildatum|a fecha de)[:\s]+(\d.*)$`,
)

// longestHead is how long a label with its value is at most, in bytes.
const longestHead = 1000

// headOf reads labels and their values above the header: the cell right of a label, or what stands behind its colon.
func headOf(rows [][]string) map[string]string {
	head := map[string]string{}
	put := func(label, value string) {
		if k := field.Squeeze(label); k != "" && head[k] == "" {
			head[k] = value
		}
	}
	for _, r := range rows {
		filled := filledOf(r)
		for i, label := range filled {
			if len(label) > longestHead {
				continue
			}
			if at := asAt.FindStringSubmatch(label); at != nil {
				put("as at", code.Trim(at[1]))
				continue
			}
			if l, v, ok := strings.Cut(label, ":"); ok && code.Trim(v) != "" {
				put(l, code.Trim(v))
			} else if i == 0 && len(filled) > 1 {
				put(label, filled[1])
			} else if i == 0 {
				put(label, "")
			}
		}
	}
	return head
}

// above takes the place of all lines from what stands above the table, where no column has it.
func (m *Mapping) above() {
	for _, f := range blockFields {
		s := field.SpecOf(m.Kind, f)
		if s == nil || m.At(f) >= 0 || m.Kind == field.Places {
			continue
		}
		for _, label := range slices.Sorted(maps.Keys(m.Head)) {
			if value := m.Head[label]; value != "" && field.NewHeading(label).Exactly(s.AsWords) && len(value) <= 40 {
				m.Worked = append(m.Worked, Worked{Field: f, choice: layout.Choice{Field: f, Fixed: value}, above: true})
				break
			}
		}
	}
}

// askAboveWarehouse asks which part of a text above the table is the place, where it holds a code and a name.
func (m *Mapping) askAboveWarehouse() {
	for i := range m.Worked {
		w := &m.Worked[i]
		if !w.above {
			continue
		}
		for _, sign := range []string{" - ", " – ", " / ", ", ", " ("} {
			first, rest, ok := strings.Cut(w.choice.Fixed, sign)
			if !ok || code.Trim(first) == "" || code.Trim(rest) == "" {
				continue
			}
			is := func(text string) Option {
				return Option{Label: text, Set: layout.Choice{Field: w.Field, Fixed: code.Trim(text)}}
			}
			m.Asks = append(m.Asks, Ask{What: "code and name", Field: w.Field,
				Text:    fmt.Sprintf("Above the table stands %q for the %s. Which of it is its code?", w.choice.Fixed, strings.ToLower(Title(m.Kind, w.Field))),
				Options: []Option{is(first), is(strings.TrimRight(rest, ")")), is(w.choice.Fixed)}})
			break
		}
	}
}

// blocks finds rows that say the place of the lines below them, and makes columns of what they say.
func (m *Mapping) blocks(s *sample) {
	if m.NoHeader || m.Kind == field.Places || m.Kind == field.Items {
		return
	}
	for i, row := range s.rows {
		if s.numbers[i] <= m.HeaderRow {
			continue
		}
		f, _ := m.Heading(row)
		if f == "" || m.At(f) >= 0 {
			continue
		}
		before := ""
		m.Worked = slices.DeleteFunc(m.Worked, func(w Worked) bool {
			if w.Field == f {
				before = w.choice.Fixed
			}
			return w.Field == f
		})
		if before == "" {
			for above, row := range s.rows {
				if s.numbers[above] < m.HeaderRow {
					if g, value := m.Heading(row); g == f {
						before = value
					}
				}
			}
		}
		at := len(m.Columns)
		m.Blocks = append(m.Blocks, Block{f, at, before})
		m.Columns = append(m.Columns, Column{
			Index: at, Field: f, settled: true,
			Why: "rows of their own, such as row " + strconv.Itoa(s.numbers[i]) + ", say it for the lines below them",
		})
	}
}

// Block is a field that rows of their own say for the lines below them.
type Block struct {
	Field  field.Field
	Column int    // behind those of the file
	Before string // what holds until the first such row
}

// Heading tells whether a row says a place for the lines below it, and which: a label of a place and its value, and no more.
func (m *Mapping) Heading(row []string) (f field.Field, value string) {
	var filled []string
	for _, c := range row {
		if c != "" {
			if filled = append(filled, c); len(filled) > 2 {
				return "", ""
			}
		}
	}
	label := ""
	switch len(filled) {
	case 1:
		var ok bool
		if label, value, ok = strings.Cut(filled[0], ":"); !ok {
			if label, value, ok = strings.Cut(filled[0], " "); !ok || strings.Contains(code.Trim(value), " ") {
				return "", ""
			}
		}
	case 2:
		label, value = strings.TrimRight(filled[0], ": "), filled[1]
		if !strings.HasSuffix(filled[0], ":") {
			return "", ""
		}
	default:
		return "", ""
	}
	value = code.Trim(value)
	if value == "" || len(value) > 40 {
		return "", ""
	}
	h := field.NewHeading(label)
	for _, f := range blockFields {
		if s := field.SpecOf(m.Kind, f); s != nil && (h.Exactly(s.AsWords) || f == field.Bin && h.Exactly(s.AsWeak)) && !IsTotal(label) {
			return f, value
		}
	}
	return "", ""
}

// above are the labels of a time above a table that may be the one at which its figures were true.
var above = field.SqueezeAll(
	field.Words(
		"recorded at, recorded, as at, as of, balance date, stock date, snapshot, snapshot time, export time, exported at, exported, exported on, date, time, date and time, timestamp, printed, printed at, printed on, report date, run date, created, created at, created on, generated, generated at, generated on, status at",
	),
)

// TimeAbove gives a time that stands above the table and may be the one at which its figures were true, as it is
// written there. A date by itself means the end of that day, as everywhere for balances.
func (m *Mapping) TimeAbove(zone *time.Location) (at int64, text string, ok bool) {
	for _, label := range above {
		text = m.Head[label]
		if text == "" {
			continue
		}
		if at, err := form.ReadTime(text, "24:00", zone); err == nil {
			return at, text, true
		}
	}
	return 0, "", false
}
