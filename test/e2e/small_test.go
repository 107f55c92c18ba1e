package e2e

import (
	"fmt"
	"path/filepath"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"

	"wobin/test/browser"
)

// In a small window, or one that is zoomed in by half or to double, the work stays possible: no page scrolls sideways, nothing is cut off
// by the window's edge, lines are in sight between what stands above and below them, and the cell to count into is on the screen.
func TestSmallWindows(t *testing.T) {
	t.Parallel()
	s := start(t, filepath.Join(t.TempDir(), "data"), "demo")
	s.do("sign in", s.open("/"), browser.SignIn("ida", "demo"), sees("Quay store, full count"))
	some := []string{"/", "/counts/2/sheets", "/counts/2/counting/18", "/counts/2/variances", "/counts/2/adjustments"}
	for _, size := range []struct {
		what          string
		width, height int64
		lines         int
		views         []string
	}{{"zoomed in by half", 853, 533, 7, some[2:4]}, {"zoomed in to double", 640, 400, 5, some}, {"a phone", 390, 844, 10, append([]string{"/stock",
		"/intake", "/reference/items", "/plan", "/counts/2/plan", "/counts/2/counting", "/counts/1/report", "/record", "/safety", "/me", "/people"},
		some...)}} {
		s.do(size.what, chromedp.EmulateViewport(size.width, size.height))
		for _, view := range size.views {
			s.do("open "+view, s.open(view), browser.Visible(`main, section, h2`), browser.Settled())
			var wide struct {
				Over int
				What string
			}
			s.do("how wide "+view, chromedp.Evaluate(`(() => {
				const page = document.documentElement;
				const out = [...document.querySelectorAll("header *, footer *, h1, h2")].find((e) => {
					const box = e.getBoundingClientRect();
					const cut = e.closest(".truncate, .overflow-x-auto"); // shows less, and says so
					return cut === null && box.width > 0 && (box.right > innerWidth + 1 || box.left < -1);
				});
				return { over: page.scrollWidth - innerWidth, what: out ? out.outerHTML.slice(0, 200) : "" };
			})()`, &wide))
			assert.LessOrEqual(t, wide.Over, 0, "%s: %s scrolls sideways", size.what, view)
			assert.Empty(t, wide.What, "%s: %s", size.what, view)
		}
		const inSight = `[...document.querySelectorAll(%q)].filter((e) => {
			const box = e.getBoundingClientRect(), at = document.elementFromPoint(box.right - 12, (box.top + box.bottom) / 2);
			return box.width > 0 && box.right <= innerWidth && at !== null && (e.contains(at) || at.contains(e));
		}).length`
		var lines, cells int
		s.do("lines in sight", s.open("/counts/2/variances"), browser.Visible(`[data-active]`), browser.Settled(),
			chromedp.Evaluate(fmt.Sprintf(inSight, `[data-lines] [role=row][aria-rowindex] [role=gridcell]:last-child`), &lines))
		assert.GreaterOrEqual(t, lines, size.lines, size.what)
		s.do("cells in sight", s.open("/counts/2/counting/18"), browser.Visible(`input[data-row]`), browser.Settled(),
			chromedp.Evaluate(fmt.Sprintf(inSight, `input[data-row]`), &cells))
		assert.GreaterOrEqual(t, cells, 4, size.what)
	}
	s.do("the pages are a press away", press("Pages"), press2(`//*[@role="menu"]//a[.="Stock"]`), arrives("/stock"))
}
