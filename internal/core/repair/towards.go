package repair

import (
	"slices"
	"strings"

	pg "github.com/pganalyze/pg_query_go/v6"

	"examen/internal/core/sqltext"
)

// compare makes edits of a SELECT towards another: first of those within it that stand in the same place, so that an
// edit is the least there is.
func (e *editor) compare(l, a *scope) {
	for _, in := range []part{inWith, inArms, inFrom, inExpressions} {
		own, other := l.within[in], a.within[in]
		for i := range min(len(own), len(other)) {
			e.compare(own[i], other[i])
		}
	}
	if l.sel.Op != a.sel.Op || l.sel.Op != pg.SetOperation_SETOP_NONE {
		e.setOperation(l, a)
	} else {
		e.sources(l, a)
		e.joins(l, a)
		e.conditions(l, a)
		e.groups(l, a)
		e.outputs(l, a)
		e.distinct(l, a)
	}
	e.order(l, a)
	e.limit(l, a)
}

func (e *editor) setOperation(l, a *scope) {
	if l.sel.Op == pg.SetOperation_SETOP_NONE || a.sel.Op == pg.SetOperation_SETOP_NONE {
		return
	}
	word := operationWord(l.sel.Op)
	if l.sel.Op == a.sel.Op {
		if l.sel.All != a.sel.All {
			e.change(All, word, nil, l, func(sel *pg.SelectStmt) { sel.All = a.sel.All })
		}
	} else {
		e.change(SetOperation, word, nil, l, func(sel *pg.SelectStmt) { sel.Op = a.sel.Op })
	}
	if l.sel.Op == pg.SetOperation_SETOP_EXCEPT {
		e.change(SetOperation, word, nil, l, func(sel *pg.SelectStmt) { sel.Larg, sel.Rarg = sel.Rarg, sel.Larg })
	}
}

func operationWord(op pg.SetOperation) string {
	return map[pg.SetOperation]string{
		pg.SetOperation_SETOP_UNION: "UNION", pg.SetOperation_SETOP_INTERSECT: "INTERSECT",
		pg.SetOperation_SETOP_EXCEPT: "EXCEPT",
	}[op]
}

// own is a part of the accepted answer with the names that the query has for the tables in it.
func (l *scope) own(n *pg.Node) *pg.Node {
	n = clone(n)
	if n != nil {
		l.renameIn(n.ProtoReflect())
	}
	return n
}

// rename gives a column the name that the query has for its table, or none where its writer needs none.
func (l *scope) rename(c *pg.ColumnRef) {
	column := sqltext.LastName(c.Fields)
	for at := l; at != nil; at = at.outer {
		s := at.source(c.Fields[0].GetString_().GetSval())
		if s == nil {
			continue
		}
		with := 0
		for _, f := range l.sources {
			if slices.Contains(f.columns, column) {
				with++
			}
		}
		if at == l && !l.qualified && (with == 1 || len(l.sources) == 1) {
			c.Fields = c.Fields[1:]
		} else {
			c.Fields[0] = pg.MakeStrNode(s.alias)
		}
		return
	}
}

func (l *scope) ownAll(nodes []*pg.Node) (all []*pg.Node) {
	for _, n := range nodes {
		all = append(all, l.own(n))
	}
	return all
}

// columnsOf are the columns that an expression speaks of.
func columnsOf(n *pg.Node) (all []string) {
	if n == nil {
		return nil
	}
	sqltext.WalkNode(n, func(m any) {
		if c, is := m.(*pg.ColumnRef); is {
			if name := sqltext.LastName(c.Fields); name != "" && !slices.Contains(all, name) {
				all = append(all, name)
			}
		}
	})
	return all
}

// sourcesOf are the canonical names of the tables that an expression speaks of.
func sourcesOf(n *pg.Node) (all []string) {
	sqltext.WalkNode(n, func(m any) {
		if c, is := m.(*pg.ColumnRef); is && len(c.Fields) == 2 {
			if name := c.Fields[0].GetString_().GetSval(); !slices.Contains(all, name) {
				all = append(all, name)
			}
		}
	})
	return all
}

// A piece is one of the things that a clause consists of, with its number there.
type piece struct {
	node *pg.Node
	key  string
	at   int
}

func pieces(nodes []*pg.Node) (all []piece) {
	for i, n := range nodes {
		all = append(all, piece{n, key(n), i})
	}
	return all
}

// apart are the pieces of each side that the other has not.
func apart(own, other []piece) (left, right []piece) {
	left, right = slices.Clone(own), slices.Clone(other)
	for _, p := range own {
		at := slices.IndexFunc(right, func(q piece) bool { return q.key == p.key })
		if at < 0 {
			continue
		}
		right = slices.Delete(right, at, at+1)
		left = slices.DeleteFunc(left, func(q piece) bool { return q.at == p.at })
	}
	return left, right
}

// partners pairs pieces that may stand for each other: those that speak of the same column first.
func partners(left, right []piece) (pairs [][2]piece) {
	for _, l := range left {
		for _, r := range right {
			if len(left) == 1 && len(right) == 1 || common(columnsOf(l.node), columnsOf(r.node)) {
				pairs = append(pairs, [2]piece{l, r})
			}
		}
	}
	return pairs
}

func common(a, b []string) bool {
	return slices.ContainsFunc(a, func(s string) bool { return slices.Contains(b, s) })
}

// conditions makes edits of WHERE and HAVING.
func (e *editor) conditions(l, a *scope) {
	where := func(sel *pg.SelectStmt) **pg.Node { return &sel.WhereClause }
	having := func(sel *pg.SelectStmt) **pg.Node { return &sel.HavingClause }
	e.exchanged(l, a)
	e.clause("WHERE", l, a, sqltext.Conjuncts(l.sel.WhereClause), a.rowConditions(), where)
	e.clause("HAVING", l, a, sqltext.Conjuncts(l.sel.HavingClause), sqltext.Conjuncts(a.sel.HavingClause), having)
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

// groups makes edits of GROUP BY.
func (e *editor) groups(l, a *scope) {
	left, right := apart(pieces(l.sel.GroupClause), pieces(a.sel.GroupClause))
	for _, pair := range partners(left, right) {
		e.change(OtherGroup, "GROUP BY", columnsOf(pair[0].node), l, func(sel *pg.SelectStmt) {
			at := pair[0].at
			sel.GroupClause[at] = l.graft(sel.GroupClause[at], pair[0].node, pair[1].node)
		})
	}
	for _, p := range right {
		e.change(GroupMissing, "GROUP BY", columnsOf(p.node), l, func(sel *pg.SelectStmt) {
			sel.GroupClause = append(sel.GroupClause, l.own(p.node))
		})
	}
	for _, p := range left {
		e.change(GroupExtra, "GROUP BY", columnsOf(p.node), l, func(sel *pg.SelectStmt) {
			sel.GroupClause = slices.Delete(sel.GroupClause, p.at, p.at+1)
		})
	}
	if len(left)+len(right) > 1 {
		e.change(Clause, "GROUP BY", nil, l, func(sel *pg.SelectStmt) {
			sel.GroupClause = l.ownAll(a.sel.GroupClause)
		})
	}
}

// outputs makes edits of what SELECT lists.
func (e *editor) outputs(l, a *scope) {
	own, other := valuesOf(l), valuesOf(a)
	if own == nil || other == nil {
		return
	}
	if len(own) != len(l.sel.TargetList) { // a star
		if len(own) > len(other) {
			e.change(OutputExtra, "SELECT", nil, l, func(sel *pg.SelectStmt) { sel.TargetList = l.list(a, other) })
		}
		return
	}
	left, right := apart(pieces(own), pieces(other))
	target := func(p piece, by *pg.Node) func(sel *pg.SelectStmt) {
		return func(sel *pg.SelectStmt) {
			t := sel.TargetList[p.at].GetResTarget()
			t.Val = l.graft(t.Val, p.node, by)
		}
	}
	for _, p := range left {
		for _, r := range right {
			if len(own) == len(other) && p.at != r.at && len(left) > 1 {
				continue
			}
			kind, about := differs(p.node, r.node)
			e.change(kind, "SELECT", about, l, target(p, r.node))
		}
	}
	if len(own) < len(other) {
		for _, r := range right {
			e.change(OutputMissing, "SELECT", columnsOf(r.node), l, func(sel *pg.SelectStmt) {
				made := pg.MakeResTargetNodeWithVal(l.own(r.node), -1)
				sel.TargetList = slices.Insert(sel.TargetList, min(r.at, len(sel.TargetList)), made)
			})
		}
	}
	if len(own) > len(other) {
		for _, p := range left {
			e.change(OutputExtra, "SELECT", columnsOf(p.node), l, func(sel *pg.SelectStmt) {
				sel.TargetList = slices.Delete(sel.TargetList, p.at, p.at+1)
			})
		}
	}
	if len(left)+len(right) == 0 {
		e.change(OutputOrder, "SELECT", nil, l, func(sel *pg.SelectStmt) {
			sorted := slices.Clone(sel.TargetList)
			rest := pieces(own)
			for i, p := range pieces(other) {
				at := slices.IndexFunc(rest, func(q piece) bool { return q.key == p.key })
				sorted[i] = sel.TargetList[rest[at].at]
				rest = slices.Delete(rest, at, at+1)
			}
			sel.TargetList = sorted
		})
	} else if len(left)+len(right) > 2 {
		e.change(Clause, "SELECT", nil, l, func(sel *pg.SelectStmt) { sel.TargetList = l.list(a, other) })
	}
}

// list is what the accepted answer's SELECT lists, in the query's names.
func (l *scope) list(a *scope, values []*pg.Node) (all []*pg.Node) {
	for i, v := range values {
		made := pg.MakeResTargetNodeWithVal(l.own(v), -1)
		if len(values) == len(a.sel.TargetList) {
			made.GetResTarget().Name = a.sel.TargetList[i].GetResTarget().Name
		}
		all = append(all, made)
	}
	return all
}

// valuesOf are what a SELECT lists, with the columns that a star stands for; nil where these are not known.
func valuesOf(s *scope) (all []*pg.Node) {
	for _, t := range s.sel.TargetList {
		v := t.GetResTarget().GetVal()
		if !sqltext.IsStar(v.GetColumnRef()) {
			all = append(all, v)
			continue
		}
		for _, f := range s.sources {
			if f.columns == nil || len(v.GetColumnRef().Fields) > 1 {
				return nil
			}
			for _, column := range f.columns {
				all = append(all, sqltext.ColumnRef(f.name, column))
			}
		}
	}
	return all
}

func (e *editor) distinct(l, a *scope) {
	own, other := l.sel.DistinctClause, a.sel.DistinctClause
	switch {
	case len(own) == 0 && len(other) > 0:
		e.change(DistinctMissing, "SELECT", nil, l, func(sel *pg.SelectStmt) {
			sel.DistinctClause = l.ownAll(other)
		})
	case len(own) > 0 && len(other) == 0:
		e.change(DistinctExtra, "SELECT", nil, l, func(sel *pg.SelectStmt) { sel.DistinctClause = nil })
	}
}

// order makes edits of ORDER BY.
func (e *editor) order(l, a *scope) {
	own, other := l.sel.SortClause, a.sel.SortClause
	if len(other) == 0 {
		return
	}
	by := func(nodes []*pg.Node) (all []string) {
		for _, n := range nodes {
			all = append(all, key(n.GetSortBy().Node))
		}
		return all
	}
	one, two := by(own), by(other)
	kind := OrderKey
	switch {
	case len(own) == 0:
		kind = NotSorted
	case slices.Equal(one, two):
		kind = Direction
		for i := range own {
			if own[i].GetSortBy().SortbyNulls != other[i].GetSortBy().SortbyNulls {
				kind = NullsPlace
			}
			same := own[i].GetSortBy().SortbyDir == other[i].GetSortBy().SortbyDir
			if same && kind == Direction || len(own) == 1 {
				continue
			}
			e.change(kind, "ORDER BY", columnsOf(own[i].GetSortBy().Node), l, func(sel *pg.SelectStmt) {
				by := sel.SortClause[i].GetSortBy()
				by.SortbyDir, by.SortbyNulls = other[i].GetSortBy().SortbyDir, other[i].GetSortBy().SortbyNulls
			})
		}
	}
	e.change(kind, "ORDER BY", nil, l, func(sel *pg.SelectStmt) {
		var all []*pg.Node
		for i, n := range other {
			at := slices.Index(one, two[i])
			made := l.own(n)
			if at >= 0 { // as it is written
				made.GetSortBy().Node = sel.SortClause[at].GetSortBy().Node
			}
			all = append(all, made)
		}
		sel.SortClause = all
	})
}

// limit makes edits of LIMIT and OFFSET.
func (e *editor) limit(l, a *scope) {
	if key(l.sel.LimitCount) == key(a.sel.LimitCount) && key(l.sel.LimitOffset) == key(a.sel.LimitOffset) &&
		l.sel.LimitOption == a.sel.LimitOption {
		return
	}
	e.change(Limit, "LIMIT", nil, l, func(sel *pg.SelectStmt) {
		sel.LimitCount, sel.LimitOffset = l.own(a.sel.LimitCount), l.own(a.sel.LimitOffset)
		sel.LimitOption = a.sel.LimitOption
	})
}

// differs tells how two expressions differ that stand in each other's place, and which columns may be told.
func differs(own, other *pg.Node) (Kind, []string) {
	about := columnsOf(own)
	equals := own.GetAExpr().GetKind() == pg.A_Expr_Kind_AEXPR_OP // = and <> are compared
	if !equals && (key(negated(own)) == key(other) || key(own) == key(negated(other))) {
		return Negation, about
	}
	o, a := comparisonOf(own), comparisonOf(other)
	switch {
	case inOneCase(own) != inOneCase(other) && key(oneCase(own)) == key(oneCase(other)):
		return LetterCase, about
	case own.GetAConst() != nil && other.GetAConst() != nil:
		return Value, nil
	case own.GetAConst() != nil && other.GetColumnRef() != nil:
		return OtherColumn, nil
	case own.GetColumnRef() != nil && other.GetColumnRef() != nil,
		own.GetNullTest() != nil && other.GetNullTest() != nil:
		return OtherColumn, about
	case isNull(other) && o != nil:
		return Null, about
	case o == nil || a == nil:
		return computed(own, other), about
	}
	return compares(o, a), about
}

// compares tells how two comparisons differ.
func compares(o, a *compared) Kind {
	likes := func(c *compared) bool { return c.kind == like || c.kind == pg.A_Expr_Kind_AEXPR_ILIKE }
	wildcard := o.operator == "=" && o.constant && strings.Contains(o.right, "%")
	switch {
	case wildcard && !strings.Contains(a.right, "%"), wildcard && likes(a):
		return Wildcard
	case o.left == a.left && o.right == a.right && o.kind != a.kind && likes(o) && likes(a),
		o.left == a.left && o.operator == a.operator && o.right != a.right && strings.EqualFold(o.right, a.right):
		return LetterCase
	case likes(o) && likes(a) && o.right != a.right:
		return Pattern
	case o.left == a.left && o.right == a.right:
		bound := func(operator string) string { return strings.TrimSuffix(operator, "=") }
		if o.operator != "=" && a.operator != "=" && bound(o.operator) == bound(a.operator) {
			return Bound
		}
		return Comparison
	case o.left == a.left && o.constant && a.constant && (o.operator == a.operator || o.kind != a.kind):
		return Value
	case o.operator == a.operator && o.right == a.right:
		kind, _ := differs(o.of.GetAExpr().Lexpr, a.of.GetAExpr().Lexpr)
		return kind
	case o.operator == a.operator && o.left == a.left && o.kind == a.kind && o.kind == pg.A_Expr_Kind_AEXPR_OP:
		kind, _ := differs(o.of.GetAExpr().Rexpr, a.of.GetAExpr().Rexpr)
		return kind
	}
	return Condition
}

// oneCase is an expression without what makes all of its letters capital or small.
func oneCase(n *pg.Node) *pg.Node {
	if inOneCase(n) {
		return n.GetFuncCall().Args[0]
	}
	return n
}

func inOneCase(n *pg.Node) bool {
	f := n.GetFuncCall()
	name := sqltext.LastName(f.GetFuncname())
	return len(f.GetArgs()) == 1 && (name == "lower" || name == "upper")
}

// negated is a condition with NOT before it, or without.
func negated(n *pg.Node) *pg.Node {
	n = clone(n)
	switch of := n.GetNode().(type) {
	case *pg.Node_BoolExpr:
		if of.BoolExpr.Boolop == pg.BoolExprType_NOT_EXPR {
			return of.BoolExpr.Args[0]
		}
	case *pg.Node_NullTest:
		of.NullTest.Nulltesttype = pg.NullTestType_IS_NULL + pg.NullTestType_IS_NOT_NULL - of.NullTest.Nulltesttype
		return n
	case *pg.Node_AExpr:
		a := of.AExpr
		switch a.Kind {
		case pg.A_Expr_Kind_AEXPR_BETWEEN:
			a.Kind, a.Name = pg.A_Expr_Kind_AEXPR_NOT_BETWEEN, []*pg.Node{pg.MakeStrNode("NOT BETWEEN")}
			return n
		case pg.A_Expr_Kind_AEXPR_NOT_BETWEEN:
			a.Kind, a.Name = pg.A_Expr_Kind_AEXPR_BETWEEN, []*pg.Node{pg.MakeStrNode("BETWEEN")}
			return n
		}
		turned := map[string]string{"=": "<>", "<>": "=", "~~": "!~~", "!~~": "~~", "~~*": "!~~*", "!~~*": "~~*"}
		if by := turned[operator(a)]; by != "" {
			a.Name = []*pg.Node{pg.MakeStrNode(by)}
			return n
		}
	}
	return &pg.Node{Node: &pg.Node_BoolExpr{BoolExpr: &pg.BoolExpr{
		Boolop: pg.BoolExprType_NOT_EXPR, Args: []*pg.Node{n},
	}}}
}

// computed tells how two values differ that are computed.
func computed(own, other *pg.Node) Kind {
	o, a := own.GetFuncCall(), other.GetFuncCall()
	switch {
	case own.GetCaseExpr() != nil && other.GetCaseExpr() != nil:
		return Case
	case o == nil || a == nil:
		if isCondition(own) {
			return Condition
		}
		return Expression
	case o.Over != nil && a.Over != nil:
		if sqltext.LastName(o.Funcname) != sqltext.LastName(a.Funcname) {
			return Function
		}
		if !slices.Equal(keys(o.Args), keys(a.Args)) {
			return Expression
		}
		return Window
	case sqltext.IsAggregate(o) && sqltext.IsAggregate(a):
		return aggregated(o, a)
	case sqltext.LastName(o.Funcname) == sqltext.LastName(a.Funcname) && len(o.Args) == len(a.Args) &&
		len(o.Args) > 0 && slices.Equal(keys(o.Args[1:]), keys(a.Args[1:])): // of something else
		kind, _ := differs(o.Args[0], a.Args[0])
		return kind
	case sqltext.LastName(o.Funcname) == "round" || sqltext.LastName(a.Funcname) == "round":
		return Rounding
	case sqltext.LastName(o.Funcname) != sqltext.LastName(a.Funcname):
		return Function
	}
	return Expression
}

func keys(nodes []*pg.Node) (all []string) {
	for _, n := range nodes {
		all = append(all, key(n))
	}
	return all
}

func aggregated(o, a *pg.FuncCall) Kind {
	count := sqltext.LastName(o.Funcname) == "count"
	switch {
	case sqltext.LastName(o.Funcname) != sqltext.LastName(a.Funcname):
		return Aggregate
	case (o.AggFilter == nil) != (a.AggFilter == nil):
		return Filter
	case count && a.AggStar && !o.AggStar:
		return CountRows
	case o.AggDistinct != a.AggDistinct:
		return CountDistinct
	case count && o.AggStar && !a.AggStar:
		return CountValues
	case len(o.Args) == 1 && len(a.Args) == 1 && o.Args[0].GetColumnRef() != nil && a.Args[0].GetColumnRef() != nil:
		return OtherColumn
	}
	return Expression
}

func isNull(n *pg.Node) bool { return n.GetNullTest() != nil }

func isCondition(n *pg.Node) bool {
	return n.GetBoolExpr() != nil || n.GetNullTest() != nil || comparisonOf(n) != nil ||
		n.GetSubLink().GetSubLinkType() == pg.SubLinkType_EXISTS_SUBLINK ||
		n.GetSubLink().GetSubLinkType() == pg.SubLinkType_ANY_SUBLINK
}

// A compared is a comparison in its parts.
type compared struct {
	of                    *pg.Node
	kind                  pg.A_Expr_Kind
	operator, left, right string
	constant              bool // what it compares with
}

const like = pg.A_Expr_Kind_AEXPR_LIKE

// comparisonOf takes a comparison apart; nil for anything else.
func comparisonOf(n *pg.Node) *compared {
	n = clone(n)
	a := n.GetAExpr()
	if a == nil || a.Lexpr == nil || a.Rexpr == nil {
		return nil
	}
	switch a.Kind {
	case pg.A_Expr_Kind_AEXPR_OP:
		if !slices.Contains([]string{"=", "<>", "<", "<=", ">", ">="}, operator(a)) {
			return nil
		}
		level(a)
	case like, pg.A_Expr_Kind_AEXPR_ILIKE, pg.A_Expr_Kind_AEXPR_IN, pg.A_Expr_Kind_AEXPR_BETWEEN,
		pg.A_Expr_Kind_AEXPR_NOT_BETWEEN:
	default:
		return nil
	}
	value, constant := sqltext.Constant(a.Rexpr)
	if list := a.Rexpr.GetList(); list != nil { // of IN, or the bounds of BETWEEN
		constant = true
		for _, item := range list.Items {
			v, is := sqltext.Constant(item)
			value += v + " "
			constant = constant && is
		}
	} else if !constant {
		value = key(a.Rexpr)
	}
	return &compared{n, a.Kind, operator(a), key(a.Lexpr), value, constant}
}
