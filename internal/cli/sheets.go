package cli

import (
	"errors"
	"fmt"
	"io"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"wobin/internal/core/counting"
	"wobin/internal/core/cutting"
	"wobin/internal/core/handout"
	"wobin/internal/core/layout"
	"wobin/internal/core/problem"
	"wobin/internal/core/tabular"
	"wobin/internal/document"
)

// sheetForms are the forms in which sheets are written, by their names.
var sheetForms = map[string]func(*counting.Sheet, io.Writer) error{
	"csv":  (*counting.Sheet).WriteText,
	"xlsx": (*counting.Sheet).WriteWorkbook,
	"pdf":  document.WriteSheet,
}

func (s *streams) sheets() *cobra.Command {
	var o struct {
		stock, items, out, by, format, name, zone string
		people, rows                              int
		blind, addUp, eachAisle                   bool
		layouts                                   []string
	}
	c := &cobra.Command{
		Use:   "sheets --stock FILE --out DIR [--items FILE]",
		Short: "Cut recorded stock into sheets for people who count, on files alone",
		Long: `Cuts the recorded stock in a file into sheets in walking order, no bin on two of them, and writes them into a
folder: sheet-001.csv and so on, and sheets.csv, which lists them. With --items, services, grouping parents and inactive
items without stock are left out. The row codes lead wobin reconcile --counts back to the lines.
Exit 0: done. Exit 2: the input has problems, all are printed and nothing is written. Exit 1: anything else.`,
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			if o.stock == "" || o.out == "" {
				return errors.New("sheets needs --stock FILE and --out DIR")
			}
			how := cutting.How{By: cutting.By(o.by), Rows: o.rows, People: o.people}
			if how.By == cutting.Size && !cmd.Flags().Changed("max-rows") {
				how.Rows = 60
			}
			if wrong := how.Wrong(); wrong != "" {
				return errors.New("--by: " + wrong)
			}
			if how.By != cutting.People && o.people != 0 {
				return errors.New("--people goes with --by people")
			}
			formats := strings.Split(o.format, ",")
			for _, f := range formats {
				if sheetForms[f] == nil {
					return fmt.Errorf("--format: %q is none of csv, xlsx and pdf", f)
				}
			}
			opt := handout.Options{
				How:   how,
				Blind: o.blind,
				AddUp: o.addUp,
				Name:  o.name,
				Zone:  time.Local,
				Most:  most,
				Way:   cutting.UpAndDown,
			}
			if o.eachAisle {
				opt.Way = cutting.EachAisle
			}
			if o.zone != "" {
				z, err := zoneOf(o.zone)
				if err != nil {
					return err
				}
				opt.Zone = z
			}
			if opt.Name == "" {
				opt.Name = strings.TrimSuffix(filepath.Base(o.stock), filepath.Ext(o.stock))
			}
			defer boundMemory(400 << 20)()
			files := []string{o.stock}
			if o.items != "" {
				files = append(files, o.items)
			}
			if o.stock == "-" && o.items == "-" {
				return errors.New("standard input (-) can be only one of the files")
			}
			in := handout.Input{Layouts: map[*tabular.File]*layout.Layout{}}
			opened, done, err := s.opened(files, o.layouts, in.Layouts)
			defer done()
			if err != nil {
				return err
			}
			if in.Stock = opened[0]; o.items != "" {
				in.Items = opened[1]
			}
			res, found, err := handout.Run(cmd.Context(), in, opt)
			if err != nil {
				return err
			}
			if found.Any() {
				return s.report(found)
			}
			s.notes(res.Notes)
			outputs := []output{}
			for i := range res.Sheets {
				sheet := &res.Sheets[i]
				for _, f := range slices.Compact(slices.Sorted(slices.Values(formats))) {
					outputs = append(outputs, output{fmt.Sprintf("sheet-%03d.%s", sheet.Number, f), func(w io.Writer) error {
						return sheetForms[f](res.Paper(sheet), w)
					}})
				}
			}
			outputs = append(outputs, output{"sheets.csv", res.WriteList})
			if err := noOthers(o.out, outputs); err != nil {
				return err
			}
			if err := writeAll(o.out, outputs); err != nil {
				return err
			}
			lines, seconds := 0, int64(0)
			for i := range res.Sheets {
				lines, seconds = lines+res.Sheets[i].Lines, seconds+res.Sheets[i].Seconds
			}
			fmt.Fprintf(s.out, "sheets: %d, lines: %d, minutes of work: about %s\n", len(res.Sheets), lines, cutting.Minutes(seconds))
			return nil
		},
	}
	f := c.Flags()
	f.StringVar(&o.stock, "stock", "", "recorded stock `FILE`")
	f.StringVar(&o.items, "items", "", "items `FILE`: names, units, and what cannot be counted")
	f.StringVar(&o.out, "out", "", "the folder `DIR` for the sheets and sheets.csv")
	f.StringVar(&o.by, "by", "zone", "what sheets are cut by: zone, size or people")
	f.IntVar(&o.people, "people", 0, "by people: how many, `N`; each gets about the same time")
	f.IntVar(&o.rows, "max-rows", 0, "the largest number of rows on a sheet, `N`; 0 for no limit (by size: 60)")
	f.StringVar(&o.format, "format", "csv", "the form or forms of the sheets: csv, xlsx, pdf, apart by commas")
	f.BoolVar(&o.blind, "blind", false, "do not show what is recorded")
	f.BoolVar(&o.addUp, "add-up", false, "rows of the same key are one line instead of a problem")
	f.BoolVar(&o.eachAisle, "each-aisle", false, "walk every aisle from its first bay, not one up and the next one down")
	f.StringVar(&o.name, "name", "", "what the count is called on its sheets (default: the name of the stock file)")
	f.StringVar(&o.zone, "zone", "", "the zone `NAME` of times without an offset, such as Europe/Berlin (default: the machine's)")
	f.StringArrayVar(
		&o.layouts,
		"layout",
		nil,
		"read a file by a layout: `FILE=LAYOUT`, or just LAYOUT for the stock file; may be given several times",
	)
	return c
}

// noOthers refuses a folder that holds other sheets than those that are to be written: nobody could tell them apart.
func noOthers(dir string, outputs []output) error {
	there, err := filepath.Glob(filepath.Join(strings.NewReplacer("[", "\\[", "*", "\\*", "?", "\\?").Replace(dir), "sheet-*.*"))
	if err != nil {
		return err
	}
	for _, name := range there {
		if !slices.ContainsFunc(outputs, func(o output) bool { return o.name == filepath.Base(name) }) {
			return fmt.Errorf("%s holds sheets of another cut, such as %s. Give an empty folder", dir, filepath.Base(name))
		}
	}
	return nil
}

// laidOut opens a table file in the form that its layout, if it has one, gives it.
func (o *opener) laidOut(
	stdin io.Reader,
	name string,
	l *layout.Layout,
	layouts map[*tabular.File]*layout.Layout,
	p *problem.Problems,
) *tabular.File {
	var opt tabular.Options
	if l != nil {
		opt.Encoding = tabular.Encoding(l.Encoding)
		if l.Delimiter != "" {
			opt.Delimiter = l.Delimiter[0]
		}
	}
	f := o.as(stdin, name, opt, p)
	if l != nil && f != nil {
		layouts[f] = l
	}
	return f
}
