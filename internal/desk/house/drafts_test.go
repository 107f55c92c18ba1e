package house_test

import (
	"database/sql"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/desk"
	"wobin/internal/desk/intake"
)

// What was dropped and settled outlives the program: it waits in a list, goes on where it was left, and is gone when it is taken in.
func TestDraftsStay(t *testing.T) {
	d, again := restartable(t)
	take(t, d, "items.csv", itemsText)
	dr := look(t, d, "stock.csv", strings.Replace(stockText, "A-1-1,ROPE,,10", "A-1-1,ROPE,,1O", 1), intake.Choices{})
	require.Equal(t, 1, dr.Effect.Refused)
	other := look(t, d, "places.csv", "warehouse,bin\nW,A-1\n", intake.Choices{})
	dr, err := d.Intake.Settle(ctx, nell, dr.ID, intake.Answer{Mends: []intake.CellMend{{Row: 2, Column: "F", Was: "1O", Is: "10"}}})
	require.NoError(t, err)
	require.Zero(t, dr.Effect.Refused)
	waits := func() (names []string) {
		list, err := d.Intake.Waiting(ctx, nell)
		require.NoError(t, err)
		for _, w := range list {
			names = append(names, w.Name+": "+w.Word)
		}
		return names
	}
	require.ElementsMatch(t, []string{"stock.csv: 7 rows of stock", "places.csv: 1 row of places"}, waits())

	d = again()
	require.ElementsMatch(t, []string{"stock.csv: 7 rows of stock", "places.csv: 1 row of places"}, waits())
	list, err := d.Intake.Waiting(ctx, desk.Person{ID: 7, Role: "controller"})
	require.NoError(t, err)
	assert.Empty(t, list, "they are for whoever dropped them")
	_, err = d.Intake.Draft(ctx, desk.Person{ID: 7, Role: "controller"}, dr.ID)
	require.ErrorIs(t, err, desk.ErrNotFound)
	now, err := d.Intake.Draft(ctx, nell, dr.ID)
	require.NoError(t, err)
	assert.Equal(t, 1, now.Mended)
	assert.Zero(t, now.Effect.Refused)
	now, err = d.Intake.Settle(ctx, nell, dr.ID, intake.Answer{Back: true})
	require.NoError(t, err)
	assert.Equal(t, 1, now.Effect.Refused, "answers can be taken back as before")
	_, err = d.Intake.Redrop(ctx, nell, dr.ID, "stock.csv", strings.NewReader(stockText))
	require.NoError(t, err)

	d = again()
	out, err := d.Intake.TakeIn(ctx, nell, dr.ID, "one key", 0)
	require.NoError(t, err)
	assert.Equal(t, 7, out.Added)
	require.Equal(t, []string{"places.csv: 1 row of places"}, waits())
	d = again()
	repeat, err := d.Intake.TakeIn(ctx, nell, dr.ID, "one key", 0)
	require.NoError(t, err, "a repeat is answered with the first result, though the draft is gone")
	assert.Equal(t, out, repeat)
	_, err = d.Intake.TakeIn(ctx, nell, dr.ID, "another", 0)
	require.ErrorIs(t, err, desk.ErrNotFound)

	// A backup has none of them, and putting one back leaves them as they are.
	name, err := d.Store.Backup(ctx, "by-hand")
	require.NoError(t, err)
	raw, err := sql.Open("sqlite3", "file:"+filepath.Join(d.Store.Dir, "backups", name)+"?mode=ro&immutable=1")
	require.NoError(t, err)
	var n int
	require.NoError(t, raw.QueryRow("SELECT count(*) FROM drafts").Scan(&n))
	require.NoError(t, raw.Close())
	assert.Zero(t, n)
	err = d.Safety.Restore(ctx, nell, name, 0)
	require.NoError(t, err)
	require.Equal(t, []string{"places.csv: 1 row of places"}, waits())
	still, err := d.Intake.Draft(ctx, nell, other.ID)
	require.NoError(t, err)
	assert.Equal(t, 1, still.Effect.Added)
	d = again()

	// One whose bytes were lost says so, once; one that nobody comes back for goes.
	files, err := filepath.Glob(filepath.Join(d.Store.Dir, "incoming", "*"))
	require.NoError(t, err)
	require.Len(t, files, 1)
	require.NoError(t, os.Truncate(files[0], 3))
	_, err = d.Intake.Draft(ctx, nell, other.ID)
	require.ErrorContains(t, err, "places.csv did not outlive the end of the program. Drop it again.")
	assert.Empty(t, waits())
	old := look(t, d, "old.csv", "warehouse,bin\nW,A-1\n", intake.Choices{})
	later := testClock().Add(15 * 24 * time.Hour)
	d.Now = func() time.Time { return later }
	look(t, d, "new.csv", "warehouse,bin\nW,A-2\n", intake.Choices{})
	require.Equal(t, []string{"new.csv: 1 row of places"}, waits())
	_, err = d.Intake.Draft(ctx, nell, old.ID)
	require.ErrorIs(t, err, desk.ErrNotFound)
	files, err = filepath.Glob(filepath.Join(d.Store.Dir, "incoming", "*"))
	require.NoError(t, err)
	assert.Len(t, files, 1, "files go with their drafts")
}
