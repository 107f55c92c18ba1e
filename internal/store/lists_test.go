package store

import (
	"context"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What is written by a list goes over the list once and finds each row by its key: over all rows of a set or a count for each of the list,
// a hundred thousand would take hours.
func TestListsFindTheirRowsByKey(t *testing.T) {
	s, err := Open(t.TempDir())
	require.NoError(t, err)
	defer s.Close()
	for _, q := range []string{updateValues("set_bins", "bin_id"), updateValues("set_items", "item_id"), updateRows, shiftMoves} {
		var plan []struct{ Detail string }
		require.NoError(t, s.Read(context.Background()).Raw("EXPLAIN QUERY PLAN "+q, "[]").Scan(&plan).Error)
		require.Len(t, plan, 2, q)
		assert.True(t, strings.HasPrefix(plan[0].Detail, "SCAN j "), "%s: %s", q, plan[0].Detail)
		assert.Regexp(t, `^SEARCH \w+ USING .*=\? AND `, plan[1].Detail, q)
	}
}
