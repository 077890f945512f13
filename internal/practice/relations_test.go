package practice_test

import (
	"context"
	"testing"
)

func TestRelationsSayWhatNumbersComeOf(t *testing.T) {
	s := server(t, limits)
	database := build(t, s, files{"a.sql": `
CREATE COLLATION loose (provider = icu, locale = 'und-u-ks-level2', deterministic = false);
CREATE SCHEMA yard;
CREATE DOMAIN heat AS real;
CREATE TABLE hive (id int, weight numeric(6,2), noise real, warm heat, name text COLLATE loose, far float8);
INSERT INTO hive SELECT n, n / 7.0, n, n, 'x', CASE n WHEN 5 THEN 'Infinity'::float8 ELSE -1e6 * n END FROM
generate_series(1, 500) AS n;
CREATE TABLE yard.tool (tool text);
CREATE VIEW means AS SELECT avg(weight) AS mean FROM hive;`}, false)
	before, err := s.Relations(context.Background(), database)
	if err != nil || len(before["hive"].Columns) != 6 {
		t.Fatalf("got %+v, %v", before, err)
	}
	if err := s.Analyze(context.Background(), database); err != nil {
		t.Fatal(err)
	}
	relations, err := s.Relations(context.Background(), database)
	if err != nil {
		t.Fatal(err)
	}
	hive := relations["hive"]
	if hive.Rows != 500 || hive.Columns[0].Size != 500 || hive.Columns[3].Type != "real" ||
		hive.Columns[4].Collation != "public.loose" || hive.Columns[5].Size != 5e8 || hive.Columns[1].Size > 72 {
		t.Errorf("got %+v", hive)
	}
	if relations["means"].Query != " SELECT avg(hive.weight) AS mean\n   FROM hive" ||
		len(relations["yard.tool"].Columns) != 1 || len(relations["tool"].Columns) != 1 {
		t.Errorf("got %+v", relations)
	}
}
