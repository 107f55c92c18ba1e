package house_test

import (
	"bytes"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"wobin/internal/core/quantity"
	"wobin/internal/core/variance"
	"wobin/internal/desk"
	"wobin/internal/desk/adjustments"
	"wobin/internal/desk/count"
	"wobin/internal/desk/counting"
	"wobin/internal/desk/plan"
	"wobin/internal/desk/report"
	"wobin/internal/document"
)

// What a report says is left is what is left, and nothing where nothing is.
func TestWhatAReportSaysIsLeft(t *testing.T) {
	d := at(t)
	take(t, d, "stock.csv", "warehouse,bin,sku,quantity,unit cost,as at\nW,A-1,X,5,2,2026-11-20T06:00:00Z\nW,A-2,Y,4,3,2026-11-20T06:00:00Z\n")
	c, err := d.Plan.Freeze(ctx, nell, plan.NewCount{Name: "x", Scope: count.Scope{Warehouse: 1}, Cut: plan.Cut{Rows: 50}})
	require.NoError(t, err)
	left := func() [][2]string {
		s, err := d.Report.Statement(ctx, nell, c.ID)
		require.NoError(t, err)
		return s.Left
	}
	assert.Equal(t, [][2]string{{"uncounted lines", "2"}, {"their expected value", "22.00"}}, left())
	require.NoError(t, typedOn(t, d, c.ID, 1, "Bo", map[string]string{"X": "5"}))
	assert.Equal(t, [][2]string{{"uncounted lines", "1"}, {"their expected value", "12.00"}}, left())
	require.NoError(t, typedOn(t, d, c.ID, 1, "Bo", map[string]string{"Y": "3"}))
	assert.Equal(t, [][2]string{{"undecided", "1"}}, left())
	require.NoError(t, typedOn(t, d, c.ID, 1, "Bo", map[string]string{"Y": "4"}))
	assert.Empty(t, left())
}

// Every figure of a report foots: parts come to the whole, and pressing a figure gives the lines that it sums.
func TestReportFoots(t *testing.T) {
	d := at(t)
	d.Now = func() time.Time { return time.Date(2026, 11, 20, 18, 0, 0, 0, time.UTC) }
	items := "sku,description,category,class\nROPE12,Rope,Ropes,A\nPAINT14,Paint,Paint,B\nPAINT16,Paint,Paint,B\n"
	id := caused(t, d, "first", causeStock, causeCounts, causeMoves, items)
	acceptAll(t, d, id)
	send(t, d, id, adjustments.Going{Mode: "difference", Reasons: []string{"LOSS"}})
	r, err := d.Report.Report(ctx, nell, id)
	require.NoError(t, err)
	parts := func(of []variance.Figures) (n int, gross quantity.Money) {
		for _, f := range of {
			n, gross = n+f.Counted, gross+f.Values.Gross
		}
		return n, gross
	}
	for by, list := range map[string][]variance.Figures{
		"zone": figuresOf(r.Zones), "category": figuresOf(r.Categories), "class": figuresOf(r.Classes), "counter": figuresOf(r.Counters),
	} {
		n, gross := parts(list)
		assert.Equal(t, []any{r.Figures.Counted, r.Figures.Values.Gross}, []any{n, gross}, by)
	}
	sum := quantity.Money(0)
	for _, c := range r.Causes {
		sum += c.Sums.Gross
		assert.Equal(t, c.Sums.Gross, c.Sums.Over-c.Sums.Short)
		cause := c.Cause
		if cause == "" {
			cause = "none"
		}
		page, err := d.Variances.Variances(ctx, nell, id, desk.Filter{Show: "all", Cause: cause, Limit: 100})
		require.NoError(t, err)
		assert.Len(t, page.Lines, c.Lines, cause)
	}
	assert.Equal(t, r.Figures.Values.Gross, sum, "nothing is tolerated here")
	assert.Equal(t, sum, r.Spread.Curve[len(r.Spread.Curve)-1].Gross)
	for status, n := range map[string]int{"over": r.Figures.Over, "short": r.Figures.Short, "found": r.Figures.Found} {
		page, err := d.Variances.Variances(ctx, nell, id, desk.Filter{Show: "all", State: status, Limit: 100})
		require.NoError(t, err)
		assert.Len(t, page.Lines, n, status)
	}
	lines := 0
	for _, x := range r.Reasons {
		lines += x.Lines
	}
	assert.Equal(t, r.Count.Accepted+r.PostedN, lines)
	assert.Equal(t, []any{1, "first", id}, []any{len(r.Earlier), r.Earlier[0].Name, r.Earlier[0].ID})
	later := caused(t, d, "second", strings.ReplaceAll(causeStock, "2026-11-20T06", "2026-11-20T07"), causeCounts, "", "")
	h, err := d.Report.Habits(ctx, nell, later)
	require.NoError(t, err)
	require.NotEmpty(t, h.Items)
	assert.Equal(t, 2, h.Items[0].Counts)
}

func figuresOf(list []report.ReportPart) (out []variance.Figures) {
	for _, x := range list {
		out = append(out, x.Figures.Figures)
	}
	return out
}

// How often the first count was right is told of what was counted again, whatever moved in between.
func TestRecountsInReport(t *testing.T) {
	d := at(t)
	d.Now = func() time.Time { return time.Date(2026, 11, 20, 18, 0, 0, 0, time.UTC) }
	id := twelve(t, d, 1, plan.Cut{By: "size", Rows: 50})
	require.NoError(t, typedOn(t, d, id, 1, "Ada", map[string]string{"S01": "7", "S04": "12", "S08": "9"}))
	var again []int64
	for _, sku := range []string{"S08", "S01", "S04"} {
		again = append(again, lineOf(t, d, id, sku, fmt.Sprintf("A-%02d", int(sku[2]-'0')+1)).Pos)
	}
	_, err := d.Plan.Recount(ctx, nell, id, plan.Again{Lines: again})
	require.NoError(t, err)
	require.NoError(t, typedOn(t, d, id, 2, "Bo", map[string]string{"S01": "7", "S04": "13", "S08": "9"}))
	r, err := d.Report.Report(ctx, nell, id)
	require.NoError(t, err)
	assert.Equal(t, []int{3, 2}, []int{r.Recounts.Lines, r.Recounts.Right})

	// A first count that was corrected after its line was counted again is rolled back to when that was.
	take(t, d, "moves.csv", "warehouse,bin,sku,quantity,at,reference\nW,A-05,S04,-1,2026-11-20T13:00:00Z,m1\n")
	first := lineOf(t, d, id, "S04", "A-05")
	_, err = d.Counting.TypeIn(ctx, nell, id, "", "UTC", []counting.Typed{{RowCode: first.RowCode, Text: "12", Counter: "Ada", CountedAt: "2026-11-20 14:00"}})
	require.NoError(t, err)
	r, err = d.Report.Report(ctx, nell, id)
	require.NoError(t, err)
	assert.Equal(t, []int{3, 3}, []int{r.Recounts.Lines, r.Recounts.Right}, "12 at two o'clock is the 13 of noon, less the one that left")
}

// The report as PDF and as workbook say the figures; other programs open both.
func TestReportOnPaper(t *testing.T) {
	d := at(t)
	d.Now = func() time.Time { return time.Date(2026, 11, 20, 18, 0, 0, 0, time.UTC) }
	id := caused(t, d, "November, =1+1", causeStock, causeCounts, causeMoves, "")
	acceptAll(t, d, id)
	send(t, d, id, adjustments.Going{Mode: "difference"})
	s, err := d.Report.Statement(ctx, nell, id)
	require.NoError(t, err)
	facts := map[string]string{}
	for _, f := range s.Facts {
		facts[f[0]] = f[1]
	}
	assert.Equal(t, "2026-11-20 10:00 UTC to 2026-11-20 10:05 UTC", facts["counted"])
	assert.Equal(t, []string{"W", "running", "Nell"}, []string{facts["warehouse"], facts["state"], facts["decided by"]})
	var pdf, again, book bytes.Buffer
	require.NoError(t, document.WriteReport(document.A4, s, &pdf))
	require.NoError(t, document.WriteReport(document.A4, s, &again))
	assert.Equal(t, pdf.Bytes(), again.Bytes(), "the same report is the same file")
	require.NoError(t, document.WriteReportBook(s, &book))
	dir := t.TempDir()
	if program, err := exec.LookPath("pdftotext"); err == nil {
		name := filepath.Join(dir, "r.pdf")
		require.NoError(t, os.WriteFile(name, pdf.Bytes(), 0o644))
		text, err := exec.Command(program, "-layout", name, "-").Output()
		require.NoError(t, err)
		for _, want := range []string{"November, =1+1", "page 1 of", "157.00", "put in another bin", "ROPE12", "counted and decided", "Lost or stolen"} {
			assert.Contains(t, string(text), want)
		}
	}
	x, err := excelize.OpenReader(bytes.NewReader(book.Bytes()))
	require.NoError(t, err)
	rows, err := x.GetRows("Heaviest lines", excelize.Options{RawCellValue: true})
	require.NoError(t, err)
	require.Len(t, rows, 9)
	kind, err := x.GetCellType("Heaviest lines", "I2")
	require.NoError(t, err)
	assert.Equal(t, excelize.CellTypeUnset, kind, "money is a number")
	title, err := x.GetCellValue("Summary", "A1")
	require.NoError(t, err)
	assert.Equal(t, "November, =1+1", title)
	if program, err := exec.LookPath("soffice"); err == nil && !testing.Short() {
		name := filepath.Join(dir, "r.xlsx")
		require.NoError(t, os.WriteFile(name, book.Bytes(), 0o644))
		out, err := exec.Command(program, "-env:UserInstallation=file://"+dir+"/profile", "--headless", "--convert-to", "csv", "--outdir", dir, name).CombinedOutput()
		require.NoError(t, err, string(out))
		text, err := os.ReadFile(filepath.Join(dir, "r.csv"))
		require.NoError(t, err)
		assert.Contains(t, string(text), "accuracy (IRA)")
	}
}
