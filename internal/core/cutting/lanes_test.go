package cutting_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	. "wobin/internal/core/cutting"
)

func TestEnds(t *testing.T) {
	assert.Equal(t, []int64{1600, 2200, 5600}, Ends([]Lane{
		{Out: 1000, Seconds: 600, Rows: 40},
		{Out: 1100, Seconds: 600, Rows: 40}, // taken up when the first is done
		{Out: 5000, Seconds: 600, Rows: 40}, // handed out later
	}, 1200))
	assert.Equal(t, []int64{2150}, Ends([]Lane{{Out: 1000, Seconds: 600, Rows: 40, Counted: 30}}, 2000), "a quarter is left from now on")
	assert.Equal(t, []int64{2000}, Ends([]Lane{{Out: 1000, Seconds: 600, Rows: 40, Counted: 41}}, 2000))
	assert.Equal(t, []int64{2001}, Ends([]Lane{{Out: 1000, Seconds: 2, Rows: 3, Counted: 2}}, 2000), "rounded up")
	assert.Equal(t, []int64{1600}, Ends([]Lane{{Out: 1000, Seconds: 600}}, 2000), "a sheet of empty bins alone")
	assert.Equal(t, []int64{1600}, Ends([]Lane{{Out: 1000, Seconds: 600, Counted: 3}}, 2000), "found on it, where nothing was to be")
	assert.Empty(t, Ends(nil, 0))
}
