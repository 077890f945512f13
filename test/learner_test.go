package test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"strings"
	"sync"
	"testing"
	"time"

	"examen/internal/client"
	"examen/internal/demo"
	"examen/test/whole"
)

func TestOutcomesAndFirstFindings(t *testing.T) {
	_, c := whole.Newcomer(t)
	for _, e := range []struct{ exercise, sql, want string }{
		{"1", "SELECT name, valley FROM apiary", "correct"},
		{"1", "select a.name as n, valley as v from apiary as a order by 2;", "correct"},
		{"1", "SELECT * FROM apiary", "incorrect columns-extra"},
		{"1", "SELECT name FROM apiary", "incorrect columns-missing"},
		{"1", "SELECT valley, name FROM apiary", "incorrect columns-swapped"},
		{"1", "SELECT name, valley FROM apiary WHERE valley = 'Durn'", "incorrect rows-missing"},
		{
			"1", "SELECT name, valley FROM apiary UNION ALL SELECT name, valley FROM apiary",
			"incorrect rows-multiplied",
		},
		{"1", "SELECT name, upper(valley) FROM apiary", "incorrect values-case"},
		{"1", "SELECT name, valley FROM apiary WHERE false", "incorrect result-empty"},
		{"1", "SELECT apiary_id, valley FROM apiary", "incorrect column-type"},
		{
			"hives-by-strength",
			"SELECT name, kind, strength FROM hive WHERE strength IS NOT NULL ORDER BY strength DESC, random()",
			"correct",
		},
		{
			"hives-by-strength",
			"SELECT name, kind, strength::numeric(6,2) FROM hive WHERE strength >= 0 ORDER BY strength DESC", "correct",
		},
		{
			"hives-by-strength", "SELECT name, kind, strength FROM hive WHERE strength IS NOT NULL ORDER BY strength",
			"incorrect row-order-reversed",
		},
		{
			"hives-by-strength", "SELECT name, kind, strength FROM hive WHERE strength IS NOT NULL ORDER BY name",
			"incorrect row-order-key",
		},
		{
			"hives-by-strength", "SELECT name, kind, strength FROM hive ORDER BY strength DESC",
			"incorrect rows-extra",
		},
		{"which-colours", "SELECT DISTINCT colour FROM hive", "correct"},
		{"which-colours", "SELECT DISTINCT colour AS color FROM hive", "incorrect column-names"},
		{"which-colours", "SELECT colour FROM hive", "incorrect rows-repeated"},
		{
			"harvest-by-grade",
			"SELECT grade_code, count(*), sum(weight_kg) FROM harvest GROUP BY grade_code HAVING sum(weight_kg) >= " +
				"500 ORDER BY 3 DESC",
			"correct",
		},
		{
			"harvest-by-grade",
			"SELECT * FROM (SELECT DISTINCT grade_code, count(*) OVER w, sum(weight_kg) OVER w AS s FROM harvest " +
				"WINDOW w AS (PARTITION BY grade_code)) AS h WHERE s >= 500 ORDER BY s DESC",
			"rejected construct-required",
		},
		{
			"who-looks-after-what",
			"SELECT a.name, b.name FROM apiary a, care c, beekeeper b WHERE a.apiary_id = c.apiary_id AND " +
				"b.beekeeper_id = c.beekeeper_id AND valley = 'Durn' ORDER BY 1, 2",
			"correct",
		},
		{"1", "SELECT name, valley FROM apiarys", "failed examen:database-error"},
		{"1", "SELECT name valley FORM apiary WHERE", "failed examen:database-error"},
		{"1", "SELECT 1; SELECT 2", "rejected examen:not-a-query"},
		{"1", "UPDATE apiary SET name = ''", "rejected examen:not-a-query"},
		{"1", "SELECT * FROM generate_series(1, 1e12)", "stopped examen:limit"},
	} {
		a := whole.Submit(t, c, e.exercise, e.sql)
		got := string(a.Outcome)
		if len(a.Findings) > 0 {
			got += " " + a.Findings[0].Kind
		} else if a.Error.Type != "" {
			got += " " + a.Error.Type
		}
		if got != e.want {
			t.Errorf("%s: %s\n got %s\nwant %s (%+v)", e.exercise, e.sql, got, e.want, a.Findings)
		}
		if (a.Outcome == client.Correct) != (a.Mark.String() == a.Points.String()) {
			t.Errorf("%s: %s: mark %v of %v", e.exercise, e.sql, a.Mark, a.Points)
		}
	}
}

func TestARunShowsRowsAndTypes(t *testing.T) {
	_, c := whole.Newcomer(t)
	run, err := client.Read[client.Run](
		c.Run(
			ctx,
			client.RunRequest{
				Paper:    "first-look",
				Exercise: "3",
				Sql:      "SELECT hive_id, queen_year, name FROM hive ORDER BY queen_year DESC, hive_id LIMIT 2",
			},
		),
	)
	if err != nil {
		t.Fatal(err)
	}
	if run.RowCount != 2 || fmt.Sprint(run.Columns) != "[{hive_id integer} {queen_year integer} {name text}]" ||
		run.Rows[0][1] != nil || run.ElapsedMs <= 0 || run.Exercise != "high-and-strong" {
		t.Errorf("got %+v", run)
	}
	run, err = client.Read[client.Run](
		c.Run(ctx, client.RunRequest{Dataset: "apiary", Sql: "SELECT generate_series(1, 2500)"}),
	)
	if err != nil || run.RowCount != 2500 || !run.Truncated || len(run.Rows) != 1000 {
		t.Errorf("got %d rows of %d, %v", len(run.Rows), run.RowCount, err)
	}
	run, _ = client.Read[client.Run](
		c.Run(ctx, client.RunRequest{Paper: "first-look", Sql: "-- two lines\n  SELECT 1,\n    nme FROM hive"}),
	)
	if p := run.Error.Place; run.Outcome != client.Failed || p.Line != 3 || p.Column != 5 ||
		p.Text != "    nme FROM hive" {
		t.Errorf("got %+v", run.Error)
	}
}

func TestHistoryHasEverything(t *testing.T) {
	name, c := whole.Newcomer(t)
	if _, err := client.Read[client.Run](
		c.Run(ctx, client.RunRequest{Paper: "first-look", Sql: "SELECT 1"}),
	); err != nil {
		t.Fatal(err)
	}
	whole.Submit(t, c, "1", "SELECT name FROM apiary")
	whole.Submit(t, c, "1", "SELECT name, valley FROM apiary")
	page, err := client.Read[client.HistoryPage](c.ListHistory(ctx, &client.ListHistoryParams{Limit: 2}))
	if err != nil {
		t.Fatal(err)
	}
	if len(page.Entries) != 2 || page.Next == "" || page.Entries[0].Sql != "SELECT name, valley FROM apiary" ||
		page.Entries[0].Mark.String() != "1" || len(page.Entries[1].Findings) == 0 {
		t.Errorf("got %+v", page)
	}
	rest, _ := client.Read[client.HistoryPage](c.ListHistory(ctx, &client.ListHistoryParams{Before: page.Next}))
	if len(rest.Entries) != 1 || rest.Next != "" || rest.Entries[0].Kind != client.EntryKindRun ||
		rest.Entries[0].Learner != name {
		t.Errorf("got %+v", rest)
	}
	correct, _ := client.Read[client.HistoryPage](
		whole.Hazel(t).ListHistory(
			ctx, &client.ListHistoryParams{Learner: name, Outcome: client.Correct, Paper: "first-look", Exercise: "1"},
		),
	)
	if len(correct.Entries) != 1 {
		t.Errorf("the instructor sees %+v", correct)
	}
}

// A learner reaches their own work only, and never a reference answer, by any call.
func TestWhatALearnerCannotReach(t *testing.T) {
	name, c := whole.Newcomer(t)
	other, _ := whole.Newcomer(t)
	for call, p := range map[string]client.Problem{
		"others' history": problemOf(t)(c.ListHistory(ctx, &client.ListHistoryParams{Learner: other})),
		"progress":        problemOf(t)(c.GetProgress(ctx, "first-look", &client.GetProgressParams{})),
		"marks":           problemOf(t)(c.GetMarks(ctx, "first-look", &client.GetMarksParams{Format: client.Csv})),
		"load a pack":     refusal(t, c, observatory("x")),
		"courses":         problemOf(t)(c.ListCourses(ctx)),
		"a course":        problemOf(t)(c.GetCourse(ctx, "evening-group")),
		"make a course":   problemOf(t)(c.CreateCourse(ctx, client.NewCourse{Slug: "x", Title: "x"})),
		"open a paper":    problemOf(t)(c.SetPaper(ctx, "evening-group", "first-look", client.PaperSetting{})),
		"add a learner":   problemOf(t)(c.AddMember(ctx, "evening-group", client.NewMember{Name: "x"})),
		"reset a learner": problemOf(t)(c.ResetPassword(ctx, name)),
	} {
		if p.Status != 403 || p.Type != "examen:not-allowed" {
			t.Errorf("%s: got %+v", call, p)
		}
	}
	whole.Submit(t, c, "harvest-by-grade", "SELECT 1")
	for _, get := range []string{
		"/api/papers", "/api/papers/first-look", "/api/papers/first-look/exercises/7", "/api/history",
		"/api/datasets/apiary", "/api/session",
	} {
		body := raw(t, c, http.MethodGet, get, nil).body
		for _, secret := range []string{"HAVING", "having sum", "reference_answer", "\"password\"", "argon2"} {
			if strings.Contains(body, secret) {
				t.Errorf("%s holds %q: %s", get, secret, body)
			}
		}
	}
	if body := raw(
		t, whole.Hazel(t), http.MethodGet, "/api/papers/first-look/exercises/7", nil,
	).body; !strings.Contains(body, "reference_answer") {
		t.Errorf("the instructor should see the reference answer: %s", body)
	}
}

func problemOf(t *testing.T) func(*http.Response, error) client.Problem {
	return func(r *http.Response, err error) client.Problem {
		t.Helper()
		return whole.Problem[any](t, r, err)
	}
}

type answered struct {
	status int
	kind   string
	body   string
}

// raw makes a call that the client would not make so.
func raw(t testing.TB, c *client.Client, method, path string, body []byte, headers ...string) answered {
	t.Helper()
	request, err := http.NewRequest(method, whole.Shared.URL+path, bytes.NewReader(body))
	if err != nil {
		t.Fatal(err)
	}
	request.Header.Set("Content-Type", "application/json")
	for _, edit := range c.RequestEditors {
		_ = edit(ctx, request)
	}
	for i := 0; i < len(headers); i += 2 {
		request.Header.Set(headers[i], headers[i+1])
	}
	response, err := http.DefaultClient.Do(request)
	if err != nil {
		t.Fatal(err)
	}
	defer response.Body.Close()
	b, _ := io.ReadAll(response.Body)
	return answered{response.StatusCode, response.Header.Get("Content-Type"), string(b)}
}

func TestBadInputGetsAProblem(t *testing.T) {
	_, c := whole.Newcomer(t)
	quoted := func(sql string) []byte {
		b, _ := json.Marshal(map[string]string{"sql": sql})
		return b
	}
	const attempts = "/api/papers/first-look/exercises/1/attempts"
	for _, e := range []struct {
		name, method, path string
		body               []byte
		headers            []string
		status             int
		kind               string
	}{
		{"an empty submission", "POST", attempts, quoted(" \n\t"), nil, 422, "examen:empty"},
		{"a query of 10 MB", "POST", attempts, quoted(strings.Repeat("x", 10<<20)), nil, 413, "examen:too-long"},
		{
			"a query that is a little too long", "POST", attempts,
			quoted("SELECT '" + strings.Repeat("x", 100_000) + "'"), nil, 413, "examen:too-long",
		},
		{"invalid UTF-8", "POST", attempts, []byte("{\"sql\": \"SELECT '\xe9'\"}"), nil, 400, "examen:not-utf-8"},
		{"a NUL byte", "POST", attempts, []byte(`{"sql": "SELECT '\u0000'"}`), nil, 422, "examen:nul-byte"},
		{"no JSON", "POST", attempts, []byte(`sql`), nil, 400, "examen:unreadable"},
		{"no body", "POST", attempts, nil, nil, 400, "examen:unreadable"},
		{
			"another kind of body", "POST", attempts, []byte(`sql=SELECT`),
			[]string{"Content-Type", "application/x-www-form-urlencoded"}, 415, "examen:unreadable",
		},
		{
			"an unknown exercise", "POST", "/api/papers/first-look/exercises/99/attempts", quoted("SELECT 1"), nil, 404,
			"examen:no-exercise",
		},
		{"an unknown paper", "GET", "/api/papers/second-look", nil, nil, 404, "examen:no-paper"},
		{"a paper with a NUL byte", "GET", "/api/papers/%00", nil, nil, 404, "examen:no-paper"},
		{"an unknown dataset", "GET", "/api/datasets/none", nil, nil, 404, "examen:no-dataset"},
		{"a run on nothing", "POST", "/api/runs", quoted("SELECT 1"), nil, 422, "examen:run-on-what"},
		{"a page that is none", "GET", "/api/history?before=x", nil, nil, 422, "examen:page"},
		{"a limit that is none", "GET", "/api/history?limit=many", nil, nil, 400, "examen:unreadable"},
		{"an unknown call", "GET", "/api/nothing", nil, nil, 404, "examen:no-call"},
		{"nobody", "GET", "/api/papers", nil, []string{"Authorization", ""}, 401, "examen:no-session"},
		{
			"a token that has expired or never was", "GET", "/api/papers", nil, []string{"Authorization", "Bearer x"},
			401, "examen:no-session",
		},
	} {
		got := raw(t, c, e.method, e.path, e.body, e.headers...)
		var p client.Problem
		if err := json.Unmarshal([]byte(got.body), &p); err != nil || got.status != e.status || p.Type != e.kind ||
			got.kind != "application/problem+json" || p.Status != e.status || p.Detail == "" {
			t.Errorf("%s: got %d %s %.300s", e.name, got.status, got.kind, got.body)
		}
	}
	page, _ := client.Read[client.HistoryPage](c.ListHistory(ctx, &client.ListHistoryParams{}))
	if len(page.Entries) != 0 {
		t.Errorf("nothing of this belongs into the history: %+v", page.Entries)
	}
}

func TestAPaperNotOpenToTheLearner(t *testing.T) {
	teacher := whole.Hazel(t)
	if _, err := client.Read[client.Course](
		teacher.CreateCourse(ctx, client.NewCourse{Slug: "later", Title: "Later"}),
	); err != nil {
		t.Fatal(err)
	}
	if _, err := client.Read[client.AddedMember](
		teacher.AddMember(ctx, "later", client.NewMember{Name: "early-bird", Password: demo.LearnerPassword}),
	); err != nil {
		t.Fatal(err)
	}
	c := whole.As(t, whole.Shared.URL, "early-bird", demo.LearnerPassword)
	read := func() client.Problem {
		r, err := c.GetPaper(ctx, "first-look")
		return whole.Problem[client.Paper](t, r, err)
	}
	if p := read(); p.Status != 404 || p.Type != "examen:no-paper" {
		t.Errorf("not set for the course: %+v", p)
	}
	open := func(opens, due time.Time) {
		if _, err := client.Read[client.CoursePaper](
			teacher.SetPaper(ctx, "later", "first-look", client.PaperSetting{Opens: opens, Due: due}),
		); err != nil {
			t.Fatal(err)
		}
	}
	now := time.Now()
	open(now.Add(time.Hour), now.Add(2*time.Hour))
	if p := read(); p.Type != "examen:not-open" || !strings.Contains(p.Detail, "It opens on") {
		t.Errorf("upcoming: %+v", p)
	}
	if p := problemOf(t)(
		c.Run(ctx, client.RunRequest{Dataset: "apiary", Sql: "SELECT 1"}),
	); p.Type != "examen:no-dataset" {
		t.Errorf("its dataset: %+v", p)
	}
	open(now.Add(-2*time.Hour), now.Add(-time.Hour))
	if p := problemOf(t)(
		c.Submit(ctx, "first-look", "1", client.Submission{Sql: "SELECT 1"}),
	); p.Type != "examen:past-due" {
		t.Errorf("closed: %+v", p)
	}
	if run, err := client.Read[client.Run](
		c.Run(ctx, client.RunRequest{Paper: "first-look", Sql: "SELECT 1"}),
	); err != nil || run.Outcome != client.Done {
		t.Errorf("a closed paper's queries can be run: %+v, %v", run, err)
	}
}

func TestDraftsAreKept(t *testing.T) {
	_, c := whole.Newcomer(t)
	if _, err := client.Read[client.Draft](
		c.KeepDraft(ctx, "first-look", "2", client.DraftText{Sql: "SELECT half"}),
	); err != nil {
		t.Fatal(err)
	}
	if _, err := client.Read[client.Draft](c.KeepDraft(ctx, "first-look", "2", client.DraftText{Sql: ""})); err != nil {
		t.Error("an empty draft is one too:", err)
	}
	if _, err := client.Read[client.Draft](
		c.KeepDraft(ctx, "first-look", "2", client.DraftText{Sql: "SELECT name\n\tFROM"}),
	); err != nil {
		t.Fatal(err)
	}
	e, err := client.Read[client.Exercise](c.GetExercise(ctx, "first-look", "hives-by-strength"))
	if err != nil || e.Draft.Sql != "SELECT name\n\tFROM" {
		t.Errorf("got %+v, %v", e.Draft, err)
	}
}

func TestLoggingInIsSlowedDown(t *testing.T) {
	name, _ := whole.Newcomer(t)
	c, _ := client.NewClient(whole.Shared.URL)
	try := func(password string) (client.Session, error) {
		return client.Read[client.Session](
			c.LogIn(ctx, client.LogInJSONRequestBody{Name: name, Password: password, Kind: client.Bearer}),
		)
	}
	var last client.Problem
	for range 5 {
		_, err := try("wrong")
		last = err.(*client.ProblemError).Problem
	}
	if last.Status != 429 || last.RetryAfter < 1 {
		t.Errorf("got %+v", last)
	}
	if _, err := try(demo.LearnerPassword); err == nil {
		t.Error("the right password does not jump the queue")
	}
	whole.Until(t, "the wait is over", func() bool { _, err := try(demo.LearnerPassword); return err == nil })
}

func TestCookieSessionsNeedTheirToken(t *testing.T) {
	name, _ := whole.Newcomer(t)
	body, _ := json.Marshal(client.LogIn{Name: name, Password: demo.LearnerPassword, Kind: client.Cookie})
	response, err := http.Post(whole.Shared.URL+"/api/session", "application/json", bytes.NewReader(body))
	if err != nil {
		t.Fatal(err)
	}
	cookie := response.Cookies()[0]
	session, err := client.Read[client.Session](response, nil)
	if err != nil || session.Token != "" || session.CsrfToken == "" || !cookie.HttpOnly ||
		cookie.SameSite != http.SameSiteStrictMode {
		t.Fatalf("got %+v %+v %v", session, cookie, err)
	}
	anonymous, _ := client.NewClient(whole.Shared.URL)
	run := func(headers ...string) answered {
		return raw(
			t, anonymous, "POST", "/api/runs", []byte(`{"paper": "first-look", "sql": "SELECT 1"}`),
			append(headers, "Cookie", cookie.String())...,
		)
	}
	if got := run(); got.status != 403 || !strings.Contains(got.body, "examen:csrf") {
		t.Errorf("without the header: %+v", got)
	}
	if got := run("X-CSRF-Token", session.CsrfToken); got.status != 201 {
		t.Errorf("with the header: %+v", got)
	}
	if got := run("Authorization", "Bearer "+cookie.Value, "X-CSRF-Token", session.CsrfToken); got.status != 401 {
		t.Errorf("a cookie's token as a bearer token: %+v", got)
	}
	if got := raw(
		t, anonymous, "DELETE", "/api/session", nil, "Cookie", cookie.String(), "X-CSRF-Token", session.CsrfToken,
	); got.status != 204 {
		t.Errorf("log out: %+v", got)
	}
	if got := run("X-CSRF-Token", session.CsrfToken); got.status != 401 {
		t.Errorf("after logging out: %+v", got)
	}
}

func TestPasswordsAreChanged(t *testing.T) {
	name, c := whole.Newcomer(t)
	other := whole.As(t, whole.Shared.URL, name, demo.LearnerPassword)
	if p := problemOf(t)(
		c.SetPassword(ctx, client.PasswordChange{Current: "wrong", New: "long enough now"}),
	); p.Status != 403 {
		t.Errorf("got %+v", p)
	}
	if p := problemOf(t)(
		c.SetPassword(ctx, client.PasswordChange{Current: demo.LearnerPassword, New: "short"}),
	); p.Type != "examen:password-length" {
		t.Errorf("got %+v", p)
	}
	if _, err := client.Read[any](
		c.SetPassword(ctx, client.PasswordChange{Current: demo.LearnerPassword, New: "long enough now"}),
	); err != nil {
		t.Fatal(err)
	}
	if p := problemOf(t)(other.GetSession(ctx)); p.Status != 401 {
		t.Errorf("the other session should have ended: %+v", p)
	}
	whole.As(t, whole.Shared.URL, name, "long enough now")
}

// Many at once: each attempt is stored once, and answered.
func TestManySubmitAtOnce(t *testing.T) {
	_, c := whole.Newcomer(t)
	var all sync.WaitGroup
	for i := range 40 {
		all.Go(func() {
			sql := fmt.Sprintf("SELECT name, valley FROM apiary WHERE altitude_m > %d", i-20)
			if a := whole.Submit(t, c, "1", sql); a.Outcome != client.Correct {
				t.Errorf("%s: %s", sql, a.Outcome)
			}
		})
	}
	all.Wait()
	e, _ := client.Read[client.Exercise](c.GetExercise(ctx, "first-look", "1"))
	if e.Attempts != 40 {
		t.Errorf("40 attempts were answered, %d are stored", e.Attempts)
	}
}

func TestASessionThatHasExpired(t *testing.T) {
	name, c := whole.Newcomer(t)
	if _, err := client.Read[client.Session](c.GetSession(ctx)); err != nil {
		t.Fatal(err)
	}
	_, err := whole.Superuser(t, whole.SharedFolder, "records", "postgres").Exec(ctx,
		"UPDATE session SET expires_at = now() - interval '1 second' WHERE account_id = (SELECT id FROM account "+
			"WHERE name = $1)", name)
	if err != nil {
		t.Fatal(err)
	}
	whole.Until(t, "the service hears of the change", func() bool {
		r, err := c.GetSession(ctx)
		if err != nil {
			return false
		}
		defer r.Body.Close()
		return r.StatusCode == 401
	})
	if p := problemOf(t)(
		c.Submit(ctx, "first-look", "1", client.Submission{Sql: "SELECT 1"}),
	); p.Status != 401 || p.Type != "examen:no-session" || !strings.Contains(p.Detail, "Log in again") {
		t.Errorf("got %+v", p)
	}
}

func TestPagesAreServedWithCare(t *testing.T) {
	get := func(path string) *http.Response {
		t.Helper()
		response, err := http.Get(whole.Shared.URL + path)
		if err != nil {
			t.Fatal(err)
		}
		response.Body.Close()
		return response
	}
	for _, path := range []string{"/", "/papers/first-look", "/datasets/apiary/map"} {
		// the console routes these itself
		if r := get(path); r.StatusCode != 200 || !strings.HasPrefix(r.Header.Get("Content-Type"), "text/html") ||
			!strings.Contains(
				r.Header.Get("Content-Security-Policy"), "default-src 'self'",
			) {
			t.Errorf("%s: %d %v", path, r.StatusCode, r.Header)
		}
	}
	if r := get("/icon.svg"); r.Header.Get("Content-Type") != "image/svg+xml" ||
		r.Header.Get("X-Content-Type-Options") != "nosniff" {
		t.Errorf("got %v", r.Header)
	}
	for _, path := range []string{"/assets/none.js", "/../../etc/passwd"} {
		if r := get(path); r.StatusCode != 404 {
			t.Errorf("%s: %d", path, r.StatusCode)
		}
	}
	if r := get("/api/health"); r.StatusCode != 200 || r.Header.Get("Cache-Control") != "no-store" {
		t.Errorf("got %d %v", r.StatusCode, r.Header)
	}
}
