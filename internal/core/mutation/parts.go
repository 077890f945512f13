package mutation

import (
	"slices"
	"strings"

	pg "github.com/pganalyze/pg_query_go/v6"

	"examen/internal/core/dataset"
	"examen/internal/core/sqltext"
)

// A part is a table that a query reads from, under the alias that it has there.
type part struct {
	alias string
	table *dataset.Table
	base  []*string // a row of it, from which new ones are made; nil where there is none
	top   bool      // it stands in the FROM of the whole query
}

// A spot is a column of a part.
type spot struct {
	part   *part
	column string
}

// A link says that two columns are equal in what the query keeps.
type link struct{ one, other spot }

// A survey is what a query says about the rows that decide on its result.
type survey struct {
	maker *maker
	parts []*part
	of    map[*source]*part
	links []link
	// marks are the values that columns are compared with.
	marks map[spot][]string
	// totals are those that aggregates of columns are, counts those of numbers of rows.
	totals map[spot][]string
	counts []string
	order  []spot // what it orders by
	groups []spot // what it groups by
	told   []spot // every column that it names, in the order of the text
}

// read surveys a query. The parts of several queries are one where they have one alias and table.
func (v *survey) read(q *sqltext.Query) {
	v.maker.tree = q.Tree()
	v.statement(v.maker.tree.Stmts[0].Stmt.GetSelectStmt(), nil, true)
}

func (v *survey) statement(sel *pg.SelectStmt, outer *scope, top bool) {
	if sel == nil || len(sel.ValuesLists) > 0 {
		return
	}
	s := v.maker.newScope(sel, outer)
	if sel.Op == pg.SetOperation_SETOP_NONE {
		v.scope(s, top)
		return
	}
	v.with(s, top)
	v.statement(sel.Larg, s, top)
	v.statement(sel.Rarg, s, top)
}

// with surveys what WITH names.
func (v *survey) with(s *scope, top bool) {
	for _, name := range sortedNames(s.with) {
		if inside := s.with[name].inside; inside != nil {
			v.scope(inside, top)
		}
	}
}

// scope surveys a SELECT.
func (v *survey) scope(s *scope, top bool) {
	v.with(s, top)
	for _, from := range s.sources {
		if from.table != nil {
			v.of[from] = v.part(from, top)
		} else if from.inside != nil && !slices.ContainsFunc(sortedNames(s.with), func(name string) bool {
			return s.with[name].inside == from.inside
		}) {
			v.scope(from.inside, top)
		}
	}
	for _, item := range s.sel.FromClause {
		v.joins(item, s)
	}
	for _, n := range []*pg.Node{s.sel.WhereClause, s.sel.HavingClause} {
		v.expression(n, s)
	}
	for _, item := range s.sel.TargetList {
		v.expression(item.GetResTarget().Val, s)
	}
	for _, key := range s.groups() {
		v.groups = v.add(v.groups, key, s)
	}
	for _, key := range s.sortKeys() {
		v.order = v.add(v.order, key, s)
		v.expression(key, s)
	}
}

func sortedNames(with map[string]*source) (all []string) {
	for name := range with {
		all = append(all, name)
	}
	slices.Sort(all)
	return all
}

func (v *survey) add(to []spot, n *pg.Node, s *scope) []spot {
	if at := v.find(n, s); at.part != nil && !slices.Contains(to, at) {
		return append(to, at)
	}
	return to
}

// part is the part that a source is.
func (v *survey) part(from *source, top bool) *part {
	for _, p := range v.parts {
		if p.alias == from.alias && p.table == from.table {
			return p
		}
	}
	p := &part{alias: from.alias, table: from.table, top: top}
	v.parts = append(v.parts, p)
	return p
}

// find is the column of a table that an expression is, perhaps through a subquery in FROM.
func (v *survey) find(n *pg.Node, s *scope) spot {
	for n.GetTypeCast() != nil {
		n = n.GetTypeCast().Arg
	}
	if f := n.GetFuncCall(); f != nil && !sqltext.IsAggregate(f) && f.Over == nil {
		for _, arg := range f.Args { // lower(name), date_part('year', day) and the like
			if at := v.find(arg, s); at.part != nil {
				return at
			}
		}
		return spot{}
	}
	from, c := s.find(n.GetColumnRef())
	switch {
	case c == nil:
		return spot{}
	case from.table != nil:
		if v.of[from] == nil {
			v.of[from] = v.part(from, false)
		}
		return spot{v.of[from], c.name}
	case from.inside != nil:
		for _, item := range from.inside.sel.TargetList {
			if target := item.GetResTarget(); sqltext.OutputName(target) == c.name {
				return v.find(target.Val, from.inside)
			}
		}
	}
	return spot{}
}

func (v *survey) joins(item *pg.Node, s *scope) {
	j := item.GetJoinExpr()
	if j == nil {
		return
	}
	v.joins(j.Larg, s)
	v.joins(j.Rarg, s)
	for _, c := range s.joinConditions(j) {
		v.expression(c, s)
	}
}

// expression surveys an expression: what it compares with what, and every column in it.
func (v *survey) expression(n *pg.Node, s *scope) {
	inspect(n, func(n *pg.Node) {
		switch x := n.Node.(type) {
		case *pg.Node_ColumnRef:
			v.told = v.add(v.told, n, s)
		case *pg.Node_AExpr:
			v.comparison(x.AExpr, s)
		case *pg.Node_SubLink:
			sel := x.SubLink.Subselect.GetSelectStmt()
			v.statement(sel, s, false)
			if x.SubLink.Testexpr != nil && sel != nil && len(sel.TargetList) == 1 {
				inside := v.maker.newScope(sel, s)
				v.link(v.find(x.SubLink.Testexpr, s), v.find(sel.TargetList[0].GetResTarget().Val, inside))
			}
		}
	})
}

func (v *survey) link(one, other spot) {
	if one.part != nil && other.part != nil && one.part != other.part {
		v.links = append(v.links, link{one, other})
	}
}

// comparison notes the values that are compared with.
func (v *survey) comparison(a *pg.A_Expr, s *scope) {
	var constants []string
	for _, n := range slices.Concat([]*pg.Node{a.Lexpr, a.Rexpr}, a.Rexpr.GetList().GetItems()) {
		if n == nil {
			continue
		}
		if c, is := sqltext.Constant(n); is {
			constants = append(constants, c)
		}
	}
	if a.Kind == pg.A_Expr_Kind_AEXPR_OP && sqltext.LastName(a.Name) == "=" {
		v.link(v.find(a.Lexpr, s), v.find(a.Rexpr, s))
	}
	for _, n := range []*pg.Node{a.Lexpr, a.Rexpr} {
		if f := aggregate(n); f != nil {
			if sqltext.LastName(f.Funcname) == "count" {
				v.counts = append(v.counts, constants...)
			}
			if len(f.Args) == 1 {
				at := v.find(f.Args[0], s)
				v.totals[at] = append(v.totals[at], constants...)
			}
			continue
		}
		if at := v.find(n, s); at.part != nil {
			for _, c := range constants {
				if !slices.Contains(v.marks[at], c) {
					v.marks[at] = append(v.marks[at], c)
				}
			}
		}
	}
}

// newSurvey surveys an answer and its mutations.
func newSurvey(tables *dataset.Catalogue, answer *sqltext.Query, mutations []*sqltext.Query) *survey {
	v := &survey{
		maker: &maker{catalogue: tables}, of: map[*source]*part{}, marks: map[spot][]string{},
		totals: map[spot][]string{},
	}
	v.read(answer)
	for _, q := range mutations {
		v.read(q)
	}
	for _, p := range slices.Clone(v.parts) {
		v.parents(p)
	}
	return v
}

// parents adds, as parts, the tables to which a part has to refer anew: a new group of what it is grouped by needs a
// row there, and a new row whose key is made of foreign keys alone.
func (v *survey) parents(p *part) {
	own := false // the key has a column of its own
	for _, c := range p.table.Columns {
		own = own || c.Key && c.References == ""
	}
	for _, c := range p.table.Columns {
		at := spot{p, c.Name}
		table, column := cutLast(c.References)
		t := v.maker.catalogue.Table(table)
		if t == nil || t == p.table || !slices.Contains(v.groups, at) && (own || !c.Key) {
			continue
		}
		if slices.ContainsFunc(v.parts, func(o *part) bool { return o.table == t }) {
			continue
		}
		parent := &part{alias: t.Name, table: t}
		v.parts = append(v.parts, parent)
		v.links = append(v.links, link{at, spot{parent, column}})
	}
}

// witness writes a query for a row of each top part that the answer keeps together: their columns in turn, as text.
func (v *survey) witness(q *sqltext.Query, from start) string {
	tree := q.Tree()
	sel := tree.Stmts[0].Stmt.GetSelectStmt()
	for sel.Op != pg.SetOperation_SETOP_NONE {
		sel = sel.Larg
	}
	s := v.maker.newScope(sel, nil)
	keys, sort := s.sortKeys(), sel.SortClause
	var outputs []*pg.Node
	for _, p := range v.parts {
		if !p.top {
			continue
		}
		if !slices.ContainsFunc(s.sources, func(f *source) bool { return f.alias == p.alias && f.table == p.table }) {
			return ""
		}
		for _, c := range p.table.Columns {
			outputs = append(outputs, asText(sqltext.ColumnRef(p.alias, c.Name)))
		}
	}
	grouped := s.aggregated() || len(sel.DistinctClause) > 0
	sel.TargetList = nil
	for _, n := range outputs {
		sel.TargetList = append(sel.TargetList, pg.MakeResTargetNodeWithVal(n, -1))
	}
	if from.branch != nil {
		sel.WhereClause = sqltext.Conjunction(append(sqltext.Conjuncts(sel.WhereClause), clone(from.branch)))
	}
	if grouped || !from.last {
		sel.LimitCount, sel.LimitOption = pg.MakeAConstIntNode(1, -1), pg.LimitOption_LIMIT_OPTION_COUNT
	}
	if grouped {
		sel.SortClause, sel.GroupClause, sel.HavingClause, sel.DistinctClause, sel.LimitOffset = nil, nil, nil, nil, nil
	} else {
		sel.SortClause = nil
		for i, key := range keys {
			by := clone(sort[i])
			by.GetSortBy().Node = clone(key)
			sel.SortClause = append(sel.SortClause, by)
		}
	}
	return sqltext.WriteSelect(sel)
}

func asText(n *pg.Node) *pg.Node {
	return &pg.Node{Node: &pg.Node_TypeCast{TypeCast: &pg.TypeCast{
		Arg: n, TypeName: &pg.TypeName{Names: []*pg.Node{pg.MakeStrNode("text")}, Typemod: -1, Location: -1},
		Location: -1,
	}}}
}

// columnsOf writes a table's columns as text, for a query of its rows.
func columnsOf(t *dataset.Table) string {
	var all []string
	for _, c := range t.Columns {
		all = append(all, sqltext.Quoted(c.Name)+"::text")
	}
	return strings.Join(all, ", ")
}
