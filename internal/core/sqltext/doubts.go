package sqltext

import (
	"fmt"
	"slices"
	"strings"

	pg "github.com/pganalyze/pg_query_go/v6"
	"google.golang.org/protobuf/proto"
)

// changing are functions whose values change from one moment, session or call to the next.
var changing = strings.Fields(`now clock_timestamp statement_timestamp transaction_timestamp timeofday random gen_random_uuid setseed nextval currval lastval
	pg_backend_pid txid_current pg_current_xact_id`)

// Changing names what in a query gives other values at another time: clocks, random numbers and the like.
func (q *Query) Changing() []string {
	var found []string
	add := func(name string) {
		if !slices.Contains(found, name) {
			found = append(found, name)
		}
	}
	walk(q.tree.ProtoReflect(), func(m any) {
		switch n := m.(type) {
		case *pg.FuncCall:
			name := strings.ToLower(n.Funcname[len(n.Funcname)-1].GetString_().GetSval())
			if slices.Contains(changing, name) || name == "age" && len(n.Args) == 1 {
				add(name + "()")
			}
		case *pg.SQLValueFunction:
			name := strings.TrimSuffix(strings.TrimPrefix(n.Op.String(), "SVFOP_"), "_N")
			if strings.HasPrefix(name, "CURRENT_DATE") || strings.Contains(name, "TIME") {
				add(strings.ToLower(name))
			}
		case *pg.RangeTableSample:
			add("TABLESAMPLE")
		case *pg.TypeCast:
			word := strings.ToLower(n.Arg.GetAConst().GetSval().GetSval())
			if slices.Contains([]string{"now", "today", "tomorrow", "yesterday"}, word) {
				add("'" + word + "'")
			}
		}
	})
	return found
}

// OrderBy is what a [Weakening] says of the ORDER BY of the query.
const OrderBy = "ORDER BY"

// A Weakening is the query without one of its parts.
type Weakening struct {
	What string // the part, as people say it: "the condition strength > 5"
	SQL  string
}

// Weakenings returns the query without each of its conditions, without DISTINCT, and without ORDER BY. Conditions that join tables are left alone.
func (q *Query) Weakenings(schema Schema) []Weakening {
	sel := q.tree.Stmts[0].Stmt.GetSelectStmt()
	if sel.Op > pg.SetOperation_SETOP_NONE {
		return nil
	}
	var all []Weakening
	without := func(what string, change func(*pg.SelectStmt)) {
		tree := proto.Clone(q.tree).(*pg.ParseResult)
		change(tree.Stmts[0].Stmt.GetSelectStmt())
		if sql, err := deparse(tree); err == nil {
			if _, err = parse(sql); err == nil { // not all that can be read can be written again: $0
				all = append(all, Weakening{what, sql})
			}
		}
	}
	r := &traits{query: q, schema: schema}
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

// Contradictions are the pairs of rules that no query can keep.
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

// ByLuck names what a query leaves to the database although its result depends on it: "ORDER BY" where no part of the query orders rows, "LIMIT" where it is not
// ordered what LIMIT, OFFSET or FETCH lets through. It is empty where there is neither.
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
