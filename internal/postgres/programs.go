package postgres

import (
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
)

// binaries finds the folder with initdb and postgres: of the version that is asked for, if it is where Debian puts
// them; otherwise on the path, or the newest.
func binaries(version int) (string, error) {
	folders, _ := filepath.Glob("/usr/lib/postgresql/*/bin/initdb")
	slices.SortFunc(folders, func(a, b string) int { return versionIn(b) - versionIn(a) })
	for _, path := range folders {
		if versionIn(path) == version {
			return filepath.Dir(path), nil
		}
	}
	if found, err := exec.LookPath("initdb"); err == nil {
		return filepath.Dir(found), nil
	}
	if len(folders) == 0 {
		return "", errors.New(
			"PostgreSQL's programs initdb and postgres are not on this machine: install the package postgresql, or " +
				"name servers that run elsewhere with --records-url and --practice-url",
		)
	}
	return filepath.Dir(folders[0]), nil
}

// versionIn is the version in one of Debian's paths.
func versionIn(path string) int {
	n, _ := strconv.Atoi(strings.Split(path, "/")[4])
	return n
}

// madeBy is the major version of PostgreSQL that made the cluster in a folder; 0 where there is none.
func madeBy(folder string) int {
	text, err := os.ReadFile(filepath.Join(folder, "data", "PG_VERSION"))
	if err != nil {
		return 0
	}
	n, _ := strconv.Atoi(strings.TrimSpace(string(text)))
	return n
}

// Versions returns the major version of PostgreSQL that made the cluster in a folder, 0 where there is none, and that
// of the programs with which it would be started.
func Versions(folder string) (made, programs int, err error) {
	made = madeBy(folder)
	bin, err := binaries(made)
	if err != nil {
		return made, 0, err
	}
	said, err := exec.Command(filepath.Join(bin, "postgres"), "--version").Output() // postgres (PostgreSQL) 15.4 (...)
	if err == nil {
		_, err = fmt.Sscanf(string(said), "postgres (PostgreSQL) %d", &programs)
	}
	return made, programs, err
}

// Program finds one of PostgreSQL's client programs.
func Program(name string) (string, error) {
	if found, err := exec.LookPath(name); err == nil {
		return found, nil
	}
	folder, err := binaries(0)
	if err != nil {
		return "", fmt.Errorf("%s is not on this machine: install the package postgresql-client", name)
	}
	return filepath.Join(folder, name), nil
}
