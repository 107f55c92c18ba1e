// Package reconcile holds stock, counts and movements from files against each other and writes the variances
// and the adjustments. It is the whole computation on files alone; it knows no records and no screen.
package reconcile

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"wobin/internal/core/adjust"
	"wobin/internal/core/cause"
	"wobin/internal/core/counting"
	"wobin/internal/core/field"
	"wobin/internal/core/layout"
	"wobin/internal/core/problem"
	"wobin/internal/core/quantity"
	"wobin/internal/core/read"
	"wobin/internal/core/recognise"
	"wobin/internal/core/stock"
	"wobin/internal/core/tabular"
	"wobin/internal/core/variance"
)

// Uncounted says what becomes of lines without an entry.
type Uncounted string

// The ways with uncounted lines.
const (
	Leave             Uncounted = "leave"
	ZeroInCountedBins Uncounted = "zero-in-counted-bins"
	ZeroAll           Uncounted = "zero-all"
)

// Options of a run.
type Options struct {
	FrozenAt      *int64 // Unix nanoseconds; nil: from the stock file
	CountedAt     *int64 // for entries without a time
	Causes        bool   // the likely causes are looked for
	Zone          *time.Location
	Tolerance     variance.Tolerance
	Uncounted     Uncounted
	PostTolerated bool
	AddUp         bool
	Mode          adjust.Mode
	Most          int // problems kept in full
}

// Input names the files of a run. Movements may be nil. A layout says how a file is read where its headers and
// contents do not; nil for none.
type Input struct {
	Stock     *tabular.File
	Counts    []*tabular.File
	Movements *tabular.File
	Items     *tabular.File // unit costs of lines that bring none; descriptions, barcodes, categories and packs for the causes; nil for none
	Layouts   map[*tabular.File]*layout.Layout
}

// names lists the files.
func (in *Input) names() string {
	bare := func(name string) string { return name[strings.LastIndexAny(name, `/\`)+1:] }
	out := bare(in.Stock.Name)
	for _, f := range append(slices.Clone(in.Counts), in.Movements, in.Items) {
		if f != nil {
			out += ", " + bare(f.Name)
		}
	}
	return out
}

// Result is what a run found. Its writers may be called any number of times.
type Result struct {
	Figures         variance.Figures
	Posted          variance.Sums
	AdjustmentLines int
	Notes           []string // what was taken for granted, a sentence each

	opt       Options
	book      *stock.Book
	results   []variance.Result // by line
	inputs    []lineInput       // by line
	entries   []entry
	counters  stock.Names
	movements map[int][]stock.Movement
	known     []read.Item // what an items file says of items
	zones     map[[2]stock.ID]string
	files     string  // their names
	posted    []uint8 // by line: whether it goes out
	rows      [][]row // by counts file, where causes are looked for: its rows in their order
	off, open []int32 // where causes are looked for: lines with a variance, and uncounted ones with stock
	causes    *cause.Input
	explained []cause.Explanation
	found     func() // waits until the causes are found
	rules     adjust.Rules
	// by warehouse and bin: there is a row in a counts file
	countedBins map[[2]stock.ID]bool
	frozen      int64
	latest      int64
}

type lineInput struct {
	first, last int32 // entries + 1
}

type entry struct {
	quantity quantity.Quantity
	at       int64
	from     int64 // where it was counted some time between this and at; else 0
	line     int32
	next     int32 // entry + 1
	row      int32
	counter  stock.ID
	code     stock.ID
	round    int16
	file     int16
	timed    bool
	replaced bool
}

// row is one of a counts file: its line + 1, 0 for none, and its entry + 1, 0 where nothing was counted.
type row struct{ line, entry int32 }

type run struct {
	Result
	in       Input
	problems *problem.Problems
	recorded int // lines of the stock file
	leaning  int // of them, those that have their item's unit cost
	proof    *counting.Proof
	// Rows whose codes were damaged beside a row code that says what they are, and the first of them.
	damaged      int
	firstDamaged string
	stock        *read.StockFile
	counts       []*read.CountFile
	moves        *read.MovementFile
	items        *read.ItemFile
	maps         struct {
		stock, moves, items *recognise.Mapping
		counts              []*recognise.Mapping
	}
}

// Run does the whole computation. Where the input has problems they are returned and the result is nil; err is
// anything else.
func Run(ctx context.Context, in Input, opt Options) (*Result, *problem.Problems, error) {
	if opt.Zone == nil {
		opt.Zone = time.UTC
	}
	r := &run{in: in, problems: &problem.Problems{Most: opt.Most}}
	r.opt = opt
	if err := r.read(ctx); err != nil || r.stock == nil {
		return nil, r.problems, err
	}
	r.book = r.stock.Book
	r.findDoubles()
	r.recorded = len(r.book.Lines)
	r.findFreeze()
	r.placeCounts()
	r.placeMovements()
	if r.problems.Any() {
		return nil, r.problems, nil
	}
	if r.items != nil {
		r.known = r.items.Items
	}
	r.evaluate()
	if r.problems.Any() {
		return nil, r.problems, nil
	}
	r.zones, r.files = r.stock.Zones, in.names()
	r.found = func() {}
	if r.opt.Causes { // the lines can be written meanwhile
		done := make(chan struct{})
		go func() { defer close(done); r.findCauses() }()
		r.found = func() { <-done }
	}
	if r.leaning > 0 {
		r.Notes = append(r.Notes, fmt.Sprintf("%s: %d of the lines bring no unit cost and have their item's, from %s", in.Stock.Name, r.leaning,
			in.Items.Name))
	}
	if n := r.stock.CostsRounded; n > 0 {
		r.Notes = append(r.Notes, fmt.Sprintf("%s: unit_cost: %d had more than 6 decimal places and were rounded to 6", in.Stock.Name, n))
	}
	if r.damaged > 0 {
		r.Notes = append(
			r.Notes,
			fmt.Sprintf("%d rows were counted under their row codes, though a code beside it is damaged; the first is %s",
				r.damaged, r.firstDamaged),
		)
	}
	return &r.Result, r.problems, nil
}

// job is the reading of one file.
type job struct {
	file     *tabular.File
	kind     field.Kind
	problems problem.Problems
	mapping  **recognise.Mapping
	read     func(*job, *recognise.Mapping) (read.Told, error)
	notes    []string
	unread   bool // what it is is not settled, so its rows were not read
	err      error
}

// lead finds an item by its barcode, where the stock file has barcodes.
func (r *run) lead(by field.Field, text string) (sku string, many bool) {
	if r.stock == nil || by != field.Barcode || r.stock.Barcodes == nil {
		return text, false
	}
	id, found := r.stock.Barcodes[text]
	if !found {
		return text, false
	}
	return r.stock.Book.Codes[stock.SKU].Text(id), id == 0
}

// read recognises and reads all files at the same time, each into its own codes.
func (r *run) read(ctx context.Context) error {
	r.maps.counts = make([]*recognise.Mapping, len(r.in.Counts))
	r.counts = make([]*read.CountFile, len(r.in.Counts))
	// Where counts or movements name items by something else than the SKU, the stock file tells which item it is.
	stockRead := make(chan struct{})
	reading := func(j *job, m *recognise.Mapping) read.Reading {
		x := read.Reading{Zone: r.opt.Zone, Context: ctx, Layout: r.in.Layouts[j.file], UnitsAsGiven: true}
		if j.kind != field.Stock && m.Identity != field.SKU {
			<-stockRead
			x.Lead = r.lead
		}
		return x
	}
	jobs := []*job{
		{file: r.in.Stock, kind: field.Stock, mapping: &r.maps.stock, read: func(j *job, m *recognise.Mapping) (told read.Told, err error) {
			r.stock, err = reading(j, m).Stock(j.file, m, &j.problems)
			return r.stock.Told, err
		}},
	}
	for i, f := range r.in.Counts {
		jobs = append(
			jobs,
			&job{
				file:    f,
				kind:    field.Counts,
				mapping: &r.maps.counts[i],
				read: func(j *job, m *recognise.Mapping) (told read.Told, err error) {
					r.counts[i], err = reading(j, m).Counts(j.file, m, &j.problems)
					return r.counts[i].Told, err
				},
			},
		)
	}
	if r.in.Movements != nil {
		jobs = append(
			jobs,
			&job{
				file:    r.in.Movements,
				kind:    field.Movements,
				mapping: &r.maps.moves,
				read: func(j *job, m *recognise.Mapping) (told read.Told, err error) {
					r.moves, err = reading(j, m).Movements(j.file, m, &j.problems)
					return r.moves.Told, err
				},
			},
		)
	}
	if r.in.Items != nil {
		jobs = append(
			jobs,
			&job{
				file:    r.in.Items,
				kind:    field.Items,
				mapping: &r.maps.items,
				read: func(j *job, m *recognise.Mapping) (told read.Told, err error) {
					r.items, err = reading(j, m).Items(j.file, m, &j.problems)
					return r.items.Told, err
				},
			},
		)
	}
	whole, err := r.carryOut(ctx, jobs, func(j *job) {
		if j.kind == field.Stock {
			close(stockRead)
		}
	})
	if err != nil {
		return err
	}
	if whole {
		whole = r.placesAgree()
	}
	if !whole {
		r.stock = nil
	}
	return nil
}

// carryOut recognises and reads files at the same time, and gathers their problems and notes. done is told of each that is through. whole
// tells whether all of them could be read.
func (r *run) carryOut(ctx context.Context, jobs []*job, through func(*job)) (whole bool, err error) {
	done := make(chan struct{})
	for _, j := range jobs {
		j.problems.Most = r.opt.Most
		go func() {
			defer func() {
				through(j)
				done <- struct{}{}
			}()
			want := recognise.Want{Kinds: []field.Kind{j.kind}}
			if l := r.in.Layouts[j.file]; l != nil {
				given := *l
				given.Kind = j.kind
				want.Given = &given
			}
			m, err := recognise.File(j.file, want)
			if err != nil {
				j.err = err
				return
			}
			*j.mapping = m
			if missing := m.Check(j.file.Name); len(missing) > 0 {
				for _, p := range missing {
					j.problems.Add(p)
				}
				j.unread = true
				return
			}
			for _, p := range m.Unsettled(j.file.Name) {
				j.problems.Add(p)
			}
			if j.unread = j.problems.Any(); j.unread {
				return
			}
			told, err := j.read(j, m)
			if j.err = err; err == nil {
				*j.mapping = told.Mapping
				for _, x := range told.Skipped {
					j.notes = append(j.notes, fmt.Sprintf("%s: %s skipped, first in row %d", j.file.Name, x.Words(), x.Rows[0]))
				}
			}
		}()
	}
	for range jobs {
		<-done
	}
	if err := ctx.Err(); err != nil {
		return false, err
	}
	whole = true
	for _, j := range jobs {
		r.problems.Append(&j.problems)
		r.Notes = append(r.Notes, j.notes...)
		if e, ok := j.err.(*tabular.Error); ok {
			r.problems.Add(problem.Problem{File: e.File, Sheet: e.Sheet, Row: e.Row, Kind: "cannot be read", Text: e.Text})
		} else if j.err != nil {
			return false, j.err
		}
		whole = whole && *j.mapping != nil && j.err == nil && !j.unread
	}
	return whole, nil
}

// placesAgree checks that warehouse and bin stand in all files or in none. Movements may lack the bin.
func (r *run) placesAgree() bool {
	return r.agree(func(f field.Field) []side {
		sides := []side{{r.in.Stock.Name, r.maps.stock.Has(f), false}}
		for i, m := range r.maps.counts {
			sides = append(sides, side{r.in.Counts[i].Name, m.Has(f), m.Has(field.RowCode)}) // row codes may say it
		}
		if r.maps.moves != nil {
			sides = append(sides, side{r.in.Movements.Name, r.maps.moves.Has(f), f == field.Bin})
		}
		return sides
	})
}

// side is a file with or without a column, which it may lack where another has it.
type side struct {
	name string
	has  bool
	may  bool
}

// agree checks that a column stands in all files or in none, but for those that may lack it.
func (r *run) agree(of func(f field.Field) []side) bool {
	good := true
	for _, f := range []field.Field{field.Warehouse, field.Bin} {
		sides := of(f)
		with := ""
		for _, s := range sides {
			if s.has && with == "" {
				with = s.name
			}
		}
		for _, s := range sides {
			if with != "" && !s.has && !s.may {
				good = false
				r.problems.Add(
					problem.Problem{
						File:  s.name,
						Field: f,
						Kind:  "column missing",
						Text:  fmt.Sprintf("no column for it, but %s has one. Add the column, or leave it out of all files", with),
					},
				)
			}
		}
	}
	return good
}

// findDoubles finds keys that the stock file has twice: a problem, or a sum with AddUp.
func (r *run) findDoubles() {
	doubles := r.book.Index()
	if len(doubles) == 0 {
		return
	}
	if !r.opt.AddUp {
		r.twice(r.book, doubles, r.in.Stock.Name, r.maps.stock.SheetName, "Sum them with --add-up, or take one out")
		stock.AddUp(r.book, doubles) // to go on looking for problems
		return
	}
	r.addUp(r.book, doubles, r.in.Stock.Name)
}

// twice tells of keys that a file has twice.
func (r *run) twice(book *stock.Book, doubles [][2]int, file, sheet, remedy string) {
	for _, d := range doubles {
		a, b := &book.Lines[d[0]], &book.Lines[d[1]]
		r.problems.Add(problem.Problem{File: file, Sheet: sheet, Row: int(b.Row), Kind: "duplicate key",
			Text: fmt.Sprintf("%s comes twice, first in row %d. %s", keyText(book, b.Key), a.Row, remedy)})
	}
}

// addUp sums rows of the same key.
func (r *run) addUp(book *stock.Book, doubles [][2]int, file string) {
	if bad, ok := stock.AddUp(book, doubles); !ok {
		r.problems.Add(
			problem.Problem{
				File:  file,
				Row:   int(bad),
				Field: field.Quantity,
				Kind:  "too large",
				Text:  "the sum of the rows with this key is too large",
			},
		)
	}
}

func (r *run) keyText(k stock.Key) string { return keyText(r.book, k) }

func keyText(book *stock.Book, k stock.Key) string {
	s := ""
	for p, t := range book.Codes.Texts(k) {
		if t == "" {
			continue
		}
		if s != "" {
			s += ", "
		}
		s += []string{"warehouse", "bin", "SKU", "lot", "serial", "holding"}[p] + " " + t
	}
	return s
}

// findFreeze settles the time of the freeze, which movements need.
func (r *run) findFreeze() {
	r.frozen = r.recordedAt(r.stock, r.in.Stock.Name, r.maps.stock.SheetName, r.opt.FrozenAt, "--frozen-at", "freeze not known")
}

// recordedAt gives the time at which the figures of a file were true, which movements need: as it was given, or as all rows say it.
func (r *run) recordedAt(f *read.StockFile, name, sheet string, given *int64, flag, kind string) int64 {
	if given != nil {
		return *given
	}
	if r.moves == nil {
		return f.At
	}
	add := func(row int, text string) {
		r.problems.Add(problem.Problem{File: name, Sheet: sheet, Row: row, Field: field.RecordedAt, Kind: kind, Text: text})
	}
	switch {
	case f.AtRow == 0:
		add(0, "no row says when the stock was recorded, and movements need it. Add the column or give "+flag)
	case f.NoAtRow > 0:
		add(f.NoAtRow, "is empty, and movements need it on every row. Fill it or give "+flag)
	}
	if f.OtherAtRow > 0 {
		add(f.OtherAtRow, fmt.Sprintf("differs from row %d; movements need the same time on all rows. Give %s", f.AtRow, flag))
	}
	return f.At
}
