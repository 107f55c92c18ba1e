package sample_test

import (
	"fmt"
	"math/big"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	. "wobin/internal/core/sample"
)

// exactly enumerates: of all samples of n, how many hold at most so many wrong ones.
func exactly(most, n, wrong, all int) *big.Rat {
	sum := new(big.Int)
	for k := 0; k <= most && k <= n; k++ {
		if k <= wrong && n-k <= all-wrong {
			sum.Add(
				sum,
				new(big.Int).Mul(new(big.Int).Binomial(int64(wrong), int64(k)), new(big.Int).Binomial(int64(all-wrong), int64(n-k))),
			)
		}
	}
	return new(big.Rat).SetFrac(sum, new(big.Int).Binomial(int64(all), int64(n)))
}

func TestAtMostAgainstEnumeration(t *testing.T) {
	for all := 1; all <= 14; all++ {
		for wrong := 0; wrong <= all; wrong++ {
			for n := 0; n <= all; n++ {
				for most := -1; most <= n; most++ {
					want := new(big.Rat)
					if most >= 0 {
						want = exactly(most, n, wrong, all)
					}
					got, _ := AtMost(most, n, wrong, all).Rat(nil)
					off := new(big.Rat).Abs(new(big.Rat).Sub(want, got))
					require.Less(
						t,
						off.Cmp(big.NewRat(1, 1<<62)),
						0,
						"P(X<=%d), %d of %d, %d wrong: %v, not %v",
						most,
						n,
						all,
						wrong,
						got,
						want,
					)
				}
			}
		}
	}
}

// The size is the least that does: with it the limit holds, with one line fewer it does not.
func TestSizeIsTheLeast(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		all := rapid.IntRange(1, 120).Draw(t, "all")
		w := Want{
			Confidence: rapid.IntRange(500, 999).Draw(t, "confidence"),
			Accuracy:   rapid.IntRange(1, 99_999).Draw(t, "accuracy"),
			Wrong:      rapid.IntRange(0, 3).Draw(t, "borne"),
		}
		require.Empty(t, w.Check())
		n := w.Size(all)
		wrong := 0 // the least with which the accuracy is not above the figure
		for (all-wrong)*100_000 > w.Accuracy*all {
			wrong++
		}
		limit := big.NewRat(int64(1000-w.Confidence), 1000)
		if n < all {
			require.LessOrEqual(t, exactly(w.Wrong, n, wrong, all).Cmp(limit), 0)
			require.True(t, Found{all, n, min(w.Wrong, n)}.Above(w.Accuracy, w.Confidence))
		}
		if n > 0 {
			require.Positive(t, exactly(w.Wrong, n-1, wrong, all).Cmp(limit))
		}
	})
	assert.Equal(t, 59, Want{Confidence: 950, Accuracy: 95_000}.Size(1_000_000), "as tables for large stocks have it")
	assert.Less(t, Want{Confidence: 950, Accuracy: 95_000}.Size(200), 59, "fewer where there are few")
	assert.Equal(t, 5, Want{Confidence: 950, Accuracy: 95_000, Wrong: 9}.Size(5), "the whole, where no sample will do")
}

// The interval holds just those numbers of wrong lines that agree with what was found.
func TestIntervalAgainstEnumeration(t *testing.T) {
	tail := big.NewRat(25, 1000)
	for all := 1; all <= 12; all++ {
		for n := 1; n <= all; n++ {
			for x := 0; x <= n; x++ {
				least, largest := -1, -1
				for wrong := x; wrong <= all-(n-x); wrong++ {
					low := exactly(x, n, wrong, all)
					high := new(big.Rat).Sub(big.NewRat(1, 1), new(big.Rat))
					if x > 0 {
						high.Sub(high, exactly(x-1, n, wrong, all))
					}
					if high.Cmp(tail) > 0 && least < 0 {
						least = wrong
					}
					if low.Cmp(tail) > 0 {
						largest = wrong
					}
				}
				a, b := Found{all, n, x}.Interval(950)
				require.Equal(t, []int{least, largest}, []int{a, b}, "%d of %d, %d wrong", n, all, x)
			}
		}
	}
}

func TestDraw(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		all := rapid.IntRange(0, 200).Draw(t, "all")
		n := rapid.IntRange(0, 220).Draw(t, "n")
		seed := rapid.Uint64().Draw(t, "seed")
		got := Draw(seed, n, all)
		require.Len(t, got, min(n, all))
		for i, at := range got {
			require.True(t, at >= 0 && at < all && (i == 0 || at > got[i-1]))
		}
		require.Equal(t, got, Draw(seed, n, all), "the same seed draws the same")
		worth := rapid.SliceOfN(rapid.Int64Range(-3, 1000), 0, 60).Draw(t, "worth")
		positive, sum := 0, int64(0)
		for _, w := range worth {
			if w > 0 {
				positive, sum = positive+1, sum+w
			}
		}
		by := DrawByWorth(seed, n, worth)
		require.Len(t, by, min(n, positive))
		in := map[int]bool{}
		for i, at := range by {
			require.True(t, worth[at] > 0 && (i == 0 || at > by[i-1]))
			in[at] = true
		}
		for i, w := range worth {
			if w > 0 && w*int64(n) >= sum {
				require.True(t, in[i], "what is worth a step is picked")
			}
		}
	})
	// Each line is drawn about as often as any other, and in proportion to what it is worth.
	often, worthy := make([]int, 10), make([]int, 4)
	for seed := range 20_000 {
		for _, at := range Draw(uint64(seed), 3, 10) {
			often[at]++
		}
		for _, at := range DrawByWorth(uint64(seed), 1, []int64{10, 20, 30, 40}) {
			worthy[at]++
		}
	}
	for _, n := range often {
		assert.InDelta(t, 6000, n, 300)
	}
	for i, n := range worthy {
		assert.InDelta(t, 2000*(i+1), n, 300)
	}
}

func TestProject(t *testing.T) {
	for _, x := range [][4]int64{{100, 10, 5, 200}, {1, 3, 2, 2}, {-1, 3, 2, -2}, {1, 4, 3, 1}, {0, 9, 3, 0}} {
		got, ok := Project(x[0], int(x[1]), int(x[2]))
		assert.True(t, ok)
		assert.Equal(t, x[3], got, "%v", x)
	}
	_, ok := Project(1<<62, 1000, 1)
	assert.False(t, ok)
	_, ok = Project(1, 1, 0)
	assert.False(t, ok)
}

func ExampleWant_Size() {
	w := Want{Confidence: 950, Accuracy: 97_000}
	fmt.Println(w.Size(3418), "of 3418 lines, none of them wrong")
	// Output: 97 of 3418 lines, none of them wrong
}
