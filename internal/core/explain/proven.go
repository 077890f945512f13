package explain

import (
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"examen/internal/core/mutation"
	"examen/internal/core/pack"
	"examen/internal/core/repair"
	"examen/internal/core/sqltext"
)

// A Cause is what makes a query's result differ.
type Cause struct {
	// Proven tells that the edits, together, give the accepted result wherever the query is checked. Otherwise the
	// cause is a likely one: its edit brings the result nearer.
	Proven bool `json:"proven,omitempty"`
	// Steps are one thing that is wrong, or two.
	Steps []Step `json:"steps"`
}

// A Step is one thing in a query that is wrong.
type Step struct {
	Kind     string        `json:"kind"` // as a finding's
	Clause   string        `json:"clause,omitempty"`
	Sentence string        `json:"sentence"`
	Edit     mutation.Edit `json:"edit"`
	// Start and End are the bytes of the submitted text that the edit replaces; Start is -1 where they are not known.
	Start int `json:"start"`
	End   int `json:"end"`
}

// A Stretch is a part of a query's text. Lines and columns count from 1, columns and the length in characters. The
// length is 0 where something is missing: the place is after the word before.
type Stretch struct {
	sqltext.Place
	Length int `json:"length"`
}

// CausePlace is the kind of a finding that tells only where a cause is.
const CausePlace = "cause-place"

// StepOf words an edit that was tried, of a query that begins at a byte of the submitted text. A finding of the same
// cause, which says more, may be given.
func StepOf(e repair.Edit, said Finding, at int) Step {
	s := Step{Kind: said.Kind, Clause: e.Clause, Sentence: said.Sentence, Edit: e.Change, Start: -1}
	if said.Kind == "" {
		s.Kind, s.Sentence = CausePrefix+string(e.Kind), kindSentence(e)
	}
	if e.Start >= 0 && at >= 0 {
		s.Start, s.End = at+e.Start, at+e.End
	}
	return s
}

// CausePrefix is how the kinds of causes begin.
const CausePrefix = "cause-"

// specials are the causes of patterns that say more of what an edit of another kind mends.
var specials = map[repair.Kind][]string{
	repair.Bound: {CauseBoundLeftOut, CauseBoundTaken}, repair.Pattern: {CauseLikeExact},
	repair.OtherColumn: {CauseTextForColumn}, repair.OutputMissing: {CauseAliasForColumn},
	repair.OnWhere: {CauseOuterUndone}, repair.ConditionMissing: {CauseJoinCondition},
	repair.Comparison: {CauseWithNull}, repair.Expression: {CauseDivision},
}

// SaysMore tells that the cause of a pattern says more of what an edit mends than its kind does.
func (c LikelyCause) SaysMore(e repair.Edit) bool {
	return !c.Vague() &&
		(c.Finding.Kind == CausePrefix+string(e.Kind) || slices.Contains(specials[e.Kind], c.Finding.Kind))
}

// Findings are those of a cause, with all that can be told of it; hint is how far it is told to the learner whose text
// it is, see [ToLearner].
func (c *Cause) Findings(hint pack.Hint, sql string) (all []Finding) {
	if c == nil {
		return nil
	}
	for _, s := range c.Steps {
		f := Finding{
			Kind: s.Kind, Sentence: s.Sentence, Proven: c.Proven, Where: s.where(sql), Clause: s.Clause, Hint: hint,
		}
		if s.Edit != (mutation.Edit{}) {
			f.Edit = &s.Edit
		}
		all = append(all, f)
	}
	return all
}

// ToLearner takes out of findings what a learner is not to be told.
func ToLearner(findings []Finding) []Finding {
	told := make([]Finding, 0, len(findings))
	for _, f := range findings {
		switch f.Hint {
		case pack.HintNone:
			continue
		case pack.HintClause:
			f.Kind, f.Sentence, f.Edit = CausePlace, "The difference comes from here.", nil
			if f.Clause != "" {
				f.Sentence = "The difference comes from " + f.Clause + ", here."
			}
		case pack.HintKind:
			f.Edit = nil
		}
		f.Hint, f.Clause = "", ""
		told = append(told, f)
	}
	return told
}

// where is the place of a step in the text as it was submitted. Where something is put in between two words, it is that
// after the one before; where that is a condition in a clause that stands there, the word with which it begins; where
// it is a column that became the name of another, that name.
func (s Step) where(sql string) *Stretch {
	if s.Start < 0 || s.End > len(sql) || s.Start > s.End {
		return nil
	}
	const space = " \t\r\n"
	marked := strings.TrimRight(sql[s.Start:s.End], space)
	start := s.Start + len(marked) - len(strings.TrimLeft(marked, space))
	marked = strings.TrimLeft(marked, space)
	if len(sqltext.Tokens(marked)) == 0 {
		marked = "" // a comment at most
	}
	if tokens := sqltext.Tokens(sql[:s.Start]); marked == "" && len(tokens) > 0 {
		last := tokens[len(tokens)-1]
		start = last.End
		if s.Kind == CauseAliasForColumn {
			start, marked = last.Start, sql[last.Start:last.End]
		}
		for _, t := range tokens {
			if strings.ToUpper(t.Text) == s.Clause && slices.Contains([]string{"WHERE", "HAVING", "ON"}, s.Clause) {
				start, marked = t.Start, sql[t.Start:t.End]
			}
		}
	}
	marked = clauseOnly(marked)
	return &Stretch{sqltext.PlaceAt(sql, start), utf8.RuneCountInString(marked)}
}

// clauseOnly is a text up to the next clause, where it begins with one: what is moved elsewhere is marked, not what
// it is moved over.
func clauseOnly(text string) string {
	begins := []string{"where", "having", "group", "order", "limit"}
	tokens := sqltext.Tokens(text)
	if len(tokens) == 0 || !slices.Contains(begins, tokens[0].Text) {
		return text
	}
	for i := 1; i < len(tokens); i++ {
		if slices.Contains(begins, tokens[i].Text) {
			return text[:tokens[i-1].End]
		}
	}
	return text
}

// kindSentence says what kind of mistake an edit mends, and nothing of what it puts in.
func kindSentence(e repair.Edit) string {
	about := plain(e.About)
	on := func(with, without string) string {
		if about == "" {
			return without
		}
		return fmt.Sprintf(with, about)
	}
	switch e.Kind {
	case repair.Condition:
		return "This condition is not the one that the task asks for."
	case repair.ConditionMissing:
		if strings.HasPrefix(strings.ToUpper(e.Change.Is), e.Clause+" ") { // it is put in as a whole
			return on("There is no "+e.Clause+": a condition on %s is missing.", "There is no "+e.Clause+
				": a condition is missing.")
		}
		return on("A condition is missing in "+e.Clause+", one on %s.", "A condition is missing in "+e.Clause+".")
	case repair.ConditionExtra:
		return "This condition leaves out rows that the task asks for."
	case repair.Comparison:
		return on("%s is compared the wrong way: look at the operator.", "The operator of this comparison is the "+
			"wrong one.")
	case repair.Bound:
		return "Whether the bound itself counts is the other way round: < and > leave the value out, <= and >= " +
			"take it in."
	case repair.Value:
		return on("%s is compared with another value than the task names.", "The task names another value.")
	case repair.Pattern:
		return "The pattern finds other texts than the task asks for: % stands for any characters, also none, and " +
			"_ for one."
	case repair.LetterCase:
		if e.Clause == "SELECT" {
			return "Capital and small letters count: the task asks for them otherwise here."
		}
		return "Capital and small letters are different letters to the database: lower(text) makes them alike, " +
			"and ILIKE takes either."
	case repair.Wildcard:
		return "= compares with the text as it stands, and % is a percent sign there: patterns are looked for " +
			"with LIKE."
	case repair.Null:
		return on(
			"Rows in which %s has no value are meant or ruled out here, and NULL equals nothing, neither an empty "+
				"text nor itself: use IS NULL or IS NOT NULL.",
			"NULL equals nothing, not even itself: use IS NULL or IS NOT NULL.",
		)
	case repair.NullTest:
		return on("The task asks whether %s has a value at all, not how large it is.", "The task asks whether there "+
			"is a value at all, not how large it is.")
	case repair.Negation:
		return "This condition has to hold the other way round: look at NOT."
	case repair.AndOr:
		return "The conditions are joined the wrong way: AND wants both, OR is content with one, and AND binds more " +
			"strongly than OR."
	case repair.AlternativeExtra:
		return "One of the conditions that OR joins lets in rows that the task does not ask for."
	case repair.AlternativeLacks:
		return "Rows that another condition lets in are asked for, too: OR joins the two."
	case repair.Itself:
		return on("Inside the subquery, %s means its own table's column, so it is compared with itself: the outer "+
			"table's column needs that table's name before it.", "A column is compared with itself here.")
	case repair.NotIn:
		return "NOT IN is never true where a NULL is among the values: leave NULLs out of the subquery, or use " +
			"NOT EXISTS."
	case repair.OtherColumn:
		return on("Another column is meant here than %s.", "Another column is meant here.")
	case repair.JoinKey:
		return "The tables are joined on columns that do not belong together: a foreign key and the key it refers " +
			"to do."
	case repair.JoinTurned:
		return "The join runs the other way round: each column is meant of the other table."
	case repair.JoinMissing:
		return "No condition says which rows of the tables belong together, so every row is combined with every other."
	case repair.JoinInner:
		return "JOIN leaves out rows that have no partner in the other table, and the task asks for them, too: an " +
			"outer join keeps them."
	case repair.JoinOuter:
		return "The outer join keeps rows that have no partner in the other table, and the task does not ask for them."
	case repair.JoinSide:
		return "An outer join keeps all rows of one of its sides: here it keeps those of the other one."
	case repair.OnWhere:
		return "A condition in ON decides which rows are partners, one in WHERE which rows stay, also after an outer " +
			"join: this one stands in the wrong one of them."
	case repair.TableMissing:
		return "A table is missing in FROM."
	}
	return kindSentenceOfRows(e, about, on)
}

// kindSentenceOfRows goes on with what is made of the rows that were chosen.
func kindSentenceOfRows(e repair.Edit, about string, on func(with, without string) string) string {
	switch e.Kind {
	case repair.TableExtra:
		return on("%s is joined and not needed: the join changes which rows come, or how often.", "A table is not "+
			"needed.")
	case repair.OtherTable:
		return on("The task is about another table than %s.", "The task is about another table.")
	case repair.WhereHaving:
		return "WHERE decides on single rows before they are grouped; a condition on whole groups stands in HAVING."
	case repair.GroupMissing:
		return on(
			"GROUP BY takes together what should be apart: what tells the groups apart is missing there (%s).",
			"GROUP BY takes together what should be apart.",
		)
	case repair.GroupExtra:
		return on("GROUP BY splits what belongs together: %s is not what makes a group.", "GROUP BY splits what "+
			"belongs together.")
	case repair.OtherGroup:
		return on("The groups are made by something else than %s.", "The groups are made by something else.")
	case repair.NotGrouped:
		return "The task asks for groups of rows, and these are single rows: GROUP BY puts rows together, and an " +
			"aggregate makes one value of each group."
	case repair.AggregateMissing:
		return "The task asks for one value of several rows: an aggregate (count, sum, avg, min, max) makes it."
	case repair.Aggregate:
		return "Another aggregate is meant here."
	case repair.CountRows:
		return "count(column) counts only the rows in which the column is not NULL; count(*) counts all rows."
	case repair.CountValues:
		return "count(*) counts every row, also one without a value: count(column) counts those in which the " +
			"column is not NULL."
	case repair.CountDistinct:
		return "count(column) counts a value as often as it comes, count(DISTINCT column) once: the other one is meant."
	case repair.Filter:
		return "The aggregate is taken of other rows than the task says: look at FILTER, or at its condition."
	case repair.Window:
		return "The window is not the one that is meant: look at PARTITION BY, ORDER BY and the frame in OVER."
	case repair.Function:
		return "Another function is meant here."
	case repair.Expression:
		return "This is computed otherwise than the task says."
	case repair.Rounding:
		return "This is rounded otherwise than the task says, or at another step."
	case repair.Case:
		return "A branch of CASE is not what the task says: the first whose condition is true counts."
	case repair.OutputMissing:
		return "SELECT lists too few columns."
	case repair.OutputExtra:
		return on("SELECT lists %s, which the task does not ask for.", "SELECT lists too many columns.")
	case repair.OutputOrder:
		return "The columns are the right ones in another order."
	case repair.DistinctMissing:
		return "Rows come several times that are wanted once: DISTINCT leaves repeated rows out."
	case repair.DistinctExtra:
		return "DISTINCT leaves out rows that look alike, although they stand for different things."
	case repair.SetOperation:
		return "UNION has the rows of either query, INTERSECT those of both, EXCEPT those of the first that the " +
			"second has not: another one is meant, or the queries the other way round."
	case repair.All:
		return "UNION, INTERSECT and EXCEPT leave out rows that repeat others; with ALL they stay: the other way " +
			"is meant."
	case repair.Direction:
		return "The order is the other way round: ORDER BY is ascending unless DESC stands behind the key."
	case repair.NotSorted:
		return "There is no ORDER BY: without it rows come in any order."
	case repair.OrderKey:
		return "The rows are ordered by something else than the task says."
	case repair.NullsPlace:
		return "Rows without a value (NULL) stand at the other end: they come last, and with DESC first, unless " +
			"NULLS FIRST or NULLS LAST says otherwise."
	case repair.Limit:
		return "LIMIT or OFFSET takes another number of rows than the task asks for."
	case repair.StatementMissing:
		return "A statement is missing that changes something."
	case repair.StatementExtra:
		return "This statement changes something that the task does not ask for."
	case repair.Statement:
		return "This statement is not yet what the task says."
	case repair.RowMissing:
		return "A row is missing among VALUES."
	case repair.RowExtra:
		return "A row among VALUES is one too many."
	case repair.Conflict:
		return "ON CONFLICT says what happens to a row whose key is there already: that is not what the task says."
	case repair.ColumnMissing:
		return "A column is missing in the table."
	case repair.ColumnExtra:
		return "The table has a column that the task does not ask for."
	case repair.Definition:
		return on("The column %s is not defined as the task says: look at its type and its constraints.",
			"A column is not defined as the task says.")
	case repair.ConstraintLacks:
		return on("The column %s takes values that the task rules out: a constraint is missing.",
			"A constraint of the table is missing.")
	case repair.ConstraintExtra:
		return "This constraint rules out what the task allows."
	case repair.Transaction:
		return "What belongs together stands in one transaction: BEGIN before it, COMMIT behind it."
	case repair.Clause:
		return "What stands in " + e.Clause + " is not yet what the task says."
	}
	return ""
}
