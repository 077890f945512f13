package sqltext

import (
	"fmt"
	"slices"
	"strings"

	pg "github.com/pganalyze/pg_query_go/v6"
	"google.golang.org/protobuf/proto"
)

// OrderBy is the text of the [Mutation] that removes the query's ORDER BY.
const OrderBy = "ORDER BY"

// A Mutation is the query without one of its parts.
type Mutation struct {
	What string // the part, as people say it: "the condition strength > 5"
	SQL  string
}

// Mutations returns the query without each of its conditions, without DISTINCT, and without ORDER BY. Conditions that
// join tables are left alone.
func (q *Query) Mutations(schema Schema) []Mutation {
	sel := q.tree.Stmts[0].Stmt.GetSelectStmt()
	if sel.Op > pg.SetOperation_SETOP_NONE {
		return nil
	}
	var all []Mutation
	without := func(what string, change func(*pg.SelectStmt)) {
		tree := proto.Clone(q.tree).(*pg.ParseResult)
		change(tree.Stmts[0].Stmt.GetSelectStmt())
		if sql, err := deparse(tree); err == nil {
			if _, err = parse(sql); err == nil { // not all that can be read can be written again: $0
				all = append(all, Mutation{what, sql})
			}
		}
	}
	r := &features{query: q, schema: schema}
	for _, item := range sel.FromClause {
		r.from(item)
	}
	for i, clause := range []*pg.Node{sel.WhereClause, sel.HavingClause} {
		conditions := conjuncts(clause)
		for n, c := range conditions {
			tables := slices.Compact(slices.Sorted(slices.Values(r.aliases(c))))
			if len(tables) > 1 && c.GetSubLink() == nil && c.GetBoolExpr() == nil {
				continue
			}
			without("the condition "+r.written(c), func(sel *pg.SelectStmt) {
				rest := conjunction(slices.Delete(conjuncts([]*pg.Node{sel.WhereClause, sel.HavingClause}[i]), n, n+1))
				if i == 0 {
					sel.WhereClause = rest
				} else {
					sel.HavingClause = rest
				}
			})
		}
	}
	if len(sel.SortClause) > 0 {
		without(OrderBy, func(sel *pg.SelectStmt) { sel.SortClause = nil })
	}
	if len(sel.DistinctClause) > 0 {
		without("DISTINCT", func(sel *pg.SelectStmt) { sel.DistinctClause = nil })
	}
	return all
}

func conjunction(conditions []*pg.Node) *pg.Node {
	switch len(conditions) {
	case 0:
		return nil
	case 1:
		return conditions[0]
	}
	return &pg.Node{Node: &pg.Node_BoolExpr{BoolExpr: &pg.BoolExpr{Boolop: pg.BoolExprType_AND_EXPR, Args: conditions}}}
}

// Contradictions returns the pairs of rules that no query can satisfy together.
func Contradictions(require, forbid []string) []string {
	var all []string
	implied := map[string][]string{"outer-join": {"join"}, "having": {}}
	for _, r := range require {
		for _, f := range forbid {
			if strings.EqualFold(r, f) || slices.Contains(implied[r], f) {
				all = append(all, fmt.Sprintf("requires %s and forbids %s", r, f))
			}
		}
	}
	return all
}

// ByLuck names what a query leaves to the database although its result depends on it: "ORDER BY" if no part of the
// query orders rows, "LIMIT" if the order of what LIMIT, OFFSET or FETCH cuts is not determined. It is empty if there
// is neither.
func (q *Query) ByLuck() string {
	sel := q.tree.Stmts[0].Stmt.GetSelectStmt()
	ordered := false
	walk(sel.ProtoReflect(), func(m any) {
		s, is := m.(*pg.SelectStmt)
		ordered = ordered || is && len(s.SortClause) > 0
	})
	switch {
	case ordered:
		return ""
	case sel.LimitCount != nil || sel.LimitOffset != nil:
		return "LIMIT"
	}
	return OrderBy
}
