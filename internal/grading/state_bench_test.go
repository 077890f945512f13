package grading

import (
	"fmt"
	"slices"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
)

// Submissions that are checked by what they leave, beside somebody who does the same by hand: a database of the
// template, the statements in it, its table read and compared, and the database dropped.
func BenchmarkStateChecks(b *testing.B) {
	p := openPaths(b)
	task := p.task(b, "not-so-steep")
	task.Hidden = nil
	const sql = "UPDATE path SET grade = 'moderate' WHERE path_id = 6"
	admin, err := pgx.Connect(ctx, url)
	if err != nil {
		b.Fatal(err)
	}
	defer admin.Close(ctx)
	byHand := func(i int) []string {
		name := fmt.Sprintf("by_hand_%d", i)
		exec := func(conn *pgx.Conn, sql string) {
			if _, err := conn.Exec(ctx, sql); err != nil {
				b.Fatal(err)
			}
		}
		exec(admin, "CREATE DATABASE "+name+" TEMPLATE template_of_"+p.visible)
		config, _ := pgx.ParseConfig(url)
		config.Database = name
		conn, err := pgx.ConnectConfig(ctx, config)
		if err != nil {
			b.Fatal(err)
		}
		exec(conn, sql)
		rows, _ := conn.Query(ctx, "SELECT p::text FROM path AS p ORDER BY 1")
		all, err := pgx.CollectRows(rows, pgx.RowTo[string])
		if err != nil {
			b.Fatal(err)
		}
		conn.Close(ctx)
		exec(admin, "DROP DATABASE "+name)
		return all
	}
	expected := byHand(0)
	if _, err := p.Grade(ctx, task, 1, sql); err != nil { // what the accepted answer leaves is known from then on
		b.Fatal(err)
	}
	var checked []time.Duration
	var bare time.Duration
	for i := 1; b.Loop(); i++ {
		begun := time.Now()
		v, err := p.Grade(ctx, task, 1, sql)
		if err != nil || v.Outcome != correct {
			b.Fatalf("%+v, %v", v, err)
		}
		checked = append(checked, time.Since(begun))
		begun = time.Now()
		if !slices.Equal(byHand(i), expected) {
			b.Fatal("by hand it is another")
		}
		bare += time.Since(begun)
	}
	var all time.Duration
	for _, d := range checked {
		all += d
	}
	slices.Sort(checked)
	b.ReportMetric(float64(all)/float64(bare), "x-by-hand")
	b.ReportMetric(float64(checked[len(checked)/2].Milliseconds()), "ms-median")
	b.ReportMetric(float64(len(checked))/all.Seconds(), "checks/s")
}
