package stock

import (
	"fmt"
	"maps"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"wobin/internal/core/quantity"
)

// plainLine is a line as the plain model keeps it, by its key as text.
type plainLine struct {
	recorded, reserved int64
	hasReserved        bool
	cost               int64
	costed             bool
	record             string
}

func plainOf(b *Book) map[string]plainLine {
	out := map[string]plainLine{}
	for i := range b.Lines {
		l := &b.Lines[i]
		t := b.Codes.Texts(l.Key)
		out[t[Bin]+"/"+t[SKU]] = plainLine{int64(l.Recorded), int64(l.Reserved), l.HasReserved, int64(l.Cost), l.Costed, b.RecordID(l)}
	}
	return out
}

// laid is what comes of a file laid over lines, as the modes are told in words, one row after the other.
func laid(was, file map[string]plainLine, t Taking) (is map[string]plainLine, told map[string]What) {
	is, told = maps.Clone(was), map[string]What{}
	for k, row := range file {
		old, there := was[k]
		if t.Rows == "add" && there || t.Rows == "change" && !there {
			told[k] = Passed
			continue
		}
		l := row
		switch {
		case t.Quantity == "take" && there:
			l.recorded = old.recorded - row.recorded
		case t.Quantity == "take":
			l.recorded = -row.recorded
		case t.Quantity == "add":
			l.recorded += old.recorded
		}
		if there && t.Quantity != "" && !row.hasReserved {
			l.reserved, l.hasReserved = old.reserved, old.hasReserved
		}
		if there && !row.costed && !t.Clear {
			l.cost, l.costed = old.cost, old.costed
		}
		if there && row.record == "" {
			l.record = old.record
		}
		is[k] = l
		told[k] = Changed
		if !there {
			told[k] = Added
		} else if l == old {
			told[k] = Unchanged
		}
	}
	if !t.Only {
		for k := range was {
			if _, has := file[k]; !has {
				delete(is, k)
				told[k] = Gone
			}
		}
	}
	return is, told
}

// Whatever the modes, a file laid over lines makes of them what a plain map says, tells each line once and rightly, and
// leaves a book in which every line is found.
func TestMergeAgainstModel(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		book := func(what string) *Book {
			b := &Book{}
			keys := rapid.SliceOfNDistinct(rapid.IntRange(0, 11), 0, 9, func(k int) int { return k }).Draw(t, what)
			for i, k := range keys {
				var key Key
				key[Warehouse] = b.Codes[Warehouse].Intern([]byte("W"))
				key[Bin] = b.Codes[Bin].Intern(fmt.Appendf(nil, "A-%d", k/3))
				key[SKU] = b.Codes[SKU].Intern(fmt.Appendf(nil, "S%d", k%3))
				l := Line{Key: key, Recorded: quantity.Quantity(rapid.Int64Range(-5, 20).Draw(t, "recorded")), Row: int32(i + 2)}
				if l.HasReserved = rapid.Bool().Draw(t, "reserved known"); l.HasReserved {
					l.Reserved = quantity.Quantity(rapid.Int64Range(0, 3).Draw(t, "reserved"))
				}
				if l.Costed = rapid.Bool().Draw(t, "costed"); l.Costed {
					l.Cost = quantity.Cost(rapid.Int64Range(0, 3).Draw(t, "cost"))
				}
				b.Lines = append(b.Lines, l)
				b.SetRecordID(&b.Lines[i], []byte(rapid.SampledFrom([]string{"", "r1", "r2"}).Draw(t, "record id")))
			}
			return b
		}
		before, file := book("before"), book("file")
		taking := Taking{
			Only:     rapid.Bool().Draw(t, "only"),
			Rows:     rapid.SampledFrom([]string{"", "add", "change"}).Draw(t, "rows"),
			Quantity: rapid.SampledFrom([]string{"", "add", "take"}).Draw(t, "quantity"),
			Clear:    rapid.Bool().Draw(t, "clear"),
		}
		is, told := laid(plainOf(before), plainOf(file), taking)
		heard := map[string]What{}
		Merge(before, file, taking, func(what What, was, now, of *Line, first int32) {
			l := now
			if l == nil {
				l = was
			}
			k := before.Codes.Texts(l.Key)
			name := k[Bin] + "/" + k[SKU]
			_, twice := heard[name]
			assert.False(t, twice, "%s is told once", name)
			heard[name] = what
			assert.Equal(t, what == Gone, of == nil, "a line that goes has none in the file")
		})
		assert.Equal(t, told, heard)
		assert.Equal(t, is, plainOf(before))
		for n := range before.Lines {
			assert.Equal(t, n, before.Find(before.Lines[n].Key))
		}
		order := before.Order()
		assert.Len(t, order, len(before.Lines))
		assert.False(t, before.Twice(order))
		slices.Sort(order)
		for n, at := range order {
			assert.Equal(t, uint32(n), at, "each line has one place in the order")
		}
	})
}
