package store

import (
	"context"
	"os"
	"path/filepath"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// Draft is a file that was dropped and is not taken in: where it lies, and what was settled about it.
type Draft struct {
	ID               string `gorm:"primaryKey"`
	PersonID         int64
	Name             string
	Size             int64
	File             string // its name among what comes in
	Choices, History string // JSON
	Kind, Word       string // what it comes to, as it was looked at last
	At, Used         int64
}

// SaveDraft keeps a draft as it is now. A draft is no record: nothing of it goes into the chain.
func (s *Store) SaveDraft(d *Draft) error {
	return s.Write(context.Background(), func(tx *gorm.DB) error {
		return tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(d).Error
	})
}

// DraftOf gives a draft of somebody; one without a number where there is none.
func (s *Store) DraftOf(ctx context.Context, person int64, id string) (d Draft, err error) {
	err = s.read.WithContext(ctx).Where("id = ? AND person_id = ?", id, person).Limit(1).Find(&d).Error
	return d, err
}

// DraftsOf lists the drafts of somebody, the latest first.
func (s *Store) DraftsOf(ctx context.Context, person int64) (list []Draft, err error) {
	err = s.read.WithContext(ctx).Omit("choices", "history").Where("person_id = ?", person).Order("at DESC, id").Find(&list).Error
	return list, err
}

// DropDrafts takes drafts out whose ids are given, and those that nobody came back for since a moment. Their files go with them.
func (s *Store) DropDrafts(ids []string, before int64) error {
	var gone []Draft
	err := s.Write(context.Background(), func(tx *gorm.DB) error {
		q := tx.Where("id IN ? OR used < ?", ids, before)
		if err := q.Omit("choices", "history").Find(&gone).Error; err != nil || len(gone) == 0 {
			return err
		}
		return tx.Where("id IN ? OR used < ?", ids, before).Delete(&Draft{}).Error
	})
	if err != nil {
		return err
	}
	for i := range gone {
		_ = os.Remove(s.IncomingName(gone[i].File)) // what stays is swept at the next start
	}
	return nil
}

// EndDraft takes a draft out within the work that took its file in, so that it is never taken in twice. Its file stays for who holds it.
func EndDraft(tx *gorm.DB, id string) error { return tx.Where("id = ?", id).Delete(&Draft{}).Error }

// IncomingName is where a file lies that comes in.
func (s *Store) IncomingName(file string) string {
	return filepath.Join(s.Dir, "incoming", filepath.Base(file))
}
