package mutation

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	pg "github.com/pganalyze/pg_query_go/v6"

	"examen/internal/core/dataset"
	"examen/internal/core/sqltext"
)

// A scope is what names mean in one SELECT: the sources that its FROM names, and those of the SELECTs around it.
type scope struct {
	outer   *scope
	sel     *pg.SelectStmt
	with    map[string]*source // what WITH names
	sources []*source
}

// A source is an item of FROM: a table, or what stands for one.
type source struct {
	alias   string
	table   *dataset.Table // nil of what is no table
	columns []column
	keys    [][]string // sets of columns that tell its rows apart
	// missing tells that its columns may be NULL together: it stands on the open side of an outer join.
	missing bool
	number  int    // in its scope
	inside  *scope // of a subquery that stands for a table
}

// A column is a column of a source.
type column struct {
	name     string
	kind     kind
	nullable bool // though its source's row is there
}

// A kind is a type as far as values of it are made and compared.
type kind struct {
	family family
	scale  int    // digits after the point, of numbers that have a fixed number of them; -1 otherwise
	name   string // as the catalogue writes it, without modifiers
}

type family int

const (
	other family = iota
	integer
	number
	float
	text
	date
	timestamp
	boolean
)

// kindOf reads a type as the catalogue writes it.
func kindOf(name string) kind {
	base, modifiers, _ := strings.Cut(name, "(")
	modifiers, rest, _ := strings.Cut(modifiers, ")")
	k := kind{scale: -1, name: base + rest}
	switch {
	case strings.HasSuffix(name, "[]"):
	case slices.Contains([]string{"integer", "bigint", "smallint"}, base):
		k.family, k.scale = integer, 0
	case base == "numeric":
		k.family = number
		if _, scale, found := strings.Cut(modifiers, ","); found {
			k.scale, _ = strconv.Atoi(scale)
		} else if modifiers != "" {
			k.scale = 0
		}
	case base == "real" || base == "double precision":
		k.family = float
	case slices.Contains([]string{"text", "character varying", "character", "name"}, base):
		k.family = text
	case base == "date":
		k.family = date
	case base+rest == "timestamp" || base+rest == "timestamp without time zone":
		k.family = timestamp
		if k.scale = 6; modifiers != "" {
			k.scale, _ = strconv.Atoi(modifiers)
		}
	case base == "boolean":
		k.family = boolean
	}
	return k
}

// ordered tells whether < and > are understood of its values.
func (k kind) ordered() bool {
	return slices.Contains([]family{integer, number, float, date, timestamp}, k.family)
}

// newScope reads what names mean in a SELECT. FROM's own subqueries are read as sources.
func (m *maker) newScope(sel *pg.SelectStmt, outer *scope) *scope {
	s := &scope{outer: outer, sel: sel, with: map[string]*source{}}
	for _, c := range sel.WithClause.GetCtes() {
		cte := c.GetCommonTableExpr()
		if inner := cte.Ctequery.GetSelectStmt(); inner != nil {
			from := m.derived(inner, s.beside())
			from.rename(cte.Aliascolnames)
			s.with[cte.Ctename] = from
		}
	}
	for _, item := range sel.FromClause {
		m.from(item, s, false)
	}
	for i, from := range s.sources { // of two schemas, perhaps: names say no more whose they are
		if from.alias != "" && slices.ContainsFunc(s.sources[:i],
			func(f *source) bool { return f.alias == from.alias }) {
			m.provable = false
		}
	}
	return s
}

// beside is the scope as a subquery in WITH or FROM sees it: without what stands beside it in FROM.
func (s *scope) beside() *scope { return &scope{outer: s.outer, sel: s.sel, with: s.with} }

// from adds the sources of an item of FROM.
func (m *maker) from(item *pg.Node, s *scope, missing bool) {
	add := func(from *source, name string, alias *pg.Alias) {
		if alias != nil {
			name = alias.Aliasname
		}
		from.rename(alias.GetColnames())
		from.alias, from.missing, from.number = name, missing, len(s.sources)
		s.sources = append(s.sources, from)
	}
	switch n := item.Node.(type) {
	case *pg.Node_RangeVar:
		add(m.relation(n.RangeVar, s), n.RangeVar.Relname, n.RangeVar.Alias)
	case *pg.Node_RangeSubselect:
		add(m.derived(n.RangeSubselect.Subquery.GetSelectStmt(), s.beside()), "", n.RangeSubselect.Alias)
	case *pg.Node_RangeFunction:
		add(&source{}, "", n.RangeFunction.Alias)
	case *pg.Node_JoinExpr:
		kind := n.JoinExpr.Jointype
		m.from(n.JoinExpr.Larg, s, missing || kind == pg.JoinType_JOIN_RIGHT || kind == pg.JoinType_JOIN_FULL)
		m.from(n.JoinExpr.Rarg, s, missing || kind == pg.JoinType_JOIN_LEFT || kind == pg.JoinType_JOIN_FULL)
	default: // of which nothing is known
		add(&source{}, "", nil)
	}
}

// relation is the source of a name in FROM.
func (m *maker) relation(r *pg.RangeVar, s *scope) *source {
	name := r.Relname
	if r.Schemaname != "" && r.Schemaname != "public" {
		name = r.Schemaname + "." + name
	} else if r.Schemaname == "" {
		for at := s; at != nil; at = at.outer {
			if found := at.with[name]; found != nil {
				return &source{columns: slices.Clone(found.columns), keys: found.keys, inside: found.inside}
			}
		}
	}
	from := &source{}
	t := m.catalogue.Table(name)
	if t == nil {
		return from
	}
	if t.View && m.views < 4 {
		if q, err := sqltext.ReadQuery(strings.TrimSuffix(strings.TrimSpace(t.Query), ";")); err == nil {
			m.views++
			from = m.derived(q.Tree().Stmts[0].Stmt.GetSelectStmt(), nil)
			m.views--
		}
	}
	nullable := slices.Clone(from.columns) // as the view's own query says it
	from.columns = nil
	for i, c := range t.Columns {
		may := c.Nullable || t.View
		if len(nullable) == len(t.Columns) {
			may = nullable[i].nullable
		}
		from.columns = append(from.columns, column{c.Name, kindOf(c.Type), may})
	}
	if !t.View {
		from.table, from.keys = t, keysOf(t)
	}
	return from
}

// keysOf are the sets of a table's columns that are unique and never NULL.
func keysOf(t *dataset.Table) (keys [][]string) {
	for _, k := range t.Constraints {
		nullable := slices.ContainsFunc(k.Columns, func(name string) bool {
			c := t.Column(name)
			return c == nil || c.Nullable
		})
		if k.Kind == dataset.PrimaryKey || k.Kind == dataset.Unique && !nullable {
			keys = append(keys, k.Columns)
		}
	}
	return keys
}

// derived is the source that a subquery is.
func (m *maker) derived(sel *pg.SelectStmt, outer *scope) *source {
	from := &source{}
	if sel == nil || sel.Op != pg.SetOperation_SETOP_NONE || len(sel.ValuesLists) > 0 {
		return from
	}
	s := m.newScope(sel, outer)
	from.inside = s
	for _, item := range sel.TargetList {
		target := item.GetResTarget()
		if c := target.GetVal().GetColumnRef(); sqltext.IsStar(c) {
			for _, of := range s.sources {
				if len(c.Fields) == 1 || c.Fields[0].GetString_().GetSval() == of.alias {
					for _, column := range of.columns {
						column.nullable = column.nullable || of.missing
						from.columns = append(from.columns, column)
					}
				}
			}
			continue
		}
		from.columns = append(from.columns, column{sqltext.OutputName(target), s.kind(target.Val),
			!s.never(target.Val)})
	}
	plain := len(sel.DistinctClause) > 0 && sel.DistinctClause[0].Node == nil // not DISTINCT ON
	if plain || len(sel.GroupClause) > 0 && s.uniqueBy(s.outputs()...) {
		from.keys = [][]string{names(from.columns)}
	}
	return from
}

func names(columns []column) (all []string) {
	for _, c := range columns {
		all = append(all, c.name)
	}
	return all
}

func (f *source) rename(names []*pg.Node) {
	for i, n := range names {
		if i < len(f.columns) {
			f.columns[i].name = n.GetString_().GetSval()
		}
	}
}

// find finds what a column's name means; nil where that is not known.
func (s *scope) find(c *pg.ColumnRef) (*source, *column) {
	if c == nil || sqltext.IsStar(c) {
		return nil, nil
	}
	name := sqltext.LastName(c.Fields)
	for at := s; at != nil; at = at.outer {
		for _, from := range at.sources {
			if len(c.Fields) > 1 && c.Fields[len(c.Fields)-2].GetString_().GetSval() != from.alias {
				continue
			}
			for i := range from.columns {
				if from.columns[i].name == name {
					return from, &from.columns[i]
				}
			}
		}
	}
	return nil, nil
}

// own tells that a source is this SELECT's, not that of one around it.
func (s *scope) own(from *source) bool { return from != nil && slices.Contains(s.sources, from) }

// ref writes a column's name as it is clear in the scope.
func (s *scope) ref(from *source, name string) *pg.Node {
	n := 0
	for _, other := range s.sources {
		if slices.ContainsFunc(other.columns, func(c column) bool { return c.name == name }) {
			n++
		}
	}
	if n > 1 || !s.own(from) || len(s.sources) > 1 && from.alias != "" {
		return sqltext.ColumnRef(from.alias, name)
	}
	return sqltext.ColumnRef(name)
}

// kind is an expression's type, as far as it is known.
func (s *scope) kind(n *pg.Node) kind {
	unknown := kind{scale: -1}
	if n == nil {
		return unknown
	}
	switch x := n.Node.(type) {
	case *pg.Node_ColumnRef:
		if _, c := s.find(x.ColumnRef); c != nil {
			return c.kind
		}
	case *pg.Node_TypeCast:
		return kindOf(castName(x.TypeCast.TypeName))
	case *pg.Node_AConst:
		switch {
		case x.AConst.GetIval() != nil:
			return kindOf("integer")
		case x.AConst.GetFval() != nil:
			_, digits, _ := strings.Cut(x.AConst.GetFval().Fval, ".")
			return kind{number, len(digits), "numeric"}
		case x.AConst.GetSval() != nil:
			return kind{text, -1, "text"}
		}
	case *pg.Node_FuncCall:
		return s.kindOfCall(x.FuncCall)
	case *pg.Node_CoalesceExpr:
		return s.kind(x.CoalesceExpr.Args[0])
	case *pg.Node_CaseExpr:
		return s.kind(x.CaseExpr.Args[0].GetCaseWhen().GetResult())
	case *pg.Node_AExpr:
		if x.AExpr.Kind == pg.A_Expr_Kind_AEXPR_OP && x.AExpr.Lexpr != nil {
			return arithmetic(sqltext.LastName(x.AExpr.Name), s.kind(x.AExpr.Lexpr), s.kind(x.AExpr.Rexpr))
		}
	}
	return unknown
}

// arithmetic is the type of what an operator makes of two values.
func arithmetic(operator string, left, right kind) kind {
	numbers := []family{integer, number, float}
	if !slices.Contains([]string{"+", "-", "*", "/", "%"}, operator) || !slices.Contains(numbers, left.family) ||
		!slices.Contains(numbers, right.family) {
		return kind{scale: -1}
	}
	k := left
	if right.family > left.family {
		k = right
	}
	switch {
	case k.family != number || left.scale < 0 || right.scale < 0 || operator == "/":
		if k.family != integer {
			k.scale = -1
		}
	case operator == "*":
		k.scale = left.scale + right.scale
	default:
		k.scale = max(left.scale, right.scale)
	}
	return k
}

func (s *scope) kindOfCall(f *pg.FuncCall) kind {
	argument := kind{scale: -1}
	if len(f.Args) > 0 {
		argument = s.kind(f.Args[0])
	}
	switch sqltext.LastName(f.Funcname) {
	case "count", "row_number", "rank", "dense_rank", "length", "ntile":
		return kind{integer, 0, "bigint"}
	case "min", "max", "sum", "abs", "lag", "lead", "first_value", "last_value":
		return argument
	case "avg", "round", "trunc":
		if argument.family == integer || argument.family == number {
			return kind{number, -1, "numeric"}
		}
		return argument
	case "lower", "upper", "trim", "btrim", "initcap", "concat", "substr", "substring", "left", "right":
		return kind{text, -1, "text"}
	}
	return kind{scale: -1}
}

// castName is a type as the catalogue would write it.
func castName(t *pg.TypeName) string {
	name := sqltext.LastName(t.Names)
	full := map[string]string{
		"int4": "integer", "int8": "bigint", "int2": "smallint", "bool": "boolean", "float8": "double precision",
		"float4": "real", "varchar": "character varying", "bpchar": "character",
	}
	if is := full[name]; is != "" {
		name = is
	}
	if len(t.ArrayBounds) > 0 {
		return name + "[]"
	}
	if name == "numeric" && len(t.Typmods) == 2 {
		return fmt.Sprintf("numeric(%d,%d)", t.Typmods[0].GetAConst().GetIval().GetIval(),
			t.Typmods[1].GetAConst().GetIval().GetIval())
	}
	return name
}

// neverNull tells that an expression is never NULL. false where that is not certain.
func (s *scope) neverNull(n *pg.Node) bool {
	switch x := n.GetNode().(type) {
	case *pg.Node_ColumnRef:
		from, c := s.find(x.ColumnRef)
		return c != nil && !c.nullable && !from.missing
	case *pg.Node_AConst:
		return !x.AConst.Isnull
	case *pg.Node_TypeCast:
		return s.neverNull(x.TypeCast.Arg)
	case *pg.Node_CoalesceExpr:
		return slices.ContainsFunc(x.CoalesceExpr.Args, s.neverNull)
	case *pg.Node_AExpr:
		arithmetic := slices.Contains([]string{"+", "-", "*", "/", "%", "||"}, sqltext.LastName(x.AExpr.Name))
		return x.AExpr.Kind == pg.A_Expr_Kind_AEXPR_OP && arithmetic && x.AExpr.Lexpr != nil &&
			s.neverNull(x.AExpr.Lexpr) && s.neverNull(x.AExpr.Rexpr)
	case *pg.Node_FuncCall:
		f := x.FuncCall
		switch name := sqltext.LastName(f.Funcname); name {
		case "count", "row_number", "rank", "dense_rank":
			return true
		case "sum", "min", "max", "avg": // of a group, which has a row
			return f.Over == nil && f.AggFilter == nil && len(s.sel.GroupClause) > 0 && len(f.Args) == 1 &&
				s.neverNull(f.Args[0])
		// extract and date_part: of dates that are finite
		case "lower", "upper", "length", "round", "abs", "trunc", "extract", "date_part", "date_trunc", "floor", "ceil",
			"btrim", "substr", "initcap", "sign", "to_char":
			return !slices.ContainsFunc(f.Args, func(n *pg.Node) bool { return !s.neverNull(n) })
		}
	}
	return false
}

// aggregate is the aggregate call that a node is; nil for none.
func aggregate(n *pg.Node) *pg.FuncCall {
	if f := n.GetFuncCall(); sqltext.IsAggregate(f) {
		return f
	}
	return nil
}
