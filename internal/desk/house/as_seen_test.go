package house_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/core/quantity"
	"wobin/internal/desk"
	"wobin/internal/desk/adjustments"
	"wobin/internal/desk/count"
	"wobin/internal/desk/counting"
	"wobin/internal/desk/house"
	"wobin/internal/desk/variances"
	"wobin/internal/store"
)

// Whatever is settled carries what was seen of it, and every part of that counts: where just this part is another one meanwhile, it is
// refused as changed and nothing is done.
func TestEveryPartOfWhatWasSeenCounts(t *testing.T) {
	begin := func(t *testing.T) (*house.House, int64) {
		d := at(t)
		d.Now = func() time.Time { return time.Date(2026, 11, 20, 18, 0, 0, 0, time.UTC) }
		return d, caused(t, d, "first", causeStock, causeCounts, causeMoves, "")
	}
	// retyped lets one line be off by another quantity, as somebody else does meanwhile.
	retyped := func(t *testing.T, d *house.House, id int64, sku, bin string, n int) {
		l := lineOf(t, d, id, sku, bin)
		x := counting.Typed{RowCode: l.RowCode, Quantity: whole(n), Again: count.Replace, Counter: "Bo"}
		_, err := d.Counting.TypeIn(ctx, nell, id, "", "UTC", []counting.Typed{x})
		require.NoError(t, err)
	}
	filtered := func(t *testing.T, d *house.House, id int64) variances.AllOf {
		seen, err := d.Variances.Filtered(ctx, nell, id, desk.Filter{Show: "open"})
		require.NoError(t, err)
		return variances.AllOf{Show: "open", Lines: seen.Lines, Gross: seen.Gross}
	}
	for name, c := range map[string]struct {
		meanwhile func(t *testing.T, d *house.House, id int64)
		settle    func(t *testing.T, d *house.House, id int64) func() error
	}{
		"all of a filter: how many": {
			func(t *testing.T, d *house.House, id int64) { retyped(t, d, id, "BOLT", "A-07-1", 63) },
			func(t *testing.T, d *house.House, id int64) func() error {
				all := filtered(t, d, id)
				return func() error {
					now := filtered(t, d, id)
					all.Gross = now.Gross // the worth would be right
					_, err := d.Variances.DecideAs(ctx, nell, id, variances.Decisions{All: &all, Kind: store.Hold})
					return err
				}
			},
		},
		"all of a filter: what it is worth": {
			func(t *testing.T, d *house.House, id int64) { retyped(t, d, id, "BOLT", "A-07-1", 40) },
			func(t *testing.T, d *house.House, id int64) func() error {
				all := filtered(t, d, id)
				return func() error {
					_, err := d.Variances.DecideAs(ctx, nell, id, variances.Decisions{All: &all, Kind: store.Hold})
					return err
				}
			},
		},
		"one line: what is open of it": {
			func(t *testing.T, d *house.House, id int64) { retyped(t, d, id, "BOLT", "A-07-1", 40) },
			func(t *testing.T, d *house.House, id int64) func() error {
				l := lineOf(t, d, id, "BOLT", "A-07-1")
				return func() error {
					saw := []quantity.Quantity{*l.Rest}
					_, err := d.Variances.DecideAs(ctx, nell, id, variances.Decisions{Lines: []int64{l.Pos}, Saw: saw, Kind: store.Hold})
					return err
				}
			},
		},
		"a typed row: the entry that stood there": {
			func(t *testing.T, d *house.House, id int64) { retyped(t, d, id, "BOLT", "A-07-1", 40) },
			func(t *testing.T, d *house.House, id int64) func() error {
				l := lineOf(t, d, id, "BOLT", "A-07-1")
				return func() error {
					saw := l.Entry
					_, err := d.Counting.TypeIn(ctx, nell, id, "", "UTC", []counting.Typed{{RowCode: l.RowCode, Quantity: whole(3), Saw: &saw}})
					return err
				}
			},
		},
		"a file that goes out: how many lines": {
			func(t *testing.T, d *house.House, id int64) {
				_, err := d.Variances.Decide(ctx, nell, id, []int64{lineOf(t, d, id, "BOLT", "A-07-1").Pos}, store.Hold, "")
				require.NoError(t, err)
			},
			func(t *testing.T, d *house.House, id int64) func() error {
				acceptAll(t, d, id)
				v, err := d.Adjustments.PreviewPosting(ctx, nell, id, "difference")
				require.NoError(t, err)
				return func() error { // without its check sum, as a script may
					_, err := d.Adjustments.Post(ctx, nell, id, "difference", "", v.Lines)
					return err
				}
			},
		},
		"a file that goes out: what it says": {
			func(t *testing.T, d *house.House, id int64) {
				retyped(t, d, id, "BOLT", "A-07-1", 40)
				acceptAll(t, d, id)
			},
			func(t *testing.T, d *house.House, id int64) func() error {
				acceptAll(t, d, id)
				v, err := d.Adjustments.PreviewPosting(ctx, nell, id, "difference")
				require.NoError(t, err)
				return func() error { // it has as many lines as before
					_, err := d.Adjustments.Post(ctx, nell, id, "difference", "", v.Lines, v.Sha)
					return err
				}
			},
		},
		"what somebody agrees to: what it says": {
			func(t *testing.T, d *house.House, id int64) {
				retyped(t, d, id, "BOLT", "A-07-1", 40)
				acceptAll(t, d, id)
			},
			func(t *testing.T, d *house.House, id int64) func() error {
				require.NoError(t, d.Adjustments.KeepAgreement(ctx, nell, adjustments.Agreement{Always: true}))
				acceptAll(t, d, id)
				sent := send(t, d, id, adjustments.Going{Mode: "difference"})
				return func() error {
					_, err := d.Adjustments.Answer(ctx, mette, sent.Approval.ID, adjustments.Answering{Agree: true})
					return err
				}
			},
		},
		"a likely cause: its evidence": {
			func(t *testing.T, d *house.House, id int64) { retyped(t, d, id, "ROPE12", "A-01-1", 89) },
			func(t *testing.T, d *house.House, id int64) func() error {
				v := causeAt(t, d, id, "ROPE12", "A-01-1")
				pos := lineOf(t, d, id, "ROPE12", "A-01-1").Pos
				return func() error { return accept(d, id, pos, v) }
			},
		},
		"strong causes: how many": {
			func(t *testing.T, d *house.House, id int64) { retyped(t, d, id, "ROPE12", "A-01-1", 100) },
			func(t *testing.T, d *house.House, id int64) func() error {
				list, err := d.Variances.Causes(ctx, nell, id)
				require.NoError(t, err)
				for _, x := range list {
					if x.Ready > 0 {
						return func() error { _, err := d.Variances.AcceptStrong(ctx, nell, id, x.Cause, x.Ready+1); return err }
					}
				}
				require.Fail(t, "nothing is strong")
				return nil
			},
		},
		"uncounted means zero: how many lines": {
			func(t *testing.T, d *house.House, id int64) { retyped(t, d, id, "LAMP", "A-09-1", 8) },
			func(t *testing.T, d *house.House, id int64) func() error {
				u, err := d.Variances.SeeUncounted(ctx, nell, id, count.UncountedPart{})
				require.NoError(t, err)
				require.Equal(t, 1, u.Lines)
				return func() error {
					_, err := d.Variances.SetZero(ctx, nell, id, count.UncountedPart{}, true, u.Lines)
					return err
				}
			},
		},
		"a restore: how much it takes back": {
			func(t *testing.T, d *house.House, id int64) { retyped(t, d, id, "BOLT", "A-07-1", 40) },
			func(t *testing.T, d *house.House, id int64) func() error {
				b, err := d.Safety.BackUp(ctx, nell)
				require.NoError(t, err)
				seen, err := d.Safety.SeeRestore(ctx, nell, b.Name)
				require.NoError(t, err)
				return func() error { return d.Safety.Restore(ctx, nell, b.Name, len(seen.Words)+seen.More) }
			},
		},
	} {
		t.Run(name, func(t *testing.T) {
			d, id := begin(t)
			do := c.settle(t, d, id)
			c.meanwhile(t, d, id)
			words := tally(t, d, "SELECT count(*) FROM chain")
			err := do()
			require.Error(t, err)
			assert.Equal(t, desk.Changed, kindOf(t, err), err.Error())
			assert.Equal(t, words, tally(t, d, "SELECT count(*) FROM chain"), "nothing was done")
		})
	}
}

// What stays undone when a count is finished is agreed to part by part: where one of them is another number, it is asked again.
func TestEveryPartOfWhatIsLeftIsAgreedTo(t *testing.T) {
	d := at(t)
	d.Now = func() time.Time { return time.Date(2026, 11, 20, 18, 0, 0, 0, time.UTC) }
	id := caused(t, d, "first", causeStock, causeCounts, causeMoves, "")
	acceptAll(t, d, id)
	_, err := d.Variances.Decide(ctx, nell, id, []int64{lineOf(t, d, id, "BOLT", "A-07-1").Pos}, store.Hold, "")
	require.NoError(t, err)
	s, err := d.Today.Count(ctx, nell, id)
	require.NoError(t, err)
	right := adjustments.Left{Held: s.Held, Accepted: s.Accepted, Uncounted: s.Uncounted}
	require.Equal(t, []int{1, 7, 1}, []int{s.Held, s.Accepted, s.Uncounted})
	for name, wrong := range map[string]adjustments.Left{
		"held": {Held: 2, Accepted: 7, Uncounted: 1}, "accepted": {Held: 1, Accepted: 6, Uncounted: 1}, "uncounted": {Held: 1, Accepted: 7},
		"doubts": {Held: 1, Accepted: 7, Uncounted: 1, Doubts: 1}, "recounts": {Held: 1, Accepted: 7, Uncounted: 1, Recounts: 1},
	} {
		err := d.Adjustments.Finish(ctx, nell, id, wrong)
		require.Error(t, err, name)
		assert.Equal(t, desk.Asks, kindOf(t, err), name)
		assert.Contains(t, err.Error(), "1 variance stays held, 7 accepted lines are not sent out, 1 line stays uncounted")
	}
	require.NoError(t, d.Adjustments.Finish(ctx, nell, id, right))
}
