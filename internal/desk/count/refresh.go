package count

import (
	"context"
	"database/sql/driver"

	"wobin/internal/desk"
	"wobin/internal/store"
)

// Refresh works out again the counts of a folder that an older program wrote, by the rules of this one. What swallowed a
// change before comes up as an open line.
func Refresh(ctx context.Context, d *desk.Desk) error {
	var stale []int64
	if err := d.Store.Read(ctx).Raw("SELECT id FROM counts WHERE stale = 1 ORDER BY id").Scan(&stale).Error; err != nil {
		return err
	}
	for _, id := range stale {
		_, err := desk.DoAs(
			ctx,
			d,
			desk.Itself,
			"work out again",
			desk.Key{},
			func(w *desk.Work) (none struct{}, err error) {
				c, err := desk.CountRow(w.Tx, id)
				if err != nil {
					return none, err
				}
				if c.State != store.Running {
					return none, tallyAnew(w, c)
				}
				if err := placeOldMoves(w, c); err != nil {
					return none, err
				}
				if err := w.Exec("UPDATE sheets SET counted = 0 WHERE count_id = ?", id).Error; err != nil {
					return none, err
				}
				if err := w.Exec("DELETE FROM count_tallies WHERE count_id = ?", id).Error; err != nil {
					return none, err
				}
				if err := findMoves(w, c, ofLines, nil); err != nil {
					return none, err
				}
				latest := int64(0)
				if err := w.Raw(`SELECT coalesce(max(counted_at), 0) FROM entries e WHERE count_id = ? AND NOT EXISTS (SELECT 1 FROM entries r WHERE r.count_id = e.count_id AND r.pos = e.pos
				AND r.round = e.round AND r.parcel = e.parcel AND r.replaces = e.id)`, id).Scan(&latest).Error; err != nil {
					return none, err
				}
				c.Latest = latest
				if err := WorkOut(w, c, nil, true); err != nil {
					return none, err
				}
				if err := w.Exec("UPDATE counts SET stale = 0, latest = ? WHERE id = ?", latest, id).Error; err != nil {
					return none, err
				}
				return none, w.Say("worked out again", map[string]any{"count": id})
			},
		)
		if err != nil {
			return err
		}
	}
	return nil
}

// placeOldMoves gives movements without a bin, which an older program kept so, the only bin that holds their key in the
// frozen set.
func placeOldMoves(w *desk.Work, c *store.Count) error {
	type to struct{ movement, bin int64 }
	var placed []to
	err := store.Each(
		w.Tx,
		`SELECT m.id, min(l.bin_id) FROM count_lines l CROSS JOIN movements m INDEXED BY movements_key ON l.count_id = ? AND l.has_row = 1 AND m.item_id = l.item_id AND l.lot = m.lot AND l.serial = m.serial AND l.holding = m.holding
		WHERE m.warehouse_id = ? AND m.bin_id = 0 GROUP BY m.id HAVING count(*) = 1`,
		[]driver.Value{c.ID, c.WarehouseID},
		func(v []driver.Value) error {
			placed = append(placed, to{v[0].(int64), v[1].(int64)})
			return nil
		},
	)
	for _, p := range placed {
		if err == nil {
			err = w.Exec("UPDATE movements SET bin_id = ? WHERE id = ?", p.bin, p.movement).Error
		}
	}
	return err
}

// tallyAnew brings tallies and queue after the lines of a count that is finished: its figures stay as they were signed.
func tallyAnew(w *desk.Work, c *store.Count) error {
	if err := w.Exec("DELETE FROM count_tallies WHERE count_id = ?", c.ID).Error; err != nil {
		return err
	}
	t := NewTallying(w, c)
	var lines []store.CountLine
	err := store.EachCountLine(w.Tx, c.ID, store.Positions{From: 0, To: 1 << 62}, func(l *store.CountLine) error {
		now := LineState(l)
		var err error
		if now.Rest, err = now.Result.Rest(now.Sent, c.PostTolerated); err != nil {
			return err
		}
		l.Rest, l.RestValue = int64(now.Rest.Quantity), nil
		if now.Rest.Valued && l.Rest != 0 {
			v := int64(now.Rest.Value)
			l.RestValue = &v
		}
		if !now.Rest.Wants {
			l.Decision, l.Reason = "", ""
		}
		l.Enqueue(now)
		lines = append(lines, *l)
		return nil
	})
	if err != nil {
		return err
	}
	for i := range lines {
		if err := t.Move(&lines[i], &lines[i], true); err != nil {
			return err
		}
	}
	t.sheets = nil // they were counted by the program of before
	if err := store.UpdateCountLines(w.Tx, c, lines); err != nil {
		return err
	}
	if err := t.Write(); err != nil {
		return err
	}
	if err := w.Exec("UPDATE counts SET stale = 0 WHERE id = ?", c.ID).Error; err != nil {
		return err
	}
	return w.Say("worked out again", map[string]any{"count": c.ID})
}
