package desk

import (
	"cmp"
	"context"
	"fmt"
	"slices"

	"gorm.io/gorm"

	"wobin/internal/core/code"
	"wobin/internal/core/layout"
	"wobin/internal/core/quantity"
	"wobin/internal/core/stock"
	"wobin/internal/store"
)

func compareCodes(a, b string) int { return code.Compare(a, b) }

// built is one warehouse's new set while it is written.
type built struct {
	set   store.StockSet
	house *store.Warehouse
	bins  []store.SetBin
	items map[int64]*store.SetItem
}

// takeStock writes the stock after the intake as new sets, piece by piece and seen by nobody, and publishes them
// with everything else in one transaction.
func (d *Desk) takeStock(ctx context.Context, p Person, dr *draft, key string) (out TakenIn, err error) {
	s, e := dr.stock, dr.seen.Effect
	backup := ""
	if len(s.places.warehouses)+len(s.places.items) > 0 {
		if backup, err = d.store.Backup(ctx, "before-intake"); err != nil {
			return out, err
		}
	}
	if err := d.store.KeepFile(dr.file, dr.sha); err != nil {
		return out, err
	}
	sets := make([]built, len(s.touched))
	err = d.store.Write(ctx, func(tx *gorm.DB) error {
		for i, id := range s.touched {
			h := s.warehouses[id]
			if h.ID == 0 {
				s.places.lastHouse++
				h.ID = s.places.lastHouse
				h.IntakeID = -1 // to be made
			}
			sets[i] = built{set: store.StockSet{WarehouseID: h.ID, PreviousID: h.SetID, RecordedAt: s.recordedAt}, house: h, items: map[int64]*store.SetItem{}}
			if err := tx.Create(&sets[i].set).Error; err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		return out, err
	}
	newBins, newItems, err := d.writeSets(ctx, dr, sets)
	for i := range sets {
		if err == nil {
			err = d.store.WriteTallies(ctx, sets[i].bins, sums(sets[i].items))
		}
	}
	if err == nil {
		err = d.store.Stage(ctx, newBins, newItems)
	}
	if err == nil {
		out, err = once(d, ctx, key, func(tx *gorm.DB) (TakenIn, error) {
			return d.publish(tx, p, dr, sets, backup)
		})
	}
	if err != nil { // take the unpublished pieces away; a kill leaves this to the next start
		ids := make([]int64, len(sets))
		for i := range sets {
			ids[i] = sets[i].set.ID
		}
		_ = d.store.Write(context.WithoutCancel(ctx), func(tx *gorm.DB) error { return store.DeleteSets(tx, ids) })
		return out, err
	}
	out.Refused = e.Refused
	return out, nil
}

// writeSets writes the lines in natural order. New bins and items get their numbers here and their rows when
// the sets are published.
func (d *Desk) writeSets(ctx context.Context, dr *draft, sets []built) (newBins []store.Bin, newItems []store.Item, err error) {
	s := dr.stock
	b := s.after
	at := map[stock.ID]*built{}
	for i, id := range s.touched {
		at[id] = &sets[i]
	}
	itemIDs := make([]int64, b.Codes[stock.SKU].Len())
	var bin store.Bin
	var binKey [2]stock.ID
	// One piece is written while the next is made.
	var set *built
	piece, costs, reserves := newPiece()
	written := make(chan error, 1)
	written <- nil
	flush := func(done int) error {
		if len(piece) == 0 {
			return nil
		}
		if err := <-written; err != nil {
			written <- err
			return err
		}
		go func(id int64, lines []store.StockLine) { written <- d.store.WriteStockLines(ctx, id, lines) }(set.set.ID, piece)
		piece, costs, reserves = newPiece()
		d.Events.Tell(Event{What: "progress", Draft: dr.id, Text: "Taking in " + dr.name, Done: done, Of: len(s.order)})
		return nil
	}
	defer func() {
		if last := <-written; err == nil {
			err = last
		}
	}()
	for done, n := range s.order {
		l := &b.Lines[n]
		k := [2]stock.ID{l.Key[stock.Warehouse], l.Key[stock.Bin]}
		if now := at[k[0]]; now != set || len(piece) == store.Piece {
			if err := flush(done); err != nil {
				return nil, nil, err
			}
			set = now
		}
		if k != binKey || bin.ID == 0 {
			binKey = k
			c := b.Codes[stock.Bin].Text(k[1])
			id, known := s.places.bins[set.house.ID][c]
			bin = store.Bin{ID: id, WarehouseID: set.house.ID, Code: c}
			if !known {
				s.places.lastBin++
				bin.ID, bin.SortKey, bin.Zone = s.places.lastBin, sortKey(c), d.zoneOf(s, l)
				if s.places.bins[set.house.ID] == nil {
					s.places.bins[set.house.ID] = map[string]int64{}
				}
				s.places.bins[set.house.ID][c] = bin.ID
				newBins = append(newBins, bin)
			}
			set.bins = append(set.bins, store.SetBin{SetID: set.set.ID, BinID: bin.ID, First: int64(set.set.Lines)})
		}
		item := itemIDs[l.Key[stock.SKU]]
		if item == 0 {
			sku := b.Codes[stock.SKU].Text(l.Key[stock.SKU])
			if item = s.places.items[sku]; item == 0 {
				s.places.lastItem++
				item = s.places.lastItem
				made := store.Item{ID: item, SKU: sku, SortKey: sortKey(sku), Description: b.Descriptions.Text(l.Description), Unit: b.Units.Text(l.Unit), Nature: "stocked", Active: true}
				if l.Costed {
					c := int64(l.Cost)
					made.Cost = &c
				}
				newItems = append(newItems, made)
			}
			itemIDs[l.Key[stock.SKU]] = item
		}
		i := len(piece)
		row := store.StockLine{SetID: set.set.ID, Pos: int64(set.set.Lines), BinID: bin.ID, ItemID: item, Quantity: int64(l.Recorded),
			Lot: b.Codes[stock.Lot].Text(l.Key[stock.Lot]), Serial: b.Codes[stock.Serial].Text(l.Key[stock.Serial]), Holding: b.Codes[stock.Holding].Text(l.Key[stock.Holding]), RecordID: b.RecordID(l)}
		sum := set.items[item]
		if sum == nil {
			sum = &store.SetItem{SetID: set.set.ID, ItemID: item}
			set.items[item] = sum
		}
		sum.Lines++
		sum.Quantity += int64(l.Recorded)
		if l.HasReserved {
			reserves[i] = int64(l.Reserved)
			row.Reserved = &reserves[i]
			if sum.Reserved == nil {
				sum.Reserved = new(int64)
			}
			*sum.Reserved += int64(l.Reserved)
		}
		tally := &set.bins[len(set.bins)-1]
		if l.Costed {
			costs[i] = int64(l.Cost)
			row.Cost = &costs[i]
			v, err := quantity.Value(l.Recorded, l.Cost)
			if err != nil {
				return nil, nil, refuse("The value of %s %v.", keyText(&b.Codes, l.Key), err)
			}
			tally.Value += int64(v)
			set.set.Value += int64(v)
			if sum.Value == nil {
				sum.Value = new(int64)
			}
			*sum.Value += int64(v)
		} else {
			set.set.Unvalued++
		}
		tally.Lines++
		set.set.Lines++
		piece = append(piece, row)
	}
	return newBins, newItems, flush(len(s.order))
}

func newPiece() (lines []store.StockLine, costs, reserves []int64) {
	return make([]store.StockLine, 0, store.Piece), make([]int64, store.Piece), make([]int64, store.Piece)
}

func (d *Desk) zoneOf(s *stockDraft, l *stock.Line) string {
	if len(s.file.Zones) == 0 {
		return ""
	}
	codes := &s.file.Book.Codes
	w, ok1 := codes[stock.Warehouse].Find(s.after.Codes[stock.Warehouse].Text(l.Key[stock.Warehouse]))
	b, ok2 := codes[stock.Bin].Find(s.after.Codes[stock.Bin].Text(l.Key[stock.Bin]))
	if !ok1 || !ok2 {
		return ""
	}
	return s.file.Zones[[2]stock.ID{w, b}]
}

// publish makes the sets the recorded stock, together with all that is new.
func (d *Desk) publish(tx *gorm.DB, p Person, dr *draft, sets []built, backup string) (out TakenIn, err error) {
	now, e := d.now().UnixNano(), &dr.seen.Effect
	if err := store.RecordFile(tx, dr.sha, dr.size, now); err != nil {
		return out, err
	}
	in := store.Intake{Kind: string(layout.Stock), State: store.Taken, FileSha: dr.sha, FileName: dr.name, Person: p.Name, At: now, RecordedAt: dr.stock.recordedAt,
		Added: e.Added, Changed: e.Changed, Unchanged: e.Unchanged, Gone: e.Gone, Refused: e.Refused, Backup: backup}
	if err := tx.Create(&in).Error; err != nil {
		return out, err
	}
	for i := range sets {
		h := sets[i].house
		if h.IntakeID == -1 {
			if err := tx.Create(&store.Warehouse{ID: h.ID, Code: h.Code, IntakeID: in.ID}).Error; err != nil {
				return out, err
			}
		}
	}
	if err := store.PublishStaged(tx, in.ID); err != nil {
		return out, err
	}
	for i := range sets {
		s := &sets[i]
		s.set.IntakeID, s.set.Published = in.ID, true
		if err := tx.Save(&s.set).Error; err != nil {
			return out, err
		}
		if err := tx.Exec("UPDATE warehouses SET set_id = ? WHERE id = ?", s.set.ID, s.house.ID).Error; err != nil {
			return out, err
		}
	}
	out = TakenIn{Intake: in.ID, Kind: layout.Stock, Added: e.Added, Changed: e.Changed, Unchanged: e.Unchanged, Gone: e.Gone, Refused: e.Refused}
	return out, d.record(tx, p, "intake", map[string]any{"intake": in.ID, "kind": in.Kind, "file": dr.name, "sha256": dr.sha, "added": e.Added, "changed": e.Changed, "gone": e.Gone, "refused": e.Refused})
}

// sums gives the tallies of items in the order of their numbers, in which they are stored.
func sums(by map[int64]*store.SetItem) []store.SetItem {
	out := make([]store.SetItem, 0, len(by))
	for _, x := range by {
		out = append(out, *x)
	}
	slices.SortFunc(out, func(a, b store.SetItem) int { return cmp.Compare(a.ItemID, b.ItemID) })
	return out
}

// undoStock points the warehouses back to the sets before, and takes away what the intake made and nothing uses.
func undoStock(tx *gorm.DB, intake int64) error {
	var sets []store.StockSet
	if err := tx.Where("intake_id = ?", intake).Find(&sets).Error; err != nil {
		return err
	}
	ids := make([]int64, len(sets))
	for i, s := range sets {
		ids[i] = s.ID
		if err := tx.Exec("UPDATE warehouses SET set_id = ? WHERE id = ? AND set_id = ?", s.PreviousID, s.WarehouseID, s.ID).Error; err != nil {
			return err
		}
	}
	if err := store.DeleteSets(tx, ids); err != nil {
		return err
	}
	for _, q := range []string{
		"DELETE FROM bins WHERE intake_id = ? AND id NOT IN (SELECT bin_id FROM set_bins) AND id NOT IN (SELECT bin_id FROM count_lines) AND id NOT IN (SELECT bin_id FROM movements)",
		"DELETE FROM items WHERE intake_id = ? AND id NOT IN (SELECT item_id FROM set_items) AND id NOT IN (SELECT item_id FROM count_lines) AND id NOT IN (SELECT item_id FROM movements) AND id NOT IN (SELECT item_id FROM item_before)",
		"DELETE FROM warehouses WHERE intake_id = ? AND set_id = 0 AND id NOT IN (SELECT warehouse_id FROM bins) AND id NOT IN (SELECT warehouse_id FROM counts) AND id NOT IN (SELECT warehouse_id FROM movements)",
	} {
		if err := tx.Exec(q, intake).Error; err != nil {
			return fmt.Errorf("undo: %w", err)
		}
	}
	return nil
}
