package house_test

import (
	"encoding/csv"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/core/quantity"
	"wobin/internal/core/scope"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/desk/counting"
	"wobin/internal/desk/house"
	"wobin/internal/desk/plan"
)

// two gives two running counts of the same stock, of which ten were recorded and seven lie there, and the clock of the house.
func two(t *testing.T) (d *house.House, first, second int64, now *time.Time) {
	d = at(t)
	now = new(time.Time)
	*now = time.Date(2026, 11, 20, 9, 0, 0, 0, time.UTC)
	d.Now = func() time.Time { return *now }
	take(t, d, "stock.csv", "warehouse,bin,sku,on hand,unit cost,as at\nW,A-1,ROPE,10,2,2026-11-20T06:00:00Z\nW,A-2,SHK,4,1,2026-11-20T06:00:00Z\n")
	return d, frozenAlone(t, d, 1), frozenAlone(t, d, 1), now
}

func countedAs(t *testing.T, d *house.House, id int64, sku, bin string, n int) {
	t.Helper()
	q := quantity.Quantity(n) * quantity.Scale
	_, err := d.Counting.TypeIn(ctx, nell, id, "", "UTC", []counting.Typed{{RowCode: lineOf(t, d, id, sku, bin).RowCode, Quantity: &q}})
	require.NoError(t, err)
}

func posted(t *testing.T, d *house.House, id int64) {
	t.Helper()
	acceptAll(t, d, id)
	v, err := d.Adjustments.PreviewPosting(ctx, nell, id, "difference")
	require.NoError(t, err)
	require.Empty(t, v.Blocked)
	_, err = d.Adjustments.Post(ctx, nell, id, "difference", "", v.Lines, v.Sha)
	require.NoError(t, err)
}

// Two counts of one stock say the same difference once: what the other one sent is told line by line, asked about once, and nothing of
// it goes out before that.
func TestTwoCountsSendADifferenceOnce(t *testing.T) {
	d, first, second, now := two(t)
	countedAs(t, d, first, "ROPE", "A-1", 7)
	countedAs(t, d, second, "ROPE", "A-1", 7)
	posted(t, d, first)
	*now = now.Add(time.Hour)
	list, err := d.Variances.Elsewhere(ctx, nell, second)
	require.NoError(t, err)
	require.Len(t, list, 1)
	x := list[0]
	assert.Equal(t, []any{first, "Alone", 1, 1, ""}, []any{x.Count, x.CountName, x.Number, x.Lines, x.Answer})
	assert.Equal(t, []any{"A-1 · ROPE", "-3"}, []any{x.Some[0].Line, x.Some[0].Quantity.String()})
	page, err := d.Variances.Variances(ctx, nell, second, desk.Filter{Show: "open", Limit: 10})
	require.NoError(t, err)
	require.Len(t, page.Lines, 1)
	assert.Equal(t, "-3", page.Lines[0].Elsewhere.String(), "the queue says so beside the line")
	acceptAll(t, d, second)
	for _, mode := range []string{"difference", "balance", "in-out", "counted"} {
		v, err := d.Adjustments.PreviewPosting(ctx, nell, second, mode)
		require.NoError(t, err)
		assert.Contains(t, v.Blocked, "Of 1 line another count sent something since this stock was recorded (Alone, posting 1)", mode)
	}
	_, err = d.Adjustments.Post(ctx, nell, second, "difference", "", 1)
	require.Error(t, err)
	assert.Equal(t, desk.Asks, kindOf(t, err))

	// It is taken in still: then it is reckoned in, and nothing is left to be sent.
	require.NoError(t, d.Variances.AnswerElsewhere(ctx, nell, second, []int64{x.Posting}, count.Takes))
	l := lineOf(t, d, second, "ROPE", "A-1")
	assert.Equal(t, []string{"10", "7", "0", "match"}, []string{l.Recorded.String(), l.Expected.String(), l.Variance.String(), l.Status})
	h, err := d.Variances.History(ctx, nell, second, l.Pos)
	require.NoError(t, err)
	assert.Equal(t, []string{"elsewhere", "-3", "7"}, []string{h.Events[1].What, h.Events[1].Quantity.String(), h.Events[1].Level.String()})
	// The records had it: what was recorded is what it says. The latest answer stands, and both are in the record.
	require.NoError(t, d.Variances.AnswerElsewhere(ctx, nell, second, []int64{x.Posting}, count.Had))
	assert.Equal(t, "-3", lineOf(t, d, second, "ROPE", "A-1").Variance.String())
	list, err = d.Variances.Elsewhere(ctx, nell, second)
	require.NoError(t, err)
	assert.Equal(t, []string{count.Had, "Nell"}, []string{list[0].Answer, list[0].By})
	acceptAll(t, d, second)
	v, err := d.Adjustments.PreviewPosting(ctx, nell, second, "difference")
	require.NoError(t, err)
	assert.Empty(t, v.Blocked)
	require.ErrorContains(t, d.Variances.AnswerElsewhere(ctx, nell, second, []int64{x.Posting}, "maybe"), "had them already")
	require.ErrorContains(t, d.Variances.AnswerElsewhere(ctx, nell, second, []int64{99}, count.Had), "does not concern the count")
	proved(t, d)
}

// A count that is planned over stock of before a posting is told of it at once; one over newer stock is not.
func TestCountsPlannedAfterAPosting(t *testing.T) {
	d, first, _, now := two(t)
	countedAs(t, d, first, "ROPE", "A-1", 7)
	posted(t, d, first)
	*now = now.Add(time.Hour)
	tally, err := d.Plan.Tally(ctx, nell, count.Scope{Warehouse: 1}, plan.Cut{Rows: 50})
	require.NoError(t, err)
	assert.Equal(t, 1, tally.SentOut, "the plan says so")
	third := frozenAlone(t, d, 1)
	list, err := d.Variances.Elsewhere(ctx, nell, third)
	require.NoError(t, err)
	require.Len(t, list, 1)
	// What is found where nothing was recorded may have been sent by the other count, too.
	countedAs(t, d, first, "SHK", "A-2", 9)
	take(t, d, "newer.csv", "warehouse,bin,sku,on hand,unit cost,as at\nW,A-1,ROPE,7,2,2026-11-20T09:30:00Z\nW,A-2,SHK,4,1,2026-11-20T09:30:00Z\n")
	tally, err = d.Plan.Tally(ctx, nell, count.Scope{Warehouse: 1}, plan.Cut{Rows: 50})
	require.NoError(t, err)
	assert.Zero(t, tally.SentOut)
	fourth := frozenAlone(t, d, 1)
	list, err = d.Variances.Elsewhere(ctx, nell, fourth)
	require.NoError(t, err)
	assert.Empty(t, list)
}

// Lines that a count is given of stock recorded after another count's posting had it already; its older lines did not.
func TestLaterLinesHadWhatOtherCountsSent(t *testing.T) {
	d, first, _, now := two(t)
	part, err := d.Plan.Freeze(ctx, nell, plan.NewCount{Name: "Part", Cut: plan.Cut{Rows: 50},
		Scope: count.Scope{Warehouse: 1, Rules: []scope.Rule{{What: scope.SKU, Values: []string{"SHK"}}}}})
	require.NoError(t, err)
	countedAs(t, d, first, "ROPE", "A-1", 7)
	countedAs(t, d, first, "SHK", "A-2", 3)
	posted(t, d, first)
	*now = now.Add(time.Hour)
	take(t, d, "newer.csv", "warehouse,bin,sku,on hand,unit cost,as at\nW,A-1,ROPE,7,2,2026-11-20T09:30:00Z\nW,A-2,SHK,3,1,2026-11-20T09:30:00Z\n")
	_, err = d.Plan.AddMore(ctx, nell, part.ID, plan.More{Scope: count.Scope{Warehouse: 1}, Later: true, Cut: plan.Cut{Rows: 50}})
	require.NoError(t, err)
	list, err := d.Variances.Elsewhere(ctx, nell, part.ID)
	require.NoError(t, err)
	require.Len(t, list, 1)
	assert.Equal(t, 1, list[0].Lines)
	require.Len(t, list[0].Some, 1)
	assert.Equal(t, "A-2 · SHK", list[0].Some[0].Line)
}

// What was found by both counts is told, too; and what did not land is nothing that anybody has to answer for.
func TestFindsAndLostPostingsOfOtherCounts(t *testing.T) {
	d, first, second, now := two(t)
	found := func(id int64) {
		x := counting.Typed{Found: &counting.Found{Sheet: 1, Bin: "A-2", SKU: "ROPE"}, Quantity: whole(5)}
		_, err := d.Counting.TypeIn(ctx, nell, id, "", "UTC", []counting.Typed{x})
		require.NoError(t, err)
	}
	found(first)
	posted(t, d, first)
	*now = now.Add(time.Hour)
	list, err := d.Variances.Elsewhere(ctx, nell, second)
	require.NoError(t, err)
	assert.Empty(t, list, "it has no such line")
	found(second)
	list, err = d.Variances.Elsewhere(ctx, nell, second)
	require.NoError(t, err)
	require.Len(t, list, 1)
	require.NoError(t, d.Variances.AnswerElsewhere(ctx, nell, second, []int64{list[0].Posting}, count.Takes))
	l := lineOf(t, d, second, "ROPE", "A-2")
	assert.Equal(t, []string{"5", "0", "match"}, []string{l.Expected.String(), l.Variance.String(), l.Status})
	// The next export shows that it never came.
	*now = now.Add(2 * time.Hour)
	take(t, d, "newer.csv", "warehouse,bin,sku,on hand,unit cost,as at\nW,A-1,ROPE,10,2,2026-11-20T11:30:00Z\nW,A-2,SHK,4,1,2026-11-20T11:30:00Z\n")
	_, err = d.Adjustments.Unlanded(ctx, nell, first, 1, 1, "")
	require.NoError(t, err)
	list, err = d.Variances.Elsewhere(ctx, nell, second)
	require.NoError(t, err)
	assert.Empty(t, list)
	l = lineOf(t, d, second, "ROPE", "A-2")
	assert.Equal(t, []string{"0", "5", "found"}, []string{l.Expected.String(), l.Variance.String(), l.Status})
	// It stays missing, whatever comes later, in the report that is signed, too.
	take(t, d, "newest.csv", "warehouse,bin,sku,on hand,unit cost,as at\nW,A-1,ROPE,10,2,2026-11-20T11:45:00Z\nW,A-2,SHK,4,1,2026-11-20T11:45:00Z\n")
	proof, err := d.Adjustments.Proof(ctx, nell, first)
	require.NoError(t, err)
	assert.Equal(t, []int{0, 1, 1}, []int{proof[0].Tally.Landed, proof[0].Tally.Missing, proof[0].Noted})
	off, _, err := d.Adjustments.Unproved(ctx, nell, first)
	require.NoError(t, err)
	assert.Zero(t, off, "it waits for nobody")
	s, err := d.Report.Statement(ctx, nell, first)
	require.NoError(t, err)
	assert.Equal(t, "0 of 1 landed, 1 noted as missing", s.Postings[0].Proof)
	_, err = d.Adjustments.Unlanded(ctx, nell, first, 1, 1, "")
	require.ErrorContains(t, err, "0 lines are missing", "it was noted already")
	// Sent anew it lands, and that is proved.
	posted(t, d, first)
	*now = now.Add(time.Hour)
	take(t, d, "landed.csv", "warehouse,bin,sku,on hand,unit cost,as at\nW,A-1,ROPE,10,2,2026-11-20T12:55:00Z\nW,A-2,SHK,4,1,2026-11-20T12:55:00Z\n"+
		"W,A-2,ROPE,5,2,2026-11-20T12:55:00Z\n")
	proof, err = d.Adjustments.Proof(ctx, nell, first)
	require.NoError(t, err)
	require.Len(t, proof, 2)
	assert.Equal(t, []int{1, 0}, []int{proof[1].Tally.Landed, proof[1].Tally.Different})
}

// What another count sent and the record system takes in is part of what a balance is written over with: of seven expected and
// six counted the balance is six, and the difference one.
func TestBalanceOverWhatOtherCountsSent(t *testing.T) {
	d, first, second, now := two(t)
	countedAs(t, d, first, "ROPE", "A-1", 7)
	countedAs(t, d, second, "ROPE", "A-1", 6)
	posted(t, d, first)
	*now = now.Add(time.Hour)
	list, err := d.Variances.Elsewhere(ctx, nell, second)
	require.NoError(t, err)
	require.Len(t, list, 1)
	for answer, difference := range map[string]string{count.Takes: "-1", count.Had: "-4"} {
		require.NoError(t, d.Variances.AnswerElsewhere(ctx, nell, second, []int64{list[0].Posting}, answer))
		acceptAll(t, d, second)
		for mode, want := range map[string]string{"balance": "6", "difference": difference} {
			v, err := d.Adjustments.PreviewPosting(ctx, nell, second, mode)
			require.NoError(t, err)
			require.Empty(t, v.Blocked)
			rows, err := csv.NewReader(strings.NewReader(v.Text)).ReadAll()
			require.NoError(t, err)
			require.Len(t, rows, 2)
			at := slices.Index(rows[0], "quantity")
			require.GreaterOrEqual(t, at, 0, v.Text)
			assert.Equal(t, want, rows[1][at], "%s, %s", answer, mode)
		}
	}
}
