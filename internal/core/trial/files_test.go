package trial_test

import (
	"bytes"
	"flag"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/core/code"
	"wobin/internal/core/field"
	"wobin/internal/core/known"
	"wobin/internal/core/layout"
	"wobin/internal/core/problem"
	"wobin/internal/core/read"
	"wobin/internal/core/recognise"
	"wobin/internal/core/remedy"
	"wobin/internal/core/tabular"
)

var update = flag.Bool("update", false, "write what is understood now as what is expected")

// fixture is what the records know in these tests.
func fixture() *recognise.Known {
	k := &recognise.Known{Sets: map[field.Field]*known.Set{}}
	add := func(f field.Field, list string) {
		s := &known.Set{}
		for t := range strings.FieldsSeq(list) {
			s.Add(strings.ReplaceAll(t, "_", " "))
		}
		k.Sets[f] = s
	}
	add(field.Warehouse, "QUAY LOFT YARD Upper_loft")
	add(field.SKU, "00411 00412 00413 00414 00415 00416 00417 5012345678900 R-8 411X")
	add(field.Barcode, "5012345678900 4006381333931 4006391000004")
	add(field.Description, "Braided_rope_8_mm Bow_shackle")
	add(field.Unit, "m ea")
	add(field.Category, "Ropes Hardware Paint")
	bins := map[string]string{"QUAY": "A-01-1 A-01-2 A-01-3 A-01-4", "LOFT": "C01 C02 C03", "YARD": "3-12 2-1 1-2 1-1 4-4 3-11 12-1 12-4"}
	all := ""
	for _, b := range bins {
		all += " " + b
	}
	add(field.Bin, all)
	k.Bins = func(w string) *known.Set {
		if bins[w] == "" {
			return nil
		}
		s := &known.Set{}
		for t := range strings.FieldsSeq(bins[w]) {
			s.Add(t)
		}
		return s
	}
	k.Lead = func(by field.Field, text string) (string, bool) {
		switch string(by) + " " + text {
		case "barcode 5012345678900", "description Braided rope 8 mm":
			return "00411", false
		case "barcode 4006381333931", "description Bow shackle":
			return "00412", false
		case "barcode 4006391000004":
			return "00413", false
		}
		return "", false
	}
	return k
}

func contentOf(t *testing.T, name string) []byte {
	b, err := os.ReadFile(name)
	require.NoError(t, err)
	return b
}

// understood tells in words all that is made of a file.
func understood(t *testing.T, name string, given *layout.Layout) string {
	data := contentOf(t, name)
	base := filepath.Base(name)
	f, err := tabular.Open(base, bytes.NewReader(data), int64(len(data)), tabular.Options{})
	require.NoError(t, err)
	var b strings.Builder
	say := func(format string, args ...any) { fmt.Fprintf(&b, format+"\n", args...) }
	say("%s", f.Kind)
	if f.Kind == tabular.Text {
		say("parted by %s, %s", f.Dialect.DelimiterName(), f.Dialect.Encoding)
	}
	records := fixture()
	for sheet := range f.Sheets {
		m, err := recognise.Sheet(
			f,
			sheet,
			recognise.Want{
				Kinds: []field.Kind{field.Stock, field.Counts, field.Movements, field.Items, field.Places},
				Known: records,
				Given: given,
			},
		)
		require.NoError(t, err)
		say("\nsheet %q: %s, header %d, %s", m.SheetName, m.Kind, m.HeaderRow, m.WhyHeader)
		p := &problem.Problems{}
		for _, x := range m.Check(base) {
			p.Add(x)
		}
		r := read.Reading{Zone: time.UTC, Known: records, Layout: given}
		var lines []string
		var values []read.Value
		var told read.Told
		if !p.Any() {
			lines, values, told = readFor(t, f, m, r, p)
			m = told.Mapping
		}
		for _, c := range m.Columns {
			say("  %s %q = %s (%s)", tabular.ColumnName(c.Index), c.Header, orDash(string(c.Field)), c.Why)
		}
		say("  by %s", m.Identity)
		for _, a := range told.Skipped {
			say("  skipped: %s %v", a.Why, a.Rows)
		}
		for _, a := range m.Asks {
			say("  ? %s", a.Text)
			for _, o := range a.Options {
				say("      %s", o.Label)
			}
		}
		seen := map[problem.Group]bool{}
		for _, x := range p.List {
			g := problem.Group{Kind: x.Kind, Field: x.Field}
			if seen[g] {
				continue
			}
			seen[g] = true
			say("  ! %s in %s: %d", g.Kind, orDash(string(g.Field)), p.Groups[g])
			for _, y := range p.List {
				if (problem.Group{Kind: y.Kind, Field: y.Field}) == g {
					say("      %s%d %s", y.Column, y.Row, y.Text)
				}
			}
			for _, r := range remedy.Of(m, p, g, values) {
				say("      -> %s [%s -> %s]", r.Label, r.Before, r.After)
			}
		}
		for _, v := range values {
			say(
				"  value %s %q, %d rows: originals %v, near %v, %s %s, refused %v",
				v.Field,
				v.Text,
				v.Rows,
				wereOnce(v.Originals),
				v.Near,
				orDash(v.Do),
				v.To,
				v.Refused,
			)
		}
		if c, _ := remedy.Culprit(m, p); c != "" {
			say("  culprit %s", c)
		}
		rows, err := f.Rows(sheet)
		require.NoError(t, err)
		taken := read.NewTakenFor(m, values)
		for n, cells, ok := rows.Next(); ok; n, cells, ok = rows.Next() {
			var row []string
			for _, c := range cells {
				row = append(row, string(c))
			}
			if n > m.HeaderRow {
				for _, x := range taken.Row(row) {
					say("  taken: %s%d for %s", x.Column, n, x.Text)
				}
			}
		}
		rows.Close()
		say("  %d good", len(lines))
		for _, l := range lines {
			say("    %s", l)
		}
	}
	return b.String()
}

func orDash(s string) string {
	if s == "" {
		return "-"
	}
	return s
}

func readFor(
	t *testing.T,
	f *tabular.File,
	m *recognise.Mapping,
	r read.Reading,
	p *problem.Problems,
) (lines []string, values []read.Value, told read.Told) {
	at := func(ns int64) string { return time.Unix(0, ns).UTC().Format("2006-01-02 15:04") }
	switch m.Kind {
	case field.Stock:
		s, err := r.Stock(f, m, p)
		require.NoError(t, err)
		for i := range s.Book.Lines {
			l := &s.Book.Lines[i]
			line := strings.Join(
				slices.DeleteFunc(sliceOf(s.Book.Codes.Texts(l.Key)), func(s string) bool { return s == "" }),
				" | ",
			) + " = " + l.Recorded.String()
			if l.HasReserved {
				line += ", reserved " + l.Reserved.String()
			}
			if l.Costed {
				line += ", at " + l.Cost.String()
			}
			if s.AtRow > 0 {
				line += ", as at " + at(s.At)
			}
			lines = append(lines, line)
		}
		return lines, s.Values, s.Told
	case field.Counts:
		s, err := r.Counts(f, m, p)
		require.NoError(t, err)
		for _, c := range s.Counts {
			lines = append(
				lines,
				fmt.Sprintf(
					"%s = %s, given %v, at %s",
					strings.Join(sliceOf(s.Codes.Texts(c.Key))[:3], " | "),
					c.Quantity,
					c.Given,
					at(c.At),
				),
			)
		}
		return lines, s.Values, s.Told
	case field.Movements:
		s, err := r.Movements(f, m, p)
		require.NoError(t, err)
		for _, x := range s.Movements {
			lines = append(
				lines,
				fmt.Sprintf("%s = %s at %s, %s", strings.Join(sliceOf(s.Codes.Texts(x.Key))[:3], " | "), x.Quantity, at(x.At), x.Reference),
			)
		}
		return lines, s.Values, s.Told
	case field.Items:
		s, err := r.Items(f, m, p)
		require.NoError(t, err)
		for i := range s.Items {
			x := &s.Items[i]
			lines = append(
				lines,
				fmt.Sprintf(
					"%s: %s, %s, %s, %s, %s, %v, %v, tracked %q, variant of %q",
					x.SKU,
					x.Description,
					x.Unit,
					x.Cost,
					x.Category,
					x.Nature,
					x.Barcodes,
					x.Packs,
					x.Tracking,
					x.Parent,
				),
			)
		}
		return lines, s.Values, s.Told
	}
	s, err := r.Places(f, m, p)
	require.NoError(t, err)
	for _, x := range s.Places {
		lines = append(lines, code.Trim(fmt.Sprintf("%s (%s) | %s | %s", x.Warehouse, x.Name, x.Zone, x.Bin)))
	}
	return lines, s.Values, s.Told
}

func sliceOf(t [6]string) []string { return t[:] }

// Files as they come from real desks, one for each trouble and some with several: what is made of each stands beside
// it in words.
func TestFiles(t *testing.T) {
	names, err := filepath.Glob("testdata/files/*")
	require.NoError(t, err)
	require.Greater(t, len(names), 25)
	for _, name := range names {
		if strings.HasSuffix(name, ".want") {
			continue
		}
		t.Run(filepath.Base(name), func(t *testing.T) {
			got := understood(t, name, nil)
			if *update {
				require.NoError(t, os.WriteFile(name+".want", []byte(got), 0o644))
				return
			}
			want, err := os.ReadFile(name + ".want")
			require.NoError(t, err)
			assert.Equal(t, string(want), got)
		})
	}
}

func wereOnce(o []known.Original) (out []string) {
	for _, x := range o {
		out = append(out, x.Text)
	}
	return out
}
