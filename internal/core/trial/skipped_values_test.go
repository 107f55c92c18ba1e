package trial_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/core/field"
	"wobin/internal/core/layout"
	"wobin/internal/core/problem"
	"wobin/internal/core/read"
	"wobin/internal/core/recognise"
)

// Where the rows of a value are to be left out, none of them is read, whichever field of an item the value stands in.
func TestRowsOfAValueAreLeftOut(t *testing.T) {
	const text = "sku,description,unit,category\nNEW-1,One,barrel,Ropes\nNEW-2,Two,m,Odds\nNEW-3,Three,m,Ropes\n"
	for f, value := range map[field.Field]string{field.Unit: "barrel", field.Category: "Odds"} {
		given := &layout.Layout{Kind: field.Items, Matches: []layout.Match{{Field: f, From: value, Do: "skip"}}}
		file := open(t, text)
		m, err := recognise.Sheet(file, 0, recognise.Want{Given: given, Known: fixture()})
		require.NoError(t, err)
		p := &problem.Problems{}
		items, err := read.Reading{Zone: time.UTC, Layout: given, Known: fixture()}.Items(file, m, p)
		require.NoError(t, err)
		skus := []string{}
		for _, it := range items.Items {
			skus = append(skus, it.SKU)
		}
		assert.Equal(t, map[field.Field][]string{field.Unit: {"NEW-2", "NEW-3"}, field.Category: {"NEW-1", "NEW-3"}}[f], skus)
		assert.Equal(t, 1, items.Left)
	}
}

// A column of signs is asked about where a number beside a minus has none; where the numbers bear their own, it says nothing new.
func TestSignsThatTheNumbersBear(t *testing.T) {
	for rows, asked := range map[string]bool{
		"W,A-1,00411,5,+\nW,A-2,00412,3,-\n":    true,
		"W,A-1,00411,5,+\nW,A-2,00412,-3,-\n":   false,
		"W,A-1,00411,5,+\nW,A-2,00412,(3),-\n":  false,
		"W,A-1,00411,5,+\nW,A-2,00412,0,-\n":    false, // nothing is below nothing
		"W,A-1,00411,-5,-\nW,A-2,00412,3,-\n":   true,
		"W,A-1,00411,-5,+\nW,A-2,00412,-3,-\n":  false,
		"W,A-1,00411,5,+\nW,A-2,00412,7,+\n":    false,
		"W,A-1,00411,5-,-\nW,A-2,00412,1.5,+\n": false,
	} {
		m, err := recognise.Sheet(open(t, "warehouse,bin,sku,on hand,\n"+rows), 0, recognise.Want{Kinds: []field.Kind{field.Stock}})
		require.NoError(t, err)
		is := false
		for _, a := range m.Asks {
			is = is || a.What == "sign"
		}
		assert.Equal(t, asked, is, rows)
	}
}
