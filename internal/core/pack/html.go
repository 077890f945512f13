package pack

import (
	"bytes"
	"strings"

	"github.com/yuin/goldmark"
	"github.com/yuin/goldmark/ast"
	"github.com/yuin/goldmark/extension"
	"github.com/yuin/goldmark/parser"
	"github.com/yuin/goldmark/renderer"
	"github.com/yuin/goldmark/text"
	"github.com/yuin/goldmark/util"
)

// prose reads the Markdown of narrative and tasks: CommonMark with tables, struck-out text, bare links and mathematics.
var prose = goldmark.New(
	goldmark.WithExtensions(extension.Table, extension.Strikethrough, extension.Linkify),
	goldmark.WithParserOptions(
		parser.WithHeadingAttribute(), parser.WithInlineParsers(util.Prioritized(mathParser{}, 150)),
	),
	goldmark.WithRendererOptions(renderer.WithNodeRenderers(util.Prioritized(ownRenderer{}, 100))),
)

// HTML returns a block's Markdown as HTML. Raw HTML in it stays text, and links that run scripts lead nowhere.
//
// Mathematics stays TeX, in an element of the class math. It stands between two $, with no blank just inside of them
// and no digit after them; or, on lines of its own and then also of the class display, between two $$ or in a code
// block labelled math. pictures holds the address of each picture, by the name that the Markdown gives it; in place of
// one without an address stands what the Markdown says of it.
func HTML(markdown string, pictures map[string]string) string {
	source := []byte(markdown)
	doc := prose.Parser().Parse(text.NewReader(source))
	for _, image := range images(doc) {
		if address := pictures[string(image.Destination)]; address != "" {
			image.Destination = []byte(address)
		} else {
			image.Parent().ReplaceChild(image.Parent(), image, ast.NewString([]byte(altOf(image, source))))
		}
	}
	var out bytes.Buffer
	if err := prose.Renderer().Render(&out, source, doc); err != nil { // a buffer takes everything
		panic(err)
	}
	return out.String()
}

// images returns the pictures in a document.
func images(doc ast.Node) (all []*ast.Image) {
	_ = ast.Walk(doc, func(n ast.Node, entering bool) (ast.WalkStatus, error) {
		if image, is := n.(*ast.Image); is && entering {
			all = append(all, image)
		}
		return ast.WalkContinue, nil
	})
	return all
}

// altOf returns what is said of a picture.
func altOf(image *ast.Image, source []byte) string {
	var alt strings.Builder
	_ = ast.Walk(image, func(n ast.Node, entering bool) (ast.WalkStatus, error) {
		if t, is := n.(*ast.Text); is && entering {
			alt.Write(t.Value(source))
		}
		return ast.WalkContinue, nil
	})
	return alt.String()
}

// math is a formula within a line.
type math struct {
	ast.BaseInline
	tex     text.Segment
	display bool
}

var kindMath = ast.NewNodeKind("Math")

func (*math) Kind() ast.NodeKind              { return kindMath }
func (m *math) Dump(source []byte, level int) { ast.DumpHelper(m, source, level, nil, nil) }

// mathParser reads a formula between dollar signs. A sum of money is none: "between $5 and $6".
type mathParser struct{}

func (mathParser) Trigger() []byte { return []byte{'$'} }

func (mathParser) Parse(_ ast.Node, block text.Reader, _ parser.Context) ast.Node {
	line, segment := block.PeekLine()
	sign := "$"
	if bytes.HasPrefix(line, []byte("$$")) {
		sign = "$$"
	}
	rest := line[len(sign):]
	end := bytes.Index(rest, []byte(sign))
	if end <= 0 {
		return nil
	}
	tex, after := rest[:end], rest[end+len(sign):]
	if sign == "$" && (blank(tex[0]) || blank(tex[end-1]) || len(after) > 0 && digit(after[0])) {
		return nil
	}
	block.Advance(end + 2*len(sign))
	start := segment.Start + len(sign)
	return &math{tex: text.NewSegment(start, start+end), display: sign == "$$"}
}

func digit(c byte) bool { return '0' <= c && c <= '9' }
func blank(c byte) bool { return c == ' ' || c == '\t' }

// ownRenderer writes what goldmark does not, or writes otherwise.
type ownRenderer struct{}

func (ownRenderer) RegisterFuncs(r renderer.NodeRendererFuncRegisterer) {
	once := func(kind ast.NodeKind, write func(w util.BufWriter, source []byte, n ast.Node)) {
		r.Register(kind, func(w util.BufWriter, source []byte, n ast.Node, entering bool) (ast.WalkStatus, error) {
			if entering {
				write(w, source, n)
			}
			return ast.WalkSkipChildren, nil
		})
	}
	once(kindMath, func(w util.BufWriter, source []byte, n ast.Node) {
		class := "math"
		if n.(*math).display {
			class = "math display"
		}
		writeElement(w, "span", class, n.(*math).tex.Value(source))
	})
	once(ast.KindFencedCodeBlock, func(w util.BufWriter, source []byte, n ast.Node) {
		language := strings.ToLower(string(n.(*ast.FencedCodeBlock).Language(source)))
		code := n.Lines().Value(source)
		if language == "math" {
			writeElement(w, "div", "math display", bytes.TrimSpace(code))
			return
		}
		if language != "" {
			language = "language-" + language
		}
		_, _ = w.WriteString("<pre>")
		writeElement(w, "code", language, code)
		_, _ = w.WriteString("</pre>\n")
	})
	once(ast.KindRawHTML, func(w util.BufWriter, source []byte, n ast.Node) {
		_, _ = w.Write(util.EscapeHTML(n.(*ast.RawHTML).Segments.Value(source)))
	})
	once(ast.KindHTMLBlock, func(w util.BufWriter, source []byte, n ast.Node) {
		raw := n.Lines().Value(source)
		if block := n.(*ast.HTMLBlock); block.HasClosure() {
			raw = append(raw, block.ClosureLine.Value(source)...)
		}
		writeElement(w, "p", "", raw)
	})
}

// writeElement writes a text as an element, with a class unless that is "".
func writeElement(w util.BufWriter, name, class string, content []byte) {
	_, _ = w.WriteString("<" + name)
	if class != "" {
		_, _ = w.WriteString(` class="` + string(util.EscapeHTML([]byte(class))) + `"`)
	}
	_, _ = w.WriteString(">")
	_, _ = w.Write(util.EscapeHTML(content))
	_, _ = w.WriteString("</" + name + ">")
}
