package web

import (
	"context"
	"net/http"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/clock"
	"wobin/internal/desk/house"
)

// What is no JSON is under the same rules: nothing of it without signing in, and each by role. A route that is missing here
// fails the test.
func TestWhoMayOfRaw(t *testing.T) {
	may := map[string][]string{
		"POST /api/uploads":                                {"controller", "counter"},
		"GET /api/uploads/:draft/refused":                  roles, // one's own upload
		"GET /api/uploads/:draft/against":                  roles, // one's own upload
		"GET /api/layouts/:name/file":                      roles,
		"GET /api/templates/:name":                         roles,
		"GET /api/layout.schema.json":                      roles,
		"GET /api/counts/:count/sheets/:number/:form":      roles,
		"GET /api/counts/:count/sheets.zip":                roles,
		"GET /api/counts/:count/sheets.pdf":                roles,
		"GET /api/counts/:count/postings/:number/file":     roles, // of a blind count: refused to its counters, as a count test shows
		"POST /api/counts/:count/lines/:pos/evidence":      {"controller"},
		"GET /api/counts/:count/evidence/:file":            roles,
		"GET /api/counts/:count/postings/:number/manifest": roles,
		"POST /api/out-layouts/propose":                    {"controller"},
		"GET /api/out-layouts/:name/file":                  roles,
		"GET /api/adjustment-layout.schema.json":           roles,
		"GET /api/counts/:count/report/:form":              roles,
		"GET /api/files/:sha":                              roles,
		"GET /api/try/:name":                               roles,
		"GET /api/events":                                  roles,
	}
	base, as := served(t)
	d, err := house.New(nil, clock.Now)
	require.NoError(t, err)
	raw := New(d, nil, Options{}).raw
	require.Len(t, raw, len(may))
	fill := strings.NewReplacer(
		":draft",
		"none",
		":count",
		"1",
		":number",
		"1",
		":form",
		"csv",
		":sha",
		strings.Repeat("0", 64),
		":name",
		"x",
		":pos",
		"1",
		":file",
		"1",
	)
	for _, route := range raw {
		allowed, listed := may[route]
		require.True(t, listed, "%s says not who may", route)
		method, path, _ := strings.Cut(route, " ")
		ask := func(who string) int {
			ctx, stop := context.WithCancel(context.Background())
			defer stop() // the events go on until then
			req, err := http.NewRequestWithContext(ctx, method, base+fill.Replace(path), strings.NewReader(""))
			require.NoError(t, err)
			res, err := as[who].Do(req)
			require.NoError(t, err)
			defer res.Body.Close()
			return res.StatusCode
		}
		assert.Equal(t, http.StatusUnauthorized, ask("nobody"), route)
		for _, r := range roles {
			got := ask(r)
			assert.Equal(t, slices.Contains(allowed, r), got != http.StatusForbidden, "%s as %s answered %d", route, r, got)
			assert.NotEqual(t, http.StatusUnauthorized, got, route)
			assert.Less(t, got, 500, route)
		}
	}
}
