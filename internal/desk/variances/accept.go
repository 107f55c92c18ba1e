package variances

import (
	"cmp"
	"context"
	"database/sql/driver"
	"slices"

	"gorm.io/gorm"

	"wobin/internal/core/cause"
	"wobin/internal/core/quantity"
	"wobin/internal/core/stock"
	"wobin/internal/core/variance"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/store"
)

// CauseTally is what is likely of one cause.
type CauseTally struct {
	Cause  string         `json:"cause" doc:"none: nothing speaks for anything"`
	Lines  int            `json:"lines"`
	Open   int            `json:"open" doc:"of them, not decided"`
	Strong int            `json:"strong" doc:"lines for whose cause much speaks"`
	Ready  int            `json:"ready" doc:"explanations for which much speaks and that can be accepted at once; a pair is one"`
	Gross  quantity.Money `json:"gross" doc:"the absolute values of their variances"`
	Over   quantity.Money `json:"over" doc:"of them, over"`
	Short  quantity.Money `json:"short" doc:"of them, short"`
}

// Causes tells how the variances of a count are explained, the heaviest cause first and what is not explained last.
func (d *Room) Causes(ctx context.Context, p desk.Person, countID int64) (out []CauseTally, err error) {
	c, err := d.Judge(ctx, p, countID)
	if err != nil {
		return nil, err
	}
	x, err := d.explained(ctx, c)
	if err != nil {
		return nil, err
	}
	return remembered(d, c.ID, x, "causes", nil, func() ([]CauseTally, error) { return causeTallies(c, x) })
}

// causeTallies sums the variances of a count up by likely cause.
func causeTallies(c *desk.Seen, x *explained) (out []CauseTally, err error) {
	open, err := undecided(c.Tx, c.ID)
	if err != nil {
		return nil, err
	}
	by := map[string]*CauseTally{}
	for i, pos := range x.pos {
		what, strong := "none", false
		if e := x.of(pos); e != nil {
			what, strong = string(e.Cause), e.Grade == cause.Strong
		}
		t := by[what]
		if t == nil {
			t = &CauseTally{Cause: what}
			by[what] = t
		}
		if t.Lines++; open[pos] {
			t.Open++
		}
		if strong {
			t.Strong++
		}
		if e := x.of(pos); e != nil && e.Line == i && x.ready(e, open) {
			t.Ready++
		}
		l := &x.in.Lines[i]
		if v, err := quantity.Value(l.Variance, l.Cost); err == nil {
			s := variance.Sums{Over: t.Over, Short: t.Short, Net: t.Over + t.Short, Gross: t.Gross}
			if s.Add(l.Variance, v) {
				t.Over, t.Short, t.Gross = s.Over, s.Short, s.Gross
			}
		}
	}
	out = []CauseTally{}
	for _, t := range by {
		out = append(out, *t)
	}
	slices.SortFunc(out, func(a, b CauseTally) int {
		if (a.Cause == "none") != (b.Cause == "none") {
			return map[bool]int{true: 1, false: -1}[a.Cause == "none"]
		}
		return cmp.Or(cmp.Compare(b.Gross, a.Gross), cmp.Compare(a.Cause, b.Cause))
	})
	return out, nil
}

// Accepting is a likely cause that somebody accepts, as it was seen.
type Accepting struct {
	Cause    string `json:"cause"`
	Evidence string `json:"evidence" doc:"as it was seen; where something else speaks for it by now, nothing is done"`
}

// reasonOf is the reason that a pair is decided for.
var reasonOf = map[cause.Cause]string{cause.Misplaced: "TRANSFER", cause.MistakenItem: "MIXUP", cause.WrongLot: "MIXUP"}

// AcceptCause accepts the likely cause of a line and does what is to be done about it: decides both lines of a pair, withdraws the count
// that is one too many, or lets a movement have happened on the other side of the count. What has to be done by people (a recount, a bin
// that was forgotten, a missing receipt) is not done by it.
func (d *Room) AcceptCause(ctx context.Context, p desk.Person, countID, pos int64, a Accepting) (Decided, error) {
	return desk.Do(ctx, d.Desk, p, desk.Decide, desk.Key{}, func(w *desk.Work) (out Decided, err error) {
		c, err := w.Running(countID)
		if err != nil {
			return out, err
		}
		x, err := explain(ctx, w.Tx, c)
		if err != nil {
			return out, err
		}
		v, e := x.view(pos), x.of(pos)
		if v == nil || v.Cause != a.Cause || v.Evidence != a.Evidence {
			return out, desk.RefuseAs(
				desk.Changed,
				"cause",
				"Meanwhile something else speaks for this variance. Look at it again; nothing was done.",
			)
		}
		if out.Lines, err = accept(w, c, x, []*cause.Explanation{e}); err != nil {
			return out, err
		}
		return out, w.Say(
			"cause accepted",
			map[string]any{"count": c.ID, "line": pos, "cause": v.Cause, "grade": v.Grade, "evidence": v.Evidence},
		)
	})
}

// AcceptStrong accepts all explanations of a cause for which much speaks and whose lines are all undecided, and does what is to be done
// about them. expect is how many were seen; where they are others by now nothing is done.
func (d *Room) AcceptStrong(ctx context.Context, p desk.Person, countID int64, of string, expect int) (Decided, error) {
	return desk.Do(ctx, d.Desk, p, desk.Decide, desk.Key{}, func(w *desk.Work) (out Decided, err error) {
		c, err := w.Running(countID)
		if err != nil {
			return out, err
		}
		x, err := explain(ctx, w.Tx, c)
		if err != nil {
			return out, err
		}
		open, err := undecided(w.Tx, c.ID)
		if err != nil {
			return out, err
		}
		var list []*cause.Explanation
		for i := range x.list {
			if e := &x.list[i]; string(e.Cause) == of && x.ready(e, open) {
				list = append(list, e)
			}
		}
		n := len(list)
		if n != expect || n == 0 {
			return out, desk.RefuseAs(desk.Changed, "expect", "%s could be settled so now, not %d. Look at them again; nothing was done.",
				desk.Plural(n, "variance", "variances"), expect)
		}
		if out.Lines, err = accept(w, c, x, list); err != nil {
			return out, err
		}
		return out, w.Say("causes accepted", map[string]any{"count": c.ID, "cause": of, "number": n, "lines": out.Lines})
	})
}

// ready tells whether an explanation can be accepted among others: much speaks for it, all of its lines are undecided, and accepting
// it does something at once.
func (x *explained) ready(e *cause.Explanation, open map[int64]bool) bool {
	own := x.pos[e.Line]
	return e.Grade == cause.Strong && open[own] && (e.Other < 0 || open[x.pos[e.Other]]) && x.does(e) != ""
}

// undecided gives the positions of undecided lines.
func undecided(tx *gorm.DB, countID int64) (map[int64]bool, error) {
	open := map[int64]bool{}
	const q = "SELECT pos FROM count_lines WHERE count_id = ? AND queue = 1 AND queue > 0 AND stake > 0"
	err := store.Each(tx, q, []driver.Value{countID}, func(v []driver.Value) error {
		open[v[0].(int64)] = true
		return nil
	})
	return open, err
}

// accept does what explanations of one cause ask for, all at once, and remembers that they were accepted. It gives how many lines they
// were about.
func accept(w *desk.Work, c *store.Count, x *explained, list []*cause.Explanation) (n int, err error) {
	own := make([]int64, len(list))
	for i, e := range list {
		own[i] = x.pos[e.Line]
	}
	lines, err := count.LinesAt(w, c, own)
	if err != nil {
		return 0, err
	}
	at := make(map[int64]*store.CountLine, len(lines))
	for i := range lines {
		at[lines[i].Pos] = &lines[i]
	}
	rows := make([]store.CauseAccepted, len(list))
	var pairs []int64
	drops := map[int64]int64{}
	var shifts []shift
	for i, e := range list {
		l := at[own[i]]
		rows[i] = x.accepted(w, c, l, e)
		switch x.does(e) {
		case "decide":
			rows[i].Other = x.pos[e.Other]
			pairs = append(pairs, l.Pos, rows[i].Other)
		case "withdraw":
			drops[l.Pos] = x.entries[l.Pos][e.Drop]
		case "move":
			in := &x.in.Lines[e.Line]
			m := slices.IndexFunc(in.Movements, func(m stock.Movement) bool { return m == *e.Move })
			to := in.First // it had happened when the line was counted
			if e.Move.At <= in.CountedAt {
				to = in.CountedAt + 1
			}
			shifts = append(shifts, shift{l.Pos, x.moves[l.Pos][m], to})
		default:
			return 0, desk.RefuseAs(desk.Invalid, "cause", "This is for people to do: %s.", e.Remedy())
		}
	}
	n = len(list)
	switch {
	case len(pairs) > 0:
		n, err = settlePairs(w, c, pairs, reasonOf[list[0].Cause])
	case len(drops) > 0:
		var gone []store.Entry
		if gone, err = count.Withdrawals(w, c, drops); err == nil {
			_, _, err = count.Enter(w, c, gone, nil)
		}
	case len(shifts) > 0:
		err = moveCutOff(w, c, shifts)
	}
	if err != nil {
		return 0, err
	}
	return n, remember(w, rows)
}

// accepted is what is remembered of an explanation that is accepted.
func (x *explained) accepted(w *desk.Work, c *store.Count, l *store.CountLine, e *cause.Explanation) store.CauseAccepted {
	return store.CauseAccepted{CountID: c.ID, Pos: l.Pos, WarehouseID: c.WarehouseID, Cause: string(e.Cause), Grade: e.Grade.String(),
		BinID: l.BinID, ItemID: l.ItemID, Counter: l.Counter, Quantity: int64(e.Quantity), Evidence: e.Evidence(x.in),
		Person: w.Person.Name, At: w.Now}
}

// remember appends what was accepted.
func remember(w *desk.Work, rows []store.CauseAccepted) error {
	if len(rows) == 0 {
		return nil
	}
	if err := store.Batch(w.Tx, rows); err != nil {
		return err
	}
	return w.Cover("causes_accepted", rows[0].ID, rows[len(rows)-1].ID)
}

// settlePairs accepts both lines of pairs, which stand one behind the other, for a reason.
func settlePairs(w *desk.Work, c *store.Count, pairs []int64, reason string) (int, error) {
	lines, err := count.LinesAt(w, c, pairs)
	if err != nil {
		return 0, err
	}
	rest := make(map[int64]int64, len(lines))
	for i := range lines {
		rest[lines[i].Pos] = lines[i].Rest
	}
	for i := 0; i < len(pairs); i += 2 {
		if a, b := rest[pairs[i]], rest[pairs[i+1]]; a != -b || a == 0 {
			return 0, desk.RefuseAs(
				desk.Changed,
				"cause",
				"%s: %s is open of it and %s of the other, since something of them went out already. Decide each by itself.",
				count.LineName(w.Tx, c, pairs[i]),
				quantity.Quantity(a),
				quantity.Quantity(b),
			)
		}
	}
	return count.Decide(w, c, lines, count.Decision{Kind: store.Accept, Reason: reason})
}

// shift lets a movement have happened at another time for a line than it was booked; at is 0 for: as it was booked.
type shift struct{ pos, movement, at int64 }

// moveCutOff shifts movements.
func moveCutOff(w *desk.Work, c *store.Count, shifts []shift) error {
	positions, list := make([]int64, len(shifts)), make([]store.MovedAt, len(shifts))
	for i, s := range shifts {
		positions[i], list[i] = s.pos, store.MovedAt{Pos: s.pos, Movement: s.movement, At: s.at}
	}
	n, err := store.ShiftMoves(w.Tx, c.ID, list)
	if err != nil {
		return err
	}
	if n != len(shifts) {
		return desk.Missing("The movement")
	}
	return count.WorkOut(w, c, positions, false)
}

// AsBooked lets a movement of a line have happened when it was booked again.
func (d *Room) AsBooked(ctx context.Context, p desk.Person, countID, pos, movement int64) error {
	_, err := desk.Do(ctx, d.Desk, p, desk.Decide, desk.Key{}, func(w *desk.Work) (none struct{}, err error) {
		c, err := w.Running(countID)
		if err != nil {
			return none, err
		}
		if err := moveCutOff(w, c, []shift{{pos, movement, 0}}); err != nil {
			return none, err
		}
		return none, w.Say("cut-off as booked", map[string]any{"count": c.ID, "line": pos, "movement": movement})
	})
	return err
}
