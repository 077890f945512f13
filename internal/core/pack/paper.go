package pack

import (
	"bytes"
	"errors"
	"regexp"
	"strconv"
	"strings"
	"unicode/utf8"

	"github.com/yuin/goldmark"
	"github.com/yuin/goldmark/ast"
	"github.com/yuin/goldmark/parser"
	"github.com/yuin/goldmark/text"
	"gopkg.in/yaml.v3"

	"examen/internal/core/compare"
	"examen/internal/core/marking"
	"examen/internal/core/sqltext"
)

var markdown = goldmark.New(goldmark.WithParserOptions(parser.WithHeadingAttribute()))

// ReadPaper reads the text of a paper that is in no folder. pictures are the media types of its pictures, by the names
// that it gives them. The paper is as much of it as could be read; with errors it is of no use but to be looked at.
func ReadPaper(path, text string, pictures map[string]string) (*Paper, []Error) {
	r := &reader{known: pictures}
	if i := strings.IndexByte(text, 0); i >= 0 || !utf8.ValidString(text) {
		return &Paper{Path: path}, []Error{{path, 1, "the text is not valid UTF-8, or holds a NUL character"}}
	}
	p, _ := r.paper(path, []byte(strings.TrimPrefix(text, "\ufeff")))
	return &p, r.errors
}

// paper reads a paper: front matter, then Markdown.
func (r *reader) paper(file string, content []byte) (Paper, bool) {
	before := len(r.errors)
	content = bytes.ReplaceAll(content, []byte("\r\n"), []byte("\n"))
	front, source, first, ok := cutFrontMatter(content)
	if !ok {
		r.fail(
			file, 1, "a paper starts with its front matter: a line ---, then paper, title and dataset, then a line ---",
		)
		return Paper{Path: file}, false
	}
	p := Paper{Path: file}
	if root, ok := r.yaml(file, front, 2); ok {
		r.mapping(file, root, 2, map[string]func(*yaml.Node){
			"paper":   func(n *yaml.Node) { p.Slug = r.slug(file, n, 2) },
			"title":   func(n *yaml.Node) { p.Title = r.text(file, n, 2) },
			"dataset": func(n *yaml.Node) { p.Dataset = r.slug(file, n, 2) },
			"opens":   func(n *yaml.Node) { p.Opens = r.time(file, n, 2) },
			"due":     func(n *yaml.Node) { p.Due = r.time(file, n, 2) },
			"changes": func(n *yaml.Node) { p.Changes = r.changes(file, n, 2) },
		}, "paper", "title", "dataset")
		if p.Opens != nil && p.Due != nil && !p.Due.After(*p.Opens) {
			r.fail(
				file, 2, "the paper is due (%s) before it opens (%s)", p.Due.Format("2006-01-02 15:04"),
				p.Opens.Format("2006-01-02 15:04"),
			)
		}
	}
	r.body(&p, first, source)
	return p, len(r.errors) == before
}

// body reads what comes after a paper's front matter; first is the line of the file on which it begins.
func (r *reader) body(p *Paper, first int, source []byte) {
	b := &body{reader: r, file: p.Path, first: first, source: source}
	doc := markdown.Parser().Parse(text.NewReader(b.source))
	p.Sections = b.sections(doc)
	p.Pictures = b.pictures(doc)
	b.leaks(p.Exercises())
	seen := map[string]bool{}
	for i, e := range p.Exercises() {
		e.Number = i + 1
		if seen[e.Slug] {
			r.fail(p.Path, e.Line, "two exercises are called %q: give each its own {#slug}", e.Slug)
		}
		seen[e.Slug] = true
	}
}

// cutFrontMatter returns what stands between the first two lines of three hyphens, and the rest with its first line's
// number.
func cutFrontMatter(content []byte) (front, rest []byte, first int, ok bool) {
	if !bytes.HasPrefix(content, []byte("---\n")) {
		return nil, nil, 0, false
	}
	front, rest, ok = bytes.Cut(content[4:], []byte("\n---\n"))
	if !ok {
		return nil, nil, 0, false
	}
	return front, rest, bytes.Count(front, []byte("\n")) + 4, true
}

// body reads a paper's Markdown.
type body struct {
	*reader
	file   string
	first  int // line of the file on which source begins
	source []byte
	codes  []code
}

func (b *body) line(offset int) int { return b.first + bytes.Count(b.source[:offset], []byte("\n")) }

// draft is a section while it is being read.
type draft struct {
	title, slug  string
	heading      bool
	line         int
	blocks       []Block
	answer       string
	answerLine   int
	check        []byte
	checkLine    int
	hasAnswer    bool
	narrativeEnd int // offset up to which text has been taken
}

func (b *body) sections(doc ast.Node) []Section {
	var sections []Section
	d := &draft{line: b.first}
	for n := doc.FirstChild(); n != nil; n = n.NextSibling() {
		switch n := n.(type) {
		case *ast.Heading:
			if n.Level != 2 {
				continue
			}
			start, end := b.heading(n)
			b.takeText(d, start)
			sections = b.finish(sections, d)
			d = &draft{line: b.line(start), narrativeEnd: end, heading: true}
			d.title, d.slug = headingText(n, b.source), headingSlug(n)
		case *ast.FencedCodeBlock:
			b.fence(d, n)
		}
	}
	_ = ast.Walk(doc, func(n ast.Node, entering bool) (ast.WalkStatus, error) {
		if fenced, is := n.(*ast.FencedCodeBlock); is && entering && fenced.Info != nil && n.Parent() != doc {
			b.label(fenced) // within a list or a quotation it has no meaning, even if it is spelt right
		}
		if kind := n.Kind(); entering && (kind == ast.KindFencedCodeBlock || kind == ast.KindCodeBlock) &&
			n.Lines().Len() > 0 {
			start, _ := b.lines(n.Lines().At(0).Start, n.Lines().At(0).Stop)
			b.codes = append(b.codes, code{string(n.Lines().Value(b.source)), b.line(start)})
		}
		return ast.WalkContinue, nil
	})
	b.takeText(d, len(b.source))
	return b.finish(sections, d)
}

// heading returns where the lines of a heading begin and end.
func (b *body) heading(n *ast.Heading) (start, end int) {
	if n.Lines().Len() == 0 { // it has no text
		return b.lines(n.Pos(), n.Pos())
	}
	start, end = b.lines(n.Lines().At(0).Start, n.Lines().At(n.Lines().Len()-1).Stop)
	if !bytes.HasPrefix(b.source[start:], []byte("#")) { // one that is underlined with hyphens has one more line
		_, end = b.lines(end, end)
	}
	return start, end
}

// fenced returns where the lines of a fenced block begin and end, its fences included.
func (b *body) fenced(n *ast.FencedCodeBlock) (start, end int) {
	start, end = b.lines(n.Info.Segment.Start, n.Info.Segment.Stop)
	if n.Lines().Len() > 0 {
		_, end = b.lines(end, n.Lines().At(n.Lines().Len()-1).Stop)
	}
	if i := bytes.IndexByte(b.source[end:], '\n'); i >= 0 { // the closing fence
		return start, end + i + 1
	}
	return start, len(b.source)
}

// lines widens a range to whole lines, the last line's end included.
func (b *body) lines(start, end int) (int, int) {
	start = bytes.LastIndexByte(b.source[:start], '\n') + 1
	if end > 0 && b.source[end-1] == '\n' {
		return start, end
	}
	if i := bytes.IndexByte(b.source[end:], '\n'); i >= 0 {
		return start, end + i + 1
	}
	return start, len(b.source)
}

// takeText takes the Markdown up to an offset as a block.
func (b *body) takeText(d *draft, until int) {
	if s := strings.TrimSpace(string(b.source[d.narrativeEnd:max(until, d.narrativeEnd)])); s != "" {
		d.blocks = append(d.blocks, Block{Kind: "text", Text: s})
	}
	d.narrativeEnd = max(until, d.narrativeEnd)
}

// fence reads a fenced block if it has a meaning.
func (b *body) fence(d *draft, n *ast.FencedCodeBlock) {
	if n.Info == nil {
		return
	}
	info := b.label(n)
	if info == "" {
		return
	}
	start, end := b.fenced(n)
	content := string(n.Lines().Value(b.source))
	contentLine := b.line(start) + 1
	b.takeText(d, start)
	d.narrativeEnd = end
	switch info {
	case "sql example":
		d.blocks = append(d.blocks, Block{Kind: "example", Text: strings.TrimSpace(content), Line: contentLine})
	case "sql answer":
		if d.hasAnswer {
			b.fail(
				b.file, contentLine,
				"the section has a second sql answer block: put further answers under also in the check block",
			)
		}
		d.answer, d.answerLine, d.hasAnswer = strings.TrimSpace(content), contentLine, true
	case "yaml check":
		if d.check != nil {
			b.fail(b.file, contentLine, "the section has a second yaml check block: put all keys in one")
		}
		d.check, d.checkLine = []byte(content), contentLine
	}
}

func (b *body) finish(sections []Section, d *draft) []Section {
	if !d.hasAnswer {
		if d.check != nil {
			b.fail(
				b.file, d.checkLine,
				"a yaml check block without an sql answer block in its section: an exercise needs its reference answer",
			)
		}
		if d.title == "" && d.blocks == nil {
			return sections
		}
		return append(sections, Section{Title: d.title, Blocks: d.blocks})
	}
	if d.title == "" && d.heading {
		b.fail(b.file, d.line, "the exercise has no title: write it after ##")
	} else if d.title == "" {
		b.fail(
			b.file, d.answerLine,
			"an sql answer block before any level-two heading: an exercise starts with ## and its title",
		)
		return sections
	}
	e := &Exercise{
		Slug:      d.slug,
		Title:     d.title,
		Blocks:    d.blocks,
		Reference: d.answer,
		Points:    marking.PointsOf("1"),
		Path:      b.file,
		Line:      d.answerLine,
	}
	if e.Slug == "" {
		e.Slug = makeSlug(d.title)
	}
	if !IsSlug(e.Slug) && d.title != "" {
		b.fail(
			b.file, d.line,
			"%q is not a valid slug for an exercise: write {#slug} after the title, with up to 64 lower-case "+
				"letters, digits and hyphens",
			e.Slug,
		)
	}
	if _, err := strconv.Atoi(e.Slug); err == nil {
		b.fail(
			b.file, d.line, "an exercise's slug cannot be a number: it would be taken for the exercise of that number",
		)
	}
	changes := b.query(e.Reference, d.answerLine, "the reference answer")
	e.Checking.Show = ShowColumns
	if d.check != nil {
		b.checking(e, d)
	}
	e.Checking.Changes = e.Checking.Changes || changes
	return append(sections, Section{Exercise: e, Slug: e.Slug})
}

// query checks that an answer is one query, or statements that change something. It tells which.
func (b *body) query(sql string, line int, what string) (changes bool) {
	_, err := sqltext.ReadQuery(sql)
	if err != nil && sqltext.Changes(sql) {
		return true
	}
	var refused *sqltext.NotAllowed
	if _, why := sqltext.ReadStatements(sql); errors.As(why, &refused) {
		err = why
	}
	var syntax *sqltext.SyntaxError
	var notAllowed *sqltext.NotAllowed
	switch {
	case errors.As(err, &syntax):
		b.fail(
			b.file, line+syntax.Place.Line-1, "%s cannot be read: %s (column %d)", what, syntax.Message,
			syntax.Place.Column,
		)
	case errors.As(err, &notAllowed):
		b.fail(b.file, line+notAllowed.Place.Line-1, "%s: %s", what, notAllowed.Detail)
	}
	return false
}

func (b *body) checking(e *Exercise, d *draft) {
	first := d.checkLine
	root, ok := b.yaml(b.file, d.check, first)
	if !ok {
		return
	}
	c := &e.Checking
	choice := func(n *yaml.Node, words ...string) string { return b.choice(b.file, n, first, words...) }
	constructs := func(n *yaml.Node) []string {
		for _, item := range b.sequence(b.file, n, first) {
			if err := sqltext.CheckConstruct(item.Value); err != nil {
				b.fail(b.file, first+item.Line-1, "%v", err)
			}
		}
		return b.texts(b.file, n, first)
	}
	b.mapping(b.file, root, first, map[string]func(*yaml.Node){
		"points": func(n *yaml.Node) {
			points, err := marking.ParsePoints(n.Value)
			if err != nil {
				b.fail(b.file, first+n.Line-1, "points: %s", err)
			}
			e.Points = points
		},
		"order": func(n *yaml.Node) {
			c.Policy.Order = compare.Order(
				unless(choice(n, "auto", "any", "strict"), "auto"),
			)
		},
		"columns": func(n *yaml.Node) {
			c.Policy.Columns = compare.Pairing(unless(choice(n, "position", "name", "any"), "position"))
		},
		"names": func(n *yaml.Node) { c.Policy.Names = choice(n, "ignore", "require") == "require" },
		"decimals": func(n *yaml.Node) {
			decimals := b.whole(b.file, n, first, 0)
			c.Policy.Decimals = &decimals
		},
		"text": func(n *yaml.Node) {
			words := []*yaml.Node{n}
			if n.Kind == yaml.SequenceNode {
				words = n.Content
			}
			for _, n := range words {
				switch choice(n, "exact", "fold", "trim") {
				case "fold":
					c.Policy.Fold = true
				case "trim":
					c.Policy.Trim = true
				}
			}
		},
		"time":     func(n *yaml.Node) { c.Policy.Strict = choice(n, "instant", "strict") == "strict" },
		"repeats":  func(n *yaml.Node) { c.Policy.Once = choice(n, "count", "once") == "once" },
		"require":  func(n *yaml.Node) { c.Require = constructs(n) },
		"forbid":   func(n *yaml.Node) { c.Forbid = constructs(n) },
		"show":     func(n *yaml.Node) { c.Show = Show(choice(n, "columns", "count", "sample", "rows", "nothing")) },
		"hints":    func(n *yaml.Node) { c.Hints = b.hints(n, first) },
		"changes":  func(n *yaml.Node) { c.Changes = b.changes(b.file, n, first) },
		"attempts": func(n *yaml.Node) { c.Attempts = b.whole(b.file, n, first, 1) },
		"variants": func(n *yaml.Node) {
			names := b.texts(b.file, n, first)
			if names == nil {
				names = []string{}
			}
			c.Variants = &names
		},
		"also": func(n *yaml.Node) {
			c.Also = b.texts(b.file, n, first)
			for i, item := range b.sequence(b.file, n, first) {
				line := first + item.Line - 1
				if item.Style == yaml.LiteralStyle || item.Style == yaml.FoldedStyle {
					line++
				}
				if b.query(item.Value, line, "also, answer "+strconv.Itoa(i+1)) != e.ByState() {
					b.fail(b.file, line,
						"also, answer %d: either all answers of an exercise change something, or none does",
						i+1)
				}
			}
		},
		"definitions": func(n *yaml.Node) {
			for _, item := range b.sequence(b.file, n, first) {
				switch choice(item, "names", "order", "indexes") {
				case "names":
					c.Definitions.Names = true
				case "order":
					c.Definitions.Order = true
				case "indexes":
					c.Definitions.Indexes = true
				}
			}
		},
		"ignore":  func(n *yaml.Node) { c.Ignore = b.ignored(n, first) },
		"last":    func(n *yaml.Node) { c.Last = choice(n, "ignore", "compare") == "compare" },
		"accepts": func(n *yaml.Node) { c.Accepts = b.probes(n, first, "accepts") },
		"refuses": func(n *yaml.Node) { c.Refuses = b.probes(n, first, "refuses") },
	})
	if !e.ByState() && (c.Ignore != nil || c.Last || c.Accepts != nil || c.Refuses != nil) {
		b.fail(b.file, first,
			"ignore, last, accepts and refuses are for answers that change something, and this is a query")
	}
	if statements, err := sqltext.ReadStatements(e.Reference); err == nil {
		for _, rule := range sqltext.BrokenBy(statements, c.Require, c.Forbid) {
			word := "forbids"
			if rule.Required {
				word = "requires"
			}
			b.fail(
				b.file, d.answerLine, "the reference answer breaks its own rule: the check block %s %s", word,
				rule.Construct,
			)
		}
	}
}

// ignored reads columns whose values do not count: table.column.
func (b *body) ignored(n *yaml.Node, first int) []string {
	for _, item := range b.sequence(b.file, n, first) {
		if table, column, ok := strings.Cut(item.Value, "."); !ok || table == "" || column == "" {
			b.fail(b.file, first+item.Line-1, "ignore: %q is no column of a table: write table.column", item.Value)
		}
	}
	return b.texts(b.file, n, first)
}

// probes reads statements that the database has to take after an answer has run, or not to take.
func (b *body) probes(n *yaml.Node, first int, key string) []string {
	for _, item := range b.sequence(b.file, n, first) {
		if _, err := sqltext.ReadStatements(item.Value); err != nil {
			b.fail(b.file, first+item.Line-1, "%s: %v", key, err)
		}
	}
	return b.texts(b.file, n, first)
}

// unless returns "" if the word is the default.
func unless(word, standard string) string {
	if word == standard {
		return ""
	}
	return word
}

func headingText(n *ast.Heading, source []byte) string {
	var b strings.Builder
	_ = ast.Walk(n, func(n ast.Node, entering bool) (ast.WalkStatus, error) {
		if t, ok := n.(*ast.Text); ok && entering {
			b.Write(t.Segment.Value(source))
		}
		return ast.WalkContinue, nil
	})
	return strings.TrimSpace(b.String())
}

func headingSlug(n *ast.Heading) string {
	if id, ok := n.AttributeString("id"); ok {
		if b, ok := id.([]byte); ok {
			return string(b)
		}
	}
	return ""
}

var notSlug = regexp.MustCompile(`[^a-z0-9]+`)

func makeSlug(title string) string {
	made := strings.Trim(notSlug.ReplaceAllString(strings.ToLower(title), "-"), "-")
	return strings.TrimRight(made[:min(len(made), LongestSlug)], "-")
}
