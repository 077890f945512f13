package sqltext_test

import (
	"testing"

	"examen/internal/core/sqltext"
)

// Queries are alike whatever their layout, letter case and given names; with other literals they are alike but for
// those; anything else makes another query.
func TestShapes(t *testing.T) {
	const (
		same   = "the same"
		values = "the same but for literals"
		other  = "another"
	)
	for _, c := range []struct{ a, b, are string }{
		{"SELECT name FROM hive", "select  NAME\nfrom Hive -- all\n", same},
		{"SELECT name FROM hive", "SELECT name AS n FROM hive", same},
		{"SELECT name AS name FROM hive ORDER BY name", "SELECT name FROM hive ORDER BY name", same},
		{"SELECT h.name FROM hive h", "SELECT x.name FROM hive AS x", same},
		{"SELECT hive.name FROM hive", "SELECT x.name FROM hive AS x", same},
		{"SELECT count(*) AS n FROM hive ORDER BY n", "SELECT count(*) AS hives FROM hive ORDER BY hives", same},
		{
			"SELECT a.name, b.name FROM apiary a JOIN care c ON c.apiary_id = a.apiary_id, beekeeper b",
			"SELECT p.name, q.name FROM apiary p JOIN care r ON r.apiary_id = p.apiary_id, beekeeper q", same,
		},
		{
			"SELECT a.name, b.name FROM apiary a, beekeeper b", "SELECT b.name, a.name FROM apiary a, beekeeper b",
			other,
		},
		{"SELECT b.name FROM bee b, bee m", "SELECT m.name FROM bee b, bee m", other},
		{
			"WITH strong AS (SELECT * FROM hive WHERE strength > 5) SELECT name FROM strong",
			"WITH s AS (SELECT * FROM hive WHERE strength > 7) SELECT name FROM s", values,
		},
		{"SELECT name FROM hive WHERE strength > 5", "SELECT name FROM hive WHERE strength > 6", values},
		{"SELECT name FROM hive WHERE strength > 5", "SELECT name FROM hive WHERE strength > '5'", values},
		{"SELECT name FROM hive WHERE strength > 5", "SELECT name FROM hive WHERE strength >= 5", other},
		{"SELECT name FROM hive WHERE strength > 5", "SELECT kind FROM hive WHERE strength > 5", other},
		{"SELECT name FROM hive", "SELECT name FROM apiary", other},
		{"SELECT name FROM hive", "SELECT DISTINCT name FROM hive", other},
		{"SELECT sum(strength) FROM hive", "SELECT avg(strength) FROM hive", other},
		{"SELECT name FROM hive ORDER BY name", "SELECT name FROM hive ORDER BY name DESC", other},
		{"SELECT * FROM hive LIMIT 3", "SELECT * FROM hive LIMIT 4", values},
		{"SELECT 'a' FROM hive", "SELECT 'A' FROM hive", values},
	} {
		a, b := parsed(t, c.a), parsed(t, c.b)
		exactA, anyA := a.Shapes()
		exactB, anyB := b.Shapes()
		are := other
		if exactA == exactB {
			are = same
		} else if anyA == anyB {
			are = values
		}
		if are != c.are {
			t.Errorf("%s\n%s\nare %s, want %s", c.a, c.b, are, c.are)
		}
		for range 3 { // always the same
			if again, _ := parsed(t, c.a).Shapes(); again != exactA {
				t.Errorf("%s has two shapes", c.a)
			}
		}
	}
}

func BenchmarkShapes(b *testing.B) {
	q, err := sqltext.ReadQuery("SELECT a.name, b.name FROM apiary a JOIN care c ON c.apiary_id = a.apiary_id " +
		"JOIN beekeeper b ON b.beekeeper_id = c.beekeeper_id WHERE a.valley = 'Durn' ORDER BY a.name, b.name")
	if err != nil {
		b.Fatal(err)
	}
	for b.Loop() {
		q.Shapes()
	}
}

func parsed(t *testing.T, text string) *sqltext.Query {
	t.Helper()
	q, err := sqltext.ReadQuery(text)
	if err != nil {
		t.Fatalf("%s: %v", text, err)
	}
	return q
}
