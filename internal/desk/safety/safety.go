// Package safety keeps the records safe: backups, putting one back, and the proof of the record of who did what.
package safety

import (
	"context"
	"errors"
	"io/fs"
	"path/filepath"
	"slices"
	"time"

	"wobin/internal/desk"
	"wobin/internal/store"
)

// Room is the use cases of safety.
type Room struct{ *desk.Desk }

// New makes the room.
func New(d *desk.Desk) *Room { return &Room{d} }

// VerifyChain proves the record of who did what.
func (d *Room) VerifyChain(ctx context.Context) (store.Proof, error) { return d.Store.VerifyChain(ctx) }

// BackupView is a backup in the folder.
type BackupView struct {
	Name string    `json:"name"`
	At   time.Time `json:"at"`
	Why  string    `json:"why"`
	Size int64     `json:"size"`
}

// Backups lists the backups, the newest first.
func (d *Room) Backups(p desk.Person) ([]BackupView, error) {
	if err := desk.Allow(p, desk.Guard); err != nil {
		return nil, err
	}
	all, err := store.Backups(d.Store.Dir)
	out := make([]BackupView, 0, len(all))
	for _, b := range slices.Backward(all) {
		out = append(out, BackupView{b.Name, b.At, b.Why, b.Size})
	}
	return out, desk.InWords(err)
}

// BackUp makes a backup now.
func (d *Room) BackUp(ctx context.Context, p desk.Person) (BackupView, error) {
	if err := desk.Allow(p, desk.Guard); err != nil {
		return BackupView{}, err
	}
	job := d.Begin(p, "Making a backup", nil)
	name, err := d.Store.Backup(ctx, "by-hand")
	job.End("Kept as "+name+".", err, true)
	if err != nil {
		return BackupView{}, desk.InWords(err)
	}
	all, err := d.Backups(p)
	for _, b := range all {
		if b.Name == name {
			return b, nil
		}
	}
	return BackupView{}, errors.Join(err, fs.ErrNotExist)
}

// Proof is what proving the folder came to.
type Proof struct {
	Links    int      `json:"links" doc:"entries of the record that hold"`
	Files    int      `json:"files" doc:"kept files that are what they were"`
	Backups  int      `json:"backups" doc:"backups that are what they were"`
	Unsigned int      `json:"unsigned" doc:"backups of before they had a hash of their own"`
	Wrong    []string `json:"wrong" doc:"what is wrong, each a sentence; none where nothing is"`
}

// Verify proves the record of who did what, the pages of the database, every kept file and every backup.
func (d *Room) Verify(ctx context.Context, p desk.Person) (out Proof, err error) {
	if err := desk.Allow(p, desk.Guard); err != nil {
		return out, err
	}
	ctx, stop := context.WithCancel(ctx)
	defer stop()
	job := d.Begin(p, "Proving the records", stop)
	is, err := d.Store.Verify(ctx, func(done, of int64) { job.Progress(int(done>>10), int(of>>10), int(done>>20)) })
	word := "All of it holds."
	if len(is.Wrong) > 0 {
		word = "Not all of it holds."
	}
	job.End(word, err, true)
	return Proof{is.Links, is.Files, is.Backups, is.Unsigned, append([]string{}, is.Wrong...)}, desk.InWords(err)
}

// TakesBack is what putting a backup back takes away again.
type TakesBack struct {
	Name  string        `json:"name"`
	At    time.Time     `json:"at" doc:"the last thing that it holds"`
	Words []TakenBack   `json:"words" doc:"what was done since, the latest first"`
	More  int           `json:"more" doc:"how many of these are not listed"`
	By    []TakenBackBy `json:"by" doc:"how many of each"`
}

// TakenBack is one thing that was done since a backup.
type TakenBack struct {
	At     time.Time `json:"at"`
	Person string    `json:"person"`
	What   string    `json:"what"`
}

// TakenBackBy is how often something was done since a backup.
type TakenBackBy struct {
	What string `json:"what"`
	N    int    `json:"n"`
}

// SeeRestore proves a backup and tells what putting it back would take away. What was done about people is not taken back.
func (d *Room) SeeRestore(ctx context.Context, p desk.Person, name string) (t TakesBack, err error) {
	t = TakesBack{Name: name, Words: []TakenBack{}, By: []TakenBackBy{}}
	if err := desk.Allow(p, desk.Guard); err != nil {
		return t, err
	}
	found, common, err := d.backup(ctx, name)
	if err != nil {
		return t, err
	}
	t.At = desk.Instant(found.LastAt)
	links, times, err := store.Since(d.Store.Read(ctx), common, desk.OfPeople, 100)
	if err != nil {
		return t, err
	}
	for _, l := range links {
		t.Words = append(t.Words, TakenBack{desk.Instant(l.At), l.Person, l.What})
	}
	for _, x := range times {
		t.By, t.More = append(t.By, TakenBackBy(x)), t.More+x.N
	}
	t.More -= len(links)
	return t, nil
}

// backup proves a backup, and tells up to where the record is the same in it.
func (d *Room) backup(ctx context.Context, name string) (found store.Found, common int64, err error) {
	all, err := store.Backups(d.Store.Dir)
	if err != nil {
		return found, 0, err
	}
	if !slices.ContainsFunc(all, func(b store.BackupFile) bool { return b.Name == name }) {
		return found, 0, desk.Missing("The backup")
	}
	if found, err = store.Prove(ctx, filepath.Join(d.Store.Dir, "backups", name)); err != nil {
		return found, 0, desk.RefuseAs(desk.Unproved, "name", "%s cannot be put back: %v.", name, err)
	}
	common, err = d.Store.CommonEnd(ctx, name)
	return found, common, err
}

// Restore puts a backup in the place of the records, after a backup of them. What was done since goes, but for what was done about people
// (desk.OfPeople); agreed is how many things that are, as the person saw: nobody writes any more while it is looked at again. It is the
// first word in the record from then on.
func (d *Room) Restore(ctx context.Context, p desk.Person, name string, agreed int) error {
	if err := desk.Allow(p, desk.PutBack); err != nil {
		return err
	}
	defer d.Alone()()
	_, common, err := d.backup(ctx, name)
	if err != nil {
		return err
	}
	_, err = d.Store.PutBack(ctx, name, store.Restoring{
		Words: desk.OfPeople,
		Agreed: func(tx *store.Tx) error {
			_, times, err := store.Since(tx, common, desk.OfPeople, 1)
			if err != nil {
				return err
			}
			n := 0
			for _, x := range times {
				n += x.N
			}
			if n != agreed {
				return desk.RefuseAs(desk.Changed, "agreed", "It takes back %s now, not %d. Look at it again.", desk.Plural(n, "thing", "things"), agreed)
			}
			return nil
		},
		Word: func(tx *store.Tx, r store.Restored) error { return desk.RecordRestore(tx, d.Now(), p, name, r) },
	})
	if err != nil {
		return desk.InWords(err)
	}
	return d.Renew(ctx)
}
