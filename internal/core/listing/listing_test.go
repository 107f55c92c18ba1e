package listing_test

import (
	"bytes"
	"fmt"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"wobin/internal/core/listing"
)

var columns = []listing.Column{{Key: "sku", Header: "SKU", Always: true}, {Key: "item", Header: "Description"},
	{Key: "lot", Header: "Lot", Always: true}, {Key: "lot", Header: "Serial", Always: true}, {Key: "hand", Header: "On hand", Number: true}}

func ExampleNew() {
	w, err := listing.New(os.Stdout, listing.Text, "Stock", columns[:2])
	if err != nil {
		panic(err)
	}
	for _, row := range [][]string{{"00412", "Hex bolt, M5"}, {"-7", "=SUM(A1)"}} {
		if err := w.Row(row); err != nil {
			panic(err)
		}
	}
	if err := w.Close(); err != nil {
		panic(err)
	}
	// Output:
	// SKU,Description
	// 00412,"Hex bolt, M5"
	// -7,'=SUM(A1)
}

func ExampleChosen() {
	fmt.Println(listing.Chosen(columns, []string{"hand", "sku", "a word of the screen alone"}))
	// Output: [2 3 4 0]
}

func TestChosen(t *testing.T) {
	assert.Equal(t, []int{0, 1, 2, 3, 4}, listing.Chosen(columns, nil), "nothing wanted: all")
	assert.Equal(t, []int{0, 2, 3, 1}, listing.Chosen(columns, []string{"lot", "item"}), "a column of the screen may be two of the file")
}

// In a workbook codes are text, and numbers are numbers where it keeps them as they are.
func TestBook(t *testing.T) {
	var b bytes.Buffer
	w, err := listing.New(&b, listing.Book, "Recorded stock: W/1", columns)
	require.NoError(t, err)
	for _, q := range []string{"12.5", "999999999999.999999", "123456789.123456", ""} {
		require.NoError(t, w.Row([]string{"00412", "=1+1", "1E5", "'=x", q}))
	}
	require.ErrorContains(t, w.Row([]string{"A", strings.Repeat("x", 40_000), "", "", ""}), "Take the list out as text")
	require.NoError(t, w.Close())
	f, err := excelize.OpenReader(&b)
	require.NoError(t, err)
	defer f.Close()
	require.Equal(t, []string{"Recorded stock- W-1"}, f.GetSheetList())
	rows, err := f.GetRows("Recorded stock- W-1", excelize.Options{RawCellValue: true})
	require.NoError(t, err)
	assert.Equal(t, [][]string{{"SKU", "Description", "Lot", "Serial", "On hand"}, {"00412", "=1+1", "1E5", "''=x", "12.5"},
		{"00412", "=1+1", "1E5", "''=x", "999999999999.999999"}, {"00412", "=1+1", "1E5", "''=x", "123456789.123456"},
		{"00412", "=1+1", "1E5", "''=x"}}, rows)
	for cell, kind := range map[string]excelize.CellType{"A2": excelize.CellTypeInlineString, "B2": excelize.CellTypeInlineString,
		"E2": excelize.CellTypeUnset, "E3": excelize.CellTypeInlineString, "E4": excelize.CellTypeUnset} {
		is, err := f.GetCellType("Recorded stock- W-1", cell)
		require.NoError(t, err)
		assert.Equal(t, kind, is, cell)
	}
}
