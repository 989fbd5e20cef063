// Command bosun plans the crews of Marrow Sound Ferries. It reports what goes
// wrong by OpenTelemetry, its roster desk by Firethorn's own client, and is
// broken on purpose.
package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"log"
	"log/slog"
	"net"
	"net/http"
	"os"
	"os/signal"
	"slices"
	"strconv"
	"syscall"
	"time"

	"go.opentelemetry.io/otel"
	"go.opentelemetry.io/otel/attribute"
	"go.opentelemetry.io/otel/trace"

	"marrowsound.example/bosun/crew"
	"marrowsound.example/bosun/desk"
)

func main() {
	listen := flag.String("listen", "127.0.0.1:7423", "where it answers")
	drive := flag.Int("drive", 0, "ask itself so many times for each thing that ends badly")
	once := flag.Bool("once", false, "stop then")
	flag.Parse()
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	if err := run(ctx, *listen, *drive, *once); err != nil {
		log.Fatal("bosun: ", err)
	}
}

func run(ctx context.Context, listen string, drive int, once bool) error {
	stop, err := reporting(ctx)
	if err != nil {
		return err
	}
	defer func() {
		ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx),
			20*time.Second) // a batch may be on its second try
		defer cancel()
		if err := stop(ctx); err != nil {
			log.Print("the last reports were not sent: ", err)
		}
	}()
	l, err := net.Listen("tcp", listen)
	if err != nil {
		return err
	}
	if to := os.Getenv("REPORT_TO"); to != "" {
		defer desk.Report(to, os.Getenv("REPORT_KEY"), release, "-")()
	}
	server := &http.Server{Handler: (&desk.Desk{}).Handler(traced(routes())), ReadHeaderTimeout: 5 * time.Second}
	go func() {
		<-ctx.Done()
		server.Close()
	}()
	fmt.Printf("bosun listens on %s\n", l.Addr())
	go func() {
		ask := func(path string, who int) {
			req, err := http.NewRequestWithContext(ctx, http.MethodGet, "http://"+l.Addr().String()+path, nil)
			if err != nil {
				return
			}
			req.Header.Set("X-Crew", "c-"+strconv.Itoa(100+who%40))
			if res, err := http.DefaultClient.Do(req); err == nil {
				res.Body.Close()
			}
		}
		for i := range drive {
			for _, path := range slices.Concat(breaks, desk.Breaks) {
				ask(path, i)
			}
		}
		if drive > 0 && !once {
			ask(desk.Stuck, 7) // for good
		}
		if once {
			server.Close()
		}
	}()
	if err := server.Serve(l); !errors.Is(err, http.ErrServerClosed) {
		return err
	}
	return nil
}

// breaks are the requests that end badly.
var breaks = []string{"/assign?ship=Gannet", "/watch?ship=Eider&watch=2", "/hand-over?ship=Kittiwake"}

func routes() http.Handler {
	m := http.NewServeMux()
	m.HandleFunc("GET /assign", func(w http.ResponseWriter, r *http.Request) {
		ctx, span := otel.Tracer("bosun/crew").Start(r.Context(), "assign crew")
		defer span.End()
		names, err := crew.Assign(ctx, r.FormValue("ship"))
		if err != nil {
			span.RecordError(err, trace.WithStackTrace(true))
			slog.ErrorContext(ctx, "the crew could not be assigned", "error", err, "ship", r.FormValue("ship"))
			http.Error(w, err.Error(), http.StatusInternalServerError)
			return
		}
		fmt.Fprintln(w, names)
	})
	m.HandleFunc("GET /watch", func(w http.ResponseWriter, r *http.Request) {
		watch, _ := strconv.Atoi(r.FormValue("watch"))
		fmt.Fprintln(w, crew.Watch(r.Context(), r.FormValue("ship"), watch))
	})
	m.HandleFunc("GET /hand-over", func(w http.ResponseWriter, r *http.Request) {
		ctx, span := otel.Tracer("bosun/crew").Start(r.Context(), "hand over")
		defer span.End()
		if err := crew.HandOver(ctx, r.FormValue("ship")); err != nil {
			span.RecordError(err, trace.WithStackTrace(true))
			slog.ErrorContext(ctx, "the plan was not handed over", "error", err)
			trace.SpanFromContext(r.Context()).RecordError(err) // as middleware does
			http.Error(w, err.Error(), http.StatusConflict)
		}
	})
	m.HandleFunc("GET /{$}", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "text/html")
		fmt.Fprintf(w, "<!doctype html><meta charset=utf-8><title>Bosun</title><h1>Bosun %s</h1><p>Crew plans of Marrow Sound Ferries. Each of these ends badly:</p><ul>", release)
		for _, path := range append(slices.Concat(breaks, desk.Breaks), desk.Stuck) {
			fmt.Fprintf(w, "<li><a href=%q>%s</a></li>", path, path)
		}
	})
	return m
}

// status remembers what was answered.
type status struct {
	http.ResponseWriter
	code int
}

func (s *status) WriteHeader(code int) {
	s.code = code
	s.ResponseWriter.WriteHeader(code)
}

// traced puts each request on a span, with what the conventions name, and
// reports a panic.
func traced(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		ctx, span := otel.Tracer("bosun/http").Start(r.Context(), r.Method+" "+r.URL.Path,
			trace.WithSpanKind(trace.SpanKindServer), trace.WithAttributes(
				attribute.String("http.request.method", r.Method), attribute.String("url.path", r.URL.Path),
				attribute.String("url.query", r.URL.RawQuery),
				attribute.String("user_agent.original", r.UserAgent()), attribute.String("user.id",
					r.Header.Get("X-Crew"))))
		out, r := &status{w, http.StatusOK}, r.WithContext(ctx)
		defer func() {
			if p := recover(); p != nil {
				err := fmt.Errorf("panic: %v", p)
				span.RecordError(err, trace.WithStackTrace(true))
				slog.ErrorContext(ctx, "a request panicked", "error", err)
				http.Error(out, "the plan fell overboard", http.StatusInternalServerError)
			}
			span.SetAttributes(attribute.Int("http.response.status_code", out.code),
				attribute.String("http.route", r.Pattern))
			span.End()
		}()
		next.ServeHTTP(out, r)
	})
}
