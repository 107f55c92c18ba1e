package web

import (
	"context"
	"net/http"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Two passwords are hashed at a time, some wait, and the others are told to try again.
func TestFewHashesAtOnce(t *testing.T) {
	h := newHashing()
	ctx, cancel := context.WithCancel(context.Background())
	var leave []func()
	for range hashesAtOnce {
		l, err := h.enter(ctx)
		require.NoError(t, err)
		leave = append(leave, l)
	}
	var wg sync.WaitGroup
	failed := make(chan error, hashesWaiting)
	for range hashesWaiting {
		wg.Go(func() {
			l, err := h.enter(ctx)
			if err == nil {
				l()
			}
			failed <- err
		})
	}
	require.Eventually(t, func() bool { return h.waits.Load() == hashesWaiting }, time.Minute, time.Millisecond)
	_, err := h.enter(ctx)
	require.ErrorContains(t, err, "Try again in a few seconds")
	leave[0]()
	require.NoError(t, <-failed, "who waits comes in when somebody leaves")
	for range hashesWaiting - 1 {
		require.NoError(t, <-failed)
	}
	wg.Wait()
	next, err := h.enter(ctx)
	require.NoError(t, err)
	cancel()
	_, err = h.enter(ctx)
	require.ErrorIs(t, err, context.Canceled)
	next()
	leave[1]()
}

// Attempts at one name are slowed however it is spelled, and the code of the owner is no name.
func TestTriesAreOfOneName(t *testing.T) {
	base, _ := served(t, "controller")
	try := func(name, password string) int {
		res, err := http.Post(
			base+"/api/session",
			"application/json",
			strings.NewReader(`{"sign_in":"`+name+`","password":"`+password+`"}`),
		)
		require.NoError(t, err)
		res.Body.Close()
		return res.StatusCode
	}
	for i, name := range []string{"controller", "CONTROLLER", " controller", "Controller ", "controller"} {
		assert.Equal(t, http.StatusUnprocessableEntity, try(name, "wrong"), i)
	}
	assert.Equal(t, http.StatusTooManyRequests, try("cOntroller", "wrong"))
	assert.Equal(t, http.StatusUnprocessableEntity, try("owner", "wrong"), "another name is not slowed")
}
