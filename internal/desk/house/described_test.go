package house_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/core/field"
	"wobin/internal/core/layout"
	"wobin/internal/desk/intake"
)

// A recorded item that a stock file describes as something else is asked about, with both descriptions: the recorded ones stay, or those of
// the file are taken, which undoing takes back. Another spelling is no other thing.
func TestItemsDescribedAsSomethingElseAreAskedAbout(t *testing.T) {
	d := at(t)
	take(t, d, "items.csv", "SKU,Description,Unit cost\nROPE,Rope 10 mm,2\nSHK,Bow shackle,1\nPAINT,White paint,3\n")
	const file = `Warehouse,Bin,SKU,Description,On hand,Item colour,As at
W,A-1,ROPE,Rope 12 mm,5,red,2026-11-20T06:00:00Z
W,A-2,SHK,SHACKLE (bow),5,,2026-11-20T06:00:00Z
W,A-2,ROPE,Rope 12 mm,7,red,2026-11-20T06:00:00Z
W,A-3,NEW,Something new,5,,2026-11-20T06:00:00Z
W,A-3,PAINT,,5,,2026-11-20T06:00:00Z
`
	described := func() map[string]string {
		out := map[string]string{}
		for _, sku := range []string{"ROPE", "SHK", "PAINT"} {
			v, err := d.Reference.Item(ctx, nell, sku)
			require.NoError(t, err)
			out[sku] = v.Description
		}
		return out
	}
	before := described()
	dr := look(t, d, "stock.csv", file, intake.Choices{})
	require.Equal(t, "1 recorded item is described as something else in the file. Are they the same things?", dr.Blocked)
	require.Equal(t, []intake.CheckRow{{Line: "ROPE", Text: `"Rope 12 mm" in the file, "Rope 10 mm" recorded`}}, dr.Sheets[0].Checks[0].Rows)
	_, err := d.Intake.TakeIn(ctx, nell, dr.ID, "", 0)
	require.Error(t, err, "it waits for an answer")

	for answer, want := range map[string]string{"as it is": "Rope 10 mm", "file": "Rope 12 mm"} {
		dr := look(t, d, "stock.csv", file, intake.Choices{Checks: map[string]string{"described 0": answer}})
		require.Empty(t, dr.Blocked)
		out, err := d.Intake.TakeIn(ctx, nell, dr.ID, "", 0)
		require.NoError(t, err)
		assert.Equal(t, map[string]string{"ROPE": want, "SHK": "Bow shackle", "PAINT": "White paint"}, described(), answer)
		require.NoError(t, d.Intake.Undo(ctx, nell, out.Intake, true))
		assert.Equal(t, before, described())
	}
}

// Two rows of an items file that are, but for their case, one recorded item are not both it: the later one is refused with the row of the
// first, though both were said to be right as they are.
func TestTwoRowsAreNotOneItem(t *testing.T) {
	d := at(t)
	take(t, d, "items.csv", "SKU,Description\nROPE,Rope\n")
	dr := look(t, d, "more.csv", "SKU,Description\nrope,Rope\nRope,Rope again\n", intake.Choices{})
	require.Len(t, dr.Problems, 1)
	set := layout.Layout{Matches: []layout.Match{{Field: field.SKU, From: "Rope", Do: "new"}, {Field: field.SKU, From: "rope", Do: "new"}}}
	dr, err := d.Intake.Settle(ctx, nell, dr.ID, intake.Answer{Set: &set})
	require.NoError(t, err)
	require.Len(t, dr.Problems, 1)
	assert.Contains(t, dr.Problems[0].List[0].Text, `is, but for its case, the same as row 2. Take one out`)
}
