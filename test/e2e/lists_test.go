package e2e

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/test/browser"
)

// cell is a cell of a list by the text of its row and its place.
func cell(row string, n int) string {
	return fmt.Sprintf(`//*[@role="row"][contains(., "%s")]/*[@role="gridcell"][%d]`, row, n)
}

// paste gives text to the lines as a person's paste does.
func paste(text string) chromedp.Action {
	return chromedp.Evaluate(fmt.Sprintf(`(() => { const d = new DataTransfer(); d.setData("text/plain", %q);
		document.querySelector("[data-lines]").dispatchEvent(new ClipboardEvent("paste", { clipboardData: d, bubbles: true, cancelable: true })); })()`, text), nil)
}

// An item is changed in place, a wrong value is refused in the cell, the change stands on the time line and is undone there; a thousand
// rows are pasted, three of them wrong; a list goes out with the columns in sight, is changed elsewhere, and comes in again.
func TestLists(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	s := start(t, filepath.Join(dir, "data"), "demo")
	s.do("sign in", s.open("/"), browser.SignIn("ida", "demo"), sees("Quay store, full count"))
	s.do("the items", s.open("/reference/items"), browser.Visible(`[data-active]`),
		browser.Type(`input[aria-label="Filter"]`, "single block 40"), browser.Visible(cell("BLK-0300", 1), chromedp.BySearch))
	change := func(text string) chromedp.Action {
		return chromedp.Tasks{
			chromedp.DoubleClick(cell("BLK-0300", 4), chromedp.BySearch),
			browser.Visible(`input[aria-label="Change Unit cost"]`),
			chromedp.SendKeys(`input[aria-label="Change Unit cost"]`, text+kb.Enter),
		}
	}
	was := s.text(`[data-active] [role=gridcell]:nth-child(5)`)
	s.do("what is no cost", change("12 and a bit"), browser.Visible(`[role=alert]`), sees("is not a number"),
		chromedp.SendKeys(`input[aria-label="Change Unit cost"]`, kb.Escape), browser.Gone(`input[aria-label="Change Unit cost"]`))
	s.do("a cost", change("77.125"), browser.Gone(`input[aria-label="Change Unit cost"]`),
		browser.Visible(`//*[@role="row"][contains(., "BLK-0300")][contains(., "77.125")]`, chromedp.BySearch))
	s.do("is undone on the time line", s.open("/stock/1"), sees("changed by hand, items.csv"),
		press2(`//li[contains(., "changed by hand, items.csv")]//button[.="Undo"]`), press("Undo this intake"), sees("undone by Ida Fenn"))
	s.do(
		"and is as it was",
		s.open("/reference/items"),
		browser.Visible(`[data-active]`),
		browser.Type(`input[aria-label="Filter"]`, "single block 40"),
		browser.Visible(
			cell("BLK-0300", 1),
			chromedp.BySearch,
		),
		browser.Gone(`//*[contains(., "77.125")][@role="row"]`, chromedp.BySearch),
	)
	assert.Equal(t, was, s.text(`[data-active] [role=gridcell]:nth-child(5)`))

	list := strings.Split(strings.TrimSpace(string(s.fetch("/api/lists/items?columns=sku,class"))), "\n")
	pasted := "SKU\tClass\tUnit cost\n"
	for i, row := range list[1:1001] {
		sku, cost := strings.Split(row, ",")[0], "5.25"
		if i == 100 || i == 500 || i == 900 {
			cost = "five"
		}
		pasted += sku + "\tZ\t" + cost + "\n"
	}
	s.do("a thousand rows, three of them wrong", chromedp.Focus(`[data-lines]`), paste(pasted), sees("pasted items.txt"),
		browser.Visible(`//button[starts-with(., "Take in 997 good rows, leave out 3")]`, chromedp.BySearch))
	s.do("the good ones", press("Take in 997 good rows, leave out 3"), browser.Visible(`[data-last-word]`), sees("997 changed"))

	s.do("a block without a header is for the lines in hand", s.open("/reference/items"), browser.Visible(`[data-active]`),
		browser.Type(`input[aria-label="Filter"]`, "single block 40"), browser.Visible(cell("BLK-0300", 1), chromedp.BySearch),
		chromedp.Click(cell("BLK-0300", 6), chromedp.BySearch), chromedp.Focus(`[data-lines]`), paste("Q"),
		press("Take in 1 row"), browser.Visible(`[data-last-word]`), sees("1 changed"), s.open("/item?sku=BLK-0300"),
		browser.Visible(`[data-changed]`), sees("class: Z → Q"))

	// The columns in sight, and only what the filter holds.
	s.do(
		"a list goes out",
		s.open("/reference/items"),
		browser.Visible(`[data-active]`),
		browser.Type(`input[aria-label="Filter"]`, "single block"),
		browser.Visible(cell("BLK-0300", 1), chromedp.BySearch),
		chromedp.Click(`[data-columns]`),
		browser.Visible(`[data-list-out]`),
		press2(`//label[contains(., "Category")]/input`),
		press2(`//label[contains(., "Record id")]/input`),
	)
	var href string
	s.do("as text", chromedp.AttributeValue(`[data-list-out] a`, "href", &href, nil))
	file := string(s.fetch(href))
	header, _, _ := strings.Cut(file, "\n")
	assert.Equal(t, "SKU,Description,Unit,Unit cost,Class,Barcode,Pack,Pack size,Active,Record id,Wobin list", header)
	assert.NotContains(t, file, "ROP-")
	back := filepath.Join(dir, "items edited elsewhere.csv")
	require.NoError(t, os.WriteFile(back, []byte(strings.Replace(file, "Single block 40 mm", "Single block 40 mm in a crate", 1)), 0o644))
	s.do("and comes in again", drop(back), browser.Visible(`//button[starts-with(., "Take in")][not(@disabled)]`, chromedp.BySearch))
	s.do("nothing asked", press("Take in"), browser.Visible(`[data-last-word]`), sees("1 changed"))

	s.do(
		"sorted by a press on a header",
		s.open("/reference/places"),
		browser.Visible(`[data-active]`),
		press2(
			`//*[@role="columnheader"]//button[contains(., "Lines recorded")]`,
		),
		press2(`//*[@role="columnheader"]//button[contains(., "Lines recorded")]`),
		browser.Visible(`[role=columnheader][aria-sort=descending]`),
	)
	most := s.text(`[aria-rowindex="1"] [role=gridcell]:last-child`)
	assert.NotEqual(t, "none", most)
	s.do("and kept", s.open("/reference/places"), browser.Visible(`[role=columnheader][aria-sort=descending]`))
	var refused int
	s.do("a cost of recorded stock by itself", s.open("/stock/2"), browser.Visible(`[data-active]`), chromedp.Click(`[data-columns]`),
		press2(`//label[contains(., "Unit cost")]/input`), chromedp.KeyEvent(kb.Escape), chromedp.Focus(`[data-lines]`), chromedp.KeyEvent(kb.F2),
		browser.Visible(`input[aria-label="Change Unit cost"]`),
		chromedp.SendKeys(`input[aria-label="Change Unit cost"]`, "1.5"+kb.Enter), sees("changed by hand, stock.csv"),
		chromedp.Evaluate(`fetch("/api/lists/stock?warehouse=2&as=pdf").then(r => r.status)`, &refused,
			func(p *runtime.EvaluateParams) *runtime.EvaluateParams { return p.WithAwaitPromise(true) }))
	assert.Equal(t, 422, refused)
}

// What was dropped and settled waits through a reload, signing out and the end of the program, on Today and on Intake, until it is
// taken in.
func TestDraftsThroughARestart(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	data := filepath.Join(dir, "data")
	s := start(t, data, "demo")
	s.do("sign in", s.open("/"), browser.SignIn("ida", "demo"), sees("Quay store, full count"))
	s.do("a file with faults", drop(filepath.Join(data, "try", "stock-export-with-faults.csv")),
		browser.Visible(`//button[starts-with(., "Take in")][contains(., "leave out 4")]`, chromedp.BySearch))
	var id string
	s.do("one cell is mended", chromedp.Evaluate(`(async () => {
		const d = (await (await fetch("/api/uploads")).json())[0].id;
		const p = (await (await fetch("/api/uploads/" + d)).json()).sheets.flatMap(s => s.problems).flatMap(g => g.list).find(p => p.value === "12 pcs");
		await fetch("/api/uploads/" + d + "/settle", { method: "POST", headers: { "Content-Type": "application/json" },
			body: JSON.stringify({ mends: [{ row: p.row, column: p.column, was: "12 pcs", is: "12" }] }) });
		return d;
	})()`, &id, func(p *runtime.EvaluateParams) *runtime.EvaluateParams { return p.WithAwaitPromise(true) }))
	s.do("a reload", s.open("/intake"), browser.Visible(`[data-waiting] button`), chromedp.Click(`[data-waiting] button`),
		browser.Visible(`//button[starts-with(., "Take in")][contains(., "leave out 3")]`, chromedp.BySearch))
	s.do(
		"signing out",
		press("Sign out"),
		browser.SignIn("ida", "demo"),
		s.open("/"),
		browser.Visible(`[data-waiting]`),
		sees("3 with a problem"),
	)

	_ = s.cmd.Process.Kill()
	_ = s.cmd.Wait()
	again := start(t, data, "demo")
	s.base = again.base
	s.do(
		"the program ended; who was signed in still is",
		s.open("/"),
		browser.Visible(`[data-waiting] a`),
		chromedp.Click(`[data-waiting] a`),
		browser.Visible(`//button[starts-with(., "Take in")][contains(., "leave out 3")]`, chromedp.BySearch),
	)
	s.do("it is taken in where it was left", press("Take in"), browser.Visible(`[data-last-word]`))
	s.do("and discarded", press("Discard"),
		browser.Visible(`[data-lately]`), sees("stock-export-with-faults.csv"), browser.Gone(`[data-waiting]`),
		chromedp.Click(`[data-work]`), browser.Visible(`[data-job]`), sees("Taking in stock-export-with-faults.csv"))
	files, err := filepath.Glob(filepath.Join(data, "incoming", "*"))
	require.NoError(t, err)
	assert.Empty(t, files)
}
