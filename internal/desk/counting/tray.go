package counting

import (
	"context"
	"encoding/json"
	"strconv"
	"strings"
	"time"

	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/store"
)

// DoubtView is something in the tray.
type DoubtView struct {
	ID        int64         `json:"id"`
	File      string        `json:"file" doc:"the file that it came with; empty where it was typed"`
	Row       int           `json:"row" doc:"of the file"`
	Sheet     int           `json:"sheet" doc:"number of the sheet that it was written on; 0 where that is not known"`
	Kind      string        `json:"kind" doc:"what is wrong, for groups"`
	Wrong     string        `json:"wrong" doc:"what is wrong, in a sentence"`
	Written   count.Written `json:"written"`
	Cells     []string      `json:"cells" doc:"the row as it stood in the file"`
	Person    string        `json:"person"`
	At        time.Time     `json:"at"`
	State     string        `json:"state" enum:"waits,entered,dropped,replaced,undone"`
	Word      string        `json:"word" doc:"why it was dropped"`
	Line      string        `json:"line" doc:"what it was entered as"`
	SettledBy string        `json:"settled_by"`
	SettledAt *time.Time    `json:"settled_at"`
}

// Tray is what waits, and what was settled.
type Tray struct {
	Doubts  []DoubtView `json:"doubts"`
	Next    string      `json:"next"`
	Waits   int         `json:"waits"`
	Settled int         `json:"settled"`
	Sheets  int         `json:"sheets" doc:"the number of the first sheet, on which what has none is noted; 0 where the count has none"`
}

// doubtsAPage is how many are given at once.
const doubtsAPage = 100

// Tray gives what waits in the tray of a count, by what is wrong; with settled, what was settled, the latest first.
func (d *Room) Tray(ctx context.Context, p desk.Person, countID int64, settled bool, after string) (t Tray, err error) {
	t.Doubts = []DoubtView{}
	c, err := d.See(ctx, p, countID)
	if err != nil {
		return t, err
	}
	from, _ := strconv.Atoi(after)
	order := "state = 'waits' ORDER BY d.kind, d.id"
	if settled {
		order = "state <> 'waits' ORDER BY d.settled_at DESC, d.id DESC"
	}
	var rows []struct {
		store.Doubt
		File   string
		Number int
	}
	err = c.Tx.Raw(`SELECT d.*, coalesce(r.file_name, '') AS file, coalesce(s.number, 0) AS number FROM doubts d LEFT JOIN returns r ON r.id = d.return_id
		LEFT JOIN sheets s ON s.id = d.sheet_id WHERE d.count_id = ? AND d.`+order+` LIMIT ? OFFSET ?`, c.ID, doubtsAPage, from).
		Scan(&rows).
		Error
	if err != nil {
		return t, err
	}
	w := &desk.Work{Tx: c.Tx}
	for _, r := range rows {
		v := DoubtView{
			ID:        r.ID,
			File:      r.File,
			Row:       r.FileRow,
			Sheet:     r.Number,
			Kind:      r.Kind,
			Wrong:     r.Wrong,
			Person:    r.Person,
			At:        desk.Instant(r.At),
			State:     r.State,
			Word:      r.Word,
			SettledBy: r.SettledBy,
			SettledAt: desk.Moment(r.SettledAt),
		}
		if err := json.Unmarshal([]byte(r.Written), &v.Written); err != nil {
			return t, err
		}
		if err := json.Unmarshal([]byte(r.Cells), &v.Cells); err != nil {
			return t, err
		}
		if v.Cells == nil {
			v.Cells = []string{}
		}
		if r.State == store.Entered {
			v.Line = count.LineName(w.Tx, c.Count, r.Pos)
		}
		t.Doubts = append(t.Doubts, v)
	}
	if len(rows) == doubtsAPage {
		t.Next = strconv.Itoa(from + len(rows))
	}
	if t.Waits, err = count.Doubts(c.Tx, c.ID); err != nil {
		return t, err
	}
	if err := c.Tx.Raw("SELECT count(*) FROM doubts WHERE count_id = ? AND state <> ?", c.ID, store.Waits).Scan(&t.Settled).Error; err != nil {
		return t, err
	}
	return t, c.Tx.Raw("SELECT coalesce(min(number), 0) FROM sheets WHERE count_id = ? AND state NOT IN ?", c.ID, store.Void).
		Scan(&t.Sheets).
		Error
}

// NoteDoubt puts something that was written on a sheet and is not understood into the tray: an item that nobody knows, a bin that there is
// not. Sent twice with one key it is put there once.
func (d *Room) NoteDoubt(
	ctx context.Context, p desk.Person, key string, countID int64, sheet int, what count.Written, wrong string,
) error {
	once := desk.Key{Text: key, Body: []any{countID, sheet, what, wrong}}
	_, err := desk.Do(ctx, d.Desk, p, desk.Enter, once, func(w *desk.Work) (none struct{}, err error) {
		c, err := w.Running(countID)
		if err != nil {
			return none, err
		}
		if strings.TrimSpace(what.Bin+what.SKU+what.Description+what.Quantity) == "" {
			return none, desk.RefuseAs(desk.Invalid, "written", "Say what was written: where, what and how many.")
		}
		var s store.Sheet
		if err := w.Where("count_id = ? AND number = ?", c.ID, sheet).Limit(1).Find(&s).Error; err != nil {
			return none, err
		}
		if sheet != 0 && s.ID == 0 {
			return none, desk.Missing("The sheet")
		}
		if err := count.KeepDoubts(w, c, []count.NewDoubt{{Sheet: s.ID, Kind: "noted at the desk", Wrong: wrong, Written: what}}); err != nil {
			return none, err
		}
		return none, w.Say("put into the tray", map[string]any{"count": c.ID, "written": what})
	})
	return err
}

// waiting gives doubts that still wait.
func waiting(w *desk.Work, c *store.Count, ids []int64) ([]store.Doubt, error) {
	var out []store.Doubt
	if err := w.Where("count_id = ? AND id IN ?", c.ID, ids).Find(&out).Error; err != nil {
		return nil, err
	}
	if len(out) != len(ids) {
		return nil, desk.Missing("What is in doubt")
	}
	for _, x := range out {
		if x.State != store.Waits {
			return nil, desk.RefuseAs(desk.Changed, "doubt", "It was settled meanwhile, by %s.", x.SettledBy)
		}
	}
	return out, nil
}

// EnterDoubt enters what waits in the tray as a count. It is never put in the place of another one unseen: where its
// line is counted already it is asked what becomes of the two.
func (d *Room) EnterDoubt(ctx context.Context, p desk.Person, countID, doubt int64, zoneName string, t Typed) (count.TakenIn, error) {
	zone, err := desk.ZoneNamed(zoneName)
	if err != nil {
		return count.TakenIn{}, err
	}
	return desk.Do(ctx, d.Desk, p, desk.Enter, desk.Key{}, func(w *desk.Work) (out count.TakenIn, err error) {
		c, err := w.Running(countID)
		if err != nil {
			return out, err
		}
		waits, err := waiting(w, c, []int64{doubt})
		if err != nil {
			return out, err
		}
		if t.Withdraw || t.Quantity == nil && strings.TrimSpace(t.Text) == "" {
			return out, desk.RefuseAs(desk.Invalid, "quantity", "Say how many were counted, or drop it with a word.")
		}
		x := &waits[0]
		if err := whenWritten(&t, x); err != nil {
			return out, err
		}
		out, positions, err := typeIn(w, c, zone, []Typed{t}, true)
		if err != nil {
			return out, err
		}
		err = w.Model(x).
			Updates(map[string]any{"state": store.Entered, "pos": positions[0], "settled_by": p.Name, "settled_at": w.Now}).
			Error
		if err != nil {
			return out, err
		}
		return out, w.Say("entered from the tray", map[string]any{"count": c.ID, "doubt": x.ID, "line": positions[0]})
	})
}

// whenWritten fills in what is not said of a count from the tray by what was written: who counted it, and when. Now is not when
// it was counted.
func whenWritten(t *Typed, x *store.Doubt) error {
	var w count.Written
	if err := json.Unmarshal([]byte(x.Written), &w); err != nil {
		return err
	}
	if t.Counter == "" {
		t.Counter = w.Counter
	}
	switch {
	case t.CountedAt != "":
	case w.CountedAt != "":
		t.CountedAt, t.Since = w.CountedAt, w.Since
	case x.ReturnID != 0:
		return desk.RefuseAs(desk.Invalid, "counted_at", "Say when it was counted; neither the row nor its sheet does.")
	default: // noted at the desk, while it was counted
		t.CountedAt, t.Sure = desk.Instant(x.At).UTC().Format(time.RFC3339Nano), true
	}
	return nil
}

// DropDoubts takes things out of the tray that are no counts, with a word that says why.
func (d *Room) DropDoubts(ctx context.Context, p desk.Person, countID int64, ids []int64, word string) error {
	_, err := desk.Do(ctx, d.Desk, p, desk.Enter, desk.Key{}, func(w *desk.Work) (none struct{}, err error) {
		c, err := w.Running(countID)
		if err != nil {
			return none, err
		}
		if word = strings.TrimSpace(word); word == "" {
			return none, desk.RefuseAs(desk.Invalid, "word", "Say in a word why it is no count.")
		}
		if _, err := waiting(w, c, ids); err != nil {
			return none, err
		}
		err = w.Exec(
			"UPDATE doubts SET state = ?, word = ?, settled_by = ?, settled_at = ? WHERE id IN ?",
			store.Dropped,
			word,
			p.Name,
			w.Now,
			ids,
		).Error
		if err != nil {
			return none, err
		}
		return none, w.Say("dropped from the tray", map[string]any{"count": c.ID, "doubts": ids, "word": word})
	})
	return err
}

// TakeUpDoubt puts something that was dropped, or that a later file seemed to have right, back into the tray.
func (d *Room) TakeUpDoubt(ctx context.Context, p desk.Person, countID, id int64) error {
	_, err := desk.Do(ctx, d.Desk, p, desk.Enter, desk.Key{}, func(w *desk.Work) (none struct{}, err error) {
		c, err := w.Running(countID)
		if err != nil {
			return none, err
		}
		r := w.Exec("UPDATE doubts SET state = ?, word = '', settled_by = '', settled_at = 0 WHERE count_id = ? AND id = ? AND state IN ?",
			store.Waits, c.ID, id, []string{store.Dropped, store.Replaced})
		if r.Error != nil {
			return none, r.Error
		}
		if r.RowsAffected == 0 {
			return none, desk.RefuseAs(
				desk.Changed,
				"doubt",
				"Only what was dropped can be taken up again. What was entered is withdrawn at its line.",
			)
		}
		return none, w.Say("taken up again", map[string]any{"count": c.ID, "doubt": id})
	})
	return err
}
