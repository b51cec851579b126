package people

import (
	"context"
	"errors"
	"strings"
	"time"

	"northneedle/core/person"
	"northneedle/internal/ledger"
)

// A PIN has six digits or more, and fewer than a password has characters: one is never taken for the other.
const (
	shortestPIN = 6
	longestPIN  = shortest - 1
	triesOfPIN  = 5 // wrong ones; then it does not count until its owner signs in by the password
)

// ErrPINSpent says that there were too many wrong PINs: the session was ended.
var ErrPINSpent = errors.New("that was the fifth wrong PIN: sign in again with your password")

// ErrUnconfirmed says that nothing was given to show who one is.
var ErrUnconfirmed = errors.New("a signature asks for your password or PIN once more")

// Confirm checks that whoever is signed in is there themselves, by their password, PIN or passkey, and returns which it
// was. The errors are ErrUnconfirmed, ErrRefused, ErrPINSpent, ErrTooMany and ErrBusy.
func (a *Authenticator) Confirm(ctx context.Context, secret string) (shown string, err error) {
	p, err := a.ledger.Person(ctx, a.sessions.GetString(ctx, key))
	switch {
	case err != nil:
		return "", err
	case secret == "":
		return "", ErrUnconfirmed
	case isPIN(secret):
		return "PIN", a.confirmPIN(ctx, p, secret)
	case strings.HasPrefix(secret, passkeyShown):
		if !a.confirmPasskey(ctx, p, secret) {
			return "", ErrNoPasskey
		}
		a.forgivePIN(p.ID)
		return "passkey", nil
	}
	if err := a.check(ctx, secret, p.PasswordHash, p.Name, askingOf(ctx).countersOf(p)); err != nil {
		return "", err
	}
	a.forgivePIN(p.ID)
	return "password", nil
}

// confirmPIN checks a PIN. A try counts before it is known whether it is right, so that many at once are as many.
func (a *Authenticator) confirmPIN(ctx context.Context, p ledger.Person, pin string) error {
	a.mutex.Lock()
	spent := a.wrongPINs[p.ID] >= triesOfPIN
	if !spent {
		a.wrongPINs[p.ID]++
	}
	last := a.wrongPINs[p.ID] == triesOfPIN
	a.mutex.Unlock()
	if spent {
		return errors.Join(a.sessions.Destroy(ctx), ErrPINSpent)
	}
	hash := p.PinHash
	if hash == "" {
		hash = a.nobody
	}
	match, err := a.hasher.compare(ctx, pin, hash)
	switch {
	case err != nil:
		a.mutex.Lock()
		a.wrongPINs[p.ID]-- // it was not looked at
		a.mutex.Unlock()
		return err
	case match:
		a.forgivePIN(p.ID)
		return nil
	}
	a.count(p.Name)
	if last {
		return errors.Join(a.sessions.Destroy(ctx), ErrPINSpent)
	}
	return ErrRefused
}

// forgivePIN lets somebody's PIN count again.
func (a *Authenticator) forgivePIN(id string) {
	a.mutex.Lock()
	defer a.mutex.Unlock()
	delete(a.wrongPINs, id)
}

// isPIN reports whether a text is written as a PIN is.
func isPIN(text string) bool {
	return len(text) >= shortestPIN && len(text) <= longestPIN && strings.Trim(text, "0123456789") == ""
}

// CheckPIN refuses a PIN that is none, or that is guessed soon: one digit over and over, digits in a row, a year twice.
func CheckPIN(pin string) error {
	if !isPIN(pin) {
		return weak("a PIN has %d to %d digits", shortestPIN, longestPIN)
	}
	const rows = "01234567890 09876543210"
	if strings.Contains(rows, pin) || strings.Count(pin, pin[:1]) == len(pin) ||
		len(pin)%2 == 0 && (pin[:len(pin)/2] == pin[len(pin)/2:] || strings.Count(pin, pin[:2]) == len(pin)/2) {
		return weak("the PIN would be guessed soon: take digits that do not follow or repeat each other")
	}
	return nil
}

// ErrProveAgain says that it is too long ago that the directory said who somebody is.
var ErrProveAgain = errors.New("sign in by the directory once more; then set it within ten minutes")

// ErrOwnPasswordFirst says that the password was given by somebody else, and is changed before anything of one's own is set.
var ErrOwnPasswordFirst = errors.New("set a password of your own first: somebody else gave you this one")

// proven checks that whoever is signed in is there themselves, before they set what they sign with: by a password or
// passkey, or because the directory said so just now. A PIN is not enough. The errors are those of Confirm,
// ErrProveAgain and ErrOwnPasswordFirst.
func (a *Authenticator) proven(ctx context.Context, secret string) error {
	p, err := a.ledger.Person(ctx, a.sessions.GetString(ctx, key))
	switch {
	case err != nil:
		return err
	case p.OneTime: // whoever gave the password knows it: what they set now would outlive it
		return ErrOwnPasswordFirst
	case secret == "" && p.PasswordHash == "":
		at, err := time.Parse(time.RFC3339, a.sessions.GetString(ctx, provenKey))
		if err != nil || a.clock().Sub(at) > askedTime {
			return ErrProveAgain
		}
		return nil
	case isPIN(secret):
		return ErrRefused
	}
	_, err = a.Confirm(ctx, secret)
	return err
}

// SetPIN sets the PIN of whoever is signed in, who says their password, or comes from the directory just now; an empty PIN is
// none. The errors are those of Confirm, ErrProveAgain, and a [*Weak].
func (a *Authenticator) SetPIN(ctx context.Context, password, pin string) error {
	if err := a.proven(ctx, password); err != nil {
		return err
	}
	p, err := a.ledger.Person(ctx, a.sessions.GetString(ctx, key))
	if err != nil {
		return err
	}
	kind := "own PIN removed"
	if p.PinHash = ""; pin != "" {
		if err := CheckPIN(pin); err != nil {
			return err
		}
		kind = "own PIN set"
		if p.PinHash, err = Hash(pin); err != nil {
			return err
		}
	}
	by := person.Person{ID: p.ID, Name: p.Name, Role: p.Role}
	return a.ledger.Record(ledger.Act{Kind: kind, By: by, At: a.clock()}, &p)
}
