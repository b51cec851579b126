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

// Desk signs people in and knows who is there.
type Desk struct {
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

// NewDesk makes the desk of a workshop. Sessions last 12 hours, a working day.
func NewDesk(l *ledger.Ledger, clock func() time.Time) *Desk {
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
	return &Desk{ledger: l, sessions: s, clock: clock, failed: failed, refused: map[string]int{}}
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

// Decode reads a session. One in another form is nobody's, and whose it was signs in again.
func (plainText) Decode(text []byte) (time.Time, map[string]any, error) {
	var s session
	if json.Unmarshal(text, &s) != nil || s.Values == nil {
		return time.Time{}, map[string]any{}, nil
	}
	return s.Deadline, s.Values, nil
}

// Middleware loads the session of a request and keeps it.
func (d *Desk) Middleware(next http.Handler) http.Handler { return d.sessions.LoadAndSave(next) }

// SignIn checks a password and starts a session.
func (d *Desk) SignIn(ctx context.Context, name, password string) (ledger.Person, error) {
	name = strings.TrimSpace(name)
	person, err := d.find(name)
	if d.waiting(name, person.Name) {
		return ledger.Person{}, ErrTooMany
	}
	if err != nil {
		d.fail(name, "")
		return ledger.Person{}, ErrRefused
	}
	match, err := argon2id.ComparePasswordAndHash(password, person.PasswordHash)
	if err != nil || !match {
		d.fail(name, person.Name)
		return ledger.Person{}, ErrRefused
	}
	if err := d.sessions.RenewToken(ctx); err != nil {
		return ledger.Person{}, err
	}
	d.sessions.Put(ctx, key, person.ID)
	return person, nil
}

func (d *Desk) find(name string) (ledger.Person, error) {
	everyone, err := d.ledger.People()
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
func (d *Desk) SignOut(ctx context.Context) error { return d.sessions.Destroy(ctx) }

// Who is signed in; ok is false where nobody is.
func (d *Desk) Who(ctx context.Context) (person.Person, bool) {
	id := d.sessions.GetString(ctx, key)
	if id == "" {
		return person.Person{}, false
	}
	p, err := d.ledger.Person(ctx, id)
	if err != nil || !p.Active {
		return person.Person{}, false
	}
	return person.Person{ID: p.ID, Name: p.Name, Role: p.Role}, true
}

// waiting says whether a name must wait; a sign-in that it refuses is counted too.
func (d *Desk) waiting(name, whose string) bool {
	limit, known := d.failed.Get(name)
	if !known || limit.TokensAt(d.clock()) >= 1 {
		return false
	}
	d.mutex.Lock()
	defer d.mutex.Unlock()
	d.count(whose)
	return true
}

// fail counts a refused sign-in. Unknown names are not recorded: one may be a password typed into the
// wrong field.
func (d *Desk) fail(name, whose string) {
	limit, known := d.failed.Get(name)
	if !known {
		limit = rate.NewLimiter(rate.Every(time.Minute/attempts), attempts)
		d.failed.Add(name, limit)
	}
	limit.AllowN(d.clock(), 1)
	d.mutex.Lock()
	defer d.mutex.Unlock()
	d.count(whose)
}

// count adds a refused sign-in, and starts the timer of the event that records it.
func (d *Desk) count(whose string) {
	d.refused[whose]++
	if d.pending != nil {
		return
	}
	d.pending = time.AfterFunc(quarter, func() {
		if err := d.RecordRefusals(); err != nil {
			slog.Error("refused sign-ins were not recorded", "error", err)
		}
	})
}

// RecordRefusals records the refused sign-ins counted so far as one event. Without any it records nothing.
func (d *Desk) RecordRefusals() error {
	d.mutex.Lock()
	defer d.mutex.Unlock()
	if d.pending == nil {
		return nil
	}
	names := slices.Sorted(maps.Keys(d.refused))
	all, parts := 0, []string{}
	for _, name := range names {
		n := d.refused[name]
		all += n
		if name == "" {
			name = "a name that is not registered"
		}
		parts = append(parts, fmt.Sprintf("%s: %d", name, n))
	}
	why := fmt.Sprintf("%d refused. %s.", all, strings.Join(parts, "; "))
	if err := d.ledger.Log(ledger.Act{
		Kind: "sign-ins refused",
		By:   ledger.Nobody,
		At:   d.clock(),
		Why:  why,
	}, "record/sign-ins"); err != nil {
		return err
	}
	d.pending.Stop()
	d.pending = nil
	clear(d.refused)
	return nil
}

// Close writes what is still to be told.
func (d *Desk) Close() error { return d.RecordRefusals() }

// Hash makes the argon2id hash of a password of at least 8 characters.
func Hash(password string) (string, error) {
	if len([]rune(password)) < 8 {
		return "", errors.New("the password needs at least 8 characters")
	}
	return argon2id.CreateHash(password, argon2id.DefaultParams)
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
