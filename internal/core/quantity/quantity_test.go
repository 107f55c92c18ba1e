package quantity

import (
	"math/big"
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
	}{{"3", "75", 25}, {"-0.5", "-6", 12}, {"0.000001", "0.000012", 12}, {"7", "7", 1}, {"0", "0", 1 << 40}, {"999999999", "", 1 << 40}, {"-999999999", "", 1 << 40}} {
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
	}{{"10", "0.4", 25, false}, {"1", "0.333333", 3, true}, {"2", "0.666667", 3, true}, {"-2", "-0.666667", 3, true}, {"0.000001", "0.000001", 2, true}, {"5", "5", 1, false}} {
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
