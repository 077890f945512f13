package library

import (
	"context"
	"encoding/json"
	"fmt"
	"io/fs"
	"slices"
	"strings"
	"testing"
	"testing/fstest"

	"examen/internal/core/dataset"
	"examen/internal/jobs"
	"examen/internal/practice"
)

// upload is a job whose files have come.
func upload(options Options, files map[string]string) *building {
	folder := fstest.MapFS{}
	w := &jobs.Work{Files: folder}
	for name, text := range files {
		folder[name] = &fstest.MapFile{Data: []byte(text)}
		w.Paths = append(w.Paths, name)
	}
	slices.Sort(w.Paths)
	return &building{work: w, options: options}
}

// What is run of the files that have come, in which order.
func TestWhichScriptsRun(t *testing.T) {
	for _, c := range []struct {
		name    string
		options Options
		files   map[string]string
		want    string
	}{
		{
			"files in the order in which they came", Options{},
			map[string]string{"a.sql": "", "b.sql.gz": "", "c.csv": ""}, "[a.sql b.sql.gz]",
		},
		{"a file without an ending is a script", Options{}, map[string]string{"setup": ""}, "[setup]"},
		{
			"those that are named", Options{Scripts: []string{"b.sql", "a.sql"}},
			map[string]string{"a.sql": "", "b.sql": "", "c.sql": ""}, "[b.sql a.sql]",
		},
		{
			"one that is named and has not come", Options{Scripts: []string{"z.sql"}}, map[string]string{"a.sql": ""},
			`A script is missing: "z.sql" is to be run and is not among the files.`,
		},
		{
			"a folder, by name, without what others include", Options{Folder: true},
			map[string]string{
				"2-rows.sql": "", "1-all.sql": "\\i tables.sql", "tables.sql": "", "sub/other.sql": "", "notes.txt": "",
				"rows.csv": "",
			},
			"[1-all.sql 2-rows.sql]",
		},
		{
			"a folder of CSV alone", Options{Folder: true},
			map[string]string{"b.csv": "x\n1\n", "a.tsv": "y\tz\n1\t2\n", "notes.txt": ""}, "[tables made from CSV]",
		},
		{
			"a folder that is a pack", Options{Folder: true}, map[string]string{"pack.yaml": "", "a.sql": ""},
			"The folder is a pack: It holds a pack.yaml: load it with examen pack load.",
		},
		{
			"a folder with nothing to run", Options{Folder: true}, map[string]string{"notes.txt": ""},
			"There is nothing to build from: The folder holds no .sql and no .csv files (.gz at the end is fine).",
		},
		{
			"two files that make the same table", Options{}, map[string]string{"a b.csv": "x\n", "A-b.csv": "x\n"},
			"Two files would make the same table: a b.csv would make the table a_b, and so would another file: " +
				"rename one.",
		},
		{
			"a CSV file that is wrong", Options{}, map[string]string{"a.csv": "x,y\n1\n"},
			"a.csv:2: this line has more or fewer values than the first line has names; a value that holds the " +
				"delimiter stands in double quotes",
		},
	} {
		t.Run(c.name, func(t *testing.T) {
			_, scripts, _, err := upload(c.options, c.files).scripts(context.Background())
			got := fmt.Sprint(scripts)
			if err != nil {
				got = err.Error()
			}
			if got != c.want {
				t.Errorf("got %s\nwant %s", got, c.want)
			}
		})
	}
}

// CSV files become a script, which stands in the folder beside them.
func TestTheScriptThatMakesTablesOfCSV(t *testing.T) {
	files, scripts, tables, err := upload(
		Options{}, map[string]string{"Night's list.csv": "Day;select\n2026-01-01;1,5\n"},
	).scripts(context.Background())
	if err != nil || len(tables) != 1 || tables[0].Rows != 1 {
		t.Fatalf("got %+v, %v", tables, err)
	}
	text, err := fs.ReadFile(files, scripts[0])
	want := "CREATE TABLE \"night_s_list\" (\n    \"day\" date,\n    \"select\" numeric\n);\n" +
		"\\copy \"night_s_list\" FROM 'Night''s list.csv/night_s_list.rows' WITH (FORMAT csv)\n"
	if err != nil || string(text) != want {
		t.Errorf("got %s, %v", text, err)
	}
	if rows, err := fs.ReadFile(files, "Night's list.csv/night_s_list.rows"); err != nil ||
		string(rows) != "\"2026-01-01\",\"1.5\"\n" {
		t.Errorf("got %q, %v", rows, err)
	}
}

func TestMeaningsAreKept(t *testing.T) {
	before, _ := json.Marshal(
		dataset.Catalogue{
			Tables: []dataset.Table{
				{
					Name:    "hive",
					Meaning: "A hive.",
					Columns: []dataset.Column{
						{Name: "name", Meaning: "What it is called."}, {Name: "gone", Meaning: "x"},
					},
				},
			},
		},
	)
	now := dataset.Catalogue{
		Tables: []dataset.Table{
			{Name: "hive", Columns: []dataset.Column{{Name: "name"}, {Name: "kind", Meaning: "As the script says."}}},
			{Name: "new"},
		},
	}
	keepMeanings(&now, before)
	if hive := now.Tables[0]; hive.Meaning != "A hive." || hive.Columns[0].Meaning != "What it is called." ||
		hive.Columns[1].Meaning != "As the script says." || now.Tables[1].Meaning != "" {
		t.Errorf("got %+v", now)
	}
}

func TestABuildsReport(t *testing.T) {
	made := &practice.Built{
		Catalogue: dataset.Catalogue{
			Bytes:  100,
			Tables: []dataset.Table{{Name: "a", Rows: 2, Bytes: 100}, {Name: "v", View: true, Rows: 7}},
		},
	}
	r := reportOf("nights", 3, made, 0)
	if r.Tables != 1 || r.Rows != 2 || r.Bytes != 100 || len(r.Sizes) != 1 || r.Number != 3 || len(r.Advice) != 1 ||
		!strings.HasPrefix(r.Advice[0], "a has no key") {
		t.Errorf("got %+v", r)
	}
}

func TestNamesOfDatabasesTellNothing(t *testing.T) {
	one, other := newDatabase(), newDatabase()
	if one == other || len(one) != len(other) || !strings.HasPrefix(one, databasePrefix) {
		t.Errorf("got %s and %s", one, other)
	}
}
