package mutation

import (
	"fmt"
	"slices"
	"strings"

	pg "github.com/pganalyze/pg_query_go/v6"

	"examen/internal/core/sqltext"
)

// column takes a column for another one of the same type. Columns that join are left to the operators of joins.
func (m *maker) column(n *pg.Node, s *scope, same func() string) {
	of := s.side(n)
	if of == nil || s.joining(n) {
		return
	}
	tried := 0
	for _, by := range s.alternatives(of) {
		if tried == mostKeys {
			return
		}
		tried++
		equal := s.equal(of, by) && (by.name == of.name || !m.rules.Names) // an output has the column's name
		m.replace(Column, n, s.ref(by.from, by.name), or(same, equal, "the columns are equal in every row"),
			"takes %s for %s", s.dotted(by), s.dotted(of))
	}
}

func (s *scope) dotted(of *side) string {
	if len(s.sources) > 1 {
		return of.from.alias + "." + of.name
	}
	return of.name
}

// joining tells that a column stands in an equality with one of another source.
func (s *scope) joining(n *pg.Node) bool {
	joins := false
	of := append(s.inner(nil), sqltext.Conjuncts(s.sel.WhereClause)...)
	var outer func(item *pg.Node)
	outer = func(item *pg.Node) {
		if j := item.GetJoinExpr(); j != nil {
			of = append(of, sqltext.Conjuncts(j.Quals)...)
			outer(j.Larg)
			outer(j.Rarg)
		}
	}
	for _, item := range s.sel.FromClause {
		outer(item)
	}
	for _, c := range of {
		a := c.GetAExpr()
		if a == nil || a.Lexpr != n && a.Rexpr != n {
			continue
		}
		l, _ := s.find(a.Lexpr.GetColumnRef())
		r, _ := s.find(a.Rexpr.GetColumnRef())
		joins = joins || l != nil && r != nil && l != r
	}
	return joins
}

// alternatives are columns that may be taken for one: that of the same name of another source, and of the same source
// those of the same type, the nearest first.
func (s *scope) alternatives(of *side) (all []*side) {
	i := slices.IndexFunc(of.from.columns, func(c column) bool { return c.name == of.name })
	kind := of.from.columns[i].kind
	for _, from := range s.sources {
		for _, c := range from.columns {
			if from != of.from && c.name == of.name && c.kind.family == kind.family {
				all = append(all, &side{from, c.name})
			}
		}
	}
	for by := 1; by < len(of.from.columns); by++ {
		for _, at := range []int{i + by, i - by} {
			if at < 0 || at >= len(of.from.columns) {
				continue
			}
			if of.from.follows(of.from.columns[at].name, of.name) {
				continue
			}
			if c := of.from.columns[at]; c.kind.name == kind.name && kind.family != other {
				all = append(all, &side{of.from, c.name})
			}
		}
	}
	return all
}

// follows tells that a column is generated from another one.
func (f *source) follows(name, from string) bool {
	if f.table == nil {
		return false
	}
	c := f.table.Column(name)
	return c != nil && strings.HasPrefix(c.Default, "generated: ") && strings.Contains(c.Default, from)
}

// equal tells that two columns are equal in every row: inner joins or WHERE say so.
func (s *scope) equal(a, b *side) bool {
	reached := []side{*a}
	conditions := append(s.inner(nil), sqltext.Conjuncts(s.sel.WhereClause)...)
	for i := 0; i < len(reached); i++ {
		for _, c := range conditions {
			l, r := s.sides(c)
			if l == nil || r == nil {
				continue
			}
			for _, pair := range [][2]side{{*l, *r}, {*r, *l}} {
				if pair[0] == reached[i] && !slices.Contains(reached, pair[1]) {
					reached = append(reached, pair[1])
				}
			}
		}
	}
	return slices.Contains(reached, *b)
}

// call mutates a call of a function. It returns whether its arguments are to be mutated, too.
func (m *maker) call(n *pg.Node, f *pg.FuncCall, s *scope, same func() string) bool {
	name := sqltext.LastName(f.Funcname)
	if f.Over != nil {
		m.windowFunction(f, s)
		m.window(f.Over, s)
		m.defaultFrame(f, s)
		return true
	}
	if sqltext.IsAggregate(f) {
		m.aggregate(f, s)
		if f.AggFilter != nil {
			m.filter(f, s)
		}
		switch {
		case len(f.Args) == 0:
		case name == "count" && f.Args[0].GetColumnRef() != nil:
			m.counted(f, s)
		default:
			m.expression(f.Args[0], s, nil)
		}
		return false
	}
	switch {
	case len(f.Args) == 0:
	case name == "round":
		m.rounding(n, f, s)
	case slices.Contains([]string{"lower", "upper", "btrim", "initcap", "abs", "floor", "ceil", "trunc"}, name):
		m.replace(Function, n, clone(f.Args[0]), same, "leaves out %s around %s", name, s.said(f.Args[0]))
	}
	return true
}

// named changes a function's name.
func (m *maker) named(o Operator, f *pg.FuncCall, to string, same func() string, why ...Reason) {
	was := f.Funcname
	m.try(change{
		operator: o, says: fmt.Sprintf("takes %s for %s", to, sqltext.LastName(was)), same: same, why: why,
		apply: func() { f.Funcname = []*pg.Node{pg.MakeStrNode(to)} }, undo: func() { f.Funcname = was },
	})
}

// aggregate takes one aggregate for another, and DISTINCT in or out of it.
func (m *maker) aggregate(f *pg.FuncCall, s *scope) {
	name := sqltext.LastName(f.Funcname)
	alone := s.rowsBy(s.groups()...) && len(s.sel.GroupClause) > 0
	oneRow := certainly(alone, "each group has one row")
	swap := map[string]string{"sum": "avg", "avg": "sum", "min": "max", "max": "min"}
	if to := swap[name]; to != "" {
		m.named(Aggregate, f, to, oneRow, Reason{"no group of several rows decides", ""})
	}
	if name == "count" && f.AggStar {
		m.countColumn(f, s)
		return
	}
	if name == "count" && len(f.Args) == 1 {
		arg := f.Args[0]
		distinct := f.AggDistinct
		m.try(change{
			operator: Aggregate, says: fmt.Sprintf("takes count(*) for count(%s)", s.said(arg)),
			apply: func() { f.Args, f.AggStar, f.AggDistinct = nil, true, false },
			undo:  func() { f.Args, f.AggStar, f.AggDistinct = []*pg.Node{arg}, false, distinct },
			same: func() string {
				return certainly(!distinct && (s.neverNull(arg) || s.excludesNull(arg,
					sqltext.Conjuncts(s.sel.WhereClause))),
					"it is never NULL")()
			},
			why: []Reason{{"no row in which it is NULL decides", ""}},
		})
	}
	if !slices.Contains([]string{"count", "sum", "avg"}, name) || len(f.Args) != 1 {
		return
	}
	says := fmt.Sprintf("takes %s(DISTINCT %s) for %s(%s)", name, s.said(f.Args[0]), name, s.said(f.Args[0]))
	if f.AggDistinct {
		says = fmt.Sprintf("leaves out DISTINCT in %s(%s)", name, s.said(f.Args[0]))
	}
	flip := func() { f.AggDistinct = !f.AggDistinct }
	m.try(change{
		operator: Aggregate, says: says, apply: flip, undo: flip,
		same: certainly(s.onceInGroup(f.Args[0]), "no value comes twice in a group"),
		why:  []Reason{{"no value that comes twice in a group decides", ""}},
	})
}

// onceInGroup tells that no value of an expression comes twice in a group. Rows in which it is NULL do not count.
func (s *scope) onceInGroup(n *pg.Node) bool {
	var present *source
	if side := s.side(n); side != nil && side.from.missing {
		present = side.from
	}
	return s.rowsWith(present, append(s.groups(), n)...)
}

// countColumn counts a column for all rows: one that may be NULL, and each different value of one.
func (m *maker) countColumn(f *pg.FuncCall, s *scope) {
	count := func(n *pg.Node, distinct bool) {
		says := fmt.Sprintf("takes count(%s) for count(*)", s.said(n))
		same := certainly(s.neverNull(n) || s.excludesNull(n, sqltext.Conjuncts(s.sel.WhereClause)), "it is never NULL")
		why := Reason{"no row in which it is NULL decides", ""}
		if distinct {
			says = fmt.Sprintf("takes count(DISTINCT %s) for count(*)", s.said(n))
			same = certainly(s.neverNull(n) && s.rowsBy(append(s.groups(), n)...),
				"it is never NULL, and no value comes twice")
			why = Reason{"no value that comes twice in a group decides", ""}
		}
		m.try(change{
			operator: Aggregate, says: says, same: same, why: []Reason{why},
			apply: func() { f.Args, f.AggStar, f.AggDistinct = []*pg.Node{n}, false, distinct },
			undo:  func() { f.Args, f.AggStar, f.AggDistinct = nil, true, false },
		})
	}
	nullable, repeated := 0, 0
	for _, from := range s.sources {
		for _, c := range from.columns {
			n := s.ref(from, c.name)
			grouped := slices.ContainsFunc(s.groups(), func(k *pg.Node) bool { return written(k) == written(n) })
			if (c.nullable || from.missing) && nullable < mostKeys && !grouped {
				nullable++
				count(n, false)
			}
			if !c.nullable && repeated < 1 && !grouped && !s.rowsBy(append(s.groups(), n)...) {
				repeated++
				count(n, true)
			}
		}
	}
}

// counted counts another column of the same type.
func (m *maker) counted(f *pg.FuncCall, s *scope) {
	of := s.side(f.Args[0])
	if of == nil {
		return
	}
	for i, by := range s.alternatives(of) {
		if i == mostKeys {
			return
		}
		n := s.ref(by.from, by.name)
		column := func(of *side) *column {
			return &of.from.columns[slices.Index(names(of.from.columns), of.name)]
		}
		always := s.neverNull(n) && s.neverNull(f.Args[0]) ||
			by.from == of.from && !column(by).nullable && !column(of).nullable
		m.replace(Column, f.Args[0], n, or(nil, s.equal(of, by) || always && !f.AggDistinct,
			"they are NULL in the same rows"), "counts %s for %s", s.dotted(by), s.dotted(of))
	}
}

// filter leaves FILTER out, and mutates its condition.
func (m *maker) filter(f *pg.FuncCall, s *scope) {
	was := f.AggFilter
	m.try(change{
		operator: Filter, says: fmt.Sprintf("leaves out FILTER (WHERE %s)", s.said(was)),
		apply: func() { f.AggFilter = nil }, undo: func() { f.AggFilter = was },
		why: []Reason{{"no row of which it is not true decides", ""}},
	})
	m.conditions(&clause{
		scope: s, name: "FILTER", get: func() *pg.Node { return f.AggFilter },
		set: func(n *pg.Node) { f.AggFilter = n }, given: sqltext.Conjuncts(s.sel.WhereClause),
	})
}

// rounding leaves round out, and rounds to one digit more or fewer.
func (m *maker) rounding(n *pg.Node, f *pg.FuncCall, s *scope) {
	m.replace(Rounding, n, clone(f.Args[0]), nil, "leaves out round around %s", s.said(f.Args[0]))
	if len(f.Args) < 2 {
		m.named(Rounding, f, "trunc", nil)
		return
	}
	digits := f.Args[1].GetAConst().GetIval()
	m.named(Rounding, f, "trunc", nil)
	if digits == nil {
		return
	}
	was := digits.Ival
	for _, to := range []int32{was + 1, was - 1} {
		m.try(change{
			operator: Rounding, says: fmt.Sprintf("rounds to %d digits for %d", to, was),
			apply: func() { digits.Ival = to }, undo: func() { digits.Ival = was },
		})
	}
}

// arithmetic takes one operator for another, a division of integers for one of decimal numbers, and another order of
// operations.
func (m *maker) arithmetic(n *pg.Node, a *pg.A_Expr, s *scope, same func() string) {
	was := sqltext.LastName(a.Name)
	if to := map[string]string{"+": "-", "-": "+", "*": "/", "/": "*"}[was]; to != "" {
		m.try(change{
			operator: Arithmetic, says: fmt.Sprintf("takes %s for %s", to, was), same: same,
			apply: func() { a.Name = []*pg.Node{pg.MakeStrNode(to)} },
			undo:  func() { a.Name = []*pg.Node{pg.MakeStrNode(was)} },
		})
	}
	left := operator(a.Lexpr)
	if (left == "+" || left == "-") && (was == "*" || was == "/") { // (a + b) * c as a + b * c
		inside := a.Lexpr.GetAExpr()
		by := sqltext.Operation(left, inside.Lexpr, sqltext.Operation(was, inside.Rexpr, a.Rexpr))
		m.replace(Arithmetic, n, by, same, "leaves out the parentheses around %s", s.said(a.Lexpr))
	}
	right := operator(a.Rexpr)
	if (right == "+" || right == "-") && (was == "*" || was == "/" || was == "-") { // a * (b + c) as a * b + c
		inside := a.Rexpr.GetAExpr()
		by := sqltext.Operation(right, sqltext.Operation(was, a.Lexpr, inside.Lexpr), inside.Rexpr)
		m.replace(Arithmetic, n, by, same, "leaves out the parentheses around %s", s.said(a.Rexpr))
	}
	for _, operand := range []*pg.Node{a.Lexpr, a.Rexpr} {
		if by := integerOf(s, operand); by != nil {
			m.replace(Arithmetic, operand, by, same, "takes %s for %s: a division of integers", s.said(by),
				s.said(operand))
		}
	}
}

// integerOf is an operand as the integer that it was made from; nil where it was not.
func integerOf(s *scope, n *pg.Node) *pg.Node {
	if c := n.GetTypeCast(); c != nil {
		if k := s.kind(c.Arg); k.family == integer && s.kind(n).family != integer {
			return clone(c.Arg)
		}
		return nil
	}
	if f := n.GetAConst().GetFval(); f != nil {
		if digits, zeros, _ := strings.Cut(f.Fval, "."); strings.Trim(zeros, "0") == "" && digits != "" {
			return sqltext.ReadExpression(digits)
		}
	}
	return nil
}

// caseOf leaves branches of CASE out, and mutates its conditions and results.
func (m *maker) caseOf(c *pg.CaseExpr, s *scope) {
	branches, otherwise := c.Args, c.Defresult
	for i, branch := range branches {
		when := branch.GetCaseWhen()
		if len(branches) > 1 {
			m.try(change{
				operator: Case, says: fmt.Sprintf("leaves out the branch WHEN %s", s.said(when.Expr)),
				apply: func() { c.Args = slices.Delete(slices.Clone(branches), i, i+1) },
				undo:  func() { c.Args = branches },
				why:   []Reason{{"no row that comes to that branch decides", ""}},
			})
		}
		if c.Arg == nil {
			m.conditions(&clause{
				scope: s, name: "WHEN", get: func() *pg.Node { return when.Expr },
				set: func(n *pg.Node) {
					if when.Expr = n; n == nil {
						when.Expr = truthConstant()
					}
				},
			})
		}
		m.expression(when.Result, s, nil)
	}
	if otherwise != nil {
		m.try(change{
			operator: Case, says: "leaves out ELSE",
			apply: func() { c.Defresult = nil }, undo: func() { c.Defresult = otherwise },
			why: []Reason{{"no row that comes to ELSE decides", ""}},
		})
		m.expression(otherwise, s, nil)
	}
}

// windowFunction takes one numbering for another.
func (m *maker) windowFunction(f *pg.FuncCall, s *scope) {
	name := sqltext.LastName(f.Funcname)
	numberings := []string{"row_number", "rank", "dense_rank"}
	if slices.Contains(numberings, name) {
		by := s.windowKeys(f.Over)
		for _, to := range numberings {
			if to != name {
				m.named(Window, f, to, certainly(!s.aggregated() && s.rowsBy(by...),
					"no rows tie: the order is by a key"),
					Reason{"no rows that tie in the window decide", ""})
			}
		}
		return
	}
	swap := map[string]string{
		"lag": "lead", "lead": "lag", "sum": "avg", "avg": "sum", "min": "max", "max": "min",
		"first_value": "last_value", "last_value": "first_value",
	}
	if to := swap[name]; to != "" {
		m.named(Window, f, to, nil)
	}
}

// defaultFrame has an aggregate over an ordered window count row by row, where rows that tie come in together.
func (m *maker) defaultFrame(f *pg.FuncCall, s *scope) {
	w := f.Over
	frame, name := w.FrameOptions, sqltext.LastName(f.Funcname)
	if frame&frameNonDefault != 0 || len(w.OrderClause) == 0 ||
		!slices.Contains([]string{"sum", "avg", "count", "min", "max", "last_value"}, name) {
		return
	}
	m.try(change{
		operator: Window, says: "takes ROWS for RANGE",
		apply: func() { w.FrameOptions = frame&^frameRange | frameRows | frameNonDefault },
		undo:  func() { w.FrameOptions = frame },
		same:  certainly(!s.aggregated() && s.rowsBy(s.windowKeys(w)...), "no rows tie: the order is by a key"),
		why:   []Reason{{"no rows that tie in the window decide", ""}},
	})
}

// windowKeys are what a window partitions and orders by.
func (s *scope) windowKeys(w *pg.WindowDef) []*pg.Node {
	for _, item := range s.sel.WindowClause {
		if of := item.GetWindowDef(); of.Name == w.Name && w.Name != "" || of.Name == w.Refname && w.Refname != "" {
			w = of
			break
		}
	}
	by := slices.Clone(w.PartitionClause)
	for _, n := range w.OrderClause {
		by = append(by, n.GetSortBy().GetNode())
	}
	return by
}

// Bits of a window's frame, as PostgreSQL has them (parsenodes.h).
const (
	frameNonDefault = 1 << iota
	frameRange
	frameRows
)

// frameDefault is RANGE from the beginning to the current row.
const frameDefault = 0x422

// window changes a window's partition, order and frame.
func (m *maker) window(w *pg.WindowDef, s *scope) {
	partition, order, frame := w.PartitionClause, w.OrderClause, w.FrameOptions
	for i, key := range partition {
		m.try(change{
			operator: Window, says: fmt.Sprintf("leaves out %s from PARTITION BY", s.said(key)),
			apply: func() { w.PartitionClause = slices.Delete(slices.Clone(partition), i, i+1) },
			undo:  func() { w.PartitionClause = partition },
		})
	}
	for _, n := range order {
		by := n.GetSortBy()
		dir := by.SortbyDir
		to, word := pg.SortByDir_SORTBY_DESC, "descending"
		if dir == to {
			to, word = pg.SortByDir_SORTBY_ASC, "ascending"
		}
		m.try(change{
			operator: Window, says: fmt.Sprintf("orders the window by %s %s", s.said(by.Node), word),
			apply: func() { by.SortbyDir = to }, undo: func() { by.SortbyDir = dir },
		})
	}
	if len(order) > 0 {
		m.try(change{
			operator: Window, says: "leaves out ORDER BY in the window",
			apply: func() { w.OrderClause = nil }, undo: func() { w.OrderClause = order },
		})
	}
	if frame&frameNonDefault == 0 {
		return
	}
	m.try(change{
		operator: Window, says: "leaves out the window's frame",
		apply: func() { w.FrameOptions = frameDefault }, undo: func() { w.FrameOptions = frame },
		same: certainly(frame == frameDefault|frameNonDefault, "it is the frame that a window has anyway"),
	})
	for _, offset := range []*pg.Node{w.StartOffset, w.EndOffset} {
		c := offset.GetAConst().GetIval()
		if c == nil {
			continue
		}
		was := c.Ival
		for _, to := range []int32{was + 1, was - 1} {
			m.try(change{
				operator: Window, says: fmt.Sprintf("takes a frame of %d rows for %d", to, was),
				apply: func() { c.Ival = to }, undo: func() { c.Ival = was },
			})
		}
	}
	if frame&(frameRows|frameRange) != 0 && w.StartOffset == nil && w.EndOffset == nil {
		says := "takes RANGE for ROWS"
		if frame&frameRange != 0 {
			says = "takes ROWS for RANGE"
		}
		m.try(change{
			operator: Window, says: says,
			apply: func() { w.FrameOptions = frame ^ frameRows ^ frameRange },
			undo:  func() { w.FrameOptions = frame },
			same:  certainly(!s.aggregated() && s.rowsBy(s.windowKeys(w)...), "no rows tie: the order is by a key"),
			why:   []Reason{{"no rows that tie in the window decide", ""}},
		})
	}
}
