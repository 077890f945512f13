package postgres

import (
	"bytes"
	"fmt"
	"os"
	"strconv"
	"time"
)

// clockTick is the unit of times in /proc: Linux reports hundredths of a second, whatever its own clock.
const clockTick = 10 * time.Millisecond

// ProcessorTime returns how long one of a cluster's processes has used processors, in user and kernel mode (proc(5),
// stat, fields 14 and 15).
func ProcessorTime(pid uint32) (time.Duration, error) {
	stat, err := os.ReadFile(fmt.Sprintf("/proc/%d/stat", pid))
	if err != nil {
		return 0, err
	}
	fields := bytes.Fields(stat[bytes.LastIndexByte(stat, ')')+1:]) // from the third on; the second may hold spaces
	if len(fields) < 13 {
		return 0, fmt.Errorf("process %d: its times cannot be read", pid)
	}
	var used time.Duration
	for _, field := range fields[11:13] {
		ticks, err := strconv.ParseInt(string(field), 10, 64)
		if err != nil {
			return 0, fmt.Errorf("process %d: %w", pid, err)
		}
		used += time.Duration(ticks) * clockTick
	}
	return used, nil
}
