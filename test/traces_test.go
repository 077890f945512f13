package test

import (
	"compress/gzip"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync"
	"testing"

	collector "go.opentelemetry.io/proto/otlp/collector/trace/v1"
	spans "go.opentelemetry.io/proto/otlp/trace/v1"
	"google.golang.org/protobuf/proto"

	"examen/internal/client"
	"examen/internal/demo"
	"examen/test/whole"
)

// Traces are sent where OpenTelemetry's variables say so, and nowhere otherwise. A submission is one trace, down to the
// queries; what learners write is in none.
func TestTraces(t *testing.T) {
	var mu sync.Mutex
	var all []*spans.Span
	var texts strings.Builder
	receiver := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		body := io.Reader(r.Body)
		if r.Header.Get("Content-Encoding") == "gzip" {
			unpacked, err := gzip.NewReader(body)
			if err != nil {
				t.Error(err)
				return
			}
			body = unpacked
		}
		content, err := io.ReadAll(body)
		request := &collector.ExportTraceServiceRequest{}
		if err == nil {
			err = proto.Unmarshal(content, request)
		}
		if err != nil {
			t.Error(err)
			return
		}
		mu.Lock()
		defer mu.Unlock()
		texts.WriteString(request.String())
		for _, of := range request.ResourceSpans {
			for _, scope := range of.ScopeSpans {
				all = append(all, scope.Spans...)
			}
		}
	}))
	defer receiver.Close()
	work := func() *whole.Service {
		s := restored(t, "--trusted-proxy", "127.0.0.1")
		robin := whole.As(t, s.URL, demo.LearnerName, demo.LearnerPassword)
		a, err := client.Read[client.Attempt](robin.Submit(ctx, "first-look", "1", client.Submission{
			Sql: "SELECT name, valley FROM apiary -- a remark of robin's",
		}))
		if err != nil || a.Outcome != client.Correct {
			t.Fatalf("%+v, %v", a, err)
		}
		response, err := http.Get(s.URL + "/api/calendars/a-secret-address")
		if err != nil {
			t.Fatal(err)
		}
		response.Body.Close()
		s.Stop()
		return s
	}
	t.Setenv("OTEL_EXPORTER_OTLP_PROTOCOL", "http/protobuf")
	t.Setenv("OTEL_EXPORTER_OTLP_ENDPOINT", receiver.URL)
	t.Setenv("OTEL_TRACES_EXPORTER", "none")
	work()
	if len(all) > 0 {
		t.Fatal("traces are sent that nobody asked for")
	}
	t.Setenv("OTEL_TRACES_EXPORTER", "")
	t.Setenv("OTEL_SERVICE_NAME", "examen-of-the-cooperative")
	s := work()

	byID := map[string]*spans.Span{}
	for _, span := range all {
		byID[string(span.SpanId)] = span
	}
	within := map[string]int{} // the submission's, by name
	for _, span := range all {
		root := span
		for byID[string(root.ParentSpanId)] != nil {
			root = byID[string(root.ParentSpanId)]
		}
		if strings.HasPrefix(root.Name, "POST /api/papers/:paper/exercises/:exercise/attempts") {
			within[span.Name]++
			if string(span.TraceId) != string(root.TraceId) {
				t.Errorf("%s is of another trace", span.Name)
			}
		}
	}
	if within["run"] == 0 || within["CreateAttempt"] == 0 {
		t.Errorf("a submission consists of %v", within)
	}
	for _, secret := range []string{"valley", "remark", demo.LearnerPassword, "a-secret-address"} {
		if strings.Contains(texts.String(), secret) {
			t.Errorf("the traces tell of %q", secret)
		}
	}
	if !strings.Contains(texts.String(), "examen-of-the-cooperative") {
		t.Error("the traces do not say of which service they are")
	}
	if !strings.Contains(s.Errs.String(), `"trace":"`) {
		t.Error("the log does not name the traces")
	}

	// A receiver that is away holds nobody up.
	receiver.Close()
	work()
}
