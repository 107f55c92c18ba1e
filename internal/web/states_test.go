package web

import (
	"fmt"
	"net/http"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Every operation of a count × role × state of the count: while it runs nothing fails but in words; once it is finished nothing that
// would change it is done, and everybody who could look at it still can.
func TestStatesOfACount(t *testing.T) {
	paths := described(t)
	w := made(t, 5, 0)
	words := func() (n int) {
		var proof struct{ Links int }
		w.must(t, "controller", "POST", "/api/record/verify", "", &proof)
		return proof.Links
	}
	fill := strings.NewReplacer(
		"{count}",
		blind,
		"{number}",
		"1",
		"{pos}",
		"1",
		"{return}",
		"1",
		"{doubt}",
		"1", "{step}", "1",
		"{entry}",
		"1",
		"{cause}",
		"misplaced",
	)
	// What works nothing out but an answer.
	harmless := []string{
		"POST /api/counts/{count}/postings/preview",
		"POST /api/counts/{count}/more/tally",
		"POST /api/counts/{count}/uncounted",
		"POST /api/counts/{count}/deliver",
	}
	each := func(do func(id, method, path, role string)) {
		for path, methods := range paths {
			if !strings.Contains(path, "{count}") {
				continue
			}
			for m := range methods {
				for _, role := range roles {
					do(strings.ToUpper(m)+" "+path, strings.ToUpper(m), strings.Replace(fill.Replace(path), "/groups", "/groups?by=zone", 1), role)
				}
			}
		}
	}
	looked := map[string]int{}
	each(func(id, method, path, role string) {
		if method == http.MethodGet {
			status, body := w.call(t, role, method, path, "")
			assert.Less(t, status, 500, "%s as %s while it runs: %s", id, role, body)
			looked[id+role] = status
		}
	})

	var open struct{ Lines []struct{ Pos int64 } }
	w.must(t, "controller", "GET", "/api/counts/{blind}/variances?show=open&limit=100", "", &open)
	for _, l := range open.Lines {
		w.must(t, "controller", "POST", "/api/counts/{blind}/decisions", fmt.Sprintf(`{"lines":[%d],"kind":"accept","reason":"MISCOUNT"}`, l.Pos), nil)
	}
	var s struct{ Held, Accepted, Uncounted int }
	w.must(t, "controller", "GET", "/api/counts/{blind}", "", &s)
	status, body := w.call(
		t,
		"controller",
		"POST",
		"/api/counts/{blind}/finish",
		fmt.Sprintf(`{"held":%d,"accepted":%d,"uncounted":%d,"doubts":1}`, s.Held, s.Accepted, s.Uncounted),
	)
	require.Less(t, status, 300, body)
	before, tried := words(), 0
	each(func(id, method, path, role string) {
		if strings.HasSuffix(id, "/reopen") || strings.HasSuffix(id, "/reverse") {
			return // they open it again, as they are meant to
		}
		status, body := w.call(t, role, method, path, whoMay[id].body)
		assert.Less(t, status, 500, "%s as %s: %s", id, role, body)
		switch {
		case method == http.MethodGet: // a blind count that is finished is blind no more
			if looked[id+role] < 300 {
				assert.Less(t, status, 300, "%s as %s cannot be looked at any more: %s", id, role, body)
			}
		case !slices.Contains(harmless, id):
			tried++
			assert.GreaterOrEqual(t, status, 400, "%s as %s changed a finished count: %s", id, role, body)
		}
	})
	assert.Greater(t, tried, 80)
	assert.Equal(t, before, words(), "something went into the record")
}
