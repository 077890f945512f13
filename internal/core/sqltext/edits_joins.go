package sqltext

import (
	"slices"
	"strings"

	pg "github.com/pganalyze/pg_query_go/v6"
)

// JoinConditions joins tables that no condition connects on the columns that both have.
func (e Edits) JoinConditions() []string {
	return e.edit(func(top *pg.SelectStmt) bool {
		changed := false
		walk(top.ProtoReflect(), func(m any) {
			sel, is := m.(*pg.SelectStmt)
			if !is {
				return
			}
			r := &features{query: e.query, schema: e.schema, single: singles(e.query.tree)}
			for _, item := range sel.FromClause {
				r.from(item)
			}
			if r.connect(sel); r.Unjoined == nil {
				return
			}
			for i, s := range r.tables {
				for _, other := range r.tables[:i] {
					shared := slices.IndexFunc(
						e.schema[s.table],
						func(c string) bool {
							return slices.Contains(e.schema[other.table], c) &&
								strings.HasSuffix(c, "id")
						},
					)
					if shared < 0 {
						shared = slices.IndexFunc(
							e.schema[s.table], func(c string) bool { return slices.Contains(e.schema[other.table], c) },
						)
					}
					if shared >= 0 {
						c := e.schema[s.table][shared]
						sel.WhereClause = and(
							sel.WhereClause, Operation("=", ColumnRef(s.alias, c), ColumnRef(other.alias, c)),
						)
						changed = true
						break
					}
				}
			}
		})
		return changed
	})
}

// ConditionsInOn moves the conditions of WHERE on tables that an outer join may leave empty into the join.
func (e Edits) ConditionsInOn() []string {
	return e.inner(func(sel *pg.SelectStmt, r *features) bool {
		var stay []*pg.Node
		moved := false
		for _, c := range Conjuncts(sel.WhereClause) {
			used := r.aliases(c)
			join := (*pg.JoinExpr)(nil)
			if len(used) > 0 && !slices.ContainsFunc(
				used, func(alias string) bool { return !slices.Contains(r.nullable, alias) },
			) {
				join = outerJoin(sel.FromClause, used[0])
			}
			if join == nil {
				stay = append(stay, c)
				continue
			}
			usingOn(join, e.schema)
			join.Quals, moved = and(join.Quals, c), true
		}
		sel.WhereClause = Conjunction(stay)
		return moved
	})
}

// outerJoin finds the join that may leave a table empty.
func outerJoin(from []*pg.Node, alias string) (found *pg.JoinExpr) {
	has := func(n *pg.Node) bool {
		r := &features{}
		return slices.Contains(r.from(n), alias)
	}
	for _, item := range from {
		walk(item.ProtoReflect(), func(m any) {
			j, is := m.(*pg.JoinExpr)
			if is && (j.Quals != nil || len(j.UsingClause) > 0) && (j.Jointype == pg.JoinType_JOIN_LEFT &&
				has(j.Rarg) || j.Jointype == pg.JoinType_JOIN_RIGHT && has(j.Larg)) {
				found = j
			}
		})
	}
	return found
}

// usingOn writes a join's USING as ON.
func usingOn(j *pg.JoinExpr, schema Schema) {
	side := func(n *pg.Node, column string) *pg.Node {
		r := &features{}
		r.from(n)
		for _, s := range r.tables {
			if slices.Contains(schema[s.table], column) {
				return ColumnRef(s.alias, column)
			}
		}
		return ColumnRef(column)
	}
	for _, name := range j.UsingClause {
		column := name.GetString_().GetSval()
		j.Quals = and(j.Quals, Operation("=", side(j.Larg, column), side(j.Rarg, column)))
	}
	j.UsingClause = nil
}

// Joins makes joins of one kind another: inner ones outer, or outer ones inner.
func (e Edits) Joins(outer bool) (all []string) {
	kinds := []pg.JoinType{pg.JoinType_JOIN_INNER}
	if outer {
		kinds = []pg.JoinType{pg.JoinType_JOIN_LEFT, pg.JoinType_JOIN_RIGHT, pg.JoinType_JOIN_FULL}
	}
	for _, kind := range kinds {
		all = append(all, e.inner(func(sel *pg.SelectStmt, r *features) bool {
			changed := outer && joinListed(sel, r)
			for _, item := range sel.FromClause {
				walk(item.ProtoReflect(), func(m any) {
					if j, is := m.(*pg.JoinExpr); is && (j.Jointype == pg.JoinType_JOIN_INNER) == outer &&
						(j.Quals != nil || len(j.UsingClause) > 0 || j.IsNatural) {
						j.Jointype, changed = kind, true
					}
				})
			}
			return changed
		})...)
	}
	return all
}

// joinListed writes tables that FROM lists, parted by commas, as joins on the conditions of WHERE that are about
// several of them.
func joinListed(sel *pg.SelectStmt, r *features) bool {
	if len(sel.FromClause) < 2 {
		return false
	}
	names := func(item *pg.Node) []string { return (&features{}).from(item) }
	joined, known := sel.FromClause[0], names(sel.FromClause[0])
	left := Conjuncts(sel.WhereClause)
	for _, item := range sel.FromClause[1:] {
		known = append(known, names(item)...)
		var on, rest []*pg.Node
		for _, c := range left {
			used := r.aliases(c)
			if len(used) > 1 && !slices.ContainsFunc(
				used, func(alias string) bool { return !slices.Contains(known, alias) },
			) {
				on = append(on, c)
			} else {
				rest = append(rest, c)
			}
		}
		if len(on) == 0 {
			return false
		}
		left = rest
		joined = &pg.Node{
			Node: &pg.Node_JoinExpr{
				JoinExpr: &pg.JoinExpr{
					Jointype: pg.JoinType_JOIN_INNER,
					Larg:     joined,
					Rarg:     item,
					Quals:    Conjunction(on),
				},
			},
		}
	}
	sel.FromClause, sel.WhereClause = []*pg.Node{joined}, Conjunction(left)
	return true
}
