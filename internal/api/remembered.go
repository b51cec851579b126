package api

import (
	"context"
	"fmt"
	"net/http"

	"northneedle/internal/ledger"
)

// remembered is what compute makes of the ledger and the procedures in use, as long as
// neither changes and the clock shows the same minute: nothing that is remembered is told
// finer than that. What it depends on beside them is named in what. The value is shared
// by all who ask: it is only read.
func remembered[T any](ctx context.Context, h *House, compute func() (T, error), what ...any) (T, error) {
	key := fmt.Sprintf("%d %s %#v", h.edition.Load(), h.Clock().Format("2006-01-02 15:04"), what)
	return ledger.Remember(ctx, h.Ledger, key, compute)
}

// asOf answers what only reads as of its beginning: the ledger's version is asked for once.
func (h *House) asOf(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Method == http.MethodGet || r.Method == http.MethodHead {
			r = r.WithContext(h.Ledger.AsOf(r.Context()))
		}
		next.ServeHTTP(w, r)
	})
}
