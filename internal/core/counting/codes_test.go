package counting

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"
)

func TestCodes(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		c, s, r := rapid.IntRange(1, 99999).Draw(t, "c"), rapid.IntRange(1, 99999).Draw(t, "s"), rapid.IntRange(1, 99999).Draw(t, "r")
		gc, gs, gr, ok := ParseCode(RowCode(c, s, r))
		assert.True(t, ok)
		assert.Equal(t, [3]int{c, s, r}, [3]int{gc, gs, gr}, RowCode(c, s, r))
		gc, gs, gr, ok = ParseCode(SheetCode(c, s))
		assert.True(t, ok)
		assert.Equal(t, [3]int{c, s, 0}, [3]int{gc, gs, gr})
	})
}
