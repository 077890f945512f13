package explain_test

import (
	"fmt"

	"examen/internal/core/compare"
	"examen/internal/core/explain"
	"examen/internal/core/sqltext"
)

// A finding becomes a sentence; a database's error says what to do.
func Example() {
	finding := compare.Finding{Kind: compare.RowsMissing, Count: 1, Got: 2, Want: 3}
	fmt.Println(explain.Difference(finding, explain.ToldRows).Sentence)

	const sql = "SELECT nme FROM hive"
	plain := explain.Query(explain.QueryError{
		Code: "42703", SQL: sql, Message: `column "nme" does not exist`, Offset: 7,
	}, sqltext.Schema{"hive": {"name", "strength"}})
	fmt.Println(plain.Sentence)
	// Output:
	// 1 row of the 3 expected is missing.
	// No column is called nme here: did you mean name?
}
