package tabular

import (
	"bytes"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"
)

// What a workbook shows is what is read: digits that a format puts in front, a time of day that is midnight, and what is hidden is
// told.
func TestAsTheWorkbookShowsIt(t *testing.T) {
	book := excelize.NewFile()
	style := func(format string) int {
		id, err := book.NewStyle(&excelize.Style{CustomNumFmt: &format})
		require.NoError(t, err)
		return id
	}
	midnight := time.Date(2026, 11, 20, 0, 0, 0, 0, time.UTC)
	for cell, x := range map[string]struct {
		value  any
		format string
	}{
		"A1": {412, "000000"}, "B1": {midnight, "yyyy-mm-dd hh:mm"}, "C1": {midnight, "yyyy-mm-dd"}, "D1": {12.5, "000000"}, "E1": {412, "0"},
		"F1": {1234567, "000000"}, "G1": {-5, "000"},
	} {
		require.NoError(t, book.SetCellValue("Sheet1", cell, x.value))
		require.NoError(t, book.SetCellStyle("Sheet1", cell, cell, style(x.format)))
	}
	require.NoError(t, book.SetSheetRow("Sheet1", "A2", &[]any{"hidden row"}))
	require.NoError(t, book.SetRowVisible("Sheet1", 2, false))
	require.NoError(t, book.SetSheetRow("Sheet1", "A3", &[]any{"seen"}))
	require.NoError(t, book.SetColVisible("Sheet1", "C:D", false))
	_, err := book.NewSheet("Aside")
	require.NoError(t, err)
	require.NoError(t, book.SetSheetVisible("Aside", false))
	var b bytes.Buffer
	require.NoError(t, book.Write(&b))
	f, err := Open("book.xlsx", bytes.NewReader(b.Bytes()), int64(b.Len()), Options{})
	require.NoError(t, err)
	assert.Equal(t, []string{"Sheet1", "Aside"}, f.Sheets)
	assert.Equal(t, []bool{false, true}, f.Hidden)
	rows, err := f.Rows(0)
	require.NoError(t, err)
	defer rows.Close()
	n, cells, ok := rows.Next()
	require.True(t, ok)
	assert.Equal(t, 1, n)
	var texts []string
	for _, c := range cells {
		texts = append(texts, string(c))
	}
	assert.Equal(t, []string{"000412", "2026-11-20 00:00:00", "2026-11-20", "12.5", "412", "1234567", "-5"}, texts)
	assert.Equal(t, TextCell, rows.Kinds()[0], "it is that text, and no number")
	assert.Equal(t, NumberCell, rows.Kinds()[4])
	assert.False(t, rows.Hidden())
	assert.Equal(t, []bool{false, false, true, true}, rows.HiddenColumns()[:4])
	n, _, ok = rows.Next()
	require.True(t, ok)
	assert.Equal(t, 2, n)
	assert.True(t, rows.Hidden())
	_, _, ok = rows.Next()
	require.True(t, ok)
	assert.False(t, rows.Hidden())
}

// Signs that a workbook writes as their numbers are those signs.
func TestEscapedSigns(t *testing.T) {
	for text, want := range map[string]string{
		"a_x000D_b": "a\rb", "_x005F_x000D_": "_x000D_", "_x0041_": "A", "plain": "plain", "_x12_": "_x12_", "_xD800_": "_xD800_", "x_x0009_": "x\t",
	} {
		assert.Equal(t, want, unescaped(text), text)
	}
}

// References stand for their signs; what stands for nothing, as what a definition of the file's own would say, stays in sight.
func TestReferences(t *testing.T) {
	for text, want := range map[string]string{
		"a &amp; b": "a & b", "&lt;&gt;&quot;&apos;": "<>\"'", "&#65;&#x42;": "AB", "&l11;": "&l11;", "&#x;&#99999999;": "&#x;&#99999999;",
		"R&D": "R&D", "&notareferenceatall;": "&notareferenceatall;",
	} {
		assert.Equal(t, want, string(unescape([]byte("x"+text), 1))[1:], text)
	}
}

// Cells that are true or false say which.
func TestTruthValues(t *testing.T) {
	book := excelize.NewFile()
	require.NoError(t, book.SetSheetRow("Sheet1", "A1", &[]any{true, false, 1, 0}))
	var b bytes.Buffer
	require.NoError(t, book.Write(&b))
	f, err := Open("f.xlsx", bytes.NewReader(b.Bytes()), int64(b.Len()), Options{})
	require.NoError(t, err)
	rows, err := f.Rows(0)
	require.NoError(t, err)
	defer rows.Close()
	_, cells, ok := rows.Next()
	require.True(t, ok)
	assert.Equal(t, "TRUE FALSE 1 0", string(bytes.Join(cells, []byte(" "))))
}
