package pack

import (
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"gopkg.in/yaml.v3"
)

var yamlLine = regexp.MustCompile(`line (\d+): `)

// yaml parses a document whose first line is the given line of the file. Nodes keep lines of the document.
func (r *reader) yaml(file string, content []byte, first int) (*yaml.Node, bool) {
	var doc yaml.Node
	if err := yaml.Unmarshal(content, &doc); err != nil {
		line, detail := 1, strings.TrimPrefix(err.Error(), "yaml: ")
		if m := yamlLine.FindStringSubmatch(detail); m != nil {
			line, _ = strconv.Atoi(m[1])
			detail = strings.Replace(detail, m[0], "", 1)
		}
		r.fail(file, first+line-1, "this is not YAML as expected: %s", detail)
		return nil, false
	}
	if len(doc.Content) == 0 {
		r.fail(file, first, "nothing is written here: keys and values are expected")
		return nil, false
	}
	return doc.Content[0], true
}

// pairs calls f with every key and value of a mapping; first is the document's first line in the file.
func (r *reader) pairs(file string, n *yaml.Node, first int, f func(key, value *yaml.Node)) {
	if n.Kind != yaml.MappingNode {
		r.fail(file, first+n.Line-1, "keys with values are expected here")
		return
	}
	seen := map[string]bool{}
	for i := 0; i+1 < len(n.Content); i += 2 {
		key := n.Content[i]
		if seen[key.Value] {
			r.fail(file, first+key.Line-1, "the key %q is there twice", key.Value)
			continue
		}
		seen[key.Value] = true
		f(key, n.Content[i+1])
	}
}

// mapping reads a mapping by its keys; an unknown key is an error, and so is a needed one that is missing.
func (r *reader) mapping(file string, n *yaml.Node, first int, keys map[string]func(*yaml.Node), needed ...string) {
	r.pairs(file, n, first, func(key, value *yaml.Node) {
		read, known := keys[key.Value]
		if !known {
			names := make([]string, 0, len(keys))
			for k := range keys {
				names = append(names, k)
			}
			slices.Sort(names)
			r.fail(file, first+key.Line-1, "unknown key %q: expected one of %s", key.Value, strings.Join(names, ", "))
			return
		}
		needed = slices.DeleteFunc(slices.Clone(needed), func(k string) bool { return k == key.Value })
		read(value)
	})
	if n.Kind == yaml.MappingNode {
		for _, k := range needed {
			r.fail(file, first+n.Line-1, "the key %q is missing", k)
		}
	}
}

func (r *reader) text(file string, n *yaml.Node, first int) string {
	if n.Kind != yaml.ScalarNode || strings.TrimSpace(n.Value) == "" || n.Tag == "!!null" {
		r.fail(file, first+n.Line-1, "a text is expected here")
		return ""
	}
	return n.Value
}

func (r *reader) slug(file string, n *yaml.Node, first int) string {
	s := r.text(file, n, first)
	if s != "" && !IsSlug(s) {
		r.fail(file, first+n.Line-1, "%q is not a valid name: use up to 64 lower-case letters, digits and hyphens", s)
	}
	return s
}

func (r *reader) sequence(file string, n *yaml.Node, first int) []*yaml.Node {
	if n.Kind != yaml.SequenceNode {
		r.fail(file, first+n.Line-1, "a list is expected here: [one, two]")
		return nil
	}
	return n.Content
}

func (r *reader) texts(file string, n *yaml.Node, first int) []string {
	var s []string
	for _, item := range r.sequence(file, n, first) {
		if t := r.text(file, item, first); t != "" {
			s = append(s, t)
		}
	}
	return s
}

func (r *reader) time(file string, n *yaml.Node, first int) *time.Time {
	t, err := time.Parse(time.RFC3339, n.Value)
	if err != nil {
		r.fail(file, first+n.Line-1, "%q is no time: write it as 2026-09-01T08:00:00Z", n.Value)
		return nil
	}
	return &t
}

// choice reads one of the given words.
func (r *reader) choice(file string, n *yaml.Node, first int, words ...string) string {
	if !slices.Contains(words, n.Value) {
		r.fail(file, first+n.Line-1, "%q is not one of %s", n.Value, strings.Join(words, ", "))
	}
	return n.Value
}

// whole reads a whole number that is not below least.
func (r *reader) whole(file string, n *yaml.Node, first, least int) int {
	i, err := strconv.Atoi(n.Value)
	if err != nil || i < least {
		r.fail(file, first+n.Line-1, "%q: a whole number from %d on is expected", n.Value, least)
	}
	return i
}
