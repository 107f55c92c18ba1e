package house_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/core/field"
	"wobin/internal/core/layout"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/desk/house"
	"wobin/internal/desk/intake"
	"wobin/internal/desk/plan"
)

// withoutBins is a house with a warehouse of 40 items in three categories and no bins.
func withoutBins(t *testing.T) *house.House {
	d := at(t)
	items, stock := "SKU,Description,Category\n", "Warehouse,SKU,On hand,Brand,As at\n"
	for i := range 40 {
		items += fmt.Sprintf("S-%02d,Thing %d,%s\n", i, i, []string{"Ropes", "Hardware", "Paint"}[i%3])
		stock += fmt.Sprintf("W,S-%02d,%d,%s,2026-11-20T06:00:00Z\n", i, i+1, []string{"Zed", "Alpha"}[i%2])
	}
	take(t, d, "items.csv", items)
	dr := look(t, d, "stock.csv", stock, intake.Choices{Sheets: map[string]intake.SheetChoice{"0": {Layout: layout.Layout{
		Columns: []layout.Choice{{Header: "Brand", Field: field.LineAttribute + "Brand"}}}}}})
	require.Empty(t, dr.Blocked)
	_, err := d.Intake.TakeIn(ctx, nell, dr.ID, "", 0)
	require.NoError(t, err)
	return d
}

// A warehouse that has no bins goes on as many sheets as it takes, by rows and among people, in the order of SKUs, of categories or of an
// attribute; each line is on one of them.
func TestAWarehouseWithoutBinsIsCutByRows(t *testing.T) {
	d := withoutBins(t)
	cut := func(c plan.Cut) (id int64, sheets []string) {
		made, err := d.Plan.Freeze(ctx, nell, plan.NewCount{Name: "C", Scope: count.Scope{Warehouse: 1}, Cut: c})
		require.NoError(t, err)
		tally, err := d.Plan.Tally(ctx, nell, count.Scope{Warehouse: 1}, c)
		require.NoError(t, err)
		assert.Equal(t, []int{40, 1, made.Sheets}, []int{tally.Lines, tally.Bins, len(tally.Sheets)})
		page, err := d.Counting.Sheets(ctx, nell, made.ID, "", 0)
		require.NoError(t, err)
		for i, s := range page.Sheets {
			sheets = append(sheets, fmt.Sprintf("%d rows %s to %s %s %s", s.Lines, s.FirstBin, s.LastBin, s.Counter, s.Zone))
			assert.Equal(t, []any{s.Lines, s.FirstBin, s.LastBin, s.Zone, 1},
				[]any{tally.Sheets[i].Lines, tally.Sheets[i].From, tally.Sheets[i].To, tally.Sheets[i].Zone, tally.Sheets[i].Bins})
		}
		lines, err := d.Counting.CountLines(ctx, nell, made.ID, desk.Filter{Limit: 100})
		require.NoError(t, err)
		on := map[string]bool{}
		for _, l := range lines.Lines {
			on[l.SKU] = true
		}
		assert.Len(t, on, 40)
		return made.ID, sheets
	}
	id, sheets := cut(plan.Cut{By: "people", Rows: 60, For: []string{"Ada", "Bram", "Cleo", "Dora"}})
	assert.Equal(t, []string{"10 rows S-00 to S-09 Ada ", "10 rows S-10 to S-19 Bram ", "10 rows S-20 to S-29 Cleo ", "10 rows S-30 to S-39 Dora "}, sheets)
	_, sheets = cut(plan.Cut{By: "size", Rows: 15})
	assert.Equal(t, []string{"13 rows S-00 to S-12  ", "13 rows S-13 to S-25  ", "14 rows S-26 to S-39  "}, sheets)
	_, sheets = cut(plan.Cut{By: "size", Rows: 14, Order: "category"})
	assert.Equal(t, []string{"13 rows S-01 to S-37  Hardware", "13 rows S-02 to S-38  Paint", "14 rows S-00 to S-39  Ropes"}, sheets)
	_, sheets = cut(plan.Cut{Rows: 20, Order: "line.Brand"})
	assert.Equal(t, []string{"20 rows S-01 to S-39  Alpha", "20 rows S-00 to S-38  Zed"}, sheets)

	// Its sheets are parted before an item, and cut anew.
	made, err := d.Plan.Part(ctx, nell, id, 1, "S-04", "Finn")
	require.NoError(t, err)
	assert.Equal(t, 5, made)
	again, err := d.Plan.CutAnew(ctx, nell, id, plan.Recut{Sheets: []int{2, 3}, Cut: plan.Cut{By: "size", Rows: 7}})
	require.NoError(t, err)
	assert.Len(t, again, 3)
	page, err := d.Counting.Sheets(ctx, nell, id, "", 0)
	require.NoError(t, err)
	var told []string
	for _, s := range page.Sheets {
		told = append(told, fmt.Sprintf("%d: %d %s to %s %s", s.Number, s.Lines, s.FirstBin, s.LastBin, s.Counter))
	}
	assert.Equal(t, []string{"1: 4 S-00 to S-03 Ada", "4: 10 S-30 to S-39 Dora", "5: 6 S-04 to S-09 Finn", "6: 6 S-10 to S-15 ", "7: 7 S-16 to S-22 ",
		"8: 7 S-23 to S-29 "}, told)
}
