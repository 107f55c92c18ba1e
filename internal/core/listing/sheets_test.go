package listing

import (
	"bytes"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"
)

// What is beyond the rows of a sheet goes onto further ones, each with its header; none has a row more than it may have.
func TestFurtherSheets(t *testing.T) {
	defer func(was int) { mostRows = was }(mostRows)
	mostRows = 3
	var b bytes.Buffer
	w, err := New(&b, Book, "List", []Column{{Key: "sku", Header: "SKU"}})
	require.NoError(t, err)
	for _, sku := range []string{"A", "B", "C", "D", "E"} {
		require.NoError(t, w.Row([]string{sku}))
	}
	require.NoError(t, w.Close())
	f, err := excelize.OpenReader(&b)
	require.NoError(t, err)
	defer f.Close()
	var got [][][]string
	for _, name := range f.GetSheetList() {
		rows, err := f.GetRows(name)
		require.NoError(t, err)
		got = append(got, rows)
	}
	assert.Equal(t, [][][]string{{{"SKU"}, {"A"}, {"B"}}, {{"SKU"}, {"C"}, {"D"}}, {{"SKU"}, {"E"}}}, got)
}
