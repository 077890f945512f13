package grading

import (
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"github.com/jackc/pgx/v5"

	"examen/internal/core/definition"
	"examen/internal/core/result"
	"examen/internal/practice"
)

// masks say which values of tables do not count, by table.column.
type masks struct {
	ignore []string
	// counted are columns whose values come from sequences that the accepted answer draws on, with the greatest value
	// that was there before: greater ones do not count.
	counted map[string]int64
	// changing are columns whose values differ from one run of the accepted answer to the next, as times and random
	// values do: in rows that were written they do not count.
	changing map[string]bool
	// were are the values that such columns have as the database is built: who leaves one of them has not written it.
	were map[string][]string
	// blind leaves out which rows with new numbers others refer to.
	blind bool
	// written reads only the rows that were written in the copy; of a view all.
	written bool
}

func (m masks) clone() masks {
	m.counted, m.changing, m.were = maps.Clone(m.counted), maps.Clone(m.changing), maps.Clone(m.were)
	return m
}

// cover returns rows with a word in place of each value that does not count: those of the unsteady columns, and new
// numbers in columns that are called as counted ones are.
func (m masks) cover(source *rowSource, unsteady []int) *rowSource {
	covered := *source
	covered.rows = make([]result.Row, len(source.rows))
	for i, row := range source.rows {
		covered.rows[i] = row.Clone()
		for c, cell := range row {
			if cell != nil && (slices.Contains(unsteady, c) || m.isNew(source.columns[c].Name, string(cell))) {
				covered.rows[i][c] = nil
			}
		}
	}
	return &covered
}

// isNew tells whether a value that a query shows is a number that a counted column of that name got anew.
func (m masks) isNew(column, value string) bool {
	n, err := strconv.ParseInt(value, 10, 64)
	if err != nil {
		return false
	}
	for counted, last := range m.counted {
		if strings.HasSuffix(counted, "."+column) && n > last {
			return true
		}
	}
	return false
}

func quoted(name string) string { return pgx.Identifier{name}.Sanitize() }

// numbered reads a number up to the last that was there before; greater ones are new, and count no further.
func numbered(value string, last int64) string {
	return fmt.Sprintf("CASE WHEN %s <= %d THEN %s::pg_catalog.text WHEN %s IS NOT NULL THEN '(new)' END", value, last,
		value, value)
}

// query reads a table's rows; in place of what does not count it has a word. since is the first transaction that can
// have written in the copy. What counts of a column that refers to a row with a new number is that row. own are the
// columns of a view, which need not be called as those of t.
func (m masks) query(shape *practice.Left, t *practice.LeftTable, own []string, since int64) string {
	var columns []string
	for i, called := range own {
		column := t.Columns[min(i, len(t.Columns)-1)]
		name := t.Name + "." + column
		if slices.Contains(m.ignore, name) {
			continue
		}
		value := "t." + quoted(called)
		if last, is := m.counted[name]; is {
			value = numbered(value, last)
		} else if parent := m.parent(shape, t.Name, column); parent != "" {
			value = parent
		}
		if t.View { // it may show what does not count of a table
			for counted, last := range m.counted {
				if strings.HasSuffix(counted, "."+column) {
					value = numbered("t."+quoted(called), last)
				}
			}
		}
		if m.changing[name] && t.View {
			value = "'(any)'"
		} else if m.changing[name] {
			var were []string
			for _, text := range m.were[name] {
				were = append(were, "'"+strings.ReplaceAll(text, "'", "''")+"'")
			}
			value = fmt.Sprintf("CASE WHEN (t.xmin::pg_catalog.text::pg_catalog.int8 - %d) & 4294967295 >= 2147483648 "+
				"OR %s::pg_catalog.text IN (%s) THEN %s::pg_catalog.text WHEN %s IS NOT NULL THEN '(any)' END",
				since, value, strings.Join(append(were, "NULL"), ", "), value, value)
		}
		columns = append(columns, value+" AS "+quoted(called))
	}
	sql := "SELECT " + strings.Join(columns, ", ") + " FROM " + t.Qualified + " AS t"
	if m.written && !t.View {
		sql += fmt.Sprintf(" WHERE (t.xmin::pg_catalog.text::pg_catalog.int8 - %d) & 4294967295 < 2147483648", since)
	}
	return sql
}

// parent reads, in place of a column that refers to a counted one, what else the row has that a new number refers to;
// "" for any other column.
func (m masks) parent(shape *practice.Left, table, column string) string {
	i := slices.IndexFunc(shape.Database.Tables, func(t definition.Table) bool { return t.Name == table })
	if i < 0 {
		return ""
	}
	for _, k := range shape.Database.Tables[i].Constraints {
		if k.Kind != definition.ForeignKey || len(k.Columns) != 1 || k.Columns[0] != column {
			continue
		}
		last, is := m.counted[k.Refers+"."+k.ReferredTo[0]]
		at := slices.IndexFunc(shape.Tables, func(t practice.LeftTable) bool { return t.Name == k.Refers })
		if !is || at < 0 {
			continue
		}
		if m.blind {
			return "'(new)'"
		}
		own := "t." + quoted(column)
		parts := []string{"''"}
		for _, other := range shape.Tables[at].Columns {
			name := k.Refers + "." + other
			if _, counted := m.counted[name]; !counted && !m.changing[name] && !slices.Contains(m.ignore, name) {
				parts = append(parts, "p."+quoted(other)+"::pg_catalog.text")
			}
		}
		return fmt.Sprintf("CASE WHEN %s <= %d THEN %s::pg_catalog.text ELSE (SELECT pg_catalog.concat_ws('; ', %s) "+
			"FROM %s AS p WHERE p.%s = %s) END", own, last, own, strings.Join(parts, ", "),
			shape.Tables[at].Qualified, quoted(k.ReferredTo[0]), own)
	}
	return ""
}
