package plan

import (
	"cmp"
	"context"
	"slices"
	"strings"

	"wobin/internal/core/counting"
	"wobin/internal/core/cutting"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/desk/recorded"
	"wobin/internal/store"
)

// cutBin is a bin of sheets that are cut anew, with the lines that it has on them.
type cutBin struct {
	id       int64
	code     string // the item's, where each row of a place without a name stands for itself
	from, to int64  // its lines; of an empty one none
	after    int64  // of an empty one: the line behind which it stands
	place    int64
	seconds  int64
	zone     int32
}

// runOfSheets is sheets whose lines follow one another, with their bins in walking order.
type runOfSheets struct {
	sheets []store.Sheet
	bins   []cutBin
}

// recutting is what cutting anew needs to know of a count.
type recutting struct {
	w    *desk.Work
	c    *store.Count
	room *Room
	next int // number of the next sheet
}

// begin prepares it.
func (d *Room) recutting(w *desk.Work, countID int64) (*recutting, error) {
	c, err := w.Running(countID)
	if err != nil {
		return nil, err
	}
	x := &recutting{w: w, c: c, room: d}
	err = w.Raw("SELECT coalesce(max(number), 0) + 1 FROM sheets WHERE count_id = ?", c.ID).Scan(&x.next).Error
	return x, err
}

// sheets gives sheets by their numbers, those that stand.
func (x *recutting) sheets(numbers []int) (out []store.Sheet, err error) {
	err = x.w.Where("count_id = ? AND number IN ? AND state NOT IN ?", x.c.ID, numbers, store.Void).
		Order("max(round, 1), first, number").
		Find(&out).
		Error
	if err == nil && len(out) != len(numbers) {
		err = desk.Missing("The sheet")
	}
	for i := range out {
		if err == nil && out[i].Recount() {
			err = desk.RefuseAs(desk.Invalid, "sheets", "Sheet %d is a recount. It is taken back as a whole, and made anew.", out[i].Number)
		}
	}
	return out, err
}

// bins gives the bins of sheets that follow one another, in walking order, with what each takes.
func (x *recutting) bins(sheets []store.Sheet) ([]cutBin, error) {
	first, last := &sheets[0], &sheets[len(sheets)-1]
	var bins []cutBin
	var full []struct{ BinID, First, N int64 }
	if err := x.w.Raw("SELECT bin_id, min(pos) AS first, count(*) AS n FROM count_lines WHERE count_id = ? AND pos >= ? AND pos < ? GROUP BY bin_id",
		x.c.ID, first.First, last.First+int64(last.Lines)).Scan(&full).Error; err != nil {
		return nil, err
	}
	where, err := x.room.recorded.BinsOf(x.w.Tx, x.c.WarehouseID)
	if err != nil {
		return nil, err
	}
	for _, b := range full {
		if where.Codes[b.BinID] == "" { // rows of a place without a name are each by themselves
			skus, err := store.SKUsOn(x.w.Tx, x.c.ID, b.First, b.First+b.N)
			if err != nil {
				return nil, err
			}
			for i, sku := range skus {
				pos := b.First + int64(i)
				bins = append(bins, cutBin{id: b.BinID, code: sku, from: pos, to: pos + 1, after: pos - 1, place: -1})
			}
			continue
		}
		bins = append(bins, cutBin{id: b.BinID, code: where.Codes[b.BinID], from: b.First, to: b.First + b.N, after: b.First - 1, place: -1})
	}
	ids := make([]int64, len(sheets))
	for i := range sheets {
		ids[i] = sheets[i].ID
	}
	var empty []store.EmptyBin
	if err := x.w.Where("count_id = ? AND sheet_id IN ?", x.c.ID, ids).Find(&empty).Error; err != nil {
		return nil, err
	}
	for _, b := range empty {
		bins = append(bins, cutBin{id: b.BinID, code: where.Codes[b.BinID], after: b.After, place: b.Place})
	}
	// Behind a line stand first the empty bins there, by their place, and then the bin whose lines begin with the next one.
	slices.SortFunc(bins, func(a, b cutBin) int {
		switch {
		case a.after != b.after:
			return cmp.Compare(a.after, b.after)
		case a.place < 0 || b.place < 0:
			return cmp.Compare(b.place, a.place)
		}
		return cmp.Compare(a.place, b.place)
	})
	way, err := x.walk()
	if err != nil {
		return nil, err
	}
	var before *cutting.Stop
	for i := range bins {
		b := &bins[i]
		stop := way.stop(b.id)
		b.zone = stop.Zone
		b.seconds = way.pace.Seconds(before, stop, int(b.to-b.from))
		before = stop
	}
	return bins, nil
}

// walk is what tells how long it takes to go from bin to bin of the count's warehouse.
type walk struct {
	bins *recorded.Bins
	at   map[int64]int // where a bin stands in the walking order
	pace cutting.Pace
}

func (x *recutting) walk() (*walk, error) {
	bins, err := x.room.recorded.BinsOf(x.w.Tx, x.c.WarehouseID)
	if err != nil {
		return nil, err
	}
	pace, _, err := x.room.pace(x.w.Tx, x.c.WarehouseID)
	if err != nil {
		return nil, err
	}
	at := make(map[int64]int, len(bins.Order))
	for i, bin := range bins.Order {
		at[bin] = i
	}
	return &walk{bins, at, pace}, nil
}

// stop is a bin on the way.
func (y *walk) stop(bin int64) *cutting.Stop {
	return &cutting.Stop{Zone: y.bins.Zones[bin], Address: y.bins.Addresses[y.at[bin]]}
}

// rows is how many rows a bin has on a sheet.
func (b *cutBin) rows(fill int) int {
	if b.to > b.from {
		return int(b.to - b.from)
	}
	return max(fill, 1)
}

// put makes a sheet of some bins and moves their lines to it.
func (x *recutting) put(bins []cutBin, like *store.Sheet, counter string) (store.Sheet, error) {
	where, err := x.room.recorded.BinsOf(x.w.Tx, x.c.WarehouseID)
	if err != nil {
		return store.Sheet{}, err
	}
	s := store.Sheet{
		CountID: x.c.ID,
		Number:  x.next,
		Code:    counting.SheetCode(int(x.c.ID), x.next),
		State:   store.WithUs,
		Counter: counter,
		Empty:   like.Empty,
		Round:   like.Round,
	}
	x.next++
	if err := x.extent(&s, bins, func(b *cutBin) string { return where.Names[b.zone] }); err != nil {
		return s, err
	}
	if err := x.w.Create(&s).Error; err != nil {
		return s, err
	}
	ids, empty := make([]int64, 0, len(bins)), make([]int64, 0)
	for i := range bins {
		ids = append(ids, bins[i].id)
		if bins[i].place >= 0 {
			empty = append(empty, bins[i].place)
		}
	}
	if len(empty) > 0 {
		if err := x.w.Exec("UPDATE empty_bins SET sheet_id = ? WHERE count_id = ? AND place IN ? AND sheet_id IN (SELECT id FROM sheets WHERE count_id = ? AND max(round, 1) = ?)",
			s.ID, x.c.ID, empty, x.c.ID, s.InRound()).Error; err != nil {
			return s, err
		}
	}
	if s.InRound() == 2 { // lines and bins are told by their sheet of the first round
		return s, nil
	}
	if err := x.w.Exec("UPDATE count_lines SET sheet_id = ? WHERE count_id = ? AND pos >= ? AND pos < ?", s.ID, x.c.ID, s.First,
		s.First+int64(s.Lines)).Error; err != nil {
		return s, err
	}
	return s, store.MoveBins(x.w.Tx, x.c.ID, ids, s.ID)
}

// extent sets where a sheet begins and ends, how much of it is counted, and what it takes.
func (x *recutting) extent(s *store.Sheet, bins []cutBin, zone func(*cutBin) string) error {
	var names []string
	s.First, s.Lines, s.Seconds = bins[0].after+1, 0, 0
	for i := range bins {
		b := &bins[i]
		s.Lines, s.Seconds = s.Lines+int(b.to-b.from), s.Seconds+b.seconds
		if z := zone(b); z != "" && !slices.Contains(names, z) {
			names = append(names, z)
		}
	}
	s.Zone, s.FirstBin, s.LastBin = strings.Join(names, ", "), bins[0].code, bins[len(bins)-1].code
	if s.Empty > 0 {
		s.First = 1
	}
	return count.CountedOn(x.w, x.c, s)
}

// Recut says how sheets are cut anew: as a cut has it, or where certain bins begin new ones.
type Recut struct {
	Sheets []int    `json:"sheets" minItems:"1" maxItems:"5000" doc:"their numbers"`
	At     []string `json:"at,omitempty" maxItems:"200" doc:"bins that new sheets begin with, in place of a way to cut; the sheets keep who they are for, in their order"`
	Cut
}

// CutAnew cuts sheets that are with us anew, those that follow one another together. They get new numbers; what was printed of the old ones
// is still known by its row codes.
func (d *Room) CutAnew(ctx context.Context, p desk.Person, countID int64, r Recut) (made []int, err error) {
	numbers, cut := r.Sheets, r.Cut
	return desk.Do(ctx, d.Desk, p, desk.Plan, desk.Key{}, func(w *desk.Work) (made []int, err error) {
		x, err := d.recutting(w, countID)
		if err != nil {
			return nil, err
		}
		if cut, err = cut.settled(); err != nil {
			return nil, err
		}
		sheets, err := x.sheets(numbers)
		if err != nil {
			return nil, err
		}
		for i := range sheets {
			if s := &sheets[i]; s.State != store.WithUs || s.Counted > 0 {
				return nil, desk.RefuseAs(
					desk.Invalid,
					"sheets",
					"Sheet %d is out or counted already. Only sheets that are with us are cut anew; others are parted.",
					s.Number,
				)
			}
		}
		runs, err := x.runs(sheets)
		if err != nil {
			return nil, err
		}
		if len(runs) > 1 && (cut.By == string(cutting.People) || len(r.At) > 0) {
			return nil, desk.RefuseAs(
				desk.Invalid,
				"sheets",
				"They do not follow one another. Choose sheets that do, or cut them by zone or by rows.",
			)
		}
		for _, run := range runs {
			pieces, err := x.pieces(run, r.At, cut)
			if err != nil {
				return nil, err
			}
			for i, piece := range pieces {
				who := ""
				if len(r.At) == 0 {
					who = cut.who(piece.Person)
				} else if i < len(run.sheets) {
					who = run.sheets[i].Counter
				}
				s, err := x.put(run.bins[piece.From:piece.To], &run.sheets[0], who)
				if err != nil {
					return nil, err
				}
				made = append(made, s.Number)
			}
			for i := range run.sheets {
				s := &run.sheets[i]
				if err := w.Model(s).Updates(map[string]any{"state": store.CutAnew, "coded": s.Rows(), "lines": 0, "counter": "", "due": 0}).Error; err != nil {
					return nil, err
				}
			}
		}
		return made, w.Say("sheets cut anew", map[string]any{"count": x.c.ID, "sheets": numbers, "made": made})
	})
}

// pieces gives where the new sheets of a run begin and end.
func (x *recutting) pieces(run runOfSheets, at []string, cut Cut) (out []cutting.Sheet, err error) {
	if len(at) == 0 {
		bins := make([]cutting.Bin, len(run.bins))
		for i := range run.bins {
			b := &run.bins[i]
			bins[i] = cutting.Bin{Zone: b.zone, Lines: b.rows(run.sheets[0].Empty), Seconds: b.seconds}
		}
		return cutting.Cut(bins, cut.how()), nil
	}
	begin := 0
	found := map[string]bool{}
	for i := range run.bins {
		if code := run.bins[i].code; slices.Contains(at, code) {
			if found[code] = true; i > begin {
				out = append(out, cutting.Sheet{From: begin, To: i, Person: -1})
				begin = i
			}
		}
	}
	for _, code := range at {
		if !found[code] {
			return nil, desk.RefuseAs(desk.Invalid, "at", "Bin %q is on none of these sheets.", code)
		}
	}
	return append(out, cutting.Sheet{From: begin, To: len(run.bins), Person: -1}), nil
}

// runs puts sheets together whose lines follow one another.
func (x *recutting) runs(sheets []store.Sheet) (out []runOfSheets, err error) {
	for i := 0; i < len(sheets); {
		to := i + 1
		follows := func(a, b *store.Sheet) bool {
			return b.InRound() == a.InRound() && (b.First == a.First+int64(a.Lines) || b.Empty > 0)
		}
		for to < len(sheets) && follows(&sheets[to-1], &sheets[to]) {
			to++
		}
		r := runOfSheets{sheets: sheets[i:to]}
		if r.bins, err = x.bins(r.sheets); err != nil {
			return nil, err
		}
		out, i = append(out, r), to
	}
	return out, nil
}

// BinOfSheet is a bin of a sheet, where it can be parted.
type BinOfSheet struct {
	ID      int64  `json:"id"`
	Bin     string `json:"bin"`
	Rows    int    `json:"rows"`
	Counted int    `json:"counted"`
	Seconds int64  `json:"seconds" doc:"what it is expected to take, the way to it included"`
}

// SheetBins gives the bins of a sheet in walking order.
func (d *Room) SheetBins(ctx context.Context, p desk.Person, countID int64, number int) (out []BinOfSheet, err error) {
	c, err := d.See(ctx, p, countID)
	if err != nil {
		return nil, err
	}
	x := &recutting{w: &desk.Work{Tx: c.Tx}, c: c.Count, room: d}
	sheets, err := x.sheets([]int{number})
	if err != nil {
		return nil, err
	}
	bins, err := x.bins(sheets)
	if err != nil {
		return nil, err
	}
	counted, err := store.CountedOn(c.Tx, c.ID, sheets[0].First, sheets[0].First+int64(sheets[0].Lines))
	if err != nil {
		return nil, err
	}
	out = make([]BinOfSheet, len(bins))
	for i := range bins {
		b := &bins[i]
		from, _ := slices.BinarySearch(counted, b.from)
		to, _ := slices.BinarySearch(counted, b.to)
		out[i] = BinOfSheet{b.id, b.code, b.rows(sheets[0].Empty), to - from, b.seconds}
	}
	return out, nil
}

// Part parts a sheet, wherever it is: the bins from one on go to a sheet of their own, for somebody else. Rows of it that are counted stay
// counted, and what comes back on the paper of the whole sheet is still known by its row codes.
func (d *Room) Part(ctx context.Context, p desk.Person, countID int64, number int, from, counter string) (made int, err error) {
	return desk.Do(ctx, d.Desk, p, desk.Plan, desk.Key{}, func(w *desk.Work) (made int, err error) {
		x, err := d.recutting(w, countID)
		if err != nil {
			return 0, err
		}
		sheets, err := x.sheets([]int{number})
		if err != nil {
			return 0, err
		}
		old := sheets[0]
		if old.State == store.Back {
			return 0, desk.RefuseAs(desk.Ended, "sheet", "Sheet %d is back already.", number)
		}
		bins, err := x.bins(sheets)
		if err != nil {
			return 0, err
		}
		where, err := d.recorded.BinsOf(w.Tx, x.c.WarehouseID)
		if err != nil {
			return 0, err
		}
		at := slices.IndexFunc(bins, func(b cutBin) bool { return b.code == strings.TrimSpace(from) })
		switch {
		case at < 0:
			return 0, desk.RefuseAs(desk.Invalid, "bin", "Bin %q is not on sheet %d.", from, number)
		case at == 0:
			return 0, desk.RefuseAs(
				desk.Invalid,
				"bin",
				"%s is the first bin of sheet %d, so nothing would be left of it. Hand the whole sheet over.",
				from,
				number,
			)
		}
		s, err := x.put(bins[at:], &old, "")
		if err != nil {
			return 0, err
		}
		if counter = strings.TrimSpace(counter); counter != "" {
			if err := w.Model(&s).Updates(map[string]any{"state": store.Out, "counter": counter, "out_at": w.Now, "due": old.Due}).Error; err != nil {
				return 0, err
			}
		}
		coded := old.Rows()
		if err := x.extent(&old, bins[:at], func(b *cutBin) string { return where.Names[b.zone] }); err != nil {
			return 0, err
		}
		to := map[string]any{
			"lines":    old.Lines,
			"coded":    coded,
			"zone":     old.Zone,
			"last_bin": old.LastBin,
			"seconds":  old.Seconds,
			"counted":  old.Counted,
		}
		if err := w.Model(&store.Sheet{}).Where("id = ?", old.ID).Updates(to).Error; err != nil {
			return 0, err
		}
		return s.Number, w.Say(
			"sheet parted",
			map[string]any{"count": x.c.ID, "sheet": number, "from": from, "made": s.Number, "counter": counter},
		)
	})
}
