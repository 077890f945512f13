package web

import (
	"encoding/json"
	"errors"
	"io"
	"mime/multipart"
	"strings"
	"testing"
	"time"

	"examen/internal/core/script"
	"examen/internal/core/sqltext"
	"examen/internal/jobs"
	"examen/internal/library"
	"examen/internal/practice"
	"examen/internal/problem"
	"examen/internal/web/contract"
)

// form is a body of parts, each with its header and content.
func form(parts ...[2]string) *multipart.Reader {
	var b strings.Builder
	for _, p := range parts {
		b.WriteString("--x\r\nContent-Disposition: form-data; " + p[0] + "\r\n\r\n" + p[1] + "\r\n")
	}
	b.WriteString("--x--\r\n")
	return multipart.NewReader(strings.NewReader(b.String()), "x")
}

func TestUploadedFilesKeepTheirFolder(t *testing.T) {
	next := uploaded(
		form(
			[2]string{`name="file"; filename="sub/a.sql"`, "SELECT 1"},
			[2]string{`name="file"; filename="b \"c\".csv"`, "x"},
		),
	)
	for _, want := range [][2]string{{"sub/a.sql", "SELECT 1"}, {`b "c".csv`, "x"}} {
		path, content, err := next()
		if err != nil {
			t.Fatal(err)
		}
		text, err := io.ReadAll(content)
		if path != want[0] || string(text) != want[1] || err != nil {
			t.Errorf("got %s: %q, %v", path, text, err)
		}
	}
	if _, _, err := next(); err != io.EOF {
		t.Errorf("after the last: %v", err)
	}
}

func TestUploadsThatCannotBeRead(t *testing.T) {
	for name, body := range map[string]*multipart.Reader{
		"another part":   form([2]string{`name="title"`, "x"}),
		"without a name": form([2]string{`name="file"`, "x"}),
		"no parts":       multipart.NewReader(strings.NewReader("nothing"), "x"),
	} {
		_, _, err := uploaded(body)()
		var p *problem.Problem
		if !errors.As(err, &p) || p.Status != 400 {
			t.Errorf("%s: got %v", name, err)
		}
	}
	cutOff := multipart.NewReader(
		strings.NewReader("--x\r\nContent-Disposition: form-data; name=\"file\"; filename=\"a\"\r\n\r\nSELE"), "x",
	)
	_, content, err := uploaded(cutOff)()
	if err != nil {
		t.Fatal(err)
	}
	_, err = io.ReadAll(content)
	var p *problem.Problem
	if !errors.As(err, &p) || !strings.Contains(p.Detail, "do not come to their end") {
		t.Errorf("got %v", err)
	}
}

func TestAJobOnItsWayOut(t *testing.T) {
	ended := time.Date(2026, 11, 23, 10, 0, 0, 0, time.UTC)
	report, err := json.Marshal(library.Report{Title: "Nights", Builds: []library.BuildReport{{
		Dataset: "nights", Number: 2,
		Inferred: []script.CSVTable{{Name: "night", Columns: []script.CSVColumn{{Name: "day", Type: "date"}}}},
	}}})
	if err != nil {
		t.Fatal(err)
	}
	out, err := toJob(&jobs.Job{
		ID: "7", Kind: library.BuildDataset, Name: "nights", State: jobs.Failed, Ended: &ended, MoreErrors: 2,
		Progress: jobs.Progress{
			Step: "Running", Total: 10, Progress: practice.Progress{File: "a.sql", Bytes: 5, Rows: 3, Errors: 1},
		},
		Problem: &problem.Problem{Type: "examen:build", Status: 422},
		Errors: []*practice.BuildError{{
			File: "a.sql", Place: sqltext.Place{Line: 3, Column: 2, Text: "  x"}, Message: "wrong", Cause: "because",
		}},
		Report: report,
	})
	if err != nil {
		t.Fatal(err)
	}
	if out.State != contract.JobFailed || out.Ended != ended || out.Progress.Rows != 3 || out.Progress.Total != 10 ||
		out.MoreErrors != 2 {
		t.Errorf("got %+v", out)
	}
	if e := out.Errors[0]; e.Line != 3 || e.Column != 2 || e.Text != "  x" || e.Cause != "because" {
		t.Errorf("got %+v", e)
	}
	if d := out.Report.Datasets[0]; d.Build != 2 || d.Inferred[0].Columns[0].Type != "date" ||
		out.Report.Papers == nil {
		t.Errorf("got %+v", out.Report)
	}
	if empty, err := toJob(&jobs.Job{State: jobs.Queued}); err != nil || empty.Report.Title != "" ||
		empty.Problem.Type != "" || !empty.Ended.IsZero() {
		t.Errorf("got %+v", empty)
	}
}
