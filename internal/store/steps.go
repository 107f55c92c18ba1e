package store

import (
	"encoding/json"

	"gorm.io/gorm"
)

// StepUndone is the word of the record for a step that was undone. Its detail has the count, and the step by its number in the record.
const StepUndone = "step undone"

// linksSearched is how many links of the record are looked through for steps of one count, the latest first: somebody who asks for what
// was done long ago finds it in the record itself.
const linksSearched = 20_000

// StepsOf gives what a person did in a count by the record, the latest first: no more than some, and nothing that undid something.
func StepsOf(tx *gorm.DB, count int64, person string, most int) (links []Link, err error) {
	err = tx.Raw(`SELECT * FROM chain WHERE id > (SELECT max(id) - ? FROM chain) AND person = ? AND what <> ?
		AND json_extract(detail, '$.count') = ? ORDER BY id DESC LIMIT ?`, linksSearched, person, StepUndone, count, most).Scan(&links).Error
	return links, err
}

// LinkOf gives a link of the record; one without a number where there is none.
func LinkOf(tx *gorm.DB, id int64) (link Link, err error) {
	err = tx.Where("id = ?", id).Limit(1).Find(&link).Error
	return link, err
}

// UndoneIn gives the steps of a count that were undone, each with the link that undid it.
func UndoneIn(tx *gorm.DB, count int64) (undone map[int64]Link, err error) {
	var links []Link
	err = tx.Raw("SELECT * FROM chain WHERE what = ? AND json_extract(detail, '$.count') = ?", StepUndone, count).Scan(&links).Error
	undone = make(map[int64]Link, len(links))
	for _, l := range links {
		var d struct{ Step int64 }
		if err := json.Unmarshal([]byte(l.Detail), &d); err != nil {
			return nil, err
		}
		undone[d.Step] = l
	}
	return undone, err
}

// CoveredBy gives the rows that a link covers.
func (l *Link) CoveredBy() ([]Covered, error) {
	var d struct{ Covers []Covered }
	err := json.Unmarshal([]byte(l.Detail), &d)
	return d.Covers, err
}

// DecisionsBeside gives all decisions about the lines of a count that some of its decisions are about, in their order.
func DecisionsBeside(tx *gorm.DB, count, from, to int64) (rows []Decision, err error) {
	lines := tx.Model(&Decision{}).Select("pos").Where("count_id = ? AND id BETWEEN ? AND ?", count, from, to)
	err = tx.Where("count_id = ? AND pos IN (?)", count, lines).Order("id").Find(&rows).Error
	return rows, err
}

// EntriesBeside gives all entries of the lines of a count that some of its entries are of, in their order.
func EntriesBeside(tx *gorm.DB, count, from, to int64) (rows []Entry, err error) {
	lines := tx.Model(&Entry{}).Select("pos").Where("count_id = ? AND id BETWEEN ? AND ?", count, from, to)
	err = tx.Where("count_id = ? AND pos IN (?)", count, lines).Order("id").Find(&rows).Error
	return rows, err
}

// LineOfRow gives the line of a count that an appended row of decisions or entries is about.
func LineOfRow(tx *gorm.DB, table string, row int64) (pos int64, err error) {
	err = tx.Table(table).Where("id = ?", row).Pluck("pos", &pos).Error
	return pos, err
}
