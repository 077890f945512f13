package dataset

import (
	"fmt"
	"strings"
)

// A Selection says which of a table's rows are wanted.
type Selection struct {
	Sort          string // a column, "" for none
	Descending    bool
	Column, Value string // only rows in which the column's text is the value; "" for all
	Null          bool   // only those in which it is NULL
	Offset        int64
	Limit         int
}

// Select writes the query for some of a table's rows. Names and values are quoted, so that they are nothing else than
// that.
func (t *Table) Select(s Selection) string {
	var b strings.Builder
	fmt.Fprintf(&b, "SELECT * FROM %s", t.SQLName)
	switch {
	case s.Column != "" && s.Null:
		fmt.Fprintf(&b, " WHERE %s IS NULL", quoted(s.Column))
	case s.Column != "":
		fmt.Fprintf(&b, " WHERE %s::text = %s", quoted(s.Column), literal(s.Value))
	}
	if s.Sort != "" {
		fmt.Fprintf(&b, " ORDER BY %s", quoted(s.Sort))
		if s.Descending {
			b.WriteString(" DESC")
		}
	}
	fmt.Fprintf(&b, " LIMIT %d OFFSET %d", s.Limit, s.Offset)
	return b.String()
}

func quoted(name string) string { return `"` + strings.ReplaceAll(name, `"`, `""`) + `"` }

// literal writes a text so that a backslash is only a backslash whatever the session's settings are.
func literal(s string) string {
	return `E'` + strings.NewReplacer(`\`, `\\`, `'`, `''`).Replace(s) + `'`
}
