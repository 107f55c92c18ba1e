package reconcile

import (
	"bufio"
	"context"
	"fmt"
	"io"
	"time"

	"wobin/internal/core/field"
	"wobin/internal/core/landing"
	"wobin/internal/core/layout"
	"wobin/internal/core/problem"
	"wobin/internal/core/quantity"
	"wobin/internal/core/read"
	"wobin/internal/core/recognise"
	"wobin/internal/core/stock"
	"wobin/internal/core/tabular"
)

// ProveInput names the files of a proof: what was sent, as adjustments.csv says differences, and what the records said before and say
// after. Movements may be nil.
type ProveInput struct {
	Sent, Before, After, Movements *tabular.File
	Layouts                        map[*tabular.File]*layout.Layout
}

// ProveOptions of a proof. Times are Unix nanoseconds; nil: from the files.
type ProveOptions struct {
	BeforeAt, AfterAt *int64
	Zone              *time.Location
	Most              int // problems kept in full
}

// Proof is what became of lines that were sent.
type Proof struct {
	landing.Tally
	Notes []string

	book  *stock.Book // what was recorded before, and every other key
	rows  []provedRow // in the order of keys
	extra map[int]string
}

type provedRow struct {
	landing.Line
	line   int
	landed quantity.Quantity
	state  landing.State
}

// prover reads three files of stock in the place of one.
type prover struct {
	run
	sent, after         *read.StockFile
	sentMap, afterMap   *recognise.Mapping
	sentFile, afterFile *tabular.File
}

// Prove holds what was sent against what the records said before and say after. Where the input has problems they are returned and the
// proof is nil; err is anything else.
func Prove(ctx context.Context, in ProveInput, opt ProveOptions) (*Proof, *problem.Problems, error) {
	if opt.Zone == nil {
		opt.Zone = time.UTC
	}
	r := &prover{sentFile: in.Sent, afterFile: in.After}
	r.in = Input{Stock: in.Before, Movements: in.Movements, Layouts: in.Layouts}
	r.problems = &problem.Problems{Most: opt.Most}
	r.opt = Options{Zone: opt.Zone, Most: opt.Most}
	whole, err := r.readAll(ctx)
	if err != nil || !whole {
		return nil, r.problems, err
	}
	r.book = r.stock.Book
	const remedy = "Take one out"
	if d := r.book.Index(); len(d) > 0 {
		r.twice(r.book, d, in.Before.Name, r.maps.stock.SheetName, remedy)
	}
	if d := r.after.Book.Index(); len(d) > 0 {
		r.twice(r.after.Book, d, in.After.Name, r.afterMap.SheetName, remedy)
	}
	if d := r.sent.Book.Index(); len(d) > 0 { // several postings in one file
		r.addUp(r.sent.Book, d, in.Sent.Name)
	}
	const kind = "time of the records not known"
	from := r.recordedAt(r.stock, in.Before.Name, r.maps.stock.SheetName, opt.BeforeAt, "--before-at", kind)
	upTo := r.recordedAt(r.after, in.After.Name, r.afterMap.SheetName, opt.AfterAt, "--after-at", kind)
	if known := func(f *read.StockFile, given *int64) bool { return given != nil || f.AtRow > 0 }; known(r.stock, opt.BeforeAt) &&
		known(r.after, opt.AfterAt) && upTo < from {
		r.problems.Add(
			problem.Problem{File: in.After.Name, Sheet: r.afterMap.SheetName, Row: r.after.AtRow, Field: field.RecordedAt, Kind: "older",
				Text: fmt.Sprintf("is as at %s, before %s of %s. Give the later one as --after",
					time.Unix(0, upTo).In(opt.Zone).Format(time.RFC3339), time.Unix(0, from).In(opt.Zone).Format(time.RFC3339), in.Before.Name)},
		)
	}
	if r.problems.Any() {
		return nil, r.problems, nil
	}
	p := r.prove(from, upTo)
	if r.problems.Any() {
		return nil, r.problems, nil
	}
	return p, r.problems, nil
}

// readAll reads all files, and sees that warehouse and bin stand in all of them or in none.
func (r *prover) readAll(ctx context.Context) (whole bool, err error) {
	reading := func(j *job) read.Reading {
		return read.Reading{Zone: r.opt.Zone, Context: ctx, Layout: r.in.Layouts[j.file], UnitsAsGiven: true}
	}
	ofStock := func(f *tabular.File, m **recognise.Mapping, into **read.StockFile) *job {
		return &job{file: f, kind: field.Stock, mapping: m, read: func(j *job, m *recognise.Mapping) (told read.Told, err error) {
			*into, err = reading(j).Stock(j.file, m, &j.problems)
			return (*into).Told, err
		}}
	}
	jobs := []*job{
		ofStock(r.in.Stock, &r.maps.stock, &r.stock),
		ofStock(r.afterFile, &r.afterMap, &r.after),
		ofStock(r.sentFile, &r.sentMap, &r.sent),
	}
	if r.in.Movements != nil {
		jobs = append(jobs, &job{file: r.in.Movements, kind: field.Movements, mapping: &r.maps.moves,
			read: func(j *job, m *recognise.Mapping) (told read.Told, err error) {
				r.moves, err = reading(j).Movements(j.file, m, &j.problems)
				return r.moves.Told, err
			}})
	}
	if whole, err = r.carryOut(ctx, jobs, func(*job) {}); err != nil || !whole {
		return false, err
	}
	part := map[field.Field]stock.Part{field.Warehouse: stock.Warehouse, field.Bin: stock.Bin}
	return r.agree(func(f field.Field) (sides []side) {
		has := func(m *recognise.Mapping, codes *stock.Codes) bool { return m.Has(f) && codes[part[f]].Len() > 1 } // a column of nothing is none
		sides = []side{{r.in.Stock.Name, has(r.maps.stock, &r.stock.Book.Codes), len(r.stock.Book.Lines) == 0},
			{r.afterFile.Name, has(r.afterMap, &r.after.Book.Codes), len(r.after.Book.Lines) == 0},
			{r.sentFile.Name, has(r.sentMap, &r.sent.Book.Codes), len(r.sent.Book.Lines) == 0}}
		if r.moves != nil {
			sides = append(sides, side{r.in.Movements.Name, has(r.maps.moves, &r.moves.Codes), f == field.Bin || len(r.moves.Movements) == 0})
		}
		return sides
	}), nil
}

// prove finds every key its line and judges them.
func (r *prover) prove(from, upTo int64) *Proof {
	p := &Proof{Notes: r.Notes, book: r.book, extra: map[int]string{}}
	before := len(r.book.Lines)
	type side struct {
		sent, after quantity.Quantity
		wasSent     bool
	}
	sides := make([]side, before)
	at := func(other *stock.Book, n int, to stock.Mapping) *side {
		l := &other.Lines[n]
		line := r.book.Ensure(to.Key(l.Key))
		for len(sides) < len(r.book.Lines) {
			sides = append(sides, side{})
		}
		if id := other.RecordID(l); id != "" && r.book.RecordID(&r.book.Lines[line]) == "" && p.extra[line] == "" {
			p.extra[line] = id
		}
		return &sides[line]
	}
	to := r.book.Codes.Adopt(&r.after.Book.Codes)
	for n := range r.after.Book.Lines {
		at(r.after.Book, n, to).after = r.after.Book.Lines[n].Recorded
	}
	to = r.book.Codes.Adopt(&r.sent.Book.Codes)
	for n := range r.sent.Book.Lines {
		s := at(r.sent.Book, n, to)
		s.sent, s.wasSent = r.sent.Book.Lines[n].Recorded, true
	}
	r.placeMovements()
	for len(sides) < len(r.book.Lines) {
		sides = append(sides, side{})
	}
	itself := 0
	for _, n := range r.book.Order() {
		line := int(n)
		l, s := &r.book.Lines[line], &sides[line]
		x := landing.Line{Sent: s.sent, WasSent: s.wasSent, After: s.after}
		if line < before {
			x.Before = l.Recorded
		}
		var fits bool
		if x.Moved, fits = stock.Moved(r.movements[line], from, upTo); !fits {
			r.problems.Add(
				problem.Problem{File: r.in.Movements.Name, Kind: "too large", Text: "the movements of " + r.keyText(l.Key) + " come to too much"},
			)
			continue
		}
		landed, state, fits := x.Judge()
		if !fits {
			r.problems.Add(problem.Problem{File: r.afterFile.Name, Kind: "too large", Text: "what " + r.keyText(l.Key) + " changed by is too large"})
			continue
		}
		if state == landing.Missing {
			for _, m := range r.movements[line] {
				if m.Quantity == x.Sent && m.At > from && m.At <= upTo {
					itself++
					break
				}
			}
		}
		p.Add(state)
		if state != landing.Nothing {
			p.rows = append(p.rows, provedRow{x, line, landed, state})
		}
	}
	if itself > 0 {
		p.Notes = append(p.Notes, fmt.Sprintf(
			"%d of the missing lines have a movement of just what was sent: %s may hold the adjustments themselves. Leave them out of it to see them land",
			itself,
			r.in.Movements.Name,
		))
	}
	return p
}

// ProofHeader is the first row of proof.csv.
const ProofHeader = "warehouse,bin,sku,lot,serial,holding,record_id,sent,before,moved,after,landed,state\n"

// Write writes proof.csv: every line that was sent, and those that changed without it, sorted by their keys.
func (p *Proof) Write(w io.Writer) error {
	out := bufio.NewWriterSize(w, 1<<20)
	if _, err := out.WriteString(ProofHeader); err != nil {
		return err
	}
	var b []byte
	for i := range p.rows {
		row := &p.rows[i]
		l := &p.book.Lines[row.line]
		b = b[:0]
		for part, id := range l.Key {
			b = append(tabular.AppendCell(b, p.book.Codes[part].Text(id), ','), ',')
		}
		id := p.book.RecordID(l)
		if id == "" {
			id = p.extra[row.line]
		}
		b = append(tabular.AppendCell(b, id, ','), ',')
		for _, q := range []quantity.Quantity{row.Sent, row.Before, row.Moved, row.After, row.landed} {
			b = append(quantity.AppendDecimal(b, int64(q)), ',')
		}
		b = append(append(b, row.state...), '\n')
		if _, err := out.Write(b); err != nil {
			return err
		}
	}
	return out.Flush()
}
