package store

import (
	"context"
	"errors"
	"os"
	"path/filepath"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gorm.io/gorm"
)

var people = []string{"person changed", "invited"}

// workedOn gives a folder in which a backup was made, and then worked on: a warehouse and its word; somebody was suspended and somebody
// else took a new password, somebody was invited, somebody signed in, a file was dropped.
func workedOn(t *testing.T) (s *Store, backup string) {
	t.Helper()
	s = opened(t)
	write := func(do func(tx *gorm.DB) error) { require.NoError(t, s.Write(context.Background(), do)) }
	word := func(tx *gorm.DB, what string) error { return Record(tx, 7, "Nell", what, `{"n":1}`) }
	write(func(tx *gorm.DB) error {
		return errors.Join(tx.Create(&Person{Name: "Nell", SignIn: "nell", Role: "controller", Owner: true, Secret: "old"}).Error,
			tx.Create(&Person{Name: "Ousted", SignIn: "ousted", Role: "controller", Owner: true, Secret: "x"}).Error,
			tx.Exec("INSERT INTO settings VALUES ('agreement', 'never')").Error,
			tx.Create(&Warehouse{Code: "KEPT"}).Error, word(tx, "person changed"), word(tx, "recorded"))
	})
	backup, err := s.Backup(context.Background(), "by-hand")
	require.NoError(t, err)
	write(func(tx *gorm.DB) error {
		return errors.Join(tx.Create(&Warehouse{Code: "LATER"}).Error, word(tx, "recorded"),
			tx.Exec("UPDATE people SET owner = 0, suspended = 1 WHERE sign_in = 'ousted'").Error,
			tx.Exec("UPDATE people SET secret = 'new' WHERE sign_in = 'nell'").Error, word(tx, "person changed"),
			tx.Create(&Invitation{Hash: "h", Name: "Ivo", Role: "counter", ByPerson: "Nell", At: 7, Until: 9}).Error, word(tx, "invited"),
			tx.Exec("UPDATE settings SET value = 'always' WHERE key = 'agreement'").Error)
	})
	in := &Sessions{Store: s, Now: time.Now}
	require.NoError(t, in.Commit("a token", []byte("session"), time.Now().Add(time.Hour)))
	require.NoError(t, s.SaveDraft(&Draft{ID: "draft", PersonID: 1, Name: "f.csv", File: "f", Choices: "{}", History: "[]", At: 7, Used: 7}))
	require.NoError(t, os.WriteFile(s.IncomingName("f"), []byte("a file"), 0o600))
	return s, backup
}

// putBack is what the tests tell a restore.
var putBack = Restoring{Words: people, Word: func(tx *gorm.DB, r Restored) error {
	err := Record(tx, 8, "Nell", "restored", "{}")
	for _, l := range r.Since {
		err = errors.Join(err, Record(tx, l.At, l.Person, l.What, l.Detail))
	}
	return err
}}

// found tells what a folder holds that a program is started in.
func found(t *testing.T, dir string) (restored bool) {
	t.Helper()
	s, err := Open(dir)
	require.NoError(t, err)
	defer s.Close()
	ctx := context.Background()
	list := func(q string) (out []string) {
		require.NoError(t, s.Read(ctx).Raw(q).Scan(&out).Error)
		return out
	}
	words := list("SELECT what FROM chain ORDER BY id")
	restored = slices.Contains(words, "restored")
	epoch, err := s.Epoch(ctx)
	require.NoError(t, err)
	if restored {
		assert.Equal(t, []string{"KEPT"}, list("SELECT code FROM warehouses"))
		assert.Equal(t, []string{"person changed", "recorded", "restored", "person changed", "invited"}, words)
		assert.Equal(t, int64(1), epoch)
	} else {
		assert.Equal(t, []string{"KEPT", "LATER"}, list("SELECT code FROM warehouses ORDER BY code"))
		assert.Equal(t, []string{"person changed", "recorded", "recorded", "person changed", "invited"}, words)
		assert.Zero(t, epoch)
	}
	// What a restore does not take back is as it was before and after it.
	assert.Equal(t, []string{"nell new 1 0", "ousted x 0 1"}, list("SELECT sign_in || ' ' || secret || ' ' || owner || ' ' || suspended FROM people ORDER BY id"))
	assert.Equal(t, []string{"Ivo"}, list("SELECT name FROM invitations"))
	assert.Equal(t, []string{"always"}, list("SELECT value FROM settings WHERE key = 'agreement'"))
	assert.Equal(t, []string{"draft"}, list("SELECT id FROM drafts"))
	assert.FileExists(t, s.IncomingName("f"))
	in := &Sessions{Store: s, Now: time.Now}
	data, is, err := in.Find("a token")
	require.NoError(t, err)
	assert.True(t, is)
	assert.Equal(t, "session", string(data))
	p, err := s.VerifyChain(ctx)
	require.NoError(t, err)
	assert.Zero(t, p.Broken, p.Text)
	left, err := filepath.Glob(filepath.Join(dir, restoreName+"*"))
	require.NoError(t, err)
	assert.Empty(t, left, "nothing half done is left")
	assert.NoFileExists(t, filepath.Join(dir, nextHeadName))
	// It goes on: the end of the record is noted, and a kill later is no tampering.
	require.NoError(t, s.Write(ctx, func(tx *gorm.DB) error { return Record(tx, 9, "Nell", "went on", "{}") }))
	p, err = s.VerifyChain(ctx)
	require.NoError(t, err)
	assert.Zero(t, p.Broken, p.Text)
	return restored
}

// A restore is one step: whoever is killed at whichever step of it leaves what was there, or what was put back, each whole.
func TestRestoreIsOneStep(t *testing.T) {
	steps := map[string][]string{
		"while the program runs": {"copied", "brought up to date", "backed up", "made ready", "next end noted", "in place", "end noted"},
		"on the command line": {"copied", "brought up to date", "copied", "brought up to date", "backed up", "made ready", "next end noted", "journal gone",
			"in place", "end noted"},
	}
	for way, want := range steps {
		s, backup := workedOn(t)
		var seen, left []string
		atStep = func(step string) { // the folder as a kill leaves it
			dir := filepath.Join(t.TempDir(), "killed")
			require.NoError(t, os.CopyFS(dir, os.DirFS(s.Dir)))
			seen, left = append(seen, step), append(left, dir)
		}
		var r Restored
		var err error
		if way == "while the program runs" {
			r, err = s.PutBack(context.Background(), backup, putBack)
			require.NoError(t, s.Close())
		} else {
			require.NoError(t, s.Close())
			r, err = Restore(context.Background(), s.Dir, filepath.Join(s.Dir, "backups", backup), putBack)
		}
		atStep = func(string) {}
		require.NoError(t, err, way)
		assert.True(t, r.Kept, way)
		assert.Equal(t, want, seen, way)
		for i, dir := range left {
			t.Run(way+", killed when it was "+seen[i], func(t *testing.T) {
				assert.Equal(t, i >= slices.Index(want, "in place"), found(t, dir))
			})
		}
		assert.True(t, found(t, s.Dir), way)
	}
}

// Nothing is acknowledged that a restore takes away unseen: whoever writes waits from before the records are looked at.
func TestNobodyWritesDuringARestore(t *testing.T) {
	s, backup := workedOn(t)
	how, wrote := putBack, make(chan error, 1)
	how.Agreed = func(tx *gorm.DB) error {
		go func() {
			wrote <- s.Write(context.Background(), func(tx *gorm.DB) error { return tx.Create(&Warehouse{Code: "MEANWHILE"}).Error })
		}()
		return nil
	}
	_, err := s.PutBack(context.Background(), backup, how)
	require.NoError(t, err)
	require.NoError(t, <-wrote)
	var codes []string
	require.NoError(t, s.Read(context.Background()).Raw("SELECT code FROM warehouses ORDER BY code").Scan(&codes).Error)
	assert.Equal(t, []string{"KEPT", "MEANWHILE"}, codes, "what was written meanwhile was written after it")
	// What is there is not what was agreed to: nothing is done.
	no := errors.New("not that")
	how.Agreed = func(*gorm.DB) error { return no }
	_, err = s.PutBack(context.Background(), backup, how)
	require.ErrorIs(t, err, no)
	n, err := s.Epoch(context.Background())
	require.NoError(t, err)
	assert.Equal(t, int64(1), n)
}

// The number of restores never falls: neither by a backup of before them, nor where the records that counted them are lost.
func TestEpochNeverFalls(t *testing.T) {
	s, backup := workedOn(t)
	ctx := context.Background()
	for want := range int64(3) {
		r, err := s.PutBack(ctx, backup, putBack)
		require.NoError(t, err)
		assert.Equal(t, want+1, r.Epoch)
		assert.Len(t, r.Since, 2, "said again each time, as the record parts from the backup's at the same entry")
	}
	common, err := s.CommonEnd(ctx, backup)
	require.NoError(t, err)
	assert.Equal(t, int64(2), common)
	require.NoError(t, s.Close())
	damaged(t, filepath.Join(s.Dir, databaseName))
	r, err := Restore(ctx, s.Dir, filepath.Join(s.Dir, "backups", backup), putBack)
	require.NoError(t, err)
	assert.Equal(t, int64(4), r.Epoch)
	assert.False(t, r.Kept, "people are those of the backup")
	assert.NotEmpty(t, r.Aside)
}

// A note of the record's end that is damaged stops nobody: it is told by the proof, with what to do, and never written over.
func TestDamagedNoteOfTheEnd(t *testing.T) {
	for what, do := range map[string]func(name string) error{
		"empty":    func(name string) error { return os.Truncate(name, 0) },
		"a folder": func(name string) error { return errors.Join(os.Remove(name), os.Mkdir(name, 0o700)) },
		"foreign":  func(name string) error { return os.WriteFile(name, []byte("something else"), 0o600) },
	} {
		s, _ := workedOn(t)
		require.NoError(t, s.Close())
		name := filepath.Join(s.Dir, headName)
		require.NoError(t, do(name), what)
		s, err := Open(s.Dir)
		require.NoError(t, err, what)
		for range 2 {
			p, err := s.VerifyChain(context.Background())
			require.NoError(t, err, what)
			assert.Contains(t, p.Text, "take it away, and the next start writes it anew", what)
			require.NoError(t, s.Write(context.Background(), func(tx *gorm.DB) error { return Record(tx, 9, "Nell", "went on", "{}") }))
		}
		require.NoError(t, s.Close())
		require.NoError(t, os.RemoveAll(name))
		s, err = Open(s.Dir)
		require.NoError(t, err)
		p, err := s.VerifyChain(context.Background())
		require.NoError(t, err)
		assert.Zero(t, p.Broken, p.Text)
		require.NoError(t, s.Close())
	}
}
