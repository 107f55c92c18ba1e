// Package scope says which recorded lines are to be counted: rules over what is known of a line, all of which must hold,
// and the classes A, B and C that are worked out from what items are worth or how much of them moves. It knows nothing
// of where lines are kept.
package scope

import (
	"cmp"
	"fmt"
	"math/big"
	"slices"

	"wobin/internal/core/quantity"
)

// What a rule is about.
type What string

// The rules.
const (
	SKU      What = "sku"      // the item is one of Values
	Category What = "category" // its category is one of Values
	Class    What = "class"    // its class, as the records have it, is one of Values
	ABC      What = "abc"      // its class, worked out By value or movement with the limits A and B, is one of Values
	Value    What = "value"    // the line is worth From at least and To at most, whatever its sign
	Below    What = "below"    // less than nothing is recorded
	Zero     What = "zero"     // nothing is recorded
	Age      What = "age"      // it was not counted for Days days, or never
	Moved    What = "moved"    // it moved since it was last counted
	Wrong    What = "wrong"    // it was over, short or found when it was last counted
)

// Rules lists them.
var Rules = []What{SKU, Category, Class, ABC, Value, Below, Zero, Age, Moved, Wrong}

// What the classes A, B and C are worked out by.
const (
	ByValue    = "value"
	ByMovement = "movement"
)

// Rule is one condition on lines.
type Rule struct {
	What   What            `json:"what" enum:"sku,category,class,abc,value,below,zero,age,moved,wrong"`
	Not    bool            `json:"not,omitempty" doc:"lines for which it does not hold"`
	Values []string        `json:"values,omitempty" maxItems:"20000"`
	From   *quantity.Money `json:"from,omitempty" doc:"value: at least"`
	To     *quantity.Money `json:"to,omitempty" doc:"value: at most"`
	Days   int             `json:"days,omitempty" minimum:"0" maximum:"36500" doc:"age: not counted for so many days"`
	By     string          `json:"by,omitempty" enum:"value,movement," doc:"abc: what the classes are worked out by"`
	A      int             `json:"a,omitempty" minimum:"0" maximum:"100" doc:"abc: A are the items that make up the first so many percent; 80 where it is left out"`
	B      int             `json:"b,omitempty" minimum:"0" maximum:"100" doc:"abc: A and B together; 95 where it is left out"`
}

// Error says what is wrong with a rule: which one, from 0, and a sentence.
type Error struct {
	Rule int
	Text string
}

func (e *Error) Error() string { return e.Text }

// Check tells what keeps rules from being used. It errs with an *Error.
func Check(rules []Rule) error {
	for i, r := range rules {
		text := ""
		switch {
		case !slices.Contains(Rules, r.What):
			text = fmt.Sprintf("%q is no rule.", r.What)
		case len(r.Values) == 0 && slices.Contains([]What{SKU, Category, Class, ABC}, r.What):
			text = fmt.Sprintf("The rule about the %s names none, so it would leave nothing.", r.What)
		case r.What == Value && r.From == nil && r.To == nil:
			text = "The rule about the value says neither from nor to."
		case r.What == Value && r.From != nil && r.To != nil && *r.From > *r.To:
			text = fmt.Sprintf("The rule about the value goes from %s to %s, which leaves nothing.", r.From, r.To)
		case r.What == Age && r.Days < 1:
			text = "The rule about the last count needs a number of days."
		case r.What == ABC && !slices.Contains([]string{"", ByValue, ByMovement}, r.By):
			text = fmt.Sprintf("Classes are worked out by value or by movement, not by %q.", r.By)
		case r.What == ABC:
			if a, b := r.Limits(); a < 1 || a >= b || b > 100 {
				text = fmt.Sprintf("A reaches to %d %% and B to %d %%. A ends above 0, B above A and at 100 at most.", a, b)
			}
			for _, v := range r.Values {
				if v != "A" && v != "B" && v != "C" {
					text = fmt.Sprintf("%q is none of the classes A, B and C.", v)
				}
			}
		}
		if text != "" {
			return &Error{i, text}
		}
	}
	return nil
}

// Limits gives the percentages at which A and B end.
func (r Rule) Limits() (a, b int) { return cmp.Or(r.A, 80), cmp.Or(r.B, 95) }

// Line is what rules ask of a line.
type Line struct {
	SKU, Category, Class int32 // numbers of what they are, as Names gave them
	ABC                  byte  // by the rule's own limits
	Value                int64 // hundredths; NoValue where it has no cost
	Sign                 int8  // of what is recorded
	Counted              int64 // when it was last counted, in nanoseconds; 0 for never
	Moved                int64 // when it last moved; 0 for never
	Wrong                bool  // it was wrong when it was last counted
}

// NoValue stands for a line without a cost.
const NoValue = -1 << 63

// Ruler tests lines by one rule.
type Ruler struct {
	rule  Rule
	among map[int32]bool
	abc   [3]bool
	since int64
}

// New makes one. number gives the number of a value of the rule, as lines have it; ok is false for one that no line has. now is in
// nanoseconds.
func New(r Rule, now int64, number func(value string) (n int32, ok bool)) *Ruler {
	x := &Ruler{rule: r, since: now - int64(r.Days)*24*3600*1e9}
	switch r.What {
	case SKU, Category, Class:
		x.among = make(map[int32]bool, len(r.Values))
		for _, v := range r.Values {
			if n, ok := number(v); ok {
				x.among[n] = true
			}
		}
	case ABC:
		for _, v := range r.Values {
			x.abc[v[0]-'A'] = true
		}
	}
	return x
}

// Holds tells whether the rule picks a line.
func (x *Ruler) Holds(l *Line) bool { return x.is(l) != x.rule.Not }

func (x *Ruler) is(l *Line) bool {
	switch x.rule.What {
	case SKU:
		return x.among[l.SKU]
	case Category:
		return x.among[l.Category]
	case Class:
		return x.among[l.Class]
	case ABC:
		return l.ABC >= 'A' && l.ABC <= 'C' && x.abc[l.ABC-'A']
	case Value:
		if l.Value == NoValue { // what is not known is no reason to pick it
			return false
		}
		v := quantity.Money(max(l.Value, -l.Value))
		return (x.rule.From == nil || v >= *x.rule.From) && (x.rule.To == nil || v <= *x.rule.To)
	case Below:
		return l.Sign < 0
	case Zero:
		return l.Sign == 0
	case Age:
		return l.Counted == 0 || l.Counted <= x.since
	case Moved:
		return l.Moved > l.Counted
	case Wrong:
		return l.Wrong
	}
	return false
}

// Classes gives each item's class from what it is worth (or how much of it moves): in falling order, A are those that
// begin within the first a percent of the sum of all, B those that begin within b percent, C the rest and those worth
// nothing. Where a sum falls on the limit the next item is beyond it. Items of the same worth keep their order.
func Classes(worth []int64, a, b int) []byte {
	order := make([]int32, 0, len(worth))
	sum := new(big.Int)
	out := make([]byte, len(worth))
	for i, w := range worth {
		out[i] = 'C'
		if w > 0 {
			order = append(order, int32(i))
			sum.Add(sum, big.NewInt(w))
		}
	}
	slices.SortStableFunc(order, func(x, y int32) int { return cmp.Compare(worth[y], worth[x]) })
	limit := func(percent int) *big.Int { // of a hundred times what went before
		return new(big.Int).Mul(sum, big.NewInt(int64(percent)))
	}
	endA, endB := limit(a), limit(b)
	before, hundred, scaled := new(big.Int), big.NewInt(100), new(big.Int)
	for _, i := range order {
		scaled.Mul(before, hundred)
		switch {
		case scaled.Cmp(endA) < 0:
			out[i] = 'A'
		case scaled.Cmp(endB) < 0:
			out[i] = 'B'
		default:
			return out // so are all that follow
		}
		before.Add(before, big.NewInt(worth[i]))
	}
	return out
}
