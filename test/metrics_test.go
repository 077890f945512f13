package test

import (
	"io"
	"net/http"
	"strconv"
	"strings"
	"testing"

	"examen/internal/client"
	"examen/internal/demo"
	"examen/test/whole"
)

// What a program that watches the service reads: figures that move with what is done, for those who may read them.
func TestMetrics(t *testing.T) {
	service := restored(t, "--trusted-proxy", "127.0.0.1")
	robin := whole.As(t, service.URL, demo.LearnerName, demo.LearnerPassword)
	before := metrics(t, service)
	for sql, want := range map[string]client.Outcome{
		"SELECT name, valley FROM apiary": client.Correct, "SELECT 1": client.Incorrect, "SELECT nam": client.Failed,
	} {
		a, err := client.Read[client.Attempt](robin.Submit(ctx, "first-look", "1", client.Submission{Sql: sql}))
		if err != nil || a.Outcome != want {
			t.Fatalf("%+v %v", a, err)
		}
	}
	if _, err := client.Read[client.Run](
		robin.Run(ctx, client.RunRequest{Sql: "SELECT 1", Paper: "first-look"}),
	); err != nil {
		t.Fatal(err)
	}
	if p := problemOf(t)(robin.GetPaper(ctx, "no-such-paper")); p.Status != 404 {
		t.Fatalf("%+v", p)
	}
	after := metrics(t, service)
	const attempts = `path="/api/papers/:paper/exercises/:exercise/attempts"`
	for name, more := range map[string]float64{
		`examen_outcomes_total{kind="submission",outcome="correct"}`:                 1,
		`examen_outcomes_total{kind="submission",outcome="incorrect"}`:               1,
		`examen_outcomes_total{kind="submission",outcome="failed"}`:                  1,
		`examen_outcomes_total{kind="run",outcome="done"}`:                           1,
		`examen_calls_total{method="POST",` + attempts + `,status="201"}`:            3,
		`examen_call_seconds_count{method="POST",` + attempts + `}`:                  3,
		`examen_calls_total{method="GET",path="/api/papers/:paper",status="404"}`:    1,
		`examen_call_seconds_bucket{method="POST",path="/api/runs",le="+Inf"}`:       1,
		`examen_calls_total{method="GET",path="/api/papers/no-such",status="404"}`:   0,
		`examen_cache_lookups_total{cache="sessions",found="yes"}`:                   4,
		`examen_calls_total{method="POST",path="/api/runs",status="201"}`:            1,
		`examen_calls_total{method="GET",path="/metrics",status="200"}`:              1,
		`examen_seats_in_use{kind="runs",server="this-machine"}`:                     0,
		`examen_seats_waited_for{kind="runs",server="this-machine"}`:                 0,
		`examen_jobs{kind="pack",state="failed"}`:                                    0,
		`examen_records_connections{state="most"}`:                                   0,
		`examen_server_up{server="this-machine"}`:                                    0,
		`examen_builds{server="this-machine"}`:                                       0,
		`examen_calls_total{method="POST",path="/api/session",status="201"}`:         0,
		`examen_call_seconds_count{method="GET",path="/api/papers/:paper/progress"}`: 0,
	} {
		if got := after[name] - before[name]; got != more {
			t.Errorf("%s rose by %v, want %v", name, got, more)
		}
	}
	for name, least := range map[string]float64{
		`examen_server_up{server="records"}`: 1, `examen_server_up{server="this-machine"}`: 1,
		`examen_seats{kind="checks",server="this-machine"}`: 1, `examen_builds{server="this-machine"}`: 2,
		`examen_disk_free_bytes{server="records"}`: 1 << 20, `examen_jobs{kind="pack",state="done"}`: 2,
		`examen_records_connections{state="most"}`: 16, `go_goroutines`: 10, `process_open_fds`: 10,
	} {
		if after[name] < least {
			t.Errorf("%s is %v, want at least %v", name, after[name], least)
		}
	}

	request, _ := http.NewRequest(http.MethodGet, service.URL+"/metrics", nil)
	request.Header.Set("X-Forwarded-For", "203.0.113.9")
	answer, err := http.DefaultClient.Do(request)
	if err != nil {
		t.Fatal(err)
	}
	defer answer.Body.Close()
	if text, _ := io.ReadAll(answer.Body); answer.StatusCode != 403 || strings.Contains(string(text), "examen_calls") {
		t.Errorf("somebody else reads metrics: %d %s", answer.StatusCode, text)
	}
}

// metrics reads a service's metrics: each by its name and labels as they stand there.
func metrics(t *testing.T, s *whole.Service) map[string]float64 {
	t.Helper()
	answer, err := http.Get(s.URL + "/metrics")
	if err != nil {
		t.Fatal(err)
	}
	defer answer.Body.Close()
	text, err := io.ReadAll(answer.Body)
	if err != nil || answer.StatusCode != 200 {
		t.Fatal(err, answer.StatusCode)
	}
	all := map[string]float64{}
	for line := range strings.Lines(string(text)) {
		if at := strings.LastIndexByte(line, ' '); at > 0 && line[0] != '#' {
			if all[line[:at]], err = strconv.ParseFloat(strings.TrimSpace(line[at:]), 64); err != nil {
				t.Fatal(line, err)
			}
		}
	}
	return all
}
