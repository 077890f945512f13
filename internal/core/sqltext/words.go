package sqltext

import (
	"strings"

	pg "github.com/pganalyze/pg_query_go/v6"
)

// Words adds to a set the names that may stand for tables and columns in a text: its identifiers, as the server folds them. A text that is no SQL has none.
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
		case token.Token == pg.Token_IDENT || token.KeywordKind == pg.KeywordKind_UNRESERVED_KEYWORD || token.KeywordKind == pg.KeywordKind_COL_NAME_KEYWORD:
			into[strings.ToLower(word)] = true
		}
	}
}

// Reserved tells whether a word is one of SQL's own that cannot be a name without double quotes.
func Reserved(word string) bool {
	tokens, err := scan(word)
	return err == nil && len(tokens) == 1 && tokens[0].KeywordKind == pg.KeywordKind_RESERVED_KEYWORD
}
