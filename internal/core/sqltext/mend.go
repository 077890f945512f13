package sqltext

import (
	"strings"
	"unicode/utf8"
)

// Typographic characters that word processors put in place of those that SQL has, by what they stand for.
var typographic = map[rune]string{
	'‘': "'", '’': "'", '‚': "'", '‛': "'", '′': "'", '´': "'",
	'“': `"`, '”': `"`, '„': `"`, '‟': `"`, '″': `"`, '«': `"`, '»': `"`,
	'–': "-", '—': "-", '−': "-", '‐': "-", '‑': "-", '…': "...",
	'\u00a0': " ", '\u2002': " ", '\u2003': " ", '\u2007': " ", '\u2009': " ", '\u200a': " ", '\u202f': " ",
	'\u3000': " ",
	'\u200b': "", '\u200c': "", '\u200d': "", '\ufeff': "", '\u00ad': "",
	'（': "(", '）': ")", '，': ",", '；': ";", '＝': "=", '＊': "*",
}

// Mend replaces typographic quotes, dashes and spaces by those that SQL has, outside of texts in quotes and comments.
// Double quotes become single ones unless they hold a name, as isName tells. changed is where the first one stood, -1
// where there is none. The text is an offer: it is never run in place of what was written.
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
