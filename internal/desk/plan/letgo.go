package plan

import (
	"cmp"
	"context"
	"maps"
	"slices"
	"strconv"

	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/store"
)

// LetGo takes the lines of sheets of which nothing is counted out of a running count. What is counted of them all the
// same is held against what was recorded, as all that is counted beside a count. Of a count of two rounds the sheets of the
// other round that have the same lines go with them.
func (d *Room) LetGo(ctx context.Context, p desk.Person, countID int64, numbers []int) error {
	_, err := desk.Do(ctx, d.Desk, p, desk.Plan, desk.Key{}, func(w *desk.Work) (none struct{}, err error) {
		x, err := d.recutting(w, countID)
		if err != nil {
			return none, err
		}
		sheets, err := x.sheets(numbers)
		if err != nil {
			return none, err
		}
		if sheets, err = x.bothRounds(sheets); err != nil {
			return none, err
		}
		again, err := count.BeingRecounted(w.Tx, x.c.ID)
		if err != nil {
			return none, err
		}
		lines := 0
		for i := range sheets {
			s := &sheets[i]
			for pos, on := range again {
				if pos >= s.First && pos < s.First+int64(s.Lines) {
					return none, desk.RefuseAs(desk.Invalid, "sheets",
						"Lines of sheet %d are on sheet %d to be counted again. Take that sheet back first.", s.Number, on)
				}
			}
			var touched bool
			if err := w.Raw("SELECT EXISTS (SELECT 1 FROM entries WHERE count_id = ? AND pos >= ? AND pos < ?)", x.c.ID, s.First,
				s.First+int64(s.Lines)).Scan(&touched).Error; err != nil {
				return none, err
			}
			if touched || s.State == store.Back {
				return none, desk.RefuseAs(
					desk.Invalid,
					"sheets",
					"Something of sheet %d was counted. Part it, and let the rest go.",
					s.Number,
				)
			}
			if s.InRound() == 1 { // lines are told by their sheet of the first round
				var positions []int64
				if err := w.Raw("SELECT pos FROM count_lines WHERE count_id = ? AND pos >= ? AND pos < ?", x.c.ID, s.First,
					s.First+int64(s.Lines)).Scan(&positions).Error; err != nil {
					return none, err
				}
				if err := count.TakeOut(w, x.c, positions); err != nil {
					return none, err
				}
				lines += len(positions)
			}
			to := map[string]any{"state": store.LetGo, "coded": s.Rows(), "let": s.Lines, "lines": 0, "counted": 0, "counter": "", "due": 0}
			if err := w.Model(s).Updates(to).Error; err != nil {
				return none, err
			}
		}
		var left int
		if err := w.Raw("SELECT count(*) FROM sheets WHERE count_id = ? AND state NOT IN ?", x.c.ID, store.Void).Scan(&left).Error; err != nil {
			return none, err
		}
		if left == 0 {
			return none, desk.RefuseAs(desk.Invalid, "sheets", "Nothing would be left of the count. Finish it instead.")
		}
		d.facts.forget()
		return none, w.Say("lines let go", map[string]any{"count": x.c.ID, "sheets": numbersOf(sheets), "lines": lines})
	})
	return err
}

// TakeUp takes sheets that were let go into the count again, with what was counted of their lines meanwhile, and of a count of
// two rounds those of the other round that went with them.
func (d *Room) TakeUp(ctx context.Context, p desk.Person, countID int64, numbers []int) error {
	_, err := desk.Do(ctx, d.Desk, p, desk.Plan, desk.Key{}, func(w *desk.Work) (none struct{}, err error) {
		x, err := d.recutting(w, countID)
		if err != nil {
			return none, err
		}
		var sheets []store.Sheet
		if err := w.Where("count_id = ? AND number IN ? AND state = ?", x.c.ID, numbers, store.LetGo).Find(&sheets).Error; err != nil {
			return none, err
		}
		if len(sheets) != len(numbers) {
			return none, desk.RefuseAs(desk.Changed, "sheets", "Not all of these sheets were let go. Look at them again.")
		}
		if sheets, err = x.bothRounds(sheets); err != nil {
			return none, err
		}
		for i := range sheets {
			s := &sheets[i]
			if s.InRound() == 1 {
				if err := count.TakeIn(w, x.c, s); err != nil {
					return none, err
				}
			}
			if s.Lines = s.Let; s.Coded == s.Lines {
				s.Coded = 0
			}
			if err := count.CountedOn(w, x.c, s); err != nil {
				return none, err
			}
			to := map[string]any{"state": store.WithUs, "lines": s.Lines, "coded": s.Coded, "let": 0, "counted": s.Counted}
			if err := w.Model(&store.Sheet{}).Where("id = ?", s.ID).Updates(to).Error; err != nil {
				return none, err
			}
		}
		d.facts.forget()
		return none, w.Say("lines taken up", map[string]any{"count": x.c.ID, "sheets": numbersOf(sheets)})
	})
	return err
}

// numbersOf gives the numbers of sheets, in order.
func numbersOf(sheets []store.Sheet) []int {
	out := make([]int, len(sheets))
	for i := range sheets {
		out[i] = sheets[i].Number
	}
	slices.Sort(out)
	return out
}

// named names sheets by their numbers.
func named(numbers []int) string {
	out := "sheet"
	if len(numbers) > 1 {
		out += "s"
	}
	for i, n := range numbers {
		if i > 0 {
			out += ","
		}
		out += " " + strconv.Itoa(n)
	}
	return out
}

// stretch is the lines that a sheet has, or had when it was let go.
func stretch(s *store.Sheet) (from, to int64) {
	if s.State == store.LetGo {
		return s.First, s.First + int64(s.Let)
	}
	return s.First, s.First + int64(s.Lines)
}

// bothRounds adds to sheets, which stand or were let go, those of the other round of a count of two rounds that have the same
// lines and empty bins. It refuses where these have others, too: a line that one round has and the other has not would never
// agree. The sheets of the first round come first.
func (x *recutting) bothRounds(sheets []store.Sheet) ([]store.Sheet, error) {
	if x.c.Rounds != 2 {
		return sheets, nil
	}
	gone, all := sheets[0].State == store.LetGo, []store.Sheet{}
	q := x.w.Where("count_id = ? AND state NOT IN ?", x.c.ID, store.Void)
	if gone {
		q = x.w.Where("count_id = ? AND state = ?", x.c.ID, store.LetGo)
	}
	if err := q.Find(&all).Error; err != nil {
		return nil, err
	}
	var empty []store.EmptyBin
	if err := x.w.Where("count_id = ?", x.c.ID).Find(&empty).Error; err != nil {
		return nil, err
	}
	bins := map[int64][]int64{} // by sheet: places of its empty bins
	for _, b := range empty {
		bins[b.SheetID] = append(bins[b.SheetID], b.Place)
	}
	picked := map[int64]store.Sheet{}
	for _, s := range sheets {
		picked[s.ID] = s
	}
	meets := func(a, b *store.Sheet) bool {
		from, to := stretch(a)
		other, end := stretch(b)
		if max(from, other) < min(to, end) {
			return true
		}
		return slices.ContainsFunc(bins[a.ID], func(place int64) bool { return slices.Contains(bins[b.ID], place) })
	}
	for i := range all {
		s := &all[i]
		for _, chosen := range sheets {
			if s.InRound() != chosen.InRound() && meets(s, &chosen) {
				picked[s.ID] = *s
			}
		}
	}
	has := [2]map[int64]bool{{}, {}} // by round: lines, and places of empty bins below zero
	for _, s := range picked {
		in := has[s.InRound()-1]
		from, to := stretch(&s)
		for pos := from; pos < to; pos++ {
			in[pos] = true
		}
		for _, place := range bins[s.ID] {
			in[-1-place] = true
		}
	}
	if !maps.Equal(has[0], has[1]) {
		others := []store.Sheet{}
		for _, s := range picked {
			if !slices.ContainsFunc(sheets, func(c store.Sheet) bool { return c.ID == s.ID }) {
				others = append(others, s)
			}
		}
		return nil, desk.RefuseAs(
			desk.Invalid,
			"sheets",
			"The other round has these lines on sheets with further ones (%s). Choose all sheets that have them, or part those first.",
			named(numbersOf(others)),
		)
	}
	out := slices.Collect(maps.Values(picked))
	slices.SortFunc(out, func(a, b store.Sheet) int {
		return cmp.Or(cmp.Compare(a.InRound(), b.InRound()), cmp.Compare(a.First, b.First), cmp.Compare(a.Number, b.Number))
	})
	return out, nil
}
