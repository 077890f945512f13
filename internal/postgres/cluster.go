// Package postgres starts and stops PostgreSQL clusters of Examen's own on this machine.
//
// A [Cluster] has its data folder, its own superuser and password, a port on loopback and a private socket folder. PostgreSQL
// refuses to run as root; under root the server and its files belong to the operating system's user "postgres".
package postgres

import (
	"bytes"
	"context"
	"crypto/rand"
	"encoding/hex"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"net"
	"net/url"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"

	"github.com/jackc/pgx/v5"
)

// A Cluster is a running PostgreSQL server.
type Cluster struct {
	folder   string
	super    string
	sockets  string
	port     int
	password string
	log      *slog.Logger

	mu       sync.Mutex
	server   *exec.Cmd     // the server process at hand
	ended    chan struct{} // closed when it has ended
	endedErr error
	stopping bool
	stopped  chan struct{} // closed when nothing is started any more
}

// Options are what a cluster is started with.
type Options struct {
	Folder   string            // made if it is not there; kept when the server stops
	Super    string            // the superuser's name, of a cluster that is made
	Settings map[string]string // of postgresql.conf
	Scratch  bool              // the data need not survive the machine's crash: nothing waits for the disk
	Log      *slog.Logger
	// AddressSpace bounds each server process's memory, in bytes; 0 is no bound.
	AddressSpace uint64
}

// Start starts the cluster in a folder, making it first where there is none. A server that a crash of Examen left running in
// that folder is stopped first. The server stops by Stop, or when this process ends in whatever way; should it end by itself, it is
// started again on the same port.
func Start(ctx context.Context, options Options) (*Cluster, error) {
	bin, err := binaries()
	if err != nil {
		return nil, err
	}
	owner, err := owner()
	if err != nil {
		return nil, err
	}
	c := &Cluster{folder: filepath.Join(options.Folder, "data"), super: options.Super, log: options.Log, stopped: make(chan struct{})}
	if err := c.prepare(ctx, options, bin, owner); err != nil {
		return nil, err
	}
	if err := c.stopStale(ctx); err != nil {
		return nil, err
	}
	if err := c.makeSockets(options.Folder, owner); err != nil {
		return nil, err
	}
	// Between finding a free port and the server's taking it another program may take it: then the next is tried.
	for range 5 {
		c.port = 0
		if err = c.launch(ctx, options, bin, owner); err == nil {
			go c.keepUp(func() error { return c.launch(context.Background(), options, bin, owner) })
			return c, nil
		}
	}
	os.RemoveAll(c.sockets)
	return nil, err
}

// URL returns the connection string of the superuser for a database.
func (c *Cluster) URL(database string) string {
	u := url.URL{Scheme: "postgres", User: url.UserPassword(c.super, c.password), Path: "/" + database}
	u.RawQuery = url.Values{"host": {c.sockets}, "port": {strconv.Itoa(c.port)}, "sslmode": {"disable"}}.Encode()
	return u.String()
}

// Stop ends all sessions and stops the server. It returns when the server has ended.
func (c *Cluster) Stop() {
	c.mu.Lock()
	c.stopping = true
	server, ended := c.server, c.ended
	c.mu.Unlock()
	stopServer(server, ended)
	<-c.stopped
	os.RemoveAll(c.sockets)
}

func stopServer(server *exec.Cmd, ended chan struct{}) {
	select {
	case <-ended:
		return
	default:
	}
	_ = server.Process.Signal(syscall.SIGINT) // a fast shutdown
	select {
	case <-ended:
	case <-time.After(30 * time.Second):
		_ = server.Process.Signal(syscall.SIGQUIT) // an immediate one; the next start recovers
		<-ended
	}
}

// keepUp starts the server again whenever it ends by itself, until it is to stop.
func (c *Cluster) keepUp(launch func() error) {
	defer close(c.stopped)
	for {
		c.mu.Lock()
		ended := c.ended
		c.mu.Unlock()
		<-ended
		for {
			c.mu.Lock()
			stopping := c.stopping
			c.mu.Unlock()
			if stopping {
				return
			}
			c.log.Error("PostgreSQL ended by itself and is started again", "folder", c.folder)
			time.Sleep(time.Second) // what is left of the old server has to go first
			if err := launch(); err == nil {
				break
			} else {
				c.log.Error("PostgreSQL could not be started again", "folder", c.folder, "error", err)
			}
		}
	}
}

// prepare makes the cluster's files where they are not there yet.
func (c *Cluster) prepare(ctx context.Context, options Options, bin string, owner *account) error {
	passwordFile := filepath.Join(options.Folder, "superuser.password")
	if password, err := os.ReadFile(passwordFile); err == nil {
		if _, err := os.Stat(filepath.Join(c.folder, "PG_VERSION")); err == nil {
			c.password = string(bytes.TrimSpace(password))
			return nil
		}
	}
	if entries, err := os.ReadDir(c.folder); err == nil && len(entries) > 0 {
		if _, err := os.Stat(passwordFile); err != nil {
			return fmt.Errorf("%s holds a cluster whose password file %s is missing: put it back, or name another data folder", c.folder, passwordFile)
		}
	}
	// What a start that was cut short may have left is not a cluster yet, since PG_VERSION's folder is renamed into place last.
	if err := os.MkdirAll(options.Folder, 0o755); err != nil {
		return err
	}
	if err := owner.reach(options.Folder); err != nil {
		return err
	}
	c.password = secret()
	if err := os.WriteFile(passwordFile, []byte(c.password), 0o600); err != nil {
		return err
	}
	if err := owner.own(options.Folder, passwordFile); err != nil {
		return err
	}
	unfinished := c.folder + ".unfinished"
	if err := os.RemoveAll(unfinished); err != nil {
		return err
	}
	args := []string{"-D", unfinished, "-U", c.super, "--pwfile", passwordFile, "-A", "scram-sha-256", "-E", "UTF8", "--locale", "C.UTF-8", "--no-sync", "--no-instructions"}
	cmd := exec.CommandContext(ctx, filepath.Join(bin, "initdb"), args...)
	owner.runAs(cmd)
	if out, err := cmd.CombinedOutput(); err != nil {
		return fmt.Errorf("initdb in %s: %w\n%s", unfinished, err, out)
	}
	return os.Rename(unfinished, c.folder)
}

// longestSocketFolder keeps a socket's path within the 107 bytes that the system takes: its name may have 18.
const longestSocketFolder = 88

// makeSockets makes the private folder of the server's socket, beside its data unless that path is too long.
func (c *Cluster) makeSockets(folder string, owner *account) (err error) {
	c.sockets = filepath.Join(folder, "socket")
	if len(c.sockets) > longestSocketFolder {
		c.sockets, err = os.MkdirTemp("", "examen-")
	} else {
		err = os.MkdirAll(c.sockets, 0o700)
	}
	if err != nil {
		return err
	}
	return owner.own(c.sockets)
}

// stopStale stops a server that was left running in the folder.
func (c *Cluster) stopStale(ctx context.Context) error {
	content, err := os.ReadFile(filepath.Join(c.folder, "postmaster.pid"))
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	} else if err != nil {
		return err
	}
	lines := strings.Split(string(content), "\n")
	pid, err := strconv.Atoi(strings.TrimSpace(lines[0]))
	if err != nil || !isServerIn(pid, c.folder) {
		return nil // the server removes a stale file itself
	}
	if err := syscall.Kill(pid, syscall.SIGINT); err != nil && !errors.Is(err, syscall.ESRCH) {
		return fmt.Errorf("stop the PostgreSQL server %d left in %s: %w", pid, c.folder, err)
	}
	for isServerIn(pid, c.folder) {
		select {
		case <-ctx.Done():
			return fmt.Errorf("wait for the PostgreSQL server %d left in %s to stop: %w", pid, c.folder, ctx.Err())
		case <-time.After(20 * time.Millisecond):
		}
	}
	return nil
}

// isServerIn tells whether a process is a PostgreSQL server of the folder.
func isServerIn(pid int, folder string) bool {
	cmdline, err := os.ReadFile(fmt.Sprintf("/proc/%d/cmdline", pid))
	return err == nil && slices.Contains(strings.Split(string(cmdline), "\x00"), folder)
}

// launch starts the server on a free port and waits until it answers.
func (c *Cluster) launch(ctx context.Context, options Options, bin string, owner *account) error {
	if c.port == 0 {
		listener, err := net.Listen("tcp", "127.0.0.1:0")
		if err != nil {
			return err
		}
		c.port = listener.Addr().(*net.TCPAddr).Port
		listener.Close()
	}

	settings := map[string]string{
		"listen_addresses": "127.0.0.1", "port": strconv.Itoa(c.port), "unix_socket_directories": c.sockets, "unix_socket_permissions": "0700",
		"log_timezone": "UTC", "timezone": "UTC", "password_encryption": "scram-sha-256", "jit": "off",
	}
	if options.Scratch {
		settings["fsync"], settings["synchronous_commit"], settings["full_page_writes"] = "off", "off", "off"
	}
	for k, v := range options.Settings {
		settings[k] = v
	}
	args := []string{"-D", c.folder}
	for k, v := range settings {
		args = append(args, "-c", k+"="+v)
	}
	log, err := os.OpenFile(filepath.Join(options.Folder, "server.log"), os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	defer log.Close()
	started := time.Now()
	command := append([]string{filepath.Join(bin, "postgres")}, args...)
	if options.AddressSpace > 0 { // the limit is inherited by every process that the server starts
		command = append([]string{"/bin/sh", "-c", `ulimit -v "$0" && exec "$@"`, strconv.FormatUint(options.AddressSpace>>10, 10)}, command...)
	}
	server := exec.Command(command[0], command[1:]...)
	server.Stdout, server.Stderr = log, log
	owner.runAs(server)
	// Its own group, so that an interrupt typed in the terminal reaches only Examen, which stops the server last.
	server.SysProcAttr.Setpgid = true
	server.SysProcAttr.Pdeathsig = syscall.SIGINT
	ended, result := make(chan struct{}), make(chan error)
	go func() {
		// The death signal is sent when the thread that started the server ends: this one stays.
		runtime.LockOSThread()
		if err := server.Start(); err != nil {
			result <- err
			return
		}
		result <- nil
		err := server.Wait()
		c.mu.Lock()
		c.endedErr = err
		c.mu.Unlock()
		close(ended)
	}()
	if err := <-result; err != nil {
		return fmt.Errorf("start PostgreSQL: %w", err)
	}
	c.mu.Lock()
	c.server, c.ended = server, ended
	stopping := c.stopping
	c.mu.Unlock()
	if stopping {
		stopServer(server, ended)
		return nil
	}
	for {
		if err := c.ping(ctx); err == nil {
			return nil
		}
		select {
		case <-ctx.Done():
			stopServer(server, ended)
			return ctx.Err()
		case <-ended:
			c.mu.Lock()
			defer c.mu.Unlock()
			return fmt.Errorf("PostgreSQL ended as it started (%v); see %s", c.endedErr, log.Name())
		case <-time.After(20 * time.Millisecond):
			if time.Since(started) > 2*time.Minute {
				stopServer(server, ended)
				return fmt.Errorf("PostgreSQL did not answer within two minutes; see %s", log.Name())
			}
		}
	}
}

func (c *Cluster) ping(ctx context.Context) error {
	conn, err := pgx.Connect(ctx, c.URL("postgres"))
	if err != nil {
		return err
	}
	return conn.Close(ctx)
}

// binaries finds the folder with initdb and postgres: on the path, or where Debian puts them.
func binaries() (string, error) {
	if found, err := exec.LookPath("initdb"); err == nil {
		return filepath.Dir(found), nil
	}
	folders, _ := filepath.Glob("/usr/lib/postgresql/*/bin/initdb")
	slices.SortFunc(folders, func(a, b string) int { return version(b) - version(a) })
	if len(folders) == 0 {
		return "", errors.New("PostgreSQL's programs initdb and postgres are not on this machine: install the package postgresql, or name servers that run elsewhere with --records-url and --practice-url")
	}
	return filepath.Dir(folders[0]), nil
}

func version(path string) int {
	n, _ := strconv.Atoi(strings.Split(path, "/")[4])
	return n
}

// An account is the operating system's user that servers run as: nil for the one this process runs as.
type account struct{ uid, gid uint32 }

func owner() (*account, error) {
	if os.Geteuid() != 0 {
		return nil, nil
	}
	u, err := user.Lookup("postgres")
	if err != nil {
		return nil, errors.New("under root PostgreSQL runs as the user postgres, and there is none: install the package postgresql, or start Examen as another user")
	}
	uid, _ := strconv.Atoi(u.Uid)
	gid, _ := strconv.Atoi(u.Gid)
	return &account{uint32(uid), uint32(gid)}, nil
}

func (a *account) own(paths ...string) error {
	if a == nil {
		return nil
	}
	for _, path := range paths {
		if err := os.Chown(path, int(a.uid), int(a.gid)); err != nil {
			return err
		}
	}
	return nil
}

// reach checks that the account can enter the folder's parents.
func (a *account) reach(folder string) error {
	if a == nil {
		return nil
	}
	absolute, err := filepath.Abs(folder)
	if err != nil {
		return err
	}
	for dir := filepath.Dir(absolute); dir != "/"; dir = filepath.Dir(dir) {
		info, err := os.Stat(dir)
		if err != nil {
			return err
		}
		stat := info.Sys().(*syscall.Stat_t)
		mode := info.Mode().Perm()
		if mode&0o001 == 0 && !(stat.Uid == a.uid && mode&0o100 != 0) && !(stat.Gid == a.gid && mode&0o010 != 0) {
			return fmt.Errorf("PostgreSQL runs as the user postgres, who cannot enter %s: name a data folder elsewhere, such as one under /var/lib", dir)
		}
	}
	return nil
}

func (a *account) runAs(cmd *exec.Cmd) {
	cmd.Dir = "/"
	cmd.SysProcAttr = &syscall.SysProcAttr{}
	if a != nil {
		cmd.SysProcAttr.Credential = &syscall.Credential{Uid: a.uid, Gid: a.gid}
	}
}

func secret() string {
	b := make([]byte, 24)
	_, _ = rand.Read(b) // never fails
	return hex.EncodeToString(b)
}
