package desk

import (
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"gorm.io/gorm"

	"wobin/internal/core/layout"
	"wobin/internal/core/quantity"
	"wobin/internal/store"
)

// Scope says what a count is about: a warehouse, or some of its zones or bins. With neither it is all of it.
type Scope struct {
	Warehouse int64    `json:"warehouse"`
	Zones     []string `json:"zones,omitempty"`
	Bins      []int64  `json:"bins,omitempty"`
	// Kept narrows to lines with certain attributes: each must have one of its values.
	Kept []KeptRule `json:"kept,omitempty" maxItems:"20"`
}

// LeftOut are lines that are not counted by rule, and why.
type LeftOut struct {
	Services int `json:"services"`
	Inactive int `json:"inactive" doc:"inactive items without stock"`
	Parents  int `json:"parents"`
}

// Tally is what a scope comes to.
type Tally struct {
	Lines    int            `json:"lines"`
	Bins     int            `json:"bins"`
	Items    int            `json:"items"`
	Value    quantity.Money `json:"value"`
	Unvalued int            `json:"unvalued"`
	LeftOut  LeftOut        `json:"left_out"`
	Sheets   []SheetTally   `json:"sheets" doc:"the sheets that would be cut, the first of them"`
	SheetsN  int            `json:"sheets_n" doc:"how many sheets would be cut"`
	Zones    []ZoneTally    `json:"zones"`
	Kept     []KeptTally    `json:"kept" doc:"attributes that lines in scope have"`
}

// SheetTally is a sheet that would be cut.
type SheetTally struct {
	Zone  string `json:"zone"`
	From  string `json:"from"`
	To    string `json:"to"`
	Lines int    `json:"lines"`
}

// ZoneTally is a zone with its lines.
type ZoneTally struct {
	Zone  string `json:"zone"`
	Lines int    `json:"lines"`
}

func warehouse(tx *gorm.DB, id int64) (*store.Warehouse, error) {
	var h store.Warehouse
	if err := tx.Limit(1).Find(&h, id).Error; err != nil {
		return nil, err
	}
	if h.ID == 0 {
		return nil, missing("The warehouse")
	}
	return &h, nil
}

// Tally tells what a scope comes to, before anything is frozen.
func (d *Desk) Tally(ctx context.Context, p Person, sc Scope, rows int) (t Tally, err error) {
	tx, h, err := d.recordedOf(ctx, p, sc.Warehouse)
	if err != nil {
		return t, err
	}
	s, err := d.scope(ctx, tx, h, sc)
	if err != nil {
		return t, err
	}
	return s.tally(rows)
}

// ClassTolerance are the limits of a class of items.
type ClassTolerance struct {
	Quantity *quantity.Quantity `json:"quantity,omitempty"`
	Percent  *quantity.Quantity `json:"percent,omitempty"`
	Value    *quantity.Money    `json:"value,omitempty"`
}

func (t ClassTolerance) below() bool {
	return t.Quantity != nil && *t.Quantity < 0 || t.Percent != nil && *t.Percent < 0 || t.Value != nil && *t.Value < 0
}

// Classes gives the classes that items have, for limits of their own.
func (d *Desk) Classes(ctx context.Context, p Person) (out []string, err error) {
	if err := allow(p, Look); err != nil {
		return nil, err
	}
	out = []string{}
	return out, d.store.Read(ctx).Raw("SELECT DISTINCT class FROM items WHERE class <> '' ORDER BY class LIMIT 200").Scan(&out).Error
}

// knownClasses refuses limits of a class that no item has: they would do nothing, unseen.
func (n *NewCount) knownClasses(tx *gorm.DB) error {
	for _, class := range slices.Sorted(maps.Keys(n.Classes)) {
		var is bool
		if err := tx.Raw("SELECT EXISTS (SELECT 1 FROM items WHERE class = ?)", class).Scan(&is).Error; err != nil {
			return err
		}
		if !is || class == "" {
			return refuseAs(Invalid, "classes", "No item is of class %q. Limits of a class are for one that items have.", class)
		}
	}
	return nil
}

// NewCount is what is settled about a count before the freeze.
type NewCount struct {
	Key               string                    `json:"key,omitempty" doc:"of the client's making; a repeat is answered with the first result"`
	Name              string                    `json:"name" minLength:"1" maxLength:"120"`
	Scope             Scope                     `json:"scope"`
	Blind             bool                      `json:"blind"`
	Rows              int                       `json:"rows" minimum:"1" maximum:"5000" doc:"the largest number of rows on a sheet"`
	ToleranceQuantity *quantity.Quantity        `json:"tolerance_quantity,omitempty"`
	TolerancePercent  *quantity.Quantity        `json:"tolerance_percent,omitempty"`
	ToleranceValue    *quantity.Money           `json:"tolerance_value,omitempty"`
	Classes           map[string]ClassTolerance `json:"classes,omitempty" doc:"limits of classes of items, in the place of those of the count"`
	PostTolerated     bool                      `json:"post_tolerated,omitempty" doc:"variances that are let pass go out too, once they are accepted"`
	FrozenAt          string                    `json:"frozen_at,omitempty" doc:"the moment of the freeze; left out: when the stock was recorded"`
	Zone              string                    `json:"zone,omitempty"`
	Columns           []string                  `json:"columns,omitempty" maxItems:"20" doc:"attributes that stand on the sheets and in the files out, such as line.Shelf label"`
}

// CountMade is the answer to a new count.
type CountMade struct {
	ID     int64 `json:"id"`
	Sheets int   `json:"sheets"`
	Lines  int   `json:"lines"`
}

// row makes the count's own row of what was settled.
func (n *NewCount) row(h *store.Warehouse, s *scoped, p Person, now int64) (c store.Count, err error) {
	c = store.Count{
		Name:              strings.TrimSpace(n.Name),
		WarehouseID:       h.ID,
		SetID:             h.SetID,
		State:             store.Freezing,
		Blind:             n.Blind,
		FrozenAt:          s.recordedAt,
		RecordedAt:        s.recordedAt,
		Person:            p.Name,
		At:                now,
		PostTolerated:     n.PostTolerated,
		ToleranceQuantity: (*int64)(n.ToleranceQuantity),
		TolerancePercent:  (*int64)(n.TolerancePercent),
		ToleranceValue:    (*int64)(n.ToleranceValue),
	}
	if c.Name == "" {
		return c, refuseAs(Invalid, "name", "Give the count a name.")
	}
	below := ClassTolerance{n.ToleranceQuantity, n.TolerancePercent, n.ToleranceValue}.below()
	for _, t := range n.Classes {
		below = below || t.below()
	}
	if below {
		return c, refuseAs(Invalid, "tolerance", "A tolerance is not below zero.")
	}
	if n.FrozenAt != "" {
		zone, err := zoneNamed(n.Zone)
		if err != nil {
			return c, err
		}
		if c.FrozenAt, err = layout.ParseTime(n.FrozenAt, zone); err != nil {
			return c, refuseAs(Invalid, "frozen_at", "%q %v.", n.FrozenAt, err)
		}
	}
	for into, of := range map[*string]any{&c.Scope: n.Scope, &c.LeftOut: s.left, &c.Columns: n.Columns, &c.Tolerances: n.Classes} {
		b, err := json.Marshal(of)
		if err != nil {
			return c, err
		}
		*into = string(b)
	}
	if len(n.Classes) == 0 {
		c.Tolerances = ""
	}
	return c, nil
}

// Freeze copies the recorded stock of a scope and cuts the sheets. The freeze is as at the time of which the
// recorded figures are true: later movements are known as such. The lines are written in pieces that nobody sees, so that
// nobody is kept waiting; the work that publishes them is the commit of one row.
func (d *Desk) Freeze(ctx context.Context, p Person, n NewCount) (out CountMade, err error) {
	if err := allow(p, Plan); err != nil {
		return out, err
	}
	key := Key{n.Key, n}
	if done, err := d.Answered(ctx, p, []Act{Plan}, key, &out); done || err != nil {
		return out, err
	}
	tx := d.store.Read(ctx)
	h, err := warehouse(tx, n.Scope.Warehouse)
	if err != nil {
		return out, err
	}
	s, err := d.scope(ctx, tx, h, n.Scope)
	if err != nil {
		return out, err
	}
	c, err := n.row(h, s, p, d.now().UnixNano())
	if err != nil {
		return out, err
	}
	if err := n.knownClasses(tx); err != nil {
		return out, err
	}
	if len(s.lines) == 0 {
		return out, refuseAs(Invalid, "scope", "There is nothing to count in this scope. Choose more zones or bins.")
	}
	defer func() {
		if err != nil && c.ID != 0 { // a kill leaves this to the next start
			_ = d.store.Write(context.WithoutCancel(ctx), func(tx *gorm.DB) error { return store.DeleteCount(tx, c.ID) })
		}
	}()
	sheets, err := d.writeFrozen(ctx, &c, s, n.Rows)
	if err != nil {
		return out, InWords(err)
	}
	return Do(ctx, d, p, Plan, key, func(w *Work) (CountMade, error) {
		now, err := warehouse(w.DB, h.ID)
		if err != nil {
			return out, err
		}
		if now.SetID != c.SetID {
			return out, refuseAs(
				Changed,
				"",
				"Other stock was taken in meanwhile. Look at the tally again, and freeze what is recorded now.",
			)
		}
		if err := w.Exec("UPDATE counts SET state = ? WHERE id = ?", store.Running, c.ID).Error; err != nil {
			return out, err
		}
		made, err := w.Running(c.ID)
		if err != nil {
			return out, err
		}
		if err := w.moveIn(made, "1 = 1", nil); err != nil {
			return out, err
		}
		out = CountMade{c.ID, sheets, len(s.lines)}
		return out, w.Say(
			"frozen",
			map[string]any{"count": c.ID, "name": c.Name, "warehouse": h.Code, "set": c.SetID, "lines": len(s.lines), "sheets": sheets},
		)
	})
}

// StageLine is a count with the live figures of its stages.
type StageLine struct {
	ID             int64                     `json:"id"`
	Name           string                    `json:"name"`
	Warehouse      string                    `json:"warehouse"`
	WarehouseID    int64                     `json:"warehouse_id"`
	State          string                    `json:"state" enum:"running,finished"`
	Blind          bool                      `json:"blind"`
	FrozenAt       time.Time                 `json:"frozen_at"`
	RecordedAt     time.Time                 `json:"recorded_at"`
	Person         string                    `json:"person"`
	RecordedLines  int                       `json:"recorded_lines"`
	Lines          int                       `json:"lines"`
	Counted        int                       `json:"counted"`
	Uncounted      int                       `json:"uncounted"`
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

// Count gives a count with the figures of its stages.
func (d *Desk) Count(ctx context.Context, p Person, id int64) (s StageLine, err error) {
	c, err := d.see(ctx, p, id)
	if err != nil {
		return s, err
	}
	return stageLine(c)
}

func stageLine(c *Seen) (s StageLine, err error) {
	h, err := warehouse(c.tx, c.WarehouseID)
	if err != nil {
		return s, err
	}
	s = StageLine{
		ID:             c.ID,
		Name:           c.Name,
		Warehouse:      h.Code,
		WarehouseID:    h.ID,
		State:          c.State,
		Blind:          c.Count.Blind,
		FrozenAt:       instant(c.FrozenAt),
		RecordedAt:     instant(c.RecordedAt),
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
	t, err := tallyOf(c.tx, c.ID)
	if err != nil {
		return s, err
	}
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
	if c.Blind { // what is left for them is how far it is
		s.Variances, s.Open, s.OpenValue, s.OpenOver, s.OpenShort, s.Accepted, s.Held, s.Posted, s.Zeroed, s.Accuracy = 0, 0, 0, 0, 0, 0, 0, 0,
			0, nil
	}
	var states []struct {
		State string
		N     int
	}
	if err := c.tx.Raw("SELECT state, count(*) AS n FROM sheets WHERE count_id = ? GROUP BY state", c.ID).Scan(&states).Error; err != nil {
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
