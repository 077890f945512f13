package postgres

import (
	"os"
	"os/exec"
	"runtime"
	"syscall"
	"testing"

	"golang.org/x/sys/unix"
)

// A process is given what others leave, all processors but the first, and its own again.
func TestThePriorityOfAProcess(t *testing.T) {
	process := exec.Command("sleep", "600")
	process.SysProcAttr = &syscall.SysProcAttr{Setsid: true} // as each of PostgreSQL's processes
	if err := process.Start(); err != nil {
		t.Fatal(err)
	}
	defer func() { _ = process.Process.Kill(); _ = process.Wait() }()
	pid := process.Process.Pid
	var own unix.CPUSet
	if err := unix.SchedGetaffinity(0, &own); err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		name          string
		low, confined bool
		niceness      int
		processors    int
	}{
		{"low", true, false, 19, own.Count()},
		{"confined", true, true, 19, max(1, own.Count()-1)},
		{"low again", true, false, 19, own.Count()},
		{"ordinary", false, false, 0, own.Count()},
	} {
		err := SetPriority(uint32(pid), c.low, c.confined)
		if !c.low && os.Geteuid() != 0 { // it is not everybody's to take it back
			if err == nil {
				t.Errorf("%s: somebody without a privilege may", c.name)
			}
			continue
		}
		if err != nil {
			t.Errorf("%s: %v", c.name, err)
			continue
		}
		// the system call answers with 20 less the niceness
		priority, err := unix.Getpriority(unix.PRIO_PROCESS, pid)
		var processors unix.CPUSet
		if failed := unix.SchedGetaffinity(pid, &processors); err != nil || failed != nil {
			t.Fatal(err, failed)
		}
		if 20-priority != c.niceness || processors.Count() != c.processors {
			t.Errorf("%s: niceness %d, %d of %d processors", c.name, 20-priority, processors.Count(), runtime.NumCPU())
		}
	}
	_ = process.Process.Kill()
	_ = process.Wait()
	if err := SetPriority(uint32(pid), true, false); err == nil {
		t.Error("of a process that has ended")
	}
}
