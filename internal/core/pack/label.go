package pack

import (
	"regexp"
	"slices"
	"strings"

	"github.com/yuin/goldmark/ast"

	"examen/internal/core/sqltext"
)

// labels are the labels of code blocks that have a meaning.
var labels = []string{"sql example", "sql answer", "yaml check"}

// languages are what a misspelt label may begin with; and what stands alone may be one without its language.
var languages = strings.Fields("sql psql pgsql postgres postgresql plpgsql yaml yml")

var notLetters = regexp.MustCompile(`[^\pL]+`)

// label returns the label of a block if it has a meaning, otherwise "". A label that looks like one of these but isn't,
// or that stands where it has no meaning, is an error: its text would be shown to learners.
func (b *body) label(n *ast.FencedCodeBlock) string {
	written := strings.TrimSpace(string(n.Info.Segment.Value(b.source)))
	label := plainLabel(written)
	start, _ := b.lines(n.Info.Segment.Start, n.Info.Segment.Stop)
	if slices.Contains(labels, label) {
		if n.Parent().Kind() == ast.KindDocument {
			return label
		}
		b.fail(
			b.file, b.line(start),
			"a block %q stands within a list or a quotation, where it would be shown to learners as it is: begin "+
				"its line at the left margin",
			written,
		)
		return ""
	}
	if meant := meantLabel(label); meant != "" {
		b.fail(
			b.file, b.line(start),
			"the label %q is not known, and the block would be shown to learners as it is: %q is expected, if that "+
				"is what it is",
			written, meant,
		)
	}
	return ""
}

// plainLabel returns a label in lower-case letters, with single blanks.
func plainLabel(written string) string {
	return strings.ToLower(strings.Join(strings.Fields(written), " "))
}

// meantLabel returns the label that another one resembles; "" for none.
func meantLabel(label string) string {
	words := strings.Fields(notLetters.ReplaceAllString(label, " "))
	for i := range words { // one word of two: sqlanswer
		for _, language := range []string{"sql", "yaml", "yml"} {
			if rest, has := strings.CutPrefix(words[i], language); has && rest != "" {
				words = slices.Replace(words, i, i+1, language, rest)
			}
		}
	}
	known := len(words) > 0 && (len(words) == 1 || sqltext.Nearest(words[0], languages) != "")
	for _, word := range words {
		if near := sqltext.Nearest(word, []string{"example", "answer", "check"}); near != "" && known {
			return map[string]string{"example": "sql example", "answer": "sql answer", "check": "yaml check"}[near]
		}
	}
	return ""
}

// A code is a block of code, with its first line's number.
type code struct {
	text string
	line int
}

// leaks finds code shown to learners that is word for word one of the paper's accepted answers.
func (b *body) leaks(exercises []*Exercise) {
	answers := map[string]string{}
	own := map[int]bool{} // lines of the answers themselves
	for _, e := range exercises {
		own[e.Line] = true
		for _, sql := range append([]string{e.Reference}, e.Checking.Also...) {
			answers[wordForWord(sql)] = e.Slug
		}
	}
	for _, c := range b.codes {
		for _, statement := range strings.Split(c.text, ";") {
			slug, leaked := answers[wordForWord(statement)]
			if leaked && !own[c.line] && wordForWord(statement) != "" {
				b.fail(
					b.file, c.line,
					"this block is shown to learners, and it holds the accepted answer of %q word for word: change "+
						"it, or label it as sql answer",
					slug,
				)
				break
			}
		}
	}
}

// wordForWord normalizes a query's letter case, white space and semicolon.
func wordForWord(sql string) string {
	return strings.ToLower(strings.Join(strings.Fields(strings.TrimRight(strings.TrimSpace(sql), "; \n\t")), " "))
}
