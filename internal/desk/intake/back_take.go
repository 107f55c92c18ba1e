package intake

import (
	"cmp"
	"context"
	"runtime"
	"slices"
	"strings"

	"wobin/internal/core/counting"
	"wobin/internal/core/field"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/store"
)

// largeFile is from how many counts on a file is worth a collection of its own: a third of a second for a million.
const largeFile = 200_000

// takeBack writes the counts as entries and works out their lines again, in one transaction. What stands is read in it.
func (d *Room) takeBack(ctx context.Context, p desk.Person, dr *draft, pt *part, key desk.Key) (count.TakenIn, error) {
	if err := d.keep(dr); err != nil {
		return count.TakenIn{}, err
	}
	doubts, err := d.doubtful(dr, pt)
	if err != nil {
		return count.TakenIn{}, err
	}
	for _, b := range pt.back().all() {
		if b.again, err = b.countedElsewhere(dr, pt); err != nil {
			return count.TakenIn{}, err
		}
	}
	return desk.Do(ctx, d.Desk, p, desk.Enter, key, func(w *desk.Work) (out count.TakenIn, err error) {
		if err := store.EndDraft(w.Tx, dr.id); err != nil {
			return out, err
		}
		tray := 0
		for i, b := range pt.back().all() {
			b.doubts = b.again
			if i == 0 {
				b.doubts = append(slices.Clone(doubts), b.again...)
			}
			tray += len(b.again)
			one, err := b.take(w, p, dr, pt)
			if err != nil {
				return out, err
			}
			if out.Return == 0 {
				out.Return, out.Count, out.Kind = one.Return, one.Count, one.Kind
			}
			out.Added, out.Changed = out.Added+one.Added, out.Changed+one.Changed
			out.Unchanged, out.Gone = out.Unchanged+one.Unchanged, out.Gone+one.Gone
		}
		out.Refused = pt.problems.Rows + tray
		return out, nil
	})
}

// take writes what a file holds for one count.
func (b *backDraft) take(w *desk.Work, p desk.Person, dr *draft, pt *part) (out count.TakenIn, err error) {
	c, err := w.Running(b.count.ID)
	if err != nil {
		return out, err
	}
	seen := comesTo(&b.revised)
	sheets, numbers, err := count.SheetsOf(w, c)
	if err != nil {
		return out, err
	}
	r, err := b.revise(w, sheets, numbers)
	if err != nil {
		return out, err
	}
	if comesTo(&r) != seen {
		return out, desk.RefuseAs(
			desk.Changed,
			"",
			"Meanwhile other counts of its rows came in. Look at it again: what it adds and what it revises has changed.",
		)
	}
	if err := store.RecordFile(w.Tx, dr.sha, dr.size, w.Now); err != nil {
		return out, err
	}
	ret := store.Return{
		CountID:   c.ID,
		FileSha:   dr.sha,
		FileName:  dr.name,
		Person:    p.Name,
		At:        w.Now,
		State:     store.Taken,
		Added:     b.view.Added,
		Revised:   b.view.Revised,
		Unchanged: b.view.Unchanged,
		Empty:     b.view.Empty,
		Withdrawn: b.view.Withdrawn,
	}
	if err := w.Create(&ret).Error; err != nil {
		return out, err
	}
	entries, err := b.entries(w, c, &r, ret.ID, sheets, pt.view.answered("missing"+b.mark), pt.view.answered("again"+b.mark))
	if err != nil {
		return out, err
	}
	by := b.counters()
	r, b.counts, b.revised = counting.Revision{}, &counting.Back{}, counting.Revision{} // a file may hold a million; they are entries now
	if len(
		entries,
	) > largeFile { // what was read of it is let go before its lines are worked out, so that both are never there at once
		runtime.GC()
	}
	if ret.FirstEntry, ret.LastEntry, err = count.Enter(w, c, entries, nil); err != nil {
		return out, err
	}
	if err := w.Model(&ret).Select("first_entry", "last_entry").Updates(&ret).Error; err != nil {
		return out, err
	}
	if err := b.keepDoubts(w, c, ret.ID, sheets, entries); err != nil {
		return out, err
	}
	for _, n := range b.touched {
		s := sheets[n]
		if s.Void() {
			continue
		}
		to := map[string]any{"state": store.Back, "back_at": w.Now}
		if who := cmp.Or(b.view.By, s.Counter, by[n]); who != s.Counter {
			to["counter"] = who
		}
		if b.view.Revised > 0 {
			to["revisions"] = s.Revisions + 1
		}
		if err := w.Model(&store.Sheet{}).Where("id = ?", s.ID).Updates(to).Error; err != nil {
			return out, err
		}
	}
	out = count.TakenIn{
		Return: ret.ID,
		Count:  c.ID,
		Kind:   field.Counts,
		Outcome: count.Outcome{
			Added:     ret.Added,
			Changed:   ret.Revised,
			Unchanged: ret.Unchanged,
			Gone:      ret.Withdrawn,
		},
	}
	return out, w.Say(
		"counts taken in",
		map[string]any{
			"count":     c.ID,
			"return":    ret.ID,
			"file":      dr.name,
			"sha256":    dr.sha,
			"added":     ret.Added,
			"revised":   ret.Revised,
			"withdrawn": ret.Withdrawn,
		},
	)
}

// counters are who counted all that the file has of each sheet; empty where several did.
func (b *backDraft) counters() map[int]string {
	out := map[int]string{}
	for i := range b.counts.Counts {
		c := &b.counts.Counts[i]
		if who, had := out[c.Sheet]; !had {
			out[c.Sheet] = c.Counter
		} else if !strings.EqualFold(who, c.Counter) {
			out[c.Sheet] = ""
		}
	}
	return out
}

// comesTo is what a person saw of a revision.
func comesTo(r *counting.Revision) [5]int {
	return [5]int{len(r.Added), len(r.Revised), r.Unchanged, len(r.Missing), len(r.Again)}
}

// entries gives the entries that a file comes to, and makes lines for found stock.
func (b *backDraft) entries(
	w *desk.Work,
	c *store.Count,
	r *counting.Revision,
	returnID int64,
	sheets map[int]store.Sheet,
	missing, again string,
) ([]store.Entry, error) {
	left := map[*counting.Count]bool{}
	entry := func(pos int64, round int, parcel, sheet, replaces int64) store.Entry {
		return store.Entry{
			CountID:  c.ID,
			Pos:      pos,
			Round:    round,
			Parcel:   parcel,
			SheetID:  sheet,
			Replaces: replaces,
			Person:   w.Person.Name,
			At:       w.Now,
			ReturnID: returnID,
		}
	}
	entries := make([]store.Entry, 0, len(b.counts.Counts))
	drop := func(s counting.Standing) {
		e := entry(s.Pos, s.Round, s.Parcel, sheets[s.Sheet].ID, s.ID)
		e.Withdrawn, e.CountedAt, e.Counter = true, s.At, w.Person.Name
		entries = append(entries, e)
	}
	if missing == withdraw {
		for _, s := range r.Missing {
			drop(s)
		}
	}
	gone := map[int64]bool{}
	for _, x := range r.Again {
		switch again {
		case leave, inTray:
			left[x.Count] = true
		case count.Replace:
			for _, s := range x.Before {
				if !gone[s.ID] {
					gone[s.ID] = true
					drop(s)
				}
			}
		}
	}
	var keys []count.FoundKey
	at := map[count.FoundKey]int64{}
	for i := range b.counts.Counts {
		if n := &b.counts.Counts[i]; n.Pos < 0 {
			k := b.key(n)
			if _, had := at[k]; !had {
				keys = append(keys, k)
				at[k] = sheets[n.Sheet].ID
			}
		}
	}
	made, err := count.AddLines(w, c, keys, at)
	if err != nil {
		return nil, err
	}
	before := map[int64]counting.Standing{}
	for _, x := range r.Revised {
		before[x.Before.ID] = x.Before
	}
	for i := range b.counts.Counts {
		n := &b.counts.Counts[i]
		_, revises := before[n.Replaces]
		if n.Replaces < 0 || left[n] || revises && b.stays[n.Row] {
			continue
		}
		pos := n.Pos
		if pos < 0 {
			pos = made[b.key(n)]
		}
		e := entry(pos, n.Round, n.Parcel, sheets[n.Sheet].ID, n.Replaces)
		e.Quantity, e.CountedAt, e.Since, e.Counter, e.FileRow = int64(n.Quantity), n.At, n.From, n.Counter, n.Row
		if old, had := before[n.Replaces]; had && !n.Timed {
			e.CountedAt, e.Since = old.At, old.Since
		}
		entries = append(entries, e)
	}
	return entries, nil
}

func (b *backDraft) key(n *counting.Count) count.FoundKey {
	return b.keys[strings.Join((*n.Key)[:], "\x00")]
}
