package store

import (
	"database/sql/driver"

	"gorm.io/gorm"
)

// RuleDecisions is how many decisions of a count rules made.
func RuleDecisions(tx *gorm.DB, count int64) (n int64, err error) {
	err = tx.Model(&Decision{}).Where("count_id = ? AND rule <> ''", count).Count(&n).Error
	return n, err
}

// Deciders gives who decided lines of a count, rules left out.
func Deciders(tx *gorm.DB, count int64) (names []string, err error) {
	err = tx.Model(&Decision{}).Where("count_id = ? AND kind <> ? AND rule = ''", count, Lapse).Distinct("person").Order("person").
		Pluck("person", &names).Error
	return names, err
}

// LastDecisions gives the last decision about each of some lines that has one.
func LastDecisions(tx *gorm.DB, count int64, positions []int64) (rows []Decision, err error) {
	last := tx.Model(&Decision{}).Select("max(id)").Where("count_id = ? AND pos IN ?", count, positions).Group("pos")
	err = tx.Where("id IN (?)", last).Find(&rows).Error
	return rows, err
}

// PostedReasons gives what the postings of a count sent, by posting and reason.
func PostedReasons(tx *gorm.DB, count int64) (rows []PostingReason, err error) {
	postings := tx.Model(&Posting{}).Select("id").Where("count_id = ?", count)
	err = tx.Where("posting_id IN (?)", postings).Find(&rows).Error
	return rows, err
}

// SentOf is how many postings a count has, and the worth of all that they sent, without signs.
func SentOf(tx *gorm.DB, count int64) (postings int, gross int64, err error) {
	err = tx.Model(&Posting{}).Where("count_id = ?", count).Select("count(*), coalesce(sum(gross), 0)").Row().Scan(&postings, &gross)
	return postings, gross, err
}

// Reasons gives the reason codes.
func Reasons(tx *gorm.DB) (rows []Reason, err error) {
	err = tx.Order("code").Find(&rows).Error
	return rows, err
}

// ReasonOf gives a reason by its code; an empty one where there is none.
func ReasonOf(tx *gorm.DB, code string) (row Reason, err error) {
	err = tx.Where("code = ?", code).Limit(1).Find(&row).Error
	return row, err
}

// ItemClasses gives the classes that items of a count had when it was frozen.
func ItemClasses(tx *gorm.DB, count int64, take func(item int64, class string)) error {
	return Each(tx, "SELECT item_id, class FROM count_items WHERE count_id = ? AND class <> ''", []driver.Value{count}, func(v []driver.Value) error {
		take(v[0].(int64), v[1].(string))
		return nil
	})
}

// Drawn is what became of the lines of a sample.
type Drawn struct {
	Lines, Counted, Pending, Gone, Off int
	Gross                              int64 // of the lines that are counted, without signs
	Unvalued                           int
}

// DrawnOf sums up the lines of a sample: the first so many of its count, or, where that was not noted, those that are recorded.
func DrawnOf(tx *gorm.DB, count int64, first int) (d Drawn, err error) {
	lines := tx.Model(&CountLine{}).Where("count_id = ?", count)
	if first != 0 {
		lines = lines.Where("pos <= ?", first)
	} else {
		lines = lines.Where("has_row = 1")
	}
	err = lines.Select(`count(*), coalesce(sum(status NOT IN ('uncounted', 'gone')), 0), coalesce(sum(pending > 0), 0),
		coalesce(sum(status = 'gone'), 0), coalesce(sum(status IN ('over', 'short', 'found')), 0),
		coalesce(sum(CASE WHEN status NOT IN ('uncounted', 'gone') THEN abs(value) END), 0), coalesce(sum(cost IS NULL), 0)`).
		Row().Scan(&d.Lines, &d.Counted, &d.Pending, &d.Gone, &d.Off, &d.Gross, &d.Unvalued)
	return d, err
}

// EarlierCounts gives the counts of a count's warehouse that were frozen before it, and itself, the latest first.
func EarlierCounts(tx *gorm.DB, c *Count, most int) (rows []Count, err error) {
	err = tx.Where("warehouse_id = ? AND state IN ? AND (frozen_at < ? OR id = ?)", c.WarehouseID, Shown, c.FrozenAt, c.ID).
		Order("frozen_at DESC, id DESC").Limit(most).Find(&rows).Error
	return rows, err
}

// CountsTogether gives the counts that were frozen together with a count, in the order of their warehouses: they have one moment.
func CountsTogether(tx *gorm.DB, c *Count) (ids []int64, err error) {
	err = tx.Model(&Count{}).Joins("JOIN warehouses w ON w.id = counts.warehouse_id").
		Where("together = ? AND state IN ? AND at = ?", c.Together, Shown, c.At).Order("w.code, counts.id").Pluck("counts.id", &ids).Error
	return ids, err
}

// PickedLines gives the lines that recounts of a count were made of, in order.
func PickedLines(tx *gorm.DB, count int64) (positions []int64, err error) {
	// GORM has no words for a table-valued function.
	err = tx.Raw(`SELECT DISTINCT j.value FROM sheets s CROSS JOIN json_each(s.picked) j WHERE s.count_id = ? AND s.picked <> '' ORDER BY 1`, count).
		Scan(&positions).Error
	return positions, err
}

// Again is an item, a bin or a cause that comes back from count to count.
type Again struct {
	Name, Text    string
	Counts, Lines int
	Gross         int64 // without signs
}

// offLines are the lines of some counts that are off and worth something.
func offLines(tx *gorm.DB, counts []int64) *gorm.DB {
	return tx.Table("count_lines l").Where("l.count_id IN ? AND l.stake > 0 AND l.status IN ('over', 'short', 'found')", counts).
		Having("count(DISTINCT l.count_id) > 1").Order("counts DESC, gross DESC")
}

const howOften = ", count(DISTINCT l.count_id) AS counts, count(*) AS lines, coalesce(sum(abs(l.value)), 0) AS gross"

// ItemsAgain gives the items that were off in several of some counts.
func ItemsAgain(tx *gorm.DB, counts []int64, most int) (rows []Again, err error) {
	err = offLines(tx, counts).Joins("JOIN items i ON i.id = l.item_id").Select("i.sku AS name, i.description AS text" + howOften).Group("l.item_id").
		Limit(most).Find(&rows).Error
	return rows, err
}

// BinsAgain gives the bins in which something was off in several of some counts.
func BinsAgain(tx *gorm.DB, counts []int64, most int) (rows []Again, err error) {
	err = offLines(tx, counts).Joins("JOIN bins b ON b.id = l.bin_id").Select("b.code AS name, b.zone AS text" + howOften).Group("l.bin_id").
		Limit(most).Find(&rows).Error
	return rows, err
}

// CausesAgain gives the causes that were accepted in some counts.
func CausesAgain(tx *gorm.DB, counts []int64, most int) (rows []Again, err error) {
	err = tx.Model(&CauseAccepted{}).Where("count_id IN ?", counts).
		Select("cause AS name, count(DISTINCT count_id) AS counts, count(*) AS lines").Group("cause").Order("lines DESC").Limit(most).Find(&rows).Error
	return rows, err
}
