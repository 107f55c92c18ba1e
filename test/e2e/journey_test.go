package e2e

import (
	"archive/zip"
	"bytes"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"wobin/test/browser"
)

const smallStock = `Warehouse;Zone;Bin;Item code;Description;Lot;Unit;On hand;Reserved;Unit cost;As at;Row id
SHED;Front;A-01-1;ROPE-8;Rope 8 mm, white;;m;120.5;20;1.25;2026-11-20T06:00:00Z;501
SHED;Front;A-01-2;SHK-10;Bow shackle 10 mm;;ea;40;0;2.40;2026-11-20T06:00:00Z;502
SHED;Front;A-02-1;PAINT-R;Deck paint red;L7;ea;12;0;38.9;2026-11-20T06:00:00Z;503
SHED;Front;A-02-2;=SUM(1);Odd code;;ea;3;0;5;2026-11-20T06:00:00Z;504
SHED;Back;B-01-1;SHK-10;Bow shackle 10 mm;;ea;25;0;2.40;2026-11-20T06:00:00Z;505
SHED;Back;B-01-2;CHART-1;Chart north;;ea;7;0;;2026-11-20T06:00:00Z;506
SHED;Back;B-02-1;ANCHOR;Plough anchor 16 kg;;ea;2;0;310;2026-11-20T06:00:00Z;507
`

// From an empty data folder: sign up, take stock in, plan, cut, count by file and by typing, decide, send out; the
// adjustment file is the one that wobin reconcile makes of the same files.
func TestJourneyFromNothing(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	s := start(t, filepath.Join(dir, "data"), "serve")
	stock := filepath.Join(dir, "stock.csv")
	require.NoError(t, os.WriteFile(stock, []byte(smallStock), 0o644))

	s.signUp()

	s.do("drop the stock", drop(stock), sees("What will happen"), browser.Visible(`[data-figure=new]`))
	assert.Equal(t, "7 new", s.text(`[data-figure=new]`))
	assert.Equal(t, "0 refused", s.text(`[data-figure=refused]`))
	assert.Equal(t, "Makes 1 new warehouse: SHED", s.text(`[data-made] details:nth-child(1) summary`))
	assert.Equal(t, "Makes 7 new bins", s.text(`[data-made] details:nth-child(2) summary`))
	assert.Equal(t, "Makes 6 new items", s.text(`[data-made] details:nth-child(3) summary`))
	s.do("take it in", press("Take in 7 rows"), browser.Visible(`[data-last-word]`))
	assert.Contains(t, s.text(`[data-last-word]`), "7 new, 0 changed, 0 unchanged, 0 refused")
	s.do("see the stock", press("See the stock"), sees("120.5"), sees("100.5"), sees("no cost"))

	s.do("plan", press("Plan a count here"), browser.Visible(`//footer//b[text()="7"]`, chromedp.BySearch), press("open: they do"),
		browser.Type(`input[aria-label="Name of the count"]`, "Shed count"), browser.Type(`input[aria-label="Rows on a sheet"]`, "4"),
		press("Freeze 7 lines and cut 2 sheets"), sees("W1S1"))

	sheet := s.fetch("/api/counts/1/sheets/2/csv")
	assert.Contains(t, string(sheet), "'=SUM(1)", "a text that a spreadsheet would run is marked as text")
	z, err := zip.NewReader(
		bytes.NewReader(s.fetch("/api/counts/1/sheets.zip?form=xlsx")),
		int64(len(s.fetch("/api/counts/1/sheets.zip?form=xlsx"))),
	)
	require.NoError(t, err)
	assert.Len(t, z.File, 2)

	// Sheet 1 comes back as a workbook with its rows sorted backwards; one row empty, one added by hand.
	book, err := excelize.OpenReader(bytes.NewReader(s.fetch("/api/counts/1/sheets/1/xlsx")))
	require.NoError(t, err)
	name := book.GetSheetName(0)
	rows, err := book.GetRows(name)
	require.NoError(t, err)
	header := 7
	at := map[string]int{}
	for i, h := range rows[header] {
		at[h] = i
	}
	counted := map[string]string{"SHK-10": "44", "CHART-1": "7"} // the anchor's row stays empty
	back := excelize.NewFile()
	set := func(row, col int, v string) {
		cell, _ := excelize.CoordinatesToCellName(col+1, row)
		require.NoError(t, back.SetCellStr("Sheet1", cell, v))
	}
	for i, v := range []string{"", "", "", "2026-11-20T09:00:00Z", "2026-11-20T10:00:00Z", "Bo Marsh"} {
		set(i+1, 0, rows[i][0])
		if v != "" {
			set(i+1, 1, v)
		} else if len(rows[i]) > 1 {
			set(i+1, 1, rows[i][1])
		}
	}
	for i, h := range rows[header] {
		set(9, i, h)
	}
	line := 10
	for i := len(rows) - 1; i > header; i-- {
		for c, v := range rows[i] {
			set(line, c, v)
		}
		set(line, at["Counted"], counted[rows[i][at["SKU"]]])
		line++
	}
	for title, v := range map[string]string{"Bin": "A-02-2", "SKU": "anchor", "Counted": "1", "Warehouse": "shed"} {
		set(line+1, at[title], v)
	}
	returned := filepath.Join(dir, "came back (2).xlsx")
	require.NoError(t, back.SaveAs(returned))
	s.do("drop the sheet", s.open("/"), sees("Shed count"), drop(returned), sees("W1S1"), sees("Bo Marsh"), sees("A-02-2 · ANCHOR"))
	inSheet := s.text(`[data-figure=new]`)
	s.do("take it in", press("Take in"), browser.Visible(`[data-last-word]`))
	s.do("the same again changes nothing", s.open("/"), sees("Shed count"), drop(returned), browser.Visible(`[data-figure=unchanged]`))
	assert.Equal(t, strings.Replace(inSheet, "new", "unchanged", 1), s.text(`[data-figure=unchanged]`))

	// The other zone's sheet is typed by keyboard alone; an empty row stays uncounted, a 0 is a count.
	s.do(
		"type",
		s.open("/counts/1/counting/2"),
		browser.Visible(`input[data-row]`),
		chromedp.Focus(`input[data-row]`),
		chromedp.KeyEvent("118.25\r"),
		chromedp.KeyEvent("\r"),
		chromedp.KeyEvent("0\r"),
		sees("2 of 4 rows counted"),
	)

	// A comma may part decimals or thousands: it is refused with a word, never guessed, and the rest is unharmed.
	s.do(
		"a comma",
		s.open("/counts/1/counting/2"),
		browser.Visible(`input[data-row]`),
		browser.Type(`input[data-row]`, "1,500\r"),
		sees(`may be 1.500 or 1500`),
		sees("A-01-1 · ROPE-8"),
		chromedp.Focus(`input[data-row]`),
		chromedp.KeyEvent(kb.Escape),
		sees("Everything typed is saved."),
		sees("2 of 4 rows counted"),
	)

	s.do("variances", s.open("/counts/1/variances"), browser.Visible(`[data-lines] [role=gridcell]`), sees("undecided"))
	assert.Contains(t, s.text(`[data-lines]`), "ANCHOR")
	open := s.text(`[data-open]`)
	assert.Contains(t, open, "uncounted are not among them")
	// By keys: mark all, accept them.
	s.do(
		"accept by key",
		chromedp.Focus(`[data-lines]`),
		chromedp.KeyEvent("a", chromedp.KeyModifiers(2)),
		chromedp.KeyEvent("a"),
		sees("Nothing is left to decide"),
	)

	s.do("adjustments", s.open("/counts/1/adjustments"), browser.Visible(`[data-file]`), sees("quantity,unit_cost"))
	shown := s.text(`[data-file]`)
	s.do("in and out", chromedp.SendKeys(`select[aria-label="What the file says"]`, "in and"), sees("quantity_in,quantity_out"),
		chromedp.SendKeys(`select[aria-label="What the file says"]`, kb.ArrowUp+kb.ArrowUp), sees(",quantity,unit_cost"))
	s.do("send out", press("Send out"), browser.Visible(`[data-posting="1"]`))
	posted := s.fetch("/api/counts/1/postings/1/file")
	for i, l := range strings.Split(strings.TrimSpace(string(posted)), "\n") {
		assert.Contains(t, shown, l, "line %d was shown before", i+1)
	}
	assert.Equal(t, posted, s.fetch("/api/counts/1/postings/1/file"), "the same again to the byte")

	// wobin reconcile says the same of the same files.
	typed := filepath.Join(dir, "typed.csv")
	require.NoError(
		t,
		os.WriteFile(typed, []byte("warehouse,bin,sku,lot,counted\nSHED,A-01-1,ROPE-8,,118.25\nSHED,A-02-1,PAINT-R,L7,0\n"), 0o644),
	)
	out := filepath.Join(dir, "out")
	b, err := exec.Command(program(t), "reconcile", "--stock", stock, "--counts", returned, "--counts", typed, "--out", out).
		CombinedOutput()
	require.NoError(t, err, string(b))
	adjustments, err := os.ReadFile(filepath.Join(out, "adjustments.csv"))
	require.NoError(t, err)
	// The unit of found stock is known from the item only, which the command has not.
	assert.Equal(t, string(adjustments), strings.Replace(string(posted), "ANCHOR,,,,,ea,1", "ANCHOR,,,,,,1", 1))

	s.do("report", s.open("/counts/1/report"), browser.Visible(`[data-figure="▼ short"]`))
	s.do("finish", press("Finish this count"), browser.Visible(`[data-left]`), press("Finish it for good"), sees("✓ finished"))
}
