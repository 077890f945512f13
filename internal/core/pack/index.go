package pack

import (
	"bytes"
	"fmt"
	"slices"
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

// WithVariant returns a pack.yaml in which a variant of a dataset is made by a further script; a variant that is not
// there yet is added. Where it is written in blocks, everything else stays byte for byte. It fails where the dataset is
// not in it.
func WithVariant(index []byte, dataset, variant, path string) ([]byte, error) {
	var doc yaml.Node
	if err := yaml.Unmarshal(index, &doc); err != nil {
		return nil, err
	}
	of := entry(entry(documentOf(&doc), "datasets"), dataset)
	if of == nil || of.Kind != yaml.MappingNode {
		return nil, fmt.Errorf("the pack has no dataset %s", dataset)
	}
	variants := entry(of, "variants")
	lines := strings.SplitAfter(string(index), "\n")
	insert := func(after *yaml.Node, text ...string) []byte {
		at := lastLine(after)
		if !strings.HasSuffix(lines[at-1], "\n") {
			lines[at-1] += "\n"
		}
		return []byte(strings.Join(lines[:at], "") + strings.Join(text, "") + strings.Join(lines[at:], ""))
	}
	var made []byte
	name, script := YAMLText(variant), YAMLText(path)
	switch list := entry(variants, variant); {
	case list != nil && list.Style&yaml.FlowStyle != 0:
		before, rest := strings.Join(lines[:list.Line-1], ""), strings.Join(lines[list.Line-1:], "")
		at := closing(rest, list.Column)
		made = []byte(before + rest[:at] + ", " + script + rest[at:])
	case list != nil:
		made = insert(list, strings.Repeat(" ", list.Column-1)+"- "+script+"\n")
	case variants != nil && len(variants.Content) > 0 && variants.Style&yaml.FlowStyle == 0:
		made = insert(variants, strings.Repeat(" ", variants.Column-1)+name+": ["+script+"]\n")
	case variants == nil && of.Style&yaml.FlowStyle == 0:
		margin := strings.Repeat(" ", of.Column-1)
		made = insert(of, margin+"variants:\n", margin+"  "+name+": ["+script+"]\n")
	}
	if hasScript(made, dataset, variant, path) {
		return made, nil
	}
	addVariant(of, variants, variant, path) // it is written in another way: as YAML writes it anew
	return yaml.Marshal(&doc)
}

// documentOf is what a YAML document holds.
func documentOf(doc *yaml.Node) *yaml.Node {
	if len(doc.Content) == 0 {
		return nil
	}
	return doc.Content[0]
}

// entry is the value of a key of a mapping; nil where there is none.
func entry(mapping *yaml.Node, key string) *yaml.Node {
	if mapping == nil || mapping.Kind != yaml.MappingNode {
		return nil
	}
	for i := 0; i+1 < len(mapping.Content); i += 2 {
		if mapping.Content[i].Value == key {
			return mapping.Content[i+1]
		}
	}
	return nil
}

// lastLine is the line on which the last part of a node begins.
func lastLine(n *yaml.Node) int {
	last := n.Line
	for _, child := range n.Content {
		last = max(last, lastLine(child))
	}
	return last
}

// hasScript tells whether a pack.yaml names a script for a variant.
func hasScript(index []byte, dataset, variant, path string) bool {
	var doc yaml.Node
	if len(index) == 0 || yaml.Unmarshal(index, &doc) != nil {
		return false
	}
	list := entry(entry(entry(entry(documentOf(&doc), "datasets"), dataset), "variants"), variant)
	return list != nil && slices.ContainsFunc(list.Content, func(n *yaml.Node) bool { return n.Value == path })
}

func addVariant(of, variants *yaml.Node, variant, path string) {
	script := &yaml.Node{Kind: yaml.ScalarNode, Value: path}
	if list := entry(variants, variant); list != nil {
		list.Content = append(list.Content, script)
		return
	}
	if variants == nil || variants.Kind != yaml.MappingNode {
		variants = &yaml.Node{Kind: yaml.MappingNode}
		of.Content = append(of.Content, &yaml.Node{Kind: yaml.ScalarNode, Value: "variants"}, variants)
	}
	variants.Content = append(variants.Content, &yaml.Node{Kind: yaml.ScalarNode, Value: variant},
		&yaml.Node{Kind: yaml.SequenceNode, Style: yaml.FlowStyle, Content: []*yaml.Node{script}})
}
