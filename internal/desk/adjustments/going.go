package adjustments

import (
	"database/sql/driver"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
	"time"

	"wobin/internal/core/adjust"
	"wobin/internal/core/cause"
	"wobin/internal/core/field"
	"wobin/internal/core/outfile"
	"wobin/internal/core/quantity"
	"wobin/internal/core/read"
	"wobin/internal/core/stock"
	"wobin/internal/core/variance"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/store"
)

// Going is what is to go out, and how.
type Going struct {
	Mode      string     `json:"mode,omitempty" enum:"difference,balance,in-out,counted," doc:"what a file in our own form says; left out with a layout"`
	Layout    string     `json:"layout,omitempty" maxLength:"120" doc:"the name of a layout, kept or ready-made"`
	Try       *OutLayout `json:"try,omitempty" doc:"to look at alone: a layout that is being changed, in the place of a kept one"`
	Reasons   []string   `json:"reasons,omitempty" maxItems:"200" doc:"only lines accepted for these; left out: all"`
	Day       string     `json:"day,omitempty" doc:"the day that it is booked on, as 2026-11-21; left out: today"`
	Reference string     `json:"reference,omitempty" maxLength:"60" doc:"left out: C and the numbers of count and posting"`
}

// postingFile is a posting that is worked out and not made.
type postingFile struct {
	mode     adjust.Mode
	layout   *outfile.Layout // nil: a form of ours
	facts    outfile.Facts
	setID    int64
	rows     []store.CountLine
	lines    []adjust.Line
	out      []outfile.Line // with a layout: the same lines with what else it may ask for
	files    []outfile.File
	problems []outfile.Problem
	sums     variance.Sums
	unvalued int
	// worthless counts the lines that change stock and have no value.
	worthless int
	noReason  int
	alike     int // lines that match or are let pass, and go out since the mode tells all counts
}

// sha is that of all files, in their order.
func (f *postingFile) sha() string {
	if len(f.files) == 1 {
		return desk.ShaOf(f.files[0].Body)
	}
	return desk.ShaOf([]byte(manifestOf(f.files)))
}

// manifestOf lists files with their check sums, in the form that sha256sum proves.
func manifestOf(files []outfile.File) string {
	text := ""
	for _, f := range files {
		text += desk.ShaOf(f.Body) + "  " + f.Name + "\n"
	}
	return text
}

// settled settles the mode, the layout and the facts of what is to go out.
func (d *Room) settled(tx *store.Tx, c *store.Count, g *Going) (f postingFile, err error) {
	f.mode = adjust.Mode(g.Mode)
	switch {
	case g.Try != nil:
		l := outfile.Layout(*g.Try)
		f.layout = &l
	case g.Layout != "":
		if f.layout, err = layoutNamed(tx, g.Layout); err != nil {
			return f, err
		}
	case !slices.Contains(adjust.Modes, f.mode):
		return f, desk.RefuseAs(desk.Invalid, "mode", "%q is none of difference, balance, in-out and counted.", g.Mode)
	}
	if f.layout != nil {
		if err := f.layout.Valid(); err != nil {
			return f, desk.RefuseAs(desk.Invalid, "layout", "The layout cannot be used: %v.", err)
		}
		f.mode = f.layout.Mode()
	}
	last, err := store.LastPosting(tx, c.ID)
	if err != nil {
		return f, err
	}
	f.facts = outfile.Facts{Zone: time.UTC, Reference: strings.TrimSpace(g.Reference), Count: strconv.FormatInt(c.ID, 10)}
	if f.facts.Reference == "" {
		f.facts.Reference = fmt.Sprintf("C%d-%d", c.ID, last+1)
	}
	day := d.Now().UTC().Truncate(24 * time.Hour)
	if g.Day != "" {
		if day, err = time.Parse(time.DateOnly, g.Day); err != nil {
			return f, desk.RefuseAs(desk.Invalid, "day", "%q is no day such as 2026-11-21.", g.Day)
		}
	}
	f.facts.At = day.UnixNano()
	return f, nil
}

// workedOut works out the lines and the files of a posting: of all accepted lines, what of them did not go out yet, and where the mode
// tells all counts, those that match or are let pass too. In the order of the core, as every file out.
func (d *Room) workedOut(tx *store.Tx, c *store.Count, g *Going) (f postingFile, err error) {
	if f, err = d.settled(tx, c, g); err != nil {
		return f, err
	}
	h, err := desk.WarehouseRow(tx, c.WarehouseID)
	if err != nil {
		return f, err
	}
	where := fmt.Sprintf("l.queue = %d AND l.queue > 0", store.QueueAccepted)
	if f.mode == adjust.Counted {
		where = fmt.Sprintf("(l.queue = %d OR l.queue = 0 AND l.postings = 0 AND l.status IN ('match', 'tolerated'))", store.QueueAccepted)
	}
	f.setID = h.SetID
	var args []driver.Value
	if len(g.Reasons) > 0 {
		b, err := json.Marshal(g.Reasons)
		if err != nil {
			return f, err
		}
		where, args = where+" AND l.reason IN (SELECT value FROM json_each(?))", append(args, string(b))
	}
	names, book := map[int64]*store.NamedText{}, &stock.Book{}
	var positions []int64
	err = store.EachNamed(tx, c.ID, where, args, func(n *store.NamedText) error {
		names[n.Pos], positions = n, append(positions, n.Pos)
		var k stock.Key
		for p, t := range []string{h.Code, n.Bin, n.SKU, n.Lot, n.Serial, n.Holding} {
			k[p] = book.Codes[p].Intern([]byte(t))
		}
		book.Lines = append(book.Lines, stock.Line{Key: k})
		return nil
	})
	if err != nil {
		return f, err
	}
	if len(positions) > 0 {
		byPlace := map[int64]bool{}
		for _, p := range positions {
			byPlace[p] = true
		}
		err = store.EachCountLine(tx, c.ID, store.Near(positions), func(l *store.CountLine) error {
			if byPlace[l.Pos] {
				f.rows = append(f.rows, *l)
			}
			return nil
		})
		if err != nil {
			return f, err
		}
	}
	moved := map[int64][]store.CountMove{}
	if len(positions) > 0 {
		err = store.EachCountMove(tx, c.ID, store.Near(positions), func(m store.CountMove) error {
			moved[m.Pos] = append(moved[m.Pos], m)
			return nil
		})
		if err != nil {
			return f, err
		}
	}
	reckoned := map[int64]quantity.Quantity{}
	if len(positions) > 0 {
		if reckoned, err = count.Corrections(tx, c, store.Positions{Some: positions}); err != nil {
			return f, err
		}
		if err := count.Unanswered(tx, c, positions); err != nil {
			return f, err
		}
	}
	inOrder := make([]store.CountLine, 0, len(f.rows))
	columns := count.ColumnsOf(c)
	for _, n := range book.Order() {
		r := f.rows[n]
		l, err := f.line(c, &r, names[r.Pos], h.Code, moved[r.Pos], reckoned[r.Pos])
		if err != nil {
			return f, err
		}
		if f.mode == adjust.Counted && !r.IsCounted() && !r.Zeroed {
			return f, desk.Refuse(
				"%s · %s has no count any more, and what went out of it is to be taken back: send differences, or hold it.",
				l.Key[stock.Bin],
				l.Key[stock.SKU],
			)
		}
		l.Extra = count.Shown(names[r.Pos].Attributes, columns)
		inOrder, f.lines = append(inOrder, r), append(f.lines, l)
	}
	f.rows = inOrder
	// A balance is worked out from the stock at the freeze: newer recorded stock would be overwritten by it.
	if f.mode == adjust.Balance {
		set, err := store.SetOf(tx, h.SetID)
		if err != nil {
			return f, err
		}
		if set.RecordedAt > c.RecordedAt {
			return f, desk.Refuse(
				"Newer stock was taken in since the freeze (of %s). A balance would overwrite what happened meanwhile; send differences instead.",
				desk.Instant(set.RecordedAt).Format("2006-01-02 15:04 MST"),
			)
		}
	}
	return f, f.write(tx, c, names)
}

// write makes the files of the lines.
func (f *postingFile) write(tx *store.Tx, c *store.Count, names map[int64]*store.NamedText) error {
	if f.layout != nil {
		if err := f.describe(tx, c); err != nil {
			return err
		}
		w, err := f.layout.Write(f.out, f.facts)
		if err != nil {
			return err
		}
		f.files, f.problems = w.Files, w.Problems
		if w.Left > 0 {
			return desk.RefuseAs(desk.Invalid, "layout", "%s by this layout. Send %s with another one first, or hold %s.",
				desk.Plural(w.Left, "accepted line does not go out", "accepted lines do not go out"), them(w.Left), them(w.Left))
		}
		if n := len(f.problems); n > 0 {
			p := f.problems[0]
			where := ""
			if p.Line >= 0 {
				where = f.out[p.Line].Key[stock.Bin] + " · " + f.out[p.Line].Key[stock.SKU] + ", "
			}
			return desk.RefuseAs(desk.Invalid, "layout", "%s that the layout cannot say. The first: %s%s: %s. Nothing was written.",
				desk.Plural(n, "cell", "cells"), where, p.Column, p.Text)
		}
		return nil
	}
	text, bad, err := adjust.Write(f.lines, f.mode, count.ColumnTitles(count.ColumnsOf(c))...)
	if err != nil {
		l := &f.lines[bad]
		return desk.Refuse(
			"The balance of %s · %s %v: %s counted, and %s moved since. Hold it, or send differences.",
			l.Key[stock.Bin],
			l.Key[stock.SKU],
			err,
			l.Counted,
			l.After,
		)
	}
	f.files = []outfile.File{{Body: text, Rows: len(f.lines)}}
	return nil
}

func them(n int) string {
	if n == 1 {
		return "it"
	}
	return "them"
}

// describe adds to the lines what a layout may ask of them beside the adjustment: what is known of their items, reasons and bins, and
// which two of them are one transfer.
func (f *postingFile) describe(tx *store.Tx, c *store.Count) error {
	f.out = make([]outfile.Line, len(f.lines))
	at := make(map[int64]int, len(f.rows))
	positions := make([]int64, len(f.rows))
	for i := range f.rows {
		positions[i] = f.rows[i].Pos
		at[f.rows[i].Pos] = i
		f.out[i] = outfile.Line{Line: f.lines[i], Expected: quantity.Quantity(f.rows[i].Expected)}
	}
	reasons := map[string]store.Reason{}
	all, err := store.Reasons(tx)
	if err != nil {
		return err
	}
	for _, r := range all {
		reasons[r.Code] = r
	}
	err = store.EachDescribed(tx, c.ID, positions, func(d store.DescribedLine) error {
		x := (*describedLine)(&f.out[at[d.Pos]])
		x.Zone, x.Description, x.Category, x.FurtherSKU, x.ItemID = d.Zone, d.Description, d.Category, d.FurtherSKU, d.RecordID
		if codes := count.Barcodes(d.Barcode, d.Barcodes); len(codes) > 0 {
			x.Barcode = codes[0]
		}
		if r, is := reasons[x.Reason]; is {
			x.ReasonName, x.Account = r.Name, r.Account
		}
		if err := x.keep(field.ItemAttribute, d.Attributes); err != nil {
			return err
		}
		if d.Packs == "" {
			return nil
		}
		var packs []read.Pack
		if err := json.Unmarshal([]byte(d.Packs), &packs); err != nil {
			return err
		}
		x.Packs = map[string]quantity.Quantity{}
		for _, p := range packs {
			x.Packs[p.Unit] = p.Size
		}
		return nil
	})
	if err != nil {
		return err
	}
	if f.layout.AsksAttributes(field.LineAttribute) {
		if err := f.recordedAttributes(tx, c); err != nil {
			return err
		}
	}
	// Two lines that were accepted as lying in another place, of just the same quantity, are one transfer.
	return store.EachAcceptedPair(tx, c.ID, string(cause.Misplaced), func(pos, other int64) {
		a, has := at[pos]
		b, hasOther := at[other]
		if has && hasOther && f.out[a].Variance == -f.out[b].Variance && f.out[a].Partner == 0 && f.out[b].Partner == 0 {
			f.out[a].Partner, f.out[b].Partner = b+1, a+1
		}
	})
}

// describedLine is a line as a layout may ask of it.
type describedLine outfile.Line

// keep adds attributes, which are JSON, of a line or of its item.
func (x *describedLine) keep(of, attributes string) error {
	if attributes == "" {
		return nil
	}
	var all map[string]string
	if err := json.Unmarshal([]byte(attributes), &all); err != nil {
		return err
	}
	if x.Attributes == nil {
		x.Attributes = map[outfile.Field]string{}
	}
	for name, v := range all {
		x.Attributes[outfile.Field(of+name)] = v
	}
	return nil
}

// recordedAttributes adds the attributes that lines have in the stock that their count was frozen from.
func (f *postingFile) recordedAttributes(tx *store.Tx, c *store.Count) error {
	at, bins := make(map[store.StockKey]int, len(f.rows)), map[int64]bool{}
	for i := range f.rows {
		r, k := &f.rows[i], f.lines[i].Key
		own := store.StockKey{Bin: r.BinID, Item: r.ItemID, Lot: k[stock.Lot], Serial: k[stock.Serial], Holding: k[stock.Holding]}
		at[own], bins[r.BinID] = i, true
	}
	return store.RecordedIn(tx, c.SetID, slices.Sorted(maps.Keys(bins)), func(l *store.StockLine) error {
		i, is := at[store.StockKey{Bin: l.BinID, Item: l.ItemID, Lot: l.Lot, Serial: l.Serial, Holding: l.Holding}]
		if !is {
			return nil
		}
		return (*describedLine)(&f.out[i]).keep(field.LineAttribute, l.Attributes)
	})
}

// line makes the adjustment of what is open of a line, and takes it into the sums.
func (f *postingFile) line(
	c *store.Count,
	r *store.CountLine,
	n *store.NamedText,
	house string,
	moves []store.CountMove,
	reckoned quantity.Quantity,
) (l adjust.Line, err error) {
	rest := quantity.Quantity(r.Rest)
	l = adjust.Line{
		Key:       [stock.Parts]string{house, n.Bin, n.SKU, n.Lot, n.Serial, n.Holding},
		RecordID:  n.RecordID,
		Unit:      n.Unit,
		Counted:   quantity.Quantity(r.Counted),
		Variance:  rest,
		CountedAt: count.ReckonedAt(c, r),
		Counter:   r.Counter,
	}
	if !r.IsCounted() && !r.Zeroed { // counted no more: the record is right as it was expected to be
		l.Counted = quantity.Quantity(r.Expected)
	}
	status := variance.Status(r.Status)
	if r.Postings > 0 { // a correction of what went out, named by its own sign
		status = variance.Tolerated
	}
	switch {
	case r.Reason != "":
		l.Reason = r.Reason
	case r.Queue == store.NotQueued:
		f.alike++
		l.Reason = adjust.Reason(status, rest)
	default:
		f.noReason++
		l.Reason = adjust.Reason(status, rest)
	}
	if r.Cost != nil {
		l.Cost, l.Costed = quantity.Cost(*r.Cost), true
	}
	if r.RestValue != nil {
		l.Value, l.Valued = quantity.Money(*r.RestValue), true
	} else if l.Valued = r.Cost != nil && r.Rest == 0; !l.Valued {
		f.unvalued++
		if l.Variance != 0 {
			f.worthless++
		}
	}
	if !f.sums.Add(l.Variance, l.Value) {
		return l, count.TooMuch()
	}
	return l, f.inAllForms(c, &l, r, moves, reckoned)
}

// inAllForms adds to a line what forms other than the difference say of it, and proves that a record system ends at the same
// quantity whichever of them it takes in.
// reckoned is what other counts sent of it that the record system takes in, too.
func (f *postingFile) inAllForms(
	c *store.Count,
	l *adjust.Line,
	r *store.CountLine,
	moves []store.CountMove,
	reckoned quantity.Quantity,
) error {
	name := l.Key[stock.Bin] + " · " + l.Key[stock.SKU]
	if l.Key[stock.Serial] != "" && l.Counted != 0 && l.Counted != quantity.Scale {
		return desk.Refuse("%s: %s pieces were counted of serial %s, and one serial is one piece. Correct its counts, or hold it.",
			name, l.Counted, l.Key[stock.Serial])
	}
	frozen := r.FrozenAt(c)
	all := make([]stock.Movement, len(moves))
	var moments []adjust.Moment
	for i, m := range moves {
		all[i] = stock.Movement{Quantity: quantity.Quantity(m.Quantity), At: m.Happened()}
		if m.MovementID > 0 {
			moments = append(moments, adjust.Moment{Booked: m.At, Happened: m.Happened()})
		}
	}
	moved, ok := stock.After(all, frozen)
	if ok {
		moved, ok = quantity.Add(moved, reckoned)
	}
	if ok {
		l.After, ok = quantity.Add(moved, -quantity.Quantity(r.Moved)) // what is not in what was expected
	}
	if !ok {
		return count.TooMuch()
	}
	if l.CountedAt != 0 {
		at, says := adjust.BookedAt(l.CountedAt, moments)
		switch {
		case says:
			l.CountedAt = at
		case f.mode == adjust.Counted:
			return desk.Refuse("%s: the cut-off was moved for it past other movements, and no counting time says that to a record system. "+
				"Send differences, or let the movement be as it was booked.", name)
		}
	}
	err := l.Agree(adjust.Record{Recorded: quantity.Quantity(r.Recorded), Sent: quantity.Quantity(r.Sent), Moved: moved})
	if errors.Is(err, quantity.ErrTooLarge) {
		return count.TooMuch()
	}
	if err != nil {
		return desk.Refuse("%s: its forms contradict one another: %v. Nothing was written; hold it.", name, err)
	}
	return nil
}
