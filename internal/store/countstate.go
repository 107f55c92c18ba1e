package store

import (
	"context"

	"gorm.io/gorm"
)

// Finish ends a count.
func Finish(tx *gorm.DB, c *Count) error { return tx.Model(c).Update("state", Finished).Error }

// Resume opens a finished count again.
func Resume(tx *gorm.DB, c *Count) error { return tx.Model(c).Update("state", Running).Error }

// KeepsSetOf tells whether the recorded stock that a count was frozen from is still kept; a count from nothing needs none.
func KeepsSetOf(tx *gorm.DB, c *Count) (kept bool, err error) {
	err = tx.Raw("SELECT ? = 0 OR EXISTS (SELECT 1 FROM stock_sets WHERE id = ?)", c.SetID, c.SetID).Scan(&kept).Error
	return kept, err
}

// RenameCount gives a count another name.
func RenameCount(tx *gorm.DB, c *Count, name string) error {
	return tx.Model(c).Update("name", name).Error
}

// LastLine gives the position of the last line of a count, of which there are as many: they are numbered from 1. It is 0 where none is.
func LastLine(tx *gorm.DB, count int64) (pos int64, err error) {
	err = tx.Raw("SELECT coalesce(max(pos), 0) FROM count_lines WHERE count_id = ?", count).Scan(&pos).Error
	return pos, err
}

// byHand are the tables that tell what people did in a count, beside freezing and cutting it.
var byHand = []string{"entries", "returns", "doubts", "decisions", "notes", "evidence", "causes_accepted", "round_choices", "cut_offs", "approvals",
	"postings"}

// TouchedCount tells whether anybody did anything in a count: counted, decided, noted or sent something of it, taken back or not.
func TouchedCount(tx *gorm.DB, id int64) (bool, error) {
	for _, table := range byHand {
		var some int64
		if err := tx.Table(table).Where("count_id = ?", id).Limit(1).Count(&some).Error; err != nil || some > 0 {
			return some > 0, err
		}
	}
	return false, nil
}

// Discard takes a count away in which nothing was done. Its number and its sheets stay known, so that a sheet that comes back after all
// is none of another count; its lines go behind that, by ClearDiscarded.
func Discard(tx *gorm.DB, c *Count) error { return tx.Model(c).Update("state", Discarded).Error }

// ClearDiscarded takes the lines of discarded counts away, in small pieces that keep nobody waiting. What it does not get done is done by
// the next one, or the next start.
func (s *Store) ClearDiscarded(ctx context.Context) error {
	var counts []int64
	if err := s.Read(ctx).Model(&Count{}).Where("state = ?", Discarded).Pluck("id", &counts).Error; err != nil {
		return err
	}
	for _, count := range counts {
		for more := true; more; {
			err := s.Write(ctx, func(tx *gorm.DB) error {
				// A delete with a limit is beyond GORM, and one of all lines would hold up who writes meanwhile.
				r := tx.Exec("DELETE FROM count_lines WHERE count_id = ?1 AND pos < (SELECT min(pos) + 20000 FROM count_lines WHERE count_id = ?1)", count)
				more = r.RowsAffected > 0
				return r.Error
			})
			if err != nil {
				return err
			}
		}
		if err := s.Write(ctx, func(tx *gorm.DB) error { return clearCount(tx, count, linesOfCount...) }); err != nil {
			return err
		}
	}
	return nil
}
