package example

import (
	"maps"
	"slices"
	"strings"

	pg "github.com/pganalyze/pg_query_go/v6"
	"google.golang.org/protobuf/reflect/protoreflect"

	"examen/internal/core/sqltext"
)

// A Table is what stands for a table: a query, and which of its columns are its key, if it has one.
type Table struct {
	SQL          string
	Key, Columns []string
}

// Shadow is a query with each of the tables read in its place from a query of its own. Views among the tables may read
// others of them. What is grouped by a table's key may show its other columns, too, as in the database. An error means
// that it cannot be written so.
func Shadow(q *sqltext.Query, tables map[string]Table) (string, error) {
	tree := q.Tree()
	s := &shadows{tables: tables, prefix: "small_", used: map[string]bool{}}
	for strings.Contains(q.Text, s.prefix) {
		s.prefix += "_"
	}
	top := tree.Stmts[0].Stmt.GetSelectStmt()
	s.selected(top, nil)
	ctes, err := s.made()
	if err != nil {
		return "", err
	}
	if len(ctes) > 0 {
		if top.WithClause == nil {
			top.WithClause = &pg.WithClause{Location: -1}
		}
		top.WithClause.Ctes = append(ctes, top.WithClause.Ctes...)
	}
	return sqltext.WriteTree(tree)
}

type shadows struct {
	tables map[string]Table
	prefix string
	used   map[string]bool
	itself string // the table whose own query is gone through: in it that one is the database's
	order  []string
	bodies []*pg.Node
}

// made are the expressions for the tables that are used, each after those that it reads itself.
func (s *shadows) made() (ctes []*pg.Node, err error) {
	for done := map[string]bool{}; ; {
		name := ""
		for _, candidate := range slices.Sorted(maps.Keys(s.used)) {
			if !done[candidate] {
				name = candidate
				break
			}
		}
		if name == "" {
			break
		}
		done[name] = true
		body, err := sqltext.ReadTree(s.tables[name].SQL)
		if err != nil {
			return nil, err
		}
		stmt := body.Stmts[0].Stmt
		s.itself = name
		s.selected(stmt.GetSelectStmt(), nil)
		s.order, s.bodies = append(s.order, name), append(s.bodies, stmt)
	}
	// What is found to be used later stands before what uses it.
	for i := len(s.order) - 1; i >= 0; i-- {
		ctes = append(ctes, &pg.Node{Node: &pg.Node_CommonTableExpr{CommonTableExpr: &pg.CommonTableExpr{
			Ctename: s.prefix + s.order[i], Ctequery: s.bodies[i], Location: -1,
			Ctematerialized: pg.CTEMaterialize_CTEMaterializeDefault,
		}}})
	}
	return ctes, nil
}

// selected shadows the tables of a SELECT; known are names that stand for something else there.
func (s *shadows) selected(sel *pg.SelectStmt, known map[string]bool) {
	known = maps.Clone(known)
	if known == nil {
		known = map[string]bool{}
	}
	ctes := sel.GetWithClause().GetCtes()
	if sel.GetWithClause().GetRecursive() {
		for _, c := range ctes {
			known[c.GetCommonTableExpr().Ctename] = true
		}
	}
	for _, c := range ctes {
		s.message(c.GetCommonTableExpr().Ctequery.ProtoReflect(), known)
		known[c.GetCommonTableExpr().Ctename] = true
	}
	s.grouped(sel, known)
	s.parts(sel.ProtoReflect(), known, "with_clause")
}

// grouped adds to GROUP BY the columns that follow from a table's key in it: the database does not know the key of what
// stands for the table.
func (s *shadows) grouped(sel *pg.SelectStmt, known map[string]bool) {
	if len(sel.GroupClause) == 0 {
		return
	}
	var read []*pg.RangeVar
	var of func(item *pg.Node)
	of = func(item *pg.Node) {
		if j := item.GetJoinExpr(); j != nil {
			of(j.Larg)
			of(j.Rarg)
		} else if r := item.GetRangeVar(); r != nil && s.shadowed(r, known) {
			read = append(read, r)
		}
	}
	for _, item := range sel.FromClause {
		of(item)
	}
	for _, r := range read {
		name, t := r.Relname, s.tables[r.Relname]
		if r.Alias != nil {
			name = r.Alias.Aliasname
		}
		by := func(column string) bool {
			return slices.ContainsFunc(sel.GroupClause, func(n *pg.Node) bool {
				fields := n.GetColumnRef().GetFields()
				own := len(fields) == 1 && len(sel.FromClause) == 1 && len(read) == 1 ||
					len(fields) == 2 && fields[0].GetString_().GetSval() == name
				return own && sqltext.LastName(fields) == column
			})
		}
		if len(t.Key) == 0 || slices.ContainsFunc(t.Key, func(column string) bool { return !by(column) }) {
			continue
		}
		for _, column := range t.Columns {
			if !by(column) {
				sel.GroupClause = append(sel.GroupClause, sqltext.ColumnRef(name, column))
			}
		}
	}
}

// shadowed tells whether a table is read of which another stands in its place.
func (s *shadows) shadowed(n *pg.RangeVar, known map[string]bool) bool {
	return s.tables[n.Relname].SQL != "" && n.Relname != s.itself && (n.Schemaname != "" || !known[n.Relname]) &&
		(n.Schemaname == "" || n.Schemaname == "public")
}

func (s *shadows) message(m protoreflect.Message, known map[string]bool) {
	switch n := m.Interface().(type) {
	case *pg.SelectStmt:
		s.selected(n, known)
	case *pg.RangeVar:
		if !s.shadowed(n, known) {
			return
		}
		s.used[n.Relname] = true
		if n.Alias == nil {
			n.Alias = &pg.Alias{Aliasname: n.Relname}
		}
		n.Schemaname, n.Relname = "", s.prefix+n.Relname
	default:
		s.parts(m, known, "")
	}
}

// parts goes through what a message is made of, but for one field.
func (s *shadows) parts(m protoreflect.Message, known map[string]bool, but protoreflect.Name) {
	m.Range(func(field protoreflect.FieldDescriptor, value protoreflect.Value) bool {
		switch {
		case field.Message() == nil || field.Name() == but:
		case field.IsList():
			for i := range value.List().Len() {
				s.message(value.List().Get(i).Message(), known)
			}
		default:
			s.message(value.Message(), known)
		}
		return true
	})
}
