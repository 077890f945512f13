package sqltext_test

import (
	"errors"
	"fmt"

	"examen/internal/core/sqltext"
)

// A query is read once; then it says what it uses, and in which order its rows come.
func Example() {
	q, err := sqltext.ReadQuery("SELECT name FROM hive WHERE strength > 5 ORDER BY strength")
	if err != nil {
		fmt.Println(err)
		return
	}
	ordering, _ := q.Ordering(nil)
	fmt.Println(ordering.SQL)
	_, err = sqltext.ReadQuery("SELECT name FORM hive")
	var syntax *sqltext.SyntaxError
	if errors.As(err, &syntax) {
		d := sqltext.DiagnoseSyntax("SELECT name FORM hive", syntax.Message, 17, nil)
		fmt.Println(d.Word, "for", d.Meant)
	}
	// Output:
	// SELECT name, strength AS order_key_1 FROM hive WHERE strength > 5 ORDER BY strength
	// FORM for FROM
}
