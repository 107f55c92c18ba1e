package cause

import (
	"bytes"

	"wobin/internal/core/quantity"
)

// keySlip looks for what hands do to figures: digits swapped, one missing, doubled or wrong, the decimal sign moved. What goods do by
// themselves is mostly little, so a slip is the stronger the larger the variance is beside the figures.
func keySlip(l *Line) (x Explanation) {
	if l.Expected <= 0 || l.Counted <= 0 {
		return x
	}
	var forE, forC [32]byte
	e, c := quantity.AppendDecimal(forE[:0], int64(l.Expected)), quantity.AppendDecimal(forC[:0], int64(l.Counted))
	larger := max(l.Expected, l.Counted)
	big := l.Variance.Abs() >= 5*quantity.Scale && l.Variance.Abs()*10 >= larger*3
	digits := len(e) - bytes.Count(e, []byte("."))
	grade, how := None, ""
	say := func(g Grade, what string) {
		if g > grade {
			grade, how = g, what
		}
	}
	for _, k := range []int64{10, 100, 1000} {
		more, fits := quantity.Times(l.Expected, k)
		less, fits2 := quantity.Times(l.Counted, k)
		if fits && more == l.Counted || fits2 && less == l.Expected {
			say(gradeIf(big && (digits > 1 || k > 10), Strong, Fair), "the decimal place moved")
		}
	}
	switch {
	case len(e) == len(c):
		if at, n, two := differing(e, c); two {
			say(gradeIf(big && at[1] == at[0]+1, Strong, Fair), "two digits swapped")
		} else if n == 1 {
			say(wrongDigit(e, c, at[0], big), "one digit is another")
		}
	case len(c) < len(e):
		if missing(e, c) {
			say(gradeIf(big && (digits >= 3 || l.Expected >= 40*quantity.Scale), Strong, Fair), "a digit is missing")
		}
	case len(c) == len(e)+1:
		if at := without(c, e); at >= 0 {
			doubled := at > 0 && c[at-1] == c[at] || at+1 < len(c) && c[at+1] == c[at]
			if doubled {
				say(gradeIf(big, Strong, Fair), "a digit is doubled")
			} else {
				say(gradeIf(digits >= 2, Fair, Weak), "a digit too many")
			}
		}
	}
	if grade == None {
		return x
	}
	return Explanation{Cause: KeySlip, Grade: grade, Offered: l.Expected, Offers: true, How: how}
}

// wrongDigit grades one digit that is another. The last digit of a figure is wrong by itself all the time: goods do that, too.
func wrongDigit(e, c []byte, at int, big bool) Grade {
	if e[at] == '.' || c[at] == '.' || len(e) < 2 {
		return None
	}
	a, b := e[at], c[at]
	by := max(a, b) - min(a, b)
	whole := bytes.IndexByte(e, '.')
	if whole < 0 {
		whole = len(e)
	}
	switch place := whole - 1 - at; { // 0 for ones, 1 for tens
	case place >= 2:
		return Strong
	case place == 1:
		return gradeIf(big && whole >= 3, Strong, Fair)
	case by >= 5: // digits that look alike by hand, 1 and 7, 3 and 8, 0 and 6, 4 and 9, are among these
		return Fair
	}
	return Weak
}

// differing gives the places in which two texts of one length differ; swapped tells whether they are two that changed places.
func differing(a, b []byte) (at [2]int, n int, swapped bool) {
	for i := range a {
		if a[i] != b[i] {
			if n == 2 {
				return at, 3, false
			}
			at[n] = i
			n++
		}
	}
	return at, n, n == 2 && a[at[0]] == b[at[1]] && a[at[1]] == b[at[0]] && a[at[0]] != '.' && a[at[1]] != '.'
}

// missing tells whether a figure is another one without one of its digits; zeros that come to stand in front are not written.
func missing(e, c []byte) bool {
	if rest := e[1:]; bytes.IndexByte(e, '.') < 0 && bytes.Equal(bytes.TrimLeft(rest, "0"), c) {
		return true
	}
	return len(c) == len(e)-1 && without(e, c) >= 0
}

// without gives the place of the digit without which the longer text is the shorter one; -1 where it is not.
func without(longer, shorter []byte) int {
	i := 0
	for i < len(shorter) && longer[i] == shorter[i] {
		i++
	}
	if !bytes.Equal(longer[i+1:], shorter[i:]) || longer[i] == '.' {
		return -1
	}
	return i
}
