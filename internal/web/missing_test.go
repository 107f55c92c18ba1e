package web

import (
	"encoding/json"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// described gives the operations by path and method, as they are described.
func described(t *testing.T) map[string]map[string]json.RawMessage {
	t.Helper()
	description, err := Description()
	require.NoError(t, err)
	var api struct {
		Paths map[string]map[string]json.RawMessage
	}
	require.NoError(t, json.Unmarshal(description, &api))
	return api.Paths
}

// Things of a count, a warehouse, an intake or a draft that is not there are not there: 404, whatever is asked of them.
func TestMissing(t *testing.T) {
	base, as := served(t, "controller")
	asked := 0
	ask := func(method, path, body string) {
		asked++
		res, text := called(t, as["controller"], method, base+path, body)
		assert.Equal(t, http.StatusNotFound, res.StatusCode, "%s %s: %s", method, path, text)
	}
	fill := strings.NewReplacer("{count}", "99", "{house}", "99", "{warehouse}", "99", "{number}", "1", "{pos}", "1", "{draft}", "none",
		"{name}", "none", "{return}", "1", "{doubt}", "1", "{step}", "1", "{entry}", "1", "{cause}", "misplaced")
	for path, methods := range described(t) {
		if _, get := methods["get"]; get && strings.Contains(path, "{") {
			ask(http.MethodGet, strings.Replace(fill.Replace(path), "/groups", "/groups?by=zone", 1), "")
		}
	}
	for _, path := range []string{"/api/counts/99/sheets/1/csv", "/api/counts/99/sheets.zip", "/api/counts/99/sheets.pdf",
		"/api/counts/99/postings/1/file", "/api/counts/99/postings/1/manifest", "/api/counts/99/report/report.pdf", "/api/counts/99/evidence/1",
		"/api/uploads/none/refused", "/api/uploads/none/against", "/api/layouts/none/file", "/api/out-layouts/none/file", "/api/templates/none.csv",
		"/api/try/none"} {
		ask(http.MethodGet, path, "")
	}
	for path, body := range map[string]string{
		"/api/counts/99/decisions": `{"lines":[1],"kind":"accept","reason":""}`, "/api/counts/99/hand-out": `{"sheets":[1],"counter":"x"}`, "/api/counts/99/hand-out/planned": `{"sheets":1}`,
		"/api/counts/99/postings/preview": `{"mode":"difference"}`, "/api/counts/99/finish": `{"held":0,"accepted":0,"uncounted":0}`,
		"/api/counts/99/recount": `{"lines":[1]}`, "/api/counts/99/take-back": `{"sheets":[1],"back":true}`, "/api/intakes/99/undo": "",
		"/api/counts/99/let-go": `{"sheets":[1]}`, "/api/counts/99/cut-off": `{"what":"last in","reference":"x"}`,
		"/api/counts/99/entries":            `{"key":"12345678","zone":"UTC","entries":[{"row_code":"x","quantity":"1"}]}`,
		"/api/counts/99/returns/1/undo":     "",
		"/api/counts/99/lines/1/notes":      `{"text":"x"}`,
		"/api/counts/99/lines/1/round":      `{"round":1}`,
		"/api/counts/99/sheets/1/check":     `{"rows":[]}`,
		"/api/counts/99/more/tally":         `{"scope":{"warehouse":1},"rows":50}`,
		"/api/counts/99/tray/1/enter":       `{"zone":"UTC","entry":{}}`,
		"/api/counts/99/tray/1/take-up":     "",
		"/api/counts/99/cut-off/1/withdraw": "",
	} {
		ask(http.MethodPost, path, body)
	}
	assert.Greater(t, asked, 50)
	// A tolerance below zero is none.
	w := &world{base: base, as: as}
	w.take(t, "controller", "stock.csv", "warehouse,bin,sku,on hand,recorded at\nW,A-1,ROPE,4,2026-11-20T06:00:00Z\n", "")
	for _, tolerance := range []string{`"tolerance_quantity":"-1"`, `"tolerance_percent":"-0.5"`, `"tolerance_value":"-2.00"`} {
		res, text := called(
			t,
			as["controller"],
			http.MethodPost,
			base+"/api/counts",
			`{"name":"x","scope":{"warehouse":1},"rows":10,"blind":true,`+tolerance+`}`,
		)
		assert.Equal(t, http.StatusUnprocessableEntity, res.StatusCode, "%s: %s", tolerance, text)
	}
}
