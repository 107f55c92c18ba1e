package count

import (
	"fmt"
	"maps"
	"slices"

	"gorm.io/gorm"

	"wobin/internal/core/variance"
	"wobin/internal/desk"
	"wobin/internal/store"
)

// Foot tells whether the tallies of a count are the sums over its lines, and the figures of its sheets the numbers of their
// counted rows. It goes over all lines, so it is for tests and for looking into a folder that is in doubt, not for every day.
func Foot(tx *gorm.DB, c *store.Count) error {
	bins, categories := map[int64]string{}, map[int64]string{}
	if err := store.EachTally(tx, c.ID, store.PartBin, nil, func(t *store.PartTally) error { bins[t.Bin] = t.Zone; return nil }); err != nil {
		return err
	}
	var items []store.CountItem
	if err := tx.Where("count_id = ?", c.ID).Find(&items).Error; err != nil {
		return err
	}
	for _, x := range items {
		categories[x.ItemID] = x.Category
	}
	want := map[store.Part]variance.Tally{}
	err := store.EachCountLine(tx, c.ID, store.Positions{From: 0, To: 1 << 62}, func(l *store.CountLine) error {
		state := LineState(l)
		for _, p := range partsOf(l, &state, bins[l.BinID], categories[l.ItemID]) {
			t := want[p]
			if !t.Merge(state.Of()) {
				return TooMuch()
			}
			want[p] = t
		}
		return nil
	})
	if err != nil {
		return err
	}
	got := map[store.Part]variance.Tally{}
	for _, sort := range []string{store.PartAll, store.PartBin, store.PartZone, store.PartCategory, store.PartCounter, store.PartReason} {
		err := store.EachTally(tx, c.ID, sort, nil, func(t *store.PartTally) error {
			p := t.Part
			got[p] = t.Tally
			return nil
		})
		if err != nil {
			return err
		}
	}
	for _, p := range append(slices.Collect(maps.Keys(want)), slices.Collect(maps.Keys(got))...) {
		if want[p] != got[p] {
			return fmt.Errorf("the tally of %s %q %d of count %d does not foot:\n%+v, but its lines come to\n%+v", p.Sort, p.Name, p.Bin, c.ID, got[p], want[p])
		}
	}
	return sheetsFoot(tx, c)
}

// sheetsFoot tells whether each sheet has as many counted rows as it says.
func sheetsFoot(tx *gorm.DB, c *store.Count) error {
	var sheets []store.Sheet
	if err := tx.Where("count_id = ? AND state NOT IN ?", c.ID, store.Void).Find(&sheets).Error; err != nil {
		return err
	}
	w := &desk.Work{Tx: tx}
	for i := range sheets {
		is := sheets[i]
		if err := CountedOn(w, c, &is); err != nil {
			return err
		}
		if is.Counted != sheets[i].Counted {
			return fmt.Errorf("sheet %d of count %d says %d counted rows, and has %d", is.Number, c.ID, sheets[i].Counted, is.Counted)
		}
	}
	return nil
}
