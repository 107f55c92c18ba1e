package house_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/desk/count"
	"wobin/internal/desk/intake"
	"wobin/internal/desk/plan"
)

// A file of counts that spans warehouses finds the running count of each, and is taken in for all of them or for none.
func TestCountsOfSeveralWarehouses(t *testing.T) {
	d := at(t)
	take(t, d, "stock.csv", "warehouse,bin,sku,quantity,as at\n"+
		"QUAY,A-1,ROPE,5,2026-11-20T06:00:00Z\nLOFT,B-1,ROPE,7,2026-11-20T06:00:00Z\nYARD,C-1,ROPE,1,2026-11-20T06:00:00Z\n")
	text := "warehouse,bin,sku,counted,counted at\nQUAY,A-1,ROPE,4,2026-11-20T08:00:00Z\nloft,B-1,ROPE,8,2026-11-20T08:00:00Z\n"
	dr := look(t, d, "counts.csv", text, intake.Choices{})
	assert.Equal(t, "count", dr.Asks, "nothing is being counted")
	quay, err := d.Plan.Freeze(ctx, nell, plan.NewCount{Name: "Quay", Scope: count.Scope{Warehouse: 2}, Cut: plan.Cut{Rows: 50}})
	require.NoError(t, err)
	dr = look(t, d, "counts.csv", text, intake.Choices{})
	require.Len(t, dr.Problems, 1)
	assert.Equal(t, "not counted now", dr.Problems[0].Kind)
	assert.Contains(t, dr.Problems[0].List[0].Text, "no count of loft is running")
	loft, err := d.Plan.Freeze(ctx, nell, plan.NewCount{Name: "Loft", Scope: count.Scope{Warehouse: 1}, Cut: plan.Cut{Rows: 50}})
	require.NoError(t, err)
	dr = look(t, d, "counts.csv", text, intake.Choices{})
	require.Empty(t, dr.Problems)
	require.Empty(t, dr.Blocked)
	assert.Contains(t, strings.Join(dr.Assumed, "\n"), `1 row is for "Loft", the running count of the warehouse.`)
	require.Len(t, dr.Sheets[0].Backs, 2)
	assert.Equal(t, 2, dr.Effect.Added)
	takeDraft(t, d, dr)
	standing := func(id int64) int {
		return tally(t, d, fmt.Sprintf("SELECT sum(quantity) / 1000000 FROM entries WHERE count_id = %d", id))
	}
	assert.Equal(t, []int{4, 8}, []int{standing(quay.ID), standing(loft.ID)})
	assert.Equal(t, 2, tally(t, d, "SELECT count(*) FROM returns"))

	// What is asked is asked for each count by itself.
	dr = look(t, d, "again.csv", strings.NewReplacer(",4,2026", ",6,2096", ",8,2026", ",9,2096").Replace(text), intake.Choices{})
	require.Len(t, dr.Sheets[0].Checks, 2)
	a, b := dr.Sheets[0].Checks[0], dr.Sheets[0].Checks[1]
	assert.NotEqual(t, a.What, b.What)
	for _, c := range []intake.Check{a, b} {
		dr, err = d.Intake.Settle(ctx, nell, dr.ID, intake.Answer{Check: c.What, Value: c.Options[0].Value})
		require.NoError(t, err)
	}
	require.Empty(t, dr.Blocked)

	// While it waits, one of the counts changes: it is looked at again before anything is taken in.
	takeDraft(t, d, look(t, d, "loft.csv", "warehouse,bin,sku,counted,counted at\nLOFT,B-1,ROPE,3,2026-11-20T09:00:00Z\n", intake.Choices{}))
	_, err = d.Intake.TakeIn(ctx, nell, dr.ID, "", 0)
	require.NoError(t, err, "what it comes to is the same")
	assert.Equal(t, []int{6, 12}, []int{standing(quay.ID) - 4, standing(loft.ID) - 8})

	// Two counts of one warehouse: it has to be said.
	_, err = d.Plan.Freeze(ctx, nell, plan.NewCount{Name: "Quay again", Scope: count.Scope{Warehouse: 2}, Cut: plan.Cut{Rows: 50}})
	require.NoError(t, err)
	dr = look(t, d, "third.csv", text, intake.Choices{})
	assert.Equal(t, "count", dr.Asks)
}
