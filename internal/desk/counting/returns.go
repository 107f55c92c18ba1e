package counting

import (
	"context"
	"time"

	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/store"
)

// ReturnView is one file of counts that was taken in.
type ReturnView struct {
	ID        int64      `json:"id"`
	File      string     `json:"file"`
	Sha       string     `json:"sha"`
	Person    string     `json:"person"`
	At        time.Time  `json:"at"`
	Added     int        `json:"added"`
	Revised   int        `json:"revised"`
	Unchanged int        `json:"unchanged"`
	Withdrawn int        `json:"withdrawn"`
	Empty     int        `json:"empty"`
	State     string     `json:"state" enum:"taken in,undone"`
	UndoneBy  string     `json:"undone_by"`
	UndoneAt  *time.Time `json:"undone_at"`
	Blocked   string     `json:"blocked" doc:"why it cannot be undone; empty where it can"`
}

// Returns lists the files of counts that were taken in, the latest first.
func (d *Room) Returns(ctx context.Context, p desk.Person, countID int64) ([]ReturnView, error) {
	c, err := d.See(ctx, p, countID)
	if err != nil {
		return nil, err
	}
	var rows []store.Return
	if err := c.Tx.Where("count_id = ?", c.ID).Order("id DESC").Limit(200).Find(&rows).Error; err != nil {
		return nil, err
	}
	out := make([]ReturnView, len(rows))
	w := &desk.Work{Tx: c.Tx}
	for i := range rows {
		r := &rows[i]
		out[i] = ReturnView{
			r.ID,
			r.FileName,
			r.FileSha,
			r.Person,
			desk.Instant(r.At),
			r.Added,
			r.Revised,
			r.Unchanged,
			r.Withdrawn,
			r.Empty,
			r.State,
			r.UndoneBy,
			desk.Moment(r.UndoneAt),
			"",
		}
		if c.State != store.Running {
			out[i].Blocked = "The count is finished."
		} else if out[i].Blocked, err = returnBlocked(w, r); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// returnBlocked tells what stands in the way of undoing a return.
func returnBlocked(w *desk.Work, r *store.Return) (string, error) {
	if r.State != store.Taken {
		return "It was undone already.", nil
	}
	var later int
	// What replaces an entry comes after it, so only what came after the file is looked at.
	if err := w.Raw("SELECT count(*) FROM entries WHERE id > ? AND +count_id = ? AND replaces BETWEEN ? AND ?", r.LastEntry, r.CountID,
		r.FirstEntry, r.LastEntry).Scan(&later).Error; err != nil {
		return "", err
	}
	if later > 0 {
		return desk.Plural(
			later,
			"of its counts was",
			"of its counts were",
		) + " changed since, by typing or by a later file. Undo the later file first, or type these rows.", nil
	}
	return "", nil
}

// UndoReturn takes a file of counts back, as a whole: each of its counts gives way to what stood before it. Nothing is
// deleted: that is an entry of its own for each.
func (d *Room) UndoReturn(ctx context.Context, p desk.Person, countID, id int64) error {
	_, err := desk.Do(ctx, d.Desk, p, desk.Enter, desk.Key{}, func(w *desk.Work) (struct{}, error) {
		c, err := w.Running(countID)
		if err != nil {
			return struct{}{}, err
		}
		var r store.Return
		if err := w.Where("count_id = ?", c.ID).Limit(1).Find(&r, id).Error; err != nil {
			return struct{}{}, err
		}
		if r.ID == 0 {
			return struct{}{}, desk.Missing("The file")
		}
		blocked, err := returnBlocked(w, &r)
		if err != nil {
			return struct{}{}, err
		}
		if blocked != "" {
			return struct{}{}, desk.Refuse("%s", blocked)
		}
		return struct{}{}, undoReturn(w, c, &r)
	})
	return err
}

func undoReturn(w *desk.Work, c *store.Count, r *store.Return) error {
	var its []store.Entry
	if err := w.Where("id BETWEEN ? AND ?", r.FirstEntry, r.LastEntry).Order("id").Find(&its).Error; err != nil {
		return err
	}
	before := map[int64]store.Entry{}
	var replaced []store.Entry
	if err := w.Raw("SELECT * FROM entries WHERE id IN (SELECT replaces FROM entries WHERE id BETWEEN ? AND ? AND replaces <> 0)",
		r.FirstEntry, r.LastEntry).Scan(&replaced).Error; err != nil {
		return err
	}
	for _, e := range replaced {
		before[e.ID] = e
	}
	back, sheets := make([]store.Entry, len(its)), map[int64]bool{}
	for i, e := range its {
		n := store.Entry{
			CountID:   c.ID,
			Pos:       e.Pos,
			SheetID:   e.SheetID,
			Round:     e.Round,
			Parcel:    e.Parcel,
			Replaces:  e.ID,
			Withdrawn: true,
			CountedAt: e.CountedAt,
			Counter:   w.Person.Name,
			Person:    w.Person.Name,
			At:        w.Now,
			Undoes:    r.ID,
		}
		if was, had := before[e.Replaces]; had {
			n.Quantity, n.Withdrawn, n.CountedAt, n.Since = was.Quantity, was.Withdrawn, was.CountedAt, was.Since
			n.Counter, n.SheetID = was.Counter, was.SheetID
		}
		back[i] = n
		sheets[e.SheetID] = true
	}
	if _, _, err := count.Enter(w, c, back, nil); err != nil {
		return err
	}
	if err := w.Model(r).Updates(map[string]any{"state": store.Undone, "undone_at": w.Now, "undone_by": w.Person.Name}).Error; err != nil {
		return err
	}
	if err := w.Exec("UPDATE doubts SET state = ?, settled_by = ?, settled_at = ? WHERE return_id = ? AND state = ?", store.Undone, w.Person.Name, w.Now,
		r.ID, store.Waits).Error; err != nil {
		return err
	}
	delete(sheets, 0)
	for id := range sheets { // a sheet that came back with this file alone is out again
		if err := w.Exec(`UPDATE sheets SET state = CASE WHEN counter <> '' OR out_at <> 0 THEN ? ELSE ? END, back_at = 0, revisions = max(revisions - ?, 0) WHERE id = ? AND counted < lines
			AND NOT EXISTS (SELECT 1 FROM returns r JOIN entries e ON e.id BETWEEN r.first_entry AND r.last_entry WHERE r.count_id = sheets.count_id AND r.state = ? AND +e.sheet_id = sheets.id)`,
			store.Out, store.WithUs, min(r.Revised, 1), id, store.Taken).Error; err != nil {
			return err
		}
	}
	return w.Say(
		"counts taken back",
		map[string]any{"count": c.ID, "return": r.ID, "file": r.FileName, "sha256": r.FileSha, "entries": len(its)},
	)
}

// WithdrawEntry takes one standing count of a line back, whatever row or file it came with.
func (d *Room) WithdrawEntry(ctx context.Context, p desk.Person, countID, pos, entry int64) error {
	_, err := desk.Do(ctx, d.Desk, p, desk.Enter, desk.Key{}, func(w *desk.Work) (none struct{}, err error) {
		c, err := w.Running(countID)
		if err != nil {
			return none, err
		}
		gone, err := count.Withdrawal(w, c, pos, entry)
		if err != nil {
			return none, err
		}
		if _, _, err := count.Enter(w, c, []store.Entry{gone}, nil); err != nil {
			return none, err
		}
		return none, w.Say("count withdrawn", map[string]any{"count": c.ID, "line": pos, "entry": entry})
	})
	return err
}
