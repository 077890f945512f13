// Package test holds the tests of the whole: the service as a process, called through its client, its commands and its
// console.
package test

import (
	"bufio"
	"bytes"
	"context"
	"fmt"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"examen/internal/client"
	"examen/internal/demo"
	"examen/internal/post/posttest"
)

// The service that the tests share: the demo, built from this tree, on a free port.
var (
	binary       string
	shared       *service
	sharedFolder string           // its data
	letters      *posttest.Server // by which it sends e-mail
)

func TestMain(m *testing.M) {
	os.Exit(func() int {
		workDir, err := os.MkdirTemp("", "examen-whole-")
		if err != nil {
			panic(err)
		}
		defer os.RemoveAll(workDir)
		_ = os.Chmod(workDir, 0o755)
		binary, sharedFolder = filepath.Join(workDir, "examen"), filepath.Join(workDir, "shared")
		if out, err := exec.Command("go", "build", "-o", binary, "examen/cmd/examen").CombinedOutput(); err != nil {
			fmt.Fprintf(os.Stderr, "build: %v\n%s", err, out)
			return 1
		}
		if letters, err = posttest.New(); err != nil {
			fmt.Fprintln(os.Stderr, err)
			return 1
		}
		defer letters.Close()
		// A long time limit: no test of the shared service is about reaching it, however slow the machine.
		if shared, err = startService(
			"demo", "--limit-time", "120s", "--limit-calls", "100000", "--data-dir", sharedFolder,
			"--mail-server", letters.URL, "--mail-from", "examen@example.org", "--public-url",
			"https://examen.example.org/",
		); err != nil {
			fmt.Fprintln(os.Stderr, err)
			return 1
		}
		defer shared.stop()
		defer func() { closeChromium() }()
		return m.Run()
	}())
}

// A service is an examen process.
type service struct {
	url    string
	output string // what it printed until it was ready
	cmd    *exec.Cmd
	errs   bytes.Buffer
}

func startService(command string, args ...string) (*service, error) {
	s := &service{cmd: exec.Command(binary, append([]string{command, "--listen", "127.0.0.1:0"}, args...)...)}
	return s, s.begin(command)
}

// begin starts the process, and returns when it is ready.
func (s *service) begin(command string) error {
	s.cmd.Stderr = &s.errs
	out, err := s.cmd.StdoutPipe()
	if err != nil {
		return err
	}
	if err := s.cmd.Start(); err != nil {
		return err
	}
	lines := bufio.NewScanner(out)
	for lines.Scan() {
		s.output += lines.Text() + "\n"
		if address, found := strings.CutPrefix(lines.Text(), "Examen serves at "); found {
			s.url = address
		}
		if s.url != "" && (command == "serve" || strings.HasPrefix(lines.Text(), "Stop it")) {
			go func() {
				for lines.Scan() {
				}
			}()
			return nil
		}
	}
	_ = s.cmd.Wait()
	return fmt.Errorf("%s ended as it started: %s", command, s.errs.String())
}

// restored starts a service with the records of the demo's course in the middle of its term, sooner than the demo has
// made them.
func restored(t *testing.T, args ...string) *service {
	t.Helper()
	place := dataDir(t)
	backup := filepath.Join("testdata", "backups", "schema-19.backup")
	if p := command(t, nil, "", "restore", backup, "--data-dir", place); p.code != 0 {
		t.Fatalf("%+v", p)
	}
	return start(t, "serve", append([]string{"--data-dir", place}, args...)...)
}

func (s *service) stop() {
	_ = s.cmd.Process.Signal(syscall.SIGINT)
	_ = s.cmd.Wait()
}

var ctx = context.Background()

// as logs in and returns a client that sends the token.
func as(t testing.TB, url, name, password string) *client.Client {
	t.Helper()
	c, err := client.NewClient(url)
	if err != nil {
		t.Fatal(err)
	}
	session, err := client.Read[client.Session](
		c.LogIn(ctx, client.LogInJSONRequestBody{Name: name, Password: password, Kind: client.Bearer}),
	)
	if err != nil {
		t.Fatal(err)
	}
	c, err = client.NewClient(url, client.WithBearer(session.Token))
	if err != nil {
		t.Fatal(err)
	}
	return c
}

func hazel(t testing.TB) *client.Client {
	return as(t, shared.url, demo.InstructorName, demo.InstructorPassword)
}

var newcomers int

// newcomer is a learner of the demo's course who has done nothing yet, and a client of theirs.
func newcomer(t testing.TB) (string, *client.Client) {
	t.Helper()
	newcomers++
	name := fmt.Sprintf("newcomer%d", newcomers)
	if _, err := client.Read[client.AddedMember](
		hazel(t).AddMember(ctx, "evening-group", client.NewMember{Name: name, Password: demo.LearnerPassword}),
	); err != nil {
		t.Fatal(err)
	}
	return name, as(t, shared.url, name, demo.LearnerPassword)
}

func submit(t testing.TB, c *client.Client, exercise, sql string) client.Attempt {
	t.Helper()
	a, err := client.Read[client.Attempt](c.Submit(ctx, "first-look", exercise, client.Submission{Sql: sql}))
	if err != nil {
		t.Fatal(err)
	}
	return a
}

// problem is the service's no, or the end of the test where it said yes.
func problem[T any](t testing.TB, response *http.Response, err error) client.Problem {
	t.Helper()
	v, err := client.Read[T](response, err)
	if p, ok := err.(*client.ProblemError); ok {
		return p.Problem
	}
	t.Fatalf("a problem is expected, got %+v, %v", v, err)
	return client.Problem{}
}

// until waits for a condition; the limit only ends a test that would hang.
func until(t testing.TB, what string, holds func() bool) {
	t.Helper()
	for limit := time.Now().Add(4 * time.Minute); !holds(); time.Sleep(20 * time.Millisecond) {
		if time.Now().After(limit) {
			t.Fatalf("still waiting until %s", what)
		}
	}
}
