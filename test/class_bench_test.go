package test

import (
	"context"
	"crypto/sha256"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/jackc/pgx/v5/pgxpool"

	"examen/internal/client"
	"examen/internal/demo"
	"examen/test/whole"
)

// A term's records: courses of 500 learners, each of whom ran a query for all of 40 exercises and tried it once to four
// times, in the order of time. The chance in it is a hash of who and what: it is the same every time.
const (
	termSetUp = `
INSERT INTO paper (slug, pack, title, dataset_id, sections, published_at)
SELECT 'term', 'term', 'Term', dataset_id, '[]', now() FROM paper WHERE slug = 'first-look';
INSERT INTO exercise (paper_id, slug, number)
SELECT paper.id, 'e' || n, n FROM paper, generate_series(1, 40) AS n WHERE paper.slug = 'term';
INSERT INTO exercise_version (exercise_id, version, title, points, blocks, reference, checking)
SELECT exercise.id, 1, 'Exercise ' || number, 1, '[]', 'SELECT name FROM hive', other.checking
FROM exercise JOIN paper ON paper.id = paper_id, (SELECT checking FROM exercise_version LIMIT 1) AS other
WHERE paper.slug = 'term';
UPDATE exercise SET version_id = exercise_version.id FROM exercise_version
WHERE exercise_id = exercise.id AND exercise.version_id IS NULL;`

	termCourses = `
INSERT INTO course (slug, title) SELECT 'term-' || n, 'Term ' || n FROM generate_series($1::int, $2::int) AS n`
	termAccounts = `
INSERT INTO account (name, display_name, password)
SELECT 'term-learner-' || n, 'Term Learner ' || n, ''
FROM generate_series(1 + ($1::int - 1) * 500, $2::int * 500) AS n`
	termMembers = `
INSERT INTO member (course_id, account_id, role, group_name)
SELECT course.id, account.id, 'learner', 'Group ' || (n % 5)
FROM generate_series(1 + ($1::int - 1) * 500, $2::int * 500) AS n
JOIN account ON account.name = 'term-learner-' || n JOIN course ON course.slug = 'term-' || (1 + (n - 1) / 500)
UNION ALL
SELECT course.id, account.id, 'instructor', '' FROM generate_series($1::int, $2::int) AS n
JOIN course ON course.slug = 'term-' || n JOIN account ON account.name = 'hazel'`
	termPapers = `
INSERT INTO course_paper (course_id, paper_id)
SELECT course.id, paper.id FROM generate_series($1::int, $2::int) AS n
JOIN course ON course.slug = 'term-' || n JOIN paper ON paper.slug = 'term'`
	termWork = `
CREATE TEMP TABLE made AS
SELECT nextval('entry_id') AS id, work.*, tried.n,
       CASE WHEN tried.n = tries THEN 'correct' ELSE 'incorrect' END AS outcome,
       (abs(hashint8(account_id * 41 + exercise_id * 7 + tried.n)) % 30)::bigint AS differing,
       now() - interval '20 days' + work.number * interval '11 hours' + tried.n * interval '3 minutes'
           + (work.account_id % 600) * interval '1 minute' AS at
FROM (SELECT member.account_id, exercise.id AS exercise_id, member.course_id, exercise.number, version_id, build_id,
             1 + (abs(hashint8(member.account_id * 100 + exercise.number)) % 4) AS tries
      FROM generate_series($1::int, $2::int) AS c JOIN course ON course.slug = 'term-' || c
      JOIN member ON member.course_id = course.id AND member.role = 'learner'
      CROSS JOIN exercise JOIN paper ON paper.id = exercise.paper_id AND paper.slug = 'term'
      JOIN dataset ON dataset.id = paper.dataset_id) AS work
CROSS JOIN LATERAL generate_series(1, work.tries) AS tried (n)
ORDER BY at`
	termAttempts = `
INSERT INTO attempt (id, account_id, exercise_id, course_id, sql, received_at)
SELECT id, account_id, exercise_id, course_id,
       'SELECT name FROM hive WHERE strength > ' || differing || ' ORDER BY name -- ' || n, at
FROM made`
	termChecks = `
INSERT INTO attempt_check (attempt_id, version_id, build_id, outcome, mark, points, row_count, elapsed_ms, findings,
                           fingerprint, hidden_only, counted, differing, at)
SELECT id, version_id, build_id, outcome, (outcome = 'correct')::int, 1, 10, 2.5,
       CASE WHEN outcome = 'correct' THEN '[]'
            ELSE '[{"kind": "rows-extra", "sentence": "Your result has 12 rows; 3 of them should not be there."}]'
       END::jsonb,
       decode(md5(differing || outcome), 'hex'), false, true,
       CASE WHEN outcome = 'correct' THEN 0 ELSE differing END, at
FROM made`
	termRuns = `
INSERT INTO run (account_id, exercise_id, paper_id, course_id, build_id, sql, at, outcome, row_count, elapsed_ms)
SELECT account_id, exercise_id, exercise.paper_id, course_id, build_id,
       'SELECT name FROM hive WHERE strength > ' || differing || ' LIMIT ' || n, at - interval '1 minute', 'done', 10,
       2.5
FROM made JOIN exercise ON exercise.id = exercise_id WHERE n = 1`
	termStandings = `
INSERT INTO standing (account_id, exercise_id, course_id, counts_id, latest_id, outcome, computed, attempts, used,
                      hidden_only, last_at, nearest, stuck, solved_at, tries, worked)
SELECT account_id, exercise_id, course_id, max(id), max(id), 'correct', 1, count(*), count(*),
       0, max(at), 0, 0, max(at), count(*), 180 * count(*)
FROM made GROUP BY account_id, exercise_id, course_id`
)

// fillTerm makes the records of some courses, and returns how many attempts they have.
func fillTerm(b *testing.B, records *pgxpool.Pool, from, to int) (attempts int) {
	b.Helper()
	conn, err := records.Acquire(ctx) // what is made stands in a table of the session
	if err != nil {
		b.Fatal(err)
	}
	defer conn.Release()
	for _, sql := range []string{
		termCourses, termAccounts, termMembers, termPapers, termWork, termAttempts, termChecks, termRuns,
		termStandings,
	} {
		args := []any{from, to}
		if strings.Contains(sql, "FROM made") {
			args = nil
		}
		if _, err := conn.Exec(ctx, sql, args...); err != nil {
			b.Fatalf("%v\n%s", err, sql)
		}
	}
	if err := conn.QueryRow(ctx, "SELECT count(*) FROM made").Scan(&attempts); err != nil {
		b.Fatal(err)
	}
	for _, sql := range []string{"DROP TABLE made", "VACUUM ANALYZE"} {
		if _, err := conn.Exec(ctx, sql); err != nil {
			b.Fatal(err)
		}
	}
	return attempts
}

// termCalls are what an instructor looks at, and how long it may take.
var termCalls = []struct {
	name, path string
	most       time.Duration
}{
	{"grid", "/api/papers/term/progress?course=term-1&first=40", 100 * time.Millisecond},
	{"exercise", "/api/papers/term/exercises/5/class?course=term-1", 100 * time.Millisecond},
	{"timeline", "/api/history?learner=term-learner-77&paper=term&limit=100", 100 * time.Millisecond},
	{"search", "/api/history?text=strength%20%3E%2017%20ORDER&limit=50", 100 * time.Millisecond},
	{"workbook", "/api/papers/term/marks?course=term-1&format=xlsx", 2 * time.Second},
}

// What an instructor looks at, in the records of 10,000 learners with 1,000,000 attempts, against the same with a tenth
// of them. The figures are the ratios; the least of several calls counts. No call reads attempts, runs or checks from
// one end to the other.
func BenchmarkALargeTerm(b *testing.B) {
	folder := whole.DataDir(b)
	s, err := whole.Begin("demo", "--data-dir", folder, "--limit-calls", "100000")
	if err != nil {
		b.Fatal(err)
	}
	defer s.Stop()
	records := whole.Superuser(b, folder, "records", "postgres")
	if _, err := records.Exec(ctx, termSetUp); err != nil {
		b.Fatal(err)
	}
	teacher := whole.As(b, s.URL, demo.InstructorName, demo.InstructorPassword)
	look := func() (took []time.Duration) {
		for _, call := range termCalls {
			least := time.Hour
			for range 7 {
				least = min(least, timed(b, teacher, s.URL+call.path))
			}
			took = append(took, least)
		}
		return took
	}
	for range b.N {
		fewer := fillTerm(b, records, 1, 2)
		small := look()
		more := fewer + fillTerm(b, records, 3, 20)
		before := scans(b, records)
		large := look()
		for i, call := range termCalls {
			b.Logf("%s: %v with %d attempts, %v with %d", call.name, small[i], fewer, large[i], more)
			b.ReportMetric(float64(large[i])/float64(small[i]), call.name+"-ratio")
			if large[i] > call.most {
				b.Errorf("%s took %v, more than %v", call.name, large[i], call.most)
			}
		}
		time.Sleep(2 * time.Second) // until every session has told its statistics
		if after := scans(b, records); after != before {
			b.Errorf("attempts, runs and checks were read from end to end %d times", after-before)
		}
	}
	b.ReportMetric(0, "ns/op")
}

// timed is how long a call takes, to its last byte.
func timed(b *testing.B, c *client.Client, url string) time.Duration {
	b.Helper()
	request, err := http.NewRequestWithContext(ctx, http.MethodGet, url, nil)
	if err != nil {
		b.Fatal(err)
	}
	for _, edit := range c.RequestEditors {
		if err := edit(ctx, request); err != nil {
			b.Fatal(err)
		}
	}
	begun := time.Now()
	answer, err := http.DefaultClient.Do(request)
	if err != nil {
		b.Fatal(err)
	}
	defer func() { _ = answer.Body.Close() }()
	if _, err := io.Copy(io.Discard, answer.Body); err != nil || answer.StatusCode != 200 {
		b.Fatalf("%s: %s, %v", url, answer.Status, err)
	}
	return time.Since(begun)
}

// scans is how often attempts, runs or checks were read from end to end.
func scans(b *testing.B, records *pgxpool.Pool) (n int) {
	b.Helper()
	if err := records.QueryRow(
		ctx, "SELECT sum(seq_scan) FROM pg_stat_user_tables WHERE relname IN ('attempt', 'run', 'attempt_check')",
	).Scan(&n); err != nil {
		b.Fatal(err)
	}
	return n
}

// How many submit before a paper is due, how often each, and within what time; and how many watch the grid.
const (
	atTheDeadline = 500
	submitsEach   = 4
	lastMinute    = time.Minute
	watching      = 20
)

// A class at the deadline: 500 learners submit in the last minute, at random moments, while the grid is open on twenty
// pages. The figure is the 99th percentile of how long a submission takes, as a ratio to that of one learner alone; no
// submission is refused, and none is lost.
func BenchmarkTheDeadline(b *testing.B) {
	teacher := whole.Hazel(b)
	if _, err := client.Loaded(ctx, teacher, whole.Scripts(map[string]string{
		"pack.yaml": "pack: bench\ntitle: Bench\npapers: [paper.md]\n", "paper.md": benchPaper,
	})); err != nil {
		b.Fatal(err)
	}
	if _, err := client.Read[client.Course](
		teacher.CreateCourse(ctx, client.NewCourse{Slug: "deadline", Title: "Deadline"}),
	); err != nil {
		b.Fatal(err)
	}
	if _, err := client.Read[client.CoursePaper](
		teacher.SetPaper(ctx, "deadline", "bench", client.PaperSetting{}),
	); err != nil {
		b.Fatal(err)
	}
	records := whole.Superuser(b, whole.SharedFolder, "records", "postgres")
	learners := loggedInAtOnce(b, records, atTheDeadline)
	submits := func(c *client.Client) time.Duration {
		begun := time.Now()
		a, err := client.Read[client.Attempt](c.Submit(ctx, "bench", "strong", client.Submission{Sql: benchWork}))
		if err != nil || a.Outcome != client.Correct {
			b.Errorf("refused: %v %s", err, a.Outcome)
		}
		return time.Since(begun)
	}
	for b.Loop() {
		var alone []time.Duration
		for range 200 {
			alone = append(alone, submits(learners[0]))
		}
		watched, stop := context.WithCancel(ctx)
		var told atomic.Int64
		var all, watchers sync.WaitGroup
		for range watching {
			watchers.Go(func() {
				_ = client.Watch(watched, teacher, "bench", "deadline", func(client.ProgressNews) { told.Add(1) })
			})
		}
		var mu sync.Mutex
		var together []time.Duration
		chance := rand.New(rand.NewPCG(16, 500))
		for _, c := range learners {
			var moments []time.Duration
			for range submitsEach {
				moments = append(moments, time.Duration(chance.Int64N(int64(lastMinute))))
			}
			slices.Sort(moments)
			begun := time.Now()
			all.Go(func() {
				for _, at := range moments {
					time.Sleep(time.Until(begun.Add(at)))
					took := submits(c)
					mu.Lock()
					together = append(together, took)
					mu.Unlock()
				}
			})
		}
		all.Wait()
		stop()
		watchers.Wait()
		b.Logf("99th percentile: %v alone, %v of %d at the deadline; %d pages were told %d times",
			percentile(alone), percentile(together), len(together), watching, told.Load())
		b.ReportMetric(float64(percentile(together))/float64(percentile(alone)), "p99-ratio")
		var stored int
		if err := records.QueryRow(ctx, `SELECT count(*) FROM attempt JOIN course ON course.id = course_id
			WHERE course.slug = 'deadline'`).Scan(&stored); err != nil || stored%(len(alone)+len(together)) != 0 {
			b.Errorf("%d are stored (%v), %d were submitted", stored, err, len(alone)+len(together))
		}
	}
	b.ReportMetric(0, "ns/op")
}

// percentile is the 99th.
func percentile(all []time.Duration) time.Duration {
	sorted := slices.Sorted(slices.Values(all))
	return sorted[len(sorted)*99/100]
}

// loggedInAtOnce makes learners of the course with sessions: as many log-ins would take longer than what is measured.
func loggedInAtOnce(b *testing.B, records *pgxpool.Pool, n int) (all []*client.Client) {
	b.Helper()
	transport := &http.Transport{MaxIdleConnsPerHost: n}
	for i := range n {
		token := fmt.Sprintf("deadline-token-%d", i)
		hash := sha256.Sum256([]byte(token))
		if _, err := records.Exec(ctx, `
			WITH made AS (INSERT INTO account (name, display_name, password) VALUES ($1, $1, '') RETURNING id),
			     joined AS (INSERT INTO member (course_id, account_id, role)
			                SELECT course.id, made.id, 'learner' FROM made, course WHERE course.slug = 'deadline')
			INSERT INTO session (token_hash, account_id, kind, csrf_token, expires_at)
			SELECT $2, made.id, 'bearer', '', now() + interval '1 day' FROM made`,
			fmt.Sprintf("deadline-%d", i), hash[:]); err != nil {
			b.Fatal(err)
		}
		c, err := client.NewClient(
			whole.Shared.URL, client.WithBearer(token), client.WithHTTPClient(&http.Client{Transport: transport}),
		)
		if err != nil {
			b.Fatal(err)
		}
		all = append(all, c)
	}
	return all
}
