package formula

import (
	"math/big"
	"strings"
	"time"
)

// dateForms are the runs of letters of a date's or time's pattern (OpenFormula's TEXT, as far as it is plain).
var dateForms = map[string]string{
	"yy": "06", "yyyy": "2006", "m": "1", "mm": "01", "mmm": "Jan", "mmmm": "January", "d": "2", "dd": "02", "ddd": "Mon", "dddd": "Monday",
	"h": "15", "hh": "15", "s": "5", "ss": "05",
}

// dated gives the layout of a date's pattern; ok is false where it has letters of its own or none of a date's.
func dated(pattern string) (layout string, ok bool) {
	low := strings.ToLower(pattern)
	last := byte(0) // the letter of the run before
	for i := 0; i < len(low); {
		c := low[i]
		if c == '"' {
			end := strings.IndexByte(low[i+1:], '"')
			if end < 0 || strings.ContainsAny(pattern[i+1:i+1+end], "0123456789") {
				return "", false
			}
			layout, i = layout+pattern[i+1:i+1+end], i+end+2
			continue
		}
		if c < 'a' || c > 'z' {
			if !strings.ContainsRune("-./:, ", rune(c)) {
				return "", false
			}
			layout, i = layout+string(c), i+1
			continue
		}
		to := i
		for to < len(low) && low[to] == c {
			to++
		}
		run := low[i:to]
		form := dateForms[run]
		next := strings.TrimLeft(low[to:], ":. ")
		if c == 'm' && len(run) <= 2 && (last == 'h' || strings.HasPrefix(next, "s")) { // minutes
			form = map[string]string{"m": "4", "mm": "04"}[run]
		}
		if form == "" {
			return "", false
		}
		layout, last, ok, i = layout+form, c, true, to
	}
	return layout, ok
}

// format writes a number by a pattern: 000000, 0.00, #,##0.0, or with letters of a date, YYYY-MM-DD.
func (n *call) format(r *big.Rat, pattern string) (Value, error) {
	if layout, ok := dated(pattern); ok {
		return textValue(time.Unix(epoch.Unix()+seconds(r), 0).UTC().Format(layout)), nil
	}
	whole, places, _ := strings.Cut(pattern, ".")
	if strings.Trim(whole, "0#,") != "" || strings.Trim(places, "0#") != "" || pattern == "" || len(places) > 15 || len(whole) > 60 {
		return n.wrong("%q is no pattern such as 0.00, 000000 or YYYY-MM-DD", pattern)
	}
	text := new(big.Rat).Abs(r).FloatString(len(places))
	digits, decimals, _ := strings.Cut(text, ".")
	least := strings.Count(places, "0")
	for len(decimals) > least && decimals[len(decimals)-1] == '0' {
		decimals = decimals[:len(decimals)-1]
	}
	if want := strings.Count(whole, "0"); len(digits) < want {
		digits = strings.Repeat("0", want-len(digits)) + digits
	} else if digits == "0" && want == 0 {
		digits = ""
	}
	if strings.Contains(whole, ",") {
		for i := len(digits) - 3; i > 0; i -= 3 {
			digits = digits[:i] + "," + digits[i:]
		}
	}
	if decimals != "" {
		digits += "." + decimals
	}
	if r.Sign() < 0 && strings.Trim(digits, "0.,") != "" {
		digits = "-" + digits
	}
	return textValue(digits), nil
}
