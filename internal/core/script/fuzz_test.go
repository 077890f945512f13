package script_test

import (
	"encoding/csv"
	"errors"
	"io"
	"io/fs"
	"strings"
	"testing"

	"examen/internal/core/script"
)

// Whatever files hold, they are read to an end: each item has its file and a line of it, and what is wrong with them is
// an error of theirs.
func FuzzFileToStatement(f *testing.F) {
	for _, s := range [][2]string{
		{"SELECT 1; SELECT 2", ""}, {"\\i b.sql\n\\ir b.sql\nSELECT 1", "\\i a.sql\n;;/\n...\n'x';\x1a"},
		{"\xff\xfes\x00;\x00", "\x1f\x8b"}, {"SELECT 1 \\g\n\\c name;\n\\echo x \\\\ SELECT 2;", ""},
		{"\\copy t from b.sql csv\nSELECT 1", "a,b\n1,2\n"}, {"COPY t FROM stdin; -- x\n1\t2\n\\.\nSELECT 'a\nb", ""},
		{"\\set a 1\nSELECT :a, :'a', :\"a\"; \\if x\n\\endif", ""},
		{"SET standard_conforming_strings = off; SELECT 'a\\'';'", ""}, {"\\encoding LATIN1\nSELECT '\xe9';", "a\rb\r"},
		{"CREATE FUNCTION f() RETURNS int LANGUAGE sql BEGIN ATOMIC SELECT 1; END;", ""},
		{"INSERT INTO t VALUES (1, 'a'), (2, 'b')\x00;", "\ufeffSELECT 1"},
	} {
		f.Add(s[0], s[1], "")
		f.Add(s[0], s[1], "LATIN1")
	}
	f.Fuzz(func(t *testing.T, first, second, encoding string) {
		files := folder(map[string]string{"a.sql": first, "b.sql": second})
		if roots, err := script.Roots(files, []string{"a.sql", "b.sql"}); err == nil && len(roots) > 2 {
			t.Errorf("of two files %v are read first", roots)
		}
		if _, err := script.Needed(files, []string{"a.sql"}); err != nil {
			placed(t, err)
		}
		s := script.Open(files, []string{"a.sql"}, encoding)
		defer s.Close()
		for range 5000 {
			item, err := s.Next()
			if err == io.EOF {
				return
			}
			if err != nil {
				placed(t, err)
				var e *script.Error
				if !errors.As(err, &e) {
					return
				}
				continue
			}
			if item.Line < 1 || item.File == "" || item.Text == "" {
				t.Fatalf("got %+v", item)
			}
			script.ValueRows(item.Text)
			if item.Kind == script.Copy {
				data, place := s.Data()
				if _, err := io.Copy(io.Discard, data); err != nil {
					placed(t, err)
				}
				if file, line := place(1); file == "" || line < 1 {
					t.Errorf("data stand in %q, line %d", file, line)
				}
			}
		}
	})
}

// placed requires that an error is one of the files: with its place, and with words.
func placed(t *testing.T, err error) {
	t.Helper()
	var e *script.Error
	if errors.As(err, &e) && (e.File == "" || e.Line < 1 || e.Detail == "") || !errors.As(err, &e) &&
		!errors.Is(err, fs.ErrNotExist) && !errors.Is(err, fs.ErrInvalid) {
		t.Errorf("got %#v", err)
	}
}

// A file that is read as a table gives COPY as many records as it counted, each as wide as its first line.
func FuzzCSV(f *testing.F) {
	for _, s := range []string{
		"a,b\n1,2\n", "sep=;\na;b\n1,5;31.5.2026\n\n", "a\n\n1\n\n", "a,b\r1,\"x\"\"\r\"\r", "\xff\xfea\x00\n\x001\x00",
		"\ufeffé\tü\n\\.\tNULL\n", "a|b\n5/6/2026|13/6/2026", "\"a\"\n\"\"\n",
	} {
		f.Add(s, "")
		f.Add(s, "LATIN1")
	}
	f.Fuzz(func(t *testing.T, text, encoding string) {
		table, err := script.ReadCSV(strings.NewReader(text), "a.csv", encoding)
		if err != nil {
			placed(t, err)
			return
		}
		script.Relate([]script.CSVTable{*table, *table})
		data, err := table.Data(strings.NewReader(text), encoding)
		if err != nil {
			t.Fatalf("read once, and then %v", err)
		}
		given, err := io.ReadAll(data)
		if err != nil {
			t.Fatalf("read once, and then %v", err)
		}
		if len(table.Columns) > 1 { // a lone NULL is a blank line, which csv.Reader passes over
			r := csv.NewReader(strings.NewReader(string(given)))
			r.FieldsPerRecord = len(table.Columns)
			records, err := r.ReadAll()
			if err != nil || int64(len(records)) != int64(table.Rows) {
				t.Errorf("%d records of %d, %v", len(records), table.Rows, err)
			}
		}
		if sql := table.SQL(true); !strings.Contains(sql, "CREATE TABLE") {
			t.Errorf("got %s", sql)
		}
		items, err := read(strings.Split(table.SQL(true), "\\copy")[0] + table.Constraints())
		if err != nil || len(items) < 1 {
			t.Errorf("what makes the table cannot be read: %v", err)
		}
		lines := strings.Count(text, "\n") + strings.Count(text, "\r") + 2
		if _, line := data.Place(strings.Count(string(given), "\n")); line > lines {
			t.Errorf("the last row stands in line %d of %d", line, lines)
		}
	})
}
