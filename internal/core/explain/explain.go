// Package explain puts findings and database errors into words that teach without giving the answer away.
package explain

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"examen/internal/core/compare"
	"examen/internal/core/mutation"
	"examen/internal/core/pack"
	"examen/internal/core/result"
	"examen/internal/core/sqltext"
)

// A Finding is one difference in words: a stable kind, a sentence, and its evidence.
type Finding struct {
	Kind     string      `json:"kind"`
	Sentence string      `json:"sentence"`
	Columns  []string    `json:"columns,omitempty"`
	Rows     [][]*string `json:"rows,omitempty"`
	// Places are those columns of the attempt that the finding speaks of, from 1.
	Places []int `json:"places,omitempty"`
	// Of a cause: whether it is proven, where it is in the text, the edit that mends it, and how far all that is told
	// to the learner.
	Proven bool           `json:"proven,omitempty"`
	Where  *Stretch       `json:"where,omitempty"`
	Edit   *mutation.Edit `json:"edit,omitempty"`
	Clause string         `json:"clause,omitempty"`
	Hint   pack.Hint      `json:"hint,omitempty"`
}

// Kinds of findings that do not come from comparing rows.
const (
	ConstructRequired  = "construct-required"
	ConstructForbidden = "construct-forbidden"
	HiddenRows         = "hidden-rows"
	LuckyOrder         = "order-by-luck"
	LuckyLimit         = "limit-by-luck"
)

// maxCell is how many bytes of a cell evidence shows.
const maxCell = 200

// Told says how much of the expected result a learner is told.
type Told int

const (
	ToldNothing Told = iota // that there is a difference, and of which kind
	ToldNumbers             // how many rows there are
	ToldRows                // its columns' names, and up to five of its rows
)

// Difference words a finding of a comparison.
func Difference(f compare.Finding, told Told) Finding {
	if told == ToldNothing {
		return Finding{Kind: string(f.Kind), Sentence: silent(f)}.withRows(f, !f.Reveals)
	}
	out := Finding{Kind: string(f.Kind), Sentence: sentence(f)}
	if f.Looked > 0 {
		out.Sentence += fmt.Sprintf(
			" (The result is large: this was counted among %d of its %d rows.)", f.Looked, f.Got,
		)
	}
	return out.withRows(f, !f.Reveals || told == ToldRows)
}

// withRows adds a finding's evidence where it may be shown.
func (out Finding) withRows(f compare.Finding, shown bool) Finding {
	if !shown {
		return out
	}
	out.Columns, out.Places = f.Columns[:min(len(f.Columns), mostEvidence)], f.Places
	for _, row := range f.Rows {
		out.Rows = append(out.Rows, Cells(row[:min(len(row), mostEvidence)], maxCell))
	}
	return out
}

// mostEvidence is how many columns of a row are shown as evidence, and how many names are listed.
const mostEvidence = 40

// silent words a finding without anything of the expected result.
func silent(f compare.Finding) string {
	switch f.Kind {
	case compare.ColumnsMissing:
		return "The result has too few columns."
	case compare.ColumnsExtra:
		return "The result has too many columns."
	case compare.ColumnNames:
		return "The columns are not named as the task asks for."
	case compare.ColumnType:
		return fmt.Sprintf(
			"Column %d (%s) holds values of another kind than the task asks for.", f.Places[0], quote(f.Given[0]),
		)
	case compare.ResultEmpty:
		return "The result is empty, and it should not be."
	case compare.RowsMissing:
		return "Rows are missing."
	case compare.RowsExtra:
		return "There are rows that should not be there."
	case compare.RowsRepeated, compare.RowsMultiplied:
		return "Every row is one that is expected, but rows come too often."
	case compare.DuplicatesRemoved:
		return "Rows are missing that repeat other rows: rows that are alike have to stay, as often as they occur."
	case compare.TooLargeToPair:
		return "Some rows are not the expected ones. The result is too large to say which."
	case compare.ColumnsSwapped,
		compare.RowOrder,
		compare.RowOrderReversed,
		compare.RowOrderKey,
		compare.RowOrderPartly:
		return sentence(f)
	}
	return fmt.Sprintf("In column %d (%s), rows have another value than expected.", f.Places[0], quote(f.Given[0]))
}

// Cells returns a row's cells as strings of at most limit bytes (0: no limit); nil is NULL.
func Cells(row result.Row, limit int) []*string {
	cells := make([]*string, len(row))
	for i, cell := range row {
		if cell == nil {
			continue
		}
		s := string(cell)
		if limit > 0 && len(s) > limit {
			s = strings.ToValidUTF8(s[:limit], "") + "…"
		}
		cells[i] = &s
	}
	return cells
}

func sentence(f compare.Finding) string {
	switch f.Kind {
	case compare.ColumnsMissing:
		s := fmt.Sprintf("The result has %s; the task asks for %d", count(f.Got, "column"), f.Want)
		if len(f.Names) > 0 {
			s += ": " + list(f.Names) + " " + isAre(int64(len(f.Names))) + " missing"
		}
		return s + "."
	case compare.ColumnsExtra:
		s := fmt.Sprintf("The result has %s; the task asks for only %d", count(f.Got, "column"), f.Want)
		if len(f.Given) > 0 {
			s += ": " + list(f.Given) + " " + isAre(int64(len(f.Given))) + " not needed"
		}
		return s + "."
	case compare.ColumnsSwapped:
		return fmt.Sprintf(
			"The values are right, but the columns are in another order than the task asks for: look at columns %s.",
			placed(f),
		)
	case compare.ColumnNames:
		if len(f.Places) == 0 {
			return fmt.Sprintf("The columns have to be named as the task says: %s %s missing; the result has %s "+
				"instead.",
				list(f.Names), isAre(int64(len(f.Names))), list(f.Given))
		}
		if len(f.Places) == 1 {
			return fmt.Sprintf(
				"Column %d has to be called %s; here it is called %s. AS gives a column its name.", f.Places[0],
				list(f.Names), list(f.Given),
			)
		}
		return fmt.Sprintf(
			"The columns have to be named as the task says: %s; here they are called %s. AS gives a column its name.",
			list(f.Names), list(f.Given),
		)
	case compare.ColumnType:
		return fmt.Sprintf(
			"Column %d (%s) holds values of type %s, where %s is expected.", f.Places[0], quote(f.Given[0]), f.Given[1],
			f.Names[0],
		)
	case compare.ResultEmpty:
		return fmt.Sprintf("The result is empty; %s %s expected.", count(f.Want, "row"), isAre(f.Want))
	case compare.RowsMissing:
		return fmt.Sprintf("%s of the %d expected %s missing.", upper(count(f.Count, "row")), f.Want, isAre(f.Count))
	case compare.RowsExtra:
		if f.Count == f.Got {
			return fmt.Sprintf(
				"None of the %s in your result should be there (%s expected).", plural(f.Got, "row"), thousands(f.Want),
			)
		}
		return fmt.Sprintf(
			"Your result has %s; %s of them should not be there (%s expected).", plural(f.Got, "row"),
			thousands(f.Count), thousands(f.Want),
		)
	case compare.RowsRepeated:
		if f.Got <= f.Want {
			return fmt.Sprintf(
				"%s too often: the rest of each are expected.", upper(countVerb(f.Count, "row comes", "rows come")),
			)
		}
		return fmt.Sprintf("%s too often: every row is an expected one, but your result has %s where %s %s expected.",
			upper(countVerb(f.Count, "row comes", "rows come")), plural(f.Got, "row"), thousands(f.Want), isAre(f.Want))
	case compare.RowsMultiplied:
		return fmt.Sprintf(
			"Every expected row comes %d times: there are %d rows where %d are expected.", f.Times, f.Got, f.Want,
		)
	case compare.DuplicatesRemoved:
		came := ""
		if f.Got < f.Want {
			came = fmt.Sprintf(" (%s expected, %s in your result)", plural(f.Want, "row"), thousands(f.Got))
		}
		return fmt.Sprintf(
			"%s missing that repeat other rows: rows that are alike have to stay, as often as they occur%s.",
			upper(countVerb(f.Count, "row is", "rows are")), came,
		)
	case compare.RowOrder:
		if f.Count == 1 {
			return "The rows are right, but not their order: the first row belongs further down."
		}
		return fmt.Sprintf(
			"The rows are right, but not their order: up to row %d they stand as asked for, row %d does not.",
			f.Count-1, f.Count,
		)
	case compare.RowOrderReversed:
		return "The rows are right, but they stand the wrong way round: the last should come first."
	case compare.RowOrderKey:
		return fmt.Sprintf(
			"The rows are right, but they are ordered by %s, and the task asks for another order.", list(f.Given),
		)
	case compare.RowOrderPartly:
		what := "the first criterion"
		if f.Want > 1 {
			what = fmt.Sprintf("the first %d criteria", f.Want)
		}
		return fmt.Sprintf(
			"The rows are right and ordered by %s, but rows that are alike in it have to be ordered further: see "+
				"row %d.",
			what, f.Count,
		)
	case compare.ValuesFactor:
		return fmt.Sprintf(
			"In column %d (%s), %s %s %s times the expected value.", f.Places[0], quote(f.Given[0]),
			count(f.Count, "row"), hasHave(f.Count), f.What,
		)
	case compare.ValuesRounded:
		return fmt.Sprintf(
			"In column %d (%s), %s %s.", f.Places[0], quote(f.Given[0]), count(f.Count, "row"), roundedWords(f),
		)
	case compare.ValuesCase:
		return fmt.Sprintf(
			"In column %d (%s), %s %s from the expected value only in capital and small letters.", f.Places[0],
			quote(f.Given[0]), count(f.Count, "row"), differs(f.Count),
		)
	case compare.ValuesSpaces:
		return fmt.Sprintf(
			"In column %d (%s), %s %s from the expected value only in spaces.", f.Places[0], quote(f.Given[0]),
			count(f.Count, "row"), differs(f.Count),
		)
	case compare.ValuesNull:
		if f.What == "unexpected" {
			return fmt.Sprintf(
				"In column %d (%s), %s %s no value (NULL) where one is expected.", f.Places[0], quote(f.Given[0]),
				count(f.Count, "row"), hasHave(f.Count),
			)
		}
		return fmt.Sprintf(
			"In column %d (%s), %s %s a value where none (NULL) is expected.", f.Places[0], quote(f.Given[0]),
			count(f.Count, "row"), hasHave(f.Count),
		)
	case compare.ValuesDay:
		by := "one day"
		if f.Times > 1 {
			by = fmt.Sprintf("%d days", f.Times)
		}
		return fmt.Sprintf(
			"In column %d (%s), %s %s %s too %s.", f.Places[0], quote(f.Given[0]), count(f.Count, "row"),
			isAre(f.Count), by, f.What,
		)
	case compare.ValuesConstant:
		more, by := "more", f.What
		if strings.HasPrefix(by, "-") {
			more, by = "less", by[1:]
		}
		return fmt.Sprintf(
			"In column %d (%s), %s %s %s %s than the expected value.", f.Places[0], quote(f.Given[0]),
			count(f.Count, "row"), isAre(f.Count), by, more,
		)
	case compare.ValuesShifted:
		return fmt.Sprintf(
			"In column %d (%s), each row has the value of the row %s it.", f.Places[0], quote(f.Given[0]),
			map[string]string{"before": "before", "behind": "after"}[f.What],
		)
	case compare.ValuesDiffer:
		return fmt.Sprintf("In column %d (%s), %s %s another value than expected; the other columns of %s agree.",
			f.Places[0], quote(f.Given[0]), count(f.Count, "row"), hasHave(f.Count), thatThose(f.Count))
	case compare.TooLargeToPair:
		if f.Got == f.Want {
			return fmt.Sprintf(
				"Of the %d rows, some are not the expected ones. The result is too large to say which.", f.Got,
			)
		}
		return fmt.Sprintf(
			"The result has %s, %d %s expected. It is too large to say which rows differ.", count(f.Got, "row"), f.Want,
			isAre(f.Want),
		)
	}
	return "The result is not the expected one."
}

// roundedWords says which side has fewer decimals.
func roundedWords(f compare.Finding) string {
	r := f.Rounding
	digits := count(int64(r.Decimals), "decimal")
	way := "rounded"
	if r.Cut {
		way = "cut"
	}
	switch {
	case r.Attempt && r.Decimals == 0 && r.Cut:
		return isAre(f.Count) + " without the decimals that are expected: they are cut off"
	case r.Attempt:
		return isAre(f.Count) + " " + way + " to " + digits + ", and more are expected"
	}
	return hasHave(f.Count) + " more decimals than expected: the values are to be " + way + " to " + digits
}

func differs(n int64) string {
	if n == 1 {
		return "differs"
	}
	return "differ"
}

// Hidden is all that is ever said of rows that a learner cannot see.
func Hidden() Finding {
	return Finding{
		Kind: HiddenRows,
		Sentence: "The result is right on the rows you can see, but not on others: the query has to hold whatever " +
			"the tables contain.",
	}
}

// OrderByLuck is said of a right answer without ORDER BY where the order counts.
func OrderByLuck() Finding {
	return Finding{
		Kind: LuckyOrder,
		Sentence: "The rows came in the right order this time, but the query has no ORDER BY: without it the " +
			"database may return them in any order.",
	}
}

// LimitByLuck is said of a right answer in which LIMIT chooses among rows that are not ordered.
func LimitByLuck() Finding {
	return Finding{
		Kind:     LuckyLimit,
		Sentence: "The rows are the right ones this time, but LIMIT without ORDER BY takes any rows: order them first.",
	}
}

// Broken words the rules that a query breaks. rowsRight says that its rows are the expected ones all the same.
func Broken(broken []sqltext.Rule, rowsRight bool) []Finding {
	var findings []Finding
	for i, rule := range broken {
		f := Finding{
			Kind: ConstructForbidden,
			Sentence: fmt.Sprintf(
				"The task is to be solved without %s, and the query has it.", describe(rule.Construct),
			),
		}
		if rule.Required {
			f = Finding{
				Kind: ConstructRequired,
				Sentence: fmt.Sprintf(
					"The task is to be solved with %s, and the query has none.", describe(rule.Construct),
				),
			}
		}
		if i == 0 && rowsRight {
			f.Sentence += " The rows are right."
		}
		findings = append(findings, f)
	}
	return findings
}

var constructs = map[string]string{
	"join": "a join", "outer-join": "an outer join", "group-by": "GROUP BY", "having": "HAVING", "distinct": "DISTINCT",
	"order-by": "ORDER BY",
	"limit":    "LIMIT", "subquery": "a subquery", "with": "WITH", "window": "a window function",
	"set-operation": "a set operation (UNION, INTERSECT, EXCEPT)",
	"case":          "CASE", "cast": "a cast", "literal-type": "a literal with its type (DATE '2026-05-01')",
	"aggregate": "an aggregate function", "star": "the star (*) for all columns",
	"insert": "INSERT", "update": "UPDATE", "delete": "DELETE", "merge": "MERGE", "truncate": "TRUNCATE",
	"returning": "RETURNING", "on-conflict": "ON CONFLICT", "transaction": "a transaction (BEGIN ... COMMIT)",
	"create-table": "CREATE TABLE", "alter": "ALTER", "drop": "DROP", "primary-key": "a PRIMARY KEY",
	"foreign-key": "a foreign key (REFERENCES)", "unique": "UNIQUE", "check": "a CHECK", "not-null": "NOT NULL",
	"default": "a DEFAULT", "view": "a view", "index": "an index", "trigger": "a trigger",
	"create-function": "a function of its own",
}

func describe(construct string) string {
	if words, known := constructs[construct]; known {
		return words
	}
	kind, name, _ := strings.Cut(construct, ":")
	return "the " + kind + " " + name
}

func count(n int64, noun string) string {
	if n == 1 {
		return "1 " + noun
	}
	if n == 0 {
		return "no " + noun + "s"
	}
	return fmt.Sprintf("%d %ss", n, noun)
}

func countVerb(n int64, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %s", n, many)
}

func isAre(n int64) string {
	if n == 1 {
		return "is"
	}
	return "are"
}

func hasHave(n int64) string {
	if n == 1 {
		return "has"
	}
	return "have"
}

func thatThose(n int64) string {
	if n == 1 {
		return "that row"
	}
	return "those rows"
}

// placed writes columns with their places as people do: 1 (“name”) and 2 (“kind”).
func placed(f compare.Finding) string {
	all := make([]string, len(f.Places))
	order := slices.Sorted(slices.Values(f.Places))
	for i, place := range f.Places {
		all[slices.Index(order, place)] = fmt.Sprintf("%d (%s)", place, quote(f.Given[i]))
	}
	return plain(all)
}

// plural is a number of things, with commas between thousands.
func plural(n int64, noun string) string {
	if n == 1 {
		return "1 " + noun
	}
	return thousands(n) + " " + noun + "s"
}

func thousands(n int64) string {
	s := strconv.FormatInt(n, 10)
	for i := len(s) - 3; i > 0 && s[i-1] != '-'; i -= 3 {
		s = s[:i] + "," + s[i:]
	}
	return s
}

func upper(s string) string { return strings.ToUpper(s[:1]) + s[1:] }

func quote(name string) string { return "“" + name + "”" }

// list writes names as people do: “a”, “b” and “c”.
func list(names []string) string {
	if more := len(names) - mostEvidence; more > 0 {
		return list(append(slices.Clone(names[:mostEvidence]), fmt.Sprintf("%d more", more)))
	}
	quoted := make([]string, len(names))
	for i, name := range names {
		quoted[i] = quote(name)
	}
	if len(quoted) < 2 {
		return strings.Join(quoted, "")
	}
	return strings.Join(quoted[:len(quoted)-1], ", ") + " and " + quoted[len(quoted)-1]
}
