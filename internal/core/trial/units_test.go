package trial_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"wobin/internal/core/field"
	"wobin/internal/core/known"
	"wobin/internal/core/layout"
	"wobin/internal/core/problem"
	"wobin/internal/core/quantity"
	"wobin/internal/core/read"
	"wobin/internal/core/recognise"
	"wobin/internal/core/remedy"
)

// measured knows one item, ROPE, kept in metres, with one pack, BX.
func measured(size int64) *recognise.Known {
	set := func(texts ...string) *known.Set {
		s := &known.Set{}
		for _, t := range texts {
			s.Add(t)
		}
		return s
	}
	return &recognise.Known{
		Sets: map[field.Field]*known.Set{
			field.SKU:       set("ROPE"),
			field.Warehouse: set("W"),
			field.Bin:       set("A"),
			field.Unit:      set("M", "BX", "PCS"),
		},
		Measure: func(sku, unit string) (int64, string, bool) {
			switch {
			case sku != "ROPE":
				return 1, "", false
			case unit == "M":
				return 1, "M", true
			case unit == "BX":
				return size, "M", true
			}
			return 0, "M", true
		},
	}
}

// readAs reads a text as what it is recognised for and gives the quantities of its good rows, with its problems.
func readAs(
	t require.TestingT,
	text string,
	r read.Reading,
) (kind field.Kind, got []quantity.Quantity, packed read.Packed, p *problem.Problems) {
	f := open(t, text)
	m, err := recognise.File(
		f,
		recognise.Want{Kinds: []field.Kind{field.Stock, field.Counts, field.Movements}, Known: r.Known, Given: r.Layout},
	)
	require.NoError(t, err)
	p = &problem.Problems{}
	r.Zone = time.UTC
	switch m.Kind {
	case field.Stock:
		s, err := r.Stock(f, m, p)
		require.NoError(t, err)
		for _, l := range s.Book.Lines {
			got = append(got, l.Recorded)
		}
		packed = s.Packed
	case field.Counts:
		s, err := r.Counts(f, m, p)
		require.NoError(t, err)
		for _, c := range s.Counts {
			got = append(got, c.Quantity)
		}
		packed = s.Packed
	case field.Movements:
		s, err := r.Movements(f, m, p)
		require.NoError(t, err)
		for _, x := range s.Movements {
			got = append(got, x.Quantity)
		}
		packed = s.Packed
	}
	return m.Kind, got, packed, p
}

// Whatever the kind, packs read the same as the base units that they hold, and another unit is refused.
func TestPacksAreBaseUnits(t *testing.T) {
	heads := map[field.Kind]string{
		field.Stock:     "warehouse,bin,sku,unit,on hand\nW,A,%s,%s,%s\n",
		field.Counts:    "warehouse,bin,sku,unit,counted\nW,A,%s,%s,%s\n",
		field.Movements: "warehouse,bin,sku,unit,quantity,moved at,reference\nW,A,%s,%s,%s,2026-11-20T06:00:00Z,R1\n",
	}
	rapid.Check(t, func(t *rapid.T) {
		size, n := rapid.Int64Range(1, 5000).Draw(t, "size"), quantity.Quantity(rapid.Int64Range(0, 1_000_000_000).Draw(t, "packs"))
		for kind, row := range heads {
			r := read.Reading{Known: measured(size)}
			as, packs, packed, p := readAs(t, fmt.Sprintf(row, "ROPE", "BX", n), r)
			require.Equal(t, kind, as)
			require.Zero(t, p.Len(), "%v", p)
			_, base, none, _ := readAs(t, fmt.Sprintf(row, "ROPE", "M", n*quantity.Quantity(size)), r)
			require.Equal(t, base, packs)
			require.Len(t, packs, 1)
			require.Equal(t, size != 1, packed.Rows == 1)
			require.Zero(t, none.Rows)
			_, good, _, p := readAs(t, fmt.Sprintf(row, "ROPE", "PCS", n), r)
			require.Empty(t, good)
			require.Equal(t, 1, p.Len())
			r.UnitsAsGiven = true
			_, asGiven, _, _ := readAs(t, fmt.Sprintf(row, "ROPE", "BX", n), r)
			require.Equal(t, []quantity.Quantity{n}, asGiven)
		}
	})
}

// A code that was matched to an item is measured by that item; too many packs are told, not wrapped round.
func TestPacksOfMatchedItems(t *testing.T) {
	l := &layout.Layout{Matches: []layout.Match{{Field: field.SKU, From: "ROPE-OLD", Do: "match", To: "ROPE"}}}
	_, got, packed, p := readAs(t, "warehouse,bin,sku,unit,on hand\nW,A,ROPE-OLD,BX,2\n", read.Reading{Known: measured(25), Layout: l})
	require.Zero(t, p.Len())
	assert.Equal(t, []quantity.Quantity{50 * quantity.Scale}, got)
	assert.Equal(t, "row 2: 2 BX of 25 became 50", packed.Example())
	_, got, _, p = readAs(t, "warehouse,bin,sku,unit,on hand\nW,A,ROPE,BX,"+strings.Repeat("9", 11)+"\n", read.Reading{Known: measured(25)})
	assert.Empty(t, got)
	assert.Equal(t, 1, p.Len())
}

// A row without a unit has none, whatever stands in the rows above it.
func TestNoUnitIsNone(t *testing.T) {
	s, _, _ := stockOf(t, "warehouse,bin,sku,unit,on hand\nW,A,X,M,1\nW,A,Y,case,1\nW,A,Z,,1\n", measured(25), nil)
	require.Len(t, s.Book.Lines, 3)
	assert.Empty(t, s.Book.Units.Text(s.Book.Lines[2].Unit))
}

// A unit beside the quantity is a pack where the item's pack is known; where it is not, the row is refused, and nothing offers to
// leave it away.
func TestPackBesideTheQuantity(t *testing.T) {
	text := "SKU,Warehouse,Bin,Qty\nROPE,W,A-1,2 BX\nROPE,W,A-2,3\nROPE,W,A-3,4 M\nTAR,W,A-4,2 BX\nROPE,W,A-5,2 crates\n"
	_, got, packed, p := readAs(t, text, read.Reading{Known: measured(25)})
	assert.Equal(t, []quantity.Quantity{50 * quantity.Scale, 3 * quantity.Scale, 4 * quantity.Scale}, got)
	assert.Equal(t, "row 2: 2 BX of 25 became 50", packed.Example())
	g := problem.Group{Kind: "unit or currency sign", Field: field.Quantity}
	assert.Equal(t, 2, p.Groups[g])
	f := open(t, text)
	m, err := recognise.File(f, recognise.Want{Kinds: []field.Kind{field.Stock}, Known: measured(25)})
	require.NoError(t, err)
	for _, r := range remedy.Of(m, p, g, nil) {
		assert.NotContains(t, r.Label, "BX", "how many are in one is nowhere in the file")
	}
}
