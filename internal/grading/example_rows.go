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
	if s.grouped() {
		candidates = inTurns(candidates)
	}
	tried := map[string]bool{}
	for _, c := range candidates {
		if ctx.Err() != nil || len(tried) == mostMadeUp {
			break
		}
		shadows, tables := s.of(c)
		rows := fmt.Sprint(tables)
		if tried[rows] {
			continue
		}
		tried[rows] = true
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

// inTurns are candidates of one row, of two, and so on, one of each in turn: where groups have to be of some size,
// those of one row tell little.
func inTurns(candidates []mutation.Candidate) (all []mutation.Candidate) {
	bySize := map[int][]mutation.Candidate{}
	for _, c := range candidates {
		bySize[len(c.Rows)] = append(bySize[len(c.Rows)], c)
	}
	sizes := slices.Sorted(maps.Keys(bySize))
	for turn := 0; len(all) < len(candidates); turn++ {
		for _, n := range sizes {
			if turn < len(bySize[n]) {
				all = append(all, bySize[n][turn])
			}
		}
	}
	return all
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

// of are the rows of a candidate as queries, by table, with nothing in the other tables. What it has for tables that
// are not read is left out.
func (s *smallest) of(c mutation.Candidate) (shadows map[string]example.Table, tables []tableQuery) {
	rows := map[string][]mutation.Row{}
	for _, r := range c.Rows {
		if t := s.table(r.Table); t != nil && s.tables[t.Name] != nil {
			rows[t.Name] = append(rows[t.Name], r)
		}
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

// values is the query that gives rows which are written in it. They are one value, an array of the table's row type: a
// query is read anew for each set of rows, and every name and cast in it takes time.
func (t *readTable) values(rows []mutation.Row) string {
	var all []string
	for _, r := range rows {
		var fields []string
		for _, c := range t.Columns {
			field := "" // NULL
			if v := valueIn(r, c.Name); v != nil {
				field = inQuotes(*v)
			}
			fields = append(fields, field)
		}
		all = append(all, inQuotes("("+strings.Join(fields, ",")+")"))
	}
	array := strings.ReplaceAll("{"+strings.Join(all, ",")+"}", "'", "''")
	return "SELECT * FROM unnest('" + array + "'::" + t.SQLName + "[])"
}

var quoting = strings.NewReplacer(`\`, `\\`, `"`, `\"`)

// inQuotes writes an element of an array, or a field of a row, as PostgreSQL reads it.
func inQuotes(v string) string { return `"` + quoting.Replace(v) + `"` }

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
