package faults

import (
	"archive/zip"
	"bytes"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// part is a part of an archive: what it begins with, what comes again and again, and what it ends with. It is written piece by piece, as
// the memory of a test is part of what the system tells of a process that it starts.
type part struct {
	name, begin, again string
	times              int
	end                string
}

func zipped(t *testing.T, parts ...part) string {
	t.Helper()
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for _, p := range parts {
		w, err := z.Create(p.name)
		require.NoError(t, err)
		many := max(1, 4096/max(len(p.again), 1))
		block := []byte(strings.Repeat(p.again, many))
		_, err = w.Write([]byte(p.begin))
		for n := p.times; n > 0 && err == nil; n -= many {
			_, err = w.Write(block[:min(n, many)*len(p.again)])
		}
		require.NoError(t, err)
		_, err = w.Write([]byte(p.end))
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	return b.String()
}

// workbook makes a workbook of sheets that are one part or parts of their own, and texts that are kept once.
func workbook(t *testing.T, sheets int, one bool, sheet, shared part, more ...part) string {
	t.Helper()
	const main = "http://schemas.openxmlformats.org/spreadsheetml/2006/main"
	const of = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
	var book, rels strings.Builder
	parts := []part{}
	for i := range sheets {
		n := i + 1
		if one {
			n = 1
		}
		fmt.Fprintf(&book, `<sheet name="S%d" sheetId="%d" r:id="r%d"/>`, i, i+1, n)
		if n == i+1 {
			fmt.Fprintf(&rels, `<Relationship Id="r%d" Type="%s/worksheet" Target="worksheets/s%d.xml"/>`, n, of, n)
			parts = append(parts, part{fmt.Sprintf("xl/worksheets/s%d.xml", n), "<worksheet>" + sheet.begin, sheet.again, sheet.times, sheet.end + "</worksheet>"})
		}
	}
	fmt.Fprintf(&rels, `<Relationship Id="texts" Type="%s/sharedStrings" Target="texts.xml"/><Relationship Id="styles" Type="%[1]s/styles" Target="styles.xml"/>`, of)
	parts = append(parts, more...)
	return zipped(t, append(parts, part{name: "[Content_Types].xml", begin: "<Types/>"},
		part{name: "xl/workbook.xml", begin: `<workbook xmlns="` + main + `" xmlns:r="` + of + `"><sheets>` + book.String() + `</sheets></workbook>`},
		part{name: "xl/_rels/workbook.xml.rels",
			begin: `<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships">` + rels.String() + `</Relationships>`},
		part{"xl/texts.xml", "<sst>", shared.again, shared.times, "</sst>"})...)
}

// openDocument makes a document of tables, each with a header and a row that is repeated.
func openDocument(t *testing.T, tables, rows, columns int, cell string) string {
	t.Helper()
	cells := func(texts ...string) (out string) {
		for _, x := range texts {
			out += `<table:table-cell office:value-type="string"><text:p>` + x + `</text:p></table:table-cell>`
		}
		return out
	}
	var b strings.Builder
	b.WriteString(`<office:document-content xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0" ` +
		`xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0" xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0">` +
		`<office:body><office:spreadsheet>`)
	for i := range tables {
		fmt.Fprintf(&b, `<table:table table:name="T%d"><table:table-row>%s</table:table-row><table:table-row table:number-rows-repeated="%d">`+
			`<table:table-cell office:value-type="string" table:number-columns-repeated="%d"><text:p>%s</text:p></table:table-cell></table:table-row></table:table>`,
			i, cells("warehouse", "bin", "sku", "on hand"), rows, columns, cell)
	}
	b.WriteString(`</office:spreadsheet></office:body></office:document-content>`)
	return zipped(t, part{name: "mimetype", begin: "application/vnd.oasis.opendocument.spreadsheet"}, part{name: "content.xml", begin: b.String()})
}

// Small files that unfold, in every form, and texts that make work of every cell: none costs more than twenty times what a real table
// of a megabyte does, nor 200 MB. Each is read by a process of its own, whose use the system tells.
func TestSmallFilesHoldTheBudget(t *testing.T) {
	rng := rand.New(rand.NewPCG(uint64(time.Now().UnixNano()), 3))
	many := func(from, to int) int { return from + rng.IntN(to-from) }
	word := func(n int) string {
		b := make([]byte, n)
		for i := range b {
			b[i] = byte('a' + rng.IntN(26))
		}
		return string(b)
	}
	text := func(head string, row func(i int) string) string { // up to a megabyte of rows
		var b strings.Builder
		b.WriteString(head + "\n")
		for i := 0; b.Len() < 1<<20-200; i++ {
			b.WriteString(row(i) + "\n")
		}
		return b.String()[:min(b.Len(), 1<<20)]
	}
	wide := func(columns int, head, cell func(i int) string) string {
		line := func(of func(i int) string) string {
			all := make([]string, columns)
			for i := range all {
				all[i] = of(i)
			}
			return strings.Join(all, ",")
		}
		return text(line(head), func(int) string { return line(cell) })
	}
	const head = "warehouse,bin,sku,on hand"
	const rowOne = `<row><c t="inlineStr"><is><t>W</t></is></c></row>`
	header := "<sheetData><row>"
	for _, h := range strings.Split(head, ",") {
		header += `<c t="inlineStr"><is><t>` + h + `</t></is></c>`
	}
	header += "</row>"
	sheet := func(row string, times int) part { return part{"", header, row, times, "</sheetData>"} }
	none := part{}
	headers := strings.Split("warehouse,bin,sku,on hand,description,unit,cost,lot,serial,reserved", ",")
	files := map[string]func() string{
		"a long cell, repeated.ods": func() string {
			return openDocument(t, 1, many(2, 1_000_000), 2000, strings.Repeat("x", many(100, 60_000)))
		},
		"rows repeated.ods": func() string { return openDocument(t, 1, 1_000_000, many(1, 9), "x") },
		"many tables.ods":   func() string { return openDocument(t, many(100, 400), many(2, 2000), 4, "x") },
		"one text.zip":      func() string { return zipped(t, part{"s.csv", head + "\n", "W,A,X,1\n", many(4<<20, 15<<20), ""}) },
		"texts.zip": func() string {
			var parts []part
			for i := range 50 {
				parts = append(parts, part{fmt.Sprintf("s%d.csv", i), head + "\n", "W,A,X,1\n", many(100, 300_000), ""})
			}
			return zipped(t, parts...)
		},
		"workbooks.zip": func() string {
			var parts []part
			for i := range 40 {
				parts = append(parts, part{name: fmt.Sprintf("s%d.xlsx", i), begin: workbook(t, 1, true, sheet(rowOne, 90_000), none)})
			}
			return zipped(t, parts...)
		},
		"sheets of one part.xlsx": func() string { return workbook(t, 369, true, sheet(rowOne, 2000), none) },
		"sheets.xlsx":             func() string { return workbook(t, 369, false, sheet(rowOne, many(500, 2000)), none) },
		"short rows.xlsx":         func() string { return workbook(t, 1, true, sheet(rowOne, 1_500_000), none) },
		"numbers.xlsx": func() string {
			return workbook(t, 1, true, sheet("<row><c><v>1e300</v></c></row>", 1_000_000), none)
		},
		"shared texts.xlsx": func() string {
			return workbook(t, 1, true, sheet("", 0), part{again: "<si><t>a</t></si>", times: 3_000_000})
		},
		"a shared text lent.xlsx": func() string {
			return workbook(t, 1, true, sheet(`<row>`+strings.Repeat(`<c t="s"><v>0</v></c>`, 1000)+`</row>`, 900),
				part{again: "<si><t>" + strings.Repeat("x", 60_000) + "</t></si>", times: 1})
		},
		"a long format.xlsx": func() string {
			return workbook(t, 1, true, sheet(rowOne, 10), none, part{"xl/styles.xml", `<styleSheet><numFmts><numFmt numFmtId="164" formatCode="`, "[$",
				many(100_000, 400_000), `"/></numFmts><cellXfs><xf numFmtId="164"/></cellXfs></styleSheet>`})
		},
		"columns told.xlsx": func() string {
			return workbook(t, 1, true, part{"", "<cols>", `<col min="1" max="2000" hidden="1"/>`, 200_000, "</cols>" + header + rowOne + "</sheetData>"}, none)
		},
		"warehouses.csv":         func() string { return text(head, func(i int) string { return fmt.Sprintf("W%d,A,X,1", i) }) },
		"warehouses by word.csv": func() string { return text(head, func(int) string { return word(6) + ",A,X,1" }) },
		"serials.csv": func() string {
			return text("warehouse,bin,sku,serial,on hand", func(i int) string {
				return fmt.Sprintf("W,A,X%d,%s,300", i, strings.Repeat(fmt.Sprint("S", i, ";"), 300))
			})
		},
		"wide.csv": func() string {
			return wide(2000, func(i int) string { return fmt.Sprint("c", i) }, func(i int) string { return fmt.Sprint(rng.IntN(9)) })
		},
		"wide by words.csv": func() string {
			return wide(2000, func(i int) string { return fmt.Sprint(headers[i%10], " ", i) }, func(i int) string { return fmt.Sprint(rng.IntN(9)) })
		},
		"headers again.csv": func() string {
			return wide(many(300, 700), func(int) string { return "sku" }, func(int) string { return "sku" })
		},
		"items.csv": func() string { return text(head, func(int) string { return "W,A," + word(8) + ",1" }) },
		"nearly numbers.csv": func() string {
			return text(head, func(i int) string { return "W,A,X" + fmt.Sprint(i) + "," + word(3) })
		},
		"letters as digits.csv": func() string {
			return text(head, func(int) string { return "W,A," + strings.Repeat("O1", many(10, 30_000)) + ",1" })
		},
		"sums.csv": func() string {
			return text("warehouse,bin,sku,counted", func(i int) string { return fmt.Sprintf("W,A,X%d,%s1", i, strings.Repeat("1+", many(1, 400))) })
		},
		"marks.csv": func() string { return text(head, func(int) string { return `"a` }) },
		"codes like dates.csv": func() string {
			return text(head, func(i int) string { return fmt.Sprintf("W,%d.%d.20%02d,%dE%d,1", i%28+1, i%12+1, i%90, i, i%9) })
		},
	}
	cost := func(name, content string) (cpu time.Duration, kilobytes int64) {
		file := filepath.Join(t.TempDir(), name)
		require.NoError(t, os.WriteFile(file, []byte(content), 0o600))
		cmd := exec.Command(program(t), "check", file)
		_ = cmd.Run() // that it is refused is as well
		used, is := cmd.ProcessState.SysUsage().(*syscall.Rusage)
		require.True(t, is)
		require.Contains(t, []int{0, 2}, cmd.ProcessState.ExitCode(), "%s: %s", name, cmd.ProcessState)
		return cmd.ProcessState.UserTime() + cmd.ProcessState.SystemTime(), used.Maxrss
	}
	honest, _ := cost("honest.csv", text("warehouse,zone,bin,sku,description,unit,on hand,reserved,unit cost,recorded at", func(i int) string {
		return fmt.Sprintf("QUAY,Rack %d,A-%02d-%d,ROP-%05d,Mooring rope of %d mm,m,%d,%d,%d.%02d,2026-11-20T06:00:00Z", i/2000, i/60%40, i%6, i, 8+i%20,
			rng.IntN(500), i%3, i%90, i%100)
	}))
	for name, make := range files {
		content := make()
		require.LessOrEqual(t, len(content), 1<<20, "%s is no small file", name)
		cpu, kilobytes := cost(name, content)
		assert.LessOrEqual(t, cpu, 20*honest, "%s of %d bytes costs %s; a real table of a megabyte costs %s", name, len(content), cpu, honest)
		assert.LessOrEqual(t, kilobytes, int64(200<<10), "%s of %d bytes takes %d kB of memory", name, len(content), kilobytes)
		t.Logf("%-28s %8d bytes  %6.2f s  %4d MB", name, len(content), cpu.Seconds(), kilobytes>>10)
	}
}
