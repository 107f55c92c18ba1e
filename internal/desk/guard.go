package desk

import (
	"context"
	"errors"
	"io/fs"
	"path/filepath"
	"slices"
	"time"

	"gorm.io/gorm"

	"wobin/internal/store"
)

// BackupView is a backup in the folder.
type BackupView struct {
	Name string    `json:"name"`
	At   time.Time `json:"at"`
	Why  string    `json:"why"`
	Size int64     `json:"size"`
}

// Backups lists the backups, the newest first.
func (d *Desk) Backups(p Person) ([]BackupView, error) {
	if err := allow(p, Guard); err != nil {
		return nil, err
	}
	all, err := store.Backups(d.store.Dir)
	out := make([]BackupView, 0, len(all))
	for _, b := range slices.Backward(all) {
		out = append(out, BackupView{b.Name, b.At, b.Why, b.Size})
	}
	return out, InWords(err)
}

// BackUp makes a backup now.
func (d *Desk) BackUp(ctx context.Context, p Person) (BackupView, error) {
	if err := allow(p, Guard); err != nil {
		return BackupView{}, err
	}
	name, err := d.store.Backup(ctx, "by-hand")
	if err != nil {
		return BackupView{}, InWords(err)
	}
	all, err := d.Backups(p)
	for _, b := range all {
		if b.Name == name {
			return b, nil
		}
	}
	return BackupView{}, errors.Join(err, fs.ErrNotExist)
}

// Proof is what proving the record came to.
type Proof struct {
	Links int    `json:"links" doc:"entries of the record that hold"`
	Wrong string `json:"wrong" doc:"what is wrong with it; empty where nothing is"`
}

// Verify proves the record of who did what.
func (d *Desk) Verify(ctx context.Context, p Person) (Proof, error) {
	if err := allow(p, Guard); err != nil {
		return Proof{}, err
	}
	is, err := d.store.VerifyChain(ctx)
	return Proof{is.Links, is.Text}, InWords(err)
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

// SeeRestore proves a backup and tells what putting it back would take away.
func (d *Desk) SeeRestore(ctx context.Context, p Person, name string) (t TakesBack, err error) {
	t = TakesBack{Name: name, Words: []TakenBack{}, By: []TakenBackBy{}}
	if err := allow(p, Guard); err != nil {
		return t, err
	}
	found, err := d.backup(ctx, name)
	if err != nil {
		return t, err
	}
	t.At = instant(found.LastAt)
	tx := d.store.Read(ctx)
	var links []store.Link
	if err := tx.Where("id > ?", found.Links).Order("id DESC").Limit(100).Find(&links).Error; err != nil {
		return t, err
	}
	for _, l := range links {
		t.Words = append(t.Words, TakenBack{instant(l.At), l.Person, l.What})
	}
	if err := tx.Raw("SELECT what, count(*) AS n FROM chain WHERE id > ? GROUP BY what ORDER BY n DESC, what",
		found.Links).Scan(&t.By).Error; err != nil {
		return t, err
	}
	for _, b := range t.By {
		t.More += b.N
	}
	t.More -= len(links)
	return t, nil
}

func (d *Desk) backup(ctx context.Context, name string) (found store.Found, err error) {
	all, err := store.Backups(d.store.Dir)
	if err != nil {
		return found, err
	}
	if !slices.ContainsFunc(all, func(b store.BackupFile) bool { return b.Name == name }) {
		return found, missing("The backup")
	}
	if found, err = store.Prove(ctx, filepath.Join(d.store.Dir, "backups", name)); err != nil {
		return found, refuseAs(Unproved, "name", "%s cannot be put back: %v.", name, err)
	}
	return found, nil
}

// Restore puts a backup in the place of the records, after a backup of them. What was done since goes; agreed is how many
// things that are, as the person saw. It is the first word in the record from then on.
func (d *Desk) Restore(ctx context.Context, p Person, name string, agreed int) error {
	seen, err := d.SeeRestore(ctx, p, name)
	if err != nil {
		return err
	}
	if n := len(seen.Words) + seen.More; n != agreed {
		return refuseAs(Changed, "agreed", "It takes back %s now, not %d. Look at it again.", plural(n, "thing", "things"), agreed)
	}
	defer d.Alone()()
	_, err = d.store.PutBack(ctx, name, func(tx *gorm.DB, r store.Restored) error {
		return RecordRestore(tx, d.now(), p, name, r)
	})
	if err != nil {
		return InWords(err)
	}
	return d.Renew(ctx)
}

// RecordRestore writes the word that a backup was put back.
func RecordRestore(tx *gorm.DB, now time.Time, p Person, name string, r store.Restored) error {
	w := &Work{DB: tx}
	if err := w.Say("restored", map[string]any{"backup": name, "before": r.Before, "damaged": filepath.Base(r.Aside)}); err != nil {
		return err
	}
	return store.Record(tx, now.UnixNano(), p.Name, w.word, string(w.detail))
}

func (c *setCache) forget() {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.sets, c.house = nil, nil
}

func (ds *drafts) clear() {
	ds.mu.Lock()
	defer ds.mu.Unlock()
	for id, dr := range ds.byID {
		dr.discard()
		delete(ds.byID, id)
	}
}
