package test

import (
	"errors"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"examen/test/whole"

	"examen/internal/demo"
)

var (
	subcommand = regexp.MustCompile(`(?m)^  ([a-z]+) {2,}`)
	exampleRun = regexp.MustCompile(`(?ms)^Examples:\n(.*?)\n\n`)
)

// commandsOf lists the commands below one, with their help.
func commandsOf(t *testing.T, path []string, each func(path []string, help string)) {
	help := whole.Command(t, nil, "", append(append([]string{}, path...), "--help")...).Out
	_, list, has := strings.Cut(help, "Available Commands:\n")
	if !has {
		each(path, help)
		return
	}
	list, _, _ = strings.Cut(list, "\n\n")
	for _, found := range subcommand.FindAllStringSubmatch(list, -1) {
		if found[1] != "completion" && found[1] != "help" {
			commandsOf(t, append(append([]string{}, path...), found[1]), each)
		}
	}
}

// inShell runs a line as somebody types it, in a folder that has examen on its path.
func inShell(t *testing.T, folder string, env []string, line string) whole.Printed {
	t.Helper()
	cmd := exec.Command("sh", "-c", line)
	cmd.Dir, cmd.Env = folder, append(append(os.Environ(), env...), "PATH="+folder+":"+os.Getenv("PATH"))
	var out, errs strings.Builder
	cmd.Stdout, cmd.Stderr = &out, &errs
	err := cmd.Run()
	var exit *exec.ExitError
	if err != nil && !errors.As(err, &exit) {
		t.Fatal(err)
	}
	return whole.Printed{Out: out.String(), Errs: errs.String(), Code: cmd.ProcessState.ExitCode()}
}

// Every command has examples, and each runs as it stands on the demo's data.
func TestExamplesOfEveryCommandRun(t *testing.T) {
	t.Parallel()
	place := whole.DemoDir(t)
	s := whole.Start(t, "demo", "--data-dir", place)
	folder := t.TempDir()
	for name, content := range map[string]string{
		"query.sql": "SELECT name FROM hive LIMIT 3", "answer.sql": "SELECT name, valley FROM apiary",
		"tables.sql": "CREATE TABLE meadow (id int PRIMARY KEY);", "rows.sql": "INSERT INTO meadow VALUES (1);",
		"observers.csv":     "id,name\n1,Maud\n",
		"roster.csv":        "login,name,group\nmaud,Maud Ferrow,Tuesday\n",
		"numbers.csv":       "Number,name\nn17,Iris Calder\n",
		"nights/a.sql":      "CREATE TABLE night (day date PRIMARY KEY); INSERT INTO night VALUES ('2026-05-01');",
		"my-pack/pack.yaml": "pack: my-pack\ntitle: Mine\ndatasets:\n  mine:\n    setup: [a.sql]\npapers: [p.md]\n",
		"my-pack/a.sql":     "CREATE TABLE a (n int PRIMARY KEY); INSERT INTO a VALUES (1), (2);",
		"my-pack/p.md": "---\npaper: mine\ntitle: Mine\ndataset: mine\n---\n\n## All\n\n```sql answer\n" +
			"SELECT n FROM a\n```\n",
	} {
		path := filepath.Join(folder, name)
		if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(path, []byte(content), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	// Those that end with 3 or 1 have nothing to do on the demo's data: no build asks or runs, nothing has been kept or
	// answered, and an example may not be correct.
	may := map[string]int{
		"entry keep": 3, "entry clear": 3, "text copy": 3, "text rename": 3, "text remove": 3, "submit": 1,
		"example":         3,
		"dataset confirm": 3, "dataset stop": 3, "paper begin": 3, "paper unset": 3, "password": 2, "member reset": 0,
		"member deactivate": 0, "note answer": 3, "dispute": 3, "copy show": 3, "copy reset": 3,
		"server drain": 3, "server resume": 3,
		"member activate": 0,
	}
	late := map[string]bool{
		"login": true, "logout": true, "demo": true, "serve": true, "restore": true, "password": true,
		"cluster run": true, "cluster make": true,
	}
	home := t.TempDir()
	shell := &whole.Shell{T: t, Env: []string{
		"HOME=" + home, "XDG_CONFIG_HOME=" + home, "EXAMEN_URL=" + s.URL, "EDITOR=true",
		"EXAMEN_DATA_DIR=" + place,
	}}
	if p := shell.Run("", "login", demo.InstructorName, "--password", demo.InstructorPassword); p.Code != 0 {
		t.Fatal(p.Errs)
	}
	if err := os.Symlink(whole.Binary, filepath.Join(folder, "examen")); err != nil {
		t.Fatal(err)
	}
	ran := 0
	var last []string
	commandsOf(t, nil, func(path []string, help string) {
		name := strings.Join(path, " ")
		found := exampleRun.FindStringSubmatch(help)
		if found == nil {
			t.Errorf("%s has no example", name)
			return
		}
		for _, line := range strings.Split(found[1], "\n") {
			line = strings.TrimSpace(line)
			if !strings.Contains(line, "examen ") || late[name] {
				continue
			}
			if name == "dataset drop" || strings.HasPrefix(name, "member ") {
				last = append(last, line)
				continue
			}
			ran++
			if p := inShell(t, folder, shell.Env, line); p.Code != 0 && p.Code != may[name] {
				t.Errorf("%s: exit code %d\n%s%s", line, p.Code, p.Out, p.Errs)
			} else if name == "dataset rows" && strings.Count(p.Out, "\n") < 3 {
				t.Errorf("%s shows nothing:\n%s", line, p.Out)
			}
		}
	})
	for _, line := range last {
		if p := inShell(t, folder, shell.Env, line); p.Code != 0 {
			t.Errorf("%s: exit code %d\n%s%s", line, p.Code, p.Out, p.Errs)
		}
	}
	if ran < 30 {
		t.Errorf("only %d examples were run", ran)
	}
}

// What the shells ask for as one types.
func TestCompletion(t *testing.T) {
	c := whole.At(t, demo.InstructorName, demo.InstructorPassword)
	for line, want := range map[string]string{
		"read f": "first-look/", "submit first-look/": "first-look/names-and-valleys", "dataset show ap": "apiary",
		"dataset rows apiary hi": "hive", "course show ev": "evening-group",
		"progress first": "first-look", "member reset wr": "wren", "history --outcome inc": "incorrect",
		"history --learner wr": "wren", "paper set first-look --course ev": "evening-group", "paper list -o j": "json",
	} {
		words := strings.Split(line, " ")
		if p := c.Run("", append([]string{"__complete"}, words...)...); p.Code != 0 ||
			!strings.Contains("\n"+p.Out, "\n"+want) {
			t.Errorf("%s: got %q, want %q", line, p.Out, want)
		}
	}
	for _, shell := range []string{"bash", "zsh", "fish"} {
		if p := c.Run("", "completion", shell); p.Code != 0 || len(p.Out) < 1000 {
			t.Errorf("%s: exit code %d, %d bytes", shell, p.Code, len(p.Out))
		}
	}
}

// Wrong use is told before the service is asked, and what cannot be undone is not done unasked.
func TestUseThatIsWrong(t *testing.T) {
	c := whole.At(t, demo.InstructorName, demo.InstructorPassword)
	empty := t.TempDir()
	for line, want := range map[string]string{
		"history --outcome bogus": "--outcome bogus: expected one of correct",
		"history --kind walk":     "--kind walk: expected one of run, attempt",
		"pack load " + empty:      "holds no pack.yaml",
		"pack check " + empty:     "holds no pack.yaml", "dataset drop apiary": "say --yes",
		"paper set first-look --course evening-group --due tomorrow": `"tomorrow" is not a valid time; use 2026-12-20`,
	} {
		if p := c.Run("", strings.Split(line, " ")...); p.Code != 2 || !strings.Contains(p.Errs, want) {
			t.Errorf("%s: exit code %d, %s", line, p.Code, p.Errs)
		}
	}
	for _, args := range [][]string{{"dataset", "show", ""}, {"read", ""}, {"course", "show", " "}, {"progress", ""}} {
		if p := c.Run("", args...); p.Code != 2 || !strings.Contains(p.Errs, "an argument is empty") {
			t.Errorf("%q: exit code %d, %s", args, p.Code, p.Errs)
		}
	}
	if p := c.Run("", "--version"); p.Code != 0 || !strings.HasPrefix(p.Out, "examen version ") {
		t.Errorf("--version: %q", p.Out)
	}
	whole.PaperOf(t, "dated", [2]string{"points: 1", "SELECT id FROM star"})
	if p := c.Run(
		"", "paper", "set", "dated", "--course", "evening-group", "--due", "2036-12-20",
	); p.Code != 0 || !strings.Contains(p.Out, "2036-12-20 23:59") {
		t.Errorf("a date: %+v", p)
	}
}
