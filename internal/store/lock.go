package store

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"syscall"
)

// ErrLocked is a folder that another program works with.
var ErrLocked = errors.New("another wobin has the data folder")

// lockFolder makes sure that no other program works with the folder. The lock goes with the process, also when
// it is killed.
func lockFolder(dir string) (*os.File, error) {
	f, err := os.OpenFile(filepath.Join(dir, "lock"), os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return nil, err
	}
	if err := syscall.Flock(int(f.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		f.Close()
		if errors.Is(err, syscall.EWOULDBLOCK) {
			return nil, fmt.Errorf("%w %s open. Stop it, or do this on its screen", ErrLocked, dir)
		}
		return nil, err
	}
	return f, nil
}
