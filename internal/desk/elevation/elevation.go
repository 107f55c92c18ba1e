// Package elevation draws the bins of a warehouse as racks, folded where there are too many, with what is known of each at a stage.
package elevation

import (
	"context"
	"fmt"
	"math"
	"sync"

	"wobin/internal/core/code"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/desk/recorded"
	"wobin/internal/store"
)

// Room is the use cases of the elevation.
type Room struct {
	*desk.Desk
	recorded *recorded.Room
	states   stateCache
}

// New makes the room over recorded stock, whose bins it draws.
func New(d *desk.Desk, r *recorded.Room) *Room {
	e := &Room{Desk: d, recorded: r}
	d.OnRenewal(func(context.Context) error { e.states.forget(); return nil })
	return e
}

// Tile is one bin of the elevation, or a stretch of racks that is folded into one tile: its number is below zero then.
type Tile struct {
	ID    int64  `json:"id"`
	Code  string `json:"code"`
	Zone  string `json:"zone"`
	Aisle string `json:"aisle"`
	Bay   string `json:"bay"`
	Level string `json:"level"`
	At    string `json:"at,omitempty" doc:"of a stretch: what opens it"`
	Bins  int    `json:"bins,omitempty" doc:"of a stretch: how many bins it has"`
	Open  bool   `json:"open,omitempty" doc:"of a stretch: what is in it follows"`
	Depth int    `json:"depth,omitempty" doc:"of a stretch: how many it is in"`
}

// tileOf is a bin or stretch that is to be drawn: its position or positions in the natural order of the bins.
type tileOf struct {
	code.Stretch
	bin   int64 // 0 for a stretch
	open  bool
	depth int
}

func (t *tileOf) id() int64 {
	if t.bin != 0 {
		return t.bin
	}
	return -(int64(t.From)*10_000_000 + int64(t.To) + 1)
}

// drawn gives what is to be drawn of a warehouse: all bins where they are few enough, else stretches, and what is in the one
// that is opened at a position (from and to, as in "120-3000").
func drawn(b *recorded.Bins, at string) (out []tileOf) {
	from, to := -1, -1
	if _, err := fmt.Sscanf(at, "%d-%d", &from, &to); err != nil {
		from, to = -1, -1
	}
	var unfold func(lo, hi, depth int)
	unfold = func(lo, hi, depth int) {
		folds := b.Stretches(lo, hi)
		if folds == nil {
			for i := lo; i < hi; i++ {
				out = append(out, tileOf{Stretch: code.Stretch{From: i, To: i + 1, Name: b.Ordered[i]}, bin: b.Order[i]})
			}
			return
		}
		for _, f := range folds {
			open := from >= f.From && to <= f.To && from < to
			out = append(out, tileOf{Stretch: f, open: open, depth: depth})
			if open && (depth == 0 || to-from < hi-lo) {
				unfold(f.From, f.To, depth+1)
			}
		}
	}
	unfold(0, len(b.Order), 0)
	return out
}

// Elevation is the racks of a warehouse as they stand: its bins in natural order, with aisle, bay and level as
// their codes tell. A bin whose code follows no pattern has no aisle. Where there are too many to be seen they are folded
// into stretches, of which one is open.
func (d *Room) Elevation(ctx context.Context, p desk.Person, houseID int64, at string) ([]Tile, error) {
	if err := desk.Allow(p, desk.Look); err != nil {
		return nil, err
	}
	tx := d.Store.Read(ctx)
	if _, err := desk.WarehouseRow(tx, houseID); err != nil {
		return nil, err
	}
	b, err := d.recorded.BinsOf(tx, houseID)
	if err != nil {
		return nil, err
	}
	drawn := drawn(b, at)
	out := make([]Tile, len(drawn))
	for i := range drawn {
		t := &drawn[i]
		zone := b.Names[b.Zones[b.Order[t.From]]]
		if t.bin == 0 {
			out[i] = Tile{
				ID:    t.id(),
				Code:  t.Name,
				Zone:  zone,
				Bay:   b.Ordered[t.From] + " – " + b.Ordered[t.To-1],
				At:    fmt.Sprintf("%d-%d", t.From, t.To),
				Bins:  t.To - t.From,
				Open:  t.open,
				Depth: t.depth,
			}
			continue
		}
		at := b.Addresses[t.From]
		out[i] = Tile{ID: t.bin, Code: t.Name, Zone: zone, Aisle: at.Aisle, Bay: at.Bay, Level: at.Level}
	}
	return out, nil
}

// BinState is what matters about one bin at a stage, or about the bins of a folded stretch together.
type BinState struct {
	Bin     int64 `json:"bin"`
	Lines   int   `json:"lines"`
	Sheet   int   `json:"sheet" doc:"the sheet that a bin is on"`
	Counted int   `json:"counted"`
	Over    int   `json:"over" doc:"lines over or found"`
	Short   int   `json:"short"`
	Open    int   `json:"open" doc:"variances not decided"`
	Posted  int   `json:"posted"`
	Accept  int   `json:"accepted"`
}

func (s *BinState) add(o *BinState) {
	s.Lines, s.Counted, s.Over, s.Short, s.Open, s.Posted, s.Accept = s.Lines+o.Lines, s.Counted+o.Counted, s.Over+o.Over, s.Short+o.Short,
		s.Open+o.Open, s.Posted+o.Posted, s.Accept+o.Accept
}

// states gives the states of what is drawn, from those of the bins; what nothing is known of is left out.
func states(b *recorded.Bins, at string, of []BinState) []BinState {
	out := []BinState{}
	for _, t := range drawn(b, at) {
		sum := BinState{Bin: t.id(), Sheet: math.MaxInt}
		for i := t.From; i < t.To; i++ {
			if s := &of[i]; s.Lines > 0 {
				sum.add(s)
				sum.Sheet = min(sum.Sheet, s.Sheet)
			}
		}
		if sum.Lines > 0 {
			out = append(out, sum)
		}
	}
	return out
}

// binStates are the states of the bins of a count or set, as they were looked at last.
type binStates struct {
	version int64
	house   *recorded.Bins
	of      []BinState // in the natural order of the bins
}

// stateCache keeps states by count, or by warehouse below zero.
type stateCache struct {
	mu sync.Mutex
	by map[int64]binStates
}

const keptStates = 8

func (c *stateCache) forget() {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.by = nil
}

// RecordedBins gives the lines per bin of a warehouse.
func (d *Room) RecordedBins(ctx context.Context, p desk.Person, houseID int64, at string) ([]BinState, error) {
	if err := desk.Allow(p, desk.Look); err != nil {
		return nil, err
	}
	tx := d.Store.Read(ctx)
	h, err := desk.WarehouseRow(tx, houseID)
	if err != nil {
		return nil, err
	}
	b, err := d.recorded.BinsOf(tx, h.ID)
	if err != nil {
		return nil, err
	}
	s, err := d.statesOf(b, -h.ID, h.SetID, func(of map[int64]BinState) error {
		return store.LinesByBin(tx, h.SetID, func(bin int64, lines int) { of[bin] = BinState{Lines: lines} })
	})
	if err != nil {
		return nil, err
	}
	return states(b, at, s), nil
}

// CountBins gives the tallies per bin of a count.
func (d *Room) CountBins(ctx context.Context, p desk.Person, countID int64, at string) ([]BinState, error) {
	c, err := d.See(ctx, p, countID)
	if err != nil {
		return nil, err
	}
	b, err := d.recorded.BinsOf(c.Tx, c.WarehouseID)
	if err != nil {
		return nil, err
	}
	s, err := d.statesOf(b, c.ID, d.Version(c.ID), func(of map[int64]BinState) error {
		_, numbers, err := count.SheetsOf(&desk.Work{Tx: c.Tx}, c.Count)
		if err != nil {
			return err
		}
		return store.EachTally(c.Tx, c.ID, store.PartBin, nil, func(t *store.PartTally) error {
			f := &t.Figures
			of[t.Bin] = BinState{Lines: t.Lines, Sheet: numbers[t.SheetID], Counted: f.Counted, Over: f.Over + f.Found, Short: f.Short, Open: t.Open,
				Posted: t.Posted, Accept: t.Accepted}
			return nil
		})
	})
	if err != nil {
		return nil, err
	}
	out := states(b, at, s)
	if c.Blind {
		for i := range out {
			out[i].Over, out[i].Short, out[i].Open, out[i].Posted, out[i].Accept = 0, 0, 0, 0, 0
		}
	}
	return out, nil
}

// statesOf gives states of bins as they are at a version, from those that were looked at last where they are of it.
func (d *Room) statesOf(b *recorded.Bins, what, version int64, load func(of map[int64]BinState) error) ([]BinState, error) {
	d.states.mu.Lock()
	defer d.states.mu.Unlock()
	if s, had := d.states.by[what]; had && s.version == version && s.house == b {
		return s.of, nil
	}
	by := map[int64]BinState{}
	if err := load(by); err != nil {
		return nil, err
	}
	of := make([]BinState, len(b.Order))
	for i, id := range b.Order {
		of[i] = by[id]
	}
	if d.states.by == nil || len(d.states.by) > keptStates {
		d.states.by = map[int64]binStates{}
	}
	d.states.by[what] = binStates{version, b, of}
	return of, nil
}
