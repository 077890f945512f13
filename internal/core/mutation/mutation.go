// Package mutation finds out how strong an exercise is. It changes an accepted answer in small ways, as wrong answers
// are wrong; what the data do not tell from the answer would be marked right.
//
// A [Mutation] is an answer with one thing about it changed, by one of the operators that docs/checking.md lists. The
// method is mutation analysis (R. A. DeMillo, R. J. Lipton, F. G. Sayward: Hints on test data selection, 1978), the
// exercise's data being the tests and its answer the program. Mutations that mean the same as the answer are recognised
// where that follows from keys, NOT NULL, CHECKs, foreign keys and the query's own structure (truth.go, keys.go,
// joins.go): no data tell them apart. What stays is run by whoever has a database.
//
// For the mutations that survive, [Candidates] proposes rows that may tell them apart (rows.go).
package mutation

import (
	"fmt"
	"slices"
	"strings"

	pg "github.com/pganalyze/pg_query_go/v6"

	"examen/internal/core/dataset"
	"examen/internal/core/sqltext"
)

// A Mutation is an accepted answer with one thing changed.
type Mutation struct {
	Operator Operator
	SQL      string
	Edit     Edit
	// Says completes "An answer that ... would pass".
	Says string
	// Same says why the mutation means the same as the answer; "" if that is not known.
	Same string
	// Why may tell why the data do not tell it from the answer: the first reason whose query gives no rows does.
	Why []Reason
}

// An Edit is a text with one place in it changed: Before, Was and After are the answer, Before, Is and After the
// mutation.
type Edit struct {
	Before string `json:"before"`
	Was    string `json:"was"`
	Is     string `json:"is"`
	After  string `json:"after"`
}

// A Reason is a sentence that is true where its query gives no rows.
type Reason struct{ Sentence, SQL string }

// An Operator is a way of changing an answer.
type Operator string

// The operators.
const (
	Comparison     Operator = "comparison"
	Bound          Operator = "bound"
	Condition      Operator = "condition"
	Negation       Operator = "negation"
	AndOr          Operator = "and-or"
	Pattern        Operator = "pattern"
	NullTest       Operator = "null-test"
	JoinKind       Operator = "join-kind"
	JoinCondition  Operator = "join-condition"
	JoinKey        Operator = "join-key"
	OnWhere        Operator = "on-where"
	Distinct       Operator = "distinct"
	SetOperation   Operator = "set-operation"
	Aggregate      Operator = "aggregate"
	Filter         Operator = "filter"
	GroupKey       Operator = "group-key"
	OrderDirection Operator = "order-direction"
	OrderKey       Operator = "order-key"
	NullsPlace     Operator = "nulls"
	Limit          Operator = "limit"
	Window         Operator = "window"
	Column         Operator = "column"
	Arithmetic     Operator = "arithmetic"
	NotIn          Operator = "not-in"
	Case           Operator = "case"
	Rounding       Operator = "rounding"
	Function       Operator = "function"
)

// Rules are those of an exercise's check that decide whether a change can matter.
type Rules struct {
	Ordered bool // the order of rows counts
	Once    bool // repeated rows do not
	Names   bool // the outputs' names do
}

// longestAnswer is how long an answer may be, in bytes, of which mutations are made.
const longestAnswer = 20_000

// Make makes the mutations of an answer on tables. A query that is too long, or cannot be written again, has none.
func Make(q *sqltext.Query, tables *dataset.Catalogue, rules Rules) []Mutation {
	if len(q.Text) > longestAnswer {
		return nil
	}
	m := &maker{tree: q.Tree(), catalogue: tables, rules: rules, seen: map[string]bool{}}
	m.reads = func(sql string) error {
		_, err := sqltext.ReadQuery(sql)
		return err
	}
	base, err := sqltext.WriteTree(m.tree)
	if err != nil {
		return nil
	}
	m.seen[base] = true
	m.text = NewText(q.Text, base)
	m.provable = provable(m.tree)
	m.statement(m.tree.Stmts[0].Stmt.GetSelectStmt(), nil, whole)
	return m.all
}

// maker makes mutations. It changes the tree in place and takes each change back.
type maker struct {
	tree      *pg.ParseResult
	text      *Text
	catalogue *dataset.Catalogue
	rules     Rules
	all       []Mutation
	seen      map[string]bool
	views     int  // that are being looked into
	provable  bool // nothing in it escapes the proofs
	// reads tells whether a text can be read as what an answer is.
	reads func(sql string) error
}

// scalar are functions that give one value for a row. Of others it is not known: they may give several rows.
var scalar = strings.Fields(`
	abs age array_length bit_length btrim cardinality cbrt ceil ceiling char_length character_length chr
	clock_timestamp concat concat_ws date date_part date_trunc degrees div exp extract factorial floor format
	gcd initcap isfinite justify_days lcm left length ln log lower lpad ltrim make_date make_interval md5 mod
	now nullif octet_length overlay pi position power quote_literal radians random regexp_count regexp_like
	regexp_replace repeat replace reverse right round rpad rtrim sign split_part sqrt starts_with strpos substr
	substring to_char to_date to_number to_timestamp translate trim trunc upper width_bucket like_escape
	timezone`)

// provable tells that nothing in a query escapes what the proofs know: rows that are made or left out in ways of their
// own, and functions that may give several rows.
func provable(tree *pg.ParseResult) bool {
	known := true
	sqltext.Walk(tree, func(m any) {
		switch n := m.(type) {
		case *pg.GroupingSet, *pg.RangeTableSample, *pg.RangeTableFunc:
			known = false
		case *pg.FuncCall:
			known = known && (n.Over != nil || sqltext.IsAggregate(n) ||
				slices.Contains(scalar, sqltext.LastName(n.Funcname)))
		}
	})
	return known
}

// mostMutations bounds the mutations of one answer.
const mostMutations = 300

// A change is one thing changed, for a while.
type change struct {
	operator Operator
	says     string
	apply    func()
	undo     func()
	same     func() string // asked while it is applied; nil: nothing is known
	why      []Reason
}

// try makes a mutation of a change.
func (m *maker) try(c change) {
	if len(m.all) >= mostMutations {
		return
	}
	c.apply()
	defer c.undo()
	sql, err := sqltext.WriteTree(m.tree)
	if err != nil || m.seen[sql] {
		return
	}
	m.seen[sql] = true
	if m.reads(sql) != nil {
		return
	}
	made := Mutation{Operator: c.operator, SQL: sql, Says: c.says, Why: c.why}
	if c.same != nil && m.provable {
		made.Same = c.same()
	}
	made.Edit = m.text.Edit(sql)
	made.SQL = made.Edit.Before + made.Edit.Is + made.Edit.After
	m.all = append(m.all, made)
}

// replace is a change that puts an expression in another's place.
func (m *maker) replace(o Operator, n, by *pg.Node, same func() string, says string, args ...any) {
	was := n.Node
	m.try(change{
		operator: o, says: fmt.Sprintf(says, args...), same: same,
		apply: func() { n.Node = by.Node }, undo: func() { n.Node = was },
	})
}

// reasoned adds reasons to the last mutation, if it has none.
func (m *maker) reasoned(by Operator, why []Reason) {
	if n := len(m.all); n > 0 && m.all[n-1].Operator == by && m.all[n-1].Why == nil {
		m.all[n-1].Why = why
	}
}

// certainly is a proof that is there already.
func certainly(is bool, reason string) func() string {
	return func() string {
		if is {
			return reason
		}
		return ""
	}
}

// A role is what a SELECT is to the query around it.
type role int

const (
	whole   role = iota
	arm          // of a set operation
	derived      // in FROM or WITH
	within       // of an expression
)

// statement mutates a SELECT and all that is in it.
func (m *maker) statement(sel *pg.SelectStmt, outer *scope, as role) {
	if sel == nil || len(sel.ValuesLists) > 0 {
		return
	}
	s := m.newScope(sel, outer)
	for _, c := range sel.WithClause.GetCtes() {
		if !sel.WithClause.Recursive {
			m.statement(c.GetCommonTableExpr().Ctequery.GetSelectStmt(), s.beside(), derived)
		}
	}
	if sel.Op != pg.SetOperation_SETOP_NONE {
		m.setOperation(s)
		m.order(s, as)
		m.limit(s)
		part := within // repeated rows are taken out of the whole
		if sel.All {
			part = arm
		}
		m.statement(sel.Larg, s, part)
		m.statement(sel.Rarg, s, part)
		return
	}
	m.joins(s)
	for i := range sel.FromClause {
		m.subqueries(sel.FromClause[i], s)
	}
	m.conditions(&clause{
		scope: s, name: "WHERE", get: func() *pg.Node { return sel.WhereClause },
		set: func(n *pg.Node) { sel.WhereClause = n }, given: s.inner(nil),
	})
	m.notIn(s)
	m.onWhere(s)
	m.groupKeys(s)
	m.conditions(&clause{
		scope: s, name: "HAVING", get: func() *pg.Node { return sel.HavingClause },
		set: func(n *pg.Node) { sel.HavingClause = n },
	})
	for _, item := range sel.TargetList {
		m.expression(item.GetResTarget().Val, s, nil)
	}
	for _, item := range sel.WindowClause {
		m.window(item.GetWindowDef(), s)
	}
	m.distinct(s, as)
	m.order(s, as)
	m.limit(s)
}

// subqueries mutates what stands in FROM in place of a table.
func (m *maker) subqueries(item *pg.Node, s *scope) {
	switch n := item.Node.(type) {
	case *pg.Node_RangeSubselect:
		m.statement(n.RangeSubselect.Subquery.GetSelectStmt(), s.beside(), derived)
	case *pg.Node_JoinExpr:
		m.subqueries(n.JoinExpr.Larg, s)
		m.subqueries(n.JoinExpr.Rarg, s)
	}
}

// distinct adds DISTINCT, or leaves it out.
func (m *maker) distinct(s *scope, as role) {
	sel := s.sel
	was := sel.DistinctClause
	if as == within || m.rules.Once && as != derived {
		return
	}
	if len(was) > 0 {
		plain := was[0].Node == nil // not DISTINCT ON
		m.try(change{
			operator: Distinct, says: "leaves out DISTINCT",
			apply: func() { sel.DistinctClause = nil }, undo: func() { sel.DistinctClause = was },
			same: func() string {
				return certainly(plain && s.uniqueBy(s.outputs()...),
					"no row comes twice: a key is among the outputs")()
			},
			why: []Reason{{"no row that comes twice decides", ""}},
		})
		return
	}
	ordered := slices.ContainsFunc(sel.SortClause, func(n *pg.Node) bool { // by what is no output
		by := s.meant(n.GetSortBy().GetNode(), false)
		return !slices.ContainsFunc(s.outputs(), func(o *pg.Node) bool { return written(o) == written(by) })
	})
	if ordered {
		return
	}
	m.try(change{
		operator: Distinct, says: "adds DISTINCT",
		apply: func() { sel.DistinctClause = []*pg.Node{{}} }, undo: func() { sel.DistinctClause = was },
		same: certainly(s.uniqueBy(s.outputs()...) || s.first(),
			"no row comes twice: a key is among the outputs, or there is one row"),
		why: []Reason{{"no row that comes twice decides", ""}},
	})
}

// first tells that a SELECT gives the first row of what it orders, and no row that ties with it.
func (s *scope) first() bool {
	n := s.sel.LimitCount.GetAConst().GetIval()
	return n != nil && n.Ival == 1 && s.sel.LimitOption == pg.LimitOption_LIMIT_OPTION_COUNT && s.sel.LimitOffset == nil
}

// setOperation switches ALL.
func (m *maker) setOperation(s *scope) {
	sel := s.sel
	word := map[pg.SetOperation]string{
		pg.SetOperation_SETOP_UNION: "UNION", pg.SetOperation_SETOP_INTERSECT: "INTERSECT",
		pg.SetOperation_SETOP_EXCEPT: "EXCEPT",
	}[sel.Op]
	says := fmt.Sprintf("takes %s ALL for %s", word, word)
	if sel.All {
		says = fmt.Sprintf("takes %s for %s ALL", word, word)
	}
	if m.rules.Once {
		return
	}
	flip := func() { sel.All = !sel.All }
	m.try(change{
		operator: SetOperation, says: says, apply: flip, undo: flip,
		same: certainly(m.apart(s), "no row comes twice: each part has a key among its outputs, and they differ"),
		why:  []Reason{{"no row that comes twice decides", ""}},
	})
}

// apart tells that the parts of a set operation have no row in common, and none twice: they differ in a constant.
func (m *maker) apart(s *scope) bool {
	left, right := s.sel.Larg, s.sel.Rarg
	if left.Op != pg.SetOperation_SETOP_NONE || right.Op != pg.SetOperation_SETOP_NONE ||
		len(left.ValuesLists)+len(right.ValuesLists) > 0 {
		return false
	}
	a, b := m.newScope(left, s), m.newScope(right, s)
	l, r := a.outputs(), b.outputs()
	differ := false
	for i := range min(len(l), len(r)) {
		one, is := sqltext.Constant(l[i])
		two, also := sqltext.Constant(r[i])
		differ = differ || is && also && one != two
	}
	return differ && a.uniqueBy(l...) && b.uniqueBy(r...)
}

// limit moves LIMIT and OFFSET by one, and takes ties in or leaves them out.
func (m *maker) limit(s *scope) {
	sel := s.sel
	for _, of := range []struct {
		name string
		n    *pg.Node
	}{{"LIMIT", sel.LimitCount}, {"OFFSET", sel.LimitOffset}} {
		c := of.n.GetAConst().GetIval()
		if c == nil {
			continue
		}
		was := c.Ival
		for _, by := range []int32{1, -1} {
			if was+by < 0 || of.name == "LIMIT" && was+by == 0 {
				continue
			}
			m.try(change{
				operator: Limit, says: fmt.Sprintf("takes %s %d for %d", of.name, was+by, was),
				apply: func() { c.Ival = was + by }, undo: func() { c.Ival = was },
			})
		}
	}
	if sel.LimitCount == nil || len(sel.SortClause) == 0 {
		return
	}
	option, says := sel.LimitOption, "takes rows in that tie with the last (WITH TIES)"
	to := pg.LimitOption_LIMIT_OPTION_WITH_TIES
	if option == to {
		to, says = pg.LimitOption_LIMIT_OPTION_COUNT, "leaves out WITH TIES"
	}
	m.try(change{
		operator: Limit, says: says,
		apply: func() { sel.LimitOption = to }, undo: func() { sel.LimitOption = option },
		same: certainly(s.uniqueBy(s.sortKeys()...), "no rows tie: the order is by a key"),
		why:  []Reason{{"no row ties with the last", ""}},
	})
}

// sortKeys are what a SELECT orders by.
func (s *scope) sortKeys() (all []*pg.Node) {
	for _, n := range s.sel.SortClause {
		all = append(all, s.meant(n.GetSortBy().GetNode(), false))
	}
	return all
}
