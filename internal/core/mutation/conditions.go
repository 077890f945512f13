package mutation

import (
	"fmt"
	"math/big"
	"slices"
	"strings"
	"time"

	pg "github.com/pganalyze/pg_query_go/v6"

	"examen/internal/core/sqltext"
)

// A clause is a condition that keeps rows: WHERE, HAVING, ON, FILTER or WHEN.
type clause struct {
	scope *scope
	name  string
	get   func() *pg.Node
	set   func(*pg.Node)
	given []*pg.Node // other conditions that are true of the rows that it decides on
}

// inner are the conditions of a SELECT's inner joins, but for one join's.
func (s *scope) inner(but *pg.JoinExpr) (all []*pg.Node) {
	var of func(item *pg.Node)
	of = func(item *pg.Node) {
		j := item.GetJoinExpr()
		if j == nil || j.Jointype != pg.JoinType_JOIN_INNER {
			return
		}
		if j != but {
			all = append(all, s.joinConditions(j)...)
		}
		of(j.Larg)
		of(j.Rarg)
	}
	for _, item := range s.sel.FromClause {
		of(item)
	}
	return all
}

// chained tells that a join is one of the inner joins whose conditions every row of the SELECT meets.
func (s *scope) chained(j *pg.JoinExpr) bool {
	var within func(item *pg.Node) bool
	within = func(item *pg.Node) bool {
		of := item.GetJoinExpr()
		return of != nil && of.Jointype == pg.JoinType_JOIN_INNER && (of == j || within(of.Larg) || within(of.Rarg))
	}
	return slices.ContainsFunc(s.sel.FromClause, within)
}

// same proves that a clause keeps the same rows as it did.
func (c *clause) same(before *pg.Node) func() string {
	return func() string {
		if c.scope.alike(before, c.get(), c.given, false) {
			return "it is true of the same rows"
		}
		return ""
	}
}

// conditions mutates a clause: its conditions left out and negated, AND and OR, and what stands in them.
func (m *maker) conditions(c *clause) {
	if c.get() == nil {
		return
	}
	before := clone(c.get())
	same := c.same(before)
	root := c.get()
	all := sqltext.Conjuncts(root)
	for i, n := range all {
		says := fmt.Sprintf("leaves out the condition %s", c.scope.said(n))
		o := Condition
		if c.name == "ON" {
			o = JoinCondition
			says = fmt.Sprintf("leaves out the join condition %s", c.scope.said(n))
		}
		m.try(change{
			operator: o, says: says, same: same,
			apply: func() { c.set(c.without(i)) }, undo: func() { c.set(root) },
			why: c.leftOut(i),
		})
		if o == Condition || !c.joins(n) {
			m.negate(c, n, same)
		}
	}
	m.expression(root, c.scope, same)
}

// without is the clause without one of its conditions.
func (c *clause) without(i int) *pg.Node {
	rest := slices.Delete(sqltext.Conjuncts(c.get()), i, i+1)
	if len(rest) == 0 && c.name == "ON" {
		return truthConstant()
	}
	return sqltext.Conjunction(rest)
}

func truthConstant() *pg.Node {
	return &pg.Node{Node: &pg.Node_AConst{AConst: &pg.A_Const{
		Val: &pg.A_Const_Boolval{Boolval: &pg.Boolean{Boolval: true}}, Location: -1,
	}}}
}

// joins tells that a condition compares columns of two sources.
func (c *clause) joins(n *pg.Node) bool {
	left, right := c.scope.sides(n)
	return left != nil && right != nil && left.from != right.from
}

// said is an expression as it is said in a sentence: without the names of tables, where it is clear without them.
func (s *scope) said(n *pg.Node) string {
	n = clone(n)
	inspect(n, func(n *pg.Node) {
		c := n.GetColumnRef()
		if c == nil || len(c.Fields) < 2 || sqltext.IsStar(c) {
			return
		}
		bare := sqltext.ColumnRef(sqltext.LastName(c.Fields)).GetColumnRef()
		of := 0
		for _, from := range s.sources {
			if slices.Contains(names(from.columns), sqltext.LastName(c.Fields)) {
				of++
			}
		}
		if of == 1 {
			c.Fields = bare.Fields
		}
	})
	text := written(n)
	if len(text) > 80 {
		text = strings.ToValidUTF8(text[:78], "") + "…"
	}
	return text
}

// leftOut says why the data do not miss a condition: the others keep no row that it would not. It is asked of WHERE
// alone.
func (c *clause) leftOut(i int) []Reason {
	if c.name != "WHERE" || c.scope.outer != nil || len(c.scope.sel.FromClause) == 0 {
		return nil
	}
	all := sqltext.Conjuncts(c.get())
	rest := slices.Delete(slices.Clone(all), i, i+1)
	fails := &pg.Node{Node: &pg.Node_BooleanTest{BooleanTest: &pg.BooleanTest{
		Arg: all[i], Booltesttype: pg.BoolTestType_IS_NOT_TRUE, Location: -1,
	}}}
	others := "it is true of every row"
	if len(rest) > 0 {
		others = "it is true of every row that the other conditions keep"
	}
	return []Reason{{others, c.scope.rows(append(rest, fails)...)}}
}

// rows writes a query for a row of FROM that meets conditions.
func (s *scope) rows(conditions ...*pg.Node) string {
	return s.any(&pg.SelectStmt{WhereClause: sqltext.Conjunction(conditions)})
}

// any writes a query for one row of a SELECT from the same tables.
func (s *scope) any(sel *pg.SelectStmt) string {
	sel.TargetList = []*pg.Node{pg.MakeResTargetNodeWithVal(pg.MakeAConstIntNode(1, -1), -1)}
	sel.FromClause, sel.WithClause, sel.Op = s.sel.FromClause, s.sel.WithClause, pg.SetOperation_SETOP_NONE
	sel.LimitCount, sel.LimitOption = pg.MakeAConstIntNode(1, -1), pg.LimitOption_LIMIT_OPTION_COUNT
	return sqltext.WriteSelect(sel)
}

// negate turns a condition into its opposite. Comparisons and NULL tests have theirs among their other mutations.
func (m *maker) negate(c *clause, n *pg.Node, same func() string) {
	if operator(n) != "" || n.GetNullTest() != nil {
		return
	}
	if b := n.GetBoolExpr(); b != nil && b.Boolop == pg.BoolExprType_NOT_EXPR {
		inside := b.Args[0]
		m.replace(Negation, n, clone(inside), same, "leaves out NOT before %s", c.scope.said(inside))
		return
	}
	m.replace(Negation, n, not(clone(n)), same, "puts NOT before %s", c.scope.said(n))
}

// expression mutates what stands in an expression. same proves that the whole of it means the same; nil where only its
// value is asked for, and nothing is known.
func (m *maker) expression(n *pg.Node, s *scope, same func() string) {
	if n == nil || n.Node == nil {
		return
	}
	into := true
	switch x := n.Node.(type) {
	case *pg.Node_BoolExpr:
		m.andOr(n, x.BoolExpr, same)
	case *pg.Node_NullTest:
		m.nullTest(n, x.NullTest, s, same)
	case *pg.Node_AExpr:
		m.operation(n, x.AExpr, s, same)
	case *pg.Node_ColumnRef:
		m.column(n, s, same)
	case *pg.Node_FuncCall:
		into = m.call(n, x.FuncCall, s, same)
	case *pg.Node_CaseExpr:
		m.caseOf(x.CaseExpr, s)
		into = false
	case *pg.Node_CoalesceExpr:
		first := x.CoalesceExpr.Args[0]
		m.replace(Function, n, clone(first), or(same, s.neverNull(first), "it is never NULL"),
			"leaves out COALESCE around %s", s.said(first))
	case *pg.Node_SubLink:
		m.expression(x.SubLink.Testexpr, s, same)
		m.statement(x.SubLink.Subselect.GetSelectStmt(), s, within)
		into = false
	}
	if into {
		children(n, func(child *pg.Node) { m.expression(child, s, same) })
	}
}

// or is a proof that holds where one of two does.
func or(same func() string, is bool, reason string) func() string {
	return func() string {
		if is {
			return reason
		}
		if same != nil {
			return same()
		}
		return ""
	}
}

// andOr takes OR for AND, and AND for OR; and has what AND joins beside an OR without the parentheses.
func (m *maker) andOr(n *pg.Node, b *pg.BoolExpr, same func() string) {
	if b.Boolop == pg.BoolExprType_NOT_EXPR {
		return
	}
	was, to, says := b.Boolop, pg.BoolExprType_OR_EXPR, "takes OR for AND"
	if was == pg.BoolExprType_OR_EXPR {
		to, says = pg.BoolExprType_AND_EXPR, "takes AND for OR"
	}
	m.try(change{
		operator: AndOr, says: says, same: same, apply: func() { b.Boolop = to }, undo: func() { b.Boolop = was },
	})
	if was != pg.BoolExprType_AND_EXPR {
		return
	}
	for i, arg := range b.Args { // a AND (b OR c) without its parentheses
		inside := arg.GetBoolExpr()
		if inside == nil || inside.Boolop != pg.BoolExprType_OR_EXPR {
			continue
		}
		first := sqltext.Conjunction(append(slices.Clone(b.Args[:i]), inside.Args[0]))
		rest := slices.Clone(inside.Args[1:])
		if i+1 < len(b.Args) {
			last := len(rest) - 1
			rest[last] = sqltext.Conjunction(append([]*pg.Node{rest[last]}, b.Args[i+1:]...))
		}
		by := boolExpr(pg.BoolExprType_OR_EXPR, append([]*pg.Node{first}, rest...)...)
		m.replace(AndOr, n, by, same, "leaves out the parentheses around OR")
	}
}

// nullTest takes the opposite, or a comparison with NULL by = or <>.
func (m *maker) nullTest(n *pg.Node, t *pg.NullTest, s *scope, same func() string) {
	is, isNot := pg.NullTestType_IS_NULL, pg.NullTestType_IS_NOT_NULL
	null := &pg.Node{Node: &pg.Node_AConst{AConst: &pg.A_Const{Isnull: true, Location: -1}}}
	if t.Nulltesttype == is {
		m.replace(NullTest, n, sqltext.NullTest(t.Arg, isNot), same, "takes IS NOT NULL for IS NULL")
		m.replace(NullTest, n, sqltext.Operation("=", t.Arg, null), same, "takes = NULL for IS NULL")
		return
	}
	m.replace(NullTest, n, sqltext.NullTest(t.Arg, is), same, "takes IS NULL for IS NOT NULL")
	m.replace(NullTest, n, sqltext.Operation("<>", t.Arg, null), same, "takes <> NULL for IS NOT NULL")
}

// others are the comparisons that are taken for one.
var others = map[string][]string{
	">": {">=", "<", "<=", "=", "<>"}, ">=": {">", "<", "<=", "=", "<>"}, "<": {"<=", ">", ">=", "=", "<>"},
	"<=": {"<", ">", ">=", "=", "<>"}, "=": {"<>", ">=", "<="}, "<>": {"=", ">", "<"},
}

// operation mutates an operation by its kind.
func (m *maker) operation(n *pg.Node, a *pg.A_Expr, s *scope, same func() string) {
	switch a.Kind {
	case pg.A_Expr_Kind_AEXPR_OP:
		if a.Lexpr == nil {
			return
		}
		if _, compares := others[sqltext.LastName(a.Name)]; compares {
			m.comparison(a, s, same)
			return
		}
		m.arithmetic(n, a, s, same)
	case pg.A_Expr_Kind_AEXPR_LIKE, pg.A_Expr_Kind_AEXPR_ILIKE:
		m.pattern(a, s, same)
	case pg.A_Expr_Kind_AEXPR_BETWEEN:
		low, high := a.Rexpr.GetList().GetItems()[0], a.Rexpr.GetList().GetItems()[1]
		m.replace(Comparison, n, boolExpr(pg.BoolExprType_AND_EXPR, sqltext.Operation(">", a.Lexpr, low),
			sqltext.Operation("<=", clone(a.Lexpr), high)), same, "leaves out the lower bound %s itself", s.said(low))
		m.replace(Comparison, n, boolExpr(pg.BoolExprType_AND_EXPR, sqltext.Operation(">=", a.Lexpr, low),
			sqltext.Operation("<", clone(a.Lexpr), high)), same, "leaves out the upper bound %s itself", s.said(high))
	case pg.A_Expr_Kind_AEXPR_IN:
		list := a.Rexpr.GetList()
		if list == nil || len(list.Items) < 2 {
			return
		}
		items := list.Items
		for i, item := range items[:min(len(items), 5)] {
			m.try(change{
				operator: Condition, says: fmt.Sprintf("leaves out %s of the list", s.said(item)), same: same,
				apply: func() { list.Items = slices.Delete(slices.Clone(items), i, i+1) },
				undo:  func() { list.Items = items },
			})
		}
	}
}

// comparison takes other comparisons, and moves a bound by the smallest step of its type. Conditions that join are left
// to their own operators.
func (m *maker) comparison(a *pg.A_Expr, s *scope, same func() string) {
	was := sqltext.LastName(a.Name)
	left, right := s.sides(&pg.Node{Node: &pg.Node_AExpr{AExpr: a}})
	if left != nil && right != nil && left.from != right.from {
		return
	}
	if _, c := s.find(a.Rexpr.GetColumnRef()); c != nil && was == "=" { // a correlated subquery's
		if _, c := s.find(a.Lexpr.GetColumnRef()); c != nil {
			return
		}
	}
	of := s.kind(a.Lexpr)
	if _, is := sqltext.Constant(a.Lexpr); is {
		of = s.kind(a.Rexpr)
	}
	for _, to := range others[was] {
		if was == "=" && to != "<>" && !of.ordered() || was == "<>" && to != "=" && !of.ordered() {
			continue
		}
		m.try(change{
			operator: Comparison, says: fmt.Sprintf("takes %s for %s", to, was), same: same,
			apply: func() { a.Name = []*pg.Node{pg.MakeStrNode(to)} },
			undo:  func() { a.Name = []*pg.Node{pg.MakeStrNode(was)} },
			why:   s.atBound(a, was, to),
		})
	}
	m.bound(a, of, was, s, same)
}

// atBound says why a comparison is not told from the one that takes its bound in, or leaves it out: no row is at it.
func (s *scope) atBound(a *pg.A_Expr, was, to string) []Reason {
	if strings.TrimSuffix(was, "=") != strings.TrimSuffix(to, "=") {
		return nil
	}
	return s.nothingAt(a.Lexpr, a.Rexpr)
}

// nothingAt says that an expression has a value nowhere.
func (s *scope) nothingAt(n, at *pg.Node) []Reason {
	value, is := sqltext.Constant(at)
	if !is {
		return nil
	}
	from, c := s.find(n.GetColumnRef())
	switch {
	case c != nil && from.table != nil:
		sql := fmt.Sprintf("SELECT 1 FROM %s WHERE %s = %s LIMIT 1", from.table.SQLName, sqltext.Quoted(c.name),
			written(at))
		return []Reason{
			{fmt.Sprintf("no %s has %s of exactly %s", spaced(from.table.Name), withArticle(spaced(c.name)), value),
				sql},
			{fmt.Sprintf("no row with %s of exactly %s decides", withArticle(spaced(c.name)), value), ""},
		}
	case aggregate(n) != nil && s.outer == nil:
		sql := s.any(&pg.SelectStmt{
			WhereClause: s.sel.WhereClause, GroupClause: s.sel.GroupClause, HavingClause: sqltext.Operation("=", n, at),
		})
		return []Reason{{fmt.Sprintf("no group has exactly %s as its %s", value, s.said(n)), sql}}
	}
	return nil
}

// withArticle puts a or an before a noun.
func withArticle(noun string) string {
	if strings.ContainsRune("aeiou", []rune(strings.ToLower(noun) + " ")[0]) {
		return "an " + noun
	}
	return "a " + noun
}

// spaced is a name as it is said in a sentence.
func spaced(name string) string { return strings.ReplaceAll(name, "_", " ") }

// bound moves a constant bound by the smallest step of its type: to where the comparison with or without the bound does
// not come already.
func (m *maker) bound(a *pg.A_Expr, of kind, was string, s *scope, same func() string) {
	n := a.Rexpr
	if _, is := sqltext.Constant(n); !is {
		if n = a.Lexpr; s.kind(a.Rexpr).ordered() {
			was = map[string]string{"<": ">", "<=": ">=", ">": "<", ">=": "<=", "=": "=", "<>": "<>"}[was]
		}
	}
	value, is := sqltext.Constant(n)
	if !is || !of.ordered() {
		return
	}
	steps := map[string][]int64{">": {1}, ">=": {-1}, "<": {-1}, "<=": {1}, "=": {1, -1}, "<>": {1, -1}}[was]
	for _, step := range steps {
		to := of.moved(value, step)
		if to == "" {
			continue
		}
		by, of := constantLike(n, to), a.Lexpr
		if n == a.Lexpr {
			of = a.Rexpr
		}
		var why []Reason
		if was != "=" && was != "<>" {
			why = s.nothingAt(of, by)
		}
		m.replace(Bound, n, by, same, "takes %s for %s", s.said(by), s.said(n))
		m.reasoned(Bound, why)
	}
}

// moved is a constant moved by so many of the smallest steps of a type; "" where that is not known.
func (k kind) moved(value string, steps int64) string {
	at := numberOf(k, value)
	if at == nil {
		return ""
	}
	switch k.family {
	case date:
		day, _ := time.Parse("2006-01-02", value)
		return day.AddDate(0, 0, int(steps)).Format("2006-01-02")
	case timestamp:
		when, _ := moment(value)
		step := time.Second
		for range k.scale {
			step /= 10
		}
		return when.Add(time.Duration(steps) * step).Format("2006-01-02 15:04:05.999999")
	case integer:
		return at.Add(at, big.NewRat(steps, 1)).FloatString(0)
	}
	if k.scale < 0 {
		_, digits, _ := strings.Cut(value, ".")
		k.scale = len(digits) // the last digit that is written
	}
	return at.Add(at, new(big.Rat).Mul(k.step(), big.NewRat(steps, 1))).FloatString(k.scale)
}

// constantLike is a constant of another value, written as a given one is.
func constantLike(n *pg.Node, value string) *pg.Node {
	if c := n.GetTypeCast(); c != nil {
		by := clone(n)
		by.GetTypeCast().Arg = constantLike(c.Arg, value)
		return by
	}
	if n.GetAConst().GetSval() != nil {
		return pg.MakeAConstStrNode(value, -1)
	}
	if by := sqltext.ReadExpression(value); by != nil {
		return by
	}
	return clone(n)
}

// pattern changes the wildcards of LIKE, and takes letter case to matter or not.
func (m *maker) pattern(a *pg.A_Expr, s *scope, same func() string) {
	other, word := pg.A_Expr_Kind_AEXPR_ILIKE, "ILIKE for LIKE"
	name := sqltext.LastName(a.Name)
	to := map[string]string{"~~": "~~*", "!~~": "!~~*", "~~*": "~~", "!~~*": "!~~"}[name]
	kind := a.Kind
	if kind == other {
		other, word = pg.A_Expr_Kind_AEXPR_LIKE, "LIKE for ILIKE"
	}
	c := a.Rexpr.GetAConst().GetSval()
	m.try(change{
		operator: Pattern, says: "takes " + word,
		apply: func() { a.Kind, a.Name = other, []*pg.Node{pg.MakeStrNode(to)} },
		undo:  func() { a.Kind, a.Name = kind, []*pg.Node{pg.MakeStrNode(name)} },
		same: or(same, c != nil && caseless(a.Lexpr, c.Sval),
			"the text is in one letter case, and the pattern is too"),
		why: []Reason{{"no text that differs from the pattern in letter case alone decides", ""}},
	})
	if c == nil {
		return
	}
	was := c.Sval
	inner := strings.Trim(was, "%")
	for _, pattern := range []string{
		inner, "%" + inner, inner + "%", "%" + inner + "%", strings.ReplaceAll(was, "_", "%"),
		strings.Replace(was, "%", "_", 1),
	} {
		if pattern == was || inner == "" {
			continue
		}
		m.try(change{
			operator: Pattern, says: fmt.Sprintf("takes the pattern '%s' for '%s'", pattern, was), same: same,
			apply: func() { c.Sval = pattern }, undo: func() { c.Sval = was },
			why: []Reason{{"no text that one of the two fits decides", ""}},
		})
	}
}

// caseless tells that letter case cannot decide: the text is made lower or upper, and the pattern is so, too.
func caseless(n *pg.Node, pattern string) bool {
	switch sqltext.LastName(n.GetFuncCall().GetFuncname()) {
	case "lower":
		return pattern == strings.ToLower(pattern)
	case "upper":
		return pattern == strings.ToUpper(pattern)
	}
	return strings.ToLower(pattern) == strings.ToUpper(pattern)
}
