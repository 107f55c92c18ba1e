package layout

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"wobin/internal/core/code"
	"wobin/internal/core/formula"
	"wobin/internal/core/tabular"
)

// Tried is what a formula comes to in one row: a result, or what is wrong there.
type Tried struct {
	Row    int    `json:"row"`
	Result string `json:"result"`
	Wrong  string `json:"wrong"`
}

// Try works a formula out for the first rows of a table, while it is typed. It errs with *formula.Error where the
// formula cannot be read or names a column that the file has not.
func (m *Mapping) Try(f *tabular.File, text string, most int) ([]Tried, error) {
	read, labels, wrong := compile(text, m.called)
	if wrong != nil {
		return nil, wrong
	}
	link(labels, m.sources)
	s, err := readSample(f, m.Sheet)
	if err != nil {
		return nil, err
	}
	s.decideOwn(m, labels)
	var out []Tried
	var c Row
	for n, row := range s.rows {
		if s.numbers[n] <= m.HeaderRow || m.resembles(row) != "" {
			continue
		}
		if len(out) == most {
			break
		}
		c.kinds, c.cells = s.kinds[n], c.cells[:0]
		for _, t := range row {
			c.cells = append(c.cells, []byte(t))
		}
		x := Tried{Row: s.numbers[n]}
		if x.Result, err = read.Text(labelled{&c, labels}); err != nil {
			x.Wrong = err.Error()
		}
		out = append(out, x)
	}
	return out, nil
}

// example gives a value before and after a repair, for the first of the column's values that it concerns.
func example(p *Problems, g Group, repaired func(value string) (string, bool)) (before, after string, n int) {
	for _, x := range p.List {
		if (Group{x.Kind, x.Field}) != g {
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
func rowsOf(p *Problems, g Group, n int) string {
	kept := 0
	for _, x := range p.List {
		if (Group{x.Kind, x.Field}) == g {
			kept++
		}
	}
	if kept < p.Groups[g] {
		return rowsText(n) + " or more"
	}
	return rowsText(n)
}

// Remedy is one way to settle a group of problems.
type Remedy struct {
	Label   string
	Before  string // an example
	After   string
	Set     Layout
	Certain bool // exactly one original is possible everywhere it applies
}

// Remedies gives the ways to settle a group of problems alike, the surest first.
func Remedies(m *Mapping, p *Problems, g Group, values []Value) (out []Remedy) {
	src := m.sources[g.Field]
	column := func(c Choice) Layout {
		c.Column = ""
		if src != nil && src.column >= 0 {
			c.Column, c.Header = tabular.ColumnName(src.column), m.Columns[src.column].Header
			if m.NoHeader {
				c.Header = ""
			}
		}
		return Layout{Columns: []Choice{c}}
	}
	letter := ""
	if src != nil && src.column >= 0 {
		letter = " in column " + tabular.ColumnName(src.column)
	}
	number := func(n Numbers) func(string) (string, bool) {
		return func(v string) (string, bool) {
			plain, problem, _ := n.parse(v)
			return plain, problem == ""
		}
	}
	if src != nil && src.column >= 0 && src.spec.Form == Number {
		switch g.Kind {
		case "unit or currency sign":
			seen := map[string]bool{}
			for _, x := range p.List {
				w, ok := takeApart(x.Value)
				if (Group{x.Kind, x.Field}) != g || !ok || seen[w.sign] || len(seen) == 8 {
					continue
				}
				seen[w.sign] = true
				if within(packSigns, w.sign) {
					continue // how many are in one is nowhere in the file
				}
				offer := func(label string, n, set Numbers, certain bool) {
					before, after, rows := example(p, g, number(n))
					if rows > 0 {
						out = append(out, Remedy{fmt.Sprintf(label+"%s, %s", w.sign, letter, rowsOf(p, g, rows)), before, after, column(Choice{Numbers: set}), certain})
					}
				}
				n := src.numbers
				if within(creditSigns, w.sign) {
					n.Below = append(n.Below[:len(n.Below):len(n.Below)], w.sign)
					offer("Read those with %q as below zero", n, Numbers{Below: []string{w.sign}}, false)
					if within([]string{"cr", "credit", "haben"}, w.sign) {
						continue
					}
					n = src.numbers
				}
				n.Signs = append(n.Signs[:len(n.Signs):len(n.Signs)], w.sign)
				offer("Leave %q away", n, Numbers{Signs: []string{w.sign}}, !within(creditSigns, w.sign))
			}
		case "minus at the end or brackets":
			n := src.numbers
			n.Minus = true
			before, after, rows := example(p, g, number(n))
			out = append(
				out,
				Remedy{
					fmt.Sprintf("Read them as below zero%s, %s", letter, rowsOf(p, g, rows)),
					before,
					after,
					column(Choice{Numbers: Numbers{Minus: true}}),
					true,
				},
			)
		case "letters for digits":
			n := src.numbers
			n.Letters = true
			before, after, rows := example(p, g, number(n))
			out = append(
				out,
				Remedy{
					fmt.Sprintf("Read them as the digits that they look like%s, %s", letter, rowsOf(p, g, rows)),
					before,
					after,
					column(Choice{Numbers: Numbers{Letters: true}}),
					true,
				},
			)
		case "other number form":
			other := ","
			if src.numbers.Decimal == "," {
				other = "."
			}
			n := src.numbers
			n.Decimal = other
			before, after, _ := example(p, g, number(n))
			out = append(
				out,
				Remedy{
					fmt.Sprintf("Take the %s for the decimal sign of the whole column", signName(other)),
					before,
					after,
					column(Choice{Numbers: Numbers{Decimal: other}}),
					false,
				},
			)
		}
	}
	if src != nil && src.spec.Form == Time {
		switch g.Kind {
		case "day number":
			out = append(
				out,
				Remedy{
					Label:   "Read the numbers as a spreadsheet program's days" + letter,
					Set:     column(Choice{Dates: Dates{Serial: true}}),
					Certain: true,
				},
			)
		case "no time of day":
			for _, t := range [][2]string{{"the beginning of the day", "00:00"}, {"noon", "12:00"}, {"the end of the day", "24:00"}} {
				out = append(out, Remedy{Label: "Take " + t[0] + letter, Set: column(Choice{Dates: Dates{Time: t[1]}})})
			}
		case "other date order":
			for _, o := range orders {
				if o != src.dates.Order {
					out = append(
						out,
						Remedy{Label: fmt.Sprintf("Read the whole column %s", orderName(o)), Set: column(Choice{Dates: Dates{Order: o}})},
					)
				}
			}
		}
	}
	if words := nothings(p, g); len(words) > 0 && src != nil && src.column >= 0 {
		out = append(out, Remedy{
			Label: fmt.Sprintf("Take %s for an empty cell%s", both(words, 4), letter), Before: words[0],
			Set: column(Choice{Nothing: words}), Certain: true,
		})
		if g.Kind == nothing {
			set := Layout{}
			for _, w := range words {
				set.Matches = append(set.Matches, Match{Field: g.Field, From: w, Do: "new"})
			}
			out = append(out, Remedy{Label: fmt.Sprintf("Take %s for a code like the others", both(words, 4)), Before: words[0], After: words[0], Set: set})
		}
	}
	if g.Kind == "cells missing" && slices.ContainsFunc(p.List, func(x Problem) bool { return x.Kind == g.Kind && x.Value != "" }) {
		out = append(out, Remedy{Label: "What they lack are their last cells, which are empty", Set: Layout{Short: "empty"}})
	}
	if g.Kind == DamagedByCode {
		out = append(out, Remedy{
			Label: "Go by the row codes: each says which line it is, " + rowsText(p.Groups[g]), Set: Layout{RowCodes: "prove"}, Certain: true,
		})
	}
	if g.Kind == severalIn {
		set := Layout{}
		for _, x := range p.List {
			if (Group{x.Kind, x.Field}) == g && len(set.Matches) < 200 {
				set.Matches = append(set.Matches, Match{Field: g.Field, From: x.Value, Do: "new"})
			}
		}
		out = append(out, Remedy{Label: "Each is one code, as it stands", Before: set.Matches[0].From, After: set.Matches[0].From, Set: set})
	}
	if g.Kind == "cells beyond the header" {
		n, example := 0, ""
		for _, x := range p.List {
			if (Group{x.Kind, x.Field}) == g && x.Value != "" {
				if n++; example == "" {
					example = x.Value
				}
			}
		}
		if n > 0 {
			out = append(out, Remedy{
				Label: "Put the two parts of a number together where one way is possible, " + rowsOf(p, g, n), Before: "in parts", After: example,
				Set: Layout{Parted: "join"}, Certain: true,
			})
		}
	}
	out = append(out, repairs(g, values)...)
	switch {
	case g.Kind == "duplicate key" && m.Kind == Stock:
		for _, at := range m.apart {
			for _, f := range []Field{Lot, Serial, Holding} {
				if m.Has(f) {
					continue
				}
				letter := tabular.ColumnName(at)
				out = append(out, Remedy{
					Label: fmt.Sprintf("Column %s, %q, tells them apart: it is the %s", letter, m.Columns[at].Header, strings.ToLower(title(m.Kind, f))),
					Set:   Layout{Columns: []Choice{{Column: letter, Header: code.Trim(m.Columns[at].Header), Field: f}}},
				})
				break
			}
		}
		out = append(out, Remedy{Label: "Sum rows of the same key", Set: Layout{Doubles: "sum"}})
	case g.Kind == "movement twice":
		out = append(
			out,
			Remedy{Label: "Leave the later rows out", Set: Layout{Doubles: "skip"}},
			Remedy{Label: "Each row is a movement of its own: take them all", Set: Layout{Doubles: "keep"}},
		)
	case g.Kind == "empty" && src != nil && src.column >= 0 && (g.Field == SKU || g.Field == Warehouse || g.Field == Bin):
		out = append(out, Remedy{Label: "Fill down: an empty cell means the same as the row above", Set: column(Choice{Fill: "down"})})
	}
	if s := spec(m.Kind, g.Field); s != nil && !s.Required && src != nil && src.column >= 0 && g.Field != m.Identity &&
		g.Field != Warehouse &&
		g.Field != Bin &&
		g.Field != Lot &&
		g.Field != Serial &&
		g.Field != Holding {
		out = append(
			out,
			Remedy{Label: fmt.Sprintf("Pass column %s over", tabular.ColumnName(src.column)), Set: column(Choice{Field: PassedOver})},
		)
	}
	return out
}

// nothings are the words for nothing among the values of a group, each once.
func nothings(p *Problems, g Group) (out []string) {
	for _, x := range p.List {
		if (Group{x.Kind, x.Field}) == g && len(x.Value) > 2 && nothingWord([]byte(x.Value)) && !slices.Contains(out, x.Value) {
			out = append(out, x.Value)
		}
	}
	return out
}

// repairs offers to put damaged codes back: those with one possible original, and, where all codes that turned into
// dates were read one way, the others as read the same way.
func repairs(g Group, values []Value) (out []Remedy) {
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
			one.Before, one.After, one.Set = v.Text, v.Originals[0].Text, Layout{
				Repairs: []Repair{{Field: v.Field, Damage: v.Originals[0].Damage}},
			}
		}
		rows += v.Rows
	}
	if sure > 0 {
		one.Label, one.Certain = fmt.Sprintf(
			"Put back the only possible original of %s, %s",
			count(sure, "value", "values"),
			rowsText(rows),
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
				same.Before, same.After, same.Set = v.Text, o.Text, Layout{
					Repairs: []Repair{{Field: v.Field, Damage: o.Damage, Way: o.Way}},
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
			count(others, "value", "values"),
			rowsText(otherRows),
		)
		out = append(out, same)
	}
	return out
}

// Culprit names the one column that causes all problems, "" where there are several or none. spare is true where the
// file does without it.
func Culprit(m *Mapping, p *Problems) (column string, spare bool) {
	for g := range p.Groups {
		src := m.sources[g.Field]
		if src == nil || src.column < 0 || m.shape.width > 0 && src.column >= m.shape.width || column != "" && column != tabular.ColumnName(src.column) {
			return "", false
		}
		column = tabular.ColumnName(src.column)
		x := spec(m.Kind, g.Field)
		spare = g.Field != m.Identity && (x == nil || !x.Required)
	}
	return column, spare
}

// IsFormulaError gives the place and text of a formula's error.
func IsFormulaError(err error) (at int, text string, ok bool) {
	var e *formula.Error
	if errors.As(err, &e) {
		return e.At, e.Text, true
	}
	return 0, "", false
}
