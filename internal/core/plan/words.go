package plan

import (
	"fmt"
	"strings"

	"golang.org/x/text/language"
	"golang.org/x/text/message"
)

// does says what a step does. Of joins, the first part is the first step beneath, and the second the other.
func (n *node) does(rows func(string) (int64, bool)) string {
	table := n.Relation
	switch n.Type {
	case "Seq Scan":
		if count, known := rows(table); known {
			return fmt.Sprintf("reads all %s of %s%s", plural(count), table, n.named())
		}
		return fmt.Sprintf("reads all rows of %s%s", table, n.named())
	case "Sample Scan":
		return fmt.Sprintf("reads a sample of %s%s", table, n.named())
	case "Index Scan":
		return fmt.Sprintf("looks up rows of %s%s by its index %s%s", table, n.named(), n.Index, n.backward())
	case "Index Only Scan":
		return fmt.Sprintf("reads %s%s from its index %s alone%s", table, n.named(), n.Index, n.backward())
	case "Bitmap Index Scan":
		return fmt.Sprintf("looks up in the index %s where rows are", n.Index)
	case "BitmapAnd":
		return "takes the places that all steps beneath have found"
	case "BitmapOr":
		return "takes the places that any step beneath has found"
	case "Bitmap Heap Scan":
		return fmt.Sprintf("reads those rows of %s%s whose places were looked up", table, n.named())
	case "Tid Scan", "Tid Range Scan":
		return fmt.Sprintf("reads rows of %s%s by their place on disk", table, n.named())
	case "Subquery Scan":
		return fmt.Sprintf("takes the rows of the subquery %s", n.Alias)
	case "CTE Scan":
		return fmt.Sprintf("takes the rows of WITH %s%s", n.CTE, n.named())
	case "WorkTable Scan":
		return fmt.Sprintf("takes the rows that the last round gave to %s", n.CTE)
	case "Values Scan":
		return "takes the rows written in VALUES"
	case "Function Scan", "Table Function Scan":
		return fmt.Sprintf("takes the rows that the function %s gives", n.function())
	case "Nested Loop", "Hash Join", "Merge Join":
		return n.joins()
	case "Hash":
		return "puts the rows into a hash table, to be found by their values"
	case "Materialize":
		return "keeps the rows, to go through them again"
	case "Memoize":
		return "remembers what it has looked up, by " + n.CacheKey
	case "Sort":
		return "sorts by " + strings.Join(n.SortKey, ", ")
	case "Incremental Sort":
		return fmt.Sprintf("sorts by %s, what is in order by %s already",
			strings.Join(n.SortKey, ", "), strings.Join(n.PresortedKey, ", "))
	case "Aggregate", "Group":
		return n.groups()
	case "WindowAgg":
		return "works out window functions"
	case "Unique":
		return "leaves out rows that repeat the one before"
	case "SetOp":
		return "goes through both results for " + strings.ToUpper(n.Command)
	case "Append":
		return "puts the results beneath one after another"
	case "Merge Append":
		return "merges the results beneath in their order"
	case "Recursive Union":
		return "repeats the second part until it gives no more rows"
	case "Limit":
		return "stops after the rows that are asked for"
	case "LockRows":
		return "locks the rows"
	case "ProjectSet":
		return "works out functions that give several rows"
	case "Gather", "Gather Merge":
		return fmt.Sprintf("collects the rows of %d further processes that share the work", n.Workers)
	case "Result":
		return "works out values without reading a table"
	}
	return fmt.Sprintf("does what the server calls %q", n.Type)
}

// joins says what a join does with the rows of its two parts.
func (n *node) joins() string {
	how := map[string]string{
		"Nested Loop": "for each row of the first part, goes through the second",
		"Hash Join":   "for each row of the first part, finds those of the second in a hash table",
		"Merge Join":  "goes through both parts side by side, in the same order",
	}[n.Type]
	return how + map[string]string{
		"Left":  "; rows of the first that have none are kept",
		"Right": "; rows of the second that have none are kept",
		"Full":  "; rows of either that have none are kept",
		"Semi":  "; rows of the first that have one are kept, each once",
		"Anti":  "; rows of the first that have none are all that is kept",
	}[n.Join]
}

func (n *node) groups() string {
	by := strings.Join(n.GroupKey, ", ")
	switch {
	case len(n.GroupingSets) > 0:
		return "groups by several sets of columns"
	case by == "" && n.Partial == "Finalize":
		return "puts together what the processes have worked out"
	case by == "":
		return "works out aggregates over all rows"
	case n.Strategy == "Hashed":
		return fmt.Sprintf("groups by %s, in a hash table", by)
	}
	return "groups by " + by
}

// when tells when a subquery is worked out. PostgreSQL numbers those that it has no name for.
func (n *node) when() string {
	switch {
	case n.Subplan == "":
		return ""
	case strings.HasPrefix(n.Subplan, "CTE "):
		return "WITH " + strings.TrimPrefix(n.Subplan, "CTE ")
	case n.Parent == "InitPlan":
		return "once before"
	}
	return "a subquery, for the rows above"
}

// where joins the conditions of a step.
func (n *node) where() string {
	var all []string
	conditions := []string{n.IndexCond, n.HashCond, n.MergeCond, n.JoinFilter, n.Filter, n.OneTime}
	if n.Type == "Bitmap Heap Scan" && n.Filter == "" {
		conditions = append(conditions, n.RecheckCond)
	}
	for _, c := range conditions {
		if c != "" {
			all = append(all, bare(c))
		}
	}
	return strings.Join(all, " AND ")
}

// bare takes off parentheses around the whole of a condition.
func bare(condition string) string {
	if !strings.HasPrefix(condition, "(") || !strings.HasSuffix(condition, ")") {
		return condition
	}
	depth := 0
	quote := byte(0)
	for i := range len(condition) {
		switch c := condition[i]; {
		case quote != 0:
			if c == quote {
				quote = 0
			}
		case c == '\'' || c == '"':
			quote = c
		case c == '(':
			depth++
		case c == ')':
			if depth--; depth == 0 && i < len(condition)-1 {
				return condition
			}
		}
	}
	return condition[1 : len(condition)-1]
}

// named adds by which name the query calls a table, where it has another.
func (n *node) named() string {
	if n.Alias == "" || n.Alias == n.Relation || n.Alias == n.CTE {
		return ""
	}
	return " (" + n.Alias + ")"
}

func (n *node) function() string {
	if n.Function == "" {
		return n.Alias
	}
	return n.Function
}

func (n *node) backward() string {
	if n.Direction == "Backward" {
		return ", from its end"
	}
	return ""
}

func plural(count int64) string {
	if count == 1 {
		return "1 row"
	}
	return message.NewPrinter(language.English).Sprintf("%d rows", count)
}
