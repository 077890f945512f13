package repair

import (
	pg "github.com/pganalyze/pg_query_go/v6"
	"google.golang.org/protobuf/proto"
	"google.golang.org/protobuf/reflect/protoreflect"

	"examen/internal/core/sqltext"
)

// graft is a part of the accepted answer for one of the query, and whatever both have in common as the query has it:
// as it is written there, and under its canonical names.
func (l *scope) graft(written, canonical, other *pg.Node) *pg.Node {
	other = clone(other)
	if b := other.GetBoolExpr(); b != nil && b.Boolop == pg.BoolExprType_NOT_EXPR && key(b.Args[0]) == key(canonical) {
		return negated(written)
	}
	if b := canonical.GetBoolExpr(); b != nil && b.Boolop == pg.BoolExprType_NOT_EXPR && key(b.Args[0]) == key(other) {
		return negated(written)
	}
	if o, c := other.GetAExpr(), canonical.GetAExpr(); o != nil && c != nil && operator(o) == "=" &&
		(proto.Equal(o.Lexpr, c.Rexpr) || proto.Equal(o.Rexpr, c.Lexpr)) {
		o.Lexpr, o.Rexpr = o.Rexpr, o.Lexpr
	}
	l.merge(written.ProtoReflect(), canonical.ProtoReflect(), other.ProtoReflect())
	return other
}

// merge changes other where it is as canonical is into what is written, and elsewhere takes the query's names.
func (l *scope) merge(written, canonical, other protoreflect.Message) {
	if written.Descriptor() != other.Descriptor() || canonical.Descriptor() != other.Descriptor() {
		l.renameIn(other)
		return
	}
	if proto.Equal(canonical.Interface(), other.Interface()) {
		proto.Reset(other.Interface())
		proto.Merge(other.Interface(), written.Interface())
		return
	}
	if _, is := other.Interface().(*pg.ColumnRef); is {
		l.renameIn(other)
		return
	}
	other.Range(func(field protoreflect.FieldDescriptor, value protoreflect.Value) bool {
		if field.Message() == nil {
			return true
		}
		both := written.Has(field) && canonical.Has(field)
		if !field.IsList() {
			if both {
				l.merge(written.Get(field).Message(), canonical.Get(field).Message(), value.Message())
			} else {
				l.renameIn(value.Message())
			}
			return true
		}
		w, c := written.Get(field).List(), canonical.Get(field).List()
		for i := range value.List().Len() {
			item := value.List().Get(i).Message()
			if both && i < w.Len() && i < c.Len() {
				l.merge(w.Get(i).Message(), c.Get(i).Message(), item)
			} else {
				l.renameIn(item)
			}
		}
		return true
	})
}

func (l *scope) renameIn(m protoreflect.Message) {
	sqltext.WalkMessage(m, func(m any) {
		if c, is := m.(*pg.ColumnRef); is && len(c.Fields) == 2 {
			l.rename(c)
		}
	})
}
