package test

import (
	"strings"
	"testing"

	"examen/test/whole"

	"examen/internal/demo"
)

// Wrong queries of the kinds that beginners write, and all that they read then at the command line.
func TestWhatBeginnersRead(t *testing.T) {
	name, _ := whole.Newcomer(t)
	s := whole.At(t, name, demo.LearnerPassword)
	for _, c := range []struct{ exercise, sql, reads string }{
		{"names-and-valleys", "SELECT name valley FROM apiary", `
Incorrect, 0 of 1 point
- Cause: A comma is missing between name and valley: without it valley becomes another name for the column name.
  line 1:
    SELECT name valley FROM apiary
                ^^^^^^
- The result has 1 column; the task asks for 2.
`},
		{"names-and-valleys", "SELECT name, vally FROM apiary", `
Failed, 0 of 1 point
The database says: column "vally" does not exist
  Perhaps you meant to reference the column "apiary.valley".
line 1, column 14:
  SELECT name, vally FROM apiary
               ^
No column is called vally here: did you mean valley?
`},
		{"names-and-valleys", "SELECT name, valley\nFORM apiary", `
Failed, 0 of 1 point
The database says: syntax error at or near "apiary"
line 2, column 1:
  FORM apiary
  ^
FORM looks like a misspelt FROM.
Corrected:
  SELECT name, valley
  FROM apiary
`},
		{"names-and-valleys", "SELECT valley, name FROM apiary", `
Incorrect, 0 of 1 point
- The values are right, but the columns are in another order than the task asks for: ` +
			`look at columns 1 (“valley”) and 2 (“name”).
`},
		{"hives-by-strength", "SELECT name, kind, strength FROM hive WHERE strength <> NULL ORDER BY strength DESC", `
Incorrect, 0 of 2 points
- Cause: A comparison with NULL by = or <> is never true, not even for NULL itself: use IS NULL or IS NOT NULL.
  line 1:
    SELECT name, kind, strength FROM hive WHERE strength <> NULL ORDER BY strength DESC
                                                         ^^
- The result is empty; 87 rows are expected.
`},
		{"hives-by-strength", "SELECT name, kind, strength FROM hive WHERE strength IS NOT NULL -- most first", `
Incorrect, 0 of 2 points
- Cause: The query has no ORDER BY: without it the rows come in any order.
  line 1:
    SELECT name, kind, strength FROM hive WHERE strength IS NOT NULL -- most first
                                                                    ^
- The rows are right, but not their order: the first row belongs further down.

    row  name      kind     strength
    ───  ────────  ───────  ────────
      1  Basil     stacked         3
      2  Clover    stacked        10
      3  Elder     stacked         2
      4  Foxglove  skep            9
      5  Gorse     long            9

`},
		{"which-colours", "SELECT DISTINCT colour AS color FROM hive", `
Incorrect, 0 of 1 point
- Column 1 has to be called “colour”; here it is called “color”. AS gives a column its name.
`},
		{"calm-bees", "SELECT inspection_id, remark FROM inspection WHERE remark ILIKE '%calm%'", `
Incorrect, 0 of 1 point
- Cause: The pattern finds other texts than the task asks for: ` +
			`% stands for any characters, also none, and _ for one.
  line 1:
    SELECT inspection_id, remark FROM inspection WHERE remark ILIKE '%calm%'
                                                       ^^^^^^^^^^^^^^^^^^^^^
- The result is right on the rows you can see, but not on others: the query has to hold whatever the tables contain.
`},
		{"calm-bees", "SELECT inspection_id, remark FROM inspection WHERE lower(remark) LIKE 'calm'", `
Incorrect, 0 of 1 point
- Cause: LIKE 'calm' has no wildcard, so it finds only that very text: % stands for any characters, _ for one.
  line 1:
    SELECT inspection_id, remark FROM inspection WHERE lower(remark) LIKE 'calm'
                                                                          ^^^^^^
- 144 rows of the 419 expected are missing.

    inspection_id  remark
    ─────────────  ─────────────────
                7  Calm, much pollen
               18  Calm, much pollen
               45  Calm, much pollen
               61  Calm, much pollen
               71  Calm, much pollen

`},
		{"harvest-by-grade", "SELECT grade_code, count(*), sum(weight_kg) FROM harvest WHERE sum(weight_kg) >= 500 " +
			"GROUP BY grade_code", `
Failed, 0 of 3 points
The database says: aggregate functions are not allowed in WHERE
line 1, column 64:
  SELECT grade_code, count(*), sum(weight_kg) FROM harvest WHERE sum(weight_kg) >= 500 GROUP BY grade_code
                                                                 ^
WHERE looks at single rows, before there are groups: a condition on an aggregate ` +
			`(count, sum, avg, min, max) stands in HAVING, after GROUP BY.
`},
		{"who-looks-after-what", "SELECT a.name, b.name FROM apiary a, care c, beekeeper b WHERE a.apiary_id = " +
			"c.apiary_id AND a.valley = 'Durn' ORDER BY 1, 2", `
Incorrect, 0 of 3 points
- Cause: No condition joins apiary and beekeeper: so every row ` +
			`of one table is combined with every row of the other. Say with ON (or WHERE) which rows belong together.
  line 1:
    SELECT a.name, b.name FROM apiary a, care c, beekeeper b WHERE a.apiary_id = c.apiary_id AND a.valley = 'Durn' ` +
			`ORDER BY 1, 2
                                                             ^^^^^
- Your result has 72 rows; 69 of them should not be there (3 expected).
`},
	} {
		p := s.Run(c.sql, "submit", "first-look/"+c.exercise)
		got, want := p.Out+p.Errs, strings.TrimPrefix(c.reads, "\n")
		if p.Code != 1 || !strings.HasPrefix(got, want) || !strings.HasPrefix(c.exercise, "who-looks") && got != want {
			t.Errorf("%s\n(exit code %d)\n%s", c.sql, p.Code, got)
		}
	}
}
