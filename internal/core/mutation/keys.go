package mutation

import (
	"fmt"
	"slices"

	pg "github.com/pganalyze/pg_query_go/v6"

	"examen/internal/core/sqltext"
)

// What determines what in the rows that FROM and WHERE of a SELECT make: a key determines its source's other columns,
// an equality each side the other, and a condition column = constant the column. This is the closure of attributes
// under functional dependencies (W. W. Armstrong: Dependency structures of data base relationships, 1974).

// attribute names a column of a scope's source.
func attribute(from *source, name string) string { return fmt.Sprintf("%d.%s", from.number, name) }

// A dependency says that the columns from determine the columns to.
type dependency struct{ from, to []string }

// dependencies reads what determines what in a scope's rows; with a source, in those in which it is present.
func (s *scope) dependencies(present *source) (all []dependency) {
	for _, from := range s.sources {
		for _, key := range from.keys {
			d := dependency{}
			for _, name := range key {
				d.from = append(d.from, attribute(from, name))
			}
			for _, c := range from.columns {
				d.to = append(d.to, attribute(from, c.name))
			}
			all = append(all, d)
		}
	}
	for _, c := range sqltext.Conjuncts(s.sel.WhereClause) {
		all = append(all, s.equality(c, true)...)
	}
	for _, item := range s.sel.FromClause {
		all = append(all, s.ofJoin(item, present)...)
	}
	return all
}

// ofJoin reads the equalities of joins. Those of an outer join determine its open side only.
func (s *scope) ofJoin(item *pg.Node, present *source) (all []dependency) {
	j := item.GetJoinExpr()
	if j == nil {
		return nil
	}
	// what an outer join opens is never within what is open: its own dependencies hold, with NULLs for the missing rows
	all = append(s.ofJoin(j.Larg, present), s.ofJoin(j.Rarg, present)...)
	conditions := s.joinConditions(j)
	left, right := open(j.Jointype)
	there := func(side *pg.Node) bool { return present != nil && slices.Contains(s.within(side), present) }
	switch {
	case !left && !right, left && !right && there(j.Rarg), right && !left && there(j.Larg):
		for _, c := range conditions {
			all = append(all, s.equality(c, false)...)
		}
	case left && !right:
		all = append(all, s.opened(conditions, j.Rarg)...)
	case right && !left:
		all = append(all, s.opened(conditions, j.Larg)...)
	}
	return all
}

// joinConditions are the conditions of a join, those that USING says too.
func (s *scope) joinConditions(j *pg.JoinExpr) []*pg.Node {
	all := sqltext.Conjuncts(j.Quals)
	for _, n := range j.UsingClause {
		name := n.GetString_().GetSval()
		left, right := s.under(j.Larg, name), s.under(j.Rarg, name)
		if left != nil && right != nil {
			all = append(all, sqltext.Operation("=", sqltext.ColumnRef(left.alias, name),
				sqltext.ColumnRef(right.alias, name)))
		}
	}
	return all
}

// under finds the source of an item of FROM that has a column.
func (s *scope) under(item *pg.Node, name string) *source {
	for _, from := range s.within(item) {
		if slices.ContainsFunc(from.columns, func(c column) bool { return c.name == name }) {
			return from
		}
	}
	return nil
}

// within are the sources of an item of FROM.
func (s *scope) within(item *pg.Node) (all []*source) {
	name := ""
	switch n := item.Node.(type) {
	case *pg.Node_JoinExpr:
		return append(s.within(n.JoinExpr.Larg), s.within(n.JoinExpr.Rarg)...)
	case *pg.Node_RangeVar:
		if name = n.RangeVar.Relname; n.RangeVar.Alias != nil {
			name = n.RangeVar.Alias.Aliasname
		}
	case *pg.Node_RangeSubselect:
		name = n.RangeSubselect.Alias.GetAliasname()
	case *pg.Node_RangeFunction:
		name = n.RangeFunction.Alias.GetAliasname()
	}
	for _, from := range s.sources {
		if from.alias == name {
			return []*source{from}
		}
	}
	return nil
}

// opened says what determines the columns of an outer join's open side: those of the other side that they are equal to;
// and all columns there, where these are a key of the one table. Other conditions on that table alone take nothing from
// this.
func (s *scope) opened(conditions []*pg.Node, open *pg.Node) []dependency {
	inside := s.within(open)
	if len(inside) != 1 {
		return nil
	}
	d, matched := dependency{}, []string{}
	for _, c := range conditions {
		left, right := s.sides(c)
		if left == nil || right == nil {
			if s.about(c, inside[0]) {
				continue
			}
			return nil
		}
		if left.from == inside[0] {
			left, right = right, left
		}
		if right.from != inside[0] || left.from == inside[0] {
			return nil
		}
		d.from = append(d.from, left.attribute())
		matched = append(matched, right.name)
	}
	for _, name := range matched {
		d.to = append(d.to, attribute(inside[0], name))
	}
	for _, key := range inside[0].keys {
		if !slices.ContainsFunc(key, func(name string) bool { return !slices.Contains(matched, name) }) {
			for _, c := range inside[0].columns {
				d.to = append(d.to, attribute(inside[0], c.name))
			}
		}
	}
	return []dependency{d}
}

// about tells that an expression is about the columns of one source alone.
func (s *scope) about(n *pg.Node, only *source) bool {
	certain := true
	inspect(n, func(n *pg.Node) {
		if n.GetSubLink() != nil {
			certain = false
		}
		if c := n.GetColumnRef(); c != nil {
			from, _ := s.find(c)
			certain = certain && from == only
		}
	})
	return certain
}

// A side is a column that a condition compares.
type side struct {
	from *source
	name string
}

func (s *side) attribute() string { return attribute(s.from, s.name) }

// sides are the columns of this SELECT that a condition says are equal; nil where it says something else.
func (s *scope) sides(c *pg.Node) (left, right *side) {
	a := c.GetAExpr()
	if a == nil || a.Kind != pg.A_Expr_Kind_AEXPR_OP || sqltext.LastName(a.Name) != "=" {
		return nil, nil
	}
	return s.side(a.Lexpr), s.side(a.Rexpr)
}

func (s *scope) side(n *pg.Node) *side {
	from, c := s.find(n.GetColumnRef())
	if c == nil || !s.own(from) {
		return nil
	}
	return &side{from, c.name}
}

// equality reads what a condition of WHERE, or of an inner join, determines. A constant in a join does so only where no
// outer join around it leaves the column NULL.
func (s *scope) equality(c *pg.Node, where bool) []dependency {
	a := c.GetAExpr()
	if a == nil || a.Kind != pg.A_Expr_Kind_AEXPR_OP || sqltext.LastName(a.Name) != "=" {
		return nil
	}
	left, right := s.side(a.Lexpr), s.side(a.Rexpr)
	switch {
	case left != nil && right != nil:
		l, r := []string{left.attribute()}, []string{right.attribute()}
		return []dependency{{l, r}, {r, l}}
	case left != nil && s.fixed(a.Rexpr) && (!left.from.missing || where):
		return []dependency{{nil, []string{left.attribute()}}}
	case right != nil && s.fixed(a.Lexpr) && (!right.from.missing || where):
		return []dependency{{nil, []string{right.attribute()}}}
	}
	return nil
}

// fixed tells that an expression has one value for all rows of the SELECT: a constant, or a column of an outer one.
func (s *scope) fixed(n *pg.Node) bool {
	if _, is := sqltext.Constant(n); is {
		return true
	}
	from, c := s.find(n.GetColumnRef())
	return c != nil && !s.own(from)
}

// closure adds to a set of attributes all that it determines.
func closure(set map[string]bool, by []dependency) map[string]bool {
	all := map[string]bool{}
	for a := range set {
		all[a] = true
	}
	for grown := true; grown; {
		grown = false
		for _, d := range by {
			if slices.ContainsFunc(d.from, func(a string) bool { return !all[a] }) {
				continue
			}
			for _, a := range d.to {
				grown = grown || !all[a]
				all[a] = true
			}
		}
	}
	return all
}

// determined are the attributes that the values of expressions determine, in rows in which a source is present.
func (s *scope) determined(present *source, by ...*pg.Node) map[string]bool {
	set := map[string]bool{}
	for _, n := range by {
		if side := s.side(n); side != nil {
			set[side.attribute()] = true
		}
	}
	return closure(set, s.dependencies(present))
}

// rowsBy tells that the values of expressions determine the row of FROM and WHERE that they come from.
func (s *scope) rowsBy(by ...*pg.Node) bool { return s.rowsWith(nil, by...) }

// rowsWith is rowsBy for the rows in which a source is present.
func (s *scope) rowsWith(present *source, by ...*pg.Node) bool {
	set := s.determined(present, by...)
	for _, from := range s.sources {
		known := slices.ContainsFunc(from.keys, func(key []string) bool {
			return !slices.ContainsFunc(key, func(name string) bool { return !set[attribute(from, name)] })
		})
		if !known {
			return false
		}
	}
	return true
}

// determines tells that the values of expressions determine another's, for rows before they are grouped.
func (s *scope) determines(n *pg.Node, by ...*pg.Node) bool {
	if s.fixed(n) || slices.ContainsFunc(by, func(o *pg.Node) bool { return written(o) == written(n) }) {
		return true
	}
	set, certain := s.determined(nil, by...), true
	inspect(n, func(n *pg.Node) {
		switch x := n.Node.(type) {
		case *pg.Node_ColumnRef:
			side := s.side(n)
			certain = certain && side != nil && set[side.attribute()]
		case *pg.Node_SubLink:
			certain = false
		case *pg.Node_FuncCall:
			certain = certain && !sqltext.IsAggregate(x.FuncCall) && x.FuncCall.Over == nil
		}
	})
	return certain
}

// outputs are the expressions of the outputs, stars as the columns that they stand for.
func (s *scope) outputs() (all []*pg.Node) {
	for _, item := range s.sel.TargetList {
		target := item.GetResTarget()
		c := target.GetVal().GetColumnRef()
		if !sqltext.IsStar(c) {
			all = append(all, target.Val)
			continue
		}
		for _, from := range s.sources {
			if len(c.Fields) == 1 || c.Fields[0].GetString_().GetSval() == from.alias {
				for _, column := range from.columns {
					all = append(all, sqltext.ColumnRef(from.alias, column.name))
				}
			}
		}
	}
	return all
}

// meant is what an item of GROUP BY or ORDER BY means: an output by its number or name, or the expression itself.
func (s *scope) meant(n *pg.Node, group bool) *pg.Node {
	if at := n.GetAConst().GetIval(); at != nil {
		if int(at.Ival) >= 1 && int(at.Ival) <= len(s.sel.TargetList) {
			return s.sel.TargetList[at.Ival-1].GetResTarget().Val
		}
		return n
	}
	c := n.GetColumnRef()
	if c == nil || len(c.Fields) != 1 {
		return n
	}
	if _, column := s.find(c); column != nil && group {
		return n // GROUP BY takes a column before an output of that name
	}
	for _, item := range s.sel.TargetList {
		if target := item.GetResTarget(); target.Name == sqltext.LastName(c.Fields) {
			return target.Val
		}
	}
	return n
}

// groups are what a SELECT groups by.
func (s *scope) groups() (all []*pg.Node) {
	for _, n := range s.sel.GroupClause {
		all = append(all, s.meant(n, true))
	}
	return all
}

// single tells that a SELECT makes one row at most, before LIMIT.
func (s *scope) single() bool {
	return len(s.sel.GroupClause) == 0 && s.sel.Op == pg.SetOperation_SETOP_NONE && s.aggregated()
}

// aggregated tells that a SELECT makes groups: by GROUP BY, or one of all rows.
func (s *scope) aggregated() bool {
	found := len(s.sel.GroupClause) > 0 || s.sel.HavingClause != nil
	for _, n := range s.outputs() {
		inspect(n, func(n *pg.Node) { found = found || aggregate(n) != nil })
	}
	return found
}

// uniqueBy tells that the values of expressions tell the rows of the result apart.
func (s *scope) uniqueBy(by ...*pg.Node) bool {
	if s.sel.Op != pg.SetOperation_SETOP_NONE {
		return false
	}
	if s.single() {
		return true
	}
	if !s.aggregated() {
		return s.rowsBy(by...)
	}
	for _, key := range s.groups() {
		if !s.determines(key, by...) {
			return false
		}
	}
	return true
}
