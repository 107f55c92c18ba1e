package variances

import (
	"context"
	"strings"
	"unicode"

	"wobin/internal/core/quantity"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/store"
)

// ReasonView is a reason code.
type ReasonView struct {
	Code    string `json:"code"`
	Name    string `json:"name"`
	Account string `json:"account"`
	Sign    string `json:"sign" enum:",over,short" doc:"the variances that it explains; empty: both"`
}

// Reasons lists the reason codes.
func (d *Room) Reasons(ctx context.Context, p desk.Person) ([]ReasonView, error) {
	if err := desk.Allow(p, desk.Look); err != nil {
		return nil, err
	}
	var rows []store.Reason
	err := d.Store.Read(ctx).Order("code").Find(&rows).Error
	out := make([]ReasonView, len(rows))
	for i, r := range rows {
		out[i] = ReasonView(r)
	}
	return out, err
}

// KeepReason adds a reason of one's own, or changes what one with its code is called, its account and what it explains. A code stays.
func (d *Room) KeepReason(ctx context.Context, p desk.Person, r ReasonView) error {
	_, err := desk.Do(ctx, d.Desk, p, desk.Decide, desk.Key{}, func(w *desk.Work) (none struct{}, err error) {
		r.Code, r.Name, r.Account = strings.ToUpper(strings.TrimSpace(r.Code)), strings.TrimSpace(r.Name), strings.TrimSpace(r.Account)
		odd := func(c rune) bool { return c != '-' && c != '_' && !unicode.IsLetter(c) && !unicode.IsDigit(c) }
		switch {
		case r.Code == "" || len(r.Code) > 24 || strings.ContainsFunc(r.Code, odd):
			return none, desk.RefuseAs(desk.Invalid, "code", "A reason has a code of up to 24 letters and digits, such as EXPIRED.")
		case r.Name == "" || len(r.Name) > 120:
			return none, desk.RefuseAs(desk.Invalid, "name", "Say in a few words what the reason is.")
		case r.Sign != "" && r.Sign != "over" && r.Sign != "short":
			return none, desk.RefuseAs(desk.Invalid, "sign", "A reason explains what is over, what is short, or both.")
		}
		row := store.Reason(r)
		if err := w.Save(&row).Error; err != nil {
			return none, err
		}
		return none, w.Say("reason kept", map[string]any{"code": r.Code, "name": r.Name, "account": r.Account, "sign": r.Sign})
	})
	return err
}

// Decided is the last word on a decision.
type Decided struct {
	Lines    int `json:"lines"`
	Again    int `json:"again" doc:"lines that were left out, as they are being counted again: each is accepted by itself"`
	Disputed int `json:"disputed" doc:"lines that were left out, as their counts contradict each other: each is accepted by itself"`
}

// leaveOut leaves out, of several lines that are to be accepted, those that somebody has to look at one by one.
func (out *Decided) leaveOut(w *desk.Work, c *store.Count, lines []store.CountLine) ([]store.CountLine, error) {
	busy, err := count.BeingRecounted(w.Tx, c.ID)
	if err != nil {
		return nil, err
	}
	kept := make([]store.CountLine, 0, len(lines))
	for i := range lines {
		_, again := busy[lines[i].Pos]
		switch {
		case again:
			out.Again++
		case lines[i].Stake == store.Disputed:
			out.Disputed++
		default:
			kept = append(kept, lines[i])
		}
	}
	if len(kept) == 0 {
		return nil, desk.Refuse("All of these are being counted again or disputed. Accept them one by one.")
	}
	return kept, nil
}

func knownReason(w *desk.Work, reason string) error {
	if reason == "" {
		return nil
	}
	var n int64
	if err := w.Model(&store.Reason{}).Where("code = ?", reason).Count(&n).Error; err != nil {
		return err
	}
	if n == 0 {
		return desk.RefuseAs(desk.Invalid, "reason", "%q is no reason code.", reason)
	}
	return nil
}

// Decisions are what somebody decides about lines.
type Decisions struct {
	Lines  []int64             `json:"lines" maxItems:"100000"`
	Saw    []quantity.Quantity `json:"saw,omitempty" maxItems:"100000" doc:"what was open of each line as it was seen; what changed meanwhile is refused"`
	Kind   string              `json:"kind" enum:"accept,hold,"`
	Reason string              `json:"reason"`
	Note   string              `json:"note,omitempty" maxLength:"2000" doc:"is noted of each line"`
	All    *AllOf              `json:"all,omitempty" doc:"in the place of lines: all that a filter holds"`
}

// AllOf is all lines that a filter holds, as they were seen.
type AllOf struct {
	Show  string         `json:"show" enum:"open,held,accepted"`
	Text  string         `json:"text,omitempty" maxLength:"200"`
	Cause string         `json:"cause,omitempty" maxLength:"40"`
	Bins  []int64        `json:"bins,omitempty"`
	Sign  string         `json:"sign,omitempty" enum:",over,short"`
	State string         `json:"status,omitempty" enum:",over,short,found"`
	Least int64          `json:"least,omitempty" minimum:"0"`
	By    string         `json:"by,omitempty" enum:",zone,bin,item,counter,reason,class,category"`
	Of    string         `json:"of,omitempty" maxLength:"4000"`
	Lines int            `json:"lines" doc:"how many they were"`
	Gross quantity.Money `json:"gross" doc:"and what was open of them, as absolute values"`
}

// Decide accepts or holds what is open of lines, or takes an earlier decision back (kind ""). All of them or none. saw is what
// was open of each as the person saw it, in the order of positions, or nothing: what changed meanwhile is not decided unseen.
func (d *Room) Decide(
	ctx context.Context, p desk.Person, countID int64, positions []int64, kind, reason string, saw ...quantity.Quantity,
) (Decided, error) {
	return d.DecideAs(ctx, p, countID, Decisions{Lines: positions, Saw: saw, Kind: kind, Reason: reason})
}

// DecideAs is Decide for lines or for all that a filter holds, with a note. Of all that a filter holds as many lines have to be there as
// were seen, and worth as much.
func (d *Room) DecideAs(ctx context.Context, p desk.Person, countID int64, x Decisions) (Decided, error) {
	kind, reason, positions := x.Kind, x.Reason, x.Lines
	return desk.Do(ctx, d.Desk, p, desk.Decide, desk.Key{}, func(w *desk.Work) (out Decided, err error) {
		if kind != "" && kind != store.Accept && kind != store.Hold {
			return out, desk.RefuseAs(desk.Invalid, "kind", "A decision is accept or hold.")
		}
		c, err := w.Running(countID)
		if err != nil {
			return out, err
		}
		if err := knownReason(w, reason); err != nil {
			return out, err
		}
		if x.All != nil {
			if positions, err = d.allOf(ctx, w, c, x.All); err != nil {
				return out, err
			}
		}
		lines, err := count.LinesAt(w, c, positions)
		if err != nil {
			return out, err
		}
		if err := asSeen(w, c, lines, positions, x.Saw); err != nil {
			return out, err
		}
		if len(lines) > 1 && kind == store.Accept {
			if lines, err = out.leaveOut(w, c, lines); err != nil {
				return out, err
			}
		}
		if out.Lines, err = count.Decide(w, c, lines, count.Decision{Kind: kind, Reason: reason}); err != nil {
			return out, err
		}
		positions = positions[:0:0]
		for i := range lines {
			positions = append(positions, lines[i].Pos)
		}
		if err := note(w, c, positions, x.Note); err != nil {
			return out, err
		}
		return out, w.Say("decided", map[string]any{"count": c.ID, "kind": kind, "reason": reason, "lines": out.Lines})
	})
}

// asSeen refuses lines of which something else is open than what was seen.
func asSeen(w *desk.Work, c *store.Count, lines []store.CountLine, positions []int64, saw []quantity.Quantity) error {
	if len(saw) == 0 {
		return nil
	}
	if len(saw) != len(positions) {
		return desk.RefuseAs(desk.Invalid, "saw", "Say of each line what was open of it, or of none.")
	}
	seen := make(map[int64]quantity.Quantity, len(positions))
	for i, pos := range positions {
		seen[pos] = saw[i]
	}
	for i := range lines {
		if l := &lines[i]; seen[l.Pos] != quantity.Quantity(l.Rest) {
			return desk.RefuseAs(
				desk.Changed,
				"saw",
				"%s has changed meanwhile: %s is open of it now, not %s. Look at it again; nothing was decided.",
				count.LineName(w.Tx, c, l.Pos),
				quantity.Quantity(l.Rest),
				seen[l.Pos],
			)
		}
	}
	return nil
}

// allOf gives the lines that a filter holds, where they are as they were seen.
func (d *Room) allOf(ctx context.Context, w *desk.Work, c *store.Count, a *AllOf) (positions []int64, err error) {
	f := desk.Filter{
		Show:  a.Show,
		Text:  a.Text,
		Cause: a.Cause,
		Bins:  a.Bins,
		Sign:  a.Sign,
		State: a.State,
		Least: a.Least,
		By:    a.By,
		Of:    a.Of,
	}
	if f.Show == "" {
		return nil, desk.RefuseAs(desk.Invalid, "all", "Say which are meant: those that are open, held or accepted.")
	}
	var x *explained
	if f.Cause != "" {
		if x, err = explain(ctx, w.Tx, c); err != nil {
			return nil, err
		}
	}
	t, err := tallied(w.Tx, c.ID, f, x, &positions)
	if err != nil {
		return nil, err
	}
	if t.Lines != a.Lines || t.Gross != a.Gross {
		return nil, desk.RefuseAs(
			desk.Changed,
			"all",
			"They have changed meanwhile: %s, worth %s gross, not %d worth %s. Look at them again; nothing was decided.",
			desk.Plural(t.Lines, "line", "lines"),
			t.Gross,
			a.Lines,
			a.Gross,
		)
	}
	return positions, nil
}

// note notes something of lines; nothing where the text is empty.
func note(w *desk.Work, c *store.Count, positions []int64, text string) error {
	if text = strings.TrimSpace(text); text == "" {
		return nil
	}
	rows := make([]store.Note, len(positions))
	for i, pos := range positions {
		rows[i] = store.Note{CountID: c.ID, Pos: pos, Text: text, Person: w.Person.Name, At: w.Now}
	}
	if err := store.Batch(w.Tx, rows); err != nil {
		return err
	}
	return w.Cover("notes", rows[0].ID, rows[len(rows)-1].ID)
}

// AddNote notes something of a line.
func (d *Room) AddNote(ctx context.Context, p desk.Person, countID, pos int64, text string) error {
	_, err := desk.Do(ctx, d.Desk, p, desk.Decide, desk.Key{}, func(w *desk.Work) (none struct{}, err error) {
		c, err := w.Running(countID)
		if err != nil {
			return none, err
		}
		if _, err := count.LinesAt(w, c, []int64{pos}); err != nil {
			return none, err
		}
		if strings.TrimSpace(text) == "" {
			return none, desk.RefuseAs(desk.Invalid, "text", "Say what is to be noted.")
		}
		if err := note(w, c, []int64{pos}, text); err != nil {
			return none, err
		}
		return none, w.Say("noted", map[string]any{"count": c.ID, "line": pos})
	})
	return err
}
