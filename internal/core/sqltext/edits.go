package sqltext

import (
	"slices"
	"strings"

	pg "github.com/pganalyze/pg_query_go/v6"
	"google.golang.org/protobuf/proto"
)

// Edits are what a query would be with one thing about it changed, each a whole query. They are for trying whether that
// is what is wrong with it: where a change brings the result nearer to what is expected, it is a cause. What comes of
// them is tried, never shown.
type Edits struct {
	query   *Query
	schema  Schema
	written string // as it is written where nothing is changed
}

// Edits begins to edit the query.
func (q *Query) Edits(schema Schema) Edits {
	e := Edits{query: q, schema: schema}
	if len(q.Text) <= longestExplained {
		e.written, _ = deparse(q.tree) // what cannot be written gives no edits, either
	}
	return e
}

// mostEdits bounds how many variations of one change there are.
const mostEdits = 12

// edit makes a copy of the tree, changes it, and writes it. It gives nothing where there is nothing to change or the
// outcome is no query.
func (e Edits) edit(change func(top *pg.SelectStmt) bool) []string {
	if len(e.query.Text) > longestExplained {
		return nil
	}
	tree := proto.Clone(e.query.tree).(*pg.ParseResult)
	if !change(tree.Stmts[0].Stmt.GetSelectStmt()) {
		return nil
	}
	sql, err := deparse(tree)
	if err != nil || sql == e.written {
		return nil
	}
	if _, err := ReadQuery(sql); err != nil {
		return nil
	}
	return []string{sql}
}

// inner is edit for the SELECT that makes the rows.
func (e Edits) inner(change func(sel *pg.SelectStmt, r *features) bool) []string {
	return e.edit(func(top *pg.SelectStmt) bool {
		sel, _ := unwrapped(top)
		r := &features{query: e.query, schema: e.schema, single: singles(e.query.tree)}
		for _, item := range sel.FromClause {
			r.from(item)
		}
		return change(sel, r)
	})
}

// each is edit for all expressions, wherever they stand; change tells whether it changed one.
func (e Edits) each(change func(n *pg.Node) bool) []string {
	return e.edit(func(top *pg.SelectStmt) bool {
		changed := false
		walk(top.ProtoReflect(), func(m any) {
			if n, is := m.(*pg.Node); is && change(n) {
				changed = true
			}
		})
		return changed
	})
}

// variations collects the edits of so many variations.
func variations(n int, edit func(i int) []string) (all []string) {
	for i := range min(n, mostEdits) {
		all = append(all, edit(i)...)
	}
	return all
}

// ColumnRef makes an expression that is a column, of its name or with the source's before it.
func ColumnRef(names ...string) *pg.Node {
	var fields []*pg.Node
	for _, name := range names {
		fields = append(fields, pg.MakeStrNode(name))
	}
	return &pg.Node{Node: &pg.Node_ColumnRef{ColumnRef: &pg.ColumnRef{Fields: fields, Location: -1}}}
}

// Operation makes an expression of an operator with its operands.
func Operation(operator string, left, right *pg.Node) *pg.Node {
	return &pg.Node{
		Node: &pg.Node_AExpr{
			AExpr: &pg.A_Expr{
				Kind:     pg.A_Expr_Kind_AEXPR_OP,
				Name:     []*pg.Node{pg.MakeStrNode(operator)},
				Lexpr:    left,
				Rexpr:    right,
				Location: -1,
			},
		},
	}
}

// NullTest makes an expression that tests whether another is NULL.
func NullTest(n *pg.Node, kind pg.NullTestType) *pg.Node {
	return &pg.Node{Node: &pg.Node_NullTest{NullTest: &pg.NullTest{Arg: n, Nulltesttype: kind, Location: -1}}}
}

// and is a condition with more of them.
func and(condition *pg.Node, more ...*pg.Node) *pg.Node {
	return Conjunction(append(Conjuncts(condition), more...))
}

// NullTests has IS NULL for = NULL, and IS NOT NULL for <> NULL.
func (e Edits) NullTests() []string {
	return e.each(func(n *pg.Node) bool {
		a := n.GetAExpr()
		if a == nil || a.Kind != pg.A_Expr_Kind_AEXPR_OP || a.Lexpr == nil || a.Rexpr == nil {
			return false
		}
		tested := a.Lexpr
		if a.Lexpr.GetAConst().GetIsnull() {
			tested = a.Rexpr
		} else if !a.Rexpr.GetAConst().GetIsnull() {
			return false
		}
		switch LastName(a.Name) {
		case "=":
			n.Node = NullTest(tested, pg.NullTestType_IS_NULL).Node
		case "<>":
			n.Node = NullTest(tested, pg.NullTestType_IS_NOT_NULL).Node
		default:
			return false
		}
		return true
	})
}

// NotInWithoutNulls leaves NULLs out of the subqueries of NOT IN.
func (e Edits) NotInWithoutNulls() []string {
	return e.each(func(n *pg.Node) bool {
		b := n.GetBoolExpr()
		if b == nil || b.Boolop != pg.BoolExprType_NOT_EXPR ||
			b.Args[0].GetSubLink().GetSubLinkType() != pg.SubLinkType_ANY_SUBLINK {
			return false
		}
		sel := b.Args[0].GetSubLink().Subselect.GetSelectStmt()
		if sel == nil || len(sel.TargetList) != 1 || IsStar(sel.TargetList[0].GetResTarget().GetVal().GetColumnRef()) ||
			len(sel.GroupClause) > 0 {
			return false
		}
		sel.WhereClause = and(
			sel.WhereClause,
			NullTest(proto.Clone(sel.TargetList[0].GetResTarget().Val).(*pg.Node), pg.NullTestType_IS_NOT_NULL),
		)
		return true
	})
}

// Wildcards has LIKE look for its patterns anywhere in a text.
func (e Edits) Wildcards() []string {
	return e.each(func(n *pg.Node) bool {
		a := n.GetAExpr()
		if a == nil || a.Kind != pg.A_Expr_Kind_AEXPR_LIKE && a.Kind != pg.A_Expr_Kind_AEXPR_ILIKE {
			return false
		}
		c := a.Rexpr.GetAConst().GetSval()
		if c == nil || strings.ContainsAny(c.Sval, "%_") {
			return false
		}
		c.Sval = "%" + c.Sval + "%"
		return true
	})
}

// ColumnForText has a column in place of a text that is called like it.
func (e Edits) ColumnForText() []string {
	return e.each(func(n *pg.Node) bool {
		text := n.GetAConst().GetSval().GetSval()
		if text == "" || len(e.schema.With(text)) == 0 {
			return false
		}
		n.Node = ColumnRef(text).Node
		return true
	})
}

// ColumnForAlias has two columns where one is given the other's name without AS.
func (e Edits) ColumnForAlias() []string {
	return e.inner(func(sel *pg.SelectStmt, _ *features) bool {
		var targets []*pg.Node
		for _, t := range sel.TargetList {
			target := t.GetResTarget()
			targets = append(targets, t)
			if target.GetName() != "" && target.Val.GetColumnRef() != nil && len(e.schema.With(target.Name)) > 0 {
				targets = append(targets, pg.MakeResTargetNodeWithVal(ColumnRef(target.Name), -1))
				target.Name = ""
			}
		}
		changed := len(targets) > len(sel.TargetList)
		sel.TargetList = targets
		return changed
	})
}

// Bound takes the bound of a comparison in, or leaves it out.
func (e Edits) Bound(c Comparison) (all []string) {
	with := func(operators ...string) {
		all = append(all, e.each(func(n *pg.Node) bool {
			a := n.GetAExpr()
			r := &features{query: e.query}
			if a == nil || a.Lexpr == nil || a.Rexpr == nil ||
				int(a.Location) != e.query.start+c.Place.Offset(e.query.Text) {
				return false
			}
			if c.Operator != "between" {
				a.Name = []*pg.Node{pg.MakeStrNode(operators[0])}
				return true
			}
			bounds := a.Rexpr.GetList().GetItems()
			if len(bounds) != 2 || r.written(a.Lexpr) != c.Expression {
				return false
			}
			n.Node = Conjunction(
				[]*pg.Node{
					Operation(operators[0], a.Lexpr, bounds[0]),
					Operation(operators[1], proto.Clone(a.Lexpr).(*pg.Node), bounds[1]),
				},
			).Node
			return true
		})...)
	}
	switch {
	case c.Operator == "between":
		with(">=", "<")
		with(">", "<=")
		with(">", "<")
	default: // as it stands in the text, perhaps the other way round
		e.each(func(n *pg.Node) bool {
			if a := n.GetAExpr(); a != nil && a.Lexpr != nil &&
				int(a.Location) == e.query.start+c.Place.Offset(e.query.Text) {
				operator := LastName(a.Name)
				if strings.HasSuffix(operator, "=") {
					with(strings.TrimSuffix(operator, "="))
				} else {
					with(operator + "=")
				}
			}
			return false
		})
	}
	return all
}

// OrBeforeAnd puts parentheses around what OR joins, where they stand around what AND joins.
func (e Edits) OrBeforeAnd() []string {
	return e.each(func(n *pg.Node) bool {
		b := n.GetBoolExpr()
		if b == nil || b.Boolop != pg.BoolExprType_OR_EXPR {
			return false
		}
		at := slices.IndexFunc(
			b.Args, func(arg *pg.Node) bool { return arg.GetBoolExpr().GetBoolop() == pg.BoolExprType_AND_EXPR },
		)
		if at < 0 {
			return false
		}
		ands := b.Args[at].GetBoolExpr().Args
		or := func(args ...*pg.Node) *pg.Node {
			return &pg.Node{
				Node: &pg.Node_BoolExpr{
					BoolExpr: &pg.BoolExpr{Boolop: pg.BoolExprType_OR_EXPR, Args: args, Location: -1},
				},
			}
		}
		before, after := slices.Clone(b.Args[:at]), slices.Clone(b.Args[at+1:])
		var all []*pg.Node
		switch {
		case len(before) > 0: // a OR b AND c
			all = append([]*pg.Node{or(append(before, ands[0])...)}, ands[1:]...)
			if len(after) > 0 {
				all[len(all)-1] = or(append([]*pg.Node{all[len(all)-1]}, after...)...)
			}
		default: // a AND b OR c
			last := len(ands) - 1
			all = append(slices.Clone(ands[:last]), or(append([]*pg.Node{ands[last]}, after...)...))
		}
		n.Node = Conjunction(all).Node
		return true
	})
}

// WithoutConditions leaves each condition of WHERE out in turn.
func (e Edits) WithoutConditions() []string {
	return variations(mostEdits, func(i int) []string {
		return e.inner(func(sel *pg.SelectStmt, _ *features) bool {
			all := Conjuncts(sel.WhereClause)
			if i >= len(all) {
				return false
			}
			sel.WhereClause = Conjunction(slices.Delete(all, i, i+1))
			return true
		})
	})
}

// WithConditionsOf adds the conditions of another query about the same columns, together and each in turn. The tables'
// names are left out.
func (e Edits) WithConditionsOf(other *Query) []string {
	of, _ := unwrapped(other.tree.Stmts[0].Stmt.GetSelectStmt())
	where, having := Conjuncts(of.WhereClause), Conjuncts(of.HavingClause)
	bare := func(n *pg.Node) *pg.Node {
		n = proto.Clone(n).(*pg.Node)
		walk(n.ProtoReflect(), func(m any) {
			if c, is := m.(*pg.ColumnRef); is && len(c.Fields) > 1 {
				c.Fields = c.Fields[len(c.Fields)-1:]
			}
		})
		return n
	}
	add := func(where, having []*pg.Node) []string {
		return e.inner(func(sel *pg.SelectStmt, _ *features) bool {
			for _, c := range where {
				sel.WhereClause = and(sel.WhereClause, bare(c))
			}
			for _, c := range having {
				sel.HavingClause = and(sel.HavingClause, bare(c))
			}
			return len(where)+len(having) > 0 && sel.Op == pg.SetOperation_SETOP_NONE
		})
	}
	all := add(where, having)
	if len(where)+len(having) == 1 {
		return all
	}
	for i := range where {
		all = append(all, add(where[i:i+1], nil)...)
	}
	for i := range having {
		all = append(all, add(nil, having[i:i+1])...)
	}
	return all[:min(len(all), mostEdits)]
}
