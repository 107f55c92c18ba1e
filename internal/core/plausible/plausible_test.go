package plausible_test

import (
	"math"
	"math/big"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"wobin/internal/core/plausible"
)

// The shift is that of which at least half of the figures are, by numbers of any size.
func TestTens(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		var x plausible.Tens
		places := map[int]int{}
		of := 0
		shift := rapid.IntRange(-7, 7).Draw(rt, "shift")
		for range rapid.IntRange(0, 60).Draw(rt, "figures") {
			before := rapid.Int64().Draw(rt, "before")
			if rapid.Bool().Draw(rt, "small") {
				before = rapid.Int64Range(-2_000_000, 2_000_000).Draw(rt, "small one")
			}
			after := rapid.Int64Range(-50, 50).Draw(rt, "after")
			if rapid.IntRange(0, 2).Draw(rt, "shifted") > 0 {
				n := new(big.Int).Mul(big.NewInt(before), new(big.Int).Exp(big.NewInt(10), big.NewInt(int64(max(shift, 0))), nil))
				d := new(big.Int).Exp(big.NewInt(10), big.NewInt(int64(max(-shift, 0))), nil)
				if q, r := new(big.Int).QuoRem(n, d, new(big.Int)); r.Sign() == 0 && q.IsInt64() {
					after = q.Int64()
				}
			}
			x.Add(before, after)
			if before == 0 || after == 0 || before == math.MinInt64 || after == math.MinInt64 {
				continue
			}
			of++
			for p := -6; p <= 6; p++ {
				a, b := big.NewInt(before), big.NewInt(after)
				ten := new(big.Int).Exp(big.NewInt(10), big.NewInt(int64(max(p, -p))), nil)
				if p >= 0 {
					a.Mul(a, ten)
				} else {
					b.Mul(b, ten)
				}
				if a.Cmp(b) == 0 {
					places[p]++
				}
			}
		}
		by, n, all := x.Shift()
		require.Equal(rt, of, all)
		if by == 0 {
			for p, k := range places {
				require.False(rt, p != 0 && k >= 10 && 2*k >= of, "%d figures by %d", k, p)
			}
			return
		}
		require.Equal(rt, places[by], n)
		require.GreaterOrEqual(rt, 2*n, of)
		require.GreaterOrEqual(rt, n, 10)
	})
}

func TestCutOff(t *testing.T) {
	for rows, is := range map[int]bool{0: false, 65_535: false, 65_536: true, 65_537: false, 1_048_575: false, 1_048_576: true,
		1_048_577: false} {
		assert.Equal(t, is, plausible.CutOff(rows), rows)
	}
}

func TestEarlyAndLate(t *testing.T) {
	now := time.Date(2028, 2, 29, 12, 0, 0, 0, time.UTC)
	assert.False(t, plausible.Late(now.Add(24*time.Hour), now))
	assert.True(t, plausible.Late(now.Add(24*time.Hour+1), now))
	assert.False(t, plausible.Early(now.AddDate(-9, -11, 0), now))
	assert.True(t, plausible.Early(now.AddDate(-10, -1, 0), now))
}
