// Package today shows what is there and what waits: warehouses, and counts with the live figures of their stages.
package today

import (
	"context"
	"time"

	"wobin/internal/desk"
	"wobin/internal/desk/adjustments"
	"wobin/internal/desk/count"
	"wobin/internal/desk/intake"
	"wobin/internal/desk/recorded"
	"wobin/internal/store"
)

// Room is the use cases of the first page and of the stage line.
type Room struct {
	*desk.Desk
	recorded    *recorded.Room
	intake      *intake.Room
	adjustments *adjustments.Room
}

// New makes the room over recorded stock and intake, whose warehouses and demo files it shows, and adjustments, whose proof it asks for.
func New(d *desk.Desk, r *recorded.Room, i *intake.Room, a *adjustments.Room) *Room {
	return &Room{d, r, i, a}
}

// Wait is one thing that wants a hand.
type Wait struct {
	Text  string `json:"text"`
	Stage string `json:"stage" doc:"where it is done"`
	Worth string `json:"worth" doc:"what is at stake; empty where that is not known"`
}

// TodayCount is a count and what it waits for.
type TodayCount struct {
	count.Stages
	Waits []Wait `json:"waits"`
}

// Today is what wants a hand now.
type Today struct {
	Counts     []TodayCount             `json:"counts"`
	Warehouses []recorded.WarehouseView `json:"warehouses"`
	Now        time.Time                `json:"now"`
	DemoFiles  []string                 `json:"demo_files" doc:"files to try with, in the demo"`
	Exports    []string                 `json:"exports" doc:"what the demo's simulated record system has exported"`
}

// Today lists the counts, those that run first, and what each waits for.
func (d *Room) Today(ctx context.Context, p desk.Person) (t Today, err error) {
	t.Counts, t.DemoFiles, t.Exports, t.Now = []TodayCount{}, []string{}, []string{}, d.Now().UTC()
	if t.Warehouses, err = d.recorded.Warehouses(ctx, p); err != nil {
		return t, err
	}
	counts, err := store.CountsShown(d.Store.Read(ctx), true, 100)
	if err != nil {
		return t, err
	}
	for i := range counts {
		c, err := d.See(ctx, p, counts[i].ID)
		if err != nil {
			return t, err
		}
		s, err := count.StagesOf(c)
		if err != nil {
			return t, err
		}
		w := waits(&s)
		if p.Role != "counter" {
			asked, err := d.asked(ctx, p, s.ID)
			if err != nil {
				return t, err
			}
			w = append(asked, w...)
		}
		if s.Posted > 0 {
			proved, err := d.proved(ctx, p, s.ID)
			if err != nil {
				return t, err
			}
			w = append(proved, w...)
		}
		t.Counts = append(t.Counts, TodayCount{s, w})
	}
	if t.DemoFiles, err = d.intake.DemoFiles(); err != nil {
		return t, err
	}
	t.Exports, err = d.intake.Exports(p)
	return t, err
}

// asked tells what of a count waits for somebody to agree.
func (d *Room) asked(ctx context.Context, p desk.Person, id int64) (w []Wait, err error) {
	list, err := d.adjustments.Approvals(ctx, p, id)
	for _, a := range list {
		if a.State != store.Waits {
			continue
		}
		text := desk.Plural(a.Lines, "line", "lines") + " to go out, by " + a.Person + ": agree or send them back"
		if a.Own {
			text = desk.Plural(a.Lines, "line", "lines") + " to go out once somebody else agrees"
		}
		w = append(w, Wait{text, "adjustments", a.Gross.String()})
	}
	return w, err
}

// proved tells what was sent out of a count and is not proved to have landed.
func (d *Room) proved(ctx context.Context, p desk.Person, id int64) (w []Wait, err error) {
	off, unseen, err := d.adjustments.Unproved(ctx, p, id)
	if off > 0 {
		w = append(w, Wait{desk.Plural(off, "sent line has", "sent lines have") + " not landed in the records as sent", "adjustments", ""})
	}
	if unseen > 0 {
		w = append(w, Wait{desk.Plural(unseen, "sent line is", "sent lines are") + " not proved yet: take in the next export of stock", "adjustments", ""})
	}
	return w, err
}

func waits(s *count.Stages) []Wait {
	w := []Wait{}
	if s.State == store.Finished {
		return w
	}
	uncounted := s.Uncounted - s.Zeroed // what means zero is settled
	if n := s.Sheets - s.SheetsOut - s.SheetsBack; n > 0 {
		w = append(w, Wait{desk.Plural(n, "sheet", "sheets") + " to hand out", "sheets", ""})
	}
	if s.SheetsOut > 0 {
		w = append(
			w,
			Wait{
				desk.Plural(s.SheetsOut, "sheet is", "sheets are") + " out and not back",
				"counting",
				desk.Plural(uncounted, "line uncounted", "lines uncounted"),
			},
		)
	} else if uncounted > 0 && s.SheetsBack > 0 {
		w = append(w, Wait{desk.Plural(uncounted, "line is", "lines are") + " uncounted", "counting", ""})
	}
	if s.Doubts > 0 {
		w = append(w, Wait{desk.Plural(s.Doubts, "row waits", "rows wait") + " in the tray", "counting/tray", ""})
	}
	if s.Open > 0 {
		w = append(w, Wait{desk.Plural(s.Open, "variance", "variances") + " to decide", "variances", s.OpenValue.String()})
	}
	if s.Held > 0 {
		w = append(w, Wait{desk.Plural(s.Held, "variance", "variances") + " held", "variances", ""})
	}
	if s.Accepted > 0 {
		w = append(w, Wait{desk.Plural(s.Accepted, "accepted line", "accepted lines") + " to send out", "adjustments", ""})
	}
	if len(w) == 0 && uncounted == 0 {
		w = append(w, Wait{"everything is decided and sent out; the count can be finished", "report", ""})
	}
	return w
}

// Count gives a count with the figures of its stages.
func (d *Room) Count(ctx context.Context, p desk.Person, id int64) (s count.Stages, err error) {
	c, err := d.See(ctx, p, id)
	if err != nil {
		return s, err
	}
	return count.StagesOf(c)
}
