package main

import (
	"context"
	"errors"
	"log/slog"

	"go.opentelemetry.io/contrib/bridges/otelslog"
	"go.opentelemetry.io/otel"
	"go.opentelemetry.io/otel/attribute"
	"go.opentelemetry.io/otel/exporters/otlp/otlplog/otlploghttp"
	"go.opentelemetry.io/otel/exporters/otlp/otlptrace/otlptracehttp"
	sdklog "go.opentelemetry.io/otel/sdk/log"
	"go.opentelemetry.io/otel/sdk/resource"
	sdktrace "go.opentelemetry.io/otel/sdk/trace"
)

// release is the version that bosun says it has.
const release = "1.6.0"

// reporting sets OpenTelemetry up by its usual environment variables
// (OTEL_EXPORTER_OTLP_ENDPOINT, OTEL_EXPORTER_OTLP_HEADERS): spans and log
// records, each by its own exporter.
func reporting(ctx context.Context) (stop func(context.Context) error, err error) {
	res, err := resource.New(ctx, resource.WithTelemetrySDK(), resource.WithAttributes(
		attribute.String("service.name", "bosun"), attribute.String("service.version", release),
		attribute.String("deployment.environment.name", "production"), attribute.String("os.name", "Linux")))
	if err != nil {
		return nil, err
	}
	spans, err := otlptracehttp.New(ctx)
	if err != nil {
		return nil, err
	}
	records, err := otlploghttp.New(ctx)
	if err != nil {
		return nil, err
	}
	tracing := sdktrace.NewTracerProvider(sdktrace.WithBatcher(spans), sdktrace.WithResource(res))
	logging := sdklog.NewLoggerProvider(sdklog.WithProcessor(sdklog.NewBatchProcessor(records)),
		sdklog.WithResource(res))
	otel.SetTracerProvider(tracing)
	slog.SetDefault(otelslog.NewLogger("bosun/crew", otelslog.WithLoggerProvider(logging), otelslog.WithSource(true)))
	return func(ctx context.Context) error { return errors.Join(logging.Shutdown(ctx), tracing.Shutdown(ctx)) }, nil
}
