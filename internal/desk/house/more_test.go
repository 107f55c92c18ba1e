package house_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/core/quantity"
	"wobin/internal/core/scope"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/desk/counting"
	"wobin/internal/desk/intake"
	"wobin/internal/desk/plan"
)

// A running count is given the rest of its warehouse, as it was recorded at the freeze, rolled forward as the others;
// and is let go of some of it.
func TestMoreAndLess(t *testing.T) {
	d := at(t)
	id := partly(t, d)
	// What is counted beside it before is not added twice; newer stock changes nothing about the freeze.
	takeCounts(t, d, id, "W,B-1-2,PAINT,L1,7,2026-11-20T10:00:00Z\n")
	take(t, d, "moves.csv", "warehouse,bin,sku,quantity,at,reference\nW,A-1-1,ROPE,-3,2026-11-20T07:30:00Z,m1\n")
	take(t, d, "newer.csv", strings.ReplaceAll(strings.Replace(stockText, "ROPE,,10", "ROPE,,7", 1), "2026-11-20T06", "2026-11-21T06"))
	more := plan.More{Scope: count.Scope{Warehouse: 1}, Cut: plan.Cut{Rows: 50}}
	see, err := d.Plan.SeeMore(ctx, nell, id, more)
	require.NoError(t, err)
	assert.Equal(t, []int{1, 3}, []int{see.Lines, see.Has}, "shackles and paint it has")
	before, err := d.Today.Count(ctx, nell, id)
	require.NoError(t, err)
	made, err := d.Plan.AddMore(ctx, nell, id, more)
	require.NoError(t, err)
	require.Equal(t, []int{3}, made.Made)
	after, err := d.Today.Count(ctx, nell, id)
	require.NoError(t, err)
	assert.Equal(t, []int{before.Lines + 1, before.Uncounted + 1, before.Sheets + 1}, []int{after.Lines, after.Uncounted, after.Sheets})
	rope := lineOf(t, d, id, "ROPE", "A-1-1")
	assert.Equal(
		t,
		[]string{"10", "-3", "uncounted"},
		[]string{rope.Recorded.String(), rope.Moved.String(), rope.Status},
		"of the frozen stock, with what moved since",
	)
	assert.Contains(t, rope.RowCode, fmt.Sprintf("W%dS3R1", id))
	_, err = d.Plan.AddMore(ctx, nell, id, more)
	require.ErrorContains(t, err, "has all of it already (4 lines)")

	// Let go, it is not there; its paper is understood all the same, as counted beside the count; taken up again it is a row as before.
	_, paper, err := d.Counting.WriteSheet(ctx, nell, id, 3, counting.AsText)
	require.NoError(t, err)
	require.NoError(t, d.Plan.LetGo(ctx, nell, id, []int{3}))
	gone, err := d.Today.Count(ctx, nell, id)
	require.NoError(t, err)
	assert.Equal(t, []int{before.Lines, before.Uncounted, before.Sheets}, []int{gone.Lines, gone.Uncounted, gone.Sheets})
	whole, err := d.Plan.Tally(ctx, nell, count.Scope{Warehouse: 1}, plan.Cut{Rows: 50})
	require.NoError(t, err)
	assert.Equal(t, 2, whole.Elsewhere, "what was let go waits on no sheet")
	see, err = d.Plan.SeeMore(ctx, nell, id, more)
	require.NoError(t, err)
	assert.Equal(t, []int{0, 4}, []int{see.Lines, see.Has}, "what was let go is taken up again, not added anew")
	dr := look(t, d, "paper.csv", strings.Replace(string(paper), ",m,10,,", ",m,10,6,2026-11-20T10:00:00Z", 1), intake.Choices{})
	require.Empty(t, dr.Problems)
	assert.Contains(t, strings.Join(dr.Sheets[0].Assumed, " "), "Sheet 3 was let go out of the count.")
	takeDraft(t, d, dr)
	rope = lineOf(t, d, id, "ROPE", "A-1-1")
	assert.Equal(t, []string{"short", "-1", ""}, []string{rope.Status, rope.Variance.String(), rope.RowCode})
	require.NoError(t, d.Plan.TakeUp(ctx, nell, id, []int{3}))
	rope = lineOf(t, d, id, "ROPE", "A-1-1")
	assert.Equal(t, []string{"short", "-1"}, []string{rope.Status, rope.Variance.String()})
	assert.Contains(t, rope.RowCode, fmt.Sprintf("W%dS3R1", id))
	require.ErrorContains(t, d.Plan.LetGo(ctx, nell, id, []int{3}), "Something of sheet 3 was counted")
	last, err := d.Today.Count(ctx, nell, id)
	require.NoError(t, err)
	assert.Equal(t, []int{after.Lines, after.Uncounted - 1, after.Sheets}, []int{last.Lines, last.Uncounted, last.Sheets})
	sheets, err := allSheets(d, id)
	require.NoError(t, err)
	assert.Equal(t, 1, sheets[2].Counted)
	require.ErrorContains(t, d.Plan.LetGo(ctx, nell, id, []int{1, 2, 3}), "")
	require.ErrorContains(t, d.Plan.LetGo(ctx, desk.Person{ID: 7, Name: "C", Role: "counter"}, id, []int{1}), "your role")
}

// The rest of bins of which a rule picked some lines is added beside them, and it is said that these bins are on other sheets, too.
func TestMoreOfSharedBins(t *testing.T) {
	d := at(t)
	text := "warehouse,bin,sku,on hand,unit cost,as at\n"
	for i := range 30 {
		text += fmt.Sprintf("W,A-%02d,S%02d,%d,1,2026-11-20T06:00:00Z\n", i/3+1, i, 1+i)
	}
	take(t, d, "stock.csv", text)
	c, err := d.Plan.Freeze(ctx, nell, plan.NewCount{Name: "Some", Cut: plan.Cut{Rows: 50}, Scope: count.Scope{Warehouse: 1,
		Rules: []scope.Rule{{What: scope.SKU, Values: []string{"S00", "S03", "S06"}}}}})
	require.NoError(t, err)
	require.Equal(t, 3, c.Lines)
	x, err := d.Plan.AddMore(ctx, nell, c.ID, plan.More{Scope: count.Scope{}, Cut: plan.Cut{By: "size", Rows: 10}})
	require.NoError(t, err)
	assert.Equal(t, []int{27, 3, 3}, []int{x.Lines, x.Has, x.Shared})
	assert.Len(t, x.Made, 3)
	s, err := d.Today.Count(ctx, nell, c.ID)
	require.NoError(t, err)
	assert.Equal(t, []int{30, 30, 4}, []int{s.Lines, s.RecordedLines, s.Sheets})
	page, err := d.Counting.CountLines(ctx, nell, c.ID, desk.Filter{Sheet: x.Made[2], Limit: 100})
	require.NoError(t, err)
	for i, l := range page.Lines {
		assert.Contains(t, l.RowCode, fmt.Sprintf("S%dR%d", x.Made[2], i+1))
	}
}

// Lines that a running count is given of stock recorded later are of a freeze of their own: only what moved after that is rolled
// forward for them, counting before it is asked about, and the count and its lines say so.
func TestMoreOfALaterFreeze(t *testing.T) {
	d := at(t)
	id := partly(t, d)
	more := plan.More{Scope: count.Scope{Warehouse: 1}, Later: true, Cut: plan.Cut{Rows: 50}}
	_, err := d.Plan.SeeMore(ctx, nell, id, more)
	require.ErrorContains(t, err, "No stock was taken in that was recorded after the freeze")
	take(t, d, "moves.csv", "warehouse,bin,sku,quantity,at,reference\n"+
		"W,A-1-1,ROPE,-3,2026-11-20T07:30:00Z,m1\nW,A-1-1,ROPE,-1,2026-11-20T09:00:00Z,m2\n")
	take(t, d, "newer.csv", strings.ReplaceAll(strings.Replace(stockText, "ROPE,,10", "ROPE,,7", 1), "2026-11-20T06", "2026-11-20T08"))
	see, err := d.Plan.SeeMore(ctx, nell, id, more)
	require.NoError(t, err)
	assert.Equal(t, "2026-11-20T06 2026-11-20T08", see.Own.UTC().Format("2006-01-02T15")+" "+see.Newer.UTC().Format("2006-01-02T15"))
	_, err = d.Plan.AddMore(ctx, nell, id, more)
	require.NoError(t, err)
	s, err := d.Today.Count(ctx, nell, id)
	require.NoError(t, err)
	require.Len(t, s.Later, 1)
	assert.Equal(t, "2026-11-20T08:00:00Z", s.Later[0].At.UTC().Format("2006-01-02T15:04:05Z"))
	rope := lineOf(t, d, id, "ROPE", "A-1-1")
	require.NotNil(t, rope.FrozenAt)
	assert.Equal(t, []string{"7", "0", "7"}, []string{rope.Recorded.String(), rope.Moved.String(), rope.Expected.String()},
		"uncounted, and nothing counted later than its freeze")
	// A movement that comes afterwards is held against the line's own freeze, too, and taken out again with its file.
	take(t, d, "late.csv", "warehouse,bin,sku,quantity,at,reference\n"+
		"W,A-1-1,ROPE,-5,2026-11-20T07:45:00Z,m3\nW,A-1-1,ROPE,+2,2026-11-20T09:30:00Z,m4\n")
	eight := quantity.Quantity(8_000_000)
	asked := []counting.Typed{{RowCode: rope.RowCode, Quantity: &eight, CountedAt: "2026-11-20T07:00:00Z"}}
	_, err = d.Counting.TypeIn(ctx, nell, id, "", "UTC", asked)
	require.ErrorContains(t, err, "lies before the freeze (2026-11-20 08:00")
	asked[0].CountedAt = "2026-11-20T10:00:00Z"
	_, err = d.Counting.TypeIn(ctx, nell, id, "", "UTC", asked)
	require.NoError(t, err)
	rope = lineOf(t, d, id, "ROPE", "A-1-1")
	assert.Equal(
		t,
		[]string{"7", "1", "8", "match"},
		[]string{rope.Recorded.String(), rope.Moved.String(), rope.Expected.String(), rope.Status},
	)
	h, err := d.Variances.History(ctx, nell, id, rope.Pos)
	require.NoError(t, err)
	assert.Equal(t, "2026-11-20 08 frozen later than the count, as it was added",
		h.Events[0].At.UTC().Format("2006-01-02 15 ")+h.Events[0].Text)
	// Its file asks, too, and says which freeze it means.
	_, paper, err := d.Counting.WriteSheet(ctx, nell, id, rope.Sheet, counting.AsText)
	require.NoError(t, err)
	dr := look(t, d, "paper.csv", strings.Replace(string(paper), ",m,7,,,", ",m,7,9,2026-11-20T07:00:00Z,", 1), intake.Choices{})
	checks := fmt.Sprint(dr.Sheets[0].Checks)
	assert.Contains(t, checks, "frozen 2026-11-20 08:00")
	// Taken back the movement is out again.
	var late int64
	require.NoError(t, d.Store.Read(ctx).Raw("SELECT max(id) FROM intakes").Scan(&late).Error)
	require.NoError(t, d.Intake.Undo(ctx, nell, late, true))
	rope = lineOf(t, d, id, "ROPE", "A-1-1")
	assert.Equal(t, []string{"-1", "6", "over"}, []string{rope.Moved.String(), rope.Expected.String(), rope.Status})
}
