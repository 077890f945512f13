package sqltext

import (
	"slices"
	"strings"
	"unicode/utf8"

	pg "github.com/pganalyze/pg_query_go/v6"
)

// Typographic characters that word processors put in place of those that SQL has, by what they stand for.
var typographic = map[rune]string{
	'‘': "'", '’': "'", '‚': "'", '‛': "'", '′': "'", '´': "'",
	'“': `"`, '”': `"`, '„': `"`, '‟': `"`, '″': `"`, '«': `"`, '»': `"`,
	'–': "-", '—': "-", '−': "-", '‐': "-", '‑': "-", '…': "...",
	'\u00a0': " ", '\u2002': " ", '\u2003': " ", '\u2007': " ", '\u2009': " ", '\u200a': " ", '\u202f': " ", '\u3000': " ",
	'\u200b': "", '\u200c': "", '\u200d': "", '\ufeff': "", '\u00ad': "",
	'（': "(", '）': ")", '，': ",", '；': ";", '＝': "=", '＊': "*",
}

// Mend replaces typographic quotes, dashes and spaces by those that SQL has, outside of texts in quotes and comments. Double quotes become
// single ones unless they hold a name, as isName tells. changed is where the first one stood, -1 where there is none. The text is an offer: it is
// never run in place of what was written.
func Mend(text string, isName func(string) bool) (mended string, changed int) {
	var b strings.Builder
	changed = -1
	for i := 0; i < len(text); {
		if n := skipQuoted(text[i:]); n > 0 {
			b.WriteString(text[i : i+n])
			i += n
			continue
		}
		c, size := utf8.DecodeRuneInString(text[i:])
		plain, has := typographic[c]
		if !has {
			b.WriteString(text[i : i+size])
			i += size
			continue
		}
		if changed < 0 {
			changed = i
		}
		i += size
		if plain != "'" && plain != `"` {
			b.WriteString(plain)
			continue
		}
		end := strings.IndexFunc(text[i:], func(c rune) bool { return typographic[c] == plain || string(c) == plain })
		if end < 0 {
			b.WriteString("'")
			continue
		}
		inner := text[i : i+end]
		_, last := utf8.DecodeRuneInString(text[i+end:])
		i += end + last
		quote := "'"
		if plain == `"` && isName != nil && isName(inner) {
			quote = `"`
		}
		b.WriteString(quote + strings.ReplaceAll(inner, quote, quote+quote) + quote)
	}
	return b.String(), changed
}

// skipQuoted is the length of the quoted text or comment that s begins with, 0 for anything else.
func skipQuoted(s string) int {
	switch {
	case strings.HasPrefix(s, "--"):
		if end := strings.IndexByte(s, '\n'); end >= 0 {
			return end
		}
		return len(s)
	case strings.HasPrefix(s, "/*"):
		return comment(s)
	case s[0] == '\'' || s[0] == '"':
		for i := 1; i < len(s); i++ {
			if s[i] == s[0] {
				if i+1 < len(s) && s[i+1] == s[0] {
					i++
					continue
				}
				return i + 1
			}
		}
	}
	return 0
}

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
	for _, try := range []func() *Repair{f.parentheses, f.caseEnd, f.keyword, f.trailingComma, f.semicolon, f.doubleOperator, f.reserved, f.comma, f.clauseOrder} {
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
	if f.word(i) != "," {
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

func (f *slips) doubleOperator() *Repair {
	if f.at < len(f.tokens) && (f.word(f.at) == "==" || f.word(f.at) == "=" && f.word(f.at-1) == "=") {
		return &Repair{Slip: SlipDoubleOperator, Word: "==", Offset: int(f.tokens[f.at].Start)}
	}
	return nil
}

func (f *slips) reserved() *Repair {
	for _, i := range []int{f.at, f.at - 1} {
		if i < 0 || i >= len(f.tokens) || f.tokens[i].KeywordKind != pg.KeywordKind_RESERVED_KEYWORD {
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

// nearest returns the words that are like a word, the likest first: at most one letter in three is another, missing or too many.
func nearest(word string, words []string) []string {
	type like struct {
		word  string
		edits int
	}
	var likes []like
	for _, w := range words {
		most := max(1, min(len(word), len(w))/3)
		if edits := distance(word, w, most); edits <= most && edits > 0 {
			likes = append(likes, like{w, edits})
		}
	}
	slices.SortStableFunc(likes, func(a, b like) int { return a.edits - b.edits })
	out := make([]string, len(likes))
	for i, l := range likes {
		out[i] = l.word
	}
	return out
}

// Nearest returns the word that is most like another, "" where none is like it. Case does not count.
func Nearest(word string, words []string) string {
	lower := make([]string, len(words))
	for i, w := range words {
		lower[i] = strings.ToLower(w)
	}
	if i := slices.Index(lower, strings.ToLower(word)); i >= 0 {
		return words[i]
	}
	if found := nearest(strings.ToLower(word), lower); len(found) > 0 {
		return words[slices.Index(lower, found[0])]
	}
	return ""
}

// distance counts the letters to change, add, leave out or swap with their neighbour to make one word the other (Damerau 1964, as optimal
// string alignment); it may stop above most.
func distance(a, b string, most int) int {
	if len(a)-len(b) > most || len(b)-len(a) > most {
		return most + 1
	}
	rows := make([][]int, len(a)+1)
	for i := range rows {
		rows[i] = make([]int, len(b)+1)
		rows[i][0] = i
	}
	for j := range rows[0] {
		rows[0][j] = j
	}
	for i := 1; i <= len(a); i++ {
		for j := 1; j <= len(b); j++ {
			cost := 1
			if a[i-1] == b[j-1] {
				cost = 0
			}
			rows[i][j] = min(rows[i-1][j]+1, rows[i][j-1]+1, rows[i-1][j-1]+cost)
			if i > 1 && j > 1 && a[i-1] == b[j-2] && a[i-2] == b[j-1] {
				rows[i][j] = min(rows[i][j], rows[i-2][j-2]+1)
			}
		}
	}
	return rows[len(a)][len(b)]
}

// Offset is where a place stands in its text, in bytes.
func (p Place) Offset(text string) int {
	offset := 0
	for range p.Line - 1 {
		next := strings.IndexByte(text[offset:], '\n')
		if next < 0 {
			return len(text)
		}
		offset += next + 1
	}
	for range p.Column - 1 {
		if offset >= len(text) {
			break
		}
		_, size := utf8.DecodeRuneInString(text[offset:])
		offset += size
	}
	return offset
}
