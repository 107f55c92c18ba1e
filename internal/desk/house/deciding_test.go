package house_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/core/quantity"
	"wobin/internal/desk"
	"wobin/internal/desk/adjustments"
	"wobin/internal/desk/variances"
	"wobin/internal/store"
)

// All that a filter holds is decided as it was seen, however many it is, with a note; what changed meanwhile is not.
func TestDecideAllOfAFilter(t *testing.T) {
	d := at(t)
	d.Now = func() time.Time { return time.Date(2026, 11, 20, 18, 0, 0, 0, time.UTC) }
	id := caused(t, d, "first", causeStock, causeCounts, causeMoves, "")
	seen, err := d.Variances.Filtered(ctx, nell, id, desk.Filter{Show: "open", Cause: "misplaced"})
	require.NoError(t, err)
	assert.Equal(t, []string{"24.00", "-24.00", "48.00"}, []string{seen.Over.String(), seen.Short.String(), seen.Gross.String()})
	// How few lines hold most of it, and narrowing to these.
	whole, err := d.Variances.Filtered(ctx, nell, id, desk.Filter{Show: "open"})
	require.NoError(t, err)
	assert.Equal(
		t,
		[]any{8, "157.00", 6, "17.00", 8},
		[]any{whole.Lines, whole.Gross.String(), whole.Spread.Most, whole.Spread.Least.String(), len(whole.Spread.Curve)},
	)
	page, err := d.Variances.Variances(ctx, nell, id, desk.Filter{Show: "open", Least: int64(whole.Spread.Least), Limit: 100})
	require.NoError(t, err)
	assert.GreaterOrEqual(t, len(page.Lines), whole.Spread.Most)
	page, err = d.Variances.Variances(ctx, nell, id, desk.Filter{Show: "open", Sign: "over", Limit: 100})
	require.NoError(t, err)
	for _, l := range page.Lines {
		assert.Positive(t, int64(*l.Variance))
	}
	all := variances.AllOf{Show: "open", Cause: "misplaced", Lines: seen.Lines, Gross: seen.Gross}
	other := all
	other.Lines++
	_, err = d.Variances.DecideAs(ctx, nell, id, variances.Decisions{All: &other, Kind: store.Accept})
	require.ErrorContains(t, err, "They have changed meanwhile: 2 lines, worth 48.00 gross, not 3")
	out, err := d.Variances.DecideAs(ctx, nell, id, variances.Decisions{All: &all, Kind: store.Hold, Note: " look at both shelves "})
	require.NoError(t, err)
	assert.Equal(t, 2, out.Lines)
	h, err := d.Variances.History(ctx, nell, id, lineOf(t, d, id, "ROPE12", "A-01-1").Pos)
	require.NoError(t, err)
	last := h.Events[len(h.Events)-1]
	assert.Equal(t, []string{"note", "look at both shelves, Nell"}, []string{last.What, last.Text})
	_, err = d.Variances.DecideAs(ctx, nell, id, variances.Decisions{All: &variances.AllOf{}, Kind: store.Accept})
	require.ErrorContains(t, err, "Say which are meant")
	_, err = d.Variances.DecideAs(ctx, nell, id, variances.Decisions{Kind: store.Accept})
	require.ErrorContains(t, err, "Name each line once")
	require.ErrorContains(t, d.Variances.AddNote(ctx, nell, id, 1, "  "), "what is to be noted")
	require.NoError(t, d.Variances.AddNote(ctx, nell, id, lineOf(t, d, id, "BOLT", "A-07-1").Pos, "bolts are in the van"))
	proof, err := d.Safety.VerifyChain(ctx)
	require.NoError(t, err)
	assert.Zero(t, proof.Broken, proof.Text)
}

// The groups of a queue are what narrowing to each of them gives, and together all of it; all of a group is decided at once, and
// nothing else.
func TestGroups(t *testing.T) {
	d := at(t)
	d.Now = func() time.Time { return time.Date(2026, 11, 20, 18, 0, 0, 0, time.UTC) }
	id := caused(t, d, "first", causeStock, causeCounts, causeMoves, "")
	whole, err := d.Variances.Filtered(ctx, nell, id, desk.Filter{Show: "open"})
	require.NoError(t, err)
	names := map[string][]string{}
	for _, by := range []string{"zone", "bin", "item", "counter", "reason", "category"} {
		for _, f := range []desk.Filter{{Show: "open"}, {Show: "open", Sign: "short"}, {Show: "open", Cause: "misplaced"}} {
			f.By, f.Of = by, "what is left out of account here"
			groups, err := d.Variances.Groups(ctx, nell, id, f)
			require.NoError(t, err)
			lines, gross := 0, quantity.Money(0)
			for i, g := range groups.Groups {
				if i > 0 {
					assert.LessOrEqual(t, g.Gross, groups.Groups[i-1].Gross, "the heaviest first")
				}
				f.Of = g.Name
				one, err := d.Variances.Filtered(ctx, nell, id, f)
				require.NoError(t, err)
				assert.Equal(t, []any{g.Lines, g.Unvalued, g.Over, g.Short, g.Gross}, []any{one.Lines, one.Unvalued, one.Over, one.Short, one.Gross})
				f.Limit = 100
				page, err := d.Variances.Variances(ctx, nell, id, f)
				require.NoError(t, err)
				assert.Len(t, page.Lines, g.Lines)
				lines, gross = lines+g.Lines, gross+g.Gross
				if f.Sign == "" && f.Cause == "" {
					names[by] = append(names[by], g.Name)
				}
			}
			f.By, f.Of = "", ""
			all, err := d.Variances.Filtered(ctx, nell, id, f)
			require.NoError(t, err)
			assert.Equal(t, []any{all.Lines, all.Gross}, []any{lines, gross}, by)
		}
	}
	assert.Equal(t, []string{""}, names["reason"])
	assert.Greater(t, len(names["counter"]), 1, names)
	assert.Greater(t, len(names["item"]), 3, names)
	_, err = d.Variances.Groups(ctx, nell, id, desk.Filter{Show: "open", By: "mood"})
	require.ErrorContains(t, err, "not by mood")
	_, err = d.Variances.Groups(ctx, nell, id, desk.Filter{Show: "open"})
	require.ErrorContains(t, err, "are grouped by")

	ada := desk.Filter{Show: "open", By: "counter", Of: names["counter"][0]}
	seen, err := d.Variances.Filtered(ctx, nell, id, ada)
	require.NoError(t, err)
	all := variances.AllOf{Show: "open", By: ada.By, Of: ada.Of, Lines: seen.Lines, Gross: seen.Gross}
	out, err := d.Variances.DecideAs(ctx, nell, id, variances.Decisions{All: &all, Kind: store.Hold})
	require.NoError(t, err)
	assert.Equal(t, seen.Lines, out.Lines)
	left, err := d.Variances.Filtered(ctx, nell, id, desk.Filter{Show: "open"})
	require.NoError(t, err)
	assert.Equal(t, []any{whole.Lines - seen.Lines, whole.Gross - seen.Gross}, []any{left.Lines, left.Gross})
}

// A finished count of which nothing went out is opened again with a reason, and is brought after what moved meanwhile; one of which
// something went out stays as it was signed.
func TestReopen(t *testing.T) {
	d := at(t)
	id := frozen(t, d, false)
	takeCounts(t, d, id, "W,A-1-1,ROPE,,8,2026-11-20T10:00:00Z\n")
	l := lineOf(t, d, id, "ROPE", "A-1-1")
	_, err := d.Variances.Decide(ctx, nell, id, []int64{l.Pos}, store.Accept, "MISCOUNT")
	require.NoError(t, err)
	require.ErrorContains(t, d.Adjustments.Reopen(ctx, nell, id, "x"), "is not finished")
	s, err := d.Today.Count(ctx, nell, id)
	require.NoError(t, err)
	left := adjustments.Left{Accepted: 1, Uncounted: s.Uncounted}
	require.NoError(t, d.Adjustments.Finish(ctx, nell, id, left))
	take(t, d, "late.csv", "warehouse,bin,sku,quantity,at,reference\nW,A-1-1,ROPE,-2,2026-11-20T09:00:00Z,m1\n")
	assert.Equal(t, "-2", lineOf(t, d, id, "ROPE", "A-1-1").Variance.String(), "signed")
	require.ErrorContains(t, d.Adjustments.Reopen(ctx, nell, id, " "), "Say why")
	require.NoError(t, d.Adjustments.Reopen(ctx, nell, id, "a slip was found"))
	l = lineOf(t, d, id, "ROPE", "A-1-1")
	assert.Equal(t, []string{"0", "match", ""}, []string{l.Variance.String(), l.Status, l.Decision})
	h, err := d.Variances.History(ctx, nell, id, l.Pos)
	require.NoError(t, err)
	said := ""
	for _, e := range h.Events {
		said += e.Text + "; "
	}
	assert.Contains(t, said, "open again, since its figures changed: -2 were decided on")

	takeCounts(t, d, id, "W,A-1-2,SHK,,39,2026-11-20T10:00:00Z\n")
	l = lineOf(t, d, id, "SHK", "A-1-2")
	_, err = d.Variances.Decide(ctx, nell, id, []int64{l.Pos}, store.Accept, "LOSS")
	require.NoError(t, err)
	_, err = d.Adjustments.Post(ctx, nell, id, "difference", "", 1)
	require.NoError(t, err)
	s, err = d.Today.Count(ctx, nell, id)
	require.NoError(t, err)
	require.NoError(t, d.Adjustments.Finish(ctx, nell, id, adjustments.Left{Uncounted: s.Uncounted}))
	require.ErrorContains(t, d.Adjustments.Reopen(ctx, nell, id, "x"), "went out already")
}

// Newer stock is held against the freeze and the movements since: what neither they nor what went out explain is told.
func TestNewerStock(t *testing.T) {
	d := at(t)
	id := frozen(t, d, false)
	n, err := d.Variances.Newer(ctx, nell, id)
	require.NoError(t, err)
	assert.Nil(t, n.At)
	take(
		t,
		d,
		"moves.csv",
		"warehouse,bin,sku,quantity,at,reference\nW,A-1-1,ROPE,-3,2026-11-20T07:30:00Z,m1\nW,A-1-1,ROPE,-1,2026-11-20T22:00:00Z,m2\n",
	)
	takeCounts(t, d, id, "W,A-1-2,SHK,,39,2026-11-20T10:00:00Z\n")
	_, err = d.Variances.Decide(ctx, nell, id, []int64{lineOf(t, d, id, "SHK", "A-1-2").Pos}, store.Accept, "LOSS")
	require.NoError(t, err)
	_, err = d.Adjustments.Post(ctx, nell, id, "difference", "", 1)
	require.NoError(t, err)
	// Rope 10 less 3 is 6 now, shackles 40 are 39 since that was sent, paint is as it was.
	newer := strings.Replace(
		strings.Replace(strings.ReplaceAll(stockText, "2026-11-20T06", "2026-11-20T20"), "ROPE,,10", "ROPE,,6", 1),
		"SHK,,40",
		"SHK,,39",
		1,
	)
	take(t, d, "newer.csv", newer)
	n, err = d.Variances.Newer(ctx, nell, id)
	require.NoError(t, err)
	require.NotNil(t, n.At)
	require.Equal(t, 1, n.Lines)
	x := n.First[0]
	assert.Equal(t, []string{"10", "-3", "6", "-1"}, []string{x.Recorded.String(), x.Moved.String(), x.Now.String(), x.Change.String()})
	assert.Contains(t, x.Line, "ROPE")
}

// Reasons of one's own have a code, a name, an account and what they explain; a code stays.
func TestReasonsOfOnesOwn(t *testing.T) {
	d := at(t)
	for _, bad := range []variances.ReasonView{{Name: "no code"}, {Code: "A B", Name: "x"}, {Code: "X"}, {Code: "X", Name: "x", Sign: "both"},
		{Code: strings.Repeat("X", 25), Name: "x"}} {
		require.Error(t, d.Variances.KeepReason(ctx, nell, bad), "%+v", bad)
	}
	require.NoError(
		t,
		d.Variances.KeepReason(ctx, nell, variances.ReasonView{Code: "expired", Name: "Past its date", Account: "6010", Sign: "short"}),
	)
	require.NoError(
		t,
		d.Variances.KeepReason(ctx, nell, variances.ReasonView{Code: "EXPIRED", Name: "Out of date", Account: "6010", Sign: "short"}),
	)
	all, err := d.Variances.Reasons(ctx, nell)
	require.NoError(t, err)
	assert.Contains(t, all, variances.ReasonView{Code: "EXPIRED", Name: "Out of date", Account: "6010", Sign: "short"})
	assert.Contains(t, all, variances.ReasonView{Code: "LOSS", Name: "Lost or stolen", Sign: "short"})
	require.ErrorContains(
		t,
		d.Variances.KeepReason(ctx, desk.Person{ID: 9, Name: "Cy", Role: "counter"}, variances.ReasonView{Code: "X", Name: "x"}),
		"role",
	)
}
