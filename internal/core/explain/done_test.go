package explain_test

import (
	"testing"

	"examen/internal/core/explain"
)

func TestWhatAStatementHasDone(t *testing.T) {
	for _, c := range []struct{ tag, makes, notice, want string }{
		{"INSERT 0 3", "", "", "3 rows added"},
		{"UPDATE 1", "", "", "1 row changed"},
		{"DELETE 0", "", "", "0 rows removed"},
		{"SELECT 4", "", "", ""},
		{"SELECT 4", "table", "", "Table made, with 4 rows"},
		{"SELECT 1", "materialized view", "", "Materialized view made, with 1 row"},
		{"CREATE TABLE AS", "table", "", "Table made"},
		{"CREATE TABLE", "", "", "Table made"},
		{"CREATE TABLE", "", `relation "t" already exists, skipping`, "Nothing to be done"},
		{"DROP VIEW", "", "", "View dropped"},
		{"ALTER TABLE", "", "", "Table altered"},
		{"EXPLAIN", "", "", ""},
		{"COMMIT", "", "", "Committed"},
		{"BEGIN", "", "there is already a transaction in progress",
			"Nothing begun: the transaction that is open goes on"},
		{"ROLLBACK", "", "there is no transaction in progress", "Nothing to roll back: no transaction is open"},
	} {
		var notices []string
		if c.notice != "" {
			notices = []string{c.notice}
		}
		if got := explain.Done(c.tag, c.makes, notices); got != c.want {
			t.Errorf("%s (%s) is said as %q, want %q", c.tag, c.notice, got, c.want)
		}
	}
}
