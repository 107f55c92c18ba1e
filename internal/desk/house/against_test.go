package house_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/desk/intake"
)

// A list of items is held against those that are recorded: what one of them lacks is told and can be had as a file, and items that are
// recorded under another code are not made anew unasked.
func TestItemsHeldAgainstTheRecords(t *testing.T) {
	d := at(t)
	take(t, d, "items.csv", "sku,description,barcode\nROPE,Rope 8 mm,\nSHK,Bow shackle,4006381333931\nOLD,Cleat,\n")
	dr := look(t, d, "other.csv", "sku,description,category\nrope,Rope 8 mm,Ropes\nN-1,bow SHACKLE,Hardware\nN-2,Split pin,Hardware\n", intake.Choices{})
	require.NotNil(t, dr.Sheets[0].Held)
	assert.Equal(t, intake.Held{OnlyHere: 1, OnlyThere: 1, OtherCode: 1}, *dr.Sheets[0].Held)
	require.Len(t, dr.Sheets[0].Checks, 1)
	assert.Equal(t, "codes", dr.Sheets[0].Checks[0].What)
	assert.Contains(t, dr.Blocked, "1 new item seems to be recorded under another code")
	name, file, err := d.Intake.Against(ctx, nell, dr.ID, 0)
	require.NoError(t, err)
	assert.Equal(t, "other - against the records.csv", name)
	rows := strings.Split(strings.TrimSpace(string(file)), "\n")
	assert.Equal(t, []string{
		"under another code,N-1,SHK,bow SHACKLE,Bow shackle,name BOW SHACKLE",
		"only in the file,N-2,,Split pin,,",
		"only in the records,,OLD,,Cleat,",
	}, []string{strings.TrimSpace(rows[1]), strings.TrimSpace(rows[2]), strings.TrimSpace(rows[3])})
	dr, err = d.Intake.Settle(ctx, nell, dr.ID, intake.Answer{Check: "codes", Value: "as it is"})
	require.NoError(t, err)
	assert.Empty(t, dr.Blocked)
	assert.Equal(t, []int{2, 1, 0, 0, 0, 0}, effect(dr))
	dr, err = d.Intake.Settle(ctx, nell, dr.ID, intake.Answer{Check: "codes", Value: "recorded codes"})
	require.NoError(t, err)
	assert.Equal(t, []int{1, 2, 0, 0, 0, 0}, effect(dr))
	_, _, err = d.Intake.Against(ctx, nell, dr.ID, 3)
	require.Error(t, err)
}
