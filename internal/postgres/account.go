package postgres

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"strconv"
	"syscall"
)

// An account is the operating system's user that runs a cluster; nil for the user of this process.
type account struct {
	name     string
	uid, gid uint32
}

// accountOf finds the user that runs a cluster when this process is root. If there is none, it creates one without a
// password, a home folder or a shell.
func accountOf(name string) (*account, error) {
	if os.Geteuid() != 0 {
		return nil, nil
	}
	u, err := user.Lookup(name)
	if errors.As(err, new(user.UnknownUserError)) {
		args := []string{
			"--system", "--user-group", "--no-create-home", "--home-dir", "/nonexistent", "--shell",
			"/usr/sbin/nologin", name,
		}
		out, failed := exec.Command("useradd", args...).CombinedOutput()
		if u, err = user.Lookup(name); err != nil { // another process may have made it meanwhile
			return nil, fmt.Errorf(
				"under root each PostgreSQL cluster runs as a system user of its own, and %s cannot be made (%w: "+
					"%s): make it, or start Examen as another user",
				name, failed, out,
			)
		}
	} else if err != nil {
		return nil, err
	}
	uid, _ := strconv.Atoi(u.Uid)
	gid, _ := strconv.Atoi(u.Gid)
	return &account{name, uint32(uid), uint32(gid)}, nil
}

// own makes the account the owner of files.
func (a *account) own(paths ...string) error {
	if a == nil {
		return nil
	}
	for _, path := range paths {
		if err := os.Lchown(path, int(a.uid), int(a.gid)); err != nil {
			return err
		}
	}
	return nil
}

// ownAll makes the account the owner of a folder and its content if somebody else is: an earlier version had one user
// for all clusters.
func (a *account) ownAll(folder string) error {
	info, err := os.Lstat(folder)
	if a == nil || err != nil || info.Sys().(*syscall.Stat_t).Uid == a.uid {
		return nil
	}
	return filepath.WalkDir(folder, func(path string, _ fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		return os.Lchown(path, int(a.uid), int(a.gid)) // of a link the link itself
	})
}

// enter lets the account enter the folder, which nobody else may read. The folder still belongs to this process.
func (a *account) enter(folder string) error {
	if a == nil {
		return os.Chmod(folder, 0o700)
	}
	if err := os.Lchown(folder, 0, int(a.gid)); err != nil {
		return err
	}
	return os.Chmod(folder, 0o710)
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
			return fmt.Errorf(
				"PostgreSQL runs as the user %s, who cannot enter %s: name a data folder elsewhere, such as one "+
					"under /var/lib",
				a.name, dir,
			)
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
