package mutation

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	pg "github.com/pganalyze/pg_query_go/v6"

	"examen/internal/core/dataset"
	"examen/internal/core/sqltext"
)

// The operators of answers that change something, besides those of the queries and conditions within them.
const (
	Statement  Operator = "statement"
	Value      Operator = "value"
	Target     Operator = "target"
	Constraint Operator = "constraint"
	Action     Operator = "action"
	Conflict   Operator = "conflict"
	Commit     Operator = "commit"
)

// MakeChanges makes the mutations of an answer that changes something: statements left out, conditions dropped, values
// changed, columns mixed up, constraints left out; and what [Make] does to the queries and conditions within it. A text
// that cannot be written again has none.
func MakeChanges(text string, tables *dataset.Catalogue) []Mutation {
	if len(text) > longestAnswer {
		return nil
	}
	tree, err := sqltext.ReadTree(text)
	if err != nil {
		return nil
	}
	base, err := sqltext.WriteTree(tree)
	if err != nil {
		return nil
	}
	m := &maker{tree: tree, catalogue: tables, seen: map[string]bool{base: true}, provable: provable(tree)}
	m.reads = func(sql string) error {
		_, err := sqltext.ReadStatements(sql)
		return err
	}
	m.text = NewText(text, base)
	m.leftOutStatements()
	for _, raw := range m.tree.Stmts {
		m.changing(raw.Stmt)
	}
	return m.all
}

// leftOutStatements leaves out each statement that changes something, and rolls back what is committed.
func (m *maker) leftOutStatements() {
	all := m.tree.Stmts
	for i, raw := range all {
		if end := raw.Stmt.GetTransactionStmt(); end != nil {
			if end.Kind == pg.TransactionStmtKind_TRANS_STMT_COMMIT {
				m.try(change{
					operator: Commit, says: "rolls back what should be committed",
					apply: func() { end.Kind = pg.TransactionStmtKind_TRANS_STMT_ROLLBACK },
					undo:  func() { end.Kind = pg.TransactionStmtKind_TRANS_STMT_COMMIT },
				})
			}
			continue
		}
		if len(all) == 1 || raw.Stmt.GetSelectStmt() != nil {
			continue
		}
		m.try(change{
			operator: Statement, says: fmt.Sprintf("leaves out statement %d", i+1),
			apply: func() { m.tree.Stmts = slices.Delete(slices.Clone(all), i, i+1) },
			undo:  func() { m.tree.Stmts = all },
		})
	}
}

// changing mutates one statement.
func (m *maker) changing(stmt *pg.Node) {
	switch n := stmt.Node.(type) {
	case *pg.Node_UpdateStmt:
		u := n.UpdateStmt
		s := m.rowsOf(u.Relation, u.FromClause)
		m.conditions(&clause{
			scope: s, name: "WHERE", get: func() *pg.Node { return u.WhereClause },
			set: func(c *pg.Node) { u.WhereClause = c }, given: s.inner(nil),
		})
		m.notIn(s)
		m.targets(u.Relation, u.TargetList)
		for _, target := range u.TargetList {
			m.written(target.GetResTarget().Val)
			m.expression(target.GetResTarget().Val, s, nil)
		}
	case *pg.Node_DeleteStmt:
		d := n.DeleteStmt
		s := m.rowsOf(d.Relation, d.UsingClause)
		m.conditions(&clause{
			scope: s, name: "WHERE", get: func() *pg.Node { return d.WhereClause },
			set: func(c *pg.Node) { d.WhereClause = c }, given: s.inner(nil),
		})
	case *pg.Node_InsertStmt:
		m.inserting(n.InsertStmt)
	case *pg.Node_MergeStmt:
		m.merging(n.MergeStmt)
	case *pg.Node_CreateStmt:
		m.defining(n.CreateStmt)
	case *pg.Node_ViewStmt:
		m.statement(n.ViewStmt.Query.GetSelectStmt(), nil, whole)
	case *pg.Node_CreateTableAsStmt:
		m.statement(n.CreateTableAsStmt.Query.GetSelectStmt(), nil, whole)
	case *pg.Node_AlterTableStmt:
		m.parts(Statement, "part", &n.AlterTableStmt.Cmds)
		for _, cmd := range n.AlterTableStmt.Cmds {
			if k := cmd.GetAlterTableCmd().GetDef().GetConstraint(); k != nil {
				m.within(n.AlterTableStmt.Relation, k)
			}
			if column := cmd.GetAlterTableCmd().GetDef().GetColumnDef(); column != nil {
				m.constraintsOf(n.AlterTableStmt.Relation, &column.Constraints, " of "+column.Colname, false)
			}
		}
	}
}

// rowsOf is the scope of a statement on a table, with what stands beside it.
func (m *maker) rowsOf(table *pg.RangeVar, beside []*pg.Node) *scope {
	from := append([]*pg.Node{{Node: &pg.Node_RangeVar{RangeVar: table}}}, beside...)
	return m.newScope(&pg.SelectStmt{FromClause: from}, nil)
}

func (m *maker) inserting(n *pg.InsertStmt) {
	if sel := n.SelectStmt.GetSelectStmt(); sel != nil {
		for _, row := range sel.ValuesLists {
			for _, value := range row.GetList().GetItems() {
				m.written(value)
			}
		}
		for _, item := range sel.TargetList {
			m.written(item.GetResTarget().GetVal())
		}
		if len(sel.ValuesLists) > 1 {
			rows := sel.ValuesLists
			for i := range rows {
				m.try(change{
					operator: Value, says: fmt.Sprintf("leaves out row %d", i+1),
					apply: func() { sel.ValuesLists = slices.Delete(slices.Clone(rows), i, i+1) },
					undo:  func() { sel.ValuesLists = rows },
				})
			}
		}
		m.statement(sel, nil, whole)
	}
	for i := 0; i+1 < len(n.Cols); i++ { // two columns that are next to each other
		m.try(change{
			operator: Target, says: fmt.Sprintf("mixes up the columns %s and %s", n.Cols[i].GetResTarget().Name,
				n.Cols[i+1].GetResTarget().Name),
			apply: func() { n.Cols[i], n.Cols[i+1] = n.Cols[i+1], n.Cols[i] },
			undo:  func() { n.Cols[i], n.Cols[i+1] = n.Cols[i+1], n.Cols[i] },
		})
	}
	if was := n.OnConflictClause; was != nil {
		m.try(change{
			operator: Conflict, says: "leaves out ON CONFLICT",
			apply: func() { n.OnConflictClause = nil }, undo: func() { n.OnConflictClause = was },
		})
		if was.Action == pg.OnConflictAction_ONCONFLICT_UPDATE {
			m.try(change{
				operator: Conflict, says: "does nothing on a conflict",
				apply: func() {
					n.OnConflictClause = &pg.OnConflictClause{Action: pg.OnConflictAction_ONCONFLICT_NOTHING,
						Infer: was.Infer}
				},
				undo: func() { n.OnConflictClause = was },
			})
		}
	}
}

// merging mutates the condition by which a MERGE finds rows, and what it does with them.
func (m *maker) merging(n *pg.MergeStmt) {
	s := m.rowsOf(n.Relation, []*pg.Node{n.SourceRelation})
	m.conditions(&clause{
		scope: s, name: "ON", get: func() *pg.Node { return n.JoinCondition },
		set: func(c *pg.Node) { n.JoinCondition = c },
	})
	m.parts(Conflict, "WHEN clause", &n.MergeWhenClauses)
	for _, item := range n.MergeWhenClauses {
		when := item.GetMergeWhenClause()
		m.conditions(&clause{
			scope: s, name: "WHEN", get: func() *pg.Node { return when.Condition },
			set: func(c *pg.Node) { when.Condition = c }, given: []*pg.Node{n.JoinCondition},
		})
		if when.CommandType == pg.CmdType_CMD_UPDATE {
			m.targets(n.Relation, when.TargetList)
			for _, target := range when.TargetList {
				m.written(target.GetResTarget().Val)
				m.expression(target.GetResTarget().Val, s, nil)
			}
		}
		for _, value := range when.Values {
			m.written(value)
		}
	}
}

// parts leaves out each part of a statement that has several.
func (m *maker) parts(o Operator, word string, list *[]*pg.Node) {
	all := *list
	for i := range all {
		if len(all) > 1 {
			m.try(change{
				operator: o, says: fmt.Sprintf("leaves out %s %d", word, i+1),
				apply: func() { *list = slices.Delete(slices.Clone(all), i, i+1) }, undo: func() { *list = all },
			})
		}
	}
}

// targets has another column of the table's set.
func (m *maker) targets(table *pg.RangeVar, list []*pg.Node) {
	known := m.catalogue.Table(table.Relname)
	if known == nil {
		return
	}
	for _, item := range list {
		target := item.GetResTarget()
		own := known.Column(target.Name)
		for _, other := range known.Columns {
			if own == nil || other.Name == target.Name || other.Type != own.Type {
				continue
			}
			was := target.Name
			m.try(change{
				operator: Target, says: fmt.Sprintf("sets %s for %s", other.Name, was),
				apply: func() { target.Name = other.Name }, undo: func() { target.Name = was },
			})
			break // one of them
		}
	}
}

// written changes a value that is written as it stands.
func (m *maker) written(n *pg.Node) {
	value, ok := sqltext.Constant(n)
	if !ok {
		if b := n.GetAConst().GetBoolval(); b != nil {
			m.try(change{
				operator: Value, says: fmt.Sprintf("writes %v for %v", !b.Boolval, b.Boolval),
				apply: func() { b.Boolval = !b.Boolval }, undo: func() { b.Boolval = !b.Boolval },
			})
		}
		return
	}
	for n.GetTypeCast() != nil {
		n = n.GetTypeCast().Arg
	}
	c := n.GetAConst()
	switch {
	case c.GetIval() != nil:
		i := c.GetIval()
		m.try(change{
			operator: Value, says: fmt.Sprintf("writes %d for %s", i.Ival+1, value),
			apply: func() { i.Ival++ }, undo: func() { i.Ival-- },
		})
	case c.GetFval() != nil:
		f := c.GetFval()
		if number, err := strconv.ParseFloat(f.Fval, 64); err == nil {
			was := f.Fval
			m.try(change{
				operator: Value, says: fmt.Sprintf("writes another number for %s", value),
				apply: func() { f.Fval = strconv.FormatFloat(number+1, 'f', -1, 64) }, undo: func() { f.Fval = was },
			})
		}
	case c.GetSval() != nil:
		s := c.GetSval()
		was := s.Sval
		m.try(change{
			operator: Value, says: fmt.Sprintf("writes another text for '%s'", was),
			apply: func() { s.Sval = anotherText(was) }, undo: func() { s.Sval = was },
		})
	}
}

// anotherText is another text of the same kind: a day is the next one.
func anotherText(text string) string {
	if day, err := parseDay(text); err == nil {
		return day
	}
	return strings.TrimSpace(text) + "x"
}

// defining leaves out what a table's definition demands.
func (m *maker) defining(n *pg.CreateStmt) {
	for _, item := range n.TableElts {
		if column := item.GetColumnDef(); column != nil {
			m.constraintsOf(n.Relation, &column.Constraints, " of "+column.Colname, inKey(n, column.Colname))
		}
	}
	all := n.TableElts
	for i, item := range all {
		k := item.GetConstraint()
		if k == nil {
			continue
		}
		m.try(change{
			operator: Constraint, says: "leaves out the " + constraintWords[k.Contype],
			apply: func() { n.TableElts = slices.Delete(slices.Clone(all), i, i+1) },
			undo:  func() { n.TableElts = all },
		})
		m.within(n.Relation, k)
	}
}

var constraintWords = map[pg.ConstrType]string{
	pg.ConstrType_CONSTR_PRIMARY: "primary key", pg.ConstrType_CONSTR_FOREIGN: "foreign key",
	pg.ConstrType_CONSTR_UNIQUE: "unique constraint", pg.ConstrType_CONSTR_CHECK: "check",
	pg.ConstrType_CONSTR_NOTNULL: "NOT NULL", pg.ConstrType_CONSTR_DEFAULT: "default",
	pg.ConstrType_CONSTR_GENERATED: "expression", pg.ConstrType_CONSTR_IDENTITY: "numbering",
}

// inKey tells whether a column is part of a primary key that a table's definition ends with.
func inKey(n *pg.CreateStmt, column string) bool {
	return slices.ContainsFunc(n.TableElts, func(item *pg.Node) bool {
		k := item.GetConstraint()
		return k.GetContype() == pg.ConstrType_CONSTR_PRIMARY && slices.ContainsFunc(k.Keys, func(key *pg.Node) bool {
			return key.GetString_().GetSval() == column
		})
	})
}

// constraintsOf leaves out each constraint of a column; key tells that it is part of a primary key anyway.
func (m *maker) constraintsOf(table *pg.RangeVar, list *[]*pg.Node, of string, key bool) {
	all := *list
	for i, item := range all {
		k := item.GetConstraint()
		word := constraintWords[k.GetContype()]
		if word == "" {
			continue
		}
		same := func() string { // a key takes no NULL anyway
			if k.Contype == pg.ConstrType_CONSTR_NOTNULL && (key || slices.ContainsFunc(all, func(n *pg.Node) bool {
				return n.GetConstraint().GetContype() == pg.ConstrType_CONSTR_PRIMARY
			})) {
				return "a primary key takes no NULL"
			}
			return ""
		}
		m.try(change{
			operator: Constraint, says: "leaves out the " + word + of, same: same,
			apply: func() { *list = slices.Delete(slices.Clone(all), i, i+1) }, undo: func() { *list = all },
		})
		m.within(table, k)
		if k.Contype == pg.ConstrType_CONSTR_DEFAULT {
			m.written(k.RawExpr)
		}
	}
}

// within changes what a constraint says: the condition of a check, and what a foreign key does.
func (m *maker) within(table *pg.RangeVar, k *pg.Constraint) {
	if k.Contype == pg.ConstrType_CONSTR_CHECK {
		m.expression(k.RawExpr, m.rowsOf(table, nil), nil)
	}
	m.action(k)
}

// action changes what a foreign key does.
func (m *maker) action(k *pg.Constraint) {
	if k.Contype != pg.ConstrType_CONSTR_FOREIGN {
		return
	}
	for _, does := range []struct {
		what string
		of   *string
	}{{"removed", &k.FkDelAction}, {"changed", &k.FkUpdAction}} {
		was := *does.of
		if was == "" || was == "a" {
			continue
		}
		m.try(change{
			operator: Action, says: "leaves out what the foreign key does when a row is " + does.what,
			apply: func() { *does.of = "a" }, undo: func() { *does.of = was },
		})
	}
}

// parseDay is the day after one that is written as a date; the error is that of a text that is none.
func parseDay(text string) (string, error) {
	day, err := time.Parse(time.DateOnly, text)
	if err != nil {
		return "", err
	}
	return day.AddDate(0, 0, 1).Format(time.DateOnly), nil
}
