package sqltext

import (
	"strings"

	pg "github.com/pganalyze/pg_query_go/v6"
)

// words are what other databases write where a word or a sign stands here, by its text in lower case.
var words = map[string]struct{ here, instead string }{
	"sysdate": {"now(), or CURRENT_DATE for the day", "now()"},
	"minus":   {"EXCEPT", "EXCEPT"},
	"regexp":  {"~, as in name ~ '^B'", "~"},
	"rlike":   {"~, as in name ~ '^B'", "~"},
	"div":     {"/ between whole numbers", "/"},
	"mod":     {"%", "%"},
	"<=>":     {"IS NOT DISTINCT FROM", "IS NOT DISTINCT FROM"},
	"&&":      {"AND", "AND"},
	"||":      {"OR", "OR"},
	"!":       {"NOT", "NOT "},
	"==":      {"=", "="},
	"#":       {"-- before a remark", "--"},
}

// FindWord finds a word or a sign of another database at a place, or just before it; nil for none. It does not look
// whether the word means something here as well: || joins texts.
func FindWord(text string, at int) *Habit {
	if len(text) > longestExplained || at < 0 {
		return nil
	}
	tokens, err := scan(text)
	if err != nil {
		return nil
	}
	for i, t := range tokens {
		if at < int(t.Start) || at > int(t.End)+1 && !(i+1 < len(tokens) && at <= int(tokens[i+1].Start)) {
			continue
		}
		word := text[t.Start:t.End]
		known, is := words[strings.ToLower(word)]
		if !is {
			continue
		}
		found := &Habit{Word: word, Here: known.here, Offset: int(t.Start)}
		if mended := text[:t.Start] + known.instead + text[t.End:]; reads(mended) {
			found.Mended = mended
		}
		return found
	}
	return nil
}

// IsOuterMark tells whether (+) stands at a place, by which other databases mark the side of a join that may be
// missing.
func IsOuterMark(text string, at int) bool {
	tokens, err := scan(text)
	if err != nil {
		return false
	}
	for i := 2; i < len(tokens); i++ {
		from, to := int(tokens[i-2].Start), int(tokens[i].End)
		if at >= from && at <= to && strings.Join(strings.Fields(text[from:to]), "") == "(+)" {
			return true
		}
	}
	return false
}

// WithoutDual is the text without FROM DUAL, which other databases need where nothing is read; "" where that is no
// query then.
func WithoutDual(text string) string {
	tokens, err := scan(text)
	if err != nil {
		return ""
	}
	for i := 1; i < len(tokens); i++ {
		if tokens[i-1].Token == pg.Token_FROM && strings.EqualFold(text[tokens[i].Start:tokens[i].End], "dual") {
			mended := strings.TrimRight(text[:tokens[i-1].Start], " \t\n") + text[tokens[i].End:]
			if reads(mended) {
				return mended
			}
		}
	}
	return ""
}

// Concatenated is the text with || in place of the + at a place, and of those beside it in the same sum; "" where there
// is none.
func Concatenated(text string, at int) string {
	tokens, err := scan(text)
	if err != nil || at < 0 {
		return ""
	}
	plus := func(i int) bool { return text[tokens[i].Start:tokens[i].End] == "+" }
	of := -1
	for i := range tokens {
		if int(tokens[i].Start) == at && plus(i) {
			of = i
		}
	}
	if of < 0 {
		return ""
	}
	replaced := map[int]bool{of: true}
	for _, step := range []int{1, -1} {
		depth := 0
	along:
		for i := of + step; i >= 0 && i < len(tokens); i += step {
			switch word := text[tokens[i].Start:tokens[i].End]; {
			case word == "(" || word == ")":
				if depth += map[bool]int{true: step, false: -step}[word == "("]; depth < 0 {
					break along
				}
			case depth > 0:
			case plus(i):
				replaced[i] = true
			case word == "," || word == ";" || tokens[i].KeywordKind == pg.KeywordKind_RESERVED_KEYWORD:
				break along
			}
		}
	}
	mended := text
	for i := len(tokens) - 1; i >= 0; i-- {
		if replaced[i] {
			mended = mended[:tokens[i].Start] + "||" + mended[tokens[i].End:]
		}
	}
	if !reads(mended) {
		return ""
	}
	return mended
}
