package sqltext

import (
	"slices"
	"strings"

	pg "github.com/pganalyze/pg_query_go/v6"
)

// A Slip is the likely reason why a text is no SQL.
type Slip string

const (
	SlipKeyword        Slip = "keyword"         // a misspelt keyword: Word is written for Meant
	SlipComma          Slip = "comma"           // a comma is missing before Word
	SlipTrailingComma  Slip = "trailing-comma"  // a comma too many before Word
	SlipSemicolon      Slip = "semicolon"       // a statement begins at Word without a semicolon before it
	SlipReserved       Slip = "reserved"        // Word is a keyword that cannot be a name
	SlipParenthesis    Slip = "parenthesis"     // one is not closed
	SlipClosing        Slip = "closing"         // one is closed that was not opened
	SlipQuote          Slip = "quote"           // a text in single quotes is not closed
	SlipNameQuote      Slip = "name-quote"      // a name in double quotes is not closed
	SlipComment        Slip = "comment"         // a comment is not closed
	SlipEnd            Slip = "end"             // something is missing at the end
	SlipClauseOrder    Slip = "clause-order"    // the clause Word comes too late or too early
	SlipCase           Slip = "case"            // CASE without END
	SlipDoubleOperator Slip = "double-operator" // == for =
	SlipOperator       Slip = "operator"        // Word is written for the operator Meant
	SlipBy             Slip = "by"              // BY is missing after Word
	SlipOn             Slip = "on"              // a join has no condition
	SlipList           Slip = "list"            // IN without parentheses
	SlipBetween        Slip = "between"         // BETWEEN a, b
	SlipIs             Slip = "is"              // IS before a value: Word is written for the operator Meant
	SlipPattern        Slip = "pattern"         // LIKE with the pattern Word, which is not in quotes
	SlipEarlyEnd       Slip = "early-end"       // a semicolon where a comma is meant
	SlipAlias          Slip = "alias"           // an alias in single quotes, or of several words
	SlipTop            Slip = "top"             // TOP n
	SlipLimitPair      Slip = "limit-pair"      // LIMIT skip, take
	SlipChain          Slip = "chain"           // a < b < c
	SlipExtra          Slip = "extra"           // Word is too many
)

// A Repair is a slip, where it is, and, where it is known, what the text would be without it.
type Repair struct {
	Slip   Slip
	Word   string
	Meant  string
	Offset int
	Mended string
}

// keywords that learners write, to find misspelt ones by.
var keywords = strings.Fields(`SELECT FROM WHERE GROUP BY HAVING ORDER LIMIT OFFSET DISTINCT JOIN LEFT RIGHT FULL INNER OUTER CROSS NATURAL ON USING AS AND OR NOT IN IS NULL
	LIKE ILIKE BETWEEN EXISTS UNION INTERSECT EXCEPT ALL CASE WHEN THEN ELSE END ASC DESC WITH OVER PARTITION VALUES FETCH FIRST ROWS ONLY`)

// FindSlip looks for the likely reason of a syntax error at a byte offset of a text: it tries small changes around it, and takes the first that
// makes the text SQL.
func FindSlip(text string, message string, offset int) *Repair {
	switch {
	case strings.HasPrefix(message, "unterminated quoted string"):
		return &Repair{Slip: SlipQuote, Offset: offset}
	case strings.HasPrefix(message, "unterminated quoted identifier"):
		return &Repair{Slip: SlipNameQuote, Offset: offset}
	case strings.HasPrefix(message, "unterminated /* comment"):
		return &Repair{Slip: SlipComment, Offset: offset}
	case len(text) > shallow:
		return nil
	}
	scanned, err := pg.Scan(text)
	if err != nil || len(scanned.Tokens) == 0 {
		return nil
	}
	f := &slips{text: text}
	for _, t := range scanned.Tokens {
		if t.Token != pg.Token_SQL_COMMENT && t.Token != pg.Token_C_COMMENT {
			f.tokens = append(f.tokens, t)
		}
	}
	f.at = slices.IndexFunc(f.tokens, func(t *pg.ScanToken) bool { return int(t.Start) >= offset })
	if f.at < 0 || strings.HasSuffix(message, "at end of input") {
		f.at = len(f.tokens)
	}
	for _, try := range []func() *Repair{f.parentheses, f.caseEnd, f.keyword, f.trailingComma, f.semicolon, f.operator, f.by, f.top, f.limitPair, f.list, f.between, f.is, f.pattern, f.alias,
		f.earlyEnd, f.chain, f.on, f.reserved, f.comma, f.extra, f.clauseOrder} {
		if found := try(); found != nil {
			return found
		}
	}
	if f.at == len(f.tokens) {
		return &Repair{Slip: SlipEnd, Offset: len(strings.TrimRight(text, " \t\r\n"))}
	}
	return nil
}

type slips struct {
	text   string
	tokens []*pg.ScanToken
	at     int // of the token that the error names; len(tokens) for the end
}

func (f *slips) word(i int) string {
	if i < 0 || i >= len(f.tokens) {
		return ""
	}
	return f.text[f.tokens[i].Start:f.tokens[i].End]
}

// with is the text with a piece put in place of another.
func (f *slips) with(start, end int32, piece string) string {
	return f.text[:start] + piece + f.text[end:]
}

// without is the text without some tokens, and the spaces behind them.
func (f *slips) without(first, last int) string {
	return f.text[:f.tokens[first].Start] + strings.TrimLeft(f.text[f.tokens[last].End:], " ")
}

func reads(text string) bool {
	_, err := parse(text)
	return err == nil
}

func (f *slips) parentheses() *Repair {
	var open []int
	for i, t := range f.tokens {
		switch t.Token {
		case pg.Token_ASCII_40:
			open = append(open, i)
		case pg.Token_ASCII_41:
			if len(open) == 0 {
				return &Repair{Slip: SlipClosing, Offset: int(t.Start)}
			}
			open = open[:len(open)-1]
		}
	}
	if len(open) == 0 {
		return nil
	}
	return &Repair{Slip: SlipParenthesis, Offset: int(f.tokens[open[len(open)-1]].Start)}
}

func (f *slips) caseEnd() *Repair {
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
	return &Repair{Slip: SlipCase, Offset: int(f.tokens[open[len(open)-1]].Start)}
}

// keyword tries for the words around the error whether a keyword like them makes the text SQL.
func (f *slips) keyword() *Repair {
	for _, i := range []int{f.at, f.at - 1, f.at - 2, f.at - 3} {
		word := f.word(i)
		if len(word) < 2 || strings.ContainsAny(word, `"'`) || slices.Contains(keywords, strings.ToUpper(word)) {
			continue
		}
		for _, k := range nearest(strings.ToUpper(word), keywords) {
			if mended := f.with(f.tokens[i].Start, f.tokens[i].End, k); reads(mended) {
				return &Repair{Slip: SlipKeyword, Word: word, Meant: k, Offset: int(f.tokens[i].Start), Mended: mended}
			}
		}
	}
	return nil
}

func (f *slips) trailingComma() *Repair {
	i := f.at - 1
	if f.word(i) != "," || f.word(f.at) == "," {
		return nil
	}
	if mended := f.with(f.tokens[i].Start, f.tokens[i].End, ""); reads(mended) {
		return &Repair{Slip: SlipTrailingComma, Word: f.word(f.at), Offset: int(f.tokens[i].Start), Mended: mended}
	}
	return nil
}

func (f *slips) semicolon() *Repair {
	if f.at == 0 || !slices.Contains([]string{"SELECT", "WITH", "VALUES", "INSERT", "UPDATE", "DELETE", "CREATE", "DROP"}, strings.ToUpper(f.word(f.at))) {
		return nil
	}
	start := f.tokens[f.at].Start
	if mended := f.with(start, start, "; "); reads(f.text[:start]) && reads(mended) {
		return &Repair{Slip: SlipSemicolon, Word: f.word(f.at), Offset: int(start)}
	}
	return nil
}

// operators of other languages, and what SQL has for them.
var operators = map[string]string{"==": "=", "&&": "AND", "=>": ">=", "=<": "<=", "=!": "<>"}

func (f *slips) operator() *Repair {
	for i := min(f.at, len(f.tokens)-1); i >= 0; i-- {
		word, end := f.word(i), f.tokens[i].End
		if word == "=" && f.word(i+1) == "=" {
			word, end = "==", f.tokens[i+1].End
		}
		meant := operators[word]
		if meant == "" {
			continue
		}
		if word == "==" {
			return &Repair{Slip: SlipDoubleOperator, Word: word, Offset: int(f.tokens[i].Start)}
		}
		if mended := f.with(f.tokens[i].Start, end, meant); reads(mended) {
			return &Repair{Slip: SlipOperator, Word: word, Meant: meant, Offset: int(f.tokens[i].Start), Mended: mended}
		}
	}
	return nil
}

// by is for ORDER, GROUP or PARTITION without BY.
func (f *slips) by() *Repair {
	i := f.at - 1
	if word := strings.ToUpper(f.word(i)); slices.Contains([]string{"ORDER", "GROUP", "PARTITION"}, word) {
		if mended := f.with(f.tokens[i].End, f.tokens[i].End, " BY"); reads(mended) {
			return &Repair{Slip: SlipBy, Word: word, Offset: int(f.tokens[i].Start), Mended: mended}
		}
	}
	return nil
}

// top is for TOP n after SELECT, which other dialects have for LIMIT n at the end.
func (f *slips) top() *Repair {
	i := f.at - 1
	if !strings.EqualFold(f.word(i), "TOP") || f.at >= len(f.tokens) || f.tokens[f.at].Token != pg.Token_ICONST {
		return nil
	}
	r := &Repair{Slip: SlipTop, Word: f.word(f.at), Offset: int(f.tokens[i].Start)}
	if mended := strings.TrimRight(f.without(i, f.at), "; \t\r\n") + " LIMIT " + r.Word; reads(mended) {
		r.Mended = mended
	}
	return r
}

// limitPair is for LIMIT skip, take.
func (f *slips) limitPair() *Repair {
	for i := f.at; i >= 0 && i+3 < len(f.tokens) && i > f.at-4; i-- {
		if f.tokens[i].Token == pg.Token_LIMIT && f.word(i+2) == "," {
			return &Repair{Slip: SlipLimitPair, Offset: int(f.tokens[i].Start), Mended: f.with(f.tokens[i].Start, f.tokens[i+3].End, "LIMIT "+f.word(i+3)+" OFFSET "+f.word(i+1))}
		}
	}
	return nil
}

func (f *slips) list() *Repair {
	if f.at == 0 || f.at >= len(f.tokens) || f.tokens[f.at-1].Token != pg.Token_IN_P {
		return nil
	}
	last := f.at // of the values, which commas part
	for f.word(last+1) == "," && last+2 < len(f.tokens) {
		last += 2
	}
	start, end := f.tokens[f.at].Start, f.tokens[last].End
	if mended := f.with(start, end, "("+f.text[start:end]+")"); reads(mended) {
		return &Repair{Slip: SlipList, Offset: int(start), Mended: mended}
	}
	return nil
}

func (f *slips) between() *Repair {
	if f.word(f.at) != "," || !slices.ContainsFunc(f.tokens[max(0, f.at-3):f.at], func(t *pg.ScanToken) bool { return t.Token == pg.Token_BETWEEN }) {
		return nil
	}
	if mended := f.with(f.tokens[f.at].Start, f.tokens[f.at].End, " AND"); reads(mended) {
		return &Repair{Slip: SlipBetween, Offset: int(f.tokens[f.at].Start), Mended: mended}
	}
	return nil
}

// is is for IS before a value other than NULL, TRUE and FALSE.
func (f *slips) is() *Repair {
	i, meant := f.at-1, "="
	if strings.EqualFold(f.word(i), "NOT") {
		i, meant = i-1, "<>"
	}
	if i < 0 || f.tokens[i].Token != pg.Token_IS {
		return nil
	}
	if mended := f.with(f.tokens[i].Start, f.tokens[f.at-1].End, meant); reads(mended) {
		return &Repair{Slip: SlipIs, Word: strings.ToUpper(f.text[f.tokens[i].Start:f.tokens[f.at-1].End]), Meant: meant, Offset: int(f.tokens[i].Start), Mended: mended}
	}
	return nil
}

// pattern is for a pattern of LIKE that is not in quotes.
func (f *slips) pattern() *Repair {
	for i := min(f.at, len(f.tokens)) - 1; i >= 0; i-- {
		if f.tokens[i].Token != pg.Token_LIKE && f.tokens[i].Token != pg.Token_ILIKE {
			continue
		}
		rest := f.text[f.tokens[i].End:]
		word := strings.TrimLeft(rest, " \t\r\n")
		start := f.tokens[i].End + int32(len(rest)-len(word))
		if end := strings.IndexAny(word, " \t\r\n);"); end >= 0 {
			word = word[:end]
		}
		if word == "" || strings.ContainsAny(word, `'"`) || !strings.ContainsAny(word, "%_") {
			continue
		}
		if mended := f.with(start, start+int32(len(word)), "'"+word+"'"); reads(mended) {
			return &Repair{Slip: SlipPattern, Word: word, Offset: int(start), Mended: mended}
		}
	}
	return nil
}

// alias is for an alias in single quotes, or of two words, where double quotes are meant.
func (f *slips) alias() *Repair {
	if f.at < 1 || f.at >= len(f.tokens) {
		return nil
	}
	start, end := f.tokens[f.at].Start, f.tokens[f.at].End
	word := strings.Trim(f.word(f.at), "'")
	if f.tokens[f.at-1].Token != pg.Token_AS || f.tokens[f.at].Token != pg.Token_SCONST {
		if f.at < 2 || f.tokens[f.at-2].Token != pg.Token_AS || f.tokens[f.at].Token != pg.Token_IDENT {
			return nil
		}
		start = f.tokens[f.at-1].Start
		word = f.text[start:end]
	}
	if mended := f.with(start, end, `"`+word+`"`); !strings.Contains(word, `"`) && reads(mended) {
		return &Repair{Slip: SlipAlias, Word: word, Offset: int(start), Mended: mended}
	}
	return nil
}

func (f *slips) earlyEnd() *Repair {
	i := f.at - 1
	if f.word(i) != ";" {
		return nil
	}
	if mended := f.with(f.tokens[i].Start, f.tokens[i].End, ","); reads(mended) {
		return &Repair{Slip: SlipEarlyEnd, Offset: int(f.tokens[i].Start), Mended: mended}
	}
	return nil
}

// on is for a join whose condition is missing before the error.
func (f *slips) on() *Repair {
	for i := f.at - 1; i >= 0 && f.tokens[i].Token != pg.Token_ON && f.tokens[i].Token != pg.Token_USING; i-- {
		if f.tokens[i].Token == pg.Token_JOIN {
			if before := f.tokens[f.at-1].End; reads(f.with(before, before, " ON true")) {
				return &Repair{Slip: SlipOn, Offset: int(f.tokens[i].Start)}
			}
			return nil
		}
	}
	return nil
}

// chain is for a comparison of a comparison, where two comparisons are meant.
func (f *slips) chain() *Repair {
	compares := func(i int) bool { return slices.Contains([]string{"<", "<=", ">", ">=", "=", "<>", "!="}, f.word(i)) }
	for _, before := range []int{f.at - 2, f.at - 4} { // between them a column, or a table's column
		if !compares(f.at) || !compares(before) {
			continue
		}
		start, end := f.tokens[before+1].Start, f.tokens[f.at-1].End
		if mended := f.with(end, end, " AND "+f.text[start:end]); reads(mended) {
			return &Repair{Slip: SlipChain, Offset: int(f.tokens[f.at].Start), Mended: mended}
		}
	}
	return nil
}

// extra is for a keyword or a comma that stands where the text would be SQL without it.
func (f *slips) extra() *Repair {
	for _, i := range []int{f.at, f.at - 1} {
		word := strings.ToUpper(f.word(i))
		if dangling := word == "," || word == "AND" || word == "OR"; dangling && f.at < len(f.tokens) || i == f.at && slices.Contains(keywords, word) {
			if mended := f.without(i, i); reads(mended) {
				return &Repair{Slip: SlipExtra, Word: word, Offset: int(f.tokens[i].Start), Mended: mended}
			}
		}
	}
	return nil
}

func (f *slips) reserved() *Repair {
	for _, i := range []int{f.at, f.at - 1} {
		if i < 0 || i >= len(f.tokens) || f.tokens[i].KeywordKind != pg.KeywordKind_RESERVED_KEYWORD || f.word(i+1) == "(" {
			continue
		}
		name := strings.ToLower(f.word(i))
		if mended := f.with(f.tokens[i].Start, f.tokens[i].End, `"`+name+`"`); reads(mended) && !slices.Contains([]string{"select", "from", "where"}, name) {
			return &Repair{Slip: SlipReserved, Word: f.word(i), Offset: int(f.tokens[i].Start), Mended: mended}
		}
	}
	return nil
}

func (f *slips) comma() *Repair {
	for _, i := range []int{f.at, f.at - 1} {
		if i <= 0 || i >= len(f.tokens) {
			continue
		}
		before := f.tokens[i-1].End
		if mended := f.with(before, before, ","); reads(mended) {
			return &Repair{Slip: SlipComma, Word: f.word(i), Offset: int(f.tokens[i].Start), Mended: mended}
		}
	}
	return nil
}

// clauseOrder is for clauses in another order than SQL's.
func (f *slips) clauseOrder() *Repair {
	word := strings.ToUpper(f.word(f.at))
	if !slices.Contains([]string{"FROM", "WHERE", "GROUP", "HAVING", "ORDER", "LIMIT", "JOIN", "LEFT", "INNER"}, word) {
		return nil
	}
	if !slices.ContainsFunc(f.tokens[:f.at], func(t *pg.ScanToken) bool { return t.Token == pg.Token_SELECT }) || f.at == 0 || f.word(f.at-1) == "," {
		return nil
	}
	return &Repair{Slip: SlipClauseOrder, Word: word, Offset: int(f.tokens[f.at].Start)}
}
