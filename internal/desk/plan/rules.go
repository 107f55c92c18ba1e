package plan

import (
	"cmp"
	"context"
	"database/sql/driver"
	"slices"
	"sync"
	"time"

	"gorm.io/gorm"

	"wobin/internal/core/cutting"
	"wobin/internal/core/quantity"
	"wobin/internal/core/scope"
	"wobin/internal/store"
)

// facts are what rules ask beyond the recorded lines themselves. They are kept in memory until something changes that they hang on.
type facts struct {
	mu      sync.Mutex
	version int64
	names   map[string]int32 // of categories and classes, by text
	items   []itemFacts      // by number of the item

	set     int64 // the set of recorded lines that the rest stands beside
	at      time.Time
	counted []int64       // by line: when it was last counted, nanoseconds
	turns   []uint16      // by line: in how many counts it was counted within a year
	waits   []uint32      // by line: of its item in its bin, lines that are on sheets of running counts, uncounted
	days    map[int64]int // lines that were counted, by the day since 1970
	wrong   []bool
	moved   []int64
	classes map[classing][]byte // by line

	paces map[int64]paced // by warehouse
}

// paced is a pace as it was found out.
type paced struct {
	at   time.Time
	pace cutting.Pace
	is   bool // by earlier counts
}

// itemFacts are an item's category and class, as numbers.
type itemFacts struct{ category, class int32 }

// classing is how classes are worked out.
type classing struct {
	by   string
	a, b int
}

// fresh is how long what was counted and what moved is taken as it was seen: whoever plans sees the counts of a minute ago.
const fresh = time.Minute

// rulers tests the lines of a set by rules.
type rulers struct {
	rules []*scope.Ruler
	line  func(i int, l *scope.Line)
	abc   [][]byte // by rule, by line
	at    scope.Line
}

// hold tells whether all rules pick a line.
func (r *rulers) hold(i int) bool {
	if len(r.rules) == 0 {
		return true
	}
	r.line(i, &r.at)
	for n, x := range r.rules {
		if r.abc[n] != nil {
			r.at.ABC = r.abc[n][i]
		}
		if !x.Holds(&r.at) {
			return false
		}
	}
	return true
}

// rules prepares the rules of a scope. Values that nothing has are noted in s.
func (d *Room) rules(ctx context.Context, tx *gorm.DB, h *store.Warehouse, s *scoped, rules []scope.Rule) (*rulers, error) {
	out := &rulers{}
	if len(rules) == 0 {
		return out, nil
	}
	f := &d.facts
	f.mu.Lock()
	defer f.mu.Unlock()
	if err := f.loadItems(tx, d.Version(0)); err != nil {
		return nil, err
	}
	uses := func(what ...scope.What) bool {
		return slices.ContainsFunc(rules, func(r scope.Rule) bool { return slices.Contains(what, r.What) })
	}
	f.renew(s.Set, d.Now())
	if uses(scope.Age, scope.Moved, scope.Wrong) && f.counted == nil {
		if err := f.loadCounted(ctx, tx, h, s, d.Now()); err != nil {
			return nil, err
		}
	}
	if uses(scope.Moved) && f.moved == nil {
		if err := f.loadMoved(tx, h, s); err != nil {
			return nil, err
		}
	}
	for _, r := range rules {
		number := func(v string) (int32, bool) {
			n, ok := f.names[v]
			if !ok {
				s.unknown = append(s.unknown, v)
			}
			return n, ok
		}
		if r.What == scope.SKU {
			items, err := itemsNamed(tx, r.Values)
			if err != nil {
				return nil, err
			}
			number = func(v string) (int32, bool) {
				id, ok := items[v]
				if !ok {
					s.unknown = append(s.unknown, v)
				}
				return int32(id), ok
			}
		}
		out.rules = append(out.rules, scope.New(r, d.Now().UnixNano(), number))
		var classes []byte
		if r.What == scope.ABC {
			a, b := r.Limits()
			var err error
			if classes, err = f.classesBy(tx, h, s, classing{cmp.Or(r.By, scope.ByValue), a, b}, d.Now()); err != nil {
				return nil, err
			}
		}
		out.abc = append(out.abc, classes)
	}
	items, counted, wrong, moved := f.items, f.counted, f.wrong, f.moved
	out.line = func(i int, l *scope.Line) {
		item := s.Items[i]
		*l = scope.Line{SKU: int32(item), Value: s.Values[i]}
		if int(item) < len(items) {
			l.Category, l.Class = items[item].category, items[item].class
		}
		switch {
		case s.Below[i]:
			l.Sign = -1
		case !s.Zero[i]:
			l.Sign = 1
		}
		if counted != nil {
			l.Counted, l.Wrong = counted[i], wrong[i]
		}
		if moved != nil {
			l.Moved = moved[i]
		}
	}
	return out, nil
}

// renew lets go of what is not true any more of a set at a moment.
func (f *facts) renew(set int64, now time.Time) {
	if f.set != set || now.Sub(f.at) > fresh || now.Before(f.at) {
		f.set, f.at, f.counted, f.wrong, f.moved, f.classes = set, now, nil, nil, nil, map[classing][]byte{}
	}
}

// forget lets go of what hangs on counts.
func (f *facts) forget() {
	f.mu.Lock()
	defer f.mu.Unlock()
	f.set = -1
}

// loadItems reads the categories and classes of all items.
func (f *facts) loadItems(tx *gorm.DB, version int64) error {
	if f.names != nil && f.version == version {
		return nil
	}
	names, items := map[string]int32{}, []itemFacts{}
	number := func(v driver.Value) int32 {
		t, _ := v.(string)
		n, had := names[t]
		if !had {
			n = int32(len(names) + 1)
			names[t] = n
		}
		return n
	}
	err := store.Each(tx, "SELECT id, category, class FROM items ORDER BY id", nil, func(v []driver.Value) error {
		id := v[0].(int64)
		for int64(len(items)) <= id {
			items = append(items, itemFacts{})
		}
		items[id] = itemFacts{number(v[1]), number(v[2])}
		return nil
	})
	if err == nil {
		f.names, f.items, f.version, f.set = names, items, version, -1
	}
	return err
}

type placed struct{ bin, item int64 }

const daySeconds = 24 * 60 * 60

// loadCounted reads when each line's item was last counted in its bin, how often within a year, whether it was wrong
// then, and whether it waits for being counted.
func (f *facts) loadCounted(ctx context.Context, tx *gorm.DB, h *store.Warehouse, s *scoped, now time.Time) error {
	type last struct {
		at, count int64
		turns     uint16
		waits     uint32
		wrong     bool
	}
	known := map[placed]last{}
	f.days = map[int64]int{}
	year := now.AddDate(-1, 0, 0).UnixNano()
	err := store.Each(
		tx,
		`SELECT l.bin_id, l.item_id, l.counted_at, l.status IN ('over', 'short', 'found'), l.entries, l.count_id, l.has_row
		FROM counts c CROSS JOIN count_lines l ON l.count_id = c.id
		WHERE c.warehouse_id = ? AND (c.state = ? OR c.state = ? AND l.entries > 0)`,
		[]driver.Value{h.ID, store.Running, store.Finished},
		func(v []driver.Value) error {
			k := placed{v[0].(int64), v[1].(int64)}
			x := known[k]
			if v[4].(int64) == 0 {
				if v[6].(int64) != 0 {
					x.waits++
					known[k] = x
				}
				return ctx.Err()
			}
			at, wrong, count := v[2].(int64), v[3] == int64(1), v[5].(int64)
			f.days[at/int64(time.Second)/daySeconds]++
			if at >= year && x.count != count { // lots of an item in a bin are one turn
				x.turns, x.count = x.turns+1, count
			}
			if at > x.at || at == x.at && wrong {
				x.at, x.wrong = at, wrong
			}
			known[k] = x
			return ctx.Err()
		},
	)
	if err != nil {
		return err
	}
	n := len(s.Bins)
	f.counted, f.wrong, f.turns, f.waits = make([]int64, n), make([]bool, n), make([]uint16, n), make([]uint32, n)
	for i, bin := range s.Bins {
		x := known[placed{bin, s.Items[i]}]
		f.counted[i], f.wrong[i], f.turns[i], f.waits[i] = x.at, x.wrong, x.turns, x.waits
	}
	return nil
}

// loadMoved reads when each line's item last moved in its bin; a movement without a bin is one of all its bins.
func (f *facts) loadMoved(tx *gorm.DB, h *store.Warehouse, s *scoped) error {
	last := map[placed]int64{}
	err := store.Each(
		tx,
		"SELECT bin_id, item_id, max(at) FROM movements WHERE warehouse_id = ? GROUP BY bin_id, item_id",
		[]driver.Value{h.ID},
		func(v []driver.Value) error {
			last[placed{v[0].(int64), v[1].(int64)}] = v[2].(int64)
			return nil
		},
	)
	if err != nil {
		return err
	}
	f.moved = make([]int64, len(s.Bins))
	if len(last) == 0 {
		return nil
	}
	for i, bin := range s.Bins {
		f.moved[i] = max(last[placed{bin, s.Items[i]}], last[placed{0, s.Items[i]}])
	}
	return nil
}

// classesBy gives each line's class, worked out once.
func (f *facts) classesBy(tx *gorm.DB, h *store.Warehouse, s *scoped, by classing, now time.Time) ([]byte, error) {
	if classes := f.classes[by]; classes != nil {
		return classes, nil
	}
	classes, err := f.classify(tx, h, s, by, now)
	if err == nil {
		f.classes[by] = classes
	}
	return classes, err
}

// classify works out each line's class: that of its item in this warehouse.
func (f *facts) classify(tx *gorm.DB, h *store.Warehouse, s *scoped, by classing, now time.Time) ([]byte, error) {
	worth := make([]int64, len(f.items))
	add := func(item, value int64) {
		if item < int64(len(worth)) && value > 0 {
			sum, ok := quantity.AddMoney(quantity.Money(worth[item]), quantity.Money(value))
			if !ok { // beyond all others anyway
				sum = quantity.Money(quantity.Limit)
			}
			worth[item] = int64(sum)
		}
	}
	if by.by == scope.ByValue {
		for i, item := range s.Items {
			if s.Values[i] != scope.NoValue {
				add(item, s.Values[i])
			}
		}
	} else {
		// What went through the warehouse in a year, in and out, at what the item costs here, else by itself.
		err := store.Each(tx, `SELECT m.item_id, sum(abs(m.quantity)), coalesce((SELECT x.cost FROM set_items x WHERE x.set_id = ? AND x.item_id = m.item_id), i.cost)
			FROM movements m JOIN items i ON i.id = m.item_id WHERE m.warehouse_id = ? AND m.at >= ? GROUP BY m.item_id`,
			[]driver.Value{h.SetID, h.ID, now.AddDate(-1, 0, 0).UnixNano()}, func(v []driver.Value) error {
				moved, _ := v[1].(int64)
				if cost, has := v[2].(int64); has {
					value, err := quantity.Value(quantity.Quantity(moved), quantity.Cost(cost))
					if err != nil {
						value = quantity.Money(quantity.Limit)
					}
					add(v[0].(int64), int64(value))
				}
				return nil
			})
		if err != nil {
			return nil, err
		}
	}
	classes := scope.Classes(worth, by.a, by.b)
	out := make([]byte, len(s.Items))
	for i, item := range s.Items {
		if out[i] = 'C'; item < int64(len(classes)) {
			out[i] = classes[item]
		}
	}
	return out, nil
}

// itemsNamed finds items by SKU, else by SKU without regard to case, barcode or further SKU where that leads to one.
func itemsNamed(tx *gorm.DB, names []string) (map[string]int64, error) {
	out := make(map[string]int64, len(names))
	find := func(left []string, query string) error {
		for some := range slices.Chunk(left, 500) {
			several := map[string]bool{}
			var rows []struct {
				ID   int64
				Name string
			}
			if err := tx.Raw(query, some).Scan(&rows).Error; err != nil {
				return err
			}
			by := map[string]string{}
			for _, n := range some {
				by[foldASCII(n)] = n
				by[n] = n
			}
			for _, r := range rows {
				n, ok := by[r.Name]
				if !ok {
					n, ok = by[foldASCII(r.Name)]
				}
				if was, had := out[n]; ok && had && was != r.ID {
					several[n] = true
				} else if ok {
					out[n] = r.ID
				}
			}
			for n := range several {
				delete(out, n)
			}
		}
		return nil
	}
	for _, query := range []string{"SELECT id, sku AS name FROM items WHERE sku IN ?", "SELECT id, sku AS name FROM items WHERE sku COLLATE NOCASE IN ?",
		"SELECT id, barcode AS name FROM items WHERE barcode IN ?", "SELECT id, further_sku AS name FROM items WHERE further_sku IN ?"} {
		var left []string
		for _, n := range names {
			if _, had := out[n]; !had {
				left = append(left, n)
			}
		}
		if err := find(left, query); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// foldASCII is what SQLite's NOCASE takes for the same.
func foldASCII(s string) string {
	b := []byte(s)
	for i, c := range b {
		if 'a' <= c && c <= 'z' {
			b[i] = c - 'a' + 'A'
		}
	}
	return string(b)
}

// pacedSheets is how many of the last sheets are looked at.
const pacedSheets = 200

// pace gives how long counting takes here: by the sheets that came back with times, against what they take at the usual pace; paced is
// false where nothing is known, which is taken at the usual pace.
func (d *Room) pace(tx *gorm.DB, house int64) (cutting.Pace, bool, error) {
	f, now := &d.facts, d.Now()
	f.mu.Lock()
	defer f.mu.Unlock()
	if x, had := f.paces[house]; had && now.Sub(x.at) < fresh && !now.Before(x.at) {
		return x.pace, x.is, nil
	}
	pace, is, err := paceOf(tx, house)
	if err == nil {
		if f.paces == nil {
			f.paces = map[int64]paced{}
		}
		f.paces[house] = paced{now, pace, is}
	}
	return pace, is, err
}

func paceOf(tx *gorm.DB, house int64) (p cutting.Pace, is bool, err error) {
	p = cutting.Usual
	var rows []struct{ Seconds, Lines, Took int64 }
	// The entries of a sheet reach from the first line that was counted to the last one; a pause longer than a shift is none.
	err = tx.Raw(`SELECT s.seconds, s.lines, (max(e.counted_at) - min(e.counted_at)) / 1000000000 AS took FROM sheets s JOIN counts c ON c.id = s.count_id
		JOIN entries e ON e.count_id = s.count_id AND e.pos >= s.first AND e.pos < s.first + s.lines
		WHERE c.warehouse_id = ? AND c.state <> ?
		AND s.id IN (SELECT id FROM sheets WHERE state = ? AND counted = lines AND lines > 4 ORDER BY back_at DESC LIMIT ?)
		AND s.seconds > 0 AND e.round = 1 AND e.parcel = 0 AND NOT e.withdrawn GROUP BY s.id HAVING count(DISTINCT e.counted_at) > 4 AND took BETWEEN 60 AND 36000`,
		house, store.Freezing, store.Back, pacedSheets).
		Scan(&rows).
		Error
	if err != nil {
		return p, false, err
	}
	var took, usual int64
	for _, r := range rows {
		took, usual = took+r.Took, usual+r.Lines*cutting.Usual.Line+r.Lines*cutting.Usual.Bin/3
	}
	if len(rows) == 0 {
		return p, false, nil
	}
	return p.At(took, usual), true, nil
}
