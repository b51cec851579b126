// Package people is sign-in, roles and sessions.
package people

import (
	"cmp"
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"maps"
	"math"
	"net/http"
	"slices"
	"strings"
	"sync"
	"time"

	"northneedle/core/person"
	"northneedle/internal/ledger"

	"github.com/alexedwards/argon2id"
	"github.com/alexedwards/scs/v2"
	"github.com/gorilla/securecookie"
	lru "github.com/hashicorp/golang-lru/v2"
	"github.com/oklog/ulid/v2"
)

// ErrRefused says that name and password do not go together; it never says which is wrong.
var ErrRefused = errors.New("that name and password do not go together")

// ErrTooMany says that there were too many wrong passwords for this name, or from this address.
type ErrTooMany struct{ Wait time.Duration }

func (e *ErrTooMany) Error() string {
	return fmt.Sprintf("there were too many wrong passwords: wait %s, then try again", span(e.Wait))
}

// span is a time in words.
func span(d time.Duration) string {
	if d <= 100*time.Second {
		return fmt.Sprintf("%.0f seconds", max(1, math.Ceil(d.Seconds())))
	}
	return fmt.Sprintf("%.0f minutes", math.Ceil(d.Minutes()))
}

// CookieName is the name of the cookie that carries a session.
const CookieName = "needle"

const (
	key       = "person"
	lockedKey = "locked"
	provenKey = "proven" // when the directory said who they are
)

// Authenticator signs people in by name and password, and knows who makes a request.
type Authenticator struct {
	ledger   *ledger.Ledger
	sessions *scs.SessionManager
	secure   bool // cookies only come back encrypted
	clock    func() time.Time

	directory *directory // nil: people only have passwords of their own
	sealing   *securecookie.SecureCookie
	answered  *lru.Cache[string, bool]         // what passkeys were asked and have answered
	confirmed *lru.Cache[string, confirmation] // passkeys shown for a signature, by what one signs with

	tries  *tries
	hasher *hasher
	nobody string // the hash of a password that nobody has: an unknown name costs as much as a known one

	mutex     sync.Mutex
	wrongPINs map[string]int // since the last right one, by person
	refused   map[string]int // refused sign-ins since the last event about them, by person; "" counts unknown names
	pending   *time.Timer    // writes that event; nil where no sign-in was refused
}

// quarter is how long refused sign-ins are counted before one event records them.
const quarter = 15 * time.Minute

// NewAuthenticator makes one over the people and sessions of a ledger. Sessions last 12 hours, a working day.
// Where what goes out is encrypted, its cookies only come back so.
func NewAuthenticator(l *ledger.Ledger, clock func() time.Time, secure bool) *Authenticator {
	nobody, err := argon2id.CreateHash(rand.Text(), &Cost)
	if err != nil {
		panic(err) // the machine has no randomness
	}
	s := scs.New()
	s.Store = l.Sessions()
	s.Codec = plainText{}
	s.Lifetime = 12 * time.Hour
	s.HashTokenInStore = true
	s.Cookie.Name = CookieName
	s.Cookie.HttpOnly, s.Cookie.Secure = true, secure
	s.Cookie.SameSite = http.SameSiteLaxMode
	return &Authenticator{ledger: l, sessions: s, clock: clock, tries: newTries(), hasher: newHasher(),
		sealing: newSealing(), answered: remembered[bool](), confirmed: remembered[confirmation](),
		nobody: nobody, refused: map[string]int{},
		wrongPINs: map[string]int{}, secure: secure}
}

// remembered holds what happened lately.
func remembered[T any]() *lru.Cache[string, T] {
	c, err := lru.New[string, T](mostRemembered)
	if err != nil {
		panic(err) // there is no room for a single one
	}
	return c
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
	return a.sessions.LoadAndSave(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		next.ServeHTTP(w, withAsking(w, r, a.secure))
	}))
}

// SignIn checks a password and starts a session. Wrong passwords are counted by account, whatever the spelling of its
// name, and by address; both are asked before anything is hashed. A browser that the person has signed in from before
// is counted by itself.
func (a *Authenticator) SignIn(ctx context.Context, name, password string) (ledger.Person, error) {
	from := askingOf(ctx)
	p, known, err := a.find(name)
	if err != nil {
		return ledger.Person{}, err
	}
	counters, hash := []counter{{"account " + NameKey(name), freeTries}, {"address " + from.address, freeOfAnAddress}}, ""
	if known && p.PasswordHash != "" {
		counters, hash = from.countersOf(p), p.PasswordHash
	}
	if err := a.check(ctx, password, hash, p.Name, counters); err != nil {
		return ledger.Person{}, err
	}
	a.forgivePIN(p.ID)
	a.sessions.Remove(ctx, provenKey)
	if err := a.begin(ctx, p); err != nil {
		return ledger.Person{}, err
	}
	from.remember(p)
	return p, nil
}

// begin begins a session of somebody who has shown who they are.
func (a *Authenticator) begin(ctx context.Context, p ledger.Person) error {
	if err := a.sessions.RenewToken(ctx); err != nil {
		return err
	}
	from := askingOf(ctx)
	a.sessions.Put(ctx, key, p.ID)
	a.sessions.Remove(ctx, lockedKey)
	a.sessions.Put(ctx, begunKey, a.clock().UTC().Format(time.RFC3339))
	a.sessions.Put(ctx, addressKey, from.address)
	a.sessions.Put(ctx, browserKey, from.agent)
	return nil
}

// check compares a password with a hash. A wrong one counts for each counter, and as refused for whoever it was; the
// first counter is the account's or the browser's own. Without a hash, no password is right, which takes as long. The errors are ErrTooMany, ErrBusy and ErrRefused.
func (a *Authenticator) check(ctx context.Context, password, hash, whose string, counters []counter) error {
	if wait := a.tries.begin(a.clock(), counters...); wait > 0 {
		a.count(whose)
		return &ErrTooMany{wait}
	}
	match, err := a.hasher.compare(ctx, password, cmp.Or(hash, a.nobody))
	switch {
	case errors.Is(err, ErrBusy) || ctx.Err() != nil:
		a.tries.undo(counters...)
		return err
	case err != nil || !match:
		a.count(whose)
		return ErrRefused
	}
	a.tries.right(counters[0], counters[1:]...)
	return nil
}

// find is the person of a name or an id; false where nobody is.
func (a *Authenticator) find(name string) (ledger.Person, bool, error) {
	everyone, err := a.ledger.People()
	for _, p := range everyone {
		if NameKey(p.Name) == NameKey(name) || p.ID == strings.TrimSpace(name) {
			return p, true, err
		}
	}
	return ledger.Person{}, false, err
}

// ChangePassword changes the password of whoever is signed in, who says the old one again. All their other sessions
// end. The error is ErrRefused where the old password is wrong, which is counted as at the sign-in.
func (a *Authenticator) ChangePassword(ctx context.Context, old, chosen string) error {
	p, err := a.ledger.Person(ctx, a.sessions.GetString(ctx, key))
	if err != nil {
		return err
	}
	from := askingOf(ctx)
	if err := a.check(ctx, old, p.PasswordHash, p.Name, from.countersOf(p)); err != nil {
		return err
	}
	if old == chosen {
		return weak("the new password is the old one")
	}
	if err := CheckPassword(chosen, p.Name); err != nil {
		return err
	}
	if p.PasswordHash, err = Hash(chosen); err != nil {
		return err
	}
	p.OneTime, p.GivenBy, p.GivenAt = false, "", nil
	by := person.Person{ID: p.ID, Name: p.Name, Role: p.Role}
	if err := a.ledger.Record(ledger.Act{Kind: "own password changed", By: by, At: a.clock()}, &p); err != nil {
		return err
	}
	if err := a.ledger.Sessions().End(p.ID); err != nil {
		return err
	}
	from.remember(p)
	return a.sessions.RenewToken(ctx)
}

// Lasts reports whether the session of a context still stands: it may have been ended since its request began.
func (a *Authenticator) Lasts(ctx context.Context) bool {
	if _, ok := a.Who(ctx); !ok {
		return false
	}
	text, found, err := a.ledger.Sessions().FindCtx(context.WithoutCancel(ctx), a.storedToken(ctx))
	if err != nil || !found {
		return false
	}
	_, values, err := plainText{}.Decode(text)
	locked, _ := values[lockedKey].(bool)
	return err == nil && !locked
}

// Debt is what whoever is signed in does before anything else is open to them.
type Debt string

// The debts.
const (
	OwnPassword Debt = "password" // somebody else gave theirs
	OwnSecret   Debt = "secret"   // the directory says who they are, and they have nothing yet to sign with
)

// Owes is what whoever is signed in does first; empty: nothing.
func (a *Authenticator) Owes(ctx context.Context) (Debt, error) {
	p, err := a.ledger.Person(ctx, a.sessions.GetString(ctx, key))
	switch {
	case err != nil:
		return "", err
	case p.OneTime:
		return OwnPassword, nil
	case p.PasswordHash == "" && p.PinHash == "":
		mine, err := a.MyPasskeys(ctx)
		if err != nil || len(mine) == 0 {
			return OwnSecret, err
		}
	}
	return "", nil
}

// SignOut ends the session.
func (a *Authenticator) SignOut(ctx context.Context) error { return a.sessions.Destroy(ctx) }

// Lock locks the session: nobody is signed in by it until its owner signs in again.
func (a *Authenticator) Lock(ctx context.Context) {
	if a.sessions.GetString(ctx, key) != "" {
		a.sessions.Put(ctx, lockedKey, true)
	}
}

// Locked is whose session it is, where it was locked.
func (a *Authenticator) Locked(ctx context.Context) (person.Person, bool) {
	if !a.sessions.GetBool(ctx, lockedKey) {
		return person.Person{}, false
	}
	return a.owner(ctx)
}

// Who is signed in; ok is false where nobody is, or the session was locked.
func (a *Authenticator) Who(ctx context.Context) (person.Person, bool) {
	if a.sessions.GetBool(ctx, lockedKey) {
		return person.Person{}, false
	}
	return a.owner(ctx)
}

// owner is whose session it is.
func (a *Authenticator) owner(ctx context.Context) (person.Person, bool) {
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

// count adds a refused sign-in, and starts the timer of the event that records it. Unknown names are not recorded: one may be a
// password typed into the wrong field.
func (a *Authenticator) count(whose string) {
	a.mutex.Lock()
	defer a.mutex.Unlock()
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

// Hash makes the argon2id hash of a password.
func Hash(password string) (string, error) { return argon2id.CreateHash(password, &Cost) }

// Add registers a person with their own password.
func Add(l *ledger.Ledger, act ledger.Act, name string, role person.Role, password string) error {
	return add(l, act, name, role, password, false)
}

// Register registers a person with a password that they change at their first sign-in: whoever registers them knows it.
func Register(l *ledger.Ledger, act ledger.Act, name string, role person.Role, password string) error {
	return add(l, act, name, role, password, true)
}

func add(l *ledger.Ledger, act ledger.Act, name string, role person.Role, password string, oneTime bool) error {
	p, err := registered(name, role, password)
	if err != nil {
		return err
	}
	if oneTime {
		p.OneTime, p.GivenBy, p.GivenAt = true, act.By.Name, &act.At
	}
	return l.Record(act, &p)
}

// registered is somebody as they are registered, with a password.
func registered(name string, role person.Role, password string) (ledger.Person, error) {
	p := ledger.Person{ID: ulid.Make().String(), Name: strings.TrimSpace(name), Role: role, Active: true}
	switch {
	case !slices.Contains(person.PeopleRoles, role):
		return p, errors.New("the role is trainee, technician, lead, manager or administrator")
	case p.Name == "":
		return p, errors.New("the name is missing")
	}
	if err := CheckPassword(password, name); err != nil {
		return p, err
	}
	hash, err := Hash(password)
	p.PasswordHash = hash
	return p, err
}

// RegisterAll registers people of a list together, each with a one-time password that is made up here; it gives those
// passwords, in their order. Who may not sign in gets none.
func RegisterAll(l *ledger.Ledger, act ledger.Act, all []ledger.Person) (passwords []string, err error) {
	passwords, records := make([]string, len(all)), make([]any, len(all))
	for i := range all {
		one := oneTimePassword()
		p, err := registered(all[i].Name, all[i].Role, one)
		if err != nil {
			return nil, err
		}
		p.Mail, p.Active = all[i].Mail, all[i].Active
		p.OneTime, p.GivenBy, p.GivenAt = true, act.By.Name, &act.At
		if p.Active {
			passwords[i] = one
		}
		records[i] = &p
	}
	return passwords, l.Record(act, records...)
}

// oneTimePassword is a password of 60 random bits that can be read out: three groups of four letters and digits.
func oneTimePassword() string {
	text := strings.ToLower(rand.Text())
	return text[0:4] + "-" + text[4:8] + "-" + text[8:12]
}
