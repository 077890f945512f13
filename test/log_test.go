package test

import (
	"encoding/json"
	"net/http"
	"strings"
	"testing"

	"examen/internal/client"
	"examen/internal/demo"
)

// The log of serve has a line of JSON for each call, with the name that its answer carries and whose call it was; of
// passwords, sessions, secret addresses and what learners write it has nothing.
func TestTheLogTellsOfEachCallAndNoSecrets(t *testing.T) {
	service := restored(t, "--trusted-proxy", "127.0.0.1")
	worksThere(t, service)
	c, err := client.NewClient(service.URL)
	if err != nil {
		t.Fatal(err)
	}
	wrong := problemOf(t)(c.LogIn(
		ctx, client.LogInJSONRequestBody{Name: "robin", Password: "a-wrong-password", Kind: client.Bearer},
	))
	if wrong.Status != 401 {
		t.Fatalf("%+v", wrong)
	}
	session, err := client.Read[client.Session](c.LogIn(
		ctx, client.LogInJSONRequestBody{Name: "robin", Password: demo.LearnerPassword, Kind: client.Bearer},
	))
	if err != nil {
		t.Fatal(err)
	}
	names := map[string]string{} // of calls, by what was asked for
	for path, named := range map[string]string{
		"/api/papers": "from-the-proxy-1", "/api/calendars/a-secret-address": "", "/api/marks": "not a\tname",
		"/api/" + strings.Repeat("long", 1000): "",
	} {
		request, _ := http.NewRequest(http.MethodGet, service.URL+path, nil)
		request.Header.Set("Authorization", "Bearer "+session.Token)
		request.Header.Set("X-Request-Id", named)
		answer, err := http.DefaultClient.Do(request)
		if err != nil {
			t.Fatal(err)
		}
		answer.Body.Close()
		names[path] = answer.Header.Get("X-Request-Id")
	}
	if names["/api/papers"] != "from-the-proxy-1" || len(names["/api/marks"]) != 16 {
		t.Errorf("calls are named %v", names)
	}
	service.Stop()

	type line struct {
		Time, Level, Msg, Request, Method, Path string
		Account                                 int64
		Status                                  int
		MS                                      *float64
	}
	byName := map[string]line{}
	for text := range strings.Lines(service.Errs.String()) {
		var l line
		if err := json.Unmarshal([]byte(text), &l); err != nil {
			t.Fatalf("%v: %s", err, text)
		}
		if l.Msg == "call" {
			byName[l.Request] = l
		}
		for _, secret := range []string{
			"a-wrong-password", demo.LearnerPassword, session.Token, "a-secret-address", "valley", "SELECT",
			strings.Repeat("long", 100),
		} {
			if strings.Contains(text, secret) {
				t.Errorf("the log has %q: %s", secret, text)
			}
		}
	}
	papers, calendar := byName["from-the-proxy-1"], byName[names["/api/calendars/a-secret-address"]]
	if papers.Path != "/api/papers" || papers.Status != 200 || papers.Account == 0 || papers.MS == nil ||
		papers.Level != "INFO" || papers.Method != "GET" {
		t.Errorf("%+v", papers)
	}
	if calendar.Path != "/api/calendars/:secret" || calendar.Status != 404 || calendar.Account != 0 {
		t.Errorf("%+v", calendar)
	}
	if len(byName) < 7 {
		t.Errorf("%d calls in the log", len(byName))
	}
}
