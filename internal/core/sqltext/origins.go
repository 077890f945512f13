package sqltext

import (
	"math"
	"slices"
	"strconv"
	"strings"

	pg "github.com/pganalyze/pg_query_go/v6"
)

// A Relation is a table or view that a query can read, as its dataset has it.
type Relation struct {
	Name    string // the shortest by which a query may read from it
	Columns []RelationColumn
	Query   string // of a view
	Rows    int64  // about
}

// A RelationColumn is a column of a relation.
type RelationColumn struct {
	Name      string
	Type      string  // without modifiers: "real"
	Size      float64 // about the largest magnitude of its numbers; 0 where it is not known
	Collation string  // as it is written in SQL, where texts that differ may be equal under it
}

// Relations are those of a dataset, by the names that a query may have for them.
type Relations map[string]Relation

// Schema is the same without all but names.
func (r Relations) Schema() Schema {
	schema := Schema{}
	for name, of := range r {
		if name != of.Name {
			continue
		}
		for _, c := range of.Columns {
			schema[name] = append(schema[name], c.Name)
		}
	}
	return schema
}

// An Origin says what the numbers in an output are computed from, as far as the query shows it.
type Origin struct {
	Quotient  bool    // a division, an average, or a floating-point number has a part in them
	Real      bool    // a number of type real has
	SumOfReal int64   // numbers of type real are added up as such: so many at most, about
	Added     bool    // numbers are added or subtracted
	Size      float64 // about the largest magnitude of a number that has a part in them; 0 where it is not known
	Collation string  // of a text that is a column's own, where texts that differ may be equal; see [RelationColumn]

	real bool // its own type is real
}

// and returns the origin of what is computed from both.
func (o Origin) and(p Origin) Origin {
	o.Quotient, o.Real, o.Added, o.real = o.Quotient || p.Quotient, o.Real || p.Real, o.Added || p.Added, o.real &&
		p.real
	o.SumOfReal, o.Size = max(o.SumOfReal, p.SumOfReal), max(o.Size, p.Size)
	if o.Collation == "" {
		o.Collation = p.Collation
	}
	return o
}

// mostColumns is how many columns a SELECT may have, as in PostgreSQL.
const mostColumns = 1664

// Origins returns the origin of each output of the query; nil if the outputs cannot be determined.
func (q *Query) Origins(relations Relations) []Origin {
	if len(q.Text) > longestExplained {
		return nil
	}
	t := &tracing{relations: relations}
	columns := t.query(q.tree.Stmts[0].Stmt.GetSelectStmt(), nil)
	if t.lost {
		return nil
	}
	origins := make([]Origin, len(columns))
	for i, c := range columns {
		if origins[i] = c.Origin; !c.Added {
			origins[i].Size = 0
		}
	}
	return origins
}

// tracing follows outputs back to their sources.
type tracing struct {
	relations Relations
	views     int   // that are being looked into
	rows      int64 // of the largest table
	lost      bool  // a star stands for columns that are not known
}

// traced is a column under the name that it has.
type traced struct {
	name string
	Origin
}

// A scope is what names mean in a SELECT.
type scope struct {
	outer   *scope
	with    map[string][]traced
	sources []tracedSource
	all     []traced // what a star stands for
}

// tracedSource is an item of FROM; columns is nil where they are not known.
type tracedSource struct {
	alias   string
	columns []traced
}

// query traces the outputs of a SELECT, VALUES or a set operation.
func (t *tracing) query(sel *pg.SelectStmt, outer *scope) []traced {
	s := &scope{outer: outer, with: map[string][]traced{}}
	for _, c := range sel.WithClause.GetCtes() {
		cte := c.GetCommonTableExpr()
		inner := cte.Ctequery.GetSelectStmt()
		if inner == nil {
			continue
		}
		if sel.WithClause.Recursive && inner.Larg != nil && inner.WithClause == nil {
			// what it begins with says what its columns are
			columns := renamed(t.query(inner.Larg, s), cte.Aliascolnames)
			s.with[cte.Ctename] = columns
			s.with[cte.Ctename] = merged(columns, t.query(inner.Rarg, s))
			continue
		}
		s.with[cte.Ctename] = renamed(t.query(inner, s), cte.Aliascolnames)
	}
	switch {
	case sel.Op > pg.SetOperation_SETOP_NONE:
		return merged(t.query(sel.Larg, s), t.query(sel.Rarg, s))
	case len(sel.ValuesLists) > 0:
		var columns []traced
		for _, row := range sel.ValuesLists {
			for i, item := range row.GetList().GetItems() {
				o := t.of(item, s)
				if i == len(columns) {
					columns = append(columns, traced{"column" + strconv.Itoa(i+1), o})
				}
				columns[i].Origin = columns[i].and(o)
			}
		}
		return columns
	}
	for _, item := range sel.FromClause {
		s.all = append(s.all, t.from(item, s)...)
	}
	var columns []traced
	for _, item := range sel.TargetList {
		target := item.GetResTarget()
		if c := target.GetVal().GetColumnRef(); IsStar(c) {
			columns = append(columns, t.star(c, s)...)
		} else {
			columns = append(columns, traced{OutputName(target), t.of(target.Val, s)})
		}
		if len(columns) > mostColumns {
			t.lost = true
			return nil
		}
	}
	return columns
}

// merged are the columns of a set operation.
func merged(left, right []traced) []traced {
	left = slices.Clone(left)
	for i := range left {
		if i < len(right) {
			left[i].Origin = left[i].and(right[i].Origin)
		}
	}
	return left
}

func renamed(columns []traced, names []*pg.Node) []traced {
	columns = slices.Clone(columns)
	for i, name := range names {
		if i < len(columns) {
			columns[i].name = name.GetString_().GetSval()
		}
	}
	return columns
}

// from takes in an item of FROM. It returns the columns that a star stands for.
func (t *tracing) from(item *pg.Node, s *scope) []traced {
	add := func(name string, alias *pg.Alias, columns []traced) []traced {
		if alias != nil {
			name = alias.Aliasname
		}
		columns = renamed(columns, alias.GetColnames())
		s.sources = append(s.sources, tracedSource{name, columns})
		return columns
	}
	switch n := item.Node.(type) {
	case *pg.Node_RangeVar:
		return add(n.RangeVar.Relname, n.RangeVar.Alias, t.relation(n.RangeVar, s))
	case *pg.Node_RangeSubselect:
		return add("", n.RangeSubselect.Alias, t.query(n.RangeSubselect.Subquery.GetSelectStmt(), s))
	case *pg.Node_JoinExpr:
		return joined(n.JoinExpr, t.from(n.JoinExpr.Larg, s), t.from(n.JoinExpr.Rarg, s))
	case *pg.Node_RangeTableSample:
		return t.from(n.RangeTableSample.Relation, s)
	case *pg.Node_RangeFunction:
		return add("", n.RangeFunction.Alias, nil)
	}
	return nil
}

// joined are the columns of a join: those that USING or NATURAL makes one come first, and once.
func joined(j *pg.JoinExpr, left, right []traced) []traced {
	merged := map[string]bool{}
	var first []traced
	for _, l := range left {
		same := j.IsNatural && slices.ContainsFunc(right, func(r traced) bool { return r.name == l.name })
		if same || slices.ContainsFunc(
			j.UsingClause, func(n *pg.Node) bool { return n.GetString_().GetSval() == l.name },
		) {
			merged[l.name] = true
			first = append(first, l)
		}
	}
	rest := slices.DeleteFunc(slices.Concat(left, right), func(c traced) bool { return merged[c.name] })
	return append(first, rest...)
}

// relation are the columns of a name in FROM.
func (t *tracing) relation(r *pg.RangeVar, s *scope) []traced {
	name := r.Relname
	if r.Schemaname != "" {
		name = r.Schemaname + "." + name
	} else {
		for at := s; at != nil; at = at.outer {
			if columns, found := at.with[name]; found {
				return columns
			}
		}
	}
	relation, found := t.relations[name]
	if !found {
		relation = t.relations[strings.TrimPrefix(name, "public.")]
	}
	t.rows = max(t.rows, relation.Rows)
	var columns []traced
	for _, c := range relation.Columns {
		o := Origin{Size: c.Size, Collation: c.Collation, Real: c.Type == "real", real: c.Type == "real"}
		o.Quotient = o.Real || c.Type == "double precision"
		columns = append(columns, traced{c.Name, o})
	}
	if relation.Query == "" || t.views > 8 {
		return columns
	}
	q, err := ReadQuery(relation.Query)
	if err != nil {
		return columns
	}
	t.views++
	inner := t.query(q.tree.Stmts[0].Stmt.GetSelectStmt(), nil)
	t.views--
	for i := range columns {
		if i < len(inner) {
			columns[i].Origin = columns[i].and(inner[i].Origin)
			columns[i].real = columns[i].real || inner[i].real
		}
	}
	return columns
}

// star are the columns that a star stands for.
func (t *tracing) star(c *pg.ColumnRef, s *scope) []traced {
	if len(c.Fields) == 1 {
		t.lost = t.lost || slices.ContainsFunc(
			s.sources, func(source tracedSource) bool { return source.columns == nil },
		)
		return s.all
	}
	var columns []traced
	for _, source := range s.sources {
		if c.Fields[len(c.Fields)-2].GetString_().GetSval() != source.alias {
			continue
		}
		t.lost = t.lost || source.columns == nil
		columns = append(columns, source.columns...)
	}
	return columns
}

// column is the origin of a column by its name.
func (s *scope) column(c *pg.ColumnRef) Origin {
	name := c.Fields[len(c.Fields)-1].GetString_().GetSval()
	for at := s; at != nil; at = at.outer {
		for _, source := range at.sources {
			if len(c.Fields) > 1 && c.Fields[len(c.Fields)-2].GetString_().GetSval() != source.alias {
				continue
			}
			for _, column := range source.columns {
				if column.name == name {
					return column.Origin
				}
			}
		}
	}
	return Origin{}
}

// Functions whose results are exact whatever they come of, and those whose results are not.
var (
	exactly = strings.Fields(
		"round trunc floor ceil ceiling sign div count width_bucket length char_length octet_length rank dense_rank " +
			"row_number ntile",
	)
	inexactly = strings.Fields(
		`avg stddev stddev_pop stddev_samp variance var_pop var_samp corr covar_pop covar_samp regr_avgx regr_avgy
regr_intercept regr_r2 regr_slope regr_sxx
		regr_sxy regr_syy percentile_cont percent_rank cume_dist sqrt cbrt exp ln log log10 power pow pi degrees
		radians sin cos tan cot asin acos atan atan2 sinh cosh tanh random
		date_part to_number`,
	)
)

// of is the origin of an expression.
func (t *tracing) of(n *pg.Node, s *scope) Origin {
	if n == nil {
		return Origin{}
	}
	switch x := n.Node.(type) {
	case *pg.Node_ColumnRef:
		return s.column(x.ColumnRef)
	case *pg.Node_AConst:
		text, _ := Constant(n)
		size, _ := strconv.ParseFloat(text, 64)
		return Origin{Size: math.Abs(size)}
	case *pg.Node_AExpr:
		return t.operation(x.AExpr, s)
	case *pg.Node_FuncCall:
		return t.call(x.FuncCall, s)
	case *pg.Node_TypeCast:
		return cast(t.of(x.TypeCast.Arg, s), x.TypeCast.TypeName)
	case *pg.Node_CollateClause:
		o := t.of(x.CollateClause.Arg, s)
		o.Collation = ""
		return o
	case *pg.Node_CoalesceExpr:
		return t.either(x.CoalesceExpr.Args, s)
	case *pg.Node_MinMaxExpr:
		return t.either(x.MinMaxExpr.Args, s)
	case *pg.Node_AArrayExpr:
		return t.either(x.AArrayExpr.Elements, s)
	case *pg.Node_RowExpr:
		return t.either(x.RowExpr.Args, s)
	case *pg.Node_CaseExpr:
		results := []*pg.Node{x.CaseExpr.Defresult}
		for _, when := range x.CaseExpr.Args {
			results = append(results, when.GetCaseWhen().GetResult())
		}
		return t.either(results, s)
	case *pg.Node_AIndirection:
		return t.of(x.AIndirection.Arg, s)
	case *pg.Node_SubLink:
		if sel := x.SubLink.Subselect.GetSelectStmt(); x.SubLink.SubLinkType == pg.SubLinkType_EXPR_SUBLINK ||
			x.SubLink.SubLinkType == pg.SubLinkType_ARRAY_SUBLINK {
			if columns := t.query(sel, s); len(columns) > 0 {
				return columns[0].Origin
			}
		}
	}
	return Origin{}
}

// either is the origin of what may be any of several expressions.
func (t *tracing) either(nodes []*pg.Node, s *scope) (o Origin) {
	real := false
	for i, n := range nodes {
		if n == nil {
			continue
		}
		one := t.of(n, s)
		real = real || one.real
		if o = o.and(one); i == 0 {
			o.Collation = one.Collation
		}
	}
	o.real = real // a constant takes the type of the others
	return o
}

func (t *tracing) operation(a *pg.A_Expr, s *scope) Origin {
	left, right := t.of(a.Lexpr, s), t.of(a.Rexpr, s)
	o := left.and(right)
	o.Collation = ""
	if a.Lexpr == nil {
		o.real = right.real
	}
	switch LastName(a.Name) {
	case "/":
		o.Quotient, o.Size = true, 0
	case "*":
		o.Size = left.Size * right.Size
	case "+", "-":
		o.Added = o.Added || a.Lexpr != nil
	case "^", "|/", "||/":
		o.Quotient, o.Size = true, 0
	}
	return o
}

func (t *tracing) call(f *pg.FuncCall, s *scope) Origin {
	o := t.either(slices.Concat(f.Args, sortKeys(f.AggOrder, f.AggWithinGroup)), s)
	switch name := strings.ToLower(LastName(f.Funcname)); {
	case name == "count":
		return Origin{}
	case name == "sum":
		o.Added = true
		if o.real {
			o.SumOfReal = max(t.rows, 2)
		}
	case name == "avg":
		o.Quotient, o.Added, o.real = true, true, false
	case name == "min", name == "max", name == "coalesce":
	case slices.Contains(inexactly, name):
		o.Quotient, o.real, o.Collation = true, false, ""
	case slices.Contains(exactly, name):
		o.Quotient, o.Added, o.SumOfReal, o.Collation = false, false, 0, ""
	case f.Over == nil && !aggregates[name]:
		o.Collation = ""
	}
	return o
}

// sortKeys are the values of WITHIN GROUP (ORDER BY ...).
func sortKeys(order []*pg.Node, within bool) (keys []*pg.Node) {
	for _, item := range order {
		if within {
			keys = append(keys, item.GetSortBy().GetNode())
		}
	}
	return keys
}

// cast is the origin of a value that is made one of another type.
func cast(o Origin, to *pg.TypeName) Origin {
	o.real = false
	switch LastName(to.Names) {
	case "int2", "int4", "int8", "bool", "date", "time", "timestamp", "timestamptz":
		return Origin{}
	case "float4":
		o.Quotient, o.Real, o.real = true, true, true
	case "float8":
		o.Quotient = true
	case "numeric":
		if len(to.Typmods) > 0 { // it is rounded
			o.Quotient = false
		}
	}
	return o
}
