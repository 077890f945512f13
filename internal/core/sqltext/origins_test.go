package sqltext_test

import (
	"fmt"
	"strings"
	"testing"

	"examen/internal/core/sqltext"
)

var measured = sqltext.Relations{
	"hive": {Rows: 400, Columns: []sqltext.RelationColumn{{Name: "id", Type: "integer", Size: 400}, {
		Name: "weight",
		Type: "numeric",
		Size: 50,
	}, {Name: "noise", Type: "real", Size: 9},
		{Name: "heat", Type: "double precision", Size: 40}, {Name: "name", Type: "text", Collation: `"loose"`}}},
	"care": {
		Rows:    1000,
		Columns: []sqltext.RelationColumn{{Name: "id", Type: "integer"}, {Name: "price", Type: "numeric", Size: 80}},
	},
	"averages": {
		Columns: []sqltext.RelationColumn{{Name: "name", Type: "text"}, {Name: "mean", Type: "numeric"}},
		Query:   "SELECT name, avg(weight) FROM hive GROUP BY name",
	},
	"yard.bank": {Columns: []sqltext.RelationColumn{{Name: "depth", Type: "real"}}},
}

// What the numbers of a result come of decides how many of their digits count.
func TestOriginsOfOutputs(t *testing.T) {
	for _, c := range []struct{ sql, want string }{
		{"SELECT id, weight FROM hive", "exact, exact"},
		{"SELECT weight / 3, 100.0 * id / 7 FROM hive", "quotient, quotient"},
		{"SELECT avg(weight) * 12, avg(weight * 12) FROM hive", "quotient added 600, quotient added 600"},
		{"SELECT sum(weight), max(weight) - min(weight) FROM hive", "added 50, added 50"},
		{"SELECT round(avg(weight), 2), (weight / 7)::numeric(6,2)", "exact, exact"},
		{
			"SELECT sum(noise), avg(noise), noise * 2 FROM hive",
			"quotient real 400 added 9, quotient real added 9, quotient real",
		},
		{
			"SELECT sum(noise::float8), sum(noise)::numeric FROM hive",
			"quotient real added 9, quotient real 400 added 9",
		},
		{"SELECT heat::numeric, heat::int, round(heat) FROM hive", "quotient, exact, exact"},
		{"SELECT a.w FROM (SELECT weight / 2 AS w FROM hive) AS a", "quotient"},
		{"WITH a(w) AS (SELECT avg(heat) FROM hive) SELECT w + 1 FROM a", "quotient added 40"},
		{"SELECT (SELECT avg(price) FROM care), id FROM hive", "quotient added 80, exact"},
		{"SELECT mean FROM averages", "quotient added 50"},
		{"SELECT * FROM hive JOIN care USING (id)", `exact, exact, quotient real, quotient, exact "loose", exact`},
		{
			"SELECT h.*, depth FROM hive h, yard.bank",
			`exact, exact, quotient real, quotient, exact "loose", quotient real`,
		},
		{"SELECT CASE WHEN id > 1 THEN weight / 2 ELSE 0 END FROM hive", "quotient"},
		{"SELECT coalesce(noise, 0) FROM hive", "quotient real"},
		{"SELECT weight FROM hive UNION SELECT price / 2 FROM care", "quotient"},
		{"VALUES (1), (2)", "exact"},
		{"SELECT * FROM unknown", ""},
		{"SELECT * FROM generate_series(1, 2)", ""},
		{"SELECT min(name), lower(name), name COLLATE \"C\" FROM hive", `exact "loose", exact, exact`},
		{"SELECT percentile_cont(0.5) WITHIN GROUP (ORDER BY noise), count(*) FROM hive", "quotient real, exact"},
		{"WITH RECURSIVE n(x) AS (SELECT 1.0 UNION ALL SELECT x / 2 FROM n WHERE x > 0.1) SELECT x FROM n", "quotient"},
		{"SELECT x.w FROM hive AS h, LATERAL (SELECT h.weight / 3 AS w) AS x", "quotient"},
		{
			"SELECT sum(h.weight - h.weight) OVER (ORDER BY h.id), lag(h.heat) OVER (ORDER BY h.id), -h.noise FROM " +
				"hive h",
			"added 50, quotient, quotient real",
		},
	} {
		q, err := sqltext.ReadQuery(c.sql)
		if err != nil {
			t.Fatal(err)
		}
		var got []string
		for _, o := range q.Origins(measured) {
			words := []string{}
			if o.Quotient {
				words = append(words, "quotient")
			}
			if o.Real {
				words = append(words, "real")
			}
			if o.SumOfReal > 0 {
				words = append(words, fmt.Sprint(o.SumOfReal))
			}
			if o.Added {
				words = append(words, fmt.Sprint("added ", o.Size))
			}
			if len(words) == 0 {
				words = append(words, "exact")
			}
			got = append(got, strings.TrimSpace(strings.Join(words, " ")+" "+o.Collation))
		}
		if strings.Join(got, ", ") != c.want {
			t.Errorf("%s\n got %s\nwant %s", c.sql, strings.Join(got, ", "), c.want)
		}
	}
}
