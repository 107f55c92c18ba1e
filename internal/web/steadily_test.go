package web

import (
	"bufio"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A body that stops coming ends; one that came is followed by as long an answer as it takes.
func TestSteadily(t *testing.T) {
	ended := make(chan error, 1)
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		r.Body = &steady{r.Body, http.NewResponseController(w), time.Now().Add(time.Hour), 100 * time.Millisecond}
		_, err := io.Copy(io.Discard, r.Body)
		if err == nil { // longer than a piece may take
			select {
			case <-r.Context().Done():
				err = r.Context().Err()
			case <-time.After(300 * time.Millisecond):
			}
		}
		ended <- err
	}))
	defer s.Close()
	res, err := http.Post(s.URL, "text/plain", strings.NewReader("all of it"))
	require.NoError(t, err)
	require.NoError(t, res.Body.Close())
	assert.NoError(t, <-ended)

	c, err := net.Dial("tcp", s.Listener.Addr().String())
	require.NoError(t, err)
	defer c.Close()
	w := bufio.NewWriter(c)
	fmt.Fprint(w, "POST / HTTP/1.1\r\nHost: x\r\nContent-Length: 100\r\n\r\na drop")
	require.NoError(t, w.Flush())
	select {
	case err := <-ended:
		assert.Error(t, err)
	case <-time.After(10 * time.Second):
		t.Fatal("it is still waited for")
	}
}
