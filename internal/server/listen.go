package server

import (
	"cmp"
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"sync"
	"syscall"
	"time"

	"golang.org/x/crypto/acme"
	"golang.org/x/crypto/acme/autocert"
)

// TLS says how the service shows who it is: with a certificate in files, or one that it has an authority issue by ACME
// (RFC 8555) for the names by which it is reached. Without either it speaks plain HTTP.
type TLS struct {
	Cert, Key string   // files, as PEM
	Names     []string // of ACME
	Directory string   // of the ACME authority, a URL; "" is Let's Encrypt's
	Email     string   // to which the authority writes, or ""
}

// config returns what TLS is spoken with; nil for plain HTTP. What ACME issues is kept below the folder.
func (t TLS) config(folder string, log *slog.Logger) (*tls.Config, error) {
	switch {
	case len(t.Names) > 0 && (t.Cert != "" || t.Key != ""):
		return nil, errors.New(
			"the certificate comes from files (--tls-cert, --tls-key) or by ACME (--acme-name), not both",
		)
	case len(t.Names) > 0:
		by := &autocert.Manager{
			Prompt: autocert.AcceptTOS, HostPolicy: autocert.HostWhitelist(t.Names...), Email: t.Email,
			Cache:  autocert.DirCache(filepath.Join(folder, "certificates")),
			Client: &acme.Client{DirectoryURL: cmp.Or(t.Directory, autocert.DefaultACMEDirectory)},
		}
		config := by.TLSConfig()
		config.MinVersion = tls.VersionTLS12
		return config, nil
	case t.Cert != "" && t.Key != "":
		c := &certificate{TLS: t, log: log}
		if _, err := c.read(); err != nil {
			return nil, fmt.Errorf("TLS: %w (--tls-cert, --tls-key)", err)
		}
		return &tls.Config{
			MinVersion: tls.VersionTLS12, NextProtos: []string{"h2", "http/1.1"},
			GetCertificate: func(*tls.ClientHelloInfo) (*tls.Certificate, error) { return c.read() },
		}, nil
	case t.Cert != "" || t.Key != "":
		return nil, errors.New("a certificate and its key are needed both: --tls-cert, --tls-key")
	}
	return nil, nil
}

// certificate is in files, and read again when they have changed.
type certificate struct {
	TLS
	log *slog.Logger

	mu      sync.Mutex
	changed [2]time.Time // the files that were read last, whether they could be or not
	last    *tls.Certificate
}

// read returns the certificate. Where new files cannot be read, the one before stays in use, and the log says so.
func (c *certificate) read() (*tls.Certificate, error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	var changed [2]time.Time
	for i, file := range []string{c.Cert, c.Key} {
		info, err := os.Stat(file)
		switch {
		case err == nil:
			changed[i] = info.ModTime()
		case c.last == nil:
			return nil, err
		}
	}
	if c.last != nil && changed == c.changed {
		return c.last, nil
	}
	read, err := tls.LoadX509KeyPair(c.Cert, c.Key)
	switch {
	case err == nil:
		c.last = &read
	case c.last == nil:
		return nil, err
	default: // perhaps one of the two is still to come
		c.log.Warn("the new certificate cannot be read: the one before stays in use", "error", err)
	}
	c.changed = changed
	return c.last, nil
}

// listen opens the address, says what URL that makes, and refuses one that is open to others without anything that
// encrypts.
func (s *Server) listen(options Options, encrypted bool) (err error) {
	if s.listener, err = net.Listen("tcp", options.Listen); err != nil {
		if errors.Is(err, syscall.EADDRINUSE) {
			return fmt.Errorf(
				"the address %s is taken by another program: choose another, such as --listen 127.0.0.1:0 for any "+
					"free port (with make: make demo PORT=8090)",
				options.Listen,
			)
		}
		return fmt.Errorf("listen on %s: %w", options.Listen, err)
	}
	public, err := options.Trust.Public()
	if err != nil {
		return err
	}
	s.url = "http://" + s.Address()
	if encrypted {
		s.url = "https://" + s.Address()
	}
	s.url = cmp.Or(public.String(), s.url)
	address, ok := s.listener.Addr().(*net.TCPAddr)
	if !ok || address.IP.IsLoopback() || encrypted || len(options.Trust.Proxies) > 0 {
		return nil
	}
	return fmt.Errorf(
		"on %s other machines would send their passwords in plain text: give a certificate (--tls-cert and "+
			"--tls-key, or --acme-name), or name the proxy that encrypts in front (--trusted-proxy), or listen on "+
			"127.0.0.1 only",
		options.Listen,
	)
}

// serve answers calls, and counts those in progress that came before the service was to stop.
func (s *Server) serve(handler http.Handler, encrypted *tls.Config, log *slog.Logger) {
	s.http = &http.Server{
		Handler: http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			select {
			case <-s.stopping: // nobody waits for these
			default:
				s.calls.Add(1)
				defer s.calls.Add(-1)
			}
			handler.ServeHTTP(w, r)
		}),
		ReadHeaderTimeout: 10 * time.Second, IdleTimeout: 2 * time.Minute, MaxHeaderBytes: 64 << 10,
		TLSConfig: encrypted, ErrorLog: slog.NewLogLogger(log.Handler(), slog.LevelWarn),
	}
	go func() {
		if encrypted != nil {
			s.failed <- s.http.ServeTLS(s.listener, "", "")
			return
		}
		s.failed <- s.http.Serve(s.listener)
	}()
}

// obtain has the certificates issued that are missing or run out, before somebody waits for one. What is amiss is
// logged.
func (t TLS) obtain(config *tls.Config, log *slog.Logger) {
	for _, name := range t.Names {
		go func() {
			if _, err := config.GetCertificate(&tls.ClientHelloInfo{
				ServerName: name, CipherSuites: []uint16{tls.TLS_ECDHE_ECDSA_WITH_AES_128_GCM_SHA256},
			}); err != nil {
				log.Warn("no certificate could be had by ACME", "name", name, "error", err)
			}
		}()
	}
}

// endCalls has the calls in progress end. While they do, those that come are still answered, if only to say that they
// are to be sent again.
func (s *Server) endCalls() {
	if s.http == nil {
		if s.listener != nil {
			s.listener.Close()
		}
		return
	}
	ctx, cancel := context.WithTimeout(context.Background(), s.patience)
	defer cancel()
	for s.calls.Load() > 0 && ctx.Err() == nil {
		time.Sleep(10 * time.Millisecond)
	}
	if s.http.Shutdown(ctx) != nil {
		s.http.Close()
	}
}
