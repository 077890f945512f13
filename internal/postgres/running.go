package postgres

import (
	"bytes"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
)

// ErrNoCluster means that there is no cluster in a folder.
var ErrNoCluster = errors.New("there is no cluster")

// Running returns the URL of the superuser for the cluster in a folder, whose server another process has started; ""
// where it does not run. The error is [ErrNoCluster] where there is none.
func Running(folder, super, database string) (string, error) {
	if _, err := os.Stat(filepath.Join(folder, "data", "PG_VERSION")); errors.Is(err, fs.ErrNotExist) {
		return "", fmt.Errorf("%w in %s", ErrNoCluster, folder)
	} else if err != nil {
		return "", err
	}
	password, err := os.ReadFile(filepath.Join(folder, passwordName))
	if err != nil {
		return "", err
	}
	// Its lines are the process, the data folder, the time of its start, the port and the socket's folder.
	state, err := os.ReadFile(filepath.Join(folder, "data", "postmaster.pid"))
	lines := strings.Split(string(state), "\n")
	if errors.Is(err, fs.ErrNotExist) || err == nil && len(lines) < 5 {
		return "", nil
	} else if err != nil {
		return "", err
	}
	return urlOf(super, string(bytes.TrimSpace(password)), database, lines[4], lines[3]), nil
}
