package house_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/desk/count"
	"wobin/internal/desk/counting"
	"wobin/internal/desk/elevation"
	"wobin/internal/desk/plan"
)

// The racks of a count show of each bin how many of its lines are counted, over or found, short, open, accepted and sent.
func TestBinsOfACount(t *testing.T) {
	d := at(t)
	take(t, d, "stock.csv", "warehouse,bin,sku,quantity,unit cost,as at\nW,A-1,X,5,2,2026-11-20T06:00:00Z\nW,A-2,Y,4,3,2026-11-20T06:00:00Z\n"+
		"W,A-3,Z,2,3,2026-11-20T06:00:00Z\n")
	c, err := d.Plan.Freeze(ctx, nell, plan.NewCount{Name: "x", Scope: count.Scope{Warehouse: 1}, Cut: plan.Cut{Rows: 50}})
	require.NoError(t, err)
	bins := func() []elevation.BinState {
		of, err := d.Elevation.CountBins(ctx, nell, c.ID, "")
		require.NoError(t, err)
		for i := range of {
			of[i].Bin = 0
		}
		return of
	}
	assert.Equal(t, []elevation.BinState{{Lines: 1, Sheet: 1}, {Lines: 1, Sheet: 1}, {Lines: 1, Sheet: 1}}, bins())
	require.NoError(t, typedOn(t, d, c.ID, 1, "Bo", map[string]string{"X": "7", "Y": "1"}))
	_, err = d.Counting.TypeIn(ctx, nell, c.ID, "", "UTC", []counting.Typed{{Found: &counting.Found{Sheet: 1, Bin: "A-2", SKU: "Z"}, Text: "3",
		CountedAt: "2026-11-20 10:00"}})
	require.NoError(t, err)
	assert.Equal(t, []elevation.BinState{{Lines: 1, Sheet: 1, Counted: 1, Over: 1, Open: 1},
		{Lines: 2, Sheet: 1, Counted: 2, Over: 1, Short: 1, Open: 2}, {Lines: 1, Sheet: 1}}, bins())
	page, err := d.Counting.CountLines(ctx, nell, c.ID, filterSheet(1))
	require.NoError(t, err)
	_, err = d.Variances.Decide(ctx, nell, c.ID, []int64{page.Lines[0].Pos}, "accept", "MISCOUNT")
	require.NoError(t, err)
	assert.Equal(t, elevation.BinState{Lines: 1, Sheet: 1, Counted: 1, Over: 1, Accept: 1}, bins()[0])
	_, err = d.Adjustments.Post(ctx, nell, c.ID, "difference", "", 1)
	require.NoError(t, err)
	assert.Equal(t, elevation.BinState{Lines: 1, Sheet: 1, Counted: 1, Over: 1, Posted: 1}, bins()[0])
}
