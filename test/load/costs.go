package main

import (
	"context"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"examen/internal/postgres"
)

// parts are what uses the machine: the service, the records' server, the practice server, and the learners' program.
const (
	ofService = iota
	ofRecords
	ofPractice
	ofLearners
	parts
)

var partNames = [parts]string{"service", "records", "practice", "learners' own"}

// A usage is what the parts have used so far, and hold.
type usage struct {
	processor [parts]time.Duration
	memory    [parts]int64 // bytes; what processes share is divided among them
	disk      int64        // bytes of the records' tables
}

// usage reads what the parts have used.
func (s *service) usage() (u usage, err error) {
	of := map[int]int{s.cmd.Process.Pid: ofService, os.Getpid(): ofLearners}
	parents := map[int]int{}
	for part, name := range map[int]string{ofRecords: "records", ofPractice: "practice"} {
		text, err := os.ReadFile(filepath.Join(s.folder, name, "data", "postmaster.pid"))
		if err != nil {
			return u, err
		}
		pid, err := strconv.Atoi(strings.SplitN(string(text), "\n", 2)[0])
		if err != nil {
			return u, err
		}
		of[pid], parents[pid] = part, part
	}
	processes, err := filepath.Glob("/proc/[0-9]*/stat")
	if err != nil {
		return u, err
	}
	for _, path := range processes {
		text, err := os.ReadFile(path)
		if err != nil {
			continue // it has ended
		}
		pid, _ := strconv.Atoi(filepath.Base(filepath.Dir(path)))
		fields := strings.Fields(string(text[strings.LastIndexByte(string(text), ')')+1:]))
		parent, _ := strconv.Atoi(fields[1])
		part, known := of[pid]
		if !known {
			if part, known = parents[parent]; !known {
				continue
			}
		}
		if used, err := postgres.ProcessorTime(uint32(pid)); err == nil {
			u.processor[part] += used
		}
		if _, is := parents[pid]; is { // with its sessions that have ended
			for _, field := range fields[13:15] {
				ticks, _ := strconv.Atoi(field)
				u.processor[part] += time.Duration(ticks) * 10 * time.Millisecond
			}
		}
		u.memory[part] += memoryOf(pid)
	}
	u.disk = sizeOf(filepath.Join(s.folder, "records", "data", "base"))
	return u, nil
}

// memoryOf is what a process holds, in bytes (proc(5), smaps_rollup).
func memoryOf(pid int) int64 {
	text, _ := os.ReadFile(fmt.Sprintf("/proc/%d/smaps_rollup", pid))
	for line := range strings.Lines(string(text)) {
		if fields := strings.Fields(line); len(fields) > 1 && fields[0] == "Pss:" {
			kilobytes, _ := strconv.ParseInt(fields[1], 10, 64)
			return kilobytes << 10
		}
	}
	return 0
}

func sizeOf(folder string) (bytes int64) {
	_ = filepath.WalkDir(folder, func(_ string, entry fs.DirEntry, err error) error {
		if err == nil {
			if info, err := entry.Info(); err == nil && !entry.IsDir() {
				bytes += info.Size()
			}
		}
		return nil
	})
	return bytes
}

// costs is what each of the things that learners do costs, in processor time of each part, and on the records' disk.
type costs struct {
	processor [deeds][parts]time.Duration
	disk      [deeds]float64 // bytes
}

// measured is how often a deed is done to measure it.
var measured = [deeds]int{logIn: 40, openPaper: 400, keepDraft: 800, runQuery: 600, submit: 400}

// measure has one learner do each thing many times, alone.
func measure(ctx context.Context, s *service, l *learner) (c costs, err error) {
	for deed := range deeds {
		for n := range 20 { // so that all is warm
			if err := l.do(ctx, deed, n); err != nil {
				return c, err
			}
		}
		time.Sleep(time.Second) // what is done afterwards, in the background
		before, err := s.usage()
		if err != nil {
			return c, err
		}
		for n := range measured[deed] {
			if err := l.do(ctx, deed, n); err != nil {
				return c, err
			}
		}
		time.Sleep(time.Second)
		after, err := s.usage()
		if err != nil {
			return c, err
		}
		for part := range parts {
			used := after.processor[part] - before.processor[part]
			c.processor[deed][part] = used / time.Duration(measured[deed])
		}
		c.disk[deed] = float64(after.disk-before.disk) / float64(measured[deed])
	}
	return c, nil
}

// total is what a deed costs of the given parts.
func (c *costs) total(deed int, of ...int) (sum time.Duration) {
	for _, part := range of {
		sum += c.processor[deed][part]
	}
	return sum
}

func (c *costs) print() {
	fmt.Printf("%-22s%14s%14s%14s%16s%18s\n", "processor time of", partNames[0], partNames[1], partNames[2],
		partNames[3], "bytes of records")
	for deed := range deeds {
		fmt.Printf("%-22s", deedNames[deed])
		for part, width := range [parts]int{14, 14, 14, 16} {
			fmt.Printf("%*s", width, fmt.Sprintf("%.2f ms", milliseconds(c.processor[deed][part])))
		}
		fmt.Printf("%18.0f\n", c.disk[deed])
	}
	fmt.Println()
}

func milliseconds(d time.Duration) float64 { return d.Seconds() * 1000 }
