package people

import (
	"context"
	"crypto/rand"
	"encoding/base64"
	"encoding/json"
	"errors"
	"net"
	"slices"
	"strings"
	"time"

	"northneedle/core/person"
	"northneedle/internal/ledger"

	"github.com/go-webauthn/webauthn/protocol"
	"github.com/go-webauthn/webauthn/webauthn"
)

// passkeyCookie carries what a passkey was asked until it answers.
const passkeyCookie = "needle-passkey"

// mostPasskeys is how many passkeys a person has at most.
const mostPasskeys = 12

// What a passkey is asked for.
const (
	toRegister = "register"
	toSignIn   = "sign in"
	toSign     = "sign"
)

// ErrNoPasskey says that no passkey of anybody here was shown, or not as it was asked for.
var ErrNoPasskey = errors.New("that passkey is not known here, or came too late: try again, or use your password or PIN")

// ErrByNumber says that this server was reached by a number, which passkeys do not work with.
var ErrByNumber = errors.New("passkeys need the server's name: this page was opened by its number")

// challenge is what a passkey was asked, as the browser keeps it.
type challenge struct {
	For    string
	Person string // who registers or signs; empty: whoever signs in
	Data   webauthn.SessionData
}

// keyOwner is a person as the passkeys' library knows one.
type keyOwner struct {
	ledger.Person
	keys []webauthn.Credential
}

func (o keyOwner) WebAuthnID() []byte                         { return []byte(o.ID) }
func (o keyOwner) WebAuthnName() string                       { return o.Name }
func (o keyOwner) WebAuthnDisplayName() string                { return o.Name }
func (o keyOwner) WebAuthnCredentials() []webauthn.Credential { return o.keys }

// relyingParty is this server as passkeys know it: by the name that it was reached by. A passkey of another name is never shown
// to it (Web Authentication Level 3, §13.4.9).
func (a *Authenticator) relyingParty(ctx context.Context) (*webauthn.WebAuthn, error) {
	from := askingOf(ctx)
	host := from.host
	if name, _, err := net.SplitHostPort(host); err == nil {
		host = name
	}
	if net.ParseIP(strings.Trim(host, "[]")) != nil {
		return nil, ErrByNumber
	}
	scheme := "http://"
	if a.secure {
		scheme = "https://"
	}
	return webauthn.New(&webauthn.Config{RPID: strings.ToLower(host), RPDisplayName: "North Needle",
		RPOrigins: []string{scheme + from.host}})
}

// owner is a person with their passkeys.
func (a *Authenticator) keyOwner(p ledger.Person) (keyOwner, error) {
	all, err := a.ledger.Passkeys()
	o := keyOwner{Person: p}
	for _, k := range all {
		if k.PersonID != p.ID || k.Ended != nil {
			continue
		}
		var c webauthn.Credential
		if err := json.Unmarshal([]byte(k.Credential), &c); err != nil {
			return o, err
		}
		o.keys = append(o.keys, c)
	}
	return o, err
}

func (o keyOwner) descriptors() []protocol.CredentialDescriptor {
	return webauthn.Credentials(o.keys).CredentialDescriptors()
}

// MyPasskeys are the passkeys of whoever is signed in, the latest first.
func (a *Authenticator) MyPasskeys(ctx context.Context) ([]ledger.Passkey, error) {
	all, err := a.ledger.Passkeys()
	id := a.sessions.GetString(ctx, key)
	return slices.DeleteFunc(slices.Clone(all), func(k ledger.Passkey) bool { return k.PersonID != id || k.Ended != nil }), err
}

// OfferPasskey is what a device is asked in order to make a passkey for whoever is signed in, who shows by their password or
// PIN that it is they. The errors are those of Confirm, and ErrByNumber.
func (a *Authenticator) OfferPasskey(ctx context.Context, secret string) (any, error) {
	if err := a.proven(ctx, secret); err != nil {
		return nil, err
	}
	p, err := a.ledger.Person(ctx, a.sessions.GetString(ctx, key))
	if err != nil {
		return nil, err
	}
	owner, err := a.keyOwner(p)
	if err != nil {
		return nil, err
	}
	if len(owner.keys) >= mostPasskeys {
		return nil, weak("there are %d passkeys: remove one that you do not use any more", mostPasskeys)
	}
	party, err := a.relyingParty(ctx)
	if err != nil {
		return nil, err
	}
	options, data, err := party.BeginRegistration(owner, webauthn.WithExclusions(owner.descriptors()),
		webauthn.WithAuthenticatorSelection(protocol.AuthenticatorSelection{
			ResidentKey: protocol.ResidentKeyRequirementRequired, UserVerification: protocol.VerificationRequired}))
	if err != nil {
		return nil, err
	}
	return options.Response, a.seal(ctx, passkeyCookie, challenge{toRegister, p.ID, *data})
}

// KeepPasskey keeps the passkey that a device made. name is what its owner calls the device.
func (a *Authenticator) KeepPasskey(ctx context.Context, name string, answer []byte) error {
	p, err := a.ledger.Person(ctx, a.sessions.GetString(ctx, key))
	if err != nil {
		return err
	}
	ask, err := a.takeChallenge(ctx, toRegister)
	if err != nil || ask.Person != p.ID {
		return ErrNoPasskey
	}
	party, err := a.relyingParty(ctx)
	if err != nil {
		return err
	}
	parsed, err := protocol.ParseCredentialCreationResponseBytes(answer)
	if err != nil {
		return ErrNoPasskey
	}
	made, err := party.CreateCredential(keyOwner{Person: p}, ask.Data, parsed)
	if err != nil {
		return ErrNoPasskey
	}
	text, err := json.Marshal(made)
	if err != nil {
		return err
	}
	if name = strings.TrimSpace(name); name == "" {
		name = "passkey"
	}
	by := person.Person{ID: p.ID, Name: p.Name, Role: p.Role}
	kept := ledger.Passkey{ID: base64.RawURLEncoding.EncodeToString(made.ID), PersonID: p.ID, Name: name,
		Credential: string(text), At: a.clock()}
	return a.ledger.Record(ledger.Act{Kind: "own passkey added", By: by, At: a.clock(), Why: name}, &kept)
}

// EndPasskey ends a passkey of whoever is signed in.
func (a *Authenticator) EndPasskey(ctx context.Context, id string) error {
	mine, err := a.MyPasskeys(ctx)
	for _, k := range mine {
		if k.ID == id {
			now := a.clock()
			k.Ended = &now
			who, _ := a.Who(ctx)
			return a.ledger.Record(ledger.Act{Kind: "own passkey removed", By: who, At: now, Why: k.Name}, &k)
		}
	}
	return errors.Join(err, ledger.ErrNotFound)
}

// AskPasskey is what a device is asked in order to show a passkey: one of whoever is signed in, who signs; else of
// whoever signs in by it.
func (a *Authenticator) AskPasskey(ctx context.Context) (any, error) {
	party, err := a.relyingParty(ctx)
	if err != nil {
		return nil, err
	}
	must := webauthn.WithUserVerification(protocol.VerificationRequired)
	who, ok := a.Who(ctx)
	if !ok {
		options, data, err := party.BeginDiscoverableLogin(must)
		if err != nil {
			return nil, err
		}
		return options.Response, a.seal(ctx, passkeyCookie, challenge{toSignIn, "", *data})
	}
	p, err := a.ledger.Person(ctx, who.ID)
	if err != nil {
		return nil, err
	}
	owner, err := a.keyOwner(p)
	if err != nil {
		return nil, err
	}
	if len(owner.keys) == 0 {
		return nil, ErrNoPasskey
	}
	options, data, err := party.BeginLogin(owner, must)
	if err != nil {
		return nil, err
	}
	return options.Response, a.seal(ctx, passkeyCookie, challenge{toSign, p.ID, *data})
}

// SignInByPasskey signs in whose passkey was shown. The errors are ErrNoPasskey and ErrByNumber.
func (a *Authenticator) SignInByPasskey(ctx context.Context, answer []byte) (ledger.Person, error) {
	p, err := a.assertion(ctx, toSignIn, answer)
	if err != nil {
		a.count("")
		return ledger.Person{}, err
	}
	a.forgivePIN(p.ID)
	return p, a.begin(ctx, p)
}

// ConfirmByPasskey takes a passkey of whoever is signed in for their password or PIN: it returns what they sign with, once and
// within two minutes, in this session.
func (a *Authenticator) ConfirmByPasskey(ctx context.Context, answer []byte) (secret string, err error) {
	p, err := a.assertion(ctx, toSign, answer)
	if err != nil {
		return "", err
	}
	secret = passkeyShown + rand.Text()
	a.confirmed.Add(secret, confirmation{p.ID, a.storedToken(ctx), a.clock().Add(2 * time.Minute)})
	return secret, nil
}

// passkeyShown begins what one signs with after one's passkey was shown.
const passkeyShown = "passkey/"

// confirmation is a passkey that was shown for a signature.
type confirmation struct {
	person, session string
	until           time.Time
}

// confirmPasskey reports whether a passkey was shown for a signature that is not made yet.
func (a *Authenticator) confirmPasskey(ctx context.Context, p ledger.Person, secret string) bool {
	c, ok := a.confirmed.Peek(secret)
	return ok && c.person == p.ID && c.session == a.storedToken(ctx) && a.clock().Before(c.until) && a.confirmed.Remove(secret)
}

// takeChallenge is the challenge that this browser was given for a purpose; each is taken once.
func (a *Authenticator) takeChallenge(ctx context.Context, purpose string) (challenge, error) {
	var ask challenge
	if err := a.unseal(ctx, passkeyCookie, &ask); err != nil || ask.For != purpose {
		return ask, ErrNoPasskey
	}
	if before, _ := a.answered.ContainsOrAdd(ask.Data.Challenge, true); before {
		return ask, ErrNoPasskey
	}
	return ask, nil
}

// assertion checks the answer to a challenge, and returns whose passkey it is. A passkey whose counter is behind may be a copy, and is
// refused.
func (a *Authenticator) assertion(ctx context.Context, purpose string, answer []byte) (ledger.Person, error) {
	none := ledger.Person{}
	ask, err := a.takeChallenge(ctx, purpose)
	if err != nil || ask.Person != "" && ask.Person != a.sessions.GetString(ctx, key) {
		return none, ErrNoPasskey
	}
	party, err := a.relyingParty(ctx)
	if err != nil {
		return none, err
	}
	parsed, err := protocol.ParseCredentialRequestResponseBytes(answer)
	if err != nil {
		return none, ErrNoPasskey
	}
	var owner keyOwner
	find := func(_, handle []byte) (webauthn.User, error) {
		p, err := a.ledger.Person(ctx, string(handle))
		if err != nil || !p.Active {
			return nil, ErrNoPasskey
		}
		owner, err = a.keyOwner(p)
		return owner, err
	}
	var used *webauthn.Credential
	if purpose == toSignIn {
		used, err = party.ValidateDiscoverableLogin(find, ask.Data, parsed)
	} else if _, err = find(nil, []byte(ask.Person)); err == nil {
		used, err = party.ValidateLogin(owner, ask.Data, parsed)
	}
	if err != nil || used.Authenticator.CloneWarning {
		return none, ErrNoPasskey
	}
	return owner.Person, a.countUse(owner, used)
}

// countUse keeps how often a passkey was used, where its device counts.
func (a *Authenticator) countUse(owner keyOwner, used *webauthn.Credential) error {
	if used.Authenticator.SignCount == 0 {
		return nil
	}
	all, err := a.ledger.Passkeys()
	id := base64.RawURLEncoding.EncodeToString(used.ID)
	at := slices.IndexFunc(all, func(k ledger.Passkey) bool { return k.ID == id && k.PersonID == owner.ID })
	if err != nil || at < 0 {
		return errors.Join(err, ErrNoPasskey)
	}
	text, err := json.Marshal(used)
	if err != nil {
		return err
	}
	kept := all[at]
	kept.Credential = string(text)
	by := person.Person{ID: owner.ID, Name: owner.Name, Role: owner.Role}
	return a.ledger.Record(ledger.Act{Kind: "own passkey used", By: by, At: a.clock(), Why: kept.Name}, &kept)
}
