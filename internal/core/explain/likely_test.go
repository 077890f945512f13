package explain_test

import (
	"strings"
	"testing"

	"examen/internal/core/compare"
	"examen/internal/core/explain"
	"examen/internal/core/result"
	"examen/internal/core/sqltext"
)

// rows reads rows from words: columns are parted by commas, rows by spaces, and "-" is NULL.
func rows(text string) []result.Row {
	var all []result.Row
	for _, line := range strings.Fields(text) {
		var row result.Row
		for _, cell := range strings.Split(line, ",") {
			if cell == "-" {
				row = append(row, nil)
			} else {
				row = append(row, []byte(cell))
			}
		}
		all = append(all, row)
	}
	return all
}

// cellPairs reads values beside those expected from words: "3/4" is 3 where 4 is expected.
func cellPairs(column int, text string) []compare.CellPair {
	var all []compare.CellPair
	for _, word := range strings.Fields(text) {
		got, expected, _ := strings.Cut(word, "/")
		p := compare.CellPair{Column: column, Got: []byte(got), Expected: []byte(expected)}
		if got == "-" {
			p.Got = nil
		}
		all = append(all, p)
	}
	return all
}

// A difference, as the rows show it.
type difference struct {
	kinds                   []compare.Kind
	missing, extra, present string
	column                  int
	pairs                   string // values of that column beside those expected
	types                   string // of the columns
	leading, sameSet        bool
}

func (d difference) facts() ([]compare.Finding, compare.Facts) {
	f := compare.Facts{
		Missing: rows(d.missing),
		Extra:   rows(d.extra),
		Present: rows(d.present),
		Pairs:   cellPairs(d.column, d.pairs),
		Leading: d.leading,
		SameSet: d.sameSet,
		Sorted:  true,
	}
	f.MissingCount, f.ExtraCount = int64(len(f.Missing)), int64(len(f.Extra))
	f.Got, f.Want = int64(len(f.Present)+len(f.Extra)), int64(len(f.Present)+len(f.Missing))
	for _, t := range strings.Fields(d.types) {
		f.Columns = append(f.Columns, result.Column{Type: result.Type{Name: t}})
	}
	var findings []compare.Finding
	for _, k := range d.kinds {
		findings = append(findings, compare.Finding{Kind: k})
	}
	return findings, f
}

var (
	empty   = []compare.Kind{compare.ResultEmpty}
	missing = []compare.Kind{compare.RowsMissing}
	extra   = []compare.Kind{compare.RowsExtra}
	others  = []compare.Kind{compare.RowsExtra, compare.RowsMissing}
	values  = []compare.Kind{compare.ValuesDiffer}
)

// Each cause is said where both the text and the rows point to it, and not where the rows do not: the second difference
// of each.
func TestLikelyCauses(t *testing.T) {
	text := "text"
	number := "text bigint"
	for _, c := range []struct {
		kind, sql string
		points    difference
		silent    difference
	}{
		{explain.CauseJoinCondition, "SELECT h.name FROM hive AS h, apiary AS a",
			difference{
				kinds:   extra,
				extra:   "Amber Amber Birch",
				present: "Amber Birch",
				types:   text,
			}, difference{kinds: missing, missing: "Gorse", present: "Amber", types: text}},
		{explain.CauseTextForColumn, "SELECT hive_id, 'kind' FROM hive",
			difference{
				kinds:  values,
				column: 1,
				pairs:  "kind/skep kind/long",
				types:  "bigint text",
			}, difference{kinds: values, column: 0, pairs: "1/2", types: "bigint text"}},
		{explain.CauseTextForColumn, "SELECT hive_id FROM hive WHERE 'kind' = 'skep'",
			difference{kinds: empty, missing: "1", types: "bigint"}, difference{
				kinds: values,
				pairs: "1/2",
				types: "bigint",
			}},
		{explain.CauseWithNull, "SELECT name FROM hive WHERE kind = NULL",
			difference{kinds: empty, missing: "Amber", types: text}, difference{
				kinds:   extra,
				extra:   "Amber",
				present: "Birch",
				types:   text,
			}},
		{explain.CauseWithNull, "SELECT name, count(*) FROM hive WHERE kind = NULL OR strength > 3 GROUP BY name",
			difference{
				kinds:  values,
				column: 1,
				pairs:  "1/3 2/4",
				types:  number,
			}, difference{kinds: values, column: 1, pairs: "1/3 4/2", types: number}},
		{explain.CauseNotIn, "SELECT name FROM hive WHERE hive_id NOT IN (SELECT hive_id FROM harvest)",
			difference{kinds: empty, missing: "Amber", types: text}, difference{
				kinds:   missing,
				missing: "Amber",
				present: "Birch",
				types:   text,
			}},
		{explain.CauseNotIn, "SELECT count(*) FROM hive WHERE hive_id NOT IN (SELECT hive_id FROM harvest)",
			difference{
				kinds: values,
				pairs: "0/3",
				types: "bigint",
			}, difference{kinds: values, pairs: "2/3", types: "bigint"}},
		{explain.CauseLikeExact, "SELECT name FROM hive WHERE name LIKE 'Am'",
			difference{kinds: empty, missing: "Amber", types: text}, difference{
				kinds:   others,
				missing: "Amber",
				extra:   "Am",
				types:   text,
			}},
		{explain.CauseOuterUndone, "SELECT h.name, w.day FROM hive AS h LEFT JOIN harvest AS w ON w.hive_id = " +
			"h.hive_id WHERE w.weight_kg > 3",
			difference{kinds: missing, missing: "Amber,-", present: "Birch,2026-05-01", types: "text date"}, difference{
				kinds:   extra,
				extra:   "Amber,2026-05-01",
				present: "Birch,2026-05-01",
				types:   "text date",
			}},
		{explain.CauseInnerJoin, "SELECT a.name, count(h.name) FROM apiary AS a JOIN hive AS h ON h.apiary_id = " +
			"a.apiary_id GROUP BY a.name",
			difference{
				kinds:   missing,
				missing: "Durn,0",
				present: "Askel,3",
				types:   number,
			}, difference{kinds: missing, missing: "Durn,2", present: "Askel,3", types: number}},
		{explain.CauseInnerJoin, "SELECT a.name FROM apiary AS a JOIN hive AS h ON h.apiary_id = a.apiary_id WHERE " +
			"h.hive_id IS NULL",
			difference{kinds: empty, missing: "Durn", types: text}, difference{
				kinds:   others,
				missing: "Durn",
				extra:   "Askel",
				types:   text,
			}},
		{explain.CauseOuterJoin, "SELECT a.name, h.name FROM apiary AS a LEFT JOIN hive AS h ON h.apiary_id = " +
			"a.apiary_id",
			difference{kinds: extra, extra: "Durn,-", present: "Askel,Amber", types: "text text"}, difference{
				kinds:   extra,
				extra:   "Durn,Birch",
				present: "Askel,Amber",
				types:   "text text",
			}},
		{explain.CauseCountColumn, "SELECT kind, count(strength) FROM hive GROUP BY kind",
			difference{kinds: values, column: 1, pairs: "3/4", types: number}, difference{
				kinds:  values,
				column: 1,
				pairs:  "3/4 5/4",
				types:  number,
			}},
		{explain.CauseCountStar, "SELECT kind, count(*) FROM hive GROUP BY kind",
			difference{
				kinds:  values,
				column: 1,
				pairs:  "4/3 9/8",
				types:  number,
			}, difference{kinds: values, column: 1, pairs: "3/4", types: number}},
		{explain.CauseCountDistinct, "SELECT kind, count(DISTINCT name) FROM hive GROUP BY kind",
			difference{
				kinds:  values,
				column: 1,
				pairs:  "3/4",
				types:  number,
			}, difference{kinds: values, column: 1, pairs: "4/3", types: number}},
		{explain.CauseCountDistinct, "SELECT count(*), count(name) FROM hive",
			difference{
				kinds:  values,
				column: 1,
				pairs:  "4/3",
				types:  "bigint bigint",
			}, difference{kinds: values, column: 0, pairs: "3/4", types: "bigint bigint"}},
		{explain.CauseDivision, "SELECT kind, sum(strength) / count(*) FROM hive GROUP BY kind",
			difference{
				kinds:  values,
				column: 1,
				pairs:  "4/4.5 -3/-3.25",
				types:  number,
			}, difference{kinds: values, column: 1, pairs: "4/5.5", types: number}},
		{explain.CauseDivision, "SELECT kind, count(*) / 7 * 100 FROM hive GROUP BY kind",
			difference{kinds: values, column: 1, pairs: "0/42.9 0/14.3", types: number}, difference{
				kinds:  values,
				column: 1,
				pairs:  "0/42.9 100/14.3",
				types:  number,
			}},
		{explain.CauseGroupColumn, "SELECT name, count(*) FROM hive GROUP BY name",
			difference{
				kinds:   others,
				extra:   "Amber,3",
				missing: "Amber,1 Amber,2",
				present: "Birch,1",
				types:   number,
			}, difference{
				kinds:   others,
				extra:   "Amber,3",
				missing: "Amber,1 Amber,1",
				present: "Birch,1",
				types:   number,
			}},
		{explain.CauseGroupSplit, "SELECT kind, count(*) FROM hive GROUP BY kind, strength",
			difference{
				kinds:   others,
				extra:   "long,1 long,2 skep,4 skep,1",
				missing: "long,3 skep,5",
				types:   number,
			}, difference{kinds: others, extra: "long,1 long,1 skep,5", missing: "long,3", types: number}},
		{explain.CauseWhereForHaving, "SELECT kind, sum(strength) FROM hive WHERE strength > 9 GROUP BY kind",
			difference{
				kinds:  values,
				column: 1,
				pairs:  "10/30",
				types:  number,
			}, difference{kinds: values, column: 1, pairs: "30/10", types: number}},
		{explain.CauseDistinctMissing, "SELECT kind FROM hive",
			difference{
				kinds:   []compare.Kind{compare.RowsRepeated},
				extra:   "long",
				present: "long skep",
				sameSet: true,
				types:   text,
			}, difference{kinds: extra, extra: "tall", present: "long skep", types: text}},
		{explain.CauseDistinctUnwanted, "SELECT DISTINCT kind FROM hive",
			difference{
				kinds:   []compare.Kind{compare.DuplicatesRemoved},
				missing: "long",
				present: "long skep",
				sameSet: true,
				types:   text,
			}, difference{kinds: missing, missing: "tall", present: "long skep", types: text}},
		{explain.CauseBoundLeftOut, "SELECT name, strength FROM hive WHERE strength > 7",
			difference{
				kinds:   missing,
				missing: "Amber,7 Gorse,7",
				present: "Birch,8",
				types:   number,
			}, difference{kinds: missing, missing: "Amber,7 Gorse,6", present: "Birch,8", types: number}},
		{explain.CauseBoundTaken, "SELECT name, strength FROM hive WHERE strength >= 7",
			difference{kinds: extra, extra: "Amber,7", present: "Birch,8", types: number}, difference{
				kinds:   others,
				extra:   "Amber,7",
				missing: "Gorse,2",
				present: "Birch,8",
				types:   number,
			}},
		{explain.CauseBoundTaken, "SELECT name, strength FROM hive WHERE strength BETWEEN 3 AND 7",
			difference{
				kinds:   extra,
				extra:   "Amber,7 Gorse,3",
				present: "Birch,5",
				types:   number,
			}, difference{kinds: missing, missing: "Amber,7", present: "Birch,5", types: number}},
		{explain.CauseAndOr, "SELECT name FROM hive WHERE kind = 'skep' OR kind = 'long' AND strength > 5",
			difference{kinds: extra, extra: "Amber", present: "Birch", types: text}, difference{
				kinds:   missing,
				missing: "Amber",
				present: "Birch",
				types:   text,
			}},
		{explain.CauseLimit, "SELECT name FROM hive LIMIT 2",
			difference{
				kinds:   missing,
				missing: "Gorse",
				present: "Amber Birch",
				types:   text,
			}, difference{kinds: missing, missing: "Gorse", present: "Amber", types: text}},
		{explain.CauseLimit, "SELECT name FROM hive ORDER BY name LIMIT 3",
			difference{kinds: extra, extra: "Gorse", present: "Amber Birch", leading: true, types: text}, difference{
				kinds:   others,
				extra:   "Gorse",
				missing: "Heath",
				present: "Amber Birch",
				types:   text,
			}},
		{explain.CauseDirection, "SELECT name, strength FROM hive ORDER BY strength LIMIT 2",
			difference{kinds: others, extra: "Amber,1 Birch,2", missing: "Gorse,9 Heath,9", types: number}, difference{
				kinds:   others,
				extra:   "Amber,1 Birch,2",
				missing: "Gorse,9 Heath,10",
				types:   number,
			}},
		{explain.CauseDirection, "SELECT name, strength FROM hive ORDER BY strength DESC LIMIT 2",
			difference{kinds: others, extra: "Amber,10 Birch,9", missing: "Gorse,1 Heath,2", types: number}, difference{
				kinds:   others,
				extra:   "Amber,10",
				present: "Birch,9",
				missing: "Gorse,1",
				types:   number,
			}},
		{explain.CauseNotSorted, "SELECT name FROM hive LIMIT 2",
			difference{
				kinds:   others,
				extra:   "Amber Birch",
				missing: "Gorse Heath",
				types:   text,
			}, difference{kinds: others, extra: "Amber", missing: "Gorse Heath", types: text}},
		{explain.CauseNotSorted, "SELECT name FROM hive",
			difference{
				kinds:   []compare.Kind{compare.RowOrder},
				present: "Amber Birch",
				sameSet: true,
				types:   text,
			}, difference{kinds: values, pairs: "a/b", types: text}},
		{explain.CauseDirection, "SELECT name FROM hive ORDER BY name DESC",
			difference{
				kinds:   []compare.Kind{compare.RowOrderReversed},
				present: "Birch Amber",
				sameSet: true,
				types:   text,
			}, difference{kinds: values, pairs: "a/b", types: text}},
		{explain.CauseNoLimit, "SELECT name FROM hive ORDER BY name",
			difference{kinds: extra, extra: "Gorse", present: "Amber Birch", leading: true, types: text}, difference{
				kinds:   others,
				extra:   "Gorse",
				missing: "Heath",
				present: "Amber Birch",
				types:   text,
			}},
		{explain.CauseNoCondition, "SELECT name FROM hive",
			difference{kinds: extra, extra: "Gorse", present: "Amber Birch", types: text}, difference{
				kinds:   others,
				extra:   "Gorse",
				missing: "Heath",
				present: "Amber",
				types:   text,
			}},
		{explain.CauseFewConditions, "SELECT name FROM hive WHERE strength > 3",
			difference{kinds: extra, extra: "Gorse", present: "Amber Birch", types: text}, difference{
				kinds:   missing,
				missing: "Gorse",
				present: "Amber Birch",
				types:   text,
			}},
		{explain.CauseManyConditions, "SELECT name FROM hive WHERE strength > 3 AND kind = 'skep'",
			difference{kinds: missing, missing: "Gorse", present: "Amber Birch", types: text}, difference{
				kinds:   others,
				missing: "Gorse",
				extra:   "Heath",
				present: "Amber Birch",
				types:   text,
			}},
	} {
		q, err := sqltext.ReadQuery(c.sql)
		if err != nil {
			t.Fatal(err)
		}
		features := q.Features(schema)
		findings, facts := c.points.facts()
		if cause := first(explain.Likely(features, findings, facts, schema, q)); cause.Kind != c.kind {
			t.Errorf("%s\n  %s is not said: %+v", c.sql, c.kind, cause)
		}
		findings, facts = c.silent.facts()
		if cause := first(explain.Likely(features, findings, facts, schema, q)); cause.Kind == c.kind {
			t.Errorf("%s\n  %s is said, and the rows do not show it: %s", c.sql, c.kind, cause.Sentence)
		}
	}
}

// first is the likeliest of causes.
func first(causes []explain.LikelyCause) explain.Finding {
	if len(causes) == 0 {
		return explain.Finding{}
	}
	return causes[0].Finding
}
