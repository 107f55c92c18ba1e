package web

import (
	"context"
	"sync/atomic"

	"github.com/danielgtaylor/huma/v2"
)

// Passwords are hashed two at a time, each with 64 MiB; a few more wait, and whoever comes beyond them is told to try again. So nobody
// who is not signed in takes the memory of those who work.
const hashesAtOnce, hashesWaiting = 2, 16

// hashing is the gate before the hashes. Its zero value is closed; newHashing opens it.
type hashing struct {
	slots chan struct{}
	waits atomic.Int32
}

func newHashing() *hashing { return &hashing{slots: make(chan struct{}, hashesAtOnce)} }

// enter waits for a place, and gives it back with leave. It refuses where too many wait already.
func (h *hashing) enter(ctx context.Context) (leave func(), err error) {
	if h.waits.Add(1) > hashesWaiting {
		h.waits.Add(-1)
		return nil, huma.Error429TooManyRequests("Many people sign in at this moment. Try again in a few seconds.")
	}
	defer h.waits.Add(-1)
	select {
	case h.slots <- struct{}{}:
		return func() { <-h.slots }, nil
	case <-ctx.Done():
		return nil, ctx.Err()
	}
}
