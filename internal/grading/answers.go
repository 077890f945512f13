package grading

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
	"examen/internal/core/panics"
	"examen/internal/core/result"
	"examen/internal/core/sqltext"
	"examen/internal/practice"
)

// answers keeps the results of accepted answers, one for each database. Anything in it can be computed again.
type answers struct {
	practice server
	seed     result.Seed
	kept     *byteCache[*answer]
	digests  *byteCache[*compare.Digest]         // by answer and how its rows are read
	samples  *lru.Cache[string, *compare.Sample] // of large results
	states   *byteCache[*expectedState]
	flights  singleflight.Group
}

// Bounds of what is kept, 170 MB in all: bytes of answers with their rows, bytes of digests, and samples, of which each
// takes 12 MB at most.
const (
	answersKept = 40 << 20
	digestsKept = 40 << 20
	samplesKept = 4
	statesKept  = 40 << 20
)

func newAnswers(server server, seed result.Seed) *answers {
	samples, _ := lru.New[string, *compare.Sample](samplesKept) // fails only for a size below one
	return &answers{
		practice: server,
		seed:     seed,
		kept:     newByteCache[*answer](answersKept),
		digests:  newByteCache[*compare.Digest](digestsKept),
		samples:  samples,
		states:   newByteCache[*expectedState](statesKept),
	}
}

// An answer is an accepted answer that was run on one database.
type answer struct {
	compare.Reference
	sql       string // with the order keys added; where there is a LIMIT, through the tie that it may cut
	database  string
	relations sqltext.Relations // that it may read from
	count     int64             // rows that count
	read      int64             // rows that sql gives
	rows      []result.Row      // all that sql gives; nil where there are too many to keep
	kept      bool
	// where the outputs come from of the queries that were compared with it last, by their texts
	origins *lru.Cache[string, []sqltext.Origin]
}

// originsKept is of how many queries an answer keeps them.
const originsKept = 16

// originsOf returns where a query's outputs come from, in the answer's database.
func (a *answer) originsOf(q *sqltext.Query) []sqltext.Origin {
	origins, ok := a.origins.Get(q.Text)
	if !ok {
		origins = q.Origins(a.relations)
		if len(q.Text) <= longestQuery {
			a.origins.Add(q.Text, origins)
		}
	}
	return origins
}

// size returns roughly how many bytes the answer takes in memory.
func (a *answer) size() int {
	size := 1<<10 + 2*len(a.sql)
	for _, row := range a.rows {
		size += row.Size() + 24*(len(row)+1)
	}
	return size
}

// Bounds of what is kept of a result's rows in memory while they come; beyond them the query is run again where the
// rows themselves are needed.
const (
	keepRows  = 2_000
	keepBytes = 512 << 10
)

// get returns the result of an accepted answer: its columns, its order and, if they are few, its rows.
func (r *answers) get(ctx context.Context, sql, database string) (*answer, error) {
	key := database + "\x00" + sql
	if found, ok := r.kept.get(key); ok {
		return found, nil
	}
	return once(ctx, &r.flights, key, func(ctx context.Context) (*answer, error) {
		made, err := r.load(ctx, sql, database)
		if err == nil {
			r.kept.add(key, made, made.size())
		}
		return made, err
	})
}

// once finds something for all who ask for it at the same time. It is found even where they have gone.
func once[T any](
	ctx context.Context, flights *singleflight.Group, key string, find func(context.Context) (T, error),
) (found T, err error) {
	flight := flights.DoChan(key, func() (any, error) {
		var found T
		err := panics.Caught(func() (err error) {
			found, err = find(context.WithoutCancel(ctx))
			return err
		})()
		return found, err
	})
	select {
	case landed := <-flight:
		if landed.Err != nil {
			return found, landed.Err
		}
		return landed.Val.(T), nil
	case <-ctx.Done():
		return found, context.Cause(ctx)
	}
}

func (r *answers) load(ctx context.Context, sql, database string) (*answer, error) {
	q, err := sqltext.ReadQuery(sql)
	if err != nil {
		return nil, err
	}
	a, err := r.first(ctx, q, database, nil)
	if err != nil {
		return nil, err
	}
	loose, err := r.loose(ctx, a)
	if err != nil {
		return nil, err
	}
	if loose != nil { // what ties is what the database takes for equal
		return r.first(ctx, q, database, loose)
	}
	return a, nil
}

// first runs an answer for the first time. The order keys with the given numbers are added as their rank.
func (r *answers) first(ctx context.Context, q *sqltext.Query, database string, ranked []int) (*answer, error) {
	ordering, err := q.Ordering(ranked)
	if err != nil {
		return nil, err
	}
	a := &answer{sql: ordering.SQL, database: database}
	a.Seed = r.seed
	a.origins, _ = lru.New[string, []sqltext.Origin](originsKept) // fails only for a size below one
	if a.relations, err = r.practice.Relations(ctx, database); ServersFault(err) {
		return nil, err
	} // a build of an earlier version may not be readable so: less is then known of its numbers
	a.Ordered = len(ordering.Keys) > 0
	if ordering.Limited {
		if err := r.limit(ctx, q.Text, a, ordering); err != nil {
			return nil, err
		}
	}
	rows, err := r.collect(ctx, a, ordering)
	if err == nil && a.Window != nil && a.sql != ordering.SQL && slices.ContainsFunc(a.KeyColumns, inexactKey) {
		// Numbers that differ by rounding tie too, which the database does not know.
		a.sql, a.Keys, a.KeyColumns = ordering.SQL, nil, nil
		rows, err = r.collect(ctx, a, ordering)
	}
	if err != nil {
		return nil, err
	}
	if a.count = a.read; a.Window != nil {
		a.count = a.Window.Rows(a.read)
	}
	if a.kept = !rows.Over; a.kept {
		a.rows = rows.Rows
	}
	return a, nil
}

func inexactKey(c result.Column) bool {
	reading, _ := result.Pair(c.Type, c.Type, result.Options{Precision: c.Precision})
	return reading.Inexact()
}

// loose returns the numbers of the order keys by which rows may tie although the keys' texts differ: keys of types with
// an equality of their own, and texts if the database has collations of its own.
func (r *answers) loose(ctx context.Context, a *answer) (keys []int, err error) {
	for i, c := range a.KeyColumns {
		own := c.Type.OwnEquality()
		if !own && c.Type.Family() == result.Text {
			if own, err = r.practice.OwnCollations(ctx, a.database); ServersFault(err) {
				return nil, err
			}
		}
		if own {
			keys = append(keys, i)
		}
	}
	return keys, nil
}

// limit evaluates LIMIT and OFFSET, and changes the query to return all rows that tie with the last.
func (r *answers) limit(ctx context.Context, sql string, a *answer, ordering sqltext.Ordering) error {
	ask := &practice.Collector{MostRows: 1, MostBytes: 100}
	if _, err := r.practice.Run(ctx, checkingRun(a.database, ordering.Ask), ask); err != nil {
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
	a.Window = &compare.Window{Skip: number(ask.Rows[0][0], 0), Take: number(ask.Rows[0][1], -1)}
	if negative { // the answer as it is written does not run, and the database says why
		_, err := r.practice.Run(ctx, checkingRun(a.database, sql), &practice.Collector{})
		return err
	}
	w := a.Window
	if w.Take > math.MaxInt64-w.Skip { // further than any result reaches
		w.Take = -1
	}
	if w.Take < 0 || !a.Ordered {
		return nil
	}
	through, err := ordering.Through(w.Skip + w.Take)
	if a.sql = through; ordering.Ties {
		w.Take = -1 // the query itself ends with the tie
	}
	return err
}

// checkingRun returns a run of an instructor's query, or of one of ours. It uses a checking seat, so that it never
// waits for learners who are themselves waiting for it.
func checkingRun(database, sql string) practice.Run {
	return practice.Run{Database: database, Checking: true, SQL: sql}
}

// collect runs the answer and derives its shape from the result.
func (r *answers) collect(ctx context.Context, a *answer, ordering sqltext.Ordering) (*practice.Collector, error) {
	rows := &practice.Collector{MostRows: keepRows, MostBytes: keepBytes}
	ran, err := r.practice.Run(ctx, a.run(), rows)
	if err != nil {
		return nil, err
	}
	all := rows.Columns
	if through, err := sqltext.ReadQuery(a.sql); err == nil {
		precise(all, through, a)
	}
	a.Columns, a.read = all[:len(all)-ordering.Added], ran.Rows
	for _, k := range ordering.Keys {
		at := -1
		switch {
		case k.Added > 0:
			at = len(a.Columns) + k.Added - 1
		case k.Position > 0:
			at = k.Position - 1
		default:
			at = slices.IndexFunc(a.Columns, func(c result.Column) bool { return c.Name == k.Name })
		}
		if at < 0 || at >= len(all) {
			return nil, fmt.Errorf("the accepted answer is ordered by %q, which is none of its columns", k.Name)
		}
		a.Keys = append(a.Keys, at)
		a.KeyColumns = append(a.KeyColumns, all[at])
	}
	return rows, nil
}

// precise records how exact the numbers in a query's columns are, judging by their sources.
func precise(columns []result.Column, q *sqltext.Query, a *answer) {
	if !slices.ContainsFunc(columns, func(c result.Column) bool {
		return c.Type.Calculated() || c.Type.Family() == result.Text
	}) {
		return
	}
	origins := a.originsOf(q)
	if len(origins) != len(columns) {
		return
	}
	for i, o := range origins {
		columns[i].Precision = result.Precision{
			Quotient:  o.Quotient,
			Real:      o.Real,
			SumOfReal: o.SumOfReal,
			Size:      o.Size,
		}
		columns[i].Collation = o.Collation
	}
}

// largeRows is the number of rows from which the practice server treats a result as large.
const largeRows = 20_000

// run returns the run of the answer.
func (a *answer) run() practice.Run {
	run := checkingRun(a.database, a.sql)
	run.Large = a.read >= largeRows
	return run
}

// digest returns the digest of an answer's rows under a plan.
func (r *answers) digest(ctx context.Context, a *answer, plan *compare.Plan, policy compare.Policy) (
	*compare.Digest, error,
) {
	key := a.readingKey(plan, policy)
	if found, ok := r.digests.get(key); ok {
		return found, nil
	}
	enough := errors.New("no further row counts")
	digester := plan.Reference(a.read)
	read := func(row result.Row) error {
		if digester.Add(row); digester.Past() {
			return enough
		}
		return nil
	}
	err := r.each(ctx, a, read)
	if errors.Is(err, practice.ErrAnew) {
		digester = plan.Reference(a.read)
		err = r.each(ctx, a, read)
	}
	if err != nil && !errors.Is(err, enough) {
		return nil, err
	}
	made := digester.Digest()
	r.digests.add(key, made, made.Size())
	return made, nil
}

// readingKey identifies an answer together with the way in which its rows are read.
func (a *answer) readingKey(plan *compare.Plan, policy compare.Policy) string {
	key := a.database + "\x00" + a.sql + "\x00" +
		fmt.Sprint(plan.Readings(), policy.Order, policy.Once, policy.Fold, policy.Trim, policy.Strict)
	if policy.Decimals != nil {
		key += fmt.Sprint(*policy.Decimals)
	}
	return key
}

// sample returns the kept sample of a large answer's rows under a plan.
func (r *answers) sample(a *answer, plan *compare.Plan, policy compare.Policy) *compare.Sample {
	key := a.readingKey(plan, policy)
	found, ok := r.samples.Get(key)
	if !ok {
		found = &compare.Sample{}
		r.samples.Add(key, found)
	}
	return found
}

// each yields the answer's rows, from memory or by running it again.
func (r *answers) each(ctx context.Context, a *answer, yield func(result.Row) error) error {
	if !a.kept {
		_, err := r.practice.Run(ctx, a.run(), practice.Each(yield))
		return err
	}
	for _, row := range a.rows {
		if err := yield(row); err != nil {
			return err
		}
	}
	return nil
}
