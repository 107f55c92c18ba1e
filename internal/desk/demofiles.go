package desk

import (
	"os"
	"path/filepath"
)

// demoFiles lists the files to try with; there are some in the demo's data folder only.
func (d *Desk) demoFiles() ([]string, error) {
	out := []string{}
	entries, err := os.ReadDir(filepath.Join(d.store.Dir, "try"))
	if os.IsNotExist(err) {
		return out, nil
	}
	for _, e := range entries {
		out = append(out, e.Name())
	}
	return out, err
}

// DemoFile gives one of the files to try with.
func (d *Desk) DemoFile(p Person, name string) ([]byte, error) {
	if err := allow(p, Look); err != nil {
		return nil, err
	}
	if !safeName(name) {
		return nil, missing("The file")
	}
	b, err := os.ReadFile(filepath.Join(d.store.Dir, "try", name))
	if os.IsNotExist(err) {
		return nil, missing("The file")
	}
	return b, err
}
