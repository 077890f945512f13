package sqltext

import (
	"slices"
	"strconv"
	"strings"

	pg "github.com/pganalyze/pg_query_go/v6"
	"google.golang.org/protobuf/proto"
)

// A Schema says which columns each table or view has, by their names.
type Schema map[string][]string

// With returns the tables that have a column, in order.
func (s Schema) With(column string) []string {
	var tables []string
	for table, columns := range s {
		if slices.Contains(columns, column) {
			tables = append(tables, table)
		}
	}
	slices.Sort(tables)
	return tables
}

// Features are what a query's text says of how its result comes about: its outermost SELECT, without what stands in
// subqueries. Where a mistake stands in a SELECT within (of WITH, FROM, a set operation, or a subquery), WithNull,
// Exact, NotIn, Unjoined and AndOr tell of it too.
type Features struct {
	Distinct bool
	Union    bool // UNION, INTERSECT or EXCEPT, which leave out repeated rows
	Compound bool // it is made of several SELECTs by UNION, INTERSECT or EXCEPT, with ALL or without
	Groups   int  // expressions in GROUP BY
	Where    int  // conditions in WHERE that are joined with AND
	Having   bool
	Inner    int    // joins that leave out rows without a partner
	Outer    int    // joins that keep them
	Undone   string // a table that an outer join may leave empty, and of which WHERE tests a column
	// tables of the FROM clause that no condition connects, one for each group of connected ones; nil for one group
	Unjoined    []string
	Comparisons []Comparison
	AndOr       *Place   // AND and OR stand side by side without parentheses
	WithNull    *Place   // = NULL or <> NULL
	NotIn       bool     // NOT IN (SELECT ...)
	Exact       string   // the pattern of a LIKE without a wildcard
	NullTested  string   // a table of an inner join, a column of which WHERE asks to be NULL
	Constants   []string // texts that are compared with another constant
	Sort        []bool   // of each order key: whether it is descending
	SortColumn  int      // the output that the first order key is, from 0; -1 where it is none, or that is not known
	Limit       int64    // of a constant LIMIT without WITH TIES; -1 otherwise
	Outputs     []Output // nil where a star stands among them
}

// A Comparison is one with a constant, as "expression operator value".
type Comparison struct {
	Expression string // as [Output] has it
	Operator   string // < <= > >= or between
	Value      string
	High       string // of between
	Having     bool
	Place      Place
}

// An Output is a column of the result.
type Output struct {
	Expression string // written in one way whatever the spaces, and without the tables' names
	Column     string // a column alone
	Alias      string
	Bare       bool   // the alias stands without AS
	Aggregate  string // the function, where the whole output is an aggregate's call
	Argument   string // a column that is aggregated alone; "*" for count(*)
	Different  bool   // aggregate(DISTINCT argument)
	Divides    bool   // there is a division in it
	Text       string // a constant text
	Place      Place
}

// MayLackComma tells that a column has another one's name, without AS, as where a comma is missing between the two.
func (f Features) MayLackComma(schema Schema) bool {
	return slices.ContainsFunc(f.Outputs, func(o Output) bool { return o.Bare && len(schema.With(o.Alias)) > 0 })
}

// longestExplained is how long a text may be, in bytes, of which features are read, or in which mistakes are looked
// for: both take more than one look at each part.
const longestExplained = 10_000

// Features reads them off the query's parse tree. The schema tells unqualified columns' tables; without it less is
// found out. Nothing is of a text longer than any that people write.
func (q *Query) Features(schema Schema) Features {
	r := &features{query: q, schema: schema, Features: Features{Limit: -1, SortColumn: -1}}
	if len(q.Text) > longestExplained {
		return r.Features
	}
	r.single = singles(q.tree)
	sel, sort := unwrapped(q.tree.Stmts[0].Stmt.GetSelectStmt())
	for _, s := range sort {
		r.Sort = append(r.Sort, s.GetSortBy().SortbyDir == pg.SortByDir_SORTBY_DESC)
	}
	if n := sel.LimitCount.GetAConst().GetIval(); n != nil && sel.LimitOption != pg.LimitOption_LIMIT_OPTION_WITH_TIES {
		r.Limit = int64(n.Ival)
	}
	if sel.Op > pg.SetOperation_SETOP_NONE {
		r.Compound, r.Union = true, !sel.All
		r.within(sel)
		return r.Features
	}
	r.Distinct, r.Groups, r.Having = len(sel.DistinctClause) > 0, len(sel.GroupClause), sel.HavingClause != nil
	for _, item := range sel.FromClause {
		r.from(item)
	}
	r.Inner += max(0, len(sel.FromClause)-1)
	r.conditions(sel)
	r.connect(sel)
	r.outputs(sel)
	if len(sort) > 0 {
		r.SortColumn = r.output(sort[0].GetSortBy().Node)
	}
	r.within(sel)
	return r.Features
}

// unwrapped is the SELECT that makes the rows, under one that only passes all of them on, and the order that they come
// in.
func unwrapped(sel *pg.SelectStmt) (inner *pg.SelectStmt, sort []*pg.Node) {
	for {
		if sort == nil {
			sort = sel.SortClause
		}
		if len(sel.FromClause) != 1 || len(sel.TargetList) != 1 ||
			!IsStar(sel.TargetList[0].GetResTarget().GetVal().GetColumnRef()) || sel.WhereClause != nil ||
			sel.LimitCount != nil ||
			sel.LimitOffset != nil || len(sel.DistinctClause) > 0 || len(sel.GroupClause) > 0 ||
			sel.HavingClause != nil {
			return sel, sort
		}
		from := sel.FromClause[0]
		next := from.GetRangeSubselect().GetSubquery().GetSelectStmt()
		for _, c := range sel.WithClause.GetCtes() {
			if cte := c.GetCommonTableExpr(); from.GetRangeVar().GetRelname() == cte.Ctename &&
				!sel.WithClause.Recursive && len(cte.Aliascolnames) == 0 {
				next = cte.Ctequery.GetSelectStmt()
			}
		}
		if next == nil || sort != nil && next.LimitCount != nil ||
			len(from.GetRangeSubselect().GetAlias().GetColnames()) > 0 {
			return sel, sort
		}
		sel = next
	}
}

// output is the place of the output that an order key is: by its position, its name, or as the same expression; -1 for
// none.
func (r *features) output(key *pg.Node) int {
	if n := key.GetAConst().GetIval(); n != nil && int(n.Ival) <= len(r.Outputs) {
		return int(n.Ival) - 1
	}
	written := r.written(key)
	return slices.IndexFunc(r.Outputs, func(o Output) bool { return o.Expression == written || o.Alias == written })
}

// within takes over the mistakes of the SELECTs within.
func (r *features) within(sel *pg.SelectStmt) {
	correlated := map[*pg.SelectStmt]bool{} // or may be: the tables of the query around it may connect its own
	mixed := false
	walk(sel.ProtoReflect(), func(m any) {
		switch n := m.(type) {
		case *pg.SubLink:
			walk(n.Subselect.ProtoReflect(), func(m any) {
				if s, is := m.(*pg.SelectStmt); is {
					correlated[s] = true
				}
			})
		case *pg.RangeSubselect:
			if n.Lateral {
				correlated[n.Subquery.GetSelectStmt()] = true
			}
		case *pg.BoolExpr:
			ands := len(slices.DeleteFunc(slices.Clone(n.Args), func(arg *pg.Node) bool {
				return arg.GetBoolExpr() == nil || arg.GetBoolExpr().Boolop != pg.BoolExprType_AND_EXPR
			}))
			mixed = mixed || n.Boolop == pg.BoolExprType_OR_EXPR && ands > 0 && ands < len(n.Args)
		case *pg.SelectStmt:
			if n == sel || n.Op > pg.SetOperation_SETOP_NONE {
				return
			}
			inner := &features{query: r.query, schema: r.schema, single: r.single}
			for _, item := range n.FromClause {
				inner.from(item)
			}
			inner.conditions(n)
			if inner.connect(n); r.Unjoined == nil && !correlated[n] {
				r.Unjoined = inner.Unjoined
			}
			if r.WithNull == nil {
				r.WithNull = inner.WithNull
			}
			if r.Exact == "" {
				r.Exact = inner.Exact
			}
			r.NotIn = r.NotIn || inner.NotIn
			r.Constants = append(r.Constants, inner.Constants...)
		}
	})
	if mixed {
		r.AndOr = andOr(r.query.Text)
	}
}

type features struct {
	Features
	tokens   []*pg.ScanToken // of the text, once they are asked for
	query    *Query
	schema   Schema
	tables   []source        // of the FROM clause
	nullable []string        // aliases that outer joins may leave empty
	groups   [][]*pg.Node    // conditions of joins
	using    [][2]string     // aliases connected by USING or NATURAL
	single   map[string]bool // names in WITH that stand for one row
}

// A source is a table of the FROM clause, under the name that the query has for it.
type source struct{ alias, table string }

func (r *features) place(location int32) Place {
	return PlaceAt(r.query.Text, int(location)-r.query.start)
}

// from notes the tables of an item and returns their aliases.
func (r *features) from(item *pg.Node) []string {
	add := func(alias, table string) []string {
		r.tables = append(r.tables, source{alias, table})
		return []string{alias}
	}
	switch n := item.Node.(type) {
	case *pg.Node_RangeVar:
		alias := n.RangeVar.Relname
		if n.RangeVar.Alias != nil {
			alias = n.RangeVar.Alias.Aliasname
		}
		if r.single[n.RangeVar.Relname] {
			return nil
		}
		return add(alias, n.RangeVar.Relname)
	case *pg.Node_RangeSubselect:
		if givesOneRow(n.RangeSubselect.Subquery.GetSelectStmt()) { // nothing has to join it
			return nil
		}
		return add(n.RangeSubselect.GetAlias().GetAliasname(), "")
	case *pg.Node_JoinExpr:
		j := n.JoinExpr
		left, right := r.from(j.Larg), r.from(j.Rarg)
		switch j.Jointype {
		case pg.JoinType_JOIN_INNER:
			r.Inner++
		case pg.JoinType_JOIN_LEFT:
			r.Outer++
			r.nullable = append(r.nullable, right...)
		case pg.JoinType_JOIN_RIGHT:
			r.Outer++
			r.nullable = append(r.nullable, left...)
		case pg.JoinType_JOIN_FULL:
			r.Outer++
			r.nullable = append(append(r.nullable, left...), right...)
		}
		if j.Quals != nil {
			r.groups = append(r.groups, []*pg.Node{j.Quals})
		} else if (j.IsNatural || len(j.UsingClause) > 0) && len(left) > 0 && len(right) > 0 {
			r.using = append(r.using, [2]string{left[len(left)-1], right[0]})
			if len(left) > 1 {
				r.using = append(r.using, [2]string{left[0], right[0]})
			}
		}
		return append(left, right...)
	}
	return nil // functions and the like are not compared with anything
}

// singles are the names in WITH that stand for one row.
func singles(tree *pg.ParseResult) map[string]bool {
	names := map[string]bool{}
	walk(tree.ProtoReflect(), func(m any) {
		if c, is := m.(*pg.CommonTableExpr); is && givesOneRow(c.Ctequery.GetSelectStmt()) {
			names[c.Ctename] = true
		}
	})
	return names
}

// givesOneRow tells whether a query has one row at most: an aggregate of all rows, a SELECT without FROM, or LIMIT 1.
func givesOneRow(sel *pg.SelectStmt) bool {
	if sel == nil || sel.Op > pg.SetOperation_SETOP_NONE || len(sel.ValuesLists) > 0 || len(sel.GroupClause) > 0 {
		return false
	}
	if n := sel.LimitCount.GetAConst().GetIval(); n != nil && n.Ival == 1 {
		return true
	}
	found := len(sel.FromClause) == 0
	for _, t := range sel.TargetList {
		if v := t.GetResTarget().GetVal(); v != nil {
			outermost(v, func(n *pg.Node) {
				f := n.GetFuncCall()
				found = found || f != nil && f.Over == nil &&
					aggregates[f.Funcname[len(f.Funcname)-1].GetString_().GetSval()]
			})
		}
	}
	return found
}

// Conjunction joins conditions by AND; nil for none.
func Conjunction(conditions []*pg.Node) *pg.Node {
	switch len(conditions) {
	case 0:
		return nil
	case 1:
		return conditions[0]
	}
	return &pg.Node{Node: &pg.Node_BoolExpr{BoolExpr: &pg.BoolExpr{Boolop: pg.BoolExprType_AND_EXPR, Args: conditions}}}
}

// Conjuncts takes apart what is joined with AND.
func Conjuncts(n *pg.Node) []*pg.Node {
	if n == nil {
		return nil
	}
	if b := n.GetBoolExpr(); b != nil && b.Boolop == pg.BoolExprType_AND_EXPR {
		var all []*pg.Node
		for _, arg := range b.Args {
			all = append(all, Conjuncts(arg)...)
		}
		return all
	}
	return []*pg.Node{n}
}

func (r *features) conditions(sel *pg.SelectStmt) {
	where := Conjuncts(sel.WhereClause)
	r.Where = len(where)
	for _, c := range where {
		if a := c.GetAExpr(); a != nil {
			for _, alias := range r.aliases(c) {
				if slices.Contains(r.nullable, alias) && !hasCoalesce(c) {
					r.Undone = r.table(alias)
				}
			}
		}
	}
	for _, c := range where {
		if test := c.GetNullTest(); test.GetNulltesttype() == pg.NullTestType_IS_NULL && r.Inner > 0 {
			if used := r.aliases(test.GetArg()); len(used) == 1 && !slices.Contains(r.nullable, used[0]) {
				r.NullTested = r.table(used[0])
			}
		}
	}
	for i, clause := range []*pg.Node{sel.WhereClause, sel.HavingClause} {
		if clause == nil {
			continue
		}
		outermost(clause, func(n *pg.Node) {
			if a := n.GetAExpr(); a != nil {
				r.expression(a, i == 1)
			}
			if b := n.GetBoolExpr(); b != nil && b.Boolop == pg.BoolExprType_NOT_EXPR &&
				b.Args[0].GetSubLink().GetSubLinkType() == pg.SubLinkType_ANY_SUBLINK {
				r.NotIn = true
			}
		})
	}
}

// outermost calls f with every expression below n, subqueries left out.
func outermost(n *pg.Node, f func(*pg.Node)) {
	f(n)
	each := func(nodes ...*pg.Node) {
		for _, node := range nodes {
			if node != nil {
				outermost(node, f)
			}
		}
	}
	switch x := n.Node.(type) {
	case *pg.Node_BoolExpr:
		each(x.BoolExpr.Args...)
	case *pg.Node_AExpr:
		each(x.AExpr.Lexpr, x.AExpr.Rexpr)
	case *pg.Node_FuncCall:
		each(x.FuncCall.Args...)
	case *pg.Node_TypeCast:
		each(x.TypeCast.Arg)
	case *pg.Node_CoalesceExpr:
		each(x.CoalesceExpr.Args...)
	case *pg.Node_CaseExpr:
		each(x.CaseExpr.Args...)
		each(x.CaseExpr.Defresult)
	case *pg.Node_CaseWhen:
		each(x.CaseWhen.Expr, x.CaseWhen.Result)
	case *pg.Node_NullTest:
		each(x.NullTest.Arg)
	case *pg.Node_List:
		each(x.List.Items...)
	}
}

func hasCoalesce(n *pg.Node) bool {
	found := false
	outermost(n, func(n *pg.Node) {
		found = found || n.GetCoalesceExpr() != nil || n.GetAExpr().GetKind() == pg.A_Expr_Kind_AEXPR_DISTINCT ||
			n.GetAExpr().GetKind() == pg.A_Expr_Kind_AEXPR_NOT_DISTINCT
	})
	return found
}

// expression reads one operator's expression.
func (r *features) expression(a *pg.A_Expr, having bool) {
	operator := a.Name[len(a.Name)-1].GetString_().GetSval()
	switch a.Kind {
	case pg.A_Expr_Kind_AEXPR_LIKE, pg.A_Expr_Kind_AEXPR_ILIKE:
		if pattern, ok := Constant(a.Rexpr); ok && !strings.ContainsAny(pattern, "%_") &&
			!strings.HasPrefix(operator, "!") {
			r.Exact = pattern
		}
	case pg.A_Expr_Kind_AEXPR_BETWEEN:
		bounds := a.Rexpr.GetList().GetItems()
		low, okLow := Constant(bounds[0])
		high, okHigh := Constant(bounds[1])
		if okLow && okHigh {
			r.Comparisons = append(
				r.Comparisons, Comparison{r.written(a.Lexpr), "between", low, high, having, r.place(a.Location)},
			)
		}
	case pg.A_Expr_Kind_AEXPR_OP:
		if a.Lexpr == nil || a.Rexpr == nil {
			return
		}
		if (operator == "=" || operator == "<>") && (a.Rexpr.GetAConst().GetIsnull() ||
			a.Lexpr.GetAConst().GetIsnull()) {
			place := r.place(a.Location)
			r.WithNull = &place
		}
		if _, bothConstant := Constant(a.Rexpr); bothConstant && a.Lexpr.GetAConst().GetSval() != nil {
			r.Constants = append(r.Constants, a.Lexpr.GetAConst().GetSval().GetSval())
		}
		if !slices.Contains([]string{"<", "<=", ">", ">="}, operator) {
			return
		}
		left, right := a.Lexpr, a.Rexpr
		if _, ok := Constant(left); ok {
			left, right = right, left
			operator = map[string]string{"<": ">", "<=": ">=", ">": "<", ">=": "<="}[operator]
		}
		if value, ok := Constant(right); ok {
			r.Comparisons = append(
				r.Comparisons, Comparison{r.written(left), operator, value, "", having, r.place(a.Location)},
			)
		}
	}
}

// Constant returns the text of a constant, also of one that is cast or negative; ok is false for anything else.
func Constant(n *pg.Node) (text string, ok bool) {
	if cast := n.GetTypeCast(); cast != nil {
		return Constant(cast.Arg)
	}
	if a := n.GetAExpr(); a != nil && a.Lexpr == nil && a.Name[0].GetString_().GetSval() == "-" {
		s, ok := Constant(a.Rexpr)
		return "-" + s, ok
	}
	c := n.GetAConst()
	switch {
	case c == nil || c.Isnull:
		return "", false
	case c.GetIval() != nil:
		return strconv.Itoa(int(c.GetIval().Ival)), true
	case c.GetFval() != nil:
		return c.GetFval().Fval, true
	case c.GetSval() != nil:
		return c.GetSval().Sval, true
	}
	return "", false
}

// written writes an expression in one way, columns without their tables.
func (r *features) written(n *pg.Node) string {
	clone := proto.Clone(n).(*pg.Node)
	walk(clone.ProtoReflect(), func(m any) {
		if c, is := m.(*pg.ColumnRef); is && len(c.Fields) > 1 {
			c.Fields = c.Fields[len(c.Fields)-1:]
		}
	})
	return WriteExpression(clone)
}

// aliases are the tables of the FROM clause whose columns an expression uses, subqueries included. Of a column that may
// be of several, or of none that is known, it gives all.
func (r *features) aliases(n *pg.Node) []string {
	var used []string
	walk(n.ProtoReflect(), func(m any) {
		c, is := m.(*pg.ColumnRef)
		if !is || IsStar(c) {
			return
		}
		name := c.Fields[len(c.Fields)-1].GetString_().GetSval()
		var candidates []string
		for _, s := range r.tables {
			switch {
			case len(c.Fields) > 1:
				if s.alias == c.Fields[len(c.Fields)-2].GetString_().GetSval() {
					candidates = append(candidates, s.alias)
				}
			case slices.Contains(r.schema[s.table], name), r.schema[s.table] == nil:
				candidates = append(candidates, s.alias)
			}
		}
		used = append(used, candidates...)
	})
	return used
}

func (r *features) table(alias string) string {
	for _, s := range r.tables {
		if s.alias == alias && s.table != "" {
			return s.table
		}
	}
	return alias
}

// connect finds out which tables no condition connects.
func (r *features) connect(sel *pg.SelectStmt) {
	group := map[string]string{}
	var find func(string) string
	find = func(a string) string {
		if group[a] == "" || group[a] == a {
			return a
		}
		return find(group[a])
	}
	join := func(aliases []string) {
		for _, a := range aliases {
			group[find(a)] = find(aliases[0])
		}
	}
	for _, pair := range r.using {
		join(pair[:])
	}
	for _, c := range Conjuncts(sel.WhereClause) {
		join(r.aliases(c))
	}
	for _, quals := range r.groups {
		for _, q := range quals {
			for _, c := range Conjuncts(q) {
				join(r.aliases(c))
			}
		}
	}
	var seen []string
	for _, s := range r.tables {
		if !slices.Contains(seen, find(s.alias)) {
			seen = append(seen, find(s.alias))
			r.Unjoined = append(r.Unjoined, r.table(s.alias))
		}
	}
	if len(r.Unjoined) < 2 {
		r.Unjoined = nil
	}
}

func (r *features) outputs(sel *pg.SelectStmt) {
	for _, t := range sel.TargetList {
		target := t.GetResTarget()
		c := target.Val.GetColumnRef()
		if IsStar(c) {
			r.Outputs = nil
			return
		}
		o := Output{Expression: r.written(target.Val), Alias: target.Name, Place: r.place(target.Location)}
		o.Text = target.Val.GetAConst().GetSval().GetSval()
		if c != nil {
			o.Column = c.Fields[len(c.Fields)-1].GetString_().GetSval()
			o.Bare = o.Alias != "" && !r.hasAs(target, c)
		}
		if f := target.Val.GetFuncCall(); f != nil && f.Over == nil {
			if name := f.Funcname[len(f.Funcname)-1].GetString_().GetSval(); aggregates[name] {
				o.Aggregate = name
				switch {
				case f.AggStar:
					o.Argument = "*"
				case len(f.Args) == 1 && f.Args[0].GetColumnRef() != nil:
					ref := f.Args[0].GetColumnRef()
					o.Argument, o.Different = ref.Fields[len(ref.Fields)-1].GetString_().GetSval(), f.AggDistinct
				}
			}
		}
		outermost(target.Val, func(n *pg.Node) {
			if a := n.GetAExpr(); a != nil && a.Kind == pg.A_Expr_Kind_AEXPR_OP &&
				a.Name[len(a.Name)-1].GetString_().GetSval() == "/" {
				o.Divides = true
			}
		})
		r.Outputs = append(r.Outputs, o)
	}
}

// hasAs tells whether AS stands between a column and its alias.
func (r *features) hasAs(target *pg.ResTarget, c *pg.ColumnRef) bool {
	if r.tokens == nil {
		r.tokens, _ = scan(r.query.source)
	}
	i, found := slices.BinarySearchFunc(
		r.tokens, target.Location, func(token *pg.ScanToken, at int32) int { return int(token.Start - at) },
	)
	after := i + 2*len(c.Fields) - 1
	return !found || after >= len(r.tokens) || r.tokens[after].Token == pg.Token_AS
}

// andOr finds AND and OR side by side, without parentheses that say what belongs together.
func andOr(text string) *Place {
	tokens, err := scan(text)
	if err != nil {
		return nil
	}
	type level struct{ and, or, between bool }
	levels := []level{{}}
	for _, token := range tokens {
		at := &levels[len(levels)-1]
		switch token.Token {
		case pg.Token_ASCII_40:
			levels = append(levels, level{})
			continue
		case pg.Token_ASCII_41:
			if len(levels) > 1 {
				levels = levels[:len(levels)-1]
			}
			continue
		case pg.Token_WHERE,
			pg.Token_HAVING,
			pg.Token_ON,
			pg.Token_SELECT,
			pg.Token_FROM,
			pg.Token_ASCII_44,
			pg.Token_WHEN,
			pg.Token_THEN,
			pg.Token_GROUP_P,
			pg.Token_ORDER,
			pg.Token_JOIN:
			*at = level{}
			continue
		case pg.Token_BETWEEN:
			at.between = true
			continue
		case pg.Token_AND:
			if at.between {
				at.between = false
				continue
			}
			at.and = true
		case pg.Token_OR:
			at.or = true
		default:
			continue
		}
		if at.and && at.or {
			place := PlaceAt(text, int(token.Start))
			return &place
		}
	}
	return nil
}
