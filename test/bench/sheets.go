package main

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"time"

	"golang.org/x/sync/errgroup"

	"wobin/internal/desk/count"
	"wobin/internal/desk/counting"
	"wobin/internal/desk/intake"
	"wobin/internal/desk/plan"
)

// rules are a scope with every rule on.
const rules = `{"scope":{"warehouse":1,"leave_empty":true,"rules":[{"what":"age","days":1,"not":true},{"what":"moved","not":true},{"what":"wrong","not":true},
	{"what":"below","not":true},{"what":"zero","not":true},{"what":"value","from":"0.01"},{"what":"abc","values":["A","B","C"]},
	{"what":"abc","by":"movement","values":["C"]},{"what":"category","values":["none"],"not":true},{"what":"class","values":["none"],"not":true},
	{"what":"sku","values":["none"],"not":true}]},"rows":200}`

// tallyRules measures the tally of a scope with every rule on; the first, which looks up what was counted and what moved, by itself.
func (h *site) tallyRules(lines int, most float64) error {
	first, _, _, err := h.ask("POST", "/api/plan/tally", rules)
	if err != nil {
		return err
	}
	at, wire, err := h.p95(40, "POST", "/api/plan/tally", func(int) string { return rules })
	if err != nil {
		return err
	}
	fmt.Printf("\nthe first tally with rules, looking it up   %6.2f s\n", first.Seconds())
	bar(fmt.Sprintf("tally of %d lines, every rule on, p95", lines), at.Seconds(), most, " s")
	bar("    on the wire", float64(wire)/1e3, 300, " kB")
	return nil
}

// comeBack measures a hundred sheets that come back together, of about a hundred rows each: looked at, and taken in.
func (h *site) comeBack() error {
	bins := make([]int64, 0, 4000)
	var list []struct{ ID int64 }
	if err := h.desk.Store.Read(h.ctx).Raw("SELECT id FROM bins WHERE warehouse_id = 1 ORDER BY sort_key LIMIT 4000").Scan(&list).Error; err != nil {
		return err
	}
	for _, b := range list {
		bins = append(bins, b.ID)
	}
	made, err := h.desk.Plan.Freeze(h.ctx, h.ida, plan.NewCount{Name: "A hundred sheets", Scope: count.Scope{Warehouse: 1, Bins: bins, LeaveEmpty: true},
		Cut: plan.Cut{By: "size", Rows: 100}})
	if err != nil {
		return err
	}
	sheets := make([]string, 0, 100)
	rows := 0
	for n := 1; n <= min(made.Sheets, 100); n++ {
		_, text, err := h.desk.Counting.WriteSheet(h.ctx, h.ida, made.ID, n, counting.AsText)
		if err != nil {
			return err
		}
		out := strings.Split(strings.TrimSpace(string(text)), "\n")
		counted := len(strings.Split(out[7], ",")) - 3
		for i := 8; i < len(out); i++ {
			cells := strings.Split(out[i], ",")
			cells[counted] = fmt.Sprint(i % 90)
			out[i] = strings.Join(cells, ",")
			rows++
		}
		sheets = append(sheets, strings.Join(out, "\n"))
	}
	start := time.Now()
	drafts := make([]string, len(sheets))
	var uploads errgroup.Group
	uploads.SetLimit(4) // as the screen does
	for i, text := range sheets {
		uploads.Go(func() error {
			d, err := h.desk.Intake.Upload(h.ctx, h.ida, fmt.Sprintf("back %d.csv", i), strings.NewReader(text),
				intake.Choices{CountedAt: "2026-11-21 12:00", Zone: "UTC"})
			if err == nil && (d.Blocked != "" || len(d.Problems) > 0) {
				err = fmt.Errorf("a returned sheet: %s", d.Blocked)
			}
			if err == nil {
				drafts[i] = d.ID
			}
			return err
		})
	}
	if err := uploads.Wait(); err != nil {
		return err
	}
	looked := time.Since(start)
	start = time.Now()
	for _, id := range drafts {
		if _, err := h.desk.Intake.TakeIn(h.ctx, h.ida, id, "", 0); err != nil {
			return err
		}
	}
	taken := time.Since(start)
	fmt.Printf("\n%d returned sheets, %d rows\n", len(sheets), rows)
	bar("looked at", looked.Seconds(), 2, " s")
	bar("taken in", taken.Seconds(), 2, " s")
	return nil
}

// sheetsFromFiles measures wobin sheets: all lines as text, and some as workbooks and as PDF, against merely reading the file.
func sheetsFromFiles(dir, wobin, stock string, lines int) error {
	fmt.Println()
	some := filepath.Join(dir, "some.csv")
	if err := generate(min(lines, 100_000), "bins", some, filepath.Join(dir, "none.csv")); err != nil {
		return err
	}
	for _, x := range []struct {
		form, file string
		lines      int
	}{{"csv", stock, lines}, {"xlsx", some, min(lines, 100_000)}, {"pdf", some, min(lines, 100_000)}} {
		out := filepath.Join(dir, "sheets-"+x.form)
		c := exec.Command(wobin, "sheets", "--stock", x.file, "--out", out, "--by", "size", "--max-rows", "500", "--format", x.form)
		took, err := timed(c)
		if err != nil {
			return err
		}
		mib := float64(c.ProcessState.SysUsage().(*syscall.Rusage).Maxrss) / 1024
		fmt.Printf("wobin sheets, %7d lines as %-4s          %6.2f s, %3.0f MiB\n", x.lines, x.form, took.Seconds(), mib)
		if x.form == "csv" {
			read, err := readBoth(x.file, x.file)
			if err != nil {
				return err
			}
			bar("sheets ÷ reading the file with encoding/csv", took.Seconds()/(read.Seconds()/2), 20, "")
		}
		if err := os.RemoveAll(out); err != nil {
			return err
		}
	}
	return nil
}
