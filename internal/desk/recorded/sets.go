// Package recorded shows recorded stock by line and by item, and keeps the newest sets and the bins in memory for the rooms that
// go over all of them.
package recorded

import (
	"context"
	"maps"
	"math"
	"slices"
	"sync"

	"wobin/internal/core/code"
	"wobin/internal/core/quantity"
	"wobin/internal/core/stock"
	"wobin/internal/desk"
	"wobin/internal/store"
)

// Room is the use cases of recorded stock.
type Room struct {
	*desk.Desk
	sets setCache
}

// New makes the room.
func New(d *desk.Desk) *Room {
	r := &Room{Desk: d}
	d.OnRenewal(func(context.Context) error { r.sets.forget(); return nil })
	return r
}

// seenBins is how many bins are drawn one by one; where there are more, racks fold into stretches.
const seenBins = 3000

// Stretches divides bins from one position to another, once.
func (b *Bins) Stretches(lo, hi int) []code.Stretch {
	b.mu.Lock()
	defer b.mu.Unlock()
	at := [2]int{lo, hi}
	if s, had := b.folds[at]; had {
		return s
	}
	s := code.Stretches(b.Ordered, b.Addresses, lo, hi, seenBins)
	b.folds[at] = s
	return s
}

func (c *setCache) forget() {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.sets, c.house = nil, nil
}

// SetLines are the lines of a set of recorded stock as columns, by position: small enough to be kept, for a set never changes but for what
// the items cost by which lines go that bring no cost.
type SetLines struct {
	leaning    bool  // lines go by what their items cost
	version    int64 // of the records
	Set        int64
	RecordedAt int64
	Bins       []int64
	Items      []int64
	Values     []int64 // noValue where the line has no cost
	Zero       []bool  // nothing is recorded
	Below      []bool  // less than nothing is recorded
	Attributes []int32 // into texts
	Texts      []string
}

// NoValue stands for a line without a cost.
const NoValue = math.MinInt64

// setCache keeps the sets that were looked at last.
type setCache struct {
	mu    sync.Mutex
	sets  []*SetLines // the last one used comes last
	house *Bins
}

const keptSets = 2

// SetOf gives a set's lines.
func (d *Room) SetOf(ctx context.Context, tx *store.Tx, id int64) (*SetLines, error) {
	d.sets.mu.Lock()
	defer d.sets.mu.Unlock()
	i := slices.IndexFunc(d.sets.sets, func(s *SetLines) bool { return s.Set == id })
	if i >= 0 && d.sets.sets[i].leaning && d.sets.sets[i].version != d.Version(0) {
		d.sets.sets = slices.Delete(d.sets.sets, i, i+1)
		i = -1
	}
	if i >= 0 {
		s := d.sets.sets[i]
		d.sets.sets = append(slices.Delete(d.sets.sets, i, i+1), s)
		return s, nil
	}
	row, err := store.SetOf(tx, id)
	if err != nil {
		return nil, err
	}
	s := &SetLines{
		Set:        id,
		version:    d.Version(0), // before reading: what comes meanwhile is read again
		RecordedAt: row.RecordedAt,
		Texts:      []string{""},
		Bins:       make([]int64, 0, row.Lines),
		Items:      make([]int64, 0, row.Lines),
		Values:     make([]int64, 0, row.Lines),
		Zero:       make([]bool, 0, row.Lines),
		Below:      make([]bool, 0, row.Lines),
	}
	at := map[string]int32{"": 0}
	var wrong error
	costs, err := store.ItemCosts(tx)
	if err != nil {
		return nil, err
	}
	err = d.Store.EachStockLine(ctx, id, func(l *store.StockLine) {
		v := int64(NoValue)
		cost := store.CostingOf(l.Cost, stock.CostOfLine)
		if !cost.Known {
			item, known := costs[l.ItemID]
			cost, s.leaning = stock.LineCost(cost, stock.Costing{Cost: item, Known: known}), true
		}
		if cost.Known {
			m, err := quantity.Value(quantity.Quantity(l.Quantity), cost.Cost)
			if v = int64(m); err != nil {
				wrong = err
			}
		}
		s.Bins, s.Items = append(s.Bins, l.BinID), append(s.Items, l.ItemID)
		s.Values, s.Zero, s.Below = append(s.Values, v), append(s.Zero, l.Quantity == 0), append(s.Below, l.Quantity < 0)
		n, had := at[l.Attributes]
		if !had {
			n = int32(len(s.Texts))
			at[l.Attributes] = n
			s.Texts = append(s.Texts, l.Attributes)
		}
		if n != 0 || s.Attributes != nil {
			for len(s.Attributes) < len(s.Bins)-1 {
				s.Attributes = append(s.Attributes, 0)
			}
			s.Attributes = append(s.Attributes, n)
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
func (s *SetLines) itemsIn(bins []int64) []int64 {
	in, seen, out := map[int64]bool{}, map[int64]bool{}, []int64{}
	for _, b := range bins {
		in[b] = true
	}
	last, is := int64(-1), false
	for i, bin := range s.Bins {
		if bin != last {
			last, is = bin, in[bin]
		}
		if is && !seen[s.Items[i]] {
			seen[s.Items[i]] = true
			out = append(out, s.Items[i])
		}
	}
	return out
}

// positionsOf gives the positions of an item's lines.
func (s *SetLines) positionsOf(item int64) (out []int64) {
	for pos, x := range s.Items {
		if x == item {
			out = append(out, int64(pos))
		}
	}
	return out
}

// binsOf gives the items that are asked for the bins that they lie in, each once.
func (s *SetLines) binsOf(items map[int64][]int64) {
	for i, item := range s.Items {
		if bins, wanted := items[item]; wanted && (len(bins) == 0 || bins[len(bins)-1] != s.Bins[i]) {
			items[item] = append(bins, s.Bins[i])
		}
	}
}

// Lying is where a line of an item is: its bin, how many of the bin's lines go before it, and how many lines the bin has.
type Lying struct {
	Bin       int64
	At, Lines int
}

// LyingOf gives the lines of an item.
func (s *SetLines) LyingOf(item int64) (out []Lying) {
	open, start := 0, 0 // the lines found in the bin in hand are those from open on
	for i := 0; i <= len(s.Bins); i++ {
		if i == len(s.Bins) || i > 0 && s.Bins[i] != s.Bins[i-1] {
			for ; open < len(out); open++ {
				out[open].Lines = i - start
			}
			if start = i; i == len(s.Bins) {
				break
			}
		}
		if s.Items[i] == item {
			out = append(out, Lying{Bin: s.Bins[i], At: i - start})
		}
	}
	return out
}

// Bins are the bins of a warehouse with their codes and zones, and what of the items is not counted.
type Bins struct {
	house, version int64
	Codes          map[int64]string
	Order          []int64  // bins in natural order
	Ordered        []string // their codes
	Addresses      []code.Address
	Zones          map[int64]int32 // by bin: into names, which stand in natural order
	Names          []string
	Natures        map[int64]string // of items that are no stock: service, parent
	Inactive       map[int64]bool
	Kept           map[int64]string // attributes of items

	mu    sync.Mutex
	folds map[[2]int][]code.Stretch // as they were worked out
}

// BinsOf gives the bins of a warehouse as they are now.
func (d *Room) BinsOf(tx *store.Tx, house int64) (*Bins, error) {
	d.sets.mu.Lock()
	defer d.sets.mu.Unlock()
	version := d.Version(0)
	if b := d.sets.house; b != nil && b.house == house && b.version == version {
		return b, nil
	}
	b := &Bins{
		house:    house,
		version:  version,
		Codes:    map[int64]string{},
		Zones:    map[int64]int32{},
		Natures:  map[int64]string{},
		Inactive: map[int64]bool{},
		Kept:     map[int64]string{},
		folds:    map[[2]int][]code.Stretch{},
	}
	zones := map[int64]string{}
	seen := map[string]bool{}
	err := store.EachBin(tx, house, func(id int64, code, zone string) {
		b.Codes[id], zones[id], seen[zone] = code, zone, true
		b.Order, b.Ordered = append(b.Order, id), append(b.Ordered, code)
	})
	if err != nil {
		return nil, err
	}
	b.Addresses, _ = code.Addresses(b.Ordered)
	b.Names = slices.Collect(maps.Keys(seen))
	code.Sort(b.Names)
	for id, z := range zones {
		n, _ := slices.BinarySearchFunc(b.Names, z, code.Compare)
		b.Zones[id] = int32(n)
	}
	err = store.EachUnusual(tx, func(id int64, nature string, active bool, attributes string) {
		if nature != "stocked" {
			b.Natures[id] = nature
		}
		if !active {
			b.Inactive[id] = true
		}
		if attributes != "" {
			b.Kept[id] = attributes
		}
	})
	if err != nil { // what was read in part is not kept
		return nil, err
	}
	d.sets.house = b
	return b, nil
}
