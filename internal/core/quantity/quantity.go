// Package quantity holds exact quantities, unit costs and money.
//
// A Quantity counts millionths of a base unit, a Cost millionths of a currency unit per base unit, and
// a Money the currency's minor units (hundredths). None of them is ever a binary float. The package knows
// nothing of files or records: it parses text, computes and prints.
package quantity

import (
	"errors"
	"fmt"
	"math/big"
	"math/bits"
	"strconv"
	"strings"
)

// Scale is the number of millionths in one.
const Scale = 1_000_000

// Limit is the first absolute value that is too large, in millionths: 10^12 units.
const Limit = 1_000_000_000_000 * Scale

// Quantity is an amount of stock in millionths of a base unit.
type Quantity int64

// Cost is a price for one base unit in millionths of a currency unit.
type Cost int64

// Money is an amount in minor units of the currency (hundredths).
type Money int64

// Errors that Parse and its relatives give. The text is the end of a sentence that begins with the value.
var (
	ErrNotNumber = errors.New("is not a number")
	ErrPlaces    = errors.New("has more than 6 decimal places")
	ErrTooLarge  = errors.New("is too large: the absolute value must be below 1000000000000")
)

// Parse reads an exact decimal: an optional sign, digits, and an optional point with at most six places
// behind it (further zeros are let pass). It errs with ErrNotNumber, ErrPlaces or ErrTooLarge.
func Parse[T string | []byte](s T) (Quantity, error) {
	n, rest, err := parse(s)
	if err != nil {
		return 0, err
	}
	if rest != 0 {
		return 0, ErrPlaces
	}
	return Quantity(n), nil
}

// ParseCost reads a unit cost. Places beyond the sixth are rounded half away from zero, which rounded says.
func ParseCost[T string | []byte](s T) (c Cost, rounded bool, err error) {
	n, rest, err := parse(s)
	if err != nil {
		return 0, false, err
	}
	if rest < 0 {
		return Cost(n), true, nil
	}
	if rest > 0 {
		if n < 0 || (n == 0 && s[0] == '-') {
			n--
		} else {
			n++
		}
		if n >= Limit || n <= -Limit {
			return 0, false, ErrTooLarge
		}
		return Cost(n), true, nil
	}
	return Cost(n), false, nil
}

// parse gives the value in millionths, cut to six places, and what was behind them: 0 nothing but zeros,
// -1 less than a half, 1 a half or more.
func parse[T string | []byte](s T) (n int64, rest int, err error) {
	i, neg := 0, false
	if len(s) > 0 && (s[0] == '-' || s[0] == '+') {
		neg = s[0] == '-'
		i++
	}
	digits, places, tooLarge := 0, -1, false
	for ; i < len(s); i++ {
		c := s[i]
		if c == '.' && places < 0 {
			places = 0
			continue
		}
		if c < '0' || c > '9' {
			return 0, 0, ErrNotNumber
		}
		digits++
		if places >= 6 {
			if places == 6 && c >= '5' {
				rest = 1
			} else if c != '0' && rest == 0 {
				rest = -1
			}
			places++
			continue
		}
		if places >= 0 {
			places++
		}
		// Asked before it is multiplied: 13 digits and six places would not fit 63 bits.
		if n > (Limit-1-int64(c-'0'))/10 {
			tooLarge = true
		} else {
			n = n*10 + int64(c-'0')
		}
	}
	if digits == 0 {
		return 0, 0, ErrNotNumber
	}
	for p := max(places, 0); p < 6; p++ {
		if n > (Limit-1)/10 {
			tooLarge = true
			break
		}
		n *= 10
	}
	if tooLarge {
		return 0, 0, ErrTooLarge
	}
	if neg {
		n = -n
	}
	return n, rest, nil
}

// MoneyLimit is the first absolute amount that is too large, in minor units. Two amounts within it never wrap.
const MoneyLimit = 1 << 62

// Add sums two quantities, whatever they are; ok is false, and the sum 0, where it is out of range.
func Add(a, b Quantity) (sum Quantity, ok bool) {
	s, fits := add(int64(a), int64(b), Limit)
	return Quantity(s), fits
}

// AddMoney sums two amounts, whatever they are; ok is false, and the sum 0, where it is out of range.
func AddMoney(a, b Money) (sum Money, ok bool) {
	s, fits := add(int64(a), int64(b), MoneyLimit)
	return Money(s), fits
}

// add is the one place where numbers are summed: ok is false where the sum wraps or reaches the limit.
func add(a, b, limit int64) (sum int64, ok bool) {
	s := a + b
	if (s > a) != (b > 0) && b != 0 || s >= limit || s <= -limit {
		return 0, false
	}
	return s, true
}

// Times is n times a quantity, n above zero; ok is false where it is out of range.
func Times(q Quantity, n int64) (product Quantity, ok bool) {
	if most := (Limit - 1) / n; int64(q) > most || int64(q) < -most {
		return 0, false
	}
	return q * Quantity(n), true
}

// Average is the unit cost of several lines together: the sum of their quantities times costs over the sum of their
// quantities, exact in between and rounded once, half a millionth away from zero.
type Average struct {
	hi, lo uint64 // sum of quantity × cost
	whole  uint64
	alike  bool // all costs so far are the same
	cost   Cost
	lines  int
}

// Add takes a line in. ok is false where it has no part in an average: a quantity or cost below zero.
func (a *Average) Add(q Quantity, c Cost) (ok bool) {
	if q < 0 || c < 0 {
		return false
	}
	a.alike = a.lines == 0 || a.alike && a.cost == c
	a.cost, a.lines = c, a.lines+1
	hi, lo := bits.Mul64(uint64(q), uint64(c))
	var carry uint64
	a.lo, carry = bits.Add64(a.lo, lo, 0)
	a.hi, _ = bits.Add64(a.hi, hi, carry)
	a.whole += uint64(q)
	return true
}

// Cost gives the average. ok is false where nothing weighs: no line, or quantities of 0 at different costs.
func (a *Average) Cost() (c Cost, ok bool) {
	if a.alike {
		return a.cost, true
	}
	if a.whole == 0 {
		return 0, false
	}
	lo, carry := bits.Add64(a.lo, a.whole/2, 0)
	n, _ := bits.Div64(a.hi+carry, lo, a.whole) // an average is not above the largest cost, so it fits
	return Cost(n), true
}

// Per shares a cost of n base units out to one of them, n above zero. Half a millionth is rounded away from zero;
// rounded tells that something was.
func (c Cost) Per(n int64) (one Cost, rounded bool) {
	half := Cost(n / 2)
	if c < 0 {
		half = -half
	}
	return (c + half) / Cost(n), c%Cost(n) != 0
}

// Abs is the absolute value.
func (q Quantity) Abs() Quantity {
	if q < 0 {
		return -q
	}
	return q
}

// String prints the shortest decimal: 12, 12.5, -0.25.
func (q Quantity) String() string { return string(AppendDecimal(nil, int64(q))) }

// String prints the shortest decimal.
func (c Cost) String() string { return string(AppendDecimal(nil, int64(c))) }

// AppendDecimal appends a number of millionths as the shortest decimal.
func AppendDecimal(b []byte, n int64) []byte {
	u := uint64(n)
	if n < 0 {
		b, u = append(b, '-'), -u
	}
	b = strconv.AppendUint(b, u/Scale, 10)
	f := u % Scale
	if f == 0 {
		return b
	}
	b = append(b, '.')
	for d := uint64(Scale / 10); f > 0; d /= 10 {
		b = append(b, byte('0'+f/d))
		f %= d
	}
	return b
}

// MarshalText prints the shortest decimal, so that quantities travel as decimal strings.
func (q Quantity) MarshalText() ([]byte, error) { return AppendDecimal(nil, int64(q)), nil }

// UnmarshalText reads what MarshalText wrote. Its errors name the value, for they go straight to people.
func (q *Quantity) UnmarshalText(b []byte) (err error) { *q, err = Parse(b); return named(b, err) }

func named(value []byte, err error) error {
	if err == ErrNotNumber {
		return fmt.Errorf("%q %w. Write digits, with a point before decimal places", value, err)
	}
	if err != nil {
		return fmt.Errorf("%q %w", value, err)
	}
	return nil
}

// MarshalText prints the shortest decimal.
func (c Cost) MarshalText() ([]byte, error) { return AppendDecimal(nil, int64(c)), nil }

// UnmarshalText reads what MarshalText wrote.
func (c *Cost) UnmarshalText(b []byte) (err error) { *c, _, err = ParseCost(b); return named(b, err) }

// Abs is the absolute value.
func (m Money) Abs() Money {
	if m < 0 {
		return -m
	}
	return m
}

// String prints the amount with two places: 1204.50, -0.05.
func (m Money) String() string { return string(m.Append(nil)) }

// Append appends the amount with two places.
func (m Money) Append(b []byte) []byte {
	u := uint64(m)
	if m < 0 {
		b, u = append(b, '-'), -u
	}
	b = strconv.AppendUint(b, u/100, 10)
	return append(b, '.', byte('0'+u/10%10), byte('0'+u%10))
}

// MarshalText prints the amount with two places.
func (m Money) MarshalText() ([]byte, error) { return m.Append(nil), nil }

// UnmarshalText reads an amount with at most two places.
func (m *Money) UnmarshalText(b []byte) error {
	q, err := Parse(b)
	if err != nil {
		return named(b, err)
	}
	if q%10_000 != 0 {
		return fmt.Errorf("%q has more than 2 decimal places", b)
	}
	*m = Money(q / 10_000)
	return nil
}

// Value is quantity × cost, rounded once, half away from zero, to minor units. The product of two numbers
// below 10^18 fits 128 bits; an amount beyond what Money holds is ErrTooLarge.
func Value(q Quantity, c Cost) (Money, error) {
	neg := (q < 0) != (c < 0)
	hi, lo := bits.Mul64(magnitude(int64(q)), magnitude(int64(c)))
	const unit = 10_000_000_000 // millionths squared in a hundredth
	if hi >= unit {
		return 0, ErrTooLarge
	}
	v, rem := bits.Div64(hi, lo, unit)
	if rem >= unit/2 {
		v++
	}
	if v >= MoneyLimit {
		return 0, ErrTooLarge
	}
	if neg {
		return -Money(v), nil
	}
	return Money(v), nil
}

// WithinPercent tells whether |part| is at most percent (in millionths of a percent) of |whole|, exactly.
func WithinPercent(part, whole, percent Quantity) bool {
	ahi, alo := bits.Mul64(magnitude(int64(part)), 100*Scale)
	bhi, blo := bits.Mul64(magnitude(int64(whole)), magnitude(int64(percent)))
	return ahi < bhi || (ahi == bhi && alo <= blo)
}

func magnitude(n int64) uint64 {
	if n < 0 {
		return -uint64(n)
	}
	return uint64(n)
}

// Ratio is 100 × part ÷ whole as a decimal with two places, half away from zero; ok is false where whole is 0.
func Ratio(part, whole int) (percent Money, ok bool) {
	if whole == 0 {
		return 0, false
	}
	hi, lo := bits.Mul64(uint64(part), 20_000)
	n, _ := bits.Div64(hi, lo+uint64(whole), 2*uint64(whole))
	return Money(n), true
}

// Share is part ÷ whole in thousandths, for drawing, whatever the two are; at most 1000, and 0 where the whole is.
func Share(part, whole int64) int64 {
	if whole <= 0 || part <= 0 {
		return 0
	}
	hi, lo := bits.Mul64(uint64(min(part, whole)), 1000)
	n, _ := bits.Div64(hi, lo, uint64(whole))
	return int64(n)
}

// FromFloatText turns the text of a number stored as binary (as workbooks do) into an exact decimal at 15
// significant digits, so that 0.30000000000000004 is 0.3. ok is false where s is no such number.
func FromFloatText(s string) (text string, ok bool) {
	if plain(s) {
		return s, true
	}
	f, err := strconv.ParseFloat(s, 64)
	if err != nil || f != f || f > 1e300 || f < -1e300 {
		return "", false
	}
	short := strconv.FormatFloat(f, 'g', 15, 64)
	r, good := new(big.Rat).SetString(short)
	if !good {
		return "", false
	}
	if f != 0 && (f < 1e-15 && f > -1e-15) {
		return short, true
	}
	places := 0
	for ten, x := big.NewRat(10, 1), new(big.Rat).Set(r); !x.IsInt() && places < 40; places++ {
		x.Mul(x, ten)
	}
	return r.FloatString(places), true
}

// plain tells whether a text is a decimal of at most fifteen digits as it is printed shortest, which a binary number keeps as it is. Nearly
// all numbers of workbooks are.
func plain(s string) bool {
	if s != "" && s[0] == '-' {
		s = s[1:]
		if s == "0" {
			return false
		}
	}
	if len(s) > 16 {
		return false
	}
	whole, places, pointed := strings.Cut(s, ".")
	digits := func(t string) bool { return t != "" && strings.Trim(t, "0123456789") == "" }
	switch {
	case !digits(whole), len(whole) > 1 && whole[0] == '0', len(whole)+len(places) > 15:
		return false
	case !pointed:
		return true
	}
	return digits(places) && places[len(places)-1] != '0'
}

// KeptByWorkbook tells whether a workbook, whose numbers are binary, keeps a plain decimal as it is: it has at most fifteen digits.
func KeptByWorkbook(text string) bool {
	return len(strings.TrimLeft(strings.Replace(strings.TrimPrefix(text, "-"), ".", "", 1), "0")) <= 15
}

// ForWorkbook gives a plain decimal that a workbook keeps as the number that is written into its cell. It is for cells alone: nothing is
// worked out with it.
func ForWorkbook(text string) float64 {
	f, _ := strconv.ParseFloat(text, 64)
	return f
}
