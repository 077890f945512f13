package sqltext

import (
	pg "github.com/pganalyze/pg_query_go/v6"
)

// Limit sets LIMIT, or leaves it out where n is below zero.
func (e Edits) Limit(n int64) []string {
	return e.edit(func(top *pg.SelectStmt) bool {
		top.LimitCount, top.LimitOption = nil, pg.LimitOption_LIMIT_OPTION_DEFAULT
		if n >= 0 {
			top.LimitCount, top.LimitOption = pg.MakeAConstIntNode(n, -1), pg.LimitOption_LIMIT_OPTION_COUNT
		}
		return true
	})
}

// Directions has the order keys the other way round, all and each in turn.
func (e Edits) Directions() []string {
	turn := func(s *pg.SortBy) {
		if s.SortbyDir == pg.SortByDir_SORTBY_DESC {
			s.SortbyDir = pg.SortByDir_SORTBY_ASC
		} else {
			s.SortbyDir = pg.SortByDir_SORTBY_DESC
		}
	}
	all := e.edit(func(top *pg.SelectStmt) bool {
		_, sort := unwrapped(top)
		for _, s := range sort {
			turn(s.GetSortBy())
		}
		return len(sort) > 1
	})
	return append(all, e.sorts(turn)...)
}

// NullsElsewhere has NULLs at the other end of each order key, in turn.
func (e Edits) NullsElsewhere() []string {
	return e.sorts(func(s *pg.SortBy) {
		first := s.SortbyNulls == pg.SortByNulls_SORTBY_NULLS_FIRST ||
			s.SortbyNulls != pg.SortByNulls_SORTBY_NULLS_LAST && s.SortbyDir == pg.SortByDir_SORTBY_DESC
		if s.SortbyNulls = pg.SortByNulls_SORTBY_NULLS_FIRST; first {
			s.SortbyNulls = pg.SortByNulls_SORTBY_NULLS_LAST
		}
	})
}

func (e Edits) sorts(change func(s *pg.SortBy)) []string {
	return variations(mostEdits, func(i int) []string {
		return e.edit(func(top *pg.SelectStmt) bool {
			_, sort := unwrapped(top)
			if i >= len(sort) {
				return false
			}
			change(sort[i].GetSortBy())
			return true
		})
	})
}
