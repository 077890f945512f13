package sqltext

import (
	"strings"
	"testing"
)

func TestTopics(t *testing.T) {
	for _, c := range [][2]string{
		{"SELECT name FROM hive", "columns"},
		{"SELECT name FROM hive WHERE strength > 8", "conditions"},
		{"SELECT name FROM hive WHERE strength IS NOT NULL ORDER BY name", "order, NULL"},
		{"SELECT coalesce(email, '') FROM beekeeper", "NULL"},
		{"SELECT a.name FROM apiary a JOIN hive h USING (apiary_id)", "joins"},
		{"SELECT a.name FROM apiary a, hive h WHERE a.apiary_id = h.apiary_id", "joins"},
		{"SELECT a.name, count(h.*) FROM apiary a LEFT JOIN hive h USING (apiary_id) GROUP BY 1 HAVING count(*) > 2",
			"joins, outer joins, grouping, conditions on groups, aggregates"},
		{"SELECT name FROM hive WHERE strength IS DISTINCT FROM 3 LIMIT 1", "limits, NULL"},
		{"WITH w AS (SELECT DISTINCT kind FROM hive) SELECT kind FROM w UNION SELECT 'x'",
			"WITH, set operations, distinct rows"},
	} {
		q, err := ReadQuery(c[0])
		if err != nil {
			t.Fatal(err)
		}
		if got := strings.Join(q.Topics(), ", "); got != c[1] {
			t.Errorf("%s: got %s, want %s", c[0], got, c[1])
		}
	}
}
