package desk

import (
	"context"
	"encoding/json"
	"fmt"
	"time"

	"gorm.io/gorm"

	"wobin/internal/core/quantity"
	"wobin/internal/core/variance"
	"wobin/internal/store"
)

// ReasonView is a reason code.
type ReasonView struct {
	Code    string `json:"code"`
	Name    string `json:"name"`
	Account string `json:"account"`
}

// Reasons lists the reason codes.
func (d *Desk) Reasons(ctx context.Context, p Person) ([]ReasonView, error) {
	if err := allow(p, Look); err != nil {
		return nil, err
	}
	var rows []store.Reason
	err := d.store.Read(ctx).Order("code").Find(&rows).Error
	out := make([]ReasonView, len(rows))
	for i, r := range rows {
		out[i] = ReasonView(r)
	}
	return out, err
}

// Decided is the last word on a decision.
type Decided struct {
	Lines int `json:"lines"`
}

// Decide accepts or holds lines, or takes an earlier decision back (kind ""). All of them or none.
func (d *Desk) Decide(ctx context.Context, p Person, countID int64, places []int64, kind, reason string) (out Decided, err error) {
	if err := allow(p, Decide); err != nil {
		return out, err
	}
	if kind != "" && kind != store.Accept && kind != store.Hold {
		return out, refuse("A decision is accept or hold.")
	}
	err = d.store.Write(ctx, func(tx *gorm.DB) error {
		if _, err := count(tx, countID); err != nil {
			return err
		}
		if reason != "" {
			var n int64
			if err := tx.Model(&store.Reason{}).Where("code = ?", reason).Count(&n).Error; err != nil {
				return err
			}
			if n == 0 {
				return refuse("%q is no reason code.", reason)
			}
		}
		var lines []store.CountLine
		for from := 0; from < len(places); from += 500 {
			var some []store.CountLine
			if err := tx.Where("count_id = ? AND pos IN ?", countID, places[from:min(from+500, len(places))]).Find(&some).Error; err != nil {
				return err
			}
			lines = append(lines, some...)
		}
		if len(lines) != len(places) || len(lines) == 0 {
			return missing("A line")
		}
		now, bins := d.now().UnixNano(), map[int64]bool{}
		rows := make([]store.Decision, len(lines))
		for i := range lines {
			l := &lines[i]
			switch {
			case l.PostingID != 0:
				return refuse("Row %s went out in a posting already; that is not changed any more.", l.RowCode)
			case !off(l):
				return refuse("Row %s has no variance to decide.", l.RowCode)
			}
			rows[i] = store.Decision{CountID: countID, Pos: l.Pos, Kind: kind, Reason: reason, Person: p.Name, At: now}
			bins[l.BinID] = true
		}
		list, err := json.Marshal(places)
		if err != nil {
			return err
		}
		if err := tx.Exec("UPDATE count_lines SET decision = ?, reason = ? WHERE count_id = ? AND pos IN (SELECT value FROM json_each(?))", kind, reason, countID, string(list)).Error; err != nil {
			return err
		}
		if err := store.Batch(tx, rows); err != nil {
			return err
		}
		out.Lines = len(rows)
		if err := d.tallyBins(tx, countID, bins); err != nil {
			return err
		}
		return d.record(tx, p, "decided", map[string]any{"count": countID, "kind": kind, "reason": reason, "lines": places})
	})
	if err == nil {
		d.Events.Tell(Event{What: "count", Count: countID})
	}
	return out, err
}

// HistoryEvent is one thing that happened to a line.
type HistoryEvent struct {
	At       time.Time          `json:"at"`
	What     string             `json:"what" enum:"freeze,movement,entry,decision"`
	Quantity *quantity.Quantity `json:"quantity"`
	Level    *quantity.Quantity `json:"level" doc:"what was expected to be there then"`
	Text     string             `json:"text"`
	Replaced bool               `json:"replaced"`
}

// LineHistory is the history of a line on one time axis.
type LineHistory struct {
	Line   VarianceLine   `json:"line"`
	Events []HistoryEvent `json:"events"`
	Others []VarianceLine `json:"others" doc:"the item's other lines in this count"`
}

// History tells what happened to a line of a count.
func (d *Desk) History(ctx context.Context, p Person, countID, pos int64) (h LineHistory, err error) {
	h.Events, h.Others = []HistoryEvent{}, []VarianceLine{}
	if err := allow(p, Look); err != nil {
		return h, err
	}
	tx := d.store.Read(ctx)
	c, err := count(tx, countID)
	if err == nil {
		err = judge(p, c)
	}
	if err != nil {
		return h, err
	}
	var rows []varianceRow
	if err := tx.Raw(varianceRows+" AND l.item_id = (SELECT item_id FROM count_lines WHERE count_id = ? AND pos = ?) ORDER BY l.pos LIMIT 200", countID, countID, pos).Scan(&rows).Error; err != nil {
		return h, err
	}
	found := false
	for i := range rows {
		if rows[i].Pos == pos {
			h.Line, found = rows[i].view(0), true
		} else {
			h.Others = append(h.Others, rows[i].view(0))
		}
	}
	if !found {
		return h, missing("The line")
	}
	level := *h.Line.Recorded
	at := func(ns int64, what string, q *int64, text string, replaced bool) {
		e := HistoryEvent{At: time.Unix(0, ns).UTC(), What: what, Quantity: (*quantity.Quantity)(q), Text: text, Replaced: replaced}
		if what != "decision" {
			l := level
			e.Level = &l
		}
		h.Events = append(h.Events, e)
	}
	recorded := int64(level)
	at(c.FrozenAt, "freeze", &recorded, "frozen", false)
	moved, err := movementsOf(tx, c)
	if err != nil {
		return h, err
	}
	var entries []store.Entry
	if err := tx.Where("count_id = ? AND pos = ?", countID, pos).Order("counted_at, id").Find(&entries).Error; err != nil {
		return h, err
	}
	replaced := map[int64]bool{}
	for _, e := range entries {
		replaced[e.Replaces] = true
	}
	m := moved[pos]
	for _, e := range entries {
		for len(m) > 0 && m[0].At <= e.CountedAt {
			level += m[0].Quantity
			q := int64(m[0].Quantity)
			at(m[0].At, "movement", &q, "moved", false)
			m = m[1:]
		}
		q := e.Quantity
		at(e.CountedAt, "entry", &q, e.Counter, replaced[e.ID])
	}
	for _, x := range m {
		level += x.Quantity
		q := int64(x.Quantity)
		at(x.At, "movement", &q, "moved", false)
	}
	var decisions []store.Decision
	if err := tx.Where("count_id = ? AND pos = ?", countID, pos).Order("id").Find(&decisions).Error; err != nil {
		return h, err
	}
	for _, x := range decisions {
		text := map[string]string{store.Accept: "accepted", store.Hold: "held", "": "taken back"}[x.Kind]
		if x.Reason != "" {
			text += ", " + x.Reason
		}
		at(x.At, "decision", nil, fmt.Sprintf("%s by %s", text, x.Person), false)
	}
	return h, nil
}

// FiguresView are the figures of a count or a part of it.
type FiguresView struct {
	variance.Figures
	Coverage *quantity.Money `json:"coverage"`
	Accuracy *quantity.Money `json:"accuracy"`
}

func viewFigures(f variance.Figures) FiguresView {
	v := FiguresView{Figures: f}
	if x, ok := f.Coverage(); ok {
		v.Coverage = &x
	}
	if x, ok := f.Accuracy(); ok {
		v.Accuracy = &x
	}
	return v
}

// ReportPart is the figures of one zone, category, or counter.
type ReportPart struct {
	Name    string      `json:"name"`
	Figures FiguresView `json:"figures"`
}

// Report is what a manager signs.
type Report struct {
	Count      StageLine      `json:"count"`
	Figures    FiguresView    `json:"figures"`
	Posted     variance.Sums  `json:"posted"`
	PostedN    int            `json:"posted_lines"`
	Zones      []ReportPart   `json:"zones"`
	Categories []ReportPart   `json:"categories"`
	Counters   []ReportPart   `json:"counters"`
	Reasons    []ReportReason `json:"reasons"`
	Largest    []VarianceLine `json:"largest"`
	Deciders   []string       `json:"deciders"`
}

// ReportReason is what was accepted for one reason.
type ReportReason struct {
	Code  string        `json:"code"`
	Name  string        `json:"name"`
	Lines int           `json:"lines"`
	Sums  variance.Sums `json:"sums"`
}

// Report gives the figures of a count.
func (d *Desk) Report(ctx context.Context, p Person, countID int64) (r Report, err error) {
	if err := allow(p, Look); err != nil {
		return r, err
	}
	tx := d.store.Read(ctx)
	c, err := count(tx, countID)
	if err == nil {
		err = judge(p, c)
	}
	if err != nil {
		return r, err
	}
	if r.Count, err = stageLine(tx, c); err != nil {
		return r, err
	}
	f, _, err := tallies(tx, countID, "")
	if err != nil {
		return r, err
	}
	r.Figures = viewFigures(f)
	for _, part := range []struct {
		into  *[]ReportPart
		by    string
		where string
	}{
		{&r.Zones, "b.zone", ""}, {&r.Categories, "i.category", ""}, {&r.Counters, "l.counter", " AND l.entries > 0"},
	} {
		*part.into = []ReportPart{}
		var rows []struct {
			Name                                                                                             string
			Lines, RecordedLines, RecordedCounted, Counted, Matched, Tolerated, Over, Short, Found, Unvalued int
			OverValue, ShortValue, GrossValue                                                                int64
		}
		q := `SELECT ` + part.by + ` AS name, count(*) AS lines, sum(l.has_row) AS recorded_lines, sum(l.has_row AND l.entries > 0) AS recorded_counted, sum(l.entries > 0) AS counted,
			sum(l.status = 'match') AS matched, sum(l.status = 'tolerated') AS tolerated, sum(l.status = 'over') AS over, sum(l.status = 'short') AS short, sum(l.status = 'found') AS found, sum(l.cost IS NULL) AS unvalued,
			coalesce(sum(CASE WHEN l.variance > 0 THEN l.value END), 0) AS over_value, coalesce(sum(CASE WHEN l.variance < 0 THEN l.value END), 0) AS short_value, coalesce(sum(abs(l.value)), 0) AS gross_value
			FROM count_lines l JOIN bins b ON b.id = l.bin_id JOIN items i ON i.id = l.item_id WHERE l.count_id = ?` + part.where + ` GROUP BY 1 ORDER BY gross_value DESC, 1`
		if err := tx.Raw(q, countID).Scan(&rows).Error; err != nil {
			return r, err
		}
		for _, x := range rows {
			*part.into = append(*part.into, ReportPart{x.Name, viewFigures(variance.Figures{RecordedLines: x.RecordedLines, RecordedCounted: x.RecordedCounted, Counted: x.Counted, Uncounted: x.Lines - x.Counted,
				Match: x.Matched, Tolerated: x.Tolerated, Over: x.Over, Short: x.Short, Found: x.Found, Unvalued: x.Unvalued,
				Values: variance.Sums{Over: quantity.Money(x.OverValue), Short: quantity.Money(x.ShortValue), Net: quantity.Money(x.OverValue + x.ShortValue), Gross: quantity.Money(x.GrossValue)}})})
		}
	}
	var posted []store.Posting
	if err := tx.Where("count_id = ?", countID).Find(&posted).Error; err != nil {
		return r, err
	}
	for _, x := range posted {
		r.PostedN += x.Lines
		r.Posted.Merge(variance.Sums{Over: quantity.Money(x.Over), Short: quantity.Money(x.Short), Net: quantity.Money(x.Over + x.Short), Gross: quantity.Money(x.Gross)})
	}
	r.Reasons = []ReportReason{}
	var reasons []struct {
		Code, Name         string
		Lines              int
		Over, Short, Gross int64
	}
	if err := tx.Raw(`SELECT l.reason AS code, coalesce(r.name, 'No reason given') AS name, count(*) AS lines, coalesce(sum(CASE WHEN l.variance > 0 THEN l.value END), 0) AS over,
		coalesce(sum(CASE WHEN l.variance < 0 THEN l.value END), 0) AS short, coalesce(sum(abs(l.value)), 0) AS gross
		FROM count_lines l LEFT JOIN reasons r ON r.code = l.reason WHERE l.count_id = ? AND (l.decision = 'accept' OR l.posting_id > 0) GROUP BY 1 ORDER BY gross DESC`, countID).Scan(&reasons).Error; err != nil {
		return r, err
	}
	for _, x := range reasons {
		r.Reasons = append(r.Reasons, ReportReason{x.Code, x.Name, x.Lines, variance.Sums{Over: quantity.Money(x.Over), Short: quantity.Money(x.Short), Net: quantity.Money(x.Over + x.Short), Gross: quantity.Money(x.Gross)}})
	}
	largest, err := d.Variances(ctx, p, countID, Filter{Limit: 8})
	if err != nil {
		return r, err
	}
	r.Largest = largest.Lines
	r.Deciders = []string{}
	return r, tx.Raw("SELECT DISTINCT person FROM decisions WHERE count_id = ? ORDER BY 1", countID).Scan(&r.Deciders).Error
}
