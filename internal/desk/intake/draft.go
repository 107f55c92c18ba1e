package intake

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"io"
	"os"
	"strconv"
	"sync"
	"sync/atomic"
	"time"

	"wobin/internal/core/layout"
	"wobin/internal/core/problem"
	"wobin/internal/core/read"
	"wobin/internal/core/recognise"
	"wobin/internal/core/tabular"
	"wobin/internal/desk"
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
		return desk.InWords(err)
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
