package compare_test

import (
	"fmt"
	"testing"

	"examen/internal/core/compare"
	"examen/internal/core/result"
)

// Small results compared from beginning to end, as a submission's are: the plan, the attempt's digest, the match. The reference's side is made once.
func BenchmarkCompareFiftyRows(b *testing.B) {
	reference := resultSet{Columns: set("name:t strength:i kg:n share:f").Columns}
	for i := range 50 {
		reference.Rows = append(reference.Rows, result.Row{fmt.Appendf(nil, "Hive %d", i), fmt.Append(nil, i%11), fmt.Appendf(nil, "%d.%02d", i, i), fmt.Appendf(nil, "%g", float64(i)/7)})
	}
	shape := compare.Reference{Columns: reference.Columns}
	plan, _ := compare.NewPlan(compare.Policy{}, shape, reference.Columns)
	digest := plan.Reference(50)
	for _, row := range reference.Rows {
		digest.Add(row)
	}
	a := digest.Digest()
	for b.Loop() {
		plan, _ := compare.NewPlan(compare.Policy{}, shape, reference.Columns)
		attempt := plan.Attempt(a)
		for _, row := range reference.Rows {
			attempt.Add(row)
		}
		if !plan.Match(a, attempt.Digest()) {
			b.Fatal("they match")
		}
	}
	b.ReportMetric(float64(b.N)/b.Elapsed().Seconds(), "compares/s")
}

// One row of the observatory's measurements.
func BenchmarkDigestOfAMeasurement(b *testing.B) {
	columns := []result.Column{{Type: result.Type{OID: 20}}, {Type: result.Type{OID: 1114}}, {Type: result.Type{OID: 1042}}, {Type: result.Type{OID: 1700}}, {Type: result.Type{OID: 701}}, {Type: result.Type{OID: 16}}}
	row := result.Row{[]byte("123456"), []byte("2024-03-01 21:45:50"), []byte("V"), []byte("11.234"), []byte("0.03456789012345678"), []byte("t")}
	plan, _ := compare.NewPlan(compare.Policy{}, compare.Reference{Columns: columns}, columns)
	d := plan.Attempt(plan.Reference(1_000_000).Digest())
	for b.Loop() {
		d.Add(row)
	}
}
