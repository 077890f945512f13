package sqltext

import (
	pg "github.com/pganalyze/pg_query_go/v6"
)

// topics are what exercises are taught by, with the features of a query that show it; see [Query.Uses].
var topics = []struct{ topic, uses string }{
	{"joins", "join"}, {"outer joins", "outer-join"}, {"grouping", "group-by"}, {"conditions on groups", "having"},
	{"aggregates", "aggregate"}, {"subqueries", "subquery"}, {"WITH", "with"}, {"window functions", "window"},
	{"set operations", "set-operation"}, {"distinct rows", "distinct"}, {"order", "order-by"}, {"limits", "limit"},
	{"CASE", "case"}, {"casts", "cast"},
}

// Topics are what one has to have understood to write the query, in the order in which it is usually taught: joins,
// grouping, NULL and so on. A query of one table with nothing but conditions is about "conditions", and without them
// about "columns".
func (q *Query) Topics() (all []string) {
	used := q.Uses()
	for _, t := range topics {
		if used[t.uses] {
			all = append(all, t.topic)
		}
	}
	null, where, tables := used["function:coalesce"] || used["function:nullif"], false, 0
	walk(q.tree.ProtoReflect(), func(m any) {
		switch n := m.(type) {
		case *pg.NullTest:
			null = true
		case *pg.A_Expr:
			null = null || n.Kind == pg.A_Expr_Kind_AEXPR_DISTINCT || n.Kind == pg.A_Expr_Kind_AEXPR_NOT_DISTINCT
		case *pg.SelectStmt:
			where = where || n.WhereClause != nil
			if len(n.FromClause) > 1 && !used["join"] {
				tables++ // joined by commas
			}
		}
	})
	if tables > 0 {
		all = append([]string{"joins"}, all...)
	}
	if null {
		all = append(all, "NULL")
	}
	if len(all) == 0 && where {
		return []string{"conditions"}
	} else if len(all) == 0 {
		return []string{"columns"}
	}
	return all
}
