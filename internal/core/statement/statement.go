// Package statement is what a count comes to, as a manager signs it: plain values, gathered from a count in the records or from files, and
// how the value of its variances is spread. It knows nothing of paper or screens.
package statement

import (
	"cmp"
	"slices"

	"wobin/internal/core/cause"
	"wobin/internal/core/quantity"
	"wobin/internal/core/variance"
)

// Statement is a count summed up.
type Statement struct {
	Title    string
	Facts    [][2]string // what it was about, when, by whom: a name and a text each
	Figures  variance.Figures
	Spread   Spread
	Parts    []Parts
	Reasons  []Sum // accepted or sent out, by reason
	Causes   []Sum // of variances, by likely cause
	Posted   variance.Sums
	PostedN  int
	Heaviest []Line
	Left     [][2]string // what remains open on purpose, each with its number
	Recounts Recounts
	Postings []Posting
	Earlier  []Earlier // counts of the same warehouse, the earliest first, this one last
	Notes    []string
}

// Parts is the figures by zone, class, category, counter or warehouse.
type Parts struct {
	Title string
	List  []Part
	More  int // parts with smaller variances that are not listed
}

// Part is one of them.
type Part struct {
	Name    string
	Figures variance.Figures
}

// Sum is the lines of one reason or cause.
type Sum struct {
	Code, Name, Account string
	Lines               int
	Sums                variance.Sums
	Share               quantity.Money // percent of the gross of all, two places; for drawing
}

// Line is one of the heaviest variances.
type Line struct {
	Bin, SKU, Lot, Description            string
	Recorded, Expected, Counted, Variance quantity.Quantity
	Value                                 quantity.Money
	Valued                                bool
	Cause, Decision, By                   string
}

// Recounts tells how often the first count was right.
type Recounts struct {
	Lines int // counted again
	Right int // of them, whose variance was the same at first
}

// Posting is what went out at once.
type Posting struct {
	Number                     int
	Day, Reference, By, Agreed string
	Lines                      int
	Sums                       variance.Sums
	Proof                      string
}

// Earlier is the figures of one count among others.
type Earlier struct {
	Name, Day  string
	Accuracy   quantity.Money // percent, two places
	Known      bool           // something was counted
	Net, Gross quantity.Money
}

// WithinTolerance stands among causes for the variances that are let pass: no cause is looked for of them, and without them the
// causes would not come to the gross of all variances.
const WithinTolerance = "tolerated"

// CauseName names what the variances of a cause have in common.
func CauseName(code string) string {
	if code == WithinTolerance {
		return "within tolerance"
	}
	return cause.Cause(code).Name()
}

// Spread is how value is spread over lines, the heaviest first.
type Spread struct {
	Most  int            `json:"most" doc:"so many lines hold 80 percent of the value"`
	Least quantity.Money `json:"least" doc:"the value of the last of them"`
	Curve []SpreadAt     `json:"curve" doc:"up to 60 points from the first line to the last"`
}

// SpreadAt is what the heaviest lines hold together.
type SpreadAt struct {
	Lines int            `json:"lines"`
	Gross quantity.Money `json:"gross"`
}

// SpreadOf works it out of the absolute values of lines, in hundredths, whose sum is gross. It puts them in order.
func SpreadOf(values []int64, gross quantity.Money) (s Spread) {
	s.Curve = []SpreadAt{}
	if gross == 0 {
		return s
	}
	slices.SortFunc(values, func(a, b int64) int { return cmp.Compare(b, a) })
	const points = 60
	sum := quantity.Money(0)
	for i, v := range values {
		sum += quantity.Money(v) // their sum is gross, which is in range
		if s.Most == 0 && sum >= gross-gross/5 {
			s.Most, s.Least = i+1, quantity.Money(v)
		}
		if n := len(values); i == 0 || i+1 == n || (i+1)*points/n != i*points/n {
			s.Curve = append(s.Curve, SpreadAt{i + 1, sum})
		}
	}
	return s
}

// Top is how many of the heaviest lines a statement lists, and how many parts.
const (
	Top      = 20
	TopParts = 15
)

// Sort puts parts in the order of their gross value and leaves the first of them.
func (p *Parts) Sort() {
	slices.SortStableFunc(p.List, func(a, b Part) int { return cmp.Compare(b.Figures.Values.Gross, a.Figures.Values.Gross) })
	if n := len(p.List); n > TopParts {
		p.List, p.More = p.List[:TopParts], n-TopParts
	}
}
