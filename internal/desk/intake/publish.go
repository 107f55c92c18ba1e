package intake

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"sync"

	"gorm.io/gorm"

	"wobin/internal/core/code"
	"wobin/internal/core/field"
	"wobin/internal/core/quantity"
	"wobin/internal/core/stock"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/store"
)

func compareCodes(a, b string) int { return code.Compare(a, b) }

// built is one warehouse's new set while it is written.
type built struct {
	set   store.StockSet
	house *store.Warehouse
	made  bool // with this intake
}

// takeParts takes all sheets of a draft in, in the order in which they build on one another. Stock is written as new
// sets, piece by piece and seen by nobody; then one transaction writes everything else and publishes them.
func (d *Room) takeParts(ctx context.Context, p desk.Person, dr *draft, key desk.Key) (out count.TakenIn, err error) {
	// The backup is made while pieces are written that nobody sees: one that should hold some of them sweeps them away
	// when it is opened.
	backedUp := func() (string, error) { return "", nil }
	if n := dr.seen.Effect; n.Added+n.Changed+n.Gone > 1 && (n.Changed+n.Gone > 0 || d.anyRecords(ctx)) { // one line is put back by undoing
		var backup string
		var failed error
		var done sync.WaitGroup
		done.Go(func() { backup, failed = d.Store.Backup(ctx, "before-intake") })
		defer done.Wait()
		backedUp = func() (string, error) { done.Wait(); return backup, failed }
	}
	parts := dr.inOrder()
	var sets []built
	defer func() {
		if err != nil && len(sets) > 0 { // take the unpublished pieces away; a kill leaves this to the next start
			ids := make([]int64, len(sets))
			for i := range sets {
				ids[i] = sets[i].set.ID
			}
			_ = d.Store.Write(context.WithoutCancel(ctx), func(tx *gorm.DB) error { return store.DeleteSets(tx, ids) })
		}
	}()
	for _, pt := range parts {
		s := pt.stock()
		if s == nil {
			continue
		}
		s.sets, err = d.buildSets(ctx, s)
		sets = append(sets, s.sets...)
		if err == nil {
			err = d.writeSets(ctx, dr, s, s.sets)
		}
		if err != nil {
			return out, err
		}
	}
	if err := d.keep(dr); err != nil {
		return out, err
	}
	backup, err := backedUp()
	if err != nil {
		return out, err
	}
	return desk.Do(ctx, d.Desk, p, desk.TakeIn, key, func(w *desk.Work) (count.TakenIn, error) {
		w.Records()
		if err := store.EndDraft(w.Tx, dr.id); err != nil {
			return out, err
		}
		in, err := d.newIntake(w, dr, backup)
		if err != nil {
			return out, err
		}
		for _, pt := range parts {
			if err := pt.content.write(w, in.ID); err != nil {
				return out, err
			}
		}
		return takenIn(
				in,
				&dr.seen.Effect,
			), w.Say(
				"intake",
				map[string]any{
					"intake":  in.ID,
					"kind":    in.Kind,
					"file":    dr.name,
					"sha256":  dr.sha,
					"added":   in.Added,
					"changed": in.Changed,
					"gone":    in.Gone,
					"refused": in.Refused,
				},
			)
	})
}

func (d *Room) anyRecords(ctx context.Context) bool {
	var n int64
	err := d.Store.Read(ctx).Raw("SELECT (SELECT count(*) FROM warehouses) + (SELECT count(*) FROM items)").Scan(&n).Error
	return n > 0 || err != nil
}

// inOrder gives the sheets that are taken in, in the order in which they build on one another.
func (dr *draft) inOrder() (out []*part) {
	for _, k := range field.Kinds {
		for _, pt := range dr.parts {
			if pt.view.Use && pt.mapping != nil && pt.mapping.Kind == k {
				out = append(out, pt)
			}
		}
	}
	return out
}

// IntakePart is what one sheet of an intake came to.
type IntakePart struct {
	Sheet string     `json:"sheet"`
	Kind  field.Kind `json:"kind"`
	count.Outcome
	Layout string `json:"layout"`
}

// newIntake writes the row of an intake and its file.
func (d *Room) newIntake(w *desk.Work, dr *draft, backup string) (*store.Intake, error) {
	tx, now, e := w.Tx, w.Now, &dr.seen.Effect
	if err := store.RecordFile(tx, dr.sha, dr.size, now); err != nil {
		return nil, err
	}
	var kinds []string
	var parts []IntakePart
	in := &store.Intake{
		State:     store.Taken,
		FileSha:   dr.sha,
		FileName:  dr.name,
		Person:    w.Person.Name,
		At:        now,
		Added:     e.Added,
		Changed:   e.Changed,
		Unchanged: e.Unchanged,
		Gone:      e.Gone,
		Refused:   e.Refused,
		Backup:    backup,
	}
	for _, pt := range dr.inOrder() {
		if !slices.Contains(kinds, string(pt.mapping.Kind)) {
			kinds = append(kinds, string(pt.mapping.Kind))
		}
		parts = append(parts, IntakePart{pt.view.Name, pt.mapping.Kind, pt.view.Effect.Outcome, pt.view.Layout})
		if s := pt.stock(); s != nil {
			in.RecordedAt = s.recordedAt
		}
		if pt.view.Layout != "" {
			if err := tx.Exec("UPDATE layouts SET used_at = ? WHERE name = ?", now, pt.view.Layout).Error; err != nil {
				return nil, err
			}
		}
	}
	b, err := json.Marshal(parts)
	if err != nil {
		return nil, err
	}
	in.Kind, in.Parts = strings.Join(kinds, ", "), string(b)
	return in, tx.Create(in).Error
}

func takenIn(in *store.Intake, e *Effect) count.TakenIn {
	kind, _, _ := strings.Cut(in.Kind, ", ")
	if strings.Contains(in.Kind, string(field.Stock)) {
		kind = string(field.Stock)
	}
	return count.TakenIn{
		Intake: in.ID,
		Kind:   field.Kind(kind),
		Outcome: count.Outcome{
			Added:     in.Added,
			Changed:   in.Changed,
			Unchanged: in.Unchanged,
			Gone:      in.Gone,
			Refused:   in.Refused,
			Left:      e.Left,
		},
	}
}

// buildSets makes the rows of the sets to be written.
func (d *Room) buildSets(ctx context.Context, s *stockDraft) (sets []built, err error) {
	sets = make([]built, len(s.houses))
	err = d.Store.Write(ctx, func(tx *gorm.DB) error {
		for i, run := range s.houses {
			h := run.house
			sets[i] = built{set: store.StockSet{WarehouseID: h.ID, PreviousID: h.SetID, RecordedAt: s.recordedAt}, house: h, made: run.made}
			if err := tx.Create(&sets[i].set).Error; err != nil {
				return err
			}
		}
		return nil
	})
	return sets, err
}

// writeSets writes the lines in natural order, and the tallies of each set behind its lines. One piece is written while
// the next is made.
func (d *Room) writeSets(ctx context.Context, dr *draft, s *stockDraft, sets []built) (err error) {
	b := s.after
	progress := func(done int) {
		if dr.job != nil {
			dr.job.Progress(done, len(s.order), done)
		}
	}
	written := make(chan error, 1)
	written <- nil
	write := func(do func() error) error {
		err := <-written
		if err != nil {
			written <- err
			return err
		}
		go func() { written <- do() }()
		return nil
	}
	defer func() {
		if last := <-written; err == nil {
			err = last
		}
	}()
	run := 0
	sums := setTally{at: make([]int32, slices.Max(append(s.itemIDs, 0))+1)}
	for h := range sets {
		from, to := s.houses[h].from, len(s.order)
		if h+1 < len(sets) {
			to = s.houses[h+1].from
		}
		set := &sets[h].set
		sums.bins, sums.items, sums.costs = nil, nil, nil
		for from < to {
			some := s.order[from:min(from+store.Piece, to)]
			piece := make([]store.StockLine, len(some))
			costs, reserves := make([]int64, len(some)), make([]int64, len(some))
			for i, n := range some {
				l := &b.Lines[n]
				if run < len(s.bins) && s.bins[run].from == from+i {
					sums.bins = append(sums.bins, store.SetBin{SetID: set.ID, BinID: s.bins[run].id, First: int64(set.Lines)})
					run++
				}
				row := &piece[i]
				*row = store.StockLine{
					SetID:      set.ID,
					Pos:        int64(set.Lines),
					BinID:      s.bins[run-1].id,
					ItemID:     s.itemIDs[l.Key[stock.SKU]],
					Quantity:   int64(l.Recorded),
					Lot:        b.Codes[stock.Lot].Text(l.Key[stock.Lot]),
					Serial:     b.Codes[stock.Serial].Text(l.Key[stock.Serial]),
					Holding:    b.Codes[stock.Holding].Text(l.Key[stock.Holding]),
					RecordID:   b.RecordID(l),
					Attributes: b.Kept(l),
				}
				if l.HasReserved {
					reserves[i] = int64(l.Reserved)
					row.Reserved = &reserves[i]
				}
				var value *int64
				if l.Costed {
					costs[i] = int64(l.Cost)
					row.Cost = &costs[i]
					v, err := quantity.Value(l.Recorded, l.Cost)
					if err != nil {
						return desk.Refuse("The value of %s %v.", keyText(&b.Codes, l.Key), err)
					}
					sum, ok := quantity.AddMoney(quantity.Money(set.Value), v)
					if !ok {
						return count.TooMuch()
					}
					set.Value, value = int64(sum), (*int64)(&v)
				} else {
					set.Unvalued++
				}
				set.Lines++
				if !sums.add(row, value) {
					return desk.Refuse("The sum over all bins of %s %v.", b.Codes[stock.SKU].Text(l.Key[stock.SKU]), quantity.ErrTooLarge)
				}
			}
			from += len(some)
			if err := write(func() error { return d.Store.WriteStockLines(ctx, set.ID, piece) }); err != nil {
				return err
			}
			progress(from)
		}
		bins, items := sums.bins, sums.sorted()
		if err := write(func() error { return d.Store.WriteTallies(ctx, set.ID, bins, items) }); err != nil {
			return err
		}
	}
	return nil
}

// setTally is the sums of a set's lines by bin and by item.
type setTally struct {
	bins  []store.SetBin
	items []store.SetItem
	at    []int32        // by item: place in items, counted from 1
	costs []stock.Agreed // beside items
}

// add takes a line of the bin in hand; value is nil where it has none. ok is false where a sum is out of range.
func (t *setTally) add(l *store.StockLine, value *int64) (ok bool) {
	bin := &t.bins[len(t.bins)-1]
	bin.Lines++
	agreed := stock.Agreed{Any: true}
	if l.Cost != nil {
		agreed = stock.AgreedOf(quantity.Cost(*l.Cost), true)
	}
	if t.at[l.ItemID] == 0 {
		t.items = append(t.items, store.SetItem{SetID: l.SetID, ItemID: l.ItemID})
		t.costs = append(t.costs[:len(t.items)-1], stock.Agreed{})
		t.at[l.ItemID] = int32(len(t.items))
	}
	n := t.at[l.ItemID] - 1
	item, cost := &t.items[n], &t.costs[n]
	if *cost = cost.With(agreed); cost.Known {
		if item.Cost == nil {
			item.Cost = new(int64)
		}
		*item.Cost = int64(cost.Cost)
	} else {
		item.Cost = nil
	}
	item.Lines++
	ok = sumInto(&item.Quantity, l.Quantity, quantity.Add)
	if l.Reserved != nil {
		if item.Reserved == nil {
			item.Reserved = new(int64)
		}
		ok = sumInto(item.Reserved, *l.Reserved, quantity.Add) && ok
	}
	if value != nil {
		if item.Value == nil {
			item.Value = new(int64)
		}
		ok = sumInto(item.Value, *value, quantity.AddMoney) && sumInto(&bin.Value, *value, quantity.AddMoney) && ok
	}
	return ok
}

// sumInto adds a number to a sum; ok is false where that is out of range.
func sumInto[T ~int64](sum *int64, n int64, add func(a, b T) (T, bool)) (ok bool) {
	s, ok := add(T(*sum), T(n))
	*sum = int64(s)
	return ok
}

// sorted gives the items in the order of their numbers, in which they are stored, and makes ready for the next set.
func (t *setTally) sorted() []store.SetItem {
	if len(t.items)*8 < len(t.at) { // few of many
		for i := range t.items {
			t.at[t.items[i].ItemID] = 0
		}
		slices.SortFunc(t.items, func(a, b store.SetItem) int { return cmp.Compare(a.ItemID, b.ItemID) })
		return t.items
	}
	out := make([]store.SetItem, 0, len(t.items))
	for id, at := range t.at {
		if at > 0 {
			out = append(out, t.items[at-1])
			t.at[id] = 0
		}
	}
	return out
}

// write makes the sets the recorded stock, together with all that is new.
func (s *stockDraft) write(w *desk.Work, intake int64) error {
	for i := range s.sets {
		if h := s.sets[i].house; s.sets[i].made {
			if err := w.Create(&store.Warehouse{ID: h.ID, Code: h.Code, IntakeID: intake}).Error; err != nil {
				return err
			}
		}
	}
	if err := store.MakeBinsAndItems(w.Tx, s.newBins, s.newItems, intake); err != nil {
		return err
	}
	for i := range s.sets {
		b := &s.sets[i]
		b.set.IntakeID, b.set.Published = intake, true
		if err := w.Save(&b.set).Error; err != nil {
			return err
		}
		if err := w.Exec("UPDATE warehouses SET set_id = ? WHERE id = ?", b.set.ID, b.house.ID).Error; err != nil {
			return err
		}
	}
	if len(s.items.after) > 0 {
		if err := s.items.write(w, intake); err != nil {
			return err
		}
	}
	for i := range s.sets {
		if set := &s.sets[i].set; set.Unvalued > 0 {
			if err := store.Revalue(w.Tx, set.ID); err != nil {
				return err
			}
		}
	}
	return nil
}

func stockStanding(tx *gorm.DB, r *store.Intake) (s standing, err error) {
	s.puts = undoes("line", "lines", r.Added, r.Changed, r.Gone)
	// Later intakes whose sets follow on this one's.
	if err := tx.Raw(`SELECT DISTINCT i.* FROM intakes i JOIN stock_sets s ON s.intake_id = i.id JOIN stock_sets mine ON mine.warehouse_id = s.warehouse_id
		WHERE mine.intake_id = ? AND i.id > ? AND i.state = ? ORDER BY i.id`, r.ID, r.ID, store.Taken).Scan(&s.later).Error; err != nil {
		return s, err
	}
	var pruned int64
	err = tx.Raw(`SELECT count(*) FROM stock_sets s WHERE s.intake_id = ? AND s.previous_id <> 0
		AND NOT EXISTS (SELECT 1 FROM stock_sets p WHERE p.id = s.previous_id AND p.published = 1)`, r.ID).Scan(&pruned).Error
	if pruned > 0 {
		s.blocked = fmt.Sprintf(
			"What was recorded before it is not kept any more: the last %d intakes of a warehouse can be undone. A backup may have it.",
			store.KeptSets,
		)
	}
	return s, err
}

// undoStock points the warehouses back to the sets before.
func undoStock(w *desk.Work, intake int64) error {
	tx := w.Tx
	var sets []store.StockSet
	if err := tx.Where("intake_id = ?", intake).Find(&sets).Error; err != nil {
		return err
	}
	var ids []int64
	for _, s := range sets {
		var used bool // by a count that was frozen from it, or a posting that is proved against it
		if err := tx.Raw("SELECT EXISTS (SELECT 1 FROM counts WHERE set_id = ?) OR EXISTS (SELECT 1 FROM posting_facts WHERE set_id = ?)", s.ID, s.ID).
			Scan(&used).Error; err != nil {
			return err
		}
		if !used {
			ids = append(ids, s.ID)
		}
		if err := tx.Exec("UPDATE warehouses SET set_id = ? WHERE id = ? AND set_id = ?", s.PreviousID, s.WarehouseID, s.ID).Error; err != nil {
			return fmt.Errorf("undo: %w", err)
		}
		if err := store.Revalue(tx, s.PreviousID); err != nil { // its items may cost something else by now
			return err
		}
	}
	return store.DeleteSets(tx, ids)
}
