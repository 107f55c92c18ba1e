package browser

import (
	"context"
	"encoding/json"
	"strings"
	"time"

	"github.com/chromedp/chromedp"
)

// pause is how long a wait leaves the page alone before it looks again. The library looks every five milliseconds; over
// tables of some thousand cells that keeps a processor busy which the page itself needs to become what is waited for.
const pause = 50 * time.Millisecond

// Visible waits until an element is shown.
func Visible(selector any, options ...chromedp.QueryOption) chromedp.QueryAction {
	return chromedp.WaitVisible(selector, append(options, chromedp.RetryInterval(pause))...)
}

// Gone waits until an element is no more.
func Gone(selector any, options ...chromedp.QueryOption) chromedp.QueryAction {
	return chromedp.WaitNotPresent(selector, append(options, chromedp.RetryInterval(pause))...)
}

// Holds waits until a condition, an expression of JavaScript, holds on the page; going on to another page meanwhile is no end of it.
func Holds(condition string) chromedp.Action {
	return chromedp.ActionFunc(func(ctx context.Context) error {
		for {
			var holds bool
			if err := chromedp.Evaluate("Boolean("+condition+")", &holds).Do(ctx); err == nil && holds {
				return nil // an error is a page that is not there yet
			}
			select {
			case <-ctx.Done():
				return ctx.Err()
			case <-time.After(pause):
			}
		}
	})
}

// Sees waits until the page has a text, whatever white space its words are parted by.
func Sees(text string) chromedp.Action {
	quoted, err := json.Marshal(strings.Join(strings.Fields(text), " "))
	if err != nil {
		panic(err) // a text is always written
	}
	return Holds(`document.documentElement.textContent.replace(/\s+/g, " ").includes(` + string(quoted) + `)`)
}
