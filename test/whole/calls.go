package whole

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"strings"
	"testing"
	"time"

	"examen/internal/client"
	"examen/internal/demo"
)

var ctx = context.Background()

// Asked makes a call as somebody, or as nobody with an empty token.
func Asked(t testing.TB, url, method, path, token, body string) (int, string) {
	t.Helper()
	request, err := http.NewRequest(method, url+path, strings.NewReader(body))
	if err != nil {
		t.Fatal(err)
	}
	if body != "" {
		request.Header.Set("Content-Type", "application/json")
	}
	if token != "" {
		request.Header.Set("Authorization", "Bearer "+token)
	}
	response, err := http.DefaultClient.Do(request)
	if err != nil {
		t.Fatal(err)
	}
	defer response.Body.Close()
	text, _ := io.ReadAll(io.LimitReader(response.Body, 1<<20))
	return response.StatusCode, string(text)
}

// Token logs in and returns the token.
func Token(t testing.TB, url, name, password string) string {
	t.Helper()
	c, _ := client.NewClient(url)
	session, err := client.Read[client.Session](
		c.LogIn(ctx, client.LogIn{Name: name, Password: password, Kind: client.Bearer}),
	)
	if err != nil {
		t.Fatal(err)
	}
	return session.Token
}

// As logs in and returns a client that sends the token.
func As(t testing.TB, url, name, password string) *client.Client {
	t.Helper()
	c, err := client.NewClient(url)
	if err != nil {
		t.Fatal(err)
	}
	session, err := client.Read[client.Session](
		c.LogIn(ctx, client.LogInJSONRequestBody{Name: name, Password: password, Kind: client.Bearer}),
	)
	if err != nil {
		t.Fatal(err)
	}
	c, err = client.NewClient(url, client.WithBearer(session.Token))
	if err != nil {
		t.Fatal(err)
	}
	return c
}

// Hazel is the demo's instructor.
func Hazel(t testing.TB) *client.Client {
	return As(t, Shared.URL, demo.InstructorName, demo.InstructorPassword)
}

var newcomers int

// Newcomer is a learner of the demo's course who has done nothing yet, and a client of theirs.
func Newcomer(t testing.TB) (string, *client.Client) {
	t.Helper()
	newcomers++
	name := fmt.Sprintf("newcomer%d", newcomers)
	if _, err := client.Read[client.AddedMember](
		Hazel(t).AddMember(ctx, "evening-group", client.NewMember{Name: name, Password: demo.LearnerPassword}),
	); err != nil {
		t.Fatal(err)
	}
	return name, As(t, Shared.URL, name, demo.LearnerPassword)
}

// Submit submits to an exercise of first-look.
func Submit(t testing.TB, c *client.Client, exercise, sql string) client.Attempt {
	t.Helper()
	a, err := client.Read[client.Attempt](c.Submit(ctx, "first-look", exercise, client.Submission{Sql: sql}))
	if err != nil {
		t.Fatal(err)
	}
	return a
}

// Problem is the service's no, or the end of the test where it said yes.
func Problem[T any](t testing.TB, response *http.Response, err error) client.Problem {
	t.Helper()
	v, err := client.Read[T](response, err)
	if p, ok := err.(*client.ProblemError); ok {
		return p.Problem
	}
	t.Fatalf("a problem is expected, got %+v, %v", v, err)
	return client.Problem{}
}

// Until waits for a condition; the limit only ends a test that would hang.
func Until(t testing.TB, what string, holds func() bool) {
	t.Helper()
	for limit := time.Now().Add(4 * time.Minute); !holds(); time.Sleep(20 * time.Millisecond) {
		if time.Now().After(limit) {
			t.Fatalf("still waiting until %s", what)
		}
	}
}
