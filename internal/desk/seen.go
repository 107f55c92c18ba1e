package desk

import (
	"context"
	"encoding/json"
	"fmt"
	"path/filepath"
	"time"

	"wobin/internal/store"
)

// OfPeople are the words of the record that tell of people, their rights, and when somebody has to agree. What they tell of is not taken
// back by a restore.
var OfPeople = []string{"person added", "invited", "invitation taken back", "signed up", "new password offered", "new password taken",
	"password changed", "person changed", "agreement", "restored"}

// RecordRestore writes the word that a backup was put back, and again what the record told of people since then: a restore takes
// back nothing of that.
func RecordRestore(tx *store.Tx, now time.Time, p Person, name string, r store.Restored) error {
	w := &Work{Tx: tx}
	said := map[string]any{"backup": name, "before": r.Before, "damaged": "", "restore": r.Epoch}
	if r.Aside != "" {
		said["damaged"] = filepath.Base(r.Aside)
	}
	if err := w.Say("restored", said); err != nil {
		return err
	}
	if err := store.Record(tx, now.UnixNano(), p.Name, w.word, string(w.detail)); err != nil {
		return err
	}
	for _, l := range r.Since {
		var said map[string]any
		if err := json.Unmarshal([]byte(l.Detail), &said); err != nil {
			return fmt.Errorf("entry %d of the record: %w", l.ID, err)
		}
		said["told_before"] = l.ID
		detail, err := json.Marshal(said)
		if err != nil {
			return err
		}
		if err := store.Record(tx, l.At, l.Person, l.What, string(detail)); err != nil {
			return err
		}
	}
	return nil
}

// WarehouseRow gives a warehouse by its number.
func WarehouseRow(tx *store.Tx, id int64) (*store.Warehouse, error) {
	h, err := store.WarehouseOf(tx, id)
	if err == nil && h.ID == 0 {
		err = Missing("The warehouse")
	}
	if err != nil {
		return nil, err
	}
	return &h, nil
}

// hash is what is kept of the body, to tell a repeat from something else.
func (k *Key) hash() (string, error) {
	if k.Text == "" {
		return "", nil
	}
	b, err := json.Marshal(k.Body)
	return ShaOf(b), err
}

// Seen is a count as somebody may see it. It is the only way to one for reading.
type Seen struct {
	*store.Count
	Tx *store.Tx
	// Blind: whoever looks must not learn what is recorded, nor anything that follows from it, as a blind count of the warehouse
	// runs: this one, or another.
	Blind bool
}

// See gives a count for reading. One that is being frozen is not there yet.
func (d *Desk) See(ctx context.Context, p Person, id int64) (*Seen, error) {
	if err := Allow(p, Look); err != nil {
		return nil, err
	}
	tx := d.Store.Read(ctx)
	c, err := CountRow(tx, id)
	if err != nil {
		return nil, err
	}
	blind, err := BlindIn(tx, p, c.WarehouseID)
	return &Seen{c, tx, blind}, err
}

// Judge gives a count for looking at what is recorded in it: while a blind count of its warehouse runs counters may not.
func (d *Desk) Judge(ctx context.Context, p Person, id int64) (*Seen, error) {
	c, err := d.See(ctx, p, id)
	if err == nil && c.Blind {
		err = Allow(p, Judge)
	}
	return c, err
}

// RecordedOf gives a warehouse for looking at what is recorded there: while a blind count of it runs its counters may not.
func (d *Desk) RecordedOf(ctx context.Context, p Person, id int64) (*store.Tx, *store.Warehouse, error) {
	if err := Allow(p, Look); err != nil {
		return nil, nil, err
	}
	tx := d.Store.Read(ctx)
	h, err := WarehouseRow(tx, id)
	if err != nil {
		return nil, nil, err
	}
	return tx, h, UnlessBlind(tx, p, h.ID, "see what is recorded in "+h.Code)
}

// UnlessBlind refuses something to whoever may not judge while a blind count runs, in a warehouse or, for 0, in any.
func UnlessBlind(tx *store.Tx, p Person, house int64, what string) error {
	blind, err := BlindIn(tx, p, house)
	if err == nil && blind {
		err = fmt.Errorf("to %s while a blind count runs: %w (you are %s)", what, ErrMayNot, p.Role)
	}
	return err
}

// BlindIn tells whether a person must not learn what is recorded in a warehouse or, for 0, in some warehouse: while a blind count
// of it runs, or is being frozen, those who may not judge it must not, from whatever count, list or file they ask.
func BlindIn(tx *store.Tx, p Person, house int64) (blind bool, err error) {
	if Allow(p, Judge) == nil {
		return false, nil
	}
	return store.RunsBlind(tx, house)
}

// CountRow gives a count by its number, whoever asks. One that is being frozen is not there yet. See and Judge are for people.
func CountRow(tx *store.Tx, id int64) (*store.Count, error) {
	c, err := store.CountOf(tx, id)
	if err == nil && c.ID == 0 {
		err = Missing("The count")
	}
	if err == nil && c.State == store.Discarded {
		err = RefuseAs(Ended, "count", "The count %q was discarded: it was frozen by mistake. What was counted on its sheets is to be counted anew.", c.Name)
	}
	if err != nil {
		return nil, err
	}
	return &c, nil
}

// Running gives a count for writing, within work. It is the only way to one: nothing is written to a finished count.
func (w *Work) Running(id int64) (*store.Count, error) {
	if c := w.counts[id]; c != nil {
		return c, nil
	}
	c, err := CountRow(w.Tx, id)
	if err != nil {
		return nil, err
	}
	if c.State != store.Running {
		return nil, RefuseAs(Ended, "count", "The count %q is finished. Nothing more is taken in, decided or sent out in it.", c.Name)
	}
	w.counts[id] = c
	return c, nil
}
