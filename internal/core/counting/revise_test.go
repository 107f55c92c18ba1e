package counting

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"wobin/internal/core/quantity"
)

// shelf is what stands, by slot: a plain store of entries that Revise is held against.
type shelf struct {
	next  int64
	stand map[string]Standing
}

func (s *shelf) key(pos int64, round int, parcel int64) string {
	return fmt.Sprint(pos, " ", round, " ", parcel)
}

func (s *shelf) put(x Standing) {
	s.next++
	x.ID = s.next
	s.stand[s.key(x.Pos, x.Round, x.Parcel)] = x
}

func (s *shelf) list() (out []Standing) {
	for _, x := range s.stand {
		out = append(out, x)
	}
	return out
}

func (s *shelf) sum(pos int64) (n quantity.Quantity) {
	for _, x := range s.stand {
		if x.Pos == pos && !x.Withdrawn {
			n += x.Quantity
		}
	}
	return n
}

// taken takes a file in as the desk does, withdrawing what it has no more.
func (s *shelf) taken(t require.TestingT, b *Back) Revision {
	r := Revise(b, s.list(), true)
	slots := map[string]bool{}
	for i := range b.Counts {
		c := &b.Counts[i]
		k := s.key(c.Pos, c.Round, c.Parcel)
		require.False(t, slots[k], "two counts of one file in one slot")
		slots[k] = true
		if c.Replaces < 0 {
			continue
		}
		before, had := s.stand[k]
		require.Equal(t, had, c.Replaces != 0)
		if had {
			require.Equal(t, before.ID, c.Replaces)
		}
		s.put(Standing{Pos: c.Pos, Round: c.Round, Parcel: c.Parcel, Sheet: c.Sheet, Quantity: c.Quantity, At: c.At, FromFile: true})
	}
	for _, m := range r.Missing {
		require.False(t, slots[s.key(m.Pos, m.Round, m.Parcel)], "what is missing is not in the file")
		m.Withdrawn = true
		s.put(m)
	}
	return r
}

// Whatever versions of a sheet come back one after the other, with rows filled, emptied, added by hand, taken out and put in
// another order, what stands in the end is what the last one says, where what it has no more is withdrawn; and the same
// file again changes nothing.
func TestLastVersionStands(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		s := &shelf{stand: map[string]Standing{}}
		for range rapid.IntRange(1, 5).Draw(t, "versions") {
			b := &Back{Sheets: []int{1}}
			want := map[int64]quantity.Quantity{}
			for pos := int64(1); pos <= 3; pos++ {
				if rapid.Bool().Draw(t, "own row") {
					q := quantity.Quantity(rapid.IntRange(0, 3).Draw(t, "q"))
					b.Counts = append(b.Counts, Count{Pos: pos, Round: 1, Sheet: 1, Quantity: q, At: 5, Timed: true})
					want[pos] += q
				}
				for range rapid.IntRange(0, 3).Draw(t, "by hand") {
					q := quantity.Quantity(rapid.IntRange(0, 3).Draw(t, "q"))
					b.Counts = append(b.Counts, Count{Pos: pos, Round: 1, Sheet: 1, Quantity: q, At: 5, Timed: true, ByHand: true})
					want[pos] += q
				}
			}
			b.Counts = rapid.Permutation(b.Counts).Draw(t, "order")
			first := s.taken(t, b)
			assert.Equal(t, len(b.Counts), len(first.Added)+len(first.Revised)+first.Unchanged)
			for pos := int64(1); pos <= 3; pos++ {
				require.Equal(t, want[pos], s.sum(pos), "pos %d", pos)
			}
			for i := range b.Counts {
				b.Counts[i].Parcel, b.Counts[i].Replaces = 0, 0
			}
			again := s.taken(t, b)
			require.Len(t, b.Counts, again.Unchanged)
			require.Empty(t, again.Missing)
			require.Empty(t, again.Again)
		}
	})
}

// Counts of a line that stand in slots the file does not touch are told, and so is what a later version has no more.
func TestWhatIsAsked(t *testing.T) {
	own := func(q quantity.Quantity) Count {
		return Count{Pos: 1, Round: 1, Sheet: 1, Quantity: q, At: 5, Timed: true}
	}
	hand := func(sheet int, q quantity.Quantity) Count {
		c := own(q)
		c.Sheet, c.ByHand = sheet, true
		return c
	}
	// A file without row codes, and then the coded sheet of the same line.
	s := &shelf{stand: map[string]Standing{}}
	r := s.taken(t, &Back{Counts: []Count{hand(0, 4)}})
	assert.Empty(t, r.Again)
	r = s.taken(t, &Back{Sheets: []int{1}, Counts: []Count{own(4)}})
	require.Len(t, r.Again, 1)
	assert.Equal(t, quantity.Quantity(4), r.Again[0].Before[0].Quantity)
	assert.Empty(t, r.Missing, "a count that may be the same is not withdrawn by the way")
	// Two pallets in one file are two.
	s = &shelf{stand: map[string]Standing{}}
	r = s.taken(t, &Back{Sheets: []int{1}, Counts: []Count{own(4), hand(1, 4)}})
	assert.Empty(t, r.Again)
	// 3 and 2 by hand, then 5: the 3 is revised and the 2 is missing. Then 2 alone: the 5 is revised.
	s = &shelf{stand: map[string]Standing{}}
	s.taken(t, &Back{Sheets: []int{1}, Counts: []Count{hand(1, 3), hand(1, 2)}})
	b := &Back{Sheets: []int{1}, Counts: []Count{hand(1, 5)}}
	r = Revise(b, s.list(), true)
	assert.True(t, r.Revises)
	require.Len(t, r.Missing, 1)
	require.Len(t, r.Revised, 1)
	assert.Equal(
		t,
		[]quantity.Quantity{3, 5, 2},
		[]quantity.Quantity{r.Revised[0].Before.Quantity, r.Revised[0].Count.Quantity, r.Missing[0].Quantity},
	)
	// Typed counts that a first file of the sheet leaves empty are told, but that file is no later version.
	r = Revise(&Back{Sheets: []int{1}, Counts: []Count{own(1)}}, []Standing{{ID: 9, Pos: 2, Round: 1, Sheet: 1, Quantity: 7}}, true)
	assert.Len(t, r.Missing, 1)
	assert.False(t, r.Revises)
	// What was withdrawn is no count any more, so another one of its line is no double.
	r = Revise(
		&Back{Sheets: []int{1}, Counts: []Count{own(4)}},
		[]Standing{{ID: 9, Pos: 1, Round: 1, Parcel: Parcel(2, 1), Sheet: 2, Quantity: 4, Withdrawn: true, FromFile: true}},
		true,
	)
	assert.Empty(t, r.Again)
	assert.Len(t, r.Added, 1)
	// Another round is another slot, and no double.
	c := own(4)
	c.Round = 2
	r = Revise(
		&Back{Sheets: []int{1}, Counts: []Count{c}},
		[]Standing{{ID: 9, Pos: 1, Round: 1, Sheet: 1, Quantity: 7, FromFile: true}},
		true,
	)
	assert.Empty(t, r.Again)
	assert.False(t, r.Revises)
}
