package mutation_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"examen/internal/core/dataset"
	"examen/internal/core/mutation"
	"examen/internal/core/sqltext"
)

// tables are a few hives, where they stand, and who looks after them.
var tables = &dataset.Catalogue{Tables: []dataset.Table{
	table("apiary", 3, "apiary_id integer key", "name text", "valley text", "altitude_m integer").
		with("unique", "", "name").with("check", "CHECK (altitude_m >= 0 AND altitude_m <= 3000)", "altitude_m").Table,
	table("hive", 8, "hive_id integer key", "apiary_id integer", "name text", "kind text", "colour text null",
		"strength integer null", "price numeric(6,2)", "since date").
		with("foreign key", "apiary", "apiary_id").with("unique", "", "apiary_id", "name").
		with("check", "CHECK (kind = ANY (ARRAY['long'::text, 'skep'::text]))", "kind").Table,
	table("care", 5, "apiary_id integer key", "keeper_id integer key", "since date").
		with("foreign key", "apiary", "apiary_id").with("foreign key", "keeper", "keeper_id").Table,
	table("keeper", 4, "keeper_id integer key", "name text", "mentor_id integer null").
		with("foreign key", "keeper", "mentor_id").Table,
}}

type made struct{ dataset.Table }

// table makes a table of columns written as "name type", with "key" or "null" behind.
func table(name string, rows int64, columns ...string) made {
	t := dataset.Table{Name: name, SQLName: "public." + name, Rows: rows}
	var key []string
	for _, text := range columns {
		words := strings.Fields(text)
		c := dataset.Column{Name: words[0], Type: words[1], Nullable: slices.Contains(words, "null")}
		if c.Key = slices.Contains(words, "key"); c.Key {
			key = append(key, c.Name)
		}
		t.Columns = append(t.Columns, c)
	}
	t.Constraints = []dataset.Constraint{{Kind: dataset.PrimaryKey, Columns: key}}
	return made{t}
}

// with adds a constraint: what it refers to, or its definition, and its columns.
func (m made) with(kind dataset.ConstraintKind, what string, columns ...string) made {
	k := dataset.Constraint{Kind: kind, Columns: columns, Definition: what}
	if kind == dataset.ForeignKey {
		k.Table, k.Referred = what, []string{what + "_id"}
		for i := range m.Columns {
			if m.Columns[i].Name == columns[0] {
				m.Columns[i].References = what + "." + what + "_id"
			}
		}
	}
	m.Constraints = append(m.Constraints, k)
	return m
}

func mutationsOf(t *testing.T, sql string, rules mutation.Rules) []mutation.Mutation {
	t.Helper()
	q, err := sqltext.ReadQuery(sql)
	if err != nil {
		t.Fatal(err)
	}
	return mutation.Make(q, tables, rules)
}

// Each operator, with what it makes of an answer: what it takes for what.
func TestOperators(t *testing.T) {
	for _, c := range []struct {
		operator mutation.Operator
		sql      string
		made     string // "was>is" of each
	}{
		{
			mutation.Comparison, "SELECT name FROM hive WHERE strength >= 8",
			">=>>; >=><; >=><=; >=>=; >=><>",
		},
		{mutation.Comparison, "SELECT name FROM hive WHERE kind = 'skep'", "=><>"},
		{
			mutation.Comparison, "SELECT name FROM hive WHERE strength BETWEEN 3 AND 5",
			"BETWEEN 3 AND>> 3 AND strength <=; BETWEEN 3 AND>>= 3 AND strength <",
		},
		{mutation.Bound, "SELECT name FROM hive WHERE strength >= 8", "8>7"},
		{mutation.Bound, "SELECT name FROM hive WHERE price < 10", "10>9.99"},
		{mutation.Bound, "SELECT name FROM hive WHERE since = '2026-03-01'",
			"'2026-03-01'>'2026-03-02'; '2026-03-01'>'2026-02-28'"},
		{
			mutation.Condition, "SELECT name FROM hive WHERE kind = 'skep' AND strength > 3",
			"kind = 'skep' AND>; AND strength > 3>",
		},
		{mutation.Condition, "SELECT kind FROM hive GROUP BY kind HAVING count(*) > 1", "HAVING count(*) > 1>"},
		{mutation.Condition, "SELECT name FROM hive WHERE kind IN ('long', 'skep')",
			"WHERE kind IN ('long', 'skep')>; 'long',>; , 'skep'>"},
		{mutation.Negation, "SELECT name FROM hive WHERE colour LIKE 'b%'", ">NOT "},
		{mutation.AndOr, "SELECT name FROM hive WHERE kind = 'skep' AND strength > 3", "AND>OR"},
		{
			mutation.AndOr, "SELECT name FROM hive WHERE strength > 3 AND (kind = 'skep' OR kind = 'long')",
			"AND>OR; strength > 3 AND (kind = 'skep' OR kind = 'long')>" +
				"(strength > 3 AND kind = 'skep') OR kind = 'long'; OR>AND",
		},
		{mutation.Pattern, "SELECT name FROM hive WHERE name LIKE 'b_%'",
			"LIKE>ILIKE; 'b_%'>'b_'; 'b_%'>'%b_'; 'b_%'>'%b_%'; 'b_%'>'b%%'; 'b_%'>'b__'"},
		{mutation.NullTest, "SELECT name FROM hive WHERE strength IS NULL", ">NOT ; IS>="},
		{mutation.JoinKind, "SELECT h.name FROM hive AS h JOIN apiary AS a ON a.apiary_id = h.apiary_id",
			">LEFT ; >RIGHT ; >FULL "},
		{mutation.JoinCondition, "SELECT h.name FROM hive AS h JOIN apiary AS a ON a.apiary_id = h.apiary_id",
			"a.apiary_id = h.apiary_id>true"},
		{mutation.JoinKey, "SELECT k.name FROM care AS c JOIN keeper AS k ON k.keeper_id = c.keeper_id",
			"keeper_id>mentor_id; keeper_id>apiary_id"},
		{mutation.OnWhere,
			"SELECT h.name FROM apiary AS a LEFT JOIN hive AS h ON h.apiary_id = a.apiary_id AND h.strength > 3",
			"apiary_id = a.apiary_id AND h.strength > 3>strength > 3 WHERE h.apiary_id = a.apiary_id; AND>WHERE"},
		{mutation.Distinct, "SELECT kind FROM hive", ">DISTINCT "},
		{mutation.Distinct, "SELECT DISTINCT kind FROM hive", "DISTINCT>"},
		{mutation.SetOperation, "SELECT name FROM hive UNION SELECT name FROM keeper", ">ALL"},
		{mutation.Aggregate, "SELECT count(*) FROM hive", "*>DISTINCT apiary_id; *>colour; *>strength"},
		{mutation.Aggregate, "SELECT kind, sum(price) FROM hive GROUP BY kind", "sum>avg; >DISTINCT "},
		{mutation.Aggregate, "SELECT kind, min(price) FROM hive GROUP BY kind", "min>max"},
		{mutation.Filter, "SELECT count(*) FILTER (WHERE strength > 3) FROM hive", "FILTER (WHERE strength > 3)>"},
		{mutation.GroupKey, "SELECT kind, count(*) FROM hive GROUP BY kind", "GROUP BY kind>; >, hive_id; >, name"},
		{mutation.OrderDirection, "SELECT name FROM hive ORDER BY strength", ">DESC"},
		{mutation.OrderKey, "SELECT name, kind FROM hive ORDER BY kind, name",
			"ORDER BY kind, name>; kind,>; , name>; kind, name>name, kind; kind>name; name>kind"},
		{mutation.NullsPlace, "SELECT name FROM hive ORDER BY strength DESC", ">NULLS LAST"},
		{mutation.Limit, "SELECT name FROM hive ORDER BY strength LIMIT 3 OFFSET 1",
			"3>4; 3>2; 1>2; 1>0; LIMIT 3>FETCH FIRST 3 ROWS WITH TIES"},
		{mutation.Window, "SELECT name, rank() OVER (PARTITION BY kind ORDER BY strength) FROM hive",
			"rank>row_number; rank>dense_rank; PARTITION BY kind>; >DESC; ORDER BY strength>"},
		{mutation.Window, "SELECT sum(price) OVER (ORDER BY since ROWS 2 PRECEDING) FROM hive",
			"sum>avg; >DESC; ORDER BY since>; ROWS 2 PRECEDING>; 2>3; 2>1"},
		{mutation.Window, "SELECT sum(price) OVER (ORDER BY since) FROM hive",
			"sum>avg; >DESC; ORDER BY since>; >ROWS UNBOUNDED PRECEDING"},
		{mutation.JoinKey, "SELECT k.name FROM care AS c, keeper AS k WHERE k.keeper_id = c.keeper_id",
			"keeper_id>mentor_id; keeper_id>apiary_id"},
		{mutation.Column, "SELECT name FROM apiary", "name>valley"},
		{mutation.Column, "SELECT a.name FROM hive AS h JOIN apiary AS a ON a.apiary_id = h.apiary_id",
			"a>h; name>valley"},
		{mutation.Arithmetic, "SELECT (altitude_m + 10) * 2 FROM apiary",
			"*>/; (altitude_m + 10) * 2>altitude_m + (10 * 2); +>-"},
		{mutation.Arithmetic, "SELECT 100.0 * strength / hive_id FROM hive", "/>*; *>/; 100.0>100"},
		{mutation.NotIn,
			"SELECT name FROM keeper AS k WHERE NOT EXISTS (SELECT FROM care AS c WHERE c.keeper_id = k.keeper_id)",
			"EXISTS (SELECT FROM care AS c WHERE c.keeper_id = k.keeper_id>k.keeper_id IN (SELECT c.keeper_id FROM " +
				"care c"},
		{mutation.NotIn, "SELECT name FROM keeper WHERE keeper_id NOT IN (SELECT mentor_id FROM keeper AS m)",
			"keeper_id IN (SELECT mentor_id FROM keeper m>EXISTS (SELECT mentor_id FROM keeper m " +
				"WHERE m.mentor_id = keeper.keeper_id"},
		{mutation.Case,
			"SELECT CASE WHEN strength > 7 THEN 'strong' WHEN strength > 3 THEN 'fair' ELSE 'weak' END FROM hive",
			"WHEN strength > 7 THEN 'strong'>; WHEN strength > 3 THEN 'fair'>; ELSE 'weak'>"},
		{mutation.Rounding, "SELECT round(price, 1) FROM hive", "round(price, 1)>price; round>trunc; 1>2; 1>0"},
		{mutation.Function, "SELECT name FROM hive WHERE lower(colour) = 'blue'", "lower(colour)>colour"},
	} {
		var got []string
		for _, m := range mutationsOf(t, c.sql, mutation.Rules{Ordered: true}) {
			if m.Operator == c.operator {
				got = append(got, m.Edit.Was+">"+m.Edit.Is)
			}
			if _, err := sqltext.ReadQuery(m.SQL); err != nil || m.Says == "" {
				t.Errorf("%s: %q of %q is no query: %v", c.sql, m.SQL, m.Operator, err)
			}
		}
		if s := strings.Join(got, "; "); s != c.made {
			t.Errorf("%s of %s:\n got %q\nwant %q", c.operator, c.sql, s, c.made)
		}
	}
}

// What means the same as the answer, and what only looks so.
func TestSame(t *testing.T) {
	for _, c := range []struct {
		sql, says string
		same      bool
	}{
		// bounds: what stands beside them, the type's steps, CHECK and NOT NULL
		{"SELECT name FROM hive WHERE strength >= 8 AND strength <> 8", "takes > for >=", true},
		{"SELECT name FROM hive WHERE strength >= 8", "takes > for >=", false},
		{"SELECT name FROM hive WHERE strength > 7 AND strength <> 8", "takes 8 for 7", true},
		{"SELECT name FROM hive WHERE price > 7 AND price <> 8", "takes 7.01 for 7", false},
		{"SELECT name FROM apiary WHERE altitude_m >= 0", "leaves out the condition altitude_m >= 0", true},
		{"SELECT name FROM apiary WHERE altitude_m >= 1", "leaves out the condition altitude_m >= 1", false},
		{"SELECT name FROM hive WHERE kind <> 'skep'", "takes = for <>", false},
		{"SELECT name FROM hive WHERE strength IS NOT NULL AND strength > 3",
			"leaves out the condition strength IS NOT NULL", true},
		{"SELECT name FROM hive WHERE strength IS NOT NULL AND colour > 'b'",
			"leaves out the condition strength IS NOT NULL", false},
		{"SELECT name FROM hive WHERE name IS NOT NULL", "leaves out the condition name IS NOT NULL", true},
		{"SELECT kind FROM hive GROUP BY kind HAVING count(*) >= 1", "leaves out the condition count(*) >= 1", true},
		{"SELECT kind FROM hive GROUP BY kind HAVING count(colour) >= 1", "leaves out the condition count(colour) >= 1",
			false},
		// keys
		{"SELECT hive_id FROM hive", "adds DISTINCT", true},
		{"SELECT apiary_id, name FROM hive", "adds DISTINCT", true},
		{"SELECT name FROM hive", "adds DISTINCT", false},
		{"SELECT name FROM hive WHERE apiary_id = 3", "adds DISTINCT", true},
		{"SELECT a.name, h.name FROM hive AS h JOIN apiary AS a ON a.apiary_id = h.apiary_id", "adds DISTINCT", true},
		{"SELECT a.name FROM hive AS h JOIN apiary AS a ON a.apiary_id = h.apiary_id", "adds DISTINCT", false},
		{"SELECT k.name FROM keeper AS k LEFT JOIN keeper AS m ON m.keeper_id = k.mentor_id", "adds DISTINCT", false},
		{"SELECT k.keeper_id, m.name FROM keeper AS k LEFT JOIN keeper AS m ON m.keeper_id = k.mentor_id",
			"adds DISTINCT", true},
		{"SELECT kind, count(*) FROM hive GROUP BY kind", "adds DISTINCT", true},
		{"SELECT count(*) FROM hive GROUP BY kind", "adds DISTINCT", false},
		{"SELECT count(name) FROM hive", "takes count(*) for count(name)", true},
		{"SELECT count(strength) FROM hive", "takes count(*) for count(strength)", false},
		{"SELECT count(strength) FROM hive WHERE strength > 3", "takes count(*) for count(strength)", true},
		{"SELECT k.keeper_id, count(c.apiary_id) FROM keeper AS k LEFT JOIN care AS c ON c.keeper_id = k.keeper_id " +
			"GROUP BY k.keeper_id", "takes count(DISTINCT apiary_id) for count(apiary_id)", true},
		{"SELECT k.keeper_id, count(c.apiary_id) FROM keeper AS k LEFT JOIN care AS c ON c.keeper_id = k.keeper_id " +
			"GROUP BY k.keeper_id", "takes count(*) for count(apiary_id)", false},
		{"SELECT k.name, count(*) FROM keeper AS k GROUP BY k.keeper_id, k.name", "leaves out the group key name",
			true},
		{"SELECT k.name, count(*) FROM keeper AS k GROUP BY k.keeper_id, k.name", "leaves out the group key keeper_id",
			false},
		// order
		{"SELECT hive_id, name FROM hive ORDER BY hive_id, name", "leaves out the order key name", true},
		{"SELECT hive_id, name FROM hive ORDER BY name, hive_id", "leaves out the order key hive_id", false},
		{"SELECT name FROM hive ORDER BY name", "has the rows without name come first", true},
		{"SELECT name FROM hive ORDER BY strength", "has the rows without strength come first", false},
		{"SELECT hive_id FROM hive ORDER BY hive_id LIMIT 3", "takes rows in that tie with the last (WITH TIES)", true},
		// joins
		{"SELECT h.name FROM hive AS h JOIN apiary AS a ON a.apiary_id = h.apiary_id", "takes LEFT JOIN for JOIN",
			true},
		{"SELECT h.name FROM hive AS h JOIN apiary AS a ON a.apiary_id = h.apiary_id", "takes RIGHT JOIN for JOIN",
			false},
		{"SELECT h.name FROM hive AS h JOIN apiary AS a ON a.apiary_id = h.apiary_id WHERE h.strength > 1",
			"takes RIGHT JOIN for JOIN", true},
		{"SELECT h.name FROM hive AS h JOIN apiary AS a ON a.apiary_id = h.apiary_id AND a.valley = 'Durn'",
			"takes LEFT JOIN for JOIN", false},
		{"SELECT k.name FROM keeper AS k JOIN keeper AS m ON m.keeper_id = k.mentor_id", "takes LEFT JOIN for JOIN",
			false},
		{"SELECT h.name FROM hive AS h JOIN apiary AS a ON a.apiary_id = h.apiary_id", "takes a.name for h.name",
			false},
		{"SELECT a.apiary_id FROM hive AS h JOIN apiary AS a ON a.apiary_id = h.apiary_id",
			"takes h.apiary_id for a.apiary_id", true},
		{"SELECT name FROM keeper AS k WHERE NOT EXISTS (SELECT FROM care AS c WHERE c.keeper_id = k.keeper_id)",
			"takes NOT IN for NOT EXISTS", true},
		{"SELECT name FROM keeper AS k WHERE NOT EXISTS (SELECT FROM keeper AS m WHERE m.mentor_id = k.keeper_id)",
			"takes NOT IN for NOT EXISTS", false},
		{"SELECT name FROM hive WHERE lower(name) LIKE 'b%'", "takes ILIKE for LIKE", true},
		{"SELECT name FROM hive WHERE name LIKE 'b%'", "takes ILIKE for LIKE", false},
		{"SELECT sum(price) OVER (PARTITION BY kind ORDER BY hive_id) FROM hive", "takes ROWS for RANGE", true},
		{"SELECT sum(price) OVER (PARTITION BY kind ORDER BY since) FROM hive", "takes ROWS for RANGE", false},
		// through set operations and subqueries
		{"SELECT name FROM hive UNION SELECT name FROM keeper ORDER BY name",
			"has the rows without name come first", true},
		{"SELECT name FROM hive UNION SELECT colour FROM hive ORDER BY name",
			"has the rows without name come first", false},
		{"WITH n AS (SELECT apiary_id AS a, count(*) AS c FROM hive GROUP BY apiary_id) " +
			"SELECT a.name, n.c FROM n JOIN apiary AS a ON a.apiary_id = n.a", "takes LEFT JOIN for JOIN", true},
		{"SELECT name FROM keeper WHERE keeper_id NOT IN (SELECT mentor_id FROM keeper AS m WHERE mentor_id IS NOT " +
			"NULL)",
			"takes NOT EXISTS for NOT IN", true},
		// what looks like a proof and is none
		{"SELECT kind, sum(price) AS p FROM hive GROUP BY kind ORDER BY p DESC LIMIT 1",
			"orders by sum(price) ascending",
			false},
		{"SELECT name FROM hive ORDER BY strength FETCH FIRST 1 ROW ONLY",
			"takes rows in that tie with the last (WITH TIES)", false},
		{"SELECT name FROM hive ORDER BY name LIMIT 1", "adds DISTINCT", true},
		{"WITH hive AS (SELECT name FROM keeper), named AS (SELECT name FROM hive) SELECT name FROM named",
			"adds DISTINCT", false},
		{"SELECT n.name FROM (SELECT DISTINCT ON (kind) name FROM hive) AS n", "adds DISTINCT", false},
		{"SELECT name FROM hive ORDER BY substring(name from '[0-9]+')",
			"has the rows without SUBSTRING(name FROM '[0-9]+') come first", false},
		{"SELECT hive_id, unnest(ARRAY[1, 1]) FROM hive", "adds DISTINCT", false},
		{"SELECT kind, count(*) FROM hive GROUP BY ROLLUP (kind)", "adds DISTINCT", false},
		{"SELECT hive_id FROM hive TABLESAMPLE SYSTEM (50)", "adds DISTINCT", false},
		{"SELECT name FROM hive UNION ALL SELECT name FROM keeper ORDER BY name", "orders by name descending", false},
		{"SELECT name FROM hive UNION ALL SELECT name FROM keeper ORDER BY name LIMIT 2",
			"takes rows in that tie with the last (WITH TIES)", false},
		{"SELECT a.name FROM apiary AS a LEFT JOIN (hive AS h JOIN keeper AS k ON k.keeper_id = h.hive_id AND " +
			"h.strength > 3) ON h.apiary_id = a.apiary_id WHERE h.strength > 3 OR h.strength IS NULL",
			"leaves out the join condition strength > 3", false},
		{"SELECT name FROM keeper AS k WHERE NOT EXISTS (SELECT count(*) FROM care AS c WHERE c.keeper_id = " +
			"k.keeper_id)",
			"takes NOT IN for NOT EXISTS", false},
		{"SELECT a.name FROM apiary AS a JOIN hive AS h ON h.apiary_id = a.apiary_id JOIN keeper AS k ON k.name = " +
			"a.name " +
			"GROUP BY a.apiary_id, a.name HAVING count(*) > 3", "takes LEFT JOIN for JOIN", false},
	} {
		all := mutationsOf(t, c.sql, mutation.Rules{Ordered: true})
		at := slices.IndexFunc(all, func(m mutation.Mutation) bool { return m.Says == c.says })
		if at < 0 && c.says == "takes NOT IN for NOT EXISTS" && !c.same {
			continue // it is not made at all
		}
		if at < 0 {
			t.Errorf("%s: nothing %s", c.sql, c.says)
			for _, m := range all {
				t.Log(m.Says)
			}
		} else if (all[at].Same != "") != c.same {
			t.Errorf("%s: what %s means the same: %q", c.sql, c.says, all[at].Same)
		}
	}
}

// A mutation is shown in the text as its author wrote it.
func TestEdits(t *testing.T) {
	const sql = "select  h.name -- of each\nfrom hive as h\n  where h.strength>=8\n    and h.kind = 'skep'\norder by " +
		"h.name"
	for says, want := range map[string]string{
		"takes > for >=": "select  h.name -- of each\nfrom hive as h\n  where " +
			"h.strength[>=|>]8\n    and h.kind = 'skep'\norder by h.name",
		"leaves out the condition kind = 'skep'": "select  h.name -- of each\nfrom hive as h\n  where " +
			"h.strength>=8\n    [and h.kind = 'skep'|]\norder by h.name",
		"adds DISTINCT": "select  [|DISTINCT ]h.name -- of each\nfrom hive as h\n  where " +
			"h.strength>=8\n    and h.kind = 'skep'\norder by h.name",
		"orders by name descending": "select  h.name -- of each\nfrom hive as h\n  where " +
			"h.strength>=8\n    and h.kind = 'skep'\norder by h.name [|DESC]",
	} {
		all := mutationsOf(t, sql, mutation.Rules{Ordered: true})
		at := slices.IndexFunc(all, func(m mutation.Mutation) bool { return m.Says == says })
		if at < 0 {
			t.Fatalf("nothing %s in %+v", says, all)
		}
		e := all[at].Edit
		if got := e.Before + "[" + e.Was + "|" + e.Is + "]" + e.After; got != want {
			t.Errorf("what %s:\n got %s\nwant %s", says, got, want)
		}
	}
}

// What a check's rules make no difference is not tried.
func TestRules(t *testing.T) {
	const sql = "SELECT DISTINCT kind FROM hive ORDER BY kind"
	of := func(rules mutation.Rules) (all []string) {
		for _, m := range mutationsOf(t, sql, rules) {
			all = append(all, string(m.Operator))
		}
		return all
	}
	if got := of(mutation.Rules{}); slices.Contains(got, string(mutation.OrderKey)) {
		t.Errorf("the order does not count, and is changed: %q", got)
	}
	if got := of(mutation.Rules{Once: true}); slices.Contains(got, string(mutation.Distinct)) {
		t.Errorf("repeated rows do not count, and DISTINCT is changed: %q", got)
	}
	if all := mutationsOf(t, "SELECT name FROM hive WHERE name = '"+strings.Repeat("x", 30_000)+"'",
		mutation.Rules{}); all != nil {
		t.Errorf("of a text that long there are %d mutations", len(all))
	}
}

// Rows are copies of what is there, with keys of their own, and what is asked for about them.
func TestCandidates(t *testing.T) {
	look := func(sql string, _ int) ([][]*string, error) {
		row := func(values ...string) [][]*string {
			var all []*string
			for _, v := range values {
				if all = append(all, &v); v == "NULL" {
					all[len(all)-1] = nil
				}
			}
			return [][]*string{all}
		}
		switch {
		case strings.Contains(sql, "min(hive_id)"):
			return row("1", "8"), nil
		case strings.HasPrefix(sql, "SELECT hive.hive_id::text"), strings.Contains(sql, "FROM public.hive LIMIT 1"):
			return row("5", "2", "Amber", "skep", "NULL", "8", "1.50", "2026-03-01"), nil
		case strings.Contains(sql, "FROM public.apiary LIMIT 1"):
			return row("2", "Bell Meadow", "Durn", "140"), nil
		}
		return nil, nil
	}
	answer, _ := sqltext.ReadQuery("SELECT name FROM hive WHERE strength >= 8")
	wrong, _ := sqltext.ReadQuery("SELECT name FROM hive WHERE strength > 8")
	all, err := mutation.Candidates(answer, []*sqltext.Query{wrong}, tables, look)
	if err != nil {
		t.Fatal(err)
	}
	const columns = "INSERT INTO hive (hive_id, apiary_id, name, kind, colour, strength, price, since) VALUES "
	for what, sql := range map[string]string{
		"a new row of hive":                columns + "(9, 2, 'Amber 2', 'skep', NULL, 8, 1.50, '2026-03-01');\n",
		"a row of hive with strength 7":    columns + "(9, 2, 'Amber 2', 'skep', NULL, 7, 1.50, '2026-03-01');\n",
		"a row of hive without a strength": columns + "(9, 2, 'Amber 2', 'skep', NULL, NULL, 1.50, '2026-03-01');\n",
		"a row of hive with name AMBER":    columns + "(9, 2, 'AMBER', 'skep', NULL, 8, 1.50, '2026-03-01');\n",
	} {
		at := slices.IndexFunc(all, func(c mutation.Candidate) bool { return c.What == what })
		if at < 0 || all[at].SQL != sql {
			t.Errorf("%s:\n got %+v\nwant %s", what, all, sql)
		}
	}
	if !slices.IsSortedFunc(all, func(a, b mutation.Candidate) int { return len(a.Rows) - len(b.Rows) }) {
		t.Error("the simplest come first")
	}
	// Groups whose totals reach a bound, by few rows.
	answer, _ = sqltext.ReadQuery("SELECT kind, sum(price) FROM hive GROUP BY kind HAVING sum(price) >= 40 ORDER BY 2")
	wrong, _ = sqltext.ReadQuery("SELECT kind, sum(price) FROM hive GROUP BY kind, since HAVING sum(price) >= 40")
	looks := map[string]int{}
	counted := func(sql string, most int) ([][]*string, error) {
		looks[sql]++
		return look(sql, most)
	}
	all, err = mutation.Candidates(answer, []*sqltext.Query{wrong}, tables, counted)
	if err != nil {
		t.Fatal(err)
	}
	for what, prices := range map[string][]string{
		"groups with a total price of 40 and more":                                   {"40.02", "40.03", "40.01"},
		"groups with a total price of 40 and more, of two rows that differ in since": {"20.00", "20.00"},
	} {
		at := slices.IndexFunc(all, func(c mutation.Candidate) bool { return c.What == what })
		var got []string
		for _, r := range all[max(at, 0)].Rows {
			if r.Table == "hive" {
				got = append(got, *r.Values[slices.Index(r.Columns, "price")])
			}
		}
		if at < 0 || !slices.Equal(got, prices) {
			t.Errorf("%s: got %v of %+v", what, got, all[max(at, 0)])
		}
	}
	for sql, n := range looks {
		if n > 1 {
			t.Errorf("%s is run %d times", sql, n)
		}
	}
}

func Example() {
	q, err := sqltext.ReadQuery("SELECT name FROM hive WHERE strength >= 8 AND name IS NOT NULL")
	if err != nil {
		fmt.Println(err)
		return
	}
	for _, m := range mutation.Make(q, tables, mutation.Rules{})[:2] {
		fmt.Printf("An answer that %s: %q\n", m.Says, m.Same)
	}
	// Output:
	// An answer that leaves out the condition strength >= 8: ""
	// An answer that leaves out the condition name IS NOT NULL: "it is true of the same rows"
}

// Whatever can be read has mutations that can be read, and no end of them.
func FuzzMake(f *testing.F) {
	for _, sql := range []string{
		"SELECT name FROM hive WHERE strength >= 8 OR NOT (kind = 'skep') AND colour IS NULL ORDER BY 1 LIMIT 2",
		"WITH w AS (SELECT kind, avg(price) AS p FROM hive GROUP BY 1) SELECT * FROM w JOIN hive USING (kind) WHERE " +
			"p > price",
		"SELECT sum(price) OVER (PARTITION BY kind ORDER BY since ROWS 1 PRECEDING), CASE WHEN $$a$$ = 'b' THEN 1 " +
			"END FROM hive",
		"SELECT k.name FROM keeper k FULL JOIN care USING (keeper_id) WHERE EXISTS (SELECT 1 FROM keeper WHERE " +
			"mentor_id = k.keeper_id)",
		"(SELECT 1 UNION ALL SELECT 2) EXCEPT SELECT 3 ORDER BY 1 DESC NULLS LAST", "VALUES (1), (2)", "TABLE hive",
		"SELECT DISTINCT ON (kind) * FROM hive h, LATERAL (SELECT h.kind) AS x (y) WHERE (h.kind, 1) IN (SELECT " +
			"kind, 1 FROM hive)",
	} {
		f.Add(sql)
	}
	f.Fuzz(func(t *testing.T, sql string) {
		q, err := sqltext.ReadQuery(sql)
		if err != nil {
			return
		}
		for _, m := range mutation.Make(q, tables, mutation.Rules{Ordered: true}) {
			read, err := sqltext.ReadQuery(m.SQL)
			if err != nil {
				t.Fatalf("%s of %q is no query: %q: %v", m.Operator, sql, m.SQL, err)
			}
			_, err = mutation.Candidates(q, []*sqltext.Query{read}, tables, func(string, int) ([][]*string, error) {
				return nil, nil
			})
			if err != nil {
				t.Fatal(err)
			}
		}
	})
}
