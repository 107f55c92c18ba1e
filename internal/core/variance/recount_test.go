package variance

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"wobin/internal/core/quantity"
	"wobin/internal/core/stock"
)

// A first count was right where the last recount says the same, less what moved between the two, in whichever order they were made.
func TestFirstCountIsRightWhereTheLastRecountAgrees(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var in Input
		sum, at := map[int]int64{}, map[int]int64{}
		first, last := 0, 0
		for range rapid.IntRange(0, 8).Draw(t, "entries") {
			q, then := rapid.Int64Range(0, 3).Draw(t, "q"), rapid.Int64Range(1, 20).Draw(t, "at")
			e := Entry{quantity.Quantity(q), then, 0, rapid.IntRange(1, 5).Draw(t, "round")}
			in.Entries = append(in.Entries, e)
			sum[e.Round], at[e.Round] = sum[e.Round]+int64(e.Quantity), max(at[e.Round], e.At)
			if e.Round < 3 && (first == 0 || e.Round < first) {
				first = e.Round
			}
			if e.Round >= 3 {
				last = max(last, e.Round)
			}
		}
		for range rapid.IntRange(0, 4).Draw(t, "moves") {
			q, then := rapid.Int64Range(-2, 2).Draw(t, "moved"), rapid.Int64Range(1, 20).Draw(t, "then")
			in.Movements = append(in.Movements, stock.Movement{Quantity: quantity.Quantity(q), At: then})
		}
		between := int64(0)
		for _, m := range in.Movements {
			switch {
			case m.At > at[first] && m.At <= at[last]:
				between += int64(m.Quantity)
			case m.At > at[last] && m.At <= at[first]: // the first count was corrected after the line was counted again
				between -= int64(m.Quantity)
			}
		}
		recounted, right, err := in.FirstRight()
		require.NoError(t, err)
		assert.Equal(t, first != 0 && last != 0, recounted)
		assert.Equal(t, recounted && sum[first]+between == sum[last], right)
	})
}

// Several entries of one recount are one count: they are no dispute, however many.
func TestEntriesOfOneRecountAreOneCount(t *testing.T) {
	in := Input{Recorded: 5, Row: true}
	for n := range 6 {
		in.Entries = append(in.Entries, Entry{1, int64(n + 1), 0, FirstRecount})
		for _, rule := range []Rule{Last, Agreeing, Choose} {
			in.Stands = rule
			r, err := Evaluate(&in, Tolerance{})
			require.NoError(t, err)
			assert.False(t, r.Disputed)
			assert.Equal(t, quantity.Quantity(n+1), r.Counted)
		}
	}
}
