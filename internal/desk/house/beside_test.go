package house_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/core/scope"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/desk/counting"
	"wobin/internal/desk/house"
	"wobin/internal/desk/plan"
	"wobin/internal/store"
)

// partly gives a running count of the shackles alone.
func partly(t *testing.T, d *house.House) int64 {
	t.Helper()
	take(t, d, "items.csv", itemsText)
	take(t, d, "stock.csv", stockText)
	c, err := d.Plan.Freeze(ctx, nell, plan.NewCount{Name: "Shackles", Cut: plan.Cut{Rows: 50},
		Scope: count.Scope{Warehouse: 1, Rules: []scope.Rule{{What: scope.SKU, Values: []string{"SHK"}}}}})
	require.NoError(t, err)
	require.Equal(t, 2, c.Lines)
	return c.ID
}

// What somebody counts beside the scope of a count is held against what was recorded of it when that was frozen: it is
// no find, and does not go out as one.
func TestCountedBesideTheScope(t *testing.T) {
	d := at(t)
	id := partly(t, d)
	takeCounts(
		t,
		d,
		id,
		"W,A-1-1,ROPE,,10,2026-11-20T10:00:00Z\nW,B-1-2,PAINT,,7,2026-11-20T10:00:00Z\nW,A-1-1,PAINT,L1,2,2026-11-20T10:00:00Z\n",
	)
	says := func(sku, bin string) string {
		t.Helper()
		l := lineOf(t, d, id, sku, bin)
		return strings.Join([]string{l.Lot, l.Status, l.Recorded.String(), l.Variance.String()}, " ")
	}
	assert.Equal(t, " match 10 0", says("ROPE", "A-1-1"))
	assert.Equal(t, "L1 over 6 1", says("PAINT", "B-1-2"), "taken for the only lot that is recorded there")
	assert.Equal(t, "L1 found 0 2", says("PAINT", "A-1-1"), "nothing of it is recorded there")

	typed := func(text string, f counting.Found) error {
		f.Sheet = 1
		_, err := d.Counting.TypeIn(
			ctx,
			nell,
			id,
			"",
			"UTC",
			[]counting.Typed{{Found: &f, Text: text, CountedAt: "2026-11-20 10:00", Again: count.Replace}},
		)
		return err
	}
	require.NoError(t, typed("8", counting.Found{Bin: "b-1-2", SKU: "paint"}))
	assert.Equal(t, "L1 over 6 2", says("PAINT", "B-1-2"))
	require.NoError(t, typed("9", counting.Found{Bin: "A-1-1", SKU: "ROPE"}))
	assert.Equal(t, " short 10 -1", says("ROPE", "A-1-1"))
	rope := lineOf(t, d, id, "ROPE", "A-1-1")
	_, err := d.Variances.Decide(ctx, nell, id, []int64{rope.Pos}, store.Accept, "MISCOUNT")
	require.NoError(t, err)
	v, err := d.Adjustments.PreviewPosting(ctx, nell, id, "difference")
	require.NoError(t, err)
	assert.Contains(t, v.Text, "W,A-1-1,ROPE,,,,r1,m,-1,2.5,-2.50,MISCOUNT", "with the record's own number of the line")

	// Taken back, the line is out of the count again: it is not uncounted, and cannot be taken for zero.
	before, err := d.Today.Count(ctx, nell, id)
	require.NoError(t, err)
	w := &desk.Work{Tx: d.Store.Read(ctx)}
	var standing []int64
	require.NoError(t, store.Standing(w.Tx, id, store.Positions{Some: []int64{rope.Pos}}, func(e *store.Entry) error {
		if !e.Withdrawn {
			standing = append(standing, e.ID)
		}
		return nil
	}))
	require.Len(t, standing, 1)
	require.NoError(t, d.Counting.WithdrawEntry(ctx, nell, id, rope.Pos, standing[0]))
	after, err := d.Today.Count(ctx, nell, id)
	require.NoError(t, err)
	assert.Equal(t, []int{before.Lines - 1, before.Uncounted}, []int{after.Lines, after.Uncounted})
}

// A lot that is left open is asked about where several are recorded, on the count or beside it.
func TestOpenLotsBesideTheScope(t *testing.T) {
	d := at(t)
	take(
		t,
		d,
		"stock.csv",
		"warehouse,bin,sku,lot,on hand,unit cost,as at\nW,A-1,PAINT,L1,5,1,2026-11-20T06:00:00Z\nW,A-1,PAINT,L2,6,1,2026-11-20T06:00:00Z\nW,A-1,ROPE,,6,1,2026-11-20T06:00:00Z\n",
	)
	c, err := d.Plan.Freeze(
		ctx,
		nell,
		plan.NewCount{
			Name:  "Rope",
			Cut:   plan.Cut{Rows: 50},
			Scope: count.Scope{Warehouse: 1, Rules: []scope.Rule{{What: scope.SKU, Values: []string{"ROPE"}}}},
		},
	)
	require.NoError(t, err)
	typed := func(lot string) error {
		_, err := d.Counting.TypeIn(
			ctx,
			nell,
			c.ID,
			"",
			"UTC",
			[]counting.Typed{{Found: &counting.Found{Sheet: 1, Bin: "A-1", SKU: "PAINT", Lot: lot}, Text: "5"}},
		)
		return err
	}
	require.ErrorContains(t, typed(""), "PAINT lies in A-1 as L1, L2")
	require.NoError(t, typed("L1"))
	require.NoError(t, typed("L9"))
	page, err := d.Counting.CountLines(ctx, nell, c.ID, desk.Filter{})
	require.NoError(t, err)
	got := map[string]string{}
	for _, l := range page.Lines {
		got[l.Lot] = l.Status
	}
	assert.Equal(t, map[string]string{"": "uncounted", "L1": "match", "L9": "found"}, got)
}
