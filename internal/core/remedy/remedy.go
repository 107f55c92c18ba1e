// Package remedy offers the ways to settle what is wrong with a file: each does the same for all problems of a group, and none does
// harm to a row that it touches.
package remedy

import (
	"fmt"
	"slices"
	"strings"

	"wobin/internal/core/column"
	"wobin/internal/core/field"
	"wobin/internal/core/layout"
	"wobin/internal/core/problem"
	"wobin/internal/core/read"
	"wobin/internal/core/recognise"
	"wobin/internal/core/tabular"
)

// Remedy is one way to settle a group of problems.
type Remedy struct {
	Label   string
	Before  string // an example
	After   string
	Set     layout.Layout
	Certain bool // exactly one original is possible everywhere it applies
}

// Of gives the ways to settle a group of problems alike, the surest first.
func Of(m *recognise.Mapping, p *problem.Problems, g problem.Group, values []read.Value) []Remedy {
	o := &offers{m: m, p: p, g: g, src: m.Sources[g.Field]}
	if o.inColumn() {
		o.letter = " in column " + tabular.ColumnName(o.src.Column)
	}
	if o.inColumn() && o.src.Spec.Form == field.Number {
		o.numbers()
	}
	if o.src != nil && o.src.Spec.Form == field.Time {
		o.dates()
	}
	o.texts()
	o.wholeRows()
	o.out = append(o.out, repairs(g, values)...)
	o.lines()
	o.pass()
	return o.out
}

// offers gathers the remedies for one group.
type offers struct {
	m      *recognise.Mapping
	p      *problem.Problems
	g      problem.Group
	src    *column.Source // of the group's field; nil where the file has none
	letter string         // " in column C", where it comes from one
	out    []Remedy
}

func (o *offers) add(r Remedy) { o.out = append(o.out, r) }

func (o *offers) inColumn() bool { return o.src != nil && o.src.Column >= 0 }

// each goes over the problems of the group that are kept in full.
func (o *offers) each(do func(x *problem.Problem)) {
	for i := range o.p.List {
		if x := &o.p.List[i]; x.Kind == o.g.Kind && x.Field == o.g.Field {
			do(x)
		}
	}
}

// column is a choice about the group's column.
func (o *offers) column(c layout.Choice) layout.Layout {
	c.Column = ""
	if o.inColumn() {
		c.Column, c.Header = tabular.ColumnName(o.src.Column), o.m.Columns[o.src.Column].Header
		if o.m.NoHeader {
			c.Header = ""
		}
	}
	return layout.Layout{Columns: []layout.Choice{c}}
}

// example gives a value before and after a repair, for the first of the column's values that it concerns, and how many there are.
func (o *offers) example(repaired func(value string) (string, bool)) (before, after string, n int) {
	o.each(func(x *problem.Problem) {
		if is, ok := repaired(x.Value); ok {
			if n++; before == "" {
				before, after = x.Value, is
			}
		}
	})
	return before, after, n
}

// rows says how many rows of the group a remedy reaches: n of those that are kept in full, or more where some are not.
func (o *offers) rows(n int) string {
	kept := 0
	o.each(func(*problem.Problem) { kept++ })
	if kept < o.p.Groups[o.g] {
		return problem.RowsText(n) + " or more"
	}
	return problem.RowsText(n)
}

// wholeRows offers what settles rows that have not the cells of the header, or whose codes are damaged beside a row code.
func (o *offers) wholeRows() {
	n, example := 0, ""
	o.each(func(x *problem.Problem) {
		if x.Value != "" {
			if n++; example == "" {
				example = x.Value
			}
		}
	})
	switch {
	case o.g.Kind == problem.DamagedByCode:
		o.add(Remedy{
			Label: "Go by the row codes: each says which line it is, " + problem.RowsText(o.p.Groups[o.g]),
			Set:   layout.Layout{RowCodes: "prove"}, Certain: true,
		})
	case n == 0:
	case o.g.Kind == "cells missing":
		o.add(Remedy{Label: "What they lack are their last cells, which are empty", Set: layout.Layout{Short: "empty"}})
	case o.g.Kind == "cells beyond the header":
		o.add(Remedy{
			Label: "Put the two parts of a number together where one way is possible, " + o.rows(n), Before: "in parts", After: example,
			Set: layout.Layout{Parted: "join"}, Certain: true,
		})
	}
}

// placesOffered are the places that an empty cell of the group may mean.
func (o *offers) placesOffered() (out []string) {
	o.each(func(x *problem.Problem) {
		if out == nil {
			out = x.Offers
		}
	})
	return out
}

// lines offers what settles several lines of one key, and lines that lack a part of it.
func (o *offers) lines() {
	switch {
	case o.g.Kind == "duplicate key" && o.m.Kind == field.Stock:
		for _, a := range o.m.Apart {
			var names []string
			for _, i := range a.Columns {
				names = append(names, fmt.Sprintf("%s, %q,", tabular.ColumnName(i), o.m.Columns[i].Header))
			}
			for _, way := range a.Ways {
				label := fmt.Sprintf("Column %s tells them apart: it is %s", names[0], way.Is)
				if len(names) > 1 {
					label = fmt.Sprintf("Columns %s tell them apart: they are %s", strings.Join(names, " and "), way.Is)
				}
				o.add(Remedy{Label: label, Set: layout.Layout{Columns: way.Set}})
			}
		}
		if !slices.ContainsFunc(o.m.Asks, func(a recognise.Ask) bool { return a.What == recognise.AsksLevel || a.What == recognise.AsksMadeOf }) {
			o.add(Remedy{Label: "Sum rows of the same key", Set: layout.Layout{Doubles: "sum"}}) // else bins would become one unsaid
		}
	case o.g.Kind == read.CountedTwice:
		o.add(Remedy{Label: "They are one count: leave the later rows out", Set: layout.Layout{Doubles: "skip"}})
		o.add(Remedy{Label: "Each row is a parcel of its own: they add up", Set: layout.Layout{Doubles: "keep"}})
	case o.g.Kind == read.TwoDescriptions:
		o.add(Remedy{Label: "They are one item: the first description in the file holds", Set: layout.Layout{Describes: "first"}})
	case o.g.Kind == read.RowsInCell:
		o.add(Remedy{Label: "They are texts of several lines, and right as they stand", Set: layout.Layout{Breaks: "keep"}})
	case slices.Contains(oddKinds, o.g.Kind):
		o.odd()
	case o.g.Kind == read.Unplaced && o.inColumn():
		for _, place := range o.placesOffered() {
			o.add(Remedy{Label: fmt.Sprintf("An empty cell%s means %s", o.letter, place), After: place, Set: o.column(layout.Choice{Default: place})})
		}
		o.add(Remedy{Label: "Fill down: an empty cell means the same as the row above", Set: o.column(layout.Choice{Fill: "down"})})
		if o.g.Field == field.Bin {
			o.add(Remedy{Label: "These rows lie in no bin", Set: o.column(layout.Choice{Fill: "as is"})})
		}
	case o.g.Kind == "movement twice":
		o.add(Remedy{Label: "Leave the later rows out", Set: layout.Layout{Doubles: "skip"}})
		o.add(Remedy{Label: "Each row is a movement of its own: take them all", Set: layout.Layout{Doubles: "keep"}})
	case o.g.Kind == "column missing" && o.g.Field == field.Quantity && o.m.Kind == field.Stock && !o.m.Has(field.Available) &&
		!o.m.Has(field.Reserved) && !slices.ContainsFunc(o.m.Asks, func(a recognise.Ask) bool { return !a.Optional }):
		// A first count: what lies where is known, how much is not, and no column is left that may say it. Lines that are
		// recorded keep what they have.
		o.add(Remedy{
			Label: "No quantity is recorded yet: 0 in every row that is new, so that the sheets name what lies where",
			Set:   layout.Layout{Columns: []layout.Choice{{Field: field.Quantity, Fixed: "0"}}, Rows: "add", Extent: "only"},
		})
	case o.g.Kind == "empty" && o.inColumn() && slices.Contains([]field.Field{field.SKU, field.Warehouse, field.Bin}, o.g.Field):
		o.add(Remedy{Label: "Fill down: an empty cell means the same as the row above", Set: o.column(layout.Choice{Fill: "down"})})
	}
}

// oddKinds are the kinds of codes that hardly are what they seem to be.
var oddKinds = []string{read.UnseenSigns, read.OtherHyphens, read.TwoAlphabets, read.DittoMarks, read.SeveralBins, read.Exponents}

// odd offers what settles codes that hardly are what they seem to be: written as they were meant, or right as they stand.
func (o *offers) odd() {
	signs := func(of func(string) []string) (out []string) {
		o.each(func(x *problem.Problem) {
			for _, s := range of(x.Value) {
				if !slices.Contains(out, s) {
					out = append(out, s)
				}
			}
		})
		return out
	}
	without := func(label string, found []string, by string) {
		if !o.inColumn() || len(found) == 0 {
			return
		}
		text, before, after := o.m.Label(o.src.Column), "", ""
		o.each(func(x *problem.Problem) {
			if before == "" {
				before, after = x.Value, x.Value
			}
		})
		for _, s := range found {
			text, after = fmt.Sprintf("SUBSTITUTE(%s; \"%s\"; \"%s\")", text, s, by), strings.ReplaceAll(after, s, by)
		}
		o.add(Remedy{Label: label, Before: before, After: after,
			Set: layout.Layout{Columns: []layout.Choice{{Field: o.g.Field, Formula: text}}}})
	}
	switch o.g.Kind {
	case read.OtherHyphens:
		without("Write hyphens"+o.letter, signs(read.Hyphens), "-")
	case read.UnseenSigns:
		without("Take out the signs that are not seen"+o.letter, signs(read.Unseen), "")
	case read.DittoMarks:
		if o.inColumn() {
			var marks []string
			o.each(func(x *problem.Problem) {
				if !slices.Contains(marks, x.Value) {
					marks = append(marks, x.Value)
				}
			})
			o.add(Remedy{Label: "They mean what stands above", Set: o.column(layout.Choice{Nothing: marks, Fill: "down"})})
		}
	}
	o.add(Remedy{Label: "They are right as they stand", Set: layout.Layout{Odd: "keep"}})
}

// places are the fields that tell lines apart: passing one over would make several lines one.
var places = []field.Field{field.Warehouse, field.Bin, field.Lot, field.Serial, field.Holding}

// pass offers to do without a column that the file does not need.
func (o *offers) pass() {
	s := field.SpecOf(o.m.Kind, o.g.Field)
	if s == nil || s.Required || !o.inColumn() || o.g.Field == o.m.Identity || slices.Contains(places, o.g.Field) {
		return
	}
	o.add(Remedy{
		Label: fmt.Sprintf("Pass column %s over", tabular.ColumnName(o.src.Column)),
		Set:   o.column(layout.Choice{Field: field.PassedOver}),
	})
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
