package sqltext

import (
	"fmt"

	pg "github.com/pganalyze/pg_query_go/v6"
	"google.golang.org/protobuf/proto"
)

// An Ordering says how a query orders its rows at its top level.
type Ordering struct {
	SQL   string // the query, with the order keys that its output lacks added behind its columns
	Keys  []Key  // none: not ordered
	Added int    // how many columns SQL has more than the query
}

// A Key is one order key: a column of the query's output by number (from 1) or by name, or one of the columns added.
type Key struct {
	Position int
	Name     string
	Added    int // from 1
}

// Ordering returns the query's ordering. The rewritten query gives the same rows in the same order as the query does.
func (q *Query) Ordering() (Ordering, error) {
	sel := q.tree.Stmts[0].Stmt.GetSelectStmt()
	if len(sel.SortClause) == 0 {
		return Ordering{SQL: q.Text}, nil
	}
	tree := proto.Clone(q.tree).(*pg.ParseResult)
	o := Ordering{}
	top := tree.Stmts[0].Stmt.GetSelectStmt()
	for _, item := range sel.SortClause {
		o.Keys = append(o.Keys, o.key(top, item.GetSortBy().Node))
	}
	if o.Added == 0 {
		o.SQL = q.Text
		return o, nil
	}
	sql, err := pg.Deparse(tree)
	if err != nil {
		return Ordering{}, fmt.Errorf("add the order keys: %w", err)
	}
	o.SQL = sql
	return o, nil
}

func (o *Ordering) key(top *pg.SelectStmt, node *pg.Node) Key {
	if n := node.GetAConst().GetIval(); n != nil {
		return Key{Position: int(n.Ival)}
	}
	name := columnName(node)
	if top.Op > pg.SetOperation_SETOP_NONE || len(top.ValuesLists) > 0 {
		return Key{Name: name} // nothing else can be ordered by there
	}
	// A name alone means a column of the output, before a column of a table.
	if name != "" {
		if i, star := aliased(top.TargetList, name); i >= 0 && !star {
			return Key{Position: i + 1}
		} else if i >= 0 {
			return o.add(top, top.TargetList[i].GetResTarget().Val)
		}
	}
	return o.add(top, node)
}

// add puts an expression behind the query's columns. Under DISTINCT it is one of them already, so that nothing more is
// distinct than before.
func (o *Ordering) add(top *pg.SelectStmt, expression *pg.Node) Key {
	o.Added++
	top.TargetList = append(top.TargetList, pg.MakeResTargetNodeWithNameAndVal(
		fmt.Sprintf("order_key_%d", o.Added), proto.Clone(expression).(*pg.Node), -1))
	return Key{Added: o.Added}
}

// aliased finds the output column with the given name, by alias or because it is a column of that name, and tells whether a star stands among the columns.
func aliased(targets []*pg.Node, name string) (place int, star bool) {
	place = -1
	for i, t := range targets {
		target := t.GetResTarget()
		if c := target.Val.GetColumnRef(); c != nil && isStar(c) {
			star = true
		}
		named := target.Name
		if c := target.Val.GetColumnRef(); named == "" && c != nil {
			named = c.Fields[len(c.Fields)-1].GetString_().GetSval()
		}
		if named == name && place < 0 {
			place = i
		}
	}
	return place, star
}

// columnName is the name of an unqualified column reference, "" for anything else.
func columnName(node *pg.Node) string {
	c := node.GetColumnRef()
	if c == nil || len(c.Fields) != 1 {
		return ""
	}
	return c.Fields[0].GetString_().GetSval()
}
