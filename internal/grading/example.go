package grading

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"examen/internal/core/compare"
	"examen/internal/core/dataset"
	"examen/internal/core/example"
	"examen/internal/core/result"
	"examen/internal/core/sqltext"
	"examen/internal/practice"
)

// An Example is a few rows of the tables on which a query still differs from the accepted answer.
type Example struct {
	// MadeUp tells that the rows are none of the dataset's.
	MadeUp bool
	Tables []ExampleTable
	// What the query gives on these rows, and what is expected.
	Got, Expected Rows

	shadows map[string]example.Table
}

// An ExampleTable is a table that the queries read, with the rows that are chosen of it.
type ExampleTable struct {
	Name string
	Rows
}

// Rows are a result, or a part of one.
type Rows struct {
	Columns []result.Column
	Rows    []result.Row
}

// Bounds of an example: how many rows a table may have, how long the search may take.
const exampleRows = 10_000

var exampleWithin = 2 * time.Second

// Example finds the smallest example of a difference: of the rows that the learner sees, or of rows that are made up
// where the difference does not show on these, or not on a few. It is nil where there is none to be found: the tables
// are too large, or what the queries give changes with time.
func (g *Grader) Example(ctx context.Context, task Task, sql string) (*Example, error) {
	if g.byState(task.Accepted[0]) || task.Tables == nil {
		return nil, nil
	}
	q, err := g.Read(sql)
	if err != nil {
		return nil, nil
	}
	limited, stop := context.WithTimeout(ctx, exampleWithin)
	defer stop()
	s := &smallest{task: task, query: q, small: on(g.practice, g.answers.seed), tables: map[string]*readTable{}}
	for _, text := range task.Accepted {
		accepted, err := g.Read(text)
		if err != nil {
			return nil, nil
		}
		s.accepted = append(s.accepted, accepted)
	}
	found, err := s.find(limited)
	if err != nil && limited.Err() != nil {
		return nil, ctx.Err()
	}
	return found, err
}

// A smallest example is being looked for.
type smallest struct {
	task     Task
	query    *sqltext.Query
	accepted []*sqltext.Query
	learner  int64   // who runs the query; 0 for the service itself
	small    *Grader // its own, so that what it keeps goes with it
	tables   map[string]*readTable
	views    map[string]string // their own queries
}

// A readTable is a table that the queries read.
type readTable struct {
	*dataset.Table
	places []string // of its rows: their ctids
	cells  []result.Row
	column map[string]int // of cells
}

// find reduces the rows of the tables.
func (s *smallest) find(ctx context.Context) (*Example, error) {
	if !s.choose() {
		return nil, nil
	}
	all := example.Selection{}
	for name, t := range s.tables {
		if err := s.read(ctx, t); err != nil {
			return nil, err
		}
		all[name] = make([]int, len(t.places))
		for i := range t.places {
			all[name][i] = i
		}
	}
	differs := func(chosen example.Selection) (bool, error) {
		c, err := s.run(ctx, s.shadows(chosen), true)
		if err != nil && (ctx.Err() != nil || ServersFault(err)) {
			return false, err
		}
		return err == nil && c.difference != nil, nil // an error there is another difference
	}
	shows, err := differs(all)
	if err != nil {
		return nil, err
	}
	chosen := all
	if shows {
		share := exampleWithin * 6 / 10 // some time is left to make rows up
		if s.grouped() {
			share = exampleWithin * 2 / 10
		}
		most, stop := context.WithTimeout(ctx, share)
		defer stop()
		chosen, err = example.Reduce(all, s.references(), func(chosen example.Selection) (bool, error) {
			if most.Err() != nil {
				return false, most.Err()
			}
			return differs(chosen)
		})
		if err != nil && most.Err() == nil {
			return nil, err
		}
		if chosen.Most() <= fewRows {
			return s.shown(context.WithoutCancel(ctx), s.shadows(chosen), s.queries(chosen))
		}
	}
	if made, err := s.madeUp(ctx); err != nil || made != nil || !shows || chosen.Most() > mostShown {
		return made, err
	}
	return s.shown(context.WithoutCancel(ctx), s.shadows(chosen), s.queries(chosen))
}

// grouped tells that a query keeps groups of rows by HAVING: of groups that have to be large, a few of the tables' own
// rows hardly ever show anything.
func (s *smallest) grouped() bool {
	return slices.ContainsFunc(append(slices.Clone(s.accepted), s.query), func(q *sqltext.Query) bool {
		return q.Tree().Stmts[0].Stmt.GetSelectStmt().GetHavingClause() != nil
	})
}

// How many rows of a table an example has at most, and how many are few: then none are made up.
const (
	mostShown = 12
	fewRows   = 3
)

// choose finds out which tables and views are read; false where that is not known, or one is too large.
func (s *smallest) choose() bool {
	s.views = map[string]string{}
	if len(s.query.Volatile()) > 0 {
		return false
	}
	left := []map[string]bool{s.query.Uses()}
	for _, q := range s.accepted {
		if len(q.Volatile()) > 0 {
			return false
		}
		left = append(left, q.Uses())
	}
	for len(left) > 0 {
		uses := left[0]
		left = left[1:]
		for use := range uses {
			name, is := strings.CutPrefix(use, "table:")
			if !is || s.tables[name] != nil || s.views[name] != "" {
				continue
			}
			t := s.table(name)
			switch {
			case t == nil: // of WITH, or unknown: then nothing is left out of it
			case t.View:
				q, err := sqltext.ReadQuery(t.Query)
				if err != nil {
					return false
				}
				s.views[t.Name] = t.Query
				left = append(left, q.Uses())
			case t.Rows > exampleRows || t.Rows < 0:
				return false
			default:
				s.tables[t.Name] = &readTable{Table: t}
			}
		}
	}
	return len(s.tables) > 0
}

func (s *smallest) table(name string) *dataset.Table {
	for i := range s.task.Tables.Tables {
		if t := &s.task.Tables.Tables[i]; strings.EqualFold(t.Name, name) {
			return t
		}
	}
	return nil
}

// read reads where a table's rows are, and the columns by which they refer to others.
func (s *smallest) read(ctx context.Context, t *readTable) error {
	needed := []string{}
	add := func(columns []string) {
		for _, c := range columns {
			if !slices.Contains(needed, c) {
				needed = append(needed, c)
			}
		}
	}
	for _, c := range t.Constraints {
		if c.Kind == dataset.ForeignKey {
			add(c.Columns)
		}
	}
	for _, other := range s.tables {
		for _, c := range other.Constraints {
			if c.Kind == dataset.ForeignKey && c.Table == t.Name {
				add(c.Referred)
			}
		}
	}
	t.column = map[string]int{}
	sql := "SELECT ctid::text"
	for i, c := range needed {
		t.column[c] = i + 1
		sql += ", " + sqltext.Quoted(c) + "::text"
	}
	rows := &practice.Collector{MostRows: exampleRows + 1, MostBytes: 16 << 20}
	if _, err := s.small.practice.Run(ctx, checkingRun(s.task.Database, sql+" FROM "+t.SQLName), rows); err != nil {
		return err
	}
	t.cells = rows.Rows
	for _, row := range rows.Rows {
		t.places = append(t.places, string(row[0]))
	}
	return nil
}

// references are the foreign keys between the tables.
func (s *smallest) references() (all []example.Reference) {
	for name, t := range s.tables {
		for _, c := range t.Constraints {
			to := s.tables[c.Table]
			if c.Kind != dataset.ForeignKey || to == nil {
				continue
			}
			at := map[string]int{}
			for i, row := range to.cells {
				if key, ok := to.key(row, c.Referred); ok {
					at[key] = i
				}
			}
			r := example.Reference{From: name, To: c.Table}
			for _, row := range t.cells {
				key, ok := t.key(row, c.Columns)
				refers, known := at[key]
				if !ok || !known {
					refers = -1
				}
				r.Row = append(r.Row, refers)
			}
			all = append(all, r)
		}
	}
	return all
}

// key is the value of some columns of a row; not ok where one is NULL.
func (t *readTable) key(row result.Row, columns []string) (key string, ok bool) {
	for _, c := range columns {
		cell := row[t.column[c]]
		if cell == nil {
			return "", false
		}
		key += fmt.Sprintf("%q ", cell)
	}
	return key, true
}

// shadows are the tables' chosen rows as queries; of tables of which all rows are chosen, none.
func (s *smallest) shadows(chosen example.Selection) map[string]example.Table {
	all := s.viewed()
	for name, t := range s.tables {
		if rows := chosen[name]; len(rows) < len(t.places) || len(s.views) > 0 {
			all[name] = t.shadow(t.chosen(rows))
		}
	}
	return all
}

// viewed are the views, which read what stands for the tables.
func (s *smallest) viewed() map[string]example.Table {
	all := map[string]example.Table{}
	for name, sql := range s.views {
		all[name] = example.Table{SQL: sql}
	}
	return all
}

// shadow is a query that stands for the table.
func (t *readTable) shadow(sql string) example.Table {
	made := example.Table{SQL: sql}
	for _, c := range t.Columns {
		if made.Columns = append(made.Columns, c.Name); c.Key {
			made.Key = append(made.Key, c.Name)
		}
	}
	return made
}

// chosen is the query that gives some of a table's rows.
func (t *readTable) chosen(rows []int) string {
	var b strings.Builder
	b.WriteString("SELECT * FROM " + t.SQLName + " WHERE ctid = ANY ('{")
	for i, row := range rows {
		if i > 0 {
			b.WriteByte(',')
		}
		b.WriteString(`"` + t.places[row] + `"`)
	}
	b.WriteString("}'::tid[])")
	return b.String()
}

// queries give the chosen rows of each table.
func (s *smallest) queries(chosen example.Selection) (all []tableQuery) {
	for _, name := range chosen.Names() {
		all = append(all, tableQuery{name, s.tables[name].chosen(chosen[name])})
	}
	return all
}

// A tableQuery gives rows of a table.
type tableQuery struct{ table, sql string }

// run runs the query and the accepted answers on the rows that shadow the tables.
func (s *smallest) run(ctx context.Context, shadows map[string]example.Table, verdictOnly bool) (*comparison, error) {
	c := &comparison{
		grader: s.small, rules: s.task.Rules, database: s.task.Database, checking: true, behind: true,
		verdictOnly: verdictOnly,
	}
	if s.learner != 0 {
		c.learner, c.checking, c.behind = s.learner, false, false
	}
	for _, q := range s.accepted {
		sql, err := example.Shadow(q, shadows)
		if err != nil {
			return nil, err
		}
		c.accepted = append(c.accepted, sql)
	}
	sql, err := example.Shadow(s.query, shadows)
	if err != nil {
		return nil, err
	}
	if c.query, err = sqltext.ReadQuery(sql); err != nil {
		return nil, err
	}
	right, err := c.run(ctx)
	if err == nil && !right && c.difference == nil {
		c.difference = &compare.Difference{}
	}
	return c, err
}

// shown reads what is shown of an example.
func (s *smallest) shown(ctx context.Context, shadows map[string]example.Table, tables []tableQuery) (*Example, error) {
	c, err := s.run(ctx, shadows, false)
	if err != nil || c.difference == nil {
		return nil, err
	}
	e := &Example{Got: Rows{c.rows.Columns, c.rows.Rows}, shadows: shadows}
	if e.Expected, err = s.rows(ctx, c.accepted[0]); err != nil {
		return nil, err
	}
	for _, t := range tables {
		rows, err := s.rows(ctx, t.sql)
		if err != nil {
			return nil, err
		}
		e.Tables = append(e.Tables, ExampleTable{t.table, rows})
	}
	return e, nil
}

func (s *smallest) rows(ctx context.Context, sql string) (Rows, error) {
	rows := &practice.Collector{MostRows: keepRows, MostBytes: keepBytes}
	_, err := s.small.practice.Run(ctx, checkingRun(s.task.Database, sql), rows)
	return Rows{rows.Columns, rows.Rows}, err
}

// TriedOnExample is what a query gives on an example's rows.
type TriedOnExample struct {
	Got, Expected Rows
	// Right tells that it is what is expected there.
	Right bool
	// Fault is why there is no result; nil where there is one.
	Fault *Fault
}

// OnExample runs a learner's query on an example's rows.
func (g *Grader) OnExample(
	ctx context.Context, task Task, e *Example, learner int64, sql string,
) (*TriedOnExample, error) {
	tried := &TriedOnExample{Expected: e.Expected}
	q, err := g.Read(sql)
	if err == nil && q.Beyond() != nil {
		err = q.Beyond()
	}
	if err == nil {
		s := &smallest{task: task, query: q, learner: learner, small: on(g.practice, g.answers.seed)}
		for _, text := range task.Accepted {
			accepted, err := g.Read(text)
			if err != nil {
				return nil, &AnswerError{text, err}
			}
			s.accepted = append(s.accepted, accepted)
		}
		var c *comparison
		if c, err = s.run(ctx, e.shadows, false); err == nil {
			tried.Got, tried.Right = Rows{c.rows.Columns, c.rows.Rows}, c.difference == nil
			return tried, nil
		}
		if FaultOf(err, "", nil) != nil { // said of the query as it is written
			rows := &practice.Collector{MostRows: 1, MostBytes: keepBytes}
			_, plain := g.practice.Run(ctx, practice.Run{Learner: learner, Database: task.Database, SQL: q.Text}, rows)
			if plain != nil {
				err = plain
			}
		}
	}
	if tried.Fault = FaultOf(err, sql, q); tried.Fault == nil {
		return nil, err
	}
	g.Explain(ctx, tried.Fault, sql, task.Database)
	return tried, nil
}
