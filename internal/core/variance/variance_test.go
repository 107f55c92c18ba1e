package variance

import (
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"wobin/internal/core/quantity"
	"wobin/internal/core/stock"
)

func q(s string) quantity.Quantity {
	v, err := quantity.Parse(s)
	if err != nil {
		panic(err)
	}
	return v
}

func limit(s string) *quantity.Quantity { v := q(s); return &v }

func money(cents int64) *quantity.Money { m := quantity.Money(cents); return &m }

func TestTolerance(t *testing.T) {
	for _, c := range []struct {
		name               string
		t                  Tolerance
		variance, expected string
		value              int64
		valued             bool
		want               bool
	}{
		{"none lets only zero pass", Tolerance{}, "0.000001", "10", 0, true, false},
		{"quantity, limit included", Tolerance{Quantity: limit("2")}, "-2", "10", -999_99, true, true},
		{"quantity, beyond", Tolerance{Quantity: limit("2")}, "2.000001", "10", 0, true, false},
		{"percent, limit included", Tolerance{Percent: limit("1")}, "-1", "100", 0, true, true},
		{"percent of a negative expectation", Tolerance{Percent: limit("1")}, "1", "-100", 0, true, true},
		{"percent of nothing", Tolerance{Percent: limit("50")}, "1", "0", 0, true, false},
		{"either of the two", Tolerance{Quantity: limit("1"), Percent: limit("10")}, "5", "100", 0, true, true},
		{"value on top cuts", Tolerance{Quantity: limit("5"), Value: money(100)}, "3", "100", 101, true, false},
		{"value on top lets pass", Tolerance{Quantity: limit("5"), Value: money(100)}, "3", "100", -100, true, true},
		{"value alone", Tolerance{Value: money(100)}, "3000", "100", 100, true, true},
		{"no value is never within", Tolerance{Value: money(100)}, "1", "100", 0, false, false},
		{"no value is never within, with quantity", Tolerance{Quantity: limit("5"), Value: money(100)}, "1", "100", 0, false, false},
	} {
		assert.Equal(t, c.want, c.t.Within(q(c.variance), q(c.expected), quantity.Money(c.value), c.valued), c.name)
	}
}

func TestEvaluate(t *testing.T) {
	mv := func(qty string, at int64) stock.Movement { return stock.Movement{Quantity: q(qty), At: at} }
	en := func(qty string, at int64, round int) Entry { return Entry{q(qty), at, 0, round} }
	for name, c := range map[string]struct {
		in        Input
		tol       Tolerance
		status    Status
		expected  string
		variance  string
		meanwhile bool
	}{
		"two pallets add up": {Input{Recorded: q("10"), Row: true, Entries: []Entry{en("4", 5, 1), en("6", 6, 1)}},
			Tolerance{}, Match, "10", "0", false},
		"the highest round stands": {Input{Recorded: q("10"), Row: true, Entries: []Entry{en("4", 5, 1), en("9", 7, 2), en("5",
			6, 1)}}, Tolerance{}, Short, "10", "-1", false},
		"moved up to the counting time, included": {Input{Recorded: q("10"), Row: true, Frozen: 1, Movements: []stock.Movement{mv("-1", 1),
			mv("-2", 5), mv("-4", 6)}, Entries: []Entry{en("8", 5, 1)}}, Tolerance{}, Match, "8", "0", false},
		"moved while counting is not tolerated": {Input{Recorded: q("10"), Row: true, Movements: []stock.Movement{mv("1", 5)},
			Entries: []Entry{en("5", 4, 1), en("5", 6, 1)}}, Tolerance{Quantity: limit("9")}, Short, "11", "-1", true},
		"a movement at the first entry is before": {Input{Recorded: q("10"), Row: true, Movements: []stock.Movement{mv("1", 4)},
			Entries: []Entry{en("5", 4, 1), en("5", 6, 1)}}, Tolerance{Quantity: limit("9")}, Tolerated, "11", "-1", false},
		"moved while paper was counted is not tolerated": {Input{Recorded: q("10"), Row: true, Movements: []stock.Movement{mv("1", 5)},
			Entries: []Entry{{q("10"), 6, 4, 1}}}, Tolerance{Quantity: limit("9")}, Short, "11", "-1", true},
		"moved before paper was counted": {Input{Recorded: q("10"), Row: true, Movements: []stock.Movement{mv("1", 4)},
			Entries: []Entry{{q("10"), 6, 4, 1}}}, Tolerance{Quantity: limit("9")}, Tolerated, "11", "-1", false},
		"found": {Input{Entries: []Entry{en("3", 4, 1)}}, Tolerance{}, Found, "0", "3", false},
		"found within tolerance": {Input{Entries: []Entry{en("3", 4, 1)}}, Tolerance{Quantity: limit("3")}, Tolerated, "0",
			"3", false},
		"no row but a movement: over": {Input{Movements: []stock.Movement{mv("1", 2)}, Entries: []Entry{en("3", 4, 1)}},
			Tolerance{}, Over, "1", "2", false},
		"counted zero of nothing": {Input{Entries: []Entry{en("0", 4, 1)}}, Tolerance{}, Match, "0", "0", false},
		"uncounted is reckoned at the latest time": {Input{Recorded: q("5"), Row: true, Latest: 9, Movements: []stock.Movement{mv("2", 8),
			mv("4", 10)}}, Tolerance{}, Uncounted, "7", "0", false},
	} {
		r, err := Evaluate(&c.in, c.tol)
		require.NoError(t, err, name)
		assert.Equal(t, c.status, r.Status, name)
		assert.Equal(t, c.expected, r.Expected.String(), name)
		assert.Equal(t, c.variance, r.Variance.String(), name)
		assert.Equal(t, c.meanwhile, r.MovedMeanwhile, name)
	}
	_, err := Evaluate(
		&Input{Recorded: quantity.Limit - 1, Row: true, Entries: []Entry{{Quantity: quantity.Limit - 1}, {Quantity: 5}}},
		Tolerance{},
	)
	assert.Equal(t, quantity.ErrTooLarge, err)
}

// Neither the order of movements nor that of entries changes anything, and the figures foot.
func TestOrderAndFooting(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var f, parts Figures
		for range rapid.IntRange(1, 12).Draw(t, "lines") {
			in := Input{
				Row:    rapid.Bool().Draw(t, "row"),
				Costed: rapid.Bool().Draw(t, "costed"),
				Cost:   quantity.Cost(rapid.Int64Range(0, 1e9).Draw(t, "cost")),
				Latest: 50,
			}
			if in.Row {
				in.Recorded = quantity.Quantity(rapid.Int64Range(-1e9, 1e9).Draw(t, "recorded"))
			}
			for range rapid.IntRange(0, 5).Draw(t, "moves") {
				in.Movements = append(
					in.Movements,
					stock.Movement{
						Quantity: quantity.Quantity(rapid.Int64Range(-1e8, 1e8).Draw(t, "m")),
						At:       rapid.Int64Range(0, 100).Draw(t, "at"),
					},
				)
			}
			for range rapid.IntRange(0, 4).Draw(t, "entries") {
				in.Entries = append(
					in.Entries,
					Entry{
						quantity.Quantity(rapid.Int64Range(0, 1e9).Draw(t, "e")),
						rapid.Int64Range(0, 100).Draw(t, "at"),
						rapid.Int64Range(0, 100).Draw(t, "from"),
						rapid.IntRange(1, 2).Draw(t, "round"),
					},
				)
			}
			tol := Tolerance{Quantity: limit("5")}
			r, err := Evaluate(&in, tol)
			require.NoError(t, err)
			other := in
			other.Movements, other.Entries = append([]stock.Movement(nil), in.Movements...), append([]Entry(nil), in.Entries...)
			rand.Shuffle(
				len(other.Movements),
				func(i, j int) { other.Movements[i], other.Movements[j] = other.Movements[j], other.Movements[i] },
			)
			rand.Shuffle(len(other.Entries), func(i, j int) { other.Entries[i], other.Entries[j] = other.Entries[j], other.Entries[i] })
			again, err := Evaluate(&other, tol)
			require.NoError(t, err)
			assert.Equal(t, r, again)
			f.Add(&in, &r)
			var one Figures
			one.Add(&in, &r)
			parts.Merge(one)
		}
		assert.Equal(t, f, parts)
		assert.Equal(t, f.Counted, f.Match+f.Tolerated+f.Over+f.Short+f.Found)
		assert.Equal(t, f.Values.Net, f.Values.Over+f.Values.Short)
		assert.Equal(t, f.Values.Gross, f.Values.Over-f.Values.Short)
	})
}

// Two rounds that must agree: nothing is counted before they do, and the stock may have moved in between. A third round stands by itself.
func TestTwoRoundsAgree(t *testing.T) {
	mv := []stock.Movement{{Quantity: q("-4"), At: 5}}
	en := func(qty string, at int64, round int) Entry { return Entry{q(qty), at, 0, round} }
	for name, c := range map[string]struct {
		entries  []Entry
		moves    []stock.Movement
		status   Status
		pending  Pending
		variance string
	}{
		"none":                 {nil, nil, Uncounted, NotPending, "0"},
		"one":                  {[]Entry{en("9", 2, 1)}, nil, Uncounted, Once, "0"},
		"the other one":        {[]Entry{en("9", 2, 2)}, nil, Uncounted, Once, "0"},
		"the same":             {[]Entry{en("9", 2, 1), en("9", 3, 2)}, nil, Short, NotPending, "-1"},
		"pallets of one":       {[]Entry{en("4", 2, 1), en("6", 2, 1), en("10", 3, 2)}, nil, Match, NotPending, "0"},
		"another":              {[]Entry{en("9", 2, 1), en("10", 3, 2)}, nil, Uncounted, Differ, "0"},
		"moved in between":     {[]Entry{en("10", 2, 1), en("6", 6, 2)}, mv, Match, NotPending, "0"},
		"not moved for one":    {[]Entry{en("10", 2, 1), en("10", 6, 2)}, mv, Uncounted, Differ, "0"},
		"a third decides":      {[]Entry{en("9", 2, 1), en("10", 3, 2), en("8", 4, 3)}, nil, Short, NotPending, "-2"},
		"a third of one alone": {[]Entry{en("9", 2, 1), en("8", 4, 3)}, nil, Short, NotPending, "-2"},
	} {
		in := Input{
			Recorded:  q("10"),
			Row:       true,
			Movements: c.moves,
			Entries:   c.entries,
			Agree:     true,
			Zero:      true,
			Latest:    4,
			Costed:    true,
			Cost:      1000,
		}
		if c.entries == nil {
			in.Zero = false
		}
		r, err := Evaluate(&in, Tolerance{})
		require.NoError(t, err, name)
		assert.Equal(t, []any{c.status, c.pending, c.variance}, []any{r.Status, r.Pending, r.Variance.String()}, name)
		slices.Reverse(in.Entries)
		again, err := Evaluate(&in, Tolerance{})
		require.NoError(t, err)
		assert.Equal(t, r, again, name)
	}
}

// A line is disputed where it was counted three times and what stands agrees with no other count, as the stock moved in between.
func TestDisputed(t *testing.T) {
	en := func(qty string, at int64, round int) Entry { return Entry{q(qty), at, 0, round} }
	for name, c := range map[string]struct {
		entries []Entry
		moves   []stock.Movement
		want    bool
	}{
		"twice":                     {[]Entry{en("9", 2, 1), en("8", 3, 3)}, nil, false},
		"three say three":           {[]Entry{en("9", 2, 1), en("8", 3, 3), en("7", 4, 4)}, nil, true},
		"the last as the first":     {[]Entry{en("9", 2, 1), en("8", 3, 3), en("9", 4, 4)}, nil, false},
		"the last as the second":    {[]Entry{en("9", 2, 1), en("8", 3, 3), en("8", 4, 4)}, nil, false},
		"the first two agreed":      {[]Entry{en("9", 2, 1), en("9", 3, 2), en("8", 4, 3)}, nil, true},
		"pallets of one add up":     {[]Entry{en("4", 2, 1), en("3", 2, 1), en("8", 3, 3), en("7", 4, 4)}, nil, false},
		"three entries, two rounds": {[]Entry{en("4", 2, 1), en("3", 2, 1), en("8", 3, 3)}, nil, false},
		"moved in between":          {[]Entry{en("9", 2, 1), en("8", 3, 3), en("5", 6, 4)}, []stock.Movement{{Quantity: q("-4"), At: 5}}, false},
		"equal but for what moved":  {[]Entry{en("9", 2, 1), en("8", 3, 3), en("9", 6, 4)}, []stock.Movement{{Quantity: q("-4"), At: 5}}, true},
		"a fourth agrees":           {[]Entry{en("9", 2, 1), en("8", 3, 3), en("7", 4, 4), en("8", 5, 5)}, nil, false},
	} {
		for _, agree := range []bool{false, true} {
			in := Input{Recorded: q("10"), Row: true, Movements: c.moves, Entries: slices.Clone(c.entries), Latest: 6, Agree: agree}
			r, err := Evaluate(&in, Tolerance{})
			require.NoError(t, err, name)
			assert.Equal(t, c.want, r.Disputed, name)
			slices.Reverse(in.Entries)
			again, err := Evaluate(&in, Tolerance{})
			require.NoError(t, err)
			assert.Equal(t, r, again, name)
		}
	}
}

// What two rounds do not agree on wants no decision, whatever went out of it before.
func TestPendingLinesWantNoDecision(t *testing.T) {
	for _, pending := range []Pending{Once, Differ} {
		r := Result{Status: Uncounted, Pending: pending}
		rest, err := r.Rest(Sent{Postings: 1, Quantity: -6 * quantity.Scale}, true)
		require.NoError(t, err)
		assert.Equal(t, 6*quantity.Quantity(quantity.Scale), rest.Quantity, "it foots all the same")
		assert.False(t, rest.Wants)
	}
}

// What other counts sent is expected whenever the line was counted, and where nothing was; it is no stock that nobody knew of.
func TestWhatOtherCountsSentIsExpected(t *testing.T) {
	in := Input{Recorded: 10 * quantity.Scale, Row: true, Frozen: 100, Latest: 100, Elsewhere: -3 * quantity.Scale}
	r, err := Evaluate(&in, Tolerance{})
	require.NoError(t, err)
	assert.Equal(t, []string{"7", "-3", "uncounted"}, []string{r.Expected.String(), r.Moved.String(), string(r.Status)})
	in.Entries = []Entry{{Quantity: 7 * quantity.Scale, At: 50, Round: 1}} // before the freeze
	r, err = Evaluate(&in, Tolerance{})
	require.NoError(t, err)
	assert.Equal(t, Match, r.Status)
	assert.False(t, r.MovedMeanwhile)
	in.Recorded, in.Row, in.Elsewhere = 0, false, 2*quantity.Scale
	r, err = Evaluate(&in, Tolerance{})
	require.NoError(t, err)
	assert.Equal(t, Over, r.Status)
}

// Of rounds that agree the latest stands, with its quantity and its moment: the stock moved in between.
func TestTheLatestOfAgreeingRoundsStands(t *testing.T) {
	in := Input{Recorded: 10 * quantity.Scale, Row: true, Frozen: 100, Latest: 400, Stands: Agreeing,
		Movements: []stock.Movement{{Quantity: 2 * quantity.Scale, At: 250}},
		Entries: []Entry{{Quantity: 7 * quantity.Scale, At: 200, Round: 1}, {Quantity: 9 * quantity.Scale, At: 300, Round: 2},
			{Quantity: 12 * quantity.Scale, At: 400, Round: 3}}}
	r, err := Evaluate(&in, Tolerance{})
	require.NoError(t, err)
	assert.Equal(t, []any{2, "9", "-3", int64(300)}, []any{r.Round, r.Counted.String(), r.Variance.String(), r.CountedAt})
	in.Stands, in.Agree, in.Entries = Last, true, in.Entries[:2]
	r, err = Evaluate(&in, Tolerance{})
	require.NoError(t, err)
	assert.Equal(t, []any{2, "9", "-3", int64(300), NotPending}, []any{r.Round, r.Counted.String(), r.Variance.String(), r.CountedAt, r.Pending})
}
