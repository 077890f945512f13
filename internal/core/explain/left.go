package explain

import (
	"fmt"
	"strings"

	"examen/internal/core/compare"
	"examen/internal/core/definition"
	"examen/internal/core/sqltext"
)

// Kinds of findings about what statements leave.
const (
	NothingIsChanged = "nothing-changed"
	NotCommittedLeft = "not-committed"
	TableUntouched   = "table-untouched"
	TableSpoilt      = "table-spoilt"
	ConditionMissing = "condition-missing"
	TooManyRows      = "too-many-changed"
	LastQueryMissing = "last-query-missing"
	ProbeRefused     = "refused-to-take"
	ProbeTaken       = "taken-to-refuse"
	ConditionDiffers = "check-differs"
	TableIsOther     = "table-differs"
)

// NothingChanged is said of statements that leave everything as it was.
func NothingChanged() Finding {
	return Finding{Kind: NothingIsChanged, Sentence: "Nothing was changed: every table is as it was before."}
}

// NotCommitted is said of statements at whose end a transaction was open.
func NotCommitted() Finding {
	return Finding{Kind: NotCommittedLeft,
		Sentence: "A transaction is begun and not ended: without COMMIT, nothing of " +
			"it is left."}
}

// Untouched is said of a table in which something should have changed.
func Untouched(table string) Finding {
	return Finding{Kind: TableUntouched, Sentence: fmt.Sprintf("Nothing was changed in the table %s, and something "+
		"should be.", quote(table))}
}

// Spoilt is said of a table that should have stayed as it was.
func Spoilt(table string, added, changed, removed int64) Finding {
	var parts []string
	for _, part := range []struct {
		rows int64
		word string
	}{{added, "added"}, {changed, "changed"}, {removed, "removed"}} {
		if part.rows > 0 {
			parts = append(parts, plural(part.rows, "row")+" "+wasWere(part.rows)+" "+part.word)
		}
	}
	what := "its rows are others now"
	if len(parts) > 0 {
		what = strings.Join(parts, ", and ")
	}
	return Finding{Kind: TableSpoilt, Sentence: fmt.Sprintf("The table %s should stay as it is, and %s.",
		quote(table), what)}
}

func wasWere(n int64) string {
	if n == 1 {
		return "was"
	}
	return "were"
}

// NoCondition is said of a statement that takes every row of a table where some should have stayed.
func NoCondition(table, verb string) Finding {
	done := "changed"
	if verb != "UPDATE" {
		done = "removed"
	}
	return Finding{Kind: ConditionMissing,
		Sentence: fmt.Sprintf("In the table %s, rows that should have stayed are %s "+
			"too: the condition is missing, and %s without WHERE takes every row.", quote(table), done, verb)}
}

// TooManyChanged is said of a table in which more rows were changed or removed than should be.
func TooManyChanged(table string, changed, toChange, removed, toRemove int64, told Told) Finding {
	did, should, done := changed, toChange, "changed"
	if changed <= toChange {
		did, should, done = removed, toRemove, "removed"
	}
	s := fmt.Sprintf("In the table %s, rows that should have stayed are %s too: %s %s %s", quote(table), done,
		plural(did, "row"), wasWere(did), done)
	if told >= ToldNumbers {
		s += fmt.Sprintf(", and %s should be", thousands(should))
	}
	return Finding{Kind: TooManyRows, Sentence: s + ". Look at the condition."}
}

// NoLastQuery is said of statements that show nothing where the task asks for a query at the end.
func NoLastQuery() Finding {
	return Finding{Kind: LastQueryMissing,
		Sentence: "The task asks for a query at the end that shows rows, and there " +
			"is none."}
}

// Probed is said of a statement that the database should take, or refuse, after what was defined, and does not. message
// is the database's; whole tells that the statement may be told as it is, and not only what it does to which table.
func Probed(sql string, taken bool, message string, whole bool) Finding {
	f := Finding{Kind: ProbeTaken, Sentence: "The database takes " + tried(sql, whole) +
		" that what you defined should refuse"}
	if !taken {
		f = Finding{Kind: ProbeRefused, Sentence: "The database refuses " + tried(sql, whole) +
			" that what you defined should take"}
	}
	if whole {
		f.Sentence += ": " + strings.TrimSuffix(sql, ";")
	}
	f.Sentence += "."
	if !taken && message != "" {
		f.Sentence += " It says: " + message + "."
	}
	return f
}

// tried names a statement that is tried; whole tells that it follows as it is.
func tried(sql string, whole bool) string {
	verb, table := sqltext.Subject(sql)
	switch {
	case whole || verb == "":
		return "a statement"
	case table == "":
		return "a " + verb
	case verb == "INSERT":
		return "an INSERT into the table " + quote(table)
	case verb == "DELETE":
		return "a DELETE from the table " + quote(table)
	case verb == "UPDATE":
		return "an UPDATE of the table " + quote(table)
	}
	return "a " + verb + " into the table " + quote(table)
}

// AfterProbe is said of a difference that shows only after a further statement.
func AfterProbe(sql string, f Finding, whole bool) Finding {
	said := tried(sql, false)
	if whole {
		said = strings.TrimSuffix(sql, ";")
	} else if said == "a statement" {
		said = "a further statement"
	}
	f.Sentence = "After " + said + ": " + f.Sentence
	return f
}

// ProbeShows is said of a difference in what a query shows that is run after what was defined.
func ProbeShows(sql string, f Finding, whole bool) Finding {
	said := "A query afterwards"
	if whole {
		said = strings.TrimSuffix(sql, ";")
	}
	f.Sentence = said + ": " + f.Sentence
	return f
}

// CheckDiffers is said of a table that takes a row which it should refuse, or the other way round.
func CheckDiffers(table string, taken bool, columns []string, row []*string, told Told) Finding {
	f := Finding{Kind: ConditionDiffers}
	if taken {
		f.Sentence = fmt.Sprintf("The table %s takes values that a CHECK should refuse.", quote(table))
	} else {
		f.Sentence = fmt.Sprintf("The table %s refuses values that it should take: look at its CHECK.", quote(table))
	}
	if told == ToldRows {
		f.Columns, f.Rows = columns, [][]*string{row}
	}
	return f
}

// HiddenState is all that is ever said of what statements leave of rows that a learner cannot see.
func HiddenState() Finding {
	return Finding{
		Kind: HiddenRows,
		Sentence: "What is left is right with the rows you can see, but not with others: the statements have to " +
			"do the " +
			"right thing whatever the tables contain.",
	}
}

// BrokenByStatements words the rules that statements break, as Broken does of a query.
func BrokenByStatements(broken []sqltext.Rule, right bool) []Finding {
	findings := Broken(broken, false)
	for i := range findings {
		findings[i].Sentence = strings.ReplaceAll(findings[i].Sentence, "the query has", "your text has")
		if i == 0 && right {
			findings[i].Sentence += " What is left is right."
		}
	}
	return findings
}

// InTable words a difference in the rows of a table, or a view.
func InTable(kind, table string, f compare.Finding, told Told) Finding {
	out := Difference(f, told)
	in := "In the " + kind + " " + quote(table) + ", "
	switch {
	case told == ToldNothing:
		out.Sentence = in + lower(out.Sentence)
	case f.Kind == compare.ResultEmpty:
		out.Sentence = fmt.Sprintf("The %s %s is empty; %s %s expected.", kind, quote(table), count(f.Want, "row"),
			isAre(f.Want))
	case f.Kind == compare.RowsMissing:
		out.Sentence = fmt.Sprintf("%s%s of the %d expected %s missing.", in, count(f.Count, "row"), f.Want,
			isAre(f.Count))
	case f.Kind == compare.RowsExtra:
		out.Sentence = fmt.Sprintf("%s%s should not be there (it has %s, and %s %s expected).", in,
			count(f.Count, "row"), plural(f.Got, "row"), thousands(f.Want), isAre(f.Want))
	case f.Kind == compare.ColumnsMissing || f.Kind == compare.ColumnsExtra:
		out.Sentence = strings.Replace(out.Sentence, "The result", "The "+kind+" "+quote(table), 1)
	case strings.HasPrefix(out.Sentence, "In column"):
		out.Sentence = in + lower(out.Sentence)
	default:
		out.Sentence = in + lower(strings.ReplaceAll(strings.ReplaceAll(out.Sentence, "your result", "the "+kind),
			"The result", "the "+kind))
	}
	return out
}

// Unreadable is said of a table or a view whose rows cannot be read as the expected ones; err is the database's.
func Unreadable(kind, name string, err error) Finding {
	return Finding{Kind: TableIsOther, Sentence: fmt.Sprintf("The rows of the %s %s cannot be read and compared. The "+
		"database says: %s.", kind, quote(name), err)}
}

// TableDiffers is said of a table or a view of which more cannot be told.
func TableDiffers(kind, table string) Finding {
	return Finding{Kind: TableIsOther, Sentence: fmt.Sprintf("The rows of the %s %s are not the expected ones.", kind,
		quote(table))}
}

func lower(s string) string { return strings.ToLower(s[:1]) + s[1:] }

// Definition words a difference between definitions; reveal tells that what is expected may be told, too.
func Definition(f definition.Finding, reveal bool) Finding {
	s := f.Sentence
	if reveal && f.Reveals != "" {
		s += " " + f.Reveals
	}
	return Finding{Kind: f.Kind, Sentence: s}
}
