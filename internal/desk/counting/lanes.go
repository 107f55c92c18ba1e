package counting

import (
	"context"
	"slices"
	"strings"
	"time"

	"gorm.io/gorm"

	"wobin/internal/core/cutting"
	"wobin/internal/desk"
	"wobin/internal/store"
)

// Lane is somebody who counts: what is in hand and when it is likely to be done.
type Lane struct {
	Counter string     `json:"counter"`
	Out     int        `json:"out" doc:"sheets in hand"`
	Back    int        `json:"back"`
	Rows    int        `json:"rows" doc:"rows of the sheets in hand that are not counted yet"`
	Seconds int64      `json:"seconds" doc:"what is expected to be left"`
	Likely  *time.Time `json:"likely" doc:"when the last sheet in hand is likely to be done; null where there is none"`
	Due     *time.Time `json:"due" doc:"when the last of them is to be back"`
	Late    bool       `json:"late" doc:"a sheet in hand is likely to be done after it is to be back, or should be by now"`
	Idle    *time.Time `json:"idle" doc:"since when there is nothing in hand; null where there is"`
}

// Lanes gives those who count, who is late first, then by when they are likely to be done, the idle last.
func (d *Room) Lanes(ctx context.Context, p desk.Person, countID int64) ([]Lane, error) {
	c, err := d.See(ctx, p, countID)
	if err != nil {
		return nil, err
	}
	_, lanes, err := likely(c.Tx, c.Count, d.Now())
	return lanes, err
}

// likely tells when each sheet that is out is likely to be done, by its number, and sums that up for those who count.
func likely(tx *gorm.DB, c *store.Count, now time.Time) (map[int]time.Time, []Lane, error) {
	var sheets []store.Sheet
	if err := tx.Where("count_id = ? AND state IN ? AND counter <> ''", c.ID, []string{store.Out, store.Back}).Order("out_at, number").
		Find(&sheets).Error; err != nil {
		return nil, nil, err
	}
	ends := map[int]time.Time{}
	of := map[string][]store.Sheet{}
	for _, s := range sheets {
		of[s.Counter] = append(of[s.Counter], s)
	}
	lanes := make([]Lane, 0, len(of))
	for who, its := range of {
		l := Lane{Counter: who}
		var out []store.Sheet
		var work []cutting.Lane
		last := int64(0)
		for _, s := range its {
			if s.State == store.Back {
				l.Back++
				last = max(last, s.BackAt)
				continue
			}
			out = append(out, s)
			work = append(work, cutting.Lane{Out: s.OutAt / int64(time.Second), Seconds: s.Seconds, Rows: s.Lines, Counted: s.Counted})
			l.Rows += max(s.Lines-s.Counted, 0)
		}
		for i, at := range cutting.Ends(work, now.Unix()) {
			s := &out[i]
			end := time.Unix(at, 0).UTC()
			ends[s.Number] = end
			l.Late = l.Late || s.Due != 0 && (end.UnixNano() > s.Due || now.UnixNano() > s.Due)
			if l.Likely == nil || end.After(*l.Likely) {
				l.Likely = &end
			}
			if due := desk.Moment(s.Due); due != nil && (l.Due == nil || due.After(*l.Due)) {
				l.Due = due
			}
		}
		if l.Out = len(out); l.Out == 0 {
			l.Idle = desk.Moment(last)
		} else {
			l.Seconds = max(int64(l.Likely.Sub(now)/time.Second), 0)
		}
		lanes = append(lanes, l)
	}
	slices.SortFunc(lanes, func(a, b Lane) int {
		rank := func(l *Lane) int {
			switch {
			case l.Late:
				return 0
			case l.Out > 0:
				return 1
			}
			return 2
		}
		if by := rank(&a) - rank(&b); by != 0 {
			return by
		}
		if a.Likely != nil && b.Likely != nil && !a.Likely.Equal(*b.Likely) {
			return b.Likely.Compare(*a.Likely) // whoever is last decides when all is done
		}
		return strings.Compare(a.Counter, b.Counter)
	})
	return ends, lanes, nil
}
