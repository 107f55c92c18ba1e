package adjust_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"wobin/internal/core/adjust"
	"wobin/internal/core/quantity"
)

// In whichever form a line is taken in, the record ends at the same quantity: what was counted, and what moved since. What is wrong in one
// form alone is told.
func TestFormsAgree(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		n := func(name string) quantity.Quantity {
			return quantity.Quantity(rapid.Int64Range(-9, 9).Draw(t, name)) * quantity.Scale
		}
		recorded, sent, before, after, counted := n("recorded"), n("sent"), n("before"), n("after"), n("counted").Abs()
		l := adjust.Line{Counted: counted, After: after, Variance: counted - (recorded + before) - sent}
		r := adjust.Record{Recorded: recorded, Sent: sent, Moved: before + after}
		require.NoError(t, l.Agree(r))
		for _, m := range adjust.Modes {
			ends, err := r.Takes(&l, m)
			require.NoError(t, err)
			assert.Equal(t, counted+after, ends, m)
		}
		off := n("off")
		if off == 0 {
			return
		}
		for _, wrong := range []adjust.Line{{Counted: counted + off, After: after, Variance: l.Variance},
			{Counted: counted, After: after + off, Variance: l.Variance}, {Counted: counted, After: after, Variance: l.Variance + off}} {
			assert.ErrorContains(t, wrong.Agree(r), "it ends at")
		}
	})
	huge := adjust.Line{Counted: quantity.Limit - 1, After: quantity.Limit - 1}
	assert.ErrorIs(t, huge.Agree(adjust.Record{}), quantity.ErrTooLarge)
	assert.ErrorIs(t, (&adjust.Line{}).Agree(adjust.Record{Recorded: quantity.Limit - 1, Sent: quantity.Limit - 1}), quantity.ErrTooLarge)
}

// The time that goes out parts the movements as they were reckoned, by the times at which they were booked.
func TestBookedAt(t *testing.T) {
	const s = int64(time.Second)
	at := func(booked, happened int64) adjust.Moment { return adjust.Moment{Booked: booked, Happened: happened} }
	for name, c := range map[string]struct {
		counted int64
		moves   []adjust.Moment
		want    int64
		ok      bool
	}{
		"nothing moved":                      {10*s + 5, nil, 10 * s, true},
		"nothing in this second":             {10*s + 5, []adjust.Moment{at(9*s, 9*s), at(11*s, 11*s)}, 10 * s, true},
		"just at the second":                 {10*s + 5, []adjust.Moment{at(10*s, 10*s)}, 10 * s, true},
		"something within it":                {10*s + 5, []adjust.Moment{at(10*s+3, 10*s+3)}, 10*s + 5, true},
		"moved to before":                    {10 * s, []adjust.Moment{at(12*s, 10*s)}, 12 * s, true},
		"moved to before, another later":     {10 * s, []adjust.Moment{at(12*s, 10*s), at(13*s, 13*s)}, 12 * s, true},
		"moved to before, past another":      {10 * s, []adjust.Moment{at(12*s, 10*s), at(11*s, 11*s)}, 0, false},
		"moved to after":                     {10 * s, []adjust.Moment{at(8*s, 11*s)}, 7 * s, true},
		"moved to after, one just before it": {10 * s, []adjust.Moment{at(8*s, 11*s), at(8*s-5, 8*s-5)}, 8*s - 1, true},
		"moved to after, past another":       {10 * s, []adjust.Moment{at(8*s, 11*s), at(9*s, 9*s)}, 0, false},
	} {
		got, ok := adjust.BookedAt(c.counted, c.moves)
		assert.Equal(t, []any{c.want, c.ok}, []any{got, ok}, name)
	}
	rapid.Check(t, func(t *rapid.T) {
		counted := rapid.Int64Range(0, 20*s).Draw(t, "counted")
		var moves []adjust.Moment
		for range rapid.IntRange(0, 4).Draw(t, "moves") {
			m := at(rapid.Int64Range(0, 20*s).Draw(t, "booked"), 0)
			m.Happened = m.Booked
			if rapid.Bool().Draw(t, "moved") {
				m.Happened = rapid.Int64Range(0, 20*s).Draw(t, "happened")
			}
			moves = append(moves, m)
		}
		got, ok := adjust.BookedAt(counted, moves)
		possible := true
		for _, a := range moves {
			for _, b := range moves {
				possible = possible && !(a.Happened <= counted && b.Happened > counted && b.Booked <= a.Booked)
			}
		}
		require.Equal(t, possible, ok)
		for _, m := range moves {
			if ok {
				assert.Equal(t, m.Happened <= counted, m.Booked <= got)
			}
		}
	})
}
