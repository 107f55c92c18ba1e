package stock

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"wobin/internal/core/code"
	"wobin/internal/core/quantity"
)

// Names behave as a map from text to number does.
func TestNames(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var n Names
		want := map[string]ID{"": 0}
		for _, s := range rapid.SliceOfN(rapid.StringMatching(`[a-cA-C]{0,2}(long text beyond the slot)?`), 0, 400).Draw(t, "names") {
			id := n.Intern([]byte(s))
			if before, seen := want[s]; seen {
				assert.Equal(t, before, id)
			}
			want[s] = id
			assert.Equal(t, s, n.Text(id))
			found, ok := n.Find(s)
			assert.True(t, ok)
			assert.Equal(t, id, found)
		}
		assert.Equal(t, len(want), n.Len())
	})
}

// Codes resolve exactly first, else without regard to case where that is unambiguous, whatever the order.
func TestAdopt(t *testing.T) {
	var known, other Names
	for _, s := range []string{"Ab", "AB", "cd"} {
		known.Intern([]byte(s))
	}
	for _, s := range []string{"CD", "ab", "AB", "ef", "EF"} {
		other.Intern([]byte(s))
	}
	to := known.Adopt(&other)
	var got []string
	for i := 1; i < other.Len(); i++ {
		got = append(got, known.Text(to[i]))
	}
	assert.Equal(t, []string{"cd", "ab", "AB", "ef", "EF"}, got)
}

// Order is the natural order of all parts, and Find finds every line.
func TestOrder(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		b := &Book{}
		seen := map[Key]bool{}
		for range rapid.IntRange(0, 60).Draw(t, "lines") {
			var k Key
			for p := range k {
				k[p] = b.Codes[p].Intern([]byte(rapid.StringMatching(`[AB]?-?[0-9]{0,2}`).Draw(t, "code")))
			}
			if !seen[k] {
				seen[k] = true
				b.Lines = append(b.Lines, Line{Key: k})
			}
		}
		assert.Empty(t, b.Index())
		for i := range b.Lines {
			assert.Equal(t, i, b.Find(b.Lines[i].Key))
		}
		order := b.Order()
		assert.Len(t, order, len(b.Lines))
		assert.True(t, slices.IsSortedFunc(order, func(x, y uint32) int {
			a, c := b.Codes.Texts(b.Lines[x].Key), b.Codes.Texts(b.Lines[y].Key)
			for p := range a {
				if d := code.Compare(a[p], c[p]); d != 0 {
					return d
				}
			}
			return 0
		}))
	})
}

// The cost of a key without a row: the same on all rows of the warehouse, else on all rows, else the item's. A row without one has its
// item's, and says so.
func TestCosts(t *testing.T) {
	b := &Book{}
	key := func(w, s string) Key {
		return Key{Warehouse: b.Codes[Warehouse].Intern([]byte(w)), SKU: b.Codes[SKU].Intern([]byte(s))}
	}
	wanted := map[ID]bool{}
	for i, l := range []struct {
		w, s string
		cost quantity.Cost
		none bool
	}{{"A", "X", 5, false}, {"A", "X", 5, false}, {"B", "X", 7, false}, {"B", "X", 8, false}, {"A", "Y", 3, false}, {"B", "Y", 3, false},
		{"A", "Z", 3, false}, {"A", "Z", 0, true}} {
		b.Lines = append(b.Lines, Line{Key: key(l.w, l.s), Row: int32(i + 2), Cost: l.cost, Costed: !l.none})
		wanted[key(l.w, l.s)[SKU]] = true
	}
	costs := b.Costs(wanted, map[ID]quantity.Cost{key("A", "Z")[SKU]: 4, key("B", "X")[SKU]: 6})
	for _, c := range []struct {
		w, s string
		want quantity.Cost
		from CostSource
	}{{"A", "X", 5, CostOfRows}, {"B", "X", 6, CostOfItem}, {"C", "X", 6, CostOfItem}, {"C", "Y", 3, CostOfRows}, {"A", "Z", 4, CostOfItem}} {
		assert.Equal(t, Costing{c.want, true, c.from}, costs.For(key(c.w, c.s)), c)
	}
	assert.Equal(t, Costing{}, b.Costs(wanted, nil).For(key("B", "X")), "nothing says what it costs")
	assert.Equal(t, Costing{4, true, CostOfItem}, costs.Of(&b.Lines[7]))
	assert.Equal(t, Costing{3, true, CostOfLine}, costs.Of(&b.Lines[6]))
	assert.Equal(t, Costing{}, b.Costs(wanted, nil).Of(&b.Lines[7]))
}

// Many lines are indexed by two workers at a time, with the same result: every line is found, and where a key comes
// twice both places are told in their order.
func TestIndexOfMany(t *testing.T) {
	const n = 1 << 17
	b := &Book{}
	for i := range n {
		b.Lines = append(b.Lines, Line{Key: Key{1, ID(i/7 + 1), ID(i%7 + 1)}})
	}
	assert.Empty(t, b.Index())
	for i := n - 1; i >= 0; i -= 3 {
		assert.Equal(t, i, b.Find(b.Lines[i].Key))
	}
	assert.Equal(t, -1, b.Find(Key{2, 1, 1}))
	b.Lines[n-1].Key, b.Lines[n/2].Key = b.Lines[5].Key, b.Lines[5].Key
	assert.Equal(t, [][2]int{{5, n / 2}, {5, n - 1}}, b.Index())
}

// Names that are another one but for their case are told, wherever they stand.
func TestAlike(t *testing.T) {
	for _, c := range []struct {
		names []string
		a, b  string
		more  int
	}{{nil, "", "", 0}, {[]string{"A", "B"}, "", "", 0}, {[]string{"A", "b"}, "", "", 0}, {[]string{"A", "b", "a"}, "A", "a", 1},
		{[]string{"ÄX", "äx", "Äx", "Y"}, "ÄX", "äx", 2}, {[]string{"ropE", "Rope", "X", "x"}, "ropE", "Rope", 2}} {
		var n Names
		for _, t := range c.names {
			n.Intern([]byte(t))
		}
		a, b, more := n.Alike()
		assert.Equal(t, []any{c.a, c.b, c.more}, []any{a, b, more}, c.names)
	}
}
