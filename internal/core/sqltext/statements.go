package sqltext

import (
	"fmt"
	"slices"
	"strings"

	pg "github.com/pganalyze/pg_query_go/v6"
)

// A Statement is one statement of a text that may change something.
type Statement struct {
	Text string // without the semicolon
	// Start is where Text begins in the text that was read, in bytes.
	Start int
	// Reads tells that it is a query that changes nothing, as far as its text says.
	Reads bool
	// Grows tells that it may take room, and can be taken back together with the transaction that it runs in.
	Grows bool
	// Makes is what it makes of a query's rows, "table" or "materialized view": the database counts only the rows.
	Makes string
	// Defines tells that it may define something.
	Defines bool
	// Ends tells that it ends a transaction, or may do so inside.
	Ends bool

	node *pg.Node
}

// MostStatements is how many statements a text may hold.
const MostStatements = 500

const notAStatement = "This statement is not available here"

// ReadStatements reads a text of statements that run one after the other in a copy of a dataset. The error is a
// *SyntaxError, or a *NotAllowed for no statement, too many, or one that acts beyond the copy.
func ReadStatements(text string) ([]Statement, error) {
	tree, err := parse(text)
	if err != nil {
		return nil, syntaxError(text, err)
	}
	if len(tree.Stmts) == 0 {
		what := "is empty"
		if strings.TrimSpace(text) != "" {
			what = "holds nothing but comments"
		}
		return nil, &NotAllowed{
			Title: "There is no statement", Detail: "The text " + what +
				": write one statement or more, such as UPDATE ...",
			Place: PlaceAt(text, 0),
		}
	}
	if len(tree.Stmts) > MostStatements {
		return nil, &NotAllowed{
			Title: "There are too many statements",
			Detail: fmt.Sprintf("At most %d are expected in one text, and this has %d: run a part at a time.",
				MostStatements, len(tree.Stmts)),
			Place: PlaceAt(text, int(tree.Stmts[MostStatements].StmtLocation)),
		}
	}
	var all []Statement
	for _, raw := range tree.Stmts {
		s, err := readStatement(text, raw)
		if err != nil {
			return nil, err
		}
		all = append(all, s)
	}
	return all, nil
}

func readStatement(text string, raw *pg.RawStmt) (Statement, error) {
	start, end := int(raw.StmtLocation), len(text)
	if raw.StmtLen > 0 {
		end = start + int(raw.StmtLen)
	}
	start += leading(text[start:])
	if why := beyondCopy(raw.Stmt); why != "" {
		return Statement{}, &NotAllowed{Title: notAStatement, Detail: why, Place: PlaceAt(text, start)}
	}
	if what, at := forbidden(raw.Stmt); what != "" {
		return Statement{}, &NotAllowed{
			Title:  "Not available to learners",
			Detail: fmt.Sprintf("In a learner's statement %s is not available: leave it out.", what),
			Place:  PlaceAt(text, int(at)),
		}
	}
	if number, at := placeholder(raw.Stmt); number > 0 && raw.Stmt.GetPrepareStmt() == nil {
		return Statement{}, &SyntaxError{
			Message: fmt.Sprintf("there is no parameter $%d", number), Place: PlaceAt(text, int(at)),
		}
	}
	s := Statement{Text: text[start:end], Start: start, node: raw.Stmt}
	s.Reads = effect(raw.Stmt) == ""
	s.Grows, s.Ends, s.Makes = grows(raw.Stmt), mayEnd(raw.Stmt), makes(raw.Stmt)
	s.Defines = defines(raw.Stmt)
	return s, nil
}

// Changes tells whether an answer changes something: then it is checked by what it leaves, and not by its rows.
func Changes(text string) bool {
	if _, err := ReadQuery(text); err == nil {
		return false
	}
	statements, err := ReadStatements(text)
	return err == nil && slices.ContainsFunc(statements, func(s Statement) bool { return !s.Reads })
}

// BrokenBy returns the rules that statements break together, as [Query.Broken] does of a query.
func BrokenBy(statements []Statement, require, forbid []string) []Rule {
	if len(require)+len(forbid) == 0 {
		return nil
	}
	return broken(UsesOf(statements), require, forbid)
}

// UsesOf returns the constructs of statements, as [Query.Uses] does of a query.
func UsesOf(statements []Statement) map[string]bool {
	used := map[string]bool{}
	for _, s := range statements {
		for construct := range uses(s.node.ProtoReflect()) {
			used[construct] = true
		}
	}
	return used
}

// BeyondBy finds what statements use besides the database's tables, as [Query.Beyond] does of a query.
func BeyondBy(text string, statements []Statement) *NotAllowed {
	for _, s := range statements {
		if refusal := beyond(s.node, text); refusal != nil {
			return refusal
		}
	}
	return nil
}

// A Change is a statement that changes or removes rows of a table.
type Change struct {
	Table string // as the statement names it, without its schema
	Verb  string // UPDATE or DELETE
	All   bool   // it has no condition, and takes every row
}

// Subject names what the last statement of a text does, by its verb, and to which table, without what it says; "" for
// what cannot be named so.
func Subject(text string) (verb, table string) {
	tree, err := parse(text)
	if err != nil || len(tree.Stmts) == 0 {
		return "", ""
	}
	switch n := tree.Stmts[len(tree.Stmts)-1].Stmt.Node.(type) {
	case *pg.Node_InsertStmt:
		return "INSERT", n.InsertStmt.Relation.GetRelname()
	case *pg.Node_UpdateStmt:
		return "UPDATE", n.UpdateStmt.Relation.GetRelname()
	case *pg.Node_DeleteStmt:
		return "DELETE", n.DeleteStmt.Relation.GetRelname()
	case *pg.Node_MergeStmt:
		return "MERGE", n.MergeStmt.Relation.GetRelname()
	case *pg.Node_SelectStmt:
		return "SELECT", ""
	}
	return "", ""
}

// ChangesRows lists the statements that change or remove rows.
func ChangesRows(statements []Statement) []Change {
	var all []Change
	for _, s := range statements {
		walk(s.node.ProtoReflect(), func(m any) {
			switch n := m.(type) {
			case *pg.UpdateStmt:
				all = append(all, Change{n.Relation.GetRelname(), "UPDATE", n.WhereClause == nil &&
					len(n.FromClause) == 0})
			case *pg.DeleteStmt:
				all = append(all, Change{n.Relation.GetRelname(), "DELETE", n.WhereClause == nil &&
					len(n.UsingClause) == 0})
			case *pg.TruncateStmt:
				for _, r := range n.Relations {
					all = append(all, Change{r.GetRangeVar().GetRelname(), "TRUNCATE", true})
				}
			}
		})
	}
	return all
}

// An Unconditional is a text of statements of which one has lost its condition.
type Unconditional struct{ Verb, Table, Text string }

// WithoutConditions writes a text anew for each UPDATE and DELETE of it that has a condition: without that.
func WithoutConditions(text string) (all []Unconditional) {
	tree, err := parse(text)
	if err != nil {
		return nil
	}
	try := func(verb string, table *pg.RangeVar, condition **pg.Node) {
		was := *condition
		if was == nil {
			return
		}
		*condition = nil
		if written, err := deparse(tree); err == nil {
			all = append(all, Unconditional{verb, table.GetRelname(), written})
		}
		*condition = was
	}
	for _, raw := range tree.Stmts {
		switch n := raw.Stmt.Node.(type) {
		case *pg.Node_UpdateStmt:
			try("UPDATE", n.UpdateStmt.Relation, &n.UpdateStmt.WhereClause)
		case *pg.Node_DeleteStmt:
			try("DELETE", n.DeleteStmt.Relation, &n.DeleteStmt.WhereClause)
		}
	}
	return all
}

// changeUses notes the constructs by which a statement changes or defines something.
func changeUses(m any, used map[string]bool) {
	returning := func(list []*pg.Node) {
		if len(list) > 0 {
			used["returning"] = true
		}
	}
	switch n := m.(type) {
	case *pg.InsertStmt:
		used["insert"] = true
		returning(n.ReturningList)
		if n.OnConflictClause != nil {
			used["on-conflict"] = true
		}
	case *pg.UpdateStmt:
		used["update"] = true
		returning(n.ReturningList)
	case *pg.DeleteStmt:
		used["delete"] = true
		returning(n.ReturningList)
	case *pg.MergeStmt:
		used["merge"] = true
	case *pg.TruncateStmt:
		used["truncate"] = true
	case *pg.TransactionStmt:
		if n.Kind == pg.TransactionStmtKind_TRANS_STMT_BEGIN || n.Kind == pg.TransactionStmtKind_TRANS_STMT_START {
			used["transaction"] = true
		}
	case *pg.CreateStmt, *pg.CreateTableAsStmt:
		used["create-table"] = true
	case *pg.AlterTableStmt, *pg.RenameStmt:
		used["alter"] = true
	case *pg.DropStmt:
		used["drop"] = true
	case *pg.ViewStmt:
		used["view"] = true
	case *pg.IndexStmt:
		used["index"] = true
	case *pg.CreateTrigStmt:
		used["trigger"] = true
	case *pg.CreateFunctionStmt:
		used["create-function"] = true
	case *pg.Constraint:
		if construct, is := constraintConstructs[n.Contype]; is {
			used[construct] = true
		}
	case *pg.AlterTableCmd:
		switch n.Subtype {
		case pg.AlterTableType_AT_SetNotNull:
			used["not-null"] = true
		case pg.AlterTableType_AT_ColumnDefault:
			used["default"] = true
		}
	}
}

var constraintConstructs = map[pg.ConstrType]string{
	pg.ConstrType_CONSTR_PRIMARY: "primary-key", pg.ConstrType_CONSTR_FOREIGN: "foreign-key",
	pg.ConstrType_CONSTR_UNIQUE: "unique", pg.ConstrType_CONSTR_CHECK: "check",
	pg.ConstrType_CONSTR_NOTNULL: "not-null", pg.ConstrType_CONSTR_DEFAULT: "default",
}

// grows tells whether a statement may take room, and may stand in a transaction.
func grows(stmt *pg.Node) bool {
	switch n := stmt.Node.(type) {
	case *pg.Node_InsertStmt, *pg.Node_UpdateStmt, *pg.Node_MergeStmt, *pg.Node_DeleteStmt, *pg.Node_CreateTableAsStmt,
		*pg.Node_RefreshMatViewStmt, *pg.Node_AlterTableStmt:
		return true
	case *pg.Node_IndexStmt:
		return !n.IndexStmt.Concurrent
	case *pg.Node_SelectStmt:
		return effect(stmt) != ""
	}
	return false
}

// makes is what a statement makes of a query's rows; "" for any other.
func makes(stmt *pg.Node) string {
	switch {
	case stmt.GetCreateTableAsStmt().GetObjtype() == pg.ObjectType_OBJECT_MATVIEW:
		return "materialized view"
	case stmt.GetCreateTableAsStmt() != nil, stmt.GetSelectStmt().GetIntoClause() != nil:
		return "table"
	}
	return ""
}

// defines tells whether a statement may define something.
func defines(stmt *pg.Node) bool {
	switch n := stmt.Node.(type) {
	case *pg.Node_SelectStmt:
		return n.SelectStmt.IntoClause != nil
	case *pg.Node_InsertStmt, *pg.Node_UpdateStmt, *pg.Node_DeleteStmt, *pg.Node_MergeStmt, *pg.Node_TruncateStmt,
		*pg.Node_TransactionStmt, *pg.Node_LockStmt, *pg.Node_ExplainStmt, *pg.Node_DeclareCursorStmt,
		*pg.Node_FetchStmt, *pg.Node_ClosePortalStmt, *pg.Node_PrepareStmt, *pg.Node_DeallocateStmt,
		*pg.Node_VariableShowStmt, *pg.Node_ConstraintsSetStmt:
		return false
	}
	return true
}

// mayEnd tells whether a statement ends a transaction, or may do so inside.
func mayEnd(stmt *pg.Node) bool {
	switch n := stmt.Node.(type) {
	case *pg.Node_TransactionStmt:
		switch n.TransactionStmt.Kind {
		case pg.TransactionStmtKind_TRANS_STMT_COMMIT, pg.TransactionStmtKind_TRANS_STMT_ROLLBACK:
			return true
		}
	case *pg.Node_DoStmt, *pg.Node_CallStmt:
		return true
	}
	return false
}

// settable are the settings that a statement may change: none of those by which results are read, or runs are bounded.
var settable = []string{
	"TRANSACTION", "SESSION CHARACTERISTICS", "search_path", "check_function_bodies", "enable_seqscan",
	"enable_indexscan",
	"enable_bitmapscan", "enable_indexonlyscan", "enable_hashjoin", "enable_mergejoin", "enable_nestloop",
	"enable_sort",
	"enable_hashagg", "default_transaction_isolation", "transaction_isolation", "constraint_exclusion",
}

// beyondCopy says why a statement cannot run in a copy; "" for one that can. It lists what can, so that what is new in
// a later PostgreSQL cannot.
func beyondCopy(stmt *pg.Node) string {
	leaveOut := func(what string) string { return what + ": leave it out." }
	switch n := stmt.Node.(type) {
	case *pg.Node_SelectStmt, *pg.Node_InsertStmt, *pg.Node_UpdateStmt, *pg.Node_DeleteStmt, *pg.Node_MergeStmt,
		*pg.Node_TruncateStmt, *pg.Node_CreateStmt, *pg.Node_CreateTableAsStmt, *pg.Node_ViewStmt,
		*pg.Node_RefreshMatViewStmt, *pg.Node_IndexStmt, *pg.Node_CreateSeqStmt, *pg.Node_AlterSeqStmt,
		*pg.Node_CreateEnumStmt, *pg.Node_AlterEnumStmt, *pg.Node_CreateDomainStmt, *pg.Node_AlterDomainStmt,
		*pg.Node_CompositeTypeStmt, *pg.Node_CreateRangeStmt, *pg.Node_AlterFunctionStmt, *pg.Node_CreateTrigStmt,
		*pg.Node_RuleStmt, *pg.Node_CreatePolicyStmt, *pg.Node_AlterPolicyStmt, *pg.Node_CallStmt, *pg.Node_LockStmt,
		*pg.Node_ConstraintsSetStmt, *pg.Node_CreateStatsStmt, *pg.Node_PrepareStmt, *pg.Node_ExecuteStmt,
		*pg.Node_DeallocateStmt, *pg.Node_DeclareCursorStmt, *pg.Node_FetchStmt, *pg.Node_ClosePortalStmt,
		*pg.Node_AlterObjectSchemaStmt, *pg.Node_AlterObjectDependsStmt:
		return ""
	case *pg.Node_TransactionStmt:
		switch n.TransactionStmt.Kind {
		case pg.TransactionStmtKind_TRANS_STMT_PREPARE, pg.TransactionStmtKind_TRANS_STMT_COMMIT_PREPARED,
			pg.TransactionStmtKind_TRANS_STMT_ROLLBACK_PREPARED:
			return "Two-phase transactions (PREPARE TRANSACTION) cannot be used in a copy: end it by COMMIT or " +
				"ROLLBACK."
		}
		return ""
	case *pg.Node_ExplainStmt:
		return beyondCopy(n.ExplainStmt.Query)
	case *pg.Node_AlterTableStmt:
		if onlyOwner(n.AlterTableStmt) {
			return "Whom a table belongs to cannot be changed: in your copy, everything is yours."
		}
		return ""
	case *pg.Node_RenameStmt:
		return others(n.RenameStmt.RenameType, "renamed")
	case *pg.Node_CommentStmt:
		return others(n.CommentStmt.Objtype, "commented on")
	case *pg.Node_DropStmt:
		return others(n.DropStmt.RemoveType, "dropped")
	case *pg.Node_DefineStmt:
		if n.DefineStmt.Kind == pg.ObjectType_OBJECT_AGGREGATE {
			return ""
		}
		return leaveOut("Of CREATE AGGREGATE and its like, only aggregates can be made in a copy")
	case *pg.Node_CreateSchemaStmt:
		if n.CreateSchemaStmt.Authrole != nil {
			return leaveOut("A schema in your copy belongs to you, and AUTHORIZATION cannot be given")
		}
		return ""
	case *pg.Node_CreateFunctionStmt:
		return language(n.CreateFunctionStmt.Options)
	case *pg.Node_DoStmt:
		return language(n.DoStmt.Args)
	case *pg.Node_VacuumStmt:
		if n.VacuumStmt.IsVacuumcmd {
			return leaveOut("The copy's room is looked after by the server; VACUUM cannot be run")
		}
		return ""
	case *pg.Node_VariableSetStmt:
		name := n.VariableSetStmt.Name
		if n.VariableSetStmt.Kind == pg.VariableSetKind_VAR_RESET_ALL || !slices.Contains(settable, name) {
			return leaveOut("The session's settings stay as they are, but for search_path and those of the transaction")
		}
		return ""
	case *pg.Node_VariableShowStmt:
		if !slices.Contains(settable, n.VariableShowStmt.Name) {
			return leaveOut("The server's settings cannot be shown, but for search_path and those of the transaction")
		}
		return ""
	case *pg.Node_CopyStmt:
		return "COPY reads and writes files, which a copy has none of: write INSERT, or a query."
	case *pg.Node_GrantStmt, *pg.Node_GrantRoleStmt, *pg.Node_CreateRoleStmt, *pg.Node_AlterRoleStmt,
		*pg.Node_AlterRoleSetStmt, *pg.Node_DropRoleStmt, *pg.Node_AlterDefaultPrivilegesStmt, *pg.Node_AlterOwnerStmt,
		*pg.Node_ReassignOwnedStmt, *pg.Node_DropOwnedStmt:
		return leaveOut("Roles and rights cannot be changed: in your copy, everything is yours")
	case *pg.Node_CreateExtensionStmt, *pg.Node_AlterExtensionStmt, *pg.Node_AlterExtensionContentsStmt,
		*pg.Node_CreatePlangStmt, *pg.Node_LoadStmt:
		return leaveOut("Extensions and languages cannot be added")
	}
	return leaveOut(statementName(stmt) + " acts beyond the tables of a copy, and cannot be run")
}

// others says that something that is not a copy's own cannot be changed; "" for what is.
func others(object pg.ObjectType, done string) string {
	if !slices.Contains(ofOthers, object) {
		return ""
	}
	name := strings.ReplaceAll(strings.TrimPrefix(object.String(), "OBJECT_"), "_", " ")
	return fmt.Sprintf("%s %s is not part of the copy, and cannot be %s: leave it out.",
		article(strings.ToLower(name)), strings.ToLower(name), done)
}

func article(word string) string {
	if strings.ContainsRune("aeio", rune(word[0])) {
		return "An"
	}
	return "A"
}

// language says that a function's language is not to be used; "" for those that are.
func language(options []*pg.Node) string {
	for _, o := range options {
		d := o.GetDefElem()
		name := strings.ToLower(d.GetArg().GetString_().GetSval())
		if d.GetDefname() == "language" && name != "sql" && name != "plpgsql" {
			return fmt.Sprintf("Functions can be written in sql and plpgsql, and this one is in %.40s.", name)
		}
	}
	return ""
}

// WithColumns writes a text with the columns of each INSERT that names none: the first of those that its table has, by
// columns. A text that cannot be written so stays as it is.
func WithColumns(text string, columns func(table string) []string) string {
	tree, err := parse(text)
	if err != nil {
		return text
	}
	changed := false
	for _, raw := range tree.Stmts {
		n := raw.Stmt.GetInsertStmt()
		if n == nil || len(n.Cols) > 0 || n.SelectStmt == nil {
			continue
		}
		values := n.SelectStmt.GetSelectStmt().GetValuesLists()
		names := columns(n.Relation.GetRelname())
		if len(values) == 0 || len(values[0].GetList().GetItems()) > len(names) {
			continue
		}
		for _, name := range names[:len(values[0].GetList().GetItems())] {
			n.Cols = append(n.Cols, &pg.Node{Node: &pg.Node_ResTarget{ResTarget: &pg.ResTarget{Name: name}}})
		}
		changed = true
	}
	if !changed {
		return text
	}
	if written, err := deparse(tree); err == nil {
		return written
	}
	return text
}
