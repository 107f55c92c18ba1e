package desk

import (
	"encoding/json"
	"fmt"
	"slices"

	"gorm.io/gorm"

	"wobin/internal/core/quantity"
	"wobin/internal/core/stock"
	"wobin/internal/core/variance"
	"wobin/internal/store"
)

// recompute works out lines of a count again from their entries, movements and decisions, and the tallies of
// their bins. Without places it works out all of them. Lines that have movements and no entry are always among
// them, since they are reckoned as at the latest counting time, which may have moved on.
func (d *Desk) recompute(tx *gorm.DB, countID int64, places []int64) error {
	c, err := count(tx, countID)
	if err != nil {
		return err
	}
	if err := tx.Raw("SELECT coalesce(max(counted_at), 0) FROM entries WHERE count_id = ? AND id NOT IN (SELECT replaces FROM entries WHERE count_id = ?)", c.ID, c.ID).Scan(&c.Latest).Error; err != nil {
		return err
	}
	moved, err := movementsOf(tx, c)
	if err != nil {
		return err
	}
	where, args := "count_id = ?", []any{c.ID}
	if places != nil {
		wanted := slices.Clone(places)
		for pos := range moved {
			wanted = append(wanted, pos)
		}
		b, err := json.Marshal(wanted)
		if err != nil {
			return err
		}
		where, args = where+" AND pos IN (SELECT value FROM json_each(?))", append(args, string(b))
	}
	var lines []store.CountLine
	if err := tx.Where(where, args...).Find(&lines).Error; err != nil {
		return err
	}
	var entries []store.Entry
	if err := tx.Where(where, args...).Where("id NOT IN (SELECT replaces FROM entries WHERE count_id = ?)", c.ID).Order("id").Find(&entries).Error; err != nil {
		return err
	}
	byLine := map[int64][]store.Entry{}
	for _, e := range entries {
		byLine[e.Pos] = append(byLine[e.Pos], e)
	}
	tol := variance.Tolerance{Quantity: (*quantity.Quantity)(c.ToleranceQuantity), Percent: (*quantity.Quantity)(c.TolerancePercent), Value: (*quantity.Money)(c.ToleranceValue)}
	costs, err := costsOf(tx, c, lines)
	if err != nil {
		return err
	}
	touched, sheets := map[int64]bool{}, map[int64]bool{}
	for i := range lines {
		l := &lines[i]
		before := *l
		if !l.HasRow {
			l.Cost = costs[l.ItemID]
		}
		in := variance.Input{Recorded: quantity.Quantity(l.Recorded), Row: l.HasRow, Frozen: c.FrozenAt, Latest: c.Latest, Movements: moved[l.Pos]}
		if in.Latest == 0 {
			in.Latest = c.FrozenAt
		}
		if l.Cost != nil {
			in.Cost, in.Costed = quantity.Cost(*l.Cost), true
		}
		l.Counter = ""
		for _, e := range byLine[l.Pos] {
			in.Entries = append(in.Entries, variance.Entry{Quantity: quantity.Quantity(e.Quantity), At: e.CountedAt, Round: e.Round})
			l.Counter = e.Counter
		}
		r, err := variance.Evaluate(&in, tol)
		if err != nil {
			return refuse("Row %s: the count or its value %v.", l.RowCode, err)
		}
		l.Entries, l.Moved, l.Expected, l.Counted, l.Variance = len(in.Entries), int64(r.Moved), int64(r.Expected), int64(r.Counted), int64(r.Variance)
		l.Status, l.Meanwhile, l.CountedAt, l.Value, l.Stake = string(r.Status), r.MovedMeanwhile, r.CountedAt, nil, 0
		if r.Valued && r.Status != variance.Uncounted {
			v := int64(r.Value)
			l.Value = &v
		}
		if off(l) {
			l.Stake = store.Unvalued
			if l.Value != nil {
				l.Stake = max(int64(quantity.Money(*l.Value).Abs()), 1)
			}
		}
		// A decision was made about a figure: where the figure has changed since, it has to be made again.
		if l.PostingID == 0 && l.Decision == store.Accept && (before.Variance != l.Variance || !off(l)) {
			l.Decision, l.Reason = "", ""
		}
		touched[l.BinID], sheets[l.SheetID] = true, true
		if same(before, *l) {
			continue
		}
		if err := tx.Model(&store.CountLine{}).Where("count_id = ? AND pos = ?", c.ID, l.Pos).Select("cost", "entries", "moved", "expected", "counted", "variance", "value", "status", "meanwhile", "counted_at", "counter", "stake", "decision", "reason").Updates(l).Error; err != nil {
			return err
		}
	}
	if err := tx.Exec("UPDATE counts SET latest = ? WHERE id = ?", c.Latest, c.ID).Error; err != nil {
		return err
	}
	if err := d.tallyBins(tx, c.ID, touched); err != nil {
		return err
	}
	ids := make([]int64, 0, len(sheets))
	for id := range sheets {
		ids = append(ids, id)
	}
	return tx.Exec("UPDATE sheets SET counted = (SELECT count(*) FROM count_lines l WHERE l.count_id = sheets.count_id AND l.sheet_id = sheets.id AND l.entries > 0) WHERE id IN ?", ids).Error
}

// off tells whether a line has a variance that wants a decision.
func off(l *store.CountLine) bool {
	switch variance.Status(l.Status) {
	case variance.Over, variance.Short, variance.Found:
		return true
	}
	return false
}

func same(a, b store.CountLine) bool {
	equal := func(x, y *int64) bool { return (x == nil) == (y == nil) && (x == nil || *x == *y) }
	if !equal(a.Cost, b.Cost) || !equal(a.Value, b.Value) {
		return false
	}
	a.Cost, b.Cost, a.Value, b.Value = nil, nil, nil, nil
	return a == b
}

// movementsOf gives the movements after the freeze by line. One without a bin belongs to the only line of the
// count with the rest of its key; where there are several, or none, it is left to be told apart.
func movementsOf(tx *gorm.DB, c *store.Count) (map[int64][]stock.Movement, error) {
	var rows []struct{ Pos, Quantity, At int64 }
	err := tx.Raw(`SELECT l.pos, m.quantity, m.at FROM movements m JOIN count_lines l ON l.count_id = ? AND l.item_id = m.item_id AND l.lot = m.lot AND l.serial = m.serial AND l.holding = m.holding
		AND (l.bin_id = m.bin_id OR (m.bin_id = 0 AND l.has_row = 1 AND 1 = (SELECT count(*) FROM count_lines o WHERE o.count_id = l.count_id AND o.item_id = m.item_id AND o.lot = m.lot AND o.serial = m.serial AND o.holding = m.holding AND o.has_row = 1)))
		WHERE m.warehouse_id = ? AND m.at > ? ORDER BY m.at, m.id`, c.ID, c.WarehouseID, c.FrozenAt).Scan(&rows).Error
	out := map[int64][]stock.Movement{}
	for _, r := range rows {
		out[r.Pos] = append(out[r.Pos], stock.Movement{Quantity: quantity.Quantity(r.Quantity), At: r.At})
	}
	return out, err
}

// costsOf finds the costs for lines without a recorded row: the SKU's where it is the same on all its rows in the
// warehouse, else the item's own.
func costsOf(tx *gorm.DB, c *store.Count, lines []store.CountLine) (map[int64]*int64, error) {
	out := map[int64]*int64{}
	for i := range lines {
		l := &lines[i]
		if _, done := out[l.ItemID]; l.HasRow || done {
			continue
		}
		var known struct {
			Lines, Costed, Differ int
			Cost, Own             *int64
		}
		err := tx.Raw(`SELECT count(*) AS lines, count(cost) AS costed, count(DISTINCT cost) AS differ, min(cost) AS cost, (SELECT cost FROM items WHERE id = ?) AS own
			FROM count_lines WHERE count_id = ? AND item_id = ? AND has_row = 1`, l.ItemID, c.ID, l.ItemID).Scan(&known).Error
		if err != nil {
			return nil, err
		}
		out[l.ItemID] = known.Own
		if known.Lines > 0 && known.Lines == known.Costed && known.Differ == 1 {
			out[l.ItemID] = known.Cost
		}
	}
	return out, nil
}

// tallyBins counts the lines of bins again. Sums over a count are sums of these rows.
func (d *Desk) tallyBins(tx *gorm.DB, countID int64, bins map[int64]bool) error {
	ids := make([]int64, 0, len(bins))
	for b := range bins {
		ids = append(ids, b)
	}
	slices.Sort(ids)
	list, err := json.Marshal(ids)
	if err != nil {
		return err
	}
	const offs, undecided = "status IN ('over','short','found')", "status IN ('over','short','found') AND decision = '' AND posting_id = 0"
	q := fmt.Sprintf(`REPLACE INTO count_bins (count_id, bin_id, sheet_id, lines, recorded_lines, recorded_counted, counted, matched, tolerated, over, short, found, unvalued,
			over_value, short_value, gross_value, open, open_over, open_short, open_gross, accepted, held, posted)
		SELECT count_id, bin_id, max(sheet_id), count(*), sum(has_row), sum(has_row AND entries > 0), sum(entries > 0), sum(status = 'match'), sum(status = 'tolerated'),
			sum(status = 'over'), sum(status = 'short'), sum(status = 'found'), sum(cost IS NULL),
			coalesce(sum(CASE WHEN variance > 0 THEN value END), 0), coalesce(sum(CASE WHEN variance < 0 THEN value END), 0), coalesce(sum(abs(value)), 0),
			sum(%[1]s), coalesce(sum(CASE WHEN variance > 0 AND %[1]s THEN value END), 0), coalesce(sum(CASE WHEN variance < 0 AND %[1]s THEN value END), 0), coalesce(sum(CASE WHEN %[1]s THEN abs(value) END), 0),
			sum(decision = 'accept' AND posting_id = 0), sum(%[2]s AND decision = 'hold' AND posting_id = 0), sum(posting_id > 0)
		FROM count_lines WHERE count_id = ? AND bin_id IN (SELECT value FROM json_each(?)) GROUP BY bin_id`, undecided, offs)
	return tx.Exec(q, countID, string(list)).Error
}

// tallies sums the bins of a count, of one zone where it is given.
func tallies(tx *gorm.DB, countID int64, zone string) (f variance.Figures, sum store.CountBin, err error) {
	q := `SELECT coalesce(sum(lines),0) AS lines, coalesce(sum(recorded_lines),0) AS recorded_lines, coalesce(sum(recorded_counted),0) AS recorded_counted, coalesce(sum(counted),0) AS counted,
		coalesce(sum(matched),0) AS matched, coalesce(sum(tolerated),0) AS tolerated, coalesce(sum(over),0) AS over, coalesce(sum(short),0) AS short, coalesce(sum(found),0) AS found,
		coalesce(sum(unvalued),0) AS unvalued, coalesce(sum(over_value),0) AS over_value, coalesce(sum(short_value),0) AS short_value, coalesce(sum(gross_value),0) AS gross_value,
		coalesce(sum(open),0) AS open, coalesce(sum(open_over),0) AS open_over, coalesce(sum(open_short),0) AS open_short, coalesce(sum(open_gross),0) AS open_gross,
		coalesce(sum(accepted),0) AS accepted, coalesce(sum(held),0) AS held, coalesce(sum(posted),0) AS posted FROM count_bins WHERE count_id = ?`
	args := []any{countID}
	if zone != "" {
		q, args = q+" AND bin_id IN (SELECT id FROM bins WHERE zone = ?)", append(args, zone)
	}
	if err = tx.Raw(q, args...).Scan(&sum).Error; err != nil {
		return f, sum, err
	}
	f = variance.Figures{RecordedLines: sum.RecordedLines, RecordedCounted: sum.RecordedCounted, Counted: sum.Counted, Uncounted: sum.Lines - sum.Counted, Match: sum.Matched, Tolerated: sum.Tolerated,
		Over: sum.Over, Short: sum.Short, Found: sum.Found, Unvalued: sum.Unvalued,
		Values: variance.Sums{Over: quantity.Money(sum.OverValue), Short: quantity.Money(sum.ShortValue), Net: quantity.Money(sum.OverValue + sum.ShortValue), Gross: quantity.Money(sum.GrossValue)}}
	return f, sum, nil
}

func costText(c int64) string { return quantity.Cost(c).String() }
