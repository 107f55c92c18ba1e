package intake

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"wobin/internal/core/field"
	"wobin/internal/core/layout"
	"wobin/internal/desk"
	"wobin/internal/store"
)

// Layout is a layout of a file, as the core has it.
type Layout = layout.Layout

// LayoutSchemaName is what the JSON Schema of layouts is called.
const LayoutSchemaName = layout.SchemaName

// LayoutView is a saved layout.
type LayoutView struct {
	Name   string        `json:"name"`
	Kind   field.Kind    `json:"kind"`
	Person string        `json:"person"`
	At     time.Time     `json:"at"`
	UsedAt *time.Time    `json:"used_at"`
	Layout layout.Layout `json:"layout"`
}

// savedLayouts gives the saved layouts, those used last first.
func (d *Room) savedLayouts(ctx context.Context) ([]*layout.Layout, error) {
	var rows []store.Layout
	if err := d.Store.Read(ctx).Order("max(used_at, at) DESC").Find(&rows).Error; err != nil {
		return nil, err
	}
	out := make([]*layout.Layout, len(rows))
	for i, r := range rows {
		l, err := layout.Decode([]byte(r.Body))
		if err != nil {
			return nil, fmt.Errorf("layout %q: %w", r.Name, err)
		}
		l.Name = r.Name
		out[i] = l
	}
	return out, nil
}

// Layouts lists the saved layouts by name.
func (d *Room) Layouts(ctx context.Context, p desk.Person) ([]LayoutView, error) {
	if err := desk.Allow(p, desk.Look); err != nil {
		return nil, err
	}
	var rows []store.Layout
	if err := d.Store.Read(ctx).Order("name").Find(&rows).Error; err != nil {
		return nil, err
	}
	out := make([]LayoutView, len(rows))
	for i, r := range rows {
		l, err := layout.Decode([]byte(r.Body))
		if err != nil {
			return nil, fmt.Errorf("layout %q: %w", r.Name, err)
		}
		l.Name = r.Name
		out[i] = LayoutView{r.Name, field.Kind(r.Kind), r.Person, desk.Instant(r.At), desk.Moment(r.UsedAt), *l}
	}
	return out, nil
}

// SaveLayout keeps a layout under a name, in place of one that has it.
func (d *Room) SaveLayout(ctx context.Context, p desk.Person, name string, l layout.Layout) error {
	if err := desk.Allow(p, desk.TakeIn); err != nil {
		return err
	}
	if name = strings.TrimSpace(name); name == "" || name == "-" || len(name) > 120 {
		return desk.Refuse("Give the layout a name of 1 to 120 characters.")
	}
	if l.Kind == "" {
		return desk.Refuse("The layout does not say what its files are about. Give it a kind: places, items, stock, movements or counts.")
	}
	if err := l.Valid(); err != nil {
		return desk.Refuse("%s.", desk.SentenceOf(err))
	}
	l.Name, l.Schema = name, layout.SchemaName
	b, err := json.Marshal(l)
	if err != nil {
		return err
	}
	_, err = desk.Do(ctx, d.Desk, p, desk.TakeIn, desk.Key{}, func(w *desk.Work) (none struct{}, err error) {
		err = w.Exec(`INSERT INTO layouts (name, kind, body, person, at, used_at) VALUES (?, ?, ?, ?, ?, 0)
			ON CONFLICT (name) DO UPDATE SET kind = excluded.kind, body = excluded.body, person = excluded.person, at = excluded.at`, name, string(l.Kind), string(b), p.Name, w.Now).Error
		if err != nil {
			return none, err
		}
		return none, w.Say("layout saved", map[string]any{"name": name, "layout": json.RawMessage(b)})
	})
	return err
}

// DeleteLayout forgets a layout. What was taken in by it stays.
func (d *Room) DeleteLayout(ctx context.Context, p desk.Person, name string) error {
	_, err := desk.Do(ctx, d.Desk, p, desk.TakeIn, desk.Key{}, func(w *desk.Work) (none struct{}, err error) {
		r := w.Exec("DELETE FROM layouts WHERE name = ?", name)
		if r.Error != nil {
			return none, r.Error
		}
		if r.RowsAffected == 0 {
			return none, desk.Missing("The layout")
		}
		return none, w.Say("layout deleted", map[string]any{"name": name})
	})
	return err
}

// SaveDraftLayout keeps all that was settled and found out about a sheet as a layout, by which files of the same shape
// are known from then on.
func (d *Room) SaveDraftLayout(ctx context.Context, p desk.Person, id string, sheet int, name string) (*Draft, error) {
	dr, let, err := d.hold(ctx, p, id)
	if err != nil {
		return nil, err
	}
	defer let()
	if dr.table == nil || sheet < 0 || sheet >= len(dr.parts) || dr.parts[sheet].mapping == nil {
		return nil, desk.Missing("The sheet")
	}
	pt := dr.parts[sheet]
	l := pt.mapping.Whole(pt.mapping.Given(pt.given))
	l.Delimiter, l.Encoding = dr.choices.Delimiter, dr.choices.Encoding
	if len(dr.table.Sheets) > 1 {
		l.Sheet = pt.view.Name
	}
	if err := d.SaveLayout(ctx, p, name, *l); err != nil {
		return nil, err
	}
	pt.view.Layout = strings.TrimSpace(name)
	for i := range dr.seen.Sheets {
		if dr.seen.Sheets[i].Number == sheet {
			dr.seen.Sheets[i].Layout = pt.view.Layout
		}
	}
	return dr.seen, nil
}

// LayoutFile gives a layout as its JSON file.
func (d *Room) LayoutFile(ctx context.Context, p desk.Person, name string) ([]byte, error) {
	all, err := d.Layouts(ctx, p)
	if err != nil {
		return nil, err
	}
	for _, l := range all {
		if l.Name == name {
			b, err := json.MarshalIndent(l.Layout, "", "  ")
			return append(b, '\n'), err
		}
	}
	return nil, desk.Missing("The layout")
}
