package desk

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"io"
	"os"
	"sort"
	"sync"
	"time"

	"wobin/internal/core/layout"
	"wobin/internal/core/tabular"
)

// maxUpload is the largest file that is taken.
const maxUpload = 4 << 30

// draft is a file that was dropped and is being looked at. Nothing of it stands in the records.
type draft struct {
	mu      sync.Mutex
	id      string
	person  Person
	name    string
	file    *os.File
	size    int64
	sha     string // of the bytes
	used    time.Time
	choices Choices
	columns map[int]layout.Field // by hand

	table    *tabular.File
	mapping  *layout.Mapping
	problems layout.Problems
	// what was read, one of them by kind
	stock *stockDraft
	items *itemsDraft
	moves *movesDraft
	back  *backDraft
	seen  *Draft
	state int64 // of the records when it was looked at
}

// drafts are kept in memory; one that nobody looked at for an hour goes.
type drafts struct {
	mu   sync.Mutex
	byID map[string]*draft
}

func (ds *drafts) get(p Person, id string) (*draft, error) {
	ds.mu.Lock()
	defer ds.mu.Unlock()
	d := ds.byID[id]
	if d == nil || d.person.ID != p.ID {
		return nil, missing("This upload")
	}
	return d, nil
}

func (ds *drafts) add(d *draft) {
	ds.mu.Lock()
	defer ds.mu.Unlock()
	for id, old := range ds.byID {
		if d.used.Sub(old.used) > time.Hour {
			old.discard()
			delete(ds.byID, id)
		}
	}
	ds.byID[d.id] = d
}

func (ds *drafts) drop(id string) {
	ds.mu.Lock()
	defer ds.mu.Unlock()
	if d := ds.byID[id]; d != nil {
		d.discard()
		delete(ds.byID, id)
	}
}

func (d *draft) discard() {
	d.file.Close()
	os.Remove(d.file.Name())
}

// Choices are what the person settled about a file; zero values are found out or asked for.
type Choices struct {
	Kind       layout.Kind       `json:"kind,omitempty" enum:"stock,items,movements,counts," doc:"what the file is about"`
	Sheet      *int              `json:"sheet,omitempty" doc:"which sheet of a workbook, from 0"`
	Delimiter  string            `json:"delimiter,omitempty" maxLength:"1"`
	Encoding   string            `json:"encoding,omitempty"`
	Columns    map[string]string `json:"columns,omitempty" doc:"column letter to field; an empty field passes the column over"`
	Zone       string            `json:"zone,omitempty" doc:"IANA name of the zone of times without an offset"`
	RecordedAt string            `json:"recorded_at,omitempty" doc:"when the stock was recorded, where the file does not say"`
	CountedAt  string            `json:"counted_at,omitempty" doc:"when it was counted, where neither rows nor head say"`
	Only       bool              `json:"only,omitempty" doc:"only the lines in the file; else it is the whole stock of its warehouses"`
	AddUp      bool              `json:"add_up,omitempty" doc:"sum rows of the same key"`
	Count      int64             `json:"count,omitempty" doc:"the count that counts without row codes belong to"`
}

// DraftColumn is one column of the file and what it was taken for.
type DraftColumn struct {
	Letter string       `json:"letter"`
	Header string       `json:"header"`
	Field  layout.Field `json:"field"`
	Why    string       `json:"why"`
}

// DraftRow is a row of the file as it is.
type DraftRow struct {
	Row   int      `json:"row"`
	Cells []string `json:"cells"`
	Bad   bool     `json:"bad"`
}

// FieldChoice is a field that a column can be taken for.
type FieldChoice struct {
	Field    layout.Field `json:"field"`
	Title    string       `json:"title"`
	Required bool         `json:"required"`
	About    string       `json:"about"`
}

// ProblemView is one problem with its place.
type ProblemView struct {
	Row    int    `json:"row"`
	Column string `json:"column"`
	Field  string `json:"field"`
	Value  string `json:"value"`
	Text   string `json:"text" doc:"the whole message, with file, sheet and row"`
}

// ProblemGroup is all problems of one kind.
type ProblemGroup struct {
	Kind  string        `json:"kind"`
	Field string        `json:"field"`
	Count int           `json:"count"`
	List  []ProblemView `json:"list" doc:"up to a thousand of them"`
}

// Effect is what taking the file in would do.
type Effect struct {
	Added     int             `json:"added"`
	Changed   int             `json:"changed"`
	Unchanged int             `json:"unchanged"`
	Gone      int             `json:"gone" doc:"recorded before and not in the file"`
	Refused   int             `json:"refused" doc:"rows with a problem"`
	Places    []EffectPlace   `json:"places"`
	Examples  []EffectExample `json:"examples"`
	New       []string        `json:"new" doc:"what will be made: warehouses, bins, items"`
}

// EffectPlace is the effect on one warehouse.
type EffectPlace struct {
	Warehouse string `json:"warehouse"`
	Added     int    `json:"added"`
	Changed   int    `json:"changed"`
	Unchanged int    `json:"unchanged"`
	Gone      int    `json:"gone"`
}

// EffectExample is one line before and after.
type EffectExample struct {
	What   string `json:"what" enum:"added,changed,gone"`
	Line   string `json:"line"`
	Before string `json:"before"`
	After  string `json:"after"`
}

// Draft is what was made of a dropped file.
type Draft struct {
	ID        string         `json:"id"`
	Name      string         `json:"name"`
	Size      int64          `json:"size"`
	Kind      layout.Kind    `json:"kind"`
	Form      string         `json:"form" doc:"delimited text or workbook"`
	Delimiter string         `json:"delimiter"`
	Encoding  string         `json:"encoding"`
	Sheets    []string       `json:"sheets"`
	Sheet     int            `json:"sheet"`
	HeaderRow int            `json:"header_row"`
	Columns   []DraftColumn  `json:"columns"`
	Fields    []FieldChoice  `json:"fields"`
	Rows      int            `json:"rows"`
	Top       []DraftRow     `json:"top" doc:"the first rows as they are"`
	Effect    Effect         `json:"effect"`
	Problems  []ProblemGroup `json:"problems"`
	Blocked   string         `json:"blocked" doc:"why nothing can be taken in yet; empty where it can"`
	Asks      string         `json:"asks" doc:"what has to be answered first: recorded_at, counted_at, count"`
	Assumed   []string       `json:"assumed" doc:"what was taken for granted, a sentence each"`
	Choices   Choices        `json:"choices"`
	Back      *BackView      `json:"back,omitempty"`
}

const topRows = 60

// Upload takes a file's bytes aside and looks at it. Nothing is stored.
func (d *Desk) Upload(ctx context.Context, p Person, name string, body io.Reader, choices Choices) (*Draft, error) {
	if err := allow(p, Enter); err != nil {
		return nil, err
	}
	f, err := d.store.Incoming()
	if err != nil {
		return nil, err
	}
	body = io.LimitReader(body, maxUpload+1)
	head := make([]byte, tabular.HeadSize)
	n, err := io.ReadFull(body, head)
	if errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) {
		err = nil
	}
	sum := sha256.New()
	size, to := int64(n), io.MultiWriter(f, sum)
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
		err = refuse("%s is larger than %d GB. Divide it.", name, maxUpload>>30)
	}
	if err != nil {
		f.Close()
		os.Remove(f.Name())
		return nil, err
	}
	id := make([]byte, 12)
	if _, err := rand.Read(id); err != nil {
		return nil, err
	}
	dr := &draft{id: hex.EncodeToString(id), person: p, name: name, file: f, size: size, sha: hex.EncodeToString(sum.Sum(nil)), used: d.now(), choices: choices}
	seen, err := d.look(ctx, dr)
	if err != nil {
		dr.discard()
		return nil, err
	}
	d.drafts.add(dr)
	return seen, nil
}

// Choose settles something about a dropped file and looks at it again.
func (d *Desk) Choose(ctx context.Context, p Person, id string, choices Choices) (*Draft, error) {
	dr, err := d.drafts.get(p, id)
	if err != nil {
		return nil, err
	}
	dr.mu.Lock()
	defer dr.mu.Unlock()
	dr.choices, dr.used = choices, d.now()
	return d.look(ctx, dr)
}

// Draft gives a dropped file as it was looked at last.
func (d *Desk) Draft(p Person, id string) (*Draft, error) {
	dr, err := d.drafts.get(p, id)
	if err != nil {
		return nil, err
	}
	dr.mu.Lock()
	defer dr.mu.Unlock()
	return dr.seen, nil
}

// Discard forgets a dropped file.
func (d *Desk) Discard(p Person, id string) error {
	if _, err := d.drafts.get(p, id); err != nil {
		return err
	}
	d.drafts.drop(id)
	return nil
}

func (c *Choices) zone() (*time.Location, error) {
	if c.Zone == "" {
		return time.Local, nil
	}
	z, err := time.LoadLocation(c.Zone)
	if err != nil {
		return nil, refuse("%q is not the name of a zone such as Europe/Berlin.", c.Zone)
	}
	return z, nil
}

// look reads the file by the choices made and works out what taking it in would do.
func (d *Desk) look(ctx context.Context, dr *draft) (*Draft, error) {
	zone, err := dr.choices.zone()
	if err != nil {
		return nil, err
	}
	dr.problems = layout.Problems{}
	dr.stock, dr.items, dr.moves, dr.back = nil, nil, nil, nil
	opt := tabular.Options{Encoding: tabular.Encoding(dr.choices.Encoding)}
	if dr.choices.Delimiter != "" {
		opt.Delimiter = dr.choices.Delimiter[0]
	}
	out := &Draft{ID: dr.id, Name: dr.name, Size: dr.size, Choices: dr.choices, Sheets: []string{}, Columns: []DraftColumn{}, Fields: []FieldChoice{},
		Top: []DraftRow{}, Problems: []ProblemGroup{}, Assumed: []string{}, Effect: Effect{Places: []EffectPlace{}, Examples: []EffectExample{}, New: []string{}}}
	dr.seen, dr.state = out, d.changes.Load()
	if dr.table, err = tabular.Open(dr.name, dr.file, dr.size, opt); err == nil {
		kinds := []layout.Kind{layout.Stock, layout.Counts, layout.Movements, layout.Items}
		if dr.choices.Kind != "" {
			kinds = []layout.Kind{dr.choices.Kind}
		}
		if s := dr.choices.Sheet; s != nil {
			dr.mapping, err = layout.RecogniseSheet(dr.table, *s, kinds...)
		} else {
			dr.mapping, err = layout.Recognise(dr.table, kinds...)
		}
	}
	var wrong *tabular.Error
	if errors.As(err, &wrong) {
		dr.problems.Add(layout.Problem{File: wrong.File, Sheet: wrong.Sheet, Row: wrong.Row, Kind: "cannot be read", Text: wrong.Text})
		out.Blocked = "This file cannot be read as a table."
		d.describe(dr, out)
		return out, nil
	}
	if err != nil {
		return nil, err
	}
	m := dr.mapping
	for letter, field := range dr.choices.Columns {
		for i := range m.Columns {
			if tabular.ColumnName(i) == letter {
				m.Set(i, layout.Field(field))
			}
		}
	}
	out.Kind = m.Kind
	if missing := m.Check(dr.name); len(missing) > 0 {
		for _, p := range missing {
			dr.problems.Add(p)
		}
		out.Blocked = "A column that every " + string(m.Kind) + " file needs was not found. Say which one it is."
		d.describe(dr, out)
		return out, nil
	}
	r := layout.Reading{Zone: zone, Context: ctx, Progress: func(rows int, part float64) {
		d.Events.Tell(Event{What: "progress", Draft: dr.id, Text: "Reading " + dr.name, Done: int(part * 1000), Of: 1000})
	}}
	switch m.Kind {
	case layout.Stock:
		err = d.lookStock(ctx, dr, r, out)
	case layout.Items:
		err = d.lookItems(ctx, dr, r, out)
	case layout.Movements:
		err = d.lookMovements(ctx, dr, r, out)
	case layout.Counts:
		err = d.lookBack(ctx, dr, r, out)
	}
	if errors.As(err, &wrong) {
		dr.problems.Add(layout.Problem{File: wrong.File, Sheet: wrong.Sheet, Row: wrong.Row, Kind: "cannot be read", Text: wrong.Text})
		out.Blocked, err = "This file cannot be read to its end, so nothing of it can be taken in.", nil
	}
	out.Effect.Refused = dr.problems.Rows
	d.describe(dr, out)
	return out, err
}

// describe tells what was taken for granted about the file's form, shows its first rows and its problems.
func (d *Desk) describe(dr *draft, out *Draft) {
	bad := map[int]bool{}
	groups := map[layout.Group]*ProblemGroup{}
	for g, n := range dr.problems.Groups {
		groups[g] = &ProblemGroup{Kind: g.Kind, Field: string(g.Field), Count: n, List: []ProblemView{}}
	}
	for _, p := range dr.problems.List {
		bad[p.Row] = true
		if g := groups[layout.Group{Kind: p.Kind, Field: p.Field}]; len(g.List) < 1000 {
			g.List = append(g.List, ProblemView{p.Row, p.Column, string(p.Field), p.Value, p.String()})
		}
	}
	for _, g := range groups {
		out.Problems = append(out.Problems, *g)
	}
	sort.Slice(out.Problems, func(i, j int) bool {
		a, b := &out.Problems[i], &out.Problems[j]
		if a.Count != b.Count {
			return a.Count > b.Count
		}
		return a.Kind+a.Field < b.Kind+b.Field
	})
	if dr.table == nil {
		return
	}
	out.Form, out.Sheets = string(dr.table.Kind), dr.table.Sheets
	if dr.table.Kind == tabular.Text {
		out.Delimiter, out.Encoding = dr.table.Dialect.DelimiterName(), string(dr.table.Dialect.Encoding)
	}
	if dr.mapping == nil {
		return
	}
	out.Sheet, out.HeaderRow = dr.mapping.Sheet, dr.mapping.HeaderRow
	for _, c := range dr.mapping.Columns {
		out.Columns = append(out.Columns, DraftColumn{tabular.ColumnName(c.Index), c.Header, c.Field, c.Why})
	}
	for _, s := range layout.Fields(dr.mapping.Kind) {
		out.Fields = append(out.Fields, FieldChoice{s.Field, s.Title, s.Required, s.About})
	}
	rows, err := dr.table.Rows(dr.mapping.Sheet)
	if err != nil {
		return
	}
	defer rows.Close()
	for len(out.Top) < topRows {
		n, cells, ok := rows.Next()
		if !ok {
			break
		}
		row := DraftRow{Row: n, Cells: make([]string, len(cells)), Bad: bad[n]}
		for i, c := range cells {
			row.Cells[i] = string(c)
		}
		out.Top = append(out.Top, row)
	}
}

// TakenIn is the last word on an intake.
type TakenIn struct {
	Intake    int64       `json:"intake"`
	Return    int64       `json:"return"`
	Count     int64       `json:"count"`
	Kind      layout.Kind `json:"kind"`
	Added     int         `json:"added"`
	Changed   int         `json:"changed"`
	Unchanged int         `json:"unchanged"`
	Gone      int         `json:"gone"`
	Refused   int         `json:"refused"`
}

// TakeIn takes a dropped file in: all of it or nothing. leaveOut must be the number of refused rows where there
// are any. key makes a repeat harmless: it is answered with the first result.
func (d *Desk) TakeIn(ctx context.Context, p Person, id, key string, leaveOut int) (TakenIn, error) {
	// The first answer stands in the records, so a repeat is answered when the draft is long gone.
	if before, found, err := d.answered(ctx, key); found || err != nil {
		return before, err
	}
	dr, err := d.drafts.get(p, id)
	if err != nil {
		return TakenIn{}, err
	}
	dr.mu.Lock()
	defer dr.mu.Unlock()
	kind := dr.seen.Kind
	act := TakeIn
	if kind == layout.Counts {
		act = Enter
	}
	if err := allow(p, act); err != nil {
		return TakenIn{}, err
	}
	d.intakes.Lock()
	defer d.intakes.Unlock()
	seen := dr.seen
	if dr.state != d.changes.Load() { // the records have changed since it was looked at
		var err error
		if seen, err = d.look(ctx, dr); err != nil {
			return TakenIn{}, err
		}
	}
	switch {
	case seen.Blocked != "":
		return TakenIn{}, refuse("%s", seen.Blocked)
	case seen.Effect.Refused != leaveOut:
		return TakenIn{}, refuse("%d rows have a problem. Mend them, or say that these %d rows are to be left out.", seen.Effect.Refused, seen.Effect.Refused)
	}
	var out TakenIn
	switch kind {
	case layout.Stock:
		out, err = d.takeStock(ctx, p, dr, key)
	case layout.Items:
		out, err = d.takeItems(ctx, p, dr, key)
	case layout.Movements:
		out, err = d.takeMovements(ctx, p, dr, key)
	case layout.Counts:
		out, err = d.takeBack(ctx, p, dr, key)
	}
	if err != nil {
		return out, err
	}
	d.changes.Add(1)
	d.drafts.drop(id)
	d.Events.Tell(Event{What: "recorded"})
	if out.Count != 0 {
		d.Events.Tell(Event{What: "count", Count: out.Count})
	}
	return out, nil
}
