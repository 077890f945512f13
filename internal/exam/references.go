package exam

import (
	"context"
	"fmt"

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
	flights  singleflight.Group
}

func newReferences(server *practice.Server) *references {
	known, _ := lru.New[string, *reference](2000) // fails only for a size below one
	return &references{practice: server, known: known}
}

// A reference is a reference answer run on one database.
type reference struct {
	compare.Reference
	keyTypes []result.Type
	sql      string // with the order keys added
	database string
	count    int64
	rows     []result.Row // nil where there are too many to keep
	kept     bool
	digests  *lru.Cache[string, *compare.Digest] // by the plan's readings, and the policy
}

// Bounds of what is kept of a reference's rows in memory, and of either side's rows to say how they differ.
const (
	keepRows  = 2_000
	keepBytes = 512 << 10
	pairRows  = 200_000
	pairBytes = 48 << 20
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
	ordering, err := q.Ordering()
	if err != nil {
		return nil, err
	}
	ref := &reference{sql: ordering.SQL, database: database}
	ref.digests, _ = lru.New[string, *compare.Digest](8)
	collect := &collector{rows: keepRows, bytes: keepBytes}
	ran, err := r.practice.Run(ctx, ref.run(), collect)
	if err != nil {
		return nil, err
	}
	all := collect.columns
	ref.Columns = all[:len(all)-ordering.Added]
	ref.Ordered = len(ordering.Keys) > 0
	for _, k := range ordering.Keys {
		at := -1
		switch {
		case k.Added > 0:
			at = len(ref.Columns) + k.Added - 1
		case k.Position > 0:
			at = k.Position - 1
		default:
			for i, c := range ref.Columns {
				if c.Name == k.Name {
					at = i
				}
			}
		}
		if at < 0 || at >= len(all) {
			return nil, fmt.Errorf("the reference answer is ordered by %q, which is none of its columns", k.Name)
		}
		ref.Keys = append(ref.Keys, at)
		ref.keyTypes = append(ref.keyTypes, all[at].Type)
	}
	ref.count = ran.Rows
	if ref.kept = !collect.over; ref.kept {
		ref.rows = collect.kept
	}
	return ref, nil
}

// run is how the reference is run: on a checking seat, so that it never waits for learners who wait for it.
func (ref *reference) run() practice.Run {
	return practice.Run{Learner: 0, Database: ref.database, Checking: true, SQL: ref.sql}
}

// digest returns the reference side's digest under a plan.
func (r *references) digest(ctx context.Context, ref *reference, plan *compare.Plan, policy compare.Policy) (*compare.Digest, error) {
	key := fmt.Sprint(plan.Readings(), policy.Order, policy.Once, policy.Fold, policy.Trim, policy.Strict)
	if policy.Decimals != nil {
		key += fmt.Sprint(*policy.Decimals)
	}
	if found, ok := ref.digests.Get(key); ok {
		return found, nil
	}
	digester := plan.Reference()
	if ref.kept {
		for _, row := range ref.rows {
			digester.Add(row)
		}
	} else if _, err := r.practice.Run(ctx, ref.run(), adding{digester}); err != nil {
		return nil, err
	}
	made := digester.Digest()
	ref.digests.Add(key, made)
	return made, nil
}

// allRows returns the reference's rows for pairing; ok is false where there are too many.
func (r *references) allRows(ctx context.Context, ref *reference) (rows []result.Row, ok bool, err error) {
	if ref.kept {
		return ref.rows, true, nil
	}
	collect := &collector{rows: pairRows, bytes: pairBytes}
	_, err = r.practice.Run(ctx, ref.run(), collect)
	return collect.kept, !collect.over, err
}

// adding is a sink that only digests.
type adding struct{ *compare.Digester }

func (adding) Columns([]result.Column) error { return nil }
func (a adding) Row(row result.Row) error    { a.Add(row); return nil }

// A collector is a sink that keeps rows, up to a bound.
type collector struct {
	rows, bytes int // how many to keep at most
	columns     []result.Column
	kept        []result.Row
	size        int
	over        bool // there were more; what is kept are the first
}

func (c *collector) Columns(columns []result.Column) error {
	c.columns = columns
	return nil
}

func (c *collector) Row(row result.Row) error {
	if c.over {
		return nil
	}
	size := 0
	for _, cell := range row {
		size += len(cell)
	}
	if len(c.kept) >= c.rows || c.size+size > c.bytes {
		c.over = true
		return nil
	}
	c.size += size
	buffer := make([]byte, 0, size)
	copied := make(result.Row, len(row))
	for i, cell := range row {
		if cell != nil {
			start := len(buffer)
			buffer = append(buffer, cell...)
			copied[i] = buffer[start:len(buffer):len(buffer)]
		}
	}
	c.kept = append(c.kept, copied)
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
	n := map[string]int{"sample": sampleRows, "rows": len(ref.rows)}[string(show)]
	for _, row := range ref.rows[:min(n, len(ref.rows))] {
		e.Expected.Rows = append(e.Expected.Rows, row[:width])
	}
}
