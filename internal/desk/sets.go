package desk

import (
	"context"
	"database/sql/driver"
	"maps"
	"math"
	"slices"
	"sync"

	"gorm.io/gorm"

	"wobin/internal/core/code"
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
	mu    sync.Mutex
	sets  []*setLines // the last one used comes last
	house *houseBins
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
		s.bins, s.items = append(s.bins, l.BinID), append(s.items, l.ItemID)
		s.values, s.zero = append(s.values, v), append(s.zero, l.Quantity == 0)
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

// lying is where a line of an item is: its bin, how many of the bin's lines go before it, and how many lines the bin has.
type lying struct {
	bin       int64
	at, lines int
}

// lyingOf gives the lines of an item.
func (s *setLines) lyingOf(item int64) (out []lying) {
	open, start := 0, 0 // the lines found in the bin in hand are those from open on
	for i := 0; i <= len(s.bins); i++ {
		if i == len(s.bins) || i > 0 && s.bins[i] != s.bins[i-1] {
			for ; open < len(out); open++ {
				out[open].lines = i - start
			}
			if start = i; i == len(s.bins) {
				break
			}
		}
		if s.items[i] == item {
			out = append(out, lying{bin: s.bins[i], at: i - start})
		}
	}
	return out
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
	version := d.Version(0)
	if b := d.sets.house; b != nil && b.house == house && b.version == version {
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
	d.sets.house = b
	return b, err
}
