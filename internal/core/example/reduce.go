// Package example finds the smallest example on which two queries differ: a few rows of the tables that they read.
//
// Which rows these are is found by leaving out what is not needed for the difference (reduce.go), after A. Zeller and
// R. Hildebrandt: Simplifying and isolating failure-inducing input, 2002. A row that others refer to stays while they
// do. The queries run on the chosen rows without a database of their own: the tables are shadowed by common table
// expressions (shadow.go).
package example

import (
	"fmt"
	"slices"
	"strings"
)

// A Selection is of each table which of its rows are chosen, by their numbers, ascending.
type Selection map[string][]int

// Rows is how many rows are chosen.
func (s Selection) Rows() (n int) {
	for _, rows := range s {
		n += len(rows)
	}
	return n
}

// Most is how many rows the table has of which most are chosen.
func (s Selection) Most() (n int) {
	for _, rows := range s {
		n = max(n, len(rows))
	}
	return n
}

func (s Selection) with(table string, rows []int) Selection {
	made := Selection{}
	for name, all := range s {
		made[name] = all
	}
	made[table] = rows
	return made
}

// key is the same for the same selection.
func (s Selection) key() string {
	var b strings.Builder
	for _, name := range s.Names() {
		fmt.Fprint(&b, name, s[name])
	}
	return b.String()
}

// Names are the tables, those with the most rows first.
func (s Selection) Names() []string {
	var all []string
	for name := range s {
		all = append(all, name)
	}
	slices.SortFunc(all, func(a, b string) int {
		if d := len(s[b]) - len(s[a]); d != 0 {
			return d
		}
		return strings.Compare(a, b)
	})
	return all
}

// A Reference is a foreign key between two tables: of each of the one's rows, by its number, the row of the other that
// it refers to; -1 for none.
type Reference struct {
	From, To string
	Row      []int
}

// whole is a selection without the rows that refer to a row that is not chosen.
func (s Selection) whole(references []Reference) Selection {
	for changed := true; changed; {
		changed = false
		for _, r := range references {
			to, read := s[r.To]
			if !read {
				continue
			}
			chosen := make(map[int]bool, len(to))
			for _, row := range to {
				chosen[row] = true
			}
			rows := slices.Clone(s[r.From])
			rows = slices.DeleteFunc(rows, func(row int) bool { return r.Row[row] >= 0 && !chosen[r.Row[row]] })
			if len(rows) < len(s[r.From]) {
				s, changed = s.with(r.From, rows), true
			}
		}
	}
	return s
}

// Reduce leaves rows out of a selection as long as the difference still shows, until none can be left out any more. An
// error of differs ends it; what was found until then is returned with it.
func Reduce(from Selection, references []Reference, differs func(Selection) (bool, error)) (Selection, error) {
	r := &reducer{references: references, differs: differs, known: map[string]bool{}, now: from.whole(references)}
	for before := -1; before != r.now.Rows() && r.err == nil; {
		before = r.now.Rows()
		for _, table := range r.now.Names() {
			r.table(table)
		}
	}
	return r.now, r.err
}

type reducer struct {
	references []Reference
	differs    func(Selection) (bool, error)
	known      map[string]bool // selections that were tried
	now        Selection
	err        error
}

// stays tells whether the difference shows on fewer rows of a table, and takes them if it does.
func (r *reducer) stays(table string, rows []int) bool {
	if r.err != nil {
		return false
	}
	s := r.now.with(table, rows).whole(r.references)
	key := s.key()
	if r.known[key] {
		return false // it did not, or it is what there is now
	}
	r.known[key] = true
	shows, err := r.differs(s)
	if r.err = err; err != nil || !shows {
		return false
	}
	r.now = s
	return true
}

// table reduces the rows of one table: to a part of them, or by a part, of ever smaller parts.
func (r *reducer) table(name string) {
	if len(r.now[name]) == 0 || r.stays(name, nil) {
		return
	}
	for parts := 2; r.err == nil; {
		rows := r.now[name]
		if len(rows) < 2 {
			return
		}
		parts = min(parts, len(rows))
		smaller := false
		for i := range parts {
			if smaller = r.stays(name, part(rows, i, parts)); smaller {
				parts = 2
				break
			}
		}
		for i := 0; i < parts && !smaller && parts > 2; i++ {
			if smaller = r.stays(name, without(rows, i, parts)); smaller {
				parts = max(parts-1, 2)
			}
		}
		if smaller {
			continue
		}
		if parts >= len(rows) {
			return
		}
		parts *= 2
	}
}

func part(rows []int, i, of int) []int { return rows[i*len(rows)/of : (i+1)*len(rows)/of] }

func without(rows []int, i, of int) []int {
	return slices.Concat(rows[:i*len(rows)/of], rows[(i+1)*len(rows)/of:])
}
