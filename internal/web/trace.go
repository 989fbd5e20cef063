package web

import (
	"log/slog"
	"net/http"
	"time"

	"github.com/go-chi/chi/v5/middleware"
)

// Trace logs every answer at the level debug: the request, the status, how
// many bytes it has and how long it took. Queries are left out, for they may say
// whom somebody looked for. At other levels it costs nothing.
func Trace(log *slog.Logger) func(http.Handler) http.Handler {
	return func(next http.Handler) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			if !log.Enabled(r.Context(), slog.LevelDebug) {
				next.ServeHTTP(w, r)
				return
			}
			began := time.Now()
			seen := middleware.NewWrapResponseWriter(w, r.ProtoMajor)
			defer func() {
				log.Debug("answered", "method", r.Method, "path", r.URL.Path, "status", seen.Status(), "bytes",
					seen.BytesWritten(), "took", time.Since(began).Round(10*time.Microsecond))
			}()
			next.ServeHTTP(seen, r)
		})
	}
}
