package ruling

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"wobin/internal/core/cause"
	"wobin/internal/core/quantity"
	"wobin/internal/core/variance"
)

func q(n int64) *quantity.Quantity { x := quantity.Quantity(n * quantity.Scale); return &x }
func m(n int64) *quantity.Money    { x := quantity.Money(n * 100); return &x }

func TestApplies(t *testing.T) {
	line := func(change func(l *Line)) Line {
		l := Line{Class: "C", Category: "ROPE", Open: -3 * quantity.Scale, Expected: 60 * quantity.Scale, Value: -12_00, Valued: true, Other: -1}
		if change != nil {
			change(&l)
		}
		return l
	}
	for name, c := range map[string]struct {
		rule Rule
		line func(l *Line)
		want bool
	}{
		"no condition":               {Rule{}, nil, true},
		"nothing is open":            {Rule{}, func(l *Line) { l.Open = 0 }, false},
		"class":                      {Rule{Class: "C"}, nil, true},
		"another class":              {Rule{Class: "A"}, nil, false},
		"another category":           {Rule{Category: "PAINT"}, nil, false},
		"short":                      {Rule{Sign: Short}, nil, true},
		"over":                       {Rule{Sign: Over}, nil, false},
		"as much as the limit":       {Rule{Quantity: q(3)}, nil, true},
		"a millionth above it":       {Rule{Quantity: q(3)}, func(l *Line) { l.Open-- }, false},
		"five of a hundred":          {Rule{Percent: q(5)}, nil, true},
		"above five of a hundred":    {Rule{Percent: q(5)}, func(l *Line) { l.Expected-- }, false},
		"of nothing expected":        {Rule{Percent: q(5)}, func(l *Line) { l.Expected = 0 }, false},
		"worth up to":                {Rule{To: m(12)}, nil, true},
		"a hundredth above":          {Rule{To: m(12)}, func(l *Line) { l.Value-- }, false},
		"worth at least":             {Rule{From: m(12)}, nil, true},
		"a hundredth below":          {Rule{From: m(12)}, func(l *Line) { l.Value++ }, false},
		"no value is no small value": {Rule{To: m(12)}, func(l *Line) { l.Value, l.Valued = 0, false }, false},
		"nor a large one":            {Rule{From: m(0)}, func(l *Line) { l.Value, l.Valued = 0, false }, false},
		"unexplained":                {Rule{Cause: Unexplained}, nil, true},
		"weakly explained":           {Rule{Cause: Unexplained}, func(l *Line) { l.Cause, l.Grade = cause.KeySlip, cause.Weak }, true},
		"fairly explained":           {Rule{Cause: Unexplained}, func(l *Line) { l.Cause, l.Grade = cause.KeySlip, cause.Fair }, false},
		"a cause":                    {Rule{Cause: cause.CutOff}, func(l *Line) { l.Cause, l.Grade = cause.CutOff, cause.Strong }, true},
		"a fair one":                 {Rule{Cause: cause.CutOff}, func(l *Line) { l.Cause, l.Grade = cause.CutOff, cause.Fair }, false},
		"a pair without its other":   {Rule{Cause: cause.Misplaced}, func(l *Line) { l.Cause, l.Grade = cause.Misplaced, cause.Strong }, false},
	} {
		t.Run(name, func(t *testing.T) {
			assert.Equal(t, c.want, c.rule.Applies([]Line{line(c.line)}, 0))
		})
	}
}

// Two lines that explain each other are decided together or not at all.
func TestPairsAreDecidedTogether(t *testing.T) {
	pair := func() []Line {
		a := Line{Class: "A", Open: -5 * quantity.Scale, Value: -10_00, Valued: true, Cause: cause.Misplaced, Grade: cause.Strong, Other: 1, Aisle: true}
		b := a
		b.Open, b.Value, b.Other = -a.Open, -a.Value, 0
		return []Line{a, b}
	}
	r := []Rule{{Cause: cause.Misplaced, Aisle: true, Class: "A", To: m(10)}}
	assert.Equal(t, []int{0, 0}, Decide(r, pair()))
	for name, change := range map[string]func(l *Line){
		"another quantity": func(l *Line) { l.Open++ },
		"another class":    func(l *Line) { l.Class = "B" },
		"worth more":       func(l *Line) { l.Value = 10_01 },
		"decided already":  func(l *Line) { l.Open = 0 },
	} {
		lines := pair()
		change(&lines[1])
		assert.Equal(t, []int{-1, -1}, Decide(r, lines), name)
	}
	apart := pair()
	apart[0].Aisle, apart[1].Aisle = false, false
	assert.Equal(t, []int{-1, -1}, Decide(r, apart))
}

func TestValid(t *testing.T) {
	accept := func(r Rule) Rule { r.Then = variance.Accepted; return r }
	for _, c := range []struct {
		rule Rule
		want string
	}{
		{accept(Rule{Class: "C", To: m(10)}), ""},
		{accept(Rule{Cause: cause.Misplaced, Aisle: true}), ""},
		{Rule{Then: variance.Held, Class: "A"}, ""},
		{accept(Rule{Class: "C"}), "everything"},
		{Rule{To: m(10)}, "accepts or holds"},
		{accept(Rule{To: m(-1)}), "below zero"},
		{accept(Rule{Quantity: q(-1)}), "below zero"},
		{accept(Rule{From: m(3), To: m(2)}), "Nothing is worth"},
		{accept(Rule{Aisle: true, To: m(2)}), "one aisle"},
		{accept(Rule{Cause: cause.WrongLot, Sign: Short}), "sign"},
		{accept(Rule{Cause: "magic", To: m(2)}), "no cause"},
		{accept(Rule{Sign: "up", To: m(2)}), "over, what is short"},
	} {
		if got := c.rule.Valid(); c.want == "" {
			assert.Empty(t, got)
		} else {
			assert.Contains(t, got, c.want)
		}
	}
}

// drawn rules and lines are of few values, so that they meet often.
var (
	someRule = rapid.Custom(func(t *rapid.T) Rule {
		limit := func(name string) *quantity.Money {
			if n := rapid.Int64Range(-1, 3).Draw(t, name); n >= 0 {
				return m(n)
			}
			return nil
		}
		r := Rule{
			Class: rapid.SampledFrom([]string{"", "A", "B"}).Draw(t, "class"), Category: rapid.SampledFrom([]string{"", "X", "Y"}).Draw(t, "category"),
			Sign:  rapid.SampledFrom([]Sign{"", Over, Short}).Draw(t, "sign"),
			Cause: rapid.SampledFrom([]cause.Cause{"", Unexplained, cause.CutOff, cause.Misplaced}).Draw(t, "cause"),
			From:  limit("from"), To: limit("to"),
			Then:   rapid.SampledFrom([]variance.Decision{variance.Accepted, variance.Held}).Draw(t, "then"),
			Reason: rapid.SampledFrom([]string{"", "LOSS"}).Draw(t, "reason"),
		}
		if n := rapid.Int64Range(0, 4).Draw(t, "quantity"); n > 0 {
			r.Quantity = q(n)
		}
		return r
	})
	someLine = rapid.Custom(func(t *rapid.T) Line {
		l := Line{
			Class: rapid.SampledFrom([]string{"A", "B"}).Draw(t, "class"), Category: rapid.SampledFrom([]string{"X", "Y"}).Draw(t, "category"),
			Open: *q(rapid.Int64Range(-4, 4).Draw(t, "open")), Expected: *q(10), Value: *m(rapid.Int64Range(-3, 3).Draw(t, "value")),
			Valued: rapid.Bool().Draw(t, "valued"), Other: -1,
		}
		if rapid.Bool().Draw(t, "explained") {
			l.Cause, l.Grade = cause.CutOff, cause.Grade(rapid.IntRange(1, 3).Draw(t, "grade"))
		}
		return l
	})
)

// Two rules of which it is not said that they contradict each other never decide a line otherwise; and whether they do does not hang on
// which is named first.
func TestRulesThatDoNotContradictAgree(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		a, b := someRule.Draw(t, "a"), someRule.Draw(t, "b")
		lines := []Line{someLine.Draw(t, "line")}
		_, one := Contradict(&a, &b)
		_, other := Contradict(&b, &a)
		assert.Equal(t, one, other)
		if !one && a.Applies(lines, 0) && b.Applies(lines, 0) {
			assert.Equal(t, a.Then, b.Then)
			assert.Equal(t, a.Reason, b.Reason)
		}
	})
}

// Each word of an example is a word of both rules: the narrower of them.
func TestContradictionIsTold(t *testing.T) {
	a := Rule{Class: "C", To: m(10), Then: variance.Accepted, Reason: "LOSS"}
	b := Rule{To: m(5), Then: variance.Held}
	example, do := Contradict(&a, &b)
	assert.True(t, do)
	assert.Equal(t, "a line that is class C, worth up to 5.00", example)
	c := Rule{Class: "C", From: m(11), Then: variance.Held}
	_, do = Contradict(&a, &c)
	assert.False(t, do)
	// Limits that touch meet in a line.
	d := Rule{Class: "C", From: m(10), Then: variance.Held}
	example, do = Contradict(&a, &d)
	assert.True(t, do)
	assert.Equal(t, "a line that is class C, worth 10.00 or more", example)
}
