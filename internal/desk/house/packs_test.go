package house_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/desk/counting"
	"wobin/internal/desk/intake"
)

// A barcode that a pack has by itself names the item, but not whether packs were counted or what they hold: it is never guessed.
func TestBarcodesOfPacks(t *testing.T) {
	d := at(t)
	id := frozen(t, d, false)
	take(
		t,
		d,
		"packs.csv",
		"SKU,Pack unit,Pack size,Barcode\nSHK,,,4006381333931\nSHK,bx,25,4006381333948\nSHK,ctn,100,4006381333955\nROPE,coil,200,4006381333962\n",
	)
	dr := look(
		t,
		d,
		"scan.csv",
		"bin,barcode,counted,counted at\nA-1-2,4006381333931,40,2026-11-20T10:00:00Z\nB-1-1,4006381333948,1,2026-11-20T10:00:00Z\n"+
			"A-1-1,4006381333962,9,2026-11-20T10:00:00Z\n",
		intake.Choices{Count: id},
	)
	require.Equal(t, 1, dr.Effect.Refused, "the box; of the one row of the rope nobody knows that its barcode is not the rope's own")
	assert.Equal(t, "barcode of a pack", dr.Problems[0].Kind)
	assert.Contains(t, dr.Problems[0].List[0].Text, "is the barcode of SHK, a bx of 25")
	dr = look(
		t,
		d,
		"scan2.csv",
		"bin,barcode,counted,unit,counted at\nB-1-1,4006381333948,1,bx,2026-11-20T10:00:00Z\n",
		intake.Choices{Count: id},
	)
	require.Zero(t, dr.Effect.Refused, dr.Problems)
	takeDraft(t, d, dr)
	assert.Equal(t, "25", lineOf(t, d, id, "SHK", "B-1-1").Counted.String())
	typed := func(text string) error {
		_, err := d.Counting.TypeIn(
			ctx,
			nell,
			id,
			"",
			"UTC",
			[]counting.Typed{{Found: &counting.Found{Sheet: 1, Bin: "B-1-2", SKU: "4006381333955"}, Text: text}},
		)
		return err
	}
	require.ErrorContains(t, typed("3"), "is the barcode of a ctn of 100. Write how many of them, such as 3ctn")
	require.NoError(t, typed("3ctn"))
	assert.Equal(t, "300", lineOf(t, d, id, "SHK", "B-1-2").Counted.String())
}
