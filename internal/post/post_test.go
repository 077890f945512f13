package post_test

import (
	"context"
	"errors"
	"strings"
	"testing"

	"examen/internal/post"
	"examen/internal/post/posttest"
)

// What is taken is taken once and whole; of what is refused it is known whether there is any use in trying again.
func TestSend(t *testing.T) {
	server, err := posttest.New()
	if err != nil {
		t.Fatal(err)
	}
	defer server.Close()
	sender, err := post.New(server.URL, "examen@example.org")
	if err != nil {
		t.Fatal(err)
	}
	server.Refuse("gone@example.org", "550 no such person")
	server.Refuse("full@example.org", "450 the box is full")
	for _, c := range []struct {
		to   string
		want string
	}{
		{"robin@example.org", "taken"}, {"gone@example.org", "refused"}, {"full@example.org", "later"},
		{"nobody", "refused"}, {"robin@example.org\nBcc: all@example.org", "refused"},
	} {
		err := sender.Send(context.Background(), "1@examen", c.to, "A note", "Look at NULL.\n.\nAnd go on.\n")
		var refused *post.Refused
		got := "taken"
		if errors.As(err, &refused) {
			got = "refused"
		} else if err != nil {
			got = "later"
		}
		if got != c.want {
			t.Errorf("%q: %s (%v), want %s", c.to, got, err, c.want)
		}
	}
	if got := <-server.Took; got.To != "robin@example.org" || got.Subject != "A note" ||
		!strings.Contains(got.Text, "NULL.\n.\nAnd go on.") {
		t.Errorf("took %+v", got)
	}
	if len(server.Took) > 0 {
		t.Errorf("took %+v as well", <-server.Took)
	}
	server.Close()
	var refused *post.Refused
	err = sender.Send(context.Background(), "2@examen", "robin@example.org", "A note", "Again.")
	if err == nil || errors.As(err, &refused) {
		t.Errorf("a server that is not there: %v", err)
	}
}

func TestNewSender(t *testing.T) {
	for _, c := range []struct{ url, from string }{
		{"", "examen@example.org"}, {"mail.example.org", "examen@example.org"}, {"http://mail.example.org", "a@b.org"},
		{"smtp://mail.example.org", "nobody"}, {"smtp://", "a@b.org"},
	} {
		if _, err := post.New(c.url, c.from); err == nil {
			t.Errorf("%q, %q is taken", c.url, c.from)
		}
	}
	for _, url := range []string{"smtp://mail.example.org", "smtps://a:b@mail.example.org:465", "smtp://127.0.0.1:25"} {
		if _, err := post.New(url, "examen@example.org"); err != nil {
			t.Errorf("%q: %v", url, err)
		}
	}
}
