package web

import (
	"cmp"
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"maps"
	"net"
	"net/http"
	"slices"
	"strings"
	"sync"
	"time"
)

// What may be tried before it takes waiting: of one name, or one code, and from one address, from which many people may come.
const (
	freeOfName    = 4
	freeOfAddress = 40
	forgotten     = 15 * time.Minute // after this without an attempt, a bucket is as new
	mostBuckets   = 10_000
)

// bucket is who tries: a name from anywhere, a name from a browser that it has signed in with before, an address, or the one-time code.
type bucket struct {
	key  string
	free int
}

// attempts slows down guessing. Each attempt is noted in all of its buckets before it is proved, so that many at once are many.
type attempts struct {
	now func() time.Time
	mu  sync.Mutex
	by  map[string]*tried
}

type tried struct {
	wrong       int
	last, until time.Time
}

func newAttempts(now func() time.Time) *attempts { return &attempts{now: now, by: map[string]*tried{}} }

// begin notes an attempt, or tells how long to wait before the next one; then nothing is noted.
func (t *attempts) begin(in ...bucket) (wait time.Duration) {
	t.mu.Lock()
	defer t.mu.Unlock()
	now := t.now()
	for _, b := range in {
		if x := t.by[b.key]; x != nil {
			wait = max(wait, x.until.Sub(now))
		}
	}
	if wait > 0 {
		return wait
	}
	if len(t.by) >= mostBuckets {
		t.forget()
	}
	for _, b := range in {
		x := t.by[b.key]
		if x == nil || now.Sub(x.last) > forgotten {
			x = &tried{}
			t.by[b.key] = x
		}
		x.last = now
		if x.wrong++; x.wrong > b.free {
			x.until = now.Add(time.Duration(min(x.wrong-b.free, 12)) * 5 * time.Second)
		}
	}
	return 0
}

// forget drops half of the buckets: those that nobody has to wait for before those that somebody has, and of each the oldest first.
// Half of them, so that somebody who tries names without end does not have all of them gone over at each.
func (t *attempts) forget() {
	keys := slices.SortedFunc(maps.Keys(t.by), func(a, b string) int {
		x, y := t.by[a], t.by[b]
		return cmp.Or(x.until.Compare(y.until), x.last.Compare(y.last), cmp.Compare(a, b))
	})
	for _, key := range keys[:len(keys)/2] {
		delete(t.by, key)
	}
}

// back takes an attempt back that was not proved.
func (t *attempts) back(in ...bucket) {
	t.mu.Lock()
	defer t.mu.Unlock()
	for _, b := range in {
		if x := t.by[b.key]; x != nil {
			x.wrong, x.until = x.wrong-1, time.Time{}
		}
	}
}

// right forgets the wrong attempts of the first bucket, the name's own. Those of its address stay, less this one: whoever knows one
// password does not guess others the faster for it.
func (t *attempts) right(in ...bucket) {
	t.back(in...)
	t.mu.Lock()
	defer t.mu.Unlock()
	delete(t.by, in[0].key)
}

// known are browsers that somebody has signed in with. Strangers who guess at a name make it wait everywhere but there. It is
// forgotten when the program ends: then such a browser is like any other, until it is signed in with again.
type known struct{ secret []byte }

// knownCookie names the cookie of such a browser: a random text, and what proves that it was given for a name.
const knownCookie = "wobin_known"

func newKnown() *known {
	k := &known{secret: make([]byte, 32)}
	_, _ = rand.Read(k.secret) // never fails
	return k
}

func (k *known) proof(name, text string) string {
	m := hmac.New(sha256.New, k.secret)
	m.Write([]byte(name + "\x00" + text))
	return hex.EncodeToString(m.Sum(nil))
}

// cookie makes the cookie of a browser that a name has signed in with.
func (k *known) cookie(name string, secure bool) http.Cookie {
	text := rand.Text()
	return http.Cookie{
		Name:     knownCookie,
		Value:    text + "." + k.proof(folded(name), text),
		Path:     "/api/session",
		HttpOnly: true,
		Secure:   secure,
		SameSite: http.SameSiteStrictMode,
		MaxAge:   90 * 24 * 60 * 60,
	}
}

// buckets gives the buckets of an attempt to sign in.
func (k *known) buckets(name, cookie, address string) []bucket {
	name = folded(name)
	if text, proof, is := strings.Cut(cookie, "."); is && hmac.Equal([]byte(proof), []byte(k.proof(name, text))) {
		return []bucket{{"known\x00" + name + "\x00" + text, freeOfName}}
	}
	return []bucket{{"name\x00" + name, freeOfName}, {"address\x00" + address, freeOfAddress}}
}

// folded is a sign-in name as it is the same, however it is spelled.
func folded(name string) string { return strings.ToLower(strings.TrimSpace(name)) }

// addressOf is where a request came from: of IPv6 the network, of which one house has all addresses.
func addressOf(remote string) string {
	host, _, err := net.SplitHostPort(remote)
	if err != nil {
		host = remote
	}
	ip := net.ParseIP(host)
	if ip != nil && ip.To4() == nil {
		return ip.Mask(net.CIDRMask(64, 128)).String()
	}
	return host
}
