// Package postgres starts and stops PostgreSQL clusters of Examen's own on this machine.
//
// A [Cluster] has its data folder, its own superuser and password, and a socket in a private folder; it does not listen
// on the network. PostgreSQL refuses to run as root; under root each cluster's server and data belong to a system user
// of its own, and what that user need not change, such as the password and the log, stays root's.
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
	"net/url"
	"os"
	"os/exec"
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
	password string
	log      *slog.Logger
	joined   bool    // another process runs it
	lock     *Folder // nobody else runs it; nil where it was joined

	mu       sync.Mutex
	server   *exec.Cmd     // the current server process
	ended    chan struct{} // closed when it has ended
	endedErr error
	stopping bool
	stopped  chan struct{} // closed when nothing is started any more
}

// Options configure a cluster.
type Options struct {
	// made if it is not there; kept when the server stops; in the sole use of this process as long as it runs
	Folder   string
	User     string            // the system user that the cluster runs as under root; "" is the package's own, postgres
	Super    string            // the superuser's name, of a cluster that is made
	Settings map[string]string // of postgresql.conf
	Scratch  bool              // the data need not survive the machine's crash: nothing waits for the disk
	Log      *slog.Logger
	// Shared is a system group whose members may use the cluster from processes of their own, as by [Join]; "" is none.
	// This process's user has to be a member.
	Shared string
	// SessionMemory bounds the memory that each server process may ask for by itself, in bytes, apart from what all
	// share and from programs and libraries; 0 is no bound.
	SessionMemory uint64
	// Expendable has Linux end this cluster's sessions before other processes when memory runs out.
	Expendable bool
}

// socketPort is part of the socket's name; nothing listens on a port.
const socketPort = 5432

// startPatience is how long a start may take, including ending what was left running.
const startPatience = 30 * time.Second

// Start starts the cluster in a folder, creating it if there is none. It first ends what an Examen that crashed left
// running in the folder. The server stops by Stop, or when this process ends in any way; if it ends by itself, it is
// started again.
func Start(ctx context.Context, options Options) (_ *Cluster, err error) {
	bin, err := binaries(madeBy(options.Folder))
	if err != nil {
		return nil, err
	}
	user := options.User
	if user == "" {
		user = "postgres"
	}
	owner, err := accountOf(user)
	if err != nil {
		return nil, err
	}
	folder, err := filepath.EvalSymlinks(filepath.Dir(options.Folder)) // as processes name it
	if err != nil {
		return nil, err
	}
	options.Folder = filepath.Join(folder, filepath.Base(options.Folder))
	c := &Cluster{
		folder:  filepath.Join(options.Folder, "data"),
		super:   options.Super,
		log:     options.Log,
		stopped: make(chan struct{}),
	}
	if c.lock, err = OpenFolder(options.Folder); err != nil {
		return nil, err
	}
	defer func() {
		if err != nil {
			c.lock.Close()
		}
	}()
	if err := c.clearLeftovers(ctx); err != nil {
		return nil, err
	}
	if err := c.prepare(ctx, options, bin, owner); err != nil {
		return nil, err
	}
	if err := c.makeSockets(options.Folder, owner); err != nil {
		return nil, err
	}
	if options.Shared != "" {
		if err := c.share(options.Folder, options.Shared); err != nil {
			return nil, err
		}
	}
	for begun := time.Now(); ; {
		if err = c.launch(ctx, options, bin, owner); err == nil {
			break
		}
		if ctx.Err() != nil || time.Since(begun) > startPatience {
			c.removeSockets(options.Folder)
			return nil, err
		}
		c.log.Warn("PostgreSQL did not start and is tried again", "folder", c.folder, "error", err)
		select {
		case <-time.After(time.Second):
		case <-ctx.Done():
		}
	}
	go c.keepUp(func() error {
		if err := c.clearLeftovers(context.Background()); err != nil {
			return err
		}
		return c.launch(context.Background(), options, bin, owner)
	})
	return c, nil
}

// Folder returns the cluster's folder.
func (c *Cluster) Folder() string { return filepath.Dir(c.folder) }

// URL returns the superuser's connection string for a database.
func (c *Cluster) URL(database string) string {
	return urlOf(c.super, c.password, database, c.sockets, strconv.Itoa(socketPort))
}

func urlOf(user, password, database, sockets, port string) string {
	u := url.URL{Scheme: "postgres", User: url.UserPassword(user, password), Path: "/" + database}
	u.RawQuery = url.Values{"host": {sockets}, "port": {port}, "sslmode": {"disable"}}.Encode()
	return u.String()
}

// Stop ends all sessions and the server, and returns when the server has ended. One that was joined goes on.
func (c *Cluster) Stop() {
	if c.joined {
		return
	}
	c.mu.Lock()
	c.stopping = true
	server, ended := c.server, c.ended
	c.mu.Unlock()
	c.stopServer(server, ended)
	<-c.stopped
	c.removeSockets(filepath.Dir(c.folder))
	c.lock.Close()
}

// removeSockets removes the sockets' folder if it is outside the cluster's own folder.
func (c *Cluster) removeSockets(folder string) {
	if filepath.Dir(c.sockets) != folder {
		os.RemoveAll(c.sockets)
	}
}

// KillSession kills a session's process. The server then ends all other sessions and recovers. It is the last resort
// for a session that heeds nothing else.
func (c *Cluster) KillSession(pid int) error {
	if c.joined {
		return c.killJoined(pid)
	}
	if pid == c.recordedPID() || !slices.Contains(c.leftovers(), pid) {
		return fmt.Errorf("process %d is no session of %s", pid, c.folder)
	}
	return syscall.Kill(pid, syscall.SIGKILL)
}

// stopPatience is how long a server may take to stop before it is told more firmly. An immediate shutdown kills, after
// five seconds, the sessions that have not ended.
const stopPatience = 8 * time.Second

func (c *Cluster) stopServer(server *exec.Cmd, ended chan struct{}) {
	select {
	case <-ended:
		return
	default:
	}
	_ = server.Process.Signal(syscall.SIGINT) // a fast shutdown
	select {
	case <-ended:
	case <-time.After(stopPatience):
		c.log.Warn("PostgreSQL does not stop, since a session does not end: it is stopped at once", "folder", c.folder)
		// an immediate one, which ends sessions that do not heed anything else; the next start recovers
		_ = server.Process.Signal(syscall.SIGQUIT)
		select {
		case <-ended:
		case <-time.After(stopPatience):
			_ = server.Process.Signal(syscall.SIGKILL)
			<-ended
		}
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

// passwordName is the file with the superuser's password.
const passwordName = "superuser.password"

// unfinished ends the name of a data folder that initdb is still writing.
const unfinished = ".unfinished"

// prepare creates the cluster's files if they do not exist yet.
func (c *Cluster) prepare(ctx context.Context, options Options, bin string, owner *account) error {
	if err := os.MkdirAll(options.Folder, 0o700); err != nil {
		return err
	}
	if err := owner.reach(options.Folder); err != nil {
		return err
	}
	if err := owner.enter(options.Folder); err != nil {
		return err
	}
	passwordFile := filepath.Join(options.Folder, passwordName)
	if password, err := os.ReadFile(passwordFile); err == nil {
		if _, err := os.Stat(filepath.Join(c.folder, "PG_VERSION")); err == nil {
			c.password = string(bytes.TrimSpace(password))
			for _, file := range []string{passwordFile, filepath.Join(options.Folder, "server.log")} {
				if err := os.Lchown(file, os.Geteuid(), os.Getegid()); err != nil && !errors.Is(err, fs.ErrNotExist) {
					return err
				}
			}
			return owner.ownAll(c.folder)
		}
	}
	if entries, err := os.ReadDir(c.folder); err == nil && len(entries) > 0 {
		if _, err := os.Stat(passwordFile); err != nil {
			return fmt.Errorf(
				"%s holds a cluster whose password file %s is missing: put it back, or name another data folder",
				c.folder, passwordFile,
			)
		}
	}
	// What a start that was cut short may have left is not a cluster yet, since PG_VERSION's folder is renamed into
	// place last.
	c.password = secret()
	making := c.folder + unfinished
	if err := os.RemoveAll(making); err != nil {
		return err
	}
	if err := os.Mkdir(making, 0o700); err != nil {
		return err
	}
	if err := os.RemoveAll(passwordFile); err != nil { // may belong to the cluster's user still
		return err
	}
	if err := os.WriteFile(passwordFile, []byte(c.password), 0o600); err != nil {
		return err
	}
	if err := owner.own(making, passwordFile); err != nil {
		return err
	}
	args := []string{
		"-D", making, "-U", c.super, "--pwfile", passwordFile, "-A", "scram-sha-256", "-E", "UTF8", "--locale",
		"C.UTF-8", "--no-sync", "--no-instructions",
	}
	cmd := exec.CommandContext(ctx, filepath.Join(bin, "initdb"), args...)
	owner.runAs(cmd)
	if out, err := cmd.CombinedOutput(); err != nil {
		return fmt.Errorf("initdb in %s: %w\n%s", making, err, out)
	}
	if err := os.Lchown(passwordFile, os.Geteuid(), os.Getegid()); err != nil {
		return err
	}
	return os.Rename(making, c.folder)
}

// longestSocketFolder keeps a socket's path within the system's limit of 107 bytes: the socket's name takes up to 18.
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

// launch starts the server and waits until it answers.
func (c *Cluster) launch(ctx context.Context, options Options, bin string, owner *account) error {
	settings := map[string]string{
		"listen_addresses": "", "port": strconv.Itoa(socketPort), "unix_socket_directories": c.sockets,
		"unix_socket_permissions": "0700",
		"log_timezone":            "UTC", "timezone": "UTC", "password_encryption": "scram-sha-256", "jit": "off",
		// statements may hold what is nobody else's to read
		"logging_collector": "off", "log_min_error_statement": "panic",
	}
	if options.Shared != "" {
		settings["unix_socket_permissions"], settings["unix_socket_group"] = "0770", options.Shared
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
	output := logFile(options.Folder)
	log, err := piped(output)
	if err != nil {
		return err
	}
	defer log.Close()
	started := time.Now()
	command := append([]string{filepath.Join(bin, "postgres")}, args...)
	if options.SessionMemory > 0 { // the limit is inherited by every process that the server starts
		command = append(
			[]string{"/bin/sh", "-c", `ulimit -d "$0" && exec "$@"`, strconv.FormatUint(options.SessionMemory>>10, 10)},
			command...,
		)
	}
	server := exec.Command(command[0], command[1:]...)
	server.Env = slices.DeleteFunc(os.Environ(), func(variable string) bool {
		return strings.HasPrefix(variable, "NOTIFY_SOCKET=") // PostgreSQL would tell the manager that it is the service
	})
	if options.Expendable {
		server.Env = append(server.Env, expendable()...)
	}
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
		c.stopServer(server, ended)
		return nil
	}
	returning := c.returns() // to a moment, by its log: that takes as long as it does
	for told := false; ; {
		if err := c.ping(ctx, returning); err == nil {
			return nil
		}
		select {
		case <-ctx.Done():
			c.stopServer(server, ended)
			return ctx.Err()
		case <-ended:
			c.mu.Lock()
			defer c.mu.Unlock()
			return fmt.Errorf("PostgreSQL ended as it started (%v); see %s", c.endedErr, output.Filename)
		case <-time.After(20 * time.Millisecond):
			if time.Since(started) > recoveryPatience && !returning {
				c.stopServer(server, ended)
				return fmt.Errorf("PostgreSQL did not answer within %s; see %s", recoveryPatience, output.Filename)
			}
			if !told && time.Since(started) > startPatience/3 {
				told = true
				c.log.Warn("waiting for PostgreSQL, which may be reading its log", "folder", c.folder)
			}
		}
	}
}

// recoveryPatience is how long a server may take to answer. After a crash it replays its log first.
const recoveryPatience = 2 * time.Minute

// returns tells whether the cluster was restored from a base backup and has to read its log before it is used.
func (c *Cluster) returns() bool {
	_, err := os.Stat(filepath.Join(c.folder, "recovery.signal"))
	return err == nil
}

// pingPatience is how long a server may take to answer one ping: one that is killed meanwhile, or a session that stands
// still, is not waited for.
const pingPatience = 5 * time.Second

// ping returns an error where the server does not answer, or, with returned, does not take writes yet.
func (c *Cluster) ping(ctx context.Context, returned bool) error {
	ctx, stop := context.WithTimeout(ctx, pingPatience)
	defer stop()
	conn, err := pgx.Connect(ctx, c.URL("postgres"))
	if err != nil {
		return err
	}
	defer conn.Close(ctx)
	if !returned {
		return nil
	}
	var reading bool
	if err := conn.QueryRow(ctx, "SELECT pg_is_in_recovery()").Scan(&reading); err != nil || !reading {
		return err
	}
	return errors.New("the server reads its log")
}

func secret() string {
	b := make([]byte, 24)
	_, _ = rand.Read(b) // never fails
	return hex.EncodeToString(b)
}
