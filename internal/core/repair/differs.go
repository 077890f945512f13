package repair

import (
	"slices"
	"strings"

	pg "github.com/pganalyze/pg_query_go/v6"

	"examen/internal/core/sqltext"
)

// differs tells how two expressions differ that stand in each other's place, and which columns may be told.
func differs(own, other *pg.Node) (Kind, []string) {
	about := columnsOf(own)
	equals := own.GetAExpr().GetKind() == pg.A_Expr_Kind_AEXPR_OP // = and <> are compared
	if !equals && (key(negated(own)) == key(other) || key(own) == key(negated(other))) {
		return Negation, about
	}
	o, a := comparisonOf(own), comparisonOf(other)
	switch {
	case isAlternative(other, own):
		return AlternativeExtra, about
	case isAlternative(own, other):
		return AlternativeLacks, about
	case inOneCase(own) != inOneCase(other) && key(oneCase(own)) == key(oneCase(other)):
		return LetterCase, about
	case own.GetAConst() != nil && other.GetAConst() != nil:
		return Value, nil
	case own.GetAConst() != nil && other.GetColumnRef() != nil:
		return OtherColumn, nil
	case own.GetColumnRef() != nil && other.GetColumnRef() != nil,
		own.GetNullTest() != nil && other.GetNullTest() != nil:
		return OtherColumn, about
	case isNull(other) && o != nil && strings.ContainsAny(o.operator, "<>") && o.operator != "<>":
		return NullTest, about
	case isNull(other) && o != nil:
		return Null, about
	case o == nil || a == nil:
		return computed(own, other), about
	}
	return compares(o, a), about
}

// isAlternative tells that a condition is one of those that another joins by OR.
func isAlternative(n, of *pg.Node) bool {
	b := of.GetBoolExpr()
	return b.GetBoolop() == pg.BoolExprType_OR_EXPR && slices.Contains(keys(b.Args), key(n))
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
		if bound(o.operator) == bound(a.operator) {
			return Bound
		}
		return Comparison
	case o.left == a.left && o.constant && a.constant && o.kind != a.kind && !likes(o) && !likes(a):
		return Comparison
	case o.left == a.left && o.constant && a.constant && (bound(o.operator) == bound(a.operator) || o.kind != a.kind):
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

// bound is a comparison's operator whether or not it takes the bound in.
func bound(operator string) string {
	if operator == "=" {
		return operator
	}
	return strings.TrimSuffix(operator, "=")
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
	case isCondition(own):
		return Condition
	case a != nil && a.Over == nil && sqltext.IsAggregate(a) && !aggregates([]*pg.Node{own}):
		return AggregateMissing
	case o == nil || a == nil:
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
	case count && a.AggStar && !o.AggStar && !o.AggDistinct:
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
	if not := n.GetBoolExpr(); not.GetBoolop() == pg.BoolExprType_NOT_EXPR && len(not.GetArgs()) == 1 {
		turned := map[string]string{"=": "<>", "<>": "=", "<": ">=", "<=": ">", ">": "<=", ">=": "<"}
		of := not.Args[0].GetAExpr()
		if of.GetKind() == pg.A_Expr_Kind_AEXPR_OP {
			if by := turned[operator(of)]; by != "" {
				of.Name, n = []*pg.Node{pg.MakeStrNode(by)}, not.Args[0]
			}
		}
	}
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
