package intake

import (
	"os"
	"path/filepath"
	"strings"

	"wobin/internal/desk"
)

// DemoFiles lists the files to try with; there are some in the demo's data folder only.
func (d *Room) DemoFiles() ([]string, error) {
	out := []string{}
	entries, err := os.ReadDir(filepath.Join(d.Store.Dir, "try"))
	if os.IsNotExist(err) {
		return out, nil
	}
	for _, e := range entries {
		out = append(out, e.Name())
	}
	return out, err
}

// DemoFile gives one of the files to try with.
func (d *Room) DemoFile(p desk.Person, name string) ([]byte, error) {
	if err := desk.Allow(p, desk.Look); err != nil {
		return nil, err
	}
	if !safeName(name) {
		return nil, desk.Missing("The file")
	}
	b, err := os.ReadFile(filepath.Join(d.Store.Dir, "try", name))
	if os.IsNotExist(err) {
		return nil, desk.Missing("The file")
	}
	return b, err
}

func safeName(s string) bool { return s != "" && !strings.ContainsAny(s, "/\\") && s[0] != '.' }
