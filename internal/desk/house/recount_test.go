package house_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/desk"
	"wobin/internal/desk/adjustments"
	"wobin/internal/desk/count"
	"wobin/internal/desk/counting"
	"wobin/internal/desk/house"
	"wobin/internal/desk/intake"
	"wobin/internal/desk/plan"
)

// typedOn types counts of a sheet by the SKUs of its rows.
func typedOn(t *testing.T, d *house.House, id int64, sheet int, who string, counts map[string]string) error {
	t.Helper()
	page, err := d.Counting.CountLines(ctx, nell, id, desk.Filter{Sheet: sheet, Limit: 100})
	require.NoError(t, err)
	var typed []counting.Typed
	for _, l := range page.Lines {
		if text, is := counts[l.SKU]; is {
			typed = append(typed, counting.Typed{RowCode: l.RowCode, Text: text, Counter: who, CountedAt: "2026-11-20 12:00"})
		}
	}
	require.Len(t, typed, len(counts))
	_, err = d.Counting.TypeIn(ctx, nell, id, "", "UTC", typed)
	return err
}

// Chosen lines are counted again on sheets of their own: blind, in walking order, by somebody else. What a recount says stands over what
// was counted before; its results stand side by side; its paper is understood; it can be counted a third time, and dropped.
func TestRecount(t *testing.T) {
	d := at(t)
	d.Now = func() time.Time { return time.Date(2026, 11, 20, 18, 0, 0, 0, time.UTC) }
	id := twelve(t, d, 1, plan.Cut{By: "size", Rows: 50})
	require.NoError(t, typedOn(t, d, id, 1, "Ada", map[string]string{"S00": "10", "S01": "7", "S04": "12", "S08": "9", "S09": "30"}))
	var again []int64
	for _, sku := range []string{"S08", "S01", "S04"} {
		again = append(again, lineOf(t, d, id, sku, fmt.Sprintf("A-%02d", int(sku[2]-'0')+1)).Pos)
	}
	before, err := d.Today.Count(ctx, nell, id)
	require.NoError(t, err)
	made, err := d.Plan.Recount(ctx, nell, id, plan.Again{Lines: again, Rows: 2})
	require.NoError(t, err)
	assert.Equal(t, plan.AgainMade{Sheets: []int{2, 3}, Lines: 3, Round: 1}, made)
	sheets, err := allSheets(d, id)
	require.NoError(t, err)
	assert.Equal(t, []any{"A-02", "A-05", 2, 1}, []any{sheets[1].FirstBin, sheets[1].LastBin, sheets[1].Lines, sheets[1].Recount})
	assert.Positive(t, sheets[1].Seconds)
	_, err = d.Plan.Recount(ctx, nell, id, plan.Again{Lines: again[:1]})
	require.ErrorContains(t, err, "is to be counted again already, on sheet 3")
	after, err := d.Today.Count(ctx, nell, id)
	require.NoError(t, err)
	assert.Equal(
		t,
		[]int{before.Lines, before.Counted, before.Open},
		[]int{after.Lines, after.Counted, after.Open},
		"nothing is counted otherwise by it",
	)

	// Nobody sees what was counted or expected, and it is for somebody else, or there is a reason.
	page, err := d.Counting.CountLines(ctx, nell, id, desk.Filter{Sheet: 2, Limit: 100})
	require.NoError(t, err)
	require.Len(t, page.Lines, 2)
	for _, l := range page.Lines {
		assert.Nil(t, l.Recorded)
		assert.Nil(t, l.Counted)
		assert.True(t, strings.HasPrefix(l.RowCode, fmt.Sprintf("W%dS2R", id)), l.RowCode)
	}
	_, paper, err := d.Counting.WriteSheet(ctx, nell, id, 3, counting.AsText)
	require.NoError(t, err)
	assert.NotContains(t, string(paper), ",10,")
	assert.Contains(t, string(paper), "recount")
	hand := counting.Handing{Sheets: []int{2}, Counter: "ada"}
	require.ErrorContains(t, d.Counting.HandOut(ctx, nell, id, hand), "ada counted 2 lines of sheet 2 before")
	hand.Why = "nobody else is here"
	require.NoError(t, d.Counting.HandOut(ctx, nell, id, hand))
	require.ErrorContains(t, typedOn(t, d, id, 2, "Ada", map[string]string{"S01": "10"}), "A recount is by somebody else")
	hand.Counter, hand.Why = "Bo", ""
	require.NoError(t, d.Counting.HandOut(ctx, nell, id, hand))

	// Typed, it stands; the first count is still there.
	require.NoError(t, typedOn(t, d, id, 2, "Bo", map[string]string{"S01": "10", "S04": "11"}))
	rope := lineOf(t, d, id, "S01", "A-02")
	assert.Equal(t, []string{"10", "match", "Bo"}, []string{rope.Counted.String(), rope.Status, rope.Counter})
	four := lineOf(t, d, id, "S04", "A-05")
	assert.Equal(t, []string{"11", "1"}, []string{four.Counted.String(), four.Variance.String()})
	h, err := d.Variances.History(ctx, nell, id, four.Pos)
	require.NoError(t, err)
	var said []string
	for _, e := range h.Events {
		if e.What == "entry" {
			said = append(said, e.Quantity.String()+" "+e.Text)
		}
	}
	assert.Equal(t, []string{"12 Ada", "11 Bo, recount 1"}, said)
	sheets, err = allSheets(d, id)
	require.NoError(t, err)
	assert.Equal(t, []any{2, "back"}, []any{sheets[1].Counted, sheets[1].State})
	assert.Equal(t, 5, sheets[0].Counted, "the first sheet has what it had")

	// As a file, its rows in another order; a second version revises its row alone.
	code := ""
	for _, l := range strings.Split(string(paper), "\n") {
		if strings.HasPrefix(l, fmt.Sprintf("W%dS3R1", id)) {
			code = strings.Split(l, ",")[0]
		}
	}
	file := "row code,bin,sku,counted,counted at,counter\n" + code + ",A-09,S08,8,2026-11-20T12:00:00Z,Bo\n"
	dr := look(t, d, "again.csv", file, intake.Choices{})
	require.Empty(t, dr.Blocked)
	assert.Equal(t, 1, dr.Effect.Added)
	takeDraft(t, d, dr)
	eight := lineOf(t, d, id, "S08", "A-09")
	assert.Equal(t, []string{"8", "short"}, []string{eight.Counted.String(), eight.Status})
	dr = look(t, d, "again.csv", strings.Replace(file, ",8,2026", ",9,2026", 1), intake.Choices{})
	require.Empty(t, dr.Blocked)
	assert.Equal(t, []int{0, 1}, []int{dr.Effect.Added, dr.Effect.Changed})
	out := takeDraft(t, d, dr)
	assert.Equal(t, "9", lineOf(t, d, id, "S08", "A-09").Counted.String())
	require.NoError(t, d.Counting.UndoReturn(ctx, nell, id, out.Return))
	assert.Equal(t, "8", lineOf(t, d, id, "S08", "A-09").Counted.String())
	dr = look(t, d, "ada.csv", strings.Replace(strings.Replace(file, ",8,2026", ",7,2026", 1), "Bo", "Ada", 1), intake.Choices{})
	assert.Contains(t, dr.Blocked, "counted by the same person in another round")

	// A second recount; dropped while nothing of it is counted; the recounts are not parted.
	made, err = d.Plan.Recount(ctx, nell, id, plan.Again{Lines: []int64{four.Pos}})
	require.NoError(t, err)
	assert.Equal(t, 2, made.Round)
	_, err = d.Plan.Part(ctx, nell, id, made.Sheets[0], "A-05", "")
	require.ErrorContains(t, err, "is a recount")
	require.NoError(t, d.Plan.DropRecount(ctx, nell, id, made.Sheets))
	require.ErrorContains(t, d.Plan.DropRecount(ctx, nell, id, []int{2}), "Something of sheet 2 was counted")
	made, err = d.Plan.Recount(ctx, nell, id, plan.Again{Lines: []int64{four.Pos}})
	require.NoError(t, err)
	require.NoError(t, typedOn(t, d, id, made.Sheets[0], "Cy", map[string]string{"S04": "10"}))
	four = lineOf(t, d, id, "S04", "A-05")
	assert.Equal(t, []string{"10", "match"}, []string{four.Counted.String(), four.Status})
	// A count is not finished over a recount that is not back, without a word.
	_, err = d.Plan.Recount(ctx, nell, id, plan.Again{Lines: []int64{rope.Pos}})
	require.NoError(t, err)
	s, err := d.Today.Count(ctx, nell, id)
	require.NoError(t, err)
	assert.Equal(t, 1, s.Recounts)
	for _, x := range []string{"S08", "S09"} {
		_, err = d.Variances.Decide(ctx, nell, id, []int64{lineOf(t, d, id, x, "A-"+map[string]string{"S08": "09", "S09": "10"}[x]).Pos}, "hold", "")
		require.NoError(t, err)
	}
	left := adjustments.Left{Held: 2, Uncounted: s.Uncounted}
	require.ErrorContains(t, d.Adjustments.Finish(ctx, nell, id, left), "1 line is not counted again")
	left.Recounts = 1
	require.NoError(t, d.Adjustments.Finish(ctx, nell, id, left))
	proof, err := d.Safety.VerifyChain(ctx)
	require.NoError(t, err)
	assert.Zero(t, proof.Broken, proof.Text)
}

// In a count of two rounds that do not agree a recount stands by itself.
func TestRecountOfTwoRounds(t *testing.T) {
	d := at(t)
	d.Now = func() time.Time { return time.Date(2026, 11, 20, 18, 0, 0, 0, time.UTC) }
	id := twelve(t, d, 2, plan.Cut{By: "people", Rows: 50, For: []string{"Ada", "Bo"}})
	require.NoError(t, typedOn(t, d, id, 1, "Ada", map[string]string{"S00": "10"}))
	require.NoError(t, typedOn(t, d, id, 3, "Bo", map[string]string{"S00": "12"}))
	s, err := d.Today.Count(ctx, nell, id)
	require.NoError(t, err)
	require.Equal(t, []int{0, 1}, []int{s.Counted, s.Differ})
	var pos int64
	require.NoError(t, d.Store.Read(ctx).Raw("SELECT pos FROM count_lines WHERE count_id = ? AND pending = 2", id).Scan(&pos).Error)
	made, err := d.Plan.Recount(ctx, nell, id, plan.Again{Lines: []int64{pos}})
	require.NoError(t, err)
	require.NoError(t, typedOn(t, d, id, made.Sheets[0], "Cy", map[string]string{"S00": "11"}))
	s, err = d.Today.Count(ctx, nell, id)
	require.NoError(t, err)
	assert.Equal(t, []int{1, 0, 1}, []int{s.Counted, s.Differ, s.Open})
}

// Three counts that all say something else put the line on top of the queue, whatever it is worth, decided or not; a fourth that agrees
// with one of them ends the dispute.
func TestDisputedOnTop(t *testing.T) {
	d := at(t)
	d.Now = func() time.Time { return time.Date(2026, 11, 20, 18, 0, 0, 0, time.UTC) }
	id := twelve(t, d, 1, plan.Cut{By: "size", Rows: 50})
	require.NoError(t, typedOn(t, d, id, 1, "Ada", map[string]string{"S01": "12", "S08": "90"}))
	one := lineOf(t, d, id, "S01", "A-02")
	queue := func() (out []string) {
		page, err := d.Variances.Variances(ctx, nell, id, desk.Filter{Show: "all", Limit: 10})
		require.NoError(t, err)
		for _, l := range page.Lines {
			out = append(out, fmt.Sprintf("%s %s %v", l.SKU, l.Variance, l.Disputed))
		}
		return out
	}
	again := func(who, counted string) {
		made, err := d.Plan.Recount(ctx, nell, id, plan.Again{Lines: []int64{one.Pos}})
		require.NoError(t, err)
		require.NoError(t, typedOn(t, d, id, made.Sheets[0], who, map[string]string{"S01": counted}))
	}
	again("Bo", "11")
	assert.Equal(t, []string{"S08 80 false", "S01 1 false"}, queue())
	again("Cy", "13")
	assert.Equal(t, []string{"S01 3 true", "S08 80 false"}, queue())
	_, err := d.Variances.Decide(ctx, nell, id, []int64{one.Pos}, "accept", "")
	require.NoError(t, err)
	assert.Equal(t, []string{"S01 3 true", "S08 80 false"}, queue())
	page, err := d.Variances.Variances(ctx, nell, id, desk.Filter{Show: "all", Limit: 1})
	require.NoError(t, err)
	page, err = d.Variances.Variances(ctx, nell, id, desk.Filter{Show: "all", Limit: 1, After: page.Next})
	require.NoError(t, err)
	assert.Equal(t, "S08", page.Lines[0].SKU)
	again("Di", "11")
	assert.Equal(t, []string{"S08 80 false", "S01 1 false"}, queue())
}

// Uncounted lines are given out again by zone or sheet, but for those on sheets that are still to come.
func TestUncountedGivenOutAgain(t *testing.T) {
	d := at(t)
	d.Now = func() time.Time { return time.Date(2026, 11, 20, 18, 0, 0, 0, time.UTC) }
	id := twelve(t, d, 1, plan.Cut{By: "size", Rows: 5}) // sheets of 4, 5 and 3 lines
	see := func(part count.UncountedPart) []int {
		u, err := d.Variances.SeeUncounted(ctx, nell, id, part)
		require.NoError(t, err)
		return []int{u.Lines, u.Returned}
	}
	assert.Equal(t, []int{12, 0}, see(count.UncountedPart{}), "all are still to come")
	_, err := d.Plan.RecountUncounted(ctx, nell, id, count.UncountedPart{}, 0)
	require.ErrorContains(t, err, "no uncounted line here")
	require.NoError(t, d.Counting.HandOut(ctx, nell, id, counting.Handing{Sheets: []int{1, 2}, Counter: "Ada"}))
	require.NoError(t, typedOn(t, d, id, 1, "Ada", map[string]string{"S00": "10", "S03": "0"}))
	require.NoError(t, d.Counting.TakeBack(ctx, nell, id, []int{1}, true))
	assert.Equal(t, []int{10, 2}, see(count.UncountedPart{}))
	assert.Equal(t, []int{2, 2}, see(count.UncountedPart{Sheet: 1}))
	assert.Equal(t, []int{5, 0}, see(count.UncountedPart{Sheet: 2}))
	none := "No such zone"
	assert.Equal(t, []int{0, 0}, see(count.UncountedPart{Zone: &none}))
	_, err = d.Variances.SeeUncounted(ctx, nell, id, count.UncountedPart{Sheet: 77})
	require.ErrorContains(t, err, "sheet")
	_, err = d.Plan.RecountUncounted(ctx, nell, id, count.UncountedPart{}, 10)
	require.ErrorContains(t, err, "It is 2 lines now, not 10")

	made, err := d.Plan.RecountUncounted(ctx, nell, id, count.UncountedPart{}, 2)
	require.NoError(t, err)
	assert.Equal(t, plan.AgainMade{Sheets: []int{4}, Lines: 2, Round: 1}, made)
	assert.Equal(t, []int{10, 0}, see(count.UncountedPart{}), "they are on their way again")
	assert.Equal(t, []int{2, 0}, see(count.UncountedPart{Sheet: 4}))
	require.NoError(t, typedOn(t, d, id, 4, "Ada", map[string]string{"S01": "10", "S02": "9"}), "nobody counted them, so anybody may")
	assert.Equal(t, []int{8, 0}, see(count.UncountedPart{}))
	two := lineOf(t, d, id, "S02", "A-03")
	assert.Equal(t, []string{"9", "short"}, []string{two.Counted.String(), two.Status})
}
