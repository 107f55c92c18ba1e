package variance

import "wobin/internal/core/quantity"

// Decision is what was decided about the rest of a line.
type Decision string

// The decisions about a rest.
const (
	Undecided Decision = ""
	Accepted  Decision = "accept"
	Held      Decision = "hold"
)

// Line is all that a tally knows of a line: where it stands, what went out of it, and what was decided.
type Line struct {
	Row      bool // there is a recorded row
	Costed   bool
	Gone     bool // it was found, and nothing is known of it any more: it counts for nothing
	Result   Result
	Sent     Sent
	Rest     Rest
	Decision Decision
}

// Tally is the figures of some lines together with where they stand in the queue of decisions.
type Tally struct {
	Figures
	Lines        int
	Open         int // want a decision
	OpenSums     Sums
	Accepted     int // wait to go out
	AcceptedSums Sums
	Held         int
	Zeroed       int // not counted and settled to be zero
	Posted       int // something of them went out
}

// Of is the tally of one line.
func (l *Line) Of() (t Tally) {
	if l.Gone {
		return t
	}
	t = Tally{Lines: 1, Figures: FiguresOf(l.Row, l.Costed, &l.Result)}
	if l.Result.Zeroed {
		t.Zeroed = 1
	}
	if l.Sent.Postings > 0 {
		t.Posted = 1
	}
	if !l.Rest.Wants {
		return t
	}
	switch l.Decision {
	case Accepted:
		t.Accepted = 1
		t.AcceptedSums.Add(l.Rest.Quantity, l.Rest.Value)
	case Held:
		t.Held = 1
	default:
		t.Open = 1
		t.OpenSums.Add(l.Rest.Quantity, l.Rest.Value)
	}
	return t
}

// Merge takes another tally in. ok is false where a sum is out of range; then nothing was added.
func (t *Tally) Merge(o Tally) (ok bool) {
	sum := *t
	if !sum.Figures.Merge(o.Figures) || !sum.OpenSums.Merge(o.OpenSums) || !sum.AcceptedSums.Merge(o.AcceptedSums) {
		return false
	}
	sum.Lines += o.Lines
	sum.Open += o.Open
	sum.Accepted += o.Accepted
	sum.Held += o.Held
	sum.Zeroed += o.Zeroed
	sum.Posted += o.Posted
	*t = sum
	return true
}

// Negative is what Merge takes out again.
func (t Tally) Negative() Tally {
	return Tally{
		t.Figures.Negative(),
		-t.Lines,
		-t.Open,
		t.OpenSums.Negative(),
		-t.Accepted,
		t.AcceptedSums.Negative(),
		-t.Held,
		-t.Zeroed,
		-t.Posted,
	}
}

// Stake is how much is at stake in a line, for the order of the queue: the size of what is open, or of its variance where
// nothing is. known is false where it has no value; such lines go before all others. It is 0 for a line without a variance.
func (l *Line) Stake() (stake quantity.Money, known bool) {
	q, v, valued := l.Rest.Quantity, l.Rest.Value, l.Rest.Valued
	if !l.Rest.Wants {
		switch l.Result.Status {
		case Over, Short, Found:
			q, v, valued = l.Result.Variance, l.Result.Value, l.Result.Valued
		default:
			return 0, true
		}
	}
	if q == 0 {
		return 0, true
	}
	return max(v.Abs(), 1), valued
}
