// Package variances shows counted against expected, line by line with what it came from, and takes decisions.
package variances

import (
	"context"
	"database/sql/driver"
	"fmt"
	"slices"
	"strconv"
	"time"

	"gorm.io/gorm"

	"wobin/internal/core/quantity"
	"wobin/internal/core/statement"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/desk/recorded"
	"wobin/internal/store"
)

// Room is the use cases of variances.
type Room struct {
	*desk.Desk
	recorded *recorded.Room
	causes   causes
	answers  answers
	ruler    ruler
}

// New makes the room over recorded stock, which tells where else an item lies.
func New(d *desk.Desk, r *recorded.Room) *Room {
	room := &Room{Desk: d, recorded: r, causes: causes{working: map[int64]bool{}}}
	room.ruler.waiting, room.ruler.quiet = map[int64]bool{}, 2*time.Second
	d.OnChange(room.afterChange)
	d.OnRenewal(func(context.Context) error { room.causes.forget(); room.answers.forget(); return nil })
	return room
}

// Variances lists the lines of a count that want a decision or have a variance beyond what is let pass, ranked by what is at
// stake: disputed ones first, then those without a value, then by absolute value; or, where the filter says so, in walking order.
func (d *Room) Variances(ctx context.Context, p desk.Person, countID int64, f desk.Filter) (page count.VariancePage, err error) {
	page.Lines = []count.VarianceLine{}
	c, err := d.Judge(ctx, p, countID)
	if err != nil {
		return page, err
	}
	explained, err := d.explained(ctx, c)
	if err != nil {
		return page, err
	}
	q, args, err := narrowed(&f, explained, count.VarianceRows, []any{countID})
	if err != nil {
		return page, err
	}
	order := "l.stake DESC, l.pos"
	switch {
	case f.Order == "place":
		order = "l.pos"
		if f.After != "" {
			pos, err := strconv.ParseInt(f.After, 10, 64)
			if err != nil {
				return page, desk.RefuseAs(desk.Invalid, "after", "The page is not one of this list.")
			}
			q, args = q+" AND l.pos > ?", append(args, pos)
		}
	case f.After != "":
		var stake, pos int64
		if _, err := fmt.Sscanf(f.After, "%d.%d", &stake, &pos); err != nil {
			return page, desk.RefuseAs(desk.Invalid, "after", "The page is not one of this list.")
		}
		q, args = q+" AND (l.stake, -l.pos) < (?, ?)", append(args, stake, -pos)
		q, args = q+" AND l.stake <= ?", append(args, stake)
	}
	var largest int64
	if err := c.Tx.Raw("SELECT coalesce((SELECT stake FROM count_lines WHERE count_id = ? AND stake > 0 AND stake < ? ORDER BY stake DESC LIMIT 1), 0)", countID, store.Unvalued).Scan(&largest).Error; err != nil {
		return page, err
	}
	var rows []count.VarianceRow
	if err := c.Tx.Raw(q+" ORDER BY "+order+" LIMIT ?", append(args, f.PageSize())...).Scan(&rows).Error; err != nil {
		return page, err
	}
	again, err := count.BeingRecounted(c.Tx, c.ID)
	if err != nil {
		return page, err
	}
	for i := range rows {
		l := rows[i].View(largest)
		l.Again = again[l.Pos]
		if x := explained.of(l.Pos); x != nil {
			l.Cause, l.Grade = string(x.Cause), x.Grade.String()
		}
		page.Lines = append(page.Lines, l)
	}
	if n := len(rows); n == f.PageSize() {
		page.Next = fmt.Sprintf("%d.%d", rows[n-1].Stake, rows[n-1].Pos)
		if f.Order == "place" {
			page.Next = strconv.FormatInt(rows[n-1].Pos, 10)
		}
	}
	return page, nil
}

// shown is the condition on the lines of a queue.
func shown(f *desk.Filter) string {
	more := ""
	switch f.Sign {
	// What is open counts, which after a posting may have another sign than the variance; of what is not, the variance.
	case "over":
		more = " AND CASE WHEN l.queue > 0 THEN l.rest ELSE l.variance END > 0"
	case "short":
		more = " AND CASE WHEN l.queue > 0 THEN l.rest ELSE l.variance END < 0"
	}
	switch f.State {
	case "over", "short", "found":
		more += " AND l.status = '" + f.State + "'"
	}
	if f.Least > 0 {
		more += fmt.Sprintf(" AND l.stake >= %d", f.Least)
	}
	switch f.Show {
	case "open":
		return " AND l.queue = 1 AND l.queue > 0 AND l.stake > 0" + more
	case "held":
		return " AND l.queue = 2 AND l.queue > 0 AND l.stake > 0" + more
	case "accepted":
		return " AND l.queue = 3 AND l.queue > 0 AND l.stake > 0" + more
	case "decided":
		return " AND l.stake > 0 AND (l.queue > 1 OR l.postings > 0)" + more
	}
	return " AND l.stake > 0" + more
}

// FilterTally is what a filter of the variances holds.
type FilterTally struct {
	Lines    int              `json:"lines"`
	Unvalued int              `json:"unvalued" doc:"of them, without a cost"`
	Over     quantity.Money   `json:"over" doc:"what is open of them"`
	Short    quantity.Money   `json:"short"`
	Gross    quantity.Money   `json:"gross"`
	Spread   statement.Spread `json:"spread"`
	Working  bool             `json:"working" doc:"the likely causes of the count are still being worked out"`

	values []int64 // absolute, of those with one
}

// tallied tells what is open of the lines that a filter holds. x is asked for causes. Where positions is there, it gets theirs, in order.
func tallied(tx *gorm.DB, countID int64, f desk.Filter, x *explained, positions *[]int64) (t FilterTally, err error) {
	var g QueueGroup
	add := func(value any) error {
		if cents, valued := value.(int64); valued && cents != 0 {
			t.values = append(t.values, max(cents, -cents))
		}
		return g.add(value)
	}
	if positions == nil {
		err = eachValue(tx, countID, &f, x, add)
	} else {
		err = eachFiltered(tx, countID, &f, x, "l.pos", func(v []driver.Value) error {
			*positions = append(*positions, v[1].(int64))
			return add(v[0])
		})
		slices.Sort(*positions)
	}
	t.Lines, t.Unvalued, t.Over, t.Short, t.Gross = g.Lines, g.Unvalued, g.Over, g.Short, g.Gross
	return t, err
}

// Filtered tells what a filter of the variances holds.
func (d *Room) Filtered(ctx context.Context, p desk.Person, countID int64, f desk.Filter) (t FilterTally, err error) {
	c, err := d.Judge(ctx, p, countID)
	if err != nil {
		return t, err
	}
	x, err := d.explained(ctx, c)
	if err != nil {
		return t, err
	}
	t, err = tallied(c.Tx, c.ID, f, x, nil)
	t.Spread, t.Working = statement.SpreadOf(t.values, t.Gross), x.working
	return t, err
}
