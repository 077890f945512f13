package postgres

import (
	"fmt"
	"os"
	"strconv"
	"strings"

	"golang.org/x/sys/unix"
)

// MachineMemory returns how many bytes of memory this process and its children may use: the machine's memory, or less
// if a control group limits it.
func MachineMemory() uint64 {
	var info unix.Sysinfo_t
	memory := uint64(1) << 30
	if unix.Sysinfo(&info) == nil {
		memory = info.Totalram * uint64(info.Unit)
	}
	for _, file := range groupLimits() {
		content, err := os.ReadFile(file)
		if err != nil {
			continue
		}
		if limit, err := strconv.ParseUint(strings.TrimSpace(string(content)), 10, 64); err == nil && limit > 0 {
			// "max" is no number
			memory = min(memory, limit)
		}
	}
	return memory
}

// groupLimits lists the files that may hold a limit for this process's control group or one around it: of version 2,
// then of version 1.
func groupLimits() []string {
	files := []string{"/sys/fs/cgroup/memory.max", "/sys/fs/cgroup/memory/memory.limit_in_bytes"}
	content, _ := os.ReadFile("/proc/self/cgroup")
	for line := range strings.Lines(string(content)) {
		parts := strings.SplitN(strings.TrimSpace(line), ":", 3)
		if len(parts) < 3 {
			continue
		}
		root, file := "/sys/fs/cgroup", "memory.max"
		if strings.Contains(","+parts[1]+",", ",memory,") {
			root, file = "/sys/fs/cgroup/memory", "memory.limit_in_bytes"
		} else if parts[1] != "" {
			continue
		}
		for at := parts[2]; len(at) > 1; at = at[:strings.LastIndexByte(at, '/')] {
			files = append(files, root+at+"/"+file)
		}
	}
	return files
}

// Scores by which Linux chooses what to end when memory runs out: a session before anything else, the service and the
// records last.
const (
	sessionScore = 900
	serviceScore = -500
)

// SpareProcess has Linux end this process after others when memory runs out. It needs a privileged user, and otherwise
// changes nothing.
func SpareProcess() {
	_ = os.WriteFile("/proc/self/oom_score_adj", fmt.Append(nil, serviceScore), 0)
}

// expendable returns the environment variables by which PostgreSQL gives its sessions' processes their own score.
func expendable() []string {
	return []string{"PG_OOM_ADJUST_FILE=/proc/self/oom_score_adj", fmt.Sprintf("PG_OOM_ADJUST_VALUE=%d", sessionScore)}
}
