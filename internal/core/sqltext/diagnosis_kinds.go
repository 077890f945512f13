package sqltext

import (
	"slices"
	"strings"

	pg "github.com/pganalyze/pg_query_go/v6"
)

// operators of other languages, and what SQL has for them.
var operators = map[string]string{
	"==": "=", "&&": "AND", "=>": ">=", "=<": "<=", "=!": "<>", "ASCENDING": "ASC", "DESCENDING": "DESC",
}

func (f *diagnosing) operator() *Diagnosis {
	for i := min(f.at, len(f.tokens)-1); i >= 0; i-- {
		word, end := f.word(i), f.tokens[i].End
		if word == "=" && f.word(i+1) == "=" {
			word, end = "==", f.tokens[i+1].End
		}
		meant := operators[strings.ToUpper(word)]
		if meant == "" {
			continue
		}
		if word == "==" {
			return &Diagnosis{Mistake: MistakeDoubleOperator, Word: word, Offset: int(f.tokens[i].Start)}
		}
		if mended := f.with(f.tokens[i].Start, end, meant); f.reads(mended) {
			return &Diagnosis{
				Mistake: MistakeOperator,
				Word:    word,
				Meant:   meant,
				Offset:  int(f.tokens[i].Start),
				Mended:  mended,
			}
		}
	}
	return nil
}

// top is for TOP n after SELECT, which other dialects have for LIMIT n at the end.
func (f *diagnosing) top() *Diagnosis {
	i := f.at - 1
	if !strings.EqualFold(f.word(i), "TOP") || f.at >= len(f.tokens) || f.tokens[f.at].Token != pg.Token_ICONST {
		return nil
	}
	r := &Diagnosis{Mistake: MistakeTop, Word: f.word(f.at), Offset: int(f.tokens[i].Start)}
	if mended := strings.TrimRight(f.without(i, f.at), "; \t\r\n") + " LIMIT " + r.Word; f.reads(mended) {
		r.Mended = mended
	}
	return r
}

// limitPair is for LIMIT skip, take.
func (f *diagnosing) limitPair() *Diagnosis {
	for i := f.at; i >= 0 && i+3 < len(f.tokens) && i > f.at-4; i-- {
		if f.tokens[i].Token == pg.Token_LIMIT && f.word(i+2) == "," {
			r := &Diagnosis{Mistake: MistakeLimitPair, Offset: int(f.tokens[i].Start)}
			if mended := f.with(
				f.tokens[i].Start, f.tokens[i+3].End, "LIMIT "+f.word(i+3)+" OFFSET "+f.word(i+1),
			); f.reads(mended) {
				r.Mended = mended
			}
			return r
		}
	}
	return nil
}

func (f *diagnosing) list() *Diagnosis {
	if f.at == 0 || f.at >= len(f.tokens) || f.tokens[f.at-1].Token != pg.Token_IN_P {
		return nil
	}
	last := f.at // of the values, which commas part
	for f.word(last+1) == "," && last+2 < len(f.tokens) {
		last += 2
	}
	start, end := f.tokens[f.at].Start, f.tokens[last].End
	if mended := f.with(start, end, "("+f.text[start:end]+")"); f.reads(mended) {
		return &Diagnosis{Mistake: MistakeList, Offset: int(start), Mended: mended}
	}
	return nil
}

func (f *diagnosing) between() *Diagnosis {
	if f.word(f.at) != "," || !slices.ContainsFunc(
		f.tokens[max(0, f.at-3):f.at], func(t *pg.ScanToken) bool { return t.Token == pg.Token_BETWEEN },
	) {
		return nil
	}
	if mended := f.with(f.tokens[f.at].Start, f.tokens[f.at].End, " AND"); f.reads(mended) {
		return &Diagnosis{Mistake: MistakeBetween, Offset: int(f.tokens[f.at].Start), Mended: mended}
	}
	return nil
}

// is is for IS before a value other than NULL, TRUE and FALSE.
func (f *diagnosing) is() *Diagnosis {
	i, meant := f.at-1, "="
	if strings.EqualFold(f.word(i), "NOT") {
		i, meant = i-1, "<>"
	}
	if i < 0 || f.tokens[i].Token != pg.Token_IS {
		return nil
	}
	if mended := f.with(f.tokens[i].Start, f.tokens[f.at-1].End, meant); f.reads(mended) {
		return &Diagnosis{
			Mistake: MistakeIs,
			Word:    strings.ToUpper(f.text[f.tokens[i].Start:f.tokens[f.at-1].End]),
			Meant:   meant,
			Offset:  int(f.tokens[i].Start),
			Mended:  mended,
		}
	}
	return nil
}

// pattern is for a pattern of LIKE that is not in quotes.
func (f *diagnosing) pattern() *Diagnosis {
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
		if mended := f.with(start, start+int32(len(word)), "'"+word+"'"); f.reads(mended) {
			return &Diagnosis{Mistake: MistakePattern, Word: word, Offset: int(start), Mended: mended}
		}
	}
	return nil
}

// alias is for an alias in single quotes, or of two words, where double quotes are meant.
func (f *diagnosing) alias() *Diagnosis {
	if f.at < 1 || f.at >= len(f.tokens) {
		return nil
	}
	start, end := f.tokens[f.at].Start, f.tokens[f.at].End
	word := strings.Trim(f.word(f.at), "'")
	if f.tokens[f.at-1].Token != pg.Token_AS || f.tokens[f.at].Token != pg.Token_SCONST {
		if f.at < 2 || f.tokens[f.at-2].Token != pg.Token_AS || f.tokens[f.at].Token != pg.Token_IDENT ||
			f.isName(f.word(f.at)) {
			return nil
		}
		start = f.tokens[f.at-1].Start
		word = f.text[start:end]
	}
	if mended := f.with(start, end, `"`+word+`"`); !strings.Contains(word, `"`) && f.reads(mended) {
		return &Diagnosis{Mistake: MistakeAlias, Word: word, Offset: int(start), Mended: mended}
	}
	return nil
}

func (f *diagnosing) earlyEnd() *Diagnosis {
	i := f.at - 1
	if f.word(i) != ";" {
		return nil
	}
	if mended := f.with(f.tokens[i].Start, f.tokens[i].End, ","); f.reads(mended) {
		return &Diagnosis{Mistake: MistakeEarlyEnd, Offset: int(f.tokens[i].Start), Mended: mended}
	}
	return nil
}

// on is for a join whose condition is missing before the error.
func (f *diagnosing) on() *Diagnosis {
	for i := f.at - 1; i >= 0 && f.tokens[i].Token != pg.Token_ON && f.tokens[i].Token != pg.Token_USING; i-- {
		if f.tokens[i].Token == pg.Token_JOIN {
			if before := f.tokens[f.at-1].End; f.reads(f.with(before, before, " ON true")) {
				return &Diagnosis{Mistake: MistakeOn, Offset: int(f.tokens[i].Start)}
			}
			return nil
		}
	}
	return nil
}

// chain is for a comparison of a comparison, where two comparisons are meant.
func (f *diagnosing) chain() *Diagnosis {
	compares := func(i int) bool { return slices.Contains([]string{"<", "<=", ">", ">=", "=", "<>", "!="}, f.word(i)) }
	for _, before := range []int{f.at - 2, f.at - 4} { // between them a column, or a table's column
		if !compares(f.at) || !compares(before) {
			continue
		}
		start, end := f.tokens[before+1].Start, f.tokens[f.at-1].End
		if mended := f.with(end, end, " AND "+f.text[start:end]); f.reads(mended) {
			return &Diagnosis{Mistake: MistakeChain, Offset: int(f.tokens[f.at].Start), Mended: mended}
		}
	}
	return nil
}

// extra is for a keyword that stands twice, and for a comma, AND or OR without anything on one of its sides. Nothing
// else is taken out: it would mean something else without.
func (f *diagnosing) extra() *Diagnosis {
	for _, i := range []int{f.at, f.at - 1} {
		word, before := strings.ToUpper(f.word(i)), strings.ToUpper(f.word(i-1))
		twice := word == before && slices.Contains(keywords, word)
		after := strings.ToUpper(f.word(i + 1))
		joins := word == "AND" || word == "OR"
		dangling := joins && (slices.Contains(
			[]string{"WHERE", "HAVING", "ON", "AND", "OR", "("}, before,
		) || slices.Contains(
			[]string{"ORDER", "GROUP", "HAVING", "LIMIT", "OFFSET", "FETCH", ")"}, after,
		)) ||
			word == "WHERE" && (before == "AND" || before == "OR")
		if word == "," && f.at < len(f.tokens) || twice || dangling {
			if mended := f.without(i, i); f.reads(mended) {
				return &Diagnosis{Mistake: MistakeExtra, Word: word, Offset: int(f.tokens[i].Start), Mended: mended}
			}
		}
	}
	return nil
}

// foreignQuotes is for names in back quotes or square brackets, as other databases have them.
func (f *diagnosing) foreignQuotes() *Diagnosis {
	var first *Diagnosis
	var b strings.Builder
	kept := int32(0)
	for i := 0; i < len(f.tokens); i++ {
		open := f.word(i)
		mistake, end := MistakeBackQuote, "`"
		if open == "[" {
			mistake, end = MistakeBrackets, "]"
		}
		if open != "`" && open != "[" || open == "[" && i > 0 && (f.tokens[i-1].Token == pg.Token_IDENT &&
			f.tokens[i-1].End == f.tokens[i].Start || f.tokens[i-1].Token == pg.Token_ARRAY) {
			continue
		}
		last := i + 1
		for last < len(f.tokens) && f.word(last) != end {
			last++
		}
		if last == len(f.tokens) || last == i+1 {
			return first
		}
		name := f.text[f.tokens[i].End:f.tokens[last].Start]
		if first == nil {
			first = &Diagnosis{Mistake: mistake, Word: name, Offset: int(f.tokens[i].Start)}
		}
		if last > i+2 || f.tokens[i+1].KeywordKind == pg.KeywordKind_RESERVED_KEYWORD || name != strings.ToLower(name) {
			name = `"` + strings.ReplaceAll(name, `"`, `""`) + `"`
		}
		b.WriteString(f.text[kept:f.tokens[i].Start] + name)
		kept, i = f.tokens[last].End, last
	}
	if first != nil {
		if mended := b.String() + f.text[kept:]; f.reads(mended) {
			first.Mended = mended
		}
	}
	return first
}

// opposites are comparisons, and what is true where they are not.
var opposites = map[string]string{"=": "<>", "<>": "=", "!=": "=", "<": ">=", "<=": ">", ">": "<=", ">=": "<"}

// not is for NOT between a value and a comparison.
func (f *diagnosing) not() *Diagnosis {
	for _, i := range []int{f.at, f.at - 1} {
		if meant := opposites[f.word(i+1)]; meant != "" && strings.EqualFold(f.word(i), "NOT") {
			r := &Diagnosis{
				Mistake: MistakeNot,
				Word:    "NOT " + f.word(i+1),
				Meant:   meant,
				Offset:  int(f.tokens[i].Start),
			}
			if mended := f.with(f.tokens[i].Start, f.tokens[i+1].End, meant); f.reads(mended) {
				r.Mended = mended
			}
			return r
		}
	}
	return nil
}

// misplaced is for words that need others beside them, or another place.
func (f *diagnosing) misplaced() *Diagnosis {
	for _, i := range []int{f.at, f.at - 1} {
		switch word, before := strings.ToUpper(f.word(i)), strings.ToUpper(f.word(i-1)); {
		case word == "NULLS" && !slices.Contains([]string{"FIRST", "LAST"}, strings.ToUpper(f.word(i+1))):
			return &Diagnosis{Mistake: MistakeNulls, Offset: int(f.tokens[i].Start)}
		case word == "DISTINCT" && i == f.at && before != "SELECT":
			return &Diagnosis{Mistake: MistakeDistinct, Offset: int(f.tokens[i].Start)}
		case word == "ASC" && before == "DESC", word == "DESC" && before == "ASC":
			return &Diagnosis{Mistake: MistakeBothWays, Offset: int(f.tokens[i].Start)}
		}
	}
	return nil
}

// missing tries keywords that may be missing before the word at the error.
func (f *diagnosing) missing() *Diagnosis {
	if f.at >= len(f.tokens) || f.at == 0 {
		return nil
	}
	before := func(i int, keyword string) *Diagnosis {
		start := f.tokens[i].Start
		if mended := f.with(start, start, keyword+" "); f.reads(mended) {
			return &Diagnosis{
				Mistake: MistakeMissing,
				Word:    f.word(i),
				Meant:   keyword,
				Offset:  int(start),
				Mended:  mended,
			}
		}
		return nil
	}
	word, last := strings.ToUpper(f.word(f.at)), strings.ToUpper(f.word(f.at-1))
	switch {
	case last == "ORDER", last == "GROUP", last == "PARTITION":
		return before(f.at, "BY")
	case word == "NULL", word == "NOT" && strings.EqualFold(f.word(f.at+1), "NULL"):
		return before(f.at, "IS")
	case last == "(":
		return before(f.at-1, "AS") // of WITH
	case last == "*" && strings.EqualFold(f.word(f.at-2), "SELECT"):
		return before(f.at, "FROM")
	case slices.ContainsFunc(
		f.tokens[max(0, f.at-4):f.at], func(t *pg.ScanToken) bool { return t.Token == pg.Token_CAST },
	):
		return before(f.at, "AS")
	}
	closed := 0
	for i := f.at - 1; i >= 0; i-- {
		switch f.tokens[i].Token {
		case pg.Token_ASCII_41:
			closed++
		case pg.Token_ASCII_40:
			if closed--; closed < 0 && !slices.Contains(
				[]string{"WHERE", "HAVING", "ON", "AND", "OR", "NOT", "("}, strings.ToUpper(f.word(i-1)),
			) {
				return nil // within a list, or a function's arguments
			}
		case pg.Token_BETWEEN:
			if r := before(f.at, "AND"); r != nil && f.at-i < 4 {
				r.Mistake = MistakeBetween
				return r
			}
		case pg.Token_WHERE, pg.Token_HAVING, pg.Token_ON:
			return before(f.at, "AND")
		case pg.Token_SELECT, pg.Token_FROM, pg.Token_BY, pg.Token_LIMIT:
			return nil
		}
	}
	return nil
}

// subquery is for a subquery of WITH without parentheses, and for what is no subquery behind EXISTS.
func (f *diagnosing) subquery() *Diagnosis {
	if f.at < 2 || f.at >= len(f.tokens) {
		return nil
	}
	if f.tokens[f.at-1].Token == pg.Token_AS && f.tokens[f.at].Token == pg.Token_SELECT {
		return &Diagnosis{Mistake: MistakeSubquery, Word: "AS", Offset: int(f.tokens[f.at].Start)}
	}
	if f.tokens[f.at-2].Token == pg.Token_EXISTS || f.tokens[f.at-1].Token == pg.Token_EXISTS {
		return &Diagnosis{Mistake: MistakeSubquery, Word: "EXISTS", Offset: int(f.tokens[f.at].Start)}
	}
	return nil
}

// name is for AS without a name behind it, and for a join without its table.
func (f *diagnosing) name() *Diagnosis {
	if f.at == 0 || f.at >= len(f.tokens) {
		return nil
	}
	switch last := f.tokens[f.at-1]; {
	case last.Token == pg.Token_FROM && f.at > 1 && f.tokens[f.at-2].Token == pg.Token_AS:
		// which takes FROM for the name
		return &Diagnosis{Mistake: MistakeName, Offset: int(f.tokens[f.at-2].Start)}
	case last.Token == pg.Token_AS && slices.Contains([]string{",", ")", "FROM"}, strings.ToUpper(f.word(f.at))):
		return &Diagnosis{Mistake: MistakeName, Offset: int(last.Start)}
	case last.Token == pg.Token_JOIN && (f.tokens[f.at].Token == pg.Token_ON || f.tokens[f.at].Token == pg.Token_USING):
		return &Diagnosis{Mistake: MistakeTable, Offset: int(last.Start)}
	}
	return nil
}

// apostrophe is for a quote within a text that is not written twice: the text ends there, and a letter follows at once.
func apostrophe(text string, offset int) *Diagnosis {
	letter := func(i int) bool {
		return i >= 0 && i < len(text) && (text[i]|0x20 >= 'a' && text[i]|0x20 <= 'z' || text[i] >= 0x80)
	}
	if offset < 1 || offset >= len(text) || text[offset-1] != '\'' || !letter(offset) || !letter(offset-2) {
		return nil
	}
	r := &Diagnosis{Mistake: MistakeApostrophe, Offset: offset - 1}
	mended := text[:offset] + "'"
	for i := offset; i < len(text); i++ {
		mended += text[i : i+1]
		if text[i] == '\'' && letter(i-1) && letter(i+1) {
			mended += "'"
		}
	}
	if reads(mended) {
		r.Mended = mended
	}
	return r
}

// openingQuote tells a text that ends with a quote, but does not begin with one, from one that is not ended.
func openingQuote(text string, offset int) *Diagnosis {
	start := min(max(offset, 0), len(text))
	for start > 0 && (text[start-1]|0x20 >= 'a' && text[start-1]|0x20 <= 'z' || text[start-1] >= 0x80 ||
		text[start-1] == '_') {
		start--
	}
	if start < offset && len(text) <= shallow {
		if mended := text[:start] + "'" + text[start:]; reads(mended) {
			return &Diagnosis{Mistake: MistakeOpening, Word: text[start:offset], Offset: start, Mended: mended}
		}
	}
	return &Diagnosis{Mistake: MistakeQuote, Offset: offset}
}

// unquoted is for a text of several words without quotes, behind a comparison.
func (f *diagnosing) unquoted() *Diagnosis {
	ident := func(i int) bool {
		return i < len(f.tokens) && f.tokens[i].KeywordKind != pg.KeywordKind_RESERVED_KEYWORD &&
			f.tokens[i].Token != pg.Token_SCONST && len(f.word(i)) > 1
	}
	first := f.at - 1
	if first < 1 || !slices.Contains(
		[]string{"=", "<>", "!=", "<", ">", "LIKE", "ILIKE"}, strings.ToUpper(f.word(first-1)),
	) || !ident(first) || !ident(f.at) || f.isName(f.word(first)) {
		return nil
	}
	for last := f.at; ident(last); last++ { // as few words as will do
		start, end := f.tokens[first].Start, f.tokens[last].End
		if mended := f.with(start, end, "'"+f.text[start:end]+"'"); f.reads(mended) {
			return &Diagnosis{Mistake: MistakeText, Word: f.text[start:end], Offset: int(start), Mended: mended}
		}
	}
	return nil
}

// number is for a comma between digits.
func (f *diagnosing) number() *Diagnosis {
	if f.at < 1 || f.at+1 >= len(f.tokens) || f.word(f.at) != "," || f.tokens[f.at-1].End != f.tokens[f.at].Start ||
		f.tokens[f.at].End != f.tokens[f.at+1].Start {
		return nil
	}
	isNumber := func(i int) bool { return f.tokens[i].Token == pg.Token_ICONST || f.tokens[i].Token == pg.Token_FCONST }
	if !isNumber(f.at-1) || !isNumber(f.at+1) {
		return nil
	}
	piece := "."
	if len(f.word(f.at+1)) == 3 {
		piece = ""
	}
	r := &Diagnosis{
		Mistake: MistakeNumber,
		Word:    f.text[f.tokens[f.at-1].Start:f.tokens[f.at+1].End],
		Offset:  int(f.tokens[f.at].Start),
	}
	if mended := f.with(f.tokens[f.at].Start, f.tokens[f.at].End, piece); f.reads(mended) {
		r.Mended = mended
	}
	return r
}

// interval is for a number of years, months, days or the like without INTERVAL and quotes.
func (f *diagnosing) interval() *Diagnosis {
	for _, i := range []int{f.at, f.at + 1} { // the unit
		unit := strings.TrimSuffix(strings.ToLower(f.word(i)), "s")
		if i < 1 || f.tokens[min(i, len(f.tokens))-1].Token != pg.Token_ICONST || !slices.Contains(
			[]string{"year", "month", "week", "day", "hour", "minute", "second"}, unit,
		) {
			continue
		}
		start, end := f.tokens[i-1].Start, f.tokens[i].End
		first := start
		if strings.EqualFold(f.word(i-2), "INTERVAL") {
			first = f.tokens[i-2].Start
		}
		if mended := f.with(first, end, "INTERVAL '"+f.text[start:end]+"'"); f.reads(mended) {
			return &Diagnosis{Mistake: MistakeInterval, Word: f.text[start:end], Offset: int(start), Mended: mended}
		}
	}
	return nil
}

// star is for count * without parentheses.
func (f *diagnosing) star() *Diagnosis {
	i := f.at - 1
	if f.word(i) != "*" || !aggregates[strings.ToLower(f.word(i-1))] {
		return nil
	}
	if mended := f.with(f.tokens[i-1].End, f.tokens[i].End, "(*)"); f.reads(mended) {
		return &Diagnosis{
			Mistake: MistakeStar,
			Word:    strings.ToLower(f.word(i - 1)),
			Offset:  int(f.tokens[i].Start),
			Mended:  mended,
		}
	}
	return nil
}

// window is for OVER without parentheses.
func (f *diagnosing) window() *Diagnosis {
	for i := max(0, f.at-3); i < min(f.at, len(f.tokens)-1); i++ {
		if f.tokens[i].Token == pg.Token_OVER && slices.Contains(
			[]string{"PARTITION", "ORDER"}, strings.ToUpper(f.word(i+1)),
		) {
			return &Diagnosis{Mistake: MistakeWindow, Offset: int(f.tokens[i].Start)}
		}
	}
	return nil
}
