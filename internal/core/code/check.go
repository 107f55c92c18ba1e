package code

import "strings"

const alphabet = "0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZ*"

// CheckCharacter computes the check character of ISO/IEC 7064 MOD 37,36 over the letters and digits of s;
// hyphens and spaces are passed over and case does not matter. ok is false where s holds anything else.
func CheckCharacter(s string) (c byte, ok bool) {
	p, n := 36, 0
	for _, r := range strings.ToUpper(s) {
		if r == '-' || r == ' ' {
			continue
		}
		v := strings.IndexRune(alphabet[:36], r)
		if v < 0 {
			return 0, false
		}
		n++
		s := (p + v) % 36
		if s == 0 {
			s = 36
		}
		p = s * 2 % 37
	}
	if n == 0 {
		return 0, false
	}
	return alphabet[(37-p)%36], true
}

// WithCheck appends the check character to s, which must hold letters, digits and hyphens only.
func WithCheck(s string) string {
	c, ok := CheckCharacter(s)
	if !ok {
		panic("code: no check character for " + s)
	}
	return s + string(c)
}

// Checked tells whether s ends in its own check character.
func Checked(s string) bool {
	s = strings.ToUpper(Trim(s))
	if len(s) < 2 {
		return false
	}
	c, ok := CheckCharacter(s[:len(s)-1])
	return ok && c == s[len(s)-1]
}
