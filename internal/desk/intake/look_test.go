package intake

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A person has so many files looked at at once; another one waits, until one ends or nobody waits for it any more, and holds up
// nobody else.
func TestTurnsOfAPerson(t *testing.T) {
	var l looks
	ctx := context.Background()
	first, err := l.take(ctx, 1)
	require.NoError(t, err)
	for range looksAtOnce - 1 {
		_, err = l.take(ctx, 1)
		require.NoError(t, err)
	}
	gone, leave := context.WithCancel(ctx)
	leave()
	_, err = l.take(gone, 1)
	require.ErrorIs(t, err, context.Canceled)
	other, err := l.take(ctx, 2)
	require.NoError(t, err)
	other()
	waits := make(chan error)
	go func() {
		_, err := l.take(ctx, 1)
		waits <- err
	}()
	select {
	case <-waits:
		assert.Fail(t, "it did not wait")
	default:
	}
	first()
	require.NoError(t, <-waits)
}
