// Package barcode understands what a scanner sends: a GTIN by itself, GS1 element strings (GS1 General Specifications, section 3), with or
// without the symbology identifier before them, and GS1 Digital Link addresses. It knows nothing of items.
package barcode

import (
	"fmt"
	"net/url"
	"strings"
	"time"

	"wobin/internal/core/quantity"
)

// Scan is what a scanned text says. What it does not say is empty.
type Scan struct {
	GTIN     string // fourteen digits
	Content  bool   // the GTIN is that of the contained trade items (02), not of what was scanned itself
	Lot      string
	Serial   string
	Made     time.Time // dates are days in UTC
	Best     time.Time
	Expiry   time.Time
	Quantity quantity.Quantity
	Counted  bool   // Quantity is given
	Unit     string // of it: kg for a net weight, m for a length; empty for pieces
}

// Error says what is wrong with a scanned text, in words that follow its quotation.
type Error struct{ Text string }

func (e *Error) Error() string { return e.Text }

func wrong(format string, args ...any) error { return &Error{fmt.Sprintf(format, args...)} }

// separator is FNC1 as scanners send it.
const separator = '\x1d'

// GTIN gives a GTIN of 8, 12, 13 or 14 digits as fourteen; ok is false where it is none, or its check digit is wrong.
func GTIN(text string) (gtin string, ok bool) {
	switch len(text) {
	case 8, 12, 13, 14:
	default:
		return "", false
	}
	sum := 0
	for i := range len(text) {
		c := text[len(text)-1-i]
		if c < '0' || c > '9' {
			return "", false
		}
		if n := int(c - '0'); i%2 == 1 {
			sum += 3 * n
		} else {
			sum += n
		}
	}
	return strings.Repeat("0", 14-len(text)) + text, sum%10 == 0
}

// Read understands a scanned text. is is false where it is none of these forms, so that it may be a code of another kind; where it is, err
// says what is wrong with it. year is the year in which it was scanned: the two digits of years in it are those of the nearest century.
func Read(text string, year int) (s Scan, is bool, err error) {
	text = strings.TrimSpace(text)
	for _, symbology := range []string{"]C1", "]e0", "]d2", "]Q3", "]J1"} {
		if rest, has := strings.CutPrefix(text, symbology); has {
			s, err = elements(strings.TrimPrefix(rest, string(separator)), year)
			return s, true, err
		}
	}
	if len(text) > 3 && text[0] == ']' && text[1] == 'E' { // EAN and UPC
		text = text[3:]
	}
	if gtin, ok := GTIN(text); ok {
		return Scan{GTIN: gtin}, true, nil
	}
	switch {
	case strings.HasPrefix(text, "http://"), strings.HasPrefix(text, "https://"):
		return link(text, year)
	case strings.HasPrefix(text, "("):
		plain, ok := bracketed(text)
		if !ok {
			return s, false, nil
		}
		s, err = elements(plain, year)
		return s, true, err
	case strings.ContainsRune(text, separator):
		s, err = elements(strings.TrimPrefix(text, string(separator)), year)
		return s, true, err
	case len(text) > 16 && (text[:2] == "01" || text[:2] == "02"):
		if _, ok := GTIN(text[2:16]); !ok { // any long code may begin so
			return s, false, nil
		}
		s, err = elements(text, year)
		return s, true, err
	}
	return s, false, nil
}

// element is an application identifier: how long what follows it is. least is most where the length is fixed.
type element struct {
	least, most int
	fixed       bool // it needs no separator behind it
}

// known are the identifiers whose lengths are known, by their first digits (General Specifications, figures 3.2-1 and 7.8.5-2).
var known = map[string]element{
	"00": {18, 18, true}, "01": {14, 14, true}, "02": {14, 14, true}, "10": {1, 20, false}, "11": {6, 6, true}, "12": {6, 6, true},
	"13": {6, 6, true}, "15": {6, 6, true}, "16": {6, 6, true}, "17": {6, 6, true}, "20": {2, 2, true}, "21": {1, 20, false},
	"22": {1, 20, false}, "30": {1, 8, false}, "37": {1, 8, false}, "240": {1, 30, false}, "241": {1, 30, false}, "250": {1, 30, false},
	"400": {1, 30, false}, "410": {13, 13, true}, "414": {13, 13, true}, "420": {1, 20, false},
}

// elements reads an element string.
func elements(text string, year int) (s Scan, err error) {
	if text == "" {
		return s, wrong("is empty")
	}
	for text != "" {
		ai, e, ok := identifier(text)
		if !ok {
			return s, wrong("holds an identifier that is not known, at %q", short(text))
		}
		rest := text[len(ai):]
		end := strings.IndexRune(rest, separator)
		if e.fixed {
			if len(rest) < e.most || end >= 0 && end < e.most {
				return s, wrong("breaks off in (%s)", ai)
			}
			end = e.most
		} else if end < 0 {
			end = len(rest)
		}
		value := rest[:end]
		if len(value) < e.least || len(value) > e.most {
			return s, wrong("has %d signs in (%s), which has %d to %d", len(value), ai, e.least, e.most)
		}
		if err := s.take(ai, value, year); err != nil {
			return s, err
		}
		text = strings.TrimPrefix(rest[end:], string(separator))
	}
	return s, nil
}

func short(text string) string {
	if len(text) > 12 {
		return text[:12] + "…"
	}
	return text
}

// identifier finds the application identifier that a text begins with.
func identifier(text string) (ai string, e element, ok bool) {
	if len(text) >= 4 && text[0] == '3' && text[1] >= '1' && text[1] <= '6' { // measures, with the place of the decimal point behind them
		if strings.Trim(text[:4], "0123456789") == "" {
			return text[:4], element{6, 6, true}, true
		}
		return "", e, false
	}
	for _, n := range []int{2, 3} {
		if len(text) >= n {
			if e, ok := known[text[:n]]; ok {
				return text[:n], e, true
			}
		}
	}
	return "", e, false
}

// take notes what an element says. What says the same thing twice and otherwise is an error.
func (s *Scan) take(ai, value string, year int) (err error) {
	text := func(into *string) error {
		if *into != "" && *into != value {
			return wrong("says (%s) twice, %q and %q", ai, *into, value)
		}
		*into = value
		return nil
	}
	date := func(into *time.Time) error {
		*into, err = day(value, year)
		if err != nil {
			return wrong("has %q in (%s), which is no date", value, ai)
		}
		return nil
	}
	count := func(q quantity.Quantity, unit string) error {
		if s.Counted && (s.Quantity != q || s.Unit != unit) {
			return wrong("says two quantities")
		}
		s.Quantity, s.Unit, s.Counted = q, unit, true
		return nil
	}
	switch ai {
	case "01", "02":
		gtin, ok := GTIN(value)
		if !ok {
			return wrong("has a GTIN whose check digit is wrong, %q", value)
		}
		value, s.Content = gtin, ai == "02"
		return text(&s.GTIN)
	case "10":
		return text(&s.Lot)
	case "21":
		return text(&s.Serial)
	case "11":
		return date(&s.Made)
	case "15":
		return date(&s.Best)
	case "17":
		return date(&s.Expiry)
	case "30", "37":
		q, err := quantity.Parse(value)
		if err != nil || strings.Trim(value, "0123456789") != "" {
			return wrong("has %q in (%s), which is no number", value, ai)
		}
		return count(q, "")
	}
	if unit := map[string]string{"310": "kg", "311": "m", "314": "m²", "315": "l", "316": "m³"}[ai[:min(len(ai), 3)]]; unit != "" && len(ai) == 4 {
		places := int(ai[3] - '0')
		if strings.Trim(value, "0123456789") != "" || places > 6 {
			return wrong("has %q in (%s), which is no measure", value, ai)
		}
		q, err := quantity.Parse(value[:6-places] + "." + value[6-places:] + "0")
		if places == 6 {
			q, err = quantity.Parse("0." + value)
		}
		if err != nil {
			return wrong("has %q in (%s), which is no measure", value, ai)
		}
		return count(q, unit)
	}
	return nil // it says something that nobody counts by
}

// day reads YYMMDD; a day of 00 is the last of the month (General Specifications, 3.4), and the century is the one nearest to the year
// (7.12).
func day(text string, year int) (time.Time, error) {
	if len(text) != 6 || strings.Trim(text, "0123456789") != "" {
		return time.Time{}, fmt.Errorf("no date")
	}
	two := func(at int) int { return int(text[at]-'0')*10 + int(text[at+1]-'0') }
	y := year - year%100 + two(0)
	switch off := two(0) - year%100; {
	case off >= 51:
		y -= 100
	case off <= -50:
		y += 100
	}
	m, d := two(2), two(4)
	if m < 1 || m > 12 {
		return time.Time{}, fmt.Errorf("no month")
	}
	if d == 0 {
		return time.Date(y, time.Month(m)+1, 0, 0, 0, 0, 0, time.UTC), nil
	}
	t := time.Date(y, time.Month(m), d, 0, 0, 0, 0, time.UTC)
	if t.Day() != d {
		return time.Time{}, fmt.Errorf("no day")
	}
	return t, nil
}

// bracketed turns (01)09501101530003(10)AB into an element string.
func bracketed(text string) (plain string, ok bool) {
	var b strings.Builder
	for text != "" {
		head, rest, found := strings.Cut(strings.TrimPrefix(text, "("), ")")
		if text[0] != '(' || !found || len(head) < 2 || len(head) > 4 || strings.Trim(head, "0123456789") != "" {
			return "", false
		}
		next := strings.Index(rest, "(")
		for next >= 0 && !begins(rest[next:]) {
			more := strings.Index(rest[next+1:], "(")
			if more < 0 {
				next = -1
				break
			}
			next += 1 + more
		}
		value := rest
		if text = ""; next >= 0 {
			value, text = rest[:next], rest[next:]
		}
		b.WriteString(head + value)
		if _, e, known := identifier(head + "0000"); text != "" && (!known || !e.fixed) {
			b.WriteRune(separator)
		}
	}
	return b.String(), true
}

// begins tells whether a bracket is that of an identifier.
func begins(text string) bool {
	head, _, found := strings.Cut(text[1:], ")")
	return found && len(head) >= 2 && len(head) <= 4 && strings.Trim(head, "0123456789") == ""
}

// link reads a GS1 Digital Link: identifiers and values one after the other in the path, and more of them behind the question mark.
func link(text string, year int) (s Scan, is bool, err error) {
	u, err := url.Parse(text)
	if err != nil {
		return s, false, nil
	}
	parts := strings.Split(strings.Trim(u.EscapedPath(), "/"), "/")
	at := -1
	for i := 0; i+1 < len(parts); i++ {
		if parts[i] == "01" || parts[i] == "gtin" {
			at = i
			break
		}
	}
	if at < 0 {
		return s, false, nil
	}
	names := map[string]string{"gtin": "01", "lot": "10", "ser": "21", "cpv": "22"}
	take := func(ai, value string) error {
		if full := names[ai]; full != "" {
			ai = full
		}
		if ai == "01" {
			if gtin, ok := GTIN(value); ok {
				value = gtin
			}
		}
		found, e, ok := identifier(ai + "0000")
		if !ok || found != ai {
			return nil // what is no identifier is the address's own
		}
		if len(value) < e.least || len(value) > e.most {
			return wrong("has %d signs in (%s), which has %d to %d", len(value), ai, e.least, e.most)
		}
		return s.take(ai, value, year)
	}
	for i := at; i+1 < len(parts); i += 2 {
		value, err := url.PathUnescape(parts[i+1])
		if err != nil {
			return s, true, wrong("is an address that cannot be read")
		}
		if err := take(parts[i], value); err != nil {
			return s, true, err
		}
	}
	for ai, values := range u.Query() {
		for _, v := range values {
			if err := take(ai, v); err != nil {
				return s, true, err
			}
		}
	}
	return s, true, nil
}
