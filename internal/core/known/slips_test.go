package known

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"wobin/internal/core/code"
)

// What is found by index is what is found by holding a word against each, in their order.
func TestSlipsAreThoseThatAreClose(t *testing.T) {
	word := rapid.StringMatching(`[abAB]{3,7}( [ab1])?`)
	rapid.Check(t, func(t *rapid.T) {
		var s Slips
		words := rapid.SliceOfN(word, 0, 30).Draw(t, "words")
		for _, w := range words {
			s.Add(w)
		}
		text := word.Draw(t, "text")
		var close []string
		folded := ""
		for _, w := range words {
			if Close(text, w) {
				close = append(close, w)
			}
			if folded == "" && code.Fold(w) == code.Fold(text) {
				folded = w
			}
		}
		assert.Equal(t, close, s.Close(text))
		got, _ := s.Folded(text)
		assert.Equal(t, folded, got)
		assert.Equal(t, words, append([]string{}, s.Texts()...))
	})
}
