package sqltext

import "google.golang.org/protobuf/reflect/protoreflect"

// walk calls visit with every message of a parse tree, from the outside in.
func walk(m protoreflect.Message, visit func(any)) {
	visit(m.Interface())
	m.Range(func(field protoreflect.FieldDescriptor, value protoreflect.Value) bool {
		switch {
		case field.Message() == nil:
		case field.IsList():
			list := value.List()
			for i := range list.Len() {
				walk(list.Get(i).Message(), visit)
			}
		default:
			walk(value.Message(), visit)
		}
		return true
	})
}
