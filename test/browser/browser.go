// Package browser drives the real interface in headless Chromium, for the tests and the pictures.
package browser

import (
	"cmp"
	"context"
	"fmt"
	"os"
	"os/exec"
	"strconv"

	"wobin/internal/clock"

	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"
)

// New starts a headless Chromium.
func New(ctx context.Context) (context.Context, context.CancelFunc) {
	path := "chromium"
	if _, err := exec.LookPath(path); err != nil {
		path = "google-chrome"
	}
	opts := append(
		chromedp.DefaultExecAllocatorOptions[:],
		chromedp.ExecPath(path),
		chromedp.NoSandbox,
		chromedp.DisableGPU, // drawn by the processor as it is, not by a graphics card that it plays
		chromedp.WindowSize(1280, 800),
		chromedp.Flag(
			"disable-quic",
			true,
		),
		chromedp.Flag("disable-component-update", true),
		chromedp.Flag("hide-scrollbars", false),
		chromedp.Flag("lang", "en-GB"),
		chromedp.Env("TZ="+Zone()),
	)
	alloc, stop := chromedp.NewExecAllocator(ctx, opts...)
	tab, end := Tab(alloc)
	return tab, func() { end(); stop() }
}

// Tab opens a tab of a browser, or the first one of a browser that is to be started, whose clock is the program's.
func Tab(ctx context.Context) (context.Context, context.CancelFunc) {
	tab, end := chromedp.NewContext(ctx)
	ahead, err := clock.Offset()
	if err == nil && ahead == 0 {
		return tab, end
	}
	if err == nil {
		err = chromedp.Run(tab, chromedp.ActionFunc(func(ctx context.Context) error {
			_, err := page.AddScriptToEvaluateOnNewDocument(fmt.Sprintf(movedClock, ahead.Milliseconds())).Do(ctx)
			return err
		}))
	}
	if err != nil {
		end() // whatever the tab is used for next fails
	}
	return tab, end
}

// movedClock lets a page's dates be ahead of the machine's by some milliseconds.
const movedClock = `(() => {
	const Real = Date, ahead = %d;
	globalThis.Date = class extends Real {
		constructor(...parts) { parts.length ? super(...parts) : super(Real.now() + ahead); }
		static now() { return Real.now() + ahead; }
	};
})()`

// Zone is the zone of the machine that program and browser are to believe to be in: that of TZ_TEST, else UTC.
func Zone() string { return cmp.Or(os.Getenv("TZ_TEST"), "UTC") }

// SignIn fills the sign-in page.
func SignIn(name, password string) chromedp.Action {
	return chromedp.Tasks{
		Visible(`input[name=sign_in]`),
		Type(`input[name=sign_in]`, name),
		Type(`input[name=password]`, password+"\r"),
		Visible(`//button[text()="Sign out"]`, chromedp.BySearch),
	}
}

// Type replaces what a field holds by typing.
func Type(field, text string) chromedp.Action {
	return chromedp.Tasks{
		Visible(field), chromedp.Focus(field),
		chromedp.Evaluate("document.querySelector("+strconv.Quote(field)+").select()", nil),
		chromedp.SendKeys(field, text),
	}
}

// Settled waits until fonts are there, nothing is being fetched, and two frames were drawn since.
func Settled() chromedp.Action {
	return chromedp.Evaluate(`(async () => {
		await document.fonts.ready;
		let quiet = 0, seen = -1;
		while (quiet < 12) {
			await new Promise(r => requestAnimationFrame(r));
			const n = performance.getEntriesByType("resource").length;
			quiet = n === seen ? quiet + 1 : 0;
			seen = n;
		}
		return true;
	})()`, nil, chromedp.EvalAsValue, awaited)
}

func awaited(p *runtime.EvaluateParams) *runtime.EvaluateParams { return p.WithAwaitPromise(true) }
