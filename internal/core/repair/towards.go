package repair

import (
	"slices"

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

// groups makes edits of GROUP BY.
func (e *editor) groups(l, a *scope) {
	left, right := apart(pieces(l.sel.GroupClause), pieces(a.sel.GroupClause))
	if len(l.sel.GroupClause) == 0 && len(right) > 0 && !aggregates(l.sel.TargetList) {
		e.grouped(l, a)
		return
	}
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

// grouped makes groups, where a query has none, in all the clauses that it takes: the conditions that the accepted
// answer has of whole groups are no longer of single rows.
func (e *editor) grouped(l, a *scope) {
	values, having := valuesOf(a), sqltext.Conjuncts(a.sel.HavingClause)
	if values == nil {
		return
	}
	own, _ := apart(pieces(sqltext.Conjuncts(l.sel.WhereClause)), pieces(a.rowConditions()))
	own = slices.DeleteFunc(own, func(p piece) bool {
		return !slices.ContainsFunc(having, func(h *pg.Node) bool { return common(columnsOf(p.node), columnsOf(h)) })
	})
	e.change(NotGrouped, "GROUP BY", nil, l, func(sel *pg.SelectStmt) {
		sel.TargetList, sel.GroupClause = l.list(a, values), l.ownAll(a.sel.GroupClause)
		sel.HavingClause = l.own(a.sel.HavingClause)
		var stay []*pg.Node
		for i, c := range sqltext.Conjuncts(sel.WhereClause) {
			if !slices.ContainsFunc(own, func(p piece) bool { return p.at == i }) {
				stay = append(stay, c)
			}
		}
		sel.WhereClause = sqltext.Conjunction(stay)
	})
}

// aggregates tells that there are some.
func aggregates(nodes []*pg.Node) (found bool) {
	for _, n := range nodes {
		sqltext.WalkNode(n, func(m any) {
			f, is := m.(*pg.FuncCall)
			found = found || is && f.Over == nil && sqltext.IsAggregate(f)
		})
	}
	return found
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
	outputs := valuesOf(a)
	for _, listed := range []bool{false, true} { // by what the accepted answer orders by, or what stands in its place
		e.change(kind, "ORDER BY", nil, l, func(sel *pg.SelectStmt) {
			var all []*pg.Node
			for i, n := range other {
				at, place := slices.Index(one, two[i]), slices.Index(keys(outputs), two[i])
				made := l.own(n)
				if at >= 0 { // as it is written
					made.GetSortBy().Node = sel.SortClause[at].GetSortBy().Node
				} else if listed && place >= 0 && place < len(sel.TargetList) {
					made.GetSortBy().Node = clone(sel.TargetList[place].GetResTarget().GetVal())
				}
				all = append(all, made)
			}
			sel.SortClause = all
		})
	}
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
