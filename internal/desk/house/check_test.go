package house_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/desk"
	"wobin/internal/desk/counting"
	"wobin/internal/desk/plan"
)

// A sheet typed a second time changes nothing: what differs is shown, and where nothing does, the sheet is checked,
// until something of it changes.
func TestTypedTwice(t *testing.T) {
	d := at(t)
	id := racks(t, d, 10, plan.Cut{By: "size", Rows: 100})
	page, err := d.Counting.CountLines(ctx, nell, id, desk.Filter{})
	require.NoError(t, err)
	var first []counting.Typed
	var second []counting.Twice
	for i, l := range page.Lines {
		first = append(first, counting.Typed{RowCode: l.RowCode, Text: "5", CountedAt: "2026-11-20 10:00"})
		text := map[int]string{0: "4", 1: "2+3"}[i]
		if i > 1 {
			text = "5"
		}
		second = append(second, counting.Twice{RowCode: l.RowCode, Text: text})
	}
	_, err = d.Counting.TypeIn(ctx, nell, id, "", "UTC", first[:len(first)-1]) // the last row is empty on the paper
	require.NoError(t, err)
	wim := desk.Person{ID: nell.ID + 1, Name: "Wim", Role: "counter"}
	got, err := d.Counting.Check(ctx, wim, id, 1, second)
	require.NoError(t, err)
	require.Len(t, got.Differs, 2)
	assert.Equal(t, len(page.Lines)-2, got.Same)
	assert.Equal(
		t,
		[]any{page.Lines[0].RowCode, "5", "4"},
		[]any{got.Differs[0].RowCode, got.Differs[0].First.String(), got.Differs[0].Second.String()},
	)
	assert.Nil(t, got.Differs[1].First)
	sheet := func() counting.SheetView {
		sheets, err := allSheets(d, id)
		require.NoError(t, err)
		return sheets[0]
	}
	assert.Empty(t, sheet().CheckedBy)
	second[0].Text, second[len(second)-1].Text = "5", ""
	got, err = d.Counting.Check(ctx, wim, id, 1, second)
	require.NoError(t, err)
	assert.True(t, got.Checked)
	assert.Equal(t, "Wim", sheet().CheckedBy)
	// The time alone is no other count; another count is.
	_, err = d.Counting.TypeIn(
		ctx,
		nell,
		id,
		"",
		"UTC",
		[]counting.Typed{{RowCode: page.Lines[0].RowCode, Text: "5", CountedAt: "2026-11-20 11:00"}},
	)
	require.NoError(t, err)
	assert.Equal(t, "Wim", sheet().CheckedBy)
	_, err = d.Counting.TypeIn(
		ctx,
		nell,
		id,
		"",
		"UTC",
		[]counting.Typed{{RowCode: page.Lines[0].RowCode, Text: "6", CountedAt: "2026-11-20 11:00"}},
	)
	require.NoError(t, err)
	assert.Empty(t, sheet().CheckedBy)
	_, err = d.Counting.Check(ctx, wim, id, 1, []counting.Twice{{RowCode: page.Lines[0].RowCode, Text: "1ctn"}})
	require.ErrorContains(t, err, "no packs")
	_, err = d.Counting.Check(ctx, wim, id, 9, nil)
	require.Error(t, err)
}
