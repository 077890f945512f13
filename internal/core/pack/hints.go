package pack

import (
	"gopkg.in/yaml.v3"
)

// A Hint is how far a cause is told.
type Hint string

// The hints, each with what those before it tell.
const (
	HintNone   Hint = "none"
	HintClause Hint = "clause" // where
	HintKind   Hint = "kind"   // and what kind of mistake
	HintEdit   Hint = "edit"   // and the text that mends it
)

// Hints say how far a cause is told, each step from which of a learner's attempts at the exercise on: 1 is at once, 0
// never.
type Hints struct {
	Clause int `json:"clause,omitempty"`
	Kind   int `json:"kind,omitempty"`
	Edit   int `json:"edit,omitempty"`
}

// usualHints tell where a mistake is and of what kind.
var usualHints = Hints{Clause: 1, Kind: 1}

// Hint is how far a cause is told of a learner's attempt of that number, from 1.
func (c *Checking) Hint(attempt int) Hint {
	h := usualHints
	if c.Hints != nil {
		h = *c.Hints
	}
	from := func(n int) bool { return n > 0 && attempt >= n }
	switch {
	case from(h.Edit):
		return HintEdit
	case from(h.Kind):
		return HintKind
	case from(h.Clause):
		return HintClause
	}
	return HintNone
}

// hints reads the rule: a word, or from which attempt on each step is told.
func (b *body) hints(n *yaml.Node, first int) *Hints {
	h := &Hints{}
	if n.Kind != yaml.MappingNode {
		switch Hint(b.choice(b.file, n, first, "none", "clause", "kind", "edit")) {
		case HintClause:
			h.Clause = 1
		case HintKind:
			*h = usualHints
		case HintEdit:
			h.Edit = 1
		}
		return h
	}
	last := 0
	step := func(to *int) func(*yaml.Node) {
		return func(n *yaml.Node) { *to = b.whole(b.file, n, first, 1) }
	}
	b.mapping(b.file, n, first, map[string]func(*yaml.Node){
		"clause": step(&h.Clause), "kind": step(&h.Kind), "edit": step(&h.Edit),
	})
	for _, s := range []struct {
		name string
		from int
	}{{"clause", h.Clause}, {"kind", h.Kind}, {"edit", h.Edit}} {
		if s.from > 0 && s.from < last {
			b.fail(b.file, first+n.Line-1,
				"hints: %s is told from attempt %d on, and what tells less only later: the numbers rise from "+
					"clause to "+
					"kind to edit", s.name, s.from)
		}
		last = max(last, s.from)
	}
	return h
}
