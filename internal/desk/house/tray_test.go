package house_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/core/quantity"
	"wobin/internal/desk"
	"wobin/internal/desk/adjustments"
	"wobin/internal/desk/count"
	"wobin/internal/desk/counting"
	"wobin/internal/desk/house"
	"wobin/internal/desk/intake"
)

func waits(t *testing.T, d *house.House, id int64) counting.Tray {
	t.Helper()
	tray, err := d.Counting.Tray(ctx, nell, id, false, "")
	require.NoError(t, err)
	require.Len(t, tray.Doubts, tray.Waits)
	return tray
}

// Rows that cannot be taken as counts hold nothing up: they wait in the tray, with what was written, until somebody says what they are.
func TestTray(t *testing.T) {
	d := at(t)
	id := frozen(t, d, false)
	first := lineOf(t, d, id, "ROPE", "A-1-1")
	file := "row code,bin,sku,counted,counted at\n" +
		first.RowCode + ",A-1-1,ROPE,99,2026-11-20T10:00:00Z\n" +
		first.RowCode + ",A-1-1,ROPE,3,2026-11-20T10:00:00Z\n" + // copied twice
		",A-1-2,WHAT,7,2026-11-20T10:00:00Z\n" + // an item that nobody knows
		",Q-9,SHK,1,2026-11-20T10:00:00Z\n" // a bin that there is not
	dr := look(t, d, "s.csv", file, intake.Choices{})
	require.Equal(t, 3, dr.Effect.Refused)
	takeDraft(t, d, dr)
	tray := waits(t, d, id)
	require.Equal(t, 3, tray.Waits)
	by := map[string]counting.DoubtView{}
	for _, x := range tray.Doubts {
		by[x.Kind] = x
		assert.Equal(t, "s.csv", x.File)
		assert.Equal(t, 2, x.Sheet)
	}
	assert.Equal(t, count.Written{Bin: "A-1-2", SKU: "WHAT", Quantity: "7", CountedAt: "2026-11-20T10:00:00Z"}, by["unknown sku"].Written)
	assert.Equal(t, []string{"", "Q-9", "SHK", "1", "2026-11-20T10:00:00Z"}, by["unknown bin"].Cells)
	assert.Contains(t, by["row code twice"].Wrong, "comes twice in this file, first in row 2")
	s, err := d.Today.Count(ctx, nell, id)
	require.NoError(t, err)
	assert.Equal(t, 3, s.Doubts)

	// A copy of the file puts nothing there twice, and neither does another version of it that is wrong in the same rows.
	takeDraft(t, d, look(t, d, "copy.csv", strings.Replace(file, "99", "98", 1), intake.Choices{}))
	assert.Equal(t, 3, waits(t, d, id).Waits)

	// What waits is never put in the place of a count unseen.
	twice := by["row code twice"]
	_, err = d.Counting.EnterDoubt(ctx, nell, id, twice.ID, "UTC", counting.Typed{RowCode: first.RowCode, Text: "3"})
	var refused *desk.Refusal
	require.ErrorAs(t, err, &refused)
	assert.Equal(t, []any{desk.Asks, "again"}, []any{refused.Kind, refused.Field})
	_, err = d.Counting.EnterDoubt(
		ctx,
		nell,
		id,
		twice.ID,
		"UTC",
		counting.Typed{RowCode: first.RowCode, Text: "3", Again: count.AddUp, CountedAt: "2026-11-20 10:00"},
	)
	require.NoError(t, err)
	assert.Equal(t, "101", lineOf(t, d, id, "ROPE", "A-1-1").Counted.String())
	_, err = d.Counting.EnterDoubt(ctx, nell, id, twice.ID, "UTC", counting.Typed{RowCode: first.RowCode, Text: "3", Again: count.AddUp})
	require.ErrorContains(t, err, "settled meanwhile")

	// Where and what it is can be said in place of a row code.
	unknown := by["unknown sku"]
	_, err = d.Counting.EnterDoubt(
		ctx,
		nell,
		id,
		unknown.ID,
		"UTC",
		counting.Typed{Found: &counting.Found{Sheet: 2, Bin: "A-1-2", SKU: "SHK"}},
	)
	require.ErrorContains(t, err, "how many")
	_, err = d.Counting.EnterDoubt(
		ctx,
		nell,
		id,
		unknown.ID,
		"UTC",
		counting.Typed{Found: &counting.Found{Sheet: 2, Bin: "A-1-2", SKU: "SHK"}, Text: "7"},
	)
	require.NoError(t, err)
	assert.Equal(t, "7", lineOf(t, d, id, "SHK", "A-1-2").Counted.String())

	require.ErrorContains(t, d.Counting.DropDoubts(ctx, nell, id, []int64{by["unknown bin"].ID}, " "), "in a word")
	require.NoError(t, d.Counting.DropDoubts(ctx, nell, id, []int64{by["unknown bin"].ID}, "another site"))
	assert.Zero(t, waits(t, d, id).Waits)
	settled, err := d.Counting.Tray(ctx, nell, id, true, "")
	require.NoError(t, err)
	require.Len(t, settled.Doubts, 3)
	words := map[string]string{}
	for _, x := range settled.Doubts {
		words[x.Kind] = x.State + " " + x.Word + x.Line
	}
	assert.Equal(t, "dropped another site", words["unknown bin"])
	assert.Contains(t, words["unknown sku"], "entered ")
	assert.Contains(t, words["unknown sku"], "SHK")
	require.NoError(t, d.Counting.TakeUpDoubt(ctx, nell, id, by["unknown bin"].ID))
	require.Error(t, d.Counting.TakeUpDoubt(ctx, nell, id, unknown.ID), "what was entered is a count")
	assert.Equal(t, 1, waits(t, d, id).Waits)

	// A count is not finished over what waits without a word.
	var asks *desk.Refusal
	require.ErrorAs(t, d.Adjustments.Finish(ctx, nell, id, adjustments.Left{}), &asks)
}

// What is right in a later version of a sheet waits no more; a file that is taken back takes what waits of it along.
func TestTrayFollowsFiles(t *testing.T) {
	d := at(t)
	id := frozen(t, d, false)
	first := lineOf(t, d, id, "ROPE", "A-1-1")
	head := "row code,bin,sku,counted,counted at\n"
	wrong := head + first.RowCode + ",B-9-9,ROPE,99,2026-11-20T10:00:00Z\n"
	takeDraft(t, d, look(t, d, "s.csv", wrong, intake.Choices{}))
	require.Equal(t, 1, waits(t, d, id).Waits, "a file of doubts alone is kept, too")
	takeDraft(t, d, look(t, d, "s.csv", head+first.RowCode+",A-1-1,ROPE,99,2026-11-20T10:00:00Z\n", intake.Choices{}))
	assert.Zero(t, waits(t, d, id).Waits)
	settled, err := d.Counting.Tray(ctx, nell, id, true, "")
	require.NoError(t, err)
	assert.Equal(t, "replaced", settled.Doubts[0].State)

	out := takeDraft(
		t,
		d,
		look(t, d, "other.csv", head+",Q,ROPE,1,2026-11-20T10:00:00Z\n,A-1-2,SHK,4,2026-11-20T10:00:00Z\n", intake.Choices{Count: id}),
	)
	require.Equal(t, 1, waits(t, d, id).Waits)
	require.NoError(t, d.Counting.UndoReturn(ctx, nell, id, out.Return))
	assert.Zero(t, waits(t, d, id).Waits)

	require.Error(t, d.Counting.NoteDoubt(ctx, nell, "noted-none", id, 1, count.Written{}, ""))
	brass := count.Written{Bin: "A-1-1", Description: "a brass thing", Quantity: "2"}
	for range 2 { // sent twice, there once
		require.NoError(t, d.Counting.NoteDoubt(ctx, nell, "noted-brass", id, 1, brass, "nobody knows what it is"))
	}
	brass.Quantity = "3"
	require.Error(t, d.Counting.NoteDoubt(ctx, nell, "noted-brass", id, 1, brass, "nobody knows what it is"))
	tray := waits(t, d, id)
	require.Equal(t, 1, tray.Waits)
	assert.Equal(t, "a brass thing", tray.Doubts[0].Written.Description)
	assert.Equal(t, "nobody knows what it is", tray.Doubts[0].Wrong)
}

// A revision is taken row by row, where not all of it is to be; and before it is taken in it says how far a file is off.
func TestRevisionByRows(t *testing.T) {
	d := at(t)
	id := frozen(t, d, true)
	rope, shackles := lineOf(t, d, id, "ROPE", "A-1-1").RowCode, lineOf(t, d, id, "SHK", "A-1-2").RowCode
	file := func(a, b string) string {
		return "row code,bin,sku,counted,counted at\n" + rope + ",A-1-1,ROPE," + a + ",2026-11-20T10:00:00Z\n" + shackles + ",A-1-2,SHK," + b + ",2026-11-20T10:00:00Z\n"
	}
	takeDraft(t, d, look(t, d, "s.csv", file("9", "40"), intake.Choices{}))
	dr := look(t, d, "s2.csv", file("8", "41.5"), intake.Choices{})
	back := dr.Sheets[0].Backs[0]
	assert.Equal(t, 2, back.Revised)
	assert.Equal(t, &intake.Off{Lines: 2, Off: 2, Over: 15 * quantity.Scale / 10, Short: -2 * quantity.Scale}, back.Off)
	dr, err := d.Intake.Settle(ctx, nell, dr.ID, intake.Answer{Stays: &[]int{3}})
	require.NoError(t, err)
	back = dr.Sheets[0].Backs[0]
	assert.Equal(t, []bool{false, true}, []bool{back.Revisions[0].Stays, back.Revisions[1].Stays})
	assert.Equal(t, []int{0, 1, 0, 0, 0, 0}, effect(dr))
	takeDraft(t, d, dr)
	assert.Equal(
		t,
		[]string{"8", "40"},
		[]string{lineOf(t, d, id, "ROPE", "A-1-1").Counted.String(), lineOf(t, d, id, "SHK", "A-1-2").Counted.String()},
	)

	// A counter of a blind count is told nothing that follows from what is recorded.
	counter := desk.Person{ID: nell.ID + 1, Name: "Cap", Role: "counter"}
	seen, err := d.Intake.Upload(ctx, counter, "s3.csv", strings.NewReader(file("7", "1")), intake.Choices{Zone: "UTC"})
	require.NoError(t, err)
	assert.Nil(t, seen.Sheets[0].Backs[0].Off)
}

// What is counted elsewhere already can wait in the tray row by row while the rest is taken in; there each row says what stands, and is
// entered with its own time, or dropped.
func TestTrayOfCountedElsewhere(t *testing.T) {
	d := at(t)
	id := frozen(t, d, false)
	rope, shackle := lineOf(t, d, id, "ROPE", "A-1-1"), lineOf(t, d, id, "SHK", "A-1-2")
	takeDraft(
		t,
		d,
		look(t, d, "free.csv", "bin,sku,counted,counted at\nA-1-1,ROPE,4,2026-11-20T09:00:00Z\nA-1-2,SHK,40,2026-11-20T09:00:00Z\n",
			intake.Choices{Count: id}),
	)
	paint := lineOf(t, d, id, "PAINT", "B-1-2")
	dr := look(t, d, "sheet.csv", "Counted from,2026-11-20 10:00\nCounted to,2026-11-20 11:00\nCounted by,Ada\n\nrow code,bin,sku,counted\n"+
		rope.RowCode+",A-1-1,ROPE,6\n"+shackle.RowCode+",A-1-2,SHK,41\n"+paint.RowCode+",B-1-2,PAINT,6\n", intake.Choices{Zone: "UTC"})
	require.Contains(t, dr.Blocked, "counted already")
	dr, err := d.Intake.Settle(ctx, nell, dr.ID, intake.Answer{Check: "again", Value: "tray"})
	require.NoError(t, err)
	require.Empty(t, dr.Blocked)
	assert.Equal(t, []int{1, 2}, []int{dr.Effect.Added, dr.Effect.Tray})
	out := takeDraft(t, d, dr)
	assert.Equal(t, []int{1, 2}, []int{out.Added, out.Refused})
	assert.Equal(t, "4", lineOf(t, d, id, "ROPE", "A-1-1").Counted.String(), "nothing was decided yet")
	tray := waits(t, d, id)
	require.Len(t, tray.Doubts, 2)
	by := map[string]counting.DoubtView{}
	for _, x := range tray.Doubts {
		assert.Equal(t, "counted elsewhere", x.Kind)
		by[x.Written.SKU] = x
	}
	assert.Equal(t, "Counted already: 4 by somebody", by["ROPE"].Wrong)
	assert.Equal(t, count.Written{RowCode: rope.RowCode, Bin: "A-1-1", SKU: "ROPE", Quantity: "6", Counter: "Ada",
		CountedAt: "2026-11-20T11:00:00Z", Since: "2026-11-20T10:00:00Z"}, by["ROPE"].Written)
	_, err = d.Counting.EnterDoubt(ctx, nell, id, by["ROPE"].ID, "UTC", counting.Typed{RowCode: rope.RowCode, Text: "6"})
	require.ErrorContains(t, err, "Say whether both add up")
	_, err = d.Counting.EnterDoubt(ctx, nell, id, by["ROPE"].ID, "UTC", counting.Typed{RowCode: rope.RowCode, Text: "6", Again: count.AddUp})
	require.NoError(t, err)
	now := lineOf(t, d, id, "ROPE", "A-1-1")
	assert.Equal(t, []string{"10", "Ada", "2026-11-20 11:00"},
		[]string{now.Counted.String(), now.Counter, now.CountedAt.UTC().Format("2006-01-02 15:04")}, "as the paper says, and not as at now")
	var since int64
	require.NoError(t, d.Store.Read(ctx).Raw("SELECT since FROM entries WHERE count_id = ? ORDER BY id DESC LIMIT 1", id).Scan(&since).Error)
	assert.Equal(t, "10:00", desk.Instant(since).UTC().Format("15:04"))
	_, err = d.Counting.EnterDoubt(
		ctx,
		nell,
		id,
		by["SHK"].ID,
		"UTC",
		counting.Typed{RowCode: shackle.RowCode, Text: "41", Again: count.Replace},
	)
	require.NoError(t, err)
	assert.Equal(t, "41", lineOf(t, d, id, "SHK", "A-1-2").Counted.String())
	// A time is understood in whatever form the file writes it.
	takeDraft(
		t,
		d,
		look(t, d, "more.csv", "row code,bin,sku,counted,counted at\n,B-1-2,PAINT,6,20.11.2026 12:30\n,Q-1,ROPE,6,20.11.2026 12:30\n",
			intake.Choices{Count: id, Zone: "UTC", Checks: map[string]string{"again 0": "tray"}}),
	)
	tray = waits(t, d, id)
	require.Len(t, tray.Doubts, 2)
	for _, x := range tray.Doubts {
		assert.Equal(t, "2026-11-20T12:30:00Z", x.Written.CountedAt, x.Kind)
	}
}
