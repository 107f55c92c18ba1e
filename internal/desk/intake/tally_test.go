package intake

import (
	"maps"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"wobin/internal/store"
)

// The sums by item are those of the lines, in the order of the items, set after set, be they many or few.
func TestSetTally(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		most := rapid.Int64Range(1, 100).Draw(t, "items")
		sums := setTally{at: make([]int32, most+1)}
		for set := range int64(3) {
			sums.bins, sums.items, sums.costs = []store.SetBin{{}}, nil, nil
			quantities, values, lines := map[int64]int64{}, map[int64]int64{}, map[int64]int{}
			for range rapid.IntRange(0, 30).Draw(t, "lines") {
				l := store.StockLine{
					SetID:    set,
					ItemID:   rapid.Int64Range(1, most).Draw(t, "item"),
					Quantity: rapid.Int64Range(-9, 9).Draw(t, "quantity"),
				}
				var value *int64
				if rapid.Bool().Draw(t, "valued") {
					v := l.Quantity * 3
					value = &v
					values[l.ItemID] += v
				}
				quantities[l.ItemID] += l.Quantity
				lines[l.ItemID]++
				sums.add(&l, value)
			}
			got := sums.sorted()
			require.Len(t, got, len(lines))
			for i, id := range slices.Sorted(maps.Keys(lines)) {
				x := got[i]
				require.Equal(t, []int64{set, id, quantities[id], int64(lines[id])}, []int64{x.SetID, x.ItemID, x.Quantity, int64(x.Lines)})
				if v, valued := values[id]; valued {
					require.Equal(t, v, *x.Value)
				} else {
					require.Nil(t, x.Value)
				}
			}
		}
	})
}
