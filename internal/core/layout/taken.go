package layout

import (
	"slices"
	"strings"

	"wobin/internal/core/tabular"
)

// Taken is a cell that was taken for something else than it says.
type Taken struct {
	Column string `json:"column"`
	Text   string `json:"text" doc:"what the cell was taken for"`
}

// TakenFor tells which cells of a table were taken for something else than they say: codes that were put back or
// matched, numbers with signs beside them, texts that a spreadsheet program wrapped.
type TakenFor struct {
	sources []*Source
	becomes map[Field]map[string]string
}

// NewTakenFor prepares the answer for any row of a mapping; values are what was judged when the table was read.
func NewTakenFor(m *Mapping, values []Value) *TakenFor {
	t := &TakenFor{becomes: map[Field]map[string]string{}}
	for _, s := range m.sources {
		if s.column >= 0 && s.formula == nil {
			t.sources = append(t.sources, s)
		}
	}
	slices.SortFunc(t.sources, func(a, b *Source) int { return a.column - b.column })
	for _, v := range values {
		if v.To == "" || v.Refused {
			continue
		}
		by := t.becomes[v.Field]
		if by == nil {
			by = map[string]string{}
			t.becomes[v.Field] = by
		}
		if to, twice := by[v.Text]; twice && to != v.To {
			v.To = v.Text // one thing in one warehouse, another in the next
		}
		by[v.Text] = v.To
	}
	return t
}

// Row gives those cells of a row below the header, in the order of their columns.
func (t *TakenFor) Row(cells []string) (out []Taken) {
	for _, s := range t.sources {
		if s.column >= len(cells) || cells[s.column] == "" {
			continue
		}
		raw := cells[s.column]
		text := string(trimmed([]byte(raw)))
		is := text
		if to := t.becomes[s.spec.Field][text]; to != "" {
			is = to
		}
		if s.spec.Form == Number && (strings.Trim(text, "0123456789.,' \u00a0\u202f+-−") != "" || strings.HasSuffix(text, "-")) {
			if plain, problem, _ := s.numbers.parse(text); problem == "" {
				is = plain
			}
		}
		if wrap := strings.TrimSpace(raw); is != text || wrap != text && (wrap[0] == '=' || wrap[0] == '\'') {
			out = append(out, Taken{tabular.ColumnName(s.column), is})
		}
	}
	return out
}
