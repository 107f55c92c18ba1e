package landing

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"wobin/internal/core/quantity"
)

func TestJudge(t *testing.T) {
	for name, c := range map[string]struct {
		line   Line
		landed quantity.Quantity
		state  State
	}{
		"as sent":                       {Line{Sent: -2, WasSent: true, Before: 10, After: 8}, -2, Landed},
		"while it moved":                {Line{Sent: -2, WasSent: true, Before: 10, Moved: 5, After: 13}, -2, Landed},
		"not at all":                    {Line{Sent: -2, WasSent: true, Before: 10, Moved: 5, After: 15}, 0, Missing},
		"twice":                         {Line{Sent: -2, WasSent: true, Before: 10, After: 6}, -4, Twice},
		"half":                          {Line{Sent: -2, WasSent: true, Before: 10, After: 9}, -1, Different},
		"to the other side":             {Line{Sent: -2, WasSent: true, Before: 10, After: 12}, 2, Different},
		"nothing was sent of it":        {Line{WasSent: true, Before: 10, After: 10}, 0, Landed},
		"found, and there now":          {Line{Sent: 3, WasSent: true, After: 3}, 3, Landed},
		"changed by itself":             {Line{Before: 10, Moved: -1, After: 10}, 1, Unexplained},
		"moved, and nothing else":       {Line{Before: 10, Moved: -1, After: 9}, 0, Nothing},
		"gone from the records, unsent": {Line{Before: 10}, -10, Unexplained},
	} {
		landed, state, ok := c.line.Judge()
		assert.True(t, ok)
		assert.Equal(t, []any{c.landed, c.state}, []any{landed, state}, name)
	}
	_, _, ok := Line{Before: quantity.Limit - 1, Moved: 2}.Judge()
	assert.False(t, ok)
}

// Before, moved and landed come to what is there after; and what lands of what was sent is told so whatever moved meanwhile.
func TestProofFoots(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		n := func(name string) quantity.Quantity { return quantity.Quantity(rapid.Int64Range(-9, 9).Draw(t, name)) }
		l := Line{Sent: n("sent"), WasSent: true, Before: n("before"), Moved: n("moved")}
		times := rapid.Int64Range(0, 2).Draw(t, "times")
		l.After = l.Before + l.Moved + quantity.Quantity(times)*l.Sent
		landed, state, ok := l.Judge()
		assert.True(t, ok)
		assert.Equal(t, l.After, l.Before+l.Moved+landed)
		want := []State{Missing, Landed, Twice}[times]
		if l.Sent == 0 {
			want = Landed
		}
		assert.Equal(t, want, state)
		var tally Tally
		tally.Add(state)
		assert.Equal(t, state == Landed, tally.Whole())
		assert.Equal(t, tally.Sent, tally.Landed+tally.Missing+tally.Different+tally.Twice+tally.Unseen)
	})
}
