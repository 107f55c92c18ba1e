// Package ruling is the rules by which variances are decided without anybody looking at each: what a rule is about, whether it says
// anything of a line, and whether two rules contradict each other. It works on plain values only.
package ruling

import (
	"fmt"
	"slices"
	"strings"

	"wobin/internal/core/cause"
	"wobin/internal/core/quantity"
	"wobin/internal/core/variance"
)

// Sign is the side of variances.
type Sign string

// The signs. The empty one stands for both.
const (
	Over  Sign = "over"
	Short Sign = "short"
)

// Unexplained in the place of a cause: nothing speaks strongly or fairly for any.
const Unexplained cause.Cause = "none"

// Rule decides lines to which all of its conditions apply. A condition that is not there applies to every line.
type Rule struct {
	Class    string `json:"class,omitempty"`
	Category string `json:"category,omitempty"`
	Sign     Sign   `json:"sign,omitempty"`
	// Cause is the likely cause, for which much has to speak, or Unexplained. Of a cause that explains two lines by each other both are
	// decided, and only where they are off by the same quantity and all conditions apply to both.
	Cause cause.Cause `json:"cause,omitempty"`
	Aisle bool        `json:"aisle,omitempty"` // of two lines: they stand in one aisle
	// Limits, included. A line without a value is within no limit of value.
	Quantity *quantity.Quantity `json:"quantity,omitempty"` // at most, without its sign
	Percent  *quantity.Quantity `json:"percent,omitempty"`  // at most, of what is expected
	From     *quantity.Money    `json:"from,omitempty"`     // worth at least, without its sign
	To       *quantity.Money    `json:"to,omitempty"`       // worth at most

	Then   variance.Decision `json:"then"`
	Reason string            `json:"reason,omitempty"`
}

// Pairs tells whether the rule is about two lines that explain each other.
func (r *Rule) Pairs() bool { return IsPair(r.Cause) }

// IsPair tells whether a cause explains two lines by each other.
func IsPair(c cause.Cause) bool {
	return c == cause.Misplaced || c == cause.MistakenItem || c == cause.WrongLot
}

// Valid tells what is wrong with a rule, as a sentence; empty where nothing is.
func (r *Rule) Valid() string {
	limits := []*quantity.Quantity{r.Quantity, r.Percent}
	below := slices.ContainsFunc(limits, func(q *quantity.Quantity) bool { return q != nil && *q < 0 })
	switch {
	case r.Sign != "" && r.Sign != Over && r.Sign != Short:
		return "A rule is about what is over, what is short, or both."
	case r.Cause != "" && r.Cause != Unexplained && !slices.Contains(cause.Causes, r.Cause):
		return fmt.Sprintf("%q is no cause.", r.Cause)
	case r.Then != variance.Accepted && r.Then != variance.Held:
		return "Say whether the rule accepts or holds."
	case below || r.From != nil && *r.From < 0 || r.To != nil && *r.To < 0:
		return "A limit is not below zero."
	case r.From != nil && r.To != nil && *r.From > *r.To:
		return fmt.Sprintf("Nothing is worth at least %s and at most %s.", r.From, r.To)
	case r.Aisle && !r.Pairs():
		return "Only two lines that explain each other stand in one aisle: name such a cause."
	case r.Pairs() && r.Sign != "":
		return "Of two lines that explain each other one is short and one is over: leave the sign out."
	case r.Then == variance.Accepted && r.Cause == "" && r.Quantity == nil && r.Percent == nil && r.To == nil:
		return "A rule that accepts has a limit, or a cause; else it accepts everything."
	}
	return ""
}

// Line is what a rule asks of a line with a variance that is open.
type Line struct {
	Class, Category string
	Open, Expected  quantity.Quantity
	Value           quantity.Money // of what is open
	Valued          bool
	Cause           cause.Cause // the likely one; empty where nothing is said
	Grade           cause.Grade
	Other           int  // of two lines that explain each other: the position of the other one; else -1
	Aisle           bool // and they stand in one aisle
}

// about tells whether the conditions that each line has by itself apply.
func (r *Rule) about(l *Line) bool {
	v := l.Value.Abs()
	switch {
	case r.Class != "" && r.Class != l.Class,
		r.Category != "" && r.Category != l.Category,
		r.Sign == Over && l.Open < 0, r.Sign == Short && l.Open > 0,
		(r.From != nil || r.To != nil) && !l.Valued,
		r.From != nil && v < *r.From, r.To != nil && v > *r.To,
		r.Quantity != nil && l.Open.Abs() > *r.Quantity,
		r.Percent != nil && !quantity.WithinPercent(l.Open, l.Expected, *r.Percent):
		return false
	}
	switch r.Cause {
	case "":
		return true
	case Unexplained:
		return l.Cause == "" || l.Grade < cause.Fair
	}
	return l.Cause == r.Cause && l.Grade == cause.Strong
}

// Applies tells whether a rule decides the line at a position. Of two lines that explain each other it decides both or none.
func (r *Rule) Applies(lines []Line, at int) bool {
	l := &lines[at]
	if l.Open == 0 || !r.about(l) {
		return false
	}
	if !r.Pairs() {
		return true
	}
	if l.Other < 0 || r.Aisle && !l.Aisle {
		return false
	}
	o := &lines[l.Other]
	return o.Open == -l.Open && r.about(o)
}

// Decide gives for each line the position of the rule that decides it, -1 for none. Where several do, they say the same, as rules that
// contradict each other are not turned on together; then it is the first of them.
func Decide(rules []Rule, lines []Line) []int {
	out := make([]int, len(lines))
	for i := range lines {
		out[i] = slices.IndexFunc(rules, func(r Rule) bool { return r.Applies(lines, i) })
	}
	return out
}

// Contradict tells whether two rules may decide the same line otherwise, and gives an example of such a line in words.
func Contradict(a, b *Rule) (example string, do bool) {
	if a.Then == b.Then && a.Reason == b.Reason {
		return "", false
	}
	var words []string
	for _, c := range []struct{ a, b, what string }{
		{a.Class, b.Class, "class %s"}, {a.Category, b.Category, "category %s"}, {string(a.Sign), string(b.Sign), "%s"},
		{string(a.Cause), string(b.Cause), "likely %s"},
	} {
		switch {
		case c.a != "" && c.b != "" && c.a != c.b:
			return "", false
		case c.a+c.b != "":
			words = append(words, fmt.Sprintf(c.what, max(c.a, c.b)))
		}
	}
	// One that is about two lines has no sign, and would hold for a line of either.
	from, to := larger(a.From, b.From), smaller(a.To, b.To)
	if from != nil && to != nil && *from > *to {
		return "", false
	}
	if from != nil {
		words = append(words, "worth "+from.String()+" or more")
	} else if to != nil {
		words = append(words, "worth up to "+to.String())
	}
	if q := smaller(a.Quantity, b.Quantity); q != nil {
		words = append(words, "off by up to "+q.String())
	}
	if p := smaller(a.Percent, b.Percent); p != nil {
		words = append(words, "off by up to "+p.String()+" %")
	}
	if len(words) == 0 {
		return "any line", true
	}
	return "a line that is " + strings.Join(words, ", "), true
}

func larger(a, b *quantity.Money) *quantity.Money {
	if a == nil || b != nil && *b > *a {
		return b
	}
	return a
}

func smaller[T quantity.Money | quantity.Quantity](a, b *T) *T {
	if a == nil || b != nil && *b < *a {
		return b
	}
	return a
}
