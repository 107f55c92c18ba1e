package count

import (
	"cmp"
	"slices"

	"wobin/internal/desk"
	"wobin/internal/store"
)

// LinesAt loads lines of a count by their positions; one that is missing, or asked for twice, is an error.
func LinesAt(w *desk.Work, c *store.Count, positions []int64) ([]store.CountLine, error) {
	sorted := slices.Clone(positions)
	slices.Sort(sorted)
	if sorted = slices.Compact(sorted); len(sorted) != len(positions) || len(positions) == 0 {
		return nil, desk.RefuseAs(desk.Invalid, "lines", "Name each line once.")
	}
	lines := make([]store.CountLine, 0, len(sorted))
	for some := range slices.Chunk(sorted, Stretch) {
		err := store.EachCountLine(
			w.Tx,
			c.ID,
			store.Positions{Some: some},
			func(l *store.CountLine) error { lines = append(lines, *l); return nil },
		)
		if err != nil {
			return nil, err
		}
	}
	if len(lines) != len(positions) {
		return nil, desk.Missing("A line")
	}
	return lines, nil
}

// Decision is what is decided about what is open of lines, and by whom.
type Decision struct {
	Kind   string // Accept, Hold, or nothing: an earlier one is taken back
	Reason string
	Rule   string // the rule that decides, which the person turned on
	Person string // whoever is at work, where it is empty
}

// Decide appends a decision about what is open of lines, and moves them to where they stand by it. All of them or none. It gives how many
// they are.
func Decide(w *desk.Work, c *store.Count, lines []store.CountLine, x Decision) (n int, err error) {
	rows, err := Decided(w, c, lines, x)
	if err != nil {
		return 0, err
	}
	return len(rows), AppendDecisions(w, rows)
}

// Decided moves lines to where they stand by a decision, and gives the decisions that are to be appended for it.
func Decided(w *desk.Work, c *store.Count, lines []store.CountLine, x Decision) (rows []store.Decision, err error) {
	x.Person = cmp.Or(x.Person, w.Person.Name)
	sign, err := signOf(w, &x)
	if err != nil {
		return nil, err
	}
	t := NewTallying(w, c)
	if len(lines) > 2000 {
		if err := t.Preload(); err != nil {
			return nil, err
		}
	}
	rows = make([]store.Decision, len(lines))
	for i := range lines {
		l := &lines[i]
		if l.Queue == store.NotQueued {
			if l.Postings > 0 {
				return nil, desk.Refuse("%s went out already, and nothing of it is open.", LineName(w.Tx, c, l.Pos))
			}
			return nil, desk.Refuse("%s has no variance to decide.", LineName(w.Tx, c, l.Pos))
		}
		if sign == "over" && l.Rest < 0 || sign == "short" && l.Rest > 0 {
			return nil, desk.RefuseAs(
				desk.Invalid,
				"reason",
				"%s does not explain %s, which is %s. Take another reason.",
				x.Reason,
				LineName(w.Tx, c, l.Pos),
				map[bool]string{true: "over", false: "short"}[l.Rest > 0],
			)
		}
		before := *l
		rest := l.Rest
		rows[i] = store.Decision{CountID: c.ID, Pos: l.Pos, Kind: x.Kind, Reason: x.Reason, Person: x.Person, At: w.Now, Quantity: &rest,
			Rule: x.Rule}
		l.Decision, l.Reason = x.Kind, x.Reason
		l.Enqueue(LineState(l))
		if err := t.Move(&before, l, false); err != nil {
			return nil, err
		}
	}
	if err := store.UpdateCountLines(w.Tx, c, lines); err != nil {
		return nil, err
	}
	return rows, t.Write()
}

// signOf gives the sign of variances that a reason explains, where it is one alone and something is accepted for it.
func signOf(w *desk.Work, x *Decision) (sign string, err error) {
	if x.Reason == "" || x.Kind != store.Accept {
		return "", nil
	}
	r, err := store.ReasonOf(w.Tx, x.Reason)
	return r.Sign, err
}
