// Package repair makes edits of a wrong query that may make it right, as a teacher tries them in the head. Each changes
// one thing: towards what an accepted answer has in the same place ([Towards]), or as the strength analysis changes an
// answer, backwards ([Around]). Which of them is right, a database tells: an edit that gives the accepted result
// everywhere proves what was wrong with the query.
//
// An accepted answer is looked at clause by clause, whatever names its writer gave (canonical.go). What comes of it are
// texts to be run: a learner is told of the place in their own query, and of the kind of mistake, and of the edit only
// where their instructor allows it.
package repair

import (
	"strings"

	pg "github.com/pganalyze/pg_query_go/v6"
	"google.golang.org/protobuf/proto"
	"google.golang.org/protobuf/reflect/protoreflect"

	"examen/internal/core/dataset"
	"examen/internal/core/mutation"
	"examen/internal/core/sqltext"
)

// An Edit is a query with one thing changed.
type Edit struct {
	Kind   Kind
	Clause string // in which the change is, such as WHERE
	// About are columns that the change is about, as far as a learner may be told.
	About []string
	// Change is the edit in the query's own text, of which it replaces the bytes from Start to End.
	Change     mutation.Edit
	Start, End int

	of int // the number of the SELECT that it is in; -1 for none
}

// SQL is the edited query.
func (e Edit) SQL() string { return e.Change.Before + e.Change.Is + e.Change.After }

// put is what stands in the query from Start to End once it is edited.
func (e Edit) put(text string) string {
	sql := e.SQL()
	return sql[e.Start : len(sql)-(len(text)-e.End)]
}

// With is the query of a text with another edit of it besides; false where both change the same place.
func (e Edit) With(other Edit, text string) (sql string, ok bool) {
	first, second := e, other
	if first.Start > second.Start {
		first, second = second, first
	}
	if first.Start < 0 || first.End > second.Start {
		return "", false
	}
	between := text[first.End:second.Start]
	return text[:first.Start] + first.put(text) + between + second.put(text) + text[second.End:], true
}

// newEdit places a change in the text of a query. Where it is no change of that text, but of the query written anew,
// Start is -1.
func newEdit(kind Kind, about []string, change mutation.Edit, text string) Edit {
	e := Edit{Kind: kind, About: about, Change: change, Start: -1, Clause: clauseOf(change)}
	before, after := strings.TrimRight(change.Before, space), strings.TrimLeft(change.After, space)
	if strings.HasPrefix(text, before) && strings.HasSuffix(text, after) && len(before)+len(after) <= len(text) {
		e.Start, e.End = len(before), len(text)-len(after)
	}
	return e
}

const space = " \t\r\n"

// Kind is a kind of mistake.
type Kind string

// The kinds.
const (
	Condition        Kind = "condition"         // a condition is not the one that is asked for
	ConditionMissing Kind = "condition-missing" //
	ConditionExtra   Kind = "condition-extra"   //
	Comparison       Kind = "comparison"        // < for >, = for <>
	Bound            Kind = "bound"             // < for <=
	Value            Kind = "value"             // what is compared with
	Pattern          Kind = "pattern"           // of LIKE
	LetterCase       Kind = "letter-case"       // capital and small letters
	Wildcard         Kind = "equals-wildcard"   // = with a pattern
	Null             Kind = "equals-null"       // = NULL, = 'NULL', = ''
	NullTest         Kind = "null-test"         // < or > where it is asked whether there is a value
	Negation         Kind = "negation"          //
	AndOr            Kind = "and-or"            // AND for OR, or parentheses around them
	AlternativeExtra Kind = "alternative-extra" // one of the conditions joined by OR
	AlternativeLacks Kind = "alternative-missing"
	Itself           Kind = "compared-with-itself" // in a subquery: the outer table's column is meant
	NotIn            Kind = "not-in-null"          // a NULL among the values of NOT IN
	OtherColumn      Kind = "column"               // another column is meant
	JoinKey          Kind = "join-key"             //
	JoinTurned       Kind = "join-turned"          // the foreign key of the other table
	JoinMissing      Kind = "join-condition"       // tables side by side
	JoinInner        Kind = "inner-join"           // an inner join, and rows without a partner are asked for
	JoinOuter        Kind = "outer-join"           // the other way round
	JoinSide         Kind = "outer-join-side"      // RIGHT for LEFT
	OnWhere          Kind = "on-where"             // a condition in WHERE that belongs to ON, or the other way round
	WhereHaving      Kind = "where-for-having"     //
	TableMissing     Kind = "table-missing"        //
	TableExtra       Kind = "table-extra"          //
	OtherTable       Kind = "table"                //
	GroupMissing     Kind = "group-column"         //
	GroupExtra       Kind = "group-split"          //
	OtherGroup       Kind = "group"                //
	NotGrouped       Kind = "not-grouped"          // single rows where groups are asked for
	Aggregate        Kind = "aggregate"            // the other aggregate
	AggregateMissing Kind = "aggregate-missing"    // a value of single rows where one of several is asked for
	CountRows        Kind = "count-column"         // count(column) where rows are counted
	CountValues      Kind = "count-star"           // count(*) where values are
	CountDistinct    Kind = "count-distinct"       // with DISTINCT or without
	Filter           Kind = "filter"               //
	Window           Kind = "window"               // PARTITION BY, ORDER BY or frame of a window
	Function         Kind = "function"             // another function
	Expression       Kind = "expression"           // something is computed otherwise
	Rounding         Kind = "rounding"             //
	Case             Kind = "case"                 //
	OutputMissing    Kind = "output-missing"       //
	OutputExtra      Kind = "output-extra"         //
	OutputOrder      Kind = "output-order"         //
	DistinctMissing  Kind = "distinct-missing"     //
	DistinctExtra    Kind = "distinct-unwanted"    //
	SetOperation     Kind = "set-operation"        //
	All              Kind = "all"                  // UNION for UNION ALL, or the other way round
	Direction        Kind = "sort-direction"       // DESC for ASC
	NotSorted        Kind = "order-by-missing"     //
	OrderKey         Kind = "order-key"            //
	NullsPlace       Kind = "nulls-place"          //
	Limit            Kind = "limit"                //
	StatementMissing Kind = "statement-missing"    //
	StatementExtra   Kind = "statement-extra"      //
	Statement        Kind = "statement"            // several things in it
	RowMissing       Kind = "row-missing"          // of VALUES
	RowExtra         Kind = "row-extra"            //
	Conflict         Kind = "conflict"             // ON CONFLICT
	ColumnMissing    Kind = "column-missing"       // of a table that is made
	ColumnExtra      Kind = "column-extra"         //
	Definition       Kind = "definition"           // of a column: its type, or what it takes
	ConstraintLacks  Kind = "constraint-missing"
	ConstraintExtra  Kind = "constraint-extra"
	Transaction      Kind = "transaction" // BEGIN, COMMIT, ROLLBACK
	Clause           Kind = "clause"      // several things in a clause
)

// longest is how long a query may be, in bytes, of which edits are made.
const longest = 10_000

// An editor makes edits of one text.
type editor struct {
	written string // as its writer has it
	tree    func() *pg.ParseResult
	reads   func(sql string) error // what comes of an edit
	text    *mutation.Text
	seen    map[string]bool
	made    []Edit
}

func newEditor(text string, tree *pg.ParseResult, reads func(sql string) error) (*editor, error) {
	base, err := sqltext.WriteTree(tree)
	if err != nil {
		return nil, err
	}
	return &editor{
		written: text, tree: func() *pg.ParseResult { return proto.Clone(tree).(*pg.ParseResult) }, reads: reads,
		text: mutation.NewText(text, base), seen: map[string]bool{base: true},
	}, nil
}

// Towards makes edits of a query towards an accepted answer. A query that is too long, or cannot be written again, has
// none.
func Towards(q, accepted *sqltext.Query, schema sqltext.Schema) []Edit {
	if len(q.Text) > longest || len(accepted.Text) > longest {
		return nil
	}
	e, err := newEditor(q.Text, q.Tree(), func(sql string) error {
		_, err := sqltext.ReadQuery(sql)
		return err
	})
	if err != nil {
		return nil
	}
	own, other := named(q.Tree(), schema), named(accepted.Tree(), schema)
	e.compare(own[0], other[0])
	return e.made
}

// named names everything in a query and returns its SELECTs, each with its number in the tree.
func named(tree *pg.ParseResult, schema sqltext.Schema) []*scope {
	return numbered(tree, tree.Stmts[0].Stmt.GetSelectStmt(), selects(tree), schema)
}

// numbered names everything in one of a tree's SELECTs, and returns it with those within it.
func numbered(tree *pg.ParseResult, sel *pg.SelectStmt, all []selected, schema sqltext.Schema) []*scope {
	numbers := map[*pg.SelectStmt]int{}
	for i, s := range all {
		numbers[s.sel] = i
	}
	scopes := canonical(sel, schema)
	sqltext.Walk(tree, func(m any) { withoutPlace(m.(proto.Message).ProtoReflect()) })
	for _, s := range scopes {
		number, known := numbers[s.sel]
		s.number = number
		if !known {
			s.number = -1
		}
	}
	return scopes
}

// withoutPlace clears where in the text a part of a tree stands, so that two that are alike are equal.
func withoutPlace(m protoreflect.Message) {
	if field := m.Descriptor().Fields().ByName("location"); field != nil {
		m.Clear(field)
	}
}

// A selected is a SELECT, or what chooses the rows of an UPDATE or a DELETE as one does; then back puts it back there.
type selected struct {
	sel  *pg.SelectStmt
	back func()
}

// selects are all of a tree.
func selects(tree *pg.ParseResult) (all []selected) {
	sqltext.Walk(tree, func(m any) {
		switch n := m.(type) {
		case *pg.SelectStmt:
			all = append(all, selected{n, func() {}})
		case *pg.UpdateStmt:
			sel := choosing(n.Relation, n.FromClause, n.WhereClause)
			sel.TargetList = n.TargetList
			all = append(all, selected{sel, func() { n.TargetList, n.WhereClause = sel.TargetList, sel.WhereClause }})
		case *pg.DeleteStmt:
			sel := choosing(n.Relation, n.UsingClause, n.WhereClause)
			all = append(all, selected{sel, func() { n.WhereClause = sel.WhereClause }})
		}
	})
	return all
}

func choosing(from *pg.RangeVar, further []*pg.Node, where *pg.Node) *pg.SelectStmt {
	tables := append([]*pg.Node{{Node: &pg.Node_RangeVar{RangeVar: from}}}, further...)
	return &pg.SelectStmt{
		FromClause: tables, WhereClause: where, Op: pg.SetOperation_SETOP_NONE,
		LimitOption: pg.LimitOption_LIMIT_OPTION_DEFAULT,
	}
}

// change makes an edit of one SELECT of the text. It makes none where nothing is changed, or what comes of it cannot be
// read or was made before.
func (e *editor) change(kind Kind, clause string, about []string, of *scope, change func(sel *pg.SelectStmt)) {
	before := len(e.made)
	e.edit(kind, clause, about, func(tree *pg.ParseResult) {
		if all := selects(tree); of.number >= 0 && of.number < len(all) {
			change(all[of.number].sel)
			all[of.number].back()
		}
	})
	if len(e.made) > before {
		e.made[before].of = of.number
	}
}

// edit is change for all of the text.
func (e *editor) edit(kind Kind, clause string, about []string, change func(tree *pg.ParseResult)) {
	tree := e.tree()
	change(tree)
	sql, err := sqltext.WriteTree(tree)
	if err != nil || e.seen[sql] {
		return
	}
	e.seen[sql] = true
	if e.reads(sql) != nil {
		return
	}
	made := newEdit(kind, about, e.text.Edit(sql), e.written)
	made.Clause = clause
	e.made = append(e.made, made)
}

// Around makes edits of a query as the strength analysis changes an answer.
func Around(q *sqltext.Query, tables *dataset.Catalogue, rules mutation.Rules) (all []Edit) {
	if len(q.Text) > longest {
		return nil
	}
	for _, m := range mutation.Make(q, tables, rules) {
		if kind := ofOperator(m); kind != "" && m.Same == "" {
			all = append(all, newEdit(kind, nil, m.Edit, q.Text))
		}
	}
	return all
}

// ofOperator is the kind of mistake that an operator of the strength analysis mends; "" for one that no learner makes.
func ofOperator(m mutation.Mutation) Kind {
	without := strings.TrimSpace(m.Edit.Is) == ""
	is, was := strings.ToUpper(m.Edit.Is), strings.ToUpper(m.Edit.Was)
	switch m.Operator {
	case mutation.Condition:
		if without {
			return ConditionExtra
		}
		return Condition
	case mutation.JoinKind:
		if sided(was) && sided(is) {
			return JoinSide
		}
		if strings.Contains(is, "LEFT") || strings.Contains(is, "RIGHT") || strings.Contains(is, "FULL") {
			return JoinInner
		}
		return JoinOuter
	case mutation.Distinct:
		if strings.Contains(is, "DISTINCT") && !strings.Contains(was, "DISTINCT") {
			return DistinctMissing
		}
		return DistinctExtra
	case mutation.GroupKey:
		if without {
			return GroupExtra
		}
		return OtherGroup
	case mutation.Aggregate:
		if strings.Contains(was+is, "DISTINCT") {
			return CountDistinct
		}
		return Aggregate
	case mutation.OrderKey:
		return OrderKey
	}
	return operators[m.Operator]
}

// sided tells of an outer join that keeps the rows of one side.
func sided(join string) bool {
	return strings.Contains(join, "LEFT") || strings.Contains(join, "RIGHT")
}

// operators are the kinds of the others. LIMIT is none of them: what stands there is known from the accepted answer.
var operators = map[mutation.Operator]Kind{
	mutation.Comparison: Comparison, mutation.Bound: Bound, mutation.Negation: Negation, mutation.AndOr: AndOr,
	mutation.Pattern: Pattern, mutation.NullTest: Null, mutation.JoinCondition: JoinKey, mutation.JoinKey: JoinKey,
	mutation.OnWhere: OnWhere, mutation.SetOperation: All, mutation.Filter: Filter,
	mutation.OrderDirection: Direction, mutation.NullsPlace: NullsPlace,
	mutation.Window: Window, mutation.Column: OtherColumn, mutation.Arithmetic: Expression, mutation.NotIn: NotIn,
	mutation.Case: Case, mutation.Rounding: Rounding, mutation.Function: Function,
}

// clauseOf is the clause that a change is in: the one that it begins, or the one in which the text before it ends.
func clauseOf(change mutation.Edit) string {
	for _, changed := range []string{change.Was, change.Is} {
		switch word, _, _ := strings.Cut(strings.ToUpper(strings.TrimSpace(changed)), " "); word {
		case "WHERE", "HAVING", "LIMIT", "OFFSET":
			return word
		case "GROUP", "ORDER":
			return word + " BY"
		}
	}
	return clauseAt(change.Before)
}

// clauseAt is the clause in which a text goes on.
func clauseAt(before string) string {
	clause, depth := "SELECT", 0
	tokens := sqltext.Tokens(before)
	for i := len(tokens) - 1; i >= 0; i-- { // the last word that begins a clause, on this level
		word := tokens[i].Text
		switch word {
		case ")":
			depth++
		case "(":
			depth = max(0, depth-1)
		}
		if depth > 0 {
			continue
		}
		switch word {
		case "select", "from", "where", "having", "limit", "offset", "on":
			return strings.ToUpper(word)
		case "by":
			if i > 0 {
				return strings.ToUpper(tokens[i-1].Text) + " BY"
			}
		case "join":
			return "FROM"
		case "union", "except", "intersect":
			return strings.ToUpper(word)
		}
	}
	return clause
}

// A Writer shows edited queries as edits of one query's text.
type Writer struct {
	query *sqltext.Query
	text  *mutation.Text
}

// NewWriter writes edits of a query; of one that cannot be written again, they are none.
func NewWriter(q *sqltext.Query) Writer {
	base, err := sqltext.WriteTree(q.Tree())
	if err != nil || len(q.Text) > longest {
		return Writer{}
	}
	return Writer{q, mutation.NewText(q.Text, base)}
}

// Edit is the edit that makes a query of the writer's.
func (w Writer) Edit(kind Kind, sql string) Edit {
	if w.text == nil {
		return Edit{Kind: kind, Change: mutation.Edit{Is: sql}, Start: -1}
	}
	return newEdit(kind, nil, w.text.Edit(sql), w.query.Text)
}
