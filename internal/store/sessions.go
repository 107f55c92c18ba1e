package store

import (
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// Sessions keeps sign-ins in the database, for the session manager.
type Sessions struct{ Store *Store }

type session struct {
	Token  string `gorm:"primaryKey"`
	Data   []byte
	Expiry int64
}

// Find gives a session's data.
func (s *Sessions) Find(token string) ([]byte, bool, error) {
	var row session
	err := s.Store.read.Where("token = ? AND expiry > ?", token, time.Now().UnixNano()).Limit(1).Find(&row).Error
	return row.Data, row.Token != "" && err == nil, err
}

// Commit writes a session, and takes old ones away.
func (s *Sessions) Commit(token string, data []byte, expiry time.Time) error {
	return s.Store.write.Transaction(func(tx *gorm.DB) error {
		if err := tx.Where("expiry < ?", time.Now().UnixNano()).Delete(&session{}).Error; err != nil {
			return err
		}
		return tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(&session{token, data, expiry.UnixNano()}).Error
	})
}

// Delete ends a session.
func (s *Sessions) Delete(token string) error {
	return s.Store.write.Where("token = ?", token).Delete(&session{}).Error
}
