package grading

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"golang.org/x/sync/errgroup"

	"examen/internal/core/compare"
	"examen/internal/core/pack"
	"examen/internal/core/panics"
	"examen/internal/core/result"
	"examen/internal/core/sqltext"
	"examen/internal/practice"
)

// Answers that change something are checked by what they leave: each runs in a copy of its own, and what is there then
// is compared, definitions as definitions and the rows of each table as results are.

// A performed is statements that were run in a copy of their own, which has to be dropped.
type performed struct {
	grader   *Grader
	database string // that it is a copy of
	copied   *practice.Copy
	done     practice.Performance
	left     *practice.Left
	last     *rowSource // what its last query showed; nil for none
}

// perform runs statements in a fresh copy of a database, and reads what they leave. It begins anew where the server was
// lost in the middle. The error may be the statements' own: then those that were done are in performed all the same.
func (g *Grader) perform(
	ctx context.Context, database string, statements []sqltext.Statement, learner int64,
) (p *performed, err error) {
	for range 3 {
		p, err = g.performOnce(ctx, database, statements, learner)
		again := []error{practice.ErrLost, practice.ErrStalled, practice.ErrUnavailable} // on another server, perhaps
		if !slices.ContainsFunc(again, func(fault error) bool { return errors.Is(err, fault) }) || ctx.Err() != nil {
			return p, err
		}
		p.drop()
	}
	if errors.Is(err, practice.ErrLost) {
		err = fmt.Errorf("%w: %v", practice.ErrUnavailable, err)
	}
	return p, err
}

func (g *Grader) performOnce(
	ctx context.Context, database string, statements []sqltext.Statement, learner int64,
) (*performed, error) {
	p := &performed{grader: g, database: database}
	var err error
	if p.copied, err = g.copies.Take(ctx, database); err != nil {
		return p, err
	}
	var sinks []*practice.Collector
	p.done, err = g.copies.Perform(ctx, practice.Script{
		Learner: learner, Database: p.copied.Database, Build: database, Checking: learner == 0, Statements: statements,
	}, collectEach(&sinks))
	if err != nil {
		return p, err
	}
	p.last = lastOf(sinks, p.done)
	p.left, err = g.copies.Left(ctx, *p.copied, database)
	return p, err
}

// collectEach collects the rows of each statement of a script.
func collectEach(sinks *[]*practice.Collector) func(int) practice.Sink {
	return func(int) practice.Sink {
		sink := &practice.Collector{MostRows: keepRows, MostBytes: keepBytes}
		*sinks = append(*sinks, sink)
		return sink
	}
}

// lastOf is what the last statement that shows rows has shown; nil where none does.
func lastOf(sinks []*practice.Collector, done practice.Performance) (last *rowSource) {
	for i, sink := range sinks {
		if len(sink.Columns) > 0 {
			last = &rowSource{columns: sink.Columns, rows: sink.Rows, count: done.Steps[i].Rows, over: sink.Over}
		}
	}
	return last
}

// drop drops the copy. Nobody waits for it.
func (p *performed) drop() {
	if p == nil || p.copied == nil {
		return
	}
	name := p.copied.Database
	p.copied = nil
	go func() { _ = p.grader.copies.Drop(context.Background(), name) }() // swept at the next start otherwise
}

// table finds what is left of a table or view by its name; nil where there is none.
func (p *performed) table(name string) *practice.LeftTable {
	i := slices.IndexFunc(p.left.Tables, func(t practice.LeftTable) bool { return t.Name == name })
	if i < 0 {
		return nil
	}
	return &p.left.Tables[i]
}

// changedTables are the names of tables whose rows were changed, or that were made.
func (p *performed) changedTables() []string {
	var names []string
	for _, t := range p.left.Tables {
		if !t.View && (t.Made || t.Change.Added+t.Change.Changed+t.Change.Removed > 0) {
			names = append(names, t.Name)
		}
	}
	return names
}

// comparedTables are these, those that were altered, which may have written their rows anew, and the views, which may
// show what was changed.
func (p *performed) comparedTables() []string {
	names := p.changedTables()
	for _, t := range p.left.Tables {
		if t.View || (t.Altered || t.Rewritten) && !slices.Contains(names, t.Name) {
			names = append(names, t.Name)
		}
	}
	return names
}

// A rowSource is the rows of a table, of a view, or of a query.
type rowSource struct {
	columns []result.Column
	rows    []result.Row // the first; all, unless over
	count   int64
	over    bool
	again   func(yield func(result.Row) error) error // reads all rows once more; only where there are more
}

func (s *rowSource) each(yield func(result.Row) error) error {
	if s.over {
		return s.again(yield)
	}
	for _, row := range s.rows {
		if err := yield(row); err != nil {
			return err
		}
	}
	return nil
}

// read reads the results of queries in a copy.
func (g *Grader) read(ctx context.Context, copied, database string, queries []string) ([]*rowSource, error) {
	var statements []sqltext.Statement
	for _, q := range queries {
		statements = append(statements, sqltext.Statement{Text: q, Reads: true})
	}
	sinks := make([]*practice.Collector, len(queries))
	done, err := g.copies.Perform(ctx, practice.Script{
		Database: copied, Build: database, Checking: true, Reading: true, Statements: statements,
	}, func(i int) practice.Sink {
		sinks[i] = &practice.Collector{MostRows: keepRows, MostBytes: keepBytes}
		return sinks[i]
	})
	if err != nil {
		return nil, err
	}
	var all []*rowSource
	for i, sink := range sinks {
		source := &rowSource{columns: sink.Columns, rows: sink.Rows, count: done.Steps[i].Rows, over: sink.Over}
		one := statements[i : i+1]
		source.again = func(yield func(result.Row) error) error {
			_, err := g.copies.Perform(ctx, practice.Script{
				Database: copied, Build: database, Checking: true, Reading: true, Statements: one,
			}, func(int) practice.Sink { return practice.Each(yield) })
			return err
		}
		all = append(all, source)
	}
	return all, nil
}

// An expectedState is what an accepted answer leaves of a database.
type expectedState struct {
	*performed // whose copy is gone
	statements []sqltext.Statement
	day        string // on which it was found: what is of today is of another day tomorrow
	// tables are the rows of the tables and views that it changed or made, read as reading says.
	tables map[string]*rowSource
	masks  masks
	// unsteady are the columns of the last query whose values differ from one run to the next.
	unsteady []int
	probes   []*probed // what became of the statements that the check tries afterwards, in order
}

// expectedState finds what an accepted answer leaves. It runs twice: what differs from one run to the next does not
// count.
func (r *answers) expectedState(
	ctx context.Context, g *Grader, sql, database string, rules pack.Checking,
) (*expectedState, error) {
	key := fmt.Sprintf("%s\x00%s\x00%q\x00%q\x00%q", database, sql, rules.Ignore, rules.Accepts, rules.Refuses)
	today := time.Now().UTC().Format(time.DateOnly)
	if found, ok := r.states.get(key); ok && found.day == today {
		return found, nil
	}
	return once(ctx, &r.flights, "state\x00"+key, func(ctx context.Context) (*expectedState, error) {
		made, err := g.findState(ctx, sql, database, rules)
		if err == nil {
			made.day = today
			r.states.add(key, made, made.size())
		}
		return made, err
	})
}

func (e *expectedState) size() int {
	size := 8 << 10
	for _, t := range e.tables {
		for _, row := range t.rows {
			size += row.Size() + 24*(len(row)+1)
		}
	}
	return size
}

func (g *Grader) findState(ctx context.Context, sql, database string, rules pack.Checking) (*expectedState, error) {
	statements, err := sqltext.ReadStatements(sql)
	if err != nil {
		return nil, err
	}
	var runs [2]*performed
	var both errgroup.Group
	for i := range runs {
		both.Go(panics.Caught(func() (err error) {
			runs[i], err = g.perform(ctx, database, statements, 0)
			return err
		}))
	}
	err = both.Wait()
	defer runs[0].drop()
	defer runs[1].drop()
	if err != nil {
		return nil, statementError(err, runs[:], sql, statements)
	}
	before, err := g.countersBefore(ctx, database)
	if err != nil {
		return nil, err
	}
	e := &expectedState{performed: runs[0], statements: statements, tables: map[string]*rowSource{}}
	e.masks = masks{ignore: rules.Ignore, counted: map[string]int64{}, changing: map[string]bool{},
		were: map[string][]string{}}
	e.unsteady = unsteady(runs[0].last, runs[1].last)
	names := e.comparedTables()
	if err := g.findMasks(ctx, &e.masks, before, runs, e.left, names); err != nil {
		return nil, err
	}
	tables, err := g.readTables(ctx, runs[0], runs[0].left, names, e.masks)
	if err != nil {
		return nil, err
	}
	for i, name := range names {
		if tables[i].again = g.rerun(ctx, e, name); tables[i].count > mostLeft {
			return nil, &practice.Stopped{Limit: practice.LimitRows, Detail: fmt.Sprintf(
				"The table %s has %d rows: more than the %d that can be compared.", name, tables[i].count, mostLeft)}
		}
		e.tables[name] = tables[i]
	}
	for known, rest := e.masks, slices.Concat(rules.Accepts, rules.Refuses); len(rest) > 0; rest = rest[1:] {
		tried, err := g.expectedProbe(ctx, known.clone(), before, runs, rest[0])
		if err != nil {
			return nil, err
		}
		e.probes, known = append(e.probes, tried), tried.masks
	}
	return e, nil
}

// mostLeft is how many rows a table may have that is compared.
const mostLeft = 2_000_000

// statementError gives a fault of statements its place.
func statementError(err error, runs []*performed, written string, statements []sqltext.Statement) error {
	for _, run := range runs {
		if run != nil && run.left == nil && len(run.done.Steps) < len(statements) {
			if fault := StatementFault(err, written, statements[len(run.done.Steps)]); fault != nil {
				return fault
			}
		}
	}
	return err
}

// countersBefore are the counters of a database as it is built.
func (g *Grader) countersBefore(ctx context.Context, database string) (map[string]int64, error) {
	fresh, err := g.copies.Take(ctx, database)
	if err != nil {
		return nil, err
	}
	defer func() { go func() { _ = g.copies.Drop(context.Background(), fresh.Database) }() }()
	return g.copies.Counters(ctx, fresh.Database)
}

// findMasks finds which columns of tables get values that do not count: from sequences that the answer draws on, and
// those that differ from one run to the next. before are the counters of the database as it is built.
func (g *Grader) findMasks(
	ctx context.Context, m *masks, before map[string]int64, runs [2]*performed, left *practice.Left, names []string,
) error {
	after, err := g.copies.Counters(ctx, runs[0].copied.Database)
	if err != nil {
		return err
	}
	for _, t := range left.Tables {
		for column, last := range t.Counted {
			name := t.Name + "." + column
			if was, known := before[name]; !known || was != after[name] {
				m.counted[name] = last
			}
		}
	}
	// What a reference leads to is looked at last: then it is known what does not count of it.
	for _, m.blind = range []bool{true, false} {
		if err := g.findChanging(ctx, m, runs, left, names); err != nil {
			return err
		}
	}
	return g.findValues(ctx, m, left, runs[0].database)
}

// mostValues is how many values of a column are told from those that do not count.
const mostValues = 1000

// findValues finds which values the columns have as the database is built whose values change from run to run: whoever
// leaves them as they were has not written them.
func (g *Grader) findValues(ctx context.Context, m *masks, left *practice.Left, database string) error {
	for _, t := range left.Database.Tables {
		i := slices.IndexFunc(left.Tables, func(l practice.LeftTable) bool { return l.Name == t.Name })
		for _, column := range t.Columns {
			name := t.Name + "." + column.Name
			if _, known := m.were[name]; known || !m.changing[name] || left.Tables[i].Made || !many[column.Type] {
				continue
			}
			values := &practice.Collector{MostRows: mostValues, MostBytes: keepBytes}
			_, err := g.practice.Run(ctx, checkingRun(database, fmt.Sprintf(
				"SELECT DISTINCT %[1]s::pg_catalog.text FROM %[2]s WHERE %[1]s IS NOT NULL LIMIT %[3]d",
				quoted(column.Name), left.Tables[i].Qualified, mostValues+1,
			)), values)
			if isReported(err) { // a column that was added
				continue
			} else if err != nil {
				return err
			}
			m.were[name] = nil
			for _, row := range values.Rows {
				if !values.Over {
					m.were[name] = append(m.were[name], string(row[0]))
				}
			}
		}
	}
	return nil
}

// many are types of which no value comes twice by chance.
var many = map[string]bool{
	"timestamp without time zone": true, "timestamp with time zone": true, "uuid": true, "double precision": true,
}

// findChanging notes the columns whose values differ between two runs.
func (g *Grader) findChanging(
	ctx context.Context, m *masks, runs [2]*performed, left *practice.Left, names []string,
) error {
	written := *m
	written.written = true
	first, err := g.readTables(ctx, runs[0], left, names, written)
	if err != nil {
		return err
	}
	second, err := g.readTables(ctx, runs[1], left, names, written)
	if err != nil {
		return err
	}
	for i, name := range names {
		for _, column := range unsteady(first[i], second[i]) {
			m.changing[name+"."+first[i].columns[column].Name] = true
		}
	}
	return nil
}

// unsteady are the columns that have other values in one of two sources than in the other, in whatever order.
func unsteady(a, b *rowSource) (all []int) {
	if a == nil || b == nil {
		return nil
	}
	for c := range min(len(a.columns), len(b.columns)) {
		if !sameCells(a, b, c) {
			all = append(all, c)
		}
	}
	return all
}

// sameCells tells whether two sources have the same values in a column, in whatever order.
func sameCells(a, b *rowSource, column int) bool {
	cells := func(s *rowSource) []string {
		var all []string
		for _, row := range s.rows {
			all = append(all, string(row[column])+fmt.Sprint(row[column] == nil))
		}
		slices.Sort(all)
		return all
	}
	return slices.Equal(cells(a), cells(b))
}

// rerun reads the rows of a table once more, by running the answer again.
func (g *Grader) rerun(
	ctx context.Context, e *expectedState, table string,
) func(yield func(result.Row) error) error {
	return func(yield func(result.Row) error) error {
		p, err := g.perform(ctx, e.database, e.statements, 0)
		defer p.drop()
		if err != nil {
			return err
		}
		sources, err := g.readTables(ctx, p, e.left, []string{table}, e.masks)
		if err != nil {
			return err
		}
		return sources[0].each(yield)
	}
}

// readTables reads tables of a copy, with the columns that a table of that name has in shape; of a view those that it
// has itself.
func (g *Grader) readTables(
	ctx context.Context, p *performed, shape *practice.Left, names []string, m masks,
) ([]*rowSource, error) {
	if len(names) == 0 {
		return nil, nil
	}
	var queries []string
	for _, name := range names {
		i := slices.IndexFunc(shape.Tables, func(t practice.LeftTable) bool { return t.Name == name })
		own := shape.Tables[i].Columns
		if t := p.table(name); t != nil && t.Query {
			own = t.Columns
		}
		queries = append(queries, m.query(shape, &shape.Tables[i], own, p.copied.Since))
	}
	return g.read(ctx, p.copied.Database, p.database, queries)
}

// match compares the rows of one source with what is expected.
func match(seed result.Seed, policy compare.Policy, want, got *rowSource) (
	right bool, difference *compare.Difference, digest *compare.Digest, err error,
) {
	plan, wrong := compare.NewPlan(policy, compare.Reference{Columns: want.columns, Seed: seed}, got.columns)
	if plan == nil {
		return false, &compare.Difference{Findings: wrong, Facts: compare.Facts{Columns: got.columns}}, nil, nil
	}
	reference := plan.Reference(want.count)
	if err := want.each(func(row result.Row) error { reference.Add(row); return nil }); err != nil {
		return false, nil, nil, err
	}
	expected := reference.Digest()
	attempt := plan.Attempt(expected)
	if err := got.each(func(row result.Row) error { attempt.Add(row); return nil }); err != nil {
		return false, nil, nil, err
	}
	digest = attempt.Digest()
	named := func() (bool, *compare.Difference, *compare.Digest, error) { // the rows are right
		if wrong := plan.NamesFinding(); wrong != nil {
			return false, &compare.Difference{Findings: []compare.Finding{*wrong}}, digest, nil
		}
		return true, nil, digest, nil
	}
	if plan.Match(expected, digest) {
		return named()
	}
	verdict, difference, err := plan.Differences(
		compare.Side{Digest: expected, Rows: want.each}, compare.Side{Digest: digest, Rows: got.each},
	)
	if err == nil && verdict == compare.Open {
		err = &practice.Stopped{Limit: practice.LimitRows,
			Detail: fmt.Sprintf("A table has %d rows: too many to be compared "+
				"value by value, so what is left was not judged.", got.count)}
	}
	if err == nil && verdict == compare.Right {
		return named()
	}
	return false, difference, digest, err
}
