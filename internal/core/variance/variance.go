// Package variance holds counted against recorded: what was expected at the moment of counting, how far the
// count is off, whether that is let pass, and the figures over many lines. It works on plain values only.
package variance

import (
	"slices"

	"wobin/internal/core/quantity"
	"wobin/internal/core/stock"
)

// Status is what came of a line.
type Status string

// The statuses of a line.
const (
	Uncounted Status = "uncounted"
	Match     Status = "match"
	Tolerated Status = "tolerated"
	Found     Status = "found"
	Over      Status = "over"
	Short     Status = "short"
)

// Tolerance is how much variance is let pass; each limit is optional (nil) and included.
type Tolerance struct {
	Quantity *quantity.Quantity
	Percent  *quantity.Quantity // millionths of a percent of |expected|
	Value    *quantity.Money
}

// Within tells whether a variance is let pass. A variance without a value is never within a value limit.
func (t Tolerance) Within(variance, expected quantity.Quantity, value quantity.Money, valued bool) bool {
	if t.Quantity == nil && t.Percent == nil && t.Value == nil {
		return variance == 0
	}
	if t.Value != nil && (!valued || value.Abs() > *t.Value) {
		return false
	}
	if t.Quantity == nil && t.Percent == nil {
		return true
	}
	return (t.Quantity != nil && variance.Abs() <= *t.Quantity) ||
		(t.Percent != nil && quantity.WithinPercent(variance, expected, *t.Percent))
}

// Entry is one counted quantity of a line. Entries that were replaced are not given to Evaluate.
type Entry struct {
	Quantity quantity.Quantity
	At       int64 // Unix nanoseconds, 0 where it is not known
	From     int64 // where it was counted some time between this and At, as paper says it; else 0
	Round    int
}

// Input is all that a line's variance follows from.
type Input struct {
	Recorded  quantity.Quantity
	Row       bool // there is a recorded row
	Cost      quantity.Cost
	Costed    bool
	Frozen    int64 // Unix nanoseconds
	Movements []stock.Movement
	Elsewhere quantity.Quantity // what other counts sent of the line that the records still take in, whenever it was counted
	Entries   []Entry
	Latest    int64 // the latest counting time of the run, the freeze where nothing was counted
	Zero      bool  // it was settled that uncounted means zero here
	Agree     bool  // the first two rounds must agree before the line is counted; a third one stands by itself
	Stands    Rule  // which of several rounds stands
	Chosen    int   // the round that was chosen to stand; 0 for none
}

// Rule says which round of a line stands where it was counted in several.
type Rule string

// The rules.
const (
	Last     Rule = ""       // the last one
	Agreeing Rule = "agree"  // the last one whose variance another has, too; where there is none, the last, which is disputed
	Choose   Rule = "choose" // the one that is chosen; until then the last, which is disputed where the variances differ
)

// Known tells whether a rule is one.
func (r Rule) Known() bool { return r == Last || r == Agreeing || r == Choose }

// Pending tells why a line that has counts is not counted yet, where two rounds must agree.
type Pending int

// What a line waits for.
const (
	NotPending Pending = iota
	Once               // one of the two rounds has no count yet
	Differ             // the two rounds have other variances
)

// Result is a line's variance.
type Result struct {
	Moved          quantity.Quantity
	Expected       quantity.Quantity
	Counted        quantity.Quantity // of the standing round
	Variance       quantity.Quantity
	Value          quantity.Money
	CountedAt      int64
	Round          int
	Status         Status
	Valued         bool
	MovedMeanwhile bool // a movement lies between the first and the last entry, or while it was counted
	Pending        Pending
	Zeroed         bool // not counted, and settled to be zero: the variance is of 0, as at the latest counting time
	Disputed       bool // counted several times, and by the rule which round stands it is in doubt
}

// Evaluate works out a line. It errs with quantity.ErrTooLarge where a sum or a value is out of range.
func Evaluate(in *Input, tol Tolerance) (r Result, err error) {
	if in.Chosen != 0 || in.Stands == Agreeing {
		round, err := in.picked()
		if err != nil {
			return r, err
		}
		if round != 0 {
			one := *in.only(round)
			return Evaluate(&one, tol)
		}
	}
	first, last := int64(0), int64(0)
	counted := false
	for i := range in.Entries {
		e := &in.Entries[i]
		if counted && e.Round < r.Round {
			continue
		}
		begin := e.At
		if e.From != 0 {
			begin = min(e.From, e.At)
		}
		if !counted || e.Round > r.Round {
			counted, r.Round, r.Counted, first, last = true, e.Round, 0, begin, e.At
		}
		var ok bool
		if r.Counted, ok = quantity.Add(r.Counted, e.Quantity); !ok {
			return r, quantity.ErrTooLarge
		}
		first, last = min(first, begin), max(last, e.At)
	}
	if in.Agree && counted && r.Round <= 2 {
		if r.Pending, err = in.pending(); err != nil {
			return r, err
		}
		if r.Pending != NotPending { // until they agree nothing is counted
			counted, r.Counted, r.Round = false, 0, 0
		}
	}
	upTo := in.Latest
	if counted {
		upTo = last
	}
	var ok bool
	if r.Moved, ok = stock.Moved(in.Movements, in.Frozen, upTo); ok {
		r.Moved, ok = quantity.Add(r.Moved, in.Elsewhere)
	}
	if !ok {
		return r, quantity.ErrTooLarge
	}
	if r.Expected, ok = quantity.Add(in.Recorded, r.Moved); !ok {
		return r, quantity.ErrTooLarge
	}
	if !counted {
		r.Status, r.Valued = Uncounted, in.Costed
		if in.Zero && r.Expected != 0 && r.Pending == NotPending {
			r.Zeroed, r.Variance, r.CountedAt = true, -r.Expected, upTo
			err = r.value(in)
		}
		return r, err
	}
	r.CountedAt = last
	if r.Variance, ok = quantity.Add(r.Counted, -r.Expected); !ok {
		return r, quantity.ErrTooLarge
	}
	for _, m := range in.Movements {
		if m.At > first && m.At <= last {
			r.MovedMeanwhile = true
		}
	}
	if err := r.value(in); err != nil {
		return r, err
	}
	if r.Disputed, err = in.disputed(&r); err != nil {
		return r, err
	}
	switch {
	case r.Variance == 0:
		r.Status = Match
	case !r.MovedMeanwhile && tol.Within(r.Variance, r.Expected, r.Value, r.Valued):
		r.Status = Tolerated
	case !in.Row && len(in.Movements) == 0 && in.Elsewhere == 0 && r.Counted > 0:
		r.Status = Found
	case r.Variance > 0:
		r.Status = Over
	default:
		r.Status = Short
	}
	return r, nil
}

// pending tells whether the first two rounds agree: their variances do, for the stock may have moved in between.
func (in *Input) pending() (Pending, error) {
	var variances [2]quantity.Quantity
	for i := range variances {
		v, counted, err := in.ofRound(i + 1)
		if err != nil {
			return NotPending, err
		}
		if !counted {
			return Once, nil
		}
		variances[i] = v
	}
	if variances[0] != variances[1] {
		return Differ, nil
	}
	return NotPending, nil
}

// FirstRecount is the round of the first recount of a line: two rounds may have to agree before.
const FirstRecount = 3

// FirstRight tells whether the first round of a line that was counted again was right: whether it has the variance of the last recount, for
// the stock may have moved in between. recounted is false where it has no recount, or nothing before it.
func (in *Input) FirstRight() (recounted, right bool, err error) {
	first, last := 0, 0
	for i := range in.Entries {
		if round := in.Entries[i].Round; round >= FirstRecount {
			last = max(last, round)
		} else if first == 0 || round < first {
			first = round
		}
	}
	if first == 0 || last == 0 {
		return false, false, nil
	}
	was, _, err := in.ofRound(first)
	if err != nil {
		return false, false, err
	}
	is, _, err := in.ofRound(last)
	return true, was == is, err
}

// only is the line as if nothing but one of its rounds had been counted.
func (in *Input) only(round int) *Input {
	one := *in
	one.Agree, one.Stands, one.Chosen, one.Entries = false, Last, 0, nil
	for _, e := range in.Entries {
		if e.Round == round {
			one.Entries = append(one.Entries, e)
		}
	}
	return &one
}

// ofRound is the variance that the line would have if a round stood; counted is false where the round has no entry.
func (in *Input) ofRound(round int) (v quantity.Quantity, counted bool, err error) {
	one := in.only(round)
	if one.Costed = false; len(one.Entries) == 0 {
		return 0, false, nil
	}
	r, err := Evaluate(one, Tolerance{})
	return r.Variance, true, err
}

// ofRounds gives the variance that each round of the line has, by round, and the rounds in order.
func (in *Input) ofRounds() (of map[int]quantity.Quantity, rounds []int, err error) {
	of = map[int]quantity.Quantity{}
	for i := range in.Entries {
		round := in.Entries[i].Round
		if _, had := of[round]; had {
			continue
		}
		if of[round], _, err = in.ofRound(round); err != nil {
			return nil, nil, err
		}
		rounds = append(rounds, round)
	}
	slices.Sort(rounds)
	return of, rounds, nil
}

// picked is the round that stands because it was chosen, or because another agrees with it; 0 where the last one does.
func (in *Input) picked() (round int, err error) {
	of, rounds, err := in.ofRounds()
	if err != nil {
		return 0, err
	}
	if slices.Contains(rounds, in.Chosen) {
		return in.Chosen, nil
	}
	if in.Stands != Agreeing {
		return 0, nil
	}
	times := map[quantity.Quantity]int{}
	for _, v := range of {
		times[v]++
	}
	for _, r := range slices.Backward(rounds) {
		if times[of[r]] > 1 {
			return r, nil
		}
	}
	return 0, nil
}

// disputed tells whether the standing round, which r is of, is in doubt: by the rule that the last stands, where the line was counted three
// times or more and it agrees with no other; by the others, where it was counted twice or more and they differ.
func (in *Input) disputed(r *Result) (bool, error) {
	least := 3
	if in.Stands != Last {
		least = 2
	}
	if in.Stands == Last && r.Round < FirstRecount || !in.counted(least) {
		return false, nil
	}
	of, rounds, err := in.ofRounds()
	if err != nil {
		return false, err
	}
	same := 0
	for _, v := range of {
		if v == r.Variance {
			same++
		}
	}
	if in.Stands == Choose {
		return same < len(rounds), nil
	}
	return same == 1, nil
}

// counted tells whether the line was counted in so many rounds. Several entries of one round are one count.
func (in *Input) counted(times int) bool {
	if len(in.Entries) < times {
		return false
	}
	rounds := make([]int, 0, times)
	for i := range in.Entries {
		if round := in.Entries[i].Round; !slices.Contains(rounds, round) {
			if rounds = append(rounds, round); len(rounds) == times {
				return true
			}
		}
	}
	return false
}

func (r *Result) value(in *Input) (err error) {
	if r.Valued = in.Costed; in.Costed {
		r.Value, err = quantity.Value(r.Variance, in.Cost)
	}
	return err
}

// Sent is what of a line went out already, over all postings.
type Sent struct {
	Postings int // how many it was in; 0 where nothing of it went out
	Quantity quantity.Quantity
	Value    quantity.Money
}

// Rest is what of a line's variance has not gone out: sent and rest together are always counted minus expected (0 where
// nothing is counted, or counted no more).
type Rest struct {
	Quantity quantity.Quantity
	Value    quantity.Money // takes what rounding left, so that the parts of a line foot with its whole
	Valued   bool
	Wants    bool // it wants a decision
}

// Rest works out what is still open. A variance that is let pass wants no decision while nothing of it went out, unless
// tolerated ones are to go out too; once something did, every difference to it does. It errs with quantity.ErrTooLarge.
func (r *Result) Rest(sent Sent, postTolerated bool) (o Rest, err error) {
	var ok bool
	if o.Quantity, ok = quantity.Add(r.Variance, -sent.Quantity); !ok {
		return o, quantity.ErrTooLarge
	}
	if o.Valued = r.Valued; o.Valued {
		if o.Value, ok = quantity.AddMoney(r.Value, -sent.Value); !ok {
			return o, quantity.ErrTooLarge
		}
	}
	switch {
	case o.Quantity == 0, r.Pending != NotPending: // what two rounds do not agree on goes out in no form, however it stood before
	case sent.Postings > 0:
		o.Wants = true
	case r.Status == Tolerated:
		o.Wants = postTolerated
	default:
		o.Wants = r.Status == Over || r.Status == Short || r.Status == Found || r.Zeroed
	}
	return o, nil
}

// Tolerances are the limits of a count: by class of item where the class has its own, else those of the count.
type Tolerances struct {
	Count   Tolerance
	ByClass map[string]Tolerance
}

// For gives the limits of a class.
func (t *Tolerances) For(class string) Tolerance {
	if own, has := t.ByClass[class]; has && class != "" {
		return own
	}
	return t.Count
}

// Sums are values added up: over and short apart, net, and gross (the absolutes).
type Sums struct {
	Over  quantity.Money `json:"over"`
	Short quantity.Money `json:"short"` // never above zero
	Net   quantity.Money `json:"net"`
	Gross quantity.Money `json:"gross"`
}

// Add takes one line's variance and value in. ok is false where a sum is out of range; then nothing was added.
func (s *Sums) Add(variance quantity.Quantity, value quantity.Money) (ok bool) {
	o := Sums{Net: value, Gross: value.Abs()}
	switch {
	case variance > 0:
		o.Over = value
	case variance < 0:
		o.Short = value
	}
	return s.Merge(o)
}

// Merge takes other sums in. ok is false where one is out of range; then nothing was added.
func (s *Sums) Merge(o Sums) (ok bool) {
	sum, good := *s, true
	for _, x := range []struct {
		into *quantity.Money
		more quantity.Money
	}{{&sum.Over, o.Over}, {&sum.Short, o.Short}, {&sum.Net, o.Net}, {&sum.Gross, o.Gross}} {
		if *x.into, ok = quantity.AddMoney(*x.into, x.more); !ok {
			good = false
		}
	}
	if good {
		*s = sum
	}
	return good
}

// Negative is what Merge takes out again.
func (s Sums) Negative() Sums { return Sums{-s.Over, -s.Short, -s.Net, -s.Gross} }

// Figures are the figures of a count.
type Figures struct {
	RecordedLines   int  `json:"recorded_lines"`
	RecordedCounted int  `json:"recorded_counted"` // recorded lines with an entry
	Counted         int  `json:"counted"`          // lines with an entry
	Uncounted       int  `json:"uncounted"`
	Match           int  `json:"match"`
	Tolerated       int  `json:"tolerated"`
	Over            int  `json:"over"`
	Short           int  `json:"short"`
	Found           int  `json:"found"`
	Unvalued        int  `json:"unvalued"` // lines without a known cost
	Values          Sums `json:"values"`
}

// Add takes a line in. ok is false where a sum of values is out of range.
func (f *Figures) Add(in *Input, r *Result) (ok bool) {
	return f.Merge(FiguresOf(in.Row, in.Costed, r))
}

// FiguresOf are the figures of one line: what it adds to those of its bin, zone or count.
func FiguresOf(row, costed bool, r *Result) (f Figures) {
	one := func(is bool) int {
		if is {
			return 1
		}
		return 0
	}
	counted := r.Status != Uncounted
	f = Figures{
		RecordedLines:   one(row),
		Unvalued:        one(!costed),
		Uncounted:       one(!counted),
		Counted:         one(counted),
		RecordedCounted: one(row && counted),
		Match:           one(r.Status == Match),
		Tolerated:       one(r.Status == Tolerated),
		Over:            one(r.Status == Over),
		Short:           one(r.Status == Short),
		Found:           one(r.Status == Found),
	}
	if counted {
		f.Values.Add(r.Variance, r.Value)
	}
	return f
}

// Merge takes other figures in. ok is false where a sum of values is out of range; then nothing was added.
func (f *Figures) Merge(o Figures) (ok bool) {
	if !f.Values.Merge(o.Values) {
		return false
	}
	f.RecordedLines += o.RecordedLines
	f.RecordedCounted += o.RecordedCounted
	f.Counted += o.Counted
	f.Uncounted += o.Uncounted
	f.Match += o.Match
	f.Tolerated += o.Tolerated
	f.Over += o.Over
	f.Short += o.Short
	f.Found += o.Found
	f.Unvalued += o.Unvalued
	return true
}

// Negative is what Merge takes out again.
func (f Figures) Negative() Figures {
	return Figures{
		-f.RecordedLines,
		-f.RecordedCounted,
		-f.Counted,
		-f.Uncounted,
		-f.Match,
		-f.Tolerated,
		-f.Over,
		-f.Short,
		-f.Found,
		-f.Unvalued,
		f.Values.Negative(),
	}
}

// Coverage is recorded lines with an entry ÷ recorded lines in percent; ok is false over nothing.
func (f *Figures) Coverage() (quantity.Money, bool) {
	return quantity.Ratio(f.RecordedCounted, f.RecordedLines)
}

// Accuracy is (match + tolerated) ÷ lines with an entry in percent (IRA); ok is false over nothing, and where nothing is recorded:
// a first count says nothing about a record.
func (f *Figures) Accuracy() (quantity.Money, bool) {
	if f.RecordedLines == 0 {
		return 0, false
	}
	return quantity.Ratio(f.Match+f.Tolerated, f.Counted)
}
