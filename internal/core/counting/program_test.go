package counting

import (
	"bytes"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"wobin/internal/core/layout"
	"wobin/internal/core/quantity"
	"wobin/internal/core/stock"
)

// Sheets that are filled in and saved by a spreadsheet program, in each of its formats, come back as what was typed. Where the program is
// not installed the test has nothing to run.
func TestSheetsThroughASpreadsheetProgram(t *testing.T) {
	program, err := exec.LookPath("soffice")
	if err != nil {
		t.Skip("no spreadsheet program is installed")
	}
	var lines []Line
	for i, code := range []string{"00417", "1E5", "4006381333931000012", "=R-1", "TRUE", "12/03", "3-12", "R 8;5", "+49", "0,5"} {
		l := Line{Pos: i + 1, RowCode: RowCode(3, 4, i+1)}
		l.Key[stock.Warehouse], l.Key[stock.Bin], l.Key[stock.SKU], l.Key[stock.Lot] = "QUAY", []string{"1-2", "03-1", "A-01-1"}[i%3], code, "007"
		lines = append(lines, l)
	}
	sheet := Sheet{Code: SheetCode(3, 4), Count: "Quay", Zone: "North", Blind: true, Lines: lines}
	dir := t.TempDir()
	var text, book bytes.Buffer
	require.NoError(t, sheet.WriteText(&text))
	require.NoError(t, sheet.WriteWorkbook(&book))
	f, err := excelize.OpenReader(&book)
	require.NoError(t, err)
	rows, header, counted := sheet.table()
	filled := strings.Split(strings.TrimSuffix(strings.ReplaceAll(text.String(), "\r\n", "\n"), "\n"), "\n")
	for i := range lines {
		row := header + 1 + i
		count, _ := excelize.CoordinatesToCellName(counted+1, row+1)
		at, _ := excelize.CoordinatesToCellName(counted+2, row+1)
		require.NoError(t, f.SetCellValue("Sheet", count, float64(i)+0.5))
		require.NoError(t, f.SetCellStr("Sheet", at, "2026-11-24 00:00"))
		filled[row] = filled[row][:len(filled[row])-3] + "," + quantity.Quantity(int64(i)*quantity.Scale+quantity.Scale/2).
			String() +
			",2026-11-24 00:00,"
	}
	require.Len(t, rows, len(filled))
	require.NoError(t, f.SaveAs(filepath.Join(dir, "sheet.xlsx")))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "text.csv"), []byte(strings.Join(filled, "\r\n")), 0o644))
	for _, x := range []struct{ from, to, as string }{
		{"sheet.xlsx", "ods", "ods"}, {"sheet.xlsx", "xlsx", "xlsx:Calc MS Excel 2007 XML"}, {"sheet.xlsx", "csv", "csv"},
		{"text.csv", "ods", "ods"}, {"text.csv", "xlsx", "xlsx:Calc MS Excel 2007 XML"}, {"text.csv", "csv", "csv"},
	} {
		to := filepath.Join(dir, x.from+"-"+x.to)
		run := exec.Command(
			program,
			"-env:UserInstallation=file://"+filepath.Join(dir, "profile"),
			"--headless",
			"--convert-to",
			x.as,
			"--outdir",
			to,
			filepath.Join(dir, x.from),
		)
		out, err := run.CombinedOutput()
		require.NoError(t, err, string(out))
		saved, err := os.ReadFile(filepath.Join(to, strings.TrimSuffix(x.from, filepath.Ext(x.from))+"."+x.to))
		require.NoError(t, err, string(out))
		got, p := back(t, saved, frozen(lines), &layout.Layout{RowCodes: "prove"})
		name := x.from + " saved as " + x.to
		assert.Empty(t, p.List, name)
		require.Len(t, got.Counts, len(lines), name)
		for i := range got.Counts {
			assert.Equal(
				t,
				quantity.Quantity(int64(i)*quantity.Scale+quantity.Scale/2),
				got.Counts[i].Quantity,
				"%s: %s",
				name,
				lines[i].Key[stock.SKU],
			)
			assert.Equal(t, int64(i+1), got.Counts[i].Pos, name)
			assert.True(t, got.Counts[i].Timed, name)
		}
	}
}
