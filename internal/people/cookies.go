package people

import (
	"context"
	"errors"
	"net/http"

	"github.com/gorilla/securecookie"
)

// newSealing encrypts cookies under a key that only this process has: after a restart, a sign-in under way must be started again.
func newSealing() *securecookie.SecureCookie {
	s := securecookie.New(securecookie.GenerateRandomKey(32), securecookie.GenerateRandomKey(32))
	return s.SetSerializer(securecookie.JSONEncoder{}).MaxAge(int(askedTime.Seconds()))
}

// seal leaves something with the browser that asks, which can neither read nor change it.
func (a *Authenticator) seal(ctx context.Context, cookie string, value any) error {
	text, err := a.sealing.Encode(cookie, value)
	if err != nil {
		return err
	}
	a.setSealed(ctx, cookie, text, int(askedTime.Seconds()))
	return nil
}

// unseal takes it back, once.
func (a *Authenticator) unseal(ctx context.Context, cookie string, value any) error {
	from := askingOf(ctx)
	text, ok := from.sealed[cookie]
	if !ok {
		return errors.New("nothing was asked in this browser")
	}
	a.setSealed(ctx, cookie, "", -1)
	return a.sealing.Decode(cookie, text, value)
}

func (a *Authenticator) setSealed(ctx context.Context, cookie, text string, age int) {
	if answer := askingOf(ctx).answer; answer != nil {
		http.SetCookie(answer, &http.Cookie{Name: cookie, Value: text, Path: "/", MaxAge: age, HttpOnly: true, Secure: a.secure,
			SameSite: http.SameSiteLaxMode})
	}
}
