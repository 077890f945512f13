package sqltext

import (
	"crypto/sha256"
	"strconv"

	pg "github.com/pganalyze/pg_query_go/v6"
	"google.golang.org/protobuf/reflect/protoreflect"
)

// A Shape stands for a query's tree: queries with the same one differ at most in their layout, in letter case, and in
// the names that their writers gave to tables, columns and subqueries.
type Shape [16]byte

// Shapes returns the shape of a query, and the shape that it has whatever its literals are.
func (q *Query) Shapes() (exact, anyLiterals Shape) {
	h := &shaper{given: namesGiven(q.tree)}
	for _, stmt := range q.tree.Stmts {
		h.message(stmt.Stmt.ProtoReflect())
	}
	return shapeOf(h.exact), shapeOf(h.any)
}

func shapeOf(tree []byte) (s Shape) {
	sum := sha256.Sum256(tree)
	copy(s[:], sum[:])
	return s
}

// given are the names that a query gives, numbered by the places at which it does: to what stands in a FROM clause,
// renamed or not, to subqueries in a WITH clause, and to columns of results.
type given struct {
	tables, subqueries, columns map[string]int
}

func namesGiven(tree *pg.ParseResult) *given {
	g := &given{tables: map[string]int{}, subqueries: map[string]int{}, columns: map[string]int{}}
	places := 0
	give := func(names map[string]int, name string) {
		places++
		if _, known := names[name]; name != "" && !known {
			names[name] = places
		}
	}
	inOrder(tree.ProtoReflect(), func(m any) {
		switch n := m.(type) {
		case *pg.RangeVar:
			if n.Alias == nil {
				give(g.tables, n.Relname)
			}
		case *pg.Alias:
			give(g.tables, n.Aliasname)
			for _, column := range n.Colnames {
				give(g.columns, column.GetString_().GetSval())
			}
		case *pg.CommonTableExpr:
			give(g.subqueries, n.Ctename)
			for _, column := range n.Aliascolnames {
				give(g.columns, column.GetString_().GetSval())
			}
		case *pg.ResTarget:
			if fields := n.GetVal().GetColumnRef().GetFields(); len(fields) > 0 &&
				fields[len(fields)-1].GetString_().GetSval() == n.Name {
				give(g.columns, "") // it has that name anyway
			} else {
				give(g.columns, n.Name)
			}
		}
	})
	return g
}

// inOrder calls visit with every message of a parse tree, from the outside in and always in the same order.
func inOrder(m protoreflect.Message, visit func(any)) {
	visit(m.Interface())
	for _, f := range fieldsOf(m) {
		switch {
		case f.Message() == nil:
		case f.IsList():
			list := m.Get(f).List()
			for j := range list.Len() {
				inOrder(list.Get(j).Message(), visit)
			}
		default:
			inOrder(m.Get(f).Message(), visit)
		}
	}
}

// fieldsOf returns the fields that a message has, always in the same order. A node of the tree is one of very many
// kinds.
func fieldsOf(m protoreflect.Message) (has []protoreflect.FieldDescriptor) {
	if kinds := m.Descriptor().Oneofs(); kinds.Len() == 1 && m.Descriptor().Fields().Len() > 50 {
		if f := m.WhichOneof(kinds.Get(0)); f != nil {
			has = append(has, f)
		}
		return has
	}
	fields := m.Descriptor().Fields()
	for i := range fields.Len() {
		if f := fields.Get(i); m.Has(f) {
			has = append(has, f)
		}
	}
	return has
}

// shaper takes a tree in, each message by what it is and what is in it: with its literals, and whatever they are.
type shaper struct {
	*given
	exact, any []byte
	inLiteral  bool
}

func (h *shaper) write(parts ...string) {
	for _, part := range parts {
		h.exact = append(append(h.exact, part...), 0)
		if !h.inLiteral {
			h.any = append(append(h.any, part...), 0)
		}
	}
}

// name takes in a name that the query may have given.
func (h *shaper) name(names map[string]int, name string) {
	if place, ok := names[name]; ok {
		h.write("given", strconv.Itoa(place))
	} else {
		h.write("name", name)
	}
}

func (h *shaper) message(m protoreflect.Message) {
	switch n := m.Interface().(type) {
	case *pg.A_Const:
		h.write("literal")
		h.inLiteral = true
		defer func() { h.inLiteral = false }()
	case *pg.ColumnRef:
		h.column(n.Fields)
		return
	case *pg.RangeVar:
		h.write("table", n.Schemaname)
		h.name(h.subqueries, n.Relname)
		if n.Alias == nil {
			h.write("0")
			h.name(h.tables, n.Relname)
		} else {
			h.message(n.Alias.ProtoReflect())
		}
		return
	case *pg.Alias:
		h.write(strconv.Itoa(len(n.Colnames)))
		h.name(h.tables, n.Aliasname)
		return
	case *pg.ResTarget: // whether a column of the result is given a name says nothing
		h.write("target", strconv.Itoa(len(n.Indirection)))
		for _, i := range n.Indirection {
			h.message(i.ProtoReflect())
		}
		h.message(n.Val.ProtoReflect())
		return
	case *pg.CommonTableExpr:
		h.write("with", strconv.Itoa(len(n.Aliascolnames)), n.Ctematerialized.String())
		h.name(h.subqueries, n.Ctename)
		h.message(n.Ctequery.ProtoReflect())
		return
	}
	h.write("(", string(m.Descriptor().Name()))
	for _, f := range fieldsOf(m) {
		if layout[f.Name()] {
			continue
		}
		h.write(strconv.Itoa(int(f.Number())))
		if !f.IsList() {
			h.value(f, m.Get(f))
			continue
		}
		list := m.Get(f).List()
		h.write(strconv.Itoa(list.Len()))
		for j := range list.Len() {
			h.value(f, list.Get(j))
		}
	}
	h.write(")")
}

// column takes in a reference: to a column, or to one of a table.
func (h *shaper) column(fields []*pg.Node) {
	h.write("column", strconv.Itoa(len(fields)))
	for i, f := range fields {
		switch s := f.GetString_(); {
		case s == nil: // a star
			h.message(f.ProtoReflect())
		case i == len(fields)-1:
			h.name(h.columns, s.Sval)
		default:
			h.name(h.tables, s.Sval)
		}
	}
}

// layout are the fields that say where in the text something stands.
var layout = map[protoreflect.Name]bool{
	"location": true, "stmt_location": true, "stmt_len": true, "rexpr_list_start": true, "rexpr_list_end": true,
}

func (h *shaper) value(f protoreflect.FieldDescriptor, v protoreflect.Value) {
	if f.Message() != nil {
		h.message(v.Message())
		return
	}
	h.write(v.String())
}
