package reconcile

import (
	"fmt"

	"wobin/internal/core/counting"
	"wobin/internal/core/field"
	"wobin/internal/core/problem"
	"wobin/internal/core/read"
	"wobin/internal/core/stock"
)

// placeCounts finds each count its line, lets later files replace rows of earlier ones by row code, and links
// the entries of every line.
func (r *run) placeCounts() {
	type owner struct {
		file, row int32
		entry     int32 // + 1
	}
	var codes stock.Names
	owners := []owner{{}}
	names := make([]string, len(r.in.Counts))
	total := 0
	for _, c := range r.counts {
		total += len(c.Counts)
	}
	r.entries = make([]entry, 0, total)
	r.rows = make([][]row, len(r.counts))
	r.countedBins = map[[2]stock.ID]bool{}
	for f, c := range r.counts {
		names[f] = r.in.Counts[f].Name
		sheet := r.maps.counts[f].SheetName
		wrong := func(n *read.Count, field field.Field, kind, format string, args ...any) {
			r.problems.Add(
				problem.Problem{
					File:  names[f],
					Sheet: sheet,
					Row:   int(n.Row),
					Field: field,
					Kind:  kind,
					Text:  fmt.Sprintf(format, args...),
				},
			)
		}
		head := counting.ReadHead(names[f], r.maps.counts[f], read.Reading{Zone: r.opt.Zone}, r.problems)
		if r.opt.Causes {
			r.rows[f] = make([]row, 0, len(c.Counts))
		}
		to := r.book.Codes.Adopt(&c.Codes)
		rowCodes, counters := codes.Adopt(&c.RowCodes), r.counters.Adopt(&c.Counters)
		for len(owners) < codes.Len() {
			owners = append(owners, owner{})
		}
		for i := range c.Counts {
			n := &c.Counts[i]
			key, ok := r.proved(f, n, to.Key(n.Key), wrong)
			if !ok {
				continue
			}
			if r.opt.Uncounted == ZeroInCountedBins {
				r.countedBins[[2]stock.ID{key[stock.Warehouse], key[stock.Bin]}] = true
			}
			if r.opt.Causes {
				at := row{}
				if !n.Given {
					at.line = int32(r.book.Find(key) + 1)
				}
				r.rows[f] = append(r.rows[f], at)
			}
			if !n.Given {
				continue
			}
			e := entry{quantity: n.Quantity, at: n.At, timed: n.Timed, line: int32(r.book.Ensure(key)), row: n.Row,
				counter: counters[n.Counter], round: int16(n.Round), file: int16(f), code: rowCodes[n.RowCode]}
			if !e.timed {
				e.at, e.from, e.timed = head.When()
			}
			if e.counter == 0 && head.By != "" {
				e.counter = r.counters.Intern([]byte(head.By))
			}
			if e.code != 0 {
				o := &owners[e.code]
				if o.entry > 0 {
					before := &r.entries[o.entry-1]
					switch {
					case before.line != e.line:
						wrong(
							n,
							field.RowCode,
							"row code of another line",
							"%q belongs to %s (%s, row %d), but this row says %s",
							codes.Text(e.code),
							r.keyText(r.book.Lines[before.line].Key),
							names[o.file],
							o.row,
							r.keyText(key),
						)
						continue
					case int(o.file) == f && !r.opt.AddUp:
						wrong(
							n,
							field.RowCode,
							"row code twice",
							"%q comes twice in this file, first in row %d. Sum them with --add-up, or take one out",
							codes.Text(e.code),
							o.row,
						)
						continue
					case int(o.file) != f:
						for k := o.entry; k > 0; k = r.entries[k-1].next {
							r.entries[k-1].replaced = true
						}
						if !e.timed {
							e.at, e.timed = before.at, before.timed
						}
					}
				}
				if o.entry > 0 && int(o.file) == f {
					e.next = o.entry // summed rows of one code; undone before the lines are linked
				}
				*o = owner{int32(f), n.Row, int32(len(r.entries) + 1)}
			}
			r.entries = append(r.entries, e)
			if r.opt.Causes {
				r.rows[f][len(r.rows[f])-1] = row{e.line + 1, int32(len(r.entries))}
			}
		}
		c.Counts = nil
	}
	r.linkEntries(names)
}

// proved gives the key of a count's row. The row code of a sheet that was cut from this stock says which line it is, whatever a
// spreadsheet did to the codes beside it; ok is false where they contradict it, or where nothing says which line it is.
func (r *run) proved(f int, n *read.Count, key stock.Key,
	wrong func(n *read.Count, field field.Field, kind, format string, args ...any)) (is stock.Key, ok bool) {
	c, m := r.counts[f], r.maps.counts[f]
	if n.RowCode != 0 {
		text := c.RowCodes.Text(n.RowCode)
		if digits, ours := counting.ParseLineCode(text); ours {
			if r.proof == nil {
				r.proof = counting.NewProof(r.recorded, func(line int) *[stock.Parts]string {
					t := r.book.Codes.Texts(r.book.Lines[line].Key)
					return &t
				})
			}
			if line, found := r.proof.Line(digits); found {
				is = r.book.Lines[line].Key
				d := counting.Proved(m, key, is, func(p stock.Part) (text, should string) {
					return c.Codes[p].Text(n.Key[p]), r.book.Codes[p].Text(is[p])
				})
				if d.Differs && d.Damage == "" {
					field, kind, say := d.Problem(text, r.keyText(is))
					wrong(n, field, kind, "%s", say)
					return key, false
				}
				if d.Differs {
					if r.damaged++; r.damaged == 1 {
						r.firstDamaged = fmt.Sprintf("%s:%d: %q for %q", r.in.Counts[f].Name, n.Row, d.Value, d.Should)
					}
				}
				return is, true
			}
		}
	}
	if !n.Given || key[stock.SKU] != 0 {
		for _, x := range []struct {
			part stock.Part
			of   field.Field
		}{{stock.Warehouse, field.Warehouse}, {stock.Bin, field.Bin}} {
			if n.Given && r.maps.stock.Has(x.of) && !m.Has(x.of) {
				wrong(
					n,
					x.of,
					"column missing",
					"no column for it, and the row code %q is of no line of %s. Add the column",
					c.RowCodes.Text(n.RowCode),
					r.in.Stock.Name,
				)
				return key, false
			}
		}
		return key, true
	}
	if m.Has(field.SKU) {
		wrong(n, field.SKU, "empty", "is empty")
	} else {
		wrong(n, field.RowCode, "no such row", "%q is the row code of no line of %s, and nothing else says which item was counted",
			c.RowCodes.Text(n.RowCode), r.in.Stock.Name)
	}
	return key, false
}

// linkEntries chains the standing entries of each line in the order of the files.
func (r *run) linkEntries(names []string) {
	r.inputs = make([]lineInput, len(r.book.Lines))
	r.latest = r.frozen
	first := true
	var seen seenInFiles
	if len(names) > 1 {
		seen = seenInFiles{}
	}
	for i := range r.entries {
		r.entries[i].next = 0
	}
	for i := range r.entries {
		e := &r.entries[i]
		if e.replaced {
			continue
		}
		if !e.timed {
			if r.opt.CountedAt != nil {
				e.at, e.timed = *r.opt.CountedAt, true
			} else if r.moves != nil {
				r.problems.Add(problem.Problem{File: names[e.file], Sheet: r.maps.counts[e.file].SheetName, Row: int(e.row), Field: field.CountedAt,
					Kind: "counting time not known",
					Text: "is empty, and movements need it. Fill it or give --counted-at"})
			}
		}
		if e.timed && (first || e.at > r.latest) {
			r.latest, first = e.at, false
		}
		if first, twice := seen.twice(r.entries, e, int32(i+1)); twice && !r.opt.AddUp {
			o := &r.entries[first-1]
			r.problems.Add(
				problem.Problem{File: names[e.file], Sheet: r.maps.counts[e.file].SheetName, Row: int(e.row), Kind: "counted in two files",
					Text: fmt.Sprintf(
						"%s is counted in %s, row %d, too. Sum them with --add-up, or take one out",
						r.keyText(r.book.Lines[e.line].Key),
						names[o.file],
						o.row,
					)},
			)
			continue
		}
		at := &r.inputs[e.line]
		if at.last == 0 {
			at.first = int32(i + 1)
		} else {
			if first := r.alike(at.first, e); first != nil && !r.opt.AddUp {
				r.problems.Add(problem.Problem{File: names[e.file], Sheet: r.maps.counts[e.file].SheetName, Row: int(e.row), Field: field.Counted,
					Kind: read.CountedTwice, Text: fmt.Sprintf("%s of %s comes twice in this file, equal in everything, first in row %d. "+
						"Sum them with --add-up, or take one out", e.quantity, r.keyText(r.book.Lines[e.line].Key), first.row)})
				continue
			}
			r.entries[at.last-1].next = int32(i + 1)
		}
		at.last = int32(i + 1)
	}
}

// alike finds, among the entries of a line that are chained from first on, one of the same file that is equal to e in all
// that was counted, where neither has a row code that would tell them apart; nil where there is none.
func (r *run) alike(first int32, e *entry) *entry {
	if e.code != 0 {
		return nil
	}
	for n := first; n > 0; n = r.entries[n-1].next {
		o := &r.entries[n-1]
		if o.file == e.file && o.code == 0 && o.quantity == e.quantity && o.at == e.at && o.from == e.from && o.counter == e.counter &&
			o.round == e.round {
			return o
		}
	}
	return nil
}

// seenInFiles finds keys that two files count, one of them without row codes. Entries come in the order of the files.
type seenInFiles map[seenKey]seenFirst

type seenKey struct {
	line  int32
	round int16
}

// seenFirst is the first entry of a line and round, and the first of those without a row code, counted from 1.
type seenFirst struct{ any, codeless int32 }

func (s seenInFiles) twice(entries []entry, e *entry, n int32) (first int32, twice bool) {
	if s == nil { // one file alone
		return 0, false
	}
	k := seenKey{e.line, e.round}
	f := s[k]
	if first = f.codeless; e.code == 0 {
		first = f.any
	}
	twice = first != 0 && entries[first-1].file != e.file
	if f.any == 0 {
		f.any = n
	}
	if f.codeless == 0 && e.code == 0 {
		f.codeless = n
	}
	s[k] = f
	return first, twice
}

// placeMovements finds each movement its line. One without a bin goes to the only bin of its warehouse that
// holds the rest of the key; where the records have none, to the bin "".
func (r *run) placeMovements() {
	if r.moves == nil {
		return
	}
	r.movements = map[int][]stock.Movement{}
	to := r.book.Codes.Adopt(&r.moves.Codes)
	binless := map[stock.Key]bool{}
	for i := range r.moves.Movements {
		if key := to.Key(r.moves.Movements[i].Key); key[stock.Bin] == 0 {
			binless[key] = true
		}
	}
	held := r.book.Holders(binless)
	for i := range r.moves.Movements {
		m := &r.moves.Movements[i]
		key := to.Key(m.Key)
		line := -1
		if key[stock.Bin] == 0 {
			switch held := held[key]; len(held) {
			case 0:
			case 1:
				line = held[0]
			default:
				bins := ""
				for n, h := range held[:min(len(held), 4)] {
					if n > 0 {
						bins += ", "
					}
					bins += r.book.Codes[stock.Bin].Text(r.book.Lines[h].Key[stock.Bin])
				}
				r.problems.Add(
					problem.Problem{
						File:  r.in.Movements.Name,
						Sheet: r.maps.moves.SheetName,
						Row:   m.Row,
						Field: field.Bin,
						Kind:  "bin not plain",
						Text:  fmt.Sprintf("is empty, and %s lies in %d bins (%s). Name the bin", r.keyText(key), len(held), bins),
					},
				)
				continue
			}
		}
		if line < 0 {
			line = r.book.Ensure(key)
		}
		r.movements[line] = append(r.movements[line], stock.Movement{Quantity: m.Quantity, At: m.At})
	}
	for len(r.inputs) < len(r.book.Lines) {
		r.inputs = append(r.inputs, lineInput{})
	}
}
