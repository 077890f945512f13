package test

import (
	"fmt"
	"io/fs"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"examen/internal/client"
	"examen/internal/demo"
	"examen/test/whole"
)

// Of somebody who was made anonymous nothing tells any more who it was: no table of the records, no file of the data
// folder that is text, no log, no answer of another service that had it in its caches.
func TestWhoWasMadeAnonymousIsNowhere(t *testing.T) {
	t.Parallel()
	s := restored(t, "--verbose")
	place := s.Cmd.Args[slices.Index(s.Cmd.Args, "--data-dir")+1]
	teacher := whole.As(t, s.URL, demo.InstructorName, demo.InstructorPassword)
	const login, name, address = "zebedee-q", "Zebedee Q. Featherstone (Zed)", "z.featherstone@example.org"
	if _, err := client.Read[client.AddedMember](teacher.AddMember(ctx, "evening-group", client.NewMember{
		Name: login, DisplayName: name, Email: address, Password: demo.LearnerPassword,
	})); err != nil {
		t.Fatal(err)
	}
	zebedee := whole.As(t, s.URL, login, demo.LearnerPassword)
	for n, sql := range []string{
		"SELECT name, valley FROM apiary -- by " + name, "SELECT * FROM hive WHERE name = '" + name + "'",
		`SELECT "` + name + `" FROM hive`, "SELECT '" + address + "'::integer", "SELEC '" + name + "'",
		"SELECT '" + login + "' AS name, valley FROM apiary",
	} {
		if _, err := client.Read[client.Attempt](
			zebedee.Submit(ctx, "first-look", "1", client.Submission{Sql: sql, Key: fmt.Sprint(login, n)}),
		); err != nil {
			t.Fatal(sql, err)
		}
		if _, err := client.Read[client.Run](
			zebedee.Run(ctx, client.RunRequest{Sql: sql, Paper: "first-look"}),
		); err != nil {
			t.Fatal(sql, err)
		}
		if _, err := client.Read[client.Draft](
			zebedee.KeepDraft(ctx, "first-look", "2", client.DraftText{Sql: sql}),
		); err != nil {
			t.Fatal(sql, err)
		}
	}
	history, err := client.Read[client.HistoryPage](zebedee.ListHistory(ctx, &client.ListHistoryParams{}))
	if err != nil || len(history.Entries) < 12 {
		t.Fatalf("%+v %v", history, err)
	}
	if _, err := client.Read[client.NoteWritten](teacher.WriteNote(ctx, client.NewNote{
		Attempt: history.Entries[len(history.Entries)-1].Id, Text: "Dear " + name,
	})); err != nil {
		t.Fatal(err)
	}
	teachers := whole.Token(t, s.URL, demo.InstructorName, demo.InstructorPassword)
	if code, text := whole.Asked(t, s.URL, "PUT", "/api/papers/first-look/exercises/2/marks/"+login, teachers,
		`{"course": "evening-group", "mark": 1, "reason": "`+name+` told me"}`); code != 200 {
		t.Fatal(code, text)
	}
	_ = problemOf(t)(zebedee.LogIn(ctx, client.LogIn{Name: login, Password: "wrong", Kind: client.Bearer}))
	told := func() (all []string) { // what instructors are told
		for _, path := range []string{
			"/api/courses/evening-group", "/api/papers/first-look/progress", "/api/papers/first-look/marks?format=csv",
			"/api/papers/first-look/same?course=evening-group", "/api/courses/evening-group/overview",
			"/api/log?limit=100", "/api/history?limit=100&kind=attempt", "/api/marking", "/api/status",
			"/api/papers/first-look/exercises/names-and-valleys/class?course=evening-group",
		} {
			code, text := whole.Asked(t, s.URL, "GET", path, teachers, "")
			if code != http.StatusOK && code != http.StatusNotFound {
				t.Errorf("%s: %d", path, code)
			}
			all = append(all, path+": "+text)
		}
		return all
	}
	if all := strings.Join(told(), ""); !strings.Contains(all, name) || !strings.Contains(all, login) {
		t.Fatal("nobody is told of the learner")
	}
	if _, err := client.Read[client.Account](
		teacher.SetActive(ctx, login, client.Active{Active: false}),
	); err != nil {
		t.Fatal(err)
	}
	if _, err := client.Read[client.Account](teacher.Anonymise(ctx, login)); err != nil {
		t.Fatal(err)
	}

	tells := func(text string) string {
		for _, part := range []string{"zebedee", "featherstone"} {
			if at := strings.Index(strings.ToLower(text), part); at >= 0 {
				return text[max(0, at-60):min(len(text), at+60)]
			}
		}
		return ""
	}
	for _, answer := range told() {
		if found := tells(answer); found != "" {
			t.Errorf("an answer: ... %s ... (%.60s)", found, answer)
		}
	}
	records := whole.Superuser(t, place, "records", "postgres")
	for _, table := range tablesOf(t, records) {
		for _, row := range texts(t, records, fmt.Sprintf("SELECT to_jsonb(r)::text FROM %q AS r", table)) {
			if found := tells(row); found != "" {
				t.Errorf("the table %s: ... %s ...", table, found)
			}
		}
	}
	s.Stop()
	if found := tells(s.Errs.String()); found != "" {
		t.Errorf("the log: ... %s ...", found)
	}
	if err := filepath.WalkDir(place, func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || !strings.HasSuffix(path, ".log") && !strings.HasSuffix(path, ".yaml") {
			return err
		}
		text, err := os.ReadFile(path)
		if found := tells(string(text)); found != "" {
			t.Errorf("%s: ... %s ...", path, found)
		}
		return err
	}); err != nil {
		t.Fatal(err)
	}
}
