// Package today shows what is there and what waits: warehouses, and counts with the live figures of their stages.
package today

import (
	"context"
	"time"

	"wobin/internal/core/quantity"
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

// OwnSheet is a sheet that whoever asks is to count.
type OwnSheet struct {
	Count     int64      `json:"count"`
	Name      string     `json:"name" doc:"of the count"`
	Warehouse string     `json:"warehouse"`
	Number    int        `json:"number"`
	FirstBin  string     `json:"first_bin"`
	LastBin   string     `json:"last_bin"`
	Lines     int        `json:"lines"`
	Counted   int        `json:"counted"`
	Out       bool       `json:"out" doc:"it was handed out; else it is planned"`
	Due       *time.Time `json:"due"`
}

// mostOwn is how many of one's own sheets are listed.
const mostOwn = 50

// Asked is what of a count goes out once whoever asks agrees.
type Asked struct {
	Count int64          `json:"count"`
	Name  string         `json:"name" doc:"of the count"`
	Lines int            `json:"lines"`
	Gross quantity.Money `json:"gross"`
	By    string         `json:"by"`
}

// Today is what wants a hand now.
type Today struct {
	Sheets     []OwnSheet               `json:"sheets" doc:"one's own, which are not back: those that were handed out first"`
	Asked      []Asked                  `json:"asked" doc:"what waits for whoever asks to agree"`
	Counts     []TodayCount             `json:"counts"`
	Warehouses []recorded.WarehouseView `json:"warehouses"`
	Now        time.Time                `json:"now"`
	DemoFiles  []string                 `json:"demo_files" doc:"files to try with, in the demo"`
	Exports    []string                 `json:"exports" doc:"what the demo's simulated record system has exported"`
}

// Today lists the counts, those that run first, and what each waits for.
func (d *Room) Today(ctx context.Context, p desk.Person) (t Today, err error) {
	t.Counts, t.DemoFiles, t.Exports, t.Now = []TodayCount{}, []string{}, []string{}, d.Now().UTC()
	t.Asked = []Asked{}
	if t.Sheets, err = d.own(ctx, p); err != nil {
		return t, err
	}
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
			waits, asked, err := d.asked(ctx, p, &s)
			if err != nil {
				return t, err
			}
			w, t.Asked = append(waits, w...), append(t.Asked, asked...)
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

// own gives the sheets that somebody is to count.
func (d *Room) own(ctx context.Context, p desk.Person) ([]OwnSheet, error) {
	out := []OwnSheet{}
	rows, err := store.SheetsOfPerson(d.Store.Read(ctx), p.Name, mostOwn)
	for _, s := range rows {
		out = append(out, OwnSheet{s.CountID, s.Name, s.Warehouse, s.Number, s.FirstBin, s.LastBin, s.Lines, s.Counted, s.State == store.Out,
			desk.Moment(s.Due)})
	}
	return out, err
}

// asked tells what of a count waits for somebody to agree, and what of it for the one who asks.
func (d *Room) asked(ctx context.Context, p desk.Person, s *count.Stages) (w []Wait, asked []Asked, err error) {
	list, err := d.adjustments.Approvals(ctx, p, s.ID)
	for _, a := range list {
		if a.State != store.Waits {
			continue
		}
		text := desk.Plural(a.Lines, "line", "lines") + " to go out, by " + a.Person + ": agree or send them back"
		if !a.Own && p.Role == "approver" {
			asked = append(asked, Asked{s.ID, s.Name, a.Lines, a.Gross, a.Person})
		}
		if a.Own {
			text = desk.Plural(a.Lines, "line", "lines") + " to go out once somebody else agrees"
		}
		w = append(w, Wait{text, "adjustments", a.Gross.String()})
	}
	return w, asked, err
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
