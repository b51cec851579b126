package people

import (
	"context"
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"net"
	"net/http"
	"net/netip"
	"slices"
	"strings"
	"time"

	"northneedle/internal/ledger"
)

// knownCookie names the cookie by which a browser shows whom it was signed in as before: wrong passwords from there are counted
// apart from those of strangers, so that a stranger can lock nobody out.
const knownCookie = "needle-known"

// mostKnown is how many people one browser is known for; with one more, the oldest is forgotten.
const mostKnown = 12

// asking is a request, as a sign-in sees it.
type asking struct {
	address string
	agent   string
	known   []string // entries of the cookie
	answer  http.ResponseWriter
	secure  bool
	host    string            // that it asked for
	sealed  map[string]string // what was left with the browser for a while, by the cookie's name
}

type askingKey struct{}

// withAsking puts a request into its context.
func withAsking(w http.ResponseWriter, r *http.Request, secure bool) *http.Request {
	a := asking{address: addressOf(r.RemoteAddr), agent: agentOf(r.UserAgent()), answer: w, secure: secure, host: r.Host,
		sealed: map[string]string{}}
	for _, name := range []string{directoryCookie, passkeyCookie} {
		if c, err := r.Cookie(name); err == nil {
			a.sealed[name] = c.Value
		}
	}
	if c, err := r.Cookie(knownCookie); err == nil {
		a.known = strings.Split(c.Value, ",")
	}
	return r.WithContext(context.WithValue(r.Context(), askingKey{}, a))
}

// longestAgent is how much of what a browser calls itself is kept.
const longestAgent = 200

func agentOf(name string) string { return strings.ToValidUTF8(name[:min(len(name), longestAgent)], "") }

// addressOf is what tries are counted by: an IPv4 address, or the network of an IPv6 address, of which one machine has many.
func addressOf(remote string) string {
	host, _, err := net.SplitHostPort(remote)
	if err != nil {
		host = remote
	}
	address, err := netip.ParseAddr(host)
	if err != nil {
		return host
	}
	address = address.Unmap()
	if address.Is6() {
		if network, err := address.WithZone("").Prefix(64); err == nil {
			return network.String()
		}
	}
	return address.String()
}

// proof says that a browser was signed in as a person with the password they have now.
func proof(p ledger.Person, browser string) string {
	mac := hmac.New(sha256.New, []byte(p.PasswordHash))
	mac.Write([]byte(browser + " " + p.ID))
	return hex.EncodeToString(mac.Sum(nil)[:16])
}

// browserOf is the browser of a request that a person has signed in from before; empty where they have not.
func (a asking) browserOf(p ledger.Person) string {
	for _, entry := range a.known {
		browser, shown, ok := strings.Cut(entry, ".")
		if ok && hmac.Equal([]byte(shown), []byte(proof(p, browser))) {
			return browser
		}
	}
	return ""
}

// countersOf are what the tries for a person are counted by: their browser alone, where they have signed in from it
// before; else their account and the address.
func (a asking) countersOf(p ledger.Person) []counter {
	if browser := a.browserOf(p); browser != "" {
		return []counter{{"browser " + p.ID + " " + browser, freeTries}}
	}
	return []counter{{"account " + p.ID, freeTries}, {"address " + a.address, freeOfAnAddress}}
}

// remember lets the browser show later that a person has signed in from it.
func (a asking) remember(p ledger.Person) {
	if a.answer == nil || p.PasswordHash == "" || a.browserOf(p) != "" {
		return
	}
	browser := rand.Text()
	known := append([]string{browser + "." + proof(p, browser)}, a.known...)
	http.SetCookie(a.answer, &http.Cookie{Name: knownCookie, Value: strings.Join(known[:min(len(known), mostKnown)],
		","), Path: "/",
		MaxAge: int((365 * 24 * time.Hour).Seconds()), HttpOnly: true, Secure: a.secure, SameSite: http.SameSiteStrictMode})
}

// askingOf is the request of a context; without one, a sign-in has no address and no browser.
func askingOf(ctx context.Context) asking {
	a, _ := ctx.Value(askingKey{}).(asking)
	a.known = slices.DeleteFunc(slices.Clone(a.known), func(entry string) bool { return entry == "" })
	return a
}
