package explain

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"examen/internal/core/compare"
	"examen/internal/core/result"
	"examen/internal/core/sqltext"
)

// Kinds of likely causes.
const (
	CauseJoinCondition    = "cause-join-condition"     // tables stand side by side without a condition that joins them
	CauseAliasForColumn   = "cause-alias-for-column"   // a missing comma made a column's name an alias
	CauseTextForColumn    = "cause-text-for-column"    // a column's name in single quotes is a text
	CauseWithNull         = "cause-equals-null"        // = NULL
	CauseNotIn            = "cause-not-in-null"        // NOT IN with a NULL among the values
	CauseLikeExact        = "cause-like-wildcard"      // LIKE without a wildcard
	CauseOuterUndone      = "cause-outer-join-undone"  // WHERE takes out what an outer join kept
	CauseInnerJoin        = "cause-inner-join"         // rows without a partner are wanted
	CauseCountColumn      = "cause-count-column"       // count(column) where rows are to be counted
	CauseCountStar        = "cause-count-star"         // count(*) where values are to be counted
	CauseCountDistinct    = "cause-count-distinct"     // count(DISTINCT column) against count(column)
	CauseDivision         = "cause-integer-division"   //
	CauseGroupColumn      = "cause-group-column"       // groups that should be apart are counted as one
	CauseGroupSplit       = "cause-group-split"        // groups that belong together are counted apart
	CauseWhereForHaving   = "cause-where-for-having"   // a condition on rows where one on groups is wanted
	CauseDistinctMissing  = "cause-distinct-missing"   //
	CauseDistinctUnwanted = "cause-distinct-unwanted"  //
	CauseAndOr            = "cause-and-or"             // AND and OR without parentheses
	CauseBoundLeftOut     = "cause-bound-left-out"     // > for >=
	CauseBoundTaken       = "cause-bound-taken"        // >= for >
	CauseOuterJoin        = "cause-outer-join"         // rows without a partner are not wanted
	CauseNoLimit          = "cause-limit-or-condition" //
	CauseLimit            = "cause-limit"              //
	CauseNoCondition      = "cause-condition-missing"  //
	CauseFewConditions    = "cause-conditions-few"     //
	CauseManyConditions   = "cause-conditions-many"    //
	CauseDirection        = "cause-sort-direction"     // ascending for descending
	CauseNotSorted        = "cause-order-by-missing"   //
	CauseNullsPlace       = "cause-nulls-place"        // NULLs stand at the other end
)

// A LikelyCause is what may make a difference. It is one only where one of its edits, tried, brings the result nearer
// to what is expected.
type LikelyCause struct {
	Finding Finding
	Edits   func(sqltext.Edits) []string
}

// Vague tells that the cause leaves open which of several mistakes it is.
func (c LikelyCause) Vague() bool {
	return slices.Contains(
		[]string{CauseNoCondition, CauseFewConditions, CauseManyConditions, CauseNoLimit}, c.Finding.Kind,
	)
}

// Likely names causes that the query's text and the rows both point to, the likeliest first. It says nothing that is
// read off the accepted answer, which only the edits use.
func Likely(
	features sqltext.Features, findings []compare.Finding, facts compare.Facts, schema sqltext.Schema,
	accepted *sqltext.Query,
) []LikelyCause {
	l := &likely{Features: features, Facts: facts, schema: schema, accepted: accepted, kinds: map[compare.Kind]bool{}}
	for _, f := range findings {
		l.kinds[f.Kind] = true
	}
	var all []LikelyCause
	for _, cause := range []func() (kind, sentence string){
		l.joinCondition, l.aliasForColumn, l.textForColumn, l.withNull, l.notIn, l.likeExact, l.outerUndone,
		l.innerJoin, l.outerJoin, l.count, l.division, l.groupColumn, l.whereForHaving, l.distinct, l.bound,
		l.andOr, l.limit, l.conditions, l.sorting, l.nullsPlace,
	} {
		if kind, sentence := cause(); kind != "" {
			all = append(all, LikelyCause{
				Finding: Finding{Kind: kind, Sentence: sentence},
				Edits:   func(e sqltext.Edits) []string { return l.edits(kind, e) },
			})
		}
	}
	return all
}

// edits are the queries that would be right, or nearer to it, were a cause one.
func (l *likely) edits(kind string, e sqltext.Edits) []string {
	switch kind {
	case CauseJoinCondition:
		return e.JoinConditions()
	case CauseAliasForColumn:
		return e.ColumnForAlias()
	case CauseTextForColumn:
		return e.ColumnForText()
	case CauseWithNull:
		return e.NullTests()
	case CauseNotIn:
		return e.NotInWithoutNulls()
	case CauseLikeExact:
		return e.Wildcards()
	case CauseOuterUndone:
		return e.ConditionsInOn()
	case CauseInnerJoin:
		return e.Joins(true)
	case CauseOuterJoin:
		return e.Joins(false)
	case CauseCountColumn:
		return e.Counts(true, false)
	case CauseCountStar:
		return slices.Concat(e.CountsOfColumn(false), e.CountsOfColumn(true))
	case CauseCountDistinct:
		return slices.Concat(e.Counts(false, true), e.Counts(false, false))
	case CauseDivision:
		return e.NumericDivision()
	case CauseGroupColumn:
		return e.FurtherGroups()
	case CauseGroupSplit:
		return e.FewerGroups()
	case CauseDistinctMissing:
		return e.Distinct(true)
	case CauseDistinctUnwanted:
		return slices.Concat(e.Distinct(false), e.WithoutGroups())
	case CauseAndOr:
		return e.OrBeforeAnd()
	case CauseLimit:
		return slices.Concat(e.Limit(-1), e.Limit(l.Want))
	case CauseNoLimit:
		return e.Limit(l.Want)
	case CauseNoCondition, CauseFewConditions:
		return slices.Concat(e.WithConditionsOf(l.accepted), e.WithoutConditions())
	case CauseManyConditions:
		return e.WithoutConditions()
	case CauseDirection:
		return e.Directions()
	case CauseNullsPlace:
		return e.NullsElsewhere()
	}
	var all []string
	for _, c := range l.Comparisons {
		switch {
		case kind == CauseBoundLeftOut, kind == CauseBoundTaken:
			all = append(all, e.Bound(c)...)
		case kind == CauseWhereForHaving:
			for _, o := range l.Outputs {
				if o.Aggregate != "" && o.Argument == c.Expression {
					all = append(all, e.Having(o.Aggregate, c.Expression)...)
				}
			}
		}
	}
	return all
}

type likely struct {
	sqltext.Features
	compare.Facts
	schema   sqltext.Schema
	accepted *sqltext.Query
	kinds    map[compare.Kind]bool
}

// only tells that all findings are of the given kinds.
func (l *likely) only(kinds ...compare.Kind) bool {
	for k := range l.kinds {
		if !slices.Contains(kinds, k) {
			return false
		}
	}
	return len(l.kinds) > 0
}

func (l *likely) any(kinds ...compare.Kind) bool {
	return slices.ContainsFunc(kinds, func(k compare.Kind) bool { return l.kinds[k] })
}

var valueKinds = []compare.Kind{
	compare.ValuesDiffer, compare.ValuesFactor, compare.ValuesRounded, compare.ValuesCase, compare.ValuesSpaces,
	compare.ValuesNull, compare.ValuesDay, compare.ValuesConstant, compare.ValuesShifted,
}

func (l *likely) joinCondition() (string, string) {
	larger := l.Got > l.Want
	for _, p := range l.Pairs { // with GROUP BY the counts are too large instead
		larger = larger || magnitude(p.Got) > magnitude(p.Expected)
	}
	if l.Unjoined == nil || !larger {
		return "", ""
	}
	return CauseJoinCondition, fmt.Sprintf(
		"No condition joins %s: so every row of one table is combined with every row of the other. Say with ON (or "+
			"WHERE) which rows belong together.",
		plain(l.Unjoined),
	)
}

// tooSmall tells that aggregates, and nothing else, came out smaller than expected, as where rows are missing before
// they are aggregated.
func (l *likely) tooSmall() bool {
	return l.only(valueKinds...) && len(l.Pairs) > 0 && !slices.ContainsFunc(l.Pairs, func(p compare.CellPair) bool {
		return p.Column >= len(l.Outputs) || l.Outputs[p.Column].Aggregate == "" || p.Got != nil &&
			magnitude(p.Got) >= magnitude(p.Expected)
	})
}

// tooLarge tells that aggregates, and nothing else, came out larger than expected.
func (l *likely) tooLarge() bool {
	return len(l.Pairs) > 0 && !slices.ContainsFunc(l.Pairs, func(p compare.CellPair) bool {
		return p.Column >= len(l.Outputs) || l.Outputs[p.Column].Aggregate == "" ||
			magnitude(p.Got) <= magnitude(p.Expected)
	})
}

func (l *likely) aliasForColumn() (string, string) {
	if !l.kinds[compare.ColumnsMissing] {
		return "", ""
	}
	for _, o := range l.Outputs {
		if o.Bare && len(l.schema.With(o.Alias)) > 0 {
			return CauseAliasForColumn, fmt.Sprintf(
				"A comma is missing between %s and %s: without it %s becomes another name for the column %s.", o.Column,
				o.Alias, o.Alias, o.Column,
			)
		}
	}
	return "", ""
}

func (l *likely) textForColumn() (string, string) {
	cause := func(text string) (string, string) {
		return CauseTextForColumn, fmt.Sprintf(
			"'%s' in single quotes is a text value, the same for every row: a column is written without quotes, %s.",
			text, text,
		)
	}
	for i, o := range l.Outputs {
		if o.Text == "" || len(l.schema.With(o.Text)) == 0 {
			continue
		}
		ofAnotherType := l.kinds[compare.ColumnType] && i < len(l.Expected) && l.Expected[i].Family() != result.Text
		if ofAnotherType || slices.ContainsFunc(
			l.Pairs, func(p compare.CellPair) bool { return p.Column == i && string(p.Got) == o.Text },
		) {
			return cause(o.Text)
		}
	}
	for _, text := range l.Constants {
		if len(l.schema.With(text)) > 0 && l.only(compare.ResultEmpty, compare.RowsMissing, compare.RowsExtra) {
			return cause(text)
		}
	}
	return "", ""
}

func (l *likely) withNull() (string, string) {
	if l.WithNull == nil || !l.any(compare.ResultEmpty, compare.RowsMissing) && !l.tooSmall() {
		return "", ""
	}
	return CauseWithNull, "A comparison with NULL by = or <> is never true, not even for NULL itself: use IS NULL " +
		"or IS NOT NULL."
}

func (l *likely) notIn() (string, string) {
	if !l.NotIn || !l.kinds[compare.ResultEmpty] && !(l.tooSmall() && !slices.ContainsFunc(
		l.Pairs, func(p compare.CellPair) bool { return magnitude(p.Got) != 0 },
	)) {
		return "", ""
	}
	return CauseNotIn, "NOT IN is never true when there is a NULL among the values of its subquery: leave NULLs out " +
		"there (IS NOT NULL), or use NOT EXISTS."
}

func (l *likely) likeExact() (string, string) {
	if l.Exact == "" || !l.only(compare.ResultEmpty, compare.RowsMissing) && !l.tooSmall() {
		return "", ""
	}
	return CauseLikeExact, fmt.Sprintf(
		"LIKE '%s' has no wildcard, so it finds only that very text: %% stands for any characters, _ for one.", l.Exact,
	)
}

// partnerless tells that some rows, and none of others, have NULL or zero in one column, as rows of an outer join
// without a partner have.
func (l *likely) partnerless(rows, others []result.Row) bool {
	nothing := func(cell []byte) bool { return cell == nil || string(cell) == "0" }
	for c := range l.Columns {
		if !slices.ContainsFunc(rows, func(r result.Row) bool { return !nothing(r[c]) }) &&
			!slices.ContainsFunc(others, func(r result.Row) bool { return nothing(r[c]) }) {
			return len(rows) > 0
		}
	}
	return false
}

func (l *likely) missingPartnerless() bool {
	return l.only(compare.RowsMissing, compare.ResultEmpty) && l.partnerless(l.Missing, l.Present)
}

func (l *likely) outerUndone() (string, string) {
	if l.Undone == "" || !l.missingPartnerless() && !(l.MissingCount > 0 && l.ExtraCount == 0 &&
		l.any(compare.RowsMissing, compare.ResultEmpty) && l.Where == 1) {
		return "", ""
	}
	return CauseOuterUndone, fmt.Sprintf(
		"The outer join keeps rows without a partner in %s, but WHERE then tests a column of %s, which is NULL for "+
			"them: so they are taken out again. Put that condition into ON.",
		l.Undone, l.Undone,
	)
}

func (l *likely) innerJoin() (string, string) {
	if l.NullTested != "" && l.only(compare.ResultEmpty) && l.Outer == 0 {
		return CauseInnerJoin, fmt.Sprintf(
			"A join gives only rows that have a partner in %s, so none is left in which its columns are NULL. An "+
				"outer join (LEFT JOIN) keeps rows without a partner, with NULL in those columns.",
			l.NullTested,
		)
	}
	if l.Inner == 0 || l.Outer > 0 || !l.missingPartnerless() {
		return "", ""
	}
	return CauseInnerJoin, "Rows that have no partner in the other table are missing: a join leaves them out. An " +
		"outer join (LEFT JOIN) keeps them."
}

func (l *likely) outerJoin() (string, string) {
	if l.Outer == 0 || !l.only(compare.RowsExtra) || !l.partnerless(l.Extra, l.Present) {
		return "", ""
	}
	return CauseOuterJoin, "Rows that have no partner in the other table should not be included: an outer join " +
		"keeps them, JOIN alone leaves them out."
}

// count is for one column in which COUNT counts the wrong thing.
func (l *likely) count() (string, string) {
	if !l.only(valueKinds...) || len(l.Pairs) == 0 {
		return "", ""
	}
	column := l.Pairs[0].Column
	if column >= len(l.Outputs) || l.Outputs[column].Aggregate != "count" {
		return "", ""
	}
	fewer, more := true, true
	for _, p := range l.Pairs {
		got, want := magnitude(p.Got), magnitude(p.Expected)
		fewer = fewer && p.Column == column && got < want
		more = more && p.Column == column && got > want && (l.Outer == 0 || want == 0 && got == 1)
	}
	switch o := l.Outputs[column]; {
	case o.Argument == "": // an expression: nothing is known of it
	case fewer && o.Different:
		return CauseCountDistinct, fmt.Sprintf(
			"count(DISTINCT %s) counts each different value of %s once, however often it comes; without DISTINCT "+
				"each row counts.",
			o.Argument, o.Argument,
		)
	case fewer && o.Argument != "*":
		return CauseCountColumn, fmt.Sprintf(
			"count(%s) counts only the rows in which %s is not NULL; count(*) counts all rows.", o.Argument, o.Argument,
		)
	case more && o.Argument == "*" && l.Outer > 0:
		return CauseCountStar, "count(*) counts rows, also the one that an outer join makes where there is no " +
			"partner: count a column of the other table, which is NULL there."
	case more && o.Argument == "*":
		return CauseCountStar, "count(*) counts all rows, and fewer are to be counted here: count(column) leaves " +
			"out those in which the column is NULL, count(DISTINCT column) those that repeat a value."
	case more && !o.Different && l.aggregateAgrees(column):
		return CauseCountDistinct, fmt.Sprintf(
			"count(%s) counts every row in which %s is not NULL, also where a value comes again; count(DISTINCT %s) "+
				"counts each different value once.",
			o.Argument, o.Argument, o.Argument,
		)
	}
	return "", ""
}

// aggregateAgrees tells that another aggregate came out right: then the rows that are aggregated are the right ones.
func (l *likely) aggregateAgrees(column int) bool {
	for i, o := range l.Outputs {
		if i != column && o.Aggregate != "" && !slices.ContainsFunc(
			l.Pairs, func(p compare.CellPair) bool { return p.Column == i },
		) {
			return true
		}
	}
	return false
}

func (l *likely) division() (string, string) {
	if !l.only(valueKinds...) || len(l.Pairs) == 0 {
		return "", ""
	}
	column := l.Pairs[0].Column
	if column >= len(l.Outputs) || !l.Outputs[column].Divides || !slices.Contains(
		[]string{"integer", "bigint", "smallint"}, l.Columns[column].Type.Name,
	) {
		return "", ""
	}
	cut, zero := true, true // what is cut off at the end; a quotient that is cut to zero, and then multiplied
	for _, p := range l.Pairs {
		got, want := magnitude(p.Got), magnitude(p.Expected)
		known := p.Got != nil && p.Expected != nil && p.Column == column
		cut = cut && known && math.Trunc(want) == got
		zero = zero && known && got == 0 && want != 0
	}
	if !cut && !zero {
		return "", ""
	}
	return CauseDivision, "An integer divided by an integer gives an integer: what comes after the point is cut " +
		"off. Make one of them a decimal number first, as in 1.0 * a / b or a::numeric / b."
}

// groupColumn is for rows of the attempt that take together what are several rows, or that are split.
func (l *likely) groupColumn() (string, string) {
	switch {
	case l.Groups == 0 || len(l.Outputs) == 0 || l.MissingCount > int64(len(l.Missing)) ||
		l.ExtraCount > int64(len(l.Extra)):
	case l.MissingCount > l.ExtraCount && l.consist(l.Extra, l.Missing):
		return CauseGroupColumn, "Groups that should be apart are taken together, because they have the same values " +
			"in what GROUP BY names: group by a column, too, that tells them apart (a key)."
	case l.ExtraCount > l.MissingCount && l.Groups > 1 && l.consist(l.Missing, l.Extra):
		return CauseGroupSplit, "Groups that belong together are split, because GROUP BY names more than what makes " +
			"a group: each row of the result is a part of one that is expected."
	}
	return "", ""
}

// consist tells that each row of groups is put together of rows of parts, and some of several: what is not aggregated
// is the same, and counts and sums add up.
func (l *likely) consist(groups, parts []result.Row) bool {
	key := func(row result.Row) string {
		var b strings.Builder
		for i, o := range l.Outputs {
			if o.Aggregate == "" {
				fmt.Fprintf(&b, "%q ", row[i])
			}
		}
		return b.String()
	}
	counts := map[string]int{}
	sums := map[string]float64{}
	summed := slices.IndexFunc(
		l.Outputs,
		func(o sqltext.Output) bool { return !o.Different && (o.Aggregate == "count" || o.Aggregate == "sum") },
	)
	for _, p := range parts {
		k := key(p)
		counts[k]++
		if summed >= 0 {
			sums[k] += magnitude(p[summed])
		}
	}
	several := false
	for _, g := range groups {
		k := key(g)
		if counts[k] == 0 || summed >= 0 && math.Abs(sums[k]-magnitude(g[summed])) > 1e-9*math.Abs(sums[k]) {
			return false
		}
		several = several || counts[k] > 1
	}
	return several
}

func (l *likely) whereForHaving() (string, string) {
	if l.Having || !l.any(append(valueKinds, compare.RowsMissing, compare.RowsExtra, compare.ResultEmpty)...) {
		return "", ""
	}
	for _, c := range l.Comparisons {
		for i, o := range l.Outputs {
			if c.Having || o.Aggregate == "" || o.Argument != c.Expression || o.Aggregate == "min" ||
				o.Aggregate == "max" {
				continue
			}
			if l.kinds[compare.ResultEmpty] || l.smaller(i) {
				return CauseWhereForHaving, fmt.Sprintf("WHERE %s %s %s takes out single rows before they are put "+
					"into groups; a condition on %s(%s), for whole groups, stands in HAVING.",
					c.Expression, c.Operator, c.Value, o.Aggregate, o.Argument)
			}
		}
	}
	return "", ""
}

// smaller tells that an aggregate came out smaller than expected, or that groups are missing.
func (l *likely) smaller(column int) bool {
	for _, p := range l.Pairs {
		if p.Column == column {
			return magnitude(p.Got) < magnitude(p.Expected) || l.Outputs[column].Aggregate == "avg"
		}
	}
	return l.ExtraCount > 0 || l.MissingCount > 0
}

func (l *likely) distinct() (string, string) {
	switch {
	case l.any(compare.RowsRepeated, compare.RowsMultiplied) && l.SameSet && l.Compound && !l.Union:
		return CauseDistinctMissing, "Each expected row is there, but some come several times: UNION leaves " +
			"repeated rows out, UNION ALL keeps them."
	case l.any(compare.RowsRepeated, compare.RowsMultiplied) && l.SameSet && !l.Distinct && !l.Union && l.Groups == 0:
		if l.Inner+l.Outer > 0 {
			return CauseDistinctMissing, "Each expected row is there, but some come again for every partner that " +
				"the join finds: DISTINCT leaves repeated rows out, and so does asking with EXISTS instead of joining."
		}
		return CauseDistinctMissing, "Each expected row is there, but some come several times: DISTINCT leaves " +
			"repeated rows out."
	case l.kinds[compare.DuplicatesRemoved] && l.SameSet && l.Union:
		return CauseDistinctUnwanted, "UNION, INTERSECT and EXCEPT leave out rows that repeat others; with ALL they " +
			"stay."
	case l.kinds[compare.DuplicatesRemoved] && l.SameSet && l.Distinct:
		return CauseDistinctUnwanted, "DISTINCT leaves out rows that look alike, although they stand for different " +
			"things."
	case l.kinds[compare.DuplicatesRemoved] && l.SameSet && l.Groups > 0:
		return CauseDistinctUnwanted, "GROUP BY makes one row of those that look alike, although they stand for " +
			"different things."
	}
	return "", ""
}

// bound is for comparisons that take a value at their bound, or do not. The column has to be in the output, so that the
// rows show it.
func (l *likely) bound() (string, string) {
	for _, c := range l.Comparisons {
		column := slices.IndexFunc(l.Outputs, func(o sqltext.Output) bool { return o.Expression == c.Expression })
		if column < 0 {
			continue
		}
		atBound := func(rows []result.Row) bool {
			return len(rows) > 0 && !slices.ContainsFunc(rows, func(r result.Row) bool {
				return !equal(r[column], c.Value) && (c.Operator != "between" || !equal(r[column], c.High))
			})
		}
		switch {
		case (c.Operator == "<" || c.Operator == ">") && l.ExtraCount == 0 &&
			l.any(compare.RowsMissing, compare.ResultEmpty) && atBound(l.Missing):
			return CauseBoundLeftOut, fmt.Sprintf(
				"Only the rows at the bound are missing: %s %s %s leaves out %s itself.", c.Expression,
				c.Operator, c.Value, c.Value,
			)
		case (c.Operator == "<=" || c.Operator == ">=") && l.MissingCount == 0 && l.only(compare.RowsExtra) &&
			atBound(l.Extra):
			return CauseBoundTaken, fmt.Sprintf(
				"Only the rows at the bound should not be included: %s %s %s takes %s itself in.",
				c.Expression, c.Operator, c.Value, c.Value,
			)
		case c.Operator == "between" && l.MissingCount == 0 && l.only(compare.RowsExtra) && atBound(l.Extra):
			return CauseBoundTaken, fmt.Sprintf(
				"Only the rows at a bound should not be included: BETWEEN %s AND %s takes both bounds in.", c.Value,
				c.High,
			)
		}
	}
	return "", ""
}

func (l *likely) andOr() (string, string) {
	if l.AndOr == nil || !l.only(compare.RowsExtra, compare.RowsMissing) || l.ExtraCount == 0 {
		return "", ""
	}
	return CauseAndOr, "AND binds more strongly than OR: a OR b AND c means a OR (b AND c). Put parentheses around " +
		"what belongs together."
}

func (l *likely) limit() (string, string) {
	if l.Sorted && l.Limit >= 0 && l.Got == l.Want && l.Got == l.Limit &&
		l.only(compare.RowsExtra, compare.RowsMissing) && l.MissingCount > 0 {
		return l.otherEnd()
	}
	switch {
	case l.Limit < 0 || l.Got != l.Limit:
		return "", ""
	case l.only(compare.RowsExtra) && l.Leading && l.Want > 0:
		return CauseLimit, fmt.Sprintf("The first rows are those expected, but LIMIT %d lets more come.", l.Limit)
	case !l.only(compare.RowsMissing):
		return "", ""
	}
	return CauseLimit, fmt.Sprintf("LIMIT %d ends the result before all rows have come.", l.Limit)
}

// otherEnd is for a LIMIT that takes its rows from the wrong end of the order, or of none.
func (l *likely) otherEnd() (string, string) {
	if len(l.Sort) == 0 {
		return CauseNotSorted, "LIMIT takes the first rows that come, and without ORDER BY they come in any order: " +
			"say which shall stand first."
	}
	c := l.SortColumn
	if c < 0 || c >= len(l.Columns) || len(l.Present) > 0 {
		return "", ""
	}
	for i, m := range l.Missing {
		if i > 0 { // the expected rows go the other way
			first, second := m[c], l.Missing[i-1][c]
			if l.Sort[0] {
				first, second = second, first
			}
			if first == nil || second == nil || less(second, first) {
				return "", ""
			}
		}
		for _, e := range l.Extra {
			first, second := e[c], m[c] // as they stand in the attempt's order
			if l.Sort[0] {
				first, second = second, first
			}
			if first == nil || second == nil || !less(first, second) {
				return "", ""
			}
		}
	}
	if l.Sort[0] {
		return CauseDirection, "LIMIT takes the first rows, and DESC sorts in descending order: the largest come " +
			"first. Without DESC, or with ASC, the smallest do."
	}
	return CauseDirection, "LIMIT takes the first rows, and ORDER BY sorts in ascending order: the smallest come " +
		"first. With DESC behind it the largest do."
}

func (l *likely) conditions() (string, string) {
	// the rows that are right are not so by chance
	among := int64(len(l.Present)) == l.Want && l.Want > 1 || len(l.Present) > 100
	switch {
	case l.only(compare.RowsExtra) && l.Leading && among && len(l.Sort) > 0 && l.Limit < 0 &&
		!l.partnerless(l.Extra, l.Present):
		return CauseNoLimit, "The first rows are those expected, and others follow them: LIMIT ends the result " +
			"after so many rows, a condition (WHERE, or HAVING for groups) keeps the others out."
	case l.only(compare.RowsExtra) && among && l.Where == 0 && !l.Having && l.Inner+l.Outer == 0 && !l.Compound &&
		l.Limit < 0:
		return CauseNoCondition, "All expected rows are there, and others too; the query has no condition. WHERE " +
			"keeps only the rows for which it is true."
	case l.only(compare.RowsExtra) && among && l.Where > 0:
		return CauseFewConditions, "All expected rows are there, and others too: the conditions are too broad. Is " +
			"one missing, or does one take in too much?"
	case l.only(valueKinds...) && l.Where == 0 && !l.Having && !l.Compound && l.tooLarge():
		return CauseNoCondition, "More rows are counted or summed up than should be, and the query has no " +
			"condition: WHERE keeps only the rows for which it is true."
	case l.only(compare.RowsMissing) && l.Where > 1:
		return CauseManyConditions, fmt.Sprintf(
			"All rows that came are right, but others are missing: one of the %d conditions in WHERE is too narrow.",
			l.Where,
		)
	}
	return "", ""
}

func (l *likely) sorting() (string, string) {
	if !l.any(compare.RowOrder, compare.RowOrderReversed, compare.RowOrderKey, compare.RowOrderPartly) {
		return "", ""
	}
	switch {
	case len(l.Sort) == 0 && !l.kinds[compare.RowOrderPartly]:
		return CauseNotSorted, "The query has no ORDER BY: without it the rows come in any order."
	case l.kinds[compare.RowOrderReversed] && l.Sort[0]:
		return CauseDirection, "DESC sorts from the largest to the smallest; without it (or with ASC) the smallest " +
			"comes first."
	case l.kinds[compare.RowOrderReversed]:
		return CauseDirection, "ORDER BY sorts from the smallest to the largest; with DESC behind it the largest " +
			"comes first."
	case len(l.Sort) > 0:
		return CauseDirection, "The rows are ordered by what they should be, but one of the keys the wrong way: " +
			"each key of ORDER BY is ascending unless DESC stands behind it."
	}
	return "", ""
}

func (l *likely) nullsPlace() (string, string) {
	if len(l.Sort) == 0 || !l.any(
		compare.RowOrder, compare.RowOrderReversed, compare.RowOrderKey, compare.RowOrderPartly,
	) {
		return "", ""
	}
	return CauseNullsPlace, "The order is right but for the rows without a value (NULL): they come last, and with " +
		"DESC first, unless ORDER BY says NULLS FIRST or NULLS LAST."
}

// magnitude reads a number, zero for what is none.
func magnitude(cell []byte) float64 {
	x, _ := strconv.ParseFloat(string(cell), 64)
	return x
}

// less tells whether a cell is smaller than another, as numbers where both are, else as texts.
func less(a, b []byte) bool {
	x, errX := strconv.ParseFloat(string(a), 64)
	y, errY := strconv.ParseFloat(string(b), 64)
	if errX == nil && errY == nil {
		return x < y
	}
	return string(a) < string(b)
}

// equal tells whether a cell is the value of a constant, as a number or as a text.
func equal(cell []byte, value string) bool {
	if cell == nil {
		return false
	}
	if string(cell) == value || string(cell) == value+" 00:00:00" {
		return true
	}
	x, errX := strconv.ParseFloat(string(cell), 64)
	y, errY := strconv.ParseFloat(value, 64)
	return errX == nil && errY == nil && x == y
}

// plain writes names as people do, without quotes: a, b and c.
func plain(names []string) string {
	if len(names) < 2 {
		return strings.Join(names, "")
	}
	return strings.Join(names[:len(names)-1], ", ") + " and " + names[len(names)-1]
}
