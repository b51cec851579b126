package ledger

import (
	"context"
	"errors"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"
)

// Sessions stores sign-in sessions for scs: as rows of the ledger, with the most recently used ones
// cached in memory.
type Sessions struct {
	ledger *Ledger
	recent *lru.Cache[string, Session]
}

// mostSessions is how many sessions are held in memory.
const mostSessions = 1000

// Sessions is the store of the sign-in's sessions.
func (l *Ledger) Sessions() Sessions { return Sessions{l, l.signedIn} }

// FindCtx finds a session that has not expired.
func (s Sessions) FindCtx(ctx context.Context, token string) ([]byte, bool, error) {
	found, known := s.recent.Get(token)
	if !known {
		var err error
		found, err = one[Session](s.ledger.read.WithContext(ctx).Where("token = ?", token))
		if errors.Is(err, ErrNotFound) {
			return nil, false, nil
		}
		if err != nil {
			return nil, false, err
		}
		s.recent.Add(token, found)
	}
	return found.Data, found.Expiry.After(time.Now()), nil
}

// CommitCtx keeps a session, and clears out those that have expired.
func (s Sessions) CommitCtx(_ context.Context, token string, data []byte, expiry time.Time) error {
	if err := s.ledger.write.Where("expiry < ?", time.Now().UTC()).Delete(&Session{}).Error; err != nil {
		return err
	}
	session := Session{token, data, expiry.UTC()}
	if err := s.ledger.write.Save(&session).Error; err != nil {
		return err
	}
	s.recent.Add(token, session)
	return nil
}

// DeleteCtx ends a session.
func (s Sessions) DeleteCtx(_ context.Context, token string) error {
	if err := s.ledger.write.Where("token = ?", token).Delete(&Session{}).Error; err != nil {
		return err
	}
	s.recent.Remove(token)
	return nil
}

// Of are the sessions of a person that have not expired, the one that ends last first.
func (s Sessions) Of(person string) ([]Session, error) {
	return many[Session](s.ledger.read.Where("expiry > ? AND json_valid(CAST(data AS TEXT)) AND json_extract(CAST(data AS TEXT), '$.values.person') = ?",
		time.Now().UTC(), person).Order("expiry DESC"))
}

// End ends all sessions of a person.
func (s Sessions) End(person string) error {
	all, err := s.Of(person)
	if err != nil {
		return err
	}
	for _, session := range all {
		err = errors.Join(err, s.DeleteCtx(context.Background(), session.Token))
	}
	return err
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
