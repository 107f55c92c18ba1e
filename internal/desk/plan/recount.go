package plan

import (
	"context"
	"encoding/json"
	"slices"

	"wobin/internal/core/counting"
	"wobin/internal/core/cutting"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/store"
)

// Again is lines that are to be counted again.
type Again struct {
	Lines []int64 `json:"lines" minItems:"1" maxItems:"20000" doc:"their positions"`
	Rows  int     `json:"rows,omitempty" minimum:"0" maximum:"500" doc:"how many stand on a sheet at most; left out: 60"`
}

// AgainMade is the sheets of a recount.
type AgainMade struct {
	Sheets []int `json:"sheets" doc:"their numbers"`
	Lines  int   `json:"lines"`
	Round  int   `json:"round" doc:"1 for the first recount of the lines, 2 for the second"`
}

// Recount makes sheets of chosen lines, in walking order, that are counted again: blind, and by somebody else than who counted them first.
// A recount stands over what was counted before it.
func (d *Room) Recount(ctx context.Context, p desk.Person, countID int64, a Again) (AgainMade, error) {
	return desk.Do(ctx, d.Desk, p, desk.Plan, desk.Key{}, func(w *desk.Work) (out AgainMade, err error) {
		x, err := d.recutting(w, countID)
		if err != nil {
			return out, err
		}
		positions := slices.Clone(a.Lines)
		slices.Sort(positions)
		if positions = slices.Compact(positions); len(positions) != len(a.Lines) {
			return out, desk.RefuseAs(desk.Invalid, "lines", "Name each line once.")
		}
		return x.recount(positions, a.Rows)
	})
}

// mostAgain is how many lines are given out again at once.
const mostAgain = 20_000

// RecountUncounted makes sheets, as Recount does, of the uncounted lines of a part that no sheet holds which is still to come. expect is
// the number of lines that the person saw.
func (d *Room) RecountUncounted(
	ctx context.Context,
	p desk.Person,
	countID int64,
	part count.UncountedPart,
	expect int,
) (AgainMade, error) {
	return desk.Do(ctx, d.Desk, p, desk.Plan, desk.Key{}, func(w *desk.Work) (out AgainMade, err error) {
		x, err := d.recutting(w, countID)
		if err != nil {
			return out, err
		}
		lines, _, err := count.Uncounted(w, x.c, part)
		if err != nil {
			return out, err
		}
		positions, err := count.Returned(w.Tx, x.c, lines)
		if err != nil {
			return out, err
		}
		switch n := len(positions); {
		case n != expect:
			return out, desk.RefuseAs(desk.Changed, "lines", "It is %s now, not %d. Look at it again.", desk.Plural(n, "line", "lines"), expect)
		case n == 0:
			return out, desk.Refuse("There is no uncounted line here that is on no sheet still to come.")
		case n > mostAgain:
			return out, desk.Refuse("These are %d lines; at most %d are given out again at once. Take a zone or a sheet at a time.", n, mostAgain)
		}
		return x.recount(positions, 0)
	})
}

// recount makes the sheets of lines, which stand in the order of their positions; rows as in Again.
func (x *recutting) recount(positions []int64, rows int) (out AgainMade, err error) {
	lines := make([]count.NamedLine, 0, len(positions))
	list, err := json.Marshal(positions)
	if err != nil {
		return out, err
	}
	const these = " AND l.status <> 'gone' AND l.pos IN (SELECT value FROM json_each(?)) ORDER BY l.pos"
	if err := x.w.Raw(count.NamedLines+these, x.c.ID, string(list)).Scan(&lines).Error; err != nil {
		return out, err
	}
	if len(lines) != len(positions) {
		return out, desk.Missing("A line")
	}
	round, err := x.nextRecount(positions)
	if err != nil {
		return out, err
	}
	sheet, err := x.recountSheets(round)
	if err != nil {
		return out, err
	}
	if rows == 0 {
		rows = 60
	}
	for from := 0; from < len(lines); {
		to := min(from+rows, len(lines))
		for back := to; back < len(lines) && back > from+1; back-- { // a bin is on one sheet where it fits
			if lines[back-1].BinID != lines[back].BinID {
				to = back
				break
			}
		}
		s, err := sheet(lines[from:to])
		if err != nil {
			return out, err
		}
		out.Sheets = append(out.Sheets, s.Number)
		from = to
	}
	out.Lines, out.Round = len(lines), round-store.FirstRecount+1
	return out, x.w.Say("recount", map[string]any{"count": x.c.ID, "sheets": out.Sheets, "lines": out.Lines, "recount": out.Round})
}

// nextRecount is the round of a recount of lines: behind those that any of them is in. Lines whose recount is not back yet are not
// given out a second time.
func (x *recutting) nextRecount(positions []int64) (round int, err error) {
	round = store.FirstRecount
	var before []store.Sheet
	if err := x.w.Where("count_id = ? AND picked <> '' AND state NOT IN ?", x.c.ID, store.Void).Find(&before).Error; err != nil {
		return 0, err
	}
	for i := range before {
		s := &before[i]
		for _, pos := range s.Positions().Some {
			if _, is := slices.BinarySearch(positions, pos); !is {
				continue
			}
			if s.State != store.Back {
				const again = "%s is to be counted again already, on sheet %d."
				return 0, desk.RefuseAs(desk.Invalid, "lines", again, count.LineName(x.w.Tx, x.c, pos), s.Number)
			}
			round = max(round, s.Round+1)
		}
	}
	return round, nil
}

// recountSheets gives what makes one sheet after another of a round.
func (x *recutting) recountSheets(round int) (sheet func(lines []count.NamedLine) (store.Sheet, error), err error) {
	way, err := x.walk()
	if err != nil {
		return nil, err
	}
	return func(lines []count.NamedLine) (store.Sheet, error) {
		s, err := recountSheet(lines, way)
		if err != nil {
			return s, err
		}
		s.CountID, s.Number, s.Code, s.Round = x.c.ID, x.next, counting.SheetCode(int(x.c.ID), x.next), round
		x.next++
		err = x.w.Create(&s).Error
		return s, err
	}, nil
}

// recountSheet makes the sheet of some lines, as yet without a number.
func recountSheet(lines []count.NamedLine, way *walk) (s store.Sheet, err error) {
	picked := make([]int64, len(lines))
	var before *cutting.Stop
	zone := ""
	for i := 0; i < len(lines); {
		to := i
		for ; to < len(lines) && lines[to].BinID == lines[i].BinID; to++ {
			picked[to] = lines[to].Pos
		}
		stop := way.stop(lines[i].BinID)
		s.Seconds += way.pace.Seconds(before, stop, to-i)
		if z := way.bins.Names[stop.Zone]; zone == "" {
			zone = z
		} else if z != zone && z != "" {
			zone = "several"
		}
		before, i = stop, to
	}
	b, err := json.Marshal(picked)
	if err != nil {
		return s, err
	}
	s.Zone, s.FirstBin, s.LastBin = zone, lines[0].Bin, lines[len(lines)-1].Bin
	s.First, s.Lines, s.State, s.Picked = -int64(len(lines)), len(lines), store.WithUs, string(b)
	return s, nil
}

// DropRecount takes sheets of a recount away of which nothing was counted.
func (d *Room) DropRecount(ctx context.Context, p desk.Person, countID int64, numbers []int) error {
	_, err := desk.Do(ctx, d.Desk, p, desk.Plan, desk.Key{}, func(w *desk.Work) (none struct{}, err error) {
		c, err := w.Running(countID)
		if err != nil {
			return none, err
		}
		var sheets []store.Sheet
		q := w.Where("count_id = ? AND number IN ? AND picked <> '' AND state NOT IN ?", c.ID, numbers, store.Void)
		if err := q.Find(&sheets).Error; err != nil {
			return none, err
		}
		if len(sheets) != len(numbers) {
			return none, desk.RefuseAs(desk.Changed, "sheets", "Not all of these sheets are recounts. Look at them again.")
		}
		for i := range sheets {
			s := &sheets[i]
			if s.Counted > 0 || s.State == store.Back {
				return none, desk.RefuseAs(desk.Invalid, "sheets", "Something of sheet %d was counted. Withdraw its counts first.", s.Number)
			}
			to := map[string]any{"state": store.CutAnew, "coded": s.Lines, "lines": 0, "first": 0, "counter": "", "due": 0}
			if err := w.Model(s).Updates(to).Error; err != nil {
				return none, err
			}
		}
		return none, w.Say("recount dropped", map[string]any{"count": c.ID, "sheets": numbers})
	})
	return err
}
