package e2e

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/test/browser"
)

// settled waits until the last answer has come through.
func settled() chromedp.Action {
	return chromedp.Tasks{chromedp.WaitReady(`[data-what][aria-busy=false]`)}
}

// answer opens all groups of problems and presses the remedy that begins with a text; then that remedy is gone.
func answer(text string) chromedp.Action {
	q := fmt.Sprintf(`//*[@data-what]//button[starts-with(normalize-space(.), '%s')]`, text)
	return chromedp.Tasks{
		settled(),
		chromedp.Evaluate(`document.querySelectorAll("[data-group]").forEach(d => { d.open = true })`, nil),
		browser.Visible(q, chromedp.BySearch),
		chromedp.Click(q, chromedp.BySearch),
		browser.Gone(q, chromedp.BySearch),
		settled(),
	}
}

// pressed presses a choice and waits until it is the chosen one.
func pressed(text string) chromedp.Action {
	return chromedp.Tasks{
		settled(),
		press(text),
		browser.Visible(fmt.Sprintf(`//button[@aria-pressed="true"][starts-with(normalize-space(.), '%s')]`, text), chromedp.BySearch),
		settled(),
	}
}

// A file that a spreadsheet program damaged, from the drop to the commit by mouse: questions, repairs, values, a cell
// mended in place, the layout saved, the next such file taken in without a question, and both undone.
func TestMessyFileByMouse(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	s := start(t, filepath.Join(dir, "data"), "demo")
	mess := filepath.Join(dir, "data", "try", "pontoon stock via a spreadsheet.csv")
	s.do("sign in", s.open("/"), browser.SignIn("ida", "demo"), browser.Visible(`article`))
	s.do(
		"drop",
		drop(mess),
		browser.Visible(`[data-question="fill down"]`),
		browser.Visible(`[data-question="on hand"]`),
		browser.Visible(`[data-cell="A5"]`),
	)
	assert.Equal(t, "37 refused", s.text(`[data-figure=refused]`))
	assert.Contains(t, s.text(`[data-granted]`), "1 total skipped: row 43")
	s.do("answers", answer("Fill down: rows below"), answer("It is what is on hand"))
	s.do(
		"codes",
		answer("Put back the only possible original of 24 values"),
		answer("Put back the only possible original of 26 values"),
		answer("Read the others day first too"),
		answer("Put back the only possible original of 1 value"),
	)
	s.do(
		"numbers",
		answer("Leave \"€\" away"),
		answer("Leave \"pcs\" away"),
		answer("Read them as the digits"),
		answer("Read them as below zero"),
	)
	s.do("what cells were taken for", browser.Visible(`//*[@data-cell="F5"][contains(., "€ 0,08 → 0.08")]`, chromedp.BySearch))
	assert.Equal(t, "1-Jan → 1-1", s.text(`[data-cell="B5"]`))
	assert.Equal(t, "(272,00) → -272.00", s.text(`[data-cell="E11"]`))
	s.do("the warehouse", answer("it is YARD"))
	assert.Contains(t, s.text(`[data-gone]`), "of 574 recorded lines are not in the file and become zero")
	assert.Contains(t, s.text(`[data-check=part]`), "538 of 574 recorded lines are not in the file")
	s.do("a part", answer("A part: what is not in it stays as it is"), browser.Gone(`[data-gone]`))
	assert.Contains(t, s.text(`[data-problems]`), `"about 40" is not a number`)
	assert.Equal(t, "1 refused", s.text(`[data-figure=refused]`))
	s.do(
		"take the last answer back and give it again",
		press("Take the last answer back"),
		browser.Visible(`[data-check=part] [aria-pressed=false]`),
		browser.Visible(`[data-gone]`),
		pressed("only some lines"),
	)
	// The last cell is mended in place.
	cell := `[data-cell="E22"]`
	s.do(
		"mend",
		press("Show only these rows"),
		browser.Visible(cell),
		chromedp.DoubleClick(cell),
		browser.Visible(cell+` input`),
		browser.Type(cell+` input`, "40,00\r"),
		settled(),
		browser.Visible(`//*[@data-figure="refused"]/*[text()="0"]`, chromedp.BySearch),
	)
	s.do(
		"save the layout",
		press("Layout"),
		browser.Type(`input[aria-label="Name of the layout"]`, "Pontoon list"),
		press("Save as a layout"),
		sees("Read by the layout “Pontoon list”"),
		settled(),
	)
	before := s.text(`[data-figure=changed]`)
	s.do("take in", press("Take in 37 rows"), browser.Visible(`[data-last-word]`))
	assert.Contains(t, s.text(`[data-last-word]`), strings.TrimSuffix(before, " changed")+" changed")
	// The next file of that shape: no question, and nothing changes.
	s.do(
		"again",
		s.open("/"),
		browser.Visible(`article`),
		drop(mess),
		sees("Read by the layout “Pontoon list”"),
		browser.Visible(`[data-figure=unchanged]`),
	)
	assert.Equal(t, "1 refused", s.text(`[data-figure=refused]`), "only the cell that was mended by hand")
	assert.Equal(t, 0, s.rows(`[data-question]`))
	s.do(
		"discard, undo",
		press("Discard"),
		s.open("/stock"),
		press("Undo"),
		sees("changed lines back"),
		press("Undo this intake"),
		sees("undone by Ida Fenn"),
	)
	s.do("layouts", s.open("/layouts"), press("Pontoon list"), sees("filled down"), sees("without €"))
	assert.Contains(t, string(s.fetch("/api/layouts/Pontoon%20list/file")), `"fill": "down"`)
}

// The same by keyboard alone, and a mended file dropped again on the same intake.
func TestMessyFileByKeyboard(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	s := start(t, filepath.Join(dir, "data"), "demo")
	s.do("sign in", s.open("/"), browser.SignIn("ida", "demo"), browser.Visible(`article`))
	file := filepath.Join(dir, "harbour.csv")
	text := "Whse;Place;Item;Stock\nYARD;1-1;00412;120 pcs\nYARD;1-2;00419;x\nYARD;1-3;426;7\n"
	require.NoError(t, os.WriteFile(file, []byte(text), 0o644))
	s.do("drop", drop(file), browser.Visible(`[data-question="on hand"]`), browser.Visible(`[data-cell="D2"]`))
	// tab goes on until a button that begins with a text has the focus, and Enter presses it.
	press := func(text string) {
		t.Helper()
		for range 80 {
			var at string
			s.do("tab", chromedp.KeyEvent(kb.Tab), chromedp.Evaluate(`(document.activeElement?.innerText ?? "").trim()`, &at))
			if strings.HasPrefix(at, text) {
				s.do("enter", chromedp.KeyEvent("\r"), settled())
				return
			}
		}
		s.do("never reached "+text, chromedp.Evaluate(`document.activeElement.outerHTML`, &text))
		require.Fail(t, "Tab never reached", text)
	}
	press("It is what is on hand")
	s.do("settled", browser.Gone(`[data-question]`))
	press("Leave \"pcs\" away")
	s.do("one less", browser.Visible(`//*[@data-figure="refused"]/*[text()="2"]`, chromedp.BySearch))
	press("Put back the only possible original")
	s.do("one less", browser.Visible(`//*[@data-figure="refused"]/*[text()="1"]`, chromedp.BySearch))
	// Into the file, to the cell, F2, type, Enter.
	s.do(
		"to the file",
		chromedp.Focus(`[data-file-view]`),
		chromedp.KeyEvent(kb.ArrowDown),
		chromedp.KeyEvent(kb.ArrowDown),
		browser.Visible(`[data-cell="D3"]`),
	)
	var letter string
	for range 4 {
		s.do(
			"right",
			chromedp.KeyEvent(kb.ArrowRight),
			chromedp.Evaluate(`document.querySelector("[data-file-view] [aria-selected=true]")?.dataset.cell ?? ""`, &letter),
		)
	}
	assert.Equal(t, "D3", letter)
	s.do(
		"mend",
		chromedp.KeyEvent(kb.F2),
		browser.Visible(`[data-cell="D3"] input`),
		chromedp.KeyEvent(kb.Backspace),
		chromedp.KeyEvent("15\r"),
		settled(),
		browser.Visible(`//*[@data-figure="refused"]/*[text()="0"]`, chromedp.BySearch),
	)
	// The mended file, with one row more, goes on with all that was settled.
	more := filepath.Join(dir, "again", "harbour.csv")
	require.NoError(t, os.Mkdir(filepath.Dir(more), 0o755))
	require.NoError(t, os.WriteFile(more, []byte(text+"YARD;1-4;00433;9 pcs\n"), 0o644))
	s.do("drop the mended file", drop(more), browser.Visible(`[data-cell="D5"]`), settled())
	assert.Equal(t, "0 refused", s.text(`[data-figure=refused]`))
	assert.Equal(t, 0, s.rows(`[data-question]`))
	press("only some lines")
	press("Take in 4 rows")
	s.do("the last word", browser.Visible(`[data-last-word]`))
	assert.Contains(t, s.text(`[data-last-word]`), "0 refused")
}

// Refused rows come as a file, are mended in it, and go back to their rows; a formula shows its result while it is
// typed; a row filter leaves rows out.
func TestRefusedRowsAndFormulas(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	s := start(t, filepath.Join(dir, "data"), "demo")
	s.do("sign in", s.open("/"), browser.SignIn("ida", "demo"), browser.Visible(`article`))
	file := filepath.Join(dir, "boxes.csv")
	require.NoError(
		t,
		os.WriteFile(
			file,
			[]byte("Warehouse,Bin,Item code,Boxes,Singles\nYARD,1-1,00412,3,7\nYARD,1-2,00419,x,1\nYARD,1-3,00426,0,0\n"),
			0o644,
		),
	)
	s.do("drop", drop(file), sees("A column that every stock file needs was not found"))
	s.do(
		"a formula",
		press("Work a field out"),
		chromedp.SendKeys(`select[aria-label="The field that is worked out"]`, "On hand"),
		browser.Type(`input[aria-label="Formula"]`, "'Boxes' * 12 + 'Single'"),
		browser.Holds(`document.querySelector("[data-formula-wrong]")?.textContent.includes('"Single"')`),
	)
	assert.Equal(t, `! At character 16: the file has no column "Single"`, s.text(`[data-formula-wrong]`))
	s.do("put right", browser.Type(`input[aria-label="Formula"]`, "'Boxes' * 12 + 'Singles'"),
		browser.Holds(`document.querySelector("[data-formula-rows]")?.textContent.includes("43")`))
	assert.Contains(t, s.text(`[data-formula-rows]`), "row 2 43")
	s.do(
		"work it out",
		press("Work it out so"),
		settled(),
		browser.Visible(`//*[@data-figure="refused"]/*[text()="1"]`, chromedp.BySearch),
	)
	s.do(
		"only some rows",
		press("Take only some rows"),
		browser.Type(`input[aria-label="Row filter"]`, "'Singles' <> 0"),
		press("Take only these"),
		sees("1 row that the row filter leaves out"),
	)
	var id string
	s.do("the draft", chromedp.Evaluate(`document.querySelector("a[download]").href.match(/uploads\/([0-9a-f]+)/)[1]`, &id))
	refused := string(s.fetch("/api/uploads/" + id + "/refused?sheet=0"))
	require.Contains(t, refused, "YARD,1-2,00419,x,1,3,")
	back := filepath.Join(dir, "boxes - refused rows.csv")
	require.NoError(t, os.WriteFile(back, []byte(strings.Replace(refused, "00419,x,", "00419,2,", 1)), 0o644))
	s.do(
		"drop it",
		drop(back),
		browser.Visible(`//*[@data-figure="refused"]/*[text()="0"]`, chromedp.BySearch),
		sees("1 cell mended"),
		press("only some lines"),
		settled(),
	)
	s.do("take in", press("Take in 2 rows"), browser.Visible(`[data-last-word]`))
}

// Counts that were not made on our sheets: two columns that read as counted are asked about, the count is chosen, and
// what is found where nothing is recorded stands among the variances though it is on no sheet.
func TestCountsOfOtherMaking(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	s := start(t, filepath.Join(dir, "data"), "demo")
	s.do("sign in", s.open("/"), browser.SignIn("ida", "demo"), browser.Visible(`article`))
	var page struct {
		Lines []struct {
			Bin, SKU, Lot, Serial string
			Counted               *string
			Recorded              string
		}
	}
	require.NoError(t, json.Unmarshal(s.fetch("/api/counts/2/lines?limit=1000&show=uncounted"), &page))
	have := map[string]bool{}
	for _, l := range page.Lines {
		have[l.Bin+" "+l.SKU] = true
	}
	known, found := page.Lines[0], ""
	for _, l := range page.Lines {
		if l.Lot+l.Serial == "" && !have[known.Bin+" "+l.SKU] {
			found = l.SKU
			break
		}
	}
	require.NotEmpty(t, found)
	var c struct {
		FrozenAt time.Time `json:"frozen_at"`
	}
	require.NoError(t, json.Unmarshal(s.fetch("/api/counts/2"), &c))
	zone, err := time.LoadLocation(browser.Zone())
	require.NoError(t, err)
	const layout = "2006-01-02 15:04"
	counted := c.FrozenAt.In(zone).Add(24*time.Hour + time.Minute)
	file := filepath.Join(dir, "scanner.csv")
	require.NoError(
		t,
		os.WriteFile(
			file,
			[]byte(
				"Shelf,Product,Lot,Counted,Actual qty,When\n"+known.Bin+","+known.SKU+","+known.Lot+",999,"+known.Recorded+","+counted.Format(layout)+"\n"+known.Bin+","+strings.ToLower(
					found,
				)+",,999,7,"+counted.Add(5*time.Minute).Format(layout)+"\n",
			),
			0o644,
		),
	)
	s.do("drop", drop(file), sees("It belongs to Quay store, full count"), browser.Visible(`[data-question="which column"]`))
	s.do(
		"which column",
		answer(`Column E, "Actual qty"`),
		press("It belongs to Quay store, full count"),
		settled(),
		sees("For Quay store, full count"),
	)
	s.do("what is found", sees(known.Bin+" · "+found), sees("found"))
	s.do("take in", press("Take in 2 counts"), browser.Visible(`[data-last-word]`))
	s.do(
		"among the variances",
		s.open("/counts/2/variances"),
		browser.Visible(`[data-lines] [role=gridcell]`),
		browser.Type(`input[placeholder^="Filter"]`, found),
		sees(known.Bin),
	)
	var lines struct {
		Lines []struct{ Bin, SKU, Status, Counted string }
	}
	require.NoError(t, json.Unmarshal(s.fetch("/api/counts/2/lines?limit=1000&show=counted&text="+found), &lines))
	ok := false
	for _, l := range lines.Lines {
		ok = ok || l.Bin == known.Bin && l.SKU == found && l.Status == "found" && l.Counted == "7"
	}
	assert.True(t, ok, "%v", lines)
}
