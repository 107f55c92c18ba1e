// Package faults proves that the records hold when things go wrong: a kill in the middle of an intake, a full disk,
// work sent twice, a record tampered with.
package faults

import (
	"bytes"
	"context"
	"database/sql"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	_ "github.com/mattn/go-sqlite3" // reads the database beside the program
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gorm.io/gorm"

	"wobin/internal/clock"
	"wobin/internal/core/quantity"
	"wobin/internal/desk"
	"wobin/internal/desk/count"
	"wobin/internal/desk/counting"
	"wobin/internal/desk/house"
	"wobin/internal/desk/intake"
	"wobin/internal/desk/plan"
	"wobin/internal/store"
)

func program(t *testing.T) string {
	t.Helper()
	p, err := filepath.Abs(filepath.Join("..", "..", "bin", "wobin"))
	require.NoError(t, err)
	_, err = os.Stat(p)
	require.NoError(t, err, "run make build first")
	return p
}

func stockFile(lines, quantity int) string {
	var b strings.Builder
	b.WriteString("warehouse,bin,sku,quantity,unit_cost,recorded_at\n")
	for i := range lines {
		fmt.Fprintf(&b, "W%d,A-%03d-%d,SKU-%05d,%d,2.5,2026-11-20T06:00:00Z\n", i%2, i/20, i%5, i%9000, quantity)
	}
	return b.String()
}

func look(t *testing.T, data, query string) (n int64) {
	t.Helper()
	db, err := sql.Open("sqlite3", "file:"+filepath.Join(data, "wobin.db")+"?mode=ro&_busy_timeout=5000")
	require.NoError(t, err)
	defer db.Close()
	require.NoError(t, db.QueryRow(query).Scan(&n), query)
	return n
}

// A kill -9 while a large intake is being written leaves what was before, whole; the next start sweeps the rest, and
// the same file can then be taken in.
func TestKillInTheMiddleOfAnIntake(t *testing.T) {
	dir := t.TempDir()
	data := filepath.Join(dir, "data")
	small, large := filepath.Join(dir, "small.csv"), filepath.Join(dir, "large.csv")
	require.NoError(t, os.WriteFile(small, []byte(stockFile(1000, 7)), 0o644))
	require.NoError(t, os.WriteFile(large, []byte(stockFile(170_000, 9)), 0o644))
	run := func(args ...string) string {
		out, err := exec.Command(program(t), args...).CombinedOutput()
		require.NoError(t, err, string(out))
		return string(out)
	}
	run("intake", small, "--data", data)
	const published = "SELECT coalesce(sum(l.quantity), 0) FROM stock_lines l JOIN warehouses w ON w.set_id = l.set_id"
	before := look(t, data, published)
	require.Equal(t, int64(1000*7*quantity.Scale), before)

	c := exec.Command(program(t), "intake", large, "--data", data)
	require.NoError(t, c.Start())
	// Wait until pieces are written that nobody can see yet, then kill.
	deadline := time.Now().Add(30 * time.Second)
	for look(t, data, "SELECT count(*) FROM stock_lines WHERE set_id IN (SELECT id FROM stock_sets WHERE published = 0)") == 0 {
		require.True(t, time.Now().Before(deadline), "no piece was ever written")
	}
	require.NoError(t, c.Process.Kill())
	require.Error(t, c.Wait(), "it was killed before its end")
	assert.Equal(t, before, look(t, data, published), "what was recorded stands")
	assert.Equal(t, int64(1), look(t, data, "SELECT count(*) FROM intakes"))

	assert.Contains(t, run("audit", "verify", "--data", data), "all hold")
	assert.Zero(t, look(t, data, "SELECT count(*) FROM stock_sets WHERE published = 0"), "the start swept")
	assert.Zero(t, look(t, data, "SELECT count(*) FROM stock_lines WHERE set_id NOT IN (SELECT id FROM stock_sets)"))
	assert.Equal(t, before, look(t, data, published))
	run("intake", large, "--data", data)
	assert.Equal(t, int64(170_000*9*quantity.Scale), look(t, data, published))
	var check string
	db, err := sql.Open("sqlite3", filepath.Join(data, "wobin.db"))
	require.NoError(t, err)
	defer db.Close()
	require.NoError(t, db.QueryRow("PRAGMA integrity_check").Scan(&check))
	assert.Equal(t, "ok", check)
}

func open(t *testing.T) (*house.House, *store.Store, desk.Person) {
	t.Helper()
	s, err := store.Open(filepath.Join(t.TempDir(), "data"))
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	d, err := house.New(s, func() time.Time { return time.Date(2026, 11, 20, 12, 0, 0, 0, time.UTC) })
	require.NoError(t, err)
	t.Cleanup(d.Close)
	return d, s, desk.Person{ID: 1, Name: "Nell", Role: "controller"}
}

func take(t *testing.T, d *house.House, p desk.Person, text, key string) count.TakenIn {
	t.Helper()
	ctx := context.Background()
	dr, err := d.Intake.Upload(ctx, p, "stock.csv", strings.NewReader(text), intake.Choices{Zone: "UTC"})
	require.NoError(t, err)
	require.Empty(t, dr.Blocked)
	lastDraft = dr.ID
	out, err := d.Intake.TakeIn(ctx, p, dr.ID, key, dr.Effect.Refused)
	require.NoError(t, err)
	return out
}

var lastDraft string // of the last take

// Work sent twice under one key is done once and answered the same; so are two sheets and two postings.
func TestSentTwice(t *testing.T) {
	d, _, p := open(t)
	ctx := context.Background()
	first := take(t, d, p, stockFile(40, 5), "key-of-the-intake")
	again, err := d.Intake.TakeIn(ctx, p, lastDraft, "key-of-the-intake", 0)
	require.NoError(t, err)
	assert.Equal(t, first, again)
	dr, err := d.Intake.Upload(ctx, p, "stock.csv", strings.NewReader(stockFile(40, 6)), intake.Choices{})
	require.NoError(t, err)
	_, err = d.Intake.TakeIn(ctx, p, dr.ID, "key-of-the-intake", 0)
	var refused *desk.Refusal
	require.ErrorAs(t, err, &refused, "another file under the same key is not answered with the first result")
	assert.Equal(t, desk.KeyTaken, refused.Kind)
	list, err := d.Intake.Intakes(ctx, p)
	require.NoError(t, err)
	assert.Len(t, list, 1)

	houses, err := d.Recorded.Warehouses(ctx, p)
	require.NoError(t, err)
	n := plan.NewCount{Key: "key-of-the-count", Name: "Count", Scope: count.Scope{Warehouse: houses[0].ID}, Cut: plan.Cut{Rows: 10}}
	a, err := d.Plan.Freeze(ctx, p, n)
	require.NoError(t, err)
	b, err := d.Plan.Freeze(ctx, p, n)
	require.NoError(t, err)
	assert.Equal(t, a, b)

	_, sheet, err := d.Counting.WriteSheet(ctx, p, a.ID, 1, counting.AsText)
	require.NoError(t, err)
	filled := strings.Replace(string(sheet), "Counted to,", "Counted to,2026-11-20T10:00:00Z", 1)
	filled = strings.Replace(filled, ",5,,,\n", ",5,4,,\n", 3)
	require.NotEqual(t, string(sheet), filled)
	for i := range 2 {
		dr, err := d.Intake.Upload(ctx, p, "sheet.csv", strings.NewReader(filled), intake.Choices{})
		require.NoError(t, err)
		out, err := d.Intake.TakeIn(ctx, p, dr.ID, fmt.Sprintf("sheet-%d", i), 0)
		require.NoError(t, err)
		assert.Equal(t, []int{3, 0}[i], out.Added)
		assert.Equal(t, []int{0, 3}[i], out.Unchanged)
	}
	page, err := d.Variances.Variances(ctx, p, a.ID, desk.Filter{})
	require.NoError(t, err)
	require.Len(t, page.Lines, 3)
	places := []int64{}
	for _, l := range page.Lines {
		assert.Equal(t, "-1", l.Variance.String())
		places = append(places, l.Pos)
	}
	_, err = d.Variances.Decide(ctx, p, a.ID, places, store.Accept, "LOSS")
	require.NoError(t, err)
	x, err := d.Adjustments.Post(ctx, p, a.ID, "difference", "key-of-the-posting", 3)
	require.NoError(t, err)
	y, err := d.Adjustments.Post(ctx, p, a.ID, "difference", "key-of-the-posting", 3)
	require.NoError(t, err)
	assert.Equal(t, x, y)
	_, err = d.Variances.Decide(ctx, p, a.ID, places[:1], store.Hold, "")
	assert.ErrorContains(t, err, "went out already")
}

// Undo puts back what was there, to the line, and says what stands in its way.
func TestUndo(t *testing.T) {
	d, s, p := open(t)
	ctx := context.Background()
	sum := func() (v [3]int64) {
		require.NoError(
			t,
			s.Read(ctx).
				Raw("SELECT coalesce(sum(l.quantity), 0), count(*), (SELECT count(*) FROM items) FROM stock_lines l JOIN warehouses w ON w.set_id = l.set_id").
				Row().
				Scan(&v[0], &v[1], &v[2]),
		)
		return v
	}
	empty := sum()
	one := take(t, d, p, stockFile(40, 5), "")
	first := sum()
	two := take(t, d, p, stockFile(60, 6)+"W0,Z-1,NEW,3,,2026-11-20T06:00:00Z\n", "")
	assert.Equal(t, count.TakenIn{Intake: two.Intake, Kind: "stock", Outcome: count.Outcome{Added: 21, Changed: 40}}, two)
	assert.ErrorContains(t, d.Intake.Undo(ctx, p, one.Intake, false), "Later intakes stand on it")
	require.NoError(t, d.Intake.Undo(ctx, p, two.Intake, false))
	assert.Equal(t, first, sum())
	require.NoError(t, d.Intake.Undo(ctx, p, one.Intake, false))
	assert.Equal(t, empty, sum())
	assert.ErrorContains(t, d.Intake.Undo(ctx, p, one.Intake, false), "undone already")
}

// Nothing of an intake stays when the disk is full while it is written.
func TestFullDisk(t *testing.T) {
	d, s, p := open(t)
	ctx := context.Background()
	take(t, d, p, stockFile(40, 5), "")
	var pages int64
	require.NoError(t, s.Read(ctx).Raw("PRAGMA page_count").Scan(&pages).Error)
	require.NoError(t, s.LimitPages(ctx, pages+8))
	dr, err := d.Intake.Upload(ctx, p, "stock.csv", strings.NewReader(stockFile(60_000, 6)), intake.Choices{})
	require.NoError(t, err)
	_, err = d.Intake.TakeIn(ctx, p, dr.ID, "full-disk", 0)
	require.ErrorContains(t, err, "full")
	require.NoError(t, s.LimitPages(ctx, 1<<30))
	list, err := d.Intake.Intakes(ctx, p)
	require.NoError(t, err)
	assert.Len(t, list, 1)
	var unpublished int64
	require.NoError(t, s.Read(ctx).Raw("SELECT count(*) FROM stock_sets WHERE published = 0").Scan(&unpublished).Error)
	assert.Zero(t, unpublished)
	_, err = d.Intake.TakeIn(ctx, p, dr.ID, "full-disk", 0)
	assert.NoError(t, err, "with room again it goes through")
}

// The record of who did what breaks where it is changed; what is appended cannot be changed through the program.
func TestTamperedRecord(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "data")
	s, err := store.Open(dir)
	require.NoError(t, err)
	d, err := house.New(s, clock.Now)
	require.NoError(t, err)
	p := desk.Person{ID: 1, Name: "Nell", Role: "controller"}
	for i := range 3 {
		take(t, d, p, stockFile(40, 5+i), "")
	}
	proof, err := s.VerifyChain(context.Background())
	require.NoError(t, err)
	assert.Equal(t, store.Proof{Links: 3}, proof)
	d.Close()
	require.NoError(t, s.Close())
	db, err := sql.Open("sqlite3", filepath.Join(dir, "wobin.db"))
	require.NoError(t, err)
	defer db.Close()
	_, err = db.Exec("UPDATE chain SET person = 'Nobody' WHERE id = 2")
	require.ErrorContains(t, err, "never changed")
	_, err = db.Exec("DROP TRIGGER chain_kept; UPDATE chain SET person = 'Nobody' WHERE id = 2")
	require.NoError(t, err)
	out, err := exec.Command(program(t), "audit", "verify", "--data", dir).CombinedOutput()
	var exit *exec.ExitError
	require.ErrorAs(t, err, &exit)
	assert.Equal(t, 2, exit.ExitCode())
	assert.Contains(t, string(out), "breaks at its entry 2")
}

var noWord = store.Restoring{Word: func(tx *gorm.DB, r store.Restored) error {
	return store.Record(tx, 1, "test", "restored", "{}")
}}

// A restore puts back what a backup holds and keeps what was there; what is no backup changes nothing.
func TestRestore(t *testing.T) {
	d, s, p := open(t)
	ctx := context.Background()
	take(t, d, p, stockFile(40, 5), "")
	name, err := s.Backup(ctx, "test")
	require.NoError(t, err)
	take(t, d, p, stockFile(40, 8), "")
	_, err = store.Restore(ctx, s.Dir, filepath.Join(s.Dir, "backups", name), noWord)
	assert.ErrorContains(t, err, "another wobin has the data folder")
	require.NoError(t, s.Close())
	const sum = "SELECT sum(l.quantity) FROM stock_lines l JOIN warehouses w ON w.set_id = l.set_id"
	garbage := filepath.Join(t.TempDir(), "x.db")
	require.NoError(t, os.WriteFile(garbage, []byte("no database"), 0o600))
	_, err = store.Restore(ctx, s.Dir, garbage, noWord)
	require.Error(t, err)
	assert.Equal(t, int64(40*8*quantity.Scale), look(t, s.Dir, sum))
	out, err := exec.Command(program(t), "restore", filepath.Join(s.Dir, "backups", name), "--data", s.Dir).CombinedOutput()
	require.NoError(t, err, string(out))
	assert.Equal(t, int64(40*5*quantity.Scale), look(t, s.Dir, sum))
	word, _, _ := strings.Cut(string(out), "\n")
	before := strings.TrimPrefix(word, "Restored. What was there before is ")
	_, err = store.Restore(ctx, s.Dir, before, noWord)
	require.NoError(t, err)
	assert.Equal(t, int64(40*8*quantity.Scale), look(t, s.Dir, sum))
}

// Two programs never work with one folder; a newer database is refused.
func TestFolder(t *testing.T) {
	_, s, _ := open(t)
	_, err := store.Open(s.Dir)
	assert.ErrorContains(t, err, "another wobin has the data folder")
	require.NoError(t, s.Close())
	db, err := sql.Open("sqlite3", filepath.Join(s.Dir, "wobin.db"))
	require.NoError(t, err)
	_, err = db.Exec("PRAGMA user_version = 999")
	require.NoError(t, err)
	require.NoError(t, db.Close())
	_, err = store.Open(s.Dir)
	assert.ErrorIs(t, err, store.ErrNewer)
}

// A broken upload leaves nothing behind.
func TestBrokenUpload(t *testing.T) {
	d, s, p := open(t)
	_, err := d.Intake.Upload(context.Background(), p, "x.csv", &breaks{bytes.NewReader([]byte("sku,quantity\nX,1\n"))}, intake.Choices{})
	require.Error(t, err)
	left, err := filepath.Glob(filepath.Join(s.Dir, "incoming", "*"))
	require.NoError(t, err)
	assert.Empty(t, left)
}

type breaks struct{ r *bytes.Reader }

func (b *breaks) Read(p []byte) (int, error) {
	if b.r.Len() == 0 {
		return 0, fmt.Errorf("the line is down")
	}
	return b.r.Read(p)
}
