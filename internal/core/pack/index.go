package pack

import (
	"bytes"
	"fmt"
	"strings"

	"gopkg.in/yaml.v3"
)

// WithPapers returns a pack.yaml with further papers at the end of its list. Everything else in it stays byte for byte.
func WithPapers(index []byte, paths []string) []byte {
	var doc yaml.Node
	if yaml.Unmarshal(index, &doc) != nil || len(doc.Content) == 0 || doc.Content[0].Kind != yaml.MappingNode {
		return index
	}
	var list *yaml.Node
	for i, pairs := 0, doc.Content[0].Content; i+1 < len(pairs); i += 2 {
		if pairs[i].Value == "papers" {
			list = pairs[i+1]
		}
	}
	end := "\n"
	if bytes.Contains(index, []byte("\r\n")) {
		end = "\r\n"
	}
	lines := strings.SplitAfter(string(index), "\n")
	var written []string
	for _, path := range paths {
		written = append(written, YAMLText(path))
	}
	switch {
	case list == nil:
		if last := len(lines) - 1; lines[last] != "" {
			lines[last] += end
		}
		lines = append(lines, "papers:"+end)
		for _, path := range written {
			lines = append(lines, "  - "+path+end)
		}
	case list.Style&yaml.FlowStyle != 0:
		// [a, b]: before the bracket that closes it.
		before, rest := lines[:list.Line-1], strings.Join(lines[list.Line-1:], "")
		at := closing(rest, list.Column)
		text := strings.Join(written, ", ")
		if len(list.Content) > 0 {
			text = ", " + text
		}
		return []byte(strings.Join(before, "") + rest[:at] + text + rest[at:])
	case len(list.Content) > 0:
		last := list.Content[len(list.Content)-1]
		margin := lines[last.Line-1][:strings.Index(lines[last.Line-1], "-")]
		if !strings.HasSuffix(lines[last.Line-1], "\n") {
			lines[last.Line-1] += end
		}
		for i, path := range written {
			lines = append(lines[:last.Line+i], append([]string{margin + "- " + path + end}, lines[last.Line+i:]...)...)
		}
	}
	return []byte(strings.Join(lines, ""))
}

// Index writes the pack.yaml of a pack with one dataset of the same name.
func Index(name, title string, setup []string) []byte {
	var scripts []string
	for _, path := range setup {
		scripts = append(scripts, YAMLText(path))
	}
	const form = "pack: %s\ntitle: %s\ndatasets:\n  %[1]s:\n    title: %[2]s\n    setup: [%[3]s]\npapers: []\n"
	return fmt.Appendf(nil, form, name, YAMLText(title), strings.Join(scripts, ", "))
}

// closing finds the bracket that ends a flow sequence which begins at a column, counted from 1.
func closing(text string, column int) int {
	var quote rune
	for i, r := range text {
		switch {
		case i < column:
		case quote != 0:
			if r == quote {
				quote = 0
			}
		case r == '"' || r == '\'':
			quote = r
		case r == ']':
			return i
		}
	}
	return len(text)
}
