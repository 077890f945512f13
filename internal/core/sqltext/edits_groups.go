package sqltext

import (
	"slices"

	pg "github.com/pganalyze/pg_query_go/v6"
)

// Counts has the counts of the outputs, each in turn and all, count rows (star), each different value once (different),
// or every value (neither).
func (e Edits) Counts(star, different bool) []string {
	return e.counts(func(f *pg.FuncCall, _ *features) bool {
		switch {
		case star:
			f.AggStar, f.AggDistinct, f.Args = true, false, nil
		case f.AggStar:
			return false
		default:
			f.AggDistinct = different
		}
		return true
	})
}

// CountsOfColumn has count(*) count the values of columns, each in turn: of those tables first that an outer join may
// leave empty.
func (e Edits) CountsOfColumn(different bool) []string {
	var columns [][2]string
	e.inner(func(_ *pg.SelectStmt, r *features) bool {
		for _, nullable := range []bool{true, false} {
			for _, s := range r.tables {
				if slices.Contains(r.nullable, s.alias) == nullable {
					for _, c := range e.schema[s.table] {
						columns = append(columns, [2]string{s.alias, c})
					}
				}
			}
		}
		return false
	})
	return variations(len(columns), func(i int) []string {
		return e.counts(func(f *pg.FuncCall, _ *features) bool {
			if !f.AggStar {
				return false
			}
			f.AggStar, f.AggDistinct, f.Args = false, different, []*pg.Node{ColumnRef(columns[i][:]...)}
			return true
		})
	})
}

func (e Edits) counts(change func(f *pg.FuncCall, r *features) bool) []string {
	return variations(mostEdits, func(i int) []string { // the last of all
		return e.inner(func(sel *pg.SelectStmt, r *features) bool {
			n, changed := 0, false
			for _, t := range sel.TargetList {
				f := t.GetResTarget().GetVal().GetFuncCall()
				if f == nil || LastName(f.Funcname) != "count" {
					continue
				}
				if (n == i || i == mostEdits-1) && change(f, r) {
					changed = true
				}
				n++
			}
			return changed && (i < n || n > 1)
		})
	})
}

// NumericDivision divides decimal numbers.
func (e Edits) NumericDivision() []string {
	return e.each(func(n *pg.Node) bool {
		a := n.GetAExpr()
		if a == nil || a.Kind != pg.A_Expr_Kind_AEXPR_OP || LastName(a.Name) != "/" || a.Lexpr.GetTypeCast() != nil {
			return false
		}
		a.Lexpr = &pg.Node{
			Node: &pg.Node_TypeCast{
				TypeCast: &pg.TypeCast{
					Arg:      a.Lexpr,
					TypeName: &pg.TypeName{Names: []*pg.Node{pg.MakeStrNode("numeric")}, Typemod: -1},
					Location: -1,
				},
			},
		}
		return true
	})
}

// FurtherGroups groups by one column more, each in turn.
func (e Edits) FurtherGroups() []string {
	var columns [][2]string
	e.inner(func(_ *pg.SelectStmt, r *features) bool {
		for _, s := range r.tables {
			for _, c := range e.schema[s.table] {
				columns = append(columns, [2]string{s.alias, c})
			}
		}
		return false
	})
	return variations(len(columns), func(i int) []string {
		return e.inner(func(sel *pg.SelectStmt, _ *features) bool {
			sel.GroupClause = append(sel.GroupClause, ColumnRef(columns[i][:]...))
			return true
		})
	})
}

// FewerGroups leaves each expression out of GROUP BY in turn.
func (e Edits) FewerGroups() []string {
	return variations(mostEdits, func(i int) []string {
		return e.inner(func(sel *pg.SelectStmt, _ *features) bool {
			if i >= len(sel.GroupClause) {
				return false
			}
			sel.GroupClause = slices.Delete(sel.GroupClause, i, i+1)
			return true
		})
	})
}

// Having has a condition on the aggregate of a column in HAVING for the one on the column itself in WHERE.
func (e Edits) Having(aggregate, column string) []string {
	return e.inner(func(sel *pg.SelectStmt, r *features) bool {
		var stay, moved []*pg.Node
		for _, c := range Conjuncts(sel.WhereClause) {
			a := c.GetAExpr()
			if a == nil || a.Lexpr == nil || r.written(a.Lexpr) != column {
				stay = append(stay, c)
				continue
			}
			a.Lexpr = &pg.Node{
				Node: &pg.Node_FuncCall{
					FuncCall: &pg.FuncCall{
						Funcname:   []*pg.Node{pg.MakeStrNode(aggregate)},
						Args:       []*pg.Node{a.Lexpr},
						Funcformat: pg.CoercionForm_COERCE_EXPLICIT_CALL,
					},
				},
			}
			moved = append(moved, c)
		}
		sel.WhereClause, sel.HavingClause = Conjunction(stay), and(sel.HavingClause, moved...)
		return len(moved) > 0
	})
}

// Distinct leaves repeated rows out, or has them stay: by DISTINCT, or in set operations.
func (e Edits) Distinct(on bool) []string {
	return e.inner(func(sel *pg.SelectStmt, _ *features) bool {
		if sel.Op > pg.SetOperation_SETOP_NONE {
			changed := false
			for at := sel; at != nil && at.Op > pg.SetOperation_SETOP_NONE; at = at.Larg {
				changed = changed || at.All == on
				at.All = !on
			}
			return changed
		}
		changed := len(sel.DistinctClause) == 0 == on
		if sel.DistinctClause = nil; on {
			sel.DistinctClause = []*pg.Node{{}}
		}
		return changed
	})
}

// WithoutGroups leaves GROUP BY out where nothing is aggregated.
func (e Edits) WithoutGroups() []string {
	return e.inner(func(sel *pg.SelectStmt, _ *features) bool {
		grouped := len(sel.GroupClause) > 0
		sel.GroupClause = nil
		return grouped
	})
}
