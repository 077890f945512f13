// Package sqltext reads SQL as text: it tells what a statement does, which constructs it uses and how it orders its
// rows. It reads with PostgreSQL's own parser and never runs anything.
package sqltext

import (
	"errors"
	"strings"
	"unicode/utf8"

	"github.com/pganalyze/pg_query_go/v6/parser"
)

// A Place is a position in a text. Line and Column count from 1, columns in characters; Text is the whole line, or ""
// of one that is longer than people write.
type Place struct {
	Line   int    `json:"line"`
	Column int    `json:"column"`
	Text   string `json:"text"`
}

// PlaceAt returns the place of a byte offset.
func PlaceAt(text string, offset int) Place {
	offset = min(max(offset, 0), len(text))
	start := strings.LastIndexByte(text[:offset], '\n') + 1
	end := len(text)
	if i := strings.IndexByte(text[start:], '\n'); i >= 0 {
		end = start + i
	}
	place := Place{Line: strings.Count(text[:start], "\n") + 1, Column: utf8.RuneCountInString(text[start:offset]) + 1}
	if end-start <= longestLine {
		place.Text = strings.TrimSuffix(text[start:end], "\r")
	}
	return place
}

// longestLine is how long a line may be, in bytes, that is shown with a place in it.
const longestLine = 2000

// Shorten cuts text that is not ours, such as a database's message, to a number of bytes.
func Shorten(text string, most int) string {
	if len(text) <= most {
		return text
	}
	return strings.ToValidUTF8(text[:most], "") + "…"
}

// PlaceAtRune returns the place of the n-th character, counted from 1, as PostgreSQL reports positions.
func PlaceAtRune(text string, n int) Place {
	offset := 0
	for range n - 1 {
		_, size := utf8.DecodeRuneInString(text[offset:])
		offset += size
	}
	return PlaceAt(text, offset)
}

// A SyntaxError is the parser's report on text that is not SQL.
type SyntaxError struct {
	Message string
	Place   Place
}

func (e *SyntaxError) Error() string { return e.Message }

// longestMessage is in bytes: it names what stands at the error, which may be long.
const longestMessage = 500

func syntaxError(text string, err error) error {
	var p *parser.Error
	var deep *SyntaxError
	if errors.As(err, &deep) {
		return deep
	}
	if !errors.As(err, &p) {
		return &SyntaxError{Message: Shorten(err.Error(), longestMessage), Place: PlaceAt(text, 0)}
	}
	p.Message = Shorten(p.Message, longestMessage)
	if p.Cursorpos <= 0 {
		return &SyntaxError{Message: p.Message, Place: PlaceAt(text, len(strings.TrimRight(text, " \t\r\n")))}
	}
	return &SyntaxError{Message: p.Message, Place: PlaceAtRune(text, p.Cursorpos)}
}

// leading counts the bytes of white space and comments before the first word.
func leading(s string) int {
	i := 0
	for i < len(s) {
		switch {
		case strings.ContainsRune(" \t\r\n\f\v", rune(s[i])):
			i++
		case strings.HasPrefix(s[i:], "--"):
			end := strings.IndexByte(s[i:], '\n')
			if end < 0 {
				return len(s)
			}
			i += end + 1
		case strings.HasPrefix(s[i:], "/*"):
			i += comment(s[i:])
		default:
			return i
		}
	}
	return i
}

// comment returns the length of the block comment that s begins with; block comments nest.
func comment(s string) int {
	depth, i := 0, 0
	for i < len(s) {
		switch {
		case strings.HasPrefix(s[i:], "/*"):
			depth++
			i += 2
		case strings.HasPrefix(s[i:], "*/"):
			depth--
			i += 2
			if depth == 0 {
				return i
			}
		default:
			i++
		}
	}
	return len(s)
}

// PlaceIn returns a place in part, a piece of text, as a place in the whole text.
func PlaceIn(text, part string, place Place) Place {
	before := strings.Index(text, part)
	if before < 0 {
		return place
	}
	start := PlaceAt(text, before)
	if place.Line == 1 {
		place.Column += start.Column - 1
	}
	place.Line += start.Line - 1
	lines := strings.Split(text, "\n")
	if place.Text = ""; len(lines[place.Line-1]) <= longestLine {
		place.Text = strings.TrimSuffix(lines[place.Line-1], "\r")
	}
	return place
}

// Offset returns the place's byte offset in its text.
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
