package whole

import (
	"fmt"
	"os"
	"os/exec"
	"regexp"
	"runtime"
	"strings"
	"syscall"
	"time"
)

const (
	patience = 8 * time.Minute  // for an answer, and for a service's beginning or end; it only ends what would hang
	longest  = 25 * time.Minute // for a test
)

// watch ends the tests where one of them hangs, and says where it stands. The limit of go test prints every goroutine
// of the package instead, so that the name of the test is lost where only the end of the output is kept.
func watch() {
	since := map[string]time.Time{}
	for range time.Tick(time.Minute) {
		running, ours := stacks()
		for test := range since {
			if !running[test] {
				delete(since, test)
			}
		}
		for test := range running {
			if since[test].IsZero() {
				since[test] = time.Now()
			}
			if time.Since(since[test]) > longest {
				fmt.Fprintf(
					os.Stderr, "goroutine %s, a test, has not ended after %s\n%s\n", test, longest,
					strings.Join(ours[:min(len(ours), 30)], "\n"),
				)
				os.Exit(1)
			}
		}
	}
}

var (
	number = regexp.MustCompile(`^goroutine (\d+)`)
	place  = regexp.MustCompile(`[a-z_]+_test\.go:\d+`)
)

// stacks returns the goroutines of the tests that run, and a line for each goroutine that stands in a test file's code.
// A test that waits for its turn does not run.
func stacks() (running map[string]bool, ours []string) {
	running = map[string]bool{}
	text := make([]byte, 16<<20)
	for _, stack := range strings.Split(string(text[:runtime.Stack(text, true)]), "\n\n") {
		in := func(function string) bool { return strings.Contains(stack, "\n"+function+"(") }
		if in("testing.tRunner") && !in("testing.runTests") && !in("testing.(*T).Parallel") {
			running[number.FindStringSubmatch(stack)[1]] = true
		}
		if places := place.FindAllString(stack, -1); places != nil {
			is, _, _ := strings.Cut(stack, "\n")
			ours = append(ours, "    "+strings.Join(places, ", from ")+": "+is)
		}
	}
	return running, ours
}

// insist ends a process that does not do within the tests' patience what is waited for, unless done is called before:
// it says then where it stands.
func insist(cmd *exec.Cmd) (done func() bool) {
	return time.AfterFunc(patience, func() { _ = cmd.Process.Signal(syscall.SIGQUIT) }).Stop
}
