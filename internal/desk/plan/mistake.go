package plan

import (
	"context"
	"strings"

	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/store"
)

// Discard takes a running count away that was frozen by mistake, and in which nobody did anything since: no count, decision or note of it
// is there, taken back or not. agreed is how many lines it was seen to have. It cannot be undone: the count is to be frozen anew.
func (d *Room) Discard(ctx context.Context, p desk.Person, countID int64, agreed int) error {
	_, err := desk.Do(ctx, d.Desk, p, desk.Plan, desk.Key{}, func(w *desk.Work) (none struct{}, err error) {
		c, err := w.Running(countID)
		if err != nil {
			return none, err
		}
		touched, err := store.TouchedCount(w.Tx, c.ID)
		if err != nil {
			return none, err
		}
		if touched {
			return none, desk.RefuseAs(desk.Ended, "count",
				"Something was counted, decided or noted in %s already, so it is not discarded. Withdraw what is wrong, and finish it.", c.Name)
		}
		all, err := count.TallyOf(w.Tx, c.ID)
		if err != nil {
			return none, err
		}
		if all.Lines != agreed {
			return none, desk.RefuseAs(desk.Changed, "lines", "It has %s now, not %d. Look at it again.", desk.Plural(all.Lines, "line", "lines"), agreed)
		}
		if err := store.Discard(w.Tx, c); err != nil {
			return none, err
		}
		return none, w.Say("count discarded", map[string]any{"count": c.ID, "name": c.Name, "lines": all.Lines})
	})
	if err == nil {
		d.Behind(func() { _ = d.Store.ClearDiscarded(context.WithoutCancel(ctx)) }) // what is left of them goes at the next start
	}
	return err
}

// Rename gives a running count another name.
func (d *Room) Rename(ctx context.Context, p desk.Person, countID int64, name string) error {
	_, err := desk.Do(ctx, d.Desk, p, desk.Plan, desk.Key{}, func(w *desk.Work) (none struct{}, err error) {
		c, err := w.Running(countID)
		if err != nil {
			return none, err
		}
		was := c.Name
		if name = strings.TrimSpace(name); name == "" {
			return none, desk.RefuseAs(desk.Invalid, "name", "Give the count a name.")
		}
		if name == was {
			return none, desk.RefuseAs(desk.Invalid, "name", "It is called that already.")
		}
		if err := store.RenameCount(w.Tx, c, name); err != nil {
			return none, err
		}
		return none, w.Say("count renamed", map[string]any{"count": c.ID, "was": was, "name": name})
	})
	return err
}
