package form

import (
	"errors"
	"strings"
	"time"
)

// Errors of ParseTime; the text is the end of a sentence that begins with the value.
var (
	ErrNotTime  = errors.New("is not a time. Write it as 2026-11-21 06:00 or 2026-11-21T06:00:00+01:00")
	ErrNoTime   = errors.New("is in an hour that the clock left out there. Write the time with its offset, as in 2026-03-29T01:30:00+00:00")
	ErrTwoTimes = errors.New(
		"is in an hour that the clock had twice there. Write the time with its offset, as in 2026-10-25T02:30:00+02:00",
	)
	ErrTimeRange = errors.New("is not within the years 1900 to 2200")
)

// ParseTime reads RFC 3339, or YYYY-MM-DD HH:MM[:SS] (a T may stand for the space) in the given zone. It gives
// Unix time in nanoseconds.
func ParseTime(s string, zone *time.Location) (int64, error) {
	if t, err := time.Parse(time.RFC3339, s); err == nil {
		return inRange(t)
	}
	var local time.Time
	var err error
	s = strings.Replace(s, "T", " ", 1)
	for _, form := range []string{"2006-01-02 15:04", "2006-01-02 15:04:05"} {
		if local, err = time.Parse(form, s); err == nil {
			break
		}
	}
	if err != nil {
		return 0, ErrNotTime
	}
	var found []time.Time
	for _, probe := range []time.Duration{-26 * time.Hour, 26 * time.Hour} {
		_, offset := local.Add(probe).In(zone).Zone()
		t := local.Add(-time.Duration(offset) * time.Second)
		if _, there := t.In(zone).Zone(); there == offset && (len(found) == 0 || !found[0].Equal(t)) {
			found = append(found, t)
		}
	}
	switch len(found) {
	case 0:
		return 0, ErrNoTime
	case 2:
		return 0, ErrTwoTimes
	}
	return inRange(found[0])
}

func inRange(t time.Time) (int64, error) {
	if y := t.Year(); y < 1900 || y > 2200 {
		return 0, ErrTimeRange
	}
	return t.UnixNano(), nil
}
