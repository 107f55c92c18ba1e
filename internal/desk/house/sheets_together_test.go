package house_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/core/field"
	"wobin/internal/core/layout"
	"wobin/internal/desk/intake"
)

// Sheets of one workbook may say different things of one item, known or made by an earlier sheet: each builds on what the
// one before it makes, and undo puts back what was there before all of them.
func TestItemsInSeveralSheets(t *testing.T) {
	d := at(t)
	take(t, d, "items.csv", "SKU,Description,Category\nROPE,Rope,Ropes\n")
	head := []any{"SKU", "Description", "Category"}
	dr, err := d.Intake.Upload(
		ctx,
		nell,
		"all.xlsx",
		workbook(
			t,
			[][]any{head, {"ROPE", "Rope 1", "R1"}, {"NEW", "New 1", ""}},
			[][]any{head, {"rope", "Rope 2", ""}, {"NEW", "New 2", "N2"}},
			[][]any{
				{"Warehouse", "Bin", "SKU", "On hand", "Shelf", "As at"},
				{"W", "A", "ROPE", 4, "high", "2026-11-20T06:00:00Z"},
				{"W", "A", "NEW", 1, "low", "2026-11-20T06:00:00Z"},
				{"W", "B", "OTHER", 2, "low", "2026-11-20T06:00:00Z"},
			},
		),
		intake.Choices{Zone: "UTC"},
	)
	require.NoError(t, err)
	dr = settle(t, d, dr, intake.Answer{Sheet: 1, Use: "yes"})
	dr = settle(
		t,
		d,
		dr,
		intake.Answer{
			Sheet: 2,
			Set:   &layout.Layout{Columns: []layout.Choice{{Column: "E", Header: "Shelf", Field: field.ItemAttribute + "Shelf"}}},
		},
	)
	require.Empty(t, dr.Problems)
	items := func() string {
		var list []struct{ Sku, Description, Category, Attributes string }
		require.NoError(t, d.Store.Read(ctx).Raw("SELECT sku, description, category, attributes FROM items ORDER BY sku").Scan(&list).Error)
		return fmt.Sprint(list)
	}
	before := items()
	out := takeDraft(t, d, dr)
	assert.Equal(t, `[{NEW New 2 N2 {"Shelf":"low"}} {OTHER   {"Shelf":"low"}} {ROPE Rope 2 R1 {"Shelf":"high"}}]`, items())
	assert.Equal(t, map[string]string{"A ROPE": "4", "A NEW": "1", "B OTHER": "2"}, recorded(t, d, 1))
	require.NoError(t, d.Intake.Undo(ctx, nell, out.Intake, true))
	assert.Equal(t, before, items())
	assert.Zero(t, tally(t, d, "SELECT count(*) FROM item_before"))
}
