package server

import (
	"context"
	"fmt"
	"log/slog"
	"os"
	"strings"
	"time"

	"go.opentelemetry.io/contrib/exporters/autoexport"
	"go.opentelemetry.io/otel"
	"go.opentelemetry.io/otel/attribute"
	"go.opentelemetry.io/otel/propagation"
	"go.opentelemetry.io/otel/sdk/resource"
	"go.opentelemetry.io/otel/sdk/trace"
)

// tracing tells whether OpenTelemetry's variables ask for traces.
func tracing() bool {
	if strings.EqualFold(os.Getenv("OTEL_SDK_DISABLED"), "true") {
		return false
	}
	if exporter := os.Getenv("OTEL_TRACES_EXPORTER"); exporter != "" {
		return exporter != "none"
	}
	return os.Getenv("OTEL_EXPORTER_OTLP_ENDPOINT") != "" || os.Getenv("OTEL_EXPORTER_OTLP_TRACES_ENDPOINT") != ""
}

// tracesPatience is how long a receiver of traces is waited for as the service stops.
const tracesPatience = 5 * time.Second

// trace has traces sent, if OpenTelemetry's variables ask for them: to whom, how often and of which part of the calls
// is set by the same. A receiver that does not take them is logged, and holds nobody up.
func (s *Server) trace(ctx context.Context, version string, log *slog.Logger) error {
	if !tracing() {
		return nil
	}
	exporter, err := autoexport.NewSpanExporter(ctx)
	if err != nil {
		return fmt.Errorf("traces cannot be sent: %w (the variables OTEL_EXPORTER_OTLP_...)", err)
	}
	is := []attribute.KeyValue{attribute.String("service.name", "examen"), attribute.String("service.version", version)}
	about, err := resource.New(ctx, resource.WithAttributes(is...), resource.WithTelemetrySDK(), resource.WithFromEnv())
	if err != nil {
		return fmt.Errorf("traces cannot be sent: %w (the variables OTEL_RESOURCE_ATTRIBUTES, OTEL_SERVICE_NAME)", err)
	}
	provider := trace.NewTracerProvider(trace.WithBatcher(exporter), trace.WithResource(about))
	otel.SetErrorHandler(otel.ErrorHandlerFunc(func(err error) { log.Warn("traces are not taken", "error", err) }))
	otel.SetTextMapPropagator(propagation.TraceContext{})
	otel.SetTracerProvider(provider)
	s.endTraces = func() {
		ctx, cancel := context.WithTimeout(context.Background(), tracesPatience)
		defer cancel()
		if err := provider.Shutdown(ctx); err != nil {
			log.Warn("the last traces are not taken", "error", err)
		}
	}
	return nil
}
