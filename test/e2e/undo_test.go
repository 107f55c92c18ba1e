package e2e

import (
	"path/filepath"
	"testing"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"

	"wobin/test/browser"
)

// Ctrl Z undoes one's last step wherever it was made, through a reload, too: decisions, a block that was pasted, typed counts. In a field
// it is the text's own; what is not undone by it says how it is.
func TestUndo(t *testing.T) {
	t.Parallel()
	s := start(t, filepath.Join(t.TempDir(), "data"), "demo")
	ctrlZ := chromedp.KeyEvent("z", chromedp.KeyModifiers(input.ModifierCtrl))
	s.do("sign in", s.open("/"), browser.SignIn("ida", "demo"), sees("Quay store, full count"))
	s.do("variances", s.open("/counts/2/variances"), browser.Visible(`[data-active]`), chromedp.Focus(`[data-lines]`))
	open := figure(t, s.text(`[data-open]`))
	waits := func(n int) chromedp.Action { return browser.Sees(thousands(n) + " undecided") }
	s.do("one is accepted, three are held", chromedp.KeyEvent("a"), waits(open-1), chromedp.KeyEvent("xxxh"), waits(open-4))
	s.do("the last step", ctrlZ, waits(open-1), sees("Undone: 3 lines held."))
	s.do("through a reload, the one before", chromedp.Reload(), browser.Visible(`[data-active]`), waits(open-1), chromedp.Focus(`[data-lines]`), ctrlZ,
		waits(open), sees("Undone: F-01-5 · FLR-0124"), sees(" accepted."))
	s.do("both are in the list", press("your last steps"), browser.Visible(`//*[@data-steps]//li[contains(., "3 lines held")][contains(., "undone")]`, chromedp.BySearch))

	const first, second = `(//input[@data-row])[1]`, `(//input[@data-row])[2]`
	s.do("typed", s.open("/counts/2/counting/18"), browser.Visible(first, chromedp.BySearch), sees("0 of 73 rows counted"),
		chromedp.Focus(first, chromedp.BySearch), chromedp.KeyEvent("12\r"), sees("1 of 73 rows counted"), sees("Everything typed is saved"))
	s.do("in a text it is the text's own", chromedp.Focus(second, chromedp.BySearch), chromedp.KeyEvent("34"), ctrlZ, sees("1 of 73 rows counted"),
		chromedp.KeyEvent("\x1b"))
	s.do("else the count's", chromedp.Focus(first, chromedp.BySearch), ctrlZ, sees(" typed."), sees("0 of 73 rows counted"))
	assert.Empty(t, s.value(first))
	s.do("what is not undone by it says how it is", s.open("/counts/2/plan"), press("Rename"),
		browser.Type(`input[aria-label="Name of the count"]`, "Quay, whole\r"), sees("/ Quay, whole"), ctrlZ,
		sees("not undone by Ctrl Z: count renamed. Rename it again under Plan."))
}
