package faults

import (
	"bufio"
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/cookiejar"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// served is the real server over a data folder, with its owner signed in.
type served struct {
	base   string
	cmd    *exec.Cmd
	client *http.Client
}

func serve(t *testing.T, data string) *served {
	t.Helper()
	s := &served{cmd: exec.Command(program(t), "serve", "--data", data, "--addr", "127.0.0.1:0")}
	s.cmd.Stderr = os.Stderr
	out, err := s.cmd.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, s.cmd.Start())
	t.Cleanup(func() { _ = s.cmd.Process.Kill(); _ = s.cmd.Wait() })
	code := ""
	for lines := bufio.NewScanner(out); code == "" && lines.Scan(); {
		if _, at, ok := strings.Cut(lines.Text(), "Wobin is at "); ok {
			s.base = at
		}
		_, code, _ = strings.Cut(lines.Text(), "owner: ")
	}
	require.NotEmpty(t, code)
	go func() { _, _ = io.Copy(io.Discard, out) }()
	jar, err := cookiejar.New(nil)
	require.NoError(t, err)
	s.client = &http.Client{Jar: jar}
	status, body := s.post(t, "/api/owner", map[string]any{"code": code, "name": "Nell", "sign_in": "nell", "password": "a long password"})
	require.Equal(t, http.StatusOK, status, body)
	return s
}

func (s *served) post(t *testing.T, path string, body any) (int, string) {
	t.Helper()
	b, err := json.Marshal(body)
	require.NoError(t, err)
	res, err := s.client.Post(s.base+path, "application/json", bytes.NewReader(b))
	if err != nil {
		return 0, err.Error()
	}
	defer res.Body.Close()
	answer, err := io.ReadAll(res.Body)
	if err != nil {
		return 0, err.Error()
	}
	return res.StatusCode, string(answer)
}

func command(t *testing.T, args ...string) string {
	t.Helper()
	out, err := exec.Command(program(t), args...).CombinedOutput()
	require.NoError(t, err, string(out))
	return string(out)
}

// A kill while a count is frozen leaves no count and none of its lines, and the same count can then be planned.
func TestKillInTheMiddleOfAFreeze(t *testing.T) {
	dir := t.TempDir()
	data, file := filepath.Join(dir, "data"), filepath.Join(dir, "stock.csv")
	require.NoError(t, os.WriteFile(file, []byte(stockFile(340_000, 9)), 0o600))
	command(t, "intake", file, "--data", data)
	s := serve(t, data)
	count := map[string]any{"name": "All of W0", "scope": map[string]any{"warehouse": 1}, "rows": 500, "blind": false}
	var before int64
	killed := make(chan struct{})
	go func() {
		defer close(killed)
		for deadline := time.Now().Add(30 * time.Second); time.Now().Before(deadline); {
			if before = look(t, data, "SELECT count(*) FROM count_lines"); before > 0 {
				_ = s.cmd.Process.Kill()
				return
			}
		}
	}()
	status, body := s.post(t, "/api/counts", count)
	<-killed
	require.Zero(t, status, "it was killed before it answered: %s", body)
	_ = s.cmd.Wait()
	require.Positive(t, before)
	assert.Zero(t, look(t, data, "SELECT count(*) FROM counts WHERE state <> 'freezing'"))

	command(t, "intake", file, "--data", data) // a start, which sweeps
	for _, table := range []string{"counts", "count_lines", "sheets", "count_tallies", "count_items"} {
		assert.Zero(t, look(t, data, "SELECT count(*) FROM "+table), table)
	}
	assert.Contains(t, command(t, "audit", "verify", "--data", data), "all hold")
}

// A kill at any moment of the very first start leaves a folder that the next start takes.
func TestKillAtTheFirstStart(t *testing.T) {
	for n, reached := range []string{"wobin.db", "wobin.db-journal", "wobin.db-wal", "backups", "files", "incoming"} {
		data := filepath.Join(t.TempDir(), "data")
		c := exec.Command(program(t), "serve", "--data", data, "--addr", "127.0.0.1:0")
		require.NoError(t, c.Start())
		for deadline := time.Now().Add(5 * time.Second); time.Now().Before(deadline); {
			if _, err := os.Stat(filepath.Join(data, reached)); err == nil {
				break
			}
			if n == 1 && time.Until(deadline) < 4*time.Second {
				break // the journal lives for moments only
			}
		}
		require.NoError(t, c.Process.Kill())
		_ = c.Wait()
		s := serve(t, data)
		status, body := s.post(t, "/api/backups", map[string]any{})
		assert.Equal(t, http.StatusOK, status, "%s: %s", reached, body)
		require.NoError(t, s.cmd.Process.Kill())
		_ = s.cmd.Wait()
	}
}

// A backup is made, and the record proved, beside the running server; a restore wants it stopped and changes nothing.
func TestBesideTheServer(t *testing.T) {
	dir := t.TempDir()
	data, file := filepath.Join(dir, "data"), filepath.Join(dir, "stock.csv")
	require.NoError(t, os.WriteFile(file, []byte(stockFile(400, 9)), 0o600))
	command(t, "intake", file, "--data", data)
	s := serve(t, data)
	assert.Contains(t, command(t, "audit", "verify", "--data", data), "all hold")
	command(t, "backup", "--data", data)
	made, err := filepath.Glob(filepath.Join(data, "backups", "*by-hand*.db"))
	require.NoError(t, err)
	require.Len(t, made, 1)
	out, err := exec.Command(program(t), "restore", made[0], "--data", data).CombinedOutput()
	require.Error(t, err)
	assert.Contains(t, string(out), "another wobin has the data folder")
	status, body := s.post(t, "/api/plan/tally", map[string]any{"scope": map[string]any{"warehouse": 1}, "rows": 10})
	require.Equal(t, http.StatusOK, status, body)
	assert.Contains(t, body, fmt.Sprintf(`"lines":%d`, 200))
}
