package sqltext

import (
	"slices"

	pg "github.com/pganalyze/pg_query_go/v6"
)

// Divisions returns the places of the query's divisions and remainders, as byte offsets into the text as written; if
// some divide by a constant zero, only those.
func (q *Query) Divisions() []int {
	var all, byZero []int
	walk(q.tree.ProtoReflect(), func(m any) {
		a, is := m.(*pg.A_Expr)
		if !is || a.Kind != pg.A_Expr_Kind_AEXPR_OP || !slices.Contains(
			[]string{"/", "%"}, a.Name[len(a.Name)-1].GetString_().GetSval(),
		) {
			return
		}
		all = append(all, int(a.Location))
		if value, ok := Constant(a.Rexpr); ok && value == "0" {
			byZero = append(byZero, int(a.Location))
		}
	})
	if byZero != nil {
		return byZero
	}
	return all
}

// ScalarSubqueries returns the places of the query's subqueries that give a single value, as byte offsets into the text
// as written.
func (q *Query) ScalarSubqueries() []int {
	var all []int
	walk(q.tree.ProtoReflect(), func(m any) {
		if s, is := m.(*pg.SubLink); is && s.SubLinkType == pg.SubLinkType_EXPR_SUBLINK {
			all = append(all, int(s.Location))
		}
	})
	return all
}

// ReadsTables tells whether the query has a FROM anywhere.
func (q *Query) ReadsTables() bool {
	found := false
	walk(q.tree.ProtoReflect(), func(m any) {
		s, is := m.(*pg.SelectStmt)
		found = found || is && len(s.FromClause) > 0
	})
	return found
}
