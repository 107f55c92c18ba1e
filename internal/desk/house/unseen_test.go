package house_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/core/quantity"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/desk/intake"
	"wobin/internal/desk/plan"
	"wobin/internal/store"
)

// A class has limits of its own in the place of those of the count; what is let pass goes out too where that was settled;
// limits of a class that no item has are refused, since they would do nothing.
func TestLimitsByClass(t *testing.T) {
	d := at(t)
	take(t, d, "items.csv", "sku,description,unit,class,stocked\nX,x,ea,A,yes\nY,y,ea,B,yes\nZ,z,ea,,yes\n")
	take(
		t,
		d,
		"stock.csv",
		"warehouse,bin,sku,on hand,recorded at\nW,A-1,X,100,2026-11-20T06:00:00Z\nW,A-2,Y,100,2026-11-20T06:00:00Z\nW,A-3,Z,100,2026-11-20T06:00:00Z\n",
	)
	classes, err := d.Plan.Classes(ctx, nell)
	require.NoError(t, err)
	assert.Equal(t, []string{"A", "B"}, classes)
	two, nine := 2*quantity.Quantity(quantity.Scale), 9*quantity.Quantity(quantity.Scale)
	plan := plan.NewCount{Name: "C", Scope: count.Scope{Warehouse: 1}, Cut: plan.Cut{Rows: 50}, ToleranceQuantity: &two, PostTolerated: true}
	plan.Classes = map[string]count.ClassTolerance{"C": {Quantity: &nine}}
	_, err = d.Plan.Freeze(ctx, nell, plan)
	var refused *desk.Refusal
	require.ErrorAs(t, err, &refused)
	assert.Equal(t, "classes", refused.Field)
	plan.Classes = map[string]count.ClassTolerance{"A": {Quantity: &nine}, "B": {}}
	c, err := d.Plan.Freeze(ctx, nell, plan)
	require.NoError(t, err)
	takeCounts(t, d, c.ID, "W,A-1,X,,95,2026-11-20T08:00:00Z\nW,A-2,Y,,99,2026-11-20T08:00:00Z\nW,A-3,Z,,99,2026-11-20T08:00:00Z\n")
	page, err := d.Counting.CountLines(ctx, nell, c.ID, desk.Filter{})
	require.NoError(t, err)
	status := map[string]string{}
	for _, l := range page.Lines {
		status[l.SKU] = string(l.Status)
	}
	assert.Equal(t, map[string]string{"X": "tolerated", "Y": "short", "Z": "tolerated"}, status)
	s, err := d.Today.Count(ctx, nell, c.ID)
	require.NoError(t, err)
	assert.Equal(t, 3, s.Open, "what is let pass wants a decision, too")
	assert.Equal(t, plan.Classes, s.Classes)
}

// Before an intake and before an undo a backup is made of what is there: putting it back gives what was.
func TestBackupsBeforeWhatChangesAll(t *testing.T) {
	d := at(t)
	take(t, d, "items.csv", itemsText)
	whys := func() (out []string) {
		list, err := d.Safety.Backups(nell)
		require.NoError(t, err)
		for _, b := range list {
			out = append(out, b.Why)
		}
		return out
	}
	before := len(whys())
	took := take(t, d, "stock.csv", stockText)
	require.Len(t, whys(), before+1)
	assert.Contains(t, whys()[0], "intake")
	was := recorded(t, d, 1)
	require.NoError(t, d.Intake.Undo(ctx, nell, took.Intake, false))
	list, err := d.Safety.Backups(nell)
	require.NoError(t, err)
	require.Len(t, list, before+2)
	assert.Contains(t, list[0].Why, "undo")
	seen, err := d.Safety.SeeRestore(ctx, nell, list[0].Name)
	require.NoError(t, err)
	assert.Len(t, seen.Words, 1, "the undo alone")
	require.NoError(t, d.Safety.Restore(ctx, nell, list[0].Name, len(seen.Words)+seen.More))
	assert.Equal(t, was, recorded(t, d, 1), "as it was before the undo")
}

// Undoing places takes away what nothing uses: a bin in which something was found in the meantime stays, and its count with it.
func TestBinsOfCountsStay(t *testing.T) {
	d := at(t)
	id := frozen(t, d, false)
	places := take(t, d, "places.csv", "warehouse,zone,bin\nW,Back,Z-9-9\nW,Back,Z-9-8\n")
	takeCounts(t, d, id, "W,Z-9-9,SHK,,3,2026-11-20T08:00:00Z\n")
	require.NoError(t, d.Intake.Undo(ctx, nell, places.Intake, true))
	page, err := d.Counting.CountLines(ctx, nell, id, desk.Filter{})
	require.NoError(t, err)
	var found []string
	for _, l := range page.Lines {
		if l.Counted != nil {
			found = append(found, l.Bin+" "+l.SKU+" "+l.Counted.String())
		}
	}
	assert.Equal(t, []string{"Z-9-9 SHK 3"}, found)
	tiles, err := d.Elevation.Elevation(ctx, nell, 1, "")
	require.NoError(t, err)
	var bins []string
	for _, x := range tiles {
		bins = append(bins, x.Code)
	}
	assert.Contains(t, bins, "Z-9-9")
	assert.NotContains(t, bins, "Z-9-8", "which nothing uses")
}

// An item's other lines are found where a bin has very many, with lines that the count leaves out between them.
func TestOtherLinesInABigBin(t *testing.T) {
	d := at(t)
	var items, rows strings.Builder
	items.WriteString("sku,description,unit,stocked\n")
	rows.WriteString("warehouse,bin,sku,lot,on hand,recorded at\n")
	for i := range 2400 {
		how := "yes"
		if i%3 == 1 {
			how = "service"
		}
		fmt.Fprintf(&items, "S-%04d,x,ea,%s\n", i, how)
		fmt.Fprintf(&rows, "W,FLOOR,S-%04d,L1,%d,2026-11-20T06:00:00Z\n", i, i)
		if i%600 == 0 {
			fmt.Fprintf(&rows, "W,FLOOR,S-%04d,L2,7,2026-11-20T06:00:00Z\nW,A-1,S-%04d,,7,2026-11-20T06:00:00Z\n", i, i)
		}
	}
	take(t, d, "items.csv", strings.ReplaceAll(items.String(), "stocked", "type"))
	take(t, d, "stock.csv", rows.String())
	c, err := d.Plan.Freeze(ctx, nell, plan.NewCount{Name: "C", Scope: count.Scope{Warehouse: 1}, Cut: plan.Cut{Rows: 500}})
	require.NoError(t, err)
	require.Equal(t, 1608, c.Lines)
	page, err := d.Counting.CountLines(ctx, nell, c.ID, desk.Filter{Text: "S-1800", Limit: 10})
	require.NoError(t, err)
	require.Len(t, page.Lines, 3)
	for _, l := range page.Lines {
		h, err := d.Variances.History(ctx, nell, c.ID, l.Pos)
		require.NoError(t, err)
		var others []string
		for _, o := range h.Others {
			others = append(others, o.SKU+" "+o.Bin+" "+o.Lot)
		}
		assert.Len(t, others, 2, l.Bin+l.Lot)
		assert.NotContains(t, others, l.SKU+" "+l.Bin+" "+l.Lot)
	}
}

// What changed since it was seen is neither decided nor sent out unseen, even where as many lines are meant.
func TestChangedIsNotDecidedUnseen(t *testing.T) {
	d := at(t)
	id := frozen(t, d, false)
	takeCounts(t, d, id, "W,A-1-1,ROPE,,8,2026-11-20T10:00:00Z\nW,A-1-2,SHK,,39,2026-11-20T10:00:00Z\n")
	rope, shk := lineOf(t, d, id, "ROPE", "A-1-1"), lineOf(t, d, id, "SHK", "A-1-2")
	saw := []quantity.Quantity{*shk.Rest, *rope.Rest}
	var refused *desk.Refusal
	wrong := []quantity.Quantity{*shk.Rest, *rope.Rest - quantity.Quantity(quantity.Scale)}
	_, err := d.Variances.Decide(ctx, nell, id, []int64{shk.Pos, rope.Pos}, store.Accept, "", wrong...)
	require.ErrorAs(t, err, &refused)
	assert.Equal(t, desk.Changed, refused.Kind)
	assert.Empty(t, lineOf(t, d, id, "SHK", "A-1-2").Decision, "all of them or none")
	_, err = d.Variances.Decide(ctx, nell, id, []int64{shk.Pos, rope.Pos}, store.Accept, "", saw[:1]...)
	require.ErrorAs(t, err, &refused)
	_, err = d.Variances.Decide(ctx, nell, id, []int64{shk.Pos, rope.Pos}, store.Accept, "", saw...)
	require.NoError(t, err)

	shown, err := d.Adjustments.PreviewPosting(ctx, nell, id, "difference")
	require.NoError(t, err)
	_, err = d.Variances.Decide(ctx, nell, id, []int64{rope.Pos}, store.Accept, "LOSS") // the same lines, another file
	require.NoError(t, err)
	_, err = d.Adjustments.Post(ctx, nell, id, "difference", "", shown.Lines, shown.Sha)
	require.ErrorAs(t, err, &refused)
	assert.Equal(t, desk.Changed, refused.Kind)
	shown, err = d.Adjustments.PreviewPosting(ctx, nell, id, "difference")
	require.NoError(t, err)
	posted, err := d.Adjustments.Post(ctx, nell, id, "difference", "", shown.Lines, shown.Sha)
	require.NoError(t, err)
	assert.Equal(t, shown.Sha, posted.Sha, "what was shown is what went out")
}

// A row code says where a row belongs: one whose bin was emptied is told of by what its code is for, not as a row without a place.
func TestEmptiedBinUnderARowCode(t *testing.T) {
	d := at(t)
	take(t, d, "stock.csv", "warehouse,bin,sku,on hand,as at\nW,A-1,ROPE,10,2026-11-20T06:00:00Z\nW,A-2,SHK,4,2026-11-20T06:00:00Z\n")
	id := frozenAlone(t, d, 1)
	text := "row code,warehouse,bin,sku,counted,counted at\n" + lineOf(t, d, id, "ROPE", "A-1").RowCode +
		",W,,ROPE,7,2026-11-20T10:00:00Z\n,W,A-2,SHK,5,2026-11-20T10:00:00Z\n"
	dr := look(t, d, "counts.csv", text, intake.Choices{Count: id})
	require.Len(t, dr.Problems, 1)
	assert.Equal(t, "bin changed", dr.Problems[0].Kind)
	assert.Contains(t, dr.Problems[0].List[0].Text, "which is for A-1 · ROPE. Put the bin back")
}
