package house_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/core/layout"
	"wobin/internal/desk/intake"
)

// Saving a layout leaves the file in hand as it was settled, a header row that was set by hand included.
func TestLayoutSavedAfterTheHeaderWasSet(t *testing.T) {
	d := at(t)
	text := "Item,Qty,Warehouse,Bin\nheld back,,,\nCode,Amount,House,Shelf\nROPE,4,W,A-1\nSHK,5,W,A-2\n"
	dr := look(t, d, "stock.csv", text, intake.Choices{})
	for _, set := range []layout.Layout{
		{Header: 3, HeaderRows: 1}, {Kind: "stock"},
		{Columns: []layout.Choice{{Column: "A", Header: "Code", Field: "sku"}, {Column: "B", Header: "Amount", Field: "quantity"}}},
		{Columns: []layout.Choice{{Column: "C", Header: "House", Field: "warehouse"}, {Column: "D", Header: "Shelf", Field: "bin"}}},
	} {
		dr = settle(t, d, dr, intake.Answer{Set: &set})
	}
	require.Equal(t, []int{2, 0, 0, 0, 0, 0}, effect(dr))
	dr, err := d.Intake.SaveDraftLayout(ctx, nell, dr.ID, 0, "Harbour")
	require.NoError(t, err)
	assert.Equal(t, []int{2, 0, 0, 0, 0, 0}, effect(dr))
	assert.Equal(t, 3, dr.Sheets[0].HeaderRow)
	again := look(t, d, "next.csv", "Code,Amount,House,Shelf\nROPE,6,W,A-1\nSHK,5,W,A-2\n", intake.Choices{})
	assert.Equal(t, "Harbour", again.Sheets[0].Layout)
	assert.Equal(t, []int{2, 0, 0, 0, 0, 0}, effect(again))
}
