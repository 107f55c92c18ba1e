package sum_test

import (
	"errors"
	"fmt"
	"math/big"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"wobin/internal/core/quantity"
	"wobin/internal/core/sum"
)

func packs(unit string) (int64, bool) {
	n, ok := map[string]int64{"bx": 25, "BX": 25, "m": 1, "x": 6, "none": 0}[unit]
	return n, ok
}

func TestSums(t *testing.T) {
	for text, want := range map[string]string{
		"12": "12", "12*24+7": "295", "3bx+5": "80", "3 BX + 7": "82", "3x24": "72", "3 x 24": "72", "3×(2+1)": "9", "1,5": "1.5", "0,125": "0.125",
		"=2+3": "5", "10/4": "2.5", "10-3": "7", "2*(3bx-1)": "148", "12m": "12", "1.5bx": "37.5", "-3+5": "2", "7−2": "5", "1/3*3": "1",
		"3x": "18", "2x+1": "13", "12 / 0.5": "24", "3bx.": "75",
	} {
		q, err := sum.Of(text, "", packs)
		require.NoError(t, err, text)
		assert.Equal(t, want, q.String(), text)
	}
	q, err := sum.Of("1,500+1", ",", nil)
	require.NoError(t, err)
	assert.Equal(t, "2.5", q.String())
	for text, kind := range map[string]string{
		"1/0": sum.Nothing, "5/(2-2)": sum.Nothing, "3ctn": sum.NoPack, "3none": sum.NoPack, "1/3": sum.NotExact, "999999999999*10": sum.TooLarge, "1,500": sum.Ambiguous,
		"": sum.NoSum, "3bx5": sum.NoSum, "12 24": sum.NoSum, "(1+2": sum.NoSum, "1+": sum.NoSum, "*3": sum.NoSum, "1.2.3": sum.NoSum, "1)": sum.NoSum,
		"1,234,567": sum.NoSum, "abc": sum.NoSum, "1e5": sum.NoPack, "12 pcs about": sum.NoPack,
	} {
		_, err := sum.Of(text, "", packs)
		var e *sum.Error
		require.True(t, errors.As(err, &e), text)
		assert.Equal(t, kind, e.Kind, "%s: %v", text, err)
	}
	_, err = sum.Of("3bx", "", nil)
	assert.ErrorContains(t, err, "no packs are known")
}

// tree is a sum with its value.
func tree(t *rapid.T, depth int) (string, *big.Rat) {
	if depth == 0 || rapid.Bool().Draw(t, "leaf") {
		n := rapid.IntRange(0, 9999).Draw(t, "n")
		text, value := fmt.Sprintf("%d.%02d", n/100, n%100), big.NewRat(int64(n), 100)
		if rapid.Bool().Draw(t, "boxed") {
			return text + "bx", value.Mul(value, big.NewRat(25, 1))
		}
		return text, value
	}
	a, x := tree(t, depth-1)
	b, y := tree(t, depth-1)
	switch rapid.SampledFrom([]string{"+", "-", "*", "/"}).Draw(t, "sign") {
	case "+":
		return "(" + a + "+" + b + ")", x.Add(x, y)
	case "-":
		return "(" + a + " - " + b + ")", x.Sub(x, y)
	case "*":
		return a + "*" + b, x.Mul(x, y)
	}
	if y.Sign() == 0 {
		return a, x
	}
	return "(" + a + ")/(" + b + ")", x.Quo(x, y)
}

// A sum is worked out exactly, or refused; it never comes to something near.
func TestSumsAreExact(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		text, value := tree(t, 3)
		q, err := sum.Of(text, "", packs)
		if err != nil {
			var e *sum.Error
			require.True(t, errors.As(err, &e), text)
			require.Contains(t, []string{sum.NotExact, sum.TooLarge, sum.NoSum}, e.Kind)
			require.True(t, e.Kind != sum.NoSum || len(text) > sum.Longest, "%s: %v", text, err)
			return
		}
		require.Zero(t, big.NewRat(int64(q), int64(quantity.Scale)).Cmp(value), text)
	})
}

func FuzzSum(f *testing.F) {
	for _, s := range []string{"12*24+7", "3bx+5", "((((", "1/0", "-−-−1", "x", "1x", "\xff"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, text string) {
		if _, err := sum.Of(text, "", packs); err != nil && err.Error() == "" {
			t.Fatal("an error without a word")
		}
	})
}
