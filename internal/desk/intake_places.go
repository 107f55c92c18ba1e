package desk

import (
	"encoding/json"

	"gorm.io/gorm"

	"wobin/internal/core/layout"
	"wobin/internal/store"
)

// placesDraft is a file of warehouses and bins held against those known.
type placesDraft struct {
	values []layout.Value
	houses []store.Warehouse // new ones
	bins   []store.Bin       // new ones
	before []store.PlaceBefore
	named  []store.Warehouse // changed ones, as they will be
	zoned  []store.Bin
}

// lookPlaces reads warehouses and bins. An empty cell leaves what is there unless it is said to clear.
func (d *Desk) lookPlaces(dr *draft, pt *part, r layout.Reading, rec *records) error {
	f, err := r.Places(dr.table, pt.mapping, &pt.problems)
	if err != nil {
		return err
	}
	x, v := &placesDraft{values: f.Values}, pt.view
	pt.places = x
	v.Rows, v.Effect.Left = f.Rows, f.Left
	v.values(f.Values, layout.Places)
	e, given := &v.Effect, pt.mapping.Given(pt.given)
	example := func(what, line, before, after string) {
		if n := len(e.Examples); n < 10 {
			e.Examples = append(e.Examples, EffectExample{what, line, before, after})
		}
	}
	made := map[int64]bool{}
	renamed := map[int64]int{}
	for _, p := range f.Places {
		line := p.Warehouse
		h := rec.house(p.Warehouse)
		if h == nil {
			if given.Rows == "change" {
				e.Left++
				continue
			}
			h = rec.newHouse(p.Warehouse)
			h.Name = p.Name
			x.houses = append(x.houses, *h)
			made[h.ID] = true
			if p.Bin == "" {
				e.Added++
				example("added", line, "", orNone(p.Name))
			}
		} else if p.Name != "" && p.Name != h.Name && !made[h.ID] && given.Rows != "add" {
			if at, again := renamed[h.ID]; again {
				x.named[at-1].Name = p.Name
			} else {
				was, err := json.Marshal(h)
				if err != nil {
					return err
				}
				now := *h
				now.Name = p.Name
				x.before = append(x.before, store.PlaceBefore{Sort: "warehouse", PlaceID: h.ID, Was: string(was)})
				x.named = append(x.named, now)
				renamed[h.ID] = len(x.named)
				if p.Bin == "" {
					e.Changed++
				}
				example("changed", line, orNone(h.Name), p.Name)
			}
		} else if p.Bin == "" {
			e.Unchanged++
		}
		if p.Bin == "" {
			continue
		}
		line += " · " + p.Bin
		bin := rec.bins[h.ID][p.Bin]
		switch {
		case bin == nil && given.Rows == "change":
			e.Left++
		case bin == nil:
			x.bins = append(x.bins, rec.newBin(h.ID, p.Bin, p.Zone))
			e.Added++
			example("added", line, "", orNone(p.Zone))
		case p.Zone == bin.zone || p.Zone == "" && !p.ClearZone:
			e.Unchanged++
		case given.Rows == "add":
			e.Left++
		default:
			was := store.Bin{ID: bin.id, WarehouseID: h.ID, Code: p.Bin, Zone: bin.zone, SortKey: sortKey(p.Bin)}
			b, err := json.Marshal(was)
			if err != nil {
				return err
			}
			x.before = append(x.before, store.PlaceBefore{Sort: "bin", PlaceID: bin.id, Was: string(b)})
			was.Zone = p.Zone
			x.zoned = append(x.zoned, was)
			e.Changed++
			example("changed", line, orNone(bin.zone), orNone(p.Zone))
			bin.zone = p.Zone
		}
	}
	if n := len(x.houses); n > 0 {
		e.New = append(e.New, plural(n, "new warehouse", "new warehouses"))
	}
	if n := len(x.bins); n > 0 {
		e.New = append(e.New, plural(n, "new bin", "new bins"))
	}
	rec.empty = rec.empty && len(x.houses)+len(x.bins) == 0
	if len(f.Places) == 0 {
		v.Blocked = "There is no row in it that could be taken in."
	}
	return rec.err
}

func orNone(s string) string {
	if s == "" {
		return "–"
	}
	return s
}

// writePlaces makes and changes the places.
func writePlaces(tx *gorm.DB, x *placesDraft, intake int64) error {
	for i := range x.houses {
		x.houses[i].IntakeID = intake
	}
	for i := range x.bins {
		x.bins[i].IntakeID = intake
	}
	for i := range x.before {
		x.before[i].IntakeID = intake
	}
	if err := store.Batch(tx, x.houses); err != nil {
		return err
	}
	if err := store.Batch(tx, x.bins); err != nil {
		return err
	}
	if err := store.Batch(tx, x.before); err != nil {
		return err
	}
	for _, h := range x.named {
		if err := tx.Exec("UPDATE warehouses SET name = ? WHERE id = ?", h.Name, h.ID).Error; err != nil {
			return err
		}
	}
	return zoneBins(tx, x.zoned)
}

// zoneBins sets the zones of bins, many in one statement.
func zoneBins(tx *gorm.DB, bins []store.Bin) error {
	for len(bins) > 0 {
		some := bins[:min(len(bins), 500)]
		bins = bins[len(some):]
		to := map[int64]string{}
		for _, b := range some {
			to[b.ID] = b.Zone
		}
		j, err := json.Marshal(to)
		if err != nil {
			return err
		}
		if err := tx.Exec("UPDATE bins SET zone = j.value FROM json_each(?) j WHERE bins.id = CAST(j.key AS INTEGER)", string(j)).Error; err != nil {
			return err
		}
	}
	return nil
}

// undoPlaces puts names and zones back and takes away what the intake made and nothing uses.
func undoPlaces(tx *gorm.DB, intake int64) error {
	var before []store.PlaceBefore
	if err := tx.Where("intake_id = ?", intake).Find(&before).Error; err != nil {
		return err
	}
	var bins []store.Bin
	for _, b := range before {
		if b.Sort == "warehouse" {
			var h store.Warehouse
			if err := json.Unmarshal([]byte(b.Was), &h); err != nil {
				return err
			}
			if err := tx.Exec("UPDATE warehouses SET name = ? WHERE id = ?", h.Name, h.ID).Error; err != nil {
				return err
			}
			continue
		}
		var bin store.Bin
		if err := json.Unmarshal([]byte(b.Was), &bin); err != nil {
			return err
		}
		bins = append(bins, bin)
	}
	if err := zoneBins(tx, bins); err != nil {
		return err
	}
	if err := tx.Exec("DELETE FROM place_before WHERE intake_id = ?", intake).Error; err != nil {
		return err
	}
	return sweepMade(tx, intake)
}

// sweepMade takes away warehouses, bins and items that an intake made and nothing uses any more.
func sweepMade(tx *gorm.DB, intake int64) error {
	for _, q := range []string{
		"DELETE FROM bins WHERE intake_id = ? AND id NOT IN (SELECT bin_id FROM set_bins) AND id NOT IN (SELECT bin_id FROM count_lines) AND id NOT IN (SELECT bin_id FROM movements) AND id NOT IN (SELECT place_id FROM place_before WHERE sort = 'bin')",
		"DELETE FROM items WHERE intake_id = ? AND id NOT IN (SELECT item_id FROM set_items) AND id NOT IN (SELECT item_id FROM count_lines) AND id NOT IN (SELECT item_id FROM movements) AND id NOT IN (SELECT item_id FROM item_before)",
		"DELETE FROM warehouses WHERE intake_id = ? AND set_id = 0 AND id NOT IN (SELECT warehouse_id FROM bins) AND id NOT IN (SELECT warehouse_id FROM counts) AND id NOT IN (SELECT warehouse_id FROM movements) AND id NOT IN (SELECT place_id FROM place_before WHERE sort = 'warehouse')",
	} {
		if err := tx.Exec(q, intake).Error; err != nil {
			return err
		}
	}
	return nil
}
