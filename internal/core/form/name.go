package form

import (
	"regexp"
	"time"
)

// dateInName is a date as files are named by one, with or without a time: stock_2026-11-20.csv, STOCK20261120, 2026.11.20 06-30.
var dateInName = regexp.MustCompile(`(?:^|[^0-9])(20\d\d)([-_. ]?)(\d\d)([-_. ]?)(\d\d)(?:[T_ -]+([01]\d|2[0-3])[-_.:h]?([0-5]\d)(?:[-_.:m]?[0-5]\d)?)?(?:[^0-9]|$)`)

// DateIn gives the date that a file's name says, year first, as 2026-11-20 or, where a time stands behind it, 2026-11-20 06:30. ok is false
// where there is none, or more than one: two dates are a stretch of time, not the moment of its end.
func DateIn(name string) (text string, ok bool) {
	found := dateInName.FindAllStringSubmatch(name, -1)
	if len(found) != 1 || found[0][2] != found[0][4] {
		return "", false
	}
	m := found[0]
	text = m[1] + "-" + m[3] + "-" + m[5]
	if _, err := time.Parse(time.DateOnly, text); err != nil {
		return "", false
	}
	if m[6] != "" {
		text += " " + m[6] + ":" + m[7]
	}
	return text, true
}
