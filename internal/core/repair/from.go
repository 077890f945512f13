package repair

import (
	"slices"

	pg "github.com/pganalyze/pg_query_go/v6"

	"examen/internal/core/sqltext"
)

// joinsOf are the joins of a SELECT's FROM, from the inside out.
func joinsOf(sel *pg.SelectStmt) (all []*pg.JoinExpr) {
	var of func(item *pg.Node)
	of = func(item *pg.Node) {
		if j := item.GetJoinExpr(); j != nil {
			of(j.Larg)
			of(j.Rarg)
			all = append(all, j)
		}
	}
	for _, item := range sel.FromClause {
		of(item)
	}
	return all
}

// leaf is the canonical name of a table that is joined; "" of what is itself a join.
func leaf(item *pg.Node) string {
	switch of := item.GetNode().(type) {
	case *pg.Node_RangeVar:
		if of.RangeVar.Alias != nil {
			return of.RangeVar.Alias.Aliasname
		}
		return of.RangeVar.Relname
	case *pg.Node_RangeSubselect:
		return of.RangeSubselect.GetAlias().GetAliasname()
	}
	return ""
}

// writeOut makes a join's USING or NATURAL an ON, as its canonical one has it.
func (l *scope) writeOut(j, canonical *pg.JoinExpr) {
	if len(j.UsingClause) > 0 || j.IsNatural {
		j.Quals = l.own(canonical.Quals)
		j.UsingClause, j.IsNatural = nil, false
	}
}

// sources makes edits of which tables are read.
func (e *editor) sources(l, a *scope) {
	missing := slices.DeleteFunc(slices.Clone(a.sources), func(s *source) bool { return l.source(s.name) != nil })
	extra := slices.DeleteFunc(slices.Clone(l.sources), func(s *source) bool { return a.source(s.name) != nil })
	if len(missing) == 1 && len(extra) == 1 && missing[0].table != "" && extra[0].table != "" {
		e.change(OtherTable, "FROM", []string{extra[0].table}, l, func(sel *pg.SelectStmt) {
			was, is := extra[0], missing[0]
			for _, item := range tablesOf(sel) {
				if item.Relname != was.table {
					continue
				}
				if item.Relname = is.table; item.Alias == nil {
					rename(sel, was.alias, is.table)
				}
				return
			}
		})
	}
	for _, s := range missing {
		if s.table == "" {
			continue
		}
		e.change(TableMissing, "FROM", []string{s.table}, l, func(sel *pg.SelectStmt) {
			l.addJoin(sel, a, s)
			l.qualify(sel, s)
		})
	}
	between := len(l.sources) > 1 && len(a.sel.FromClause) == 1
	if between && len(missing) == 1 && len(extra) == 0 && missing[0].table != "" {
		e.change(TableMissing, "FROM", []string{missing[0].table}, l, func(sel *pg.SelectStmt) {
			sel.FromClause = l.ownFrom(a.sel.FromClause)
			l.qualify(sel, missing[0])
		})
	}
	for _, s := range extra {
		e.change(TableExtra, "FROM", []string{s.alias}, l, func(sel *pg.SelectStmt) { l.dropJoin(sel, s) })
	}
}

// ownFrom is the accepted answer's FROM with the names that the query has for its tables.
func (l *scope) ownFrom(items []*pg.Node) []*pg.Node {
	made := &pg.SelectStmt{FromClause: l.ownAll(items)}
	for _, r := range tablesOf(made) {
		name := leaf(&pg.Node{Node: &pg.Node_RangeVar{RangeVar: r}})
		if s := l.source(name); s != nil && s.alias != r.Relname {
			r.Alias = &pg.Alias{Aliasname: s.alias}
		}
	}
	return made.FromClause
}

func (s *scope) source(name string) *source {
	for _, f := range s.sources {
		if f.name == name {
			return f
		}
	}
	return nil
}

func tablesOf(sel *pg.SelectStmt) (all []*pg.RangeVar) {
	var of func(item *pg.Node)
	of = func(item *pg.Node) {
		if j := item.GetJoinExpr(); j != nil {
			of(j.Larg)
			of(j.Rarg)
		} else if r := item.GetRangeVar(); r != nil {
			all = append(all, r)
		}
	}
	for _, item := range sel.FromClause {
		of(item)
	}
	return all
}

func rename(sel *pg.SelectStmt, was, is string) {
	sqltext.WalkNode(&pg.Node{Node: &pg.Node_SelectStmt{SelectStmt: sel}}, func(m any) {
		if c, ok := m.(*pg.ColumnRef); ok && len(c.Fields) == 2 && c.Fields[0].GetString_().GetSval() == was {
			c.Fields[0] = pg.MakeStrNode(is)
		}
	})
}

// addJoin joins a table as the accepted answer has it.
func (l *scope) addJoin(sel *pg.SelectStmt, a *scope, s *source) {
	kind := pg.JoinType_JOIN_INNER
	var on []*pg.Node
	known := func(c *pg.Node) bool {
		names := sourcesOf(c)
		return slices.Contains(names, s.name) && !slices.ContainsFunc(names, func(name string) bool {
			return name != s.name && l.source(name) == nil
		})
	}
	for _, j := range joinsOf(a.sel) {
		if leaf(j.Rarg) == s.name && j.Jointype != pg.JoinType_JOIN_INNER {
			kind = j.Jointype
		}
		on = append(on, slices.DeleteFunc(sqltext.Conjuncts(j.Quals), func(c *pg.Node) bool { return !known(c) })...)
	}
	for _, c := range sqltext.Conjuncts(a.sel.WhereClause) {
		if known(c) && len(sourcesOf(c)) > 1 {
			on = append(on, c)
		}
	}
	if len(on) == 0 || len(sel.FromClause) == 0 {
		return
	}
	last := len(sel.FromClause) - 1
	table := &pg.RangeVar{Relname: s.table, Inh: true, Relpersistence: "p", Location: -1}
	if s.name != s.table {
		table.Alias = &pg.Alias{Aliasname: s.name}
	}
	sel.FromClause[last] = &pg.Node{Node: &pg.Node_JoinExpr{JoinExpr: &pg.JoinExpr{
		Jointype: kind, Larg: sel.FromClause[last], Quals: sqltext.Conjunction(l.ownAll(on)),
		Rarg: &pg.Node{Node: &pg.Node_RangeVar{RangeVar: table}},
	}}}
}

// qualify puts the names of their tables before columns of which a table that is added has namesakes.
func (l *scope) qualify(sel *pg.SelectStmt, added *source) {
	sqltext.WalkNode(&pg.Node{Node: &pg.Node_SelectStmt{SelectStmt: sel}}, func(m any) {
		c, is := m.(*pg.ColumnRef)
		if !is || len(c.Fields) != 1 {
			return
		}
		name := sqltext.LastName(c.Fields)
		if own := having(l.sources, name); own != nil && slices.Contains(added.columns, name) {
			c.Fields = []*pg.Node{pg.MakeStrNode(own.alias), c.Fields[0]}
		}
	})
}

// dropJoin leaves a joined table out, with the conditions about it.
func (l *scope) dropJoin(sel *pg.SelectStmt, s *source) {
	named := func(item *pg.Node) bool {
		name := leaf(item)
		return name != "" && name == s.alias
	}
	dropped := false
	var of func(item *pg.Node) *pg.Node
	of = func(item *pg.Node) *pg.Node {
		j := item.GetJoinExpr()
		switch {
		case j == nil:
			return item
		case named(j.Rarg):
			dropped = true
			return j.Larg
		case named(j.Larg):
			dropped = true
			return j.Rarg
		}
		j.Larg, j.Rarg = of(j.Larg), of(j.Rarg)
		return item
	}
	for i, item := range sel.FromClause {
		if named(item) && len(sel.FromClause) > 1 {
			sel.FromClause, dropped = slices.Delete(sel.FromClause, i, i+1), true
			break
		}
		sel.FromClause[i] = of(item)
	}
	if !dropped {
		return
	}
	canonical := sqltext.Conjuncts(l.sel.WhereClause)
	var stay []*pg.Node
	for i, c := range sqltext.Conjuncts(sel.WhereClause) {
		if i < len(canonical) && !slices.Contains(sourcesOf(canonical[i]), s.name) {
			stay = append(stay, c)
		}
	}
	sel.WhereClause = sqltext.Conjunction(stay)
}

// joins makes edits of how the tables are joined, where both read the same ones.
func (e *editor) joins(l, a *scope) {
	own, other := joinsOf(l.sel), joinsOf(a.sel)
	for at, j := range own {
		i := slices.IndexFunc(other, func(o *pg.JoinExpr) bool { return leaf(o.Rarg) == leaf(j.Rarg) })
		if leaf(j.Rarg) == "" || i < 0 {
			e.turned(l, a, at)
			continue
		}
		if o := other[i]; o.Jointype != j.Jointype {
			kind := JoinInner
			switch pg.JoinType_JOIN_INNER {
			case o.Jointype:
				kind = JoinOuter
			case j.Jointype:
			default:
				kind = JoinSide
			}
			e.change(kind, "FROM", []string{l.source(leaf(j.Rarg)).alias}, l, func(sel *pg.SelectStmt) {
				joinsOf(sel)[at].Jointype = o.Jointype
			})
		}
	}
	e.joinConditions(l, a)
}

// turned makes the first table's join one that keeps all of its rows, or does not, where the accepted answer has the
// tables in another order.
func (e *editor) turned(l, a *scope, at int) {
	kept := func(joins []*pg.JoinExpr) (outer bool) {
		return slices.ContainsFunc(joins, func(j *pg.JoinExpr) bool { return j.Jointype != pg.JoinType_JOIN_INNER })
	}
	switch own, other := kept(joinsOf(l.sel)), kept(joinsOf(a.sel)); {
	case other && !own:
		for _, kind := range []pg.JoinType{pg.JoinType_JOIN_LEFT, pg.JoinType_JOIN_RIGHT, pg.JoinType_JOIN_FULL} {
			e.change(JoinInner, "FROM", nil, l, func(sel *pg.SelectStmt) { joinsOf(sel)[at].Jointype = kind })
		}
	case own && !other:
		e.change(JoinOuter, "FROM", nil, l, func(sel *pg.SelectStmt) {
			joinsOf(sel)[at].Jointype = pg.JoinType_JOIN_INNER
		})
	case own && joinsOf(l.sel)[at].Jointype != pg.JoinType_JOIN_INNER:
		e.change(JoinSide, "FROM", nil, l, func(sel *pg.SelectStmt) {
			was := joinsOf(sel)[at].Jointype
			is := map[pg.JoinType]pg.JoinType{
				pg.JoinType_JOIN_LEFT: pg.JoinType_JOIN_RIGHT, pg.JoinType_JOIN_RIGHT: pg.JoinType_JOIN_LEFT,
			}[was]
			if is != 0 {
				joinsOf(sel)[at].Jointype = is
			}
		})
	}
}

// allConditions are those of all joins and of WHERE that are about several tables.
func (s *scope) betweenTables() (all []*pg.Node) {
	for _, j := range joinsOf(s.sel) {
		all = append(all, sqltext.Conjuncts(j.Quals)...)
	}
	for _, c := range sqltext.Conjuncts(s.sel.WhereClause) {
		if len(sourcesOf(c)) > 1 {
			all = append(all, c)
		}
	}
	return all
}

// joinConditions makes edits of ON.
func (e *editor) joinConditions(l, a *scope) {
	there := map[string]bool{}
	for _, c := range l.betweenTables() {
		there[key(c)] = true
	}
	for _, c := range sqltext.Conjuncts(l.sel.WhereClause) {
		there[key(c)] = true
	}
	needed := map[string]bool{}
	var lacking []*pg.Node
	for _, c := range slices.Concat(a.betweenTables(), sqltext.Conjuncts(a.sel.WhereClause)) {
		if needed[key(c)] = true; !there[key(c)] && len(sourcesOf(c)) > 1 {
			lacking = append(lacking, c)
		}
	}
	own := joinsOf(l.sel)
	for at, j := range own {
		with := func(change func(all []*pg.Node) []*pg.Node) func(*pg.SelectStmt) {
			return func(sel *pg.SelectStmt) {
				of := joinsOf(sel)[at]
				l.writeOut(of, j)
				of.Quals = sqltext.Conjunction(change(sqltext.Conjuncts(of.Quals)))
			}
		}
		for i, c := range sqltext.Conjuncts(j.Quals) {
			if needed[key(c)] {
				continue
			}
			for _, by := range lacking {
				kind, about := differs(c, by)
				if len(sourcesOf(c)) > 1 {
					if kind, about = JoinKey, columnsOf(c); turnedRound(c, by) {
						kind = JoinTurned
					}
				}
				e.change(kind, "ON", about, l, with(func(all []*pg.Node) []*pg.Node {
					all[i] = l.graft(all[i], c, by)
					return all
				}))
			}
			if len(sqltext.Conjuncts(j.Quals)) > 1 {
				e.change(ConditionExtra, "ON", columnsOf(c), l, with(func(all []*pg.Node) []*pg.Node {
					return slices.Delete(all, i, i+1)
				}))
			}
		}
		e.lackingInOn(l, a, at, j, with)
	}
	for _, c := range lacking {
		kind := ConditionMissing
		if len(own) == 0 && len(l.sources) > 1 {
			kind = JoinMissing
		}
		e.change(kind, "WHERE", columnsOf(c), l, func(sel *pg.SelectStmt) {
			sel.WhereClause = sqltext.Conjunction(append(sqltext.Conjuncts(sel.WhereClause), l.own(c)))
		})
	}
}

// turnedRound tells that two conditions of a join have the same columns, each of the other table.
func turnedRound(c, by *pg.Node) bool {
	columns := func(n *pg.Node) (all []string) {
		for _, side := range []*pg.Node{n.GetAExpr().GetLexpr(), n.GetAExpr().GetRexpr()} {
			if fields := side.GetColumnRef().GetFields(); len(fields) == 2 {
				all = append(all, fields[0].GetString_().GetSval(), sqltext.LastName(fields))
			}
		}
		return all
	}
	one, two := columns(c), columns(by)
	if len(one) != 4 || len(two) != 4 || one[1] == one[3] {
		return false
	}
	return slices.Equal(two, []string{one[0], one[3], one[2], one[1]}) ||
		slices.Equal(two, []string{one[2], one[1], one[0], one[3]})
}

// lackingInOn adds the conditions that the accepted answer's join of the same table has.
func (e *editor) lackingInOn(
	l, a *scope, at int, j *pg.JoinExpr, with func(func([]*pg.Node) []*pg.Node) func(*pg.SelectStmt),
) {
	for _, o := range joinsOf(a.sel) {
		if leaf(o.Rarg) != leaf(j.Rarg) || leaf(o.Rarg) == "" {
			continue
		}
		_, right := apart(pieces(sqltext.Conjuncts(j.Quals)), pieces(sqltext.Conjuncts(o.Quals)))
		for _, p := range right {
			kind := ConditionMissing
			if j.Quals == nil && joinsOf(l.sel)[at].UsingClause == nil {
				kind = JoinMissing
			}
			e.change(kind, "ON", columnsOf(p.node), l, with(func(all []*pg.Node) []*pg.Node {
				return append(all, l.own(p.node))
			}))
		}
	}
}
