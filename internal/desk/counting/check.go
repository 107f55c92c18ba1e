package counting

import (
	"context"

	"wobin/internal/core/counting"
	"wobin/internal/core/quantity"
	"wobin/internal/desk"
	"wobin/internal/store"
)

// Twice is a row that was typed a second time.
type Twice struct {
	RowCode string `json:"row_code"`
	Text    string `json:"text" maxLength:"200" doc:"as it was typed: a number, a sum or packs; empty where the paper has nothing"`
}

// Differs is a row whose second typing is not the first.
type Differs struct {
	RowCode string             `json:"row_code"`
	First   *quantity.Quantity `json:"first" doc:"what stands; null where nothing does"`
	Second  *quantity.Quantity `json:"second" doc:"what was typed now; null where nothing was"`
	Entry   int64              `json:"entry" doc:"number of the entry that stands; 0 for none"`
	Counter string             `json:"counter"`
}

// Checked is what the second typing of a sheet comes to.
type Checked struct {
	Same    int       `json:"same"`
	Differs []Differs `json:"differs"`
	Checked bool      `json:"checked" doc:"all of it is the same, which is noted at the sheet"`
}

// Check holds a second typing of a whole sheet against what stands. Nothing is changed by it; where all is the same, the sheet is checked.
func (d *Room) Check(ctx context.Context, p desk.Person, countID int64, number int, typed []Twice) (Checked, error) {
	return desk.Do(ctx, d.Desk, p, desk.Enter, desk.Key{}, func(w *desk.Work) (out Checked, err error) {
		out.Differs = []Differs{}
		c, err := w.Running(countID)
		if err != nil {
			return out, err
		}
		var s store.Sheet
		if err := w.Where("count_id = ? AND number = ?", c.ID, number).Limit(1).Find(&s).Error; err != nil {
			return out, err
		}
		if s.ID == 0 || s.Void() {
			return out, desk.Missing("The sheet")
		}
		if s.Lines == 0 {
			return out, desk.Refuse("Sheet %d has no rows that could be typed a second time.", number)
		}
		second := map[int64]*quantity.Quantity{}
		known := map[int]store.Sheet{}
		for _, t := range typed {
			pos, on, err := rowOf(w, c, t.RowCode, known)
			if err != nil {
				return out, err
			}
			if on.ID != s.ID {
				return out, desk.RefuseAs(desk.Invalid, "row_code", "%q is not on sheet %d.", t.RowCode, number)
			}
			row := []Typed{{RowCode: t.RowCode, Text: t.Text, Sure: true}}
			if err := workOut(w, c, row, map[string]int64{row[0].code(): pos}); err != nil {
				return out, err
			}
			second[pos] = row[0].Quantity
		}
		stands := map[int64]store.Entry{}
		err = store.Standing(w.Tx, c.ID, s.Positions(), func(e *store.Entry) error {
			if e.Round == s.InRound() && e.Parcel == 0 && !e.Withdrawn {
				stands[e.Pos] = *e
			}
			return nil
		})
		if err != nil {
			return out, err
		}
		for row := 1; row <= s.Lines; row++ {
			pos := s.PosOf(row)
			e, had := stands[pos]
			now := second[pos]
			if had == (now != nil) && (!had || int64(*now) == e.Quantity) {
				out.Same++
				continue
			}
			x := Differs{RowCode: counting.RowCode(int(c.ID), s.Number, row), Second: now}
			if had {
				q := quantity.Quantity(e.Quantity)
				x.First, x.Entry, x.Counter = &q, e.ID, e.Counter
			}
			out.Differs = append(out.Differs, x)
		}
		if out.Checked = len(out.Differs) == 0; !out.Checked {
			return out, w.Say("sheet typed again", map[string]any{"count": c.ID, "sheet": number, "differs": len(out.Differs)})
		}
		if err := w.Model(&s).Updates(map[string]any{"checked_by": p.Name, "checked_at": w.Now}).Error; err != nil {
			return out, err
		}
		return out, w.Say("sheet checked", map[string]any{"count": c.ID, "sheet": number})
	})
}
