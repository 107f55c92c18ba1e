package e2e

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/test/browser"
)

// shedCounted serves a shed of ten ropes of which each of so many counts found seven, and gives the row code of the last one.
func shedCounted(t *testing.T, counts int) (s *server, row string) {
	t.Helper()
	dir := t.TempDir()
	s = start(t, filepath.Join(dir, "data"), "serve")
	s.signUp()
	recorded := time.Now().UTC().Add(-4 * time.Hour).Format(time.RFC3339)
	stock := filepath.Join(dir, "stock.csv")
	require.NoError(t, os.WriteFile(stock, []byte("warehouse,bin,sku,on hand,unit cost,as at\nSHED,A-1,ROPE,10,2,"+recorded+"\nSHED,A-2,SHK,5,2,"+recorded+"\n"), 0o644))
	s.do("stock", drop(stock), press("Take in 2 rows"), browser.Visible(`[data-last-word]`))
	for n := range counts {
		s.do("plan", s.open("/plan"), press("Freeze 2 lines"), arrives(fmt.Sprintf("/counts/%d/sheets", n+1)))
		text := string(s.fetch(fmt.Sprintf("/api/counts/%d/sheets/1/csv", n+1)))
		var rows []string
		for _, row := range strings.Split(text, "\n") {
			if cells := strings.Split(row, ","); strings.Contains(row, ",ROPE,") {
				rows = append(rows, cells[0])
			}
		}
		require.Len(t, rows, 1)
		row = rows[0]
		counted := filepath.Join(dir, fmt.Sprintf("counted-%d.csv", n+1))
		at := time.Now().UTC().Add(-time.Hour).Format(time.RFC3339)
		require.NoError(t, os.WriteFile(counted, []byte("row code,bin,sku,counted,counted at\n"+row+",A-1,ROPE,7,"+at+"\n"), 0o644))
		s.do("counted", drop(counted), press("Take in 1 count"), browser.Visible(`[data-last-word]`))
	}
	return s, row
}

// Two counts of one stock: what the first one sent is told in the second one, beside the line and above the queue, and answered by a press;
// then nothing of it is left to be sent, and the answer can be another one.
func TestWhatAnotherCountSent(t *testing.T) {
	t.Parallel()
	s, _ := shedCounted(t, 2)
	s.do("the first one goes out", s.open("/counts/1/variances"), sees("A-1"), press("Accept 1 line"), sees("accepted 1"), s.open("/counts/1/adjustments"),
		browser.Visible(`[data-file]`), press("Send out 1 difference"), browser.Visible(`[data-posting="1"]`))
	s.do("the second one is told", s.open("/counts/2/variances"), browser.Visible(`[data-sent-elsewhere="1"]`), sees("! sent −3"))
	s.do("and sends nothing before it is answered", press("Accept 1 line"), sees("accepted 1"), s.open("/counts/2/adjustments"),
		sees("Say whether the records had it already"), browser.Visible(`[data-sent-elsewhere="1"]`))
	s.do("reckoned in", press("No, they still take it in"), browser.Visible(`[data-sent-elsewhere="0"]`), sees("reckoned in, says Nell Harbour"), sees("No accepted line is waiting"))
	assert.Contains(t, string(s.fetch("/api/counts/2")), `"open":0,`, "nothing is off any more")
	s.do("after all", press("the recorded stock has it after all"), sees("the recorded stock has it, says Nell Harbour"), s.open("/counts/2/variances"), press("Accept 1 line"),
		s.open("/counts/2/adjustments"), browser.Visible(`[data-file]`), press("Send out 1 difference"))
}

// Two windows: what is decided in one is what it showed. Where the other changed a count, and no word of that came, nothing is decided
// unseen: the line and both figures are told, and the next press decides what stands now.
func TestDecidingWhatAnotherWindowChanged(t *testing.T) {
	t.Parallel()
	s, row := shedCounted(t, 1)
	s.do("a window that hears nothing", chromedp.ActionFunc(func(ctx context.Context) error {
		_, err := page.AddScriptToEvaluateOnNewDocument(`window.EventSource = class { addEventListener() {} close() {} }`).Do(ctx)
		return err
	}), s.open("/counts/1/variances"), sees("A-1"), sees("−3"))
	other, cancel := browser.Tab(s.ctx)
	defer cancel()
	require.NoError(t, chromedp.Run(other)) // the window belongs to the whole test
	ctx, stop := context.WithTimeout(other, stepLimit)
	defer stop()
	corrected := filepath.Join(t.TempDir(), "corrected.csv")
	at := time.Now().UTC().Add(-30 * time.Minute).Format(time.RFC3339)
	require.NoError(t, os.WriteFile(corrected, []byte("row code,bin,sku,counted,counted at\n"+row+",A-1,ROPE,5,"+at+"\n"), 0o644))
	require.NoError(t, chromedp.Run(ctx, page.BringToFront(), s.open("/intake"), drop(corrected), press("Take in 1 count"),
		browser.Visible(`[data-last-word]`)))
	s.do("deciding what is no more", page.BringToFront(), press("Accept 1 line"), sees("has changed meanwhile: -5 is open of it now, not -3"))
	assert.Contains(t, string(s.fetch("/api/counts/1")), `"open":1,`, "nothing was decided")
	s.do("deciding what stands", sees("−5"), press("Accept 1 line"), sees("accepted 1"))
	assert.Contains(t, string(s.fetch("/api/counts/1")), `"open":0,`)
}
