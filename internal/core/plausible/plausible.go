// Package plausible finds what a whole file of figures can hardly mean: all of them off by one power of ten, a table that ends where
// programs cut tables off, a time that is still to come or long past. None of it is wrong for certain, so it is asked about.
package plausible

import (
	"math"
	"time"
)

// Tens tells whether figures are those of before with the decimal point elsewhere. The zero value is ready.
type Tens struct {
	by   [2*mostTens + 1]int
	rest int
}

// mostTens is by how many places a decimal point is looked for at most: thousands of thousands.
const mostTens = 6

// leastFigures is from how many figures on their number says something.
const leastFigures = 10

// Add takes in a figure as it was and as it is, in one scale. What is nothing in either says nothing.
func (t *Tens) Add(before, after int64) {
	if before == 0 || after == 0 || before == math.MinInt64 || after == math.MinInt64 {
		return
	}
	for places := range mostTens + 1 {
		if shifted(before, after, places) {
			t.by[mostTens+places]++
			return
		}
		if shifted(after, before, places) {
			t.by[mostTens-places]++
			return
		}
	}
	t.rest++
}

// shifted tells whether a figure is another one with its point so many places to the right.
func shifted(from, to int64, places int) bool {
	for range places {
		if from > math.MaxInt64/10 || from < math.MinInt64/10 {
			return false
		}
		from *= 10
	}
	return from == to
}

// Shift gives by how many places the point moved to the right in at least half of the figures, and in how many of how many; negative is
// to the left. It is 0 where there is no such number, or where there are too few figures to tell.
func (t *Tens) Shift() (places, figures, of int) {
	of = t.rest
	for _, n := range t.by {
		of += n
	}
	for i, n := range t.by {
		if i != mostTens && n >= leastFigures && 2*n >= of {
			return i - mostTens, n, of
		}
	}
	return 0, 0, of
}

// CutOff tells whether a table of so many rows, those above its header and the header included, ends just where programs cut tables off:
// at the end of an old workbook's sheet, or of one of today.
func CutOff(rows int) bool { return rows == 65_536 || rows == 1_048_576 }

// longPast is how old figures that are taken in today are at most.
const longPast = 10 * 365 * 24 * time.Hour

// Early tells whether a time at which figures are said to have been true is long past.
func Early(at, now time.Time) bool { return at.Before(now.Add(-longPast)) }

// Late tells whether a time at which figures are said to have been true is still to come; a day is left for clocks and zones.
func Late(at, now time.Time) bool { return at.After(now.Add(24 * time.Hour)) }
