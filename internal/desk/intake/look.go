package intake

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"slices"
	"sort"
	"sync"
	"time"

	"wobin/internal/core/field"
	"wobin/internal/core/layout"
	"wobin/internal/core/problem"
	"wobin/internal/core/read"
	"wobin/internal/core/recognise"
	"wobin/internal/core/remedy"
	"wobin/internal/core/tabular"
	"wobin/internal/core/template"
	"wobin/internal/desk"
)

// listed is how many problems of a group are told one by one.
const listed = 100

// longestLook is how long a file may be looked at. What takes longer is no file that somebody waits for.
const longestLook = 15 * time.Minute

// looksAtOnce is how many files of one person are looked at at the same time. Others of theirs wait, and hold up nobody else.
const looksAtOnce = 2

// looks lets each person have so many files looked at at once.
type looks struct {
	mu sync.Mutex
	of map[int64]chan struct{}
}

// take waits for a turn of a person, and gives what ends it.
func (l *looks) take(ctx context.Context, person int64) (letGo func(), err error) {
	l.mu.Lock()
	if l.of == nil {
		l.of = map[int64]chan struct{}{}
	}
	turn := l.of[person]
	if turn == nil {
		turn = make(chan struct{}, looksAtOnce)
		l.of[person] = turn
	}
	l.mu.Unlock()
	select {
	case turn <- struct{}{}:
		return func() { <-turn }, nil
	case <-ctx.Done():
		return nil, ctx.Err()
	}
}

// look reads the file by the choices made and works out what taking it in would do.
func (d *Room) look(ctx context.Context, dr *draft) (*Draft, error) {
	ctx, end := context.WithTimeout(ctx, longestLook)
	defer end()
	letGo, err := d.looks.take(ctx, dr.person.ID)
	if err != nil {
		return nil, err
	}
	defer letGo()
	job := d.Begin(dr.person, "Reading "+dr.name, end).About(dr.id, 0)
	out, err := d.lookAt(ctx, dr, job)
	word := ""
	if err == nil {
		word = out.word()
	}
	job.End(word, err, false)
	if errors.Is(err, context.DeadlineExceeded) {
		err = desk.RefuseAs(desk.Ended, "", "%s takes longer than %s to read, so it was given up. Divide it.", dr.name, longestLook)
	}
	return out, err
}

func (d *Room) lookAt(ctx context.Context, dr *draft, job *desk.Running) (*Draft, error) {
	zone, err := desk.ZoneNamed(dr.choices.Zone)
	if err != nil {
		return nil, err
	}
	dr.parts, dr.state = nil, -1 // until it is looked at to the end, nothing of it can be taken in
	dr.forgetViews()
	saved, named, err := d.layoutsFor(ctx, &dr.choices)
	if err != nil {
		return nil, err
	}
	opt := tabular.Options{Encoding: tabular.Encoding(dr.choices.Encoding)}
	delimiter := dr.choices.Delimiter
	if named != nil {
		opt.Encoding = cmp.Or(opt.Encoding, tabular.Encoding(named.Encoding))
		delimiter = cmp.Or(delimiter, named.Delimiter)
	}
	if delimiter != "" {
		opt.Delimiter = delimiter[0]
	}
	out := &Draft{
		ID:        dr.id,
		Name:      dr.name,
		Size:      dr.size,
		Choices:   dr.choices,
		Sheets:    []SheetOfFile{},
		Assumed:   []string{},
		Encodings: []string{},
		Mended:    len(dr.choices.Mends),
		CanBack:   len(dr.history) > 0,
		Effect:    newEffect(),
		Problems:  []ProblemGroup{},
	}
	state, before := d.Version(0), d.Versions()
	var wrong *tabular.Error
	if dr.table, err = tabular.Open(dr.name, dr.file, dr.size, opt); errors.As(err, &wrong) {
		out.Wrong, out.Blocked = wrong.Error(), "This file cannot be read as a table."
		out.Problems = append(
			out.Problems,
			ProblemGroup{Kind: "cannot be read", Count: 1, List: []ProblemView{{Text: wrong.Error()}}, Remedies: []RemedyView{}},
		)
		dr.seen, dr.state = out, state
		return out, nil
	} else if err != nil {
		return nil, err
	}
	out.Form = string(dr.table.Kind)
	if dr.table.Kind == tabular.Text {
		out.Delimiter, out.Encoding = dr.table.Dialect.DelimiterName(), string(dr.table.Dialect.Encoding)
		for _, e := range tabular.Encodings() {
			out.Encodings = append(out.Encodings, string(e))
		}
	}
	rec, err := d.lend(ctx)
	if err != nil {
		return nil, err
	}
	if err := d.recogniseParts(dr, rec, saved, named); err != nil {
		return nil, err
	}
	if dr.hidden, err = d.hidden(ctx, dr.person); err != nil {
		return nil, err
	}
	reading := read.Reading{
		Zone:     zone,
		Context:  ctx,
		Progress: func(rows int, part float64) { job.Progress(int(part*1000), 1000, rows) },
		Halves:   true,
	}
	for _, kind := range field.Kinds {
		for _, pt := range dr.parts {
			if pt.view.Use && pt.mapping != nil && pt.mapping.Kind == kind {
				if dr.hidden && kind != field.Counts {
					pt.view.Blocked = "While a blind count runs you can take in counts only: this reads as a file of another kind."
					continue
				}
				if err := d.lookPart(ctx, dr, pt, reading, rec, out); err != nil {
					return nil, err
				}
			}
		}
	}
	for _, pt := range dr.parts {
		d.describe(dr, pt)
		out.add(pt)
	}
	if len(dr.parts) > 0 && !slices.ContainsFunc(dr.parts, func(pt *part) bool { return pt.view.Use }) && out.Blocked == "" {
		out.Blocked = "No sheet of this file is taken in."
	}
	dr.seen, dr.state = out, state
	dr.counts = map[int64]int64{}
	for _, id := range dr.countIDs() {
		dr.counts[id] = before[id]
	}
	return out, nil
}

func newEffect() Effect {
	return Effect{Places: []EffectPlace{}, Examples: []EffectExample{}, New: []string{}, Made: []Made{}}
}

// layoutsFor gives the saved layouts that a file may be known by, and the one that was chosen for it.
func (d *Room) layoutsFor(ctx context.Context, c *Choices) (saved []*layout.Layout, named *layout.Layout, err error) {
	if saved, err = d.savedLayouts(ctx); err != nil {
		return nil, nil, err
	}
	switch {
	case c.Base != nil:
		return nil, c.Base, nil
	case c.Layout == "":
		return saved, nil, nil
	case c.Layout == "-":
		return nil, nil, nil
	}
	for _, l := range saved {
		if l.Name == c.Layout {
			return saved, l, nil
		}
	}
	return nil, nil, desk.Refuse("There is no layout %q.", c.Layout)
}

// recogniseParts makes out what each sheet is, and which of them are taken in.
func (d *Room) recogniseParts(dr *draft, rec *records, saved []*layout.Layout, named *layout.Layout) error {
	taken, heads := map[field.Kind]string{}, map[field.Kind][]string{}
	if err := dr.recognised.begin(dr.file, rec.version, dr.name, &dr.choices, saved, named); err != nil {
		return err
	}
	for s, name := range dr.table.Sheets {
		choice := dr.choices.sheet(s)
		given := choice.Layout
		// The layout that was chosen is for the whole of a file of one sheet, and for its own sheet in a workbook.
		base := named
		if base != nil && len(dr.table.Sheets) > 1 && base.Sheet != name &&
			(dr.choices.Base == nil || slices.Contains(dr.table.Sheets, base.Sheet)) {
			base = nil
		}
		want := recognise.Want{
			Kinds:   []field.Kind{field.Stock, field.Counts, field.Movements, field.Items, field.Places},
			Layouts: saved,
			Known:   rec.known(),
		}
		if base != nil {
			given, want.Layouts = *given.Over(base), nil
		}
		want.Given = &given
		pt := &part{
			sheet: s,
			given: &given,
			named: nameOf(base),
			view: &SheetOfFile{
				Number:    s,
				Name:      name,
				Columns:   []DraftColumn{},
				Worked:    []WorkedColumn{},
				Fields:    []FieldChoice{},
				Questions: []Question{},
				Checks:    []Check{},
				Backs:     []*BackView{},
				Skipped:   []SkippedView{},
				Problems:  []ProblemGroup{},
				Values:    []ValueView{},
				Assumed:   []string{},
				Effect:    newEffect(),
			},
		}
		dr.parts = append(dr.parts, pt)
		m, err := dr.recognised.sheet(s, func() (*recognise.Mapping, error) { return recognise.Sheet(dr.table, s, want) })
		var wrong *tabular.Error
		if errors.As(err, &wrong) {
			pt.problems.Add(problem.Problem{File: wrong.File, Sheet: wrong.Sheet, Row: wrong.Row, Kind: "cannot be read", Text: wrong.Text})
			pt.view.WhyUse = "it cannot be read"
			if len(dr.table.Sheets) == 1 {
				pt.view.Use, pt.view.Blocked = true, "This file cannot be read as a table."
			}
			continue
		}
		if err != nil {
			return err
		}
		pt.mapping = m
		v := pt.view
		sound := len(m.Check(dr.name)) == 0 && (m.HeaderRow > 0 || m.NoHeader)
		switch {
		case choice.Use == "no":
			v.WhyUse = "left out by hand"
		case choice.Use == "yes" || choice.Layout.Kind != "":
			v.Use, v.WhyUse = true, "chosen by hand"
		case len(dr.table.Sheets) == 1:
			v.Use = true
		case dr.choices.Base != nil && base == nil:
			v.WhyUse = fmt.Sprintf("the layout takes the sheet %q", named.Sheet)
		case s < len(dr.table.Hidden) && dr.table.Hidden[s]:
			v.WhyUse = "the sheet is hidden in the workbook"
			if sound {
				v.WhyUse += fmt.Sprintf("; it reads as %s", m.Kind)
			}
		case !sound:
			v.WhyUse = "nothing in it reads as places, items, stock, movements or counts"
		case taken[m.Kind] != "":
			v.Use, v.WhyUse = true, fmt.Sprintf("it reads as %s like the sheet %q", m.Kind, taken[m.Kind])
			if !slices.Equal(heads[m.Kind], m.Heads()) {
				v.Blocked = fmt.Sprintf(
					"It reads as %s like the sheet %q, and has other columns. Say whether it is taken in too, or left out.",
					m.Kind,
					taken[m.Kind],
				)
			}
		default:
			v.Use, v.WhyUse = true, m.WhyKind
		}
		if v.Use && taken[m.Kind] == "" {
			taken[m.Kind], heads[m.Kind] = name, m.Heads()
		}
	}
	if len(dr.table.Sheets) > 1 && len(taken) == 0 { // show what is missing in the first one
		dr.parts[0].view.Use = dr.choices.sheet(0).Use != "no"
	}
	return nil
}

// recognised keeps what the sheets of a draft were recognised as, while nothing changes that it hangs on: a count that goes on beside it
// makes a draft be looked at again, but not be recognised again. A mapping is never changed once it is there.
type recognised struct {
	file    *os.File
	version int64
	settled string // the name of the file, the choices and the layouts, as JSON
	sheets  map[int]*recognise.Mapping
}

func (r *recognised) begin(file *os.File, version int64, of ...any) error {
	settled, err := json.Marshal(of)
	if err != nil {
		return err
	}
	if r.file != file || r.version != version || r.settled != string(settled) {
		*r = recognised{file, version, string(settled), map[int]*recognise.Mapping{}}
	}
	return nil
}

func (r *recognised) sheet(n int, of func() (*recognise.Mapping, error)) (*recognise.Mapping, error) {
	if m := r.sheets[n]; m != nil {
		return m, nil
	}
	m, err := of()
	if err == nil {
		r.sheets[n] = m
	}
	return m, err
}

func nameOf(l *layout.Layout) string {
	if l == nil {
		return ""
	}
	return l.Name
}

// lookPart reads one sheet and holds it against the records as they are after the sheets before it.
func (d *Room) lookPart(ctx context.Context, dr *draft, pt *part, r read.Reading, rec *records, out *Draft) error {
	m, v := pt.mapping, pt.view
	if missing := m.Check(dr.name); len(missing) > 0 {
		for _, p := range missing {
			pt.problems.Add(p)
		}
		v.Blocked = "A column that every " + string(m.Kind) + " file needs was not found. Say which one it is, or work it out from others."
		if missing[0].Kind == "formula" {
			v.Blocked = "A formula cannot be read. Put it right."
		}
		return nil
	}
	r.Known, r.Layout, r.Mends = rec.known(), pt.given, dr.choices.mends(pt.sheet)
	r.Example = template.ExampleFor(m.Kind, m.Fields())
	err := kinds[m.Kind].look(d, ctx, dr, pt, r, rec, out)
	var wrong *tabular.Error
	if errors.As(err, &wrong) {
		pt.problems.Add(problem.Problem{File: wrong.File, Sheet: wrong.Sheet, Row: wrong.Row, Kind: "cannot be read", Text: wrong.Text})
		v.Blocked, err = "This file cannot be read to its end, so nothing of it can be taken in.", nil
	}
	if err != nil {
		return err
	}
	v.askCut(&dr.choices, m.HeaderRow)
	for _, a := range pt.mapping.Asks {
		if !a.Optional && v.Blocked == "" {
			v.Blocked = "A question has to be answered first."
			if a.Column != "" {
				v.Blocked = "A question about column " + a.Column + " has to be answered first."
			}
		}
	}
	return nil
}

// packed tells of rows that were in packs.
func (v *SheetOfFile) packed(p read.Packed) {
	if p.Rows > 0 {
		v.Assumed = append(
			v.Assumed,
			fmt.Sprintf("%s in packs and turned into base units (%s).", desk.Plural(p.Rows, "row was", "rows were"), p.Example()),
		)
	}
}

// values tells what the records do not know, for the screen.
func (v *SheetOfFile) values(list []read.Value, kind field.Kind) {
	for _, x := range list {
		if len(v.Values) == 2000 {
			v.Assumed = append(v.Assumed, fmt.Sprintf("Of %d values that are not known the first 2,000 are listed.", len(list)))
			break
		}
		y := ValueView{
			Field:     x.Field,
			Text:      x.Text,
			Rows:      x.Rows,
			Row:       x.Row,
			Originals: []string{},
			Near:      []string{},
			Do:        x.Do,
			To:        x.To,
			Open:      x.Refused,
			MayBeNew:  kind == field.Stock || kind == field.Items || kind == field.Places,
		}
		for _, o := range x.Originals {
			y.Originals, y.Damage = append(y.Originals, o.Text), string(o.Damage)
		}
		y.Near = append(y.Near, x.Near...)
		v.Values = append(v.Values, y)
	}
}

// describe fills in what the screen shows of a sheet.
func (d *Room) describe(dr *draft, pt *part) {
	v, m := pt.view, pt.mapping
	groups := map[problem.Group]*ProblemGroup{}
	for g, n := range pt.problems.Groups {
		groups[g] = &ProblemGroup{Kind: g.Kind, Field: string(g.Field), Count: n, List: []ProblemView{}, Remedies: []RemedyView{}}
	}
	for _, p := range pt.problems.List {
		if g := groups[problem.Group{Kind: p.Kind, Field: p.Field}]; len(g.List) < listed {
			g.List = append(g.List, ProblemView{p.Row, p.Column, string(p.Field), p.Value, p.String(), p.Text})
		}
	}
	var values []read.Value
	if m != nil {
		values = pt.values()
	}
	for g, view := range groups {
		if m != nil {
			for _, r := range remedy.Of(m, &pt.problems, g, values) {
				view.Remedies = append(view.Remedies, RemedyView{r.Label, r.Before, r.After, r.Set})
			}
		}
		v.Problems = append(v.Problems, *view)
	}
	sort.Slice(v.Problems, func(i, j int) bool {
		a, b := &v.Problems[i], &v.Problems[j]
		if a.Count != b.Count {
			return a.Count > b.Count
		}
		return a.Kind+a.Field < b.Kind+b.Field
	})
	v.Effect.Refused = pt.problems.Rows
	if m == nil {
		return
	}
	v.Kind, v.WhyKind, v.HeaderRow, v.WhyHeader, v.Identity, v.Given = m.Kind, m.WhyKind, m.HeaderRow, m.WhyHeader, m.Identity,
		*m.Given(pt.given)
	v.Given.Filter = v.Given.Filtered()
	v.Given.Headers, v.HeaderRows, v.NamesRow = nil, m.HeaderRows, m.NamesRow
	switch {
	case m.Layout != nil:
		v.Layout = m.Layout.Name
	case pt.named != "":
		v.Layout = pt.named
	}
	v.Culprit, v.CulpritSpare = remedy.Culprit(m, &pt.problems)
	for _, c := range m.Columns {
		v.Columns = append(v.Columns, DraftColumn{tabular.ColumnName(c.Index), c.Header, c.Field, c.Why, m.Turns(c.Index)})
	}
	for i := range m.Worked {
		w := &m.Worked[i]
		c := w.Choice()
		v.Worked = append(v.Worked, WorkedColumn{w.Field, c.Formula, c.Fixed, w.Wrong})
	}
	for _, s := range field.Fields(m.Kind) {
		v.Fields = append(v.Fields, FieldChoice{s.Field, s.Title, s.Required, s.About, s.Form, field.Clears(m.Kind, s.Field)})
	}
	for _, a := range m.Asks {
		q := Question{What: a.What, Column: a.Column, Field: a.Field, Text: a.Text, Optional: a.Optional, Options: []QuestionOption{}}
		for _, o := range a.Options {
			q.Options = append(q.Options, QuestionOption{o.Label, m.Answer(&a, &o)})
		}
		v.Questions = append(v.Questions, q)
	}
	if n := pt.told.AsText; n > 0 {
		v.Assumed = append(v.Assumed, desk.Plural(n, "row has", "rows have")+` cells written as ="text"; they are read as that text.`)
	}
	above := 0
	for _, a := range pt.told.Skipped {
		v.Skipped = append(v.Skipped, SkippedView{a.Why, a.Words(), a.Rows})
		above += a.N
	}
	v.Shown = v.Rows + above + m.HeaderRow
}

func (pt *part) values() []read.Value {
	if pt.content == nil {
		return nil
	}
	return pt.content.unknown()
}

// add sums a sheet up into the whole.
func (out *Draft) add(pt *part) {
	v := pt.view
	out.Sheets = append(out.Sheets, *v)
	if !v.Use {
		return
	}
	if out.Kind == "" || v.Kind == field.Stock {
		out.Kind = v.Kind
	}
	out.Rows += v.Rows
	e, x := &out.Effect, &v.Effect
	e.Added, e.Changed, e.Unchanged, e.Gone, e.Refused, e.Left = e.Added+x.Added, e.Changed+x.Changed, e.Unchanged+x.Unchanged,
		e.Gone+x.Gone, e.Refused+x.Refused, e.Left+x.Left
	e.Tray += x.Tray
	e.Recorded, e.Doubt = e.Recorded+x.Recorded, e.Doubt+x.Doubt
	e.Places, e.Examples, e.New = append(e.Places, x.Places...), append(e.Examples, x.Examples...), append(e.New, x.New...)
	e.Made = append(e.Made, x.Made...)
	e.changes = append(e.changes, x.changes...)
	e.goneMoney, e.goneUnvalued = e.goneMoney+x.goneMoney, e.goneUnvalued+x.goneUnvalued
	e.tellGone()
	out.Problems = append(out.Problems, v.Problems...)
	out.Assumed = append(out.Assumed, v.Assumed...)
	if out.Back == nil && len(v.Backs) > 0 {
		out.Back = v.Backs[0]
	}
	if v.Blocked != "" && out.Blocked == "" {
		out.Blocked = v.Blocked
		if len(out.Sheets) > 1 || pt.sheet > 0 {
			out.Blocked = "Sheet " + v.Name + ": " + v.Blocked
		}
	}
	out.Taking += max(v.Rows-x.Refused-x.Left, 0)
}
