package adjustments

import (
	"context"
	"strings"

	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/store"
)

// Left is what stays undone in a count when it is finished.
type Left struct {
	Held      int `json:"held" doc:"variances held, of which nothing goes out"`
	Accepted  int `json:"accepted" doc:"accepted lines that were not sent out"`
	Uncounted int `json:"uncounted"`
	Doubts    int `json:"doubts,omitempty" doc:"what waits in the tray and is no count"`
	Recounts  int `json:"recounts,omitempty" doc:"lines that are to be counted again and were not"`
}

// String lists what stays behind.
func (l Left) String() string {
	var parts []string
	for _, x := range []struct {
		n         int
		one, many string
	}{{l.Held, "variance stays held", "variances stay held"}, {l.Accepted, "accepted line is not sent out",
		"accepted lines are not sent out"}, {l.Uncounted, "line stays uncounted", "lines stay uncounted"},
		{l.Doubts, "row in the tray is no count", "rows in the tray are no counts"},
		{l.Recounts, "line is not counted again", "lines are not counted again"}} {
		if x.n > 0 {
			parts = append(parts, desk.Plural(x.n, x.one, x.many))
		}
	}
	return strings.Join(parts, ", ")
}

// Finish ends a count for good: nothing is counted, decided or sent out in it afterwards. What stays undone is named, and
// has to be agreed to by its numbers.
func (d *Room) Finish(ctx context.Context, p desk.Person, countID int64, agreed Left) error {
	_, err := desk.Do(ctx, d.Desk, p, desk.Plan, desk.Key{}, func(w *desk.Work) (none struct{}, err error) {
		c, err := w.Running(countID)
		if err != nil {
			return none, err
		}
		all, err := count.TallyOf(w.Tx, c.ID)
		if err != nil {
			return none, err
		}
		left := Left{Held: all.Held, Accepted: all.Accepted, Uncounted: all.Uncounted - all.Zeroed}
		if left.Doubts, err = count.Doubts(w.Tx, c.ID); err != nil {
			return none, err
		}
		again, err := count.BeingRecounted(w.Tx, c.ID)
		if err != nil {
			return none, err
		}
		left.Recounts = len(again)
		switch {
		case all.Open > 0:
			return none, desk.Refuse("%s not decided. Accept or hold them first.", desk.Plural(all.Open, "variance is", "variances are"))
		case left != agreed && left == Left{}:
		case left != agreed:
			return none, desk.RefuseAs(desk.Asks, "left", "Finishing is final, and %s. Say that this is meant.", left)
		}
		if err := store.Finish(w.Tx, c); err != nil {
			return none, err
		}
		return none, w.Say(
			"finished",
			map[string]any{
				"count":     countID,
				"held":      left.Held,
				"accepted":  left.Accepted,
				"uncounted": left.Uncounted,
				"doubts":    left.Doubts,
				"recounts":  left.Recounts,
			},
		)
	})
	return err
}

// Reopen opens a finished count again of which nothing went out, with a reason. What moved since it was finished is taken in.
func (d *Room) Reopen(ctx context.Context, p desk.Person, countID int64, reason string) error {
	_, err := desk.Do(ctx, d.Desk, p, desk.Plan, desk.Key{}, func(w *desk.Work) (none struct{}, err error) {
		c, err := desk.CountRow(w.Tx, countID)
		if err != nil {
			return none, err
		}
		if reason = strings.TrimSpace(reason); reason == "" {
			return none, desk.RefuseAs(desk.Invalid, "reason", "Say why it is opened again.")
		}
		if c.State != store.Finished {
			return none, desk.RefuseAs(desk.Changed, "count", "%s is not finished.", c.Name)
		}
		last, err := store.LastPosting(w.Tx, c.ID)
		if err != nil {
			return none, err
		}
		if last > 0 {
			return none, desk.RefuseAs(
				desk.Ended,
				"count",
				"Adjustments of %s went out already, so it stays as it was signed. Count again what is in doubt.",
				c.Name,
			)
		}
		if err := reopened(w, c); err != nil {
			return none, err
		}
		return none, w.Say("reopened", map[string]any{"count": countID, "reason": reason})
	})
	return err
}

// reopened opens a finished count again. What moved since it was finished is taken in.
func reopened(w *desk.Work, c *store.Count) error {
	kept, err := store.KeepsSetOf(w.Tx, c)
	if err != nil {
		return err
	}
	if !kept {
		return desk.RefuseAs(
			desk.Ended,
			"count",
			"The recorded stock that %s was frozen of is not kept any more. Count again what is in doubt.",
			c.Name,
		)
	}
	if err := store.Resume(w.Tx, c); err != nil {
		return err
	}
	running, err := w.Running(c.ID)
	if err != nil {
		return err
	}
	return count.CatchUp(w, running)
}
