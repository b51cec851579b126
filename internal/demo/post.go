package demo

import (
	"context"
	"fmt"
	"log/slog"
	"strings"

	"northneedle/internal/mail"
)

// Post stands for a mail server: it takes every mail and delivers none. A mail to somebody called “nobody” it refuses, as a
// server does that knows no such address.
type Post struct{}

// Send takes a mail.
func (Post) Send(_ context.Context, m mail.Message) error {
	if strings.HasPrefix(m.To, "nobody@") {
		return fmt.Errorf("%w: there is no %s here", mail.ErrRefused, m.To)
	}
	slog.Info("a mail was taken by the demo, and goes to nobody", "to", m.To, "subject", m.Subject)
	return nil
}
