package desk

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"gorm.io/gorm"

	"wobin/internal/core/code"
	"wobin/internal/core/counting"
	"wobin/internal/core/layout"
	"wobin/internal/core/quantity"
	"wobin/internal/core/stock"
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
	Sheets   []SheetTally   `json:"sheets" doc:"the sheets that would be cut"`
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

type scopeLine struct {
	Pos, BinID, ItemID             int64
	Bin, Zone, Sku                 string
	Lot, Serial, Holding, RecordID string
	Quantity                       int64
	Cost                           *int64
	Nature                         string
	Active                         bool
	Description, Unit              string
	Attributes, ItemAttributes     string
}

// scopeLines gives the recorded lines in scope that are to be counted, in walking order (zone by zone where bins
// have zones), and what was left out.
func scopeLines(tx *gorm.DB, house *store.Warehouse, sc Scope) (lines []scopeLine, out LeftOut, err error) {
	q := `SELECT l.pos, l.bin_id, l.item_id, b.code AS bin, b.zone, i.sku, l.lot, l.serial, l.holding, l.record_id, l.quantity, l.cost, i.nature, i.active, i.description, i.unit, l.attributes, i.attributes AS item_attributes
		FROM stock_lines l JOIN bins b ON b.id = l.bin_id JOIN items i ON i.id = l.item_id WHERE l.set_id = ?`
	args := []any{house.SetID}
	switch {
	case len(sc.Bins) > 0:
		b, err := json.Marshal(sc.Bins)
		if err != nil {
			return nil, out, err
		}
		q, args = q+" AND l.bin_id IN (SELECT value FROM json_each(?))", append(args, string(b))
	case len(sc.Zones) > 0:
		q, args = q+" AND b.zone IN ?", append(args, sc.Zones)
	}
	for _, k := range sc.Kept {
		column, name := "l.attributes", strings.TrimPrefix(k.Attribute, layout.LineAttribute)
		if item, is := strings.CutPrefix(k.Attribute, layout.ItemAttribute); is {
			column, name = "i.attributes", item
		}
		q += " AND " + column + " <> '' AND (SELECT value FROM json_each(" + column + ") WHERE key = ?) IN ?"
		args = append(args, name, k.Values)
	}
	var all []scopeLine
	if err := tx.Raw(q+" ORDER BY l.pos", args...).Scan(&all).Error; err != nil {
		return nil, out, err
	}
	for _, l := range all {
		switch {
		case l.Nature == "service":
			out.Services++
		case l.Nature == "parent":
			out.Parents++
		case !l.Active && l.Quantity == 0:
			out.Inactive++
		default:
			lines = append(lines, l)
		}
	}
	slices.SortStableFunc(lines, func(a, b scopeLine) int { return code.Compare(a.Zone, b.Zone) })
	return lines, out, nil
}

func (l *scopeLine) line(house string) counting.Line {
	return counting.Line{Key: [stock.Parts]string{house, l.Bin, l.Sku, l.Lot, l.Serial, l.Holding}, Zone: l.Zone, Description: l.Description, Unit: l.Unit, Recorded: quantity.Quantity(l.Quantity)}
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
	if err := allow(p, Look); err != nil {
		return t, err
	}
	tx := d.store.Read(ctx)
	h, err := warehouse(tx, sc.Warehouse)
	if err != nil {
		return t, err
	}
	lines, out, err := scopeLines(tx, h, sc)
	if err != nil {
		return t, err
	}
	t = Tally{Lines: len(lines), LeftOut: out, Sheets: []SheetTally{}, Zones: []ZoneTally{}}
	bins, items := map[int64]bool{}, map[int64]bool{}
	cut := make([]counting.Line, len(lines))
	for i := range lines {
		l := &lines[i]
		cut[i] = l.line(h.Code)
		bins[l.BinID], items[l.ItemID] = true, true
		if l.Cost == nil {
			t.Unvalued++
		} else {
			v, err := quantity.Value(quantity.Quantity(l.Quantity), quantity.Cost(*l.Cost))
			if err != nil {
				return t, err
			}
			t.Value += v
		}
		if n := len(t.Zones); n == 0 || t.Zones[n-1].Zone != l.Zone {
			t.Zones = append(t.Zones, ZoneTally{Zone: l.Zone})
		}
		t.Zones[len(t.Zones)-1].Lines++
	}
	t.Bins, t.Items = len(bins), len(items)
	if t.Kept, err = keptTally(lines); err != nil {
		return t, err
	}
	from := 0
	for _, end := range counting.Cut(cut, rows) {
		t.Sheets = append(t.Sheets, SheetTally{cut[from].Zone, cut[from].Key[stock.Bin], cut[end-1].Key[stock.Bin], end - from})
		from = end
	}
	return t, nil
}

// NewCount is what is settled about a count before the freeze.
type NewCount struct {
	Key               string             `json:"key,omitempty" doc:"of the client's making; a repeat is answered with the first result"`
	Name              string             `json:"name" minLength:"1" maxLength:"120"`
	Scope             Scope              `json:"scope"`
	Blind             bool               `json:"blind"`
	Rows              int                `json:"rows" minimum:"1" maximum:"5000" doc:"the largest number of rows on a sheet"`
	ToleranceQuantity *quantity.Quantity `json:"tolerance_quantity,omitempty"`
	TolerancePercent  *quantity.Quantity `json:"tolerance_percent,omitempty"`
	ToleranceValue    *quantity.Money    `json:"tolerance_value,omitempty"`
	FrozenAt          string             `json:"frozen_at,omitempty" doc:"the moment of the freeze; left out: when the stock was recorded"`
	Zone              string             `json:"zone,omitempty"`
	Columns           []string           `json:"columns,omitempty" maxItems:"20" doc:"attributes that stand on the sheets and in the files out, such as line.Shelf label"`
}

// CountMade is the answer to a new count.
type CountMade struct {
	ID     int64 `json:"id"`
	Sheets int   `json:"sheets"`
	Lines  int   `json:"lines"`
}

// Freeze copies the recorded stock of a scope and cuts the sheets. The freeze is as at the time of which the
// recorded figures are true: later movements are known as such.
func (d *Desk) Freeze(ctx context.Context, p Person, n NewCount) (CountMade, error) {
	if err := allow(p, Plan); err != nil {
		return CountMade{}, err
	}
	n.Name = strings.TrimSpace(n.Name)
	if n.Name == "" {
		return CountMade{}, refuse("Give the count a name.")
	}
	for _, t := range []*quantity.Quantity{n.ToleranceQuantity, n.TolerancePercent} {
		if t != nil && *t < 0 {
			return CountMade{}, refuse("A tolerance is not below zero.")
		}
	}
	out, err := once(d, ctx, n.Key, func(tx *gorm.DB) (out CountMade, err error) {
		h, err := warehouse(tx, n.Scope.Warehouse)
		if err != nil {
			return out, err
		}
		lines, left, err := scopeLines(tx, h, n.Scope)
		if err != nil {
			return out, err
		}
		if len(lines) == 0 {
			return out, refuse("There is nothing to count in this scope. Choose more zones or bins.")
		}
		var set store.StockSet
		if err := tx.First(&set, h.SetID).Error; err != nil {
			return out, err
		}
		scope, err := json.Marshal(n.Scope)
		if err != nil {
			return out, err
		}
		leftOut, err := json.Marshal(left)
		if err != nil {
			return out, err
		}
		columns, err := json.Marshal(n.Columns)
		if err != nil {
			return out, err
		}
		c := store.Count{Columns: string(columns), Name: n.Name, WarehouseID: h.ID, State: store.Running, Blind: n.Blind, FrozenAt: set.RecordedAt, RecordedAt: set.RecordedAt, Person: p.Name, At: d.now().UnixNano(),
			Scope: string(scope), LeftOut: string(leftOut), ToleranceQuantity: (*int64)(n.ToleranceQuantity), TolerancePercent: (*int64)(n.TolerancePercent), ToleranceValue: (*int64)(n.ToleranceValue)}
		if n.FrozenAt != "" {
			zone, err := zoneNamed(n.Zone)
			if err != nil {
				return out, err
			}
			if c.FrozenAt, err = layout.ParseTime(n.FrozenAt, zone); err != nil {
				return out, refuse("%q %v.", n.FrozenAt, err)
			}
		}
		if err := tx.Create(&c).Error; err != nil {
			return out, err
		}
		out.ID, out.Lines = c.ID, len(lines)
		if out.Sheets, err = d.cut(tx, &c, h, lines, n.Rows); err != nil {
			return out, err
		}
		if err := d.recompute(tx, c.ID, nil); err != nil {
			return out, err
		}
		return out, d.record(tx, p, "frozen", map[string]any{"count": c.ID, "name": c.Name, "warehouse": h.Code, "lines": len(lines), "sheets": out.Sheets})
	})
	if err == nil {
		d.Events.Tell(Event{What: "count", Count: out.ID})
	}
	return out, err
}

// cut makes the sheets, none longer than rows, and the frozen lines of a count.
func (d *Desk) cut(tx *gorm.DB, c *store.Count, h *store.Warehouse, lines []scopeLine, rows int) (sheets int, err error) {
	walk := make([]counting.Line, len(lines))
	for i := range lines {
		walk[i] = lines[i].line(h.Code)
	}
	frozen := make([]store.CountLine, len(lines))
	columns := columnsOf(c)
	ends := counting.Cut(walk, rows)
	from := 0
	for n, end := range ends {
		s := store.Sheet{CountID: c.ID, Number: n + 1, Code: counting.SheetCode(int(c.ID), n+1), Zone: walk[from].Zone, FirstBin: walk[from].Key[stock.Bin], LastBin: walk[end-1].Key[stock.Bin], Lines: end - from, State: store.WithUs}
		if err := tx.Create(&s).Error; err != nil {
			return 0, err
		}
		for i := from; i < end; i++ {
			l := &lines[i]
			frozen[i] = store.CountLine{CountID: c.ID, Pos: int64(i + 1), BinID: l.BinID, ItemID: l.ItemID, Lot: l.Lot, Serial: l.Serial, Holding: l.Holding, RecordID: l.RecordID,
				HasRow: true, Recorded: l.Quantity, Cost: l.Cost, SheetID: s.ID, RowCode: counting.RowCode(int(c.ID), n+1, i-from+1), Expected: l.Quantity, Status: "uncounted"}
			if len(columns) > 0 {
				if frozen[i].Attributes, err = keep(l, columns); err != nil {
					return 0, err
				}
			}
		}
		from = end
	}
	return len(ends), store.Batch(tx, frozen)
}

// StageLine is a count with the live figures of its stages.
type StageLine struct {
	ID             int64              `json:"id"`
	Name           string             `json:"name"`
	Warehouse      string             `json:"warehouse"`
	WarehouseID    int64              `json:"warehouse_id"`
	State          string             `json:"state" enum:"running,finished"`
	Blind          bool               `json:"blind"`
	FrozenAt       time.Time          `json:"frozen_at"`
	RecordedAt     time.Time          `json:"recorded_at"`
	Person         string             `json:"person"`
	RecordedLines  int                `json:"recorded_lines"`
	Lines          int                `json:"lines"`
	Counted        int                `json:"counted"`
	Uncounted      int                `json:"uncounted"`
	Sheets         int                `json:"sheets"`
	SheetsOut      int                `json:"sheets_out"`
	SheetsBack     int                `json:"sheets_back"`
	Variances      int                `json:"variances" doc:"lines over, short or found"`
	Open           int                `json:"open" doc:"of these, not decided"`
	OpenValue      quantity.Money     `json:"open_value" doc:"their gross value"`
	OpenOver       quantity.Money     `json:"open_over"`
	OpenShort      quantity.Money     `json:"open_short"`
	Accepted       int                `json:"accepted" doc:"accepted and not yet in a posting"`
	Held           int                `json:"held"`
	Posted         int                `json:"posted" doc:"lines in a posting"`
	Accuracy       *quantity.Money    `json:"accuracy" doc:"percent; null over nothing"`
	Coverage       *quantity.Money    `json:"coverage"`
	LeftOut        LeftOut            `json:"left_out"`
	TolerancePct   *quantity.Quantity `json:"tolerance_percent"`
	ToleranceQty   *quantity.Quantity `json:"tolerance_quantity"`
	ToleranceValue *quantity.Money    `json:"tolerance_value"`
}

func count(tx *gorm.DB, id int64) (*store.Count, error) {
	var c store.Count
	if err := tx.Limit(1).Find(&c, id).Error; err != nil {
		return nil, err
	}
	if c.ID == 0 {
		return nil, missing("The count")
	}
	return &c, nil
}

// Count gives a count with the figures of its stages.
func (d *Desk) Count(ctx context.Context, p Person, id int64) (s StageLine, err error) {
	if err := allow(p, Look); err != nil {
		return s, err
	}
	tx := d.store.Read(ctx)
	c, err := count(tx, id)
	if err != nil {
		return s, err
	}
	return stageLine(tx, c)
}

func stageLine(tx *gorm.DB, c *store.Count) (s StageLine, err error) {
	h, err := warehouse(tx, c.WarehouseID)
	if err != nil {
		return s, err
	}
	s = StageLine{ID: c.ID, Name: c.Name, Warehouse: h.Code, WarehouseID: h.ID, State: c.State, Blind: c.Blind, FrozenAt: *moment(c.FrozenAt), RecordedAt: *moment(c.RecordedAt), Person: c.Person,
		TolerancePct: (*quantity.Quantity)(c.TolerancePercent), ToleranceQty: (*quantity.Quantity)(c.ToleranceQuantity), ToleranceValue: (*quantity.Money)(c.ToleranceValue)}
	if err := json.Unmarshal([]byte(c.LeftOut), &s.LeftOut); err != nil {
		return s, fmt.Errorf("count %d: %w", c.ID, err)
	}
	f, sum, err := tallies(tx, c.ID, "")
	if err != nil {
		return s, err
	}
	s.RecordedLines, s.Lines, s.Counted, s.Uncounted = f.RecordedLines, f.Counted+f.Uncounted, f.Counted, f.Uncounted
	s.Variances = f.Over + f.Short + f.Found
	s.Open, s.OpenValue, s.OpenOver, s.OpenShort = sum.Open, quantity.Money(sum.OpenGross), quantity.Money(sum.OpenOver), quantity.Money(sum.OpenShort)
	s.Accepted, s.Held, s.Posted = sum.Accepted, sum.Held, sum.Posted
	if v, ok := f.Accuracy(); ok {
		s.Accuracy = &v
	}
	if v, ok := f.Coverage(); ok {
		s.Coverage = &v
	}
	var states []struct {
		State string
		N     int
	}
	if err := tx.Raw("SELECT state, count(*) AS n FROM sheets WHERE count_id = ? GROUP BY state", c.ID).Scan(&states).Error; err != nil {
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
