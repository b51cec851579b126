package people

import (
	"context"
	"crypto/rand"
	"crypto/subtle"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"sync"
	"time"

	"northneedle/core/person"
	"northneedle/internal/ledger"

	"github.com/coreos/go-oidc/v3/oidc"
	"github.com/oklog/ulid/v2"
	"golang.org/x/oauth2"
)

// Refusal is why somebody who came from the directory was not signed in.
type Refusal string

// The refusals.
const (
	Expired     Refusal = "expired"     // begun in another browser, or too long ago
	NotSaid     Refusal = "not-said"    // the directory does not answer, or says no, or cannot be believed
	NoRole      Refusal = "no-role"     // none of their groups gives them a role here
	NameTaken   Refusal = "name-taken"  // somebody with a password has their name
	Closed      Refusal = "closed"      // their account here was closed
	LastOfRole  Refusal = "last"        // their groups would take the role from the last one who has it
	TakenByElse Refusal = "taken"       // they are joined to another account already
	NotYourself Refusal = "not-you"     // somebody else was signed in when it came back
	NoDirectory Refusal = "none-is-set" // this server knows no directory
)

func (r Refusal) Error() string { return "not signed in by the directory: " + string(r) }

// directoryTime is how long the directory may take for its answers.
const directoryTime = 5 * time.Second

// askedTime is how long somebody may take at the directory, or with a passkey.
const askedTime = 10 * time.Minute

// directoryCookie carries what was asked of the directory until it answers.
const directoryCookie = "needle-directory"

// authRequest is what was asked of the directory for a browser.
type authRequest struct {
	State    string
	Nonce    string
	Verifier string
	To       string // path to go on at
	Join     string // id of the person who joins their account to the directory; empty: somebody signs in
}

// directory is the directory of the house. It is asked what it offers when it is first needed: this server starts without it.
type directory struct {
	person.Directory
	secret string

	mutex    sync.Mutex
	provider *oidc.Provider
	failed   time.Time // when it could not be reached last

	registering sync.Mutex // one account is looked for, and registered where there is none, at a time
}

// UseDirectory lets people of a directory sign in. secret is this server's own there.
func (a *Authenticator) UseDirectory(d person.Directory, secret string) {
	a.directory = &directory{Directory: d, secret: secret}
}

// Directory is the name of the directory that people may sign in by; empty where there is none.
func (a *Authenticator) Directory() string {
	if a.directory == nil {
		return ""
	}
	return a.directory.Name
}

func (d *directory) client(ctx context.Context) (context.Context, context.CancelFunc) {
	ctx, cancel := context.WithTimeout(ctx, directoryTime)
	return oidc.ClientContext(ctx, &http.Client{Timeout: directoryTime}), cancel
}

// discover is what the directory offers, and how it is asked.
func (d *directory) discover(ctx context.Context) (*oidc.Provider, *oauth2.Config, error) {
	d.mutex.Lock()
	defer d.mutex.Unlock()
	if d.provider == nil {
		if time.Since(d.failed) < directoryTime { // whoever waits for a dead directory does not wait one after the other
			return nil, nil, errors.New("the directory did not answer a moment ago")
		}
		// Its keys are fetched again later, by a context of its own.
		p, err := oidc.NewProvider(oidc.ClientContext(context.WithoutCancel(ctx),
			&http.Client{Timeout: directoryTime}), d.Issuer)
		if err != nil {
			d.failed = time.Now()
			return nil, nil, err
		}
		d.provider = p
	}
	scopes := append([]string{oidc.ScopeOpenID, "profile"}, d.Scopes...)
	return d.provider, &oauth2.Config{ClientID: d.Client, ClientSecret: d.secret, Endpoint: d.provider.Endpoint(),
		RedirectURL: d.Address + person.Return, Scopes: scopes}, nil
}

// AskDirectory is the address at the directory where somebody shows who they are; to is the path they go on at. The error is a
// [Refusal].
func (a *Authenticator) AskDirectory(ctx context.Context, to string) (string, error) {
	return a.askDirectory(ctx, to, "")
}

// JoinDirectory is the address at the directory where whoever is signed in shows who they are there: from then on they
// sign in by it. They say their password first, so that no other page can join their account to somebody else. The
// errors are those of Confirm, and a [Refusal].
func (a *Authenticator) JoinDirectory(ctx context.Context, to, password string) (string, error) {
	if err := a.proven(ctx, password); err != nil {
		return "", err
	}
	return a.askDirectory(ctx, to, a.sessions.GetString(ctx, key))
}

func (a *Authenticator) askDirectory(ctx context.Context, to, join string) (string, error) {
	if a.directory == nil {
		return "", NoDirectory
	}
	reaching, cancel := a.directory.client(ctx)
	defer cancel()
	_, config, err := a.directory.discover(reaching)
	if err != nil {
		return "", fmt.Errorf("%w (%w)", NotSaid, err)
	}
	ask := authRequest{State: rand.Text(), Nonce: rand.Text(), Verifier: oauth2.GenerateVerifier(), To: to, Join: join}
	if err := a.seal(ctx, directoryCookie, ask); err != nil {
		return "", err
	}
	return config.AuthCodeURL(ask.State, oidc.Nonce(ask.Nonce), oauth2.S256ChallengeOption(ask.Verifier)), nil
}

// identity is what the directory says of somebody.
type identity struct {
	subject, name string
	groups        []string
}

// FromDirectory signs in whom the directory sends back, with its code and state, and returns the path they go on at. Who comes
// for the first time is registered. The error is a [Refusal].
func (a *Authenticator) FromDirectory(ctx context.Context, code, state string) (to string, err error) {
	if a.directory == nil {
		return "", NoDirectory
	}
	var ask authRequest
	if err := a.unseal(ctx, directoryCookie, &ask); err != nil ||
		subtle.ConstantTimeCompare([]byte(ask.State), []byte(state)) != 1 {
		return "", Expired
	}
	claims, err := a.directory.exchange(ctx, code, ask)
	if err != nil {
		a.count("")
		return "", fmt.Errorf("%w (%w)", NotSaid, err)
	}
	role, ok := a.directory.RoleOf(claims.groups)
	if !ok {
		return "", NoRole
	}
	if who, _ := a.Who(ctx); ask.Join != "" && who.ID != ask.Join {
		return "", NotYourself
	}
	p, err := a.account(claims, role, ask.Join)
	if err != nil {
		return "", err
	}
	a.sessions.Put(ctx, provenKey, a.clock().UTC().Format(time.RFC3339))
	return ask.To, a.begin(ctx, p)
}

// exchange takes the directory's word for a code, and looks whether it is the one that was asked for.
func (d *directory) exchange(ctx context.Context, code string, ask authRequest) (identity, error) {
	ctx, cancel := d.client(ctx)
	defer cancel()
	provider, config, err := d.discover(ctx)
	if err != nil {
		return identity{}, err
	}
	token, err := config.Exchange(ctx, code, oauth2.VerifierOption(ask.Verifier))
	if err != nil {
		return identity{}, err
	}
	raw, _ := token.Extra("id_token").(string)
	id, err := provider.Verifier(&oidc.Config{ClientID: d.Client}).Verify(ctx, raw)
	if err != nil {
		return identity{}, err
	}
	if subtle.ConstantTimeCompare([]byte(id.Nonce), []byte(ask.Nonce)) != 1 {
		return identity{}, fmt.Errorf("the token is of another sign-in")
	}
	var claims map[string]any
	if err := id.Claims(&claims); err != nil {
		return identity{}, err
	}
	out := identity{subject: id.Issuer + " " + id.Subject}
	for _, claim := range []string{"name", "preferred_username"} {
		if text, _ := claims[claim].(string); out.name == "" {
			out.name = strings.TrimSpace(strings.ToValidUTF8(text, ""))
		}
	}
	if out.name == "" || len([]rune(out.name)) > 100 {
		return identity{}, fmt.Errorf("the token has no name of at most 100 letters")
	}
	groups, _ := claims[d.Claim].([]any)
	for _, g := range groups {
		if text, ok := g.(string); ok {
			out.groups = append(out.groups, text)
		}
	}
	return out, nil
}

// account is the person whom the directory speaks of, with the role that it gives them now. join is the account that becomes
// theirs; empty: who is not known yet is registered.
func (a *Authenticator) account(claims identity, role person.Role, join string) (ledger.Person, error) {
	a.directory.registering.Lock() // two windows at once are one new person
	defer a.directory.registering.Unlock()
	everyone, err := a.ledger.Everyone()
	if err != nil {
		return ledger.Person{}, err
	}
	at := slices.IndexFunc(everyone, func(p ledger.Person) bool { return p.Directory == claims.subject })
	act := ledger.Act{Kind: "person changed", By: ledger.Nobody, At: a.clock(), Why: "as " + a.directory.Name + " says"}
	switch {
	case at >= 0 && join != "" && everyone[at].ID != join:
		return ledger.Person{}, TakenByElse
	case at < 0 && join != "":
		at = slices.IndexFunc(everyone, func(p ledger.Person) bool { return p.ID == join })
		act.Kind, act.By = "account joined to the directory", person.Person{ID: join, Name: everyone[at].Name,
			Role: everyone[at].Role}
	case at < 0:
		if slices.ContainsFunc(everyone, func(p ledger.Person) bool { return NameKey(p.Name) == NameKey(claims.name) }) {
			return ledger.Person{}, NameTaken
		}
		act.Kind = "person added"
		p := ledger.Person{ID: ulid.Make().String(), Name: claims.name, Role: role, Active: true, Directory: claims.subject}
		return p, a.ledger.Record(act, &p)
	}
	p := everyone[at]
	if !p.Active {
		return p, Closed
	}
	if p.Role == role && p.Directory == claims.subject {
		return p, nil
	}
	if p.Role != role && LastOf(everyone, p) {
		return p, LastOfRole
	}
	p.Role, p.Directory = role, claims.subject
	p.PasswordHash, p.OneTime = "", false // the directory says who they are, and when they left
	return p, a.ledger.Record(act, &p)
}

// LastOf reports whether somebody is the last who leads the lab, or who administers people.
func LastOf(everyone []ledger.Person, p ledger.Person) bool {
	return (p.Role == person.Lead || p.Role == person.Administrator) &&
		!slices.ContainsFunc(everyone, func(o ledger.Person) bool { return o.Active && o.ID != p.ID && o.Role == p.Role })
}
