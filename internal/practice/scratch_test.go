package practice_test

import (
	"context"
	"errors"
	"testing"

	"examen/internal/core/result"
	"examen/internal/practice"
)

// impatient is a sink that ends the run's time with its first row.
type impatient func()

func (i impatient) Begin([]result.Column) error { return nil }

func (i impatient) Row(result.Row) error {
	i()
	return nil
}

// A run in a scratch copy whose time is up leaves what was tried there before.
func TestARunWhoseTimeIsUpLeavesTheScratchCopy(t *testing.T) {
	many := limits
	many.Rows, many.Bytes = 1<<40, 1<<40
	s, ctx := server(t, many), context.Background()
	bees := files{"bee.sql": "CREATE TABLE bee AS SELECT generate_series(1, 1000) AS n"}
	scratch, err := s.Scratch(ctx, bees.order("test_scratch"))
	if err != nil {
		t.Fatal(err)
	}
	defer func() {
		if err := scratch.Close(ctx); err != nil {
			t.Error(err)
		}
	}()
	if err := errors.Join(
		scratch.Mark(ctx, "before"), scratch.Try(ctx, "INSERT INTO bee VALUES (0)"), scratch.Mark(ctx, "after"),
	); err != nil {
		t.Fatal(err)
	}
	up := errors.New("its time is up")
	limited, stop := context.WithCancelCause(ctx)
	defer stop(nil)
	run := practice.Run{SQL: "SELECT a.n FROM bee AS a, bee AS b, bee AS c"}
	if _, err := scratch.Run(limited, run, impatient(func() { stop(up) })); !errors.Is(err, up) {
		t.Errorf("got %v", err)
	}
	added := func() int {
		rows := &practice.Collector{MostRows: 10, MostBytes: 1000}
		if _, err := scratch.Run(ctx, practice.Run{SQL: "SELECT n FROM bee WHERE n = 0"}, rows); err != nil {
			t.Fatal(err)
		}
		return len(rows.Rows)
	}
	if n := added(); n != 1 {
		t.Errorf("%d rows are left", n)
	}
	if err := scratch.Back(ctx, "before"); err != nil || added() != 0 {
		t.Errorf("what was tried is not taken back: %v", err)
	}
}
