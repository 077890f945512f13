package explain_test

import (
	"strings"
	"testing"

	"examen/internal/core/compare"
	"examen/internal/core/explain"
	"examen/internal/core/result"
	"examen/internal/core/sqltext"
)

var schema = sqltext.Schema{
	"hive": {"hive_id", "apiary_id", "name", "kind", "strength"}, "apiary": {"apiary_id", "name", "valley", "founded"},
	"harvest": {"harvest_id", "hive_id", "weight_kg", "day"},
}

// What PostgreSQL says of a query, at the place where a bar stands in it, and what is said of that in plain words.
func TestDatabaseErrorsInPlainWords(t *testing.T) {
	for _, c := range []struct {
		code, message, sql string
		want               string // a part of the sentence
		mended             string
	}{
		{
			code:    "42P01",
			message: `relation "hives" does not exist`,
			sql:     "SELECT * FROM |hives",
			want:    "The dataset has no table hives: did you mean hive?",
		},
		{
			code:    "42P01",
			message: `relation "Hive" does not exist`,
			sql:     `SELECT * FROM |"Hive"`,
			want:    "The table is called hive: within double quotes capital letters count.",
		},
		{
			code:    "42P01",
			message: `relation "valley" does not exist`,
			sql:     "SELECT * FROM |valley",
			want:    "valley is a column of apiary, not a table.",
		},
		{
			code:    "42P01",
			message: `relation "swarm" does not exist`,
			sql:     "SELECT * FROM |swarm",
			want:    "it has apiary, harvest and hive.",
		},
		{
			code:    "42P01",
			message: `missing FROM-clause entry for table "apiary"`,
			sql:     "SELECT |apiary.name FROM hive",
			want:    "apiary is used, but it does not stand in FROM",
		},
		{
			code:    "42P01",
			message: `missing FROM-clause entry for table "x"`,
			sql:     "SELECT |x.name FROM hive",
			want:    "No table or alias in FROM is called x",
		},
		{
			code:    "42P01",
			message: `invalid reference to FROM-clause entry for table "hive"`,
			sql:     "SELECT |hive.name FROM hive AS h",
			want:    "where a table has an alias",
		},
		{
			code:    "42703",
			message: `column "strenght" does not exist`,
			sql:     "SELECT |strenght FROM hive",
			want:    "did you mean strength?",
		},
		{
			code:    "42703",
			message: `column "valley" does not exist`,
			sql:     "SELECT |valley FROM hive",
			want:    "valley is a column of apiary, which this part of the query does not read",
		},
		{
			code:    "42703",
			message: `column hive.valley does not exist`,
			sql:     "SELECT |hive.valley FROM hive, apiary",
			want:    "hive has no column valley; apiary does.",
		},
		{
			code:    "42703",
			message: `column "stacked" does not exist`,
			sql:     "SELECT * FROM hive WHERE kind = |stacked",
			want:    "it needs single quotes: 'stacked'.",
		},
		{
			code:    "42703",
			message: `column "stacked" does not exist`,
			sql:     `SELECT * FROM hive WHERE kind = |"stacked"`,
			want:    "if stacked is a text value, write 'stacked'.",
		},
		{
			code:    "42883",
			message: "operator does not exist: json = unknown",
			sql:     "SELECT name FROM hive WHERE details |= 'red'",
			want:    "->> takes the value of a key out as a text",
		},
		{
			code:    "22P02",
			message: "invalid input syntax for type json",
			sql:     "SELECT name FROM hive WHERE details = |'red'",
			want:    "A JSON value is no text",
		},
		{
			code:    "22P02",
			message: `malformed array literal: "red"`,
			sql:     "SELECT name FROM hive WHERE colours = |'red'",
			want:    "value = ANY (array)",
		},
		{
			code:    "42883",
			message: "operator does not exist: text[] = text",
			sql:     "SELECT name FROM hive WHERE colours |= name",
			want:    "value = ANY (array)",
		},
		{
			code:    "42883",
			message: "operator does not exist: text + interval",
			sql:     "SELECT day::text |+ '7 days'::interval FROM harvest",
			want:    "cast that, as in value::date + INTERVAL '7 days'",
		},
		{
			code:    "42725",
			message: "operator is not unique: unknown + unknown",
			sql:     "SELECT * FROM harvest WHERE day > '2026-08-01' |+ '7 days'",
			want:    "could be of any type: say which, as in DATE",
			mended:  "SELECT * FROM harvest WHERE day > DATE '2026-08-01' + INTERVAL '7 days'",
		},
		{
			code:    "42725",
			message: "operator is not unique: unknown - unknown",
			sql:     "SELECT '2026-08-01' |- '2026-07-01'",
			want:    "write numbers without quotes, and dates as DATE",
		},
		{
			code:    "42725",
			message: "operator is not unique: unknown + unknown",
			sql:     "SELECT 'a' |+ 'b'",
			want:    "Join strings with ||",
			mended:  "SELECT 'a' || 'b'",
		},
		{
			code:    "42703",
			message: `column "place" does not exist`,
			sql:     "SELECT name, rank() OVER (ORDER BY strength DESC) AS place FROM hive WHERE |place <= 3",
			want:    "place is a name that SELECT gives to a window function's value",
		},
		{
			code:    "42703",
			message: `column "power" does not exist`,
			sql:     "SELECT strength AS power FROM hive WHERE |power > 3",
			want:    "power is a name that SELECT gives",
		},
		{
			code:    "42703",
			message: `column "zzz" does not exist`,
			sql:     "SELECT |zzz FROM hive",
			want:    "hive has no column zzz; its columns are hive_id, apiary_id",
		},
		{
			code:    "42702",
			message: `column reference "name" is ambiguous`,
			sql:     "SELECT |name FROM hive JOIN apiary USING (apiary_id)",
			want:    "name is a column of apiary and hive: write which one is meant, as apiary.name or hive.name",
		},
		{
			code:    "42803",
			message: "aggregate functions are not allowed in WHERE",
			sql:     "SELECT kind FROM hive WHERE |count(*) > 1",
			want:    "stands in HAVING",
		},
		{
			code:    "42803",
			message: "aggregate function calls cannot be nested",
			sql:     "SELECT max(|count(*)) FROM hive",
			want:    "needs two steps",
		},
		{
			code:    "42803",
			message: "aggregate functions are not allowed in GROUP BY",
			sql:     "SELECT 1 FROM hive GROUP BY |count(*)",
			want:    "Leave the aggregate out of GROUP BY",
		},
		{
			code:    "42803",
			message: `column "hive.name" must appear in the GROUP BY clause or be used in an aggregate function`,
			sql:     "SELECT |name, count(*) FROM hive",
			want:    "add hive.name to GROUP BY, or aggregate it",
		},
		{
			code:    "42P20",
			message: "window functions are not allowed in WHERE",
			sql:     "SELECT 1 FROM hive WHERE |rank() OVER () = 1",
			want:    "compute it in a subquery",
		},
		{
			code:    "42883",
			message: "operator does not exist: text > integer",
			sql:     "SELECT * FROM hive WHERE name |> 3",
			want:    "On the left of > stands a value of type text, on the right one of type integer",
		},
		{
			code:    "42883",
			message: "operator does not exist: integer == integer",
			sql:     "SELECT * FROM hive WHERE strength |== 3",
			want:    "one equals sign",
		},
		{
			code:    "42883",
			message: "operator does not exist: text + unknown",
			sql:     "SELECT name |+ 'x' FROM hive",
			want:    "Join strings with ||",
		},
		{
			code:    "42883",
			message: "function lenght(text) does not exist",
			sql:     "SELECT |lenght(name) FROM hive",
			want:    "did you mean length?",
		},
		{
			code:    "42883",
			message: "function round(double precision, integer) does not exist",
			sql:     "SELECT |round(1.5::float8, 1)",
			want:    "round(value::numeric, 2)",
		},
		{
			code:    "42883",
			message: "function avg(text) does not exist",
			sql:     "SELECT |avg(name) FROM hive",
			want:    "avg does not take these arguments (text): it is called as avg(number)",
		},
		{
			code:    "42883",
			message: "function ifnull(integer, integer) does not exist",
			sql:     "SELECT |ifnull(strength, 0) FROM hive",
			want:    "write COALESCE(value, other)",
		},
		{
			code:    "42883",
			message: "function upper() does not exist",
			sql:     "SELECT |upper() FROM hive",
			want:    "these arguments (none)",
		},
		{
			code:    "42804",
			message: "argument of WHERE must be type boolean, not type integer",
			sql:     "SELECT * FROM hive WHERE |strength",
			want:    "A condition has to be true or false",
		},
		{
			code:    "42804",
			message: "UNION types integer and text cannot be matched",
			sql:     "SELECT 1 UNION SELECT |name FROM hive",
			want:    "is their order the same on both sides?",
		},
		{
			code:    "22P02",
			message: `invalid input syntax for type integer: "many"`,
			sql:     "SELECT * FROM hive WHERE strength = |'many'",
			want:    "'many' stands where a number is wanted",
		},
		{
			code:    "22007",
			message: `invalid input syntax for type date: "1st of May"`,
			sql:     "SELECT * FROM apiary WHERE founded > |'1st of May'",
			want:    "dates are written year-month-day",
		},
		{
			code:    "22008",
			message: `date/time field value out of range: "2026-02-31"`,
			sql:     "SELECT * FROM apiary WHERE founded > |'2026-02-31'",
			want:    "There is no such date",
		},
		{code: "22012", message: "division by zero", sql: "SELECT 1 / 0", want: "NULLIF(divisor, 0)"},
		{
			code:    "21000",
			message: "more than one row returned by a subquery used as an expression",
			sql:     "SELECT (SELECT name FROM hive)",
			want:    "gives several rows: use IN",
		},
		{
			code:    "42P10",
			message: "for SELECT DISTINCT, ORDER BY expressions must appear in select list",
			sql:     "SELECT DISTINCT name FROM hive ORDER BY |kind",
			want:    "only by what SELECT shows",
		},
		{
			code:    "42P10",
			message: "ORDER BY position 4 is not in select list",
			sql:     "SELECT name FROM hive ORDER BY |4",
			want:    "there are not so many",
		},
		{
			code:    "42712",
			message: `table name "hive" specified more than once`,
			sql:     "SELECT 1 FROM hive, |hive",
			want:    "an alias of its own",
		},
		{
			code:    "22003",
			message: "integer out of range",
			sql:     "SELECT 2000000000 * 2",
			want:    "cast one of those it is made of",
		},
		{
			code:    "42601",
			message: "subquery must return only one column",
			sql:     "SELECT (|SELECT 1, 2)",
			want:    "has one column",
		},
		{
			code:    "42601",
			message: "non-integer constant in ORDER BY",
			sql:     "SELECT name FROM hive ORDER BY |'strength' DESC",
			want:    "ORDER BY names a column, without quotes",
			mended:  "SELECT name FROM hive ORDER BY strength DESC",
		},
		{
			code:    "42601",
			message: "subquery in FROM must have an alias",
			sql:     "SELECT * FROM |(SELECT 1)",
			want:    "needs a name behind its parenthesis",
		},
		{
			code:    "42601",
			message: "each UNION query must have the same number of columns",
			sql:     "SELECT 1 UNION SELECT |1, 2",
			want:    "the same number of columns",
		},
		{
			code:    "42601",
			message: `syntax error at or near "SELEC"`,
			sql:     "|SELEC name FROM hive",
			want:    "SELEC looks like a misspelt SELECT.",
			mended:  "SELECT name FROM hive",
		},
		{
			code:    "42601",
			message: `syntax error at or near "hive"`,
			sql:     "SELECT name FORM |hive",
			want:    "FORM looks like a misspelt FROM.",
			mended:  "SELECT name FROM hive",
		},
		{
			code:    "42601",
			message: `syntax error at or near "kind"`,
			sql:     "SELECT kind FROM hive GORUP BY |kind",
			want:    "GORUP looks like a misspelt GROUP",
			mended:  "SELECT kind FROM hive GROUP BY kind",
		},
		{
			code:    "42601",
			message: `syntax error at or near "strength"`,
			sql:     "SELECT name kind |strength FROM hive",
			want:    "Is a comma missing before",
		},
		{
			code:    "42601",
			message: `syntax error at or near "FROM"`,
			sql:     "SELECT name, |FROM hive",
			want:    "Extra comma before FROM",
			mended:  "SELECT name FROM hive",
		},
		{
			code:    "42601",
			message: `syntax error at or near "SELECT"`,
			sql:     "SELECT 1 FROM hive |SELECT 2",
			want:    "A second statement begins here",
		},
		{
			code:    "42601",
			message: `syntax error at or near "order"`,
			sql:     "SELECT |order FROM hive",
			want:    "order is a word of SQL's own",
			mended:  `SELECT "order" FROM hive`,
		},
		{
			code:    "42601",
			message: "syntax error at end of input",
			sql:     "SELECT count(* FROM hive|",
			want:    "never closed",
		},
		{code: "42601", message: `syntax error at or near ")"`, sql: "SELECT (1)|) FROM hive", want: "none is open"},
		{
			code:    "42601",
			message: "syntax error at end of input",
			sql:     "SELECT name FROM hive WHERE|",
			want:    "The query is incomplete",
		},
		{
			code:    "42601",
			message: `unterminated quoted string at or near "'log"`,
			sql:     "SELECT name FROM hive WHERE kind = |'log",
			want:    "no quote at its end",
		},
		{
			code:    "42601",
			message: `syntax error at or near "WHERE"`,
			sql:     "SELECT name FROM hive ORDER BY name |WHERE kind = 'x'",
			want:    "The order is SELECT, FROM",
		},
		{
			code:    "42601",
			message: `syntax error at or near "FROM"`,
			sql:     "SELECT CASE WHEN strength > 3 THEN 1 |FROM hive",
			want:    "has no END",
		},
		{
			code:    "42703",
			message: `column "‘log’" does not exist`,
			sql:     "SELECT name FROM hive WHERE kind = |‘log’",
			want:    "straight single quotes",
			mended:  "SELECT name FROM hive WHERE kind = 'log'",
		},
		{
			code:    "42703",
			message: `column "“name”" does not exist`,
			sql:     "SELECT |“name” FROM hive WHERE kind = “it's”",
			want:    "straight single quotes",
			mended:  `SELECT "name" FROM hive WHERE kind = 'it''s'`,
		},
		{
			code:    "42601",
			message: `syntax error at or near " "`,
			sql:     "SELECT strength\u00a0– 1 FROM hive WHERE name = 'a – ‘b’'|",
			want:    "word processors",
			mended:  "SELECT strength - 1 FROM hive WHERE name = 'a – ‘b’'",
		},
		{
			code:    "42601",
			message: `syntax error at or near "name"`,
			sql:     "SELECT name FROM hive ORDER |name",
			want:    "Is BY missing before name?",
			mended:  "SELECT name FROM hive ORDER BY name",
		},
		{
			code:    "42601",
			message: `syntax error at or near "kind"`,
			sql:     "SELECT count(*) FROM hive GROUP |kind",
			want:    "Is BY missing before kind?",
			mended:  "SELECT count(*) FROM hive GROUP BY kind",
		},
		{
			code:    "42601",
			message: `syntax error at or near "kind"`,
			sql:     "SELECT rank() OVER (PARTITION |kind) FROM hive",
			want:    "Is BY missing before kind?",
			mended:  "SELECT rank() OVER (PARTITION BY kind) FROM hive",
		},
		{
			code:    "42601",
			message: "syntax error at end of input",
			sql:     "SELECT name FROM hive JOIN apiary|",
			want:    "This JOIN has no condition",
		},
		{
			code:    "42601",
			message: `syntax error at or near "WHERE"`,
			sql:     "SELECT * FROM hive JOIN apiary |WHERE strength > 3",
			want:    "This JOIN has no condition",
		},
		{
			code:    "42601",
			message: `syntax error at or near "'skep'"`,
			sql:     "SELECT * FROM hive WHERE kind IN |'skep'",
			want:    "After IN the values stand in parentheses",
			mended:  "SELECT * FROM hive WHERE kind IN ('skep')",
		},
		{
			code:    "42601",
			message: `syntax error at or near "'skep'"`,
			sql:     "SELECT * FROM hive WHERE kind IN |'skep', 'long' ORDER BY name",
			want:    "After IN the values stand in parentheses",
			mended:  "SELECT * FROM hive WHERE kind IN ('skep', 'long') ORDER BY name",
		},
		{
			code:    "42601",
			message: `syntax error at or near ","`,
			sql:     "SELECT * FROM hive WHERE strength BETWEEN 1|, 5",
			want:    "BETWEEN has AND",
			mended:  "SELECT * FROM hive WHERE strength BETWEEN 1 AND 5",
		},
		{
			code:    "42601",
			message: `syntax error at or near "'skep'"`,
			sql:     "SELECT * FROM hive WHERE kind IS |'skep'",
			want:    "IS asks for NULL, TRUE or FALSE; other values are compared with =.",
			mended:  "SELECT * FROM hive WHERE kind = 'skep'",
		},
		{
			code:    "42601",
			message: `syntax error at or near "'skep'"`,
			sql:     "SELECT * FROM hive WHERE kind is not |'skep'",
			want:    "IS NOT asks for NULL",
			mended:  "SELECT * FROM hive WHERE kind <> 'skep'",
		},
		{
			code:    "42601",
			message: "syntax error at end of input",
			sql:     "SELECT * FROM hive WHERE name LIKE Am%|",
			want:    "it needs single quotes, 'Am%'.",
			mended:  "SELECT * FROM hive WHERE name LIKE 'Am%'",
		},
		{
			code:    "42601",
			message: `syntax error at or near ">"`,
			sql:     "SELECT * FROM hive WHERE kind <> 'skep' && strength |> 3",
			want:    "What is written && elsewhere is AND in SQL.",
			mended:  "SELECT * FROM hive WHERE kind <> 'skep' AND strength > 3",
		},
		{
			code:    "42601",
			message: `syntax error at or near "=>"`,
			sql:     "SELECT * FROM hive WHERE strength |=> 3",
			want:    "What is written => elsewhere is >= in SQL.",
			mended:  "SELECT * FROM hive WHERE strength >= 3",
		},
		{
			code:    "42601",
			message: `syntax error at or near "'full name'"`,
			sql:     "SELECT name AS |'full name' FROM hive",
			want:    `stands in double quotes: "full name"`,
			mended:  `SELECT name AS "full name" FROM hive`,
		},
		{
			code:    "42601",
			message: `syntax error at or near "name"`,
			sql:     "SELECT name AS full |title FROM hive",
			want:    `stands in double quotes: "full title"`,
			mended:  `SELECT name AS "full title" FROM hive`,
		},
		{
			code:    "42601",
			message: `syntax error at or near "5"`,
			sql:     "SELECT TOP |5 name FROM hive ORDER BY name;",
			want:    "at the end of the query: LIMIT 5.",
			mended:  "SELECT name FROM hive ORDER BY name LIMIT 5",
		},
		{
			code:    "42601",
			message: "LIMIT #,# syntax is not supported",
			sql:     "SELECT name FROM hive |LIMIT 5, 10",
			want:    "LIMIT takes one number",
			mended:  "SELECT name FROM hive LIMIT 10 OFFSET 5",
		},
		{
			code:    "42601",
			message: `syntax error at or near "kind"`,
			sql:     "SELECT name; |kind FROM hive",
			want:    "A semicolon ends the whole query",
			mended:  "SELECT name, kind FROM hive",
		},
		{
			code:    "42601",
			message: `syntax error at or near "WHERE"`,
			sql:     "SELECT name FROM hive WHERE kind = 'skep' AND |WHERE strength > 3",
			want:    "There is an extra WHERE here.",
			mended:  "SELECT name FROM hive WHERE kind = 'skep' AND strength > 3",
		},
		{
			code:    "42601",
			message: `syntax error at or near "ORDER"`,
			sql:     "SELECT name FROM hive WHERE kind = 'skep' AND |ORDER BY name",
			want:    "There is an extra AND here.",
		},
		{
			code:    "42601",
			message: `syntax error at or near ","`,
			sql:     "SELECT name,| , kind FROM hive",
			want:    "extra comma",
			mended:  "SELECT name, kind FROM hive",
		},
		{
			code:    "42601",
			message: `syntax error at or near "<"`,
			sql:     "SELECT name FROM hive WHERE 1 < strength |< 5",
			want:    "two comparisons are joined with AND",
			mended:  "SELECT name FROM hive WHERE 1 < strength AND strength < 5",
		},
		{
			code:    "42601",
			message: `syntax error at or near "<="`,
			sql:     "SELECT name FROM hive AS h WHERE 1 <= h.strength |<= 5",
			want:    "two comparisons are joined with AND",
			mended:  "SELECT name FROM hive AS h WHERE 1 <= h.strength AND h.strength <= 5",
		},
		{
			code:    "42601",
			message: "subquery has too many columns",
			sql:     "SELECT 1 FROM hive WHERE apiary_id IN |(SELECT * FROM apiary)",
			want:    "behind IN, has one column",
		},
		{
			code:    "42809",
			message: "count(*) must be used to call a parameterless aggregate function",
			sql:     "SELECT |count() FROM hive",
			want:    "count(*) counts rows",
		},
		{
			code:    "2201F",
			message: "cannot take square root of a negative number",
			sql:     "SELECT sqrt(-1)",
			want:    "not defined",
		},
		{
			code:    "42883",
			message: "operator does not exist: date > integer",
			sql:     "SELECT * FROM apiary WHERE founded |> 2010",
			want:    "a year alone is taken out of it with EXTRACT",
		},
		{
			code:    "42883",
			message: "operator does not exist: text = integer",
			sql:     "SELECT * FROM hive WHERE name |= 3",
			want:    "put it in single quotes",
		},
		{
			code:    "42883",
			message: "operator does not exist: boolean < integer",
			sql:     "SELECT * FROM hive WHERE 1 < strength |< 5",
			want:    "two comparisons are joined with AND",
		},
		{
			code:    "42883",
			message: "operator does not exist: integer =< integer",
			sql:     "SELECT * FROM hive WHERE strength |=< 5",
			want:    "At most is written <=.",
		},
		{
			code:    "22P02",
			message: `invalid input syntax for type boolean: "skep"`,
			sql:     "SELECT * FROM hive WHERE kind = 'long' OR |'skep'",
			want:    "a whole condition, as in kind = 'a' OR kind = 'b'",
		},
		{
			code:    "42601",
			message: `syntax error at or near "Malley"`,
			sql:     "SELECT name FROM hive WHERE name = 'O'|Malley'",
			want:    "A quote within a text is written twice",
			mended:  "SELECT name FROM hive WHERE name = 'O''Malley'",
		},
		{
			code:    "42601",
			message: `syntax error at or near "Malley"`,
			sql:     "SELECT name FROM hive WHERE name = 'O'|Malley's Kitchen'",
			want:    "A quote within a text is written twice",
			mended:  "SELECT name FROM hive WHERE name = 'O''Malley''s Kitchen'",
		},
		{
			code:    "42601",
			message: `unterminated quoted string at or near "'"`,
			sql:     "SELECT name FROM hive WHERE kind = stacked|'",
			want:    "none at its beginning",
			mended:  "SELECT name FROM hive WHERE kind = 'stacked'",
		},
		{
			code:    "42703",
			message: `column "s" does not exist`,
			sql:     "SELECT strength s, |s * 2 FROM hive",
			want:    "s is a name that SELECT gives",
		},
		{
			code:    "42703",
			message: `column "power" does not exist`,
			sql:     "SELECT name, strength power FROM hive WHERE |power > 3",
			want:    "power is a name that SELECT gives",
		},
		{
			code:    "42703",
			message: `column "name" does not exist`,
			sql:     "SELECT |name valley WHERE name = 'x'",
			want:    "The query has no FROM",
		},
		{
			code:    "42703",
			message: `column "five" does not exist`,
			sql:     "SELECT name FROM hive LIMIT |five",
			want:    "stands a number",
		},
		{
			code:    "42883",
			message: "operator does not exist: integer ~~ unknown",
			sql:     "SELECT name FROM hive WHERE strength |LIKE '1%'",
			want:    "LIKE compares texts, and the value on its left is of type integer",
		},
		{
			code:    "42883",
			message: "operator does not exist: integer !~~* unknown",
			sql:     "SELECT name FROM hive WHERE strength |NOT ILIKE '1%'",
			want:    "LIKE compares texts",
		},
		{
			code:    "42883",
			message: "operator does not exist: date - text",
			sql:     "SELECT founded |- name FROM apiary",
			want:    "On the left of - stands a value of type date",
		},
		{
			code:    "42601",
			message: `syntax error at or near "years"`,
			sql:     "SELECT name FROM apiary WHERE founded + 5 |years > now()",
			want:    "A span of time is written INTERVAL '5 years'.",
			mended:  "SELECT name FROM apiary WHERE founded + INTERVAL '5 years' > now()",
		},
		{
			code:    "42601",
			message: `syntax error at or near "days"`,
			sql:     "SELECT founded + INTERVAL 3 |days FROM apiary",
			want:    "A span of time",
			mended:  "SELECT founded + INTERVAL '3 days' FROM apiary",
		},
		{
			code:    "42601",
			message: `syntax error at or near "Meadow"`,
			sql:     "SELECT name FROM apiary WHERE name = Bell |Meadow",
			want:    "Text values go in single quotes: 'Bell Meadow'.",
			mended:  "SELECT name FROM apiary WHERE name = 'Bell Meadow'",
		},
		{
			code:    "42601",
			message: `syntax error at or near "FROM"`,
			sql:     "SELECT COUNT * |FROM hive",
			want:    "count(*)",
			mended:  "SELECT COUNT(*) FROM hive",
		},
		{
			code:    "42601",
			message: `syntax error at or near "strength"`,
			sql:     "SELECT name FROM hive WHERE kind = 'skep' |strength > 3",
			want:    "Is AND (or OR) missing before strength?",
			mended:  "SELECT name FROM hive WHERE kind = 'skep' AND strength > 3",
		},
		{
			code:    "42601",
			message: `syntax error at or near "200"`,
			sql:     "SELECT name FROM hive WHERE strength BETWEEN 100 |200",
			want:    "BETWEEN has AND between its two bounds",
			mended:  "SELECT name FROM hive WHERE strength BETWEEN 100 AND 200",
		},
		{
			code:    "42601",
			message: `syntax error at or near "NOT"`,
			sql:     "SELECT name FROM hive WHERE kind |NOT NULL",
			want:    "Is IS missing before NOT?",
			mended:  "SELECT name FROM hive WHERE kind IS NOT NULL",
		},
		{
			code:    "42601",
			message: `syntax error at or near "NULL"`,
			sql:     "SELECT name FROM hive WHERE kind |NULL",
			want:    "Is IS missing before NULL?",
			mended:  "SELECT name FROM hive WHERE kind IS NULL",
		},
		{
			code:    "42601",
			message: `syntax error at or near "integer"`,
			sql:     "SELECT CAST(name |integer) FROM apiary",
			want:    "Is AS missing before integer?",
			mended:  "SELECT CAST(name AS integer) FROM apiary",
		},
		{
			code:    "42601",
			message: `syntax error at or near "SELECT"`,
			sql:     "WITH a (|SELECT * FROM apiary) SELECT name FROM a",
			want:    "Is AS missing before (?",
			mended:  "WITH a AS (SELECT * FROM apiary) SELECT name FROM a",
		},
		{
			code:    "42601",
			message: `syntax error at or near "SELECT"`,
			sql:     "WITH a AS |SELECT * FROM apiary SELECT name FROM a",
			want:    "stands in parentheses: WITH a AS (SELECT ...)",
		},
		{
			code:    "42601",
			message: `syntax error at or near "apiary"`,
			sql:     "SELECT * |apiary",
			want:    "Is FROM missing before apiary?",
			mended:  "SELECT * FROM apiary",
		},
		{
			code:    "42601",
			message: `syntax error at or near "kind"`,
			sql:     "SELECT sum(strength) OVER PARTITION BY |kind FROM hive",
			want:    "What follows OVER stands in parentheses",
		},
		{
			code:    "42601",
			message: `syntax error at or near "ON"`,
			sql:     "SELECT 1 FROM apiary LEFT JOIN |ON hive",
			want:    "the table comes first",
		},
		{
			code:    "42601",
			message: `syntax error at or near ","`,
			sql:     "SELECT name AS|, kind FROM hive",
			want:    "After AS a name is missing.",
		},
		{
			code:    "42601",
			message: `syntax error at or near "hive"`,
			sql:     "SELECT 1 FROM apiary WHERE EXISTS (|hive)",
			want:    "EXISTS asks whether a subquery has a row",
		},
		{
			code:    "42601",
			message: `syntax error at or near "ASCENDING"`,
			sql:     "SELECT name FROM hive ORDER BY name |ASCENDING",
			want:    "What is written ASCENDING elsewhere is ASC",
			mended:  "SELECT name FROM hive ORDER BY name ASC",
		},
		{
			code:    "42601",
			message: `syntax error at or near ","`,
			sql:     "SELECT name FROM hive WHERE strength > 1|,000",
			want:    "without commas",
			mended:  "SELECT name FROM hive WHERE strength > 1000",
		},
		{
			code:    "42601",
			message: `syntax error at or near ","`,
			sql:     "SELECT name FROM hive WHERE strength > 1|,5",
			want:    "without commas",
			mended:  "SELECT name FROM hive WHERE strength > 1.5",
		},
		{
			code:    "42809",
			message: "window function row_number requires an OVER clause",
			sql:     "SELECT |row_number() FROM hive",
			want:    "row_number is a window function",
		},
		{
			code:    "42809",
			message: "WITHIN GROUP is required for ordered-set aggregate rank",
			sql:     "SELECT |rank(name) OVER (ORDER BY name) FROM hive",
			want:    "rank takes no value",
		},
		{
			code:    "42809",
			message: "OVER specified, but lower is not a window function nor an aggregate function",
			sql:     "SELECT |lower(name) OVER () FROM hive",
			want:    "lower is computed for each row",
		},
		{
			code:    "42809",
			message: "DISTINCT specified, but lower is not an aggregate function",
			sql:     "SELECT |lower(DISTINCT name) FROM hive",
			want:    "lower is no aggregate",
		},
		{
			code:    "42704",
			message: `type "integr" does not exist`,
			sql:     "SELECT CAST(name AS |integr) FROM hive",
			want:    "did you mean integer?",
		},
		{
			code:    "42704",
			message: `type "zzzzzzz" does not exist`,
			sql:     "SELECT name::|zzzzzzz FROM hive",
			want:    "those most used are",
		},
		{
			code:    "22023",
			message: `unit "yeer" not recognized for type date`,
			sql:     "SELECT extract(yeer FROM founded) FROM apiary",
			want:    "yeer is no part of a date or time",
		},
		{
			code:    "42P01",
			message: `relation "public.hiv" does not exist`,
			sql:     "SELECT 1 FROM |public.hiv",
			want:    "did you mean hive?",
		},
		{
			code:    "42601",
			message: `syntax error at or near "kind"`,
			sql:     "SELECT name AS n |kind FROM hive",
			want:    "Is a comma missing before kind?",
			mended:  "SELECT name AS n, kind FROM hive",
		},
		{
			code:    "42601",
			message: `syntax error at or near "2"`,
			sql:     "SELECT name FROM hive WHERE strength IN (1 |2)",
			want:    "Is a comma missing before 2?",
			mended:  "SELECT name FROM hive WHERE strength IN (1, 2)",
		},
		{
			code:    "42601",
			message: `syntax error at or near "kind"`,
			sql:     "SELECT name FROM hive WHERE (strength > 3 |kind = 'skep')",
			want:    "Is AND (or OR) missing before kind?",
		},
		{
			code:    "42601",
			message: `syntax error at or near "strength"`,
			sql:     "SELECT name FROM hive WHERE name = kind |strength > 3",
			want:    "Is AND (or OR) missing before strength?",
		},
		{
			code:    "42P01",
			message: `relation "other.hive" does not exist`,
			sql:     "SELECT 1 FROM |other.hive",
			want:    "The table hive is not in the schema other: write hive alone.",
		},
		{code: "XX000", message: "anything", sql: "SELECT 1", want: ""},
	} {
		offset := strings.IndexByte(c.sql, '|')
		if strings.Contains(c.want, "||") {
			offset = strings.Index(c.sql, "|+")
		}
		sql := c.sql
		if offset >= 0 {
			sql = c.sql[:offset] + c.sql[offset+1:]
		}
		got := explain.Query(explain.QueryError{Code: c.code, Message: c.message, SQL: sql, Offset: offset}, schema)
		if !strings.Contains(got.Sentence, c.want) || c.want == "" && got.Sentence != "" {
			t.Errorf("%s\n %s\n got %q\nwant %q", c.message, sql, got.Sentence, c.want)
		}
		if c.mended != "" && got.Mended != c.mended {
			t.Errorf("%s\n got %q\nwant %q", sql, got.Mended, c.mended)
		}
	}
}

// Errors of single rows name no place; it is found where only one can be meant.
func TestThePlaceOfAnErrorThatNamesNone(t *testing.T) {
	for _, c := range []struct{ code, message, sql string }{ // the place is marked by a bar
		{"22012", "division by zero", "SELECT strength |/ (strength - 3) FROM hive"},
		{"22012", "division by zero", "SELECT strength / 2, strength |% 0 FROM hive"},
		{"22012", "division by zero", "SELECT strength / hive_id, strength % apiary_id FROM hive"}, // either of them
		{
			"21000", "more than one row returned by a subquery used as an expression",
			"SELECT name FROM hive WHERE strength > |(SELECT strength FROM hive) AND apiary_id IN (SELECT apiary_id " +
				"FROM apiary)",
		},
		{
			"21000", "more than one row returned by a subquery used as an expression",
			"SELECT (SELECT name FROM hive), (SELECT name FROM apiary)",
		},
		{
			"42703", `column "apiaryid" specified in USING clause does not exist in left table`,
			"SELECT 1 FROM apiary JOIN hive USING (|apiaryid)",
		},
		{
			"42703", `column "name" specified in USING clause does not exist in left table`,
			"SELECT name FROM harvest JOIN hive USING (name)",
		},
	} {
		want := strings.IndexByte(c.sql, '|')
		sql := strings.Replace(c.sql, "|", "", 1)
		if got := explain.Query(
			explain.QueryError{Code: c.code, Message: c.message, SQL: sql, Offset: -1}, schema,
		); got.Offset != want {
			t.Errorf("%s: at %d, want %d", c.sql, got.Offset, want)
		}
	}
}

// A cause is said only where the text and the rows both point to it: the same text without that difference has none.
func TestNoCauseIsSaidOfADifferenceThatDoesNotShowIt(t *testing.T) {
	for _, c := range []struct{ name, sql string }{
		{"DISTINCT is there", "SELECT DISTINCT kind FROM hive"},
		{"a bound, but other rows are missing", "SELECT name, strength FROM hive WHERE strength > 7"},
		{"LIKE with a wildcard", "SELECT name FROM hive WHERE name LIKE 'A%'"},
		{"a join with its condition", "SELECT h.name FROM hive AS h JOIN apiary AS a ON a.apiary_id = h.apiary_id"},
		{"columns of unknown tables may join them", "SELECT 1 FROM x, y WHERE a = b"},
		{
			"AND and OR in parentheses",
			"SELECT name FROM hive WHERE (kind = 'a' OR kind = 'b') AND strength BETWEEN 1 AND 2",
		},
	} {
		q, err := sqltext.ReadQuery(c.sql)
		if err != nil {
			t.Fatal(err)
		}
		features := q.Features(schema)
		if cause := explain.Likely(features, nil, facts(), schema, q); cause != nil {
			t.Errorf("%s: %s", c.name, cause[0].Finding.Sentence)
		}
		if features.Unjoined != nil || features.AndOr != nil || features.Exact != "" {
			t.Errorf("%s: %+v", c.name, features)
		}
	}
}

func facts() compare.Facts {
	return compare.Facts{
		Got:          5,
		Want:         5,
		MissingCount: 1,
		Missing:      []result.Row{{[]byte("Amber"), []byte("3")}},
		Columns:      []result.Column{{Name: "name"}, {Name: "strength"}},
	}
}
