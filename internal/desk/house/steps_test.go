package house_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/desk/counting"
	"wobin/internal/desk/house"
	"wobin/internal/store"
)

// undoLast undoes the last step of a person that is not undone yet, and gives what it was.
func undoLast(t require.TestingT, d *house.House, p desk.Person, id int64) (string, error) {
	all, err := d.Steps.Steps(ctx, p, id)
	require.NoError(t, err)
	for _, s := range all {
		if !s.Undone {
			done, err := d.Steps.Undo(ctx, p, id, s.ID)
			if err == nil {
				require.Equal(t, s.Words, done.Words)
			}
			return s.Words, err
		}
	}
	return "", nil
}

// A decision that is undone leaves its lines as they were decided before it, the reason too, and undoing goes on from there.
func TestDecisionsAreUndone(t *testing.T) {
	d := at(t)
	id := frozen(t, d, false)
	takeCounts(t, d, id, "W,A-1-1,ROPE,,8,2026-11-20T08:00:00Z\nW,A-1-2,SHK,,39,2026-11-20T08:00:00Z\n")
	rope, shk := lineOf(t, d, id, "ROPE", "A-1-1"), lineOf(t, d, id, "SHK", "A-1-2")
	stands := func(want ...string) {
		t.Helper()
		var is []string
		for _, l := range []count.VarianceLine{lineOf(t, d, id, "ROPE", "A-1-1"), lineOf(t, d, id, "SHK", "A-1-2")} {
			is = append(is, string(l.Queue)+" "+l.Reason)
		}
		assert.Equal(t, want, is)
	}
	decide := func(kind, reason string, lines ...int64) {
		t.Helper()
		_, err := d.Variances.Decide(ctx, nell, id, lines, kind, reason)
		require.NoError(t, err)
	}
	decide(store.Hold, "", rope.Pos)
	decide(store.Accept, "LOSS", rope.Pos, shk.Pos)
	decide(store.Accept, "DAMAGE", shk.Pos)
	stands("accepted LOSS", "accepted DAMAGE")
	for _, want := range [][]string{{"A-1-2 · SHK accepted for DAMAGE", "accepted LOSS", "accepted LOSS"}, {"2 lines accepted for LOSS", "held ", "open "},
		{"A-1-1 · ROPE held", "open ", "open "}} {
		was, err := undoLast(t, d, nell, id)
		require.NoError(t, err)
		assert.Equal(t, want[0], was)
		stands(want[1:]...)
	}

	// What another built upon is not undone, not even the rest of it; neither is what is another's, what is undone, or no step.
	decide(store.Accept, "LOSS", rope.Pos, shk.Pos)
	steps, err := d.Steps.Steps(ctx, nell, id)
	require.NoError(t, err)
	bo := desk.Person{ID: 2, Name: "Bo", Role: "controller"}
	_, err = d.Variances.Decide(ctx, bo, id, []int64{shk.Pos}, store.Hold, "")
	require.NoError(t, err)
	var r *desk.Refusal
	_, err = d.Steps.Undo(ctx, nell, id, steps[0].ID)
	require.ErrorAs(t, err, &r)
	assert.Equal(t, "A-1-2 · SHK changed since, so it is not undone as a whole. Nothing was undone.", r.Error())
	stands("accepted LOSS", "held ")
	_, err = d.Steps.Undo(ctx, bo, id, steps[0].ID)
	require.ErrorAs(t, err, &r)
	assert.Equal(t, "That was Nell, not you.", r.Error())
	_, err = d.Steps.Undo(ctx, nell, id, steps[1].ID)
	require.ErrorAs(t, err, &r)
	assert.Equal(t, "It is undone already.", r.Error())
	_, err = d.Steps.Undo(ctx, nell, id, 99999)
	require.ErrorIs(t, err, desk.ErrNotFound)
	_, err = undoLast(t, d, bo, id)
	require.NoError(t, err)
	_, err = d.Steps.Undo(ctx, nell, id, steps[0].ID)
	require.NoError(t, err, "once the other one undid it")
	stands("open ", "open ")
	assert.False(t, steps[0].Old)
	d.Now = func() time.Time { return testClock().Add(12*time.Hour + time.Second) }
	later, err := d.Steps.Steps(ctx, nell, id)
	require.NoError(t, err)
	assert.True(t, later[0].Old, "on another day it is chosen from the list")
	for _, s := range steps[len(steps)-1:] {
		assert.NotEmpty(t, s.Why, "the freeze is not undone from here, and says how")
		_, err = d.Steps.Undo(ctx, nell, id, s.ID)
		require.ErrorAs(t, err, &r)
	}
	proof, err := d.Safety.VerifyChain(ctx)
	require.NoError(t, err)
	assert.Zero(t, proof.Broken, proof.Text)
}

// A typed count that is undone gives way to the one before it, with its time and its counter, or to none.
func TestTypedCountsAreUndone(t *testing.T) {
	d := at(t)
	id := frozen(t, d, false)
	takeCounts(t, d, id, "W,A-1-1,ROPE,,8,2026-11-20T08:00:00Z\n")
	before := lineOf(t, d, id, "ROPE", "A-1-1")
	shk := lineOf(t, d, id, "SHK", "A-1-2")
	_, err := d.Counting.TypeIn(ctx, nell, id, "", "UTC", []counting.Typed{
		{RowCode: before.RowCode, Quantity: whole(11), Counter: "Bo", Again: count.Replace, Saw: &before.Entry}, {RowCode: shk.RowCode, Quantity: whole(40)},
		{Found: &counting.Found{Sheet: before.Sheet, Bin: "A-1-2", SKU: "PAINT", Lot: "L9"}, Quantity: whole(2)}})
	require.NoError(t, err)
	was, err := undoLast(t, d, nell, id)
	require.NoError(t, err)
	assert.Equal(t, "3 counts typed", was)
	after := lineOf(t, d, id, "ROPE", "A-1-1")
	assert.Equal(t, before.Counted, after.Counted)
	assert.Equal(t, before.CountedAt, after.CountedAt)
	assert.Equal(t, before.Counter, after.Counter)
	assert.Equal(t, before.Variance, after.Variance)
	assert.Nil(t, lineOf(t, d, id, "SHK", "A-1-2").Counted)
	page, err := d.Counting.CountLines(ctx, nell, id, desk.Filter{})
	require.NoError(t, err)
	assert.Len(t, page.Lines, 4, "what was found is gone with its count")

	// The time of the one before is its own, not that of the one that is undone.
	typed := func(n int, at string) {
		_, err := d.Counting.TypeIn(ctx, nell, id, "", "UTC", []counting.Typed{{RowCode: shk.RowCode, Quantity: whole(n), CountedAt: at,
			Again: count.Replace, Counter: at[11:]}})
		require.NoError(t, err)
	}
	typed(38, "2026-11-20 08:00")
	was38 := lineOf(t, d, id, "SHK", "A-1-2")
	typed(39, "2026-11-20 09:30")
	_, err = undoLast(t, d, nell, id)
	require.NoError(t, err)
	is38 := lineOf(t, d, id, "SHK", "A-1-2")
	assert.Equal(t, "2026-11-20 08:00", is38.CountedAt.Format("2006-01-02 15:04"))
	was38.Entry, is38.Entry = 0, 0
	assert.Equal(t, was38, is38)
	_, err = undoLast(t, d, nell, id)
	require.NoError(t, err)

	// A counter undoes own counts, and has no say in decisions.
	bo := desk.Person{ID: 3, Name: "Bo", Role: "counter"}
	_, err = d.Counting.TypeIn(ctx, bo, id, "", "UTC", []counting.Typed{{RowCode: shk.RowCode, Quantity: whole(38)}})
	require.NoError(t, err)
	_, err = undoLast(t, d, bo, id)
	require.NoError(t, err)
	assert.Nil(t, lineOf(t, d, id, "SHK", "A-1-2").Counted)
}

// Of two people of one name neither undoes what may be the other's.
func TestNamesakesUndoNothing(t *testing.T) {
	d := at(t)
	id := frozen(t, d, false)
	takeCounts(t, d, id, "W,A-1-1,ROPE,,8,2026-11-20T08:00:00Z\n")
	_, err := d.Variances.Decide(ctx, nell, id, []int64{lineOf(t, d, id, "ROPE", "A-1-1").Pos}, store.Hold, "")
	require.NoError(t, err)
	require.NoError(t, d.Store.Write(ctx, func(tx *store.Tx) error {
		for _, signIn := range []string{"one", "two"} {
			if err := store.AddPerson(tx, &store.Person{Name: nell.Name, SignIn: signIn, Role: "controller"}); err != nil {
				return err
			}
		}
		return nil
	}))
	_, err = undoLast(t, d, nell, id)
	var r *desk.Refusal
	require.ErrorAs(t, err, &r)
	assert.Contains(t, r.Error(), "2 people here are called")
}

// Whatever was typed and decided in whatever order: undone step by step, the count is what it was before each.
func TestUndoingGoesBackTheSameWay(t *testing.T) {
	look := func(t require.TestingT, d *house.House, id int64) []count.VarianceLine {
		page, err := d.Counting.CountLines(ctx, nell, id, desk.Filter{})
		require.NoError(t, err)
		for i := range page.Lines {
			page.Lines[i].Entry = 0 // another entry says the same
		}
		return page.Lines
	}
	property(t, 30, func(rt *rapid.T) {
		d := at(t)
		id := frozen(t, d, false)
		var was [][]count.VarianceLine
		for range rapid.IntRange(1, 8).Draw(rt, "steps") {
			was = append(was, look(rt, d, id))
			page, err := d.Counting.CountLines(ctx, nell, id, desk.Filter{})
			require.NoError(rt, err)
			l := page.Lines[rapid.IntRange(0, len(page.Lines)-1).Draw(rt, "line")]
			if l.Queue != "" && rapid.Bool().Draw(rt, "decide") {
				kind := rapid.SampledFrom([]string{store.Accept, store.Hold, ""}).Draw(rt, "kind")
				_, err := d.Variances.Decide(ctx, nell, id, []int64{l.Pos}, kind, "")
				require.NoError(rt, err)
				continue
			}
			x := counting.Typed{RowCode: l.RowCode, Quantity: whole(rapid.IntRange(0, 60).Draw(rt, "count")), Again: count.Replace, Saw: &l.Entry,
				CountedAt: fmt.Sprintf("2026-11-20 %02d:15", rapid.IntRange(7, 20).Draw(rt, "hour"))}
			if l.Counted != nil && rapid.IntRange(0, 3).Draw(rt, "withdraw") == 0 {
				x = counting.Typed{RowCode: l.RowCode, Withdraw: true, Saw: &l.Entry}
			}
			_, err = d.Counting.TypeIn(ctx, nell, id, "", "UTC", []counting.Typed{x})
			require.NoError(rt, err)
		}
		for i := len(was) - 1; i >= 0; i-- {
			_, err := undoLast(rt, d, nell, id)
			require.NoError(rt, err)
			require.Equal(rt, was[i], look(rt, d, id))
		}
	})
}
