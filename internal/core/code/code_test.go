package code

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"
)

func TestCompare(t *testing.T) {
	in := []string{"A-10", "B-1", "A-2", "A-02", "A", "", "A-2-1", "A2", "AB"}
	Sort(in)
	assert.Equal(t, []string{"", "A", "A-02", "A-2", "A-2-1", "A-10", "A2", "AB", "B-1"}, in)
}

// The stored sort key orders as Compare does, and Compare is an order.
func TestSortKeyAgrees(t *testing.T) {
	gen := rapid.StringMatching(`[A-C0-3\- ]{0,8}`)
	rapid.Check(t, func(t *rapid.T) {
		a, b := gen.Draw(t, "a"), gen.Draw(t, "b")
		assert.Equal(t, Compare(a, b), strings.Compare(SortKey(a), SortKey(b)), "%q %q", a, b)
		assert.Equal(t, Compare(a, b), -Compare(b, a))
	})
}

func TestFoldTrim(t *testing.T) {
	assert.Equal(t, Fold("ab-é"), Fold("AB-É"))
	assert.NotEqual(t, Fold("AB"), Fold("A8"))
	assert.Equal(t, "A-1", Trim("\u00a0 A-1\t\u200b"))
	assert.Equal(t, "", Trim(" \u00a0"))
}

// Vectors worked by hand after the recursive method of ISO/IEC 7064 (p = 36; s = p+a mod 36 or 36; p = 2s mod 37).
func TestCheckCharacter(t *testing.T) {
	assert.True(t, Checked("A12425GABC1234002M"), "the worked example commonly printed for MOD 37,36")
	assert.True(t, Checked(WithCheck("7K-0012")))
	assert.False(t, Checked("A12425GABC1234002N"))
	assert.False(t, Checked(""))
	assert.False(t, Checked("ÄÖ"))
}

// Any single changed character and any swap of two different neighbours is found out.
func TestCheckFindsSlips(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		s := WithCheck(rapid.StringMatching(`[0-9A-Z]{5,9}`).Draw(t, "s"))
		i := rapid.IntRange(0, len(s)-1).Draw(t, "i")
		r := alphabet[rapid.IntRange(0, 35).Draw(t, "r")]
		if s[i] != r {
			assert.False(t, Checked(s[:i]+string(r)+s[i+1:]))
		}
	})
}

func TestAddresses(t *testing.T) {
	codes := []string{"A-01-1", "A-01-2", "A-02-1", "B-01-1", "FLOOR", "R12", "R13", "R14", "R15"}
	addresses, regular := Addresses(codes)
	assert.Equal(t, Address{"A", "01", "2"}, addresses[1])
	assert.Equal(t, Address{"B", "01", "1"}, addresses[3])
	assert.Equal(t, Address{Bay: "FLOOR"}, addresses[4])
	assert.False(t, regular[4])
	assert.Equal(t, Address{Aisle: "R", Bay: "12"}, addresses[5])
	var yard []string
	for i := range 12 {
		yard = append(yard, fmt.Sprintf("Y1/%02d", i+1))
	}
	addresses, _ = Addresses(yard)
	assert.Equal(t, Address{Aisle: "Y1", Bay: "12"}, addresses[11], "twelve on top of one another would be no rack")
}

func TestDistance(t *testing.T) {
	long := strings.Repeat("x", 100)
	for _, c := range []struct {
		a, b        string
		limit, want int
	}{
		{"", "", 2, 0}, {"A1", "A1", 0, 0}, {"A1", "A2", 0, 1}, {"AB", "BA", 2, 1}, {"ABC", "AC", 2, 1}, {"AC", "ABC", 2, 1},
		{"ABCD", "DCBA", 2, 3}, {"ABCDEF", "A", 3, 4}, {"Öl", "Ol", 2, 1}, {long, long + "y", 2, 1}, {long + "ab", long + "ba", 1, 1},
		{"CA", "ABC", 9, 3}, // a swapped pair is not parted again
	} {
		assert.Equal(t, c.want, Distance([]rune(c.a), []rune(c.b), c.limit), "%s %s", c.a, c.b)
		assert.Equal(t, c.want, Distance([]rune(c.b), []rune(c.a), c.limit), "%s %s", c.b, c.a)
	}
}
