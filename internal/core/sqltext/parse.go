package sqltext

import (
	"fmt"

	pg "github.com/pganalyze/pg_query_go/v6"
)

// The parser's tree is as deep as its text is nested, and it is walked by recursion: a tree that is deep enough ends the whole process. So the depth is
// bounded before anything is parsed. A text of fewer than shallow bytes cannot be that deep: each level takes at least two.
const (
	deepest = 5000
	shallow = 2 * deepest
)

// parse reads a text with PostgreSQL's parser.
func parse(text string) (*pg.ParseResult, error) {
	if len(text) > shallow {
		if err := checkDepth(text); err != nil {
			return nil, err
		}
	}
	return pg.Parse(text)
}

// checkDepth bounds how deep the tree can be: every operator, keyword and bracket of an expression may be a level. Commas begin anew, and what
// stands in parentheses adds to what stands around them.
func checkDepth(text string) error {
	scanned, err := pg.Scan(text)
	if err != nil {
		return err
	}
	levels, depth := []int{0}, 0
	for _, token := range scanned.Tokens {
		last := len(levels) - 1
		switch token.Token {
		case pg.Token_ASCII_44, pg.Token_ASCII_59: // comma, semicolon
			depth -= levels[last]
			levels[last] = 0
			continue
		case pg.Token_ASCII_40: // opening parenthesis
			levels = append(levels, 0)
		case pg.Token_ASCII_41: // closing
			if last > 0 {
				depth -= levels[last] + 1
				levels = levels[:last]
			}
			continue
		case pg.Token_IDENT, pg.Token_ICONST, pg.Token_FCONST, pg.Token_SCONST:
			continue
		default:
			levels[last]++
		}
		if depth++; depth > deepest {
			return &SyntaxError{Message: fmt.Sprintf("the text nests deeper than the %d levels that are read", deepest), Place: PlaceAt(text, int(token.Start))}
		}
	}
	return nil
}
