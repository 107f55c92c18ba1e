package plan

import (
	"context"
	"encoding/json"
	"strings"
	"time"

	"wobin/internal/desk"
	"wobin/internal/desk/count"
)

// KeptScope is a scope that was kept with a name.
type KeptScope struct {
	ID     int64       `json:"id"`
	Name   string      `json:"name"`
	Scope  count.Scope `json:"scope"`
	Person string      `json:"person"`
	At     *time.Time  `json:"at"`
}

// KeptScopes lists the scopes that were kept, by name.
func (d *Room) KeptScopes(ctx context.Context, p desk.Person) ([]KeptScope, error) {
	if err := desk.Allow(p, desk.Look); err != nil {
		return nil, err
	}
	var rows []struct {
		ID, At             int64
		Name, Body, Person string
	}
	if err := d.Store.Read(ctx).Raw("SELECT * FROM scopes ORDER BY name").Scan(&rows).Error; err != nil {
		return nil, err
	}
	out := make([]KeptScope, len(rows))
	for i, r := range rows {
		out[i] = KeptScope{ID: r.ID, Name: r.Name, Person: r.Person, At: desk.Moment(r.At)}
		if err := json.Unmarshal([]byte(r.Body), &out[i].Scope); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// KeepScope keeps a scope with a name, in the place of one of the same name.
func (d *Room) KeepScope(ctx context.Context, p desk.Person, name string, sc count.Scope) error {
	_, err := desk.Do(ctx, d.Desk, p, desk.Plan, desk.Key{}, func(w *desk.Work) (none struct{}, err error) {
		if name = strings.TrimSpace(name); name == "" {
			return none, desk.RefuseAs(desk.Invalid, "name", "Give the scope a name.")
		}
		body, err := json.Marshal(sc)
		if err != nil {
			return none, err
		}
		if err := w.Exec(`INSERT INTO scopes (name, body, person, at) VALUES (?, ?, ?, ?)
			ON CONFLICT (name) DO UPDATE SET body = excluded.body, person = excluded.person, at = excluded.at`, name, string(body), p.Name, w.Now).Error; err != nil {
			return none, err
		}
		w.Tell(desk.Event{What: "recorded"})
		return none, w.Say("scope kept", map[string]any{"name": name, "scope": sc})
	})
	return err
}

// DropScope takes a kept scope away.
func (d *Room) DropScope(ctx context.Context, p desk.Person, id int64) error {
	_, err := desk.Do(ctx, d.Desk, p, desk.Plan, desk.Key{}, func(w *desk.Work) (none struct{}, err error) {
		r := w.Exec("DELETE FROM scopes WHERE id = ?", id)
		if r.Error != nil {
			return none, r.Error
		}
		if r.RowsAffected == 0 {
			return none, desk.Missing("The kept scope")
		}
		w.Tell(desk.Event{What: "recorded"})
		return none, w.Say("scope dropped", map[string]any{"scope": id})
	})
	return err
}
