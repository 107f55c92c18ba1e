package store

import (
	"context"
	"errors"
	"fmt"
	"net/url"
	"os"
	"path/filepath"
	"strings"
)

// headName is the file beside the database that says where the record ends, so that an end that is cut off is noticed. It
// may lag behind the record, where a crash came between, but never be ahead of it.
const headName = "chain.head"

// nextHeadName is the file that says where the record will end once a restore is done. A kill leaves it behind: which of the two
// holds is seen by the records that are there.
const nextHeadName = "chain.head.next"

// end is an entry at which the record ended.
type end struct {
	id   int64
	hash string
}

// noteHead writes down where the record ends now. What cannot be written is not worth failing work that is done.
func (s *Store) noteHead(ctx context.Context) {
	var last Link
	if err := s.read.WithContext(ctx).Order("id DESC").Limit(1).Find(&last).Error; err != nil || last.ID <= s.head.Load() {
		return
	}
	s.headMu.Lock()
	defer s.headMu.Unlock()
	if last.ID <= s.head.Load() {
		return
	}
	epoch, err := epochIn(s.read.WithContext(ctx), "main")
	if err == nil && writeHead(filepath.Join(s.Dir, headName), &last, epoch) == nil {
		s.head.Store(last.ID)
	}
}

// findHead looks where the record was noted to end. Where it does not go so far, or the note cannot be read, the note is left as it is
// for VerifyChain to tell of.
func (s *Store) findHead() error {
	if err := settleHead(s.Dir, filepath.Join(s.Dir, databaseName)); err != nil {
		return err
	}
	id, sum, _, err := readHead(s.Dir)
	if err != nil {
		s.head.Store(1<<62 - 1)
		return nil
	}
	var l Link
	if err := s.read.Limit(1).Find(&l, id).Error; err != nil {
		return err
	}
	if s.head.Store(id); id != 0 && l.Hash != sum {
		s.head.Store(1<<62 - 1)
	}
	s.noteHead(context.Background())
	return nil
}

// settleHead finishes what a restore noted, or takes it away: by whether the records that are there are those that were put back.
func settleHead(dir, database string) error {
	next := filepath.Join(dir, nextHeadName)
	id, hash, _, err := readHeadFile(next)
	if errors.Is(err, os.ErrNotExist) {
		return nil
	}
	if err == nil {
		db, raw, err := connectPlain(database, url.Values{"mode": {"ro"}})
		if err != nil {
			return err
		}
		defer raw.Close()
		var same int64
		if err := db.Raw("SELECT count(*) FROM chain WHERE id = ? AND hash = ?", id, hash).Scan(&same).Error; err != nil {
			return err
		}
		if same > 0 {
			if err := os.Rename(next, filepath.Join(dir, headName)); err != nil {
				return err
			}
			return syncDir(dir)
		}
	}
	return os.RemoveAll(next)
}

// noted gives where the record was noted to end; where a restore was broken off, both places that may be right. text says what is wrong
// with the note, and what to do.
func noted(dir string) (ends []end, text string) {
	for _, name := range []string{headName, nextHeadName} {
		id, hash, _, err := readHeadFile(filepath.Join(dir, name))
		switch {
		case err == nil:
			ends = append(ends, end{id, hash})
		case name == headName && !errors.Is(err, os.ErrNotExist):
			return nil, fmt.Sprintf("The note of where the record ends (%s) cannot be read, so an end that was cut off would not be noticed. "+
				"Find out who changed it; then take it away, and the next start writes it anew.", filepath.Join(dir, headName))
		case name == headName:
			return nil, ""
		}
	}
	return ends, ""
}

// writeHead writes where the record ends into a file, whole or not at all.
func writeHead(name string, l *Link, epoch int64) error {
	part := name + ".part"
	f, err := os.OpenFile(part, os.O_CREATE|os.O_TRUNC|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	_, err = fmt.Fprintf(f, "%d %s %d\n", l.ID, l.Hash, epoch)
	if err = errors.Join(err, f.Sync(), f.Close()); err != nil {
		return err
	}
	return os.Rename(part, name)
}

// readHead gives where the record was noted to end, and the number of the latest restore; zeroes where nothing is noted.
func readHead(dir string) (id int64, hash string, epoch int64, err error) {
	id, hash, epoch, err = readHeadFile(filepath.Join(dir, headName))
	if errors.Is(err, os.ErrNotExist) {
		err = nil
	}
	return id, hash, epoch, err
}

func readHeadFile(name string) (id int64, hash string, epoch int64, err error) {
	b, err := os.ReadFile(name)
	if err != nil {
		return 0, "", 0, err
	}
	fields := strings.Fields(string(b))
	if len(fields) == 2 { // as it was written before restores were numbered
		fields = append(fields, "0")
	}
	if len(fields) != 3 || len(fields[1]) != 64 {
		return 0, "", 0, fmt.Errorf("%s is not what was written", name)
	}
	if _, err := fmt.Sscan(fields[0]+" "+fields[2], &id, &epoch); err != nil || id < 1 {
		return 0, "", 0, fmt.Errorf("%s is not what was written", name)
	}
	return id, fields[1], epoch, nil
}
