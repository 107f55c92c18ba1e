package house_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gorm.io/gorm"

	"wobin/internal/core/field"
	"wobin/internal/core/layout"
	"wobin/internal/core/quantity"
	"wobin/internal/desk"
	"wobin/internal/desk/adjustments"
	"wobin/internal/desk/count"
	"wobin/internal/desk/intake"
	"wobin/internal/desk/lists"
	"wobin/internal/desk/plan"
	"wobin/internal/desk/safety"
	"wobin/internal/desk/variances"
)

// What is changed by hand is an intake: checked like a file, on the time line, in the record, and undone there.
func TestEdit(t *testing.T) {
	d := at(t)
	take(t, d, "items.csv", itemsText)
	take(t, d, "stock.csv", stockText)
	edit := func(kind field.Kind, fields string, cells ...string) error {
		var f []field.Field
		for x := range strings.SplitSeq(fields, " ") {
			f = append(f, field.Field(x))
		}
		_, err := d.Intake.Edit(ctx, nell, "", intake.Edit{Kind: kind, Fields: f, Rows: [][]string{cells}})
		return err
	}
	rope := func() string {
		i, err := d.Reference.Item(ctx, nell, "ROPE")
		require.NoError(t, err)
		cost := "none"
		if i.Cost != nil {
			cost = i.Cost.String()
		}
		return fmt.Sprint(i.Description, " ", i.Unit, " ", cost, " ", i.Category, " ", i.Active, " ", i.Attributes)
	}
	require.Equal(t, "Rope m 2.5 Ropes true map[]", rope())
	require.NoError(t, edit(field.Items, "sku unit_cost", "ROPE", "2.755"))
	require.NoError(t, edit(field.Items, "sku description", "ROPE", "=Rope, \"braided\""))
	require.NoError(t, edit(field.Items, "sku category active item.Supplier", "ROPE", "", "no", "Vik & Penn"))
	assert.Equal(t, `=Rope, "braided" m 2.755  false map[Supplier:Vik & Penn]`, rope())
	all, err := d.Intake.Intakes(ctx, nell)
	require.NoError(t, err)
	require.Equal(t, []string{"changed by hand, items.csv", "taken in"}, []string{all[0].File, all[0].State})
	assert.Empty(t, all[0].Blocked)
	item, err := d.Reference.Item(ctx, nell, "ROPE")
	require.NoError(t, err)
	var said []string
	for _, c := range item.Changes {
		said = append(said, strings.Join(c.What, "; "))
	}
	assert.Equal(t, []string{"Supplier: none → Vik & Penn; active: yes → no; category: Ropes → none", `description: Rope → =Rope, "braided"`,
		"unit cost: 2.5 → 2.755"}, said)
	for _, x := range all[:3] {
		require.NoError(t, d.Intake.Undo(ctx, nell, x.ID, false))
	}
	assert.Equal(t, "Rope m 2.5 Ropes true map[]", rope())

	// What no file could bring in is refused in the same words, and nothing of it is left.
	for _, x := range [][]string{
		{"sku unit_cost", "ROPE", "2,75 or so", "not a number"}, {"sku unit_cost", "ROPE", "-1", "never less than 0"},
		{"sku nature", "ROPE", "boat", "none of stocked, service and parent"}, {"sku class", "NET", "A", "not there any more"},
		{"sku barcode", "ROPE", strings.Repeat("7", 300), "at most 200 bytes"}, {"description unit", "x", "y", "sku is missing"},
		{"sku quantity", "ROPE", "4", "cannot be changed so"},
	} {
		require.ErrorContains(t, edit(field.Items, x[0], x[1], x[2]), x[3], "%v", x)
	}
	require.NoError(t, edit(field.Places, "warehouse bin zone", "W", "A-1-1", "Rear"))
	page, err := d.Recorded.Recorded(ctx, nell, 1, desk.Filter{})
	require.NoError(t, err)
	assert.Equal(t, "Rear", page.Lines[0].Zone)
	counter := desk.Person{ID: 9, Role: "counter"}
	_, err = d.Intake.Edit(
		ctx,
		counter,
		"",
		intake.Edit{Kind: field.Items, Fields: []field.Field{"sku", "class"}, Rows: [][]string{{"ROPE", "A"}}},
	)
	require.ErrorIs(t, err, desk.ErrMayNot)

	// What somebody else changed since it was seen is not overwritten.
	for f, stands := range map[field.Field]string{"description": "Rope", "unit": "m", "unit_cost": "2.5", "category": "Ropes", "class": "",
		"nature": "stocked", "active": "yes", "barcode": "", "tracking": "", "item.Supplier": ""} {
		saw := "what stood there before"
		x := intake.Edit{Kind: field.Items, Fields: []field.Field{"sku", f}, Rows: [][]string{{"ROPE", stands}}, Saw: &saw}
		_, err = d.Intake.Edit(ctx, nell, "", x)
		require.ErrorContains(t, err, fmt.Sprintf("Meanwhile it was changed to %q", stands), f)
		x.Saw = &stands
		_, err = d.Intake.Edit(ctx, nell, "", x)
		require.NoError(t, err, f)
	}

	// Nor by a file that was looked at before: as many lines change, but not from what was seen.
	dr := look(t, d, "costs.csv", "sku,unit cost\nROPE,3\n", intake.Choices{})
	require.Equal(t, 1, dr.Effect.Changed)
	require.NoError(t, edit(field.Items, "sku unit_cost", "ROPE", "5"))
	_, err = d.Intake.TakeIn(ctx, nell, dr.ID, "", 0)
	require.ErrorContains(t, err, "Meanwhile the records have changed")
	_, err = d.Intake.TakeIn(ctx, nell, dr.ID, "", 0)
	require.NoError(t, err, "it was looked at again")

	// The same key twice is answered once.
	e := intake.Edit{Kind: field.Items, Fields: []field.Field{"sku", "class"}, Rows: [][]string{{"ROPE", "A"}, {"SHK", "C"}}}
	first, err := d.Intake.Edit(ctx, nell, "the same key", e)
	require.NoError(t, err)
	again, err := d.Intake.Edit(ctx, nell, "the same key", e)
	require.NoError(t, err)
	assert.Equal(t, first, again)
	assert.Equal(t, 2, first.Changed)
}

// A unit cost is corrected by itself: quantities, reserved pieces, record ids and the other lines stay as they are. A line that is to have
// none has its item's.
func TestRecost(t *testing.T) {
	d := at(t)
	take(t, d, "items.csv", itemsText)
	take(t, d, "stock.csv", stockText)
	told := func() (lines []string, set int64) {
		page, err := d.Recorded.Recorded(ctx, nell, 1, desk.Filter{})
		require.NoError(t, err)
		for _, l := range page.Lines {
			cost := "none"
			if l.Cost != nil {
				cost = strings.TrimSpace(l.Cost.String() + " " + l.CostOf)
			}
			lines = append(lines, fmt.Sprint(l.Bin, " ", l.SKU, " ", l.Lot, " ", l.RecordID, " ", l.OnHand, " ", l.Reserved, " ", cost))
		}
		return lines, page.Set
	}
	before, set := told()
	cost := quantity.Cost(3_125_000)
	out, err := d.Intake.Recost(ctx, nell, 1, "", intake.Costing{Set: set, Lines: []intake.CostLine{{Pos: 0, Cost: &cost}, {Pos: 3}}})
	require.NoError(t, err)
	assert.Equal(t, 2, out.Changed)
	after, now := told()
	want := append([]string{}, before...)
	want[0], want[3] = strings.Replace(before[0], " 2.5", " 3.125", 1), strings.Replace(before[3], " 30", " 30 item", 1)
	assert.Equal(t, want, after)
	_, err = d.Intake.Recost(ctx, nell, 1, "", intake.Costing{Set: set, Lines: []intake.CostLine{{Pos: 0, Cost: &cost}}})
	require.ErrorContains(t, err, "Newer stock of W was taken in meanwhile")
	_, err = d.Intake.Recost(ctx, nell, 1, "", intake.Costing{Set: now, Lines: []intake.CostLine{{Pos: 99, Cost: &cost}}})
	require.ErrorIs(t, err, desk.ErrNotFound)
	all, err := d.Intake.Intakes(ctx, nell)
	require.NoError(t, err)
	require.NoError(t, d.Intake.Undo(ctx, nell, all[0].ID, true))
	back, _ := told()
	assert.Equal(t, before, back)
}

// What lines carry along under names of their own stays with them when their cost is corrected, and when they come in again out of a list.
func TestCarriedAlong(t *testing.T) {
	d := at(t)
	choices := intake.Choices{Sheets: map[string]intake.SheetChoice{"0": {Layout: intake.Layout{Columns: []layout.Choice{
		{Header: "Shelf", Field: "line.Shelf"}}}}}}
	dr := look(t, d, "stock.csv", "Warehouse,Bin,SKU,Shelf,Quantity,Unit cost,As at\nW,A-1,ROPE,blue 7,4,1,2026-11-20T06:00:00Z\n"+
		"W,A-2,ROPE,blue 8,4,1,2026-11-20T06:00:00Z\n", choices)
	require.Empty(t, dr.Blocked)
	takeDraft(t, d, dr)
	shelves := func() (out []string) {
		require.NoError(
			t,
			d.Store.Read(ctx).Raw(`SELECT l.attributes FROM stock_lines l JOIN warehouses w ON w.set_id = l.set_id ORDER BY l.pos`).
				Scan(&out).Error,
		)
		return out
	}
	before := shelves()
	require.Contains(t, before[0], "blue 7")
	page, err := d.Recorded.Recorded(ctx, nell, 1, desk.Filter{})
	require.NoError(t, err)
	cost := quantity.Cost(9_000_000)
	_, err = d.Intake.Recost(ctx, nell, 1, "", intake.Costing{Set: page.Set, Lines: []intake.CostLine{{Pos: 0, Cost: &cost}}})
	require.NoError(t, err)
	assert.Equal(t, before, shelves())
	_, file := out(t, d, lists.Asking{List: "stock", House: 1})
	take(t, d, "again.csv", strings.Replace(string(file), ",4,", ",5,", 1))
	assert.Equal(t, before, shelves())
}

// The cost of an opening balance is corrected in its count: the value follows, quantities and decisions stay, every sum foots, and it
// stands in the record. What was sent out is left alone.
func TestCostOfAnOpeningBalance(t *testing.T) {
	d := at(t)
	now := time.Date(2026, 11, 20, 9, 0, 0, 0, time.UTC)
	d.Now = func() time.Time { return now }
	take(t, d, "items.csv", "sku,description\nROPE,Rope\nNET,Net\n")
	take(t, d, "places.csv", "warehouse,zone,bin\nW,Front,A-1\nW,Front,A-2\n")
	c, err := d.Plan.Freeze(ctx, nell, plan.NewCount{Name: "First", Scope: count.Scope{Warehouse: 1}, Cut: plan.Cut{Rows: 10, Empty: 3}})
	require.NoError(t, err)
	now = now.Add(9 * time.Hour)
	takeCounts(t, d, c.ID, "W,A-1,ROPE,,12.5,2026-11-20T10:00:00Z\nW,A-2,NET,,4,2026-11-20T10:00:00Z\n")
	rope := lineOf(t, d, c.ID, "ROPE", "A-1")
	require.Nil(t, rope.Value)
	_, err = d.Variances.Decide(ctx, nell, c.ID, []int64{rope.Pos}, "accept", "")
	require.NoError(t, err)
	cost := quantity.Cost(2_250_000)
	require.NoError(t, d.Variances.Recost(ctx, nell, c.ID, variances.Costing{Lines: []int64{rope.Pos}, Cost: &cost}))
	rope = lineOf(t, d, c.ID, "ROPE", "A-1")
	assert.Equal(t, []any{"28.13", "12.5", "accepted"}, []any{rope.Value.String(), rope.Counted.String(), rope.Queue})
	tallies := func() (out []string) {
		require.NoError(t, d.Store.Read(ctx).Raw(`SELECT concat_ws(' ', part, name, lines, counted, found, unvalued, over_value, gross_value,
			open, open_gross, accepted, posted) FROM count_tallies WHERE count_id = ? ORDER BY part, name`,
			c.ID).Scan(&out).Error)
		return out
	}
	worked := tallies()
	require.NotEmpty(t, worked)
	require.NoError(t, d.Store.Write(ctx, func(tx *gorm.DB) error {
		return tx.Exec("UPDATE counts SET stale = 1 WHERE id = ?", c.ID).Error
	}))
	require.NoError(t, count.Refresh(ctx, d.Desk))
	assert.Equal(t, worked, tallies(), "worked out from the beginning it is the same")

	minus := quantity.Cost(-1)
	require.ErrorContains(
		t,
		d.Variances.Recost(ctx, nell, c.ID, variances.Costing{Lines: []int64{rope.Pos}, Cost: &minus}),
		"never less than 0",
	)
	require.ErrorIs(t, d.Variances.Recost(ctx, nell, c.ID, variances.Costing{Lines: []int64{99}, Cost: &cost}), desk.ErrNotFound)
	require.NoError(t, d.Variances.Recost(ctx, nell, c.ID, variances.Costing{Lines: []int64{rope.Pos}}))
	assert.Nil(t, lineOf(t, d, c.ID, "ROPE", "A-1").Cost, "none is known any more")
	require.NoError(t, d.Variances.Recost(ctx, nell, c.ID, variances.Costing{Lines: []int64{rope.Pos}, Cost: &cost}))
	sent := send(t, d, c.ID, adjustments.Going{Mode: "difference"})
	require.NotNil(t, sent.Posting)
	require.ErrorContains(t, d.Variances.Recost(ctx, nell, c.ID, variances.Costing{Lines: []int64{rope.Pos}}), "was sent out already")
	page, err := d.Safety.Record(ctx, nell, safety.RecordFilter{What: "unit cost corrected"})
	require.NoError(t, err)
	require.Len(t, page.Entries, 3)
	assert.Equal(t, []string{"is: 2.25", "lines: " + fmt.Sprint(rope.Pos), "was: none"}, page.Entries[2].Details)
}
