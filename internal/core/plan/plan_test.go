package plan_test

import (
	"fmt"
	"strings"
	"testing"

	"examen/internal/core/plan"
)

// tables has how many rows there are of each.
func tables(name string) (int64, bool) {
	rows, known := map[string]int64{"hive": 40, "inspection": 1493, "queen": 1}[name]
	return rows, known
}

// said has a step on each line, those beneath it indented.
func said(s plan.Step, depth int) string {
	line := strings.Repeat("  ", depth) + s.Does
	if s.When != "" {
		line = strings.Repeat("  ", depth) + s.When + ": " + s.Does
	}
	if s.Where != "" {
		line += " where " + s.Where
	}
	line += fmt.Sprintf(" (%.0f)\n", s.Rows)
	for _, step := range s.Steps {
		line += said(step, depth+1)
	}
	return line
}

func Example() {
	text := `[{"Plan": {"Node Type": "Hash Join", "Join Type": "Inner", "Plan Rows": 1493, "Total Cost": 30.2,
		"Hash Cond": "(i.hive_id = h.id)", "Plans": [
			{"Node Type": "Seq Scan", "Relation Name": "inspection", "Alias": "i", "Plan Rows": 1493},
			{"Node Type": "Hash", "Plan Rows": 12, "Plans": [
				{"Node Type": "Seq Scan", "Relation Name": "hive", "Alias": "h", "Filter": "(h.strength > 3)",
				 "Plan Rows": 12}]}]}}]`
	step, err := plan.Read([]byte(text), tables)
	fmt.Println(err)
	fmt.Print(said(step, 0))
	// Output:
	// <nil>
	// for each row of the first part, finds those of the second in a hash table where i.hive_id = h.id (1493)
	//   reads all 1,493 rows of inspection (i) (1493)
	//   puts the rows into a hash table, to be found by their values (12)
	//     reads all 40 rows of hive (h) where h.strength > 3 (12)
}

func TestSteps(t *testing.T) {
	for _, c := range []struct{ node, want string }{
		{`"Seq Scan", "Relation Name": "queen", "Alias": "queen"`, "reads all 1 row of queen"},
		{`"Seq Scan", "Relation Name": "drone"`, "reads all rows of drone"},
		{
			`"Index Scan", "Relation Name": "hive", "Index Name": "hive_pkey", "Index Cond": "(id = 3)",
			 "Filter": "(note ~~ '%)%'::text)"`,
			"looks up rows of hive by its index hive_pkey where id = 3 AND note ~~ '%)%'::text",
		},
		{
			`"Index Only Scan", "Relation Name": "hive", "Index Name": "hive_pkey", "Scan Direction": "Backward"`,
			"reads hive from its index hive_pkey alone, from its end",
		},
		{
			`"Bitmap Heap Scan", "Relation Name": "hive", "Recheck Cond": "((a = 1) OR (b = 2))"`,
			"reads those rows of hive whose places were looked up where (a = 1) OR (b = 2)",
		},
		{`"Sort", "Sort Key": ["strength DESC", "name"]`, "sorts by strength DESC, name"},
		{`"Aggregate", "Strategy": "Plain"`, "works out aggregates over all rows"},
		{`"Aggregate", "Strategy": "Hashed", "Group Key": ["kind"]`, "groups by kind, in a hash table"},
		{`"Aggregate", "Strategy": "Sorted", "Group Key": ["kind"]`, "groups by kind"},
		{`"SetOp", "Command": "Except"`, "goes through both results for EXCEPT"},
		{
			`"Nested Loop", "Join Type": "Anti", "Join Filter": "(a.x = b.x)"`, "for each row of the first part, " +
				"goes through the second; rows of the first that have none are all that is kept where a.x = b.x",
		},
		{`"CTE Scan", "CTE Name": "strong", "Alias": "s"`, "takes the rows of WITH strong (s)"},
		{`"Result", "Subplan Name": "CTE strong", "Parent Relationship": "InitPlan"`,
			"WITH strong: works out values without reading a table"},
		{`"Result", "Subplan Name": "InitPlan 1 (returns $0)", "Parent Relationship": "InitPlan"`,
			"once before: works out values without reading a table"},
		{`"Limit", "Subplan Name": "SubPlan 1", "Parent Relationship": "SubPlan"`,
			"a subquery, for the rows above: stops after the rows that are asked for"},
		{`"Gather", "Workers Planned": 2`, "collects the rows of 2 further processes that share the work"},
		{`"Some New Scan"`, `does what the server calls "Some New Scan"`},
	} {
		step, err := plan.Read([]byte(`[{"Plan": {"Plan Rows": 5, "Node Type": `+c.node+`}}]`), tables)
		if got := said(step, 0); err != nil || got != c.want+" (5)\n" {
			t.Errorf("%s:\ngot  %swant %s, %v", c.node, got, c.want, err)
		}
	}
}

func TestWhatIsNoPlan(t *testing.T) {
	for _, text := range []string{"", "Seq Scan on hive", "[]", "[{}]", `{"Plan": {}}`} {
		if _, err := plan.Read([]byte(text), tables); err == nil || !strings.Contains(err.Error(), "expected") {
			t.Errorf("%q: %v", text, err)
		}
	}
}
