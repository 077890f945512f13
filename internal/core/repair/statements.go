package repair

import (
	"fmt"
	"slices"

	pg "github.com/pganalyze/pg_query_go/v6"
	"google.golang.org/protobuf/proto"

	"examen/internal/core/sqltext"
)

// ChangesTowards is [Towards] for statements that change something: statements, the rows that they choose, values,
// columns, constraints.
func ChangesTowards(text, accepted string, schema sqltext.Schema) []Edit {
	if len(text) > longest || len(accepted) > longest {
		return nil
	}
	own, err := sqltext.ReadTree(text)
	if err != nil {
		return nil
	}
	other, err := sqltext.ReadTree(accepted)
	if err != nil {
		return nil
	}
	e, err := newEditor(text, own, func(sql string) error {
		_, err := sqltext.ReadStatements(sql)
		return err
	})
	if err != nil {
		return nil
	}
	s := &statements{editor: e, schema: schema, own: own, other: other}
	s.compare()
	return e.made
}

// statements compares those of two texts.
type statements struct {
	*editor
	schema     sqltext.Schema
	own, other *pg.ParseResult
}

func (s *statements) compare() {
	left, right := s.own.Stmts, s.other.Stmts
	partner := map[int]int{} // of each accepted statement, the one in the text
	taken := map[int]bool{}
	for _, same := range []func(a, b *pg.Node) bool{sameTarget, sameKind} {
		for j, o := range right {
			if _, has := partner[j]; has {
				continue
			}
			for i, l := range left {
				if !taken[i] && same(l.Stmt, o.Stmt) {
					partner[j], taken[i] = i, true
					break
				}
			}
		}
	}
	for j, o := range right {
		i, has := partner[j]
		if !has {
			at := 0 // behind the one before it
			for k := j - 1; k >= 0 && at == 0; k-- {
				if i, has := partner[k]; has {
					at = i + 1
				}
			}
			s.missing(at, o.Stmt)
			continue
		}
		s.statement(i, j)
	}
	for i, l := range left {
		if taken[i] || l.Stmt.GetSelectStmt() != nil {
			continue
		}
		s.edit(orTransaction(l.Stmt, StatementExtra), "", nil, func(tree *pg.ParseResult) {
			tree.Stmts = slices.Delete(tree.Stmts, i, i+1)
		})
	}
	for j, o := range right {
		i, has := partner[j]
		if !has || sqltext.WriteStatement(left[i].Stmt) == sqltext.WriteStatement(o.Stmt) {
			continue
		}
		s.edit(Statement, "", nil, func(tree *pg.ParseResult) { tree.Stmts[i].Stmt = clone(o.Stmt) })
	}
}

// missing puts a statement of the accepted answer in where it stands there.
func (s *statements) missing(at int, stmt *pg.Node) {
	if stmt.GetSelectStmt() != nil {
		return
	}
	s.edit(orTransaction(stmt, StatementMissing), "", nil, func(tree *pg.ParseResult) {
		made := &pg.RawStmt{Stmt: clone(stmt)}
		tree.Stmts = slices.Insert(tree.Stmts, min(at, len(tree.Stmts)), made)
	})
}

func orTransaction(stmt *pg.Node, kind Kind) Kind {
	if stmt.GetTransactionStmt() != nil {
		return Transaction
	}
	return kind
}

func sameKind(a, b *pg.Node) bool {
	return fmt.Sprintf("%T", a.Node) == fmt.Sprintf("%T", b.Node) &&
		a.GetTransactionStmt().GetKind() == b.GetTransactionStmt().GetKind()
}

func sameTarget(a, b *pg.Node) bool { return sameKind(a, b) && targetOf(a) == targetOf(b) }

// targetOf is the table that a statement changes or makes; "" of others.
func targetOf(stmt *pg.Node) string {
	switch n := stmt.Node.(type) {
	case *pg.Node_InsertStmt:
		return n.InsertStmt.Relation.Relname
	case *pg.Node_UpdateStmt:
		return n.UpdateStmt.Relation.Relname + "." + firstTarget(n.UpdateStmt.TargetList)
	case *pg.Node_DeleteStmt:
		return n.DeleteStmt.Relation.Relname
	case *pg.Node_CreateStmt:
		return n.CreateStmt.Relation.Relname
	case *pg.Node_ViewStmt:
		return n.ViewStmt.View.Relname
	}
	return ""
}

func firstTarget(targets []*pg.Node) string {
	if len(targets) == 0 {
		return ""
	}
	return targets[0].GetResTarget().GetName()
}

// statement compares two of a kind.
func (s *statements) statement(i, j int) {
	l, o := s.own.Stmts[i].Stmt, s.other.Stmts[j].Stmt
	if one, two := s.queryOf(s.own, i), s.queryOf(s.other, j); one != nil && two != nil {
		from := len(s.made)
		s.editor.compare(one, two)
		for at := range s.made[from:] {
			if e := &s.made[from+at]; l.GetUpdateStmt() != nil && e.of == one.number && e.Clause == "SELECT" {
				e.Clause = "SET"
			}
		}
	}
	switch {
	case l.GetInsertStmt() != nil:
		s.insert(i, l.GetInsertStmt(), o.GetInsertStmt())
	case l.GetCreateStmt() != nil:
		s.create(i, l.GetCreateStmt(), o.GetCreateStmt())
	}
}

// queryOf is the SELECT of a statement, or what chooses its rows as one does, with everything in it named; nil for
// none.
func (s *statements) queryOf(tree *pg.ParseResult, i int) *scope {
	tree = proto.Clone(tree).(*pg.ParseResult)
	all := selects(tree)
	if sel := selectOf(tree.Stmts[i].Stmt, all); sel != nil {
		return numbered(tree, sel, all, s.schema)[0]
	}
	return nil
}

func selectOf(stmt *pg.Node, all []selected) *pg.SelectStmt {
	var is func(sel *pg.SelectStmt) bool
	switch n := stmt.Node.(type) {
	case *pg.Node_SelectStmt:
		return n.SelectStmt
	case *pg.Node_InsertStmt:
		if sel := n.InsertStmt.SelectStmt.GetSelectStmt(); sel != nil && len(sel.ValuesLists) == 0 {
			return sel
		}
		return nil
	case *pg.Node_ViewStmt:
		return n.ViewStmt.Query.GetSelectStmt()
	case *pg.Node_UpdateStmt:
		is = func(sel *pg.SelectStmt) bool { return sel.FromClause[0].GetRangeVar() == n.UpdateStmt.Relation }
	case *pg.Node_DeleteStmt:
		is = func(sel *pg.SelectStmt) bool { return sel.FromClause[0].GetRangeVar() == n.DeleteStmt.Relation }
	default:
		return nil
	}
	for _, a := range all {
		if len(a.sel.FromClause) > 0 && is(a.sel) {
			return a.sel
		}
	}
	return nil
}

// insert compares the rows of VALUES, and ON CONFLICT.
func (s *statements) insert(i int, l, o *pg.InsertStmt) {
	of := func(tree *pg.ParseResult) *pg.InsertStmt { return tree.Stmts[i].Stmt.GetInsertStmt() }
	own, other := l.SelectStmt.GetSelectStmt().GetValuesLists(), o.SelectStmt.GetSelectStmt().GetValuesLists()
	at := columnsIn(o.Cols, l.Cols)
	for r := range min(len(own), len(other)) {
		cells, wanted := own[r].GetList().GetItems(), other[r].GetList().GetItems()
		for c, wants := range wanted {
			to := c
			if at != nil {
				to = at[c]
			}
			if to < 0 || to >= len(cells) || key(cells[to]) == key(wants) {
				continue
			}
			s.edit(Value, "VALUES", nil, func(tree *pg.ParseResult) {
				of(tree).SelectStmt.GetSelectStmt().ValuesLists[r].GetList().Items[to] = clone(wants)
			})
		}
	}
	for r := len(own); r < len(other) && len(own) > 0; r++ {
		s.edit(RowMissing, "VALUES", nil, func(tree *pg.ParseResult) {
			sel := of(tree).SelectStmt.GetSelectStmt()
			sel.ValuesLists = append(sel.ValuesLists, clone(other[r]))
		})
	}
	if len(own) > len(other) {
		for r := range own {
			s.edit(RowExtra, "VALUES", nil, func(tree *pg.ParseResult) {
				sel := of(tree).SelectStmt.GetSelectStmt()
				sel.ValuesLists = slices.Delete(sel.ValuesLists, r, r+1)
			})
		}
	}
	s.edit(Conflict, "ON CONFLICT", nil, func(tree *pg.ParseResult) {
		of(tree).OnConflictClause = o.OnConflictClause
	})
	s.edit(OtherColumn, "INSERT", nil, func(tree *pg.ParseResult) { of(tree).Cols = o.Cols })
}

// columnsIn is where each of the wanted columns is among those that are named; nil where not both are.
func columnsIn(wanted, named []*pg.Node) (at []int) {
	if len(wanted) == 0 || len(named) == 0 {
		return nil
	}
	for _, w := range wanted {
		at = append(at, slices.IndexFunc(named, func(n *pg.Node) bool {
			return n.GetResTarget().GetName() == w.GetResTarget().GetName()
		}))
	}
	return at
}

// create compares the columns and constraints of tables.
func (s *statements) create(i int, l, o *pg.CreateStmt) {
	of := func(tree *pg.ParseResult) *pg.CreateStmt { return tree.Stmts[i].Stmt.GetCreateStmt() }
	const clause = "CREATE TABLE"
	put := func(kind Kind, about []string, n *pg.Node) {
		s.edit(kind, clause, about, func(tree *pg.ParseResult) {
			of(tree).TableElts = append(of(tree).TableElts, clone(n))
		})
	}
	column := func(name string, in []*pg.Node) int {
		return slices.IndexFunc(in, func(n *pg.Node) bool {
			return n.GetColumnDef().GetColname() == name && name != ""
		})
	}
	for _, want := range o.TableElts {
		def := want.GetColumnDef()
		at := column(def.GetColname(), l.TableElts)
		switch {
		case def == nil:
			if !slices.ContainsFunc(l.TableElts, func(n *pg.Node) bool { return element(n) == element(want) }) {
				put(ConstraintLacks, nil, want)
			}
		case at < 0:
			put(ColumnMissing, nil, want)
		default:
			s.column(at, l.TableElts[at].GetColumnDef(), def, of)
		}
	}
	for at, n := range l.TableElts {
		kind := ColumnExtra
		if n.GetColumnDef() == nil {
			kind = ConstraintExtra
		}
		if kind == ColumnExtra && column(n.GetColumnDef().Colname, o.TableElts) >= 0 ||
			slices.ContainsFunc(o.TableElts, func(w *pg.Node) bool { return element(w) == element(n) }) {
			continue
		}
		s.edit(kind, clause, nil, func(tree *pg.ParseResult) {
			of(tree).TableElts = slices.Delete(of(tree).TableElts, at, at+1)
		})
	}
}

// column compares the definitions of one column: its type, and its constraints one by one.
func (s *statements) column(at int, l, o *pg.ColumnDef, of func(*pg.ParseResult) *pg.CreateStmt) {
	about := []string{l.Colname}
	def := func(tree *pg.ParseResult) *pg.ColumnDef { return of(tree).TableElts[at].GetColumnDef() }
	s.edit(Definition, "CREATE TABLE", about, func(tree *pg.ParseResult) { def(tree).TypeName = o.TypeName })
	for _, want := range o.Constraints {
		if slices.ContainsFunc(l.Constraints, func(n *pg.Node) bool { return element(n) == element(want) }) {
			continue
		}
		of := want.GetConstraint().GetContype()
		same := slices.IndexFunc(l.Constraints, func(n *pg.Node) bool { return n.GetConstraint().GetContype() == of })
		if same >= 0 {
			s.edit(Definition, "CREATE TABLE", about, func(tree *pg.ParseResult) {
				def(tree).Constraints[same] = clone(want)
			})
			continue
		}
		kind := ConstraintLacks
		if of == pg.ConstrType_CONSTR_DEFAULT {
			kind = Definition
		}
		s.edit(kind, "CREATE TABLE", about, func(tree *pg.ParseResult) {
			def(tree).Constraints = append(def(tree).Constraints, clone(want))
		})
	}
	for i, n := range l.Constraints {
		if slices.ContainsFunc(o.Constraints, func(w *pg.Node) bool {
			return w.GetConstraint().GetContype() == n.GetConstraint().GetContype()
		}) {
			continue
		}
		s.edit(ConstraintExtra, "CREATE TABLE", about, func(tree *pg.ParseResult) {
			def(tree).Constraints = slices.Delete(def(tree).Constraints, i, i+1)
		})
	}
}

// element writes a part of CREATE TABLE in one way: a column, or a constraint of a column or of the table.
func element(n *pg.Node) string {
	n = clone(n)
	if c := n.GetConstraint(); c != nil && len(c.Keys) == 0 && len(c.FkAttrs) == 0 {
		n = &pg.Node{Node: &pg.Node_ColumnDef{ColumnDef: &pg.ColumnDef{
			Colname: "c", TypeName: &pg.TypeName{Names: []*pg.Node{pg.MakeStrNode("int4")}, Typemod: -1},
			Constraints: []*pg.Node{n},
		}}}
	}
	return sqltext.WriteStatement(&pg.Node{Node: &pg.Node_CreateStmt{CreateStmt: &pg.CreateStmt{
		Relation: &pg.RangeVar{Relname: "t", Inh: true, Relpersistence: "p"}, TableElts: []*pg.Node{n},
	}}})
}
