package house_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/core/quantity"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/desk/plan"
	"wobin/internal/desk/variances"
	"wobin/internal/store"
)

// A list of costs that comes by itself gives every line its worth: recorded stock and its totals, the lines of a count that runs and what
// is found in it, and says whose cost it is. Another list changes it, undoing takes it away again; what somebody gave by hand, and what
// went out, stays.
func TestItemCostsAreTheCostsOfLinesThatBringNone(t *testing.T) {
	d := at(t)
	take(t, d, "stock.csv", `Warehouse,Bin,SKU,Quantity,Unit cost,As at
W,A-1,ROPE,10,,2026-11-20T06:00:00Z
W,A-2,ROPE,4,7,2026-11-20T06:00:00Z
W,A-2,SHK,3,,2026-11-20T06:00:00Z
W,A-3,PAINT,6,,2026-11-20T06:00:00Z
W,A-3,ROPE,2,,2026-11-20T06:00:00Z
`)
	recorded := func() (out []string) {
		page, err := d.Recorded.Recorded(ctx, nell, 1, desk.Filter{})
		require.NoError(t, err)
		for _, l := range page.Lines {
			out = append(out, l.Bin+" "+l.SKU+" "+worthOf(l.Cost, l.Value, l.CostOf))
		}
		w, err := d.Recorded.Warehouses(ctx, nell)
		require.NoError(t, err)
		return append(out, fmt.Sprint(w[0].Value, " without ", w[0].Unvalued))
	}
	c, err := d.Plan.Freeze(ctx, nell, plan.NewCount{Name: "C", Scope: count.Scope{Warehouse: 1}, Cut: plan.Cut{Rows: 50}})
	require.NoError(t, err)
	counting := func() (out []string) {
		page, err := d.Counting.CountLines(ctx, nell, c.ID, desk.Filter{})
		require.NoError(t, err)
		for _, l := range page.Lines {
			out = append(out, l.Bin+" "+l.SKU+" "+worthOf(l.Cost, l.Value, l.CostOf))
		}
		return out
	}
	takeCounts(t, d, c.ID, "W,A-1,ROPE,,8,2026-11-20T08:00:00Z\nW,A-3,PAINT,,7,2026-11-20T08:00:00Z\nW,A-3,ROPE,,1,2026-11-20T08:00:00Z\n"+
		"W,A-1,SHK,,2,2026-11-20T08:00:00Z\n")
	none := []string{"A-1 ROPE none", "A-2 ROPE 7 = 28.00 ", "A-2 SHK none", "A-3 PAINT none", "A-3 ROPE none", "28.00 without 4"}
	assert.Equal(t, none, recorded())

	costs := take(t, d, "costs.csv", "SKU,Unit cost\nROPE,2.5\nSHK,1.25\nPAINT,30\n")
	assert.Equal(t, []string{"A-1 ROPE 2.5 = 25.00 item", "A-2 ROPE 7 = 28.00 ", "A-2 SHK 1.25 = 3.75 item", "A-3 PAINT 30 = 180.00 item",
		"A-3 ROPE 2.5 = 5.00 item", "241.75 without 0"}, recorded())
	assert.Equal(t, []string{"A-1 ROPE 2.5 = -5.00 item", "A-2 ROPE 7 uncounted ", "A-2 SHK 1.25 uncounted item", "A-3 PAINT 30 = 30.00 item",
		"A-3 ROPE 2.5 = -2.50 item", "A-1 SHK 1.25 = 2.50 item"}, counting())

	at := func(n int) int64 { return int64(n + 1) }
	by := quantity.Cost(20_000_000)
	require.NoError(t, d.Variances.Recost(ctx, nell, c.ID, variances.Costing{Lines: []int64{at(3)}, Cost: &by}))
	_, err = d.Variances.Decide(ctx, nell, c.ID, []int64{at(0)}, store.Accept, "")
	require.NoError(t, err)
	_, err = d.Adjustments.Post(ctx, nell, c.ID, "difference", "", 1)
	require.NoError(t, err)
	dearer := take(t, d, "dearer.csv", "SKU,Unit cost\nROPE,3\nSHK,1.25\nPAINT,31\n")
	assert.Equal(t, []string{"A-1 ROPE 2.5 = -5.00 item", "A-2 ROPE 7 uncounted ", "A-2 SHK 1.25 uncounted item", "A-3 PAINT 20 = 20.00 hand",
		"A-3 ROPE 3 = -3.00 item", "A-1 SHK 1.25 = 2.50 item"}, counting())

	// Newer stock is worth what its items cost; where it is undone, what was recorded before is worth what they cost by now.
	newer := take(t, d, "newer.csv", "Warehouse,Bin,SKU,Quantity,As at\nW,A-1,ROPE,100,2026-11-21T06:00:00Z\n"+
		"W,A-2,ROPE,0,2026-11-21T06:00:00Z\nW,A-2,SHK,0,2026-11-21T06:00:00Z\nW,A-3,PAINT,1,2026-11-21T06:00:00Z\n")
	assert.Equal(t, []string{"A-1 ROPE 3 = 300.00 item", "A-2 ROPE 7 = 0.00 ", "A-2 SHK 1.25 = 0.00 item", "A-3 PAINT 31 = 31.00 item",
		"331.00 without 0"}, recorded())
	cheaper := take(t, d, "cheaper.csv", "SKU,Unit cost\nROPE,1\n")
	require.NoError(t, d.Intake.Undo(ctx, nell, newer.Intake, true))
	assert.Equal(t, []string{"A-1 ROPE 1 = 10.00 item", "A-2 ROPE 7 = 28.00 ", "A-2 SHK 1.25 = 3.75 item", "A-3 PAINT 31 = 186.00 item",
		"A-3 ROPE 1 = 2.00 item", "229.75 without 0"}, recorded())
	require.Zero(t, tally(t, d, untrue), "tallies foot")

	for _, list := range []count.TakenIn{cheaper, dearer, costs} {
		require.NoError(t, d.Intake.Undo(ctx, nell, list.Intake, true))
	}
	assert.Equal(t, none, recorded())
	assert.Equal(t, []string{"A-1 ROPE 2.5 = -5.00 item", "A-2 ROPE 7 uncounted ", "A-2 SHK none", "A-3 PAINT 20 = 20.00 hand", "A-3 ROPE none",
		"A-1 SHK none"}, counting())
}

// worthOf is a unit cost, what a line is worth by it, and whose it is.
func worthOf(cost *quantity.Cost, value *quantity.Money, of string) string {
	if cost == nil {
		return "none"
	}
	if value == nil {
		return fmt.Sprint(cost, " uncounted ", of)
	}
	return fmt.Sprint(cost, " = ", value, " ", of)
}
