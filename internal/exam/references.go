package exam

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"
	"strconv"

	lru "github.com/hashicorp/golang-lru/v2"
	"golang.org/x/sync/singleflight"

	"examen/internal/core/compare"
	"examen/internal/core/result"
	"examen/internal/core/sqltext"
	"examen/internal/practice"
)

// references keeps what reference answers give, once for each build. Anything in it can be computed again.
type references struct {
	practice *practice.Server
	known    *lru.Cache[string, *reference]
	samples  *lru.Cache[string, *compare.Sample] // of large results, a few MB each
	flights  singleflight.Group
}

func newReferences(server *practice.Server) *references {
	known, _ := lru.New[string, *reference](2000) // fails only for a size below one
	samples, _ := lru.New[string, *compare.Sample](4)
	return &references{practice: server, known: known, samples: samples}
}

// A reference is a reference answer run on one database.
type reference struct {
	compare.Reference
	sql       string // with the order keys added; where there is a LIMIT, through the tie that it may cut
	database  string
	relations sqltext.Relations // that it may read from
	count     int64             // rows that count
	read      int64             // rows that sql gives
	rows      []result.Row      // all that sql gives; nil where there are too many to keep
	kept      bool
	digests   *lru.Cache[string, *compare.Digest] // by the plan's readings, and the policy
}

// Bounds of what is kept of a result's rows in memory while they come; beyond them the query is run again where the rows themselves are
// needed.
const (
	keepRows  = 2_000
	keepBytes = 512 << 10
)

// get returns a reference answer's columns, order and, where they are few, rows.
func (r *references) get(ctx context.Context, sql, database string) (*reference, error) {
	key := database + "\x00" + sql
	if found, ok := r.known.Get(key); ok {
		return found, nil
	}
	flight := r.flights.DoChan(key, func() (any, error) {
		made, err := r.make(context.WithoutCancel(ctx), sql, database)
		if err == nil {
			r.known.Add(key, made)
		}
		return made, err
	})
	select {
	case landed := <-flight:
		if landed.Err != nil {
			return nil, landed.Err
		}
		return landed.Val.(*reference), nil
	case <-ctx.Done():
		return nil, context.Cause(ctx)
	}
}

func (r *references) make(ctx context.Context, sql, database string) (*reference, error) {
	q, err := sqltext.ReadQuery(sql)
	if err != nil {
		return nil, err
	}
	ref, err := r.first(ctx, q, database, nil)
	if err != nil {
		return nil, err
	}
	loose, err := r.loose(ctx, ref)
	if err != nil {
		return nil, err
	}
	if loose != nil { // what ties is what the database takes for equal
		return r.first(ctx, q, database, loose)
	}
	return ref, nil
}

// first runs a reference answer for the first time, the order keys of the given numbers added as their rank.
func (r *references) first(ctx context.Context, q *sqltext.Query, database string, ranked []int) (*reference, error) {
	ordering, err := q.Ordering(ranked)
	if err != nil {
		return nil, err
	}
	ref := &reference{sql: ordering.SQL, database: database}
	if ref.relations, err = r.practice.Relations(ctx, database); serversFault(err) {
		return nil, err
	} // a build of an earlier version may not be readable so: less is then known of its numbers
	ref.digests, _ = lru.New[string, *compare.Digest](8)
	ref.Ordered = len(ordering.Keys) > 0
	if ordering.Limited {
		if err := r.limit(ctx, q.Text, ref, ordering); err != nil {
			return nil, err
		}
	}
	collect, err := r.collect(ctx, ref, ordering)
	if err == nil && ref.Window != nil && ref.sql != ordering.SQL && slices.ContainsFunc(ref.KeyColumns, inexactKey) {
		// Numbers that differ by rounding tie too, which the database does not know.
		ref.sql, ref.Keys, ref.KeyColumns = ordering.SQL, nil, nil
		collect, err = r.collect(ctx, ref, ordering)
	}
	if err != nil {
		return nil, err
	}
	if ref.count = ref.read; ref.Window != nil {
		ref.count = ref.Window.Rows(ref.read)
	}
	if ref.kept = !collect.over; ref.kept {
		ref.rows = collect.kept
	}
	return ref, nil
}

func inexactKey(c result.Column) bool {
	reading, _ := result.Pair(c.Type, c.Type, result.Options{Precision: c.Precision})
	return reading.Inexact()
}

// loose are the numbers of the order keys by which rows may tie although the keys' texts differ: of types whose equality is their own, and of texts where the
// database has collations of its own.
func (r *references) loose(ctx context.Context, ref *reference) (keys []int, err error) {
	collations := func() (bool, error) {
		found, err := r.practice.Run(ctx, practice.Run{Database: ref.database, Checking: true, SQL: "SELECT FROM pg_collation WHERE NOT collisdeterministic LIMIT 1"}, &collector{})
		return found.Rows > 0, err
	}
	asked, own := false, false
	for i, c := range ref.KeyColumns {
		if c.Type.Family() == result.Text && !c.Type.OwnEquality() && !asked {
			if own, err = collations(); err != nil {
				return nil, err
			}
			asked = true
		}
		if c.Type.OwnEquality() || own && c.Type.Family() == result.Text {
			keys = append(keys, i)
		}
	}
	return keys, nil
}

// limit finds out what LIMIT and OFFSET say, and has the query give all rows that tie with the last.
func (r *references) limit(ctx context.Context, sql string, ref *reference, ordering sqltext.Ordering) error {
	ask := &collector{rows: 1, bytes: 100}
	if _, err := r.practice.Run(ctx, practice.Run{Database: ref.database, Checking: true, SQL: ordering.Ask}, ask); err != nil {
		return err
	}
	negative := false
	number := func(cell []byte, none int64) int64 {
		if cell == nil {
			return none
		}
		n, _ := strconv.ParseInt(string(cell), 10, 64) // a bigint
		negative = negative || n < 0
		return n
	}
	ref.Window = &compare.Window{Skip: number(ask.kept[0][0], 0), Take: number(ask.kept[0][1], -1)}
	if negative { // the answer as it is written does not run, and the database says why
		_, err := r.practice.Run(ctx, practice.Run{Database: ref.database, Checking: true, SQL: sql}, &collector{})
		return err
	}
	w := ref.Window
	if w.Take > math.MaxInt64-w.Skip { // further than any result reaches
		w.Take = -1
	}
	if w.Take < 0 || !ref.Ordered {
		return nil
	}
	through, err := ordering.Through(w.Skip + w.Take)
	if ref.sql = through; ordering.Ties {
		w.Take = -1 // the query itself ends with the tie
	}
	return err
}

// collect runs the reference and reads its shape off the result.
func (r *references) collect(ctx context.Context, ref *reference, ordering sqltext.Ordering) (*collector, error) {
	collect := &collector{rows: keepRows, bytes: keepBytes}
	ran, err := r.practice.Run(ctx, ref.run(), collect)
	if err != nil {
		return nil, err
	}
	all := collect.columns
	if through, err := sqltext.ReadQuery(ref.sql); err == nil {
		precise(all, through, ref.relations)
	}
	ref.Columns, ref.read = all[:len(all)-ordering.Added], ran.Rows
	for _, k := range ordering.Keys {
		at := -1
		switch {
		case k.Added > 0:
			at = len(ref.Columns) + k.Added - 1
		case k.Position > 0:
			at = k.Position - 1
		default:
			at = slices.IndexFunc(ref.Columns, func(c result.Column) bool { return c.Name == k.Name })
		}
		if at < 0 || at >= len(all) {
			return nil, fmt.Errorf("the reference answer is ordered by %q, which is none of its columns", k.Name)
		}
		ref.Keys = append(ref.Keys, at)
		ref.KeyColumns = append(ref.KeyColumns, all[at])
	}
	return collect, nil
}

// precise says of a query's columns how exact their numbers are, by what they come of.
func precise(columns []result.Column, q *sqltext.Query, relations sqltext.Relations) {
	if !slices.ContainsFunc(columns, func(c result.Column) bool { return c.Type.Calculated() || c.Type.Family() == result.Text }) {
		return
	}
	origins := q.Origins(relations)
	for i := range columns {
		if i < len(origins) && len(origins) == len(columns) {
			o := origins[i]
			columns[i].Precision = result.Precision{Quotient: o.Quotient, Real: o.Real, SumOfReal: o.SumOfReal, Size: o.Size}
			columns[i].Collation = o.Collation
		}
	}
}

// largeRows is from how many rows on a result is a large one to the practice server.
const largeRows = 20_000

// run is how the reference is run: on a checking seat, so that it never waits for learners who wait for it.
func (ref *reference) run() practice.Run {
	return practice.Run{Learner: 0, Database: ref.database, Checking: true, SQL: ref.sql, Large: ref.read >= largeRows}
}

// digest returns the reference side's digest under a plan.
func (r *references) digest(ctx context.Context, ref *reference, plan *compare.Plan, policy compare.Policy) (*compare.Digest, error) {
	key := readingKey(plan, policy)
	if found, ok := ref.digests.Get(key); ok {
		return found, nil
	}
	enough := errors.New("no further row counts")
	digester := plan.Reference(ref.read)
	read := func(row result.Row) error {
		if digester.Add(row); digester.Past() {
			return enough
		}
		return nil
	}
	err := r.each(ctx, ref, read)
	if errors.Is(err, errAnew) {
		digester = plan.Reference(ref.read)
		err = r.each(ctx, ref, read)
	}
	if err != nil && !errors.Is(err, enough) {
		return nil, err
	}
	made := digester.Digest()
	ref.digests.Add(key, made)
	return made, nil
}

// readingKey tells apart the ways in which a reference's rows are read.
func readingKey(plan *compare.Plan, policy compare.Policy) string {
	key := fmt.Sprint(plan.Readings(), policy.Order, policy.Once, policy.Fold, policy.Trim, policy.Strict)
	if policy.Decimals != nil {
		key += fmt.Sprint(*policy.Decimals)
	}
	return key
}

// sample returns what is kept of a large reference's rows under a plan.
func (r *references) sample(ref *reference, plan *compare.Plan, policy compare.Policy) *compare.Sample {
	key := ref.database + "\x00" + ref.sql + "\x00" + readingKey(plan, policy)
	found, ok := r.samples.Get(key)
	if !ok {
		found = &compare.Sample{}
		r.samples.Add(key, found)
	}
	return found
}

// each yields the reference's rows, from memory or by running it again.
func (r *references) each(ctx context.Context, ref *reference, yield func(result.Row) error) error {
	if !ref.kept {
		_, err := r.practice.Run(ctx, ref.run(), yielding(yield))
		return err
	}
	for _, row := range ref.rows {
		if err := yield(row); err != nil {
			return err
		}
	}
	return nil
}

// errAnew ends a run that began anew when some of its rows had been handed on.
var errAnew = fmt.Errorf("%w: it lost the session in the middle of a result", practice.ErrUnavailable)

// yielding is a sink that hands the rows on.
func yielding(yield func(result.Row) error) practice.Sink { return &handing{yield: yield} }

type handing struct {
	yield  func(result.Row) error
	handed bool
}

func (h *handing) Columns([]result.Column) error {
	if h.handed {
		return errAnew
	}
	return nil
}

func (h *handing) Row(row result.Row) error {
	h.handed = true
	return h.yield(row)
}

// A collector is a sink that keeps rows, up to a bound.
type collector struct {
	rows, bytes int // how many to keep at most
	columns     []result.Column
	kept        []result.Row
	size        int
	over        bool // there were more; what is kept are the first
}

func (c *collector) Columns(columns []result.Column) error {
	c.columns, c.kept, c.size, c.over = columns, nil, 0, false
	return nil
}

func (c *collector) Row(row result.Row) error {
	if c.over {
		return nil
	}
	size := row.Size()
	if len(c.kept) >= c.rows || c.size+size > c.bytes {
		c.over = true
		return nil
	}
	c.size += size
	c.kept = append(c.kept, row.Clone())
	return nil
}

// Expected is as much of an expected result as an exercise shows.
type Expected struct {
	Columns []result.Column
	Count   *int64
	Rows    []result.Row
}

// sampleRows is how many rows `show: sample` shows.
const sampleRows = 3

// addExpected fills in what the exercise shows of its expected result. Where that cannot be found out now it shows less.
func (s *Service) addExpected(ctx context.Context, p *Paper, e *Exercise) {
	ref, err := s.references.get(ctx, e.Reference, p.Database)
	if err != nil {
		s.log.Warn("the reference answer cannot be run", "paper", p.Slug, "exercise", e.Slug, "error", err)
		return
	}
	e.Ordered = e.Checking.Policy.Order == compare.OrderStrict || e.Checking.Policy.Order == compare.OrderAuto && ref.Ordered
	width := len(ref.Columns)
	show := e.Checking.Show
	if show == "nothing" {
		return
	}
	e.Expected.Columns = ref.Columns
	if show == "count" || show == "sample" || show == "rows" {
		e.Expected.Count = &ref.count
	}
	rows := ref.rows
	if ref.Window != nil && rows != nil {
		rows = rows[min(int(ref.Window.Skip), len(rows)):]
		rows = rows[:ref.count]
	}
	n := map[string]int{"sample": sampleRows, "rows": len(rows)}[string(show)]
	for _, row := range rows[:min(n, len(rows))] {
		e.Expected.Rows = append(e.Expected.Rows, row[:width])
	}
}
