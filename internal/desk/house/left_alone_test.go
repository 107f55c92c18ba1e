package house_test

import (
	"runtime/debug"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/core/quantity"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/desk/counting"
	"wobin/internal/desk/house"
	"wobin/internal/desk/plan"
	"wobin/internal/desk/variances"
)

// ruled turns a rule on that holds everything that is off.
func ruled(t *testing.T, d *house.House, id int64) {
	t.Helper()
	rule := variances.RuleView{Name: "hold", To: worth(1_000_000_00), Decides: "hold"}
	ruleID, err := d.Variances.KeepRule(ctx, nell, rule)
	require.NoError(t, err)
	trial, err := d.Variances.TryRule(ctx, nell, rule)
	require.NoError(t, err)
	require.NoError(t, d.Variances.TurnRule(ctx, nell, ruleID, variances.TurningRule{On: true, Lines: trial.Lines, Gross: trial.Gross}))
	_, err = d.Variances.RunRules(ctx, id)
	require.NoError(t, err)
	settled(t, d, id)
}

// A rule decides no line that is in doubt still: that is disputed, whose sheet is out, that is being counted again, or of which another
// count sent something and nobody has said whether the records had it.
func TestRulesLeaveLinesInDoubtAlone(t *testing.T) {
	d := at(t)
	d.Now = func() time.Time { return time.Date(2026, 11, 20, 18, 0, 0, 0, time.UTC) }
	id := twelve(t, d, 1, plan.Cut{By: "size", Rows: 6})
	other := frozenAlone(t, d, 1)
	require.NoError(t, typedOn(t, d, id, 1, "Ada", map[string]string{"S00": "7", "S01": "12", "S02": "8", "S03": "9"}))
	disputed := lineOf(t, d, id, "S01", "A-02").Pos
	for who, n := range map[string]string{"Bo": "11", "Cy": "13"} {
		made, err := d.Plan.Recount(ctx, nell, id, plan.Again{Lines: []int64{disputed}})
		require.NoError(t, err)
		require.NoError(t, typedOn(t, d, id, made.Sheets[0], who, map[string]string{"S01": n}))
	}
	_, err := d.Plan.Recount(ctx, nell, id, plan.Again{Lines: []int64{lineOf(t, d, id, "S02", "A-03").Pos}})
	require.NoError(t, err)
	require.NoError(t, d.Counting.HandOut(ctx, nell, id, counting.Handing{Sheets: []int{2}, Counter: "Dee"}))
	require.NoError(t, typedOn(t, d, id, 2, "Dee", map[string]string{"S04": "4"})) // the rest of its sheet is still to come
	require.NoError(t, typedOn(t, d, other, 1, "Eve", map[string]string{"S03": "9"}))
	d.Now = func() time.Time { return time.Date(2026, 11, 20, 18, 30, 0, 0, time.UTC) }
	posted(t, d, other)
	ruled(t, d, id)
	assert.Equal(t, map[string]string{"A-01 S00": "hold"}, queued(t, d, id, "held"))
	assert.Len(t, queued(t, d, id, "open"), 4)
}

// Stock that is taken in while a count is being frozen is not mixed with what was frozen: the count is not made, and nothing is left of it.
func TestStockTakenInWhileFreezing(t *testing.T) {
	d := at(t)
	take(t, d, "stock.csv", identityStock)
	armed := true
	d.Now = func() time.Time { // the clock is asked where the work begins that publishes the lines
		stack := string(debug.Stack())
		if armed && strings.Contains(stack, "plan.(*Room).Freeze") && strings.Contains(stack, "desk.DoAs") && !strings.Contains(stack, "store.(*Store).Write(") {
			armed = false
			take(t, d, "newer.csv", "warehouse,bin,sku,on hand,as at\nW,A-1,ROPE,99,2026-11-20T08:00:00Z\nW,A-2,SHK,10,2026-11-20T08:00:00Z\n")
		}
		return testClock()
	}
	n := plan.NewCount{Name: "x", Scope: count.Scope{Warehouse: 1}, Cut: plan.Cut{Rows: 50}}
	_, err := d.Plan.Freeze(ctx, nell, n)
	require.ErrorContains(t, err, "Other stock was taken in meanwhile")
	require.False(t, armed)
	assert.Equal(t, desk.Changed, kindOf(t, err))
	assert.Zero(t, tally(t, d, "SELECT count(*) FROM counts")+tally(t, d, "SELECT count(*) FROM count_lines")+tally(t, d, "SELECT count(*) FROM sheets"))
	made, err := d.Plan.Freeze(ctx, nell, n)
	require.NoError(t, err)
	assert.Equal(t, quantity.Quantity(99*quantity.Scale), *lineOf(t, d, made.ID, "ROPE", "A-1").Recorded)
}

// What an intake changed of an item is told with the item as long as it stands; undone, it never happened.
func TestUndoneIntakesAreNotTold(t *testing.T) {
	d := at(t)
	take(t, d, "items.csv", "sku,description\nROPE,Rope\n")
	changed := take(t, d, "names.csv", "sku,description\nROPE,Braided rope\n")
	v, err := d.Reference.Item(ctx, nell, "ROPE")
	require.NoError(t, err)
	told := len(v.Changes)
	require.Positive(t, told)
	require.NoError(t, d.Intake.Undo(ctx, nell, changed.Intake, true))
	v, err = d.Reference.Item(ctx, nell, "ROPE")
	require.NoError(t, err)
	assert.Equal(t, told-1, len(v.Changes))
	assert.Equal(t, "Rope", v.Description)
}
