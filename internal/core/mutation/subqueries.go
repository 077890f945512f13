package mutation

import (
	"slices"

	pg "github.com/pganalyze/pg_query_go/v6"

	"examen/internal/core/sqltext"
)

// notIn takes NOT IN for NOT EXISTS, and NOT EXISTS for NOT IN, in WHERE.
func (m *maker) notIn(s *scope) {
	for _, n := range sqltext.Conjuncts(s.sel.WhereClause) {
		b := n.GetBoolExpr()
		if b == nil || b.Boolop != pg.BoolExprType_NOT_EXPR {
			continue
		}
		link := b.Args[0].GetSubLink()
		sel := link.GetSubselect().GetSelectStmt()
		if sel == nil || sel.Op != pg.SetOperation_SETOP_NONE || len(sel.GroupClause) > 0 || sel.LimitCount != nil {
			continue
		}
		inside := m.newScope(sel, s)
		if inside.aggregated() {
			continue
		}
		switch link.SubLinkType {
		case pg.SubLinkType_EXISTS_SUBLINK:
			m.existsAsIn(n, sel, s, inside)
		case pg.SubLinkType_ANY_SUBLINK:
			m.inAsExists(n, link, sel, s, inside)
		}
	}
}

// existsAsIn has NOT IN for a NOT EXISTS that one equality ties to the rows outside.
func (m *maker) existsAsIn(n *pg.Node, sel *pg.SelectStmt, s, inside *scope) {
	var rest []*pg.Node
	var own, outside *pg.Node
	for _, c := range sqltext.Conjuncts(sel.WhereClause) {
		if operator(c) == "=" && own == nil {
			a := c.GetAExpr()
			l, r := inside.side(a.Lexpr), inside.side(a.Rexpr)
			if l != nil && r == nil && inside.fixed(a.Rexpr) && a.Rexpr.GetColumnRef() != nil {
				own, outside = a.Lexpr, a.Rexpr
				continue
			}
			if r != nil && l == nil && inside.fixed(a.Lexpr) && a.Lexpr.GetColumnRef() != nil {
				own, outside = a.Rexpr, a.Lexpr
				continue
			}
		}
		rest = append(rest, c)
	}
	if own == nil {
		return
	}
	for _, c := range rest { // another tie to the rows outside
		certain := true
		inspect(c, func(n *pg.Node) {
			if from, _ := inside.find(n.GetColumnRef()); n.GetColumnRef() != nil && !inside.own(from) {
				certain = false
			}
		})
		if !certain {
			return
		}
	}
	in := clone(&pg.Node{Node: &pg.Node_SelectStmt{SelectStmt: sel}})
	inner := in.GetSelectStmt()
	inner.TargetList = []*pg.Node{pg.MakeResTargetNodeWithVal(clone(own), -1)}
	inner.WhereClause = clone(sqltext.Conjunction(rest))
	by := not(&pg.Node{Node: &pg.Node_SubLink{SubLink: &pg.SubLink{
		SubLinkType: pg.SubLinkType_ANY_SUBLINK, Testexpr: clone(outside), Subselect: in, Location: -1,
	}}})
	known := (inside.neverNull(own) || inside.excludesNull(own, rest)) && s.never(outside)
	m.replace(NotIn, n, by, certainly(known, "neither side is ever NULL"),
		"takes NOT IN for NOT EXISTS")
	m.reasoned(NotIn, []Reason{{"no NULL among the values decides", ""}})
}

// inAsExists has NOT EXISTS for a NOT IN.
func (m *maker) inAsExists(n *pg.Node, link *pg.SubLink, sel *pg.SelectStmt, s, inside *scope) {
	if len(sel.TargetList) != 1 {
		return
	}
	own := inside.side(sel.TargetList[0].GetResTarget().GetVal())
	outside := s.side(link.Testexpr)
	if own == nil || outside == nil {
		return
	}
	if slices.ContainsFunc(inside.sources, func(f *source) bool { return f.alias == outside.from.alias }) {
		return // its column could not be named inside
	}
	in := clone(&pg.Node{Node: &pg.Node_SelectStmt{SelectStmt: sel}})
	inner := in.GetSelectStmt()
	tie := sqltext.Operation("=", sqltext.ColumnRef(own.from.alias, own.name),
		sqltext.ColumnRef(outside.from.alias, outside.name))
	inner.WhereClause = sqltext.Conjunction(append(sqltext.Conjuncts(inner.WhereClause), tie))
	by := not(&pg.Node{Node: &pg.Node_SubLink{SubLink: &pg.SubLink{
		SubLinkType: pg.SubLinkType_EXISTS_SUBLINK, Subselect: in, Location: -1,
	}}})
	known := inside.never(sel.TargetList[0].GetResTarget().Val) && s.never(link.Testexpr)
	m.replace(NotIn, n, by, certainly(known, "neither side is ever NULL"), "takes NOT EXISTS for NOT IN")
	m.reasoned(NotIn, []Reason{{"no NULL among the values decides", ""}})
}
