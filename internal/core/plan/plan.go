// Package plan reads how PostgreSQL would work out a query (EXPLAIN in its JSON format) and says each step in words
// that a learner understands. A plan is an estimate: nothing has been run.
package plan

import (
	"encoding/json"
	"fmt"
)

// Prefix before a query asks for its plan. It is a line of its own, so that places in the query move by one line.
const Prefix = "EXPLAIN (FORMAT JSON)\n"

// A Step is one step of a plan. Its rows come of the rows of the steps beneath it.
type Step struct {
	Does  string  // "reads all 1,493 rows of inspection"
	When  string  // of a subquery: when it is worked out, such as "once before"; else empty
	Where string  // the condition that rows have to meet, as SQL; empty: none
	Rows  float64 // that the step is expected to give
	Cost  float64 // up to its last row, with the steps beneath, in units of reading one page from disk in a row
	Steps []Step
}

// node is a step as EXPLAIN writes it (PostgreSQL's documentation, chapter 14.1).
type node struct {
	Type         string   `json:"Node Type"`
	Relation     string   `json:"Relation Name"`
	Alias        string   `json:"Alias"`
	Index        string   `json:"Index Name"`
	Direction    string   `json:"Scan Direction"`
	CTE          string   `json:"CTE Name"`
	Function     string   `json:"Function Name"`
	Subplan      string   `json:"Subplan Name"`
	Parent       string   `json:"Parent Relationship"`
	Strategy     string   `json:"Strategy"`
	Command      string   `json:"Command"`
	Join         string   `json:"Join Type"`
	Filter       string   `json:"Filter"`
	OneTime      string   `json:"One-Time Filter"`
	IndexCond    string   `json:"Index Cond"`
	RecheckCond  string   `json:"Recheck Cond"`
	HashCond     string   `json:"Hash Cond"`
	MergeCond    string   `json:"Merge Cond"`
	JoinFilter   string   `json:"Join Filter"`
	SortKey      []string `json:"Sort Key"`
	PresortedKey []string `json:"Presorted Key"`
	GroupKey     []string `json:"Group Key"`
	GroupingSets []any    `json:"Grouping Sets"`
	CacheKey     string   `json:"Cache Key"`
	Workers      int      `json:"Workers Planned"`
	Partial      string   `json:"Partial Mode"`
	Rows         float64  `json:"Plan Rows"`
	Cost         float64  `json:"Total Cost"`
	Plans        []node   `json:"Plans"`
}

// Read reads a plan as EXPLAIN (FORMAT JSON) writes it. rows tells how many rows a table has, and whether that is
// known. It fails if the text is not a plan.
func Read(text []byte, rows func(table string) (int64, bool)) (Step, error) {
	var plans []struct {
		Plan *node `json:"Plan"`
	}
	if err := json.Unmarshal(text, &plans); err != nil {
		return Step{}, fmt.Errorf("a plan in JSON was expected: %w", err)
	}
	if len(plans) != 1 || plans[0].Plan == nil {
		return Step{}, fmt.Errorf("one plan was expected, not %d", len(plans))
	}
	return plans[0].Plan.step(rows), nil
}

func (n *node) step(rows func(string) (int64, bool)) Step {
	s := Step{Does: n.does(rows), When: n.when(), Where: n.where(), Rows: n.Rows, Cost: n.Cost}
	for i := range n.Plans {
		s.Steps = append(s.Steps, n.Plans[i].step(rows))
	}
	return s
}
