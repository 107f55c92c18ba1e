package recorded

import (
	"context"
	"errors"
	"time"

	"wobin/internal/core/code"
	"wobin/internal/core/quantity"
	"wobin/internal/desk"
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
	Walk       string          `json:"walk" doc:"how its aisles are walked; empty: one up and the next one down"`
}

// Warehouses lists the warehouses in natural order.
func (d *Room) Warehouses(ctx context.Context, p desk.Person) ([]WarehouseView, error) {
	if err := desk.Allow(p, desk.Look); err != nil {
		return nil, err
	}
	tx := d.Store.Read(ctx)
	var rows []struct {
		ID          int64
		Code, Walk  string
		Lines, Bins int
		Value       int64
		Unvalued    int
		RecordedAt  int64
		Rotation    bool
	}
	if err := tx.Raw(`SELECT w.id, w.code, w.walk, w.rotation <> '' AS rotation, coalesce(s.lines, 0) AS lines, coalesce(s.value, 0) AS value, coalesce(s.unvalued, 0) AS unvalued, coalesce(s.recorded_at, 0) AS recorded_at,
		(SELECT count(*) FROM bins b WHERE b.warehouse_id = w.id) AS bins FROM warehouses w LEFT JOIN stock_sets s ON s.id = w.set_id ORDER BY w.code`).Scan(&rows).Error; err != nil {
		return nil, err
	}
	out := make([]WarehouseView, len(rows))
	for i, r := range rows {
		out[i] = WarehouseView{ID: r.ID, Code: r.Code, Lines: r.Lines, Bins: r.Bins, Unvalued: r.Unvalued,
			RecordedAt: desk.Moment(r.RecordedAt), Zones: []string{}, Rotation: r.Rotation, Walk: r.Walk}
		hidden := desk.UnlessBlind(tx, p, r.ID, "see what is recorded in "+r.Code)
		if hidden != nil && !errors.Is(hidden, desk.ErrMayNot) {
			return nil, hidden
		}
		if hidden == nil {
			value := quantity.Money(r.Value)
			out[i].Value = &value
		}
		if err := tx.Raw("SELECT DISTINCT zone FROM bins WHERE warehouse_id = ? AND zone <> ''", r.ID).Scan(&out[i].Zones).Error; err != nil {
			return nil, err
		}
		code.Sort(out[i].Zones)
	}
	return out, nil
}
