package postgres

import (
	"fmt"

	"golang.org/x/sys/unix"
)

// bound limits the address space of a server just started, and so of every process that it starts.
func bound(pid int, bytes uint64) error {
	if bytes == 0 {
		return nil
	}
	limit := unix.Rlimit{Cur: bytes, Max: bytes}
	if err := unix.Prlimit(pid, unix.RLIMIT_AS, &limit, nil); err != nil {
		return fmt.Errorf("bound its memory: %w", err)
	}
	return nil
}
