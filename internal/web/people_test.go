package web

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/cookiejar"
	"os"
	"strings"
	"syscall"
	"testing"

	"github.com/danielgtaylor/huma/v2"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gorm.io/gorm"
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
	status, _ = ask(as["controller"], "POST", "/api/people/"+id, `{"suspended":false}`)
	require.Equal(t, 200, status)
	status, _ = ask(as["counter"], "GET", "/api/reasons", "")
	assert.Equal(t, 401, status, "what ended with the suspension stays ended")
}

func mustJSON(t *testing.T, v any) []byte {
	b, err := json.Marshal(v)
	require.NoError(t, err)
	return b
}

// A new password ends the other sessions of whoever has it, and all of them where somebody else offered it; an event stream ends with its
// session.
func TestSessionsAndStreamsEndWithTheOldPassword(t *testing.T) {
	base, as := served(t)
	ask := func(who *http.Client, method, path, body string) (int, string) {
		return sent(t, who, method, base+path, body)
	}
	elsewhere := func(password string) *http.Client {
		jar, err := cookiejar.New(nil)
		require.NoError(t, err)
		who := &http.Client{Jar: jar}
		status, text := ask(who, "POST", "/api/session", `{"sign_in":"counter","password":"`+password+`"}`)
		require.Equal(t, 200, status, text)
		return who
	}
	stream := func(who *http.Client) *bufio.Scanner {
		res, err := who.Get(base + "/api/events")
		require.NoError(t, err)
		t.Cleanup(func() { res.Body.Close() })
		lines := bufio.NewScanner(res.Body)
		require.True(t, lines.Scan())
		require.Equal(t, ": here", lines.Text())
		return lines
	}
	ended := func(lines *bufio.Scanner) {
		for lines.Scan() { // whatever is told before
		}
	}
	second := elsewhere("demo")
	open := stream(second)
	const password = "salt and tar on the quay"
	status, text := ask(as["counter"], "POST", "/api/me/password", `{"old":"demo","new":"`+password+`"}`)
	require.Equal(t, 200, status, text)
	status, _ = ask(second, "GET", "/api/reasons", "")
	assert.Equal(t, 401, status, "a session of the old password")
	ended(open)
	status, _ = ask(as["counter"], "GET", "/api/reasons", "")
	assert.Equal(t, 200, status, "the one that changed it goes on")

	third := elsewhere(password)
	_, text = ask(as["controller"], "GET", "/api/people", "")
	var staff struct {
		People []struct {
			ID     int64
			SignIn string `json:"sign_in"`
		}
	}
	require.NoError(t, json.Unmarshal([]byte(text), &staff))
	id := int64(0)
	for _, p := range staff.People {
		if p.SignIn == "counter" {
			id = p.ID
		}
	}
	status, text = ask(as["controller"], "POST", fmt.Sprintf("/api/people/%d/reset", id), `{}`)
	require.Equal(t, 200, status, text)
	var offered struct{ Code string }
	require.NoError(t, json.Unmarshal([]byte(text), &offered))
	jar, err := cookiejar.New(nil)
	require.NoError(t, err)
	status, text = ask(&http.Client{Jar: jar}, "POST", "/api/join", `{"code":"`+offered.Code+`","sign_in":"counter","password":"rope and shackles aplenty"}`)
	require.Equal(t, 200, status, text)
	for _, who := range []*http.Client{third, as["counter"]} {
		status, _ = ask(who, "GET", "/api/reasons", "")
		assert.Equal(t, 401, status)
	}
}

// A sign-in that is proved with the old word at the very moment of a new one lets nobody in; guesses of the old one are slowed within a
// session; and whoever changes it goes on.
func TestSessionsEndWithTheirWord(t *testing.T) {
	base, as, s := servedOver(t)
	ask := func(who *http.Client, method, path, body string) (int, string) {
		return sent(t, who, method, base+path, body)
	}
	status, _ := ask(as["counter"], "GET", "/api/today", "")
	require.Equal(t, 200, status)
	// As if the sign-in had been proved before, and its session written after, the word was changed: the session stands, the word is another.
	require.NoError(t, s.Write(context.Background(), func(tx *gorm.DB) error {
		return tx.Exec("UPDATE people SET secret = secret || 'x' WHERE sign_in = 'counter'").Error
	}))
	status, _ = ask(as["counter"], "GET", "/api/today", "")
	assert.Equal(t, 401, status)

	for n := range 8 {
		status, body := ask(as["viewer"], "POST", "/api/me/password", fmt.Sprintf(`{"old":"guess %d","new":"winches and fenders"}`, n))
		if n < freeOfName {
			assert.Equal(t, 422, status, body)
		} else if n > freeOfName {
			assert.Equal(t, 429, status, body)
		}
	}
	status, body := ask(as["approver"], "POST", "/api/me/password", `{"old":"demo","new":"winches and fenders"}`)
	require.Equal(t, 200, status, body)
	status, _ = ask(as["approver"], "GET", "/api/today", "")
	assert.Equal(t, 200, status, "who changes it goes on")
}

// Who is not signed in is told so before anything of what they send is looked at; and what can have no name is not there.
func TestNobodyIsReadBeforeSigningIn(t *testing.T) {
	base, _ := served(t)
	stranger := &http.Client{}
	for _, x := range [][2]string{{"POST", "/api/counts"}, {"PUT", "/api/agreement"}, {"POST", "/api/uploads?name=x.csv"}, {"GET", "/api/no/such/thing"}} {
		body, pipe := io.Pipe() // of which nothing ever comes
		req, err := http.NewRequest(x[0], base+x[1], body)
		require.NoError(t, err)
		req.Header.Set("Content-Type", "application/json")
		res, err := stranger.Do(req)
		require.NoError(t, err, x[1])
		assert.Equal(t, 401, res.StatusCode, x[1])
		res.Body.Close()
		pipe.Close()
	}
	for _, path := range []string{"/stock%00", "/api/counts/%00", "/%00"} {
		status, _ := sent(t, stranger, "GET", base+path, "")
		assert.Equal(t, 404, status, path)
	}
}

// A full disk is told as such, wherever it was met.
func TestFullDiskIsInsufficientStorage(t *testing.T) {
	for _, err := range []error{&os.PathError{Op: "write", Path: "upload", Err: syscall.ENOSPC}, fmt.Errorf("kept: %w", syscall.EDQUOT)} {
		var status huma.StatusError
		require.ErrorAs(t, problem(err), &status)
		assert.Equal(t, http.StatusInsufficientStorage, status.GetStatus())
	}
}
