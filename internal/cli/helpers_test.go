package cli

import "wobin/internal/core/code"

// check is the check character of a code.
func check(s string) string {
	c, _ := code.CheckCharacter(s)
	return string(c)
}
