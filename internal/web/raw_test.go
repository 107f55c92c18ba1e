package web

import (
	"bufio"
	"bytes"
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"io"
	"io/fs"
	"mime"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"testing/fstest"

	"github.com/gin-gonic/gin"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/desk"
	"wobin/internal/desk/intake"
)

// called asks as a person and gives the answer with its whole body.
func called(t *testing.T, who *http.Client, method, address, body string) (*http.Response, string) {
	t.Helper()
	req, err := http.NewRequest(method, address, strings.NewReader(body))
	require.NoError(t, err)
	if method != http.MethodGet && !strings.Contains(address, "/uploads?") {
		req.Header.Set("Content-Type", "application/json")
	}
	res, err := who.Do(req)
	require.NoError(t, err)
	defer res.Body.Close()
	b, err := io.ReadAll(res.Body)
	require.NoError(t, err)
	return res, string(b)
}

// A file goes in as it is, is settled over the wire, its refused rows come out under their name in any script, it is
// taken in once however often that is asked, and it can be had again to the byte.
func TestFilesThereAndBack(t *testing.T) {
	base, as := served(t, "controller")
	ida := as["controller"]
	file := "Whse;Bin;SKU;Qty\nW;A-1;ROPE;4 Stück\nW;A-2;SHK;7\n"
	query := url.Values{"name": {"Lagerliste Köln.csv"}, "zone": {"UTC"}}
	res, body := called(t, ida, http.MethodPost, base+"/api/uploads?"+query.Encode(), file)
	require.Equal(t, http.StatusOK, res.StatusCode, body)
	var d intake.Draft
	require.NoError(t, json.Unmarshal([]byte(body), &d))
	assert.Equal(t, 1, d.Effect.Refused)

	res, body = called(t, ida, http.MethodGet, base+"/api/uploads/"+d.ID+"/refused?sheet=0", "")
	assert.Equal(t, http.StatusOK, res.StatusCode)
	how, names, err := mime.ParseMediaType(res.Header.Get("Content-Disposition"))
	require.NoError(t, err)
	assert.Equal(t, []string{"attachment", "Lagerliste Köln - refused rows.csv"}, []string{how, names["filename"]})
	assert.Equal(t, "nosniff", res.Header.Get("X-Content-Type-Options"))
	assert.Equal(t, "no-store", res.Header.Get("Cache-Control"))
	assert.Contains(t, body, "W;A-1;ROPE;4 Stück;2;")

	res, body = called(t, ida, http.MethodPost, base+"/api/uploads/"+d.ID+"/take-in", `{"key":"12345678","leave_out":0}`)
	assert.Equal(t, http.StatusUnprocessableEntity, res.StatusCode, "what is left out has to be named")
	assert.Contains(t, body, "1")
	var first string
	for range 3 {
		res, body = called(t, ida, http.MethodPost, base+"/api/uploads/"+d.ID+"/take-in", `{"key":"abcdefgh","leave_out":1}`)
		require.Equal(t, http.StatusOK, res.StatusCode, body)
		if first == "" {
			first = body
		}
		assert.Equal(t, first, body)
	}
	res, body = called(t, ida, http.MethodGet, base+fmt.Sprintf("/api/files/%x?name=x%%22y.csv", sha256.Sum256([]byte(file))), "")
	require.Equal(t, http.StatusOK, res.StatusCode)
	assert.Equal(t, file, body)
	_, names, err = mime.ParseMediaType(res.Header.Get("Content-Disposition"))
	require.NoError(t, err)
	assert.Equal(t, "x_y.csv", names["filename"])
}

// Whatever is asked for that is not there, or is no question at all, is answered in words as RFC 9457 has it.
func TestOddQuestions(t *testing.T) {
	base, as := served(t, "controller")
	for _, c := range []struct {
		method, path, body string
		status             int
	}{
		{"POST", "/api/uploads?choices=%7B", "sku\n", 400}, {"POST", "/api/uploads?name=x.csv&zone=Nowhere/Land", "sku,quantity\nX,1\n", 422},
		{"POST", "/api/uploads?name=x.csv&into=nothing", "sku\n", 404},
		{"GET", "/api/uploads/nothing/refused?sheet=x", "", 404}, {"GET", "/api/uploads/nothing/rows?sheet=0&from=0&limit=5", "", 404},
		{"GET", "/api/files/" + strings.Repeat("0", 64), "", 404}, {"GET", "/api/files/" + strings.Repeat("G", 64), "", 404},
		{"GET", "/api/layouts/none/file", "", 404}, {"GET", "/api/counts/x/sheets.zip", "", 404}, {"GET", "/api/counts/9/sheets.zip", "", 404},
		{"GET", "/api/counts/1/sheets/x/csv", "", 404}, {"GET", "/api/counts/9/sheets/1/csv", "", 404}, {"GET",
			"/api/counts/9/postings/1/file", "", 404}, {"GET", "/api/counts/9/postings/x/file", "", 404},
		{"POST", "/api/uploads/nothing/settle", `{"set":`, 400}, {"PUT", "/api/layouts/x", `{"kind":"boats"}`, 422}, {"PUT", "/api/layouts/x",
			`{"kind":"stock","filter":"1 +"}`, 422}, {"PUT", "/api/layouts/x", `{"kind":"stock","more":1}`, 422},
		{"POST", "/api/counts", `{"name":"x","scope":{"warehouse":9},"rows":10,"blind":false}`, 404}, {"POST", "/api/intakes/9/undo", "", 404},
	} {
		res, body := called(t, as["controller"], c.method, base+c.path, c.body)
		assert.Equal(t, c.status, res.StatusCode, "%s %s: %s", c.method, c.path, body)
		var told struct {
			Title, Detail string
			Status        int
		}
		if assert.NoError(t, json.Unmarshal([]byte(body), &told), "%s: %s", c.path, body) {
			assert.NotEmpty(t, told.Title+told.Detail, c.path)
			assert.Equal(t, c.status, told.Status, c.path)
		}
		assert.NotContains(t, body, ".go:", "no stack trace")
	}
}

// What is refused says of what kind it is, so that a window can do the right thing: a key that was used for something else
// is a conflict, a full disk is told as such, at signing in too.
func TestKindsOfRefusal(t *testing.T) {
	base, as, s := servedOver(t, "controller")
	ida := as["controller"]
	upload := func(file string) string {
		res, body := called(t, ida, http.MethodPost, base+"/api/uploads?name=x.csv&zone=UTC", file)
		require.Equal(t, http.StatusOK, res.StatusCode, body)
		var d intake.Draft
		require.NoError(t, json.Unmarshal([]byte(body), &d))
		return d.ID
	}
	taken := func(id string) (int, string) {
		res, body := called(t, ida, http.MethodPost, base+"/api/uploads/"+id+"/take-in", `{"key":"one-key-for-two","leave_out":0}`)
		return res.StatusCode, body
	}
	status, body := taken(upload("warehouse,bin,sku,on hand\nW,A-1,ROPE,4\n"))
	require.Equal(t, http.StatusOK, status, body)
	status, body = taken(upload("warehouse,bin,sku,on hand\nW,A-1,ROPE,5\n"))
	assert.Equal(t, http.StatusConflict, status)
	assert.Contains(t, body, `"kind":"key"`)

	var pages int64
	require.NoError(t, s.Read(t.Context()).Raw("PRAGMA page_count").Scan(&pages).Error)
	require.NoError(t, s.LimitPages(t.Context(), pages))
	for range 200 { // until the pages that are there are full
		var res *http.Response
		res, body = called(t, &http.Client{}, http.MethodPost, base+"/api/session", `{"sign_in":"controller","password":"demo"}`)
		if status = res.StatusCode; status != http.StatusOK {
			break
		}
	}
	assert.Equal(t, http.StatusInsufficientStorage, status)
	assert.Contains(t, body, `"kind":"disk"`)
	assert.Contains(t, body, "full")
	require.NoError(t, s.LimitPages(t.Context(), 1<<30))
	res, _ := called(t, &http.Client{}, http.MethodPost, base+"/api/session", `{"sign_in":"controller","password":"demo"}`)
	assert.Equal(t, http.StatusOK, res.StatusCode)
}

// A kept file that was changed on the disk is never handed out as if it were whole: the answer breaks off.
func TestChangedFileBreaksOff(t *testing.T) {
	base, as, s := servedOver(t, "controller")
	file := "warehouse,bin,sku,on hand\n" + strings.Repeat("W,A-1,ROPE,4\n", 20_000)
	sha, _, err := s.Keep(strings.NewReader(file))
	require.NoError(t, err)
	res, body := called(t, as["controller"], http.MethodGet, base+"/api/files/"+sha, "")
	require.Equal(t, http.StatusOK, res.StatusCode)
	require.Equal(t, file, body)
	var kept string
	require.NoError(t, filepath.WalkDir(filepath.Join(s.Dir, "files"), func(path string, d fs.DirEntry, err error) error {
		if err == nil && strings.Contains(path, sha[2:]) {
			kept = path
		}
		return err
	}))
	require.NotEmpty(t, kept)
	require.NoError(t, os.Chmod(kept, 0o600))
	require.NoError(t, os.WriteFile(kept, []byte(strings.Replace(file, "ROPE,4", "ROPE,5", 1)), 0o600))
	got, err := as["controller"].Get(base + "/api/files/" + sha)
	require.NoError(t, err)
	defer got.Body.Close()
	_, err = io.ReadAll(got.Body)
	assert.Error(t, err, "it ends in an error, not as a whole file")
}

// No path leads out of the folders that files are handed out from.
func TestNoWayOut(t *testing.T) {
	base, as := served(t, "controller")
	for _, path := range []string{"/api/files/..%2f..%2fwobin.db", "/api/try/..%2fwobin.db", "/api/try/%2e%2e%2fwobin.db",
		"/api/layouts/..%2fx/file"} {
		res, body := called(t, as["controller"], http.MethodGet, base+path, "")
		assert.Equal(t, http.StatusNotFound, res.StatusCode, path)
		assert.NotContains(t, body, "SQLite", path)
	}
}

// An open window hears of what others do.
func TestEvents(t *testing.T) {
	base, as := served(t, "controller", "viewer")
	res, err := as["viewer"].Get(base + "/api/events")
	require.NoError(t, err)
	defer res.Body.Close()
	assert.Equal(t, "text/event-stream", res.Header.Get("Content-Type"))
	lines := bufio.NewScanner(res.Body)
	require.True(t, lines.Scan())
	assert.Equal(t, ": here", lines.Text())
	post := func(path, body string) string {
		res, text := called(t, as["controller"], http.MethodPost, base+path, body)
		require.Less(t, res.StatusCode, 300, text)
		return text
	}
	var d intake.Draft
	require.NoError(
		t,
		json.Unmarshal(
			[]byte(post("/api/uploads?name=s.csv&zone=UTC", "warehouse,bin,sku,quantity,as at\nW,A,X,1,2026-11-20T06:00:00Z\n")),
			&d,
		),
	)
	post("/api/uploads/"+d.ID+"/take-in", `{"key":"12345678","leave_out":0}`)
	for lines.Scan() {
		if text, is := strings.CutPrefix(lines.Text(), "data: "); is {
			var e desk.Event
			require.NoError(t, json.Unmarshal([]byte(text), &e))
			assert.NotEmpty(t, e.What)
			return
		}
	}
	require.Fail(t, "the stream ended without a word")
}

// The front end answers every path that is no file of its own, never one of the interface's.
func TestFront(t *testing.T) {
	g := gin.New()
	g.Use(recovered, headers)
	front(g, fs.FS(fstest.MapFS{"index.html": {Data: []byte("<title>Wobin</title>")}, "assets/x-1.js": {Data: []byte("1")}}))
	g.GET("/api/breaks", func(*gin.Context) { panic("secret thing") })
	for path, want := range map[string]struct {
		status      int
		body, cache string
	}{
		"/": {200, "Wobin", "no-cache"}, "/counts/2/variances": {200, "Wobin", "no-cache"}, "/assets": {200, "Wobin", "no-cache"},
		"/../../etc/passwd": {200, "Wobin", "no-cache"},
		"/assets/x-1.js":    {200, "1", "public, max-age=31536000, immutable"}, "/api/nothing": {404, "no such thing", "no-store"},
		"/api/breaks": {500, "Nothing was changed", "no-store"},
	} {
		w := httptest.NewRecorder()
		g.ServeHTTP(w, httptest.NewRequest(http.MethodGet, "http://wobin"+path, bytes.NewReader(nil)))
		assert.Equal(t, want.status, w.Code, path)
		assert.Contains(t, w.Body.String(), want.body, path)
		assert.Equal(t, want.cache, w.Header().Get("Cache-Control"), path)
		assert.NotContains(t, w.Body.String(), "secret", path)
		assert.NotEmpty(t, w.Header().Get("Content-Security-Policy"), path)
	}
}
