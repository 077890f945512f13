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

	"github.com/gin-gonic/gin"

	"examen/internal/account"
	"examen/internal/course"
	"examen/internal/exam"
	"examen/internal/problem"
	"examen/internal/web/contract"
)

// Handler returns the whole service as an HTTP handler. When stopping is closed, calls that go on for long end. Proxies are the addresses or networks whose
// word is taken for where a call came from and how.
func Handler(service *exam.Service, accounts *account.Accounts, courses *course.Courses, log *slog.Logger, stopping <-chan struct{}, proxies []string) (http.Handler, error) {
	gin.SetMode(gin.ReleaseMode)
	engine := gin.New()
	networks, err := networksOf(proxies)
	if err == nil {
		err = engine.SetTrustedProxies(proxies)
	}
	if err != nil {
		return nil, fmt.Errorf("trusted proxies: addresses or networks are expected, as 10.0.0.7 or 10.0.0.0/8: %w", err)
	}
	engine.ContextWithFallback = true
	engine.HandleMethodNotAllowed = true
	engine.UseRawPath = true // a table may have a slash in its name
	s := &server{service, accounts, courses, log, stopping, networks}
	engine.Use(s.logged, gin.CustomRecoveryWithWriter(nil, s.recovered), s.headers, slowly)

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
		s.fail(c, &problem.Problem{Type: "examen:method", Title: "The method is not allowed here", Status: 405, Detail: "See api/openapi.yaml for what each call takes."})
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
	service  *exam.Service
	accounts *account.Accounts
	courses  *course.Courses
	log      *slog.Logger
	stopping <-chan struct{}
	proxies  []netip.Prefix // that are trusted
}

func unreadable(err error) error {
	var p *problem.Problem
	if errors.As(err, &p) {
		return p
	}
	return &problem.Problem{Type: "examen:unreadable", Title: "Invalid request", Status: 400, Detail: "It is not as api/openapi.yaml says: " + err.Error()}
}

// fail answers with a problem (RFC 9457) and ends the call.
func (s *server) fail(c *gin.Context, err error) {
	p := exam.AsProblem(err)
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

// session is the caller's session; calls without one do not come as far as asking for it.
func session(ctx context.Context) *account.Session {
	return ctx.(*gin.Context).MustGet("session").(*account.Session)
}

func who(ctx context.Context) account.Account { return session(ctx).Account }
