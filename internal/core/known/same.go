package known

import (
	"slices"
	"strings"
	"unicode"
)

// SameThing tells whether two descriptions may be of one thing: one says what the other says and perhaps more, or they have the same
// numbers and most of their words in common. Case, punctuation and spaces make no difference.
func SameThing(a, b string) bool {
	x, y := thingWords(a), thingWords(b)
	if len(x) > len(y) {
		x, y = y, x
	}
	common := 0
	for _, w := range x {
		if slices.Contains(y, w) {
			common++
		}
	}
	if common == len(x) {
		return true
	}
	numbers := func(words []string) (out []string) {
		for _, w := range words {
			if w[0] >= '0' && w[0] <= '9' {
				out = append(out, w)
			}
		}
		slices.Sort(out)
		return out
	}
	return common*2 > len(x) && slices.Equal(numbers(x), numbers(y))
}

// thingWords are the words and numbers of a description, each once.
func thingWords(s string) (out []string) {
	var word []rune
	end := func() {
		if w := string(word); len(word) > 0 && !slices.Contains(out, w) {
			out = append(out, w)
		}
		word = word[:0]
	}
	for _, r := range strings.ToUpper(s) {
		letter, digit := unicode.IsLetter(r), unicode.IsDigit(r)
		if len(word) > 0 && (!letter && !digit || digit != unicode.IsDigit(word[0])) {
			end()
		}
		if letter || digit {
			word = append(word, r)
		}
	}
	end()
	return out
}
