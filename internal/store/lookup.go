package store

import (
	"database/sql/driver"
	"maps"
	"slices"

	"gorm.io/gorm"
)

// ItemBySKU gives the item of a SKU, with the number 0 where there is none.
func ItemBySKU(tx *gorm.DB, sku string) (row Item, err error) {
	err = tx.Where("sku = ?", sku).Limit(1).Find(&row).Error
	return row, err
}

// ItemQuery picks items; what is empty narrows nothing.
type ItemQuery struct {
	Words           string // as full-text search takes them
	Category, Class string
	After           []byte // the sort key of the last one before
	Most            int
}

// Items gives items in natural order.
func Items(tx *gorm.DB, q ItemQuery) (rows []Item, err error) {
	x := tx.Order("sort_key").Limit(q.Most)
	if q.Words != "" {
		x = x.Where("id IN (SELECT rowid FROM item_words WHERE item_words MATCH ?)", q.Words)
	}
	if q.Category != "" {
		x = x.Where("category = ?", q.Category)
	}
	if q.Class != "" {
		x = x.Where("class = ?", q.Class)
	}
	if q.After != nil {
		x = x.Where("sort_key > ?", q.After)
	}
	err = x.Find(&rows).Error
	return rows, err
}

// Place is a bin with its warehouse.
type Place struct {
	ID, House                  int64
	Warehouse, Name, Zone, Bin string
	Lines                      int // recorded there
	SortKey                    []byte
}

// PlaceQuery picks bins; what is empty narrows nothing.
type PlaceQuery struct {
	Warehouse      int64
	Words          []string // each is in the code or zone, or is the warehouse
	AfterWarehouse int64    // of the last one before
	After          []byte   // its sort key
	Most           int
}

// Places gives bins by warehouse and in natural order.
func Places(tx *gorm.DB, p PlaceQuery) (rows []Place, err error) {
	q, args := `SELECT b.id, b.warehouse_id AS house, w.code AS warehouse, w.name, b.zone, b.code AS bin, b.sort_key,
		coalesce((SELECT s.lines FROM set_bins s WHERE s.set_id = w.set_id AND s.bin_id = b.id), 0) AS lines
		FROM bins b JOIN warehouses w ON w.id = b.warehouse_id WHERE 1`, []any{}
	if p.Warehouse != 0 {
		q, args = q+" AND b.warehouse_id = ?", append(args, p.Warehouse)
	}
	for _, w := range p.Words {
		q, args = q+" AND (instr(upper(b.code), upper(?)) > 0 OR instr(upper(b.zone), upper(?)) > 0 OR upper(w.code) = upper(?))", append(args, w, w, w)
	}
	if p.After != nil {
		q, args = q+" AND (b.warehouse_id, b.sort_key) > (?, ?)", append(args, p.AfterWarehouse, p.After)
	}
	err = tx.Raw(q+" ORDER BY b.warehouse_id, b.sort_key LIMIT ?", append(args, p.Most)...).Scan(&rows).Error
	return rows, err
}

// MovementRow is a movement with what its numbers stand for.
type MovementRow struct {
	ID, Quantity, At                                                              int64
	Warehouse, Bin, Sku, Description, Unit, Lot, Serial, Holding, Reference, File string
}

// MovementQuery picks movements; what is empty narrows nothing.
type MovementQuery struct {
	Warehouse int64
	Words     []string // each is in the SKU, description, bin or reference, or is the lot or serial
	Before    int64    // the number of the last one before
	Most      int
}

// Movements gives movements, those that were taken in last first.
func Movements(tx *gorm.DB, m MovementQuery) (rows []MovementRow, err error) {
	q, args := `SELECT m.id, w.code AS warehouse, coalesce(b.code, '') AS bin, i.sku, i.description, i.unit, m.lot, m.serial, m.holding, m.quantity, m.at,
		m.reference, n.file_name AS file FROM movements m JOIN warehouses w ON w.id = m.warehouse_id JOIN items i ON i.id = m.item_id
		JOIN intakes n ON n.id = m.intake_id LEFT JOIN bins b ON b.id = m.bin_id WHERE 1`, []any{}
	if m.Warehouse != 0 {
		q, args = q+" AND m.warehouse_id = ?", append(args, m.Warehouse)
	}
	for _, w := range m.Words {
		q += ` AND (instr(upper(i.sku), upper(?)) > 0 OR instr(upper(i.description), upper(?)) > 0 OR instr(upper(coalesce(b.code, '')), upper(?)) > 0
			OR instr(upper(m.reference), upper(?)) > 0 OR m.lot = ? OR m.serial = ?)`
		args = append(args, w, w, w, w, w, w)
	}
	if m.Before != 0 {
		q, args = q+" AND m.id < ?", append(args, m.Before)
	}
	err = tx.Raw(q+" ORDER BY m.id DESC LIMIT ?", append(args, m.Most)...).Scan(&rows).Error
	return rows, err
}

// FindItems gives the items that go by a code in capitals, or that have all of some words (as full-text search takes them) in them: what
// has it as its code first, then what begins with it. Without any, all items are gone over for one whose record id or pack's barcode it
// is, or that has it within its SKU.
func FindItems(tx *gorm.DB, code, words string, most int) (rows []Item, err error) {
	by := map[string]any{"code": code, "quoted": `"` + code + `"`, "most": most, "words": words}
	find := func(where string) error {
		return tx.Raw(`SELECT * FROM items WHERE `+where+`
			ORDER BY upper(sku) = @code DESC, barcode = @code OR upper(further_sku) = @code OR upper(record_id) = @code DESC,
				instr(upper(sku), @code) = 1 DESC, sort_key LIMIT @most`, by).Scan(&rows).Error
	}
	if words != "" {
		err = find("id IN (SELECT rowid FROM item_words WHERE item_words MATCH @words)")
	}
	if err == nil && len(rows) == 0 {
		err = find(`upper(record_id) = @code OR (packs <> '' AND instr(packs, @quoted) > 0) OR instr(upper(sku), @code) > 0`)
	}
	return rows, err
}

// FindPlaces gives the bins that have a code in capitals in theirs: the very one first, then those that begin with it.
func FindPlaces(tx *gorm.DB, code string, most int) (rows []Place, err error) {
	err = tx.Raw(`SELECT b.id, b.warehouse_id AS house, w.code AS warehouse, w.name, b.zone, b.code AS bin, b.sort_key
		FROM bins b JOIN warehouses w ON w.id = b.warehouse_id WHERE instr(upper(b.code), ?) > 0
		ORDER BY upper(b.code) = ? DESC, instr(upper(b.code), ?), b.sort_key LIMIT ?`, code, code, code, most).Scan(&rows).Error
	return rows, err
}

// SheetOfCount is a sheet with the name of its count.
type SheetOfCount struct {
	CountID    int64
	Number     int
	Code, Name string
}

// FindSheets gives the sheets whose code is a code in capitals, or that are called so (SHEET 12), the latest count's first.
func FindSheets(tx *gorm.DB, code string, most int) (rows []SheetOfCount, err error) {
	err = tx.Raw(`SELECT s.count_id, s.number, s.code, c.name FROM sheets s JOIN counts c ON c.id = s.count_id
		WHERE c.state IN ? AND (upper(s.code) = ? OR ? = 'SHEET ' || s.number) ORDER BY c.id DESC LIMIT ?`, Shown, code, code, most).
		Scan(&rows).Error
	return rows, err
}

// FindPeople gives the people whose name has a text in capitals in it, or who sign in by it.
func FindPeople(tx *gorm.DB, text string, most int) (rows []Person, err error) {
	err = tx.Where("instr(upper(name), ?) > 0 OR upper(sign_in) = ?", text, text).Order("name").Limit(most).Find(&rows).Error
	return rows, err
}

// ItemWas is how an item was before an intake changed it.
type ItemWas struct {
	Was, Person, FileName string // Was is a whole Item as JSON
	At                    int64
}

// ItemHistory gives what intakes that stand changed of an item, the latest first.
func ItemHistory(tx *gorm.DB, item int64, most int) (rows []ItemWas, err error) {
	err = tx.Raw(`SELECT b.was, n.person, n.file_name, n.at FROM item_before b JOIN intakes n ON n.id = b.intake_id
		WHERE b.item_id = ? AND n.state = ? ORDER BY n.id DESC LIMIT ?`, item, Taken, most).Scan(&rows).Error
	return rows, err
}

// CountOfItem is a count that has an item, with the number of its lines.
type CountOfItem struct {
	ID, Lines int64
	Name      string
}

// CountsOfItem gives the counts of some warehouses that have an item, the latest first.
func CountsOfItem(tx *gorm.DB, item int64, warehouses []int64, most int) (rows []CountOfItem, err error) {
	err = tx.Raw(`SELECT c.id, c.name, (SELECT coalesce(max(pos), 0) FROM count_lines WHERE count_id = c.id) AS lines FROM counts c
		WHERE c.state IN ? AND c.warehouse_id IN (SELECT value FROM json_each(?))
		AND EXISTS (SELECT 1 FROM count_items i WHERE i.count_id = c.id AND i.item_id = ?) ORDER BY c.id DESC LIMIT ?`, Shown,
		listOf(warehouses), item, most).Scan(&rows).Error
	return rows, err
}

// ItemLine is a line of an item in a count, counted or sent out.
type ItemLine struct {
	Pos                                        int64
	Bin, Lot, Serial, Holding, Counter, Reason string
	CountedAt, Expected, Counted, Variance     int64
	Entries, Pending, Postings                 int
}

// ItemLines gives the lines of an item in a count that were counted or sent out. bins, unless nil, are those that are looked into beside
// what was found: a large count is not gone over.
func ItemLines(tx *gorm.DB, count, item int64, bins []int64, most int) (rows []ItemLine, err error) {
	q, args := "FROM count_lines l JOIN bins b ON b.id = l.bin_id WHERE l.count_id = ? AND l.item_id = ?", []any{count, item}
	if bins != nil {
		q += ` AND l.pos IN (SELECT pos FROM count_lines INDEXED BY count_lines_bin WHERE count_id = ? AND bin_id IN (SELECT value FROM json_each(?))
			AND item_id = ? UNION SELECT pos FROM count_lines INDEXED BY count_lines_found_item WHERE count_id = ? AND item_id = ? AND has_row = 0)`
		args = append(args, count, listOf(bins), item, count, item)
	}
	err = tx.Raw(`SELECT l.pos, b.code AS bin, l.lot, l.serial, l.holding, l.counter, l.reason, l.counted_at, l.expected, l.counted, l.variance,
		l.entries, l.pending, l.postings `+q+` AND l.status <> 'gone' AND (l.entries > 0 OR l.postings > 0) ORDER BY l.pos LIMIT ?`,
		append(args, most)...).Scan(&rows).Error
	return rows, err
}

// SentLine is what a posting said of a line.
type SentLine struct {
	Number       int // of the posting
	At, Variance int64
	Value        *int64
	Reason       string
}

// SentLines gives what postings of a count said of a line, the latest first.
func SentLines(tx *gorm.DB, count, pos int64) (rows []SentLine, err error) {
	err = tx.Raw(`SELECT p.number, p.at, x.variance, x.value, x.reason FROM postings p JOIN posting_lines x ON x.posting_id = p.id AND x.pos = ?
		WHERE p.count_id = ? ORDER BY p.id DESC`, pos, count).Scan(&rows).Error
	return rows, err
}

// EachDescription gives the items that have a description.
func EachDescription(tx *gorm.DB, take func(id int64, sku, description string)) error {
	return Each(tx, "SELECT id, sku, description FROM items WHERE description <> ''", nil, func(v []driver.Value) error {
		take(v[0].(int64), textOf(v[1]), textOf(v[2]))
		return nil
	})
}

// ItemsOf gives the items of some numbers, in their order.
func ItemsOf[T any](tx *gorm.DB, numbers map[int64]T) (rows []Item, err error) {
	ids := slices.Sorted(maps.Keys(numbers))
	err = tx.Where("id IN (SELECT value FROM json_each(?))", listOf(ids)).Order("id").Find(&rows).Error
	return rows, err
}

// Categories gives the categories of the items that have one.
func Categories(tx *gorm.DB) (map[int64]string, error) { return itemTexts(tx, "category") }

// SKUs gives the SKUs of all items.
func SKUs(tx *gorm.DB) (map[int64]string, error) { return itemTexts(tx, "sku") }

func itemTexts(tx *gorm.DB, column string) (map[int64]string, error) {
	out := map[int64]string{}
	return out, Each(tx, "SELECT id, "+column+" FROM items WHERE "+column+" <> ''", nil, func(v []driver.Value) error {
		out[v[0].(int64)] = textOf(v[1])
		return nil
	})
}

// SKUsOn gives the SKUs of the lines of a count from one position up to and without another, in their order.
func SKUsOn(tx *gorm.DB, count, from, to int64) (skus []string, err error) {
	err = tx.Raw("SELECT i.sku FROM count_lines l JOIN items i ON i.id = l.item_id WHERE l.count_id = ? AND l.pos >= ? AND l.pos < ? ORDER BY l.pos", count,
		from, to).Scan(&skus).Error
	return skus, err
}

// CountedOn gives the lines of a count that are counted, from one position up to and without another, in order.
func CountedOn(tx *gorm.DB, count, from, to int64) (positions []int64, err error) {
	err = tx.Model(&CountLine{}).Where("count_id = ? AND pos >= ? AND pos < ? AND entries > 0", count, from, to).Order("pos").
		Pluck("pos", &positions).Error
	return positions, err
}

// CodesTakenSince gives codes that items had before an intake gave them others, and that other items have by now.
func CodesTakenSince(tx *gorm.DB, intake int64) (skus []string, err error) {
	err = tx.Raw(`SELECT i.sku FROM item_before b JOIN items i ON i.sku = json_extract(b.was, '$.SKU') AND i.id <> b.item_id
		WHERE b.intake_id = ? ORDER BY i.sku`, intake).Scan(&skus).Error
	return skus, err
}
