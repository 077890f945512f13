package repair

import (
	"slices"

	pg "github.com/pganalyze/pg_query_go/v6"
	"google.golang.org/protobuf/proto"

	"examen/internal/core/sqltext"
)

// conditions makes edits of WHERE and HAVING.
func (e *editor) conditions(l, a *scope) {
	where := func(sel *pg.SelectStmt) **pg.Node { return &sel.WhereClause }
	having := func(sel *pg.SelectStmt) **pg.Node { return &sel.HavingClause }
	e.exchanged(l, a)
	e.withoutPartner(l)
	e.itself(l)
	e.clause("WHERE", l, a, sqltext.Conjuncts(l.sel.WhereClause), a.rowConditions(), where)
	e.clause("HAVING", l, a, sqltext.Conjuncts(l.sel.HavingClause), sqltext.Conjuncts(a.sel.HavingClause), having)
}

// withoutPartner has the condition that leaves the rows without a partner in an outer join ask for the column that they
// are joined by, which has no NULL of its own.
func (e *editor) withoutPartner(l *scope) {
	for _, j := range joinsOf(l.sel) {
		for _, on := range sqltext.Conjuncts(j.Quals) {
			for _, side := range []*pg.Node{on.GetAExpr().GetLexpr(), on.GetAExpr().GetRexpr()} {
				by := side.GetColumnRef()
				if j.Jointype == pg.JoinType_JOIN_INNER || len(by.GetFields()) != 2 ||
					by.Fields[0].GetString_().GetSval() != leaf(j.Rarg) {
					continue
				}
				e.askedFor(l, by)
			}
		}
	}
}

// itself has a column that a subquery compares with itself compared with the outer query's.
func (e *editor) itself(l *scope) {
	for i, c := range sqltext.Conjuncts(l.sel.WhereClause) {
		one, two := c.GetAExpr().GetLexpr().GetColumnRef(), c.GetAExpr().GetRexpr().GetColumnRef()
		if l.outer == nil || one == nil || !proto.Equal(one, two) || operator(c.GetAExpr()) != "=" {
			continue
		}
		name := sqltext.LastName(one.Fields)
		outer := having(l.outer.sources, name)
		if outer == nil {
			continue
		}
		e.change(Itself, "WHERE", []string{name}, l, func(sel *pg.SelectStmt) {
			a := sqltext.Conjuncts(sel.WhereClause)[i].GetAExpr()
			meant := &a.Rexpr
			if len(a.Lexpr.GetColumnRef().GetFields()) == 1 {
				meant = &a.Lexpr
			}
			*meant = sqltext.ColumnRef(outer.alias, name)
		})
	}
}

func (e *editor) askedFor(l *scope, by *pg.ColumnRef) {
	for i, c := range sqltext.Conjuncts(l.sel.WhereClause) {
		asked := c.GetNullTest().GetArg().GetColumnRef()
		if c.GetNullTest().GetNulltesttype() != pg.NullTestType_IS_NULL || len(asked.GetFields()) != 2 ||
			!proto.Equal(asked.Fields[0], by.Fields[0]) || proto.Equal(asked, by) {
			continue
		}
		e.change(OtherColumn, "WHERE", columnsOf(c), l, func(sel *pg.SelectStmt) {
			test := sqltext.Conjuncts(sel.WhereClause)[i].GetNullTest()
			test.Arg = l.own(&pg.Node{Node: &pg.Node_ColumnRef{ColumnRef: by}})
		})
	}
}

// rowConditions are the conditions of WHERE, and those of inner joins that are about one table.
func (a *scope) rowConditions() []*pg.Node {
	all := sqltext.Conjuncts(a.sel.WhereClause)
	for _, j := range joinsOf(a.sel) {
		if j.Jointype != pg.JoinType_JOIN_INNER {
			continue
		}
		for _, c := range sqltext.Conjuncts(j.Quals) {
			if len(sourcesOf(c)) < 2 {
				all = append(all, c)
			}
		}
	}
	return all
}

func (e *editor) clause(
	name string, l, a *scope, own, other []*pg.Node, get func(*pg.SelectStmt) **pg.Node,
) {
	if !slices.ContainsFunc(own, isBetween) {
		other = inBounds(other)
	}
	left, right := apart(pieces(own), pieces(other))
	right = slices.DeleteFunc(right, l.inJoins(false))
	left = slices.DeleteFunc(left, a.inJoins(true))
	with := func(change func(all []*pg.Node) []*pg.Node) func(*pg.SelectStmt) {
		return func(sel *pg.SelectStmt) {
			at := get(sel)
			*at = sqltext.Conjunction(change(sqltext.Conjuncts(*at)))
		}
	}
	for _, pair := range partners(left, right) {
		kind, about := differs(pair[0].node, pair[1].node)
		e.change(kind, name, about, l, with(func(all []*pg.Node) []*pg.Node {
			all[pair[0].at] = l.graft(all[pair[0].at], pair[0].node, pair[1].node)
			return all
		}))
	}
	for _, p := range right {
		e.change(ConditionMissing, name, columnsOf(p.node), l, with(func(all []*pg.Node) []*pg.Node {
			return append(all, l.own(p.node))
		}))
	}
	for _, p := range left {
		e.change(ConditionExtra, name, columnsOf(p.node), l, with(func(all []*pg.Node) []*pg.Node {
			return slices.Delete(all, p.at, p.at+1)
		}))
	}
	if len(left)+len(right) > 1 {
		kind := Clause
		if sameAtoms(own, other) {
			kind = AndOr
		}
		e.change(kind, name, nil, l, func(sel *pg.SelectStmt) {
			*get(sel) = sqltext.Conjunction(l.ownAll(other))
		})
	}
}

func isBetween(n *pg.Node) bool { return n.GetAExpr().GetKind() == pg.A_Expr_Kind_AEXPR_BETWEEN }

// inBounds writes BETWEEN as the two comparisons that it is.
func inBounds(conditions []*pg.Node) (all []*pg.Node) {
	for _, c := range conditions {
		if !isBetween(c) {
			all = append(all, c)
			continue
		}
		a, bounds := c.GetAExpr(), c.GetAExpr().Rexpr.GetList().GetItems()
		least := sqltext.Operation(">=", a.Lexpr, bounds[0])
		all = append(all, least, sqltext.Operation("<=", clone(a.Lexpr), bounds[1]))
	}
	return all
}

// inJoins tells of a condition that ON has it: of any join, or of inner ones.
func (s *scope) inJoins(inner bool) func(piece) bool {
	there := map[string]bool{}
	for _, j := range joinsOf(s.sel) {
		for _, c := range sqltext.Conjuncts(j.Quals) {
			there[key(c)] = there[key(c)] || !inner || j.Jointype == pg.JoinType_JOIN_INNER
		}
	}
	return func(p piece) bool { return there[p.key] }
}

// sameAtoms tells that conditions consist of the same comparisons, joined otherwise.
func sameAtoms(a, b []*pg.Node) bool {
	atoms := func(nodes []*pg.Node) (all []string) {
		var of func(n *pg.Node)
		of = func(n *pg.Node) {
			if b := n.GetBoolExpr(); b != nil && b.Boolop != pg.BoolExprType_NOT_EXPR {
				for _, arg := range b.Args {
					of(arg)
				}
				return
			}
			all = append(all, key(n))
		}
		for _, n := range nodes {
			of(n)
		}
		slices.Sort(all)
		return slices.Compact(all)
	}
	return slices.Equal(atoms(a), atoms(b))
}

// exchanged moves conditions between WHERE and HAVING, and between WHERE and the ON of an outer join.
func (e *editor) exchanged(l, a *scope) {
	where, having := pieces(sqltext.Conjuncts(l.sel.WhereClause)), pieces(sqltext.Conjuncts(l.sel.HavingClause))
	inWhere, _ := apart(where, pieces(sqltext.Conjuncts(a.sel.WhereClause)))
	inHaving, _ := apart(having, pieces(sqltext.Conjuncts(a.sel.HavingClause)))
	_, toWhere := apart(where, pieces(sqltext.Conjuncts(a.sel.WhereClause)))
	_, toHaving := apart(having, pieces(sqltext.Conjuncts(a.sel.HavingClause)))
	for _, p := range inHaving {
		for _, w := range toWhere {
			if !common(columnsOf(p.node), columnsOf(w.node)) {
				continue
			}
			own, other := comparisonOf(p.node), comparisonOf(w.node)
			is := w.node.GetAExpr()
			if is != nil && p.node.GetAExpr() != nil && own != nil && other != nil && own.right == other.right {
				kind := Comparison
				if bound(own.operator) == bound(other.operator) {
					kind = Bound
				}
				e.change(kind, "HAVING", columnsOf(p.node), l, func(sel *pg.SelectStmt) { // it may stay there
					sqltext.Conjuncts(sel.HavingClause)[p.at].GetAExpr().Name = is.Name
				})
			}
			e.change(WhereHaving, "HAVING", columnsOf(p.node), l, func(sel *pg.SelectStmt) {
				all := sqltext.Conjuncts(sel.HavingClause)
				sel.HavingClause = sqltext.Conjunction(slices.Delete(all, p.at, p.at+1))
				sel.WhereClause = sqltext.Conjunction(append(sqltext.Conjuncts(sel.WhereClause), l.own(w.node)))
			})
		}
	}
	for _, p := range inWhere {
		for _, h := range toHaving {
			if !common(columnsOf(p.node), columnsOf(h.node)) {
				continue
			}
			e.change(WhereHaving, "WHERE", columnsOf(p.node), l, func(sel *pg.SelectStmt) {
				all := sqltext.Conjuncts(sel.WhereClause)
				sel.WhereClause = sqltext.Conjunction(slices.Delete(all, p.at, p.at+1))
				sel.HavingClause = sqltext.Conjunction(append(sqltext.Conjuncts(sel.HavingClause), l.own(h.node)))
			})
		}
	}
	own := joinsOf(l.sel)
	for _, of := range joinsOf(a.sel) {
		at := slices.IndexFunc(own, func(j *pg.JoinExpr) bool { return leaf(j.Rarg) == leaf(of.Rarg) })
		if at < 0 || of.Jointype == pg.JoinType_JOIN_INNER {
			continue
		}
		for _, c := range sqltext.Conjuncts(of.Quals) {
			i := slices.IndexFunc(where, func(p piece) bool { return p.key == key(c) })
			if i < 0 {
				continue
			}
			e.change(OnWhere, "WHERE", columnsOf(c), l, func(sel *pg.SelectStmt) {
				all := sqltext.Conjuncts(sel.WhereClause)
				moved := all[i]
				sel.WhereClause = sqltext.Conjunction(slices.Delete(all, i, i+1))
				j := joinsOf(sel)[at]
				l.writeOut(j, own[at])
				j.Quals = sqltext.Conjunction(append(sqltext.Conjuncts(j.Quals), moved))
			})
		}
	}
	e.backToWhere(l, a)
}

// backToWhere moves conditions from the ON of an outer join to WHERE.
func (e *editor) backToWhere(l, a *scope) {
	where := pieces(sqltext.Conjuncts(a.sel.WhereClause))
	for at, of := range joinsOf(l.sel) {
		for i, c := range sqltext.Conjuncts(of.Quals) {
			if of.Jointype == pg.JoinType_JOIN_INNER ||
				!slices.ContainsFunc(where, func(p piece) bool { return p.key == key(c) }) {
				continue
			}
			e.change(OnWhere, "ON", columnsOf(c), l, func(sel *pg.SelectStmt) {
				j := joinsOf(sel)[at]
				all := sqltext.Conjuncts(j.Quals)
				if i >= len(all) {
					return
				}
				sel.WhereClause = sqltext.Conjunction(append(sqltext.Conjuncts(sel.WhereClause), all[i]))
				j.Quals = sqltext.Conjunction(slices.Delete(all, i, i+1))
			})
		}
	}
}
