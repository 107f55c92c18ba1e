package house_test

import (
	"bytes"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"wobin/internal/core/field"
	"wobin/internal/desk/house"
	"wobin/internal/desk/intake"
)

// bookOf makes a workbook of named sheets.
func bookOf(t require.TestingT, hidden string, sheets map[string][][]any, names ...string) *bytes.Buffer {
	book := excelize.NewFile()
	for _, name := range names {
		_, err := book.NewSheet(name)
		require.NoError(t, err)
		for n, r := range sheets[name] {
			cell, err := excelize.CoordinatesToCellName(1, n+1)
			require.NoError(t, err)
			require.NoError(t, book.SetSheetRow(name, cell, &r))
		}
	}
	require.NoError(t, book.DeleteSheet("Sheet1"))
	if hidden != "" {
		require.NoError(t, book.SetSheetVisible(hidden, false))
	}
	var b bytes.Buffer
	require.NoError(t, book.Write(&b))
	return &b
}

func answer(t *testing.T, d *house.House, dr *intake.Draft, sheet int, what string, option int) *intake.Draft {
	t.Helper()
	for _, q := range dr.Sheets[sheet].Questions {
		if q.What == what {
			return settle(t, d, dr, intake.Answer{Sheet: sheet, Set: &q.Options[option].Set})
		}
	}
	require.Fail(t, "no question", "%s in %v", what, dr.Sheets[sheet].Questions)
	return nil
}

// Sheets of one kind are all taken in where they are alike; the warehouse that nothing says may be the sheet's name; a hidden sheet is
// named and left out; one of other columns is asked about.
func TestSheetsOfOneKind(t *testing.T) {
	d := at(t)
	head := []any{"SKU", "Bin", "Qty", "As at"}
	line := func(sku, bin string, n int) []any { return []any{sku, bin, n, "2026-11-20 06:00"} }
	sheets := map[string][][]any{
		"NORTH": {head, line("ROPE", "A-1", 5), line("SHK", "A-2", 7)},
		"SOUTH": {head, line("ROPE", "B-1", 2)},
		"EAST":  {head, line("ROPE", "C-1", 9)},
		"Other": {{"SKU", "Warehouse", "Qty"}, {"TAR", "WEST", 4}},
	}
	dr, err := d.Intake.Upload(
		ctx,
		nell,
		"all.xlsx",
		bookOf(t, "EAST", sheets, "NORTH", "SOUTH", "EAST", "Other"),
		intake.Choices{Zone: "UTC"},
	)
	require.NoError(t, err)
	require.Len(t, dr.Sheets, 4)
	assert.True(t, dr.Sheets[0].Use)
	assert.True(t, dr.Sheets[1].Use)
	assert.False(t, dr.Sheets[2].Use)
	assert.Contains(t, dr.Sheets[2].WhyUse, "hidden")
	assert.Contains(t, dr.Sheets[3].Blocked, "has other columns")
	assert.NotEmpty(t, dr.Blocked)
	dr = answer(t, d, dr, 0, "warehouse", 0)
	dr = answer(t, d, dr, 1, "warehouse", 0)
	dr = settle(t, d, dr, intake.Answer{Sheet: 3, Use: "no"})
	require.Empty(t, dr.Blocked)
	takeDraft(t, d, dr)
	assert.Equal(t, map[string]string{"A-1 ROPE": "5", "A-2 SHK": "7"}, recorded(t, d, 1))
	assert.Equal(t, map[string]string{"B-1 ROPE": "2"}, recorded(t, d, 2))
	var names []string
	require.NoError(t, d.Store.Read(ctx).Raw("SELECT code FROM warehouses ORDER BY id").Scan(&names).Error)
	assert.Equal(t, []string{"NORTH", "SOUTH"}, names)

	// A file of text without a warehouse asks too: the one that knows its bins first.
	text := look(t, d, "b.csv", "SKU,Bin,Qty\nROPE,B-1,3\n", intake.Choices{})
	require.NotEmpty(t, text.Blocked)
	require.Equal(t, "warehouse", text.Sheets[0].Questions[0].What)
	assert.Equal(t, "SOUTH, which has 1 of its 1 bin", text.Sheets[0].Questions[0].Options[0].Label)
	text = answer(t, d, text, 0, "warehouse", 0)
	assert.Empty(t, text.Blocked)
	assert.Equal(t, []int{0, 1, 0, 0, 0, 0}, effect(text))
}

// What was answered about columns is kept by the layout: the next file of its shape asks nothing.
func TestLayoutRemembersAnswers(t *testing.T) {
	d := at(t)
	text := "SKU,Warehouse,Bin,Qty,Qty damaged,Price\nROPE,W,A-1,5,1,9.90\nSHK,W,A-2,7,0,4.50\n"
	dr := look(t, d, "one.csv", text, intake.Choices{})
	require.NotEmpty(t, dr.Blocked)
	dr = answer(t, d, dr, 0, "passed over", 4)   // not needed
	dr = answer(t, d, dr, 0, "cost or price", 1) // a selling price
	require.Empty(t, dr.Blocked)
	_, err := d.Intake.SaveDraftLayout(ctx, nell, dr.ID, 0, "shop list")
	require.NoError(t, err)
	next := look(t, d, "two.csv", text, intake.Choices{})
	assert.Equal(t, "shop list", next.Sheets[0].Layout)
	assert.Empty(t, next.Blocked)
	for _, c := range next.Sheets[0].Columns {
		assert.NotEqual(t, field.UnitCost, c.Field)
	}
}

// What is said of one sheet is not said of another: that one is the whole stock leaves the other one asked.
func TestChecksAreOfTheirSheet(t *testing.T) {
	d := at(t)
	text := "warehouse,bin,sku,quantity,as at\n"
	for _, house := range []string{"N", "S"} {
		for _, bin := range []string{"A", "B", "C", "D"} {
			text += house + "," + bin + ",ROPE,5,2026-11-20T06:00:00Z\n"
		}
	}
	take(t, d, "stock.csv", text)
	head := []any{"Warehouse", "Bin", "SKU", "Quantity", "As at"}
	sheets := map[string][][]any{}
	for _, house := range []string{"N", "S"} {
		sheets[house] = [][]any{head, {house, "A", "ROPE", 6, "2026-11-21 06:00"}}
	}
	dr, err := d.Intake.Upload(ctx, nell, "two.xlsx", bookOf(t, "", sheets, "N", "S"), intake.Choices{Zone: "UTC"})
	require.NoError(t, err)
	for _, s := range dr.Sheets {
		require.Len(t, s.Checks, 1)
		assert.Equal(t, "part", s.Checks[0].What)
	}
	dr = settle(t, d, dr, intake.Answer{Sheet: 0, Check: "part", Value: "whole"})
	assert.Equal(t, "whole", dr.Sheets[0].Checks[0].Answer)
	assert.Empty(t, dr.Sheets[1].Checks[0].Answer)
	assert.Contains(t, dr.Blocked, "Sheet S: ")
	dr = settle(t, d, dr, intake.Answer{Sheet: 1, Check: "part", Value: "part"})
	require.Empty(t, dr.Blocked)
	assert.Equal(t, 3, dr.Sheets[0].Effect.Gone)
	assert.Zero(t, dr.Sheets[1].Effect.Gone)
	takeDraft(t, d, dr)
	assert.Equal(t, map[string]string{"A ROPE": "6"}, recorded(t, d, 1))
	assert.Equal(t, map[string]string{"A ROPE": "6", "B ROPE": "5", "C ROPE": "5", "D ROPE": "5"}, recorded(t, d, 2))
}
