package mutation

import (
	"fmt"
	"slices"

	pg "github.com/pganalyze/pg_query_go/v6"

	"examen/internal/core/dataset"
	"examen/internal/core/sqltext"
)

// kinds are the kinds of joins, as SQL writes them.
var kinds = []struct {
	kind pg.JoinType
	word string
}{
	{pg.JoinType_JOIN_INNER, "JOIN"}, {pg.JoinType_JOIN_LEFT, "LEFT JOIN"}, {pg.JoinType_JOIN_RIGHT, "RIGHT JOIN"},
	{pg.JoinType_JOIN_FULL, "FULL JOIN"},
}

func (m *maker) joins(s *scope) {
	for _, item := range s.sel.FromClause {
		m.join(item, s, item)
	}
	m.joinKeys(sqltext.Conjuncts(s.sel.WhereClause), s) // FROM a, b WHERE a.id = b.id
}

// join mutates a join: its kind, its conditions, and the keys in them.
func (m *maker) join(item *pg.Node, s *scope, root *pg.Node) {
	j := item.GetJoinExpr()
	if j == nil {
		return
	}
	m.join(j.Larg, s, root)
	m.join(j.Rarg, s, root)
	m.joinKind(j, s, root)
	m.usingLeftOut(j)
	c := &clause{
		scope: s, name: "ON", get: func() *pg.Node { return j.Quals }, set: func(n *pg.Node) { j.Quals = n },
	}
	if s.chained(j) {
		c.given = append(s.inner(j), sqltext.Conjuncts(s.sel.WhereClause)...)
	}
	m.conditions(c)
	m.joinKeys(sqltext.Conjuncts(j.Quals), s)
}

func (m *maker) joinKind(j *pg.JoinExpr, s *scope, root *pg.Node) {
	was := j.Jointype
	if j.Quals == nil && len(j.UsingClause) == 0 && !j.IsNatural {
		return // CROSS JOIN
	}
	word := ""
	for _, k := range kinds {
		if k.kind == was {
			word = k.word
		}
	}
	for _, k := range kinds {
		if k.kind == was || word == "" {
			continue
		}
		m.try(change{
			operator: JoinKind, says: fmt.Sprintf("takes %s for %s", k.word, word),
			apply: func() { j.Jointype = k.kind }, undo: func() { j.Jointype = was },
			same: certainly(m.sameKinds(j, s, root, was, k.kind),
				"the rows without a partner are none, or are taken out"),
			why: []Reason{{"no row without a partner there decides", ""}},
		})
	}
}

// open tells which rows without a partner a kind of join keeps: those of the left side, those of the right.
func open(kind pg.JoinType) (left, right bool) {
	return kind == pg.JoinType_JOIN_LEFT || kind == pg.JoinType_JOIN_FULL,
		kind == pg.JoinType_JOIN_RIGHT || kind == pg.JoinType_JOIN_FULL
}

// sameKinds tells that two kinds of a join keep the same rows: where they differ in keeping those of a side without a
// partner, there are none, or other conditions take them out.
func (m *maker) sameKinds(j *pg.JoinExpr, s *scope, root *pg.Node, was, is pg.JoinType) bool {
	leftWas, rightWas := open(was)
	leftIs, rightIs := open(is)
	nothing := func(keep, other *pg.Node) bool {
		return s.partnered(j, keep, other) || s.takenOut(j, other, root) || s.ignored(other) ||
			root.GetJoinExpr() == j && len(s.sel.FromClause) == 1 && s.alone(keep, other)
	}
	return (leftWas == leftIs || nothing(j.Larg, j.Rarg)) && (rightWas == rightIs || nothing(j.Rarg, j.Larg))
}

// partnered tells that each row of one side has a partner on the other: a foreign key that is never NULL leads there,
// to a table of which nothing is left out.
func (s *scope) partnered(j *pg.JoinExpr, keep, other *pg.Node) bool {
	var referring, to *source
	pairs := map[string]string{} // the referring column by the one that it refers to
	for _, c := range s.joinConditions(j) {
		left, right := s.sides(c)
		if left == nil || right == nil {
			return false
		}
		if slices.Contains(s.within(other), left.from) {
			left, right = right, left
		}
		if !slices.Contains(s.within(keep), left.from) || !slices.Contains(s.within(other), right.from) ||
			referring != nil && (left.from != referring || right.from != to) {
			return false
		}
		referring, to = left.from, right.from
		pairs[right.name] = left.name
	}
	if referring == nil || to.table == nil || hidden(to.table) || s.openInside(keep, referring) ||
		!s.retained(other, to) {
		return false
	}
	if referring.table == nil { // a subquery that gives the columns of a table's foreign key
		if referring, pairs = traced(referring, pairs); referring == nil {
			return false
		}
	}
	for _, k := range referring.table.Constraints {
		if k.Kind != dataset.ForeignKey || k.Table != to.table.Name || len(k.Columns) != len(pairs) {
			continue
		}
		all := true
		for i, name := range k.Columns {
			c := referring.table.Column(name)
			all = all && c != nil && !c.Nullable && pairs[k.Referred[i]] == name
		}
		if all {
			return true
		}
	}
	// a table beside itself, by its own key
	if referring.table == to.table {
		return slices.ContainsFunc(referring.keys, func(key []string) bool {
			return len(key) == len(pairs) && !slices.ContainsFunc(key,
				func(name string) bool { return pairs[name] != name })
		})
	}
	return false
}

// hidden tells that rows of a table may be kept from who reads it.
func hidden(t *dataset.Table) bool {
	return slices.ContainsFunc(t.Constraints, func(k dataset.Constraint) bool { return k.Kind == dataset.RowSecurity })
}

// traced finds the one table that columns of a subquery are of: those on the right of pairs. They are then the table's.
func traced(from *source, pairs map[string]string) (*source, map[string]string) {
	for from.table == nil && from.inside != nil {
		inside := from.inside
		var next *source
		own := map[string]string{}
		for to, name := range pairs {
			at := slices.IndexFunc(inside.sel.TargetList, func(n *pg.Node) bool {
				return sqltext.OutputName(n.GetResTarget()) == name
			})
			if at < 0 {
				return nil, nil
			}
			side := inside.side(inside.sel.TargetList[at].GetResTarget().Val)
			if side == nil || side.from.missing || next != nil && side.from != next {
				return nil, nil
			}
			next, own[to] = side.from, side.name
		}
		from, pairs = next, own
	}
	if from == nil || from.table == nil {
		return nil, nil
	}
	return from, pairs
}

// retained tells that every row of a source is in the rows of an item of FROM.
func (s *scope) retained(item *pg.Node, of *source) bool {
	j := item.GetJoinExpr()
	if j == nil {
		return true
	}
	side, other := j.Larg, j.Rarg
	kept, _ := open(j.Jointype)
	if slices.Contains(s.within(j.Rarg), of) {
		side, other = j.Rarg, j.Larg
		_, kept = open(j.Jointype)
	}
	return s.retained(side, of) && (kept || s.partnered(j, side, other))
}

// openInside tells that a source's columns may be NULL within an item of FROM: an outer join there leaves it open.
func (s *scope) openInside(item *pg.Node, of *source) bool {
	j := item.GetJoinExpr()
	if j == nil {
		return false
	}
	left, right := open(j.Jointype)
	side, opened := j.Larg, right
	if slices.Contains(s.within(j.Rarg), of) {
		side, opened = j.Rarg, left
	}
	return opened || s.openInside(side, of)
}

// takenOut tells that rows which have no partner on one side of a join, so that its columns are NULL, are taken out by
// WHERE, or by an inner join around this one.
func (s *scope) takenOut(j *pg.JoinExpr, side, root *pg.Node) bool {
	inside := s.within(side)
	conditions := sqltext.Conjuncts(s.sel.WhereClause)
	var around func(item *pg.Node)
	around = func(item *pg.Node) {
		outer := item.GetJoinExpr()
		if outer == nil || outer == j {
			return
		}
		if outer.Jointype == pg.JoinType_JOIN_INNER {
			conditions = append(conditions, s.joinConditions(outer)...)
		} else if outer.Jointype != pg.JoinType_JOIN_LEFT || !slices.ContainsFunc(
			s.within(outer.Larg), func(f *source) bool { return slices.Contains(inside, f) }) {
			return // what an outer join takes out comes again with NULLs
		}
		around(outer.Larg)
		around(outer.Rarg)
	}
	around(root)
	for _, c := range conditions {
		if s.rejects(c, inside) {
			return true
		}
	}
	return false
}

// ignored tells that rows in which the columns of one side of a join are NULL count for nothing: aggregates of these
// columns pass them over, there are no others, and HAVING keeps no group that has no other rows.
func (s *scope) ignored(side *pg.Node) bool {
	inside := s.within(side)
	passesOver := func(f *pg.FuncCall) bool {
		name := sqltext.LastName(f.Funcname)
		return slices.Contains([]string{"sum", "avg", "min", "max"}, name) && f.AggFilter == nil && len(f.Args) == 1 &&
			strictly(f.Args[0]) && s.mentions(f.Args[0], inside)
	}
	only := true
	all := append(s.outputs(), s.sel.HavingClause)
	for _, n := range append(all, s.sortKeys()...) {
		inspect(n, func(n *pg.Node) {
			if f := aggregate(n); f != nil && !passesOver(f) {
				only = false
			}
		})
	}
	return only && slices.ContainsFunc(sqltext.Conjuncts(s.sel.HavingClause), func(c *pg.Node) bool {
		_, compares := others[operator(c)]
		a := c.GetAExpr()
		return compares && (aggregate(a.Lexpr) != nil || aggregate(a.Rexpr) != nil)
	})
}

// alone tells that each row of one side that has no partner on the other is a group of its own, which HAVING does not
// keep: count(*) is 1 in it, and aggregates of the other side's columns have nothing.
func (s *scope) alone(keep, other *pg.Node) bool {
	kept, inside := s.within(keep), s.within(other)
	if len(kept) != 1 || s.sel.HavingClause == nil {
		return false
	}
	known := slices.ContainsFunc(kept[0].keys, func(key []string) bool {
		return !slices.ContainsFunc(key, func(name string) bool {
			return !slices.ContainsFunc(s.groups(), func(n *pg.Node) bool {
				of := s.side(n)
				return of != nil && *of == (side{kept[0], name})
			})
		})
	})
	if !known {
		return false
	}
	having := clone(s.sel.HavingClause)
	inspect(having, func(n *pg.Node) {
		f := aggregate(n)
		switch {
		case f == nil || f.AggFilter != nil:
		case f.AggStar:
			n.Node = pg.MakeAConstIntNode(1, -1).Node
		case len(f.Args) == 1 && s.mentions(f.Args[0], inside) && strictly(f.Args[0]):
			n.Node = &pg.Node_AConst{AConst: &pg.A_Const{Isnull: true, Location: -1}}
			if sqltext.LastName(f.Funcname) == "count" {
				n.Node = pg.MakeAConstIntNode(0, -1).Node
			}
		}
	})
	return s.alike(having, falseConstant(), nil, false)
}

// mentions tells that an expression uses a column of one of the sources.
func (s *scope) mentions(n *pg.Node, of []*source) bool {
	found := false
	inspect(n, func(n *pg.Node) {
		from, _ := s.find(n.GetColumnRef())
		found = found || n.GetColumnRef() != nil && slices.Contains(of, from)
	})
	return found
}

// rejects tells that a condition is never true where the columns of sources are all NULL.
func (s *scope) rejects(c *pg.Node, nulls []*source) bool {
	if b := c.GetBoolExpr(); b != nil {
		switch b.Boolop {
		case pg.BoolExprType_OR_EXPR:
			return !slices.ContainsFunc(b.Args, func(arg *pg.Node) bool { return !s.rejects(arg, nulls) })
		case pg.BoolExprType_AND_EXPR:
			return slices.ContainsFunc(b.Args, func(arg *pg.Node) bool { return s.rejects(arg, nulls) })
		}
		return strictly(b.Args[0]) && s.about(b.Args[0], nulls[0])
	}
	switch x := c.Node.(type) {
	case *pg.Node_NullTest:
		return x.NullTest.Nulltesttype == pg.NullTestType_IS_NOT_NULL && x.NullTest.Arg.GetColumnRef() != nil &&
			s.mentions(x.NullTest.Arg, nulls)
	case *pg.Node_AExpr:
		switch x.AExpr.Kind {
		case pg.A_Expr_Kind_AEXPR_BETWEEN, pg.A_Expr_Kind_AEXPR_IN:
			return strictly(x.AExpr.Lexpr) && s.mentions(x.AExpr.Lexpr, nulls)
		}
		return strictly(c) && s.mentions(c, nulls)
	}
	return false
}

// usingLeftOut leaves out the condition that USING says.
func (m *maker) usingLeftOut(j *pg.JoinExpr) {
	if len(j.UsingClause) == 0 {
		return
	}
	using := j.UsingClause
	m.try(change{
		operator: JoinCondition, says: "leaves out the join condition",
		apply: func() { j.UsingClause, j.Quals = nil, truthConstant() },
		undo:  func() { j.UsingClause, j.Quals = using, nil },
	})
}

// joinKeys puts the conditions that join two sources on other keys of the same type.
func (m *maker) joinKeys(conditions []*pg.Node, s *scope) {
	for _, c := range conditions {
		left, right := s.sides(c)
		if left == nil || right == nil || left.from == right.from {
			continue
		}
		a := c.GetAExpr()
		for _, of := range []struct {
			n    *pg.Node
			side *side
		}{{a.Lexpr, left}, {a.Rexpr, right}} {
			for _, name := range otherKeys(of.side) {
				m.replace(JoinKey, of.n, s.ref(of.side.from, name), nil, "joins on %s.%s for %s.%s",
					of.side.from.alias, name, of.side.from.alias, of.side.name)
			}
		}
	}
}

// otherKeys are other columns of a source, of the same type, by which its table refers or is referred to: two at most.
func otherKeys(of *side) (all []string) {
	t := of.from.table
	if t == nil {
		return nil
	}
	var own *dataset.Column
	if own = t.Column(of.name); own == nil {
		return nil
	}
	for _, c := range t.Columns {
		if c.Name != of.name && c.Type == own.Type && (c.Key || c.References != "") && len(all) < 2 {
			all = append(all, c.Name)
		}
	}
	return all
}

// onWhere moves a condition of an outer join to WHERE, and one of WHERE on the open side into the join.
func (m *maker) onWhere(s *scope) {
	var outer func(item *pg.Node)
	outer = func(item *pg.Node) {
		j := item.GetJoinExpr()
		if j == nil {
			return
		}
		outer(j.Larg)
		outer(j.Rarg)
		if j.Jointype != pg.JoinType_JOIN_INNER {
			m.outOfOn(j, s)
			m.intoOn(j, s)
		}
	}
	for _, item := range s.sel.FromClause {
		outer(item)
	}
}

func (m *maker) outOfOn(j *pg.JoinExpr, s *scope) {
	quals, where := j.Quals, s.sel.WhereClause
	all := sqltext.Conjuncts(quals)
	for i, c := range all {
		if len(all) == 1 {
			return
		}
		m.try(change{
			operator: OnWhere, says: fmt.Sprintf("puts the condition %s into WHERE, not into ON", s.said(c)),
			apply: func() {
				j.Quals = sqltext.Conjunction(slices.Delete(slices.Clone(all), i, i+1))
				s.sel.WhereClause = sqltext.Conjunction(append(sqltext.Conjuncts(where), c))
			},
			undo: func() { j.Quals, s.sel.WhereClause = quals, where },
		})
	}
}

func (m *maker) intoOn(j *pg.JoinExpr, s *scope) {
	var inside []*source
	left, right := open(j.Jointype)
	if left {
		inside = append(inside, s.within(j.Rarg)...)
	}
	if right {
		inside = append(inside, s.within(j.Larg)...)
	}
	quals, where := j.Quals, s.sel.WhereClause
	all := sqltext.Conjuncts(where)
	for i, c := range all {
		if quals == nil || !slices.ContainsFunc(inside, func(f *source) bool { return s.about(c, f) }) {
			continue
		}
		m.try(change{
			operator: OnWhere, says: fmt.Sprintf("puts the condition %s into ON, not into WHERE", s.said(c)),
			apply: func() {
				j.Quals = sqltext.Conjunction(append(sqltext.Conjuncts(quals), c))
				s.sel.WhereClause = sqltext.Conjunction(slices.Delete(slices.Clone(all), i, i+1))
			},
			undo: func() { j.Quals, s.sel.WhereClause = quals, where },
		})
	}
}
