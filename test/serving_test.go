package test

import (
	"bufio"
	"bytes"
	"compress/gzip"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/json"
	"encoding/pem"
	"fmt"
	"io"
	"math/big"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"examen/internal/client"
	"examen/internal/demo"
	"examen/test/whole"
)

// A service that would send passwords in plain text over a network, or of which it is not clear how it is to be
// reached, does not start, and says what to do.
func TestWhatServeRefuses(t *testing.T) {
	t.Parallel()
	for _, c := range []struct{ args, says string }{
		{"--listen 0.0.0.0:0", "would send their passwords in plain text: give a certificate (--tls-cert"},
		{"--listen :0", "or name the proxy that encrypts in front (--trusted-proxy)"},
		{"--listen 127.0.0.1:0 --public-url examen.example.org", "https://HOST or http://HOST:PORT is expected"},
		{"--listen 127.0.0.1:0 --public-url https://example.org/examen", "without a path"},
		{"--listen 127.0.0.1:0 --tls-cert cert.pem", "a certificate and its key are needed both"},
		{"--listen 127.0.0.1:0 --tls-cert none.pem --tls-key none.pem", "none.pem: no such file"},
		{"--listen 127.0.0.1:0 --acme-name examen.example.org --tls-cert cert.pem", "not both"},
	} {
		folder := filepath.Join(whole.DataDir(t), "new")
		p := whole.Command(t, nil, "", append(strings.Fields("serve "+c.args), "--data-dir", folder)...)
		if p.Code == 0 || !strings.Contains(p.Errs, c.says) {
			t.Errorf("%s: %+v", c.args, p)
		}
		if _, err := os.Stat(folder); err == nil {
			t.Errorf("%s: a folder was made", c.args)
		}
	}
}

// certify writes a certificate of its own for 127.0.0.1 into two files, as those who renew one do, and returns it.
func certify(t *testing.T, folder, name string) *x509.Certificate {
	t.Helper()
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		t.Fatal(err)
	}
	of := &x509.Certificate{
		SerialNumber: big.NewInt(1), Subject: pkix.Name{CommonName: name}, NotBefore: time.Now().Add(-time.Hour),
		NotAfter: time.Now().Add(time.Hour), IPAddresses: []net.IP{net.IPv4(127, 0, 0, 1)},
		IsCA: true, BasicConstraintsValid: true, KeyUsage: x509.KeyUsageCertSign | x509.KeyUsageDigitalSignature,
	}
	cert, err := x509.CreateCertificate(rand.Reader, of, of, &key.PublicKey, key)
	if err != nil {
		t.Fatal(err)
	}
	encoded, err := x509.MarshalPKCS8PrivateKey(key)
	if err != nil {
		t.Fatal(err)
	}
	for file, block := range map[string]*pem.Block{
		"cert.pem": {Type: "CERTIFICATE", Bytes: cert}, "key.pem": {Type: "PRIVATE KEY", Bytes: encoded},
	} {
		if err := os.WriteFile(filepath.Join(folder, file), pem.EncodeToMemory(block), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	of, err = x509.ParseCertificate(cert)
	if err != nil {
		t.Fatal(err)
	}
	return of
}

// With a certificate in files the service speaks HTTPS, and HTTP/2; a renewed one is taken without a restart.
func TestTLSFromFiles(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	first := certify(t, folder, "first")
	s := restored(
		t, "--tls-cert", filepath.Join(folder, "cert.pem"), "--tls-key", filepath.Join(folder, "key.pem"),
	)
	if !strings.HasPrefix(s.URL, "https://") {
		t.Fatalf("it is said to be at %s", s.URL)
	}
	shown := func(trusted *x509.Certificate) (name string, err error) {
		roots := x509.NewCertPool()
		roots.AddCert(trusted)
		browser := &http.Client{Transport: &http.Transport{
			ForceAttemptHTTP2: true, TLSClientConfig: &tls.Config{RootCAs: roots}, DisableKeepAlives: true,
		}}
		body, _ := json.Marshal(
			client.LogIn{Name: demo.LearnerName, Password: demo.LearnerPassword, Kind: client.Cookie},
		)
		answer, err := browser.Post(s.URL+"/api/session", "application/json", bytes.NewReader(body))
		if err != nil {
			return "", err
		}
		answer.Body.Close()
		if answer.StatusCode != 201 || answer.ProtoMajor != 2 || !answer.Cookies()[0].Secure ||
			answer.Header.Get("Strict-Transport-Security") == "" {
			t.Errorf("%d over %s: %v", answer.StatusCode, answer.Proto, answer.Header)
		}
		return answer.TLS.PeerCertificates[0].Subject.CommonName, nil
	}
	if name, err := shown(first); name != "first" {
		t.Fatal(name, err)
	}
	if answer, err := http.Get(strings.Replace(s.URL, "https", "http", 1) + "/api/health"); err == nil {
		if answer.Body.Close(); answer.StatusCode != 400 {
			t.Errorf("plain HTTP is answered with %d", answer.StatusCode)
		}
	}
	if err := os.WriteFile(filepath.Join(folder, "cert.pem"), []byte("half of"), 0o600); err != nil {
		t.Fatal(err)
	}
	if name, err := shown(first); name != "first" {
		t.Errorf("while the new one is being written: %q %v", name, err)
	}
	if name, err := shown(certify(t, folder, "second")); name != "second" {
		t.Errorf("the new one is not shown: %q %v", name, err)
	}
}

// A certificate is had by ACME from an authority, which looks whether the service is at the name that it says; it is
// kept for the next start.
func TestACertificateByACME(t *testing.T) {
	folder := t.TempDir()
	certify(t, folder, "the authority")
	t.Setenv("SSL_CERT_FILE", filepath.Join(folder, "cert.pem"))
	t.Setenv("PEBBLE_VA_NOSLEEP", "1")
	address, directory, dns := freePort(t), freePort(t), freePort(t)
	_, port, _ := net.SplitHostPort(address)
	config := fmt.Sprintf(`{"pebble": {"listenAddress": %q, "certificate": %q, "privateKey": %q, "tlsPort": %s}}`,
		directory, filepath.Join(folder, "cert.pem"), filepath.Join(folder, "key.pem"), port)
	if err := os.WriteFile(filepath.Join(folder, "authority.json"), []byte(config), 0o600); err != nil {
		t.Fatal(err)
	}
	authority := tool(t, "pebble", "-config", filepath.Join(folder, "authority.json"), "-dnsserver", dns)
	tool(t, "pebble-challtestsrv", "-dnsserver", dns, "-management", freePort(t), "-defaultIPv6", "",
		"-http01", "", "-https01", "", "-tlsalpn01", "", "-doh", "")
	whole.Until(t, "the authority is there", func() bool {
		conn, err := net.Dial("tcp", directory)
		if err == nil {
			conn.Close()
		}
		return err == nil
	})
	s := restored(t, "--listen", address, "--acme-name", "examen.test", "--acme-directory", "https://"+directory+"/dir")
	shown := func(name string) (*x509.Certificate, error) {
		//nolint:gosec // whose certificate it is, is looked at here
		conn, err := tls.Dial("tcp", address, &tls.Config{ServerName: name, InsecureSkipVerify: true})
		if err != nil {
			return nil, err
		}
		defer conn.Close()
		return conn.ConnectionState().PeerCertificates[0], nil
	}
	var first *x509.Certificate
	whole.Until(t, "there is a certificate", func() (is bool) {
		var err error
		if first, err = shown("examen.test"); err != nil { // it may take longer than a connection is waited for
			t.Logf("%v\n%s", err, authority)
		}
		return err == nil
	})
	if !strings.HasPrefix(first.Issuer.CommonName, "Pebble") || first.VerifyHostname("examen.test") != nil {
		t.Errorf("the certificate is for %v, from %s", first.DNSNames, first.Issuer)
	}
	if other, err := shown("elsewhere.test"); err == nil {
		t.Errorf("one is shown for a name that is not its own: %v", other.DNSNames)
	}
	s.Stop()
	whole.Start(t, "serve", s.Cmd.Args[2:]...)
	if again, err := shown("examen.test"); err != nil || again.SerialNumber.Cmp(first.SerialNumber) != 0 {
		t.Errorf("at the next start there is another: %v", err)
	}
}

// tool starts one of the programs in tools/go.mod, which ends with the test, and returns what it prints.
func tool(t *testing.T, name string, args ...string) *bytes.Buffer {
	t.Helper()
	path, err := exec.Command("go", "tool", "-modfile=../tools/go.mod", "-n", name).Output()
	if err != nil {
		t.Fatal(err)
	}
	cmd, printed := exec.Command(strings.TrimSpace(string(path)), args...), &bytes.Buffer{}
	cmd.Stdout, cmd.Stderr = printed, printed
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		_ = cmd.Process.Kill()
		_ = cmd.Wait()
	})
	return printed
}

// What a browser sends for another site's page is refused, whatever cookies come with it; the service's own pages, also
// under its public name, and programs are not.
func TestOtherSitesPagesAreRefused(t *testing.T) {
	t.Parallel()
	for _, c := range []struct {
		origin, site string
		refused      bool
	}{
		{"", "", false},
		{whole.Shared.URL, "same-origin", false},
		{"https://examen.example.org", "", false},
		{"https://examen.example.org", "cross-site", false}, // by a proxy that changes the host
		{"https://elsewhere.example.org", "", true},
		{"https://elsewhere.example.org", "cross-site", true},
		{"null", "", true},
		{"", "same-site", true},
	} {
		request, _ := http.NewRequest("POST", whole.Shared.URL+"/api/session", strings.NewReader(`{"name":"x"}`))
		request.Header.Set("Content-Type", "application/json")
		for name, value := range map[string]string{"Origin": c.origin, "Sec-Fetch-Site": c.site} {
			if value != "" {
				request.Header.Set(name, value)
			}
		}
		answer, err := http.DefaultClient.Do(request)
		if err != nil {
			t.Fatal(err)
		}
		text, _ := io.ReadAll(answer.Body)
		answer.Body.Close()
		if strings.Contains(string(text), "examen:cross-origin") != c.refused || c.refused && answer.StatusCode != 403 {
			t.Errorf("%q %q: %d %s", c.origin, c.site, answer.StatusCode, text)
		}
	}
}

// Long answers are compressed for those who can read them so, short ones and events are not; pages are sent again only
// where they are others.
func TestAnswersAreCompressedAndKept(t *testing.T) {
	t.Parallel()
	teacher := whole.Token(t, whole.Shared.URL, demo.InstructorName, demo.InstructorPassword)
	get := func(path string, header ...string) *http.Response {
		t.Helper()
		request, _ := http.NewRequest("GET", whole.Shared.URL+path, nil)
		request.Header.Set("Authorization", "Bearer "+teacher)
		for i := 0; i < len(header); i += 2 {
			request.Header.Set(header[i], header[i+1])
		}
		answer, err := http.DefaultTransport.RoundTrip(request)
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() { answer.Body.Close() })
		return answer
	}
	small := get("/api/papers/first-look/progress", "Accept-Encoding", "gzip")
	unpacked, err := gzip.NewReader(small.Body)
	if err != nil {
		t.Fatal(err, small.Header)
	}
	var grid client.Progress
	if err := json.NewDecoder(unpacked).Decode(&grid); err != nil || len(grid.Learners) < 20 {
		t.Errorf("%d learners, %v", len(grid.Learners), err)
	}
	for path, header := range map[string][]string{
		"/api/papers/first-look/progress": {"Accept-Encoding", "identity"},
		"/api/session":                    {"Accept-Encoding", "gzip"},
	} {
		if answer := get(path, header...); answer.Header.Get("Content-Encoding") != "" {
			t.Errorf("%s: %v", path, answer.Header)
		}
	}
	events := get("/api/papers/first-look/progress/events", "Accept-Encoding", "gzip")
	if line, err := bufio.NewReader(events.Body).ReadString('\n'); !strings.HasPrefix(line, "data: {") {
		t.Errorf("events begin with %q, %v", line, err)
	}

	page := get("/papers/first-look")
	tag := page.Header.Get("ETag")
	if again := get("/papers/first-look", "If-None-Match", tag); tag == "" || again.StatusCode != 304 {
		t.Errorf("%q: %d", tag, again.StatusCode)
	}
	text, _ := io.ReadAll(page.Body)
	_, asset, _ := strings.Cut(string(text), `src="`)
	asset, _, _ = strings.Cut(asset, `"`)
	if kept := get(asset).Header.Get("Cache-Control"); !strings.Contains(kept, "immutable") {
		t.Errorf("%s is kept %q", asset, kept)
	}
	if kept := get("/assets/none.js").Header.Get("Cache-Control"); strings.Contains(kept, "immutable") {
		t.Errorf("what is not there is kept %q", kept)
	}
}

// Whoever takes an answer drop by drop does not keep it, and its connection, for ever.
func TestSlowReaders(t *testing.T) {
	t.Parallel()
	name, robin := whole.Newcomer(t)
	run, err := client.Read[client.Run](robin.Run(ctx, client.RunRequest{
		Paper: "first-look", Sql: "SELECT repeat('honey', 20), n FROM generate_series(1, 200000) AS n",
	}))
	if err != nil {
		t.Fatal(err)
	}
	conn, err := net.Dial("tcp", strings.TrimPrefix(whole.Shared.URL, "http://"))
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close()
	fmt.Fprintf(conn, "GET /api/runs/%s/export?format=csv HTTP/1.1\r\nHost: x\r\nAuthorization: Bearer %s\r\n\r\n",
		run.Id, whole.Token(t, whole.Shared.URL, name, demo.LearnerPassword))
	taken := 0
	for drop := make([]byte, 1024); ; time.Sleep(500 * time.Millisecond) {
		n, err := conn.Read(drop)
		if taken += n; err != nil {
			break
		}
	}
	t.Logf("%d bytes had been taken", taken)
}

// A service that is told to stop finishes what it has begun, and stores it; says to whoever comes that they are to come
// back; and tells those who follow something.
func TestAServiceStopsWithoutLosingAnything(t *testing.T) {
	t.Parallel()
	s := restored(t, "--limit-time", "120s")
	robin := whole.As(t, s.URL, demo.LearnerName, demo.LearnerPassword)
	following, err := robin.FollowPaper(ctx, "first-look")
	if err != nil {
		t.Fatal(err)
	}
	defer following.Body.Close()
	const long = "(SELECT count(*) FROM generate_series(1, 3000) AS a, generate_series(1, 3000) AS b)"
	var submitted sync.WaitGroup
	submitted.Go(func() {
		a, err := client.Read[client.Attempt](robin.Submit(ctx, "first-look", "1", client.Submission{
			Sql: "SELECT name, valley FROM apiary WHERE " + long + " > 0",
			Key: "the last one",
		}))
		if err != nil || a.Outcome != client.Correct {
			t.Errorf("what was running: %+v, %v", a, err)
		}
	})
	whole.Until(t, "it runs", func() bool {
		return metrics(t, s)[`examen_seats_in_use{kind="checks",server="this-machine"}`] > 0
	})
	_ = s.Cmd.Process.Signal(syscall.SIGTERM)
	whole.Until(t, "the service says that it stops", func() bool {
		code, text := whole.Asked(t, s.URL, "GET", "/api/health", "", "")
		return code == 503 && strings.Contains(text, `"stopping":true`) && strings.Contains(text, "is stopping.")
	})
	response, err := robin.Run(ctx, client.RunRequest{Paper: "first-look", Sql: "SELECT 1"})
	if err != nil {
		t.Fatal(err)
	}
	again := response.Header.Get("Retry-After")
	if p := problemOf(t)(response, err); p.Type != "examen:stopping" || p.Status != 503 || again == "" {
		t.Errorf("a run is answered with %+v, to be sent again after %q", p, again)
	}
	if _, err := client.Read[[]client.PaperSummary](robin.ListPapers(ctx)); err != nil {
		t.Errorf("papers can still be listed: %v", err)
	}
	events, _ := io.ReadAll(following.Body)
	if !strings.HasSuffix(string(events), "event: stopping\ndata: {}\n\n") {
		t.Errorf("who follows is told %q", events)
	}
	submitted.Wait()
	if err := s.Cmd.Wait(); err != nil {
		t.Errorf("it ends with %v: %s", err, s.Errs.String())
	}
	s = whole.Start(t, "serve", s.Cmd.Args[2:]...)
	robin = whole.As(t, s.URL, demo.LearnerName, demo.LearnerPassword)
	p := problemOf(t)(robin.Submit(ctx, "first-look", "1", client.Submission{Key: "the last one", Sql: "SELECT 1"}))
	if !strings.Contains(p.Detail, "It belongs to the attempt of") {
		t.Errorf("afterwards the attempt is not there: %+v", p)
	}
}
