package recorded

import (
	"context"
	"time"

	"wobin/internal/core/code"
	"wobin/internal/core/quantity"
	"wobin/internal/desk"
)

// WarehouseView is a warehouse with its recorded stock.
type WarehouseView struct {
	ID         int64          `json:"id"`
	Code       string         `json:"code"`
	Lines      int            `json:"lines"`
	Bins       int            `json:"bins"`
	Value      quantity.Money `json:"value"`
	Unvalued   int            `json:"unvalued"`
	RecordedAt *time.Time     `json:"recorded_at"`
	Zones      []string       `json:"zones"`
	Walk       string         `json:"walk" doc:"how its aisles are walked; empty: one up and the next one down"`
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
	}
	if err := tx.Raw(`SELECT w.id, w.code, w.walk, coalesce(s.lines, 0) AS lines, coalesce(s.value, 0) AS value, coalesce(s.unvalued, 0) AS unvalued, coalesce(s.recorded_at, 0) AS recorded_at,
		(SELECT count(*) FROM bins b WHERE b.warehouse_id = w.id) AS bins FROM warehouses w LEFT JOIN stock_sets s ON s.id = w.set_id ORDER BY w.code`).Scan(&rows).Error; err != nil {
		return nil, err
	}
	out := make([]WarehouseView, len(rows))
	for i, r := range rows {
		out[i] = WarehouseView{r.ID, r.Code, r.Lines, r.Bins, quantity.Money(r.Value), r.Unvalued, desk.Moment(r.RecordedAt), []string{}, r.Walk}
		if err := tx.Raw("SELECT DISTINCT zone FROM bins WHERE warehouse_id = ? AND zone <> ''", r.ID).Scan(&out[i].Zones).Error; err != nil {
			return nil, err
		}
		code.Sort(out[i].Zones)
	}
	return out, nil
}
