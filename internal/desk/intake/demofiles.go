package intake

import (
	"os"
	"path/filepath"
	"strings"

	"wobin/internal/desk"
)

// RecordSystem is the folder of the demo's simulated record system, in the data folder.
const RecordSystem = "record-system"

// DemoFiles lists the files to try with; there are some in the demo's data folder only.
func (d *Room) DemoFiles() ([]string, error) { return names(filepath.Join(d.Store.Dir, "try")) }

// Exports lists what the demo's simulated record system has exported, to whoever may send files out to it.
func (d *Room) Exports(p desk.Person) ([]string, error) {
	if desk.Allow(p, desk.SendOut) != nil {
		return []string{}, nil
	}
	return names(filepath.Join(d.Store.Dir, RecordSystem, "out"))
}

func names(folder string) ([]string, error) {
	out := []string{}
	entries, err := os.ReadDir(folder)
	if os.IsNotExist(err) {
		return out, nil
	}
	for _, e := range entries {
		if safeName(e.Name()) { // one that is being written begins with a point
			out = append(out, e.Name())
		}
	}
	return out, err
}

// DemoFile gives one of the files to try with, or of what the simulated record system has exported.
func (d *Room) DemoFile(p desk.Person, name string) ([]byte, error) {
	if err := desk.Allow(p, desk.Look); err != nil {
		return nil, err
	}
	folders := []string{"try"}
	if desk.Allow(p, desk.SendOut) == nil {
		folders = append(folders, filepath.Join(RecordSystem, "out"))
	}
	for _, f := range folders {
		if !safeName(name) {
			break
		}
		if b, err := os.ReadFile(filepath.Join(d.Store.Dir, f, name)); !os.IsNotExist(err) {
			return b, err
		}
	}
	return nil, desk.Missing("The file")
}

func safeName(s string) bool { return s != "" && !strings.ContainsAny(s, "/\\") && s[0] != '.' }
