// Package form reads numbers, dates and times as people and programs write them. The form of a column is settled once for all of its
// values, from what they tell together; then each of them has one reading, or none. It knows nothing of tables.
package form

import (
	"bytes"
	"fmt"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"wobin/internal/core/field"
	"wobin/internal/core/quantity"
)

// Numbers is the form of a column's numbers. It is settled once for the whole column, never cell by cell.
type Numbers struct {
	Decimal string   `json:"decimal,omitempty" maxLength:"1" doc:"the sign before decimal places: a point or a comma"`
	Signs   []string `json:"signs,omitempty" doc:"units and currencies that may stand beside the number and are left away"`
	Below   []string `json:"below,omitempty" doc:"signs beside a number that mean below zero, such as CR"`
	Letters bool     `json:"letters,omitempty" doc:"O, I and l beside digits are the digits that they are typed for"`
	Minus   bool     `json:"minus,omitempty" doc:"a minus may stand at the end, and brackets mean below zero"`
	Zero    []string `json:"zero,omitempty" doc:"texts that stand for 0, such as -"`
	// What cells that hold no plain number are read as.
	Fractions bool   `json:"fractions,omitempty" doc:"3½ and 3 1/2 are 3.5"`
	Sums      bool   `json:"sums,omitempty" doc:"12+5 is 17, and 3x24 is 72"`
	Parts     string `json:"parts,omitempty" enum:"whole,add" doc:"a cell that holds several quantities, such as 79 EA / 3 CS: the first is the whole, or they are added up, packs by what they hold"`
}

// Merge lays what was settled later over n.
func (n *Numbers) Merge(top *Numbers) {
	if top.Decimal != "" {
		n.Decimal = top.Decimal
	}
	if top.Parts != "" {
		n.Parts = top.Parts
	}
	n.Letters, n.Minus = n.Letters || top.Letters, n.Minus || top.Minus
	n.Fractions, n.Sums = n.Fractions || top.Fractions, n.Sums || top.Sums
	n.Signs, n.Below, n.Zero = Further(n.Signs, top.Signs), Further(n.Below, top.Below), Further(n.Zero, top.Zero)
}

// Further gives texts with further ones, each once.
func Further(texts, more []string) []string {
	out := slices.Clone(texts)
	for _, s := range more {
		if !slices.Contains(out, s) {
			out = append(out, s)
		}
	}
	return out
}

// written is a number taken apart: what stands around it and its digits with their separators.
type written struct {
	Core     string
	Negative bool
	Sign     string // a unit or currency
	end      bool   // the minus stands at the end, or brackets for it
}

// minuses are the signs that people and programs write for a minus.
const minuses = "-\u2212\u2013"

// TakeApart finds the number in a cell. ok is false where there is none, or more than one.
func TakeApart(s string) (w written, ok bool) {
	trim := func(t string) string {
		return strings.TrimFunc(t, func(r rune) bool { return unicode.IsSpace(r) || r == '\u200b' || r == '\ufeff' || r == '\u00a0' })
	}
	s = trim(s)
	if len(s) > 64 || !strings.ContainsAny(s, "0123456789") {
		return w, false
	}
	if strings.HasPrefix(s, "(") && strings.HasSuffix(s, ")") {
		w.Negative, w.end, s = true, true, trim(s[1:len(s)-1])
	}
	first := strings.IndexAny(s, "0123456789")
	last := strings.LastIndexAny(s, "0123456789")
	if first > 0 && (s[first-1] == '.' || s[first-1] == ',') && (first == 1 || !isWordByte(s[first-2])) {
		first--
	}
	head, core, tail := trim(s[:first]), s[first:last+1], trim(s[last+1:])
	if strings.HasPrefix(tail, ".") || strings.HasPrefix(tail, ",") { // "5." and "5,"
		core, tail = core+tail[:1], trim(tail[1:])
	}
	cutMinus := func(t string) (string, bool) {
		r, n := utf8.DecodeRuneInString(t)
		if t != "" && strings.ContainsRune(minuses, r) {
			return trim(t[n:]), true
		}
		r, n = utf8.DecodeLastRuneInString(t)
		if t != "" && strings.ContainsRune(minuses, r) {
			return trim(t[:len(t)-n]), true
		}
		return t, false
	}
	minus := false
	if head, minus = cutMinus(head); minus {
		if w.Negative {
			return w, false
		}
		w.Negative = true
	}
	if r, n := utf8.DecodeRuneInString(tail); tail != "" && strings.ContainsRune(minuses, r) && len(tail) > n && isWordByte(tail[n]) {
		return w, false // 12-Mar is no number with a minus behind it
	}
	if tail == "+" && !w.Negative && head == "" { // as a minus at the end
		w.end, tail = true, ""
	}
	if tail, minus = cutMinus(tail); minus {
		if w.Negative {
			return w, false
		}
		w.Negative, w.end = true, true
	}
	head = strings.TrimPrefix(head, "+")
	head = strings.TrimPrefix(head, "'") // the mark that makes text of a number
	if head != "" && tail != "" {
		return w, false
	}
	w.Sign = head + tail
	for _, r := range w.Sign {
		if !unicode.IsLetter(r) && !unicode.Is(unicode.Sc, r) && r != '.' && r != '²' && r != '³' && r != '%' && r != '/' && r != ' ' {
			return w, false
		}
	}
	if w.Sign == "%" || len(w.Sign) > 16 {
		return w, false
	}
	for _, r := range core {
		if (r < '0' || r > '9') && !isSeparator(r) {
			return w, false
		}
	}
	w.Core = core
	return w, true
}

func isWordByte(c byte) bool { return c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' }

func isSeparator(r rune) bool {
	return r == '.' || r == ',' || r == '\'' || r == '’' || r == ' ' || r == '\u00a0' || r == '\u202f' || r == '\u2009'
}

// Plain gives the number as digits with a point. The other separators must part groups of three (in the last place;
// two or three before it, as some countries write).
func (w written) Plain(decimal string) (string, bool) {
	whole, places := w.Core, ""
	if i := strings.LastIndex(w.Core, decimal); i >= 0 {
		whole, places = w.Core[:i], w.Core[i+len(decimal):]
		if strings.Contains(whole, decimal) {
			return "", false
		}
	}
	if strings.ContainsFunc(places, isSeparator) {
		return "", false
	}
	groups := strings.FieldsFunc(whole, isSeparator)
	if len(groups) > 1 {
		sep := ""
		for _, r := range whole {
			if isSeparator(r) {
				if sep != "" && sep != string(r) {
					return "", false
				}
				sep = string(r)
			}
		}
		for i, g := range groups {
			if i == 0 && (len(g) > 3 || len(g) == 0) || i == len(groups)-1 && len(g) != 3 ||
				i > 0 && i < len(groups)-1 && len(g) != 3 && len(g) != 2 {
				return "", false
			}
		}
		if strings.Count(whole, sep) != len(groups)-1 {
			return "", false
		}
	} else if strings.ContainsFunc(whole, isSeparator) {
		return "", false
	}
	out := strings.Join(groups, "")
	if out == "" && places == "" {
		return "", false
	}
	if w.Negative {
		out = "-" + out
	}
	if places != "" {
		out += "." + places
	}
	return out, true
}

// Evidence is what a column's values tell of its decimal sign.
type Evidence struct {
	Point, Comma, even int
	plain              int    // numbers without a separator
	Example            string // of the even ones
	says               [2]string
}

// Add takes one number in. It is called for every number with a separator, so it makes nothing that it need not.
func (e *Evidence) Add(core []byte) {
	p, c := bytes.Count(core, []byte{'.'}), bytes.Count(core, []byte{','})
	switch {
	case p == 0 && c == 0:
		e.plain++
	case p > 0 && c > 0:
		e.vote(bytes.LastIndexByte(core, '.') > bytes.LastIndexByte(core, ','), core)
	case p > 1:
		e.vote(false, core)
	case c > 1:
		e.vote(true, core)
	default:
		at := bytes.IndexAny(core, ".,")
		head, tail := core[:at], core[at+1:]
		if len(tail) == 3 && len(head) >= 1 && len(head) <= 3 && head[0] != '0' {
			if e.even++; e.Example == "" {
				e.Example = string(core)
			}
			return
		}
		e.vote(p == 1, core)
	}
}

func (e *Evidence) vote(point bool, core []byte) {
	n, says := &e.Comma, &e.says[1]
	if point {
		n, says = &e.Point, &e.says[0]
	}
	if *n++; *says == "" {
		*says = string(core)
	}
}

// Decide gives the decimal sign that all values of a column come to, and why. sure is false where the evidence is
// even, or there is none and it matters.
func (e *Evidence) Decide() (decimal, why string, sure bool) {
	switch {
	case e.Point > e.Comma:
		return ".", fmt.Sprintf("the decimal sign is a point, as in %s", e.says[0]), true
	case e.Comma > e.Point:
		return ",", fmt.Sprintf("the decimal sign is a comma, as in %s", e.says[1]), true
	case e.Point > 0:
		return ".", fmt.Sprintf("as many numbers say point (%s) as say comma (%s)", e.says[0], e.says[1]), false
	case e.even > 0:
		return ".", fmt.Sprintf("%s may be thousands or decimal places", e.Example), false
	}
	return ".", "", true
}

// Parse reads a number of a column into millionths. problem is its kind where it cannot be read, fixable what would
// have to be let pass to read it.
func (n *Numbers) Parse(s string) (plain string, problem, text string) {
	decimal := n.Decimal
	if decimal == "" {
		decimal = "."
	}
	if digits, had := lettersAsDigits(s); had {
		if w, ok := TakeApart(digits); ok && w.Sign == "" {
			if plain, ok := w.Plain(decimal); ok {
				if n.Letters {
					return plain, "", ""
				}
				return plain, "letters for digits", "is not a number: a letter stands where a digit was meant"
			}
		}
	}
	w, ok := TakeApart(s)
	if !ok {
		if plain, problem, text, is := n.odd(s, decimal); is {
			return plain, problem, text
		}
		return "", "not a number", "is not a number"
	}
	if plain, ok = w.Plain(decimal); !ok {
		other := map[string]string{".": ",", ",": "."}[decimal]
		if _, ok := w.Plain(other); ok {
			return "", "other number form", fmt.Sprintf(
				"is not a number where the decimal sign is a %s, as the column's other numbers say",
				SignName(decimal),
			)
		}
		return "", "not a number", "is not a number"
	}
	switch {
	case w.Sign == "" || n.Lets(w.Sign):
	case Within(n.Below, w.Sign):
		if plain = strings.TrimPrefix(plain, "-"); !w.Negative {
			plain = "-" + plain
		}
	case Within(PackSigns, w.Sign):
		return plain, "unit or currency sign", fmt.Sprintf(
			"is not a number: %q beside it may be a pack of several. Give the item its pack first, or write the quantity in its own unit",
			w.Sign,
		)
	case Within(CreditSigns, w.Sign):
		return plain, "unit or currency sign", fmt.Sprintf("is not a number: %q beside it may mean below zero", w.Sign)
	default:
		return plain, "unit or currency sign", fmt.Sprintf("is not a number: %q stands beside it", w.Sign)
	}
	if w.end && !n.Minus {
		return plain, "minus at the end or brackets", "is not a number: its minus stands at the end, or brackets stand for it"
	}
	return plain, "", ""
}

// lettersAsDigits reads O, I and l as digits where nothing but digits and separators stands beside them.
func lettersAsDigits(s string) (digits string, had bool) {
	if !strings.ContainsAny(s, "0123456789") {
		return "", false
	}
	digits = strings.Map(func(r rune) rune {
		switch r {
		case 'O', 'o':
			had = true
			return '0'
		case 'I', 'l':
			had = true
			return '1'
		}
		return r
	}, s)
	return digits, had && !strings.ContainsFunc(digits, unicode.IsLetter)
}

// Lets tells whether a sign may stand beside a number and is left away.
func (n *Numbers) Lets(sign string) bool { return Within(n.Signs, sign) }

// Within tells whether a sign is among some, without regard to case and a point at its end.
func Within(signs []string, sign string) bool {
	return slices.ContainsFunc(
		signs,
		func(s string) bool { return strings.EqualFold(strings.TrimRight(s, "."), strings.TrimRight(sign, ".")) },
	)
}

// Signs beside numbers that must not simply be left away: packs would lose their contents, credits their direction.
var (
	PackSigns = field.Words(
		"bx, box, boxes, cs, case, cases, ctn, carton, cartons, pk, pack, packs, pkg, pal, plt, pallet, pallets, dz, doz, dozen, outer, tray, crate, bag, bags, drum, kt, kart, karton, vpe, palette, colis, caja, cajas, doos",
	)
	CreditSigns = field.Words("cr, dr, credit, debit, haben, soll")
)

// SignName is a decimal sign in words.
func SignName(decimal string) string {
	if decimal == "," {
		return "comma"
	}
	return "point"
}

// NumberKind is the kind of problem that a number's error is.
func NumberKind(err error) string {
	switch err {
	case quantity.ErrPlaces:
		return "too many places"
	case quantity.ErrTooLarge:
		return "too large"
	}
	return "not a number"
}

// Join takes in what another reader of the same column saw further down.
func (e *Evidence) Join(o *Evidence) {
	e.Point, e.Comma, e.even, e.plain = e.Point+o.Point, e.Comma+o.Comma, e.even+o.even, e.plain+o.plain
	if e.Example == "" {
		e.Example = o.Example
	}
	for i := range e.says {
		if e.says[i] == "" {
			e.says[i] = o.says[i]
		}
	}
}
