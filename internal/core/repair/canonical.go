package repair

import (
	"slices"
	"strconv"

	pg "github.com/pganalyze/pg_query_go/v6"
	"google.golang.org/protobuf/proto"
	"google.golang.org/protobuf/reflect/protoreflect"

	"examen/internal/core/sqltext"
)

// A naming gives the tables of a query names that do not depend on its writer: the table's own, numbered where one
// comes again. Every column gets its table's name before it, USING becomes ON, and the names and numbers of outputs in
// GROUP BY and ORDER BY become what they stand for.
type naming struct {
	schema sqltext.Schema
	ctes   int
	// of each SELECT, in the order in which they are reached
	scopes []*scope
}

// A scope is a SELECT under its canonical names.
type scope struct {
	sel     *pg.SelectStmt
	number  int // among the SELECTs of the tree as it was read; -1 where it is none of them
	outer   *scope
	within  map[part][]*scope // the SELECTs in it
	sources []*source
	ctes    map[string]*source // of WITH, by the writer's names
	// qualified tells that its writer puts tables' names before columns
	qualified bool
}

// A part of a SELECT, in which others stand.
type part int

const (
	inWith part = iota
	inArms      // of a set operation
	inFrom
	inExpressions
)

// A source is what a SELECT reads.
type source struct {
	name    string // canonical
	alias   string // as the query has it
	table   string // of the database; "" of a subquery
	columns []string
}

// canonical names everything in a query, in place, and returns its SELECTs: first the whole one.
func canonical(sel *pg.SelectStmt, schema sqltext.Schema) []*scope {
	n := &naming{schema: schema}
	n.statement(sel, nil, inArms)
	return n.scopes
}

func (n *naming) statement(sel *pg.SelectStmt, outer *scope, as part) *scope {
	s := &scope{sel: sel, outer: outer, ctes: map[string]*source{}, within: map[part][]*scope{}}
	n.scopes = append(n.scopes, s)
	if outer != nil {
		outer.within[as] = append(outer.within[as], s)
	}
	for _, item := range sel.GetWithClause().GetCtes() {
		c := item.GetCommonTableExpr()
		n.ctes++
		made := &source{name: "with_" + strconv.Itoa(n.ctes)}
		if sel.WithClause.Recursive {
			s.ctes[c.Ctename] = made
		}
		if inner := c.Ctequery.GetSelectStmt(); inner != nil {
			made.columns = n.statement(inner, s, inWith).outputs()
		}
		for i, name := range c.Aliascolnames {
			if i < len(made.columns) {
				made.columns[i] = name.GetString_().GetSval()
			}
		}
		s.ctes[c.Ctename], c.Ctename = made, made.name
	}
	if sel.Larg != nil {
		n.statement(sel.Larg, s, inArms)
		n.statement(sel.Rarg, s, inArms)
	}
	for _, item := range sel.FromClause {
		n.from(item, s)
	}
	for _, item := range sel.TargetList {
		n.expressions(item.ProtoReflect(), s)
	}
	sel.GroupClause = s.meant(sel.GroupClause, false)
	for _, item := range sel.SortClause {
		by := item.GetSortBy()
		by.Node = s.meant([]*pg.Node{by.Node}, true)[0]
	}
	for _, part := range [][]*pg.Node{
		{sel.WhereClause, sel.HavingClause, sel.LimitCount, sel.LimitOffset}, sel.GroupClause, sel.SortClause,
		sel.WindowClause, sel.DistinctClause, sel.ValuesLists,
	} {
		for _, item := range part {
			if item != nil {
				n.expressions(item.ProtoReflect(), s)
			}
		}
	}
	return s
}

// from names an item of FROM.
func (n *naming) from(item *pg.Node, s *scope) {
	switch of := item.Node.(type) {
	case *pg.Node_RangeVar:
		r := of.RangeVar
		made := &source{alias: r.Relname, table: r.Relname, columns: n.schema[r.Relname]}
		if cte := s.with(r.Relname); cte != nil && r.Schemaname == "" {
			made.table, made.columns, r.Relname = "", cte.columns, cte.name
		}
		if r.Alias != nil {
			made.alias = r.Alias.Aliasname
		}
		made.name = s.free(r.Relname)
		s.sources = append(s.sources, made)
		r.Alias = nil
		if made.name != r.Relname {
			r.Alias = &pg.Alias{Aliasname: made.name}
		}
		r.Schemaname = ""
	case *pg.Node_RangeSubselect:
		sub := of.RangeSubselect
		inner := n.statement(sub.Subquery.GetSelectStmt(), s, inFrom)
		made := &source{alias: sub.GetAlias().GetAliasname(), name: s.free("sub"), columns: inner.outputs()}
		s.sources = append(s.sources, made)
		if sub.Alias != nil {
			sub.Alias.Aliasname = made.name
		}
	case *pg.Node_RangeFunction:
		alias := of.RangeFunction.GetAlias()
		n.expressions(item.ProtoReflect(), s)
		s.sources = append(s.sources, &source{alias: alias.GetAliasname(), name: alias.GetAliasname()})
	case *pg.Node_JoinExpr:
		j := of.JoinExpr
		from := len(s.sources)
		n.from(j.Larg, s)
		middle := len(s.sources)
		n.from(j.Rarg, s)
		left, right := s.sources[from:middle], s.sources[middle:]
		using := stringsOf(j.UsingClause)
		if j.IsNatural {
			using = shared(left, right)
		}
		for _, column := range using {
			l, r := having(left, column), having(right, column)
			if l != nil && r != nil {
				equal := sqltext.Operation("=", sqltext.ColumnRef(l.name, column), sqltext.ColumnRef(r.name, column))
				j.Quals = sqltext.Conjunction(append(sqltext.Conjuncts(j.Quals), equal))
			}
		}
		written := len(using) > 0
		j.UsingClause, j.IsNatural = nil, false
		if j.Quals != nil && !written {
			n.expressions(j.Quals.ProtoReflect(), s)
		}
	}
}

func stringsOf(nodes []*pg.Node) (all []string) {
	for _, n := range nodes {
		all = append(all, n.GetString_().GetSval())
	}
	return all
}

// shared are the columns that both sides of a NATURAL join have.
func shared(left, right []*source) (all []string) {
	for _, l := range left {
		for _, column := range l.columns {
			if having(right, column) != nil && !slices.Contains(all, column) {
				all = append(all, column)
			}
		}
	}
	return all
}

func having(sources []*source, column string) *source {
	for _, s := range sources {
		if slices.Contains(s.columns, column) {
			return s
		}
	}
	return nil
}

// with is what WITH, here or further out, has under a name.
func (s *scope) with(name string) *source {
	for ; s != nil; s = s.outer {
		if found := s.ctes[name]; found != nil {
			return found
		}
	}
	return nil
}

// free is a name that nothing in sight has yet.
func (s *scope) free(name string) string {
	taken := func(name string) bool {
		for at := s; at != nil; at = at.outer {
			if slices.ContainsFunc(at.sources, func(f *source) bool { return f.name == name }) {
				return true
			}
		}
		return false
	}
	made := name
	for i := 2; taken(made); i++ {
		made = name + "_" + strconv.Itoa(i)
	}
	return made
}

// expressions names the columns of an expression, and the subqueries in it.
func (n *naming) expressions(m protoreflect.Message, s *scope) {
	switch x := m.Interface().(type) {
	case *pg.SelectStmt:
		n.statement(x, s, inExpressions)
		return
	case *pg.ColumnRef:
		s.name(x)
		return
	case *pg.SubLink: // what EXISTS lists is not looked at
		if sel := x.Subselect.GetSelectStmt(); x.SubLinkType == pg.SubLinkType_EXISTS_SUBLINK &&
			len(sel.GetGroupClause()) == 0 && !aggregates(sel.GetTargetList()) {
			sel.TargetList = nil
		}
	}
	m.Range(func(field protoreflect.FieldDescriptor, value protoreflect.Value) bool {
		switch {
		case field.Message() == nil:
		case field.IsList():
			for i := range value.List().Len() {
				n.expressions(value.List().Get(i).Message(), s)
			}
		default:
			n.expressions(value.Message(), s)
		}
		return true
	})
}

// name puts a column's source before it.
func (s *scope) name(c *pg.ColumnRef) {
	last := c.Fields[len(c.Fields)-1]
	for at := s; at != nil; at = at.outer {
		for _, f := range at.sources {
			switch {
			case len(c.Fields) > 1 && f.alias == c.Fields[len(c.Fields)-2].GetString_().GetSval(),
				len(c.Fields) == 1 && last.GetString_() != nil && slices.Contains(f.columns, last.GetString_().Sval):
				at.qualified = at.qualified || len(c.Fields) > 1
				c.Fields = []*pg.Node{pg.MakeStrNode(f.name), last}
				return
			}
		}
	}
}

// meant are the keys of GROUP BY or ORDER BY with what the numbers and names of outputs stand for.
func (s *scope) meant(keys []*pg.Node, order bool) (all []*pg.Node) {
	for _, key := range keys {
		all = append(all, key)
		at := -1
		if n := key.GetAConst().GetIval(); n != nil {
			at = int(n.Ival) - 1
		} else if c := key.GetColumnRef(); c != nil && len(c.Fields) == 1 {
			name := c.Fields[0].GetString_().GetSval()
			if !order && having(s.sources, name) != nil {
				continue
			}
			at = slices.IndexFunc(
				s.sel.TargetList, func(t *pg.Node) bool { return t.GetResTarget().GetName() == name },
			)
		}
		if at >= 0 && at < len(s.sel.TargetList) {
			all[len(all)-1] = clone(s.sel.TargetList[at].GetResTarget().GetVal())
		}
	}
	return all
}

// outputs are the names of a SELECT's columns; nil where they are not known.
func (s *scope) outputs() (all []string) {
	sel := s.sel
	for sel.Larg != nil {
		sel = sel.Larg
	}
	for _, t := range sel.TargetList {
		if sqltext.IsStar(t.GetResTarget().GetVal().GetColumnRef()) {
			return nil
		}
		all = append(all, sqltext.OutputName(t.GetResTarget()))
	}
	return all
}

func clone(n *pg.Node) *pg.Node {
	if n == nil {
		return nil
	}
	return proto.Clone(n).(*pg.Node)
}

// key writes an expression so that two that mean the same are the same, as far as their order and their way of writing
// goes.
func key(n *pg.Node) string {
	if n == nil {
		return ""
	}
	n = clone(n)
	sqltext.WalkNode(n, func(m any) {
		switch x := m.(type) {
		case *pg.A_Expr:
			level(x)
		case *pg.FuncCall:
			if one, ok := sqltext.Constant(first(x.Args)); ok && one != "" && sqltext.LastName(x.Funcname) == "count" {
				x.Args, x.AggStar = nil, true // count(1)
			}
		}
	})
	return sqltext.WriteExpression(n)
}

func first(nodes []*pg.Node) *pg.Node {
	if len(nodes) != 1 {
		return nil
	}
	return nodes[0]
}

// level turns a comparison the way round in which all are compared, and takes the types off its constants.
func level(a *pg.A_Expr) {
	if a.Kind != pg.A_Expr_Kind_AEXPR_OP || a.Lexpr == nil || a.Rexpr == nil {
		return
	}
	turned, compares := map[string]string{"=": "=", "<>": "<>", "<": ">", "<=": ">=", ">": "<", ">=": "<="}[operator(a)]
	if !compares {
		return
	}
	for _, side := range []**pg.Node{&a.Lexpr, &a.Rexpr} {
		if cast := (*side).GetTypeCast(); cast != nil && cast.Arg.GetAConst() != nil {
			*side = cast.Arg
		}
	}
	left, right := sqltext.WriteExpression(a.Lexpr), sqltext.WriteExpression(a.Rexpr)
	_, constant := sqltext.Constant(a.Lexpr)
	_, other := sqltext.Constant(a.Rexpr)
	if constant && !other || constant == other && left > right {
		a.Lexpr, a.Rexpr = a.Rexpr, a.Lexpr
		a.Name = []*pg.Node{pg.MakeStrNode(turned)}
	}
}

func operator(a *pg.A_Expr) string { return sqltext.LastName(a.Name) }
