package grading

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"

	"examen/internal/core/dataset"
	"examen/internal/core/example"
	"examen/internal/core/explain"
	"examen/internal/core/mutation"
	"examen/internal/core/sqltext"
	"examen/internal/practice"
)

// mostMadeUp is how many sets of rows are tried that are made up.
const mostMadeUp = 300

// madeUp finds an example among rows that are made up as the strength analysis does it, for this query as if it were a
// mutation of the accepted answer; nil where none of them shows the difference.
func (s *smallest) madeUp(ctx context.Context) (*Example, error) {
	candidates, err := mutation.Candidates(s.accepted[0], []*sqltext.Query{s.query}, s.task.Tables, s.look(ctx))
	if err != nil || ctx.Err() != nil {
		return nil, nil // they are a help, and can be done without
	}
	for _, c := range candidates[:min(len(candidates), mostMadeUp)] {
		if ctx.Err() != nil {
			break
		}
		shadows, tables := s.of(c)
		if tables == nil {
			continue
		}
		ran, err := s.run(ctx, shadows, true)
		if err != nil && ServersFault(err) {
			return nil, err
		}
		if err != nil || ran.difference == nil || !s.allowed(ctx, c, shadows) {
			continue
		}
		e, err := s.shown(context.WithoutCancel(ctx), shadows, tables)
		if e != nil {
			e.MadeUp = true
		}
		return e, err
	}
	return nil, nil
}

func (s *smallest) look(ctx context.Context) mutation.Look {
	return func(sql string, most int) (all [][]*string, err error) {
		rows := &practice.Collector{MostRows: most, MostBytes: keepBytes}
		_, err = s.small.practice.Run(ctx, checkingRun(s.task.Database, sql), rows)
		if FaultOf(err, "", nil) != nil { // this tells nothing
			return nil, nil
		}
		for _, row := range rows.Rows {
			all = append(all, explain.Cells(row, longestValue))
		}
		return all, err
	}
}

// of are the rows of a candidate as queries, by table, with nothing in the other tables; no tables where it has rows of
// one that is not read.
func (s *smallest) of(c mutation.Candidate) (shadows map[string]example.Table, tables []tableQuery) {
	rows := map[string][]mutation.Row{}
	for _, r := range c.Rows {
		t := s.table(r.Table)
		if t == nil || s.tables[t.Name] == nil {
			return nil, nil
		}
		rows[t.Name] = append(rows[t.Name], r)
	}
	shadows = s.viewed()
	for _, name := range slices.Sorted(maps.Keys(s.tables)) {
		sql := s.tables[name].values(rows[name])
		shadows[name] = s.tables[name].shadow(sql)
		tables = append(tables, tableQuery{name, sql})
	}
	slices.SortStableFunc(tables, func(a, b tableQuery) int { return len(rows[b.table]) - len(rows[a.table]) })
	return shadows, tables
}

// values is the query that gives rows which are written in it.
func (t *readTable) values(rows []mutation.Row) string {
	one := func(r *mutation.Row) string {
		var all []string
		for _, c := range t.Columns {
			value := "NULL"
			if r != nil {
				if v := valueIn(*r, c.Name); v != nil {
					value = "'" + strings.ReplaceAll(*v, "'", "''") + "'"
				}
			}
			all = append(all, fmt.Sprintf("%s::%s AS %s", value, c.Type, sqltext.Quoted(c.Name)))
		}
		return "SELECT " + strings.Join(all, ", ")
	}
	if len(rows) == 0 {
		return one(nil) + " WHERE false"
	}
	var all []string
	for i := range rows {
		all = append(all, one(&rows[i]))
	}
	return strings.Join(all, " UNION ALL ")
}

func valueIn(r mutation.Row, column string) *string {
	if at := slices.Index(r.Columns, column); at >= 0 {
		return r.Values[at]
	}
	return nil
}

// allowed tells whether rows that are made up hold to their tables' constraints: nobody is shown what cannot be.
func (s *smallest) allowed(ctx context.Context, c mutation.Candidate, shadows map[string]example.Table) bool {
	for name, t := range s.tables {
		var rows []mutation.Row
		for _, r := range c.Rows {
			if strings.EqualFold(r.Table, name) {
				rows = append(rows, r)
			}
		}
		for _, column := range t.Columns {
			if !column.Nullable && slices.ContainsFunc(rows, func(r mutation.Row) bool {
				return valueIn(r, column.Name) == nil
			}) {
				return false
			}
		}
		for _, k := range t.Constraints {
			switch k.Kind {
			case dataset.PrimaryKey, dataset.Unique:
				if twice(rows, k.Columns) {
					return false
				}
			case dataset.Check:
				condition := strings.TrimSuffix(strings.TrimPrefix(k.Definition, "CHECK "), " NOT VALID")
				broken, err := s.rows(ctx, "SELECT FROM ("+shadows[name].SQL+") AS "+sqltext.Quoted(name)+
					" WHERE NOT "+condition)
				if err != nil || len(broken.Rows) > 0 {
					return false
				}
			case dataset.Exclusion:
				return false // it is not known
			}
		}
	}
	return true
}

// twice tells whether two rows have the same values in some columns, none of them NULL.
func twice(rows []mutation.Row, columns []string) bool {
	seen := map[string]bool{}
	for _, r := range rows {
		key, whole := "", true
		for _, c := range columns {
			v := valueIn(r, c)
			if whole = whole && v != nil; whole {
				key += fmt.Sprintf("%q ", *v)
			}
		}
		if whole && seen[key] {
			return true
		}
		seen[key] = whole
	}
	return false
}
