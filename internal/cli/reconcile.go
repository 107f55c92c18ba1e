package cli

import (
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"runtime"
	"runtime/debug"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"text/tabwriter"
	"time"
	_ "time/tzdata" // zones by name on machines without a zone database

	"github.com/spf13/cobra"

	"wobin/internal/clock"
	"wobin/internal/core/adjust"
	"wobin/internal/core/layout"
	"wobin/internal/core/outfile"
	"wobin/internal/core/quantity"
	"wobin/internal/core/reconcile"
	"wobin/internal/core/tabular"
	"wobin/internal/document"
)

// most is how many problems are printed before the rest is only counted.
const most = 1000

func (s *streams) reconcile() *cobra.Command {
	var o struct {
		stock, movements, items, frozen, counted, zone, uncounted, mode, out string
		counts                                                               []string
		layouts                                                              []string
		tolQty, tolPct, tolValue                                             string
		postTolerated, addUp, json                                           bool
		layout, reference, postingDate, report                               string
	}
	c := &cobra.Command{
		Use:   "reconcile --stock FILE --counts FILE [--movements FILE]",
		Short: "Hold counts against recorded stock, on files alone",
		Long: `Holds the counts in one or more files against the recorded stock in another, rolled forward by movements,
and writes variances.csv, adjustments.csv and causes.csv, the likely causes. Files are delimited text or workbooks; - is standard input.
Exit 0: done. Exit 2: the input has problems, all are printed and nothing is written. Exit 1: anything else.`,
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			if o.stock == "" || len(o.counts) == 0 {
				return errors.New("reconcile needs --stock FILE and --counts FILE")
			}
			debug.SetGCPercent(-1) // memory is bounded by the limit alone: far fewer collections on large files
			debug.SetMemoryLimit(620 << 20)
			opt := reconcile.Options{
				Uncounted:     reconcile.Uncounted(o.uncounted),
				Mode:          adjust.Mode(o.mode),
				PostTolerated: o.postTolerated,
				AddUp:         o.addUp,
				Most:          most,
			}
			zone, err := zoneOf(o.zone)
			if err != nil {
				return err
			}
			opt.Zone = zone
			if opt.FrozenAt, err = timeOf("--frozen-at", o.frozen, zone); err != nil {
				return err
			}
			if opt.CountedAt, err = timeOf("--counted-at", o.counted, zone); err != nil {
				return err
			}
			var tq, tp, tv *quantity.Quantity
			for _, t := range []struct {
				flag, text string
				into       **quantity.Quantity
			}{{"--tolerance-qty", o.tolQty, &tq}, {"--tolerance-pct", o.tolPct, &tp}, {"--tolerance-value", o.tolValue, &tv}} {
				if t.text != "" {
					q, err := quantity.Parse(t.text)
					if err != nil {
						return fmt.Errorf("%s: %q %w", t.flag, t.text, err)
					}
					if q < 0 {
						return fmt.Errorf("%s: %q is below zero", t.flag, t.text)
					}
					*t.into = &q
				}
			}
			opt.Tolerance.Quantity, opt.Tolerance.Percent = tq, tp
			if tv != nil {
				m := quantity.Money(*tv / 10_000) // values have two places, so what is beyond them decides nothing
				opt.Tolerance.Value = &m
			}
			if !slices.Contains([]reconcile.Uncounted{reconcile.Leave, reconcile.ZeroInCountedBins, reconcile.ZeroAll}, opt.Uncounted) {
				return fmt.Errorf("--uncounted: %q is none of leave, zero-in-counted-bins and zero-all", o.uncounted)
			}
			var outLayout *outfile.Layout
			facts := outfile.Facts{Zone: zone, Reference: o.reference}
			if o.layout != "" {
				if cmd.Flags().Changed("quantity") {
					return errors.New("--quantity and --adjustment-layout say both what adjustments are; give one of them")
				}
				if outLayout, err = readAdjustmentLayout(o.layout); err != nil {
					return err
				}
				opt.Mode = outLayout.Mode()
				day, err := timeOf("--posting-date", o.postingDate, zone)
				if err != nil {
					return err
				}
				if facts.At = clock.Now().UnixNano(); day != nil {
					facts.At = *day
				}
			}
			if !slices.Contains(adjust.Modes, opt.Mode) {
				return fmt.Errorf("--quantity: %q is none of difference, balance, in-out and counted", o.mode)
			}
			if err := oneStdin(append(slices.Clone(o.counts), o.stock, o.movements, o.items)); err != nil {
				return err
			}
			files := append([]string{o.stock}, o.counts...)
			for _, name := range []string{o.movements, o.items} {
				if name != "" {
					files = append(files, name)
				}
			}
			in := reconcile.Input{Layouts: map[*tabular.File]*layout.Layout{}}
			opened, done, err := s.opened(files, o.layouts, in.Layouts)
			defer done()
			if err != nil {
				return err
			}
			in.Stock, in.Counts = opened[0], opened[1:1+len(o.counts)]
			rest := opened[1+len(o.counts):]
			if o.movements != "" {
				in.Movements, rest = rest[0], rest[1:]
			}
			if o.items != "" {
				in.Items = rest[0]
			}
			opt.Causes = o.out != "" || o.report != ""
			form := strings.ToLower(filepath.Ext(o.report))
			if o.report != "" && form != ".pdf" && form != ".xlsx" {
				return fmt.Errorf("--report: %s is neither a .pdf nor an .xlsx", o.report)
			}
			res, found, err := reconcile.Run(cmd.Context(), in, opt)
			if err != nil {
				return err
			}
			if found.Any() {
				return s.report(found)
			}
			s.notes(res.Notes)
			if o.report != "" {
				if err := writeReport(res, o.report, form); err != nil {
					return err
				}
			}
			if o.out != "" {
				files := []output{{"variances.csv", res.WriteVariances}, {"causes.csv", res.WriteCauses}}
				if outLayout == nil {
					files = append(files, output{"adjustments.csv", res.WriteAdjustments})
				} else if files, err = s.laidOut(files, outLayout, res.OutLines(), facts); err != nil {
					return err
				}
				if err := writeAll(o.out, files); err != nil {
					return err
				}
			}
			if o.json {
				b, err := res.Summary()
				if err != nil {
					return err
				}
				_, err = fmt.Fprintf(s.out, "%s\n", b)
				return err
			}
			return s.figures(res)
		},
	}
	f := c.Flags()
	f.StringVar(&o.stock, "stock", "", "recorded stock `FILE`")
	f.StringArrayVar(&o.counts, "counts", nil, "counts `FILE`; may be given several times, later rows replace earlier ones by row code")
	f.StringVar(&o.movements, "movements", "", "movements `FILE`")
	f.StringVar(&o.items, "items", "", "items `FILE`: unit costs of lines that bring none; descriptions, barcodes, categories and packs for the likely causes")
	f.StringVar(&o.frozen, "frozen-at", "", "the `TIME` of the freeze, in place of recorded_at")
	f.StringVar(&o.counted, "counted-at", "", "the counting `TIME` of rows that have none")
	f.StringVar(&o.zone, "zone", "", "the zone `NAME` of times without an offset, such as Europe/Berlin (default: the machine's)")
	f.StringVar(&o.tolQty, "tolerance-qty", "", "let pass variances up to this quantity `N`")
	f.StringVar(&o.tolPct, "tolerance-pct", "", "let pass variances up to this percentage `N` of what was expected")
	f.StringVar(&o.tolValue, "tolerance-value", "", "let pass variances up to this value `N` at most")
	f.StringVar(&o.uncounted, "uncounted", "leave", "uncounted lines: leave, zero-in-counted-bins or zero-all")
	f.BoolVar(&o.postTolerated, "post-tolerated", false, "adjust tolerated lines too")
	f.BoolVar(&o.addUp, "add-up", false, "sum rows of the same key instead of refusing them")
	f.StringVar(&o.mode, "quantity", "difference", "what adjustments say: difference, balance, in-out or counted")
	f.StringVar(&o.layout, "adjustment-layout", "", "write the adjustments by the layout in this `FILE`, as JSON, in place of adjustments.csv's own form")
	f.StringVar(&o.report, "report", "", "sum the count up in this `FILE`, a .pdf to be printed or an .xlsx")
	f.StringVar(&o.reference, "reference", "", "the `TEXT` that a layout's column of the reference holds")
	f.StringVar(&o.postingDate, "posting-date", "", "the `TIME` that a layout's column of the posting date holds (default: now)")
	f.StringVar(&o.out, "out", "", "the folder `DIR` for variances.csv and adjustments.csv")
	f.StringArrayVar(
		&o.layouts,
		"layout",
		nil,
		"read a file by a layout: `FILE=LAYOUT` for the file of that name, or just LAYOUT for the stock file; may be given several times",
	)
	f.BoolVar(&o.json, "json", false, "print the figures as one JSON object")
	return c
}

// oneStdin checks that standard input is one of the files at most.
func oneStdin(files []string) error {
	if n := strings.Count(" "+strings.Join(files, " ")+" ", " - "); n > 1 {
		return errors.New("standard input (-) can be only one of the files")
	}
	return nil
}

// writeReport sums a run up in a file, which appears whole or not at all.
func writeReport(res *reconcile.Result, name, form string) error {
	st, err := res.Statement("Count of " + clock.Now().Format(time.DateOnly))
	if err != nil {
		return err
	}
	return writeAll(filepath.Dir(name), []output{{filepath.Base(name), func(w io.Writer) error {
		if form == ".pdf" {
			return document.WriteReport(document.A4, st, w)
		}
		return document.WriteReportBook(st, w)
	}}})
}

// readAdjustmentLayout reads a layout of files out.
func readAdjustmentLayout(name string) (*outfile.Layout, error) {
	b, err := os.ReadFile(name)
	if err != nil {
		return nil, fmt.Errorf("--adjustment-layout: %w", err)
	}
	l, err := outfile.Decode(b)
	if err != nil {
		return nil, fmt.Errorf("--adjustment-layout: %s: %w", name, err)
	}
	return l, nil
}

// laidOut adds the files that a layout makes of lines. What it cannot say of them is told, and nothing is written.
func (s *streams) laidOut(files []output, l *outfile.Layout, lines []outfile.Line, facts outfile.Facts) ([]output, error) {
	w, err := l.Write(lines, facts)
	if err != nil {
		return nil, err
	}
	for i, p := range w.Problems {
		if i == most {
			fmt.Fprintf(s.err, "and %d more problems\n", len(w.Problems)-most)
			break
		}
		where := ""
		if p.Line >= 0 {
			where = strings.Join(slices.DeleteFunc(slices.Clone(lines[p.Line].Key[:]), func(t string) bool { return t == "" }), " ") + ": "
		}
		fmt.Fprintf(s.err, "adjustments: %s%s: %s\n", where, p.Column, p.Text)
	}
	if len(w.Problems) > 0 {
		return nil, errProblems
	}
	for _, h := range l.Harms(lines, facts) {
		fmt.Fprintf(s.err, "adjustments: %s: a spreadsheet program would damage %d codes (%s), such as %q. Let the record system take the file itself, or write a workbook\n",
			h.Column, h.Rows, h.What, h.Example)
	}
	for _, f := range w.Files {
		if slices.ContainsFunc(files, func(o output) bool { return strings.EqualFold(o.name, f.Name) }) {
			return nil, fmt.Errorf("--adjustment-layout: a file of adjustments would be called %s, which is another file's name. Change its file_name", f.Name)
		}
		files = append(files, output{f.Name, func(out io.Writer) error { _, err := out.Write(f.Body); return err }})
	}
	return files, nil
}

type output struct {
	name  string
	write func(io.Writer) error
}

// writeAll writes files into a folder so that they appear whole or not at all.
func writeAll(dir string, files []output) (err error) {
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return err
	}
	made := make([]string, len(files))
	defer func() {
		for _, n := range made {
			if n != "" {
				os.Remove(n)
			}
		}
	}()
	write := func(i int) error {
		f, err := os.CreateTemp(dir, ".wobin-*")
		if err != nil {
			return err
		}
		made[i] = f.Name()
		err = files[i].write(f)
		if err == nil {
			err = f.Chmod(0o644)
		}
		if cerr := f.Close(); err == nil {
			err = cerr
		}
		if err != nil {
			return fmt.Errorf("%s: %w", files[i].name, err)
		}
		return nil
	}
	// As many at a time as there are processors, which sheets by the thousand need; two large files are written one after the other.
	wrong := make([]error, len(files))
	var next atomic.Int64
	var all sync.WaitGroup
	for range min(runtime.GOMAXPROCS(0), (len(files)+2)/3) {
		all.Go(func() {
			for i := int(next.Add(1)) - 1; i < len(files); i = int(next.Add(1)) - 1 {
				if wrong[i] = write(i); wrong[i] != nil {
					return
				}
			}
		})
	}
	all.Wait()
	if err := errors.Join(wrong...); err != nil {
		return err
	}
	for i, o := range files {
		if err := os.Rename(made[i], filepath.Join(dir, o.name)); err != nil {
			return err
		}
	}
	made = nil
	return nil
}

func (s *streams) figures(r *reconcile.Result) error {
	f := &r.Figures
	w := tabwriter.NewWriter(s.out, 0, 0, 2, ' ', tabwriter.AlignRight)
	ratio := func(m quantity.Money, ok bool) string {
		if !ok {
			return "–"
		}
		return m.String() + " %"
	}
	for _, l := range [][2]any{
		{"recorded lines", f.RecordedLines}, {"counted", f.Counted}, {"uncounted", f.Uncounted}, {"match", f.Match}, {"tolerated", f.Tolerated},
		{"over", f.Over}, {"short", f.Short}, {"found", f.Found}, {"coverage", ratio(f.Coverage())}, {"accuracy", ratio(f.Accuracy())},
		{"value over", f.Values.Over}, {"value short", f.Values.Short}, {"value net", f.Values.Net}, {"value gross", f.Values.Gross},
		{"lines without a cost", f.Unvalued}, {"adjustment lines", r.AdjustmentLines},
		{"posted over", r.Posted.Over}, {"posted short", r.Posted.Short}, {"posted net", r.Posted.Net}, {"posted gross", r.Posted.Gross},
	} {
		fmt.Fprintf(w, "%v\t%v\t\n", l[0], l[1])
	}
	return w.Flush()
}
