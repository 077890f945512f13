package sqltext

import (
	"fmt"
	"slices"
	"strings"

	pg "github.com/pganalyze/pg_query_go/v6"
	"google.golang.org/protobuf/reflect/protoreflect"
)

// Constructs are the names that a rule may require or forbid, apart from table:NAME and function:NAME.
var Constructs = []string{
	"join",
	"outer-join",
	"group-by",
	"having",
	"distinct",
	"order-by",
	"limit",
	"subquery",
	"with",
	"window",
	"set-operation",
	"case",
	"cast",
	"literal-type",
	"aggregate",
	"star",
	"insert",
	"update",
	"delete",
	"merge",
	"truncate",
	"returning",
	"on-conflict",
	"transaction",
	"create-table",
	"alter",
	"drop",
	"primary-key",
	"foreign-key",
	"unique",
	"check",
	"not-null",
	"default",
	"view",
	"index",
	"trigger",
	"create-function",
}

// CheckConstruct tells whether a rule may name the construct.
func CheckConstruct(name string) error {
	kind, rest, named := strings.Cut(name, ":")
	if named && (kind == "table" || kind == "function") && rest != "" || !named && slices.Contains(Constructs, name) {
		return nil
	}
	return fmt.Errorf(
		"%q is no construct: expected one of %s, table:NAME, function:NAME", name, strings.Join(Constructs, ", "),
	)
}

// A Rule says that a construct has to be used, or must not be.
type Rule struct {
	Construct string
	Required  bool
}

// Broken returns the rules that the query breaks, required ones first. Only what was written is judged: words in
// comments or strings do not count, and neither does what a view does inside.
func (q *Query) Broken(require, forbid []string) []Rule {
	if len(require)+len(forbid) == 0 {
		return nil
	}
	return broken(q.Uses(), require, forbid)
}

func broken(used map[string]bool, require, forbid []string) []Rule {
	var broken []Rule
	for _, c := range require {
		if !used[strings.ToLower(c)] {
			broken = append(broken, Rule{c, true})
		}
	}
	for _, c := range forbid {
		if used[strings.ToLower(c)] {
			broken = append(broken, Rule{c, false})
		}
	}
	return broken
}

// Uses returns the constructs of the query, with table:NAME and function:NAME in lower case.
func (q *Query) Uses() map[string]bool { return uses(q.tree.ProtoReflect()) }

func uses(tree protoreflect.Message) map[string]bool {
	used := map[string]bool{}
	tablesOf(tree, nil, func(table string) { used["table:"+strings.ToLower(table)] = true })
	walk(tree, func(m any) {
		changeUses(m, used)
		switch n := m.(type) {
		case *pg.SelectStmt:
			selectUses(n, used)
		case *pg.JoinExpr:
			used["join"] = true
			switch n.Jointype {
			case pg.JoinType_JOIN_LEFT, pg.JoinType_JOIN_RIGHT, pg.JoinType_JOIN_FULL:
				used["outer-join"] = true
			}
		case *pg.SubLink, *pg.RangeSubselect:
			used["subquery"] = true
		case *pg.WithClause:
			used["with"] = true
		case *pg.CaseExpr:
			used["case"] = true
		case *pg.TypeCast:
			if n.Location < 0 && n.Arg.GetAConst() != nil { // DATE '2026-05-01': the type of a literal, and no cast
				used["literal-type"] = true
			} else {
				used["cast"] = true
			}
		case *pg.ResTarget:
			if IsStar(n.Val.GetColumnRef()) {
				used["star"] = true
			}
		case *pg.FuncCall:
			functionUses(n, used)
		case *pg.CoalesceExpr:
			used["function:coalesce"] = true
		case *pg.MinMaxExpr:
			used[map[bool]string{
				true:  "function:greatest",
				false: "function:least",
			}[n.Op == pg.MinMaxOp_IS_GREATEST]] = true
		case *pg.A_Expr:
			if n.Kind == pg.A_Expr_Kind_AEXPR_NULLIF {
				used["function:nullif"] = true
			}
		case *pg.SQLValueFunction:
			name := strings.TrimPrefix(strings.ToLower(n.Op.String()), "svfop_")
			used["function:"+strings.TrimSuffix(name, "_n")] = true
		}
	})
	return used
}

// tablesOf calls found with every table that is read from below m. A name that WITH gives hides a table of that name
// where it is known: in what follows it, and with RECURSIVE in all of the WITH itself; never behind a schema's name.
func tablesOf(m protoreflect.Message, with []string, found func(table string)) {
	below := func(m protoreflect.Message, with []string) {
		m.Range(func(field protoreflect.FieldDescriptor, value protoreflect.Value) bool {
			switch {
			case field.Message() == nil || field.Name() == "with_clause":
			case field.IsList():
				for i := range value.List().Len() {
					tablesOf(value.List().Get(i).Message(), with, found)
				}
			default:
				tablesOf(value.Message(), with, found)
			}
			return true
		})
	}
	switch n := m.Interface().(type) {
	case *pg.RangeVar:
		if n.Schemaname != "" || !slices.Contains(with, n.Relname) {
			found(n.Relname)
		}
		return
	case *pg.SelectStmt:
		with = slices.Clone(with)
		ctes := n.WithClause.GetCtes()
		for _, c := range ctes {
			if n.WithClause.Recursive {
				with = append(with, c.GetCommonTableExpr().Ctename)
			}
		}
		for _, c := range ctes {
			tablesOf(c.GetCommonTableExpr().Ctequery.ProtoReflect(), with, found)
			with = append(with, c.GetCommonTableExpr().Ctename)
		}
	}
	below(m, with)
}

func selectUses(n *pg.SelectStmt, used map[string]bool) {
	mark := func(construct string, there bool) {
		if there {
			used[construct] = true
		}
	}
	mark("join", len(n.FromClause) > 1)
	mark("group-by", len(n.GroupClause) > 0)
	mark("having", n.HavingClause != nil)
	mark("distinct", len(n.DistinctClause) > 0)
	mark("order-by", len(n.SortClause) > 0)
	mark("limit", n.LimitCount != nil || n.LimitOffset != nil)
	mark("set-operation", n.Op > pg.SetOperation_SETOP_NONE)
}

// writtenAs gives the name that a query has for functions which the parser names otherwise.
var writtenAs = map[string]string{"btrim": "trim"}

func functionUses(n *pg.FuncCall, used map[string]bool) {
	name := strings.ToLower(n.Funcname[len(n.Funcname)-1].GetString_().GetSval())
	used["function:"+name] = true
	if alias, has := writtenAs[name]; has {
		used["function:"+alias] = true
	}
	switch {
	case n.Over != nil:
		used["window"] = true
	case n.AggStar, n.AggDistinct, n.AggFilter != nil, n.AggWithinGroup, len(n.AggOrder) > 0, aggregates[name]:
		used["aggregate"] = true
	}
}

// IsStar tells whether a column reference is a star.
func IsStar(c *pg.ColumnRef) bool {
	return c != nil && c.Fields[len(c.Fields)-1].GetAStar() != nil
}

// aggregates are the aggregate functions that PostgreSQL 15 has built in.
var aggregates = func() map[string]bool {
	m := map[string]bool{}
	for name := range strings.FieldsSeq(`array_agg avg bit_and bit_or bit_xor bool_and bool_or count every json_agg
json_object_agg jsonb_agg
		jsonb_object_agg max min range_agg range_intersect_agg string_agg sum xmlagg corr covar_pop covar_samp
		regr_avgx regr_avgy
		regr_count regr_intercept regr_r2 regr_slope regr_sxx regr_sxy regr_syy stddev stddev_pop stddev_samp
		variance var_pop
		var_samp mode percentile_cont percentile_disc grouping`) {
		m[name] = true
	}
	return m
}()

// IsAggregate tells whether a call is one of an aggregate function, over groups.
func IsAggregate(f *pg.FuncCall) bool {
	return f != nil && f.Over == nil && (f.AggStar || aggregates[LastName(f.Funcname)])
}

// Contradictions returns the pairs of rules that no query can satisfy together.
func Contradictions(require, forbid []string) []string {
	var all []string
	implied := map[string][]string{"outer-join": {"join"}, "having": {}}
	for _, r := range require {
		for _, f := range forbid {
			if strings.EqualFold(r, f) || slices.Contains(implied[r], f) {
				all = append(all, fmt.Sprintf("requires %s and forbids %s", r, f))
			}
		}
	}
	return all
}
