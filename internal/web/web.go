// Package web serves Examen over HTTP: the calls of the contract (api/openapi.yaml) and the console's pages.
package web

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"net/netip"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/klauspost/compress/gzhttp"
	"github.com/klauspost/compress/gzip"
	"github.com/prometheus/client_golang/prometheus"

	"examen/internal/account"
	"examen/internal/core/panics"
	"examen/internal/course"
	"examen/internal/jobs"
	"examen/internal/library"
	"examen/internal/practice"
	"examen/internal/problem"
	"examen/internal/records"
	"examen/internal/web/contract"
	"examen/internal/work"
)

// Parts are the packages that answer the calls.
type Parts struct {
	Accounts *account.Accounts
	Courses  *course.Courses
	Library  *library.Library
	Servers  library.Servers
	Work     *work.Work
	Rechecks work.Rechecks
	Jobs     *jobs.Jobs
	Health   func(context.Context) Health
	Metrics  *prometheus.Registry // to which those of the calls are added
	Version  string
	// RecordsFree returns the bytes that are free on the records' disk; 0 where that is not known.
	RecordsFree func() int64
}

// Trust says who is trusted with what, as addresses or networks; and the address that browsers know the service by.
type Trust struct {
	Proxies   []string // to say where a call came from, what it is called, and whether it was encrypted
	Metrics   []string // to read the metrics
	PublicURL string   // "" is whatever the call is addressed to
}

// Public returns the public URL: a scheme and a host alone, both empty where none is set.
func (t Trust) Public() (url.URL, error) {
	if t.PublicURL == "" {
		return url.URL{}, nil
	}
	u, err := url.Parse(strings.TrimSuffix(t.PublicURL, "/"))
	if err != nil || u.Scheme != "https" && u.Scheme != "http" || u.Host == "" ||
		*u != (url.URL{Scheme: u.Scheme, Host: u.Host}) {
		return url.URL{}, fmt.Errorf(
			"the public URL: https://HOST or http://HOST:PORT is expected, without a path, not %q", t.PublicURL,
		)
	}
	return *u, nil
}

// A ServerState is the state of a server.
type ServerState string

// The states of servers.
const (
	Up   ServerState = "up"
	Down ServerState = "down"
	Full ServerState = "full" // its disk is
)

// Health is the state of all servers.
type Health struct {
	Records, Practice ServerState
	Unending          int // sessions on the practice server that were told to end and have not
	Stopping          bool
	Reasons           []string // why the service is not ready for calls, in sentences
}

// Handler returns the whole service as an HTTP handler. When stopping is closed, long-lived calls end.
func Handler(parts Parts, log *slog.Logger, stopping <-chan struct{}, trust Trust) (http.Handler, error) {
	gin.SetMode(gin.ReleaseMode)
	engine := gin.New()
	networks, err := networksOf(trust.Proxies)
	if err == nil {
		err = engine.SetTrustedProxies(trust.Proxies)
	}
	if err != nil {
		return nil, fmt.Errorf(
			"trusted proxies: addresses or networks are expected, as 10.0.0.7 or 10.0.0.0/8: %w", err,
		)
	}
	readers, err := networksOf(trust.Metrics)
	if err != nil {
		return nil, fmt.Errorf(
			"readers of the metrics: addresses or networks are expected, as 10.0.0.7 or 10.0.0.0/8: %w", err,
		)
	}
	public, err := trust.Public()
	if err != nil {
		return nil, err
	}
	origins := http.NewCrossOriginProtection()
	if public.Host != "" {
		if err := origins.AddTrustedOrigin(public.String()); err != nil {
			return nil, err
		}
	}
	engine.ContextWithFallback = true
	engine.HandleMethodNotAllowed = true
	engine.UseRawPath = true // a table may have a slash in its name
	s := &server{parts, log, stopping, networks, public, origins, newMetrics(parts.Metrics, readers)}
	engine.Use(received, s.named, s.traced, s.logged, s.metrics.counted)
	engine.Use(gin.CustomRecoveryWithWriter(nil, s.recovered), s.headers, slowly, s.turnedAway)

	strict := contract.NewStrictHandlerWithOptions(s, nil, contract.StrictGinServerOptions{
		RequestErrorHandlerFunc:  func(c *gin.Context, err error) { s.fail(c, unreadable(err)) },
		HandlerErrorFunc:         s.fail,
		ResponseErrorHandlerFunc: s.fail,
	})
	api := engine.Group("", s.admitted, s.fromOwnPages, s.authenticate, s.body)
	contract.RegisterHandlersWithOptions(api, strict, contract.GinServerOptions{
		ErrorHandler: func(c *gin.Context, err error, _ int) { s.fail(c, unreadable(err)) },
	})
	engine.GET("/metrics", s.readMetrics)
	engine.NoMethod(func(c *gin.Context) {
		s.fail(
			c,
			&problem.Problem{
				Type:   "examen:method",
				Title:  "The method is not allowed here",
				Status: 405,
				Detail: "See api/openapi.yaml for what each call takes.",
			},
		)
	})
	engine.NoRoute(s.page)
	smaller, err := gzhttp.NewWrapper(
		gzhttp.ContentTypes(compressible), gzhttp.MinSize(leastCompressed), gzhttp.EnableZstd(false),
		gzhttp.CompressionLevel(gzip.BestSpeed),
	)
	if err != nil {
		return nil, err
	}
	return paced(smaller(engine)), nil
}

// Answers are compressed that are text, and large enough to gain by it. The console's files are so beforehand.
var compressible = []string{
	"application/json", "application/problem+json", "application/x-ndjson", "text/csv", "text/calendar", "text/html",
	"text/plain", "text/markdown",
}

const leastCompressed = 2 << 10 // bytes

func networksOf(texts []string) (networks []netip.Prefix, err error) {
	for _, text := range texts {
		if address, err := netip.ParseAddr(text); err == nil {
			networks = append(networks, netip.PrefixFrom(address, address.BitLen()))
			continue
		}
		network, err := netip.ParsePrefix(text)
		if err != nil {
			return nil, err
		}
		networks = append(networks, network)
	}
	return networks, nil
}

// server implements the contract.
type server struct {
	Parts
	log      *slog.Logger
	stopping <-chan struct{}
	proxies  []netip.Prefix // that are trusted
	public   url.URL
	origins  *http.CrossOriginProtection
	metrics  *metrics
}

func unreadable(err error) error {
	var p *problem.Problem
	if errors.As(err, &p) {
		return p
	}
	return &problem.Problem{
		Type:   "examen:unreadable",
		Title:  "Invalid request",
		Status: 400,
		Detail: "It is not as api/openapi.yaml says: " + err.Error(),
	}
}

// fail answers with a problem (RFC 9457) and ends the call.
func (s *server) fail(c *gin.Context, err error) {
	p := problem.Of(err, practice.Problem, records.Problem)
	if p.Status >= 500 && p.Type != stoppingType { // which is no fault
		s.logOf(c).Error("call failed", "error", err)
	}
	if p.RetryAfter > 0 {
		c.Header("Retry-After", strconv.Itoa(p.RetryAfter))
	}
	c.Abort()
	if c.Writer.Written() {
		return
	}
	c.Header("Content-Type", "application/problem+json")
	c.JSON(p.Status, toProblem(p))
}

func (s *server) recovered(c *gin.Context, cause any) {
	err, ok := cause.(error)
	if ok && errors.Is(err, http.ErrAbortHandler) {
		panic(cause)
	}
	s.fail(c, panics.Of(cause))
}

// received records when a call arrived, before it waits for anything. Somebody waits for its answer.
func received(c *gin.Context) {
	c.Set("received", time.Now())
	c.Request = c.Request.WithContext(records.Promptly(c.Request.Context()))
}

// session returns the caller's session. Calls without one are refused before they get here.
func session(ctx context.Context) *account.Session {
	return ctx.(*gin.Context).MustGet("session").(*account.Session)
}

func who(ctx context.Context) account.Account { return session(ctx).Account }
