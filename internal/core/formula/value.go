package formula

import (
	"math/big"
	"strings"
	"time"

	"wobin/internal/core/code"
)

type kind int

const (
	aNumber kind = iota
	aText
	aTruth
	aCell // a cell is text that is a number wherever one is wanted
)

// Value is what a formula comes to.
type Value struct {
	kind   kind
	number *big.Rat
	string string
	bool   bool
	date   bool // the number counts days since 1899-12-30, as the standard has it
	cells  Cells
	label  int
}

func number(n int64) Value      { return Value{kind: aNumber, number: big.NewRat(n, 1)} }
func textValue(s string) Value  { return Value{kind: aText, string: s} }
func boolValue(b bool) Value    { return Value{kind: aTruth, bool: b} }
func ratValue(r *big.Rat) Value { return Value{kind: aNumber, number: r} }

const maxText = 1 << 16

func bounded(s string, at int) (Value, error) {
	if len(s) > maxText {
		return Value{}, &Error{at, "the text is too long"}
	}
	return textValue(s), nil
}

// decimal reads a plain decimal: digits with at most one point, and a sign.
func decimal(s string) (*big.Rat, bool) {
	if len(s) == 0 || len(s) > 40 {
		return nil, false
	}
	for i := 0; i < len(s); i++ {
		if c := s[i]; (c < '0' || c > '9') && c != '.' && (c != '-' && c != '+' || i > 0) {
			return nil, false // the library reads fractions and powers, too
		}
	}
	return new(big.Rat).SetString(s)
}

// asNumber is the value as a number; an empty cell is 0, as the standard has it.
func (v Value) asNumber() (*big.Rat, bool) {
	switch v.kind {
	case aNumber:
		return v.number, true
	case aTruth:
		if v.bool {
			return big.NewRat(1, 1), true
		}
		return new(big.Rat), true
	case aCell:
		if v.string == "" {
			return new(big.Rat), true
		}
		return v.cellNumber()
	}
	return decimal(code.Trim(v.string))
}

func (v Value) cellNumber() (*big.Rat, bool) {
	if t, ok := v.cells.Number(v.label); ok {
		return decimal(t)
	}
	if d, ok := v.cells.(Dates); ok {
		if at, is := d.Date(v.label); is {
			return days(at), true
		}
	}
	return nil, false
}

// isDate tells whether the value is a day: one that was worked out, or a cell that holds a date.
func (v Value) isDate() bool {
	if v.kind != aCell || v.string == "" {
		return v.date
	}
	if _, ok := v.cells.Number(v.label); ok {
		return false
	}
	d, ok := v.cells.(Dates)
	if ok {
		_, ok = d.Date(v.label)
	}
	return ok
}

// days gives a time as days since 1899-12-30, as the standard counts them.
func days(t time.Time) *big.Rat { return big.NewRat(t.Unix()-epoch.Unix(), 86_400) }

func (v Value) mustNumber(at int) (*big.Rat, error) {
	if n, ok := v.asNumber(); ok {
		return n, nil
	}
	return nil, &Error{at, "\"" + v.string + "\" is not a number"}
}

// text is the value as a cell shows it; ok is false for a number with more than six places.
func (v Value) text() (string, bool) {
	switch v.kind {
	case aTruth:
		if v.bool {
			return "TRUE", true
		}
		return "FALSE", true
	case aNumber:
		if v.date {
			t := time.Unix(epoch.Unix()+seconds(v.number), 0).UTC()
			if t.Hour()+t.Minute()+t.Second() == 0 {
				return t.Format("2006-01-02"), true
			}
			return t.Format("2006-01-02 15:04:05"), true
		}
		scaled := new(big.Rat).Mul(v.number, big.NewRat(1_000_000, 1))
		if !scaled.IsInt() {
			return "", false
		}
		s := v.number.FloatString(6)
		s = strings.TrimRight(strings.TrimRight(s, "0"), ".")
		if s == "-0" || s == "" {
			s = "0"
		}
		return s, true
	}
	return v.string, true
}

func (v Value) mustText(at int) (string, error) {
	s, ok := v.text()
	if !ok {
		return "", &Error{at, "the number has more than six decimal places. Say how to round it, as in ROUND(…; 2)"}
	}
	return s, nil
}

func (v Value) truth() (bool, bool) {
	switch v.kind {
	case aTruth:
		return v.bool, true
	case aNumber:
		return v.number.Sign() != 0, true
	}
	switch s := strings.ToUpper(v.string); s {
	case "TRUE":
		return true, true
	case "FALSE", "":
		return false, v.kind == aCell || s != ""
	}
	if n, ok := v.asNumber(); ok {
		return n.Sign() != 0, true
	}
	return false, false
}

func (v Value) mustTruth(at int) (bool, error) {
	b, ok := v.truth()
	if !ok {
		return false, &Error{at, "\"" + v.string + "\" is neither true nor false"}
	}
	return b, nil
}

// compare orders two values: as numbers where both are (a cell against a number, too), else as text without regard
// to case. An empty cell equals 0 and the empty text.
func compare(a, b Value) int {
	numeric := func(v Value) (*big.Rat, bool) {
		switch v.kind {
		case aNumber, aTruth:
			return v.asNumber()
		case aCell:
			if v.string == "" { // 0 against what is a number
				return new(big.Rat), true
			}
			return v.cellNumber()
		}
		return nil, false
	}
	if x, ok := numeric(a); ok {
		if y, ok := numeric(b); ok {
			return x.Cmp(y)
		}
	}
	s, _ := a.text()
	t, _ := b.text()
	return strings.Compare(code.Fold(s), code.Fold(t))
}

var epoch = time.Date(1899, 12, 30, 0, 0, 0, 0, time.UTC)

// seconds of a number of days, to the nearest, within the years that dates are read in.
func seconds(days *big.Rat) int64 {
	s := new(big.Rat).Mul(days, big.NewRat(86_400, 1))
	n := floor(s.Add(s, big.NewRat(1, 2)))
	if !n.IsInt64() {
		return 0
	}
	return max(min(n.Int64(), 2_958_465*86_400), -657_434*86_400) // years 100 to 9999
}

// floor is the largest whole number that is not above r.
func floor(r *big.Rat) *big.Int {
	q, m := new(big.Int), new(big.Int)
	q.DivMod(r.Num(), r.Denom(), m)
	return q
}
