// Package counting is sheets on their way out and counts on their way back: handing out, writing, typing in, taking back.
package counting

import (
	"cmp"
	"context"
	"fmt"
	"strings"
	"time"

	"wobin/internal/core/barcode"
	"wobin/internal/core/counting"
	"wobin/internal/core/field"
	"wobin/internal/core/form"
	"wobin/internal/core/quantity"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/store"
)

// Room is the use cases of counting.
type Room struct{ *desk.Desk }

// New makes the room.
func New(d *desk.Desk) *Room { return &Room{d} }

// Typed is one count typed into a sheet's grid, or the withdrawal of one.
type Typed struct {
	RowCode   string             `json:"row_code,omitempty" doc:"of the row; empty where something was found that no row is for"`
	Found     *Found             `json:"found,omitempty" doc:"what was found, and on which sheet it was written"`
	Quantity  *quantity.Quantity `json:"quantity,omitempty" doc:"left out, and without text, nothing is changed; a count is taken back with withdraw"`
	Text      string             `json:"text,omitempty" maxLength:"200" doc:"in place of the quantity, as it was typed: a number, a sum such as 12*24+7, or packs such as 3bx+5"`
	Withdraw  bool               `json:"withdraw,omitempty" doc:"take the count of this row back; it is uncounted then"`
	Saw       *int64             `json:"saw,omitempty" doc:"number of the entry that whoever typed saw in the row, 0 for none; where another one stands by now, it is refused and says which"`
	CountedAt string             `json:"counted_at,omitempty"`
	Since     string             `json:"since,omitempty" doc:"where paper says from when to when it was counted: from when; counted_at is to when"`
	Counter   string             `json:"counter,omitempty"`
	Again     string             `json:"again,omitempty" enum:",add,replace" doc:"what becomes of counts of the same line in other sheets or files: both add up, or the new one stands alone"`
	Sure      bool               `json:"sure,omitempty" doc:"the counting time is meant, though it lies before the freeze or is still to come"`
}

// Found is stock that was found where no row of a sheet is for it, as it was written on the sheet.
type Found struct {
	Sheet   int    `json:"sheet" doc:"number of the sheet that it was written on"`
	Bin     string `json:"bin"`
	SKU     string `json:"sku" doc:"of the item, or its barcode or further SKU, or what a scanner sent: a GTIN, a GS1 element string or a Digital Link"`
	Lot     string `json:"lot,omitempty"`
	Serial  string `json:"serial,omitempty"`
	Holding string `json:"holding,omitempty"`

	scan  barcode.Scan // where the item was scanned
	codes []string     // the forms of its GTIN
	pack  string       // that the barcode stands for, in words; "" where it is the item's own
}

// TypeIn takes counts that were typed at the desk. Each is an entry; one for a row that has an entry replaces it. All of them
// or none.
func (d *Room) TypeIn(
	ctx context.Context,
	p desk.Person,
	countID int64,
	key string,
	zoneName string,
	typed []Typed,
) (count.TakenIn, error) {
	zone, err := desk.ZoneNamed(zoneName)
	if err != nil {
		return count.TakenIn{}, err
	}
	once := desk.Key{Text: key, Body: []any{countID, zoneName, typed}}
	return desk.Do(ctx, d.Desk, p, desk.Enter, once, func(w *desk.Work) (out count.TakenIn, err error) {
		c, err := w.Running(countID)
		if err != nil {
			return out, err
		}
		if out, _, err = typeIn(w, c, zone, typed, false); err != nil {
			return out, err
		}
		return out, w.Say(
			"counts typed",
			map[string]any{"count": c.ID, "added": out.Added, "revised": out.Changed, "withdrawn": out.Gone},
		)
	})
}

// typeIn writes typed counts, and gives their lines. Those from the tray are beside what stands in their row, not in its place.
func typeIn(w *desk.Work, c *store.Count, zone *time.Location, typed []Typed, tray bool) (out count.TakenIn, positions []int64, err error) {
	out.Count, out.Kind = c.ID, field.Counts
	rows := map[string]int64{}
	on, known := map[string]store.Sheet{}, map[int]store.Sheet{} // by row: the sheet that it is written on
	for i := range typed {
		t := &typed[i]
		code := t.code()
		pos, err := int64(0), error(nil)
		if t.Found != nil {
			pos, on[code], err = t.Found.line(w, c, tray)
			t.scanned()
			sheet := on[code]
			code = t.code() // what was scanned says more than where and what
			on[code] = sheet
			if err == nil && t.Quantity == nil && t.Text == "" && !t.Withdraw {
				err = desk.RefuseAs(desk.Invalid, "quantity", "%s: say how many were found.", code)
			}
		} else {
			pos, on[code], err = rowOf(w, c, code, known)
		}
		if err != nil {
			return out, nil, err
		}
		if _, twice := rows[code]; twice {
			return out, nil, desk.RefuseAs(desk.Invalid, "entries", "%s comes twice in what was sent. Send each row once.", code)
		}
		rows[code] = pos
		positions = append(positions, pos)
	}
	stands := map[int64][]store.Entry{}
	err = store.Standing(w.Tx, c.ID, store.Positions{Some: positions}, func(e *store.Entry) error {
		stands[e.Pos] = append(stands[e.Pos], *e)
		return nil
	})
	if err != nil {
		return out, nil, err
	}
	if err := workOut(w, c, typed, rows); err != nil {
		return out, nil, err
	}
	freezes, err := count.FreezesOf(w.Tx, c)
	if err != nil {
		return out, nil, err
	}
	var entries []store.Entry
	for _, t := range typed {
		x := typing{w: w, c: c, t: &t, pos: rows[t.code()], freezes: freezes}
		sheet := on[t.code()]
		if t.Found != nil {
			t.RowCode = t.code() // as it is told of
			x.parcel = counting.Parcel(sheet.Number, 1)
		}
		x.sheet, x.by = sheet.ID, counting.CountedBy(t.Counter, sheet.Counter, w.Person.Name)
		x.round = sheet.InRound()
		x.beside(stands[x.pos], sheet.Number, tray)
		at := w.Now
		if t.CountedAt != "" {
			if at, err = form.ParseTime(t.CountedAt, zone); err != nil {
				return out, nil, desk.RefuseAs(desk.Invalid, "counted_at", "%q %v.", t.CountedAt, err)
			}
		}
		if t.Since != "" {
			if x.since, err = form.ParseTime(t.Since, zone); err != nil {
				return out, nil, desk.RefuseAs(desk.Invalid, "since", "%q %v.", t.Since, err)
			}
			if t.CountedAt == "" {
				return out, nil, desk.RefuseAs(desk.Invalid, "counted_at", "Say up to when it was counted, too.")
			}
			if x.since > at {
				return out, nil, desk.RefuseAs(
					desk.Invalid,
					"since",
					"Counted from %s lies behind counted to. Correct one of the two.",
					t.Since,
				)
			}
		}
		if err := x.samePerson(stands[x.pos]); err != nil {
			return out, nil, err
		}
		some, err := x.entries(at, &out.Outcome)
		if err != nil {
			return out, nil, err
		}
		entries = append(entries, some...)
	}
	if len(entries) > 0 {
		if _, _, err := count.Enter(w, c, entries, nil); err != nil {
			return out, nil, err
		}
	}
	for _, s := range on {
		if err := w.Exec("UPDATE sheets SET state = ?, out_at = ? WHERE id = ? AND state = ?", store.Out, w.Now, s.ID,
			store.WithUs).Error; err != nil {
			return out, nil, err
		}
		if err := w.Exec("UPDATE sheets SET state = ?, back_at = ? WHERE id = ? AND counted = lines AND lines > 0 AND state <> ?", store.Back, w.Now, s.ID,
			store.Back).Error; err != nil {
			return out, nil, err
		}
	}
	return out, positions, nil
}

// rowOf finds the line of a row code of this count, and the sheet that it is on now.
// Sheets are noted in known by their numbers.
func rowOf(w *desk.Work, c *store.Count, code string, known map[int]store.Sheet) (pos int64, s store.Sheet, err error) {
	count, number, row, ok := counting.ParseCode(code)
	if ok && row > 0 && int64(count) == c.ID {
		if s, ok = known[number]; !ok {
			if err = w.Where("count_id = ? AND number = ?", c.ID, number).Limit(1).Find(&s).Error; err != nil {
				return 0, s, err
			}
			known[number] = s
		}
	}
	if s.ID == 0 || row > s.Rows() {
		return 0, s, desk.RefuseAs(desk.Invalid, "row_code", "%q is no row of this count.", code)
	}
	pos = s.PosOf(row)
	if row > s.Lines {
		round := s.InRound()
		s = store.Sheet{}
		err = w.Where("count_id = ? AND first <= ? AND first + lines > ? AND max(round, 1) = ?", c.ID, pos, pos, round).
			Limit(1).
			Find(&s).
			Error
	}
	return pos, s, err
}

// typing is one row that is typed, with what stands of its line.
type typing struct {
	w     *desk.Work
	c     *store.Count
	t     *Typed
	pos   int64
	sheet int64
	by    string // who counted it
	since int64  // from when it was counted, where paper says so
	// parcel tells the typed count of a line from others of it: that of the row itself, or, of what was found, that of the
	// first row that was added to the sheet by hand, so that the sheet as a file and as typed say the same.
	parcel  int64
	round   int           // of the sheet that it is written on
	own     store.Entry   // that of the row itself, or its withdrawal
	others  []store.Entry // of the same line, from other sheets and files
	freezes *count.Freezes
}

func (x *typing) entry(replaces store.Entry) store.Entry {
	e := store.Entry{
		CountID:  x.c.ID,
		Pos:      x.pos,
		SheetID:  x.sheet,
		Round:    x.round,
		Parcel:   x.parcel,
		Replaces: replaces.ID,
		Person:   x.w.Person.Name,
		At:       x.w.Now,
	}
	if replaces.ID != 0 {
		e.Parcel = replaces.Parcel
	}
	return e
}

// beside tells apart what stands in the row itself and what stands of its line elsewhere. What comes from the tray was seen by nobody
// beside what stands, so a count that stands in its row is another one, too, and it gets the next parcel of the sheet.
func (x *typing) beside(stands []store.Entry, sheet int, tray bool) {
	last := int64(0)
	for _, e := range stands {
		if e.Round != x.round {
			continue
		}
		if sheet > 0 && e.Parcel>>20 == int64(sheet) {
			last = max(last, e.Parcel&(1<<20-1))
		}
		switch {
		case e.Parcel == x.parcel:
			x.own = e
		case !e.Withdrawn:
			x.others = append(x.others, e)
		}
	}
	if tray && standingID(&x.own) != 0 {
		x.others = append(x.others, x.own)
		x.own, x.parcel = store.Entry{}, counting.Parcel(sheet, int(last)+1)
	}
}

// samePerson asks where somebody counts a line in the second of two rounds who counted it in the first.
func (x *typing) samePerson(stands []store.Entry) error {
	again := x.round >= store.FirstRecount
	if x.c.Rounds != 2 && !again || x.t.Sure || x.t.Withdraw || x.t.Quantity == nil {
		return nil
	}
	who := x.by
	for _, e := range stands {
		if again && e.Round < x.round && !e.Withdrawn && strings.EqualFold(e.Counter, who) {
			return desk.RefuseAs(
				desk.Asks,
				"sure",
				"%s: %s counted it before, too. A recount is by somebody else: say who counted it, or that it is meant.",
				x.t.RowCode,
				who,
			)
		}
		if !again && e.Round+x.round == 3 && !e.Withdrawn && strings.EqualFold(e.Counter, who) {
			return desk.RefuseAs(
				desk.Asks,
				"sure",
				"%s: %s counted it in the other round, too. Two rounds are by different people: say who counted it, or that it is meant.",
				x.t.RowCode,
				who,
			)
		}
	}
	return nil
}

// entries gives the entries that one typed row comes to, and counts it by what becomes of it.
func (x *typing) entries(at int64, out *count.Outcome) ([]store.Entry, error) {
	t, stands := x.t, x.own.ID != 0 && !x.own.Withdrawn
	if t.Quantity == nil && !t.Withdraw {
		return nil, nil
	}
	if t.Saw != nil && *t.Saw != standingID(&x.own) {
		return nil, desk.RefuseAs(desk.Changed, t.RowCode, "%s: %s Type it again over what stands, or leave it.", t.RowCode, x.says())
	}
	if t.Withdraw {
		if !stands {
			return nil, desk.RefuseAs(desk.Invalid, "withdraw", "%s has no count of its own that could be withdrawn.", t.RowCode)
		}
		e := x.entry(x.own)
		e.Withdrawn, e.CountedAt, e.Counter = true, x.own.CountedAt, x.w.Person.Name
		out.Gone++
		return []store.Entry{e}, nil
	}
	if *t.Quantity < 0 {
		return nil, desk.RefuseAs(
			desk.Invalid,
			"quantity",
			"%s: %s is below zero. Nothing can be counted less than 0.",
			t.RowCode,
			t.Quantity,
		)
	}
	if err := x.timely(at); err != nil {
		return nil, err
	}
	if stands && x.own.Quantity == int64(*t.Quantity) && (t.CountedAt == "" || at == x.own.CountedAt && x.since == x.own.Since) {
		out.Unchanged++
		return nil, nil
	}
	e := x.entry(x.own)
	e.Quantity, e.CountedAt, e.Since, e.Counter = int64(*t.Quantity), at, x.since, x.by
	list := []store.Entry{e}
	if stands {
		if t.CountedAt == "" {
			list[0].CountedAt, list[0].Since = x.own.CountedAt, x.own.Since
		}
		out.Changed++
		return list, nil
	}
	out.Added++
	if len(x.others) == 0 {
		return list, nil
	}
	switch t.Again {
	case count.AddUp:
	case count.Replace:
		for _, o := range x.others {
			gone := x.entry(o)
			gone.SheetID, gone.Withdrawn, gone.CountedAt, gone.Counter = o.SheetID, true, o.CountedAt, x.w.Person.Name
			list = append(list, gone)
			out.Gone++
		}
	default:
		sum := ""
		for i, o := range x.others {
			if i > 0 {
				sum += ", "
			}
			sum += fmt.Sprintf("%s by %s", quantity.Quantity(o.Quantity), cmp.Or(o.Counter, "somebody"))
		}
		return nil, desk.RefuseAs(
			desk.Asks,
			"again",
			"%s is counted already, in another sheet or file: %s. Say whether both add up, or the new count stands alone.",
			t.RowCode,
			sum,
		)
	}
	return list, nil
}

// timely asks about a counting time that can hardly be.
func (x *typing) timely(at int64) error {
	if x.t.Sure || x.t.CountedAt == "" {
		return nil
	}
	when := desk.Instant(at).Format("2006-01-02 15:04 MST")
	switch {
	case at < x.freezes.At(x.pos):
		return desk.RefuseAs(
			desk.Asks,
			"sure",
			"%s: %s lies before the freeze (%s). Correct it, or say that it is meant.",
			x.t.RowCode,
			when,
			desk.Instant(x.freezes.At(x.pos)).Format("2006-01-02 15:04 MST"),
		)
	case at > x.w.Now:
		return desk.RefuseAs(desk.Asks, "sure", "%s: %s is still to come. Correct it, or say that it is meant.", x.t.RowCode, when)
	}
	return nil
}

// standingID is the number of an entry that stands as a count; 0 for none.
func standingID(e *store.Entry) int64 {
	if e.Withdrawn {
		return 0
	}
	return e.ID
}

// says tells what stands in the row.
func (x *typing) says() string {
	switch {
	case x.own.ID == 0:
		return "nothing stands in the row any more."
	case x.own.Withdrawn:
		return "its count was withdrawn meanwhile."
	}
	who := cmp.Or(x.own.Counter, "somebody who is not named")
	if x.own.Person != "" && x.own.Person != who {
		who += ", typed by " + x.own.Person
	}
	return fmt.Sprintf("%s stands meanwhile (%s).", quantity.Quantity(x.own.Quantity), who)
}
