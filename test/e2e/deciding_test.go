package e2e

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/test/browser"
)

// A rule for transfers is tried, turned on, and decides by itself, marked as such; a photo stays with a line; then sixty variances and
// more are decided by keys alone, the columns as they were chosen.
func TestDeciding(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	s := start(t, filepath.Join(dir, "data"), "demo")
	try, err := filepath.Glob(filepath.Join(dir, "data", "try", "returned*"))
	require.NoError(t, err)
	require.NotEmpty(t, try)
	s.do("sign in", s.open("/"), browser.SignIn("ida", "demo"), sees("Quay store, full count"))
	s.do("what came back", drop(try...), press(fmt.Sprintf("Take in all %d files", len(try))), sees("✓ "))

	s.do("the rules, by key", s.open("/counts/2/variances"), browser.Visible(`[data-active]`), chromedp.Focus(`[data-lines]`),
		chromedp.KeyEvent("b"), browser.Visible(`[data-rules]`), sees("There is none yet"))
	s.do("one is tried", press("…for transfers of equal quantity"), press("Try it on the last counts"), browser.Visible(`[data-trial]`),
		sees("People did the same"))
	s.do("and turned on", press("Turn it on"), browser.Visible(`[data-rule="Transfers within one aisle"]`), sees("✓ on"),
		press("Make a rule"), browser.Type(`input[aria-label="Rule: name"]`, "hold what is dear"),
		browser.Type(`input[aria-label="Rule: worth at least"]`, "5"), chromedp.SendKeys(`select[aria-label="Rule: where"]`, "wh"),
		press2(`//button[.="hold it"]`), press("Try it on the last counts"), press("Turn it on"), sees("It contradicts"), press("let it be"))
	s.do("it decides, and says so", press("Back to the variances"), sees("1 rule on"), press("accepted"), sees("✓ TRANSFER by rule"))
	s.do("in the history, too", chromedp.Click(`//*[@role="row"][contains(., "by rule")]`, chromedp.BySearch),
		sees("by the rule “Transfers within one aisle”, which Ida Fenn turned on"))

	photo := filepath.Join(dir, "shelf.png")
	require.NoError(t, os.WriteFile(photo, []byte("\x89PNG\r\n\x1a\n\x00\x00\x00\rIHDR\x00\x00\x00\x01\x00\x00\x00\x01\x08\x06\x00\x00\x00"), 0o644))
	false_ := filepath.Join(dir, "shelf.jpg")
	require.NoError(t, os.WriteFile(false_, []byte("%PDF-1.7 no photo"), 0o644))
	s.do("evidence", chromedp.SetUploadFiles(`[data-attach]`, []string{photo}), browser.Visible(`[data-evidence="1"] img[alt="shelf.png"]`),
		chromedp.SetUploadFiles(`[data-attach]`, []string{false_}), sees("is not what its name says: it ends in .jpg, but is application/pdf inside"))

	// Columns are chosen, and stay when the page is opened anew.
	s.do("columns", press("open"), chromedp.Click(`[data-columns]`), press2(`//label[normalize-space(.)="Moved"]/input`),
		browser.Gone(`//*[@role="columnheader"][.="Moved"]`, chromedp.BySearch),
		s.open("/counts/2/variances"), browser.Visible(`//*[@role="columnheader"][.="Expected"]`, chromedp.BySearch),
		browser.Gone(`//*[@role="columnheader"][.="Moved"]`, chromedp.BySearch))

	open := figure(t, s.text(`[data-open]`))
	held := func() int { return figure(t, s.text(`//button[starts-with(text(), "held ")]`)) }
	waits := func(n int) chromedp.Action {
		return browser.Visible(fmt.Sprintf(`//*[@data-open]//b[text()="%d"]`, n), chromedp.BySearch)
	}
	s.do("all of them by keys", browser.Visible(`[data-active]`), chromedp.Focus(`[data-lines]`))
	decided, marked := 0, 0
	for left := open; left > 0; {
		keys, n := "a", 1
		switch {
		case left > 3 && decided%7 == 3: // three at once
			keys, n = "xxxh", 3
			marked++
		case decided%5 == 4:
			keys = "h"
		}
		left -= n
		decided += n
		s.do(fmt.Sprintf("%d left", left), chromedp.ActionFunc(func(ctx context.Context) error {
			for _, k := range keys {
				if err := chromedp.KeyEvent(string(k)).Do(ctx); err != nil {
					return err
				}
			}
			return nil
		}), waits(left))
	}
	assert.Positive(t, marked)
	s.do("nothing is left", sees("Nothing is left to decide"))
	s.do("what was held is looked at again", press("held"), browser.Visible(`[data-active]`), chromedp.Focus(`[data-lines]`))
	for left := held(); left > 1; left-- {
		decided++
		s.do(fmt.Sprintf("%d held", left), chromedp.KeyEvent("a"),
			browser.Visible(fmt.Sprintf(`//button[text()="held %d"]`, left-1), chromedp.BySearch))
	}
	assert.GreaterOrEqual(t, decided, 60)
	s.do("the last word can be taken back", chromedp.KeyEvent(kb.End), chromedp.KeyEvent("u"), waits(1))
}
