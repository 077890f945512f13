package explain

import (
	"fmt"
	"strings"

	"examen/internal/core/sqltext"
)

// syntax explains a text that cannot be read.
func (x *queryError) syntax() Plain {
	p := Plain{Offset: -1}
	switch m := x.Message; {
	case strings.Contains(
		m, "subquery must return only one column",
	), strings.Contains(m, "subquery has too many columns"):
		p.Sentence = "A subquery that stands for one value, or behind IN, has one column: leave the others out of " +
			"its SELECT."
	case strings.Contains(m, "same number of columns"):
		p.Sentence = "Both queries of a UNION, INTERSECT or EXCEPT need the same number of columns."
	case strings.Contains(m, "subquery in FROM must have an alias"):
		p.Sentence = "A subquery in FROM needs a name behind its parenthesis, as in FROM (SELECT ...) AS strong."
	case strings.Contains(m, "subquery has too few columns"):
		p.Sentence = "On the left of IN stand more values than the subquery has columns: there has to be a column " +
			"for each."
	case strings.HasPrefix(m, "there is no parameter"):
		p.Sentence = fmt.Sprintf(
			"%s is a placeholder, for which a program would give a value: write the value itself.",
			m[strings.LastIndexByte(m, ' ')+1:],
		)
	case strings.HasPrefix(m, "non-integer constant in "):
		return x.quotedKey(strings.TrimPrefix(m, "non-integer constant in "))
	case strings.Contains(m, "no tables specified"):
		p.Sentence = "The star stands for all columns of the tables in FROM, and there is no FROM."
	}
	if p.Sentence != "" {
		return p
	}
	repair := sqltext.DiagnoseSyntax(x.SQL, x.Message, x.Offset, x.isName)
	if repair == nil {
		if found := quotedMessage.FindStringSubmatch(x.Message); found != nil {
			p.Sentence = fmt.Sprintf("The error is at or just before %s.", quote(found[1]))
		}
		return p
	}
	p.Offset, p.Mended = repair.Offset, repair.Mended
	p.Sentence = ofMistake(repair)
	return p
}

// ofMistake says what a mistake is.
func ofMistake(r *sqltext.Diagnosis) string {
	switch r.Mistake {
	case sqltext.MistakeKeyword:
		return fmt.Sprintf("%s looks like a misspelt %s.", r.Word, r.Meant)
	case sqltext.MistakeComma:
		return fmt.Sprintf("Is a comma missing before %s?", r.Word)
	case sqltext.MistakeTrailingComma:
		if r.Word == "" {
			return "Extra comma: nothing follows it in the list."
		}
		return fmt.Sprintf("Extra comma before %s.", r.Word)
	case sqltext.MistakeSemicolon:
		return "A second statement begins here, without a semicolon before it. One query is expected: leave the " +
			"other out."
	case sqltext.MistakeReserved:
		return fmt.Sprintf(
			"%s is a word of SQL's own and cannot be a name as it is: choose another name, or put it in double quotes.",
			r.Word,
		)
	case sqltext.MistakeParenthesis:
		return "This parenthesis is opened and never closed."
	case sqltext.MistakeClosing:
		return "This parenthesis is closed, but none is open."
	case sqltext.MistakeQuote:
		return "A text begins with a single quote here and has no quote at its end. (A quote within a text is " +
			"written twice: 'it''s'.)"
	case sqltext.MistakeNameQuote:
		return "A name begins with a double quote here and has none at its end."
	case sqltext.MistakeComment:
		return "A comment begins with /* here and is never closed with */."
	case sqltext.MistakeEnd:
		return "The query is incomplete: something is missing at the end."
	case sqltext.MistakeClauseOrder:
		return fmt.Sprintf(
			"%s cannot stand here. The order is SELECT, FROM with its joins, WHERE, GROUP BY, HAVING, ORDER BY, LIMIT.",
			r.Word,
		)
	case sqltext.MistakeCase:
		return "This CASE has no END: CASE WHEN condition THEN value ELSE value END."
	case sqltext.MistakeDoubleOperator:
		return "Equality is written with one equals sign: =."
	case sqltext.MistakeOperator, sqltext.MistakeIs:
		if r.Mistake == sqltext.MistakeIs {
			return fmt.Sprintf("%s asks for NULL, TRUE or FALSE; other values are compared with %s.", r.Word, r.Meant)
		}
		return fmt.Sprintf("What is written %s elsewhere is %s in SQL.", r.Word, r.Meant)
	case sqltext.MistakeMissing:
		if r.Meant == "AND" {
			return fmt.Sprintf("Is AND (or OR) missing before %s?", r.Word)
		}
		return fmt.Sprintf("Is %s missing before %s?", r.Meant, r.Word)
	case sqltext.MistakeApostrophe:
		return "The text ends at this quote. A quote within a text is written twice, as in 'it''s'."
	case sqltext.MistakeOpening:
		return fmt.Sprintf("The text %s has a single quote at its end and none at its beginning.", r.Word)
	case sqltext.MistakeText:
		return fmt.Sprintf("Is %s a text value? Text values go in single quotes: '%s'.", r.Word, r.Word)
	case sqltext.MistakeNumber:
		return fmt.Sprintf("A number is written without commas, with a point before its decimals: not %s.", r.Word)
	case sqltext.MistakeInterval:
		return fmt.Sprintf("A span of time is written INTERVAL '%s'.", r.Word)
	case sqltext.MistakeStar:
		return fmt.Sprintf("What %s takes stands in parentheses: %s(*).", r.Word, r.Word)
	case sqltext.MistakeWindow:
		return "What follows OVER stands in parentheses: OVER (PARTITION BY a ORDER BY b)."
	case sqltext.MistakeTable:
		return "Behind JOIN the table comes first, then its condition: JOIN b ON b.a_id = a.a_id."
	case sqltext.MistakeName:
		return "After AS a name is missing."
	case sqltext.MistakeSubquery:
		if r.Word == "EXISTS" {
			return "EXISTS asks whether a subquery has a row: EXISTS (SELECT ... FROM ... WHERE ...)."
		}
		return "After AS the query of WITH stands in parentheses: WITH a AS (SELECT ...)."
	case sqltext.MistakeOn:
		return "This JOIN has no condition: say with ON which rows belong together, as in a JOIN b ON b.a_id = a.a_id."
	case sqltext.MistakeList:
		return "After IN the values stand in parentheses: IN ('a', 'b')."
	case sqltext.MistakeBetween:
		return "BETWEEN has AND between its two bounds: BETWEEN 1 AND 5."
	case sqltext.MistakePattern:
		return fmt.Sprintf("The pattern of LIKE is a text: it needs single quotes, '%s'.", r.Word)
	case sqltext.MistakeEarlyEnd:
		return "A semicolon ends the whole query: is a comma meant?"
	case sqltext.MistakeAlias:
		return fmt.Sprintf(
			"A column's new name that is more than one plain word stands in double quotes: \"%s\". (Single quotes "+
				"are for texts.)",
			r.Word,
		)
	case sqltext.MistakeTop:
		return fmt.Sprintf("The first %s rows are asked for at the end of the query: LIMIT %s.", r.Word, r.Word)
	case sqltext.MistakeLimitPair:
		return "LIMIT takes one number here; the rows to be left out before are said with OFFSET."
	case sqltext.MistakeChain:
		return "A comparison gives true or false, which is not compared once more: two comparisons are joined with " +
			"AND, as in a < b AND b < c."
	case sqltext.MistakeBackQuote, sqltext.MistakeBrackets:
		return fmt.Sprintf(
			"Back quotes and square brackets are another database's: a name stands as it is, %s, or in double "+
				"quotes where it holds capital letters or spaces.",
			r.Word,
		)
	case sqltext.MistakeNot:
		return fmt.Sprintf(
			"NOT stands before a whole condition, as in NOT a = b; what is written %s here is %s.", r.Word, r.Meant,
		)
	case sqltext.MistakeNulls:
		return "Behind NULLS stands FIRST or LAST: ORDER BY a NULLS LAST."
	case sqltext.MistakeDistinct:
		return "DISTINCT stands directly after SELECT, once, and counts for the whole row; within an aggregate it " +
			"stands in the parentheses, as in count(DISTINCT a)."
	case sqltext.MistakeBothWays:
		return "ASC and DESC exclude each other: leave one of them out."
	case sqltext.MistakeExtra:
		if r.Word == "," {
			return "There is an extra comma."
		}
		return fmt.Sprintf("There is an extra %s here.", r.Word)
	}
	return ""
}

// quotedKey is for a text where a column is meant in ORDER BY or GROUP BY.
func (x *queryError) quotedKey(clause string) Plain {
	p := Plain{Offset: -1, Sentence: "What stands in single quotes is a text, and the same for every row: " + clause +
		" names a column, without quotes."}
	if x.Offset < 0 || x.Offset >= len(x.SQL) || x.SQL[x.Offset] != '\'' {
		return p
	}
	name, after, closed := strings.Cut(x.SQL[x.Offset+1:], "'")
	if closed && x.isName(name) {
		p.Mended = x.SQL[:x.Offset] + name + after
	}
	return p
}
