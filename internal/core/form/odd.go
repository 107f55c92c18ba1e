package form

import (
	"math/big"
	"regexp"
	"strings"
)

// Kinds of problems of cells that hold more or less than one number, each with a remedy of its own.
const (
	SignForNothing    = "sign for nothing"
	Fraction          = "fraction"
	SumInCell         = "sum in the cell"
	SeveralQuantities = "several quantities in the cell"
)

// nothings are the texts that stand where a number could and say that there is none, or that it is 0.
var nothings = []string{"-", "--", "---", "–", "—", "none", "nil", "null", "n/a", "na", "n.a.", "nan", "zero", "keine", "kein", "aucun", "geen", "ninguno"}

// nothing tells whether a text stands for nothing.
func nothing(s string) bool {
	return Within(nothings, strings.Trim(strings.TrimSpace(s), "<>()[]"))
}

var (
	number    = `[-\x{2212}]?\d[\d.,']*`
	fraction  = regexp.MustCompile(`^(-?)\s*(?:(\d+)[ \x{a0}]*)?(?:([½¼¾⅓⅔⅛⅜⅝⅞])|[ -](\d)/(\d{1,2}))$`)
	calc      = regexp.MustCompile(`^=?\s*` + number + `(?:\s*\+\s*` + number + `)+$|^=?\s*` + number + `\s*[x×*]\s*` + number + `$`)
	several   = regexp.MustCompile(`(?i)^` + number + `\s*[\pL.]+(?:\s*(?:[/+,;&|]|and|und|et|en|y|\s)\s*` + number + `\s*[\pL.]*)+$`)
	quantity1 = regexp.MustCompile(`(` + number + `)\s*([\pL.]*)`)
)

var signs = map[string][2]int64{"½": {1, 2}, "¼": {1, 4}, "¾": {3, 4}, "⅓": {1, 3}, "⅔": {2, 3}, "⅛": {1, 8}, "⅜": {3, 8}, "⅝": {5, 8}, "⅞": {7, 8}}

// odd reads a cell that is no plain number, by what was settled about such cells. kind is that of the problem where nothing was settled;
// it is empty where the cell was read; ok is false where the cell is none of these.
func (n *Numbers) odd(s, decimal string) (plain, kind, text string, ok bool) {
	s = strings.TrimSpace(s)
	if len(s) > 64 {
		return "", "", "", false
	}
	switch {
	case nothing(s):
		if Within(n.Zero, s) {
			return "0", "", "", true
		}
		return "", SignForNothing, "is not a number: it may stand for 0, or for an empty cell", true
	case fraction.MatchString(s):
		plain, exact := readFraction(s)
		if !exact {
			return "", Fraction, "is not a number: the fraction has no exact decimal places", true
		}
		if n.Fractions {
			return plain, "", "", true
		}
		return "", Fraction, "is not a number: it is written as a fraction", true
	case calc.MatchString(s):
		plain, sound := calculate(s, decimal)
		switch {
		case !sound:
			return "", "", "", false
		case n.Sums:
			return plain, "", "", true
		}
		return "", SumInCell, "is not a number: it is one that has to be worked out", true
	case several.MatchString(s):
		parts := n.Several(s)
		if len(parts) < 2 {
			return "", "", "", false
		}
		if n.Parts == "whole" && !Within(PackSigns, parts[0].Sign) {
			return parts[0].Plain, "", "", true
		}
		return "", SeveralQuantities, "is not a number: it holds several, each with its unit", true
	}
	return "", "", "", false
}

// Part is one of several quantities in a cell: a plain decimal and its unit, which may be empty.
type Part struct{ Plain, Sign string }

// Several parts a cell such as 79 EA / 3 CS; nil where a part of it cannot be read.
func (n *Numbers) Several(s string) (out []Part) {
	decimal := n.Decimal
	if decimal == "" {
		decimal = "."
	}
	for _, m := range quantity1.FindAllStringSubmatch(s, -1) {
		w, ok := TakeApart(strings.TrimRight(m[1], ".,'"))
		if !ok {
			return nil
		}
		plain, ok := w.Plain(decimal)
		if !ok {
			return nil
		}
		out = append(out, Part{plain, strings.TrimRight(m[2], ".")})
	}
	return out
}

// readFraction reads 3½, 3 1/2 and ½; exact is false where it has no exact decimal places.
func readFraction(s string) (plain string, exact bool) {
	m := fraction.FindStringSubmatch(s)
	r := new(big.Rat)
	if m[2] != "" {
		r.SetString(m[2])
	}
	if p, is := signs[m[3]]; is {
		r.Add(r, big.NewRat(p[0], p[1]))
	} else {
		over, under := new(big.Int), new(big.Int)
		over.SetString(m[4], 10)
		under.SetString(m[5], 10)
		if under.Sign() == 0 || over.Cmp(under) >= 0 {
			return "", false
		}
		r.Add(r, new(big.Rat).SetFrac(over, under))
	}
	if m[1] != "" {
		r.Neg(r)
	}
	return decimals(r)
}

// calculate works out 12+5 and 3x24.
func calculate(s, decimal string) (plain string, ok bool) {
	s = strings.TrimSpace(strings.TrimPrefix(s, "="))
	sum := strings.Contains(s, "+")
	out := new(big.Rat)
	if !sum {
		out.SetInt64(1)
	}
	for _, part := range strings.FieldsFunc(s, func(r rune) bool { return strings.ContainsRune("+x×*", r) }) {
		w, is := TakeApart(part)
		if !is || w.Sign != "" {
			return "", false
		}
		p, is := w.Plain(decimal)
		r, sound := new(big.Rat).SetString(p)
		if !is || !sound {
			return "", false
		}
		if sum {
			out.Add(out, r)
		} else {
			out.Mul(out, r)
		}
	}
	return decimals(out)
}

// decimals writes a number of at most six places exactly.
func decimals(r *big.Rat) (plain string, exact bool) {
	s := r.FloatString(6)
	back, ok := new(big.Rat).SetString(s)
	if !ok || back.Cmp(r) != 0 {
		return "", false
	}
	return strings.TrimSuffix(strings.TrimRight(s, "0"), "."), true
}

// Figure tells whether a cell holds a number, or something that stands for one: a fraction, a sum, several quantities, a dash.
func Figure(s string) bool {
	if _, ok := TakeApart(s); ok {
		return true
	}
	_, kind, _, ok := new(Numbers).odd(s, ".")
	return ok && (kind != SignForNothing || strings.Trim(s, " -–—") == "")
}
