package intake

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"io"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"wobin/internal/core/field"
	"wobin/internal/core/layout"
	"wobin/internal/core/problem"
	"wobin/internal/core/read"
	"wobin/internal/core/recognise"
	"wobin/internal/core/tabular"
	"wobin/internal/desk"
	"wobin/internal/store"
)

// maxUpload is the largest file that is taken.
const maxUpload = 4 << 30

// draft is a file that was dropped and is being looked at. Nothing of it stands in the records.
type draft struct {
	mu      sync.Mutex
	id      string
	owner   int64
	person  desk.Person // the owner, as he was when he asked last
	name    string
	file    *os.File
	size    int64
	sha     string                 // of the bytes, once it is kept
	sum     func() (string, error) // works the SHA-256 out, once, and puts the bytes on the disk
	used    time.Time
	choices Choices
	history []Choices // what was settled before each answer, to go back to

	table      *tabular.File
	recognised recognised
	parts      []*part // one for each sheet
	seen       *Draft
	state      int64           // of the records when it was looked at, and of the count that it belongs to
	at         time.Time       // when it was dropped
	closed     atomic.Bool     // what is in memory was let go of
	hidden     bool            // it was looked at without showing what is recorded
	passing    bool            // it is not kept: whoever made it takes it in at once
	counts     map[int64]int64 // versions of the counts that it was held against
	views      map[int]*tabular.Index
	spools     []*os.File

	work   sync.Mutex
	cancel context.CancelFunc // ends the work that is under way
	job    *desk.Running      // of being taken in
}

// stop ends the work that is under way.
func (d *draft) stop() {
	d.work.Lock()
	defer d.work.Unlock()
	if d.cancel != nil {
		d.cancel()
	}
}

// part is one sheet of the file, or delimited text as a whole.
type part struct {
	sheet    int
	given    *layout.Layout
	named    string             // the layout that was chosen for it
	mapping  *recognise.Mapping // as all values tell it, once it was read
	told     read.Told
	problems problem.Problems
	view     *SheetOfFile
	taken    *read.TakenFor // made when rows are first shown
	content  content        // what was read
}

// hear takes what reading the sheet told.
func (pt *part) hear(t read.Told) { pt.mapping, pt.told = t.Mapping, t }

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

// working gives a context that Cancel ends.
func (d *draft) working(ctx context.Context) (context.Context, func()) {
	ctx, cancel := context.WithCancel(ctx)
	d.work.Lock()
	d.cancel = cancel
	d.work.Unlock()
	return ctx, func() {
		d.work.Lock()
		d.cancel = nil
		d.work.Unlock()
		cancel()
	}
}

// Choices are what the person settled about a file; zero values are found out or asked for.
type Choices struct {
	Layout     string                 `json:"layout,omitempty" doc:"the name of a saved layout; - for none; left out: one that fits"`
	Base       *layout.Layout         `json:"base,omitempty" doc:"a layout that lies under what was settled about each sheet"`
	Delimiter  string                 `json:"delimiter,omitempty" maxLength:"4"`
	Encoding   string                 `json:"encoding,omitempty"`
	Zone       string                 `json:"zone,omitempty" doc:"IANA name of the zone of times without an offset"`
	RecordedAt string                 `json:"recorded_at,omitempty" doc:"when the stock was recorded, where the file does not say"`
	CountedAt  string                 `json:"counted_at,omitempty" doc:"when it was counted, where neither rows nor head say"`
	Count      int64                  `json:"count,omitempty" doc:"the count that counts without row codes belong to"`
	Sheets     map[string]SheetChoice `json:"sheets,omitempty" doc:"what was settled about each sheet, by its number from 0"`
	Mends      []CellMend             `json:"mends,omitempty" doc:"cells put right by hand; the file itself stays as it is"`
	Checks     map[string]string      `json:"checks,omitempty" doc:"answers to what was asked about its sheets, by what was asked and the number of the sheet"`
}

// SheetChoice is what was settled about one sheet.
type SheetChoice struct {
	Use    string        `json:"use,omitempty" enum:"yes,no," doc:"whether the sheet is taken in; left out: where it reads as something"`
	Layout layout.Layout `json:"layout,omitzero"`
	Stays  []int         `json:"stays,omitempty" doc:"rows of a returned file whose earlier count stays"`
}

// CellMend is one cell put right.
type CellMend struct {
	Sheet  int    `json:"sheet,omitempty"`
	Row    int    `json:"row"`
	Column string `json:"column"`
	Was    string `json:"was"`
	Is     string `json:"is"`
}

func (c *Choices) sheet(n int) SheetChoice { return c.Sheets[strconv.Itoa(n)] }

func (c *Choices) setSheet(n int, s SheetChoice) {
	sheets := map[string]SheetChoice{}
	for k, v := range c.Sheets {
		sheets[k] = v
	}
	sheets[strconv.Itoa(n)] = s
	c.Sheets = sheets
}

// mends gives the mended cells of a sheet.
func (c *Choices) mends(sheet int) read.Mends {
	var out read.Mends
	for _, m := range c.Mends {
		at := tabular.ColumnAt(m.Column)
		if m.Sheet != sheet || at < 0 {
			continue
		}
		if out == nil {
			out = read.Mends{}
		}
		if out[m.Row] == nil {
			out[m.Row] = map[int]read.Mend{}
		}
		out[m.Row][at] = read.Mend{Was: m.Was, Is: m.Is}
	}
	return out
}

// Upload takes a file's bytes aside and looks at it. Nothing is stored.
func (d *Room) Upload(ctx context.Context, p desk.Person, name string, body io.Reader, choices Choices) (*Draft, error) {
	return d.upload(ctx, p, name, body, choices, false)
}

// upload is Upload; one that is passing is not kept.
func (d *Room) upload(ctx context.Context, p desk.Person, name string, body io.Reader, choices Choices, passing bool) (*Draft, error) {
	if err := desk.Allow(p, desk.Enter); err != nil {
		return nil, err
	}
	if !passing {
		if err := d.room(ctx, p); err != nil {
			return nil, err
		}
	}
	dr := &draft{owner: p.ID, person: p, name: name, used: d.Now(), at: d.Now(), choices: choices, passing: passing}
	if err := d.receive(dr, name, body); err != nil {
		return nil, err
	}
	id := make([]byte, 12)
	if _, err := rand.Read(id); err != nil {
		return nil, err
	}
	dr.id = hex.EncodeToString(id)
	work, end := dr.working(ctx)
	defer end()
	d.drafts.add(dr)
	dr.mu.Lock()
	defer dr.mu.Unlock()
	seen, err := d.look(work, dr)
	if err == nil {
		err = d.save(dr)
	}
	if err != nil {
		_ = d.drop(dr.id)
		return nil, err
	}
	go dr.sum() // while the person looks, or the lines are written
	return seen, nil
}

// receive writes a file's bytes aside and gives them to the draft.
func (d *Room) receive(dr *draft, name string, body io.Reader) error {
	f, err := d.Store.Incoming()
	if err != nil {
		return err
	}
	body = io.LimitReader(body, maxUpload+1)
	head := make([]byte, tabular.HeadSize)
	n, err := io.ReadFull(body, head)
	if errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) {
		err = nil
	}
	size, to := int64(n), io.Writer(f)
	if err == nil {
		_, err = to.Write(head[:n])
	}
	if err == nil {
		if tabular.Sniff(name, head[:n]) != nil {
			to = io.Discard // no table: what follows is let go by
		}
		var rest int64
		rest, err = io.Copy(to, body)
		size += rest
	}
	if err == nil && size > maxUpload {
		err = desk.Refuse("%s is larger than %d GB. Divide it.", name, maxUpload>>30)
	}
	if err != nil {
		f.Close()
		os.Remove(f.Name())
		return err
	}
	dr.file, dr.size, dr.name, dr.sum = f, size, name, sync.OnceValues(func() (string, error) { return hash(f, size) })
	return nil
}

// hash works a file's SHA-256 out and puts its bytes on the disk.
func hash(f *os.File, size int64) (string, error) {
	sum := sha256.New()
	if _, err := io.Copy(sum, io.NewSectionReader(f, 0, size)); err != nil {
		return "", err
	}
	return hex.EncodeToString(sum.Sum(nil)), f.Sync()
}

// keep puts the draft's file among those that are kept.
func (d *Room) keep(dr *draft) (err error) {
	if dr.sha, err = dr.sum(); err != nil {
		return err
	}
	return d.Store.KeepFile(dr.file, dr.sha)
}

// Redrop puts a mended file in the place of the one that was dropped; all that was settled stays. A file of refused
// rows that was mended puts its cells into the rows that they came from.
func (d *Room) Redrop(ctx context.Context, p desk.Person, id, name string, body io.Reader) (*Draft, error) {
	dr, let, err := d.hold(ctx, p, id)
	if err != nil {
		return nil, err
	}
	defer let()
	now := &draft{}
	if err := d.receive(now, name, body); err != nil {
		return nil, err
	}
	work, end := dr.working(ctx)
	defer end()
	if mends, ok, err := d.mendsFrom(dr, now); err != nil || ok {
		now.discard()
		if err != nil {
			return nil, err
		}
		dr.remember()
		dr.choices.Mends = append(dr.choices.Mends[:len(dr.choices.Mends):len(dr.choices.Mends)], mends...)
		return d.lookAgain(work, dr)
	}
	dr.choices.Checks = nil // they were about the other file
	before := &draft{file: dr.file, spools: dr.spools}
	dr.file, dr.size, dr.sum, dr.name, dr.used = now.file, now.size, now.sum, now.name, d.Now()
	dr.views, dr.spools = nil, nil
	seen, err := d.lookAgain(work, dr)
	before.discard() // what is kept of the draft says the new one by now
	return seen, err
}

// lookAgain looks at a draft and keeps what was settled.
func (d *Room) lookAgain(ctx context.Context, dr *draft) (*Draft, error) {
	seen, err := d.look(ctx, dr)
	if err == nil {
		err = d.save(dr)
	}
	return seen, err
}

// Choose settles something about a dropped file, in place of all that was settled before, and looks at it again.
func (d *Room) Choose(ctx context.Context, p desk.Person, id string, choices Choices) (*Draft, error) {
	return d.change(ctx, p, id, func(dr *draft) error {
		dr.choices = choices
		return nil
	})
}

// Answer is one thing settled about a dropped file. What it leaves out stays.
type Answer struct {
	Sheet      int            `json:"sheet,omitempty"`
	Use        string         `json:"use,omitempty" enum:"yes,no,"`
	Layout     string         `json:"layout,omitempty" doc:"the name of a saved layout; - for none"`
	Delimiter  string         `json:"delimiter,omitempty" maxLength:"4"`
	Encoding   string         `json:"encoding,omitempty"`
	RecordedAt string         `json:"recorded_at,omitempty"`
	CountedAt  string         `json:"counted_at,omitempty"`
	Count      int64          `json:"count,omitempty"`
	Check      string         `json:"check,omitempty" doc:"what the answer is to, of the checks"`
	Value      string         `json:"value,omitempty" doc:"the option that is chosen"`
	Set        *layout.Layout `json:"set,omitempty" doc:"laid over what was settled about the sheet"`
	Stays      *[]int         `json:"stays,omitempty" maxItems:"1000" doc:"the rows of a revision whose earlier count stays, all of them"`
	Mends      []CellMend     `json:"mends,omitempty"`
	MendAlike  *MendAlike     `json:"mend_alike,omitempty"`
	Back       bool           `json:"back,omitempty" doc:"take the last answer back"`
}

// MendAlike puts all cells of a group of problems right that say the same.
type MendAlike struct {
	Kind  string `json:"kind"`
	Field string `json:"field"`
	Was   string `json:"was"`
	Is    string `json:"is"`
}

// Settle settles one thing about a dropped file and looks at it again.
func (d *Room) Settle(ctx context.Context, p desk.Person, id string, a Answer) (*Draft, error) {
	return d.change(ctx, p, id, func(dr *draft) error {
		if a.Back {
			if n := len(dr.history); n > 0 {
				dr.choices, dr.history = dr.history[n-1], dr.history[:n-1]
			}
			return nil
		}
		if a.Set != nil {
			if err := a.Set.Valid(); err != nil {
				return desk.Refuse("%s.", strings.TrimSuffix(desk.SentenceOf(err), "."))
			}
		}
		dr.remember()
		c := &dr.choices
		set := func(into *string, v string) bool {
			if v != "" {
				*into = v
			}
			return v != ""
		}
		if set(&c.Layout, a.Layout) {
			c.Sheets = nil
		}
		if set(&c.Delimiter, a.Delimiter) {
			c.Sheets = nil // other cells, other columns
		}
		set(&c.Encoding, a.Encoding)
		set(&c.RecordedAt, a.RecordedAt)
		set(&c.CountedAt, a.CountedAt)
		if a.Count != 0 {
			c.Count, c.Checks = a.Count, nil
		}
		if a.Check != "" {
			if err := c.answer(a.Sheet, a.Check, a.Value); err != nil {
				return err
			}
		}
		s := c.sheet(a.Sheet)
		set(&s.Use, a.Use)
		if a.Set != nil {
			s.Layout.Settle(a.Set)
		}
		if a.Stays != nil {
			s.Stays = *a.Stays
		}
		c.setSheet(a.Sheet, s)
		for _, m := range a.Mends {
			m.Sheet = a.Sheet
			c.mend(m)
		}
		if a.MendAlike != nil {
			return dr.mendAlike(a.Sheet, a.MendAlike)
		}
		return nil
	})
}

// mend adds a mended cell; a second mend of the same cell replaces the first.
func (c *Choices) mend(m CellMend) {
	mends := make([]CellMend, 0, len(c.Mends)+1)
	for _, x := range c.Mends {
		if x.Sheet == m.Sheet && x.Row == m.Row && x.Column == m.Column {
			m.Was = x.Was
			continue
		}
		mends = append(mends, x)
	}
	if m.Was != m.Is {
		mends = append(mends, m)
	}
	c.Mends = mends
}

// remember keeps what is settled now, to go back to.
func (dr *draft) remember() {
	if len(dr.history) == 100 {
		dr.history = dr.history[1:]
	}
	dr.history = append(dr.history, dr.choices)
}

func (d *Room) change(ctx context.Context, p desk.Person, id string, do func(dr *draft) error) (*Draft, error) {
	dr, let, err := d.hold(ctx, p, id)
	if err != nil {
		return nil, err
	}
	defer let()
	before := dr.choices
	if err := do(dr); err != nil {
		return nil, err
	}
	dr.used = d.Now()
	work, end := dr.working(ctx)
	defer end()
	seen, err := d.lookAgain(work, dr)
	if err != nil {
		dr.choices = before
	}
	return seen, err
}

// stale tells whether what a draft was held against has changed.
func (dr *draft) stale(d *Room) bool {
	for id, seen := range dr.counts {
		if seen != d.Version(id) {
			return true
		}
	}
	return dr.state != d.Version(0)
}

// countIDs are the counts that the draft belongs to.
func (dr *draft) countIDs() (ids []int64) {
	for _, pt := range dr.parts {
		if b := pt.back(); b != nil {
			for _, x := range b.all() {
				ids = append(ids, x.count.ID)
			}
		}
	}
	return ids
}

// Draft gives a dropped file as it was looked at last.
func (d *Room) Draft(ctx context.Context, p desk.Person, id string) (*Draft, error) {
	dr, let, err := d.hold(ctx, p, id)
	if err != nil {
		return nil, err
	}
	defer let()
	dr.used = d.Now()
	return dr.seen, nil
}

// Cancel ends the work that is under way with a dropped file. Nothing of it stays.
func (d *Room) Cancel(ctx context.Context, p desk.Person, id string) error {
	dr, err := d.open(ctx, p, id)
	if err != nil {
		return err
	}
	dr.stop()
	return nil
}

// Discard forgets a dropped file.
func (d *Room) Discard(ctx context.Context, p desk.Person, id string) error {
	if _, err := d.open(ctx, p, id); err != nil {
		return err
	}
	return d.drop(id)
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
