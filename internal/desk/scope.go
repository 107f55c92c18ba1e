package desk

import (
	"cmp"
	"context"
	"database/sql/driver"
	"encoding/json"
	"maps"
	"math"
	"slices"
	"strings"
	"sync"

	"gorm.io/gorm"

	"wobin/internal/core/code"
	"wobin/internal/core/counting"
	"wobin/internal/core/layout"
	"wobin/internal/core/quantity"
	"wobin/internal/store"
)

// setLines are the lines of a set of recorded stock as columns, by place: small enough to be kept, for a set never changes.
type setLines struct {
	set        int64
	recordedAt int64
	bins       []int64
	items      []int64
	values     []int64 // noValue where the line has no cost
	zero       []bool  // nothing is recorded
	attributes []int32 // into texts
	texts      []string
}

const noValue = math.MinInt64

// setCache keeps the sets that were looked at last.
type setCache struct {
	mu   sync.Mutex
	sets []*setLines // the last one used comes last
}

const keptSets = 2

// setOf gives a set's lines.
func (d *Desk) setOf(ctx context.Context, tx *gorm.DB, id int64) (*setLines, error) {
	d.sets.mu.Lock()
	defer d.sets.mu.Unlock()
	if i := slices.IndexFunc(d.sets.sets, func(s *setLines) bool { return s.set == id }); i >= 0 {
		s := d.sets.sets[i]
		d.sets.sets = append(slices.Delete(d.sets.sets, i, i+1), s)
		return s, nil
	}
	var row store.StockSet
	if err := tx.Limit(1).Find(&row, id).Error; err != nil {
		return nil, err
	}
	s := &setLines{
		set:        id,
		recordedAt: row.RecordedAt,
		texts:      []string{""},
		bins:       make([]int64, 0, row.Lines),
		items:      make([]int64, 0, row.Lines),
		values:     make([]int64, 0, row.Lines),
		zero:       make([]bool, 0, row.Lines),
	}
	at := map[string]int32{"": 0}
	var wrong error
	err := d.store.EachStockLine(ctx, id, func(l *store.StockLine) {
		v := int64(noValue)
		if l.Cost != nil {
			m, err := quantity.Value(quantity.Quantity(l.Quantity), quantity.Cost(*l.Cost))
			if v = int64(m); err != nil {
				wrong = err
			}
		}
		s.bins, s.items, s.values, s.zero = append(
			s.bins,
			l.BinID,
		), append(
			s.items,
			l.ItemID,
		), append(
			s.values,
			v,
		), append(
			s.zero,
			l.Quantity == 0,
		)
		n, had := at[l.Attributes]
		if !had {
			n = int32(len(s.texts))
			at[l.Attributes] = n
			s.texts = append(s.texts, l.Attributes)
		}
		if n != 0 || s.attributes != nil {
			for len(s.attributes) < len(s.bins)-1 {
				s.attributes = append(s.attributes, 0)
			}
			s.attributes = append(s.attributes, n)
		}
	})
	if err == nil {
		err = wrong
	}
	if err != nil {
		return nil, err
	}
	if d.sets.sets = append(d.sets.sets, s); len(d.sets.sets) > keptSets {
		d.sets.sets = d.sets.sets[1:]
	}
	return s, nil
}

// itemsIn gives the items that lie in some bins.
func (s *setLines) itemsIn(bins []int64) []int64 {
	in, seen, out := map[int64]bool{}, map[int64]bool{}, []int64{}
	for _, b := range bins {
		in[b] = true
	}
	last, is := int64(-1), false
	for i, bin := range s.bins {
		if bin != last {
			last, is = bin, in[bin]
		}
		if is && !seen[s.items[i]] {
			seen[s.items[i]] = true
			out = append(out, s.items[i])
		}
	}
	return out
}

// binsOf gives the items that are asked for the bins that they lie in, each once.
func (s *setLines) binsOf(items map[int64][]int64) {
	for i, item := range s.items {
		if bins, wanted := items[item]; wanted && (len(bins) == 0 || bins[len(bins)-1] != s.bins[i]) {
			items[item] = append(bins, s.bins[i])
		}
	}
}

// houseBins are the bins of a warehouse with their codes and zones, and what of the items is not counted.
type houseBins struct {
	house, version int64
	codes          map[int64]string
	order          []int64  // bins in natural order
	ordered        []string // their codes
	places         []code.Place
	zones          map[int64]int32 // by bin: into names, which stand in natural order
	names          []string
	natures        map[int64]string // of items that are no stock: service, parent
	inactive       map[int64]bool
	kept           map[int64]string // attributes of items

	mu    sync.Mutex
	folds map[[2]int][]code.Stretch // as they were worked out
}

// binsOf gives the bins of a warehouse as they are now.
func (d *Desk) binsOf(tx *gorm.DB, house int64) (*houseBins, error) {
	d.sets.mu.Lock()
	defer d.sets.mu.Unlock()
	version := d.changes.of(0)
	if b := d.houseBins; b != nil && b.house == house && b.version == version {
		return b, nil
	}
	b := &houseBins{
		house:    house,
		version:  version,
		codes:    map[int64]string{},
		zones:    map[int64]int32{},
		natures:  map[int64]string{},
		inactive: map[int64]bool{},
		kept:     map[int64]string{},
		folds:    map[[2]int][]code.Stretch{},
	}
	text := func(v driver.Value) string { t, _ := v.(string); return t }
	zones := map[int64]string{}
	seen := map[string]bool{}
	err := store.Each(
		tx,
		"SELECT id, code, zone FROM bins WHERE warehouse_id = ? ORDER BY sort_key",
		[]driver.Value{house},
		func(v []driver.Value) error {
			id, zone := v[0].(int64), text(v[2])
			b.codes[id], zones[id], seen[zone] = text(v[1]), zone, true
			b.order, b.ordered = append(b.order, id), append(b.ordered, text(v[1]))
			return nil
		},
	)
	if err != nil {
		return nil, err
	}
	b.places, _ = code.Places(b.ordered)
	b.names = slices.Collect(maps.Keys(seen))
	code.Sort(b.names)
	for id, z := range zones {
		n, _ := slices.BinarySearchFunc(b.names, z, code.Compare)
		b.zones[id] = int32(n)
	}
	err = store.Each(
		tx,
		"SELECT id, nature, active, attributes FROM items WHERE nature <> 'stocked' OR active = 0 OR attributes <> ''",
		nil,
		func(v []driver.Value) error {
			id := v[0].(int64)
			if n := text(v[1]); n != "stocked" {
				b.natures[id] = n
			}
			if v[2] == int64(0) || v[2] == false {
				b.inactive[id] = true
			}
			if t := text(v[3]); t != "" {
				b.kept[id] = t
			}
			return nil
		},
	)
	d.houseBins = b
	return b, err
}

// scoped is what a scope picks: the lines of a set that are to be counted, in walking order, and what was left out.
type scoped struct {
	*setLines
	where *houseBins
	lines []int32 // places in the set
	left  LeftOut
	read  map[string]map[string]string // attributes by their text
}

// scope finds the recorded lines in scope that are to be counted, in walking order (zone by zone where bins have zones).
func (d *Desk) scope(ctx context.Context, tx *gorm.DB, h *store.Warehouse, sc Scope) (*scoped, error) {
	set, err := d.setOf(ctx, tx, h.SetID)
	if err != nil {
		return nil, err
	}
	where, err := d.binsOf(tx, h.ID)
	if err != nil {
		return nil, err
	}
	s := &scoped{setLines: set, where: where, read: map[string]map[string]string{}}
	in := func(bin int64) bool { return true }
	switch {
	case len(sc.Bins) > 0:
		some := map[int64]bool{}
		for _, b := range sc.Bins {
			some[b] = true
		}
		in = func(bin int64) bool { return some[bin] }
	case len(sc.Zones) > 0:
		some := map[int32]bool{}
		for i, z := range where.names {
			some[int32(i)] = slices.Contains(sc.Zones, z)
		}
		in = func(bin int64) bool { return some[where.zones[bin]] }
	}
	last, is := int64(-1), false // lines of a bin stand together
	var zone int32
	byZone := make([][]int32, len(where.names))
	for i, bin := range set.bins {
		if bin != last {
			last, is, zone = bin, in(bin), where.zones[bin]
		}
		if !is {
			continue
		}
		if len(sc.Kept) > 0 {
			fits, err := s.fits(i, sc.Kept)
			if err != nil {
				return nil, err
			}
			if !fits {
				continue
			}
		}
		item := set.items[i]
		switch nature := where.natures[item]; {
		case nature == "service":
			s.left.Services++
		case nature == "parent":
			s.left.Parents++
		case set.zero[i] && where.inactive[item]:
			s.left.Inactive++
		default:
			byZone[zone] = append(byZone[zone], int32(i))
		}
	}
	if len(byZone) == 1 {
		s.lines = byZone[0]
		return s, nil
	}
	for _, z := range byZone {
		s.lines = append(s.lines, z...)
	}
	return s, nil
}

// attributesOf gives a line's attributes, those of the item first, by their names in layouts.
func (s *scoped) attributesOf(line int) (map[string]string, error) {
	own, item := "", s.where.kept[s.items[line]]
	if line < len(s.attributes) {
		own = s.texts[s.attributes[line]]
	}
	if own == "" && item == "" {
		return nil, nil
	}
	both := item + "\x00" + own
	if out, had := s.read[both]; had {
		return out, nil
	}
	out := map[string]string{}
	for of, text := range map[string]string{layout.ItemAttribute: item, layout.LineAttribute: own} {
		if text == "" {
			continue
		}
		var kept map[string]string
		if err := json.Unmarshal([]byte(text), &kept); err != nil {
			return nil, err
		}
		for name, v := range kept {
			out[of+name] = v
		}
	}
	s.read[both] = out
	return out, nil
}

func (s *scoped) fits(line int, rules []KeptRule) (bool, error) {
	all, err := s.attributesOf(line)
	if err != nil {
		return false, err
	}
	for _, k := range rules {
		name := k.Attribute
		if !strings.HasPrefix(name, layout.ItemAttribute) && !strings.HasPrefix(name, layout.LineAttribute) {
			name = layout.LineAttribute + name
		}
		if v, has := all[name]; !has || !slices.Contains(k.Values, v) {
			return false, nil
		}
	}
	return true, nil
}

// cut gives the ends of the sheets among the lines.
func (s *scoped) cut(rows int) []int {
	return counting.Cut(
		len(s.lines),
		rows,
		func(i int) int64 { return int64(s.where.zones[s.bins[s.lines[i]]]) },
		func(i int) int64 { return s.bins[s.lines[i]] },
	)
}

func (s *scoped) zone(i int) string { return s.where.names[s.where.zones[s.bins[s.lines[i]]]] }
func (s *scoped) bin(i int) string  { return s.where.codes[s.bins[s.lines[i]]] }

// listedSheets is how many of the sheets that would be cut are listed.
const listedSheets = 500

// tally sums a scope up.
func (s *scoped) tally(rows int) (t Tally, err error) {
	t = Tally{Lines: len(s.lines), LeftOut: s.left, Sheets: []SheetTally{}, Zones: []ZoneTally{}}
	var most int64
	for _, i := range s.items {
		most = max(most, i)
	}
	seen := make([]bool, most+1)
	lastBin, lastZone := int64(-1), int32(-1)
	counts := map[string]map[string]int{}
	for _, n := range s.lines {
		if bin := s.bins[n]; bin != lastBin {
			lastBin = bin
			t.Bins++
			if z := s.where.zones[bin]; z != lastZone {
				lastZone = z
				t.Zones = append(t.Zones, ZoneTally{Zone: s.where.names[z]})
			}
		}
		t.Zones[len(t.Zones)-1].Lines++
		if item := s.items[n]; !seen[item] {
			seen[item] = true
			t.Items++
		}
		if v := s.values[n]; v == noValue {
			t.Unvalued++
		} else if sum, ok := quantity.AddMoney(t.Value, quantity.Money(v)); ok {
			t.Value = sum
		} else {
			return t, tooMuch()
		}
		if len(s.attributes) > 0 || len(s.where.kept) > 0 {
			kept, err := s.attributesOf(int(n))
			if err != nil {
				return t, err
			}
			for name, v := range kept {
				if counts[name] == nil {
					counts[name] = map[string]int{}
				}
				counts[name][v]++
			}
		}
	}
	t.Kept = keptTally(counts)
	from, ends := 0, s.cut(rows)
	t.SheetsN = len(ends)
	for _, end := range ends[:min(len(ends), listedSheets)] {
		t.Sheets = append(t.Sheets, SheetTally{s.zone(from), s.bin(from), s.bin(end - 1), end - from})
		from = end
	}
	return t, nil
}

// writeFrozen writes a count that nobody sees yet: its row, its sheets, none longer than rows, its lines and its tallies.
func (d *Desk) writeFrozen(ctx context.Context, c *store.Count, s *scoped, rows int) (sheets int, err error) {
	ends := s.cut(rows)
	list := make([]store.Sheet, len(ends))
	err = d.store.Write(ctx, func(tx *gorm.DB) error {
		if err := tx.Create(c).Error; err != nil {
			return err
		}
		from := 0
		for n, end := range ends {
			list[n] = store.Sheet{
				CountID:  c.ID,
				Number:   n + 1,
				Code:     counting.SheetCode(int(c.ID), n+1),
				Zone:     s.zone(from),
				FirstBin: s.bin(from),
				LastBin:  s.bin(end - 1),
				First:    int64(from + 1),
				Lines:    end - from,
				State:    store.WithUs,
			}
			from = end
		}
		return store.Batch(tx, list)
	})
	if err != nil {
		return 0, err
	}
	tx := d.store.Read(ctx)
	items, err := d.countItems(tx, c, s)
	if err != nil {
		return 0, err
	}
	t := freezing{count: c, scope: s, sheets: list, categories: items, parts: map[store.Part]*store.PartTally{}, columns: columnsOf(c)}
	// One piece is written while the next one is made.
	written := make(chan error, 1)
	written <- nil
	for from := 0; from < len(s.lines) && err == nil; from += store.Piece {
		var piece []store.CountLine
		piece, err = t.piece(tx, from, min(from+store.Piece, len(s.lines)))
		if last := <-written; err == nil {
			err = last
		}
		if err != nil {
			return 0, err
		}
		go func() { written <- d.store.WriteFrozen(ctx, c.ID, piece) }()
		d.Events.Tell(
			Event{
				What:  "progress",
				Count: c.ID,
				Text:  "Freezing " + c.Name,
				Done:  from + len(piece),
				Of:    len(s.lines),
				Rows:  from + len(piece),
			},
		)
	}
	if err := <-written; err != nil {
		return 0, err
	}
	known := make([]store.CountItem, 0, len(items))
	for _, id := range slices.Sorted(maps.Keys(items)) {
		known = append(known, items[id])
	}
	if err := d.store.WriteCountItems(ctx, known); err != nil {
		return 0, err
	}
	return len(ends), d.store.WriteCountTallies(ctx, c.ID, t.tallies())
}

// countItems gives what a count knows of the items in its scope.
func (d *Desk) countItems(tx *gorm.DB, c *store.Count, s *scoped) (map[int64]store.CountItem, error) {
	in := make(map[int64]bool)
	for _, n := range s.lines {
		in[s.items[n]] = true
	}
	out := make(map[int64]store.CountItem, len(in))
	return out, store.Each(tx, "SELECT id, category, class FROM items", nil, func(v []driver.Value) error {
		if id := v[0].(int64); in[id] {
			category, _ := v[1].(string)
			class, _ := v[2].(string)
			out[id] = store.CountItem{CountID: c.ID, ItemID: id, Category: category, Class: class}
		}
		return nil
	})
}

// freezing makes the lines of a count and gathers their tallies.
type freezing struct {
	count      *store.Count
	scope      *scoped
	sheets     []store.Sheet
	sheet      int // the one in hand
	categories map[int64]store.CountItem
	columns    []string
	parts      map[store.Part]*store.PartTally
	bin        *store.PartTally
	zone, all  *store.PartTally
}

func (t *freezing) part(p store.Part) *store.PartTally {
	x := t.parts[p]
	if x == nil {
		x = &store.PartTally{Part: p}
		t.parts[p] = x
	}
	return x
}

// piece makes a stretch of the lines.
func (t *freezing) piece(tx *gorm.DB, from, to int) ([]store.CountLine, error) {
	s := t.scope
	places, at := make([]int64, to-from), make([]int32, to-from)
	for i := range places {
		at[i] = int32(from + i)
	}
	slices.SortFunc(at, func(a, b int32) int { return cmp.Compare(s.lines[a], s.lines[b]) }) // as they stand in the set
	for i, n := range at {
		places[i] = int64(s.lines[n])
	}
	piece, next := make([]store.CountLine, to-from), 0
	err := store.StockLinesAt(tx, s.set, places, func(l *store.StockLine) error {
		n := int(at[next])
		next++
		line := &piece[n-from]
		*line = store.CountLine{
			Pos:      int64(n + 1),
			BinID:    l.BinID,
			ItemID:   l.ItemID,
			Lot:      l.Lot,
			Serial:   l.Serial,
			Holding:  l.Holding,
			RecordID: l.RecordID,
			HasRow:   true,
			Recorded: l.Quantity,
			Cost:     l.Cost,
		}
		if len(t.columns) == 0 {
			return nil
		}
		all, err := s.attributesOf(int(s.lines[n]))
		if err == nil {
			line.Attributes, err = keep(all, t.columns)
		}
		return err
	})
	if err != nil {
		return nil, err
	}
	for i := range piece {
		l := &piece[i]
		for int64(t.sheets[t.sheet].First)+int64(t.sheets[t.sheet].Lines) <= l.Pos {
			t.sheet++
		}
		l.SheetID = t.sheets[t.sheet].ID
		t.tally(l)
	}
	return piece, nil
}

// tally takes a line, which is uncounted, into those of its parts.
func (t *freezing) tally(l *store.CountLine) {
	if t.bin == nil || t.bin.Bin != l.BinID {
		name := t.scope.where.names[t.scope.where.zones[l.BinID]]
		t.bin = t.part(store.Part{Sort: store.PartBin, Bin: l.BinID})
		t.bin.SheetID, t.bin.Zone = l.SheetID, name
		t.zone, t.all = t.part(store.Part{Sort: store.PartZone, Name: name}), t.part(store.Part{Sort: store.PartAll})
	}
	for _, p := range []*store.PartTally{t.bin, t.zone, t.all, t.part(store.Part{Sort: store.PartCategory,
		Name: t.categories[l.ItemID].Category})} {
		p.Lines++
		p.RecordedLines++
		p.Uncounted++
		if l.Cost == nil {
			p.Unvalued++
		}
	}
}

// tallies gives them in the order in which they are stored.
func (t *freezing) tallies() []store.PartTally {
	out := make([]store.PartTally, 0, len(t.parts))
	for _, p := range t.parts {
		out = append(out, *p)
	}
	slices.SortFunc(out, func(a, b store.PartTally) int {
		return cmp.Or(cmp.Compare(a.Sort, b.Sort), cmp.Compare(a.Bin, b.Bin), cmp.Compare(a.Name, b.Name))
	})
	return out
}
