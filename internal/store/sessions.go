package store

import (
	"context"
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
	Token    string `gorm:"primaryKey"` // its SHA-256
	Data     []byte
	Expiry   int64
	PersonID int64
	Began    int64
	Agent    string // what browser it is, as it says
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

// Commit writes a session, and takes those that have run out away. expiry is a time of the machine's clock.
func (s *Sessions) Commit(token string, data []byte, expiry time.Time) error {
	now := s.Now()
	until := now.Add(time.Until(expiry)) // the session manager goes by the machine's clock
	return s.Store.Write(context.Background(), func(tx *gorm.DB) error {
		if err := tx.Where("expiry <= ?", now.UnixNano()).Delete(&session{}).Error; err != nil {
			return err
		}
		return tx.Clauses(clause.OnConflict{DoUpdates: clause.AssignmentColumns([]string{"data", "expiry"})}).
			Create(&session{Token: hashed(token), Data: data, Expiry: until.UnixNano()}).Error
	})
}

// Delete ends a session.
func (s *Sessions) Delete(token string) error {
	return s.Store.Write(context.Background(), func(tx *gorm.DB) error {
		return tx.Where("token = ?", hashed(token)).Delete(&session{}).Error
	})
}

// Whose notes whose a session is.
func (s *Sessions) Whose(token string, person int64, agent string) error {
	return s.Store.Write(context.Background(), func(tx *gorm.DB) error {
		return tx.Model(&session{}).Where("token = ?", hashed(token)).
			Updates(map[string]any{"person_id": person, "began": s.Now().UnixNano(), "agent": agent}).Error
	})
}

// Session is one that somebody has.
type Session struct {
	ID           string // the beginning of the hash of its token, which opens nothing
	Began, Until int64
	Agent        string
	Own          bool // it is the one that asks
}

// Of lists the sessions of a person, the latest first. token is that of whoever asks.
func (s *Sessions) Of(person int64, token string) ([]Session, error) {
	var rows []session
	err := s.Store.read.Where("person_id = ? AND expiry > ?", person, s.Now().UnixNano()).Order("began DESC").Find(&rows).Error
	out := make([]Session, len(rows))
	for i, r := range rows {
		out[i] = Session{r.Token[:16], r.Began, r.Expiry, r.Agent, r.Token == hashed(token)}
	}
	return out, err
}

// End ends sessions of a person: the one with an id, or, where that is empty, all but the one with a token.
func (s *Sessions) End(person int64, id, but string) (n int64, err error) {
	err = s.Store.Write(context.Background(), func(tx *gorm.DB) error {
		q := tx.Where("person_id = ?", person)
		if id != "" {
			q = q.Where("substr(token, 1, 16) = ?", id)
		} else {
			q = q.Where("token <> ?", hashed(but))
		}
		r := q.Delete(&session{})
		n = r.RowsAffected
		return r.Error
	})
	return n, err
}
