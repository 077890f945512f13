package grading

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"examen/internal/core/compare"
	"examen/internal/core/definition"
	"examen/internal/core/explain"
	"examen/internal/core/sqltext"
	"examen/internal/practice"
)

// Definitions are told apart by what the database does with them: statements that the check lists are tried after an
// answer, and the conditions of checks are worked out for values near the constants in them.

// A probed is what became of a statement that was tried after an answer.
type probed struct {
	sql     string
	taken   bool
	message string // the database's, of one that it did not take
	// left and tables are what was there then, of the tables that had changed and of the views. Nil for one not taken.
	left   *practice.Left
	names  []string
	tables []*rowSource
}

// probe tries a statement in a copy after an answer. like is what became of it after the accepted answer; nil of that
// one itself.
func (g *Grader) probe(ctx context.Context, p *performed, like *probed, m masks, sql string) (*probed, error) {
	statements, err := sqltext.ReadStatements(sql)
	if err != nil {
		return nil, err
	}
	tried := &probed{sql: sql}
	_, err = g.copies.Perform(ctx, practice.Script{
		Database: p.copied.Database, Build: p.database, Checking: true, Statements: statements,
	}, func(int) practice.Sink { return &practice.Collector{} })
	var reported *practice.DatabaseError
	if errors.As(err, &reported) {
		tried.message = reported.Message
		return tried, nil
	} else if err != nil {
		return nil, err
	}
	tried.taken = true
	if like == nil {
		if tried.left, err = g.copies.Left(ctx, *p.copied, p.database); err != nil {
			return nil, err
		}
		then := &performed{left: tried.left}
		tried.names = then.comparedTables()
		like = tried
	}
	if like.taken {
		tried.tables, err = g.readTables(ctx, p, like.left, like.names, m)
	}
	return tried, err
}

// probe compares what the database does with a statement of the check.
func (w *stateWords) probe(ctx context.Context, expected *probed, accepts bool) error {
	c := w.comparison
	// The columns of one's own table may stand in another order.
	sql := sqltext.WithColumns(expected.sql, func(table string) []string {
		if t := w.expected.table(table); t != nil {
			return t.Columns
		}
		return nil
	})
	got, err := c.attempt.grader.probe(ctx, c.own, expected, w.expected.masks, sql)
	if err != nil {
		return err
	}
	if got.taken != accepts {
		w.findings = append(w.findings, explain.Probed(expected.sql, got.taken, got.message, w.told()))
		return nil
	}
	if !expected.taken || !got.taken {
		return nil
	}
	policy := c.attempt.task.Rules.Policy
	policy.Order, policy.Columns, policy.Names = compare.OrderAny, compare.ByPosition, false
	for i, name := range expected.names {
		right, difference, _, err := match(c.attempt.grader.answers.seed, policy, expected.tables[i], got.tables[i])
		if err != nil {
			return err
		}
		if right {
			continue
		}
		for _, f := range difference.Findings {
			w.findings = append(w.findings, explain.AfterProbe(
				expected.sql, explain.InTable("table", name, f, w.told()), w.told(),
			))
		}
	}
	return nil
}

// conditions compares what the checks of each table take.
func (w *stateWords) conditions(ctx context.Context) error {
	for _, want := range w.expected.left.Database.Tables {
		at := slices.IndexFunc(w.comparison.own.left.Database.Tables, func(t definition.Table) bool {
			return t.Name == want.Name
		})
		if at < 0 {
			continue
		}
		if err := w.conditionsOf(ctx, want, w.comparison.own.left.Database.Tables[at]); err != nil {
			return err
		}
	}
	return nil
}

// checksOf are the conditions of a table's checks.
func checksOf(t definition.Table) []string {
	var all []string
	for _, k := range t.Constraints {
		if k.Kind == definition.Check {
			all = append(all, "("+k.Condition+")")
		}
	}
	slices.Sort(all)
	return all
}

// mostCombined is how many combinations of values conditions are worked out for.
const mostCombined = 2000

func (w *stateWords) conditionsOf(ctx context.Context, want, got definition.Table) error {
	wanted, given := checksOf(want), checksOf(got)
	if slices.Equal(wanted, given) {
		return nil
	}
	var constants []string
	for _, condition := range append(slices.Clone(wanted), given...) {
		constants = append(constants, sqltext.Constants(condition)...)
	}
	involved := columnsIn(want, append(slices.Clone(wanted), given...))
	var parts, names []string
	for _, column := range involved {
		values := valuesNear(column.Type, constants)
		for i, value := range values {
			values[i] = "(CAST(" + value + " AS " + column.Type + "))"
		}
		parts = append(parts, "(VALUES "+strings.Join(values, ", ")+") AS "+quoted("of "+column.Name)+" ("+
			quoted(column.Name)+")")
		names = append(names, quoted(column.Name))
	}
	if len(parts) == 0 {
		return nil
	}
	all := func(conditions []string) string {
		return "(" + strings.Join(append([]string{"true"}, conditions...), " AND ") + ") IS NOT FALSE"
	}
	query := fmt.Sprintf("SELECT given, %s FROM (SELECT %s AS wanted, %s AS given, %s FROM %s LIMIT %d) AS t "+
		"WHERE wanted <> given LIMIT 1", strings.Join(names, ", "), all(wanted), all(given), strings.Join(names, ", "),
		strings.Join(parts, ", "), mostCombined)
	c := w.comparison
	found, err := c.attempt.grader.read(ctx, c.own.copied.Database, c.database, []string{query})
	if isReported(err) { // a condition that cannot be worked out so: functions of one side, or values of no type
		return nil
	} else if err != nil {
		return err
	}
	if found[0].count == 0 {
		return nil
	}
	var columns []string
	for _, column := range involved {
		columns = append(columns, column.Name)
	}
	row := explain.Cells(found[0].rows[0][1:], longestEvidence)
	taken := string(found[0].rows[0][0]) == "t"
	w.findings = append(w.findings, explain.CheckDiffers(want.Name, taken, columns, row, w.told()))
	return nil
}

// columnsIn are the columns of a table that conditions speak of.
func columnsIn(t definition.Table, conditions []string) []definition.Column {
	var all []definition.Column
	for _, column := range t.Columns {
		if slices.ContainsFunc(conditions, func(c string) bool { return sqltext.Mentions(c, column.Name) }) {
			all = append(all, column)
		}
	}
	return all
}

// valuesNear writes values of a type near the constants of conditions, NULL among them.
func valuesNear(typeName string, constants []string) []string {
	values := []string{"NULL"}
	add := func(value string) {
		if value = "'" + strings.ReplaceAll(value, "'", "''") + "'"; !slices.Contains(values, value) {
			values = append(values, value)
		}
	}
	base, _, _ := strings.Cut(typeName, "(")
	switch strings.TrimSuffix(base, "[]") {
	case "integer", "bigint", "smallint":
		for _, c := range append([]string{"0", "1", "-1", "1000"}, constants...) {
			if n, err := strconv.ParseFloat(c, 64); err == nil && n > -1e6 && n < 1e6 {
				for _, by := range []float64{0, -1, 1} {
					add(strconv.FormatInt(int64(n+by), 10))
				}
			}
		}
	case "numeric", "double precision", "real":
		for _, c := range append([]string{"0", "1000"}, constants...) {
			if n, err := strconv.ParseFloat(c, 64); err == nil && n > -1e6 && n < 1e6 {
				for _, by := range []float64{0, -1, 1, -0.01, 0.01} {
					add(strconv.FormatFloat(n+by, 'f', 2, 64))
				}
			}
		}
	case "date", "timestamp without time zone", "timestamp with time zone":
		for _, c := range append([]string{"2000-01-01"}, constants...) {
			day, err := time.Parse(time.DateOnly, c[:min(len(c), len(time.DateOnly))])
			for _, by := range []int{0, -1, 1} {
				if err == nil {
					add(day.AddDate(0, 0, by).Format(time.DateOnly))
				}
			}
		}
	case "boolean":
		add("true")
		add("false")
	default:
		for _, c := range append([]string{"", "x"}, constants...) {
			add(c)
			add(c + "x")
			add(strings.ToUpper(c))
		}
	}
	return values
}
