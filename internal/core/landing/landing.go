// Package landing tells whether adjustments that were sent out have landed in the record system: what the records said before and say
// after, less what moved in between, is what was taken in. It works on plain values only.
package landing

import "wobin/internal/core/quantity"

// State is what became of a line.
type State string

// The states. A line that was not sent and has not changed by itself has none.
const (
	Landed      State = "landed"      // the records changed by just what was sent
	Missing     State = "missing"     // they did not change
	Twice       State = "twice"       // they changed by twice what was sent
	Different   State = "different"   // they changed by something else
	Unexplained State = "unexplained" // nothing was sent, and they changed beyond what moved
	Unseen      State = "unseen"      // the records were not looked at since it was sent
	Nothing     State = ""
)

// Line is what is known of a line: quantities in base units.
type Line struct {
	Sent          quantity.Quantity // the sum of all that was sent of it
	WasSent       bool
	Before, After quantity.Quantity // recorded; 0 where there is no row
	Moved         quantity.Quantity // by movements after the one and up to the other
}

// Judge tells what became of a line, and by how much the records changed beyond what moved. ok is false where that is out of range.
func (l Line) Judge() (landed quantity.Quantity, state State, ok bool) {
	expected, ok := quantity.Add(l.Before, l.Moved)
	if !ok {
		return 0, Nothing, false
	}
	if landed, ok = quantity.Add(l.After, -expected); !ok {
		return 0, Nothing, false
	}
	twice, fits := quantity.Add(l.Sent, l.Sent)
	switch {
	case !l.WasSent && landed == 0:
		return 0, Nothing, true
	case !l.WasSent:
		return landed, Unexplained, true
	case landed == l.Sent:
		return landed, Landed, true
	case landed == 0:
		return landed, Missing, true
	case fits && landed == twice:
		return landed, Twice, true
	}
	return landed, Different, true
}

// Tally is how many lines are in each state.
type Tally struct {
	Sent        int `json:"sent"`
	Landed      int `json:"landed"`
	Missing     int `json:"missing"`
	Different   int `json:"different"`
	Twice       int `json:"twice"`
	Unexplained int `json:"unexplained"`
	Unseen      int `json:"unseen"`
}

// Add counts a line.
func (t *Tally) Add(s State) {
	switch s {
	case Landed:
		t.Landed++
	case Missing:
		t.Missing++
	case Different:
		t.Different++
	case Twice:
		t.Twice++
	case Unseen:
		t.Unseen++
	case Unexplained:
		t.Unexplained++
		return
	case Nothing:
		return
	}
	t.Sent++
}

// Whole tells whether every line that was sent has landed.
func (t *Tally) Whole() bool { return t.Landed == t.Sent }
