package house_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/desk/counting"
	"wobin/internal/desk/intake"
	"wobin/internal/desk/plan"
)

// Two rounds by different people: each has sheets of its own over the same lines; a line is counted when both say the
// same, the stock having moved or not in between.
func TestTwoRounds(t *testing.T) {
	d := at(t)
	d.Now = func() time.Time { return time.Date(2026, 11, 20, 18, 0, 0, 0, time.UTC) }
	text := "warehouse,bin,sku,on hand,unit cost,as at\n"
	for i := range 12 {
		text += fmt.Sprintf("W,A-%02d,S%02d,10,1,2026-11-20T06:00:00Z\n", i+1, i)
	}
	take(t, d, "stock.csv", text)
	n := plan.NewCount{
		Name:   "Twice",
		Scope:  count.Scope{Warehouse: 1},
		Rounds: 2,
		Cut:    plan.Cut{By: "people", Rows: 50, For: []string{"Ada"}},
	}
	_, err := d.Plan.Freeze(ctx, nell, n)
	require.ErrorContains(t, err, "at least two")
	n.For = []string{"Ada", "Bo"}
	c, err := d.Plan.Freeze(ctx, nell, n)
	require.NoError(t, err)
	require.Equal(t, 4, c.Sheets)
	sheets, err := allSheets(d, c.ID)
	require.NoError(t, err)
	var said []string
	for _, s := range sheets {
		said = append(said, fmt.Sprint(s.Number, s.Round, s.Counter, s.FirstBin))
	}
	assert.Equal(t, []string{"1 1AdaA-01", "2 1BoA-07", "3 2BoA-01", "4 2AdaA-07"}, said)
	require.ErrorContains(t, d.Counting.HandOut(ctx, nell, c.ID, counting.Handing{Sheets: []int{1}, Counter: "bo"}), "different people")
	require.NoError(t, d.Counting.HandOut(ctx, nell, c.ID, counting.Handing{Sheets: []int{1, 4}, Counter: "Ada"}))

	lines := func(sheet int) []count.VarianceLine {
		page, err := d.Counting.CountLines(ctx, nell, c.ID, desk.Filter{Sheet: sheet, Limit: 100})
		require.NoError(t, err)
		return page.Lines
	}
	typed := func(sheet, row int, text, at string) {
		t.Helper()
		l := lines(sheet)[row]
		require.True(t, strings.HasPrefix(l.RowCode, fmt.Sprintf("W%dS%dR%d", c.ID, sheet, row+1)), l.RowCode)
		who := map[bool]string{true: "Ada", false: "Bo"}[sheet == 1 || sheet == 4]
		_, err := d.Counting.TypeIn(
			ctx,
			nell,
			c.ID,
			"",
			"UTC",
			[]counting.Typed{{RowCode: l.RowCode, Text: text, CountedAt: at, Counter: who}},
		)
		require.NoError(t, err)
	}
	stages := func() []int {
		s, err := d.Today.Count(ctx, nell, c.ID)
		require.NoError(t, err)
		return []int{s.Counted, s.Once, s.Differ, s.Open}
	}
	typed(1, 0, "10", "2026-11-20 10:00")
	typed(1, 1, "9", "2026-11-20 10:00")
	typed(1, 2, "10", "2026-11-20 10:00")
	assert.Equal(t, []int{0, 3, 0, 0}, stages(), "one round alone counts nothing")
	for _, l := range lines(3) {
		assert.Nil(t, l.Counted, "the first round is not in sight of the second")
		assert.Zero(t, l.Entries)
	}
	sheets, err = allSheets(d, c.ID)
	require.NoError(t, err)
	assert.Equal(t, []int{3, 0, 0, 0}, []int{sheets[0].Counted, sheets[1].Counted, sheets[2].Counted, sheets[3].Counted})
	// The third moved in between, by what both rounds see.
	take(t, d, "moves.csv", "warehouse,bin,sku,quantity,at,reference\nW,A-03,S02,-4,2026-11-20T11:00:00Z,m1\n")
	typed(3, 0, "10", "2026-11-20 12:00")
	typed(3, 1, "8", "2026-11-20 12:00")
	typed(3, 2, "6", "2026-11-20 12:00")
	assert.Equal(t, []int{2, 0, 1, 0}, stages(), "the first and the third agree, the second does not")
	sheets, err = allSheets(d, c.ID)
	require.NoError(t, err)
	assert.Equal(t, []int{3, 0, 3, 0}, []int{sheets[0].Counted, sheets[1].Counted, sheets[2].Counted, sheets[3].Counted})
	_, err = d.Counting.TypeIn(
		ctx,
		nell,
		c.ID,
		"",
		"UTC",
		[]counting.Typed{{RowCode: lines(3)[1].RowCode, Text: "9", CountedAt: "2026-11-20 12:00", Counter: "ada"}},
	)
	require.ErrorContains(t, err, "ada counted it in the other round, too")
	page, err := d.Counting.Differing(ctx, nell, c.ID, false, "")
	require.NoError(t, err)
	require.Len(t, page.Lines, 1)
	x := page.Lines[0]
	assert.Equal(
		t,
		[]any{1, "9", 3, "8"},
		[]any{x.Rounds[0].Sheet, x.Rounds[0].Quantity.String(), x.Rounds[1].Sheet, x.Rounds[1].Quantity.String()},
	)
	typed(1, 1, "8", "2026-11-20 10:00") // looked at once more: the second was right
	assert.Equal(t, []int{3, 0, 0, 1}, stages())
	assert.Equal(t, "-2", lineOf(t, d, c.ID, "S01", "A-02").Variance.String())

	// A sheet of the second round comes back as a file, after it was parted.
	_, paper, err := d.Counting.WriteSheet(ctx, nell, c.ID, 4, counting.AsText)
	require.NoError(t, err)
	assert.Contains(t, string(paper), "second count")
	five, err := d.Plan.Part(ctx, nell, c.ID, 4, "A-10", "Cy")
	require.NoError(t, err)
	assert.Equal(t, 6, len(lines(2)), "that of the first round is as it was")
	filled := strings.Replace(strings.ReplaceAll(string(paper), ",10,,", ",10,10,2026-11-20T12:00:00Z"), "Counted by,", "Counted by,Ada", 1)
	dr := look(t, d, "second.csv", filled, intake.Choices{})
	require.Empty(t, dr.Problems, dr.Blocked)
	require.Equal(t, 6, dr.Effect.Added)
	takeDraft(t, d, dr)
	assert.Equal(t, []int{3, 6, 0, 1}, stages())
	sheets, err = allSheets(d, c.ID)
	require.NoError(t, err)
	assert.Equal(t, []int{0, 3, 3}, []int{sheets[1].Counted, sheets[3].Counted, sheets[4].Counted})
	assert.Equal(t, []string{"back", "back"}, []string{sheets[3].State, sheets[4].State})
	assert.Equal(t, five, sheets[4].Number)
	dr = look(t, d, "second again.csv", filled, intake.Choices{})
	assert.Equal(t, []int{0, 0, 6, 0, 0, 0}, effect(dr), "a copy says the same again")
	_, first, err := d.Counting.WriteSheet(ctx, nell, c.ID, 2, counting.AsText)
	require.NoError(t, err)
	for who, asked := range map[string]int{"Ada": 1, "Bo": 0} {
		dr = look(
			t,
			d,
			"first.csv",
			strings.Replace(strings.ReplaceAll(string(first), ",10,,", ",10,10,2026-11-20T12:30:00Z"), "Counted by,", "Counted by,"+who, 1),
			intake.Choices{},
		)
		require.Len(t, dr.Sheets[0].Checks, asked, who)
		assert.Equal(t, asked == 1, strings.Contains(dr.Blocked, "6 lines of it were counted by the same person"), dr.Blocked)
	}
	require.ErrorContains(t, d.Plan.LetGo(ctx, nell, c.ID, []int{2}), "Something of sheet 2 was counted")
	_, err = d.Safety.Verify(ctx, nell)
	require.NoError(t, err)
}
