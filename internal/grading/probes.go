package grading

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

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
	// tables are the rows that were there then of the named tables: those that had changed, and the views. left
	// describes them, and masks what of them does not count. Of one not taken there are none.
	left   *practice.Left
	names  []string
	tables []*rowSource
	masks  masks
	// shown is what the statement shows itself, nil for nothing; the values of its unsteady columns differ from one run
	// to the next.
	shown    *rowSource
	unsteady []int
}

// try runs a statement in a copy after an answer.
func (g *Grader) try(ctx context.Context, p *performed, sql string) (*probed, error) {
	statements, err := sqltext.ReadStatements(sql)
	if err != nil {
		return nil, err
	}
	var sinks []*practice.Collector
	done, err := g.copies.Perform(ctx, practice.Script{
		Database: p.copied.Database, Build: p.database, Checking: true, Statements: statements,
	}, collectEach(&sinks))
	var reported *practice.DatabaseError
	if errors.As(err, &reported) {
		return &probed{sql: sql, message: reported.Message}, nil
	} else if err != nil {
		return nil, err
	}
	return &probed{sql: sql, taken: true, shown: lastOf(sinks, done)}, nil
}

// expectedProbe tries a statement after the accepted answer: in both copies that it ran in, so that it is known what
// differs from one to the other. m is what does not count of what the answer left.
func (g *Grader) expectedProbe(
	ctx context.Context, m masks, before map[string]int64, runs [2]*performed, sql string,
) (*probed, error) {
	tried, err := g.try(ctx, runs[0], sql)
	if err != nil {
		return nil, err
	}
	tried.masks = m
	second, err := g.try(ctx, runs[1], sql)
	if err != nil || !tried.taken {
		return tried, err
	}
	tried.unsteady = unsteady(tried.shown, second.shown)
	if tried.left, err = g.copies.Left(ctx, *runs[0].copied, runs[0].database); err != nil {
		return nil, err
	}
	then := &performed{left: tried.left}
	tried.names = then.comparedTables()
	if err := g.findMasks(ctx, &tried.masks, before, runs, tried.left, tried.names); err != nil {
		return nil, err
	}
	tried.tables, err = g.readTables(ctx, runs[0], tried.left, tried.names, tried.masks)
	return tried, err
}

// probe compares what the database does with a statement of the check.
func (w *stateWords) probe(ctx context.Context, expected *probed, accepts bool) error {
	c := w.comparison
	g := c.attempt.grader
	// The columns of one's own table may stand in another order.
	sql := sqltext.WithColumns(expected.sql, func(table string) []string {
		if t := w.expected.table(table); t != nil {
			return t.Columns
		}
		return nil
	})
	got, err := g.try(ctx, c.own, sql)
	if err != nil {
		return err
	}
	if got.taken != accepts {
		w.findings = append(w.findings, explain.Probed(expected.sql, got.taken, got.message, w.whole()))
		return nil
	}
	if !expected.taken || !got.taken {
		return nil
	}
	if expected.shown != nil && got.shown != nil {
		difference, err := w.shown(w.rowPolicy(), expected.shown, got.shown, expected.masks, expected.unsteady)
		if err != nil {
			return err
		}
		for _, f := range difference {
			w.findings = append(w.findings, explain.ProbeShows(
				expected.sql, explain.Difference(f, w.told()), w.whole(),
			))
		}
	}
	tables, err := g.readTables(ctx, c.own, expected.left, expected.names, expected.masks)
	if err != nil {
		return err
	}
	for i, name := range expected.names {
		right, difference, _, err := match(g.answers.seed, w.rowPolicy(), expected.tables[i], tables[i])
		if err != nil {
			return err
		}
		if right {
			continue
		}
		for _, f := range difference.Findings {
			w.findings = append(w.findings, explain.AfterProbe(
				expected.sql, explain.InTable(kindOf(expected.left, name), name, f, w.told()), w.whole(),
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
	involved, names, rows := rowsNear(want, append(slices.Clone(wanted), given...))
	if len(involved) == 0 {
		return nil
	}
	all := func(conditions []string) string {
		return "(" + strings.Join(append([]string{"true"}, conditions...), " AND ") + ") IS NOT FALSE"
	}
	query := fmt.Sprintf("SELECT given, %s FROM (SELECT %s AS wanted, %s AS given, %s FROM %s LIMIT %d) AS t "+
		"WHERE wanted <> given LIMIT 1", strings.Join(names, ", "), all(wanted), all(given), strings.Join(names, ", "),
		rows, mostCombined)
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

// rowsNear writes rows near the constants of expressions, of those columns of a table that the expressions speak of, as
// what FROM names. names are the columns' as SQL writes them.
func rowsNear(t definition.Table, expressions []string) (involved []definition.Column, names []string, rows string) {
	var constants []string
	for _, expression := range expressions {
		constants = append(constants, sqltext.Constants(expression)...)
	}
	involved = columnsIn(t, expressions)
	parts := []string{"(VALUES (1)) AS \"one row\""}
	for _, column := range involved {
		values := valuesNear(column.Type, constants)
		for i, value := range values {
			values[i] = "(CAST(" + value + " AS " + column.Type + "))"
		}
		name := quoted(column.Name)
		parts = append(parts, "(VALUES "+strings.Join(values, ", ")+") AS "+quoted("of "+column.Name)+" ("+name+")")
		names = append(names, name)
	}
	return involved, names, strings.Join(parts, ", ")
}

// expressions gives what the attempt has defined, with the expected expressions in place of those by which the database
// works out the same: defaults, and columns that are generated.
func (w *stateWords) expressions(ctx context.Context) (definition.Database, error) {
	got := w.comparison.own.left.Database
	got.Tables = slices.Clone(got.Tables)
	for i := range got.Tables {
		t := &got.Tables[i]
		at := slices.IndexFunc(w.expected.left.Database.Tables,
			func(e definition.Table) bool { return e.Name == t.Name })
		if at < 0 {
			continue
		}
		want := w.expected.left.Database.Tables[at]
		t.Columns = slices.Clone(t.Columns)
		for n := range t.Columns {
			own := &t.Columns[n]
			at := slices.IndexFunc(want.Columns, func(c definition.Column) bool { return c.Name == own.Name })
			if at < 0 || !definition.SameType(own.Type, want.Columns[at].Type) {
				continue
			}
			for _, pair := range [][2]*string{
				{&want.Columns[at].Default, &own.Default}, {&want.Columns[at].Generated, &own.Generated},
			} {
				same, err := w.sameExpression(ctx, want, own.Type, *pair[0], *pair[1])
				if err != nil {
					return got, err
				} else if same {
					*pair[1] = *pair[0]
				}
			}
		}
	}
	return got, nil
}

// sameExpression tells whether two expressions that are written otherwise have the same values in a table.
func (w *stateWords) sameExpression(ctx context.Context, t definition.Table, of, want, got string) (bool, error) {
	if want == got || want == "" || got == "" {
		return want == got, nil
	}
	_, _, rows := rowsNear(t, []string{want, got})
	query := fmt.Sprintf("SELECT pg_catalog.count(*) FROM (SELECT CAST(%s AS %s) AS want, CAST(%s AS %s) AS got "+
		"FROM %s LIMIT %d) AS t WHERE want IS DISTINCT FROM got", want, of, got, of, rows, mostCombined)
	c := w.comparison
	found, err := c.attempt.grader.read(ctx, c.own.copied.Database, c.database, []string{query})
	if isReported(err) { // they cannot be worked out so
		return false, nil
	} else if err != nil {
		return false, err
	}
	return string(found[0].rows[0][0]) == "0", nil
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
	case "time without time zone", "time with time zone":
		for _, c := range append([]string{"12:00"}, constants...) {
			if at, err := time.Parse("15:04", c[:min(len(c), len("15:04"))]); err == nil {
				for _, by := range []time.Duration{0, -time.Minute, time.Minute} {
					add(at.Add(by).Format("15:04"))
				}
			}
		}
	case "boolean":
		add("true")
		add("false")
	case "text", "character varying", "character":
		for _, c := range append([]string{"", "x"}, constants...) {
			add(c)
			add(c + "x")
			add(strings.ToUpper(c))
			if n, err := strconv.Atoi(c); err == nil && n > 0 && n < 300 { // it may be a length
				add(strings.Repeat("x", n))
				add(strings.Repeat("x", n+1))
			}
		}
	default:
		for _, c := range constants {
			add(c)
		}
	}
	return values
}
