package e2e

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/core/code"
	"wobin/test/browser"
)

var number = regexp.MustCompile(`[\d,]+`)

// figure reads the first whole number in a text.
func figure(t *testing.T, text string) int {
	t.Helper()
	n, err := strconv.Atoi(strings.ReplaceAll(number.FindString(text), ",", ""))
	require.NoError(t, err, text)
	return n
}

// The demo, as a newcomer finds it: sheets dropped together, seen live in another window, decided by key, narrowed by
// the racks, sent out; a stock export with faults; an undo.
func TestJourneyFromDemo(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	s := start(t, filepath.Join(dir, "data"), "demo")
	s.do("sign in", s.open("/"), browser.SignIn("ida", "demo"), sees("Quay store, full count"), sees("sheets are out and not back"))

	// Another window watches the counting.
	other, cancel := browser.Tab(s.ctx)
	defer cancel()
	require.NoError(t, chromedp.Run(other, s.open("/counts/2/counting"), browser.Visible(`[data-lane="3"]`)))
	hatched := func() (n int) {
		require.NoError(
			t,
			chromedp.Run(other, chromedp.Evaluate(`document.querySelectorAll('[data-elevation] [data-fill=hatch]').length`, &n)),
		)
		return n
	}
	before := hatched()
	counted := figure(t, s.text(`article [data-counted]`))

	try, err := filepath.Glob(filepath.Join(dir, "data", "try", "*"))
	require.NoError(t, err)
	var sheets []string
	for _, f := range try {
		if n := filepath.Base(f); strings.HasPrefix(n, "returned") || strings.HasPrefix(n, "copy") {
			sheets = append(sheets, f)
		}
	}
	require.Len(t, sheets, 3)
	s.do("drop three sheets", drop(sheets...), press("Take in all 3 files"), sees("✓ copy of tuesday, wim.csv"))
	ctx, stop := context.WithTimeout(other, stepLimit)
	defer stop()
	require.NoError(
		t,
		chromedp.Run(
			ctx,
			browser.Holds(fmt.Sprintf(`document.querySelectorAll('[data-elevation] [data-fill=hatch]').length < %d`, before)),
		),
		"the other window follows",
	)
	cancel()
	s.do("today", page.BringToFront(), s.open("/"), sees("Quay store, full count"))
	assert.Greater(t, figure(t, s.text(`article [data-counted]`)), counted+150)

	// Variances: the racks narrow the lines, keys decide.
	s.do(
		"variances",
		s.open("/counts/2/variances"),
		browser.Visible(`[data-lines] [role=gridcell]`),
		browser.Visible(`[aria-label="The line in hand"]`),
	)
	open := figure(t, s.text(`[data-open]`))
	held := figure(t, s.text(`//button[starts-with(text(), "held ")]`))
	accepted := figure(t, s.text(`//button[starts-with(text(), "accepted ")]`))
	assert.Regexp(t, `▼ −\d`, s.text(`[data-lines]`), "what is short bears its sign")
	var bin string
	s.do("pick the bin of the first line on the racks", chromedp.Text(`[data-active] [role=gridcell]`, &bin),
		chromedp.ActionFunc(func(ctx context.Context) error { return clickTile(ctx, strings.TrimSpace(bin)) }), sees("in 1 bin, let go"))
	narrowed := s.rows(`[data-lines] [role=row][aria-rowindex]`)
	assert.Positive(t, narrowed)
	assert.Less(t, narrowed, open)
	s.do(
		"hold by key",
		chromedp.Focus(`[data-lines]`),
		chromedp.KeyEvent("h"),
		browser.Visible(fmt.Sprintf(`//*[@data-open]//b[text()="%d"]`, open-1), chromedp.BySearch),
	)
	s.do(
		"it is held, not accepted",
		press("in 1 bin"),
		press(fmt.Sprintf("held %d", held+1)),
		browser.Visible(`[data-lines] [role=gridcell]`),
		sees("! held"),
		browser.Visible(
			fmt.Sprintf(`//button[text()="accepted %d"]`, accepted),
			chromedp.BySearch,
		),
		press(fmt.Sprintf("open %d", open-1)),
		browser.Visible(`[data-active]`),
	)
	s.do(
		" give a reason, accept by key",
		press("No reason"),
		press2(`//*[@role="option"][contains(., "MISCOUNT")]`),
		chromedp.Focus(`[data-lines]`),
		chromedp.KeyEvent("a"),
		browser.Visible(fmt.Sprintf(`//*[@data-open]//b[text()="%d"]`, open-2), chromedp.BySearch),
	)
	s.do("accepted with its reason", press("accepted"), sees("✓ MISCOUNT"))

	s.do("send out", s.open("/counts/2/adjustments"), press("Send out"), browser.Visible(`[data-posting="1"]`))
	assert.Contains(t, string(s.fetch("/api/counts/2/postings/1/file")), ",MISCOUNT\n")
	s.do(
		"what was sent is not wanted again",
		s.open("/counts/2/adjustments"),
		browser.Visible(`[data-posting="1"]`),
		sees("No accepted line is waiting"),
	)
	s.do(
		"nor on the queue",
		s.open("/counts/2/variances"),
		browser.Visible(fmt.Sprintf(`//*[@data-open]//b[text()="%d"]`, open-2), chromedp.BySearch),
		browser.Visible(`//button[text()="accepted 0"]`, chromedp.BySearch),
		press("all"),
		sees("✓ sent, 1"),
	)

	// A stock export with faults: every problem with its row; nothing stored before; the good rows alone by choice.
	s.do(
		"drop faults",
		s.open("/"),
		sees("Finished"),
		drop(filepath.Join(dir, "data", "try", "stock-export-with-faults.csv")),
		browser.Visible(`[data-problems]`),
	)
	problems := s.text(`[data-problems]`)
	assert.Contains(t, problems, `"12 pcs" is not a number`)
	assert.Contains(t, problems, `"1.1234567" has more than 6 decimal places`)
	assert.Contains(t, problems, "comes twice, first in row")
	assert.Equal(t, "4 refused", s.text(`[data-figure=refused]`))
	s.do(
		"change what a column is",
		press2(`//button[contains(@aria-label, "Zone")]`),
		press2(`//*[@role="option"][contains(., "passed over")]`),
		sees("chosen by hand"),
	)
	s.do("take in the good rows", press("Take in 2,920 good rows, leave out 4"), browser.Visible(`[data-last-word]`))
	s.do("undo", press("See the stock"), press("Undo"), sees("changed lines back"), press("Undo this intake"), sees("undone by Ida Fenn"))
}

func press2(xpath string) chromedp.Action {
	return chromedp.Tasks{browser.Visible(xpath, chromedp.BySearch), chromedp.Click(xpath, chromedp.BySearch)}
}

// clickTile clicks a bin's tile on the elevation with the mouse.
func clickTile(ctx context.Context, bin string) error {
	var at []float64
	if err := chromedp.Evaluate(fmt.Sprintf(`(() => { const r = document.querySelector('[data-elevation] [data-bin=%q] rect'); r.scrollIntoView({block: "nearest"}); const b = r.getBoundingClientRect(); return [b.x + b.width / 2, b.y + b.height / 2]; })()`, bin), &at).Do(ctx); err != nil {
		return err
	}
	return chromedp.MouseClickXY(at[0], at[1]).Do(ctx)
}

// Bad files of every sort get a clear word on the screen, and nothing is stored.
func TestBadFilesOnTheScreen(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	s := start(t, filepath.Join(dir, "data"), "demo")
	s.do("sign in", s.open("/"), browser.SignIn("ida", "demo"))
	sheet := string(s.fetch("/api/counts/2/sheets/25/csv"))
	rows := strings.Split(sheet, "\n")
	require.Greater(t, len(rows), 12)
	cells := strings.Split(rows[9], ",")
	changed := strings.Replace(rows[9], ","+cells[3]+",", ",X"+cells[3]+",", 1)
	withCount := func(row, count string) string {
		cells := strings.Split(row, ",")
		cells[len(cells)-3] = count
		return strings.Join(cells, ",")
	}
	for name, c := range map[string]struct{ file, want string }{
		"picture.csv":   {"\x89PNG\r\n\x1a\n....", "is a picture, not a table"},
		"empty.csv":     {"", "is empty. There is nothing to read"},
		"zeros.csv":     {strings.Repeat("\x00", 300_000), "holds zero bytes"},
		"no header.csv": {"1;2;3\n4;5;6\n", "no row among the first 40 reads as the header"},
		"column.csv":    {"warehouse,bin,sku,description\nQUAY,A-01-1,X,y\n", "on_hand"},
		"row code.csv": {strings.Join(rows[:8], "\n") + "\n" + strings.Replace(withCount(rows[9], "5"), "W2S25R2", "W2S25R3", 1) + "\n",
			"fails its check"},
		"changed sku.csv": {strings.Join(rows[:8], "\n") + "\n" + withCount(changed, "5") + "\n", "stands under row code"},
		"below zero.csv":  {strings.Join(rows[:8], "\n") + "\n" + withCount(rows[9], "-5") + "\n", "is below zero"},
		"other count.csv": {strings.Join(rows[:8], "\n") + "\n" + code.WithCheck("W99S1R1") + withCount(rows[9], "5")[strings.Index(rows[9],
			","):] + "\n", "not here"},
		"unknown bin.csv": {strings.Join(rows[:8], "\n") + "\n" + withCount(rows[9], "5") + "\n,QUAY,Z-99-9,ROP-0100,,,,3,,\n",
			"is no bin of QUAY"},
	} {
		name := filepath.Join(dir, name)
		require.NoError(t, os.WriteFile(name, []byte(c.file), 0o644))
		want := c.want
		if want == "on_hand" {
			want = "no column for it"
		}
		s.do("drop "+name, s.open("/intake"), browser.Visible(`header`), drop(name), sees(want))
	}
	for _, n := range []string{"Intakes", "movements-quay.csv"} {
		s.do("nothing was stored", s.open("/stock"), sees(n))
	}
	assert.Equal(t, 5, s.rows(`[aria-label="Intakes"] li`))
}

// Every view holds the rules of accessibility that axe knows.
func TestAccessible(t *testing.T) {
	t.Parallel()
	s := start(t, filepath.Join(t.TempDir(), "data"), "demo")
	axe, err := os.ReadFile(filepath.Join("..", "..", "web", "node_modules", "axe-core", "axe.min.js"))
	require.NoError(t, err)
	// By day with every rule; at night colours alone are others, and so are the rules that go by them.
	check := func(view string) {
		for _, by := range []struct{ theme, rules string }{
			{"day", `"wcag2a", "wcag2aa", "wcag21aa"`},
			{"night", `"color-contrast", "link-in-text-block"`},
		} {
			var found struct {
				Passes     []string
				Violations []struct {
					ID    string `json:"id"`
					Help  string `json:"help"`
					Nodes []struct {
						HTML string `json:"html"`
					} `json:"nodes"`
				}
			}
			s.do(
				"axe on "+view,
				chromedp.Evaluate(`document.documentElement.dataset.theme = `+strconv.Quote(by.theme), nil),
				browser.Settled(),
				chromedp.Evaluate(`if (!globalThis.axe) { `+string(axe)+` }`, nil),
				chromedp.Evaluate(
					`axe.run({ runOnly: [`+by.rules+`], resultTypes: ["violations"], preload: false }).then(r => ({ Passes: r.passes.map(x => x.id), Violations: r.violations }))`,
					&found,
					func(p *runtime.EvaluateParams) *runtime.EvaluateParams { return p.WithAwaitPromise(true) },
				),
			)
			assert.Contains(t, found.Passes, "color-contrast", "axe looked at %s by %s", view, by.theme)
			for _, f := range found.Violations {
				t.Errorf("%s by %s: %s: %s: %s", view, by.theme, f.ID, f.Help, f.Nodes[0].HTML)
			}
		}
	}
	s.do("sign-in page", s.open("/"), browser.Visible(`input[name=password]`))
	check("sign-in")
	s.do("sign in", browser.SignIn("ida", "demo"))
	s.do(
		"a messy file",
		s.open("/"),
		browser.Visible(`article`),
		drop(filepath.Join(s.data, "try", "pontoon stock via a spreadsheet.csv")),
		browser.Visible(`[data-problems]`),
		browser.Visible(`[data-cell="E8"]`),
	)
	check("/intake with a file")
	for _, view := range []string{"/", "/stock", "/intake", "/layouts", "/plan", "/counts/2/plan", "/counts/2/sheets", "/counts/2/counting",
		"/counts/2/counting/20", "/counts/2/counting/1?again=1", "/counts/2/counting/tray", "/rotation/1", "/counts/2/variances", "/counts/2/adjustments", "/counts/1/report",
		"/reference/items", "/reference/places", "/reference/movements", "/reference/reasons", "/item?sku=BLK-0300", "/record", "/people", "/me", "/safety"} {
		s.do("open "+view, s.open(view), browser.Visible(`main, section, h2`))
		check(view)
	}
}
