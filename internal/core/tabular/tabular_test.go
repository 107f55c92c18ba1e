package tabular

import (
	"archive/zip"
	"bytes"
	"encoding/csv"
	"fmt"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"
	"pgregory.net/rapid"
)

type numbered struct {
	row   int
	cells []string
}

func all(t require.TestingT, data []byte, sheet int) (*File, []numbered, error) {
	f, err := Open("f", bytes.NewReader(data), int64(len(data)), Options{})
	if err != nil {
		return nil, nil, err
	}
	rows, err := f.Rows(sheet)
	if err != nil {
		return f, nil, err
	}
	defer rows.Close()
	var out []numbered
	for {
		n, cells, ok := rows.Next()
		if !ok {
			return f, out, rows.Err()
		}
		r := numbered{row: n}
		for _, c := range cells {
			r.cells = append(r.cells, string(c))
		}
		out = append(out, r)
	}
}

func TestTextForms(t *testing.T) {
	plain := "sku;qty;name\r\nA-1;3;Öl\r\n\r\n\"B;2\";4;\"two\nlines \"\"x\"\"\"\r\nC;5;end"
	want := []numbered{{1, []string{"sku", "qty", "name"}}, {2, []string{"A-1", "3", "Öl"}},
		{4, []string{"B;2", "4", "two\nlines \"x\""}}, {5, []string{"C", "5", "end"}}}
	cp1252, _ := charmap.Windows1252.NewEncoder().String(plain)
	le, _ := unicode.UTF16(unicode.LittleEndian, unicode.UseBOM).NewEncoder().String(plain)
	be, _ := unicode.UTF16(unicode.BigEndian, unicode.UseBOM).NewEncoder().String(plain)
	bare, _ := unicode.UTF16(unicode.LittleEndian, unicode.IgnoreBOM).NewEncoder().String(plain)
	for enc, data := range map[Encoding]string{UTF8: plain, UTF8Mark: "\ufeff" + plain, Windows1252: cp1252, UTF16LE: le, UTF16BE: be} {
		f, rows, err := all(t, []byte(data), 0)
		require.NoError(t, err, enc)
		assert.Equal(t, want, rows, enc)
		assert.Equal(t, enc, f.Dialect.Encoding)
		assert.Equal(t, byte(';'), f.Dialect.Delimiter)
	}
	f, rows, err := all(t, []byte(bare), 0)
	require.NoError(t, err)
	assert.Equal(t, UTF16LE, f.Dialect.Encoding)
	assert.Equal(t, want, rows)
}

func TestDelimiters(t *testing.T) {
	for _, d := range []string{",", ";", "\t", "|"} {
		f, rows, err := all(t, []byte(strings.ReplaceAll("a^b^c\n1^2^3\n\"x,y;z\"^2^3\n", "^", d)), 0)
		require.NoError(t, err)
		assert.Equal(t, d[0], f.Dialect.Delimiter)
		assert.Equal(t, "x,y;z", rows[2].cells[0])
	}
}

// What encoding/csv writes is read the same, in any delimiter, with rows that break at every kind of place.
func TestReadsWhatOthersWrite(t *testing.T) {
	cell := rapid.StringMatching(`[a-c0-9 ",;\n'é\t|]{0,6}`)
	rapid.Check(t, func(t *rapid.T) {
		width := rapid.IntRange(2, 5).Draw(t, "width")
		in := rapid.SliceOfN(rapid.SliceOfN(cell, width, width), 1, 20).Draw(t, "in")
		header := make([]string, width)
		for i := range header {
			header[i] = ColumnName(i)
		}
		in = append([][]string{header}, in...)
		var buf bytes.Buffer
		w := csv.NewWriter(&buf)
		w.Comma = rapid.SampledFrom([]rune{',', ';', '\t', '|'}).Draw(t, "delimiter")
		require.NoError(t, w.WriteAll(in))
		f, err := Open("f", bytes.NewReader(buf.Bytes()), int64(buf.Len()), Options{Delimiter: byte(w.Comma), Encoding: UTF8})
		require.NoError(t, err)
		rows, err := f.Rows(0)
		require.NoError(t, err)
		for _, want := range in {
			_, cells, ok := rows.Next()
			require.True(t, ok)
			require.Len(t, cells, width)
			for i := range want {
				assert.Equal(t, want[i], string(cells[i]))
			}
		}
		_, _, ok := rows.Next()
		assert.False(t, ok)
		assert.NoError(t, rows.Err())
		// And our own writer is read by encoding/csv.
		var own []byte
		for _, r := range in {
			own = AppendRow(own, byte(w.Comma), r...)
		}
		rd := csv.NewReader(bytes.NewReader(own))
		rd.Comma = w.Comma
		back, err := rd.ReadAll()
		require.NoError(t, err)
		assert.Equal(t, in, back)
	})
}

func TestWorkbook(t *testing.T) {
	x := excelize.NewFile()
	require.NoError(t, x.SetSheetName("Sheet1", "Notes"))
	_, err := x.NewSheet("Stock")
	require.NoError(t, err)
	require.NoError(t, x.SetCellValue("Stock", "A1", "Stock <&> list"))
	require.NoError(t, x.SetSheetRow("Stock", "B3", &[]any{"SKU", "Qty", "When", "Ok"}))
	require.NoError(t, x.SetSheetRow("Stock", "B4", &[]any{"007", 0.1 + 0.2, time.Date(2026, 3, 12, 14, 5, 0, 0, time.UTC), true}))
	require.NoError(t, x.SetCellInt("Stock", "C7", 5010000000000))
	var buf bytes.Buffer
	require.NoError(t, x.Write(&buf))
	f, rows, err := all(t, buf.Bytes(), 1)
	require.NoError(t, err)
	assert.Equal(t, []string{"Notes", "Stock"}, f.Sheets)
	assert.Equal(t, []numbered{
		{1, []string{"Stock <&> list"}},
		{3, []string{"", "SKU", "Qty", "When", "Ok"}},
		{4, []string{"", "007", "0.3", "2026-03-12 14:05:00", "TRUE"}},
		{7, []string{"", "", "5010000000000"}},
	}, rows)
}

// A workbook saved by another office program.
func TestWorkbookOfAnotherProgram(t *testing.T) {
	data, err := os.ReadFile("testdata/office.xlsx")
	require.NoError(t, err)
	_, rows, err := all(t, data, 0)
	require.NoError(t, err)
	assert.Equal(t, []numbered{
		{1, []string{"Stock on the quay, morning list"}},
		{3, []string{"Warehouse", "Bin", "SKU", "On hand", "Unit cost", "As at"}},
		{4, []string{"QUAY", "Q-01-1", "00712", "12.5", "3.2", "2026-03-12"}},
		{5, []string{"QUAY", "Q-01-2", "SHK-10", "-4", "0.3", "2026-03-12 14:05:00"}},
	}, rows)
}

func zipOf(t *testing.T, parts map[string]string) []byte {
	var buf bytes.Buffer
	z := zip.NewWriter(&buf)
	for name, body := range parts {
		w, err := z.Create(name)
		require.NoError(t, err)
		_, err = w.Write([]byte(body))
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	return buf.Bytes()
}

func TestRefused(t *testing.T) {
	book := map[string]string{
		"xl/workbook.xml":            `<workbook xmlns:r="http://schemas.openxmlformats.org/officeDocument/2006/relationships"><sheets><sheet name="S" r:id="r1"/></sheets></workbook>`,
		"xl/_rels/workbook.xml.rels": `<Relationships><Relationship Id="r1" Type="x/worksheet" Target="worksheets/s.xml"/></Relationships>`,
		"xl/worksheets/s.xml":        `<worksheet><sheetData><row r="1"><c r="A1"><v>1</v>`,
	}
	bomb := map[string]string{}
	for k, v := range book {
		bomb[k] = v
	}
	bomb["xl/worksheets/s.xml"] = "<worksheet><sheetData>" + strings.Repeat(" ", 80<<20)
	many := map[string]string{}
	for i := range 51 {
		many[fmt.Sprintf("%d.csv", i)] = "a,b\n1,2\n"
	}
	for name, c := range map[string]struct{ data, want string }{
		"empty":         {"", "is empty"},
		"zeros":         {strings.Repeat("\x00", 100_000), "zero bytes"},
		"pdf":           {"%PDF-1.7", "is a PDF"},
		"old workbook":  {"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1....", "old binary form"},
		"broken zip":    {"PK\x03\x04 nothing", "damaged"},
		"text document": {string(zipOf(t, map[string]string{"[Content_Types].xml": "<x/>", "word/document.xml": "<x/>"})), "no workbook"},
		"empty archive": {string(zipOf(t, map[string]string{"folder/": ""})), "nothing in it"},
		"no table":      {string(zipOf(t, map[string]string{"a.csv": "a,b\n1,2\n", "b.pdf": "%PDF-1.7"})), `holds "b.pdf", which is a PDF`},
		"nested":        {string(zipOf(t, map[string]string{"a.csv": "a,b\n1,2\n", "b.zip": "PK\x03\x04"})), "archive itself"},
		"many files":    {string(zipOf(t, many)), "more than 50 files"},
		"large archive": {string(zipOf(t, map[string]string{"a.csv": "a,b\n1,2\n", "b.csv": strings.Repeat("1,2\n", 33<<20)})), "the most for an archive of"},
		"open quote":    {"a,b\n1,\"2\n3,4\n", "never closed"},
		"long row":      {"a,b\n" + strings.Repeat("x", 3<<20), "longer than"},
		"many columns":  {strings.Repeat(",", 5000), "columns"},
		"cut workbook":  {string(zipOf(t, book)), "breaks off"},
		"bomb":          {string(zipOf(t, bomb)), "unpacks"},
	} {
		_, _, err := all(t, []byte(c.data), 0)
		var e *Error
		require.ErrorAs(t, err, &e, name)
		assert.Contains(t, e.Error(), c.want, name)
	}
}

func TestSafe(t *testing.T) {
	for _, s := range []string{"=1+1", "@x", "-5", "-5.5", "+A", "plain", "-x"} {
		assert.Equal(t, s, string(Unsafe([]byte(Safe(s)))))
	}
	assert.Equal(t, "'=1", Safe("=1"))
	for _, wide := range []string{"＝1+1", "＋1", "－1", "＠sum"} { // full-width signs are signs to some programs
		assert.Equal(t, "'"+wide, Safe(wide))
		assert.Equal(t, wide, string(Unsafe([]byte(Safe(wide)))))
	}
	assert.Equal(t, "-5", Safe("-5"))
}

func FuzzOpen(f *testing.F) {
	f.Add([]byte("a,b\n1,\"2\"\n"))
	f.Add([]byte("\xff\xfea\x00,\x00b\x00"))
	office, _ := os.ReadFile("testdata/office.xlsx")
	f.Add(office)
	f.Fuzz(func(t *testing.T, data []byte) {
		file, err := Open("f", bytes.NewReader(data), int64(len(data)), Options{})
		if err != nil {
			return
		}
		for s := range file.Sheets {
			rows, err := file.Rows(s)
			if err != nil {
				continue
			}
			last := 0
			for n, _, ok := rows.Next(); ok; n, _, ok = rows.Next() {
				if n <= last {
					t.Fatal("rows out of order")
				}
				last = n
			}
			rows.Close()
		}
	})
}

// What is marked is had again, whatever it was.
func TestSafeThereAndBack(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		s := rapid.StringMatching(`['=+@\t\r0-9a-]{0,6}`).Draw(t, "text")
		marked := Safe(s)
		require.Equal(t, s, string(Unsafe([]byte(marked))), "%q", marked)
	})
}

// Which numbers of a workbook are dates and times is told by their formats alone.
func TestFormatsOfDates(t *testing.T) {
	for format, date := range map[string]bool{
		"yyyy-mm-dd": true, "dd/mm/yyyy;@": true, "[$-407]d. mmmm yyyy": true, "[$-F800]dddd\\,\\ mmmm\\ dd\\,\\ yyyy": true,
		"h:mm AM/PM": true, "[h]:mm": true, "[ss].00": true, "mm:ss.0": true,
		"General": false, "0": false, "#,##0.00": false, "0.00E+00": false, "@": false, "0.00%": false, `#,##0.00\ "days"`: false,
		`#,##0\ \d`: false, "[Red]-#,##0": false, "[$€-407] #,##0.00": false, "_-* #,##0_-": false, `"hand"0`: false, "00000": false,
		`"never closed`: true,
	} {
		assert.Equal(t, date, formOf(format).date, format)
	}
}

// Numbers that are shown as dates come out as dates, with times where they have one, whatever the format; others as
// numbers of 15 digits.
func TestDatesOfWorkbooks(t *testing.T) {
	x := excelize.NewFile()
	put := func(cell string, value any, format string, built int) {
		require.NoError(t, x.SetCellValue("Sheet1", cell, value))
		style := &excelize.Style{NumFmt: built}
		if format != "" {
			style.CustomNumFmt = &format
		}
		id, err := x.NewStyle(style)
		require.NoError(t, err)
		require.NoError(t, x.SetCellStyle("Sheet1", cell, cell, id))
	}
	put("A1", 46347, "dd/mm/yyyy", 0)
	put("B1", 46347.25, "[$-407]d. mmmm yyyy hh:mm", 0)
	put("C1", 46347, "", 14)
	put("D1", 46347, `#,##0\ "days"`, 0)
	put("E1", 0.1+0.2, "0.00", 0)
	put("F1", 1e15/3, "", 0)
	put("G1", 61, "yyyy", 0)
	var b bytes.Buffer
	require.NoError(t, x.Write(&b))
	_, rows, err := all(t, b.Bytes(), 0)
	require.NoError(t, err)
	require.Len(t, rows, 1)
	assert.Equal(
		t,
		[]string{"2026-11-21", "2026-11-21 06:00:00", "2026-11-21", "46347", "0.3", "333333333333333", "1900-03-01"},
		rows[0].cells,
	)
}

// A table as people have it, written in any dialect and encoding, with titles above it or not, is found out and read back
// the same.
func TestAnyDialectIsFoundOut(t *testing.T) {
	word := rapid.StringMatching(`[A-Z][a-zéöß]{1,6}( [a-z0-9,;.'"|-]{1,6}){0,2}`)
	rapid.Check(t, func(t *rapid.T) {
		comma := rapid.SampledFrom([]byte{',', ';', '\t', '|'}).Draw(t, "delimiter")
		decimal := ","
		if comma == ',' {
			decimal = "." // who parts by commas writes points
		}
		table := [][]string{{"Warehouse", "Bin", "Item no", "Description", "On hand", "Unit cost"}}
		for i := range rapid.IntRange(2, 30).Draw(t, "rows") {
			table = append(table, []string{"W1", fmt.Sprintf("A-%02d", i/3), fmt.Sprintf("%05d", 411+i), word.Draw(t, "description"),
				fmt.Sprint(
					rapid.IntRange(0, 5000).Draw(t, "on hand"),
				), fmt.Sprintf("%d%s%02d", rapid.IntRange(0, 99).Draw(t, "whole"), decimal, rapid.IntRange(0, 99).Draw(t, "cents"))})
		}
		end := rapid.SampledFrom([]string{"\n", "\r\n", "\r"}).Draw(t, "ends of lines")
		all := rapid.Bool().Draw(t, "all quoted")
		var b strings.Builder
		titles := rapid.IntRange(0, 2).Draw(t, "titles")
		for range titles {
			b.WriteString("Stock of the quay store" + end)
		}
		for i, r := range table {
			for n, c := range r {
				if n > 0 {
					b.WriteByte(comma)
				}
				if all || strings.ContainsAny(c, "\"\r\n"+string(comma)) {
					c = `"` + strings.ReplaceAll(c, `"`, `""`) + `"`
				}
				b.WriteString(c)
			}
			if i < len(table)-1 || rapid.Bool().Draw(t, "end at the end") {
				b.WriteString(end)
			}
		}
		enc := rapid.SampledFrom([]Encoding{UTF8, UTF8Mark, Windows1252, UTF16LE, UTF16BE}).Draw(t, "encoding")
		var data string
		var err error
		switch enc {
		case UTF8:
			data = b.String()
		case UTF8Mark:
			data = "\ufeff" + b.String()
		case Windows1252:
			data, err = charmap.Windows1252.NewEncoder().String(b.String())
		case UTF16LE:
			data, err = unicode.UTF16(unicode.LittleEndian, unicode.UseBOM).NewEncoder().String(b.String())
		case UTF16BE:
			data, err = unicode.UTF16(unicode.BigEndian, unicode.UseBOM).NewEncoder().String(b.String())
		}
		require.NoError(t, err)
		f, err := Open("f", strings.NewReader(data), int64(len(data)), Options{})
		require.NoError(t, err)
		require.Equal(t, string(comma), string(f.Dialect.Delimiter), b.String())
		rows, err := f.Rows(0)
		require.NoError(t, err)
		defer rows.Close()
		for range titles {
			_, _, ok := rows.Next()
			require.True(t, ok)
		}
		for _, want := range table {
			_, cells, ok := rows.Next()
			require.True(t, ok)
			var got []string
			for _, c := range cells {
				got = append(got, string(c))
			}
			require.Equal(t, want, got, "%q", b.String())
		}
		_, _, more := rows.Next()
		require.False(t, more)
		require.NoError(t, rows.Err())
	})
}

// The tables in an archive are sheets, each with the form of its own file; one by itself is what was packed.
func TestArchive(t *testing.T) {
	book, err := os.ReadFile("testdata/office.xlsx")
	require.NoError(t, err)
	data := zipOf(t, map[string]string{
		"NORTH.csv": "sku;qty\nR1;1,5\n", "south/stock.txt": "sku,qty\nR2,2.5\n", "east/stock.csv": "sku|qty\nR3|3\n", "list.xlsx": string(book),
		"__MACOSX/x": "", ".hidden": "x",
	})
	f, err := Open("all.zip", bytes.NewReader(data), int64(len(data)), Options{})
	require.NoError(t, err)
	assert.Equal(t, Archive, f.Kind)
	require.Equal(t, []string{"NORTH", "east/stock.csv"}, f.Sheets[:2])
	assert.Equal(t, "south/stock.txt", f.Sheets[len(f.Sheets)-1])
	var forms []string
	for s, name := range f.Sheets {
		kind, dialect := f.Of(s)
		forms = append(forms, fmt.Sprintf("%s %s %q", name, kind, string(dialect.Delimiter)))
		rows, err := f.Rows(s)
		require.NoError(t, err)
		_, cells, ok := rows.Next()
		require.True(t, ok, name)
		require.NotEmpty(t, cells)
		require.NoError(t, rows.Close())
	}
	assert.Equal(t, `NORTH delimited text ";"`, forms[0])
	assert.Equal(t, `east/stock.csv delimited text "|"`, forms[1])
	assert.Contains(t, forms[2], "list")
	assert.Contains(t, forms[2], "workbook")

	// What is wrong in one of them is told with its name.
	data = zipOf(t, map[string]string{"a.csv": "a,b\n1,2\n", "b.csv": "a,b\n1,\"2\n"})
	f, err = Open("all.zip", bytes.NewReader(data), int64(len(data)), Options{})
	require.NoError(t, err)
	rows, err := f.Rows(1)
	require.NoError(t, err)
	for _, _, ok := rows.Next(); ok; _, _, ok = rows.Next() {
	}
	require.ErrorContains(t, rows.Err(), "all.zip:b:2")

	data = zipOf(t, map[string]string{"stock.csv": "sku;qty\nR1;1,5\n"})
	f, err = Open("one.zip", bytes.NewReader(data), int64(len(data)), Options{})
	require.NoError(t, err)
	assert.Equal(t, []string{"one.zip/stock.csv", "delimited text", ""}, []string{f.Name, string(f.Kind), f.Sheets[0]})
}
