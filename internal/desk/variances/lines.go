// Package variances shows counted against expected, line by line with what it came from, and takes decisions.
package variances

import (
	"context"
	"fmt"

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
}

// New makes the room over recorded stock, which tells where else an item lies.
func New(d *desk.Desk, r *recorded.Room) *Room {
	room := &Room{Desk: d, recorded: r}
	d.OnRenewal(func(context.Context) error { room.causes.forget(); return nil })
	return room
}

// Variances lists the lines of a count that want a decision or have a variance beyond what is let pass, ranked by what is at
// stake: those without a value first, then by absolute value.
func (d *Room) Variances(ctx context.Context, p desk.Person, countID int64, f desk.Filter) (page count.VariancePage, err error) {
	page.Lines = []count.VarianceLine{}
	c, err := d.Judge(ctx, p, countID)
	if err != nil {
		return page, err
	}
	q, args := count.VarianceRows, []any{countID}
	switch f.Show {
	case "open":
		q += " AND l.queue = 1 AND l.queue > 0 AND l.stake > 0"
	case "held":
		q += " AND l.queue = 2 AND l.queue > 0 AND l.stake > 0"
	case "accepted":
		q += " AND l.queue = 3 AND l.queue > 0 AND l.stake > 0"
	case "decided":
		q += " AND l.stake > 0 AND (l.queue > 1 OR l.postings > 0)"
	default:
		q += " AND l.stake > 0"
	}
	if f.After != "" {
		var stake, pos int64
		if _, err := fmt.Sscanf(f.After, "%d.%d", &stake, &pos); err != nil {
			return page, desk.RefuseAs(desk.Invalid, "after", "The page is not one of this list.")
		}
		q, args = q+" AND (l.stake, -l.pos) < (?, ?)", append(args, stake, -pos)
		q, args = q+" AND l.stake <= ?", append(args, stake)
	}
	if q, args, err = f.Narrow(q, args); err != nil {
		return page, err
	}
	explained, err := d.explained(ctx, c)
	if err != nil {
		return page, err
	}
	if f.Cause != "" {
		some, err := explained.linesOf(f.Cause)
		if err != nil {
			return page, err
		}
		q, args = q+" AND l.pos IN (SELECT value FROM json_each(?))", append(args, some)
	}
	var largest int64
	if err := c.Tx.Raw("SELECT coalesce((SELECT stake FROM count_lines WHERE count_id = ? AND stake > 0 AND stake < ? ORDER BY stake DESC LIMIT 1), 0)", countID, store.Unvalued).Scan(&largest).Error; err != nil {
		return page, err
	}
	var rows []count.VarianceRow
	if err := c.Tx.Raw(q+" ORDER BY l.stake DESC, l.pos LIMIT ?", append(args, f.PageSize())...).Scan(&rows).Error; err != nil {
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
	}
	return page, nil
}
