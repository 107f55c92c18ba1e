package house_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/core/layout"
	"wobin/internal/desk/intake"
)

// A layout that is saved after the header row was said by hand leaves the file in hand as it was read.
func TestLayoutAfterHeaderByHand(t *testing.T) {
	d := at(t)
	text := "Stock of the yard,,,\nprinted today,,,\nwarehouse,bin,sku,quantity\nW,A-1,ROPE,5\nW,A-2,SHK,7\n"
	dr := look(t, d, "list.csv", text, intake.Choices{})
	require.Equal(t, 3, dr.Sheets[0].HeaderRow)
	dr = settle(t, d, dr, intake.Answer{Set: &layout.Layout{Header: 3}})
	require.Equal(t, 2, dr.Rows)
	dr, err := d.Intake.SaveDraftLayout(ctx, nell, dr.ID, 0, "yard list")
	require.NoError(t, err)
	assert.Equal(t, 2, dr.Rows)
	assert.Equal(t, 3, dr.Sheets[0].HeaderRow)
	assert.Empty(t, dr.Blocked)
	assert.Equal(t, "yard list", dr.Sheets[0].Layout)
	// The next file of that shape has no title.
	next := look(t, d, "next.csv", "warehouse,bin,sku,quantity\nW,A-1,ROPE,6\n", intake.Choices{})
	assert.Equal(t, "yard list", next.Sheets[0].Layout)
	assert.Equal(t, 1, next.Rows)
}

// Barcodes of a stock file go with the items that it makes; one that several items have names none of them, and that is said.
func TestBarcodesOfNewItems(t *testing.T) {
	d := at(t)
	dr := look(t, d, "stock.csv", "warehouse,bin,sku,barcode,quantity,as at\nW,A-1,ROPE,4006381333931,5,2026-11-20T06:00:00Z\n"+
		"W,A-2,SHK,5012345678900,7,2026-11-20T06:00:00Z\nW,A-3,SHK,96385074,7,2026-11-20T06:00:00Z\n"+
		"W,A-4,ONE,73513537,1,2026-11-20T06:00:00Z\nW,A-4,TWO,73513537,1,2026-11-20T06:00:00Z\n", intake.Choices{})
	assert.Contains(t, dr.Sheets[0].Assumed, "1 barcode stands beside several items, and so names none of them.")
	takeDraft(t, d, dr)
	var items []struct{ SKU, Barcode, Barcodes string }
	require.NoError(t, d.Store.Read(ctx).Raw("SELECT sku, barcode, barcodes FROM items ORDER BY sku").Scan(&items).Error)
	assert.Equal(t, []struct{ SKU, Barcode, Barcodes string }{
		{"ONE", "", ""}, {"ROPE", "4006381333931", ""}, {"SHK", "5012345678900", `["5012345678900","96385074"]`}, {"TWO", "", ""},
	}, items)
}
