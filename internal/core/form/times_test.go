package form_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"wobin/internal/core/form"
)

// A day alone has no time of day: how it is meant is asked, or given with it.
func ExampleParseTime() {
	at, err := form.ParseTime("2026-11-20T06:00:00+01:00", time.UTC)
	fmt.Println(time.Unix(0, at).UTC().Format(time.RFC3339), err)
	_, err = form.ParseTime("yesterday", time.UTC)
	fmt.Println(err)
	// Output:
	// 2026-11-20T05:00:00Z <nil>
	// is not a time. Write it as 2026-11-21 06:00 or 2026-11-21T06:00:00+01:00
}

func TestParseTime(t *testing.T) {
	berlin, err := time.LoadLocation("Europe/Berlin")
	require.NoError(t, err)
	for in, want := range map[string]string{
		"2026-11-20 06:00": "2026-11-20T05:00:00Z", "2026-07-01T06:00:30": "2026-07-01T04:00:30Z",
		"2026-11-20T06:00:00+05:00": "2026-11-20T01:00:00Z", "2026-03-29 03:00": "2026-03-29T01:00:00Z",
	} {
		at, err := form.ParseTime(in, berlin)
		require.NoError(t, err, in)
		assert.Equal(t, want, time.Unix(0, at).UTC().Format(time.RFC3339), in)
	}
	for in, want := range map[string]error{"20.11.2026": form.ErrNotTime, "": form.ErrNotTime, "2026-11-20": form.ErrNotTime,
		"2026-03-29 02:30": form.ErrNoTime, "2026-10-25 02:30": form.ErrTwoTimes, "1066-01-01 00:00": form.ErrTimeRange} {
		_, err := form.ParseTime(in, berlin)
		assert.Equal(t, want, err, in)
	}
	// Every moment printed in the zone reads back as itself, unless the clock had that hour twice.
	rapid.Check(t, func(t *rapid.T) {
		at := time.Unix(rapid.Int64Range(0, 4_000_000_000).Draw(t, "at"), 0)
		got, err := form.ParseTime(at.In(berlin).Format("2006-01-02 15:04:05"), berlin)
		if err != form.ErrTwoTimes {
			require.NoError(t, err)
			assert.Equal(t, at.UnixNano(), got)
		}
	})
}
