package e2e

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/test/browser"
)

// Variances say why they are there. By keyboard: a pair is settled as a transfer, a count too many is dropped, a slip is counted again by
// somebody else on a sheet of its own and comes back right; the strong ones of a cause are settled together; a decision is taken back.
func TestCauses(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write := func(name, text string) string {
		name = filepath.Join(dir, name)
		require.NoError(t, os.WriteFile(name, []byte(text), 0o644))
		return name
	}
	s := start(t, filepath.Join(dir, "data"), "serve")
	s.signUp()
	stock := `warehouse,bin,sku,description,on hand,unit cost,as at
SHED,A-01-1,ROPE12,Rope 12 mm,100,2,2026-11-20T06:00:00Z
SHED,A-02-1,ROPE12,Rope 12 mm,40,2,2026-11-20T06:00:00Z
SHED,A-03-1,PAINT14,Paint 14,20,2,2026-11-20T06:00:00Z
SHED,A-03-1,PAINT16,Paint 16,20,2,2026-11-20T06:00:00Z
SHED,A-05-1,CLEAT,Cleat,25,1,2026-11-20T06:00:00Z
SHED,A-07-1,BOLT,Bolt,63,1,2026-11-20T06:00:00Z
SHED,A-08-1,LAMP,Lamp,30,1,2026-11-20T06:00:00Z
`
	counts := `bin,sku,counted,counted at,counter
A-01-1,ROPE12,88,2026-11-20T10:00:00Z,Ada
A-02-1,ROPE12,52,2026-11-20T10:00:00Z,Ada
A-03-1,PAINT14,15,2026-11-20T10:00:00Z,Ada
A-03-1,PAINT16,25,2026-11-20T10:00:00Z,Ada
A-05-1,CLEAT,25,2026-11-20T10:00:00Z,Ada
A-05-1,CLEAT,25,2026-11-20T10:05:00Z,Bo
A-07-1,BOLT,36,2026-11-20T10:00:00Z,Ada
A-08-1,LAMP,30,2026-11-20T10:00:00Z,Ada
`
	s.do(
		"stock",
		drop(write("stock.csv", stock)),
		browser.Visible(`[data-made]`),
		press("Take in 7 rows"),
		browser.Visible(`[data-last-word]`),
	)
	s.do("freeze", s.open("/plan"), press("Freeze 7 lines and cut 1 sheet"), sees("W1S1"))
	s.do(
		"counts",
		s.open("/intake"),
		drop(write("counts.csv", counts)),
		press("It belongs to SHED"),
		press("Take in 8 counts"),
		browser.Visible(`[data-last-word]`),
	)

	s.do(
		"the queue says why",
		s.open("/counts/1/variances"),
		browser.Visible(`[data-cause=misplaced]`),
		chromedp.Click(`[data-cause=misplaced]`),
		browser.Visible(`[data-likely=misplaced]`),
		sees("12 short here, 12 over in A-02-1"),
	)
	s.do("by counter", chromedp.SendKeys(`[aria-label="Grouped by"]`, "co"),
		browser.Visible(`//button[.="likely other bin, let go"]`, chromedp.BySearch),
		browser.Visible(`//button[@data-group="Ada" and .="Ada 2"]`, chromedp.BySearch), press("likely other bin, let go"),
		chromedp.Click(`//button[@data-group="Ada" and .="Ada 5"]`, chromedp.BySearch), sees("of 5 lines"), press("Ada 5"), sees("of 6 lines"),
		chromedp.SendKeys(`[aria-label="Grouped by"]`, "l"), chromedp.Click(`[data-cause=misplaced]`), browser.Visible(`[data-likely=misplaced]`))
	s.do("as one transfer", chromedp.Focus(`[data-lines]`), chromedp.KeyEvent("c"), sees("No variance fits"))
	s.do("taken back", chromedp.Click(`//button[starts-with(., "accepted 2")]`, chromedp.BySearch), sees("TRANSFER"),
		browser.Visible(`[data-lines]`))
	s.do("what was counted twice", chromedp.Click(`//button[starts-with(., "open")]`, chromedp.BySearch),
		browser.Visible(`[data-cause=misplaced][aria-pressed=true]`), chromedp.Click(`[data-cause=misplaced]`),
		browser.Visible(`[data-cause=counted-twice]`), chromedp.Click(`[data-cause=counted-twice]`),
		browser.Visible(`[data-likely=counted-twice]`), chromedp.Focus(`[data-lines]`), chromedp.KeyEvent("c"), sees("No variance fits"))
	s.do("the strong ones together", chromedp.Click(`[data-cause=counted-twice]`), browser.Visible(`[data-cause=mistaken-item]`),
		chromedp.Click(`[data-cause=mistaken-item]`), browser.Visible(`[data-settle=mistaken-item]`), press("Settle 1 strong pair, 2 lines"),
		sees("No variance fits"))
	s.do(
		"a slip is counted again",
		chromedp.Click(`[data-cause=mistaken-item]`),
		browser.Visible(`[data-likely=key-slip]`),
		sees("two digits swapped"),
		chromedp.Focus(`[data-lines]`),
		chromedp.KeyEvent("c"),
		browser.Visible(`[data-recount]`),
		sees("again, 2"),
	)
	s.do(
		"not by who counted first",
		s.open("/counts/1/sheets"),
		chromedp.Click(`//span[starts-with(., "W1S2")]`, chromedp.BySearch),
		browser.Visible(`[data-in-hand]`),
		browser.Type(`input[aria-label="Who gets the sheets"]`, "Ada"),
		press("Hand out sheet 2"),
		sees(
			"Ada counted 1 line of sheet 2 before",
		),
		browser.Type(`input[aria-label="Who gets the sheets"]`, "Bo"),
		press("Hand out sheet 2"),
		sees("since"),
	)
	paper := string(s.fetch("/api/counts/1/sheets/2/csv"))
	assert.NotContains(t, paper, "63", "it does not show what is expected")
	assert.NotContains(t, paper, "36")
	s.do(
		"the recount is typed",
		s.open("/counts/1/counting/2"),
		browser.Type(`input[aria-label^="Counted, A-07-1"]`, "63\r"),
		sees("1 of 1 rows counted"),
	)
	s.do("and it was right", s.open("/counts/1/variances"), sees("Nothing is left to decide"))
	events := string(s.fetch("/api/counts/1/lines/6"))
	assert.Equal(t, 2, strings.Count(events, `"what":"entry"`), "both counts are there")
}
