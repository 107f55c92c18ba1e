package plan

import (
	"context"
	"database/sql/driver"
	"time"

	"gorm.io/gorm"

	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/store"
)

// More is what a running count is given beside what it has.
type More struct {
	Scope count.Scope `json:"scope" doc:"of the count's own warehouse; what the count has already is not added twice"`
	Later bool        `json:"later,omitempty" doc:"as recorded now, which is a later freeze of these lines, in the place of the count's own"`
	Cut
}

// Extension is what that comes to.
type Extension struct {
	Tally
	Has    int   `json:"has" doc:"lines of this scope that the count has already"`
	Shared int   `json:"shared" doc:"bins that are on other sheets of the count, too"`
	Made   []int `json:"made" doc:"numbers of the sheets that were made"`
	// The two ways in which the lines can be had, where there are two.
	Own   *time.Time `json:"own" doc:"the count's own freeze; null where nothing was recorded then"`
	Newer *time.Time `json:"newer" doc:"as at when the stock in force was recorded; null where it is the stock that the count was frozen of, or not newer"`
}

// lineKey tells lines of a count apart.
type lineKey struct {
	bin, item            int64
	lot, serial, holding string
}

// SeeMore tells what lines a running count would be given.
func (d *Room) SeeMore(ctx context.Context, p desk.Person, countID int64, m More) (x Extension, err error) {
	if err := desk.Allow(p, desk.Plan); err != nil {
		return x, err
	}
	c, err := d.See(ctx, p, countID)
	if err != nil {
		return x, err
	}
	_, _, x, err = d.more(ctx, c.Tx, c.Count, m)
	return x, err
}

// more finds the lines of a scope that a count has not: as they were recorded when it was frozen, so that whatever moved since
// is rolled forward for them as for all others, or as they are recorded now. These are of a later freeze, and only what moved
// after that is rolled forward for them.
func (d *Room) more(ctx context.Context, tx *gorm.DB, c *store.Count, m More) (s *scoped, cut Cut, x Extension, err error) {
	x.Made = []int{}
	h, err := desk.WarehouseRow(tx, c.WarehouseID)
	if err != nil {
		return nil, cut, x, err
	}
	if c.SetID != 0 {
		x.Own = desk.Moment(c.FrozenAt)
	}
	if h.SetID != c.SetID {
		var newest store.StockSet
		if err := tx.Limit(1).Find(&newest, h.SetID).Error; err != nil {
			return nil, cut, x, err
		}
		if newest.RecordedAt > c.FrozenAt {
			x.Newer = desk.Moment(newest.RecordedAt)
		}
	}
	switch {
	case m.Later && x.Newer == nil:
		return nil, cut, x, desk.RefuseAs(
			desk.Changed,
			"later",
			"No stock was taken in that was recorded after the freeze (%s). Take the lines as they were recorded then.",
			desk.Instant(c.FrozenAt).Format("2006-01-02 15:04 MST"),
		)
	case !m.Later && c.SetID == 0:
		return nil, cut, x, desk.RefuseAs(
			desk.Invalid,
			"later",
			"Nothing was recorded when this count began, so whatever is found is put down on its sheets.",
		)
	case !m.Later:
		h.SetID = c.SetID
	}
	m.Scope.Warehouse, m.Scope.LeaveEmpty, m.Scope.Sample, m.Scope.Rotation = h.ID, true, nil, false
	if m.Walk == "" {
		m.Walk = h.Walk
	}
	if m.pace, _, err = d.pace(tx, h.ID); err != nil {
		return nil, cut, x, err
	}
	if cut, err = m.Cut.settled(); err != nil {
		return nil, cut, x, err
	}
	has, on := map[lineKey]bool{}, map[int64]bool{}
	// A line that was found and taken back, or let go, is had as well: its counts may come back.
	err = store.Each(
		tx,
		"SELECT bin_id, item_id, lot, serial, holding, has_row FROM count_lines WHERE count_id = ?",
		[]driver.Value{c.ID},
		func(v []driver.Value) error {
			text := func(i int) string { t, _ := v[i].(string); return t }
			k := lineKey{v[0].(int64), v[1].(int64), text(2), text(3), text(4)}
			if has[k] = true; v[5].(int64) != 0 {
				on[k.bin] = true
			}
			return nil
		},
	)
	if err != nil {
		return nil, cut, x, err
	}
	s, err = d.scoped(ctx, tx, h, m.Scope, cut, func(s *scoped, picked []int32) (left []int32, err error) {
		positions := make([]int64, len(picked))
		for i, n := range picked {
			positions[i] = int64(n)
		}
		next := 0
		err = store.StockLinesAt(tx, s.Set, positions, func(l *store.StockLine) error {
			n := picked[next]
			if next++; has[lineKey{l.BinID, l.ItemID, l.Lot, l.Serial, l.Holding}] {
				x.Has++
			} else {
				left = append(left, n)
			}
			return nil
		})
		return left, err
	})
	if err != nil {
		return nil, cut, x, err
	}
	has = nil
	for i := range s.bins {
		if on[s.bins[i].bin] {
			x.Shared++
		}
	}
	x.Tally, err = s.tally(cut)
	if x.Unknown == nil {
		x.Unknown = []string{}
	}
	return s, cut, x, err
}

// AddMore gives a running count lines that it has not, on sheets of their own.
func (d *Room) AddMore(ctx context.Context, p desk.Person, countID int64, m More) (x Extension, err error) {
	return desk.Do(ctx, d.Desk, p, desk.Plan, desk.Key{}, func(w *desk.Work) (x Extension, err error) {
		c, err := w.Running(countID)
		if err != nil {
			return x, err
		}
		s, cut, x, err := d.more(ctx, w.Tx, c, m)
		if err != nil {
			return x, err
		}
		if len(s.lines) == 0 {
			return x, desk.RefuseAs(desk.Invalid, "scope", "The count has all of it already (%s).", desk.Plural(x.Has, "line", "lines"))
		}
		var at struct{ Pos, Number int64 }
		if err := w.Raw("SELECT (SELECT coalesce(max(pos), 0) FROM count_lines WHERE count_id = ?) AS pos, (SELECT coalesce(max(number), 0) FROM sheets WHERE count_id = ?) AS number",
			c.ID, c.ID).Scan(&at).Error; err != nil {
			return x, err
		}
		cuts := s.cut(cut)
		list := make([]store.Sheet, len(cuts))
		for n := range cuts {
			list[n] = s.sheet(&cuts[n], cut, c.ID, int(at.Number)+n+1)
			list[n].First += at.Pos
		}
		all, err := inRounds(list, c, cut)
		if err != nil {
			return x, err
		}
		if err := store.Batch(w.Tx, all); err != nil {
			return x, err
		}
		copy(list, all)
		t := freezing{count: c, scope: s, sheets: list, columns: count.ColumnsOf(c), base: at.Pos}
		lines, err := t.piece(w.Tx, 0, len(s.lines))
		if err != nil {
			return x, err
		}
		frozen := int64(0)
		if m.Later {
			frozen = s.RecordedAt
		}
		if err := count.AddRows(w, c, lines, frozen); err != nil {
			return x, err
		}
		for i := range all {
			x.Made = append(x.Made, all[i].Number)
		}
		d.facts.forget()
		return x, w.Say("lines added", map[string]any{"count": c.ID, "lines": len(lines), "sheets": x.Made, "scope": m.Scope,
			"frozen": desk.Moment(frozen)})
	})
}
