package ledger

import (
	"context"
	"time"
)

// Sessions is the store of the sign-in's sessions, as scs wants it.
type Sessions struct{ ledger *Ledger }

// Sessions is the store of the sign-in's sessions.
func (l *Ledger) Sessions() Sessions { return Sessions{l} }

// FindCtx finds a session that has not expired.
func (s Sessions) FindCtx(ctx context.Context, token string) ([]byte, bool, error) {
	found, err := Remember(ctx, s.ledger, "session "+token, func() (Session, error) {
		return one[Session](s.ledger.read.Where("token = ?", token))
	})
	if err == ErrNotFound {
		return nil, false, nil
	}
	return found.Data, err == nil && found.Expiry.After(time.Now()), err
}

// CommitCtx keeps a session, and clears out those that have expired.
func (s Sessions) CommitCtx(_ context.Context, token string, data []byte, expiry time.Time) error {
	if err := s.ledger.write.Where("expiry < ?", time.Now().UTC()).Delete(&Session{}).Error; err != nil {
		return err
	}
	return s.ledger.write.Save(&Session{token, data, expiry.UTC()}).Error
}

// DeleteCtx ends a session.
func (s Sessions) DeleteCtx(_ context.Context, token string) error {
	return s.ledger.write.Where("token = ?", token).Delete(&Session{}).Error
}

// Find is FindCtx; scs asks for both.
func (s Sessions) Find(token string) ([]byte, bool, error) {
	return s.FindCtx(context.Background(), token)
}

// Commit is CommitCtx.
func (s Sessions) Commit(token string, data []byte, expiry time.Time) error {
	return s.CommitCtx(context.Background(), token, data, expiry)
}

// Delete is DeleteCtx.
func (s Sessions) Delete(token string) error { return s.DeleteCtx(context.Background(), token) }
