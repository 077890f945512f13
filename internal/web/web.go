// Package web serves Examen over HTTP: the calls of the contract (api/openapi.yaml) and the console's pages.
package web

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"net/netip"
	"strconv"
	"time"

	"github.com/gin-gonic/gin"

	"examen/internal/account"
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
}

// Handler returns the whole service as an HTTP handler. When stopping is closed, long-lived calls end. proxies are the
// addresses or networks that are trusted to say where a call came from and whether it was encrypted.
func Handler(parts Parts, log *slog.Logger, stopping <-chan struct{}, proxies []string) (http.Handler, error) {
	gin.SetMode(gin.ReleaseMode)
	engine := gin.New()
	networks, err := networksOf(proxies)
	if err == nil {
		err = engine.SetTrustedProxies(proxies)
	}
	if err != nil {
		return nil, fmt.Errorf(
			"trusted proxies: addresses or networks are expected, as 10.0.0.7 or 10.0.0.0/8: %w", err,
		)
	}
	engine.ContextWithFallback = true
	engine.HandleMethodNotAllowed = true
	engine.UseRawPath = true // a table may have a slash in its name
	s := &server{parts, log, stopping, networks}
	engine.Use(received, s.logged, gin.CustomRecoveryWithWriter(nil, s.recovered), s.headers, slowly)

	strict := contract.NewStrictHandlerWithOptions(s, nil, contract.StrictGinServerOptions{
		RequestErrorHandlerFunc:  func(c *gin.Context, err error) { s.fail(c, unreadable(err)) },
		HandlerErrorFunc:         s.fail,
		ResponseErrorHandlerFunc: s.fail,
	})
	api := engine.Group("", s.authenticate, s.body)
	contract.RegisterHandlersWithOptions(api, strict, contract.GinServerOptions{
		ErrorHandler: func(c *gin.Context, err error, _ int) { s.fail(c, unreadable(err)) },
	})
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
	return engine, nil
}

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
	if p.Status >= 500 {
		s.log.Error("call failed", "method", c.Request.Method, "path", c.Request.URL.Path, "error", err)
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
	s.fail(c, fmt.Errorf("panic: %v", cause))
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
