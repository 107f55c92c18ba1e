package document_test

import (
	"bytes"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/core/counting"
	"wobin/internal/core/quantity"
	"wobin/internal/core/stock"
	"wobin/internal/document"
)

func paper(lines int) *counting.Sheet {
	s := &counting.Sheet{Code: counting.SheetCode(3, 12), Count: "Quay, November", Zone: "Ropes"}
	for i := range lines {
		key := [stock.Parts]string{stock.Warehouse: "QUAY", stock.Bin: fmt.Sprintf("A-%02d-1", i/3), stock.SKU: fmt.Sprintf("RP-%04d", i)}
		s.Lines = append(
			s.Lines,
			counting.Line{Key: key, Description: "Mooring rope", Unit: "m", Recorded: quantity.Quantity(i) * quantity.Scale,
				RowCode: counting.RowCode(3, 12, i+1)},
		)
	}
	return s
}

func tool(t *testing.T, name string) string {
	t.Helper()
	path, err := exec.LookPath(name)
	if err != nil {
		t.Skipf("%s is not installed: install Debian's packages poppler-utils and zbar-tools", name)
	}
	return path
}

func written(t *testing.T, size document.Paper, s *counting.Sheet) string {
	t.Helper()
	var b bytes.Buffer
	require.NoError(t, document.WriteSheetOn(size, s, &b))
	name := filepath.Join(t.TempDir(), "sheet.pdf")
	require.NoError(t, os.WriteFile(name, b.Bytes(), 0o600))
	return name
}

func textOf(t *testing.T, name string) string {
	t.Helper()
	out, err := exec.Command(tool(t, "pdftotext"), "-layout", name, "-").Output()
	require.NoError(t, err)
	return string(out)
}

// What stands on the paper is what is on the sheet: every row code, SKU and bin; the head on each page; pages counted.
func TestSheetOnPaper(t *testing.T) {
	for _, size := range []document.Paper{document.A4, document.Letter} {
		s := paper(100)
		s.Lines[5].Description = strings.Repeat("A very long description of a rope ", 8) + "with an end"
		s.Lines[6].Key[stock.Lot], s.Lines[7].Description = "L-77", "Σχοινί · Трос · חבל · 船用绳索 · 🧶"
		text := textOf(t, written(t, size, s))
		for i := range s.Lines {
			l := &s.Lines[i]
			assert.Contains(t, text, l.RowCode)
			assert.Contains(t, text, l.Key[stock.SKU])
			assert.Contains(t, text, l.Key[stock.Bin])
		}
		for _, part := range []string{"with an end", "lot L-77", "Σχοινί", "Трос", "船用绳索", "□", "Quay, November", "Counted from", "Signed", "Found, but not"} {
			assert.Contains(t, strings.Join(strings.Fields(text), " "), part)
		}
		pages := strings.Split(strings.TrimRight(text, "\f"), "\f")
		for n, page := range pages {
			assert.Contains(t, page, fmt.Sprintf("page %d of %d", n+1, len(pages)))
			assert.Contains(t, page, s.Code)
			assert.Contains(t, page, "Row code")
		}
		assert.Greater(t, len(pages), 3)
	}
}

// A blind sheet does not tell what is recorded, not even hidden in the file.
func TestBlindPaper(t *testing.T) {
	s := paper(1)
	s.Lines[0].Recorded = 7654321 * quantity.Scale
	assert.Contains(t, textOf(t, written(t, document.A4, s)), "7654321")
	s.Blind = true
	text := textOf(t, written(t, document.A4, s))
	assert.NotContains(t, text, "7654321")
	assert.NotContains(t, text, "Recorded")
}

// A reader that knows nothing of us reads the sheet's code, twice.
func TestCodesAreRead(t *testing.T) {
	zbar, poppler := tool(t, "zbarimg"), tool(t, "pdftoppm")
	s := paper(3)
	name := written(t, document.A4, s)
	require.NoError(t, exec.Command(poppler, "-r", "200", "-png", name, strings.TrimSuffix(name, ".pdf")).Run())
	pictures, err := filepath.Glob(filepath.Join(filepath.Dir(name), "*.png"))
	require.NoError(t, err)
	out, err := exec.Command(zbar, append([]string{"-q"}, pictures...)...).Output()
	require.NoError(t, err)
	assert.ElementsMatch(t, []string{"QR-Code:" + s.Code, "CODE-128:" + s.Code}, strings.Fields(string(out)))
}

// The same sheet is the same file, to the byte; one without a line has rows to fill in.
func TestPaperIsTheSame(t *testing.T) {
	var a, b bytes.Buffer
	require.NoError(t, document.WriteSheet(paper(20), &a))
	require.NoError(t, document.WriteSheet(paper(20), &b))
	assert.Equal(t, a.Bytes(), b.Bytes())
	s := &counting.Sheet{Code: counting.SheetCode(1, 1), Count: "First", House: "W", Bins: []string{"A-1", "A-2"}, Rows: 3}
	text := textOf(t, written(t, document.A4, s))
	assert.Contains(t, text, "6 rows in 2 bins")
	assert.Contains(t, text, "A-2")
}

// No text breaks the paper, whatever it holds and however long it is.
func FuzzPaper(f *testing.F) {
	f.Add("RP-1", "rope", "A-1", "m")
	f.Add("", "\x00\xff\u202e\U0001F9F6", strings.Repeat("W", 300), "\n\n")
	f.Add("שלום", "ا ب ت 12 abc", "ש-1", "ש")
	f.Fuzz(func(t *testing.T, sku, description, bin, unit string) {
		s := paper(1)
		s.Lines[0].Key[stock.SKU], s.Lines[0].Key[stock.Bin], s.Lines[0].Description, s.Lines[0].Unit = sku, bin, description, unit
		s.Count, s.Zone = description, bin
		if err := document.WriteSheet(s, &bytes.Buffer{}); err != nil {
			t.Fatal(err)
		}
	})
}
