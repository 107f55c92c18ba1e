// Package desk holds the use cases: what a person can do, who may, in which transaction, and what is recorded
// about it. The web and the command line call it and nothing below it. It computes nothing that the core can.
package desk

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"sync"
	"sync/atomic"
	"time"

	"gorm.io/gorm"

	"wobin/internal/core/code"
	"wobin/internal/store"
)

// Desk works on one data folder.
type Desk struct {
	store  *store.Store
	now    func() time.Time
	Events *Events

	intakes  sync.Mutex // one intake is written at a time
	drafts   drafts
	changes  atomic.Int64 // goes up with each change of records that a draft is held against
	ownerKey string       // the one-time code of a first start
}

// New makes a desk over an open store. now is the clock.
func New(s *store.Store, now func() time.Time) *Desk {
	return &Desk{store: s, now: now, Events: newEvents(), drafts: drafts{byID: map[string]*draft{}}}
}

// Person is who acts.
type Person struct {
	ID   int64  `json:"id"`
	Name string `json:"name"`
	Role string `json:"role" enum:"controller,counter,approver,viewer"`
}

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
	Staff   Act = "add people"
)

// may says which roles may do what.
var may = map[Act][]string{
	Look:    {"controller", "counter", "approver", "viewer"},
	Judge:   {"controller", "approver", "viewer"},
	TakeIn:  {"controller"},
	Plan:    {"controller"},
	Enter:   {"controller", "counter"},
	Decide:  {"controller"},
	SendOut: {"controller"},
	Staff:   {"controller"},
}

// Errors that the screen tells apart. Their texts are for people.
var (
	ErrMayNot   = errors.New("your role does not allow this")
	ErrNotFound = errors.New("is not there")
)

// Refusal is something that cannot be done as asked: why, and what to do. Nothing was changed.
type Refusal struct{ Text string }

func (r *Refusal) Error() string { return r.Text }

func refuse(format string, args ...any) error { return &Refusal{fmt.Sprintf(format, args...)} }

func missing(what string) error { return fmt.Errorf("%s %w", what, ErrNotFound) }

// allow checks the table of who may do what.
func allow(p Person, act Act) error {
	for _, r := range may[act] {
		if r == p.Role {
			return nil
		}
	}
	return fmt.Errorf("to %s: %w (you are %s)", act, ErrMayNot, p.Role)
}

// judge checks who may see recorded figures beside counted ones: while a blind count is running its counters may not.
func judge(p Person, c *store.Count) error {
	if c.Blind && c.State == store.Running {
		return allow(p, Judge)
	}
	return allow(p, Look)
}

// record appends to the chain what was done, with its particulars.
func (d *Desk) record(tx *gorm.DB, p Person, what string, detail any) error {
	b, err := json.Marshal(detail)
	if err != nil {
		return err
	}
	return store.Record(tx, d.now().UnixNano(), p.Name, what, string(b))
}

// VerifyChain proves the record of who did what.
func (d *Desk) VerifyChain(ctx context.Context) (links int, broken int64, err error) {
	return d.store.VerifyChain(ctx)
}

// KeptFile gives the bytes of a kept file.
func (d *Desk) KeptFile(p Person, sha string) ([]byte, error) {
	if err := allow(p, Look); err != nil {
		return nil, err
	}
	b, err := d.store.Kept(sha)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, missing("This file")
	}
	return b, err
}

func sortKey(s string) []byte { return []byte(code.SortKey(s)) }

// moment turns stored nanoseconds into a time; 0 is none.
func moment(ns int64) *time.Time {
	if ns == 0 {
		return nil
	}
	t := time.Unix(0, ns).UTC()
	return &t
}

// once carries out do unless the key was used before; then it gives the first answer again. The key and the
// answer are written with the work itself.
func once[T any](d *Desk, ctx context.Context, key string, do func(tx *gorm.DB) (T, error)) (answer T, err error) {
	err = d.store.Write(ctx, func(tx *gorm.DB) error {
		if key != "" {
			var before string
			if err := tx.Raw("SELECT answer FROM requests WHERE key = ?", key).Scan(&before).Error; err != nil {
				return err
			}
			if before != "" {
				return json.Unmarshal([]byte(before), &answer)
			}
		}
		var err error
		if answer, err = do(tx); err != nil || key == "" {
			return err
		}
		b, err := json.Marshal(answer)
		if err != nil {
			return err
		}
		return tx.Exec("INSERT INTO requests (key, at, answer) VALUES (?, ?, ?)", key, d.now().UnixNano(), string(b)).Error
	})
	return answer, err
}
