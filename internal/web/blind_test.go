package web

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"math/rand/v2"
	"net/http"
	"net/url"
	"os"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gorm.io/gorm"

	"wobin/internal/desk/lists"
)

// A world is a house in which a blind count runs, made from a seed. Two worlds of one seed differ by one recorded quantity.
type world struct {
	base   string
	as     map[string]*http.Client
	files  []string // the SHA-256 of the files kept, in the order in which they came
	drafts []string
	lines  int
	events []string // what the counter's open window was told while the world was made: each different word once
}

// blind is the number of the blind count of a world. Before it, counts of the same warehouse are not blind: one that is finished, and
// one in two rounds, together with another warehouse.
const blind = "4"

// call asks and gives the status and the body.
func (w *world) call(t *testing.T, who, method, path, body string) (int, string) {
	t.Helper()
	path = strings.ReplaceAll(path, "{blind}", blind)
	ctx, stop := context.WithTimeout(context.Background(), time.Minute)
	defer stop()
	req, err := http.NewRequestWithContext(ctx, method, w.base+path, strings.NewReader(body))
	require.NoError(t, err)
	req.Header.Set("Content-Type", "application/json")
	if strings.HasPrefix(path, "/api/uploads?") {
		req.Header.Set("Content-Type", "application/octet-stream")
	}
	res, err := w.as[who].Do(req)
	require.NoError(t, err)
	defer res.Body.Close()
	b, err := io.ReadAll(res.Body)
	require.NoError(t, err)
	return res.StatusCode, string(b)
}

// must is call of what has to work, its answer read into something.
func (w *world) must(t *testing.T, who, method, path, body string, into any) {
	t.Helper()
	status, text := w.call(t, who, method, path, body)
	require.Less(t, status, 300, "%s %s %s: %s", method, path, body, text)
	if into != nil {
		require.NoError(t, json.Unmarshal([]byte(text), into))
	}
}

// take takes a file in.
func (w *world) take(t *testing.T, who, name, text, settle string) {
	t.Helper()
	var d struct {
		ID      string
		Blocked string
		Effect  struct{ Refused int }
	}
	w.must(t, who, "POST", "/api/uploads?zone=UTC&name="+url.QueryEscape(name), text, &d)
	if settle != "" {
		w.must(t, who, "POST", "/api/uploads/"+d.ID+"/settle", settle, &d)
	}
	require.Empty(t, d.Blocked, name)
	w.must(t, who, "POST", "/api/uploads/"+d.ID+"/take-in", fmt.Sprintf(`{"key":"take-%s","leave_out":%d}`, d.ID, d.Effect.Refused), nil)
}

// paperLine is a line as it is shown to who counts.
type paperLine struct {
	Pos     int64
	RowCode string `json:"row_code"`
	Bin     string
	SKU     string
}

// page gives the lines of a count, as they are shown to a counter.
func (w *world) page(t *testing.T, count string) []paperLine {
	t.Helper()
	var page struct{ Lines []paperLine }
	w.must(t, "counter", "GET", "/api/counts/"+count+"/lines?limit=100", "", &page)
	return page.Lines
}

// listen opens the stream of events as the counter. What it gives is what came until then: how often a thing is told, and how long
// it took, hangs on the machine.
func (w *world) listen(t *testing.T) (heard func() []string) {
	t.Helper()
	ctx, stop := context.WithCancel(context.Background())
	req, err := http.NewRequestWithContext(ctx, "GET", w.base+"/api/events", nil)
	require.NoError(t, err)
	res, err := w.as["counter"].Do(req)
	require.NoError(t, err)
	require.Equal(t, http.StatusOK, res.StatusCode)
	lines := bufio.NewScanner(res.Body)
	require.True(t, lines.Scan()) // it listens
	return func() []string {
		defer res.Body.Close()
		defer stop()
		w.must(t, "controller", "POST", "/api/people/3", `{"end":true}`, nil) // told to everybody, as the last thing
		told := map[string]bool{}
		for lines.Scan() && lines.Text() != `data: {"what":"people"}` {
			told[regexp.MustCompile(`,"since":\d+`).ReplaceAllString(shown(w, lines.Text()), "")] = true
		}
		require.NoError(t, lines.Err())
		return slices.Sorted(maps.Keys(told))
	}
}

// counted types counts of every second line of a count.
func (w *world) counted(t *testing.T, count string, from int) {
	t.Helper()
	for i, l := range w.page(t, count) {
		if i%2 == 0 {
			w.must(t, "counter", "POST", "/api/counts/"+count+"/entries", fmt.Sprintf(
				`{"key":"typed-%s-%03d","zone":"UTC","entries":[{"row_code":%q,"quantity":"%d"}]}`, count, i, l.RowCode, from+i), nil)
		}
	}
}

// sent decides lines of a count, every second one to be accepted, and sends out what it comes to.
func (w *world) sent(t *testing.T, count string) {
	t.Helper()
	var open struct{ Lines []struct{ Pos int64 } }
	w.must(t, "controller", "GET", "/api/counts/"+count+"/variances?show=open", "", &open)
	for i, l := range open.Lines {
		kind := []string{"accept", "hold"}[i%2]
		w.must(t, "controller", "POST", "/api/counts/"+count+"/decisions", fmt.Sprintf(`{"lines":[%d],"kind":%q,"reason":"MISCOUNT"}`, l.Pos, kind), nil)
	}
	var preview struct{ Lines int }
	w.must(t, "controller", "POST", "/api/counts/"+count+"/postings/preview", `{"mode":"difference"}`, &preview)
	require.Positive(t, preview.Lines)
	w.must(t, "controller", "POST", "/api/counts/"+count+"/postings", fmt.Sprintf(`{"key":"posting-%s","mode":"difference","lines":%d}`, count,
		preview.Lines), nil)
}

// made makes a world. more is laid on the recorded quantity of one of its lines.
func made(t *testing.T, seed uint64, more int) *world {
	base, as, s := servedOver(t)
	w := &world{base: base, as: as}
	require.NoError(t, s.Write(context.Background(), func(tx *gorm.DB) error { return tx.Exec("UPDATE people SET owner = 1 WHERE id = 1").Error }))
	heard := w.listen(t)
	rng := rand.New(rand.NewPCG(seed, 4))
	items, stock, first := "sku,description,unit,cost,barcode\n", "warehouse,zone,bin,sku,on hand,reserved,cost,recorded at\n", ""
	lines, changed := 8+rng.IntN(8), 0
	var keys [][2]string
	for i := range lines {
		items += fmt.Sprintf("ROPE-%d,Rope of sort %d,m,%d.5,%013d\n", i, i, 1+i, 4000000000100+i)
	}
	changed = rng.IntN(lines)
	for i := range lines {
		q := 1 + rng.IntN(30)
		if rng.IntN(5) == 0 {
			q = 0
		}
		bin, sku := fmt.Sprintf("A-%d-%d", 1+i/4, 1+i%4), fmt.Sprintf("ROPE-%d", rng.IntN(lines))
		if i == 3 {
			sku = keys[0][1]
		}
		keys = append(keys, [2]string{bin, sku})
		first += fmt.Sprintf("W,Front,%s,%s,%d,0,2.5,2026-11-19T06:00:00Z\n", bin, sku, q+1)
		if i == changed {
			q += more
		}
		stock += fmt.Sprintf("W,Front,%s,%s,%d,%d,2.5,2026-11-20T06:00:00Z\n", bin, sku, q, rng.IntN(2))
	}
	head := "warehouse,zone,bin,sku,on hand,reserved,cost,recorded at\n"
	w.take(t, "controller", "items.csv", items, "")
	w.take(t, "controller", "first.csv", head+first+"X,,X-1,ROPE-1,7,0,2.5,2026-11-19T06:00:00Z\n", "")
	w.take(t, "controller", "stock.csv", stock, "")
	w.take(
		t,
		"controller",
		"moves.csv",
		"warehouse,bin,sku,quantity,at,reference\nW,"+keys[1][0]+","+keys[1][1]+",-1,2026-11-20T08:00:00Z,ISS-1\n",
		"",
	)
	var early struct{ ID string } // looked at before the blind count begins
	before := head
	for _, k := range keys {
		before += fmt.Sprintf("W,Front,%s,%s,5,0,2.5,2026-11-20T07:00:00Z\n", k[0], k[1])
	}
	w.must(t, "counter", "POST", "/api/uploads?zone=UTC&name=early.csv", before, &early)
	w.drafts = append(w.drafts, early.ID)
	w.must(t, "controller", "POST", "/api/counts", `{"name":"Earlier","scope":{"warehouse":1},"rows":50,"blind":false}`, nil)
	w.counted(t, "1", 20)
	w.sent(t, "1")
	var c struct{ Held, Accepted, Uncounted int }
	w.must(t, "controller", "GET", "/api/counts/1", "", &c)
	w.must(t, "controller", "POST", "/api/counts/1/finish", fmt.Sprintf(`{"held":%d,"accepted":%d,"uncounted":%d}`, c.Held, c.Accepted, c.Uncounted), nil)
	w.must(t, "controller", "POST", "/api/counts", `{"name":"Open","scope":{"warehouse":1},"rows":50,"blind":false,"rounds":2,"further":[2]}`, nil)
	w.counted(t, "2", 30)
	w.must(
		t,
		"controller",
		"POST",
		"/api/counts",
		`{"name":"Blind","scope":{"warehouse":1},"rows":5,"blind":true,"tolerance_percent":"5"}`,
		nil,
	)
	w.must(t, "controller", "POST", "/api/counts/{blind}/hand-out", `{"sheets":[1,2],"counter":"Bram"}`, nil)

	page := w.page(t, blind)
	w.lines = len(page)
	counts := "Row code,Warehouse,Bin,SKU,Counted,Counted at\n"
	for i, l := range page {
		switch {
		case i%4 == 3: // not reached
		case i%4 == 2:
			counts += fmt.Sprintf("%s,W,%s,%s,%d,2026-11-20T10:00:00Z\n", l.RowCode, l.Bin, l.SKU, 1+i)
		default:
			w.must(t, "counter", "POST", "/api/counts/{blind}/entries", fmt.Sprintf(
				`{"key":"typed-%03d","zone":"UTC","entries":[{"row_code":%q,"quantity":"%d"}]}`, i, l.RowCode, 50+i), nil)
		}
	}
	counts += ",W,A-1-1,NO SUCH,4,2026-11-20T10:00:00Z\n"
	w.take(t, "counter", "back.csv", counts, "")

	w.must(t, "controller", "POST", "/api/counts/{blind}/elsewhere", `{"postings":[1],"answer":"had"}`, nil)
	w.sent(t, blind)
	require.NoError(t, s.Read(context.Background()).Raw("SELECT sha FROM files ORDER BY rowid").Scan(&w.files).Error)
	w.events = heard()
	return w
}

// shown makes answers of two worlds comparable: what is drawn at random, and when something happened, says nothing.
func shown(w *world, body string) string {
	body = regexp.MustCompile(`"(id|draft|token|began|seen|at|used|session)":"[0-9a-f]{16,}"`).ReplaceAllString(body, `"$1":""`)
	body = regexp.MustCompile(`20[0-9]{2}-[0-9]{2}-[0-9]{2}T[0-9:.]+Z`).ReplaceAllStringFunc(body, func(at string) string {
		if strings.HasPrefix(at, "2026-11-19") || strings.HasPrefix(at, "2026-11-20") {
			return at
		}
		return "now"
	})
	for i, d := range w.drafts {
		body = strings.ReplaceAll(body, d, fmt.Sprintf("draft-%d", i))
	}
	return body
}

// Blind is blind: no answer to a counter hangs on a recorded quantity of a warehouse in which a blind count runs, whatever is asked.
func TestBlind(t *testing.T) {
	description, err := os.ReadFile("../../api/openapi.json")
	require.NoError(t, err)
	var api struct {
		Paths map[string]map[string]struct {
			Parameters []struct {
				Name, In string
				Schema   struct{ Enum []string }
			}
		}
	}
	require.NoError(t, json.Unmarshal(description, &api))
	for seed := range uint64(2) {
		one, two := made(t, seed, 0), made(t, seed, 3)
		differ, asked := map[string]bool{}, 0
		assert.NotEmpty(t, one.events)
		assert.Equal(t, one.events, two.events, "seed %d: what an open window is told", seed)
		// each asks the same of both worlds, for a path with places in it; files are those of each world.
		compare := func(who, method, path, body string) {
			asked++
			s1, b1 := one.call(t, who, method, fill(path, one), body)
			s2, b2 := two.call(t, who, method, fill(path, two), body)
			b1, b2 = shown(one, b1), shown(two, b2)
			if who == "controller" {
				differ[path] = differ[path] || s1 != s2 || b1 != b2
				return
			}
			assert.Less(t, s1, 500, "%s %s", method, path)
			if s1 != s2 || b1 != b2 {
				at := 0
				for at < min(len(b1), len(b2)) && b1[at] == b2[at] {
					at++
				}
				from := max(0, at-120)
				t.Errorf("seed %d: %s %s %s tells a %s what is recorded: %d …%s, and %d …%s", seed, method, path, body, who,
					s1, b1[from:min(len(b1), at+60)], s2, b2[from:min(len(b2), at+60)])
			}
		}
		var paths []string
		for p, methods := range api.Paths {
			if get, has := methods["get"]; has {
				queries := []string{""}
				for _, q := range get.Parameters {
					if q.In != "query" {
						continue
					}
					for _, v := range q.Schema.Enum {
						queries = append(queries, "?"+q.Name+"="+v)
					}
					for _, v := range map[string][]string{"text": {"ROPE-1", "A-1-1", "rope", "3"}, "sku": {"ROPE-0", "ROPE-1", "ROPE-2", "ROPE-3"},
						"least": {"300", "3000"}, "count": {"1", "4"}, "warehouse": {"1"}, "as": {"csv"}, "settled": {"true"}, "at": {"recorded", "variances", "counting", "adjustments"},
						"cause": {"misplaced", "none"}, "sheet": {"1", "2"}, "what": {"intake", "decided"}}[q.Name] {
						queries = append(queries, "?"+q.Name+"="+url.QueryEscape(v))
					}
				}
				for _, q := range queries {
					paths = append(paths, p+q)
				}
			}
		}
		paths = append(paths, "/api/counts/{count}/sheets/{number}/csv", "/api/counts/{count}/sheets/{number}/xlsx", "/api/files/{sha}",
			"/api/counts/{count}/postings/{number}/file", "/api/counts/{count}/postings/{number}/manifest", "/api/layouts/x/file",
			"/api/templates/stock.csv")
		slices.Sort(paths)
		for n, p := range paths {
			for i, filled := range spread(p, one) {
				if strings.Contains(p, "?") && !strings.Contains(filled, "/"+blind) && (uint64(n+i)+seed)%2 != 0 {
					continue // by other counts, each narrowing is tried in one of the worlds
				}
				for _, who := range []string{"counter", "controller"} {
					compare(who, "GET", filled, "")
				}
			}
		}
		// What a counter may write, or try: looking at files, tallies, typed counts and what stands in the way of them.
		for _, p := range []string{"", "/rows?sheet=0&from=0&limit=50", "/refused?sheet=0", "/against?sheet=0"} {
			compare("counter", "GET", "/api/uploads/{draft0}"+p, "")
		}
		for i, f := range [][2]string{
			{"stock.csv", "warehouse,bin,sku,on hand,recorded at\nW,A-1-1,ROPE-1,12,2026-11-21T06:00:00Z\nW,A-1-4,ROPE-3,9,2026-11-21T06:00:00Z\n"},
			{"items.csv", "sku,description\nROPE-1,Rope\n"}, {"places.csv", "warehouse,bin\nW,A-1-1\n"},
			{"moves.csv", "warehouse,bin,sku,quantity,at,reference\nW,A-1-1,ROPE-1,-1,2026-11-20T08:00:00Z,ISS-9\n"},
			{"counts.csv", "warehouse,bin,sku,counted,counted at\nW,A-1-1,ROPE-1,5,2026-11-20T11:00:00Z\nW,A-2-2,ROPE-9,0,2026-11-20T11:00:00Z\n"},
		} {
			for _, w := range []*world{one, two} {
				var d struct{ ID string }
				w.must(t, "counter", "POST", "/api/uploads?zone=UTC&name="+f[0], f[1], &d)
				w.drafts = append(w.drafts, d.ID)
			}
			for _, p := range []string{"/api/uploads/{draft}", "/api/uploads/{draft}/rows?sheet=0&from=0&limit=50", "/api/uploads/{draft}/refused?sheet=0",
				"/api/uploads/{draft}/against?sheet=0"} {
				compare("counter", "GET", strings.Replace(p, "{draft}", fmt.Sprintf("{draft%d}", i+1), 1), "")
			}
			for _, body := range []string{`{"count":4}`, `{"encoding":"UTF-8"}`} {
				compare("counter", "POST", fmt.Sprintf("/api/uploads/{draft%d}/settle", i+1), body)
			}
			compare("counter", "POST", fmt.Sprintf("/api/uploads/{draft%d}/formula", i+1), `{"formula":"1+1"}`)
			compare("counter", "POST", fmt.Sprintf("/api/uploads/{draft%d}/take-in", i+1), `{"key":"counter-take","leave_out":0}`)
		}
		for _, x := range [][2]string{
			{"/api/plan/tally", `{"scope":{"warehouse":1},"rows":10}`},
			{"/api/plan/tally", `{"scope":{"warehouse":1,"rules":[{"what":"value","from":"10.00","to":"60.00"}]},"rows":10}`},
			{"/api/counts/{blind}/more/tally", `{"scope":{"warehouse":1},"rows":10}`},
			{"/api/counts/{blind}/postings/preview", `{"mode":"difference"}`}, {"/api/counts/{blind}/postings/preview", `{"mode":"balance"}`},
			{"/api/counts/{blind}/entries", `{"key":"more-0001","zone":"UTC","entries":[{"row_code":"x","quantity":"1"}]}`},
			{"/api/counts/{blind}/tray/1/enter", `{"zone":"UTC","entry":{"quantity":"4","found":{"sheet":1,"bin":"A-1-1","sku":"ROPE-1"}}}`},
			{"/api/counts/{blind}/sheets/1/check", `{"rows":[]}`}, {"/api/counts/{blind}/take-back", `{"sheets":[1],"back":true}`},
			{"/api/counts/{blind}/returns/1/undo", ``}, {"/api/counts/{blind}/decisions", `{"lines":[1],"kind":"accept","reason":""}`},
			{"/api/rules/try", `{"name":"x","do":"accept","reason":"MISCOUNT"}`},
		} {
			compare("counter", "POST", x[0], x[1])
		}
		for _, p := range paths { // and what is to be seen after all that
			for _, filled := range spread(p, one) {
				if !strings.Contains(p, "?") {
					compare("counter", "GET", filled, "")
				}
			}
		}
		told := 0
		for _, d := range differ {
			if d {
				told++
			}
		}
		assert.Greater(t, told, 15, "the changed quantity shows nowhere to a controller, so this test proves nothing")
		assert.Greater(t, asked, 400)
	}
}

// spread gives a path with each of the things that it may be about.
func spread(path string, w *world) (out []string) {
	out = []string{path}
	for place, values := range map[string][]string{"{count}": {"1", "2", "3", "4"}, "{house}": {"1", "2"}, "{warehouse}": {"1"}, "{number}": {"1", "2"},
		"{name}": {"x"}, "{draft}": {"none"}, "{list}": lists.Names, "{pos}": numbers(w.lines + 1), "{sha}": nil} {
		if place == "{sha}" {
			for i := range w.files {
				values = append(values, fmt.Sprintf("{sha%d}", i))
			}
		}
		if strings.Contains(path, place) {
			var next []string
			for _, p := range out {
				for _, v := range values {
					next = append(next, strings.ReplaceAll(p, place, v))
				}
			}
			out = next
		}
	}
	return out
}

func numbers(n int) (out []string) {
	for i := range n {
		out = append(out, fmt.Sprint(i))
	}
	return out
}

// fill puts into a path what is called otherwise in each world.
func fill(path string, w *world) string {
	for i, f := range w.files {
		path = strings.ReplaceAll(path, fmt.Sprintf("{sha%d}", i), f)
	}
	for i, d := range w.drafts {
		path = strings.ReplaceAll(path, fmt.Sprintf("{draft%d}", i), d)
	}
	return path
}
