package desk

import (
	"context"
	"slices"

	"wobin/internal/store"
)

// ReasonView is a reason code.
type ReasonView struct {
	Code    string `json:"code"`
	Name    string `json:"name"`
	Account string `json:"account"`
}

// Reasons lists the reason codes.
func (d *Desk) Reasons(ctx context.Context, p Person) ([]ReasonView, error) {
	if err := allow(p, Look); err != nil {
		return nil, err
	}
	var rows []store.Reason
	err := d.store.Read(ctx).Order("code").Find(&rows).Error
	out := make([]ReasonView, len(rows))
	for i, r := range rows {
		out[i] = ReasonView(r)
	}
	return out, err
}

// Decided is the last word on a decision.
type Decided struct {
	Lines int `json:"lines"`
}

// linesAt loads lines of a count by their places; one that is missing, or asked for twice, is an error.
func (w *Work) linesAt(c *store.Count, places []int64) ([]store.CountLine, error) {
	sorted := slices.Clone(places)
	slices.Sort(sorted)
	if sorted = slices.Compact(sorted); len(sorted) != len(places) || len(places) == 0 {
		return nil, refuseAs(Invalid, "lines", "Name each line once.")
	}
	lines := make([]store.CountLine, 0, len(sorted))
	for some := range slices.Chunk(sorted, stretch) {
		err := store.EachCountLine(
			w.DB,
			c.ID,
			store.Positions{Some: some},
			func(l *store.CountLine) error { lines = append(lines, *l); return nil },
		)
		if err != nil {
			return nil, err
		}
	}
	if len(lines) != len(places) {
		return nil, missing("A line")
	}
	return lines, nil
}

func (w *Work) knownReason(reason string) error {
	if reason == "" {
		return nil
	}
	var n int64
	if err := w.Model(&store.Reason{}).Where("code = ?", reason).Count(&n).Error; err != nil {
		return err
	}
	if n == 0 {
		return refuseAs(Invalid, "reason", "%q is no reason code.", reason)
	}
	return nil
}

// Decide accepts or holds what is open of lines, or takes an earlier decision back (kind ""). All of them or none.
func (d *Desk) Decide(ctx context.Context, p Person, countID int64, places []int64, kind, reason string) (Decided, error) {
	return Do(ctx, d, p, Decide, Key{}, func(w *Work) (out Decided, err error) {
		if kind != "" && kind != store.Accept && kind != store.Hold {
			return out, refuseAs(Invalid, "kind", "A decision is accept or hold.")
		}
		c, err := w.Running(countID)
		if err != nil {
			return out, err
		}
		if err := w.knownReason(reason); err != nil {
			return out, err
		}
		lines, err := w.linesAt(c, places)
		if err != nil {
			return out, err
		}
		t := newTallying(w, c)
		if len(lines) > 2000 {
			if err := t.preload(); err != nil {
				return out, err
			}
		}
		rows := make([]store.Decision, len(lines))
		for i := range lines {
			l := &lines[i]
			if l.Queue == store.NotQueued {
				if l.Postings > 0 {
					return out, refuse("%s went out already, and nothing of it is open.", w.lineName(c, l.Pos))
				}
				return out, refuse("%s has no variance to decide.", w.lineName(c, l.Pos))
			}
			before := *l
			rest := l.Rest
			rows[i] = store.Decision{CountID: c.ID, Pos: l.Pos, Kind: kind, Reason: reason, Person: p.Name, At: w.Now, Quantity: &rest}
			l.Decision, l.Reason = kind, reason
			l.Enqueue(lineState(l))
			if err := t.move(&before, l, false); err != nil {
				return out, err
			}
		}
		if err := store.UpdateCountLines(w.DB, c.ID, lines); err != nil {
			return out, err
		}
		if err := t.write(); err != nil {
			return out, err
		}
		out.Lines = len(rows)
		if err := w.appendDecisions(rows); err != nil {
			return out, err
		}
		return out, w.Say("decided", map[string]any{"count": c.ID, "kind": kind, "reason": reason, "lines": len(rows)})
	})
}

// appendDecisions appends decisions, and lets the work's word cover them.
func (w *Work) appendDecisions(rows []store.Decision) error {
	if len(rows) == 0 {
		return nil
	}
	if err := store.Batch(w.DB, rows); err != nil {
		return err
	}
	return w.Cover("decisions", rows[0].ID, rows[len(rows)-1].ID)
}
