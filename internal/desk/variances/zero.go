package variances

import (
	"context"

	"wobin/internal/core/quantity"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/store"
)

// Uncounted is what it would come to that uncounted means zero, for some lines of a count.
type Uncounted struct {
	Lines    int            `json:"lines" doc:"uncounted lines of which something is expected"`
	Zeroed   int            `json:"zeroed" doc:"lines that were settled to be zero already"`
	Value    quantity.Money `json:"value" doc:"what they would lose, never above zero but where less than nothing is expected"`
	Unvalued int            `json:"unvalued"`
	Returned int            `json:"returned" doc:"of the lines, those on no sheet that is still to come: they can be given out again"`
}

// SeeUncounted tells what it would come to that uncounted means zero.
func (d *Room) SeeUncounted(ctx context.Context, p desk.Person, countID int64, part count.UncountedPart) (u Uncounted, err error) {
	c, err := d.Judge(ctx, p, countID)
	if err != nil {
		return u, err
	}
	w := &desk.Work{Tx: c.Tx}
	lines, zeroed, err := count.Uncounted(w, c.Count, part)
	if err != nil {
		return u, err
	}
	u.Zeroed = len(zeroed)
	if err := u.add(lines); err != nil {
		return u, err
	}
	back, err := count.Returned(c.Tx, c.Count, lines)
	u.Returned = len(back)
	return u, err
}

func (u *Uncounted) add(lines []store.CountLine) error {
	for i := range lines {
		l := &lines[i]
		if u.Lines++; l.Cost == nil {
			u.Unvalued++
			continue
		}
		v, err := quantity.Value(quantity.Quantity(-l.Expected), quantity.Cost(*l.Cost))
		ok := err == nil
		if ok {
			u.Value, ok = quantity.AddMoney(u.Value, v)
		}
		if !ok {
			return count.TooMuch()
		}
	}
	return nil
}

// SetZero settles that uncounted means zero for the uncounted lines of a part, or takes that back. Their variances are open
// then, as those of counted lines, and want a decision. expect is the number of lines that the person saw.
func (d *Room) SetZero(
	ctx context.Context,
	p desk.Person,
	countID int64,
	part count.UncountedPart,
	zero bool,
	expect int,
) (Decided, error) {
	return desk.Do(ctx, d.Desk, p, desk.Decide, desk.Key{}, func(w *desk.Work) (out Decided, err error) {
		c, err := w.Running(countID)
		if err != nil {
			return out, err
		}
		kind := store.Zero
		lines, zeroed, err := count.Uncounted(w, c, part)
		if err != nil {
			return out, err
		}
		if !zero {
			kind, lines = store.Leave, zeroed
		}
		if len(lines) != expect {
			return out, desk.RefuseAs(
				desk.Changed,
				"lines",
				"It is %s now, not %d. Look at it again.",
				desk.Plural(len(lines), "line", "lines"),
				expect,
			)
		}
		if len(lines) == 0 {
			return out, desk.Refuse("There is no uncounted line here that this would change.")
		}
		positions, rows := make([]int64, len(lines)), make([]store.Decision, len(lines))
		for i := range lines {
			l := &lines[i]
			positions[i] = l.Pos
			q := -l.Expected
			rows[i] = store.Decision{CountID: c.ID, Pos: l.Pos, Kind: kind, Person: p.Name, At: w.Now, Quantity: &q}
		}
		if err := count.Alter(w, c, positions, func(l *store.CountLine) { l.Zeroed = zero }); err != nil {
			return out, err
		}
		if err := count.AppendDecisions(w, rows); err != nil {
			return out, err
		}
		out.Lines = len(lines)
		return out, w.Say(
			"uncounted "+map[bool]string{true: "means zero", false: "left"}[zero],
			map[string]any{"count": c.ID, "lines": len(lines), "zone": part.Zone, "sheet": part.Sheet},
		)
	})
}
