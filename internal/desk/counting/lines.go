package counting

import (
	"context"
	"database/sql"
	"strconv"
	"strings"

	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/store"
)

// FindRow finds the row that somebody means who types or scans a text: by row code, bin, SKU, barcode of the item or of
// one of its packs, lot or serial; on one sheet, else on any. It gives the line's position and the number of its sheet;
// 0 where there is none.
func (d *Room) FindRow(ctx context.Context, p desk.Person, countID int64, sheet int, text string) (r FoundRow, err error) {
	c, err := d.See(ctx, p, countID)
	if err != nil {
		return r, err
	}
	if text = strings.TrimSpace(text); text == "" {
		return r, desk.RefuseAs(desk.Invalid, "text", "Say what to find: a row code, bin, SKU, barcode, lot or serial.")
	}
	w := &desk.Work{Tx: c.Tx}
	if pos, s, err := rowOf(w, c.Count, strings.ToUpper(text), map[int]store.Sheet{}); err == nil {
		return FoundRow{pos, s.Number}, nil
	}
	item, err := (&Found{SKU: text}).named(w)
	if err != nil {
		return r, err
	}
	var bin int64
	if err := c.Tx.Raw("SELECT id FROM bins WHERE warehouse_id = ? AND code = ? COLLATE NOCASE ORDER BY code = ? DESC LIMIT 1", c.WarehouseID, text,
		text).Scan(&bin).Error; err != nil {
		return r, err
	}
	find := func(where string) error {
		return c.Tx.Raw(`SELECT l.pos, coalesce(s.number, 0) AS sheet FROM count_lines l LEFT JOIN sheets s ON s.id = l.sheet_id WHERE l.count_id = @count AND `+where+`
			ORDER BY l.entries > 0, l.pos LIMIT 1`, sql.Named("count", c.ID), sql.Named("item", item), sql.Named("bin", bin), sql.Named("t", text),
			sql.Named("sheet", sheet)).
			Scan(&r).
			Error
	}
	const any = "(l.item_id = @item OR l.bin_id = @bin OR l.lot = @t COLLATE NOCASE OR l.serial = @t COLLATE NOCASE)"
	// The rows of the sheet in hand go first, and among them those that have no count yet.
	if err := find(`l.pos >= (SELECT first FROM sheets WHERE count_id = @count AND number = @sheet)
		AND l.pos < (SELECT first + lines FROM sheets WHERE count_id = @count AND number = @sheet) AND ` + any); err != nil || r.Pos != 0 {
		return r, err
	}
	if bin != 0 {
		return r, find("l.bin_id = @bin")
	}
	return r, find(any)
}

// FoundRow is where a row is.
type FoundRow struct {
	Pos   int64 `json:"pos" doc:"0 where there is none"`
	Sheet int   `json:"sheet" doc:"number of its sheet; 0 where it is on none"`
}

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
	var sheet *store.Sheet
	if f.Sheet > 0 {
		var s store.Sheet
		if err := c.Tx.Where("count_id = ? AND number = ?", countID, f.Sheet).Limit(1).Find(&s).Error; err != nil {
			return page, err
		}
		if s.ID == 0 {
			return page, desk.Missing("The sheet")
		}
		q = count.RowsOf(s.InRound()) + strings.TrimPrefix(q, count.VarianceRows)
		where, values := s.Where("pos")
		q += " AND l.pos IN (SELECT pos FROM count_lines WHERE count_id = ? AND " + where +
			" UNION ALL SELECT pos FROM count_lines WHERE count_id = ? AND sheet_id = ? AND has_row = 0)"
		args = append(append(append(args, countID), values...), countID, s.ID)
		sheet = &s
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
	q, args = store.Narrow(q, args, f.Bins, f.Text)
	var rows []count.VarianceRow
	if err := c.Tx.Raw(q+" ORDER BY l.pos LIMIT ?", append(args, f.PageSize())...).Scan(&rows).Error; err != nil {
		return page, err
	}
	for i := range rows {
		v := rows[i].View(0)
		recount := sheet != nil && sheet.Recount()
		if recount {
			v.RowCode, v.Sheet = count.RowCodeOn(&rows[i].CountLine, sheet), sheet.Number
		}
		if recount || c.Rounds == 2 && f.Sheet > 0 { // the other rounds are not in sight
			v.Entries = min(v.Entries, 1)
			if v.Entry == 0 {
				v.Entries = 0
			}
			v.Counted, v.CountedAt, v.Counter = v.Own, nil, ""
		}
		if c.Blind || c.Count.Blind || recount { // who counts again does not see what is expected, or was counted
			v = v.ForCounting()
		}
		page.Lines = append(page.Lines, v)
	}
	if n := len(rows); n == f.PageSize() {
		page.Next = strconv.FormatInt(rows[n-1].Pos+1, 10)
	}
	return page, nil
}
