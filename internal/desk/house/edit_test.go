package house_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/core/field"
	"wobin/internal/core/layout"
	"wobin/internal/core/quantity"
	"wobin/internal/desk"
	"wobin/internal/desk/intake"
	"wobin/internal/desk/lists"
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
	_, err = d.Intake.Edit(ctx, counter, "", intake.Edit{Kind: field.Items, Fields: []field.Field{"sku", "class"}, Rows: [][]string{{"ROPE", "A"}}})
	require.ErrorIs(t, err, desk.ErrMayNot)

	// The same key twice is answered once.
	e := intake.Edit{Kind: field.Items, Fields: []field.Field{"sku", "class"}, Rows: [][]string{{"ROPE", "A"}, {"SHK", "C"}}}
	first, err := d.Intake.Edit(ctx, nell, "the same key", e)
	require.NoError(t, err)
	again, err := d.Intake.Edit(ctx, nell, "the same key", e)
	require.NoError(t, err)
	assert.Equal(t, first, again)
	assert.Equal(t, 2, first.Changed)
}

// A unit cost is corrected by itself: quantities, reserved pieces, record ids and the other lines stay as they are.
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
				cost = l.Cost.String()
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
	want[0], want[3] = strings.Replace(before[0], " 2.5", " 3.125", 1), strings.Replace(before[3], " 30", " none", 1)
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
		require.NoError(t, d.Store.Read(ctx).Raw(`SELECT l.attributes FROM stock_lines l JOIN warehouses w ON w.set_id = l.set_id ORDER BY l.pos`).
			Scan(&out).Error)
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
