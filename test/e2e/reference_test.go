package e2e

import (
	"path/filepath"
	"testing"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"

	"wobin/test/browser"
)

// Ctrl K leads to an item by its code and its barcode, to a bin, and to what there is to do; an item shows where it lies and what counts
// said, and leads on. The demo's record system offers its exports.
func TestReference(t *testing.T) {
	t.Parallel()
	s := start(t, filepath.Join(t.TempDir(), "data"), "demo")
	s.do("sign in", s.open("/"), browser.SignIn("ida", "demo"), sees("Quay store, full count"))
	goTo := func(text, shown string) chromedp.Action {
		return chromedp.Tasks{
			chromedp.KeyEvent("k", chromedp.KeyModifiers(input.ModifierCtrl)), browser.Visible(`input[aria-label="Go to"]`),
			chromedp.SendKeys(`input[aria-label="Go to"]`, text),
			browser.Visible(`//*[@role="option"][1][contains(., "`+shown+`")]`, chromedp.BySearch),
			chromedp.KeyEvent(kb.Enter), browser.Gone(`input[aria-label="Go to"]`),
		}
	}
	s.do("an item by its code", goTo("blk-0300", "BLK-0300"), browser.Visible(`[data-place="QUAY"]`), browser.Visible(`[data-said]`))
	s.do("by its barcode", goTo("2941000305253", "BLK-0300"), browser.Visible(`[data-place="LOFT"]`))
	s.do("on to its lines", chromedp.Click(`[data-said] a`), sees("Quay store, full count"),
		browser.Visible(`//*[@role="row"][contains(., "BLK-0300")]`, chromedp.BySearch))
	s.do("and back to it", chromedp.Click(`//section[@aria-label="The line in hand"]//a[.="BLK-0300"]`, chromedp.BySearch),
		browser.Visible(`[data-place="QUAY"]`))
	s.do("a bin", goTo("D-11-1", "D-11-1"), browser.Visible(`//*[@role="row"][contains(., "D-11-1")]`, chromedp.BySearch))
	s.do("something to do", goTo("count of yard", "Plan a count of YARD"), sees("Shelf label"))

	s.do("what the record system exported", s.open("/"), sees("From the record system beside"))
	var text string
	s.do("comes as a file", chromedp.Evaluate(`(async () => {
		const a = [...document.querySelectorAll("a")].find(a => a.textContent.startsWith("stock-20") );
		return (await (await fetch(a.href)).text()).slice(0, 60);
	})()`, &text,
		func(p *runtime.EvaluateParams) *runtime.EvaluateParams { return p.WithAwaitPromise(true) }))
	assert.Contains(t, text, "warehouse,bin,sku,description")

	s.do("a template", s.open("/intake"), browser.Visible(`[data-templates]`))

	var over float64
	beyond := `[...document.querySelectorAll("[data-active] [role=gridcell], nav[aria-label=Stages] a, footer button")]
		.reduce((most, e) => Math.max(most, e.getBoundingClientRect().right), 0) - innerWidth`
	for _, width := range []int64{1024, 1280, 1920} {
		s.do("all that matters is in sight", emulation.SetDeviceMetricsOverride(width, 768, 1, false), s.open("/counts/2/variances"),
			browser.Visible(`[data-active]`), chromedp.Evaluate(beyond, &over))
		assert.LessOrEqual(t, over, 0.0, "at %d", width)
	}
	s.do("what is folded away comes by a key and by a press", emulation.SetDeviceMetricsOverride(1024, 768, 1, false),
		browser.Visible(`[data-fold][aria-expanded=false]`), chromedp.Focus(`[data-lines]`), chromedp.KeyEvent("e"),
		browser.Visible(`section[aria-label="The line in hand"]`), chromedp.Click(`[data-fold]`),
		browser.Gone(`section[aria-label="The line in hand"]`))
	for _, path := range []string{"/", "/counts/2/variances", "/counts/1/report", "/people", "/item?sku=BLK-0300"} {
		var wide bool
		s.do("on a telephone nothing runs out of the page", emulation.SetDeviceMetricsOverride(390, 800, 1, false), s.open(path),
			browser.Visible(`header`), browser.Settled(), chromedp.Evaluate(`document.documentElement.scrollWidth > innerWidth`, &wide))
		assert.False(t, wide, path)
	}
}
