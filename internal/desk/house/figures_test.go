package house_test

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"
	"pgregory.net/rapid"

	"wobin/internal/core/adjust"
	"wobin/internal/core/quantity"
	"wobin/internal/core/reconcile"
	"wobin/internal/core/statement"
	"wobin/internal/core/tabular"
	"wobin/internal/core/variance"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/desk/house"
	"wobin/internal/desk/intake"
	"wobin/internal/desk/lists"
	"wobin/internal/desk/plan"
	"wobin/internal/desk/report"
	"wobin/internal/document"
)

// Whatever is counted, every place that names a figure names the same: the count page, the foot of the queue and its groups, the report on
// screen, on paper and as a workbook with each of its parts summed, the list as a file, and the computation on files alone.
func TestAllPlacesSayTheSameFigures(t *testing.T) {
	property(t, 40, func(rt *rapid.T) {
		f := draw(rt)
		d := at(t)
		take := func(name, text string, c intake.Choices) {
			c.Zone = "UTC"
			dr, err := d.Intake.Upload(ctx, nell, name, bytes.NewBufferString(text), c)
			require.NoError(rt, err)
			require.Empty(rt, dr.Problems)
			require.Empty(rt, dr.Blocked)
			_, err = d.Intake.TakeIn(ctx, nell, dr.ID, "", 0)
			require.NoError(rt, err)
		}
		take("items.csv", f.items, intake.Choices{})
		take("stock.csv", f.stock, intake.Choices{})
		if f.moved > 0 {
			take("moves.csv", f.moves, intake.Choices{})
		}
		limit := quantity.Quantity(rapid.IntRange(0, 3).Draw(rt, "tolerance")) * quantity.Scale
		c, err := d.Plan.Freeze(ctx, nell, plan.NewCount{Name: "Count", Scope: count.Scope{Warehouse: 1}, Cut: plan.Cut{Rows: 50},
			ToleranceQuantity: &limit})
		require.NoError(rt, err)
		take("counts.csv", f.counts, intake.Choices{Count: c.ID})

		r, err := d.Report.Report(ctx, nell, c.ID)
		require.NoError(rt, err)
		want := r.Figures
		sameAsOnFiles(rt, f, limit, want.Figures)
		sameInTheCount(rt, d, c.ID, want.Figures)
		sameInParts(rt, d, c.ID, want.Figures)
		if rapid.IntRange(0, 3).Draw(rt, "on paper") == 0 { // which takes longest
			sameOnPaper(rt, d, c.ID, want)
		}
		sameInTheList(rt, d, c.ID, want.Figures)
	})
}

// sameAsOnFiles holds the figures against those of wobin reconcile.
func sameAsOnFiles(rt *rapid.T, f drawn, limit quantity.Quantity, want variance.Figures) {
	in := reconcile.Input{Stock: openedFile(rt, "stock.csv", f.stock), Items: openedFile(rt, "items.csv", f.items)}
	in.Counts = append(in.Counts, openedFile(rt, "counts.csv", f.counts))
	if f.moved > 0 {
		in.Movements = openedFile(rt, "moves.csv", f.moves)
	}
	core, problems, err := reconcile.Run(ctx, in, reconcile.Options{Mode: adjust.Difference, Tolerance: variance.Tolerance{Quantity: &limit}})
	require.NoError(rt, err)
	require.Empty(rt, problems.List)
	is := core.Figures
	is.Uncounted, is.Unvalued = want.Uncounted, want.Unvalued // on files, keys that movements alone name are lines too
	require.Equal(rt, want, is)
}

// openedFile opens a text as a table file.
func openedFile(rt *rapid.T, name, text string) *tabular.File {
	f, err := tabular.Open(name, strings.NewReader(text), int64(len(text)), tabular.Options{})
	require.NoError(rt, err)
	return f
}

// sameInTheCount holds them against the stage line, and what is open of them against the foot of the queue and its groups.
func sameInTheCount(rt *rapid.T, d *house.House, id int64, want variance.Figures) {
	within := withinTolerance(rt, d, id)
	s, err := d.Today.Count(ctx, nell, id)
	require.NoError(rt, err)
	accuracy := func(f variance.Figures) string {
		if v, ok := f.Accuracy(); ok {
			return v.String()
		}
		return "none"
	}
	shown := "none"
	if s.Accuracy != nil {
		shown = s.Accuracy.String()
	}
	require.Equal(rt, []any{want.Counted, want.Uncounted, want.Over + want.Short + want.Found, want.RecordedLines, accuracy(want)},
		[]any{s.Counted, s.Uncounted, s.Variances, s.RecordedLines, shown})
	for _, by := range []string{"", "bin", "zone", "item", "counter", "category", "class"} {
		seen := desk.Filter{Show: "open"}
		tally, err := d.Variances.Filtered(ctx, nell, id, seen)
		require.NoError(rt, err)
		lines, over, short, gross := tally.Lines, tally.Over, tally.Short, tally.Gross
		if by != "" {
			seen.By = by
			groups, err := d.Variances.Groups(ctx, nell, id, seen)
			require.NoError(rt, err)
			lines, over, short, gross = 0, 0, 0, 0
			for _, g := range groups.Groups {
				lines, over, short, gross = lines+g.Lines, over+g.Over, short+g.Short, gross+g.Gross
			}
		}
		require.Equal(rt, []any{s.Open, s.OpenOver, s.OpenShort, s.OpenValue}, []any{lines, over, short, gross}, by)
		require.Equal(rt, []any{want.Over + want.Short + want.Found, want.Values.Over - within.Over, want.Values.Short - within.Short},
			[]any{lines, over, short}, by)
	}
}

// withinTolerance is what lines within tolerance come to: they are in the figures, and neither in the queue nor in its list.
func withinTolerance(rt *rapid.T, d *house.House, id int64) (sums variance.Sums) {
	r, err := d.Report.Report(ctx, nell, id)
	require.NoError(rt, err)
	for _, x := range r.Causes {
		if x.Cause == statement.WithinTolerance {
			sums = x.Sums
		}
	}
	return sums
}

// sameInParts holds them against the sums of the report's parts.
func sameInParts(rt *rapid.T, d *house.House, id int64, want variance.Figures) {
	r, err := d.Report.Report(ctx, nell, id)
	require.NoError(rt, err)
	for name, parts := range map[string]int{"zones": len(r.Zones), "categories": len(r.Categories), "classes": len(r.Classes)} {
		list := r.Zones
		switch name {
		case "categories":
			list = r.Categories
		case "classes":
			list = r.Classes
		}
		if parts == 0 {
			continue
		}
		var sum variance.Figures
		for _, p := range list {
			require.True(rt, sum.Merge(p.Figures.Figures))
		}
		require.Equal(rt, want, sum, name)
	}
	var lines int
	var gross quantity.Money
	for _, x := range r.Causes {
		lines, gross = lines+x.Lines, gross+x.Sums.Gross
	}
	require.Equal(rt, []any{want.Over + want.Short + want.Found + want.Tolerated, want.Values.Gross}, []any{lines, gross}, "by cause")
}

// sameOnPaper holds them against the workbook.
func sameOnPaper(rt *rapid.T, d *house.House, id int64, want report.FiguresView) {
	s, err := d.Report.Statement(ctx, nell, id)
	require.NoError(rt, err)
	var b bytes.Buffer
	require.NoError(rt, document.WriteReportBook(s, &b))
	x, err := excelize.OpenReader(&b)
	require.NoError(rt, err)
	defer x.Close()
	rows, err := x.GetRows("Summary", excelize.Options{RawCellValue: true})
	require.NoError(rt, err)
	said := map[string]string{}
	for _, r := range rows {
		if len(r) > 1 {
			said[r[0]] = strings.Join(r[1:], " ")
		}
	}
	percent := func(v *quantity.Money) string {
		if v == nil {
			return ""
		}
		return v.String()
	}
	for label, is := range map[string]any{"recorded lines": want.RecordedLines, "counted": want.Counted, "uncounted": want.Uncounted, "match": want.Match,
		"tolerated": want.Tolerated, "over": want.Over, "short": want.Short, "found": want.Found, "without a cost": want.Unvalued,
		"accuracy (IRA)": percent(want.Accuracy), "coverage": percent(want.Coverage), "uncounted lines": want.Uncounted,
		"all counted lines": fmt.Sprintf("%v %v %v %v", want.Values.Over, want.Values.Short, want.Values.Net, want.Values.Gross)} {
		if label == "counted" || label == "uncounted lines" {
			continue // said twice: as facts, too
		}
		require.Equal(rt, fmt.Sprint(is), said[label], label)
	}
}

// sameInTheList holds them against the list of all variances as a file.
func sameInTheList(rt *rapid.T, d *house.House, id int64, want variance.Figures) {
	f, err := d.Lists.Open(ctx, nell, lists.Asking{List: "variances", Count: id, Filter: desk.Filter{Show: "all"}})
	require.NoError(rt, err)
	var b bytes.Buffer
	require.NoError(rt, f.Write(&b))
	rows, err := csv.NewReader(&b).ReadAll()
	require.NoError(rt, err)
	at := map[string]int{}
	for i, h := range rows[0] {
		at[h] = i
	}
	n, gross := 0, quantity.Money(0)
	for _, r := range rows[1:] {
		n++
		if v := r[at["Value"]]; v != "" {
			m, _, err := quantity.ParseCost(strings.TrimPrefix(v, "-"))
			require.NoError(rt, err)
			gross += quantity.Money(m / 10_000)
		}
	}
	require.Equal(rt, []any{want.Over + want.Short + want.Found, want.Values.Gross - withinTolerance(rt, d, id).Gross}, []any{n, gross})
}
