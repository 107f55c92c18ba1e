// Command shots takes the pictures in docs/screenshots from the demo's data, in headless Chromium.
package main

import (
	"bufio"
	"context"
	"flag"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"wobin/test/browser"
)

type shot struct {
	name, path, wait string
	steps            []chromedp.Action
}

func main() {
	out := flag.String("out", "docs/screenshots", "folder")
	only := flag.String("only", "", "only shots whose name contains this")
	flag.Parse()
	if err := run(*out, *only); err != nil {
		fmt.Fprintln(os.Stderr, "shots:", err)
		os.Exit(1)
	}
}

func run(out, only string) error {
	dir, err := os.MkdirTemp("", "wobin-shots-*")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	data := filepath.Join(dir, "data")
	server := exec.Command("bin/wobin", "demo", "--data", data, "--addr", "127.0.0.1:0")
	pipe, err := server.StdoutPipe()
	if err != nil {
		return err
	}
	server.Stderr = os.Stderr
	if err := server.Start(); err != nil {
		return err
	}
	defer func() { _ = server.Process.Kill(); _ = server.Wait() }()
	base := ""
	for lines := bufio.NewScanner(pipe); lines.Scan(); {
		if _, at, ok := strings.Cut(lines.Text(), "Wobin is at "); ok {
			base = at
			break
		}
	}
	ctx, cancel := browser.New(context.Background())
	defer cancel()
	ctx, stop := context.WithTimeout(ctx, 15*time.Minute)
	defer stop()
	if err := os.MkdirAll(out, 0o755); err != nil {
		return err
	}
	try := filepath.Join(data, "try")
	files := `input[type=file]`
	key := func(k string) chromedp.Action { return chromedp.KeyEvent(k) }
	down := key(kb.ArrowDown)
	press := func(text string) chromedp.Action {
		q := fmt.Sprintf(`//button[starts-with(normalize-space(.), %q)]`, text)
		return chromedp.Tasks{browser.Visible(q, chromedp.BySearch), chromedp.Click(q, chromedp.BySearch)}
	}
	drop := func(name, seen string) []chromedp.Action {
		return []chromedp.Action{
			chromedp.WaitReady(files),
			chromedp.SetUploadFiles(files, []string{filepath.Join(try, name)}),
			browser.Visible(seen),
		}
	}
	sample := filepath.Join(data, "ADJ_IMPORT.csv")
	if err := os.WriteFile(sample, []byte(sampleFile), 0o644); err != nil {
		return err
	}
	shots := []shot{
		{"today", "/", `article`, []chromedp.Action{browser.SignIn("ida", "demo")}},
		{"recorded", "/counts/2/recorded", `[data-lines] [role=row] ~ div [role=row]`, nil},
		{
			"intake",
			"/",
			`[data-group="turned into a date"] button`,
			append(
				drop("pontoon stock via a spreadsheet.csv", `[data-question]`),
				press("Fill down: rows below"),
				press("It is what is on hand"),
				browser.Gone(`[data-question]`),
				press("Put back the only possible original of 26"),
				browser.Visible(`//*[@data-cell="B5"][contains(., "→")]`, chromedp.BySearch),
			),
		},
		{"plan", "/plan?warehouse=3", `[data-left-out]`, nil},
		{"rotation", "/rotation/1", `[data-year]`, nil},
		{
			"sheets",
			"/counts/2/sheets",
			`[data-border]`,
			[]chromedp.Action{
				browser.Visible(`[role=row][aria-rowindex="20"]`),
				chromedp.Click(`[role=row][aria-rowindex="20"]`),
			},
		},
		{"tray", "/counts/2/counting/tray", `[data-in-hand]`, nil},
		{"counting", "/counts/2/counting", `[data-lane="3"]`, nil},
		{
			"typing",
			"/counts/2/counting/20",
			`input[data-row]`,
			[]chromedp.Action{
				chromedp.Click(`input[data-row]`),
				chromedp.SendKeys(`input[data-row]`, "12\r"),
				browser.Visible(`//td[contains(., "Bram Tolley")]`, chromedp.BySearch),
			},
		},
		{
			"variances",
			"/counts/2/variances",
			`[data-likely=misplaced]`,
			[]chromedp.Action{
				browser.Visible(`[data-spread]`),
				browser.Visible(`[data-likely]`),
				down, down, down, down, down, down, down, down,
			},
		},
		{
			"rules",
			"/counts/2/variances",
			`[data-trial]`,
			[]chromedp.Action{
				browser.Visible(`[data-open-rules]`),
				chromedp.Click(`[data-open-rules]`),
				press("…for transfers of equal quantity"),
				press("Try it on the last counts"),
			},
		},
		{
			"layout-out",
			"/counts/2/adjustments",
			`[data-column="Location"]`,
			[]chromedp.Action{
				browser.Visible(`[data-new-layout]`),
				chromedp.Click(`[data-new-layout]`),
				chromedp.WaitReady(`[data-sample]`),
				chromedp.SetUploadFiles(`[data-sample]`, []string{sample}),
			},
		},
		{"adjustments", "/counts/2/adjustments", `[data-file] .code`, nil},
		{"item", "/item?sku=BLK-0300", `[data-said]`, nil},
		{"reference", "/reference/items", `[data-active]`, []chromedp.Action{chromedp.Click(`[data-columns]`), browser.Visible(`[data-list-out]`)}},
		{"report", "/counts/1/report", `[data-figure="match"]`, nil},
		{
			"backups",
			"/safety",
			`[data-backup]`,
			[]chromedp.Action{
				browser.Visible(`[data-backup]`),
				press("Prove the record"),
				browser.Visible(`//*[@data-proof][contains(., "hold")]`, chromedp.BySearch),
				press("put it back"),
				browser.Visible(`//button[starts-with(., "Put ")]`, chromedp.BySearch),
			},
		},
		{
			"people",
			"/people",
			`[data-invited="Wren Tiller"]`,
			[]chromedp.Action{
				browser.Type(`input[aria-label="Name of who is invited"]`, "Wren Tiller"),
				press("Make an invitation"),
			},
		},
		{
			"record",
			"/record",
			`//*[@data-proof][contains(., "hold")]`,
			[]chromedp.Action{browser.Visible(`[data-entry]`), press("Prove the record")},
		},
	}
	if err := chromedp.Run(ctx, emulation.SetDeviceMetricsOverride(1280, 800, 1, false)); err != nil {
		return err
	}
	for _, s := range shots {
		if only != "" && !strings.Contains(only, s.name) && s.name != "today" {
			continue
		}
		var steps []chromedp.Action
		if s.path != "" {
			steps = append(steps, chromedp.Navigate(base+s.path))
		}
		if s.name == "typing" {
			steps = append(steps, browser.Visible(s.wait))
		}
		steps = append(steps, s.steps...)
		var png []byte
		steps = append(steps, browser.Visible(s.wait), browser.Settled(), chromedp.CaptureScreenshot(&png))
		soon, stop := context.WithTimeout(ctx, 90*time.Second)
		err := chromedp.Run(soon, steps...)
		stop()
		if err != nil {
			_ = chromedp.Run(ctx, chromedp.CaptureScreenshot(&png))
			_ = os.WriteFile(filepath.Join(out, "failed.png"), png, 0o644)
			return fmt.Errorf("%s: %w", s.name, err)
		}
		if err := os.WriteFile(filepath.Join(out, s.name+".png"), png, 0o644); err != nil {
			return err
		}
		fmt.Println(filepath.Join(out, s.name+".png"))
	}
	return nil
}

// sampleFile is what a record system takes in, as a person has it at hand.
const sampleFile = "Stock adjustment import\r\nItem;Site;Location;Qty +/-;Reason code;Document date;Batch;User\r\n" +
	"FLR-0124;QUAY;F-01-5;-3,00;51;21.11.2026;L25-750;IMP\r\nSHK-0652;QUAY;C-11-1;2,00;52;21.11.2026;;IMP\r\n"
