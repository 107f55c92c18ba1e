package store

import (
	"crypto/sha256"
	"encoding/hex"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// Sessions keeps sign-ins in the database, for the session manager: under the SHA-256 of their tokens, so that whoever
// reads the database cannot take one over. Backups do not hold them.
type Sessions struct {
	Store *Store
	Now   func() time.Time
}

type session struct {
	Token  string `gorm:"primaryKey"` // its SHA-256
	Data   []byte
	Expiry int64
}

func hashed(token string) string {
	sum := sha256.Sum256([]byte(token))
	return hex.EncodeToString(sum[:])
}

// Find gives a session's data; one that has run out is not found.
func (s *Sessions) Find(token string) ([]byte, bool, error) {
	var row session
	err := s.Store.read.Where("token = ? AND expiry > ?", hashed(token), s.Now().UnixNano()).Limit(1).Find(&row).Error
	return row.Data, row.Token != "" && err == nil, err
}

// Commit writes a session, and takes those that have run out away.
func (s *Sessions) Commit(token string, data []byte, expiry time.Time) error {
	return inWords(s.Store.write.Transaction(func(tx *gorm.DB) error {
		if err := tx.Where("expiry <= ?", s.Now().UnixNano()).Delete(&session{}).Error; err != nil {
			return err
		}
		return tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(&session{hashed(token), data, expiry.UnixNano()}).Error
	}))
}

// Delete ends a session.
func (s *Sessions) Delete(token string) error {
	return inWords(s.Store.write.Where("token = ?", hashed(token)).Delete(&session{}).Error)
}
