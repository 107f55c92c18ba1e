package store

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"

	"gorm.io/gorm"
)

// Link is one entry of the chained record of who did what. Its hash covers its content and the hash before it.
type Link struct {
	ID             int64
	At             int64
	Person, What   string
	Detail         string // JSON
	Previous, Hash string
}

// TableName is chain.
func (Link) TableName() string { return "chain" }

func (l *Link) sum() string {
	h := sha256.New()
	for _, t := range []string{l.Previous, fmt.Sprint(l.At), l.Person, l.What, l.Detail} {
		fmt.Fprintf(h, "%d:%s\n", len(t), t)
	}
	return hex.EncodeToString(h.Sum(nil))
}

// Record appends to the chain within a transaction.
func Record(tx *gorm.DB, at int64, person, what, detail string) error {
	var last Link
	if err := tx.Order("id DESC").Limit(1).Find(&last).Error; err != nil {
		return err
	}
	l := Link{At: at, Person: person, What: what, Detail: detail, Previous: last.Hash}
	l.Hash = l.sum()
	return tx.Create(&l).Error
}

// VerifyChain proves the record from its beginning: it gives how many links hold, and the number of the first
// that does not, 0 where all do.
func (s *Store) VerifyChain(ctx context.Context) (links int, broken int64, err error) {
	previous, after := "", int64(0)
	for {
		var some []Link
		if err := s.Read(ctx).Where("id > ?", after).Order("id").Limit(1000).Find(&some).Error; err != nil {
			return links, 0, err
		}
		if len(some) == 0 {
			return links, 0, nil
		}
		for i := range some {
			l := &some[i]
			if l.ID != after+1 || l.Previous != previous || l.sum() != l.Hash {
				return links, after + 1, nil
			}
			previous, after, links = l.Hash, l.ID, links+1
		}
	}
}
