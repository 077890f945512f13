package sqltext

import (
	"slices"
	"strings"

	pg "github.com/pganalyze/pg_query_go/v6"
)

// A Mistake is the likely reason why a text is no SQL.
type Mistake string

const (
	MistakeKeyword        Mistake = "keyword"         // a misspelt keyword: Word is written for Meant
	MistakeComma          Mistake = "comma"           // a comma is missing before Word
	MistakeTrailingComma  Mistake = "trailing-comma"  // a comma too many before Word
	MistakeSemicolon      Mistake = "semicolon"       // a statement begins at Word without a semicolon before it
	MistakeReserved       Mistake = "reserved"        // Word is a keyword that cannot be a name
	MistakeParenthesis    Mistake = "parenthesis"     // one is not closed
	MistakeClosing        Mistake = "closing"         // one is closed that was not opened
	MistakeQuote          Mistake = "quote"           // a text in single quotes is not closed
	MistakeNameQuote      Mistake = "name-quote"      // a name in double quotes is not closed
	MistakeComment        Mistake = "comment"         // a comment is not closed
	MistakeEnd            Mistake = "end"             // something is missing at the end
	MistakeClauseOrder    Mistake = "clause-order"    // the clause Word comes too late or too early
	MistakeCase           Mistake = "case"            // CASE without END
	MistakeDoubleOperator Mistake = "double-operator" // == for =
	MistakeOperator       Mistake = "operator"        // Word is written for the operator Meant
	MistakeMissing        Mistake = "missing"         // the keyword Meant is missing before Word
	MistakeApostrophe     Mistake = "apostrophe"      // a quote within a text is not written twice
	MistakeOpening        Mistake = "opening"         // the text Word has no quote at its beginning
	MistakeText           Mistake = "text"            // the text Word has no quotes
	MistakeNumber         Mistake = "number"          // the number Word has a comma in it
	MistakeInterval       Mistake = "interval"        // the interval Word has no INTERVAL and no quotes
	MistakeStar           Mistake = "star"            // count * without parentheses: Word is the function
	MistakeWindow         Mistake = "window"          // OVER without parentheses
	MistakeTable          Mistake = "table"           // a join without its table
	MistakeName           Mistake = "name"            // AS without a name
	// a subquery without parentheses, after Word, or none where one is needed
	MistakeSubquery  Mistake = "subquery"
	MistakeOn        Mistake = "on"         // a join has no condition
	MistakeList      Mistake = "list"       // IN without parentheses
	MistakeBetween   Mistake = "between"    // BETWEEN a, b
	MistakeIs        Mistake = "is"         // IS before a value: Word is written for the operator Meant
	MistakePattern   Mistake = "pattern"    // LIKE with the pattern Word, which is not in quotes
	MistakeEarlyEnd  Mistake = "early-end"  // a semicolon where a comma is meant
	MistakeAlias     Mistake = "alias"      // an alias in single quotes, or of several words
	MistakeTop       Mistake = "top"        // TOP n
	MistakeLimitPair Mistake = "limit-pair" // LIMIT skip, take
	MistakeChain     Mistake = "chain"      // a < b < c
	MistakeExtra     Mistake = "extra"      // Word is too many
	MistakeBackQuote Mistake = "back-quote" // the name Word stands in back quotes
	MistakeBrackets  Mistake = "brackets"   // the name Word stands in square brackets
	MistakeNot       Mistake = "not"        // NOT before an operator, for which Meant is written
	MistakeNulls     Mistake = "nulls"      // NULLS without FIRST or LAST
	MistakeDistinct  Mistake = "distinct"   // DISTINCT elsewhere than behind SELECT
	MistakeBothWays  Mistake = "both-ways"  // ASC and DESC
)

// A Diagnosis is a mistake in the syntax, where it is, and, where it is known, what the text would be without it.
type Diagnosis struct {
	Mistake Mistake
	Word    string
	Meant   string
	Offset  int
	Mended  string
}

// keywords that learners write, to find misspelt ones by.
var keywords = strings.Fields(
	`SELECT FROM WHERE GROUP BY HAVING ORDER LIMIT OFFSET DISTINCT JOIN LEFT RIGHT FULL INNER OUTER CROSS NATURAL ON
USING AS AND OR NOT IN IS NULL
	LIKE ILIKE BETWEEN EXISTS UNION INTERSECT EXCEPT ALL CASE WHEN THEN ELSE END ASC DESC WITH OVER PARTITION VALUES
	FETCH FIRST ROWS ONLY`,
)

// DiagnoseSyntax looks for the likely reason of a syntax error at a byte offset of a text: it tries small changes
// around it, and takes the first that makes the text SQL. isName tells names of tables and columns; it may be nil.
func DiagnoseSyntax(text string, message string, offset int, isName func(string) bool) *Diagnosis {
	switch {
	case strings.HasPrefix(message, "unterminated quoted string"):
		return openingQuote(text, offset)
	case strings.HasPrefix(message, "unterminated quoted identifier"):
		return &Diagnosis{Mistake: MistakeNameQuote, Offset: offset}
	case strings.HasPrefix(message, "unterminated /* comment"):
		return &Diagnosis{Mistake: MistakeComment, Offset: offset}
	case len(text) > longestExplained:
		return nil
	}
	if found := apostrophe(text, offset); found != nil {
		return found
	}
	tokens, err := scan(text)
	if err != nil || len(tokens) == 0 {
		return nil
	}
	f := &diagnosing{text: text, isName: func(word string) bool { return isName != nil && isName(word) }}
	for _, t := range tokens {
		if t.Token != pg.Token_SQL_COMMENT && t.Token != pg.Token_C_COMMENT {
			f.tokens = append(f.tokens, t)
		}
	}
	f.at = slices.IndexFunc(f.tokens, func(t *pg.ScanToken) bool { return int(t.Start) >= offset })
	if f.at < 0 || strings.HasSuffix(message, "at end of input") {
		f.at = len(f.tokens)
	}
	for _, try := range []func() *Diagnosis{
		f.foreignQuotes, f.parentheses, f.caseEnd, f.not, f.misplaced, f.keyword, f.trailingComma, f.semicolon,
		f.operator, f.top, f.limitPair, f.list, f.between, f.is, f.pattern, f.alias, f.earlyEnd, f.chain, f.subquery,
		f.name, f.interval, f.unquoted, f.missing, f.on, f.number, f.star, f.window, f.reserved, f.comma, f.extra,
		f.clauseOrder,
	} {
		if found := try(); found != nil {
			return found
		}
	}
	if f.at == len(f.tokens) {
		return &Diagnosis{Mistake: MistakeEnd, Offset: len(strings.TrimRight(text, " \t\r\n"))}
	}
	return nil
}

type diagnosing struct {
	text   string
	tokens []*pg.ScanToken
	tries  int
	isName func(string) bool
	at     int // of the token that the error names; len(tokens) for the end
}

func (f *diagnosing) word(i int) string {
	if i < 0 || i >= len(f.tokens) {
		return ""
	}
	return f.text[f.tokens[i].Start:f.tokens[i].End]
}

// with is the text with a piece put in place of another.
func (f *diagnosing) with(start, end int32, piece string) string {
	return f.text[:start] + piece + f.text[end:]
}

// without is the text without some tokens, and the spaces behind them.
func (f *diagnosing) without(first, last int) string {
	return f.text[:f.tokens[first].Start] + strings.TrimLeft(f.text[f.tokens[last].End:], " ")
}

// mostTries bounds how many changes are tried on one text, and mostTried how many bytes of changed texts there are:
// each is parsed.
const (
	mostTries = 100
	mostTried = 200_000
)

func (f *diagnosing) reads(text string) bool {
	f.tries++
	return f.tries <= mostTries && f.tries*len(text) <= mostTried && reads(text)
}

func reads(text string) bool {
	_, err := parse(text)
	return err == nil
}

func (f *diagnosing) parentheses() *Diagnosis {
	var open []int
	for i, t := range f.tokens {
		switch t.Token {
		case pg.Token_ASCII_40:
			open = append(open, i)
		case pg.Token_ASCII_41:
			if len(open) == 0 {
				return &Diagnosis{Mistake: MistakeClosing, Offset: int(t.Start)}
			}
			open = open[:len(open)-1]
		}
	}
	if len(open) == 0 {
		return nil
	}
	return &Diagnosis{Mistake: MistakeParenthesis, Offset: int(f.tokens[open[len(open)-1]].Start)}
}

func (f *diagnosing) caseEnd() *Diagnosis {
	var open []int
	for i, t := range f.tokens {
		if t.Token == pg.Token_CASE {
			open = append(open, i)
		} else if t.Token == pg.Token_END_P && len(open) > 0 {
			open = open[:len(open)-1]
		}
	}
	if len(open) == 0 {
		return nil
	}
	return &Diagnosis{Mistake: MistakeCase, Offset: int(f.tokens[open[len(open)-1]].Start)}
}

// keyword tries for the words around the error whether a keyword like them makes the text SQL.
func (f *diagnosing) keyword() *Diagnosis {
	for _, i := range []int{f.at, f.at - 1, f.at - 2, f.at - 3} {
		word := f.word(i)
		if len(word) < 2 || strings.ContainsAny(word, `"'`) || slices.Contains(keywords, strings.ToUpper(word)) {
			continue
		}
		for _, k := range nearest(strings.ToUpper(word), keywords) {
			if mended := f.with(f.tokens[i].Start, f.tokens[i].End, k); f.reads(mended) {
				return &Diagnosis{
					Mistake: MistakeKeyword,
					Word:    word,
					Meant:   k,
					Offset:  int(f.tokens[i].Start),
					Mended:  mended,
				}
			}
		}
	}
	return nil
}

func (f *diagnosing) trailingComma() *Diagnosis {
	i := f.at - 1
	if f.word(i) != "," || f.word(f.at) == "," {
		return nil
	}
	if mended := f.with(f.tokens[i].Start, f.tokens[i].End, ""); f.reads(mended) {
		return &Diagnosis{
			Mistake: MistakeTrailingComma,
			Word:    f.word(f.at),
			Offset:  int(f.tokens[i].Start),
			Mended:  mended,
		}
	}
	return nil
}

func (f *diagnosing) semicolon() *Diagnosis {
	if f.at == 0 || !slices.Contains(
		[]string{"SELECT", "WITH", "VALUES", "INSERT", "UPDATE", "DELETE", "CREATE", "DROP"},
		strings.ToUpper(f.word(f.at)),
	) {
		return nil
	}
	start := f.tokens[f.at].Start
	if mended := f.with(start, start, "; "); f.reads(f.text[:start]) && f.reads(mended) {
		return &Diagnosis{Mistake: MistakeSemicolon, Word: f.word(f.at), Offset: int(start)}
	}
	return nil
}

func (f *diagnosing) reserved() *Diagnosis {
	for _, i := range []int{f.at, f.at - 1} {
		if i < 0 || i >= len(f.tokens) || f.tokens[i].KeywordKind != pg.KeywordKind_RESERVED_KEYWORD ||
			f.word(i+1) == "(" {
			continue
		}
		name := strings.ToLower(f.word(i))
		if !f.isName(name) && !slices.Contains(
			[]string{"SELECT", ",", ".", "AS", "FROM", "JOIN"}, strings.ToUpper(f.word(i-1)),
		) {
			// it is no name that is meant
			continue
		}
		if mended := f.with(f.tokens[i].Start, f.tokens[i].End, `"`+name+`"`); f.reads(mended) &&
			!slices.Contains([]string{"select", "from", "where"}, name) {
			return &Diagnosis{Mistake: MistakeReserved, Word: f.word(i), Offset: int(f.tokens[i].Start), Mended: mended}
		}
	}
	return nil
}

func (f *diagnosing) comma() *Diagnosis {
	for _, i := range []int{f.at, f.at - 1} {
		if i <= 0 || i >= len(f.tokens) {
			continue
		}
		before := f.tokens[i-1].End
		if slices.Contains(keywords, strings.ToUpper(f.word(i))) ||
			slices.Contains(keywords, strings.ToUpper(f.word(i-1))) {
			// they are no names
			continue
		}
		if mended := f.with(before, before, ","); f.reads(mended) {
			return &Diagnosis{Mistake: MistakeComma, Word: f.word(i), Offset: int(f.tokens[i].Start), Mended: mended}
		}
	}
	return nil
}

// clauseOrder is for clauses in another order than SQL's.
func (f *diagnosing) clauseOrder() *Diagnosis {
	word := strings.ToUpper(f.word(f.at))
	if !slices.Contains([]string{"FROM", "WHERE", "GROUP", "HAVING", "ORDER", "LIMIT", "JOIN", "LEFT", "INNER"}, word) {
		return nil
	}
	if !slices.ContainsFunc(
		f.tokens[:f.at], func(t *pg.ScanToken) bool { return t.Token == pg.Token_SELECT },
	) || f.at == 0 || f.word(f.at-1) == "," {
		return nil
	}
	if slices.Contains(
		[]string{"LEFT", "RIGHT", "FULL", "INNER", "OUTER", "CROSS", "NATURAL"}, strings.ToUpper(f.word(f.at-1)),
	) {
		// a join of two kinds
		return nil
	}
	return &Diagnosis{Mistake: MistakeClauseOrder, Word: word, Offset: int(f.tokens[f.at].Start)}
}
