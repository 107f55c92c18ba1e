package standin

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/core/adjust"
	"wobin/internal/core/outfile"
	"wobin/internal/core/stock"
)

var noon = time.Date(2026, 11, 20, 12, 0, 0, 0, time.UTC)

// A world plays the same from the same seed, saved and loaded in between or not; its records are what was booked.
func TestWorld(t *testing.T) {
	play := func(save bool) *World {
		w := NewWorld(5, noon, 20)
		for h := range 12 {
			w.Late = h < 8
			w.Trade(noon.Add(time.Duration(h)*time.Hour).UnixNano(), 40)
			if save {
				b, err := w.Save()
				require.NoError(t, err)
				w, err = Load(b)
				require.NoError(t, err)
			}
		}
		return w
	}
	a, b := play(false), play(true)
	assert.Equal(t, string(a.ExportStock()), string(b.ExportStock()))
	assert.Equal(t, string(a.ExportMovements(0)), string(b.ExportMovements(0)))
	assert.NotEmpty(t, a.Off(), "its records are not quite the truth")
	off := map[*Line]int64{}
	fresh := NewWorld(5, noon, 20)
	for _, l := range fresh.Lines {
		off[a.At(l.Bin, l.SKU, l.Lot)] = l.Truth - l.Record
	}
	for _, m := range a.Waiting {
		off[a.Lines[m.Line]] += m.Quantity
	}
	for _, l := range a.Lines {
		assert.GreaterOrEqual(t, l.Truth, int64(0))
		assert.Equal(t, off[l], l.Truth-l.Record, "what is off stays off, but for what waits to be booked")
	}
}

// The strict format: what is right is taken in whole and changes the records by just that, twice never; what is wrong is told by row, and
// nothing is taken in.
func TestTake(t *testing.T) {
	w := NewWorld(5, noon, 20)
	l := w.Lines[0]
	file := func(rows ...string) []byte {
		return []byte("DOC;ROW;DATE;SITE;BIN;ITEM;LOT;QTY;REASON\r\n" + strings.Join(rows, "\r\n") + "\r\n")
	}
	good := func(doc, qty string) string {
		return fmt.Sprintf("%s;1;21.11.2026;DOCK;%s;%s;%s;%s;LOSS", doc, l.Bin, l.SKU, l.Lot, qty)
	}
	before := l.Record
	a := w.Take("ADJ-1.csv", file(good("D1", "-2,000")))
	require.True(t, a.Taken, a.Wrong)
	assert.Equal(t, []any{before - 2_000_000, "OK;1\r\n"}, []any{l.Record, a.Text()})
	for want, x := range map[string]struct {
		name string
		body []byte
	}{
		"document D1 was taken in already":                           {"ADJ-1.csv", file(good("D1", "-2,000"))},
		"not called ADJ":                                             {"x.csv", file(good("D2", "1,000"))},
		"does not end in CR LF":                                      {"ADJ-2.csv", []byte("DOC;ROW\n")},
		"the header is none that is known":                           {"ADJ-2.csv", []byte("DOC;ROW\r\n1;2\r\n")},
		"no number with three decimals":                              {"ADJ-2.csv", file(good("D2", "1.5"))},
		"the line comes twice":                                       {"ADJ-2.csv", file(good("D2", "1,000"), strings.Replace(good("D2", "1,000"), ";1;", ";2;", 1))},
		"ROW is 1, and 2 is expected":                                {"ADJ-2.csv", file(good("D2", "1,000"), good("D2", "1,000"))},
		`SITE: "MOON" is not known`:                                  {"ADJ-2.csv", file(strings.Replace(good("D2", "1,000"), "DOCK", "MOON", 1))},
		`ITEM: "X" is not known`:                                     {"ADJ-2.csv", file(strings.Replace(good("D2", "1,000"), l.SKU, "X", 1))},
		`DATE: "2026-11-21" is no day`:                               {"ADJ-2.csv", file(strings.Replace(good("D2", "1,000"), "21.11.2026", "2026-11-21", 1))},
		`REASON: "LOST OR STOLEN" has not 1 to 12`:                   {"ADJ-2.csv", file(strings.Replace(good("D2", "1,000"), "LOSS", "LOST OR STOLEN", 1))},
		"8 cells, not 9":                                             {"ADJ-2.csv", file("D2;1;21.11.2026;DOCK;A;B;C;1,000")},
		fmt.Sprintf("201 rows, and a file has at most %d", MostRows): {"ADJ-2.csv", file(strings.Split(strings.Repeat(good("D2", "1,000")+"\n", 201), "\n")[:201]...)},
	} {
		a := w.Take(x.name, x.body)
		assert.False(t, a.Taken)
		assert.Contains(t, a.Text(), want)
		assert.Equal(t, before-2_000_000, l.Record, want)
	}
}

// Each of its layouts writes what it takes.
func TestItsLayoutsFit(t *testing.T) {
	for _, m := range adjust.Modes {
		w := NewWorld(7, noon, 20)
		l := Layout(m)
		require.NoError(t, l.Valid())
		assert.Equal(t, m, l.Mode())
		var lines []outfile.Line
		for i, x := range w.Lines {
			a := outfile.Line{Line: adjust.Line{Key: [stock.Parts]string{Site, x.Bin, x.SKU, x.Lot}, Counted: 3_500_000, Variance: 1_000_000, CountedAt: noon.UnixNano(), Reason: "MISCOUNT"}}
			if i%2 == 0 {
				a.Variance = -500_000
			}
			lines = append(lines, a)
		}
		made, err := l.Write(lines, outfile.Facts{At: noon.UnixNano(), Reference: "T"})
		require.NoError(t, err)
		require.Empty(t, made.Problems)
		for _, f := range made.Files {
			a := w.Take(f.Name, f.Body)
			assert.True(t, a.Taken, "%s %s %v", m, f.Name, a.Wrong)
		}
	}
}

// Served over a folder: it exports, takes in what is put there with its answer beside it, and goes on after a stop.
func TestServe(t *testing.T) {
	dir := t.TempDir()
	now := noon
	s := Serving{Dir: dir, Seed: 3, Bins: 20, Pace: 30, Every: time.Hour, Now: func() time.Time { return now }, Say: os.Stderr}
	for _, d := range []string{"in/done", "out"} {
		require.NoError(t, os.MkdirAll(filepath.Join(dir, d), 0o755))
	}
	w, err := s.load()
	require.NoError(t, err)
	require.NoError(t, s.Step(w))
	out, err := filepath.Glob(filepath.Join(dir, "out", "*.csv"))
	require.NoError(t, err)
	assert.Len(t, out, 4)
	l := w.Lines[0]
	before := l.Record
	row := fmt.Sprintf("D1;1;21.11.2026;DOCK;%s;%s;%s;5,000;FOUND", l.Bin, l.SKU, l.Lot)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "in", "ADJ-1.csv"), []byte("DOC;ROW;DATE;SITE;BIN;ITEM;LOT;QTY;REASON\r\n"+row+"\r\n"), 0o644))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "in", "ADJ-2.csv"), []byte("nonsense"), 0o644))
	s.Pace = 0
	require.NoError(t, s.Step(w))
	assert.Equal(t, before+5_000_000, l.Record)
	for name, want := range map[string]string{"ADJ-1.csv.answer": "OK;1", "ADJ-2.csv.answer": "REFUSED"} {
		b, err := os.ReadFile(filepath.Join(dir, "in", "done", name))
		require.NoError(t, err)
		assert.Contains(t, string(b), want)
	}
	again, err := s.load()
	require.NoError(t, err)
	assert.Equal(t, w.ExportStock(), again.ExportStock())
	assert.True(t, again.Documents["D1"])
}
