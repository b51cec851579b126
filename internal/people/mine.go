package people

import (
	"context"
	"crypto/sha256"
	"encoding/base64"
	"errors"
	"time"

	"northneedle/internal/ledger"
)

// OpenSession is a session of a person: where and since when they are signed in.
type OpenSession struct {
	ID      string
	Begun   time.Time // zero where the session does not say
	Until   time.Time
	Address string
	Browser string // as it names itself
	Here    bool   // it is the one that asks
}

// What a session says of itself, besides whose it is.
const (
	begunKey   = "begun"
	addressKey = "address"
	browserKey = "browser"
)

// idLength is how much of a session's name in the store is told: enough to end it, too little to be it.
const idLength = 12

// storedToken is the session's token as the store has it.
func (a *Authenticator) storedToken(ctx context.Context) string {
	token := sha256.Sum256([]byte(a.sessions.Token(ctx)))
	return base64.RawURLEncoding.EncodeToString(token[:])
}

// Mine are the sessions of whoever is signed in, the one that ends last first.
func (a *Authenticator) Mine(ctx context.Context) ([]OpenSession, error) {
	all, err := a.ledger.Sessions().Of(a.sessions.GetString(ctx, key))
	opened := make([]OpenSession, len(all))
	here := a.storedToken(ctx)
	for i, s := range all {
		_, values, err := plainText{}.Decode(s.Data)
		if err != nil {
			return nil, err
		}
		text := func(name string) string { said, _ := values[name].(string); return said }
		opened[i] = OpenSession{ID: s.Token[:idLength], Until: s.Expiry, Address: text(addressKey),
			Browser: text(browserKey), Here: s.Token == here}
		opened[i].Begun, _ = time.Parse(time.RFC3339, text(begunKey))
	}
	return opened, err
}

// End ends a session of whoever is signed in, by its id.
func (a *Authenticator) End(ctx context.Context, id string) error {
	all, err := a.ledger.Sessions().Of(a.sessions.GetString(ctx, key))
	for _, s := range all {
		if s.Token[:idLength] == id {
			return a.ledger.Sessions().DeleteCtx(ctx, s.Token)
		}
	}
	return errors.Join(err, ledger.ErrNotFound)
}
