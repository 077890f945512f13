package test

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"examen/test/whole"

	"examen/internal/demo"
)

// onTerminal runs examen on a terminal of 90 columns and 30 lines, and types a text. It returns what the screen showed,
// without the escapes that move the cursor.
func onTerminal(s *whole.Shell, typed string, env []string, args ...string) string {
	s.T.Helper()
	line := "stty cols 90 rows 30; " + whole.Binary
	for _, arg := range args {
		line += " '" + arg + "'"
	}
	cmd := exec.Command("script", "-qec", line, "/dev/null")
	cmd.Env = append(append(os.Environ(), "TERM=xterm"), append(s.Env, env...)...)
	cmd.Stdin = strings.NewReader(typed)
	out, err := cmd.Output()
	if err != nil {
		s.T.Fatalf("%s: %v\n%s", line, err, out)
	}
	return strings.ReplaceAll(escapes.ReplaceAllString(string(out), ""), "\r", "")
}

var escapes = regexp.MustCompile("\x1b\\[[0-9;?]*[A-Za-z]")

func TestThePrompt(t *testing.T) {
	name, _ := whole.Newcomer(t)
	s := whole.At(t, name, demo.LearnerPassword)
	screen := onTerminal(s, "help\ntables\ncolumns hive\ntask\nsubmit\nSELECT 'a;\nb';\nSELECT nme FROM hive;\n"+
		"SELECT name, valley\nFROM apiary -- all;\n;\nsubmit\ncolumns nothing\nleave\n", nil, "run", "first-look/1")
	if missing := whole.Lacks(screen, "first-look/names-and-valleys, on apiary.", "columns TABLE",
		"A place where hives stand.", "Each hive row belongs to one apiary",
		"List the name and the valley of every apiary.",
		"No query has been run yet", "a;\\nb", `column "nme" does not exist`, "12 rows, ", "Correct, 1 of 1 point",
		`has no table "nothing"`); missing != nil {
		t.Errorf("%q is missing in\n%s", missing, screen)
	}
	again := onTerminal(s, "\x1b[A\nSELECT stren\t FROM hive LIMIT 1;\n\x04", nil, "run", "--dataset", "apiary")
	if missing := whole.Lacks(again, `has no table "nothing"`, "strength (integer)"); missing != nil {
		t.Errorf("%q is missing in\n%s", missing, again)
	}
	// Without an address it takes the paper that was worked on last.
	if anywhere := onTerminal(s, "leave\n", nil, "run"); !strings.Contains(anywhere, "first-look, on apiary.") {
		t.Errorf("got\n%s", anywhere)
	}
	kept := filepath.Join(strings.TrimPrefix(s.Env[0], "XDG_CONFIG_HOME="), "examen", "typed")
	if info, err := os.Stat(kept); err != nil || info.Mode().Perm() != 0o600 {
		t.Errorf("what was typed is kept as %v, %v", info, err)
	}
}

func TestAPagerWhereTheOutputIsLong(t *testing.T) {
	name, _ := whole.Newcomer(t)
	s := whole.At(t, name, demo.LearnerPassword)
	pager := []string{"PAGER=sed 's/^/| /'"}
	long := onTerminal(s, "", pager, "read", "first-look")
	if missing := whole.Lacks(long, "| A first look at the hives", "| 8. Who looks after what"); missing != nil {
		t.Errorf("%q is missing in\n%s", missing, long)
	}
	for _, line := range strings.Split(long, "\n") {
		if len([]rune(line)) > 92 {
			t.Errorf("wider than the terminal: %q", line)
		}
	}
	if short := onTerminal(s, "", pager, "paper", "list"); strings.Contains(short, "| ") {
		t.Errorf("a pager for\n%s", short)
	}
	none := onTerminal(s, "", []string{"PAGER=there-is-none"}, "read", "first-look")
	if !strings.Contains(none, "8. Who") {
		t.Errorf("without a pager\n%s", none)
	}
}

func TestAWholePaperAtTheCommandLine(t *testing.T) {
	name, _ := whole.Newcomer(t)
	s := whole.At(t, name, demo.LearnerPassword)
	file := s.Run("", "read", "first-look", "--answers").Out
	if !strings.Contains(file, "\n-- first-look/no-mail  4. No mail (1 point)\n") {
		t.Fatal(file)
	}
	file = strings.Replace(file, "names-and-valleys  1. Names and valleys (1 point)\n",
		"names-and-valleys\nSELECT name, valley FROM apiary;\n", 1)
	file = strings.Replace(file, "no-mail  4. No mail (1 point)\n", "no-mail\n\nSELECT name\nFRM beekeeper\n", 1)
	wrong := fmt.Sprintf("failed           0  line %d: syntax error",
		1+strings.Count(file[:strings.Index(file, "FRM")], "\n"))
	path := filepath.Join(t.TempDir(), "answers.sql")
	if err := os.WriteFile(path, []byte(file), 0o600); err != nil {
		t.Fatal(err)
	}
	for range 2 { // the second time nothing is submitted again
		p := s.Run("", "submit", "first-look", path)
		if missing := whole.Lacks(p.Out, "1. Names and valleys     correct          1",
			"2. Hives by strength     not answered", "4. No mail               "+wrong); p.Code != 1 || missing != nil {
			t.Errorf("exit code %d, %q is missing in\n%s%s", p.Code, missing, p.Out, p.Errs)
		}
	}
	if p := s.Run("", "history", "--kind", "attempt", "-o", "csv"); strings.Count(p.Out, "\n") != 3 {
		t.Errorf("attempts:\n%s", p.Out)
	}
	if p := s.Run("", "read", "first-look", "--answers"); !strings.Contains(p.Out, "\nSELECT name\nFRM beekeeper\n") {
		t.Errorf("what was submitted is missing in\n%s", p.Out)
	}
	for in, want := range map[string]string{
		"SELECT 1":                   "line 1: SQL stands before the first address",
		"-- first-look/99\nSELECT 1": "line 1: first-look has no exercise 99",
	} {
		if p := s.Run(in, "submit", "first-look"); p.Code != 2 || !strings.Contains(p.Errs, want) {
			t.Errorf("%q: exit code %d, %s", in, p.Code, p.Errs)
		}
	}
	for as, want := range map[string]string{
		"html": "SELECT name, valley FROM apiary;</pre>", "markdown": "```sql\nSELECT name, valley FROM apiary;\n```",
	} {
		if p := s.Run("", "read", "first-look", "--as", as); p.Code != 0 || !strings.Contains(p.Out, want) {
			t.Errorf("%s: exit code %d\n%s%s", as, p.Code, p.Out, p.Errs)
		}
	}
}

func TestWhatOneKeepsAtTheCommandLine(t *testing.T) {
	name, _ := whole.Newcomer(t)
	s := whole.At(t, name, demo.LearnerPassword)
	s.Run("SELECT 'first'", "run", "first-look/1")
	s.Run("SELECT 'second'", "run", "--dataset", "apiary")
	lines := strings.Split(s.Run("", "history", "-o", "csv").Out, "\n")
	first := strings.Split(lines[2], ",")[0]
	for _, c := range []struct{ in, args, want string }{
		{"", "entry keep " + first + " --name 'my first'", ""},
		{"", "history 'MY FIRST' -o csv", "my first"},
		{"", "history --kept", "my first"},
		{"", "entry clear --all", "1 run cleared."},
		{"", "history", "SELECT 'first'"},
		{"", "entry clear " + first, ""},
		{"SELECT 3", "text save three --dataset apiary", "Kept as three."},
		{"SELECT 33", "text save three", "Kept as three."},
		{"", "text rename three drei", "Kept as drei."},
		{"", "text copy drei vier", "Kept as vier."},
		{"", "text remove drei", ""},
		{"", "text list 33 -o csv", "vier,apiary"},
		{"", "text show vier", "SELECT 33\n"},
		{"", "marks", "first-look/1"},
	} {
		line := "printf '%s' \"" + c.in + "\" | examen " + c.args
		p := inShell(t, filepath.Dir(whole.Binary), s.Env, line)
		if p.Code != 0 || !strings.Contains(p.Out+p.Errs, c.want) {
			t.Errorf("%s: exit code %d\n%s%s", c.args, p.Code, p.Out, p.Errs)
		}
	}
}

// A pack's files come back byte for byte, and what stands in a folder is not changed unasked.
func TestAPackComesBackAsItWas(t *testing.T) {
	s := whole.At(t, demo.InstructorName, demo.InstructorPassword)
	was, folder := t.TempDir(), filepath.Join(t.TempDir(), "back")
	for name, content := range map[string]string{
		"pack.yaml":       "pack: dusk\r\ntitle:   Dusk   # spaces stay\npapers: [papers/dusk.md]\n",
		"papers/dusk.md":  "---\npaper: dusk\ntitle: Dusk\ndataset: apiary\n---\n\n![Site](../site.svg)\t\n",
		"site.svg":        "<svg xmlns='http://www.w3.org/2000/svg'/>",
		"left/unused.txt": "not named anywhere\n",
	} {
		path := filepath.Join(was, name)
		if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(path, []byte(content), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	export := func(code int, says string, args ...string) {
		t.Helper()
		p := s.Run("", append([]string{"pack", "export", "dusk", folder}, args...)...)
		if p.Code != code || !strings.Contains(p.Errs, says) {
			t.Errorf("%v: exit code %d, %s", args, p.Code, p.Errs)
		}
	}
	same := func() {
		t.Helper()
		if out, err := exec.Command("diff", "-r", was, folder).CombinedOutput(); err != nil {
			t.Errorf("%v\n%s", err, out)
		}
	}
	for range 2 { // what is loaded from what came back is the same again
		if p := s.Run("", "pack", "load", was); p.Code != 0 {
			t.Fatal(p.Errs)
		}
		export(0, "4 files of the pack in")
		same()
		was, folder = folder, filepath.Join(t.TempDir(), "again")
	}
	was, folder = folder, was
	export(0, "0 written")
	for name, content := range map[string]string{"pack.yaml": "changed", "mine.txt": "mine"} {
		if err := os.WriteFile(filepath.Join(folder, name), []byte(content), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	export(2, "nothing was written, since 1 file would be changed in "+folder+": pack.yaml")
	export(0, "changed pack.yaml", "--over")
	export(0, "not in the pack: mine.txt")
	if p := s.Run("", "pack", "list", "-o", "csv"); !strings.Contains(p.Out, "dusk,Dusk,0,1,") {
		t.Errorf("got %s", p.Out)
	}
}
