package standin

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"wobin/internal/core/adjust"
)

// Serving is how a stand-in is served over a folder.
type Serving struct {
	Dir    string // holds in, out, layouts and the state of the world
	Seed   uint64
	Bins   int
	Pace   float64       // what happens an hour
	Every  time.Duration // between two exports
	Look   time.Duration // between two looks into in
	Now    func() time.Time
	Say    io.Writer
	export int64 // when it exported last
}

// Serve keeps a simulated record system going until it is told to stop: it trades, exports into out, and takes in what is put into in.
// Files that it has taken in or refused are moved to in/done, with its answer beside them.
func Serve(ctx context.Context, s Serving) error {
	for _, d := range []string{"in", "in/done", "out", "layouts"} {
		if err := os.MkdirAll(filepath.Join(s.Dir, d), 0o755); err != nil {
			return err
		}
	}
	w, err := s.load()
	if err != nil {
		return err
	}
	for _, m := range adjust.Modes {
		l := Layout(m)
		b, err := json.MarshalIndent(l, "", "  ")
		if err != nil {
			return err
		}
		if err := put(filepath.Join(s.Dir, "layouts", string(m)+".json"), append(b, '\n')); err != nil {
			return err
		}
	}
	for {
		if err := s.Step(w); err != nil {
			return err
		}
		select {
		case <-ctx.Done():
			return nil
		case <-time.After(s.Look):
		}
	}
}

// load takes the world up from the folder, or makes it.
func (s *Serving) load() (*World, error) {
	b, err := os.ReadFile(filepath.Join(s.Dir, "state.json"))
	if errors.Is(err, fs.ErrNotExist) {
		w := NewWorld(s.Seed, s.Now().Add(-8*time.Hour), s.Bins)
		w.Late = true
		return w, nil
	}
	if err != nil {
		return nil, err
	}
	return Load(b)
}

// Step lets time go on to now, takes in what was put into in, and exports where it is time to.
func (s *Serving) Step(w *World) error {
	now := s.Now().UnixNano()
	w.Trade(now, s.Pace)
	names, err := os.ReadDir(filepath.Join(s.Dir, "in"))
	if err != nil {
		return err
	}
	took := false
	for _, n := range names {
		if n.IsDir() || strings.HasPrefix(n.Name(), ".") || strings.HasSuffix(n.Name(), ".sha256") {
			continue
		}
		b, err := os.ReadFile(filepath.Join(s.Dir, "in", n.Name()))
		if err != nil {
			return err
		}
		a := w.Take(n.Name(), b)
		if err := s.save(w); err != nil { // before it answers, so that nothing is taken in twice
			return err
		}
		done := filepath.Join(s.Dir, "in", "done", n.Name())
		if err := put(done+".answer", []byte(a.Text())); err != nil {
			return err
		}
		if err := os.Rename(filepath.Join(s.Dir, "in", n.Name()), done); err != nil {
			return err
		}
		word := fmt.Sprintf("took in %s, %d rows", n.Name(), a.Rows)
		if !a.Taken {
			word = fmt.Sprintf("refused %s: %s", n.Name(), strings.Join(a.Wrong[:min(len(a.Wrong), 3)], "; "))
		}
		fmt.Fprintln(s.Say, word)
		took = took || a.Taken
	}
	if s.export == 0 || took || now-s.export >= int64(s.Every) {
		if err := s.exports(w); err != nil {
			return err
		}
	}
	return s.save(w)
}

// kept is how many exports of a kind stay in out.
const kept = 12

// exports writes stock and movements of now into out.
func (s *Serving) exports(w *World) error {
	stamp := time.Unix(0, w.Now).UTC().Format("20060102-150405")
	first := s.export == 0
	for name, content := range map[string][]byte{"stock": w.ExportStock(), "movements": w.ExportMovements(s.export), "items": w.ExportItems(), "places": w.ExportPlaces()} {
		if (name == "items" || name == "places") && !first || name == "movements" && strings.Count(string(content), "\n") < 2 {
			continue
		}
		if err := put(filepath.Join(s.Dir, "out", name+"-"+stamp+".csv"), content); err != nil {
			return err
		}
		old, err := filepath.Glob(filepath.Join(s.Dir, "out", name+"-*.csv"))
		if err != nil {
			return err
		}
		slices.Sort(old)
		for _, o := range old[:max(0, len(old)-kept)] {
			if err := os.Remove(o); err != nil {
				return err
			}
		}
	}
	s.export = w.Now
	return nil
}

func (s *Serving) save(w *World) error {
	b, err := w.Save()
	if err != nil {
		return err
	}
	return put(filepath.Join(s.Dir, "state.json"), b)
}

// put writes a file whole.
func put(name string, b []byte) error {
	part := filepath.Join(filepath.Dir(name), "."+filepath.Base(name)+".part")
	if err := os.WriteFile(part, b, 0o644); err != nil {
		return err
	}
	return os.Rename(part, name)
}
