package count

import (
	"database/sql/driver"
	"encoding/json"
	"fmt"
	"maps"
	"slices"

	"gorm.io/gorm"

	"wobin/internal/core/quantity"
	"wobin/internal/desk"
	"wobin/internal/store"
)

// MoveIn finds movements since the freeze their lines in a running count, and works these out. where picks the movements,
// as m. A movement of a key in scope that the count has no line for makes one: something is expected there now.
func MoveIn(w *desk.Work, c *store.Count, where string, args []driver.Value) error {
	var scope Scope
	if err := json.Unmarshal([]byte(c.Scope), &scope); err != nil {
		return err
	}
	all := append([]driver.Value{c.WarehouseID, c.FrozenAt}, args...)
	var ids []int64
	var keys []FoundKey
	seen := map[FoundKey]bool{}
	q := `SELECT m.id, m.bin_id, m.item_id, m.lot, m.serial, m.holding, b.zone, i.nature, EXISTS (SELECT 1 FROM count_lines l INDEXED BY count_lines_bin WHERE l.count_id = ? AND l.item_id = m.item_id AND l.bin_id = m.bin_id
		AND l.lot = m.lot AND l.serial = m.serial AND l.holding = m.holding) FROM movements m JOIN bins b ON b.id = m.bin_id JOIN items i ON i.id = m.item_id WHERE m.warehouse_id = ? AND m.at > ? AND ` + where
	err := store.Each(w.Tx, q, append([]driver.Value{c.ID}, all...), func(v []driver.Value) error {
		ids = append(ids, v[0].(int64))
		text := func(i int) string { t, _ := v[i].(string); return t }
		k := FoundKey{v[1].(int64), v[2].(int64), text(3), text(4), text(5)}
		if v[8] != int64(0) || seen[k] || !scope.has(k.Bin, text(6)) || text(7) != "stocked" {
			return nil
		}
		seen[k] = true
		keys = append(keys, k)
		return nil
	})
	if err != nil || len(ids) == 0 {
		return err
	}
	made, err := AddLines(w, c, keys, nil)
	if err != nil {
		return err
	}
	if err := findMoves(w, c, ofMovements, ids); err != nil {
		return err
	}
	b, err := json.Marshal(ids)
	if err != nil {
		return err
	}
	var positions []int64
	if err := w.Raw("SELECT DISTINCT pos FROM count_moves WHERE count_id = ? AND movement_id IN (SELECT value FROM json_each(?))", c.ID,
		string(b)).Scan(&positions).Error; err != nil {
		return err
	}
	for _, pos := range made {
		positions = append(positions, pos)
	}
	return WorkOut(w, c, positions, false)
}

// MoveOut takes an intake's word for movements back. Those that another file says, too, stand; the others are taken out of the
// running counts that they belong to and deleted.
func MoveOut(w *desk.Work, intake int64) error {
	if err := w.Exec("DELETE FROM movement_sources WHERE intake_id = ?", intake).Error; err != nil {
		return err
	}
	if err := w.Exec(`UPDATE movements SET intake_id = s.intake_id FROM
		(SELECT movement_id, min(intake_id) AS intake_id FROM movement_sources GROUP BY movement_id) s
		WHERE s.movement_id = movements.id AND movements.intake_id = ?`, intake).Error; err != nil {
		return err
	}
	positions := map[int64][]int64{}
	note := func(v []driver.Value) error {
		positions[v[0].(int64)] = append(positions[v[0].(int64)], v[1].(int64))
		return nil
	}
	if err := store.Each(w.Tx, "SELECT c.count_id, c.pos FROM movements m JOIN count_moves c ON c.movement_id = m.id WHERE m.intake_id = ?",
		[]driver.Value{intake}, note); err != nil {
		return err
	}
	if err := movedBefore(w, intake, note); err != nil {
		return err
	}
	if err := w.Exec("DELETE FROM count_moves WHERE movement_id IN (SELECT id FROM movements WHERE intake_id = ?) AND count_id IN (SELECT id FROM counts WHERE state = ?)", intake, store.Running).Error; err != nil {
		return err
	}
	if err := w.Exec("DELETE FROM movements WHERE intake_id = ?", intake).Error; err != nil {
		return err
	}
	for id, some := range positions {
		c, err := desk.CountRow(w.Tx, id)
		if err != nil {
			return err
		}
		if c.State != store.Running { // what is finished stays as it was signed
			continue
		}
		if c, err = w.Running(id); err != nil {
			return err
		}
		if err := WorkOut(w, c, some, false); err != nil {
			return err
		}
	}
	return nil
}

// movedBefore gives lines without a recorded row, by count, that movements of an intake from before the freeze belong to:
// they are no stock that nobody knew of.
func movedBefore(w *desk.Work, intake int64, take func(v []driver.Value) error) error {
	return store.Each(
		w.Tx,
		`SELECT DISTINCT l.count_id, l.pos FROM movements m JOIN counts c ON c.warehouse_id = m.warehouse_id AND c.state = ? AND m.at <= c.frozen_at
		CROSS JOIN count_lines l INDEXED BY count_lines_bin ON l.count_id = c.id
			AND l.item_id = m.item_id AND l.bin_id = m.bin_id AND l.lot = m.lot AND l.serial = m.serial AND l.holding = m.holding
		WHERE m.intake_id = ? AND l.has_row = 0`,
		[]driver.Value{store.Running, intake},
		take,
	)
}

// MovedIn finds the movements of an intake their lines in all running counts of their warehouses.
func MovedIn(w *desk.Work, intake int64) error {
	var counts []int64
	if err := w.Raw("SELECT DISTINCT c.id FROM counts c JOIN movements m ON m.warehouse_id = c.warehouse_id WHERE m.intake_id = ? AND c.state = ?", intake, store.Running).Scan(&counts).Error; err != nil {
		return err
	}
	before := map[int64][]int64{}
	err := movedBefore(w, intake, func(v []driver.Value) error {
		before[v[0].(int64)] = append(before[v[0].(int64)], v[1].(int64))
		return nil
	})
	if err != nil {
		return err
	}
	for _, id := range counts {
		c, err := w.Running(id)
		if err != nil {
			return err
		}
		if err := MoveIn(w, c, "m.intake_id = ?", []driver.Value{intake}); err != nil {
			return err
		}
		if some := before[id]; len(some) > 0 {
			if err := WorkOut(w, c, some, false); err != nil {
				return err
			}
		}
	}
	return nil
}

// CatchUp brings a count that was finished for a while after the movements that came and went meanwhile.
func CatchUp(w *desk.Work, c *store.Count) error {
	if err := w.Exec("DELETE FROM count_moves WHERE count_id = ? AND movement_id NOT IN (SELECT id FROM movements)", c.ID).Error; err != nil {
		return err
	}
	if err := w.Exec("DELETE FROM count_elsewhere WHERE count_id = ?", c.ID).Error; err != nil {
		return err
	}
	if _, err := NoteElsewhere(w, c, nil, 0); err != nil {
		return err
	}
	if err := MoveIn(w, c, "m.id NOT IN (SELECT movement_id FROM count_moves WHERE count_id = ?)", []driver.Value{c.ID}); err != nil {
		return err
	}
	return WorkOut(w, c, nil, false)
}

// Late finds, among movements from before the freeze of a count, those of its lines: it names the first of them, and tells how
// many there are.
func Late(tx *gorm.DB, c *store.Count, of map[FoundKey][]store.Movement, bins map[int64]bool) (lines []string, n int, err error) {
	list, err := json.Marshal(slices.Collect(maps.Keys(bins)))
	if err != nil {
		return nil, 0, err
	}
	const shown = 5
	err = store.Each(tx, `SELECT l.bin_id, l.item_id, l.lot, l.serial, l.holding, b.code, i.sku FROM json_each(?) j
		CROSS JOIN count_lines l INDEXED BY count_lines_bin ON l.count_id = ?
			AND l.bin_id = j.value JOIN bins b ON b.id = l.bin_id JOIN items i ON i.id = l.item_id
		WHERE l.status <> ? ORDER BY l.pos`, []driver.Value{string(list), c.ID, store.Gone}, func(v []driver.Value) error {
		text := func(i int) string { t, _ := v[i].(string); return t }
		for _, m := range of[FoundKey{v[0].(int64), v[1].(int64), text(2), text(3), text(4)}] {
			if n++; len(lines) < shown {
				lines = append(lines, fmt.Sprintf("%s · %s: %s at %s", text(5), text(6), quantity.Quantity(m.Quantity),
					desk.Instant(m.At).Format("2006-01-02 15:04 MST")))
			}
		}
		return nil
	})
	if n > len(lines) && len(lines) > 0 {
		lines = append(lines, fmt.Sprintf("and %d more", n-len(lines)))
	}
	return lines, n, err
}

// LateOf gives the movements of a line that happened before its freeze and were taken in after it.
func LateOf(tx *gorm.DB, c *store.Count, l *store.CountLine) (late []store.Movement, err error) {
	err = tx.Raw(`SELECT m.* FROM movements m JOIN intakes i ON i.id = m.intake_id WHERE m.item_id = ? AND m.bin_id = ? AND m.lot = ? AND m.serial = ?
		AND m.holding = ? AND m.warehouse_id = ? AND m.at <= ? AND i.at > ? ORDER BY m.at, m.id LIMIT 20`, l.ItemID, l.BinID, l.Lot, l.Serial, l.Holding,
		c.WarehouseID, l.FrozenAt(c), c.At).Scan(&late).Error
	return late, err
}
