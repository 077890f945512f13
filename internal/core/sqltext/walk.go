package sqltext

import (
	"slices"

	"google.golang.org/protobuf/reflect/protoreflect"
)

// walk calls visit with every message of a parse tree, from the outside in; those within one in the order in which the
// tree's type has them.
func walk(m protoreflect.Message, visit func(any)) {
	visit(m.Interface())
	type part struct {
		field protoreflect.FieldDescriptor
		value protoreflect.Value
	}
	var few [8]part
	parts := few[:0]
	m.Range(func(field protoreflect.FieldDescriptor, value protoreflect.Value) bool {
		if field.Message() != nil {
			parts = append(parts, part{field, value})
		}
		return true
	})
	if len(parts) > 1 { // which comes first is not said, and differs from one build of the service to the next
		slices.SortFunc(parts, func(a, b part) int { return a.field.Index() - b.field.Index() })
	}
	for _, p := range parts {
		if !p.field.IsList() {
			walk(p.value.Message(), visit)
			continue
		}
		list := p.value.List()
		for i := range list.Len() {
			walk(list.Get(i).Message(), visit)
		}
	}
}
