package course_test

import (
	"context"
	"log/slog"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5/pgxpool"

	"examen/internal/account"
	"examen/internal/core/marking"
	"examen/internal/course"
	"examen/internal/post"
	"examen/internal/post/posttest"
	"examen/internal/records/query"
)

// sent sends all e-mail that waits, and returns what the server took: to whom, and about what.
func sent(t *testing.T, mails *course.Mails, server *posttest.Server) string {
	t.Helper()
	pool, err := pgxpool.New(ctx, url)
	if err != nil {
		t.Fatal(err)
	}
	defer pool.Close()
	rows, err := pool.Query(ctx, "SELECT id FROM mail WHERE state = 'waiting' ORDER BY id")
	if err != nil {
		t.Fatal(err)
	}
	var ids []int64
	for rows.Next() {
		var id int64
		if err := rows.Scan(&id); err != nil {
			t.Fatal(err)
		}
		ids = append(ids, id)
	}
	var all []string
	for _, id := range ids {
		if err := mails.Send(ctx, id); err != nil {
			all = append(all, "later")
		}
		select {
		case m := <-server.Took:
			all = append(all, strings.TrimSuffix(m.To, "@example.org")+": "+m.Subject)
		default:
		}
	}
	return strings.Join(all, "; ")
}

// Learners are told by e-mail of a paper that is due soon, of a note, and of marks that are released: those who have an
// address and want it, each once; and not before outcomes are told.
func TestEMail(t *testing.T) {
	y := open(t)
	hazel := y.course(t, "mailed")
	server, err := posttest.New()
	if err != nil {
		t.Fatal(err)
	}
	defer server.Close()
	sender, err := post.New(server.URL, "examen@example.org")
	if err != nil {
		t.Fatal(err)
	}
	mails := course.NewMails(y.Courses, sender, "https://examen.example.org", slog.New(slog.DiscardHandler))
	join := func(name, email string) account.Account {
		t.Helper()
		if _, err := y.People().Add(ctx, hazel, "mailed", course.NewMember{
			Name: name, Email: email, Password: "long enough it is",
		}); err != nil {
			t.Fatal(err)
		}
		return y.Account(t, name)
	}
	robin, quiet := join("robin-mailed", "robin@example.org"), join("quiet-mailed", "quiet@example.org")
	join("nowhere-mailed", "")
	off := account.Preferences{TextSize: 14, Look: account.System}
	if err := y.Accounts.SetPreferences(context.Background(), quiet, off); err != nil {
		t.Fatal(err)
	}
	due := y.Now.Add(20 * time.Hour)
	rules := marking.Rules{Tell: marking.Released}
	y.set(t, "mailed", course.NewSet{Due: &due, Rules: &rules})
	for range 2 { // each is reminded once
		if err := mails.RemindNow(ctx); err != nil {
			t.Fatal(err)
		}
	}
	if got := sent(t, mails, server); got != "robin: Hives is due soon" {
		t.Errorf("due soon: %s", got)
	}
	y.attempt(t, robin, "mailed", "all", "incorrect", "0")
	y.attempt(t, quiet, "mailed", "all", "incorrect", "0")
	history, err := y.Store.History(ctx, query.HistoryParams{AccountID: robin.ID, Page: 1, MostBytes: 1 << 20})
	if err != nil {
		t.Fatal(err)
	}
	note := func() {
		t.Helper()
		if _, _, err := y.Notes().Write(ctx, hazel, course.NewNote{Attempt: history[0].ID,
			Text: "Which order?"}); err != nil {
			t.Fatal(err)
		}
	}
	note()
	if got := sent(t, mails, server); got != "" {
		t.Errorf("a note that is told later: %s", got)
	}
	if _, err := y.Sets().Release(ctx, hazel, "mailed", "hives", true); err != nil {
		t.Fatal(err)
	}
	if got := sent(t, mails, server); got != "robin: The marks of Hives are released" {
		t.Errorf("released: %s", got)
	}
	// A server that refuses for now is asked again; one that refuses for good is not.
	server.Refuse("robin@example.org", "450 later")
	note()
	if got := sent(t, mails, server); got != "later" {
		t.Errorf("refused for now: %s", got)
	}
	server.Refuse("robin@example.org", "")
	if got := sent(t, mails, server); got != "robin: A note on All hives" {
		t.Errorf("taken then: %s", got)
	}
	server.Refuse("robin@example.org", "550 no such person")
	note()
	if got := sent(t, mails, server) + sent(t, mails, server); got != "" {
		t.Errorf("refused for good: %s", got)
	}
}
