package count

import (
	"encoding/json"
	"fmt"
	"time"

	"wobin/internal/core/quantity"
	"wobin/internal/core/variance"
	"wobin/internal/desk"
	"wobin/internal/store"
)

// Stages is a count with the live figures of its stages.
type Stages struct {
	ID             int64                     `json:"id"`
	Name           string                    `json:"name"`
	Together       string                    `json:"together" doc:"the name that it stands under with counts of other warehouses"`
	Warehouse      string                    `json:"warehouse"`
	WarehouseID    int64                     `json:"warehouse_id"`
	State          string                    `json:"state" enum:"running,finished"`
	Blind          bool                      `json:"blind"`
	Hidden         bool                      `json:"hidden" doc:"whoever asks must not learn what is recorded, as a blind count of the warehouse runs"`
	FrozenAt       time.Time                 `json:"frozen_at"`
	RecordedAt     time.Time                 `json:"recorded_at"`
	Later          []LaterFreeze             `json:"later" doc:"lines that it was given while it ran and that are of a later freeze"`
	Person         string                    `json:"person"`
	RecordedLines  int                       `json:"recorded_lines"`
	Lines          int                       `json:"lines"`
	Counted        int                       `json:"counted"`
	Uncounted      int                       `json:"uncounted"`
	Rounds         int                       `json:"rounds" doc:"2: two rounds must agree"`
	Stands         string                    `json:"stands" enum:",agree,choose" doc:"which of several rounds of a line stands: the last, two that agree, the one that is chosen"`
	Once           int                       `json:"once" doc:"lines that one of two rounds has counted"`
	Differ         int                       `json:"differ" doc:"lines of which two rounds say something else"`
	Doubts         int                       `json:"doubts" doc:"what waits in the tray"`
	Recounts       int                       `json:"recounts" doc:"lines that are being counted again"`
	Sheets         int                       `json:"sheets"`
	SheetsOut      int                       `json:"sheets_out"`
	SheetsBack     int                       `json:"sheets_back"`
	Variances      int                       `json:"variances" doc:"lines over, short or found"`
	Open           int                       `json:"open" doc:"of these, not decided"`
	OpenValue      quantity.Money            `json:"open_value" doc:"their gross value"`
	OpenOver       quantity.Money            `json:"open_over"`
	OpenShort      quantity.Money            `json:"open_short"`
	Accepted       int                       `json:"accepted" doc:"accepted and not yet in a posting"`
	Held           int                       `json:"held"`
	Posted         int                       `json:"posted" doc:"lines of which something went out"`
	Zeroed         int                       `json:"zeroed" doc:"uncounted lines that were settled to be zero"`
	PostTolerated  bool                      `json:"post_tolerated" doc:"variances that are let pass want a decision too"`
	Accuracy       *quantity.Money           `json:"accuracy" doc:"percent; null over nothing"`
	Coverage       *quantity.Money           `json:"coverage"`
	LeftOut        LeftOut                   `json:"left_out"`
	Classes        map[string]ClassTolerance `json:"classes,omitempty" doc:"limits of classes of items"`
	TolerancePct   *quantity.Quantity        `json:"tolerance_percent"`
	ToleranceQty   *quantity.Quantity        `json:"tolerance_quantity"`
	ToleranceValue *quantity.Money           `json:"tolerance_value"`
}

// StagesOf gives a count with the live figures of its stages, as far as whoever looks may see them.
func StagesOf(c *desk.Seen) (s Stages, err error) {
	h, err := desk.WarehouseRow(c.Tx, c.WarehouseID)
	if err != nil {
		return s, err
	}
	s = Stages{
		ID:             c.ID,
		Name:           c.Name,
		Together:       c.Together,
		Stands:         c.Stands,
		Warehouse:      h.Code,
		WarehouseID:    h.ID,
		State:          c.State,
		Blind:          c.Count.Blind,
		Hidden:         c.Blind,
		FrozenAt:       desk.Instant(c.FrozenAt),
		RecordedAt:     desk.Instant(c.RecordedAt),
		Person:         c.Person,
		PostTolerated:  c.PostTolerated,
		TolerancePct:   (*quantity.Quantity)(c.TolerancePercent),
		ToleranceQty:   (*quantity.Quantity)(c.ToleranceQuantity),
		ToleranceValue: (*quantity.Money)(c.ToleranceValue),
	}
	if err := json.Unmarshal([]byte(c.LeftOut), &s.LeftOut); err != nil {
		return s, fmt.Errorf("count %d: %w", c.ID, err)
	}
	if c.Tolerances != "" {
		if err := json.Unmarshal([]byte(c.Tolerances), &s.Classes); err != nil {
			return s, fmt.Errorf("count %d: %w", c.ID, err)
		}
	}
	t, err := TallyOf(c.Tx, c.ID)
	if err != nil {
		return s, err
	}
	s.Fill(&t)
	if c.Blind { // what is left for them is how far it is
		s.Variances, s.Open, s.OpenValue, s.OpenOver, s.OpenShort, s.Accepted, s.Held, s.Posted, s.Zeroed, s.Accuracy = 0, 0, 0, 0, 0, 0, 0, 0,
			0, nil
	}
	freezes, err := FreezesOf(c.Tx, c.Count)
	if err != nil {
		return s, err
	}
	s.Later = freezes.later()
	if s.Doubts, err = Doubts(c.Tx, c.ID); err != nil {
		return s, err
	}
	again, err := BeingRecounted(c.Tx, c.ID)
	if err != nil {
		return s, err
	}
	s.Recounts = len(again)
	if s.Rounds = max(c.Rounds, 1); s.Rounds == 2 {
		if err := c.Tx.Raw("SELECT coalesce(sum(pending = 1), 0), coalesce(sum(pending = 2), 0) FROM count_lines WHERE count_id = ? AND pending > 0", c.ID).
			Row().Scan(&s.Once, &s.Differ); err != nil {
			return s, err
		}
	}
	var states []struct {
		State string
		N     int
	}
	if err := c.Tx.Raw("SELECT state, count(*) AS n FROM sheets WHERE count_id = ? AND state NOT IN ? GROUP BY state", c.ID, store.Void).Scan(&states).Error; err != nil {
		return s, err
	}
	for _, x := range states {
		s.Sheets += x.N
		switch x.State {
		case store.Out:
			s.SheetsOut = x.N
		case store.Back:
			s.SheetsBack = x.N
		}
	}
	return s, nil
}

// Fill puts the figures of a tally in.
func (s *Stages) Fill(t *variance.Tally) {
	f := &t.Figures
	s.RecordedLines, s.Lines, s.Counted, s.Uncounted, s.Zeroed = f.RecordedLines, t.Lines, f.Counted, f.Uncounted, t.Zeroed
	s.Variances = f.Over + f.Short + f.Found
	s.Open, s.OpenValue, s.OpenOver, s.OpenShort = t.Open, t.OpenSums.Gross, t.OpenSums.Over, t.OpenSums.Short
	s.Accepted, s.Held, s.Posted = t.Accepted, t.Held, t.Posted
	if v, ok := f.Accuracy(); ok {
		s.Accuracy = &v
	}
	if v, ok := f.Coverage(); ok {
		s.Coverage = &v
	}
}
