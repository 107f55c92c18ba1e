package code

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// Stretches follow one another and cover all bins, however the codes are made; they are few, and opening them one after the
// other comes to stretches that are shown bin by bin.
func TestStretches(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		form := rapid.SampledFrom([]string{"%[1]c%02[2]d-%02[3]d-%[4]d", "%[3]d", "AISLE", "%[1]c-%[4]d", "%[2]d.%[3]d"}).Draw(t, "form")
		var codes []string
		for i := range rapid.IntRange(1, 4000).Draw(t, "bins") {
			codes = append(codes, fmt.Sprintf(form+"%.0[5]s", 'A'+rune(i/400%26), i/40%10, i, i%5, ""))
		}
		Sort(codes)
		addresses, _ := Addresses(codes)
		var open func(from, to, depth int)
		open = func(from, to, depth int) {
			folds := Stretches(codes, addresses, from, to, 50)
			if to-from <= 50 {
				require.Empty(t, folds)
				return
			}
			require.NotEmpty(t, folds)
			require.LessOrEqual(t, len(folds), mostStretches)
			require.Less(t, depth, 40)
			at := from
			for _, f := range folds {
				require.Equal(t, at, f.From)
				require.Greater(t, f.To, f.From)
				require.False(t, f.From == from && f.To == to, "a stretch is less than all")
				require.NotEmpty(t, f.Name)
				open(f.From, f.To, depth+1)
				at = f.To
			}
			require.Equal(t, to, at)
		}
		open(0, len(codes), 0)
	})
	var codes []string
	for i := range 480 * 6 {
		codes = append(codes, fmt.Sprintf("%c%02d-%d", 'A'+rune(i/6/20), i/6%20, i%6))
	}
	addresses, _ := Addresses(codes)
	names := []string{}
	for _, f := range Stretches(codes, addresses, 0, len(codes), 1000) {
		names = append(names, f.Name)
	}
	assert.Equal(t, []string{"A", "B", "C"}, names[:3])
	assert.Len(t, names, 24)
}
