package desk

import (
	"crypto/sha256"
	"encoding/hex"
	"strconv"
	"strings"
	"time"

	"wobin/internal/core/code"
)

// SortKey is what a code is ordered by in the database.
func SortKey(s string) []byte { return []byte(code.SortKey(s)) }

// Moment turns stored nanoseconds into a time, for fields where 0 stands for none.
func Moment(ns int64) *time.Time {
	if ns == 0 {
		return nil
	}
	t := Instant(ns)
	return &t
}

// Instant turns stored nanoseconds into a time, for fields that always have one: 1970 began at 0.
func Instant(ns int64) time.Time { return time.Unix(0, ns).UTC() }

// SentenceOf begins an error's text with a capital.
func SentenceOf(err error) string {
	t := err.Error()
	return strings.ToUpper(t[:1]) + t[1:]
}

// ZoneNamed gives the zone of times without an offset.
func ZoneNamed(name string) (*time.Location, error) {
	if name == "" {
		return time.Local, nil
	}
	z, err := time.LoadLocation(name)
	if err != nil {
		return nil, Refuse("%q is not the name of a zone such as Europe/Berlin.", name)
	}
	return z, nil
}

// Plural gives a number with its noun.
func Plural(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return Grouped(n) + " " + many
}

// Grouped writes a number with its thousands apart.
func Grouped(n int) string {
	s := strconv.Itoa(n)
	for i := len(s) - 3; i > 0; i -= 3 {
		s = s[:i] + "," + s[i:]
	}
	return s
}

// ShaOf is the SHA-256 of bytes, in hexadecimal digits.
func ShaOf(b []byte) string {
	sum := sha256.Sum256(b)
	return hex.EncodeToString(sum[:])
}
