package desk

import (
	"context"
	"encoding/json"
	"fmt"

	"gorm.io/gorm"

	"wobin/internal/core/layout"
	"wobin/internal/core/stock"
	"wobin/internal/store"
)

// itemsDraft is an item file held against the items known.
type itemsDraft struct {
	added  []store.Item
	before map[int64]store.Item
	after  []store.Item // changed ones
}

// lookItems reads an item file. An empty cell leaves what is there as it is.
func (d *Desk) lookItems(ctx context.Context, dr *draft, r layout.Reading, out *Draft) error {
	items, rows, err := r.Items(dr.table, dr.mapping, &dr.problems)
	if err != nil {
		return err
	}
	out.Rows = rows
	var known []store.Item
	if err := d.store.Read(ctx).Find(&known).Error; err != nil {
		return err
	}
	var names stock.Names
	byName := map[stock.ID]*store.Item{}
	for i := range known {
		byName[names.Intern([]byte(known[i].SKU))] = &known[i]
	}
	x := &itemsDraft{before: map[int64]store.Item{}}
	dr.items = x
	e := &out.Effect
	for _, it := range items {
		id, found := names.Find(it.SKU)
		now := store.Item{SKU: it.SKU, SortKey: sortKey(it.SKU), Nature: "stocked", Active: true}
		var old *store.Item
		if found {
			old = byName[id]
			now = *old
		}
		for _, f := range []struct {
			into *string
			text string
		}{{&now.Description, it.Description}, {&now.Unit, it.Unit}, {&now.Category, it.Category}, {&now.Class, it.Class}, {&now.Barcode, it.Barcode}, {&now.RecordID, it.RecordID}} {
			if f.text != "" {
				*f.into = f.text
			}
		}
		if it.Costed {
			c := int64(it.Cost)
			now.Cost = &c
		}
		if it.HasNature {
			now.Nature = it.Nature
		}
		if it.HasActive {
			now.Active = it.Active
		}
		switch {
		case old == nil:
			e.Added++
			x.added = append(x.added, now)
			if e.Added <= 5 {
				e.Examples = append(e.Examples, EffectExample{"added", now.SKU, "", itemText(&now)})
			}
		case itemText(old) == itemText(&now) && old.Barcode == now.Barcode && old.RecordID == now.RecordID:
			e.Unchanged++
		default:
			e.Changed++
			x.before[old.ID] = *old
			x.after = append(x.after, now)
			if e.Changed <= 5 {
				e.Examples = append(e.Examples, EffectExample{"changed", now.SKU, itemText(old), itemText(&now)})
			}
		}
	}
	if len(items) == 0 {
		out.Blocked = "There is no row in it that could be taken in."
	}
	return nil
}

func itemText(i *store.Item) string {
	cost := "no cost"
	if i.Cost != nil {
		cost = "at " + costText(*i.Cost)
	}
	s := fmt.Sprintf("%s, %s, %s", i.Description, i.Unit, cost)
	for _, t := range []string{i.Category, i.Class} {
		if t != "" {
			s += ", " + t
		}
	}
	if i.Nature != "stocked" {
		s += ", " + i.Nature
	}
	if !i.Active {
		s += ", inactive"
	}
	return s
}

func (d *Desk) takeItems(ctx context.Context, p Person, dr *draft, key string) (TakenIn, error) {
	backup, err := d.safely(ctx, dr)
	if err != nil {
		return TakenIn{}, err
	}
	x := dr.items
	return once(d, ctx, key, func(tx *gorm.DB) (out TakenIn, err error) {
		in, err := d.newIntake(tx, p, dr, backup)
		if err != nil {
			return out, err
		}
		for i := range x.added {
			x.added[i].IntakeID = in.ID
		}
		if err := store.Batch(tx, x.added); err != nil {
			return out, err
		}
		before := make([]store.ItemBefore, len(x.after))
		for i := range x.after {
			was, err := json.Marshal(x.before[x.after[i].ID])
			if err != nil {
				return out, err
			}
			before[i] = store.ItemBefore{IntakeID: in.ID, ItemID: x.after[i].ID, Was: string(was)}
		}
		if err := store.Batch(tx, before); err != nil {
			return out, err
		}
		if err := store.Replace(tx, x.after); err != nil {
			return out, err
		}
		return takenIn(in), nil
	})
}

// newIntake writes the row of an intake, its file and its link of the chain.
func (d *Desk) newIntake(tx *gorm.DB, p Person, dr *draft, backup string) (*store.Intake, error) {
	now, e := d.now().UnixNano(), &dr.seen.Effect
	if err := store.RecordFile(tx, dr.sha, dr.size, now); err != nil {
		return nil, err
	}
	in := &store.Intake{Kind: string(dr.seen.Kind), State: store.Taken, FileSha: dr.sha, FileName: dr.name, Person: p.Name, At: now,
		Added: e.Added, Changed: e.Changed, Unchanged: e.Unchanged, Gone: e.Gone, Refused: e.Refused, Backup: backup}
	if err := tx.Create(in).Error; err != nil {
		return nil, err
	}
	return in, d.record(tx, p, "intake", map[string]any{"intake": in.ID, "kind": in.Kind, "file": dr.name, "sha256": dr.sha, "added": e.Added, "changed": e.Changed, "refused": e.Refused})
}

func takenIn(in *store.Intake) TakenIn {
	return TakenIn{Intake: in.ID, Kind: layout.Kind(in.Kind), Added: in.Added, Changed: in.Changed, Unchanged: in.Unchanged, Gone: in.Gone, Refused: in.Refused}
}

func undoItems(tx *gorm.DB, intake int64) error {
	var before []store.ItemBefore
	if err := tx.Where("intake_id = ?", intake).Find(&before).Error; err != nil {
		return err
	}
	items := make([]store.Item, len(before))
	for i := range before {
		if err := json.Unmarshal([]byte(before[i].Was), &items[i]); err != nil {
			return err
		}
	}
	if err := store.Replace(tx, items); err != nil {
		return err
	}
	if err := tx.Exec("DELETE FROM item_before WHERE intake_id = ?", intake).Error; err != nil {
		return err
	}
	return tx.Exec("DELETE FROM items WHERE intake_id = ?", intake).Error
}
