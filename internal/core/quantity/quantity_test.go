package quantity

import (
	"math"
	"math/big"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func TestParse(t *testing.T) {
	for _, c := range []struct {
		in, out string
		err     error
	}{
		{"12", "12", nil}, {"12.500", "12.5", nil}, {"-0.25", "-0.25", nil}, {"+3", "3", nil}, {".5", "0.5", nil},
		{"1.1234560", "1.123456", nil}, {"1.1234567", "", ErrPlaces}, {"999999999999.999999", "999999999999.999999", nil},
		{"9223372036855", "", ErrTooLarge}, {"-9780306406157", "", ErrTooLarge}, {"9223372036854.775808", "", ErrTooLarge},
		{"1000000000000", "", ErrTooLarge}, {"-1000000000000", "", ErrTooLarge}, {"99999999999999999999999", "", ErrTooLarge},
		{"", "", ErrNotNumber}, {"-", "", ErrNotNumber}, {".", "", ErrNotNumber}, {"12 pcs", "", ErrNotNumber},
		{"1e3", "", ErrNotNumber}, {"1.2.3", "", ErrNotNumber}, {"1,5", "", ErrNotNumber}, {"NaN", "", ErrNotNumber},
		{"-0", "0", nil}, {"000000000000000000000000012", "12", nil},
	} {
		q, err := Parse(c.in)
		assert.Equal(t, c.err, err, c.in)
		if err == nil {
			assert.Equal(t, c.out, q.String(), c.in)
		}
	}
}

func TestParseCostRounds(t *testing.T) {
	for in, want := range map[string]string{
		"1.0000005": "1.000001", "1.00000049": "1", "-1.0000005": "-1.000001", "-0.0000005": "-0.000001", "2.5": "2.5",
	} {
		c, rounded, err := ParseCost(in)
		require.NoError(t, err)
		assert.Equal(t, want, c.String(), in)
		assert.Equal(t, in != "2.5", rounded, in)
	}
}

// Printing and parsing are each other's inverse over the whole range.
func TestPrintParse(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		q := Quantity(rapid.Int64Range(-Limit+1, Limit-1).Draw(t, "q"))
		back, err := Parse(q.String())
		require.NoError(t, err)
		assert.Equal(t, q, back)
	})
}

// Value agrees with arithmetic on exact fractions.
func TestValue(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		q := Quantity(rapid.Int64Range(-1e15, 1e15).Draw(t, "q"))
		c := Cost(rapid.Int64Range(-1e11, 1e11).Draw(t, "c"))
		got, err := Value(q, c)
		require.NoError(t, err)
		exact := new(big.Int).Mul(big.NewInt(int64(q)), big.NewInt(int64(c)))
		twice := new(big.Int).Abs(exact)
		twice.Mul(twice, big.NewInt(2)).Add(twice, big.NewInt(10_000_000_000))
		twice.Quo(twice, big.NewInt(20_000_000_000))
		want := twice.Int64()
		if exact.Sign() < 0 {
			want = -want
		}
		assert.Equal(t, want, int64(got))
	})
	v, err := Value(-500_000, 10_000) // -0.5 × 0.01 = -0.005
	require.NoError(t, err)
	assert.Equal(t, "-0.01", v.String())
	_, err = Value(Limit-1, Cost(Limit-1))
	assert.Equal(t, ErrTooLarge, err)
}

// Packs: a number of them in base units, and their cost shared out.
func TestPacks(t *testing.T) {
	for _, c := range []struct {
		q, want string
		n       int64
	}{{"3", "75", 25}, {"-0.5", "-6", 12}, {"0.000001", "0.000012", 12}, {"7", "7", 1}, {"0", "0", 1 << 40}, {"999999999", "", 1 << 40},
		{"-999999999", "", 1 << 40}} {
		q, err := Parse(c.q)
		require.NoError(t, err)
		got, ok := Times(q, c.n)
		require.Equal(t, c.want != "", ok, "%s × %d", c.q, c.n)
		if ok {
			assert.Equal(t, c.want, got.String(), "%s × %d", c.q, c.n)
		}
	}
	for _, c := range []struct {
		cost, want string
		n          int64
		rounded    bool
	}{{"10", "0.4", 25, false}, {"1", "0.333333", 3, true}, {"2", "0.666667", 3, true}, {"-2", "-0.666667", 3, true}, {"0.000001",
		"0.000001", 2, true}, {"5", "5", 1, false}} {
		cost, _, err := ParseCost(c.cost)
		require.NoError(t, err)
		got, rounded := cost.Per(c.n)
		assert.Equal(t, []any{c.want, c.rounded}, []any{got.String(), rounded}, "%s ÷ %d", c.cost, c.n)
	}
}

func TestWithinPercent(t *testing.T) {
	assert.True(t, WithinPercent(-2*Scale, 100*Scale, 2*Scale))
	assert.False(t, WithinPercent(2*Scale+1, 100*Scale, 2*Scale))
	assert.True(t, WithinPercent(0, 0, 0))
	assert.False(t, WithinPercent(1, 0, 100*Scale))
}

func TestRatio(t *testing.T) {
	p, ok := Ratio(2, 3)
	assert.True(t, ok)
	assert.Equal(t, "66.67", p.String())
	p, _ = Ratio(3, 3)
	assert.Equal(t, "100.00", p.String())
	_, ok = Ratio(0, 0)
	assert.False(t, ok)
}

func TestFromFloatText(t *testing.T) {
	for in, want := range map[string]string{
		"0.30000000000000004": "0.3", "12": "12", "5.01E+12": "5010000000000", "1E-3": "0.001", "-2.5": "-2.5", "0": "0",
		"123456789012.123": "123456789012.123",
	} {
		got, ok := FromFloatText(in)
		assert.True(t, ok)
		assert.Equal(t, want, got)
	}
	_, ok := FromFloatText("x")
	assert.False(t, ok)
}

// Whatever digits come, Parse says of a number what arithmetic without a limit says.
func TestParseAgainstBig(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		s := rapid.StringMatching(`[-+]?[0-9]{0,25}(\.[0-9]{0,8})?`).Draw(t, "s")
		q, err := Parse(s)
		exact, good := new(big.Rat).SetString(strings.TrimSuffix(strings.TrimPrefix(s, "+"), "."))
		if !good {
			require.ErrorIs(t, err, ErrNotNumber)
			return
		}
		scaled := new(big.Rat).Mul(exact, big.NewRat(Scale, 1))
		switch limit := big.NewRat(Limit, 1); {
		case new(big.Rat).Abs(scaled).Cmp(limit) >= 0:
			require.ErrorIs(t, err, ErrTooLarge, s)
		case !scaled.IsInt():
			require.ErrorIs(t, err, ErrPlaces, s)
		default:
			require.NoError(t, err, s)
			require.Equal(t, scaled.Num().Int64(), int64(q), s)
		}
	})
}

// Sums agree with arithmetic without a limit, or say that they are out of range: also at the edges of 63 bits.
func TestSumsAgainstBig(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		edge := func(name string) int64 {
			near := rapid.SampledFrom([]int64{0, Limit, -Limit, MoneyLimit, -MoneyLimit, math.MaxInt64, math.MinInt64}).Draw(t, name)
			return near + rapid.Int64Range(-3, 3).Draw(t, name+" off")
		}
		a, b := edge("a"), edge("b")
		exact := new(big.Int).Add(big.NewInt(a), big.NewInt(b))
		for _, c := range []struct {
			limit int64
			sum   int64
			ok    bool
		}{
			{Limit, first(Add(Quantity(a), Quantity(b))), second(Add(Quantity(a), Quantity(b)))},
			{MoneyLimit, first(AddMoney(Money(a), Money(b))), second(AddMoney(Money(a), Money(b)))},
		} {
			fits := new(big.Int).Abs(exact).Cmp(big.NewInt(c.limit)) < 0
			require.Equal(t, fits, c.ok, "%d + %d", a, b)
			if fits {
				require.Equal(t, exact.Int64(), c.sum)
			} else {
				require.Zero(t, c.sum)
			}
		}
	})
}

func first[T ~int64](sum T, _ bool) int64 { return int64(sum) }
func second[T ~int64](_ T, ok bool) bool  { return ok }

// The average of many lines is rounded once, at the end.
func TestAverageAgainstBig(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var a Average
		sum, whole, alike, last := new(big.Int), new(big.Int), true, int64(-1)
		for range rapid.IntRange(1, 6).Draw(t, "lines") {
			q, c := rapid.Int64Range(0, Limit-1).Draw(t, "q"), rapid.Int64Range(0, Limit-1).Draw(t, "c")
			if rapid.Bool().Draw(t, "small") {
				q, c = q%3, c%3
			}
			alike, last = alike && (last < 0 || last == c), c
			require.True(t, a.Add(Quantity(q), Cost(c)))
			sum.Add(sum, new(big.Int).Mul(big.NewInt(q), big.NewInt(c)))
			whole.Add(whole, big.NewInt(q))
		}
		got, ok := a.Cost()
		switch {
		case alike:
			require.True(t, ok)
			require.Equal(t, last, int64(got))
		case whole.Sign() == 0:
			require.False(t, ok)
		default:
			want := new(big.Int).Div(new(big.Int).Add(sum, new(big.Int).Div(whole, big.NewInt(2))), whole)
			require.Equal(t, want.Int64(), int64(got))
		}
		require.False(t, a.Add(-1, 1))
		require.False(t, a.Add(1, -1))
	})
}
