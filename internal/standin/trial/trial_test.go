package trial

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The one test that shows that Wobin is right: whatever the seed and the form of the adjustments, all of them land, and the records are
// what is there, to the last unit.
func TestTrial(t *testing.T) {
	seeds := uint64(8)
	if testing.Short() {
		seeds = 4
	}
	for seed := range seeds {
		res, err := Run(context.Background(), t.TempDir(), seed)
		require.NoError(t, err, "%+v", res)
		assert.True(t, res.Holds(), "%+v", res)
		t.Logf("%+v", res)
	}
}
