package explain

import (
	"fmt"
	"regexp"
	"strings"

	"examen/internal/core/sqltext"
)

// otherSystem names what a learner brings from another database, with PostgreSQL's form; its sentence is "" where an
// error is of another kind.
func (x *queryError) otherSystem() Plain {
	switch x.Code {
	case undefinedFunction:
		return x.foreignCall()
	case notUnique:
		return x.untyped()
	case undefinedColumn:
		return x.foreignColumn()
	case undefinedTable:
		if strings.EqualFold(x.name(), "dual") {
			return Plain{
				"DUAL is another database's: a query that reads no table has no FROM here.", -1,
				sqltext.WithoutDual(x.SQL),
			}
		}
	case undefinedObject:
		return x.foreignType()
	case syntaxFault:
		return x.foreignSyntax()
	}
	return Plain{Offset: -1}
}

// foreignCall is for functions and operators.
func (x *queryError) foreignCall() Plain {
	if found := operatorTypes.FindStringSubmatch(x.Message); found != nil {
		left, operator, right := found[1], found[2], found[3]
		switch {
		case (operator == "+" || operator == "-") && (isText(left) || isText(right)) && span.MatchString(x.SQL):
			return Plain{
				"A span of time is added to a date, and on the other side stands a text: cast that, as in " +
					"value::date + INTERVAL '7 days'.", -1, "",
			}
		case operator == "+" && (isText(left) || isText(right)):
			return Plain{"Join strings with ||, not +.", -1, sqltext.Concatenated(x.SQL, x.Offset)}
		case operator == "==":
			p := Plain{"Equality is written with one equals sign: =.", -1, ""}
			if h := sqltext.FindWord(x.SQL, x.Offset); h != nil {
				p.Mended = h.Mended
			}
			return p
		case operator == "<=>", operator == "!", (operator == "&&" || operator == "||") && left == "boolean":
			return word(sqltext.FindWord(x.SQL, x.Offset))
		}
		return Plain{Offset: -1}
	}
	found := functionCall.FindStringSubmatch(x.Message)
	if found == nil || sqltext.HabitOf(found[1]) == "" || functions[strings.ToLower(found[1])] != "" {
		return Plain{Offset: -1}
	}
	p := call(&sqltext.Habit{Word: strings.ToLower(found[1]), Here: sqltext.HabitOf(found[1]), Offset: -1})
	if h := sqltext.FindHabit(x.SQL, x.Offset); h != nil {
		p.Mended = h.Mended
	}
	return p
}

// untyped is for an operator between two values in quotes, which have no type yet.
func (x *queryError) untyped() Plain {
	found := untypedOperands.FindStringSubmatch(x.Message)
	if found == nil {
		return Plain{Offset: -1}
	}
	if found[1] == "+" && !span.MatchString(x.SQL) {
		return Plain{"Join strings with ||, not +.", -1, sqltext.Concatenated(x.SQL, x.Offset)}
	}
	if !span.MatchString(x.SQL) {
		return Plain{
			"What stands in quotes on both sides could be of any type: write numbers without quotes, and dates as " +
				"DATE '2026-05-01'.", -1, "",
		}
	}
	p := Plain{
		"What stands in quotes on both sides could be of any type: say which, as in DATE '2026-05-01' + INTERVAL " +
			"'7 days'.", -1, "",
	}
	if x.Offset < 0 || x.Offset >= len(x.SQL) {
		return p
	}
	day, time := dayBefore.FindStringIndex(x.SQL[:x.Offset]), spanAfter.FindStringSubmatchIndex(x.SQL[x.Offset:])
	if day != nil && time != nil {
		quote := x.Offset + time[2]
		p.Mended = x.SQL[:day[0]] + "DATE " + x.SQL[day[0]:quote] + "INTERVAL " + x.SQL[quote:]
	}
	return p
}

var (
	untypedOperands = regexp.MustCompile(`^operator is not unique: unknown (\S+) unknown$`)
	dayBefore       = regexp.MustCompile(`'\d{4}-\d{1,2}-\d{1,2}'\s*$`)
	spanAfter       = regexp.MustCompile(`^[+-]\s*(` + span.String() + `)`)
)

// span is a span of time in quotes.
var span = regexp.MustCompile(`(?i)'\s*-?\d+\s*(second|minute|hour|day|week|month|year)s?\s*'`)

// foreignColumn is for words that are no columns, but mean something elsewhere.
func (x *queryError) foreignColumn() Plain {
	switch name := strings.ToLower(x.name()); {
	case name == "sysdate":
		return word(sqltext.FindWord(x.SQL, x.Offset))
	case name == "rownum":
		return Plain{
			"ROWNUM is another database's: LIMIT n at the end takes the first n rows, and row_number() OVER (ORDER " +
				"BY a) numbers them.", -1, "",
		}
	case sqltext.IsUnit(name), sqltext.CastType(name) != "": // an argument of a call
		return call(sqltext.FindHabit(x.SQL, x.Offset))
	}
	return Plain{Offset: -1}
}

// foreignType is for the types of casts.
func (x *queryError) foreignType() Plain {
	found := quotedMessage.FindStringSubmatch(x.Message)
	if found == nil || !strings.HasPrefix(x.Message, "type ") {
		return Plain{Offset: -1}
	}
	here := sqltext.CastType(found[1])
	if here == "" || strings.EqualFold(here, found[1]) {
		return Plain{Offset: -1}
	}
	p := Plain{fmt.Sprintf("%s is a type of another database: write %s.", found[1], here), -1, ""}
	if end := x.Offset + len(found[1]); x.Offset >= 0 && end <= len(x.SQL) &&
		strings.EqualFold(x.SQL[x.Offset:end], found[1]) {
		p.Mended = x.SQL[:x.Offset] + here + x.SQL[end:]
	}
	return p
}

// tablesAre says where the tables are to be seen, which other systems have commands for.
const tablesAre = "The tables and their columns stand under Tables beside the paper, and are printed by: examen " +
	"dataset show NAME."

// foreignCommand is for commands of other systems and of their programs, by their first word, or a line of their own.
func (x *queryError) foreignCommand() Plain {
	text := strings.TrimSpace(x.SQL)
	first, rest, _ := strings.Cut(text, " ")
	switch strings.ToUpper(strings.TrimRight(first, ";")) {
	case "DESCRIBE", "DESC", `\D`, `\DT`, `\D+`, ".TABLES", ".SCHEMA":
		return Plain{first + " is a command of another program. " + tablesAre, 0, ""}
	case "USE":
		p := Plain{
			"USE is another database's: a paper's queries run on its dataset by themselves. Leave it out.", 0, "",
		}
		if _, after, found := strings.Cut(rest, ";"); found && reads(after) {
			p.Mended = strings.TrimSpace(after)
		}
		return p
	}
	var kept []string
	for line := range strings.Lines(x.SQL) {
		if !strings.EqualFold(strings.TrimRight(strings.TrimSpace(line), ";"), "GO") {
			kept = append(kept, line)
		}
	}
	if without := strings.Join(kept, ""); without != x.SQL {
		p := Plain{"GO is another program's: a query ends with a semicolon, or with nothing. Leave it out.", -1, ""}
		if reads(without) {
			p.Mended = strings.TrimSpace(without)
		}
		return p
	}
	return Plain{Offset: -1}
}

func reads(sql string) bool {
	_, err := sqltext.ReadQuery(sql)
	return err == nil
}

// foreignSyntax is for what cannot be read, and could if it were written as it is here.
func (x *queryError) foreignSyntax() Plain {
	if p := x.foreignCommand(); p.Sentence != "" {
		return p
	}
	if sqltext.IsOuterMark(x.SQL, x.Offset) {
		return Plain{
			"(+) is another database's: the table whose rows may be missing is joined with LEFT JOIN table ON " +
				"condition, in FROM.", -1, "",
		}
	}
	if h := sqltext.FindHabit(x.SQL, x.Offset); h != nil && h.Mended != "" {
		return call(h)
	}
	if h := sqltext.FindWord(x.SQL, x.Offset); h != nil && h.Mended != "" && h.Word != "||" {
		return word(h)
	}
	return Plain{Offset: -1}
}

func call(h *sqltext.Habit) Plain {
	if h == nil {
		return Plain{Offset: -1}
	}
	says := "%s is not a function here: write %s."
	if sqltext.IsOtherHere(h.Word) {
		says = "%s does something else here: write %s."
	}
	return Plain{fmt.Sprintf(says, h.Word, h.Here), h.Offset, h.Mended}
}

func word(h *sqltext.Habit) Plain {
	if h == nil {
		return Plain{Offset: -1}
	}
	return Plain{fmt.Sprintf("%s is another database's: write %s.", h.Word, h.Here), h.Offset, h.Mended}
}
