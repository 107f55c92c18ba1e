// Package e2e drives the real program in headless Chromium: real clicks, keys, files dropped and downloaded.
package e2e

import (
	"bufio"
	"context"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"wobin/internal/clock"
	"wobin/test/browser"
)

// How long a step, and a test of many steps, may take before it is given up. Neither says how fast the program is: a machine whose
// processors are lent to others takes five times as long for the same work, and a step that never comes through is one all the same.
const (
	stepLimit = 90 * time.Second
	testLimit = 20 * time.Minute
)

// scratch is a folder that lasts for all tests.
var scratch string

func TestMain(m *testing.M) {
	dir, err := os.MkdirTemp("", "wobin-e2e-")
	if err != nil {
		panic(err)
	}
	scratch = dir
	code := m.Run()
	_ = os.RemoveAll(dir)
	os.Exit(code)
}

// program is the built program; make test builds it first.
func program(t testing.TB) string {
	t.Helper()
	p, err := filepath.Abs(filepath.Join("..", "..", "bin", "wobin"))
	require.NoError(t, err)
	_, err = os.Stat(p)
	require.NoError(t, err, "run make build first")
	return p
}

// server is a running wobin and the browser at it.
type server struct {
	t     *testing.T
	base  string
	data  string
	code  string // the owner's one-time code, on a first start
	cmd   *exec.Cmd
	ctx   context.Context
	after func()
}

// madeDemo is the folder of a demo that was made on a day, for the tests to copy: making it takes longer than all else of a start.
var madeDemo struct {
	sync.Mutex
	day, dir string
}

// copyDemo puts a fresh demo into a folder.
func copyDemo(t *testing.T, to string) {
	t.Helper()
	madeDemo.Lock()
	defer madeDemo.Unlock()
	if day := clock.Now().UTC().Format(time.DateOnly); day != madeDemo.day { // its dates lie around the day
		dir, err := os.MkdirTemp(scratch, "")
		require.NoError(t, err)
		out, err := exec.Command(program(t), "demo", "--data", filepath.Join(dir, "data"), "--files", filepath.Join(dir, "try")).CombinedOutput()
		require.NoError(t, err, string(out))
		madeDemo.day, madeDemo.dir = day, filepath.Join(dir, "data")
	}
	require.NoError(t, os.CopyFS(to, os.DirFS(madeDemo.dir)))
}

// start starts wobin with the given arguments on a free port, and a browser. A demo that is not there yet is a copy.
func start(t *testing.T, data string, args ...string) *server {
	t.Helper()
	if _, err := os.Stat(data); args[0] == "demo" && os.IsNotExist(err) {
		copyDemo(t, data)
	}
	s := &server{t: t, data: data}
	s.cmd = exec.Command(program(t), append(args, "--data", data, "--addr", "127.0.0.1:0")...)
	s.cmd.Env = append(os.Environ(), "TZ="+browser.Zone())
	s.cmd.Stderr = os.Stderr
	out, err := s.cmd.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, s.cmd.Start())
	t.Cleanup(func() { _ = s.cmd.Process.Kill(); _ = s.cmd.Wait() })
	for lines := bufio.NewScanner(out); lines.Scan(); {
		if _, at, ok := strings.Cut(lines.Text(), "Wobin is at "); ok {
			s.base = at
			if len(args) > 0 && args[0] == "demo" {
				break
			}
		}
		if _, code, ok := strings.Cut(lines.Text(), "owner: "); ok {
			s.code = code
			break
		}
	}
	require.NotEmpty(t, s.base)
	go func() { _, _ = io.Copy(io.Discard, out) }()
	for try := 1; ; try++ { // a browser that does not come up on a busy machine says nothing of the program
		ctx, cancel := browser.New(context.Background())
		s.ctx, s.after = context.WithTimeout(ctx, testLimit)
		err := chromedp.Run(s.ctx) // the browser belongs to the whole test, not to its first step
		if err == nil {
			t.Cleanup(cancel)
			t.Cleanup(s.after)
			return s
		}
		s.after()
		cancel()
		if try == 3 {
			require.NoError(t, err)
		}
	}
}

// do carries out steps; where they do not come through it keeps a picture of the screen.
func (s *server) do(what string, steps ...chromedp.Action) {
	s.t.Helper()
	ctx, cancel := context.WithTimeout(s.ctx, stepLimit)
	defer cancel()
	if err := chromedp.Run(ctx, steps...); err != nil {
		look, stop := context.WithTimeout(s.ctx, 5*time.Second)
		defer stop()
		var png []byte
		_ = chromedp.Run(look, chromedp.CaptureScreenshot(&png))
		name := "no file"
		if f, err := os.CreateTemp("", "wobin-"+strings.NewReplacer("/", "-", " ", "-").Replace(s.t.Name())+"-*.png"); err == nil {
			_, _ = f.Write(png)
			_ = f.Close()
			name = f.Name()
		}
		var text string
		_ = chromedp.Run(look, chromedp.Text("body", &text))
		s.t.Fatalf("%s: %v (a picture is in %s)\n%s", what, err, name, text)
	}
}

func (s *server) open(path string) chromedp.Action { return chromedp.Navigate(s.base + path) }

// signUp signs up as the first person of an empty folder.
func (s *server) signUp() {
	s.t.Helper()
	s.do("sign up", s.open("/"), browser.Type(`input[name=code]`, s.code), browser.Type(`input[name=name]`, "Nell Harbour"),
		browser.Type(`input[name=sign_in]`, "nell"), browser.Type(`input[name=password]`, "a long password\r"), sees("Nothing is recorded yet"))
}

// sees waits until the page shows a text.
func sees(text string) chromedp.Action {
	return browser.Sees(text)
}

// arrives waits until the page is at a path: what was pressed before is done then.
func arrives(path string) chromedp.Action {
	return browser.Holds(fmt.Sprintf("location.pathname === %q", path))
}

// press clicks the button or link that begins with a text.
func press(text string) chromedp.Action {
	q := fmt.Sprintf(`//*[self::button or self::a][starts-with(normalize-space(.), %q)][not(@disabled)]`, text)
	return chromedp.Tasks{browser.Visible(q, chromedp.BySearch), chromedp.Click(q, chromedp.BySearch)}
}

// drop gives files to the page as a person's drop does: the same event with the same files.
func drop(files ...string) chromedp.Action {
	return chromedp.Tasks{
		browser.Visible(`header`, chromedp.ByQuery),
		chromedp.Evaluate(
			`(() => { const i = document.createElement("input"); i.type = "file"; i.multiple = true; i.id = "e2e-drop"; i.style.display = "none"; document.body.append(i); })()`,
			nil,
		),
		chromedp.SetUploadFiles(`#e2e-drop`, files),
		chromedp.Evaluate(`(() => {
			const i = document.getElementById("e2e-drop");
			const d = new DataTransfer();
			for (const f of i.files) d.items.add(f);
			i.remove();
			for (const kind of ["dragenter", "dragover", "drop"]) document.querySelector("header").dispatchEvent(new DragEvent(kind, { dataTransfer: d, bubbles: true, cancelable: true }));
		})()`, nil),
	}
}

// drag takes one element with the mouse and lets go of it over another.
func drag(from, to string) chromedp.Action {
	return chromedp.ActionFunc(func(ctx context.Context) error {
		var at [4]float64
		err := chromedp.Evaluate(fmt.Sprintf(`[%q, %q].flatMap((q) => {
			const b = document.querySelector(q).getBoundingClientRect();
			return [b.x + b.width / 2, b.y + b.height / 2];
		})`, from, to), &at).Do(ctx)
		if err != nil {
			return err
		}
		for i, kind := range []input.MouseType{input.MouseMoved, input.MousePressed, input.MouseMoved, input.MouseMoved, input.MouseReleased} {
			x, y := at[0], at[1]
			if i > 1 {
				x, y = at[2], at[3]
			}
			button := input.Left
			if i == 0 {
				button = input.None
			}
			if err := input.DispatchMouseEvent(kind, x, y).WithButton(button).WithClickCount(1).Do(ctx); err != nil {
				return err
			}
		}
		return nil
	})
}

// fetch downloads an address with the browser's own sign-in.
func (s *server) fetch(path string) []byte {
	s.t.Helper()
	var cookies []*network.Cookie
	s.do("cookies", chromedp.ActionFunc(func(ctx context.Context) (err error) {
		cookies, err = network.GetCookies().WithURLs([]string{s.base}).Do(ctx)
		return err
	}))
	req, err := http.NewRequest(http.MethodGet, s.base+path, nil)
	require.NoError(s.t, err)
	for _, c := range cookies {
		req.AddCookie(&http.Cookie{Name: c.Name, Value: c.Value})
	}
	res, err := http.DefaultClient.Do(req)
	require.NoError(s.t, err)
	defer res.Body.Close()
	b, err := io.ReadAll(res.Body)
	require.NoError(s.t, err)
	require.Equal(s.t, http.StatusOK, res.StatusCode, string(b))
	return b
}

// text gives the text of an element.
func (s *server) text(selector string) (out string) {
	s.t.Helper()
	s.do("text of "+selector, chromedp.Text(selector, &out))
	return strings.Join(strings.Fields(out), " ")
}

// rows counts what a selector finds.
func (s *server) rows(selector string) int {
	s.t.Helper()
	var nodes []*cdp.Node
	s.do("nodes of "+selector, chromedp.Nodes(selector, &nodes, chromedp.ByQueryAll, chromedp.AtLeast(0)))
	return len(nodes)
}

// value gives what stands in a field.
func (s *server) value(selector string) (out string) {
	s.t.Helper()
	s.do("value of "+selector, chromedp.Value(selector, &out))
	return out
}
