// Package intake takes files in: a dropped file is a draft that is looked at, settled by answers and mended cells, and then taken
// in as a whole, or undone as a whole. A file of counts is a draft like every other and comes to entries of its count.
package intake

import (
	"context"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"gorm.io/gorm"

	"wobin/internal/core/field"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/store"
)

// Room is the use cases of files that come in.
type Room struct {
	*desk.Desk
	drafts drafts
	kept   keptRecords
	looks  looks
}

// New makes the room.
func New(d *desk.Desk) *Room {
	r := &Room{Desk: d}
	d.OnRenewal(func(context.Context) error {
		r.drafts.clear()
		r.kept.mu.Lock()
		defer r.kept.mu.Unlock()
		r.kept.rec = nil
		return nil
	})
	return r
}

// taking is what a take-in asks for, beside its key.
type taking struct {
	Draft    string
	LeaveOut int
}

// TakeIn takes a dropped file in: all of it or nothing. leaveOut must be the number of refused rows where there
// are any. key makes a repeat harmless: it is answered with the first result. It goes on when whoever asked is gone;
// Cancel ends it.
func (d *Room) TakeIn(ctx context.Context, p desk.Person, id, key string, leaveOut int) (out count.TakenIn, err error) {
	// The first answer stands in the records, so a repeat is answered when the draft is long gone.
	once := desk.Key{Text: key, Body: taking{id, leaveOut}}
	if used, err := d.Answered(ctx, p, []desk.Act{desk.TakeIn, desk.Enter}, once, &out); used || err != nil {
		return out, err
	}
	return d.takeIn(ctx, p, id, once, leaveOut)
}

// takeIn takes a draft in, once.
func (d *Room) takeIn(ctx context.Context, p desk.Person, id string, once desk.Key, leaveOut int) (out count.TakenIn, err error) {
	dr, let, err := d.hold(ctx, p, id)
	if err != nil {
		return count.TakenIn{}, err
	}
	defer let()
	work, end := dr.working(context.WithoutCancel(ctx))
	defer end()
	if !dr.passing {
		dr.job = d.Begin(p, "Taking in "+dr.name, dr.stop).About(dr.id, 0)
		defer func() { dr.job.End(lastWord(&out), err, true); dr.job = nil }()
	}
	before := dr.seen.comesTo()
	if dr.stale(d) { // beside those that take something in meanwhile, as far as that goes
		if _, err = d.look(work, dr); err != nil {
			return count.TakenIn{}, err
		}
	}
	defer d.Alone()()
	seen := dr.seen
	if dr.stale(d) { // what it was held against has changed once more
		if seen, err = d.look(work, dr); err != nil {
			return count.TakenIn{}, err
		}
	}
	if seen.comesTo() != before {
		return count.TakenIn{}, desk.RefuseAs(
			desk.Changed,
			"",
			"Meanwhile the records have changed, and with them what this file comes to. Look at it again, and then take it in.",
		)
	}
	parts, counts := dr.inOrder(), 0
	for _, pt := range parts {
		if pt.back() != nil {
			counts++
		}
	}
	act := desk.TakeIn
	if counts > 0 && counts == len(parts) {
		act = desk.Enter
	}
	if err := desk.Allow(p, act); err != nil {
		return count.TakenIn{}, err
	}
	switch {
	case seen.Blocked != "":
		return count.TakenIn{}, desk.Refuse("%s", seen.Blocked)
	case seen.Effect.Refused != leaveOut:
		return count.TakenIn{}, desk.RefuseAs(
			desk.Asks,
			"leave_out",
			"%d rows have a problem. Mend them, or say that these %d rows are to be left out.",
			seen.Effect.Refused,
			seen.Effect.Refused,
		)
	case counts > 1 || counts == 1 && len(parts) > 1:
		return count.TakenIn{}, desk.Refuse(
			"Counts are taken in by themselves. Leave the other sheets of this file out, take the counts in, and then drop the file again.",
		)
	}
	if counts == 1 {
		out, err = d.takeBack(work, p, dr, parts[0], once)
	} else {
		out, err = d.takeParts(work, p, dr, once)
	}
	if err != nil {
		dr.state = -1 // it is looked at anew before another try
		if work.Err() != nil && ctx.Err() == nil {
			return out, desk.RefuseAs(desk.Ended, "", "It was cancelled. Nothing of it was taken in.")
		}
		var changed *desk.Refusal
		if errors.As(err, &changed) && changed.Kind == desk.Changed {
			_, _ = d.look(work, dr) // so that what is looked at again is what stands
		}
		return out, desk.InWords(err)
	}
	_ = d.drop(id) // it is out of the records already
	d.Behind(func() { _ = d.Store.PruneSets(context.WithoutCancel(ctx)) })
	return out, nil
}

// lastWord says what taking a file in came to.
func lastWord(out *count.TakenIn) string {
	var parts []string
	for _, x := range []struct {
		n    int
		what string
	}{{out.Added, "new"}, {out.Changed, "changed"}, {out.Unchanged, "unchanged"}, {out.Gone, "gone"}, {out.Refused, "refused"}} {
		parts = append(parts, desk.Plural(x.n, x.what, x.what))
	}
	return strings.Join(parts, ", ") + "."
}

// comesTo is what a person saw that taking a draft in does.
func (out *Draft) comesTo() outcome {
	e := &out.Effect
	n := [9]int{e.Added, e.Changed, e.Unchanged, e.Gone, e.Refused, e.Left, len(out.Blocked)}
	for i := range out.Sheets {
		for _, b := range out.Sheets[i].Backs {
			n[7], n[8] = n[7]+b.Missing, n[8]+b.Again
		}
	}
	return outcome{n, sha256.Sum256(e.changes)}
}

// outcome is how many lines of each sort, and what changes of items are.
type outcome struct {
	lines   [9]int
	changes [sha256.Size]byte
}

// IntakeView is one intake on the time line.
type IntakeView struct {
	ID         int64        `json:"id"`
	Kind       string       `json:"kind" doc:"kinds of its sheets, with commas"`
	State      string       `json:"state" enum:"taken in,undone"`
	File       string       `json:"file"`
	Sha        string       `json:"sha"`
	Person     string       `json:"person"`
	At         time.Time    `json:"at"`
	RecordedAt *time.Time   `json:"recorded_at"`
	Added      int          `json:"added"`
	Changed    int          `json:"changed"`
	Unchanged  int          `json:"unchanged"`
	Gone       int          `json:"gone"`
	Refused    int          `json:"refused"`
	UndoneBy   string       `json:"undone_by"`
	UndoneAt   *time.Time   `json:"undone_at"`
	Blocked    string       `json:"blocked" doc:"why it cannot be undone; empty where it can"`
	Undoing    string       `json:"undoing" doc:"what undoing puts back"`
	Warning    string       `json:"warning" doc:"what else undoing touches, which has to be agreed to; empty where nothing"`
	Parts      []IntakePart `json:"parts" doc:"what each sheet came to"`
	Hidden     bool         `json:"hidden" doc:"while a blind count runs whoever asks must not learn what it came to"`
}

// Intakes lists the latest intakes, newest first.
func (d *Room) Intakes(ctx context.Context, p desk.Person) ([]IntakeView, error) {
	if err := desk.Allow(p, desk.Look); err != nil {
		return nil, err
	}
	var rows []store.Intake
	if err := d.Store.Read(ctx).Order("id DESC").Limit(100).Find(&rows).Error; err != nil {
		return nil, err
	}
	// The sum of a file and how many lines it changed hang on what is recorded.
	hidden := desk.UnlessBlind(d.Store.Read(ctx), p, 0, "see what intakes changed")
	if hidden != nil && !errors.Is(hidden, desk.ErrMayNot) {
		return nil, hidden
	}
	out := make([]IntakeView, len(rows))
	for i, r := range rows {
		if hidden != nil {
			out[i] = IntakeView{
				ID:         r.ID,
				Kind:       r.Kind,
				Parts:      []IntakePart{},
				State:      r.State,
				File:       r.FileName,
				Person:     r.Person,
				At:         desk.Instant(r.At),
				RecordedAt: recordedAt(&r),
				UndoneBy:   r.UndoneBy,
				UndoneAt:   desk.Moment(r.UndoneAt),
				Blocked:    hidden.Error(),
				Hidden:     true,
			}
			continue
		}
		v := IntakeView{
			ID:         r.ID,
			Kind:       r.Kind,
			Parts:      []IntakePart{},
			State:      r.State,
			File:       r.FileName,
			Sha:        r.FileSha,
			Person:     r.Person,
			At:         desk.Instant(r.At),
			RecordedAt: recordedAt(&r),
			Added:      r.Added,
			Changed:    r.Changed,
			Unchanged:  r.Unchanged,
			Gone:       r.Gone,
			Refused:    r.Refused,
			UndoneBy:   r.UndoneBy,
			UndoneAt:   desk.Moment(r.UndoneAt),
		}
		if r.Parts != "" {
			if err := json.Unmarshal([]byte(r.Parts), &v.Parts); err != nil {
				return nil, err
			}
		}
		var err error
		tx := d.Store.Read(ctx)
		if v.Blocked, v.Undoing, err = d.undoable(tx, &r); err != nil {
			return nil, err
		}
		if v.Blocked == "" {
			if v.Warning, err = undoWarning(tx, &r); err != nil {
				return nil, err
			}
		}
		out[i] = v
	}
	return out, nil
}

// undoable tells what stands in the way of undoing an intake, and what undoing would put back.
func (d *Room) undoable(tx *gorm.DB, r *store.Intake) (blocked, undoing string, err error) {
	if r.State != store.Taken {
		return "It was undone already.", "", nil
	}
	var later []store.Intake
	var puts []string
	for name := range strings.SplitSeq(r.Kind, ", ") {
		stands := kinds[field.Kind(name)].standing
		if stands == nil {
			continue
		}
		is, err := stands(tx, r)
		if err != nil || is.blocked != "" {
			return is.blocked, "", err
		}
		puts = append(puts, is.puts)
		for _, x := range is.later {
			if !slices.ContainsFunc(later, func(y store.Intake) bool { return y.ID == x.ID }) {
				later = append(later, x)
			}
		}
	}
	if strings.Contains(r.Kind, ", ") { // the figures of its sheets are told one by one
		var parts []IntakePart
		if err := json.Unmarshal([]byte(r.Parts), &parts); err != nil {
			return "", "", err
		}
		puts = nil
		for _, p := range parts {
			puts = append(puts, fmt.Sprintf("%s: %s", p.Kind, undoes("row", "rows", p.Added, p.Changed, p.Gone)))
		}
	}
	undoing = strings.Join(puts, "; ")
	if len(later) > 0 {
		names := ""
		for i, l := range later {
			if i > 0 {
				names += ", "
			}
			names += fmt.Sprintf("%s (number %d)", l.FileName, l.ID)
		}
		return "Later intakes stand on it: " + names + ". Undo them first.", "", nil
	}
	return "", undoing, nil
}

// undoes says what undoing puts back.
func undoes(one, many string, added, changed, gone int) string {
	var parts []string
	if changed > 0 {
		parts = append(parts, "puts "+desk.Plural(changed, "changed "+one, "changed "+many)+" back")
	}
	if added > 0 {
		parts = append(parts, "takes "+desk.Plural(added, "new "+one, "new "+many)+" away")
	}
	if gone > 0 {
		parts = append(parts, "brings "+desk.Plural(gone, one+" that went", many+" that went")+" back")
	}
	if len(parts) == 0 {
		return "changes no " + one + ", as the intake changed none"
	}
	if last := len(parts) - 1; last > 0 {
		return strings.Join(parts[:last], ", ") + " and " + parts[last]
	}
	return parts[0]
}

// undoWarning tells what undoing an intake touches beside the records themselves: a count that runs on its stock.
func undoWarning(tx *gorm.DB, r *store.Intake) (string, error) {
	var names []string
	err := tx.Raw("SELECT DISTINCT c.name FROM counts c JOIN stock_sets s ON s.id = c.set_id WHERE s.intake_id = ? AND c.state = ? ORDER BY c.id", r.ID, store.Running).
		Scan(&names).
		Error
	if err != nil || len(names) == 0 {
		return "", err
	}
	return fmt.Sprintf(
		"%s: %s. The frozen lines stay as they are, but what is recorded will be what was before.",
		map[bool]string{true: "A running count was frozen from it", false: "Running counts were frozen from it"}[len(names) == 1],
		strings.Join(names, ", "),
	), nil
}

// recordedAt is when the stock of an intake was recorded; none where it has no stock.
func recordedAt(r *store.Intake) *time.Time {
	if !strings.Contains(r.Kind, string(field.Stock)) {
		return nil
	}
	t := desk.Instant(r.RecordedAt)
	return &t
}

// Undo takes an intake back, as a whole. sure: what else it touches was agreed to.
func (d *Room) Undo(ctx context.Context, p desk.Person, id int64, sure bool) error {
	if err := desk.Allow(p, desk.TakeIn); err != nil {
		return err
	}
	defer d.Alone()()
	check := func(tx *gorm.DB) (*store.Intake, error) {
		var r store.Intake
		if err := tx.Limit(1).Find(&r, id).Error; err != nil {
			return nil, err
		}
		if r.ID == 0 {
			return nil, desk.Missing("The intake")
		}
		blocked, _, err := d.undoable(tx, &r)
		if err != nil {
			return nil, err
		}
		if blocked != "" {
			return nil, desk.Refuse("%s", blocked)
		}
		warning, err := undoWarning(tx, &r)
		if err == nil && warning != "" && !sure {
			err = desk.RefuseAs(desk.Asks, "sure", "%s Say that this is meant.", warning)
		}
		return &r, err
	}
	if _, err := check(d.Store.Read(ctx)); err != nil { // before a backup is made for it
		return err
	}
	if _, err := d.Store.Backup(ctx, "before-undo"); err != nil {
		return desk.InWords(err)
	}
	_, err := desk.Do(ctx, d.Desk, p, desk.TakeIn, desk.Key{}, func(w *desk.Work) (none struct{}, err error) {
		r, err := check(w.Tx)
		if err != nil {
			return none, err
		}
		w.Records()
		for _, k := range slices.Backward(field.Kinds) { // what others build on last: nothing uses it then
			if undo := kinds[k].undo; undo != nil {
				if err := undo(w, r.ID); err != nil {
					return none, err
				}
			}
		}
		if err := w.Model(r).Updates(map[string]any{"state": store.Undone, "undone_at": w.Now, "undone_by": p.Name}).Error; err != nil {
			return none, err
		}
		return none, w.Say("intake undone", map[string]any{"intake": r.ID, "file": r.FileName, "sha256": r.FileSha})
	})
	return err
}
