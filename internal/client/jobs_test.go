package client_test

import (
	"context"
	"errors"
	"fmt"
	"io"
	"mime"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"testing/fstest"

	"examen/internal/client"
)

// service answers a call with each of some texts in turn, the last again and again.
func service(t *testing.T, status int, contentType string, answers ...string) *client.Client {
	t.Helper()
	n := 0
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", contentType)
		w.WriteHeader(status)
		_, _ = io.WriteString(w, answers[min(n, len(answers)-1)])
		n++
	}))
	t.Cleanup(s.Close)
	c, err := client.NewClient(s.URL)
	if err != nil {
		t.Fatal(err)
	}
	return c
}

func event(state string, rows int) string {
	return fmt.Sprintf(`data: {"id": "7", "state": %q, "progress": {"rows": %d}}`+"\n\n", state, rows)
}

func TestFollow(t *testing.T) {
	for _, c := range []struct {
		name    string
		answers []string
		want    string // the states and rows that are told
		last    client.JobState
	}{
		{
			"to its end", []string{event("running", 1) + event("running", 2) + event("done", 3)},
			"running 1, running 2, done 3", client.JobDone,
		},
		{
			"to where it asks", []string{event("running", 0) + event("asking", 0) + event("running", 9)},
			"running 0, asking 0", client.JobAsking,
		},
		{
			"over a connection that breaks", []string{event("running", 1), event("failed", 2)}, "running 1, failed 2",
			client.JobFailed,
		},
		{
			"an event that is cut", []string{event("running", 1) + `data: {"id": "7", "st`, event("stopped", 2)},
			"running 1, stopped 2", client.JobStopped,
		},
	} {
		t.Run(c.name, func(t *testing.T) {
			var told []string
			last, err := client.Follow(context.Background(), service(
				t, 200, "text/event-stream", c.answers...,
			), client.Job{Id: "7"}, func(j client.Job) {
				told = append(told, fmt.Sprintf("%s %d", j.State, j.Progress.Rows))
			})
			if got := strings.Join(told, ", "); err != nil || got != c.want || last.State != c.last {
				t.Errorf("got %s, at last %s, %v", got, last.State, err)
			}
		})
	}
}

func TestFollowEndsWithTheServicesNo(t *testing.T) {
	c := service(
		t, 404, "application/problem+json",
		`{"title": "There is no such build", "status": 404, "type": "examen:no-job", "detail": "."}`,
	)
	_, err := client.Follow(context.Background(), c, client.Job{Id: "7"}, nil)
	var no *client.ProblemError
	if !errors.As(err, &no) || no.Type != "examen:no-job" {
		t.Errorf("got %v", err)
	}
}

// Files go as a form's parts with their paths, and whoever wants to know is told how much has gone.
func TestSendFiles(t *testing.T) {
	folder := fstest.MapFS{"sub/a.sql": {Data: []byte("SELECT 1")}, `odd "name".csv`: {Data: []byte("x")}}
	sent := 0
	contentType, body := client.SendFiles(folder, []string{"sub/a.sql", `odd "name".csv`}, func(n int) { sent += n })
	content, err := io.ReadAll(body)
	if err != nil {
		t.Fatal(err)
	}
	_, params, err := mime.ParseMediaType(contentType)
	if err != nil || params["boundary"] == "" {
		t.Fatalf("%s, %v", contentType, err)
	}
	for _, part := range []string{
		`name="file"; filename="sub/a.sql"`, `filename="odd \"name\".csv"`, "\r\n\r\nSELECT 1\r\n",
		"--" + params["boundary"] + "--",
	} {
		if !strings.Contains(string(content), part) {
			t.Errorf("no %q in\n%s", part, content)
		}
	}
	if sent != 9 {
		t.Errorf("told of %d bytes", sent)
	}
	_, body = client.SendFiles(folder, []string{"none.sql"}, nil)
	if _, err := io.ReadAll(body); err == nil {
		t.Error("a file that is not there")
	}
}

func TestReadTellsWhoAnswers(t *testing.T) {
	if _, err := client.Read[client.Job](
		service(t, 200, "text/html", "<html>").GetJob(context.Background(), "1"),
	); !errors.Is(err, client.ErrUnreachable) {
		t.Errorf("a page: %v", err)
	}
	if _, err := client.Read[client.Job](
		service(t, 502, "text/html", "bad gateway").GetJob(context.Background(), "1"),
	); !errors.Is(err, client.ErrUnreachable) || !strings.Contains(err.Error(), "something else than Examen") {
		t.Errorf("another program's error: %v", err)
	}
	if text, err := client.Read[string](
		service(t, 200, "text/plain", "as it is").GetMap(context.Background(), "x", &client.GetMapParams{}),
	); err != nil || text != "as it is" {
		t.Errorf("got %q, %v", text, err)
	}
}
