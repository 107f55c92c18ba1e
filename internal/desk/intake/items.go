package intake

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"wobin/internal/core/code"
	"wobin/internal/core/field"
	"wobin/internal/core/known"
	"wobin/internal/core/plausible"
	"wobin/internal/core/quantity"
	"wobin/internal/core/read"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/store"
)

// itemsDraft is an item file held against the items known.
type itemsDraft struct {
	values []read.Value
	added  []store.Item
	before map[int64]store.Item
	after  []store.Item   // changed ones
	fresh  map[int64]bool // those of them that an earlier sheet of the same intake makes
	held   []known.Difference
	// recorded are the codes under which items of the file are recorded, where it was said that they are those.
	recorded map[string]string
	// renamed are the codes that items of the file had before, where it was said that they have those of the file from now on.
	renamed map[string]string
}

// itemSoFar is an item as a sheet before this one makes or changes it.
type itemSoFar struct {
	item *store.Item
	made bool
}

// itemsSoFar gives the items that sheets looked at before this one make or change, as they will be, by number.
func (dr *draft) itemsSoFar(pt *part) map[int64]itemSoFar {
	out := map[int64]itemSoFar{}
	take := func(list []store.Item, made bool) {
		for i := range list {
			id := list[i].ID
			out[id] = itemSoFar{&list[i], made || out[id].made}
		}
	}
	for _, other := range dr.inOrder() {
		if other != pt && other.content != nil {
			added, changed := other.content.made()
			take(added, true)
			take(changed, false)
		}
	}
	return out
}

// change notes what becomes of an item that is there, or will be.
func (x *itemsDraft) change(old, now *store.Item, made bool) {
	if x.before == nil {
		x.before, x.fresh = map[int64]store.Item{}, map[int64]bool{}
	}
	if made {
		x.fresh[old.ID] = true
	}
	x.before[old.ID] = *old
	x.after = append(x.after, *now)
}

// lookItems reads an item file. An empty cell leaves what is there as it is, unless it is said to clear.
func (d *Room) lookItems(ctx context.Context, dr *draft, pt *part, r read.Reading, rec *records, _ *Draft) error {
	f, err := r.Items(dr.table, pt.mapping, &pt.problems)
	pt.hear(f.Told)
	if err != nil {
		return err
	}
	v, given := pt.view, pt.mapping.Given(pt.given)
	v.Rows, v.Effect.Left = f.Rows, f.Left
	v.values(f.Values, field.Items)
	var list []store.Item
	if err := d.Store.Read(ctx).Find(&list).Error; err != nil {
		return err
	}
	byID := make(map[int64]*store.Item, len(list))
	for i := range list {
		byID[list[i].ID] = &list[i]
	}
	soFar := dr.itemsSoFar(pt)
	for id, is := range soFar {
		byID[id] = is.item
	}
	x := &itemsDraft{values: f.Values}
	pt.content = x
	e := &v.Effect
	if len(list) > 0 && len(f.Items) > 0 {
		x.hold(dr, v, f, list)
	}
	skus := rec.known().Set(field.SKU)
	seen := map[int64]int{}
	var costs plausible.Tens
	for i := range f.Items {
		it := &f.Items[i]
		sku := it.SKU
		if other := x.recorded[sku]; other != "" {
			sku, it.SKU = other, other
		}
		if c, ok := skus.Find(sku); ok {
			sku = c
		}
		id := rec.items[sku]
		was := x.renamed[it.SKU]
		if was != "" {
			id = rec.items[was]
		}
		if first, twice := seen[id]; twice && id != 0 {
			pt.problems.Add(
				pt.mapping.Problem(
					dr.name,
					it.Row,
					field.SKU,
					"duplicate key",
					it.SKU,
					fmt.Sprintf("%q is, but for its case, the same as row %d. Take one out", it.SKU, first),
				),
			)
			continue
		}
		old := byID[id]
		now := store.Item{SKU: it.SKU, SortKey: desk.SortKey(it.SKU), Nature: "stocked", Active: true}
		if old != nil {
			now = *old
		}
		if err := fill(&now, it); err != nil {
			return err
		}
		if was != "" && old != nil {
			if err := rename(&now, it.SKU); err != nil {
				return err
			}
			rec.rename(was, it.SKU)
		}
		if old != nil && old.Cost != nil && now.Cost != nil {
			costs.Add(*old.Cost, *now.Cost)
		}
		switch {
		case old == nil && given.Rows == "change", old != nil && given.Rows == "add":
			e.Left++
			continue
		case old == nil:
			now.ID = rec.newItem(it.SKU)
			e.Added++
			x.added = append(x.added, now)
			if e.Added <= 5 {
				e.Examples = append(e.Examples, EffectExample{"added", now.SKU, "", itemText(&now)})
			}
		case sameItem(old, &now):
			e.Unchanged++
		default:
			e.Changed++
			e.changes = append(e.changes, itemText(old)+"→"+itemText(&now)...)
			x.change(old, &now, soFar[old.ID].made)
			if e.Changed <= 5 {
				e.Examples = append(e.Examples, EffectExample{"changed", now.SKU, itemText(old), itemText(&now)})
			}
		}
		seen[now.ID] = it.Row
		// What identifies and measures the item counts for the sheets that come after this one.
		if err := rec.measure(now.ID, now.Unit, now.Packs); err != nil {
			return err
		}
		rec.loadLeads()
		rec.lead(field.FurtherSKU, now.FurtherSKU, now.SKU)
		rec.lead(field.ItemID, now.RecordID, now.SKU)
		rec.lead(field.Description, now.Description, now.SKU)
		for _, b := range count.Barcodes(now.Barcode, now.Barcodes) {
			rec.lead(field.Barcode, b, now.SKU)
		}
	}
	e.making(len(x.added), "new item", "new items", func(i int) string { return x.added[i].SKU })
	if f.CostsRounded > 0 {
		v.Assumed = append(v.Assumed, fmt.Sprintf("%d unit costs had more than 6 decimal places and were rounded to 6.", f.CostsRounded))
	}
	v.askTenfold(&dr.choices, tenfoldCost, "The unit costs", &costs)
	rec.sets, rec.empty = nil, rec.empty && len(x.added) == 0
	if len(f.Items) == 0 {
		v.Blocked = "There is no row in it that could be taken in."
	}
	return rec.err
}

// rename gives an item another code. The one before goes on finding it: as its further SKU, or as one of its barcodes where it has one.
func rename(now *store.Item, sku string) error {
	was := now.SKU
	if now.SKU, now.SortKey = sku, desk.SortKey(sku); now.FurtherSKU == "" {
		now.FurtherSKU = was
		return nil
	}
	if now.FurtherSKU == was {
		return nil
	}
	codes := append(count.Barcodes(now.Barcode, now.Barcodes), was)
	now.Barcode = codes[0]
	if len(codes) == 1 {
		return nil
	}
	b, err := json.Marshal(codes)
	now.Barcodes = string(b)
	return err
}

// fill lays what a file says of an item over what is known.
func fill(now *store.Item, it *read.Item) error {
	for f, t := range map[field.Field]struct {
		into *string
		text string
	}{field.Description: {&now.Description, it.Description}, field.Unit: {&now.Unit, it.Unit}, field.Category: {&now.Category,
		it.Category}, field.Class: {&now.Class, it.Class},
		field.RecordID: {&now.RecordID, it.RecordID}, field.FurtherSKU: {&now.FurtherSKU, it.FurtherSKU}, field.Parent: {&now.Parent,
			it.Parent}, field.Tracking: {&now.Tracking, it.Tracking}} {
		switch {
		case it.Cleared[f]:
			*t.into = ""
		case it.Given[f] && (t.text != "" || f == field.Tracking):
			*t.into = t.text
		}
	}
	switch {
	case it.Cleared[field.UnitCost]:
		now.Cost = nil
	case it.Given[field.UnitCost]:
		c := int64(it.Cost)
		now.Cost = &c
	}
	if it.Given[field.Nature] {
		now.Nature = it.Nature
	}
	if it.Given[field.Active] {
		now.Active = it.Active
	}
	if len(it.Barcodes) > 0 || it.Cleared[field.Barcode] {
		now.Barcode, now.Barcodes = "", ""
		if len(it.Barcodes) > 0 {
			now.Barcode = it.Barcodes[0]
		}
		if len(it.Barcodes) > 1 {
			b, err := json.Marshal(it.Barcodes)
			if err != nil {
				return err
			}
			now.Barcodes = string(b)
		}
	}
	if len(it.Packs) > 0 {
		b, err := json.Marshal(it.Packs)
		if err != nil {
			return err
		}
		now.Packs = string(b)
	}
	var err error
	now.Attributes, err = withAttributes(now.Attributes, it.Kept)
	return err
}

// withAttributes lays attributes over those that an item or line has, as JSON.
func withAttributes(have string, more map[string]string) (string, error) {
	if len(more) == 0 {
		return have, nil
	}
	all := map[string]string{}
	if have != "" {
		if err := json.Unmarshal([]byte(have), &all); err != nil {
			return "", err
		}
	}
	for k, v := range more {
		all[k] = v
	}
	b, err := json.Marshal(all)
	return string(b), err
}

// sameItem tells whether nothing about an item changes.
func sameItem(a, b *store.Item) bool {
	x, y := *a, *b
	x.SortKey, y.SortKey, x.Cost, y.Cost = nil, nil, nil, nil
	return sameCost(a, b) && fmt.Sprint(x) == fmt.Sprint(y)
}

func itemText(i *store.Item) string {
	cost := "no cost"
	if i.Cost != nil {
		cost = "at " + quantity.Cost(*i.Cost).String()
	}
	parts := []string{i.Description, i.Unit, cost, i.Category, i.Class, i.FurtherSKU, strings.Join(count.Barcodes(i.Barcode, i.Barcodes), " ")}
	if i.Nature != "stocked" {
		parts = append(parts, i.Nature)
	}
	if i.Tracking != "" {
		parts = append(parts, "by "+i.Tracking)
	}
	if i.Parent != "" {
		parts = append(parts, "variant of "+i.Parent)
	}
	if !i.Active {
		parts = append(parts, "inactive")
	}
	if i.Packs != "" {
		var packs []read.Pack
		if json.Unmarshal([]byte(i.Packs), &packs) == nil {
			for _, p := range packs {
				parts = append(parts, fmt.Sprintf("%s of %s", p.Unit, p.Size))
			}
		}
	}
	if i.Attributes != "" {
		var kept map[string]string
		if json.Unmarshal([]byte(i.Attributes), &kept) == nil {
			names := make([]string, 0, len(kept))
			for n := range kept {
				names = append(names, n)
			}
			code.Sort(names)
			for _, n := range names {
				parts = append(parts, n+": "+kept[n])
			}
		}
	}
	return strings.Join(slices.DeleteFunc(parts, func(s string) bool { return s == "" }), ", ")
}

// write makes and changes items, keeping each changed one as it was.
func (x *itemsDraft) write(w *desk.Work, intake int64) error {
	tx := w.Tx
	for i := range x.added {
		x.added[i].IntakeID = intake
	}
	if err := store.Batch(tx, x.added); err != nil {
		return err
	}
	var before []store.ItemBefore
	for i := range x.after {
		now := &x.after[i]
		if x.fresh[now.ID] { // made by this intake, so there is nothing to put back
			now.IntakeID = intake
			continue
		}
		was, err := json.Marshal(x.before[now.ID])
		if err != nil {
			return err
		}
		before = append(before, store.ItemBefore{IntakeID: intake, ItemID: now.ID, Was: string(was)})
	}
	// An earlier sheet of the intake may have kept the item as it was already.
	if err := store.Batch(tx.Clauses(clause.OnConflict{DoNothing: true}), before); err != nil {
		return err
	}
	if err := store.Replace(tx, x.after); err != nil {
		return err
	}
	var costs []int64
	for i := range x.after {
		if now, was := &x.after[i], x.before[x.after[i].ID]; !sameCost(now, &was) {
			costs = append(costs, now.ID)
		}
	}
	return itemsCost(w, costs)
}

// itemsCost brings other costs of items to all that is valued by them: recorded stock, and the lines of counts that run.
func itemsCost(w *desk.Work, items []int64) error {
	if len(items) == 0 {
		return nil
	}
	if err := store.RevalueAll(w.Tx); err != nil {
		return err
	}
	running, err := store.RunningCounts(w.Tx)
	if err != nil {
		return err
	}
	for _, id := range running {
		c, err := w.Running(id)
		if err != nil {
			return err
		}
		if err := count.ItemsCost(w, c, items); err != nil {
			return err
		}
	}
	return nil
}

func sameCost(a, b *store.Item) bool {
	return a.Cost == nil && b.Cost == nil || a.Cost != nil && b.Cost != nil && *a.Cost == *b.Cost
}

// otherCosts are the items that cost something else by now.
func otherCosts(tx *gorm.DB, items []store.Item) (out []int64, err error) {
	costs, err := store.ItemCosts(tx)
	for i := range items {
		now := &store.Item{}
		if cost, known := costs[items[i].ID]; known {
			now.Cost = (*int64)(&cost)
		}
		if !sameCost(now, &items[i]) {
			out = append(out, items[i].ID)
		}
	}
	return out, err
}

// undoItems puts changed items back. What the intake made goes where nothing uses it.
func undoItems(w *desk.Work, intake int64) error {
	tx := w.Tx
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
	costs, err := otherCosts(tx, items)
	if err != nil {
		return err
	}
	if err := store.Replace(tx, items); err != nil {
		return err
	}
	if err := tx.Exec("DELETE FROM item_before WHERE intake_id = ?", intake).Error; err != nil {
		return err
	}
	return itemsCost(w, costs)
}

func itemsStanding(tx *gorm.DB, r *store.Intake) (s standing, err error) {
	s.puts = undoes("item", "items", r.Added, r.Changed, 0)
	// Later intakes that changed an item which this one made or changed.
	if err := tx.Raw(`SELECT DISTINCT i.* FROM intakes i JOIN item_before b ON b.intake_id = i.id WHERE i.id > ? AND i.state = ?
		AND (b.item_id IN (SELECT item_id FROM item_before WHERE intake_id = ?) OR b.item_id IN (SELECT id FROM items WHERE intake_id = ?))
		ORDER BY i.id`, r.ID, store.Taken, r.ID, r.ID).Scan(&s.later).Error; err != nil {
		return s, err
	}
	taken, err := store.CodesTakenSince(tx, r.ID)
	if err != nil {
		return s, err
	}
	if len(taken) > 0 {
		s.blocked = fmt.Sprintf("%s is the code of another item by now, so what had it before cannot have it again.", taken[0])
		return s, nil
	}
	if len(s.later) > 0 || r.Kind != string(field.Items) {
		return s, nil
	}
	var n int64
	err = tx.Raw(`SELECT count(*) FROM items WHERE intake_id = ? AND (id IN (SELECT item_id FROM set_items)
		OR id IN (SELECT item_id FROM count_items) OR id IN (SELECT item_id FROM movements))`, r.ID).Scan(&n).Error
	if n > 0 {
		s.blocked = fmt.Sprintf("%d of its new items have stock, movements or counts by now.", n)
	}
	return s, err
}
