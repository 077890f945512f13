package mutation

import (
	"cmp"
	"fmt"
	"maps"
	"math/big"
	"math/bits"
	"slices"
	"strconv"
	"strings"

	pg "github.com/pganalyze/pg_query_go/v6"

	"examen/internal/core/dataset"
	"examen/internal/core/sqltext"
)

// A Row is one that is proposed for a table: a value for each of the columns, nil for NULL.
type Row struct {
	Table   string    `json:"table"`
	Columns []string  `json:"columns"`
	Values  []*string `json:"values"`
}

// A Candidate is a set of rows that may tell mutations from an answer. It is to be tried.
type Candidate struct {
	Rows []Row
	// What says what is particular about them: "a hive with a strength of 8".
	What string
	// SQL inserts them.
	SQL string
}

// A Look runs a query on the dataset as it is, and returns its rows as text, so many at most.
type Look func(sql string, most int) ([][]*string, error)

// once is a look that runs each query once.
func once(look Look) Look {
	type answer struct {
		rows [][]*string
		err  error
	}
	known := map[string]answer{}
	return func(sql string, most int) ([][]*string, error) {
		key := fmt.Sprint(most, sql)
		a, is := known[key]
		if !is {
			a.rows, a.err = look(sql, most)
			known[key] = a
		}
		return a.rows, a.err
	}
}

// mostCandidates bounds what is proposed for one answer.
const mostCandidates = 1500

// Candidates proposes rows that may tell mutations from an answer: copies of rows that the answer keeps, with other
// keys, and one thing about them changed. A value is at a bound and on either side of it, NULL, in another letter case,
// or beyond all others; a row has no partner, or a twin; a group is new, of one row, or as large as a bound says. What
// foreign keys need is among the rows; other constraints may refuse them. The simplest come first.
func Candidates(
	q *sqltext.Query, mutations []*sqltext.Query, tables *dataset.Catalogue, look Look,
) ([]Candidate, error) {
	p := &proposer{
		survey: newSurvey(tables, q, mutations), tables: tables, look: once(look), seen: map[string]bool{},
	}
	from := []start{{last: true}, {}} // the end of what is kept, where LIMIT cuts, and its beginning
	for _, branch := range branches(q) {
		from = append(from, start{branch: branch})
	}
	for _, start := range from {
		if err := p.bases(q, start); err != nil {
			return nil, err
		}
		if err := p.propose(); err != nil {
			return nil, err
		}
	}
	slices.SortStableFunc(p.all, func(a, b Candidate) int { return len(a.Rows) - len(b.Rows) })
	return p.all[:min(len(p.all), mostCandidates)], nil
}

// A start says which row that an answer keeps is copied: the first, or the last, of those that meet a condition.
type start struct {
	last   bool
	branch *pg.Node // nil for none
}

// mostBranches is how many of the conditions that OR joins are looked at one by one.
const mostBranches = 4

// branches are conditions that are each true of the rows which one side of an OR in WHERE keeps, and no other.
func branches(q *sqltext.Query) (all []*pg.Node) {
	for _, c := range sqltext.Conjuncts(q.Tree().Stmts[0].Stmt.GetSelectStmt().GetWhereClause()) {
		b := c.GetBoolExpr()
		if b == nil || b.Boolop != pg.BoolExprType_OR_EXPR || len(b.Args) > mostBranches {
			continue
		}
		for i, arg := range b.Args {
			rest := boolExpr(pg.BoolExprType_OR_EXPR, slices.Delete(slices.Clone(b.Args), i, i+1)...)
			if len(b.Args) == 2 {
				rest = b.Args[1-i]
			}
			no := &pg.Node{Node: &pg.Node_BooleanTest{BooleanTest: &pg.BooleanTest{
				Arg: clone(rest), Booltesttype: pg.BoolTestType_IS_NOT_TRUE, Location: -1,
			}}}
			all = append(all, boolExpr(pg.BoolExprType_AND_EXPR, clone(arg), no))
		}
	}
	return all[:min(len(all), mostBranches)]
}

// proposer proposes rows for one answer.
type proposer struct {
	*survey
	tables *dataset.Catalogue
	look   Look
	seen   map[string]bool
	all    []Candidate
}

// bases finds a row for each part to start from.
func (p *proposer) bases(q *sqltext.Query, from start) error {
	for _, part := range p.parts {
		part.base = nil
	}
	if sql := p.witness(q, from); sql != "" {
		rows, err := p.look(sql, 1000)
		if err != nil {
			return err
		}
		if len(rows) > 0 {
			row := rows[len(rows)-1]
			for _, part := range p.parts {
				if part.top && len(row) >= len(part.table.Columns) {
					part.base, row = slices.Clone(row[:len(part.table.Columns)]), row[len(part.table.Columns):]
					if !slices.ContainsFunc(part.base, func(v *string) bool { return v != nil }) {
						part.base = nil // an outer join's row without a partner
					}
				}
			}
		}
	}
	for _, part := range p.parts {
		if part.base == nil {
			base, err := p.any(part.table)
			if err != nil {
				return err
			}
			part.base = base
		}
	}
	return nil
}

// any is some row of a table; of an empty one, what its types and foreign keys take.
func (p *proposer) any(t *dataset.Table) ([]*string, error) {
	rows, err := p.look(fmt.Sprintf("SELECT %s FROM %s LIMIT 1", columnsOf(t), t.SQLName), 1)
	if err != nil {
		return nil, err
	}
	if len(rows) > 0 {
		return rows[0], nil
	}
	row := make([]*string, len(t.Columns))
	for i, c := range t.Columns {
		if c.References != "" {
			table, column := cutLast(c.References)
			if of := p.tables.Table(table); of != nil && of.Name != t.Name {
				found, err := p.look(fmt.Sprintf("SELECT %s::text FROM %s LIMIT 1", sqltext.Quoted(column), of.SQLName),
					1)
				if err != nil {
					return nil, err
				}
				if len(found) > 0 {
					row[i] = found[0][0]
				}
			}
			continue
		}
		row[i] = first(kindOf(c.Type))
	}
	return row, nil
}

// cutLast cuts "table.column" at its last point.
func cutLast(s string) (table, column string) {
	at := strings.LastIndexByte(s, '.')
	return s[:max(at, 0)], s[at+1:]
}

// first is a value of a type; nil for none that is known.
func first(k kind) *string {
	v := map[family]string{
		integer: "1", number: "1", float: "1", text: "A", date: "2026-01-01", timestamp: "2026-01-01 12:00:00",
		boolean: "true",
	}[k.family]
	if v == "" {
		return nil
	}
	return &v
}

// A trial says which rows to make.
type trial struct {
	parts []*part           // that get a new row
	twins int               // how many further rows of the last part; of all parts with apart
	apart bool              // twins have partners of their own
	set   map[spot]*string  // columns with a value of their own; nil is NULL
	each  map[spot][]string // columns with a value of their own for the first and for each of its twins
	fresh bool              // what groups are made by is new, too
	what  string
}

// propose tries out what may be particular about a row.
func (p *proposer) propose() error {
	all := p.byReference()
	if err := p.totalled(all); err != nil {
		return err
	}
	for _, parts := range subsets(all) {
		name := "a new row of " + listed(parts)
		for _, fresh := range []bool{false, true} {
			if fresh && len(p.groups) == 0 {
				continue
			}
			for _, t := range []trial{
				{parts: parts, fresh: fresh, what: name},
				{parts: parts, fresh: fresh, twins: 1, what: name + ", and its like"},
				{parts: parts, fresh: fresh, twins: 1, apart: true, what: name + ", twice"},
			} {
				if err := p.make(t); err != nil {
					return err
				}
			}
			if len(parts) == 1 || len(parts) == len(all) || len(all) <= 3 {
				if err := p.marked(parts, fresh); err != nil {
					return err
				}
			}
		}
	}
	return p.sized(all)
}

// subsets are those of the parts that get new rows together: all that there are, of a few; of many, one, two, all but
// one, and all.
func subsets(all []*part) (some [][]*part) {
	for mask := 1; mask < 1<<min(len(all), 12); mask++ {
		n := bits.OnesCount(uint(mask))
		if len(all) > 4 && n > 2 && n < len(all)-1 {
			continue
		}
		var parts []*part
		for i, p := range all {
			if mask&(1<<i) != 0 {
				parts = append(parts, p)
			}
		}
		some = append(some, parts)
	}
	return some
}

// byReference are the parts, each behind those that its table refers to.
func (p *proposer) byReference() (all []*part) {
	refers := func(one, other *part) bool {
		return slices.ContainsFunc(one.table.Constraints, func(k dataset.Constraint) bool {
			return k.Kind == dataset.ForeignKey && k.Table == other.table.Name
		})
	}
	rest := slices.Clone(p.parts)
	for len(rest) > 0 {
		at := slices.IndexFunc(rest, func(one *part) bool {
			return !slices.ContainsFunc(rest, func(other *part) bool {
				return other != one && other.table != one.table && refers(one, other)
			})
		})
		at = max(at, 0) // they refer to each other in a circle
		all = append(all, rest[at])
		rest = slices.Delete(rest, at, at+1)
	}
	return all
}

func listed(parts []*part) string {
	var all []string
	for _, p := range parts {
		all = append(all, p.table.Name)
	}
	if len(all) < 3 {
		return strings.Join(all, " and ")
	}
	return strings.Join(all[:len(all)-1], ", ") + " and " + all[len(all)-1]
}

// marked gives each column of the parts that counts a value at, below and above what it is compared with, NULL, and
// others.
func (p *proposer) marked(parts []*part, fresh bool) error {
	for _, at := range p.told {
		if !slices.Contains(parts, at.part) || p.at(at) < 0 {
			continue
		}
		c := at.part.table.Column(at.column)
		values, err := p.values(at, *c)
		if err != nil {
			return err
		}
		if c.Nullable {
			values = append(values, nil)
		}
		for _, v := range values {
			what := fmt.Sprintf("a row of %s without %s", at.part.table.Name, withArticle(at.column))
			if v != nil {
				what = fmt.Sprintf("a row of %s with %s %s", at.part.table.Name, at.column, *v)
			}
			t := trial{parts: parts, fresh: fresh, set: map[spot]*string{at: v}, what: what}
			if err := p.make(t); err != nil {
				return err
			}
			t.twins, t.what = 1, what+", and its like"
			if len(p.groups) > 0 {
				if err := p.make(t); err != nil {
					return err
				}
			}
			if err := p.beside(trial{parts: parts, fresh: fresh, set: t.set, what: what}, at); err != nil {
				return err
			}
		}
	}
	return nil
}

// beside makes the same candidate with a further column of the row being what it is compared with: FILTER and CASE look
// at rows that the answer keeps anyway.
func (p *proposer) beside(t trial, at spot) error {
	for _, other := range p.told {
		if other.part != at.part || other == at {
			continue
		}
		for _, mark := range p.marks[other][:min(len(p.marks[other]), 2)] {
			set := maps.Clone(t.set)
			set[other] = &mark
			err := p.make(trial{
				parts: t.parts, fresh: t.fresh, set: set, what: fmt.Sprintf("%s and %s %s", t.what, other.column, mark),
			})
			if err != nil {
				return err
			}
		}
	}
	return nil
}

// at is the place of a column in its table; -1 where it has none.
func (p *proposer) at(of spot) int {
	return slices.IndexFunc(of.part.table.Columns, func(c dataset.Column) bool { return c.Name == of.column })
}

// values are those that a column may have to show a difference.
func (p *proposer) values(at spot, c dataset.Column) (all []*string, err error) {
	k := kindOf(c.Type)
	add := func(v string) {
		if v != "" && !slices.ContainsFunc(all, func(o *string) bool { return *o == v }) {
			all = append(all, &v)
		}
	}
	for _, mark := range p.marks[at] {
		if k.ordered() {
			add(k.moved(mark, 0))
			add(k.moved(mark, -1))
			add(k.moved(mark, 1))
			continue
		}
		for _, v := range texts(mark) {
			add(v)
		}
	}
	for _, total := range p.totals[at] {
		for _, steps := range []int64{0, -1, 1} {
			add(k.moved(total, steps))
		}
		add(k.half(total))
	}
	missing := at.part.base[p.at(at)] == nil
	if k.ordered() && (slices.Contains(p.order, at) || slices.Contains(p.groups, at) || missing) {
		ends, err := p.ends(at.part.table, c.Name)
		if err != nil {
			return nil, err
		}
		for i, end := range ends {
			if end != nil {
				add(k.moved(*end, []int64{-1, 1}[i]))
				add(*end)
			}
		}
	}
	if k.family == text && len(p.marks[at]) == 0 {
		if base := at.part.base[p.at(at)]; base != nil {
			add(strings.ToUpper(*base))
			add(*base + " II")
			add("A" + *base)
			add("Zz" + *base)
		} else if c.References == "" {
			add("A")
		}
		for _, v := range c.Values {
			add(v)
		}
	}
	if k.family == boolean {
		add("true")
		add("false")
	}
	return all, nil
}

// texts are texts that a comparison with a text, or a pattern, may decide on.
func texts(mark string) []string {
	inner := strings.Trim(mark, "%")
	one := strings.NewReplacer("%", "x", "_", "x").Replace(inner)
	all := []string{
		one, strings.ToUpper(one), strings.ToLower(one), "x" + one, one + "x", "x" + one + "x", one + "_", one + "%",
		strings.NewReplacer("%", "", "_", "").Replace(mark), strings.NewReplacer("%", "xx", "_", "xx").Replace(mark),
	}
	if r := []rune(one); len(r) > 0 {
		all = append(all, strings.ToUpper(string(r[0]))+string(r[1:]), strings.ToLower(string(r[0]))+string(r[1:]))
	}
	return all
}

// half is half of a number, if its type has it.
func (k kind) half(value string) string {
	at := numberOf(k, value)
	if at == nil || k.family != integer && k.family != number && k.family != float {
		return ""
	}
	half := at.Mul(at, big.NewRat(1, 2))
	if k.family == integer && !half.IsInt() {
		return ""
	}
	return half.FloatString(max(k.scale, 0))
}

// ends are a column's least and greatest values.
func (p *proposer) ends(t *dataset.Table, name string) ([]*string, error) {
	c := sqltext.Quoted(name)
	rows, err := p.look(fmt.Sprintf("SELECT min(%s)::text, max(%s)::text FROM %s", c, c, t.SQLName), 1)
	if err != nil || len(rows) == 0 {
		return nil, err
	}
	return rows[0], nil
}

// mostGroup is how large a group may be made.
const mostGroup = 130

// sized makes groups of as many rows as a bound says, and one fewer and more.
func (p *proposer) sized(all []*part) error {
	for _, bound := range p.counts {
		n, err := strconv.Atoi(bound)
		if err != nil || n > mostGroup {
			continue
		}
		for _, size := range []int{n - 1, n, n + 1, n + 20} {
			if size < 1 {
				continue
			}
			for first := range all {
				err := p.make(trial{
					parts: all[first:], fresh: true, twins: size - 1, what: fmt.Sprintf("a group of %d", size),
				})
				if err != nil {
					return err
				}
			}
		}
	}
	return nil
}

// totalled makes groups whose totals reach a bound, each by few rows: three that are in no order, one of a row that
// lacks something else, and one of two rows that differ in something else.
func (p *proposer) totalled(all []*part) error {
	var trials []trial
	for _, at := range p.told {
		if p.at(at) < 0 {
			continue
		}
		k := kindOf(at.part.table.Column(at.column).Type)
		for _, total := range p.totals[at] {
			beyond := func(steps int64) string { return k.moved(total, steps) }
			if beyond(0) == "" {
				continue
			}
			what := fmt.Sprintf("groups with a total %s of %s and more", at.column, total)
			trials = append(trials, trial{
				parts: all, fresh: true, twins: 2, apart: true, what: what,
				each: map[spot][]string{at: {beyond(2), beyond(3), beyond(1)}},
			})
			for _, other := range slices.Concat(p.told, p.groups) {
				if other.part != at.part || other == at || p.at(other) < 0 {
					continue
				}
				c := other.part.table.Column(other.column)
				if c.Nullable {
					most := beyond(1)
					trials = append(trials, trial{
						parts: all, fresh: true, set: map[spot]*string{at: &most, other: nil},
						what: fmt.Sprintf("%s, of a row without %s", what, withArticle(other.column)),
					})
				}
				base := other.part.base[p.at(other)]
				if base == nil || k.half(total) == "" {
					continue
				}
				if next := kindOf(c.Type).moved(*base, 1); next != "" {
					half := k.half(total)
					trials = append(trials, trial{
						parts: all, fresh: true, twins: 1,
						each: map[spot][]string{at: {half, half}, other: {*base, next}},
						what: fmt.Sprintf("%s, of two rows that differ in %s", what, other.column),
					})
				}
			}
		}
	}
	for _, t := range trials {
		if err := p.make(t); err != nil {
			return err
		}
	}
	return nil
}

// make makes the candidate that a trial says.
func (p *proposer) make(t trial) error {
	m := &making{proposer: p, trial: t, used: map[string]int{}}
	first, err := m.rows(t.parts, nil)
	if err != nil {
		return err
	}
	all := first
	for range t.twins {
		m.turn++
		again := t.parts[len(t.parts)-1:]
		if t.apart {
			again = t.parts
		}
		rows, err := m.rows(again, first)
		if err != nil {
			return err
		}
		all = append(all, rows...)
	}
	c := Candidate{What: t.what}
	for _, r := range all {
		c.Rows = append(c.Rows, r.Row)
		c.SQL += r.insert(p.tables) + ";\n"
	}
	if !p.seen[c.SQL] {
		p.seen[c.SQL] = true
		p.all = append(p.all, c)
	}
	return nil
}

// making is a candidate being made.
type making struct {
	*proposer
	trial
	used map[string]int // fresh values that were taken, by column
	turn int            // 0 makes the first, 1 its first twin
}

// A newRow is a part's.
type newRow struct {
	Row
	part *part
}

func (r *newRow) value(column string) *string { return r.Values[slices.Index(r.Columns, column)] }

func (r *newRow) put(column string, v *string) {
	if i := slices.Index(r.Columns, column); i >= 0 {
		r.Values[i] = v
	}
}

// rows makes a row for each part, linked to each other, and where a part has none among them to one of those before.
func (m *making) rows(parts []*part, before []*newRow) (all []*newRow, err error) {
	at := func(p *part) *newRow {
		for _, r := range slices.Concat(all, before) {
			if r.part == p {
				return r
			}
		}
		return nil
	}
	for _, p := range parts {
		r := &newRow{part: p, Row: Row{Table: p.table.Name}}
		for i, c := range p.table.Columns {
			r.Columns = append(r.Columns, c.Name)
			r.Values = append(r.Values, p.base[i])
		}
		if err := m.freshen(r, at(p)); err != nil {
			return nil, err
		}
		all = append(all, r)
	}
	for _, l := range m.links {
		m.join(l, at)
	}
	for spot, v := range m.set {
		if r := at(spot.part); r != nil && slices.Contains(all, r) {
			r.put(spot.column, v)
		}
	}
	for spot, values := range m.each {
		if r := at(spot.part); r != nil && slices.Contains(all, r) {
			r.put(spot.column, &values[m.turn])
		}
	}
	return all, nil
}

// join has the row that refers to another have its key.
func (m *making) join(l link, at func(*part) *newRow) {
	from, to := l.one, l.other
	refers := func(s spot) bool { return s.part.table.Column(s.column).References != "" }
	if refers(to) && !refers(from) {
		from, to = to, from
	}
	row := at(from.part)
	if row == nil {
		return
	}
	if other := at(to.part); other != nil {
		row.put(from.column, other.value(to.column))
		return
	}
	i := slices.IndexFunc(to.part.table.Columns, func(c dataset.Column) bool { return c.Name == to.column })
	if refers(from) && to.part.base[i] != nil {
		row.put(from.column, to.part.base[i])
	}
}

// freshen gives a row keys of its own, and with fresh, what it is grouped by: of a twin, what the first is grouped by.
func (m *making) freshen(r, first *newRow) error {
	t := r.part.table
	var fresh []string
	for _, k := range t.Constraints {
		if k.Kind != dataset.PrimaryKey && k.Kind != dataset.Unique {
			continue
		}
		own := slices.IndexFunc(k.Columns, func(name string) bool {
			c := t.Column(name)
			return c != nil && c.References == "" && !slices.Contains(fresh, name)
		})
		if own >= 0 && !slices.ContainsFunc(k.Columns, func(name string) bool { return slices.Contains(fresh, name) }) {
			fresh = append(fresh, k.Columns[own])
		}
	}
	for _, g := range m.groups {
		c := t.Column(g.column)
		switch {
		case !m.trial.fresh || g.part != r.part || c.References != "" || slices.Contains(fresh, g.column):
		case first != nil && !m.trial.apart:
			r.put(g.column, first.value(g.column))
		default:
			fresh = append(fresh, g.column)
		}
	}
	for _, name := range fresh {
		if first != nil && !m.trial.apart && r.part.grouped(m.groups, name) {
			v, err := m.nextTo(t, name, *cmp.Or(first.value(name), new(string)), 1)
			if err != nil {
				return err
			}
			if v != nil {
				r.put(name, v)
				continue
			}
		}
		v, err := m.freshValue(t, name, r.value(name))
		if err != nil {
			return err
		}
		if v != nil {
			r.put(name, v)
		}
	}
	return nil
}

// grouped tells that the rows of a part are grouped by a column.
func (p *part) grouped(by []spot, name string) bool { return slices.Contains(by, spot{p, name}) }

// freshValue is a value that a column does not have yet.
func (m *making) freshValue(t *dataset.Table, name string, base *string) (*string, error) {
	k := kindOf(t.Column(name).Type)
	key := t.Name + "." + name
	m.used[key]++
	n := m.used[key]
	grouped := m.trial.fresh && slices.ContainsFunc(m.parts, func(p *part) bool {
		return p.table == t && p.grouped(m.groups, name)
	})
	if k.ordered() {
		if base != nil && !grouped && (k.family == timestamp || k.scale > 0) {
			return m.nextTo(t, name, *base, n) // close to what it was, which the query's conditions keep
		}
		ends, err := m.ends(t, name)
		if err != nil {
			return nil, err
		}
		from := "0"
		if k.family == date || k.family == timestamp {
			from = "2026-01-01"
		}
		if len(ends) == 2 && ends[1] != nil {
			from = *ends[1]
		}
		steps := int64(n)
		if grouped && (k.family == date || k.family == timestamp) { // another month, too
			from, k = from[:min(len(from), 10)], kindOf("date")
			steps *= 40
		}
		v := k.moved(from, steps)
		if v == "" {
			return nil, nil
		}
		return &v, nil
	}
	if k.family != text {
		return nil, nil
	}
	return m.freshText(t, name, base, n)
}

// nextTo is a value close to another one that a column does not have.
func (m *making) nextTo(t *dataset.Table, name, base string, n int) (*string, error) {
	k := kindOf(t.Column(name).Type)
	for try := n; try < n+50; try++ {
		v := k.moved(base, int64(try))
		if v == "" {
			return nil, nil
		}
		taken, err := m.has(t, name, v)
		if err != nil || !taken {
			m.used[t.Name+"."+name] = try
			return &v, err
		}
	}
	return nil, nil
}

// has tells whether a column has a value.
func (m *making) has(t *dataset.Table, name, v string) (bool, error) {
	rows, err := m.look(fmt.Sprintf("SELECT 1 FROM %s WHERE %s = %s LIMIT 1", t.SQLName, sqltext.Quoted(name),
		literal(v)), 1)
	return len(rows) > 0, err
}

// freshText is a text that a column does not have: a counted one, or one as short as the column's type wants it.
func (m *making) freshText(t *dataset.Table, name string, base *string, n int) (*string, error) {
	length := 0
	if _, modifier, found := strings.Cut(t.Column(name).Type, "("); found {
		length, _ = strconv.Atoi(strings.TrimSuffix(modifier, ")"))
	}
	stem := "A"
	if base != nil {
		stem = *base
	}
	for try := n; try < n+50; try++ {
		v := fmt.Sprintf("%s %d", stem, try+1)
		if length > 0 && len(v) > length {
			digits := strconv.Itoa(try)
			if length < len(digits) {
				return nil, nil
			}
			v = ("ZYXWVUTS")[:min(length-len(digits), 8)] + digits
		}
		taken, err := m.has(t, name, v)
		if err != nil {
			return nil, err
		}
		if !taken {
			m.used[t.Name+"."+name] = try
			return &v, nil
		}
	}
	return nil, nil
}

func literal(v string) string { return "'" + strings.ReplaceAll(v, "'", "''") + "'" }

// insert writes the statement that inserts a row.
func (r *Row) insert(tables *dataset.Catalogue) string {
	t := tables.Table(r.Table)
	var columns, values []string
	overriding := ""
	for i, name := range r.Columns {
		c := t.Column(name)
		if strings.HasPrefix(c.Default, "generated: ") {
			continue
		}
		if c.Default == "generated as identity" {
			overriding = " OVERRIDING SYSTEM VALUE"
		}
		columns = append(columns, sqltext.Quoted(name))
		values = append(values, writtenValue(r.Values[i], kindOf(c.Type)))
	}
	return fmt.Sprintf("INSERT INTO %s (%s)%s VALUES (%s)", strings.TrimPrefix(t.SQLName, "public."),
		strings.Join(columns, ", "), overriding, strings.Join(values, ", "))
}

// writtenValue writes a value as SQL: numbers as they are, all else in quotes.
func writtenValue(v *string, k kind) string {
	if v == nil {
		return "NULL"
	}
	numbers := []family{integer, number, float}
	if _, err := strconv.ParseFloat(*v, 64); err == nil && slices.Contains(numbers, k.family) &&
		!strings.ContainsAny(*v, "nN") {
		return *v
	}
	return literal(*v)
}
