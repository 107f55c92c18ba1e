package cli

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"wobin/internal/core/field"
	"wobin/internal/core/layout"
	"wobin/internal/core/problem"
	"wobin/internal/core/read"
	"wobin/internal/core/recognise"
	"wobin/internal/core/remedy"
	"wobin/internal/core/stock"
	"wobin/internal/core/tabular"
	"wobin/internal/core/template"
	"wobin/internal/desk/house"
	"wobin/internal/desk/intake"
)

// understanding is what wobin check makes of a file, as --json prints it.
type understanding struct {
	File      string              `json:"file"`
	Form      string              `json:"form,omitempty"`
	Delimiter string              `json:"delimiter,omitempty"`
	Encoding  string              `json:"encoding,omitempty"`
	Wrong     string              `json:"wrong,omitempty"`
	Sheets    []understandingPart `json:"sheets"`
}

type understandingPart struct {
	Sheet     string                 `json:"sheet,omitempty"`
	Kind      field.Kind             `json:"kind"`
	Header    int                    `json:"header"`
	Why       string                 `json:"why,omitempty"`
	Columns   []understoodColumn     `json:"columns"`
	Identity  field.Field            `json:"identity,omitempty"`
	Rows      int                    `json:"rows"`
	Good      int                    `json:"good"`
	Refused   int                    `json:"refused"`
	Skipped   map[recognise.Skip]int `json:"skipped,omitempty"`
	AsText    int                    `json:"as_text,omitempty"` // rows with cells written as ="text"
	Questions []string               `json:"questions,omitempty"`
	Problems  []understoodProblems   `json:"problems,omitempty"`
	Culprit   string                 `json:"culprit,omitempty"`
	Spare     bool                   `json:"culprit_spare,omitempty"`
}

type understoodColumn struct {
	Column string      `json:"column"`
	Header string      `json:"header,omitempty"`
	Field  field.Field `json:"field,omitempty"`
	Why    string      `json:"why"`
}

type understoodProblems struct {
	Kind     string      `json:"kind"`
	Field    field.Field `json:"field,omitempty"`
	Count    int         `json:"count"`
	First    string      `json:"first"`
	Remedies []string    `json:"remedies,omitempty"`
}

func (s *streams) check() *cobra.Command {
	var as, layoutFile, zone, data string
	var asJSON bool
	c := &cobra.Command{
		Use:   "check FILE...",
		Short: "Tell what is made of files, without taking them in",
		Long: `Tells what Wobin makes of files: their form, kind, header and columns with the reasons, how many rows are good, and
what is wrong, in groups. With --data they are held against what that folder knows, as the screen does it, and what they
would come to is told. Nothing is stored. Exit 0: all is clean. Exit 2: there are problems or open questions.`,
		Args: cobra.MinimumNArgs(1),
		RunE: func(cmd *cobra.Command, files []string) error {
			want := recognise.Want{Kinds: []field.Kind{field.Stock, field.Counts, field.Movements, field.Items, field.Places}}
			if as != "" {
				if !slices.Contains(field.Kinds, field.Kind(as)) {
					return fmt.Errorf("--as: %q is none of places, items, stock, movements and counts", as)
				}
				want.Kinds = []field.Kind{field.Kind(as)}
			}
			if layoutFile != "" {
				l, err := readLayout(layoutFile)
				if err != nil {
					return err
				}
				if want.Given = l; as != "" {
					l.Kind = field.Kind(as)
				}
			}
			reading := read.Reading{
				Zone:    time.Local,
				Context: cmd.Context(),
				Layout:  want.Given,
				Known:   &recognise.Known{Blank: true},
				Halves:  true,
			}
			if zone != "" {
				z, err := zoneOf(zone)
				if err != nil {
					return err
				}
				reading.Zone = z
			}
			if data != "" {
				return s.checkAgainst(cmd.Context(), data, zone, want.Given, files)
			}
			clean := true
			var all []*understanding
			for _, name := range files {
				u, err := s.understand(name, want, reading)
				if err != nil {
					return err
				}
				all = append(all, u)
				clean = clean && u.clean()
				if !asJSON {
					u.print(s.out)
				}
			}
			if asJSON {
				e := json.NewEncoder(s.out)
				e.SetIndent("", "  ")
				e.SetEscapeHTML(false)
				if err := e.Encode(all); err != nil {
					return err
				}
			}
			if !clean {
				return errProblems
			}
			return nil
		},
	}
	f := c.Flags()
	f.StringVar(&as, "as", "", "take the files for this `KIND`: places, items, stock, movements or counts")
	f.StringVar(&layoutFile, "layout", "", "read the files by the layout in this `FILE` (JSON)")
	f.StringVar(&data, "data", "", "hold the files against what the data folder `DIR` knows")
	f.StringVar(&zone, "zone", "", "the zone `NAME` of times without an offset")
	f.BoolVar(&asJSON, "json", false, "print one JSON list, an object for each file")
	return c
}

// checkAgainst looks at files against what a folder knows, as the screen does. A folder that is not there is not made.
func (s *streams) checkAgainst(ctx context.Context, data, zone string, given *layout.Layout, files []string) error {
	if _, err := os.Stat(data); err != nil {
		return err
	}
	choices := intake.Choices{Zone: zone, Base: given}
	if given == nil {
		given = &layout.Layout{}
	}
	return withDesk(data, func(d *house.House) error {
		all := true
		for _, name := range files {
			clean, err := s.against(ctx, d, name, choices, given)
			if err != nil {
				return err
			}
			all = all && clean
		}
		if !all {
			return errProblems
		}
		return nil
	})
}

func (s *streams) understand(name string, want recognise.Want, reading read.Reading) (*understanding, error) {
	var open opener
	defer open.close()
	u := &understanding{File: name, Sheets: []understandingPart{}}
	var wrong problem.Problems
	var opt tabular.Options
	if l := want.Given; l != nil {
		opt.Encoding = tabular.Encoding(l.Encoding)
		if l.Delimiter != "" {
			opt.Delimiter = l.Delimiter[0]
		}
	}
	f := open.as(s.in, name, opt, &wrong)
	if open.err != nil {
		return nil, open.err
	}
	if f == nil {
		u.Wrong = wrong.List[0].String()
		return u, nil
	}
	u.Form = string(f.Kind)
	if f.Kind == tabular.Text {
		u.Delimiter, u.Encoding = f.Dialect.DelimiterName(), string(f.Dialect.Encoding)
	}
	for sheet := range f.Sheets {
		m, err := recognise.Sheet(f, sheet, want)
		var bad *tabular.Error
		if errors.As(err, &bad) {
			u.Wrong = bad.Error()
			continue
		}
		if err != nil {
			return nil, err
		}
		if len(f.Sheets) > 1 && (m.HeaderRow == 0 || len(m.Check(name)) > 0) {
			continue // no table of ours, such as a cover sheet
		}
		x, err := understandSheet(f, m, reading)
		if err != nil {
			return nil, err
		}
		u.Sheets = append(u.Sheets, *x)
	}
	if len(u.Sheets) == 0 && u.Wrong == "" {
		u.Wrong = name + ": no sheet of it reads as places, items, stock, movements or counts"
	}
	return u, nil
}

func understandSheet(f *tabular.File, m *recognise.Mapping, reading read.Reading) (*understandingPart, error) {
	x := &understandingPart{
		Sheet:    m.SheetName,
		Kind:     m.Kind,
		Header:   m.HeaderRow,
		Why:      m.WhyHeader,
		Columns:  []understoodColumn{},
		Identity: m.Identity,
	}
	p := &problem.Problems{}
	for _, q := range m.Check(f.Name) {
		p.Add(q)
	}
	var err error
	told := read.Told{Mapping: m}
	if !p.Any() {
		reading.Example = template.ExampleFor(m.Kind, m.Fields())
		x.Rows, told, err = readAll(f, m, reading, p)
		m = told.Mapping
		var bad *tabular.Error
		if errors.As(err, &bad) {
			p.Add(problem.Problem{File: bad.File, Sheet: bad.Sheet, Row: bad.Row, Kind: "cannot be read", Text: bad.Text})
			err = nil
		}
	}
	for _, c := range m.Columns {
		x.Columns = append(x.Columns, understoodColumn{tabular.ColumnName(c.Index), c.Header, c.Field, c.Why})
	}
	for i := range m.Worked {
		w := &m.Worked[i]
		from := cmp.Or(w.Choice().Formula, w.Choice().Fixed)
		x.Columns = append(x.Columns, understoodColumn{"=", from, w.Field, "worked out"})
	}
	x.AsText = told.AsText
	for _, a := range told.Skipped {
		if x.Skipped == nil {
			x.Skipped = map[recognise.Skip]int{}
		}
		x.Skipped[a.Why] = a.N
	}
	for _, a := range m.Asks {
		if !a.Optional {
			x.Questions = append(x.Questions, a.Text)
		}
	}
	x.Refused = p.Rows
	x.Culprit, x.Spare = remedy.Culprit(m, p)
	x.Good = x.Rows - x.Refused
	seen := map[problem.Group]bool{}
	for _, y := range p.List {
		g := problem.Group{Kind: y.Kind, Field: y.Field}
		if seen[g] {
			continue
		}
		seen[g] = true
		group := understoodProblems{Kind: g.Kind, Field: g.Field, Count: p.Groups[g], First: y.String()}
		for _, r := range remedy.Of(m, p, g, nil) {
			group.Remedies = append(group.Remedies, r.Label)
		}
		x.Problems = append(x.Problems, group)
	}
	return x, err
}

// readAll reads a table as its kind has it and finds keys that come twice.
func readAll(f *tabular.File, m *recognise.Mapping, r read.Reading, p *problem.Problems) (int, read.Told, error) {
	switch m.Kind {
	case field.Stock:
		x, err := r.Stock(f, m, p)
		if err != nil {
			return x.Rows, x.Told, err
		}
		given := m.Given(r.Layout)
		for _, d := range x.Book.Index() {
			if a, b := &x.Book.Lines[d[0]], &x.Book.Lines[d[1]]; given.Doubles != "sum" {
				p.Add(
					problem.Problem{
						File:  f.Name,
						Sheet: m.SheetName,
						Row:   int(b.Row),
						Field: field.SKU,
						Kind:  "duplicate key",
						Value: x.Book.Codes[stock.SKU].Text(b.Key[stock.SKU]),
						Text:  fmt.Sprintf("the same key as in row %d. Sum rows of the same key, or take one out", a.Row),
					},
				)
			}
		}
		return x.Rows, x.Told, nil
	case field.Items:
		x, err := r.Items(f, m, p)
		return x.Rows, x.Told, err
	case field.Movements:
		x, err := r.Movements(f, m, p)
		return x.Rows, x.Told, err
	case field.Counts:
		x, err := r.Counts(f, m, p)
		return x.Rows, x.Told, err
	}
	x, err := r.Places(f, m, p)
	return x.Rows, x.Told, err
}

func (u *understanding) clean() bool {
	if u.Wrong != "" {
		return false
	}
	for i := range u.Sheets {
		if x := &u.Sheets[i]; len(x.Problems)+len(x.Questions) > 0 {
			return false
		}
	}
	return true
}

func (u *understanding) print(w io.Writer) {
	fmt.Fprintf(w, "%s: %s", u.File, u.Form)
	if u.Delimiter != "" {
		fmt.Fprintf(w, ", cells parted by %s, %s", u.Delimiter, u.Encoding)
	}
	fmt.Fprintln(w)
	if u.Wrong != "" {
		fmt.Fprintln(w, "  "+u.Wrong)
	}
	for i := range u.Sheets {
		x := &u.Sheets[i]
		name := ""
		if x.Sheet != "" {
			name = "sheet " + x.Sheet + ": "
		}
		fmt.Fprintf(w, "  %s%s; %s\n", name, x.Kind, x.Why)
		for _, c := range x.Columns {
			field := string(c.Field)
			if field == "" {
				field = "–"
			}
			fmt.Fprintf(w, "    %-3s %-24s %-14s %s\n", c.Column, c.Header, field, c.Why)
		}
		fmt.Fprintf(w, "    %d rows, %d good, %d refused", x.Rows, x.Good, x.Refused)
		for _, why := range recognise.Skips {
			if n := x.Skipped[why]; n > 0 {
				fmt.Fprintf(w, ", %s skipped", why.Words(n))
			}
		}
		fmt.Fprintln(w)
		if x.AsText > 0 {
			fmt.Fprintf(w, "    %d rows have cells written as =\"text\", read as that text\n", x.AsText)
		}
		for _, q := range x.Questions {
			fmt.Fprintln(w, "    ? "+q)
		}
		for _, g := range x.Problems {
			in := ""
			if g.Field != "" {
				in = " in " + string(g.Field)
			}
			fmt.Fprintf(w, "    ! %s%s: %d. %s\n", g.Kind, in, g.Count, g.First)
			for _, r := range g.Remedies {
				fmt.Fprintln(w, "        "+strings.TrimSpace(r))
			}
		}
		if x.Culprit != "" && len(x.Problems) > 0 {
			fine := "."
			if x.Spare {
				fine = "; without it everything is fine."
			}
			fmt.Fprintf(w, "    All problems are in column %s%s\n", x.Culprit, fine)
		}
	}
}
