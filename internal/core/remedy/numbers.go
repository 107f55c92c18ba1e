package remedy

import (
	"fmt"
	"slices"
	"strings"

	"wobin/internal/core/field"
	"wobin/internal/core/form"
	"wobin/internal/core/layout"
	"wobin/internal/core/problem"
)

// numbers offers what makes numbers of the cells of a column of numbers.
func (o *offers) numbers() {
	let := func(label string, set form.Numbers, certain bool) {
		n := o.src.Numbers
		n.Merge(&set)
		before, after, rows := o.example(func(v string) (string, bool) {
			plain, wrong, _ := n.Parse(v)
			return plain, wrong == ""
		})
		if rows > 0 {
			o.add(Remedy{
				Label: fmt.Sprintf("%s%s, %s", label, o.letter, o.rows(rows)), Before: before, After: after,
				Set: o.column(layout.Choice{Numbers: set}), Certain: certain,
			})
		}
	}
	switch o.g.Kind {
	case "unit or currency sign":
		for _, sign := range o.signs() {
			credit := form.Within(form.CreditSigns, sign)
			if credit {
				let(fmt.Sprintf("Read those with %q as below zero", sign), form.Numbers{Below: []string{sign}}, false)
			}
			if !form.Within([]string{"cr", "credit", "haben"}, sign) {
				let(fmt.Sprintf("Leave %q away", sign), form.Numbers{Signs: []string{sign}}, !credit)
			}
		}
	case "minus at the end or brackets":
		label := "Read them as below zero"
		if slices.ContainsFunc(o.words(), func(v string) bool { return strings.HasSuffix(v, "+") }) {
			label = "Read the sign at the end as that of the number"
		}
		let(label, form.Numbers{Minus: true}, true)
	case "letters for digits":
		let("Read them as the digits that they look like", form.Numbers{Letters: true}, true)
	case "other number form":
		o.decimal(map[bool]string{true: ".", false: ","}[o.src.Numbers.Decimal == ","])
	case form.SignForNothing:
		words := o.words()
		let(fmt.Sprintf("Read %s as 0", problem.Both(words, 4)), form.Numbers{Zero: words}, false)
		o.add(Remedy{
			Label: fmt.Sprintf("Take %s for an empty cell%s", problem.Both(words, 4), o.letter), Before: words[0],
			Set: o.column(layout.Choice{Nothing: words}),
		})
	case form.Fraction:
		let("Read fractions, as 3½ is 3.5", form.Numbers{Fractions: true}, true)
	case form.SumInCell:
		let("Work them out, as 12+5 is 17", form.Numbers{Sums: true}, true)
	case form.SeveralQuantities:
		let("The first of them is the whole quantity", form.Numbers{Parts: "whole"}, false)
		if !o.m.Has(field.Unit) {
			o.add(Remedy{
				Label: "They are added up, packs by what each item's pack holds" + o.letter, Before: o.words()[0],
				Set: o.column(layout.Choice{Numbers: form.Numbers{Parts: "add"}}),
			})
		}
	}
}

// decimal offers another decimal sign for the whole column.
func (o *offers) decimal(sign string) {
	n := o.src.Numbers
	n.Decimal = sign
	before, after, _ := o.example(func(v string) (string, bool) {
		plain, wrong, _ := n.Parse(v)
		return plain, wrong == ""
	})
	o.add(Remedy{
		Label:  fmt.Sprintf("Take the %s for the decimal sign of the whole column", form.SignName(sign)),
		Before: before, After: after, Set: o.column(layout.Choice{Numbers: form.Numbers{Decimal: sign}}),
	})
}

// signs are the signs beside the numbers of the group, each once, but those of packs: how many are in one is nowhere in the file.
func (o *offers) signs() (out []string) {
	o.each(func(x *problem.Problem) {
		w, ok := form.TakeApart(x.Value)
		if ok && len(out) < 8 && !slices.Contains(out, w.Sign) && !form.Within(form.PackSigns, w.Sign) {
			out = append(out, w.Sign)
		}
	})
	return out
}

// words are the values of the group, each once.
func (o *offers) words() (out []string) {
	o.each(func(x *problem.Problem) {
		if v := strings.TrimSpace(x.Value); len(out) < 200 && !slices.Contains(out, v) {
			out = append(out, v)
		}
	})
	return out
}

// dates offers what makes times of the cells of a column of times.
func (o *offers) dates() {
	set := func(label string, d form.Dates, certain bool) {
		o.add(Remedy{Label: label + o.letter, Set: o.column(layout.Choice{Dates: d}), Certain: certain})
	}
	switch o.g.Kind {
	case "day number":
		set("Read the numbers as a spreadsheet program's days", form.Dates{Serial: true}, true)
	case "seconds since 1970":
		unit, what := "s", "seconds"
		if len(o.words()[0]) == 13 {
			unit, what = "ms", "thousandths of seconds"
		}
		set(fmt.Sprintf("Read the numbers as %s since 1970, in UTC", what), form.Dates{Epoch: unit}, true)
	case "no time of day":
		for _, t := range [][2]string{{"the beginning of the day", "00:00"}, {"noon", "12:00"}, {"the end of the day", "24:00"}} {
			set("Take "+t[0], form.Dates{Time: t[1]}, false)
		}
	case "other date order":
		for _, order := range form.Orders {
			if order != o.src.Dates.Order {
				o.add(Remedy{
					Label: fmt.Sprintf("Read the whole column %s", form.OrderName(order)),
					Set:   o.column(layout.Choice{Dates: form.Dates{Order: order}}),
				})
			}
		}
	}
}
