package tabular

import (
	"archive/zip"
	"bytes"
	"fmt"
	"io"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"
)

// document packs the tables of an OpenDocument spreadsheet.
func document(t require.TestingT, tables string) []byte {
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for name, text := range map[string]string{
		"mimetype": "application/vnd.oasis.opendocument.spreadsheet",
		"content.xml": `<?xml version="1.0" encoding="UTF-8"?><office:document-content
			xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0" xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0"
			xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0" xmlns:style="urn:oasis:names:tc:opendocument:xmlns:style:1.0">
			<office:automatic-styles><style:style style:name="ta1"><style:table-properties table:display="true"/></style:style>
			<style:style style:name="ta2"><style:table-properties table:display="false"/></style:style></office:automatic-styles>
			<office:body><office:spreadsheet>` + tables + `</office:spreadsheet></office:body></office:document-content>`,
	} {
		w, err := z.Create(name)
		require.NoError(t, err)
		_, err = io.WriteString(w, text)
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	return b.Bytes()
}

// A spreadsheet of the OpenDocument form is read cell by cell as it is shown: repeated rows and cells, notes that hang on cells,
// numbers, codes with zeros in front, dates and what is hidden.
func TestOpenDocument(t *testing.T) {
	cell := func(text string) string {
		return `<table:table-cell office:value-type="string"><text:p>` + text + `</text:p></table:table-cell>`
	}
	data := document(t, `<table:table table:name="Stock" table:style-name="ta1">
		<table:table-column/><table:table-column table:visibility="collapse" table:number-columns-repeated="2"/><table:table-column/>
		<table:table-header-rows><table:table-row>`+cell("SKU")+cell("Bin")+cell("Qty")+cell("At")+`</table:table-row></table:table-header-rows>
		<table:table-row><table:table-cell office:value-type="float" office:value="412"><text:p>000412</text:p></table:table-cell>
			<table:table-cell office:value-type="string"><office:annotation><text:p>a note</text:p></office:annotation><text:p>A<text:s text:c="2"/>1</text:p></table:table-cell>
			<table:table-cell office:value-type="float" office:value="0.30000000000000004"><text:p>0,3</text:p></table:table-cell>
			<table:table-cell office:value-type="date" office:date-value="2026-11-20T00:00:00"><text:p>20.11.26</text:p></table:table-cell>
			<table:table-cell table:number-columns-repeated="16380"/></table:table-row>
		<table:table-row table:number-rows-repeated="2" table:visibility="filter">`+cell("R1")+`<table:table-cell table:number-columns-repeated="2"/>
			<table:table-cell office:value-type="time" office:time-value="PT06H05M00S"><text:p>6:05</text:p></table:table-cell></table:table-row>
		<table:table-row table:number-rows-repeated="3"><table:table-cell table:number-columns-repeated="16384"/></table:table-row>
		<table:table-row><table:table-cell office:value-type="string" table:number-columns-repeated="3"><text:p>x</text:p><text:p>y</text:p></table:table-cell></table:table-row>
		<table:table-row table:number-rows-repeated="1048000"><table:table-cell table:number-columns-repeated="16384"/></table:table-row>
		</table:table><table:table table:name="Aside" table:style-name="ta2"><table:table-row>`+cell("else")+`</table:table-row></table:table>`)
	f, err := Open("list.ods", bytes.NewReader(data), int64(len(data)), Options{})
	require.NoError(t, err)
	assert.Equal(t, Workbook, f.Kind)
	assert.Equal(t, []string{"Stock", "Aside"}, f.Sheets)
	assert.Equal(t, []bool{false, true}, f.Hidden)
	type read struct {
		row    int
		hidden bool
		cells  string
	}
	var got []read
	rows, err := f.Rows(0)
	require.NoError(t, err)
	for {
		n, cells, ok := rows.Next()
		if !ok {
			break
		}
		var texts []string
		for _, c := range cells {
			texts = append(texts, string(c))
		}
		got = append(got, read{n, rows.Hidden(), strings.Join(texts, "|")})
		if n == 2 {
			assert.Equal(t, []CellKind{TextCell, TextCell, NumberCell, DateCell}, rows.Kinds())
		}
	}
	require.NoError(t, rows.Err())
	assert.Equal(t, []bool{false, true, true, false}, rows.HiddenColumns())
	rows.Close()
	assert.Equal(t, []read{
		{1, false, "SKU|Bin|Qty|At"}, {2, false, "000412|A  1|0.3|2026-11-20 00:00:00"}, {3, true, "R1|||06:05:00"}, {4, true, "R1|||06:05:00"},
		{8, false, "x\ny|x\ny|x\ny"},
	}, got)
	rows, err = f.Rows(1)
	require.NoError(t, err)
	_, cells, ok := rows.Next()
	require.True(t, ok)
	assert.Equal(t, "else", string(cells[0]))
}

// What is damaged, too large or no table says so.
func TestOpenDocumentsThatAreNone(t *testing.T) {
	read := func(data []byte) error {
		f, err := Open("list.ods", bytes.NewReader(data), int64(len(data)), Options{})
		if err != nil {
			return err
		}
		rows, err := f.Rows(0)
		if err != nil {
			return err
		}
		defer rows.Close()
		for {
			if _, _, ok := rows.Next(); !ok {
				return rows.Err()
			}
		}
	}
	assert.ErrorContains(t, read(document(t, "")), "without a table")
	assert.ErrorContains(t, read(document(t, `<table:table table:name="A"><table:table-row><table:table-cell></table:table>`)), "is a damaged OpenDocument file")
	many := `<table:table table:name="A"><table:table-row table:number-rows-repeated="9999999"><table:table-cell office:value-type="string"><text:p>x</text:p></table:table-cell></table:table-row></table:table>`
	assert.ErrorContains(t, read(document(t, many)), "is repeated 9999999 times")
	wide := `<table:table table:name="A"><table:table-row><table:table-cell table:number-columns-repeated="99999" office:value-type="string"><text:p>x</text:p></table:table-cell></table:table-row></table:table>`
	assert.ErrorContains(t, read(document(t, wide)), "columns")
	long := `<table:table table:name="A"><table:table-row><table:table-cell office:value-type="string"><text:p>x<text:s text:c="99999999"/></text:p></table:table-cell></table:table-row></table:table>`
	assert.ErrorContains(t, read(document(t, long)), "is longer than")
}

// A file has the sheets that it says, and no other, in every form.
func TestSheetsBeyondTheLast(t *testing.T) {
	book := excelize.NewFile()
	var b bytes.Buffer
	require.NoError(t, book.Write(&b))
	for name, content := range map[string]string{"a.csv": "a,b\n", "a.xlsx": b.String(), "a.ods": string(document(t, `<table:table table:name="T"><table:table-row/></table:table>`))} {
		f, err := Open(name, strings.NewReader(content), int64(len(content)), Options{})
		require.NoError(t, err, name)
		require.Len(t, f.Sheets, 1, name)
		for _, sheet := range []int{-1, 1, 2} {
			_, err := f.Rows(sheet)
			assert.ErrorContains(t, err, fmt.Sprintf("has no sheet number %d", sheet+1), name)
		}
	}
}
