package mutation_test

import (
	"fmt"
	"slices"
	"testing"

	"examen/internal/core/mutation"
	"examen/internal/core/sqltext"
)

// Each operator on an answer that changes something: what it puts in place of what.
func TestOperatorsOfChanges(t *testing.T) {
	for _, c := range []struct {
		operator mutation.Operator
		sql      string
		want     []string // "was>is"
	}{
		{mutation.Condition, "DELETE FROM hive WHERE strength < 3 AND kind = 'skep'", []string{
			"strength < 3 AND>", "AND kind = 'skep'>",
		}},
		{mutation.Condition, "UPDATE hive SET strength = 1 WHERE hive_id = 3", []string{"WHERE hive_id = 3>"}},
		{mutation.Comparison, "DELETE FROM hive WHERE strength < 3", []string{"<><="}},
		{mutation.Value, "UPDATE hive SET strength = 4, kind = 'skep'", []string{"4>5", "'skep'>'skepx'"}},
		{mutation.Value, "INSERT INTO hive (since) VALUES ('2026-05-31')", []string{"'2026-05-31'>'2026-06-01'"}},
		{mutation.Target, "INSERT INTO hive (hive_id, strength) VALUES (1, 2)", []string{
			"hive_id, strength>strength, hive_id",
		}},
		{mutation.Statement, "DELETE FROM hive; DELETE FROM apiary", []string{"; DELETE FROM apiary>"}},
		{mutation.Commit, "BEGIN; DELETE FROM hive; COMMIT", []string{"COMMIT>ROLLBACK"}},
		{mutation.Conflict, "INSERT INTO hive (hive_id) VALUES (1) ON CONFLICT DO NOTHING", []string{
			"ON CONFLICT DO NOTHING>",
		}},
		{mutation.Constraint, "CREATE TABLE t (a int PRIMARY KEY, b int NOT NULL, CHECK (b > 0))", []string{
			"PRIMARY KEY>", "NOT NULL>", ", CHECK (b > 0)>",
		}},
		{mutation.Comparison, "CREATE TABLE t (b int CHECK (b > 0))", []string{">>>="}},
		{mutation.Statement, "ALTER TABLE hive ADD a int, ALTER strength SET NOT NULL", []string{
			"ADD a int,>", ", ALTER strength SET NOT NULL>",
		}},
		{mutation.Conflict, "MERGE INTO hive h USING apiary a ON h.apiary_id = a.apiary_id " +
			"WHEN MATCHED AND strength > 3 THEN UPDATE SET strength = 5 WHEN NOT MATCHED THEN DO NOTHING", []string{
			"WHEN MATCHED AND strength > 3 THEN UPDATE SET strength = 5>", "WHEN NOT MATCHED THEN DO NOTHING>",
		}},
		{mutation.Value, "MERGE INTO hive h USING apiary a ON h.apiary_id = a.apiary_id " +
			"WHEN MATCHED THEN UPDATE SET strength = 5", []string{"5>6"}},
		{mutation.Condition, "MERGE INTO hive h USING apiary a ON h.apiary_id = a.apiary_id " +
			"WHEN MATCHED AND strength > 3 THEN DELETE", []string{"AND strength > 3>"}},
		{mutation.Action, "CREATE TABLE t (a int REFERENCES hive ON DELETE CASCADE)", []string{"ON DELETE CASCADE>"}},
		{mutation.JoinKind, "CREATE VIEW v AS SELECT name FROM hive JOIN apiary USING (apiary_id)", []string{">LEFT "}},
	} {
		var got []string
		for _, m := range mutation.MakeChanges(c.sql, tables) {
			if _, err := sqltext.ReadStatements(m.SQL); err != nil {
				t.Errorf("%s: %q cannot be read: %v", c.sql, m.SQL, err)
			}
			if m.Operator == c.operator {
				got = append(got, fmt.Sprintf("%s>%s", m.Edit.Was, m.Edit.Is))
			}
		}
		for _, want := range c.want {
			if !slices.Contains(got, want) {
				t.Errorf("%s: %s gives %q, want %q", c.sql, c.operator, got, want)
			}
		}
	}
}
