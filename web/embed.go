// Package web embeds the built front end.
package web

import (
	"embed"
	"io/fs"
)

//go:embed all:dist
var dist embed.FS

// Front is the built front end; it lacks index.html where it was not built.
func Front() fs.FS {
	f, err := fs.Sub(dist, "dist")
	if err != nil {
		panic(err) // the folder is embedded
	}
	return f
}
