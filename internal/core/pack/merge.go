package pack

import (
	"slices"
	"strconv"
	"strings"
)

// A Change is a section in which two texts of a paper differ. Was is empty for one that was added, Is for one that was
// taken out; of one that was only moved both are the same.
type Change struct {
	Part    Part // as it is, or, of one that was taken out, as it was
	Was, Is string
}

// Changes lists the sections in which a paper's text differs from an earlier one, in the order of the text; those that
// were taken out come last.
func Changes(was, is string) (all []Change) {
	before, after := keyed(Parts(was)), keyed(Parts(is))
	moved := movedKeys(before, after)
	for _, key := range after.keys {
		part := after.parts[key]
		old, had := before.parts[key]
		if !had || old.Text != part.Text || moved[key] {
			all = append(all, Change{part, old.Text, part.Text})
		}
	}
	for _, key := range before.keys {
		if _, has := after.parts[key]; !has {
			all = append(all, Change{Part: before.parts[key], Was: before.parts[key].Text})
		}
	}
	return slices.DeleteFunc(all, func(c Change) bool { return c.Was == "" && c.Is == "" })
}

// A Conflict is a section that was changed in two ways. Where a side took it out, its text is empty.
type Conflict struct {
	Title        string
	Ours, Theirs string
}

// Merge brings together two texts of a paper that come from the same one, by sections: what only one side changed,
// added, moved or took out is as that side has it. Of a section that both changed, and in different ways, the text has
// our form, and conflicts lists both. It is the three-way merge of version control with sections in place of lines;
// they are told by their names, so that one may be moved while another hand changes it.
func Merge(base, ours, theirs string) (text string, conflicts []Conflict) {
	b, o, t := keyed(Parts(base)), keyed(Parts(ours)), keyed(Parts(theirs))
	order := mergedOrder(b, o, t)
	var out strings.Builder
	for _, key := range order {
		was, is, other := b.parts[key], o.parts[key], t.parts[key]
		_, had := b.parts[key]
		_, ourHas := o.parts[key]
		_, theirHas := t.parts[key]
		weChanged := ourHas != had || is.Text != was.Text
		theyChanged := theirHas != had || other.Text != was.Text
		switch {
		case !weChanged:
			is, ourHas = other, theirHas
		case !theyChanged, ourHas == theirHas && is.Text == other.Text:
		default:
			title := is.Title
			if !ourHas {
				title = other.Title
			}
			conflicts = append(conflicts, Conflict{title, is.Text, other.Text})
		}
		if ourHas {
			out.WriteString(is.Text)
		}
	}
	return out.String(), conflicts
}

// parts are those of a text by keys that tell them in another text of the same paper.
type parts struct {
	keys  []string
	parts map[string]Part
}

// keyed gives each part a key: what it is called, and which of that name it is.
func keyed(all []Part) parts {
	p := parts{parts: map[string]Part{}}
	seen := map[string]int{}
	for _, part := range all {
		name := part.Slug
		if part.Front {
			name = "---"
		}
		seen[name]++
		key := name + " " + strconv.Itoa(seen[name])
		p.keys = append(p.keys, key)
		p.parts[key] = part
	}
	return p
}

// movedKeys tells which of the parts that two texts have in common stand elsewhere: as few as possible.
func movedKeys(before, after parts) map[string]bool {
	common := func(keys []string, other parts) []string {
		return slices.DeleteFunc(slices.Clone(keys), func(key string) bool { _, has := other.parts[key]; return !has })
	}
	is, was := common(after.keys, before), common(before.keys, after)
	moved := map[string]bool{}
	for len(is) > 0 && len(was) > 0 {
		if is[0] == was[0] {
			is, was = is[1:], was[1:]
			continue
		}
		// Whichever went further is the one that moved.
		key := is[0]
		if slices.Index(was, is[0]) < slices.Index(is, was[0]) {
			key = was[0]
		}
		moved[key] = true
		is = slices.DeleteFunc(is, func(k string) bool { return k == key })
		was = slices.DeleteFunc(was, func(k string) bool { return k == key })
	}
	return moved
}

// mergedOrder is the order of all parts that either side has. Where only they have moved some it is theirs, otherwise
// ours; what the other side has added stands behind what it stood behind there.
func mergedOrder(base, ours, theirs parts) []string {
	first, second := ours, theirs
	if len(movedKeys(base, ours)) == 0 && len(movedKeys(base, theirs)) > 0 {
		first, second = theirs, ours
	}
	order := slices.Clone(first.keys)
	for n, key := range second.keys {
		if slices.Contains(order, key) {
			continue
		}
		at := 0
		if n > 0 {
			at = slices.Index(order, second.keys[n-1]) + 1
		}
		// Behind what our side has added in the same place.
		for at < len(order) && order[at] != key {
			_, inBase := base.parts[order[at]]
			_, inSecond := second.parts[order[at]]
			if inBase || inSecond {
				break
			}
			at++
		}
		order = slices.Insert(order, at, key)
	}
	return order
}
