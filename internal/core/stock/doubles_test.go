package stock

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"wobin/internal/core/quantity"
)

func bookOf(lines ...Line) *Book {
	b := &Book{}
	for i, l := range lines {
		l.Key[SKU] = b.Codes[SKU].Intern([]byte("X"))
		l.Row = int32(i + 2)
		b.Lines = append(b.Lines, l)
	}
	return b
}

// Rows of one key are summed exactly: what is reserved where any row knows it, costs by quantity, and a sum beyond the
// limit is refused at its row with the book unchanged.
func TestAddUp(t *testing.T) {
	most := quantity.Quantity(quantity.Limit - 1)
	for what, c := range map[string]struct {
		rows []Line
		is   Line
		bad  int32
	}{
		"reserved known by the first": {[]Line{{Recorded: 5, Reserved: 2, HasReserved: true}, {Recorded: 6}}, Line{Recorded: 11, Reserved: 2,
			HasReserved: true}, 0},
		"reserved known by the last": {[]Line{{Recorded: 5}, {Recorded: 6, Reserved: 3, HasReserved: true}}, Line{Recorded: 11, Reserved: 3,
			HasReserved: true}, 0},
		"reserved known by none": {[]Line{{Recorded: 5}, {Recorded: 6}}, Line{Recorded: 11}, 0},
		"costs by quantity": {[]Line{{Recorded: 1, Cost: 10, Costed: true}, {Recorded: 3, Cost: 20, Costed: true}}, Line{Recorded: 4,
			Cost: 18, Costed: true}, 0},
		"one cost unknown": {[]Line{{Recorded: 1, Cost: 10, Costed: true}, {Recorded: 3}}, Line{Recorded: 4, Cost: 10,
			Costed: true}, 0},
		"the first cost unknown": {[]Line{{Recorded: 1}, {Recorded: 3, Cost: 20, Costed: true}}, Line{Recorded: 4, Cost: 20,
			Costed: true}, 0},
		"three rows":                  {[]Line{{Recorded: 1}, {Recorded: 2}, {Recorded: 3}}, Line{Recorded: 6}, 0},
		"up to the limit":             {[]Line{{Recorded: most - 1}, {Recorded: 1}}, Line{Recorded: most}, 0},
		"beyond the limit":            {[]Line{{Recorded: most}, {Recorded: 1}}, Line{}, 3},
		"reserved beyond the limit":   {[]Line{{Reserved: most, HasReserved: true}, {Reserved: 1, HasReserved: true}}, Line{}, 3},
		"beyond the limit below zero": {[]Line{{Recorded: -most}, {Recorded: -1}}, Line{}, 3},
	} {
		b := bookOf(c.rows...)
		before := append([]Line(nil), b.Lines...)
		bad, ok := AddUp(b, b.Index())
		assert.Equal(t, c.bad == 0, ok, what)
		assert.Equal(t, c.bad, bad, what)
		if !ok {
			assert.Equal(t, before, b.Lines, what)
			continue
		}
		if assert.Len(t, b.Lines, 1, what) {
			c.is.Key, c.is.Row = b.Lines[0].Key, 2
			assert.Equal(t, c.is, b.Lines[0], what)
			assert.Zero(t, b.Find(b.Lines[0].Key), what)
		}
	}
}

// A movement without a bin belongs to the recorded rows that hold its key, and to found lines only where there are none.
func TestHolders(t *testing.T) {
	b := &Book{}
	add := func(bin string, row int32) {
		k := Key{}
		k[Bin], k[SKU] = b.Codes[Bin].Intern([]byte(bin)), b.Codes[SKU].Intern([]byte("X"))
		b.Lines = append(b.Lines, Line{Key: k, Row: row})
	}
	holders := func() []int {
		k := Key{}
		k[SKU], _ = b.Codes[SKU].Exact("X")
		return b.Holders(map[Key]bool{k: true})[k]
	}
	assert.Empty(t, holders())
	add("A", 0)
	assert.Equal(t, []int{0}, holders(), "found stock alone")
	add("B", 7)
	assert.Equal(t, []int{1}, holders(), "one recorded row goes before what was found")
	add("C", 8)
	assert.Equal(t, []int{1, 2}, holders(), "several")
}

// What a file does to a line that is there: quantities replace, are added or taken off, what it leaves empty stays, and an
// empty cost clears the one that is there where the mode says so.
func TestMergeOfOneLine(t *testing.T) {
	was := Line{Recorded: 10, Cost: 7, Costed: true, Reserved: 1, HasReserved: true}
	for what, c := range map[string]struct {
		taking Taking
		file   Line
		is     Line
	}{
		"replaced": {Taking{}, Line{Recorded: 4, Cost: 8, Costed: true}, Line{Recorded: 4, Cost: 8, Costed: true}},
		"added": {Taking{Quantity: "add"}, Line{Recorded: 4}, Line{Recorded: 14, Cost: 7, Costed: true, Reserved: 1,
			HasReserved: true}},
		"taken off": {Taking{Quantity: "take"}, Line{Recorded: 4}, Line{Recorded: 6, Cost: 7, Costed: true, Reserved: 1,
			HasReserved: true}},
		"an empty cost stays":  {Taking{}, Line{Recorded: 10}, Line{Recorded: 10, Cost: 7, Costed: true}},
		"an empty cost clears": {Taking{Clear: true}, Line{Recorded: 10}, Line{Recorded: 10}},
	} {
		before, file := bookOf(was), bookOf(c.file)
		before.Lines[0].Row = 1
		before.Index()
		file.Index()
		Merge(before, file, c.taking, func(What, *Line, *Line, *Line, int32) {})
		if assert.Len(t, before.Lines, 1, what) {
			l := before.Lines[0]
			assert.Equal(
				t,
				c.is,
				Line{Recorded: l.Recorded, Cost: l.Cost, Costed: l.Costed, Reserved: l.Reserved, HasReserved: l.HasReserved},
				what,
			)
		}
	}
}
