package web

import (
	"strings"

	"github.com/gin-gonic/gin"
	"go.opentelemetry.io/otel"
	"go.opentelemetry.io/otel/attribute"
	"go.opentelemetry.io/otel/codes"
	"go.opentelemetry.io/otel/propagation"
	"go.opentelemetry.io/otel/trace"
)

var tracer = otel.Tracer("examen/internal/web")

// traced has each call be a span, where traces are asked for; after a trusted proxy's, where it has one. Of its path
// the form is told alone, and of what it carries nothing.
func (s *server) traced(c *gin.Context) {
	path := c.FullPath()
	if path == "" || strings.HasSuffix(path, "/events") {
		return
	}
	ctx := c.Request.Context()
	if s.trusted(c) {
		ctx = otel.GetTextMapPropagator().Extract(ctx, propagation.HeaderCarrier(c.Request.Header))
	}
	ctx, span := tracer.Start(
		ctx, c.Request.Method+" "+path, trace.WithSpanKind(trace.SpanKindServer), trace.WithAttributes(
			attribute.String("http.request.method", c.Request.Method), attribute.String("http.route", path),
			attribute.String("examen.request", c.GetString("request")),
		),
	)
	defer span.End()
	c.Request = c.Request.WithContext(ctx)
	c.Next()
	status := c.Writer.Status()
	span.SetAttributes(attribute.Int("http.response.status_code", status))
	if status >= 500 {
		span.SetStatus(codes.Error, "")
	}
}
