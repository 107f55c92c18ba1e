package web

import (
	"encoding/json"
	"io"
	"net/http"
	"net/http/cookiejar"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// sent sends JSON, and gives the answer.
func sent(t *testing.T, who *http.Client, method, url, body string) (int, string) {
	t.Helper()
	req, err := http.NewRequest(method, url, strings.NewReader(body))
	require.NoError(t, err)
	req.Header.Set("Content-Type", "application/json")
	res, err := who.Do(req)
	require.NoError(t, err)
	defer res.Body.Close()
	b, err := io.ReadAll(res.Body)
	require.NoError(t, err)
	return res.StatusCode, string(b)
}

// Sessions are listed to whoever has them, ended one by one and all at once; a role that changes while a session works holds at once;
// who is suspended is out.
func TestSessions(t *testing.T) {
	base, as := served(t)
	ask := func(who *http.Client, method, path, body string) (int, string) {
		return sent(t, who, method, base+path, body)
	}
	jar, err := cookiejar.New(nil)
	require.NoError(t, err)
	elsewhere := &http.Client{Jar: jar}
	status, _ := ask(elsewhere, "POST", "/api/session", `{"sign_in":"counter","password":"demo"}`)
	require.Equal(t, 200, status)
	_, text := ask(as["counter"], "GET", "/api/me/sessions", "")
	var list []SessionView
	require.NoError(t, json.Unmarshal([]byte(text), &list))
	require.Len(t, list, 2)
	other := list[0].ID
	if list[0].Own {
		other = list[1].ID
	}
	status, _ = ask(as["viewer"], "DELETE", "/api/me/sessions/"+other, "")
	assert.Equal(t, 404, status, "of somebody else it is not there")
	status, _ = ask(as["counter"], "DELETE", "/api/me/sessions/"+other, "")
	assert.Equal(t, 200, status)
	status, _ = ask(elsewhere, "GET", "/api/reasons", "")
	assert.Equal(t, 401, status)

	_, text = ask(as["controller"], "GET", "/api/people", "")
	var staff struct {
		People []struct {
			ID     int64
			SignIn string `json:"sign_in"`
		}
	}
	require.NoError(t, json.Unmarshal([]byte(text), &staff))
	id := ""
	for _, p := range staff.People {
		if p.SignIn == "counter" {
			id = json.Number(strings.TrimSpace(string(mustJSON(t, p.ID)))).String()
		}
	}
	status, _ = ask(as["counter"], "GET", "/api/rules", "")
	assert.Equal(t, 403, status)
	status, _ = ask(as["controller"], "POST", "/api/people/"+id, `{"role":"viewer"}`)
	require.Equal(t, 200, status)
	status, _ = ask(as["counter"], "GET", "/api/rules", "")
	assert.Equal(t, 200, status, "the new role holds at once")
	status, _ = ask(as["controller"], "POST", "/api/people/"+id, `{"suspended":true}`)
	require.Equal(t, 200, status)
	status, _ = ask(as["counter"], "GET", "/api/reasons", "")
	assert.Equal(t, 401, status)
	status, text = ask(as["counter"], "POST", "/api/session", `{"sign_in":"counter","password":"demo"}`)
	assert.Equal(t, 422, status, text)
}

func mustJSON(t *testing.T, v any) []byte {
	b, err := json.Marshal(v)
	require.NoError(t, err)
	return b
}
