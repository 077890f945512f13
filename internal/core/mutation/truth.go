package mutation

import (
	"math/big"
	"slices"
	"strings"
	"time"

	pg "github.com/pganalyze/pg_query_go/v6"

	"examen/internal/core/dataset"
	"examen/internal/core/sqltext"
)

// Two conditions keep the same rows if they are true of the same values. Whether a comparison with constants is true
// depends on where a value stands among these only, so a few values of each column stand for all: each constant, its
// neighbours by the smallest step of the type, and NULL. Of what is not understood (a subquery, LIKE), any truth value
// is taken to be possible: so two conditions may be taken for different that are not, never the other way round.

// truth is a value of SQL's three-valued logic.
type truth int8

const (
	isFalse truth = iota
	isUnknown
	isTrue
)

// A table is a truth table in the making.
type table struct {
	scope     *scope
	known     map[*pg.Node]*variable
	texts     map[*pg.Node]string
	read      map[*pg.A_Expr]bool      // comparisons, by whether they are understood
	nulls     map[*pg.Node][]*variable // what strict finds
	variables []*variable
	atoms     []string  // what is not understood
	size      int       // how many conditions there are to look at
	missing   []*source // that stand on the open side of an outer join and are asked about
}

// A variable is a column, or an aggregate, with the values that stand for all of its own.
type variable struct {
	key      string
	node     *pg.Node
	kind     kind
	nullable bool
	from     *source // of a column
	least    *big.Rat
	numbers  []*big.Rat // constants that it is compared with
	texts    []string
	beside   bool // it is compared with another column
	values   []value
}

// A value is one that an operand has.
type value struct {
	null   bool
	number *big.Rat // of what is ordered
	text   string
}

// row assigns values: to the variables, and truths to the atoms.
type row struct {
	values  map[string]value
	truths  map[string]truth
	missing map[*source]bool
}

// mostRows bounds a truth table, mostLooks how often a condition of it is looked at.
const (
	mostRows  = 20_000
	mostLooks = 1_000_000
)

// alike tells that two conditions are true of the same rows, of those for which all given conditions are true. With
// whole, they have to be false and unknown of the same, too.
func (s *scope) alike(before, after *pg.Node, given []*pg.Node, whole bool) bool {
	for _, context := range [][]*pg.Node{given, nil} {
		t := &table{
			scope: s, known: map[*pg.Node]*variable{}, texts: map[*pg.Node]string{}, read: map[*pg.A_Expr]bool{},
			nulls: map[*pg.Node][]*variable{},
		}
		for _, n := range append([]*pg.Node{before, after}, context...) {
			t.learn(n)
		}
		checks := t.checks()
		for _, n := range checks {
			t.learn(n)
		}
		if !t.prepare() {
			continue // too many: with fewer conditions, perhaps
		}
		if t.every(func(r row) bool {
			for _, n := range checks {
				if t.truth(n, r) == isFalse {
					return true
				}
			}
			for _, n := range context {
				if t.truth(n, r) != isTrue {
					return true
				}
			}
			a, b := isTrue, isTrue // no condition is one that is true
			if before != nil {
				a = t.truth(before, r)
			}
			if after != nil {
				b = t.truth(after, r)
			}
			return a == b || !whole && a != isTrue && b != isTrue
		}) {
			return true
		}
		if len(given) == 0 {
			return false
		}
	}
	return false
}

// learn notes the variables, constants and atoms of a condition.
func (t *table) learn(n *pg.Node) {
	if n == nil {
		return
	}
	t.size++
	switch x := n.Node.(type) {
	case *pg.Node_BoolExpr:
		for _, arg := range x.BoolExpr.Args {
			t.learn(arg)
		}
		return
	case *pg.Node_NullTest:
		if t.variable(x.NullTest.Arg) != nil || x.NullTest.Arg.GetAConst() != nil {
			return
		}
	case *pg.Node_ColumnRef:
		if v := t.variable(n); v != nil && v.kind.family == boolean {
			v.texts = append(v.texts, "t", "f")
			return
		}
	case *pg.Node_AConst:
		if x.AConst.GetBoolval() != nil {
			return
		}
	case *pg.Node_AExpr:
		if t.read[x.AExpr] = t.comparison(x.AExpr); t.read[x.AExpr] {
			return
		}
		t.strict(n)
	}
	if key := t.written(n); !slices.Contains(t.atoms, key) {
		t.atoms = append(t.atoms, key)
	}
}

// strict notes the columns of which one that is NULL makes an atom unknown.
func (t *table) strict(n *pg.Node) (all []*variable) {
	if found, known := t.nulls[n]; known {
		return found
	}
	defer func() { t.nulls[n] = all }()
	if !strictly(n) {
		return nil
	}
	inspect(n, func(n *pg.Node) {
		if n.GetColumnRef() != nil {
			if v := t.variable(n); v != nil {
				all = append(all, v)
			}
		}
	})
	return all
}

// strictly tells that an expression is NULL wherever one of its columns is.
func strictly(n *pg.Node) bool {
	strict := true
	inspect(n, func(n *pg.Node) {
		switch x := n.Node.(type) {
		case *pg.Node_ColumnRef, *pg.Node_AConst, *pg.Node_TypeCast, *pg.Node_String_, *pg.Node_TypeName:
		case *pg.Node_AExpr:
			kinds := []pg.A_Expr_Kind{
				pg.A_Expr_Kind_AEXPR_OP, pg.A_Expr_Kind_AEXPR_LIKE, pg.A_Expr_Kind_AEXPR_ILIKE,
			}
			strict = strict && slices.Contains(kinds, x.AExpr.Kind)
		case *pg.Node_FuncCall:
			known := []string{"lower", "upper", "length", "round", "abs", "trunc", "btrim", "substr", "initcap",
				"like_escape"}
			strict = strict && slices.Contains(known, sqltext.LastName(x.FuncCall.Funcname))
		default:
			strict = false
		}
	})
	return strict
}

// comparison notes what a comparison compares. It returns false for one that is not understood.
func (t *table) comparison(a *pg.A_Expr) bool {
	switch a.Kind {
	case pg.A_Expr_Kind_AEXPR_OP:
		if !slices.Contains([]string{"=", "<>", "<", "<=", ">", ">="}, sqltext.LastName(a.Name)) || a.Lexpr == nil {
			return false
		}
		return t.pair(a.Lexpr, a.Rexpr, sqltext.LastName(a.Name))
	case pg.A_Expr_Kind_AEXPR_OP_ANY: // = ANY (ARRAY[...]), as the catalogue writes IN
		return sqltext.LastName(a.Name) == "=" && t.list(a.Lexpr, elements(a.Rexpr), "=")
	case pg.A_Expr_Kind_AEXPR_IN:
		return t.list(a.Lexpr, a.Rexpr.GetList().GetItems(), "=")
	case pg.A_Expr_Kind_AEXPR_BETWEEN, pg.A_Expr_Kind_AEXPR_NOT_BETWEEN:
		return t.list(a.Lexpr, a.Rexpr.GetList().GetItems(), "<=")
	}
	return false
}

func elements(n *pg.Node) []*pg.Node {
	if c := n.GetTypeCast(); c != nil {
		return elements(c.Arg)
	}
	return n.GetAArrayExpr().GetElements()
}

func (t *table) list(left *pg.Node, items []*pg.Node, operator string) bool {
	for _, item := range items {
		if !t.pair(left, item, operator) {
			return false
		}
	}
	return len(items) > 0
}

// pair notes two operands that are compared.
func (t *table) pair(left, right *pg.Node, operator string) bool {
	l, r := t.variable(left), t.variable(right)
	textual := operator == "=" || operator == "<>"
	switch {
	case left.GetAConst().GetIsnull() || right.GetAConst().GetIsnull():
		return true // it is unknown
	case l != nil && r != nil:
		if l.kind.family == r.kind.family && (l.kind.ordered() || l.kind.family == text && textual) {
			l.beside, r.beside = true, true
			return true
		}
	case l == nil && r == nil:
		a, is := sqltext.Constant(left)
		b, also := sqltext.Constant(right)
		k := t.scope.kind(left)
		return is && also && k.ordered() && numberOf(k, a) != nil && numberOf(k, b) != nil
	default:
		v, constant := l, right
		if l == nil {
			v, constant = r, left
		}
		c, is := sqltext.Constant(constant)
		if !is {
			return false
		}
		if v.kind.ordered() {
			if number := numberOf(v.kind, c); number != nil {
				v.numbers = append(v.numbers, number)
				return true
			}
		} else if v.kind.family == text && textual {
			v.texts = append(v.texts, c)
			return true
		}
	}
	return false
}

// moment reads a date or a timestamp as PostgreSQL writes them.
func moment(c string) (at time.Time, known bool) {
	for _, layout := range []string{"2006-01-02", "2006-01-02 15:04", "2006-01-02 15:04:05"} {
		if at, err := time.Parse(layout, c); err == nil {
			return at, true
		}
	}
	return at, false
}

// numberOf reads a constant as a value of an ordered type: days of dates, seconds of timestamps.
func numberOf(k kind, c string) *big.Rat {
	switch k.family {
	case date, timestamp:
		at, known := moment(c)
		switch {
		case !known:
			return nil
		case k.family == date:
			return big.NewRat(at.Unix(), 24*60*60)
		}
		return big.NewRat(at.UnixMicro(), 1_000_000)
	}
	if n, ok := new(big.Rat).SetString(c); ok && len(c) < 40 && !strings.ContainsAny(c, "eE/") {
		return n
	}
	return nil
}

// written is an expression's text.
func (t *table) written(n *pg.Node) string {
	text, known := t.texts[n]
	if !known {
		text = written(n)
		t.texts[n] = text
	}
	return text
}

// variable is the variable that an operand is; nil of another.
func (t *table) variable(n *pg.Node) *variable {
	v, known := t.known[n]
	if !known {
		v = t.newVariable(n)
		t.known[n] = v
	}
	return v
}

func (t *table) newVariable(n *pg.Node) *variable {
	if c := n.GetTypeCast(); c != nil && t.scope.kind(c.Arg).family == text && t.scope.kind(n).family == text {
		n = c.Arg // char(n) and the like, as the catalogue writes checks
	}
	key := ""
	v := &variable{node: n, kind: t.scope.kind(n)}
	switch {
	case n.GetColumnRef() != nil:
		from, c := t.scope.find(n.GetColumnRef())
		if c == nil {
			return nil
		}
		v.from, v.nullable = from, c.nullable
		key = from.alias + "\x00" + c.name
		if !t.scope.own(from) {
			key = "outer\x00" + key
		}
	case aggregate(n) != nil:
		key, v.nullable = written(n), !t.scope.neverNull(n)
		if f := aggregate(n); sqltext.LastName(f.Funcname) == "count" {
			v.least = new(big.Rat)
			if f.AggFilter == nil && len(t.scope.sel.GroupClause) > 0 && (f.AggStar || t.scope.neverNull(f.Args[0])) {
				v.least.SetInt64(1)
			}
		}
	default:
		return nil
	}
	for _, known := range t.variables {
		if known.key == key {
			return known
		}
	}
	v.key = key
	t.variables = append(t.variables, v)
	return v
}

// checks are what CHECKs say of the variables, column by column.
func (t *table) checks() (all []*pg.Node) {
	for _, v := range slices.Clone(t.variables) {
		if v.from == nil || v.from.table == nil {
			continue
		}
		name := v.node.GetColumnRef()
		for _, k := range v.from.table.Constraints {
			column := sqltext.LastName(name.Fields)
			if k.Kind != dataset.Check || len(k.Columns) != 1 || k.Columns[0] != column {
				continue
			}
			condition := sqltext.ReadExpression(strings.TrimPrefix(k.Definition, "CHECK "))
			inspect(condition, func(n *pg.Node) {
				if c := n.GetColumnRef(); c != nil {
					c.Fields = name.Fields
				}
			})
			if condition != nil {
				all = append(all, condition)
			}
		}
	}
	return all
}

// prepare finds the values that stand for all. It returns false where there are too many rows.
func (t *table) prepare() bool {
	rows := 1
	for _, v := range t.variables {
		t.represent(v)
		if rows *= len(v.values); rows > mostRows {
			return false
		}
		if v.from != nil && v.from.missing && !slices.Contains(t.missing, v.from) {
			t.missing = append(t.missing, v.from)
		}
	}
	for range t.atoms {
		if rows *= 3; rows > mostRows {
			return false
		}
	}
	return rows<<len(t.missing) <= min(mostRows, mostLooks/t.size)
}

// represent finds a variable's values.
func (t *table) represent(v *variable) {
	if v.nullable {
		v.values = append(v.values, value{null: true})
	}
	if !v.kind.ordered() {
		texts := slices.Clone(v.texts)
		if v.beside { // and what the others have
			for _, other := range t.variables {
				if other.kind.family == v.kind.family {
					texts = append(texts, other.texts...)
				}
			}
			texts = append(texts, "\x00another")
		}
		if v.kind.family != boolean {
			texts = append(texts, "\x00none of them")
		}
		slices.Sort(texts)
		for _, s := range slices.Compact(texts) {
			v.values = append(v.values, value{text: s})
		}
		return
	}
	numbers, beside := slices.Clone(v.numbers), int64(1)
	if v.beside {
		for _, other := range t.variables {
			if other.kind.family == v.kind.family && other != v {
				numbers = append(numbers, other.numbers...)
				beside++
			}
		}
	}
	if v.least != nil {
		numbers = append(numbers, v.least)
	}
	if len(numbers) == 0 {
		numbers = append(numbers, new(big.Rat))
	}
	step := v.kind.step()
	all := map[string]*big.Rat{}
	for i, n := range numbers {
		all[n.RatString()] = n
		for k := range beside {
			by := new(big.Rat).Mul(step, big.NewRat(k+1, 1))
			for _, near := range []*big.Rat{new(big.Rat).Add(n, by), new(big.Rat).Sub(n, by)} {
				all[near.RatString()] = near
			}
		}
		for _, other := range numbers[:i] { // of types without a smallest step, what lies between
			between := new(big.Rat).Mul(new(big.Rat).Add(n, other), big.NewRat(1, 2))
			if v.kind.scale < 0 && v.kind.family != date {
				all[between.RatString()] = between
			}
		}
	}
	for _, n := range all {
		if v.least == nil || n.Cmp(v.least) >= 0 {
			v.values = append(v.values, value{number: n})
		}
	}
}

// step is the smallest by which values of a type differ; of types without one, a small one.
func (k kind) step() *big.Rat {
	switch {
	case k.family == date:
		return big.NewRat(1, 1)
	case k.scale >= 0:
		ten := new(big.Int).Exp(big.NewInt(10), big.NewInt(int64(k.scale)), nil)
		return new(big.Rat).SetFrac(big.NewInt(1), ten)
	}
	return big.NewRat(1, 1_000_000)
}

// every tells whether something holds for all rows of the table.
func (t *table) every(holds func(row) bool) bool {
	r := row{values: map[string]value{}, truths: map[string]truth{}, missing: map[*source]bool{}}
	var atoms func(i int) bool
	atoms = func(i int) bool {
		if i == len(t.atoms) {
			return holds(r)
		}
		for _, is := range []truth{isFalse, isUnknown, isTrue} {
			if r.truths[t.atoms[i]] = is; !atoms(i + 1) {
				return false
			}
		}
		return true
	}
	var assign func(i int) bool
	assign = func(i int) bool {
		if i == len(t.variables) {
			return atoms(0)
		}
		v := t.variables[i]
		if r.missing[v.from] {
			r.values[v.key] = value{null: true}
			return assign(i + 1)
		}
		for _, is := range v.values {
			if r.values[v.key] = is; !assign(i + 1) {
				return false
			}
		}
		return true
	}
	var open func(i int) bool
	open = func(i int) bool {
		if i == len(t.missing) {
			return assign(0)
		}
		for _, is := range []bool{false, true} {
			if r.missing[t.missing[i]] = is; !open(i + 1) {
				return false
			}
		}
		return true
	}
	return open(0)
}

// truth is a condition's for a row.
func (t *table) truth(n *pg.Node, r row) truth {
	switch x := n.Node.(type) {
	case *pg.Node_BoolExpr:
		return t.boolean(x.BoolExpr, r)
	case *pg.Node_NullTest:
		if v := t.variable(x.NullTest.Arg); v != nil {
			return truthOf(r.values[v.key].null == (x.NullTest.Nulltesttype == pg.NullTestType_IS_NULL))
		}
		if c := x.NullTest.Arg.GetAConst(); c != nil {
			return truthOf(c.Isnull == (x.NullTest.Nulltesttype == pg.NullTestType_IS_NULL))
		}
	case *pg.Node_ColumnRef:
		if v := t.variable(n); v != nil && v.kind.family == boolean {
			if is := r.values[v.key]; !is.null {
				return truthOf(is.text == "t")
			}
			return isUnknown
		}
	case *pg.Node_AConst:
		if x.AConst.GetBoolval() != nil {
			return truthOf(x.AConst.GetBoolval().Boolval)
		}
	case *pg.Node_AExpr:
		if is, understood := t.compare(x.AExpr, r); understood {
			return is
		}
		for _, v := range t.strict(n) {
			if r.values[v.key].null {
				return isUnknown
			}
		}
	}
	return r.truths[t.written(n)]
}

func truthOf(is bool) truth {
	if is {
		return isTrue
	}
	return isFalse
}

func (t *table) boolean(b *pg.BoolExpr, r row) truth {
	switch b.Boolop {
	case pg.BoolExprType_NOT_EXPR:
		return isTrue - t.truth(b.Args[0], r)
	case pg.BoolExprType_AND_EXPR:
		is := isTrue
		for _, arg := range b.Args {
			is = min(is, t.truth(arg, r))
		}
		return is
	}
	is := isFalse
	for _, arg := range b.Args {
		is = max(is, t.truth(arg, r))
	}
	return is
}

// compare is the truth of a comparison, where it is understood.
func (t *table) compare(a *pg.A_Expr, r row) (is truth, understood bool) {
	if !t.read[a] {
		return isUnknown, false
	}
	var items []*pg.Node
	switch a.Kind {
	case pg.A_Expr_Kind_AEXPR_OP:
		return t.relate(sqltext.LastName(a.Name), a.Lexpr, a.Rexpr, r), true
	case pg.A_Expr_Kind_AEXPR_OP_ANY:
		items = elements(a.Rexpr)
	default:
		items = a.Rexpr.GetList().GetItems()
	}
	switch a.Kind {
	case pg.A_Expr_Kind_AEXPR_BETWEEN, pg.A_Expr_Kind_AEXPR_NOT_BETWEEN:
		is = min(t.relate(">=", a.Lexpr, items[0], r), t.relate("<=", a.Lexpr, items[1], r))
		if a.Kind == pg.A_Expr_Kind_AEXPR_NOT_BETWEEN {
			is = isTrue - is
		}
		return is, true
	}
	for _, item := range items {
		is = max(is, t.relate("=", a.Lexpr, item, r))
	}
	if a.Kind == pg.A_Expr_Kind_AEXPR_IN && sqltext.LastName(a.Name) == "<>" {
		is = isTrue - is
	}
	return is, true
}

func (t *table) relate(operator string, left, right *pg.Node, r row) truth {
	of := kind{}
	if v := t.variable(left); v != nil {
		of = v.kind
	} else if v := t.variable(right); v != nil {
		of = v.kind
	} else {
		of = t.scope.kind(left)
	}
	a, b := t.value(left, of, r), t.value(right, of, r)
	if a.null || b.null {
		return isUnknown
	}
	order := strings.Compare(a.text, b.text)
	if a.number != nil && b.number != nil {
		order = a.number.Cmp(b.number)
	}
	switch operator {
	case "=":
		return truthOf(order == 0)
	case "<>":
		return truthOf(order != 0)
	case "<":
		return truthOf(order < 0)
	case "<=":
		return truthOf(order <= 0)
	case ">":
		return truthOf(order > 0)
	}
	return truthOf(order >= 0)
}

// value is an operand's in a row.
func (t *table) value(n *pg.Node, of kind, r row) value {
	if v := t.variable(n); v != nil {
		return r.values[v.key]
	}
	c, is := sqltext.Constant(n)
	if !is {
		return value{null: true}
	}
	if of.ordered() {
		return value{number: numberOf(of, c)}
	}
	return value{text: c}
}
