package people

import (
	"strings"
	"sync"
	"unicode/utf8"

	"github.com/trustelem/zxcvbn/frequency"

	"wobin/internal/desk"
)

// shortest is how many characters a password has at least, commonest how many of the commonest are refused.
const (
	shortest  = 12
	commonest = 10_000
)

// PasswordRule is said before anybody chooses one.
const PasswordRule = "12 characters or more, not all alike, and none of the 10,000 that are chosen most."

// common are the commonest passwords, of a list that is kept for the purpose.
var common = sync.OnceValue(func() map[string]bool {
	list := frequency.FrequencyLists["passwords"]
	out := make(map[string]bool, commonest)
	for _, p := range list[:min(len(list), commonest)] {
		out[p] = true
	}
	return out
})

// goodPassword tells what is wrong with a password for somebody, as a refusal.
func goodPassword(password, name, signIn string) error {
	no := func(text string) error {
		return desk.RefuseAs(desk.Invalid, "password", "%s %s", text, "Take one of "+PasswordRule)
	}
	folded := strings.ToLower(password)
	switch {
	case utf8.RuneCountInString(password) < shortest:
		return no("This password is too short.")
	case strings.Trim(folded, string([]rune(folded)[0])) == "":
		return no("All of its characters are alike.")
	case isCommon(folded):
		return no("This password is one of those that are tried first.")
	case signIn != "" && strings.Trim(strings.ReplaceAll(folded, strings.ToLower(signIn), ""), "0123456789") == "",
		name != "" && folded == strings.ToLower(name):
		return no("This password is your own name.")
	}
	return nil
}

// isCommon tells whether a password is one of the commonest, or one of them several times.
func isCommon(folded string) bool {
	if common()[folded] {
		return true
	}
	for n := 1; n <= len(folded)/2; n++ {
		if len(folded)%n == 0 && strings.Repeat(folded[:n], len(folded)/n) == folded && common()[folded[:n]] {
			return true
		}
	}
	return false
}
