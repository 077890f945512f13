package pack

import (
	"strings"

	"github.com/yuin/goldmark/ast"
	"github.com/yuin/goldmark/text"
)

// Links returns the targets of the links in a paper's narrative and tasks that lead to exercises and papers:
// "#exercise", "paper" and "paper#exercise". Links to elsewhere, which name a scheme or begin with a slash, are not
// among them.
func (p *Paper) Links() []string {
	var links []string
	for _, s := range p.Sections {
		blocks := s.Blocks
		if s.Exercise != nil {
			blocks = s.Exercise.Blocks
		}
		for _, b := range blocks {
			if b.Kind != "text" {
				continue
			}
			source := []byte(b.Text)
			_ = ast.Walk(markdown.Parser().Parse(
				text.NewReader(source),
			), func(n ast.Node, entering bool) (ast.WalkStatus, error) {
				if link, is := n.(*ast.Link); is && entering {
					target := string(link.Destination)
					if !strings.Contains(target, ":") && !strings.HasPrefix(target, "/") {
						links = append(links, target)
					}
				}
				return ast.WalkContinue, nil
			})
		}
	}
	return links
}
