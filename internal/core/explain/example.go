package explain

import (
	"fmt"
	"strings"
)

// A Count is how many rows of a table an example has.
type Count struct {
	Table string
	Rows  int
}

// Example words an example: a query gives so many rows on just so many rows of tables, and others are expected.
func Example(madeUp bool, tables []Count, got, expected int) string {
	var parts []string
	for _, t := range tables {
		switch {
		case t.Rows == 1:
			parts = append(parts, "this 1 row of "+t.Table)
		case t.Rows > 1:
			parts = append(parts, fmt.Sprintf("these %d rows of %s", t.Rows, t.Table))
		}
	}
	with := "With no rows at all"
	if len(parts) > 0 {
		with = "With just " + plain(parts)
	}
	if madeUp {
		with += ", which are made up"
		if len(parts) == 1 && strings.HasPrefix(parts[0], "this") {
			with = strings.TrimSuffix(with, "are made up") + "is made up"
		}
	}
	gives := fmt.Sprintf("your query gives %s; %d %s expected", plural(int64(got), "row"), expected, areOf(expected))
	if got == expected {
		gives = fmt.Sprintf("your query gives %s, but not as expected", plural(int64(got), "row"))
	}
	return with + ", " + gives + "."
}

func areOf(n int) string {
	if n == 1 {
		return "is"
	}
	return "are"
}
