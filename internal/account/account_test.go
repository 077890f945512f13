package account

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"

	"examen/internal/postgres/postgrestest"
	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/records/query"
)

var url string

func TestMain(m *testing.M) { postgrestest.Main(m, func(u string) { url = u }) }

var ctx = context.Background()

// A clock is set by the test.
type clock struct{ time.Time }

func (c *clock) now() time.Time { return c.Time }

// accounts are those of records in which wren is an administrator with the password "bees and honey".
func accounts(t *testing.T) (*Accounts, *clock) {
	t.Helper()
	store, err := records.Open(ctx, url)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(store.Close)
	c := &clock{time.Now()}
	a := New(store, Limits{Calls: 3, Text: 100}, c.now)
	if _, err := a.MakeAdministrator(ctx, "wren", "Wren Halloway", "bees and honey"); err != nil {
		t.Fatal(err)
	}
	return a, c
}

// kind is the kind of problem that an error is; "" for no error.
func kind(t *testing.T, err error) string {
	t.Helper()
	var p *problem.Problem
	switch {
	case err == nil:
		return ""
	case !errors.As(err, &p):
		t.Fatal(err)
	}
	return strings.TrimPrefix(p.Type, "examen:")
}

func TestLoggingInAndOut(t *testing.T) {
	a, c := accounts(t)
	for _, l := range []struct {
		name, password, kind string
		want                 string
	}{
		{"wren", "bees and honey", Bearer, ""}, {" Wren ", "bees and honey", Cookie, ""},
		{"wren", "bees and hone", Cookie, "wrong-log-in"},
		{"nobody", "bees and honey", Cookie, "wrong-log-in"}, {"", "", Cookie, "wrong-log-in"},
		{"wr\x00en", "x", Cookie, "wrong-log-in"},
		{"wren", "bees and honey", "ticket", "kind"},
	} {
		_, _, _, err := a.LogIn(ctx, LogIn{Name: l.name, Password: l.password, Kind: l.kind, Address: "192.0.2.1"})
		if got := kind(t, err); got != l.want {
			t.Errorf("%+v: got %q", l, got)
		}
	}
	session, token, _, err := a.LogIn(
		ctx, LogIn{Name: "wren", Password: "bees and honey", Kind: Cookie, Address: "192.0.2.1"},
	)
	if err != nil {
		t.Fatal(err)
	}
	// A session lasts to the second.
	c.Time = session.Expires.Add(-time.Second)
	if found, err := a.Session(ctx, token); err != nil || found.Account.Name != "wren" ||
		found.CSRFToken != session.CSRFToken {
		t.Errorf("got %+v, %v", found, err)
	}
	c.Time = session.Expires.Add(time.Second)
	if _, err := a.Session(ctx, token); kind(t, err) != "no-session" {
		t.Errorf("after its time: %v", err)
	}
	c.Time = session.Expires.Add(-time.Second)
	if err := a.LogOut(ctx, session); err != nil {
		t.Fatal(err)
	}
	if _, err := a.Session(ctx, token); kind(t, err) != "no-session" {
		t.Errorf("after logging out: %v", err)
	}
}

func TestWrongPasswordsHaveToWait(t *testing.T) {
	a, _ := accounts(t)
	try := func(password, device string) (string, string) {
		_, _, known, err := a.LogIn(
			ctx, LogIn{Name: "wren", Password: password, Kind: Bearer, Address: "192.0.2.7", Device: device},
		)
		return kind(t, err), known
	}
	_, device := try("bees and honey", "")
	var last string
	for range 5 {
		last, _ = try("wasps", "")
	}
	if last != "slow-down" {
		t.Errorf("after five wrong passwords: %q", last)
	}
	// Who is known by the device is not held up by others' guesses.
	if got, _ := try("bees and honey", device); got != "" {
		t.Errorf("on a device that is known: %q", got)
	}
}

func TestOneTimePasswordsEnd(t *testing.T) {
	a, c := accounts(t)
	one := a.newOneTime()
	_, err := a.records.CreateAccount(
		ctx,
		query.CreateAccountParams{
			Name:         "posy",
			DisplayName:  "Posy",
			Password:     one.Hash,
			OneTime:      true,
			OneTimeUntil: &one.Until,
		},
	)
	if err != nil {
		t.Fatal(err)
	}
	logIn := func() string {
		_, _, _, err := a.LogIn(ctx, LogIn{Name: "posy", Password: one.Password, Kind: Bearer, Address: "192.0.2.9"})
		return kind(t, err)
	}
	if c.Time = one.Until.Add(-time.Second); logIn() != "" {
		t.Error("it is not taken within its time")
	}
	if c.Time = one.Until.Add(time.Second); logIn() != "one-time-expired" {
		t.Error("it is taken after its time")
	}
}

// How long one-time passwords are taken is a setting; many are made at once, and each opens one session that has to
// choose another.
func TestOneTimePasswordsForMany(t *testing.T) {
	a, c := accounts(t)
	short := New(a.records, Limits{OneTime: time.Hour}, c.now)
	var all []NewAccount
	for i := range 500 {
		all = append(all, NewAccount{Name: fmt.Sprintf("many-%d", i), DisplayName: "Many"})
	}
	var issued []Issued
	err := a.records.Together(ctx, func(t *records.Transaction) (err error) {
		issued, err = short.MakeMany(ctx, t, all)
		return err
	})
	if err != nil || len(issued) != 500 || !issued[0].Until.Equal(c.Time.Add(time.Hour)) {
		t.Fatalf("got %d, %v", len(issued), err)
	}
	in := LogIn{Name: issued[7].Name, Password: issued[7].Password, Kind: Bearer, Address: "192.0.2.77",
		Client: "a\x00b"}
	session, _, _, err := short.LogIn(ctx, in)
	if err != nil || !session.Account.OneTime {
		t.Fatalf("got %+v, %v", session, err)
	}
	in.Password = issued[8].Password
	if _, _, _, err := short.LogIn(ctx, in); kind(t, err) != "wrong-log-in" {
		t.Errorf("another's password: %v", err)
	}
}

// Sessions are listed with where they came from, and each can be ended.
func TestSessionsAreListedAndEnded(t *testing.T) {
	a, _ := accounts(t)
	logIn := func(from, client string) *Session {
		in := LogIn{Name: "wren", Password: "bees and honey", Kind: Bearer, Address: from, Client: client}
		_, token, _, err := a.LogIn(ctx, in)
		if err != nil {
			t.Fatal(err)
		}
		session, err := a.Session(ctx, token)
		if err != nil {
			t.Fatal(err)
		}
		return session
	}
	logIn("192.0.2.21", "a browser")
	second := logIn("192.0.2.22", "another")
	open, err := a.Sessions(ctx, second, "wren")
	if err != nil || len(open) < 2 || !open[0].Own || open[1].Client != "a browser" || open[1].Address != "192.0.2.21" {
		t.Fatalf("got %+v, %v", open, err)
	}
	if err := a.EndSession(ctx, second, "wren", open[1].ID); err != nil {
		t.Fatal(err)
	}
	if err := a.EndSession(ctx, second, "wren", open[1].ID); kind(t, err) != "no-such-session" {
		t.Errorf("ended twice: %v", err)
	}
	open, err = a.Sessions(ctx, second, "wren")
	for _, o := range open {
		if o.Address == "192.0.2.21" || err != nil {
			t.Errorf("it is there still: %+v, %v", o, err)
		}
	}
}

func TestWhatOneLearnerMayAsk(t *testing.T) {
	a, _ := accounts(t)
	robin, hazel := Account{ID: 1}, Account{ID: 2, Courses: []Membership{{1, "evening", Instructor}}}
	for range 3 {
		if err := a.Throttle().Admit(robin, OneCall); err != nil {
			t.Error(err)
		}
	}
	if got := kind(t, a.Throttle().Admit(robin, OneCall)); got != "slow-down" {
		t.Errorf("the fourth call: %q", got)
	}
	text := a.Throttle().AdmitText
	if err := text(robin, 100); err != nil || kind(t, text(robin, 1)) != "slow-down" {
		t.Errorf("text: %v", err)
	}
	for range 10 {
		if err := errors.Join(a.Throttle().Admit(hazel, OneCall), a.Throttle().AdmitText(hazel, 1000)); err != nil {
			t.Error(err)
		}
	}
}

// An address may ask for what a hundred learners may; whoever has a network of IPv6 addresses is one all the same.
func TestWhatOneAddressMayAsk(t *testing.T) {
	a, _ := accounts(t)
	hazel := Account{ID: 2, Courses: []Membership{{1, "evening", Instructor}}}
	for _, c := range []struct {
		what    string
		ask     func(n int) error
		allowed int
	}{
		{"calls", func(int) error { return a.Throttle().AdmitAddress("192.0.2.1", OneCall) }, 300},
		{"runs", func(int) error { return a.Throttle().AdmitAddress("192.0.2.2", OneRun) }, 75},
		{"calls of one network", func(n int) error {
			return a.Throttle().AdmitAddress(fmt.Sprintf("2001:db8:1:2::%x", n+1), OneCall)
		}, 300},
		{"of another", func(n int) error { return a.Throttle().AdmitAddress("2001:db8:1:3::1", OneCall) }, 300},
		{"files of one account", func(n int) error {
			return a.Throttle().AdmitFiles(hazel, fmt.Sprintf("192.0.2.%d", n))
		}, 60},
		{"files from one address", func(n int) error {
			return a.Throttle().AdmitFiles(Account{ID: int64(n + 1000)}, "198.51.100.3")
		}, 300},
	} {
		n := 0
		var err error
		for ; err == nil; n++ {
			err = c.ask(n)
		}
		// Some more are allowed while the test goes on.
		if n--; n < c.allowed || n > c.allowed+c.allowed/4 || kind(t, err) != "slow-down" {
			t.Errorf("%s: %d are admitted, want %d; then %v", c.what, n, c.allowed, err)
		}
		var p *problem.Problem
		if errors.As(err, &p); p.RetryAfter < 1 || p.RetryAfter > 60 {
			t.Errorf("%s: again after %d s", c.what, p.RetryAfter)
		}
	}
}

func TestPasswords(t *testing.T) {
	p := newPasswords()
	hash := p.hash("bees and honey")
	if strings.Contains(hash, "bees") || !strings.HasPrefix(hash, "$argon2id$") || hash == p.hash("bees and honey") {
		t.Fatalf("got %s", hash)
	}
	for password, want := range map[string]bool{"bees and honey": true, "bees and hone": false, "": false} {
		if got := p.verify(hash, password); got != want {
			t.Errorf("%q: got %v", password, got)
		}
	}
}
