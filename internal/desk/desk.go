// Package desk is the kernel of the use cases: who may do what, the one way to write, what a count is seen as, refusals,
// events, the clock and the record of who did what. The use cases themselves are the rooms over it (docs/architecture.md says
// which), and package house holds all of them together.
//
// There is one way to write: Do. It asks who may, begins, looks whether the same was answered already, does the work, sees
// to its word in the record, keeps the answer, commits, and then tells open windows and makes drafts stale that look at
// what was changed.
package desk

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"sync"
	"time"

	"wobin/internal/store"
)

// Desk is what all rooms share over one data folder.
type Desk struct {
	Store  *store.Store
	Now    func() time.Time
	Events *Events
	Jobs   Jobs

	// Proves, if set, are asked of every count that was written before its work is committed; what errs is not. For tests.
	Proves func(tx *store.Tx, c *store.Count) error

	alone   sync.Mutex // one long piece of writing at a time
	changes changes
	behind  sync.WaitGroup
	renewal []func(context.Context) error
	changed []func(count int64)
	closing chan struct{}
	closed  sync.Once
}

// New makes a desk over an open store, or over none for the description of the operations alone. now is the clock.
func New(s *store.Store, now func() time.Time) *Desk {
	return &Desk{Store: s, Now: now, Events: newEvents(), closing: make(chan struct{})}
}

// Close waits for work that goes on behind what was answered.
func (d *Desk) Close() {
	d.closed.Do(func() { close(d.closing) })
	d.behind.Wait()
}

// Pause lets work behind wait for a while, or until the desk closes.
func (d *Desk) Pause(t time.Duration) {
	select {
	case <-d.closing:
	case <-time.After(t):
	}
}

// OnChange asks for a call whenever a count was changed, after the change is committed.
func (d *Desk) OnChange(do func(count int64)) { d.changed = append(d.changed, do) }

// Behind does something behind what was answered. Close waits for it.
func (d *Desk) Behind(do func()) { d.behind.Go(do) }

// Alone waits until no other long piece of writing is under way: an intake, its undoing, a restore. It gives what ends it.
func (d *Desk) Alone() (end func()) {
	d.alone.Lock()
	return d.alone.Unlock
}

// OnRenewal asks for a call whenever the records were replaced as a whole, by whoever keeps something of them in memory.
func (d *Desk) OnRenewal(do func(context.Context) error) { d.renewal = append(d.renewal, do) }

// Renew lets everybody forget what they kept of the records, which were replaced as a whole.
func (d *Desk) Renew(ctx context.Context) error {
	for _, do := range d.renewal {
		if err := do(ctx); err != nil {
			return err
		}
	}
	d.changes.renew()
	d.Events.Tell(Event{What: "recorded"})
	return nil
}

// Version numbers the changes of the records, for 0, or of a count, since the program began.
func (d *Desk) Version(what int64) int64 { return d.changes.of(what) }

// Versions gives all of these numbers at one moment.
func (d *Desk) Versions() map[int64]int64 { return d.changes.all() }

// Person is who acts.
type Person struct {
	ID   int64  `json:"id"`
	Name string `json:"name"`
	Role string `json:"role" enum:"controller,counter,approver,viewer"`
	// Owner: may add people and change them.
	Owner bool `json:"owner"`
	// Word tells the password apart by which somebody is let in, and says nothing of it. What was begun with one ends with it.
	Word string `json:"-"`
}

// Itself is the program where nobody asks it: it decides by rules that were turned on, writes what was sent out into the folder, and
// works counts out again after an upgrade. The record names it; nobody signs in as it.
var Itself = Person{Name: "wobin", Role: "program"}

// Act is something that a person may or may not do.
type Act string

// The acts. Looking is for everybody who is signed in.
const (
	Look    Act = "look"
	Judge   Act = "see the variances of a blind count"
	TakeIn  Act = "take in files"
	Plan    Act = "plan counts"
	Enter   Act = "enter counts"
	Decide  Act = "decide variances"
	SendOut Act = "send out adjustments"
	Agree   Act = "agree to adjustments"
	Staff   Act = "add people"
	Guard   Act = "back up and prove the records"
	PutBack Act = "put a backup back"
	Require Act = "settle when somebody has to agree"
)

// ofOwners are the acts that only owners may do.
var ofOwners = map[Act]bool{Staff: true, PutBack: true, Require: true}

// may says which roles may do what.
var may = map[Act][]string{
	Look:    {"controller", "counter", "approver", "viewer", Itself.Role},
	Judge:   {"controller", "approver", "viewer", Itself.Role},
	TakeIn:  {"controller"},
	Plan:    {"controller"},
	Enter:   {"controller", "counter"},
	Decide:  {"controller"},
	SendOut: {"controller", Itself.Role}, // it sends nothing by itself: it writes the files of what was sent
	Agree:   {"approver", "controller"},
	Staff:   {"controller"},
	Guard:   {"controller"},
	PutBack: {"controller"},
	Require: {"controller"},
}

// Errors that the screen tells apart. Their texts are for people.
var (
	ErrMayNot   = errors.New("your role does not allow this")
	ErrNotFound = errors.New("is not there")
)

// Kind says of what sort a refusal is.
type Kind string

// The kinds of refusal. The empty kind is what was asked for as such: it cannot be.
const (
	Invalid  Kind = ""
	Ended    Kind = "ended"    // the count is finished, the work is over
	Changed  Kind = "changed"  // meanwhile something else stands than what was seen
	KeyTaken Kind = "key"      // the key was used for something else
	Asks     Kind = "asks"     // it can be done once a question is answered
	Disk     Kind = "disk"     // the disk did not take it
	Unproved Kind = "unproved" // a file or a record is not what it should be
)

// Refusal is something that cannot be done as asked: why, and what to do, as a sentence. Nothing was changed.
type Refusal struct {
	Kind  Kind
	Field string // what of the question it is about; empty where that is plain
	Err   error
}

// Error is the sentence.
func (r *Refusal) Error() string { return r.Err.Error() }

// Unwrap gives the cause.
func (r *Refusal) Unwrap() error { return r.Err }

// Refuse makes a refusal from a sentence.
func Refuse(format string, args ...any) error { return RefuseAs(Invalid, "", format, args...) }

// RefuseAs makes a refusal of a kind, about a field, from a sentence.
func RefuseAs(kind Kind, field, format string, args ...any) error {
	return &Refusal{kind, field, fmt.Errorf(format, args...)}
}

// Missing says that something is not there: ErrNotFound.
func Missing(what string) error { return fmt.Errorf("%s %w", what, ErrNotFound) }

// InWords makes what the disk did not take, and what is damaged, a refusal in words.
func InWords(err error) error {
	err = store.InWords(err)
	var disk *store.DiskError
	switch {
	case errors.As(err, &disk):
		return &Refusal{Disk, "", fmt.Errorf("%s.", SentenceOf(disk))}
	case errors.Is(err, store.ErrDamaged), errors.Is(err, store.ErrChanged):
		return &Refusal{Unproved, "", fmt.Errorf("%s.", SentenceOf(err))}
	}
	return err
}

// Allow checks the table of who may do what.
func Allow(p Person, act Act) error {
	for _, r := range may[act] {
		if r == p.Role {
			if ofOwners[act] && !p.Owner {
				return fmt.Errorf("to %s: %w (an owner does that)", act, ErrMayNot)
			}
			return nil
		}
	}
	return fmt.Errorf("to %s: %w (you are %s)", act, ErrMayNot, p.Role)
}

// Key makes work that is sent twice be done once. The same key with another body, by another person or for another
// operation is refused. The zero Key stands for none.
type Key struct {
	Text string
	Body any // what was asked for, all of it
}

// changes numbers the changes of what drafts look at: the records (0), and each count.
type changes struct {
	mu    sync.Mutex
	n     map[int64]int64
	epoch int64 // of the records: another one once they were replaced as a whole
}

func (c *changes) of(what int64) int64 {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.epoch + c.n[what]
}

// renew gives everything another number than it ever had: whatever is kept by a number of before is of other records.
func (c *changes) renew() {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.epoch += 1 << 40
}

func (c *changes) all() map[int64]int64 {
	c.mu.Lock()
	defer c.mu.Unlock()
	all := maps.Clone(c.n)
	if all == nil {
		all = map[int64]int64{}
	}
	for what := range all {
		all[what] += c.epoch
	}
	all[0] = c.epoch + c.n[0]
	return all
}

func (c *changes) bump(what int64) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.n == nil {
		c.n = map[int64]int64{}
	}
	c.n[what]++
}

// Work is one piece of work under way: the transaction, who does it, and what is to be said of it.
type Work struct {
	*store.Tx
	Person Person
	Now    int64 // Unix nanoseconds, the same for all that the work writes

	desk    *Desk
	word    string
	detail  []byte
	covers  []store.Covered
	counts  map[int64]*store.Count // written in this work
	records bool
	events  []Event
}

// Say is the work's word in the record. Work without one is not committed.
func (w *Work) Say(what string, detail map[string]any) error {
	b, err := json.Marshal(detail)
	w.word, w.detail = what, b
	return err
}

// Cover lets the work's word cover rows that it appended, by their numbers.
func (w *Work) Cover(table string, from, to int64) error {
	c, err := store.Cover(w.Tx, table, from, to)
	w.covers = append(w.covers, c)
	return err
}

// Tell tells open windows of something once the work is committed.
func (w *Work) Tell(e Event) { w.events = append(w.events, e) }

// Records notes that warehouses, bins, items, stock or movements change.
func (w *Work) Records() { w.records = true }

// errSilent is a fault of ours: work that changes something and says nothing.
var errSilent = errors.New("work without a word in the record is not committed")

// Do carries out work in one transaction, all of it or nothing, by a person who may act so. With a key, the answer is kept
// with the work, and a repeat is given it again.
func Do[T any](ctx context.Context, d *Desk, p Person, act Act, key Key, do func(w *Work) (T, error)) (answer T, err error) {
	if err := Allow(p, act); err != nil {
		return answer, err
	}
	return DoAs(ctx, d, p, string(act), key, do)
}

// DoAs is Do without asking who may act so: for the first person of all, for the program itself, and for work that was allowed already.
func DoAs[T any](ctx context.Context, d *Desk, p Person, operation string, key Key, do func(w *Work) (T, error)) (answer T, err error) {
	hash, err := key.hash()
	if err != nil {
		return answer, err
	}
	w := &Work{Person: p, Now: d.Now().UnixNano(), desk: d, counts: map[int64]*store.Count{}}
	repeated := false
	err = d.Store.Write(ctx, func(tx *store.Tx) error {
		w.Tx = tx
		if repeated, err = answered(tx, p, operation, key.Text, hash, &answer); err != nil || repeated {
			return err
		}
		if answer, err = do(w); err != nil {
			return err
		}
		if w.word == "" {
			return errSilent
		}
		if d.Proves != nil {
			for _, c := range w.counts {
				if err := d.Proves(tx, c); err != nil {
					return err
				}
			}
		}
		if err := store.Record(tx, w.Now, p.Name, w.word, string(w.detail), w.covers...); err != nil {
			return err
		}
		if key.Text == "" {
			return nil
		}
		b, err := json.Marshal(answer)
		if err != nil {
			return err
		}
		return store.KeepRequest(tx, &store.Request{Key: key.Text, At: w.Now, Answer: string(b), Operation: operation, PersonID: p.ID,
			Hash: hash})
	})
	if err != nil {
		var none T
		return none, InWords(err)
	}
	if !repeated {
		w.told()
	}
	return answer, nil
}

// told tells of work that is done.
func (w *Work) told() {
	if w.records {
		w.desk.changes.bump(0)
		w.desk.Events.Tell(Event{What: "recorded"})
	}
	for id := range w.counts {
		w.desk.changes.bump(id)
		w.desk.Events.Tell(Event{What: "count", Count: id})
		for _, do := range w.desk.changed {
			do(id)
		}
	}
	for _, e := range w.events {
		w.desk.Events.Tell(e)
	}
}

// answered gives the answer that a key got before, where it was used for the very same.
func answered(tx *store.Tx, p Person, operation, key, hash string, answer any) (bool, error) {
	if key == "" {
		return false, nil
	}
	before, err := store.RequestBy(tx, key)
	if err != nil || before.Answer == "" {
		return false, err
	}
	if before.Operation != operation || before.PersonID != p.ID || before.Hash != hash {
		return false, RefuseAs(
			KeyTaken,
			"key",
			"This key was used for something else already. Nothing was done; look at what stands, and send it under a key of its own.",
		)
	}
	return true, json.Unmarshal([]byte(before.Answer), answer)
}

// Answered gives the answer that work with this key got before, by whichever of the acts it was done.
func (d *Desk) Answered(ctx context.Context, p Person, acts []Act, key Key, answer any) (used bool, err error) {
	hash, err := key.hash()
	if err != nil {
		return false, err
	}
	for _, act := range acts {
		if used, err = answered(d.Store.Read(ctx), p, string(act), key.Text, hash, answer); used || err == nil {
			return used, err
		}
	}
	return false, err
}

// KeptFile gives a kept file, which is proved on the way.
func (d *Desk) KeptFile(ctx context.Context, p Person, sha string) (*store.KeptFile, error) {
	if err := Allow(p, Look); err != nil {
		return nil, err
	}
	if err := UnlessBlind(d.Store.Read(ctx), p, 0, "see files that came in"); err != nil {
		return nil, err
	}
	return d.Kept(sha)
}

// Kept is KeptFile for whoever was asked already.
func (d *Desk) Kept(sha string) (*store.KeptFile, error) {
	k, err := d.Store.Kept(sha)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, Missing("This file")
	}
	return k, err
}
