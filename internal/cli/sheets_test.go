package cli

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"
	"pgregory.net/rapid"
)

func cutSheets(t require.TestingT, args ...string) (code int, stdout, stderr string) {
	var out, errs bytes.Buffer
	code = Run(append([]string{"sheets"}, args...), strings.NewReader(""), &out, &errs)
	return code, out.String(), errs.String()
}

func records(t require.TestingT, text string) [][]string {
	r := csv.NewReader(strings.NewReader(strings.TrimPrefix(text, "\ufeff")))
	r.FieldsPerRecord = -1
	rows, err := r.ReadAll()
	require.NoError(t, err)
	return rows
}

// returned is a sheet with what stands above its rows left away.
func returned(t require.TestingT, name string) (header []string, rows [][]string) {
	var all [][]string
	if filepath.Ext(name) == ".xlsx" {
		f, err := excelize.OpenFile(name)
		require.NoError(t, err)
		defer f.Close()
		all, err = f.GetRows("Sheet")
		require.NoError(t, err)
	} else {
		b, err := os.ReadFile(name)
		require.NoError(t, err)
		all = records(t, string(b))
	}
	at := slices.IndexFunc(all, func(r []string) bool { return len(r) > 0 && r[0] == "Row code" })
	for _, r := range all[at+1:] {
		rows = append(rows, append(r, make([]string, len(all[at])-len(r))...))
	}
	return all[at], rows
}

// Stock of random shape, cut in a random way into sheets of either form, filled in, shuffled, with columns moved or taken out and zeros
// lost, comes back as what was counted: every line on one sheet, no bin on two.
func TestSheetsComeBack(t *testing.T) {
	dir := t.TempDir()
	n := 0
	rapid.Check(t, func(rt *rapid.T) {
		n++
		at := filepath.Join(dir, strconv.Itoa(n))
		require.NoError(rt, os.MkdirAll(at, 0o755))
		stock := "Warehouse,Zone,Bin,SKU,Lot,Description,On hand\n"
		want := map[string]string{}
		house := rapid.SampledFrom([]string{"QUAY", "YARD"})
		for range rapid.IntRange(1, 60).Draw(rt, "lines") {
			w, bin := house.Draw(
				rt,
				"house",
			), fmt.Sprintf(
				"%c-%02d-%d",
				'A'+rapid.IntRange(0, 2).Draw(rt, "aisle"),
				rapid.IntRange(1, 4).Draw(rt, "bay"),
				rapid.IntRange(1, 2).Draw(rt, "level"),
			)
			sku := rapid.SampledFrom([]string{"00461", "0461", "RP-10", "7", "SH=8", "+12"}).Draw(rt, "sku")
			lot := rapid.SampledFrom([]string{"", "", "L-1"}).Draw(rt, "lot")
			key := strings.Join([]string{w, bin, sku, lot}, "|")
			if _, had := want[key]; had {
				continue
			}
			want[key] = ""
			stock += fmt.Sprintf("%s,Zone %c,%s,%s,%s,Thing,%d\n", w, bin[0], bin, sku, lot, rapid.IntRange(0, 90).Draw(rt, "on hand"))
		}
		stockFile := filepath.Join(at, "stock.csv")
		require.NoError(rt, os.WriteFile(stockFile, []byte(stock), 0o600))
		form := rapid.SampledFrom([]string{"csv", "xlsx"}).Draw(rt, "form")
		args := []string{
			"--stock",
			stockFile,
			"--out",
			filepath.Join(at, "out"),
			"--format",
			form,
			"--by",
			rapid.SampledFrom([]string{"zone", "size", "people"}).Draw(rt, "by"),
		}
		if args[7] == "people" {
			args = append(args, "--people", strconv.Itoa(rapid.IntRange(1, 5).Draw(rt, "people")))
		}
		if most := rapid.IntRange(0, 12).Draw(rt, "rows"); most > 0 {
			args = append(args, "--max-rows", strconv.Itoa(most))
		}
		if rapid.Bool().Draw(rt, "blind") {
			args = append(args, "--blind")
		}
		code, _, errs := cutSheets(rt, args...)
		require.Zero(rt, code, errs)
		b, err := os.ReadFile(filepath.Join(at, "out", "sheets.csv"))
		require.NoError(rt, err)
		list := records(rt, string(b))
		require.Equal(rt, []string{"sheet", "code", "zone", "first_bin", "last_bin", "bins", "lines", "minutes"}, list[0])

		again := []string{"reconcile", "--stock", stockFile, "--out", filepath.Join(at, "result")}
		bins, lines := map[string]int{}, 0
		for i := range list[1:] {
			name := filepath.Join(at, "out", fmt.Sprintf("sheet-%03d.%s", i+1, form))
			header, rows := returned(rt, name)
			col := map[string]int{}
			for c, h := range header {
				col[h] = c
			}
			require.Equal(rt, list[i+1][6], strconv.Itoa(len(rows)))
			var zero, bare = rapid.Bool().Draw(rt, "zeros lost"), rapid.IntRange(0, 2).Draw(rt, "columns taken out")
			back := [][]string{}
			for _, r := range rows {
				lines++
				lot := ""
				if c, has := col["Lot"]; has {
					lot = r[c]
				}
				place := r[col["Warehouse"]] + "|" + r[col["Bin"]]
				if on, had := bins[place]; had {
					require.Equal(rt, i, on, "bin %s is on two sheets", place)
				}
				bins[place] = i
				key := strings.Join([]string{place, strings.TrimPrefix(r[col["SKU"]], "'"), lot}, "|")
				require.Contains(rt, want, key)
				switch count := rapid.IntRange(-2, 99).Draw(rt, "counted"); {
				case count == -2: // the row was taken out
					continue
				case count >= 0:
					want[key] = strconv.Itoa(count)
					r[col["Counted"]] = want[key]
				}
				if zero {
					r[col["SKU"]] = strings.TrimLeft(r[col["SKU"]], "0")
				}
				back = append(back, r)
			}
			order := rapid.Permutation(back).Draw(rt, "rows")
			columns := []int{}
			for c, h := range header {
				if bare == 1 && (h == "SKU" || h == "Description") || bare == 2 && (h == "Warehouse" || h == "Bin" || h == "Lot") {
					continue
				}
				columns = append(columns, c)
			}
			columns = rapid.Permutation(columns).Draw(rt, "columns")
			var text bytes.Buffer
			w := csv.NewWriter(&text)
			for _, r := range append([][]string{header}, order...) {
				moved := make([]string, len(columns))
				for to, from := range columns {
					moved[to] = r[from]
				}
				require.NoError(rt, w.Write(moved))
			}
			w.Flush()
			if len(order) == 0 {
				continue
			}
			file := filepath.Join(at, fmt.Sprintf("back%d.csv", i))
			require.NoError(rt, os.WriteFile(file, text.Bytes(), 0o600))
			again = append(again, "--counts", file)
		}
		require.Equal(rt, len(want), lines)
		if len(again) == 5 {
			return
		}
		var out, bad bytes.Buffer
		require.Zero(rt, Run(again, strings.NewReader(""), &out, &bad), bad.String())
		b, err = os.ReadFile(filepath.Join(at, "result", "variances.csv"))
		require.NoError(rt, err)
		got := map[string]string{}
		for _, r := range records(rt, string(b))[1:] {
			got[strings.Join([]string{r[0], r[1], r[2], r[3]}, "|")] = r[12]
		}
		require.Equal(rt, want, got)
	})
}

// What cannot be done is said, and nothing is written.
func TestSheetsRefuse(t *testing.T) {
	dir, write := folder(t)
	stock := write("stock.csv", "Warehouse,Bin,SKU,On hand\nW,A-1,ROPE,5\nW,A-2,HOURS,0\nW,A-3,OLD,0\nW,A-4,OLD,2\n")
	items := write("items.csv", "SKU,Name,Nature,Active\nROPE,Rope,stocked,yes\nHOURS,Hours,service,yes\nOLD,Old,stocked,no\n")
	out := filepath.Join(dir, "out")
	for _, x := range []struct {
		code int
		says string
		args []string
	}{
		{1, "needs --stock FILE and --out DIR", []string{"--stock", stock}},
		{1, "none of zone, size and people", []string{"--stock", stock, "--out", out, "--by", "aisle"}},
		{1, "how many people", []string{"--stock", stock, "--out", out, "--by", "people"}},
		{1, "goes with --by people", []string{"--stock", stock, "--out", out, "--people", "3"}},
		{1, "none of csv, xlsx and pdf", []string{"--stock", stock, "--out", out, "--format", "doc"}},
		{2, "stock2.csv:4: A-1 · ROPE comes twice", []string{"--stock", write("stock2.csv", "Warehouse,Bin,SKU,On hand\nW,A-1,ROPE,5\nW,A-2,ROPE,5\nW,A-1,ROPE,1\n"), "--out", out}},
		{2, `"12 pcs" is not a number`, []string{"--stock", write("stock3.csv", "Warehouse,Bin,SKU,On hand\nW,A-1,ROPE,12 pcs\n"), "--out", out}},
		{2, "nothing that can be counted", []string{"--stock", write("stock4.csv", "Warehouse,Bin,SKU,On hand\nW,A-1,HOURS,5\n"), "--items", items, "--out", out}},
	} {
		code, _, errs := cutSheets(t, x.args...)
		assert.Equal(t, x.code, code, x.says)
		assert.Contains(t, errs, x.says)
		assert.NoDirExists(t, out)
	}
	code, said, errs := cutSheets(t, "--stock", stock, "--items", items, "--out", out, "--format", "csv,pdf")
	require.Zero(t, code, errs)
	assert.Contains(t, said, "sheets: 1, lines: 2", "what is recorded of an inactive item is counted")
	assert.Contains(t, errs, "1 lines of services")
	assert.Contains(t, errs, "1 lines of inactive items")
	assert.FileExists(t, filepath.Join(out, "sheet-001.pdf"))
	b, err := os.ReadFile(filepath.Join(out, "sheet-001.csv"))
	require.NoError(t, err)
	assert.Contains(t, string(b), ",W,A-1,ROPE,Rope,,5,,,")
	assert.Contains(t, string(b), ",W,A-4,OLD,Old,,2,,,")
	require.NoError(t, os.WriteFile(filepath.Join(out, "sheet-009.csv"), nil, 0o600))
	code, _, errs = cutSheets(t, "--stock", stock, "--out", out)
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "sheets of another cut")
}

// A row code proves its line or contradicts what stands beside it; one of other stock leaves the row to its bin and SKU.
func TestRowCodesInReconcile(t *testing.T) {
	dir, write := folder(t)
	stock := write("stock.csv", "Warehouse,Bin,SKU,On hand\nW,A-1,00461,5\nW,A-2,ROPE,7\n")
	code, _, errs := cutSheets(t, "--stock", stock, "--out", filepath.Join(dir, "out"))
	require.Zero(t, code, errs)
	_, rows := returned(t, filepath.Join(dir, "out", "sheet-001.csv"))
	of := map[string]string{rows[0][3]: rows[0][0], rows[1][3]: rows[1][0]}
	run := func(counts string) (int, string, map[string]string) {
		code, _, errs, out := reconcileFiles(
			t,
			map[string]string{"stock.csv": "Warehouse,Bin,SKU,On hand\nW,A-1,00461,5\nW,A-2,ROPE,7\n", "counts.csv": counts},
			"--stock",
			"stock.csv",
			"--counts",
			"counts.csv",
		)
		return code, errs, out
	}
	code, errs, out := run("Row code,Warehouse,Bin,SKU,Counted\n" + of["00461"] + ",W,A-1,461,9\n")
	require.Zero(t, code, errs)
	assert.Contains(t, out["variances.csv"], "W,A-1,00461,,,,,,,5,0,5,9,4,")
	assert.Contains(t, errs, `1 rows were counted under their row codes, though a code beside it is damaged`)
	code, errs, _ = run("Row code,Warehouse,Bin,SKU,Counted\n" + of["00461"] + ",W,A-1,ROPE,9\n")
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, `"ROPE" stands under row code `+of["00461"])
	code, errs, _ = run("Row code,Counted\n" + of["00461"] + ",9\nLABCDE" + check("LABCDE") + ",3\n")
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "the row code of no line of stock.csv")
	code, errs, out = run("Row code,Warehouse,Bin,SKU,Counted\nLABCDE" + check("LABCDE") + ",W,A-2,ROPE,3\n")
	require.Zero(t, code, errs)
	assert.Contains(t, out["variances.csv"], "W,A-2,ROPE,,,,,,,7,0,7,3,-4,")
}
