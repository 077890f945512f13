package sqltext

import (
	"slices"
	"strings"
	"sync"

	pg "github.com/pganalyze/pg_query_go/v6"
	"google.golang.org/protobuf/proto"
	"google.golang.org/protobuf/reflect/protoreflect"
)

// Tree returns a copy of the query's parse tree.
func (q *Query) Tree() *pg.ParseResult { return proto.Clone(q.tree).(*pg.ParseResult) }

// ReadTree reads a text of any statements as a parse tree.
func ReadTree(text string) (*pg.ParseResult, error) { return parse(text) }

// Rewritten reads a text and writes it again, so that texts that mean the same are the same.
func Rewritten(text string) (string, error) {
	tree, err := parse(text)
	if err != nil {
		return "", err
	}
	return deparse(tree)
}

// WriteTree writes a parse tree as SQL. Not every tree that can be read can be written.
func WriteTree(tree *pg.ParseResult) (string, error) { return deparse(tree) }

// Walk calls visit with every message of a parse tree, from the outside in.
func Walk(tree *pg.ParseResult, visit func(any)) { walk(tree.ProtoReflect(), visit) }

// treeVersion is that of the trees that the parser makes; one that is written needs it, too.
var treeVersion = sync.OnceValue(func() int32 {
	tree, err := parse("SELECT")
	if err != nil {
		return 0
	}
	return tree.Version
})

// WriteSelect writes a SELECT as SQL; "" if it cannot be written.
func WriteSelect(sel *pg.SelectStmt) string {
	return WriteStatement(&pg.Node{Node: &pg.Node_SelectStmt{SelectStmt: sel}})
}

// WriteStatement writes a statement as SQL; "" if it cannot be written.
func WriteStatement(stmt *pg.Node) string {
	sql, err := deparse(&pg.ParseResult{Version: treeVersion(), Stmts: []*pg.RawStmt{{Stmt: stmt}}})
	if err != nil {
		return ""
	}
	return sql
}

// WriteExpression writes an expression as SQL; "" if it cannot be written.
func WriteExpression(n *pg.Node) string {
	return strings.TrimPrefix(WriteSelect(&pg.SelectStmt{
		TargetList:  []*pg.Node{pg.MakeResTargetNodeWithVal(n, -1)},
		LimitOption: pg.LimitOption_LIMIT_OPTION_DEFAULT, Op: pg.SetOperation_SETOP_NONE,
	}), "SELECT ")
}

// ReadExpression reads text as one expression; nil if it is none.
func ReadExpression(text string) *pg.Node {
	tree, err := parse("SELECT " + text)
	if err != nil || len(tree.Stmts) != 1 {
		return nil
	}
	targets := tree.Stmts[0].Stmt.GetSelectStmt().GetTargetList()
	if len(targets) != 1 {
		return nil
	}
	return targets[0].GetResTarget().GetVal()
}

// A Token is a word, a number, a text or a sign of a query, with the bytes that it stands at.
type Token struct {
	Text       string // a keyword in lower case
	Start, End int
}

// Tokens cuts a text into its tokens, comments left out; nil if it cannot be cut.
func Tokens(text string) []Token {
	scanned, err := scan(text)
	if err != nil {
		return nil
	}
	var all []Token
	for _, t := range scanned {
		if t.Token == pg.Token_SQL_COMMENT || t.Token == pg.Token_C_COMMENT {
			continue
		}
		word := text[t.Start:t.End]
		if t.KeywordKind != pg.KeywordKind_NO_KEYWORD {
			word = strings.ToLower(word)
		}
		all = append(all, Token{word, int(t.Start), int(t.End)})
	}
	return all
}

// PlainExpression writes an expression so that two that mean the same constant are the same: without the type that the
// database adds to it.
func PlainExpression(text string) string {
	n := ReadExpression(text)
	if n == nil {
		return text
	}
	if value, ok := Constant(n); ok {
		return value
	}
	if written := WriteExpression(n); written != "" {
		return written
	}
	return text
}

// Constants lists the constants of an expression, as text, each once; those of type casts are cut of it.
func Constants(text string) []string {
	var all []string
	n := ReadExpression(text)
	if n == nil {
		return nil
	}
	walk(n.ProtoReflect(), func(m any) {
		if c, is := m.(*pg.A_Const); is {
			value, ok := Constant(&pg.Node{Node: &pg.Node_AConst{AConst: c}})
			if ok && !slices.Contains(all, value) {
				all = append(all, value)
			}
		}
	})
	return all
}

// Mentions tells whether an expression speaks of a column.
func Mentions(text, column string) bool {
	n := ReadExpression(text)
	if n == nil {
		return false
	}
	found := false
	walk(n.ProtoReflect(), func(m any) {
		if c, is := m.(*pg.ColumnRef); is && LastName(c.Fields) == column {
			found = true
		}
	})
	return found
}

// WalkNode is [Walk] for a part of a tree.
func WalkNode(n *pg.Node, visit func(any)) { walk(n.ProtoReflect(), visit) }

// WalkMessage is [Walk] for whatever a tree consists of.
func WalkMessage(m protoreflect.Message, visit func(any)) { walk(m, visit) }
