package counting

import (
	"context"
	"maps"
	"slices"
	"strings"

	"wobin/internal/core/form"
	"wobin/internal/desk"
	"wobin/internal/store"
)

// Crew is who may count a count, and for whom its sheets are planned.
type Crew struct {
	Names   []string     `json:"names" doc:"who counts in the warehouse: its crew first, then whoever had sheets there, the latest first"`
	Planned []PlannedFor `json:"planned" doc:"for whom sheets are planned that are with us"`
}

// PlannedFor is how many sheets somebody is to get.
type PlannedFor struct {
	Counter string `json:"counter"`
	Sheets  int    `json:"sheets"`
}

// Crew tells who may count a count, and for whom sheets are planned that nobody has yet.
func (d *Room) Crew(ctx context.Context, p desk.Person, countID int64) (v Crew, err error) {
	v = Crew{Names: []string{}, Planned: []PlannedFor{}}
	c, err := d.See(ctx, p, countID)
	if err != nil {
		return v, err
	}
	crew, others, err := store.CrewOf(c.Tx, c.WarehouseID)
	if err != nil {
		return v, err
	}
	v.Names = append(append(v.Names, crew...), others...)
	rows, err := store.PlannedSheets(c.Tx, c.ID)
	for _, r := range rows {
		v.Planned = append(v.Planned, PlannedFor(r))
	}
	return v, err
}

// HandingPlanned hands out all sheets that are planned for somebody.
type HandingPlanned struct {
	Sheets int    `json:"sheets" minimum:"1" doc:"how many there are, as it was seen"`
	Due    string `json:"due,omitempty" doc:"when they are to be back"`
	Zone   string `json:"zone,omitempty" doc:"the time zone of that"`
}

// HandOutPlanned hands every sheet of a count that is planned for somebody, and is with us, to them.
func (d *Room) HandOutPlanned(ctx context.Context, p desk.Person, countID int64, h HandingPlanned) error {
	_, err := desk.Do(ctx, d.Desk, p, desk.Plan, desk.Key{}, func(w *desk.Work) (none struct{}, err error) {
		c, err := w.Running(countID)
		if err != nil {
			return none, err
		}
		due, err := dueAt(w, h.Due, h.Zone)
		if err != nil {
			return none, err
		}
		planned, err := store.PlannedNumbers(w.Tx, c.ID)
		if err != nil {
			return none, err
		}
		said := map[string]int{}
		for _, who := range slices.Sorted(maps.Keys(planned)) {
			said[who] = len(planned[who])
			if err := others(w, c, planned[who], who, false); err != nil {
				return none, err
			}
		}
		n, err := store.HandOutPlanned(w.Tx, c.ID, w.Now, due)
		if err != nil {
			return none, err
		}
		if n != int64(h.Sheets) {
			return none, desk.RefuseAs(desk.Changed, "sheets", "%s planned for somebody and with us by now. Look at them again.",
				desk.Plural(int(n), "sheet is", "sheets are"))
		}
		return none, w.Say("handed out as planned", map[string]any{"count": c.ID, "sheets": n, "to": said, "due": h.Due})
	})
	return err
}

// dueAt reads when sheets are to be back, as it is said in a time zone; 0 where it is not said.
func dueAt(w *desk.Work, due, in string) (int64, error) {
	zone, err := desk.ZoneNamed(in)
	if err != nil || due == "" {
		return 0, err
	}
	at, err := form.ParseTime(due, zone)
	if err != nil {
		return 0, desk.RefuseAs(desk.Invalid, "due", "%q %v.", due, err)
	}
	if at <= w.Now {
		return 0, desk.RefuseAs(desk.Invalid, "due", "%s is past. Say a time to come.", desk.Instant(at).In(zone).Format("2006-01-02 15:04"))
	}
	return at, nil
}

// asKnown is a name as it is known in a warehouse: a name is one person, whatever the case of its letters.
func asKnown(w *desk.Work, warehouse int64, name string) (string, error) {
	crew, others, err := store.CrewOf(w.Tx, warehouse)
	names := append(crew, others...)
	if i := slices.IndexFunc(names, func(n string) bool { return strings.EqualFold(n, name) }); i >= 0 {
		return names[i], err
	}
	return name, err
}
