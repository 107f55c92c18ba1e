package plan

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// What a rule names is found as SQLite's NOCASE finds it: the 26 letters of ASCII, all of them, and no others.
func TestNamesInRulesAreFoldedAsSQLiteDoes(t *testing.T) {
	assert.Equal(t, "ABCDEFGHIJKLMNOPQRSTUVWXYZ@[`{éß-09", foldASCII("abcdefghijklmnopqrstuvwxyz@[`{éß-09"))
}
