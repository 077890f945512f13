package sqltext

/*
#cgo LDFLAGS: -pthread
#define _GNU_SOURCE
#include <pthread.h>

// Threads that begin later have this much stack: set before Go starts any. It is address space; only what is used takes
// memory.
static void __attribute__((constructor)) enough_stack(void) {
	pthread_attr_t attr;
	if (pthread_attr_init(&attr) != 0)
		return;
	if (pthread_attr_setstacksize(&attr, 64 << 20) == 0)
		pthread_setattr_default_np(&attr);
	pthread_attr_destroy(&attr);
}
*/
import "C"

import (
	"fmt"

	pg "github.com/pganalyze/pg_query_go/v6"
	"google.golang.org/protobuf/reflect/protoreflect"
)

// PostgreSQL's parser, and what writes its trees as SQL, are C: they walk a tree by recursion, and one that is too deep
// ends the whole process. So all calls of them stand in this file, behind bounds. A level takes 2 kB of stack at most
// (measured over all constructs that nest, deparsing a chain of NOT or ISNULL being the dearest): mostLevels takes a
// quarter of the 8 MB that the first thread has, and a thirtieth of what the others have. A text of fewer than shallow
// bytes cannot be that deep: each level takes at least two.
const (
	mostLevels = 1000
	shallow    = 2 * mostLevels
)

// parse reads a text with PostgreSQL's parser.
func parse(text string) (*pg.ParseResult, error) {
	if len(text) > shallow {
		tokens, err := scan(text)
		if err != nil {
			return nil, err
		}
		if at := tooDeep(tokens); at >= 0 {
			return nil, &SyntaxError{
				Message: fmt.Sprintf("the text nests deeper than the %d levels that are read", mostLevels),
				Place:   PlaceAt(text, at),
			}
		}
	}
	return pg.Parse(text)
}

// scan reads a text as tokens, in one pass.
func scan(text string) ([]*pg.ScanToken, error) {
	scanned, err := pg.Scan(text)
	if err != nil {
		return nil, err
	}
	return scanned.Tokens, nil
}

// deparse writes a tree as SQL.
func deparse(tree *pg.ParseResult) (string, error) {
	if deeperThan(tree.ProtoReflect(), 4*mostLevels) {
		// a level is a node in a oneof, and a list's or a clause's beside it
		return "", fmt.Errorf("the query nests deeper than the %d levels that are written", mostLevels)
	}
	return pg.Deparse(tree)
}

func deeperThan(m protoreflect.Message, levels int) bool {
	if levels == 0 {
		return true
	}
	deeper := false
	m.Range(func(field protoreflect.FieldDescriptor, value protoreflect.Value) bool {
		switch {
		case field.Message() == nil:
		case field.IsList():
			list := value.List()
			for i := 0; i < list.Len() && !deeper; i++ {
				deeper = deeperThan(list.Get(i).Message(), levels-1)
			}
		default:
			deeper = deeperThan(value.Message(), levels-1)
		}
		return !deeper
	})
	return deeper
}

// tooDeep finds where a text's tree may become deeper than what is read; -1 where it cannot. Every operator, keyword
// and bracket of an expression may be a level, and what stands in brackets adds to what stands around them. A comma
// begins a new expression beside the one before, which is no level of it; but a set operation goes on over the commas.
func tooDeep(tokens []*pg.ScanToken) int {
	type around struct{ levels, sets int } // of one pair of brackets
	open, depth := []around{{}}, 0
	for _, token := range tokens {
		here := &open[len(open)-1]
		switch token.Token {
		case pg.Token_ASCII_44, pg.Token_ASCII_59: // comma, semicolon
			depth -= here.levels
			here.levels = 0
			continue
		case pg.Token_ASCII_40, pg.Token_ASCII_91: // opening
			open = append(open, around{})
		case pg.Token_ASCII_41, pg.Token_ASCII_93: // closing
			if len(open) > 1 {
				depth -= here.levels + here.sets + 1
				open = open[:len(open)-1]
			}
			continue
		case pg.Token_UNION, pg.Token_INTERSECT, pg.Token_EXCEPT:
			here.sets++
		case pg.Token_IDENT, pg.Token_ICONST, pg.Token_FCONST, pg.Token_SCONST:
			continue
		default:
			here.levels++
		}
		if depth++; depth > mostLevels {
			return int(token.Start)
		}
	}
	return -1
}
