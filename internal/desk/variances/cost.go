package variances

import (
	"context"

	"wobin/internal/core/quantity"
	"wobin/internal/core/stock"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/store"
)

// Costing gives lines of a count another unit cost.
type Costing struct {
	Lines []int64        `json:"lines" minItems:"1" maxItems:"1000"`
	Cost  *quantity.Cost `json:"cost" doc:"of one unit; null: none is known"`
}

// Recost corrects what a unit of lines of a running count costs, be it of an opening balance that came without a cost or of a record that
// was wrong. Quantities and decisions stay as they are. What was sent out is not touched: its value is corrected where it went to.
func (d *Room) Recost(ctx context.Context, p desk.Person, countID int64, x Costing) error {
	_, err := desk.Do(ctx, d.Desk, p, desk.Decide, desk.Key{}, func(w *desk.Work) (none struct{}, err error) {
		c, err := w.Running(countID)
		if err != nil {
			return none, err
		}
		if x.Cost != nil && *x.Cost < 0 {
			return none, desk.RefuseAs(desk.Invalid, "cost", "What a unit costs is never less than 0.")
		}
		lines, err := count.LinesAt(w, c, x.Lines)
		if err != nil {
			return none, err
		}
		costs, was := map[int64]stock.Costing{}, []string{}
		for i := range lines {
			l := &lines[i]
			if l.Postings > 0 {
				return none, desk.Refuse("%s was sent out already. Its value is corrected where it went to.", count.LineName(w.Tx, c, l.Pos))
			}
			before := "none"
			if l.Cost != nil {
				before = quantity.Cost(*l.Cost).String()
			}
			was = append(was, before)
			costs[l.Pos] = store.CostingOf((*int64)(x.Cost), stock.CostByHand)
		}
		if err := count.Recost(w, c, costs); err != nil {
			return none, err
		}
		is := "none"
		if x.Cost != nil {
			is = x.Cost.String()
		}
		return none, w.Say("unit cost corrected", map[string]any{"count": c.ID, "lines": x.Lines, "was": was, "is": is})
	})
	return err
}
