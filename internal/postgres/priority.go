package postgres

import (
	"errors"
	"fmt"
	"os"

	"golang.org/x/sys/unix"
)

// SetPriority gives one of a cluster's processes the processors like any other, or, low, what others leave; confined, of all but the first of them.
// To take low back needs a privileged user.
//
// Each of PostgreSQL's processes is a session of its own; where Linux shares the processors among sessions first, it is the session's niceness that
// counts and not the process's. Niceness alone still makes those wait that wake up while every processor is busy: being confined leaves one to them.
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
	if errors.Is(err, os.ErrNotExist) { // Linux without sessions' shares
		return nil
	}
	return err
}

// leaveFirst takes the first processor out of a set of several.
func leaveFirst(processors *unix.CPUSet) {
	for n, count := 0, processors.Count(); count > 1; n++ {
		if processors.IsSet(n) {
			processors.Clear(n)
			return
		}
	}
}
