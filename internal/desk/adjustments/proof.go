package adjustments

import (
	"cmp"
	"context"
	"errors"
	"maps"
	"slices"
	"sync"
	"time"

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
	posted, err := store.NewestPosting(c.Tx)
	if err != nil {
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
func prove(tx *store.Tx, c *store.Count) ([]PostingProof, error) {
	out := []PostingProof{}
	postings, facts, err := store.Postings(tx, c.ID)
	if err != nil || len(postings) == 0 {
		return out, err
	}
	h, err := desk.WarehouseRow(tx, c.WarehouseID)
	if err != nil {
		return nil, err
	}
	now, err := store.SetOf(tx, h.SetID)
	if err != nil {
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
func (x *PostingProof) prove(tx *store.Tx, c *store.Count, p *store.Posting, set int64, now *store.StockSet) error {
	before, err := store.SetOf(tx, set)
	if err != nil {
		return err
	}
	x.Lost = set != 0 && before.ID == 0
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
	lines, bins := map[store.StockKey]*line{}, map[int64]bool{}
	var order []store.StockKey
	err = store.EachPosted(tx, c.ID, p.ID, func(k store.StockKey, pos int64) error {
		lines[k], order, bins[k.Bin] = &line{Line: landing.Line{WasSent: true}, pos: pos}, append(order, k), true
		return nil
	})
	if err != nil {
		return err
	}
	noted, err := store.TakenBackOf(tx, p.ID, store.Unlanded) // noted not to have landed: nothing newer makes them land
	if err != nil {
		return err
	}
	into := func(part func(*line) *quantity.Quantity) func(store.StockKey, int64) error {
		return func(k store.StockKey, n int64) error {
			l := lines[k]
			if l == nil {
				return nil
			}
			sum, ok := quantity.Add(*part(l), quantity.Quantity(n))
			if !ok {
				return count.TooMuch()
			}
			*part(l) = sum
			return nil
		}
	}
	list := slices.Collect(maps.Keys(bins))
	// All that was sent of these lines in that time, by whichever count, is what has to have landed.
	sent := into(func(l *line) *quantity.Quantity { return &l.Sent })
	moved := into(func(l *line) *quantity.Quantity { return &l.Moved })
	err = errors.Join(
		store.EachSentBetween(tx, c.WarehouseID, before.RecordedAt, now.RecordedAt, p.ID, sent),
		store.EachRecordedIn(tx, set, list, into(func(l *line) *quantity.Quantity { return &l.Before })),
		store.EachRecordedIn(tx, now.ID, list, into(func(l *line) *quantity.Quantity { return &l.After })),
		store.EachMovedBetween(tx, c.WarehouseID, before.RecordedAt, now.RecordedAt, moved),
	)
	if err != nil {
		return err
	}
	tally := landing.Tally{}
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
		x.Off[i].Line = count.LineName(tx, c, x.Off[i].Pos)
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
