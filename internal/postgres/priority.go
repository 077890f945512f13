package postgres

import (
	"errors"
	"fmt"
	"os"

	"golang.org/x/sys/unix"
)

// SetPriority sets how one of a cluster's processes shares the processors: like any other process; or, if low, only
// what others leave; and, if confined, not on the first processor. Undoing low needs a privileged user.
//
// Each of PostgreSQL's processes is a session of its own. Where Linux shares the processors among sessions first, the
// session's niceness counts and not the process's. Niceness alone still delays processes that wake up while every
// processor is busy; confining the others leaves one processor to them.
func SetPriority(pid uint32, low, confined bool) error {
	niceness := 0
	var processors unix.CPUSet // that the service itself may use
	if err := unix.SchedGetaffinity(0, &processors); err != nil {
		return err
	}
	if low {
		niceness = 19
	}
	if confined {
		leaveFirst(&processors)
	}
	if err := unix.SchedSetaffinity(int(pid), &processors); err != nil {
		return fmt.Errorf("process %d: %w", pid, err)
	}
	if err := unix.Setpriority(unix.PRIO_PROCESS, int(pid), niceness); err != nil {
		return fmt.Errorf("process %d: %w", pid, err)
	}
	err := os.WriteFile(fmt.Sprintf("/proc/%d/autogroup", pid), fmt.Append(nil, niceness), 0)
	// Linux without sessions' shares has no such file; a process of the first session is in no session's share; and one
	// of another user's, which may be given a niceness but no share, is in a control group of its own
	if errors.Is(err, os.ErrNotExist) || errors.Is(err, unix.EINVAL) || errors.Is(err, os.ErrPermission) {
		return nil
	}
	return err
}

// leaveFirst removes the first processor from a set of several.
func leaveFirst(processors *unix.CPUSet) {
	for n, count := 0, processors.Count(); count > 1; n++ {
		if processors.IsSet(n) {
			processors.Clear(n)
			return
		}
	}
}
