package plan

import (
	"context"
	"encoding/json"
	"slices"
	"time"

	"gorm.io/gorm"

	"wobin/internal/core/cutting"
	"wobin/internal/core/quantity"
	"wobin/internal/core/rotation"
	"wobin/internal/core/scope"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/store"
)

// Rotation is how often the lines of a warehouse are counted a year, and when people have time for it.
type Rotation struct {
	rotation.Plan
	Minutes int    `json:"minutes,omitempty" minimum:"0" maximum:"100000" doc:"minutes of work that a day has for it, all people together; 0: not said"`
	Zone    string `json:"zone" doc:"the time zone by which a day begins"`
	Began   string `json:"began,omitempty" doc:"when it began; of the server's making"`
}

// RotationView is a rotation with today's portion and the year.
type RotationView struct {
	Rotation *Rotation        `json:"rotation" doc:"none where nothing was said"`
	Groups   []RotationGroup  `json:"groups" doc:"what the groups have, in the order of the plan; those that it has not stand last"`
	Portion  RotationPortion  `json:"portion"`
	Late     rotation.Late    `json:"late"`
	Months   []RotationMonth  `json:"months" doc:"those of this year"`
	Usual    []rotation.Group `json:"usual" doc:"the groups that the plan of this warehouse may have, at what is usual"`
}

// RotationGroup is what a group has.
type RotationGroup struct {
	Name    string `json:"name"`
	Times   int    `json:"times"`
	Lines   int    `json:"lines"`
	Counted int    `json:"counted" doc:"lines that were counted within a year"`
}

// RotationPortion is what is to be counted on a day.
type RotationPortion struct {
	Lines   int            `json:"lines"`
	Bins    int            `json:"bins"`
	Value   quantity.Money `json:"value"`
	Seconds int64          `json:"seconds"`
	Done    int            `json:"done" doc:"lines that were counted today or are on a sheet"`
}

// RotationMonth is a month as it was and as it is to be.
type RotationMonth struct {
	Month   int   `json:"month"`
	Days    int   `json:"days" doc:"working days"`
	Lines   int   `json:"lines" doc:"lines that the rotation has in it"`
	Seconds int64 `json:"seconds" doc:"what they are expected to take one person"`
	Counted int   `json:"counted" doc:"lines that were counted in it"`
}

// usual are the groups of a new rotation.
func usual(names []string) []rotation.Group {
	out := []rotation.Group{{Name: "A", Times: 12}, {Name: "B", Times: 4}, {Name: "C", Times: 1}}
	for _, z := range names {
		out = append(out, rotation.Group{Name: z, Times: 4})
	}
	return out
}

// rotationOf reads the rotation of a warehouse; nil where it has none.
func rotationOf(h *store.Warehouse) (*Rotation, error) {
	if h.Rotation == "" {
		return nil, nil
	}
	r := &Rotation{}
	return r, json.Unmarshal([]byte(h.Rotation), r)
}

// turned is a rotation put to the lines of a scope.
type turned struct {
	groups []RotationGroup
	late   rotation.Late
	done   int
}

// turn picks today's portion of the rotation from lines.
func (d *Room) turn(ctx context.Context, tx *gorm.DB, h *store.Warehouse, s *scoped, picked []int32) ([]int32, error) {
	r, err := rotationOf(h)
	if err != nil {
		return nil, err
	}
	if r == nil {
		return nil, desk.RefuseAs(desk.Invalid, "rotation", "%s has no rotation. Say first how often its lines are counted a year.", h.Code)
	}
	zone, err := desk.ZoneNamed(r.Zone)
	if err != nil {
		return nil, err
	}
	began, err := time.Parse(time.RFC3339, r.Began)
	if err != nil {
		return nil, err
	}
	f := &d.facts
	f.mu.Lock()
	defer f.mu.Unlock()
	if err := f.loadItems(tx, d.Version(0)); err != nil {
		return nil, err
	}
	f.renew(s.Set, d.Now())
	if f.counted == nil {
		if err := f.loadCounted(ctx, tx, h, s, d.Now()); err != nil {
			return nil, err
		}
	}
	at := map[string]int{}
	s.turned = &turned{}
	for i, g := range r.Groups {
		at[g.Name] = i
		s.turned.groups = append(s.turned.groups, RotationGroup{Name: g.Name, Times: g.Times})
	}
	var classes []byte
	if r.By != "zone" {
		a, b := scope.Rule{What: scope.ABC, By: r.By, A: r.A, B: r.B}.Limits()
		if classes, err = f.classesBy(tx, h, s, classing{r.By, a, b}, d.Now()); err != nil {
			return nil, err
		}
	}
	now := d.Now().In(zone)
	year := now.AddDate(-1, 0, 0).UnixNano()
	midnight := time.Date(now.Year(), now.Month(), now.Day(), 0, 0, 0, 0, zone).UnixNano()
	lines := make([]rotation.Line, len(picked))
	for i, n := range picked {
		name := s.where.Names[s.where.Zones[s.Bins[n]]]
		if classes != nil {
			name = string(rune(classes[n]))
		}
		group, has := at[name]
		if !has { // a zone of which nothing was said
			group = len(s.turned.groups)
			at[name] = group
			s.turned.groups = append(s.turned.groups, RotationGroup{Name: name})
		}
		g := &s.turned.groups[group]
		g.Lines++
		l := &lines[i]
		*l = rotation.Line{Group: group, Counted: f.counted[n], Times: int(f.turns[n]), Waits: f.waits[n] > 0}
		if l.Counted >= year {
			g.Counted++
		}
		if g.Times > 0 && (l.Waits || l.Counted >= midnight) {
			s.turned.done++
		}
	}
	portion, late := r.Portion(lines, now, began)
	s.turned.late = late
	out := make([]int32, len(portion))
	for i, n := range portion {
		out[i] = picked[n]
	}
	return out, nil
}

// Rotation gives a warehouse's rotation with today's portion, what is late, and the year as it was and as it is to be.
func (d *Room) Rotation(ctx context.Context, p desk.Person, warehouse int64) (v RotationView, err error) {
	tx, h, err := d.RecordedOf(ctx, p, warehouse)
	if err != nil {
		return v, err
	}
	v.Groups, v.Months = []RotationGroup{}, []RotationMonth{}
	where, err := d.recorded.BinsOf(tx, h.ID)
	if err != nil {
		return v, err
	}
	names := []string{}
	for _, z := range where.Zones {
		if n := where.Names[z]; !slices.Contains(names, n) {
			names = append(names, n)
		}
	}
	slices.Sort(names)
	v.Usual = usual(names)
	if v.Rotation, err = rotationOf(h); err != nil || v.Rotation == nil {
		return v, err
	}
	cut := Cut{Rows: 5000, Walk: h.Walk}
	if cut.pace, _, err = d.pace(tx, h.ID); err != nil {
		return v, err
	}
	if cut, err = cut.settled(); err != nil {
		return v, err
	}
	s, err := d.scoped(ctx, tx, h, count.Scope{Warehouse: h.ID, Rotation: true}, cut, nil)
	if err != nil {
		return v, err
	}
	t, err := s.tally(cut)
	if err != nil {
		return v, err
	}
	v.Groups, v.Late = s.turned.groups, s.turned.late
	v.Portion = RotationPortion{Lines: t.Lines, Bins: t.Bins, Value: t.Value, Seconds: t.Seconds, Done: s.turned.done}
	zone, err := desk.ZoneNamed(v.Rotation.Zone)
	if err != nil {
		return v, err
	}
	sizes := make([]int, len(v.Rotation.Groups))
	for i := range sizes {
		sizes[i] = v.Groups[i].Lines
	}
	now := d.Now().In(zone)
	began, err := time.Parse(time.RFC3339, v.Rotation.Began)
	if err != nil {
		return v, err
	}
	// A portion is spread over the warehouse, so each of its lines has its own way and its own bin.
	one := cut.pace.Seconds(&cutting.Stop{}, &cutting.Stop{Zone: 1}, 1)
	for _, m := range v.Rotation.Year(now.Year(), sizes, began.In(zone)) {
		v.Months = append(v.Months, RotationMonth{Month: int(m.Month), Days: m.Days, Lines: m.Lines, Seconds: int64(m.Lines) * one})
	}
	d.facts.mu.Lock()
	defer d.facts.mu.Unlock()
	for day, n := range d.facts.days {
		if at := time.Unix(day*daySeconds, 0).UTC(); at.Year() == now.Year() {
			v.Months[at.Month()-1].Counted += n
		}
	}
	return v, nil
}

// SetRotation says how often the lines of a warehouse are counted a year; with no plan it has no rotation any more.
func (d *Room) SetRotation(ctx context.Context, p desk.Person, warehouse int64, r *Rotation) error {
	_, err := desk.Do(ctx, d.Desk, p, desk.Plan, desk.Key{}, func(w *desk.Work) (none struct{}, err error) {
		h, err := desk.WarehouseRow(w.Tx, warehouse)
		if err != nil {
			return none, err
		}
		body := ""
		if r != nil {
			was, err := rotationOf(h)
			if err != nil {
				return none, err
			}
			if wrong := r.Check(); wrong != "" {
				return none, desk.RefuseAs(desk.Invalid, "rotation", "%s", wrong)
			}
			if _, err := desk.ZoneNamed(r.Zone); err != nil {
				return none, err
			}
			// What was late before a plan is changed is late after it.
			if r.Began = d.Now().UTC().Format(time.RFC3339); was != nil {
				r.Began = was.Began
			}
			b, err := json.Marshal(r)
			if err != nil {
				return none, err
			}
			body = string(b)
		}
		if err := w.Exec("UPDATE warehouses SET rotation = ? WHERE id = ?", body, h.ID).Error; err != nil {
			return none, err
		}
		w.Tell(desk.Event{What: "recorded"})
		return none, w.Say("rotation", map[string]any{"warehouse": h.Code, "rotation": r})
	})
	return err
}
