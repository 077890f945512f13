package test

import (
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"examen/test/whole"
)

// The Debian package has what it is to install, its scripts are shell, and its units start commands with flags that
// there are. scripts/try-package installs, upgrades and removes it on a system that boots.
func TestThePackageIsWhole(t *testing.T) {
	t.Parallel()
	root := t.TempDir() // as the repository, with another dist
	for _, name := range []string{"deploy", "docs"} {
		path, err := filepath.Abs(filepath.Join("..", name))
		if err == nil {
			err = os.Symlink(path, filepath.Join(root, name))
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	dist := filepath.Join(root, "dist")
	if err := os.Mkdir(dist, 0o755); err != nil {
		t.Fatal(err)
	}
	if err := os.Symlink(whole.Binary, filepath.Join(dist, "examen")); err != nil {
		t.Fatal(err)
	}
	nfpm := output(t, "", "go", "tool", "-modfile=../tools/go.mod", "-n", "nfpm")
	output(t, "", "go", "run", "examen/deploy/debian/pages", filepath.Join(dist, "pages"), "0.1.7")
	output(t, root, "sh", "-c", "gzip -9n dist/pages/man1/*.1")
	built := exec.Command(
		strings.TrimSpace(nfpm), "package", "--config", "deploy/debian/nfpm.yaml", "--packager", "deb",
		"--target", "dist",
	)
	built.Dir, built.Env = root, append(os.Environ(), "VERSION=0.1.7", "ARCH=amd64")
	if out, err := built.CombinedOutput(); err != nil {
		t.Fatalf("%v\n%s", err, out)
	}
	deb := filepath.Join(dist, "examen_0.1.7_amd64.deb")
	if got := output(t, "", "dpkg-deb", "--field", deb, "Version", "Depends"); !strings.Contains(got, "0.1.7") ||
		!strings.Contains(got, "postgresql") {
		t.Errorf("its fields: %s", got)
	}
	there := filepath.Join(root, "there")
	output(t, "", "dpkg-deb", "--raw-extract", deb, there)
	for _, file := range []string{
		"usr/bin/examen", "etc/examen/examen.yaml", "etc/default/examen", "usr/lib/systemd/system/examen.service",
		"usr/lib/systemd/system/examen-records.service", "usr/lib/systemd/system/examen-practice.service",
		"usr/share/man/man1/examen-serve.1.gz", "usr/share/man/man1/examen-backup.1.gz",
		"usr/share/bash-completion/completions/examen", "usr/share/doc/examen/running.md",
		"DEBIAN/postinst", "DEBIAN/prerm", "DEBIAN/postrm", "DEBIAN/conffiles",
	} {
		if info, err := os.Stat(filepath.Join(there, file)); err != nil || info.Size() == 0 {
			t.Errorf("%s is not there: %v", file, err)
		}
	}
	for _, script := range []string{"postinst", "prerm", "postrm"} {
		output(t, "", "sh", "-n", filepath.Join(there, "DEBIAN", script))
	}
	manual := output(t, "", "sh", "-c", "zcat "+filepath.Join(there, "usr/share/man/man1/examen-serve.1.gz"))
	if !strings.Contains(manual, "join-clusters") {
		t.Error("the manual has not all flags")
	}
	starts := regexp.MustCompile(`(?m)^ExecStart=/usr/bin/examen (.*)$`)
	for _, unit := range []string{"examen", "examen-records", "examen-practice"} {
		text, err := os.ReadFile(filepath.Join(there, "usr/lib/systemd/system", unit+".service"))
		if err != nil {
			t.Fatal(err)
		}
		args := starts.FindStringSubmatch(string(text))
		if args == nil {
			t.Fatalf("%s starts nothing", unit)
		}
		// With its flags and this file of settings, it comes as far as its help.
		line := strings.Replace(args[1], "/etc/examen", filepath.Join(there, "etc/examen"), 1)
		if p := whole.Command(t, nil, "", append(strings.Fields(line), "--help")...); p.Code != 0 {
			t.Errorf("%s: %+v", unit, p)
		}
	}
	settings, err := os.ReadFile(filepath.Join(there, "etc/examen/examen.yaml"))
	if err != nil {
		t.Fatal(err)
	}
	// Those that are remarks, too.
	all := filepath.Join(root, "all.yaml")
	remarks := regexp.MustCompile(`(?m)^#([a-km-z][a-z-]*:)`) // but not another listen
	text := remarks.ReplaceAllString(string(settings), "$1")
	if err := os.WriteFile(all, []byte(text), 0o600); err != nil {
		t.Fatal(err)
	}
	p := whole.Command(t, nil, "", "doctor", "--config", all, "--data-dir", root)
	if p.Code != 3 || !strings.Contains(p.Out, "not both") { // a certificate in files, and one by ACME
		t.Errorf("the settings are not taken: %+v", p)
	}
	if err := os.WriteFile(all, []byte("limit-tim: 3s\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	p = whole.Command(t, nil, "", "doctor", "--config", all)
	if p.Code != 2 || !strings.Contains(p.Errs, `"limit-tim"`) {
		t.Errorf("a setting that is none is taken: %+v", p)
	}
}

// output is what a program prints, which has to end well.
func output(t *testing.T, folder, program string, args ...string) string {
	t.Helper()
	cmd := exec.Command(program, args...)
	cmd.Dir = folder
	out, err := cmd.Output()
	if err != nil {
		t.Fatalf("%s %v: %v\n%s", program, args, err, out)
	}
	return string(out)
}
