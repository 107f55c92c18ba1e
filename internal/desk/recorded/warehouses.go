package recorded

import (
	"context"
	"encoding/json"
	"errors"
	"time"

	"wobin/internal/core/code"
	"wobin/internal/core/quantity"
	"wobin/internal/desk"
	"wobin/internal/store"
)

// WarehouseView is a warehouse with its recorded stock.
type WarehouseView struct {
	ID         int64           `json:"id"`
	Code       string          `json:"code"`
	Lines      int             `json:"lines"`
	Bins       int             `json:"bins"`
	Value      *quantity.Money `json:"value" doc:"null where whoever asks must not learn what is recorded there"`
	Unvalued   int             `json:"unvalued"`
	RecordedAt *time.Time      `json:"recorded_at"`
	Zones      []string        `json:"zones"`
	Rotation   bool            `json:"rotation" doc:"its lines are counted in rotation"`
	Crew       []string        `json:"crew" doc:"who counts there, as the last plan by people named them"`
	Walk       string          `json:"walk" doc:"how its aisles are walked; empty: one up and the next one down"`
}

// Warehouses lists the warehouses in natural order.
func (d *Room) Warehouses(ctx context.Context, p desk.Person) ([]WarehouseView, error) {
	if err := desk.Allow(p, desk.Look); err != nil {
		return nil, err
	}
	tx := d.Store.Read(ctx)
	rows, err := store.RecordedWarehouses(tx)
	if err != nil {
		return nil, err
	}
	out := make([]WarehouseView, len(rows))
	for i, r := range rows {
		out[i] = WarehouseView{ID: r.ID, Code: r.Code, Lines: r.Lines, Bins: r.Bins, Unvalued: r.Unvalued,
			RecordedAt: desk.Moment(r.RecordedAt), Rotation: r.Rotation, Walk: r.Walk}
		out[i].Crew = []string{}
		if r.Crew != "" {
			if err := json.Unmarshal([]byte(r.Crew), &out[i].Crew); err != nil {
				return nil, err
			}
		}
		hidden := desk.UnlessBlind(tx, p, r.ID, "see what is recorded in "+r.Code)
		if hidden != nil && !errors.Is(hidden, desk.ErrMayNot) {
			return nil, hidden
		}
		if hidden == nil {
			value := quantity.Money(r.Value)
			out[i].Value = &value
		}
		if out[i].Zones, err = store.ZonesOf(tx, r.ID); err != nil {
			return nil, err
		}
		code.Sort(out[i].Zones)
	}
	return out, nil
}
