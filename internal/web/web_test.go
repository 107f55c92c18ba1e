package web

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/clock"
	"wobin/internal/desk/count"
	"wobin/internal/desk/house"
	"wobin/internal/desk/intake"
	"wobin/internal/store"
)

var roles = []string{"controller", "counter", "approver", "viewer"}

// served is a server over an empty data folder with a person of each role, or of those that are wanted.
func served(t *testing.T, wanted ...string) (base string, as map[string]*http.Client) {
	t.Helper()
	base, as, _ = servedOver(t, wanted...)
	return base, as
}

// servedOver is served, with the store below.
func servedOver(t *testing.T, wanted ...string) (base string, as map[string]*http.Client, s *store.Store) {
	t.Helper()
	if len(wanted) == 0 {
		wanted = roles
	}
	s, err := store.Open(filepath.Join(t.TempDir(), "data"))
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	d, err := house.New(s, clock.Now)
	require.NoError(t, err)
	d.Proves = count.Foot
	t.Cleanup(d.Close)
	h := httptest.NewServer(New(d, s, Options{}))
	t.Cleanup(h.Close)
	as = map[string]*http.Client{"nobody": {}}
	for _, r := range wanted {
		_, err := d.People.AddDemoPerson(context.Background(), r, r, r)
		require.NoError(t, err)
		jar, err := cookiejar.New(nil)
		require.NoError(t, err)
		as[r] = &http.Client{Jar: jar}
		res, err := as[r].Post(
			h.URL+"/api/session",
			"application/json",
			strings.NewReader(fmt.Sprintf(`{"sign_in":%q,"password":"demo"}`, r)),
		)
		require.NoError(t, err)
		res.Body.Close()
		require.Equal(t, http.StatusOK, res.StatusCode)
	}
	return h.URL, as, s
}

// whoMay says of every operation that is no GET, and of some that are, who may, with a body that it takes.
var whoMay = map[string]struct {
	body  string
	roles []string
}{
	"PUT /api/uploads/{draft}":          {`{}`, roles}, // one's own upload, which only those have who may send one
	"DELETE /api/uploads/{draft}":       {``, roles},
	"POST /api/uploads/{draft}/take-in": {`{"key":"12345678","leave_out":0}`, roles},
	"POST /api/uploads/{draft}/settle":  {`{"encoding":"UTF-8"}`, roles},
	"POST /api/uploads/{draft}/formula": {`{"formula":"1"}`, roles},
	"POST /api/uploads/{draft}/cancel":  {``, roles},
	"POST /api/uploads/{draft}/layout":  {`{"name":"x"}`, roles},
	"PUT /api/layouts/{name}":           {`{"kind":"stock"}`, []string{"controller"}},
	"DELETE /api/layouts/{name}":        {``, []string{"controller"}},
	"POST /api/intakes/{intake}/undo":   {``, []string{"controller"}},
	"POST /api/plan/tally":              {`{"scope":{"warehouse":1},"rows":10}`, roles},
	"POST /api/counts": {
		`{"name":"x","scope":{"warehouse":1},"blind":true,"rows":10}`,
		[]string{"controller"},
	},
	"POST /api/jobs/{job}/cancel":    {``, roles},
	"POST /api/counts/{count}/costs": {`{"lines":[1],"cost":"2"}`, []string{"controller"}},
	"POST /api/reference/edit": {
		`{"key":"12345678","kind":"items","fields":["sku","class"],"rows":[["X","A"]]}`,
		[]string{"controller"},
	},
	"POST /api/warehouses/{house}/costs":                {`{"key":"12345678","set":1,"lines":[{"pos":1,"cost":"2"}]}`, []string{"controller"}},
	"GET /api/scopes":                                   {"", roles},
	"POST /api/scopes":                                  {`{"name":"x","scope":{"warehouse":1}}`, []string{"controller"}},
	"POST /api/scopes/{scope}/drop":                     {"", []string{"controller"}},
	"GET /api/counts/{count}/cut-off":                   {"", roles},
	"POST /api/counts/{count}/cut-off":                  {`{"what":"last in","reference":"x"}`, []string{"controller"}},
	"POST /api/counts/{count}/cut-off/{entry}/withdraw": {"", []string{"controller"}},
	"GET /api/rotation/{warehouse}":                     {"", roles},
	"POST /api/rotation/{warehouse}": {
		`{"by":"value","groups":[],"days":[true,true,true,true,true,true,true],"zone":"UTC"}`,
		[]string{"controller"},
	},
	"POST /api/rotation/{warehouse}/end": {"", []string{"controller"}},
	"GET /api/counts/{count}/tray":       {"", roles},
	"POST /api/counts/{count}/tray": {
		`{"key":"12345678","sheet":1,"written":{},"wrong":""}`,
		[]string{"controller", "counter"},
	},
	"POST /api/counts/{count}/tray/{doubt}/enter":    {`{"zone":"UTC","entry":{}}`, []string{"controller", "counter"}},
	"POST /api/counts/{count}/tray/drop":             {`{"doubts":[1],"word":"x"}`, []string{"controller", "counter"}},
	"POST /api/counts/{count}/tray/{doubt}/take-up":  {"", []string{"controller", "counter"}},
	"POST /api/counts/{count}/take-back":             {`{"sheets":[1],"back":true}`, []string{"controller", "counter"}},
	"POST /api/counts/{count}/cut-anew":              {`{"sheets":[1],"rows":50}`, []string{"controller"}},
	"POST /api/counts/{count}/sheets/{number}/part":  {`{"from":"x"}`, []string{"controller"}},
	"POST /api/counts/{count}/more":                  {`{"scope":{"warehouse":1},"rows":50}`, []string{"controller"}},
	"POST /api/counts/{count}/discard":               {`{"lines":1}`, []string{"controller"}},
	"GET /api/counts/{count}/steps":                  {``, []string{"controller", "counter", "approver", "viewer"}},
	"POST /api/counts/{count}/steps/{step}/undo":     {``, []string{"controller", "counter"}},
	"PUT /api/counts/{count}/name":                   {`{"name":"x"}`, []string{"controller"}},
	"POST /api/counts/{count}/more/tally":            {`{"scope":{"warehouse":1},"rows":50}`, []string{"controller"}},
	"POST /api/counts/{count}/let-go":                {`{"sheets":[1]}`, []string{"controller"}},
	"POST /api/counts/{count}/sheets/{number}/check": {`{"rows":[]}`, []string{"controller", "counter"}},
	"POST /api/counts/{count}/hand-out":              {`{"sheets":[1],"counter":"x"}`, []string{"controller"}},
	"POST /api/counts/{count}/hand-out/planned":      {`{"sheets":1}`, []string{"controller"}},
	"POST /api/counts/{count}/entries": {
		`{"key":"12345678","entries":[{"row_code":"x","quantity":"1"}]}`,
		[]string{"controller", "counter"},
	},
	"POST /api/counts/{count}/decisions":             {`{"lines":[1],"kind":"accept","reason":""}`, []string{"controller"}},
	"POST /api/counts/{count}/postings":              {`{"key":"12345678","mode":"difference","lines":1}`, []string{"controller"}},
	"POST /api/counts/{count}/finish":                {`{"held":0,"accepted":0,"uncounted":0}`, []string{"controller"}},
	"POST /api/counts/{count}/returns/{return}/undo": {``, []string{"controller", "counter"}},
	"POST /api/counts/{count}/lines/{pos}/cause":     {`{"cause":"misplaced","evidence":"x"}`, []string{"controller"}},
	"POST /api/counts/{count}/causes/{cause}/accept": {`{"expect":1}`, []string{"controller"}},
	"POST /api/counts/{count}/recount":               {`{"lines":[1]}`, []string{"controller"}},
	"POST /api/counts/{count}/recount/drop":          {`{"sheets":[1]}`, []string{"controller"}},
	"POST /api/counts/{count}/lines/{pos}/notes":     {`{"text":"x"}`, []string{"controller"}},
	"POST /api/counts/{count}/lines/{pos}/round":     {`{"round":1}`, []string{"controller"}},
	"POST /api/counts/{count}/stands":                {`{"stands":"agree"}`, []string{"controller"}},
	"GET /api/rules":                                 {``, []string{"controller", "approver", "viewer"}},
	"PUT /api/rules": {
		`{"id":0,"name":"x","class":"","category":"","sign":"","cause":"","aisle":false,"quantity":null,"percent":null,"from":null,"to":"1","decides":"accept","reason":"","on":false,"on_by":"","on_at":null,"decided":0}`,
		[]string{"controller"},
	},
	"POST /api/rules/try": {
		`{"id":0,"name":"x","class":"","category":"","sign":"","cause":"","aisle":false,"quantity":null,"percent":null,"from":null,"to":"1","decides":"accept","reason":"","on":false,"on_by":"","on_at":null,"decided":0}`,
		[]string{"controller"},
	},
	"POST /api/rules/{rule}/turn":                        {`{"on":false,"lines":0,"gross":"0"}`, []string{"controller"}},
	"DELETE /api/rules/{rule}":                           {``, []string{"controller"}},
	"POST /api/counts/{count}/postings/preview":          {`{"mode":"difference"}`, roles},
	"POST /api/counts/{count}/postings/{number}/reverse": {`{"key":"12345678"}`, []string{"controller"}},
	"GET /api/counts/{count}/habits":                     {``, roles},
	"GET /api/counts/{count}/proof":                      {``, roles},
	"POST /api/counts/{count}/postings/{number}/missing": {`{"key":"12345678","expect":1}`, []string{"controller"}},
	"POST /api/counts/{count}/postings/{number}/folder":  {``, []string{"controller"}},
	"GET /api/counts/{count}/elsewhere":                  {``, roles},
	"POST /api/counts/{count}/elsewhere":                 {`{"postings":[1],"answer":"had"}`, []string{"controller"}},
	"GET /api/approvals":                                 {``, []string{"controller", "approver", "viewer"}},
	"POST /api/approvals/{approval}":                     {`{"agree":true}`, []string{"controller", "approver"}},
	"GET /api/agreement":                                 {``, roles},
	"PUT /api/agreement":                                 {`{"always":false,"over":null}`, []string{"controller"}},
	"GET /api/out-layouts":                               {``, roles},
	"PUT /api/out-layouts":                               {`{"name":"x","columns":[]}`, []string{"controller"}},
	"DELETE /api/out-layouts/{name}":                     {``, []string{"controller"}},
	"POST /api/counts/{count}/reopen":                    {`{"reason":"x"}`, []string{"controller"}},
	"PUT /api/reasons":                                   {`{"code":"X","name":"x","account":"","sign":""}`, []string{"controller"}},
	"POST /api/counts/{count}/lines/{pos}/as-booked":     {`{"movement":1}`, []string{"controller"}},
	"POST /api/counts/{count}/lines/{pos}/withdraw":      {`{"entry":1}`, []string{"controller", "counter"}},
	"POST /api/counts/{count}/uncounted":                 {`{}`, roles},
	"POST /api/counts/{count}/uncounted/recount":         {`{"expect":1}`, []string{"controller"}},
	"POST /api/counts/{count}/zero":                      {`{"zero":true,"expect":1}`, []string{"controller"}},
	"GET /api/backups":                                   {``, []string{"controller"}},
	"POST /api/backups":                                  {``, []string{"controller"}},
	"GET /api/backups/{name}":                            {``, []string{"controller"}},
	"POST /api/backups/{name}/restore":                   {`{"agreed":0}`, []string{"controller"}},
	"POST /api/record/verify":                            {``, []string{"controller"}},
	"GET /api/people":                                    {``, []string{"controller"}},
	"POST /api/people/invitations":                       {`{"name":"x","role":"viewer"}`, []string{"controller"}},
	"DELETE /api/people/invitations/{invitation}":        {``, []string{"controller"}},
	"POST /api/people/{person}":                          {`{"role":"controller"}`, []string{"controller"}},
	"POST /api/people/{person}/reset":                    {``, []string{"controller"}},
	"GET /api/record":                                    {``, []string{"controller"}},
	"GET /api/find":                                      {``, roles},
	"POST /api/me/password":                              {`{"old":"x","new":"y"}`, roles},
	"GET /api/me/sessions":                               {``, roles},
	"DELETE /api/me/sessions/{session}":                  {``, roles},
}

// Every operation is refused to whoever is not signed in, and every one that changes something to the roles that may
// not. An operation that is missing here fails the test.
func TestWhoMay(t *testing.T) {
	open := map[string]bool{"GET /api/me": true, "POST /api/session": true, "DELETE /api/session": true, "POST /api/owner": true,
		"POST /api/invitation": true, "POST /api/join": true}
	base, as := served(t)
	ask := func(who, method, path, body string) int {
		path = strings.NewReplacer("{job}", "1", "{list}", "items", "{draft}", "none", "{intake}", "1", "{count}", "1", "{house}", "1", "{pos}", "1", "{rule}", "1", "{number}", "1", "{person}", "1", "{invitation}", "1", "{session}", "0123456789abcdef", "{approval}", "1", "{name}", "x", "{scope}", "1", "{entry}", "1", "{return}",
			"1", "{doubt}", "1", "{step}", "1", "{warehouse}", "1", "{number}", "1").
			Replace(path)
		req, err := http.NewRequest(method, base+path, strings.NewReader(body))
		require.NoError(t, err)
		req.Header.Set("Content-Type", "application/json")
		res, err := as[who].Do(req)
		require.NoError(t, err)
		res.Body.Close()
		return res.StatusCode
	}
	operations := 0
	for path, methods := range described(t) {
		for m := range methods {
			method := strings.ToUpper(m)
			id := method + " " + path
			if open[id] {
				continue
			}
			operations++
			rule, listed := whoMay[id]
			if method != http.MethodGet {
				require.True(t, listed, "%s says not who may", id)
			} else if !listed {
				rule.roles = roles
			}
			assert.Equal(t, http.StatusUnauthorized, ask("nobody", method, path, rule.body), id)
			for _, r := range roles {
				got := ask(r, method, path, rule.body)
				allowed := false
				for _, x := range rule.roles {
					allowed = allowed || x == r
				}
				assert.Equal(t, allowed, got != http.StatusForbidden, "%s as %s answered %d", id, r, got)
				assert.NotEqual(t, http.StatusUnauthorized, got, id)
				assert.Less(t, got, 500, id)
			}
		}
	}
	assert.Greater(t, operations, 20)
	for _, r := range []string{"approver", "viewer"} {
		assert.Equal(t, http.StatusForbidden, ask(r, "POST", "/api/uploads?name=x.csv", "sku,quantity\nX,1\n"), "an upload by "+r)
	}
	assert.Equal(t, http.StatusUnauthorized, ask("nobody", "GET", "/api/events", ""))
}

// A counter can send files, but takes in counts only.
func TestCounterTakesInCountsOnly(t *testing.T) {
	base, as := served(t)
	res, err := as["counter"].Post(
		base+"/api/uploads?name=stock.csv",
		"application/octet-stream",
		strings.NewReader("warehouse,bin,sku,quantity,unit cost\nW,A,X,1,2\n"),
	)
	require.NoError(t, err)
	var d intake.Draft
	require.NoError(t, json.NewDecoder(res.Body).Decode(&d))
	require.Empty(t, d.Blocked)
	res, err = as["counter"].Post(
		base+"/api/uploads/"+d.ID+"/take-in",
		"application/json",
		strings.NewReader(`{"key":"12345678","leave_out":0}`),
	)
	require.NoError(t, err)
	assert.Equal(t, http.StatusForbidden, res.StatusCode)
	// Nobody sees another person's upload.
	res, err = as["controller"].Get(base + "/api/uploads/" + d.ID)
	require.NoError(t, err)
	assert.Equal(t, http.StatusNotFound, res.StatusCode)
}

// Posts that another site makes a browser send are refused, and answers say what the browser may do with them.
func TestOtherSites(t *testing.T) {
	base, as := served(t)
	req, err := http.NewRequest(http.MethodPost, base+"/api/people", bytes.NewReader([]byte(`{}`)))
	require.NoError(t, err)
	req.Header.Set("Sec-Fetch-Site", "cross-site")
	res, err := as["controller"].Do(req)
	require.NoError(t, err)
	b, _ := io.ReadAll(res.Body)
	assert.Equal(t, http.StatusForbidden, res.StatusCode, string(b))
	res, err = as["controller"].Get(base + "/api/me")
	require.NoError(t, err)
	policy := res.Header.Get("Content-Security-Policy")
	assert.Contains(t, policy, "default-src 'self'")
	assert.NotContains(t, policy, "unsafe")
}

// Wrong passwords are slowed.
func TestSlowed(t *testing.T) {
	base, _ := served(t)
	var last int
	for range 7 {
		res, err := http.Post(base+"/api/session", "application/json", strings.NewReader(`{"sign_in":"viewer","password":"wrong"}`))
		require.NoError(t, err)
		last = res.StatusCode
	}
	assert.Equal(t, http.StatusTooManyRequests, last)
}
