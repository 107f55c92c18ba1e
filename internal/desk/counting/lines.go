package counting

import (
	"context"
	"strconv"
	"strings"

	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/store"
)

// CountLines lists the lines of a count in walking order. On a blind count the recorded quantity is left out, for
// whoever types must not see it.
func (d *Room) CountLines(ctx context.Context, p desk.Person, countID int64, f desk.Filter) (page count.VariancePage, err error) {
	page.Lines = []count.VarianceLine{}
	c, err := d.See(ctx, p, countID)
	if err != nil {
		return page, err
	}
	after, _ := strconv.ParseInt(f.After, 10, 64)
	q, args := count.VarianceRows+" AND l.status <> 'gone' AND l.pos >= ?", []any{countID, after}
	if f.Sheet > 0 {
		var s store.Sheet
		if err := c.Tx.Where("count_id = ? AND number = ?", countID, f.Sheet).Limit(1).Find(&s).Error; err != nil {
			return page, err
		}
		if s.ID == 0 {
			return page, desk.Missing("The sheet")
		}
		q += ` AND l.pos IN (SELECT pos FROM count_lines WHERE count_id = ? AND pos >= ? AND pos < ? UNION ALL SELECT pos FROM count_lines WHERE count_id = ? AND sheet_id = ? AND has_row = 0)`
		args = append(args, countID, s.First, s.First+int64(s.Lines), countID, s.ID)
	}
	switch f.Show {
	case "uncounted":
		if f.Sheet > 0 {
			q += " AND l.entries = 0"
			break
		}
		q = strings.Replace(q, "FROM count_lines l", "FROM count_lines l INDEXED BY count_lines_uncounted", 1) + " AND l.entries = 0"
	case "counted":
		if f.Sheet > 0 {
			q += " AND l.entries > 0"
			break
		}
		q = strings.Replace(q, "FROM count_lines l", "FROM count_lines l INDEXED BY count_lines_counted", 1) + " AND l.entries > 0"
	}
	if q, args, err = f.Narrow(q, args); err != nil {
		return page, err
	}
	var rows []count.VarianceRow
	if err := c.Tx.Raw(q+" ORDER BY l.pos LIMIT ?", append(args, f.PageSize())...).Scan(&rows).Error; err != nil {
		return page, err
	}
	for i := range rows {
		v := rows[i].View(0)
		if c.Count.Blind {
			v.Recorded, v.Variance, v.Value, v.Expected, v.Moved, v.Status = nil, nil, nil, 0, 0, ""
			v.Rest, v.RestValue, v.Sent, v.Postings, v.Posting, v.Queue, v.Decision, v.Reason, v.Cost = nil, nil, 0, 0, 0, "", "", "", nil
		}
		page.Lines = append(page.Lines, v)
	}
	if n := len(rows); n == f.PageSize() {
		page.Next = strconv.FormatInt(rows[n-1].Pos+1, 10)
	}
	return page, nil
}
