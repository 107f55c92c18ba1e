package read

import (
	"slices"
	"strings"

	"wobin/internal/core/column"
	"wobin/internal/core/field"
	"wobin/internal/core/recognise"
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
	sources []*column.Source
	becomes map[field.Field]map[string]string
}

// NewTakenFor prepares the answer for any row of a mapping; values are what was judged when the table was read.
func NewTakenFor(m *recognise.Mapping, values []Value) *TakenFor {
	t := &TakenFor{becomes: map[field.Field]map[string]string{}}
	for _, s := range m.Sources {
		if s.Column >= 0 && s.Formula == nil {
			t.sources = append(t.sources, s)
		}
	}
	slices.SortFunc(t.sources, func(a, b *column.Source) int { return a.Column - b.Column })
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
		if s.Column >= len(cells) || cells[s.Column] == "" {
			continue
		}
		raw := cells[s.Column]
		text := string(column.Trimmed([]byte(raw)))
		is := text
		if to := t.becomes[s.Spec.Field][text]; to != "" {
			is = to
		}
		if s.Spec.Form == field.Number && (strings.Trim(text, "0123456789.,' \u00a0\u202f+-−") != "" || strings.HasSuffix(text, "-")) {
			if plain, problem, _ := s.Numbers.Parse(text); problem == "" {
				is = plain
			}
		}
		if wrap := strings.TrimSpace(raw); is != text || wrap != text && (wrap[0] == '=' || wrap[0] == '\'') {
			out = append(out, Taken{tabular.ColumnName(s.Column), is})
		}
	}
	return out
}
