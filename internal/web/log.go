package web

import (
	"crypto/rand"
	"log/slog"
	"regexp"
	"slices"
	"strings"
	"time"

	"github.com/gin-gonic/gin"
	"go.opentelemetry.io/otel/trace"

	"examen/internal/account"
)

// requestHeader names a call in the log, in the answer, and from a trusted proxy.
const requestHeader = "X-Request-Id"

var requestName = regexp.MustCompile(`^[A-Za-z0-9._-]{1,64}$`)

// named gives the call a name, under which the log speaks of it: the proxy's, where one is trusted, or a new one.
func (s *server) named(c *gin.Context) {
	name := c.GetHeader(requestHeader)
	if !s.trusted(c) || !requestName.MatchString(name) {
		name = rand.Text()[:16]
	}
	c.Set("request", name)
	c.Header(requestHeader, name)
}

// logOf is the log for a call: what is written into it says which call it was, and whose.
func (s *server) logOf(c *gin.Context) *slog.Logger {
	log := s.log.With("request", c.GetString("request"), "method", c.Request.Method, "path", loggedPath(c))
	if span := trace.SpanContextFromContext(c.Request.Context()); span.IsValid() {
		log = log.With("trace", span.TraceID().String())
	}
	if kept, has := c.Get("session"); has {
		log = log.With("account", kept.(*account.Session).Account.ID)
	}
	return log
}

// longestLoggedPath is how much of a path the log is given.
const longestLoggedPath = 200

// notLogged are the parts of a path that the log is not given: a secret address, and the logins of people, of whom
// nothing is to be left once they are made anonymous.
var notLogged = []string{":secret", ":account", ":learner"}

// loggedPath is a call's path as the log may have it.
func loggedPath(c *gin.Context) string {
	path := c.Request.URL.Path
	if strings.HasPrefix(path, "/api/calendars/") { // also where there is no such call
		return "/api/calendars/:secret"
	}
	if parts := strings.Split(c.FullPath(), "/"); slices.ContainsFunc(parts, isNotLogged) {
		for i, part := range parts {
			if strings.HasPrefix(part, ":") && !isNotLogged(part) {
				parts[i] = c.Param(part[1:])
			}
		}
		path = strings.Join(parts, "/")
	}
	return path[:min(len(path), longestLoggedPath)]
}

func isNotLogged(part string) bool { return slices.Contains(notLogged, part) }

// logged writes a line for each call when it is over; for the console's files, for metrics and for health that is good,
// only when everything is logged.
func (s *server) logged(c *gin.Context) {
	start := time.Now()
	c.Next()
	level := slog.LevelInfo
	if path := c.FullPath(); path == "" ||
		(path == "/metrics" || strings.HasPrefix(path, "/api/health")) && c.Writer.Status() < 400 {
		level = slog.LevelDebug
	}
	if s.log.Enabled(c, level) {
		s.logOf(c).Log(
			c, level, "call", "status", c.Writer.Status(), "ms", float64(time.Since(start).Microseconds())/1000,
		)
	}
}
