package postgres

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"os"
	"os/user"
	"path/filepath"
	"strconv"
	"syscall"
	"time"

	"golang.org/x/sys/unix"
)

// share lets a group read the password and reach the socket, and nothing else.
func (c *Cluster) share(folder, group string) error {
	if filepath.Dir(c.sockets) != folder {
		return fmt.Errorf("the path of %s is too long to be shared: name a shorter one", folder)
	}
	g, err := user.LookupGroup(group)
	if err != nil {
		return err
	}
	id, err := strconv.Atoi(g.Gid)
	if err != nil {
		return err
	}
	for _, f := range []struct {
		path string
		mode os.FileMode
	}{{folder, 0o750}, {c.sockets, 0o750}, {filepath.Join(folder, passwordName), 0o640}} {
		if err := os.Lchown(f.path, -1, id); err != nil {
			return fmt.Errorf("the group %s is to use the cluster: %w", group, err)
		}
		if err := os.Chmod(f.path, f.mode); err != nil {
			return err
		}
	}
	return nil
}

// joinPatience is how long it is waited for a cluster that another process is starting.
const joinPatience = time.Minute

// Join returns the cluster in a folder that another process runs for others as well (see Options.Shared), once its
// server answers.
func Join(ctx context.Context, folder, super string, log *slog.Logger) (*Cluster, error) {
	c := &Cluster{
		folder: filepath.Join(folder, "data"), super: super, sockets: filepath.Join(folder, "socket"), log: log,
		joined: true,
	}
	ctx, cancel := context.WithTimeout(ctx, joinPatience)
	defer cancel()
	for told := false; ; {
		password, err := os.ReadFile(filepath.Join(folder, passwordName))
		if err == nil {
			c.password = string(bytes.TrimSpace(password))
			err = c.ping(ctx, false)
		}
		if err == nil {
			return c, nil
		}
		if !told {
			told = true
			log.Warn("waiting for the cluster in "+folder+", which another process runs", "error", err)
		}
		select {
		case <-time.After(200 * time.Millisecond):
		case <-ctx.Done():
			return nil, fmt.Errorf("the cluster in %s does not answer: start it (examen cluster run): %w", folder, err)
		}
	}
}

// killJoined kills a session of a cluster that another process runs, which needs the right to kill other users'
// processes. A session is a child of whoever listens on the cluster's socket.
func (c *Cluster) killJoined(pid int) error {
	server, err := c.listener()
	if err != nil {
		return err
	}
	stat, err := os.ReadFile(fmt.Sprintf("/proc/%d/stat", pid))
	if err != nil {
		return err
	}
	fields := bytes.Fields(stat[bytes.LastIndexByte(stat, ')')+1:]) // the state, the parent, ...
	if len(fields) < 2 || string(fields[1]) != strconv.Itoa(server) {
		return fmt.Errorf("process %d is no session of %s", pid, c.folder)
	}
	return syscall.Kill(pid, syscall.SIGKILL)
}

// listener is the process of the server that listens on the socket.
func (c *Cluster) listener() (int, error) {
	conn, err := net.Dial("unix", filepath.Join(c.sockets, ".s.PGSQL."+strconv.Itoa(socketPort)))
	if err != nil {
		return 0, err
	}
	defer conn.Close()
	raw, err := conn.(*net.UnixConn).SyscallConn()
	if err != nil {
		return 0, err
	}
	var peer *unix.Ucred
	var failed error
	err = raw.Control(func(fd uintptr) {
		peer, failed = unix.GetsockoptUcred(int(fd), unix.SOL_SOCKET, unix.SO_PEERCRED)
	})
	if err := errors.Join(err, failed); err != nil {
		return 0, err
	}
	return int(peer.Pid), nil
}
