package mutation

import (
	"fmt"
	"slices"

	pg "github.com/pganalyze/pg_query_go/v6"

	"examen/internal/core/sqltext"
)

// mostKeys is how many further group keys, and other columns in place of one, are tried.
const mostKeys = 2

// groupKeys leaves group keys out, and adds others.
func (m *maker) groupKeys(s *scope) {
	was := s.sel.GroupClause
	keys := s.groups()
	set := func(keys []*pg.Node) func() { return func() { s.sel.GroupClause = keys } }
	for i, key := range keys {
		rest := slices.Delete(slices.Clone(was), i, i+1)
		others := slices.Delete(slices.Clone(keys), i, i+1)
		m.try(change{
			operator: GroupKey, says: fmt.Sprintf("leaves out the group key %s", s.said(key)),
			apply: set(rest), undo: set(was),
			same: certainly(len(rest) > 0 && s.determines(key, others...), "the other keys determine it"),
			why:  []Reason{{"no two groups that differ in it alone decide", ""}},
		})
	}
	if len(keys) == 0 {
		return
	}
	for _, key := range m.furtherKeys(s, keys) {
		m.try(change{
			operator: GroupKey, says: fmt.Sprintf("groups by %s, too", s.said(key)),
			apply: set(append(slices.Clone(was), key)), undo: set(was),
			same: certainly(s.determines(key, keys...), "the keys determine it"),
			why:  []Reason{{"no group that it would split decides", ""}},
		})
	}
}

// furtherKeys are columns by which a SELECT could group, too: the key of each source, and columns beside the keys.
func (m *maker) furtherKeys(s *scope, keys []*pg.Node) (all []*pg.Node) {
	is := func(n *pg.Node) bool {
		return slices.ContainsFunc(slices.Concat(keys, all), func(k *pg.Node) bool {
			a, b := s.side(k), s.side(n)
			return a != nil && b != nil && *a == *b
		})
	}
	for _, from := range s.sources {
		if len(from.keys) == 0 {
			continue
		}
		if n := s.ref(from, from.keys[0][0]); !is(n) && len(all) < mostKeys {
			all = append(all, n)
		}
	}
	for _, key := range keys {
		side := s.side(key)
		if side == nil {
			continue
		}
		for _, c := range side.from.columns {
			if n := s.ref(side.from, c.name); c.kind.family == text && !is(n) && len(all) < mostKeys+1 {
				all = append(all, n)
				break
			}
		}
	}
	return all
}

// order mutates ORDER BY, where the order of rows counts: in the whole query if its check says so, and wherever LIMIT
// cuts.
func (m *maker) order(s *scope, as role) {
	sel := s.sel
	if len(sel.SortClause) == 0 || sel.LimitCount == nil && sel.LimitOffset == nil && (as != whole ||
		!m.rules.Ordered) {
		return
	}
	was := sel.SortClause
	set := func(keys []*pg.Node) func() { return func() { sel.SortClause = keys } }
	keys := s.sortKeys()
	alone := s.single()
	m.try(change{
		operator: OrderKey, says: "leaves out ORDER BY", apply: set(nil), undo: set(was),
		same: certainly(alone && sel.LimitCount == nil, "there is one row at most"),
		why:  []Reason{{"the rows come in that order anyway", ""}},
	})
	for i, n := range was {
		by := n.GetSortBy()
		m.direction(s, by, keys, i)
		m.nulls(s, by, keys[i])
		if len(was) == 1 {
			continue
		}
		m.try(change{
			operator: OrderKey, says: fmt.Sprintf("leaves out the order key %s", s.said(keys[i])),
			apply: set(slices.Delete(slices.Clone(was), i, i+1)), undo: set(was),
			same: certainly(s.decided(keys, i), "the keys before it decide"),
			why:  []Reason{{"no rows that tie on the other keys decide", ""}},
		})
	}
	for i := range len(was) - 1 {
		swapped := slices.Clone(was)
		swapped[i], swapped[i+1] = was[i+1], was[i]
		m.try(change{
			operator: OrderKey, says: fmt.Sprintf("orders by %s before %s", s.said(keys[i+1]), s.said(keys[i])),
			apply: set(swapped), undo: set(was), same: certainly(alone, "there is one row at most"),
		})
	}
	m.otherKey(s, keys)
}

// decided tells that the order keys before one leave nothing for it to order.
func (s *scope) decided(keys []*pg.Node, i int) bool {
	if s.single() || s.fixed(keys[i]) || s.uniqueBy(keys[:i]...) {
		return true
	}
	plain := !s.aggregated() && s.sel.Op == pg.SetOperation_SETOP_NONE
	return plain && s.determines(keys[i], keys[:i]...)
}

func (m *maker) direction(s *scope, by *pg.SortBy, keys []*pg.Node, i int) {
	dir, nulls := by.SortbyDir, by.SortbyNulls
	to, word := pg.SortByDir_SORTBY_DESC, "descending"
	if dir == pg.SortByDir_SORTBY_DESC {
		to, word = pg.SortByDir_SORTBY_ASC, "ascending"
	}
	if dir == pg.SortByDir_SORTBY_USING {
		return
	}
	m.try(change{
		operator: OrderDirection, says: fmt.Sprintf("orders by %s %s", s.said(keys[i]), word),
		apply: func() { by.SortbyDir = to }, undo: func() { by.SortbyDir, by.SortbyNulls = dir, nulls },
		same: certainly(s.decided(keys, i), "nothing is left for it to order"),
		why:  []Reason{{"no two rows that differ in it decide", ""}},
	})
}

// nulls puts NULLs at the other end.
func (m *maker) nulls(s *scope, by *pg.SortBy, key *pg.Node) {
	was := by.SortbyNulls
	first := was == pg.SortByNulls_SORTBY_NULLS_FIRST ||
		was == pg.SortByNulls_SORTBY_NULLS_DEFAULT && by.SortbyDir == pg.SortByDir_SORTBY_DESC
	to, word := pg.SortByNulls_SORTBY_NULLS_FIRST, "first"
	if first {
		to, word = pg.SortByNulls_SORTBY_NULLS_LAST, "last"
	}
	given := append(s.inner(nil), sqltext.Conjuncts(s.sel.WhereClause)...)
	m.try(change{
		operator: NullsPlace, says: fmt.Sprintf("has the rows without %s come %s", s.said(key), word),
		apply: func() { by.SortbyNulls = to }, undo: func() { by.SortbyNulls = was },
		same: certainly(s.neverNull(key) || s.single() || s.excludesNull(key, given) || m.filled(s, key),
			"it is never NULL"),
		why: []Reason{{"no row in which it is NULL decides", ""}},
	})
}

// filled tells that an output of a set operation, by its name or number, is never NULL.
func (m *maker) filled(of *scope, key *pg.Node) bool {
	sel := of.sel
	if sel.Op == pg.SetOperation_SETOP_NONE {
		return false
	}
	first := sel
	for first.Op != pg.SetOperation_SETOP_NONE {
		first = first.Larg
	}
	at := int(key.GetAConst().GetIval().GetIval()) - 1
	for i, item := range first.TargetList {
		if c := key.GetColumnRef(); c != nil && sqltext.OutputName(item.GetResTarget()) == sqltext.LastName(c.Fields) {
			at = i
		}
	}
	var never func(part *pg.SelectStmt) bool
	never = func(part *pg.SelectStmt) bool {
		if part.Op != pg.SetOperation_SETOP_NONE {
			return never(part.Larg) && never(part.Rarg)
		}
		s := m.newScope(part, of)
		outputs := s.outputs()
		return at >= 0 && at < len(outputs) && len(part.ValuesLists) == 0 && s.neverNull(outputs[at])
	}
	return never(sel)
}

// never tells that an expression is NULL in no row that WHERE keeps.
func (s *scope) never(n *pg.Node) bool {
	return s.neverNull(n) || s.excludesNull(n, sqltext.Conjuncts(s.sel.WhereClause))
}

// excludesNull tells that conditions which are true of every row leave no NULL in an expression.
func (s *scope) excludesNull(n *pg.Node, given []*pg.Node) bool {
	side := s.side(n)
	if side == nil {
		return false
	}
	return slices.ContainsFunc(given, func(c *pg.Node) bool {
		alone := *s
		one := *side.from
		one.missing = true
		alone.sources = slices.Clone(s.sources)
		alone.sources[slices.Index(s.sources, side.from)] = &one
		about := false
		inspect(c, func(x *pg.Node) {
			other := s.side(x)
			about = about || other != nil && *other == *side
		})
		if !about {
			return false
		}
		return alone.rejectsColumn(c, side.name, &one)
	})
}

// rejectsColumn tells that a condition is not true where one column is NULL.
func (s *scope) rejectsColumn(c *pg.Node, name string, from *source) bool {
	null := clone(c)
	inspect(null, func(n *pg.Node) {
		if found, column := s.find(n.GetColumnRef()); n.GetColumnRef() != nil && found == from && column.name == name {
			n.Node = &pg.Node_AConst{AConst: &pg.A_Const{Isnull: true, Location: -1}}
		}
	})
	return s.alike(null, falseConstant(), nil, false)
}

func falseConstant() *pg.Node {
	n := truthConstant()
	n.GetAConst().GetBoolval().Boolval = false
	return n
}

// otherKey orders by another output of the same type in place of a key.
func (m *maker) otherKey(s *scope, keys []*pg.Node) {
	for i, n := range s.sel.SortClause {
		of := s.kind(keys[i])
		by := n.GetSortBy()
		was := by.Node
		for _, output := range s.outputs() {
			if written(output) == written(keys[i]) || of.family == other || s.kind(output).family != of.family {
				continue
			}
			m.try(change{
				operator: OrderKey, says: fmt.Sprintf("orders by %s for %s", s.said(output), s.said(keys[i])),
				apply: func() { by.Node = clone(output) }, undo: func() { by.Node = was },
				same: certainly(s.single(), "there is one row at most"),
			})
			break
		}
	}
}
