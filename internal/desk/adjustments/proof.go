package adjustments

import (
	"cmp"
	"context"
	"database/sql/driver"
	"encoding/json"
	"slices"
	"sync"
	"time"

	"gorm.io/gorm"

	"wobin/internal/core/landing"
	"wobin/internal/core/quantity"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/store"
)

// ProofTally is how many lines of a posting are in each state.
type ProofTally landing.Tally

// PostingProof is what became of a posting in the records.
type PostingProof struct {
	Number int         `json:"number"`
	Tally  ProofTally  `json:"tally"`
	Before *time.Time  `json:"before" doc:"as at which the records stood when it was made"`
	After  *time.Time  `json:"after" doc:"as at which they stood last; null where they were not taken in since, and nothing can be told yet"`
	Noted  int         `json:"noted" doc:"of the missing lines, those that were noted to be: they are open again, or went out anew"`
	Lost   bool        `json:"lost" doc:"the recorded stock of then is not kept any more, so nothing can be told"`
	Off    []ProofLine `json:"off" doc:"the lines that did not land as they were sent, those first that are off by most"`

	missing []int64
}

// ProofLine is what became of one line.
type ProofLine struct {
	Pos    int64             `json:"pos"`
	Line   string            `json:"line"`
	State  string            `json:"state" enum:"missing,different,twice"`
	Sent   quantity.Quantity `json:"sent" doc:"of the line in that time, over all postings"`
	Before quantity.Quantity `json:"before"`
	Moved  quantity.Quantity `json:"moved"`
	After  quantity.Quantity `json:"after"`
	Landed quantity.Quantity `json:"landed"`
	Off    quantity.Quantity `json:"off" doc:"landed less sent"`
}

// shownOff is how many lines that did not land are listed of a posting.
const shownOff = 100

// proofs keeps those of counts that were looked at lately.
type proofs struct {
	mu   sync.Mutex
	kept map[int64]keptProof
}

type keptProof struct {
	records, count int64
	posted         int64 // the last posting of all counts: what others sent of its lines has to have landed, too
	list           []PostingProof
}

// Proof holds what was sent out of a count against the records as they were taken in since.
func (d *Room) Proof(ctx context.Context, p desk.Person, countID int64) ([]PostingProof, error) {
	c, err := d.Judge(ctx, p, countID)
	if err != nil {
		return nil, err
	}
	return d.proof(c)
}

func (d *Room) proof(c *desk.Seen) ([]PostingProof, error) {
	d.proofs.mu.Lock()
	defer d.proofs.mu.Unlock()
	records, own := d.Version(0), d.Version(c.ID)
	var posted int64
	if err := c.Tx.Raw("SELECT coalesce(max(id), 0) FROM postings").Scan(&posted).Error; err != nil {
		return nil, err
	}
	if k, had := d.proofs.kept[c.ID]; had && k.records == records && k.count == own && k.posted == posted {
		return k.list, nil
	}
	list, err := prove(c.Tx, c.Count)
	if err == nil {
		if d.proofs.kept == nil || len(d.proofs.kept) > 100 {
			d.proofs.kept = map[int64]keptProof{}
		}
		d.proofs.kept[c.ID] = keptProof{records, own, posted, list}
	}
	return list, err
}

// Unproved tells how many lines that were sent out of a count have not landed as they were sent, and of how many nothing can be told yet.
func (d *Room) Unproved(ctx context.Context, p desk.Person, countID int64) (off, unseen int, err error) {
	c, err := d.See(ctx, p, countID)
	if err != nil || c.Blind {
		return 0, 0, err
	}
	list, err := d.proof(c)
	for _, x := range list {
		off += x.Tally.Missing - x.Noted + x.Tally.Different + x.Tally.Twice
		unseen += x.Tally.Unseen
	}
	return off, unseen, err
}

// prove works out what became of the postings of a count.
func prove(tx *gorm.DB, c *store.Count) ([]PostingProof, error) {
	out := []PostingProof{}
	var postings []store.Posting
	if err := tx.Where("count_id = ?", c.ID).Order("number").Find(&postings).Error; err != nil || len(postings) == 0 {
		return out, err
	}
	var facts []store.PostingFacts
	if err := tx.Raw("SELECT * FROM posting_facts WHERE posting_id IN (SELECT id FROM postings WHERE count_id = ?)", c.ID).Scan(&facts).Error; err != nil {
		return nil, err
	}
	h, err := desk.WarehouseRow(tx, c.WarehouseID)
	if err != nil {
		return nil, err
	}
	var now store.StockSet
	if err := tx.Limit(1).Find(&now, h.SetID).Error; err != nil {
		return nil, err
	}
	for i := range postings {
		x := PostingProof{Number: postings[i].Number, Off: []ProofLine{}}
		set, note := c.SetID, false
		for _, f := range facts {
			if f.PostingID == postings[i].ID {
				set, note = f.SetID, f.Kind == store.Unlanded
			}
		}
		if note {
			continue // there is nothing that could land
		}
		if err := x.prove(tx, c, &postings[i], set, &now); err != nil {
			return nil, err
		}
		out = append(out, x)
	}
	return out, nil
}

// prove works out what became of one posting, by the set that was in force then and the one that is now.
func (x *PostingProof) prove(tx *gorm.DB, c *store.Count, p *store.Posting, set int64, now *store.StockSet) error {
	var before store.StockSet
	if set != 0 {
		if err := tx.Limit(1).Find(&before, set).Error; err != nil {
			return err
		}
		x.Lost = before.ID == 0
	}
	if before.ID != 0 {
		x.Before = desk.Moment(before.RecordedAt)
	}
	if x.Lost {
		return nil
	}
	if now.ID == 0 || now.ID == set || now.RecordedAt <= p.At {
		x.Tally.Sent, x.Tally.Unseen = p.Lines, p.Lines
		return nil
	}
	x.After = desk.Moment(now.RecordedAt)
	type line struct {
		landing.Line
		pos int64
	}
	lines, bins := map[count.StockKey]*line{}, map[int64]bool{}
	var order []count.StockKey
	err := store.Each(tx, `SELECT l.bin_id, l.item_id, l.lot, l.serial, l.holding, l.pos FROM posting_lines s JOIN count_lines l ON l.count_id = ? AND l.pos = s.pos
		WHERE s.posting_id = ? ORDER BY l.pos`, []driver.Value{c.ID, p.ID}, func(v []driver.Value) error {
		k := count.StockKeyAt(v, 0)
		lines[k], order, bins[k.Bin] = &line{Line: landing.Line{WasSent: true}, pos: v[5].(int64)}, append(order, k), true
		return nil
	})
	if err != nil {
		return err
	}
	add := func(to *quantity.Quantity, n int64) error {
		sum, ok := quantity.Add(*to, quantity.Quantity(n))
		if !ok {
			return count.TooMuch()
		}
		*to = sum
		return nil
	}
	noted := map[int64]bool{} // lines that were noted not to have landed: nothing newer makes them land
	err = store.Each(tx, "SELECT s.pos FROM posting_facts f JOIN posting_lines s ON s.posting_id = f.posting_id WHERE f.of = ? AND f.kind = ?",
		[]driver.Value{p.ID, store.Unlanded}, func(v []driver.Value) error {
			noted[v[0].(int64)] = true
			return nil
		})
	if err != nil {
		return err
	}
	// All that was sent of these lines in that time, by whichever count, is what has to have landed; not what was noted as missing, and
	// not the note.
	err = store.Each(tx, `SELECT l.bin_id, l.item_id, l.lot, l.serial, l.holding, s.variance FROM postings g JOIN counts c ON c.id = g.count_id
		LEFT JOIN posting_facts k ON k.posting_id = g.id
		CROSS JOIN posting_lines s ON s.posting_id = g.id CROSS JOIN count_lines l ON l.count_id = g.count_id AND l.pos = s.pos
		WHERE c.warehouse_id = ? AND (g.at > ? AND g.at <= ? OR g.id = ?) AND coalesce(k.kind, '') <> ?
			AND NOT EXISTS (SELECT 1 FROM posting_facts n JOIN posting_lines m ON m.posting_id = n.posting_id AND m.pos = s.pos
				WHERE n.of = g.id AND n.kind = ?)`,
		[]driver.Value{c.WarehouseID, before.RecordedAt, now.RecordedAt, p.ID, store.Unlanded, store.Unlanded},
		func(v []driver.Value) error {
			if l := lines[count.StockKeyAt(v, 0)]; l != nil {
				return add(&l.Sent, v[5].(int64))
			}
			return nil
		})
	if err != nil {
		return err
	}
	list := make([]int64, 0, len(bins))
	for b := range bins {
		list = append(list, b)
	}
	slices.Sort(list)
	b, err := json.Marshal(list)
	if err != nil {
		return err
	}
	for _, s := range []struct {
		set int64
		to  func(l *line) *quantity.Quantity
	}{{set, func(l *line) *quantity.Quantity { return &l.Before }}, {now.ID, func(l *line) *quantity.Quantity { return &l.After }}} {
		err = store.Each(tx, `SELECT s.bin_id, s.item_id, s.lot, s.serial, s.holding, s.quantity FROM json_each(?) j
			CROSS JOIN set_bins b ON b.set_id = ? AND b.bin_id = j.value
			CROSS JOIN stock_lines s ON s.set_id = b.set_id AND s.pos >= b.first AND s.pos < b.first + b.lines`,
			[]driver.Value{string(b), s.set}, func(v []driver.Value) error {
				if l := lines[count.StockKeyAt(v, 0)]; l != nil {
					return add(s.to(l), v[5].(int64))
				}
				return nil
			})
		if err != nil {
			return err
		}
	}
	err = store.Each(tx, "SELECT bin_id, item_id, lot, serial, holding, quantity FROM movements WHERE warehouse_id = ? AND at > ? AND at <= ?",
		[]driver.Value{c.WarehouseID, before.RecordedAt, now.RecordedAt}, func(v []driver.Value) error {
			if l := lines[count.StockKeyAt(v, 0)]; l != nil {
				return add(&l.Moved, v[5].(int64))
			}
			return nil
		})
	if err != nil {
		return err
	}
	tally := landing.Tally{}
	w := &desk.Work{Tx: tx}
	for _, k := range order {
		l := lines[k]
		if noted[l.pos] {
			tally.Add(landing.Missing)
			x.Noted++
			continue
		}
		landed, state, ok := l.Judge()
		if !ok {
			return count.TooMuch()
		}
		tally.Add(state)
		if state != landing.Landed {
			x.Off = append(x.Off, ProofLine{Pos: l.pos, State: string(state), Sent: l.Sent, Before: l.Before, Moved: l.Moved, After: l.After,
				Landed: landed, Off: landed - l.Sent})
		}
	}
	x.Tally = ProofTally(tally)
	slices.SortStableFunc(x.Off, func(a, b ProofLine) int { return cmp.Compare(b.Off.Abs(), a.Off.Abs()) })
	for i := range x.Off {
		if x.Off[i].State == string(landing.Missing) {
			x.missing = append(x.missing, x.Off[i].Pos)
		}
	}
	x.Off = x.Off[:min(len(x.Off), shownOff)]
	for i := range x.Off {
		x.Off[i].Line = count.LineName(w, c, x.Off[i].Pos)
	}
	return nil
}

// Unlanded notes that lines of a posting are missing in the records, so that they are open again and can be sent anew. expect is how many
// were seen to be.
func (d *Room) Unlanded(ctx context.Context, p desk.Person, countID int64, number, expect int, key string) (PostingView, error) {
	if err := desk.Allow(p, desk.SendOut); err != nil {
		return PostingView{}, err
	}
	c, err := d.Judge(ctx, p, countID)
	if err != nil {
		return PostingView{}, err
	}
	list, err := d.proof(c)
	if err != nil {
		return PostingView{}, err
	}
	only := map[int64]bool{}
	for _, x := range list {
		if x.Number != number {
			continue
		}
		for _, pos := range x.missing {
			only[pos] = true
		}
	}
	if len(only) != expect || expect == 0 {
		return PostingView{}, desk.RefuseAs(desk.Changed, "expect", "%s missing of posting %d now, not %d. Look at the proof again.",
			desk.Plural(len(only), "line is", "lines are"), number, expect)
	}
	return d.back(ctx, p, countID, number, key, store.Unlanded, only)
}
