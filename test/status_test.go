package test

import (
	"encoding/json"
	"slices"
	"strings"
	"testing"

	"examen/internal/client"
	"examen/internal/demo"
	"examen/test/whole"
)

// What an operator sees of a service: what is up, what is free, what takes disk, what was slow, and who could not get
// in. A name that no account has is told to nobody: it may be a password in the wrong field.
func TestWhatAnOperatorSees(t *testing.T) {
	t.Parallel()
	service := restored(t)
	robin := whole.As(t, service.URL, demo.LearnerName, demo.LearnerPassword)
	for range 10 {
		if _, err := client.Read[client.Attempt](robin.Submit(ctx, "first-look", "1", client.Submission{
			Sql: "SELECT count(*) FROM generate_series(1, 1000) AS a, generate_series(1, 500) AS b",
		})); err != nil {
			t.Fatal(err)
		}
	}
	c, err := client.NewClient(service.URL)
	if err != nil {
		t.Fatal(err)
	}
	for _, name := range []string{"robin", "robin", "bees-and-honey-2"} {
		no := problemOf(t)(c.LogIn(ctx, client.LogIn{Name: name, Password: "wrong", Kind: client.Bearer}))
		if no.Status != 401 {
			t.Fatalf("%+v", no)
		}
	}
	env := []string{
		"XDG_CONFIG_HOME=" + t.TempDir(), "EXAMEN_URL=" + service.URL, "EXAMEN_PASSWORD=" + demo.InstructorPassword,
	}
	if p := whole.Command(t, env, "", "login", demo.InstructorName); p.Code != 0 {
		t.Fatalf("%+v", p)
	}
	printed := whole.Command(t, env, "", "status", "-o", "json")
	var s client.Status
	if err := json.Unmarshal([]byte(printed.Out), &s); err != nil || printed.Code != 0 {
		t.Fatalf("%+v, %v", printed, err)
	}
	if !s.Health.Ready || len(s.Services) != 1 || !s.Services[0].Own || len(s.Practice) != 1 ||
		!s.Practice[0].Reachable || s.Practice[0].FreeBytes == 0 || s.Records.Bytes < 1<<20 ||
		s.Records.FreeBytes == 0 {
		t.Errorf("servers: %+v", s)
	}
	if len(s.Seats) != 2 || s.Seats[0].Kind != "runs" || s.Seats[0].All < 1 || s.Seats[1].Kind != "checks" {
		t.Errorf("seats: %+v", s.Seats)
	}
	// The build and its two variants, each with a template of copies.
	if len(s.Datasets) != 1 || s.Datasets[0].Dataset != "apiary" || s.Datasets[0].InUse.Databases != 3 ||
		s.Datasets[0].Templates.Databases == 0 || s.Datasets[0].Copies.Databases != 0 ||
		s.Datasets[0].Bytes < s.Datasets[0].InUse.Bytes+s.Datasets[0].Templates.Bytes {
		t.Errorf("disk: %+v", s.Datasets)
	}
	if !slices.ContainsFunc(s.Background, func(b client.Backlog) bool {
		return b.Name == "pack" && !b.Task && b.State == "done" && b.Count > 0
	}) {
		t.Errorf("work in the background: %+v", s.Background)
	}
	if !slices.ContainsFunc(s.SlowExercises, func(e client.SlowExercise) bool {
		return e.Paper == "first-look" && e.Number == 1 && e.Checks >= 10 && e.LongestMs > 1 && e.MedianMs <= e.P95Ms
	}) {
		t.Errorf("slow exercises: %+v", s.SlowExercises)
	}
	failures := map[string]int{}
	for _, f := range s.FailedLogIns {
		failures[f.Name+map[bool]string{true: "unknown"}[f.UnknownName]] = f.Failures
	}
	if failures["robin"] != 2 || failures["unknown"] != 1 || failures[""] != 3 {
		t.Errorf("failed log-ins: %+v", s.FailedLogIns)
	}
	said := printed.Out + whole.Command(t, env, "", "status").Out + whole.Command(t, env, "", "status", "-o", "csv").Out
	if strings.Contains(said, "bees-and-honey-2") {
		t.Error("a name that may be a password is told")
	}
	for _, part := range []string{"it is ready for calls", "Slowest exercises", "(no such account)", "Disk,apiary"} {
		if !strings.Contains(said, part) {
			t.Errorf("%q is not in\n%s", part, said)
		}
	}
}
