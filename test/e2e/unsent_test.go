package e2e

import (
	"path/filepath"
	"testing"

	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"

	"wobin/test/browser"
)

// What is typed and not saved stays in its row and is listed, through leaving the cell, a reload and an outage; nobody else is shown it;
// what the server did not answer is sent by itself once it is there again, and nothing of it is left in the browser then.
func TestNothingTypedIsLost(t *testing.T) {
	t.Parallel()
	s := start(t, filepath.Join(t.TempDir(), "data"), "demo")
	const first, second = `(//input[@data-row])[1]`, `(//input[@data-row])[2]`
	sheet := s.open("/counts/2/counting/18")
	kept := func() (n int) {
		s.do("what the browser keeps", chromedp.Evaluate(`Object.keys(localStorage).filter((k) => k.startsWith("wobin.unsent.")).length`, &n))
		return n
	}
	s.do("sign in", s.open("/"), browser.SignIn("ida", "demo"), sees("Quay store, full count"))
	s.do("what is refused stays", sheet, browser.Visible(first, chromedp.BySearch), chromedp.SendKeys(first, "5x", chromedp.BySearch),
		chromedp.Focus(second, chromedp.BySearch), browser.Visible(`[data-unsaved]`), sees("1 row not saved"))
	assert.Equal(t, "5x", s.value(first))
	s.do("passing over it sends nothing again", chromedp.Focus(first, chromedp.BySearch), chromedp.Focus(second, chromedp.BySearch),
		browser.Visible(`[data-unsaved]`))
	s.do("through a reload", chromedp.Reload(), browser.Visible(`[data-unsaved]`), sees("1 row not saved"))
	assert.Equal(t, "5x", s.value(first))
	s.do("nobody else is shown it", press("Sign out"), s.open("/"), browser.SignIn("bram", "demo"), sees("Quay store, full count"), sheet,
		browser.Visible(first, chromedp.BySearch), sees("Everything typed is saved"))
	assert.Empty(t, s.value(first))
	s.do("who typed it is", press("Sign out"), s.open("/"), browser.SignIn("ida", "demo"), sees("Quay store, full count"), sheet,
		browser.Visible(`[data-unsaved]`))
	s.do("it is mended", chromedp.Focus(first, chromedp.BySearch), chromedp.KeyEvent("5\r"), sees("Everything typed is saved"), sees("1 of "))
	assert.Zero(t, kept())

	s.do("the server is away", offline(true), chromedp.Focus(second, chromedp.BySearch), chromedp.KeyEvent("8\r"),
		sees("The server does not answer"))
	assert.Equal(t, 1, kept())
	s.do("and there again", offline(false), sees("Everything typed is saved"), sees("2 of "))
	assert.Zero(t, kept())
}

// What somebody else typed is not written over by what was typed before it and kept through a reload: it is refused, both are seen, no
// button sends it with others, and it goes only by being chosen in its row.
func TestWhatWasKeptIsNotSentOverWhatAnotherTyped(t *testing.T) {
	t.Parallel()
	s := start(t, filepath.Join(t.TempDir(), "data"), "demo")
	const first = `(//input[@data-row])[1]`
	s.do("sign in", s.open("/"), browser.SignIn("ida", "demo"), sees("Quay store, full count"))
	s.do("typed and not sent", s.open("/counts/2/counting/18"), browser.Visible(first, chromedp.BySearch),
		chromedp.Focus(first, chromedp.BySearch), chromedp.KeyEvent("7"), browser.Holds(`Object.keys(localStorage).some((k) => k.startsWith("wobin.unsent."))`))
	s.anotherTypes9()
	s.do("it is kept", chromedp.Reload(), browser.Visible(`[data-unsaved]`), sees("1 row not saved"))
	assert.Equal(t, "7", s.value(first))
	s.do("it is refused", press("send it"), sees("9 stands meanwhile"), browser.Gone(`//button[text()="send it"]`, chromedp.BySearch))
	assert.Equal(t, "7", s.value(first))
	s.do("it is chosen", chromedp.Focus(first, chromedp.BySearch), chromedp.KeyEvent("\r"), sees("Everything typed is saved"))
	assert.Equal(t, "7", s.value(first))
}

// A reading that the server does not answer takes nothing away that is in sight or half typed; the frame says that it may be old, and
// it is read as soon as there is an answer.
func TestWhatIsShownStaysWithoutAnAnswer(t *testing.T) {
	t.Parallel()
	s := start(t, filepath.Join(t.TempDir(), "data"), "demo")
	const first, second = `(//input[@data-row])[1]`, `(//input[@data-row])[2]`
	s.do("sign in", s.open("/"), browser.SignIn("ida", "demo"), sees("Quay store, full count"))
	s.do("half a count", s.open("/counts/2/counting/18"), browser.Visible(second, chromedp.BySearch), browser.Gone(`[data-stale]`),
		chromedp.Focus(second, chromedp.BySearch), chromedp.KeyEvent("4"))
	s.do("readings get no answer", network.SetBlockedURLs([]string{"*/api/counts/*/sheets*", "*/api/counts/*/lines*", "*/api/counts/*/variances*"}))
	s.anotherTypes9()
	s.do("which is said", browser.Visible(`[data-stale]`), sees("The server does not answer"), browser.Visible(second, chromedp.BySearch))
	assert.Equal(t, "4", s.value(second))
	s.do("another view says so, too", press("Variances"), browser.Visible(`[data-stale]`), press("Counting"))
	s.do("it answers", network.SetBlockedURLs([]string{}), browser.Gone(`[data-stale]`))
	s.do("and is read", s.open("/counts/2/counting/18"), browser.Visible(second, chromedp.BySearch))
	assert.Equal(t, "9", s.value(first))
}

// anotherTypes9 gives the sheet's first row a count as another window of the same person does.
func (s *server) anotherTypes9() {
	s.t.Helper()
	var status int
	s.do("another types meanwhile", chromedp.Evaluate(`fetch("/api/counts/2/entries", {method: "POST", headers: {"Content-Type": "application/json"},
		body: JSON.stringify({key: "another-window-typed-9", zone: "UTC", entries: [{row_code: document.querySelector("input[data-row]").dataset.row,
		text: "9", saw: 0}]})}).then((r) => r.status)`, &status,
		func(p *runtime.EvaluateParams) *runtime.EvaluateParams { return p.WithAwaitPromise(true) }))
	assert.Equal(s.t, 200, status)
}

// offline takes the network away, or gives it back.
func offline(is bool) chromedp.Action { return network.EmulateNetworkConditions(is, 0, -1, -1) }
