package test

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"examen/internal/client"
	"examen/internal/demo"
	"examen/test/whole"
)

func TestALearnersDayAtTheCommandLine(t *testing.T) {
	name, _ := whole.Newcomer(t)
	s := whole.At(t, name, demo.LearnerPassword)
	file := filepath.Join(t.TempDir(), "query.sql")
	if err := os.WriteFile(file, []byte("SELECT name, kind FROM hive ORDER BY name LIMIT 1"), 0o600); err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		in   string
		args string
		code int
		want []string // parts of what is printed
	}{
		{"", "whoami", 0, []string{name, "learner"}},
		{"", "paper list", 0, []string{"first-look", "open", "0 of 8"}},
		{
			"", "read first-look/2", 0,
			[]string{"2. Hives by strength", "Expected columns: name (text)", "State: not submitted"},
		},
		{"", "read first-look/harvest-by-grade", 0, []string{"Use: GROUP BY\n", "Row order must match"}},
		{
			"", "read first-look", 0,
			[]string{"The Heather Hill Beekeepers", "    SELECT * FROM apiary LIMIT 5;", "8. Who looks after what"},
		},
		{"", "dataset show apiary hive", 0, []string{"queen_year", "refers to", "apiary.apiary_id"}},
		{"", "run first-look/3 " + file, 0, []string{"name (text)", "Amber", "1 row,"}},
		{"SELECT 1 AS n, NULL AS x", "run first-look -o csv", 0, []string{"n,x\n1,\n"}},
		{"SELECT '' AS e, NULL AS n, true AS b", "run first-look -o csv", 0, []string{"e,n,b\n\"\",,true\n"}},
		{"SELECT generate_series(1, 1100) AS n", "run first-look -o csv", 0, []string{"1000\n", "(--all for all)"}},
		{"SELECT generate_series(1, 1100) AS n", "run first-look -o csv --all", 0, []string{"1100\n", "1100 rows"}},
		{"SELECT generate_series(1, 1100) AS n", "run first-look -o json --all", 0, []string{"[1100]\n]}"}},
		{"SELECT generate_series(1, 1100) AS n", "run first-look --all", 0, []string{"\n       1100\n"}},
		{"SELECT 1 AS n", "run first-look -o xlsx", 0, []string{"PK\x03\x04"}},
		{"", "history -o xlsx", 2, []string{"expected one of table, json, csv"}},
		{"SELECT 1", "run --dataset apiary -o json", 0, []string{`"row_count": 1`}},
		{
			"SELECT nme\nFROM hive", "run first-look", 1,
			[]string{`column "nme" does not exist`, "line 1, column 8:\n  SELECT nme\n         ^\n"},
		},
		{
			"SELECT name FROM apiary", "submit first-look/1", 1,
			[]string{"Incorrect, 0 of 1 point\n- The result has 1 column; the task asks for 2: “valley” is missing.\n"},
		},
		{
			"SELECT name, valley FROM apiary", "submit first-look/names-and-valleys -", 0,
			[]string{"Correct, 1 of 1 point\n"},
		},
		{"SELECT name FROM apiary", "submit first-look/1 -o json", 1, []string{`"kind": "columns-missing"`}},
		{"", "history --kind attempt", 0, []string{"incorrect", "correct", "SELECT name, valley FROM apiary"}},
		{"", "history --full --limit 1", 0, []string{"    SELECT name FROM apiary", "- The result has 1 column"}},
		// bad input, each in one line
		{" ", "submit first-look/1", 3, []string{"examen: The query is empty. "}},
		{"SELECT 1; SELECT 2", "submit first-look/1", 1, []string{"holds 2 statements"}},
		{"DROP TABLE hive", "run first-look", 1, []string{"Only queries can be run here", "this is DROP"}},
		{strings.Repeat("x", 10<<20), "submit first-look/1", 3, []string{"examen: The call is too long. "}},
		{
			"SELECT generate_series(1, 1e12)", "submit first-look/1", 1,
			[]string{"Stopped", "more rows than the limit of 2,000,000"},
		},
		{"SELECT\n '\xe9'", "submit first-look/1", 3, []string{"not valid UTF-8. standard input, line 2, column 3"}},
		{"SELECT '\x00'", "submit first-look/1", 3, []string{"NUL byte"}},
		{"SELECT 1", "submit first-look/99", 3, []string{`no exercise "99"`}},
		{"SELECT 1", "submit first-look", 2, []string{"begin each answer with a line such as -- first-look/1"}},
		{"", "progress first-look", 3, []string{"Only instructors"}},
		{"", "paper list -o xml", 2, []string{"expected one of table, json, csv"}},
		{"", "paper lost", 2, []string{`no command "lost"`}},
		{"", "run first-look " + file + "x", 2, []string{"no such file"}},
		{"", "whoami --url http://127.0.0.1:1", 4, []string{"cannot be reached"}},
	} {
		p := s.Run(c.in, strings.Fields(c.args)...)
		if p.Code != c.code {
			t.Errorf("%s: exit code %d, want %d: %s%s", c.args, p.Code, c.code, p.Out, p.Errs)
		}
		for _, part := range c.want {
			if !strings.Contains(p.Out+p.Errs, part) {
				t.Errorf("%s: no %q in\n%s%s", c.args, part, p.Out, p.Errs)
			}
		}
		if c.code >= 2 && strings.Count(p.Errs, "\n") != 1 {
			t.Errorf("%s: more than a line: %s", c.args, p.Errs)
		}
	}
	if p := s.Run("", "logout"); p.Code != 0 {
		t.Errorf("got %+v", p)
	}
	if p := s.Run("", "whoami"); p.Code != 3 || !strings.Contains(p.Errs, "examen login") {
		t.Errorf("after logging out: %+v", p)
	}
}

func TestTheTokenIsKeptFromOthers(t *testing.T) {
	name, _ := whole.Newcomer(t)
	s := whole.At(t, name, demo.LearnerPassword)
	file := filepath.Join(strings.TrimPrefix(s.Env[0], "XDG_CONFIG_HOME="), "examen", "session.json")
	info, err := os.Stat(file)
	if err != nil || info.Mode().Perm() != 0o600 {
		t.Errorf("got %v, %v", info.Mode(), err)
	}
	// A token is sent only to the service that gave it.
	if p := s.Run("", "whoami", "--url", strings.Replace(whole.Shared.URL, "127.0.0.1", "localhost", 1)); p.Code != 3 {
		t.Errorf("got %+v", p)
	}
}

func TestAnInstructorsDayAtTheCommandLine(t *testing.T) {
	s := whole.At(t, demo.InstructorName, demo.InstructorPassword)
	folder := t.TempDir()
	if err := os.CopyFS(folder, observatory("cli")); err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		args string
		code int
		want []string
	}{
		{"pack load " + folder, 0, []string{"nights-cli, build 1: 1 table, 3 rows, 1 variant", "night", "Dusk"}},
		{"pack load " + folder + "/none", 2, []string{"no such file"}},
		{"course create night-owls --title Night_owls", 0, []string{"night-owls"}},
		{"course create night-owls --title Again", 3, []string{"already exists"}},
		{"member add newcomer-cli --course night-owls", 0, []string{"newcomer-cli", "one-time password"}},
		{"member list --course night-owls", 0, []string{"newcomer-cli"}},
		{"member list", 2, []string{"member list wants a course: --course NAME"}},
		{"member add newcomer-cli", 2, []string{"wants a course"}},
		{"member reset newcomer-cli", 0, []string{"one-time password"}},
		{"paper set dusk-cli --course night-owls --due 2099-01-01T00:00:00Z", 0, []string{"dusk-cli", "open", "2099"}},
		{"paper set dusk-cli --course night-owls --due soon", 2, []string{"is not a valid time"}},
		{"course show night-owls", 0, []string{"dusk-cli"}},
		{"course list", 0, []string{"evening-group", "night-owls"}},
		{"progress first-look", 0, []string{"Robin Ashgrove", "correct 1"}},
		{"marks first-look --format csv", 0, []string{"name,display_name,names-and-valleys", "robin,Robin Ashgrove,"}},
		{"marks first-look", 0, []string{"of 13"}},
		{"read first-look/1", 0, []string{"Reference answer:\n    SELECT name, valley FROM apiary;"}},
		{"history --learner robin --kind attempt --limit 3", 0, []string{"robin"}},
		{"history --learner nobody", 3, []string{"no such learner"}},
	} {
		p := s.Run("", strings.Fields(c.args)...)
		if p.Code != c.code {
			t.Errorf("%s: exit code %d, want %d: %s%s", c.args, p.Code, c.code, p.Out, p.Errs)
		}
		for _, part := range c.want {
			if !strings.Contains(p.Out+p.Errs, part) {
				t.Errorf("%s: no %q in\n%s%s", c.args, part, p.Out, p.Errs)
			}
		}
	}
	var grid client.Progress
	if p := s.Run("", "progress", "first-look", "-o", "json"); json.Unmarshal([]byte(p.Out), &grid) != nil ||
		len(grid.Exercises) != 8 {
		t.Errorf("JSON is the contract's own: %s", p.Out)
	}
}

// Building and looking at a dataset, as an instructor would at the command line.
func TestDatasetsAtTheCommandLine(t *testing.T) {
	s := whole.At(t, demo.InstructorName, demo.InstructorPassword)
	folder := t.TempDir()
	if err := os.CopyFS(folder, whole.Scripts(map[string]string{
		"nights/main.sql": "\\i tables.sql\n\\copy night FROM 'rows.csv' WITH (FORMAT csv, HEADER)\n",
		"nights/tables.sql": "CREATE TABLE site (site_id int PRIMARY KEY);\n" +
			"CREATE TABLE night (day date PRIMARY KEY, cloud int, site_id int REFERENCES site);\n",
		"nights/rows.csv":    "\ufeffday,cloud,site_id\n2026-01-01,10,\n2026-01-02,,\n",
		"nights/.hidden.sql": "nonsense",
		"bad.sql":            "CREATE TABLE a (x int);\nINSERT INTO a VALUES (1), ('b');\nINSERT INTO c VALUES (1);\n",
		"list.csv":           "Day,Cloud\n2026-01-01,5\n",
	})); err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		args string
		code int
		want []string
	}{
		// A file alone takes those that it names with it; of a folder those run that no other includes.
		{
			"dataset build FOLDER/nights/main.sql --name cli-nights --title Nights", 0,
			[]string{"cli-nights, build 1: 2 tables, 2 rows", "Running the setup scripts ...", "site is empty"},
		},
		{"dataset build FOLDER/nights --name cli-nights", 0, []string{"cli-nights, build 2: 2 tables, 2 rows"}},
		{
			"dataset build FOLDER/bad.sql", 3,
			[]string{
				"bad.sql:2:28: invalid input syntax for type integer: \"b\"", "    | INSERT INTO a VALUES (1), ('b')",
				"1 error in its setup scripts",
			},
		},
		{
			"dataset build FOLDER/bad.sql --keep-going", 3,
			[]string{
				"bad.sql:2:28:", "bad.sql:3:13: relation \"c\" does not exist", "No script creates c",
				"2 errors in its setup scripts",
			},
		},
		{
			"dataset build FOLDER/list.csv --name cli-list", 0,
			[]string{"list, made from list.csv (1 row", "day     date     Day"},
		},
		{"dataset build FOLDER/none.sql", 2, []string{"no such file"}},
		{"dataset build FOLDER/nights FOLDER/bad.sql", 2, []string{"give one folder, or files"}},
		{"dataset build FOLDER --name pack-or-not --background", 0, []string{"is job"}},
		{"dataset builds", 0, []string{"done", "cli-nights, build 2: 2 tables, 2 rows"}},
		{"dataset builds cli-nights", 0, []string{"2  in use", "1  kept", "examen dataset use cli-nights BUILD"}},
		{"dataset use cli-nights 1", 0, []string{"cli-nights is in build 1 now"}},
		{"dataset use cli-nights 9", 3, []string{"has no build 9"}},
		{"dataset use cli-nights two", 2, []string{"not the number of a build"}},
		{"dataset use cli-nights 2", 0, []string{"cli-nights is in build 2 now"}},
		{"dataset follow cli-nights", 0, []string{"cli-nights, build 2"}},
		{"dataset stop cli-nights", 0, []string{"cli-nights, build 2"}}, // it has ended
		{"dataset follow never-built", 2, []string{"no build of"}},
		{"dataset list", 0, []string{"Nights"}},
		{
			"dataset show cli-nights night", 0,
			[]string{
				"night, a table of cli-nights with 2 rows", "Each night row belongs to one or no site (site_id).",
				"Primary key: day.", "2026-01-01, 2026-01-02",
			},
		},
		{"dataset show cli-nights moon", 2, []string{"has no table"}},
		{"dataset rows cli-nights night --where cloud=NULL", 0, []string{"2026-01-02"}},
		{
			"dataset rows cli-nights night --sort day --descending --limit 1", 0,
			[]string{"2026-01-02", "More rows follow: --offset 1"},
		},
		{"dataset rows cli-nights night --where cloud", 2, []string{"expected COLUMN=VALUE"}},
		{"dataset map cli-nights", 0, []string{"┌─ night, 2 rows", "night >─○ site"}},
		{"dataset map cli-nights --format mermaid", 0, []string{"erDiagram", `"site" |o--o{ "night" : "site_id"`}},
		{"dataset map cli-nights --format svg --table site", 0, []string{"<svg"}},
		{"dataset map cli-nights --format jpeg", 2, []string{"expected text, mermaid or svg"}},
		{"dataset drop cli-list --yes", 0, []string{"is removed"}},
		{"dataset drop cli-list --yes", 3, []string{"no such dataset"}},
	} {
		p := s.Run("", strings.Fields(strings.ReplaceAll(c.args, "FOLDER", folder))...)
		if p.Code != c.code {
			t.Errorf("%s: exit code %d, want %d: %s%s", c.args, p.Code, c.code, p.Out, p.Errs)
		}
		for _, part := range c.want {
			if !strings.Contains(p.Out+p.Errs, part) {
				t.Errorf("%s: no %q in\n%s%s", c.args, part, p.Out, p.Errs)
			}
		}
	}
	var job client.Job
	if p := s.Run(
		"", "dataset", "build", folder+"/list.csv", "--name", "cli-json", "-o", "json",
	); json.Unmarshal([]byte(p.Out), &job) != nil || job.State != client.JobDone || job.Report.Datasets[0].Rows != 1 {
		t.Errorf("JSON is the contract's own: %s", p.Out)
	}
	_, c := whole.Newcomer(t) // is told so before the files are sent
	many := whole.Scripts(map[string]string{"a.sql": strings.Repeat("SELECT 1;\n", 8_000_000)})
	contentType, body := client.SendFiles(many, []string{"a.sql"}, nil)
	if p := problemOf(t)(
		c.BuildDatasetWithBody(ctx, "mine", &client.BuildDatasetParams{}, contentType, body, client.AskFirst),
	); p.Status != 403 {
		t.Errorf("got %+v", p)
	}
}

// What comes from data is shown, not acted upon.
func TestTerminalEscapesAreShown(t *testing.T) {
	name, _ := whole.Newcomer(t)
	s := whole.At(t, name, demo.LearnerPassword)
	p := s.Run(`SELECT E'\x1b[31mred\x07' AS "a`+"\x1b"+`[2Jb", chr(8238) AS rtl`, "run", "first-look")
	if strings.ContainsAny(p.Out, "\x1b\x07\u202e") || !strings.Contains(p.Out, `\u001b[31mred\u0007`) {
		t.Errorf("got %q", p.Out)
	}
	p = s.Run("SELECT '=1+1' AS f", "run", "first-look", "-o", "csv")
	if p.Out != "f\n'=1+1\n" {
		t.Errorf("got %q", p.Out)
	}
}
