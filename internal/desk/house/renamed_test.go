package house_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/desk/intake"
	"wobin/internal/desk/plan"
	"wobin/internal/desk/reference"
)

// Items that are known by their numbers get codes of their own later: they stay the same items, in a count that runs too, are found by the
// old codes, and go out under the new ones; stock by the new codes makes none a second time. Undone, they have the old codes again, unless
// another item has one of them by now.
func TestCodesAreGivenByAStableNumber(t *testing.T) {
	d := at(t)
	take(t, d, "items.csv", "SKU,Record id,Description,Further SKU\n7001,7001,Rope,\n7002,7002,Shackle,SH-OLD\n7003,7003,Paint,\n")
	take(t, d, "stock.csv", "Warehouse,Bin,SKU,On hand,As at\nW,A-1,7001,5,2026-11-20T06:00:00Z\nW,A-2,7002,6,2026-11-20T06:00:00Z\n")
	c, err := d.Plan.Freeze(ctx, nell, plan.NewCount{Name: "C", Scope: count.Scope{Warehouse: 1}, Cut: plan.Cut{Rows: 50}})
	require.NoError(t, err)
	lines := func() (out []string) {
		page, err := d.Counting.CountLines(ctx, nell, c.ID, desk.Filter{})
		require.NoError(t, err)
		for _, l := range page.Lines {
			out = append(out, l.RowCode+" "+l.SKU)
		}
		return out
	}
	before := lines()

	const codes = "SKU,Record id,Description\nROPE-10,7001,Rope\nSHK-8,7002,Shackle\nNEW-1,7009,New\n"
	dr := look(t, d, "codes.csv", codes, intake.Choices{})
	require.Contains(t, dr.Blocked, "2 new items seem to be recorded under another code")
	dr = look(t, d, "codes.csv", codes, intake.Choices{Checks: map[string]string{"codes 0": "new codes"}})
	require.Empty(t, dr.Blocked)
	assert.Equal(t, []int{1, 2}, []int{dr.Effect.Added, dr.Effect.Changed})
	given, err := d.Intake.TakeIn(ctx, nell, dr.ID, "", 0)
	require.NoError(t, err)
	for old, now := range map[string]string{"7001": "ROPE-10", "7002": "SHK-8", "SH-OLD": "SHK-8"} {
		hits, err := d.Reference.Find(ctx, nell, old)
		require.NoError(t, err)
		require.NotEmpty(t, hits, old)
		assert.Equal(t, now, hits[0].Code, "the old code finds it")
	}
	for i, l := range lines() {
		assert.Equal(t, before[i][:len("W1S1-01K")], l[:len("W1S1-01K")], "row codes stay")
		assert.Contains(t, l, []string{"ROPE-10", "SHK-8"}[i])
	}
	takeCounts(t, d, c.ID, "W,A-1,ROPE-10,,7,2026-11-20T08:00:00Z\nW,A-2,SHK-8,,6,2026-11-20T08:00:00Z\n")
	acceptAll(t, d, c.ID)
	v, err := d.Adjustments.PreviewPosting(ctx, nell, c.ID, "difference")
	require.NoError(t, err)
	assert.Contains(t, v.Text, ",ROPE-10,")
	take(t, d, "newer.csv", "Warehouse,Bin,SKU,On hand,As at\nW,A-1,ROPE-10,5,2026-11-21T06:00:00Z\nW,A-2,SHK-8,6,2026-11-21T06:00:00Z\n")
	page, err := d.Reference.Items(ctx, nell, reference.ItemFilter{})
	require.NoError(t, err)
	assert.Len(t, page.Lines, 4, "none is made a second time")

	require.NoError(t, d.Intake.Undo(ctx, nell, given.Intake, true))
	assert.Equal(t, before, lines())
	again := look(t, d, "codes.csv", codes, intake.Choices{Checks: map[string]string{"codes 0": "new codes"}})
	out, err := d.Intake.TakeIn(ctx, nell, again.ID, "", 0)
	require.NoError(t, err)
	other := look(t, d, "taken.csv", "SKU,Description\n7001,Another thing\n", intake.Choices{Checks: map[string]string{"codes 0": "as it is"}})
	_, err = d.Intake.TakeIn(ctx, nell, other.ID, "", 0)
	require.NoError(t, err)
	err = d.Intake.Undo(ctx, nell, out.Intake, true)
	require.ErrorContains(t, err, "7001 is the code of another item by now")
}
