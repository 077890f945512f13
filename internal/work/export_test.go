package work_test

import (
	"io"
	"strings"
	"testing"

	"examen/internal/account"
	"examen/internal/core/export"
	"examen/internal/work"
)

func TestExport(t *testing.T) {
	c := open(t, "export-group")
	run := func(sql string) *work.Run {
		t.Helper()
		r, err := c.Run(ctx, c.robin, work.RunRequest{Paper: "hives", SQL: sql})
		if err != nil || r.Error != nil {
			t.Fatal(err, r)
		}
		return r
	}
	many := run("SELECT n, repeat('x', 30) FROM generate_series(1, 5000) AS n ORDER BY n")
	for _, e := range []struct {
		format export.Format
		most   int64
		lines  int
		last   string
	}{
		{export.CSV, 0, 5001, "5000,"},
		{export.CSV, 3, 4, "3,"},
		{export.Lines, 0, 5000, `["5000",`},
		{export.JSON, 0, 5003, "]}"},
	} {
		file, err := c.Export(ctx, c.robin, many.ID, e.format, e.most)
		if err != nil {
			t.Fatal(err)
		}
		text, err := io.ReadAll(file)
		lines := strings.Split(strings.TrimSuffix(string(text), "\n"), "\n")
		if err != nil || int64(len(text)) != file.Size || len(lines) != e.lines ||
			!strings.HasPrefix(lines[len(lines)-1], e.last) {
			t.Errorf("%s, %d: %d lines of %d bytes, said %d, the last %q, %v", e.format, e.most, len(lines), len(text),
				file.Size, lines[len(lines)-1], err)
		}
		if err := file.Close(); err != nil {
			t.Error(err)
		}
	}

	// Two at once are anybody's.
	var open []*work.Export
	for range 2 {
		file, err := c.Export(ctx, c.robin, many.ID, export.CSV, 0)
		if err != nil {
			t.Fatal(err)
		}
		open = append(open, file)
	}
	if _, err := c.Export(ctx, c.robin, many.ID, export.CSV, 0); kind(t, err) != "exports" {
		t.Errorf("a third: %v", err)
	}
	for _, file := range open {
		_ = file.Close()
	}

	failing := run("SELECT 1 / (n - 3000) FROM generate_series(1, 2000) AS n")
	ending := run("SELECT repeat('x', 40000)")
	other := c.member(t, "other-"+c.slug, account.Learner)
	for _, e := range []struct {
		name   string
		who    account.Account
		run    string
		format export.Format
		kind   string
	}{
		{"somebody else's run", other, failing.ID, export.CSV, "no-run"},
		{"no run", c.robin, "0", export.CSV, "no-run"},
		{"no number", c.robin, "first", export.CSV, "no-run"},
		{"a cell too long for a workbook", c.robin, ending.ID, export.XLSX, "too-large-to-export"},
		{"the same as JSON", c.robin, ending.ID, export.JSON, ""},
	} {
		file, err := c.Export(ctx, e.who, e.run, e.format, 0)
		if got := kind(t, err); got != e.kind {
			t.Errorf("%s: %q (%v), want %q", e.name, got, err, e.kind)
		}
		if err == nil {
			_ = file.Close()
		}
	}
}

// Of a result beyond the limit of rows the first are shown, and that there are more; of one that fails, none.
func TestRowsBeyondTheLimit(t *testing.T) {
	c := open(t, "beyond-group")
	run, err := c.Run(ctx, c.robin, work.RunRequest{Paper: "hives", SQL: "SELECT generate_series(1, 100001)"})
	if err != nil || run.Outcome != "stopped" || len(run.Rows) != 1000 || !run.Truncated || run.RowCount < 1000 ||
		!strings.Contains(run.Error.Detail, "more rows than the limit of 100,000") {
		t.Errorf("%v: %s, %d rows of %d, truncated %v, %v",
			err, run.Outcome, len(run.Rows), run.RowCount, run.Truncated, run.Error)
	}
	run, err = c.Run(ctx, c.robin, work.RunRequest{
		Paper: "hives", SQL: "SELECT 1 / (n - 1500) FROM generate_series(1, 2000) AS n",
	})
	if err != nil || run.Outcome != "failed" || len(run.Rows) != 0 || run.Truncated {
		t.Errorf("%v: %s, %d rows", err, run.Outcome, len(run.Rows))
	}
}

func TestAPlanInWords(t *testing.T) {
	c := open(t, "plan-group")
	step, err := c.Plan(ctx, c.robin, work.RunRequest{Paper: "hives", SQL: "SELECT name FROM hive ORDER BY strength"})
	if err != nil || step.Does != "sorts by strength" || len(step.Steps) != 1 ||
		!strings.HasPrefix(step.Steps[0].Does, "reads all 3 rows of hive") {
		t.Errorf("%v, %+v", err, step)
	}
	for _, e := range []struct{ sql, kind string }{
		{"", "empty"},
		{"SELECT", ""},
		{"SELECT nme\nFROM hive", "database-error"},
		{"SELEC 1", "database-error"},
		{"DELETE FROM hive", "not-a-query"},
	} {
		_, err := c.Plan(ctx, c.robin, work.RunRequest{Paper: "hives", SQL: e.sql})
		if got := kind(t, err); got != e.kind {
			t.Errorf("%s: %q (%v), want %q", e.sql, got, err, e.kind)
		}
	}
	_, err = c.Plan(ctx, c.robin, work.RunRequest{Paper: "hives", SQL: "SELECT 1,\n  nme FROM hive"})
	if p := placeOf(t, err); p.Line != 2 || p.Column != 3 || p.Text != "  nme FROM hive" {
		t.Errorf("got %+v", p)
	}
}
