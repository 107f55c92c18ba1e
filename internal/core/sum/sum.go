// Package sum works out what people write where a count is wanted: a number, a sum such as 12*24+7, packs such as 3bx+5. It works on exact
// fractions; it knows nothing of items but the sizes of packs that it is told.
package sum

import (
	"fmt"
	"math/big"
	"strings"
	"unicode"
	"unicode/utf8"

	"wobin/internal/core/quantity"
)

// Packs gives how many base units one of a unit is: 1 for the item's own; known is false where it is neither that nor a pack of the item.
type Packs func(unit string) (size int64, known bool)

// Error says what is wrong with a sum: a kind, and a sentence that follows the quoted text.
type Error struct{ Kind, Text string }

func (e *Error) Error() string { return e.Text }

// The kinds of errors.
const (
	NoSum     = "not a number"
	Nothing   = "divides by nothing"
	NoPack    = "not a unit of the item"
	NotExact  = "no exact decimal places"
	TooLarge  = "too large"
	Ambiguous = "comma may be decimal or not"
)

// Longest is how long a sum may be, in bytes.
const Longest = 200

func wrong(kind, format string, args ...any) error { return &Error{kind, fmt.Sprintf(format, args...)} }

// Is tells whether a text is more than a number: a sum, or a number with a unit.
func Is(text string) bool {
	if len(text) > Longest || !strings.ContainsAny(text, "0123456789") {
		return false
	}
	bare := strings.TrimLeft(text, "-−+ ")
	return strings.ContainsAny(bare, "+*×/()") || strings.ContainsFunc(bare, unicode.IsLetter)
}

// Of works a text out. decimal is the sign before decimal places where it is settled; where it is "" a comma is read as one wherever it
// cannot part thousands. packs may be nil.
func Of(text, decimal string, packs Packs) (quantity.Quantity, error) {
	if len(text) > Longest {
		return 0, wrong(NoSum, "is too long for a sum")
	}
	p := &parser{rest: strings.TrimSpace(text), decimal: decimal, packs: packs}
	p.rest = strings.TrimSpace(strings.TrimPrefix(p.rest, "="))
	value, err := p.sum(0)
	if err == nil && p.rest != "" {
		err = wrong(NoSum, "is no sum: nothing is known to be meant by %q", p.rest)
	}
	if err != nil {
		return 0, err
	}
	plain := value.FloatString(6)
	back, _ := new(big.Rat).SetString(plain)
	if back.Cmp(value) != 0 {
		return 0, wrong(NotExact, "comes to no number of at most six decimal places")
	}
	q, err := quantity.Parse(plain)
	if err != nil {
		return 0, wrong(TooLarge, "is too large")
	}
	return q, nil
}

type parser struct {
	rest    string
	decimal string
	packs   Packs
}

// next gives the sign that comes next, without taking it; 0 at the end.
func (p *parser) next() rune {
	p.rest = strings.TrimLeftFunc(p.rest, unicode.IsSpace)
	if p.rest == "" {
		return 0
	}
	r, _ := utf8.DecodeRuneInString(p.rest)
	return r
}

func (p *parser) take(r rune) { p.rest = p.rest[utf8.RuneLen(r):] }

const deepest = 20

func (p *parser) sum(depth int) (*big.Rat, error) {
	if depth > deepest {
		return nil, wrong(NoSum, "has too many brackets")
	}
	value, err := p.product(depth)
	for err == nil {
		r := p.next()
		if r != '+' && r != '-' && r != '−' {
			break
		}
		p.take(r)
		var more *big.Rat
		if more, err = p.product(depth); err == nil {
			if r == '+' {
				value.Add(value, more)
			} else {
				value.Sub(value, more)
			}
		}
	}
	return value, err
}

func (p *parser) product(depth int) (*big.Rat, error) {
	value, err := p.factor(depth)
	for err == nil {
		r := p.next()
		by := r == '/' || r == ':'
		if !by && r != '*' && r != '×' && r != 'x' && r != 'X' {
			break
		}
		p.take(r)
		var more *big.Rat
		if more, err = p.factor(depth); err != nil {
			break
		}
		switch {
		case !by:
			value.Mul(value, more)
		case more.Sign() == 0:
			err = wrong(Nothing, "divides by nothing")
		default:
			value.Quo(value, more)
		}
	}
	return value, err
}

func (p *parser) factor(depth int) (*big.Rat, error) {
	switch r := p.next(); {
	case r == '-' || r == '−':
		p.take(r)
		if depth > deepest {
			return nil, wrong(NoSum, "has too many signs")
		}
		value, err := p.factor(depth + 1)
		if err != nil {
			return nil, err
		}
		return value.Neg(value), nil
	case r == '(':
		p.take(r)
		value, err := p.sum(depth + 1)
		if err != nil {
			return nil, err
		}
		if p.next() != ')' {
			return nil, wrong(NoSum, "is no sum: a bracket is not closed")
		}
		p.take(')')
		return value, nil
	case r >= '0' && r <= '9' || r == '.':
		return p.number()
	case r == 0:
		return nil, wrong(NoSum, "is no sum: a number is missing at its end")
	default:
		return nil, wrong(NoSum, "is no sum: a number is missing before %q", p.rest)
	}
}

// number reads a number, and the unit behind it.
func (p *parser) number() (*big.Rat, error) {
	end := strings.IndexFunc(p.rest, func(r rune) bool { return (r < '0' || r > '9') && r != '.' && r != ',' })
	if end < 0 {
		end = len(p.rest)
	}
	text := p.rest[:end]
	p.rest = p.rest[end:]
	plain, err := p.plain(text)
	if err != nil {
		return nil, err
	}
	value, ok := new(big.Rat).SetString(plain)
	if !ok {
		return nil, wrong(NoSum, "is no sum: %q is not a number", text)
	}
	unit := p.unit()
	if unit == "" {
		return value, nil
	}
	if p.packs == nil {
		return nil, wrong(NoPack, "names %s, and no packs are known here", unit)
	}
	size, known := p.packs(unit)
	if !known || size <= 0 {
		return nil, wrong(NoPack, "names %s, which is neither the item's unit nor one of its packs", unit)
	}
	return value.Mul(value, new(big.Rat).SetInt64(size)), nil
}

// plain writes a number with a point before its decimal places.
func (p *parser) plain(text string) (string, error) {
	points, commas := strings.Count(text, "."), strings.Count(text, ",")
	switch {
	case p.decimal == "," && points == 0 && commas <= 1:
		return strings.Replace(text, ",", ".", 1), nil
	case commas == 0 && points <= 1 && p.decimal != ",":
		return text, nil
	case p.decimal == "" && commas == 1 && points == 0:
		whole, places, _ := strings.Cut(text, ",")
		if len(places) == 3 && len(whole) >= 1 && len(whole) <= 3 && whole != "0" {
			return "", wrong(Ambiguous, "may be %s.%s or %s%s. Write one of these", whole, places, whole, places)
		}
		return whole + "." + places, nil
	}
	return "", wrong(NoSum, "is no sum: write %q without signs between thousands", text)
}

// unit takes the unit behind a number: letters, but an x between two numbers.
func (p *parser) unit() string {
	p.next()
	end := strings.IndexFunc(p.rest, func(r rune) bool { return !unicode.IsLetter(r) && r != '²' && r != '³' })
	if end < 0 {
		end = len(p.rest)
	}
	word := p.rest[:end]
	if strings.EqualFold(word, "x") {
		if after := strings.TrimLeftFunc(p.rest[end:], unicode.IsSpace); after != "" && strings.ContainsRune("0123456789.(", rune(after[0])) {
			return ""
		}
	}
	p.rest = strings.TrimPrefix(p.rest[end:], ".") // ctn.
	return word
}
