package postgres

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"syscall"
	"time"
)

// Processes that a killed Examen left behind still work in the folder: a server, its sessions, an initdb. They are
// waited for, told to end, and killed after leftoverPatience; sessions whose server is gone at once, since nobody gets
// what they work out, and they hold the memory that they share with it. Only this process uses the folder (see
// [Folder]), so none of them belongs to anybody else.
const leftoverPatience = 5 * time.Second

// clearLeftovers returns when no process works in the cluster's folders any more. It removes PostgreSQL's note of a
// server that is gone: the next server would refuse to start if the number in it now belongs to another process, or to
// one that has ended but has not been waited for.
func (c *Cluster) clearLeftovers(ctx context.Context) error {
	begun, told := time.Now(), false
	for {
		left := c.leftovers()
		if len(left) == 0 {
			break
		}
		late := time.Since(begun) > leftoverPatience || !slices.Contains(left, c.recordedPID())
		if !told {
			c.log.Warn(
				"waiting for PostgreSQL processes that an earlier run left behind", "folder", c.folder, "processes",
				left,
			)
			told = true
			if pid := c.recordedPID(); slices.Contains(left, pid) {
				_ = syscall.Kill(pid, syscall.SIGINT)
			}
		}
		if late {
			for _, pid := range left {
				_ = syscall.Kill(pid, syscall.SIGKILL)
			}
		}
		select {
		case <-ctx.Done():
			return fmt.Errorf("wait for the PostgreSQL processes %v left in %s to end: %w", left, c.folder, ctx.Err())
		case <-time.After(20 * time.Millisecond):
		}
		if time.Since(begun) > startPatience {
			return fmt.Errorf("the PostgreSQL processes %v in %s do not end: end them by hand", left, c.folder)
		}
	}
	if err := os.Remove(filepath.Join(c.folder, "postmaster.pid")); err != nil && !os.IsNotExist(err) {
		return err
	}
	return nil
}

// recordedPID returns the process that PostgreSQL noted as the folder's server; 0 if there is none.
func (c *Cluster) recordedPID() int {
	content, _ := os.ReadFile(filepath.Join(c.folder, "postmaster.pid"))
	pid, _ := strconv.Atoi(strings.TrimSpace(strings.SplitN(string(content), "\n", 2)[0]))
	return pid
}

// leftovers finds the PostgreSQL processes at work in the cluster's folders. Servers and their sessions have their data
// folder as working directory; initdb and its children name theirs on the command line. Processes that have ended have
// neither.
func (c *Cluster) leftovers() []int {
	folders := []string{c.folder, c.folder + unfinished}
	entries, _ := os.ReadDir("/proc")
	var found []int
	for _, e := range entries {
		pid, err := strconv.Atoi(e.Name())
		if err != nil || pid == os.Getpid() {
			continue
		}
		program, _ := os.Readlink(filepath.Join("/proc", e.Name(), "exe"))
		if name := strings.TrimSuffix(filepath.Base(program), " (deleted)"); name != "postgres" && name != "initdb" {
			// as an administrator's shell
			continue
		}
		at, _ := os.Readlink(filepath.Join("/proc", e.Name(), "cwd"))
		words, _ := os.ReadFile(filepath.Join("/proc", e.Name(), "cmdline"))
		if slices.ContainsFunc(
			append(strings.Split(string(words), "\x00"), at),
			func(word string) bool { return slices.Contains(folders, word) },
		) {
			found = append(found, pid)
		}
	}
	return found
}
