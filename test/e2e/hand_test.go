package e2e

import (
	"encoding/json"
	"fmt"
	"path/filepath"
	"testing"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/test/browser"
)

// What is in hand is a line: where another window decides it, the hand waits and no key acts until it is moved, and half a note stays with
// its line. Of many that are accepted at once, those that are being counted again are left out. A reason belongs to one decision.
func TestTheHandHoldsALine(t *testing.T) {
	t.Parallel()
	s := start(t, filepath.Join(t.TempDir(), "data"), "demo")
	s.do("sign in", s.open("/"), browser.SignIn("ida", "demo"), sees("Quay store, full count"))
	queue := func(show string) (positions []int64) {
		var page struct{ Lines []struct{ Pos int64 } }
		require.NoError(t, json.Unmarshal(s.fetch("/api/counts/2/variances?limit=300&show="+show), &page))
		for _, l := range page.Lines {
			positions = append(positions, l.Pos)
		}
		return positions
	}
	elsewhere := func(pos int64, kind string) chromedp.Action { // another window of hers
		return chromedp.Evaluate(fmt.Sprintf(`fetch("/api/counts/2/decisions", {method: "POST", headers: {"Content-Type": "application/json"},
			body: JSON.stringify({lines: [%d], kind: "%s", reason: ""})})`, pos, kind), nil)
	}
	open, accepted := queue("open"), len(queue("accepted"))
	require.Greater(t, len(open), 5)
	s.do("half a note", s.open("/counts/2/variances"), browser.Visible(`[data-active]`), browser.Visible(`[data-note]`),
		chromedp.SendKeys(`[data-note]`, "asked Bram"))
	s.do("it is decided elsewhere", elsewhere(open[0], "hold"), browser.Visible(`[data-gone]`))
	assert.Equal(t, "asked Bram", s.value(`[data-note]`))
	s.do("no key acts", chromedp.Focus(`[data-lines]`), chromedp.KeyEvent("a"), chromedp.KeyEvent("h"), chromedp.KeyEvent("g"),
		chromedp.KeyEvent(kb.ArrowDown), browser.Gone(`[data-gone]`), browser.Visible(`[data-active]`))
	s.do("what stands in its place is accepted", chromedp.KeyEvent("a"),
		browser.Visible(fmt.Sprintf(`//button[text()="accepted %d"]`, accepted+1), chromedp.BySearch))
	now := queue("accepted")
	assert.Len(t, now, accepted+1)
	assert.Contains(t, now, open[1])
	assert.NotContains(t, queue("open"), open[0])

	// Lines that come and go above it do not move the hand.
	s.do("two down", chromedp.KeyEvent(kb.ArrowDown), chromedp.KeyEvent(kb.ArrowDown))
	s.do("another one goes elsewhere", elsewhere(open[2], "hold"), browser.Visible(`//button[text()="held 2"]`, chromedp.BySearch))
	s.do("the line in hand is accepted", chromedp.KeyEvent("a"),
		browser.Visible(fmt.Sprintf(`//button[text()="accepted %d"]`, accepted+2), chromedp.BySearch))
	assert.Contains(t, queue("accepted"), open[4])

	s.do("one is counted again", chromedp.KeyEvent("g"), browser.Visible(`[data-recount]`))
	s.do("all of them are accepted", chromedp.KeyEvent("a", chromedp.KeyModifiers(input.ModifierCtrl)), chromedp.KeyEvent("a"),
		browser.Visible(`[data-left-out]`), sees("1 line being counted again"))
	left := queue("open")
	require.Len(t, left, 1)
	assert.Equal(t, open[5], left[0])
}
