package intake

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"

	"gorm.io/gorm"

	"wobin/internal/core/field"
	"wobin/internal/core/read"
	"wobin/internal/desk"
	"wobin/internal/store"
)

// placesDraft is a file of warehouses and bins held against those known.
type placesDraft struct {
	values []read.Value
	houses []store.Warehouse // new ones
	bins   []store.Bin       // new ones
	before []store.PlaceBefore
	named  []store.Warehouse // changed ones, as they will be
	zoned  []store.Bin
}

// placeSeen is what a file said of a place, and where.
type placeSeen struct {
	row  int
	says string
	made int // place among those that are made + 1
}

// change keeps a place as it was before it is changed, once for all sheets of the intake.
func (x *placesDraft) change(rec *records, sort string, id int64, was any) error {
	place := store.PlaceBefore{Sort: sort, PlaceID: id}
	if rec.kept[place] {
		return nil
	}
	rec.kept[place] = true
	b, err := json.Marshal(was)
	place.Was = string(b)
	x.before = append(x.before, place)
	return err
}

// count counts a row of a file by what becomes of it; unchanged where nothing does.
func (e *Effect) count(what string) {
	switch what {
	case "added":
		e.Added++
	case "changed":
		e.Changed++
	case "left":
		e.Left++
	default:
		e.Unchanged++
	}
}

// lookPlaces reads warehouses and bins. An empty cell leaves what is there unless it is said to clear.
func (d *Room) lookPlaces(_ context.Context, dr *draft, pt *part, r read.Reading, rec *records, _ *Draft) error {
	rec.own() // places are changed where they stand
	f, err := r.Places(dr.table, pt.mapping, &pt.problems)
	pt.hear(f.Told)
	if err != nil {
		return err
	}
	x, v := &placesDraft{values: f.Values}, pt.view
	pt.content = x
	v.Rows, v.Effect.Left = f.Rows, f.Left
	v.values(f.Values, field.Places)
	e, given := &v.Effect, pt.mapping.Given(pt.given)
	example := func(what, line, before, after string) {
		if n := len(e.Examples); n < 10 {
			e.Examples = append(e.Examples, EffectExample{what, line, before, after})
		}
	}
	houses := map[int64]*placeSeen{} // what the file said of a warehouse or bin before, by its number
	bins := map[int64]*placeSeen{}
	zoned := func(p *read.Place, now *place) bool { return p.Zone != now.zone && (p.Zone != "" || p.ClearZone) }
	for _, p := range f.Places {
		h, what, line := rec.house(p.Warehouse), "", p.Warehouse
		if h != nil && p.Bin != "" { // nothing of a row is taken that is at odds with one before
			if now := rec.bin(h.ID, p.Bin); now != nil && bins[now.id] != nil && zoned(&p, now) {
				first := bins[now.id]
				pt.problems.Add(
					pt.mapping.Problem(
						dr.name,
						p.Row,
						field.Bin,
						"duplicate key",
						p.Bin,
						fmt.Sprintf(
							"%s · %s is in zone %q here and in %q in row %d, where it is spelled differently. Take one out",
							p.Warehouse,
							p.Bin,
							p.Zone,
							first.says,
							first.row,
						),
					).
						With(first.row),
				)
				continue
			}
		}
		if h == nil && given.Rows == "change" {
			e.Left++
			continue
		}
		if h == nil {
			h, what = rec.newHouse(p.Warehouse), "added"
			x.houses = append(x.houses, *h)
			houses[h.ID] = &placeSeen{made: len(x.houses)}
			example("added", line, "", orNone(p.Name))
		}
		seen := houses[h.ID]
		if seen == nil {
			seen = &placeSeen{says: h.Name}
			houses[h.ID] = seen
		}
		switch {
		case p.Name == "" || p.Name == seen.says:
		case seen.row > 0:
			pt.problems.Add(
				pt.mapping.Problem(dr.name, p.Row, field.HouseName, "duplicate key", p.Name,
					fmt.Sprintf("%s is called %q here and %q in row %d. Give it one name", h.Code, p.Name, seen.says, seen.row)).
					With(seen.row),
			)
			continue
		case seen.made > 0:
			x.houses[seen.made-1].Name, h.Name = p.Name, p.Name
		case given.Rows == "add":
			what = "left"
		default:
			if err := x.change(rec, "warehouse", h.ID, h); err != nil {
				return err
			}
			now := *h
			now.Name = p.Name
			x.named = append(x.named, now)
			what = "changed"
			example(what, line, orNone(h.Name), p.Name)
			h.Name = p.Name // for the sheets that follow
		}
		if p.Name != "" && what != "left" && seen.row == 0 {
			seen.says, seen.row = p.Name, p.Row
		}
		if p.Bin != "" {
			line += " · " + p.Bin
			bin := rec.bin(h.ID, p.Bin)
			if bin == nil && given.Rows == "change" {
				e.count(cmp.Or(what, "left"))
				continue
			}
			if bin == nil {
				made := rec.newBin(h.ID, p.Bin, p.Zone)
				x.bins = append(x.bins, made)
				bins[made.ID] = &placeSeen{row: p.Row, says: p.Zone}
				e.count("added")
				example("added", line, "", orNone(p.Zone))
				continue
			}
			switch {
			case !zoned(&p, bin):
			case given.Rows == "add":
				what = cmp.Or(what, "left")
			default:
				was := store.Bin{ID: bin.id, WarehouseID: h.ID, Zone: bin.zone}
				if err := x.change(rec, "bin", bin.id, was); err != nil {
					return err
				}
				was.Zone = p.Zone
				x.zoned = append(x.zoned, was)
				what = "changed"
				example(what, line, orNone(bin.zone), orNone(p.Zone))
				bin.zone = p.Zone
			}
			if bins[bin.id] == nil {
				bins[bin.id] = &placeSeen{row: p.Row, says: bin.zone}
			}
		}
		e.count(what)
	}
	e.making(len(x.houses), "new warehouse", "new warehouses", func(i int) string { return x.houses[i].Code })
	e.making(len(x.bins), "new bin", "new bins", func(i int) string { return rec.codeOf(x.bins[i].WarehouseID) + " " + x.bins[i].Code })
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

// write makes and changes the places.
func (x *placesDraft) write(w *desk.Work, intake int64) error {
	tx := w.Tx
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
		if err := tx.Exec("UPDATE bins SET zone = j.value FROM json_each(?) j WHERE bins.id = CAST(j.key AS INTEGER)",
			string(j)).Error; err != nil {
			return err
		}
	}
	return nil
}

// undoPlaces puts names and zones back and takes away what the intake made and nothing uses.
func undoPlaces(w *desk.Work, intake int64) error {
	tx := w.Tx
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
		"DELETE FROM items WHERE intake_id = ? AND id NOT IN (SELECT item_id FROM set_items) AND id NOT IN (SELECT item_id FROM count_items) AND id NOT IN (SELECT item_id FROM movements) AND id NOT IN (SELECT item_id FROM item_before)",
		"DELETE FROM warehouses WHERE intake_id = ? AND set_id = 0 AND id NOT IN (SELECT warehouse_id FROM bins) AND id NOT IN (SELECT warehouse_id FROM counts) AND id NOT IN (SELECT warehouse_id FROM movements) AND id NOT IN (SELECT place_id FROM place_before WHERE sort = 'warehouse')",
	} {
		if err := tx.Exec(q, intake).Error; err != nil {
			return err
		}
	}
	return nil
}

func placesStanding(tx *gorm.DB, r *store.Intake) (s standing, err error) {
	s.puts = undoes("place", "places", r.Added, r.Changed, 0) + ", where nothing uses them"
	err = tx.Raw(`SELECT DISTINCT i.* FROM intakes i JOIN place_before b ON b.intake_id = i.id
		JOIN place_before mine ON mine.sort = b.sort AND mine.place_id = b.place_id
		WHERE mine.intake_id = ? AND i.id > ? AND i.state = ? ORDER BY i.id`, r.ID, r.ID, store.Taken).Scan(&s.later).Error
	return s, err
}
