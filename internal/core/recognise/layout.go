package recognise

import (
	"slices"

	"wobin/internal/core/code"
	"wobin/internal/core/field"
	"wobin/internal/core/form"
	"wobin/internal/core/layout"
	"wobin/internal/core/tabular"
)

// Whole gives the layout that a mapping comes to: everything that was settled or found out about the file.
func (m *Mapping) Whole(given *layout.Layout) *layout.Layout {
	all := *given
	l := &all
	l.Schema, l.Name, l.Sheet, l.Headers, l.Columns = "", "", "", nil, nil
	l.Filter = given.Filtered()
	l.Kind, l.Matches, l.Repairs = m.Kind, slices.Clone(given.Matches), slices.Clone(given.Repairs)
	if m.NoHeader {
		l.Header = -1
	}
	for i := range m.Columns {
		c := &m.Columns[i]
		if !m.NoHeader {
			l.Headers = append(l.Headers, c.Header)
		}
		x := c.choice
		x.Column, x.Header, x.Field = tabular.ColumnName(i), code.Trim(c.Header), c.Field
		if m.NoHeader {
			x.Header = ""
		}
		if x.Field == "" {
			if c.settled {
				x.Field = field.PassedOver
				l.Columns = append(l.Columns, layout.Choice{Column: x.Column, Header: x.Header, Field: field.PassedOver})
			}
			continue
		}
		if src := m.Sources[c.Field]; src != nil {
			x.Numbers, x.Dates = src.Numbers, src.Dates
			if src.Spec.Form != field.Number {
				x.Numbers = form.Numbers{}
			}
			if src.Spec.Form != field.Time {
				x.Dates = form.Dates{}
			}
		}
		l.Columns = append(l.Columns, x)
	}
	for _, w := range m.Worked {
		l.Columns = append(l.Columns, w.choice)
	}
	return l
}
