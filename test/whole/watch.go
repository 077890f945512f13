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
					os.Stderr, "a test (goroutine %s) has not ended after %s:\n\n%s\n", test, longest,
					strings.Join(ours[:min(len(ours), 20)], "\n\n"),
				)
				os.Exit(1)
			}
		}
	}
}

var number = regexp.MustCompile(`^goroutine (\d+)`)

// stacks returns the goroutines of the tests that run, and where those goroutines stand that run a test file's code. A
// test that waits for its turn does not run.
func stacks() (running map[string]bool, ours []string) {
	running = map[string]bool{}
	text := make([]byte, 16<<20)
	for _, stack := range strings.Split(string(text[:runtime.Stack(text, true)]), "\n\n") {
		in := func(function string) bool { return strings.Contains(stack, "\n"+function+"(") }
		if in("testing.tRunner") && !in("testing.runTests") && !in("testing.(*T).Parallel") {
			running[number.FindStringSubmatch(stack)[1]] = true
		}
		if strings.Contains(stack, "_test.go:") {
			ours = append(ours, stack)
		}
	}
	return running, ours
}

// insist ends a process that does not do within the tests' patience what is waited for, unless done is called before:
// it says then where it stands.
func insist(cmd *exec.Cmd) (done func() bool) {
	return time.AfterFunc(patience, func() { _ = cmd.Process.Signal(syscall.SIGQUIT) }).Stop
}
