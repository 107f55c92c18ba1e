// Package count is what several rooms share of a running count: its lines and their states, the entries that stand, movements
// that concern it, the working out of lines and tallies, and how it is told.
package count

import (
	"database/sql/driver"
	"encoding/json"
	"fmt"
	"maps"
	"slices"

	"gorm.io/gorm"

	"wobin/internal/core/quantity"
	"wobin/internal/core/stock"
	"wobin/internal/core/variance"
	"wobin/internal/desk"
	"wobin/internal/store"
)

// Stretch is how many lines are worked out at a time.
const Stretch = 50_000

// WorkOut works lines of a count out again from their entries, movements and decisions, and brings the tallies after them.
// Without positions it works out all of them. fresh: nothing was worked out before, so no decision falls.
func WorkOut(w *desk.Work, c *store.Count, positions []int64, fresh bool) error {
	return workOut(w, c, positions, fresh, nil)
}

// Alter changes what is settled about lines of a count (that they have a row, count beside it, mean zero, what they cost) and
// works them out again. Nothing else may change these columns: the tallies go by what the lines were before.
func Alter(w *desk.Work, c *store.Count, positions []int64, alter func(l *store.CountLine)) error {
	if len(positions) == 0 {
		return nil
	}
	return workOut(w, c, positions, false, alter)
}

// Recost gives lines other unit costs and works them out again.
func Recost(w *desk.Work, c *store.Count, costs map[int64]stock.Costing) error {
	return Alter(w, c, slices.Collect(maps.Keys(costs)), func(l *store.CountLine) {
		if cost, given := costs[l.Pos]; given {
			l.Cost, l.CostOf = store.Stored(cost)
		}
	})
}

// ItemsCost brings what some items cost by now to the lines of a count that go by it, but for those of which something went out.
func ItemsCost(w *desk.Work, c *store.Count, items []int64) error {
	lines, err := store.LeaningLines(w.Tx, c.ID, items)
	if err != nil || len(lines) == 0 {
		return err
	}
	own, err := store.ItemCosts(w.Tx, items...)
	if err != nil {
		return err
	}
	found, err := foundCosts(w, c, items)
	if err != nil {
		return err
	}
	costs := map[int64]stock.Costing{}
	for _, l := range lines {
		now := found[l.ItemID]
		if cost, known := own[l.ItemID]; l.Row {
			now = stock.LineCost(stock.Costing{}, stock.Costing{Cost: cost, Known: known})
		}
		if now != store.CostingOf(l.Cost, l.CostOf) {
			costs[l.Pos] = now
		}
	}
	return Recost(w, c, costs)
}

func workOut(w *desk.Work, c *store.Count, positions []int64, fresh bool, alter func(l *store.CountLine)) error {
	rules, err := rulesOf(w.Tx, c)
	if err != nil {
		return err
	}
	rules.alter = alter
	t := NewTallying(w, c)
	if positions == nil || len(positions) > 2000 {
		if err := t.Preload(); err != nil {
			return err
		}
	}
	if positions != nil {
		slices.Sort(positions)
		for some := range slices.Chunk(slices.Compact(positions), Stretch) {
			these := store.Near(some)
			if alter != nil { // and none between them
				these = store.Positions{Some: some}
			}
			if err := workOutSome(w, c, these, rules, t, fresh); err != nil {
				return err
			}
		}
		return t.Write()
	}
	last, err := store.LastLine(w.Tx, c.ID)
	if err != nil {
		return err
	}
	for from := int64(0); from <= last; from += Stretch {
		if err := workOutSome(w, c, store.Positions{From: from, To: from + Stretch}, rules, t, fresh); err != nil {
			return err
		}
	}
	return t.Write()
}

// countRules are what holds for all lines of a count.
type countRules struct {
	tolerances    variance.Tolerances
	classes       map[int64]string // by item, where limits differ by class
	postTolerated bool
	latest        int64
	alter         func(l *store.CountLine) // changes what is settled about a line; nil for nothing
}

func rulesOf(tx *gorm.DB, c *store.Count) (r countRules, err error) {
	r.postTolerated, r.latest = c.PostTolerated, c.Latest
	if r.latest == 0 {
		r.latest = c.FrozenAt
	}
	r.tolerances.Count = variance.Tolerance{
		Quantity: (*quantity.Quantity)(c.ToleranceQuantity),
		Percent:  (*quantity.Quantity)(c.TolerancePercent),
		Value:    (*quantity.Money)(c.ToleranceValue),
	}
	if c.Tolerances == "" {
		return r, nil
	}
	var byClass map[string]ClassTolerance
	if err := json.Unmarshal([]byte(c.Tolerances), &byClass); err != nil {
		return r, fmt.Errorf("tolerances of count %d: %w", c.ID, err)
	}
	r.tolerances.ByClass, r.classes = map[string]variance.Tolerance{}, map[int64]string{}
	for class, t := range byClass {
		r.tolerances.ByClass[class] = variance.Tolerance(t)
	}
	return r, store.Each(
		tx,
		"SELECT item_id, class FROM count_items WHERE count_id = ? AND class <> ''",
		[]driver.Value{c.ID},
		func(v []driver.Value) error {
			r.classes[v[0].(int64)] = v[1].(string)
			return nil
		},
	)
}

func workOutSome(w *desk.Work, c *store.Count, p store.Positions, rules countRules, t *Tallying, fresh bool) error {
	lines := make([]store.CountLine, 0, min(p.Most(), Stretch))
	if err := store.EachCountLine(w.Tx, c.ID, p, func(l *store.CountLine) error { lines = append(lines, *l); return nil }); err != nil {
		return err
	}
	if err := t.load(lines); err != nil {
		return err
	}
	type input struct {
		from, to int // of its entries
		moves    []stock.Movement
		chosen   store.RoundChoice
		// elsewhere is what other counts sent that is reckoned in.
		elsewhere quantity.Quantity
	}
	entries, counters := make([]variance.Entry, 0, len(lines)), make([]string, 0, len(lines)) // a line's stand together
	inputs := make([]input, len(lines))
	at := 0
	find := func(pos int64) *input { // all come in the order of positions
		for at < len(lines) && lines[at].Pos < pos {
			at++
		}
		if at == len(lines) || lines[at].Pos != pos {
			return nil
		}
		return &inputs[at]
	}
	err := store.Standing(w.Tx, c.ID, p, func(e *store.Entry) error {
		if in := find(e.Pos); in != nil && !e.Withdrawn {
			if in.to == 0 {
				in.from = len(entries)
			}
			entries = append(
				entries,
				variance.Entry{Quantity: quantity.Quantity(e.Quantity), At: e.CountedAt, From: e.Since, Round: e.Round},
			)
			counters = append(counters, e.Counter)
			in.to = len(entries)
		}
		return nil
	})
	if err != nil {
		return err
	}
	at = 0
	err = store.EachCountMove(w.Tx, c.ID, p, func(m store.CountMove) error {
		if in := find(m.Pos); in != nil {
			in.moves = append(in.moves, stock.Movement{Quantity: quantity.Quantity(m.Quantity), At: m.Happened()})
		}
		return nil
	})
	if err != nil {
		return err
	}
	at = 0
	err = corrections(w.Tx, c, p, func(pos int64, q quantity.Quantity) {
		if in := find(pos); in != nil {
			in.elsewhere = q
		}
	})
	if err != nil {
		return err
	}
	at = 0
	err = store.EachChoice(w.Tx, c.ID, p, func(x store.RoundChoice) error {
		if in := find(x.Pos); in != nil {
			in.chosen = x
		}
		return nil
	})
	if err != nil {
		return err
	}
	earlier, err := movedEarlier(w, c, p)
	if err != nil {
		return err
	}
	var fell []store.Decision
	changed := lines[:0] // in their place: a line that was looked at is not looked at again
	for i := range lines {
		l, in := &lines[i], &inputs[i]
		before := *l
		if rules.alter != nil {
			rules.alter(l)
		}
		x := variance.Input{
			Recorded:  quantity.Quantity(l.Recorded),
			Row:       l.Row(),
			Frozen:    l.FrozenAt(c),
			Latest:    max(rules.latest, l.Frozen),
			Movements: in.moves,
			Elsewhere: in.elsewhere,
			Entries:   entries[in.from:in.to],
			Zero:      l.Zeroed,
			Agree:     c.Rounds == 2,
			Stands:    variance.Rule(c.Stands),
		}
		if !slices.ContainsFunc(x.Entries, func(e variance.Entry) bool { return e.Round > in.chosen.Last }) {
			x.Chosen = in.chosen.Round
		}
		if l.Cost != nil {
			x.Cost, x.Costed = quantity.Cost(*l.Cost), true
		}
		if !l.Row() && len(x.Movements) == 0 && len(x.Entries) > 0 && earlier[l.Pos] {
			x.Movements = []stock.Movement{{At: c.FrozenAt}} // it is no stock that nobody knew of
		}
		now, err := worked(&x, l, rules.tolerances.For(rules.classes[l.ItemID]), rules.postTolerated)
		if err != nil {
			return desk.Refuse("%s: a sum or a value %v.", LineName(w.Tx, c, l.Pos), err)
		}
		l.Settle(counters[in.from:in.to], x.Entries, now, fresh || before.Rest == int64(now.Rest.Quantity))
		if c.Rounds != 2 { // rounds that a file brings are no sheets' rounds
			l.Second = 0
		}
		if before.Decision != "" && l.Decision == "" && !fresh { // nothing that was decided falls silently
			rest := before.Rest
			fell = append(fell, store.Decision{CountID: c.ID, Pos: l.Pos, Kind: store.Lapse, Reason: before.Reason, Person: w.Person.Name, At: w.Now,
				Quantity: &rest})
		}
		if err := t.Move(&before, l, fresh); err != nil {
			return err
		}
		if fresh || !sameLine(&before, l) {
			changed = append(changed, *l)
		}
	}
	if err := AppendDecisions(w, fell); err != nil {
		return err
	}
	if rules.alter != nil {
		if err := store.SettleCountLines(w.Tx, c.ID, changed); err != nil {
			return err
		}
	}
	return store.UpdateCountLines(w.Tx, c, changed)
}

// AppendDecisions appends decisions, and lets the work's word cover them.
func AppendDecisions(w *desk.Work, rows []store.Decision) error {
	if len(rows) == 0 {
		return nil
	}
	if err := store.Batch(w.Tx, rows); err != nil {
		return err
	}
	return w.Cover("decisions", rows[0].ID, rows[len(rows)-1].ID)
}

// worked works a line out and tells where it stands.
func worked(in *variance.Input, l *store.CountLine, tol variance.Tolerance, postTolerated bool) (now variance.Line, err error) {
	now = variance.Line{Row: in.Row, Costed: in.Costed, Sent: sentOf(l)}
	if now.Result, err = variance.Evaluate(in, tol); err != nil {
		return now, err
	}
	now.Gone = len(in.Entries) == 0 && l.Postings == 0 && (!in.Row && len(in.Movements) == 0 && in.Elsewhere == 0 || l.Beside)
	now.Rest, err = now.Result.Rest(now.Sent, postTolerated)
	return now, err
}

func sentOf(l *store.CountLine) variance.Sent {
	return variance.Sent{Postings: l.Postings, Quantity: quantity.Quantity(l.Sent), Value: quantity.Money(l.SentValue)}
}

// LineState is where a line stands, as it was written down.
func LineState(l *store.CountLine) variance.Line {
	s := variance.Line{
		Row:      l.Row(),
		Costed:   l.Cost != nil,
		Gone:     l.Status == store.Gone,
		Sent:     sentOf(l),
		Decision: variance.Decision(l.Decision),
	}
	s.Result = variance.Result{
		Status:   variance.Status(l.Status),
		Variance: quantity.Quantity(l.Variance),
		Zeroed:   l.Zeroed && l.Variance != 0,
		Disputed: l.Stake == store.Disputed,
	}
	if l.Value != nil {
		s.Result.Value, s.Result.Valued = quantity.Money(*l.Value), true
	}
	s.Rest = variance.Rest{Quantity: quantity.Quantity(l.Rest), Wants: l.Queue != store.NotQueued}
	if l.RestValue != nil {
		s.Rest.Value, s.Rest.Valued = quantity.Money(*l.RestValue), true
	}
	return s
}

// ReckonedAt is the moment as at which a line that was settled to be zero is reckoned: the latest counting time of its count, which
// moves while others are counted; of a counted line when it was counted.
func ReckonedAt(c *store.Count, l *store.CountLine) int64 {
	if !l.Zeroed || l.Entries > 0 {
		return l.CountedAt
	}
	latest := c.Latest
	if latest == 0 {
		latest = c.FrozenAt
	}
	return max(latest, l.Frozen)
}

// sameLine tells whether nothing about a line has changed.
func sameLine(a, b *store.CountLine) bool {
	equal := func(x, y *int64) bool { return (x == nil) == (y == nil) && (x == nil || *x == *y) }
	if !equal(a.Cost, b.Cost) || !equal(a.Value, b.Value) || !equal(a.RestValue, b.RestValue) {
		return false
	}
	x, y := *a, *b
	x.Cost, y.Cost, x.Value, y.Value, x.RestValue, y.RestValue = nil, nil, nil, nil, nil, nil
	return x == y
}

// movedEarlier tells of lines without a recorded row whether their key has movements at or before the freeze.
func movedEarlier(w *desk.Work, c *store.Count, p store.Positions) (map[int64]bool, error) {
	out := map[int64]bool{}
	q, args := "l.pos >= ? AND l.pos < ?", []driver.Value{c.ID, p.From, p.To}
	if p.Some != nil {
		b, err := json.Marshal(p.Some)
		if err != nil {
			return nil, err
		}
		q, args = "l.pos IN (SELECT value FROM json_each(?))", []driver.Value{c.ID, string(b)}
	}
	args = append(args, c.WarehouseID, c.FrozenAt)
	return out, store.Each(
		w.Tx,
		"SELECT l.pos FROM count_lines l WHERE l.count_id = ? AND "+q+` AND l.has_row = 0 AND EXISTS (SELECT 1 FROM movements m WHERE m.item_id = l.item_id AND m.bin_id = l.bin_id
		AND m.lot = l.lot AND m.serial = l.serial AND m.holding = l.holding AND m.warehouse_id = ? AND m.at <= ?)`,
		args,
		func(v []driver.Value) error {
			out[v[0].(int64)] = true
			return nil
		},
	)
}

// LineName names a line as people do.
func LineName(tx *store.Tx, c *store.Count, pos int64) string {
	var l NamedLine
	if err := tx.Raw(NamedLines+" AND l.pos = ?", c.ID, pos).Scan(&l).Error; err != nil {
		return fmt.Sprintf("Line %d", pos)
	}
	x := l.Line("")
	return x.String()
}

// Tallying gathers what changes in the tallies of a count, and writes it at the end.
type Tallying struct {
	work    *desk.Work
	count   *store.Count
	deltas  map[store.Part]*variance.Tally
	bins    map[int64]*store.PartTally          // with sheet and zone
	sheets  map[int64]int                       // by sheet: rows counted more
	last    int64                               // of them
	second  func(pos int64) (store.Sheet, bool) // the sheets of the second round
	changed map[int64]bool                      // sheets of which a count is another one now
	items   map[int64]string                    // categories
}

// sheetOf gives the sheet that a line is on in a round; 0 for none.
func (t *Tallying) sheetOf(l *store.CountLine, round int) (int64, error) {
	if round == 1 {
		return l.SheetID, nil
	}
	if t.second == nil {
		sheets, _, err := SheetsOf(t.work, t.count)
		if err != nil {
			return 0, err
		}
		t.second = OnSheet(sheets, 2)
	}
	s, _ := t.second(l.Pos)
	return s.ID, nil
}

// NewTallying begins to gather for a count that is written to.
func NewTallying(w *desk.Work, c *store.Count) *Tallying {
	return &Tallying{
		work:    w,
		count:   c,
		deltas:  map[store.Part]*variance.Tally{},
		bins:    map[int64]*store.PartTally{},
		items:   map[int64]string{},
		sheets:  map[int64]int{},
		changed: map[int64]bool{},
	}
}

// Move takes a line out of the tallies as it was, and in as it is. fresh: it was in none.
func (t *Tallying) Move(before, now *store.CountLine, fresh bool) error {
	was, is := LineState(before), LineState(now)
	if !fresh {
		if err := t.add(before, was.Of().Negative(), &was); err != nil {
			return err
		}
	}
	if now.SheetID != 0 && now.HasRow {
		for round := 1; round <= max(t.count.Rounds, 1); round++ {
			sheet, err := t.sheetOf(now, round)
			if err != nil {
				return err
			}
			counted := func(l *store.CountLine, known bool) int {
				if known && l.InRound(round) {
					return 1
				}
				return 0
			}
			if n := counted(now, true) - counted(before, !fresh); n != 0 {
				t.sheets[sheet] += n
			}
			if before.Counted != now.Counted || before.Entries != now.Entries { // whoever checked it saw something else
				if sheet != t.last {
					t.changed[sheet], t.last = true, sheet
				}
			}
		}
	}
	return t.add(now, is.Of(), &is)
}

func (t *Tallying) add(l *store.CountLine, delta variance.Tally, state *variance.Line) error {
	if delta == (variance.Tally{}) {
		return nil
	}
	bin, err := t.bin(l)
	if err != nil {
		return err
	}
	category, err := t.category(l.ItemID)
	if err != nil {
		return err
	}
	for _, p := range partsOf(l, state, bin.Zone, category) {
		d := t.deltas[p]
		if d == nil {
			d = &variance.Tally{}
			t.deltas[p] = d
		}
		if !d.Merge(delta) {
			return TooMuch()
		}
	}
	return nil
}

// partsOf are the parts of a count that a line is tallied in.
func partsOf(l *store.CountLine, state *variance.Line, zone, category string) []store.Part {
	parts := []store.Part{
		{Sort: store.PartAll},
		{Sort: store.PartBin, Bin: l.BinID},
		{Sort: store.PartZone, Name: zone},
		{Sort: store.PartCategory, Name: category},
	}
	if l.Entries > 0 {
		parts = append(parts, store.Part{Sort: store.PartCounter, Name: l.Counter})
	}
	if state.Rest.Wants && state.Decision == variance.Accepted {
		parts = append(parts, store.Part{Sort: store.PartReason, Name: l.Reason})
	}
	return parts
}

// TooMuch is the refusal of values whose sum is beyond what is exact.
func TooMuch() error {
	return desk.Refuse(
		"The sum of the values %v. Nothing was changed; look for a unit cost or a count that is far off.",
		quantity.ErrTooLarge,
	)
}

// bin gives a bin with the sheet and zone that it has in this count: those of when it came into it.
func (t *Tallying) bin(l *store.CountLine) (*store.PartTally, error) {
	if b := t.bins[l.BinID]; b != nil {
		return b, nil
	}
	var b *store.PartTally
	err := store.EachTally(t.work.Tx, t.count.ID, store.PartBin, []int64{l.BinID}, func(x *store.PartTally) error { b = x; return nil })
	if err == nil && b == nil {
		b = &store.PartTally{Part: store.Part{Sort: store.PartBin, Bin: l.BinID}, SheetID: l.SheetID}
		err = t.work.Raw("SELECT zone FROM bins WHERE id = ?", l.BinID).Scan(&b.Zone).Error
	}
	t.bins[l.BinID] = b
	return b, err
}

func (t *Tallying) category(item int64) (string, error) {
	c, known := t.items[item]
	if known {
		return c, nil
	}
	err := t.work.Raw("SELECT category FROM count_items WHERE count_id = ? AND item_id = ?", t.count.ID, item).Scan(&c).Error
	t.items[item] = c
	return c, err
}

// load reads what the bins and items of some lines need, where it is not known: for all of them at once.
func (t *Tallying) load(lines []store.CountLine) error {
	var bins, items []int64
	for i := range lines {
		if l := &lines[i]; t.bins[l.BinID] == nil {
			bins = append(bins, l.BinID)
		}
		if _, known := t.items[lines[i].ItemID]; !known {
			items = append(items, lines[i].ItemID)
		}
	}
	if len(bins) > 0 {
		err := store.EachTally(t.work.Tx, t.count.ID, store.PartBin, bins, func(x *store.PartTally) error { t.bins[x.Bin] = x; return nil })
		if err != nil {
			return err
		}
	}
	if len(items) == 0 {
		return nil
	}
	list, err := json.Marshal(items)
	if err != nil {
		return err
	}
	return store.Each(t.work.Tx, "SELECT c.item_id, c.category FROM json_each(?) j CROSS JOIN count_items c ON c.count_id = ? AND c.item_id = j.value",
		[]driver.Value{string(list), t.count.ID}, t.categorised)
}

// categorised takes the category of an item.
func (t *Tallying) categorised(v []driver.Value) error {
	t.items[v[0].(int64)] = v[1].(string)
	return nil
}

// Preload reads what all bins and items of a large piece of work need, once.
func (t *Tallying) Preload() error {
	err := store.EachTally(t.work.Tx, t.count.ID, store.PartBin, nil, func(x *store.PartTally) error { t.bins[x.Bin] = x; return nil })
	if err != nil {
		return err
	}
	return store.Each(t.work.Tx, "SELECT item_id, category FROM count_items WHERE count_id = ?", []driver.Value{t.count.ID}, t.categorised)
}

// Write brings the tallies and the sheets' figures after what was gathered.
func (t *Tallying) Write() error {
	out := make([]store.PartTally, 0, len(t.deltas))
	sorts := map[string]map[string]variance.Tally{}
	for p, d := range t.deltas {
		if *d == (variance.Tally{}) {
			continue
		}
		now := store.PartTally{Part: p}
		if p.Sort == store.PartBin {
			now = *t.bins[p.Bin]
		} else {
			if sorts[p.Sort] == nil {
				sorts[p.Sort] = map[string]variance.Tally{}
				err := store.EachTally(t.work.Tx, t.count.ID, p.Sort, nil, func(x *store.PartTally) error {
					sorts[p.Sort][x.Name] = x.Tally
					return nil
				})
				if err != nil {
					return err
				}
			}
			now.Tally = sorts[p.Sort][p.Name]
		}
		if !now.Merge(*d) {
			return TooMuch()
		}
		out = append(out, now)
	}
	slices.SortFunc(out, func(a, b store.PartTally) int { return int(a.Bin - b.Bin) })
	if err := store.PutTallies(t.work.Tx, t.count.ID, out); err != nil {
		return err
	}
	for id := range t.changed {
		if err := t.work.Exec("UPDATE sheets SET checked_by = '', checked_at = 0 WHERE id = ? AND checked_by <> ''", id).Error; err != nil {
			return err
		}
	}
	for id, n := range t.sheets {
		if err := t.work.Exec("UPDATE sheets SET counted = counted + ? WHERE id = ?", n, id).Error; err != nil {
			return err
		}
	}
	return nil
}

// TallyOf gives the tally of a whole count.
func TallyOf(tx *gorm.DB, countID int64) (all variance.Tally, err error) {
	err = store.EachTally(tx, countID, store.PartAll, nil, func(t *store.PartTally) error { all = t.Tally; return nil })
	return all, err
}
