package compare_test

import (
	"fmt"
	"testing"

	"examen/internal/core/compare"
	"examen/internal/core/result"
)

// Small results compared from beginning to end, as a submission's are: the plan, the attempt's digest, the match. The
// reference's side is made once.
func BenchmarkCompareFiftyRows(b *testing.B) {
	reference := resultSet{Columns: set("name:t strength:i kg:n share:f").Columns}
	for i := range 50 {
		reference.Rows = append(
			reference.Rows,
			result.Row{
				fmt.Appendf(nil, "Hive %d", i), fmt.Append(nil, i%11), fmt.Appendf(nil, "%d.%02d", i, i),
				fmt.Appendf(nil, "%g", float64(i)/7),
			},
		)
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

// Rows like the observatory's measurements.
func BenchmarkDigestOfAMeasurement(b *testing.B) {
	columns := []result.Column{
		{Type: result.Type{OID: 20}}, {Type: result.Type{OID: 1114}}, {Type: result.Type{OID: 1042}},
		{Type: result.Type{OID: 1700}}, {Type: result.Type{OID: 701}}, {Type: result.Type{OID: 16}},
	}
	rows := make([]result.Row, 10_000)
	for i := range rows {
		rows[i] = result.Row{
			fmt.Append(nil, 123456+i), fmt.Appendf(nil, "2024-03-01 21:%02d:%02d", i/60%60, i%60), []byte("V"),
			fmt.Appendf(nil, "11.%03d", i%1000), fmt.Append(nil, 1/float64(i+29)), []byte("t"),
		}
	}
	plan, _ := compare.NewPlan(compare.Policy{}, compare.Reference{Columns: columns}, columns)
	d := plan.Attempt(plan.Reference(1_000_000).Digest())
	for i := 0; b.Loop(); i++ {
		d.Add(rows[i%len(rows)])
	}
}
