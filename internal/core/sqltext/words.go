package sqltext

import (
	"regexp"
	"strings"

	pg "github.com/pganalyze/pg_query_go/v6"
)

// Words adds to a set the names in a text that may be tables and columns: its identifiers, folded as the server folds
// them. Text that is not SQL has none.
func Words(text string, into map[string]bool) {
	tokens, err := scan(text)
	if err != nil {
		return
	}
	for _, token := range tokens {
		word := text[token.Start:token.End]
		switch {
		case strings.HasPrefix(word, `"`):
			into[strings.ReplaceAll(strings.Trim(word, `"`), `""`, `"`)] = true
		case token.Token == pg.Token_IDENT || token.KeywordKind == pg.KeywordKind_UNRESERVED_KEYWORD ||
			token.KeywordKind == pg.KeywordKind_COL_NAME_KEYWORD:
			into[strings.ToLower(word)] = true
		}
	}
}

// Quoted writes a name as SQL has it: in double quotes where it needs them.
func Quoted(name string) string {
	if plainName.MatchString(name) && !Reserved(name) {
		return name
	}
	return `"` + strings.ReplaceAll(name, `"`, `""`) + `"`
}

var plainName = regexp.MustCompile(`^[a-z_][a-z0-9_]*$`)

// Reserved tells whether a word is reserved, so that it can be a name only in double quotes.
func Reserved(word string) bool {
	tokens, err := scan(word)
	return err == nil && len(tokens) == 1 && tokens[0].KeywordKind == pg.KeywordKind_RESERVED_KEYWORD
}

// Ended tells whether a text ends with a semicolon that ends a statement: one that stands in no text or comment.
func Ended(text string) bool {
	tokens, err := scan(text)
	if err != nil {
		return false // a quotation is open
	}
	for i := len(tokens) - 1; i >= 0; i-- {
		switch tokens[i].Token {
		case pg.Token_SQL_COMMENT, pg.Token_C_COMMENT:
		default:
			return tokens[i].Token == pg.Token_ASCII_59
		}
	}
	return false
}
