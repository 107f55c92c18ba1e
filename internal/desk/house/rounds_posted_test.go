package house_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/desk"
	"wobin/internal/desk/adjustments"
	"wobin/internal/desk/count"
	"wobin/internal/desk/counting"
	"wobin/internal/desk/house"
	"wobin/internal/desk/plan"
)

// twoRounds gives a count of two rounds of a line of which 29 are recorded and one of which 5 are.
func twoRounds(t *testing.T) (*house.House, int64, func(round int, sku string, n int)) {
	d := at(t)
	d.Now = func() time.Time { return time.Date(2026, 11, 20, 18, 0, 0, 0, time.UTC) }
	take(t, d, "stock.csv", "warehouse,bin,sku,on hand,unit cost,as at\nW,A-1,ROPE,29,2,2026-11-20T06:00:00Z\nW,A-2,SHK,5,1,2026-11-20T06:00:00Z\n")
	c, err := d.Plan.Freeze(ctx, nell, plan.NewCount{Name: "Twice", Scope: count.Scope{Warehouse: 1}, Rounds: 2, Cut: plan.Cut{Rows: 50}})
	require.NoError(t, err)
	return d, c.ID, func(round int, sku string, n int) {
		t.Helper()
		page, err := d.Counting.CountLines(ctx, nell, c.ID, desk.Filter{Sheet: round, Limit: 10})
		require.NoError(t, err)
		for _, l := range page.Lines {
			if l.SKU == sku {
				_, err := d.Counting.TypeIn(ctx, nell, c.ID, "", "UTC", []counting.Typed{{RowCode: l.RowCode, Quantity: whole(n), Counter: []string{"", "Ada", "Bo"}[round]}})
				require.NoError(t, err)
			}
		}
	}
}

func nothingGoesOut(t *testing.T, d *house.House, id int64, sku string) {
	t.Helper()
	page, err := d.Variances.Variances(ctx, nell, id, desk.Filter{Show: "open", Limit: 10})
	require.NoError(t, err)
	assert.Empty(t, page.Lines, "what waits for the rounds to agree is on no queue")
	for _, mode := range []string{"difference", "in-out", "balance", "counted"} {
		v, err := d.Adjustments.PreviewPosting(ctx, nell, id, mode)
		require.NoError(t, err)
		assert.NotContains(t, v.Text, ","+sku+",", mode)
	}
}

// Two rounds that agreed, went out, and differ again go out in no form until they agree; then every form says what is left.
func TestRoundsThatDifferAgainAfterAPosting(t *testing.T) {
	d, id, typed := twoRounds(t)
	typed(1, "ROPE", 23)
	typed(2, "ROPE", 23)
	posted(t, d, id)
	typed(2, "ROPE", 35)
	l := lineOf(t, d, id, "ROPE", "A-1")
	assert.Equal(t, []any{2, "-6", "0"}, []any{l.Pending, l.Sent.String(), mustText(l.Variance)})
	nothingGoesOut(t, d, id, "ROPE")
	typed(1, "ROPE", 35)
	acceptAll(t, d, id)
	for mode, want := range map[string]string{"difference": ",12,", "in-out": ",12,0,", "balance": ",35,", "counted": ",35,2026-"} {
		v, err := d.Adjustments.PreviewPosting(ctx, nell, id, mode)
		require.NoError(t, err)
		require.Empty(t, v.Blocked, mode)
		assert.Contains(t, v.Text, "W,A-1,ROPE,,,,,"+want, mode)
	}
}

// A line that was settled to be zero and went out waits once one of two rounds has counted it after all.
func TestAZeroedLineThatOneRoundCounts(t *testing.T) {
	d, id, typed := twoRounds(t)
	typed(1, "ROPE", 29)
	typed(2, "ROPE", 29)
	u, err := d.Variances.SeeUncounted(ctx, nell, id, count.UncountedPart{})
	require.NoError(t, err)
	_, err = d.Variances.SetZero(ctx, nell, id, count.UncountedPart{}, true, u.Lines)
	require.NoError(t, err)
	posted(t, d, id)
	typed(1, "SHK", 5)
	nothingGoesOut(t, d, id, "SHK")
	s, err := d.Today.Count(ctx, nell, id)
	require.NoError(t, err)
	assert.Equal(t, []int{0, 1, 1}, []int{s.Zeroed, s.Uncounted, s.Once})
	typed(2, "SHK", 5)
	acceptAll(t, d, id)
	v, err := d.Adjustments.PreviewPosting(ctx, nell, id, "balance")
	require.NoError(t, err)
	assert.Contains(t, v.Text, "W,A-2,SHK,,,,,,5,", "all of it is there after all")
}

// That uncounted means zero is promised and done for the same lines: not for those that one of two rounds has counted. Taken back, or let
// go with its sheet, nothing is left of it, and finishing asks about every line that stays uncounted.
func TestMeansZeroLeavesNothingBehind(t *testing.T) {
	d, id, typed := twoRounds(t)
	typed(1, "ROPE", 20)
	u, err := d.Variances.SeeUncounted(ctx, nell, id, count.UncountedPart{})
	require.NoError(t, err)
	assert.Equal(t, []any{1, "-5.00"}, []any{u.Lines, u.Value.String()}, "the rope waits for its second round")
	_, err = d.Variances.SetZero(ctx, nell, id, count.UncountedPart{}, true, 1)
	require.NoError(t, err)
	zeroed := func() []int {
		s, err := d.Today.Count(ctx, nell, id)
		require.NoError(t, err)
		return []int{s.Zeroed, s.Uncounted, s.Open}
	}
	assert.Equal(t, []int{1, 2, 1}, zeroed())
	_, err = d.Variances.SetZero(ctx, nell, id, count.UncountedPart{}, false, 1)
	require.NoError(t, err)
	assert.Equal(t, []int{0, 2, 0}, zeroed())
	err = d.Adjustments.Finish(ctx, nell, id, adjustments.Left{})
	require.ErrorContains(t, err, "Finishing is final, and 2 lines stay uncounted. Say that this is meant.")

	other := at(t)
	twelveID := twelve(t, other, 1, plan.Cut{By: "size", Rows: 6})
	_, err = other.Variances.SetZero(ctx, nell, twelveID, count.UncountedPart{}, true, 12)
	require.NoError(t, err)
	before, err := other.Today.Count(ctx, nell, twelveID)
	require.NoError(t, err)
	sheets, err := allSheets(other, twelveID)
	require.NoError(t, err)
	require.NoError(t, other.Plan.LetGo(ctx, nell, twelveID, []int{1}))
	s, err := other.Today.Count(ctx, nell, twelveID)
	require.NoError(t, err)
	assert.Equal(t, []int{before.Zeroed - sheets[0].Lines, before.Open - sheets[0].Lines, before.RecordedLines - sheets[0].Lines},
		[]int{s.Zeroed, s.Open, s.RecordedLines})
	require.NoError(t, other.Plan.TakeUp(ctx, nell, twelveID, []int{1}))
	s, err = other.Today.Count(ctx, nell, twelveID)
	require.NoError(t, err)
	assert.Equal(t, []int{before.Zeroed - sheets[0].Lines, before.RecordedLines}, []int{s.Zeroed, s.RecordedLines}, "it is settled no more")
}

func mustText[T interface{ String() string }](v *T) string {
	if v == nil {
		return "0"
	}
	return (*v).String()
}
