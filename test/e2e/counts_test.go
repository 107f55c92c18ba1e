package e2e

import (
	"context"
	"fmt"
	"path/filepath"
	"testing"

	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/test/browser"
)

// Counts change under people's hands: two windows type one row, a number is withdrawn, a file is taken back, uncounted lines
// are settled to be zero, a backup is put back. Each says first what it does.
func TestCountsThatChange(t *testing.T) {
	t.Parallel()
	s := start(t, filepath.Join(t.TempDir(), "data"), "demo")
	s.do("sign in", s.open("/"), browser.SignIn("ida", "demo"), sees("Quay store, full count"))
	const sheet = "/counts/2/counting/18"
	const first = `(//input[@data-row])[1]`
	cell := func(text string) chromedp.Action {
		is := fmt.Sprintf(`document.querySelector("input[data-row]")?.value === %q`, text)
		return browser.Holds(is)
	}
	s.do("open the sheet", s.open(sheet), browser.Visible(first, chromedp.BySearch), sees("0 of 73 rows counted"))

	// Typed and not left: going to another window would leave the field, which saves it.
	typed7 := chromedp.Evaluate(`(() => {
		const f = document.querySelector("input[data-row]");
		Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, "value").set.call(f, "7");
		f.dispatchEvent(new Event("input", { bubbles: true }));
	})()`, nil)
	// Another window begins to type a row; this one saves it; the other is told what stands, and says which of the two does.
	other, cancel := browser.Tab(s.ctx)
	defer cancel()
	ctx, stop := context.WithTimeout(other, stepLimit)
	defer stop()
	require.NoError(t, chromedp.Run(other)) // the window belongs to the whole test
	require.NoError(t, chromedp.Run(ctx, s.open(sheet), browser.Visible(first, chromedp.BySearch), typed7))
	s.do("type and save", page.BringToFront(), chromedp.Focus(first, chromedp.BySearch), chromedp.KeyEvent("5\r"), sees("1 of 73 rows counted"))
	inOther := func(what string, steps ...chromedp.Action) {
		t.Helper()
		if err := chromedp.Run(ctx, append([]chromedp.Action{page.BringToFront()}, steps...)...); err != nil {
			var text string
			_ = chromedp.Run(other, chromedp.Text(`body`, &text, chromedp.ByQuery))
			require.NoError(t, err, "%s: the other window shows %s", what, text)
		}
	}
	inOther("see the first's", sees("1 of 73 rows counted"), cell("7"))
	inOther("send the second", chromedp.Focus(first, chromedp.BySearch), chromedp.KeyEvent("\r"), sees("5 stands meanwhile"), cell("7"))
	s.do("the first still stands", page.BringToFront(), cell("5"))
	inOther("say which stands", chromedp.Focus(first, chromedp.BySearch), chromedp.KeyEvent(kb.Enter), sees("Everything typed is saved."))
	s.do("and now the second", page.BringToFront(), cell("7"), sees("1 of 73 rows counted"))
	cancel()

	// An emptied cell is no withdrawal by itself; Enter twice is.
	s.do("empty it and leave", browser.Type(`input[data-row]`, kb.Backspace+kb.Tab), sees("7 still stands"), cell("7"))
	s.do("ask to withdraw", browser.Type(`input[data-row]`, kb.Backspace+"\r"), sees("withdraw the count of 7? Enter again withdraws it"))
	s.do("withdraw", chromedp.KeyEvent("\r"), sees("0 of 73 rows counted"), cell(""))

	// A file that came back is taken back, and its sheet is as before it.
	s.do("counting", s.open("/counts/2/counting"), browser.Visible(`[data-return]`))
	counted := figure(t, s.text(`//footer//b[1]`))
	s.do("ask to take the last file back", press("Take it back"), sees("Nothing is deleted"))
	back := figure(t, s.text(`//button[starts-with(normalize-space(.), "Take ") and contains(., "counts back")]`))
	s.do("take it back", press(fmt.Sprintf("Take %d counts back", back)), sees("taken back by Ida Fenn"))
	s.do("the counts are gone", browser.Visible(fmt.Sprintf(`//footer//b[text()="%s"]`, thousands(counted-back)), chromedp.BySearch))

	// Uncounted lines are settled to be zero: as many more want a decision; left alone again, as few as before.
	s.do("variances", s.open("/counts/2/variances"), browser.Visible(`[data-open] b`))
	open := figure(t, s.text(`[data-open]`))
	s.do("counting again", s.open("/counts/2/counting"), browser.Visible(`[data-zero]`))
	zeroed := figure(t, s.text(`[data-zero]`))
	assert.Positive(t, zeroed)
	s.do("settle", press("Uncounted means zero for"), sees("alone again"), s.open("/counts/2/variances"),
		browser.Visible(fmt.Sprintf(`//*[@data-open]//b[text()="%s"]`, thousands(open+zeroed)), chromedp.BySearch))

	// Those on no sheet that is still to come are given out again, once: of one sheet first, then of all.
	s.do("left alone again", s.open("/counts/2/counting"), press("Leave "), browser.Visible(`[data-zero]`))
	all := figure(t, s.text(`[data-give-again]`))
	s.do("of one sheet", chromedp.SendKeys(`[aria-label="On sheet"]`, "10"),
		browser.Visible(`//button[.="Give 4 lines out again"]`, chromedp.BySearch), press("Give 4 lines out again"), sees("4 lines are on"),
		browser.Gone(`[data-give-again]`),
		chromedp.SendKeys(`[aria-label="On sheet"]`, "\b\b"))
	s.do("the rest", browser.Visible(fmt.Sprintf(`//button[.="Give %d lines out again"]`, all-4), chromedp.BySearch))
	s.do("they are sheets", chromedp.Click(`[data-given-again] a`), sees("27 cut"))

	// A backup is put back from the page, which says what that takes away.
	s.do("backups", s.open("/safety"), browser.Visible(`[data-backup]`), press("Prove the record"), sees("links hold; "),
		press("put it back…"), sees("things done since"), press("Put it back and take away"))
	s.do("what was there is kept", sees("before a backup was put back"))
	s.do("it is as before", s.open("/counts/2/variances"), browser.Visible(`[data-open] b`))
	assert.NotEqual(t, open+zeroed, figure(t, s.text(`[data-open]`)))
}

// thousands writes a number as the screen does.
func thousands(n int) string {
	if n < 1000 {
		return fmt.Sprint(n)
	}
	return fmt.Sprintf("%d,%03d", n/1000, n%1000)
}
