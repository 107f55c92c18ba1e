package intake

import (
	"bytes"
	"slices"

	"wobin/internal/core/field"
	"wobin/internal/core/template"
	"wobin/internal/desk"
)

// Template gives an empty file of a kind to fill in, and its name.
func (d *Room) Template(p desk.Person, kind string) (name string, b []byte, err error) {
	if err := desk.Allow(p, desk.Look); err != nil {
		return "", nil, err
	}
	k := field.Kind(kind)
	if !slices.Contains(field.Kinds, k) {
		return "", nil, desk.Missing("The template")
	}
	var out bytes.Buffer
	err = template.Write(&out, k)
	return template.Name(k), out.Bytes(), err
}
