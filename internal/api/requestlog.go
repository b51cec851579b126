package api

import (
	"log/slog"
	"net/http"
	"time"

	"github.com/go-chi/chi/v5/middleware"
)

// logged writes a line for every request that has been answered, with an id that its answer bears
// too: what failed and what changed something as a matter of course, the rest where one asks for it.
func logged(next http.Handler) http.Handler {
	return middleware.RequestID(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		id := middleware.GetReqID(r.Context())
		w.Header().Set(middleware.RequestIDHeader, id)
		answer := middleware.NewWrapResponseWriter(w, r.ProtoMajor)
		began := time.Now()
		next.ServeHTTP(answer, r)
		level := slog.LevelDebug
		switch {
		case answer.Status() >= 500:
			level = slog.LevelError
		case answer.Status() >= 400 || r.Method != http.MethodGet:
			level = slog.LevelInfo
		}
		slog.Log(r.Context(), level, "request", "id", id, "method", r.Method, "path", r.URL.Path, "status",
			answer.Status(), "bytes", answer.BytesWritten(), "took", time.Since(began).Round(time.Microsecond))
	}))
}
