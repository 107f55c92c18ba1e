package variance

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"wobin/internal/core/quantity"
	"wobin/internal/core/stock"
)

var lines = rapid.Custom(func(t *rapid.T) Line {
	in := Input{
		Recorded: quantity.Quantity(rapid.Int64Range(-3, 9).Draw(t, "recorded")) * quantity.Scale,
		Row:      rapid.Bool().Draw(t, "row"),
		Costed:   rapid.Bool().Draw(t, "costed"),
		Cost:     quantity.Cost(rapid.Int64Range(0, 3_333_333).Draw(t, "cost")),
		Frozen:   10,
		Latest:   50,
		Zero:     rapid.Bool().Draw(t, "zero"),
	}
	if !in.Row {
		in.Recorded = 0
	}
	for range rapid.IntRange(0, 3).Draw(t, "movements") {
		in.Movements = append(in.Movements, stock.Movement{
			Quantity: quantity.Quantity(rapid.Int64Range(-4, 4).Draw(t, "moved")) * quantity.Scale, At: rapid.Int64Range(5, 60).Draw(t, "at"),
		})
	}
	for range rapid.IntRange(0, 2).Draw(t, "entries") {
		in.Entries = append(in.Entries, Entry{
			Quantity: quantity.Quantity(rapid.Int64Range(0, 9).Draw(t, "counted")) * quantity.Scale, At: rapid.Int64Range(10, 50).Draw(t, "counted at"), Round: 1,
		})
	}
	two := 2 * quantity.Quantity(quantity.Scale)
	r, err := Evaluate(&in, Tolerance{Quantity: &two})
	if err != nil {
		t.Fatalf("%v", err)
	}
	l := Line{Row: in.Row, Costed: in.Costed, Result: r, Decision: rapid.SampledFrom([]Decision{Undecided, Accepted, Held}).Draw(t, "decision")}
	if rapid.Bool().Draw(t, "sent before") {
		l.Sent.Postings = 1
		l.Sent.Quantity = quantity.Quantity(rapid.Int64Range(-5, 5).Draw(t, "sent")) * quantity.Scale
		if in.Costed {
			l.Sent.Value, _ = quantity.Value(l.Sent.Quantity, in.Cost)
		}
	}
	l.Gone = !in.Row && len(in.Entries)+len(in.Movements) == 0 && l.Sent.Postings == 0
	if l.Rest, err = r.Rest(l.Sent, rapid.Bool().Draw(t, "post tolerated")); err != nil {
		t.Fatalf("%v", err)
	}
	return l
})

// Sent and open together are counted less expected, in quantity and in value; what wants a decision is open, and what once
// went out wants one for every difference to it.
func TestSentAndRestFoot(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		l := lines.Draw(t, "line")
		assert.Equal(t, l.Result.Variance, l.Sent.Quantity+l.Rest.Quantity)
		if l.Result.Status == Uncounted && !l.Result.Zeroed {
			assert.Zero(t, l.Result.Variance, "nothing is counted, so nothing is off")
		} else {
			assert.Equal(t, l.Result.Counted-l.Result.Expected, l.Result.Variance)
		}
		assert.Equal(t, l.Result.Valued, l.Rest.Valued)
		if l.Rest.Valued {
			assert.Equal(t, l.Result.Value, l.Sent.Value+l.Rest.Value)
		}
		if l.Rest.Quantity == 0 {
			assert.False(t, l.Rest.Wants)
		} else if l.Sent.Postings > 0 {
			assert.True(t, l.Rest.Wants)
		}
		stake, known := l.Stake()
		assert.GreaterOrEqual(t, stake, quantity.Money(0))
		if l.Rest.Wants {
			assert.Positive(t, stake, "what wants a decision is on the queue, whatever it is worth")
			assert.Equal(t, l.Costed, known)
		}
	})
}

// A tally of lines is the count of them one by one, in any order; what is taken out again leaves what was before.
func TestTallyIsASum(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		all := rapid.SliceOfN(lines, 0, 8).Draw(t, "lines")
		var sum, backwards Tally
		var want Tally
		for i := range all {
			assert.True(t, sum.Merge(all[i].Of()))
			assert.True(t, backwards.Merge(all[len(all)-1-i].Of()))
			l := &all[i]
			if l.Gone {
				continue
			}
			want.Lines++
			switch l.Result.Status {
			case Uncounted:
				want.Uncounted++
			case Match:
				want.Match++
			case Tolerated:
				want.Tolerated++
			case Over:
				want.Over++
			case Short:
				want.Short++
			case Found:
				want.Found++
			}
			if l.Rest.Wants {
				switch l.Decision {
				case Undecided:
					want.Open++
				case Accepted:
					want.Accepted++
				case Held:
					want.Held++
				}
			}
		}
		assert.Equal(t, sum, backwards)
		assert.Equal(
			t,
			[]int{want.Lines, want.Uncounted, want.Match, want.Tolerated, want.Over, want.Short, want.Found, want.Open, want.Accepted, want.Held},
			[]int{sum.Lines, sum.Uncounted, sum.Match, sum.Tolerated, sum.Over, sum.Short, sum.Found, sum.Open, sum.Accepted, sum.Held},
		)
		assert.Equal(t, sum.Lines, sum.Counted+sum.Uncounted)
		assert.Equal(t, sum.Counted, sum.Match+sum.Tolerated+sum.Over+sum.Short+sum.Found)
		assert.Equal(t, sum.Values.Net, sum.Values.Over+sum.Values.Short)
		assert.Equal(t, sum.Values.Gross, sum.Values.Over-sum.Values.Short)
		assert.Equal(t, sum.OpenSums.Net, sum.OpenSums.Over+sum.OpenSums.Short)
		if len(all) > 0 {
			x := all[0].Of()
			before := sum
			assert.True(t, sum.Merge(x))
			assert.True(t, sum.Merge(x.Negative()))
			assert.Equal(t, before, sum)
		}
	})
}

// A sum of values that is out of range is told and changes nothing.
func TestTallyOutOfRange(t *testing.T) {
	most := quantity.Money(quantity.MoneyLimit - 1)
	var sum Tally
	one := Tally{Lines: 1, OpenSums: Sums{Over: most, Net: most, Gross: most}}
	assert.True(t, sum.Merge(one))
	before := sum
	assert.False(t, sum.Merge(one))
	assert.Equal(t, before, sum)
	assert.False(t, (&Figures{Values: Sums{Gross: most}}).Merge(Figures{Values: Sums{Gross: 1}}))
}
