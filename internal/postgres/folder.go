package postgres

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"syscall"
)

// ErrInUse means that another process uses a folder.
var ErrInUse = errors.New("in use")

// A Folder is a data folder that only this process uses.
type Folder struct {
	Path string
	lock *os.File
}

// OpenFolder opens a data folder, creating it if there is none. It fails while another process uses it.
func OpenFolder(path string) (*Folder, error) {
	path, err := filepath.Abs(path)
	if err != nil {
		return nil, err
	}
	if err := os.MkdirAll(path, 0o755); err != nil {
		return nil, fmt.Errorf("make the data folder: %w", err)
	}
	lock, err := os.OpenFile(filepath.Join(path, "in-use-by"), os.O_CREATE|os.O_RDWR, 0o644)
	if err != nil {
		return nil, fmt.Errorf("open the data folder: %w", err)
	}
	if err := syscall.Flock(int(lock.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		by := make([]byte, 32)
		n, _ := lock.Read(by)
		lock.Close()
		return nil, fmt.Errorf(
			"the data folder %s is %w by process %s: stop that one, or name another with --data-dir", path, ErrInUse,
			strings.TrimSpace(string(by[:n])),
		)
	}
	_ = lock.Truncate(0)
	fmt.Fprintln(lock, os.Getpid())
	return &Folder{path, lock}, nil
}

// Close releases the folder.
func (f *Folder) Close() { f.lock.Close() }
