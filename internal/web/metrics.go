package web

import (
	"net/http"
	"net/netip"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/promhttp"

	"examen/internal/problem"
)

// metrics count the calls and what comes of them.
type metrics struct {
	calls    *prometheus.CounterVec
	seconds  *prometheus.HistogramVec
	outcomes *prometheus.CounterVec
	page     gin.HandlerFunc
	readers  []netip.Prefix // who may read them
}

func newMetrics(registry *prometheus.Registry, readers []netip.Prefix) *metrics {
	m := &metrics{
		calls: prometheus.NewCounterVec(prometheus.CounterOpts{
			Name: "examen_calls_total", Help: "Calls answered, by method, path as in the contract, and status.",
		}, []string{"method", "path", "status"}),
		seconds: prometheus.NewHistogramVec(prometheus.HistogramOpts{
			Name: "examen_call_seconds", Help: "How long calls took, but for those that tell what happens.",
			Buckets: []float64{.002, .005, .01, .025, .05, .1, .25, .5, 1, 2.5, 5, 10, 30},
		}, []string{"method", "path"}),
		outcomes: prometheus.NewCounterVec(prometheus.CounterOpts{
			Name: "examen_outcomes_total", Help: "Runs and submissions, by outcome.",
		}, []string{"kind", "outcome"}),
		page:    gin.WrapH(promhttp.HandlerFor(registry, promhttp.HandlerOpts{})),
		readers: readers,
	}
	registry.MustRegister(m.calls, m.seconds, m.outcomes)
	return m
}

// counted counts a call when it is over, under the form of its path: of those there are few.
func (m *metrics) counted(c *gin.Context) {
	start := time.Now()
	c.Next()
	path, method := c.FullPath(), c.Request.Method
	switch {
	case path == "" && strings.HasPrefix(c.Request.URL.Path, "/api/"):
		path, method = "none", "any" // there is no such call
	case path == "":
		path = "console"
		if method != http.MethodGet {
			method = "any"
		}
	}
	m.calls.WithLabelValues(method, path, strconv.Itoa(c.Writer.Status())).Inc()
	if !strings.HasSuffix(path, "/events") {
		m.seconds.WithLabelValues(method, path).Observe(time.Since(start).Seconds())
	}
}

// readMetrics answers with all metrics, to those who may read them. What a proxy passes on is not the proxy's own.
func (s *server) readMetrics(c *gin.Context) {
	from, err := netip.ParseAddr(c.ClientIP())
	through := ""
	if c.GetHeader("X-Forwarded-For")+c.GetHeader("Forwarded") != "" && !s.trusted(c) {
		through = ", through a proxy that --trusted-proxy does not name"
	}
	if err == nil && contains(s.metrics.readers, from) && through == "" {
		s.metrics.page(c)
		return
	}
	s.fail(c, problem.New(403, "metrics", "Metrics are not for everybody",
		"They are for programs at addresses that --metrics-for names; this call came from %s%s.", c.ClientIP(),
		through))
}
