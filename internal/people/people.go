// Package people is sign-in, roles and sessions.
package people

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"maps"
	"net/http"
	"slices"
	"strings"
	"sync"
	"time"

	"northneedle/core/person"
	"northneedle/internal/ledger"

	"github.com/alexedwards/argon2id"
	"github.com/alexedwards/scs/v2"
	lru "github.com/hashicorp/golang-lru/v2"
	"github.com/oklog/ulid/v2"
	"golang.org/x/time/rate"
)

// ErrRefused says that name and password do not go together; it never says which is wrong.
var ErrRefused = errors.New("that name and password do not go together")

// ErrTooMany says that there were too many wrong passwords for this name.
var ErrTooMany = errors.New("there were too many wrong passwords for this name: wait a minute, then try again")

// CookieName is the name of the cookie that carries a session.
const CookieName = "needle"

const key = "person"

// attempts is how many wrong passwords a name has at once before it must wait; in a minute it has as
// many again.
const attempts = 8

// names is for how many names wrong passwords are counted.
const names = 10000

// Authenticator signs people in by name and password, and knows who makes a request.
type Authenticator struct {
	ledger   *ledger.Ledger
	sessions *scs.SessionManager
	clock    func() time.Time

	failed *lru.Cache[string, *rate.Limiter] // wrong passwords, by the name that was typed

	mutex   sync.Mutex
	refused map[string]int // refused sign-ins since the last event about them, by person; "" counts unknown names
	pending *time.Timer    // writes that event; nil where no sign-in was refused
}

// quarter is how long refused sign-ins are counted before one event records them.
const quarter = 15 * time.Minute

// NewAuthenticator makes one over the people and sessions of a ledger. Sessions last 12 hours, a working day.
func NewAuthenticator(l *ledger.Ledger, clock func() time.Time) *Authenticator {
	failed, err := lru.New[string, *rate.Limiter](names)
	if err != nil {
		panic(err) // there is no room for a single name
	}
	s := scs.New()
	s.Store = l.Sessions()
	s.Codec = plainText{}
	s.Lifetime = 12 * time.Hour
	s.HashTokenInStore = true
	s.Cookie.Name = CookieName
	s.Cookie.HttpOnly = true
	s.Cookie.SameSite = http.SameSiteLaxMode
	return &Authenticator{ledger: l, sessions: s, clock: clock, failed: failed, refused: map[string]int{}}
}

// plainText writes sessions as JSON, which is read several times as fast as scs's own form.
type plainText struct{}

type session struct {
	Deadline time.Time      `json:"deadline"`
	Values   map[string]any `json:"values"`
}

func (plainText) Encode(deadline time.Time, values map[string]any) ([]byte, error) {
	return json.Marshal(session{deadline, values})
}

// Decode reads a session. A session in an unknown encoding decodes as empty; its owner signs in again.
func (plainText) Decode(text []byte) (time.Time, map[string]any, error) {
	var s session
	if json.Unmarshal(text, &s) != nil || s.Values == nil {
		return time.Time{}, map[string]any{}, nil
	}
	return s.Deadline, s.Values, nil
}

// Middleware loads the session of a request and keeps it.
func (a *Authenticator) Middleware(next http.Handler) http.Handler {
	return a.sessions.LoadAndSave(next)
}

// SignIn checks a password and starts a session.
func (a *Authenticator) SignIn(ctx context.Context, name, password string) (ledger.Person, error) {
	name = strings.TrimSpace(name)
	person, err := a.find(name)
	if a.waiting(name, person.Name) {
		return ledger.Person{}, ErrTooMany
	}
	if err != nil {
		a.fail(name, "")
		return ledger.Person{}, ErrRefused
	}
	match, err := argon2id.ComparePasswordAndHash(password, person.PasswordHash)
	if err != nil || !match {
		a.fail(name, person.Name)
		return ledger.Person{}, ErrRefused
	}
	if err := a.sessions.RenewToken(ctx); err != nil {
		return ledger.Person{}, err
	}
	a.sessions.Put(ctx, key, person.ID)
	return person, nil
}

func (a *Authenticator) find(name string) (ledger.Person, error) {
	everyone, err := a.ledger.People()
	if err != nil {
		return ledger.Person{}, err
	}
	for _, p := range everyone {
		if strings.EqualFold(p.Name, name) || p.ID == name {
			return p, nil
		}
	}
	return ledger.Person{}, ledger.ErrNotFound
}

// SignOut ends the session.
func (a *Authenticator) SignOut(ctx context.Context) error { return a.sessions.Destroy(ctx) }

// Who is signed in; ok is false where nobody is.
func (a *Authenticator) Who(ctx context.Context) (person.Person, bool) {
	id := a.sessions.GetString(ctx, key)
	if id == "" {
		return person.Person{}, false
	}
	p, err := a.ledger.Person(ctx, id)
	if err != nil || !p.Active {
		return person.Person{}, false
	}
	return person.Person{ID: p.ID, Name: p.Name, Role: p.Role}, true
}

// waiting says whether a name must wait; a sign-in that it refuses is counted too.
func (a *Authenticator) waiting(name, whose string) bool {
	limit, known := a.failed.Get(name)
	if !known || limit.TokensAt(a.clock()) >= 1 {
		return false
	}
	a.mutex.Lock()
	defer a.mutex.Unlock()
	a.count(whose)
	return true
}

// fail counts a refused sign-in. Unknown names are not recorded: one may be a password typed into the
// wrong field.
func (a *Authenticator) fail(name, whose string) {
	limit, known := a.failed.Get(name)
	if !known {
		limit = rate.NewLimiter(rate.Every(time.Minute/attempts), attempts)
		a.failed.Add(name, limit)
	}
	limit.AllowN(a.clock(), 1)
	a.mutex.Lock()
	defer a.mutex.Unlock()
	a.count(whose)
}

// count adds a refused sign-in, and starts the timer of the event that records it.
func (a *Authenticator) count(whose string) {
	a.refused[whose]++
	if a.pending != nil {
		return
	}
	a.pending = time.AfterFunc(quarter, func() {
		if err := a.RecordRefusals(); err != nil {
			slog.Error("refused sign-ins were not recorded", "error", err)
		}
	})
}

// RecordRefusals records the refused sign-ins counted so far as one event. Without any it records nothing.
func (a *Authenticator) RecordRefusals() error {
	a.mutex.Lock()
	defer a.mutex.Unlock()
	if a.pending == nil {
		return nil
	}
	names := slices.Sorted(maps.Keys(a.refused))
	all, parts := 0, []string{}
	for _, name := range names {
		n := a.refused[name]
		all += n
		if name == "" {
			name = "a name that is not registered"
		}
		parts = append(parts, fmt.Sprintf("%s: %d", name, n))
	}
	why := fmt.Sprintf("%d refused. %s.", all, strings.Join(parts, "; "))
	if err := a.ledger.Log(ledger.Act{
		Kind: "sign-ins refused",
		By:   ledger.Nobody,
		At:   a.clock(),
		Why:  why,
	}, "record/sign-ins"); err != nil {
		return err
	}
	a.pending.Stop()
	a.pending = nil
	clear(a.refused)
	return nil
}

// Close writes what is still to be told.
func (a *Authenticator) Close() error { return a.RecordRefusals() }

// Cost is what a password hash takes to compute. Only tests, which sign in all the time, lower it.
var Cost = *argon2id.DefaultParams

// Hash makes the argon2id hash of a password of at least 8 characters.
func Hash(password string) (string, error) {
	if len([]rune(password)) < 8 {
		return "", errors.New("the password needs at least 8 characters")
	}
	return argon2id.CreateHash(password, &Cost)
}

// Add registers a person with a password.
func Add(l *ledger.Ledger, act ledger.Act, name string, role person.Role, password string) error {
	switch role {
	case person.Trainee, person.Technician, person.Lead, person.Manager:
	default:
		return errors.New("the role is trainee, technician, lead or manager")
	}
	if strings.TrimSpace(name) == "" {
		return errors.New("the name is missing")
	}
	hash, err := Hash(password)
	if err != nil {
		return err
	}
	return l.Record(act, &ledger.Person{
		ID:           ulid.Make().String(),
		Name:         strings.TrimSpace(name),
		Role:         role,
		PasswordHash: hash,
		Active:       true,
	})
}
