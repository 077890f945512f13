// Package whole has what the tests of the whole share: the service as a process, calls, commands, and papers of their
// own.
package whole

import (
	"bufio"
	"bytes"
	"fmt"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"testing"

	"github.com/jackc/pgx/v5/pgxpool"

	"examen/internal/post/posttest"
	"examen/internal/postgres/postgrestest"
)

// The service that the tests share: the demo, built from this tree, on a free port.
var (
	Folder       string // where what the tests share is
	Binary       string
	Shared       *Service
	SharedFolder string           // its data
	filled       string           // the same as the demo first filled it, with no service on it
	Letters      *posttest.Server // by which it sends e-mail
)

// Main runs a package's tests with the shared service, and returns the code to exit with.
func Main(run func() int) int {
	go watch()
	http.DefaultTransport.(*http.Transport).ResponseHeaderTimeout = patience
	var err error
	if Folder, err = postgrestest.Folder(); err != nil {
		panic(err)
	}
	defer os.RemoveAll(Folder)
	Binary, SharedFolder = filepath.Join(Folder, "examen"), filepath.Join(Folder, "shared")
	filled = filepath.Join(Folder, "filled")
	if out, err := exec.Command("go", "build", "-o", Binary, "examen/cmd/examen").CombinedOutput(); err != nil {
		fmt.Fprintf(os.Stderr, "build: %v\n%s", err, out)
		return 1
	}
	if Letters, err = posttest.New(); err != nil {
		fmt.Fprintln(os.Stderr, err)
		return 1
	}
	defer Letters.Close()
	if err := fill(); err != nil {
		fmt.Fprintln(os.Stderr, err)
		return 1
	}
	// A long time limit: no test of the shared service is about reaching it, however slow the machine.
	if Shared, err = Begin(
		"demo", "--limit-time", "120s", "--limit-calls", "100000", "--data-dir", SharedFolder, "--mail-server",
		Letters.URL, "--mail-from", "examen@example.org", "--public-url", "https://examen.example.org/",
	); err != nil {
		fmt.Fprintln(os.Stderr, err)
		return 1
	}
	defer Shared.Stop()
	code := run()
	if code != 0 {
		Shared.Stop()
		fmt.Fprintf(os.Stderr, "the shared service had said:\n%s", lastWords(Shared.Errs.String()))
	}
	return code
}

// fill has the demo fill the shared folder, and keeps it for DemoDir.
func fill() error {
	first, err := Begin("demo", "--limit-time", "120s", "--data-dir", SharedFolder)
	if err != nil {
		return err
	}
	first.Stop()
	return copied(SharedFolder, filled)
}

// copied copies a folder that no server runs on: owners and rights, too.
func copied(from, to string) error {
	if out, err := exec.Command("cp", "-aT", from, to).CombinedOutput(); err != nil {
		return fmt.Errorf("copy %s: %w\n%s", from, err, out)
	}
	return nil
}

// A Service is an examen process.
type Service struct {
	URL    string
	Output string // what it printed until it was ready
	Cmd    *exec.Cmd
	Errs   bytes.Buffer
}

// Begin starts a service on a free port, and returns when it is ready.
func Begin(command string, args ...string) (*Service, error) {
	s := &Service{Cmd: exec.Command(Binary, append([]string{command, "--listen", "127.0.0.1:0"}, args...)...)}
	return s, s.Launch(command)
}

// Launch starts the process, and returns when it is ready.
func (s *Service) Launch(command string) error {
	s.Cmd.Stderr, s.Cmd.WaitDelay = &s.Errs, patience
	out, err := s.Cmd.StdoutPipe()
	if err != nil {
		return err
	}
	if err := s.Cmd.Start(); err != nil {
		return err
	}
	defer insist(s.Cmd)()
	lines := bufio.NewScanner(out)
	for lines.Scan() {
		s.Output += lines.Text() + "\n"
		if address, found := strings.CutPrefix(lines.Text(), "Examen serves at "); found {
			s.URL = address
		}
		if s.URL != "" && (command == "serve" || strings.HasPrefix(lines.Text(), "Stop it")) {
			go func() {
				for lines.Scan() {
				}
			}()
			return nil
		}
	}
	_ = s.Cmd.Wait()
	return fmt.Errorf("%s ended as it started: %s", command, s.Errs.String())
}

// Stop ends it as an interrupt from the keyboard does.
func (s *Service) Stop() {
	_ = s.Cmd.Process.Signal(syscall.SIGINT)
	s.Ended()
}

// Ended waits until the process has ended.
func (s *Service) Ended() {
	defer insist(s.Cmd)()
	_ = s.Cmd.Wait()
}

// Leave stops the service. Where the test has failed, it tells what the service has said.
func (s *Service) Leave(t testing.TB) {
	s.Stop()
	if t.Failed() {
		t.Logf("the service at %s ended (%v), and had said:\n%s", s.URL, s.Cmd.ProcessState, lastWords(s.Errs.String()))
	}
}

// lastWords are what a process said last; of one that panicked, the panic.
func lastWords(said string) string {
	const before, most = 1000, 6000
	if at := strings.Index(said, "\ngoroutine "); at >= 0 {
		said = said[max(0, at-before):]
		return said[:min(len(said), most)]
	}
	return said[max(0, len(said)-most):]
}

// Start is Begin for one test, at whose end the service is stopped.
func Start(t *testing.T, command string, args ...string) *Service {
	t.Helper()
	s, err := Begin(command, args...)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { s.Leave(t) })
	return s
}

// DataDir is a folder for a service's data, which goes with the test.
func DataDir(t testing.TB) string {
	t.Helper()
	folder, err := postgrestest.Folder()
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { os.RemoveAll(folder) })
	return folder
}

// DemoDir is a DataDir that the demo has filled: a demo on it is ready at once.
func DemoDir(t testing.TB) string {
	t.Helper()
	return Copy(t, filled)
}

// Copy is a DataDir with what a folder holds that no server runs on.
func Copy(t testing.TB, of string) string {
	t.Helper()
	folder := DataDir(t)
	if err := copied(of, folder); err != nil {
		t.Fatal(err)
	}
	return folder
}

// ServerPID is the process of one of a data folder's PostgreSQL servers; 0 where none runs.
func ServerPID(folder, which string) int {
	content, err := os.ReadFile(filepath.Join(folder, which, "data", "postmaster.pid"))
	if err != nil {
		return 0
	}
	pid, _ := strconv.Atoi(strings.SplitN(string(content), "\n", 2)[0])
	return pid
}

// KillServer kills one of a data folder's PostgreSQL servers, once it is there, and returns the process that it was.
func KillServer(t testing.TB, folder, which string) (pid int) {
	t.Helper()
	Until(t, "the server is there to be killed", func() bool {
		pid = ServerPID(folder, which)
		return pid > 0 && syscall.Kill(pid, syscall.SIGKILL) == nil
	})
	return pid
}

// Down takes one of a folder's servers away until up is called: it cannot be started again while its data are
// elsewhere.
func Down(t *testing.T, folder, which string) (up func()) {
	t.Helper()
	data := filepath.Join(folder, which, "data")
	pid := ServerPID(folder, which)
	if pid == 0 {
		t.Fatalf("no server runs in %s", folder)
	}
	if err := os.Rename(data, data+".away"); err != nil {
		t.Fatal(err)
	}
	if err := syscall.Kill(pid, syscall.SIGKILL); err != nil {
		t.Fatal(err)
	}
	return func() {
		if err := os.Rename(data+".away", data); err != nil {
			t.Fatal(err)
		}
	}
}

// Superuser connects to one of a data folder's clusters, with at most 32 sessions.
func Superuser(b testing.TB, folder, which, database string) *pgxpool.Pool {
	b.Helper()
	folder = filepath.Join(folder, which)
	name := "examen_" + which
	password, err := os.ReadFile(filepath.Join(folder, "superuser.password"))
	if err != nil {
		b.Fatal(err)
	}
	pid, err := os.ReadFile(filepath.Join(folder, "data", "postmaster.pid"))
	if err != nil {
		b.Fatal(err)
	}
	lines := strings.Split(string(pid), "\n")
	u := url.URL{Scheme: "postgres", User: url.UserPassword(
		name, strings.TrimSpace(string(password)),
	), Path: "/" + database,
		RawQuery: url.Values{"host": {lines[4]}, "port": {lines[3]}, "pool_max_conns": {"32"}}.Encode()}
	pool, err := pgxpool.New(ctx, u.String())
	if err != nil {
		b.Fatal(err)
	}
	b.Cleanup(pool.Close)
	return pool
}
