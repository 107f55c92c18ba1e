// Package remedy offers the ways to settle what is wrong with a file: each does the same for all problems of a group, and none does
// harm to a row that it touches.
package remedy

import (
	"fmt"
	"slices"
	"strings"

	"wobin/internal/core/code"
	"wobin/internal/core/field"
	"wobin/internal/core/form"
	"wobin/internal/core/layout"
	"wobin/internal/core/problem"
	"wobin/internal/core/read"
	"wobin/internal/core/recognise"
	"wobin/internal/core/tabular"
)

// example gives a value before and after a repair, for the first of the column's values that it concerns.
func example(p *problem.Problems, g problem.Group, repaired func(value string) (string, bool)) (before, after string, n int) {
	for _, x := range p.List {
		if (problem.Group{Kind: x.Kind, Field: x.Field}) != g {
			continue
		}
		if is, ok := repaired(x.Value); ok {
			if n++; before == "" {
				before, after = x.Value, is
			}
		}
	}
	return before, after, n
}

// rowsOf says how many rows of a group a remedy reaches: n of those that are kept in full, or more where some are not.
func rowsOf(p *problem.Problems, g problem.Group, n int) string {
	kept := 0
	for _, x := range p.List {
		if (problem.Group{Kind: x.Kind, Field: x.Field}) == g {
			kept++
		}
	}
	if kept < p.Groups[g] {
		return problem.RowsText(n) + " or more"
	}
	return problem.RowsText(n)
}

// Remedy is one way to settle a group of problems.
type Remedy struct {
	Label   string
	Before  string // an example
	After   string
	Set     layout.Layout
	Certain bool // exactly one original is possible everywhere it applies
}

// Of gives the ways to settle a group of problems alike, the surest first.
func Of(m *recognise.Mapping, p *problem.Problems, g problem.Group, values []read.Value) (out []Remedy) {
	src := m.Sources[g.Field]
	column := func(c layout.Choice) layout.Layout {
		c.Column = ""
		if src != nil && src.Column >= 0 {
			c.Column, c.Header = tabular.ColumnName(src.Column), m.Columns[src.Column].Header
			if m.NoHeader {
				c.Header = ""
			}
		}
		return layout.Layout{Columns: []layout.Choice{c}}
	}
	letter := ""
	if src != nil && src.Column >= 0 {
		letter = " in column " + tabular.ColumnName(src.Column)
	}
	number := func(n form.Numbers) func(string) (string, bool) {
		return func(v string) (string, bool) {
			plain, problem, _ := n.Parse(v)
			return plain, problem == ""
		}
	}
	if src != nil && src.Column >= 0 && src.Spec.Form == field.Number {
		switch g.Kind {
		case "unit or currency sign":
			seen := map[string]bool{}
			for _, x := range p.List {
				w, ok := form.TakeApart(x.Value)
				if (problem.Group{Kind: x.Kind, Field: x.Field}) != g || !ok || seen[w.Sign] || len(seen) == 8 {
					continue
				}
				seen[w.Sign] = true
				if form.Within(form.PackSigns, w.Sign) {
					continue // how many are in one is nowhere in the file
				}
				offer := func(label string, n, set form.Numbers, certain bool) {
					before, after, rows := example(p, g, number(n))
					if rows > 0 {
						out = append(
							out,
							Remedy{
								fmt.Sprintf(label+"%s, %s", w.Sign, letter, rowsOf(p, g, rows)),
								before,
								after,
								column(layout.Choice{Numbers: set}),
								certain,
							},
						)
					}
				}
				n := src.Numbers
				if form.Within(form.CreditSigns, w.Sign) {
					n.Below = append(n.Below[:len(n.Below):len(n.Below)], w.Sign)
					offer("Read those with %q as below zero", n, form.Numbers{Below: []string{w.Sign}}, false)
					if form.Within([]string{"cr", "credit", "haben"}, w.Sign) {
						continue
					}
					n = src.Numbers
				}
				n.Signs = append(n.Signs[:len(n.Signs):len(n.Signs)], w.Sign)
				offer("Leave %q away", n, form.Numbers{Signs: []string{w.Sign}}, !form.Within(form.CreditSigns, w.Sign))
			}
		case "minus at the end or brackets":
			n := src.Numbers
			n.Minus = true
			before, after, rows := example(p, g, number(n))
			out = append(
				out,
				Remedy{
					fmt.Sprintf("Read them as below zero%s, %s", letter, rowsOf(p, g, rows)),
					before,
					after,
					column(layout.Choice{Numbers: form.Numbers{Minus: true}}),
					true,
				},
			)
		case "letters for digits":
			n := src.Numbers
			n.Letters = true
			before, after, rows := example(p, g, number(n))
			out = append(
				out,
				Remedy{
					fmt.Sprintf("Read them as the digits that they look like%s, %s", letter, rowsOf(p, g, rows)),
					before,
					after,
					column(layout.Choice{Numbers: form.Numbers{Letters: true}}),
					true,
				},
			)
		case "other number form":
			other := ","
			if src.Numbers.Decimal == "," {
				other = "."
			}
			n := src.Numbers
			n.Decimal = other
			before, after, _ := example(p, g, number(n))
			out = append(
				out,
				Remedy{
					fmt.Sprintf("Take the %s for the decimal sign of the whole column", form.SignName(other)),
					before,
					after,
					column(layout.Choice{Numbers: form.Numbers{Decimal: other}}),
					false,
				},
			)
		}
	}
	if src != nil && src.Spec.Form == field.Time {
		switch g.Kind {
		case "day number":
			out = append(
				out,
				Remedy{
					Label:   "Read the numbers as a spreadsheet program's days" + letter,
					Set:     column(layout.Choice{Dates: form.Dates{Serial: true}}),
					Certain: true,
				},
			)
		case "no time of day":
			for _, t := range [][2]string{{"the beginning of the day", "00:00"}, {"noon", "12:00"}, {"the end of the day", "24:00"}} {
				out = append(out, Remedy{Label: "Take " + t[0] + letter, Set: column(layout.Choice{Dates: form.Dates{Time: t[1]}})})
			}
		case "other date order":
			for _, o := range form.Orders {
				if o != src.Dates.Order {
					out = append(
						out,
						Remedy{
							Label: fmt.Sprintf("Read the whole column %s", form.OrderName(o)),
							Set:   column(layout.Choice{Dates: form.Dates{Order: o}}),
						},
					)
				}
			}
		}
	}
	if words := nothings(p, g); len(words) > 0 && src != nil && src.Column >= 0 {
		out = append(out, Remedy{
			Label: fmt.Sprintf("Take %s for an empty cell%s", problem.Both(words, 4), letter), Before: words[0],
			Set: column(layout.Choice{Nothing: words}), Certain: true,
		})
		if g.Kind == read.WordForNothing {
			set := layout.Layout{}
			for _, w := range words {
				set.Matches = append(set.Matches, layout.Match{Field: g.Field, From: w, Do: "new"})
			}
			out = append(
				out,
				Remedy{
					Label:  fmt.Sprintf("Take %s for a code like the others", problem.Both(words, 4)),
					Before: words[0],
					After:  words[0],
					Set:    set,
				},
			)
		}
	}
	if g.Kind == "cells missing" && slices.ContainsFunc(p.List, func(x problem.Problem) bool { return x.Kind == g.Kind && x.Value != "" }) {
		out = append(out, Remedy{Label: "What they lack are their last cells, which are empty", Set: layout.Layout{Short: "empty"}})
	}
	if g.Kind == problem.DamagedByCode {
		out = append(out, Remedy{
			Label: "Go by the row codes: each says which line it is, " + problem.RowsText(
				p.Groups[g],
			), Set: layout.Layout{RowCodes: "prove"}, Certain: true,
		})
	}
	if g.Kind == read.SeveralInOne {
		set := layout.Layout{}
		for _, x := range p.List {
			if (problem.Group{Kind: x.Kind, Field: x.Field}) == g && len(set.Matches) < 200 {
				set.Matches = append(set.Matches, layout.Match{Field: g.Field, From: x.Value, Do: "new"})
			}
		}
		out = append(
			out,
			Remedy{Label: "Each is one code, as it stands", Before: set.Matches[0].From, After: set.Matches[0].From, Set: set},
		)
	}
	if g.Kind == "cells beyond the header" {
		n, example := 0, ""
		for _, x := range p.List {
			if (problem.Group{Kind: x.Kind, Field: x.Field}) == g && x.Value != "" {
				if n++; example == "" {
					example = x.Value
				}
			}
		}
		if n > 0 {
			out = append(out, Remedy{
				Label: "Put the two parts of a number together where one way is possible, " + rowsOf(
					p,
					g,
					n,
				), Before: "in parts", After: example,
				Set: layout.Layout{Parted: "join"}, Certain: true,
			})
		}
	}
	out = append(out, repairs(g, values)...)
	switch {
	case g.Kind == "duplicate key" && m.Kind == field.Stock:
		for _, at := range m.Apart {
			for _, f := range []field.Field{field.Lot, field.Serial, field.Holding} {
				if m.Has(f) {
					continue
				}
				letter := tabular.ColumnName(at)
				out = append(out, Remedy{
					Label: fmt.Sprintf(
						"Column %s, %q, tells them apart: it is the %s",
						letter,
						m.Columns[at].Header,
						strings.ToLower(recognise.Title(m.Kind, f)),
					),
					Set: layout.Layout{Columns: []layout.Choice{{Column: letter, Header: code.Trim(m.Columns[at].Header), Field: f}}},
				})
				break
			}
		}
		out = append(out, Remedy{Label: "Sum rows of the same key", Set: layout.Layout{Doubles: "sum"}})
	case g.Kind == "movement twice":
		out = append(
			out,
			Remedy{Label: "Leave the later rows out", Set: layout.Layout{Doubles: "skip"}},
			Remedy{Label: "Each row is a movement of its own: take them all", Set: layout.Layout{Doubles: "keep"}},
		)
	case g.Kind == "empty" && src != nil && src.Column >= 0 && (g.Field == field.SKU || g.Field == field.Warehouse || g.Field == field.Bin):
		out = append(
			out,
			Remedy{Label: "Fill down: an empty cell means the same as the row above", Set: column(layout.Choice{Fill: "down"})},
		)
	}
	if s := field.SpecOf(m.Kind, g.Field); s != nil && !s.Required && src != nil && src.Column >= 0 && g.Field != m.Identity &&
		g.Field != field.Warehouse &&
		g.Field != field.Bin &&
		g.Field != field.Lot &&
		g.Field != field.Serial &&
		g.Field != field.Holding {
		out = append(
			out,
			Remedy{
				Label: fmt.Sprintf("Pass column %s over", tabular.ColumnName(src.Column)),
				Set:   column(layout.Choice{Field: field.PassedOver}),
			},
		)
	}
	return out
}

// nothings are the words for nothing among the values of a group, each once.
func nothings(p *problem.Problems, g problem.Group) (out []string) {
	for _, x := range p.List {
		if (problem.Group{Kind: x.Kind, Field: x.Field}) == g && len(x.Value) > 2 && read.NothingWord([]byte(x.Value)) &&
			!slices.Contains(out, x.Value) {
			out = append(out, x.Value)
		}
	}
	return out
}

// repairs offers to put damaged codes back: those with one possible original, and, where all codes that turned into
// dates were read one way, the others as read the same way.
func repairs(g problem.Group, values []read.Value) (out []Remedy) {
	var one, same Remedy
	sure, rows, others, otherRows := 0, 0, 0, 0
	ways := map[string]bool{}
	for _, v := range values {
		if v.Field != g.Field || len(v.Originals) == 0 || string(v.Originals[0].Damage) != g.Kind {
			continue
		}
		if len(v.Originals) == 1 {
			ways[v.Originals[0].Way] = true
		}
		if !v.Refused || len(v.Originals) > 1 {
			continue
		}
		if sure++; one.Before == "" {
			one.Before, one.After, one.Set = v.Text, v.Originals[0].Text, layout.Layout{
				Repairs: []layout.Repair{{Field: v.Field, Damage: v.Originals[0].Damage}},
			}
		}
		rows += v.Rows
	}
	if sure > 0 {
		one.Label, one.Certain = fmt.Sprintf(
			"Put back the only possible original of %s, %s",
			problem.Count(sure, "value", "values"),
			problem.RowsText(rows),
		), true
		out = append(out, one)
	}
	if len(ways) != 1 || ways[""] {
		return out
	}
	for _, v := range values {
		if v.Field != g.Field || len(v.Originals) < 2 || !v.Refused || string(v.Originals[0].Damage) != g.Kind {
			continue
		}
		for _, o := range v.Originals {
			if !ways[o.Way] {
				continue
			}
			if others++; same.Before == "" {
				same.Before, same.After, same.Set = v.Text, o.Text, layout.Layout{
					Repairs: []layout.Repair{{Field: v.Field, Damage: o.Damage, Way: o.Way}},
				}
				same.Label = o.Way
			}
			otherRows += v.Rows
		}
	}
	if others > 0 {
		same.Label = fmt.Sprintf(
			"Read the others %s too, as all with one possible original were: %s, %s",
			same.Label,
			problem.Count(others, "value", "values"),
			problem.RowsText(otherRows),
		)
		out = append(out, same)
	}
	return out
}

// Culprit names the one column that causes all problems, "" where there are several or none. spare is true where the
// file does without it.
func Culprit(m *recognise.Mapping, p *problem.Problems) (column string, spare bool) {
	for g := range p.Groups {
		src := m.Sources[g.Field]
		if src == nil || src.Column < 0 || m.Shape.Width > 0 && src.Column >= m.Shape.Width ||
			column != "" && column != tabular.ColumnName(src.Column) {
			return "", false
		}
		column = tabular.ColumnName(src.Column)
		x := field.SpecOf(m.Kind, g.Field)
		spare = g.Field != m.Identity && (x == nil || !x.Required)
	}
	return column, spare
}
