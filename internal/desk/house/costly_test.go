package house_test

import (
	"archive/zip"
	"bytes"
	"fmt"
	"runtime"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/desk/intake"
)

// book is a workbook of some sheets, its parts written as they are given.
func book(t *testing.T, sheets int, shared, sheet string) []byte {
	t.Helper()
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	put := func(name, text string) {
		w, err := z.Create(name)
		require.NoError(t, err)
		_, err = w.Write([]byte(text))
		require.NoError(t, err)
	}
	var names, rels strings.Builder
	for i := 1; i <= sheets; i++ {
		fmt.Fprintf(&names, `<sheet name="S%d" sheetId="%d" r:id="r%d"/>`, i, i, i)
		fmt.Fprintf(&rels, `<Relationship Id="r%d" Type="x/worksheet" Target="worksheets/s%d.xml"/>`, i, i)
	}
	put("[Content_Types].xml", `<Types/>`)
	put("xl/workbook.xml", `<workbook xmlns:r="http://schemas.openxmlformats.org/officeDocument/2006/relationships"><sheets>`+
		names.String()+`</sheets></workbook>`)
	put("xl/_rels/workbook.xml.rels", `<Relationships>`+rels.String()+
		`<Relationship Id="ss" Type="x/sharedStrings" Target="sharedStrings.xml"/></Relationships>`)
	put("xl/sharedStrings.xml", `<sst>`+shared+`</sst>`)
	for i := 1; i <= sheets; i++ {
		put(fmt.Sprintf("xl/worksheets/s%d.xml", i), `<worksheet><sheetData>`+sheet+`</sheetData></worksheet>`)
	}
	require.NoError(t, z.Close())
	return b.Bytes()
}

// Small files that unfold to much are refused while they are read: none takes long or much memory, and each is told what is wrong.
func TestSmallFilesCostLittle(t *testing.T) {
	d := at(t)
	var items strings.Builder
	for i := range 3000 {
		fmt.Fprintf(&items, "ROPE-%04d,Rope %d,m,%013d\n", i, i, 4000000000000+i)
	}
	take(t, d, "items.csv", "sku,description,unit,barcode\n"+items.String())
	take(t, d, "stock.csv", "warehouse,bin,sku,on hand,recorded at\nW,A-1,ROPE-0001,4,2026-11-20T06:00:00Z\n")
	cell := func(s string) string { return `<c t="inlineStr"><is><t>` + s + `</t></is></c>` }
	row := func(sku string) string {
		return `<row>` + cell("W") + cell("A-1") + sku + cell("4") + cell("2026-11-21T06:00:00Z") + `</row>`
	}
	head := `<row>` + cell("warehouse") + cell("bin") + cell("sku") + cell("on hand") + cell("recorded at") + `</row>`
	list := func(sku string) []byte {
		return []byte("warehouse,bin,sku,on hand,recorded at\nW,A-1," + sku + ",4,2026-11-21T06:00:00Z\n")
	}
	many := strings.Repeat
	for name, x := range map[string]struct {
		file []byte
		says string
	}{
		"a shared text, often in one cell.xlsx": {book(t, 1, "<si><t>"+many("A", 60_000)+"</t></si>",
			head+row(`<c t="s">`+many("<v>0</v>", 20_000)+"</c>")), "the cell in column C is longer than 65536 bytes"},
		"a shared text in every row.xlsx": {book(t, 1, "<si>"+many("<r><t>A</t></r>", 20_000)+"</si>",
			head+many(row(`<c t="s"><v>0</v></c>`), 20_000)), "unpacks to more than"},
		"a text of pieces.xlsx": {book(t, 1, "", head+row(`<c t="inlineStr"><is>`+many("<r><t>"+many("A", 60_000)+"</t></r>", 2_000)+`</is></c>`)),
			"unpacks to more than"},
		"shared pieces.xlsx": {book(t, 1, "<si>"+many("<r><t>"+many("A", 60_000)+"</t></r>", 2_000)+"</si>",
			head+row(`<c t="s"><v>0</v></c>`)), "unpacks to more than"},
		"sheets.xlsx": {book(t, 20_000, "", head+row(cell("X"))), "has 20000 sheets"},
		"alike.csv":   {list(many("ОО0о", 8_000)), "is 56000 bytes long, and no sku has more than 200"},
		"digits.csv":  {list(many("1", 60_000)), "is 60000 bytes long, and no sku has more than 200"},
		"alike, many.csv": {[]byte("warehouse,bin,sku,on hand,recorded at\n" +
			many("W,A-1,RОРE-"+many("О-", 8_000)+",4,2026-11-21T06:00:00Z\n", 300)), "no sku has more than 200"},
		"lot.csv":      {[]byte("warehouse,bin,sku,lot,on hand\nW,A-1,ROPE-0001," + many("7", 201) + ",4\n"), "no lot has more than 200"},
		"barcodes.csv": {[]byte("sku,barcode\nROPE-0001,\"" + many("4000000000017;", 4_000) + "\"\n"), "an item at most 200 barcodes"},
	} {
		var before, after runtime.MemStats
		runtime.ReadMemStats(&before)
		dr, err := d.Intake.Upload(ctx, nell, name, bytes.NewReader(x.file), intake.Choices{Zone: "UTC"})
		runtime.ReadMemStats(&after)
		require.NoError(t, err, name)
		assert.Less(t, (after.TotalAlloc-before.TotalAlloc)>>20, uint64(1200), name)
		said := ""
		for _, g := range dr.Problems {
			for _, p := range g.List {
				said += p.Text + "\n"
			}
		}
		assert.Contains(t, said, x.says, name)
	}
}
