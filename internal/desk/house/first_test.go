package house_test

import (
	"io"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/core/quantity"
	"wobin/internal/desk"
	"wobin/internal/desk/adjustments"
	"wobin/internal/desk/count"
	"wobin/internal/desk/counting"
	"wobin/internal/desk/intake"
	"wobin/internal/desk/plan"
	"wobin/internal/store"
)

// A first count, where nothing is recorded: items and places are enough to plan it, sheets list the bins with rows to fill in, and
// everything that is counted is found, at the cost of its item.
func TestFirstCount(t *testing.T) {
	d := at(t)
	take(t, d, "items.csv", "sku,description,unit,unit cost\nROPE,Rope,m,2\nSHK,Shackle,ea,3\nPUMP,Pump,ea,40\n")
	take(t, d, "places.csv", "warehouse,zone,bin\nW,Back,B-1\nW,Front,A-1\nW,Front,A-2\nW,Front,A-10\n")
	scope := count.Scope{Warehouse: 1}
	tally, err := d.Plan.Tally(ctx, nell, scope, plan.Cut{Rows: 10, Empty: 3})
	require.NoError(t, err)
	assert.Equal(t, []int{0, 4, 4, 2}, []int{tally.Lines, tally.Empty, tally.Bins, tally.SheetsN})
	assert.Equal(t, []plan.SheetTally{{Zone: "Back", From: "B-1", To: "B-1", Lines: 3, Bins: 1, Seconds: 28, Minutes: "0.5"},
		{Zone: "Front", From: "A-1", To: "A-10", Lines: 9, Bins: 3, Seconds: 50, Minutes: "0.8"}}, tally.Sheets)
	_, err = d.Plan.Freeze(ctx, nell, plan.NewCount{Name: "None", Scope: count.Scope{Warehouse: 1, Zones: []string{"nowhere"}}, Cut: plan.Cut{Rows: 10, Empty: 3}})
	require.ErrorContains(t, err, "nothing to count in this scope")
	c, err := d.Plan.Freeze(ctx, nell, plan.NewCount{Name: "First", Scope: scope, Cut: plan.Cut{Rows: 10, Empty: 3}, Blind: true})
	require.NoError(t, err)
	_, text, err := d.Counting.WriteSheet(ctx, nell, c.ID, 2, counting.AsText)
	require.NoError(t, err)
	rows := strings.Split(strings.TrimSpace(strings.ReplaceAll(string(text), "\r\n", "\n")), "\n")
	head := len(rows) - 9
	assert.Equal(t, "Row code,Warehouse,Bin,SKU,Lot,Serial,Description,Unit,Counted,Counted at,Remark", rows[head-1])
	assert.Equal(t, ",W,A-1,,,,,,,,", rows[head])
	assert.Equal(t, ",W,A-10,,,,,,,,", rows[head+8])
	_, _, err = d.Counting.WriteSheet(ctx, nell, c.ID, 1, counting.AsWorkbook)
	require.NoError(t, err)

	// It comes back with some rows filled in; the others stay empty.
	rows[head], rows[head+1], rows[head+3] = ",W,A-1,ROPE,,,,,25,2026-11-21 12:00,", ",W,A-1,shk,,,,,4,2026-11-21 12:00,", ",W,A-2,PUMP,,P-1,,,1,2026-11-21 12:00,"
	dr := look(t, d, "back.csv", strings.Join(rows, "\n"), intake.Choices{})
	require.Empty(t, dr.Blocked)
	require.Empty(t, dr.Problems)
	assert.Equal(t, []int{3, 0, 0, 0, 0, 0}, effect(dr))
	takeDraft(t, d, dr)
	v, err := d.Today.Count(ctx, nell, c.ID)
	require.NoError(t, err)
	assert.Equal(t, []int{3, 3, 0, 1}, []int{v.Lines, v.Variances, v.Uncounted, v.SheetsBack})
	assert.Equal(t, "102.00", v.OpenValue.String(), "25 x 2 + 4 x 3 + 40")

	// A revision of the sheet revises, and adds what is new.
	rows[head+1], rows[head+2] = ",W,A-1,SHK,,,,,5,2026-11-21 12:00,", ",W,A-1,PUMP,,P-2,,,1,2026-11-21 12:00,"
	dr = look(t, d, "back.csv", strings.Join(rows, "\n"), intake.Choices{})
	require.Empty(t, dr.Blocked)
	assert.Equal(t, []int{1, 1, 2, 0, 0, 0}, effect(dr))
	takeDraft(t, d, dr)

	// An item that is not known is refused, not made.
	dr = look(t, d, "other.csv", strings.Join(append(rows[:head:head], ",W,A-1,ROEP,,,,,2,2026-11-21 12:00,"), "\n"), intake.Choices{})
	require.Len(t, dr.Problems, 1)
	assert.Contains(t, dr.Problems[0].List[0].Text, "ROEP")

	// Accepted, it goes out as what is to be put into the records.
	list, err := d.Variances.Variances(ctx, nell, c.ID, desk.Filter{})
	require.NoError(t, err)
	require.Len(t, list.Lines, 4)
	var all []int64
	for _, l := range list.Lines {
		assert.Equal(t, "found", string(l.Status), l.SKU)
		all = append(all, l.Pos)
	}
	_, err = d.Variances.Decide(ctx, nell, c.ID, all, store.Accept, "")
	require.NoError(t, err)
	p, err := d.Adjustments.Post(ctx, nell, c.ID, "difference", "", 4)
	require.NoError(t, err)
	_, kept, err := d.Adjustments.PostingFile(ctx, nell, c.ID, p.Number, 1)
	require.NoError(t, err)
	out, err := io.ReadAll(kept)
	require.NoError(t, err)
	assert.Contains(t, string(out), "W,A-1,ROPE,,,,,m,25,2,50.00,")
	_, err = d.Adjustments.Post(ctx, nell, c.ID, "balance", "", 0)
	require.Error(t, err)
	require.NoError(t, d.Adjustments.Finish(ctx, nell, c.ID, adjustments.Left{}))
}

// What was found and written on a paper sheet is typed beside its rows: a line of its own, revised and withdrawn like any other; what has
// a row is typed there.
func TestFoundIsTyped(t *testing.T) {
	d := at(t)
	id := frozen(t, d, false)
	q := func(n int64) *quantity.Quantity { x := quantity.Quantity(n * quantity.Scale); return &x }
	typed := func(x counting.Typed) error {
		_, err := d.Counting.TypeIn(ctx, nell, id, "", "UTC", []counting.Typed{x})
		return err
	}
	found := func(bin, sku string) *counting.Found { return &counting.Found{Sheet: 1, Bin: bin, SKU: sku} }
	for _, x := range []struct {
		found *counting.Found
		text  string
	}{
		{found("A-1-1", "ROPE"), "has a row of its own"}, {found("Z", "ROPE"), "no bin of this warehouse"}, {found("A-1-1", "NONE"), "no item that is known"},
		{found("A-1-1", ""), "Name the item"}, {&counting.Found{Sheet: 99, Bin: "A-1-1", SKU: "SHK"}, "no sheet number 99"},
	} {
		require.ErrorContains(t, typed(counting.Typed{Found: x.found, Quantity: q(2)}), x.text)
	}
	require.NoError(t, typed(counting.Typed{Found: found("b-1-1", "rope"), Quantity: q(2)}))
	l := lineOf(t, d, id, "ROPE", "B-1-1")
	assert.Equal(t, []string{"found", "2", "2"}, []string{string(l.Status), l.Counted.String(), l.Variance.String()})
	require.NoError(t, typed(counting.Typed{Found: found("B-1-1", "ROPE"), Quantity: q(3)}), "the same sheet says it anew")
	assert.Equal(t, "3", lineOf(t, d, id, "ROPE", "B-1-1").Counted.String())
	other := &counting.Found{Sheet: 2, Bin: "B-1-1", SKU: "ROPE"}
	require.ErrorContains(t, typed(counting.Typed{Found: other, Quantity: q(4)}), "is counted already")
	require.NoError(t, typed(counting.Typed{Found: other, Quantity: q(4), Again: count.AddUp}))
	assert.Equal(t, "7", lineOf(t, d, id, "ROPE", "B-1-1").Counted.String())
	require.NoError(t, typed(counting.Typed{Found: found("B-1-1", "ROPE"), Withdraw: true}))
	assert.Equal(t, "4", lineOf(t, d, id, "ROPE", "B-1-1").Counted.String())
	require.NoError(t, typed(counting.Typed{Found: other, Withdraw: true}))
	page, err := d.Counting.CountLines(ctx, nell, id, desk.Filter{})
	require.NoError(t, err)
	for _, l := range page.Lines {
		assert.False(t, l.SKU == "ROPE" && l.Bin == "B-1-1", "nothing stands of it any more")
	}
	require.NoError(t, typed(counting.Typed{Found: found("B-1-1", "ROPE"), Quantity: q(1)}), "and it can be found again")
	assert.Equal(t, "1", lineOf(t, d, id, "ROPE", "B-1-1").Counted.String())
}

// Where only what lies where is known, and no quantity, one answer records zeros: the sheets then name items in their places. What is
// recorded already keeps its figure.
func TestFirstCountByPlace(t *testing.T) {
	d := at(t)
	take(t, d, "stock.csv", "sku,warehouse,bin,on hand\nROPE,W,A-1,12\n")
	dr := look(t, d, "where.csv", "sku,name,warehouse,bin\nROPE,Rope,W,A-1\nSHK,Shackle,W,A-2\n", intake.Choices{})
	require.Len(t, dr.Problems, 1)
	require.Len(t, dr.Problems[0].Remedies, 1)
	dr = settle(t, d, dr, intake.Answer{Set: &dr.Problems[0].Remedies[0].Set})
	require.Empty(t, dr.Blocked)
	takeDraft(t, d, dr)
	tally, err := d.Plan.Tally(ctx, nell, count.Scope{Warehouse: 1}, plan.Cut{Rows: 10, Empty: 3})
	require.NoError(t, err)
	assert.Equal(t, 2, tally.Lines)
	assert.Equal(t, map[string]string{"A-1 ROPE": "12", "A-2 SHK": "0"}, recorded(t, d, 1))
}
