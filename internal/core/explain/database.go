package explain

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"examen/internal/core/sqltext"
)

// A QueryError is what the database, or its parser, reported of a query.
type QueryError struct {
	Code    string // SQLSTATE; that of a syntax error where the parser reported it
	Message string
	SQL     string // as it was written
	Offset  int    // in bytes, of the place that the message is about; -1 where it names none
}

// Plain is an error in plain words.
type Plain struct {
	Sentence string // "" where nothing better than the message is known
	Offset   int    // of the place to look at, -1 where it is the message's own
	Mended   string // what the text would be without the mistake; only ever offered
}

// SQLSTATEs, Appendix A of PostgreSQL's documentation.
const (
	ambiguousColumn  = "42702"
	groupingError    = "42803"
	windowingError   = "42P20"
	datatypeMismatch = "42804"
	badReference     = "42P10"
	divisionByZero   = "22012"
	cardinality      = "21000"
	badDatetime      = "22007"
	datetimeRange    = "22008"
	duplicateAlias   = "42712"
	cannotCoerce     = "42846"
	indeterminate    = "42P18"
	badRegexp        = "2201B"
	wrongObjectType  = "42809"
	notUnique        = "42725"
	badParameter     = "22023"

	negativePower     = "2201F"
	negativeLogarithm = "2201E"
)

var (
	someName       = regexp.MustCompile(`(?:column reference|entry for table|column|relation|table) "?([^"\s]+)"?`)
	operatorTypes  = regexp.MustCompile(`operator does not exist: (?:(.*?) )?([-+*/<>=~!@#%^&|?]+|` + "`" + `) (.*)$`)
	functionCall   = regexp.MustCompile(`function ([^(]+)\((.*)\) does not exist`)
	unknownUnit    = regexp.MustCompile(`unit "([^"]*)" not (?:recognized|supported)`)
	quotedMessage  = regexp.MustCompile(`"([^"]*)"`)
	invalidForType = regexp.MustCompile(`invalid input (?:syntax|value) for (?:type|enum) (.+?): "(.*)"`)
)

// functions are those that learners use, with what they take.
var functions = map[string]string{
	"count": "count(*) or count(column)", "sum": "sum(number)", "avg": "avg(number)", "min": "min(value)",
	"max": "max(value)", "round": "round(number) or round(numeric, decimals)",
	"lower": "lower(text)", "upper": "upper(text)", "length": "length(text)", "trim": "trim(text)",
	"substring": "substring(text FROM start FOR length)", "substr": "substr(text, start, length)",
	"left": "left(text, n)", "right": "right(text, n)", "replace": "replace(text, from, to)",
	"concat": "concat(value, ...)", "position": "position(part IN text)", "coalesce": "COALESCE(value, ...)",
	"nullif": "NULLIF(value, value)", "abs": "abs(number)", "ceil": "ceil(number)", "floor": "floor(number)",
	"mod": "mod(a, b)", "power": "power(a, b)", "sqrt": "sqrt(number)",
	"extract": "EXTRACT(year FROM day)", "date_part": "date_part('year', day)",
	"date_trunc": "date_trunc('month', day)", "to_char": "to_char(value, format)", "to_date": "to_date(text, format)",
	"age": "age(timestamp, timestamp)", "string_agg": "string_agg(text, separator)", "array_agg": "array_agg(value)",
	"row_number": "row_number() OVER (...)", "rank": "rank() OVER (...)",
	"dense_rank": "dense_rank() OVER (...)", "lag": "lag(value) OVER (...)", "lead": "lead(value) OVER (...)",
	"ntile": "ntile(n) OVER (...)", "initcap": "initcap(text)", "split_part": "split_part(text, separator, n)",
	"greatest": "GREATEST(value, ...)", "least": "LEAST(value, ...)", "now": "now()",
	"generate_series": "generate_series(from, to)", "stddev": "stddev(number)", "variance": "variance(number)",
	"strpos": "strpos(text, part)",
}

// Query says an error in plain words. The schema names the tables and columns that are there.
func Query(e QueryError, schema sqltext.Schema) Plain {
	x := &queryError{QueryError: e, schema: schema}
	if mended, at := sqltext.Mend(e.SQL, x.isName); at >= 0 {
		return Plain{Sentence: "The text holds quotes, dashes or spaces as word processors write them, which mean " +
			"something else in SQL (or nothing): text values go in straight single quotes ('), a minus is -.",
			Offset: at, Mended: mended}
	}
	p := Plain{Offset: x.unplaced(), Sentence: changed(e)}
	if p.Sentence != "" {
		return p
	}
	if p := x.otherSystem(); p.Sentence != "" {
		return p
	}
	switch e.Code {
	case syntaxFault:
		return x.syntax()
	case undefinedTable:
		p.Sentence = x.table()
	case undefinedColumn:
		p.Sentence = x.column()
	case ambiguousColumn:
		p.Sentence = x.ambiguous()
	case groupingError:
		p.Sentence = x.grouping()
	case windowingError:
		p.Sentence = "A window function (with OVER) is evaluated after WHERE, GROUP BY and HAVING, so it can only " +
			"be used in SELECT and ORDER BY: compute it in a subquery, and put the condition around it."
	case undefinedFunction:
		p.Sentence = x.function()
	case datatypeMismatch:
		p.Sentence = x.mismatch()
	case badText, badDatetime, datetimeRange:
		p.Sentence = x.value()
	case divisionByZero:
		p.Offset = x.only((*sqltext.Query).Divisions)
		p.Sentence = "Some row divides by zero. NULLIF(divisor, 0) makes a zero NULL, and then the quotient is " +
			"NULL, too."
	case cardinality:
		if strings.Contains(e.Message, "subquery") {
			p.Offset = x.only((*sqltext.Query).ScalarSubqueries)
			p.Sentence = "A subquery that stands for one value gives several rows: use IN in place of =, an " +
				"aggregate such as max(), or a condition that leaves one row."
		}
	case badReference:
		p.Sentence = x.reference()
	case duplicateAlias:
		p.Sentence = "The same table name or alias stands twice in FROM: give each an alias of its own, as in hive " +
			"AS first JOIN hive AS second."
	case noPrivilege:
		p.Sentence = "This table or function cannot be used here: queries read the tables of the paper's dataset."
	case cannotCoerce:
		p.Sentence = "There is no way to make a value of the one type from the other: look at which column is cast."
	case indeterminate:
		p.Sentence = "The database cannot tell the type of a value here: cast it, as in NULL::integer."
	case outOfRange:
		p.Sentence = "A number became too large for its type: cast one of those it is made of to numeric or bigint, " +
			"as in a::bigint * b."
	case wrongObjectType:
		p.Sentence = x.wrongCall()
	case undefinedObject:
		p.Sentence = x.object()
	case badParameter:
		if found := unknownUnit.FindStringSubmatch(e.Message); found != nil {
			p.Sentence = fmt.Sprintf(
				"%s is no part of a date or time: EXTRACT takes year, month, day, hour, minute, second, week, "+
					"quarter, dow (day of the week) or epoch.",
				found[1],
			)
		}
	case negativePower, negativeLogarithm:
		p.Sentence = "Some row has a number for which this is not defined, as the root or the logarithm of a " +
			"negative number: leave such rows out with a condition, or make them NULL with CASE."
	case badRegexp:
		p.Sentence = "The regular expression cannot be read: is a bracket or parenthesis not closed?"
	}
	return p
}

type queryError struct {
	QueryError
	schema sqltext.Schema
}

// only is the place that a search of the query finds, if it is the only one; else -1.
func (x *queryError) only(search func(*sqltext.Query) []int) int {
	q, err := sqltext.ReadQuery(x.SQL)
	if err != nil {
		return -1
	}
	if found := search(q); len(found) == 1 {
		return found[0]
	}
	return -1
}

// isName tells whether a table or a column is called so.
func (x *queryError) isName(s string) bool {
	return x.schema[s] != nil || len(x.schema.With(s)) > 0
}

func (x *queryError) tables() []string {
	var names []string
	for t := range x.schema {
		names = append(names, t)
	}
	slices.Sort(names)
	return names
}

// name is the name that the message is about.
func (x *queryError) name() string {
	if found := someName.FindStringSubmatch(x.Message); found != nil {
		return found[1]
	}
	return ""
}

// unplaced is where the name that the message is about stands, if the message names no place and it stands in one place
// only; else -1.
func (x *queryError) unplaced() int {
	name := x.name()
	if x.Offset >= 0 || name == "" || strings.Count(x.SQL, name) != 1 {
		return -1
	}
	return strings.Index(x.SQL, name)
}

func (x *queryError) table() string {
	name := x.name()
	switch {
	case strings.HasPrefix(x.Message, "missing FROM-clause entry"):
		if x.schema[name] != nil {
			return fmt.Sprintf("%s is used, but it does not stand in FROM: join it there, with a condition.", name)
		}
		if near := sqltext.Nearest(name, x.tables()); near != "" {
			return fmt.Sprintf("No table or alias in FROM is called %s: did you mean %s?", name, near)
		}
		return fmt.Sprintf(
			"No table or alias in FROM is called %s: columns are written alias.column, with an alias from FROM.", name,
		)
	case strings.HasPrefix(x.Message, "invalid reference to FROM-clause"):
		return fmt.Sprintf(
			"%s cannot be used at this place: where a table has an alias, its columns are written with the alias, "+
				"and a subquery in FROM does not see the tables beside it.",
			name,
		)
	}
	if schema, table, has := strings.Cut(name, "."); has {
		if name = table; x.schema[table] != nil {
			return fmt.Sprintf("The table %s is not in the schema %s: write %s alone.", table, schema, table)
		}
	}
	if near := sqltext.Nearest(name, x.tables()); near != "" && !strings.EqualFold(near, name) {
		return fmt.Sprintf("The dataset has no table %s: did you mean %s?", name, near)
	} else if near != "" {
		return fmt.Sprintf("The table is called %s: within double quotes capital letters count.", near)
	}
	if tables := x.schema.With(name); len(tables) > 0 {
		return fmt.Sprintf("%s is a column of %s, not a table.", name, plain(tables))
	}
	return fmt.Sprintf("The dataset has no table %s; it has %s.", name, plain(x.tables()))
}

// mentioned are the tables that the query's text names.
func (x *queryError) mentioned() []string {
	words := regexp.MustCompile(`[A-Za-z_][A-Za-z_0-9]*`).FindAllString(strings.ToLower(x.SQL), -1)
	var names []string
	for _, t := range x.tables() {
		if slices.Contains(words, t) {
			names = append(names, t)
		}
	}
	return names
}

func (x *queryError) column() string {
	name := x.name()
	qualified := ""
	if i := strings.LastIndexByte(name, '.'); i >= 0 {
		qualified, name = name[:i], name[i+1:]
	}
	if x.Offset >= 0 && x.Offset < len(x.SQL) && x.SQL[x.Offset] == '"' && x.schema.With(strings.ToLower(name)) == nil {
		return fmt.Sprintf(
			"Double quotes stand around names, single quotes around text values: if %s is a text value, write '%s'.",
			name, name,
		)
	}
	if alias := x.alias(name); qualified == "" && alias != nil && overWindow.MatchString(alias.Expression) {
		return fmt.Sprintf(
			"%s is a name that SELECT gives to a window function's value, and such a value is computed after WHERE, "+
				"GROUP BY and HAVING: put the query into a subquery, and the condition around it.",
			name,
		)
	} else if qualified == "" && alias != nil {
		return fmt.Sprintf(
			"%s is a name that SELECT gives: SELECT itself, WHERE, HAVING, ON and expressions in GROUP BY do not "+
				"know it yet. Write the expression itself once more, or put the query into a subquery.",
			name,
		)
	}
	if x.withoutFrom() {
		return fmt.Sprintf(
			"The query has no FROM, so no table's columns are known, %s neither: FROM says which table they are "+
				"read from.",
			name,
		)
	}
	if x.Offset > 0 && x.Offset < len(x.SQL) && limitBefore.MatchString(x.SQL[:x.Offset]) {
		return "After LIMIT and OFFSET stands a number."
	}
	var own []string
	for _, t := range x.mentioned() {
		own = append(own, x.schema[t]...)
	}
	if x.schema[qualified] != nil {
		own = x.schema[qualified]
	}
	tables := x.schema.With(name)
	switch near := sqltext.Nearest(name, own); {
	case near != "" && !slices.Contains(own, name):
		return fmt.Sprintf("No column is called %s here: did you mean %s?", name, near)
	case len(tables) > 0 && qualified != "":
		return fmt.Sprintf("%s has no column %s; %s does.", qualified, name, plain(tables))
	case len(tables) > 0:
		return fmt.Sprintf(
			"%s is a column of %s, which this part of the query does not read: join it in FROM.", name, plain(tables),
		)
	case x.Offset > 0 && strings.ContainsAny(
		lastByte(strings.TrimRight(x.SQL[:min(x.Offset, len(x.SQL))], " \t\n")), "=<>(,",
	):
		return fmt.Sprintf(
			"No table in FROM has a column %s. If it is a text value, it needs single quotes: '%s'.", name, name,
		)
	}
	if mentioned := x.mentioned(); len(mentioned) == 1 {
		return fmt.Sprintf(
			"%s has no column %s; its columns are %s.", mentioned[0], name, plain(x.schema[mentioned[0]]),
		)
	}
	return fmt.Sprintf("No table in FROM has a column %s.", name)
}

var overWindow = regexp.MustCompile(`(?i)\bover\b`)

// alias is the output to which the query's SELECT gives a name; nil for none.
func (x *queryError) alias(name string) *sqltext.Output {
	q, err := sqltext.ReadQuery(x.SQL)
	if err != nil {
		return nil
	}
	outputs := q.Features(x.schema).Outputs
	if i := slices.IndexFunc(outputs, func(o sqltext.Output) bool { return o.Alias == name }); i >= 0 {
		return &outputs[i]
	}
	return nil
}

// withoutFrom tells whether nothing in the query reads a table.
func (x *queryError) withoutFrom() bool {
	q, err := sqltext.ReadQuery(x.SQL)
	return err == nil && !q.ReadsTables()
}

var limitBefore = regexp.MustCompile(`(?i)\b(limit|offset)\s+$`)

func lastByte(s string) string {
	if s == "" {
		return " "
	}
	return s[len(s)-1:]
}

func (x *queryError) ambiguous() string {
	name := x.name()
	var tables []string
	for _, t := range x.mentioned() {
		if slices.Contains(x.schema[t], name) {
			tables = append(tables, t)
		}
	}
	if len(tables) < 2 {
		return fmt.Sprintf(
			"More than one table in FROM has a column %s: write which one is meant, as table.%s.", name, name,
		)
	}
	return fmt.Sprintf(
		"%s is a column of %s: write which one is meant, as %s.%s or %s.%s (or with the tables' aliases).", name,
		plain(tables), tables[0], name, tables[1], name,
	)
}

func (x *queryError) grouping() string {
	switch m := x.Message; {
	case strings.Contains(m, "not allowed in WHERE"):
		return "WHERE looks at single rows, before there are groups: a condition on an aggregate (count, sum, avg, " +
			"min, max) stands in HAVING, after GROUP BY."
	case strings.Contains(m, "not allowed in GROUP BY"):
		return "GROUP BY says what makes a group; aggregates are computed for each group afterwards. Leave the " +
			"aggregate out of GROUP BY."
	case strings.Contains(m, "not allowed in JOIN"):
		return "ON looks at single rows: aggregate in a subquery first and join that, or put the condition into HAVING."
	case strings.Contains(m, "nested"):
		return "An aggregate of an aggregate needs two steps: compute the inner one in a subquery in FROM, and the " +
			"outer one around it."
	case strings.Contains(m, "must appear in the GROUP BY"):
		name := x.name()
		return fmt.Sprintf(
			"A group has many rows, so it is not clear which value of %s is meant: add %s to GROUP BY, or aggregate "+
				"it, as in max(%s).",
			name, name, name,
		)
	case strings.Contains(m, "subquery uses ungrouped"):
		return "The subquery uses a column of the outer query that is neither in its GROUP BY nor aggregated."
	}
	return ""
}

func (x *queryError) function() string {
	if found := operatorTypes.FindStringSubmatch(x.Message); found != nil {
		left, operator, right := found[1], found[2], found[3]
		switch {
		case isJSON(left), isJSON(right):
			return ofJSON
		case strings.HasSuffix(left, "[]") != strings.HasSuffix(right, "[]"):
			return ofArray
		case operator == "=<":
			return "At most is written <=."
		case strings.HasPrefix(strings.TrimPrefix(operator, "!"), "~~"):
			return fmt.Sprintf(
				"LIKE compares texts, and the value on its left is of type %s: compare it with =, < or >, or cast "+
					"it, as in value::text LIKE '1%%'.",
				left,
			)
		case !isComparison(operator): // what follows is about comparing
		case isDate(left) && isNumber(right), isNumber(left) && isDate(right):
			return "A date is compared with a date in single quotes, as in '2026-05-01'; a year alone is taken out " +
				"of it with EXTRACT(year FROM day)."
		case isNumber(left) && isText(right), isText(left) && isNumber(right):
			return fmt.Sprintf(
				"On the left of %s stands a value of type %s, on the right one of type %s. If the number is meant "+
					"as a text, put it in single quotes; a text that holds numbers can be cast, as in value::numeric.",
				operator, left, right,
			)
		case left == "boolean" || right == "boolean":
			return fmt.Sprintf(
				"On one side of %s stands a condition, which is true or false, on the other a value of type %s: two "+
					"comparisons are joined with AND, as in a < b AND b < c.",
				operator, other(left, right),
			)
		}
		return fmt.Sprintf(
			"On the left of %s stands a value of type %s, on the right one of type %s, and these cannot be taken "+
				"together so. Compare like with like, or cast one side, as in value::%s.",
			operator, left, right, castTo(left, right),
		)
	}
	found := functionCall.FindStringSubmatch(x.Message)
	if found == nil {
		return ""
	}
	name := strings.ToLower(found[1])
	if usage := functions[name]; usage != "" {
		s := fmt.Sprintf(
			"%s does not take these arguments (%s): it is called as %s.", name, argumentTypes(found[2]), usage,
		)
		if name == "round" {
			s += " A double precision value is rounded to decimals after a cast: round(value::numeric, 2)."
		} else if strings.Contains(found[2], "text") || strings.Contains(found[2], "character") {
			s += " A text that holds numbers can be cast, as in value::numeric."
		}
		return s
	}
	var names []string
	for n := range functions {
		names = append(names, n)
	}
	slices.Sort(names)
	if near := sqltext.Nearest(name, names); near != "" {
		return fmt.Sprintf("No function is called %s: did you mean %s?", name, near)
	}
	return fmt.Sprintf(
		"There is no function %s that takes (%s): is its name right, and the number and type of its arguments?", name,
		argumentTypes(found[2]),
	)
}

func argumentTypes(s string) string {
	if s == "" {
		return "none"
	}
	return strings.ReplaceAll(s, "unknown", "a text")
}

func isComparison(operator string) bool {
	return slices.Contains([]string{"=", "<>", "<", "<=", ">", ">="}, operator)
}

func isDate(t string) bool { return t == "date" || strings.HasPrefix(t, "timestamp") }
func isText(t string) bool { return t == "text" || strings.HasPrefix(t, "character") }
func isNumber(t string) bool {
	return slices.Contains([]string{"smallint", "integer", "bigint", "numeric", "real", "double precision"}, t)
}

// wrongCall is for functions that are called in another way than they are made for.
func (x *queryError) wrongCall() string {
	if strings.HasPrefix(x.Message, "count(*) must be used") {
		return "count needs to know what to count: count(*) counts rows, count(column) the values that are not NULL."
	}
	found := wrongKind.FindStringSubmatch(x.Message)
	if found == nil {
		return ""
	}
	name := strings.Join(found[1:], "") // one of them is not empty
	switch {
	case strings.HasSuffix(x.Message, "requires an OVER clause"):
		return fmt.Sprintf(
			"%s is a window function: OVER says over which rows, as in %s() OVER (ORDER BY a).", name, name,
		)
	case strings.HasPrefix(x.Message, "WITHIN GROUP"):
		return fmt.Sprintf("As a window function %s takes no value: %s() OVER (ORDER BY a).", name, name)
	case strings.HasPrefix(x.Message, "OVER"):
		return fmt.Sprintf(
			"%s is computed for each row by itself: it is not a window function, and OVER cannot be used with it.",
			name,
		)
	}
	return fmt.Sprintf(
		"%s is no aggregate: DISTINCT stands within aggregates, as in count(DISTINCT a), or once after SELECT.", name,
	)
}

var wrongKind = regexp.MustCompile(
	`^(?:window function (\w+) requires|WITHIN GROUP is required for ordered-set aggregate (\w+)|(?:OVER|DISTINCT) ` +
		`specified, but (\w+))`,
)

// types are those that learners cast to.
var types = strings.Fields(
	"integer bigint smallint numeric decimal real text varchar char boolean date time timestamp timestamptz " +
		"interval int float uuid json jsonb",
)

func (x *queryError) object() string {
	name := ""
	if found := quotedMessage.FindStringSubmatch(x.Message); found != nil {
		name = found[1]
	}
	if !strings.HasPrefix(x.Message, "type ") {
		return ""
	}
	if near := sqltext.Nearest(name, types); near != "" {
		return fmt.Sprintf("No type is called %s: did you mean %s?", name, near)
	}
	return fmt.Sprintf(
		"No type is called %s; those most used are integer, numeric, text, boolean, date and timestamp.", name,
	)
}

// other is the type beside boolean.
func other(left, right string) string {
	if left == "boolean" {
		return right
	}
	return left
}

// castTo is the type to cast a side to so that both are alike.
func castTo(left, right string) string {
	for _, t := range []string{
		"date", "timestamp without time zone", "numeric", "integer", "double precision", "bigint",
	} {
		if left == t || right == t {
			return t
		}
	}
	return left
}

func (x *queryError) mismatch() string {
	switch m := x.Message; {
	case strings.Contains(m, "must be type boolean"):
		return "A condition has to be true or false: compare the value with something, as in strength > 5."
	case strings.Contains(m, "UNION types"), strings.Contains(m, "EXCEPT types"), strings.Contains(
		m, "INTERSECT types",
	):
		return "The columns of both queries are put together place by place, so each pair has to be of types that " +
			"go together: is their order the same on both sides?"
	case strings.Contains(m, "CASE types"), strings.Contains(m, "COALESCE types"):
		return "All values that CASE or COALESCE may give have to be of one type: cast the others, as in " +
			"strength::text."
	}
	return ""
}

const (
	ofJSON = "A JSON value is no text: ->> takes the value of a key out as a text, as in details ->> 'colour' = 'red'."
	// of text[] and the like
	ofArray = "An array holds several values, and is compared with an array: whether a value is among them says " +
		"value = ANY (array)."
)

func isJSON(t string) bool { return t == "json" || t == "jsonb" }

func (x *queryError) value() string {
	switch {
	case strings.HasPrefix(x.Message, "malformed array literal"):
		return ofArray
	case strings.HasPrefix(x.Message, "invalid input syntax for type json"):
		return ofJSON
	}
	if found := invalidForType.FindStringSubmatch(x.Message); found != nil {
		switch {
		case strings.Contains(
			found[1], "integer",
		), strings.Contains(found[1], "numeric"), strings.Contains(found[1], "double"), strings.Contains(
			found[1], "smallint",
		):
			return fmt.Sprintf(
				"'%s' stands where a number is wanted: it is compared with one, cast to one, or shares a column "+
					"with numbers (CASE, COALESCE, UNION).",
				found[2],
			)
		case strings.Contains(found[1], "date"), strings.Contains(found[1], "time"):
			return fmt.Sprintf("'%s' is no date: dates are written year-month-day, as in '2026-05-01'.", found[2])
		case strings.Contains(found[1], "boolean"):
			return fmt.Sprintf(
				"'%s' is neither true nor false: on each side of AND and OR stands a whole condition, as in kind = "+
					"'a' OR kind = 'b'.",
				found[2],
			)
		}
		return fmt.Sprintf("'%s' is no value of the type %s.", found[2], found[1])
	}
	if x.Code == datetimeRange {
		return "There is no such date: dates are written year-month-day, as in '2026-05-01', and the month has to " +
			"have the day."
	}
	return ""
}

func (x *queryError) reference() string {
	switch m := x.Message; {
	case strings.Contains(m, "SELECT DISTINCT, ORDER BY"):
		return "After DISTINCT the rows can be ordered only by what SELECT shows: put the column into SELECT, or " +
			"leave DISTINCT out."
	case strings.Contains(m, "is not in select list"):
		return "A number in ORDER BY or GROUP BY counts the columns of SELECT, from 1: there are not so many."
	case strings.Contains(m, "ON expressions must match"):
		return "DISTINCT ON (columns) needs an ORDER BY that begins with the same columns."
	}
	return ""
}
