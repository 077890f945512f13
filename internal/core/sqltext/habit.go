package sqltext

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"

	pg "github.com/pganalyze/pg_query_go/v6"
)

// A Habit is a form of another database in a query, and what PostgreSQL has for it.
type Habit struct {
	Word   string // as it is called there
	Here   string // as it is written here
	Offset int    // of its beginning, in bytes
	Mended string // the text with PostgreSQL's form in its place; "" where that cannot be told
}

// A habit is a call that other databases have: what stands for it here, and how that is made of its arguments, where
// it can be.
type habit struct {
	here string
	made func(args []string) string
}

// calls are functions of other databases, by name.
var calls = map[string]habit{
	"nvl":    {"COALESCE(value, other)", named("COALESCE", 2)},
	"ifnull": {"COALESCE(value, other)", named("COALESCE", 2)},
	"isnull": {"COALESCE(value, other), or value IS NULL", isNull},
	"nvl2": {
		"CASE WHEN value IS NOT NULL THEN a ELSE b END", form(3, "CASE WHEN %s IS NOT NULL THEN %s ELSE %s END"),
	},
	"decode":      {"CASE value WHEN a THEN b ELSE c END", decoded},
	"len":         {"length(text)", named("length", 1)},
	"datalength":  {"octet_length(text)", named("octet_length", 1)},
	"getdate":     {"now()", form(0, "now()")},
	"getutcdate":  {"now()", form(0, "now()")},
	"sysdatetime": {"now()", form(0, "now()")},
	"sysdate":     {"now()", form(0, "now()")},
	"curdate":     {"CURRENT_DATE", form(0, "CURRENT_DATE")},
	"curtime":     {"CURRENT_TIME", form(0, "CURRENT_TIME")},
	"datediff":    {"a subtraction of dates: day2 - day1", dateDiff},
	"dateadd":     {"an addition: day + INTERVAL '7 days'", dateAdd},
	"date_add":    {"an addition: day + INTERVAL '7 days'", nil},
	"date_sub":    {"a subtraction: day - INTERVAL '7 days'", nil},
	"add_months":  {"an addition: day + INTERVAL '1 month'", addMonths},
	"datepart":    {"EXTRACT(year FROM day)", datePart},
	"datename":    {"to_char(day, 'Month')", nil},
	"year":        {"EXTRACT(year FROM day)", form(1, "EXTRACT(year FROM %s)")},
	"month":       {"EXTRACT(month FROM day)", form(1, "EXTRACT(month FROM %s)")},
	"day":         {"EXTRACT(day FROM day)", form(1, "EXTRACT(day FROM %s)")},
	"hour":        {"EXTRACT(hour FROM time)", form(1, "EXTRACT(hour FROM %s)")},
	"minute":      {"EXTRACT(minute FROM time)", form(1, "EXTRACT(minute FROM %s)")},
	"dayofweek":   {"EXTRACT(dow FROM day), in which Sunday is 0", form(1, "EXTRACT(dow FROM %s) + 1")},
	"weekday":     {"EXTRACT(isodow FROM day), in which Monday is 1", form(1, "EXTRACT(isodow FROM %s) - 1")},
	"dayofyear":   {"EXTRACT(doy FROM day)", form(1, "EXTRACT(doy FROM %s)")},
	"date_format": {"to_char(value, 'YYYY-MM')", formatted},
	"strftime":    {"to_char(value, 'YYYY-MM')", func(args []string) string { return formatted(reversed(args)) }},
	"format":      {"to_char(value, 'YYYY-MM')", pictured},
	"str_to_date": {"to_date(text, 'YYYY-MM-DD')", nil},
	"charindex":   {"position(part IN text)", form(2, "position(%s IN %s)")},
	"locate":      {"position(part IN text)", form(2, "position(%s IN %s)")},
	"instr": {
		"position(part IN text)",
		func(args []string) string { return form(2, "position(%s IN %s)")(reversed(args)) },
	},
	"mid":             {"substring(text, start, length)", named("substring", 3)},
	"substring_index": {"split_part(text, separator, 1)", nil},
	"ucase":           {"upper(text)", named("upper", 1)},
	"lcase":           {"lower(text)", named("lower", 1)},
	"space":           {"repeat(' ', n)", form(1, "repeat(' ', %s)")},
	"replicate":       {"repeat(text, n)", named("repeat", 2)},
	"group_concat":    {"string_agg(text, ',')", form(1, "string_agg(%s, ',')")},
	"listagg":         {"string_agg(text, ',')", named("string_agg", 2)},
	"iif":             {"CASE WHEN condition THEN a ELSE b END", form(3, "CASE WHEN %s THEN %s ELSE %s END")},
	"if":              {"CASE WHEN condition THEN a ELSE b END", form(3, "CASE WHEN %s THEN %s ELSE %s END")},
	"to_number":       {"a cast: text::numeric", form(1, "(%s)::numeric")},
	"rand":            {"random()", form(0, "random()")},
	"average":         {"avg(number)", named("avg", 1)},
	"mean":            {"avg(number)", named("avg", 1)},
	"truncate":        {"trunc(number, decimals)", named("trunc", 2)},
	"convert":         {"a cast: value::type", converted},
	"stdev":           {"stddev(number)", named("stddev", 1)},
	"any_value":       {"min(value)", named("min", 1)},
	"last_day": {"date_trunc('month', day) + INTERVAL '1 month - 1 day'",
		form(1, "(date_trunc('month', %s) + INTERVAL '1 month - 1 day')::date")},
}

// named is a call of another name with the same arguments.
func named(name string, n int) func([]string) string {
	return func(args []string) string {
		if len(args) != n {
			return ""
		}
		return name + "(" + strings.Join(args, ", ") + ")"
	}
}

// form puts arguments into a text.
func form(n int, format string) func([]string) string {
	return func(args []string) string {
		if len(args) != n {
			return ""
		}
		all := make([]any, n)
		for i := range args {
			all[i] = args[i]
		}
		return fmt.Sprintf(format, all...)
	}
}

func reversed(args []string) []string {
	args = slices.Clone(args)
	slices.Reverse(args)
	return args
}

func isNull(args []string) string {
	if len(args) == 1 {
		return args[0] + " IS NULL"
	}
	return named("COALESCE", 2)(args)
}

// decoded is for DECODE(value, a, b, c, d, other).
func decoded(args []string) string {
	if len(args) < 3 {
		return ""
	}
	made := "CASE " + args[0]
	rest := args[1:]
	for ; len(rest) >= 2; rest = rest[2:] {
		made += " WHEN " + rest[0] + " THEN " + rest[1]
	}
	if len(rest) == 1 {
		made += " ELSE " + rest[0]
	}
	return made + " END"
}

// unit is a part of a date as other databases call it; "" for none.
func unit(name string) string {
	switch name = strings.Trim(strings.ToLower(name), "'\""); name {
	case "year", "yyyy", "yy":
		return "year"
	case "month", "mm", "m":
		return "month"
	case "week", "wk", "ww":
		return "week"
	case "day", "dd", "d", "dayofyear":
		return "day"
	case "hour", "hh":
		return "hour"
	case "minute", "mi", "n":
		return "minute"
	case "second", "ss", "s":
		return "second"
	}
	return ""
}

// dateDiff is for DATEDIFF(unit, from, to) and DATEDIFF(to, from).
func dateDiff(args []string) string {
	switch {
	case len(args) == 2:
		return fmt.Sprintf("((%s)::date - (%s)::date)", args[0], args[1])
	case len(args) == 3 && unit(args[0]) == "day":
		return fmt.Sprintf("((%s)::date - (%s)::date)", args[2], args[1])
	case len(args) == 3 && (unit(args[0]) == "year"):
		return fmt.Sprintf("(EXTRACT(year FROM %s) - EXTRACT(year FROM %s))", args[2], args[1])
	}
	return ""
}

// dateAdd is for DATEADD(unit, number, day).
func dateAdd(args []string) string {
	if len(args) != 3 || unit(args[0]) == "" {
		return ""
	}
	return added(args[2], args[1], unit(args[0]))
}

// addMonths is for ADD_MONTHS(day, number).
func addMonths(args []string) string {
	if len(args) != 2 {
		return ""
	}
	return added(args[0], args[1], "month")
}

func added(day, number, unit string) string {
	sign := " + "
	n, minus := strings.CutPrefix(strings.ReplaceAll(number, " ", ""), "-")
	if minus {
		sign = " - "
	}
	count, err := strconv.Atoi(n)
	if err != nil {
		return fmt.Sprintf("(%s + (%s) * INTERVAL '1 %s')", day, number, unit)
	}
	if count != 1 {
		unit += "s"
	}
	return fmt.Sprintf("(%s%sINTERVAL '%d %s')", day, sign, count, unit)
}

func datePart(args []string) string {
	if len(args) != 2 || unit(args[0]) == "" {
		return ""
	}
	return fmt.Sprintf("EXTRACT(%s FROM %s)", unit(args[0]), args[1])
}

// percents are the signs of a format in other databases, and those of to_char.
var percents = strings.NewReplacer(
	"%Y", "YYYY", "%y", "YY", "%m", "MM", "%c", "FMMM", "%M", "FMMonth", "%b", "Mon", "%d", "DD", "%e", "FMDD",
	"%H", "HH24", "%h", "HH12", "%i", "MI", "%s", "SS", "%S", "SS", "%p", "AM", "%W", "FMDay", "%a", "Dy", "%j", "DDD",
	"%T", "HH24:MI:SS", "%v", "IW", "%u", "IW", "%%", "%",
)

// formatted is for DATE_FORMAT(value, '%Y-%m').
func formatted(args []string) string {
	if len(args) != 2 {
		return ""
	}
	pattern := percents.Replace(args[1])
	if strings.Contains(pattern, "%") {
		return ""
	}
	return fmt.Sprintf("to_char(%s, %s)", args[0], pattern)
}

// pictures are the same for FORMAT(value, 'yyyy-MM').
var pictures = strings.NewReplacer(
	"yyyy", "YYYY", "yy", "YY", "MMMM", "FMMonth", "MMM", "Mon", "MM", "MM", "dddd", "FMDay", "ddd", "Dy", "dd", "DD",
	"HH", "HH24", "hh", "HH12", "mm", "MI", "ss", "SS",
)

func pictured(args []string) string {
	if len(args) != 2 || !strings.HasPrefix(args[1], "'") {
		return ""
	}
	return fmt.Sprintf("to_char(%s, %s)", args[0], pictures.Replace(args[1]))
}

// castTypes are types that other databases have, by the name that they have here.
var castTypes = map[string]string{
	"signed": "integer", "unsigned": "integer", "int": "integer", "integer": "integer", "bigint": "bigint",
	"nvarchar": "text", "varchar": "text", "varchar2": "text", "char": "text", "nchar": "text", "string": "text",
	"datetime": "timestamp", "datetime2": "timestamp", "date": "date", "time": "time", "float": "double precision",
	"double": "double precision", "number": "numeric", "decimal": "numeric", "numeric": "numeric", "bit": "boolean",
	"money": "numeric(12, 2)", "text": "text",
}

var sizedType = regexp.MustCompile(`^([A-Za-z0-9]+)\s*(\(\s*[\d\s,]+\))?$`)

// CastType is what a type of another database is called here; "" where none is known.
func CastType(name string) string {
	found := sizedType.FindStringSubmatch(strings.TrimSpace(name))
	if found == nil {
		return ""
	}
	here := castTypes[strings.ToLower(found[1])]
	if here == "numeric" {
		here += found[2]
	}
	return here
}

// converted is for CONVERT(type, value) and CONVERT(value, type).
func converted(args []string) string {
	if len(args) < 2 || len(args) > 3 {
		return ""
	}
	for i := range 2 {
		if here := CastType(args[i]); here != "" {
			return fmt.Sprintf("CAST(%s AS %s)", args[1-i], here)
		}
	}
	return ""
}

// FindHabit finds a form of another database that covers the place of an error, or begins nearest before it; nil for
// none. The place is -1 where it is not known.
func FindHabit(text string, at int) *Habit {
	if len(text) > longestExplained {
		return nil
	}
	tokens, err := scan(text)
	if err != nil {
		return nil
	}
	var best *Habit
	for i, t := range tokens {
		word := strings.ToLower(text[t.Start:t.End])
		known, is := calls[word]
		if !is || i+1 >= len(tokens) || text[tokens[i+1].Start:tokens[i+1].End] != "(" {
			continue
		}
		args, end := argumentsOf(text, tokens, i+1)
		if at >= 0 && (at < int(t.Start) || at >= end) {
			continue
		}
		found := &Habit{Word: text[t.Start:t.End], Here: known.here, Offset: int(t.Start)}
		if known.made != nil && end > 0 {
			if made := known.made(args); made != "" {
				if mended := text[:t.Start] + made + text[end:]; reads(mended) {
					found.Mended = mended
				}
			}
		}
		best = found // the innermost, where several cover it
	}
	return best
}

// HabitOf is what is written here for a function of another database; "" where it is none that is known.
func HabitOf(function string) string { return calls[strings.ToLower(function)].here }

// IsOtherHere tells whether a function of another database's name is one here as well, which does something else.
func IsOtherHere(function string) bool {
	return slices.Contains([]string{"format", "decode", "convert"}, strings.ToLower(function))
}

// IsUnit tells whether a word is a part of a date, as the first argument of other databases' functions is.
func IsUnit(word string) bool { return unit(word) != "" }

// argumentsOf are the arguments of a call whose opening parenthesis is the token; end is where the call ends, 0 where
// it does not.
func argumentsOf(text string, tokens []*pg.ScanToken, open int) (args []string, end int) {
	depth, begin := 0, int(tokens[open].End)
	for _, t := range tokens[open:] {
		switch text[t.Start:t.End] {
		case "(", "[":
			depth++
		case ")", "]":
			if depth--; depth == 0 {
				if last := strings.TrimSpace(text[begin:t.Start]); last != "" || len(args) > 0 {
					args = append(args, last)
				}
				return args, int(t.End)
			}
		case ",":
			if depth == 1 {
				args, begin = append(args, strings.TrimSpace(text[begin:t.Start])), int(t.End)
			}
		}
	}
	return args, 0
}
