package store

import "gorm.io/gorm"

// Request is work that was sent under a key of the client's, and the answer that it got.
type Request struct {
	Key       string
	At        int64
	Answer    string // JSON
	Operation string
	PersonID  int64
	Hash      string // of the body
}

// RequestBy gives what was sent under a key; its answer is empty where nothing was.
func RequestBy(tx *gorm.DB, key string) (r Request, err error) {
	err = tx.Raw("SELECT * FROM requests WHERE key = ?", key).Scan(&r).Error
	return r, err
}

// KeepRequest keeps an answer with its key.
func KeepRequest(tx *gorm.DB, r *Request) error { return tx.Create(r).Error }
