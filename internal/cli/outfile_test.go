package cli

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Adjustments are written by a layout in the place of their own form; what it cannot say is told with the line and the column, and
// nothing is written.
func TestReconcileByLayout(t *testing.T) {
	files := map[string]string{
		"stock.csv":  stockFile,
		"counts.csv": "warehouse,bin,sku,lot,counted,counted_at,counter\nW,A-2,X,,8,2026-11-20 10:00,Ida\nW,B-1,Q,,96,2026-11-20 10:00,Ida\n",
		"items.csv":  "sku,description,barcode,category,pack,pack size\nX,Rope,4006381333931,ROPE,,\nQ,Block,,DECK,box,4\n",
		"layout.json": `{"name":"ours","delimiter":";","line_end":"crlf","decimal":"comma","titles":["ADJ"],"file_name":"adj-{reference}-{date}.txt",
			"columns":[{"header":"No","field":"row"},{"header":"Item","field":"sku"},{"header":"Code","field":"barcode"},{"header":"Qty","field":"difference","places":2,"minus":"behind"},
			{"header":"Why","field":"reason","values":{"short":"51"}},{"header":"Kind","fixed":"P"},{"header":"Is","formula":"'expected' + 'difference'"}]}`,
		"packs.json": `{"columns":[{"header":"Item","field":"sku"},{"header":"Boxes","field":"difference","pack":"box"}]}`,
		"wrong.json": `{"columns":[{"header":"Item","field":"sku"}]}`,
		"taken.json": `{"file_name":"variances.csv","columns":[{"header":"Item","field":"sku"},{"header":"Qty","field":"difference"}]}`,
	}
	var written []byte
	seen := func(more ...string) (int, string) {
		args := append([]string{"--stock", "stock.csv", "--counts", "counts.csv", "--items", "items.csv"}, more...)
		code, _, stderr, _ := reconcileFiles(t, files, args...)
		return code, stderr
	}
	dir := t.TempDir()
	code, stderr := seen("--adjustment-layout", "layout.json", "--reference", "C7", "--posting-date", "2026-11-21 00:00", "--out", dir)
	require.Equal(t, 0, code, stderr)
	written, err := os.ReadFile(filepath.Join(dir, "adj-C7-2026-11-21.txt"))
	require.NoError(t, err)
	assert.Equal(t, "ADJ\r\nNo;Item;Code;Qty;Why;Kind;Is\r\n1;X;4006381333931;2,00-;51;P;8\r\n2;Q;;4,00-;51;P;96\r\n", string(written))
	assert.NoFileExists(t, filepath.Join(dir, "adjustments.csv"))

	dir = t.TempDir()
	code, stderr = seen("--adjustment-layout", "packs.json", "--out", dir)
	assert.Equal(t, 2, code)
	assert.Contains(t, stderr, `adjustments: W A-2 X: Boxes: A-2 · X has no pack "box". Add it in the reference, or send base units`)
	assert.NotContains(t, stderr, "B-1")
	left, err := os.ReadDir(dir)
	require.NoError(t, err)
	assert.Empty(t, left, "nothing is written")
	code, stderr = seen("--adjustment-layout", "wrong.json")
	assert.Equal(t, 1, code)
	assert.Contains(t, stderr, "wrong.json: no column says how much")
	code, stderr = seen("--adjustment-layout", "taken.json", "--out", dir)
	assert.Equal(t, 1, code)
	assert.Contains(t, stderr, "would be called variances.csv")
	code, stderr = seen("--adjustment-layout", "packs.json", "--quantity", "balance")
	assert.Equal(t, 1, code)
	assert.Contains(t, stderr, "give one of them")
}
