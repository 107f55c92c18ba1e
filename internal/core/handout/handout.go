// Package handout cuts the recorded stock of a file into sheets for people who count, on files alone; it knows no records and no
// screen. What comes back is held against the same stock by package reconcile, which the row codes lead to their lines.
package handout

import (
	"context"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"
	"time"

	"wobin/internal/core/code"
	"wobin/internal/core/counting"
	"wobin/internal/core/cutting"
	"wobin/internal/core/field"
	"wobin/internal/core/layout"
	"wobin/internal/core/problem"
	"wobin/internal/core/read"
	"wobin/internal/core/recognise"
	"wobin/internal/core/stock"
	"wobin/internal/core/tabular"
)

// Options of a run.
type Options struct {
	How   cutting.How
	Way   cutting.Way
	Pace  cutting.Pace
	Blind bool
	AddUp bool   // several rows of one key are one line; else they are a problem
	Name  string // what the count is called on its sheets
	Zone  *time.Location
	Most  int // problems kept in full
}

// Input names the files of a run. Items may be nil. A layout says how a file is read where its headers and contents do not.
type Input struct {
	Stock, Items *tabular.File
	Layouts      map[*tabular.File]*layout.Layout
}

// Result is what was cut.
type Result struct {
	Sheets []Sheet
	Notes  []string // what was taken for granted or left out, a sentence each

	opt   Options
	book  *stock.Book
	order []uint32 // lines in walking order
	zone  func(line uint32) string
	items map[string]*read.Item
	codes int // characters of a digest in a row code
}

// Sheet is one of the sheets, as it is listed.
type Sheet struct {
	Number    int
	Code      string
	Zone      string // those of its bins, apart by commas
	FirstBin  string
	LastBin   string
	Bins      int
	Lines     int
	Seconds   int64 // what it is expected to take
	Person    int   // by people: from 0; else -1
	from, end int   // in the order of lines
}

// Run reads the files and cuts. Where they have problems these are returned and the result is nil; err is anything else.
func Run(ctx context.Context, in Input, opt Options) (*Result, *problem.Problems, error) {
	if opt.Pace == (cutting.Pace{}) {
		opt.Pace = cutting.Usual
	}
	p := &problem.Problems{Most: opt.Most}
	r := &Result{opt: opt}
	var file *read.StockFile
	err := r.open(in.Stock, field.Stock, in.Layouts, p, func(m *recognise.Mapping) (told read.Told, err error) {
		file, err = r.reading(ctx, in.Stock, in.Layouts).Stock(in.Stock, m, p)
		return file.Told, err
	})
	if err == nil && in.Items != nil {
		var items *read.ItemFile
		err = r.open(in.Items, field.Items, in.Layouts, p, func(m *recognise.Mapping) (told read.Told, err error) {
			items, err = r.reading(ctx, in.Items, in.Layouts).Items(in.Items, m, p)
			return items.Told, err
		})
		if items != nil {
			r.items = make(map[string]*read.Item, len(items.Items))
			for i := range items.Items {
				r.items[code.Fold(items.Items[i].SKU)] = &items.Items[i]
			}
		}
	}
	if err != nil {
		return nil, p, err
	}
	if p.Any() {
		return nil, p, nil
	}
	r.book = file.Book
	if !r.doubles(in.Stock.Name, p) {
		return nil, p, nil
	}
	r.zone = func(line uint32) string {
		k := &r.book.Lines[line].Key
		return file.Zones[[2]stock.ID{k[stock.Warehouse], k[stock.Bin]}]
	}
	if r.cut(); len(r.Sheets) == 0 {
		p.Add(
			problem.Problem{
				File: in.Stock.Name,
				Kind: "nothing to count",
				Text: "it holds nothing that can be counted, so there are no sheets",
			},
		)
		return nil, p, nil
	}
	return r, p, nil
}

func (r *Result) reading(ctx context.Context, f *tabular.File, layouts map[*tabular.File]*layout.Layout) read.Reading {
	return read.Reading{Zone: r.opt.Zone, Context: ctx, Layout: layouts[f], UnitsAsGiven: true}
}

// open recognises a file and reads it, unless something about it is not settled. What is wrong goes to p.
func (r *Result) open(f *tabular.File, kind field.Kind, layouts map[*tabular.File]*layout.Layout, p *problem.Problems,
	rows func(*recognise.Mapping) (read.Told, error)) error {
	want := recognise.Want{Kinds: []field.Kind{kind}}
	if l := layouts[f]; l != nil {
		given := *l
		given.Kind = kind
		want.Given = &given
	}
	m, err := recognise.File(f, want)
	if err == nil {
		wrong := m.Check(f.Name)
		if len(wrong) == 0 {
			wrong = m.Unsettled(f.Name)
		}
		for _, x := range wrong {
			p.Add(x)
		}
		if len(wrong) > 0 {
			return nil
		}
		var told read.Told
		if told, err = rows(m); err == nil {
			for _, a := range told.Skipped {
				r.Notes = append(r.Notes, fmt.Sprintf("%s: %s skipped, first in row %d", f.Name, a.Words(), a.Rows[0]))
			}
		}
	}
	if e, ok := err.(*tabular.Error); ok {
		p.Add(problem.Problem{File: e.File, Sheet: e.Sheet, Row: e.Row, Kind: "cannot be read", Text: e.Text})
		return nil
	}
	return err
}

// doubles finds rows of one key: a problem each, or one line with AddUp.
func (r *Result) doubles(file string, p *problem.Problems) bool {
	doubles := r.book.Index()
	if r.opt.AddUp || len(doubles) == 0 {
		row, ok := stock.AddUp(r.book, doubles)
		if !ok {
			p.Add(
				problem.Problem{
					File:  file,
					Row:   int(row),
					Field: field.Quantity,
					Kind:  "too large",
					Text:  "the sum of the rows with this key is too large",
				},
			)
		}
		return ok
	}
	for _, d := range doubles {
		a, b := &r.book.Lines[d[0]], &r.book.Lines[d[1]]
		l := counting.Line{Key: r.book.Codes.Texts(b.Key)}
		p.Add(problem.Problem{File: file, Row: int(b.Row), Kind: "duplicate key",
			Text: fmt.Sprintf("%s comes twice, first in row %d. Make one line of them with --add-up, or take one out", &l, a.Row)})
	}
	return false
}

// counted tells whether a line can be counted.
func (r *Result) counted(line uint32, left map[string]int) bool {
	l := &r.book.Lines[line]
	it := r.items[code.Fold(r.book.Codes[stock.SKU].Text(l.Key[stock.SKU]))]
	switch {
	case it == nil:
		return true
	case it.Nature == "service" || it.Nature == "parent":
		left[it.Nature]++
	case !it.Active && l.Recorded == 0:
		left["inactive"]++
	default:
		return true
	}
	return false
}

// cut puts the lines into walking order and cuts them.
func (r *Result) cut() {
	left := map[string]int{}
	var lines []uint32
	for _, n := range r.book.Order() {
		if r.counted(n, left) {
			lines = append(lines, n)
		}
	}
	for _, of := range []struct{ nature, words string }{{"service", "services"}, {"parent", "grouping parents"}, {"inactive", "inactive items without stock"}} {
		if n := left[of.nature]; n > 0 {
			r.Notes = append(r.Notes, fmt.Sprintf("left out, as nothing can be counted there: %d lines of %s", n, of.words))
		}
	}
	// The bins, in natural order, warehouse by warehouse.
	type run struct{ from, to int } // of lines
	var runs []run
	var stops []cutting.Stop
	place := func(i int) (house, bin stock.ID) {
		k := &r.book.Lines[lines[i]].Key
		return k[stock.Warehouse], k[stock.Bin]
	}
	for from := 0; from < len(lines); {
		to := from
		h, b := place(from)
		for to < len(lines) {
			if h2, b2 := place(to); h2 != h || b2 != b {
				break
			}
			to++
		}
		runs = append(runs, run{from, to})
		from = to
	}
	zones := map[string]int32{}
	for from := 0; from < len(runs); {
		h, _ := place(runs[from].from)
		to, names := from, []string{}
		var codes []string
		for ; to < len(runs); to++ {
			if h2, _ := place(runs[to].from); h2 != h {
				break
			}
			first := lines[runs[to].from]
			codes = append(codes, r.book.Codes[stock.Bin].Text(r.book.Lines[first].Key[stock.Bin]))
			names = append(names, r.zone(first))
		}
		sorted := slices.Clone(names)
		code.Sort(sorted)
		houseName := r.book.Codes[stock.Warehouse].Text(h)
		for _, z := range slices.Compact(sorted) {
			zones[houseName+"\x00"+z] = int32(len(zones))
		}
		addresses, _ := code.Addresses(codes)
		for i, a := range addresses {
			stops = append(stops, cutting.Stop{Zone: zones[houseName+"\x00"+names[i]], Address: a})
		}
		from = to
	}
	way := cutting.Walk(stops, r.opt.Way)
	bins, starts := make([]cutting.Bin, 0, len(way)), make([]int, 1, len(way)+1)
	var before *cutting.Stop
	for _, n := range way {
		x := runs[n]
		r.order = append(r.order, lines[x.from:x.to]...)
		b := cutting.Bin{Zone: stops[n].Zone, Lines: x.to - x.from, Seconds: r.opt.Pace.Seconds(before, &stops[n], x.to-x.from)}
		if _, bin := place(x.from); bin != 0 {
			bins, starts = append(bins, b), append(starts, len(r.order))
		} else {
			for _, row := range cutting.Rows(b.Lines, b.Zone, b.Seconds) {
				bins, starts = append(bins, row), append(starts, starts[len(starts)-1]+1)
			}
		}
		before = &stops[n]
	}
	r.number(bins, starts)
}

// number gives sheets and rows their codes.
func (r *Result) number(bins []cutting.Bin, starts []int) {
	digests := make([]uint64, len(r.book.Lines))
	all := uint64(0)
	for i := range r.book.Lines {
		key := r.book.Codes.Texts(r.book.Lines[i].Key)
		digests[i] = counting.Digest(&key)
		all += digests[i] // in whatever order
	}
	r.codes = counting.DigestLength(digests)
	for n, s := range cutting.Cut(bins, r.opt.How) {
		sheet := Sheet{
			Number:  n + 1,
			Code:    counting.FileSheetCode(all, n+1),
			Lines:   s.Lines,
			Seconds: s.Seconds,
			Person:  s.Person,
			from:    starts[s.From],
			end:     starts[s.To],
		}
		names := []string{}
		for _, line := range r.order[sheet.from:sheet.end] {
			if z := r.zone(line); z != "" && (len(names) == 0 || names[len(names)-1] != z) && !slices.Contains(names, z) {
				names = append(names, z)
			}
		}
		bin := func(at int) string { return r.book.Codes[stock.Bin].Text(r.book.Lines[r.order[at]].Key[stock.Bin]) }
		sheet.Zone, sheet.FirstBin, sheet.LastBin = strings.Join(names, ", "), bin(sheet.from), bin(sheet.end-1)
		for at := sheet.from; at < sheet.end; at++ {
			if at == sheet.from || r.book.Lines[r.order[at]].Key[stock.Bin] != r.book.Lines[r.order[at-1]].Key[stock.Bin] {
				sheet.Bins++
			}
		}
		r.Sheets = append(r.Sheets, sheet)
	}
}

// Paper gives a sheet with its lines, as it is written.
func (r *Result) Paper(s *Sheet) *counting.Sheet {
	out := &counting.Sheet{Code: s.Code, Count: r.opt.Name, Zone: s.Zone, Blind: r.opt.Blind, Lines: make([]counting.Line, 0, s.Lines)}
	for i, n := range r.order[s.from:s.end] {
		l := &r.book.Lines[n]
		key := r.book.Codes.Texts(l.Key)
		line := counting.Line{
			Pos: s.from + i + 1, Key: key, Zone: r.zone(n), Recorded: l.Recorded,
			Description: r.book.Descriptions.Text(l.Description), Unit: r.book.Units.Text(l.Unit),
			RowCode: counting.LineCode(counting.Digest(&key), r.codes),
		}
		if it := r.items[code.Fold(key[stock.SKU])]; it != nil {
			if line.Description == "" {
				line.Description = it.Description
			}
			if line.Unit == "" {
				line.Unit = it.Unit
			}
		}
		out.Lines = append(out.Lines, line)
	}
	return out
}

// WriteList writes the list of the sheets.
func (r *Result) WriteList(w io.Writer) error {
	b := []byte("sheet,code,zone,first_bin,last_bin,bins,lines,minutes\n")
	for i := range r.Sheets {
		s := &r.Sheets[i]
		b = tabular.AppendRow(
			b,
			',',
			strconv.Itoa(s.Number),
			s.Code,
			s.Zone,
			s.FirstBin,
			s.LastBin,
			strconv.Itoa(s.Bins),
			strconv.Itoa(s.Lines),
			cutting.Minutes(s.Seconds),
		)
	}
	_, err := w.Write(b)
	return err
}
