package desk

import (
	"context"
	"errors"
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Work that goes on is listed with how far it is, can be cancelled by who began it and by a controller, and leaves its last word.
func TestJobs(t *testing.T) {
	d := New(nil, func() time.Time { return time.Date(2026, 11, 20, 9, 0, 0, 0, time.UTC) })
	ida, bram, cap := Person{ID: 1, Name: "Ida", Role: "controller"}, Person{ID: 2, Name: "Bram", Role: "counter"}, Person{ID: 3, Role: "counter"}
	stopped := make(chan struct{})
	events, end := d.Events.Listen()
	defer end()
	long := d.Begin(bram, "Reading back.csv", func() { close(stopped) }).About("abc", 0)
	long.Progress(250, 1000, 12)
	e := <-events
	assert.Equal(t, []any{"progress", "abc", 250, 12}, []any{e.What, e.Draft, e.Done, e.Rows})
	of := func(p Person) []Job {
		list, err := d.Running(p)
		require.NoError(t, err)
		return list
	}
	require.Len(t, of(ida), 1)
	require.Len(t, of(bram), 1)
	assert.Empty(t, of(cap), "what somebody else does")
	assert.Equal(t, []any{"Reading back.csv", 250, true, (*time.Time)(nil)}, []any{of(bram)[0].Text, of(bram)[0].Done, of(bram)[0].Stops, of(bram)[0].Ended})
	require.ErrorIs(t, d.Stop(cap, long.job.ID), ErrNotFound)
	require.NoError(t, d.Stop(ida, long.job.ID))
	<-stopped
	long.End("", fmt.Errorf("read: %w", context.Canceled), false)
	assert.Empty(t, of(bram), "over in a moment")

	kept := d.Begin(ida, "Taking in stock.csv", nil)
	require.ErrorContains(t, d.Stop(ida, kept.job.ID), "cannot be cancelled")
	kept.End("3 new.", nil, true)
	assert.Equal(t, []any{"3 new.", false}, []any{of(ida)[0].Word, of(ida)[0].Wrong})
	assert.Nil(t, kept.cancel, "what ended holds nothing of what was worked on")
	wrong := d.Begin(ida, "Taking in odd.csv", nil)
	wrong.End("", errors.New("the disk is full"), true)
	assert.Equal(t, []any{"The disk is full", true}, []any{of(ida)[0].Word, of(ida)[0].Wrong})
	for i := range 100 {
		d.Begin(ida, fmt.Sprint("job ", i), nil).End("done", nil, true)
	}
	require.Len(t, of(ida), keptJobs)
	assert.Equal(t, "job 99", of(ida)[0].Text)
}
