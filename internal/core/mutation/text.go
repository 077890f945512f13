package mutation

import (
	"slices"
	"strings"

	"examen/internal/core/sqltext"
)

// A Text is a query as its author wrote it beside the same as it is written from its tree, so that a change of the tree
// is shown in the author's own text.
type Text struct {
	text, base string
	own, trees []sqltext.Token
	partner    []int // of each of the tree's tokens, the author's token that is it; -1 for none
}

// NewText puts a query's text beside what is written from its tree.
func NewText(text, base string) *Text {
	o := &Text{text: text, base: base, own: sqltext.Tokens(text), trees: sqltext.Tokens(base)}
	o.partner = aligned(o.trees, o.own)
	return o
}

// mostAligned bounds the table by which texts are aligned.
const mostAligned = 4_000_000

// aligned finds, for each token, the one that is it in another text: by a longest common subsequence.
func aligned(a, b []sqltext.Token) []int {
	if len(a)*len(b) > mostAligned {
		partner := make([]int, len(a))
		for i := range partner {
			partner[i] = -1
		}
		return partner
	}
	longest := make([][]int32, len(a)+1)
	for i := range longest {
		longest[i] = make([]int32, len(b)+1)
	}
	for i := len(a) - 1; i >= 0; i-- {
		for j := len(b) - 1; j >= 0; j-- {
			if a[i].Text == b[j].Text {
				longest[i][j] = longest[i+1][j+1] + 1
			} else {
				longest[i][j] = max(longest[i+1][j], longest[i][j+1])
			}
		}
	}
	partner := make([]int, len(a))
	for i, j := 0, 0; i < len(a); i++ {
		partner[i] = -1
		for j < len(b) && a[i].Text != b[j].Text && longest[i][j+1] == longest[i][j] {
			j++
		}
		if j < len(b) && a[i].Text == b[j].Text && longest[i][j] == longest[i+1][j+1]+1 {
			partner[i] = j
			j++
		}
	}
	return partner
}

// Edit shows a changed tree's text as a change of the author's: where that is not possible, of the tree's.
func (o *Text) Edit(changed string) Edit {
	tokens := sqltext.Tokens(changed)
	first := 0
	for first < len(tokens) && first < len(o.trees) && tokens[first].Text == o.trees[first].Text {
		first++
	}
	last := 0 // counted from the end
	for last < len(tokens)-first && last < len(o.trees)-first &&
		tokens[len(tokens)-1-last].Text == o.trees[len(o.trees)-1-last].Text {
		last++
	}
	first, last = o.slid(tokens, first, last)
	if e, ok := o.inOwn(changed, tokens, first, last); ok {
		return e
	}
	return Edit{
		Before: o.base[:begins(o.trees, first, len(o.base))], Was: between(o.base, o.trees, first, last),
		Is: between(changed, tokens, first, last), After: rest(o.base, o.trees, last),
	}.spaced()
}

// slid moves what was taken out or put in to where it reads best, among the places where it may as well stand: "b.x, "
// out of "b.x, b.y" rather than "x, b.".
func (o *Text) slid(tokens []sqltext.Token, first, last int) (int, int) {
	longer := o.trees
	if len(tokens) > len(longer) {
		longer = tokens
	}
	if first+last != min(len(tokens), len(o.trees)) {
		return first, last // something stands in something else's place
	}
	reads := func(first, last int) (n int) {
		if last < len(longer) && slices.Contains([]string{",", "and", "or"}, longer[len(longer)-1-last].Text) {
			n++
		}
		if slices.Contains([]string{",", "and", "or", "order", "where", "having", "not", "when"}, longer[first].Text) {
			n++
		}
		return n
	}
	best := first
	for by := 1; by <= first && longer[first-by].Text == longer[len(longer)-last-by].Text; by++ {
		if reads(first-by, last+by) > reads(best, last+first-best) {
			best = first - by
		}
	}
	return best, last + first - best
}

// inOwn is the edit in the author's text, if what comes of it is the changed tree.
func (o *Text) inOwn(changed string, tokens []sqltext.Token, first, last int) (Edit, bool) {
	from, to := 0, len(o.own) // the author's tokens that are replaced
	if first > 0 {
		if from = o.partner[first-1] + 1; from == 0 {
			return Edit{}, false
		}
	}
	if last > 0 {
		if to = o.partner[len(o.trees)-last]; to < 0 {
			return Edit{}, false
		}
	}
	if from > to {
		return Edit{}, false
	}
	e := Edit{
		Before: o.text[:begins(o.own, from, len(o.text))], Was: between(o.text, o.own, from, len(o.own)-to),
		Is: between(changed, tokens, first, last), After: rest(o.text, o.own, len(o.own)-to),
	}
	if from == to { // where a comment stands between the two tokens, it is put in beside that, not in it
		ended, next := 0, len(e.Before)
		if from > 0 {
			ended = o.own[from-1].End
		}
		switch comment := strings.TrimSpace(o.text[ended:next]) != ""; {
		case comment && e.leads():
			e.After = o.text[next:]
		case comment:
			e.Before, e.After = o.text[:ended], o.text[ended:]
		}
	}
	e = e.spaced()
	again, err := sqltext.Rewritten(e.Before + e.Is + e.After)
	return e, err == nil && again == changed
}

// begins is where the token of a number begins.
func begins(tokens []sqltext.Token, n, length int) int {
	if n < len(tokens) {
		return tokens[n].Start
	}
	return length
}

// between is the text of the tokens but for so many at the beginning and so many at the end.
func between(text string, tokens []sqltext.Token, first, last int) string {
	if first >= len(tokens)-last {
		return ""
	}
	return text[tokens[first].Start:tokens[len(tokens)-1-last].End]
}

// rest is the text after the tokens that are replaced, of which so many follow.
func rest(text string, tokens []sqltext.Token, last int) string {
	at := len(tokens) - last
	if at == 0 {
		return text
	}
	return text[tokens[at-1].End:]
}

// leading are words that are put in before what follows, others behind what stands before.
var leading = []string{"DISTINCT", "LEFT", "RIGHT", "FULL", "NOT"}

// leads tells whether what is put in begins with such a word.
func (e Edit) leads() bool {
	word, _, _ := strings.Cut(e.Is, " ")
	return slices.Contains(leading, word)
}

// spaced puts a space where what is put in between two tokens would run into one of them.
func (e Edit) spaced() Edit {
	if e.Is == "" {
		return e
	}
	if e.Was != "" {
		if endsWord(e.Before) && beginsWord(e.Is) {
			e.Is = " " + e.Is
		}
		if endsWord(e.Is) && beginsWord(e.After) {
			e.Is += " "
		}
		return e
	}
	// Before ends where the next token begins, After begins where the last one ends.
	after := strings.TrimLeft(e.After, " \t\r\n")
	if e.leads() && after != "" && !endsWord(e.Before) {
		return Edit{Before: e.Before, Is: e.Is + " ", After: after}
	}
	before := strings.TrimRight(e.Before, " \t\r\n")
	gap := e.Before[len(before):]
	if !strings.HasSuffix(before, "(") {
		before += " "
	}
	if gap == "" && after != "" && !strings.HasPrefix(after, ")") && !strings.HasPrefix(after, ",") {
		gap = " "
	}
	return Edit{Before: before, Is: e.Is, After: gap + after}
}

func beginsWord(s string) bool { return s != "" && isWord(s[0]) }
func endsWord(s string) bool   { return s != "" && isWord(s[len(s)-1]) }

func isWord(c byte) bool {
	return c == '_' || c == '"' || c >= '0' && c <= '9' || c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= 0x80
}
