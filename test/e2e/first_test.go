package e2e

import (
	"archive/zip"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/test/browser"
)

// A first count, where nothing is recorded: an archive of items and places goes in, sheets with rows to fill in come out, what people wrote
// on them is typed, and all of it goes out as found.
func TestFirstCount(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	packed := filepath.Join(dir, "lists.zip")
	f, err := os.Create(packed)
	require.NoError(t, err)
	z := zip.NewWriter(f)
	for name, text := range map[string]string{
		"items.csv":  "SKU;Description;Unit;Unit cost\nROPE-8;Rope 8 mm;m;2,50\nSHK-10;Bow shackle 10 mm;ea;3,00\n",
		"places.csv": "Warehouse,Zone,Bin\nLOFT,Front,A-01-1\nLOFT,Front,A-01-2\nLOFT,Back,B-01-1\n",
	} {
		w, err := z.Create(name)
		require.NoError(t, err)
		_, err = w.Write([]byte(text))
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	require.NoError(t, f.Close())

	s := start(t, filepath.Join(dir, "data"), "serve")
	s.signUp()
	s.do("drop the archive", drop(packed), browser.Visible(`[data-made]`), press("Take in 5 rows"), browser.Visible(`[data-last-word]`))
	s.do(
		"plan",
		s.open("/plan"),
		sees("Nothing is recorded in LOFT"),
		browser.Type(`input[aria-label="Rows to fill in for each bin"]`, "3"),
		sees("bins with rows to fill in"),
		press("Begin a first count and cut 2 sheets"),
		arrives("/counts/1/sheets"),
		sees("to fill in"),
	)
	sheet := string(s.fetch("/api/counts/1/sheets/2/csv"))
	assert.Contains(t, sheet, ",LOFT,A-01-2,,,,,,,,\n")

	found := func(of string) string { return `input[aria-label="Found: ` + of + `"]` }
	s.do(
		"type what was found",
		s.open("/counts/1/counting/2"),
		browser.Visible(`[data-found]`),
		browser.Type(found("sku or barcode"), "rope-8"),
		browser.Type(found("counted"), "12,5\r"),
		sees("Rope 8 mm"),
		browser.Type(found("bin"), "A-01-2"),
		browser.Type(found("sku or barcode"), "ROEP"),
		browser.Type(found("counted"), "4\r"),
		sees("is no item that is known"),
		browser.Type(found("sku or barcode"), "SHK-10"),
		browser.Type(found("counted"), "4\r"),
		sees("Bow shackle 10 mm"),
		sees("2 found"),
	)
	s.do("decide", s.open("/counts/1/variances"), sees("+12.5"), press("all 2"), sees("2 undecided, worth 43.25 gross"))
}
