package variances

import (
	"context"
	"database/sql/driver"
	"encoding/json"
	"fmt"
	"slices"
	"sync"

	"gorm.io/gorm"

	"wobin/internal/core/cause"
	"wobin/internal/core/code"
	"wobin/internal/core/quantity"
	"wobin/internal/core/read"
	"wobin/internal/core/stock"
	"wobin/internal/core/variance"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/store"
)

// CauseView is why a variance is likely there.
type CauseView struct {
	Cause    string             `json:"cause" enum:"misplaced,mistaken-item,wrong-lot,pack-slip,key-slip,row-slip,counted-twice,cut-off,place-uncounted,negative-record"`
	Grade    string             `json:"grade" enum:"weak,fair,strong"`
	Evidence string             `json:"evidence" doc:"in one sentence, with the figures"`
	Remedy   string             `json:"remedy" doc:"what to do about it"`
	Quantity quantity.Quantity  `json:"quantity" doc:"what it explains of the variance, with its sign"`
	Other    int64              `json:"other" doc:"the position of the other line of a pair; 0 for none"`
	Place    string             `json:"place" doc:"the bin that was not counted"`
	Sheet    int                `json:"sheet" doc:"the sheet that it is on, or that is to be counted again; 0 for none"`
	Lines    []int64            `json:"lines" doc:"the positions of all lines that it is about: both of a pair, the rows that slipped"`
	Offered  *quantity.Quantity `json:"offered" doc:"what the count may be in truth"`
	Does     string             `json:"does" enum:",decide,withdraw,move" doc:"what accepting it does at once: decides both lines, withdraws a count, moves the cut-off of the line; empty: it is for people to do"`
}

// explained is the likely causes of a count, as they were at a version of it.
type explained struct {
	version int64
	in      *cause.Input
	list    []cause.Explanation
	pos     []int64           // by line of the input
	entries map[int64][]int64 // by position: the numbers of the entries of the input, in their order
	moves   map[int64][]int64 // and of the movements
	at      map[int64]int     // by position: the explanation that the line is in
	working bool              // nothing is known yet: they are worked out behind
}

// causes keeps those of the counts that were looked at lately.
type causes struct {
	mu   sync.Mutex
	kept map[int64]*explained
	// working: they are worked out behind, by count.
	working map[int64]bool
}

func (k *causes) forget() {
	k.mu.Lock()
	defer k.mu.Unlock()
	k.kept = nil
}

// mostKept is how many counts have their causes kept in memory.
const mostKept = 6

// atOnce is up to how many variances are explained while somebody waits; more are explained behind, and windows are told when they are.
const atOnce = 4000

// explained gives the likely causes of a count as it is now. Where it has changed since they were worked out they are anew; of a count
// with very many variances those of before are given meanwhile, or none.
func (d *Room) explained(ctx context.Context, c *desk.Seen) (*explained, error) {
	d.causes.mu.Lock()
	defer d.causes.mu.Unlock()
	version, x := d.Version(c.ID), d.causes.kept[c.ID]
	if x != nil && x.version == version {
		return x, nil
	}
	all, err := count.TallyOf(c.Tx, c.ID)
	if err != nil {
		return nil, err
	}
	if f := &all.Figures; f.Over+f.Short+f.Found > atOnce {
		if !d.causes.working[c.ID] {
			d.causes.working[c.ID] = true
			d.Behind(func() { d.explainBehind(c.ID) })
		}
		if x == nil {
			x = &explained{in: &cause.Input{Codes: &stock.Codes{}}, working: true}
		}
		return x, nil
	}
	if x, err = explain(ctx, c.Tx, c.Count); err != nil {
		return nil, err
	}
	x.version = version
	d.causes.keep(c.ID, x)
	return x, nil
}

// explainBehind works the causes of a count out behind what was answered, and tells open windows.
func (d *Room) explainBehind(id int64) {
	ctx := context.Background()
	version := d.Version(id)
	tx := d.Store.Read(ctx)
	c, err := desk.CountRow(tx, id)
	var x *explained
	if err == nil {
		x, err = explain(ctx, tx, c)
	}
	d.causes.mu.Lock()
	d.causes.working[id] = false
	if err == nil {
		x.version = version
		d.causes.keep(id, x)
	}
	d.causes.mu.Unlock()
	if err == nil { // else whoever looks next tries again
		d.Events.Tell(desk.Event{What: "count", Count: id})
	}
}

// keep keeps the causes of a count in the place of those of before.
func (k *causes) keep(id int64, x *explained) {
	if k.kept == nil || len(k.kept) >= mostKept && k.kept[id] == nil {
		k.kept = map[int64]*explained{}
	}
	k.kept[id] = x
}

// of gives the explanation that a line is in; nil for none.
func (x *explained) of(pos int64) *cause.Explanation {
	i, is := x.at[pos]
	if !is {
		return nil
	}
	return &x.list[i]
}

// linesOf gives the lines of a likely cause as JSON; of "none" those that nothing explains.
func (x *explained) linesOf(what string) (string, error) {
	some := []int64{}
	for _, pos := range x.pos {
		if e := x.of(pos); e != nil && string(e.Cause) == what || e == nil && what == "none" {
			some = append(some, pos)
		}
	}
	b, err := json.Marshal(some)
	return string(b), err
}

// view tells of the explanation that a line is in.
func (x *explained) view(pos int64) *CauseView {
	e := x.of(pos)
	if e == nil {
		return nil
	}
	v := &CauseView{
		Cause:    string(e.Cause),
		Grade:    e.Grade.String(),
		Evidence: e.Evidence(x.in),
		Remedy:   string(e.Remedy()),
		Quantity: e.Quantity,
	}
	v.Lines = []int64{pos}
	for _, step := range []int64{-1, 1} {
		for p := pos + step; e.Cause == cause.RowSlip; p += step { // they stand one below the other, but for those that were right
			near := x.of(p)
			if near == nil {
				near = x.of(p + step)
			}
			if near == nil || near.Cause != cause.RowSlip {
				break
			}
			if at := x.pos[near.Line]; !slices.Contains(v.Lines, at) {
				v.Lines = append(v.Lines, at)
			}
		}
	}
	slices.Sort(v.Lines)
	if e.Other >= 0 {
		v.Other = x.pos[e.Other]
		v.Lines = []int64{x.pos[e.Line], x.pos[e.Other]}
		if v.Other == pos { // it is seen from its other side
			v.Other, v.Quantity = x.pos[e.Line], -e.Quantity
			l := &x.in.Lines[e.Line]
			v.Evidence = fmt.Sprintf(
				"%s · %s: %s",
				x.in.Codes[stock.Bin].Text(l.Key[stock.Bin]),
				x.in.Codes[stock.SKU].Text(l.Key[stock.SKU]),
				v.Evidence,
			)
		}
	}
	if e.Place != nil {
		v.Place = x.in.Codes[stock.Bin].Text(e.Place.Key[stock.Bin])
	}
	if e.Offers {
		v.Offered = &e.Offered
	}
	v.Does = x.does(e)
	return v
}

// bin and sku name a line.
func (x *explained) bin(l *cause.Line) string { return x.in.Codes[stock.Bin].Text(l.Key[stock.Bin]) }
func (x *explained) sku(l *cause.Line) string { return x.in.Codes[stock.SKU].Text(l.Key[stock.SKU]) }

// does is what accepting an explanation does; empty where that is for people to do.
func (x *explained) does(e *cause.Explanation) string {
	switch e.Cause {
	case cause.Misplaced, cause.MistakenItem, cause.WrongLot:
		if x.in.Lines[e.Line].Variance == -x.in.Lines[e.Other].Variance {
			return "decide"
		}
	case cause.CountedTwice:
		return "withdraw"
	case cause.CutOff:
		return "move"
	}
	return ""
}

// explain works out why the variances of a count are likely there, by the core's rules.
func explain(ctx context.Context, tx *gorm.DB, c *store.Count) (*explained, error) {
	x := &explained{in: &cause.Input{Codes: &stock.Codes{}, Frozen: c.FrozenAt}, at: map[int64]int{}, entries: map[int64][]int64{},
		moves: map[int64][]int64{}}
	in := x.in
	all, err := count.TallyOf(tx, c.ID)
	if err != nil {
		return nil, err
	}
	in.Counted, in.Uncounted = all.Figures.Counted, all.Figures.Uncounted
	key := func(v []driver.Value, from int) (k stock.Key) {
		text := func(i int) []byte { t, _ := v[from+i].(string); return []byte(t) }
		for i, p := range []stock.Part{stock.Bin, stock.SKU, stock.Lot, stock.Serial, stock.Holding} {
			k[p] = in.Codes[p].Intern(text(i))
		}
		k[stock.Warehouse] = 0
		return k
	}
	line := map[int64]int32{} // by position
	items, short := map[int64]stock.ID{}, map[int64]bool{}
	counters := stock.Names{}
	err = store.Each(
		tx,
		`SELECT l.pos, l.item_id, l.expected, l.counted, l.variance, l.cost, l.has_row + l.beside, l.counted_at, b.code, i.sku, l.lot, l.serial,
		l.holding, i.description, l.frozen FROM count_lines l JOIN bins b ON b.id = l.bin_id JOIN items i ON i.id = l.item_id
		WHERE l.count_id = ? AND l.stake > 0 AND l.status IN ('over', 'short', 'found') ORDER BY l.pos`,
		[]driver.Value{c.ID},
		func(v []driver.Value) error {
			n := func(i int) int64 { x, _ := v[i].(int64); return x }
			l := cause.Line{Key: key(v, 8), Expected: quantity.Quantity(n(2)), Counted: quantity.Quantity(n(3)), Variance: quantity.Quantity(n(4)),
				Cost: quantity.Cost(n(5)), Row: n(6) > 0, CountedAt: n(7)}
			l.Description, _ = v[13].(string)
			line[n(0)] = int32(len(in.Lines))
			items[n(1)] = l.Key[stock.SKU]
			if l.Variance < 0 {
				short[n(1)] = true
			}
			in.Lines, x.pos = append(in.Lines, l), append(x.pos, n(0))
			return ctx.Err()
		},
	)
	if err != nil || len(in.Lines) == 0 {
		return x, err
	}
	rounds := map[int64]int{}
	for _, step := range []func(e *store.Entry) error{
		func(e *store.Entry) error { rounds[e.Pos] = max(rounds[e.Pos], e.Round); return nil },
		func(e *store.Entry) error {
			at, is := line[e.Pos]
			if !is || e.Round != rounds[e.Pos] {
				return nil
			}
			l := &in.Lines[at]
			who := counters.Intern([]byte(code.Fold(e.Counter)))
			l.Entries = append(l.Entries, cause.Entry{Quantity: quantity.Quantity(e.Quantity), At: e.CountedAt, Counter: who})
			x.entries[e.Pos] = append(x.entries[e.Pos], e.ID)
			begin := e.CountedAt
			if e.Since != 0 {
				begin = min(begin, e.Since)
			}
			if l.First == 0 || begin < l.First {
				l.First = begin
			}
			return nil
		},
	} {
		err := store.Standing(tx, c.ID, store.Near(x.pos), func(e *store.Entry) error {
			if e.Withdrawn {
				return nil
			}
			return step(e)
		})
		if err != nil {
			return nil, err
		}
	}
	err = store.EachCountMove(tx, c.ID, store.Near(x.pos), func(m store.CountMove) error {
		if at, is := line[m.Pos]; is {
			l := &in.Lines[at]
			l.Movements = append(l.Movements, stock.Movement{Quantity: quantity.Quantity(m.Quantity), At: m.Happened()})
			x.moves[m.Pos] = append(x.moves[m.Pos], m.MovementID)
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	if err := x.places(tx, c, short, key); err != nil {
		return nil, err
	}
	if err := x.rows(tx, c, line); err != nil {
		return nil, err
	}
	if err := x.items(tx, items); err != nil {
		return nil, err
	}
	if err := x.before(tx, c, line); err != nil {
		return nil, err
	}
	x.list = cause.Find(in)
	for i := range x.list {
		e := &x.list[i]
		if x.at[x.pos[e.Line]] = i; e.Other >= 0 {
			x.at[x.pos[e.Other]] = i
		}
	}
	return x, ctx.Err()
}

// mostPlaces is how many uncounted lines are looked at.
const mostPlaces = int64(200_000)

// places finds uncounted lines with stock of the items that are short.
func (x *explained) places(tx *gorm.DB, c *store.Count, short map[int64]bool, key func(v []driver.Value, from int) stock.Key) error {
	if len(short) == 0 || x.in.Uncounted == 0 {
		return nil
	}
	list := make([]int64, 0, len(short))
	for id := range short {
		list = append(list, id)
	}
	slices.Sort(list)
	b, err := json.Marshal(list)
	if err != nil {
		return err
	}
	return store.Each(tx, `SELECT l.expected, b.code, i.sku, l.lot, l.serial, l.holding FROM count_lines l JOIN bins b ON b.id = l.bin_id
		JOIN items i ON i.id = l.item_id WHERE l.count_id = ? AND l.entries = 0 AND l.status = ? AND l.has_row = 1 AND l.expected > 0
		AND l.item_id IN (SELECT value FROM json_each(?)) ORDER BY l.pos LIMIT ?`,
		[]driver.Value{c.ID, string(variance.Uncounted), string(b), mostPlaces}, func(v []driver.Value) error {
			x.in.Places = append(x.in.Places, cause.Place{Key: key(v, 1), Expected: quantity.Quantity(v[0].(int64))})
			return nil
		})
}

// rows gives the rows of sheets that stand near to several variances, stretch by stretch.
func (x *explained) rows(tx *gorm.DB, c *store.Count, line map[int64]int32) error {
	const near = 4
	wanted := map[int64]bool{}
	for i, pos := range x.pos {
		if i > 0 && pos-x.pos[i-1] <= near {
			for p := x.pos[i-1] - near; p <= pos+near; p++ {
				wanted[p] = true
			}
		}
	}
	if len(wanted) == 0 {
		return nil
	}
	list := make([]int64, 0, len(wanted))
	for p := range wanted {
		list = append(list, p)
	}
	slices.Sort(list)
	var rows []cause.Row
	var off []int32
	last, sheet := int64(-2), int64(-1)
	end := func() {
		if len(off) > 0 {
			stretch := rows
			x.in.Sheets = append(x.in.Sheets, cause.Sheet{Len: len(rows), Off: off, Row: func(i int) cause.Row { return stretch[i] }})
		}
		rows, off = nil, nil
	}
	err := store.EachCountLine(tx, c.ID, store.Near(list), func(l *store.CountLine) error {
		if !l.HasRow || !wanted[l.Pos] {
			return nil
		}
		if l.Pos != last+1 || l.SheetID != sheet {
			end()
		}
		last, sheet = l.Pos, l.SheetID
		r := cause.Row{
			Line:     -1,
			Expected: quantity.Quantity(l.Expected),
			Counted:  quantity.Quantity(l.Counted),
			Given:    l.IsCounted(),
		}
		if at, is := line[l.Pos]; is && len(x.in.Lines[at].Entries) == 1 {
			r.Line = at
			off = append(off, int32(len(rows)))
		}
		rows = append(rows, r)
		return nil
	})
	end()
	return err
}

// items tells what is known of the items.
func (x *explained) items(tx *gorm.DB, items map[int64]stock.ID) error {
	list := make([]int64, 0, len(items))
	for id := range items {
		list = append(list, id)
	}
	slices.Sort(list)
	b, err := json.Marshal(list)
	if err != nil {
		return err
	}
	known, packs := map[stock.ID]cause.Item{}, map[stock.ID][]quantity.Quantity{}
	err = store.Each(
		tx,
		"SELECT id, category, barcode, barcodes, packs FROM items WHERE id IN (SELECT value FROM json_each(?))",
		[]driver.Value{string(b)},
		func(v []driver.Value) error {
			text := func(i int) string { t, _ := v[i].(string); return t }
			sku := items[v[0].(int64)]
			known[sku] = cause.Item{Category: text(1), Barcodes: count.Barcodes(text(2), text(3))}
			var sizes []read.Pack
			if text(4) != "" {
				if err := json.Unmarshal([]byte(text(4)), &sizes); err != nil {
					return err
				}
			}
			for _, p := range sizes {
				if p.Size > quantity.Scale {
					packs[sku] = append(packs[sku], p.Size)
				}
			}
			return nil
		},
	)
	x.in.Item = func(sku stock.ID) cause.Item { return known[sku] }
	x.in.Packs = func(sku stock.ID) []quantity.Quantity { return packs[sku] }
	return err
}

// before finds what was accepted in earlier counts of the warehouse, for the same bin, item or counter.
func (x *explained) before(tx *gorm.DB, c *store.Count, line map[int64]int32) error {
	type habit struct{ cause, of, what string }
	times := map[habit]int{}
	err := store.Each(
		tx,
		`SELECT a.cause, b.code, i.sku, a.counter FROM causes_accepted a JOIN bins b ON b.id = a.bin_id JOIN items i ON i.id = a.item_id
		WHERE a.warehouse_id = ? AND a.count_id < ?`,
		[]driver.Value{c.WarehouseID, c.ID},
		func(v []driver.Value) error {
			text := func(i int) string { t, _ := v[i].(string); return t }
			for i, of := range []string{"bin", "item", "counter"} {
				if text(i+1) != "" {
					times[habit{text(0), of, text(i + 1)}]++
				}
			}
			return nil
		},
	)
	if err != nil || len(times) == 0 {
		return err
	}
	counters := map[stock.Key]string{}
	err = store.EachCountLine(tx, c.ID, store.Near(x.pos), func(l *store.CountLine) error {
		if at, is := line[l.Pos]; is {
			counters[x.in.Lines[at].Key] = l.Counter
		}
		return nil
	})
	x.in.Before = func(of cause.Cause, l *cause.Line) (int, string) {
		for _, h := range []struct {
			of, what string
			least    int // somebody who counts much makes one slip or another
		}{{"item", x.in.Codes[stock.SKU].Text(l.Key[stock.SKU]), 1}, {"bin", x.in.Codes[stock.Bin].Text(l.Key[stock.Bin]), 1},
			{"counter", counters[l.Key], 3}} {
			if n := times[habit{string(of), h.of, h.what}]; n >= h.least {
				return n, fmt.Sprintf("accepted %s in earlier counts for %s%s", desk.Plural(n, "time", "times"), map[string]string{"bin": "bin ",
					"counter": "counts of "}[h.of], h.what)
			}
		}
		return 0, ""
	}
	return err
}
