package desk

import (
	"context"
	"strconv"
	"strings"
	"time"

	"wobin/internal/core/code"
	"wobin/internal/core/quantity"
	"wobin/internal/store"
)

// WarehouseView is a warehouse with its recorded stock.
type WarehouseView struct {
	ID         int64          `json:"id"`
	Code       string         `json:"code"`
	Lines      int            `json:"lines"`
	Bins       int            `json:"bins"`
	Value      quantity.Money `json:"value"`
	Unvalued   int            `json:"unvalued"`
	RecordedAt *time.Time     `json:"recorded_at"`
	Zones      []string       `json:"zones"`
}

// Warehouses lists the warehouses in natural order.
func (d *Desk) Warehouses(ctx context.Context, p Person) ([]WarehouseView, error) {
	if err := allow(p, Look); err != nil {
		return nil, err
	}
	tx := d.store.Read(ctx)
	var rows []struct {
		ID          int64
		Code        string
		Lines, Bins int
		Value       int64
		Unvalued    int
		RecordedAt  int64
	}
	if err := tx.Raw(`SELECT w.id, w.code, coalesce(s.lines, 0) AS lines, coalesce(s.value, 0) AS value, coalesce(s.unvalued, 0) AS unvalued, coalesce(s.recorded_at, 0) AS recorded_at,
		(SELECT count(*) FROM bins b WHERE b.warehouse_id = w.id) AS bins FROM warehouses w LEFT JOIN stock_sets s ON s.id = w.set_id ORDER BY w.code`).Scan(&rows).Error; err != nil {
		return nil, err
	}
	out := make([]WarehouseView, len(rows))
	for i, r := range rows {
		out[i] = WarehouseView{r.ID, r.Code, r.Lines, r.Bins, quantity.Money(r.Value), r.Unvalued, moment(r.RecordedAt), []string{}}
		if err := tx.Raw("SELECT DISTINCT zone FROM bins WHERE warehouse_id = ? AND zone <> ''", r.ID).Scan(&out[i].Zones).Error; err != nil {
			return nil, err
		}
		code.Sort(out[i].Zones)
	}
	return out, nil
}

// Wait is one thing that wants a hand.
type Wait struct {
	Text  string `json:"text"`
	Stage string `json:"stage" doc:"where it is done"`
	Worth string `json:"worth" doc:"what is at stake; empty where that is not known"`
}

// TodayCount is a count and what it waits for.
type TodayCount struct {
	StageLine
	Waits []Wait `json:"waits"`
}

// Today is what wants a hand now.
type Today struct {
	Counts     []TodayCount    `json:"counts"`
	Warehouses []WarehouseView `json:"warehouses"`
	Now        time.Time       `json:"now"`
	DemoFiles  []string        `json:"demo_files" doc:"files to try with, in the demo"`
}

// Today lists the counts, those that run first, and what each waits for.
func (d *Desk) Today(ctx context.Context, p Person) (t Today, err error) {
	t.Counts, t.DemoFiles, t.Now = []TodayCount{}, []string{}, d.now().UTC()
	if t.Warehouses, err = d.Warehouses(ctx, p); err != nil {
		return t, err
	}
	tx := d.store.Read(ctx)
	var counts []store.Count
	if err := tx.Where("state <> ?", store.Freezing).Order("state DESC, id DESC").Limit(100).Find(&counts).Error; err != nil {
		return t, err
	}
	for i := range counts {
		c, err := d.see(ctx, p, counts[i].ID)
		if err != nil {
			return t, err
		}
		s, err := stageLine(c)
		if err != nil {
			return t, err
		}
		t.Counts = append(t.Counts, TodayCount{s, waits(&s)})
	}
	if t.DemoFiles, err = d.demoFiles(); err != nil {
		return t, err
	}
	return t, nil
}

func plural(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return grouped(n) + " " + many
}

// grouped writes a number with its thousands apart.
func grouped(n int) string {
	s := strconv.Itoa(n)
	for i := len(s) - 3; i > 0; i -= 3 {
		s = s[:i] + "," + s[i:]
	}
	return s
}

func waits(s *StageLine) []Wait {
	w := []Wait{}
	if s.State == store.Finished {
		return w
	}
	if n := s.Sheets - s.SheetsOut - s.SheetsBack; n > 0 {
		w = append(w, Wait{plural(n, "sheet", "sheets") + " to hand out", "sheets", ""})
	}
	if s.SheetsOut > 0 {
		w = append(
			w,
			Wait{
				plural(s.SheetsOut, "sheet is", "sheets are") + " out and not back",
				"counting",
				plural(s.Uncounted, "line uncounted", "lines uncounted"),
			},
		)
	} else if s.Uncounted > 0 && s.SheetsBack > 0 {
		w = append(w, Wait{plural(s.Uncounted, "line is", "lines are") + " uncounted", "counting", ""})
	}
	if s.Open > 0 {
		w = append(w, Wait{plural(s.Open, "variance", "variances") + " to decide", "variances", s.OpenValue.String()})
	}
	if s.Held > 0 {
		w = append(w, Wait{plural(s.Held, "variance", "variances") + " held", "variances", ""})
	}
	if s.Accepted > 0 {
		w = append(w, Wait{plural(s.Accepted, "accepted line", "accepted lines") + " to send out", "adjustments", ""})
	}
	if len(w) == 0 && s.Uncounted == s.Zeroed {
		w = append(w, Wait{"everything is decided and sent out; the count can be finished", "report", ""})
	}
	return w
}

func safeName(s string) bool { return s != "" && !strings.ContainsAny(s, "/\\") && s[0] != '.' }
