package sqltext

import (
	"slices"
	"strings"

	pg "github.com/pganalyze/pg_query_go/v6"
)

// volatile are functions whose values change from one moment, session or call to the next.
var volatile = strings.Fields(
	`now clock_timestamp statement_timestamp transaction_timestamp timeofday random gen_random_uuid setseed nextval
currval lastval
	pg_backend_pid txid_current pg_current_xact_id`,
)

// Volatile names what makes a query's result change with time: clocks, random numbers and the like.
func (q *Query) Volatile() []string {
	var found []string
	add := func(name string) {
		if !slices.Contains(found, name) {
			found = append(found, name)
		}
	}
	walk(q.tree.ProtoReflect(), func(m any) {
		switch n := m.(type) {
		case *pg.FuncCall:
			name := strings.ToLower(n.Funcname[len(n.Funcname)-1].GetString_().GetSval())
			if slices.Contains(volatile, name) || name == "age" && len(n.Args) == 1 {
				add(name + "()")
			}
		case *pg.SQLValueFunction:
			name := strings.TrimSuffix(strings.TrimPrefix(n.Op.String(), "SVFOP_"), "_N")
			if strings.HasPrefix(name, "CURRENT_DATE") || strings.Contains(name, "TIME") {
				add(strings.ToLower(name))
			}
		case *pg.RangeTableSample:
			add("TABLESAMPLE")
		case *pg.TypeCast:
			word := strings.ToLower(n.Arg.GetAConst().GetSval().GetSval())
			if slices.Contains([]string{"now", "today", "tomorrow", "yesterday"}, word) {
				add("'" + word + "'")
			}
		}
	})
	return found
}
