package desk

import (
	"context"
	"encoding/json"
	"fmt"

	"gorm.io/gorm"

	"wobin/internal/store"
)

// hash is what is kept of the body, to tell a repeat from something else.
func (k *Key) hash() (string, error) {
	if k.Text == "" {
		return "", nil
	}
	b, err := json.Marshal(k.Body)
	return shaOf(b), err
}

// Seen is a count as somebody may see it. It is the only way to one for reading.
type Seen struct {
	*store.Count
	tx *gorm.DB
	// Blind: whoever looks must not learn what is recorded, nor anything that follows from it.
	Blind bool
}

// see gives a count for reading. One that is being frozen is not there yet.
func (d *Desk) see(ctx context.Context, p Person, id int64) (*Seen, error) {
	if err := allow(p, Look); err != nil {
		return nil, err
	}
	tx := d.store.Read(ctx)
	c, err := countRow(tx, id)
	if err != nil {
		return nil, err
	}
	return &Seen{c, tx, c.Blind && c.State == store.Running && allow(p, Judge) != nil}, nil
}

// judge gives a count for looking at what is recorded in it: while a blind count runs its counters may not.
func (d *Desk) judge(ctx context.Context, p Person, id int64) (*Seen, error) {
	c, err := d.see(ctx, p, id)
	if err == nil && c.Blind {
		err = allow(p, Judge)
	}
	return c, err
}

// recordedOf gives a warehouse for looking at what is recorded there: while a blind count of it runs its counters may not.
func (d *Desk) recordedOf(ctx context.Context, p Person, id int64) (*gorm.DB, *store.Warehouse, error) {
	if err := allow(p, Look); err != nil {
		return nil, nil, err
	}
	tx := d.store.Read(ctx)
	h, err := warehouse(tx, id)
	if err != nil {
		return nil, nil, err
	}
	return tx, h, unlessBlind(tx, p, h.ID, "see what is recorded in "+h.Code)
}

// unlessBlind refuses something to whoever may not judge while a blind count runs, in a warehouse or, for 0, in any.
func unlessBlind(tx *gorm.DB, p Person, house int64, what string) error {
	if allow(p, Judge) == nil {
		return nil
	}
	var blind bool
	err := tx.Raw("SELECT EXISTS (SELECT 1 FROM counts WHERE blind = 1 AND state = ? AND ? IN (0, warehouse_id))", store.Running, house).Scan(&blind).Error
	if err == nil && blind {
		err = fmt.Errorf("to %s while a blind count runs: %w (you are %s)", what, ErrMayNot, p.Role)
	}
	return err
}

func countRow(tx *gorm.DB, id int64) (*store.Count, error) {
	var c store.Count
	if err := tx.Where("state <> ?", store.Freezing).Limit(1).Find(&c, id).Error; err != nil {
		return nil, err
	}
	if c.ID == 0 {
		return nil, missing("The count")
	}
	return &c, nil
}

// Running gives a count for writing, within work. It is the only way to one: nothing is written to a finished count.
func (w *Work) Running(id int64) (*store.Count, error) {
	if c := w.counts[id]; c != nil {
		return c, nil
	}
	c, err := countRow(w.DB, id)
	if err != nil {
		return nil, err
	}
	if c.State != store.Running {
		return nil, refuseAs(Ended, "count", "The count %q is finished. Nothing more is taken in, decided or sent out in it.", c.Name)
	}
	w.counts[id] = c
	return c, nil
}
