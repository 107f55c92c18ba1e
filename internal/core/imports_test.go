// Package core_test proves the rule of the house: the core knows nothing outside of the core, and imports point
// down only.
package core_test

import (
	"go/parser"
	"go/token"
	"io/fs"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// kernel is what every room of the use cases stands on.
var kernel = []string{"internal/desk", "internal/store", "internal/core/..."}

// below says which rooms of the project a room may import, tests aside. A name ending in /... stands for all within.
var below = map[string][]string{
	"internal/core":             {"internal/core/..."},
	"internal/document":         {"internal/core/..."},
	"internal/clock":            nil,
	"internal/store":            {"internal/clock", "internal/core/..."},
	"internal/desk":             {"internal/store", "internal/core/..."},
	"internal/desk/count":       nil,
	"internal/desk/people":      nil,
	"internal/desk/safety":      nil,
	"internal/desk/recorded":    nil,
	"internal/desk/elevation":   {"internal/desk/recorded", "internal/desk/count"},
	"internal/desk/intake":      {"internal/desk/count"},
	"internal/desk/plan":        {"internal/desk/recorded", "internal/desk/count"},
	"internal/desk/counting":    {"internal/desk/count", "internal/document"},
	"internal/desk/variances":   {"internal/desk/recorded", "internal/desk/count"},
	"internal/desk/adjustments": {"internal/desk/count"},
	"internal/desk/steps":       {"internal/desk/count"},
	"internal/desk/report":      {"internal/desk/variances", "internal/desk/adjustments", "internal/desk/count"},
	"internal/desk/today":       {"internal/desk/recorded", "internal/desk/intake", "internal/desk/adjustments", "internal/desk/count"},
	"internal/desk/reference":   {"internal/desk/recorded", "internal/desk/count"},
	"internal/desk/lists": {"internal/desk/recorded", "internal/desk/reference", "internal/desk/variances", "internal/desk/safety",
		"internal/desk/count"},
	"internal/desk/house":    {"internal/desk/..."},
	"internal/demo":          {"internal/standin", "internal/desk/...", "internal/store", "internal/core/..."},
	"internal/standin":       {"internal/core/..."},
	"internal/standin/trial": {"internal/standin", "internal/desk/...", "internal/store", "internal/core/..."},
	"internal/web":           {"internal/clock", "internal/desk/...", "internal/store", "internal/document"},
	"internal/cli": {"internal/clock", "internal/web", "internal/demo", "internal/standin", "internal/standin/trial", "internal/desk/...", "internal/store", "internal/core/...", "internal/document",
		"web"},
	"cmd/wobin": {"internal/cli"},
}

// rooms says which rooms of the core a room that makes sense of files may import. The others of them are above it.
var rooms = map[string][]string{
	"field":     nil,
	"form":      {"field"},
	"problem":   {"field"},
	"layout":    {"field", "form"},
	"column":    {"field", "form", "layout"},
	"recognise": {"field", "form", "problem", "layout", "column"},
	"read":      {"field", "form", "problem", "layout", "column", "recognise"},
	"remedy":    {"field", "form", "problem", "layout", "column", "recognise", "read"},
}

// outside are packages that the computation has no business with.
var outside = []string{
	"os",
	"os/",
	"net",
	"net/", // but net/url, which takes texts apart
	"database/",
	"log",
	"log/",
	"math/rand",
	"gorm.io/",
	"github.com/gin-gonic/",
	"github.com/danielgtaylor/",
	"github.com/spf13/",
}

func TestImportsPointDown(t *testing.T) {
	root := filepath.Join("..", "..")
	files := 0
	require.NoError(t, filepath.WalkDir(root, func(path string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if d.IsDir() && (d.Name() == "node_modules" || d.Name() == ".git") {
			return fs.SkipDir
		}
		if d.IsDir() || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
			return nil
		}
		rel, err := filepath.Rel(root, path)
		if err != nil {
			return err
		}
		room := ""
		for r := range below {
			if strings.HasPrefix(filepath.ToSlash(rel), r+"/") && len(r) > len(room) {
				room = r
			}
		}
		if room == "" {
			return nil
		}
		may := append([]string{room}, below[room]...)
		if strings.HasPrefix(room, "internal/desk/") {
			assert.Equal(t, room, filepath.ToSlash(filepath.Dir(rel)), "a room of the use cases that nothing is said of")
			may = append(may, kernel...)
		}
		files++
		f, err := parser.ParseFile(token.NewFileSet(), path, nil, parser.ImportsOnly)
		if err != nil {
			return err
		}
		for _, im := range f.Imports {
			name, _ := strconv.Unquote(im.Path.Value)
			if room == "internal/core" && name != "net/url" {
				for _, o := range outside {
					assert.False(t, name == o || strings.HasSuffix(o, "/") && strings.HasPrefix(name, o), "%s imports %s", rel, name)
				}
			}
			ours, is := strings.CutPrefix(name, "wobin/")
			if !is {
				continue
			}
			if mine, is := rooms[strings.TrimPrefix(filepath.ToSlash(filepath.Dir(rel)), "internal/core/")]; is {
				other := strings.TrimPrefix(ours, "internal/core/")
				_, one := rooms[other]
				assert.True(t, !one || slices.Contains(mine, other), "%s imports %s, which is not below it", rel, name)
			}
			allowed := false
			for _, b := range may {
				within, all := strings.CutSuffix(b, "/...")
				allowed = allowed || ours == within || all && strings.HasPrefix(ours, within+"/")
			}
			assert.True(t, allowed, "%s imports %s, which is not below %s", rel, name, room)
		}
		return nil
	}))
	assert.Greater(t, files, 30)
}
