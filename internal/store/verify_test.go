package store

import (
	"bytes"
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gorm.io/gorm"
)

// All of a folder is proved: kept files that are gone, cut, swapped, changed, or links; backups that were changed; pages that are damaged.
func TestVerifyFindsWhatWasChanged(t *testing.T) {
	ctx := context.Background()
	const one, two = "one kept file, of a posting", "another kept file, as long!"
	require.Len(t, two, len(one))
	flip := func(t *testing.T, name string, at int64) {
		f, err := os.OpenFile(name, os.O_RDWR, 0)
		require.NoError(t, err)
		defer f.Close()
		b := make([]byte, 1)
		_, err = f.ReadAt(b, at)
		require.NoError(t, err)
		b[0] ^= 4
		_, err = f.WriteAt(b, at)
		require.NoError(t, err)
	}
	for what, x := range map[string]struct {
		do   func(t *testing.T, kept, other, backup string)
		want string
	}{
		"nothing": {func(*testing.T, string, string, string) {}, ""},
		"gone":    {func(t *testing.T, kept, _, _ string) { require.NoError(t, os.Remove(kept)) }, "is gone"},
		"cut":     {func(t *testing.T, kept, _, _ string) { require.NoError(t, os.Truncate(kept, 5)) }, "has 5 bytes, and had 27"},
		"changed": {func(t *testing.T, kept, _, _ string) { flip(t, kept, 3) }, "is not what it was"},
		"swapped": {func(t *testing.T, kept, other, _ string) { require.NoError(t, os.Rename(other, kept)) }, "is not what it was"},
		"a link": {func(t *testing.T, kept, other, _ string) {
			require.NoError(t, os.Remove(kept))
			require.NoError(t, os.Symlink(other, kept))
		}, "is no plain file any more"},
		"a folder": {func(t *testing.T, kept, _, _ string) {
			require.NoError(t, os.Remove(kept))
			require.NoError(t, os.Mkdir(kept, 0o700))
		}, "is no plain file any more"},
		"the backup": {func(t *testing.T, _, _, backup string) { flip(t, backup, 5000) }, "-by-hand.db is not what it was"},
		"its hash": {func(t *testing.T, _, _, backup string) {
			require.NoError(t, os.WriteFile(backup+hashEnding, []byte("no hash"), 0o600))
		}, "has a hash that cannot be read"},
	} {
		s := opened(t)
		var shas []string
		require.NoError(t, s.Write(ctx, func(tx *gorm.DB) error {
			for _, text := range []string{one, two} {
				sha, err := s.KeepBytes(tx, []byte(text), 7)
				if err != nil {
					return err
				}
				shas = append(shas, sha)
			}
			if err := tx.Exec(`INSERT INTO intakes (id, kind, state, file_sha, file_name, person, at, added, changed, unchanged, gone, refused)
				VALUES (1, 'stock', 'taken in', ?, 'stock.csv', 'Nell', 7, 1, 0, 0, 0, 0)`, shas[0]).Error; err != nil {
				return err
			}
			return Record(tx, 7, "Nell", "took in", "{}")
		}))
		name, err := s.Backup(ctx, "by-hand")
		require.NoError(t, err)
		x.do(t, s.keptName(shas[0]), s.keptName(shas[1]), filepath.Join(s.Dir, "backups", name))
		last := int64(0)
		w, err := s.Verify(ctx, func(done, of int64) {
			assert.LessOrEqual(t, done, of, what)
			assert.GreaterOrEqual(t, done, last, what)
			last = done
		})
		require.NoError(t, err, what)
		if x.want == "" {
			assert.Empty(t, w.Wrong)
			assert.Equal(t, []int{1, 2, 1, 0}, []int{w.Links, w.Files, w.Backups, w.Unsigned})
			assert.Positive(t, last)
		} else {
			require.NotEmpty(t, w.Wrong, what)
			assert.Contains(t, strings.Join(w.Wrong, "\n"), x.want, what)
		}
		if x.want != "" && w.Backups == 1 {
			assert.Contains(t, strings.Join(w.Wrong, "\n"), "(stock.csv)", what)
		}
		require.NoError(t, s.Close())
	}
}

// Backups of before they had a hash are told as such; a page of an index that is damaged is found; whoever gives up ends the proof.
func TestVerifyOlderBackupsAndPages(t *testing.T) {
	s := opened(t)
	ctx := context.Background()
	require.NoError(t, s.Write(ctx, func(tx *gorm.DB) error {
		for i := range 300 {
			if err := tx.Create(&Warehouse{Code: strings.Repeat("W", 20) + string(rune('a'+i%26)) + strings.Repeat("x", i)}).Error; err != nil {
				return err
			}
		}
		return nil
	}))
	name, err := s.Backup(ctx, "by-hand")
	require.NoError(t, err)
	require.NoError(t, os.Remove(filepath.Join(s.Dir, "backups", name+hashEnding)))
	w, err := s.Verify(ctx, nil)
	require.NoError(t, err)
	assert.Empty(t, w.Wrong)
	assert.Equal(t, []int{0, 1}, []int{w.Backups, w.Unsigned})
	gone, leave := context.WithCancel(ctx)
	leave()
	_, err = s.Verify(gone, nil)
	require.ErrorIs(t, err, context.Canceled)

	require.NoError(t, s.Close())
	file := filepath.Join(s.Dir, databaseName)
	b, err := os.ReadFile(file)
	require.NoError(t, err)
	at := bytes.LastIndex(b, []byte(strings.Repeat("W", 20)+"a")) // in the table or in the index of the codes
	require.Positive(t, at)
	b[at] ^= 1
	require.NoError(t, os.WriteFile(file, b, 0o600))
	beside, err := OpenBeside(s.Dir)
	require.NoError(t, err)
	defer beside.Close()
	w, err = beside.Verify(ctx, nil)
	require.NoError(t, err)
	require.NotEmpty(t, w.Wrong, "a flipped bit in a page that is used")
	assert.Contains(t, w.Wrong[0], "The database is damaged")
}
