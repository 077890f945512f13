package explain_test

import (
	"strings"
	"testing"

	"examen/internal/core/explain"
)

// What PostgreSQL says of a setup script's statement, and how the likely cause begins; "" where none is known.
func TestCauses(t *testing.T) {
	for _, c := range []struct {
		code, message, detail string
		row                   int
		madeLater             string
		want                  string
	}{
		{
			code:      "42P01",
			message:   `relation "hive" does not exist`,
			madeLater: "rows.sql:7",
			want:      "hive is made later, at rows.sql:7: move that before this statement",
		},
		{code: "42P01", message: `relation "hive" does not exist`, want: "No script creates hive: is a file missing"},
		{
			code:    "42704",
			message: `type "datetime" does not exist`,
			want:    "datetime is a type of another database's dialect: write timestamp.",
		},
		{
			code:    "42704",
			message: `type "NUMBER" does not exist`,
			want:    "NUMBER is a type of another database's dialect: write numeric.",
		},
		{
			code:    "42704",
			message: `type "longtext" does not exist`,
			want:    "longtext is a type of another database's dialect: write text.",
		},
		{
			code:    "42704",
			message: `type "uniqueidentifier" does not exist`,
			want:    "uniqueidentifier is a type of another database's dialect: write uuid.",
		},
		{
			code:      "42704",
			message:   `type "mood" does not exist`,
			madeLater: "types.sql:1",
			want:      "mood is made later, at types.sql:1",
		},
		{code: "42704", message: `type "mood" does not exist`, want: ""},
		{code: "42601", message: "syntax error at or near \"`\"", want: "Names are quoted with double quotes here"},
		{code: "42601", message: `syntax error at or near "["`, want: "Names are quoted with double quotes here"},
		{
			code:    "42601",
			message: `syntax error at or near "AUTO_INCREMENT"`,
			want:    "AUTO_INCREMENT is another dialect's: write GENERATED",
		},
		{
			code:    "42601",
			message: `syntax error at or near "ENGINE"`,
			want:    "ENGINE=... is another dialect's: leave it out.",
		},
		{code: "42601", message: `syntax error at or near "#"`, want: "Comments begin with -- here"},
		{code: "42601", message: `syntax error at or near "unsigned"`, want: "UNSIGNED is another dialect's"},
		{code: "42601", message: `syntax error at or near "GO"`, want: "GO is another program's"},
		{code: "42601", message: `syntax error at or near "hive"`, want: ""},
		{code: "42P07", message: `relation "hive" already exists`, want: "It is made twice"},
		{code: "42501", message: "permission denied for language c", want: "Setup scripts run as an owner"},
		{code: "22021", message: "invalid byte sequence", want: "The file is not UTF-8. If it is Latin-1, declare it"},
		{code: "3F000", message: "no schema", want: "Make the schema first"},
		{code: "23505", message: "duplicate key", row: 4, want: "Row 4 has the key of a row that is there already"},
		{code: "23505", message: "duplicate key", want: "The row has the key of a row that is there already"},
		{
			code:    "23503",
			message: "violates",
			detail:  `Key (hive_id)=(7) is not present in table "hive".`,
			row:     2,
			want:    "Row 2 refers to a row that hive does not hold: put the rows of hive first",
		},
		{code: "23502", message: "null value", row: 1, want: "Row 1 leaves out a value that has to be there"},
		{code: "23514", message: "check", row: 9, want: "Row 9 does not hold to the table's CHECK"},
		{code: "22001", message: "value too long", row: 3, want: "Row 3 holds a text that is too long"},
		{code: "22003", message: "integer out of range", want: "The row holds a number that is too large"},
		{
			code:    "22P02",
			message: "invalid input syntax",
			row:     3,
			want:    "Row 3 holds a value that its column's type does not take",
		},
		{code: "22P02", message: "invalid input syntax", want: ""},
		{code: "XX000", message: "anything", want: ""},
	} {
		got := explain.SetupCause(
			explain.SetupError{Code: c.code, Message: c.message, Detail: c.detail, Row: c.row, MadeLater: c.madeLater},
		)
		if !strings.HasPrefix(got, c.want) || c.want == "" && got != "" {
			t.Errorf("%s %s:\n got %q\nwant %q", c.code, c.message, got, c.want)
		}
	}
}
