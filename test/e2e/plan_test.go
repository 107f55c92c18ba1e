package e2e

import (
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/test/browser"
)

// A count is planned by rules and cut for people; its sheets are printed; a row is typed in packs; the cut-off list marks a variance.
func TestPlanByRules(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write := func(name, text string) string {
		name = filepath.Join(dir, name)
		require.NoError(t, os.WriteFile(name, []byte(text), 0o644))
		return name
	}
	items := write("items.csv", "sku,description,unit,category,pack unit,pack size\nROPE,Rope,m,ropes,,\nSHK,Shackle,ea,metal,bx,25\nPIN,Pin,ea,metal,,\n")
	stock := write("stock.csv", "warehouse,zone,bin,sku,on hand,unit cost,as at\n"+
		"SHED,Front,A-1-1,ROPE,100,5,2026-11-20T06:00:00Z\nSHED,Front,A-2-1,SHK,80,2,2026-11-20T06:00:00Z\n"+
		"SHED,Back,B-1-1,PIN,3,1,2026-11-20T06:00:00Z\nSHED,Back,B-2-1,PIN,0,1,2026-11-20T06:00:00Z\n")
	s := start(t, filepath.Join(dir, "data"), "serve")
	s.signUp()
	s.do("items", drop(items), browser.Visible(`[data-made]`), press("Take in 3 rows"), browser.Visible(`[data-last-word]`))
	s.do("stock", drop(stock), browser.Visible(`[data-made]`), press("Take in 4 rows"), browser.Visible(`[data-last-word]`))

	s.do("all of it", s.open("/plan"), sees("Freeze 4 lines and cut 2 sheets"))
	s.do("a rule about the category", choose(`select[aria-label="Add a rule"]`, "category"),
		chromedp.Click(`//*[@data-rule="category"]//label[contains(., "metal")]`, chromedp.BySearch), sees("Freeze 3 lines and cut 2 sheets"))
	s.do("not those at zero", chromedp.Click(`//*[@data-nothing]//label[contains(., "at zero")]`, chromedp.BySearch), sees("Freeze 2 lines and cut 2 sheets"))
	s.do("a list of items", choose(`select[aria-label="Add a rule"]`, "sku"), browser.Type(`textarea[aria-label="Items"]`, "SHK\nNOBODY"),
		sees("1 value is not known here"), sees("Freeze 1 line and cut 1 sheet"))
	s.do("keep it", browser.Type(`input[aria-label="Name to keep this scope by"]`, "Shackles"), press("Keep this scope"),
		browser.Visible(`select[aria-label="Use a kept scope"]`))
	s.do("drop it", chromedp.Click(`//*[@data-rule="sku"]//button[contains(., "drop")]`, chromedp.BySearch), sees("Freeze 2 lines and cut 2 sheets"))
	s.do("for people", press("a stretch for each person"), browser.Type(`input[aria-label="Who counts"]`, "Jory Penn, Wim Ashby"), sees("Wim Ashby"),
		browser.Type(`input[aria-label="Name of the count"]`, "Metal"), press("open: they do"), press("Freeze 2 lines and cut 2 sheets"), sees("W1S1"), sees("Wim Ashby"))
	assert.True(t, strings.HasPrefix(string(s.fetch("/api/counts/1/sheets.pdf?paper=Letter")), "%PDF-"))
	assert.True(t, strings.HasPrefix(string(s.fetch("/api/counts/1/sheets/2/pdf")), "%PDF-"))

	s.do("note what was on its way", s.open("/counts/1/plan"), choose(`form select`, "not booked"), browser.Type(`form label:nth-child(2) input`, "GR-7"),
		browser.Type(`form label:nth-child(3) input`, "SHK"), press("Note it"), sees("GR-7"))
	sheet := "1"
	if !strings.Contains(string(s.fetch("/api/counts/1/sheets/1/csv")), ",SHK,") {
		sheet = "2"
	}
	s.do("type a pack that it has not", s.open("/counts/1/counting/"+sheet), browser.Visible(`input[data-row]`),
		browser.Type(`input[data-row]`, "2ctn\r"), sees("has bx of 25"))
	s.do("type packs and a sum", browser.Type(`input[data-row]`, "3bx+7\r"), sees("Everything typed is saved"))
	s.do("the variance is marked", s.open("/counts/1/variances"), sees("+2"), sees("! cut-off"), sees("On its way at the freeze"), sees("GR-7"))
	s.do("the report has it", s.open("/counts/1/report"), sees("Cut-off: on its way"), sees("GR-7"))
	s.do("the kept scope", s.open("/plan"), sees("Freeze 4 lines"), browser.Visible(`select[aria-label="Use a kept scope"]`),
		choose(`select[aria-label="Use a kept scope"]`, "1"), sees("Freeze 1 line and cut 1 sheet"))

	// Frozen by mistake, it is called something else, and goes away after a second press that says what goes.
	s.do("frozen by mistake", press("open: they do"), press("Freeze 1 line and cut 1 sheet"), sees("W2S1"), s.open("/counts/2/plan"), press("Rename"),
		browser.Type(`input[aria-label="Name of the count"]`, "Shackles once more\r"), sees("/ Shackles once more"))
	s.do("it is discarded", press("Discard this count"), browser.Visible(`[data-sure]`), sees("1 line and 1 sheet go"),
		press("Discard it for good"), arrives("/"), sees("Metal"))
	s.do("and is no more", s.open("/counts/2/plan"), sees("was discarded"))
	s.do("one that was counted has no such button", s.open("/counts/1/plan"), browser.Visible(`//button[.="Rename"]`, chromedp.BySearch),
		browser.Gone(`//button[.="Discard this count"]`, chromedp.BySearch))
}

// choose picks a value of a list, as a person does.
func choose(selector, value string) chromedp.Action {
	return chromedp.Tasks{browser.Visible(selector), chromedp.Evaluate(`(() => {
		const list = document.querySelector(`+strconv.Quote(selector)+`);
		Object.getOwnPropertyDescriptor(HTMLSelectElement.prototype, "value").set.call(list, `+strconv.Quote(value)+`);
		list.dispatchEvent(new Event("change", { bubbles: true }));
	})()`, nil)}
}
