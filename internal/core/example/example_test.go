package example_test

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"

	"examen/internal/core/example"
	"examen/internal/core/sqltext"
)

func numbers(n int) (all []int) {
	for i := range n {
		all = append(all, i)
	}
	return all
}

// What is left are the rows that the difference needs, and no other.
func TestReduce(t *testing.T) {
	references := []example.Reference{{From: "hive", To: "apiary"}}
	for i := range 5000 {
		references[0].Row = append(references[0].Row, i%100)
	}
	all := example.Selection{"hive": numbers(5000), "apiary": numbers(100), "grade": numbers(7)}
	for _, c := range []struct {
		name  string
		needs example.Selection // all of these
		want  string
	}{
		{"one row", example.Selection{"hive": {1234}}, "map[apiary:[34] grade:[] hive:[1234]]"},
		{"two rows far apart", example.Selection{"hive": {7, 4991}}, "map[apiary:[7 91] grade:[] hive:[7 4991]]"},
		{"rows of two tables", example.Selection{"grade": {3}, "apiary": {50}}, "map[apiary:[50] grade:[3] hive:[]]"},
		{"nothing at all", example.Selection{}, "map[apiary:[] grade:[] hive:[]]"},
	} {
		tried := 0
		got, err := example.Reduce(all, references, func(s example.Selection) (bool, error) {
			tried++
			for _, row := range s["hive"] {
				if !slices.Contains(s["apiary"], row%100) {
					t.Fatalf("%s: hive %d stands in no apiary", c.name, row)
				}
			}
			for table, rows := range c.needs {
				for _, row := range rows {
					if !slices.Contains(s[table], row) {
						return false, nil
					}
				}
			}
			return true, nil
		})
		if fmt.Sprint(got) != c.want || err != nil {
			t.Errorf("%s: got %v, %v; want %s", c.name, got, err, c.want)
		}
		if tried > 150 {
			t.Errorf("%s: %d selections were tried", c.name, tried)
		}
	}
}

// What has been left out when the time is up stays so.
func TestReduceEndsEarly(t *testing.T) {
	over, tried := errors.New("time is up"), 0
	got, err := example.Reduce(example.Selection{"hive": numbers(1000)}, nil, func(s example.Selection) (bool, error) {
		if tried++; tried > 4 {
			return false, over
		}
		return slices.Contains(s["hive"], 999), nil
	})
	if !errors.Is(err, over) || got.Rows() >= 1000 || !slices.Contains(got["hive"], 999) {
		t.Errorf("got %d rows, %v", got.Rows(), err)
	}
}

// Every table that a query reads is the small one, whatever else has its name.
func TestShadow(t *testing.T) {
	tables := map[string]example.Table{
		"hive": {
			SQL: "SELECT 1 AS hive_id FROM public.hive", Key: []string{"hive_id"}, Columns: []string{"hive_id", "name"},
		},
		"apiary": {SQL: "SELECT 2 AS apiary_id"}, "calm": {SQL: "SELECT * FROM hive WHERE hive_id > 1"},
	}
	const hive = "small_hive AS (SELECT 1 AS hive_id FROM public.hive)"
	const apiary = "small_apiary AS (SELECT 2 AS apiary_id)"
	for _, c := range []struct{ sql, want string }{
		{"SELECT * FROM hive", "WITH " + hive + " SELECT * FROM small_hive hive"},
		{"SELECT h.hive_id FROM public.hive AS h", "WITH " + hive + " SELECT h.hive_id FROM small_hive h"},
		{
			"SELECT (SELECT count(*) FROM apiary) FROM hive UNION SELECT 1 FROM hive",
			"WITH " + hive + ", " + apiary + " SELECT (SELECT count(*) FROM small_apiary apiary) FROM small_hive " +
				"hive UNION SELECT 1 FROM small_hive hive",
		},
		{
			"WITH hive AS (SELECT * FROM hive) SELECT * FROM hive",
			"WITH " + hive + ", hive AS (SELECT * FROM small_hive hive) SELECT * FROM hive",
		},
		{
			"WITH RECURSIVE apiary AS (SELECT 1 UNION ALL SELECT 2 FROM apiary) SELECT * FROM apiary, hive",
			"WITH RECURSIVE " + hive +
				", apiary AS (SELECT 1 UNION ALL SELECT 2 FROM apiary) SELECT * FROM apiary, small_hive hive",
		},
		{
			"SELECT * FROM calm",
			"WITH " + hive + ", small_calm AS (SELECT * FROM small_hive hive WHERE hive_id > 1) " +
				"SELECT * FROM small_calm calm",
		},
		{
			"SELECT small_x FROM hive AS small_x", "WITH small__hive AS (SELECT 1 AS hive_id FROM public.hive) " +
				"SELECT small_x FROM small__hive small_x",
		},
		{"SELECT 1 FROM other", "SELECT 1 FROM other"},
		{ // what is grouped by a key
			"SELECT h.name, count(*) FROM hive h, apiary GROUP BY h.hive_id",
			"WITH " + hive + ", " + apiary + " SELECT h.name, count(*) FROM small_hive h, small_apiary apiary GROUP " +
				"BY h.hive_id, h.name",
		},
	} {
		q, err := sqltext.ReadQuery(c.sql)
		if err != nil {
			t.Fatal(err)
		}
		got, err := example.Shadow(q, tables)
		if err != nil || strings.Join(strings.Fields(got), " ") != c.want {
			t.Errorf("%s\n got %s, %v\nwant %s", c.sql, got, err, c.want)
		}
	}
}
