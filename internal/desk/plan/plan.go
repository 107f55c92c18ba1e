// Package plan says what to count: a scope and its tally, and the freeze that makes a count of it with its sheets.
package plan

import (
	"context"
	"database/sql/driver"
	"encoding/json"
	"maps"
	"slices"
	"strings"

	"gorm.io/gorm"

	"wobin/internal/core/form"
	"wobin/internal/core/quantity"
	"wobin/internal/core/variance"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/desk/recorded"
	"wobin/internal/store"
)

// Room is the use cases of planning.
type Room struct {
	*desk.Desk
	recorded *recorded.Room
	facts    facts
}

// New makes the room over recorded stock, of which a scope is a part.
func New(d *desk.Desk, r *recorded.Room) *Room {
	room := &Room{Desk: d, recorded: r}
	d.OnRenewal(func(context.Context) error {
		room.facts.mu.Lock()
		defer room.facts.mu.Unlock()
		room.facts.names, room.facts.set, room.facts.paces = nil, -1, nil
		return nil
	})
	return room
}

// Tally is what a scope comes to.
type Tally struct {
	Lines     int            `json:"lines"`
	Empty     int            `json:"empty" doc:"where nothing is recorded: bins whose rows are to be filled in"`
	Bins      int            `json:"bins"`
	Items     int            `json:"items"`
	Value     quantity.Money `json:"value"`
	Unvalued  int            `json:"unvalued"`
	LeftOut   count.LeftOut  `json:"left_out"`
	Sheets    []SheetTally   `json:"sheets" doc:"the sheets that would be cut, the first of them"`
	SheetsN   int            `json:"sheets_n" doc:"how many sheets would be cut"`
	Zones     []ZoneTally    `json:"zones"`
	Kept      []KeptTally    `json:"kept" doc:"attributes that lines in scope have"`
	Seconds   int64          `json:"seconds" doc:"what counting is expected to take one person"`
	Paced     bool           `json:"paced" doc:"the pace is that of earlier counts here"`
	BinIDs    []int64        `json:"bin_ids" doc:"the bins, where they are few enough to be drawn one by one"`
	Elsewhere int            `json:"elsewhere" doc:"lines that are on sheets of running counts, uncounted there"`
	SentOut   int            `json:"sent_out" doc:"lines of which a count sent something out since this stock was recorded"`
	SampleOf  int            `json:"sample_of" doc:"the lines that a sample was drawn from; 0 where there is none"`
	Unknown   []string       `json:"unknown" doc:"values of rules that nothing has, the first twenty"`
	UnknownN  int            `json:"unknown_n" doc:"how many they are"`
}

// SheetTally is a sheet that would be cut.
type SheetTally struct {
	Zone    string `json:"zone"`
	From    string `json:"from"`
	To      string `json:"to"`
	Lines   int    `json:"lines" doc:"its rows"`
	Bins    int    `json:"bins"`
	Seconds int64  `json:"seconds"`
	Minutes string `json:"minutes" doc:"what it is expected to take"`
	For     string `json:"for" doc:"by people: whose it is"`
}

// ZoneTally is a zone with its lines.
type ZoneTally struct {
	Zone  string `json:"zone"`
	Lines int    `json:"lines"`
}

// Tally tells what a scope comes to, before anything is frozen.
func (d *Room) Tally(ctx context.Context, p desk.Person, sc count.Scope, cut Cut) (t Tally, err error) {
	tx, h, err := d.RecordedOf(ctx, p, sc.Warehouse)
	if err != nil {
		return t, err
	}
	paced := false
	if cut.pace, paced, err = d.pace(tx, h.ID); err != nil {
		return t, err
	}
	if cut, err = cut.settled(); err != nil {
		return t, err
	}
	s, err := d.scoped(ctx, tx, h, sc, cut, nil)
	if err != nil {
		return t, err
	}
	if t, err = s.tally(cut); err != nil {
		return t, err
	}
	if t.Elsewhere, err = d.elsewhere(ctx, tx, h, s); err != nil {
		return t, err
	}
	if t.SentOut, err = sentOut(tx, h, s); err != nil {
		return t, err
	}
	t.Paced = paced
	if t.UnknownN = len(t.Unknown); t.UnknownN > 20 {
		t.Unknown = t.Unknown[:20]
	}
	if t.Unknown == nil {
		t.Unknown = []string{}
	}
	return t, err
}

// sentOut counts the lines of a scope of which a count sent something out since their stock was recorded: the records may have
// it by now, or not.
func sentOut(tx *gorm.DB, h *store.Warehouse, s *scoped) (n int, err error) {
	sent := map[placed]bool{}
	err = store.Each(tx, `SELECT DISTINCT l.bin_id, l.item_id FROM stock_sets r JOIN counts c ON c.warehouse_id = r.warehouse_id
		JOIN postings g ON g.count_id = c.id AND g.at > r.recorded_at CROSS JOIN posting_lines p ON p.posting_id = g.id AND p.variance <> 0
		CROSS JOIN count_lines l ON l.count_id = g.count_id AND l.pos = p.pos WHERE r.id = ?`, []driver.Value{h.SetID},
		func(v []driver.Value) error {
			sent[placed{v[0].(int64), v[1].(int64)}] = true
			return nil
		})
	if len(sent) == 0 {
		return 0, err
	}
	for _, l := range s.lines {
		if sent[placed{s.Bins[l], s.Items[l]}] {
			n++
		}
	}
	return n, err
}

// elsewhere counts the lines of a scope that wait on sheets of running counts.
func (d *Room) elsewhere(ctx context.Context, tx *gorm.DB, h *store.Warehouse, s *scoped) (n int, err error) {
	var runs bool
	if err := tx.Raw("SELECT EXISTS (SELECT 1 FROM counts WHERE warehouse_id = ? AND state = ?)", h.ID, store.Running).Scan(&runs).Error; err != nil ||
		!runs {
		return 0, err
	}
	f := &d.facts
	f.mu.Lock()
	defer f.mu.Unlock()
	if f.renew(s.Set, d.Now()); f.counted == nil {
		if err := f.loadCounted(ctx, tx, h, s, d.Now()); err != nil {
			return 0, err
		}
	}
	last := placed{}
	for _, l := range s.lines { // lots of an item in a bin stand together
		if k := (placed{s.Bins[l], s.Items[l]}); k != last {
			last = k
			n += int(f.waits[l])
		}
	}
	return n, nil
}

// Classes gives the classes that items have, for limits of their own.
func (d *Room) Classes(ctx context.Context, p desk.Person) (out []string, err error) {
	if err := desk.Allow(p, desk.Look); err != nil {
		return nil, err
	}
	out = []string{}
	err = d.Store.Read(ctx).Raw("SELECT DISTINCT class FROM items WHERE class <> '' ORDER BY class LIMIT 200").Scan(&out).Error
	return out, err
}

// Categories gives the categories that items have, for rules.
func (d *Room) Categories(ctx context.Context, p desk.Person) (out []string, err error) {
	if err := desk.Allow(p, desk.Look); err != nil {
		return nil, err
	}
	out = []string{}
	return out, d.Store.Read(ctx).
		Raw("SELECT DISTINCT category FROM items WHERE category <> '' ORDER BY category LIMIT 500").
		Scan(&out).
		Error
}

// knownClasses refuses limits of a class that no item has: they would do nothing, unseen.
func (n *NewCount) knownClasses(tx *gorm.DB) error {
	for _, class := range slices.Sorted(maps.Keys(n.Classes)) {
		var is bool
		if err := tx.Raw("SELECT EXISTS (SELECT 1 FROM items WHERE class = ?)", class).Scan(&is).Error; err != nil {
			return err
		}
		if !is || class == "" {
			return desk.RefuseAs(desk.Invalid, "classes", "No item is of class %q. Limits of a class are for one that items have.", class)
		}
	}
	return nil
}

// NewCount is what is settled about a count before the freeze.
type NewCount struct {
	Key   string      `json:"key,omitempty" doc:"of the client's making; a repeat is answered with the first result"`
	Name  string      `json:"name" minLength:"1" maxLength:"120"`
	Scope count.Scope `json:"scope"`
	Blind bool        `json:"blind"`
	Cut
	ToleranceQuantity *quantity.Quantity              `json:"tolerance_quantity,omitempty"`
	TolerancePercent  *quantity.Quantity              `json:"tolerance_percent,omitempty"`
	ToleranceValue    *quantity.Money                 `json:"tolerance_value,omitempty"`
	Classes           map[string]count.ClassTolerance `json:"classes,omitempty" doc:"limits of classes of items, in the place of those of the count"`
	PostTolerated     bool                            `json:"post_tolerated,omitempty" doc:"variances that are let pass go out too, once they are accepted"`
	FrozenAt          string                          `json:"frozen_at,omitempty" doc:"the moment of the freeze; left out: when the stock was recorded"`
	Zone              string                          `json:"zone,omitempty"`
	together          string
	at                int64              // the moment of the freeze in the records of who did what, the same for counts that stand together
	Stands            string             `json:"stands,omitempty" enum:",agree,choose" doc:"which of several rounds of a line stands: the last, two that agree, the one that is chosen"`
	Rounds            int                `json:"rounds,omitempty" minimum:"0" maximum:"2" doc:"2: two rounds by different people, which must agree; each has sheets of its own"`
	Crews             map[int64][]string `json:"crews,omitempty" doc:"by people: who counts in a further warehouse, where others do than in the first"`
	Further           []int64            `json:"further,omitempty" maxItems:"200" doc:"further warehouses that are counted at the same time by the same rules: one count each, together under this name"`
	Columns           []string           `json:"columns,omitempty" maxItems:"20" doc:"attributes that stand on the sheets and in the files out, such as line.Shelf label"`
}

// CountMade is the answer to a new count.
type CountMade struct {
	ID     int64 `json:"id"`
	Sheets int   `json:"sheets"`
	Lines  int   `json:"lines"`
	// Further are the counts of further warehouses.
	Further []CountMade `json:"further,omitempty"`
}

// row makes the count's own row of what was settled.
func (n *NewCount) row(h *store.Warehouse, s *scoped, p desk.Person, now int64) (c store.Count, err error) {
	c = store.Count{
		Name:              strings.TrimSpace(n.Name),
		Together:          n.together,
		Rounds:            max(n.Rounds, 1),
		Stands:            n.Stands,
		WarehouseID:       h.ID,
		SetID:             h.SetID,
		State:             store.Freezing,
		Blind:             n.Blind,
		FrozenAt:          s.RecordedAt,
		RecordedAt:        s.RecordedAt,
		Person:            p.Name,
		At:                now,
		PostTolerated:     n.PostTolerated,
		ToleranceQuantity: (*int64)(n.ToleranceQuantity),
		TolerancePercent:  (*int64)(n.TolerancePercent),
		ToleranceValue:    (*int64)(n.ToleranceValue),
	}
	if c.Name == "" {
		return c, desk.RefuseAs(desk.Invalid, "name", "Give the count a name.")
	}
	if !variance.Rule(n.Stands).Known() {
		return c, desk.RefuseAs(desk.Invalid, "stands", "The last round stands, two that agree, or the one that is chosen.")
	}
	below := count.ClassTolerance{Quantity: n.ToleranceQuantity, Percent: n.TolerancePercent, Value: n.ToleranceValue}.Below()
	for _, t := range n.Classes {
		below = below || t.Below()
	}
	if below {
		return c, desk.RefuseAs(desk.Invalid, "tolerance", "A tolerance is not below zero.")
	}
	if h.SetID == 0 { // nothing is recorded, so that all that moves from now on is a movement
		c.FrozenAt, c.RecordedAt = now, now
	}
	if n.FrozenAt != "" {
		zone, err := desk.ZoneNamed(n.Zone)
		if err != nil {
			return c, err
		}
		if c.FrozenAt, err = form.ParseTime(n.FrozenAt, zone); err != nil {
			return c, desk.RefuseAs(desk.Invalid, "frozen_at", "%q %v.", n.FrozenAt, err)
		}
	}
	if n.Scope.Sample != nil {
		drawn := *n.Scope.Sample
		drawn.Of, drawn.Picked, n.Scope.Sample = s.sampleOf, len(s.lines), &drawn
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

// frozen is a count that is written and that nobody sees yet.
type frozen struct {
	house  *store.Warehouse
	scoped *scoped
	cut    Cut
	row    store.Count
	sheets int
}

// prepare finds out what a count of one warehouse comes to.
func (d *Room) prepare(ctx context.Context, p desk.Person, n NewCount) (f *frozen, err error) {
	f = &frozen{}
	tx := d.Store.Read(ctx)
	if f.house, err = desk.WarehouseRow(tx, n.Scope.Warehouse); err != nil {
		return nil, err
	}
	if n.Cut.pace, _, err = d.pace(tx, f.house.ID); err != nil {
		return nil, err
	}
	if f.cut, err = n.Cut.settled(); err != nil {
		return nil, err
	}
	if f.scoped, err = d.scoped(ctx, tx, f.house, n.Scope, f.cut, nil); err != nil {
		return nil, err
	}
	if len(n.Further) > 0 {
		n.Name += ", " + f.house.Code
	}
	if f.row, err = n.row(f.house, f.scoped, p, n.at); err != nil {
		return nil, err
	}
	if len(f.scoped.bins) == 0 {
		in := "in this scope"
		if len(n.Further) > 0 {
			in = "in " + f.house.Code
		}
		return nil, desk.RefuseAs(desk.Invalid, "scope", "There is nothing to count %s. Choose more zones or bins, or ease a rule.", in)
	}
	return f, n.knownClasses(tx)
}

// publish makes it seen, within work.
func (f *frozen) publish(w *desk.Work, walk string) (out CountMade, err error) {
	now, err := desk.WarehouseRow(w.Tx, f.house.ID)
	if err != nil {
		return out, err
	}
	if now.SetID != f.row.SetID {
		return out, desk.RefuseAs(
			desk.Changed,
			"",
			"Other stock was taken in meanwhile. Look at the tally again, and freeze what is recorded now.",
		)
	}
	if err := w.Exec("UPDATE counts SET state = ? WHERE id = ?", store.Running, f.row.ID).Error; err != nil {
		return out, err
	}
	if err := w.Exec("UPDATE warehouses SET walk = ? WHERE id = ? AND walk <> ?", walk, f.house.ID, walk).Error; err != nil {
		return out, err
	}
	if len(f.cut.For) > 0 {
		if err := store.KeepCrew(w.Tx, f.house.ID, f.cut.For); err != nil {
			return out, err
		}
	}
	made, err := w.Running(f.row.ID)
	if err != nil {
		return out, err
	}
	if _, err := count.NoteElsewhere(w, made, nil, 0); err != nil {
		return out, err
	}
	return CountMade{ID: f.row.ID, Sheets: f.sheets, Lines: len(f.scoped.lines)}, count.MoveIn(w, made, "1 = 1", nil)
}

// Freeze copies the recorded stock of a scope and cuts the sheets. The freeze is as at the time of which the recorded
// figures are true: later movements are known as such. The lines are written in pieces that nobody sees, so that nobody
// is kept waiting; the work that publishes them is the commit of one row. Counts of several warehouses are published
// together, or none.
func (d *Room) Freeze(ctx context.Context, p desk.Person, n NewCount) (out CountMade, err error) {
	if err := desk.Allow(p, desk.Plan); err != nil {
		return out, err
	}
	key := desk.Key{Text: n.Key, Body: n}
	if done, err := d.Answered(ctx, p, []desk.Act{desk.Plan}, key, &out); done || err != nil {
		return out, err
	}
	if len(n.Further) > 0 && len(n.Scope.Zones)+len(n.Scope.Bins) > 0 {
		return out, desk.RefuseAs(
			desk.Invalid,
			"further",
			"Zones and bins are those of one warehouse. Plan several together by rules, or one by one.",
		)
	}
	houses := append([]int64{n.Scope.Warehouse}, n.Further...)
	counts := make([]*frozen, len(houses))
	n.at = d.Now().UnixNano()
	for i, house := range houses {
		if slices.Contains(houses[:i], house) {
			return out, desk.RefuseAs(desk.Invalid, "further", "A warehouse is named twice.")
		}
		one := n
		if crew := n.Crews[house]; len(crew) > 0 {
			one.For = crew
		}
		if one.Scope.Warehouse = house; len(n.Further) > 0 {
			one.together = strings.TrimSpace(n.Name)
		}
		if counts[i], err = d.prepare(ctx, p, one); err != nil {
			return out, err
		}
	}
	published := false
	defer func() {
		for _, f := range counts {
			if !published && f.row.ID != 0 { // a kill leaves this to the next start
				_ = d.Store.Write(context.WithoutCancel(ctx), func(tx *gorm.DB) error { return store.DeleteCount(tx, f.row.ID) })
			}
		}
	}()
	for _, f := range counts {
		if f.sheets, err = d.writeFrozen(ctx, &f.row, f.scoped, f.cut); err != nil {
			return out, desk.InWords(err)
		}
	}
	out, err = desk.Do(ctx, d.Desk, p, desk.Plan, key, func(w *desk.Work) (out CountMade, err error) {
		var said []map[string]any
		for i, f := range counts {
			made, err := f.publish(w, n.Walk)
			if err != nil {
				return out, err
			}
			if said = append(said, map[string]any{"count": made.ID, "name": f.row.Name, "warehouse": f.house.Code, "set": f.row.SetID, "lines": made.Lines,
				"sheets": made.Sheets}); i == 0 {
				out = made
			} else {
				out.Further = append(out.Further, made)
			}
		}
		if len(said) == 1 {
			return out, w.Say("frozen", said[0])
		}
		return out, w.Say("frozen", map[string]any{"together": n.Name, "counts": said})
	})
	if published = err == nil; published {
		d.facts.forget() // its lines are on their way
	}
	return out, err
}
