package e2e

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/test/browser"
)

// A sheet is parted while it is out; the paper of the whole one comes back with rows that nobody understands, which are
// settled by keyboard; a later version is taken row by row; counts are pasted from a spreadsheet, and a row is found by
// what a scanner sends.
func TestFloor(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write := func(name, text string) string {
		name = filepath.Join(dir, name)
		require.NoError(t, os.WriteFile(name, []byte(text), 0o644))
		return name
	}
	stock := "warehouse,zone,bin,sku,on hand,unit cost,as at\n"
	for i := range 12 {
		stock += fmt.Sprintf("SHED,Front,A-%02d-1,S%02d,10,2,2026-11-20T06:00:00Z\n", i+1, i+1)
	}
	s := start(t, filepath.Join(dir, "data"), "serve")
	s.signUp()
	s.do(
		"stock",
		drop(write("stock.csv", stock)),
		browser.Visible(`[data-made]`),
		press("Take in 12 rows"),
		browser.Visible(`[data-last-word]`),
	)
	s.do(
		"barcodes",
		s.open("/intake"),
		drop(write("items.csv", "SKU,Barcode\nS11,4006381333931\n")),
		press("Take in 1 row"),
		browser.Visible(`[data-last-word]`),
	)

	s.do(
		"count in rotation, every day",
		s.open("/rotation/1"),
		browser.Type(`input[aria-label="Times a year: A"]`, "366"),
		chromedp.Click(
			`//label[contains(., "Saturday")]`,
			chromedp.BySearch,
		),
		chromedp.Click(`//label[contains(., "Sunday")]`, chromedp.BySearch),
		press("Count SHED in rotation"),
		browser.Visible(`[data-year]`),
	)
	s.do(
		"today offers a portion",
		s.open("/"),
		browser.Visible(`[data-portion=SHED]`),
		chromedp.Click(
			`//*[@data-portion="SHED"]//a[starts-with(., "Count ")]`,
			chromedp.BySearch,
		),
		sees("today's portion of the rotation"),
		browser.Visible(`[data-hours]`),
	)

	s.do(
		"plan all of it, open",
		press("every line of these"),
		press("open: they do"),
		press("Freeze 12 lines and cut 1 sheet"),
		sees("W1S1"),
	)
	paper := string(s.fetch("/api/counts/1/sheets/1/csv"))
	s.do("hand it out", browser.Type(`input[aria-label="Who gets the sheets"]`, "Jory Penn"), press("Hand out sheet 1"), sees("Jory Penn"))
	s.do(
		"part it",
		browser.Visible(`[data-border]`),
		browser.Settled(), // a drag takes hold of places that do not move any more
		// The border is taken on the racks and moved along them, by mouse and by keys; what is behind it is told.
		drag(`[data-grip]`, `[data-bin="A-04-1"]`),
		browser.Visible(`input[aria-label="Border before bin A-04-1"]`),
		chromedp.Focus(`[data-elevation]`),
		chromedp.KeyEvent(kb.ArrowRight, chromedp.KeyModifiers(input.ModifierShift)),
		browser.Visible(`input[aria-label="Border before bin A-05-1"]`),
		chromedp.KeyEvent(kb.ArrowLeft, chromedp.KeyModifiers(input.ModifierShift)),
		browser.Visible(`input[aria-label="Border before bin A-04-1"]`),
		drag(`[data-grip]`, `[data-bin="A-07-1"]`),
		browser.Type(`input[aria-label="Who gets the sheets"]`, "Wim Ashby"),
		press("the rest to Wim Ashby"),
		sees("W1S2"),
		sees("Wim Ashby"),
	)
	s.do(
		"both are out",
		s.open("/counts/1/counting"),
		browser.Visible(`[data-person="Jory Penn"]`),
		browser.Visible(`[data-person="Wim Ashby"]`),
	)

	// Counted: the first eight rows, the third of them otherwise; at the foot what somebody wrote in.
	require.Contains(t, paper, "Row code,Warehouse,Bin,SKU,Description,Unit,Recorded,Counted,Counted at,Remark")
	var lines []string
	n := 0
	for _, l := range strings.Split(strings.TrimSpace(paper), "\n") {
		if f := strings.Split(l, ","); strings.HasPrefix(f[0], "W1S1R") {
			if n++; n <= 8 {
				f[7], f[8] = map[bool]string{true: "7", false: "10"}[n == 3], "2026-11-21T10:00:00Z"
			}
			l = strings.Join(f, ",")
		}
		lines = append(lines, l)
	}
	back := strings.Join(lines, "\n") + "\n,SHED,A-02-1,WHAT,a thing,,,4,2026-11-21T10:00:00Z,\n,SHED,Z-9,S03,,,,1,2026-11-21T10:00:00Z,\n"
	s.do(
		"the old paper comes back",
		s.open("/intake"),
		drop(write("back.csv", back)),
		sees("was cut anew or parted"),
		press("Take in 8 counts, put 2 rows into the tray"),
		browser.Visible(`[data-last-word]`),
	)
	s.do(
		"the tray",
		s.open("/counts/1/counting"),
		chromedp.Click(`[data-tray]`),
		browser.Visible(`[data-in-hand]`),
		sees("Bin that there is not"),
	)
	// By keyboard: the bin is in hand first. It is put right, entered, and beside what is counted there already it adds up.
	s.do(
		"the right bin",
		browser.Visible(`input[aria-label="It is: bin"]:focus`),
		chromedp.KeyEvent("A-03-1\r"),
		sees("counted already"),
	)
	s.do(
		"both add up",
		chromedp.Focus(`//button[contains(., "both add up")]`, chromedp.BySearch),
		chromedp.KeyEvent("\r"),
		sees("Item that nobody knows"),
		browser.Gone(`//h2[contains(., "Bin that there is not")]`, chromedp.BySearch),
	)
	s.do(
		"dropped with a word",
		browser.Visible(`input[aria-label="Why it is no count"]`),
		chromedp.Focus(`input[aria-label="Why it is no count"]`),
		chromedp.KeyEvent("belongs to the yard\r"),
		sees("Nothing waits."),
	)
	s.do("what was settled", press("settled (2)"), sees("dropped:"), sees("belongs to the yard"))

	later := strings.Replace(strings.Replace(back, ",7,2026-11-21", ",8,2026-11-21", 1), ",10,2026-11-21", ",9,2026-11-21", 1)
	later = later[:strings.Index(later, ",SHED,A-02-1,WHAT")]
	s.do("a later version, row by row", s.open("/intake"), drop(write("later.csv", later)), browser.Visible(`[data-revision]`))
	require.Equal(t, 2, s.rows(`[data-revision]`))
	s.do("one stays", chromedp.Click(`[data-revision] input`), sees("stays, not"), press("Leave 1 count as it is"),
		browser.Gone(`[aria-busy=true]`), press("Take in 1 count"), browser.Visible(`[data-last-word]`))
	assert.Contains(t, s.text(`[data-last-word]`), "1 revised")

	s.do(
		"a row of the other sheet is found by a scan",
		s.open("/counts/1/counting/1"),
		browser.Visible(`input[data-row]`),
		chromedp.KeyEvent(kb.F3),
		browser.Visible(`input[aria-label^="Find a row"]:focus`),
		chromedp.KeyEvent("4006381333931\r"),
		sees("Sheet 2"),
		browser.Visible(`input[aria-label^="Counted, A-11-1, S11"]:focus`),
	)
	s.do(
		"a barcode is no count",
		chromedp.KeyEvent("4006381333931\r"),
		sees("is a barcode with a right check digit"),
		press("find its row"),
		browser.Visible(`input[aria-label^="Counted, A-11-1, S11"]:focus`),
	)
	s.do("a block is pasted", chromedp.Evaluate(`(() => {
		const data = new DataTransfer();
		data.setData("text/plain", "10\n4+7\n");
		document.activeElement.dispatchEvent(new ClipboardEvent("paste", { clipboardData: data, bubbles: true, cancelable: true }));
	})()`, nil), sees("2 counts of the block put down"))
	assert.Equal(t, "11", s.value(`input[aria-label^="Counted, A-12-1, S12"]`))
	s.do("Wim is done but for two", s.open("/counts/1/counting"), sees("10 of 12 lines counted"))
}

// A sheet is typed a second time; only what differs is shown, and the word which of the two stands checks it.
func TestTypedTwice(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	stock := filepath.Join(dir, "stock.csv")
	require.NoError(
		t,
		os.WriteFile(
			stock,
			[]byte(
				"warehouse,bin,sku,on hand,unit cost,as at\nSHED,A-1,ROPE,5,2,2026-11-20T06:00:00Z\nSHED,A-2,SHK,5,2,2026-11-20T06:00:00Z\n",
			),
			0o644,
		),
	)
	s := start(t, filepath.Join(dir, "data"), "serve")
	s.signUp()
	s.do("stock", drop(stock), browser.Visible(`[data-made]`), press("Take in 2 rows"), browser.Visible(`[data-last-word]`))
	s.do("freeze", s.open("/plan"), press("Freeze 2 lines and cut 1 sheet"), sees("W1S1"))
	s.do(
		"type it",
		s.open("/counts/1/counting/1"),
		browser.Visible(`input[data-row]`),
		chromedp.Focus(`input[data-row]`),
		chromedp.KeyEvent("5\r7\r"),
		sees("Everything typed is saved"),
		press("type it a second time"),
		browser.Visible(`input[data-second]`),
	)
	assert.Equal(t, "", s.value(`input[data-second]`), "the first typing is not in sight")
	s.do(
		"again",
		chromedp.Focus(`input[data-second]`),
		chromedp.KeyEvent("5\r6\r"),
		press("Hold 2 rows against the first typing"),
		sees("1 row differs"),
	)
	require.Equal(t, 1, s.rows(`[data-differs]`))
	s.do("the second stands", press("second: 6"), browser.Visible(`[data-checked=true]`))
	s.do("it is checked", press("Back to the sheet"), sees("checked by Nell Harbour"))
	assert.Equal(t, "6", s.value(`input[aria-label^="Counted, A-2, SHK"]`))
}

// Serials are ticked off with a scanner: each that is known counts one, and one that nobody knew is put down where the last one lay.
func TestSerialsTickedOff(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	stock := filepath.Join(dir, "stock.csv")
	require.NoError(
		t,
		os.WriteFile(stock, []byte("warehouse,bin,sku,serial,on hand,unit cost,as at\nSHED,A-1,PUMP,P-1,1,90,2026-11-20T06:00:00Z\n"+
			"SHED,A-1,PUMP,P-2,1,90,2026-11-20T06:00:00Z\nSHED,A-1,PUMP,P-3,1,90,2026-11-20T06:00:00Z\n"), 0o644),
	)
	s := start(t, filepath.Join(dir, "data"), "serve")
	s.signUp()
	s.do("stock", drop(stock), browser.Visible(`[data-made]`), press("Take in 3 rows"), browser.Visible(`[data-last-word]`))
	s.do("freeze", s.open("/plan"), press("Freeze 3 lines and cut 1 sheet"), sees("W1S1"))
	s.do("tick", s.open("/counts/1/counting/1"), browser.Visible(`input[data-row]`),
		chromedp.Click(`//label[contains(., "counts 1")]`, chromedp.BySearch), chromedp.Focus(`input[aria-label^="Find a row"]`),
		chromedp.KeyEvent("p-1\r"), sees("P-1: counted."), chromedp.KeyEvent("P-3\r"), sees("P-3: counted."), sees("2 of 3 rows counted"),
		chromedp.KeyEvent("P-3\r"), sees("is counted already"), chromedp.KeyEvent("P-9\r"), sees("P-9 is in no row"))
	assert.Equal(
		t,
		[]string{"A-1", "PUMP", "P-9", "1"},
		[]string{s.value(`input[aria-label="Found: bin"]`), s.value(`input[aria-label="Found: sku or barcode"]`),
			s.value(`input[aria-label="Found: serial"]`), s.value(`input[aria-label="Found: counted"]`)},
	)
	s.do("put down", press("Put it down"), sees(", 1 found"))
}
