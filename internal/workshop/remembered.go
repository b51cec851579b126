package workshop

import (
	"context"
	"fmt"

	"northneedle/internal/ledger"
)

// remembered is what compute makes of the ledger and the procedures in use, as long as
// neither changes and the clock shows the same minute: nothing that is remembered is told
// finer than that. What it depends on beside them is named in what. The value is shared
// by all who ask: it is only read.
func remembered[T any](ctx context.Context, h *Workshop, compute func() (T, error), what ...any) (T, error) {
	h.shelved() // what has come into use meanwhile counts
	key := fmt.Sprintf("%d %s %#v", h.edition.Load(), h.Clock().Format("2006-01-02 15:04"), what)
	return ledger.Remember(ctx, h.Ledger, key, compute)
}
