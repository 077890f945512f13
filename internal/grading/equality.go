package grading

import (
	"context"
	"maps"
	"slices"

	"examen/internal/core/compare"
	"examen/internal/core/result"
)

// Bounds of the texts that the database is asked about, of one column: how many, and how many bytes.
const (
	askedTexts = 20_000
	askedBytes = 1 << 20
)

// ownEquality tells whether any column has values whose equality only the database can decide.
func (h *held) ownEquality(own []result.Column) bool {
	return slices.ContainsFunc(slices.Concat(h.answer.Columns, own), result.Column.OwnEquality)
}

// textSet is a set of texts of bounded size.
type textSet struct {
	texts map[string]bool
	size  int
	over  bool
}

// gather returns a function that adds the texts in a row.
func (s *textSet) gather(columns []result.Column) func(result.Row) error {
	return func(row result.Row) error {
		for i, c := range columns {
			cell := row[i]
			if cell == nil || s.over || !c.OwnEquality() && c.Type.Family() != result.Text || s.texts[string(cell)] {
				continue
			}
			s.texts[string(cell)] = true
			s.size += len(cell)
			s.over = len(s.texts) > askedTexts || s.size > askedBytes
		}
		return nil
	}
}

// withEquality makes the plan and both digests again, treating texts as the same that the database considers equal. It
// returns the digest of the query's rows. If the database cannot be asked, or would have to be asked about too much,
// nothing changes.
func (c *comparison) withEquality(ctx context.Context, h *held, attempt *compare.Digest) (*compare.Digest, error) {
	reference, own := slices.Clone(h.answer.Columns), slices.Clone(c.rows.Columns)
	set := &textSet{texts: map[string]bool{}}
	if err := c.grader.answers.each(ctx, h.answer, set.gather(reference)); err != nil {
		return nil, &AnswerError{h.answer.sql, err}
	}
	if err := c.again(ctx, set.gather(own)); err != nil {
		return nil, err
	}
	if set.over {
		return attempt, nil
	}
	texts := slices.Collect(maps.Keys(set.texts))
	asked := map[string]map[string]string{} // by type and collation
	for _, side := range [][]result.Column{reference, own} {
		for i, column := range side {
			if !column.OwnEquality() {
				continue
			}
			as := column.Type.Name + " " + column.Collation
			if _, done := asked[as]; !done {
				equal, err := c.grader.practice.Equal(ctx, c.database, texts, column)
				if err != nil {
					return nil, err
				}
				asked[as] = equal
			}
			side[i].Equal = asked[as]
		}
	}
	of := h.answer.Reference
	of.Columns = reference
	plan, _ := compare.NewPlan(c.rules.Policy, of, own)
	digester := plan.Reference(h.answer.read)
	err := c.grader.answers.each(ctx, h.answer, func(row result.Row) error { digester.Add(row); return nil })
	if err != nil {
		return nil, &AnswerError{h.answer.sql, err}
	}
	h.plan, h.digest = plan, digester.Digest()
	h.digester = plan.Attempt(h.digest)
	if err := c.again(ctx, func(row result.Row) error { h.digester.Add(row); return nil }); err != nil {
		return nil, err
	}
	return h.digester.Digest(), nil
}
