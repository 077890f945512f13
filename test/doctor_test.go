package test

import (
	"encoding/json"
	"fmt"
	"log/slog"
	"net"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"examen/test/whole"

	"github.com/jackc/pgx/v5"

	"examen/internal/postgres"
)

// diagnosis is what examen doctor says, by what it is about: "bad records: ...".
func diagnosis(t *testing.T, env []string, args ...string) (says []string, code int) {
	t.Helper()
	p := whole.Command(t, env, "", append([]string{"doctor", "-o", "json"}, args...)...)
	var remarks []struct{ About, Says, Found, Do string }
	if err := json.Unmarshal([]byte(p.Out), &remarks); err != nil {
		t.Fatalf("%+v", p)
	}
	for _, r := range remarks {
		says = append(says, fmt.Sprintf("%s %s: %s; %s", r.Says, r.About, r.Found, r.Do))
		if r.Do == "" && (r.Says == "bad" || r.Says == "doubtful") {
			t.Errorf("%+v: what is to be done?", r)
		}
	}
	return says, p.Code
}

// Of a set-up that works nothing is bad, whether the service runs or not, and nothing is changed by looking.
func TestDoctorOnAGoodSetUp(t *testing.T) {
	t.Parallel()
	place := filepath.Join(whole.DataDir(t), "new")
	says, code := diagnosis(t, nil, "--data-dir", place)
	if all := strings.Join(says, "\n"); code != 0 || strings.Contains(all, "bad ") ||
		!strings.Contains(all, "good data folder: "+place+" will be made") ||
		!strings.Contains(all, "unknown practice: Examen's own cluster does not run now") {
		t.Errorf("before the first start: %d\n%s", code, all)
	}
	if _, err := os.Stat(place); err == nil {
		t.Error("a folder was made")
	}
	s := whole.Start(t, "serve", "--data-dir", place)
	says, code = diagnosis(t, nil, "--data-dir", place, "--seats", "4")
	for _, part := range []string{
		"good records:", "good practice server:", "good locale:", "good rights:", "good memory:", "good TLS:",
		"good PostgreSQL:", "good time zone:", "clock:",
	} {
		if all := strings.Join(says, "\n"); code != 0 || !strings.Contains(all, part) || strings.Contains(all, "bad ") {
			t.Errorf("while it runs: %d, no %q in\n%s", code, part, all)
		}
	}
	if code, _ := whole.Asked(t, s.URL, "GET", "/api/health", "", ""); code != 200 {
		t.Errorf("afterwards the service says %d", code)
	}
}

// Each thing that is amiss is named, with what mends it.
func TestDoctorOnABadSetUp(t *testing.T) {
	t.Parallel()
	folder := whole.DataDir(t)
	c, err := postgres.Start(ctx, postgres.Options{
		Folder: filepath.Join(folder, "server"), Super: "examen", Scratch: true, Log: slog.New(slog.DiscardHandler),
	})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(c.Stop)
	conn, err := pgx.Connect(ctx, c.URL("postgres"))
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(ctx)
	for _, sql := range []string{
		"CREATE ROLE somebody LOGIN PASSWORD 'x'", "CREATE ROLE examen_seat_1_01", "CREATE ROLE keeper SUPERUSER",
		"GRANT keeper TO examen_seat_1_01",
		"CREATE DATABASE old ENCODING 'LATIN1' LOCALE 'C' TEMPLATE template0",
	} {
		if _, err := conn.Exec(ctx, sql); err != nil {
			t.Fatal(err)
		}
	}
	somebody := strings.Replace(c.URL("old"), "examen:", "somebody:x@", 1)
	if at := strings.Index(somebody, "@"); strings.Count(somebody, "@") > 1 { // the superuser's password goes
		somebody = somebody[:at] + somebody[strings.LastIndex(somebody, "@"):]
	}
	tls := t.TempDir()
	certify(t, tls, "first")
	cert, key := filepath.Join(tls, "cert.pem"), filepath.Join(tls, "key.pem")
	full := filepath.Join(tls, "a-file")
	if err := os.WriteFile(full, nil, 0o600); err != nil {
		t.Fatal(err)
	}
	closed := listen(t)
	nowhere := closed.Addr().(*net.TCPAddr).String()
	closed.Close()
	for _, c := range []struct {
		name string
		env  []string
		args []string
		says []string
	}{
		{"one server for both", nil, []string{"--records-url", c.URL("postgres"), "--practice-url", c.URL("postgres")},
			[]string{"bad practice server: it is the same server as the records'; name another"}},
		{"rights and encoding", nil, []string{"--records-url", somebody, "--practice-url", somebody}, []string{
			"bad records: its encoding is LATIN1", "bad records: the user does not own the database",
			"bad practice server: its user is no superuser",
		}},
		{"seats with more rights", nil, []string{"--practice-url", c.URL("postgres"), "--data-dir", folder + "/new"},
			[]string{"bad practice server: seats have more rights than they may: examen_seat_1_01 is a member of",
				"doubtful practice server: it allows 100 connections"}},
		{"servers that are away", nil, []string{
			"--records-url", "postgres://x@" + nowhere + "/x", "--practice-url", "postgres://x@" + nowhere + "/y",
		}, []string{"bad records: 127.0.0.1 cannot be used", "connection refused; start the server"}},
		{"a standby that is none", nil, []string{
			"--practice-url", c.URL("postgres"), "--practice-standby", c.URL("postgres"),
			"--data-dir", folder + "/new",
		}, []string{"bad standby: it is no standby"}},
		{"plain text", nil, []string{"--listen", "0.0.0.0:8080", "--data-dir", folder + "/new"},
			[]string{"bad TLS: on 0.0.0.0:8080 other machines would send their passwords in plain text"}},
		{"another's certificate", nil, []string{
			"--tls-cert", cert, "--tls-key", key, "--public-url", "https://examen.example.org",
			"--data-dir", folder + "/new",
		}, []string{"doubtful TLS: the certificate ends on", "and not for examen.example.org; have a certificate for"}},
		{"no certificate", nil, []string{"--tls-cert", full, "--tls-key", key, "--data-dir", folder + "/new"},
			[]string{"bad TLS: TLS: tls: failed to find any PEM data"}},
		{"no folder", nil, []string{"--data-dir", full}, []string{"bad data folder: " + full + " is no folder"}},
		{"too much memory", nil, []string{"--limit-memory", "9000000", "--data-dir", folder + "/new"},
			[]string{"bad memory: ", "more than there is; lower --limit-memory"}},
		{"too little memory", nil, []string{"--limit-memory", "1024", "--data-dir", folder + "/new"},
			[]string{"doubtful memory: ", "only 4 of 16 queries run at once"}},
		{"no zone", []string{"TZ=Nowhere"}, []string{"--data-dir", folder + "/new"},
			[]string{`doubtful time zone: TZ is "Nowhere"`}},
		{"no mail server", nil, []string{
			"--mail-server", "smtp://" + nowhere, "--mail-from", "examen@example.org", "--data-dir", folder + "/new",
		}, []string{"doubtful e-mail: the mail server does not answer"}},
	} {
		says, code := diagnosis(t, c.env, c.args...)
		all := strings.Join(says, "\n")
		for _, part := range c.says {
			if !strings.Contains(all, part) {
				t.Errorf("%s: no %q in\n%s", c.name, part, all)
			}
		}
		if (code == 3) != strings.Contains(all, "bad ") {
			t.Errorf("%s: the exit code is %d for\n%s", c.name, code, all)
		}
	}
}
