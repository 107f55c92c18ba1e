package variances

import (
	"context"
	"database/sql/driver"
	"time"

	"wobin/internal/core/quantity"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/store"
)

// Newer is what stock that was recorded after the freeze says of the lines of a count, where no movement explains it.
type Newer struct {
	At    *time.Time    `json:"at" doc:"when the newer stock was recorded; null where none was taken in"`
	Lines int           `json:"lines" doc:"lines that have changed otherwise than by movements and by what was sent out"`
	First []Unexplained `json:"first" doc:"the first of them"`
}

// Unexplained is a line that has changed in the records otherwise than by movements.
type Unexplained struct {
	Pos      int64             `json:"pos"`
	Line     string            `json:"line"`
	Recorded quantity.Quantity `json:"recorded" doc:"at the freeze"`
	Moved    quantity.Quantity `json:"moved" doc:"by movements since, up to the newer stock"`
	Sent     quantity.Quantity `json:"sent" doc:"by what went out"`
	Now      quantity.Quantity `json:"now" doc:"in the newer stock"`
	Change   quantity.Quantity `json:"change" doc:"what nothing explains"`
}

// listedUnexplained is how many are listed.
const listedUnexplained = 20

// Newer holds the stock in force against what was frozen, rolled forward by the movements. Where they differ a movement is missing, or
// something was corrected: a difference that is sent out stays right, a balance would undo the correction.
func (d *Room) Newer(ctx context.Context, p desk.Person, countID int64) (n Newer, err error) {
	n.First = []Unexplained{}
	c, err := d.Judge(ctx, p, countID)
	if err != nil {
		return n, err
	}
	h, err := desk.WarehouseRow(c.Tx, c.WarehouseID)
	if err != nil {
		return n, err
	}
	var set store.StockSet
	if err := c.Tx.Limit(1).Find(&set, h.SetID).Error; err != nil {
		return n, err
	}
	if c.SetID == 0 || set.ID == c.SetID || set.RecordedAt <= c.FrozenAt {
		return n, nil
	}
	n.At = desk.Moment(set.RecordedAt)
	w := &desk.Work{Tx: c.Tx}
	err = store.Each(c.Tx, `SELECT l.pos, l.recorded, coalesce(m.moved, 0), l.sent, coalesce(s.quantity, 0) FROM count_lines l
		LEFT JOIN set_bins b ON b.set_id = ? AND b.bin_id = l.bin_id
		LEFT JOIN stock_lines s ON s.set_id = b.set_id AND s.pos >= b.first AND s.pos < b.first + b.lines
			AND s.item_id = l.item_id AND s.lot = l.lot AND s.serial = l.serial AND s.holding = l.holding
		LEFT JOIN (SELECT pos, sum(quantity) AS moved FROM count_moves WHERE count_id = ? AND at <= ? GROUP BY pos) m ON m.pos = l.pos
		WHERE l.count_id = ? AND l.has_row = 1 AND l.frozen = 0 ORDER BY l.pos`,
		[]driver.Value{set.ID, c.ID, set.RecordedAt, c.ID}, func(v []driver.Value) error {
			q := func(i int) quantity.Quantity { x, _ := v[i].(int64); return quantity.Quantity(x) }
			x := Unexplained{Pos: v[0].(int64), Recorded: q(1), Moved: q(2), Sent: q(3), Now: q(4)}
			expected, ok := quantity.Add(x.Recorded, x.Moved)
			change, fits := quantity.Add(x.Now, -expected)
			if !ok || !fits {
				return count.TooMuch()
			}
			if change == 0 || change == x.Sent { // what went out has landed
				return nil
			}
			if n.Lines++; len(n.First) < listedUnexplained {
				x.Change = change
				n.First = append(n.First, x)
			}
			return nil
		})
	for i := range n.First {
		n.First[i].Line = count.LineName(w.Tx, c.Count, n.First[i].Pos)
	}
	return n, err
}
