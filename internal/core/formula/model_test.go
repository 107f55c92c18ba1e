package formula_test

import (
	"fmt"
	"math/big"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// term is an expression as a tree of its own, which knows how it is written and what it comes to.
type term struct {
	text  string
	binds int // how tightly its outermost operator binds; 9 for a value
	is    *big.Rat
}

// within writes a term where only what binds at least so tightly may stand without brackets.
func (t term) within(binds int) string {
	if t.binds < binds {
		return "(" + t.text + ")"
	}
	return t.text
}

func rat(n, d int64) *big.Rat { return big.NewRat(n, d) }

// rounded rounds half away from zero at so many places.
func rounded(r *big.Rat, places int) *big.Rat {
	scale := new(big.Rat).SetInt(new(big.Int).Exp(big.NewInt(10), big.NewInt(int64(places)), nil))
	x := new(big.Rat).Mul(new(big.Rat).Abs(r), scale)
	x.Add(x, rat(1, 2))
	whole := new(big.Int).Quo(x.Num(), x.Denom())
	out := new(big.Rat).Quo(new(big.Rat).SetInt(whole), scale)
	if r.Sign() < 0 {
		out.Neg(out)
	}
	return out
}

// drawn draws a term of at most so many storeys. Operators bind as OpenFormula has them (part 4, 5.5): the sign before
// a value, then percent, powers, products, sums, joined texts, comparisons; all of them from left to right.
func drawn(t *rapid.T, storeys int, cells map[string]string) term {
	sub := func() term { return drawn(t, storeys-1, cells) }
	what := 0
	if storeys > 0 {
		what = rapid.IntRange(0, 13).Draw(t, "what")
	}
	binary := func(a, b term, op string, binds int, is *big.Rat) term {
		space := rapid.SampledFrom([]string{"", " "}).Draw(t, "space")
		return term{a.within(binds) + space + op + space + b.within(binds+1), binds, is}
	}
	call := func(is *big.Rat, name string, args ...string) term {
		return term{name + "(" + strings.Join(args, rapid.SampledFrom([]string{";", "; "}).Draw(t, "parted")) + ")", 9, is}
	}
	switch what {
	case 0, 1:
		n, places := rapid.Int64Range(0, 5000).Draw(t, "number"), rapid.IntRange(0, 3).Draw(t, "places")
		is := rat(n, []int64{1, 10, 100, 1000}[places])
		text := is.FloatString(places)
		if rapid.Bool().Draw(t, "in a cell") {
			name := fmt.Sprintf("c%d", len(cells))
			cells[name], text = text, "'"+name+"'"
		}
		return term{text, 9, is}
	case 2:
		a, b := sub(), sub()
		return binary(a, b, "+", 4, new(big.Rat).Add(a.is, b.is))
	case 3, 4:
		a, b := sub(), sub()
		return binary(a, b, "-", 4, new(big.Rat).Sub(a.is, b.is))
	case 5:
		a, b := sub(), sub()
		return binary(a, b, "*", 5, new(big.Rat).Mul(a.is, b.is))
	case 6, 7:
		a, b := sub(), sub()
		if b.is.Sign() == 0 {
			return a
		}
		return binary(a, b, "/", 5, new(big.Rat).Quo(a.is, b.is))
	case 8:
		a := sub()
		return term{"-" + a.within(8), 8, new(big.Rat).Neg(a.is)}
	case 9:
		a := sub()
		return term{a.within(7) + "%", 7, new(big.Rat).Quo(a.is, rat(100, 1))}
	case 10:
		a, places := sub(), rapid.IntRange(0, 4).Draw(t, "places")
		return call(rounded(a.is, places), "ROUND", a.text, fmt.Sprint(places))
	case 11:
		a, b := sub(), sub()
		if a.is.Cmp(b.is) < 0 {
			return call(b.is, "MAX", a.text, b.text)
		}
		return call(a.is, "MAX", a.text, b.text)
	case 12:
		a, b, c := sub(), sub(), sub()
		op, holds := "<", a.is.Cmp(b.is) < 0
		if rapid.Bool().Draw(t, "or equal") {
			op, holds = ">=", a.is.Cmp(b.is) >= 0
		}
		if !holds {
			return call(b.is, "IF", a.within(4)+op+b.within(4), c.text, b.text)
		}
		return call(c.is, "IF", a.within(4)+op+b.within(4), c.text, b.text)
	}
	a, b := sub(), sub()
	if b.is.Sign() == 0 {
		return a
	}
	q := new(big.Rat).Quo(a.is, b.is)
	floor := new(big.Int).Div(q.Num(), q.Denom()) // Euclidean: the divisor is above zero
	return call(new(big.Rat).Sub(a.is, new(big.Rat).Mul(new(big.Rat).SetInt(floor), b.is)), "MOD", a.text, b.text)
}

// Whatever is calculated comes to what it comes to on exact fractions, in the standard's order of operators.
func TestFormulasOnExactFractions(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		cells := map[string]string{}
		x := drawn(t, 4, cells)
		got, err := eval(t, "ROUND("+x.text+";6)", cells)
		if err != nil { // a number may be out of range: that is said, and is no wrong result
			require.ErrorContains(t, err, "too large", x.text)
			return
		}
		want := strings.TrimRight(strings.TrimRight(rounded(x.is, 6).FloatString(6), "0"), ".")
		if want == "-0" || want == "" {
			want = "0"
		}
		require.Equal(t, want, got, x.text)
	})
}
