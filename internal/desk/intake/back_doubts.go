package intake

import (
	"cmp"
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"wobin/internal/core/counting"
	"wobin/internal/core/field"
	"wobin/internal/core/form"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/store"
)

// mostDoubts is how many rows of a file wait in the tray at most: one that is wrong in most of its rows is to be put right as a whole.
const mostDoubts = 2000

// tooDoubtful tells that more rows of a file are in doubt than wait in the tray; "" where they are not.
func (pt *part) tooDoubtful() string {
	if pt.problems.Rows <= mostDoubts {
		return ""
	}
	return fmt.Sprintf("%s in doubt, and no more than %d of a file wait in the tray. Settle what many rows have alike first.",
		desk.Plural(pt.problems.Rows, "row is", "rows are"), mostDoubts)
}

// doubtful gives the rows of a file of counts that cannot be taken as counts; they wait in the tray of its count.
func (d *Room) doubtful(dr *draft, pt *part) (out []count.NewDoubt, err error) {
	if pt.tooDoubtful() != "" {
		return nil, desk.RefuseAs(desk.Invalid, "", "%s", pt.tooDoubtful())
	}
	if pt.problems.Rows == 0 {
		return nil, nil
	}
	head := pt.back().counts
	zone, err := desk.ZoneNamed(dr.choices.Zone)
	if err != nil {
		return nil, err
	}
	said := counting.Head{From: head.From, To: head.To}
	to, from, timed := said.When()
	if !timed && dr.choices.CountedAt != "" {
		if to, err = form.ParseTime(dr.choices.CountedAt, zone); err != nil {
			return nil, desk.RefuseAs(desk.Invalid, "counted_at", "%q %v.", dr.choices.CountedAt, err)
		}
		timed = true
	}
	err = d.eachRefused(dr, pt.view.Number, false, func(n int, cells []string, why string) {
		g, _ := pt.problems.Refused(n)
		x := count.NewDoubt{Row: n, Kind: g.Kind, Wrong: strings.TrimPrefix(why, string(g.Field)+": "), Cells: cells, Written: pt.written(cells)}
		// What the row does not say by itself stands in the head of the sheet, or was said of the file.
		w := &x.Written
		if dates := pt.mapping.Sources[field.CountedAt]; w.CountedAt != "" && dates != nil {
			if at, err := dates.Dates.Parse(w.CountedAt, zone); err == nil {
				w.CountedAt = instant(at)
			}
		} else if timed {
			if w.CountedAt = instant(to); from != 0 {
				w.Since = instant(from)
			}
		}
		if w.Counter == "" {
			w.Counter = head.By
		}
		out = append(out, x)
	})
	return out, err
}

// instant writes a time so that it says the same everywhere.
func instant(at int64) string { return desk.Instant(at).UTC().Format(time.RFC3339Nano) }

// written gives what a row says, as it was written.
func (pt *part) written(cells []string) count.Written {
	text := func(fields ...field.Field) string {
		for _, f := range fields {
			if s := pt.mapping.Sources[f]; s != nil && s.Column >= 0 && s.Column < len(cells) && strings.TrimSpace(cells[s.Column]) != "" {
				return strings.TrimSpace(cells[s.Column])
			}
		}
		return ""
	}
	return count.Written{
		RowCode:     text(field.RowCode),
		Bin:         text(field.Bin),
		SKU:         text(field.SKU, field.FurtherSKU, field.Barcode),
		Description: text(field.Description),
		Lot:         text(field.Lot),
		Serial:      text(field.Serial),
		Holding:     text(field.Holding),
		Quantity:    text(field.Counted),
		CountedAt:   text(field.CountedAt),
		Counter:     text(field.Counter),
	}
}

// countedElsewhere gives the rows of lines that are counted already in another sheet or file, where it was settled that they wait
// in the tray.
func (b *backDraft) countedElsewhere(dr *draft, pt *part) (out []count.NewDoubt, err error) {
	if pt.view.answered("again"+b.mark) != inTray {
		return nil, nil
	}
	if n := pt.problems.Rows + len(b.revised.Again); n > mostDoubts {
		return nil, desk.RefuseAs(
			desk.Invalid,
			"",
			"%d rows would wait in the tray, and no more than %d of a file do. Settle what becomes of lines that are counted already.",
			n,
			mostDoubts,
		)
	}
	at := map[int]counting.Doubled{}
	for _, x := range b.revised.Again {
		at[x.Count.Row] = x
	}
	want := func(n int) bool { _, is := at[n]; return is }
	err = dr.eachRow(pt.view.Number, len(pt.mapping.Columns), want, func(n int, cells []string) {
		x := at[n]
		w := pt.written(cells)
		w.Quantity, w.CountedAt, w.Counter = x.Count.Quantity.String(), instant(x.Count.At), x.Count.Counter
		if x.Count.From != 0 {
			w.Since = instant(x.Count.From)
		}
		wrong := "Counted already:"
		for i, s := range x.Before {
			if i > 0 {
				wrong += ","
			}
			wrong += fmt.Sprintf(" %s by %s", s.Quantity, cmp.Or(s.Counter, "somebody"))
			if s.Sheet != 0 {
				wrong += fmt.Sprintf(" on sheet %d", s.Sheet)
			}
		}
		out = append(out, count.NewDoubt{Row: n, Kind: "counted elsewhere", Wrong: wrong, Cells: cells, Written: w})
	})
	return out, err
}

// keepDoubts puts the doubtful rows into the tray, each with the sheet that it is of. What waits there of rows that the file has right now
// waits no more.
func (b *backDraft) keepDoubts(w *desk.Work, c *store.Count, ret int64, sheets map[int]store.Sheet, entries []store.Entry) error {
	var waits []store.Doubt
	if err := w.Where("count_id = ? AND state = ? AND return_id <> 0", c.ID, store.Waits).Find(&waits).Error; err != nil {
		return err
	}
	if len(waits)+len(b.doubts) == 0 {
		return nil
	}
	on := [2]func(int64) (store.Sheet, bool){count.OnSheet(sheets, 1), count.OnSheet(sheets, 2)}
	sheetOf := func(rowCode string) (sheet store.Sheet, pos int64) {
		if id, n, row, ok := counting.ParseCode(rowCode); ok && row > 0 && int64(id) == c.ID {
			s := sheets[n]
			if pos = s.PosOf(row); s.Recount() {
				return s, pos
			}
			sheet, _ = on[s.InRound()-1](pos)
		}
		return sheet, pos
	}
	still := map[string]bool{}
	for i := range b.doubts {
		x := &b.doubts[i]
		still[x.Written.RowCode] = true
		s, _ := sheetOf(x.Written.RowCode)
		if s.ID == 0 && len(b.touched) > 0 {
			s = sheets[b.touched[0]]
		}
		x.Return, x.Sheet = ret, s.ID
	}
	if len(waits) == 0 {
		return count.KeepDoubts(w, c, b.doubts)
	}
	type slot struct {
		pos   int64
		round int
	}
	counted := map[slot]bool{}
	for i := range entries {
		k := slot{entries[i].Pos, entries[i].Round}
		counted[k] = entries[i].Parcel == 0 && !entries[i].Withdrawn || counted[k]
	}
	var right []int64
	for _, x := range waits {
		var written count.Written
		if err := json.Unmarshal([]byte(x.Written), &written); err != nil {
			return err
		}
		if still[written.RowCode] {
			continue
		}
		if s, pos := sheetOf(written.RowCode); s.ID != 0 && counted[slot{pos, s.InRound()}] {
			right = append(right, x.ID)
		}
	}
	if len(right) > 0 {
		if err := w.Exec("UPDATE doubts SET state = ?, settled_by = ?, settled_at = ? WHERE id IN ?", store.Replaced, w.Person.Name, w.Now,
			right).Error; err != nil {
			return err
		}
	}
	return count.KeepDoubts(w, c, b.doubts)
}
