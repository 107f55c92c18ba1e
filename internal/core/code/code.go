// Package code knows codes as text: how they sort, fold and are checked, and what pattern the codes of bins
// follow. It knows nothing of what a code stands for.
package code

import (
	"strings"
	"unicode"
	"unicode/utf8"
)

// Compare sorts codes in natural order: runs of digits by their number, everything else by code point.
// A-2 comes before A-10; where the numbers are equal the text decides, so A-02 comes before A-2.
func Compare(a, b string) int {
	if a == b {
		return 0
	}
	i, j := 0, 0
	for i < len(a) && j < len(b) {
		if isDigit(a[i]) && isDigit(b[j]) {
			si, sj := i, j
			for i < len(a) && isDigit(a[i]) {
				i++
			}
			for j < len(b) && isDigit(b[j]) {
				j++
			}
			na, nb := strings.TrimLeft(a[si:i], "0"), strings.TrimLeft(b[sj:j], "0")
			if len(na) != len(nb) {
				return sign(len(na) - len(nb))
			}
			if c := strings.Compare(na, nb); c != 0 {
				return c
			}
			continue
		}
		if a[i] != b[j] {
			return sign(int(a[i]) - int(b[j]))
		}
		i++
		j++
	}
	if c := sign((len(a) - i) - (len(b) - j)); c != 0 {
		return c
	}
	return strings.Compare(a, b)
}

// SortKey gives a text whose plain byte order is the natural order of Compare, for codes without bytes below
// 0x20: a run of digits is written as the length of its number and the number.
func SortKey(s string) string {
	var b strings.Builder
	b.Grow(2*len(s) + 12)
	for i := 0; i < len(s); {
		if !isDigit(s[i]) {
			b.WriteByte(s[i])
			i++
			continue
		}
		start := i
		for i < len(s) && isDigit(s[i]) {
			i++
		}
		n := strings.TrimLeft(s[start:i], "0")
		// A digit stands where Compare would see one, so it sorts against other bytes as '0' to '9' do;
		// the length comes behind it and never exceeds a byte's room for codes of sane length.
		b.WriteByte('0')
		b.WriteByte(byte(min(len(n), 250)))
		b.WriteString(n)
	}
	b.WriteByte(0)
	b.WriteString(s)
	return b.String()
}

func isDigit(c byte) bool { return c >= '0' && c <= '9' }

func sign(n int) int {
	switch {
	case n < 0:
		return -1
	case n > 0:
		return 1
	}
	return 0
}

// Fold gives the form of a code in which case does not matter: every letter replaced by the smallest of its
// simple case variants.
func Fold(s string) string {
	plain := true
	for i := 0; i < len(s); i++ {
		if c := s[i]; c >= utf8.RuneSelf || ('a' <= c && c <= 'z') {
			plain = false
			break
		}
	}
	if plain {
		return s
	}
	return strings.Map(func(r rune) rune {
		least := r
		for f := unicode.SimpleFold(r); f != r; f = unicode.SimpleFold(f) {
			least = min(least, f)
		}
		return least
	}, s)
}

// Trim takes white space off both ends: all that Unicode calls so, and the marks that come unseen with
// copied text (no-break space, zero width space, byte order mark).
func Trim(s string) string {
	if s == "" || (s[0] > ' ' && s[0] < utf8.RuneSelf && s[len(s)-1] > ' ' && s[len(s)-1] < utf8.RuneSelf) {
		return s
	}
	return strings.TrimFunc(s, func(r rune) bool {
		return unicode.IsSpace(r) || r == '\u200b' || r == '\ufeff' || r == 0
	})
}
