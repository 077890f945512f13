package exam

import (
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"examen/internal/core/compare"
	"examen/internal/core/result"
	"examen/internal/practice"
)

// Bounds of the texts that the database is asked about: of one side's column, how many and how many bytes.
const (
	askedTexts = 20_000
	askedBytes = 1 << 20
)

// ownEquality tells whether the sides have columns whose values are equal in a way that only the database knows.
func (s *side) ownEquality(attempt []result.Column) bool {
	return slices.ContainsFunc(slices.Concat(s.reference.Columns, attempt), result.Column.OwnEquality)
}

// withEquality makes the plan and both digests anew, with the texts that the database takes for equal taken as the same. The attempt's digest is returned. Where
// the database cannot be asked, or about too much, everything stays as it was.
func (v *viewing) withEquality(s *side, attempt *compare.Digest) (*compare.Digest, error) {
	reference, columns := slices.Clone(s.reference.Columns), slices.Clone(v.collect.columns)
	texts := map[string]bool{}
	size, over := 0, false
	gather := func(of []result.Column) func(row result.Row) error {
		return func(row result.Row) error {
			for i, c := range of {
				if cell := row[i]; cell != nil && !over && (c.OwnEquality() || c.Type.Family() == result.Text) && !texts[string(cell)] {
					texts[string(cell)] = true
					size += len(cell)
					over = len(texts) > askedTexts || size > askedBytes
				}
			}
			return nil
		}
	}
	if err := v.references.each(v.ctx, s.reference, gather(reference)); err != nil {
		return nil, &referenceError{err}
	}
	if err := v.again(gather(columns)); err != nil {
		return nil, err
	}
	if over {
		return attempt, nil
	}
	known := map[string]map[string]string{}
	for _, side := range [][]result.Column{reference, columns} {
		for i, c := range side {
			if !c.OwnEquality() {
				continue
			}
			as := "::" + c.Type.Name
			if c.Collation != "" {
				as = " COLLATE " + c.Collation
			}
			if _, asked := known[as]; !asked {
				equal, err := v.equal(texts, as)
				if err != nil {
					return nil, err
				}
				known[as] = equal
			}
			side[i].Equal = known[as]
		}
	}
	of := s.reference.Reference
	of.Columns = reference
	plan, _ := compare.NewPlan(v.rules.Policy, of, columns)
	digester := plan.Reference(s.reference.read)
	if err := v.references.each(v.ctx, s.reference, func(row result.Row) error { digester.Add(row); return nil }); err != nil {
		return nil, &referenceError{err}
	}
	s.plan, s.digest = plan, digester.Digest()
	s.digester = plan.Attempt(s.digest)
	if err := v.again(func(row result.Row) error { s.digester.Add(row); return nil }); err != nil {
		return nil, err
	}
	return s.digester.Digest(), nil
}

// equal asks the database which of the texts it takes for equal when they are read as SQL says. A type whose values have no order has no equality that can be asked for.
func (v *viewing) equal(texts map[string]bool, as string) (map[string]string, error) {
	var all []string
	var array strings.Builder
	escape := strings.NewReplacer(`\`, `\\`, `"`, `\"`, "'", "''")
	for text := range texts {
		if len(all) > 0 {
			array.WriteByte(',')
		}
		all = append(all, text)
		array.WriteString(`"` + escape.Replace(text) + `"`)
	}
	answer := &collector{rows: len(all), bytes: 64 * (len(all) + 1)}
	sql := fmt.Sprintf("SELECT n, dense_rank() OVER (ORDER BY text%s) FROM unnest('{%s}'::text[]) WITH ORDINALITY AS t (text, n)", as, array.String())
	_, err := v.practice.Run(v.ctx, practice.Run{Database: v.database, Checking: true, SQL: sql}, answer)
	var reported *practice.DatabaseError
	var stopped *practice.Stopped
	switch {
	case errors.As(err, &reported), errors.As(err, &stopped):
		return nil, nil
	case err != nil:
		return nil, err
	}
	first, equal := map[string]string{}, map[string]string{}
	for _, row := range answer.kept {
		n, _ := strconv.Atoi(string(row[0]))
		text, rank := all[n-1], string(row[1])
		if _, has := first[rank]; !has {
			first[rank] = text
		}
		if first[rank] != text {
			equal[text] = first[rank]
		}
	}
	return equal, nil
}
