package store

import "gorm.io/gorm"

// RecordedRow is a line of recorded stock with its bin and item.
type RecordedRow struct {
	Pos, BinID, Quantity                              int64
	Reserved, Cost, ItemCost                          *int64
	Bin, Zone, Sku, Description, Lot, Serial, Holding string
	RecordID, Unit                                    string
}

const recordedRows = `SELECT l.pos, l.bin_id, b.code AS bin, b.zone, i.sku, i.description, l.lot, l.serial, l.holding, l.record_id, i.unit, l.quantity,
	l.reserved, l.cost, i.cost AS item_cost FROM stock_lines l JOIN bins b ON b.id = l.bin_id JOIN items i ON i.id = l.item_id WHERE l.set_id = ?`

// RecordedLines gives lines of a set from a position on, those in some bins and with some words alone where these are named.
func RecordedLines(tx *gorm.DB, set, from int64, bins []int64, text string, most int) (rows []RecordedRow, err error) {
	q, args := Narrow(recordedRows+" AND l.pos >= ?", []any{set, from}, bins, text)
	err = tx.Raw(q+" ORDER BY l.pos LIMIT ?", append(args, most)...).Scan(&rows).Error
	return rows, err
}

// RecordedAt gives the lines of a set at some positions.
func RecordedAt(tx *gorm.DB, set int64, positions []int64) (rows []RecordedRow, err error) {
	err = tx.Raw(recordedRows+" AND l.pos IN ? ORDER BY l.pos", set, positions).Scan(&rows).Error
	return rows, err
}

// RecordedItem is what a set says of an item as a whole.
type RecordedItem struct {
	ItemID, Quantity       int64
	Lines                  int
	Reserved, Value, Cost  *int64 // the cost is the item's own
	Sku, Description, Unit string
	SortKey                []byte
}

// RecordedItemOf gives what a set says of an item; without lines where it has none of it.
func RecordedItemOf(tx *gorm.DB, set, item int64) (row RecordedItem, err error) {
	err = tx.Raw("SELECT item_id, lines, quantity, reserved, value FROM set_items WHERE set_id = ? AND item_id = ?", set, item).Scan(&row).Error
	return row, err
}

// RecordedItems gives items of a set in natural order behind a sort key: some alone unless nil, and those whose SKU or description has
// each of some words in it.
func RecordedItems(tx *gorm.DB, set int64, after []byte, some []int64, words []string, most int) (rows []RecordedItem, err error) {
	q, args := `SELECT s.item_id, i.sku, i.sort_key, i.description, i.unit, s.lines, s.quantity, s.reserved, s.value, i.cost
		FROM set_items s JOIN items i ON i.id = s.item_id WHERE s.set_id = ?`, []any{set}
	if after != nil {
		q, args = q+" AND i.sort_key > ?", append(args, after)
	}
	if some != nil {
		q, args = q+" AND s.item_id IN (SELECT value FROM json_each(?))", append(args, listOf(some))
	}
	for _, w := range words {
		q, args = q+" AND (instr(upper(i.sku), upper(?)) > 0 OR instr(upper(i.description), upper(?)) > 0)", append(args, w, w)
	}
	err = tx.Raw(q+" ORDER BY i.sort_key LIMIT ?", append(args, most)...).Scan(&rows).Error
	return rows, err
}
