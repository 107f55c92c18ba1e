package scope_test

import (
	"math/big"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"wobin/internal/core/quantity"
	. "wobin/internal/core/scope"
)

func money(n int64) *quantity.Money { m := quantity.Money(n); return &m }

func TestRules(t *testing.T) {
	const day = 24 * 3600 * 1e9
	now := int64(100 * day)
	names := map[string]int32{"ROPE": 1, "paint": 2, "A": 3}
	number := func(v string) (int32, bool) { n, ok := names[v]; return n, ok }
	line := Line{SKU: 1, Category: 2, Class: 3, ABC: 'B', Value: -5000, Sign: -1, Counted: 70 * day, Moved: 71 * day, Wrong: true}
	still := Line{SKU: 9, Category: 9, Class: 9, ABC: 'C', Value: NoValue, Counted: 90 * day, Moved: 80 * day}
	for _, x := range []struct {
		rule        Rule
		line, still bool
	}{
		{Rule{What: SKU, Values: []string{"nobody", "ROPE"}}, true, false},
		{Rule{What: SKU, Values: []string{"ROPE"}, Not: true}, false, true},
		{Rule{What: Category, Values: []string{"paint"}}, true, false},
		{Rule{What: Class, Values: []string{"A"}}, true, false},
		{Rule{What: ABC, Values: []string{"A", "B"}}, true, false},
		{Rule{What: ABC, Values: []string{"C"}}, false, true},
		{Rule{What: Value, From: money(5000)}, true, false},
		{Rule{What: Value, From: money(5001)}, false, false},
		{Rule{What: Value, To: money(4999)}, false, false},
		{Rule{What: Value, To: money(5000)}, true, false},
		{Rule{What: Below}, true, false},
		{Rule{What: Zero}, false, true},
		{Rule{What: Age, Days: 30}, true, false},
		{Rule{What: Age, Days: 31}, false, false},
		{Rule{What: Age, Days: 10}, true, true},
		{Rule{What: Moved}, true, false},
		{Rule{What: Wrong}, true, false},
	} {
		require.NoError(t, Check([]Rule{x.rule}))
		r := New(x.rule, now, number)
		assert.Equal(t, x.line, r.Holds(&line), "%+v", x.rule)
		assert.Equal(t, x.still, r.Holds(&still), "%+v", x.rule)
	}
	assert.True(t, New(Rule{What: Age, Days: 5}, now, number).Holds(&Line{}), "never counted")
	assert.True(t, New(Rule{What: Moved}, now, number).Holds(&Line{Moved: 1}), "never counted, and it moved")
	assert.NoError(t, Check([]Rule{{What: ABC, Values: []string{"A"}, A: 1, B: 100}}), "the limits themselves are within")
	for text, r := range map[string]Rule{"no rule": {What: "colour"}, "names none": {What: Category}, "neither from nor to": {What: Value},
		"leaves nothing": {What: Value, From: money(2), To: money(1)}, "number of days": {What: Age}, "not by": {What: ABC, Values: []string{"A"}, By: "luck"},
		"A reaches to 90 % and B to 80 %": {What: ABC, Values: []string{"A"}, A: 90, B: 80}, "none of the classes": {What: ABC, Values: []string{"D"}}} {
		err := Check([]Rule{{What: Zero}, r})
		require.Error(t, err, text)
		assert.Contains(t, err.Error(), text)
		assert.Equal(t, 1, err.(*Error).Rule)
	}
}

// Classes against their own words: an item is A where what goes before it is less than the first limit's share of the whole.
func TestClasses(t *testing.T) {
	assert.Equal(t, "AABC", string(Classes([]int64{70, 20, 6, 4}, 80, 95)))
	assert.Equal(t, "CAC", string(Classes([]int64{0, 5, -3}, 80, 95)))
	assert.Equal(t, "ABB", string(Classes([]int64{80, 15, 5}, 80, 100)), "the sum falls on the limit")
	rapid.Check(t, func(t *rapid.T) {
		worth := rapid.SliceOfN(rapid.OneOf(rapid.Int64Range(-5, 20), rapid.Int64()), 0, 30).Draw(t, "worth")
		a := rapid.IntRange(1, 99).Draw(t, "a")
		b := rapid.IntRange(a+1, 100).Draw(t, "b")
		got := Classes(worth, a, b)
		sum := new(big.Rat)
		for _, w := range worth {
			if w > 0 {
				sum.Add(sum, new(big.Rat).SetInt64(w))
			}
		}
		for i, w := range worth {
			want := byte('C')
			if w > 0 {
				before := new(big.Rat)
				for k, o := range worth {
					if o > w || o == w && k < i {
						before.Add(before, new(big.Rat).SetInt64(o))
					}
				}
				share := before.Quo(before, sum)
				if share.Cmp(big.NewRat(int64(a), 100)) < 0 {
					want = 'A'
				} else if share.Cmp(big.NewRat(int64(b), 100)) < 0 {
					want = 'B'
				}
			}
			require.Equal(t, string(want), string(got[i]), "%d of %v", i, worth)
		}
	})
}
