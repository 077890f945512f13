package sqltext

import (
	"fmt"
	"slices"
	"strings"

	pg "github.com/pganalyze/pg_query_go/v6"
	"google.golang.org/protobuf/proto"
)

// An Ordering says how a query orders its rows at its top level, and which of them its LIMIT and OFFSET let through.
type Ordering struct {
	// the query without LIMIT and OFFSET, with the order keys that its output lacks added behind its columns
	SQL     string
	Keys    []Key  // none: not ordered
	Added   int    // how many columns SQL has more than the query
	Limited bool   // there is a LIMIT, FETCH or OFFSET, or more than one
	Ties    bool   // it is FETCH ... WITH TIES
	Ask     string // where Limited: a query for one row of the rows to skip and the rows to take, either may be NULL

	tree *pg.ParseResult // of SQL
}

// A Key is one order key: a column of the query's output by number (from 1) or by name, or one of the columns added.
// Rows tie where all their keys are equal.
type Key struct {
	Position int
	Name     string
	Added    int // from 1
}

// Ordered tells whether the query has an ORDER BY at its top level.
func (q *Query) Ordered() bool { return len(q.tree.Stmts[0].Stmt.GetSelectStmt().SortClause) > 0 }

// Ordering returns the query's ordering. The rewritten query gives the same rows in the same order as the query does.
// The keys of the given numbers, from 0, are added as their rank, but in set operations: what is equal to the database
// may be told apart by its text.
func (q *Query) Ordering(ranked []int) (Ordering, error) {
	sel := q.tree.Stmts[0].Stmt.GetSelectStmt()
	o := Ordering{SQL: q.Text, tree: q.tree}
	if len(sel.SortClause) == 0 && sel.LimitCount == nil && sel.LimitOffset == nil {
		return o, nil
	}
	o.tree = proto.Clone(q.tree).(*pg.ParseResult)
	top := o.tree.Stmts[0].Stmt.GetSelectStmt()
	for i, item := range sel.SortClause {
		o.Keys = append(o.Keys, o.key(top, item.GetSortBy(), slices.Contains(ranked, i)))
	}
	var err error
	if sel.LimitCount != nil || sel.LimitOffset != nil {
		o.Limited, o.Ties = true, sel.LimitOption == pg.LimitOption_LIMIT_OPTION_WITH_TIES
		if o.Ask, err = ask(q.tree, sel); err != nil {
			return Ordering{}, err
		}
		top.LimitCount, top.LimitOffset, top.LimitOption = nil, nil, pg.LimitOption_LIMIT_OPTION_DEFAULT
	}
	if o.Added == 0 && !o.Limited {
		return o, nil
	}
	if o.SQL, err = deparse(o.tree); err == nil {
		_, err = parse(o.SQL)
	}
	if err != nil {
		return Ordering{}, fmt.Errorf("add the order keys: %w", err)
	}
	return o, nil
}

// Through returns the query's first n rows, and those that tie with the last of them. The query has to be ordered.
func (o Ordering) Through(n int64) (string, error) {
	tree := proto.Clone(o.tree).(*pg.ParseResult)
	top := tree.Stmts[0].Stmt.GetSelectStmt()
	top.LimitOption = pg.LimitOption_LIMIT_OPTION_WITH_TIES
	top.LimitCount = &pg.Node{
		Node: &pg.Node_AConst{AConst: &pg.A_Const{Val: &pg.A_Const_Fval{Fval: &pg.Float{Fval: fmt.Sprint(n)}}}},
	}
	sql, err := deparse(tree)
	if err != nil {
		return "", fmt.Errorf("add the ties: %w", err)
	}
	return sql, nil
}

// ask makes the query for the values of OFFSET and LIMIT, which may be expressions over the query's WITH.
func ask(tree *pg.ParseResult, sel *pg.SelectStmt) (string, error) {
	bigint := func(n *pg.Node) *pg.Node {
		if n == nil {
			n = &pg.Node{Node: &pg.Node_AConst{AConst: &pg.A_Const{Isnull: true}}}
		}
		value := &pg.Node{Node: &pg.Node_TypeCast{TypeCast: &pg.TypeCast{Arg: proto.Clone(n).(*pg.Node),
			TypeName: &pg.TypeName{Names: []*pg.Node{pg.MakeStrNode("int8")}, Typemod: -1}}}}
		return pg.MakeResTargetNodeWithVal(value, -1)
	}
	question := &pg.SelectStmt{TargetList: []*pg.Node{
		bigint(sel.LimitOffset), bigint(sel.LimitCount),
	}, LimitOption: pg.LimitOption_LIMIT_OPTION_DEFAULT,
		Op: pg.SetOperation_SETOP_NONE}
	if sel.WithClause != nil {
		question.WithClause = proto.Clone(sel.WithClause).(*pg.WithClause)
	}
	sql, err := deparse(
		&pg.ParseResult{
			Version: tree.Version,
			Stmts:   []*pg.RawStmt{{Stmt: &pg.Node{Node: &pg.Node_SelectStmt{SelectStmt: question}}}},
		},
	)
	if err != nil {
		return "", fmt.Errorf("read the limit: %w", err)
	}
	return sql, nil
}

func (o *Ordering) key(top *pg.SelectStmt, sort *pg.SortBy, ranked bool) Key {
	node, name := sort.Node, columnName(sort.Node)
	// else nothing but the output can be ordered by
	simple := top.Op == pg.SetOperation_SETOP_NONE && len(top.ValuesLists) == 0
	place, star := aliased(top.TargetList, name)
	switch n := node.GetAConst().GetIval(); {
	case n != nil:
		if place, star = int(n.Ival)-1, false; !simple || !ranked ||
			hasStar(top.TargetList[:min(max(place+1, 0), len(top.TargetList))]) {
			return Key{Position: place + 1}
		}
	case !simple:
		return Key{Name: name}
	case name == "": // a name alone means a column of the output, before a column of a table
		place = -1
	}
	if place >= len(top.TargetList) { // the database will say so
		return Key{Position: place + 1}
	}
	switch {
	case place >= 0 && !star && !ranked:
		return Key{Position: place + 1}
	case place >= 0:
		node = top.TargetList[place].GetResTarget().Val
	}
	if (ranked || ownCollation(node)) && !windowed(node) { // a window function cannot be ranked by another
		ranked := proto.Clone(sort).(*pg.SortBy)
		ranked.Node = node
		return o.add(top, rankOver(ranked))
	}
	return o.add(top, node)
}

func windowed(node *pg.Node) bool {
	found := false
	walk(node.ProtoReflect(), func(m any) {
		f, is := m.(*pg.FuncCall)
		found = found || is && f.Over != nil
	})
	return found
}

func hasStar(targets []*pg.Node) bool {
	_, star := aliased(targets, "")
	return star
}

// add puts an expression behind the query's columns. Under DISTINCT it is one of them already, or it is the same
// wherever they are, so that nothing more is distinct than before.
func (o *Ordering) add(top *pg.SelectStmt, expression *pg.Node) Key {
	o.Added++
	top.TargetList = append(top.TargetList, pg.MakeResTargetNodeWithNameAndVal(
		fmt.Sprintf("order_key_%d", o.Added), proto.Clone(expression).(*pg.Node), -1))
	return Key{Added: o.Added}
}

// ownCollation tells whether an expression names a collation that the server does not come with: texts that differ may
// be equal under it.
func ownCollation(node *pg.Node) bool {
	own := false
	walk(node.ProtoReflect(), func(m any) {
		if c, is := m.(*pg.CollateClause); is {
			name := c.Collname[len(c.Collname)-1].GetString_().GetSval()
			switch {
			case name == "C", name == "POSIX", name == "default", name == "ucs_basic", name == "unicode",
				strings.HasSuffix(name, "-x-icu"), strings.Contains(name, "_") && len(name) < 20 &&
					strings.ToLower(name) != name:
			default:
				own = true
			}
		}
	})
	return own
}

// rankOver returns dense_rank() OVER (ORDER BY sort): it is equal for rows that tie, whatever the database considers
// equal.
func rankOver(sort *pg.SortBy) *pg.Node {
	return &pg.Node{Node: &pg.Node_FuncCall{FuncCall: &pg.FuncCall{
		Funcname: []*pg.Node{pg.MakeStrNode("dense_rank")}, Funcformat: pg.CoercionForm_COERCE_EXPLICIT_CALL,
		Over: &pg.WindowDef{OrderClause: []*pg.Node{{Node: &pg.Node_SortBy{SortBy: proto.Clone(sort).(*pg.SortBy)}}},
			FrameOptions: 1058}, // the default frame
	}}}
}

// aliased finds the output column with the given name and tells whether a star stands among the columns.
func aliased(targets []*pg.Node, name string) (place int, star bool) {
	place = -1
	for i, t := range targets {
		target := t.GetResTarget()
		if IsStar(target.Val.GetColumnRef()) {
			star = true
		} else if OutputName(target) == name && place < 0 {
			place = i
		}
	}
	return place, star
}

// OutputName is the name that PostgreSQL gives an output column, "" for one without a name of its own.
func OutputName(target *pg.ResTarget) string {
	if target.Name != "" {
		return target.Name
	}
	name, _ := figureName(target.Val)
	return name
}

// figureName follows FigureColname of PostgreSQL's parse_target.c. sure tells a name from one that is taken for want of
// a better.
func figureName(node *pg.Node) (name string, sure bool) {
	switch n := node.GetNode().(type) {
	case *pg.Node_ColumnRef:
		name = n.ColumnRef.Fields[len(n.ColumnRef.Fields)-1].GetString_().GetSval()
		return name, name != ""
	case *pg.Node_AIndirection:
		for i := len(n.AIndirection.Indirection) - 1; i >= 0; i-- {
			if s := n.AIndirection.Indirection[i].GetString_().GetSval(); s != "" {
				return s, true
			}
		}
		return figureName(n.AIndirection.Arg)
	case *pg.Node_FuncCall:
		return n.FuncCall.Funcname[len(n.FuncCall.Funcname)-1].GetString_().GetSval(), true
	case *pg.Node_AExpr:
		if n.AExpr.Kind == pg.A_Expr_Kind_AEXPR_NULLIF {
			return "nullif", true
		}
	case *pg.Node_TypeCast:
		if name, sure = figureName(n.TypeCast.Arg); sure {
			return name, true
		}
		return n.TypeCast.TypeName.Names[len(n.TypeCast.TypeName.Names)-1].GetString_().GetSval(), false
	case *pg.Node_CollateClause:
		return figureName(n.CollateClause.Arg)
	case *pg.Node_GroupingFunc:
		return "grouping", true
	case *pg.Node_SubLink:
		switch n.SubLink.SubLinkType {
		case pg.SubLinkType_EXISTS_SUBLINK:
			return "exists", true
		case pg.SubLinkType_ARRAY_SUBLINK:
			return "array", true
		case pg.SubLinkType_EXPR_SUBLINK:
			if targets := n.SubLink.Subselect.GetSelectStmt().GetTargetList(); len(targets) > 0 {
				return OutputName(targets[0].GetResTarget()), true
			}
		}
	case *pg.Node_CaseExpr:
		if name, sure = figureName(n.CaseExpr.Defresult); sure {
			return name, true
		}
		return "case", false
	case *pg.Node_AArrayExpr:
		return "array", true
	case *pg.Node_RowExpr:
		return "row", true
	case *pg.Node_CoalesceExpr:
		return "coalesce", true
	case *pg.Node_MinMaxExpr:
		return map[bool]string{true: "greatest", false: "least"}[n.MinMaxExpr.Op == pg.MinMaxOp_IS_GREATEST], true
	case *pg.Node_SqlvalueFunction:
		name = strings.TrimPrefix(strings.ToLower(n.SqlvalueFunction.Op.String()), "svfop_")
		return strings.TrimSuffix(name, "_n"), true
	}
	return "", false
}

// columnName returns the name of an unqualified column reference, "" for anything else.
func columnName(node *pg.Node) string {
	c := node.GetColumnRef()
	if c == nil || len(c.Fields) != 1 {
		return ""
	}
	return c.Fields[0].GetString_().GetSval()
}

// OrderBy is what [Query.ByLuck] names where a query does not order its rows.
const OrderBy = "ORDER BY"

// ByLuck names what a query leaves to the database although its result depends on it: "ORDER BY" if no part of the
// query orders rows, "LIMIT" if the order of what LIMIT, OFFSET or FETCH cuts is not determined. It is empty if there
// is neither.
func (q *Query) ByLuck() string { return q.byLuck() }

func (q *Query) leftToLuck() string {
	sel := q.tree.Stmts[0].Stmt.GetSelectStmt()
	ordered := false
	walk(sel.ProtoReflect(), func(m any) {
		s, is := m.(*pg.SelectStmt)
		ordered = ordered || is && len(s.SortClause) > 0
	})
	switch {
	case ordered:
		return ""
	case sel.LimitCount != nil || sel.LimitOffset != nil:
		return "LIMIT"
	}
	return OrderBy
}
