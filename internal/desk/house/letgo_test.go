package house_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/desk/counting"
	"wobin/internal/desk/house"
	"wobin/internal/desk/plan"
)

// twelve freezes a count of twelve bins with a line each; two of three further bins are empty.
func twelve(t *testing.T, d *house.House, rounds int, cut plan.Cut) int64 {
	t.Helper()
	text := "warehouse,bin,sku,on hand,unit cost,as at\n"
	for i := range 12 {
		text += fmt.Sprintf("W,A-%02d,S%02d,10,1,2026-11-20T06:00:00Z\n", i+1, i)
	}
	take(t, d, "places.csv", "warehouse,bin\nW,A-13\nW,A-14\n")
	take(t, d, "stock.csv", text)
	c, err := d.Plan.Freeze(ctx, nell, plan.NewCount{Name: "Twelve", Scope: count.Scope{Warehouse: 1}, Rounds: rounds, Cut: cut})
	require.NoError(t, err)
	return c.ID
}

// shape tells of every sheet that is listed its number, state and rows.
func shape(t *testing.T, d *house.House, id int64) (out []string) {
	t.Helper()
	sheets, err := allSheets(d, id)
	require.NoError(t, err)
	for _, s := range sheets {
		out = append(out, fmt.Sprintf("%d %s %d", s.Number, s.State, s.Lines))
	}
	return out
}

// A sheet that was parted and then let go has its own part alone when it is taken up again.
func TestLetGoOfAPart(t *testing.T) {
	d := at(t)
	id := twelve(t, d, 1, plan.Cut{By: "size", Rows: 8})
	before, err := d.Today.Count(ctx, nell, id)
	require.NoError(t, err)
	three, err := d.Plan.Part(ctx, nell, id, 1, "A-04", "")
	require.NoError(t, err)
	whole := shape(t, d, id)
	require.NoError(t, d.Plan.LetGo(ctx, nell, id, []int{1, three}))
	gone, err := d.Today.Count(ctx, nell, id)
	require.NoError(t, err)
	assert.Equal(t, []int{before.Lines - 7, 1}, []int{gone.Lines, gone.Sheets})
	require.NoError(t, d.Plan.TakeUp(ctx, nell, id, []int{1}))
	assert.Equal(t, []string{"1 with us 3", "2 with us 5", fmt.Sprintf("%d let go 4", three)}, shape(t, d, id))
	some, err := d.Today.Count(ctx, nell, id)
	require.NoError(t, err)
	assert.Equal(t, before.Lines-4, some.Lines, "the lines of the other part stay out")
	require.NoError(t, d.Plan.TakeUp(ctx, nell, id, []int{three}))
	assert.Equal(t, whole, shape(t, d, id))
	again, err := d.Today.Count(ctx, nell, id)
	require.NoError(t, err)
	assert.Equal(t, before.Lines, again.Lines)
}

// Of a count of two rounds the sheets of both rounds go, and come, together; where the other round has further lines on its
// sheets that is said, and nothing is done.
func TestLetGoInTwoRounds(t *testing.T) {
	d := at(t)
	id := twelve(t, d, 2, plan.Cut{By: "people", Rows: 50, For: []string{"Ada", "Bo"}})
	before, err := d.Today.Count(ctx, nell, id)
	require.NoError(t, err)
	whole := shape(t, d, id)
	require.Len(t, whole, 4)
	require.NoError(t, d.Plan.LetGo(ctx, nell, id, []int{2}))
	gone, err := d.Today.Count(ctx, nell, id)
	require.NoError(t, err)
	assert.Equal(t, 2, gone.Sheets, "that of the other round is gone, too")
	left := gone.Lines
	assert.Less(t, left, before.Lines)
	// What is counted of the rest by both is counted; of what was let go nobody waits for anything.
	page, err := d.Counting.CountLines(ctx, nell, id, desk.Filter{Sheet: 1, Limit: 100})
	require.NoError(t, err)
	assert.Len(t, page.Lines, left)
	for _, sheet := range []int{1, 3} {
		page, err := d.Counting.CountLines(ctx, nell, id, desk.Filter{Sheet: sheet, Limit: 100})
		require.NoError(t, err)
		var typed []counting.Typed
		for _, l := range page.Lines {
			typed = append(typed, counting.Typed{RowCode: l.RowCode, Text: "10", Counter: map[int]string{1: "Ada", 3: "Bo"}[sheet]})
		}
		_, err = d.Counting.TypeIn(ctx, nell, id, "", "UTC", typed)
		require.NoError(t, err)
	}
	done, err := d.Today.Count(ctx, nell, id)
	require.NoError(t, err)
	assert.Equal(t, []int{left, 0, 0}, []int{done.Counted, done.Uncounted, done.Once})
	require.NoError(t, d.Plan.TakeUp(ctx, nell, id, []int{4}))
	again, err := d.Today.Count(ctx, nell, id)
	require.NoError(t, err)
	assert.Equal(t, []int{before.Lines, 4, before.Lines - left}, []int{again.Lines, again.Sheets, again.Uncounted})
	sheets, err := allSheets(d, id)
	require.NoError(t, err)
	assert.Equal(t, []int{left, 0, left, 0}, []int{sheets[0].Counted, sheets[1].Counted, sheets[2].Counted, sheets[3].Counted})

	five, err := d.Plan.Part(ctx, nell, id, 2, "A-10", "")
	require.NoError(t, err)
	require.ErrorContains(t, d.Plan.LetGo(ctx, nell, id, []int{five}), "on sheets with further ones (sheet 4)")
	six, err := d.Plan.Part(ctx, nell, id, 4, "A-10", "")
	require.NoError(t, err)
	require.NoError(t, d.Plan.LetGo(ctx, nell, id, []int{six}))
	sheets, err = allSheets(d, id)
	require.NoError(t, err)
	assert.Equal(t, []string{"with us", "let go", "let go"}, []string{sheets[3].State, sheets[4].State, sheets[5].State})
	require.NoError(t, d.Plan.TakeUp(ctx, nell, id, []int{five}))
	last, err := d.Today.Count(ctx, nell, id)
	require.NoError(t, err)
	assert.Equal(t, before.Lines, last.Lines)
}

// A sheet of which a line is being counted again is not let go, whichever of its lines that is.
func TestSheetsWithRecountsAreNotLetGo(t *testing.T) {
	d := at(t)
	d.Now = func() time.Time { return time.Date(2026, 11, 20, 18, 0, 0, 0, time.UTC) }
	id := twelve(t, d, 1, plan.Cut{By: "size", Rows: 5}) // sheets of 4, 5 and 3 lines
	require.NoError(t, typedOn(t, d, id, 1, "Ada", map[string]string{"S00": "9"}))
	require.NoError(t, typedOn(t, d, id, 2, "Ada", map[string]string{"S08": "9"}))
	first, last := lineOf(t, d, id, "S00", "A-01"), lineOf(t, d, id, "S08", "A-09")
	_, err := d.Plan.Recount(ctx, nell, id, plan.Again{Lines: []int64{first.Pos, last.Pos}})
	require.NoError(t, err)
	for _, sheet := range []int{1, 2} {
		require.ErrorContains(t, d.Plan.LetGo(ctx, nell, id, []int{sheet}), fmt.Sprintf("Lines of sheet %d are on sheet 4 to be counted again", sheet))
	}
	require.NoError(t, d.Plan.LetGo(ctx, nell, id, []int{3}))
}
