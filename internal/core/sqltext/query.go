package sqltext

import (
	"fmt"
	"strings"
	"sync"

	pg "github.com/pganalyze/pg_query_go/v6"
)

// A Query is a single statement that only reads, as learners may run it.
type Query struct {
	Text   string // without the semicolon
	tree   *pg.ParseResult
	source string // what was parsed
	start  int    // of Text in it
	// What is asked of a query each time it is submitted.
	beyond func() *NotAllowed
	byLuck func() string
}

// A NotAllowed is the error for text that is SQL, but not one query.
type NotAllowed struct {
	Title  string // what it is
	Detail string // what was expected, what came, and what to do
	Place  Place
}

func (e *NotAllowed) Error() string { return e.Detail }

// emptyQuery describes a text without a statement.
func emptyQuery(text string) string {
	if strings.TrimSpace(text) != "" {
		return "The query is empty (only a comment): write a query, such as SELECT ... FROM ..."
	}
	return "The query is empty: write one, such as SELECT ... FROM ..."
}

const notAQuery = "Only SELECT queries are allowed here"

// ReadQuery reads text as one query. The error is a *SyntaxError, or a *NotAllowed for no statement, several statements
// and statements that do something else than read.
func ReadQuery(text string) (*Query, error) {
	tree, err := parse(text)
	if err != nil {
		return nil, syntaxError(text, err)
	}
	switch len(tree.Stmts) {
	case 0:
		return nil, &NotAllowed{Title: notAQuery, Detail: emptyQuery(text), Place: PlaceAt(text, 0)}
	case 1:
	default:
		second := int(tree.Stmts[1].StmtLocation)
		second += leading(text[second:])
		return nil, &NotAllowed{
			Title: notAQuery,
			Detail: fmt.Sprintf(
				"One query is expected, but the text holds %d statements: remove all but one.", len(tree.Stmts),
			),
			Place: PlaceAt(text, second),
		}
	}
	raw := tree.Stmts[0]
	start, end := int(raw.StmtLocation), len(text)
	if raw.StmtLen > 0 {
		end = start + int(raw.StmtLen)
	}
	start += leading(text[start:])
	if what := effect(raw.Stmt); what != "" {
		detail := fmt.Sprintf(
			"Only queries can be run here (SELECT, VALUES, TABLE, also after WITH), and this is %s: write a query "+
				"that reads the rows.",
			what,
		)
		switch strings.ToLower(raw.Stmt.GetVariableShowStmt().GetName()) {
		case "tables", "databases", "schemas": // commands of other systems
			detail = "SHOW is no query. The tables and their columns stand under Tables beside the paper, and are " +
				"printed by: examen dataset show NAME."
		}
		return nil, &NotAllowed{Title: notAQuery, Detail: detail, Place: PlaceAt(text, start)}
	}
	if what, at := forbidden(raw.Stmt); what != "" {
		return nil, &NotAllowed{
			Title:  "Not available to learners",
			Detail: fmt.Sprintf("In a learner's query %s is not available: leave it out.", what),
			Place:  PlaceAt(text, int(at)),
		}
	}
	if number, at := placeholder(raw.Stmt); number > 0 {
		return nil, &SyntaxError{
			Message: fmt.Sprintf("there is no parameter $%d", number),
			Place:   PlaceAt(text, int(at)),
		}
	}
	q := &Query{Text: text[start:end], tree: tree, source: text, start: start}
	q.beyond = sync.OnceValue(func() *NotAllowed { return beyond(raw.Stmt, text) })
	q.byLuck = sync.OnceValue(q.leftToLuck)
	return q, nil
}

// placeholder finds the first $1 or the like: a value that nobody supplies. The number is 0 if there is none.
func placeholder(stmt *pg.Node) (number, location int32) {
	walk(stmt.ProtoReflect(), func(m any) {
		if p, is := m.(*pg.ParamRef); is && number == 0 {
			number, location = max(p.Number, 1), p.Location
		}
	})
	return number, location
}

// effect names what a statement does other than reading; "" for a query.
func effect(stmt *pg.Node) string {
	sel := stmt.GetSelectStmt()
	if sel == nil {
		return statementName(stmt)
	}
	what := ""
	walk(sel.ProtoReflect(), func(m any) {
		switch n := m.(type) {
		case *pg.InsertStmt, *pg.UpdateStmt, *pg.DeleteStmt, *pg.MergeStmt:
			what = "a WITH that changes data"
		case *pg.SelectStmt:
			if n.IntoClause != nil {
				what = "SELECT INTO, which makes a table"
			}
			if len(n.LockingClause) > 0 {
				what = "a SELECT that locks rows (FOR UPDATE or FOR SHARE)"
			}
		}
	})
	return what
}

// statementName turns the tree's node name into the statement's own words: AlterTableStmt into ALTER TABLE.
func statementName(stmt *pg.Node) string {
	switch n := stmt.Node.(type) {
	case *pg.Node_TransactionStmt:
		return "a statement that controls the transaction"
	case *pg.Node_VariableSetStmt:
		return "SET, which changes a setting"
	case *pg.Node_VariableShowStmt:
		return "SHOW"
	case *pg.Node_CreateTableAsStmt:
		return "CREATE TABLE AS"
	case *pg.Node_DropStmt:
		return "DROP"
	case *pg.Node_IndexStmt:
		return "CREATE INDEX"
	case *pg.Node_CreateStmt:
		return "CREATE TABLE"
	case *pg.Node_ViewStmt:
		return "CREATE VIEW"
	default:
		name := fmt.Sprintf("%T", n)
		name = strings.TrimSuffix(name[strings.LastIndexByte(name, '_')+1:], "Stmt")
		var words strings.Builder
		for i, c := range name {
			if i > 0 && c >= 'A' && c <= 'Z' {
				words.WriteByte(' ')
			}
			words.WriteRune(c)
		}
		return strings.ToUpper(words.String())
	}
}
