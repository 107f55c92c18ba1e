package intake

import (
	"context"
	"encoding/json"
	"errors"
	"io"
	"os"
	"path/filepath"
	"sync"
	"time"

	"wobin/internal/core/field"
	"wobin/internal/desk"
	"wobin/internal/store"
)

// drafts are those that are open: what was read of them is in memory. One that nobody looked at for an hour is closed; it is opened again
// from what is kept of it.
type drafts struct {
	mu   sync.Mutex
	byID map[string]*draft
}

// hold gives a draft of somebody that nobody else works on until let is called. One that was closed, by the end of the program too, is
// opened and looked at again.
func (d *Room) hold(ctx context.Context, p desk.Person, id string) (dr *draft, let func(), err error) {
	for dr == nil || dr.closed.Load() { // it may be closed while this waits for it
		if dr, err = d.open(ctx, p, id); err != nil {
			return nil, nil, err
		}
		if dr.mu.Lock(); dr.closed.Load() {
			dr.mu.Unlock()
		}
	}
	dr.person = p // a role may have changed since
	// What was seen before a blind count began is not shown while it runs.
	hidden, err := d.hidden(ctx, p)
	if err == nil && (dr.seen == nil || hidden && !dr.hidden) {
		work, end := dr.working(ctx)
		_, err = d.look(work, dr)
		end()
	}
	if err != nil {
		dr.mu.Unlock()
		return nil, nil, err
	}
	return dr, dr.mu.Unlock, nil
}

// hidden tells whether what files change of the records must not be shown to somebody: it would tell a counter what is recorded.
func (d *Room) hidden(ctx context.Context, p desk.Person) (bool, error) {
	err := desk.UnlessBlind(d.Store.Read(ctx), p, 0, "look at what a file changes")
	if errors.Is(err, desk.ErrMayNot) {
		return true, nil
	}
	return false, err
}

// open gives a draft of somebody, from memory or from what is kept of it.
func (d *Room) open(ctx context.Context, p desk.Person, id string) (*draft, error) {
	ds := &d.drafts
	ds.mu.Lock()
	defer ds.mu.Unlock()
	if dr := ds.byID[id]; dr != nil {
		if dr.owner != p.ID {
			return nil, desk.Missing("This upload")
		}
		return dr, nil
	}
	row, err := d.Store.DraftOf(ctx, p.ID, id)
	if err != nil {
		return nil, err
	}
	if row.ID == "" {
		return nil, desk.Missing("This upload")
	}
	dr := &draft{id: row.ID, owner: p.ID, person: p, name: row.Name, size: row.Size, used: d.Now(), at: desk.Instant(row.At)}
	if json.Unmarshal([]byte(row.Choices), &dr.choices) != nil || json.Unmarshal([]byte(row.History), &dr.history) != nil {
		dr.choices, dr.history = Choices{}, nil
	}
	f, err := os.Open(d.Store.IncomingName(row.File))
	if err == nil {
		var is os.FileInfo
		if is, err = f.Stat(); err == nil && is.Size() != row.Size {
			err = io.ErrUnexpectedEOF
		}
	}
	if err != nil { // a crash lost it before it was on the disk
		if f != nil {
			f.Close()
		}
		_ = d.Store.DropDrafts([]string{id}, 0)
		return nil, desk.Refuse("%s did not outlive the end of the program. Drop it again.", row.Name)
	}
	dr.file, dr.sum = f, sync.OnceValues(func() (string, error) { return hash(f, row.Size) })
	if ds.byID == nil {
		ds.byID = map[string]*draft{}
	}
	ds.byID[id] = dr
	return dr, nil
}

// keptAnswers is how many answers can be taken back after the program ended.
const keptAnswers = 20

// save keeps a draft as it was looked at.
func (d *Room) save(dr *draft) error {
	if dr.passing {
		return nil
	}
	choices, err := json.Marshal(dr.choices)
	if err != nil {
		return err
	}
	history, err := json.Marshal(dr.history[max(0, len(dr.history)-keptAnswers):])
	if err != nil {
		return err
	}
	return d.Store.SaveDraft(&store.Draft{ID: dr.id, PersonID: dr.owner, Name: dr.name, Size: dr.size, File: filepath.Base(dr.file.Name()),
		Choices: string(
			choices,
		), History: string(history), Kind: string(dr.seen.Kind), Word: dr.seen.word(), At: dr.at.UnixNano(), Used: d.Now().UnixNano()})
}

// word is what a dropped file comes to, in a sentence for a list of them.
func (out *Draft) word() string {
	if out.Wrong != "" || out.Kind == "" {
		return out.Blocked
	}
	text := desk.Plural(out.Rows, "row", "rows") + " of " + string(out.Kind)
	if n := out.Effect.Refused; n > 0 {
		text += ", " + desk.Plural(n, "with a problem", "with a problem")
	}
	if out.Blocked != "" {
		text += ". " + out.Blocked
	}
	return text
}

// Waiting is a file that was dropped and is not taken in.
type Waiting struct {
	ID   string    `json:"id"`
	Name string    `json:"name"`
	Size int64     `json:"size"`
	At   time.Time `json:"at" doc:"when it was dropped"`
	Kind string    `json:"kind" doc:"what it was taken for; empty where that is not known"`
	Word string    `json:"word" doc:"what it comes to, as it was looked at last"`
}

// Waiting lists what somebody dropped and did not take in, the latest first.
func (d *Room) Waiting(ctx context.Context, p desk.Person) ([]Waiting, error) {
	if err := desk.Allow(p, desk.Look); err != nil {
		return nil, err
	}
	hidden, err := d.hidden(ctx, p)
	if err != nil {
		return nil, err
	}
	rows, err := d.Store.DraftsOf(ctx, p.ID)
	out := make([]Waiting, len(rows))
	for i, r := range rows {
		if hidden && r.Kind != string(field.Counts) {
			r.Word = ""
		}
		out[i] = Waiting{r.ID, r.Name, r.Size, desk.Instant(r.At), r.Kind, r.Word}
	}
	return out, err
}

// How many files of somebody wait at once, more than the sheets of a day that come back together, and how many bytes they have.
const (
	mostDrafts  = 300
	mostWaiting = 4 * maxUpload
)

// How long a draft stays that nobody looks at: open, and kept.
const (
	staysOpen = time.Hour
	staysKept = 14 * 24 * time.Hour
)

// room tells whether somebody may drop one more. Those go that nobody came back for.
func (d *Room) room(ctx context.Context, p desk.Person) error {
	d.drafts.closeOld(d.Now())
	if err := d.Store.DropDrafts(nil, d.Now().Add(-staysKept).UnixNano()); err != nil {
		return err
	}
	rows, err := d.Store.DraftsOf(ctx, p.ID)
	var size int64
	for i := range rows {
		size += rows[i].Size
	}
	switch {
	case err == nil && len(rows) >= mostDrafts:
		err = desk.Refuse("%d files wait to be taken in already. Take some in, or let go of them.", len(rows))
	case err == nil && size > mostWaiting:
		err = desk.Refuse("%d GB of files wait to be taken in already. Take some in, or let go of them.", size>>30)
	}
	return err
}

func (ds *drafts) closeOld(now time.Time) {
	ds.mu.Lock()
	defer ds.mu.Unlock()
	for id, old := range ds.byID {
		if now.Sub(old.used) > staysOpen && old.mu.TryLock() { // nobody works on it
			old.close()
			delete(ds.byID, id)
			old.mu.Unlock()
		}
	}
}

func (ds *drafts) add(d *draft) {
	ds.mu.Lock()
	defer ds.mu.Unlock()
	if ds.byID == nil {
		ds.byID = map[string]*draft{}
	}
	ds.byID[d.id] = d
}

// drop lets go of a draft for good.
func (d *Room) drop(id string) error {
	ds := &d.drafts
	ds.mu.Lock()
	defer ds.mu.Unlock()
	if dr := ds.byID[id]; dr != nil {
		dr.discard()
		delete(ds.byID, id)
	}
	return d.Store.DropDrafts([]string{id}, 0)
}

// close lets go of what is in memory; the file stays.
func (d *draft) close() {
	d.closed.Store(true)
	d.forgetViews()
	d.file.Close()
}

func (d *draft) discard() {
	d.close()
	os.Remove(d.file.Name())
}

func (d *draft) forgetViews() {
	for _, f := range d.spools {
		f.Close()
		os.Remove(f.Name())
	}
	d.views, d.spools = nil, nil
}

// clear closes all drafts: they are looked at anew.
func (ds *drafts) clear() {
	ds.mu.Lock()
	defer ds.mu.Unlock()
	for id, dr := range ds.byID {
		dr.close()
		delete(ds.byID, id)
	}
}
