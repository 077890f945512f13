package mutation

import (
	pg "github.com/pganalyze/pg_query_go/v6"
	"google.golang.org/protobuf/proto"
	"google.golang.org/protobuf/reflect/protoreflect"

	"examen/internal/core/sqltext"
)

// children calls visit with the expressions directly below a node, in the order of the grammar's fields. It does not go
// into subqueries.
func children(n *pg.Node, visit func(*pg.Node)) { below(n.ProtoReflect(), visit) }

func below(m protoreflect.Message, visit func(*pg.Node)) {
	fields := m.Descriptor().Fields()
	one := func(m protoreflect.Message) {
		switch x := m.Interface().(type) {
		case *pg.Node:
			if x.GetSelectStmt() == nil {
				visit(x)
			}
		case *pg.SelectStmt:
		default:
			below(m, visit)
		}
	}
	for i := range fields.Len() {
		field := fields.Get(i)
		if field.Message() == nil || !m.Has(field) {
			continue
		}
		if !field.IsList() {
			one(m.Get(field).Message())
			continue
		}
		for list, at := m.Get(field).List(), 0; at < list.Len(); at++ {
			one(list.Get(at).Message())
		}
	}
}

// inspect calls visit with a node and every node of the expression below it; not of subqueries.
func inspect(n *pg.Node, visit func(*pg.Node)) {
	if n == nil || n.Node == nil {
		return
	}
	visit(n)
	children(n, func(child *pg.Node) { inspect(child, visit) })
}

func clone(n *pg.Node) *pg.Node {
	if n == nil {
		return nil
	}
	return proto.Clone(n).(*pg.Node)
}

func boolExpr(operator pg.BoolExprType, args ...*pg.Node) *pg.Node {
	return &pg.Node{Node: &pg.Node_BoolExpr{BoolExpr: &pg.BoolExpr{Boolop: operator, Args: args, Location: -1}}}
}

func not(n *pg.Node) *pg.Node { return boolExpr(pg.BoolExprType_NOT_EXPR, n) }

func written(n *pg.Node) string { return sqltext.WriteExpression(n) }

// operator is that of a plain operation; "" of anything else.
func operator(n *pg.Node) string {
	a := n.GetAExpr()
	if a == nil || a.Kind != pg.A_Expr_Kind_AEXPR_OP || a.Lexpr == nil {
		return ""
	}
	return sqltext.LastName(a.Name)
}
