package house_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/desk/counting"
	"wobin/internal/desk/house"
	"wobin/internal/desk/intake"
	"wobin/internal/desk/plan"
	"wobin/internal/store"
)

// A count that was frozen by mistake goes away as a whole: it is listed nowhere, holds nothing up and keeps nobody blind. Its number and
// the codes of its sheets are not given again, and what comes back on them is told why it is not taken.
func TestCountFrozenByMistakeIsDiscarded(t *testing.T) {
	d := at(t)
	id := frozen(t, d, true)
	before, err := allSheets(d, id)
	require.NoError(t, err)
	row := lineOf(t, d, id, "ROPE", "A-1-1").RowCode

	refused := func(err error, kind desk.Kind) {
		t.Helper()
		var r *desk.Refusal
		require.ErrorAs(t, err, &r)
		assert.Equal(t, kind, r.Kind, r.Error())
	}
	refused(d.Plan.Discard(ctx, nell, id, 3), desk.Changed)
	require.ErrorIs(t, d.Plan.Discard(ctx, desk.Person{ID: 9, Name: "Bo", Role: "counter"}, id, 4), desk.ErrMayNot)
	require.NoError(t, d.Plan.Discard(ctx, nell, id, 4))

	_, err = d.Today.Count(ctx, nell, id)
	refused(err, desk.Ended)
	today, err := d.Today.Today(ctx, nell)
	require.NoError(t, err)
	assert.Empty(t, today.Counts)
	_, err = d.Counting.TypeIn(ctx, nell, id, "", "UTC", []counting.Typed{{RowCode: row, Quantity: whole(3)}})
	refused(err, desk.Ended)
	assert.Contains(t, err.Error(), `"Count" was discarded`)
	refused(d.Plan.Rename(ctx, nell, id, "Another"), desk.Ended)
	refused(d.Plan.Discard(ctx, nell, id, 4), desk.Ended)
	require.NoError(t, d.Store.ClearDiscarded(ctx), "and what is done behind the answer is done by then, or twice")
	for _, table := range []string{"count_lines", "count_items", "count_tallies"} {
		assert.Zero(t, tally(t, d, "SELECT count(*) FROM "+table), table)
	}

	again, err := d.Plan.Freeze(ctx, nell, plan.NewCount{Name: "Count", Scope: count.Scope{Warehouse: 1}, Cut: plan.Cut{Rows: 50}})
	require.NoError(t, err)
	assert.Greater(t, again.ID, id)
	after, err := allSheets(d, again.ID)
	require.NoError(t, err)
	assert.NotEqual(t, before[0].Code, after[0].Code)
	takeCounts(t, d, again.ID, "W,A-1-1,ROPE,,9,2026-11-20T08:00:00Z\n")
}

// What was done in a count stays: it is not discarded once anything was counted in it, withdrawn or not.
func TestCountThatWasTouchedIsNotDiscarded(t *testing.T) {
	for name, touch := range map[string]func(d *house.House, id int64) error{
		"counted": func(d *house.House, id int64) error {
			_, err := d.Counting.TypeIn(ctx, nell, id, "", "UTC", []counting.Typed{{RowCode: lineOf(t, d, id, "ROPE", "A-1-1").RowCode, Quantity: whole(3)}})
			return err
		},
		"returned and undone": func(d *house.House, id int64) error {
			dr := look(t, d, "counts.csv", counts("W,A-1-1,ROPE,,9,2026-11-20T08:00:00Z\n"), intake.Choices{Count: id})
			out, err := d.Intake.TakeIn(ctx, nell, dr.ID, "", 0)
			require.NoError(t, err)
			return d.Counting.UndoReturn(ctx, nell, id, out.Return)
		},
		"noted": func(d *house.House, id int64) error { return d.Variances.AddNote(ctx, nell, id, 1, "behind the door") },
	} {
		t.Run(name, func(t *testing.T) {
			d := at(t)
			id := frozen(t, d, false)
			require.NoError(t, touch(d, id))
			var r *desk.Refusal
			require.ErrorAs(t, d.Plan.Discard(ctx, nell, id, 4), &r)
			assert.Equal(t, desk.Ended, r.Kind)
			c, err := d.Today.Count(ctx, nell, id)
			require.NoError(t, err)
			assert.Equal(t, "running", c.State)
		})
	}
}

// Lines that a discarding did not get to take away before the program ended go at the next start, and those of other counts stay.
func TestDiscardingIsEndedByAStart(t *testing.T) {
	d, restart := restartable(t)
	id := frozen(t, d, false)
	kept, err := d.Plan.Freeze(ctx, nell, plan.NewCount{Name: "Kept", Scope: count.Scope{Warehouse: 1}, Cut: plan.Cut{Rows: 50}})
	require.NoError(t, err)
	require.NoError(t, d.Store.Write(ctx, func(tx *store.Tx) error {
		return tx.Exec("UPDATE counts SET state = 'discarded' WHERE id = ?", id).Error
	}))
	d = restart()
	assert.Zero(t, tally(t, d, "SELECT count(*) FROM count_lines WHERE count_id = 1"))
	assert.Equal(t, kept.Lines, tally(t, d, "SELECT count(*) FROM count_lines WHERE count_id = 2"))
}

// A running count can be called something else, and the record tells what it was called.
func TestCountIsRenamed(t *testing.T) {
	d := at(t)
	id := frozen(t, d, false)
	require.NoError(t, d.Plan.Rename(ctx, nell, id, "  Quay, by night "))
	c, err := d.Today.Count(ctx, nell, id)
	require.NoError(t, err)
	assert.Equal(t, "Quay, by night", c.Name)
	var r *desk.Refusal
	require.ErrorAs(t, d.Plan.Rename(ctx, nell, id, " "), &r)
	assert.Equal(t, "name", r.Field)
	require.ErrorAs(t, d.Plan.Rename(ctx, nell, id, "Quay, by night"), &r)
	assert.Equal(t, 1, tally(t, d, `SELECT count(*) FROM chain WHERE what = 'count renamed' AND detail LIKE '%"was":"Count"%'`))
}
