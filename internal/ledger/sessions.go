package ledger

import "time"

// Sessions is the store of the sign-in's sessions, as scs wants it.
type Sessions struct{ ledger *Ledger }

// Sessions is the store of the sign-in's sessions.
func (l *Ledger) Sessions() Sessions { return Sessions{l} }

// Find finds a session that has not expired.
func (s Sessions) Find(token string) ([]byte, bool, error) {
	found, err := Remember(s.ledger, "session "+token, func() (Session, error) {
		return one[Session](s.ledger.read.Where("token = ?", token))
	})
	if err == ErrNotFound {
		return nil, false, nil
	}
	return found.Data, err == nil && found.Expiry.After(time.Now()), err
}

// Commit keeps a session, and clears out those that have expired.
func (s Sessions) Commit(token string, data []byte, expiry time.Time) error {
	if err := s.ledger.write.Where("expiry < ?", time.Now().UTC()).Delete(&Session{}).Error; err != nil {
		return err
	}
	return s.ledger.write.Save(&Session{token, data, expiry.UTC()}).Error
}

// Delete ends a session.
func (s Sessions) Delete(token string) error {
	return s.ledger.write.Where("token = ?", token).Delete(&Session{}).Error
}
