package cli

import (
	"bytes"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

func TestPrintable(t *testing.T) {
	for text, want := range map[string]string{
		"plain":               "plain",
		"Bienenstöcke 🐝":      "Bienenstöcke 🐝",
		"a\nb\tc":             `a\nb\tc`,
		"\x1b[31mred\x07":     `\u001b[31mred\u0007`,
		"right\u202eto left":  `right\u202eto left`,
		"zero\x00":            `zero\u0000`,
		"\u200bno\u00adwidth": `\u200bno\u00adwidth`,
	} {
		if got := printable(text); got != want {
			t.Errorf("%q: got %q, want %q", text, got, want)
		}
	}
	if got := lines("a\r\n\x1bb"); got != "a\n\\u001bb" {
		t.Errorf("got %q", got)
	}
}

func TestTables(t *testing.T) {
	var out bytes.Buffer
	p := &program{out: &out, format: "table"}
	text := func(s string) *string { return &s }
	if err := p.print(
		nil, []string{"name", "weight"}, cells([][]*string{{text("Amber"), text("12.5")}, {text("=1+1"), nil}}),
	); err != nil {
		t.Fatal(err)
	}
	want := "name   weight\n─────  ──────\nAmber    12.5\n=1+1     NULL\n"
	if got := out.String(); got != want {
		t.Errorf("got\n%s\nwant\n%s", got, want)
	}
	out.Reset()
	p.format = "csv"
	if err := p.print(nil, []string{"name"}, [][]string{{"=1+1"}, {"a,b"}, {"-5"}, {"+x"}, {"@x"}}); err != nil {
		t.Fatal(err)
	}
	if got := out.String(); got != "name\n'=1+1\n\"a,b\"\n-5\n'+x\n'@x\n" {
		t.Errorf("got %q", got)
	}
}

func TestSizes(t *testing.T) {
	for n, want := range map[int64]string{
		0: "0 bytes", 1: "1 byte", 1023: "1023 bytes", 2048: "2 kB", 5 << 20: "5.0 MB", 3 << 29: "1.5 GB",
	} {
		if got := bytesOf(n); got != want {
			t.Errorf("%d: got %s, want %s", n, got, want)
		}
	}
}

// What is sent for a build: of a folder everything but what is hidden, of files those and what they name.
func TestFilesThatAreSent(t *testing.T) {
	folder := t.TempDir()
	for name, text := range map[string]string{
		"Night Sky/main.sql":   "\\i tables.sql\n\\copy a from 'data/rows.csv' csv\n",
		"Night Sky/tables.sql": "\\ir data/more.sql", "Night Sky/data/more.sql": "", "Night Sky/data/rows.csv": "1",
		"Night Sky/.git/config": "", "Night Sky/notes.txt": "", "other/b.sql": "", "other/c.csv": "",
	} {
		path := filepath.Join(folder, name)
		if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(path, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	for _, c := range []struct {
		args    []string
		name    string
		paths   string
		scripts string
	}{
		{[]string{"Night Sky"}, "night-sky", "data/more.sql data/rows.csv main.sql notes.txt tables.sql", ""},
		{[]string{"Night Sky/main.sql"}, "main", "main.sql tables.sql data/rows.csv data/more.sql", "main.sql"},
		{
			[]string{"Night Sky/main.sql", "other/b.sql"}, "main",
			"Night Sky/main.sql other/b.sql Night Sky/tables.sql Night Sky/data/rows.csv Night Sky/data/more.sql",
			"Night Sky/main.sql other/b.sql",
		},
		{[]string{"other/c.csv"}, "c", "c.csv", ""},
		{[]string{"other/b.sql", "other/c.csv"}, "b", "b.sql c.csv", "b.sql"},
	} {
		var args []string
		for _, arg := range c.args {
			args = append(args, filepath.Join(folder, arg))
		}
		s, err := sending(args)
		if err != nil {
			t.Errorf("%v: %v", c.args, err)
			continue
		}
		s.root.Close()
		if s.name != c.name || strings.Join(s.paths, " ") != c.paths || strings.Join(s.scripts, " ") != c.scripts {
			t.Errorf("%v: got %s: %q, to run %q", c.args, s.name, s.paths, s.scripts)
		}
	}
	for _, args := range [][]string{{"none"}, {"other", "Night Sky"}, {"other/b.sql", "other"}} {
		for i := range args {
			args[i] = filepath.Join(folder, args[i])
		}
		if s, err := sending(args); err == nil {
			t.Errorf("%v: got %+v", args, s)
		}
	}
}

// A link that leads out of what is sent, or nowhere, is told as such; one within the folder is followed.
func TestLinksAreFollowedWithinTheFolder(t *testing.T) {
	for name, c := range map[string]struct{ target, at, want string }{
		"out": {
			"../elsewhere.sql", "apiary/b.sql",
			"apiary/b.sql is a link to ../elsewhere.sql, outside of the folder apiary: only what is in the folder " +
				"is sent; put the file itself there",
		},
		"nowhere": {"none.sql", "apiary/b.sql", "apiary/b.sql is a link to none.sql, which is not there"},
		"a folder": {
			"rows", "apiary/more",
			"more is a link to a folder, and links to folders are not followed: put the folder itself there",
		},
		"a folder, out": {
			"../other", "apiary/more",
			"apiary/more is a link to ../other, outside of the folder apiary: only what is in the folder is sent; " +
				"put the file itself there",
		},
		"within": {"rows/a.sql", "apiary/b.sql", ""},
	} {
		t.Chdir(t.TempDir())
		for _, file := range []string{"elsewhere.sql", "apiary/a.sql", "apiary/rows/a.sql", "other/a.sql"} {
			if err := os.MkdirAll(filepath.Dir(file), 0o700); err != nil {
				t.Fatal(err)
			}
			if err := os.WriteFile(file, []byte("SELECT 1;"), 0o600); err != nil {
				t.Fatal(err)
			}
		}
		if err := os.Symlink(c.target, c.at); err != nil {
			t.Fatal(err)
		}
		args := [][]string{{"apiary"}}
		if strings.HasSuffix(c.at, ".sql") && name != "within" {
			args = append(args, []string{c.at})
		}
		for _, given := range args {
			if s, err := sending(given); c.want == "" && err != nil || c.want != "" && (err == nil ||
				err.Error() != c.want) {
				t.Errorf("%s, %v: got %v, %v\nwant %s", name, given, s, err, c.want)
			}
		}
	}
}

func TestExitCodes(t *testing.T) {
	t.Setenv("XDG_CONFIG_HOME", t.TempDir())
	for args, want := range map[string]int{
		"--help": exitDone, "dataset --help": exitDone, "frobnicate": exitUsage, "dataset frobnicate": exitUsage,
		"dataset show": exitUsage, "dataset list --frobnicate": exitUsage,
		"dataset list -o xml": exitUsage, "dataset list --url http://127.0.0.1:1": exitUnreachable,
		"submit nowhere": exitUsage, "demo --with nothing": exitUsage,
	} {
		var out, errs bytes.Buffer
		if got := Main(strings.Fields(args), strings.NewReader("SELECT 1"), &out, &errs); got != want {
			t.Errorf("%s: got %d, want %d: %s", args, got, want, errs.String())
		}
		if want != exitDone && strings.Count(errs.String(), "\n") != 1 {
			t.Errorf("%s: one line is expected, got %q", args, errs.String())
		}
	}
}
