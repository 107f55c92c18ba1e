package web

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Guessing at a name takes ever longer, from wherever and however it is spelled; the browser that the name has signed in with is not
// held up by it; guessing at many names from one address takes longer, too; time that passes forgives.
func TestAttempts(t *testing.T) {
	now := time.Date(2026, 11, 21, 8, 0, 0, 0, time.UTC)
	a, k := newAttempts(func() time.Time { return now }), newKnown()
	stranger := func(name string, n int) []bucket { return k.buckets(name, "", fmt.Sprintf("10.0.0.%d", n)) }
	for n := range freeOfName + 1 {
		require.Zero(t, a.begin(stranger([]string{"ida", " IDA", "Ida "}[n%3], n)...))
	}
	assert.Equal(t, 5*time.Second, a.begin(stranger("ida", 9)...), "from elsewhere, too")
	assert.Zero(t, a.begin(stranger("bram", 1)...), "others are not held up")

	mine := k.cookie("Ida", true)
	assert.True(t, mine.Secure && mine.HttpOnly)
	from := k.buckets("ida", mine.Value, "10.0.0.9")
	assert.Zero(t, a.begin(from...))
	a.right(from...)
	assert.NotZero(t, a.begin(k.buckets("ida", mine.Value+"0", "10.0.0.9")...), "a forged one is none")
	assert.Equal(t, stranger("bram", 9), k.buckets("bram", mine.Value, "10.0.0.9"), "it is for its name")
	for range freeOfName + 1 {
		require.Zero(t, a.begin(from...))
	}
	assert.NotZero(t, a.begin(from...), "in a stolen browser it takes as long")

	now = now.Add(5 * time.Second)
	assert.Zero(t, a.begin(stranger("ida", 9)...))
	assert.Equal(t, 10*time.Second, a.begin(stranger("ida", 9)...))
	now = now.Add(forgotten + time.Second)
	for range freeOfName + 1 {
		assert.Zero(t, a.begin(stranger("ida", 9)...))
	}

	// One password that is known forgives no guesses at other names.
	for n := range freeOfAddress + 1 {
		require.Zero(t, a.begin(stranger(fmt.Sprint("p", n), 77)...), n)
	}
	assert.NotZero(t, a.begin(stranger("another", 77)...))
	now = now.Add(6 * time.Second)
	own := stranger("cap", 77)
	require.Zero(t, a.begin(own...))
	a.right(own...)
	require.Zero(t, a.begin(stranger("p99", 77)...))
	assert.NotZero(t, a.begin(stranger("p98", 77)...))

	// However many names are tried, and however often each: there is an end to what is kept of them, and who has to wait goes on waiting.
	locked := bucket{"locked", 0}
	require.Zero(t, a.begin(locked))
	for n := range 3 * mostBuckets {
		for range 2 {
			require.Zero(t, a.begin(bucket{fmt.Sprint("x", n), 4}))
		}
	}
	assert.LessOrEqual(t, len(a.by), mostBuckets)
	assert.NotZero(t, a.begin(locked))
	assert.Equal(t, addressOf("[2001:db8::1]:99"), addressOf("[2001:db8::ffff:2]:1"))
	assert.NotEqual(t, addressOf("192.0.2.1:9"), addressOf("192.0.2.2:9"))
}

// A name that somebody else has locked is let in with the right password from the browser that it knows.
func TestKnownBrowser(t *testing.T) {
	base, as := served(t)
	sign := func(who *http.Client, password string) int {
		status, _ := sent(t, who, "POST", base+"/api/session", `{"sign_in":"Counter","password":"`+password+`"}`)
		return status
	}
	require.Equal(t, 200, sign(as["counter"], "demo"))
	stranger := &http.Client{}
	for range freeOfName + 1 {
		require.NotEqual(t, 429, sign(stranger, "wrong"))
	}
	assert.Equal(t, 429, sign(stranger, "demo"))
	assert.Equal(t, 200, sign(as["counter"], "demo"))
}

// Only names of this server are served, and under TLS it says so.
func TestHosted(t *testing.T) {
	ok := http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) { w.WriteHeader(http.StatusNoContent) })
	for host, want := range map[string]int{
		"localhost:8080": 204, "127.0.0.1": 204, "[::1]:8080": 204, "192.0.2.7:80": 204, "stock.example.org": 204, "STOCK.example.org.:443": 204,
		"evil.example": 421, "localhost.evil.example": 421, "": 421, "stock.example.org.evil:1": 421,
	} {
		r := httptest.NewRequest("GET", "/", nil)
		r.Host = host
		w := httptest.NewRecorder()
		hosted(Options{Hosts: []string{"stock.example.org"}, Secure: true}, ok).ServeHTTP(w, r)
		assert.Equal(t, want, w.Code, host)
		assert.NotEmpty(t, w.Header().Get("Strict-Transport-Security"))
	}
}
