package compare_test

import (
	"fmt"

	"examen/internal/core/compare"
	"examen/internal/core/result"
)

// An attempt's rows are compared with a reference answer's: first by their digests, in one pass over each, and only
// where they differ by the rows themselves.
func Example() {
	columns := []result.Column{{Name: "name", Type: result.Type{Name: "text", OID: 25}}}
	rows := func(names ...string) (all []result.Row) {
		for _, name := range names {
			all = append(all, result.Row{[]byte(name)})
		}
		return all
	}
	reference, attempt := rows("Amber", "Bramble"), rows("Bramble", "Clover")
	plan, _ := compare.NewPlan(compare.Policy{}, compare.Reference{Columns: columns}, columns)
	digest := func(d *compare.Digester, rows []result.Row) *compare.Digest {
		for _, row := range rows {
			d.Add(row)
		}
		return d.Digest()
	}
	expected := digest(plan.Reference(2), reference)
	fmt.Println(plan.Match(expected, digest(plan.Attempt(expected), rows("Bramble", "Amber"))))

	got := digest(plan.Attempt(expected), attempt)
	fmt.Println(plan.Match(expected, got))
	side := func(d *compare.Digest, rows []result.Row) compare.Side {
		return compare.Side{Digest: d, Rows: func(yield func(result.Row) error) error {
			for _, row := range rows {
				if err := yield(row); err != nil {
					return err
				}
			}
			return nil
		}}
	}
	_, difference, _ := plan.Differences(side(expected, reference), side(got, attempt))
	for _, f := range difference.Findings {
		fmt.Println(f.Kind, f.Count)
	}
	// Output:
	// true
	// false
	// rows-extra 1
	// rows-missing 1
}
