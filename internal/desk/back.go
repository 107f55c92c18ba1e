package desk

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"gorm.io/gorm"

	"wobin/internal/core/counting"
	"wobin/internal/core/layout"
	"wobin/internal/core/quantity"
	"wobin/internal/core/stock"
	"wobin/internal/store"
)

// backDraft is a file of counts held against the sheets of its count.
type backDraft struct {
	values  []layout.Value
	count   *store.Count
	counts  []counting.Count
	before  map[string]store.Entry // the standing entries by slot
	keys    map[string][2]int64    // bin and item of keys that the count does not have yet
	sheets  map[int]store.Sheet
	view    *BackView
	touched []int // numbers of the sheets
}

// BackView is what a returned file would do.
type BackView struct {
	Count     int64      `json:"count"`
	CountName string     `json:"count_name"`
	Sheets    []string   `json:"sheets" doc:"codes of the sheets whose rows it holds"`
	Added     int        `json:"added" doc:"new counts"`
	Revised   int        `json:"revised" doc:"counts that replace earlier ones of the same row"`
	Unchanged int        `json:"unchanged"`
	Empty     int        `json:"empty" doc:"rows without a count; they stay uncounted"`
	ByHand    int        `json:"by_hand" doc:"rows that the sheet did not have"`
	By        string     `json:"by"`
	Revisions []Revision `json:"revisions"`
	Hand      []HandRow  `json:"hand"`
}

// Revision is a count that would be replaced.
type Revision struct {
	Line   string            `json:"line"`
	Row    int               `json:"row"`
	Before quantity.Quantity `json:"before"`
	After  quantity.Quantity `json:"after"`
}

// HandRow is a row that was added by hand.
type HandRow struct {
	Line     string            `json:"line"`
	Row      int               `json:"row"`
	Quantity quantity.Quantity `json:"quantity"`
	New      bool              `json:"new" doc:"the count has no such line; it is found stock"`
}

// lookBack understands a file of counts: sheets that came back, or counts without row codes for a chosen count.
func (d *Desk) lookBack(ctx context.Context, dr *draft, pt *part, r layout.Reading, rec *records, out *Draft) error {
	v := pt.view
	f, err := d.readCounts(dr, pt, r)
	if err != nil {
		return err
	}
	v.Rows, v.Effect.Left = f.Rows, f.Left
	v.values(f.Values, layout.Counts)
	pt.back = &backDraft{values: f.Values} // their remedies do not wait for the count
	tx := d.store.Read(ctx)
	head := counting.ReadHead(dr.name, pt.mapping, r, &pt.problems)
	found := counting.SheetsIn(f)
	id := dr.choices.Count
	for c := range found {
		if id == 0 || len(found[c]) > len(found[int(id)]) {
			id = int64(c)
		}
	}
	if id == 0 {
		id = int64(head.Count)
	}
	if id == 0 {
		v.Blocked, out.Asks = "No row has a row code, so the file does not say which count it belongs to. Choose the count.", "count"
		return nil
	}
	c, err := count(tx, id)
	if errors.Is(err, ErrNotFound) {
		v.Blocked = fmt.Sprintf("Its row codes belong to count number %d, which is not here.", id)
		return nil
	}
	if err != nil {
		return err
	}
	if c.State != store.Running {
		v.Blocked = fmt.Sprintf("The count %q is finished. Nothing more can be taken in for it.", c.Name)
		return nil
	}
	h, err := warehouse(tx, c.WarehouseID)
	if err != nil {
		return err
	}
	b := &backDraft{count: c, before: map[string]store.Entry{}, keys: map[string][2]int64{}, sheets: map[int]store.Sheet{}}
	pt.back, b.values = b, f.Values
	var sheets []store.Sheet
	if err := tx.Where("count_id = ?", c.ID).Find(&sheets).Error; err != nil {
		return err
	}
	for _, s := range sheets {
		b.sheets[s.Number] = s
	}
	frozen := &counting.Frozen{Count: int(c.ID)}
	numbers := slices.Clone(found[int(c.ID)])
	if head.Sheet != 0 && !slices.Contains(numbers, head.Sheet) {
		numbers = append(numbers, head.Sheet)
	}
	var rows []NamedLine
	if err := tx.Raw(namedLines+" AND l.sheet_id IN (SELECT id FROM sheets WHERE count_id = ? AND number IN ?) ORDER BY l.pos", c.ID, c.ID, numbers).Scan(&rows).Error; err != nil {
		return err
	}
	for i := range rows {
		frozen.Lines = append(frozen.Lines, rows[i].line(h.Code))
	}
	find := finder{tx: tx, count: c.ID, house: h, rec: rec, known: rec.known(), made: b.keys}
	frozen.Elsewhere = find.line
	back := counting.TakeBack(dr.name, pt.mapping.SheetName, pt.mapping, f, frozen, head, &pt.problems)
	if find.err != nil { // a row that could not be looked up must not pass for new
		return find.err
	}
	if find.only > 0 {
		v.Assumed = append(v.Assumed, plural(find.only, "count names no lot, serial or holding and was taken for the only one that is recorded in its bin.", "counts name no lot, serial or holding; each was taken for the only one that is recorded in its bin."))
	}
	b.counts = back.Counts
	if back.Untimed > 0 {
		if dr.choices.CountedAt == "" {
			v.Blocked, out.Asks = fmt.Sprintf("%d counts do not say when they were counted, neither in their rows nor in the head of the sheet. Say when.", back.Untimed), "counted_at"
		} else {
			at, err := layout.ParseTime(dr.choices.CountedAt, r.Zone)
			if err != nil {
				return refuse("%q %v.", dr.choices.CountedAt, err)
			}
			for i := range b.counts {
				if n := &b.counts[i]; !n.Timed {
					n.At, n.Timed = at, true
				}
			}
		}
	}
	return d.compareBack(tx, dr, b, back, v)
}

// readCounts reads the counts. Rows of our own sheets are proved by their codes, so their bins and items are taken as
// they stand; in other files what is not known is told at once for all rows alike.
func (d *Desk) readCounts(dr *draft, pt *part, r layout.Reading) (*layout.CountFile, error) {
	if pt.mapping.Has(layout.RowCode) {
		r.Known = nil
	}
	f, err := r.Counts(dr.table, pt.mapping, &pt.problems)
	if err == nil {
		pt.view.packed(f.Packed)
	}
	return f, err
}

// compareBack holds the counts against the entries that stand.
func (d *Desk) compareBack(tx *gorm.DB, dr *draft, b *backDraft, back *counting.Back, out *SheetOfFile) error {
	v := &BackView{Count: b.count.ID, CountName: b.count.Name, Sheets: []string{}, Empty: back.Empty, ByHand: back.ByHand, By: back.By, Revisions: []Revision{}, Hand: []HandRow{}}
	b.view, out.Back = v, v
	for _, n := range back.Sheets {
		v.Sheets = append(v.Sheets, b.sheets[n].Code)
		b.touched = append(b.touched, n)
	}
	slots := make([]string, len(b.counts))
	for i := range b.counts {
		slots[i] = b.counts[i].Slot
	}
	for from := 0; from < len(slots); from += 500 {
		var es []store.Entry
		if err := tx.Where("count_id = ? AND slot IN ? AND id NOT IN (SELECT replaces FROM entries WHERE count_id = ?)", b.count.ID, slots[from:min(from+500, len(slots))], b.count.ID).Find(&es).Error; err != nil {
			return err
		}
		for _, e := range es {
			b.before[e.Slot] = e
		}
	}
	kept := b.counts[:0]
	for _, n := range b.counts {
		line := (&counting.Line{Key: n.Key}).String()
		old, had := b.before[n.Slot]
		switch {
		case !had:
			v.Added++
		case old.Quantity == int64(n.Quantity) && (!n.Timed || n.At == old.CountedAt || dr.choices.CountedAt != ""):
			v.Unchanged++
			continue
		default:
			v.Revised++
			if len(v.Revisions) < 200 {
				v.Revisions = append(v.Revisions, Revision{line, n.Row, quantity.Quantity(old.Quantity), n.Quantity})
			}
		}
		if n.ByHand && len(v.Hand) < 200 {
			v.Hand = append(v.Hand, HandRow{line, n.Row, n.Quantity, n.Place < 0})
		}
		kept = append(kept, n)
	}
	b.counts = kept
	out.Effect.Added, out.Effect.Changed, out.Effect.Unchanged = v.Added, v.Revised, v.Unchanged
	if v.Added+v.Revised+v.Unchanged == 0 && out.Blocked == "" {
		out.Blocked = "There is no count in it that could be taken in."
	}
	return nil
}

// takeBack writes the counts as entries and works out their lines again, in one transaction.
func (d *Desk) takeBack(ctx context.Context, p Person, dr *draft, pt *part, key string) (TakenIn, error) {
	if err := d.keep(dr); err != nil {
		return TakenIn{}, err
	}
	b := pt.back
	return once(d, ctx, key, func(tx *gorm.DB) (out TakenIn, err error) {
		now := d.now().UnixNano()
		if err := store.RecordFile(tx, dr.sha, dr.size, now); err != nil {
			return out, err
		}
		ret := store.Return{CountID: b.count.ID, FileSha: dr.sha, FileName: dr.name, Person: p.Name, At: now, Added: b.view.Added, Revised: b.view.Revised, Unchanged: b.view.Unchanged, Empty: b.view.Empty}
		if err := tx.Create(&ret).Error; err != nil {
			return out, err
		}
		if err := d.enter(tx, p, b, ret.ID, now); err != nil {
			return out, err
		}
		for _, n := range b.touched {
			s := b.sheets[n]
			to := map[string]any{"state": store.Back, "back_at": now}
			if b.view.By != "" {
				to["counter"] = b.view.By
			}
			if b.view.Revised > 0 {
				to["revisions"] = s.Revisions + 1
			}
			if err := tx.Model(&store.Sheet{}).Where("id = ?", s.ID).Updates(to).Error; err != nil {
				return out, err
			}
		}
		out = TakenIn{Return: ret.ID, Count: b.count.ID, Kind: layout.Counts, Outcome: Outcome{Added: ret.Added, Changed: ret.Revised, Unchanged: ret.Unchanged, Refused: pt.problems.Rows}}
		return out, d.record(tx, p, "counts taken in", map[string]any{"count": b.count.ID, "file": dr.name, "sha256": dr.sha, "added": ret.Added, "revised": ret.Revised})
	})
}

// enter appends entries, makes lines for found stock, and works out what follows.
func (d *Desk) enter(tx *gorm.DB, p Person, b *backDraft, returnID, now int64) error {
	var last int64
	if err := tx.Raw("SELECT coalesce(max(pos), 0) FROM count_lines WHERE count_id = ?", b.count.ID).Scan(&last).Error; err != nil {
		return err
	}
	made := map[string]int64{}
	var lines []store.CountLine // found where the count has none
	entries := make([]store.Entry, 0, len(b.counts))
	places := []int64{}
	for _, n := range b.counts {
		s := b.sheets[n.Sheet]
		pos := int64(n.Place)
		if n.Place < 0 {
			id := strings.Join(n.Key[:], "\x00")
			if pos = made[id]; pos == 0 {
				last++
				pos = last
				made[id] = pos
				ids := b.keys[n.Key[stock.Bin]+"\x00"+n.Key[stock.SKU]]
				l := store.CountLine{CountID: b.count.ID, Pos: pos, BinID: ids[0], ItemID: ids[1], Lot: n.Key[stock.Lot], Serial: n.Key[stock.Serial], Holding: n.Key[stock.Holding], SheetID: s.ID, Status: "uncounted"}
				lines = append(lines, l)
			}
		}
		e := store.Entry{CountID: b.count.ID, Pos: pos, SheetID: s.ID, Slot: n.Slot, Round: 1, Quantity: int64(n.Quantity), CountedAt: n.At, Counter: n.Counter, Person: p.Name, At: now, ReturnID: returnID, FileRow: n.Row}
		if old, had := b.before[n.Slot]; had {
			e.Replaces = old.ID
			if !n.Timed {
				e.CountedAt = old.CountedAt
			}
		}
		entries = append(entries, e)
		places = append(places, pos)
	}
	if err := store.Batch(tx, lines); err != nil {
		return err
	}
	if err := store.Batch(tx, entries); err != nil {
		return err
	}
	if len(places) == 0 {
		return nil
	}
	return d.recompute(tx, b.count.ID, places)
}

// Typed is one count typed into a sheet's grid.
type Typed struct {
	RowCode   string             `json:"row_code"`
	Quantity  *quantity.Quantity `json:"quantity" doc:"null takes nothing back: an entry is never unmade, only replaced"`
	CountedAt string             `json:"counted_at,omitempty"`
	Counter   string             `json:"counter,omitempty"`
}

// TypeIn takes counts that were typed at the desk. Each is an entry; one for a row that has an entry replaces it.
func (d *Desk) TypeIn(ctx context.Context, p Person, countID int64, key string, zoneName string, typed []Typed) (TakenIn, error) {
	if err := allow(p, Enter); err != nil {
		return TakenIn{}, err
	}
	zone, err := zoneNamed(zoneName)
	if err != nil {
		return TakenIn{}, err
	}
	out, err := once(d, ctx, key, func(tx *gorm.DB) (out TakenIn, err error) {
		c, err := count(tx, countID)
		if err != nil {
			return out, err
		}
		if c.State != store.Running {
			return out, refuse("The count %q is finished.", c.Name)
		}
		b := &backDraft{count: c, before: map[string]store.Entry{}, sheets: map[int]store.Sheet{}}
		for _, t := range typed {
			var l store.CountLine
			if err := tx.Where("count_id = ? AND row_code = ?", c.ID, t.RowCode).Limit(1).Find(&l).Error; err != nil {
				return out, err
			}
			_, number, _, ok := counting.ParseCode(t.RowCode)
			switch {
			case !ok || l.Pos == 0:
				return out, refuse("%q is no row of this count.", t.RowCode)
			case t.Quantity == nil:
				continue
			case *t.Quantity < 0:
				return out, refuse("%s: %s is below zero. Nothing can be counted less than 0.", t.RowCode, t.Quantity)
			}
			at := d.now().UnixNano()
			if t.CountedAt != "" {
				if at, err = layout.ParseTime(t.CountedAt, zone); err != nil {
					return out, refuse("%q %v.", t.CountedAt, err)
				}
			}
			if _, have := b.sheets[number]; !have {
				var s store.Sheet
				if err := tx.First(&s, l.SheetID).Error; err != nil {
					return out, err
				}
				b.sheets[number] = s
			}
			var old store.Entry
			if err := tx.Where("count_id = ? AND slot = ? AND id NOT IN (SELECT replaces FROM entries WHERE count_id = ?)", c.ID, t.RowCode, c.ID).Limit(1).Find(&old).Error; err != nil {
				return out, err
			}
			if old.ID != 0 {
				if old.Quantity == int64(*t.Quantity) && (t.CountedAt == "" || at == old.CountedAt) {
					out.Unchanged++
					continue
				}
				b.before[t.RowCode] = old
				out.Changed++
			} else {
				out.Added++
			}
			who := t.Counter
			if who == "" {
				who = p.Name
			}
			b.counts = append(b.counts, counting.Count{Place: int(l.Pos), Sheet: number, Slot: t.RowCode, Quantity: *t.Quantity, At: at, Timed: old.ID == 0 || t.CountedAt != "", Counter: who})
		}
		out.Count, out.Kind = c.ID, layout.Counts
		if len(b.counts) == 0 {
			return out, nil
		}
		if err := d.enter(tx, p, b, 0, d.now().UnixNano()); err != nil {
			return out, err
		}
		for _, s := range b.sheets {
			if err := tx.Exec("UPDATE sheets SET state = ?, out_at = ? WHERE id = ? AND state = ?", store.Out, d.now().UnixNano(), s.ID, store.WithUs).Error; err != nil {
				return out, err
			}
			if err := tx.Exec("UPDATE sheets SET state = ?, back_at = ? WHERE id = ? AND counted = lines", store.Back, d.now().UnixNano(), s.ID).Error; err != nil {
				return out, err
			}
		}
		return out, d.record(tx, p, "counts typed", map[string]any{"count": c.ID, "added": out.Added, "revised": out.Changed})
	})
	if err == nil {
		d.Events.Tell(Event{What: "count", Count: countID})
	}
	return out, err
}
