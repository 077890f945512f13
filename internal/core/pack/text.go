package pack

import (
	"bytes"
	"regexp"
	"strconv"
	"strings"

	"github.com/yuin/goldmark/ast"
	"github.com/yuin/goldmark/text"
	"gopkg.in/yaml.v3"
)

// A Part is a part of a paper's text as it is written: its front matter, or a section. The first section may have no
// heading.
type Part struct {
	Text  string
	Front bool
	Title string // of a section
	// Slug names a section: what its heading says in {#...}, or what becomes of its title. "" without a heading.
	Slug string
	// Exercise tells that the section holds an accepted answer.
	Exercise bool
}

// Parts cuts a paper's text into its front matter and its sections. The first part is the front matter; without any its
// text is empty. Put together again the parts are the text, byte for byte.
func Parts(paper string) []Part {
	front, body := FrontMatter(paper)
	all := []Part{{Text: front, Front: true}}
	lines := strings.SplitAfter(body, "\n")
	part := Part{}
	taken := 0
	end := func(until int) {
		part.Text = strings.Join(lines[taken:until], "")
		if part.Text != "" {
			all = append(all, part)
		}
		taken, part = until, Part{}
	}
	for _, m := range marks(body) {
		switch m.kind {
		case PieceHeading:
			end(m.from)
			part.Title, part.Slug = m.title, m.slug
			if part.Slug == "" {
				part.Slug = makeSlug(part.Title)
			}
		case PieceAnswer:
			part.Exercise = true
		}
	}
	end(len(lines))
	return all
}

// FrontMatter cuts a paper's text behind its front matter, whose lines and blanks stay as they are. It is empty where
// the text does not begin with one.
func FrontMatter(paper string) (front, body string) {
	lines := strings.SplitAfter(paper, "\n")
	bare := func(n int) string { return strings.TrimRight(strings.TrimPrefix(lines[n], "\ufeff"), "\r\n") }
	if bare(0) != "---" {
		return "", paper
	}
	for n := 1; n < len(lines); n++ {
		if bare(n) == "---" {
			return strings.Join(lines[:n+1], ""), strings.Join(lines[n+1:], "")
		}
	}
	return "", paper
}

// A Piece is a piece of a section as it is written.
type Piece struct {
	Kind PieceKind
	Text string
}

// PieceKind says what a piece of a section is.
type PieceKind string

// The kinds of pieces.
const (
	PieceHeading PieceKind = "heading"
	PieceText    PieceKind = "text" // Markdown
	PieceExample PieceKind = "example"
	PieceAnswer  PieceKind = "answer"
	PieceCheck   PieceKind = "check"
)

// Pieces cuts sections into their headings, the blocks that have a meaning, and the Markdown between them. Put together
// again they are the text, byte for byte.
func Pieces(sections string) []Piece {
	var all []Piece
	lines := strings.SplitAfter(sections, "\n")
	add := func(kind PieceKind, from, until int) {
		if s := strings.Join(lines[from:until], ""); s != "" {
			all = append(all, Piece{kind, s})
		}
	}
	taken := 0
	for _, m := range marks(sections) {
		add(PieceText, taken, m.from)
		add(m.kind, m.from, m.until)
		taken = m.until
	}
	add(PieceText, taken, len(lines))
	return all
}

// Closed tells whether what comes after sections is not taken for a part of them, as it is in a block of code without
// an end.
func Closed(sections string) bool {
	all := marks(sections + "\n\n## End {#end}\n")
	return len(all) > 0 && all[len(all)-1].slug == "end"
}

// A mark is a heading or a block with a meaning in Markdown, by its lines, counted from 0; until is the line after it.
type mark struct {
	kind        PieceKind
	from, until int
	title, slug string // of a heading
}

// pieceOf is the kind of a block by its label.
var pieceOf = map[string]PieceKind{"sql example": PieceExample, "sql answer": PieceAnswer, "yaml check": PieceCheck}

// marks finds the headings of level two, and the blocks that have a meaning.
func marks(sections string) (all []mark) {
	b := &body{source: []byte(strings.ReplaceAll(sections, "\r\n", "\n"))}
	doc := markdown.Parser().Parse(text.NewReader(b.source))
	at := func(offset int) int { // the line on which it stands; of the end, the line after the last
		if offset == len(b.source) && offset > 0 && b.source[offset-1] != '\n' {
			return bytes.Count(b.source, []byte("\n")) + 1
		}
		return bytes.Count(b.source[:offset], []byte("\n"))
	}
	for n := doc.FirstChild(); n != nil; n = n.NextSibling() {
		switch n := n.(type) {
		case *ast.Heading:
			if n.Level == 2 {
				start, end := b.heading(n)
				all = append(all, mark{PieceHeading, at(start), at(end), headingText(n, b.source), headingSlug(n)})
			}
		case *ast.FencedCodeBlock:
			if n.Info == nil {
				continue
			}
			if kind, has := pieceOf[plainLabel(string(n.Info.Segment.Value(b.source)))]; has {
				start, end := b.fenced(n)
				all = append(all, mark{kind: kind, from: at(start), until: at(end)})
			}
		}
	}
	return all
}

// Named returns sections of which the first heading says a name of its own.
func Named(sections, slug string) string {
	pieces := Pieces(sections)
	for i, piece := range pieces {
		if piece.Kind != PieceHeading {
			continue
		}
		heading, rest, _ := strings.Cut(piece.Text, "\n")
		heading, end := strings.TrimRight(heading, "\r"), heading[len(strings.TrimRight(heading, "\r")):]
		at := strings.LastIndex(heading, "{#")
		if at >= 0 && strings.HasSuffix(strings.TrimRight(heading, " \t"), "}") {
			heading = heading[:at]
		}
		pieces[i].Text = strings.TrimRight(heading, " \t") + " {#" + slug + "}" + end + "\n" + rest
		break
	}
	var named strings.Builder
	for _, piece := range pieces {
		named.WriteString(piece.Text)
	}
	return named.String()
}

var pictureName = regexp.MustCompile(`^[A-Za-z0-9][A-Za-z0-9._-]{0,99}$`)

// IsPictureName tells whether a picture that is added to a paper may be called so.
func IsPictureName(name string) bool {
	return pictureName.MatchString(name) && strings.Contains(name, ".")
}

// YAMLText writes a text as a YAML scalar on one line.
func YAMLText(text string) string {
	out, err := yaml.Marshal(text)
	if err != nil || bytes.Count(out, []byte("\n")) > 1 { // a long one, or one with line ends
		return strconv.Quote(text)
	}
	return strings.TrimSpace(string(out))
}
