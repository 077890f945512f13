package records

import (
	"strings"

	"github.com/exaring/otelpgx"
	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/multitracer"
	"go.opentelemetry.io/otel"
	"go.opentelemetry.io/otel/sdk/trace"
)

// traced has each query be a span as well, where traces are asked for; its values are not told.
func traced(also pgx.QueryTracer) pgx.QueryTracer {
	if _, asked := otel.GetTracerProvider().(*trace.TracerProvider); !asked {
		return also
	}
	return multitracer.New(also, otelpgx.NewTracer(
		otelpgx.WithSpanNameFunc(nameOfQuery), otelpgx.WithDisableSQLStatementInAttributes(),
		otelpgx.WithDisableConnectionDetailsInAttributes(),
	))
}

// nameOfQuery is what a query is called in queries/; of others, the word with which it begins.
func nameOfQuery(sql string) string {
	sql = strings.TrimSpace(sql)
	named, is := strings.CutPrefix(sql, "-- name: ")
	name, _, _ := strings.Cut(named, " ")
	if !is {
		name, _, _ = strings.Cut(strings.ReplaceAll(sql, "\n", " "), " ")
	}
	return name
}
