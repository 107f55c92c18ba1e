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

// UndoneStep is a step that was undone, and the rows that it and its undoing appended.
type UndoneStep struct {
	Step   int64
	Covers []Covered
}

// UndoneIn gives the steps of a count that were undone.
func UndoneIn(tx *gorm.DB, count int64) ([]UndoneStep, error) {
	var rows []struct {
		Step    int64
		Was, By string
	}
	err := tx.Raw(`SELECT s.id AS step, s.detail AS was, u.detail AS by FROM chain u JOIN chain s ON s.id = json_extract(u.detail, '$.step')
		WHERE u.what = ? AND json_extract(u.detail, '$.count') = ? ORDER BY u.id`, StepUndone, count).Scan(&rows).Error
	out := make([]UndoneStep, len(rows))
	for i, r := range rows {
		out[i].Step = r.Step
		for _, detail := range []string{r.Was, r.By} {
			covers, err := (&Link{Detail: detail}).CoveredBy()
			if err != nil {
				return nil, err
			}
			out[i].Covers = append(out[i].Covers, covers...)
		}
	}
	return out, err
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
