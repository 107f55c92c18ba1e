package e2e

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/test/browser"
)

// The record system's layout is made from a sample; a posting is agreed to by a second person; what went out
// waits for its proof; a mistake is taken back by a posting that says the opposite.
func TestAdjustments(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	s := start(t, filepath.Join(dir, "data"), "demo")
	write := func(name, text string) string {
		name = filepath.Join(dir, name)
		require.NoError(t, os.WriteFile(name, []byte(text), 0o644))
		return name
	}
	sample := write("ADJ_IMPORT.csv", "Stock adjustment import\r\nItem;Site;Location;Qty +/-;Reason code;Document date;Batch;User\r\n"+
		"FLR-0124;QUAY;F-01-5;-3,00;51;21.11.2026;L25-750;IMP\r\nSHK-0652;QUAY;C-11-1;2,00;52;21.11.2026;;IMP\r\n")
	s.do("sign in", s.open("/"), browser.SignIn("ida", "demo"), sees("Quay store, full count"))
	s.do("a layout of a sample", s.open("/counts/2/adjustments"), browser.Visible(`[data-file]`), chromedp.Click(`[data-new-layout]`),
		chromedp.WaitReady(`[data-sample]`), chromedp.SetUploadFiles(`[data-sample]`, []string{sample}), browser.Visible(`[data-column="Location"]`),
		sees("2 questions are open"), sees("Does it stand in every row"))
	s.do("what the sample cannot answer", chromedp.SendKeys(`select[aria-label="What Location holds"]`, "bin"),
		press2(`//tr[@data-column="User"]//button[.="as it stands"]`),
		browser.Visible(`//*[@data-file]//span[starts-with(., "BLK-0300;QUAY;C-01-5;4,00;MISCOUNT;")]`, chromedp.BySearch))
	s.do("kept", press("Keep “ADJ_IMPORT”"), browser.Gone(`[data-layout]`), sees("adjustments.csv"),
		chromedp.Click(`//label[contains(., "signs")]/input`, chromedp.BySearch), sees("User␍␊"))

	s.do("somebody else has to agree", chromedp.SendKeys(`select[aria-label="Somebody else agrees"]`, "al"), browser.Visible(`[data-agreement=always]`),
		press("Ask to agree to 9 lines"), browser.Visible(`[data-approval]`), sees("Waits for somebody else to agree"))
	s.do("not the maker", browser.Gone(`//button[starts-with(., "Agree, and send out")]`, chromedp.BySearch))
	s.do("the second person", press("Sign out"), browser.SignIn("mette", "demo"), sees("Ida Fenn wants to send out"), s.open("/"),
		sees("agree or send them back"), s.open("/counts/2/adjustments"),
		browser.Visible(`[data-approval]`), sees("Ida Fenn wants to send out"))
	s.do("agrees", press("Agree, and send out 9 lines"))
	s.do("and it goes out", browser.Visible(`[data-posting="1"]`), sees("agreed by Mette Quill"), browser.Visible(`[data-unseen]`))
	sent := string(s.fetch("/api/counts/2/postings/1/file?n=1"))
	assert.True(t, strings.HasPrefix(sent, "Stock adjustment import\r\nItem;Site;Location;"), sent)
	assert.Contains(t, string(s.fetch("/api/counts/2/postings/1/manifest")), "  adjustments.csv\n")

	s.do("back as controller", press("Sign out"), browser.SignIn("ida", "demo"), browser.Visible(`[data-unseen]`), s.open("/"), sees("are not proved yet"))
	s.do("a mistake is taken back", s.open("/counts/2/adjustments"), browser.Visible(`[data-reverse]`), chromedp.Click(`[data-reverse]`),
		press("send out the opposite of its 9 lines"), browser.Visible(`[data-posting="2"]`), sees("takes posting 1 back"), sees("taken back by 2"))
	back := string(s.fetch("/api/counts/2/postings/2/file?n=1"))
	assert.Contains(t, back, "BLK-0300;QUAY;C-01-5;-4,00;MISCOUNT;")
	assert.Contains(t, sent, "BLK-0300;QUAY;C-01-5;4,00;MISCOUNT;")

	// A figure of the report is pressed to the lines that it sums; the report is had on paper.
	short := 0
	s.do("a figure of the report", s.open("/counts/2/report"), browser.Visible(`a[data-figure="▼ short"]`))
	short = figure(t, s.text(`a[data-figure="▼ short"]`))
	s.do("leads to its lines", chromedp.Click(`a[data-figure="▼ short"]`), sees("only short, let go"), sees("of "+fmt.Sprint(short)+" lines"))
	assert.True(t, strings.HasPrefix(string(s.fetch("/api/counts/2/report/pdf")), "%PDF-"))
	assert.True(t, strings.HasPrefix(string(s.fetch("/api/counts/2/report/xlsx")), "PK"))
}
