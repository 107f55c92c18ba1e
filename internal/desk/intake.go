package desk

import (
	"context"
	"encoding/json"
	"fmt"
	"time"

	"gorm.io/gorm"

	"wobin/internal/core/layout"
	"wobin/internal/store"
)

// answered gives the answer that a key got before.
func (d *Desk) answered(ctx context.Context, key string) (out TakenIn, found bool, err error) {
	if key == "" {
		return out, false, nil
	}
	var before string
	if err := d.store.Read(ctx).Raw("SELECT answer FROM requests WHERE key = ?", key).Scan(&before).Error; err != nil || before == "" {
		return out, false, err
	}
	return out, true, json.Unmarshal([]byte(before), &out)
}

// safely makes a backup and puts the dropped file among the kept ones, before anything is written.
func (d *Desk) safely(ctx context.Context, dr *draft) (backup string, err error) {
	if backup, err = d.store.Backup(ctx, "before-intake"); err != nil {
		return "", err
	}
	return backup, d.store.KeepFile(dr.file, dr.sha)
}

// IntakeView is one intake on the time line.
type IntakeView struct {
	ID         int64       `json:"id"`
	Kind       layout.Kind `json:"kind"`
	State      string      `json:"state" enum:"taken in,undone"`
	File       string      `json:"file"`
	Sha        string      `json:"sha"`
	Person     string      `json:"person"`
	At         time.Time   `json:"at"`
	RecordedAt *time.Time  `json:"recorded_at"`
	Added      int         `json:"added"`
	Changed    int         `json:"changed"`
	Unchanged  int         `json:"unchanged"`
	Gone       int         `json:"gone"`
	Refused    int         `json:"refused"`
	UndoneBy   string      `json:"undone_by"`
	UndoneAt   *time.Time  `json:"undone_at"`
	Blocked    string      `json:"blocked" doc:"why it cannot be undone; empty where it can"`
	Undoing    string      `json:"undoing" doc:"what undoing puts back"`
}

// Intakes lists the latest intakes, newest first.
func (d *Desk) Intakes(ctx context.Context, p Person) ([]IntakeView, error) {
	if err := allow(p, Look); err != nil {
		return nil, err
	}
	var rows []store.Intake
	if err := d.store.Read(ctx).Order("id DESC").Limit(100).Find(&rows).Error; err != nil {
		return nil, err
	}
	out := make([]IntakeView, len(rows))
	for i, r := range rows {
		v := IntakeView{ID: r.ID, Kind: layout.Kind(r.Kind), State: r.State, File: r.FileName, Sha: r.FileSha, Person: r.Person, At: time.Unix(0, r.At).UTC(),
			RecordedAt: moment(r.RecordedAt), Added: r.Added, Changed: r.Changed, Unchanged: r.Unchanged, Gone: r.Gone, Refused: r.Refused, UndoneBy: r.UndoneBy, UndoneAt: moment(r.UndoneAt)}
		var err error
		if v.Blocked, v.Undoing, err = d.undoable(d.store.Read(ctx), &r); err != nil {
			return nil, err
		}
		out[i] = v
	}
	return out, nil
}

// undoable tells what stands in the way of undoing an intake, and what undoing would put back.
func (d *Desk) undoable(tx *gorm.DB, r *store.Intake) (blocked, undoing string, err error) {
	if r.State != store.Taken {
		return "It was undone already.", "", nil
	}
	var later []store.Intake
	switch layout.Kind(r.Kind) {
	case layout.Stock:
		// Later intakes whose sets follow on this one's.
		err = tx.Raw(`SELECT DISTINCT i.* FROM intakes i JOIN stock_sets s ON s.intake_id = i.id JOIN stock_sets mine ON mine.warehouse_id = s.warehouse_id
			WHERE mine.intake_id = ? AND i.id > ? AND i.state = ? ORDER BY i.id`, r.ID, r.ID, store.Taken).Scan(&later).Error
		undoing = fmt.Sprintf("puts %d changed lines back, takes %d new ones away and brings %d gone ones back", r.Changed, r.Added, r.Gone)
	case layout.Items:
		err = tx.Raw(`SELECT DISTINCT i.* FROM intakes i JOIN item_before b ON b.intake_id = i.id WHERE i.id > ? AND i.state = ? AND i.kind = 'items' ORDER BY i.id`, r.ID, store.Taken).Scan(&later).Error
		undoing = fmt.Sprintf("puts %d changed items back and takes %d new ones away", r.Changed, r.Added)
		if err == nil && len(later) == 0 {
			var n int64
			err = tx.Raw(`SELECT count(*) FROM items WHERE intake_id = ? AND (id IN (SELECT item_id FROM set_items) OR id IN (SELECT item_id FROM count_lines) OR id IN (SELECT item_id FROM movements))`, r.ID).Scan(&n).Error
			if n > 0 {
				return fmt.Sprintf("%d of its new items have stock, movements or counts by now.", n), "", err
			}
		}
	case layout.Movements:
		undoing = fmt.Sprintf("takes %d movements away", r.Added)
	}
	if err != nil {
		return "", "", err
	}
	if len(later) > 0 {
		names := ""
		for i, l := range later {
			if i > 0 {
				names += ", "
			}
			names += fmt.Sprintf("%s (number %d)", l.FileName, l.ID)
		}
		return "Later intakes stand on it: " + names + ". Undo them first.", "", nil
	}
	return "", undoing, nil
}

// Undo takes an intake back, as a whole.
func (d *Desk) Undo(ctx context.Context, p Person, id int64) error {
	if err := allow(p, TakeIn); err != nil {
		return err
	}
	d.intakes.Lock()
	defer d.intakes.Unlock()
	if _, err := d.store.Backup(ctx, "before-undo"); err != nil {
		return err
	}
	err := d.store.Write(ctx, func(tx *gorm.DB) error {
		var r store.Intake
		if err := tx.Limit(1).Find(&r, id).Error; err != nil {
			return err
		}
		if r.ID == 0 {
			return missing("The intake")
		}
		blocked, _, err := d.undoable(tx, &r)
		if err != nil {
			return err
		}
		if blocked != "" {
			return refuse("%s", blocked)
		}
		switch layout.Kind(r.Kind) {
		case layout.Stock:
			err = undoStock(tx, r.ID)
		case layout.Items:
			err = undoItems(tx, r.ID)
		case layout.Movements:
			err = d.undoMovements(tx, r.ID)
		}
		if err != nil {
			return err
		}
		if err := tx.Model(&r).Updates(map[string]any{"state": store.Undone, "undone_at": d.now().UnixNano(), "undone_by": p.Name}).Error; err != nil {
			return err
		}
		return d.record(tx, p, "intake undone", map[string]any{"intake": r.ID, "file": r.FileName, "sha256": r.FileSha})
	})
	if err == nil {
		d.changes.Add(1)
		d.Events.Tell(Event{What: "recorded"})
	}
	return err
}
