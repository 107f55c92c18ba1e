package steps

import (
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Every act in a count has its opposite, or says why it has none here and how it is undone instead.
func TestEveryActHasItsOpposite(t *testing.T) {
	said := regexp.MustCompile(`Say\(\s*"([^"]+)",\s*map\[string\]any\{\s*"count":`)
	found := 0
	require.NoError(t, filepath.WalkDir("..", func(path string, e fs.DirEntry, err error) error {
		if err != nil || e.IsDir() || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
			return err
		}
		text, err := os.ReadFile(path)
		require.NoError(t, err)
		for _, m := range said.FindAllStringSubmatch(string(text), -1) {
			found++
			if slices.Contains([]string{"count discarded", "decided by rule", "worked out again"}, m[1]) { // of no count any more, or no person's
				continue
			}
			_, known := acts[m[1]]
			assert.True(t, known, "%s says %q", path, m[1])
		}
		return nil
	}))
	assert.Greater(t, found, 25)
	for word, a := range acts {
		assert.NotEqual(t, a.table == "", a.why == "", "%s is undone, or says why not", word)
		assert.NotEmpty(t, a.needs, word)
		assert.Equal(t, a.table != "", a.words != nil, word)
	}
}
