package adjust

import (
	"fmt"
	"math"
	"time"

	"wobin/internal/core/quantity"
)

// Record is what a record system has of a line when it takes an adjustment in, and how it came to that.
type Record struct {
	Recorded quantity.Quantity // at the freeze
	Sent     quantity.Quantity // taken in of earlier postings
	Moved    quantity.Quantity // all movements since the freeze
}

// now is what the record says before the adjustment.
func (r Record) now() (quantity.Quantity, error) {
	sum, ok := quantity.Add(r.Recorded, r.Sent)
	if ok {
		sum, ok = quantity.Add(sum, r.Moved)
	}
	if !ok {
		return 0, quantity.ErrTooLarge
	}
	return sum, nil
}

// Takes is what the record says once it has taken the line in, in a form: a difference is added, a balance written over, in
// and out are booked, and of a count it works out the difference itself, from what it had when it was counted.
func (r Record) Takes(l *Line, m Mode) (quantity.Quantity, error) {
	now, err := r.now()
	if err != nil {
		return 0, err
	}
	by := l.Variance
	switch m {
	case Balance:
		sum, ok := quantity.Add(l.Counted, l.After)
		if !ok {
			return 0, quantity.ErrTooLarge
		}
		return sum, nil
	case Counted:
		then, ok := quantity.Add(now, -l.After)
		if ok {
			by, ok = quantity.Add(l.Counted, -then)
		}
		if !ok {
			return 0, quantity.ErrTooLarge
		}
	}
	sum, ok := quantity.Add(now, by)
	if !ok {
		return 0, quantity.ErrTooLarge
	}
	return sum, nil
}

// Agree tells whether the record ends at the same quantity in whichever form it takes the line in. Where it does not, nothing
// of the line may go out: one of the forms would be wrong.
func (l *Line) Agree(r Record) error {
	want, err := r.Takes(l, Difference)
	if err != nil {
		return err
	}
	for _, m := range []Mode{InOut, Balance, Counted} {
		got, err := r.Takes(l, m)
		if err != nil {
			return err
		}
		if got != want {
			return fmt.Errorf("as a difference it ends at %s, as %s at %s", want, m, got)
		}
	}
	return nil
}

// Moment is when a movement was booked, and when it counts as having happened for a line, where somebody settled that.
type Moment struct{ Booked, Happened int64 }

// BookedAt gives a time to send out for a count that was made at a time: one that parts the movements, by the times at which a
// record system has them, just as they were reckoned. That is the time itself, without parts of a second where nothing moved
// in them, or one near it where a movement was settled to have been on the other side. ok is false where no time does.
// Times are Unix nanoseconds.
func BookedAt(counted int64, moves []Moment) (at int64, ok bool) {
	from, to := int64(math.MinInt64), int64(math.MaxInt64) // at lies in [from, to)
	for _, m := range moves {
		if m.Happened <= counted {
			from = max(from, m.Booked)
		} else {
			to = min(to, m.Booked)
		}
	}
	const second = int64(time.Second)
	whole := counted - counted%second
	switch {
	case from >= to:
		return 0, false
	case whole >= from && whole < to:
		return whole, true
	case counted >= from && counted < to:
		return counted, true
	case counted < from:
		return from, true
	case to-second >= from:
		return to - second, true
	}
	return to - 1, true
}
