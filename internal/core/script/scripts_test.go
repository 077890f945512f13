package script_test

import (
	"fmt"
	"io"
	"strings"
	"testing"
	"testing/fstest"

	"examen/internal/core/script"
)

func folder(files map[string]string) fstest.MapFS {
	all := fstest.MapFS{}
	for name, text := range files {
		all[name] = &fstest.MapFile{Data: []byte(text)}
	}
	return all
}

// everything reads scripts to the end: items and errors, a line each.
func everything(files map[string]string, names ...string) (lines []string, passedOver []script.PassedOver) {
	s := script.Open(folder(files), names, "")
	defer s.Close()
	for {
		item, err := s.Next()
		if err == io.EOF {
			return lines, s.PassedOver()
		}
		line := fmt.Sprintf("%s:%d %s", item.File, item.Line, item.Text)
		if err != nil {
			line = "error " + err.Error()
		} else if item.Kind == script.Copy {
			data, place := s.Data()
			file, at := place(1)
			text, _ := io.ReadAll(data)
			line += fmt.Sprintf(" <- %s:%d %q", file, at, text)
		}
		if lines = append(lines, line); len(lines) > 100 {
			return lines, nil
		}
	}
}

func TestScripts(t *testing.T) {
	for _, c := range []struct {
		name  string
		files map[string]string
		want  string
	}{
		{"an include beside the script, and one from the folder", map[string]string{
			"main.sql": "\\i sub/a.sql\nSELECT 1;", "sub/a.sql": "\\ir b.sql\n\\i c.sql\n", "sub/b.sql": "SELECT 'b'",
			"c.sql": "SELECT 'c'",
		},
			"sub/b.sql:1 SELECT 'b' | c.sql:1 SELECT 'c' | main.sql:2 SELECT 1"},
		{
			"an include of itself", map[string]string{"main.sql": "SELECT 1;\n\\i main.sql\nSELECT 2"},
			"main.sql:1 SELECT 1 | error main.sql:2: main.sql includes itself | main.sql:3 SELECT 2",
		},
		{"variables", map[string]string{
			"main.sql": "\\set t hive\n\\set n '1 + ' 2\n\\set q 'it''s'\n" +
				"SELECT :n, :'q', :\"t\", x::int, a[1:2], ':t', :u FROM :t;\n\\unset t\nSELECT :t",
		},
			`main.sql:4 SELECT 1 + 2, 'it''s', "hive", x::int, a[1:2], ':t', :u FROM hive | main.sql:6 SELECT :t`},
		{"a copied file", map[string]string{
			"main.sql": "\\copy \"from\" (a, b) from 'data.csv' with csv header\nSELECT 1", "data.csv": "a,b\n1,2\n",
		},
			`main.sql:1 COPY "from" (a, b) FROM STDIN with csv header <- data.csv:1 "a,b\n1,2\n"` +
				` | main.sql:2 SELECT 1`},
		{
			"copied from what follows", map[string]string{"main.sql": "\\copy a from stdin\n1\n\\.\nSELECT 1"},
			`main.sql:1 COPY a FROM STDIN  <- main.sql:2 "1\n" | main.sql:4 SELECT 1`,
		},
		{
			"a query's copy", map[string]string{"main.sql": "\\copy (SELECT 1) to 'x.csv'"},
			`error main.sql:1: \copy is expected as: \copy table FROM 'file.csv' WITH (...), with a file in the ` +
				`same folder`,
		},
		{"what runs programs", map[string]string{
			"main.sql": "\\set x `id`\n\\! id\n\\g | id\nSELECT 1 \\gexec\nSELECT 2;",
		},
			`error main.sql:1: \set: a backquote is refused: it runs a program | error main.sql:2: \! is refused: ` +
				`it runs a program | error main.sql:3: \g is refused: it sends results elsewhere; end the statement ` +
				`with a semicolon | ` +
				`error main.sql:4: \gexec is refused: it runs SQL that a query makes; write the statements, or a DO ` +
				`block | main.sql:5 SELECT 2`},
		{
			"an encoding that is not known", map[string]string{"main.sql": "\\encoding KLINGON\nSELECT 1"},
			`error main.sql:1: the encoding "KLINGON" is not read here: save the file as UTF-8, or use LATIN1, ` +
				`LATIN2, LATIN9, WIN1250 to WIN1254, or KOI8R | main.sql:2 SELECT 1`,
		},
		{
			"an encoding for what follows",
			map[string]string{
				"main.sql": "SELECT 'é';\n\\encoding WIN1252\nSELECT '\x80';\n\\i a.sql", "a.sql": "SELECT '\xe9'",
			},
			`main.sql:1 SELECT 'é' | main.sql:3 SELECT '€' | a.sql:1 SELECT 'é'`,
		},
		{
			"a database made for nothing", map[string]string{"main.sql": "CREATE DATABASE yard;\nCREATE TABLE a ();"},
			"error main.sql:1: setup scripts run within a database of their own and cannot make or drop others: " +
				"this is passed over only where \\connect to the same name follows | main.sql:2 CREATE TABLE a ()",
		},
	} {
		t.Run(c.name, func(t *testing.T) {
			lines, _ := everything(c.files, "main.sql")
			if got := strings.Join(lines, " | "); got != c.want {
				t.Errorf("got  %s\nwant %s", got, c.want)
			}
		})
	}
}

func TestShowingCommandsArePassedOver(t *testing.T) {
	lines, passed := everything(
		map[string]string{
			"main.sql": "\\echo 'hello;'\n\\pset null x\n\\d+ hive\n\\dt\n\\timing on\n\\x\n\\connect - hazel\n" +
				"\\restrict abc\n",
		},
		"main.sql",
	)
	if len(lines) != 0 || len(passed) != 8 {
		t.Errorf("got %q, passed over %v", lines, passed)
	}
}

func TestRootsAreThoseThatNoOtherIncludes(t *testing.T) {
	files := folder(
		map[string]string{
			"all.sql": "\\i rows.sql\n\\ir sub/more.sql\n", "rows.sql": "SELECT 1", "sub/more.sql": "",
			"views.sql": "SELECT 'open",
		},
	)
	if got, err := script.Roots(files, []string{"all.sql", "rows.sql", "views.sql"}); err != nil ||
		fmt.Sprint(got) != "[all.sql views.sql]" {
		t.Errorf("got %v, %v", got, err)
	}
}

func TestNeededFilesAreThoseThatScriptsName(t *testing.T) {
	files := folder(
		map[string]string{
			"main.sql": "\\i a.sql\n\\copy t from 'rows.csv' csv\n\\i ../out.sql\n\\copy t from stdin\n\\.\n",
			"a.sql":    "\\ir b.sql\n\\i main.sql", "b.sql": "", "rows.csv": "", "other.sql": "",
		},
	)
	if got, err := script.Needed(files, []string{"main.sql"}); err != nil ||
		fmt.Sprint(got) != "[main.sql a.sql rows.csv b.sql]" {
		t.Errorf("got %v, %v", got, err)
	}
}

func TestValueRows(t *testing.T) {
	sql := "INSERT INTO a (x, y) VALUES (1, (SELECT max(b) FROM c)),\n" +
		"(')', $$,($$) /* ( */, (3, 4) ON CONFLICT (x) DO NOTHING"
	var got []string
	for _, s := range script.ValueRows(sql) {
		got = append(got, sql[s.From:s.To])
	}
	if want := "(1, (SELECT max(b) FROM c)) | (')', $$,($$) | (3, 4)"; strings.Join(got, " | ") != want {
		t.Errorf("got %s\nwant %s", strings.Join(got, " | "), want)
	}
}

func TestCSVTypesAreThoseOfAllRows(t *testing.T) {
	for _, c := range []struct{ name, text, want string }{
		{"every type", "N,Big,Weight (kg),Day,At,Sure,Id,Code,Zone,Clock,Empty\n" +
			"1,3000000000,1.5,2026-01-02,2026-01-02 " +
			"03:04,yes,6f1e6c1e-0000-4000-8000-000000000000,007,2026-01-02T03:04:05Z,12:30,\n" +
			"-2,1,,2026-02-03,2026-01-02,no,6f1e6c1e-0000-4000-8000-000000000001,8,2026-01-02 03:04:05+02,23:59:59,\n",
			"n integer, big bigint, weight_kg numeric, day date, at timestamp, sure boolean, id uuid, code text, " +
				"zone timestamptz, clock time, empty text"},
		{"the last row decides", "a\n" + strings.Repeat("1\n", 5000) + "x\n", "a text"},
		{
			"names twice, names that are none", "a,A,,2 b\n1,2,3,4\n",
			"a integer, a_2 integer, column_3 integer, _2_b integer",
		},
		{"semicolons and quotes", "a;b\n\"1;2\";\"x\n\"\"y\"\n", "a text, b text"},
		{"a date that is none", "day\n2026-02-30\n", "day text"},
		{"no rows", "a,b\n", "a text, b text"},
	} {
		t.Run(c.name, func(t *testing.T) {
			table, err := script.ReadCSV(strings.NewReader("\ufeff"+c.text), "data/Hive list.csv", "")
			if err != nil {
				t.Fatal(err)
			}
			var got []string
			for _, column := range table.Columns {
				got = append(got, column.Name+" "+column.Type)
			}
			if strings.Join(got, ", ") != c.want || table.Name != "hive_list" {
				t.Errorf("got %s: %s\nwant %s", table.Name, strings.Join(got, ", "), c.want)
			}
		})
	}
	for text, want := range map[string]string{
		"":              "a.csv:1: the file is empty",
		"a,b\n1,2\n3\n": "a.csv:3: this line has more or fewer values",
		"a,b\n1,\"2\n3": "a.csv:3: column",
	} {
		if _, err := script.ReadCSV(strings.NewReader(text), "a.csv", ""); err == nil ||
			!strings.HasPrefix(err.Error(), want) {
			t.Errorf("%q: got %v, want %s", text, err, want)
		}
	}
}
