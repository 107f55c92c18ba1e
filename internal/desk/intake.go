package desk

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
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

// TakenIn is the last word on an intake.
type TakenIn struct {
	Intake int64       `json:"intake"`
	Return int64       `json:"return"`
	Count  int64       `json:"count"`
	Kind   layout.Kind `json:"kind"`
	Outcome
}

// TakeIn takes a dropped file in: all of it or nothing. leaveOut must be the number of refused rows where there
// are any. key makes a repeat harmless: it is answered with the first result. It goes on when whoever asked is gone;
// Cancel ends it.
func (d *Desk) TakeIn(ctx context.Context, p Person, id, key string, leaveOut int) (TakenIn, error) {
	// The first answer stands in the records, so a repeat is answered when the draft is long gone.
	if before, found, err := d.answered(ctx, key); found || err != nil {
		return before, err
	}
	dr, err := d.drafts.get(p, id)
	if err != nil {
		return TakenIn{}, err
	}
	dr.mu.Lock()
	defer dr.mu.Unlock()
	if dr.seen == nil {
		return TakenIn{}, missing("This upload")
	}
	work, end := dr.working(context.WithoutCancel(ctx))
	defer end()
	d.intakes.Lock()
	defer d.intakes.Unlock()
	seen := dr.seen
	if dr.state != d.changes.Load() { // the records have changed since it was looked at
		if seen, err = d.look(work, dr); err != nil {
			return TakenIn{}, err
		}
	}
	parts, counts := dr.inOrder(), 0
	for _, pt := range parts {
		if pt.back != nil {
			counts++
		}
	}
	act := TakeIn
	if counts > 0 && counts == len(parts) {
		act = Enter
	}
	if err := allow(p, act); err != nil {
		return TakenIn{}, err
	}
	switch {
	case seen.Blocked != "":
		return TakenIn{}, refuse("%s", seen.Blocked)
	case seen.Effect.Refused != leaveOut:
		return TakenIn{}, refuse("%d rows have a problem. Mend them, or say that these %d rows are to be left out.", seen.Effect.Refused, seen.Effect.Refused)
	case counts > 1 || counts == 1 && len(parts) > 1:
		return TakenIn{}, refuse("Counts are taken in by themselves. Leave the other sheets of this file out, take the counts in, and then drop the file again.")
	}
	var out TakenIn
	if counts == 1 {
		out, err = d.takeBack(work, p, dr, parts[0], key)
	} else {
		out, err = d.takeParts(work, p, dr, key)
	}
	if err != nil {
		if work.Err() != nil && ctx.Err() == nil {
			return out, refuse("It was cancelled. Nothing of it was taken in.")
		}
		return out, err
	}
	d.changes.Add(1)
	d.drafts.drop(id)
	d.Events.Tell(Event{What: "recorded"})
	if out.Count != 0 {
		d.Events.Tell(Event{What: "count", Count: out.Count})
	}
	return out, nil
}

// taking tells the open windows how far the writing of an intake is.
func (d *Desk) taking(dr *draft, of int) func(done int) {
	started := time.Now()
	return func(done int) {
		d.Events.Tell(Event{What: "progress", Draft: dr.id, Text: "Taking in " + dr.name, Done: done, Of: of, Rows: done, Since: int(time.Since(started).Milliseconds())})
	}
}

// IntakeView is one intake on the time line.
type IntakeView struct {
	ID         int64        `json:"id"`
	Kind       string       `json:"kind" doc:"kinds of its sheets, with commas"`
	State      string       `json:"state" enum:"taken in,undone"`
	File       string       `json:"file"`
	Sha        string       `json:"sha"`
	Person     string       `json:"person"`
	At         time.Time    `json:"at"`
	RecordedAt *time.Time   `json:"recorded_at"`
	Added      int          `json:"added"`
	Changed    int          `json:"changed"`
	Unchanged  int          `json:"unchanged"`
	Gone       int          `json:"gone"`
	Refused    int          `json:"refused"`
	UndoneBy   string       `json:"undone_by"`
	UndoneAt   *time.Time   `json:"undone_at"`
	Blocked    string       `json:"blocked" doc:"why it cannot be undone; empty where it can"`
	Undoing    string       `json:"undoing" doc:"what undoing puts back"`
	Parts      []IntakePart `json:"parts" doc:"what each sheet came to"`
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
		v := IntakeView{ID: r.ID, Kind: r.Kind, Parts: []IntakePart{}, State: r.State, File: r.FileName, Sha: r.FileSha, Person: r.Person, At: time.Unix(0, r.At).UTC(),
			RecordedAt: moment(r.RecordedAt), Added: r.Added, Changed: r.Changed, Unchanged: r.Unchanged, Gone: r.Gone, Refused: r.Refused, UndoneBy: r.UndoneBy, UndoneAt: moment(r.UndoneAt)}
		if r.Parts != "" {
			if err := json.Unmarshal([]byte(r.Parts), &v.Parts); err != nil {
				return nil, err
			}
		}
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
	var puts []string
	for kind := range strings.SplitSeq(r.Kind, ", ") {
		var more []store.Intake
		switch layout.Kind(kind) {
		case layout.Stock:
			// Later intakes whose sets follow on this one's.
			err = tx.Raw(`SELECT DISTINCT i.* FROM intakes i JOIN stock_sets s ON s.intake_id = i.id JOIN stock_sets mine ON mine.warehouse_id = s.warehouse_id
				WHERE mine.intake_id = ? AND i.id > ? AND i.state = ? ORDER BY i.id`, r.ID, r.ID, store.Taken).Scan(&more).Error
			puts = append(puts, undoes("line", "lines", r.Added, r.Changed, r.Gone))
		case layout.Items:
			// Later intakes that changed an item which this one made or changed.
			err = tx.Raw(`SELECT DISTINCT i.* FROM intakes i JOIN item_before b ON b.intake_id = i.id WHERE i.id > ? AND i.state = ?
				AND (b.item_id IN (SELECT item_id FROM item_before WHERE intake_id = ?) OR b.item_id IN (SELECT id FROM items WHERE intake_id = ?)) ORDER BY i.id`, r.ID, store.Taken, r.ID, r.ID).Scan(&more).Error
			puts = append(puts, undoes("item", "items", r.Added, r.Changed, 0))
			if err == nil && len(more) == 0 && r.Kind == string(layout.Items) {
				var n int64
				err = tx.Raw(`SELECT count(*) FROM items WHERE intake_id = ? AND (id IN (SELECT item_id FROM set_items) OR id IN (SELECT item_id FROM count_lines) OR id IN (SELECT item_id FROM movements))`, r.ID).Scan(&n).Error
				if n > 0 {
					return fmt.Sprintf("%d of its new items have stock, movements or counts by now.", n), "", err
				}
			}
		case layout.Movements:
			puts = append(puts, "takes "+plural(r.Added, "movement", "movements")+" away")
		case layout.Places:
			err = tx.Raw(`SELECT DISTINCT i.* FROM intakes i JOIN place_before b ON b.intake_id = i.id JOIN place_before mine ON mine.sort = b.sort AND mine.place_id = b.place_id
				WHERE mine.intake_id = ? AND i.id > ? AND i.state = ? ORDER BY i.id`, r.ID, r.ID, store.Taken).Scan(&more).Error
			puts = append(puts, undoes("place", "places", r.Added, r.Changed, 0)+", where nothing uses them")
		}
		if err != nil {
			return "", "", err
		}
		for _, x := range more {
			if !slices.ContainsFunc(later, func(y store.Intake) bool { return y.ID == x.ID }) {
				later = append(later, x)
			}
		}
	}
	if strings.Contains(r.Kind, ", ") { // the figures of its sheets are told one by one
		var parts []IntakePart
		if err := json.Unmarshal([]byte(r.Parts), &parts); err != nil {
			return "", "", err
		}
		puts = nil
		for _, p := range parts {
			puts = append(puts, fmt.Sprintf("%s: %s", p.Kind, undoes("row", "rows", p.Added, p.Changed, p.Gone)))
		}
	}
	undoing = strings.Join(puts, "; ")
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

// undoes says what undoing puts back.
func undoes(one, many string, added, changed, gone int) string {
	var parts []string
	if changed > 0 {
		parts = append(parts, "puts "+plural(changed, "changed "+one, "changed "+many)+" back")
	}
	if added > 0 {
		parts = append(parts, "takes "+plural(added, "new "+one, "new "+many)+" away")
	}
	if gone > 0 {
		parts = append(parts, "brings "+plural(gone, one+" that went", many+" that went")+" back")
	}
	if len(parts) == 0 {
		return "changes no " + one + ", as the intake changed none"
	}
	if last := len(parts) - 1; last > 0 {
		return strings.Join(parts[:last], ", ") + " and " + parts[last]
	}
	return parts[0]
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
		for _, undo := range []func(*gorm.DB, int64) error{d.undoMovements, undoStock, undoItems, undoPlaces} { // places last: nothing uses them then
			if err := undo(tx, r.ID); err != nil {
				return err
			}
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
